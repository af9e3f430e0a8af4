#pragma once
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

  /// "node out" or "part U1": for messages.
  const std::string& unknown_name(int unknown) const { return names_[std::size_t(unknown)]; }

  /// f, q and the Jacobians at a state; the results stay readable until the next call.
  void evaluate(std::span<const double> x, double time, bool sources_on = true);
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

 private:
  Network() = default;

  int size_ = 0, node_count_ = 0;
  bool always_linear_ = true;
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
