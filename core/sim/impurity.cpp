#include "sim/impurity.h"

#include <cmath>
#include <numbers>

namespace heron::sim {

Device::Noise as_noise(const Impurity& impurity) { return {impurity.emf, impurity.pin, impurity.noise / impurity.resistance}; }

std::vector<Spur> spurs_at(const SmallSignal& circuit, std::span<const Impurity> impurities, int unknown) {
  std::vector<Spur> out;
  for (const auto& one : impurities) {
    if (!(one.spur > 0)) continue;
    const auto reach = circuit.influence(one.frequency, unknown);
    if (reach.empty()) continue;
    const auto at = [&](int row) { return row < 0 ? std::complex<double>() : reach[std::size_t(row)]; };
    const auto gain = (at(one.pin) - at(one.emf)) / one.resistance;
    out.push_back({2 * std::numbers::pi * one.frequency, gain * std::polar(one.spur, one.phase)});
  }
  return out;
}

void add_spurs(std::span<const Spur> spurs, double first, double rate, std::span<double> into) {
  constexpr std::size_t kAnew = 1024;  // rounding does not gather
  for (const auto& spur : spurs) {
    const auto turn = std::polar(1.0, spur.w / rate);
    std::complex<double> now;
    for (std::size_t k = 0; k < into.size(); ++k) {
      now = k % kAnew == 0 ? spur.amplitude * std::polar(1.0, std::fmod(spur.w * (first + double(k) / rate), 2 * std::numbers::pi)) : now * turn;
      into[k] += now.real();
    }
  }
}

}  // namespace heron::sim
