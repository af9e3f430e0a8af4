#pragma once
#include <cstddef>
#include <optional>
#include <span>

/// What a few samples around a place say, noise considered: extremes and crossings to a fraction of a sample.
namespace heron::signal {

/// Standard deviation of white noise on samples of a smooth waveform: of the second differences of the quietest half of
/// the stretches. 0 for fewer than 8 samples.
double noise_of(std::span<const double> values);

/// A value with how well it is known.
struct Local {
  double place = 0;      ///< in samples from the first of the values
  double value = 0;
  double u_value = 0;    ///< from the noise, and from what lies between the samples
  double u_place = 0;
};

/// Which of two extremes.
enum class Towards { low, high };
constexpr Towards towards(bool high) { return high ? Towards::high : Towards::low; }

/// The highest (or lowest) value near a sample that was found to be it: the turn of a polynomial of fourth degree through
/// as many samples as the noise lets look like a parabola (of the parabola itself where they are fewer than nine). The
/// highest sample itself is left out where there are more than five, so that the noise that made it the highest does not
/// count.
///
/// @param at     index of the highest (lowest) sample
/// @param noise  standard deviation of each sample
Local extreme_near(std::span<const double> values, std::size_t at, double noise, Towards which = Towards::high);

/// The same of a long record, read from so many samples on either side of that one; its place is from the first of all.
Local extreme_about(std::span<const double> values, std::size_t at, std::size_t beside, double noise, Towards which = Towards::high);

/// Where the waveform passes a level, near a passage that was found: linearly between two samples, or by the parabola
/// through as many samples as a noisy edge needs.
/// @param near  place in samples
std::optional<Local> crossing_near(std::span<const double> values, double near, double level, double noise);

}  // namespace heron::signal
