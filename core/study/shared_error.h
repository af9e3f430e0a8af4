#pragma once
#include <cstdint>
#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "study/kind.h"

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

/// So many draws of every source at once. Over all of them each source has mean 0 and variance 1 exactly, and the first
/// sources do not correlate: what is linear in them comes out as it is, however few the draws. A value depends on the
/// draw and on the source's number alone, so that an exported curve, whose sources come in another order, is drawn alike.
class SharedDraws {
 public:
  explicit SharedDraws(int draws) : draws_(std::size_t(draws)) {}
  double operator()(int draw, int source) { return row(source)[std::size_t(draw)]; }

 private:
  const std::vector<double>& row(int source);

  std::size_t draws_;
  std::map<int, std::vector<double>> rows_;
};

/// One of them.
class SharedDraw {
 public:
  SharedDraw(SharedDraws& all, int draw) : all_(all), draw_(draw) {}
  double operator()(int source) { return all_(draw_, source); }

 private:
  SharedDraws& all_;
  int draw_;
};

/// How tables carry uncertainties: `u_gain` the whole of it, `u_gain_shared_3` what the third source does.
inline constexpr int kSharedColumns = 24;
/// "u_gain" and "u_gain_shared_1"...
std::vector<std::string> uncertainty_roles(std::string_view quantity);
/// The same as columns of a table: what single sources do is for our own exports, not offered to people.
std::vector<ColumnRole> uncertainty_columns(std::string_view quantity, std::vector<std::string_view> units);
std::string shared_role(std::string_view quantity, int source);

/// Root of the sum of squares of what the sources do to the first or the second quantity.
double shared_of(const std::vector<SharedError>& errors, bool second);

}  // namespace heron::study
