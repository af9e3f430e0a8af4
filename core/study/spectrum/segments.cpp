#include "study/spectrum/segments.h"

#include <algorithm>
#include <cmath>

namespace heron::study::spectrum {

constexpr std::size_t kShortest = 16;  ///< samples that have a spectrum

Result<Segments> segments_of(std::size_t samples, const Settings& settings) {
  if (samples < kShortest)
    return fail(Fault::input, "A record of {} samples has no spectrum; {} are the fewest.", samples, kShortest);
  auto length = settings.segment ? std::size_t(*settings.segment) : std::min(samples, kLongest);
  if (length > samples)
    return fail(Fault::input, "segment: the record has {} samples, fewer than the {} of one segment.", samples, length);
  length = length / 2 * 2;
  return Segments{length, std::max<std::size_t>(1, std::size_t(std::llround(double(length) * (1 - settings.overlap))))};
}

double independent(signal::Window window, const Segments& cut, const std::vector<int>& segments) {
  // The window's shape alone matters, not its length.
  const auto weights = signal::window_weights(window, std::min<std::size_t>(cut.length, 512));
  const auto step = std::max<std::size_t>(1, std::size_t(std::llround(double(weights.size()) * double(cut.step) / double(cut.length))));
  double out = 0;
  for (const int count : segments) out += signal::independent_averages(weights, step, count);
  return out;
}

}  // namespace heron::study::spectrum
