#pragma once
#include "study/spectrum/spectrum.h"
#include "study/spectrum/strong_tones.h"

/// What is in a spectrum whose lines are summed.
namespace heron::study::spectrum {

/// Whether the record holds a second tone of which it does not hold whole cycles.
bool another_between(const signal::RecordLines& lines, double place, double power);

/// The place of the fundamental, and how far off whole cycles that is.
void put_place(Spectrum& s, double place);

/// What was seen of the records while they were summed.
struct Seen {
  const signal::RecordLines& first;
  const StrongTones& strong;
  std::size_t top = 0;  ///< where the fundamental stands
  signal::RecordLines::Largest plain = {};  ///< of the first, without a window
};

/// Fundamental, harmonics, other tones and noise of a spectrum whose power, rest and averages are there.
/// @param links  what is divided out of every line
void find_tones(Spectrum& s, const Seen& seen, const std::vector<Link>& links, const Settings& settings);

}  // namespace heron::study::spectrum
