#include "study/response/compensate.h"

#include <cmath>
#include <numbers>

#include "base/conversions.h"
#include "base/quantity.h"
#include "signal/curve.h"

namespace heron::study::response {
namespace {

using Complex = std::complex<double>;

/// A reading with what it is uncertain by: of its own, relative and alike in both quadratures, and shared.
struct Read {
  Complex z;
  double noise = 0;
  std::vector<SharedError> shared = {};
};

Result<Read> read(const Curve& standard, double frequency, const char* name) {
  const auto z = value_at(standard, frequency);
  if (!z)
    return fail(Fault::input, "The {} take does not reach {}; take it over the whole sweep.", name,
                format_setting(frequency, "Hz"));
  // The uncertainty of the nearer point.
  const auto& points = standard.points;
  const auto after = std::lower_bound(points.begin(), points.end(), frequency,
                                      [](const CurvePoint& p, double f) { return p.frequency < f; });
  const auto& near = after == points.end() ? points.back() : *after;
  return Read{*z, std::hypot(near.noise_gain_db() / kDbPerNeper, near.noise_phase_deg() / kDegrees) / std::numbers::sqrt2,
              near.shared};
}

/// What a shared error makes of a reading.
Complex turned(const SharedError& e) { return std::polar(std::pow(10, e.first / 20), e.second / kDegrees); }

Complex corrected(Complex z, const std::optional<Complex>& open, const std::optional<Complex>& shorted) {
  const Complex zs = shorted.value_or(0.0);
  const Complex yo = open ? 1.0 / (*open - zs) : Complex(0);
  return (z - zs) / (1.0 - (z - zs) * yo);
}

}  // namespace

std::optional<Complex> value_at(const Curve& curve, double frequency) {
  const auto f = curve.frequencies();
  if (f.size() == 1 && f.front() == frequency) return curve.value(0);
  const auto i = signal::segment_of(f, frequency);
  if (!i) return std::nullopt;
  const double share = (std::log10(frequency) - std::log10(f[*i])) / (std::log10(f[*i + 1]) - std::log10(f[*i]));
  return curve.value(*i) * (1 - share) + curve.value(*i + 1) * share;
}

Result<void> compensate(Curve& curve, const Standards& held) {
  for (std::size_t i = 0; i < curve.points.size(); ++i) {
    auto& p = curve.points[i];
    std::optional<Read> reads[3];
    const struct {
      const std::optional<Curve>* standard;
      const char* name;
    } all[] = {{&held.open, "open"}, {&held.shorted, "short"}, {&held.load, "load"}};
    for (int k = 0; k < 3; ++k)
      if (*all[k].standard) {
        const auto one = read(**all[k].standard, p.frequency, all[k].name);
        if (!one) return tl::unexpected(one.error());
        reads[k] = *one;
      }
    const auto correct = [&](Complex z, std::array<Complex, 3> factor) {
      const auto of = [&](int k) {
        return reads[k] ? std::optional(reads[k]->z * factor[std::size_t(k)]) : std::nullopt;
      };
      const auto out = corrected(z, of(0), of(1));
      const auto load = of(2);
      return load ? out * held.load_resistance / corrected(*load, of(0), of(1)) : out;
    };
    const Complex as_read = curve.value(i), z = correct(as_read, {1.0, 1.0, 1.0});
    // First order: each reading moved by its own uncertainty along and across itself, then by what it shares.
    if (p.u_gain_db && p.u_phase_deg) {
      double along = 0, across = 0;
      const auto moved = [&](Complex now) {
        const Complex by = now / z - 1.0;
        along += by.real() * by.real();
        across += by.imag() * by.imag();
      };
      moved(correct(as_read * (1 + p.noise_gain_db() / kDbPerNeper), {1.0, 1.0, 1.0}));
      moved(correct(as_read * std::polar(1.0, p.noise_phase_deg() / kDegrees), {1.0, 1.0, 1.0}));
      std::vector<SharedError> shared;
      const auto share = [&](int source, Complex now) {
        const Complex by = std::log(now / z);
        shared.push_back({source, kDbPerNeper * by.real(), kDegrees * by.imag()});
      };
      for (const auto& e : p.shared) share(e.source, correct(as_read * turned(e), {1.0, 1.0, 1.0}));
      for (std::size_t k = 0; k < 3; ++k) {
        if (!reads[k]) continue;
        std::array<Complex, 3> factor = {1.0, 1.0, 1.0};
        for (const Complex by : {Complex(1 + reads[k]->noise, 0), Complex(1, reads[k]->noise)}) {
          factor[k] = by;
          moved(correct(as_read, factor));
        }
        for (const auto& e : reads[k]->shared) {
          factor[k] = turned(e);
          share(e.source, correct(as_read, factor));
        }
      }
      p.shared = std::move(shared);
      p.u_gain_db = kDbPerNeper * std::sqrt(along + std::pow(shared_of(p.shared, false) / kDbPerNeper, 2));
      p.u_phase_deg = kDegrees * std::sqrt(across + std::pow(shared_of(p.shared, true) / kDegrees, 2));
    }
    p.gain_db = 20 * std::log10(std::abs(z));
    p.phase_deg = std::arg(z) * kDegrees;
  }
  auto phases = signal::unwrap_degrees(curve.phases());
  for (std::size_t i = 0; i < phases.size(); ++i) curve.points[i].phase_deg = phases[i];
  curve.compensated.clear();
  if (held.open) curve.compensated.push_back("open");
  if (held.shorted) curve.compensated.push_back("short");
  if (held.load) curve.compensated.push_back("load");
  return {};
}

}  // namespace heron::study::response
