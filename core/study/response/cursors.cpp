#include "study/response/cursors.h"

#include <cmath>

#include "signal/curve.h"

namespace heron::study::response {

std::optional<CursorReading> read_at(const Curve& curve, double frequency) {
  if (!(frequency > 0)) return std::nullopt;
  std::vector<double> lg;
  for (const auto& p : curve.points) lg.push_back(std::log10(p.frequency));
  const auto gain = signal::interpolate(lg, curve.gains(), std::log10(frequency));
  if (!gain) return std::nullopt;
  CursorReading out{frequency, *gain, {}};
  if (curve.has_phase) out.phase_deg = signal::interpolate(lg, curve.phases(), std::log10(frequency));
  return out;
}

CursorDifference difference(const CursorReading& a, const CursorReading& b) {
  CursorDifference out{.decades = std::log10(b.frequency / a.frequency),
                       .ratio = b.frequency / a.frequency,
                       .gain_db = b.gain_db - a.gain_db};
  if (a.phase_deg && b.phase_deg) out.phase_deg = *b.phase_deg - *a.phase_deg;
  if (out.decades != 0) out.db_per_decade = out.gain_db / out.decades;
  return out;
}

std::optional<std::pair<std::string, std::string>> remedy_edit(const Plan& plan, std::string_view key) {
  using Edit = std::pair<std::string, std::string>;
  if (key == "points.sparse") return Edit{"refine", "on"};
  if (key == "level.dependent" && plan.stepped())
    return Edit{"level", format_setting(plan.level_pp / 4, "V") + " pk-pk"};
  if (key == "coherence.low" && !plan.stepped())
    return Edit{"noise_level", format_setting(2 * plan.noise_rms, "V") + " rms"};
  if (key == "noise.limited" && !plan.stepped())
    return Edit{"noise_averages", fmt::format("{} segments", std::min(10'000, plan.noise_averages * 4))};
  if (key == "settling.short") return Edit{"settle_time", format_setting(std::max(10e-3, plan.settle_time * 4), "s")};
  if (key == "periods.few") return Edit{"periods", "8 periods"};
  if (key == "noise.limited") return Edit{"averages", fmt::format("{} records", std::min(1000, plan.averages * 4))};
  if (key == "input.clipped" || key == "range.underused") {
    for (const auto& role : {plan.response, plan.stimulus})
      if (const auto* chain = plan.hookup.find(role); chain && chain->input.range)
        return Edit{"hookup." + role + ".range", "automatic"};
  }
  return std::nullopt;
}

}  // namespace heron::study::response
