#include "study/spectrum/residual.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace heron::study::spectrum {
namespace {

using std::numbers::pi;

/// A sine over a record: peak and phase of a cosine at a place in lines.
struct Sine {
  double place = 0;
  std::complex<double> amplitude;
};

/// Turns through a record in steps, set right often enough that rounding does not gather.
template <class Use>
void along(double place, std::size_t samples, Use use) {
  constexpr std::size_t kAnew = 1024;
  const auto turn = std::polar(1.0, 2 * pi * place / double(samples));
  std::complex<double> now;
  for (std::size_t k = 0; k < samples; ++k) {
    if (k % kAnew == 0) now = std::polar(1.0, 2 * pi * std::fmod(place * double(k) / double(samples), 1.0));
    use(k, now);
    now *= turn;
  }
}

/// What a record holds at a place, under weights that keep other tones away.
std::complex<double> amplitude_at(const std::vector<double>& values, const std::vector<double>& weights, double place) {
  std::complex<double> sum = 0;
  double all = 0;
  along(place, values.size(), [&](std::size_t k, const std::complex<double>& turn) {
    sum += weights[k] * values[k] * std::conj(turn);
    all += weights[k];
  });
  return 2.0 * sum / all;
}

void take_out(std::vector<double>& values, const Sine& sine) {
  along(sine.place, values.size(), [&](std::size_t k, const std::complex<double>& turn) { values[k] -= (sine.amplitude * turn).real(); });
}

}  // namespace

Result<Residual> residual_of(const PointSpectra& point, std::size_t quantity, bool harmonics) {
  const auto& s = point.spectra[quantity];
  const auto& trace = *point.traces[quantity];
  if (!s.fundamental) return fail(Fault::input, "There is no fundamental to take out: {}.", s.no_fundamental);
  Residual out{.name = s.name, .unit = trace.unit, .step = trace.time.step(), .start = trace.time.at(0)};
  const auto n = std::min(trace.size(), kMostOfResidual) / 2 * 2;
  out.record.resize(n);
  if (auto ok = trace.read(0, out.record); !ok) return tl::unexpected(ok.error());
  out.rest = out.record;
  // In lines of this record, which may be one of several or a part of one.
  const double cycles = s.fundamental->frequency * out.step * double(n);
  const bool no_rest = is_whole(cycles);
  const auto weights = signal::window_weights(no_rest ? signal::Window::rectangular : signal::Window::blackman_harris, n);
  const double place = no_rest ? std::round(cycles) : cycles;
  // Under the same weights: what a part of a cycle adds to a plain mean is none of what stands still.
  const double mean = amplitude_at(out.rest, weights, 0).real() / 2;
  for (auto& v : out.rest) v -= mean;
  const Sine first{place, amplitude_at(out.rest, weights, place)};
  take_out(out.rest, first);
  if (harmonics)
    for (const auto& h : s.harmonics)
      if (h.lost.empty()) take_out(out.rest, {place * h.order, amplitude_at(out.rest, weights, place * h.order)});
  // A sine rises through its mean a quarter before its top.
  const double turned = std::arg(first.amplitude) / (2 * pi) + 0.25;
  double squares = 0;
  for (std::size_t k = 0; k < n; ++k) {
    const double turns = place * double(k) / double(n) + turned;
    out.phase.push_back(360 * (turns - std::floor(turns)));
    squares += out.rest[k] * out.rest[k] / double(n);
    out.highest = std::max(out.highest, std::abs(out.rest[k]));
  }
  out.rms = std::sqrt(squares);
  return out;
}

}  // namespace heron::study::spectrum
