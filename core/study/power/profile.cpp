#include "study/power/profile.h"

#include <algorithm>
#include <cmath>

#include "base/row.h"
#include "signal/extremes.h"
#include "signal/local.h"
#include "study/power/load_states.h"

namespace heron::study::power {
namespace {

constexpr std::size_t kProfileNoise = 65536;
constexpr double kJump = 6;             ///< of the noise, that noise does not jump by
constexpr std::size_t kAboutPeak = 16;  ///< samples on either side of the highest that it is read from

/// Half a sample at either end of a stretch weighs by what it lies off the mean, within it by how far it jumps.
void read_active(const std::vector<double>& i, LoadProfile& out) {
  double active = 0, sum = 0;
  for (const double v : i)
    if (v > out.parts_at) {
      active += 1;
      sum += v;
    }
  if (active == 0) return;
  out.active_mean = sum / active;
  out.active_share = active / double(i.size());
  double squares = 0;
  for (std::size_t k = 0; k + 1 < i.size(); ++k) {
    const bool here = i[k] > out.parts_at, next = i[k + 1] > out.parts_at;
    if (!here && !next) continue;
    const double jump = here && next ? i[k + 1] - i[k] : (here ? i[k] : i[k + 1]) - out.active_mean;
    if (std::abs(jump) > kJump * out.noise) squares += jump * jump;
  }
  out.active_ends = std::sqrt(squares / 12) / active;
}

/// A wake begins with a rising crossing; stretches shorter than the glitch do not count, nor do gaps as short within one.
void read_wakes(const std::vector<double>& i, double sleep, double glitch, LoadProfile& out) {
  const auto shortest = std::max<std::size_t>(1, std::size_t(std::ceil(glitch / out.step)));
  std::vector<Wake> all;
  for (std::size_t k = 0; k < i.size(); ++k) {
    if (!(i[k] > out.parts_at)) continue;
    auto last = k;
    while (last < i.size() && i[last] > out.parts_at) ++last;
    if (!all.empty() && k - all.back().last < shortest)
      all.back().last = last;
    else
      all.push_back({k, last});
    k = last;
  }
  for (auto& wake : all) {
    // One that was under way when the record began or ended is not whole.
    if (wake.first == 0 || wake.last == i.size() || wake.last - wake.first < shortest) continue;
    for (auto k = wake.first; k < wake.last; ++k) wake.charge += (i[k] - sleep) * out.step;
    for (auto k = wake.first - 1; k < wake.last; ++k) wake.jumps += std::max(0.0, std::pow(i[k + 1] - i[k], 2) - 2 * out.noise * out.noise);
    out.wakes.push_back(wake);
  }
}

}  // namespace

LoadProfile profile_of(const std::vector<double>& i, double step, const Settings& settings) {
  LoadProfile out;
  const auto n = i.size();
  out.seconds = double(n) * step;
  out.step = step;
  out.mean = row_of(i).mean();
  out.noise = signal::noise_of(std::span<const double>(i).first(std::min(n, kProfileNoise)));
  const auto highest = signal::extreme_about(i, signal::place_of_highest(i), kAboutPeak, out.noise);
  out.peak = highest.value;
  out.u_peak = highest.u_value;
  auto states = states_of(i, out.noise, settings.state_time);
  out.together = states.together;
  out.shares = std::move(states.shares);
  out.states = std::move(states.states);
  if (out.states.size() < 2 || !(out.states.front().level > 0)) return out;
  out.parts_at = std::sqrt(out.states.front().level * out.states.back().level);
  read_active(i, out);
  read_wakes(i, out.states.front().level, settings.glitch, out);
  return out;
}

void add_profile(const LoadProfile& p, const Settings& settings, const TraceErrors& errors, std::optional<double> power, Reading& into) {
  const auto put = [&](std::string key, std::string label, std::string unit, double value, double u) {
    into.figures.push_back({.key = std::move(key), .label = std::move(label), .value = value, .unit = std::move(unit), .u = u > 0 && std::isfinite(u) ? std::optional(u) : std::nullopt});
  };
  const auto absent = [&](std::string key, std::string label, std::string why) { into.absent.push_back({std::move(key), std::move(why), std::move(label)}); };
  const double n = p.seconds / p.step;
  const auto u_over = [&](double level, double samples) {
    return std::hypot(std::hypot(errors.u_gain * level, errors.u_offset), p.noise / std::sqrt(samples));
  };
  const auto u_of = [&](double level, double share) { return u_over(level, share * n); };
  put("profile.mean", "Mean current", "A", p.mean, u_of(p.mean, 1));
  put("profile.peak", "Highest current", "A", p.peak, std::hypot(std::hypot(errors.u_gain * p.peak, errors.u_offset), p.u_peak));
  put("profile.charge", "Charge", "C", p.mean * p.seconds, u_of(p.mean, 1) * p.seconds);
  if (power)
    put("profile.energy", "Energy", "J", *power * p.seconds, p.mean != 0 ? std::abs(*power) * p.seconds * u_of(p.mean, 1) / std::abs(p.mean) : 0);
  else
    absent("profile.energy", "Energy", "it wants the voltage besides");
  if (!settings.battery)
    absent("profile.life", "Life of the battery", "battery is not set");
  else if (!(p.mean > 0))
    absent("profile.life", "Life of the battery", "the mean current draws nothing from it");
  else
    put("profile.life", "Life of the battery", "s", *settings.battery / p.mean, *settings.battery / p.mean * u_of(p.mean, 1) / p.mean);
  for (std::size_t k = 0; k < p.states.size(); ++k) {
    const auto& s = p.states[k];
    const auto name = k < settings.states.size() ? settings.states[k] : fmt::format("State {}", k + 1);
    put(fmt::format("profile.state.{}.level", k + 1), name + ", current", "A", s.level, u_over(s.level, s.samples));
    // Each stretch begins and ends anywhere between two samples.
    put(fmt::format("profile.state.{}.share", k + 1), name + ", share of time", "1", s.share, p.step / p.seconds * std::sqrt(2.0 * s.stretches / 12));
  }
  if (p.states.empty() || !(p.states.front().level > 0)) {
    absent("profile.sleep", "Sleep current", p.states.empty() ? "the current stays nowhere" : "its lowest state lies at or below zero: zero the sensor, or sense it on a smaller range");
  } else {
    put("profile.sleep", "Sleep current", "A", p.states.front().level, u_over(p.states.front().level, p.states.front().samples));
  }
  const bool parts = p.parts_at > 0;
  const std::string why = "there are not two states";
  if (!parts) {
    for (const auto& [key, label] : {std::pair{"profile.active", "Active current"}, {"profile.active.share", "Share of time active"}, {"profile.wake.count", "Wakes"}, {"profile.wake.charge", "Charge of a wake"}})
      absent(key, label, why);
    return;
  }
  put("profile.active", "Active current", "A", p.active_mean, std::hypot(u_of(p.active_mean, p.active_share), p.active_ends));
  put("profile.active.share", "Share of time active", "1", p.active_share, p.step / p.seconds * std::sqrt(2.0 * double(std::max<std::size_t>(1, p.wakes.size())) / 12));
  put("profile.wake.count", "Wakes", "1", double(p.wakes.size()), 0);
  if (p.wakes.empty()) return absent("profile.wake.charge", "Charge of a wake", "there is no wake");
  double charge = 0, samples = 0, jumps = 0;
  for (const auto& w : p.wakes) {
    charge += w.charge / double(p.wakes.size());
    samples += double(w.last - w.first);
    jumps += w.jumps;
  }
  // What the zero is off by is in sleep as well; where a wake begins and ends lies between two samples.
  const double ends = p.step * std::sqrt(jumps / 12) / double(p.wakes.size());
  put("profile.wake.charge", "Charge of a wake", "C", charge, std::hypot(std::hypot(charge * errors.u_gain, ends), p.noise * p.step * std::sqrt(samples) / double(p.wakes.size())));
}

}  // namespace heron::study::power
