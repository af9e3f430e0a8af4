#pragma once
#include <array>
#include <cmath>
#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "study/conversion/settings.h"

/// What was read at each setting of line, load, frequency and temperature: all that figures over points are made of.
namespace heron::study::conversion {

/// What is read at a point: voltage and current of the input and of the output.
enum class Port : std::uint8_t { vin, iin, vout, iout };
inline constexpr std::size_t kPorts = 4;
inline constexpr std::array<Port, kPorts> kAllPorts = {Port::vin, Port::iin, Port::vout, Port::iout};
std::string_view port_name(Port port);  ///< "vin": the role
std::string_view port_unit(Port port);  ///< "V", "A"

/// A reading with what it may be off by: of its own, and by sources that readings share.
struct Measure {
  double value = 0;
  double u = 0;                                        ///< standard uncertainty of its own
  std::vector<std::pair<int, double>> shared = {};     ///< by source, signed: what one standard uncertainty of it does
};

/// One point.
struct Row {
  std::array<Measure, kPorts> read = {};
  std::optional<double> line, load, frequency, temperature;  ///< V, A (or ohm, W), Hz, degC: as it was set; unset: nobody said
  std::optional<double> warmth;  ///< degC that a thermometer read there; nothing is told apart by it
  int point = 0;     ///< index of the point it was read at
  int readings = 1;  ///< that were averaged
  bool whole = true; ///< all four were read; what was not is zero

  Measure& of(Port p) { return read[std::size_t(p)]; }
  double at(Port p) const { return read[std::size_t(p)].value; }
  double vin() const { return at(Port::vin); }
  double iout() const { return at(Port::iout); }
  double vout() const { return at(Port::vout); }
  double input_power() const { return at(Port::vin) * at(Port::iin); }
  double output_power() const { return at(Port::vout) * at(Port::iout); }
  double loss() const { return input_power() - output_power(); }
  double efficiency() const { return output_power() / input_power(); }
  /// What the input was set to; where nobody said, what was read.
  double line_or_read() const { return line.value_or(vin()); }
};
using Rows = std::vector<Row>;

/// Duplicates of one setting averaged, their scatter in u; then in the order of frequency, temperature, line and load.
Rows merged(Rows rows);
/// Those within the limits of line and load.
Rows within_limits(const Rows& rows, const Settings& settings);

/// What the heat of shunts moves currents by, as an error that all points share: it is not taken off.
Rows with_heat(Rows rows, const Settings& settings);

/// Points over load that have all else in common.
struct LoadCurve {
  double line = 0;  ///< V: as set, or the mean of what was read
  std::optional<double> frequency, temperature;
  Rows rows = {};   ///< rising in output current
};
/// By frequency, temperature and line. Inputs that nobody set are one line where they follow each other within 2 %.
std::vector<LoadCurve> load_curves(const Rows& rows);

/// The same over line at one load.
struct LineCurve {
  double load = 0;  ///< A that was read, mean
  std::optional<double> frequency, temperature;
  Rows rows = {};   ///< rising in input voltage
};
std::vector<LineCurve> line_curves(const Rows& rows);

/// A value with its standard uncertainty in two parts.
struct Value {
  double value = 0;
  double u_own = 0, u_shared = 0;
  double u() const { return std::hypot(u_own, u_shared); }
};
/// A function of some rows with what every error of theirs does to it: each moved by its standard uncertainty both ways.
Value with_u(const Rows& rows, const std::function<double(const Rows&)>& of);

/// On the straight line through two places; halfway up where both are one.
double between(double x, double x0, double y0, double x1, double y1);

}  // namespace heron::study::conversion
