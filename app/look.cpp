#include "look.h"

#include <QSettings>
#include <array>
#include <cmath>
#include <utility>

namespace heron::app {
namespace {

using nlohmann::json;

constexpr std::array<std::pair<Look::Against, const char*>, 4> kAgainst = {{{Look::Against::nothing, "nothing"},
                                                                           {Look::Against::ratio, "ratio"},
                                                                           {Look::Against::difference, "difference"},
                                                                           {Look::Against::spread, "spread"}}};

bool begins(const char* key) { return QSettings().value(QString("look/") + key, true).toBool(); }

std::optional<double> place(const json& kept, const char* letter) {
  const auto at = kept.find(letter);
  if (at == kept.end() || !at->is_number() || !std::isfinite(at->get<double>())) return std::nullopt;
  return at->get<double>();
}

}  // namespace

Look::Look(QObject* parent) : QObject(parent) { take_up(json::object(), false); }

void Look::begin_so() const {
  QSettings settings;
  settings.setValue("look/db", in_db_);
  settings.setValue("look/unwrapped", unwrapped_);
  settings.setValue("look/logarithmic", logarithmic_);
  settings.setValue("look/expected", expected_);
}

json Look::kept() const {
  json out = {{"db", in_db_}, {"unwrapped", unwrapped_}, {"logarithmic", logarithmic_}, {"expected", expected_}};
  for (const auto& [what, name] : kAgainst)
    if (what == against_ && what != Against::nothing) out["against"] = name;
  if (!lens_.isEmpty()) out["lens"] = lens_.toStdString();
  if (a_) out["A"] = *a_;
  if (b_) out["B"] = *b_;
  return out;
}

void Look::take_up(const json& kept, bool keep_cursors) {
  const auto on = [&](const char* key) {
    const auto at = kept.find(key);
    return at != kept.end() && at->is_boolean() ? at->get<bool>() : begins(key);
  };
  in_db_ = on("db");
  unwrapped_ = on("unwrapped");
  logarithmic_ = on("logarithmic");
  expected_ = on("expected");
  against_ = Against::nothing;
  if (const auto at = kept.find("against"); at != kept.end())
    for (const auto& [what, name] : kAgainst)
      if (*at == name) against_ = what;
  const auto lens = kept.find("lens");
  lens_ = lens != kept.end() && lens->is_string() ? QString::fromStdString(lens->get<std::string>()) : QString();
  const auto a = place(kept, "A"), b = place(kept, "B");
  if (a || b || !keep_cursors) {
    a_ = a;
    b_ = b;
  }
  emit changed();
  emit cursors_changed();
}

void Look::set_cursor(char letter, std::optional<double> frequency) {
  auto& cursor = letter == 'A' ? a_ : b_;
  if (cursor == frequency) return;
  cursor = frequency;
  emit cursors_changed();
}

void Look::set_lens(const QString& title) {
  if (lens_ == title) return;
  lens_ = title;
  emit lens_changed();
}

void Look::set_figure(const QString& key) {
  if (figure_ == key) return;
  figure_ = key;
  emit figure_changed();
}

}  // namespace heron::app
