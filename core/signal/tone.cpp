#include "signal/tone.h"

#include <Eigen/Dense>
#include <array>
#include <cmath>
#include <complex>
#include <cstddef>
#include <cstring>
#include <numbers>
#include <vector>

#include "signal/also_wide.h"

namespace heron::signal {
namespace {

using std::numbers::pi;

constexpr std::size_t kBlock = 1024;
constexpr std::size_t kExact = 32;  ///< phasors between two that are computed afresh; the rest are turned from them

/// cos(w k), sin(w k) for one block; every block of the record reuses it, turned by the block's own start.
struct PhasorTable {
  alignas(64) std::array<double, kBlock> cosine, sine;

  PhasorTable(double w, std::size_t samples) {
    const std::size_t n = std::min(kBlock, samples);
    for (std::size_t k = 0; k < std::min(kExact, n); ++k) {
      cosine[k] = std::cos(w * double(k));
      sine[k] = std::sin(w * double(k));
    }
    for (std::size_t start = kExact; start < n; start += kExact) {
      const double c = std::cos(w * double(start)), s = std::sin(w * double(start));
      for (std::size_t k = 0; k < std::min(kExact, n - start); ++k) {
        cosine[start + k] = c * cosine[k] - s * sine[k];
        sine[start + k] = s * cosine[k] + c * sine[k];
      }
    }
  }
};

struct Sums {
  double cosine = 0, sine = 0, plain = 0, square = 0;
};

using Lanes = double __attribute__((vector_size(32)));

/// Two independent partial sums of four lanes each, so that neither latency nor the lack of reassociation holds the
/// loop up. Compiled twice: for processors with fused multiply-add, and for all others.
HERON_COMPILED_FOR("fma") void add_block(const double* x, double origin, const double* cosine, const double* sine,
                                         std::size_t n, Sums& out) {
  constexpr std::size_t width = sizeof(Lanes) / sizeof(double);
  Lanes c[2] = {}, s[2] = {}, p[2] = {}, q[2] = {};
  std::size_t k = 0;
  for (; k + 2 * width <= n; k += 2 * width) {
    for (std::size_t j = 0; j < 2; ++j) {
      Lanes v, vc, vs;
      std::memcpy(&v, x + k + j * width, sizeof v);
      std::memcpy(&vc, cosine + k + j * width, sizeof vc);
      std::memcpy(&vs, sine + k + j * width, sizeof vs);
      v -= origin;
      c[j] += v * vc;
      s[j] += v * vs;
      p[j] += v;
      q[j] += v * v;
    }
  }
  const auto total = [](const Lanes& a, const Lanes& b) {
    return ((a[0] + b[0]) + (a[1] + b[1])) + ((a[2] + b[2]) + (a[3] + b[3]));
  };
  out = {total(c[0], c[1]), total(s[0], s[1]), total(p[0], p[1]), total(q[0], q[1])};
  for (; k < n; ++k) {
    const double v = x[k] - origin;
    out.cosine += v * cosine[k];
    out.sine += v * sine[k];
    out.plain += v;
    out.square += v * v;
  }
}

/// Sums of x cos(w k), x sin(w k), x and x^2 over the record, x less `origin`.
Sums record_sums(std::span<const double> x, double origin, double w, const PhasorTable& table) {
  Sums total;
  for (std::size_t start = 0; start < x.size(); start += kBlock) {
    Sums part;
    add_block(x.data() + start, origin, table.cosine.data(), table.sine.data(), std::min(kBlock, x.size() - start),
              part);
    const double a = w * double(start), c = std::cos(a), s = std::sin(a);
    total.cosine += c * part.cosine - s * part.sine;
    total.sine += s * part.cosine + c * part.sine;
    total.plain += part.plain;
    total.square += part.square;
  }
  return total;
}

/// sum over k of exp(i w k), k = 0 .. n-1 (Dirichlet kernel).
std::complex<double> dirichlet(double w, double n) {
  const double half = std::sin(w / 2);
  if (std::abs(half) < 1e-9) return {n, 0};
  return std::polar(std::sin(n * w / 2) / half, (n - 1) * w / 2);
}

Eigen::Matrix3d normal_matrix(double w, double n) {
  const auto one = dirichlet(w, n), two = dirichlet(2 * w, n);
  Eigen::Matrix3d m;
  m << (n + two.real()) / 2, two.imag() / 2, one.real(),  //
      two.imag() / 2, (n - two.real()) / 2, one.imag(),   //
      one.real(), one.imag(), n;
  return m;
}

double residual_square(std::span<const double> x, double origin, double w, const PhasorTable& table,
                       const Eigen::Vector3d& fit) {
  double sum = 0;
  for (std::size_t start = 0; start < x.size(); start += kBlock) {
    const double a = w * double(start), c = std::cos(a), s = std::sin(a);
    const double in_phase = fit[0] * c + fit[1] * s, quadrature = fit[1] * c - fit[0] * s;
    const std::size_t n = std::min(kBlock, x.size() - start);
    for (std::size_t k = 0; k < n; ++k) {
      const double r = x[start + k] - origin - (in_phase * table.cosine[k] + quadrature * table.sine[k] + fit[2]);
      sum += r * r;
    }
  }
  return sum;
}

/// x = a cos + b sin + dc turned into peak and phase of a cosine, with the covariance of (a, b, dc) carried over.
Tone as_tone(double frequency, const Eigen::Vector3d& fit, const Eigen::Matrix3d& covariance) {
  const double a = fit[0], b = fit[1], peak = std::hypot(a, b);
  Tone tone{.frequency = frequency, .peak = peak, .phase = std::atan2(-b, a), .dc = fit[2]};
  if (tone.phase <= -pi) tone.phase = pi;
  tone.u_dc = std::sqrt(std::max(0.0, covariance(2, 2)));
  if (peak > 0) {
    const Eigen::Vector3d along(a / peak, b / peak, 0), across(b / (peak * peak), -a / (peak * peak), 0);
    tone.u_peak = std::sqrt(std::max(0.0, along.dot(covariance * along)));
    tone.u_phase = std::min(std::sqrt(std::max(0.0, across.dot(covariance * across))), pi);
  } else {
    tone.u_peak = std::sqrt(std::max(0.0, covariance(0, 0)));
    tone.u_phase = pi;
  }
  return tone;
}

Result<void> check(std::span<const double> samples, double sample_rate, double frequency, std::size_t least) {
  if (samples.size() < least)
    return fail(Fault::input, "A sine fit needs at least {} samples; the record has {}.", least, samples.size());
  if (!(sample_rate > 0) || !std::isfinite(sample_rate))
    return fail(Fault::input, "The sample rate must be positive, not {}.", sample_rate);
  if (!(frequency > 0 && frequency < sample_rate / 2))
    return fail(Fault::input, "The frequency {} Hz must lie between 0 and half the sample rate, {} Hz.", frequency,
                sample_rate / 2);
  return {};
}

}  // namespace

Result<Tone> fit_tone(std::span<const double> samples, double sample_rate, double frequency) {
  if (auto ok = check(samples, sample_rate, frequency, 4); !ok) return tl::unexpected(ok.error());
  const double n = double(samples.size()), w = 2 * pi * frequency / sample_rate;
  const double origin = samples.front();
  const PhasorTable table(w, samples.size());
  const Sums sums = record_sums(samples, origin, w, table);
  if (!std::isfinite(sums.square)) return fail(Fault::input, "The record has a sample that is not a finite number.");

  const Eigen::Matrix3d normal = normal_matrix(w, n);
  const Eigen::LDLT<Eigen::Matrix3d> solver(normal);
  if (solver.info() != Eigen::Success || !((normal / n).determinant() > 1e-14))
    return fail(Fault::input, "The record of {} samples is too short to tell a sine of {} Hz from its offset.",
                samples.size(), frequency);
  const Eigen::Vector3d right(sums.cosine, sums.sine, sums.plain);
  const Eigen::Vector3d fit = solver.solve(right);

  double rest = sums.square - fit.dot(right);
  if (rest < 1e-9 * sums.square) rest = residual_square(samples, origin, w, table, fit);
  rest = std::max(rest, 0.0);
  const Eigen::Matrix3d covariance = solver.solve(Eigen::Matrix3d::Identity()) * (rest / (n - 3));
  Tone tone = as_tone(frequency, fit, covariance);
  tone.dc += origin;
  tone.residual = std::sqrt(rest / n);
  return tone;
}

Result<Tone> fit_tone_free(std::span<const double> samples, double sample_rate, double near) {
  if (auto ok = check(samples, sample_rate, near, 5); !ok) return tl::unexpected(ok.error());
  const double n = double(samples.size());
  double frequency = near;
  Eigen::Matrix4d normal;
  double rest = 0;
  for (int pass = 0; pass < 30; ++pass) {
    const auto tone = fit_tone(samples, sample_rate, frequency);
    if (!tone) return tone;
    const double w = 2 * pi * frequency / sample_rate;
    const double a = tone->peak * std::cos(tone->phase), b = -tone->peak * std::sin(tone->phase);
    // Time runs from the middle of the record: the frequency column is then nearly at right angles to the others.
    normal.setZero();
    Eigen::Vector4d right = Eigen::Vector4d::Zero();
    rest = 0;
    for (std::size_t k = 0; k < samples.size(); ++k) {
      const double c = std::cos(w * double(k)), s = std::sin(w * double(k)), t = double(k) - (n - 1) / 2;
      const Eigen::Vector4d row(c, s, 1, t * (b * c - a * s));
      const double r = samples[k] - (a * c + b * s + tone->dc);
      normal += row * row.transpose();
      right += row * r;
      rest += r * r;
    }
    const Eigen::Vector4d step = normal.ldlt().solve(right);
    const double shift = step[3] * sample_rate / (2 * pi);
    const double next = frequency + shift;
    if (!(next > 0 && next < sample_rate / 2) || std::abs(next - near) > 2 * sample_rate / n)
      return fail(Fault::input, "No sine is found near {} Hz in the record.", near);
    frequency = next;
    if (std::abs(shift) < 1e-12 * frequency) break;
  }
  auto tone = fit_tone(samples, sample_rate, frequency);
  if (!tone) return tone;
  const Eigen::Matrix4d covariance = normal.inverse() * (rest / std::max(1.0, n - 4));
  tone->u_frequency = std::sqrt(std::max(0.0, covariance(3, 3))) * sample_rate / (2 * pi);
  // Phase at the first sample also carries the frequency's uncertainty over half the record.
  tone->u_phase = std::min(pi, std::hypot(tone->u_phase, std::sqrt(std::max(0.0, covariance(3, 3))) * (n - 1) / 2));
  return tone;
}

double u_peak_nearby(std::span<const double> samples, double sample_rate, const Tone& tone) {
  const auto n = samples.size();
  const double line = sample_rate / double(n);
  if (n < 64 || tone.frequency < 4 * line) return 0;
  std::vector<double> rest(n);
  const double w = 2 * std::numbers::pi * tone.frequency / sample_rate;
  // The sine by rotation; renewed now and then so that rounding does not gather.
  double c = 0, s = 0;
  const double dc = std::cos(w), ds = std::sin(w);
  for (std::size_t i = 0; i < n; ++i) {
    if (i % 512 == 0) {
      c = std::cos(w * double(i) + tone.phase);
      s = std::sin(w * double(i) + tone.phase);
    }
    rest[i] = samples[i] - tone.dc - tone.peak * c;
    const double next = c * dc - s * ds;
    s = s * dc + c * ds;
    c = next;
  }
  double square = 0;
  int lines = 0;
  for (const int k : {-6, -5, -4, -3, 3, 4, 5, 6}) {
    const double f = tone.frequency + k * line;
    const double order = f / tone.frequency;
    if (f < 0.9 * line || f > 0.45 * sample_rate) continue;
    // Harmonics are distortion, not noise.
    if (std::round(order) >= 1 && std::abs(order - std::round(order)) * tone.frequency < 0.6 * line) continue;
    // Goertzel's recursion.
    const double turn = 2 * std::cos(2 * std::numbers::pi * f / sample_rate);
    double a = 0, b = 0;
    for (const double x : rest) {
      const double next = x + turn * a - b;
      b = a;
      a = next;
    }
    square += (a * a + b * b - turn * a * b) * 4 / (double(n) * double(n));
    ++lines;
  }
  return lines > 0 ? std::sqrt(square / (2 * lines)) : 0;
}

double value_at(const Tone& tone, double time) {
  return tone.peak * std::cos(2 * pi * tone.frequency * time + tone.phase) + tone.dc;
}

}  // namespace heron::signal
