#pragma once
#include <cstddef>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "bench/waveform.h"
#include "sim/circuit.h"

namespace heron::sim {

/// What one device adds to the equations f(x, t) + d/dt q(x) = 0 and their Jacobians G = df/dx, C = dq/dx.
///
/// Rows and columns are unknowns of the network; `ground` is dropped silently. A device must make the same sequence of
/// jacobian calls at every evaluation: the first one records where each lands in the sparse matrix. A row that ever
/// gets an add_c is taken to store charge.
class Stamp {
 public:
  static constexpr int ground = -1;

  double time = 0;
  double source_share = 1;  ///< of every independent source: 0 while they are off, between while they are brought up
  bool at_rest = false;     ///< true while an operating point is sought

  double v(int unknown) const { return unknown < 0 ? 0.0 : x_[std::size_t(unknown)]; }

  void add_f(int row, double value) {
    if (row >= 0) f_[std::size_t(row)] += value;
  }
  void add_q(int row, double value) {
    if (row >= 0) q_[std::size_t(row)] += value;
  }
  void add_g(int row, int column, double value) {
    if (!slopes_stand_) add(g_, row, column, value);
  }
  void add_c(int row, int column, double value) {
    if (!slopes_stand_) add(c_, row, column, value);
  }

  /// A current i with slope g = di/dv(a,b) from a to b.
  void add_current(int a, int b, double i, double g);
  /// A charge q with slope c = dq/dv(a,b), + on a, - on b.
  void add_charge(int a, int b, double q, double c);

  /// The voltage at which a junction is evaluated: `v` itself, but during Newton steps no further from the last one
  /// than the exponential can bear (after Nagel 1975). The model is then the tangent there, taken to `v`.
  /// @param slot  the device's memory, one a junction
  double junction(int slot, double v, double thermal, double critical);

 private:
  friend class Network;
  void add(std::vector<double>& into, int row, int column, double value);

  std::span<const double> x_;
  std::vector<double> f_, q_;
  std::vector<double> g_, c_;  ///< values over the shared pattern
  std::vector<int> slots_;     ///< slot of the i-th jacobian call
  std::size_t call_ = 0;
  std::vector<double> memory_;  ///< of the junctions
  bool limiting_ = false, limited_ = false;
  bool slopes_stand_ = false;  ///< g_ and c_ hold what every evaluation would add
  struct Recording {
    std::vector<std::pair<int, int>> calls;
    std::vector<int> charged_rows;
  };
  Recording* recording_ = nullptr;
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

  /// The next instant after `time` at which what it drives has a corner.
  virtual double next_corner(double) const { return kNoCorner; }

  /// A noise current of white density between two unknowns.
  struct Noise {
    int from = Stamp::ground, into = Stamp::ground;
    double density = 0;  ///< A/sqrt(Hz); for a row that is no node, in the row's own unit
  };
  /// What it hums with at this state.
  virtual std::vector<Noise> noise(std::span<const double>) const { return {}; }
};

/// A device whose equations bend everywhere.
class BentDevice : public Device {
 public:
  bool linear_at(std::span<const double>) const override { return false; }
  bool always_linear() const override { return false; }
};

/// What a device is built from: unknown numbers of its pins and its own extra unknowns, and its values.
struct DeviceContext {
  std::vector<int> pins;
  std::vector<int> extra;    ///< as many as the kind asks for
  int control_current = -1;  ///< unknown of the controlling source's current, where the kind asks for it
  int memory = 0;            ///< first of its junction memories
  double temperature = 25;   ///< degC
  const Part* part = nullptr;

  double value(std::string_view key) const { return part->values.at(std::string(key)).value; }
  const std::string& text(std::string_view key) const { return part->texts.at(std::string(key)); }
};

/// One number that a kind of part takes.
struct ValueRule {
  std::string_view key, unit;
  bool required = true;
  double fallback = 0;
  enum class Sign { any, positive, not_negative } sign = Sign::any;
  std::string_view means = {};  ///< for people
};

/// One word that a kind of part takes; the first is the default.
struct TextRule {
  std::string_view key;
  std::vector<std::string_view> words;
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
  std::vector<TextRule> texts = {};
  std::function<int(const Part&)> extra_for = {};  ///< where it depends on the values
  int memories = 0;                                ///< junctions
  bool takes_formula = false, takes_points = false;
  bool ideal_voltage = false;                          ///< holds the voltage between its first two pins
  bool converts = false;                               ///< gives codes at its second pin of the voltage at its first
  std::function<std::string(const Part&)> check = {};  ///< of the values together; empty when they make sense
};

const std::vector<PartKind>& part_kinds();
const PartKind* find_part_kind(std::string_view name);

/// A part of a kind with all values at their defaults, for parts that no file gives.
Part make_part(std::string name, std::string_view kind, std::vector<std::string> nodes,
               const std::map<std::string, double>& values);

}  // namespace heron::sim
