#pragma once
#include <cstdint>
#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"

/// Circuits as data: parts, their values, and the named pins that a hookup can reach. docs/circuits.md tells the file
/// form.
namespace heron::sim {

struct PartKind;

/// One number of a part, as the file gives it.
struct PartValue {
  double value = 0;      ///< in SI, nominal
  double tolerance = 0;  ///< relative half width; 0 when exact
};

struct Part {
  std::string name;  ///< "R3", unique in the circuit
  const PartKind* kind = nullptr;
  std::vector<std::string> nodes;  ///< in the order of kind->pins
  std::map<std::string, PartValue> values;
  std::string note;     ///< what the file says about it
  std::string control;  ///< for current-controlled sources: the voltage source whose current controls
};

inline constexpr std::string_view kGround = "ground";

struct Circuit {
  std::string title;
  std::string about;
  std::vector<Part> parts;
  std::map<std::string, std::string> pins;     ///< what a person calls it -> node
  std::map<std::string, double> peak_ratings;  ///< pin -> highest voltage against ground that may be applied, V

  const Part* find(std::string_view part) const;
};

/// Reads a circuit from TOML text.
///
/// @param file  the name used in errors: "preamp.toml:12: part R3: value: ..."
/// @return the circuit, or the first error with file, line and key
Result<Circuit> read_circuit(std::string_view toml_text, std::string_view file);

/// A part value set by hand: what is fitted or was measured. Keyed "C4" for the part's main value.
using FittedValues = std::map<std::string, double>;

/// The circuit of one unit as it came off the line: every toleranced value drawn within its tolerance (uniformly,
/// seeded by the unit's name), then the fitted values put in, which are exact.
Result<Circuit> as_built(const Circuit& nominal, std::string_view unit, const FittedValues& fitted);

/// Name -> main nominal value, for the parts that have one (R, C, L, sources).
std::map<std::string, PartValue> main_values(const Circuit& circuit);

}  // namespace heron::sim
