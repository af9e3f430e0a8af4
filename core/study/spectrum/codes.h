#pragma once
#include <optional>
#include <string>
#include <vector>

#include "signal/code_density.h"
#include "study/spectrum/settings.h"
#include "study/waveforms.h"

/// Records that are codes of a converter: what integers they stand for, and how wide each code is.
namespace heron::study::spectrum {

/// A quantity as codes.
struct Coded {
  Coding coding;
  TracePtr volts;       ///< what the codes stand for
  double shift = 0;     ///< steps that the middle of code 0 lies above 0 V
};

/// The records of a quantity as codes: those of the bench say so, those of a file by the settings bits and full_scale;
/// nothing where neither does or the numbers are no whole steps.
/// @return Fault::input where codes do not fit the bits, or where they are unsigned ones
Result<std::optional<Coded>> coded(const TracePtr& trace, const std::optional<Coding>& by_bench, const Settings& settings);

/// How wide the codes are; or why that cannot be told.
/// @param records  of one quantity
/// @param place    of the fundamental, in lines of a spectrum of `samples`
/// @param noise    mean square of all that is no tone, V squared
Result<tl::expected<signal::CodeDensity, std::string>> density_of(const std::vector<Coded>& records, const Settings& settings, double place, std::size_t samples,
                                                                  double noise);

}  // namespace heron::study::spectrum
