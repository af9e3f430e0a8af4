#include "study/iv/axes.h"

#include <algorithm>
#include <cmath>

#include "base/formula.h"

namespace heron::study::iv {
namespace {

constexpr double kNone = std::numeric_limits<double>::quiet_NaN();

/// The slope at each point, each stretch by itself: a loop has two at one voltage.
std::vector<double> slopes(const Curve& curve) {
  std::vector<double> out(curve.points.size(), kNone);
  for (const auto& piece : pieces_of(curve)) {
    const auto s = sorted(curve, piece.points);
    for (const auto k : piece.points)
      if (const auto& p = curve.points[k]; p.usable()) out[k] = slope_at(s, p.voltage).value_or(kNone);
  }
  return out;
}

template <class Of>
std::vector<double> each(const Curve& curve, const Of& of) {
  std::vector<double> out;
  out.reserve(curve.points.size());
  for (const auto& p : curve.points) out.push_back(of(p));
  return out;
}

std::vector<std::string> formula_names(const Family& family) {
  std::vector<std::string> out = {"v", "i", "p", "t", "step"};
  for (const auto& [name, unit] : family.channels) {
    auto plain = name;
    std::replace_if(
        plain.begin(), plain.end(), [](unsigned char c) { return !std::isalnum(c); }, '_');
    out.push_back(plain);
  }
  return out;
}

double quotient(double a, double b) { return b != 0 ? a / b : kNone; }

}  // namespace

std::vector<AxisQuantity> axis_quantities(const Family& family) {
  std::vector<AxisQuantity> out = {{"voltage", "Voltage", "V"},
                                   {"current", "Current", "A"},
                                   {"slope", "Slope dI/dV", "S"},
                                   {"dynamic", "Dynamic resistance dV/dI", "ohm"},
                                   {"resistance", "Resistance V/I", "ohm"},
                                   {"power", "Power", "W"},
                                   {"efficiency", "Slope over current", "1/V"}};
  const bool stepped =
      std::any_of(family.curves.begin(), family.curves.end(), [](const Curve& c) { return c.step && *c.step != 0; });
  if (stepped && family.step_unit == "A") out.push_back({"gain", "Current gain", "1"});
  if (!family.measured) return out;
  out.push_back({"time", "Time", "s"});
  out.push_back({"programmed", "What was asked", ""});
  if (!family.ramped)
    for (const auto& [name, unit] : family.channels) {
      auto label = name;
      label.front() = char(std::toupper(static_cast<unsigned char>(label.front())));
      out.push_back({name, label, unit});
    }
  return out;
}

Result<AxisQuantity> axis_quantity(const Family& family, const std::string& key) {
  for (const auto& q : axis_quantities(family))
    if (q.key == key) return q;
  if (const auto formula = Formula::read(key, formula_names(family)); !formula) return tl::unexpected(formula.error());
  return AxisQuantity{key, key, ""};
}

std::vector<double> along(const Family& family, const Curve& curve, const std::string& key) {
  if (key == "voltage") return each(curve, [](const CurvePoint& p) { return p.voltage; });
  if (key == "current") return each(curve, [](const CurvePoint& p) { return p.current; });
  if (key == "power") return each(curve, [](const CurvePoint& p) { return p.voltage * p.current; });
  if (key == "resistance") return each(curve, [](const CurvePoint& p) { return quotient(p.voltage, p.current); });
  if (key == "time") return each(curve, [](const CurvePoint& p) { return p.time; });
  if (key == "programmed") return each(curve, [](const CurvePoint& p) { return p.programmed.value_or(kNone); });
  if (key == "gain")
    return each(curve, [&](const CurvePoint& p) { return quotient(p.current, curve.step.value_or(0)); });
  if (key == "slope" || key == "dynamic" || key == "efficiency") {
    auto out = slopes(curve);
    for (std::size_t k = 0; k < out.size(); ++k)
      out[k] = key == "slope"     ? out[k]
               : key == "dynamic" ? quotient(1, out[k])
                                  : quotient(out[k], curve.points[k].current);
    return out;
  }
  for (std::size_t c = 0; c < family.channels.size(); ++c)
    if (family.channels[c].first == key)
      return each(curve, [c](const CurvePoint& p) { return c < p.all.size() ? p.all[c] : kNone; });
  const auto formula = Formula::read(key, formula_names(family));
  if (!formula) return std::vector<double>(curve.points.size(), kNone);
  std::vector<double> values(5 + family.channels.size());
  return each(curve, [&](const CurvePoint& p) {
    values[0] = p.voltage;
    values[1] = p.current;
    values[2] = p.voltage * p.current;
    values[3] = p.time;
    values[4] = curve.step.value_or(0);
    for (std::size_t c = 0; c < family.channels.size(); ++c) values[5 + c] = c < p.all.size() ? p.all[c] : kNone;
    const double out = (*formula)(values);
    return std::isfinite(out) ? out : kNone;
  });
}

}  // namespace heron::study::iv
