#pragma once
#include <algorithm>
#include <cstddef>
#include <thread>
#include <vector>

#include "base/result.h"

namespace heron {

/// Cuts [0, count) into one stretch for each processor and works on all of them at once, the first of them here.
/// @param work  Result<void>(std::size_t first, std::size_t last), that shares nothing with itself which it writes
/// @return the first failure, in the order of the stretches
template <class Work>
Result<void> share_out(std::size_t count, const Work& work) {
  const auto shares = std::clamp<std::size_t>(std::thread::hardware_concurrency(), 1, std::max<std::size_t>(count, 1));
  std::vector<Result<void>> outcomes(shares);
  const auto one = [&](std::size_t k) { outcomes[k] = work(count * k / shares, count * (k + 1) / shares); };
  {
    std::vector<std::jthread> others;
    for (std::size_t k = 1; k < shares; ++k) others.emplace_back(one, k);
    one(0);
  }
  for (auto& outcome : outcomes)
    if (!outcome) return std::move(outcome);
  return {};
}

}  // namespace heron
