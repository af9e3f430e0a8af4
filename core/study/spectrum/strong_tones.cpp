#include "study/spectrum/strong_tones.h"

#include <algorithm>

#include "signal/extremes.h"
#include "study/spectrum/lobe.h"

namespace heron::study::spectrum {
namespace {

constexpr std::size_t kMostTaken = 12;  ///< tones beside the fundamental
constexpr double kMatters = 0.02;       ///< of the noise, that leakage may add
constexpr double kLittle = 0.02;        ///< of the noise in a line, that is not worth taking off

/// The median of all lines by some of them, even ones: what noise comes to in a line wherever tones stand.
double middle_of(const std::vector<double>& power) {
  constexpr std::size_t kAsked = 4096;
  std::vector<double> some;
  for (std::size_t k = 0; k < power.size(); k += std::max<std::size_t>(1, power.size() / kAsked)) some.push_back(power[k]);
  const auto middle = some.begin() + std::ptrdiff_t(some.size() / 2);
  std::nth_element(some.begin(), middle, some.end());
  return *middle;
}

}  // namespace

std::size_t largest_line(const std::vector<double>& power, std::size_t from, std::size_t to) {
  return from + signal::place_of_highest(std::span(power).subspan(from, to - from));
}

bool Taken::fit(const signal::RecordLines& in, const signal::WindowFacts& window, std::span<const signal::ToneLines> without) {
  const auto found = in.tone_near(line, window, without);
  if (!found) return false;
  places += found->place;
  powers += found->power();
  last = *found;
  ++fits;
  return true;
}

void StrongTones::begin(const signal::RecordLines& first, double leaks, std::vector<double>& rest) {
  if (!fundamental_.fit(first, window_, {}) || !takes_off_) return;
  least_ = kLittle * middle_of(rest);
  const auto take = [&](const signal::LineTone& tone) {
    of_first_.emplace_back(tone, window_, first.samples(), least_);
    const auto& lines = of_first_.back();
    for (auto k = lines.first(); k <= lines.last(); ++k) rest[k] = first.power_at(k, window_, of_first_);
  };
  take(fundamental_.last);
  const auto from = std::size_t(window_.reach) + 1;
  while (others_.size() < kMostTaken && from < rest.size()) {
    const auto top = largest_line(rest, from, rest.size());
    if (!(rest[top] * leaks > kMatters * middle_of(rest) * double(rest.size()))) break;
    Taken one{.line = top};
    if (!one.fit(first, window_, of_first_)) break;
    take(one.last);
    others_.push_back(one);
  }
  // Lines of several tones belong to one stretch.
  std::vector<std::pair<std::size_t, std::size_t>> ends;
  for (const auto& tone : of_first_) ends.emplace_back(tone.first(), tone.last() + 1);
  std::sort(ends.begin(), ends.end());
  std::size_t done = 0;
  for (const auto& [begin, end] : ends) {
    if (end <= done) continue;
    if (stretches_.empty() || begin > done) stretches_.push_back({.first = begin, .left = {}});
    auto& left = stretches_.back().left;
    left.insert(left.end(), rest.begin() + std::ptrdiff_t(stretches_.back().first + left.size()), rest.begin() + std::ptrdiff_t(end));
    done = end;
  }
}

void StrongTones::add(const signal::RecordLines& one) {
  std::vector<signal::ToneLines> tones;
  if (fundamental_.fit(one, window_, {}) && takes_off_) {
    tones.emplace_back(fundamental_.last, window_, one.samples(), least_);
    for (auto& other : others_)
      if (other.fit(one, window_, tones)) tones.emplace_back(other.last, window_, one.samples(), least_);
  }
  for (auto& stretch : stretches_)
    for (std::size_t k = 0; k < stretch.left.size(); ++k) stretch.left[k] += one.power_at(stretch.first + k, window_, tones);
}

void StrongTones::put_into(std::vector<double>& rest) const {
  for (const auto& stretch : stretches_) std::copy(stretch.left.begin(), stretch.left.end(), rest.begin() + std::ptrdiff_t(stretch.first));
}

}  // namespace heron::study::spectrum
