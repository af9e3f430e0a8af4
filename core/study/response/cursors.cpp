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

}  // namespace heron::study::response
