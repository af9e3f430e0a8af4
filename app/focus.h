#pragma once
#include <QList>
#include <QObject>
#include <optional>

#include "document.h"
#include "sensor_list.h"

namespace heron::app {

/// What the window is looking at: a study, a take of it and those laid over it, with the plan and all that it is edited
/// among. Looking elsewhere changes nothing of the document.
class Focus : public QObject {
  Q_OBJECT

 public:
  Focus(Document* document, SensorList* sensors, QObject* parent = nullptr);

  /// Null where there is none.
  const dossier::Study* study() const { return document_->study(study_); }
  long long study_id() const { return study() ? study_ : 0; }
  /// Null where this version does not know it.
  const study::Kind* kind() const;
  /// Null where there is no study, or its plan cannot be read.
  study::PlanPtr plan() const { return document_->plan(study_); }
  long long assembly() const { return study() ? study()->assembly : dossier::kMainAssembly; }
  const run::Device& device() const { return *device_; }
  const study::Surroundings& surroundings() const { return surroundings_; }
  const bench::Limits& limits() const { return device_->limits; }

  const std::vector<dossier::Take>& takes() const { return document_->takes(study_); }
  const std::vector<judge::Claim>& claims() const { return document_->claims(study_); }
  const std::vector<judge::Mask>& masks() const { return document_->masks(study_); }
  /// Watches that hold since an earlier take of the unit on the bench.
  std::vector<run::Held> held() const { return study() ? run::held_watches(study()->settings, takes(), device_->unit.name) : std::vector<run::Held>{}; }
  std::optional<long long> wake() const { return study() ? study()->wake : std::nullopt; }
  /// The take in view and those laid over it; ids.
  std::optional<long long> shown() const { return shown_; }
  const QList<long long>& overlaid() const { return overlaid_; }

  /// What is shown beside a word; with a text, as it would be were that typed.
  Result<study::BriefHint> hint(const std::string& key, const std::optional<QString>& typed = {}) const;

  void select_study(long long study);
  void show_take(long long take);
  void overlay(const QList<long long>& takes);
  /// A take has begun. One that takes its place beside others leaves what else is shown where it is.
  void follow(long long take, bool beside);

  /// The study in view; without one, one that is made for data of this kind and name.
  Result<long long> study_for_data(const std::string& name, const study::Kind& kind);
  /// Takes beside all that is in view.
  void lay_over(const QList<long long>& takes);

  /// Edits of the study in view; see Document.
  QString edit(const std::string& key, const QString& text) { return edit({{key, text.toStdString()}}); }
  QString edit(const study::Edits& edits) { return document_->edit_words(study_id(), edits, surroundings_); }
  QString edit_setting(const std::string& key, const QString& text) {
    return document_->edit_setting(study_id(), key, text);
  }
  Document& document() const { return *document_; }

 signals:
  /// Another study is looked at.
  void study_changed();
  /// The plan in view is another one, or how it is read.
  void plan_changed();
  void takes_changed();
  void shown_changed();
  void device_changed();

 private:
  void look_at(long long study);
  void take_surroundings();
  void settle_takes();

  Document* document_;
  SensorList* sensors_;
  long long study_ = 0;
  std::shared_ptr<const run::Device> device_;
  study::Surroundings surroundings_;
  std::optional<long long> shown_;
  QList<long long> overlaid_;
};

}  // namespace heron::app
