#include "study/switching/rank.h"

#include <algorithm>
#include <cassert>
#include <cmath>

#include "base/quantity.h"

namespace heron::study::switching {
namespace {

using bench::SensorKind;

constexpr double kPerFarad = 1e9;  ///< error for each farad that loads a switching node: 10 pF are worth a per cent
constexpr double kPerHenry = 1e6;  ///< for each henry in the loop: 10 nH are worth a per cent

bool isolates(const bench::Sensor& s) { return s.kind == SensorKind::isolated || s.kind == SensorKind::clamp || s.kind == SensorKind::coil || s.kind == SensorKind::transformer; }

bool fits(const bench::Sensor& s, const Demand& d) {
  if (s.reads_codes() || s.kind == SensorKind::monitor || s.senses_current() != d.current) return false;
  if (s.rating > 0 && s.rating < d.peak) return false;
  if (!d.current && d.common > 0 && s.kind != SensorKind::differential && s.kind != SensorKind::isolated) return false;
  return !(d.common > 0 && s.common_mode_rating > 0 && s.common_mode_rating < d.common);
}

}  // namespace

double common_mode_error(const bench::Sensor& s, const Demand& d) {
  assert(d.swing > 0 && d.edge > 0);
  if (!(s.rejection_db > 0)) return 0;
  const double frequency = 0.35 / d.edge, lost = s.rejection_corner > 0 && frequency > s.rejection_corner ? frequency / s.rejection_corner : 1;
  return d.common * std::pow(10, -s.rejection_db / 20) * lost / d.swing;
}

double edge_error(const bench::Sensor& s, const Demand& d) {
  assert(d.edge > 0);
  if (!(s.bandwidth > 0)) return 0;
  // Rises add as root of the sum of squares.
  return std::hypot(1, 0.35 / s.bandwidth / d.edge) - 1;
}

std::vector<Ranked> ranked(const std::vector<const bench::Sensor*>& all, const Demand& demand) {
  std::vector<Ranked> out;
  for (const auto* s : all) {
    if (!fits(*s, demand)) continue;
    Ranked one{.sensor = s};
    const double common = common_mode_error(*s, demand), loading = demand.current ? kPerHenry * s->inductance : kPerFarad * s->capacitance;
    one.error = std::hypot(std::hypot(s->u_factor, edge_error(*s, demand)), std::hypot(common, loading));
    one.why = fmt::format("{:.2g} %", 100 * s->u_factor);
    if (s->bandwidth > 0) one.why += ", " + format_setting(s->bandwidth, "Hz");
    if (isolates(*s)) one.why += ", isolated";
    else if (common > 0) one.why += fmt::format(", common mode {:.2g} % of the swing", 100 * common);
    one.why += ", " + (demand.current ? format_setting(s->inductance, "H") + " in the loop" : format_setting(s->capacitance, "F"));
    out.push_back(std::move(one));
  }
  std::stable_sort(out.begin(), out.end(), [](const Ranked& a, const Ranked& b) { return a.error < b.error; });
  return out;
}

}  // namespace heron::study::switching
