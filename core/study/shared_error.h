#pragma once
#include <cstdint>
#include <map>
#include <random>
#include <string>
#include <string_view>
#include <vector>

/// Errors that points of a curve have in common: a range's gain, a sensor's factor, an input's delay.
namespace heron::study {

/// What one standard uncertainty of a source does to the two quantities of a point, signed and in their units.
struct SharedError {
  int source = 0;  ///< points that name the same one err together
  double first = 0, second = 0;
};

/// Numbers for sources by what they are, in the order they come.
class SourceNumbers {
 public:
  int operator()(const std::string& what) { return numbers_.try_emplace(what, int(numbers_.size()) + 1).first->second; }

 private:
  std::map<std::string, int> numbers_;
};

/// One normal deviate for each source. It depends on the draw and on the source's number alone, so that an exported
/// curve, whose sources come in another order, is drawn alike.
class SharedDraw {
 public:
  explicit SharedDraw(std::mt19937_64& random) : seed_(random()) {}
  double operator()(int source);

 private:
  std::uint64_t seed_;
  std::map<int, double> drawn_;
};

/// How tables carry uncertainties: `u_gain` the whole of it, `u_gain_shared_3` what the third source does.
inline constexpr int kSharedColumns = 24;
/// "u_gain" and "u_gain_shared_1"...
std::vector<std::string> uncertainty_roles(std::string_view quantity);
std::string shared_role(std::string_view quantity, int source);

/// Root of the sum of squares of what the sources do to the first or the second quantity.
double shared_of(const std::vector<SharedError>& errors, bool second);

}  // namespace heron::study
