#include "signal/code_density.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace heron::signal {
namespace {

using std::numbers::pi;

/// Of a count whose samples stand at even phases: it is off by what the ends of its stretch cut.
constexpr double kCut = 1.0 / 6;

}  // namespace

double CodeDensity::u_dnl(std::size_t k) const { return std::hypot(u_transitions[k], u_transitions[k + 1]); }

tl::expected<CodeDensity, std::string> code_density(std::span<const std::size_t> hits, int first, double noise) {
  const auto came = [](std::size_t n) { return n > 0; };
  const auto low = std::find_if(hits.begin(), hits.end(), came);
  const auto high = std::find_if(hits.rbegin(), hits.rend(), came).base();
  constexpr std::ptrdiff_t kFewest = 4;
  if (low == hits.end() || high - low < kFewest) return tl::unexpected<std::string>("fewer than four codes came");
  CodeDensity out{.lowest = first + int(low - hits.begin()), .highest = first + int(high - hits.begin()) - 1};
  out.hits.assign(low, high);
  for (const double n : out.hits) out.samples += n;
  // Below a transition lie as many samples as the sine spends there: where it is minus the cosine of that share of half a turn.
  std::vector<double> places;
  double below = 0;
  for (std::size_t k = 0; k + 1 < out.hits.size(); ++k) {
    below += out.hits[k];
    places.push_back(-std::cos(pi * below / out.samples));
  }
  const double span = double(out.highest - out.lowest - 1);
  out.amplitude = span / (places.back() - places.front());
  out.offset = out.lowest + 0.5 - out.amplitude * places.front();
  for (std::size_t k = 0; k < places.size(); ++k) {
    const double at = out.offset + out.amplitude * places[k], ideal = out.lowest + 0.5 + double(k);
    out.transitions.push_back(at);
    out.inl.push_back(at - ideal);
    if (k > 0) out.dnl.push_back(at - out.transitions[k - 1] - 1);
    // Samples a step, on both slopes. Of those within reach of the noise some are counted on the wrong side; the mean of
    // Phi (1 - Phi) over them is the noise over the root of pi.
    const double steep = std::sqrt(std::max(1e-12, 1 - places[k] * places[k])), per_step = out.samples / (pi * out.amplitude * steep);
    const double off = std::sqrt(per_step * noise / std::sqrt(pi) + kCut) / per_step;
    // Noise lifts what is dense into what is not: the more, the nearer the top.
    const double lifted = noise * noise * std::abs(places[k]) / (2 * out.amplitude * steep * steep);
    out.u_transitions.push_back(std::hypot(off, lifted));
  }
  const auto share_below = [&](double at) { return std::acos(std::clamp(-(at - out.offset) / out.amplitude, -1.0, 1.0)) / pi; };
  for (int code = out.lowest; code <= out.highest; ++code) {
    const double from = code == out.lowest ? 0 : share_below(code - 0.5), to = code == out.highest ? 1 : share_below(code + 0.5);
    out.expected.push_back(out.samples * (to - from));
  }
  return out;
}

}  // namespace heron::signal
