#include "signal/record_lines.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cassert>
#include <cmath>
#include <numbers>

#include "signal/fftw.h"
#include "signal/windowed_power.h"

namespace heron::signal {
namespace {

using std::numbers::pi;
using Complex = std::complex<double>;

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

struct RecordLines::Lines {
  FftwArray<Complex> of;
};

RecordLines::RecordLines(std::size_t samples) : samples_(samples), plain_(std::make_unique<Lines>(Lines{FftwArray<Complex>(lines())})) {
  assert(samples_ >= 8);
}

RecordLines::RecordLines(std::span<const double> values) : RecordLines(values.size() / 2 * 2) {
  std::copy_n(values.begin(), samples_, reinterpret_cast<double*>(plain_->of.data()));
  transform();
}

Result<RecordLines> RecordLines::filled(std::size_t samples, const std::function<Result<void>(std::span<double>)>& fill) {
  RecordLines out(samples);
  if (auto ok = fill({reinterpret_cast<double*>(out.plain_->of.data()), samples}); !ok) return tl::unexpected(ok.error());
  out.transform();
  return out;
}

/// In place: lines lie where the samples were.
void RecordLines::transform() {
  static FftwPlans plans([](int n, double*, fftw_complex* lines) { return fftw_plan_dft_r2c_1d(n, reinterpret_cast<double*>(lines), lines, FFTW_ESTIMATE); });
  plans.of(samples_).execute_into(reinterpret_cast<double*>(plain_->of.data()), plain_->of.raw());
}
RecordLines::~RecordLines() = default;
RecordLines::RecordLines(RecordLines&&) noexcept = default;

Complex RecordLines::at(std::ptrdiff_t k, const std::vector<double>& a) const {
  const auto n = std::ptrdiff_t(samples_), beside = std::ptrdiff_t(a.size());
  if (k >= beside && k + beside <= n / 2) {
    const Complex* here = plain_->of.data() + k;
    Complex out = a[0] * here[0];
    for (std::ptrdiff_t j = 1; j < beside; ++j) out += a[std::size_t(j)] / 2 * (here[-j] + here[j]);
    return out / double(n);
  }
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
  const double scale = 2 / (n * n * window.power_gain);
  const auto edge = std::min(std::size_t(window.reach), count);
  const auto slowly = [&](std::size_t k) { into[k] += power_at(k, window, {}); };
  for (std::size_t k = 0; k < edge; ++k) slowly(k);
  const auto last = count > 2 * edge ? count - edge : edge;
  add_windowed_power(plain_->of.data() + edge, window.cosines, last - edge, scale, into.data() + edge);
  for (auto k = last; k < count; ++k) slowly(k);
}

double RecordLines::power_at(std::size_t k, const WindowFacts& window, std::span<const ToneLines> without) const {
  auto value = at(std::ptrdiff_t(k), window.cosines);
  for (const auto& tone : without) value -= tone.at(std::ptrdiff_t(k));
  // Twice for the lines below zero. What stands still, and what lies at half the rate, has no such twin.
  const bool alone = k == 0 || k + 1 == lines();
  return (alone ? 1 : 2) / window.power_gain * std::norm(value);
}

RecordLines::Largest RecordLines::largest(std::size_t from, std::size_t to) const {
  constexpr std::size_t kAtOnce = 256;
  Largest out{.line = from};
  std::size_t where = from;
  double most = 0;
  for (auto k = from; k < to; k += kAtOnce) {
    const double here = largest_power(plain_->of.data() + k, std::min(kAtOnce, to - k));
    if (!(here > most)) continue;
    most = here;
    where = k;
  }
  for (auto k = where; k < std::min(where + kAtOnce, to); ++k) {
    const double power = 2 * std::norm(plain_->of[k]) / (double(samples_) * double(samples_));
    if (power > out.power) out = {k, power};
  }
  return out;
}

std::optional<LineTone> RecordLines::tone_near(std::size_t line, const WindowFacts& window, std::span<const ToneLines> without) const {
  const auto top = std::ptrdiff_t(line);
  Eigen::Matrix<double, 2 * (2 * kBeside + 1), 1> seen;
  double size[3];
  for (int j = -kBeside; j <= kBeside; ++j) {
    auto value = at(top + j, window.cosines);
    for (const auto& other : without) value -= other.at(top + j);
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
