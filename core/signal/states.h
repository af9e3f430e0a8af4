#pragma once
#include <cstddef>
#include <optional>
#include <span>
#include <vector>

namespace heron::signal {

/// One of the levels that a waveform rests at.
struct State {
  double level = 0;    ///< mean of the samples that rest there
  double scatter = 0;  ///< their standard deviation
  double drift = 0;    ///< how far it may still be from where it is going
  double share = 0;    ///< of all samples, that the level is of
};

/// Where a waveform of two states rests.
struct States {
  State low, high;
};

/// How often each level is taken: made in one pass over any number of stretches.
///
/// states() finds the two that a waveform rests at by the histogram's modes (IEEE 181): the fullest place of the lower
/// and of the upper half, each well above what lies between.
class LevelHistogram {
 public:
  /// @param low, high  the extremes of what will come; high above low
  LevelHistogram(double low, double high, std::size_t bins = 1024);

  void add(std::span<const double> values);
  /// Nothing where the levels gather at fewer than two places.
  std::optional<States> states() const;
  std::size_t count() const { return count_; }

 private:
  struct Bin {
    double count = 0, sum = 0, squares = 0;  ///< sums of what lies above the bin's centre
  };
  double centre(std::size_t bin) const { return low_ + (double(bin) + 0.5) * width_; }
  /// The samples around the fullest place of bins [first, last); nothing where no place stands out.
  std::optional<State> rest(std::size_t first, std::size_t last) const;
  State around(double middle, double reach) const;

  double low_, width_;
  std::vector<Bin> bins_;
  std::size_t count_ = 0;
};

}  // namespace heron::signal
