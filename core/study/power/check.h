#pragma once
#include <string>
#include <vector>

#include "study/power/statistics.h"

/// Is each channel what it is said to be?
namespace heron::study::power {

/// What was done to the wiring.
enum class Cause : std::uint8_t {
  none,
  reversed,       ///< one channel the other way round
  exchanged,      ///< voltages among each other, or currents
  turned,         ///< all three of a kind by one place
  volts_for_amperes,  ///< a voltage where a current is said to be, and the other way round
  tenfold,        ///< one channel too large or too small by ten
};

/// What would explain what is seen: for every channel of the wiring which channel it really is, and by what factor.
struct Explanation {
  Cause cause = Cause::none;
  std::vector<std::size_t> from;  ///< [channel]: whose samples it should have
  std::vector<double> factor;     ///< [channel]: -1, 10, 0.1 or 1
  double misfit = 0;              ///< after it; the smaller the better
  std::string said;               ///< "i_b is the other way round"
};

/// What a channel looks like.
struct ChannelLook {
  std::string quantity;
  bool voltage = false;
  std::string phase;       ///< "a", "ab"; empty: the only one
  double rms = 0, frequency = 0, angle = 0;  ///< angle in degrees to the first voltage
  std::string unit;
};

struct WiringCheck {
  std::vector<ChannelLook> channels;
  double misfit = 0;                       ///< of the wiring as it is
  std::vector<Explanation> explanations;   ///< better ones, the best first; empty: nothing is wrong
  std::string untold;                      ///< why nothing can be said of angles: "v_a repeats at 8 kHz, ..."; empty: it can
};

/// Where a voltage repeats with its switching and not with what it turns with: "v_a repeats at 8 kHz, i_a at 120 Hz: ...";
/// empty where they repeat alike.
std::string unlike_repeats(const Waveforms& record, const Wiring& wiring, const Measured& m);

/// @return nothing to say where there is no voltage, no current, or nothing alternates
WiringCheck check_wiring(const Waveforms& record, const Wiring& wiring, const Measured& m, const Settings& settings);

/// The settings that carry an explanation out: wire.ROLE by what text.
std::vector<std::pair<std::string, std::string>> wires_of(const Waveforms& record, const Wiring& wiring, const Explanation& by);

}  // namespace heron::study::power
