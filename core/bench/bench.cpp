#include "bench/bench.h"

namespace heron::bench {

std::vector<double> ChannelRecord::volts() const {
  std::vector<double> out(counts.size());
  for (std::size_t i = 0; i < counts.size(); ++i) out[i] = counts[i] * volts_per_count;
  return out;
}

}  // namespace heron::bench
