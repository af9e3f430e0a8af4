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
Result<double> rate_of(const Record& record, const std::vector<double>& time) {
  if (time.size() < 2) return fail(Fault::input, "A record of one sample has no spectrum.");
  for (std::size_t i = 1; i < time.size(); ++i)
    if (!(time[i] > time[i - 1]))
      return fail(Fault::input, "{}: the time {} s does not come after {} s.", record.where(i), time[i], time[i - 1]);
  const double step = (time.back() - time.front()) / double(time.size() - 1);
  for (std::size_t i = 0; i < time.size(); ++i)
    if (std::abs(time[i] - time.front() - double(i) * step) > 0.05 * step)
      return fail(Fault::input, "{}: the samples are not evenly spaced.", record.where(i));
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
        const auto r = rate_of(record, time->values());
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
  const auto setting = points.front().setting.readable() ? points.front().setting.json() : nlohmann::json::object();
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
  // What noise leaves of a line is in its uncertainty; the floor of a sine fit has no place here.
  stimulus.over_floor = response.over_floor = 1e9;
  const auto evidence = std::make_shared<const CurvePoint::Evidence>(CurvePoint::Evidence{stimulus, response});
  SourceNumbers numbers;
  curve.alike = signal::line_correlation(setup->window);
  // Both the stimulus and what disturbs it are alike from line to line, and their product is what errs.
  for (auto& r : curve.alike) r *= r;
  std::vector<CurvePoint> lines;
  lines.reserve(spectra.xx.size());
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
    const double u = std::min(10.0, signal::u_of_line(*p.coherence, spectra.independent));
    for (const Side side : {Side::stimulus, Side::response}) {
      const auto& of = side == Side::stimulus ? pairs.front().stimulus : pairs.front().response;
      add_chain_errors(of, *pairs.front().record, side, f, {}, numbers, p.shared);
    }
    p.u_gain_db = std::hypot(kDbPerNeper * u, shared_of(p.shared, false));
    p.u_phase_deg = std::hypot(kDegrees * u, shared_of(p.shared, true));
    p.evidence = evidence;
    lines.push_back(std::move(p));
  }
  if (lines.empty()) return fail(Fault::input, "The stimulus carries nothing in the band.");
  auto out = assemble(std::move(lines));
  if (!out) return out;
  curve.points = std::move(out->points);
  return curve;
}

}  // namespace heron::study::response
