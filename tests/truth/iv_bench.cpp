#include <random>

#include "sim/simulated_bench.h"
#include "study/iv/kind.h"
#include "study/iv/runner.h"
#include "truth/models.h"
#include "truth/truth.h"

namespace heron::truth {
namespace {

using study::iv::Plan;
using Parts = std::map<std::string, double>;
constexpr double kVt25 = 1.380649e-23 * 298.15 / 1.602176634e-19;

Experiment taken(const char* name, const char* text, const Plan& plan, const study::SettingsText& settings,
                 const std::function<std::map<std::string, double>(const Parts&)>& truth_of, int quick = 0) {
  const auto run = [=](unsigned seed) {
    Outcome out;
    const auto read = sim::read_circuit(text, "truth");
    if (!read) return out;
    const auto circuit = *sim::as_built(*read, "unit " + std::to_string(seed), {});
    Parts parts;
    for (const auto& part : circuit.parts)
      for (const auto& [key, value] : part.values)
        parts[key == "value" ? part.name : part.name + "." + key] = value.value;
    out.truth = truth_of(parts);
    std::vector<std::string> asked;
    for (const auto& [key, value] : out.truth) asked.push_back(key);
    sim::SimulatedBench bench(circuit, seed);
    std::vector<study::Point> points;
    const auto ok = study::iv::run(plan, bench,
                                   [&](const study::Point& p) -> Result<void> {
                                     points.push_back(p);
                                     return {};
                                   },
                                   {}, {}, {});
    if (ok)
      if (auto analysis = study::iv::kind().analyse(points, settings, asked))
        out.reading = std::move(analysis->reading);
    return out;
  };
  return {"iv", name, run, 80, quick};
}

constexpr const char* kDiode = R"(
[pins]
anode = "anode"
[part.D1]
kind = "diode"
anode = "anode"
cathode = "ground"
saturation_current = "3 pA"
ideality = 1.55
series_resistance = "1.8 ohm"
)";
Plan diode_plan() {
  return {
      .sources = {{.name = "anode",
                   .pin = "anode",
                   .role = study::iv::Role::swept,
                   .force = bench::Force::current,
                   .values = {.start = 10e-9, .stop = 10e-3, .points = 61, .spacing = study::iv::Spacing::logarithmic},
                   .compliance = 2}}};
}

constexpr const char* kResistor = R"(
[pins]
top = "top"
[part.R1]
kind = "resistor"
between = ["top", "ground"]
value = "470 ohm"
tolerance = "5 %"
)";
Plan resistor_plan() {
  return {.sources = {{.name = "top",
                       .pin = "top",
                       .role = study::iv::Role::swept,
                       .force = bench::Force::voltage,
                       .values = {.start = -2, .stop = 2, .points = 41},
                       .compliance = 20e-3}},
          .course = study::iv::Course::both};
}

constexpr const char* kCell = R"(
[pins]
plus = "plus"
[part.PV1]
kind = "photovoltaic cell"
plus = "plus"
minus = "ground"
value = "600 mA"
saturation_current = "5 nA"
ideality = 1.35
cells = 12
series_resistance = "0.4 ohm"
shunt_resistance = "900 ohm"
)";
Plan cell_plan() {
  return {.sources = {{.name = "plus",
                       .pin = "plus",
                       .role = study::iv::Role::swept,
                       .force = bench::Force::voltage,
                       .values = {.start = -0.1, .stop = 8.5, .points = 70},
                       .compliance = 2}}};
}

}  // namespace

std::vector<Experiment> iv_bench() {
  return {often(taken(
              "take, diode", kDiode, diode_plan(), {},
              [](const Parts&) {
                const double h = 1e-6;
                const auto v = [](double i) { return junction_voltage(i, 1.55, 3e-12, 1.8, kVt25); };
                return std::map<std::string, double>{{"diode.ideality", 1.55},
                                                     {"diode.saturation_current", 3e-12},
                                                     {"diode.series_resistance", 1.8},
                                                     {"voltage@150uA", v(150e-6)},
                                                     {"current@0.6V", where(v, 0.6, 1e-12, 1)},
                                                     {"resistance.dynamic@1mA", (v(1e-3 + h) - v(1e-3 - h)) / (2 * h)}};
              },
              0), 400),
          taken(
              "take, resistor of drawn value, there and back", kResistor, resistor_plan(), {},
              [](const Parts& p) {
                const double r = p.at("R1");
                return std::map<std::string, double>{{"current@1.23V", 1.23 / r},   {"voltage@2mA", 2e-3 * r},
                                                     {"resistance.dynamic@2mA", r}, {"conductance.output@0.5V", 1 / r},
                                                     {"loop.opening", 0},           {"loop.area", 0}};
              },
              16),
          taken(
              "take, photovoltaic cells", kCell, cell_plan(), {},
              [](const Parts&) {
                const double light = 0.6, is = 5e-9, nvt = 1.35 * 12 * kVt25, rs = 0.4, shunt = 900;
                const auto out = [&](double v) {
                  double low = -5, high = 2;
                  for (int k = 0; k < 200; ++k) {
                    const double i = (low + high) / 2;
                    (light - is * std::expm1((v + i * rs) / nvt) - (v + i * rs) / shunt - i > 0 ? low : high) = i;
                  }
                  return (low + high) / 2;
                };
                double top = 0, at = 0;
                for (double v = 4; v < 8; v += 1e-4)
                  if (v * out(v) > top) {
                    top = v * out(v);
                    at = v;
                  }
                const double voc = where([&](double v) { return -out(v); }, 0, 4, 9);
                return std::map<std::string, double>{{"pv.isc", out(0)},  {"pv.voc", voc},
                                                     {"pv.pmp", top},     {"pv.vmp", at},
                                                     {"pv.imp", out(at)}, {"pv.fill_factor", top / (voc * out(0))}};
              },
              16)};
}

}  // namespace heron::truth
