#pragma once
#include "study/iv/curve.h"
#include "study/iv/drive.h"
#include "study/iv/ramp.h"
#include "study/quantities.h"

namespace heron::study::iv {

/// Records of ramps, put together point by point: the samples of each place along a ramp give one voltage and one
/// current, by a parabola in time through all of them, whichever pass they come from.
class RampReduction {
 public:
  Result<void> add(const Point& point);

  bool empty() const { return bins_.empty(); }

  /// Adds the curves so far, and what the records say of ranges and ratings. A place that no sample fell in is no
  /// point.
  void put(Family& family) const;

 private:
  /// What one place holds: sums of powers of where the samples lie, with voltage and current.
  struct Bin {
    double powers[5] = {};
    double voltage[3] = {}, current[3] = {};
    double voltage_squares = 0, current_squares = 0;
    bool clipped = false;
    std::vector<double> voltage_moved, current_moved;  ///< sums of what each error would do
  };
  Result<void> begin(const Point& point);
  void note_use(const Point& point, const Record& record, const Quantities& rows);

  Ramp ramp_;
  nlohmann::json setting_;  ///< of the first point
  double start_ = 0, stop_ = 1;
  std::vector<Bin> bins_;
  std::vector<RangeUse> ranges_;    ///< of each input, V
  struct Watched {
    RatingUse use;
    std::size_t channel = 0;
    const Rated* rated = nullptr;
    nlohmann::json own;  ///< all ratings of the place
  };
  std::vector<Watched> ratings_;
};

}  // namespace heron::study::iv
