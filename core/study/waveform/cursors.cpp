#include "study/waveform/cursors.h"

#include <algorithm>
#include <cmath>

#include "study/waveform/profile.h"

namespace heron::study::waveform {

Result<std::optional<Between>> read_between(const Trace& trace, double a, double b) {
  const auto first = value_at(trace, a), second = value_at(trace, b);
  if (!first) return tl::unexpected(first.error());
  if (!second) return tl::unexpected(second.error());
  if (!*first || !*second || a == b) return std::optional<Between>();
  const auto n = trace.size();
  const auto sums = integrals(trace, trace.time.place_of(std::min(a, b), n), trace.time.place_of(std::max(a, b), n));
  if (!sums) return tl::unexpected(sums.error());
  if (!(sums->seconds > 0)) return std::optional<Between>();
  return std::optional(Between{.seconds = b - a,
                               .first = **first,
                               .second = **second,
                               .difference = **second - **first,
                               .mean = sums->value / sums->seconds,
                               .rms = std::sqrt(sums->squares / sums->seconds)});
}

}  // namespace heron::study::waveform
