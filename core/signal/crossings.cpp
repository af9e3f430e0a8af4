#include "signal/crossings.h"

#include <cmath>

namespace heron::signal {

void CrossingFinder::add(std::span<const double> values) {
  for (const double v : values) {
    if (at_ > 0 && (last_ < level_) != (v < level_)) {
      const double place = double(at_ - 1) + (level_ - last_) / (v - last_);
      const bool up = v >= level_;
      auto& first = up ? first_up_ : first_down_;
      if (std::isnan(first)) first = place;
      (up ? last_up_ : last_down_) = place;
    }
    const bool above = v >= level_ + hysteresis_, below = v < level_ - hysteresis_ || (hysteresis_ == 0 && v < level_);
    if (above || below) {
      const bool up = above && side_ == Side::below, down = below && side_ == Side::above;
      if (up || down) {
        const double first = up ? first_up_ : first_down_, last = up ? last_up_ : last_down_;
        if (!std::isnan(first)) {
          ++seen_;
          if (found_.size() < most_) found_.push_back({(first + last) / 2, up});
        }
      }
      side_ = above ? Side::above : Side::below;
      first_up_ = last_up_ = first_down_ = last_down_ = kNone;
    }
    last_ = v;
    ++at_;
  }
}

}  // namespace heron::signal
