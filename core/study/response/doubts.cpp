#include <algorithm>
#include <cmath>

#include "base/quantity.h"
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

void channel_doubts(const Curve& curve, ChannelEvidence CurvePoint::*channel, std::string_view name, double settled,
                    Reading& into) {
  if (const auto bad = which(curve, [&](const CurvePoint& p) { return (p.*channel).clipped; }); !bad.empty())
    into.doubts.push_back(
        {"input.clipped", Severity::serious,
         fmt::format("The {} reached the end of its input's range {}; gain and phase are wrong there.", name,
                     where(bad)),
         "Use a higher range or automatic, and take again."});
  const auto under = which(curve, [&](const CurvePoint& p) {
    return (p.*channel).range_share && *(p.*channel).range_share < kUnderusedShare;
  });
  if (!under.empty()) {
    const auto least = *std::min_element(under.begin(), under.end(), [&](auto* a, auto* b) {
      return *(a->*channel).range_share < *(b->*channel).range_share;
    });
    into.doubts.push_back({"range.underused", Severity::caution,
                           fmt::format("The {} uses as little as {:.2g} % of its input's range {}.", name,
                                       100 * *(least->*channel).range_share, where(under)),
                           "Use a lower range or automatic, or drive harder."});
  }
  const auto moving = which(curve, [&](const CurvePoint& p) { return (p.*channel).unsettled > settled; });
  if (!moving.empty())
    into.doubts.push_back(
        {"settling.short", Severity::caution,
         fmt::format(
             "The {} was still settling {}: the two halves of the record differ by more than their uncertainty allows.",
             name, where(moving)),
         "Settle longer and take again."});
  const auto drowned = which(curve, [&](const CurvePoint& p) { return (p.*channel).over_floor < kFloorRatio; });
  if (!drowned.empty())
    into.doubts.push_back({"noise.limited", Severity::caution,
                           fmt::format("The {} is within 6 dB of the noise {}.", name, where(drowned)),
                           "Drive harder, read more periods or average more records."});
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
    channel_doubts(curve, &CurvePoint::stimulus, "stimulus", settled, into);
    channel_doubts(curve, &CurvePoint::response, "response", settled, into);
    if (const auto few = which(curve, [](const CurvePoint& p) { return p.periods < kFewPeriods * (1 - 1e-3); });
        !few.empty())
      into.doubts.push_back({"periods.few", Severity::caution,
                             fmt::format("Only {:.2g} periods were read {}.", few.front()->periods, where(few)),
                             "Read 4 periods or more."});
  }
  std::string loose;
  bool wanted = false;
  for (const auto& f : into.figures) {
    if (!f.u || *f.u <= u_limit(f, settings)) continue;
    loose += (loose.empty() ? "" : ", ") + f.label;
    wanted = wanted || std::find(asked.begin(), asked.end(), f.key) != asked.end();
  }
  if (!loose.empty())
    into.doubts.push_back({"noise.limited", wanted ? Severity::caution : Severity::note,
                           fmt::format("Noise leaves these figures too uncertain to lean on: {}.", loose),
                           "Drive harder, read more periods or average more records."});
}

}  // namespace heron::study::response
