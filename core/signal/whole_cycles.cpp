#include "signal/whole_cycles.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/row.h"
#include "signal/local.h"
#include "signal/record_lines.h"

namespace heron::signal {
namespace {

using std::numbers::pi;
using Phasor = std::complex<double>;

constexpr int kManyCycles = 8;           ///< cycles, from which on a window parts harmonics
constexpr std::size_t kLookedAt = 1u << 16;  ///< samples that are looked at to begin with
constexpr double kLeastTone = 0.02;    ///< of the whole power, that a fundamental has at least

/// Of samples 0 to `whole` the plain sum is the trapezium rule's over [0, samples), but for what their ends add: half the first
/// is too much, and the last piece goes from sample `whole` a part of the way to the next, by a straight line between them.
struct Ends {
  Ends(double samples, std::size_t size) : inside(std::min(std::size_t(samples) + 1, size)), rest(std::min(1.0, samples - double(inside - 1))), next(inside < size) {}

  template <class At>
  auto add(At at) const {
    const auto last = at(inside - 1), beyond = next ? at(inside) : last;
    return -0.5 * at(0) + (rest - rest * rest / 2 - 0.5) * last + rest * rest / 2 * beyond;
  }

  std::size_t inside;  ///< samples of the plain sum
  double rest;
  bool next;           ///< there is a sample beyond
};

/// Sums over stretches against one table of turns, each turned as a whole to where it lies.
Phasor phasor_over(std::span<const double> all, double frequency, double from, double samples) {
  constexpr std::size_t kTurns = 256;
  const auto first = std::size_t(from);
  const auto v = all.subspan(first);
  const Ends ends(samples, v.size());
  const double w = 2 * pi * frequency;
  const auto turn = [&](std::size_t k) { return std::polar(1.0, -w * double(first + k)); };
  const auto places = Eigen::ArrayXd::LinSpaced(Eigen::Index(kTurns), 0, double(kTurns - 1));
  const Eigen::ArrayXd cosine = (w * places).cos(), sine = -(w * places).sin();
  Phasor sum = 0;
  for (std::size_t k = 0; k < ends.inside; k += kTurns) {
    const auto here = row_of(v.subspan(k, std::min(kTurns, ends.inside - k)));
    sum += turn(k) * Phasor((here * cosine.head(here.size())).sum(), (here * sine.head(here.size())).sum());
  }
  return 2.0 * (sum + ends.add([&](std::size_t k) { return v[k] * turn(k); })) / samples;
}

/// A first look at the frequency: the largest line but the one that stands still.
std::optional<double> rough_frequency(std::span<const double> all) {
  const auto v = all.first(std::min(all.size(), kLookedAt) / 2 * 2);
  if (v.size() < 16) return std::nullopt;
  std::vector<double> moving(v.size());
  Eigen::Map<Eigen::ArrayXd>(moving.data(), Eigen::Index(moving.size())) = row_of(v) - row_of(v).mean();
  const RecordLines lines(moving);
  const auto hann = facts_of(Window::hann);
  std::vector<double> power;
  lines.add_power(hann, power);
  double total = 0;
  for (std::size_t k = 1; k < power.size(); ++k) total += power[k];
  const auto top = std::size_t(std::max_element(power.begin() + 1, power.end() - 1) - power.begin());
  double near = 0;
  for (std::size_t k = top > 2 ? top - 2 : 1; k <= std::min(top + 2, power.size() - 1); ++k) near += power[k];
  if (!(total > 0) || !(near > kLeastTone * total)) return std::nullopt;
  if (const auto tone = top >= 2 ? lines.tone_near(top, hann) : std::nullopt) return tone->place / double(v.size());
  // Of few cycles: from one passage of the mean, the same way, to the next.
  std::optional<double> first, last;
  int passages = 0;
  double size = 0;
  for (const double x : moving) size = std::max(size, std::abs(x));
  bool below = false;
  for (std::size_t k = 1; k < moving.size(); ++k) {
    if (moving[k] < -0.1 * size) below = true;
    if (!below || !(moving[k - 1] < 0 && moving[k] >= 0)) continue;
    below = false;
    const double at = double(k) - moving[k] / (moving[k] - moving[k - 1]);
    if (!first) first = at;
    last = at;
    ++passages;
  }
  if (passages >= 2) return double(passages - 1) / (*last - *first);
  return double(top) / double(v.size());
}

}  // namespace

std::optional<WholeCycles> whole_cycles(std::span<const double> v) {
  const auto rough = rough_frequency(v);
  if (!rough || !(*rough > 0)) return std::nullopt;
  double f = *rough;
  const double last = double(v.size() - 1);
  // The cycles but the last against the cycles but the first: what the phase moves by beyond whole turns is what f lacks. Of
  // two cycles one against the other.
  for (int round = 0; round < 12; ++round) {
    const int count = int(last * f + 1e-6);
    if (count < 2) break;
    const int apart = std::max(1, count / 2), each = count - apart;
    const double samples = each / f, from = std::floor(apart / f);
    const auto a = phasor_over(v, f, 0, samples), b = phasor_over(v, f, from, samples);
    if (!(std::abs(a) > 0) || !(std::abs(b) > 0)) return std::nullopt;
    const double by = std::arg(b / a) / (2 * pi * from);
    f += by;
    if (!(f > 0) || !(f < 0.5)) return std::nullopt;
    if (std::abs(by) < 1e-13) break;
  }
  WholeCycles out{.frequency = f, .u_frequency = 0, .count = int(last * f + 1e-6)};
  if (out.count < 1) return std::nullopt;
  const double noise = noise_of(v.first(std::min(v.size(), kLookedAt))), peak = std::abs(phasor_over(v, f, 0, out.samples()));
  // The phase of so many samples varies by 2 noise^2/(peak^2 samples); what both windows hold moves both alike.
  const int apart = std::max(1, out.count / 2);
  const double from = apart / f, samples = (out.count - apart) / f, own = 1 - std::max(0.0, samples - from) / samples;
  if (peak > 0 && samples > 0) out.u_frequency = noise / peak * 2 * std::sqrt(own / samples) / (2 * pi * from);
  return out;
}

double mean_over(std::span<const double> v, const WholeCycles& cycles) {
  const Ends ends(cycles.samples(), v.size());
  return (row_of(v.first(ends.inside)).sum() + ends.add([&](std::size_t k) { return v[k]; })) / cycles.samples();
}

std::vector<std::vector<double>> mean_products(std::span<const std::vector<double>> rows, const WholeCycles& cycles) {
  // So many samples of a few rows stay near the processor while all their products are summed.
  constexpr std::size_t kTogether = 2048;
  const Ends ends(cycles.samples(), rows.front().size());
  const auto n = rows.size();
  std::vector<std::vector<double>> out(n, std::vector<double>(n));
  for (std::size_t k = 0; k < ends.inside; k += kTogether) {
    const auto here = [&](std::size_t row) { return row_of(std::span<const double>(rows[row]).subspan(k, std::min(kTogether, ends.inside - k))).matrix(); };
    for (std::size_t i = 0; i < n; ++i)
      for (std::size_t j = 0; j <= i; ++j) out[i][j] += here(i).dot(here(j));
  }
  for (std::size_t i = 0; i < n; ++i)
    for (std::size_t j = 0; j <= i; ++j) out[i][j] = out[j][i] = (out[i][j] + ends.add([&](std::size_t k) { return rows[i][k] * rows[j][k]; })) / cycles.samples();
  return out;
}

Harmonics harmonics_over(std::span<const double> v, const WholeCycles& cycles, int highest) {
  Harmonics out;
  const double f = cycles.frequency, local = noise_of(v.first(std::min(v.size(), kLookedAt)));
  out.noise = local * local;
  if (cycles.count < kManyCycles) {
    for (int h = 1; h <= highest && h * f < 0.5; ++h) out.peak.push_back(phasor_over(v, h * f, 0, cycles.samples()));
    return out;
  }
  const RecordLines lines(v.first(v.size() / 2 * 2));
  const auto facts = facts_of(Window::blackman_harris);
  const double n = double(lines.samples());
  for (int h = 1; h <= highest && h * f < 0.5 - 4 / n; ++h) {
    const double place = h * f * n;
    const auto line = std::ptrdiff_t(std::llround(place));
    out.peak.push_back(2.0 * lines.at(line, facts.cosines) / window_kernel(facts.cosines, double(line) - place, lines.samples()));
  }
  std::vector<double> power;
  lines.add_power(facts, power);
  double sum = 0;
  std::size_t count = 0;
  const double apart = f * n, reach = facts.reach + 0.5;
  for (double order = 0; order * apart < double(power.size()); ++order) {
    const auto first = std::size_t(std::ceil(order * apart + reach)), last = std::size_t(std::ceil(std::min((order + 1) * apart - reach, double(power.size() - 1))));
    if (first >= last) continue;
    sum += row_of(std::span(power).subspan(first, last - first)).sum();
    count += last - first;
  }
  constexpr std::size_t kEnough = 8;
  if (count >= kEnough) out.noise = sum / double(count) * double(power.size() - 1);
  return out;
}

double phasor_variance(const WholeCycles& cycles) {
  const double bandwidth = cycles.count < kManyCycles ? 1 : facts_of(Window::blackman_harris).noise_bandwidth;
  return 2 * bandwidth / cycles.samples();
}

}  // namespace heron::signal
