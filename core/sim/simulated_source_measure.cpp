#include <algorithm>
#include <cmath>

#include "base/random.h"
#include "sim/wired.h"

namespace heron::sim {

double SimulatedBench::own_error(std::uint64_t a, std::uint64_t b) {
  const auto [it, fresh] = own_errors_.try_emplace({a, b}, 0);
  if (fresh) it->second = fixed_error(seed_, a, b);
  return it->second;
}

Result<SimulatedBench::Means> SimulatedBench::means_over(int plus, int minus, int ammeter, double aperture, std::stop_token stop) {
  Means out;
  const double start = wired_->transient.time();
  const auto ok = run(
      aperture, aperture / 2,
      [&](const Step& step) {
        // Simpson over the step; past the aperture nothing counts.
        const double h = (std::min(step.to, start + aperture) - step.from) / aperture;
        for (const auto& [place, weight] : {std::pair{0.0, 1.0 / 6}, {0.5, 4.0 / 6}, {1.0, 1.0 / 6}}) {
          const double at = step.from + place * h * aperture;
          out.voltage += weight * h * (step.at(plus, at) - step.at(minus, at));
          out.current += weight * h * step.at(ammeter, at);
        }
      },
      stop);
  if (!ok) return tl::unexpected(ok.error());
  return out;
}

bench::SourceReading SimulatedBench::reading_of(const Means& truth, const Reads& r, double aperture, std::uint64_t instrument) {
  const double quieter = std::sqrt(kReadingTime / aperture);
  bench::SourceReading out;
  out.u_voltage_noise = r.noise_voltage * quieter;
  out.u_current_noise = r.noise_current * quieter;
  out.voltage = truth.voltage * (1 + r.u_gain_voltage * own_error(instrument, 0)) + r.u_offset_voltage * own_error(instrument, 1) + out.u_voltage_noise * normal_deviate(noise_);
  out.current = truth.current * (1 + r.u_gain_current * own_error(instrument, 2)) + r.u_offset_current * own_error(instrument, 3) + out.u_current_noise * normal_deviate(noise_);
  out.u_voltage_shared = std::hypot(r.u_gain_voltage * truth.voltage, r.u_offset_voltage);
  out.u_current_shared = std::hypot(r.u_gain_current * truth.current, r.u_offset_current);
  out.u_voltage_gain = r.u_gain_voltage;
  out.u_current_gain = r.u_gain_current;
  out.u_voltage = std::hypot(out.u_voltage_noise, out.u_voltage_shared);
  out.u_current = std::hypot(out.u_current_noise, out.u_current_shared);
  return out;
}

Result<bench::SourceReading> SimulatedBench::read_supply(double aperture, std::stop_token stop) {
  if (!supply_) return fail(Fault::bench, "The DC source is not on.");
  if (auto ok = wire(); !ok) return tl::unexpected(ok.error());
  const auto& d = data_.supply;
  auto& net = wired_->network;
  const auto means = means_over(net.node(supply_->sensed ? *node_of(supply_->pin) : kSupplyHigh), net.node(supply_->sensed ? *node_of(supply_->against) : kSupplyLow),
                                net.own_unknown(kSupply), aperture, stop);
  elapsed_ += aperture;
  if (!means) return tl::unexpected(means.error());
  auto out = reading_of(*means, {d.u_gain_voltage, d.u_offset_voltage, d.noise_voltage, d.u_gain_current, d.u_offset_current, d.noise_current}, aperture, 2200);
  out.at_compliance = means->current > 0.975 * supply_->current_limit;
  keep_pace(stop);
  return out;
}

Result<bench::SourceReading> SimulatedBench::read_load(double aperture, std::stop_token stop) {
  if (!load_) return fail(Fault::bench, "The electronic load is not on.");
  if (auto ok = wire(); !ok) return tl::unexpected(ok.error());
  const auto& d = data_.load;
  auto& net = wired_->network;
  const auto means = means_over(net.node(load_->sensed ? *node_of(load_->pin) : kLoadHigh), net.node(load_->sensed ? *node_of(load_->against) : kLoadLow), net.own_unknown(kLoadAmmeter), aperture, stop);
  elapsed_ += aperture;
  if (!means) return tl::unexpected(means.error());
  auto out = reading_of(*means, {d.u_gain_voltage, d.u_offset_voltage, d.noise_voltage, d.u_gain_current, d.u_offset_current, d.noise_current}, aperture, 2300);
  out.at_compliance = means->current > 0.975 * d.highest_current;
  keep_pace(stop);
  return out;
}

Result<bench::TemperatureReading> SimulatedBench::read_temperature(std::string_view place, std::stop_token stop) {
  const auto at = circuit_.temperatures.find(std::string(place));
  if (at == circuit_.temperatures.end()) return fail(Fault::bench, "The device has no place \"{}\" whose temperature could be read.", place);
  if (auto ok = wire(); !ok) return tl::unexpected(ok.error());
  const auto& d = data_.thermometer;
  const int node = wired_->network.node(at->second);
  const auto means = means_over(node, Stamp::ground, node, d.reading_time, stop);
  elapsed_ += d.reading_time;
  if (!means) return tl::unexpected(means.error());
  constexpr double kReference = 25;
  constexpr std::uint64_t kInstrument = 2400;
  const double truth = circuit_.temperature + means->voltage, gain = d.u_gain * (truth - kReference);
  bench::TemperatureReading out{.u = std::hypot(gain, d.u_offset, d.noise)};
  out.value = truth + gain * own_error(kInstrument, 0) + d.u_offset * own_error(kInstrument, 1) + d.noise * normal_deviate(noise_);
  keep_pace(stop);
  return out;
}

Result<bench::SourceReading> SimulatedBench::measure(int channel, double delay, double aperture, std::stop_token stop) {
  const auto it = sources_.find(channel);
  if (it == sources_.end()) return fail(Fault::bench, "Channel {} is not on.", channel + 1);
  if (!(delay >= 0) || !(aperture > 0)) return fail(Fault::bench, "Delay and aperture must not be negative.");
  const auto& s = it->second;
  const auto& d = data_.source;
  if (auto ok = wire(); !ok) return tl::unexpected(ok.error());
  if (delay > 0)
    if (auto ok = run(delay, delay, {}, stop); !ok) return tl::unexpected(ok.error());
  auto& net = wired_->network;
  const std::string id = " " + std::to_string(channel);
  const int ammeter = net.own_unknown("bench:ammeter of" + id);
  const int plus = net.node(s.four_wire ? *node_of(s.pin) : "bench:force" + id),
            minus = net.node(s.four_wire ? *node_of(s.against) : "bench:return" + id);
  const auto means = means_over(plus, minus, ammeter, aperture, stop);
  elapsed_ += delay + aperture;
  if (!means) return tl::unexpected(means.error());
  const double v = means->voltage, i = means->current;

  const auto smallest = [](const auto& ranges, double value) {
    const auto r =
        std::find_if(ranges.begin(), ranges.end(), [&](double range) { return std::abs(value) <= 1.05 * range; });
    return std::size_t((r == ranges.end() ? ranges.end() - 1 : r) - ranges.begin());
  };
  const auto fixed = [&](const auto& ranges, const std::optional<double>& asked, double value) {
    return asked ? smallest(ranges, *asked / 1.05) : smallest(ranges, value);
  };
  const auto vr = fixed(d.voltage_ranges, s.voltage_range, v);
  const auto ir = fixed(d.current_ranges, s.current_range, std::max(std::abs(i), s.lowest_current_range / 1.05));
  bench::SourceReading out{.voltage_range = d.voltage_ranges[vr], .current_range = d.current_ranges[ir]};
  if (auto& last = source_ranges_[channel]; last != out.current_range) {
    last = out.current_range;
    elapsed_ += d.range_time;
  }
  const double noise = d.noise * std::sqrt(20e-3 / aperture);
  const auto read = [&](double truth, double range, std::uint64_t which, double& u, double& own, double& shared) {
    const double gain = d.u_gain * own_error(2000 + std::uint64_t(channel), which),
                 offset = d.u_offset * range * own_error(2100 + std::uint64_t(channel), which);
    own = noise * range;
    shared = std::hypot(d.u_gain * truth, d.u_offset * range);
    u = std::hypot(own, shared);
    // A fixed range too small for what is there shows its end.
    return std::clamp(truth * (1 + gain) + offset + noise * range * normal_deviate(noise_), -1.1 * range, 1.1 * range);
  };
  out.voltage = read(v, out.voltage_range, vr, out.u_voltage, out.u_voltage_noise, out.u_voltage_shared);
  out.current = read(i, out.current_range, 50 + ir, out.u_current, out.u_current_noise, out.u_current_shared);
  out.at_compliance =
      s.force == bench::Force::voltage ? std::abs(i) > 0.975 * s.compliance : std::abs(v) > 0.975 * s.compliance;
  keep_pace(stop);
  return out;
}

}  // namespace heron::sim
