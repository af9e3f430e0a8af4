#include <algorithm>
#include <cmath>

#include "study/spectrum/lobe.h"
#include "study/spectrum/segments.h"

namespace heron::study::spectrum {
namespace {

constexpr double kNear = 0.05;       ///< of a fundamental that is said, within which it is looked for
constexpr double kCoherent = 0.01;   ///< periods off a whole number
constexpr double kFewestCycles = 2;
constexpr std::size_t kMostTaken = 12;  ///< tones beside the fundamental
constexpr double kMatters = 0.02;       ///< of the noise, that leakage may add
constexpr std::size_t kLooked = 16;  ///< segments that the fundamental is looked for in
const char* const kFewCycles = "the record holds fewer than two cycles";
const char* const kNoTone = "no tone stands out of the noise";
const char* const kAtHalf = "the largest line lies at half the sample rate, where a tone's size cannot be told";

using signal::RecordLines;

std::size_t largest_line(const std::vector<double>& power, std::size_t from, std::size_t to) {
  return std::size_t(std::max_element(power.begin() + std::ptrdiff_t(from), power.begin() + std::ptrdiff_t(to)) - power.begin());
}

/// A tone that is taken off before the rest is read, over all segments.
struct Taken {
  std::size_t line = 0;
  double places = 0, powers = 0;
  std::size_t fits = 0;
  std::optional<signal::LineTone> last = {};

  double place() const { return places / double(fits); }
  double power() const { return powers / double(fits); }
  bool fit(RecordLines& in, const signal::WindowFacts& window, bool take_off) {
    const auto found = in.tone_near(line, window);
    if (!found) return false;
    places += found->place;
    powers += found->power();
    last = found;
    ++fits;
    if (take_off) in.take_off(*found);
    return true;
  }
};

/// What a tone that was taken off comes to, from all segments.
/// @param links  that are divided out of the lines already
Tone tone_of(const Spectrum& s, const Taken& taken, const std::vector<Link>& links) {
  const auto lobe = lobe_at(taken.place(), s.facts.reach, s.power.size());
  const double gain = power_gain(links, taken.place() * s.line);
  const auto u = signal::u_of(*taken.last, s.facts, s.window, s.samples, gain * floor_about(s, lobe) * double(s.samples) / 2);
  return {.frequency = taken.place() * s.line,
          .u_frequency = s.line * u.place / std::sqrt(s.averages),
          .power = std::max(0.0, taken.power() - u.peak * u.peak / 2) / gain,
          .u_power = taken.last->peak * u.peak / std::sqrt(s.averages) / gain};
}

/// The tones beside the fundamental whose leakage would count in the noise, strongest first: looked for in one segment
/// that the fundamental is taken off already.
/// @param power  room to work in; what the lines hold without the tones comes back in it
std::vector<Taken> strong_tones(RecordLines& lines, const Spectrum& s, std::vector<double>& power) {
  constexpr std::size_t kAsked = 4096;  // lines that tell the median of all
  const double leaks = leakage(0.5, s.window, s.samples);
  std::vector<Taken> out;
  std::vector<double> some;
  while (true) {
    std::fill(power.begin(), power.end(), 0.0);
    lines.add_power(s.facts, power);
    const auto from = std::size_t(s.facts.reach) + 1;
    if (out.size() == kMostTaken || from + 8 >= power.size()) break;
    const auto top = largest_line(power, from, power.size());
    some.clear();
    for (std::size_t k = 0; k < power.size(); k += std::max<std::size_t>(1, power.size() / kAsked)) some.push_back(power[k]);
    const auto middle = some.begin() + std::ptrdiff_t(some.size() / 2);
    std::nth_element(some.begin(), middle, some.end());
    const double noise = *middle * double(power.size());
    if (!(power[top] * leaks > kMatters * noise)) break;
    Taken one{.line = top};
    if (!one.fit(lines, s.facts, true)) break;
    out.push_back(one);
  }
  return out;
}

void own(Spectrum& s, const Lobe& lobe, Owner owner) {
  for (auto k = lobe.first; k <= lobe.last; ++k)
    if (s.owner[k] == Owner::noise) s.owner[k] = owner;
}

/// What is no noise of the record: what stands still, and lines of which a corner leaves less than a tenth, so that the
/// input's own noise would stand for what is lost.
void leave_out(Spectrum& s, const std::vector<Link>& links) {
  constexpr double kLeast = 0.1;
  s.owner.assign(s.owner.size(), Owner::noise);
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

/// The sum of what is noise, scaled to all lines but the standing ones.
void find_noise(Spectrum& s) {
  double sum = 0;
  std::size_t count = 0, all = 0;
  for (std::size_t k = 0; k < s.power.size(); ++k) {
    if (s.owner[k] == Owner::standing) continue;
    ++all;
    if (s.owner[k] != Owner::noise) continue;
    sum += s.rest[k];
    ++count;
  }
  if (count == 0) return;
  s.noise = sum * double(all) / double(count);
  s.density = sum / double(count) / s.line;
  // Each line spreads like chi square of two degrees an average, which its square shows as well; lines under one window
  // do so together.
  double squares = 0;
  for (std::size_t k = 0; k < s.power.size(); ++k)
    if (s.owner[k] == Owner::noise) squares += s.rest[k] * s.rest[k];
  s.u_noise = std::sqrt(squares * s.facts.line_variance / (s.averages + 1)) * double(all) / double(count);
}

/// How far over their mean noise alone makes the highest of so many lines: each is a mean of squares, whose tail Bernstein's
/// inequality bounds.
double highest_of_noise(std::size_t lines, double averages) {
  constexpr double kRare = 7;  // e to the minus seven: once in a thousand records of noise
  const double t = std::log(double(lines)) + kRare;
  return 1 + std::sqrt(2 * t / averages) + t / averages;
}

bool stands_out(const Spectrum& s, double power) { return power > s.density * s.line * highest_of_noise(s.power.size(), s.averages); }

/// A line whose lobe holds nothing but noise.
bool alone(const Spectrum& s, std::size_t line) {
  const auto lobe = lobe_at(double(line), s.facts.reach, s.power.size());
  return std::all_of(s.owner.begin() + std::ptrdiff_t(lobe.first), s.owner.begin() + std::ptrdiff_t(lobe.last) + 1, [](Owner o) { return o == Owner::noise; });
}

/// Whether the record holds a second tone of which it does not hold whole cycles.
bool another_between(const RecordLines& lines, double place, double power) {
  constexpr double kSmall = 1e-8;  // of the fundamental: what leaks of less is little
  const auto window = signal::facts_of(signal::Window::blackman_harris);
  std::vector<double> all;
  lines.add_power(window, all);
  for (std::size_t k = 0; k < all.size(); ++k)
    if (k <= std::size_t(window.reach) || std::abs(double(k) - place) <= window.reach) all[k] = 0;
  const auto top = largest_line(all, 0, all.size());
  double sum = -all[top];
  for (const double p : all) sum += p;
  const double mean = sum / double(all.size());
  if (!(all[top] > std::max(kSmall * power, mean * highest_of_noise(all.size(), 1)))) return false;
  const auto tone = lines.tone_near(top, window);
  if (!tone) return false;
  // A weak one is not known well enough to say so.
  const double u = signal::u_of(*tone, window, signal::Window::blackman_harris, lines.samples(), mean * double(lines.samples()) / 2).place;
  return std::abs(tone->place - std::round(tone->place)) > kCoherent + 3 * u;
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
    if (at < double(reach) + 0.5)
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
void find_others(Spectrum& s, const RecordLines& lines, const std::vector<Tone>& taken) {
  constexpr int kRounds = 4;  // those that stand out only once stronger ones are gone
  std::vector<std::size_t> tops;
  for (int round = 0; round < kRounds; ++round) {
    std::vector<std::size_t> high;
    for (std::size_t k = 0; k < s.rest.size(); ++k)
      if (s.owner[k] == Owner::noise && stands_out(s, s.rest[k])) high.push_back(k);
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
    const auto fit = lines.tone_near(k, s.facts);
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
  for (std::size_t k = 0; k < s.rest.size(); ++k)
    if (s.owner[k] == Owner::noise && (!top || s.rest[k] > s.rest[*top]) && alone(s, k)) top = k;
  if (top) larger(tone_in(s, lobe_at(double(*top), s.facts.reach, s.power.size()), double(*top)));
}

}  // namespace

Result<Spectrum> spectrum_of(const std::vector<TracePtr>& records, const Settings& settings, const std::vector<Link>& own_links) {
  const auto& first = *records.front();
  Spectrum s{.name = first.name, .unit = first.unit};
  if (!first.time.even())
    return fail(Fault::input, "{}: the times are not even to 0.1 %, which a spectrum wants.", first.name);
  std::size_t samples = first.size();
  for (const auto& r : records) {
    samples = std::min(samples, r->size());
    if (std::abs(r->time.step() / first.time.step() - 1) > 1e-9)
      return fail(Fault::input, "{}: its records are not of one sample rate.", first.name);
  }
  const auto cut = segments_of(samples, settings);
  if (!cut) return tl::unexpected(cut.error());
  s.samples = cut->length;
  s.sample_rate = 1 / first.time.step();
  s.line = s.sample_rate / double(s.samples);

  Transforms all(records, *cut, settings.average == Average::coherent && records.size() > 1);
  // What tells where the fundamental is; more would hold all of a long record.
  std::vector<RecordLines> kept;
  while (kept.size() < kLooked) {
    auto one = all.next();
    if (!one) return tl::unexpected(one.error());
    if (!*one) break;
    kept.push_back(std::move(**one));
  }
  const auto lines = kept.front().lines();
  std::vector<double> rough;
  kept.front().add_power(signal::facts_of(signal::Window::rectangular), rough);
  const bool silent = !std::any_of(rough.begin() + 1, rough.end(), [](double p) { return p > 0; });
  std::size_t from = 1, to = lines;
  if (settings.fundamental) {
    from = std::size_t(std::clamp(std::ceil((1 - kNear) * *settings.fundamental / s.line), 1.0, double(lines - 1)));
    to = std::size_t(std::clamp(std::floor((1 + kNear) * *settings.fundamental / s.line) + 1, double(from + 1), double(lines)));
  }
  // Whether the record holds whole cycles decides the window.
  bool whole = false;
  if (const auto found = silent ? std::nullopt : kept.front().tone_near(largest_line(rough, from, to), signal::facts_of(signal::Window::blackman_harris))) {
    s.place = found->place;
    s.off_coherent = std::abs(found->place - std::round(found->place));
    s.coherent = s.off_coherent < kCoherent;
    whole = s.coherent && !another_between(kept.front(), found->place, found->power());
  }
  s.window = settings.window.value_or(whole ? signal::Window::rectangular : signal::Window::blackman_harris);
  s.facts = signal::facts_of(s.window);
  s.averages = all.independent(s.window);
  auto links = own_links;
  if (const auto said = settings.links.find(s.name); said != settings.links.end()) links.push_back(said->second);
  s.owner.resize(lines);
  leave_out(s, links);

  for (const auto& one : kept) one.add_power(s.facts, s.power);
  if (!settings.fundamental) from = std::min(to - 1, std::size_t(s.facts.reach) + 1);
  const auto top = largest_line(s.power, from, to);
  Taken first_tone{.line = top};
  std::vector<Taken> others;
  std::size_t count = 0;
  // A window keeps most of a tone's leakage away; what it leaves is taken off with the tone. Without a window it is what it is.
  const bool takes_off = s.window != signal::Window::rectangular;
  s.rest.resize(lines);
  const auto add = [&](RecordLines& one) {
    const bool at_first = count++ == 0;
    if (!silent && first_tone.fit(one, s.facts, takes_off) && takes_off) {
      if (at_first) {
        others = strong_tones(one, s, s.rest);
        return;
      }
      for (auto& other : others) other.fit(one, s.facts, true);
    }
    one.add_power(s.facts, s.rest);
  };
  for (auto& one : kept) add(one);
  while (true) {
    auto one = all.next();
    if (!one) return tl::unexpected(one.error());
    if (!*one) break;
    (*one)->add_power(s.facts, s.power);
    add(**one);
  }
  for (auto* powers : {&s.power, &s.rest})
    for (auto& p : *powers) p /= double(count);
  divide_out(s, links);

  const auto slowest = silent ? 0 : largest_line(rough, 1, lines);
  if (silent)
    s.no_fundamental = "the record does not move";
  else if (!settings.fundamental && slowest < std::size_t(kFewestCycles))
    s.no_fundamental = kFewCycles;
  else if (!settings.fundamental && slowest <= std::size_t(s.facts.reach))
    s.no_fundamental = fmt::format("the record holds some {} cycles, which its window cannot tell from what stands still; {} are the fewest", slowest,
                                   s.facts.reach + 1);
  else if (first_tone.fits == 0)
    s.no_fundamental = top + std::size_t(s.facts.reach) >= lines ? kAtHalf : kNoTone;
  else {
    s.place = first_tone.place();
    s.off_coherent = std::abs(s.place - std::round(s.place));
    s.coherent = s.off_coherent < kCoherent;
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
    find_noise(s);
    return s;
  };
  if (!s.no_fundamental.empty()) return as_noise();
  const auto lobe = lobe_at(s.place, s.facts.reach, lines);
  own(s, lobe, Owner::fundamental);
  find_harmonics(s, settings);
  find_noise(s);
  if (!stands_out(s, s.power[top])) {
    s.no_fundamental = kNoTone;
    return as_noise();
  }
  s.fundamental = tone_of(s, first_tone, links);
  for (auto& h : s.harmonics) h.unfolded = h.order * s.fundamental->frequency;
  std::vector<Tone> taken;
  for (const auto& other : others) taken.push_back(tone_of(s, other, links));
  read_harmonics(s, taken);
  find_others(s, kept.front(), taken);
  find_worst(s);
  add_uncertainty(s, links);
  return s;
}

}  // namespace heron::study::spectrum
