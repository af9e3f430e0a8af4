#include <cstddef>
#include <cstdint>
#include <string_view>

#include "sim/network.h"
#include "sim/transient.h"

/// Any bytes are a circuit or an error with its file and line; what is a circuit compiles or says why, and settles or
/// says why.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace heron::sim;
  const auto circuit = read_circuit({reinterpret_cast<const char*>(data), size}, "fuzz.toml");
  if (!circuit) {
    if (!circuit.error().message.starts_with("fuzz.toml:")) __builtin_trap();
    return 0;
  }
  if (circuit->parts.size() > 60) return 0;
  auto network = Network::compile(*circuit);
  if (!network) return 0;
  if (const auto rest = operating_point(*network, {.newton_steps = 20}))
    for (const double x : *rest)
      if (!(x == x)) __builtin_trap();
  return 0;
}
