#include "study/spectrum/find.h"

#include <algorithm>
#include <cmath>

#include "base/row.h"
#include "study/spectrum/lobe.h"

namespace heron::study::spectrum {
namespace {

constexpr double kCoherent = 0.01;   ///< periods off a whole number
constexpr double kFewestCycles = 2;
const char* const kFewCycles = "the record holds fewer than two cycles";
const char* const kNoTone = "no tone stands out of the noise";
const char* const kAtHalf = "the largest line lies at half the sample rate, where a tone's size cannot be told";

using signal::RecordLines;

/// What a tone that was taken off comes to, from all segments.
/// @param links  that are divided out of the lines already
Tone tone_of(const Spectrum& s, const Taken& taken, const std::vector<Link>& links) {
  const auto lobe = lobe_at(taken.place(), s.facts.reach, s.power.size());
  const double gain = power_gain(links, taken.place() * s.line);
  const auto u = signal::u_of(taken.last, s.facts, s.window, s.samples, gain * floor_about(s, lobe) * double(s.samples) / 2);
  return {.frequency = taken.place() * s.line,
          .u_frequency = s.line * u.place / std::sqrt(s.averages),
          .power = std::max(0.0, taken.power() - u.peak * u.peak / 2) / gain,
          .u_power = taken.last.peak * u.peak / std::sqrt(s.averages) / gain};
}

void own(Spectrum& s, const Lobe& lobe, Owner owner) {
  for (auto k = lobe.first; k <= lobe.last; ++k)
    if (s.owner[k] == Owner::noise) s.owner[k] = owner;
}

/// What is no noise of the record: what stands still, and lines of which a corner leaves less than a tenth, so that the
/// input's own noise would stand for what is lost.
void leave_out(Spectrum& s, const std::vector<Link>& links) {
  constexpr double kLeast = 0.1;
  s.owner.assign(s.power.size(), Owner::noise);
  own(s, {0, std::size_t(s.facts.reach)}, Owner::standing);
  std::vector<Link> corners;
  for (const auto& link : links)
    if (link.has_corner()) corners.push_back(link);
  if (corners.empty()) return;
  for (std::size_t k = 1; k < s.owner.size(); ++k)
    if (power_gain(corners, s.frequency_of(k)) < kLeast) s.owner[k] = Owner::standing;
}

/// What links took of every line is given back, as far as it is one; what stands still is left.
void divide_out(Spectrum& s, const std::vector<Link>& links) {
  s.links = links;
  if (links.empty()) return;
  for (std::size_t k = 1; k < s.power.size(); ++k) {
    const double gain = power_gain(links, s.frequency_of(k));
    s.power[k] /= gain;
    s.rest[k] /= gain;
  }
}
/// How well links are known counts in every tone, as if each had links of its own.
void add_uncertainty(Spectrum& s, const std::vector<Link>& links) {
  if (links.empty()) return;
  const auto add = [&](Tone& tone) {
    if (tone.frequency > 0) tone.u_power = std::hypot(tone.u_power, tone.power * u_power_gain(links, tone.frequency));
  };
  add(*s.fundamental);
  for (auto& t : s.others) add(t);
  if (s.worst) add(*s.worst);
  s.u_distortion = 0;
  for (auto& h : s.harmonics) {
    if (!h.lost.empty()) continue;
    add(h.tone);
    s.u_distortion = std::hypot(s.u_distortion, h.tone.u_power);
  }
  s.u_noise = std::hypot(s.u_noise, s.noise * u_power_gain(links, s.sample_rate / 4));
}

/// Sums over stretches of what is left, from which all that follows is told.
void sum_blocks(Spectrum& s) {
  s.blocks.clear();
  for (std::size_t k = 0; k < s.rest.size(); k += Spectrum::kBlock)
    s.blocks.push_back(signal::block_sums(std::span(s.rest).subspan(k, std::min(Spectrum::kBlock, s.rest.size() - k))));
}

/// The sum of what is noise, scaled to all lines but the standing ones.
void find_noise(Spectrum& s) {
  const auto [sum, squares, count] = noise_sums(s, 0, s.rest.size());
  if (count == 0) return;
  const auto all = s.owner.size() - std::size_t(std::count(s.owner.begin(), s.owner.end(), Owner::standing));
  s.noise = sum * double(all) / double(count);
  s.density = sum / double(count) / s.line;
  // Each line spreads like chi square of two degrees an average, which its square shows as well; lines under one window
  // do so together.
  s.u_noise = std::sqrt(squares * s.facts.line_variance / (s.averages + 1)) * double(all) / double(count);
}

/// How far over their mean noise alone makes the highest of so many lines: each is a mean of squares, whose tail Bernstein's
/// inequality bounds.
double highest_of_noise(std::size_t lines, double averages) {
  constexpr double kRare = 7;  // e to the minus seven: once in a thousand records of noise
  const double t = std::log(double(lines)) + kRare;
  return 1 + std::sqrt(2 * t / averages) + t / averages;
}

/// Power of a line, above which it stands out.
double bound_of_noise(const Spectrum& s) { return s.density * s.line * highest_of_noise(s.power.size(), s.averages); }

/// A line whose lobe holds nothing but noise.
bool alone(const Spectrum& s, std::size_t line) {
  const auto lobe = lobe_at(double(line), s.facts.reach, s.power.size());
  return all_noise(s, lobe.first, lobe.last + 1);
}

void find_harmonics(Spectrum& s, const Settings& settings) {
  const int reach = s.facts.reach;
  std::vector<double> taken = {s.place};
  const double n = double(s.samples);
  for (int order = settings.harmonics.first; order <= settings.harmonics.second; ++order) {
    Harmonic h{.order = order, .tone = {}};
    const double at = folded(double(order) * s.place, s.samples);
    h.tone.frequency = at * s.line;
    const auto same = std::find_if(taken.begin(), taken.end(), [&](double other) { return std::abs(other - at) < 2 * reach; });
    if (at <= double(reach))
      h.lost = "it folds to where the mean stands";
    else if (at > n / 2 - double(reach))
      h.lost = "it folds to half the sample rate";
    else if (same == taken.begin())
      h.lost = "it folds onto the fundamental";
    else if (same != taken.end()) {
      // Neither can be told by itself; together they are distortion all the same.
      h.lost = "it folds onto another harmonic";
      own(s, lobe_at(at, reach, s.power.size()), Owner::harmonic);
    } else {
      taken.push_back(at);
      own(s, lobe_at(at, reach, s.power.size()), Owner::harmonic);
    }
    s.harmonics.push_back(std::move(h));
  }
}

/// @param taken  tones that were taken off; those that are harmonics leave it
void read_harmonics(Spectrum& s, std::vector<Tone>& taken) {
  for (auto& h : s.harmonics) {
    if (!h.lost.empty()) continue;
    const double observed = h.tone.frequency, at = observed / s.line;
    const auto here = std::find_if(taken.begin(), taken.end(), [&](const Tone& t) { return std::abs(t.frequency - observed) < s.line; });
    if (here != taken.end()) {
      h.tone = *here;
      taken.erase(here);
    } else {
      h.tone = tone_in(s, lobe_at(at, s.facts.reach, s.power.size()), at);
    }
    h.tone.frequency = observed;
    h.tone.u_frequency = double(h.order) * s.fundamental->u_frequency;
    s.distortion += h.tone.power;
    s.u_distortion = std::hypot(s.u_distortion, h.tone.u_power);
  }
  // Lines of those that share a lobe with another, as far as no other lobe has them.
  for (const auto& h : s.harmonics) {
    if (h.lost.empty() || h.tone.frequency / s.line < s.facts.reach + 0.5) continue;
    const auto lobe = lobe_at(h.tone.frequency / s.line, s.facts.reach, s.power.size());
    const double below = floor_about(s, lobe);
    for (auto k = lobe.first; k <= lobe.last; ++k) {
      const bool told = std::any_of(s.harmonics.begin(), s.harmonics.end(), [&](const Harmonic& other) {
        return other.lost.empty() && std::abs(other.tone.frequency / s.line - double(k)) <= s.facts.reach;
      });
      if (s.owner[k] == Owner::harmonic && !told) s.distortion += s.rest[k] - below;
    }
  }
}

/// Lines that noise alone does not make: other tones, strongest first, and what leaks beside any tone. Tones count with the
/// noise, but none of these lines tells its density.
void find_others(Spectrum& s, const RecordLines& lines, const StrongTones& strong, const std::vector<Tone>& taken) {
  constexpr int kRounds = 4;  // those that stand out only once stronger ones are gone
  std::vector<std::size_t> tops;
  for (int round = 0; round < kRounds; ++round) {
    std::vector<std::size_t> high;
    const double bound = bound_of_noise(s);
    for_each_above(s, [&] { return bound; }, [&](std::size_t k) { high.push_back(k); });
    if (high.empty()) break;
    std::sort(high.begin(), high.end(), [&](std::size_t x, std::size_t y) { return s.rest[x] > s.rest[y]; });
    for (const auto k : high) {
      if (s.owner[k] != Owner::noise) continue;
      if (!alone(s, k)) {
        s.owner[k] = Owner::other;
        continue;
      }
      tops.push_back(k);
      own(s, lobe_at(double(k), s.facts.reach, s.power.size()), Owner::other);
    }
    find_noise(s);
  }
  s.others = taken;
  s.taken_off = taken.size();
  for (const auto k : tops) {
    const auto fit = lines.tone_near(k, s.facts, strong.of_first());
    const auto lobe = lobe_at(double(k), s.facts.reach, s.power.size());
    auto tone = tone_in(s, lobe, fit ? fit->place : double(k));
    if (fit) tone.u_frequency = s.line * signal::u_of(*fit, s.facts, s.window, s.samples, floor_about(s, lobe) * double(s.samples) / 2).place / std::sqrt(s.averages);
    s.others.push_back(tone);
  }
  for (const auto& t : s.others) {
    s.noise += t.power;
    s.u_noise = std::hypot(s.u_noise, t.u_power);
  }
}

/// Where no other tone stands out the highest line of the noise stands for what may hide in it.
void find_worst(Spectrum& s) {
  const auto larger = [&](const Tone& tone) {
    if (!s.worst || tone.power > s.worst->power) s.worst = tone;
  };
  for (const auto& t : s.others) larger(t);
  for (const auto& h : s.harmonics)
    if (h.lost.empty()) larger(h.tone);
  std::optional<std::size_t> top;
  for_each_above(s, [&] { return top ? s.rest[*top] : -1; }, [&](std::size_t k) {
    if (alone(s, k)) top = k;
  });
  if (top) larger(tone_in(s, lobe_at(double(*top), s.facts.reach, s.power.size()), double(*top)));
}

}  // namespace

bool another_between(const RecordLines& lines, double place, double power) {
  constexpr double kSmall = 1e-8;  // of the fundamental: what leaks of less is little
  const auto window = signal::facts_of(signal::Window::blackman_harris);
  std::vector<double> all;
  lines.add_power(window, all);
  const auto clear = [&](const Lobe& lobe) { std::fill(all.begin() + std::ptrdiff_t(lobe.first), all.begin() + std::ptrdiff_t(lobe.last) + 1, 0.0); };
  clear({0, std::size_t(window.reach)});
  clear(lobe_at(place, window.reach, all.size()));
  const auto top = largest_line(all, 0, all.size());
  const double mean = row_of(all).mean();
  if (!(all[top] > std::max(kSmall * power, mean * highest_of_noise(all.size(), 1)))) return false;
  const auto tone = lines.tone_near(top, window);
  if (!tone) return false;
  // A weak one is not known well enough to say so.
  const double u = signal::u_of(*tone, window, signal::Window::blackman_harris, lines.samples(), mean * double(lines.samples()) / 2).place;
  return std::abs(tone->place - std::round(tone->place)) > kCoherent + 3 * u;
}

void put_place(Spectrum& s, double place) {
  s.place = place;
  s.off_coherent = std::abs(place - std::round(place));
  s.coherent = s.off_coherent < kCoherent;
}

void find_tones(Spectrum& s, const Seen& seen, const std::vector<Link>& links, const Settings& settings) {
  leave_out(s, links);
  divide_out(s, links);
  sum_blocks(s);
  const auto lines = s.power.size();
  const bool silent = !(seen.plain.power > 0);
  const auto slowest = seen.plain.line;
  if (silent)
    s.no_fundamental = "the record does not move";
  else if (!settings.fundamental && slowest < std::size_t(kFewestCycles))
    s.no_fundamental = kFewCycles;
  else if (!settings.fundamental && slowest <= std::size_t(s.facts.reach))
    s.no_fundamental = fmt::format("the record holds some {} cycles, which its window cannot tell from what stands still; {} are the fewest", slowest,
                                   s.facts.reach + 1);
  else if (seen.strong.fundamental().fits == 0)
    s.no_fundamental = seen.top + std::size_t(s.facts.reach) >= lines ? kAtHalf : kNoTone;
  else {
    put_place(s, seen.strong.fundamental().place());
    if (s.place < kFewestCycles)
      s.no_fundamental = kFewCycles;
    else if (s.place > double(lines - 1) - 0.5)
      s.no_fundamental = kAtHalf;
  }
  // All that is there is then noise.
  const auto as_noise = [&] {
    s.harmonics.clear();
    leave_out(s, links);
    s.rest = s.power;
    sum_blocks(s);
    find_noise(s);
  };
  if (!s.no_fundamental.empty()) return as_noise();
  const auto lobe = lobe_at(s.place, s.facts.reach, lines);
  own(s, lobe, Owner::fundamental);
  find_harmonics(s, settings);
  find_noise(s);
  // Against what is about it: a stronger tone elsewhere is no noise.
  if (!(s.power[seen.top] > floor_about(s, lobe) * highest_of_noise(lines, s.averages))) {
    s.no_fundamental = kNoTone;
    return as_noise();
  }
  s.fundamental = tone_of(s, seen.strong.fundamental(), links);
  for (auto& h : s.harmonics) h.unfolded = h.order * s.fundamental->frequency;
  std::vector<Tone> taken;
  for (const auto& other : seen.strong.others()) taken.push_back(tone_of(s, other, links));
  read_harmonics(s, taken);
  find_others(s, seen.first, seen.strong, taken);
  find_worst(s);
  add_uncertainty(s, links);
}

}  // namespace heron::study::spectrum
