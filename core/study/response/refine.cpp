#include "study/response/refine.h"

#include <algorithm>
#include <cmath>

#include "study/response/definitions.h"
#include "study/response/figures.h"

namespace heron::study::response {

std::vector<std::string> refined_figures(const std::vector<std::string>& asked) {
  if (!asked.empty()) return asked;
  return {"corner.low",     "corner.high",     "peak.frequency",      "notch.frequency",
          "crossover.gain", "crossover.phase", "resonance.frequency", "resonance.parallel"};
}

std::optional<double> next_frequency(const Curve& curve, const Settings& settings,
                                     const std::vector<std::string>& figures, double least) {
  const auto columns = columns_of(curve, settings);
  if (columns.f.size() < 4) return std::nullopt;
  const auto fine = refined(columns);
  Reading reading;
  read_figures(curve, settings, figures, reading);
  double worst = 1;
  std::optional<double> out;
  for (const auto& key : figures) {
    const auto d = define(key);
    const auto* figure = reading.find(key);
    if (!d || !figure || !d->where || !figure->u) continue;
    const auto curved = d->compute(fine, settings);
    if (!curved) continue;
    const double noise = std::sqrt(std::max(0.0, *figure->u * *figure->u - figure->u_between * figure->u_between));
    const double scale = figure->unit == "dB" || figure->unit == "deg" ? 100 : std::abs(figure->value);
    const double ratio = figure->u_between / std::max(noise, least * scale);
    if (ratio <= worst) continue;
    // The place in the widest gap wins where a figure is read at several.
    double gap = 0;
    std::optional<double> place;
    for (const double f : d->where(fine, settings, *curved)) {
      const auto after = std::upper_bound(columns.f.begin(), columns.f.end(), f);
      if (after == columns.f.begin() || after == columns.f.end()) continue;
      const double low = *(after - 1), high = *after, width = high / low;
      // Between two points that noise hardly tells apart a third tells nothing, and would only hold a crossing fast there.
      constexpr double kTold = 8;
      const auto k = std::size_t(after - columns.f.begin());
      const auto point = [&](std::size_t i) -> const CurvePoint& { return columns.point(i); };
      const bool gain_told = std::abs(columns.gain[k] - columns.gain[k - 1]) >
                             kTold * std::hypot(point(k).noise_gain_db(), point(k - 1).noise_gain_db());
      const bool phase_told = std::abs(columns.phase[k] - columns.phase[k - 1]) >
                              kTold * std::hypot(point(k).noise_phase_deg(), point(k - 1).noise_phase_deg());
      if (!gain_told && !phase_told) continue;
      // Beside a point that is there already, the middle of the wider side tells more.
      double at = f;
      if (std::abs(f / low - 1) < 1e-4) {
        const bool left = after - 1 != columns.f.begin() && low / *(after - 2) > width;
        at = left ? std::sqrt(low * *(after - 2)) : std::sqrt(low * high);
      } else if (std::abs(high / f - 1) < 1e-4) {
        at = std::sqrt(low * high);
      }
      if (width > gap && width > 1 + 1e-5) {
        gap = width;
        place = at;
      }
    }
    if (!place) continue;
    worst = ratio;
    out = place;
  }
  return out;
}

}  // namespace heron::study::response
