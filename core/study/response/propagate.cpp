#include "study/response/propagate.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/conversions.h"
#include "signal/scatter.h"
#include "signal/spectra.h"

namespace heron::study::response {
namespace {

constexpr std::size_t kNone = std::size_t(-1);
constexpr double kAlikeSigmas = 3;  ///< of chi square of lines that err alike with their neighbours
constexpr double kFewAverages = 8;  ///< from which on an estimated coherence is not far too high

/// Symmetric filter whose output has the given autocorrelation: the root of its spectrum, back in the time domain.
std::vector<double> taps_for(const std::vector<double>& alike) {
  if (alike.size() < 2) return {1};
  constexpr int kGrid = 256;
  const int reach = 3 * int(alike.size());
  std::vector<double> root(kGrid);
  for (int g = 0; g < kGrid; ++g) {
    double s = alike[0];
    for (std::size_t m = 1; m < alike.size(); ++m)
      s += 2 * alike[m] * std::cos(2 * std::numbers::pi * g * double(m) / kGrid);
    root[std::size_t(g)] = std::sqrt(std::max(0.0, s));
  }
  std::vector<double> taps;
  double power = 0;
  for (int k = -reach; k <= reach; ++k) {
    double sum = 0;
    for (int g = 0; g < kGrid; ++g) sum += root[std::size_t(g)] * std::cos(2 * std::numbers::pi * g * k / kGrid);
    taps.push_back(sum / kGrid);
    power += taps.back() * taps.back();
  }
  for (auto& t : taps) t /= std::sqrt(power);
  return taps;
}

}  // namespace

Errors::Errors(const Curve& curve, const CurveColumns& columns) : columns_(columns), taps_(taps_for(curve.alike)) {
  const auto& points = columns.points;
  const bool said = !points.empty() && std::all_of(points.begin(), points.end(), [](const CurvePoint* p) {
    return p->u_gain_db && p->u_phase_deg;
  });
  if (said) {
    std::size_t trusted = 0;
    for (std::size_t i = 0; i < points.size(); ++i) {
      const auto& p = *points[i];
      all_.gain.push_back(p.noise_gain_db());
      all_.phase.push_back(p.noise_phase_deg());
      if (p.trusted) {
        trusted_.gain.push_back(all_.gain.back());
        trusted_.phase.push_back(all_.phase.back());
      }
      for (const auto& e : p.shared) shared_.push_back({p.trusted ? trusted : kNone, i, e});
      if (p.trusted) ++trusted;
    }
    known_ = true;
  } else {
    const auto found = [&](const std::vector<double>& lg, const std::vector<double>& y) {
      auto out = signal::scatter(lg, y);
      known_ = known_ || !out.empty();
      out.resize(y.size());
      return out;
    };
    trusted_ = {found(columns.lg, columns.gain),
                columns.has_phase ? found(columns.lg, columns.phase) : std::vector<double>(columns.lg.size())};
    const bool same = columns.all_lg.size() == columns.lg.size();
    all_ = same ? trusted_
                : Row{found(columns.all_lg, columns.all_gain), columns.has_phase
                                                                   ? found(columns.all_lg, columns.all_phase)
                                                                   : std::vector<double>(columns.all_lg.size())};
  }
  if (columns.coherence.empty()) return;
  if (curve.independent > 1) {
    // Spread of an estimated coherence (Bendat and Piersol). Its root's area tangent spreads alike whatever it is.
    of_averages_ = curve.independent;
    for (const double g2 : columns.coherence)
      coherence_.push_back(std::sqrt(2 * std::max(g2, 0.0) / curve.independent) * (1 - g2));
    // A line's own coherence is as uncertain as its gain; that of its neighbourhood says better how noisy it is.
    quiet_coherence_ = signal::without_noise(columns.all_lg, columns.coherence, coherence_, kAlikeSigmas);
    std::size_t trusted = 0;
    for (std::size_t i = 0; i < points.size() && said && curve.independent > kFewAverages; ++i) {
      const double u = std::min(10.0, signal::u_of_line(std::clamp(quiet_coherence_[i], 1e-6, 1.0), curve.independent));
      all_.gain[i] = kDbPerNeper * u;
      all_.phase[i] = kDegrees * u;
      if (!points[i]->trusted) continue;
      trusted_.gain[trusted] = all_.gain[i];
      trusted_.phase[trusted++] = all_.phase[i];
    }
  } else {
    coherence_ = signal::scatter(columns.all_lg, columns.coherence);
    known_ = known_ || !coherence_.empty();
    coherence_.resize(columns.coherence.size());
  }
}

CurveColumns Errors::centre() const {
  CurveColumns out = columns_;
  const double sigmas = taps_.size() > 1 ? kAlikeSigmas : 2;
  out.gain = signal::without_noise(columns_.lg, columns_.gain, trusted_.gain, sigmas);
  const bool same = columns_.all_lg.size() == columns_.lg.size();
  out.all_gain = same ? out.gain : signal::without_noise(columns_.all_lg, columns_.all_gain, all_.gain, sigmas);
  if (!quiet_coherence_.empty())
    out.coherence = quiet_coherence_;
  else if (!coherence_.empty())
    out.coherence = signal::without_noise(columns_.all_lg, columns_.coherence, coherence_);
  return out;
}

void Errors::add_noise(std::vector<double>& to, const std::vector<double>& u, std::mt19937_64& random) const {
  std::normal_distribution<double> normal;
  if (taps_.size() == 1) {
    for (std::size_t i = 0; i < to.size(); ++i)
      if (u[i] > 0) to[i] += u[i] * normal(random);
    return;
  }
  std::vector<double> white(to.size() + taps_.size() - 1);
  for (auto& w : white) w = normal(random);
  // A ratio of averages spreads like Student's t: its tails decide how far the highest of many lines stands out.
  const double freedom = 2 * (of_averages_ - 1);
  std::gamma_distribution<double> chi(freedom / 2, 2);
  const bool student = freedom > 4 && freedom < 400;
  for (std::size_t i = 0; i < to.size(); ++i) {
    double sum = 0;
    for (std::size_t k = 0; k < taps_.size(); ++k) sum += taps_[k] * white[i + k];
    const double wide = student ? std::sqrt((freedom - 2) / chi(random)) : 1;
    to[i] += u[i] * sum * wide;
  }
}

void Errors::disturb(CurveColumns& c, std::mt19937_64& random, bool own_only) const {
  const auto before_gain = c.all_gain, before_phase = c.all_phase;
  const bool same = c.all_lg.size() == c.lg.size();
  add_noise(c.all_gain, all_.gain, random);
  if (c.has_phase) add_noise(c.all_phase, all_.phase, random);
  SharedDraw draw(random);
  for (const auto& s : shared_) {
    if (own_only) break;
    const double by = draw(s.error.source);
    c.all_gain[s.all] += by * s.error.first;
    c.all_phase[s.all] += by * s.error.second;
  }
  if (same) {
    c.gain = c.all_gain;
    c.phase = c.all_phase;
  } else {
    for (std::size_t k = 0; k < c.lg.size(); ++k) {
      const auto at = c.place_in_all[k];
      c.gain[k] += c.all_gain[at] - before_gain[at];
      c.phase[k] += c.all_phase[at] - before_phase[at];
    }
  }
  if (of_averages_ > 1) {
    std::vector<double> root;
    for (const double g : c.coherence) root.push_back(std::atanh(std::sqrt(std::clamp(g, 1e-9, 1 - 1e-12))));
    add_noise(root, std::vector<double>(root.size(), 1 / std::sqrt(2 * of_averages_)), random);
    for (std::size_t k = 0; k < root.size(); ++k)
      c.coherence[k] = std::pow(std::tanh(root[k]), 2);
  } else if (!coherence_.empty()) {
    add_noise(c.coherence, coherence_, random);
    for (auto& g : c.coherence) g = std::clamp(g, 0.0, 1.0);
  }
}

std::vector<Spread> propagate(const std::vector<Definition>& definitions, const Errors& errors, const Settings& settings,
                              bool own_only) {
  std::vector<Spread> out(definitions.size());
  if (!errors.known()) return out;
  const auto centre = errors.centre();
  const auto draws = int(std::clamp(4e6 / double(std::max<std::size_t>(1, centre.all_lg.size())), 12.0, own_only ? 32.0 : 96.0));
  std::vector<double> at_centre(definitions.size()), sum(definitions.size()), squares(definitions.size());
  std::vector<int> counts(definitions.size());
  for (std::size_t k = 0; k < definitions.size(); ++k) {
    auto value = definitions[k].compute(centre, settings);
    if (!value) value = definitions[k].compute(errors.columns(), settings);
    at_centre[k] = value.value_or(std::nan(""));
  }
  std::mt19937_64 random(1);
  for (int n = 0; n < draws; ++n) {
    auto disturbed = centre;
    errors.disturb(disturbed, random, own_only);
    for (std::size_t k = 0; k < definitions.size(); ++k) {
      if (!std::isfinite(at_centre[k])) continue;
      const auto value = definitions[k].compute(disturbed, settings);
      if (!value || !std::isfinite(*value)) continue;
      const double off = definitions[k].angle ? std::remainder(*value - at_centre[k], 360.0)
                                                      : *value - at_centre[k];
      sum[k] += off;
      squares[k] += off * off;
      ++counts[k];
    }
  }
  for (std::size_t k = 0; k < definitions.size(); ++k) {
    if (2 * counts[k] <= draws) continue;
    const double mean = sum[k] / counts[k];
    out[k] = {mean, std::sqrt(std::max(0.0, squares[k] / counts[k] - mean * mean)), true};
  }
  return out;
}

}  // namespace heron::study::response
