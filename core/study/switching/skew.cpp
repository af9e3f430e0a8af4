#include "study/switching/skew.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <random>

#include "base/random.h"

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

/// i(t) as a straight function of some columns; coefficients, their covariance for unit noise, and the residual.
struct Fit {
  Eigen::VectorXd of;
  Eigen::MatrixXd covariance;
  double residual = 0;
};
std::optional<Fit> fit(const Eigen::MatrixXd& columns, const Eigen::VectorXd& y) {
  const Eigen::MatrixXd normal = columns.transpose() * columns;
  const Eigen::LDLT<Eigen::MatrixXd> solver(normal);
  if (solver.info() != Eigen::Success || !(solver.rcond() > 1e-14)) return std::nullopt;
  Fit out;
  out.of = solver.solve(columns.transpose() * y);
  out.covariance = solver.solve(Eigen::MatrixXd::Identity(normal.rows(), normal.cols()));
  const Eigen::VectorXd rest = y - columns * out.of;
  out.residual = std::sqrt(rest.squaredNorm() / std::max<double>(1, double(y.size() - columns.cols())));
  return out.of.allFinite() ? std::optional(std::move(out)) : std::nullopt;
}

/// Columns scaled to like sizes, so that henries and seconds stand beside amperes.
struct Columns {
  double flux = 0, dropped = 0;  ///< the sizes
  Eigen::MatrixXd of;            ///< flux, what is dropped, and one
};
Columns columns_of(const Loop& loop) {
  Columns out;
  for (std::size_t k = 0; k < loop.t.size(); ++k) {
    out.flux = std::max(out.flux, std::abs(loop.flux[k]));
    out.dropped = std::max(out.dropped, std::abs(loop.dropped[k]));
  }
  const auto n = Eigen::Index(loop.t.size());
  out.of.resize(n, 3);
  out.of << Eigen::VectorXd::Map(loop.flux.data(), n) / out.flux, Eigen::VectorXd::Map(loop.dropped.data(), n) / out.dropped, Eigen::VectorXd::Ones(n);
  return out;
}
/// i at the loop's times, so much later.
Eigen::VectorXd current_of(const Core& c, const Loop& loop, double later) {
  Eigen::VectorXd out(Eigen::Index(loop.t.size()));
  for (Eigen::Index k = 0; k < out.size(); ++k) out(k) = c.i.at(loop.t[std::size_t(k)] + later);
  return out;
}

struct Shifted {
  Skew skew;
  double residual = 0;
};
std::optional<Shifted> shifted(const Core& c, const Loop& loop) {
  const auto s = columns_of(loop);
  if (!(s.flux > 0 && s.dropped > 0)) return std::nullopt;
  double late = 0;
  std::optional<Fit> last;
  for (int round = 0; round < kRounds; ++round) {
    last = fit(s.of, current_of(c, loop, late));
    if (!last) return std::nullopt;
    const double per = last->of(0) / s.flux, by = last->of(1) / s.dropped;
    if (!(per > 0)) return std::nullopt;
    // i = flux/L + by * dropped: by = -late/L for a current that is late.
    const double more = std::clamp(-by / per, -0.5 * loop.edge, 0.5 * loop.edge);
    late += more;
    if (std::abs(late) > 2 * loop.edge) return std::nullopt;
    if (std::abs(more) < 1e-4 * loop.edge) break;
  }
  const double per = last->of(0) / s.flux;
  const double noise = std::max(c.i.noise, last->residual) * std::sqrt(c.i.together);
  const double u_per = noise * std::sqrt(last->covariance(0, 0)) / s.flux;
  if (!(per > kStep * u_per)) return std::nullopt;
  // The drop must stand out of the voltage's own noise, or the delay rests on nothing.
  if (!(s.dropped > kStep * c.v.noise)) return std::nullopt;
  const double step = (loop.t.back() - loop.t.front()) / double(loop.t.size() - 1);
  // A step of the voltage within one sample is known to that sample only.
  double leap = 0;
  for (std::size_t k = 1; k < loop.t.size(); ++k) leap = std::max(leap, std::abs(loop.dropped[k] - loop.dropped[k - 1]));
  const double between = step / std::sqrt(12.0) * std::min(1.0, leap / s.dropped);
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
  const auto s = columns_of(*loop);
  const auto direct = fit(s.of, current_of(core, *loop, 0));
  if (!direct || !(direct->of(0) > 0) || !(direct->of(1) > 0)) return std::nullopt;
  if (!(direct->residual < 0.7 * late->residual)) return std::nullopt;
  return direct->of(1) / s.dropped / (direct->of(0) / s.flux);
}

}  // namespace heron::study::switching
