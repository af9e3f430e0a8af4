#include "sim/network.h"

#include <klu.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace heron::sim {

struct SparseSolver::State {
  klu_common common{};
  klu_symbolic* symbolic = nullptr;
  klu_numeric* numeric = nullptr;
  int n = 0;
  std::vector<int> starts, rows;

  State() { klu_defaults(&common); }
  State(const State&) = delete;
  State& operator=(const State&) = delete;
  ~State() {
    klu_free_numeric(&numeric, &common);
    klu_free_symbolic(&symbolic, &common);
  }
};

SparseSolver::SparseSolver() : state_(std::make_unique<State>()) {}
SparseSolver::~SparseSolver() = default;
SparseSolver::SparseSolver(SparseSolver&&) noexcept = default;
SparseSolver& SparseSolver::operator=(SparseSolver&&) noexcept = default;

bool SparseSolver::analyse(int n, std::vector<int> starts, std::vector<int> rows) {
  auto& s = *state_;
  s.n = n;
  s.starts = std::move(starts);
  s.rows = std::move(rows);
  s.symbolic = klu_analyze(n, s.starts.data(), s.rows.data(), &s.common);
  return s.symbolic != nullptr;
}

bool SparseSolver::factor(std::span<double> values) {
  auto& s = *state_;
  // The old pivots are kept while they stay good; a fresh search follows where they do not.
  if (s.numeric && klu_refactor(s.starts.data(), s.rows.data(), values.data(), s.symbolic, s.numeric, &s.common) &&
      s.common.status == KLU_OK) {
    klu_rgrowth(s.starts.data(), s.rows.data(), values.data(), s.symbolic, s.numeric, &s.common);
    if (s.common.rgrowth > 1e-10) return true;
  }
  klu_free_numeric(&s.numeric, &s.common);
  s.numeric = klu_factor(s.starts.data(), s.rows.data(), values.data(), s.symbolic, &s.common);
  return s.numeric && s.common.status == KLU_OK;
}

void SparseSolver::solve(std::span<double> right) const {
  auto& s = *state_;
  klu_solve(s.symbolic, s.numeric, s.n, 1, right.data(), &s.common);
}

void Stamp::add(std::vector<double>& into, int row, int column, double value) {
  if (recording_) {
    recording_->calls.push_back({row, column});
    if (&into == &c_ && row >= 0) recording_->charged_rows.push_back(row);
    return;
  }
  const int slot = slots_[call_++];
  if (slot >= 0) into[std::size_t(slot)] += value;
}

void Stamp::add_current(int a, int b, double i, double g) {
  add_f(a, i);
  add_f(b, -i);
  add_g(a, a, g);
  add_g(a, b, -g);
  add_g(b, a, -g);
  add_g(b, b, g);
}

void Stamp::add_charge(int a, int b, double q, double c) {
  add_q(a, q);
  add_q(b, -q);
  add_c(a, a, c);
  add_c(a, b, -c);
  add_c(b, a, -c);
  add_c(b, b, c);
}

double Stamp::junction(int slot, double v, double thermal, double critical) {
  if (!limiting_) return v;
  double& last = memory_[std::size_t(slot)];
  double at = v;
  if (v > critical && std::abs(v - last) > 2 * thermal) {
    if (last > 0) {
      const double reach = 1 + (v - last) / thermal;
      at = reach > 0 ? last + thermal * std::log(reach) : critical;
    } else {
      at = thermal * std::log(v / thermal);
    }
  }
  if (std::abs(at - v) > 1e-3 * thermal) limited_ = true;
  last = at;
  return at;
}

namespace {
int extra_unknowns(const Part& part) {
  return part.kind->extra_for ? part.kind->extra_for(part) : part.kind->extra_unknowns;
}
}  // namespace

Result<Network> Network::compile(const Circuit& circuit) {
  Network net;
  net.nodes_[std::string(kGround)] = Stamp::ground;
  for (const auto& part : circuit.parts)
    for (const auto& node : part.nodes)
      if (!net.nodes_.contains(node)) {
        net.nodes_[node] = net.size_++;
        net.names_.push_back("node " + node);
      }
  net.node_count_ = net.size_;

  std::map<std::string, int> first_extra;
  for (const auto& part : circuit.parts) {
    first_extra[part.name] = net.size_;
    const int extra = extra_unknowns(part);
    for (int i = 0; i < extra; ++i) net.names_.push_back("part " + part.name);
    net.size_ += extra;
  }
  int memories = 0;
  for (const auto& part : circuit.parts) {
    DeviceContext context{.memory = memories, .temperature = circuit.temperature, .part = &part};
    memories += part.kind->memories;
    for (const auto& node : part.nodes) context.pins.push_back(net.nodes_.at(node));
    for (int i = 0; i < extra_unknowns(part); ++i) context.extra.push_back(first_extra.at(part.name) + i);
    if (part.kind->needs_control) {
      if (!first_extra.contains(part.control))
        return fail(Fault::input, "Part {} is controlled by {}, which is not in the circuit.", part.name, part.control);
      context.control_current = first_extra.at(part.control);
    }
    net.devices_.push_back(part.kind->make(context));
    net.always_linear_ = net.always_linear_ && net.devices_.back()->always_linear();
  }

  // One evaluation records which entries the devices touch; the pattern and every call's slot follow from it.
  const auto n = std::size_t(net.size_);
  Stamp::Recording recording;
  const auto& calls = recording.calls;
  const std::vector<double> zero(n);
  Stamp& stamp = net.stamp_;
  stamp.x_ = zero;
  stamp.f_.assign(n, 0);
  stamp.q_.assign(n, 0);
  stamp.recording_ = &recording;
  stamp.memory_.assign(std::size_t(memories), 0.0);
  for (const auto& device : net.devices_) device->stamp(stamp);
  stamp.recording_ = nullptr;

  std::vector<std::set<int>> columns(n);
  for (const auto& [row, column] : calls)
    if (row >= 0 && column >= 0) columns[std::size_t(column)].insert(row);
  for (std::size_t i = 0; i < n; ++i) columns[i].insert(int(i));
  std::vector<int> starts = {0}, rows;
  for (const auto& column : columns) {
    rows.insert(rows.end(), column.begin(), column.end());
    starts.push_back(int(rows.size()));
  }
  const auto slot_of = [&](int row, int column) {
    if (row < 0 || column < 0) return -1;
    const auto begin = rows.begin() + starts[std::size_t(column)], end = rows.begin() + starts[std::size_t(column) + 1];
    return int(std::lower_bound(begin, end, row) - rows.begin());
  };
  for (const auto& [row, column] : calls) stamp.slots_.push_back(slot_of(row, column));
  for (int i = 0; i < net.size_; ++i) net.diagonal_.push_back(slot_of(i, i));
  stamp.g_.assign(rows.size(), 0);
  stamp.c_.assign(rows.size(), 0);
  net.jacobian_.assign(rows.size(), 0);

  net.algebraic_.assign(n, true);
  for (const int row : recording.charged_rows) net.algebraic_[std::size_t(row)] = false;

  net.starts_ = starts;
  net.rows_ = rows;
  if (!net.solver_.analyse(net.size_, std::move(starts), std::move(rows)))
    return fail(Fault::input, "The circuit's equations cannot be ordered: some node or part is not connected.");
  return net;
}

int Network::own_unknown(std::string_view part) const {
  const std::string name = "part " + std::string(part);
  for (std::size_t i = std::size_t(node_count_); i < names_.size(); ++i)
    if (names_[i] == name) return int(i);
  return Stamp::ground;
}

bool Network::linear_at(std::span<const double> x) const {
  return always_linear_ ||
         std::all_of(devices_.begin(), devices_.end(), [&](const auto& device) { return device->linear_at(x); });
}

void Network::evaluate(std::span<const double> x, double time, const How& how) {
  stamp_.x_ = x;
  stamp_.time = time;
  stamp_.source_share = how.source_share;
  stamp_.at_rest = how.at_rest;
  stamp_.limiting_ = how.limiting;
  stamp_.limited_ = false;
  stamp_.call_ = 0;
  std::fill(stamp_.f_.begin(), stamp_.f_.end(), 0.0);
  std::fill(stamp_.q_.begin(), stamp_.q_.end(), 0.0);
  // The slopes of what is linear everywhere are the same each time, but for what differs at rest.
  stamp_.slopes_stand_ = slopes_known_ && !how.at_rest;
  if (!stamp_.slopes_stand_) {
    std::fill(stamp_.g_.begin(), stamp_.g_.end(), 0.0);
    std::fill(stamp_.c_.begin(), stamp_.c_.end(), 0.0);
  }
  for (const auto& device : devices_) device->stamp(stamp_);
  slopes_known_ = always_linear_ && !how.at_rest;
}

double Network::next_corner(double time) const {
  double nearest = kNoCorner;
  for (const auto& device : devices_) nearest = std::min(nearest, device->next_corner(time));
  return nearest;
}

std::vector<Device::Noise> Network::noise(std::span<const double> x) const {
  std::vector<Device::Noise> all;
  for (const auto& device : devices_) {
    const auto some = device->noise(x);
    all.insert(all.end(), some.begin(), some.end());
  }
  return all;
}

void Network::multiply(double c_share, double g_share, std::span<const double> x, std::span<double> out) const {
  std::fill(out.begin(), out.end(), 0.0);
  for (std::size_t column = 0; column < x.size(); ++column)
    for (auto k = std::size_t(starts_[column]); k < std::size_t(starts_[column + 1]); ++k)
      out[std::size_t(rows_[k])] += (c_share * stamp_.c_[k] + g_share * stamp_.g_[k]) * x[column];
}

bool Network::factor(double c_share, double g_share, double leak) {
  for (std::size_t k = 0; k < jacobian_.size(); ++k) jacobian_[k] = c_share * stamp_.c_[k] + g_share * stamp_.g_[k];
  if (leak != 0)
    for (int i = 0; i < node_count_; ++i) jacobian_[std::size_t(diagonal_[std::size_t(i)])] += leak;
  return solver_.factor(jacobian_);
}

}  // namespace heron::sim
