#pragma once
#include <complex>
#include <nlohmann/json.hpp>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "base/formula.h"
#include "bench/sensor.h"

/// What is sensed where, through what: the chain of each channel, and the arithmetic back from volts at the input.
namespace heron::bench {

enum class Coupling { dc, ac };

/// A fault set on the simulated bench on purpose, for practice: what is really fitted there, whatever the hookup says.
struct Planted {
  std::optional<Sensor> sensor;
  std::string pin;  ///< empty: where the hookup says

  bool operator==(const Planted&) const = default;
};

/// What one input is asked to do.
struct InputSetup {
  std::string pin;              ///< of the device; the branch for a sensor of current
  std::optional<double> range;  ///< full range, V peak; automatic when absent
  std::string against = {};     ///< the other pin; empty: ground
  Sensor sensor = {};
  double attenuation = 1;  ///< of a divider between sensor and input
  Coupling coupling = Coupling::dc;
  double ohms = 1e6;            ///< 1e6 or 50
  bool bandwidth_limit = true;  ///< the input's own filter
  std::optional<Planted> planted = {};

  /// An input without a fixed range; codes have that of their converter.
  bool looks_for_range() const { return !range && !sensor.reads_codes(); }
  bool operator==(const InputSetup&) const = default;
};

/// One sensed quantity: the input's set-up, and what is known of its errors.
struct Chain {
  std::string name;  ///< "v_out": as formulas call it
  InputSetup input;
  std::optional<double> zero;  ///< V at the input with nothing applied, once the sensor was zeroed
  double correction = 1;       ///< of the factor, found with a known signal: true over read
  double deskew = 0;           ///< s by which the channel lags beyond the sensor's own delay

  bool operator==(const Chain&) const = default;
};

/// A channel computed from others: "(v1 - v2)/R7".
struct Computed {
  std::string name, unit, formula;

  bool operator==(const Computed&) const = default;
};

/// Which converters read the inputs.
enum class Digitiser {
  accurate,  ///< many bits
  fast,      ///< many samples
};

struct Hookup {
  std::vector<Chain> chains;
  std::vector<Computed> computed;
  Digitiser digitiser = Digitiser::accurate;

  const Chain* find(std::string_view name) const;
  /// Of a quantity that is sensed or computed; nothing for another.
  std::optional<std::string> unit_of(std::string_view name) const;
  bool operator==(const Hookup&) const = default;
};

nlohmann::json to_json(const Chain& chain);
Result<Chain> chain_from_json(const nlohmann::json& json);
Result<std::vector<Computed>> computed_from_json(const nlohmann::json& json);
nlohmann::json to_json(const Hookup& hookup);
Result<Hookup> hookup_from_json(const nlohmann::json& json);

/// How the samples of a channel become the quantity: stored with every point, so that a record explains itself.
struct Sensing {
  std::string unit = "V";
  double per_volt = 1;     ///< quantity per volt at the input
  double zero = 0;         ///< V at the input, taken off
  double delay = 0;        ///< s by which the channel lags
  double bandwidth = 0;    ///< Hz; 0: none to correct
  double low_corner = 0;   ///< Hz
  double u_factor = 0;     ///< relative
  double u_bandwidth = 0;  ///< relative, of both corners
  double u_zero = 0;       ///< V at the input
  bool zeroed = true;      ///< false where the sensor drifts and was not zeroed
};

Sensing sensing_of(const Chain& chain);
nlohmann::json to_json(const Sensing& sensing);
/// What is missing has its default; Fault::input for what is there and makes no sense.
Result<Sensing> sensing_from_json(const nlohmann::json& json);

/// The chain's linear response at a frequency, 1 at mid band: what a reading must be divided by. Poles of sensor only;
/// delay included.
std::complex<double> response_of(const Sensing& sensing, double frequency);

/// What a chain amounts to, for people.
struct ChainSummary {
  double per_volt = 1;  ///< quantity per volt at the input
  std::string unit;
  double full_scale = 0;                        ///< in the quantity, of the range (or the highest one when automatic)
  double one_count = 0;                         ///< in the quantity
  double bandwidth = 0;                         ///< Hz, sensor and input joined
  double delay = 0;                             ///< s
  double harm = 0;                              ///< in the quantity, peak: the lowest of all ratings on the way
  std::string harm_of;                          ///< whose rating that is: "the sensor", "the input"
  double loading_ohms = 0, loading_farads = 0;  ///< at the device; 0 ohms for a branch
  bool codes = false;                           ///< of the device's own converter: none of an input's data counts
};

/// What the inputs can do, as far as a chain is concerned.
struct InputLimits {
  std::vector<double> ranges;  ///< V peak, rising
  int bits = 14;
  double resistance = 1e6, capacitance = 15e-12;
  double bandwidth = 25e6, full_bandwidth = 200e6;  ///< with and without the limit
  double highest = 300;                             ///< V peak that harms a 1-megohm input
  double highest_50 = 7.07;                         ///< V peak that harms a 50-ohm input
};

ChainSummary summarise(const Chain& chain, const InputLimits& limits);

/// "expects 4.1 V peak, uses 8 % of the range, clips at 50 V, is harmed at 300 V"
std::string headroom_text(const ChainSummary& summary, std::optional<double> expected_peak,
                          std::optional<double> range_in_quantity);

/// What is wrong with a chain by itself: a probe on a 50-ohm input, two pins through a grounded lead. Empty when sound.
std::vector<std::string> chain_troubles(const Chain& chain);

/// Samples of all channels in their quantities, computed ones included, in the order chains then computed.
///
/// @param names    of the measured channels
/// @param samples  one row a channel, all of one length, already in their quantities
/// @param parts    values that formulas may use besides, by name
/// @return rows of the computed channels, or which formula cannot be read
Result<std::vector<std::vector<double>>> compute_channels(const std::vector<Computed>& computed,
                                                          const std::vector<std::string>& names,
                                                          const std::vector<std::vector<double>>& samples,
                                                          const std::vector<std::pair<std::string, double>>& parts);

/// The largest sense resistor of the E12 series that keeps within the drop, and what it gives.
struct SenseProposal {
  double resistance = 0;   ///< ohm
  double drop = 0;         ///< V at the expected current
  double range = 0;        ///< V, the input's range to use
  double range_share = 0;  ///< of that range at the expected current
  double dissipation = 0;  ///< W
  double one_count = 0;    ///< A
};

/// @param current       expected, A peak, above zero
/// @param allowed_drop  V, above zero
Result<SenseProposal> propose_sense_resistor(double current, double allowed_drop, const InputLimits& limits);

/// What a known signal says about a chain's factor.
struct FactorCheck {
  double read = 0, known = 0, ratio = 1;  ///< ratio: read over known
  std::string verdict;                    ///< in a sentence
  std::optional<double> likely_factor;    ///< when the ratio is that of a forgotten probe
};
/// @param u  relative standard uncertainty of read and known together
FactorCheck check_factor(double read, double known, double u);

}  // namespace heron::bench
