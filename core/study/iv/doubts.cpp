#include "study/iv/doubts.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/iv/loop.h"

namespace heron::study::iv {
namespace {

std::string curve_text(const Family& family, const Curve& curve) {
  if (family.curves.size() < 2 || !curve.step) return "the curve";
  return "the curve at " + family.step_name + " " + format_setting(*curve.step, family.step_unit);
}

/// Three or more points in a row with the highest current, alike to a ten-thousandth, while the voltage goes on.
bool plateau(const Curve& curve) {
  constexpr double kSame = 1e-4;
  constexpr std::size_t kRow = 3;
  double top = 0;
  for (const auto& p : curve.points) top = std::max(top, std::abs(p.current));
  std::size_t run = 0;
  double from = 0;
  for (const auto& p : curve.points) {
    const bool at_top = top > 0 && std::abs(std::abs(p.current) - top) <= kSame * top;
    if (at_top && run == 0) from = p.voltage;
    run = at_top ? run + 1 : 0;
    if (run >= kRow && p.voltage != from) return true;
  }
  return false;
}

void check_compliance(const Family& family, std::vector<Doubt>& out) {
  std::size_t curves = 0, points = 0;
  const Curve* first = nullptr;
  for (const auto& curve : family.curves) {
    const auto n = std::size_t(
        std::count_if(curve.points.begin(), curve.points.end(), [](const CurvePoint& p) { return p.at_compliance; }));
    const bool seen = n > 0 || (!family.measured && plateau(curve));
    if (!seen) continue;
    if (!first) first = &curve;
    ++curves;
    points += n;
  }
  if (!first) return;
  const bool all = family.measured && points == family.size();
  out.push_back(
      {"compliance.reached", all ? Severity::serious : Severity::caution,
       all ? std::string("Every point was read at compliance: the curve is the source's limit, not the device.")
       : family.measured
           ? fmt::format("{} of {} points were read at compliance, first on {}; they are left out of figures.", points,
                         family.size(), curve_text(family, *first))
           : fmt::format("The current stays at its highest value on {}{}: a limit of the source held.",
                         curve_text(family, *first), curves > 1 ? fmt::format(" and {} more", curves - 1) : ""),
       "Raise the compliance if the device bears it, or end the sweep before."});
}

void check_loop(const Family& family, const Settings& settings, std::vector<Doubt>& out) {
  std::optional<Loop> widest;
  const Curve* of = nullptr;
  for (const auto& curve : family.curves)
    if (const auto loop = loop_of(curve); loop && (!widest || loop->opening > widest->opening)) {
      widest = loop;
      of = &curve;
    }
  if (!widest || widest->opening <= settings.loop_threshold) return;
  std::string text =
      fmt::format("The way down does not lie on the way up: {:.2g} % of the highest current apart at {} on {}.",
                  100 * widest->opening, format_setting(widest->opening_at, "V"), curve_text(family, *of));
  if (family.measured && widest->rate > 0)
    text += fmt::format(" The sweep went at {}/s; a capacitance takes current in proportion to that.",
                        format_setting(widest->rate, "V"));
  out.push_back({"loop.open", Severity::caution, text,
                 "Sweep four times as slowly and see whether it closes: a capacitance does, memory and self-heating do "
                 "not."});
}

}  // namespace

std::vector<Doubt> find_doubts(const Family& family, const Settings& settings) {
  std::vector<Doubt> out;
  check_compliance(family, out);
  check_loop(family, settings, out);
  return out;
}

}  // namespace heron::study::iv
