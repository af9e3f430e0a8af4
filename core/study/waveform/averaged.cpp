#include "study/waveform/averaged.h"

#include <algorithm>
#include <cmath>

namespace heron::study::waveform {
namespace {

constexpr std::size_t kMostAveraged = std::size_t(1) << 23;  ///< samples of all quantities of one pass

}  // namespace

Result<std::optional<Bundle>> bundle_of(const std::vector<WaveformsPtr>& passes) {
  std::vector<WaveformsPtr> joined;
  for (const auto& one : passes)
    if (!one->missed()) joined.push_back(one);
  if (joined.size() < 2) return std::optional<Bundle>();
  const auto& first = *joined.front();
  std::size_t samples = 0;
  for (const auto& trace : first.traces) samples += trace->size();
  if (samples > kMostAveraged)
    return fail(Fault::input, "Records of {} samples are too long to be averaged; {} are the most.", samples, kMostAveraged);
  const auto like_first = [&] {
    auto out = std::make_shared<Waveforms>(first);
    out->index = joined.back()->index;
    out->traces.clear();
    return out;
  };
  const auto mean = like_first(), low = like_first(), high = like_first();
  for (std::size_t k = 0; k < first.traces.size(); ++k) {
    const auto& trace = *first.traces[k];
    std::vector<double> sum(trace.size(), 0.0), row(trace.size()), least, most;
    double squares = 0;
    for (const auto& one : joined) {
      const auto* other = one->find(trace.name);
      if (!other || std::abs((*other)->time.step() / trace.time.step() - 1) > 1e-9)
        return fail(Fault::input, "Pass {} has other quantities or another rate than the first; they cannot be averaged.",
                    one->index + 1);
      if (auto ok = read_at(**other, trace.time, 0, row); !ok) return tl::unexpected(ok.error());
      if (least.empty()) least = most = row;
      for (std::size_t i = 0; i < sum.size(); ++i) {
        sum[i] += row[i];
        squares += row[i] * row[i];
        least[i] = std::min(least[i], row[i]);
        most[i] = std::max(most[i], row[i]);
      }
    }
    const double n = double(joined.size());
    for (auto& v : sum) {
      v /= n;
      squares -= n * v * v;
    }
    mean->traces.push_back(trace_of(trace.name, trace.unit, trace.time, std::move(sum)));
    low->traces.push_back(trace_of(trace.name, trace.unit, trace.time, std::move(least)));
    high->traces.push_back(trace_of(trace.name, trace.unit, trace.time, std::move(most)));
    // Rounding averages out as far as noise carries the passes over a count; what is rounded alike in all of them stays.
    const double scatter = std::sqrt(std::max(0.0, squares / (n - 1) / double(trace.size())));
    if (first.errors[k].quantum > 0) mean->errors[k].rounding = left_of_rounding(first.errors[k].quantum, scatter);
  }
  return std::optional(Bundle{mean, low, high});
}

Result<WaveformsPtr> averaged(const std::vector<WaveformsPtr>& passes) {
  auto all = bundle_of(passes);
  if (!all) return tl::unexpected(all.error());
  return *all ? (*all)->mean : WaveformsPtr();
}

}  // namespace heron::study::waveform
