#include <cmath>

#include "sim/simulated_bench.h"
#include "study/waveform/kind.h"
#include "study/waveform/runner.h"
#include "truth/models.h"
#include "truth/truth.h"

namespace heron::truth {
namespace {

using study::waveform::Plan;

/// A divider with a capacitor across its foot, behind the generator's own resistance.
constexpr const char* kDivider = R"(
[pins]
in = "in"
out = "out"
[part.R1]
kind = "resistor"
between = ["in", "out"]
value = "3.6 kohm"
tolerance = "5 %"
[part.R2]
kind = "resistor"
between = ["out", "ground"]
value = "6.8 kohm"
tolerance = "5 %"
[part.C1]
kind = "capacitor"
between = ["out", "ground"]
value = "6.2 nF"
tolerance = "10 %"
)";

bench::Chain chain(const char* name, const char* pin, double range) {
  return {.name = name, .input = {.pin = pin, .range = range, .sensor = *bench::find_stock_sensor("Direct lead")}, .zero = {}};
}

Plan step(int passes, double range) {
  return {.drive_pin = "in",
          .low = 0,
          .high = 1.7,
          .period = 2e-3,
          .width = 1e-3,
          .edge = 100e-9,
          .hookup = {.chains = {chain("v_in", "in", range), chain("v_out", "out", range)}, .computed = {}},
          .length = 400e-6,
          .rate = 10e6,
          .before = 0.2,
          .passes = passes};
}

Experiment stepped(const char* name, int passes, double range, int quick, const study::SettingsText& settings = {}) {
  const auto run = [passes, range, settings](unsigned seed) {
    Outcome out;
    const auto read = sim::read_circuit(kDivider, "truth");
    if (!read) return out;
    const auto circuit = *sim::as_built(*read, "unit " + std::to_string(seed), {});
    std::map<std::string, double> parts;
    for (const auto& part : circuit.parts) parts[part.name] = part.values.at("value").value;
    sim::SimulatedBench bench(circuit, seed);
    const auto input = bench.limits().input;
    const auto both = [](double a, double b) { return a * b / (a + b); };
    // One pole: the input's capacitance at the generator's end is two thousand times faster.
    const double foot = both(parts["R2"], input.resistance), head = parts["R1"] + both(50, input.resistance),
                 tau = (parts["C1"] + input.capacitance) * both(head, foot);
    out.truth = {{"v_out.rise_time", std::log(9) * tau},
                 {"v_out.time_constant", tau},
                 {"v_out.time.between(20%,80%)", std::log(4) * tau},
                 {"ratio.peak_to_peak(v_out,v_in)", foot / (parts["R1"] + foot)}};
    std::vector<std::string> asked;
    for (const auto& [key, value] : out.truth) asked.push_back(key);
    std::vector<study::Point> points;
    const study::Surroundings around;
    const auto ok = study::waveform::run(step(passes, range), bench,
                                         {.around = around, .keep = [&](const study::Point& p) -> Result<void> {
                                            points.push_back(p);
                                            return {};
                                          }});
    if (ok)
      if (auto analysis = study::waveform::kind().analyse(points, settings, asked)) out.reading = std::move(analysis->reading);
    return out;
  };
  return {"waveform", name, run, 200, quick};
}

}  // namespace

std::vector<Experiment> waveform_bench() {
  // A range that leaves more noise than the solver of the bench strays; the last fills its own.
  return {stepped("take, step into a divider of drawn values", 1, 10, 24),
          stepped("take, four records of such a step", 4, 10, 24),
          stepped("take, nine records of such a step as their mean", 9, 10, 0, {{"average", "on"}}),
          stepped("take, such a step over the whole range", 1, 2, 0)};
}

}  // namespace heron::truth
