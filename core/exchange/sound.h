#pragma once
#include <string>
#include <vector>

#include "exchange/curves.h"

namespace heron::exchange {

bool is_sound(const std::string& ending);  ///< ".wav", ".flac"

/// The channels of a sound file as quantities, full scale = 1 as a pure number.
/// @param choice  quantity -> number of the channel from 1, with a factor on wish; empty: the first channel as "v"
/// @return Fault::input with what is wrong in the file, Fault::usage for a channel that it does not have
Result<FileCurve> read_sound(const std::string& path, const ColumnChoice& choice);

/// How many channels it has; their names for people: "channel 1".
Result<std::vector<std::string>> sound_channels(const std::string& path);

}  // namespace heron::exchange
