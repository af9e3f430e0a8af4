#pragma once
#include <QObject>
#include <QUndoStack>
#include <functional>
#include <map>
#include <memory>
#include <optional>

#include "dossier/store.h"
#include "messages.h"
#include "run/device.h"
#include "run/latch.h"
#include "run/study_template.h"
#include "study/plan.h"

namespace heron::app {

/// The open dossier and its undo. Every edit goes to disk at once and carries the id of what it edits, so that it can
/// be undone whatever is looked at by then. Errors of edits come back as text, empty when done. Signals tell facts.
class Document : public QObject {
  Q_OBJECT

 public:
  Document(Messages* messages, QObject* parent = nullptr);

  bool open(const QString& path);
  bool create(const QString& path);
  bool is_open() const { return store_.has_value(); }
  bool read_only() const { return store_ && store_->read_only(); }
  QString path() const;
  QUndoStack& undo_stack() { return undo_; }

  const std::vector<dossier::Study>& studies() const { return studies_; }
  const dossier::Study* study(long long id) const;
  const std::vector<dossier::Take>& takes(long long study);
  const dossier::Take* take(long long study, long long take);
  const std::vector<judge::Claim>& claims(long long study);
  const std::vector<judge::Mask>& masks(long long study);
  /// The figures that claims ask of the study's takes.
  std::vector<std::string> asked(long long study);
  /// Figures that were read on other meters and typed in, of all units.
  const std::vector<judge::TypedFigure>& typed(long long study);
  /// The device as one assembly and its unit show it. Never null.
  std::shared_ptr<const run::Device> device(long long assembly);
  const std::vector<dossier::Unit>& units(long long assembly);
  /// The unit a take was of; the one on the bench without a take.
  dossier::Unit unit_of(long long study, std::optional<long long> take);
  /// Reads a point of a take in whichever thread calls it.
  std::function<Result<study::Point>()> point_reader(long long take, int index) const;
  /// The study's plan; null where it cannot be read, which has been said then.
  study::PlanPtr plan(long long study);

  /// Several words of a plan as one step of undo.
  QString edit_words(long long study, const study::Edits& edits, const study::Surroundings& around);
  /// A setting of how a study is read; empty text takes it back to its default. Old takes are read anew.
  QString edit_setting(long long study, const std::string& key, const QString& text) { return edit_settings(study, {{key, text.toStdString()}}); }
  /// Several of them as one step of undo, all or none.
  QString edit_settings(long long study, const study::Edits& edits);
  /// A claim or a mask out of a line: "High corner at least 18 kHz"; one that begins with a curve and goes along its
  /// axis is a mask: "gain at most 27 dB from 100 Hz to 1 kHz".
  QString write_claim(long long study, const QString& line);
  void add_claims(long long study, const std::vector<judge::Claim>& claims);
  void remove_claim(long long study, const judge::Claim& claim);
  void remove_mask(long long study, const judge::Mask& mask);
  /// A figure of a unit: "Inductance 10.3 uH ±0.2 uH, by the bridge". Another of its name is replaced.
  QString type_figure(long long study, long long unit, const QString& line);
  void remove_typed(long long study, const judge::TypedFigure& typed);
  void set_wake(long long study, std::optional<long long> take);
  void set_note(long long study, long long take, const QString& note);
  void set_study_note(long long study, const QString& note);
  /// Looking is no edit: it is not undone, and a dossier that takes no writing does without.
  void set_look(long long study, const nlohmann::json& look);
  QString device_note();
  void set_device_note(const QString& note);
  void set_unit_words(long long unit, const QString& serial, const QString& note);
  /// Laid aside, a take is looked at and never judged.
  void set_aside(long long study, long long take, bool aside);
  /// By hand; undone they hold again.
  void release(long long study, const std::vector<run::Held>& held);

  /// "82 nF", or "82.3 nF ±0.5 %" where it was measured; empty for the nominal part.
  QString set_fitted(long long assembly, const std::string& part, const QString& text);
  QString set_rating(long long assembly, const std::string& name, const device::RatingField& field, const QString& text);
  QString set_expectations(long long assembly, const std::vector<device::Expectation>& expectations);
  QString rename_device(long long assembly, const QString& name, const QString& about);
  QString load_circuit(long long assembly, const QString& path);
  void select_unit(long long unit);
  /// The same as a fact, which is not undone: somebody put it there.
  void put_on_bench(long long unit);
  QString add_unit(const QString& name);

  /// A study without its takes, as a template.
  Result<run::StudyTemplate> template_of(long long study);
  Result<long long> add_study(const run::StudyTemplate& study, long long assembly);
  /// With a plan to begin with.
  Result<long long> add_study(const QString& name, const study::Kind& kind, long long assembly);
  /// A pass in whose place another one has come; one that somebody wrote on stays. False then.
  bool drop_pass(long long study, long long take);
  /// The row of takes that is being made or was left; see Batch.
  std::vector<dossier::QueueItem> queue();
  QString set_queue(const std::vector<dossier::QueueItem>& items);
  QString set_queue_item(const dossier::QueueItem& item);
  /// What the report shall show; see report/choice.h. Nothing where nobody has chosen.
  std::optional<nlohmann::json> report();
  QString keep_report(const nlohmann::json& choice);
  std::vector<dossier::ReportPicture> pictures();
  QString add_picture(const dossier::ReportPicture& picture);
  QString remove_picture(long long picture);
  /// Takes of a study have come or changed beside this object.
  void reread_takes(long long study);

 signals:
  /// Another dossier is about to be looked at: nothing that was known holds any more. Then it is opened.
  void closing();
  void opened();
  void studies_changed();
  void plan_changed(long long study);
  /// How it is read, or what is claimed of it: its takes are read anew.
  void reading_changed(long long study);
  /// Comes before that: what was read of its takes holds no more.
  void outdated(long long study);
  void wake_changed(long long study);
  void takes_changed(long long study);
  void device_changed(long long assembly);
  /// Plots were put into the report, or taken out.
  void report_changed();

 private:
  struct Facts {
    std::optional<std::vector<dossier::Take>> takes;
    std::optional<std::vector<judge::Claim>> claims;
    std::optional<std::vector<judge::Mask>> masks;
    std::optional<std::vector<judge::TypedFigure>> typed;
    study::PlanPtr plan;
    bool plan_read = false;
  };
  bool adopt(Result<dossier::Store> store);
  void complain(const Error& error, long long study = 0) {
    messages_->say(QString::fromStdString(error.message), true, study);
  }
  /// Said where something was not done.
  bool done(const Result<void>& result, long long study = 0);
  void push(const QString& text, std::function<void()> forth, std::function<void()> back);
  dossier::Study* find(long long id);
  void reread_studies();
  void forget_devices();

  void write_plan(long long study, const nlohmann::json& plan);
  void write_settings(long long study, const study::SettingsText& settings);
  void put_claim(long long study, const judge::Claim& claim);
  void take_claim(long long study, const std::string& text);
  void put_mask(long long study, const judge::Mask& mask);
  void take_mask(long long study, const std::string& text);
  void put_typed(long long study, const judge::TypedFigure& typed);
  void take_typed(long long study, const judge::TypedFigure& typed);
  void judged_anew(long long study);
  void write_wake(long long study, std::optional<long long> take);
  void write_device(long long assembly, const dossier::DeviceInfo& device);
  QString change_device(long long assembly, const QString& text, const dossier::DeviceInfo& after);

  Messages* messages_;
  std::optional<dossier::Store> store_;
  std::vector<dossier::Study> studies_;
  std::map<long long, Facts> facts_;
  std::map<long long, std::shared_ptr<const run::Device>> devices_;
  std::map<long long, std::vector<dossier::Unit>> units_;
  QUndoStack undo_;
};

}  // namespace heron::app
