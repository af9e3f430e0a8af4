#include "circuits.h"
#include "studies.h"
#include "study/waveform/plan.h"

namespace heron::demo {
namespace waveforms {
namespace {

using study::waveform::Drive;
using study::waveform::Plan;
using study::waveform::Shape;
using study::waveform::Slope;
using study::waveform::When;

bench::Chain sensed(const char* name, const char* sensor, const char* pin, double range) {
  return {.name = name, .input = {.pin = pin, .range = range, .sensor = *bench::find_stock_sensor(sensor)}, .zero = {}};
}

/// The preamp's answer to a step: its own rise, and how its high-pass lets it go again.
Plan preamp_step() {
  return {.drive_pin = "preamp in",
          .shape = Shape::pulse,
          .low = 0,
          .high = 30e-3,
          .period = 2e-3,
          .width = 0.4e-3,
          .edge = 100e-9,
          .hookup = {.chains = {sensed("v_in", "Direct lead", "preamp in", 0.05), sensed("v_out", "Direct lead", "preamp out", 1)},
                     .computed = {}},
          .length = 0.3e-3,
          .rate = 20e6,
          .before = 0.2,
          .quantity = "v_in"};
}

/// The same gain that the response study has, read in time.
Plan preamp_gain(double frequency) {
  return {.drive_pin = "preamp in",
          .shape = Shape::sine,
          .low = -10e-3,
          .high = 10e-3,
          .period = 1 / frequency,
          .hookup = {.chains = {sensed("v_in", "Direct lead", "preamp in", 0.02), sensed("v_out", "Direct lead", "preamp out", 0.5)},
                     .computed = {}},
          .length = 40 / frequency,
          .rate = 500 * frequency,
          .before = 0.1,
          .when = When::edge,
          .quantity = "v_in",
          .level = 0,
          .hold_off = 12e-3,
          .patience = 1};
}

/// How long it lasts after the plug is pulled.
Plan holdup() {
  return {.drive = Drive::contact,
          .contact = "K1",
          .closes = false,
          .feed_pin = "charger",
          .feed_voltage = 4.8,
          .feed_limit = 1,
          .feed_time = 1,
          .hookup = {.chains = {sensed("v_cap", "Direct lead", "rail", 5)}, .computed = {}},
          .length = 0.9,
          .rate = 20e3,
          .before = 0.1,
          .when = When::edge,
          .quantity = "v_cap",
          .level = 4.3,
          .slope = Slope::falling,
          .hysteresis = 20e-3,
          .patience = 5};
}

/// What it lets through while a surge comes down the antenna.
Plan surge(double peak) {
  return {.drive = Drive::surge,
          .drive_pin = "antenna",
          .surge_peak = peak,
          .surge_resistance = 12,
          .surge_front = 0.8e-6,
          .surge_tail = 20e-6,
          .hookup = {.chains = {sensed("v", "Probe x10", "radio", 1), sensed("i", "Shunt 1 ohm", "clamp current", 2)}, .computed = {}},
          .length = 60e-6,
          .rate = 100e6,
          .before = 0.1,
          .when = When::start,
          .quantity = "v"};
}

/// The recorder's rail comes up, and what rushes into its capacitors.
Plan switch_on() {
  return {.drive = Drive::supply,
          .drive_pin = "supply in",
          .supply_voltage = 5.2,
          .supply_limit = 8,
          .hookup = {.chains = {sensed("v_rail", "Direct lead", "rail", 10), sensed("i_in", "Shunt 10 mohm", "supply current", 0.05)},
                     .computed = {}},
          .length = 4e-3,
          .rate = 5e6,
          .before = 0.1,
          .quantity = "v_rail"};
}

/// Set-ups that are wrong on purpose: a sensor that cannot follow, and a chain that would be harmed.
std::vector<PracticeStudy> practice() {
  auto slow = surge(60);
  slow.hookup.chains[0] = sensed("v", "Probe x1", "radio", 10);
  auto harmed = surge(60);
  harmed.hookup.chains[0] = sensed("v", "Differential probe x1", "radio", 10);
  std::vector<PracticeStudy> out;
  for (const auto& [name, plan] : {std::pair{"Surge seen too slowly", slow}, {"Surge into a probe of 3 V", harmed}})
    out.push_back({.study = {.name = name, .kind = "waveform", .plan = study::waveform::to_json(plan)}, .wrong = true, .circuit = "surge_clamp"});
  return out;
}

std::vector<nlohmann::json> kept(const std::vector<Plan>& plans) {
  std::vector<nlohmann::json> out;
  for (const auto& plan : plans) out.push_back(study::waveform::to_json(plan));
  return out;
}

Result<void> fill_all(dossier::Store& store, std::uint64_t& seed) {
  const Demo step = {"Preamp step", "waveform",
                     kept({preamp_step()}),
                     {"unit 07"},
                     {},
                     {{.text = "Rise time at most 20 \u00b5s", .figure = "v_out.rise_time", .upper = "20 us"},
                      {.text = "Overshoot at most 2 %", .figure = "v_out.overshoot", .upper = "2 %"}}};
  const Demo gain = {"Preamp gain in time", "waveform",
                     kept({preamp_gain(410), preamp_gain(14.7e3), preamp_gain(2.3e3)}),
                     {"unit 07"},
                     {},
                     {{.text = "Gain 19 to 21 at this frequency", .figure = "ratio.rms(v_out,v_in)", .lower = "19", .upper = "21"}}};
  for (const auto* demo : {&step, &gain})
    if (auto ok = take_all(store, seed, *demo, dossier::kMainAssembly); !ok) return ok;

  const auto capacitor = store.add_assembly("hold-up capacitor", std::string(circuit_text("holdup_capacitor")));
  if (!capacitor) return tl::unexpected(capacitor.error());
  // As measured on the bridge: unit 03 has lost some of its capacitance.
  for (const auto& [name, farads] : {std::pair{"unit 03", 5.02e-3}, {"unit 07", 5.71e-3}}) {
    const auto unit = find_unit(store, name);
    if (!unit) return tl::unexpected(unit.error());
    if (auto ok = store.set_fitted(*unit, "C1", farads, 0.005, *capacitor); !ok) return ok;
  }
  const Demo discharge = {"Hold-up discharge", "waveform",
                          kept({holdup()}),
                          {"unit 07", "unit 03"},
                          {{"of", "start"}},
                          {{.text = "Time constant by RL, C1 \u00b15 %", .figure = "time_constant", .expected = "RL*C1", .tolerance = "5 %"},
                           {.text = "Above 2.7 V for 159 ms", .figure = "time.at(2.7V,falling)", .lower = "159 ms"}}};
  if (auto ok = take_all(store, seed, discharge, *capacitor); !ok) return ok;

  const auto clamp = find_assembly(store, "antenna surge clamp");
  if (!clamp) return tl::unexpected(clamp.error());
  const Demo surges = {"Clamp under surges", "waveform",
                       kept({surge(12), surge(30), surge(60)}),
                       {"unit 07"},
                       {},
                       {{.text = "Lets through at most 9 V", .figure = "v.max", .upper = "9 V"},
                        {.text = "Takes at most 150 \u00b5J", .figure = "pulse.energy", .upper = "150 uJ"}}};
  if (auto ok = take_all(store, seed, surges, *clamp); !ok) return ok;

  const auto entry = store.add_assembly("recorder supply entry", std::string(circuit_text("recorder_supply")));
  if (!entry) return tl::unexpected(entry.error());
  const Demo rush = {"Recorder switched on", "waveform",
                     kept({switch_on()}),
                     {"unit 07"},
                     {{"expected.v_rail", "t > 0 ? 5.2*39/(39 + RS + 0.11)*(1 - exp(-t/((RS + 0.11)*C1))) : 0"}},
                     {{.text = "Rail at 4.6 V within 1.2 ms", .figure = "v_rail.time.at(4.6V,rising)", .upper = "1.2 ms"},
                      {.text = "Draws at most 4 A", .figure = "i_in.max", .upper = "4 A"},
                      {.text = "Rail overshoots by at most 2 %", .figure = "v_rail.overshoot", .upper = "2 %"}}};
  return take_all(store, seed, rush, *entry);
}

}  // namespace
}  // namespace waveforms

const DemoStudies& waveform_studies() {
  static const DemoStudies self = {waveforms::fill_all, waveforms::practice};
  return self;
}

}  // namespace heron::demo
