#include "signal/window.h"

#include <cmath>
#include <numbers>
#include <utility>

namespace heron::signal {
namespace {

using std::numbers::pi;
using Complex = std::complex<double>;

/// cot(y), near zero by its series to y^3: beyond 0.01 the next term would be seen.
double cotangent(double y) { return std::abs(y) < 0.01 ? 1 / y - y * (1.0 / 3 + y * y / 45) : 1 / std::tan(y); }

constexpr std::pair<Window, std::string_view> kNames[] = {{Window::rectangular, "rectangular"},
                                                          {Window::hann, "hann"},
                                                          {Window::blackman_harris, "blackman_harris"},
                                                          {Window::flat_top, "flat_top"}};

}  // namespace

std::vector<double> window_cosines(Window window) {
  switch (window) {
    case Window::rectangular:
      return {1};
    case Window::hann:
      return {0.5, -0.5};
    case Window::blackman_harris:
      return {0.35875, -0.48829, 0.14128, -0.01168};
    case Window::flat_top:
      return {1, -1.933, 1.286, -0.388, 0.0322};
  }
  return {1};
}

std::string_view window_text(Window window) {
  for (const auto& [which, name] : kNames)
    if (which == window) return name;
  return "";
}

Result<Window> window_from_text(std::string_view text) {
  for (const auto& [which, name] : kNames)
    if (name == text) return which;
  return fail(Fault::usage, "There is no window \"{}\"; there are rectangular, hann, blackman_harris, flat_top.", text);
}

std::vector<double> window_weights(Window window, std::size_t n) {
  const auto a = window_cosines(window);
  std::vector<double> out(n);
  for (std::size_t k = 0; k < n; ++k)
    for (std::size_t j = 0; j < a.size(); ++j)
      out[k] += a[j] * std::cos(2 * std::numbers::pi * double(j) * double(k) / double(n));
  return out;
}

std::vector<double> line_correlation(Window window) {
  const auto a = window_cosines(window);
  const int reach = int(a.size()) - 1;
  // A sum of cosines has its spectrum in so many lines either side.
  const auto line = [&](int k) { return std::abs(k) > reach ? 0 : a[std::size_t(std::abs(k))] * (k == 0 ? 1 : 0.5); };
  std::vector<double> out;
  for (int m = 0; m <= 2 * reach; ++m) {
    double sum = 0;
    for (int k = -reach; k <= reach; ++k) sum += line(k) * line(k + m);
    out.push_back(sum);
  }
  for (std::size_t m = out.size(); m-- > 0;) out[m] /= out.front();
  return out;
}

WindowFacts facts_of(Window window) {
  WindowFacts out{.cosines = window_cosines(window)};
  const auto& a = out.cosines;
  out.reach = int(a.size());
  out.coherent_gain = a[0];
  // The weights' squares and fourth powers are sums of cosines as well; so many points hold all of them.
  constexpr int kPoints = 64;
  double squares = 0, fourths = 0;
  for (int k = 0; k < kPoints; ++k) {
    double w = 0;
    for (std::size_t j = 0; j < a.size(); ++j) w += a[j] * std::cos(2 * pi * double(j) * k / kPoints);
    squares += w * w / kPoints;
    fourths += w * w * w * w / kPoints;
  }
  out.power_gain = squares;
  out.noise_bandwidth = squares / (out.coherent_gain * out.coherent_gain);
  out.tone_variance = fourths / (squares * squares);
  const auto correlation = line_correlation(window);
  out.line_variance = 1;
  for (std::size_t m = 1; m < correlation.size(); ++m) out.line_variance += 2 * correlation[m] * correlation[m];
  return out;
}

/// The mean of e^(-2 pi i x t/n) over a record is Q (cot(pi x/n) + i) with Q = sin(pi x) e^(-i pi x)/n, a geometric sum; Q is the
/// same for all x that are whole lines apart.
Complex window_kernel(const std::vector<double>& a, double x, std::size_t samples) {
  const double n = double(samples);
  if (std::abs(x) > n / 2) x = std::remainder(x, n);
  const double line = std::nearbyint(x), off = x - line;
  if (std::abs(off) < 1e-15) {
    const auto whole = std::size_t(std::abs(line));
    return whole == 0 ? a[0] : whole < a.size() ? a[whole] / 2 : 0;
  }
  double cotangents = a[0] * cotangent(pi * x / n), sum = a[0];
  for (std::size_t j = 1; j < a.size(); ++j) {
    cotangents += a[j] / 2 * (cotangent(pi * (x - double(j)) / n) + cotangent(pi * (x + double(j)) / n));
    sum += a[j];
  }
  const double sine = std::sin(pi * off), cosine = std::cos(pi * off), scale = sine / n;
  return {scale * (cosine * cotangents + sine * sum), scale * (cosine * sum - sine * cotangents)};
}

double independent_averages(const std::vector<double>& w, std::size_t step, int count) {
  if (count <= 0 || step == 0) return 0;
  double power = 0;
  for (const double v : w) power += v * v;
  double sum = 1;
  for (int m = 1; m < count && std::size_t(m) * step < w.size(); ++m) {
    double overlap = 0;
    for (std::size_t k = 0; k + std::size_t(m) * step < w.size(); ++k) overlap += w[k] * w[k + std::size_t(m) * step];
    sum += 2 * (1 - double(m) / count) * std::pow(overlap / power, 2);
  }
  return count / sum;
}

}  // namespace heron::signal
