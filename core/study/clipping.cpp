#include "study/clipping.h"

#include <algorithm>
#include <cmath>

namespace heron::study {

constexpr std::size_t kRun = 3;
constexpr double kMany = 0.05;

Result<AtEnds> at_ends(const Trace& trace, std::size_t first, std::size_t last_sample) {
  AtEnds out{.low = INFINITY, .high = -INFINITY};
  const auto join = [&](const signal::BlockSums& block) {
    out.low = std::min(out.low, block.low);
    out.high = std::max(out.high, block.high);
  };
  auto ok = for_each_block(
      trace, first, last_sample, [](std::size_t, auto) { return true; }, [&](std::size_t, const signal::BlockSums& block) { join(block); },
      [&](std::size_t, std::span<const double> values) { join(signal::block_sums(values)); });
  if (!ok) return tl::unexpected(ok.error());
  double last = NAN;
  std::size_t run = 0;
  out.two_levels = true;
  const auto close = [&] {
    if (last == out.low) out.longest_low = std::max(out.longest_low, run);
    if (last == out.high) out.longest_high = std::max(out.longest_high, run);
    if (run >= kRun) out.in_runs += run;
    run = 0;
    last = NAN;
  };
  ok = for_each_block(
      trace, first, last_sample, [&](std::size_t k, std::span<const signal::BlockSums> all) { return all[k].low > out.low && all[k].high < out.high; },
      [&](std::size_t, const signal::BlockSums&) {
        close();
        out.two_levels = false;
      },
      [&](std::size_t, std::span<const double> values) {
        for (const double v : values) {
          if (v != last) {
            close();
            if (v != out.low && v != out.high) {
              out.two_levels = false;
              continue;
            }
            last = v;
          }
          ++run;
        }
      });
  if (!ok) return tl::unexpected(ok.error());
  close();
  return out;
}

std::optional<Clipped> clipped(const AtEnds& ends, const TraceErrors& errors, std::size_t samples) {
  const double half = errors.quantum / 2;
  const bool known = errors.lowest || errors.highest, many = !ends.two_levels && double(ends.in_runs) > kMany * double(samples);
  const bool low = known ? errors.lowest && ends.low <= *errors.lowest + half && ends.longest_low >= kRun : many;
  const bool high = known ? errors.highest && ends.high >= *errors.highest - half && ends.longest_high >= kRun : many;
  if (high && (!low || ends.longest_high >= ends.longest_low)) return Clipped{ends.high, ends.longest_high};
  return low ? std::optional(Clipped{ends.low, ends.longest_low}) : std::nullopt;
}

}  // namespace heron::study
