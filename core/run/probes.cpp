#include "run/probes.h"

#include <algorithm>
#include <cmath>
#include <memory>
#include <random>

#include "signal/tone.h"
#include "sim/device.h"
#include "sim/simulated_bench.h"

namespace heron::run {
namespace {

/// A bench with nothing on it but a terminal and a loop for a current, both on a resistor.
std::unique_ptr<bench::Bench> bare_bench(const std::string& name) {
  sim::Circuit circuit;
  circuit.parts = {sim::make_part("R1", "resistor", {"loop", std::string(sim::kGround)}, {{"value", 50}}),
                   sim::make_part("R2", "resistor", {"terminal", std::string(sim::kGround)}, {{"value", 1e9}})};
  circuit.pins = {{"terminal", "terminal"}, {"loop", "loop"}};
  circuit.branches = {{"loop current", {"R1", 0}}};
  return std::make_unique<sim::SimulatedBench>(std::move(circuit), std::random_device{}(), sim::BenchData{},
                                               name == "paced");
}

/// The chain's input moved to another place, its planted sensor kept: what is really fitted goes along.
bench::InputSetup moved(const bench::Chain& chain, const std::string& pin) {
  auto input = chain.input;
  input.pin = pin;
  input.against.clear();
  if (input.planted) input.planted->pin.clear();
  return input;
}

}  // namespace

Result<double> read_zero(const bench::Chain& chain, const std::string& bench_name) {
  const auto bench = bare_bench(bench_name);
  if (auto ok = bench->connect({moved(chain, "")}); !ok) return tl::unexpected(ok.error());
  const auto capture = bench->capture(1e6, 50'000, {});
  if (!capture) return tl::unexpected(capture.error());
  double sum = 0;
  for (const double v : capture->channels.front().volts()) sum += v;
  return sum / double(capture->channels.front().counts.size());
}

Result<KnownSignal> read_known_signal(const bench::Chain& chain, const std::string& bench_name) {
  const auto bench = bare_bench(bench_name);
  const bool current = chain.input.sensor.senses_current();
  const auto limits = bench->limits();
  // As strong as the generator gives and the sensor bears, at a frequency that every sensor passes.
  const double level_pp = std::min(limits.highest_level_pp, 2 * 0.9 * limits.input.highest_50),
               frequency = std::max(1e3, 30 * chain.input.sensor.low_corner);
  if (auto ok = bench->connect({moved(chain, current ? "loop current" : "terminal")}); !ok)
    return tl::unexpected(ok.error());
  const auto applied = bench->drive({.pin = current ? "loop" : "terminal",
                                     .frequency = frequency,
                                     .peak_to_peak = level_pp,
                                     .source_resistance = 50});
  if (!applied) return tl::unexpected(applied.error());
  if (auto ok = bench->wait(0.1, {}); !ok) return tl::unexpected(ok.error());
  const double rate = bench->nearest_rate(512 * applied->frequency);
  const auto capture = bench->capture(rate, int(std::lround(20 * rate / applied->frequency)), {});
  if (!capture) return tl::unexpected(capture.error());
  const auto fit = signal::fit_tone(capture->channels.front().volts(), capture->sample_rate, applied->frequency);
  if (!fit) return tl::unexpected(fit.error());
  const auto sensing = bench::sensing_of(chain);
  const double loading = bench::summarise(chain, limits.input).loading_ohms;
  KnownSignal out{
      .read = fit->peak * std::abs(sensing.per_volt) / std::abs(bench::response_of(sensing, applied->frequency)),
      .known = applied->peak_to_peak / 2,
      // The generator's level is good to 0.2 %.
      .u = std::hypot(std::hypot(sensing.u_factor, capture->channels.front().u_gain),
                      std::hypot(2e-3, fit->u_peak / std::max(fit->peak, 1e-30)))};
  if (current)
    out.known /= 50 + 50 + (chain.input.sensor.kind == bench::SensorKind::shunt ? loading : 0);
  else if (loading > 0)
    out.known *= loading / (loading + 50);
  return out;
}

}  // namespace heron::run
