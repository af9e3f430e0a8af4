#include "study/spectrum/figures.h"

#include "study/spectrum/sweep.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <numbers>
#include <random>

#include "base/quantity.h"
#include "base/random.h"
#include "base/words.h"

namespace heron::study::spectrum {
namespace {

constexpr double kPerBit = 6.0206, kIdeal = 1.7609;  ///< dB: of a bit, and of a sine over its rounding (IEEE 1241)
constexpr double kPair = 100;                         ///< power ratio within which two tones are a pair
constexpr double kAmplitude = 20 / std::numbers::ln10, kPower = 10 / std::numbers::ln10;

struct Found {
  double value = 0, u = 0;
  std::vector<double> at = {};  ///< Hz
  std::string unit = {};        ///< where it is not the definition's
};
using Value = tl::expected<Found, std::string>;
tl::unexpected<std::string> no(std::string why) { return tl::unexpected<std::string>(std::move(why)); }

struct View {
  const Spectrum& s;
  const Settings& settings;
  const TraceErrors& errors;
  const PointSpectra::Density& density;
};

/// 10 lg of a ratio of powers.
Found ratio_db(double above, double u_above, double below, double u_below) {
  return {10 * std::log10(above / below), kPower * std::hypot(u_above / above, u_below / below)};
}

tl::expected<Tone, std::string> fundamental(const View& v) {
  if (!v.s.fundamental) return no(v.s.no_fundamental);
  return *v.s.fundamental;
}

/// Noise and harmonics over all of the spectrum.
Value over(const View& v, bool with_harmonics) {
  const auto f = fundamental(v);
  if (!f) return no(f.error());
  const double power = v.s.noise + (with_harmonics ? v.s.distortion : 0), u = std::hypot(v.s.u_noise, with_harmonics ? v.s.u_distortion : 0);
  if (!(power > 0)) return no("nothing is beside the fundamental");
  auto out = ratio_db(f->power, f->u_power, power, u);
  out.at = {f->frequency};
  return out;
}

Value level(const View& v) {
  const auto f = fundamental(v);
  if (!f) return no(f.error());
  return Found{level_db(f->power, v.settings), std::hypot(kPower * f->u_power / f->power, kAmplitude * v.errors.u_gain), {f->frequency},
               level_unit(v.s.unit, v.settings)};
}

Value snr_fs(const View& v) {
  if (!v.settings.full_scale) return no("full_scale is not set");
  const double full = *v.settings.full_scale * *v.settings.full_scale / 2;
  if (!(v.s.noise > 0)) return no("there is no noise");
  return Found{10 * std::log10(full / v.s.noise), std::hypot(kPower * v.s.u_noise / v.s.noise, kAmplitude * v.errors.u_gain)};
}

/// Root of the harmonics' sum over the fundamental, as a ratio of powers.
tl::expected<Tone, std::string> distortion(const View& v) {
  const auto f = fundamental(v);
  if (!f) return no(f.error());
  if (std::all_of(v.s.harmonics.begin(), v.s.harmonics.end(), [](const Harmonic& h) { return !h.lost.empty(); }))
    return no("none of its harmonics can be told from another line");
  const Tone out{.power = v.s.distortion, .u_power = v.s.u_distortion};
  return out;
}

/// Harmonics that do not stand out of the noise lie below what they were read to and its uncertainty: that is told, and how
/// little is known of it.
Value thd(const View& v) {
  const auto d = distortion(v);
  if (!d) return no(d.error());
  const double power = std::max(0.0, d->power) + (d->power > 2 * d->u_power ? 0 : d->u_power);
  if (!(power > 0)) return no("nothing is where its harmonics would be");
  return ratio_db(power, d->u_power, v.s.fundamental->power, v.s.fundamental->u_power);
}

Value thd_percent(const View& v) {
  const auto d = distortion(v);
  if (!d) return no(d.error());
  const double power = std::max(0.0, d->power), value = 100 * std::sqrt(power / v.s.fundamental->power),
               least = 100 * std::sqrt(d->u_power / v.s.fundamental->power);
  // Near zero a root is known as well as what stands under it allows.
  if (!(power > 2 * d->u_power)) return Found{value, least};
  return Found{value, value / 2 * std::hypot(d->u_power / d->power, v.s.fundamental->u_power / v.s.fundamental->power)};
}

Value thd_n(const View& v) {
  const auto f = fundamental(v);
  if (!f) return no(f.error());
  double power = v.s.noise + v.s.distortion, u = std::hypot(v.s.u_noise, v.s.u_distortion);
  if (const auto& band = v.settings.band) {
    const auto noise = v.s.residual(band->first, band->second, v.settings.weighting);
    power = noise.power;
    u = noise.u_power;
    for (const auto& h : v.s.harmonics)
      if (h.lost.empty() && h.tone.frequency >= band->first && h.tone.frequency <= band->second) {
        const double gain = v.settings.weighting == Weighting::a ? a_weighting(h.tone.frequency) : 1;
        power += gain * h.tone.power;
        u = std::hypot(u, gain * h.tone.u_power);
      }
  }
  if (!(power > 0)) return no("nothing is beside the fundamental in the band");
  return ratio_db(power, u, f->power, f->u_power);
}

Value sfdr(const View& v) {
  const auto f = fundamental(v);
  if (!f) return no(f.error());
  if (!v.s.worst || !(v.s.worst->power > 0)) return no("nothing is beside the fundamental");
  auto out = ratio_db(f->power, f->u_power, v.s.worst->power, v.s.worst->u_power);
  out.at = {v.s.worst->frequency};
  return out;
}

Value worst_frequency(const View& v) {
  if (!v.s.fundamental) return no(v.s.no_fundamental);
  if (!v.s.worst || !(v.s.worst->power > 0)) return no("nothing is beside the fundamental");
  return Found{v.s.worst->frequency, v.s.worst->u_frequency, {v.s.worst->frequency}};
}

Value enob(const View& v) {
  auto sinad = over(v, true);
  if (!sinad) return sinad;
  double value = sinad->value - kIdeal;
  if (v.settings.full_scale) value -= level_db(v.s.fundamental->power, v.settings);
  return Found{value / kPerBit, sinad->u / kPerBit};
}

Value noise_floor(const View& v) {
  if (!(v.s.density > 0)) return no("there is no noise");
  return Found{level_db(v.s.density, v.settings), kPower * v.s.u_noise / v.s.noise, {}, level_unit(v.s.unit, v.settings) + "/Hz"};
}

tl::expected<const signal::CodeDensity*, std::string> codes(const View& v) {
  if (!v.density) return no("the samples are no codes; of a file say bits and full_scale");
  if (!*v.density) return no(v.density->error());
  return &**v.density;
}

/// The largest of many values of which each has noise. The largest one read is too large by what noise chooses among those
/// that are nearly as large: as much as noise laid on them once more would add. Below what noise alone makes of so many
/// nothing is known but that.
Found largest(const std::vector<double>& values, const std::function<double(std::size_t)>& u_of) {
  constexpr int kRuns = 24;
  const auto top = std::size_t(std::max_element(values.begin(), values.end(), [](double a, double b) { return std::abs(a) < std::abs(b); }) - values.begin());
  double squares = 0;
  std::vector<double> u;
  for (std::size_t k = 0; k < values.size(); ++k) {
    u.push_back(u_of(k));
    squares += u[k] * u[k];
  }
  const double seen = std::abs(values[top]), of_noise = std::sqrt(squares / double(values.size()) * 2 * std::log(2 * double(values.size())));
  if (!(seen > 1.2 * of_noise)) return {seen, std::max(seen, u[top])};
  std::mt19937_64 random(1);
  double added = 0;
  for (int run = 0; run < kRuns; ++run) {
    double highest = 0;
    for (std::size_t k = 0; k < values.size(); ++k)
      if (std::abs(values[k]) > seen - 8 * u[top]) highest = std::max(highest, std::abs(values[k] + u[k] * normal_deviate(random)));
    added += std::max(0.0, highest - seen) / kRuns - (highest < seen ? (seen - highest) / kRuns : 0);
  }
  added = std::max(0.0, added);
  return {seen - added, std::hypot(u[top], added / 2)};
}

Value dnl(const View& v) {
  const auto d = codes(v);
  if (!d) return no(d.error());
  return largest((*d)->dnl, [&](std::size_t k) { return (*d)->u_dnl(k); });
}

Value inl(const View& v) {
  const auto d = codes(v);
  if (!d) return no(d.error());
  return largest((*d)->inl, [&](std::size_t k) { return (*d)->u_transitions[k]; });
}

Value missing(const View& v) {
  constexpr double kMissing = -0.9;  // IEEE 1241
  const auto d = codes(v);
  if (!d) return no(d.error());
  return Found{double(std::count_if((*d)->dnl.begin(), (*d)->dnl.end(), [](double width) { return width <= kMissing; })), 0};
}

/// What a figure is about.
enum class About : std::uint8_t {
  tones,
  noise,  ///< of which an input has its own
  codes,  ///< read without being asked for only where there are codes
};
struct Definition {
  const char *name, *label, *unit;
  Value (*compute)(const View&);
  About about = About::tones;
};
const Definition kDefinitions[] = {
    {"fundamental.frequency", "Fundamental", "Hz",
     [](const View& v) -> Value {
       const auto f = fundamental(v);
       if (!f) return no(f.error());
       return Found{f->frequency, f->u_frequency, {f->frequency}};
     }},
    {"fundamental.level", "Level of the fundamental", "", level},
    {"snr", "Signal to noise", "dB", [](const View& v) { return over(v, false); }, About::noise},
    {"snr.fs", "Full scale to noise", "dBFS", snr_fs, About::noise},
    {"sinad", "Signal to noise and distortion", "dB", [](const View& v) { return over(v, true); }, About::noise},
    {"thd", "Distortion", "dBc", thd},
    {"thd.percent", "Distortion in per cent", "%", thd_percent},
    {"thd_n", "Distortion and noise", "dB", thd_n, About::noise},
    {"sfdr", "Spurious-free range", "dBc", sfdr},
    {"worst_spur.frequency", "Largest other tone", "Hz", worst_frequency},
    {"enob", "Effective bits", "bit", enob, About::noise},
    {"noise_floor", "Noise floor", "", noise_floor, About::noise},
    {"dnl.max", "Largest error of a code's width", "LSB", dnl, About::codes},
    {"inl.max", "Largest error of a transition", "LSB", inl, About::codes},
    {"codes.missing", "Codes that never come", "1", missing, About::codes},
};

Value imd(const View& v, int order) {
  const auto f = fundamental(v);
  if (!f) return no(f.error());
  if (!v.s.worst || v.s.worst->power * kPair < f->power) return no("there is no second tone within 20 dB of the first");
  const double a = std::min(f->frequency, v.s.worst->frequency), b = std::max(f->frequency, v.s.worst->frequency);
  std::vector<double> wanted = order == 2 ? std::vector{b - a} : std::vector{2 * a - b, 2 * b - a};
  const auto of = v.s.products(wanted);
  if (!of) return no(of.error());
  auto out = ratio_db(of->power, of->u_power, f->power + v.s.worst->power, std::hypot(f->u_power, v.s.worst->u_power));
  out.at = wanted;
  return out;
}

struct Wanted {
  const Definition* plain = nullptr;
  int harmonic = 0;          ///< order; 0: none
  bool harmonic_level = true;
  int imd = 0;
  bool noise = false;
  double from = 0, to = 0;   ///< Hz
  std::string channel;
};

/// The rest of a key behind a channel's name.
Result<Wanted> figure_named(std::string_view name, std::string_view brackets, std::string_view key) {
  Wanted out;
  if (brackets.empty()) {
    for (const auto& d : kDefinitions)
      if (name == d.name) {
        out.plain = &d;
        return out;
      }
    if (name == "imd.2" || name == "imd.3") {
      out.imd = name.back() - '0';
      return out;
    }
    for (const bool is_level : {true, false}) {
      const std::string_view end = is_level ? ".level" : ".frequency", begin = "harmonic.";
      if (!name.starts_with(begin) || !name.ends_with(end) || name.size() <= begin.size() + end.size()) continue;
      const auto order = parse_value(name.substr(begin.size(), name.size() - begin.size() - end.size()), "1");
      if (!order || *order != std::round(*order) || *order < 2 || *order > 200) break;
      out.harmonic = int(*order);
      out.harmonic_level = is_level;
      return out;
    }
  } else if (name == "noise.rms") {
    const auto parts = pieces(brackets);
    if (parts.size() != 2) return fail(Fault::usage, "{}: two frequencies are wanted, such as noise.rms(20Hz,20kHz).", key);
    const auto from = parse_value(parts[0], "Hz"), to = parse_value(parts[1], "Hz");
    if (!from || !to) return fail(Fault::usage, "{}: {}", key, (from ? to : from).error().message);
    if (!(*from < *to) || *from < 0) return fail(Fault::usage, "{}: the first frequency does not lie below the second.", key);
    out.noise = true;
    out.from = *from;
    out.to = *to;
    return out;
  }
  return fail(Fault::usage, "There is no figure \"{}\" of a spectrum.", key);
}

Result<Wanted> take_apart(std::string_view key) {
  const auto open = key.find('(');
  if (open != std::string_view::npos && !key.ends_with(')')) return fail(Fault::usage, "{}: the bracket is not closed.", key);
  const auto name = key.substr(0, open), brackets = open == std::string_view::npos ? std::string_view() : key.substr(open + 1, key.size() - open - 2);
  auto whole = figure_named(name, brackets, key);
  if (whole) return whole;
  // Behind a channel's name, which may hold dots itself.
  for (auto dot = name.find('.'); dot != std::string_view::npos; dot = name.find('.', dot + 1))
    if (auto rest = figure_named(name.substr(dot + 1), brackets, key)) {
      rest->channel = std::string(name.substr(0, dot));
      return rest;
    }
  return whole;
}

Value compute(const Wanted& w, const View& v) {
  if (w.plain) return w.plain->compute(v);
  if (w.imd) return imd(v, w.imd);
  if (w.noise) {
    const double most = v.s.sample_rate / 2;
    if (w.to > most * (1 + 1e-9)) return no(fmt::format("the band reaches beyond half the sample rate, {}", format_quantity(most, "Hz", 3).plain()));
    const auto r = v.s.residual(w.from, w.to, v.settings.weighting);
    if (!(r.power > 0)) return no("there is no noise in the band");
    const double value = std::sqrt(r.power);
    return Found{value, std::hypot(r.u_power / (2 * value), value * v.errors.u_gain), {w.from, w.to}, v.s.unit};
  }
  const auto f = fundamental(v);
  if (!f) return no(f.error());
  for (const auto& h : v.s.harmonics) {
    if (h.order != w.harmonic) continue;
    if (!h.lost.empty()) return no(h.lost);
    if (!w.harmonic_level) return Found{h.tone.frequency, h.tone.u_frequency, {h.tone.frequency}};
    if (!(h.tone.power > 2 * h.tone.u_power))
      return no(fmt::format("it does not stand out of the noise: it lies below {:.3g} dBc",
                            10 * std::log10((std::max(0.0, h.tone.power) + 2 * h.tone.u_power) / f->power)));
    auto out = ratio_db(h.tone.power, h.tone.u_power, f->power, f->u_power);
    out.at = {h.tone.frequency};
    return out;
  }
  return no("it is not among the harmonics that are counted; see the setting harmonics");
}

std::string label_of(const Wanted& w) {
  if (w.plain) return w.plain->label;
  if (w.imd) return w.imd == 2 ? "Intermodulation, second order" : "Intermodulation, third order";
  if (w.noise) return "Noise";
  return fmt::format("Harmonic {}{}", w.harmonic, w.harmonic_level ? "" : ", frequency");
}

std::string unit_of(const Wanted& w) {
  if (w.plain) return w.plain->unit;
  if (w.imd) return "dBc";
  if (w.noise) return "";
  return w.harmonic_level ? "dBc" : "Hz";
}

}  // namespace

double level_db(double power, const Settings& settings) {
  const double full = settings.full_scale ? *settings.full_scale * *settings.full_scale / 2 : 1;
  return 10 * std::log10(power / full);
}

std::string level_unit(const std::string& unit, const Settings& settings) {
  return settings.full_scale ? "dBFS" : unit == "V" || unit.empty() ? "dBV" : "dB re 1 " + unit;
}

Settings scaled_for(const Spectrum& spectrum, const Settings& settings) {
  auto out = settings;
  if (!out.full_scale) out.full_scale = spectrum.full_scale;
  return out;
}

std::vector<FigureName> figure_names() {
  std::vector<FigureName> out;
  for (const auto& d : kDefinitions) out.push_back({d.label, d.name, d.unit});
  for (int order = 2; order <= 5; ++order) out.push_back({fmt::format("Harmonic {}", order), fmt::format("harmonic.{}.level", order), "dBc"});
  out.push_back({"Intermodulation, second order", "imd.2", "dBc"});
  out.push_back({"Intermodulation, third order", "imd.3", "dBc"});
  return out;
}

std::vector<ExpectedNoise> expected_noise(const PointSpectra& point, std::size_t quantity, const Settings& settings) {
  std::vector<ExpectedNoise> out;
  const auto& s = point.spectra[quantity];
  if (const auto& coding = point.codings[quantity]) out.push_back({fmt::format("ideal {} bit", coding->bits), coding->step() * coding->step() / 12});
  if (settings.aperture_jitter && s.fundamental) {
    const double slope = 2 * std::numbers::pi * s.fundamental->frequency * *settings.aperture_jitter;
    out.push_back({"jitter " + format_setting(*settings.aperture_jitter, "s"), s.fundamental->power * slope * slope});
  }
  return out;
}

bool of_codes_alone(const std::vector<std::string>& asked) {
  return !asked.empty() && std::all_of(asked.begin(), asked.end(), [](const std::string& key) {
    const auto wanted = take_apart(key);
    return wanted && wanted->plain && wanted->plain->about == About::codes;
  });
}

bool asks_for_noise(const std::vector<std::string>& asked) {
  return asked.empty() || std::any_of(asked.begin(), asked.end(), [](const std::string& key) {
           const auto wanted = take_apart(key.substr(0, key.find('@')));
           return wanted && (wanted->noise || (wanted->plain && wanted->plain->about == About::noise));
         });
}

Result<void> check_figure_key(std::string_view key) {
  if (of_sweep(key)) return check_sweep_key(key);
  if (const auto wanted = take_apart(key); !wanted) return tl::unexpected(wanted.error());
  return {};
}

std::optional<std::string> figure_unit(std::string_view key) {
  if (of_sweep(key)) return sweep_unit(key);
  const auto wanted = take_apart(key);
  if (!wanted) return key == "noise.rms" ? std::optional<std::string>("") : std::nullopt;
  return unit_of(*wanted);
}

Result<Reading> figures_of(const PointSpectra& point, const Settings& settings, const std::vector<std::string>& asked) {
  Reading out;
  std::vector<std::size_t> subjects;
  for (std::size_t k = 0; k < point.spectra.size(); ++k)
    if (k != point.stimulus) subjects.push_back(k);
  const bool alone = subjects.size() == 1;
  const auto put = [&](const Wanted& w, std::size_t k, std::string key) {
    const auto& s = point.spectra[k];
    const auto scaled = scaled_for(s, settings);
    const auto found = compute(w, {s, scaled, point.records->errors[k], point.densities[k]});
    const bool named = !alone || k == point.stimulus;
    std::string label = (named ? s.name + ": " : "") + label_of(w);
    if (const auto open = key.find('('); open != std::string::npos) label += " " + key.substr(open);
    if (!found || !std::isfinite(found->value)) {
      out.absent.push_back({std::move(key), found ? "the numbers are too large to be reckoned with" : found.error(), std::move(label)});
      return;
    }
    Figure figure{.key = std::move(key), .label = std::move(label), .value = found->value, .unit = found->unit.empty() ? unit_of(w) : found->unit,
                  .u = {}, .at = found->at, .on = named ? s.name : ""};
    if (found->u > 0 && std::isfinite(found->u)) figure.u = found->u;
    out.figures.push_back(std::move(figure));
  };
  for (const auto k : subjects) {
    const auto prefix = alone ? std::string() : point.spectra[k].name + ".";
    for (const auto& d : kDefinitions)
      if (d.about != About::codes || point.densities[k]) put({.plain = &d}, k, prefix + d.name);
    for (int order = settings.harmonics.first; order <= settings.harmonics.second; ++order)
      for (const bool is_level : {true, false})
        put({.harmonic = order, .harmonic_level = is_level}, k, fmt::format("{}harmonic.{}.{}", prefix, order, is_level ? "level" : "frequency"));
    for (const int order : {2, 3}) put({.imd = order}, k, fmt::format("{}imd.{}", prefix, order));
  }
  for (const auto& key : asked) {
    if (out.find(key) || std::any_of(out.absent.begin(), out.absent.end(), [&](const auto& a) { return a.key == key; })) continue;
    const auto wanted = take_apart(key);
    if (!wanted) return tl::unexpected(wanted.error());
    if (wanted->channel.empty() && !alone) {
      out.absent.push_back({key, fmt::format("there are several quantities: say which, such as {}.{}", point.spectra.front().name, key), label_of(*wanted)});
      continue;
    }
    const auto at = std::find_if(point.spectra.begin(), point.spectra.end(), [&](const Spectrum& s) { return wanted->channel.empty() || s.name == wanted->channel; });
    if (at == point.spectra.end()) {
      out.absent.push_back({key, fmt::format("there is no quantity \"{}\"", wanted->channel), label_of(*wanted)});
      continue;
    }
    put(*wanted, std::size_t(at - point.spectra.begin()), key);
  }
  return out;
}

}  // namespace heron::study::spectrum
