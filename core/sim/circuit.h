#pragma once
#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"
#include "bench/waveform.h"
#include "device/rating.h"

/// Circuits as data: parts, their values, and the named pins that a hookup can reach. docs/circuits.md tells the file
/// form.
namespace heron::sim {

struct PartKind;
using bench::kNoCorner;
using bench::pulse;
using bench::triangle;
using bench::Waveform;

/// One number of a part, as the file gives it.
struct PartValue {
  double value = 0;      ///< in SI, nominal
  double tolerance = 0;  ///< relative half width; 0 when exact
};

struct Part {
  std::string name;  ///< "R3", unique in the circuit; "X1.R3" inside a sub-circuit
  const PartKind* kind = nullptr;
  std::vector<std::string> nodes;  ///< in the order of kind->pins, then two for each quantity a formula sees
  std::map<std::string, PartValue> values;
  std::string note;                               ///< what the file says about it
  std::string control;                            ///< for current-controlled sources: whose current controls
  std::map<std::string, std::string> texts;       ///< words such as polarity or shape
  std::string formula;                            ///< of an expression source
  std::vector<std::string> sees;                  ///< names the formula has for the voltages it sees
  std::vector<std::pair<double, double>> points;  ///< of a source that follows a list: (s, value)
  std::optional<Waveform> wave;                   ///< of a source that a bench drives, instead of its values
};

/// Where a current can be sensed: into this pin of this part.
struct Branch {
  std::string part;
  std::size_t pin = 0;
};

/// What the device is told by hand: a value of one of its parts.
struct Told {
  std::string part, value;
  std::string unit;
};

/// Where the device sits in a fixture: what can stand in its place to calibrate an impedance.
struct Fixture {
  std::string from, to;             ///< nodes that the device bridges
  std::vector<std::string> device;  ///< parts that make the device up
};

inline constexpr std::string_view kGround = "ground";
inline constexpr int kMostParts = 20'000;

struct Circuit {
  std::string title;
  std::string about;
  double temperature = 25;  ///< degC of the surroundings
  std::vector<Part> parts;
  std::map<std::string, std::string> pins;  ///< what a person calls it -> node
  std::map<std::string, Branch> branches;   ///< what a person calls it -> where the current flows
  std::map<std::string, Told> told;         ///< what a person calls it -> what it sets
  std::map<std::string, std::string> temperatures;  ///< what a person calls a place -> node whose voltage is its rise above
                                                    ///< the surroundings, a volt a kelvin
  device::Ratings ratings;                  ///< of pins and branches
  std::optional<Fixture> fixture;

  /// Whether something of its own changes with time, though nothing drives it.
  bool moves_by_itself() const;
  const Part* find(std::string_view part) const;

  /// Highest peak voltage against ground that may stand at a pin, V, where stated.
  /// Of a pin, towards a sign.
  std::optional<double> voltage_rating(const std::string& pin, double sign = 1) const;
};

/// Reads a circuit from TOML text, sub-circuits expanded.
///
/// @param file  the name used in errors: "preamp.toml:12: part R3: value: ..."
/// @return the circuit, or the first error with file, line and key
Result<Circuit> read_circuit(std::string_view toml_text, std::string_view file);

/// What no solver could do anything about: a node that hangs in the air, a group of parts without ground, a loop of
/// voltage sources. The message names the parts.
Result<void> check_wiring(const Circuit& circuit);

/// A part value set by hand: what is fitted or was measured. Keyed "C4" for the part's main value, "D1.breakdown" for
/// another.
using FittedValues = std::map<std::string, double>;

/// The circuit of one unit as it came off the line: every toleranced value drawn within its tolerance (uniformly,
/// seeded by the unit's name), then the fitted values put in, which are exact.
Result<Circuit> as_built(const Circuit& nominal, std::string_view unit, const FittedValues& fitted);

/// The circuit with an open, a short or a resistor where the fixture held the device.
/// @param what  "open", "short" or "load"
/// @param ohms  of the load
Result<Circuit> with_standard(const Circuit& circuit, std::string_view what, double ohms);

/// Names of the contacts that a person can move.
std::vector<std::string> contacts_of(const Circuit& circuit);

/// Name -> main nominal value, for the parts that have one (R, C, L, sources).
std::map<std::string, PartValue> main_values(const Circuit& circuit);

}  // namespace heron::sim
