#pragma once
#include <cstddef>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "sim/circuit.h"

namespace heron::sim {

/// What one device adds to the equations f(x, t) + d/dt q(x) = 0 and their Jacobians G = df/dx, C = dq/dx.
///
/// Rows and columns are unknowns of the network; `ground` is dropped silently. A device must make the same sequence of
/// jacobian calls at every evaluation: the first one records where each lands in the sparse matrix.
class Stamp {
 public:
  static constexpr int ground = -1;

  double time = 0;
  bool sources_on = true;  ///< false while the free response alone is wanted

  double v(int unknown) const { return unknown < 0 ? 0.0 : x_[std::size_t(unknown)]; }

  void add_f(int row, double value) {
    if (row >= 0) f_[std::size_t(row)] += value;
  }
  void add_q(int row, double value) {
    if (row >= 0) q_[std::size_t(row)] += value;
  }
  void add_g(int row, int column, double value) { add(g_, row, column, value); }
  void add_c(int row, int column, double value) { add(c_, row, column, value); }

 private:
  friend class Network;
  void add(std::vector<double>& into, int row, int column, double value);

  std::span<const double> x_;
  std::vector<double> f_, q_;
  std::vector<double> g_, c_;  ///< values over the shared pattern
  std::vector<int> slots_;     ///< slot of the i-th jacobian call
  std::size_t call_ = 0;
  std::vector<std::pair<int, int>>* recording_ = nullptr;
};

/// One element of a compiled network. Small, stateless between evaluations: everything is a function of x and t.
class Device {
 public:
  virtual ~Device() = default;
  Device() = default;
  Device(const Device&) = delete;
  Device& operator=(const Device&) = delete;

  virtual void stamp(Stamp& s) const = 0;

  /// True when the stamp is affine in x around this state, so that Newton needs one step and superposition holds.
  virtual bool linear_at(std::span<const double>) const { return true; }

  /// True when stamp() is the same affine function at every state.
  virtual bool always_linear() const { return true; }

  /// Limits a Newton step; the default lets it pass. Returns the largest share of the step that is safe, in (0, 1].
  virtual double safe_share(std::span<const double>, std::span<const double>) const { return 1; }
};

/// What a device is built from: unknown numbers of its pins and its own extra unknowns, and its values.
struct DeviceContext {
  std::vector<int> pins;
  std::vector<int> extra;    ///< as many as the kind's extra_unknowns
  int control_current = -1;  ///< unknown of the controlling source's current, where the kind asks for it
  const Part* part = nullptr;

  double value(std::string_view key) const { return part->values.at(std::string(key)).value; }
};

/// One number that a kind of part takes.
struct ValueRule {
  std::string_view key, unit;
  bool required = true;
  double fallback = 0;
  enum class Sign { any, positive, not_negative } sign = Sign::any;
};

/// A kind of part: what the file must give and how the device is made. One file in sim/parts a family; the list is in
/// parts.cpp.
struct PartKind {
  std::string_view name;  ///< as the file says it
  std::vector<std::string_view> pins;
  std::vector<ValueRule> values;  ///< the first is the main value
  int extra_unknowns = 0;
  bool needs_control = false;
  bool two_terminal = false;  ///< pins are given as `between = ["a", "b"]`
  std::function<std::unique_ptr<Device>(const DeviceContext&)> make;
};

const std::vector<PartKind>& part_kinds();
const PartKind* find_part_kind(std::string_view name);

}  // namespace heron::sim
