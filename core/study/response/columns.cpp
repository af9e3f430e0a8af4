#include "study/response/definitions.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/conversions.h"
#include "signal/rational.h"

namespace heron::study::response {

CurveColumns columns_of(const Curve& curve, const Settings& s) {
  CurveColumns c;
  c.has_phase = curve.has_phase;
  c.impedance = curve.quantity == Quantity::impedance && !curve.removed_db;
  const auto asked = [&](const CurvePoint& p) {
    return !(s.from && p.frequency < *s.from) && !(s.to && p.frequency > *s.to);
  };
  const bool all_trusted = std::all_of(curve.points.begin(), curve.points.end(),
                                       [&](const CurvePoint& p) { return p.trusted || !asked(p); });
  for (auto* row : {&c.f, &c.lg, &c.gain, &c.phase}) row->reserve(curve.points.size());
  c.points.reserve(curve.points.size());
  for (const auto& p : curve.points) {
    if (!asked(p)) continue;
    const double lg = std::log10(p.frequency);
    if (p.coherence) c.coherence.push_back(*p.coherence);
    if (p.trusted) {
      if (!all_trusted) c.place_in_all.push_back(c.points.size());
      c.f.push_back(p.frequency);
      c.lg.push_back(lg);
      c.gain.push_back(p.gain_db);
      c.phase.push_back(p.phase_deg);
    }
    c.points.push_back(&p);
    if (all_trusted) continue;
    c.all_lg.push_back(lg);
    c.all_gain.push_back(p.gain_db);
    c.all_phase.push_back(p.phase_deg);
  }
  if (c.coherence.size() != c.points.size()) c.coherence.clear();
  return c;
}

std::vector<std::size_t> CurveColumns::gaps() const {
  std::vector<std::size_t> out;
  for (std::size_t i = 0; i + 1 < place_in_all.size(); ++i)
    if (place_in_all[i + 1] > place_in_all[i] + 1) out.push_back(i);
  return out;
}

namespace {

/// Without points that crowd: a polynomial through neighbours that stand far closer to each other than to the rest, and
/// that noise hardly tells apart, makes slopes of that noise.
CurveColumns uncrowded(const CurveColumns& c) {
  constexpr double kCrowded = 0.15, kTold = 20;
  const auto noise = [&](std::size_t i) { return c.point(i).noise_gain_db(); };
  std::vector<std::size_t> kept;
  for (std::size_t i = 0; i < c.lg.size(); ++i) {
    if (kept.size() > 1) {
      const double gap = c.lg[i] - c.lg[kept.back()], before = c.lg[kept.back()] - c.lg[kept[kept.size() - 2]];
      const double apart = std::abs(c.gain[i] - c.gain[kept.back()]);
      if (gap < kCrowded * before && i + 1 < c.lg.size() && apart < kTold * noise(i)) continue;
    }
    kept.push_back(i);
  }
  if (kept.size() == c.lg.size()) return c;
  CurveColumns out = c;
  for (auto* row : {&out.f, &out.lg, &out.gain, &out.phase}) {
    for (std::size_t k = 0; k < kept.size(); ++k) (*row)[k] = (*row)[kept[k]];
    row->resize(kept.size());
  }
  return out;
}

}  // namespace

namespace {

using Complex = std::complex<double>;

/// The curve between its points as a rational function of frequency, which the response of any network of lumped parts
/// is. Without phase its squared magnitude, which is one of the squared frequency.
class Rational {
 public:
  explicit Rational(const CurveColumns& c) : has_phase_(c.has_phase) {
    for (std::size_t i = 0; i < c.lg.size(); ++i) {
      x_.push_back(has_phase_ ? c.f[i] : c.f[i] * c.f[i]);
      const double size = std::pow(10, c.gain[i] / (has_phase_ ? 20 : 10));
      y_.push_back(has_phase_ ? std::polar(size, c.phase[i] / kDegrees) : Complex(size));
    }
  }

  /// By so many points around segment i: of the response, whatever its phase; NaN where it has no such value.
  Complex at(std::size_t i, std::size_t most, double f) const {
    const std::size_t count = std::min(most, x_.size()), before = count / 2 - 1;
    const std::size_t first = std::min(i < before ? 0 : i - before, x_.size() - count);
    const auto value = signal::rational_through(std::span(x_).subspan(first, count),
                                                std::span(y_).subspan(first, count), has_phase_ ? f : f * f);
    if (has_phase_) return value;
    return value.real() > 0 ? Complex(std::sqrt(value.real())) : Complex(std::nan(""));
  }

 private:
  bool has_phase_;
  std::vector<double> x_;
  std::vector<Complex> y_;
};

/// The curve between its points by polynomials over lg f: of gain and phase, or of real and imaginary part.
struct Polynomial {
  std::vector<double> first, second;
  bool plane = false;

  Complex at(std::size_t k) const {
    return plane ? Complex(first[k], second[k]) : std::polar(std::pow(10, first[k] / 20), second[k] / kDegrees);
  }
};

Polynomial polynomial(const CurveColumns& c, bool plane, int pieces, signal::Between between) {
  if (!plane)
    return {signal::finer(c.lg, c.gain, pieces, between), signal::finer(c.lg, c.phase, pieces, between), false};
  std::vector<double> real, imag;
  for (std::size_t i = 0; i < c.lg.size(); ++i) {
    const auto h = std::polar(std::pow(10, c.gain[i] / 20), c.phase[i] / kDegrees);
    real.push_back(h.real());
    imag.push_back(h.imag());
  }
  return {signal::finer(c.lg, real, pieces, between), signal::finer(c.lg, imag, pieces, between), true};
}

double apart(Complex a, Complex b) {
  const double off = std::abs(a - b) / std::max(std::abs(a), 1e-300);
  return std::isfinite(off) ? off : INFINITY;
}

constexpr std::size_t kFew = 4, kMany = 6;  ///< points that a lower and a higher order run through

/// Which way of running between two points changes least from a lower order to a higher one.
struct Way {
  enum class By { polar, plane, rational } by = By::polar;
  double change = INFINITY;
};

std::vector<Way> best_ways(const CurveColumns& c, const Rational& rational) {
  using signal::Between;
  // Looked at a third of the way, at the middle and at two thirds.
  constexpr int kLooks = 6;
  std::vector<Way> out(c.lg.size() - 1);
  const auto offer = [&](Way::By by, const auto& change_at) {
    for (std::size_t i = 0; i < out.size(); ++i) {
      double change = 0;
      for (const int k : {2, 3, 4}) change = std::max(change, change_at(i, k));
      if (change < out[i].change) out[i] = {by, change};
    }
  };
  for (const bool plane : {false, true}) {
    if (plane && !c.has_phase) break;
    const auto low = polynomial(c, plane, kLooks, Between::cubics),
               high = polynomial(c, plane, kLooks, Between::quintics);
    offer(plane ? Way::By::plane : Way::By::polar, [&](std::size_t i, int k) {
      const auto at = i * kLooks + std::size_t(k);
      return apart(high.at(at), low.at(at));
    });
  }
  offer(Way::By::rational, [&](std::size_t i, int k) {
    const double f = std::pow(10, c.lg[i] + (c.lg[i + 1] - c.lg[i]) * k / kLooks);
    return apart(rational.at(i, kMany, f), rational.at(i, kFew, f));
  });
  return out;
}

}  // namespace

CurveColumns refined(const CurveColumns& whole, signal::Between between, std::size_t most_pieces) {
  constexpr std::size_t kDense = 5'000, kPlaces = 8'000;
  if (whole.lg.size() < kFew || whole.lg.size() > kDense) return whole;
  const auto c = uncrowded(whole);
  const auto n = c.lg.size();
  if (n < kFew) return c;
  // So fine that straight lines between the places leave nothing that matters.
  const int pieces = int(std::clamp<std::size_t>(kPlaces / n, std::min<std::size_t>(4, most_pieces), most_pieces));
  CurveColumns out = c;
  out.lg = signal::finer_places(c.lg, pieces);
  out.f.clear();
  for (std::size_t i = 0; i < out.lg.size(); ++i)
    out.f.push_back(i % std::size_t(pieces) == 0 ? c.f[i / std::size_t(pieces)] : std::pow(10, out.lg[i]));
  const auto polar = polynomial(c, false, pieces, between);
  out.gain = polar.first;
  out.phase = polar.second;
  const auto plane = c.has_phase ? polynomial(c, true, pieces, between) : Polynomial{};
  const Rational rational(c);
  const auto ways = best_ways(c, rational);
  const auto put = [&](std::size_t at, Complex h) {
    if (!(std::abs(h) > 0) || !std::isfinite(std::abs(h))) return;
    out.gain[at] = 20 * std::log10(std::abs(h));
    if (c.has_phase) out.phase[at] += std::remainder(std::arg(h) * kDegrees - out.phase[at], 360.0);
  };
  const bool high = between == signal::Between::quintics;
  for (std::size_t i = 0; i + 1 < n; ++i) {
    if (ways[i].by == Way::By::polar) continue;
    for (int k = 1; k < pieces; ++k) {
      const auto at = i * std::size_t(pieces) + std::size_t(k);
      if (ways[i].by == Way::By::plane) {
        put(at, plane.at(at));
        continue;
      }
      // Noise may put a pole beside a zero; there the two orders part by far more than they do elsewhere.
      constexpr double kParts = 10, kAlways = 1e-6;
      const auto more = rational.at(i, kMany, out.f[at]), less = rational.at(i, kFew, out.f[at]);
      if (apart(more, less) <= kParts * ways[i].change + kAlways) put(at, high ? more : less);
    }
  }
  if (c.all_trusted()) out.coherence.clear();
  return out;
}

}  // namespace heron::study::response
