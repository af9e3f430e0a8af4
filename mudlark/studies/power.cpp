#include "circuits.h"
#include "studies.h"
#include "study/power/plan.h"

namespace heron::demo {
namespace feeds {
namespace {

using study::power::Feed;
using study::power::Method;
using study::power::Plan;

bench::Chain sensed(const char* name, const char* pin, const char* sensor, double range) {
  return {.name = name, .input = {.pin = pin, .range = range, .sensor = *bench::find_stock_sensor(sensor)}, .zero = {}};
}

/// A clamp is zeroed before it is used.
bench::Chain clamped(const char* name, const char* pin, double range) {
  auto out = sensed(name, pin, "Clamp 40 A", range);
  out.zero = 0;
  return out;
}

/// The pump from its contact on, until it runs.
Plan pump() {
  Plan out{.method = Method::switch_on, .feed = Feed::supply, .pin = "supply", .supply_voltage = 12, .supply_limit = 30, .contact = "S1"};
  out.hookup = {.chains = {sensed("v_bus", "supply", "Probe x10", 2), clamped("i_pump", "motor current", 5)}, .computed = {}};
  out.rate = 50e3;
  out.length = 0.6;
  return out;
}

/// Three windings at speed, fed ahead of what they give by themselves.
Plan thruster() {
  Plan out{.feed = Feed::phases, .pin = "phase a", .pin_b = "phase b", .pin_c = "phase c", .voltage = 13, .frequency = 120, .line_resistance = 0.05, .line_inductance = 50e-6, .angle = 106};
  out.hookup = {.chains = {sensed("v_a", "phase a", "Direct lead", 20), sensed("v_b", "phase b", "Direct lead", 20), sensed("v_c", "phase c", "Direct lead", 20), clamped("i_a", "current a", 2),
                           clamped("i_b", "current b", 2), clamped("i_c", "current c", 2)},
                .computed = {}};
  out.rate = 25e3;
  out.cycles = 12;
  out.settle_time = 0.03;
  return out;
}

/// The radio over three wakes: one input for what it sleeps at, one for its bursts, joined.
Plan radio() {
  Plan out{.method = Method::profile, .feed = Feed::supply, .pin = "rail", .supply_voltage = 3.2, .supply_limit = 0.5};
  out.hookup = {.chains = {sensed("i_fine", "rail current", "Shunt 1 ohm", 0.02), sensed("i_coarse", "rail current", "Shunt 1 ohm", 0.5)},
                .computed = {{.name = "i", .unit = "A", .formula = "abs(i_fine) < 0.018 ? i_fine : i_coarse"}}};
  out.rate = 20e3;
  out.length = 3.2;
  out.settle_time = 0.5;
  return out;
}

/// The battery's rail for an hour.
Plan rail() {
  Plan out{.method = Method::recording, .feed = Feed::own};
  out.hookup = {.chains = {sensed("v_rail", "rail", "Direct lead", 5), clamped("i_rail", "rail current", 0.05)}, .computed = {}};
  out.rate = 1e3;
  out.length = 3600;
  out.settle_time = 0.1;
  return out;
}

/// The charger on the mains.
Plan charger() {
  Plan out{.feed = Feed::mains, .pin = "mains", .voltage = 230, .frequency = 50, .third = 0.01, .fifth = 0.015};
  out.hookup = {.chains = {sensed("v", "mains", "Probe x100", 5), clamped("i", "mains current", 1)}, .computed = {}};
  out.rate = 25e3;
  out.settle_time = 0.1;
  return out;
}

std::vector<nlohmann::json> kept(const std::vector<Plan>& plans) {
  std::vector<nlohmann::json> out;
  for (const auto& plan : plans) out.push_back(study::power::to_json(plan));
  return out;
}

Result<void> fill_all(dossier::Store& store, std::uint64_t& seed) {
  const auto bilge = store.add_assembly("bilge pump", std::string(circuit_text("bilge_pump")));
  if (!bilge) return tl::unexpected(bilge.error());
  const Demo start = {"Bilge-pump start", "power",
                      kept({pump()}),
                      {"unit 07"},
                      {{"wire.i", "i_pump"}, {"fuse", "2 ms 60 A, 20 ms 30 A, 100 ms 20 A, 500 ms 12 A"}},
                      {{.text = "Starts with at most 16 A", .figure = "inrush.peak.positive", .upper = "16 A"},
                       {.text = "The fuse bears it: at most 40 A2s", .figure = "inrush.i2t", .upper = "40 A2s"},
                       {.text = "Runs within 0.4 s", .figure = "inrush.settled_after", .upper = "0.4 s"},
                       {.text = "Runs on at most 3 A", .figure = "steady.rms", .upper = "3 A"}}};
  if (auto ok = take_all(store, seed, start, *bilge); !ok) return ok;

  const auto drive = store.add_assembly("thruster drive", std::string(circuit_text("thruster_drive")));
  if (!drive) return tl::unexpected(drive.error());
  const Demo phases = {"Thruster drive", "power",
                       kept({thruster()}),
                       {"unit 07"},
                       {{"sequence", "abc"}},
                       {{.text = "Takes at least 180 W", .figure = "power.active", .lower = "180 W"},
                        {.text = "Power factor at least 0.9", .figure = "power_factor", .lower = "0.9"},
                        {.text = "Currents even to 2.6 %", .figure = "unbalance.current", .upper = "2.6 %"},
                        {.text = "Phase a takes at most 8.5 A", .figure = "current.rms.a", .upper = "8.5 A"}}};
  if (auto ok = take_all(store, seed, phases, *drive); !ok) return ok;

  const auto sleeper = store.add_assembly("radio rail", std::string(circuit_text("radio_rail")));
  if (!sleeper) return tl::unexpected(sleeper.error());
  const Demo wakes = {"Radio rail", "power",
                      kept({radio()}),
                      {"unit 07"},
                      {{"battery", "19 Ah"}, {"states", "asleep, listening, sending"}},
                      {{.text = "Sleeps at no more than 12 uA", .figure = "profile.sleep", .upper = "12 uA"},
                       {.text = "Wakes three times", .figure = "profile.wake.count", .lower = "3", .upper = "3"},
                       {.text = "A wake takes at most 1.5 mC", .figure = "profile.wake.charge", .upper = "1.5 mC"}}};
  if (auto ok = take_all(store, seed, wakes, *sleeper); !ok) return ok;

  const auto battery = store.add_assembly("battery rail", std::string(circuit_text("battery_rail")));
  if (!battery) return tl::unexpected(battery.error());
  const Demo hour = {"Battery rail over an hour", "power",
                     kept({rail()}),
                     {"unit 07"},
                     {{"watch.rail", "v_rail under 4.6 V for 10 ms"}},
                     {{.text = "The rail never dips", .figure = "watch.rail.count", .upper = "0"}, {.text = "No dip outlasts 50 ms", .figure = "watch.rail.longest", .upper = "50 ms"}}};
  if (auto ok = take_all(store, seed, hour, *battery); !ok) return ok;

  const auto shore = store.add_assembly("shore charger", std::string(circuit_text("shore_charger")));
  if (!shore) return tl::unexpected(shore.error());
  const Demo line = {"Shore charger", "power",
                     kept({charger()}),
                     {"unit 07"},
                     {{"class", "D"}},
                     {{.text = "Within class D", .figure = "harmonic.margin", .lower = "0 %"},
                      {.text = "Takes at most 120 W", .figure = "power.active", .upper = "120 W"},
                      {.text = "Power factor at least 0.5", .figure = "power_factor", .lower = "0.5"}}};
  return take_all(store, seed, line, *shore);
}

std::vector<PracticeStudy> practice() {
  std::vector<PracticeStudy> out;
  const auto add = [&](const char* name, Plan plan) {
    out.push_back({{.name = name, .kind = "power", .plan = study::power::to_json(plan), .settings = {{"sequence", "abc"}}}, true, "thruster_drive"});
  };
  auto reversed = thruster();
  reversed.hookup.chains[4].input.planted = bench::Planted{.sensor = {}, .pin = "current b, other way"};
  add("Thruster, a clamp the other way round", reversed);
  auto exchanged = thruster();
  exchanged.hookup.chains[4].input.planted = bench::Planted{.sensor = {}, .pin = "current c"};
  exchanged.hookup.chains[5].input.planted = bench::Planted{.sensor = {}, .pin = "current b"};
  add("Thruster, two clamps exchanged", exchanged);
  auto factor = thruster();
  auto fitted = *bench::find_stock_sensor("Probe x10");
  factor.hookup.chains[1].input.planted = bench::Planted{.sensor = fitted, .pin = {}};
  add("Thruster, a factor of ten forgotten", factor);
  return out;
}

}  // namespace
}  // namespace feeds

const DemoStudies& power_studies() {
  static const DemoStudies self = {feeds::fill_all, feeds::practice};
  return self;
}

}  // namespace heron::demo
