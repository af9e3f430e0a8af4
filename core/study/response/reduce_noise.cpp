#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/conversions.h"
#include "base/quantity.h"
#include "signal/spectra.h"
#include "study/response/reduce.h"

namespace heron::study::response {
namespace {

constexpr int kFewestAverages = 32;
constexpr double kCarried = 1e-3;  ///< of the stimulus' strongest line: 30 dB down nothing is carried any more

/// Samples a second of a table with a time column; steps may differ by a part in a thousand of one.
Result<double> rate_of(const std::vector<double>& time) {
  if (time.size() < 2) return fail(Fault::input, "A record of one sample has no spectrum.");
  for (std::size_t i = 1; i < time.size(); ++i)
    if (!(time[i] > time[i - 1]))
      return fail(Fault::input, "Row {}: the time {} s does not come after {} s.", i + 1, time[i], time[i - 1]);
  const double step = (time.back() - time.front()) / double(time.size() - 1);
  for (std::size_t i = 0; i < time.size(); ++i)
    if (std::abs(time[i] - time.front() - double(i) * step) > 0.05 * step)
      return fail(Fault::input, "Row {}: the samples are not evenly spaced.", i + 1);
  return 1 / step;
}

struct Pair {
  RoleSamples stimulus, response;
  const Record* record = nullptr;
};

/// Segment and window: what was asked, else what the take was made for, else the rule for records of unknown origin.
Result<signal::SpectraSetup> setup_for(const nlohmann::json& setting, const Settings& s,
                                       const std::vector<Pair>& pairs) {
  signal::SpectraSetup out{.segment = 0};
  if (setting.contains("segment")) {
    out.segment = setting.at("segment").get<std::size_t>();
    out.overlap = setting.value("overlap", out.overlap);
    if (const auto w = signal::window_from_text(setting.value("window", std::string("hann")))) out.window = *w;
  }
  if (s.segment) out.segment = *s.segment;
  if (s.overlap) out.overlap = *s.overlap;
  if (s.window) {
    const auto w = signal::window_from_text(*s.window);
    if (!w) return tl::unexpected(w.error());
    out.window = *w;
  }
  if (out.segment == 0) {
    const auto averages = [&](std::size_t segment) {
      int sum = 0;
      for (const auto& pair : pairs)
        sum += signal::segment_count({.segment = segment, .overlap = out.overlap}, pair.stimulus.values.size());
      return sum;
    };
    for (out.segment = 8; averages(out.segment * 2) >= kFewestAverages; out.segment *= 2) {
    }
    if (averages(out.segment) < 2) return fail(Fault::input, "The records are too short for a spectrum with averages.");
  }
  if (auto ok = signal::check(out); !ok) return tl::unexpected(ok.error());
  return out;
}

}  // namespace

Result<Curve> reduce_noise(const std::vector<Point>& points, const Settings& settings) {
  std::vector<Pair> pairs;
  double rate = 0;
  for (const auto& point : points)
    for (const auto& record : point.records) {
      auto stimulus = role_samples(point, record, "stimulus"), response = role_samples(point, record, "response");
      if (!stimulus) return tl::unexpected(stimulus.error());
      if (!response) return tl::unexpected(response.error());
      if (stimulus->values.size() != response->values.size())
        return fail(Fault::input, "Stimulus and response differ in length.");
      double own_rate = record.sample_rate;
      if (const auto* time = record.find("time")) {
        const auto r = rate_of(time->values());
        if (!r) return tl::unexpected(r.error());
        own_rate = *r;
      }
      if (!(own_rate > 0)) return fail(Fault::input, "The records do not say how fast they were sampled.");
      if (rate > 0 && std::abs(own_rate / rate - 1) > 1e-6)
        return fail(Fault::input, "The records were sampled at different rates.");
      rate = own_rate;
      pairs.push_back({std::move(*stimulus), std::move(*response), &record});
    }
  if (pairs.empty()) return fail(Fault::input, "There is no record.");
  const auto setting = points.front().setting.is_object() ? points.front().setting : nlohmann::json::object();
  const auto setup = setup_for(setting, settings, pairs);
  if (!setup) return tl::unexpected(setup.error());
  signal::SpectraSum sum(*setup, rate);
  Curve curve{.measured = true};
  ChannelEvidence stimulus, response;
  for (const auto& pair : pairs) {
    sum.add(pair.stimulus.values, pair.response.values);
    note_range_use(pair.stimulus, stimulus);
    note_range_use(pair.response, response);
  }
  stimulus.unit = pairs.front().stimulus.unit;
  response.unit = pairs.front().response.unit;
  const auto spectra = sum.mean();
  if (spectra.segments == 0)
    return fail(Fault::input, "A segment of {} samples is longer than the records.", setup->segment);
  curve.independent = spectra.independent;
  double low = spectra.line / 2, high = rate / 2;
  if (setting.contains("band")) {
    // The converter's rate moves the lines a little; one at the band's edge belongs to it.
    low = setting.at("band").at(0).get<double>() - spectra.line / 4;
    high = setting.at("band").at(1).get<double>() + spectra.line / 4;
  }
  const double strongest = *std::max_element(spectra.xx.begin() + 1, spectra.xx.end());
  std::vector<CurvePoint> lines;
  for (std::size_t k = 1; k + 1 < spectra.xx.size(); ++k) {
    const double f = double(k) * spectra.line;
    if (f < low || f > high || !(spectra.xx[k] > kCarried * strongest)) continue;
    const bool second = settings.estimator == "H2";
    // H2 = Syy/Syx: right where the noise sits on the stimulus.
    if (second && !(std::abs(spectra.xy[k]) > 0)) continue;
    auto h = second ? spectra.yy[k] / std::conj(spectra.xy[k]) : spectra.xy[k] / spectra.xx[k];
    if (!(std::abs(h) > 0)) continue;
    h *= bench::response_of(pairs.front().stimulus.sensing, f) / bench::response_of(pairs.front().response.sensing, f);
    CurvePoint p{.index = int(lines.size()), .frequency = f, .periods = double(setup->segment) / rate * f};
    p.gain_db = 20 * std::log10(std::abs(h));
    p.phase_deg = std::arg(h) * kDegrees;
    p.coherence = signal::coherence(spectra, k);
    const double u = std::min(10.0, signal::u_of_response(*p.coherence, spectra.independent));
    double scale = 0, common = 0, delay = 0, turn = 0;
    for (const auto* side : {&pairs.front().stimulus, &pairs.front().response}) {
      const auto chain = chain_uncertainty(*side, *pairs.front().record, f);
      scale = std::hypot(scale, chain.scale);
      common = std::hypot(common, chain.common);
      delay = std::hypot(delay, chain.delay);
      turn = std::hypot(turn, chain.turn);
    }
    p.u_gain_db = kDbPerNeper * std::hypot(u, scale);
    p.u_common_db = kDbPerNeper * common;
    p.u_chain_db = kDbPerNeper * scale;
    p.u_phase_deg = kDegrees * std::hypot(u, std::hypot(2 * std::numbers::pi * f * delay, turn));
    p.stimulus = stimulus;
    p.response = response;
    // What noise leaves of a line is in its uncertainty; the floor of a sine fit has no place here.
    p.stimulus.over_floor = p.response.over_floor = 1e9;
    lines.push_back(std::move(p));
  }
  if (lines.empty()) return fail(Fault::input, "The stimulus carries nothing in the band.");
  auto out = assemble(std::move(lines));
  if (!out) return out;
  curve.points = std::move(out->points);
  return curve;
}

}  // namespace heron::study::response
