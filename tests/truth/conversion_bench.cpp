#include <cmath>

#include "sim/simulated_bench.h"
#include "study/conversion/kind.h"
#include "study/conversion/runner.h"
#include "truth/truth.h"

namespace heron::truth {
namespace converts_taken {
namespace {

using study::conversion::Plan;

/// Holds 5 V behind its switches; 60 mohm to the output, 10 nC a period at 400 kHz.
constexpr const char* kConverter =
    "[pins]\n\"battery\" = \"pin\"\n\"rail\" = \"rail\"\n"
    "[part.RIN]\nkind = \"resistor\"\nbetween = [\"pin\", \"in\"]\nvalue = \"1 uohm\"\n[part.ROUT]\nkind = \"resistor\"\nbetween = [\"out\", \"rail\"]\nvalue = \"1 uohm\"\n"
    "[part.U1]\nkind = \"averaged stage\"\nin = \"in\"\nout = \"sw\"\nground = \"ground\"\nvalue = \"50 mohm\"\nduty = 0.95\nholds = \"5 V\"\nfrequency = \"400 kHz\"\nswitching_charge = \"10 nC\"\n"
    "[part.CIN]\nkind = \"capacitor\"\nbetween = [\"in\", \"ground\"]\nvalue = \"22 uF\"\nseries_resistance = \"20 mohm\"\n"
    "[part.L1]\nkind = \"inductor\"\nbetween = [\"sw\", \"out\"]\nvalue = \"10 uH\"\nresistance = \"10 mohm\"\n"
    "[part.COUT]\nkind = \"capacitor\"\nbetween = [\"out\", \"ground\"]\nvalue = \"47 uF\"\nseries_resistance = \"30 mohm\"\n";
constexpr double kBehind = 0.06, kPerPeriod = 10e-9 * 400e3;

Outcome taken(const Plan& plan, unsigned seed, const study::SettingsText& settings, std::map<std::string, double> truth) {
  const auto circuit = sim::read_circuit(kConverter, "truth.toml");
  if (!circuit) return {{}, std::move(truth)};
  sim::SimulatedBench bench(*circuit, seed);
  const study::Surroundings around;
  std::vector<study::Point> points;
  const auto ok = study::conversion::run(plan, bench, {.around = around, .keep = [&](const study::Point& p) -> Result<void> {
                                                         points.push_back(p);
                                                         return {};
                                                       }});
  std::vector<std::string> asked;
  for (const auto& [key, value] : truth) asked.push_back(key);
  const auto analysis = ok ? study::conversion::kind().analyse(points, settings, asked) : Result<study::Analysis>(tl::unexpected(ok.error()));
  return {analysis ? analysis->reading : study::Reading{}, std::move(truth)};
}

double out_at(double i) { return 5 - kBehind * i; }
double loss_at(double i, double line) { return kBehind * i * i + kPerPeriod * line; }
double efficiency_at(double i, double line) { return out_at(i) * i / (out_at(i) * i + loss_at(i, line)); }

/// Read by source and load themselves.
Outcome by_themselves(unsigned seed) {
  Plan plan{.source_pin = "battery", .load_pin = "rail", .lines = {12}, .loads = {0, 0.5, 1, 1.5, 2}, .source_limit = 3};
  plan.settle_time = 5e-3;
  return taken(plan, seed, {{"nominal", "5 V"}},
               {{"efficiency@1A", efficiency_at(1, 12)}, {"loss@2A", loss_at(2, 12)}, {"power.idle", loss_at(0, 12)}, {"regulation.load", -kBehind * 2}, {"loss.square", kBehind}, {"accuracy.output", -100 * kBehind * 2 / 5}});
}

/// Voltages by inputs at the device.
Outcome by_inputs(unsigned seed) {
  Plan plan{.source_pin = "battery", .load_pin = "rail", .lines = {12}, .loads = {0.5, 1, 2}, .source_limit = 3};
  plan.settle_time = 5e-3;
  plan.sensed = false;
  plan.hookup.chains = {{.name = "vin", .input = {.pin = "battery", .range = 20, .sensor = *bench::find_stock_sensor("Direct lead")}, .zero = {}},
                        {.name = "vout", .input = {.pin = "rail", .range = 10, .sensor = *bench::find_stock_sensor("Direct lead")}, .zero = {}}};
  // The same probe strays the same every time: leads without a factor of their own. Behind 18 mohm of leads the device itself is what it was; its input is what the leads leave.
  return taken(plan, seed, {}, {{"regulation.load", -kBehind * 1.5}});
}

}  // namespace
}  // namespace converts_taken

std::vector<Experiment> conversion_bench() {
  using namespace converts_taken;
  return {{"conversion", "a converter on the bench, read by source and load", by_themselves, 400, 20}, {"conversion", "a converter on the bench, its voltages by inputs", by_inputs, 400, 20}};
}

}  // namespace heron::truth
