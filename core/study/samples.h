#pragma once
#include <algorithm>
#include <cstdint>
#include <memory>
#include <span>
#include <utility>
#include <vector>

#include "base/result.h"

namespace heron::study {

/// The lowest and the highest of a stretch of a record, in counts.
struct Extremes {
  std::int16_t lowest = 0, highest = 0;

  bool operator==(const Extremes&) const = default;
};
static_assert(sizeof(Extremes) == 2 * sizeof(std::int16_t));

/// Counts of one channel that are not held in memory: a recording of any length where it lies. Any thread may read.
class Samples {
 public:
  virtual ~Samples() = default;
  Samples() = default;
  Samples(const Samples&) = delete;
  Samples& operator=(const Samples&) = delete;

  virtual std::size_t size() const = 0;

  /// Counts from `first` on, as many as fit `out`.
  /// @return Fault::input where there are not so many, or they are damaged
  virtual Result<void> read(std::size_t first, std::span<std::int16_t> out) const = 0;

  /// The lowest and highest of each of `columns` stretches that share [first, last) out, empty stretches left out. Long
  /// stretches begin and end where blocks of extremes do, at most a quarter of a stretch beside.
  virtual Result<std::vector<Extremes>> envelope(std::size_t first, std::size_t last, std::size_t columns) const = 0;
};

/// Plain numbers of one channel that are not held in memory: of a file of any length. Any thread may read.
class StoredNumbers {
 public:
  virtual ~StoredNumbers() = default;
  StoredNumbers() = default;
  StoredNumbers(const StoredNumbers&) = delete;
  StoredNumbers& operator=(const StoredNumbers&) = delete;

  virtual std::size_t size() const = 0;

  /// Numbers from `first` on, as many as fit `out`.
  /// @return Fault::input where there are not so many, or they are damaged
  virtual Result<void> read(std::size_t first, std::span<double> out) const = 0;
};

/// How many counts are read at a time by whoever reads all of them.
inline constexpr std::size_t kStretch = std::size_t(1) << 16;

/// Hands one stretch after another to `use(first, counts)`; memory stays flat.
template <class Held, class Use>
Result<void> for_each_stretch_of(const auto& samples, Use use) {
  std::vector<Held> held;
  for (std::size_t first = 0; first < samples.size(); first += kStretch) {
    held.resize(std::min(kStretch, samples.size() - first));
    if (auto ok = samples.read(first, held); !ok) return ok;
    use(first, std::span<const Held>(held));
  }
  return {};
}
template <class Use>
Result<void> for_each_stretch(const Samples& samples, Use use) {
  return for_each_stretch_of<std::int16_t>(samples, std::move(use));
}
template <class Use>
Result<void> for_each_stretch(const StoredNumbers& numbers, Use use) {
  return for_each_stretch_of<double>(numbers, std::move(use));
}

/// The extremes of every `each` counts; the last of what is left.
std::vector<Extremes> extremes_of(std::span<const std::int16_t> counts, std::size_t each);

}  // namespace heron::study
