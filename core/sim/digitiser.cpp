#include "sim/digitiser.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/random.h"

namespace heron::sim {

double fixed_error(std::uint64_t seed, std::uint64_t a, std::uint64_t b) {
  std::seed_seq seq{seed & 0xffffffffu, seed >> 32, a, b};
  std::mt19937_64 random(seq);
  return normal_deviate(random);
}

bench::ChannelRecord Digitiser::convert(const std::string& pin, std::size_t k, double range, bool filtered,
                                        const std::vector<double>& volts, const Disturbance& disturbance,
                                        std::mt19937_64& random) const {
  const auto range_index =
      std::uint64_t(std::find(data_.ranges.begin(), data_.ranges.end(), range) - data_.ranges.begin());
  const double gain = 1 + data_.u_gain * fixed_error(seed_, k, range_index);
  const double offset = data_.u_offset * range * fixed_error(seed_, 100 + k, range_index) + disturbance.offset;
  const double band = filtered ? data_.bandwidth : data_.full_bandwidth;
  const double own =
      std::hypot(data_.noise_density * std::sqrt(std::numbers::pi / 2 * band), data_.range_noise * range);
  const int half = 1 << (data_.bits - 1);
  bench::ChannelRecord record{.pin = pin,
                              .volts_per_count = range / half,
                              .range = range,
                              .lowest_count = -half,
                              .highest_count = half - 1,
                              .u_gain = data_.u_gain,
                              .u_delay = data_.u_delay,
                              .u_offset = data_.u_offset * range};
  record.counts.reserve(volts.size());
  const double noise = std::hypot(own, disturbance.noise);
  for (std::size_t i = 0; i < volts.size(); ++i) {
    const double v = volts[i] + (disturbance.series.empty() ? 0 : disturbance.series[i]);
    const double counts = (v * gain + offset + noise * normal_deviate(random)) / record.volts_per_count;
    record.counts.push_back(std::int16_t(std::lrint(std::clamp(counts, double(-half), double(half - 1)))));
  }
  return record;
}

Digitiser::Look Digitiser::next_range(const bench::ChannelRecord& seen) const {
  int peak = 0;
  bool clipped = false;
  for (const int c : seen.counts) {
    peak = std::max(peak, std::abs(c));
    clipped = clipped || c <= seen.lowest_count || c >= seen.highest_count;
  }
  double wanted = data_.ranges.back();
  if (clipped) {
    const auto above = std::upper_bound(data_.ranges.begin(), data_.ranges.end(), seen.range * 4.9);
    if (above != data_.ranges.end()) wanted = *above;
  } else {
    const double needed = 1.15 * peak * seen.volts_per_count;
    wanted = *std::find_if(data_.ranges.begin(), data_.ranges.end() - 1, [&](double r) { return needed <= r; });
  }
  return {wanted, wanted != seen.range && (clipped || peak < 64)};
}

}  // namespace heron::sim
