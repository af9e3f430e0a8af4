#pragma once
#include <QDateTime>
#include <QElapsedTimer>
#include <QObject>
#include <QThreadPool>
#include <QTimer>
#include <QUndoStack>
#include <atomic>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <set>
#include <thread>

#include "dossier/expected.h"
#include "dossier/take_run.h"
#include "exchange/curves.h"
#include "look.h"
#include "sim/circuit.h"
#include "study/brief.h"
#include "study/iv/loop.h"
#include "study/iv/plan.h"
#include "study/iv/reduce.h"
#include "study/response/kind.h"
#include "study/response/preflight.h"

namespace heron::app {

/// All that the window shows of one take, ready to draw. Shared, never altered once made.
struct TakeView {
  dossier::Take take;
  study::response::Curve curve;             ///< of a frequency response...
  std::optional<study::iv::Family> family;  ///< ...or of current against voltage
  study::Analysis analysis;
  std::vector<dossier::LedgerLine> lines;
  QString trouble;  ///< why it cannot be read, where it cannot

  bool empty() const { return curve.points.empty() && !family; }
};

/// The open dossier and what the window is looking at. Every edit goes to disk at once and can be undone; takes are
/// read and measured off the interface thread. Signals tell facts.
class Session : public QObject {
  Q_OBJECT

 public:
  explicit Session(QObject* parent = nullptr);
  ~Session() override;

  bool open(const QString& path);
  bool create(const QString& path);
  bool is_open() const { return store_.has_value(); }
  QString path() const;

  const dossier::DeviceInfo& device() const { return device_; }
  const std::vector<dossier::Unit>& units() const { return units_; }
  const dossier::Unit& unit() const { return unit_; }
  const std::vector<dossier::Study>& studies() const { return studies_; }
  const dossier::Study* study() const;
  /// Which part of the device the study in view is about.
  long long assembly() const;
  /// The study in view where it is a frequency response; defaults where it is of another kind.
  const study::response::Plan& plan() const { return plan_; }
  /// The study in view where it is current against voltage; null where it is of another kind.
  const study::iv::Plan* iv_plan() const { return iv_plan_ ? &*iv_plan_ : nullptr; }
  /// What the study in view senses, whatever its kind.
  const bench::Hookup& hookup() const { return iv_plan_ ? iv_plan_->hookup : plan_.hookup; }
  /// False where source-measure channels sense what they drive.
  bool has_hookup() const { return !iv_plan_ || iv_plan_->method == study::iv::Method::waveform; }
  /// The pin that is driven along the sweep.
  std::string driven_pin() const;
  /// "response", "iv"; empty where there is no study.
  std::string kind() const { return study() ? study()->kind : std::string(); }
  /// The study in view as sentences, whatever its kind, and what taking it amounts to.
  std::vector<study::BriefPiece> brief() const;
  std::string time_sentence() const;
  /// What is shown beside a word; with a text, as it would be were that typed.
  Result<study::BriefHint> hint(const std::string& key, const std::optional<QString>& typed = {}) const;
  const std::vector<judge::Mask>& masks() const { return masks_; }
  const std::vector<dossier::Take>& takes() const { return takes_; }
  const std::vector<std::string>& pins() const { return pins_; }
  const sim::Circuit& circuit() const { return circuit_; }
  /// Part values as measured on the unit where they were, else nominal, with their tolerances.
  std::map<std::string, device::PartFact> part_facts() const;
  const bench::Limits& limits() const { return limits_; }
  double sweep_seconds() const;
  bool paced() const { return paced_; }
  void set_paced(bool on);
  std::vector<study::Doubt> preflight() const;
  bool accepted(const std::string& key) const { return accepted_.contains(key); }
  /// What the circuit should show under the present plan; nothing where it cannot say.
  const std::optional<bench::Levels>& levels() const { return levels_; }

  /// The take in view and those laid over it; ids.
  std::optional<long long> shown() const { return shown_; }
  const QList<long long>& overlaid() const { return overlaid_; }
  std::optional<long long> wake() const;

  /// What is known of a take; asks for it to be read where it is not yet. Null until then.
  std::shared_ptr<const TakeView> view(long long take);
  /// The newest reading of any study, for the ledger. Null until read.
  std::shared_ptr<const TakeView> newest_view(long long study);

  Result<study::Point> point(long long take, int index);

  /// Sensors of the user's own, kept beside the dossiers in a file of the user's data folder.
  const std::vector<bench::Sensor>& own_sensors() const { return own_sensors_; }
  static QString own_sensors_path();

  bool running() const { return worker_.joinable(); }
  std::optional<long long> running_take() const { return running_take_; }
  const study::Progress& progress() const { return progress_; }

  QUndoStack& undo_stack() { return undo_; }
  Look& look() { return look_; }

  /// What the circuit or the study's formula expects; null until worked out, or where nothing can be expected.
  std::shared_ptr<const dossier::ExpectedCurve> expected() const { return expected_; }
  /// Why nothing is expected, where somebody should know: a formula that makes no sense.
  const QString& expected_trouble() const { return expected_trouble_; }
  study::response::Settings settings() const;

 public slots:
  void select_study(long long study);
  void show_take(long long take);
  void overlay(const QList<long long>& takes);

  /// Edits; each can be undone. Errors come back as text, empty when done.
  QString edit_brief(const std::string& key, const QString& text);
  /// Several words as one step of undo: what a remedy does.
  QString edit_brief_words(const study::Edits& edits);
  /// Goes ahead with a serious finding of preflight, until the plan changes.
  void accept_finding(const std::string& key);
  /// A setting of how the study is read; empty text takes it back to its default. Old takes are read anew.
  /// A claim or a mask on the study in view out of a line: "High corner at least 18 kHz".
  QString write_claim(const QString& line);
  /// A line that begins with a curve and goes along frequencies is a mask: "gain at most 27 dB from 100 Hz to 1 kHz".
  /// Claims that were made, not written, as one step of undo.
  void add_claims(const std::vector<judge::Claim>& claims);
  void remove_claim(const judge::Claim& claim);
  void remove_mask(const judge::Mask& mask);
  std::vector<judge::Claim> claims();
  QString edit_setting(const std::string& key, const QString& text);

  /// Reads the sensor of a chain with nothing in it and takes that as its zero; the result is said.
  void zero_sensor(const std::string& chain);
  /// Reads a known sine of the generator through the chain; factor_checked tells what came of it.
  void check_factor(const std::string& chain);

  QString keep_own_sensor(const bench::Sensor& sensor);
  QString drop_own_sensor(const std::string& name);
  QString import_own_sensors(const QString& path);
  QString export_own_sensors(const QString& path);
  void set_wake(std::optional<long long> take);
  void set_note(long long take, const QString& note);
  /// Laid aside, a take is looked at and never judged.
  void set_aside(long long take, bool aside);
  /// "82 nF", or "82.3 nF \u00b10.5 %" where it was measured; empty for the nominal part.
  QString set_fitted(const std::string& part, const QString& text);
  QString set_rating(const std::string& name, const device::RatingField& field, const QString& text);
  QString set_expectations(const std::vector<device::Expectation>& expectations);
  void select_unit(long long unit);
  QString add_unit(const QString& name);
  QString load_circuit(const QString& path);
  QString rename_device(const QString& name, const QString& about);

  /// A frequency response between the circuit's first and last pin, ready to be edited; it becomes the study in view.
  /// Or current against voltage between the first pin and ground: kind "iv".
  QString add_study(const QString& name, const std::string& kind = "response");

  /// Starts a take; QString() when it runs, else why not.
  QString start(const std::string& purpose = {});
  /// Takes with the sweep slowed by four each time, until the loop between the way up and the way down is closed or it
  /// is clear that it will not close; each pass is a take.
  QString slow_until_closed();
  /// Finds the compliance that an unknown device needs, from far below the brief's on, and puts it into the brief; what
  /// was found is said.
  QString start_small();
  bool starting_small() const { return starting_small_; }
  /// A new take with these points of one read again and all others carried over.
  QString retake(long long take, const std::vector<int>& points);
  void stop();

  QString import_file(const QString& path);
  /// Curves that were read and looked over, each as a take; all of them come into view.
  /// @param aside  to be looked at, not judged
  QString import_curves(const std::vector<exchange::FileCurve>& curves, bool aside = false);
  Result<int> export_take(long long take, const QString& folder);

 signals:
  void opened();
  void plan_changed();
  void takes_changed();
  void shown_changed();
  void device_changed();
  void take_read(long long take);
  void live_changed();
  void progressed();
  void running_changed();
  void levels_changed();
  void expected_changed();
  void sensors_changed();
  void factor_checked(const QString& chain, double read, double known, double u);
  void said(const QString& message, bool trouble);

 private:
  friend class SessionEdit;
  bool adopt(Result<dossier::Store> store);
  void reload_study();
  void reload_takes();
  void reload_device();
  /// The plan, as it is kept, with one word changed.
  Result<nlohmann::json> tried_on(const nlohmann::json& plan, const std::string& key, const QString& text) const;
  nlohmann::json plan_text() const;
  std::string with_own_sensor(const std::string& key, const QString& text) const;
  void write_plan(const nlohmann::json& plan);
  void predict();
  void expect();
  void launch(dossier::RunOptions options);
  bool slow_on();
  void put_claim(long long study, const judge::Claim& claim);
  void put_mask(long long study, const judge::Mask& mask);
  void take_mask(long long study, const std::string& text);
  void reload_masks();
  void take_claim(long long study, const std::string& text);
  void judge_again();
  void write_settings(long long study, const study::SettingsText& settings);
  QString write_own_sensors(std::vector<bench::Sensor> sensors);
  void write_wake(std::optional<long long> take);
  void write_note(long long take, const QString& note);
  void write_aside(long long take, bool aside);
  void write_device(const dossier::DeviceInfo& device, long long assembly);
  void write_fitted(long long unit, const std::string& part, std::optional<double> value, double tolerance,
                    long long assembly);
  void complain(const Error& error);
  void forget_views();
  void request(long long study, long long take);
  void finish_run(Result<long long> result);
  void take_live_points();
  void read_live(TakeView& view);
  void publish(const study::iv::Assembly& assembly);
  void adopt_plan(const nlohmann::json& plan);
  static std::shared_ptr<TakeView> read_take(const std::string& path, long long study, long long take);

  std::optional<dossier::Store> store_;
  dossier::DeviceInfo device_;
  std::vector<dossier::Unit> units_;
  dossier::Unit unit_;
  std::vector<dossier::Study> studies_;
  std::size_t study_ = 0;
  study::response::Plan plan_;
  std::optional<study::iv::Plan> iv_plan_;
  std::vector<judge::Mask> masks_;
  std::vector<dossier::Take> takes_;
  std::vector<std::string> pins_;
  sim::Circuit circuit_;
  bench::Limits limits_;
  std::optional<bench::Levels> levels_;
  std::set<std::string> accepted_;  ///< serious findings that the user takes upon herself, until the plan changes
  std::optional<long long> shown_;
  QList<long long> overlaid_;

  std::map<long long, std::shared_ptr<const TakeView>> views_;
  std::map<long long, bool> asked_;
  std::map<long long, long long> newest_;
  int generation_ = 0, expectation_ = 0;
  std::atomic<int> prediction_ = 0;
  Look look_{this};
  std::shared_ptr<const dossier::ExpectedCurve> expected_;
  QString expected_trouble_;
  std::stop_source expecting_;
  QThreadPool thinkers_;                    ///< what is worked out beside, apart from the takes that are read
  std::optional<long long> last_pass_;      ///< of a run that keeps only its last
  dossier::RunOptions run_;                 ///< of the take that is running
  std::optional<long long> slowing_study_;  ///< the one that slows down; looking at another ends it
  std::vector<study::iv::Pass> slowing_;    ///< passes so far, of a run that slows down until a loop closes
  bool stopping_ = false;
  bool starting_small_ = false;
  bool paced_ = false;
  std::vector<bench::Sensor> own_sensors_;
  QThreadPool readers_;

  std::jthread worker_;
  std::optional<long long> running_take_;
  study::Progress progress_;
  std::mutex live_mutex_;
  std::vector<study::response::CurvePoint> fresh_points_;
  std::vector<study::response::CurvePoint> live_points_;
  study::response::Curve live_curve_;  ///< of noise: the sum so far
  bool live_curve_fresh_ = false;
  std::shared_ptr<const study::iv::Family> fresh_family_, live_family_;  ///< of current and voltage
  QTimer live_timer_;
  QUndoStack undo_;
};

}  // namespace heron::app
