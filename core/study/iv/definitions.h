#pragma once
#include <functional>
#include <optional>
#include <tl/expected.hpp>

#include "study/figure.h"
#include "study/iv/curve.h"
#include "study/iv/diode.h"
#include "study/iv/settings.h"

/// How each figure of current against voltage is found.
namespace heron::study::iv {

using Value = tl::expected<double, std::string>;  ///< or why not
inline tl::unexpected<std::string> no(std::string reason) { return tl::unexpected<std::string>(std::move(reason)); }

/// One curve, ready to be read.
struct View {
  const Family& family;
  const Curve& curve;
  const Settings& settings;
  Sorted sorted;
  /// The junction fitted to the curve, once for all figures of it.
  mutable std::optional<Result<Diode>> junction;
};

/// K at the junction: as set, as the take tells it, else 300.15.
double junction_temperature(const Family& family, const Settings& settings);

/// What a figure rests on, which says how its uncertainty is found.
enum class Rests {
  between,  ///< read between points: straight lines are put right by smooth ones
  points,   ///< fitted to the points themselves
  ways      ///< the difference of the ways up and down, which finds its own
};

/// A figure of one curve.
struct CurveFigure {
  const char *name, *label, *unit;
  const char* parameter;  ///< unit of what follows the @, before a step: "V"; null for none
  Axis axis;              ///< read without being asked for on this axis, where there is no parameter
  bool both_axes;
  Value (*compute)(const View& view, double parameter);
  Rests rests = Rests::points;
  bool biased = false;  ///< the largest of something: noise pushes it one way, which is taken off
};

/// A figure of the whole family.
struct FamilyFigure {
  const char *name, *label, *unit;
  std::vector<const char*> parameters;  ///< units
  Axis axis;
  Value (*compute)(const std::vector<View>& views, const std::vector<double>& parameters);
  Rests rests = Rests::points;
  bool of_devices = false;  ///< means nothing of a source of power
};

/// True where the curve gives off power: current falls as the voltage rises from short circuit.
bool is_source(const View& view);

const std::vector<CurveFigure>& general_figures();     ///< current, voltage, slopes, loop
const std::vector<CurveFigure>& junction_figures();    ///< diode, source of light
const std::vector<CurveFigure>& transistor_figures();  ///< knee, threshold, transconductance
const std::vector<FamilyFigure>& family_figures();     ///< those that compare curves

}  // namespace heron::study::iv
