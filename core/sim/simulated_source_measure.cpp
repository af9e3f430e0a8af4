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
  double v = 0, i = 0;
  const double start = wired_->transient.time();
  auto ok = run(
      aperture, aperture / 2,
      [&](const Step& step) {
        // Simpson over the step; past the aperture nothing counts.
        const double h = (std::min(step.to, start + aperture) - step.from) / aperture;
        for (const auto& [place, weight] : {std::pair{0.0, 1.0 / 6}, {0.5, 4.0 / 6}, {1.0, 1.0 / 6}}) {
          const double at = step.from + place * h * aperture;
          v += weight * h * (step.at(plus, at) - step.at(minus, at));
          i += weight * h * step.at(ammeter, at);
        }
      },
      stop);
  elapsed_ += delay + aperture;
  if (!ok) return tl::unexpected(ok.error());

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
