#pragma once
#include <complex>
#include <cstddef>
#include <vector>

#include "signal/window.h"

namespace heron::signal {

/// A sine peak cos(2 pi place t / samples + phase), t in samples.
struct LineTone {
  double place = 0;  ///< lines from zero
  double peak = 0;
  double phase = 0;
  double power() const { return peak * peak / 2; }
};

/// What a sine comes to in the lines of a record under a window, its mirror image below zero included. A line costs a few
/// operations, also far from the tone.
class ToneLines {
 public:
  /// @param samples  of the record, even
  /// @param least    power of a line; so far from the tone that it adds less, it is taken for nothing
  ToneLines(const LineTone& tone, const WindowFacts& window, std::size_t samples, double least = 0);

  /// The lines that it reaches, both inside.
  std::size_t first() const { return first_; }
  std::size_t last() const { return last_; }
  /// Mean of the windowed sine times e^(-2 pi i k t / n); zero beyond its reach.
  std::complex<double> at(std::ptrdiff_t k) const;

 private:
  /// One of the two turning parts that a sine consists of.
  struct Part {
    std::complex<double> amplitude;
    double place = 0;
    std::complex<double> q;  ///< what all its lines have in common
  };
  Part part_of(double place, std::complex<double> amplitude) const;
  std::complex<double> line(const Part& of, double k) const;
  std::size_t reach(double least) const;

  Part toward_, mirrored_;
  std::size_t first_ = 0, last_ = 0;
  std::vector<double> cosines_;
  double samples_, power_gain_;
  std::vector<double> beside_;  ///< weight of the plain line so many lines beside: b_0, b_1, ... with b_-j = b_j
  double sum_ = 0, spread_ = 0;  ///< of b_j, and of b_j j^2, over both sides
};

}  // namespace heron::signal
