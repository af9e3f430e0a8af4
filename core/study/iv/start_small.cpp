#include "study/iv/start_small.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/iv/drive.h"

namespace heron::study::iv {
namespace {

/// The compliance at which a rating of the pin is near: of the limited quantity, or of the power at the far end.
double near_rating(const Source& s, const device::Ratings& ratings) {
  const auto it = ratings.find(s.pin);
  double most = INFINITY;
  if (it == ratings.end()) return most;
  const double sign = furthest(s);
  const auto limited =
      s.force == bench::Force::voltage ? it->second.current_towards(sign) : it->second.voltage_towards(sign);
  if (limited) most = kNearRating * *limited;
  if (const double far = std::abs(furthest(s)); it->second.power && far > 0)
    most = std::min(most, kNearRating * *it->second.power / far);
  return most;
}

}  // namespace

Result<Raised> start_small(const Plan& plan, bench::Bench& bench, const device::Ratings& ratings,
                           std::stop_token stop) {
  if (auto ok = check(plan); !ok) return tl::unexpected(ok.error());
  if (plan.method == Method::waveform)
    return fail(Fault::usage, "A generator has no compliance; begin with a small ramp instead.");
  const bench::AtRest rest{bench};
  if (auto ok = bench.connect({}); !ok) return tl::unexpected(ok.error());
  const auto* swept = plan.swept();
  const auto channel = int(swept - plan.sources.data());
  const double most = near_rating(*swept, ratings), allowed = std::min(swept->compliance, most);
  Raised out;
  for (double compliance = swept->compliance / kStartBelow;; compliance *= 2) {
    if (stop.stop_requested()) return tl::unexpected(stopped());
    out.compliance = std::min(compliance, allowed);
    for (std::size_t k = 0; k < plan.sources.size(); ++k) {
      auto s = plan.sources[k];
      if (s.role == Role::swept) s.compliance = out.compliance;
      if (auto ok = bench.source(setup_of(s, int(k), furthest(s))); !ok) return tl::unexpected(ok.error());
    }
    if (auto ok = bench.wait(std::max(plan.delay, 1e-3), stop); !ok) return tl::unexpected(ok.error());
    const auto reading = bench.measure(channel, 0, plan.aperture, stop);
    if (!reading) return tl::unexpected(reading.error());
    out.tried.emplace_back(out.compliance, reading->at_compliance);
    if (!reading->at_compliance) return out;
    if (out.compliance >= allowed) {
      out.end = most < swept->compliance ? Raised::End::rating : Raised::End::allowed;
      return out;
    }
  }
}

std::string raised_text(const Raised& raised, const Source& s) {
  const auto text = [&](double v) { return format_setting(rounded_to(v, 3), s.other_unit()); };
  const std::string tries =
      fmt::format("{} tr{} from {} on", raised.tried.size(), raised.tried.size() == 1 ? "y" : "ies",
                  text(raised.tried.empty() ? raised.compliance : raised.tried.front().first));
  switch (raised.end) {
    case Raised::End::sufficed:
      return fmt::format("{} holds {} to the far end of the sweep ({}).", text(raised.compliance), s.name, tries);
    case Raised::End::rating:
      return fmt::format("{} is still held at {}, and more would come near a rating of {} ({}).", s.name,
                         text(raised.compliance), s.pin, tries);
    case Raised::End::allowed:
      break;
  }
  return fmt::format("{} is still held at {}, the most that the brief allows ({}).", s.name, text(raised.compliance),
                     tries);
}

}  // namespace heron::study::iv
