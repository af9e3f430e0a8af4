#include "study/response/resonator.h"

#include <cmath>
#include <numbers>

#include "base/conversions.h"
#include "signal/least_squares.h"
#include "study/response/definitions.h"
#include "study/response/propagate.h"

namespace heron::study::response {
namespace {

using Complex = std::complex<double>;

Resonator from_logs(std::span<const double> p) {
  return {.resistance = std::exp(p[0]),
          .inductance = std::exp(p[1]),
          .capacitance = std::exp(p[2]),
          .shunt_capacitance = std::exp(p[3]),
          .shunt_resistance = std::exp(p[4])};
}

/// What the logarithm of Z is missed by, over its weights. Parameters are logarithms, so that none can turn negative and
/// all move alike.
struct Misfit {
  std::vector<double> frequency, u_gain, u_angle;  ///< Hz, relative, rad
  std::vector<Complex> z;

  std::size_t values() const { return 2 * z.size(); }
  void operator()(std::span<const double> p, std::span<double> out) const {
    const auto model = from_logs(p);
    for (std::size_t i = 0; i < z.size(); ++i) {
      const Complex off = std::log(z[i] / model.impedance(frequency[i]));
      out[2 * i] = off.real() / u_gain[i];
      out[2 * i + 1] = off.imag() / u_angle[i];
    }
  }
};

constexpr struct {
  const char* key;
  const char* label;
  const char* unit;
} kFigures[] = {{"motional.resistance", "Motional R", "ohm"},       {"motional.inductance", "Motional L", "H"},
                {"motional.capacitance", "Motional C", "F"},        {"shunt.capacitance", "Shunt C", "F"},
                {"shunt.resistance", "Loss of the shunt C", "ohm"}, {"fit.residual", "Residual of the fit", "%"}};

}  // namespace

Complex Resonator::impedance(double f) const {
  const double w = 2 * std::numbers::pi * f;
  const Complex arm(resistance, w * inductance - 1 / (w * capacitance)),
      shunt(shunt_resistance, -1 / (w * shunt_capacitance));
  return arm * shunt / (arm + shunt);
}

namespace {

/// What the fit starts from, and what it misses by.
struct Setup {
  Misfit misfit;
  std::vector<double> start;
};

Result<Setup> set_up(const CurveColumns& c) {
  if (!c.has_phase || c.f.size() < 8)
    return fail(Fault::input, "at least 8 points with phase are needed for the fit");
  double fs = 0, fp = 0;
  for (const auto& d : impedance_figures()) {
    const auto value = d.compute(c, {});
    if (d.key == "resonance.series" && value) fs = *value;
    if (d.key == "resonance.parallel" && value) fp = *value;
  }
  if (!(fs > 0) || !(fp > fs)) return fail(Fault::input, "both resonances must lie within the sweep");
  Setup out;
  auto& misfit = out.misfit;
  for (std::size_t i = 0; i < c.f.size(); ++i) {
    const auto& p = c.point(i);
    misfit.frequency.push_back(c.f[i]);
    misfit.z.push_back(std::polar(std::pow(10, c.gain[i] / 20), c.phase[i] / kDegrees));
    misfit.u_gain.push_back(std::max(1e-7, p.u_gain_db.value_or(0.01) / kDbPerNeper));
    misfit.u_angle.push_back(std::max(1e-7, p.u_phase_deg.value_or(0.06) / kDegrees));
  }
  // Below the resonances the two capacitances stand side by side; their ratio follows from the resonances' distance.
  const double w0 = 2 * std::numbers::pi * c.f.front(), ws = 2 * std::numbers::pi * fs;
  const double ratio = fp * fp / (fs * fs) - 1;
  const double both = std::abs((1.0 / misfit.z.front()).imag()) / w0 /
                      (1 + ratio / (1 + ratio) * (c.f.front() * c.f.front()) / (fs * fs));
  const double shunt = both / (1 + ratio), motional = both - shunt;
  const double at_series = std::max(1e-3, c.value(fs)->real());
  out.start = {std::log(at_series), std::log(1 / (ws * ws * motional)), std::log(motional), std::log(shunt),
               std::log(std::max(1e-4, 1e-3 / (ws * shunt)))};
  return out;
}

Result<signal::LeastSquares> solved(const Misfit& misfit, const std::vector<double>& start) {
  auto out = signal::least_squares({.count = misfit.values(), .of = std::cref(misfit)}, start);
  if (!out || out->each.empty()) return fail(Fault::input, "the fit did not settle");
  return *std::move(out);
}

}  // namespace

Result<Resonator> fit_resonator(const Curve& curve) {
  const auto c = columns_of(curve, {});
  const auto setup = set_up(c);
  if (!setup) return tl::unexpected(setup.error());
  const auto& misfit = setup->misfit;
  const auto p = solved(misfit, setup->start);
  if (!p) return tl::unexpected(p.error());
  auto out = from_logs(p->of);
  const double freedom = double(misfit.values() - p->of.size());
  // What the model misses beyond the points' uncertainty is taken as noise of that size.
  const double excess = std::max(0.0, p->squares / freedom - 1);
  // What points share moves the fit as a whole: seeded draws, each fitted anew from where the fit came to.
  constexpr int kDraws = 48;
  const Errors errors(curve, c);
  std::array<double, 5> squares = {};
  std::mt19937_64 random(1);
  int fitted = 0;
  auto drawn = c;
  SharedDraws all_shared(kDraws);
  for (int n = 0; n < kDraws && errors.known(); ++n) {
    SharedDraw shared(all_shared, n);
    errors.draw(c, drawn, random, &shared);
    auto moved = misfit;
    for (std::size_t i = 0; i < drawn.f.size(); ++i)
      moved.z[i] = std::polar(std::pow(10, drawn.gain[i] / 20), drawn.phase[i] / kDegrees);
    const auto again = solved(moved, p->of);
    if (!again) continue;
    for (std::size_t k = 0; k < squares.size(); ++k) squares[k] += std::pow(again->of[k] - p->of[k], 2);
    ++fitted;
  }
  const double values[] = {out.resistance, out.inductance, out.capacitance, out.shunt_capacitance,
                           out.shunt_resistance};
  for (std::size_t k = 0; k < squares.size(); ++k) {
    const double own = p->each[k] * p->each[k];
    out.u[k] = values[k] * std::sqrt((fitted > 0 ? squares[k] / fitted : own) + excess * own);
  }
  double missed = 0;
  for (std::size_t i = 0; i < misfit.z.size(); ++i)
    missed += std::norm(misfit.z[i] / out.impedance(misfit.frequency[i]) - 1.0);
  out.residual = std::sqrt(missed / double(misfit.z.size()));
  return out;
}

bool is_resonator_figure(std::string_view key) {
  for (const auto& f : kFigures)
    if (f.key == key) return true;
  return false;
}

std::vector<FigureName> resonator_names() {
  std::vector<FigureName> out;
  for (const auto& f : kFigures) out.push_back({f.label, f.key, f.unit});
  return out;
}

void read_resonator(const Curve& curve, const Settings&, Reading& into) {
  const auto fit = curve.quantity == Quantity::impedance && !curve.removed_db
                       ? fit_resonator(curve)
                       : Result<Resonator>(fail(Fault::input, "the data are no impedance; say quantity = impedance"));
  for (std::size_t k = 0; k < std::size(kFigures); ++k) {
    const auto& f = kFigures[k];
    if (!fit) {
      into.absent.push_back({f.key, fit.error().message, f.label});
      continue;
    }
    const double values[] = {fit->resistance,        fit->inductance,       fit->capacitance,
                             fit->shunt_capacitance, fit->shunt_resistance, 100 * fit->residual};
    into.figures.push_back({f.key, f.label, values[k], f.unit, k < 5 ? std::optional(fit->u[k]) : std::nullopt});
  }
}

}  // namespace heron::study::response
