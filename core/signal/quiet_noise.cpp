#include "signal/quiet_noise.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "signal/line_at.h"

namespace heron::signal {
namespace {

/// So far below that of them all lies the variance of the quietest quarter of pieces of 64 samples of white noise, each
/// without its line (chi square of 62 degrees of freedom).
constexpr double kLowest = 0.76;
constexpr std::size_t kFewest = 8;
constexpr double kMostAlike = 0.9;

}  // namespace

std::optional<QuietNoise> quiet_noise(std::span<const std::vector<double>> pieces) {
  if (pieces.empty() || pieces.front().size() < kFewest) return std::nullopt;
  std::vector<double> places(pieces.front().size());
  std::iota(places.begin(), places.end(), 0.0);
  std::vector<std::pair<double, double>> all;  // sums of squares, and of neighbours' products
  for (const auto& piece : pieces) {
    const auto y = without_line(places, piece);
    all.emplace_back(std::inner_product(y.begin(), y.end(), y.begin(), 0.0), std::inner_product(y.begin() + 1, y.end(), y.begin(), 0.0));
  }
  std::sort(all.begin(), all.end());
  const auto quiet = std::max<std::size_t>(1, all.size() / 4);
  double squares = 0, products = 0;
  for (std::size_t k = 0; k < quiet; ++k) {
    squares += all[k].first;
    products += all[k].second;
  }
  const double alike = squares > 0 ? std::clamp(products / squares, 0.0, kMostAlike) : 0;
  return QuietNoise{std::sqrt(squares / double(quiet * places.size()) / kLowest), (1 + alike) / (1 - alike)};
}

}  // namespace heron::signal
