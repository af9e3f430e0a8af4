#include "sim/trigger.h"

namespace heron::sim {

std::optional<double> TriggerFinder::look(double value) {
  using Event = bench::TriggerSetup::Event;
  const double beyond = setup_.rising ? value - setup_.level : setup_.level - value;
  const auto crossing = [&] { return double(looked_) - 1 + (beyond != last_ ? -last_ / (beyond - last_) : 1); };
  std::optional<double> found;
  const bool entered = armed_ && beyond >= 0 && looked_ > 0;
  if (setup_.event == Event::edge) {
    if (entered && counts(double(looked_))) found = crossing();
  } else if (began_) {
    if (beyond < 0 && !ended_) ended_ = crossing();
    if (beyond >= 0) ended_.reset();
    if (ended_ && beyond < -away_) {
      const double width = (*ended_ - *began_) / rate_;
      if ((setup_.event == Event::narrower ? width < setup_.width : width > setup_.width) && counts(*ended_)) found = ended_;
      began_.reset();
      ended_.reset();
    }
  } else if (entered) {
    began_ = crossing();
  }
  armed_ = beyond < -away_ || (armed_ && beyond < 0);
  last_ = beyond;
  ++looked_;
  return found;
}

}  // namespace heron::sim
