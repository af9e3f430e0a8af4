#include "study/spectrum/sweep.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/quantity.h"

namespace heron::study::spectrum {
namespace {

constexpr double kDown = 1;  ///< dB
constexpr std::string_view kOutput = "level.out", kCompressionInput = "compression.1dB.input", kCompressionOutput = "compression.1dB.output";
constexpr double kPerAmplitude = 20 / std::numbers::ln10;

/// "v.thd@20mV" taken apart.
struct Key {
  std::string figure;   ///< with the channel in front
  std::string place;
  std::string channel;  ///< of an output or a compression
  bool output = false;
};

std::optional<Key> take_key(std::string_view key) {
  const auto at = key.find('@');
  if (at == std::string_view::npos || at + 1 == key.size()) return std::nullopt;
  Key out{std::string(key.substr(0, at)), std::string(key.substr(at + 1)), "", false};
  if (out.figure == kOutput || out.figure.ends_with("." + std::string(kOutput))) {
    out.output = true;
    if (out.figure.size() > kOutput.size()) out.channel = out.figure.substr(0, out.figure.size() - kOutput.size() - 1);
  }
  return out;
}

/// The channel in front of a compression; nothing for another key.
std::optional<std::string> compression_channel(std::string_view key, bool& output) {
  for (const auto name : {kCompressionInput, kCompressionOutput}) {
    if (key == name || (key.size() > name.size() && key.ends_with(name) && key[key.size() - name.size() - 1] == '.')) {
      output = name == kCompressionOutput;
      return key.size() > name.size() ? std::string(key.substr(0, key.size() - name.size() - 1)) : std::string();
    }
  }
  return std::nullopt;
}

/// A value with its uncertainty over the sweep, in dB or as it is.
struct Series {
  std::vector<double> at, value, u;
  double shared = 0;  ///< besides, what all points have in common
  std::string unit, label;
};

/// The fundamental of a quantity; without a name of the only one.
Series output_of(const std::vector<Swept>& points, const std::string& channel) {
  Series out;
  for (const auto& p : points) {
    if (channel.empty() && p.quantities.size() > 1) continue;
    const auto it = std::find_if(p.outputs.begin(), p.outputs.end(), [&](const SweptOutput& o) { return channel.empty() || o.quantity == channel; });
    if (it == p.outputs.end()) continue;
    out.unit = it->unit;
    out.label = "Output";
    out.at.push_back(p.at);
    out.value.push_back(it->level_db);
    out.u.push_back(it->u_db);
    out.shared = std::max(out.shared, it->shared_db);
  }
  return out;
}

Series series_of(const std::vector<Swept>& points, const std::string& figure) {
  Series out;
  for (const auto& p : points)
    if (const auto* f = p.reading.find(figure)) {
      out.at.push_back(p.at);
      out.value.push_back(f->value);
      out.u.push_back(f->u.value_or(0));
      out.unit = f->unit;
      out.label = f->label;
    }
  return out;
}

/// Linear against lg of the place; of what is told in per cent or hertz its logarithm is.
std::optional<std::pair<double, double>> read_at(const Series& s, double place) {
  if (s.at.empty() || place < s.at.front() * (1 - 1e-9) || place > s.at.back() * (1 + 1e-9)) return std::nullopt;
  if (s.at.size() == 1) return std::pair{s.value.front(), std::hypot(s.u.front(), s.shared)};
  auto above = std::size_t(std::upper_bound(s.at.begin(), s.at.end(), place) - s.at.begin());
  above = std::clamp<std::size_t>(above, 1, s.at.size() - 1);
  const double share = std::log(place / s.at[above - 1]) / std::log(s.at[above] / s.at[above - 1]);
  const bool ratio = s.unit == "%" && s.value[above - 1] > 0 && s.value[above] > 0;
  const double value = ratio ? s.value[above - 1] * std::pow(s.value[above] / s.value[above - 1], share) : s.value[above - 1] + share * (s.value[above] - s.value[above - 1]);
  return std::pair{value, std::hypot(std::hypot((1 - share) * s.u[above - 1], share * s.u[above]), s.shared)};
}

/// The points about a place, where they are so unlike that a straight line says little; and by how much.
std::optional<std::pair<std::pair<double, double>, double>> between_far_points(const Series& s, double place) {
  constexpr double kFar = 10, kAt = 0.02;  // dB; of the distance, within which a place is a point's own
  if (!s.unit.starts_with("dB") && s.unit != "%") return std::nullopt;
  const auto above = std::size_t(std::upper_bound(s.at.begin(), s.at.end(), place) - s.at.begin());
  if (above == 0 || above >= s.at.size()) return std::nullopt;
  const double share = std::log(place / s.at[above - 1]) / std::log(s.at[above] / s.at[above - 1]);
  const bool ratio = s.unit == "%";
  const double moved = ratio ? 20 * std::log10(std::max(s.value[above], 1e-12) / std::max(s.value[above - 1], 1e-12)) : s.value[above] - s.value[above - 1];
  if (share < kAt || share > 1 - kAt || !(std::abs(moved) > kFar)) return std::nullopt;
  return std::pair{std::pair{s.at[above - 1], s.at[above]}, ratio ? s.value[above] - s.value[above - 1] : moved};
}

tl::unexpected<std::string> no(std::string why) { return tl::unexpected<std::string>(std::move(why)); }

/// Where a gain passes a level between points k - 1 and k, as the logarithm of the place, and how far a straight line says
/// otherwise: gains bend ever faster, so that a parabola through one point more is followed.
/// @param at  three or more
std::pair<double, double> passage(const std::vector<double>& at, const std::vector<double>& gain, std::size_t k, double level) {
  const double a = std::log(at[k - 1]), b = std::log(at[k]), straight = a + (level - gain[k - 1]) / (gain[k] - gain[k - 1]) * (b - a);
  const auto third = k + 1 < at.size() ? k + 1 : k - 2;
  const double c = std::log(at[third]), first = (gain[k] - gain[k - 1]) / (b - a), second = ((gain[third] - gain[k]) / (c - b) - first) / (c - a);
  const auto curve = [&](double x) { return gain[k - 1] + (x - a) * (first + (x - b) * second); };
  double low = a, high = b;
  for (int round = 0; round < 60; ++round) {
    const double middle = (low + high) / 2;
    (curve(middle) > level ? low : high) = middle;
  }
  constexpr double kLeft = 0.2;  // of what the parabola mends
  return {low, kLeft * std::abs(low - straight)};
}

/// The gain at levels so small that it should not depend on them: the lowest decade, at least two.
struct SmallSignal {
  double gain_db = 0, u = 0;
  double moves = 0;   ///< dB, from the lowest gain to the highest
  double widest = 0;  ///< u of a single one
};
SmallSignal small_signal(const Series& out, const std::vector<double>& gain) {
  SmallSignal found;
  double low = gain.front(), high = gain.front();
  std::size_t count = 0;
  for (std::size_t k = 0; k < gain.size() && (out.at[k] <= 10 * out.at.front() || k < 2); ++k) {
    // Levels that compress already say nothing of small ones.
    if (k >= 2 && gain[k] < gain[0] - kDown / 2) break;
    found.gain_db += gain[k];
    found.u = std::hypot(found.u, out.u[k]);
    found.widest = std::max(found.widest, out.u[k]);
    low = std::min(low, gain[k]);
    high = std::max(high, gain[k]);
    ++count;
  }
  found.gain_db /= double(count);
  found.u /= double(count);
  found.moves = high - low;
  return found;
}

std::vector<double> gains_of(const Series& out) {
  std::vector<double> gain;
  for (std::size_t k = 0; k < out.at.size(); ++k) gain.push_back(out.value[k] - 20 * std::log10(out.at[k]));
  return gain;
}

/// Where the gain has fallen by so much under its mean over the lowest decade.
tl::expected<Figure, std::string> compression(const std::vector<Swept>& points, const Axis& axis, const std::string& channel, bool output) {
  if (axis.over != SweptOver::level) return no("the sweep does not go over level");
  const auto out = output_of(points, channel);
  if (out.at.size() < 3) return no("three levels are the fewest that tell a compression");
  const auto gain = gains_of(out);
  const auto [small, u_mean, moves, widest] = small_signal(out, gain);
  for (std::size_t k = 1; k < gain.size(); ++k) {
    if (!(gain[k] <= small - kDown)) continue;
    if (!(gain[k] < gain[k - 1])) continue;
    const auto [lg, between] = passage(out.at, gain, k, small - kDown);
    const double slope = (gain[k] - gain[k - 1]) / std::log(out.at[k] / out.at[k - 1]), at = std::exp(lg);
    // A gain that all points share moves neither; a small-signal gain that is read too high is left sooner.
    const double u_point = std::hypot(out.u[k] / std::abs(slope), between), u_lg = std::hypot(u_point, u_mean / std::abs(slope));
    if (!output) return Figure{.key = {}, .label = "Input at 1 dB of compression", .value = at, .unit = "V", .u = at * u_lg, .at = {at}};
    const double level = std::pow(10, (small - kDown + 20 * std::log10(at)) / 20);
    return Figure{.key = {}, .label = "Output at 1 dB of compression", .value = level, .unit = out.unit, .u = level * std::hypot(std::hypot(u_point, u_mean * (1 / kPerAmplitude - 1 / std::abs(slope))), out.shared / kPerAmplitude), .at = {at}};
  }
  return no("the gain does not fall by 1 dB within the sweep");
}

}  // namespace

void add_outputs(Swept& into, const PointSpectra& point) {
  for (std::size_t k = 0; k < point.spectra.size(); ++k) {
    const auto& s = point.spectra[k];
    if (k == point.stimulus) continue;
    into.quantities.push_back(s.name);
    if (!s.fundamental) continue;
    into.outputs.push_back({s.name, s.unit, 10 * std::log10(s.fundamental->power), kPerAmplitude / 2 * s.fundamental->u_power / s.fundamental->power,
                            kPerAmplitude * point.records->errors[k].u_gain});
  }
}

const std::array<Axis, 2>& swept_axes() {
  static const std::array<Axis, 2> all = {Axis{SweptOver::level, "level", "V", "rms"}, Axis{SweptOver::frequency, "frequency", "Hz"}};
  return all;
}
const Axis& axis_over(SweptOver over) { return swept_axes()[over == SweptOver::level ? 0 : 1]; }

std::string Axis::place(double at) const { return format_quantity(at, unit, 3).plain() + (form.empty() ? "" : " " + form); }

bool of_sweep(std::string_view key) {
  bool output = false;
  return key.find('@') != std::string_view::npos || compression_channel(key, output).has_value();
}

Result<void> check_sweep_key(std::string_view key) {
  bool output = false;
  if (compression_channel(key, output)) return {};
  const auto taken = take_key(key);
  if (!taken) return fail(Fault::usage, "{}: a level or a frequency is wanted behind @, such as thd@20mV.", key);
  const auto place = parse_quantity(taken->place, "");
  if (!place) return fail(Fault::usage, "{}: {}", key, place.error().message);
  if (!taken->output)
    if (auto ok = check_figure_key(taken->figure); !ok || of_sweep(taken->figure)) return fail(Fault::usage, "There is no figure \"{}\" of a spectrum.", taken->figure);
  return {};
}

std::optional<std::string> sweep_unit(std::string_view key) {
  bool output = false;
  if (compression_channel(key, output)) return output ? "" : "V";
  const auto taken = take_key(key);
  if (!taken || !check_sweep_key(key)) return std::nullopt;
  return taken->output ? std::string() : figure_unit(taken->figure);
}

/// A gain that moves already where levels are smallest is no small-signal gain.
static void check_small_signal(const std::vector<Swept>& points, const std::string& quantity, const Axis& axis, std::vector<Doubt>& out) {
  constexpr double kMoves = 0.1;  // dB
  const auto series = output_of(points, quantity);
  if (series.at.size() < 3) return;
  const auto small = small_signal(series, gains_of(series));
  if (!(small.moves > kMoves + 3 * small.widest)) return;
  out.push_back({"level.dependent", Severity::caution,
                 fmt::format("The gain to {} moves by {:.2g} dB within the lowest levels, from {} on: its small-signal value, which compression is read against, is not reached.",
                             quantity, small.moves, axis.place(series.at.front())),
                 "Begin the sweep at a lower level."});
}

Result<Reading> sweep_figures(const std::vector<Swept>& points, const Axis& axis, const std::vector<std::string>& asked) {
  Reading out;
  std::vector<std::string> keys;
  const auto& quantities = points.front().quantities;
  for (const auto& quantity : quantities) {
    if (axis.over != SweptOver::level) break;
    check_small_signal(points, quantity, axis, out.doubts);
    for (const auto name : {kCompressionInput, kCompressionOutput}) keys.push_back((quantities.size() == 1 ? "" : quantity + ".") + std::string(name));
  }
  for (const auto& key : asked)
    if (std::find(keys.begin(), keys.end(), key) == keys.end()) keys.push_back(key);
  for (const auto& key : keys) {
    const auto absent = [&](std::string why) { out.absent.push_back({key, std::move(why), key}); };
    bool output = false;
    if (const auto channel = compression_channel(key, output)) {
      auto found = compression(points, axis, *channel, output);
      if (!found) {
        absent(found.error());
        continue;
      }
      found->key = key;
      out.figures.push_back(std::move(*found));
      continue;
    }
    const auto taken = take_key(key);
    if (!taken) {
      absent(fmt::format("it is a sweep over {}: say at which, such as {}@{}", axis.name, key, axis.over == SweptOver::level ? "20mV" : "5kHz"));
      continue;
    }
    const auto place = parse_quantity(taken->place, "");
    if (!place) return tl::unexpected(place.error());
    if (!place->unit.empty() && place->unit != axis.unit) {
      absent(fmt::format("the sweep goes over {} in {}, not in {}", axis.name, axis.unit, place->unit));
      continue;
    }
    // A level that is typed with its form is brought to rms.
    const double at = place->value / (place->form == LevelForm::peak_to_peak ? 2 * std::numbers::sqrt2 : place->form == LevelForm::peak ? std::numbers::sqrt2 : 1);
    const auto series = taken->output ? output_of(points, taken->channel) : series_of(points, taken->figure);
    const auto found = read_at(series, at);
    if (!found) {
      absent(series.at.empty() ? "no point of the sweep has it" : fmt::format("{} lies outside the sweep", axis.place(at)));
      continue;
    }
    if (const auto sparse = between_far_points(series, at))
      out.doubts.push_back(mended_by(
          Mend::add_points,
          {"points.sparse", Severity::caution,
           fmt::format("{} moves by {:.3g} {} between {} and {}; at {} it is read off a straight line between the two.", series.label,
                       sparse->second, series.unit, axis.place(sparse->first.first), axis.place(sparse->first.second), axis.place(at)),
           "Take more points there."}));
    Figure f{.key = key, .label = series.label + " at " + axis.place(at), .value = found->first, .unit = series.unit, .u = found->second > 0 ? std::optional(found->second) : std::nullopt, .at = {at}};
    if (taken->output) {
      f.value = std::pow(10, found->first / 20);
      if (f.u) f.u = *f.u * f.value / kPerAmplitude;
    }
    out.figures.push_back(std::move(f));
  }
  return out;
}

std::vector<SweepCurve> sweep_curves(const std::vector<Swept>& points, const Axis& axis, const Settings& settings) {
  std::vector<SweepCurve> out;
  const auto& quantities = points.front().quantities;
  for (const auto& quantity : quantities) {
    const auto prefix = quantities.size() == 1 ? std::string() : quantity + ".";
    const auto add = [&](SweepGroup group, const std::string& name, const Series& series, const std::string& label) {
      if (series.at.empty()) return;
      SweepCurve one{.group = group, .name = prefix + name, .quantity = quantity, .label = label, .unit = series.unit, .at = series.at, .value = series.value, .u = series.u, .points = {}};
      for (const double at : series.at)
        for (const auto& p : points)
          if (p.at == at) {
            one.points.push_back(p.index);
            break;
          }
      out.push_back(std::move(one));
    };
    const auto figure = [&](SweepGroup group, const std::string& name, const std::string& label) { add(group, name, series_of(points, prefix + name), label); };
    figure(SweepGroup::distortion, "thd_n", "THD+N");
    figure(SweepGroup::distortion, "thd", "THD");
    for (int order = settings.harmonics.first; order <= settings.harmonics.second; ++order)
      figure(SweepGroup::distortion, fmt::format("harmonic.{}.level", order), fmt::format("{}f", order));
    figure(SweepGroup::noise, "snr", "SNR");
    figure(SweepGroup::noise, "sinad", "SINAD");
    auto gain = output_of(points, quantity);
    if (axis.over == SweptOver::level)
      for (std::size_t k = 0; k < gain.at.size(); ++k) gain.value[k] -= 20 * std::log10(gain.at[k]);
    gain.unit = axis.over == SweptOver::level ? "dB" : gain.unit == "V" ? "dBV" : "dB re 1 " + gain.unit;
    add(SweepGroup::gain, axis.over == SweptOver::level ? "gain" : "output", gain, axis.over == SweptOver::level ? "gain" : "output");
  }
  return out;
}

Columns sweep_columns(const std::vector<Swept>& points, const Axis& axis, const Settings& settings) {
  Columns out{.x_name = axis.name, .x_unit = axis.unit, .logarithmic = true, .x = {}};
  for (const auto& p : points) out.x.push_back(p.at);
  for (auto& curve : sweep_curves(points, axis, settings)) {
    Columns::Column column{curve.name, curve.unit, std::move(curve.value), std::move(curve.u)};
    if (curve.at.size() != out.x.size()) column.x = std::move(curve.at);
    out.columns.push_back(std::move(column));
  }
  return out;
}

}  // namespace heron::study::spectrum
