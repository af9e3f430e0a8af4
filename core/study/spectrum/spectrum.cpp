#include "study/spectrum/spectrum.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "base/quantity.h"

namespace heron::study::spectrum {
namespace {

constexpr double kNear = 0.05;       ///< of a fundamental that is said, within which it is looked for
constexpr double kCoherent = 0.01;   ///< periods off a whole number
constexpr double kFewestCycles = 2;
constexpr std::size_t kMostTaken = 12;  ///< tones beside the fundamental
constexpr double kMatters = 0.02;       ///< of the noise, that leakage may add
constexpr std::size_t kLooked = 16;  ///< segments that the fundamental is looked for in
const char* const kFewCycles = "the record holds fewer than two cycles";
const char* const kAtHalf = "the largest line lies at half the sample rate, where a tone's size cannot be told";
constexpr std::size_t kBeside = 64;  ///< lines on either side that tell the noise about a tone

using signal::RecordLines;

/// The lines of a tone's main lobe.
struct Lobe {
  std::size_t first = 0, last = 0;  ///< both inside
  std::size_t size() const { return last - first + 1; }
};
Lobe lobe_at(double place, int reach, std::size_t lines) {
  const double most = double(lines - 1);
  return {std::size_t(std::clamp(std::ceil(place - reach), 0.0, most)), std::size_t(std::clamp(std::floor(place + reach), 0.0, most))};
}

/// Where a place beyond half the rate is seen.
double folded(double place, std::size_t samples) {
  const double n = double(samples), m = std::fmod(place, n);
  return m > n / 2 ? n - m : m;
}

/// Mean power of the noise lines about a lobe; of all where there are none near.
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

/// A tone's power from its lobe, what noise adds taken off.
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
  bool fit_and_take_off(RecordLines& from, const signal::WindowFacts& window) {
    const auto fit = from.tone_near(line, window);
    if (!fit) return false;
    places += fit->place;
    powers += fit->power();
    last = fit;
    ++fits;
    from.take_off(*fit);
    return true;
  }
};

/// What a tone that was taken off comes to, from all segments.
Tone tone_of(const Spectrum& s, const Taken& taken) {
  const auto lobe = lobe_at(taken.place(), s.facts.reach, s.power.size());
  const auto u = signal::u_of(*taken.last, s.facts, s.window, s.samples, floor_about(s, lobe) * double(s.samples) / 2);
  return {.frequency = taken.place() * s.line,
          .u_frequency = s.line * u.place / std::sqrt(s.averages),
          .power = std::max(0.0, taken.power() - u.peak * u.peak / 2),
          .u_power = taken.last->peak * u.peak / std::sqrt(s.averages)};
}

/// The tones beside the fundamental whose leakage would count in the noise, strongest first: looked for in one segment
/// that the fundamental is taken off already.
std::vector<Taken> strong_tones(RecordLines& lines, const Spectrum& s) {
  const double leaks = leakage(0.5, s.window, s.samples);
  std::vector<Taken> out;
  std::vector<double> power;
  while (out.size() < kMostTaken) {
    std::fill(power.begin(), power.end(), 0.0);
    lines.add_power(s.facts, power);
    const auto from = std::size_t(s.facts.reach) + 1;
    if (from + 8 >= power.size()) break;
    const auto top = largest_line(power, from, power.size());
    auto sorted = power;
    const auto middle = sorted.begin() + std::ptrdiff_t(sorted.size() / 2);
    std::nth_element(sorted.begin(), middle, sorted.end());
    const double noise = *middle * double(power.size());
    if (!(power[top] * leaks > kMatters * noise)) break;
    Taken one{.line = top};
    if (!one.fit_and_take_off(lines, s.facts)) break;
    out.push_back(one);
  }
  return out;
}

void own(Spectrum& s, const Lobe& lobe, Owner owner) {
  for (auto k = lobe.first; k <= lobe.last; ++k)
    if (s.owner[k] == Owner::noise) s.owner[k] = owner;
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


struct Segments {
  std::size_t length = 0, step = 0;
};

Result<Segments> segments_of(std::size_t samples, const Settings& settings) {
  if (samples < kShortest)
    return fail(Fault::input, "A record of {} samples has no spectrum; {} are the fewest.", samples, kShortest);
  auto length = settings.segment ? std::size_t(*settings.segment) : std::min(samples, kLongest);
  if (length > samples)
    return fail(Fault::input, "segment: the record has {} samples, fewer than the {} of one segment.", samples, length);
  length = length / 2 * 2;
  return Segments{length, std::max<std::size_t>(1, std::size_t(std::llround(double(length) * (1 - settings.overlap))))};
}

/// One segment after another of all records, or their mean.
class Transforms {
 public:
  Transforms(const std::vector<TracePtr>& records, const Segments& cut, bool mean) : records_(records), cut_(cut), mean_(mean), values_(cut.length) {}

  /// Nothing after the last.
  Result<std::optional<RecordLines>> next() {
    if (mean_) {
      if (std::exchange(record_, records_.size()) > 0) return std::nullopt;
      std::vector<double> sum(cut_.length, 0.0);
      for (const auto& r : records_) {
        if (auto ok = r->read(0, values_); !ok) return tl::unexpected(ok.error());
        for (std::size_t k = 0; k < sum.size(); ++k) sum[k] += values_[k] / double(records_.size());
      }
      return RecordLines(sum);
    }
    while (record_ < records_.size() && at_ + cut_.length > records_[record_]->size()) {
      ++record_;
      at_ = 0;
    }
    if (record_ == records_.size()) return std::nullopt;
    if (auto ok = records_[record_]->read(at_, values_); !ok) return tl::unexpected(ok.error());
    at_ += cut_.step;
    return RecordLines(values_);
  }

  /// What they are worth: segments that overlap tell less than as many of their own.
  double independent(signal::Window window) const {
    if (mean_) return 1;
    double out = 0;
    // The window's shape alone matters, not its length.
    const auto weights = signal::window_weights(window, std::min<std::size_t>(cut_.length, 512));
    const auto step = std::max<std::size_t>(1, std::size_t(std::llround(double(weights.size()) * double(cut_.step) / double(cut_.length))));
    for (const auto& r : records_)
      if (r->size() >= cut_.length) out += signal::independent_averages(weights, step, int((r->size() - cut_.length) / cut_.step) + 1);
    return out;
  }

 private:
  const std::vector<TracePtr>& records_;
  Segments cut_;
  bool mean_;
  std::vector<double> values_;
  std::size_t record_ = 0, at_ = 0;
};

/// Whether the record holds a second tone of which it does not hold whole cycles.
bool another_between(const RecordLines& lines, double place, double power) {
  constexpr double kSmall = 1e-8;  // of the fundamental: what leaks of less is little
  const auto window = signal::facts_of(signal::Window::blackman_harris);
  std::vector<double> all;
  lines.add_power(window, all);
  for (std::size_t k = 0; k < all.size(); ++k)
    if (k <= std::size_t(window.reach) || std::abs(double(k) - place) <= window.reach) all[k] = 0;
  const auto top = largest_line(all, 0, all.size());
  if (!(all[top] > kSmall * power)) return false;
  const auto tone = lines.tone_near(top, window);
  return tone && std::abs(tone->place - std::round(tone->place)) > kCoherent;
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

void read_harmonics(Spectrum& s) {
  for (auto& h : s.harmonics) {
    if (!h.lost.empty()) continue;
    const double observed = h.tone.frequency;
    h.tone = s.tone_at(observed / s.line);
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
  // What is neither the fundamental nor its harmonic counts with the noise, though it was taken off before that was read.
  for (const auto& t : s.taken)
    if (std::none_of(s.harmonics.begin(), s.harmonics.end(), [&](const Harmonic& h) { return h.lost.empty() && std::abs(h.tone.frequency - t.frequency) < s.line; })) {
      s.noise += t.power;
      s.u_noise = std::hypot(s.u_noise, t.u_power);
    }
}

void find_worst(Spectrum& s, const RecordLines& lines) {
  const auto larger = [&](const Tone& tone) {
    if (!s.worst || tone.power > s.worst->power) s.worst = tone;
  };
  for (const auto& t : s.taken) larger(t);
  for (const auto& h : s.harmonics)
    if (h.lost.empty()) larger(h.tone);
  double most = 0;
  std::size_t at = 0;
  for (std::size_t k = 0; k < s.power.size(); ++k)
    if ((s.owner[k] == Owner::noise || s.owner[k] == Owner::harmonic) && s.rest[k] > most) {
      most = s.rest[k];
      at = k;
    }
  if (!(most > 0) || s.owner[at] == Owner::harmonic) return;
  const auto fit = lines.tone_near(at, s.facts);
  const double place = fit ? fit->place : double(at);
  auto lobe = lobe_at(place, s.facts.reach, s.power.size());
  // What belongs to the fundamental is none of its neighbour's.
  while (lobe.first < at && s.owner[lobe.first] != Owner::noise) ++lobe.first;
  while (lobe.last > at && s.owner[lobe.last] != Owner::noise) --lobe.last;
  auto here = tone_in(s, lobe, place);
  if (fit) here.u_frequency = s.line * signal::u_of(*fit, s.facts, s.window, s.samples, floor_about(s, lobe) * double(s.samples) / 2).place / std::sqrt(s.averages);
  larger(here);
}

}  // namespace

std::size_t Spectrum::noise_lines() const { return std::size_t(std::count(owner.begin(), owner.end(), Owner::noise)); }

Tone Spectrum::tone_at(double at) const {
  for (const auto& t : taken)
    if (std::abs(t.frequency / line - at) < 1) return t;
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
  for (int k = -facts.reach; k <= facts.reach + 1; ++k)
    if (std::abs(double(k) - off) <= facts.reach) inside += std::norm(signal::window_kernel(facts.cosines, double(k) - off, samples));
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
  return out;
}

Result<Spectrum> spectrum_of(const std::vector<TracePtr>& records, const Settings& settings) {
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
  s.owner.assign(lines, Owner::noise);
  own(s, {0, std::size_t(s.facts.reach)}, Owner::standing);

  for (const auto& one : kept) one.add_power(s.facts, s.power);
  if (!settings.fundamental) from = std::min(to - 1, std::size_t(s.facts.reach) + 1);
  const auto top = largest_line(s.power, from, to);
  std::fill(s.power.begin(), s.power.end(), 0.0);
  Taken first_tone{.line = top};
  std::vector<Taken> others;
  std::size_t count = 0;
  // A window keeps most of a tone's leakage away; what it leaves is taken off with the tone. Without a window it is what it is.
  const bool takes_off = s.window != signal::Window::rectangular;
  const auto add = [&](RecordLines& one) {
    one.add_power(s.facts, s.power);
    if (!silent && takes_off) {
      if (first_tone.fit_and_take_off(one, s.facts)) {
        if (count == 0)
          others = strong_tones(one, s);
        else
          for (auto& other : others) other.fit_and_take_off(one, s.facts);
      }
    } else if (const auto fit = silent ? std::nullopt : one.tone_near(top, s.facts)) {
      first_tone.places += fit->place;
      first_tone.powers += fit->power();
      first_tone.last = fit;
      ++first_tone.fits;
    }
    ++count;
    one.add_power(s.facts, s.rest);
  };
  for (auto& one : kept) add(one);
  while (true) {
    auto one = all.next();
    if (!one) return tl::unexpected(one.error());
    if (!*one) break;
    add(**one);
  }
  for (auto* powers : {&s.power, &s.rest})
    for (auto& p : *powers) p /= double(count);

  const auto slowest = silent ? 0 : largest_line(rough, 1, lines);
  if (silent)
    s.no_fundamental = "the record does not move";
  else if (!settings.fundamental && slowest < std::size_t(kFewestCycles))
    s.no_fundamental = kFewCycles;
  else if (!settings.fundamental && slowest <= std::size_t(s.facts.reach))
    s.no_fundamental = fmt::format("the record holds some {} cycles, which its window cannot tell from what stands still; {} are the fewest", slowest,
                                   s.facts.reach + 1);
  else if (first_tone.fits == 0)
    s.no_fundamental = top + std::size_t(s.facts.reach) >= lines ? kAtHalf : "no tone stands out of the noise";
  else {
    s.place = first_tone.place();
    s.off_coherent = std::abs(s.place - std::round(s.place));
    s.coherent = s.off_coherent < kCoherent;
    if (s.place < kFewestCycles)
      s.no_fundamental = kFewCycles;
    else if (s.place > double(lines - 1) - 0.5)
      s.no_fundamental = kAtHalf;
  }
  if (!s.no_fundamental.empty()) {
    s.rest = s.power;
    find_noise(s);
    return s;
  }
  const auto lobe = lobe_at(s.place, s.facts.reach, lines);
  own(s, lobe, Owner::fundamental);
  find_harmonics(s, settings);
  find_noise(s);
  s.fundamental = tone_of(s, first_tone);
  for (auto& h : s.harmonics) h.unfolded = h.order * s.fundamental->frequency;
  for (const auto& other : others) s.taken.push_back(tone_of(s, other));
  read_harmonics(s);
  find_worst(s, kept.front());
  return s;
}

}  // namespace heron::study::spectrum
