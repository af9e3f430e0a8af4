#pragma once
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"
#include "study/iv/curve.h"

/// What can stand along the axes of a plot of curves.
namespace heron::study::iv {

struct AxisQuantity {
  std::string key, label, unit;

  bool operator==(const AxisQuantity&) const = default;
};

/// All that a family can give by itself; what its sources read besides is in it by their names.
std::vector<AxisQuantity> axis_quantities(const Family& family);

/// The quantity of a key; of any other text a formula over v, i, p, t, step and what the sources read, "gate_current".
/// Fault::input for what cannot be read.
Result<AxisQuantity> axis_quantity(const Family& family, const std::string& key);

/// One value for each point of a curve, NaN where it has none.
std::vector<double> along(const Family& family, const Curve& curve, const std::string& key);

}  // namespace heron::study::iv
