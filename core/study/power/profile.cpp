#include "study/power/profile.h"

#include <algorithm>
#include <cmath>

#include "signal/local.h"

namespace heron::study::power {
namespace {

constexpr int kPerDecade = 40;
constexpr double kApart = 2;          ///< factor from one state to the next
constexpr double kDecades = 12;       ///< below the largest, that are told apart
constexpr double kWithinState = 8;    ///< pieces of the time that a state lasts at least
constexpr std::size_t kProfileNoise = 65536;
constexpr double kJump = 6;           ///< of the noise, that noise does not jump by
constexpr std::size_t kAboutPeak = 16;  ///< samples on either side of the highest that it is read from

}  // namespace

LoadProfile profile_of(const std::vector<double>& i, double step, const Settings& settings) {
  LoadProfile out;
  const auto n = i.size();
  out.seconds = double(n) * step;
  out.step = step;
  double largest = 0;
  for (const double v : i) {
    out.mean += v / double(n);
    largest = std::max(largest, std::abs(v));
  }
  out.noise = signal::noise_of(std::span<const double>(i).first(std::min(n, kProfileNoise)));
  const auto top = std::size_t(std::max_element(i.begin(), i.end()) - i.begin()), first = top > kAboutPeak ? top - kAboutPeak : 0;
  const auto highest = signal::extreme_near(std::span<const double>(i).subspan(first, std::min(n, top + kAboutPeak + 1) - first), top - first, out.noise);
  out.peak = highest.value;
  out.u_peak = highest.u_value;
  if (!(largest > 0)) return out;
  // What is looked at is smoothed over a part of the time that a state lasts, so that noise does not spread a small one.
  const auto together = std::max<std::size_t>(1, std::size_t(settings.state_time * double(n) / kWithinState));
  out.together = together;
  std::vector<double> smooth;
  for (std::size_t k = 0; k < n; k += together) {
    double sum = 0;
    const auto end = std::min(n, k + together);
    for (auto j = k; j < end; ++j) sum += i[j];
    smooth.push_back(sum / double(end - k));
  }
  const double pieces = double(smooth.size());
  const double low = std::log10(largest) - kDecades;
  const int bins = int(kDecades * kPerDecade) + 1;
  std::vector<double> counts(std::size_t(bins), 0.0);
  // What lies within the noise is one place: its mean is told, not how noise spreads it over decades.
  const double within = std::max(3 * out.noise / std::sqrt(double(together)), 1e-300);
  const auto bin_of = [&](double v) { return std::clamp(int((std::log10(std::max(std::abs(v), within)) - low) * kPerDecade), 0, bins - 1); };
  for (const double v : smooth) {
    const auto b = std::size_t(bin_of(v));
    counts[b] += 1;
  }
  for (int b = 0; b < bins; ++b)
    if (counts[std::size_t(b)] > 0) out.shares.emplace_back(low + (b + 0.5) / kPerDecade, counts[std::size_t(b)] / pieces);
  // The fullest place and what lies within a factor of root two of it is a state; then the next fullest beyond a factor of two.
  auto left = counts;
  const int reach = int(std::lround(std::log10(kApart) * kPerDecade));
  std::vector<int> tops;
  while (true) {
    int best = -1;
    double most = 0;
    for (int b = 0; b < bins; ++b) {
      double around = 0;
      for (int k = std::max(0, b - reach / 2); k <= std::min(bins - 1, b + reach / 2); ++k) around += left[std::size_t(k)];
      if (around > most) {
        most = around;
        best = b;
      }
    }
    if (best < 0 || most < std::max(1.0, settings.state_time * pieces)) break;
    // The middle of what lies there.
    double weight = 0, place = 0;
    for (int k = std::max(0, best - reach / 2); k <= std::min(bins - 1, best + reach / 2); ++k) {
      weight += left[std::size_t(k)];
      place += left[std::size_t(k)] * k;
    }
    const int middle = int(std::lround(place / weight));
    const bool beside = std::any_of(tops.begin(), tops.end(), [&](int other) { return std::abs(other - middle) < reach; });
    for (int k = std::max(0, best - reach / 2); k <= std::min(bins - 1, best + reach / 2); ++k) left[std::size_t(k)] = 0;
    // Beside a fuller one it is that one's edge.
    if (!beside) tops.push_back(middle);
  }
  if (tops.empty()) return out;
  std::sort(tops.begin(), tops.end());
  // Each piece belongs to the nearest state by ratio. One beside another state's may hold some of its current: it counts for
  // the share of time, not for the level.
  std::vector<int> of(smooth.size());
  const auto assign = [&] {
    for (std::size_t k = 0; k < smooth.size(); ++k) {
      const int b = bin_of(smooth[k]);
      int nearest = 0;
      for (std::size_t s = 1; s < tops.size(); ++s)
        if (std::abs(tops[s] - b) < std::abs(tops[std::size_t(nearest)] - b)) nearest = int(s);
      of[k] = nearest;
    }
  };
  // Where the current does not stay in one go it only passes.
  for (bool passes = true; passes && tops.size() > 1;) {
    passes = false;
    assign();
    std::vector<std::size_t> longest(tops.size(), 0);
    for (std::size_t k = 0; k < of.size();) {
      auto end = k;
      while (end < of.size() && of[end] == of[k]) ++end;
      longest[std::size_t(of[k])] = std::max(longest[std::size_t(of[k])], end - k);
      k = end;
    }
    const auto shortest = std::size_t(std::min_element(longest.begin(), longest.end()) - longest.begin());
    if (double(longest[shortest]) >= std::max(1.0, settings.state_time * pieces)) break;
    tops.erase(tops.begin() + std::ptrdiff_t(shortest));
    passes = true;
  }
  assign();
  std::vector<double> levels(tops.size()), times(tops.size());
  for (std::size_t s = 0; s < tops.size(); ++s) {
    double all = 0, all_sum = 0, inside = 0, inside_sum = 0;
    int stretches = 0;
    for (std::size_t k = 0; k < smooth.size(); ++k) {
      if (of[k] != int(s)) continue;
      if (k == 0 || of[k - 1] != int(s)) ++stretches;
      all += 1;
      all_sum += smooth[k];
      if ((k > 0 && of[k - 1] != int(s)) || (k + 1 < smooth.size() && of[k + 1] != int(s))) continue;
      inside += 1;
      inside_sum += smooth[k];
    }
    if (all == 0) continue;
    levels[s] = inside > 0 ? inside_sum / inside : all_sum / all;
    out.states.push_back({levels[s], all / pieces, (inside > 0 ? inside : all) * double(together), stretches});
  }
  // A piece beside another state's holds some of both: its mean tells how much of each.
  for (std::size_t k = 0; k < smooth.size(); ++k) {
    const auto own = std::size_t(of[k]);
    auto other = own;
    if (k + 1 < smooth.size() && of[k + 1] != of[k]) other = std::size_t(of[k + 1]);
    if (k > 0 && of[k - 1] != of[k]) other = std::size_t(of[k - 1]);
    const double mixed = other == own ? 0 : std::clamp((smooth[k] - levels[own]) / (levels[other] - levels[own]), 0.0, 1.0);
    times[own] += 1 - mixed;
    times[other] += mixed;
  }
  if (out.states.size() == tops.size())
    for (std::size_t s = 0; s < tops.size(); ++s) out.states[s].share = times[s] / pieces;
  if (out.states.size() < 2 || !(out.states.front().level > 0)) return out;
  out.parts_at = std::sqrt(out.states.front().level * out.states.back().level);
  const double sleep = out.states.front().level;
  double active = 0, active_sum = 0;
  for (const double v : i)
    if (v > out.parts_at) {
      active += 1;
      active_sum += v;
    }
  if (active > 0) {
    out.active_mean = active_sum / active;
    // Half a sample at either end of a stretch weighs by what it lies off the mean, within it by how far it jumps.
    double squares = 0;
    for (std::size_t k = 0; k + 1 < n; ++k) {
      const bool here = i[k] > out.parts_at, next = i[k + 1] > out.parts_at;
      if (!here && !next) continue;
      const double jump = here && next ? i[k + 1] - i[k] : (here ? i[k] : i[k + 1]) - out.active_mean;
      if (std::abs(jump) > kJump * out.noise) squares += jump * jump;
    }
    out.active_ends = std::sqrt(squares / 12) / active;
  }
  out.active_share = active / double(n);
  // A wake begins with a rising crossing; stretches shorter than the glitch do not count, nor do gaps as short within one.
  const auto short_of = std::size_t(std::ceil(settings.glitch / step));
  std::vector<Wake> all;
  for (std::size_t k = 0; k < n; ++k) {
    if (!(i[k] > out.parts_at)) continue;
    auto last = k;
    while (last < n && i[last] > out.parts_at) ++last;
    if (!all.empty() && k - all.back().last < std::max<std::size_t>(1, short_of))
      all.back().last = last;
    else
      all.push_back({k, last});
    k = last;
  }
  for (auto& wake : all) {
    // One that was under way when the record began or ended is not whole.
    if (wake.first == 0 || wake.last == n || wake.last - wake.first < std::max<std::size_t>(1, short_of)) continue;
    for (auto k = wake.first; k < wake.last; ++k) wake.charge += (i[k] - sleep) * step;
    for (auto k = wake.first - 1; k < wake.last; ++k) wake.jumps += std::max(0.0, std::pow(i[k + 1] - i[k], 2) - 2 * out.noise * out.noise);
    out.wakes.push_back(wake);
  }
  return out;
}

void add_profile(const LoadProfile& p, const Settings& settings, const TraceErrors& errors, std::optional<double> power, Reading& into) {
  const auto put = [&](std::string key, std::string label, std::string unit, double value, double u) {
    into.figures.push_back({.key = std::move(key), .label = std::move(label), .value = value, .unit = std::move(unit), .u = u > 0 && std::isfinite(u) ? std::optional(u) : std::nullopt});
  };
  const auto absent = [&](std::string key, std::string label, std::string why) { into.absent.push_back({std::move(key), std::move(why), std::move(label)}); };
  const double n = p.seconds / p.step;
  const auto u_over = [&](double level, double samples) {
    return std::hypot(std::hypot(errors.u_gain * level, errors.u_offset), p.noise / std::sqrt(std::max(1.0, samples)));
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
