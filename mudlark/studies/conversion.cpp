#include <cmath>

#include "circuits.h"
#include "studies.h"
#include "study/conversion/plan.h"

namespace heron::demo {
namespace converters {
namespace {

using study::conversion::Inner;
using study::conversion::Method;
using study::conversion::Plan;

bench::Chain sensed(const char* name, const char* pin, const char* sensor, std::optional<double> range = {}) {
  bench::Chain out{.name = name, .input = {.pin = pin, .range = range, .sensor = *bench::find_stock_sensor(sensor)}, .zero = {}};
  // A sensor of current is zeroed before it is used.
  if (out.input.sensor.senses_current()) out.zero = 0;
  return out;
}

/// From a few milliamperes to full load, by even ratios.
std::vector<double> loads(double from, double to, int count) {
  std::vector<double> out;
  for (int k = 0; k < count; ++k) out.push_back(from * std::pow(to / from, double(k) / (count - 1)));
  return out;
}

/// The battery converter over its lines and loads, read by source and load.
Plan converter() {
  Plan out{.source_pin = "battery", .load_pin = "rail", .lines = {9, 10.5, 12, 13.5, 15}, .loads = loads(10e-3, 3, 12), .source_limit = 3};
  out.settle_time = 10e-3;
  return out;
}

/// The same at two clocks, from no load on.
Plan clocks() {
  auto out = converter();
  out.lines = {12};
  out.loads.insert(out.loads.begin(), 0);
  out.told = "switching frequency";
  out.told_unit = "Hz";
  out.told_values = {250e3, 500e3};
  return out;
}

/// Two loads, each when its coil is warm.
Plan warm() {
  auto out = converter();
  out.lines = {12};
  out.loads = {1, 3};
  out.thermometer = "coil";
  out.agree = 5e-4;
  return out;
}

/// What the rail does when the radio wakes.
Plan wakes() {
  auto out = converter();
  out.method = Method::load_steps;
  out.lines = {12};
  out.loads = {0.2, 1.2};
  out.hookup = {.chains = {sensed("vout", "rail", "Probe x10", 1), sensed("iout", "rail current", "Shunt 10 mohm", 0.02)}, .computed = {}};
  out.rate = 2e6;
  out.length = 12e-3;
  out.period = 4e-3;
  out.edge = 10e-6;
  return out;
}

/// The switching twin's output at two amperes.
Plan ripple() {
  Plan out{.method = Method::record, .source_pin = "battery", .load_pin = "rail", .lines = {12}, .loads = {0}, .source_limit = 3};
  out.settle_time = 2.5e-3;
  out.hookup = {.chains = {sensed("vout", "rail", "Direct lead", 10)}, .computed = {}};
  out.rate = 10e6;
  out.length = 400e-6;
  return out;
}

/// The sensor rail's regulator from dropout to its highest input.
Plan regulator() {
  Plan out{.source_pin = "battery", .load_pin = "rail", .lines = {3.3, 3.35, 3.4, 3.45, 3.5, 3.6, 4, 5, 6.2, 7.4, 8.4}, .loads = {1e-3, 20e-3, 50e-3, 100e-3, 150e-3, 200e-3}, .source_limit = 0.5};
  out.inner = Inner::line;
  out.settle_time = 5e-3;
  out.readings = 1024;
  return out;
}

/// Its line in steps.
Plan lines() {
  auto out = regulator();
  out.method = Method::line_steps;
  out.lines = {4, 8.4};
  out.loads = {0.1};
  out.hookup = {.chains = {sensed("vin", "battery", "Direct lead", 10), sensed("vout", "rail", "Direct lead", 5)}, .computed = {}};
  out.rate = 200e3;
  out.length = 80e-3;
  out.period = 20e-3;
  out.edge = 2e-3;
  return out;
}

std::vector<nlohmann::json> kept(const std::vector<Plan>& plans) {
  std::vector<nlohmann::json> out;
  for (const auto& plan : plans) out.push_back(study::conversion::to_json(plan));
  return out;
}

Result<void> fill_all(dossier::Store& store, std::uint64_t& seed) {
  const auto converts = store.add_assembly("battery converter, averaged", std::string(circuit_text("battery_converter")));
  if (!converts) return tl::unexpected(converts.error());
  const Demo map = {"Battery converter", "conversion",
                    kept({converter()}),
                    {"unit 07"},
                    {{"nominal", "5 V"}, {"tolerance", "3 %"}, {"line", "12 V"}},
                    {{.text = "At full load at least 92 %", .figure = "efficiency@3A", .lower = "0.92"},
                     {.text = "At 10 mA at least 60 %", .figure = "efficiency@10mA", .lower = "0.6"},
                     {.text = "At 1 A and 9 V at least 95 %", .figure = "efficiency@1A,9V", .lower = "0.95"},
                     {.text = "Within 5.2 V at any line and load", .figure = "accuracy.output", .lower = "-5 %", .upper = "4 %"},
                     {.text = "Load regulation within 6 %", .figure = "regulation.load.percent", .lower = "-6 %", .upper = "0 %"}}};
  if (auto ok = take_all(store, seed, map, *converts); !ok) return ok;
  const Demo clock = {"Battery converter at two clocks", "conversion",
                      kept({clocks()}),
                      {"unit 07"},
                      {{"nominal", "5 V"}, {"frequency", "250 kHz"}},
                      {{.text = "Idles on at most 60 mW", .figure = "power.idle", .upper = "60 mW"},
                       {.text = "At 500 kHz loses at most 0.15 W at 10 mA", .figure = "loss@10mA,frequency=500kHz", .upper = "0.15 W"}}};
  if (auto ok = take_all(store, seed, clock, *converts); !ok) return ok;
  const Demo heat = {"Battery converter, warm", "conversion", kept({warm()}), {"unit 07"}, {{"nominal", "5 V"}}, {{.text = "Warm at full load at least 91 %", .figure = "efficiency@3A", .lower = "0.91"}}};
  if (auto ok = take_all(store, seed, heat, *converts); !ok) return ok;
  const Demo step = {"Battery converter, the radio wakes", "conversion",
                     kept({wakes()}),
                     {"unit 07"},
                     {{"nominal", "5 V"}},
                     {{.text = "Dips by at most 400 mV", .figure = "transient.dip", .upper = "400 mV"},
                      {.text = "Is back within 300 us", .figure = "transient.recovery", .upper = "300 us"}}};
  if (auto ok = take_all(store, seed, step, *converts); !ok) return ok;

  const auto regulates = store.add_assembly("sensor regulator", std::string(circuit_text("sensor_regulator")));
  if (!regulates) return tl::unexpected(regulates.error());
  const Demo rail = {"Sensor-rail regulator", "conversion",
                     kept({regulator()}),
                     {"unit 07"},
                     {{"nominal", "3.3 V"}, {"tolerance", "0.25 %"}, {"line_from", "3.6 V"}},
                     {{.text = "Holds the line within 0.1 %", .figure = "regulation.line.percent", .lower = "-0.1 %", .upper = "0.1 %"},
                      {.text = "Holds the load within 0.3 %", .figure = "regulation.load.percent", .lower = "-0.3 %", .upper = "0 %"},
                      {.text = "Set within 0.25 %", .figure = "accuracy.output", .lower = "-0.25 %", .upper = "0.25 %"}}};
  if (auto ok = take_all(store, seed, rail, *regulates); !ok) return ok;
  const Demo drop = {"Sensor-rail regulator, dropout", "conversion",
                     kept({regulator()}),
                     {"unit 07"},
                     {{"nominal", "3.3 V"}},
                     {{.text = "Drops out below 160 mV at 200 mA", .figure = "dropout@200mA", .upper = "160 mV"}, {.text = "Drops out below 140 mV at 150 mA", .figure = "dropout@150mA", .upper = "140 mV"}}};
  if (auto ok = take_all(store, seed, drop, *regulates); !ok) return ok;
  const Demo stepped = {"Sensor-rail regulator, line in steps", "conversion",
                        kept({lines()}),
                        {"unit 07"},
                        {{"nominal", "3.3 V"}},
                        {{.text = "Ripple at rest at most 5 mV", .figure = "ripple", .upper = "5 mV"}}};
  if (auto ok = take_all(store, seed, stepped, *regulates); !ok) return ok;

  const auto twin = find_assembly(store, "battery converter");
  if (!twin) return tl::unexpected(twin.error());
  const Demo swings = {"Battery converter, ripple over time", "conversion",
                       kept({ripple()}),
                       {"unit 07"},
                       {{"switching", "400 kHz"}},
                       {{.text = "At most 30 mV of ripple", .figure = "ripple", .upper = "30 mV"}}};
  return take_all(store, seed, swings, *twin);
}

std::vector<PracticeStudy> practice() {
  std::vector<PracticeStudy> out;
  const auto add = [&](const char* name, Plan plan, study::SettingsText settings) {
    settings.insert({"nominal", "5 V"});
    out.push_back({{.name = name, .kind = "conversion", .plan = study::conversion::to_json(plan), .settings = std::move(settings)}, true, "battery_converter"});
  };
  auto few = converter();
  few.lines = {9};
  few.loads = {0.5, 1, 2, 3};
  auto far = few;
  far.sensed = false;
  add("Converter, sensed at the supply's terminals", far, {});
  auto weak = few;
  weak.source_limit = 1;
  add("Converter, the supply's limit too low", weak, {});
  auto warm = few;
  warm.hookup = {.chains = {sensed("iout", "rail current", "Shunt 10 mohm", 0.05)}, .computed = {}};
  add("Converter, a shunt that heats", warm, {{"shunt.iout", "10 mohm, 400 ppm/K, 60 K/W"}});
  return out;
}

}  // namespace
}  // namespace converters

const DemoStudies& conversion_studies() {
  static const DemoStudies self = {converters::fill_all, converters::practice};
  return self;
}

}  // namespace heron::demo
