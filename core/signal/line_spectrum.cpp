#include "signal/line_spectrum.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "signal/record_lines.h"

namespace heron::signal {

std::size_t LineSpectrum::largest() const {
  return std::size_t(std::max_element(rms.begin() + 1, rms.end()) - rms.begin());
}

LineSpectrum line_spectrum(std::span<const double> values, double sample_rate, Window window) {
  const RecordLines lines(values);
  const auto facts = facts_of(window);
  LineSpectrum spectrum{.line = sample_rate / double(lines.samples()), .rms = {}};
  lines.add_power(facts, spectrum.rms);
  for (auto& line : spectrum.rms) line = std::sqrt(line * facts.noise_bandwidth);
  return spectrum;
}

}  // namespace heron::signal
