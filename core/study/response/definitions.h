#pragma once
#include <complex>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"
#include "signal/curve.h"
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
  std::vector<double> all_lg, all_gain, all_phase;  ///< of every line, trusted or not; empty where all are trusted
  std::vector<std::size_t> place_in_all;            ///< of each trusted point; empty where all are
  std::vector<double> coherence;                    ///< of every line; may be empty
  std::vector<const CurvePoint*> points;            ///< behind every line

  bool all_trusted() const { return all_lg.empty(); }
  const std::vector<double>& every_lg() const { return all_trusted() ? lg : all_lg; }
  const std::vector<double>& every_gain() const { return all_trusted() ? gain : all_gain; }
  const std::vector<double>& every_phase() const { return all_trusted() ? phase : all_phase; }
  const CurvePoint& point(std::size_t trusted) const {
    return *points[all_trusted() ? trusted : place_in_all[trusted]];
  }

  /// Interpolated in its real and imaginary part; nothing outside.
  std::optional<std::complex<double>> value(double frequency) const;

  /// Trusted points i with lines between them and the next that are not: what lies there is not known.
  std::vector<std::size_t> gaps() const;
};

struct Definition {
  std::string key, label, unit;
  std::function<Value(const CurveColumns&, const Settings&)> compute;
  /// Frequencies at which the figure is read, given its value; nothing for figures of no place.
  std::function<std::vector<double>(const CurveColumns&, const Settings&, double)> where = {};
  bool biased = false;     ///< an extreme: noise pushes it one way, which is taken off
  bool on_points = false;  ///< defined by the points themselves, whatever lies between them
  bool angle = false;      ///< in degrees, whole turns aside
  bool of_all_lines = false;  ///< read on lines that are not trusted as well
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

/// What lies within `from` and `to`.
CurveColumns columns_of(const Curve& curve, const Settings& settings);

/// The columns on a grid many times as fine: what straight lines between the points leave out. As they are where there
/// are fewer than four points, or so many that nothing lies between them.
/// @param most_pieces  of each gap; fewer are quicker
CurveColumns refined(const CurveColumns& columns, signal::Between between = signal::Between::cubics,
                     std::size_t most_pieces = 512);

}  // namespace heron::study::response
