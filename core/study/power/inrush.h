#pragma once
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "study/figure.h"
#include "study/power/settings.h"

namespace heron::study::power {

/// A current over time with its rms in a sliding window of half a cycle, stamped at the window's centre.
class Inrush {
 public:
  /// @param values  finite, at least eight
  /// @param step    s
  /// @param half    s, of the window: half a cycle, or what stands for it on a DC feed
  /// @param end     s, of the record's end that is steady: two cycles, or the last twentieth on a DC feed
  Inrush(std::vector<double> values, double start, double step, double half, double end);

  double start() const { return start_; }
  double step() const { return step_; }
  const std::vector<double>& values() const { return values_; }
  /// Sliding rms about a sample; nothing where the window reaches beyond the record.
  std::optional<double> rms_about(std::size_t sample) const;
  /// Sample about which it is largest; nothing where the record is shorter than the window.
  std::optional<std::size_t> highest_rms() const;
  double steady() const { return steady_; }
  /// Samples of the end that is steady.
  std::size_t steady_samples() const { return tail_; }
  /// First sample beyond 5 % of the largest peak.
  std::size_t begins() const { return begins_; }
  /// Samples before it that show nothing of it yet.
  std::size_t idle() const { return idle_; }
  /// Sample from which on the sliding rms stays within a band about the steady value; nothing where it never does.
  std::optional<std::size_t> settled(double band) const;
  /// The largest rms of any window of that length, A; nothing where the record is shorter.
  std::optional<double> worst_over(double seconds) const;
  /// Integral of the square, A2s.
  double i2t() const { return squares_.back() * step_; }
  double half() const { return half_; }
  double noise() const { return noise_; }

 private:
  /// A place in samples from a sample on, where it is so far off a sample each time.
  struct Place {
    std::ptrdiff_t sample = 0;
    double rest = 0;  ///< in [0, 1)
  };
  /// Integral of the square up to a place, over the step.
  double squares_to(std::size_t sample, double rest) const;
  double squares_to(double place) const;
  /// The mean square of the window about a sample that has one.
  double mean_square(std::size_t sample) const;
  void slide();

  std::vector<double> values_, squares_;
  Place begin_, end_;                             ///< of the window, against its centre
  std::size_t first_ = 0, windows_ = 0;           ///< the first centre of a window within the record, and how many there are
  std::vector<std::pair<double, double>> ranges_;  ///< smallest and largest mean square of so many windows after another
  double start_, step_, half_, steady_ = 0, noise_ = 0;
  std::size_t tail_ = 1, begins_ = 0, idle_ = 0;
};

/// What it comes to.
/// @param end  behind each key: ".a", or empty
/// @param of   behind each label
void add_inrush(const Inrush& inrush, const Settings& settings, const TraceErrors& errors, const std::string& end, const std::string& of, Reading& into);

/// What a fuse is loaded with at each time of its curve: the largest rms over so long, A; nothing where the record is shorter.
struct FuseLoad {
  double time = 0, bears = 0;  ///< s, A
  std::optional<double> carries;
};
std::vector<FuseLoad> fuse_load(const Inrush& inrush, const Settings& settings);

}  // namespace heron::study::power
