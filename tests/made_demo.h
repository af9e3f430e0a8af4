#pragma once
#include <string>

namespace heron::test {

/// The demo's folder, measured once for all test processes of one build: the first that comes makes it, the others
/// wait. Nobody writes into it.
/// @return its path; empty where it could not be made
std::string made_demo();

}  // namespace heron::test
