#pragma once
#include <optional>
#include <vector>

#include "signal/local.h"
#include "study/switching/sensed.h"

/// What is read off the samples around an event, noise considered.
namespace heron::study::switching {

/// Samples of a quantity within two times, with one more on either side.
struct Samples {
  std::vector<double> t, y;  ///< s, in the unit
  double noise = 0, together = 1;

  double at(double time) const;  ///< linearly; the first or last value beyond the ends
};
Result<Samples> samples_of(const Sensed& sensed, double from, double to);

/// A time with what noise leaves of it.
struct Instant {
  double t = 0, u = 0;
};

/// Where a sample set passes a level, going forward or back from a time; s. Nothing where it does not.
std::optional<double> first_past(const Samples& s, double from, double level, bool above, bool forward);
/// The same, by as many samples as its noise asks for.
std::optional<Instant> past(const Samples& s, double from, double level, bool above, bool forward);

/// The first crossing that comes from well on one side and leaves well to the other, s.
/// @param band  half of what must be left
std::optional<double> clear_crossing(const Samples& s, double level, double band, bool rising);

/// The highest or lowest between two times; nothing where no sample lies there.
struct Extreme {
  double value = 0, u = 0, t = 0;
};
std::optional<Extreme> extreme(const Samples& s, double from, double to, signal::Towards which);

/// The integral of y - less between two times, straight between samples, and what noise does to it.
struct Integral {
  double value = 0, u = 0;
};
Integral integral(const Samples& s, double from, double to, double less);

/// The integral of v i between two times, the lines between samples straight.
double energy_between(const Samples& v, const Samples& i, double from, double to);
/// What noise on v and i does to it.
double u_energy(const Samples& v, const Samples& i, double from, double to);
/// Of a record at half the rate.
Samples every_second(const Samples& s);

}  // namespace heron::study::switching
