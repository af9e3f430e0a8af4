#include "runner.h"

#include <random>

#include "base/quantity.h"
#include "study/kind.h"
#include "study/preflight.h"
#include "worker.h"

namespace heron::app {
namespace {

constexpr int kFrame = 33;  ///< ms between live pictures
constexpr const char* kInUse = "The bench is in use already.";
constexpr const char* kNoSuchQuantity = "The hookup has no such quantity.";

/// Makes the pictures of a running take, in the worker.
class LiveReading {
 public:
  LiveReading(const dossier::Study& study, run::Asked asked, std::vector<std::string> figures)
      : study_(study), asked_(std::move(asked)), figures_(std::move(figures)) {
    if (const auto* kind = study::find_kind(study.kind))
      if (auto reducer = kind->reducer(study.settings)) reducer_ = std::move(*reducer);
  }

  void add(const study::Point& point) {
    // A point that cannot be reduced is told when the take is read.
    if (reducer_) added_ = reducer_->add(point).has_value() || added_;
  }

  std::shared_ptr<TakeView> view(dossier::Take take) const {
    return view_of(reducer_ && added_ ? reducer_->so_far() : study::ReducedPtr(), std::move(take));
  }

  /// Of a point that is still being read, alone.
  std::shared_ptr<TakeView> view_so_far(const study::Point& point, dossier::Take take) {
    if (!growing_ || !growing_->grows() || growing_index_ != point.index) {
      const auto* kind = study::find_kind(study_.kind);
      auto reducer = kind ? kind->reducer(study_.settings) : tl::unexpected(Error{Fault::usage, {}});
      growing_ = reducer ? std::move(*reducer) : nullptr;
      growing_index_ = point.index;
    }
    return view_of(growing_ && growing_->add(point) ? growing_->so_far() : study::ReducedPtr(), std::move(take));
  }

 private:
  std::shared_ptr<TakeView> view_of(const Result<study::ReducedPtr>& reduced, dossier::Take take) const {
    auto view = std::make_shared<TakeView>();
    view->take = std::move(take);
    if (!reduced || !*reduced) return view;
    view->reduced = *reduced;
    view->small = view->reduced->small();
    // Figures while the take runs, as long as they cost no more than a frame.
    if (!(*reduced)->quick()) {
      view->lines = run::judge(asked_, nullptr, 0, nullptr);
      for (auto& line : view->lines)
        if (!line.typed) line.judgement.reason = "it is read when the take is done";
    } else if (auto analysis = (*reduced)->read(study_.settings, figures_)) {
      view->analysis = std::move(*analysis);
      view->lines = run::judge(asked_, &view->take, 0, &view->analysis);
    }
    return view;
  }

  dossier::Study study_;
  run::Asked asked_;
  std::vector<std::string> figures_;
  std::unique_ptr<study::Reducer> reducer_;
  std::unique_ptr<study::Reducer> growing_;  ///< of the point that is still being read
  int growing_index_ = 0;
  bool added_ = false;
};

}  // namespace

Runner::Runner(Document* document, Focus* focus, Outlook* outlook, Readings* readings, Messages* messages,
               QObject* parent)
    : QObject(parent),
      document_(document),
      focus_(focus),
      outlook_(outlook),
      readings_(readings),
      messages_(messages) {
  live_timer_.setInterval(kFrame);
  connect(&live_timer_, &QTimer::timeout, this, &Runner::take_live);
}

Runner::~Runner() {
  worker_.request_stop();
  if (worker_.joinable()) worker_.join();
}

study::Progress Runner::progress() const {
  const std::lock_guard lock(live_->mutex);
  return live_->progress;
}

void Runner::set_paced(bool on) {
  paced_ = on;
  emit running_changed();
}

study::Surroundings Runner::surroundings(long long id) const {
  const auto* study = document_->study(id);
  return run::surroundings_of(*document_->device(study->assembly), study->settings, document_->asked(id));
}

QString Runner::trouble_to_run() const {
  if (running()) return job_.taking ? "A take is running already." : kInUse;
  if (!focus_->study()) return "There is no study to take yet.";
  if (document_->read_only()) return "The dossier is open for reading only.";
  if (!focus_->plan()) return "The study's plan cannot be read, so it cannot be taken.";
  return {};
}

QString Runner::to_arm() const {
  const auto plan = focus_->plan();
  return plan && !armed() ? QString::fromStdString(plan->arms()) : QString();
}

void Runner::arm() {
  armed_ = focus_->plan();
  emit armed_changed();
}

void Runner::disarm() {
  if (!std::exchange(armed_, nullptr)) return;
  emit armed_changed();
}

QString Runner::start(const std::string& purpose) {
  if (const QString what = to_arm(); !what.isEmpty()) return what + " is not armed.";
  if (const QString trouble = trouble_to_run(); !trouble.isEmpty()) return trouble;
  if (const QString refused = outlook_->refusal(); !refused.isEmpty()) return refused;
  // Once for each take.
  disarm();
  launch(focus_->study_id(), {.accepted = outlook_->accepted(), .purpose = purpose});
  return {};
}

QString Runner::start_of(long long id) {
  if (running()) return kInUse;
  if (document_->read_only()) return "The dossier is open for reading only.";
  const auto plan = document_->plan(id);
  if (!plan) return "The study's plan cannot be read, so it cannot be taken.";
  // Levels are asked for by the take itself; what is plain beforehand is refused at once.
  if (const auto refused = study::refusal(plan->preflight(surroundings(id), nullptr), {})) return QString::fromStdString(refused->message);
  launch(id, {});
  job_.once = true;
  return {};
}

QString Runner::retake(long long take, const std::vector<int>& points) {
  if (const QString trouble = trouble_to_run(); !trouble.isEmpty()) return trouble;
  if (points.empty()) return "No points are chosen.";
  if (const auto whole = focus_->plan()->only_whole(); !whole.empty()) return QString::fromStdString(whole);
  if (const QString refused = outlook_->refusal(); !refused.isEmpty()) return refused;
  launch(focus_->study_id(),
         {.note = points.size() == 1 ? "one point read again" : fmt::format("{} points read again", points.size()),
          .accepted = outlook_->accepted(),
          .base = take,
          .only = points});
  return {};
}

QString Runner::begin(const study::Offer& offer) {
  if (const QString trouble = trouble_to_run(); !trouble.isEmpty()) return trouble;
  const long long study = focus_->study_id();
  std::shared_ptr<study::Procedure> procedure = offer.make();
  if (procedure->probes()) {
    const auto around = surroundings(study);
    if (const auto refused = study::refusal(procedure->preflight(around), outlook_->accepted()))
      return QString::fromStdString(refused->message);
    job_.procedure = procedure;
    job_.options.accepted = outlook_->accepted();
    probe(study);
    return {};
  }
  const auto seen = readings_->shown();
  const auto next = procedure->first(*focus_->plan(), surroundings(study), seen ? seen->reduced.get() : nullptr);
  if (!next) return QString::fromStdString(next.error().message);
  job_.study = study;
  job_.procedure = procedure;
  job_.options.accepted = outlook_->accepted();
  // What came of it was said already.
  if (!go_on(next)) job_ = {};
  return {};
}

/// The next pass of a procedure; false where it has ended.
bool Runner::go_on(const Result<study::Next>& next) {
  if (!next) {
    say(QString::fromStdString(next.error().message), next.error().fault != Fault::stopped);
    return false;
  }
  const long long id = job_.study;
  const auto edits = next->pass ? next->pass->edits : next->edits;
  if (!next->said.empty()) say(QString::fromStdString(next->said), false);
  if (!edits.empty())
    if (const QString trouble = document_->edit_words(id, edits, surroundings(id)); !trouble.isEmpty()) {
      say(trouble, true);
      return false;
    }
  if (!next->pass) return false;
  const auto plan = document_->plan(id);
  const auto around = surroundings(id);
  // Levels are asked for once more by the take itself; what is plain beforehand is refused at once.
  if (const auto refused = study::refusal(plan->preflight(around, nullptr), job_.options.accepted)) {
    say(QString::fromStdString(refused->message), true);
    return false;
  }
  auto procedure = job_.procedure;
  launch(id, {.note = next->pass->note, .accepted = job_.options.accepted});
  job_.procedure = std::move(procedure);
  return true;
}

void Runner::launch(long long id, run::RunOptions options) {
  const auto last_pass = job_.last_pass;
  job_ = {.study = id, .taking = true, .options = options, .last_pass = last_pass};
  live_ = std::make_shared<Live>();
  const auto study = *document_->study(id);
  const auto device = document_->device(study.assembly);
  run::Asked asked{study.name,
                   document_->claims(id),
                   document_->masks(id),
                   run::part_values(*device, device->unit.fitted),
                   document_->typed(id),
                   device->unit.id};
  worker_ = std::jthread([this, live = live_, path = document_->path().toStdString(), study, options,
                          reading = std::make_shared<LiveReading>(study, std::move(asked), document_->asked(id)),
                          bench = bench_name()](std::stop_token stop) {
    auto store = dossier::Store::open(path);
    Result<long long> result = 0;
    study::ReducedPtr taken;
    if (!store) {
      result = tl::unexpected(store.error());
    } else {
      dossier::Take take;
      const auto publish = [&] {
        auto view = reading->view(take);
        taken = view->reduced;
        const std::lock_guard lock(live->mutex);
        live->view = std::move(view);
        live->wanted = false;
      };
      run::TakeEvents events;
      events.began = [&](long long began) {
        take = store->take(began).value_or(dossier::Take{.id = began});
        hand_back(this, [this, began] {
          job_.take = began;
          readings_->begin_live(began);
          document_->reread_takes(job_.study);
          if (focus_->study_id() == job_.study)
            focus_->follow(began, job_.last_pass && !focus_->overlaid().isEmpty());
        });
      };
      events.point = [&](long long, const study::Point& point) {
        reading->add(point);
        ++take.points;
        const bool wanted = [&] {
          const std::lock_guard lock(live->mutex);
          return live->wanted;
        }();
        if (wanted) publish();
      };
      events.so_far = [&](const study::Point& point) {
        const std::lock_guard lock(live->mutex);
        if (!std::exchange(live->wanted, false)) return;
        live->view = reading->view_so_far(point, take);
      };
      events.progress = [&](const study::Progress& p) {
        const std::lock_guard lock(live->mutex);
        live->progress = p;
      };
      events.said = [&](const std::string& said) {
        hand_back(this, [this, said = QString::fromStdString(said), about = study.id] { messages_->say(said, false, about); });
      };
      events.ask = [&](const std::string& what) -> Result<void> {
        std::unique_lock lock(live->mutex);
        live->answer = false;
        hand_back(this, [this, what = QString::fromStdString(what)] { set_asked(what); });
        const bool answered = live->answered.wait(lock, stop, [&] { return live->answer; });
        lock.unlock();
        hand_back(this, [this] { set_asked({}); });
        return answered ? Result<void>{} : fail(Fault::stopped, "Stopped.");
      };
      result = run::run_take(*store, study, bench, std::random_device{}(), options, events, stop);
      if (take.id != 0) publish();
    }
    hand_back(this, [this, result, taken] { finish_take(result, taken); });
  });
  live_timer_.start();
  emit running_changed();
}

void Runner::take_live() {
  std::shared_ptr<TakeView> view;
  {
    const std::lock_guard lock(live_->mutex);
    view = std::exchange(live_->view, nullptr);
    live_->wanted = true;
  }
  if (view && job_.take == view->take.id && !view->empty()) readings_->show_live(view);
  emit progressed();
}

void Runner::finish_take(Result<long long> result, study::ReducedPtr taken) {
  live_timer_.stop();
  worker_.join();
  take_live();
  const Job ended = std::exchange(job_, Job{});
  if (ended.take) readings_->forget(*ended.take);
  document_->reread_takes(ended.study);
  const auto plan = document_->plan(ended.study);
  job_.study = ended.study;
  job_.options.accepted = ended.options.accepted;
  if (result && ended.take && !ended.options.purpose.empty()) {
    // What was just taken is what the study uses from now on.
    if (const auto* take = document_->take(ended.study, *ended.take))
      messages_->say_trouble(
          document_->edit_setting(ended.study, ended.options.purpose, QString::number(take->number)), ended.study);
  }
  const bool whole = result && !ended.stopping;
  if (whole && ended.last_pass && plan && plan->repeat() == study::Repeat::last &&
      document_->drop_pass(ended.study, *ended.last_pass))
    readings_->forget(*ended.last_pass);
  if (whole && ended.procedure && plan && taken) {
    job_.procedure = ended.procedure;
    if (go_on(ended.procedure->after(*plan, surroundings(ended.study), *taken))) return;
  } else if (whole && plan && !ended.once && ended.options.purpose.empty() && !ended.options.base &&
             plan->repeat() != study::Repeat::once && plan->arms().empty()) {
    // With the plan as it is by now: a word that was changed shows at the next pass.
    job_.last_pass = ended.take;
    launch(ended.study, {.accepted = ended.options.accepted});
    return;
  }
  const long long study = job_.study;
  job_ = {};
  emit running_changed();
  if (!result)
    messages_->say(QString::fromStdString(result.error().message), result.error().fault != Fault::stopped, study);
  emit this->ended({.take = ended.take,
                    .trouble = result ? QString() : QString::fromStdString(result.error().message),
                    .stopped = ended.stopping || (!result && result.error().fault == Fault::stopped)});
}

void Runner::use_bench(const QString& doing, long long study,
                       std::function<std::function<void()>(std::stop_token)> work) {
  job_.study = study;
  job_.doing = doing;
  worker_ = std::jthread([this, work = std::move(work)](std::stop_token stop) {
    auto done = work(stop);
    hand_back(this, [this, done = std::move(done)] {
      worker_.join();
      // It reads what the job was, and may begin a take.
      done();
      if (running()) return;
      job_ = {};
      emit running_changed();
    });
  });
  emit running_changed();
}

void Runner::probe(long long id) {
  const auto around = surroundings(id);
  const auto device = document_->device(document_->study(id)->assembly);
  use_bench(QString::fromStdString(job_.procedure->doing()), id,
            [this, around, device, procedure = job_.procedure,
             bench = bench_name()](std::stop_token stop) -> std::function<void()> {
              auto opened = run::open_bench(*device, bench, std::random_device{}());
              auto next = opened ? procedure->probe(**opened, around, stop)
                                 : Result<study::Next>(tl::unexpected(opened.error()));
              return [this, next] { go_on(next); };
            });
}

std::optional<bench::Chain> Runner::chain_of(const std::string& name) const {
  const auto plan = focus_->plan();
  const auto* hookup = plan ? plan->hookup() : nullptr;
  const auto* chain = hookup ? hookup->find(name) : nullptr;
  return chain ? std::optional(*chain) : std::nullopt;
}

QString Runner::zero_sensor(const std::string& name) {
  if (running()) return kInUse;
  const auto chain = chain_of(name);
  if (!chain) return kNoSuchQuantity;
  use_bench("Reading the zero of " + QString::fromStdString(name), focus_->study_id(),
            [this, chain = *chain, bench = bench_name()](std::stop_token) -> std::function<void()> {
              const auto zero = run::read_zero(chain, bench);
              return [this, zero, name = chain.name] {
                if (!zero) return say(QString::fromStdString(zero.error().message), true);
                const auto edits = study::Edits{{"hookup." + name + ".zero", fmt::format("{} V", *zero)}};
                if (const QString trouble = document_->edit_words(job_.study, edits, surroundings(job_.study));
                    !trouble.isEmpty())
                  return say(trouble, true);
                say(QString("%1 reads %2 with nothing in it; that is taken off from now on.")
                        .arg(QString::fromStdString(name),
                             QString::fromStdString(format_quantity(*zero, "V", 3).plain())),
                    false);
              };
            });
  return {};
}

QString Runner::check_factor(const std::string& name) {
  if (running()) return kInUse;
  const auto chain = chain_of(name);
  if (!chain) return kNoSuchQuantity;
  use_bench("Checking the factor of " + QString::fromStdString(name), focus_->study_id(),
            [this, chain = *chain, bench = bench_name()](std::stop_token) -> std::function<void()> {
              const auto check = run::read_known_signal(chain, bench);
              return [this, check, name = chain.name] {
                if (!check) return say(QString::fromStdString(check.error().message), true);
                emit factor_checked(QString::fromStdString(name), check->read, check->known, check->u);
              };
            });
  return {};
}

void Runner::set_asked(const QString& what) {
  asked_ = what;
  emit asked_changed();
}

void Runner::answer() {
  if (asked_.isEmpty()) return;
  {
    const std::lock_guard lock(live_->mutex);
    live_->answer = true;
  }
  live_->answered.notify_one();
  // One answer for one question, however often Enter is pressed.
  set_asked({});
}

void Runner::stop() {
  job_.stopping = true;
  worker_.request_stop();
}

}  // namespace heron::app
