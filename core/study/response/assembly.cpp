#include "study/response/assembly.h"

#include <cmath>

#include "study/response/compensate.h"

namespace heron::study::response {
namespace {

std::string said(const Point& point, const char* key) {
  return point.setting.readable() ? point.setting.json().value(key, std::string()) : std::string();
}

/// Points that ask whether the level matters, against the curve they check.
std::vector<LevelCheck> level_checks(const std::vector<CurvePoint>& points, const std::vector<CurvePoint>& again) {
  std::vector<LevelCheck> out;
  for (const auto& other : again)
    for (const auto& p : points) {
      if (p.frequency != other.frequency) continue;
      // What both readings share, the chains' scale, is no reason to doubt their difference.
      out.push_back({p.frequency, p.level_pp, other.level_pp, other.gain_db - p.gain_db,
                     std::hypot(p.noise_gain_db(), other.noise_gain_db())});
    }
  return out;
}

}  // namespace

Result<void> Assembly::add(const Point& point) {
  auto& part = parts_[point.setting.purpose()];
  const bool first = part.points.empty() && part.again.empty() && part.records.empty() && part.table.empty();
  if (first && point.records.size() == 1 && point.records.front().find("frequency")) {
    part.table.push_back(point.records.front());
    return {};
  }
  if (!part.table.empty()) return fail(Fault::input, "A table is a take of its own; more points follow it.");
  if (said(point, "quantity") == "impedance") impedance_ = true;
  if (settings_.noise || !part.records.empty() || (first && said(point, "method") == "noise")) {
    part.records.push_back(point);
    return {};
  }
  if (first && !point.records.empty() && point.records.front().find("time"))
    return fail(Fault::input,
                "The data are records over time; say --set method=noise for a stimulus that holds all frequencies.");
  auto one = reduce(point, numbers_);
  if (!one) return tl::unexpected(one.error());
  (said(point, "check") == "level" ? part.again : part.points).push_back(std::move(*one));
  return {};
}

Result<Curve> Assembly::curve_of(const Part& part) const {
  if (!part.table.empty()) return reduce_table(part.table.front());
  if (!part.records.empty()) return reduce_noise(part.records, settings_);
  if (part.points.empty()) return Curve{};
  auto curve = assemble(part.points);
  if (curve) {
    curve->measured = true;
    curve->level_checks = level_checks(curve->points, part.again);
  }
  return curve;
}

Result<Curve> Assembly::curve() const {
  const auto own = parts_.find("");
  auto curve = own == parts_.end() ? Result<Curve>(Curve{}) : curve_of(own->second);
  if (!curve) return curve;
  if (impedance_) curve->quantity = Quantity::impedance;
  if (settings_.quantity) curve->quantity = *settings_.quantity;
  Standards held{.load_resistance = settings_.load_resistance};
  for (const auto& [what, into] : {std::pair{"open", &held.open}, {"short", &held.shorted}, {"load", &held.load}}) {
    const auto part = parts_.find(what);
    if (part == parts_.end()) continue;
    auto one = curve_of(part->second);
    if (!one) return fail(one.error().fault, "The {} take: {}", what, one.error().message);
    *into = std::move(*one);
  }
  if (held.open || held.shorted || held.load)
    if (auto ok = compensate(*curve, held); !ok) return tl::unexpected(ok.error());
  for (auto& p : curve->points) p.trusted = !p.coherence || *p.coherence >= settings_.coherence_limit;
  if (settings_.normalise) normalise(*curve, *settings_.normalise);
  return curve;
}

Result<Curve> reduce_take(const std::vector<Point>& points, const Settings& settings) {
  Assembly assembly(settings);
  for (const auto& point : points)
    if (auto ok = assembly.add(point); !ok) return tl::unexpected(ok.error());
  return assembly.curve();
}

}  // namespace heron::study::response
