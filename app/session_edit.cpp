#include "session_edit.h"

#include <QFileInfo>

#include "judge/claim_words.h"
#include "session.h"
#include "sim/device.h"
#include "study/iv/brief.h"
#include "study/response/brief.h"

namespace heron::app {

using study::response::Plan;

/// A sensor of the user's own goes along whole, so that the dossier does not depend on her list.
std::string Session::with_own_sensor(const std::string& key, const QString& text) const {
  std::string typed = text.trimmed().toStdString();
  if (key.ends_with("sensor"))
    for (const auto& sensor : own_sensors_)
      if (sensor.name == typed) typed = bench::to_json(sensor).dump();
  return typed;
}

Result<nlohmann::json> Session::tried_on(const nlohmann::json& plan, const std::string& key,
                                         const QString& text) const {
  if (iv_plan_) {
    const auto before = study::iv::plan_from_json(plan);
    if (!before) return tl::unexpected(before.error());
    const auto after = study::iv::apply(*before, key, with_own_sensor(key, text), pins_);
    if (!after) return tl::unexpected(after.error());
    return study::iv::to_json(*after);
  }
  const auto before = study::response::plan_from_json(plan);
  if (!before) return tl::unexpected(before.error());
  const auto after = study::response::apply(*before, key, with_own_sensor(key, text), pins_);
  if (!after) return tl::unexpected(after.error());
  return study::response::to_json(*after);
}

QString Session::edit_brief(const std::string& key, const QString& text) {
  return edit_brief_words({{key, text.toStdString()}});
}

QString Session::edit_brief_words(const study::Edits& edits) {
  if (!study()) return "There is no study yet.";
  const auto before = plan_text();
  auto next = before;
  for (const auto& [key, text] : edits) {
    auto changed = tried_on(next, key, QString::fromStdString(text));
    if (!changed) return QString::fromStdString(changed.error().message);
    next = std::move(*changed);
  }
  if (before == next) return {};
  undo_.push(new SessionEdit(
      "Change the brief", [this, after = next] { write_plan(after); }, [this, before] { write_plan(before); }));
  return {};
}

void Session::write_settings(long long id, const study::SettingsText& text) {
  if (auto ok = store_->set_settings(id, text); !ok) return complain(ok.error());
  for (auto& s : studies_)
    if (s.id == id) s.settings = text;
  forget_views();
  expect();
  emit plan_changed();
  emit takes_changed();
  emit shown_changed();
}

void Session::judge_again() {
  forget_views();
  emit takes_changed();
  emit shown_changed();
}

void Session::put_claim(long long id, const judge::Claim& claim) {
  if (const auto added = store_->add_claim(id, claim); !added) return complain(added.error());
  judge_again();
}

/// By its words: undone and done again, a claim has another number.
void Session::take_claim(long long id, const std::string& text) {
  const auto all = store_->claims(id);
  if (!all) return complain(all.error());
  for (auto it = all->rbegin(); it != all->rend(); ++it)
    if (it->text == text) {
      if (auto ok = store_->remove_claim(it->id); !ok) return complain(ok.error());
      break;
    }
  judge_again();
}

void Session::put_mask(long long id, const judge::Mask& mask) {
  if (const auto added = store_->add_mask(id, mask); !added) return complain(added.error());
  reload_masks();
}

void Session::take_mask(long long id, const std::string& text) {
  const auto all = store_->masks(id);
  if (!all) return complain(all.error());
  for (auto it = all->rbegin(); it != all->rend(); ++it)
    if (it->text == text) {
      if (auto ok = store_->remove_mask(it->id); !ok) return complain(ok.error());
      break;
    }
  reload_masks();
}

void Session::reload_masks() {
  masks_.clear();
  if (const auto* s = study())
    if (auto masks = store_->masks(s->id)) masks_ = std::move(*masks);
  judge_again();
}

void Session::remove_mask(const judge::Mask& mask) {
  if (!study()) return;
  undo_.push(new SessionEdit(
      "Take a mask back", [this, id = study()->id, text = mask.text] { take_mask(id, text); },
      [this, id = study()->id, mask] { put_mask(id, mask); }));
}

QString Session::write_claim(const QString& line) {
  if (!study()) return "There is no study yet.";
  const auto mask = judge::understand_mask(line.toStdString());
  if (!mask) return QString::fromStdString(mask.error().message);
  if (*mask) {
    undo_.push(new SessionEdit(
        "Write a mask", [this, id = study()->id, one = **mask] { put_mask(id, one); },
        [this, id = study()->id, words = (*mask)->text] { take_mask(id, words); }));
    return {};
  }
  const auto claim = judge::understand_claim(line.toStdString(), *study::find_kind(study()->kind));
  if (!claim) return QString::fromStdString(claim.error().message);
  undo_.push(new SessionEdit(
      "Write a claim", [this, id = study()->id, claim = *claim] { put_claim(id, claim); },
      [this, id = study()->id, text = claim->text] { take_claim(id, text); }));
  return {};
}

void Session::add_claims(const std::vector<judge::Claim>& all) {
  if (!study() || all.empty()) return;
  undo_.push(new SessionEdit(
      all.size() == 1 ? "Write a claim" : "Write claims",
      [this, id = study()->id, all] {
        for (const auto& claim : all) put_claim(id, claim);
      },
      [this, id = study()->id, all] {
        for (const auto& claim : all) take_claim(id, claim.text);
      }));
}

void Session::remove_claim(const judge::Claim& claim) {
  if (!study()) return;
  undo_.push(new SessionEdit(
      "Take a claim back", [this, id = study()->id, text = claim.text] { take_claim(id, text); },
      [this, id = study()->id, claim] { put_claim(id, claim); }));
}

std::vector<judge::Claim> Session::claims() {
  if (!study()) return {};
  return store_->claims(study()->id).value_or(std::vector<judge::Claim>{});
}

QString Session::edit_setting(const std::string& key, const QString& typed) {
  if (!study()) return "There is no study yet.";
  const auto* kind = study::find_kind(study()->kind);
  const std::string text = typed.trimmed().toStdString();
  const auto before = study()->settings;
  auto after = before;
  if (text.empty()) {
    after.erase(key);
  } else {
    if (const auto ok = kind->check_setting(key, text); !ok) return QString::fromStdString(ok.error().message);
    after[key] = text;
  }
  if (after == before) return {};
  undo_.push(new SessionEdit(
      "Change how the study is read", [this, id = study()->id, after] { write_settings(id, after); },
      [this, id = study()->id, before] { write_settings(id, before); }));
  return {};
}

void Session::write_wake(std::optional<long long> take) {
  if (!study()) return;
  if (auto ok = store_->set_wake(study()->id, take); !ok) return complain(ok.error());
  studies_[study_].wake = take;
  emit takes_changed();
  emit shown_changed();
}

void Session::set_wake(std::optional<long long> take) {
  const auto before = wake();
  if (before == take) return;
  undo_.push(new SessionEdit(
      take ? "Pin the wake" : "Unpin the wake", [this, take] { write_wake(take); },
      [this, before] { write_wake(before); }));
}

void Session::write_note(long long take, const QString& note) {
  if (auto ok = store_->set_note(take, note.toStdString()); !ok) return complain(ok.error());
  for (auto& t : takes_)
    if (t.id == take) t.note = note.toStdString();
  emit takes_changed();
}

void Session::set_note(long long take, const QString& note) {
  QString before;
  for (const auto& t : takes_)
    if (t.id == take) before = QString::fromStdString(t.note);
  if (before == note) return;
  undo_.push(new SessionEdit(
      "Change the note", [this, take, note] { write_note(take, note); },
      [this, take, before] { write_note(take, before); }));
}

void Session::write_aside(long long take, bool aside) {
  if (auto ok = store_->set_aside(take, aside); !ok) return complain(ok.error());
  if (study()) newest_.erase(study()->id);
  reload_takes();
}

void Session::set_aside(long long take, bool aside) {
  undo_.push(new SessionEdit(
      aside ? "Lay the take aside" : "Judge the take again", [this, take, aside] { write_aside(take, aside); },
      [this, take, aside] { write_aside(take, !aside); }));
}

void Session::write_fitted(long long unit, const std::string& part, std::optional<double> value, double tolerance,
                           long long assembly) {
  if (auto ok = store_->set_fitted(unit, part, value, tolerance, assembly); !ok) return complain(ok.error());
  reload_device();
}

QString Session::set_fitted(const std::string& part, const QString& text) {
  const auto* found = circuit_.find(part);
  if (!found) return "There is no such part.";
  std::optional<double> value;
  double tolerance = 0;
  if (!text.trimmed().isEmpty()) {
    const auto pieces = QString(text).replace("+-", "\u00b1").split(QChar(0xb1));
    const auto read = parse_value(pieces[0].trimmed().toStdString(), found->kind->values.front().unit);
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
  const auto unit = unit_.id;
  const auto it = unit_.fitted.find(part);
  const std::optional<double> before = it == unit_.fitted.end() ? std::nullopt : std::optional(it->second);
  const auto was = unit_.fitted_tolerance.find(part);
  const double tolerance_before = was == unit_.fitted_tolerance.end() ? 0 : was->second;
  if (before == value && tolerance == tolerance_before) return {};
  undo_.push(new SessionEdit(
      "Change a part value", [=, this, at = assembly()] { write_fitted(unit, part, value, tolerance, at); },
      [=, this, at = assembly()] { write_fitted(unit, part, before, tolerance_before, at); }));
  return {};
}

QString Session::set_rating(const std::string& name, const device::RatingField& field, const QString& text) {
  auto after = device_;
  auto& rating = after.ratings[name].*field.member;
  if (text.trimmed().isEmpty()) {
    rating = std::nullopt;
  } else {
    const auto read = parse_value(text.trimmed().toStdString(), field.unit);
    if (!read) return QString::fromStdString(read.error().message);
    if (!(*read > 0)) return "A rating is above zero; what is rated the other way has a column of its own.";
    rating = *read;
  }
  if (after.ratings == device_.ratings) return {};
  undo_.push(new SessionEdit(
      "Change a rating", [this, after, at = assembly()] { write_device(after, at); },
      [this, before = device_, at = assembly()] { write_device(before, at); }));
  return {};
}

QString Session::set_expectations(const std::vector<device::Expectation>& expectations) {
  if (expectations == device_.expectations) return {};
  auto after = device_;
  after.expectations = expectations;
  undo_.push(new SessionEdit(
      "Change an expectation", [this, after, at = assembly()] { write_device(after, at); },
      [this, before = device_, at = assembly()] { write_device(before, at); }));
  return {};
}

void Session::select_unit(long long unit) {
  if (unit == unit_.id) return;
  const auto before = unit_.id;
  const auto set = [this](long long id) {
    if (auto ok = store_->set_current_unit(id); !ok) return complain(ok.error());
    reload_device();
  };
  undo_.push(new SessionEdit(
      "Choose a unit", [=] { set(unit); }, [=] { set(before); }));
}

QString Session::add_unit(const QString& name) {
  if (name.trimmed().isEmpty()) return "A unit needs a name, such as unit 12.";
  for (const auto& unit : units_)
    if (unit.name == name.trimmed().toStdString()) return "There is a unit of this name already.";
  const auto id = store_->add_unit(name.trimmed().toStdString());
  if (!id) return QString::fromStdString(id.error().message);
  reload_device();
  select_unit(*id);
  return {};
}

void Session::write_device(const dossier::DeviceInfo& device, long long assembly) {
  if (auto ok = store_->set_device(device, assembly); !ok) return complain(ok.error());
  reload_device();
}

QString Session::rename_device(const QString& name, const QString& about) {
  if (!is_open()) return {};
  auto after = device_;
  after.name = name.trimmed().toStdString();
  after.about = about.trimmed().toStdString();
  if (after.name == device_.name && after.about == device_.about) return {};
  if (after.name.empty()) return "A device needs a name.";
  undo_.push(new SessionEdit(
      "Name the device", [this, after, at = assembly()] { write_device(after, at); },
      [this, before = device_, at = assembly()] { write_device(before, at); }));
  return {};
}

QString Session::load_circuit(const QString& path) {
  const auto text = exchange::read_file(path.toStdString());
  if (!text) return QString::fromStdString(text.error().message);
  const auto circuit = sim::read_circuit(*text, QFileInfo(path).fileName().toStdString());
  if (!circuit) return QString::fromStdString(circuit.error().message);
  auto after = device_;
  after.circuit = *text;
  if (after.about.empty()) after.about = circuit->title;
  undo_.push(new SessionEdit(
      "Load a circuit", [this, after, at = assembly()] { write_device(after, at); },
      [this, before = device_, at = assembly()] { write_device(before, at); }));
  return {};
}

QString Session::add_study(const QString& name, const std::string& kind) {
  if (name.trimmed().isEmpty()) return "A study needs a name, such as Passband.";
  if (kind == "iv" && circuit_.pins.empty()) return "Load a circuit first: a pin to sweep is wanted.";
  Plan plan;
  if (!circuit_.pins.empty()) {
    // Pins that call themselves in and out, where there are such; else the first and the last.
    const auto called = [&](const char* word) -> std::optional<std::string> {
      std::optional<std::string> found;
      for (const auto& [pin, node] : circuit_.pins)
        if (QString::fromStdString(pin).split(' ').contains(word, Qt::CaseInsensitive)) found = pin;
      return found;
    };
    plan.drive_pin = called("in").value_or(circuit_.pins.begin()->first);
    plan.hookup = study::response::direct_hookup(plan.drive_pin, called("out").value_or(circuit_.pins.rbegin()->first));
    // Well inside the first pin's rating, so that a device not yet known is not hurt by the first take.
    if (const auto rating = circuit_.voltage_rating(plan.drive_pin))
      plan.level_pp = std::min(plan.level_pp, *rating / 10);
  }
  nlohmann::json text = study::response::to_json(plan);
  if (kind == "iv") {
    // Small, and well inside the pin's rating: the device is not yet known.
    const auto& pin = circuit_.pins.begin()->first;
    const auto rating = circuit_.ratings.find(pin);
    const double volts =
        rating != circuit_.ratings.end() && rating->second.voltage ? *rating->second.voltage / 10 : 0.5;
    text = study::iv::to_json({.sources = {{.name = pin,
                                            .pin = pin,
                                            .against = "",
                                            .role = study::iv::Role::swept,
                                            .values = {.start = 0, .stop = std::min(volts, 1.0), .points = 51},
                                            .compliance = 1e-3,
                                            .current_range = {}}},
                               .sensed = ""});
  }
  const auto id =
      store_->add_study({.name = name.trimmed().toStdString(), .kind = kind, .plan = text, .assembly = assembly()});
  if (!id) return QString::fromStdString(id.error().message);
  if (auto all = store_->studies()) studies_ = std::move(*all);
  study_ = studies_.size() - 1;
  shown_.reset();
  reload_study();
  return {};
}

}  // namespace heron::app
