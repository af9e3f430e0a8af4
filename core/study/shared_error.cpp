#include "study/shared_error.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>

#include "base/random.h"

namespace heron::study {

namespace {

/// Sources that are made not to correlate with those of lower numbers; more have hardly ever been seen.
constexpr int kOrthogonal = 24;

/// Mean 0 and variance 1; false where nothing is left of it.
bool standardise(std::vector<double>& row) {
  const double n = double(row.size()), mean = std::accumulate(row.begin(), row.end(), 0.0) / n;
  double squares = 0;
  for (auto& v : row) {
    v -= mean;
    squares += v * v;
  }
  if (!(squares > 1e-9 * n)) return false;
  for (auto& v : row) v /= std::sqrt(squares / n);
  return true;
}

}  // namespace

const std::vector<double>& SharedDraws::row(int source) {
  const auto [it, fresh] = rows_.try_emplace(source);
  if (!fresh) return it->second;
  std::mt19937_64 random(0x9e3779b97f4a7c15u * std::uint64_t(source));
  std::vector<double> out(draws_);
  for (auto& v : out) v = normal_deviate(random);
  // Whether others are there does not matter: all with lower numbers count.
  const auto plain = out;
  for (int other = 1; other < std::min(source, std::min(kOrthogonal, int(draws_ / 4))); ++other) {
    const auto& before = row(other);
    const double along = std::inner_product(out.begin(), out.end(), before.begin(), 0.0) / double(draws_);
    for (std::size_t k = 0; k < out.size(); ++k) out[k] -= along * before[k];
  }
  if (!standardise(out)) out = plain;
  return rows_[source] = std::move(out);
}

std::string shared_role(std::string_view quantity, int source) {
  return fmt::format("u_{}_shared_{}", quantity, source);
}

std::vector<std::string> uncertainty_roles(std::string_view quantity) {
  std::vector<std::string> out = {fmt::format("u_{}", quantity)};
  for (int k = 1; k <= kSharedColumns; ++k) out.push_back(shared_role(quantity, k));
  return out;
}

std::vector<ColumnRole> uncertainty_columns(std::string_view quantity, std::vector<std::string_view> units) {
  std::vector<ColumnRole> out;
  for (auto& role : uncertainty_roles(quantity))
    out.push_back({.name = std::move(role), .units = units, .written_by_export = !out.empty()});
  return out;
}

double shared_of(const std::vector<SharedError>& errors, bool second) {
  double squares = 0;
  for (const auto& e : errors) squares += second ? e.second * e.second : e.first * e.first;
  return std::sqrt(squares);
}

}  // namespace heron::study
