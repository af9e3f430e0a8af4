#include "study/response/expected.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include "base/complex_formula.h"
#include "base/conversions.h"
#include "signal/curve.h"
#include "study/response/compensate.h"

namespace heron::study::response {
namespace {

using Complex = std::complex<double>;
constexpr int kPoints = 160;

std::vector<double> grid(const Plan& plan) {
  std::vector<double> out;
  for (int k = 0; k < kPoints; ++k)
    out.push_back(plan.start * std::pow(plan.stop / plan.start, double(k) / (kPoints - 1)));
  return out;
}

/// H of one circuit: the roles' answers, computed quantities by their formula. A formula that is linear in its
/// quantities takes their real and imaginary parts one after the other.
Result<std::vector<Complex>> circuit_answer(const bench::Foresight& circuit, const Plan& plan,
                                            const std::vector<double>& frequencies,
                                            const std::vector<std::pair<std::string, double>>& parts) {
  const auto answers = circuit.answers(tone_of(plan, 2), plan.hookup.chains, frequencies);
  if (!answers) return tl::unexpected(answers.error());
  const auto role = [&](const std::string& name) -> Result<std::vector<Complex>> {
    if (const auto it = answers->find(name); it != answers->end()) return it->second;
    std::vector<std::string> names;
    std::vector<std::vector<double>> real, imaginary;
    for (const auto& [quantity, values] : *answers) {
      names.push_back(quantity);
      auto& re = real.emplace_back();
      auto& im = imaginary.emplace_back();
      for (const auto v : values) {
        re.push_back(v.real());
        im.push_back(v.imag());
      }
    }
    const auto re = bench::compute_channels(plan.hookup.computed, names, real, parts),
               im = bench::compute_channels(plan.hookup.computed, names, imaginary, parts);
    if (!re) return tl::unexpected(re.error());
    if (!im) return tl::unexpected(im.error());
    for (std::size_t k = 0; k < plan.hookup.computed.size(); ++k) {
      if (plan.hookup.computed[k].name != name) continue;
      std::vector<Complex> out;
      for (std::size_t i = 0; i < frequencies.size(); ++i) out.emplace_back((*re)[k][i], (*im)[k][i]);
      return out;
    }
    return fail(Fault::input, "The hookup has no quantity \"{}\".", name);
  };
  const auto stimulus = role(plan.stimulus), response = role(plan.response);
  if (!stimulus) return stimulus;
  if (!response) return response;
  std::vector<Complex> out;
  for (std::size_t i = 0; i < frequencies.size(); ++i) {
    if (!(std::abs((*stimulus)[i]) > 0)) return fail(Fault::input, "The circuit's stimulus is nothing there.");
    out.push_back((*response)[i] / (*stimulus)[i]);
  }
  return out;
}

/// The same as a curve, for the compensation.
Curve as_curve(const std::vector<double>& frequencies, const std::vector<Complex>& h) {
  Curve out{.quantity = Quantity::impedance};
  for (std::size_t i = 0; i < h.size(); ++i)
    out.points.push_back({.index = int(i),
                          .frequency = frequencies[i],
                          .gain_db = 20 * std::log10(std::max(std::abs(h[i]), 1e-30)),
                          .phase_deg = std::arg(h[i]) * kDegrees});
  return out;
}

struct Rows {
  std::vector<double> gain, phase;
};

Rows as_rows(const std::vector<Complex>& h) {
  Rows out;
  for (const auto v : h) {
    out.gain.push_back(20 * std::log10(std::max(std::abs(v), 1e-30)));
    out.phase.push_back(std::arg(v) * kDegrees);
  }
  out.phase = signal::unwrap_degrees(out.phase);
  return out;
}

double quantile(std::vector<double> values, double share) {
  std::sort(values.begin(), values.end());
  const double place = share * double(values.size() - 1);
  const auto low = std::min(std::size_t(place), values.size() - 1), high = std::min(low + 1, values.size() - 1);
  return values[low] + (values[high] - values[low]) * (place - double(low));
}

}  // namespace

bench::ToneDrive tone_of(const Plan& plan, double peak_to_peak) {
  return {.pin = plan.drive_pin,
          .peak_to_peak = peak_to_peak,
          .offset = plan.offset,
          .source_resistance = plan.source_resistance,
          .compliance = plan.compliance};
}

Result<bench::Levels> predict_levels(const Plan& plan, const bench::Foresight& circuit) {
  constexpr int kLines = 200;
  auto sweep = frequencies(plan);
  if (!plan.stepped())
    for (int k = 0; k <= kLines; ++k) sweep.push_back(plan.start + (plan.stop - plan.start) * k / kLines);
  auto levels = circuit.levels(tone_of(plan, plan.stepped() ? 2 * highest_peak(plan) : 2 * plan.noise_rms),
                               plan.hookup.chains, sweep);
  if (!levels || plan.stepped()) return levels;
  // White over the band: the power is the mean of the lines' powers, the peak so many times its root.
  for (auto* group : {&levels->quantities, &levels->pins, &levels->branches})
    for (auto& [name, level] : *group) {
      double squares = 0;
      for (const double peak : level.peaks) squares += peak * peak;
      level.peak = kCrest * std::sqrt(squares / double(level.peaks.size()));
      level.peaks.clear();
    }
  return levels;
}

Result<ExpectedCurve> expected_curve(const Plan& plan, const Surroundings& around, const Settings& settings,
                                     const std::string& formula, std::stop_token stop) {
  if (!around.circuit) return fail(Fault::input, "The device has no circuit to expect anything of.");
  ExpectedCurve out;
  out.frequency = grid(plan);
  out.source = formula.empty() ? "the circuit" : formula;
  auto read = formula.empty() ? Result<ComplexFormula>(fail(Fault::input, ""))
                              : ComplexFormula::read(formula, around.circuit->values());
  if (!formula.empty() && !read) return tl::unexpected(read.error());
  const auto& standards = settings.standards;
  // What the bench computes with are the known values, not the drawn ones.
  std::vector<std::pair<std::string, double>> parts;
  for (const auto& [name, part] : around.parts) parts.emplace_back(name, part.value);
  const auto answer = [&](int k) -> Result<std::vector<Complex>> {
    const auto one = around.circuit->drawn(k);
    if (!one) return tl::unexpected(one.error());
    if (formula.empty()) {
      auto h = circuit_answer(**one, plan, out.frequency, parts);
      if (!h || standards.empty()) return h;
      // A measurement whose fixture is taken off is expected without it.
      Standards held{.load_resistance = settings.load_resistance};
      for (const auto& [what, into] : {std::pair{"open", &held.open}, {"short", &held.shorted}, {"load", &held.load}}) {
        if (!standards.contains(what)) continue;
        const auto bare = (*one)->replaced_by(what, settings.load_resistance);
        if (!bare) return tl::unexpected(bare.error());
        const auto read_so = circuit_answer(**bare, plan, out.frequency, parts);
        if (!read_so) return read_so;
        *into = as_curve(out.frequency, *read_so);
      }
      auto curve = as_curve(out.frequency, *h);
      if (auto ok = compensate(curve, held); !ok) return tl::unexpected(ok.error());
      for (std::size_t i = 0; i < h->size(); ++i) (*h)[i] = curve.value(i);
      return h;
    }
    for (const auto& [name, value] : (*one)->values()) read->set(name, value);
    std::vector<Complex> h;
    for (const double f : out.frequency) {
      const auto v = read->value(f);
      if (!v) return tl::unexpected(v.error());
      h.push_back(*v);
    }
    return h;
  };
  const auto middle = answer(0);
  if (!middle) return tl::unexpected(middle.error());
  const auto rows = as_rows(*middle);
  out.gain_db = rows.gain;
  out.phase_deg = rows.phase;
  std::vector<std::vector<double>> gains(out.frequency.size()), phases(out.frequency.size());
  for (int k = 1; k <= kExpectationDraws; ++k) {
    if (stop.stop_requested()) return fail(Fault::stopped, "Stopped.");
    const auto h = answer(k);
    if (!h) continue;  // a draw that has no operating point says nothing
    auto drawn_rows = as_rows(*h);
    const double turns = 360 * std::round((drawn_rows.phase.front() - rows.phase.front()) / 360);
    for (std::size_t i = 0; i < out.frequency.size(); ++i) {
      gains[i].push_back(drawn_rows.gain[i]);
      phases[i].push_back(drawn_rows.phase[i] - turns);
    }
    ++out.draws;
  }
  for (std::size_t i = 0; out.draws > 0 && i < out.frequency.size(); ++i) {
    out.gain_low_db.push_back(quantile(gains[i], 0.025));
    out.gain_high_db.push_back(quantile(gains[i], 0.975));
    out.phase_low_deg.push_back(quantile(phases[i], 0.025));
    out.phase_high_deg.push_back(quantile(phases[i], 0.975));
  }
  return out;
}

}  // namespace heron::study::response
