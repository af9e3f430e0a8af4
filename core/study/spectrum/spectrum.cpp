#include "study/spectrum/spectrum.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/spectrum/lobe.h"

namespace heron::study::spectrum {
namespace {

constexpr std::size_t kBeside = 64;  ///< lines on either side that tell the noise about a tone

}  // namespace

Lobe lobe_at(double place, int reach, std::size_t lines) {
  const double most = double(lines - 1);
  return {std::size_t(std::clamp(std::ceil(place - reach), 0.0, most)), std::size_t(std::clamp(std::floor(place + reach), 0.0, most))};
}

double folded(double place, std::size_t samples) {
  const double n = double(samples), m = std::fmod(place, n);
  return m > n / 2 ? n - m : m;
}

bool all_noise(const Spectrum& s, std::size_t from, std::size_t to) {
  for (auto k = from; k < to; ++k)
    if (s.owner[k] != Owner::noise) return false;
  return true;
}

NoiseSums noise_sums(const Spectrum& s, std::size_t from, std::size_t to) {
  NoiseSums out;
  for (std::size_t k = from; k < to;) {
    const auto end = std::min((k / Spectrum::kBlock + 1) * Spectrum::kBlock, to);
    if (end - k == Spectrum::kBlock && all_noise(s, k, end)) {
      const auto& block = s.blocks[k / Spectrum::kBlock];
      out.sum += block.sum;
      out.squares += block.squares;
      out.count += end - k;
      k = end;
      continue;
    }
    for (; k < end; ++k) {
      if (s.owner[k] != Owner::noise) continue;
      out.sum += s.rest[k];
      out.squares += s.rest[k] * s.rest[k];
      ++out.count;
    }
  }
  return out;
}

void for_each_above(const Spectrum& s, const std::function<double()>& over, const std::function<void(std::size_t)>& use) {
  for (std::size_t b = 0; b < s.blocks.size(); ++b) {
    if (!(s.blocks[b].high > over())) continue;
    const auto end = std::min((b + 1) * Spectrum::kBlock, s.rest.size());
    for (auto k = b * Spectrum::kBlock; k < end; ++k)
      if (s.owner[k] == Owner::noise && s.rest[k] > over()) use(k);
  }
}

double floor_about(const Spectrum& s, const Lobe& lobe) {
  double sum = 0;
  std::size_t count = 0;
  const auto take = [&](std::size_t k) {
    if (s.owner[k] != Owner::noise) return;
    sum += s.rest[k];
    ++count;
  };
  for (std::size_t k = lobe.first; k-- > 0 && lobe.first - k <= kBeside;) take(k);
  for (auto k = lobe.last + 1; k < s.power.size() && k - lobe.last <= kBeside; ++k) take(k);
  return count >= 8 ? sum / double(count) : s.density * s.line;
}

Tone tone_in(const Spectrum& s, const Lobe& lobe, double place) {
  const double below = floor_about(s, lobe), lines = double(lobe.size());
  double sum = 0;
  for (auto k = lobe.first; k <= lobe.last; ++k) sum += s.rest[k];
  Tone out{.frequency = place * s.line, .power = sum - below * lines};
  // Noise beside the tone's own amplitude, and noise beside itself.
  const double across = 2 * std::max(0.0, out.power) * below * s.facts.tone_variance / s.averages,
               own = below * below * lines * s.facts.line_variance / s.averages;
  out.u_power = std::sqrt(across + own);
  return out;
}

Tone Spectrum::tone_at(double at) const {
  for (std::size_t k = 0; k < taken_off; ++k)
    if (std::abs(others[k].frequency / line - at) < 1) return others[k];
  return tone_in(*this, lobe_at(at, facts.reach, power.size()), at);
}

tl::expected<Tone, std::string> Spectrum::products(const std::vector<double>& frequencies) const {
  Tone out;
  for (const double f : frequencies) {
    const double at = folded(std::abs(f) / line, samples);
    if (at < facts.reach + 0.5 || at > double(samples) / 2 - facts.reach)
      return tl::unexpected<std::string>(fmt::format("what mixes to {} folds to an end of the spectrum", format_quantity(std::abs(f), "Hz", 4).plain()));
    if (std::abs(at - place) < facts.reach) return tl::unexpected<std::string>("what they mix to falls on a tone itself");
    const auto one = tone_at(at);
    out.power += one.power;
    out.u_power = std::hypot(out.u_power, one.u_power);
  }
  if (!(out.power > 2 * out.u_power)) return tl::unexpected<std::string>("what they mix to does not stand out of the noise");
  return out;
}

double leakage(double off, signal::Window window, std::size_t samples) {
  const auto facts = signal::facts_of(window);
  double inside = 0;
  for (double k = std::ceil(off - facts.reach); k <= off + facts.reach; ++k) inside += std::norm(signal::window_kernel(facts.cosines, k - off, samples));
  return std::max(1e-300, 1 - inside / facts.power_gain);
}

double a_weighting(double f) {
  const double f2 = f * f;
  constexpr double f1 = 20.598997, f2c = 107.65265, f3 = 737.86223, f4 = 12194.217;
  const auto gain = [&](double x2) {
    return f4 * f4 * x2 * x2 / ((x2 + f1 * f1) * std::sqrt((x2 + f2c * f2c) * (x2 + f3 * f3)) * (x2 + f4 * f4));
  };
  return std::pow(gain(f2) / gain(1e6), 2);
}

Tone Spectrum::residual(double from, double to, Weighting weighting) const {
  // Lines are bins of their width about their frequency; those at the ends count by what lies inside.
  double sum = 0, own_squares = 0, covered = 0, whole = 0;
  for (std::size_t k = 0; k < power.size(); ++k) {
    const double low = frequency_of(k) - line / 2, high = low + line;
    const double share = (std::min(high, to) - std::max(low, from)) / line;
    if (!(share > 0) || owner[k] == Owner::standing) continue;
    const double gain = weighting == Weighting::a ? a_weighting(frequency_of(k)) : 1;
    whole += share * gain;
    if (owner[k] != Owner::noise) continue;
    covered += share * gain;
    sum += share * gain * rest[k];
    own_squares += std::pow(share * gain * rest[k], 2);
  }
  Tone out;
  if (!(covered > 0)) return out;
  out.power = sum * whole / covered;
  out.u_power = std::sqrt(own_squares * facts.line_variance / (averages + 1)) * whole / covered;
  for (const auto& t : others)
    if (t.frequency >= from && t.frequency <= to) {
      const double gain = weighting == Weighting::a ? a_weighting(t.frequency) : 1;
      out.power += gain * t.power;
      out.u_power = std::hypot(out.u_power, gain * t.u_power);
    }
  return out;
}

}  // namespace heron::study::spectrum
