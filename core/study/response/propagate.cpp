#include "study/response/propagate.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/conversions.h"
#include "base/random.h"
#include "signal/scatter.h"
#include "signal/spectra.h"

namespace heron::study::response {
namespace {

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

double middle_of(std::vector<double> values) {
  const auto middle = values.begin() + std::ptrdiff_t(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
}

/// Now and then noise puts a pole of the smooth curve where the figure is read. Median and median deviation, scaled to a
/// normal distribution's, do not follow one draw in twenty.
Spread without_strays(std::vector<double> offs) {
  constexpr double kOfNormal = 1.4826;
  const double middle = middle_of(offs);
  for (auto& off : offs) off = std::abs(off - middle);
  return {middle, kOfNormal * middle_of(std::move(offs)), true};
}

}  // namespace

Errors::Errors(const Curve& curve, const CurveColumns& columns) : columns_(columns), taps_(taps_for(curve.alike)) {
  const auto& points = columns.points;
  const bool said = !points.empty() && std::all_of(points.begin(), points.end(),
                                                   [](const CurvePoint* p) { return p->u_gain_db && p->u_phase_deg; });
  if (said) {
    all_.gain.reserve(points.size());
    all_.phase.reserve(points.size());
    for (std::size_t i = 0; i < points.size(); ++i) {
      const auto& p = *points[i];
      all_.gain.push_back(p.noise_gain_db());
      all_.phase.push_back(p.noise_phase_deg());
      if (p.trusted && !columns.all_trusted()) {
        trusted_.gain.push_back(all_.gain.back());
        trusted_.phase.push_back(all_.phase.back());
      }
      for (const auto& e : p.shared) shared_.push_back({i, e});
    }
    known_ = true;
  } else {
    const auto found = [&](const std::vector<double>& lg, const std::vector<double>& y) {
      auto out = signal::scatter(lg, y);
      known_ = known_ || !out.empty();
      out.resize(y.size());
      return out;
    };
    const auto row = [&](const std::vector<double>& lg, const std::vector<double>& gain,
                         const std::vector<double>& phase) {
      return Row{found(lg, gain), columns.has_phase ? found(lg, phase) : std::vector<double>(lg.size())};
    };
    all_ = row(columns.every_lg(), columns.every_gain(), columns.every_phase());
    if (!columns.all_trusted()) trusted_ = row(columns.lg, columns.gain, columns.phase);
  }
  if (columns.coherence.empty()) return;
  if (curve.independent > 1) {
    // The area tangent of an estimated coherence's root spreads alike whatever it is, by 1/(2n) in variance, and lies
    // too high by as much (Bendat and Piersol). A line's own coherence is as uncertain as its gain; that of its
    // neighbourhood says better how noisy it is.
    of_averages_ = curve.independent;
    const double variance = 1 / (2 * of_averages_);
    std::vector<double> root;
    for (const double g2 : columns.coherence) root.push_back(std::atanh(std::sqrt(std::clamp(g2, 1e-9, 1 - 1e-12))));
    u_root_.assign(root.size(), std::sqrt(variance));
    quiet_root_ = signal::without_noise(columns.every_lg(), root, u_root_, kAlikeSigmas);
    for (const double r : quiet_root_) quiet_coherence_.push_back(std::pow(std::tanh(std::max(0.0, r - variance)), 2));
    std::size_t trusted = 0;
    for (std::size_t i = 0; i < points.size() && said && curve.independent > kFewAverages; ++i) {
      const double u = std::min(10.0, signal::u_of_line(std::clamp(quiet_coherence_[i], 1e-6, 1.0), curve.independent));
      all_.gain[i] = kDbPerNeper * u;
      all_.phase[i] = kDegrees * u;
      if (!points[i]->trusted || columns.all_trusted()) continue;
      trusted_.gain[trusted] = all_.gain[i];
      trusted_.phase[trusted++] = all_.phase[i];
    }
  } else {
    coherence_ = signal::scatter(columns.every_lg(), columns.coherence);
    known_ = known_ || !coherence_.empty();
    coherence_.resize(columns.coherence.size());
  }
}

CurveColumns Errors::centre() const {
  CurveColumns out = columns_;
  const double sigmas = taps_.size() > 1 ? kAlikeSigmas : 2;
  const bool same = columns_.all_trusted();
  out.gain = signal::without_noise(columns_.lg, columns_.gain, same ? all_.gain : trusted_.gain, sigmas);
  if (!same) out.all_gain = signal::without_noise(columns_.all_lg, columns_.all_gain, all_.gain, sigmas);
  if (!quiet_coherence_.empty())
    out.coherence = quiet_coherence_;
  else if (!coherence_.empty())
    out.coherence = signal::without_noise(columns_.every_lg(), columns_.coherence, coherence_);
  return out;
}

void Errors::put_noise(const std::vector<double>& centre, const std::vector<double>& u, std::vector<double>& into,
                       std::mt19937_64& random) const {
  if (taps_.size() == 1) {
    for (std::size_t i = 0; i < centre.size(); ++i)
      into[i] = u[i] > 0 ? centre[i] + u[i] * normal_deviate(random) : centre[i];
    return;
  }
  std::vector<double> white(centre.size() + taps_.size() - 1);
  for (auto& w : white) w = normal_deviate(random);
  // A ratio of averages spreads like Student's t: its tails decide how far the highest of many lines stands out.
  const double freedom = 2 * (of_averages_ - 1);
  std::gamma_distribution<double> chi(freedom / 2, 2);
  const bool student = freedom > 4 && freedom < 400;
  for (std::size_t i = 0; i < centre.size(); ++i) {
    double sum = 0;
    for (std::size_t k = 0; k < taps_.size(); ++k) sum += taps_[k] * white[i + k];
    const double wide = student ? std::sqrt((freedom - 2) / chi(random)) : 1;
    into[i] = centre[i] + u[i] * sum * wide;
  }
}

void Errors::draw(const CurveColumns& centre, CurveColumns& into, std::mt19937_64& random, SharedDraw* shared) const {
  const bool same = into.all_trusted();
  auto& gain = same ? into.gain : into.all_gain;
  auto& phase = same ? into.phase : into.all_phase;
  put_noise(centre.every_gain(), all_.gain, gain, random);
  if (into.has_phase) put_noise(centre.every_phase(), all_.phase, phase, random);
  for (const auto& s : shared_) {
    if (!shared) break;
    const double by = (*shared)(s.error.source);
    gain[s.line] += by * s.error.first;
    if (into.has_phase) phase[s.line] += by * s.error.second;
  }
  for (std::size_t k = 0; k < into.place_in_all.size(); ++k) {
    const auto at = into.place_in_all[k];
    into.gain[k] = centre.gain[k] + gain[at] - centre.all_gain[at];
    into.phase[k] = centre.phase[k] + phase[at] - centre.all_phase[at];
  }
  if (of_averages_ > 1) {
    put_noise(quiet_root_, u_root_, into.coherence, random);
    for (auto& g : into.coherence) g = std::pow(std::tanh(g), 2);
  } else if (!coherence_.empty()) {
    put_noise(centre.coherence, coherence_, into.coherence, random);
    for (auto& g : into.coherence) g = std::clamp(g, 0.0, 1.0);
  }
}

std::vector<Spread> propagate(const std::vector<Definition>& definitions, const Errors& errors,
                              const Settings& settings, Drawn drawn) {
  std::vector<Spread> out(definitions.size());
  if (!errors.known()) return out;
  const auto centre = errors.centre();
  const auto draws =
      int(std::clamp(2e6 / double(std::max<std::size_t>(1, centre.every_lg().size())), 10.0,
                     drawn == Drawn::all   ? 192.0
                     : drawn == Drawn::own ? 64.0
                                           : std::clamp(12e3 / double(centre.lg.size() + 1), 10.0, 48.0)));
  constexpr std::size_t kPieces = 6;
  CurveColumns smooth;
  const auto read_on = [&](const CurveColumns& c) -> const CurveColumns& {
    if (drawn != Drawn::own_refined) return c;
    smooth = refined(c, signal::Between::quintics, kPieces);
    return smooth;
  };
  const auto read_here = [&](const Definition& d) { return drawn != Drawn::own_refined || !d.on_points; };
  std::vector<double> at_centre(definitions.size()), sum(definitions.size()), squares(definitions.size());
  std::vector<int> counts(definitions.size());
  std::vector<std::vector<double>> offs(definitions.size());
  const auto& quiet = read_on(centre);
  for (std::size_t k = 0; k < definitions.size(); ++k) {
    if (!read_here(definitions[k])) continue;
    auto value = definitions[k].compute(quiet, settings);
    if (!value) value = definitions[k].compute(errors.columns(), settings);
    at_centre[k] = value.value_or(std::nan(""));
  }
  std::mt19937_64 random(1);
  auto disturbed = centre;
  SharedDraws all_shared(draws);
  for (int n = 0; n < draws; ++n) {
    SharedDraw shared(all_shared, n);
    errors.draw(centre, disturbed, random, drawn == Drawn::all ? &shared : nullptr);
    const auto& curve = read_on(disturbed);
    for (std::size_t k = 0; k < definitions.size(); ++k) {
      if (!std::isfinite(at_centre[k]) || !read_here(definitions[k])) continue;
      const auto value = definitions[k].compute(curve, settings);
      if (!value || !std::isfinite(*value)) continue;
      const double off = definitions[k].angle ? std::remainder(*value - at_centre[k], 360.0) : *value - at_centre[k];
      if (drawn == Drawn::own_refined) offs[k].push_back(off);
      sum[k] += off;
      squares[k] += off * off;
      ++counts[k];
    }
  }
  for (std::size_t k = 0; k < definitions.size(); ++k) {
    if (2 * counts[k] <= draws) continue;
    const double mean = sum[k] / counts[k];
    out[k] = {mean, std::sqrt(std::max(0.0, squares[k] / counts[k] - mean * mean)), true};
    if (!offs[k].empty()) out[k] = without_strays(offs[k]);
  }
  return out;
}

}  // namespace heron::study::response
