#pragma once
#include <string>
#include <utility>
#include <vector>

#include "study/iv/plan.h"

namespace heron::study::iv {

/// What one source does from beginning to end, on a real bench's clock.
struct Track {
  std::string name, unit;
  Role role = Role::constant;
  std::vector<std::pair<double, double>> line;  ///< s, V or A; straight between
  std::vector<std::pair<double, double>> read;  ///< where a point is read
};
struct TimeCourse {
  std::vector<Track> tracks;  ///< the swept source first, then the stepped one
  double seconds = 0;
};

/// Every source against time, as the plan says. Of a ramp that is averaged, one pass.
TimeCourse time_course(const Plan& plan, const bench::Limits& limits);

}  // namespace heron::study::iv
