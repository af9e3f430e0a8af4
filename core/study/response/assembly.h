#pragma once
#include <map>
#include <string>
#include <vector>

#include "study/raw.h"
#include "study/response/reduce.h"
#include "study/response/settings.h"

namespace heron::study::response {

/// Puts curves together from the raw points of a take, one after another as they come: stepped, from noise, or a table.
/// Points of what stood in the device's place (see compensate.h) are taken off.
class Assembly {
 public:
  explicit Assembly(Settings settings) : settings_(std::move(settings)) {}

  /// Fault::input for what is no point of a response.
  Result<void> add(const Point& point);

  /// What is there so far; empty for nothing.
  Result<Curve> curve() const;

 private:
  /// What was read of one thing: the device, or what stood in its place.
  struct Part {
    std::vector<CurvePoint> points, again;  ///< stepped; those read once more at another level
    std::vector<Point> records;             ///< of noise
    std::vector<Record> table;              ///< at most one
  };
  Result<Curve> curve_of(const Part& part) const;

  Settings settings_;
  SourceNumbers numbers_;  ///< what points share is told by one list for the whole take
  std::map<std::string, Part> parts_;
  bool impedance_ = false;
};

/// The curve of all points of a take.
Result<Curve> reduce_take(const std::vector<Point>& points, const Settings& settings = {});

}  // namespace heron::study::response
