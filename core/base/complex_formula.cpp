#include "base/complex_formula.h"

#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wshadow"
#pragma GCC diagnostic ignored "-Wpedantic"
#pragma GCC diagnostic ignored "-Wextra"
#include <muparserx/mpParser.h>
#pragma GCC diagnostic pop

#include <cmath>
#include <numbers>

#include "base/formula.h"

namespace heron {

struct ComplexFormula::Held {
  mup::ParserX parser{mup::pckALL_COMPLEX};
  std::map<std::string, mup::Value> values;
  std::string text;
};

ComplexFormula::ComplexFormula(std::unique_ptr<Held> held) : held_(std::move(held)) {}
ComplexFormula::ComplexFormula(ComplexFormula&&) noexcept = default;
ComplexFormula::~ComplexFormula() = default;

Result<ComplexFormula> ComplexFormula::read(const std::string& text, const std::map<std::string, double>& values) {
  constexpr std::size_t kLongest = 2000;
  if (text.size() > kLongest) return fail(Fault::input, "A formula of more than {} letters is too long.", kLongest);
  auto held = std::make_unique<Held>();
  held->text = text;
  try {
    for (const char* name : {"f", "w", "s"}) {
      held->values[name] = mup::Value(mup::cmplx_type(1, 0));
      held->parser.DefineVar(name, mup::Variable(&held->values[name]));
    }
    for (const auto& [name, value] : values) {
      // Names that the formula's own language has stay as they are there.
      if (!formula_name(name) || held->values.contains(name) || name == "i" || name == "e" || name == "pi") continue;
      held->values[name] = mup::Value(mup::cmplx_type(value, 0));
      held->parser.DefineVar(name, mup::Variable(&held->values[name]));
    }
    held->parser.SetExpr(text);
    (void)held->parser.Eval();
  } catch (const mup::ParserError& e) {
    return fail(Fault::input, "The formula \"{}\" cannot be read: {}", text, e.GetMsg());
  }
  return ComplexFormula(std::move(held));
}

void ComplexFormula::set(const std::string& name, double value) {
  if (const auto it = held_->values.find(name); it != held_->values.end()) it->second = mup::cmplx_type(value, 0);
}

Result<std::complex<double>> ComplexFormula::value(double frequency) {
  const double w = 2 * std::numbers::pi * frequency;
  held_->values["f"] = mup::cmplx_type(frequency, 0);
  held_->values["w"] = mup::cmplx_type(w, 0);
  held_->values["s"] = mup::cmplx_type(0, w);
  try {
    const auto v = held_->parser.Eval().GetComplex();
    if (std::isfinite(v.real()) && std::isfinite(v.imag())) return std::complex<double>(v.real(), v.imag());
  } catch (const mup::ParserError& e) {
    return fail(Fault::input, "The formula \"{}\" cannot be worked out: {}", held_->text, e.GetMsg());
  }
  return fail(Fault::input, "The formula \"{}\" has no finite value at {} Hz.", held_->text, frequency);
}

}  // namespace heron
