#include "study/samples.h"

#include <cassert>

namespace heron::study {

std::vector<Extremes> extremes_of(std::span<const std::int16_t> counts, std::size_t each) {
  assert(each > 0);
  std::vector<Extremes> out;
  out.reserve((counts.size() + each - 1) / each);
  for (std::size_t first = 0; first < counts.size(); first += each) {
    Extremes one{counts[first], counts[first]};
    for (const auto count : counts.subspan(first, std::min(each, counts.size() - first))) {
      one.lowest = std::min(one.lowest, count);
      one.highest = std::max(one.highest, count);
    }
    out.push_back(one);
  }
  return out;
}

}  // namespace heron::study
