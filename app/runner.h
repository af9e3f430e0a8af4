#pragma once
#include <QObject>
#include <QTimer>
#include <condition_variable>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>

#include "outlook.h"
#include "readings.h"
#include "run/probes.h"
#include "run/take.h"

namespace heron::app {

/// Owns the bench: takes, procedures of several takes, probes, zeroing, checking a factor; one at a time. What runs is a
/// copy of its study: looking elsewhere changes nothing. Errors come back as text, empty when it runs.
class Runner : public QObject {
  Q_OBJECT

 public:
  Runner(Document* document, Focus* focus, Outlook* outlook, Readings* readings, Messages* messages,
         QObject* parent = nullptr);
  ~Runner() override;

  /// The bench is in use, by whatever.
  bool running() const { return worker_.joinable(); }
  /// A take is running: there is progress to tell.
  bool taking() const { return running() && job_.taking; }
  /// What it does, where it is no take.
  const QString& doing() const { return job_.doing; }
  long long study() const { return running() ? job_.study : 0; }
  std::optional<long long> take() const { return job_.take; }
  study::Progress progress() const;
  bool paced() const { return paced_; }
  void set_paced(bool on);

  /// How a run of takes came to its end.
  struct Ended {
    std::optional<long long> take;
    QString trouble;       ///< empty: all is there
    bool stopped = false;  ///< by a person
  };

  /// Takes any study once, with the unit that is on the bench and nothing accepted; `ended` tells the rest. What it arms
  /// must have been armed by whoever asks.
  QString start_of(long long study);
  /// Takes the study in view. @param purpose  what stands in the device's place
  QString start(const std::string& purpose = {});
  /// What must be armed by hand before the study in view is taken; empty: nothing, or it is.
  QString to_arm() const;
  /// For one take of the study in view, or until disarm().
  void arm();
  void disarm();
  bool armed() const { return armed_ == focus_->plan() && armed_ != nullptr; }
  /// A new take with these points of one read again and all others carried over.
  QString retake(long long take, const std::vector<int>& points);
  QString begin(const study::Offer& offer);
  /// Reads the sensor of a chain with nothing in it and takes that as its zero; the result is said.
  QString zero_sensor(const std::string& chain);
  /// Reads a known sine of the generator through the chain; factor_checked tells what came of it.
  QString check_factor(const std::string& chain);
  void stop();
  /// What a person is asked to set by hand, "Set temperature to 60 degC"; empty: nothing.
  const QString& asked() const { return asked_; }
  /// It is set.
  void answer();

 signals:
  void asked_changed();
  void running_changed();
  void progressed();
  void armed_changed();
  void ended(const Runner::Ended& ended);
  void factor_checked(const QString& chain, double read, double known, double u);

 private:
  /// What runs, as it was asked for.
  struct Job {
    long long study = 0;
    bool taking = false;
    bool stopping = false;
    bool once = false;  ///< whatever the plan says
    QString doing;
    run::RunOptions options;
    std::shared_ptr<study::Procedure> procedure;
    std::optional<long long> take;       ///< once it has begun
    std::optional<long long> last_pass;  ///< of a run that keeps only its last
  };
  /// What the worker hands over while it runs.
  struct Live {
    std::mutex mutex;
    study::Progress progress;
    std::shared_ptr<TakeView> view;
    bool wanted = true;  ///< somebody has drawn the last one
    std::condition_variable_any answered;
    bool answer = false;
  };

  QString trouble_to_run() const;
  void set_asked(const QString& what);
  std::optional<bench::Chain> chain_of(const std::string& quantity) const;
  void launch(long long study, run::RunOptions options);
  void probe(long long study);
  /// Work on the bench that is no take; `done` is called in this thread with what it came to.
  void use_bench(const QString& doing, long long study, std::function<std::function<void()>(std::stop_token)> work);
  void take_live();
  void finish_take(Result<long long> result, study::ReducedPtr taken);
  bool go_on(const Result<study::Next>& next);
  study::Surroundings surroundings(long long study) const;
  const char* bench_name() const { return paced_ ? "paced" : "simulated"; }
  void say(const QString& text, bool trouble) { messages_->say(text, trouble, job_.study); }

  Document* document_;
  Focus* focus_;
  Outlook* outlook_;
  Readings* readings_;
  Messages* messages_;
  bool paced_ = false;
  study::PlanPtr armed_;  ///< as it was looked at when it was armed: an edit disarms
  Job job_;  ///< empty while nothing runs
  QString asked_;
  std::shared_ptr<Live> live_ = std::make_shared<Live>();
  QTimer live_timer_;
  std::jthread worker_;
};

}  // namespace heron::app
