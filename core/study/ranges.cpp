#include "study/ranges.h"

#include <algorithm>
#include <cmath>

namespace heron::study {

std::vector<bench::InputSetup> on_widest(std::vector<bench::InputSetup> inputs, const std::vector<double>& ranges) {
  for (auto& input : inputs)
    if (input.looks_for_range()) input.range = ranges.back();
  return inputs;
}

double highest_of(const bench::ChannelRecord& channel) {
  double out = 0;
  for (const double v : channel.volts()) out = std::max(out, std::abs(v));
  return out;
}

double range_that_fits(double highest, const std::vector<double>& ranges) {
  constexpr double kRoom = 1.1;
  const auto fits = std::find_if(ranges.begin(), ranges.end(), [&](double range) { return kRoom * highest <= range; });
  return fits == ranges.end() ? ranges.back() : *fits;
}

void fix_ranges(std::vector<bench::InputSetup>& inputs, const std::vector<double>& highest, const std::vector<double>& ranges) {
  for (std::size_t k = 0; k < inputs.size(); ++k)
    if (inputs[k].looks_for_range()) inputs[k].range = range_that_fits(highest[k], ranges);
}

}  // namespace heron::study
