#pragma once
#include <algorithm>
#include <map>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "sim/device.h"

namespace heron::sim {

/// Sparse LU of one fixed pattern by KLU: the symbolic analysis is done once, values are refactored in place.
class SparseSolver {
 public:
  SparseSolver();
  ~SparseSolver();
  SparseSolver(SparseSolver&&) noexcept;
  SparseSolver& operator=(SparseSolver&&) noexcept;

  /// @param starts, rows  compressed columns
  bool analyse(int n, std::vector<int> starts, std::vector<int> rows);
  bool factor(std::span<double> values);
  void solve(std::span<double> right) const;  ///< in place

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// A circuit compiled to equations: unknowns are the node voltages, then branch currents and inner states of devices.
///
/// Cheap to evaluate again and again, not safe to share between threads.
class Network {
 public:
  /// Fails with the name of the part or node at fault.
  static Result<Network> compile(const Circuit& circuit);

  int size() const { return size_; }
  bool always_linear() const { return always_linear_; }
  bool linear_at(std::span<const double> x) const;

  /// Unknown of a node; Stamp::ground for the ground node. The node must exist.
  int node(std::string_view name) const { return nodes_.at(std::string(name)); }

  /// First unknown of a part's own, such as a source's current; Stamp::ground when it has none.
  int own_unknown(std::string_view part) const;

  /// "node out" or "part U1": for messages.
  const std::string& unknown_name(int unknown) const { return names_[std::size_t(unknown)]; }

  /// f, q and the Jacobians at a state; the results stay readable until the next call.
  struct How {
    double source_share = 1;
    bool at_rest = false;   ///< for an operating point
    bool limiting = false;  ///< for a Newton step: junctions move no further than they can bear
  };
  void evaluate(std::span<const double> x, double time, const How& how);
  void evaluate(std::span<const double> x, double time) { evaluate(x, time, How{}); }

  /// True when the last evaluation was a tangent somewhere else than at x.
  bool limited() const { return stamp_.limited_; }

  /// Forgets where the junctions stood: before Newton starts from a new guess.
  void forget_junctions() { std::fill(stamp_.memory_.begin(), stamp_.memory_.end(), 0.0); }

  /// The next corner of any source strictly after `time`; infinity when there is none.
  double next_corner(double time) const;

  /// The noise of all devices around a state.
  std::vector<Device::Noise> noise(std::span<const double> x) const;
  std::span<const double> f() const { return stamp_.f_; }
  std::span<const double> q() const { return stamp_.q_; }

  /// J = c_share C + g_share G (+ leak on every node's diagonal), factored. Uses the last evaluation.
  bool factor(double c_share, double g_share, double leak = 0);

  /// out = (c_share C + g_share G) x with the last evaluation's Jacobians.
  void multiply(double c_share, double g_share, std::span<const double> x, std::span<double> out) const;

  void solve(std::span<double> right) const { solver_.solve(right); }

  /// True for rows without stored charge: they hold at every instant and have no history.
  bool algebraic(int row) const { return algebraic_[std::size_t(row)]; }
  int node_count() const { return node_count_; }

  /// The pattern and the last evaluation's Jacobians, compressed by columns: for small-signal analysis.
  std::span<const int> starts() const { return starts_; }
  std::span<const int> rows() const { return rows_; }
  std::span<const double> conductances() const { return stamp_.g_; }
  std::span<const double> capacitances() const { return stamp_.c_; }

 private:
  Network() = default;

  int size_ = 0, node_count_ = 0;
  bool always_linear_ = true;
  bool slopes_known_ = false;  ///< the last evaluation's are those of every one that is not at rest
  std::map<std::string, int> nodes_;
  std::vector<std::string> names_;
  std::vector<std::unique_ptr<Device>> devices_;
  Stamp stamp_;
  std::vector<double> jacobian_;
  std::vector<int> diagonal_, starts_, rows_;
  std::vector<bool> algebraic_;
  SparseSolver solver_;
};

}  // namespace heron::sim
