#include <benchmark/benchmark.h>

#include <chrono>
#include <cmath>
#include <numbers>

#include "base/random.h"
#include "signal/fftw.h"
#include "sim/simulated_bench.h"
#include "study/power/kind.h"
#include "study/power/runner.h"

/// Power: all figures of three phases against their bare transforms, and how fast a recording is reduced.
namespace powers {
namespace {

using namespace heron;
using Clock = std::chrono::steady_clock;
using std::numbers::pi;

double seconds_since(Clock::time_point start) { return std::chrono::duration<double>(Clock::now() - start).count(); }

constexpr int kHalf = 1 << 13;
constexpr double kRate = 50e3, kCycle = 50.037;

/// Three voltages and three currents in counts, with a fifth harmonic and a little noise.
std::vector<bench::ChannelRecord> phases(std::size_t samples) {
  std::mt19937_64 random(1);
  std::vector<bench::ChannelRecord> out;
  for (int k = 0; k < 6; ++k) {
    bench::ChannelRecord channel{.pin = k < 3 ? "v" : "i", .counts = {}, .volts_per_count = 1.0 / kHalf, .range = 1, .lowest_count = -kHalf, .highest_count = kHalf - 1};
    for (std::size_t j = 0; j < samples; ++j) {
      const double phase = 2 * pi * (kCycle * double(j) / kRate - k / 3.0) - (k < 3 ? 0 : 0.4);
      channel.counts.push_back(std::int16_t(std::lround(kHalf * (0.8 * std::cos(phase) + 0.03 * std::cos(5 * phase)) + normal_deviate(random))));
    }
    out.push_back(std::move(channel));
  }
  return out;
}

/// `over_bare`: all figures of six channels of 2^20 counts against a bare transform of each and one plain pass over each.
void figures_of_three_phases(benchmark::State& state) {
  constexpr std::size_t n = std::size_t(1) << 20;
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  point.records.push_back({.sample_rate = kRate});
  const char* names[] = {"va", "vb", "vc", "ia", "ib", "ic"};
  const auto all = phases(n);
  for (std::size_t k = 0; k < 6; ++k) {
    study::Channel channel{.role = names[k], .unit = k < 3 ? "V" : "A"};
    channel.counts = all[k].counts;
    channel.scale = all[k].volts_per_count;
    channel.range = 1;
    channel.lowest_count = -kHalf;
    channel.highest_count = kHalf - 1;
    point.records[0].channels.push_back(std::move(channel));
  }
  const std::vector<study::Point> points = {point};
  signal::FftwArray<double> in(n);
  signal::FftwArray<std::complex<double>> out(n / 2 + 1);
  const signal::FftwPlan plan([&] { return fftw_plan_dft_r2c_1d(int(n), in.data(), out.raw(), FFTW_ESTIMATE); });
  double figures = 0, bare = 0;
  for (auto _ : state) {
    auto start = Clock::now();
    const auto analysis = study::power::kind().analyse(points, {}, {});
    figures += seconds_since(start);
    if (!analysis || !analysis->reading.find("power.active")) return state.SkipWithError("the figures are not read");
    start = Clock::now();
    for (std::size_t k = 0; k < 6; ++k) {
      double sum = 0;
      const auto& counts = point.records[0].channels[k].counts;
      for (std::size_t j = 0; j < n; ++j) sum += in.data()[j] = double(counts[j]);
      benchmark::DoNotOptimize(sum);
      plan.execute();
      benchmark::DoNotOptimize(out.data());
    }
    bare += seconds_since(start);
  }
  state.counters["over_bare"] = figures / bare;
}
BENCHMARK(figures_of_three_phases)->Unit(benchmark::kMillisecond)->Iterations(8);

/// A bench whose samples are there already: what is measured is what a recording makes of them.
class Ready final : public sim::SimulatedBench {
 public:
  explicit Ready(const sim::Circuit& circuit) : SimulatedBench(circuit, 1), stretch_{.sample_rate = kRate, .channels = phases(5000), .trigger_at = {}} {}

  double nearest_rate(double) const override { return kRate; }
  Result<bench::Capture> capture(double, int samples, std::stop_token, const bench::StretchSink& sink) override {
    for (int left = samples; left > 0; left -= 5000)
      if (auto ok = sink(stretch_); !ok) return tl::unexpected(ok.error());
    return stretch_;
  }

 private:
  bench::Capture stretch_;
};

/// `times_real_time`: ten minutes of six channels at 50 kS/s with two watches, a reading every second.
void reducing_a_recording(benchmark::State& state) {
  constexpr double kLength = 600;
  const auto circuit = sim::read_circuit("[pins]\n\"a\" = \"a\"\n[branches]\n\"i\" = \"R.a\"\n[part.R]\nkind = \"resistor\"\nbetween = [\"a\", \"ground\"]\nvalue = \"1 kohm\"\n", "perf.toml");
  if (!circuit) return state.SkipWithError("the circuit is not read");
  study::power::Plan plan{.method = study::power::Method::recording, .settle_time = 0};
  for (int k = 0; k < 6; ++k)
    plan.hookup.chains.push_back({.name = std::string(k < 3 ? "v" : "i") + "abc"[k % 3], .input = {.pin = k < 3 ? "a" : "i", .range = 1, .sensor = *bench::find_stock_sensor(k < 3 ? "Direct lead" : "Clamp 40 A")}, .zero = 0});
  plan.rate = kRate;
  plan.length = kLength;
  study::Surroundings around;
  around.settings = {{"watch.dip", "va under -1.2 V"}, {"watch.over", "ia over 1 kA for 10 ms"}};
  double taken = 0;
  for (auto _ : state) {
    Ready bench(*circuit);
    const auto start = Clock::now();
    std::size_t readings = 0;
    const auto ok = study::power::run(plan, bench, {.around = around, .keep = [&](const study::Point& p) -> Result<void> {
                                                      readings += p.records.front().channels.front().size();
                                                      return {};
                                                    }});
    taken += seconds_since(start);
    if (!ok || readings != 600) return state.SkipWithError("the recording is not taken");
  }
  state.counters["times_real_time"] = double(state.iterations()) * kLength / taken;
}
BENCHMARK(reducing_a_recording)->Unit(benchmark::kMillisecond)->Iterations(2);

}  // namespace
}  // namespace powers
