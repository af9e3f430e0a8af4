#include "study/power/load_states.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/row.h"

namespace heron::study::power {
namespace {

constexpr double kPerDecade = 40;
constexpr double kDecades = 12;       ///< below the largest, that are told apart
constexpr double kApart = 2;          ///< factor from one state to the next
constexpr double kWithinState = 8;    ///< pieces of the time that a state lasts at least

/// The means of so many samples after another.
std::vector<double> means_of(std::span<const double> i, std::size_t together) {
  std::vector<double> out;
  for (std::size_t k = 0; k < i.size(); k += together) out.push_back(row_of(i.subspan(k, std::min(together, i.size() - k))).mean());
  return out;
}

/// Bins of lg |i|, so many a decade.
class Bins {
 public:
  /// @param within  what is smaller is one place: its mean is told, not how noise spreads it over decades
  Bins(double largest, double within) : low_(std::log10(largest) - kDecades), within_(std::max(within, largest * std::pow(10, -kDecades))) {}

  std::size_t of(double v) const { return std::size_t((std::log10(std::max(std::abs(v), within_)) - low_) * kPerDecade); }
  double middle(std::size_t bin) const { return low_ + (double(bin) + 0.5) / kPerDecade; }
  static std::size_t count() { return std::size_t(kDecades * kPerDecade) + 1; }
  /// From one state's bin to the next's at least.
  static std::size_t apart() { return std::size_t(std::lround(std::log10(kApart) * kPerDecade)); }

 private:
  double low_, within_;
};

std::size_t between(std::size_t a, std::size_t b) { return a > b ? a - b : b - a; }

/// Bins where the current stays: the fullest with what lies within a factor of root two of it, then the next fullest beyond a
/// factor of two. From the lowest up.
/// @param least  pieces that a state has
std::vector<std::size_t> tops_of(std::vector<double> left, double least) {
  const auto about = [&](std::size_t bin) {
    const auto reach = Bins::apart() / 2, first = bin > reach ? bin - reach : 0;
    return std::pair{first, std::min(bin + reach + 1, left.size())};
  };
  const auto inside = [&](std::size_t bin) {
    const auto [first, end] = about(bin);
    return std::reduce(left.begin() + std::ptrdiff_t(first), left.begin() + std::ptrdiff_t(end));
  };
  std::vector<std::size_t> tops;
  while (true) {
    std::vector<double> all;
    for (std::size_t bin = 0; bin < left.size(); ++bin) all.push_back(inside(bin));
    const auto fullest = std::max_element(all.begin(), all.end());
    if (*fullest < least) break;
    // The middle of what lies there.
    const auto [first, end] = about(std::size_t(fullest - all.begin()));
    double place = 0;
    for (auto bin = first; bin < end; ++bin) {
      place += left[bin] * double(bin) / *fullest;
      left[bin] = 0;
    }
    const auto middle = std::size_t(std::lround(place));
    // Beside a fuller one it is that one's edge.
    if (std::none_of(tops.begin(), tops.end(), [&](std::size_t other) { return between(other, middle) < Bins::apart(); })) tops.push_back(middle);
  }
  std::sort(tops.begin(), tops.end());
  return tops;
}

/// Which of the tops is nearest to each piece, by ratio.
std::vector<std::size_t> nearest(const std::vector<std::size_t>& bins, const std::vector<std::size_t>& tops) {
  std::vector<std::size_t> out;
  for (const auto bin : bins)
    out.push_back(std::size_t(std::min_element(tops.begin(), tops.end(), [&](std::size_t a, std::size_t b) { return between(a, bin) < between(b, bin); }) - tops.begin()));
  return out;
}

/// Pieces that the current stays at each in one go, at most.
std::vector<std::size_t> longest_stays(const std::vector<std::size_t>& of, std::size_t tops) {
  std::vector<std::size_t> out(tops);
  for (auto from = of.begin(); from != of.end();) {
    const auto end = std::find_if(from, of.end(), [&](std::size_t other) { return other != *from; });
    out[*from] = std::max(out[*from], std::size_t(end - from));
    from = end;
  }
  return out;
}

}  // namespace

LoadStates states_of(std::span<const double> i, double noise, double state_time) {
  LoadStates out;
  const double largest = row_of(i).abs().maxCoeff();
  if (!(largest > 0)) return out;
  // What is looked at is smoothed over a part of the time that a state lasts, so that noise does not spread a small one.
  out.together = std::max<std::size_t>(1, std::size_t(state_time * double(i.size()) / kWithinState));
  const auto smooth = means_of(i, out.together);
  const double pieces = double(smooth.size()), least = std::max(1.0, state_time * pieces);
  const Bins bins(largest, 3 * noise / std::sqrt(double(out.together)));
  std::vector<std::size_t> bin;
  std::vector<double> counts(Bins::count());
  for (const double v : smooth) {
    bin.push_back(bins.of(v));
    ++counts[bin.back()];
  }
  for (std::size_t b = 0; b < counts.size(); ++b)
    if (counts[b] > 0) out.shares.emplace_back(bins.middle(b), counts[b] / pieces);
  auto tops = tops_of(counts, least);
  if (tops.empty()) return out;
  auto of = nearest(bin, tops);
  // Where the current does not stay in one go it only passes.
  while (tops.size() > 1) {
    const auto stays = longest_stays(of, tops.size());
    const auto shortest = std::min_element(stays.begin(), stays.end());
    if (double(*shortest) >= least) break;
    tops.erase(tops.begin() + (shortest - stays.begin()));
    of = nearest(bin, tops);
  }
  // A piece beside another state's may hold some of both: it counts for the share of time by its mean, not for the level.
  const auto before = [&](std::size_t k) { return of[k > 0 ? k - 1 : k]; };
  const auto behind = [&](std::size_t k) { return of[std::min(k + 1, of.size() - 1)]; };
  out.states.resize(tops.size());
  for (std::size_t s = 0; s < tops.size(); ++s) {
    auto& state = out.states[s];
    std::vector<double> all, inside;
    for (std::size_t k = 0; k < smooth.size(); ++k) {
      if (of[k] != s) continue;
      if (k == 0 || before(k) != s) ++state.stretches;
      all.push_back(smooth[k]);
      if (before(k) == s && behind(k) == s) inside.push_back(smooth[k]);
    }
    const auto& told = inside.empty() ? all : inside;
    state.level = row_of(told).mean();
    state.samples = double(told.size() * out.together);
  }
  for (std::size_t k = 0; k < smooth.size(); ++k) {
    const auto own = of[k], other = before(k) != own ? before(k) : behind(k);
    if (other == own) {
      out.states[own].share += 1 / pieces;
      continue;
    }
    const double mixed = std::max(0.0, (smooth[k] - out.states[own].level) / (out.states[other].level - out.states[own].level));
    out.states[own].share += (1 - mixed) / pieces;
    out.states[other].share += mixed / pieces;
  }
  return out;
}

}  // namespace heron::study::power
