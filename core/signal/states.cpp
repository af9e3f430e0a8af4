#include "signal/states.h"

#include <algorithm>
#include <cmath>

namespace heron::signal {
namespace {

/// A state holds at least this share of the samples...
constexpr double kLeastShare = 0.005;
/// ...and at its fullest is so many times fuller than a level is on the mean.
constexpr double kStandsOut = 3;

}  // namespace

LevelHistogram::LevelHistogram(double low, double high, std::size_t bins)
    : low_(low), width_((high - low) / double(bins)), bins_(bins) {}

void LevelHistogram::add(std::span<const double> values) {
  // Copies that a store into a bin cannot alter.
  const double most = double(bins_.size() - 1), bins_per_unit = 1 / width_, low = low_, width = width_;
  auto* const bins = bins_.data();
  for (const double v : values) {
    // In this order what is no number falls into the first bin.
    const auto k = std::int32_t(std::min(most, std::max(0.0, (v - low) * bins_per_unit)));
    auto& bin = bins[k];
    const double off = v - (low + (double(k) + 0.5) * width);
    bin.count += 1;
    bin.sum += off;
    bin.squares += off * off;
  }
  count_ += values.size();
}

std::optional<State> LevelHistogram::rest(std::size_t first, std::size_t last) const {
  // The fullest stretch of growing width that still gains: noise spreads a state over many bins, and a converter's few
  // counts leave empty ones between.
  const double mean = double(count_) / double(bins_.size());
  std::vector<double> sum(last - first + 1, 0);
  for (std::size_t k = first; k < last; ++k) sum[k - first + 1] = sum[k - first] + bins_[k].count;
  const auto held = [&](std::ptrdiff_t from, std::ptrdiff_t to) {
    from = std::clamp<std::ptrdiff_t>(from, 0, std::ptrdiff_t(last - first));
    to = std::clamp<std::ptrdiff_t>(to, 0, std::ptrdiff_t(last - first));
    return sum[std::size_t(to)] - sum[std::size_t(from)];
  };
  std::ptrdiff_t best = 0, half = 1;
  double fullest = -1;
  for (std::ptrdiff_t width = 1; width <= std::ptrdiff_t(bins_.size() / 16); width *= 2) {
    std::ptrdiff_t at = 0;
    double most = -1;
    for (std::ptrdiff_t k = 0; k < std::ptrdiff_t(last - first); ++k)
      if (const double n = held(k - width, k + width + 1); n > most) {
        most = n;
        at = k;
      }
    // Twice the width must bring a good part more, else it only reaches into what lies between.
    if (most < 1.25 * fullest) break;
    fullest = most;
    best = at;
    half = width;
  }
  const double stretch = double(2 * half + 1);
  if (fullest < kLeastShare * double(count_) || fullest < 3 || fullest < kStandsOut * mean * stretch) return std::nullopt;
  const double middle = low_ + (double(std::ptrdiff_t(first) + best) + 0.5) * width_, reach = (double(half) + 0.5) * width_;
  // Four deviations hold all but 6e-5 of what is normal; less than a bin cannot be told.
  const auto out = around(middle, reach);
  return out.share > 0 ? std::optional(out) : std::nullopt;
}

/// The mean over what lies within four deviations of the mean, until it stays.
State LevelHistogram::around(double middle, double reach) const {
  State out;
  for (int round = 0; round < 60; ++round) {
    double count = 0, total = 0, squares = 0;
    const auto place = [&](double v) {
      return std::size_t(std::clamp<std::ptrdiff_t>(std::ptrdiff_t((v - low_) / width_), 0, std::ptrdiff_t(bins_.size()) - 1));
    };
    for (auto k = place(middle - reach); k <= place(middle + reach); ++k) {
      const auto& bin = bins_[k];
      const double c = centre(k) - middle;
      count += bin.count;
      total += bin.sum + bin.count * c;
      squares += bin.squares + 2 * c * bin.sum + bin.count * c * c;
    }
    if (!(count > 0)) return {};
    const double moved = total / count, deviation = std::sqrt(std::max(0.0, squares / count - moved * moved));
    out = {.level = middle + moved, .scatter = deviation, .share = count / double(count_)};
    const double wanted = std::max(4 * deviation, 0.75 * width_);
    if (std::abs(moved) < 1e-9 * reach && std::abs(wanted - reach) < 0.02 * reach) break;
    middle = out.level;
    reach = std::min(wanted, 1.5 * reach);
  }
  return out;
}

std::optional<States> LevelHistogram::states() const {
  if (count_ < 6) return std::nullopt;
  const auto middle = bins_.size() / 2;
  const auto low = rest(0, middle), high = rest(middle, bins_.size());
  if (!low || !high) return std::nullopt;
  // Two halves of one spread are one state.
  const double apart = high->level - low->level;
  if (!(apart > 3 * (low->scatter + high->scatter))) return std::nullopt;
  return States{*low, *high};
}

}  // namespace heron::signal
