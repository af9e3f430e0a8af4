#pragma once
#include <boost/random/normal_distribution.hpp>
#include <random>

namespace heron {

/// One standard normal deviate. By the ziggurat, some four times as fast as the standard library's distribution, and
/// the same on every machine.
inline double normal_deviate(std::mt19937_64& random) { return boost::random::normal_distribution<double>()(random); }

}  // namespace heron
