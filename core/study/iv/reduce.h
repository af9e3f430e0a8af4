#pragma once
#include <map>

#include "base/result.h"
#include "study/iv/curve.h"
#include "study/iv/reduce_ramp.h"
#include "study/iv/settings.h"
#include "study/raw.h"

namespace heron::study::iv {

/// Purpose of a take with the device out.
inline constexpr std::string_view kDeviceOut = "open";

/// Points of a take as curves, one point after another as they come: readings of source-measure channels, records of
/// ramps, or a table with columns voltage and current, step if there is one. Rows of one step belong to one curve
/// wherever they stand.
class Assembly {
 public:
  /// Fault::input for what is no point of such a study.
  Result<void> add(const Point& point);

  /// What is there so far; Fault::input for nothing.
  Result<Family> family() const&;
  Result<Family> family() &&;

 private:
  Result<void> add_table(const Record& table);
  Result<void> add_reading(const Point& point);
  void note_use(const nlohmann::json& readings, const nlohmann::json& ratings);

  std::map<double, Curve> by_step_;
  bool table_ = false;
  Family about_;  ///< all but the curves
  RampReduction ramps_;
};

/// All of a take, every point of it, uncertainties included. Points that were read with the device out (their purpose
/// is "open") are taken off: what flows without it is not its.
Result<Family> reduce_take(const std::vector<Point>& points);

/// Takes the currents of a family that was read with the device out off another's, at the same voltages and steps. Its
/// uncertainty joins. Fault::input where it does not reach as far.
Result<void> take_off(Family& from, const Family& open);

/// What the settings ask to be read: the points from `from` to `to`. Fault::input where none is left.
Result<Family> within(Family family, const Settings& settings);

}  // namespace heron::study::iv
