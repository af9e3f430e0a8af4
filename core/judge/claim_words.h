#pragma once
#include <string>

#include "judge/claim.h"

namespace heron::judge {

/// A claim out of a line as people write it: "High corner at least 18 kHz", "Gain at 1 kHz 26 \u00b10.5 dB", "Phase
/// margin >= 45 deg", "Low corner 15 to 25 Hz". A figure goes by its name or its key.
/// @param typed  figures beside the kind's own
/// @return the claim with the line as its text; or what is not understood, with an example
Result<Claim> understand_claim(const std::string& line, const study::Kind& kind,
                               const std::vector<study::FigureName>& typed = {});

/// A mask out of a line: "gain at most 27 dB from 100 Hz to 10 kHz", "gain at least 20 dB at 20 Hz, 25 dB at 100 Hz".
/// Placed after a figure by its key: "v_out at most 0.1 V from 1 ms to 2 ms after time.at(0.5V,falling)".
/// One curve of a family by what tells it: "energy.on at 12 ohm at most 20 uJ from 5 A to 20 A".
/// @return nothing where the line does not begin like one, so that it may be a claim
Result<std::optional<Mask>> understand_mask(const std::string& line, const study::Kind& kind);

}  // namespace heron::judge
