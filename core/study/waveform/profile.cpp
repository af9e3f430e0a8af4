#include "study/waveform/profile.h"

#include <algorithm>
#include <cmath>

namespace heron::study::waveform {
namespace {

/// Samples around a place.
struct Around {
  std::size_t first = 0;
  std::vector<double> values;
};

Result<Around> around(const Trace& trace, const Stretch& over, double place, std::size_t half) {
  const auto centre = std::size_t(std::clamp(place, double(over.first), double(over.last - 1)));
  Around out;
  out.first = centre > over.first + half ? centre - half : over.first;
  out.values.resize(std::min(centre + half + 1, over.last) - out.first);
  if (auto ok = trace.read(out.first, out.values); !ok) return tl::unexpected(ok.error());
  return out;
}

/// Half widths of what is read around a place, until it is wide enough.
constexpr std::size_t kHalves[] = {64, 2048, 65536};

Result<double> noise_within(const Trace& trace, const Stretch& over) {
  // All of it where that is little; else pieces spread over it.
  constexpr std::size_t kPieces = 64, kPiece = 4096;
  if (over.size() <= kPieces * kPiece) {
    std::vector<double> all(over.size());
    if (auto ok = trace.read(over.first, all); !ok) return tl::unexpected(ok.error());
    return signal::noise_of(all);
  }
  std::vector<double> found, piece(kPiece);
  for (std::size_t k = 0; k < kPieces; ++k) {
    if (auto ok = trace.read(over.first + k * (over.size() - kPiece) / (kPieces - 1), piece); !ok)
      return tl::unexpected(ok.error());
    found.push_back(signal::noise_of(piece));
  }
  std::sort(found.begin(), found.end());
  return found[found.size() / 4];
}

bool periods_agree(const std::vector<signal::Crossing>& mids) {
  std::vector<double> rising;
  for (const auto& c : mids)
    if (c.rising) rising.push_back(c.place);
  if (rising.size() < 3) return false;
  const double mean = (rising.back() - rising.front()) / double(rising.size() - 1);
  for (std::size_t k = 1; k < rising.size(); ++k)
    if (std::abs(rising[k] - rising[k - 1] - mean) > 0.1 * mean) return false;
  return true;
}

}  // namespace

namespace {

struct Mean {
  double sum = 0, squares = 0, count = 0;
  void add(double v) {
    sum += v;
    squares += v * v;
    ++count;
  }
  double mean() const { return sum / count; }
};

/// A mode is pulled by what is still on its way to it. The level is read once more from what has settled: of each
/// stretch between two transitions the last half, as far as it lies at the mode.
Result<void> settle_states(const Trace& trace, Profile& p) {
  if (p.mids.empty()) return {};
  constexpr double kFew = 8;
  Mean halves[2], quarters[2];  // of the low and the high state
  const double levels[2] = {p.states->low.level, p.states->high.level};
  const double reach[2] = {4 * std::max(p.states->low.scatter, p.noise) + 2e-3 * p.swing,
                           4 * std::max(p.states->high.scatter, p.noise) + 2e-3 * p.swing};
  std::size_t next = 0;
  double from = double(p.over.first), half = from, quarter = from;
  bool high = !p.mids.front().rising;
  auto ok = for_each_stretch(trace, p.over.first, p.over.last, [&](std::size_t at, std::span<const double> values) {
    for (std::size_t k = 0; k < values.size(); ++k) {
      const double place = double(at + k);
      while (next < p.mids.size() && place >= p.mids[next].place) {
        high = p.mids[next].rising;
        from = p.mids[next].place;
        const double end = ++next < p.mids.size() ? p.mids[next].place : double(p.over.last - 1);
        half = (from + end) / 2;
        quarter = (half + end) / 2;
      }
      if (place < half || std::abs(values[k] - levels[high]) > reach[high]) continue;
      halves[high].add(values[k]);
      if (place >= quarter) quarters[high].add(values[k]);
    }
  });
  if (!ok) return ok;
  for (const int which : {0, 1}) {
    const auto &settled = halves[which], &late = quarters[which];
    if (settled.count < kFew) continue;
    auto& state = which == 0 ? p.states->low : p.states->high;
    state.level = settled.mean();
    state.scatter = std::sqrt(std::max(0.0, settled.squares / settled.count - state.level * state.level));
    state.share = settled.count / double(p.over.size());
    // What it still moves from its last half to its last quarter, beyond what noise makes of that, it may move on.
    if (late.count >= kFew)
      state.drift = std::max(0.0, std::abs(late.mean() - state.level) - 2 * std::max(state.scatter, p.noise) / std::sqrt(late.count));
  }
  p.middle = (p.states->low.level + p.states->high.level) / 2;
  p.swing = p.states->high.level - p.states->low.level;
  return {};
}

}  // namespace

Result<Profile> profile_of(const Trace& trace, const TraceErrors& errors, const Stretch& over) {
  Profile out{.over = over, .low = INFINITY, .high = -INFINITY};
  double sum = 0, squares = 0, last = NAN;
  std::size_t run = 0;
  // Runs on an extreme are counted anew when a more extreme sample comes.
  std::size_t runs_low = 0, runs_high = 0;
  const auto close = [&] {
    if (last == out.low) {
      out.longest_at_low = std::max(out.longest_at_low, run);
      if (run >= 3) runs_low += run;
    }
    if (last == out.high) {
      out.longest_at_high = std::max(out.longest_at_high, run);
      if (run >= 3) runs_high += run;
    }
  };
  auto ok = for_each_stretch(trace, over.first, over.last, [&](std::size_t at, std::span<const double> values) {
    for (std::size_t k = 0; k < values.size(); ++k) {
      const double v = values[k];
      sum += v;
      squares += v * v;
      if (v == last) {
        ++run;
        continue;
      }
      close();
      last = v;
      run = 1;
      if (v < out.low) {
        out.low = v;
        out.low_at = at + k;
        out.longest_at_low = runs_low = 0;
      }
      if (v > out.high) {
        out.high = v;
        out.high_at = at + k;
        out.longest_at_high = runs_high = 0;
      }
    }
  });
  if (!ok) return tl::unexpected(ok.error());
  close();
  out.at_extremes = runs_low + runs_high;
  const double n = double(over.size());
  out.mean = sum / n;
  out.rms = std::sqrt(squares / n);
  const auto noise = noise_within(trace, over);
  if (!noise) return tl::unexpected(noise.error());
  // Rounding to counts is noise of a twelfth of a count squared, where the samples themselves do not show more.
  out.noise = std::max(*noise, errors.quantum / std::sqrt(12.0));
  out.middle = (out.low + out.high) / 2;
  out.swing = out.high - out.low;
  if (!(out.high > out.low)) return out;

  signal::LevelHistogram histogram(out.low, out.high);
  ok = for_each_stretch(trace, over.first, over.last,
                        [&](std::size_t, std::span<const double> values) { histogram.add(values); });
  if (!ok) return tl::unexpected(ok.error());
  out.states = histogram.states();
  if (out.states) {
    out.middle = (out.states->low.level + out.states->high.level) / 2;
    out.swing = out.states->high.level - out.states->low.level;
  }
  signal::CrossingFinder finder(out.middle, kHysteresis * out.swing);
  ok = for_each_stretch(trace, over.first, over.last,
                        [&](std::size_t, std::span<const double> values) { finder.add(values); });
  if (!ok) return tl::unexpected(ok.error());
  out.mids = finder.found();
  for (auto& c : out.mids) c.place += double(over.first);
  out.periodic = periods_agree(out.mids);
  if (out.states)
    if (auto settled = settle_states(trace, out); !settled) return tl::unexpected(settled.error());
  return out;
}

Result<std::optional<double>> first_beyond(const Trace& trace, const Stretch& over, double from, double level, bool above,
                                           bool forward) {
  const auto beyond = [&](double v) { return above ? v >= level : v <= level; };
  if (forward) {
    const auto start = std::size_t(std::clamp(std::floor(from), double(over.first), double(over.last - 1)));
    std::vector<double> values;
    for (auto at = start; at < over.last; at += kStretch) {
      values.resize(std::min(kStretch, over.last - at));
      if (auto ok = trace.read(at, values); !ok) return tl::unexpected(ok.error());
      for (std::size_t k = 0; k < values.size(); ++k) {
        if (double(at + k) < from || !beyond(values[k])) continue;
        if (k == 0) return std::optional(double(at + k));
        const double share = values[k] != values[k - 1] ? (level - values[k - 1]) / (values[k] - values[k - 1]) : 1;
        return std::optional(std::max(from, double(at + k) - 1 + std::clamp(share, 0.0, 1.0)));
      }
    }
    return std::optional<double>();
  }
  auto end = std::size_t(std::clamp(std::ceil(from), double(over.first), double(over.last - 1))) + 1;
  std::vector<double> values;
  while (end > over.first) {
    const auto at = end > over.first + kStretch ? end - kStretch : over.first;
    values.resize(end - at);
    if (auto ok = trace.read(at, values); !ok) return tl::unexpected(ok.error());
    for (auto k = values.size(); k-- > 0;) {
      if (double(at + k) > from || !beyond(values[k])) continue;
      if (k + 1 >= values.size()) return std::optional(double(at + k));
      const double share = values[k + 1] != values[k] ? (level - values[k]) / (values[k + 1] - values[k]) : 0;
      return std::optional(std::min(from, double(at + k) + std::clamp(share, 0.0, 1.0)));
    }
    // One sample over, so that a passage between two pieces is seen.
    if (at == over.first) break;
    end = at + 1;
  }
  return std::optional<double>();
}

Result<std::optional<signal::Local>> passage(const Trace& trace, const Stretch& over, double near, double level,
                                             double noise) {
  std::optional<signal::Local> found;
  const auto look = [&](double place) -> Result<void> {
    for (const auto half : kHalves) {
      const auto samples = around(trace, over, place, half);
      if (!samples) return tl::unexpected(samples.error());
      found = signal::crossing_near(samples->values, place - double(samples->first), level, noise);
      if (found) found->place += double(samples->first);
      if ((found && found->u_place < double(half) / 8) || samples->values.size() == over.size()) break;
    }
    return {};
  };
  if (auto ok = look(near); !ok) return tl::unexpected(ok.error());
  // The place that was found first is where noise made it pass; looked at again from where the waveform does.
  if (found && found->u_place > 0.5)
    if (auto ok = look(found->place); !ok) return tl::unexpected(ok.error());
  return found;
}

Result<double> slope_at(const Trace& trace, const Stretch& over, double place, double noise) {
  double slope = 0;
  for (const auto half : kHalves) {
    const auto samples = around(trace, over, place, half);
    if (!samples) return tl::unexpected(samples.error());
    const auto& v = samples->values;
    const auto at = std::size_t(std::clamp(place - double(samples->first), 0.0, double(v.size() - 1)));
    for (std::size_t reach = 1; reach < v.size(); reach *= 2) {
      const auto a = at >= reach ? at - reach + 1 : 0, b = std::min(at + reach, v.size() - 1);
      if (b <= a) continue;
      slope = (v[b] - v[a]) / double(b - a);
      if (std::abs(v[b] - v[a]) > 8 * noise) return slope;
    }
    if (v.size() == over.size()) break;
  }
  return slope;
}

Result<signal::Local> extreme_of(const Trace& trace, const Stretch& over, double noise, double sign) {
  double best = -INFINITY;
  std::size_t at = over.first;
  auto ok = for_each_stretch(trace, over.first, over.last, [&](std::size_t first, std::span<const double> values) {
    for (std::size_t k = 0; k < values.size(); ++k)
      if (sign * values[k] > best) {
        best = sign * values[k];
        at = first + k;
      }
  });
  if (!ok) return tl::unexpected(ok.error());
  const auto samples = around(trace, over, double(at), kHalves[1]);
  if (!samples) return tl::unexpected(samples.error());
  auto found = signal::extreme_near(samples->values, at - samples->first, noise, sign);
  found.place += double(samples->first);
  return found;
}

Result<Integrals> integrals(const Trace& trace, double from, double to) {
  Integrals out;
  if (!(to > from)) return out;
  const auto n = trace.size();
  const auto first = std::size_t(std::clamp(std::floor(from), 0.0, double(n - 1))),
             last = std::size_t(std::clamp(std::ceil(to), 0.0, double(n - 1)));
  double before = 0, t_before = 0;
  bool begun = false;
  auto ok = for_each_stretch(trace, first, last + 1, [&](std::size_t at, std::span<const double> values) {
    for (std::size_t k = 0; k < values.size(); ++k) {
      const double place = double(at + k), v = values[k];
      const double t = trace.time.at(at + k);
      if (begun) {
        // The part of this piece that lies inside.
        const double a = std::max(from, place - 1), b = std::min(to, place);
        if (b > a) {
          const double dt = t - t_before, va = before + (a - place + 1) * (v - before),
                       vb = before + (b - place + 1) * (v - before), h = (b - a) * dt;
          out.value += h * (va + vb) / 2;
          out.squares += h * (va * va + va * vb + vb * vb) / 3;
          out.seconds += h;
        }
      }
      begun = true;
      before = v;
      t_before = t;
    }
  });
  if (!ok) return tl::unexpected(ok.error());
  return out;
}

}  // namespace heron::study::waveform
