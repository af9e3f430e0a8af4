#pragma once
#include <cstddef>
#include <span>
#include <vector>

namespace heron::signal {

/// Smallest and largest value of any stretch of a long record in O(log n): a min/max pyramid.
///
/// Use it to draw long curves: cost follows the pixels asked for, not the samples. Takes about a quarter of the
/// record's memory besides; keeps a view of the record, which must outlive it.
class MinMaxPyramid {
 public:
  struct Range {
    double low = 0, high = 0;
  };

  MinMaxPyramid() = default;
  explicit MinMaxPyramid(std::span<const double> values);

  std::size_t size() const { return values_.size(); }

  /// Over [begin, end), which must not be empty and must lie in the record.
  Range over(std::size_t begin, std::size_t end) const;

 private:
  static constexpr std::size_t kBase = 16;
  std::span<const double> values_;
  std::vector<std::vector<Range>> levels_;  ///< level k: ranges over kBase * 2^k values
};

/// A curve thinned to what a plot can show.
struct ThinCurve {
  std::vector<double> x, y;
};

/// At most four points a column over [from, to]: the first and last values and the extremes in between, in the order
/// low, high, so that every spike still reaches its height. One neighbour outside either end is kept, for the line to
/// run out.
/// @param x strictly rising, as long as the pyramid's record
ThinCurve thin_curve(std::span<const double> x, std::span<const double> y, const MinMaxPyramid& pyramid, double from,
                     double to, int columns);

}  // namespace heron::signal
