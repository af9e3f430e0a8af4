#include "study/spectrum/segments.h"

#include <algorithm>
#include <cmath>
#include <utility>

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

Result<std::optional<signal::RecordLines>> Transforms::next() {
  if (mean_) {
    if (std::exchange(record_, records_.size()) > 0) return std::nullopt;
    std::vector<double> sum(cut_.length, 0.0);
    for (const auto& r : records_) {
      if (auto ok = r->read(0, values_); !ok) return tl::unexpected(ok.error());
      for (std::size_t k = 0; k < sum.size(); ++k) sum[k] += values_[k] / double(records_.size());
    }
    return signal::RecordLines(sum);
  }
  while (record_ < records_.size() && at_ + cut_.length > records_[record_]->size()) {
    ++record_;
    at_ = 0;
  }
  if (record_ == records_.size()) return std::nullopt;
  if (auto ok = records_[record_]->read(at_, values_); !ok) return tl::unexpected(ok.error());
  at_ += cut_.step;
  return signal::RecordLines(values_);
}

double Transforms::independent(signal::Window window) const {
  if (mean_) return 1;
  double out = 0;
  // The window's shape alone matters, not its length.
  const auto weights = signal::window_weights(window, std::min<std::size_t>(cut_.length, 512));
  const auto step = std::max<std::size_t>(1, std::size_t(std::llround(double(weights.size()) * double(cut_.step) / double(cut_.length))));
  for (const auto& r : records_)
    if (r->size() >= cut_.length) out += signal::independent_averages(weights, step, int((r->size() - cut_.length) / cut_.step) + 1);
  return out;
}

}  // namespace heron::study::spectrum
