#pragma once
#include <random>

#include "study/response/definitions.h"

/// How a response's points err, and what that does to its figures.
namespace heron::study::response {

/// The errors of the points behind columns: each point's own, those that lines of a noise response pass on to their
/// neighbours, and those that points share.
class Errors {
 public:
  /// From what the points say; where they say nothing, from how they scatter about a smooth curve.
  Errors(const Curve& curve, const CurveColumns& columns);

  const CurveColumns& columns() const { return columns_; }

  /// False where neither tells anything.
  bool known() const { return known_; }

  /// The columns with noise taken off as far as it can be told from the device: what draws are made around.
  CurveColumns centre() const;

  /// Adds one draw of all errors to columns that centre() gave, or of those alone that no points share.
  void disturb(CurveColumns& columns, std::mt19937_64& random, bool own_only = false) const;

  bool any_shared() const { return !shared_.empty(); }

 private:
  struct Row {
    std::vector<double> gain, phase;  ///< standard, of the point's own: dB, deg
  };
  void add_noise(std::vector<double>& to, const std::vector<double>& u, std::mt19937_64& random) const;

  const CurveColumns& columns_;
  Row trusted_, all_;
  std::vector<double> coherence_, quiet_coherence_;  ///< of every line: its spread, and itself without it
  double of_averages_ = 0;                           ///< behind a coherence that was estimated
  std::vector<double> taps_;       ///< what turns white noise into noise as alike from line to line as theirs
  struct Shared {
    std::size_t trusted, all;  ///< place among the trusted points and among all; the former may be none
    SharedError error;
  };
  std::vector<Shared> shared_;
  bool known_ = false;
};

/// What draws of the errors did to a figure.
struct Spread {
  double bias = 0, u = 0;
  bool told = false;  ///< false where most draws did not give the figure
};

/// A figure's bias and spread for each of the definitions. The number of draws falls with the number of points, so that
/// a million of them take a second.
/// @param own_only  of the errors that no points share
std::vector<Spread> propagate(const std::vector<Definition>& definitions, const Errors& errors, const Settings& settings,
                              bool own_only = false);

}  // namespace heron::study::response
