#include "signal/record_lines.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cassert>
#include <cmath>
#include <numbers>

#include "signal/also_wide.h"
#include "signal/fftw.h"

namespace heron::signal {
namespace {

using std::numbers::pi;
using Complex = std::complex<double>;

/// The mean of e^(-2 pi i x t / n).
Complex comb(double x, double n) {
  const double below = n * std::sin(pi * x / n);
  const double size = std::abs(below) < 1e-12 ? 1 : std::sin(pi * x) / below;
  return std::polar(size, -pi * x * (n - 1) / n);
}

/// |sum_j a_j/2 (x[k-j] + x[k+j])|^2 * scale, from `first` on where all neighbours exist; complex numbers as pairs.
HERON_ALSO_WIDE void add_windowed(const double* __restrict x, const double* a, int reach, std::size_t first, std::size_t last,
                                  double scale, double* __restrict into) {
  for (std::size_t k = first; k < last; ++k) {
    double re = a[0] * x[2 * k], im = a[0] * x[2 * k + 1];
    for (int j = 1; j < reach; ++j) {
      re += a[j] / 2 * (x[2 * (k - std::size_t(j))] + x[2 * (k + std::size_t(j))]);
      im += a[j] / 2 * (x[2 * (k - std::size_t(j)) + 1] + x[2 * (k + std::size_t(j)) + 1]);
    }
    into[k] += scale * (re * re + im * im);
  }
}

/// Lines about a tone's top that tell where it is.
constexpr int kBeside = 1;

/// Real and imaginary parts of the lines beside a top, and what moves them: both parts of the amplitude and the place.
struct Model {
  Eigen::Matrix<double, 2 * (2 * kBeside + 1), 3> slopes;
  Eigen::Matrix<double, 2 * (2 * kBeside + 1), 1> values;
};
Model model_of(const Complex& amplitude, double place, std::ptrdiff_t top, const std::vector<double>& cosines, std::size_t samples) {
  const auto line = [&](double at, std::ptrdiff_t k) {
    return 0.5 * (amplitude * window_kernel(cosines, double(k) - at, samples) +
                  std::conj(amplitude) * window_kernel(cosines, double(k) + at, samples));
  };
  Model out;
  for (int j = -kBeside; j <= kBeside; ++j) {
    const auto k = top + j;
    const auto toward = window_kernel(cosines, double(k) - place, samples), mirrored = window_kernel(cosines, double(k) + place, samples);
    constexpr double kSmall = 1e-4;
    const auto moved = (line(place + kSmall, k) - line(place - kSmall, k)) / (2 * kSmall);
    const Complex value = line(place, k), by_real = 0.5 * (toward + mirrored), by_imaginary = Complex(0, 0.5) * (toward - mirrored);
    const int row = 2 * (j + kBeside);
    out.values[row] = value.real();
    out.values[row + 1] = value.imag();
    out.slopes.row(row) << by_real.real(), by_imaginary.real(), moved.real();
    out.slopes.row(row + 1) << by_real.imag(), by_imaginary.imag(), moved.imag();
  }
  return out;
}

}  // namespace

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

Complex window_kernel(const std::vector<double>& a, double x, std::size_t samples) {
  const double n = double(samples);
  Complex out = a[0] * comb(x, n);
  for (std::size_t j = 1; j < a.size(); ++j) out += a[j] / 2 * (comb(x - double(j), n) + comb(x + double(j), n));
  return out;
}

struct RecordLines::Lines {
  FftwArray<Complex> of;
};

RecordLines::RecordLines(std::span<const double> values) : samples_(values.size() / 2 * 2) {
  assert(samples_ >= 8);
  FftwArray<double> in(samples_);
  plain_ = std::make_unique<Lines>(Lines{FftwArray<Complex>(lines())});
  std::copy_n(values.begin(), samples_, in.data());
  static FftwPlans plans([](int n, double* real, fftw_complex* lines) { return fftw_plan_dft_r2c_1d(n, real, lines, FFTW_ESTIMATE); });
  plans.of(samples_).execute_into(in.data(), plain_->of.raw());
}
RecordLines::~RecordLines() = default;
RecordLines::RecordLines(RecordLines&&) noexcept = default;

Complex RecordLines::at(std::ptrdiff_t k, const std::vector<double>& a) const {
  const auto n = std::ptrdiff_t(samples_);
  const auto plain = [&](std::ptrdiff_t line) {
    line = ((line % n) + n) % n;
    return line <= n / 2 ? plain_->of[std::size_t(line)] : std::conj(plain_->of[std::size_t(n - line)]);
  };
  Complex out = a[0] * plain(k);
  for (std::size_t j = 1; j < a.size(); ++j)
    out += a[j] / 2 * (plain(k - std::ptrdiff_t(j)) + plain(k + std::ptrdiff_t(j)));
  return out / double(n);
}

void RecordLines::add_power(const WindowFacts& window, std::vector<double>& into) const {
  const auto count = lines();
  into.resize(count, 0.0);
  const double n = double(samples_);
  // Twice for the lines below zero. What stands still, and what lies at half the rate, has no such twin.
  const double scale = 2 / (n * n * window.power_gain);
  const auto edge = std::min(std::size_t(window.reach), count);
  const auto slowly = [&](std::size_t k) {
    const bool alone = k == 0 || k + 1 == count;
    into[k] += (alone ? 1 : 2) / window.power_gain * std::norm(at(std::ptrdiff_t(k), window.cosines));
  };
  for (std::size_t k = 0; k < edge; ++k) slowly(k);
  const auto last = count > 2 * edge ? count - edge : edge;
  add_windowed(reinterpret_cast<const double*>(plain_->of.data()), window.cosines.data(), window.reach, edge, last, scale, into.data());
  for (auto k = last; k < count; ++k) slowly(k);
}

void RecordLines::take_off(const LineTone& tone) {
  const double n = double(samples_);
  // The mean of e^(-2 pi i (k - p) t/n) is q (cot(pi (k - p)/n) + i) with q the same for every line: sin(pi (k - p)) and the
  // phase of the sum's middle change sign together from line to line.
  const auto subtract = [&](double place, Complex amplitude) {
    const auto q_of = [&](double k) { return comb(k - place, n) / Complex(1 / std::tan(pi * (k - place) / n), 1); };
    const auto nearest = std::ptrdiff_t(std::llround(place));
    // On a line itself the cotangent has a pole; a neighbour says the same of q.
    const double off = std::abs(place - double(nearest)) < 1e-9 ? 0 : 1;
    const Complex q = off == 0 ? Complex(0, 0) : q_of(double(nearest)), size = n * 0.5 * amplitude * q;
    const double turn = std::tan(pi / n);
    constexpr std::size_t kAnew = 256;  // rounding does not gather
    double tangent = 0;
    for (std::size_t k = 0; k < lines(); ++k) {
      if (off == 0) {
        if (std::ptrdiff_t(k) == nearest) plain_->of[k] -= n * 0.5 * amplitude;
        continue;
      }
      if (k % kAnew == 0 || std::abs(double(k) - place) < 8)
        tangent = std::tan(pi * (double(k) - place) / n);
      else
        tangent = (tangent + turn) / (1 - tangent * turn);
      plain_->of[k] -= size * Complex(1 / tangent, 1);
    }
  };
  const auto amplitude = std::polar(tone.peak, tone.phase);
  subtract(tone.place, amplitude);
  subtract(-tone.place, std::conj(amplitude));
}

std::optional<LineTone> RecordLines::tone_near(std::size_t line, const WindowFacts& window) const {
  const auto top = std::ptrdiff_t(line);
  Eigen::Matrix<double, 2 * (2 * kBeside + 1), 1> seen;
  double size[3];
  for (int j = -kBeside; j <= kBeside; ++j) {
    const auto value = at(top + j, window.cosines);
    seen[2 * (j + kBeside)] = value.real();
    seen[2 * (j + kBeside) + 1] = value.imag();
    size[j + kBeside] = std::abs(value);
  }
  if (!(size[1] > 0)) return std::nullopt;
  // From the lines' sizes to begin with: between the two largest by their share.
  double place = double(top) + 0.5 * (size[2] - size[0]) / (size[0] + size[1] + size[2]);
  Complex amplitude = 2.0 * Complex(seen[2], seen[3]) / window_kernel(window.cosines, double(top) - place, samples_);
  for (int round = 0; round < 12; ++round) {
    const auto model = model_of(amplitude, place, top, window.cosines, samples_);
    const Eigen::Vector3d by = (model.slopes.transpose() * model.slopes).ldlt().solve(model.slopes.transpose() * (seen - model.values));
    if (!by.allFinite()) return std::nullopt;
    amplitude += Complex(by[0], by[1]);
    place += std::clamp(by[2], -0.5, 0.5);
    if (!(std::abs(place - double(top)) < 1.5) || !(place > 0) || !(place < double(samples_) / 2)) return std::nullopt;
    if (std::abs(by[2]) < 1e-11) break;
  }
  return LineTone{place, std::abs(amplitude), std::arg(amplitude)};
}

ToneUncertainty u_of(const LineTone& tone, const WindowFacts& window, Window which, std::size_t samples, double noise) {
  const auto top = std::ptrdiff_t(std::round(tone.place));
  const auto amplitude = std::polar(tone.peak, tone.phase);
  const auto model = model_of(amplitude, tone.place, top, window.cosines, samples);
  constexpr int kRows = 2 * (2 * kBeside + 1);
  // White noise is shared between lines as their windows overlap; real and imaginary parts are independent.
  Eigen::Matrix<double, kRows, kRows> covariance = Eigen::Matrix<double, kRows, kRows>::Zero();
  const auto correlation = line_correlation(which);
  const double variance = noise * window.power_gain / double(samples) / 2;
  for (int a = 0; a < kRows; ++a)
    for (int b = 0; b < kRows; ++b)
      if (a % 2 == b % 2) {
        const auto apart = std::size_t(std::abs(a - b) / 2);
        covariance(a, b) = apart < correlation.size() ? variance * correlation[apart] : 0;
      }
  const Eigen::Matrix3d inverse = (model.slopes.transpose() * model.slopes).inverse();
  const Eigen::Matrix<double, 3, kRows> solve = inverse * model.slopes.transpose();
  const Eigen::Matrix3d of = solve * covariance * solve.transpose();
  const Eigen::Vector2d along(std::cos(tone.phase), std::sin(tone.phase));
  const double by_peak = along.dot(of.topLeftCorner<2, 2>() * along);
  return {std::sqrt(std::max(0.0, of(2, 2))), std::sqrt(std::max(0.0, by_peak))};
}

}  // namespace heron::signal
