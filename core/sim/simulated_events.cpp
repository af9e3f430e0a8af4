#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include "base/quantity.h"
#include "sim/device.h"
#include "sim/simulated_bench.h"

/// What happens once: a DC source that is switched on, a surge, a contact that a person moves.
namespace heron::sim {

Result<void> SimulatedBench::supply(const bench::SupplySetup& s) {
  const auto& d = data_.supply;
  const auto volts = [](double v) { return format_setting(v, "V"); };
  if (!(s.voltage >= 0 && s.voltage <= d.highest_voltage) ||
      !(s.current_limit > 0 && s.current_limit <= d.highest_current))
    return fail(Fault::bench, "The DC source reaches {} and {}; {} and {} are asked.", volts(d.highest_voltage),
                format_setting(d.highest_current, "A"), volts(s.voltage), format_setting(s.current_limit, "A"));
  if (s.steps_to && !(*s.steps_to >= 0 && *s.steps_to <= d.highest_voltage)) return fail(Fault::bench, "The DC source reaches {}; {} is asked.", volts(d.highest_voltage), volts(*s.steps_to));
  if (s.steps_to && !(s.period > 4 * std::max(s.edge, d.rise_time))) return fail(Fault::bench, "The source's period is too short for edges of {}.", format_setting(std::max(s.edge, d.rise_time), "s"));
  if (auto ok = allow(s.pin, std::max(s.voltage, s.steps_to.value_or(0)), 0); !ok) return ok;
  change();
  supply_ = s;
  return {};
}

Result<void> SimulatedBench::mains(const bench::MainsSetup& s) {
  const auto& d = data_.mains;
  if (s.pins.size() != 1 && s.pins.size() != 3) return fail(Fault::bench, "The mains source has one phase or three, not {}.", s.pins.size());
  if (!(s.voltage >= 0 && s.voltage <= d.highest_voltage))
    return fail(Fault::bench, "The mains source reaches {} rms; {} is asked.", format_setting(d.highest_voltage, "V"), format_setting(s.voltage, "V"));
  if (!(s.frequency >= d.lowest_frequency && s.frequency <= d.highest_frequency))
    return fail(Fault::bench, "The mains source gives {} to {}; {} is asked.", format_setting(d.lowest_frequency, "Hz"), format_setting(d.highest_frequency, "Hz"),
                format_setting(s.frequency, "Hz"));
  if (!(s.resistance >= d.least_resistance && s.inductance >= 0))
    return fail(Fault::bench, "The line of the mains source has {} or more.", format_setting(d.least_resistance, "ohm"));
  if (!(std::abs(s.third) <= 0.5 && std::abs(s.fifth) <= 0.5)) return fail(Fault::bench, "The mains source's harmonics reach half of its fundamental.");
  double peak = s.voltage * std::numbers::sqrt2 * (1 + std::abs(s.third) + std::abs(s.fifth));
  if (s.carrier > 0) {
    if (!(s.carrier >= d.lowest_carrier && s.carrier <= d.highest_carrier && s.carrier >= 9 * s.frequency))
      return fail(Fault::bench, "The inverter switches at {} to {}, and nine times as fast as its voltage turns or more; {} is asked.", format_setting(d.lowest_carrier, "Hz"),
                  format_setting(d.highest_carrier, "Hz"), format_setting(s.carrier, "Hz"));
    if (!(s.bus <= d.highest_bus)) return fail(Fault::bench, "The inverter's bus reaches {}; {} is asked.", format_setting(d.highest_bus, "V"), format_setting(s.bus, "V"));
    if (s.third != 0 || s.fifth != 0) return fail(Fault::bench, "The inverter follows a sine alone; harmonics are the mains source's.");
    if (!(peak <= s.bus / 2))
      return fail(Fault::bench, "From a bus of {} an inverter gives {} rms and no more; {} is asked.", format_setting(s.bus, "V"), format_quantity(s.bus / 2 / std::numbers::sqrt2, "V", 3).plain(),
                  format_setting(s.voltage, "V"));
    peak = s.bus / 2;
  }
  for (const auto& pin : s.pins)
    if (auto ok = allow(pin, peak, peak); !ok) return ok;
  change();
  mains_ = s;
  return {};
}

Result<void> SimulatedBench::surge(const bench::SurgeSetup& s) {
  const auto& d = data_.surge;
  if (!(std::abs(s.peak) <= d.highest_voltage) || !(s.source_resistance >= d.least_resistance))
    return fail(Fault::bench, "The surge generator gives up to {} through {} or more; {} through {} is asked.",
                format_setting(d.highest_voltage, "V"), format_setting(d.least_resistance, "ohm"),
                format_setting(s.peak, "V"), format_setting(s.source_resistance, "ohm"));
  if (!(s.front >= d.shortest_front && s.tail >= bench::kShortestTail * s.front))
    return fail(Fault::bench, "A surge rises in {} or more and falls to half in no less than {} times that.",
                format_setting(d.shortest_front, "s"), bench::kShortestTail);
  if (auto ok = allow(s.pin, std::max(0.0, s.peak), std::max(0.0, -s.peak)); !ok) return ok;
  change();
  surge_ = s;
  return {};
}

Result<void> SimulatedBench::operate(const bench::ContactSetup& s) {
  const auto part = std::find_if(circuit_.parts.begin(), circuit_.parts.end(), [&](const Part& p) {
    return p.name == s.contact && p.kind == find_part_kind("contact");
  });
  if (part == circuit_.parts.end()) return fail(Fault::bench, "The device has no contact \"{}\".", s.contact);
  const auto before = contacts_.find(s.contact);
  const double was = before != contacts_.end() ? before->second.points.back().second
                                               : part->texts.at("rest") == "closed" ? 1.0 : 0.0;
  change();
  // It touches, leaves and touches again within its time to bounce, each time for longer.
  constexpr double kEdge = 1e-6;
  const double will = s.closed ? 1 : 0, bounce = part->values.at("bounce").value;
  Waveform wave{.shape = Waveform::Shape::lines, .delay = s.after};
  wave.points = {{0, was}, {kEdge, will}};
  if (was != will && bounce > 20 * kEdge) {
    std::uniform_real_distribution<double> share(0.1, 0.9);
    constexpr int kTouches = 4;
    for (int k = 0; k < kTouches; ++k) {
      const double from = std::max(wave.points.back().first + 2 * kEdge, bounce * (k + 0.5 * share(noise_)) / kTouches),
                   to = from + 2 * kEdge + 0.4 * bounce / kTouches * share(noise_);
      wave.points.insert(wave.points.end(), {{from, will}, {from + kEdge, was}, {to, was}, {to + kEdge, will}});
    }
  }
  contacts_[s.contact] = wave;
  return {};
}

/// Harmonics are sources in series; then the line, then the switch.
void SimulatedBench::add_mains(Circuit& whole) const {
  constexpr double kEdge = 1e-6;
  const auto& m = *mains_;
  const double peak = m.voltage * std::numbers::sqrt2, turn = 2 * std::numbers::pi;
  for (std::size_t p = 0; p < m.pins.size(); ++p) {
    const auto id = " " + std::to_string(p + 1);
    const double behind = turn / 3 * double(p) * (m.backwards ? -1 : 1);
    // The first voltage is a sine that stands at the angle when the switch closes.
    const double at = m.angle - turn * m.frequency * m.closes_after.value_or(0) - behind;
    std::string below(kGround);
    for (const auto& [order, share] : {std::pair{1, 1.0}, {3, m.third}, {5, m.fifth}}) {
      if (share == 0) continue;
      const auto above = "bench:mains " + std::to_string(order) + id;
      Part emf = make_part("bench:mains emf " + std::to_string(order) + id, "voltage source", {above, below}, {});
      const double phase = order * at - std::numbers::pi / 2;
      if (m.carrier > 0)
        emf.wave = bench::switched(peak, m.frequency, phase, m.bus, m.carrier, data_.mains.edge);
      else
        emf.wave = Waveform{.shape = Waveform::Shape::sine, .peak = peak * share, .frequency = order * m.frequency, .phase = phase};
      whole.parts.push_back(std::move(emf));
      below = above;
    }
    const auto line = "bench:mains line" + id, end = "bench:mains end" + id;
    whole.parts.push_back(make_part("bench:mains resistance" + id, "resistor", {below, line}, {{"value", m.resistance}}));
    whole.parts.push_back(make_part("bench:mains inductance" + id, "inductor", {line, end}, {{"value", std::max(m.inductance, 1e-9)}}));
    if (m.carrier > 0) whole.parts.push_back(make_part("bench:mains damping" + id, "resistor", {line, end}, {{"value", data_.mains.damping}}));
    Part closes = make_part("bench:mains switch" + id, "contact", {end, *node_of(m.pins[p])}, {{"value", 1e-3}});
    closes.texts["rest"] = m.closes_after ? "open" : "closed";
    if (m.closes_after) closes.wave = Waveform{.shape = Waveform::Shape::lines, .points = {{0, 0}, {kEdge, 1}}, .delay = *m.closes_after};
    whole.parts.push_back(std::move(closes));
    if (p == 0) whole.branches.try_emplace(std::string(bench::kDriveLead), Branch{"bench:mains resistance" + id, 0});
  }
}

void SimulatedBench::add_events(Circuit& whole) const {
  if (supply_) {
    const std::string pin = *node_of(supply_->pin), against = *node_of(supply_->against);
    const bool sensed = supply_->sensed;
    if (!sensed) {
      whole.parts.push_back(make_part("bench:supply lead out", "resistor", {kSupplyHigh, pin}, {{"value", data_.supply.lead_resistance}}));
      whole.parts.push_back(make_part("bench:supply lead back", "resistor", {kSupplyLow, against}, {{"value", data_.supply.lead_resistance}}));
    }
    const std::string high = sensed ? pin : kSupplyHigh, low = sensed ? against : kSupplyLow;
    Part source = make_part(kSupply, "limited voltage", {high, low, high, low},
                            {{"value", supply_->voltage},
                             {"current_limit", supply_->current_limit},
                             {"sink_limit", 0.01 * supply_->current_limit},
                             {"resistance", data_.supply.output_resistance}});
    if (supply_->rises_after) {
      source.wave = Waveform{.shape = Waveform::Shape::lines, .delay = *supply_->rises_after};
      source.wave->points = {{0, 0}, {data_.supply.rise_time, supply_->voltage}};
    }
    if (supply_->steps_to) source.wave = bench::to_and_fro(supply_->voltage, *supply_->steps_to, supply_->period, std::max(supply_->edge, data_.supply.rise_time));
    whole.parts.push_back(std::move(source));
  }
  if (mains_) add_mains(whole);
  if (bus_) add_bus(whole);
  if (surge_) {
    Part emf = make_part("bench:surge", "voltage source", {"bench:surge emf", std::string(kGround)}, {});
    emf.wave = bench::surge(surge_->peak, surge_->front, surge_->tail, surge_->after);
    whole.parts.push_back(std::move(emf));
    whole.parts.push_back(make_part("bench:surge resistance", "resistor", {"bench:surge emf", *node_of(surge_->pin)},
                                    {{"value", surge_->source_resistance}}));
    whole.branches.try_emplace(std::string(bench::kDriveLead), Branch{"bench:surge resistance", 0});
  }
  for (auto& part : whole.parts)
    if (const auto moved = contacts_.find(part.name); moved != contacts_.end()) part.wave = moved->second;
}

void SimulatedBench::add_load(Circuit& whole) const {
  const std::string pin = *node_of(load_->pin), against = *node_of(load_->against);
  const bool sensed = load_->sensed;
  std::string low = against;
  if (!sensed) {
    whole.parts.push_back(make_part("bench:load lead out", "resistor", {pin, kLoadHigh}, {{"value", data_.load.lead_resistance}}));
    whole.parts.push_back(make_part("bench:load lead back", "resistor", {kLoadLow, against}, {{"value", data_.load.lead_resistance}}));
    low = kLoadLow;
  }
  const std::string in = "bench:load in", damped = "bench:load damped";
  whole.parts.push_back(make_part("bench:load capacitance", "capacitor", {in, damped}, {{"value", data_.load.capacitance}}));
  whole.parts.push_back(make_part("bench:load damping", "resistor", {damped, low}, {{"value", data_.load.damping}}));
  whole.parts.push_back(make_part(kLoadAmmeter, "voltage source", {sensed ? pin : kLoadHigh, in}, {}));
  Part part = make_part("bench:electronic load", "electronic load", {in, low}, {{"start_voltage", data_.load.start_voltage}, {"current_limit", data_.load.highest_current}});
  const char* mode = load_->mode == bench::LoadMode::current      ? "current"
                     : load_->mode == bench::LoadMode::resistance ? "resistance"
                                                                  : "power";
  part.texts["mode"] = mode;
  part.values[mode] = {load_->value, 0};
  if (load_->steps_to) part.wave = bench::to_and_fro(load_->value, *load_->steps_to, load_->period, std::max(load_->edge, data_.load.fastest_edge));
  whole.parts.push_back(std::move(part));
}

Result<void> SimulatedBench::tell(std::string_view quantity, double value) {
  if (!std::isfinite(value)) return fail(Fault::bench, "{} is told a number.", quantity);
  if (quantity == bench::kTemperature) {
    if (!(value > -200 && value < 400)) return fail(Fault::bench, "The device is held between -200 and 400 degC.");
    change();
    circuit_.temperature = value;
    return {};
  }
  const auto told = circuit_.told.find(std::string(quantity));
  if (told == circuit_.told.end()) return fail(Fault::bench, "The device is not told \"{}\".", quantity);
  for (auto& part : circuit_.parts)
    if (part.name == told->second.part) {
      const auto before = part.values[told->second.value];
      part.values[told->second.value] = {value, 0};
      const auto trouble = part.kind->check ? part.kind->check(part) : std::string();
      if (!trouble.empty() || !(value > 0)) {
        part.values[told->second.value] = before;
        return fail(Fault::bench, "{} cannot be {}{}{}.", quantity, format_setting(value, told->second.unit), trouble.empty() ? "" : ": ", trouble);
      }
    }
  change();
  return {};
}

}  // namespace heron::sim
