#include "base/clocks.h"

#include <ctime>

namespace heron {
namespace {

double seconds_of(clockid_t clock) {
  timespec at{};
  clock_gettime(clock, &at);
  return double(at.tv_sec) + 1e-9 * double(at.tv_nsec);
}

}  // namespace

Clocks read_clocks() { return {seconds_of(CLOCK_REALTIME), seconds_of(CLOCK_BOOTTIME), seconds_of(CLOCK_MONOTONIC)}; }

}  // namespace heron
