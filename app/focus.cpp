#include "focus.h"

#include <QFileInfo>
#include <algorithm>

#include "study/kind.h"

namespace heron::app {

Focus::Focus(Document* document, SensorList* sensors, QObject* parent)
    : QObject(parent), document_(document), sensors_(sensors), device_(document->device(dossier::kMainAssembly)) {
  connect(document_, &Document::opened, this, [this] {
    const auto& all = document_->studies();
    study_ = -1;
    look_at(all.empty() ? 0 : all.front().id);
  });
  connect(document_, &Document::plan_changed, this, [this](long long study) {
    if (study == study_) emit plan_changed();
  });
  connect(document_, &Document::reading_changed, this, [this](long long study) {
    if (study != study_) return;
    take_surroundings();
    emit plan_changed();
    emit takes_changed();
    emit shown_changed();
  });
  connect(document_, &Document::wake_changed, this, [this](long long study) {
    if (study != study_) return;
    emit takes_changed();
    emit shown_changed();
  });
  connect(document_, &Document::takes_changed, this, [this](long long study) {
    if (study == study_) settle_takes();
  });
  connect(document_, &Document::device_changed, this, [this](long long assembly) {
    if (assembly != this->assembly()) return;
    device_ = document_->device(assembly);
    take_surroundings();
    emit device_changed();
  });
  connect(sensors_, &SensorList::changed, this, &Focus::take_surroundings);
}

const study::Kind* Focus::kind() const { return study() ? study::find_kind(study()->kind) : nullptr; }

void Focus::take_surroundings() {
  surroundings_ = run::surroundings_of(*device_, study() ? study()->settings : study::SettingsText{}, document_->asked(study_));
  surroundings_.own_sensors = sensors_->all();
}

void Focus::look_at(long long study) {
  if (study == study_) return;
  study_ = study;
  shown_.reset();
  overlaid_.clear();
  const auto device = document_->device(assembly());
  const bool another = device != device_;
  device_ = device;
  take_surroundings();
  emit study_changed();
  if (another) emit device_changed();
  settle_takes();
  emit plan_changed();
}

void Focus::settle_takes() {
  const auto& all = takes();
  const bool there = shown_ && std::any_of(all.begin(), all.end(), [&](const auto& t) { return t.id == *shown_; });
  if (!there) {
    shown_.reset();
    for (const auto& take : all)
      if (take.purpose.empty() || !shown_) shown_ = take.id;
    overlaid_.clear();
  }
  emit takes_changed();
  emit shown_changed();
}

Result<study::BriefHint> Focus::hint(const std::string& key, const std::optional<QString>& typed) const {
  auto one = plan();
  if (!one) return fail(Fault::usage, "There is no study yet.");
  if (typed) {
    auto changed = one->with(key, typed->trimmed().toStdString(), surroundings_);
    if (!changed) return tl::unexpected(changed.error());
    one = std::move(*changed);
  }
  return one->hint(key, surroundings_);
}

void Focus::select_study(long long study) {
  if (document_->study(study)) look_at(study);
}

void Focus::show_take(long long take) {
  if (shown_ == take && overlaid_.isEmpty()) return;
  shown_ = take;
  overlaid_.clear();
  emit shown_changed();
}

void Focus::overlay(const QList<long long>& takes) {
  if (takes.isEmpty()) return;
  shown_ = takes.last();
  overlaid_ = takes;
  overlaid_.removeLast();
  emit shown_changed();
}

Result<long long> Focus::study_for_data(const std::string& name, const study::Kind& kind) {
  if (!document_->is_open()) return fail(Fault::usage, "Open or make a dossier first.");
  if (study()) return study_;
  const auto made =
      document_->add_study(QFileInfo(QString::fromStdString(name)).completeBaseName(), kind, dossier::kMainAssembly);
  if (made) look_at(*made);
  return made;
}

void Focus::lay_over(const QList<long long>& takes) {
  auto all = overlaid_;
  if (shown_) all << *shown_;
  overlay(all << takes);
}

void Focus::follow(long long take, bool beside) {
  if (!beside) overlaid_.clear();
  shown_ = take;
  settle_takes();
}

}  // namespace heron::app
