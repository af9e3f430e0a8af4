#include <catch2/catch.hpp>

#include <cmath>
#include <numbers>
#include <random>

#include "base/random.h"
#include "study/spectrum/reduced.h"
#include "study/spectrum/residual.h"
#include "study/spectrum/spectrogram.h"

using namespace heron;

namespace along_records {
namespace {

using std::numbers::pi;
constexpr double kRate = 100e3;

std::shared_ptr<const study::spectrum::PointSpectra> spectra_of(const std::vector<double>& values) {
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  point.records.push_back({.sample_rate = kRate});
  point.records[0].channels.push_back({.role = "v", .unit = "V"});
  point.records[0].channels[0].numbers = values;
  auto reducer = study::spectrum::reducer({});
  REQUIRE(reducer);
  REQUIRE((*reducer)->add(point));
  const auto reduced = (*reducer)->so_far();
  REQUIRE(reduced);
  const auto all = dynamic_cast<const study::spectrum::ReducedSpectra&>(**reduced).spectra({});
  REQUIRE(all);
  return all->front();
}

}  // namespace

TEST_CASE("what is left of a record without its tones is what was beside them", "[spectrum][residual]") {
  const std::size_t n = 16384;
  for (const double cycles : {211.0, 211.37}) {
    std::mt19937_64 random(3);
    std::vector<double> values(n), beside(n);
    const double f = cycles * kRate / double(n);
    for (std::size_t k = 0; k < n; ++k) {
      const double t = double(k) / kRate;
      // A glitch where the sine passes its top, which no figure of a spectrum tells from noise.
      beside[k] = 1e-4 * normal_deviate(random) + (k % 1000 == 500 ? 5e-3 : 0);
      values[k] = 0.3 + std::sin(2 * pi * f * t + 0.4) + 0.02 * std::cos(2 * pi * 3 * f * t - 1) + beside[k];
    }
    const auto point = spectra_of(values);
    const auto with = study::spectrum::residual_of(*point, 0, false), without = study::spectrum::residual_of(*point, 0, true);
    REQUIRE(with);
    REQUIRE(without);
    INFO(cycles);
    CHECK(with->rms == Approx(0.02 / std::sqrt(2.0)).epsilon(0.01));
    double squares = 0, mean = 0;
    for (const double v : beside) mean += v / double(n);
    for (std::size_t k = 0; k < n; ++k) squares += std::pow(without->rest[k] - (beside[k] - mean), 2) / double(n);
    CHECK(std::sqrt(squares) < 3e-5);
    CHECK(without->highest > 4.5e-3);
    // The phase is counted from where the sine rises through its mean.
    CHECK(with->phase[0] == Approx(0.4 * 180 / pi).margin(0.05));
    CHECK(with->phase[100] == Approx(std::fmod(0.4 * 180 / pi + 360 * f * 100 / kRate, 360)).margin(0.05));
  }
  const auto still = spectra_of(std::vector<double>(4096, 0.5));
  const auto none = study::spectrum::residual_of(*still, 0, false);
  REQUIRE_FALSE(none);
  CHECK(none.error().message.find("does not move") != std::string::npos);
}

TEST_CASE("a spectrogram shows when a tone comes and how large it is", "[spectrum][spectrogram]") {
  const std::size_t n = 1 << 16;
  std::vector<double> values(n);
  // 12.5 kHz in the first half, 25 kHz of half the size in the second, both on lines; a mean that shows nowhere.
  for (std::size_t k = 0; k < n; ++k) {
    const double t = double(k) / kRate;
    values[k] = 2 + (k < n / 2 ? std::cos(2 * pi * 12.5e3 * t) : 0.5 * std::cos(2 * pi * 25e3 * t));
  }
  const auto trace = study::trace_of("v", "V", study::TimeBase(0, 1 / kRate), values);
  const auto all = study::spectrum::spectrogram_of(*trace, 0, n, 256, 1000, 1000);
  REQUIRE(all);
  CHECK(all->columns == 256);
  CHECK(all->rows == 128);
  CHECK(all->line == Approx(kRate / 256));
  CHECK(all->to == Approx(double(n) / kRate));
  const auto row = [&](double f) { return int(std::lround(f / all->line)) - 1; };
  CHECK(all->at(60, row(12.5e3)) == Approx(0.5).epsilon(1e-6));
  CHECK(all->at(60, row(25e3)) < 1e-9);
  CHECK(all->at(200, row(25e3)) == Approx(0.125).epsilon(1e-6));
  CHECK(all->at(200, row(12.5e3)) < 1e-9);
  for (int c : {10, 250}) CHECK(all->at(c, 5) < 1e-9);
  // Fewer cells: the mean of what shares a column, the highest of what shares a row.
  // A line reaches half of one beyond its middle; the last lies at half the rate.
  CHECK(all->highest_frequency == Approx(0.5 / trace->time.step() + all->line / 2));
  const auto few = study::spectrum::spectrogram_of(*trace, 0, n, 256, 2, 16);
  REQUIRE(few);
  CHECK(few->columns == 2);
  CHECK(few->at(0, row(12.5e3) / 8) == Approx(0.5).epsilon(1e-6));
  CHECK(few->at(1, row(25e3) / 8) == Approx(0.125).epsilon(1e-6));
  // By itself about as many stretches as lines.
  const auto balanced = study::spectrum::spectrogram_of(*trace, 0, n, study::spectrum::balanced_segment(n), 10000, 10000);
  REQUIRE(balanced);
  CHECK(balanced->columns >= balanced->rows / 2);
  CHECK(balanced->columns <= 4 * balanced->rows);
  for (const auto& [first, last, samples] : {std::tuple<std::size_t, std::size_t, int>{0, 200, 200}, {100, 355, 255}, {300, 100, 0}}) {
    const auto few_samples = study::spectrum::spectrogram_of(*trace, first, last, 64, 100, 100);
    REQUIRE_FALSE(few_samples);
    CHECK(few_samples.error().message == fmt::format("{} samples are too few for a spectrogram; 256 are the fewest.", samples));
  }
  CHECK(study::spectrum::spectrogram_of(*trace, 100, 356, 64, 100, 100));
  std::stop_source stop;
  stop.request_stop();
  const auto stopped = study::spectrum::spectrogram_of(*trace, 0, n, 256, 100, 100, stop.get_token());
  REQUIRE_FALSE(stopped);
  CHECK(stopped.error().fault == Fault::stopped);
}

}  // namespace along_records
