#include "study/iv/ramp.h"

#include <algorithm>
#include <cmath>

namespace heron::study::iv {
namespace {

constexpr double kBackShare = 0.02;    ///< of a leg: how fast it goes back to where a curve starts...
constexpr double kFastestBack = 2e-6;  ///< s, ...but no faster than this
constexpr int kSamplesEach = 24;       ///< wanted at each point
constexpr double kStretch = 0.25;      ///< s of a stretch of a slow ramp, so that it rolls over the screen
constexpr int kMostSamples = 1 << 18;

}  // namespace

Ramp ramp_of(const Plan& p) {
  Ramp out{
      .leg = p.ramp, .back = std::max(kFastestBack, kBackShare * p.ramp), .hold = p.hold, .along = {}, .steps = {}};
  const auto* swept = p.swept();
  out.points = swept ? swept->values.points : 0;
  for (int cycle = 0; cycle < (p.course == Course::both ? p.cycles : 1); ++cycle) {
    if (p.course != Course::down) out.along.push_back(true);
    if (p.course != Course::up) out.along.push_back(false);
  }
  const auto* stepped = p.stepped();
  out.steps = stepped ? list_of(stepped->values) : std::vector<double>{0};
  return out;
}

std::optional<Ramp::Place> Ramp::place(double time) const {
  if (!(time >= 0) || steps.empty() || points < 1) return std::nullopt;
  Place out{.curve = int(time / curve())};
  if (out.curve >= int(steps.size())) return std::nullopt;
  const double in_legs = time - out.curve * curve() - legs_begin();
  if (in_legs < 0) return std::nullopt;
  out.leg = std::min(int(in_legs / leg), int(along.size()) - 1);
  const double at = (in_legs - out.leg * leg) / leg * points;
  out.point = std::clamp(int(at), 0, points - 1);
  out.off = 2 * (at - out.point) - 1;
  return out;
}

nlohmann::json to_json(const Ramp& r) {
  return {{"leg", r.leg},     {"back", r.back},     {"hold", r.hold},
          {"along", r.along}, {"points", r.points}, {"steps", r.steps}};
}

Result<Ramp> ramp_from_json(const nlohmann::json& in) {
  try {
    Ramp out{.leg = in.at("leg"),
             .back = in.at("back"),
             .hold = in.at("hold"),
             .along = in.at("along").get<std::vector<bool>>(),
             .points = in.at("points"),
             .steps = in.at("steps").get<std::vector<double>>()};
    const bool sound = out.leg > 0 && out.back >= 0 && out.hold >= 0 && !out.along.empty() && out.points > 1 &&
                       !out.steps.empty() &&
                       double(out.points) * double(out.along.size()) * double(out.steps.size()) <= 2.0 * kMostPoints;
    if (!sound) return fail(Fault::input, "The ramp makes no sense.");
    return out;
  } catch (const nlohmann::json::exception& e) {
    return fail(Fault::input, "The ramp cannot be read: {}", e.what());
  }
}

bench::Waveform wave_of(const Plan& p, const Source& source) {
  const auto ramp = ramp_of(p);
  bench::Waveform out{.shape = bench::Waveform::Shape::lines};
  auto& lines = out.points;
  lines.emplace_back(0, source.rest);
  for (std::size_t c = 0; c < ramp.steps.size(); ++c) {
    const double begin = double(c) * ramp.curve();
    if (source.role != Role::swept) {
      const double level = source.role == Role::stepped ? ramp.steps[c] : source.value;
      lines.emplace_back(begin + ramp.back, level);
      lines.emplace_back(begin + ramp.curve(), level);
      continue;
    }
    const auto end_of = [&](bool stop) { return stop ? source.values.stop : source.values.start; };
    lines.emplace_back(begin + ramp.back, end_of(!ramp.along.front()));
    if (ramp.hold > 0) lines.emplace_back(begin + ramp.legs_begin(), end_of(!ramp.along.front()));
    for (std::size_t k = 0; k < ramp.along.size(); ++k)
      lines.emplace_back(begin + ramp.legs_begin() + double(k + 1) * ramp.leg, end_of(ramp.along[k]));
  }
  lines.emplace_back(ramp.total(), source.rest);
  return out;
}

RampSampling sampling_of(const Plan& p, double highest_rate) {
  const auto ramp = ramp_of(p);
  RampSampling out{.rate = std::min(highest_rate, kSamplesEach * ramp.points / ramp.leg)};
  const double all = std::ceil(ramp.total() * out.rate);
  const double each = std::clamp(std::ceil(kStretch * out.rate), 64.0, double(kMostSamples));
  out.samples = int(std::min(all, all <= 1.5 * each ? double(kMostSamples) : each));
  out.stretches = int(std::ceil(all / out.samples));
  return out;
}

}  // namespace heron::study::iv
