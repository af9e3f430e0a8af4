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

  /// The centre with one draw of all errors.
  /// @param shared  what points share; null: it is left out
  /// @param into  columns of the same lines, whose values are written over
  void draw(const CurveColumns& centre, CurveColumns& into, std::mt19937_64& random, SharedDraw* shared) const;

  bool any_shared() const { return !shared_.empty(); }

 private:
  struct Row {
    std::vector<double> gain, phase;  ///< standard, of the point's own: dB, deg
  };
  void put_noise(const std::vector<double>& centre, const std::vector<double>& u, std::vector<double>& into,
                 std::mt19937_64& random) const;

  const CurveColumns& columns_;
  Row all_, trusted_;              ///< of every line; of the trusted ones alone, empty where all are
  std::vector<double> coherence_;  ///< of every line: its spread
  std::vector<double> quiet_coherence_, quiet_root_, u_root_;  ///< itself without that; its area tangent, and the spread of it
  double of_averages_ = 0;                           ///< behind a coherence that was estimated
  std::vector<double> taps_;       ///< what turns white noise into noise as alike from line to line as theirs
  struct Shared {
    std::size_t line;
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
enum class Drawn {
  all,         ///< every error
  own,         ///< those that no points share
  own_refined  ///< the same, read on the smooth curve through the drawn points
};
std::vector<Spread> propagate(const std::vector<Definition>& definitions, const Errors& errors, const Settings& settings,
                              Drawn drawn = Drawn::all);

}  // namespace heron::study::response
