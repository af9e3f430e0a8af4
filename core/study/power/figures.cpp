#include "study/power/figures.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/power/steady.h"
#include "study/watched.h"

namespace heron::study::power {
namespace {

struct Named {
  const char *key, *label, *unit;
  bool of_phases = true;  ///< with three phases ".a" stands behind it
};
constexpr Named kNamed[] = {{"voltage.rms", "Voltage, rms", "V"},
                            {"current.rms", "Current, rms", "A"},
                            {"voltage.crest", "Crest factor of the voltage", "1"},
                            {"current.crest", "Crest factor of the current", "1"},
                            {"power.active", "Active power", "W"},
                            {"power.apparent", "Apparent power", "VA"},
                            {"power.reactive", "Reactive power", "var"},
                            {"power_factor", "Power factor", "1"},
                            {"power_factor.displacement", "Displacement factor", "1"},
                            {"angle.current", "Angle of the current", "deg"},
                            {"thd.voltage", "Distortion of the voltage", "%"},
                            {"thd.current", "Distortion of the current", "%"},
                            {"harmonic.margin", "Room to the class's limits", "%"},
                            {"harmonic.margin.at", "Harmonic with the least room", "1"},
                            {"angle.ab", "Angle from a to b", "deg", false},
                            {"angle.bc", "Angle from b to c", "deg", false},
                            {"angle.ca", "Angle from c to a", "deg", false},
                            {"sequence", "Sequence", "1", false},
                            {"unbalance.voltage", "Unbalance of the voltage", "%", false},
                            {"unbalance.current", "Unbalance of the current", "%", false},
                            {"frequency", "Frequency", "Hz", false},
                            {"inrush.peak.positive", "Highest current", "A"},
                            {"inrush.peak.negative", "Lowest current", "A"},
                            {"inrush.i2t", "Square of the current over time", "A2s"},
                            {"inrush.settled_after", "Settled after", "s"},
                            {"inrush.rms.max", "Largest rms of half a cycle", "A"},
                            {"steady.rms", "Steady current, rms", "A"},
                            {"idle.rms", "Current before, rms", "A"},
                            {"profile.mean", "Mean current", "A", false},
                            {"profile.peak", "Highest current", "A", false},
                            {"profile.sleep", "Sleep current", "A", false},
                            {"profile.active", "Active current", "A", false},
                            {"profile.charge", "Charge", "C", false},
                            {"profile.energy", "Energy", "J", false},
                            {"profile.life", "Life of the battery", "s", false},
                            {"profile.active.share", "Share of time active", "1", false},
                            {"profile.wake.count", "Wakes", "1", false},
                            {"profile.wake.charge", "Charge of a wake", "C", false}};

/// Without the phase at its end.
std::string_view without_phase(std::string_view key) {
  for (const char* phase : kPhases)
    if (const auto end = std::string(".") + phase; key.ends_with(end)) return key.substr(0, key.size() - end.size());
  return key;
}

/// The number in "harmonic.current.N"; nothing for another key.
std::optional<double> number_behind(std::string_view key, std::string_view begin) {
  if (!key.starts_with(begin)) return std::nullopt;
  const auto value = parse_value(key.substr(begin.size()), "1");
  return value && *value == std::round(*value) ? std::optional(*value) : std::nullopt;
}

/// Unit of what is no watch.
std::optional<std::string> plain_unit(std::string_view key) {
  for (const auto& n : kNamed)
    if (key == n.key || (n.of_phases && without_phase(key) == n.key)) return n.unit;
  const auto bare = without_phase(key);
  for (const auto& [begin, unit] : {std::pair{"harmonic.current.", "A"}, {"harmonic.voltage.", "V"}})
    if (const auto order = number_behind(bare, begin)) return *order >= 1 && *order <= kHighest ? std::optional<std::string>(unit) : std::nullopt;
  constexpr std::string_view kState = "profile.state.";
  if (key.starts_with(kState))
    for (const auto& [end, unit] : {std::pair{".level", "A"}, {".share", "1"}})
      if (key.ends_with(end)) {
        const auto number = number_behind(key.substr(0, key.size() - std::string_view(end).size()), kState);
        return number && *number >= 1 && *number <= 20 ? std::optional<std::string>(unit) : std::nullopt;
      }
  return std::nullopt;
}

constexpr double kFundamental = 0.01;  ///< of the mean square, below which a voltage has none worth the name

}  // namespace

Result<PowerRecordPtr> read_record(WaveformsPtr record, const Settings& settings, Method by_brief) {
  auto out = std::make_shared<PowerRecord>();
  out->method = settings.method.value_or(by_brief);
  auto wiring = wiring_of(*record, settings);
  if (!wiring) return tl::unexpected(wiring.error());
  out->wiring = std::move(*wiring);
  out->record = std::move(record);
  auto read = rows_of(*out->record, out->wiring, settings);
  if (!read) return tl::unexpected(read.error());
  out->cut = read->cut;
  auto& rows = read->values;
  const auto& time = out->record->traces.front()->time;
  if (!time.even()) return fail(Fault::input, "The times are not even to 0.1 %, which power wants: samples are missing, or were taken when something changed.");
  const auto voltages = out->wiring.voltages.size();
  if (out->method == Method::profile) {
    if (out->wiring.currents.size() != 1) return fail(Fault::input, "A profile is of one current; there {}.", out->wiring.currents.empty() ? "is none" : "are three");
    const auto& i = rows[voltages];
    out->profile = profile_of(i, time.step(), settings);
    if (voltages == 1) {
      double sum = 0;
      for (std::size_t k = 0; k < i.size(); ++k) sum += i[k] * rows.front()[k] / double(i.size());
      out->profile_power = sum;
    }
    return PowerRecordPtr(std::move(out));
  }
  out->measured = measure_rows(*out->record, out->wiring, *read);
  if (out->measured) {
    const auto& s = out->measured->statistics;
    if (std::norm(s.phasor.front().front()) / 2 < kFundamental * s.product.front().front())
      out->measured = tl::unexpected<std::string>("no fundamental is found: what alternates is less than a tenth of what stands still");
  }
  const double half = out->measured ? 0.5 / out->measured->statistics.frequency : settings.window;
  for (std::size_t k = voltages; k < rows.size(); ++k) {
    if (rows[k].size() < 8) continue;
    const double whole = double(rows[k].size() - 1) * time.step();
    out->inrush.emplace_back(std::move(rows[k]), read->start, time.step(), half, out->measured ? std::min(whole, 4 * half) : 0.05 * whole);
  }
  return PowerRecordPtr(std::move(out));
}

std::vector<FigureName> figure_names() {
  std::vector<FigureName> out;
  for (const auto& n : kNamed) out.push_back({n.label, n.key, n.unit});
  for (const auto& n : kNamed)
    if (n.of_phases)
      for (const char* phase : kPhases) out.push_back({fmt::format("{} {}", n.label, phase), fmt::format("{}.{}", n.key, phase), n.unit});
  for (const int order : {3, 5, 7}) {
    out.push_back({fmt::format("Harmonic {} of the current", order), fmt::format("harmonic.current.{}", order), "A"});
    out.push_back({fmt::format("Harmonic {} of the voltage", order), fmt::format("harmonic.voltage.{}", order), "V"});
  }
  return out;
}

Result<void> check_figure_key(std::string_view key) {
  if (watch_key(key) || plain_unit(key)) return {};
  return fail(Fault::usage, "There is no figure \"{}\" of power.", key);
}

std::optional<std::string> figure_unit(std::string_view key) {
  if (const auto watch = watch_key(key)) return watch->figure->unit;
  return plain_unit(key);
}

Result<Reading> figures_of(const PowerRecord& record, const Settings& settings, const std::vector<std::string>& asked) {
  Reading out;
  const bool three = record.wiring.phases() == 3;
  if (record.profile) {
    const auto& i = record.record->errors[record.wiring.currents.front().trace];
    add_profile(*record.profile, settings, i, record.profile_power, out);
  } else if (record.measured) {
    const auto& s = record.measured->statistics;
    out.figures.push_back({.key = "frequency", .label = "Frequency", .value = s.frequency, .unit = "Hz", .u = s.u_frequency > 0 ? std::optional(s.u_frequency) : std::nullopt});
    add_steady(*record.measured, settings, out);
  }
  for (std::size_t k = 0; k < record.inrush.size(); ++k) {
    const auto end = three ? std::string(".") + kPhases[k] : std::string(), of = three ? std::string(" ") + kPhases[k] : std::string();
    add_inrush(record.inrush[k], settings, record.record->errors[record.wiring.currents[k].trace], end, of, out);
  }
  const auto all = [&](std::size_t k) { return std::pair{std::size_t(0), record.record->traces[k]->size()}; };
  if (auto ok = read_watches(*record.record, settings.watches, all, out); !ok) return tl::unexpected(ok.error());
  for (const auto& key : asked) {
    if (out.find(key) || std::any_of(out.absent.begin(), out.absent.end(), [&](const Absent& a) { return a.key == key; })) continue;
    if (const auto watch = watch_key(key)) {
      out.absent.push_back({key, fmt::format("there is no watch \"{}\" among the settings", watch->watch), key});
      continue;
    }
    std::string why = "the record does not have it";
    if (record.profile)
      why = key.starts_with("profile.state.") ? "there are not so many states" : "a profile is read; the setting method reads by cycles";
    else if (key.starts_with("profile."))
      why = "it is read with method = profile";
    else if (!record.measured)
      why = record.measured.error();
    else if (key.starts_with("harmonic.margin") && settings.limits == LimitClass::none)
      why = "class is not set";
    else if (record.wiring.currents.empty())
      why = "there is no current";
    else if (record.wiring.voltages.empty())
      why = "there is no voltage";
    else if (three)
      why = fmt::format("with three phases it is read by phase: {}.a", key);
    else
      why = "there is one phase";
    out.absent.push_back({key, why, key});
  }
  return out;
}

}  // namespace heron::study::power
