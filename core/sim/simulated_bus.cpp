#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "sim/device.h"
#include "sim/wired.h"

/// A bus of high voltage and the drivers of two gates.
namespace heron::sim {

Result<void> SimulatedBench::charge(const bench::BusSetup& s) {
  const auto& d = data_.bus;
  if (!(s.voltage >= 0 && s.voltage <= d.highest_voltage))
    return fail(Fault::bench, "The bus source reaches {}; {} is asked.", volts(d.highest_voltage), volts(s.voltage));
  if (auto ok = allow(s.pin, s.voltage, 0); !ok) return ok;
  change();
  bus_ = s;
  empties_ = false;
  return {};
}

Result<void> SimulatedBench::gates(const std::vector<bench::GateSetup>& setups) {
  const auto& d = data_.gate;
  if (setups.size() > std::size_t(d.outputs)) return fail(Fault::bench, "The gate driver has {} outputs; {} are asked.", d.outputs, setups.size());
  for (const auto& s : setups) {
    for (const auto& pin : {s.pin, s.against})
      if (const auto node = node_of(pin); !node) return tl::unexpected(node.error());
    if (!(s.low >= d.lowest && s.high <= d.highest && s.low < s.high))
      return fail(Fault::bench, "The gate driver goes from {} to {}; {} and {} are asked.", volts(d.lowest), volts(d.highest), volts(s.low), volts(s.high));
    if (!(s.on_resistance >= d.least_resistance && s.off_resistance >= d.least_resistance))
      return fail(Fault::bench, "The gate driver has {} of its own; less is asked.", format_setting(d.least_resistance, "ohm"));
    // A floating output's voltage is against its reference, as the gate's rating is.
    if (auto ok = allow(s.pin, s.high, -s.low); !ok) return ok;
    for (std::size_t k = 0; k < s.pulses.size(); ++k)
      if (!(s.pulses[k].second - s.pulses[k].first > 2 * d.edge) || !(s.pulses[k].first > (k > 0 ? s.pulses[k - 1].second + 2 * d.edge : 0)))
        return fail(Fault::bench, "Pulses of a gate come one after the other and last longer than their edges of {}.", format_setting(d.edge, "s"));
  }
  if (setups.size() == 2)
    for (const auto& a : setups[0].pulses)
      for (const auto& b : setups[1].pulses)
        if (a.first < b.second + d.least_dead_time && b.first < a.second + d.least_dead_time)
          return fail(Fault::bench, "Both gates would be on at once: {} and {} want {} between them.", setups[0].pin, setups[1].pin, format_setting(d.least_dead_time, "s"));
  change();
  gates_ = setups;
  gates_powered_ = true;
  return {};
}

void SimulatedBench::add_bus(Circuit& whole) const {
  const auto& d = data_.bus;
  const std::string pin = *node_of(bus_->pin), ground(kGround);
  if (empties_)
    whole.parts.push_back(make_part("bench:bus emptying", "resistor", {pin, ground}, {{"value", d.emptying}}));
  else
    whole.parts.push_back(make_part("bench:bus", "limited voltage", {pin, ground, pin, ground},
                                    {{"value", bus_->voltage}, {"current_limit", d.charge_current}, {"sink_limit", 0.02 * d.charge_current}, {"resistance", d.resistance}}));
  for (std::size_t k = 0; k < gates_.size(); ++k) {
    const auto& g = gates_[k];
    const std::string at = *node_of(g.pin), reference = *node_of(g.against), id = " " + std::to_string(k + 1);
    if (!gates_powered_) {
      whole.parts.push_back(make_part("bench:gate holding" + id, "resistor", {at, reference}, {{"value", data_.gate.holding}}));
      continue;
    }
    Part driver = make_part("bench:gate" + id, "gate driver", {at, reference},
                            {{"low", g.low}, {"high", g.high}, {"on_resistance", g.on_resistance}, {"off_resistance", g.off_resistance}});
    if (!g.pulses.empty()) {
      bench::Waveform wave{.shape = bench::Waveform::Shape::lines, .points = {{0, 0}}};
      for (const auto& [from, to] : g.pulses) wave.points.insert(wave.points.end(), {{from, 0}, {from + data_.gate.edge, 1}, {to, 1}, {to + data_.gate.edge, 0}});
      driver.wave = std::move(wave);
    }
    whole.parts.push_back(std::move(driver));
  }
}

Result<bench::SourceReading> SimulatedBench::read_bus(double aperture, std::stop_token stop) {
  if (!bus_) return fail(Fault::bench, "The bus source is not connected.");
  if (auto ok = wire(); !ok) return tl::unexpected(ok.error());
  const auto& d = data_.bus;
  const auto truth = means_over(wired_->network.node(*node_of(bus_->pin)), wired_->network.node(std::string(kGround)), -1, aperture, stop);
  elapsed_ += aperture;
  if (!truth) return tl::unexpected(truth.error());
  keep_pace(stop);
  return reading_of(*truth, {d.u_gain, d.u_offset, d.noise, 0, 0, 0}, aperture, 2400);
}

}  // namespace heron::sim
