#include "study/switching/skew.h"

#include <algorithm>
#include <cmath>
#include <random>

#include "base/random.h"
#include "signal/linear_fit.h"

namespace heron::study::switching {
namespace {

constexpr int kRounds = 12;
constexpr int kDraws = 24;
constexpr unsigned kSeed = 5;
constexpr double kBeside = 1.5;  ///< of an edge, that is looked at before or after it
constexpr double kStep = 4;  ///< times its uncertainty that an inductance must have

/// Where the loop's equation holds, on the voltage's samples: what it drops, and the integral of that.
struct Loop {
  std::vector<double> t, dropped, flux;
  double edge = 0;  ///< s, of the current
};

std::optional<Loop> loop_of(const Core& c, const Event& e) {
  const auto i_mid = e.current_at;
  const auto low = first_past(c.i, i_mid, 0.1 * e.load.value, false, !e.on), high = first_past(c.i, i_mid, 0.85 * e.load.value, true, e.on);
  if (!low || !high) return std::nullopt;
  Loop out;
  out.edge = std::abs(*high - *low);
  if (!(out.edge > 0)) return std::nullopt;
  // Turned on: from before the current flows until it is nearly all there: the other device still conducts. Turned off:
  // from where v_ds has reached the bus and the other device takes over, until after the current has gone.
  const auto begin = e.on ? std::optional(*low - kBeside * out.edge) : first_past(c.v, e.at, e.bus.value, true, true);
  if (!begin) return std::nullopt;
  const double from = std::max(*begin, c.from), to = std::min(e.on ? *high : *low + kBeside * out.edge, c.to);
  double flux = 0;
  for (std::size_t k = 0; k < c.v.t.size(); ++k) {
    if (c.v.t[k] < from || c.v.t[k] > to) continue;
    const double dropped = e.bus.value - c.v.y[k];
    if (!out.t.empty()) flux += (c.v.t[k] - out.t.back()) * (dropped + out.dropped.back()) / 2;
    out.t.push_back(c.v.t[k]);
    out.dropped.push_back(dropped);
    out.flux.push_back(flux);
  }
  if (out.t.size() < 8) return std::nullopt;
  return out;
}

/// What i(t) is a sum of: the flux, what is dropped, and one.
std::vector<std::vector<double>> columns_of(const Loop& loop) { return {loop.flux, loop.dropped, std::vector<double>(loop.t.size(), 1)}; }
/// i at the loop's times, so much later.
std::vector<double> current_of(const Core& c, const Loop& loop, double later) {
  std::vector<double> out;
  for (const double t : loop.t) out.push_back(c.i.at(t + later));
  return out;
}

struct Shifted {
  Skew skew;
  double residual = 0;
};
std::optional<Shifted> shifted(const Core& c, const Loop& loop) {
  const auto columns = columns_of(loop);
  double late = 0;
  std::optional<signal::LinearFit> last;
  for (int round = 0; round < kRounds; ++round) {
    last = signal::linear_fit(columns, current_of(c, loop, late));
    if (!last) return std::nullopt;
    const double per = last->of[0], by = last->of[1];
    if (!(per > 0)) return std::nullopt;
    // i = flux/L + by * dropped: by = -late/L for a current that is late.
    const double more = std::clamp(-by / per, -0.5 * loop.edge, 0.5 * loop.edge);
    late += more;
    if (std::abs(late) > 2 * loop.edge) return std::nullopt;
    if (std::abs(more) < 1e-4 * loop.edge) break;
  }
  const double per = last->of[0];
  const double noise = std::max(c.i.noise, last->residual) * std::sqrt(c.i.together);
  const double u_per = noise * last->each[0];
  if (!(per > kStep * u_per)) return std::nullopt;
  // The drop must stand out of the voltage's own noise, or the delay rests on nothing.
  double most = 0, leap = 0;
  for (const double v : loop.dropped) most = std::max(most, std::abs(v));
  if (!(most > kStep * c.v.noise)) return std::nullopt;
  const double step = (loop.t.back() - loop.t.front()) / double(loop.t.size() - 1);
  // A step of the voltage within one sample is known to that sample only.
  for (std::size_t k = 1; k < loop.t.size(); ++k) leap = std::max(leap, std::abs(loop.dropped[k] - loop.dropped[k - 1]));
  const double between = step / std::sqrt(12.0) * std::min(1.0, leap / most);
  return Shifted{{late, between, 1 / per}, last->residual};
}

/// Noise as the samples have it: of one pole where neighbours err alike.
void add_noise(Samples& s, std::mt19937_64& random) {
  if (s.noise == 0) return;
  const double r = (s.together - 1) / (s.together + 1), fresh = std::sqrt(1 - r * r);
  double last = normal_deviate(random);
  for (auto& y : s.y) {
    y += s.noise * last;
    last = r * last + fresh * normal_deviate(random);
  }
}

}  // namespace

std::optional<Skew> skew_of(const Core& core, const Event& event) {
  const auto loop = loop_of(core, event);
  if (!loop) return std::nullopt;
  auto found = shifted(core, *loop);
  if (!found) return std::nullopt;
  // What noise does, of the voltage through its integral too: as often as it takes to know, with the same again on top.
  std::mt19937_64 random(kSeed);
  double sum = 0, squares = 0;
  int read = 0;
  for (int k = 0; k < kDraws; ++k) {
    auto noisy = core;
    add_noise(noisy.v, random);
    add_noise(noisy.i, random);
    const auto again = loop_of(noisy, event);
    const auto then = again ? shifted(noisy, *again) : std::nullopt;
    if (!then) continue;
    const double by = then->skew.value - found->skew.value;
    sum += by;
    squares += by * by;
    ++read;
  }
  if (read < kDraws / 2) return std::nullopt;
  found->skew.u = std::hypot(found->skew.u, std::sqrt(std::max(0.0, squares / read - std::pow(sum / read, 2)) * read / (read - 1)));
  // How well the bus is known: an error of it integrates.
  auto moved = event;
  moved.bus.value += event.bus.u;
  if (const auto other = loop_of(core, moved))
    if (const auto then = shifted(core, *other)) found->skew.u = std::hypot(found->skew.u, then->skew.value - found->skew.value);
  if (found->skew.u > loop->edge) return std::nullopt;
  return found->skew;
}

std::optional<Skew> combined(const std::vector<Skew>& all) {
  if (all.empty()) return std::nullopt;
  double weights = 0, sum = 0, inductance = 0;
  for (const auto& s : all) {
    const double w = 1 / std::max(s.u * s.u, 1e-30);
    weights += w;
    sum += w * s.value;
    inductance += w * s.inductance;
  }
  Skew out{sum / weights, 1 / std::sqrt(weights), inductance / weights};
  if (all.size() > 1) {
    double squares = 0;
    for (const auto& s : all) squares += std::pow((s.value - out.value) / std::max(s.u, 1e-15), 2);
    // Two that disagree by more than they say are both known less well (Birge).
    out.u *= std::sqrt(std::max(1.0, squares / double(all.size() - 1)));
  }
  return out;
}

std::optional<double> slope_pickup(const Core& core, const Event& event) {
  const auto loop = loop_of(core, event);
  if (!loop) return std::nullopt;
  const auto late = shifted(core, *loop);
  if (!late) return std::nullopt;
  const auto direct = signal::linear_fit(columns_of(*loop), current_of(core, *loop, 0));
  if (!direct || !(direct->of[0] > 0) || !(direct->of[1] > 0)) return std::nullopt;
  if (!(direct->residual < 0.7 * late->residual)) return std::nullopt;
  return direct->of[1] / direct->of[0];
}

}  // namespace heron::study::switching
