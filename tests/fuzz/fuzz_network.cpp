#include <cstddef>
#include <cstdint>
#include <string>

#include "exchange/touchstone.h"

/// Network files are read or refused with their line; what was read can be written and read again.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace heron::exchange;
  const std::string text(reinterpret_cast<const char*>(data), size);
  for (const char* file : {"part.s1p", "part.s2p"}) {
    const auto network = read_touchstone(text, file);
    if (!network) {
      if (network.error().message.empty()) __builtin_trap();
      continue;
    }
    (void)network_element(*network, usual_element(*network));
    for (const int version : {1, 2})
      if (!read_touchstone(write_touchstone(*network, {.version = version}), file)) __builtin_trap();
  }
  return 0;
}
