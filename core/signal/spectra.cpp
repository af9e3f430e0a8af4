#include "signal/spectra.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "signal/also_wide.h"
#include "signal/fftw.h"

namespace heron::signal {
namespace {

std::size_t step_of(const SpectraSetup& s) {
  return std::max<std::size_t>(1, std::size_t(std::lround(double(s.segment) * (1 - s.overlap))));
}

}  // namespace

Result<void> check(const SpectraSetup& s) {
  if (s.segment < 8 || s.segment % 2 != 0 || s.segment > (std::size_t(1) << 26))
    return fail(Fault::usage, "segment: an even number of samples from 8 to 67 108 864 is wanted.");
  if (!(s.overlap >= 0 && s.overlap <= 0.95)) return fail(Fault::usage, "overlap: a share from 0 to 0.95 is wanted.");
  return {};
}

int segment_count(const SpectraSetup& s, std::size_t samples) {
  return samples < s.segment ? 0 : int((samples - s.segment) / step_of(s)) + 1;
}

namespace {

using Complex = std::complex<double>;

HERON_ALSO_WIDE void weigh(const double* __restrict from, const double* __restrict weights, double mean, std::size_t n,
                           double* __restrict to) {
  for (std::size_t k = 0; k < n; ++k) to[k] = weights[k] * (from[k] - mean);
}

/// Two segments of both channels, transformed.
struct Outputs {
  FftwArray<Complex> x, y;
  explicit Outputs(std::size_t lines) : x(lines), y(lines) {}
};

/// Adds the powers and cross products of two transformed pairs: the sums go through the cache half as often.
HERON_ALSO_WIDE void gather(const Outputs& one, const Outputs& two, std::size_t lines, double* __restrict xx,
                            double* __restrict yy, double* __restrict xy) {
  const double* __restrict a = reinterpret_cast<const double*>(one.x.data());
  const double* __restrict b = reinterpret_cast<const double*>(one.y.data());
  const double* __restrict c = reinterpret_cast<const double*>(two.x.data());
  const double* __restrict d = reinterpret_cast<const double*>(two.y.data());
  for (std::size_t k = 0; k < lines; ++k) {
    const double ar = a[2 * k], ai = a[2 * k + 1], br = b[2 * k], bi = b[2 * k + 1];
    const double cr = c[2 * k], ci = c[2 * k + 1], dr = d[2 * k], di = d[2 * k + 1];
    xx[k] += (ar * ar + ai * ai) + (cr * cr + ci * ci);
    yy[k] += (br * br + bi * bi) + (dr * dr + di * di);
    xy[2 * k] += (ar * br + ai * bi) + (cr * dr + ci * di);
    xy[2 * k + 1] += (ar * bi - ai * br) + (cr * di - ci * dr);
  }
}

double mean_of(std::span<const double> values) {
  double sum = 0;
  for (const double v : values) sum += v;
  return sum / double(values.size());
}

}  // namespace

struct SpectraSum::Work {
  SpectraSetup setup;
  double rate;
  std::size_t n, step, lines;
  std::vector<double> weights;
  std::vector<double> own;  ///< lines of the window itself: only they see a record's mean
  FftwArray<double> in;
  Outputs pair[2];
  FftwPlan plan;
  std::vector<double> xx, yy, xy;
  int segments = 0;
  double independent = 0;

  Work(const SpectraSetup& s, double sample_rate)
      : setup(s),
        rate(sample_rate),
        n(s.segment),
        step(step_of(s)),
        lines(n / 2 + 1),
        weights(window_weights(s.window, s.segment)),
        in(n),
        pair{Outputs(lines), Outputs(lines)},
        plan([this] {
          return fftw_plan_dft_r2c_1d(int(n), in.data(), pair[0].x.raw(), FFTW_ESTIMATE | FFTW_PRESERVE_INPUT);
        }),
        xx(lines),
        yy(lines),
        xy(2 * lines) {
    // A sum of cosines has its own spectrum in so many lines.
    const auto cosines = window_cosines(s.window);
    for (std::size_t k = 0; k < std::min(cosines.size(), lines); ++k)
      own.push_back(double(n) * cosines[k] * (k == 0 ? 1 : 0.5));
  }

  void transform(const double* from, double mean, FftwArray<Complex>& into) {
    weigh(from, weights.data(), mean, n, in.data());
    plan.execute_into(in.data(), into.raw());
  }
};

SpectraSum::SpectraSum(const SpectraSetup& setup, double sample_rate)
    : work_(std::make_unique<Work>(setup, sample_rate)) {}
SpectraSum::~SpectraSum() = default;
SpectraSum::SpectraSum(SpectraSum&&) noexcept = default;

void SpectraSum::add(std::span<const double> x, std::span<const double> y) {
  auto& w = *work_;
  const int count = segment_count(w.setup, std::min(x.size(), y.size()));
  if (count == 0) return;
  // The first segment's mean is near enough to the record's not to round the rest away; what is left of it comes off
  // the lowest lines afterwards, which spares a pass over the record.
  const double near_x = mean_of(x.first(w.n)), near_y = mean_of(y.first(w.n));
  const auto low = w.own.size();
  std::vector<Complex> sum_x(low), sum_y(low);
  for (int s = 0; s < count; s += 2) {
    for (int k = 0; k < 2; ++k) {
      auto& out = w.pair[k];
      if (s + k >= count) {
        std::fill_n(out.x.data(), w.lines, 0.0);
        std::fill_n(out.y.data(), w.lines, 0.0);
        continue;
      }
      const auto first = std::size_t(s + k) * w.step;
      w.transform(x.data() + first, near_x, out.x);
      w.transform(y.data() + first, near_y, out.y);
      for (std::size_t line = 0; line < low; ++line) {
        sum_x[line] += out.x[line];
        sum_y[line] += out.y[line];
      }
    }
    gather(w.pair[0], w.pair[1], w.lines, w.xx.data(), w.yy.data(), w.xy.data());
  }
  const double rest_x = sum_x[0].real() / (count * w.own[0]), rest_y = sum_y[0].real() / (count * w.own[0]);
  for (std::size_t k = 0; k < low; ++k) {
    // Sum of |X - a|^2 and of conj(X - a)(Y - b) from the sums of X and Y.
    const Complex a = rest_x * w.own[k], b = rest_y * w.own[k];
    w.xx[k] += -2 * (std::conj(a) * sum_x[k]).real() + count * std::norm(a);
    w.yy[k] += -2 * (std::conj(b) * sum_y[k]).real() + count * std::norm(b);
    const Complex cross = -std::conj(sum_x[k]) * b - std::conj(a) * sum_y[k] + double(count) * std::conj(a) * b;
    w.xy[2 * k] += cross.real();
    w.xy[2 * k + 1] += cross.imag();
  }
  w.segments += count;
  w.independent += independent_averages(w.weights, w.step, count);
}

Spectra SpectraSum::mean() const {
  const auto& w = *work_;
  Spectra out{.line = w.rate / double(w.n), .segments = w.segments, .independent = w.independent};
  const double scale = w.segments > 0 ? 1.0 / w.segments : 0;
  for (std::size_t k = 0; k < w.lines; ++k) {
    out.xx.push_back(std::max(0.0, scale * w.xx[k]));
    out.yy.push_back(std::max(0.0, scale * w.yy[k]));
    out.xy.push_back(scale * Complex(w.xy[2 * k], w.xy[2 * k + 1]));
  }
  return out;
}

double coherence(const Spectra& s, std::size_t line) {
  const double both = s.xx[line] * s.yy[line];
  return both > 0 ? std::min(1.0, std::norm(s.xy[line]) / both) : 0;
}

double u_of_response(double g2, double independent) {
  if (!(g2 > 0) || !(independent > 0)) return std::numeric_limits<double>::infinity();
  return std::sqrt((1 - g2) / (2 * g2 * independent));
}

double u_of_line(double g2, double independent) {
  const double left = std::max(independent - 1, 0.5), freedom = 2 * left;
  // Student's t has no variance up to two degrees; what is said then is cut off at twice the normal's.
  const double wider = freedom > 2.7 ? std::sqrt(freedom / (freedom - 2)) : 2;
  return u_of_response(g2, left) * std::min(wider, 2.0);
}

}  // namespace heron::signal
