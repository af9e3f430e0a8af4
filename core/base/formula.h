#pragma once
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "base/result.h"

namespace heron {

/// A formula over named numbers, read once and evaluated often: "(v1 - v2)/R7". muParser's syntax; `pi` is known.
///
/// Not safe to share between threads.
class Formula {
 public:
  /// @param names  of the numbers it may use, in the order they are given later
  /// @return the formula, or Fault::input with what cannot be read and where
  static Result<Formula> read(const std::string& text, const std::vector<std::string>& names);

  Formula(Formula&&) noexcept;
  Formula& operator=(Formula&&) noexcept;
  ~Formula();

  /// The value; NaN or infinite where the formula has none there.
  double operator()(std::span<const double> values) const;

  /// Which of the names it really uses.
  bool uses(std::size_t name) const;

  const std::string& text() const;

 private:
  struct Impl;
  explicit Formula(std::unique_ptr<Impl> impl);
  std::unique_ptr<Impl> impl_;
};

/// True for a name that a formula can hold: a letter, then letters, digits and _.
bool formula_name(std::string_view name);

}  // namespace heron
