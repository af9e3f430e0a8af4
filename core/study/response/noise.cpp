#include <algorithm>
#include <cmath>
#include <random>

#include "signal/fftw.h"
#include "signal/spectra.h"
#include "study/response/plan.h"

namespace heron::study::response {
namespace {

constexpr int kRecords = 16;             ///< that a take is read in: each can be looked at before the next
constexpr double kPointsPerPeriod = 16;  ///< of the waveform at the band's upper end
constexpr std::size_t kMostWavePoints = std::size_t(1) << 21;

std::size_t power_of_two_from(double least) {
  std::size_t n = 8;
  while (double(n) < least) n *= 2;
  return n;
}

}  // namespace

NoiseTiming noise_timing(const Plan& p, double highest_rate) {
  NoiseTiming out;
  // White noise goes on beyond the band and must not fold back into it.
  const double wanted = (p.method == Method::white ? 8 : 4) * p.stop;
  out.segment = power_of_two_from(wanted / p.resolution);
  out.rate = highest_rate / std::max(1.0, std::round(highest_rate / (double(out.segment) * p.resolution)));
  out.resolution = out.rate / double(out.segment);
  out.records = std::min(kRecords, p.noise_averages);
  out.segments_each = (p.noise_averages + out.records - 1) / out.records;
  const double overlap = p.method == Method::multitone ? 0 : p.overlap;
  const auto step = std::max<std::size_t>(1, std::size_t(std::lround(double(out.segment) * (1 - overlap))));
  out.samples = out.segment + std::size_t(out.segments_each - 1) * step;
  return out;
}

bench::Waveform noise_wave(const Plan& p, const NoiseTiming& timing, std::uint64_t seed) {
  using bench::Waveform;
  if (p.method == Method::white)
    return {
        .shape = Waveform::Shape::noise, .offset = p.offset, .rms = p.noise_rms, .bandwidth = 2 * p.stop, .seed = seed};
  // Multitone: one period is one segment. Noise: as long as all records, so that it does not repeat within them.
  const double segment_time = double(timing.segment) / timing.rate;
  double period = segment_time;
  if (p.method == Method::noise)
    period = p.settle_time + timing.records * double(timing.samples) / timing.rate + segment_time;
  const double wanted = 2 * std::ceil(kPointsPerPeriod * p.stop * period / 2);
  const auto count =
      wanted < double(kMostWavePoints) ? std::max<std::size_t>(16, std::size_t(wanted)) : kMostWavePoints;
  if (p.method == Method::noise && wanted > double(kMostWavePoints))
    period = double(count) / (kPointsPerPeriod * p.stop);
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  std::uniform_real_distribution<double> turn(-std::numbers::pi, std::numbers::pi);
  std::vector<std::complex<double>> spectrum(count / 2 + 1);
  for (std::size_t k = 1; k + 1 < spectrum.size(); ++k) {
    const double f = double(k) / period;
    if (f < p.start * (1 - 1e-9) - 0.5 / period || f > p.stop * (1 + 1e-9) + 0.5 / period) continue;
    spectrum[k] = p.method == Method::multitone ? std::polar(1.0, turn(random))
                                                : std::complex<double>(normal(random), normal(random));
  }
  auto series = signal::real_series(spectrum);
  double squares = 0;
  for (const double v : series) squares += v * v;
  const double scale = p.noise_rms / std::sqrt(squares / double(count));
  Waveform out{.shape = Waveform::Shape::lines, .offset = p.offset, .period = period};
  out.points.reserve(count + 1);
  for (std::size_t k = 0; k <= count; ++k)
    out.points.push_back({period * double(k) / double(count), scale * series[k % count]});
  return out;
}

}  // namespace heron::study::response
