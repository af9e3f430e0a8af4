#include "study/shared_error.h"

#include <fmt/format.h>

#include <cmath>

#include "base/random.h"

namespace heron::study {

double SharedDraw::operator()(int source) {
  const auto [it, fresh] = drawn_.try_emplace(source, 0.0);
  if (fresh) {
    std::mt19937_64 own(seed_ + 0x9e3779b97f4a7c15u * std::uint64_t(source));
    it->second = normal_deviate(own);
  }
  return it->second;
}

std::string shared_role(std::string_view quantity, int source) {
  return fmt::format("u_{}_shared_{}", quantity, source);
}

std::vector<std::string> uncertainty_roles(std::string_view quantity) {
  std::vector<std::string> out = {fmt::format("u_{}", quantity)};
  for (int k = 1; k <= kSharedColumns; ++k) out.push_back(shared_role(quantity, k));
  return out;
}

double shared_of(const std::vector<SharedError>& errors, bool second) {
  double squares = 0;
  for (const auto& e : errors) squares += second ? e.second * e.second : e.first * e.first;
  return std::sqrt(squares);
}

}  // namespace heron::study
