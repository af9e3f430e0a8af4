#include <QFileInfo>

#include "base/quantity.h"
#include "document.h"
#include "exchange/csv_reader.h"
#include "run/units.h"

/// Edits of the device: its circuit, parts, ratings, units.
namespace heron::app {

void Document::forget_devices() {
  const auto assemblies = std::exchange(devices_, {});
  units_.clear();
  for (const auto& [assembly, device] : assemblies) emit device_changed(assembly);
}

void Document::write_device(long long assembly, const dossier::DeviceInfo& device) {
  if (done(store_->set_device(device, assembly))) forget_devices();
}

QString Document::change_device(long long assembly, const QString& text, const dossier::DeviceInfo& after) {
  push(
      text, [this, assembly, after] { write_device(assembly, after); },
      [this, assembly, before = device(assembly)->info] { write_device(assembly, before); });
  return {};
}

QString Document::set_fitted(long long assembly, const std::string& part, const QString& text) {
  const auto here = device(assembly);
  const auto* found = here->find_part(part);
  if (!found) return "There is no such part.";
  std::optional<double> value;
  double tolerance = 0;
  if (!text.trimmed().isEmpty()) {
    const auto pieces = QString(text).replace("+-", "\u00b1").split(QChar(0xb1));
    const auto read = parse_value(pieces[0].trimmed().toStdString(), found->unit);
    if (!read) return QString::fromStdString(read.error().message);
    if (!(*read > 0)) return "A part's value is above zero.";
    value = *read;
    if (pieces.size() > 1) {
      const auto percent = parse_value(pieces[1].trimmed().toStdString(), "%");
      if (!percent) return QString::fromStdString(percent.error().message);
      if (!(*percent >= 0 && *percent < 100)) return "What a measured value may be off by lies from 0 % to 100 %.";
      tolerance = *percent / 100;
    }
  }
  const auto& unit = here->unit;
  const auto it = unit.fitted.find(part);
  const std::optional<double> before = it == unit.fitted.end() ? std::nullopt : std::optional(it->second);
  const auto was = unit.fitted_tolerance.find(part);
  const double tolerance_before = was == unit.fitted_tolerance.end() ? 0 : was->second;
  if (before == value && tolerance == tolerance_before) return {};
  const auto write = [this, id = unit.id, part, assembly](std::optional<double> now, double off) {
    if (done(store_->set_fitted(id, part, now, off, assembly))) forget_devices();
  };
  push(
      "Change a part value", [=] { write(value, tolerance); }, [=] { write(before, tolerance_before); });
  return {};
}

QString Document::set_rating(long long assembly, const std::string& name, const device::RatingField& field,
                             const QString& text) {
  const auto before = device(assembly)->info;
  auto after = before;
  auto& rating = after.ratings[name].*field.member;
  if (text.trimmed().isEmpty()) {
    rating = std::nullopt;
  } else {
    const auto read = parse_value(text.trimmed().toStdString(), field.unit);
    if (!read) return QString::fromStdString(read.error().message);
    if (!(*read > 0)) return "A rating is above zero; what is rated the other way has a column of its own.";
    rating = *read;
  }
  return after.ratings == before.ratings ? QString() : change_device(assembly, "Change a rating", after);
}

QString Document::set_expectations(long long assembly, const std::vector<device::Expectation>& expectations) {
  auto after = device(assembly)->info;
  if (expectations == after.expectations) return {};
  after.expectations = expectations;
  return change_device(assembly, "Change an expectation", after);
}

QString Document::rename_device(long long assembly, const QString& name, const QString& about) {
  if (!is_open()) return {};
  const auto before = device(assembly)->info;
  auto after = before;
  after.name = name.trimmed().toStdString();
  after.about = about.trimmed().toStdString();
  if (after.name == before.name && after.about == before.about) return {};
  if (after.name.empty()) return "A device needs a name.";
  return change_device(assembly, "Name the device", after);
}

QString Document::load_circuit(long long assembly, const QString& path) {
  const auto text = exchange::read_file(path.toStdString());
  if (!text) return QString::fromStdString(text.error().message);
  const auto title = run::check_circuit(*text, QFileInfo(path).fileName().toStdString());
  if (!title) return QString::fromStdString(title.error().message);
  auto after = device(assembly)->info;
  after.circuit = *text;
  if (after.about.empty()) after.about = *title;
  return change_device(assembly, "Load a circuit", after);
}

void Document::select_unit(long long unit) {
  const auto before = device(dossier::kMainAssembly)->unit.id;
  if (unit == before) return;
  push(
      "Choose a unit", [this, unit] { put_on_bench(unit); }, [this, before] { put_on_bench(before); });
}

void Document::put_on_bench(long long unit) {
  if (unit != device(dossier::kMainAssembly)->unit.id && done(store_->set_current_unit(unit))) forget_devices();
}

QString Document::add_unit(const QString& name) {
  std::vector<std::string> there;
  for (const auto& unit : units(dossier::kMainAssembly)) there.push_back(unit.name);
  const auto names = run::unit_names(name.toStdString(), there);
  if (!names) return QString::fromStdString(names.error().message);
  std::optional<long long> first;
  for (const auto& one : *names) {
    const auto id = store_->add_unit(one);
    if (!id) return QString::fromStdString(id.error().message);
    if (!first) first = *id;
  }
  forget_devices();
  select_unit(*first);
  emit studies_changed();
  return {};
}

}  // namespace heron::app
