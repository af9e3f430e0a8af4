#include "circuits.h"
#include "studies.h"
#include "study/switching/plan.h"

namespace heron::demo {
namespace switches {
namespace {

using study::switching::Other;
using study::switching::Plan;

bench::Chain sensed(const char* name, const char* pin, const char* sensor, double range, const char* against = "") {
  bench::Chain out{.name = name, .input = {.pin = pin, .range = range, .against = against, .sensor = *bench::find_stock_sensor(sensor), .bandwidth_limit = false}, .zero = {}};
  // A sensor with a zero of its own is zeroed before it is used.
  if (out.input.sensor.offset > 0) out.zero = 0;
  return out;
}

/// The lower FET by a coaxial shunt in the return lead.
Plan half_bridge() {
  Plan out{.bus_pin = "bus", .buses = {48}, .inductance = 40e-6, .saturation = 60, .currents = {20}, .gap = 2.5e-6, .second = 2e-6};
  out.gate_pin = "gate";
  out.gate_against = "source";
  out.other_pin = "upper gate";
  out.other_against = "drain";
  out.other = Other::held;
  out.gate_low = -3;
  out.gate_high = 12;
  out.edge = 16e-9;
  out.before = 1e-6;
  out.after = 1.5e-6;
  out.rest = 0.2;
  out.hookup.chains = {sensed("v_ds", "drain", "Probe x10", 10), sensed("i_d", "return current", "Coaxial shunt 10 mohm", 0.5), sensed("v_gs", "gate", "Probe x10", 2)};
  return out;
}

/// Over current and gate resistor.
Plan sweep() {
  auto out = half_bridge();
  out.currents = {5, 10, 15, 20};
  out.resistors = {5.6, 12};
  return out;
}

/// The same shot by a clamp that is too slow for its edges.
Plan by_clamp() {
  auto out = half_bridge();
  out.hookup.chains[1] = sensed("i_d", "drain current", "Clamp 40 A", 5);
  return out;
}

/// And by an isolated probe with the shunt.
Plan isolated() {
  auto out = half_bridge();
  out.hookup.chains[0] = sensed("v_ds", "drain", "Isolated probe x50", 2);
  return out;
}

/// The upper FET, whose gate flies with the switching node.
Plan high_side() {
  auto out = half_bridge();
  out.gate_against = "switch";
  out.other_pin = "lower gate";
  out.other_against = "source";
  out.hookup.chains = {sensed("v_ds", "drain", "Differential probe x20", 5, "switch"), sensed("i_d", "drain current", "Clamp 40 A", 5), sensed("v_gs", "gate", "Differential probe x20", 1, "switch")};
  return out;
}

std::vector<nlohmann::json> kept(const std::vector<Plan>& plans) {
  std::vector<nlohmann::json> out;
  for (const auto& plan : plans) out.push_back(study::switching::to_json(plan));
  return out;
}

Result<void> fill_all(dossier::Store& store, std::uint64_t& seed) {
  const auto leg = store.add_assembly("thruster half-bridge", std::string(circuit_text("thruster_half_bridge")));
  if (!leg) return tl::unexpected(leg.error());
  const auto slow = find_unit(store, "unit 03");
  if (!slow) return tl::unexpected(slow.error());
  // Its lower FET is of a batch with more resistance behind the gate.
  if (auto ok = store.set_fitted(*slow, "RG", 3.2, 0, *leg); !ok) return ok;
  const study::SettingsText rated = {{"voltage_rating", "90 V"}, {"current_rating", "60 A"}};
  auto sheet = rated;
  sheet.insert({{"expected.on", "5 A 5 uJ, 10 A 9.5 uJ, 15 A 14.5 uJ, 20 A 20 uJ"}, {"expected.off", "5 A 1 uJ, 10 A 3 uJ, 15 A 6 uJ, 20 A 10 uJ"}, {"expected.voltage", "48 V"}, {"expected.resistor", "12 ohm"}});
  const Demo energies = {"Thruster half-bridge", "switching",
                         kept({sweep()}),
                         {"unit 07", "unit 03"},
                         sheet,
                         {{.text = "Turns on with at most 22.7 uJ at 20 A and 12 ohm", .figure = "energy.on@20A,Rg=12", .upper = "22.7 uJ"},
                          {.text = "Turns off with at most 15 uJ at 20 A and 12 ohm", .figure = "energy.off@20A,Rg=12", .upper = "15 uJ"},
                          {.text = "Loses at most 30 uJ in all at 15 A and 5.6 ohm", .figure = "energy.total@15A,Rg=5.6", .upper = "30 uJ"}}};
  if (auto ok = take_all(store, seed, energies, *leg); !ok) return ok;
  const Demo shot = {"Thruster half-bridge, isolated probe and shunt", "switching",
                     kept({isolated()}),
                     {"unit 07"},
                     rated,
                     {{.text = "Overshoots by at most 28.6 %", .figure = "overshoot.voltage", .upper = "28.6 %"},
                      {.text = "Recovers at most 150 nC", .figure = "recovery.charge", .upper = "150 nC"}}};
  if (auto ok = take_all(store, seed, shot, *leg); !ok) return ok;
  const Demo clamp = {"Thruster half-bridge, a slow clamp", "switching", kept({by_clamp()}), {"unit 07"}, rated, {{.text = "Turns on with at most 24 uJ", .figure = "energy.on", .upper = "24 uJ"}}};
  if (auto ok = take_all(store, seed, clamp, *leg); !ok) return ok;
  const auto upper = store.add_assembly("thruster half-bridge, high side", std::string(circuit_text("thruster_high_side")));
  if (!upper) return tl::unexpected(upper.error());
  const Demo flies = {"Thruster half-bridge, high side by differential probes", "switching", kept({high_side()}), {"unit 07"}, rated, {{.text = "Voltage slope at most 10 V/ns", .figure = "dv_dt.off", .upper = "10e9 V/s"}}};
  return take_all(store, seed, flies, *upper);
}

std::vector<PracticeStudy> practice() {
  std::vector<PracticeStudy> out;
  const auto add = [&](const char* name, const Plan& plan, study::SettingsText settings = {}) {
    out.push_back({{.name = name, .kind = "switching", .plan = study::switching::to_json(plan), .settings = std::move(settings)}, true, "thruster_half_bridge"});
  };
  auto reversed = half_bridge();
  reversed.hookup.chains[1].input.planted = bench::Planted{.sensor = {}, .pin = "return current, other way"};
  add("Half-bridge, the shunt the other way round", reversed);
  add("Half-bridge, a clamp too slow for its edges", by_clamp());
  auto high = half_bridge();
  high.buses = {80};
  add("Half-bridge, the bus beyond its rating", high);
  return out;
}

}  // namespace
}  // namespace switches

const DemoStudies& switching_studies() {
  static const DemoStudies self = {switches::fill_all, switches::practice};
  return self;
}

}  // namespace heron::demo
