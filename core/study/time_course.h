#pragma once
#include <string>
#include <utility>
#include <vector>

namespace heron::study {

/// What a source does from beginning to end, on a real bench's clock.
struct Track {
  std::string name, unit;
  bool swept = false;                           ///< drawn strongest
  std::vector<std::pair<double, double>> line;  ///< s, V or A; straight between
  std::vector<std::pair<double, double>> read;  ///< where a point is read
};
struct TimeCourse {
  std::vector<Track> tracks;
  double seconds = 0;
};

}  // namespace heron::study
