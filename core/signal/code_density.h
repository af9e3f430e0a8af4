#pragma once
#include <span>
#include <string>
#include <tl/expected.hpp>
#include <vector>

/// How wide a converter's codes are, from how often a sine brings each (IEEE 1241, histogram method).
namespace heron::signal {

/// Of the codes between the lowest and the highest that came. Those two hold the sine's tops and tell nothing of their
/// outer ends. All in steps.
struct CodeDensity {
  int lowest = 0, highest = 0;
  double samples = 0;
  std::vector<double> hits;          ///< of each code from lowest to highest
  std::vector<double> expected;      ///< the same of an ideal converter under the sine that was found
  std::vector<double> transitions;   ///< below each code from lowest + 1 to highest, the first and the last where they ideally lie
  std::vector<double> u_transitions;
  std::vector<double> inl;           ///< of each of these: what it lies off the line through its ends
  std::vector<double> dnl;           ///< of each code from lowest + 1 to highest - 1: its width less one
  double amplitude = 0, offset = 0;  ///< of the sine

  double u_dnl(std::size_t k) const;
};

/// @param hits   of each code, from the lowest code that there can be
/// @param first  that code
/// @param noise  standard deviation of the noise before the converter, steps
/// @return why not, where too few codes came
tl::expected<CodeDensity, std::string> code_density(std::span<const std::size_t> hits, int first, double noise);

}  // namespace heron::signal
