#pragma once
#include <complex>
#include <map>
#include <memory>
#include <string>

#include "base/result.h"

namespace heron {

/// A formula over complex numbers: part values by name, f in Hz, w = 2 pi f, s = j w, and i for the imaginary unit.
/// muParserX reads it; read() tells what is wrong with a text, value() is then cheap.
class ComplexFormula {
 public:
  static Result<ComplexFormula> read(const std::string& text, const std::map<std::string, double>& values);

  ComplexFormula(ComplexFormula&&) noexcept;
  ~ComplexFormula();

  void set(const std::string& name, double value);
  /// At a frequency in Hz. Fault::input where it has no finite value.
  Result<std::complex<double>> value(double frequency);

 private:
  struct Held;
  explicit ComplexFormula(std::unique_ptr<Held> held);
  std::unique_ptr<Held> held_;
};

}  // namespace heron
