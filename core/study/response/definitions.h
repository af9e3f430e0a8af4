#pragma once
#include <complex>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"
#include "study/kind.h"
#include "study/response/reduce.h"
#include "study/response/settings.h"

/// How a figure is found on a curve: the inside of figures.h.
namespace heron::study::response {

using Value = tl::expected<double, std::string>;  ///< or why not
inline tl::unexpected<std::string> no(std::string reason) { return tl::unexpected<std::string>(std::move(reason)); }

/// The trusted points of a curve as plain columns over lg f, which is what all definitions interpolate on.
struct CurveColumns {
  std::vector<double> f, lg, gain, phase;
  bool has_phase = true;
  bool impedance = false;
  std::vector<double> all_lg, coherence;  ///< of every line, trusted or not; coherence empty where there is none

  /// Interpolated in its real and imaginary part; nothing outside.
  std::optional<std::complex<double>> value(double frequency) const;
};

struct Definition {
  std::string key, label, unit;
  std::function<Value(const CurveColumns&, const Settings&)> compute;
  /// Frequencies at which the figure is read, given its value; nothing for figures of no place.
  std::function<std::vector<double>(const CurveColumns&, const Settings&, double)> where = {};
};

/// V/I figures that need no parameter, and those that need a frequency: "resistance.series@1kHz".
/// Where a figure is read whose value is a frequency.
inline std::vector<double> itself(const CurveColumns&, const Settings&, double value) { return {value}; }

const std::vector<Definition>& impedance_figures();
std::vector<FigureName> impedance_names();
std::optional<Definition> impedance_figure_at(std::string_view name, std::string key, double frequency);

/// "corner.high", "gain@1kHz": the definition behind any key, or Fault::usage.
Result<Definition> define(std::string_view key);
const std::vector<Definition>& plain_figures();

/// @param kept  the points behind the columns, in their order
CurveColumns columns_of(const Curve& curve, const Settings& settings, std::vector<const CurvePoint*>& kept);

/// The columns on a grid eight times as fine, points between by cubics through their four neighbours: what straight
/// lines between the points leave out.
CurveColumns refined(const CurveColumns& columns);

}  // namespace heron::study::response
