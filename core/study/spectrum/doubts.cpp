#include "study/spectrum/doubts.h"

#include <algorithm>
#include <cmath>

#include "base/percent.h"
#include "base/quantity.h"
#include "study/clipping.h"
#include "study/spectrum/lobe.h"

namespace heron::study::spectrum {
namespace {

constexpr double kUnderused = 0.1;    ///< of the range
constexpr double kNyquistEnd = 0.95;  ///< of half the rate, beyond which energy may have folded
constexpr double kAbove = 4;          ///< times the noise there, as power
constexpr double kAlike = 100;         ///< power ratio of two tones that are alike
constexpr double kLeastPercent = 0.01;

std::string shown(double value, std::string_view unit, int digits = 3) { return format_quantity(value, unit, digits).plain(); }

void check_coherence(const Spectrum& s, std::vector<Doubt>& out) {
  if (!s.fundamental || s.coherent || s.window != signal::Window::rectangular) return;
  const double leaks = leakage(s.off_coherent, s.window, s.samples);
  const double near = coherent_frequency(s.fundamental->frequency, s.sample_rate, s.samples);
  out.push_back({"frequency.not_coherent", Severity::caution,
                 fmt::format("The record of {} holds {:.4f} cycles, and its ends do not meet: {:.3g} dB below the fundamental leaks into all other lines.",
                             s.name, s.place, -10 * std::log10(leaks)),
                 fmt::format("Drive at {}, or set window=blackman_harris.", frequency_text(near)),
                 {{"frequency", "coherent"}}});
}

/// Lines as they were read: a record folds before anything is divided out of it, and what that lifts has not folded.
void check_near_half(const Spectrum& s, std::vector<Doubt>& out) {
  const auto as_read = [&](std::size_t k, double power) { return s.links.empty() ? power : power * power_gain(s.links, s.frequency_of(k)); };
  const auto from = std::size_t(kNyquistEnd * double(s.power.size() - 1));
  const double ends = double(s.power.size() - from);
  double end = 0;
  for (auto k = from; k < s.power.size(); ++k) end += as_read(k, s.power[k]);
  auto elsewhere = noise_sums(s, 0, from);
  if (!s.links.empty()) {
    elsewhere.sum = 0;
    for (std::size_t k = 0; k < from; ++k)
      if (s.owner[k] == Owner::noise) elsewhere.sum += as_read(k, s.rest[k]);
  }
  if (ends < 4 || elsewhere.count < 4 || !(end / ends > kAbove * elsewhere.sum / double(elsewhere.count))) return;
  out.push_back({"sampling.coarse", Severity::caution,
                 fmt::format("{} has {:.2g} times as much close to half the sample rate, {}, as its noise elsewhere: what lies beyond folds back.", s.name,
                             (end / ends) / (elsewhere.sum / double(elsewhere.count)), shown(s.sample_rate / 2, "Hz")),
                 "Sample faster, or filter what lies above.", {{"rate", format_setting(2 * s.sample_rate, "Hz")}}});
}

void check_pair(const Spectrum& s, const Settings& settings, const std::vector<std::string>& asked, std::vector<Doubt>& out) {
  if (!s.fundamental || !s.worst || s.worst->power * kAlike < s.fundamental->power) return;
  // Who asks for what two tones mix to drives two.
  if (!settings.fundamental && std::any_of(asked.begin(), asked.end(), [](const std::string& key) { return key.find("imd.") != std::string::npos; })) return;
  const bool harmonic = std::any_of(s.harmonics.begin(), s.harmonics.end(), [&](const Harmonic& h) { return h.lost.empty() && h.tone.frequency == s.worst->frequency; });
  if (harmonic) return;
  out.push_back({"tones.several", Severity::caution,
                 fmt::format("{} holds a second tone, {}, only {:.3g} dB below the fundamental at {}; all figures count it as noise.", s.name,
                             shown(s.worst->frequency, "Hz", 5), 10 * std::log10(s.fundamental->power / s.worst->power), shown(s.fundamental->frequency, "Hz", 5)),
                 "Say which is the fundamental, or read imd.2 and imd.3 of the two."});
}

/// What the stimulus itself has of harmonics is in the result.
void check_stimulus(const PointSpectra& point, std::vector<Doubt>& out) {
  constexpr double kBelow = 0.1;  // 10 dB, as power
  if (point.stimulus >= point.spectra.size()) return;
  const auto& drives = point.spectra[point.stimulus];
  if (!drives.fundamental || !(drives.distortion > 2 * drives.u_distortion)) return;
  const double own = drives.distortion / drives.fundamental->power;
  for (std::size_t k = 0; k < point.spectra.size(); ++k) {
    const auto& s = point.spectra[k];
    if (k == point.stimulus || !s.fundamental || !(s.distortion > 0)) continue;
    const double read = s.distortion / s.fundamental->power;
    if (!(own > kBelow * read)) continue;
    out.push_back({"stimulus.distorted", Severity::caution,
                   fmt::format("The stimulus has {:.3g} dBc of harmonics itself, and {} shows {:.3g} dBc: they are not {}'s alone.", 10 * std::log10(own), s.name,
                               10 * std::log10(read), s.name),
                   "Filter the stimulus, or take the figure as an upper bound."});
  }
}

void check_noise(const Reading& reading, const Settings& settings, const std::vector<std::string>& asked, std::vector<Doubt>& out) {
  std::string names;
  int many = 0;
  for (const auto& f : reading.figures) {
    if (!f.u || std::find(asked.begin(), asked.end(), f.key) == asked.end()) continue;
    const bool db = f.unit.starts_with("dB");
    if (*f.u <= (db ? settings.u_limit : kLeastPercent * std::abs(f.value))) continue;
    if (++many <= 4) names += (names.empty() ? "" : ", ") + f.label;
  }
  if (many == 0) return;
  if (many > 4) names += fmt::format(" and {} more", many - 4);
  out.push_back(
      mended_by(Mend::average, {"noise.limited", Severity::caution,
                                fmt::format("These figures are known to no better than {:.2g} dB or 1 %: {}.", settings.u_limit, names),
                                "Average more records, or take longer ones."}));
}

}  // namespace

Result<std::vector<OwnNoise>> own_noise(const Waveforms& shorted) {
  std::vector<OwnNoise> out;
  for (std::size_t k = 0; k < shorted.traces.size(); ++k) {
    if (!shorted.errors[k].range) continue;
    double sum = 0, squares = 0, count = 0;
    const auto ok = for_each_stretch(*shorted.traces[k], 0, shorted.traces[k]->size(), [&](std::size_t, std::span<const double> values) {
      for (const double v : values) {
        sum += v;
        squares += v * v;
      }
      count += double(values.size());
    });
    if (!ok) return tl::unexpected(ok.error());
    out.push_back({shorted.traces[k]->name, *shorted.errors[k].range, std::max(0.0, squares / count - std::pow(sum / count, 2))});
  }
  return out;
}

void check_own_noise(const PointSpectra& point, const std::vector<OwnNoise>& own, std::vector<Doubt>& out) {
  constexpr double kWithin = 4;  // 6 dB, as power
  for (std::size_t k = 0; k < point.spectra.size(); ++k) {
    const auto& s = point.spectra[k];
    const auto& range = point.records->errors[k].range;
    if (k == point.stimulus || !range) continue;
    const auto here = std::find_if(own.begin(), own.end(), [&](const OwnNoise& o) { return o.quantity == s.name && std::abs(o.range / *range - 1) < 1e-6; });
    if (here == own.end() || !(here->power * kWithin > s.noise)) continue;
    out.push_back({"noise.limited", Severity::caution,
                   fmt::format("The noise of {}, {} rms, is the input's own to {:.3g} %: shorted, on the same range, it reads {} rms.", s.name,
                               shown(std::sqrt(s.noise), s.unit), std::min(100.0, 100 * here->power / s.noise), shown(std::sqrt(here->power), s.unit)),
                   "Take a smaller range, or put gain before the input.", {}});
  }
}

double coherent_frequency(double frequency, double sample_rate, std::size_t samples) {
  const double cycles = frequency * double(samples) / sample_rate;
  const double odd = 2 * std::round((cycles - 1) / 2) + 1;
  return std::max(1.0, odd) * sample_rate / double(samples);
}

std::string frequency_text(double frequency) {
  const auto round = format_setting(frequency, "Hz");
  const auto same = parse_value(round, "Hz");
  return same && std::abs(*same / frequency - 1) < 1e-12 ? round : format_quantity(frequency, "Hz", 9).plain();
}

Result<std::vector<Doubt>> find_doubts(const PointSpectra& point, const Reading& reading, const Settings& settings,
                                       const std::vector<std::string>& asked) {
  std::vector<Doubt> out;
  for (std::size_t k = 0; k < point.spectra.size(); ++k) {
    const auto& s = point.spectra[k];
    const auto& errors = point.records->errors[k];
    const auto& trace = *point.traces[k];
    const auto ends = at_ends(trace, 0, trace.size());
    if (!ends) return tl::unexpected(ends.error());
    if (const auto end = clipped(*ends, errors, trace.size()); end && !(point.densities[k] && of_codes_alone(asked)))
      out.push_back({"input.clipped", Severity::serious,
                     fmt::format("{} stands at the end of what can be read, {}, for {} samples: its harmonics are the input's.", s.name,
                                 shown(end->at, s.unit), end->samples),
                     "Take the next range up, or drive less."});
    const double peak = std::max(std::abs(ends->low), std::abs(ends->high));
    if (errors.range && peak < kUnderused * *errors.range)
      out.push_back({"range.underused", Severity::note,
                     fmt::format("{} uses {} of its range of {}: the input's own noise counts more than it must.", s.name, in_percent(peak / *errors.range),
                                 shown(*errors.range, s.unit)),
                     "Take the range that fits."});
    if (k == point.stimulus) continue;
    check_coherence(s, out);
    check_near_half(s, out);
    check_pair(s, settings, asked, out);
  }
  check_stimulus(point, out);
  check_noise(reading, settings, asked, out);
  return out;
}

}  // namespace heron::study::spectrum
