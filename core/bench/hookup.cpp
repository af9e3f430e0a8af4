#include "bench/hookup.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/percent.h"
#include "base/quantity.h"

namespace heron::bench {
namespace {

using nlohmann::json;

constexpr const char* kFast = "fast";  ///< as it is kept
constexpr double kE12[] = {1.0, 1.2, 1.5, 1.8, 2.2, 2.7, 3.3, 3.9, 4.7, 5.6, 6.8, 8.2};

Result<double> number_in(const json& j, const char* key, double fallback, double low, double high) {
  if (!j.contains(key)) return fallback;
  if (!j[key].is_number()) return fail(Fault::input, "hookup: {}: a number is wanted.", key);
  const double v = j[key].get<double>();
  if (!(v >= low && v <= high)) return fail(Fault::input, "hookup: {}: {} lies outside {} to {}.", key, v, low, high);
  return v;
}

std::string text_in(const json& j, const char* key) {
  return j.contains(key) && j[key].is_string() ? j[key].get<std::string>() : std::string();
}

}  // namespace

const Chain* Hookup::find(std::string_view name) const {
  const auto it = std::find_if(chains.begin(), chains.end(), [&](const Chain& c) { return c.name == name; });
  return it == chains.end() ? nullptr : &*it;
}

std::optional<std::string> Hookup::unit_of(std::string_view name) const {
  if (const auto* chain = find(name)) return sensing_of(*chain).unit;
  for (const auto& one : computed)
    if (one.name == name) return one.unit;
  return std::nullopt;
}

json to_json(const Chain& c) {
  json out = {{"name", c.name}, {"pin", c.input.pin}, {"sensor", to_json(c.input.sensor)}};
  if (!c.input.against.empty()) out["against"] = c.input.against;
  if (c.input.range) out["range"] = *c.input.range;
  if (c.input.attenuation != 1) out["attenuation"] = c.input.attenuation;
  if (c.input.coupling == Coupling::ac) out["coupling"] = "ac";
  if (c.input.ohms != 1e6) out["ohms"] = c.input.ohms;
  if (!c.input.bandwidth_limit) out["bandwidth_limit"] = false;
  if (c.zero) out["zero"] = *c.zero;
  if (c.correction != 1) out["correction"] = c.correction;
  if (c.deskew != 0) out["deskew"] = c.deskew;
  if (c.input.planted) {
    json planted = json::object();
    if (c.input.planted->sensor) planted["sensor"] = to_json(*c.input.planted->sensor);
    if (!c.input.planted->pin.empty()) planted["pin"] = c.input.planted->pin;
    out["planted"] = planted;
  }
  return out;
}

Result<Chain> chain_from_json(const json& j) {
  if (!j.is_object()) return fail(Fault::input, "hookup: a chain is an object.");
  Chain c{.name = text_in(j, "name"), .input = {.pin = text_in(j, "pin"), .against = text_in(j, "against")}};
  if (j.contains("sensor")) {
    auto sensor = sensor_from_json(j["sensor"]);
    if (!sensor) return tl::unexpected(sensor.error());
    c.input.sensor = std::move(*sensor);
  } else {
    c.input.sensor = stock_sensors().front();
  }
  if (j.contains("range") && !j["range"].is_null()) {
    const auto range = number_in(j, "range", 1, 1e-6, 1e6);
    if (!range) return tl::unexpected(range.error());
    c.input.range = *range;
  }
  const struct {
    const char* key;
    double* into;
    double low, high;
  } numbers[] = {{"attenuation", &c.input.attenuation, 1e-3, 1e6},
                 {"ohms", &c.input.ohms, 50, 1e6},
                 {"correction", &c.correction, 0.5, 2},
                 {"deskew", &c.deskew, -1e-3, 1e-3}};
  for (const auto& n : numbers) {
    const auto v = number_in(j, n.key, *n.into, n.low, n.high);
    if (!v) return tl::unexpected(v.error());
    *n.into = *v;
  }
  if (c.input.ohms != 50 && c.input.ohms != 1e6) return fail(Fault::input, "hookup: ohms: an input has 50 or 1e6.");
  if (text_in(j, "coupling") == "ac") c.input.coupling = Coupling::ac;
  c.input.bandwidth_limit = !j.contains("bandwidth_limit") || j["bandwidth_limit"] != false;
  if (j.contains("zero")) {
    const auto zero = number_in(j, "zero", 0, -1e3, 1e3);
    if (!zero) return tl::unexpected(zero.error());
    c.zero = *zero;
  }
  if (j.contains("planted") && j["planted"].is_object()) {
    Planted planted{.pin = text_in(j["planted"], "pin")};
    if (j["planted"].contains("sensor")) {
      auto sensor = sensor_from_json(j["planted"]["sensor"]);
      if (!sensor) return tl::unexpected(sensor.error());
      planted.sensor = std::move(*sensor);
    }
    c.input.planted = planted;
  }
  return c;
}

Result<std::vector<Computed>> computed_from_json(const json& list) {
  std::vector<Computed> out;
  if (!list.is_array()) return fail(Fault::input, "hookup: computed: a list is wanted.");
  for (const auto& entry : list) {
    if (!entry.is_object()) return fail(Fault::input, "hookup: computed: {} has no formula.", entry.dump().substr(0, 40));
    out.push_back({text_in(entry, "name"), text_in(entry, "unit"), text_in(entry, "formula")});
  }
  return out;
}

json to_json(const Hookup& hookup) {
  json chains = json::array(), computed = json::array();
  for (const auto& c : hookup.chains) chains.push_back(to_json(c));
  for (const auto& c : hookup.computed)
    computed.push_back({{"name", c.name}, {"unit", c.unit}, {"formula", c.formula}});
  json out = {{"chains", chains}, {"computed", computed}};
  if (hookup.digitiser == Digitiser::fast) out["digitiser"] = kFast;
  return out;
}

Result<Hookup> hookup_from_json(const json& j) {
  Hookup out;
  if (!j.is_object()) return fail(Fault::input, "hookup: an object with chains is wanted.");
  for (const auto& entry : j.value("chains", json::array())) {
    auto chain = chain_from_json(entry);
    if (!chain) return tl::unexpected(chain.error());
    out.chains.push_back(std::move(*chain));
  }
  auto computed = computed_from_json(j.value("computed", json::array()));
  if (!computed) return tl::unexpected(computed.error());
  out.computed = std::move(*computed);
  if (const auto which = j.find("digitiser"); which != j.end()) {
    if (*which != kFast) return fail(Fault::input, "hookup: the digitiser is {} or is not named.", kFast);
    out.digitiser = Digitiser::fast;
  }
  return out;
}

Sensing sensing_of(const Chain& c) {
  const auto& s = c.input.sensor;
  return {.unit = std::string(s.unit()),
          .per_volt = c.correction * c.input.attenuation / s.factor,
          .zero = c.zero.value_or(0),
          .delay = s.delay + c.deskew,
          .bandwidth = s.bandwidth,
          .low_corner = s.low_corner,
          .u_factor = s.u_factor,
          .u_bandwidth = s.u_bandwidth,
          .u_zero = c.zero ? 0.05 * s.offset : s.offset,
          .zeroed = c.zero.has_value() || s.offset == 0};
}

json to_json(const Sensing& s) {
  return {{"unit", s.unit},         {"per_volt", s.per_volt},       {"zero", s.zero},
          {"delay", s.delay},       {"bandwidth", s.bandwidth},     {"low_corner", s.low_corner},
          {"u_factor", s.u_factor}, {"u_bandwidth", s.u_bandwidth}, {"u_zero", s.u_zero},
          {"zeroed", s.zeroed}};
}

Result<Sensing> sensing_from_json(const json& j) {
  if (!j.is_object()) return fail(Fault::input, "sensing: an object is wanted");
  Sensing s;
  const std::pair<const char*, double*> numbers[] = {
      {"per_volt", &s.per_volt},     {"zero", &s.zero},         {"delay", &s.delay},
      {"bandwidth", &s.bandwidth},   {"low_corner", &s.low_corner}, {"u_factor", &s.u_factor},
      {"u_bandwidth", &s.u_bandwidth}, {"u_zero", &s.u_zero}};
  for (const auto& [key, into] : numbers) {
    const auto it = j.find(key);
    if (it == j.end()) continue;
    if (!it->is_number()) return fail(Fault::input, "sensing: {} is no number", key);
    *into = it->get<double>();
  }
  if (const auto it = j.find("unit"); it != j.end()) {
    if (!it->is_string()) return fail(Fault::input, "sensing: its unit is no text");
    s.unit = it->get<std::string>();
  }
  if (const auto it = j.find("zeroed"); it != j.end()) {
    if (!it->is_boolean()) return fail(Fault::input, "sensing: zeroed is neither true nor false");
    s.zeroed = it->get<bool>();
  }
  return s;
}

std::complex<double> response_of(const Sensing& s, double f) {
  using Complex = std::complex<double>;
  Complex h = std::polar(1.0, -2 * std::numbers::pi * f * s.delay);
  if (s.bandwidth > 0) h /= Complex(1, f / s.bandwidth);
  if (s.low_corner > 0) h *= Complex(0, f / s.low_corner) / Complex(1, f / s.low_corner);
  return h;
}

ChainSummary summarise(const Chain& c, const InputLimits& limits) {
  const auto& in = c.input;
  const auto& s = in.sensor;
  ChainSummary out;
  out.per_volt = c.correction * in.attenuation / s.factor;
  out.unit = std::string(s.unit());
  out.codes = s.reads_codes();
  const double range = in.range.value_or(limits.ranges.empty() ? 50 : limits.ranges.back());
  out.full_scale = range * out.per_volt;
  out.one_count = out.full_scale / double(1 << (limits.bits - 1));
  const double own = in.bandwidth_limit ? limits.bandwidth : limits.full_bandwidth;
  out.bandwidth = s.bandwidth > 0 ? 1 / std::hypot(1 / own, 1 / s.bandwidth) : own;
  out.delay = s.delay + c.deskew;
  const double input_harm = (in.ohms < 1e3 ? limits.highest_50 : limits.highest) * in.attenuation / s.factor;
  out.harm = input_harm;
  out.harm_of = "the input";
  if (s.rating > 0 && s.rating < out.harm) {
    out.harm = s.rating;
    out.harm_of = s.kind == SensorKind::direct ? "the input" : "the sensor";
  }
  switch (s.kind) {
    case SensorKind::direct:
      out.loading_ohms = in.ohms;
      out.loading_farads = limits.capacitance;
      break;
    case SensorKind::probe:
    case SensorKind::differential:
    case SensorKind::isolated:
      out.loading_ohms = s.resistance;
      out.loading_farads = s.capacitance;
      break;
    case SensorKind::shunt:
      out.loading_ohms = s.resistance;
      break;
    default:
      break;
  }
  return out;
}

std::string headroom_text(const ChainSummary& s, std::optional<double> expected, std::optional<double> range) {
  const auto q = [&](double v) { return format_setting(rounded_to(v, 2), s.unit); };
  if (s.codes) return expected ? fmt::format("expects {} peak, in codes of the device's converter", q(*expected)) : "codes of the device's converter";
  std::string out = expected ? fmt::format("expects {} peak", q(*expected)) : "expected level not known";
  if (expected && range) out += fmt::format(", uses {} of the range", in_percent(*expected / *range));
  if (!range) out += ", finds its range by itself";
  out += fmt::format(", clips at {}, is harmed at {}", format_setting(s.full_scale, s.unit),
                     format_setting(s.harm, s.unit));
  return out;
}

std::vector<std::string> chain_troubles(const Chain& c) {
  std::vector<std::string> out;
  const auto& s = c.input.sensor;
  if (!c.input.against.empty() && (s.kind == SensorKind::direct || s.kind == SensorKind::probe))
    out.push_back(
        fmt::format("A {} has its other end on ground; between {} and {} a differential or isolated probe is "
                    "needed.",
                    sensor_kind_text(s.kind), c.input.pin, c.input.against));
  if (s.kind != SensorKind::direct && s.wants_ohms != c.input.ohms &&
      (s.wants_ohms < 1e3 || s.kind == SensorKind::probe))
    out.push_back(fmt::format("{} states its factor for {}; the input is set to {}.", s.name,
                              s.wants_ohms < 1e3 ? "50 ohm" : "1 Mohm", c.input.ohms < 1e3 ? "50 ohm" : "1 Mohm"));
  if (s.reads_codes() && (!c.input.against.empty() || c.input.attenuation != 1 || c.input.coupling == Coupling::ac))
    out.push_back("Codes are read as they are: no other pin, attenuator or coupling has a part in it.");
  if (c.input.coupling == Coupling::ac && c.input.ohms < 1e3)
    out.push_back("AC coupling into 50 ohm has its corner above 100 kHz; use the 1-megohm input.");
  return out;
}

Result<std::vector<std::vector<double>>> compute_channels(const std::vector<Computed>& computed,
                                                          const std::vector<std::string>& names,
                                                          const std::vector<std::vector<double>>& samples,
                                                          const std::vector<std::pair<std::string, double>>& parts) {
  std::vector<std::string> known = names;
  std::vector<const std::vector<double>*> rows;
  for (const auto& s : samples) rows.push_back(&s);
  std::vector<std::vector<double>> out;
  out.reserve(computed.size());
  for (const auto& c : computed) {
    if (!formula_name(c.name))
      return fail(Fault::input, "\"{}\" cannot be a channel's name; use letters, digits and _.", c.name);
    if (std::find(known.begin(), known.end(), c.name) != known.end())
      return fail(Fault::input, "The name {} is taken by another channel.", c.name);
    auto all = known;
    for (const auto& [name, value] : parts)
      if (std::find(all.begin(), all.end(), name) == all.end() && formula_name(name)) all.push_back(name);
    const auto formula = Formula::read(c.formula, all);
    if (!formula) return fail(Fault::input, "{}: {}", c.name, formula.error().message);
    std::vector<double> values(all.size());
    for (std::size_t k = known.size(); k < all.size(); ++k)
      for (const auto& [name, value] : parts)
        if (name == all[k]) values[k] = value;
    const std::size_t n = rows.empty() ? 0 : rows.front()->size();
    std::vector<double> row(n);
    for (std::size_t i = 0; i < n; ++i) {
      for (std::size_t k = 0; k < rows.size(); ++k) values[k] = (*rows[k])[i];
      row[i] = (*formula)(values);
    }
    out.push_back(std::move(row));
    known.push_back(c.name);
    rows.push_back(&out.back());
  }
  return out;
}

Result<SenseProposal> propose_sense_resistor(double current, double allowed_drop, const InputLimits& limits) {
  if (!(current > 0) || !std::isfinite(current)) return fail(Fault::input, "The expected current must be above zero.");
  if (!(allowed_drop > 0) || !std::isfinite(allowed_drop))
    return fail(Fault::input, "The voltage that may be spent must be above zero.");
  const double most = allowed_drop / current;
  const double decade = std::pow(10, std::floor(std::log10(most) + 1e-12));
  double best = decade * kE12[0];
  for (const double e : kE12)
    if (e * decade <= most * (1 + 1e-9)) best = e * decade;
  SenseProposal out{.resistance = best, .drop = best * current, .dissipation = best * current * current};
  // Room for a fifth above what is expected.
  const auto range =
      std::find_if(limits.ranges.begin(), limits.ranges.end(), [&](double r) { return r >= 1.2 * out.drop; });
  if (range == limits.ranges.end())
    return fail(Fault::input, "A drop of {} is above every range of the input; allow less.",
                format_setting(out.drop, "V"));
  out.range = *range;
  out.range_share = out.drop / out.range;
  out.one_count = out.range / double(1 << (limits.bits - 1)) / best;
  return out;
}

FactorCheck check_factor(double read, double known, double u) {
  FactorCheck out{.read = read, .known = known, .ratio = read / known};
  const double off = out.ratio - 1;
  for (const double f : {0.01, 0.02, 0.05, 0.1, 0.5, 2.0, 10.0, 20.0, 50.0, 100.0})
    if (std::abs(out.ratio / f - 1) < 0.03 + 3 * u) out.likely_factor = f;
  if (std::abs(off) <= 2 * u)
    out.verdict =
        fmt::format("It reads {:+.2f} % off the known signal, within what both allow ({:.2f} %).", 100 * off, 200 * u);
  else if (out.likely_factor)
    out.verdict = fmt::format("It reads {:.4g} times the known signal: the factor set here is off by {:g}.", out.ratio,
                              *out.likely_factor);
  else
    out.verdict = fmt::format("It reads {:+.2f} % off the known signal, more than the {:.2f} % that both allow.",
                              100 * off, 200 * u);
  return out;
}

}  // namespace heron::bench
