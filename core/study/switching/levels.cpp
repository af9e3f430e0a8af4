#include "study/switching/levels.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>

namespace heron::study::switching {
namespace {

constexpr std::size_t kMostLooked = 8192;  ///< samples that a level is read from

struct Last {
  std::size_t first = 0;
  std::vector<double> y;
};
/// The last samples within two times.
Result<Last> last_of(const Trace& trace, double from, double to) {
  const auto over = within(trace, from, to);
  Last out{over.last - std::min(over.size(), kMostLooked), {}};
  out.y.resize(over.last - out.first);
  if (auto ok = trace.read(out.first, out.y); !ok) return tl::unexpected(ok.error());
  return out;
}

}  // namespace

Stretch within(const Trace& trace, double from, double to) {
  const double n = double(trace.size());
  const double first = std::clamp(std::ceil(trace.time.place_of(from, trace.size())), 0.0, n), last = std::clamp(std::floor(trace.time.place_of(to, trace.size())) + 1, 0.0, n);
  return {std::size_t(first), std::size_t(std::max(first, last))};
}

Result<std::optional<Rest>> rest_of(const Sensed& s, double from, double to) {
  const auto read = last_of(*s.trace, from, to);
  if (!read) return tl::unexpected(read.error());
  const auto& y = read->y;
  if (y.size() < 2) return std::optional<Rest>();
  const double mean = std::accumulate(y.begin(), y.end(), 0.0) / double(y.size());
  double squares = 0;
  for (const double v : y) squares += (v - mean) * (v - mean);
  const double scatter = std::sqrt(squares / double(y.size() - 1));
  // Rounding errs alike in all samples that rest, as far as their noise does not move them over a count.
  const double left = s.errors.quantum > 0 ? left_of_rounding(s.errors.quantum, scatter) / std::numbers::sqrt2 : 0;
  return std::optional(Rest{mean, std::hypot(scatter * std::sqrt(s.together / double(y.size())), left)});
}

Result<std::optional<signal::LineAt>> line_of(const Sensed& s, double from, double to, double at) {
  const auto read = last_of(*s.trace, from, to);
  if (!read) return tl::unexpected(read.error());
  if (read->y.size() < 4) return std::optional<signal::LineAt>();
  std::vector<double> t;
  for (std::size_t k = 0; k < read->y.size(); ++k) t.push_back(s.trace->time.at(read->first + k) - at);
  return signal::line_at_zero(t, read->y, s.together);
}

Result<std::optional<signal::States>> states_of(const Trace& trace, const Stretch& over) {
  double low = INFINITY, high = -INFINITY;
  const auto ends = [&](std::span<const double> values) {
    for (const double v : values) {
      low = std::min(low, v);
      high = std::max(high, v);
    }
  };
  auto ok = for_each_block(
      trace, over.first, over.last, [](std::size_t, std::span<const signal::BlockSums>) { return true; },
      [&](std::size_t, const signal::BlockSums& b) {
        low = std::min(low, b.low);
        high = std::max(high, b.high);
      },
      [&](std::size_t, std::span<const double> values) { ends(values); });
  if (!ok) return tl::unexpected(ok.error());
  if (!(high > low)) return std::optional<signal::States>();
  signal::LevelHistogram histogram(low, high);
  ok = for_each_stretch(trace, over.first, over.last, [&](std::size_t, std::span<const double> values) { histogram.add(values); });
  if (!ok) return tl::unexpected(ok.error());
  auto found = histogram.states();
  if (found) return found;
  // Where ringing leaves no level that most samples gather at: the middle one of those above and of those below half way.
  std::vector<double> looked;
  for (std::size_t k = 0; k < kMostLooked; ++k) {
    double v = 0;
    if (auto read = trace.read(over.first + k * over.size() / kMostLooked, {&v, 1}); !read) return tl::unexpected(read.error());
    looked.push_back(v);
  }
  std::sort(looked.begin(), looked.end());
  const double middle = (looked[looked.size() / 100] + looked[looked.size() - 1 - looked.size() / 100]) / 2;
  const auto cut = std::size_t(std::lower_bound(looked.begin(), looked.end(), middle) - looked.begin());
  if (cut == 0 || cut == looked.size()) return found;
  found = signal::States{};
  found->low.level = looked[cut / 2];
  found->high.level = looked[(cut + looked.size()) / 2];
  return found;
}

}  // namespace heron::study::switching
