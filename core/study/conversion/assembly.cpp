#include "study/conversion/assembly.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "signal/local.h"

namespace heron::study::conversion {
namespace {

constexpr std::size_t kBlocksOfReading = 16;

std::vector<double> column_of(const Record& table, const std::string& role) {
  const auto* c = table.find(role);
  return c ? c->values() : std::vector<double>();
}

TimesSaid times_said(const Settings& s) { return {s.start, s.step ? s.step : s.sample_rate ? std::optional(1 / *s.sample_rate) : std::nullopt, {}}; }

/// A mean over samples, with what they scatter by and how far the halves lie apart.
struct Averaged {
  double mean = 0, u = 0;
  double apart = 0;    ///< second half less first
  double u_apart = 0;  ///< of that, by how blocks follow each other: what drifts slowly does not count
  double noise = 0;    ///< of a sample
};
Result<Averaged> average(const Trace& trace) {
  std::vector<double> v(trace.size());
  if (auto ok = trace.read(0, v); !ok) return tl::unexpected(ok.error());
  Averaged out;
  if (v.empty()) return fail(Fault::input, "{} has no samples.", trace.name);
  for (const double x : v) out.mean += x / double(v.size());
  out.noise = signal::noise_of(v);
  const auto blocks = std::min(kBlocksOfReading, v.size());
  std::vector<double> means;
  double first = 0, second = 0, squares = 0;
  for (std::size_t b = 0; b < blocks; ++b) {
    const auto from = v.size() * b / blocks, to = v.size() * (b + 1) / blocks;
    double sum = 0;
    for (auto k = from; k < to; ++k) sum += v[k];
    means.push_back(sum / double(to - from));
    (2 * b < blocks ? first : second) += means.back();
  }
  const double half = double(blocks) / 2;
  out.apart = blocks > 1 ? second / std::floor(half) - first / std::ceil(half) : 0;
  for (const double m : means) squares += std::pow(m - out.mean, 2);
  if (blocks > 1) out.u = std::sqrt(squares / double(blocks - 1) / double(blocks));
  // Half the mean square of successive differences (von Neumann 1941).
  double successive = 0;
  for (std::size_t b = 1; b < blocks; ++b) successive += std::pow(means[b] - means[b - 1], 2);
  if (blocks > 1) out.u_apart = 2 * std::sqrt(successive / 2 / double(blocks - 1) / double(blocks));
  return out;
}

double number_or(const nlohmann::json& json, const char* key, double fallback) {
  const auto it = json.find(key);
  return it != json.end() && it->is_number() ? it->get<double>() : fallback;
}
std::optional<double> number_at(const nlohmann::json& json, const char* key) {
  const auto it = json.find(key);
  return it != json.end() && it->is_number() ? std::optional(it->get<double>()) : std::nullopt;
}

}  // namespace

nlohmann::json kept_reading(const bench::SourceReading& r) {
  return {{"voltage", r.voltage}, {"current", r.current}, {"u_voltage_noise", r.u_voltage_noise}, {"u_current_noise", r.u_current_noise},
          {"u_voltage_shared", r.u_voltage_shared}, {"u_current_shared", r.u_current_shared}, {"u_voltage_gain", r.u_voltage_gain}, {"u_current_gain", r.u_current_gain}, {"limited", r.at_compliance}};
}

nlohmann::json kept_warming(const Warming& w) {
  return {{"place", w.place}, {"times", w.times}, {"read", w.read}, {"u", w.u}, {"rests", w.rests}, {"by", w.by}};
}

nlohmann::json kept_watched(const Watched& w) {
  nlohmann::json out = {{"times", w.times}};
  for (const auto port : kAllPorts) out[std::string(port_name(port))] = w.read[std::size_t(port)];
  return out;
}

namespace {

std::vector<double> numbers_at(const nlohmann::json& json, std::string_view key) {
  const auto it = json.find(key);
  if (it == json.end() || !it->is_array() || !std::all_of(it->begin(), it->end(), [](const auto& v) { return v.is_number(); })) return {};
  return it->template get<std::vector<double>>();
}

/// Nothing where what is kept cannot be understood: no figure rests on it.
std::optional<Warming> warming_of(const nlohmann::json& about) {
  const auto it = about.find(kWarming);
  if (it == about.end() || !it->is_object()) return std::nullopt;
  Warming out{.place = {}, .times = numbers_at(*it, "times"), .read = numbers_at(*it, "read"), .u = number_or(*it, "u", 0), .rests = true, .by = number_or(*it, "by", 0)};
  if (const auto place = it->find("place"); place != it->end() && place->is_string()) out.place = place->get<std::string>();
  if (const auto rests = it->find("rests"); rests != it->end() && rests->is_boolean()) out.rests = rests->get<bool>();
  if (out.read.empty() || out.read.size() != out.times.size()) return std::nullopt;
  return out;
}

Watched watched_of(const nlohmann::json& about) {
  const auto it = about.find(kWatched);
  if (it == about.end() || !it->is_object()) return {};
  Watched out{.times = numbers_at(*it, "times")};
  for (const auto port : kAllPorts) {
    out.read[std::size_t(port)] = numbers_at(*it, port_name(port));
    if (out.read[std::size_t(port)].size() != out.times.size()) return {};
  }
  return out;
}

}  // namespace

Result<void> Assembly::add(const Point& point) {
  if (!point.setting.readable()) return fail(Fault::input, "Point {} does not say how it was taken.", point.index + 1);
  if (point.records.empty()) return add_readings(point);
  const auto& first = point.records.front();
  const bool stepped = point.setting.json().value(kStepped, false) || (first.sample_rate > 0 && !point.setting.json().contains(kLine));
  const bool table = first.sample_rate == 0 && !first.find("time") && !settings_.step && !settings_.sample_rate;
  if (table) {
    for (const auto& record : point.records)
      if (auto ok = add_table(record, point.index); !ok) return ok;
    return {};
  }
  if (!stepped && !first.find("time") && first.sample_rate > 0) return add_readings(point);
  for (std::size_t k = 0; k < point.records.size(); ++k) {
    const auto record = waveforms_of(point, times_said(settings_), "say how fast it was sampled, such as sample_rate=50kHz.", k);
    if (!record) return tl::unexpected(record.error());
    auto read = read_steps(*record, settings_, point.index, [this](const std::string& what) { return source(what); });
    if (!read) return tl::unexpected(read.error());
    rows_.insert(rows_.end(), (*read)->rows.begin(), (*read)->rows.end());
    records_.push_back(std::move(*read));
  }
  return {};
}

Result<void> Assembly::add_table(const Record& table, int index) {
  std::array<std::vector<double>, kPorts> values, own;
  std::size_t rows = 0;
  for (const auto port : kAllPorts) {
    const std::string role(port_name(port));
    const auto* c = table.find(role);
    if (!c) return fail(Fault::input, "Columns of vin, iin, vout and iout are needed; there is no {}.", role);
    values[std::size_t(port)] = c->values();
    own[std::size_t(port)] = column_of(table, "u_" + role);
    rows = values[std::size_t(port)].size();
  }
  for (const auto& c : table.channels)
    if (c.size() != rows) return fail(Fault::input, "The columns are not of one length.");
  if (rows == 0) return fail(Fault::input, "The table has no rows.");
  std::vector<std::tuple<Port, int, std::vector<double>>> shared;
  for (const auto port : kAllPorts)
    for (int n = 1; n <= kSharedColumns; ++n)
      if (auto of = column_of(table, shared_role(port_name(port), n)); !of.empty()) shared.emplace_back(port, n, std::move(of));
  const std::array<std::pair<std::string, std::optional<double> Row::*>, 4> said = {{{"line", &Row::line}, {"load", &Row::load}, {"frequency", &Row::frequency}, {"temperature", &Row::temperature}}};
  std::vector<std::vector<double>> settings;
  for (const auto& [role, member] : said) settings.push_back(column_of(table, role));
  for (std::size_t k = 0; k < rows; ++k) {
    Row row{.point = index};
    for (const auto port : kAllPorts) {
      auto& m = row.of(port);
      m.value = values[std::size_t(port)][k];
      if (!std::isfinite(m.value)) return fail(Fault::input, "{}: a number is wanted.", table.where(k));
      const auto& u = own[std::size_t(port)];
      if (u.empty()) continue;
      if (!(u[k] >= 0)) return fail(Fault::input, "{}: an uncertainty is not below zero; {} is.", table.where(k), u[k]);
      m.u = u[k];
    }
    for (const auto& [port, number, effects] : shared) {
      auto& m = row.of(port);
      m.shared.emplace_back(source(fmt::format("table {}", number)), effects[k]);
      // The whole of it is in u_NAME; what is not shared is left for the row itself.
      m.u = std::sqrt(std::max(0.0, m.u * m.u - effects[k] * effects[k]));
    }
    for (std::size_t n = 0; n < said.size(); ++n) {
      if (settings[n].empty()) continue;
      if (!std::isfinite(settings[n][k])) return fail(Fault::input, "{}: a number is wanted.", table.where(k));
      row.*said[n].second = settings[n][k];
    }
    rows_.push_back(std::move(row));
    evidence_.push_back({.point = index, .line = rows_.back().line_or_read(), .load = rows_.back().iout()});
  }
  return {};
}

Result<void> Assembly::add_readings(const Point& point) {
  const auto& about = point.setting.json();
  Evidence evidence{.point = point.index, .from_bench = true};
  evidence.sensed = about.value(kSensed, true);
  evidence.leads = number_or(about, kLeads, 0);
  evidence.agreed = about.value(kAgreed, true);
  evidence.passes = int(point.records.size());
  Row row{.line = number_at(about, kLine), .load = number_at(about, kLoad), .frequency = number_at(about, kFrequency), .temperature = number_at(about, kSurroundings), .point = point.index};
  evidence.line_set = row.line;
  evidence.switching = row.frequency;
  evidence.warming = warming_of(about);
  if (evidence.warming) row.warmth = evidence.warming->read.back();
  evidence.watched = watched_of(about);
  std::array<bool, kPorts> there{};
  std::array<std::optional<Measure>, kPorts> by_instrument;
  for (const auto& [key, voltage, current] : {std::tuple{kSupply, Port::vin, Port::iin}, {kLoadRead, Port::vout, Port::iout}}) {
    const auto it = about.find(key);
    if (it == about.end() || !it->is_object()) continue;
    const auto& r = *it;
    (voltage == Port::vin ? evidence.limited : evidence.load_limited) = r.value("limited", false);
    for (const auto& [port, name] : {std::pair{voltage, "voltage"}, {current, "current"}}) {
      Measure m{.value = number_or(r, name, NAN), .u = number_or(r, fmt::format("u_{}_noise", name).c_str(), 0)};
      if (!std::isfinite(m.value)) return fail(Fault::input, "Point {}: what its {} read cannot be understood.", point.index + 1, key);
      const double all = number_or(r, fmt::format("u_{}_shared", name).c_str(), 0), gain = number_or(r, fmt::format("u_{}_gain", name).c_str(), 0) * m.value;
      const auto says = [&](const char* what) { return source(fmt::format("{} {} {}", key, name, what)); };
      if (gain != 0) m.shared.emplace_back(says("gain"), gain);
      if (const double rest = std::sqrt(std::max(0.0, all * all - gain * gain)); rest > 0) m.shared.emplace_back(says("zero"), rest);
      by_instrument[std::size_t(port)] = m;
    }
  }
  std::vector<std::array<double, kPorts>> passes;
  for (std::size_t k = 0; k < point.records.size(); ++k) {
    const auto record = waveforms_of(point, times_said(settings_), {}, k);
    if (!record) return tl::unexpected(record.error());
    passes.emplace_back();
    for (const auto port : kAllPorts) {
      const auto at = trace_of(**record, port);
      if (!at) continue;
      const auto read = average(*(*record)->traces[*at]);
      if (!read) return tl::unexpected(read.error());
      passes.back()[std::size_t(port)] = read->mean;
      if (k + 1 < point.records.size()) continue;
      const auto& e = (*record)->errors[*at];
      auto& m = row.of(port);
      m = {.value = read->mean, .u = std::hypot(read->u, e.rounding.value_or(e.quantum > 0 ? left_of_rounding(e.quantum, read->noise) / std::numbers::sqrt2 : 0))};
      const auto name = [&](const char* what) { return source(fmt::format("{} {} {:.9g}", what, port_name(port), e.range.value_or(0))); };
      if (e.u_gain > 0) m.shared.emplace_back(name("gain"), e.u_gain * m.value);
      if (e.u_offset > 0) m.shared.emplace_back(name("offset"), e.u_offset);
      there[std::size_t(port)] = true;
      evidence.record = *record;
      if (const double off = read->u_apart > 0 ? std::abs(read->apart) / read->u_apart : 0; off > evidence.halves) {
        evidence.halves = off;
        evidence.halves_of = port;
        evidence.halves_by = read->apart;
      }
    }
  }
  if (passes.size() > 1)
    for (const auto port : kAllPorts) {
      const auto k = std::size_t(port);
      const double u = row.of(port).u, by = passes.back()[k] - passes[passes.size() - 2][k];
      if (there[k] && u > 0 && std::abs(by) / (std::sqrt(2.0) * u) > evidence.moved) {
        evidence.moved = std::abs(by) / (std::sqrt(2.0) * u);
        evidence.moved_of = port;
        evidence.moved_by = by;
      }
    }
  for (const auto port : kAllPorts) {
    const auto k = std::size_t(port);
    if (!there[k] && !by_instrument[k]) return fail(Fault::input, "Point {} has no {}.", point.index + 1, port_name(port));
    if (!there[k]) row.of(port) = *by_instrument[k];
  }
  // The source's own reading before its leads, an input's at the device: the difference is lost between.
  if (!evidence.sensed) {
    double lost = 0;
    bool known = false;
    for (const auto& [voltage, current] : {std::pair{Port::vin, Port::iin}, {Port::vout, Port::iout}})
      if (there[std::size_t(voltage)] && by_instrument[std::size_t(voltage)]) {
        lost += std::abs(by_instrument[std::size_t(voltage)]->value - row.at(voltage)) * std::abs(row.at(current));
        known = true;
      }
    if (known) evidence.lost_in_leads = lost;
  }
  evidence.line = row.line_or_read();
  evidence.load = row.iout();
  rows_.push_back(std::move(row));
  evidence_.push_back(std::move(evidence));
  return {};
}

}  // namespace heron::study::conversion
