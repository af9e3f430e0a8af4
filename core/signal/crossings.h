#pragma once
#include <cstddef>
#include <limits>
#include <span>
#include <vector>

namespace heron::signal {

/// A passage through a level.
struct Crossing {
  double place = 0;  ///< in samples from the record's first: 2.5 is half way from sample 2 to 3
  bool rising = true;
};

/// Passages through a level, with hysteresis: one counts when the waveform came from beyond the band on one side and
/// left it on the other. Where noise crosses the level several times on the way, the middle of the first and the last
/// is taken, which noise does not pull to either side. Made in one pass over any number of stretches.
class CrossingFinder {
 public:
  /// @param hysteresis  half the band, not below zero
  /// @param most        no more are kept; seen() goes on counting
  CrossingFinder(double level, double hysteresis, std::size_t most = 1'000'000)
      : level_(level), hysteresis_(hysteresis), most_(most) {}

  void add(std::span<const double> values);
  /// So many samples that lie beyond the band on the side where those before and after them do.
  /// @param like  a value on that side
  void skip(std::size_t samples, double like) {
    at_ += samples;
    last_ = like;
  }
  const std::vector<Crossing>& found() const { return found_; }
  std::size_t seen() const { return seen_; }

 private:
  enum class Side { unknown, below, above };
  double level_, hysteresis_;
  std::size_t most_, seen_ = 0, at_ = 0;
  Side side_ = Side::unknown;
  double last_ = 0;
  double first_up_ = kNone, last_up_ = kNone, first_down_ = kNone, last_down_ = kNone;  ///< since it left the band
  static constexpr double kNone = std::numeric_limits<double>::quiet_NaN();
  std::vector<Crossing> found_;
};

}  // namespace heron::signal
