#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "study/figure.h"
#include "study/switching/figures.h"

/// Energies of several shots over the load current.
namespace heron::study::switching {

enum class Energy : std::uint8_t { on, off, recovery, total };
inline constexpr std::size_t kEnergies = 4;
std::string_view energy_name(Energy which);   ///< "energy.on"
std::string_view energy_label(Energy which);

/// One shot, or several with one setting as their mean.
struct SweepPoint {
  int point = 0;             ///< of the first of its shots
  int shots = 1;
  ShotSetting setting;
  double load = 0, bus = 0;  ///< A, V, as read
  double u_load = 0;         ///< of its own
  BySource load_shared = {};
  std::array<std::optional<Found>, kEnergies> energy;
};
/// In the order of their load currents within a family.
struct Family {
  std::optional<double> bus, resistor, temperature;  ///< as set; unset: not told
  std::vector<SweepPoint> points;

  std::string name() const;  ///< "48 V, 10 ohm": what tells it from the others; see families_of()
  bool by_bus = false, by_resistor = false, by_temperature = false;
};
std::vector<Family> families_of(const std::vector<ReadShotPtr>& shots);

/// Between the shots' currents linearly.
struct AtCurrent {
  double value = 0, u = 0;
};
tl::expected<AtCurrent, std::string> energy_at(const Family& family, Energy which, double current);

/// a + b I + c I^2 by least squares; two terms under four points.
struct EnergyFit {
  double constant = 0, linear = 0, square = 0;  ///< J, J/A, J/A^2
  double u_constant = 0, u_linear = 0, u_square = 0;
  double residual = 0;                          ///< J
  double at(double current) const { return constant + current * (linear + current * square); }
};
std::optional<EnergyFit> fit_of(const Family& family, Energy which);

/// A data sheet's points as they would be at another bus voltage and gate resistor: energy goes with the voltage, and with
/// the resistor's share of what it is (both in proportion: the crudest of rules, and the one that data sheets draw).
Promised scaled(const Promised& promised, const Settings& settings, std::optional<double> bus, std::optional<double> resistor);

}  // namespace heron::study::switching
