#include <cmath>

#include "base/formula.h"
#include "sim/parts/parts.h"

namespace heron::sim::parts {
namespace {

/// A formula over voltages seen elsewhere, time t and temperature T; its slopes are central differences of the formula,
/// since it is the user's and not ours.
class SeenFormula {
 public:
  explicit SeenFormula(const DeviceContext& c) : seen_(c.part->sees.size()) {
    auto names = c.part->sees;
    names.push_back("t");
    names.push_back("T");
    values_.assign(names.size(), 0.0);
    values_.back() = c.temperature;
    for (const auto& [key, value] : c.part->values)
      if (key.starts_with(':')) {
        names.push_back(key.substr(1));
        values_.push_back(value.value);
      }
    // The reader has refused what cannot be read; an empty formula would be a fault of ours.
    formula_ = std::make_unique<Formula>(Formula::read(c.part->formula, names).value());
    for (std::size_t k = 0; k < seen_; ++k) {
      plus_.push_back(c.pins[2 + 2 * k]);
      minus_.push_back(c.pins[3 + 2 * k]);
    }
  }

  double value(const Stamp& s, std::vector<double>& slopes) const {
    for (std::size_t k = 0; k < seen_; ++k) values_[k] = s.v(plus_[k]) - s.v(minus_[k]);
    values_[seen_] = s.time;
    const double here = (*formula_)(values_);
    slopes.assign(seen_, 0.0);
    for (std::size_t k = 0; k < seen_; ++k) {
      const double keep = values_[k], h = 6e-6 * std::max(std::abs(keep), 1e-2);
      values_[k] = keep + h;
      const double above = (*formula_)(values_);
      values_[k] = keep - h;
      const double below = (*formula_)(values_);
      values_[k] = keep;
      slopes[k] = (above - below) / (2 * h);
    }
    return here;
  }

  const std::vector<int>& plus() const { return plus_; }
  const std::vector<int>& minus() const { return minus_; }

 private:
  std::size_t seen_;
  std::unique_ptr<Formula> formula_;
  std::vector<int> plus_, minus_;
  mutable std::vector<double> values_;
};

class ExpressionVoltage final : public BentDevice {
 public:
  explicit ExpressionVoltage(const DeviceContext& c) : a_(c.pins[0]), b_(c.pins[1]), i_(c.extra[0]), formula_(c) {}

  void stamp(Stamp& s) const override {
    s.add_f(a_, s.v(i_));
    s.add_f(b_, -s.v(i_));
    s.add_g(a_, i_, 1);
    s.add_g(b_, i_, -1);
    s.add_f(i_, s.v(a_) - s.v(b_) - formula_.value(s, slopes_));
    s.add_g(i_, a_, 1);
    s.add_g(i_, b_, -1);
    for (std::size_t k = 0; k < slopes_.size(); ++k) {
      s.add_g(i_, formula_.plus()[k], -slopes_[k]);
      s.add_g(i_, formula_.minus()[k], slopes_[k]);
    }
  }

 private:
  int a_, b_, i_;
  SeenFormula formula_;
  mutable std::vector<double> slopes_;
};

/// Its current flows out of pin a, through the circuit, into pin b.
class ExpressionCurrent final : public BentDevice {
 public:
  explicit ExpressionCurrent(const DeviceContext& c) : a_(c.pins[0]), b_(c.pins[1]), formula_(c) {}

  void stamp(Stamp& s) const override {
    const double i = formula_.value(s, slopes_);
    s.add_f(a_, -i);
    s.add_f(b_, i);
    for (std::size_t k = 0; k < slopes_.size(); ++k) {
      s.add_g(a_, formula_.plus()[k], -slopes_[k]);
      s.add_g(a_, formula_.minus()[k], slopes_[k]);
      s.add_g(b_, formula_.plus()[k], slopes_[k]);
      s.add_g(b_, formula_.minus()[k], -slopes_[k]);
    }
  }

 private:
  int a_, b_;
  SeenFormula formula_;
  mutable std::vector<double> slopes_;
};

}  // namespace

std::vector<PartKind> expressions() {
  return {{.name = "expression voltage",
           .pins = {"a", "b"},
           .extra_unknowns = 1,
           .two_terminal = true,
           .make = build<ExpressionVoltage>,
           .takes_formula = true,
           .ideal_voltage = true},
          {.name = "expression current",
           .pins = {"a", "b"},
           .two_terminal = true,
           .make = build<ExpressionCurrent>,
           .takes_formula = true}};
}

}  // namespace heron::sim::parts
