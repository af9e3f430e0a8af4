#include "study/iv/loop.h"

#include <algorithm>
#include <cmath>
#include <random>

#include "base/percent.h"
#include "base/quantity.h"
#include "base/random.h"
#include "signal/scatter.h"

namespace heron::study::iv {
namespace {

/// A row of values over places that rise.
struct Way {
  std::vector<double> voltage, current, noise;  ///< noise: 0 where unknown
};

/// The mean of several stretches of one direction, on the places of a single one or on a grid of them all.
Way mean_way(const std::vector<Sorted>& stretches) {
  // What the voltage errs by is an error of the current by the slope.
  const auto noise_of = [](const Sorted& s, std::size_t k) {
    if (!s.certain()) return 0.0;
    const std::size_t low = k > 0 ? k - 1 : 0, high = std::min(k + 1, s.voltage.size() - 1);
    const double slope = (s.current[high] - s.current[low]) / (s.voltage[high] - s.voltage[low]);
    return std::hypot(s.noise_current[k], slope * s.noise_voltage[k]);
  };
  if (stretches.size() == 1) {
    Way out{stretches[0].voltage, stretches[0].current, {}};
    for (std::size_t k = 0; k < out.voltage.size(); ++k) out.noise.push_back(noise_of(stretches[0], k));
    return out;
  }
  constexpr std::size_t kMostPlaces = 2000;
  double low = INFINITY, high = -INFINITY;
  std::size_t most = 0;
  for (const auto& s : stretches) {
    low = std::min(low, s.voltage.front());
    high = std::max(high, s.voltage.back());
    most = std::max(most, s.voltage.size());
  }
  const auto places = std::min(most, kMostPlaces);
  Way out;
  std::vector<std::size_t> at(stretches.size());
  for (std::size_t p = 0; p < places; ++p) {
    const double v = p + 1 == places ? high : low + (high - low) * double(p) / double(places - 1);
    double sum = 0, squares = 0;
    int n = 0;
    for (std::size_t k = 0; k < stretches.size(); ++k) {
      const auto& s = stretches[k];
      if (v < s.voltage.front() || v > s.voltage.back()) continue;
      while (at[k] + 2 < s.voltage.size() && s.voltage[at[k] + 1] < v) ++at[k];
      const double share = (v - s.voltage[at[k]]) / (s.voltage[at[k] + 1] - s.voltage[at[k]]);
      sum += s.current[at[k]] + share * (s.current[at[k] + 1] - s.current[at[k]]);
      squares += std::pow(noise_of(s, at[k]), 2);
      ++n;
    }
    if (n == 0) continue;
    out.voltage.push_back(v);
    out.current.push_back(sum / n);
    out.noise.push_back(std::sqrt(squares) / n);
  }
  return out;
}

/// The ways' noise alone, drawn once.
Way drawn_noise(const Way& way, std::mt19937_64& random) {
  Way out{way.voltage, {}, way.noise};
  for (const double u : way.noise) out.current.push_back(u > 0 ? u * normal_deviate(random) : 0);
  return out;
}

/// Both ways at the places of both, as far as they reach.
struct Apart {
  std::vector<double> voltage, by, noise;
};
Apart apart(const Way& up, const Way& down) {
  Apart out;
  const double low = std::max(up.voltage.front(), down.voltage.front()),
               high = std::min(up.voltage.back(), down.voltage.back());
  std::size_t a = 0, b = 0;
  const auto value = [](const Way& way, std::size_t& at, double v, double& noise) {
    while (at + 2 < way.voltage.size() && way.voltage[at + 1] < v) ++at;
    const double share = (v - way.voltage[at]) / (way.voltage[at + 1] - way.voltage[at]);
    noise = std::hypot((1 - share) * way.noise[at], share * way.noise[at + 1]);
    return way.current[at] + share * (way.current[at + 1] - way.current[at]);
  };
  const auto put = [&](double v) {
    if (v < low || v > high || (!out.voltage.empty() && v <= out.voltage.back())) return;
    double n_up = 0, n_down = 0;
    const double difference = value(up, a, v, n_up) - value(down, b, v, n_down);
    out.voltage.push_back(v);
    out.by.push_back(difference);
    out.noise.push_back(std::hypot(n_up, n_down));
  };
  std::size_t i = 0, j = 0;
  while (i < up.voltage.size() || j < down.voltage.size()) {
    const bool of_up = j >= down.voltage.size() || (i < up.voltage.size() && up.voltage[i] <= down.voltage[j]);
    put(of_up ? up.voltage[i++] : down.voltage[j++]);
  }
  return out;
}

struct Opening {
  double most = 0, at = 0, area = 0;
};
Opening opening_of(const std::vector<double>& voltage, const std::vector<double>& by) {
  Opening out;
  for (std::size_t k = 0; k < by.size(); ++k) {
    if (std::abs(by[k]) > out.most) {
      out.most = std::abs(by[k]);
      out.at = voltage[k];
    }
    if (k == 0) continue;
    // Where the branches cross in between, both triangles count.
    const double width = voltage[k] - voltage[k - 1], a = by[k - 1], b = by[k];
    out.area += (a < 0) == (b < 0) || a == 0 || b == 0 ? width * (std::abs(a) + std::abs(b)) / 2
                                                       : width * (a * a + b * b) / (2 * (std::abs(a) + std::abs(b)));
  }
  return out;
}

}  // namespace

std::optional<Loop> loop_of(const Curve& curve) {
  std::vector<Sorted> up, down;
  double speed = 0, weight = 0;
  const auto pieces = pieces_of(curve);
  const auto rises = [](const Piece& p) { return p.rising; };
  if (std::all_of(pieces.begin(), pieces.end(), rises) || std::none_of(pieces.begin(), pieces.end(), rises))
    return std::nullopt;
  for (const auto& piece : pieces) {
    auto s = sorted(curve, piece.points);
    if (s.voltage.size() < 2) continue;
    const auto &first = curve.points[piece.points.front()], &last = curve.points[piece.points.back()];
    if (const double seconds = last.time - first.time; seconds > 0) {
      speed += std::abs(last.voltage - first.voltage);
      weight += seconds;
    }
    (piece.rising ? up : down).push_back(std::move(s));
  }
  if (up.empty() || down.empty()) return std::nullopt;
  double largest = 0;
  for (const auto& p : curve.points)
    if (p.usable()) largest = std::max(largest, std::abs(p.current));
  if (!(largest > 0)) return std::nullopt;
  const auto up_way = mean_way(up), down_way = mean_way(down);
  if (up_way.voltage.size() < 2 || down_way.voltage.size() < 2) return std::nullopt;
  auto between = apart(up_way, down_way);
  const auto seen = opening_of(between.voltage, between.by);
  std::size_t before_start = 0;
  // Where the sweep turns, both ways are one reading, which tells nothing of how far they are apart.
  for (const bool last : {false, true}) {
    if (between.by.size() < 3 || (last ? between.by.back() : between.by.front()) != 0) continue;
    for (auto* row : {&between.voltage, &between.by, &between.noise}) row->erase(last ? row->end() - 1 : row->begin());
    if (!last) ++before_start;
  }
  Loop out{.opening = seen.most / largest,
           .apart = seen.most,
           .opening_at = seen.at,
           .area = seen.area,
           .rate = weight > 0 ? speed / weight : 0,
           .u_opening = {},
           .u_area = {}};
  const bool noisy = std::any_of(between.noise.begin(), between.noise.end(), [](double u) { return u > 0; });
  if (!noisy) return out;
  auto quiet = signal::without_noise(between.voltage, between.by, between.noise);
  // Ways that lie no further apart than noise explains have nothing between them.
  double chi = 0;
  for (std::size_t k = 0; k < between.by.size(); ++k)
    if (between.noise[k] > 0) chi += std::pow(between.by[k] / between.noise[k], 2);
  const double places = double(between.by.size());
  if (chi < places + 3 * std::sqrt(2 * places)) quiet.assign(quiet.size(), 0);
  const auto centre = opening_of(between.voltage, quiet);
  const int draws = int(std::clamp(2e6 / double(quiet.size()), 8.0, 64.0));
  std::mt19937_64 random(1);
  double most = 0, most_squares = 0, area = 0, area_squares = 0;
  std::vector<double> drawn(quiet.size());
  for (int n = 0; n < draws; ++n) {
    const auto noise = apart(drawn_noise(up_way, random), drawn_noise(down_way, random)).by;
    for (std::size_t k = 0; k < drawn.size(); ++k) drawn[k] = quiet[k] + noise[k + before_start];
    const auto one = opening_of(between.voltage, drawn);
    most += (one.most - centre.most) / draws;
    most_squares += std::pow(one.most - centre.most, 2) / draws;
    area += (one.area - centre.area) / draws;
    area_squares += std::pow(one.area - centre.area, 2) / draws;
  }
  out.apart -= most;
  out.opening = out.apart / largest;
  // What is taken off is known no better than the noise is.
  const double of_the_noise = curve.u_noise;
  out.u_opening = std::hypot(std::sqrt(std::max(0.0, most_squares - most * most)), of_the_noise * most) / largest;
  out.area -= area;
  out.u_area = std::hypot(std::sqrt(std::max(0.0, area_squares - area * area)), of_the_noise * area);
  return out;
}

std::optional<Loop> widest_loop(const Family& family) {
  std::optional<Loop> widest;
  for (const auto& curve : family.curves)
    if (const auto loop = loop_of(curve); loop && (!widest || loop->opening > widest->opening)) widest = loop;
  return widest;
}

Closing closing_of(std::span<const Pass> passes, double wanted) {
  // What a capacitance takes falls as the rate does, even while it is all the current there is and the opening, a
  // share, stays. What falls by less than a fifth while the sweep slows to under half is something else.
  constexpr double kSlower = 0.5, kSame = 0.8;
  if (passes.empty()) return Closing::open;
  if (passes.back().opening <= wanted) return Closing::closes;
  if (passes.size() < 2) return Closing::open;
  const auto &before = passes[passes.size() - 2], &last = passes.back();
  if (last.rate < kSlower * before.rate && last.apart > kSame * before.apart) return Closing::persists;
  return Closing::open;
}

std::string closing_text(std::span<const Pass> passes, double wanted) {
  if (passes.empty()) return "Nothing was swept.";
  const auto& last = passes.back();
  const auto share = in_percent;
  const std::string at = fmt::format("{} at {}/s", share(last.opening), format_quantity(last.rate, "V", 3).plain());
  switch (closing_of(passes, wanted)) {
    case Closing::closes:
      return passes.size() > 1 ? fmt::format("The loop closes: {}, from {}. It was a capacitance swept too fast.", at,
                                             share(passes.front().opening))
                               : fmt::format("The loop is closed: {}.", at);
    case Closing::persists:
      return fmt::format(
          "The loop does not close: {}, {} {} before. Slowing does not help against memory or self-heating.", at,
          last.opening < passes[passes.size() - 2].opening ? "hardly less than" : "after",
          share(passes[passes.size() - 2].opening));
    case Closing::open:
      break;
  }
  return fmt::format("The loop is still open: {}.", at);
}

}  // namespace heron::study::iv
