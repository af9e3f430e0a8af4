#pragma once
#include <cstdint>
#include <limits>
#include <utility>
#include <vector>

namespace heron::bench {

/// What a source does over time: a sine, straight lines between points, or noise. A pure function of time, with its
/// corners told to the solver so that no step runs over one.
struct Waveform {
  enum class Shape { steady, sine, lines, noise } shape = Shape::steady;
  double offset = 0;

  double peak = 0, frequency = 1, phase = 0;  ///< sine: offset + peak cos(2 pi f t + phase), phase in rad
  double second = 0, third = 0;               ///< of a sine that is none quite: harmonics at twice and three times its phase, shares of the peak

  std::vector<std::pair<double, double>> points;  ///< lines: (s, unit), rising in time; added to the offset
  double period = 0;                              ///< lines repeat after this; 0: once, the last value holds

  double rms = 0, bandwidth = 0;  ///< noise: Gaussian values every 1/(2 bandwidth), straight lines between
  std::uint64_t seed = 0;

  double delay = 0;  ///< s; the first value holds until then
  /// Burst: only this many periods, then the value at the period's start holds. 0: for ever.
  long long cycles = 0;
  double burst_period = 0;  ///< s from one burst to the next; 0: a single one

  double at(double time) const;

  /// The first corner strictly after `time`; infinity when there is none.
  double next_corner(double time) const;

 private:
  double inside(double local) const;
};

inline constexpr double kNoCorner = std::numeric_limits<double>::infinity();

/// A trapezoid: low, rising, high, falling. `width` is that of the high part between the half-way points.
Waveform pulse(double low, double high, double rise, double fall, double width, double period);
Waveform triangle(double low, double high, double symmetry, double period);

/// `steps` equal steps from low to high with the given rise, each held for `dwell`; then again from the start.
Waveform staircase(double low, double high, int steps, double dwell, double rise);

/// The least tail of a surge, in fronts. With two equal time constants it would be 3.36: no double exponential falls sooner.
constexpr double kShortestTail = 3.5;

/// A double exponential of the given peak, once: from 30 to 90 % in 0.6 of `front`, down to half in `tail` (IEC
/// 61000-4-5), as straight lines fine enough for a thousandth.
Waveform surge(double peak, double front, double tail, double delay);

/// A half bridge that is switched between the halves of a bus where a sine crosses a triangle, 2 edges a period of that; the
/// triangle has a whole number of periods in one of the sine (natural sampling). Pulses too short for their edges are left out.
/// @param peak   V, of the sine peak cos(2 pi frequency t + phase) that its mean follows; up to half of the bus
/// @param carrier  Hz, of the triangle; the nearest that fits
Waveform switched(double peak, double frequency, double phase, double bus, double carrier, double edge);

/// Two pulses: a long one that builds a current up, a gap, and a short one. Once.
Waveform double_pulse(double low, double high, double rise, double first, double gap, double second, double delay);

/// Half of each period at one value and half at the other, the change to which ends there.
Waveform to_and_fro(double first, double second, double period, double edge);

}  // namespace heron::bench
