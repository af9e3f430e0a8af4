#pragma once
#include <map>
#include <optional>
#include <string>
#include <string_view>

#include "base/result.h"

namespace heron::study::response {

/// What H is: a ratio of like quantities, or V/I.
enum class Quantity { gain, impedance };

/// What is drawn as expected.
enum class Expectation { circuit, none, formula };

/// How figures are read off a response. Stored with the study; changing one reads old takes anew.
struct Settings {
  double drop_db = 3.010299956639812;         ///< 10 lg 2, half power
  std::string reference = "auto";             ///< auto, first, last, max
  std::optional<double> reference_frequency;  ///< Hz, instead
  std::optional<double> from, to;             ///< Hz, what is analysed
  std::optional<Quantity> quantity;           ///< unset: what the take says, else gain
  bool noise = false;                         ///< records are of noise: method = noise
  std::optional<std::size_t> segment;         ///< samples; unset: the largest power of two with at least 32 averages
  std::optional<double> overlap;              ///< 0.5
  std::optional<std::string> window;          ///< hann
  std::string estimator = "H1";               ///< or H2
  double coherence_limit = 0.8;
  std::optional<double> normalise;       ///< Hz at which the gain is set to 0 dB
  std::map<std::string, int> standards;  ///< "open", "short", "load" -> number of the take that holds it
  double load_resistance = 1000;         ///< ohm, of the load standard
  Expectation expectation = Expectation::circuit;
  std::string expected_formula = {};     ///< H over part values, where it is a formula
  bool fit = false;                      ///< the equivalent circuit of a resonator: fit = resonator
  double u_limit_relative = 0.01;
  double u_limit_db = 0.1;
  double u_limit_deg = 1;
};

/// Sets one from its text. Unknown keys are Fault::usage; values that make no sense too.
Result<void> set(Settings& settings, std::string_view key, std::string_view text);

/// All that are in use, as text that set() reads back.
std::map<std::string, std::string> as_text(const Settings& settings);

}  // namespace heron::study::response
