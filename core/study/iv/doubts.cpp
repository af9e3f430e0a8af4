#include "study/iv/doubts.h"

#include <algorithm>
#include <cmath>

#include "base/percent.h"
#include "base/quantity.h"
#include "study/iv/definitions.h"
#include "study/iv/diode.h"
#include "study/iv/drive.h"
#include "study/iv/loop.h"

namespace heron::study::iv {
namespace {

std::string curve_text(const Family& family, const Curve& curve) {
  if (family.curves.size() < 2 || !curve.step) return "the curve";
  return "the curve at " + family.step_name + " " + format_setting(*curve.step, family.step_unit);
}

/// A limit of the source that held, as a table shows it.
bool plateau(const Sorted& upright) { return before_plateau(upright) < upright.voltage.size(); }

/// @param rows  of every curve, upright
void check_compliance(const Family& family, const std::vector<Sorted>& rows, std::vector<Doubt>& out) {
  std::size_t curves = 0, points = 0;
  const Curve* first = nullptr;
  constexpr std::size_t kFewest = 3;
  for (std::size_t k = 0; k < rows.size(); ++k) {
    const auto& curve = family.curves[k];
    const auto n = std::size_t(
        std::count_if(curve.points.begin(), curve.points.end(), [](const CurvePoint& p) { return p.at_compliance; }));
    const bool seen = n >= kFewest || (!family.measured && plateau(rows[k]));
    if (!seen) continue;
    if (!first) first = &curve;
    ++curves;
    points += n;
  }
  if (!first) return;
  const bool all = family.measured && points == family.size();
  out.push_back(
      mended_by(Mend::begin_small,
                {"compliance.reached", all ? Severity::serious : Severity::caution,
                 all               ? std::string("Every point was read at compliance: the curve is the source's limit, not the device.")
                 : family.measured ? fmt::format("{} of {} points were read at compliance, first on {}; they are left out of figures.",
                                                 points, family.size(), curve_text(family, *first))
                                   : fmt::format("The current stays at its highest value on {}{}: a limit of the source held.",
                                                 curve_text(family, *first), curves > 1 ? fmt::format(" and {} more", curves - 1) : ""),
                 "Raise the compliance if the device bears it, or end the sweep before."}));
}

void check_loop(const Family& family, const Settings& settings, std::vector<Doubt>& out) {
  std::optional<Loop> widest;
  const Curve* of = nullptr;
  for (const auto& curve : family.curves)
    if (const auto loop = loop_of(curve); loop && (!widest || loop->opening > widest->opening)) {
      widest = loop;
      of = &curve;
    }
  // A loop that its own noise may have opened is not open.
  if (!widest || widest->opening <= std::max(settings.loop_threshold, 2 * widest->u_opening.value_or(0))) return;
  std::string text = fmt::format(
      "The way down does not lie on the way up: {} of the highest current apart at {} on {}.",
      in_percent(widest->opening), format_quantity(widest->opening_at, "V", 3).plain(), curve_text(family, *of));
  if (family.measured && widest->rate > 0)
    text += fmt::format(" The sweep went at {}/s; a capacitance takes current in proportion to that.",
                        format_quantity(widest->rate, "V", 3).plain());
  out.push_back(
      mended_by(Mend::slow_down, {"loop.open", Severity::caution, text,
                                  "Sweep four times as slowly and see whether it closes: a capacitance does, memory and self-heating do "
                                  "not."}));
}

/// What moved while it was read has not settled.
void check_settling(const Family& family, std::vector<Doubt>& out) {
  constexpr double kSigmas = 3, kSmallest = 1e-3;  // of the current: less is of no account
  constexpr std::size_t kFewest = 3;
  std::size_t moved = 0;
  const CurvePoint* worst = nullptr;
  double worst_share = 0;
  for (const auto& curve : family.curves)
    for (const auto& p : curve.points) {
      const double share = std::abs(p.moved) / std::max(std::abs(p.current), 1e-300);
      if (!(p.u_moved > 0) || std::abs(p.moved) <= kSigmas * p.u_moved || share <= kSmallest || !p.usable()) continue;
      ++moved;
      if (share > worst_share) {
        worst_share = share;
        worst = &p;
      }
    }
  if (moved < kFewest || !worst) return;
  Doubt doubt{"settling.short", Severity::caution,
              fmt::format("At {} of {} points the current still moved while it was read, by {} at {}.", moved,
                          family.size(), in_percent(worst_share), format_quantity(worst->voltage, "V", 3).plain()),
              "Wait four times as long"};
  if (family.delay) doubt.edits = {{"delay", format_setting(rounded_to(std::max(4 * *family.delay, 5e-3), 3), "s")}};
  out.push_back(std::move(doubt));
}

/// Currents that the range's own offset could be: they are the instrument's as likely as the device's.
void check_offset(const Family& family, const std::vector<Sorted>& rows, const Settings& settings,
                  std::vector<Doubt>& out) {
  for (const auto& name : family.unzeroed)
    out.push_back(on_hookup({"offset.uncorrected", Severity::caution,
                   fmt::format("The sensor of {} drifts and was not zeroed.", name),
                   "Zero it on the Hookup page, then take again."}));
  if (family.ramped) {
    // What is left of a current's uncertainty where it is smallest is the inputs' zeros.
    constexpr double kMuch = 0.01;
    double highest = 0, smallest = INFINITY, zeros = 0;
    for (const auto& curve : family.curves)
      for (const auto& p : curve.points) {
        highest = std::max(highest, std::abs(p.current));
        if (!p.u_current || std::abs(p.current) >= smallest) continue;
        smallest = std::abs(p.current);
        zeros = p.u_current->shared;
      }
    if (family.unzeroed.empty() && 2 * zeros > kMuch * highest)
      out.push_back(on_hookup({"offset.uncorrected", Severity::caution,
                     fmt::format("The zeros of the inputs may be worth {}, {} of the highest current.",
                                 format_quantity(2 * zeros, "A", 2).plain(), in_percent(2 * zeros / highest)),
                     "Take a larger resistor to sense with, or smaller ranges on the Hookup page."}));
    return;
  }
  constexpr double kNearZero = 0.05;  // of the highest voltage: there every current is small
  constexpr std::size_t kFewest = 3;
  std::size_t within = 0, points = 0;
  double offset = 0;
  const bool small_matter = settings.axis == Axis::transfer ||
                            std::any_of(rows.begin(), rows.end(), [](const Sorted& s) { return s.log_current; });
  for (const auto& curve : family.curves) {
    double highest = 0;
    for (const auto& p : curve.points) highest = std::max(highest, std::abs(p.voltage));
    for (const auto& p : curve.points) {
      if (!p.u_current || (settings.axis == Axis::output && std::abs(p.voltage) < kNearZero * highest)) continue;
      ++points;
      if (std::abs(p.current) > 2 * p.u_current->shared || family.opened) continue;
      ++within;
      offset = std::max(offset, p.u_current->shared);
    }
  }
  if (within < kFewest) return;
  out.push_back(
      {"offset.uncorrected", small_matter ? Severity::caution : Severity::note,
       fmt::format("{} of {} currents lie within what the range's offset may be, {}; they may be the "
                   "instrument's.",
                   within, points, format_quantity(2 * offset, "A", 2).plain()),
       "Let the range go lower, or take once more with the device out and set `open` to that take: it is then "
       "taken off."});
}

/// Figures that noise leaves loose. Where somebody asked for one it is a caution.
void check_noise(const Family& family, const std::vector<Sorted>& rows, const Settings& settings,
                 const std::vector<std::string>& asked, std::vector<Doubt>& out, const Reading& reading) {
  std::string loose, apart;
  bool loose_wanted = false, apart_wanted = false;
  for (const auto& f : reading.figures) {
    if (!f.u || *f.u <= settings.u_limit * std::abs(f.value) || f.of_nothing) continue;
    const bool between = f.u_between * f.u_between > 0.5 * *f.u * *f.u;
    auto& names = between ? apart : loose;
    names += (names.empty() ? "" : ", ") + f.label;
    auto& wanted = between ? apart_wanted : loose_wanted;
    wanted = wanted || std::find(asked.begin(), asked.end(), f.key) != asked.end();
  }
  if (!loose.empty())
    out.push_back({"noise.limited", loose_wanted ? Severity::caution : Severity::note,
                   fmt::format("Noise leaves these figures too uncertain to lean on: {}.", loose),
                   family.measured ? "Read longer, average more, or let the range go lower."
                                   : "Take it again with more averages."});
  if (!apart.empty())
    out.push_back({"points.sparse", apart_wanted ? Severity::caution : Severity::note,
                   fmt::format("The points stand too far apart for these figures: {}.", apart),
                   "Read more points where the curve bends."});
  // A junction's low end under the noise.
  for (std::size_t k = 0; k < rows.size(); ++k) {
    if (settings.axis != Axis::output) break;
    const auto fit = fit_diode(rows[k], junction_temperature(family, settings));
    if (!fit || fit->drowned == 0) continue;
    out.push_back(
        {"noise.limited", Severity::note,
         fmt::format("{} points of {} at its low end lie within their noise; the junction is fitted from {} "
                     "on.",
                     fit->drowned, curve_text(family, family.curves[k]), format_quantity(fit->lowest, "A", 2).plain()),
         "Average more there, or let the range go lower."});
    break;
  }
}

/// What conducts only when it is turned over is connected the other way round, or of the other polarity.
void check_polarity(const Family& family, const Settings& settings, std::vector<Doubt>& out) {
  constexpr double kFarMore = 1e3;
  if (settings.axis != Axis::output || family.curves.size() != 1) return;
  const auto& curve = family.curves.front();
  double forward = 0, backward = 0, low = 0, high = 0;
  for (const auto& p : curve.points) {
    (p.voltage > 0 ? forward : backward) = std::max(p.voltage > 0 ? forward : backward, std::abs(p.current));
    low = std::min(low, p.voltage);
    high = std::max(high, p.voltage);
  }
  if (!(high > 0) || !(low < 0) || -low > 2 * high || high > -2 * low || !(backward > kFarMore * forward)) return;
  out.push_back({"wiring.sign", Severity::note,
                 fmt::format("The device conducts at negative voltages, {} at {} against {} at {}: it is connected the "
                             "other way round, or is of the other polarity.",
                             format_quantity(backward, "A", 2).plain(), format_quantity(low, "V", 2).plain(),
                             format_quantity(forward, "A", 2).plain(), format_quantity(high, "V", 2).plain()),
                 "Turn it round if that was not meant."});
}

void check_ranges(const Family& family, std::vector<Doubt>& out) {
  constexpr double kUnder = 0.1;
  for (const auto& use : family.ranges)
    if (use.fixed && use.range > 0 && use.highest > 0 && use.highest < kUnder * use.range)
      out.push_back({"range.underused",
                     Severity::caution,
                     fmt::format("{}: {} of its range of {} was used; noise and offset are those of the whole.",
                                 use.name, in_percent(use.highest / use.range), format_setting(use.range, use.unit)),
                     "Make the range automatic",
                     {{use.word, "automatic"}}});
  std::size_t clipped = 0;
  for (const auto& curve : family.curves)
    clipped += std::size_t(
        std::count_if(curve.points.begin(), curve.points.end(), [](const CurvePoint& p) { return p.clipped; }));
  if (clipped > 0)
    out.push_back(on_hookup({"input.clipped", Severity::serious,
                   fmt::format("{} of {} points lie where an input was at the end of its range; they are left out.",
                               clipped, family.size()),
                   "Take a higher range on the Hookup page."}));
  if (!family.looked_for_ranges) return;
  Doubt doubt{"autorange.single_shot", Severity::note,
              "The ranges were found by a sweep beforehand: the device has seen one more than is kept.",
              "Fix the ranges if it remembers"};
  for (const auto& use : family.ranges)
    if (!use.fixed && use.range > 0) doubt.edits.emplace_back(use.word, format_setting(use.range, use.unit));
  out.push_back(std::move(doubt));
}

void check_ratings(const Family& family, std::vector<Doubt>& out) {
  for (const auto& use : family.ratings)
    if (use.rating > 0 && use.highest > kNearRating * use.rating)
      out.push_back(
          rating_finding(use.highest > use.rating,
           fmt::format("{} came to {}{}; its rating is {}.", use.pin, format_quantity(use.highest, use.unit, 3).plain(),
                       use.reversed ? " the other way" : "", format_setting(use.rating, use.unit)),
           "End the sweep before, or lower the compliance."));
}

}  // namespace

std::vector<Doubt> find_doubts(const Family& family, const Settings& settings, const std::vector<std::string>& asked,
                               const Reading& reading) {
  std::vector<Doubt> out;
  std::vector<Sorted> rows;
  for (const auto& curve : family.curves) rows.push_back(upright(sorted(curve)));
  check_compliance(family, rows, out);
  check_loop(family, settings, out);
  check_settling(family, out);
  check_ratings(family, out);
  check_ranges(family, out);
  check_offset(family, rows, settings, out);
  check_noise(family, rows, settings, asked, out, reading);
  check_polarity(family, settings, out);
  return out;
}

}  // namespace heron::study::iv
