#include "signal/tone_lines.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <utility>

namespace heron::signal {
namespace {

using std::numbers::pi;
using Complex = std::complex<double>;

constexpr double kNear = 64;  ///< lines within which the kernel is worked out as it is defined

/// cot(y) - 1/y and its second derivative.
std::pair<double, double> without_pole(double y) {
  constexpr double kSmall = 0.25;
  const double y2 = y * y;
  // Near zero both terms are nearly the same; there the series, to its fifth term.
  if (std::abs(y) < kSmall)
    return {-y * (1.0 / 3 + y2 * (1.0 / 45 + y2 * (2.0 / 945 + y2 * (1.0 / 4725 + y2 * 2.0 / 93555)))),
            -y * (6.0 / 45 + y2 * (40.0 / 945 + y2 * (42.0 / 4725 + y2 * 144.0 / 93555)))};
  const double cotangent = 1 / std::tan(y);
  return {cotangent - 1 / y, 2 * cotangent * (1 + cotangent * cotangent) - 2 / (y2 * y)};
}

}  // namespace

ToneLines::ToneLines(const LineTone& tone, const WindowFacts& window, std::size_t samples, double least)
    : cosines_(window.cosines), samples_(double(samples)), power_gain_(window.power_gain) {
  for (std::size_t j = 0; j < cosines_.size(); ++j) {
    beside_.push_back(j == 0 ? cosines_[0] : cosines_[j] / 2);
    sum_ += (j == 0 ? 1 : 2) * beside_[j];
    spread_ += 2 * beside_[j] * double(j * j);
  }
  const auto amplitude = std::polar(tone.peak, tone.phase);
  toward_ = part_of(tone.place, amplitude);
  mirrored_ = part_of(-tone.place, std::conj(amplitude));
  const double away = double(reach(least)), lines = samples_ / 2;
  first_ = std::size_t(std::clamp(std::ceil(tone.place - away), 0.0, lines));
  last_ = std::size_t(std::clamp(std::floor(tone.place + away), 0.0, lines));
}

/// The mean of e^(-2 pi i x t/n) over a record is Q (cot(pi x/n) + i), Q = -i (1 - e^(-2 pi i x)) / 2n the same for all x that are
/// whole lines apart (a geometric sum).
ToneLines::Part ToneLines::part_of(double place, Complex amplitude) const {
  return {amplitude, place, Complex(0, -1) * (1.0 - std::polar(1.0, 2 * pi * std::remainder(place, 1.0))) / (2 * samples_)};
}

/// Under a window a line is the sum over the plain lines beside it. Of the cotangents the poles are summed as they are, the
/// smooth rest by its value and its bend.
Complex ToneLines::line(const Part& of, double k) const {
  // The kernel repeats with the record's length, and so does the cotangent.
  double x = k - of.place;
  if (std::abs(x) > samples_ / 2) x = std::remainder(x, samples_);
  if (std::abs(x) < kNear) return 0.5 * of.amplitude * window_kernel(cosines_, x, std::size_t(samples_));
  double poles = beside_[0] / x;
  for (std::size_t j = 1; j < beside_.size(); ++j) poles += beside_[j] * (2 * x / (x * x - double(j * j)));
  const auto [smooth, bend] = without_pole(pi * x / samples_);
  const double cotangents = poles * samples_ / pi + sum_ * smooth + spread_ * bend / 2 * (pi / samples_) * (pi / samples_);
  return 0.5 * of.amplitude * of.q * Complex(cotangents, sum_);
}

Complex ToneLines::at(std::ptrdiff_t k) const {
  const auto seen = std::size_t(std::abs(k));
  if (seen < first_ || (seen > last_ && last_ < std::size_t(samples_) / 2)) return 0;
  return line(toward_, double(k)) + line(mirrored_, double(k));
}

/// Lines from its place, on either side.
std::size_t ToneLines::reach(double least) const {
  const auto lines = std::size_t(samples_) / 2 + 1;
  // Half way between lines nothing hides in the kernel's zeros. Its mirror image may add as much once more.
  const Part between = part_of(0.5, std::abs(toward_.amplitude));
  const auto adds = [&](std::size_t away) { return 4 * 2 / power_gain_ * std::norm(line(between, double(away) + 1)); };
  std::size_t out = cosines_.size();
  while (out < lines && !(adds(out) < least)) out *= 2;
  return std::min(out, lines);
}

}  // namespace heron::signal
