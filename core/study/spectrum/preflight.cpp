#include "study/spectrum/preflight.h"

#include <algorithm>
#include <cmath>

#include "base/percent.h"
#include "base/quantity.h"
#include "study/spectrum/doubts.h"
#include "study/spectrum/figures.h"

namespace heron::study::spectrum {
namespace {

double highest_level(const Plan& p) {
  double out = 0;
  for (const auto& step : p.steps()) out = std::max(out, step.level);
  return p.drive == Drive::two_tones ? 2 * out : out;
}

void check_drive(const Plan& p, const Surroundings& around, std::vector<Doubt>& out) {
  if (p.drive == Drive::nothing) return;
  const double peak = std::abs(p.offset) + highest_level(p) / 2;
  const auto& limits = around.limits;
  if (limits.highest_level_pp > 0 && 2 * peak > limits.highest_level_pp * (1 + 1e-9))
    out.push_back({"source.limit", Severity::serious,
                   fmt::format("The generator gives {} pk-pk at most, offset included; {} are asked for.", format_setting(limits.highest_level_pp, "V"),
                               format_quantity(2 * peak, "V", 3).plain()),
                   "Lower the level."});
  const auto rating = around.ratings.find(p.drive_pin);
  if (rating == around.ratings.end()) return;
  for (const double sign : {1.0, -1.0}) {
    const auto most = rating->second.voltage_towards(sign);
    const double wanted = sign * p.offset + highest_level(p) / 2;
    if (!most || wanted <= *most) continue;
    out.push_back(rating_finding(true,
                                 fmt::format("{} would see {}; its rating is {}.", p.drive_pin, format_quantity(sign * wanted, "V", 3).plain(),
                                             format_setting(sign * *most, "V")),
                                 "Lower the level or where the sweep ends."));
  }
}

void check_coherence(const Plan& p, const Surroundings& around, std::vector<Doubt>& out) {
  if (p.drive == Drive::nothing || p.along == Along::frequency) return;
  const auto settings = settings_from_text(around.settings);
  // With a window of its own the record's ends need not meet.
  if (!settings || settings->window) return;
  for (const auto& [key, frequency] : {std::pair{"frequency", p.frequency}, {"second_frequency", p.second_frequency}}) {
    if (p.drive != Drive::two_tones && frequency != p.frequency) continue;
    const double cycles = frequency * p.length();
    if (std::abs(cycles - std::round(cycles)) < 0.01) continue;
    const double near = coherent_frequency(frequency, p.rate, std::size_t(p.samples));
    out.push_back({"frequency.not_coherent", Severity::note,
                   fmt::format("A record holds {:.2f} cycles of {}: it is windowed, which makes each line three times as wide.", cycles,
                               format_quantity(frequency, "Hz", 6).plain()),
                   fmt::format("Drive at {}, of which it holds {:.0f}.", frequency_text(near), near * p.length()),
                   {{key, "coherent"}}});
  }
}

void check_sampling(const Plan& p, const Surroundings& around, std::vector<Doubt>& out) {
  const auto& limits = around.limits.of(p.hookup.digitiser);
  if (limits.highest_sample_rate > 0 && p.rate > limits.highest_sample_rate * (1 + 1e-9))
    out.push_back({"sampling.coarse", Severity::serious, fmt::format("These inputs sample at {} at most.", format_setting(limits.highest_sample_rate, "Hz")),
                   "Sample more slowly.", {{"rate", format_setting(limits.highest_sample_rate, "Hz")}}});
}

void check_full_scale(const Plan& p, const Surroundings& around, const bench::Levels* levels, std::vector<Doubt>& out) {
  const auto settings = settings_from_text(around.settings);
  for (std::size_t k = 0; k < p.hookup.chains.size(); ++k) {
    const auto& chain = p.hookup.chains[k];
    const auto converter = chain.input.sensor.reads_codes() ? around.converters.find(chain.input.pin) : around.converters.end();
    const bool known = converter != around.converters.end() || (settings && settings->full_scale);
    if (k == 0 && p.wanted && !known)
      out.push_back({"range.unknown", Severity::serious, fmt::format("A level in dBFS wants the full scale of {}, which is not known.", chain.name),
                     "Read the codes of a converter, or set full_scale."});
    if (converter == around.converters.end() || !levels || (k == 0 && p.wanted)) continue;
    const auto level = levels->quantities.find(chain.name);
    if (level == levels->quantities.end()) continue;
    const double share = level->second.highest() / converter->second.full_scale;
    // A sine that reads the width of every code goes a little beyond.
    if (share > 1 && !of_codes_alone(around.asked))
      out.push_back({"input.clipped", Severity::caution,
                     fmt::format("{} would reach {} of its full scale of {}.", chain.name, in_percent(share), format_setting(converter->second.full_scale, "V")),
                     "Drive -0.5 dBFS, found by itself.", {{"level", "-0.5 dBFS"}}});
    else if (share < 0.1)
      out.push_back({"range.underused", Severity::caution,
                     fmt::format("{} would use {} of its full scale of {}.", chain.name, in_percent(share), format_setting(converter->second.full_scale, "V")),
                     "Drive -0.5 dBFS, found by itself.", {{"level", "-0.5 dBFS"}}});
  }
}

}  // namespace

std::optional<bench::Levels> predict(const Plan& p, const Surroundings& around) {
  if (!around.circuit || p.drive == Drive::nothing) return std::nullopt;
  std::vector<double> frequencies;
  for (const auto& step : p.steps()) frequencies.push_back(step.frequency);
  std::sort(frequencies.begin(), frequencies.end());
  frequencies.erase(std::unique(frequencies.begin(), frequencies.end()), frequencies.end());
  auto levels = around.circuit->levels({.pin = p.drive_pin,
                                        .frequency = frequencies.front(),
                                        .peak_to_peak = highest_level(p),
                                        .offset = p.offset,
                                        .source_resistance = p.source_resistance},
                                       p.hookup.chains, frequencies);
  return levels ? std::optional(std::move(*levels)) : std::nullopt;
}

std::vector<Doubt> preflight(const Plan& p, const Surroundings& around, const bench::Levels* levels) {
  std::vector<Doubt> out;
  check_drive(p, around, out);
  check_coherence(p, around, out);
  check_sampling(p, around, out);
  check_full_scale(p, around, levels, out);
  check_hookup(p.hookup, levels, around.limits, out);
  if (levels) check_ratings(around.ratings, *levels, p.settle_time + p.records * p.length(), out);
  return out;
}

}  // namespace heron::study::spectrum
