#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "base/percent.h"
#include "base/conversions.h"
#include "signal/curve.h"
#include "study/response/definitions.h"
#include "study/response/figures.h"

namespace heron::study::response {
namespace {

constexpr double kSettledLimit = 3;  ///< standard uncertainties between the halves of one record
constexpr double kUnderusedShare = 0.1;
constexpr double kFewPeriods = 4;
constexpr double kFloorRatio = 2;  ///< 6 dB over the floor of the fit

/// "at 2 Hz", "at 3 points from 2 Hz to 4 Hz"
std::string where(const std::vector<const CurvePoint*>& points) {
  if (points.size() == 1) return "at " + format_setting(points.front()->frequency, "Hz");
  return fmt::format("at {} points from {} to {}", points.size(), format_setting(points.front()->frequency, "Hz"),
                     format_setting(points.back()->frequency, "Hz"));
}

template <class Test>
std::vector<const CurvePoint*> which(const Curve& curve, Test test) {
  std::vector<const CurvePoint*> out;
  for (const auto& p : curve.points)
    if (test(p)) out.push_back(&p);
  return out;
}

/// A sweep asks the question of the halves some hundred times; the limit of three for one question becomes this for n,
/// so that a sound sweep is doubted as seldom as a sound point (Bonferroni).
double limit_for(std::size_t questions) {
  const double chance = 0.0027 / double(std::max<std::size_t>(questions, 1));
  double low = 0, high = 40;
  for (int i = 0; i < 60; ++i) {
    const double middle = (low + high) / 2;
    (std::erfc(middle / std::sqrt(2.0)) > chance ? low : high) = middle;
  }
  return std::max(kSettledLimit, low);
}

void channel_doubts(const Curve& curve, Side channel, std::string_view name, double settled,
                    Reading& into) {
  if (const auto bad = which(curve, [&](const CurvePoint& p) { return p.of(channel).clipped; }); !bad.empty())
    into.doubts.push_back(mended_by(
        Mend::free_range, {"input.clipped", Severity::serious,
                           fmt::format("The {} reached the end of its input's range {}; gain and phase are wrong there.", name, where(bad)),
                           "Use a higher range or automatic, and take again."}));
  const auto under = which(curve, [&](const CurvePoint& p) {
    return p.of(channel).range_share && *p.of(channel).range_share < kUnderusedShare;
  });
  if (!under.empty()) {
    const auto least = *std::min_element(under.begin(), under.end(), [&](auto* a, auto* b) {
      return *a->of(channel).range_share < *b->of(channel).range_share;
    });
    into.doubts.push_back(mended_by(Mend::free_range, {"range.underused", Severity::caution,
                                                       fmt::format("The {} uses as little as {} of its input's range {}.", name,
                                                                   in_percent(*least->of(channel).range_share), where(under)),
                                                       "Use a lower range or automatic, or drive harder."}));
  }
  const auto moving = which(curve, [&](const CurvePoint& p) { return p.of(channel).unsettled > settled; });
  if (!moving.empty())
    into.doubts.push_back(
        mended_by(Mend::settle,
                  {"settling.short", Severity::caution,
                   fmt::format("The {} was still settling {}: the two halves of the record differ by more than their uncertainty allows.",
                               name, where(moving)),
                   "Settle longer and take again."}));
  const auto drowned = which(curve, [&](const CurvePoint& p) { return p.of(channel).over_floor < kFloorRatio; });
  if (!drowned.empty())
    into.doubts.push_back(mended_by(
        Mend::average, {"noise.limited", Severity::caution, fmt::format("The {} is within 6 dB of the noise {}.", name, where(drowned)),
                        "Drive harder, read more periods or average more records."}));
}

/// The middle of measured over expected along the sweep, where both are well above the noise and agree among
/// themselves; nothing where they do not.
std::optional<double> steady_ratio(const Curve& curve, Side measured,
                                   Side expected) {
  std::vector<double> ratios;
  for (const auto& p : curve.points) {
    const auto& want = p.of(expected).expected;
    if (want && *want > 0 && p.of(measured).over_floor > 10) ratios.push_back(p.of(measured).peak / *want);
  }
  if (ratios.size() < 2) return std::nullopt;
  std::sort(ratios.begin(), ratios.end());
  // The outer tenths may stray: resonances move with tolerances.
  const auto cut = ratios.size() / 10;
  if (ratios[ratios.size() - 1 - cut] > 1.5 * ratios[cut]) return std::nullopt;
  return ratios[ratios.size() / 2];
}

bool near(double value, double wanted, double share) { return std::abs(value / wanted - 1) < share; }

void factor_doubt(const Curve& curve, Side channel, std::string_view name, Reading& into) {
  const auto ratio = steady_ratio(curve, channel, channel);
  if (!ratio || near(*ratio, 1, 0.25)) return;
  for (const double f : {0.001, 0.01, 0.02, 0.05, 0.1, 10.0, 20.0, 50.0, 100.0, 1000.0})
    if (near(*ratio, f, 0.12)) {
      into.doubts.push_back(
          on_hookup({"factor.suspected", Severity::serious,
           fmt::format("The {} reads {:.3g} times what the circuit should show, all along the sweep: a x{:g} {} the "
                       "hookup does not know of.",
                       name, *ratio, f < 1 ? 1 / f : f,
                       f < 1 ? "probe that" : "gain, or a probe that is not there but that"),
           "Set the sensor that is really fitted on the Hookup page and take again."}));
      return;
    }
  if (near(*ratio, 0.5, 0.1) || near(*ratio, 2, 0.1))
    into.doubts.push_back(
        on_hookup({"termination.mismatch", Severity::serious,
         fmt::format("The {} reads {} of what the circuit should show: 50 ohm meets 50 ohm somewhere, or "
                     "does not where it should.",
                     name, *ratio < 1 ? "half" : "twice"),
         "Check the input's resistance and the level's meaning on the Hookup page."}));
}

/// Channels exchanged: each shows what the other should.
bool swapped_doubt(const Curve& curve, Reading& into) {
  const auto crossed = steady_ratio(curve, Side::stimulus, Side::response),
             back = steady_ratio(curve, Side::response, Side::stimulus);
  if (!crossed || !back || !near(*crossed, 1, 0.25) || !near(*back, 1, 0.25)) return false;
  const auto straight = steady_ratio(curve, Side::stimulus, Side::stimulus),
             also = steady_ratio(curve, Side::response, Side::response);
  if (straight && also && near(*straight, 1, 0.25) && near(*also, 1, 0.25)) return false;
  into.doubts.push_back({"wiring.swapped", Severity::serious,
                         "The stimulus shows what the response should, and the response what the stimulus should: the "
                         "leads are exchanged.",
                         "Exchange the two leads, or their pins in the hookup, and take again."});
  return true;
}

void sensor_doubts(const Curve& curve, Side channel, std::string_view name, Reading& into) {
  const auto lost = which(curve, [&](const CurvePoint& p) { return p.of(channel).lost_db > 0.5; });
  if (!lost.empty()) {
    const auto most = *std::max_element(
        lost.begin(), lost.end(), [&](auto* a, auto* b) { return a->of(channel).lost_db < b->of(channel).lost_db; });
    into.doubts.push_back({"bandwidth.limits_edge", Severity::caution,
                           fmt::format("The {}'s sensor took up to {:.1f} dB {}; that was put back, as well as its "
                                       "bandwidth is known.",
                                       name, most->of(channel).lost_db, where(lost)),
                           "Use a faster sensor, or leave these points out."});
  }
  const auto off = which(curve, [&](const CurvePoint& p) {
    const auto& e = p.of(channel);
    return !e.zeroed && e.peak > 0 && std::abs(e.dc) > 0.05 * e.peak;
  });
  if (2 * off.size() > curve.points.size()) {
    const auto& e = off.front()->of(channel);
    into.doubts.push_back(
        on_hookup({"offset.uncorrected", Severity::caution,
         fmt::format("The {} carries a DC of {}, {:.0f} % of its signal, and its sensor was not zeroed.", name,
                     format_quantity(e.dc, e.unit, 2).plain(), 100 * std::abs(e.dc) / e.peak),
         "Zero the sensor on the Hookup page and take again."}));
  }
}

/// Lines that the response does not owe to the stimulus.
void coherence_doubt(const Curve& curve, const Settings& settings, Reading& into) {
  const auto low = which(curve, [](const CurvePoint& p) { return !p.trusted; });
  if (low.empty()) return;
  constexpr double kNothing = 0.2, kNearlyAll = 0.9;
  const auto dead = which(curve, [&](const CurvePoint& p) { return p.coherence && *p.coherence < kNothing; });
  if (double(dead.size()) > kNearlyAll * double(curve.points.size())) {
    into.doubts.push_back(
        on_hookup({"coherence.low", Severity::serious,
                   fmt::format("The response has next to nothing to do with the stimulus: the coherence is below {} at {} of {} "
                               "lines. What was read is noise, not the device.",
                               kNothing, dead.size(), curve.points.size()),
                   "Check that the response's lead is connected and on the right pin, then take again."}));
    return;
  }
  const auto least =
      *std::min_element(low.begin(), low.end(), [](auto* a, auto* b) { return *a->coherence < *b->coherence; });
  into.doubts.push_back(mended_by(
      Mend::drive_harder, {"coherence.low", Severity::caution,
                           fmt::format("The coherence is below {:g} {}, lowest {:.2f} at {}; these lines are drawn pale and left out of "
                                       "figures.",
                                       settings.coherence_limit, where(low), *least->coherence, format_setting(least->frequency, "Hz")),
                           curve.measured ? "Drive harder; more averages do not help." : ""}));
}

/// A gain that changes with the level belongs to the level, not to the device.
void level_doubt(const Curve& curve, Reading& into) {
  const LevelCheck* worst = nullptr;
  constexpr double kSmallest = 0.02;  // dB
  for (const auto& c : curve.level_checks)
    if (std::abs(c.change_db) > std::max(kSmallest, kSettledLimit * c.u_change_db) &&
        (!worst || std::abs(c.change_db) > std::abs(worst->change_db)))
      worst = &c;
  if (!worst) return;
  into.doubts.push_back(
      mended_by(Mend::drive_less,
                {"level.dependent", std::abs(worst->change_db) > 0.5 ? Severity::serious : Severity::caution,
                 fmt::format("The gain depends on the level: at {} it is {:.2g} dB {} at {} pk-pk than at {} pk-pk. {}",
                             format_setting(worst->frequency, "Hz"), std::abs(worst->change_db), worst->change_db > 0 ? "higher" : "lower",
                             format_setting(worst->other_level_pp, "V"), format_setting(worst->level_pp, "V"),
                             worst->change_db > 0 ? "Something compresses or clips." : "Something is lost at low level."),
                 "Take again at a quarter of the level."}));
}

/// What the sensing changes of the figures, by the circuit: more than they are uncertain by is worth a word.
void loading_doubt(const Curve& curve, const Settings& settings, const std::vector<std::string>& asked, Reading& into) {
  constexpr double kSmallest = 1e-4;  // relative
  std::vector<double> lg, gain, phase;
  for (const auto& p : curve.points)
    if (p.evidence && p.evidence->loading) {
      lg.push_back(std::log10(p.frequency));
      gain.push_back(p.evidence->loading->first);
      phase.push_back(p.evidence->loading->second);
    }
  if (lg.size() < 2) return;
  auto columns = columns_of(curve, settings);
  const auto as_read = columns;
  const auto put = [&](const std::vector<double>& places, std::vector<double>& row, const std::vector<double>& by) {
    for (std::size_t k = 0; k < row.size(); ++k)
      row[k] += signal::interpolate(lg, by, std::clamp(places[k], lg.front(), lg.back())).value_or(0);
  };
  put(columns.lg, columns.gain, gain);
  put(columns.lg, columns.phase, phase);
  put(columns.all_lg, columns.all_gain, gain);
  put(columns.all_lg, columns.all_phase, phase);
  const Figure* worst = nullptr;
  double times = 1, by = 0;
  bool wanted = false;
  for (const auto& f : into.figures) {
    const auto d = define(f.key);
    if (!d || !f.u || !(*f.u > 0)) continue;
    const auto without = d->compute(columns, settings), with = d->compute(as_read, settings);
    if (!without || !with) continue;
    const double change = *without - *with;
    const double scale = f.unit == "dB" ? kDbPerNeper : f.unit == "deg" ? kDegrees : std::abs(f.value);
    const bool asks = std::find(asked.begin(), asked.end(), f.key) != asked.end();
    if (std::abs(change) <= kSmallest * scale || std::abs(change) / *f.u <= (asks == wanted ? times : 1)) continue;
    if (wanted && !asks) continue;
    wanted = asks;
    worst = &f;
    times = std::abs(change) / *f.u;
    by = change;
  }
  if (!worst) return;
  into.doubts.push_back(
      {"loading.matters", Severity::note,
       fmt::format("By the circuit, the sensing changes {} by {}, {:.2g} times its uncertainty: without it, it would "
                   "be {}.",
                   worst->label, format_quantity(-by, worst->unit, 2).plain(), times,
                   format_quantity(worst->value + by, worst->unit, 5).plain()),
       "A probe with a higher resistance and less capacitance loads less; so does sensing nearer to a low impedance."});
}

double u_limit(const Figure& f, const Settings& s) {
  if (f.unit == "dB" || f.unit == "dB/decade") return s.u_limit_db;
  if (f.unit == "deg") return s.u_limit_deg;
  return s.u_limit_relative * std::abs(f.value);
}

}  // namespace

void raise_doubts(const Curve& curve, const Settings& settings, const std::vector<std::string>& asked, Reading& into) {
  if (curve.measured) {
    const double settled = limit_for(curve.points.size() * 4);
    channel_doubts(curve, Side::stimulus, "stimulus", settled, into);
    channel_doubts(curve, Side::response, "response", settled, into);
    if (!swapped_doubt(curve, into)) {
      factor_doubt(curve, Side::stimulus, "stimulus", into);
      factor_doubt(curve, Side::response, "response", into);
    }
    sensor_doubts(curve, Side::stimulus, "stimulus", into);
    sensor_doubts(curve, Side::response, "response", into);
    level_doubt(curve, into);
    loading_doubt(curve, settings, asked, into);
    const bool from_noise = curve.independent > 0;
    if (const auto few =
            which(curve, [&](const CurvePoint& p) { return !from_noise && p.periods < kFewPeriods * (1 - 1e-3); });
        !few.empty())
      into.doubts.push_back(
          mended_by(Mend::add_periods,
                    {"periods.few", Severity::caution, fmt::format("Only {:.2g} periods were read {}.", few.front()->periods, where(few)),
                     "Read 4 periods or more."}));
  }
  coherence_doubt(curve, settings, into);
  // Which of the two makes a figure loose, its points' noise or their distance, decides what helps.
  std::string loose, apart;
  bool loose_wanted = false, apart_wanted = false;
  for (const auto& f : into.figures) {
    if (!f.u || *f.u <= u_limit(f, settings)) continue;
    const bool between = f.u_between * f.u_between > 0.5 * *f.u * *f.u;
    auto& names = between ? apart : loose;
    names += (names.empty() ? "" : ", ") + f.label;
    auto& wanted = between ? apart_wanted : loose_wanted;
    wanted = wanted || std::find(asked.begin(), asked.end(), f.key) != asked.end();
  }
  if (!loose.empty())
    into.doubts.push_back(mended_by(Mend::average, {"noise.limited", loose_wanted ? Severity::caution : Severity::note,
                                                    fmt::format("Noise leaves these figures too uncertain to lean on: {}.", loose),
                                                    curve.independent > 0 ? "Drive harder or average more segments."
                                                                          : "Drive harder, read more periods or average more records."}));
  if (!apart.empty())
    into.doubts.push_back(mended_by(Mend::add_points, {"points.sparse", apart_wanted ? Severity::caution : Severity::note,
                                                       fmt::format("The points stand too far apart for these figures: {}.", apart),
                                                       "Add points where the curve bends."}));
}

}  // namespace heron::study::response
