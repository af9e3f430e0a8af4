#pragma once
#include <map>
#include <string>
#include <vector>

#include "app/desk.h"
#include "app/lenses/record_plot.h"
#include "render/plot_parts.h"

namespace heron::app {

/// The limit lines of the study in view where they lie on the take in view: those that are placed after a figure it lacks are
/// left out.
std::vector<judge::Mask> placed_masks(Desk& desk);
/// A curve of the kind as it is drawn.
struct LimitedCurve {
  std::string_view name;   ///< as masks call it, and one of its family by what tells that
  std::string_view along;  ///< unit of what it is drawn over
  double factor = 1;       ///< what is drawn is so many times
  double lift = 0;         ///< the curve's value and this
  double beside = 0;       ///< that a place reaches to both sides: half a bar
};
/// The limit lines on it as grounds of a rectangle.
/// @param filled  false: their edges alone
QList<render::ForbiddenGround*> grounds_on(Desk& desk, const LimitedCurve& curve, QCPAxisRect* rect, bool filled = true);
/// Those over time, as grounds of a record.
/// @param called  curves whose quantity has another name there
std::vector<LimitLine> limits_over_time(Desk& desk, const std::map<std::string, std::string>& called = {});

}  // namespace heron::app
