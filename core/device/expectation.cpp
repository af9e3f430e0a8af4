#include "device/expectation.h"

#include <cmath>

#include "base/formula.h"

namespace heron::device {

using nlohmann::json;

Result<Expected> expect(const std::string& formula, const std::map<std::string, PartFact>& parts) {
  std::vector<std::string> names;
  std::vector<double> values, tolerances;
  for (const auto& [name, fact] : parts) {
    if (!formula_name(name)) continue;
    names.push_back(name);
    values.push_back(fact.value);
    tolerances.push_back(fact.tolerance);
  }
  const auto read = Formula::read(formula, names);
  if (!read) return tl::unexpected(read.error());
  Expected out{.value = (*read)(values)};
  if (!std::isfinite(out.value)) return fail(Fault::input, "The formula \"{}\" gives no finite number.", formula);
  double squares = 0;
  for (std::size_t k = 0; k < names.size(); ++k) {
    if (tolerances[k] == 0 || !read->uses(k)) continue;
    const double keep = values[k];
    values[k] = keep * (1 + tolerances[k]);
    const double above = (*read)(values);
    values[k] = keep * (1 - tolerances[k]);
    const double below = (*read)(values);
    values[k] = keep;
    const double half = 0.5 * std::abs(above - below);
    if (!std::isfinite(half)) continue;
    out.worst += half;
    squares += half * half / 3;
  }
  out.likely = std::sqrt(squares);
  return out;
}

std::span<const RatingField> rating_fields() {
  static constexpr RatingField all[] = {{"voltage", "V", "Voltage", &Rating::voltage},
                                        {"reverse_voltage", "V", "below 0", &Rating::reverse_voltage},
                                        {"current", "A", "Current", &Rating::current},
                                        {"reverse_current", "A", "reversed", &Rating::reverse_current},
                                        {"power", "W", "Power", &Rating::power},
                                        {"temperature", "degC", "Temperature", &Rating::temperature},
                                        {"duration", "s", "Time", &Rating::duration}};
  return all;
}

json to_json(const Ratings& ratings) {
  json out = json::object();
  for (const auto& [name, r] : ratings) {
    json one = json::object();
    for (const auto& field : rating_fields())
      if (r.*field.member) one[field.key] = *(r.*field.member);
    out[name] = one;
  }
  return out;
}

Ratings ratings_from_json(const json& j) {
  Ratings out;
  if (!j.is_object()) return out;
  for (const auto& [name, one] : j.items()) {
    if (!one.is_object()) continue;
    Rating r;
    for (const auto& field : rating_fields())
      if (const auto it = one.find(field.key); it != one.end() && it->is_number() && it->get<double>() > 0)
        r.*field.member = it->get<double>();
    out[name] = r;
  }
  return out;
}

std::string unreadable_ratings(const json& j) {
  if (!j.is_object()) return "all of them";
  const auto read = to_json(ratings_from_json(j));
  for (const auto& [name, one] : j.items()) {
    if (!one.is_object()) return name;
    for (const auto& [field, value] : one.items())
      if (!read.at(name).contains(field) || read.at(name).at(field) != value) return name + ": " + field;
  }
  return {};
}

json to_json(const std::vector<Expectation>& expectations) {
  json out = json::array();
  for (const auto& e : expectations) out.push_back({{"name", e.name}, {"formula", e.formula}, {"unit", e.unit}});
  return out;
}

std::vector<Expectation> expectations_from_json(const json& j) {
  const auto text = [](const json& e, const char* key) {
    return e.contains(key) && e[key].is_string() ? e[key].get<std::string>() : std::string();
  };
  std::vector<Expectation> out;
  if (!j.is_array()) return out;
  for (const auto& e : j)
    if (e.is_object()) out.push_back({text(e, "name"), text(e, "formula"), text(e, "unit")});
  return out;
}

}  // namespace heron::device
