#pragma once
#include <string>
#include <string_view>

#include "base/result.h"
#include "study/kind.h"

namespace heron::exchange {

/// A setting as it is kept. Where the kind takes a network there and the text names a file of one ("file filter.s2p 2 %", a
/// relative uncertainty behind it on wish) the gain in that file takes its place, S21 from 50 ohm into 50 ohm: in as few points
/// as give it back to 0.01 dB, so that nothing depends on the file later. Any other text stays as it is.
/// @return Fault::input for a file that cannot be read or holds no S parameters of a two-port
Result<std::string> kept_setting(const study::Kind& kind, std::string_view key, std::string_view text);

}  // namespace heron::exchange
