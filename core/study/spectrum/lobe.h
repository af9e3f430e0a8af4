#pragma once
#include <functional>

#include "study/spectrum/spectrum.h"

/// The lines about a tone: the inside of spectrum.h.
namespace heron::study::spectrum {

/// The lines of a tone's main lobe.
struct Lobe {
  std::size_t first = 0, last = 0;  ///< both inside
  std::size_t size() const { return last - first + 1; }
};
Lobe lobe_at(double place, int reach, std::size_t lines);

/// Whether all lines within [from, to) are noise.
bool all_noise(const Spectrum& s, std::size_t from, std::size_t to);

/// The largest of lines [from, to).
std::size_t largest_line(const std::vector<double>& power, std::size_t from, std::size_t to);

/// Sums over the lines of noise within [from, to): of their power, of its squares.
struct NoiseSums {
  double sum = 0, squares = 0;
  std::size_t count = 0;
};
NoiseSums noise_sums(const Spectrum& s, std::size_t from, std::size_t to);

/// Calls `use(k)` for the lines of noise whose power is above `over()`, which may rise meanwhile.
void for_each_above(const Spectrum& s, const std::function<double()>& over, const std::function<void(std::size_t)>& use);

/// Where a place beyond half the rate is seen.
double folded(double place, std::size_t samples);

/// Mean power of the noise lines about a lobe; of all where there are none near.
double floor_about(const Spectrum& s, const Lobe& lobe);

/// A tone's power from its lobe, what noise adds taken off.
Tone tone_in(const Spectrum& s, const Lobe& lobe, double place);

}  // namespace heron::study::spectrum
