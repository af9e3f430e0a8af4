#include "circuits.h"
#include "run/take.h"
#include "studies.h"
#include "study/iv/plan.h"

namespace heron::demo {
namespace {

using study::iv::Course;
using study::iv::Plan;
using study::iv::Role;
using study::iv::Source;
using study::iv::Spacing;

Source source(const char* pin, Role role, bench::Force force, study::iv::Values values, double compliance) {
  return {.name = pin,
          .pin = pin,
          .against = "",
          .role = role,
          .force = force,
          .value = values.start,
          .values = std::move(values),
          .compliance = compliance,
          .current_range = {}};
}

/// Light levels as the family: the lamp gives full sun at 1 V.
Plan solar_string() {
  return {
      .sources = {source("string", Role::swept, bench::Force::voltage, {.start = -0.2, .stop = 10.8, .points = 111}, 2),
                  source("lamp", Role::stepped, bench::Force::voltage, {.start = 0.25, .stop = 1, .points = 4}, 1e-3)},
      .sensed = ""};
}

Plan phototransistor() {
  return {
      .sources = {source("collector", Role::swept, bench::Force::voltage, {.start = 0, .stop = 5, .points = 51}, 10e-3),
                  source("LED", Role::stepped, bench::Force::current, {.start = 0, .stop = 20e-3, .points = 5}, 5)},
      .sensed = ""};
}

/// A ramp through a known resistor, fast enough that the double layers take their share: the ways lie apart.
Plan salinity() {
  Plan plan{.method = study::iv::Method::waveform,
            .sources = {source("force", Role::swept, bench::Force::voltage, {.start = -0.5, .stop = 0.5, .points = 101},
                               10e-3)},
            .sensed = "",
            .course = Course::both,
            .cycles = 2,
            .averages = 4,
            .hold = 1};
  plan.hookup = {.chains = {{.name = "v_force", .input = {.pin = "force", .range = {}}, .zero = {}},
                            {.name = "v_cell", .input = {.pin = "electrode", .range = {}}, .zero = {}}},
                 .computed = {{.name = "i_cell", .unit = "A", .formula = "(v_force - v_cell)/RN"}}};
  plan.voltage_name = "v_cell";
  plan.current_name = "i_cell";
  plan.ramp = 0.2;
  return plan;
}

/// Far enough to warm itself while it is swept.
Plan thermistor() {
  return {.sources = {source("thermistor", Role::swept, bench::Force::voltage, {.start = 0, .stop = 10, .points = 51},
                             3e-3)},
          .sensed = "",
          .course = Course::both,
          .delay = 10e-3};
}

Plan transfer() {
  return {
      .sources = {source("gate", Role::swept, bench::Force::voltage, {.start = 0, .stop = 2.5, .points = 101}, 1e-3),
                  source("drain", Role::constant, bench::Force::voltage, {.start = 0.1}, 1)},
      .sensed = "drain"};
}

Plan output() {
  return {
      .sources = {source("drain", Role::swept, bench::Force::voltage, {.start = 0, .stop = 2, .points = 81}, 1.2),
                  source("gate", Role::stepped, bench::Force::voltage, {.start = 1.2, .stop = 1.8, .points = 5}, 1e-3)},
      .sensed = ""};
}

Plan clamp() {
  return {.sources = {source("diode", Role::swept, bench::Force::voltage, {.start = -0.6, .stop = 8.4, .points = 181},
                             50e-3)},
          .sensed = ""};
}

struct Question {
  const char* name;
  Plan plan;
  study::SettingsText settings;
  std::vector<judge::Claim> claims;
};

Result<void> fill(dossier::Store& store, std::uint64_t& seed, const char* about, const char* circuit,
                  const std::vector<Question>& questions) {
  const auto assembly = store.add_assembly(about, std::string(circuit_text(circuit)));
  if (!assembly) return tl::unexpected(assembly.error());
  for (const auto& q : questions) {
    if (auto ok = study::iv::check(q.plan); !ok) return ok;
    const auto id = store.add_study({.name = q.name,
                                     .kind = "iv",
                                     .plan = study::iv::to_json(q.plan),
                                     .settings = q.settings,
                                     .wake = {},
                                     .assembly = *assembly});
    if (!id) return tl::unexpected(id.error());
    for (const auto& claim : q.claims)
      if (auto ok = store.add_claim(*id, claim); !ok) return tl::unexpected(ok.error());
    const auto study = store.find_study(q.name);
    if (!study) return tl::unexpected(study.error());
    if (const auto take = run::run_take(store, *study, "simulated", seed++, {}, {}, {}); !take)
      return fail(take.error().fault, "{}: {}", q.name, take.error().message);
  }
  return {};
}

Result<void> fill_all(dossier::Store& store, std::uint64_t& seed) {
  if (auto ok =
          fill(store, seed, "solar string", "solar_string",
               {{"Solar string",
                 solar_string(),
                 {},
                 {{.text = "Power in full sun \u2265 8 W", .figure = "pv.pmp@1", .lower = "8 W"},
                  {.text = "Open circuit in full sun \u2264 11.5 V", .figure = "pv.voc@1", .upper = "11.5 V"},
                  {.text = "Fill factor in full sun \u2265 0.7", .figure = "pv.fill_factor@1", .lower = "0.7"}}}});
      !ok)
    return ok;
  if (auto ok =
          fill(store, seed, "turbidity phototransistor", "turbidity_sensor",
               {{"Turbidity phototransistor",
                 phototransistor(),
                 {},
                 {{.text = "Transfer ratio at 10 mA \u2265 0.2", .figure = "gain.current@3V,10mA", .lower = "0.2"},
                  {.text = "Current at 3 V, 5 mA 0.9 mA to 1.8 mA",
                   .figure = "current@3 V,5 mA",
                   .lower = "0.9 mA",
                   .upper = "1.8 mA",
                   .typical = "1.3 mA"},
                  {.text = "Current at 3 V, 20 mA 4 mA to 8 mA",
                   .figure = "current@3 V,20 mA",
                   .lower = "4 mA",
                   .upper = "8 mA",
                   .typical = "5.5 mA"},
                  {.text = "Early voltage \u2265 60 V", .figure = "early_voltage", .lower = "60 V"}}}});
      !ok)
    return ok;
  if (auto ok = fill(store, seed, "salinity electrode cell", "salinity_cell",
                     {{"Salinity cell",
                       salinity(),
                       {},
                       {{.text = "Loop closed to 2 %", .figure = "loop.opening", .upper = "0.02"}}},
                      {"Thermistor",
                       thermistor(),
                       {},
                       {{.text = "Its loop is closed to 2 %", .figure = "loop.opening", .upper = "0.02"}}}});
      !ok)
    return ok;
  if (auto ok = fill(
          store, seed, "load-switch FET", "load_switch",
          {{"Load switch transfer",
            transfer(),
            {{"axis", "transfer"}, {"threshold_current", "250 uA"}},
            {{.text = "Threshold at 250 \u00b5A 0.9 to 1.1 V",
              .figure = "threshold.constant",
              .lower = "0.9 V",
              .upper = "1.1 V"},
             {.text = "Threshold extrapolated \u2264 1.25 V", .figure = "threshold.extrapolated", .upper = "1.25 V"}}},
           {"Load switch output",
            output(),
            {},
            {{.text = "On resistance at 1.8 V \u2264 190 m\u03a9",
              .figure = "resistance.on@1.8V",
              .upper = "190 mohm"}}}});
      !ok)
    return ok;
  return fill(store, seed, "antenna surge clamp", "surge_clamp",
              {{"Clamp diode",
                clamp(),
                {},
                {{.text = "Clamps 10 mA below 7.9 V", .figure = "voltage@10mA", .upper = "7.9 V"},
                 {.text = "Forward at 10 mA below 0.40 V", .figure = "voltage@-10mA", .lower = "-0.40 V"}}}});
}

}  // namespace

const DemoStudies& iv_studies() {
  static const DemoStudies self = {fill_all, [] { return std::vector<PracticeStudy>{}; }};
  return self;
}

}  // namespace heron::demo
