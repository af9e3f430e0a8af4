#pragma once
#include "study/spectrum/spectrum.h"

/// The lines about a tone: the inside of spectrum.h.
namespace heron::study::spectrum {

/// The lines of a tone's main lobe.
struct Lobe {
  std::size_t first = 0, last = 0;  ///< both inside
  std::size_t size() const { return last - first + 1; }
};
Lobe lobe_at(double place, int reach, std::size_t lines);

/// Where a place beyond half the rate is seen.
double folded(double place, std::size_t samples);

/// Mean power of the noise lines about a lobe; of all where there are none near.
double floor_about(const Spectrum& s, const Lobe& lobe);

/// A tone's power from its lobe, what noise adds taken off.
Tone tone_in(const Spectrum& s, const Lobe& lobe, double place);

}  // namespace heron::study::spectrum
