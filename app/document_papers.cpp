#include "document.h"

/// What is written beside the measurements: notes, the row of takes, the report.
namespace heron::app {

namespace {

QString trouble_of(const Result<void>& done) { return done ? QString() : QString::fromStdString(done.error().message); }

}  // namespace

Result<run::StudyTemplate> Document::template_of(long long id) {
  const auto* one = study(id);
  if (!one) return fail(Fault::usage, "There is no study to make a template of.");
  return run::template_of(*store_, *one);
}

Result<long long> Document::add_study(const run::StudyTemplate& from, long long assembly) {
  const auto id = run::add_study(*store_, from, assembly);
  reread_studies();
  emit studies_changed();
  return id;
}

void Document::set_study_note(long long id, const QString& note) {
  const auto* one = study(id);
  if (!one) return;
  const QString before = QString::fromStdString(one->note);
  if (before == note) return;
  const auto write = [this, id](const QString& text) {
    if (!done(store_->set_study_note(id, text.toStdString()), id)) return;
    reread_studies();
    emit studies_changed();
  };
  push(
      "Change the study's note", [write, note] { write(note); }, [write, before] { write(before); });
}

void Document::set_look(long long id, const nlohmann::json& look) {
  auto* one = find(id);
  if (one && !read_only() && store_->set_look(id, look)) one->look = look;
}

QString Document::device_note() {
  const auto note = store_ ? store_->device_note() : Result<std::string>();
  return note ? QString::fromStdString(*note) : QString();
}

void Document::set_device_note(const QString& note) {
  const QString before = device_note();
  if (before == note) return;
  const auto write = [this](const QString& text) {
    if (done(store_->set_device_note(text.toStdString()))) forget_devices();
  };
  push(
      "Change the device's note", [write, note] { write(note); }, [write, before] { write(before); });
}

void Document::set_unit_words(long long id, const QString& serial, const QString& note) {
  for (const auto& unit : units(dossier::kMainAssembly)) {
    if (unit.id != id) continue;
    const QString serial_before = QString::fromStdString(unit.serial), note_before = QString::fromStdString(unit.note);
    if (serial_before == serial && note_before == note) return;
    const auto write = [this, id](const QString& number, const QString& words) {
      if (done(store_->set_unit_words(id, number.toStdString(), words.toStdString()))) forget_devices();
    };
    push(
        "Change what is said of " + QString::fromStdString(unit.name), [=] { write(serial, note); }, [=] { write(serial_before, note_before); });
    return;
  }
}

std::vector<dossier::QueueItem> Document::queue() {
  auto items = store_ ? store_->queue() : Result<std::vector<dossier::QueueItem>>();
  if (!items) complain(items.error());
  return items.value_or(std::vector<dossier::QueueItem>{});
}

QString Document::set_queue(const std::vector<dossier::QueueItem>& items) { return trouble_of(store_->set_queue(items)); }

QString Document::set_queue_item(const dossier::QueueItem& item) { return read_only() ? QString() : trouble_of(store_->set_queue_item(item)); }

std::optional<nlohmann::json> Document::report() {
  const auto kept = store_ ? store_->report() : Result<std::optional<nlohmann::json>>();
  if (!kept) complain(kept.error());
  return kept ? *kept : std::nullopt;
}

QString Document::keep_report(const nlohmann::json& choice) { return trouble_of(store_->set_report(choice)); }

std::vector<dossier::ReportPicture> Document::pictures() {
  const auto kept = store_ ? store_->pictures() : Result<std::vector<dossier::ReportPicture>>();
  if (!kept) complain(kept.error());
  return kept.value_or(std::vector<dossier::ReportPicture>{});
}

QString Document::add_picture(const dossier::ReportPicture& picture) {
  const auto added = store_->add_picture(picture);
  if (!added) return QString::fromStdString(added.error().message);
  emit report_changed();
  return {};
}

QString Document::remove_picture(long long picture) {
  const QString trouble = trouble_of(store_->remove_picture(picture));
  emit report_changed();
  return trouble;
}

}  // namespace heron::app
