#include "study/switching/samples.h"

#include <algorithm>
#include <cmath>

#include "signal/corner.h"
#include "study/switching/levels.h"

namespace heron::study::switching {
namespace {

/// The passage nearest to a time within the samples, noise considered.
std::optional<Instant> passage(const Samples& s, double near, double level) {
  if (s.t.size() < 2) return std::nullopt;
  const auto last = s.t.size() - 2;
  // The sample before, of the two that the time lies between.
  const auto it = std::lower_bound(s.t.begin() + 1, s.t.end(), near);
  const auto k = std::size_t(it - s.t.begin()) - 1;
  const double inside = (near - s.t[k]) / (s.t[k + 1] - s.t[k]);
  const auto found = signal::crossing_near(s.y, double(k) + inside, level, s.noise);
  if (!found) return std::nullopt;
  const double place = std::clamp(found->place, 0.0, double(last + 1));
  const auto low = std::min(std::size_t(place), last);
  const double step = s.t[low + 1] - s.t[low];
  return Instant{s.t[low] + (place - double(low)) * step, found->u_place * step * std::sqrt(s.together)};
}

/// Sum of the squares of what each sample of one between two times does to its integral with another.
double squares_of(const Samples& of, const Samples& with, double from, double to) {
  double out = 0;
  for (auto k = std::size_t(std::lower_bound(of.t.begin(), of.t.end(), from) - of.t.begin()); k + 1 < of.t.size() && of.t[k] < to; ++k)
    out += std::pow((of.t[k + 1] - of.t[k]) * with.at(of.t[k]), 2);
  return out;
}

}  // namespace

double Samples::at(double time) const {
  const auto it = std::lower_bound(t.begin(), t.end(), time);
  if (it == t.begin()) return y.front();
  if (it == t.end()) return y.back();
  const auto k = std::size_t(it - t.begin());
  return y[k - 1] + (y[k] - y[k - 1]) * (time - t[k - 1]) / (t[k] - t[k - 1]);
}

Result<Samples> samples_of(const Sensed& s, double from, double to) {
  auto over = within(*s.trace, from, to);
  if (over.first > 0) --over.first;
  if (over.last < s.trace->size()) ++over.last;
  Samples out{.noise = s.noise, .together = s.together};
  if (over.size() == 0) return fail(Fault::input, "Nothing of {} lies there.", s.trace->name);
  out.y.resize(over.size());
  if (auto ok = s.trace->read(over.first, out.y); !ok) return tl::unexpected(ok.error());
  for (std::size_t k = 0; k < out.y.size(); ++k) out.t.push_back(s.trace->time.at(over.first + k));
  return out;
}

std::optional<double> first_past(const Samples& s, double from, double level, bool above, bool forward) {
  const auto beyond = [&](double y) { return above ? y >= level : y <= level; };
  const auto n = s.t.size();
  const auto it = std::lower_bound(s.t.begin(), s.t.end(), from);
  if (forward) {
    for (auto k = std::size_t(it - s.t.begin()); k < n; ++k) {
      if (!beyond(s.y[k])) continue;
      if (k == 0 || s.y[k] == s.y[k - 1]) return s.t[k];
      return s.t[k - 1] + (s.t[k] - s.t[k - 1]) * std::clamp((level - s.y[k - 1]) / (s.y[k] - s.y[k - 1]), 0.0, 1.0);
    }
    return std::nullopt;
  }
  for (auto k = std::size_t(it - s.t.begin()); k-- > 0;) {
    if (!beyond(s.y[k])) continue;
    if (k + 1 == n || s.y[k + 1] == s.y[k]) return s.t[k];
    return s.t[k] + (s.t[k + 1] - s.t[k]) * std::clamp((level - s.y[k]) / (s.y[k + 1] - s.y[k]), 0.0, 1.0);
  }
  return std::nullopt;
}

std::optional<Instant> past(const Samples& s, double from, double level, bool above, bool forward) {
  const auto rough = first_past(s, from, level, above, forward);
  if (!rough) return std::nullopt;
  auto fine = passage(s, *rough, level);
  // A passage that noise carries far from where it was found is not the same one.
  if (!fine) fine = Instant{*rough, s.t.size() > 1 ? (s.t[1] - s.t[0]) / 2 : 0};
  return fine;
}

std::optional<double> clear_crossing(const Samples& s, double level, double band, bool rising) {
  bool armed = false;
  std::optional<double> crossed;
  for (std::size_t k = 0; k < s.y.size(); ++k) {
    const double off = (s.y[k] - level) * (rising ? 1 : -1);
    if (off < -band) {
      armed = true;
      crossed.reset();
    } else if (armed && !crossed && off >= 0) {
      crossed = s.t[k - 1] + (s.t[k] - s.t[k - 1]) * (level - s.y[k - 1]) / (s.y[k] - s.y[k - 1]);
    }
    if (crossed && off > band) return crossed;
  }
  return std::nullopt;
}

std::optional<Extreme> extreme(const Samples& s, double from, double to, signal::Towards which) {
  const auto first = std::size_t(std::lower_bound(s.t.begin(), s.t.end(), from) - s.t.begin()), last = std::size_t(std::upper_bound(s.t.begin(), s.t.end(), to) - s.t.begin());
  if (first >= last) return std::nullopt;
  const std::span<const double> y = std::span(s.y).subspan(first, last - first);
  const auto it = which == signal::Towards::high ? std::max_element(y.begin(), y.end()) : std::min_element(y.begin(), y.end());
  const auto at = std::size_t(it - y.begin());
  if (const auto corner = signal::corner_at(y, at, s.noise, which)) return Extreme{*corner, s.noise * signal::kCornerNoise * std::sqrt(s.together), s.t[first + at]};
  const auto found = signal::extreme_near(y, at, s.noise, which);
  return Extreme{found.value, found.u_value * std::sqrt(s.together), s.t[first + std::min(std::size_t(std::max(0.0, found.place)), y.size() - 1)]};
}

Integral integral(const Samples& s, double from, double to, double less) {
  Integral out;
  double squares = 0, t = from, y = s.at(from);
  for (auto k = std::size_t(std::lower_bound(s.t.begin(), s.t.end(), from) - s.t.begin()); t < to; ++k) {
    const double next = k < s.t.size() ? std::min(s.t[k], to) : to, y_next = s.at(next);
    out.value += (next - t) * ((y + y_next) / 2 - less);
    squares += (next - t) * (next - t);
    t = next;
    y = y_next;
  }
  out.u = s.noise * std::sqrt(s.together * squares);
  return out;
}

double energy_between(const Samples& v, const Samples& i, double from, double to) {
  // Between two instants of either both are straight: their product's integral is exact.
  double out = 0, t = from, a = v.at(from), b = i.at(from);
  auto k = std::size_t(std::upper_bound(v.t.begin(), v.t.end(), from) - v.t.begin()), j = std::size_t(std::upper_bound(i.t.begin(), i.t.end(), from) - i.t.begin());
  while (t < to) {
    const double next_v = k < v.t.size() ? v.t[k] : INFINITY, next_i = j < i.t.size() ? i.t[j] : INFINITY, next = std::min({next_v, next_i, to});
    const double a_next = v.at(next), b_next = i.at(next);
    out += (next - t) * (2 * a * b + 2 * a_next * b_next + a * b_next + a_next * b) / 6;
    if (next == next_v) ++k;
    if (next == next_i) ++j;
    t = next;
    a = a_next;
    b = b_next;
  }
  return out;
}

double u_energy(const Samples& v, const Samples& i, double from, double to) {
  return std::hypot(v.noise * std::sqrt(v.together * squares_of(v, i, from, to)), i.noise * std::sqrt(i.together * squares_of(i, v, from, to)));
}

Samples every_second(const Samples& s) {
  Samples out{.noise = s.noise, .together = s.together};
  for (std::size_t k = 0; k < s.t.size(); k += 2) {
    out.t.push_back(s.t[k]);
    out.y.push_back(s.y[k]);
  }
  return out;
}

}  // namespace heron::study::switching
