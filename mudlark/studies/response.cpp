#include <algorithm>
#include <functional>

#include "circuits.h"
#include "run/take.h"
#include "studies.h"
#include "study/response/plan.h"

namespace heron::demo {
namespace {

study::response::Plan passband_plan() {
  return {.drive_pin = "preamp in",
          .hookup = study::response::direct_hookup("preamp in", "preamp out"),
          .start = 2,
          .stop = 200e3,
          .points_per_decade = 8,
          .level_pp = 20e-3,
          .settle_time = 0.1,
          .settle_periods = 2,
          .periods = 8,
          .refine = true};
}

dossier::Study passband() {
  return {.name = "Preamp passband", .kind = "response", .plan = study::response::to_json(passband_plan())};
}

bench::InputSetup through(const std::string& sensor, const std::string& pin) {
  return {.pin = pin, .sensor = *bench::find_stock_sensor(sensor)};
}

/// The same question through a probe and a differential probe, as on a board without room for leads.
dossier::Study through_probes() {
  study::response::Plan plan{
      .drive_pin = "preamp in",
      .hookup = {.chains = {{.name = "stimulus", .input = through("Probe x10", "preamp in")},
                            {.name = "response", .input = through("Differential probe x1", "preamp out")}}},
      .start = 2,
      .stop = 200e3,
      .points_per_decade = 8,
      .level_pp = 100e-3,
      .settle_time = 0.1,
      .settle_periods = 2,
      .periods = 8};
  return {.name = "Preamp through probes", .kind = "response", .plan = study::response::to_json(plan)};
}

/// Voltage over the current that a known resistor in the fixture tells.
study::response::Plan transducer_plan() {
  return {.drive_pin = "drive",
          .hookup = {.chains = {{.name = "v_drive", .input = through("Direct lead", "drive")},
                                {.name = "v", .input = through("Direct lead", "transducer")}},
                     .computed = {{.name = "i", .unit = "A", .formula = "(v_drive - v)/R1"}}},
          .stimulus = "i",
          .response = "v",
          .start = 25e3,
          .stop = 55e3,
          .quantity = study::response::Quantity::impedance,
          .points_per_decade = 140,
          .level_pp = 2,
          .settle_time = 2e-3,
          .settle_periods = 4,
          .periods = 8,
          .refine = true};
}

study::response::Plan vibration_plan() {
  return {.drive_pin = "shaker",
          .hookup = study::response::direct_hookup("shaker", "cage"),
          .start = 2,
          .stop = 64,
          .method = study::response::Method::noise,
          .settle_time = 3,
          .noise_rms = 0.5,
          .resolution = 0.5,
          .noise_averages = 40};
}

/// The loop without opening it: what comes back over what goes in, turned, since the error amplifier turns it once
/// more.
study::response::Plan loop_plan() {
  return {.drive_pin = "inject",
          .hookup = {.chains = {{.name = "goes_in", .input = through("Direct lead", "sense")},
                                {.name = "v_rail", .input = through("Direct lead", "rail")}},
                     .computed = {{.name = "comes_back", .unit = "V", .formula = "-v_rail"}}},
          .stimulus = "goes_in",
          .response = "comes_back",
          .start = 1e3,
          .stop = 300e3,
          .points_per_decade = 12,
          .level_pp = 1,
          .settle_time = 3e-3,
          .settle_periods = 2,
          .periods = 16,
          .refine = true};
}

/// A set-up that is wrong on purpose, and what is wrong with it.
struct Mistake {
  const char* name;
  std::function<void(study::response::Plan&)> make;
};

std::vector<Mistake> faults() {
  using study::response::Plan;
  const auto response = [](Plan& p) -> bench::InputSetup& { return p.hookup.chains[1].input; };
  return {{"Clipped", [=](Plan& p) { response(p).range = 0.1; }},
          {"Range underused", [=](Plan& p) { response(p).range = 20; }},
          {"Forgotten x10",
           [=](Plan& p) {
             response(p).planted = bench::Planted{.sensor = *bench::find_stock_sensor("Probe x10"), .pin = {}};
           }},
          {"Fifty ohm", [=](Plan& p) { response(p).ohms = 50; }},
          {"Swapped leads",
           [=](Plan& p) {
             p.hookup.chains[0].input.planted = bench::Planted{.sensor = {}, .pin = "preamp out"};
             response(p).planted = bench::Planted{.sensor = {}, .pin = "preamp in"};
           }},
          {"Probe too slow",
           [=](Plan& p) {
             response(p).sensor.name = "Slow isolated probe";
             response(p).sensor.kind = bench::SensorKind::isolated;
             response(p).sensor.resistance = 10e6;
             response(p).sensor.capacitance = 4e-12;
             response(p).sensor.bandwidth = 60e3;
             response(p).sensor.u_factor = 0.01;
             response(p).sensor.rating = 20;
           }},
          {"Over rating", [](Plan& p) { p.level_pp = 6; }},
          {"Minutes long",
           [](Plan& p) {
             p.start = 0.2;
             p.points_per_decade = 12;
           }},
          {"Offset not zeroed", [=](Plan& p) {
             response(p).sensor = *bench::find_stock_sensor("Differential probe x20");
             response(p).sensor.offset = 8e-3;
           }}};
}

/// A study of another assembly with its claims. @return the study as stored
Result<dossier::Study> add_study(dossier::Store& store, const std::string& name, const study::response::Plan& plan,
                                 long long assembly, const study::SettingsText& settings,
                                 const std::vector<judge::Claim>& claims) {
  const auto id = store.add_study({.name = name,
                                   .kind = "response",
                                   .plan = study::response::to_json(plan),
                                   .settings = settings,
                                   .assembly = assembly});
  if (!id) return tl::unexpected(id.error());
  for (const auto& claim : claims)
    if (auto ok = store.add_claim(*id, claim); !ok) return tl::unexpected(ok.error());
  return store.find_study(name);
}

Result<void> fill_loop(dossier::Store& store, std::uint64_t& seed) {
  const auto assembly = store.add_assembly("regulator loop", std::string(circuit_text("regulator_loop")));
  if (!assembly) return tl::unexpected(assembly.error());
  const auto study =
      add_study(store, "Regulator loop", loop_plan(), *assembly, {},
                {{.text = "Phase margin \u2265 45\u00b0", .figure = "margin.phase", .lower = "45 deg"},
                 {.text = "Crossover 10 to 40 kHz", .figure = "crossover.gain", .lower = "10 kHz", .upper = "40 kHz"},
                 {.text = "Gain margin \u2265 10 dB", .figure = "margin.gain", .lower = "10 dB"}});
  if (!study) return tl::unexpected(study.error());
  const auto take = run::run_take(store, *study, "simulated", seed++, {.note = "injected, 33 ohm load"}, {}, {});
  if (!take) return tl::unexpected(take.error());
  return {};
}

Result<void> fill_transducers(dossier::Store& store, std::uint64_t& seed) {
  const auto assembly = store.add_assembly("piezo transducer", std::string(circuit_text("piezo_transducer")));
  if (!assembly) return tl::unexpected(assembly.error());
  const std::vector<judge::Claim> claims = {
      {.text = "Series resonance 37 to 39 kHz", .figure = "resonance.series", .lower = "37 kHz", .upper = "39 kHz"},
      {.text = "Motional R \u2264 210 \u03a9", .figure = "motional.resistance", .upper = "210 ohm"},
      {.text = "Shunt C 4.7 nF \u00b15 %", .figure = "shunt.capacitance", .lower = "4.465 nF", .upper = "4.935 nF"}};
  const auto study = add_study(store, "Transducer impedance", transducer_plan(), *assembly,
                               {{"fit", "resonator"}, {"load_resistance", "1 kohm"}}, claims);
  if (!study) return tl::unexpected(study.error());
  auto plain = transducer_plan();
  plain.refine = false;
  const auto compared =
      add_study(store, "Transducers compared", plain, *assembly, {{"normalise", "28 kHz"}},
                {{.text = "Peak 11 to 16 dB over 28 kHz", .figure = "peak.gain", .lower = "11 dB", .upper = "16 dB"}});
  if (!compared) return tl::unexpected(compared.error());
  const judge::Mask shape{.text = "Shape of the resonance",
                          .curve = "gain",
                          .upper = {{25e3, 3},
                                    {33e3, 0},
                                    {36e3, -3},
                                    {38.5e3, -3},
                                    {39.5e3, 8},
                                    {40.5e3, 19},
                                    {43.5e3, 19},
                                    {46e3, 8},
                                    {55e3, 0}},
                          .lower = {{25e3, 0},
                                    {33e3, -6},
                                    {36e3, -14},
                                    {37e3, -24},
                                    {39e3, -24},
                                    {40.2e3, -9},
                                    {41e3, 8.2},
                                    {41.8e3, 8.2},
                                    {42.5e3, 5},
                                    {45e3, -1},
                                    {55e3, -5}}};
  if (auto ok = store.add_mask(compared->id, shape); !ok) return tl::unexpected(ok.error());
  // One unit has lost its bond: more loss, less resonance.
  std::vector<long long> five;
  for (const char* name : {"unit 01", "unit 03", "unit 05", "unit 07", "unit 09"}) {
    const auto unit = find_unit(store, name);
    if (!unit) return tl::unexpected(unit.error());
    five.push_back(*unit);
  }
  if (auto ok = store.set_fitted(five.back(), "RM", 380, 0, *assembly); !ok) return ok;
  auto settings = study->settings;
  for (const char* what : {"open", "short", "load"}) {
    if (auto ok = store.set_current_unit(five.front()); !ok) return ok;
    const auto take = run::run_take(store, *study, "simulated", seed++, {.purpose = what}, {}, {});
    if (!take) return tl::unexpected(take.error());
    settings[what] = std::to_string(store.take(*take)->number);
  }
  if (auto ok = store.set_settings(study->id, settings); !ok) return ok;
  for (const auto unit : five) {
    if (auto ok = store.set_current_unit(unit); !ok) return ok;
    if (unit == five.front() || unit == five.back())
      if (const auto take = run::run_take(store, *study, "simulated", seed++, {}, {}, {}); !take)
        return tl::unexpected(take.error());
    const auto take = run::run_take(store, *compared, "simulated", seed++, {}, {}, {});
    if (!take) return tl::unexpected(take.error());
    if (unit == five.front())
      if (auto ok = store.set_wake(compared->id, *take); !ok) return ok;
  }
  return {};
}

Result<void> fill_vibration(dossier::Store& store, std::uint64_t& seed) {
  const auto assembly = store.add_assembly("mooring line", std::string(circuit_text("mooring_vibration")));
  if (!assembly) return tl::unexpected(assembly.error());
  const std::vector<judge::Claim> claims = {
      {.text = "Line resonance 7 to 12 Hz", .figure = "peak.frequency", .lower = "7 Hz", .upper = "12 Hz"},
      {.text = "Isolation at 40 Hz \u2264 \u221220 dB", .figure = "gain@40Hz", .upper = "-20 dB"}};
  const auto path = add_study(store, "Mooring-line vibration", vibration_plan(), *assembly, {}, claims);
  if (!path) return tl::unexpected(path.error());
  auto loose = vibration_plan();
  loose.noise_averages = 16;
  loose.hookup.chains[1].input.planted = bench::Planted{.sensor = {}, .pin = "loose lead"};
  const auto off = add_study(store, "Mooring line, lead off", loose, *assembly, {}, claims);
  if (!off) return tl::unexpected(off.error());
  for (const auto* study : {&*path, &*off})
    if (const auto take = run::run_take(store, *study, "simulated", seed++, {}, {}, {}); !take)
      return tl::unexpected(take.error());
  return {};
}

Result<void> fill_passband(dossier::Store& store, std::uint64_t& seed) {
  const auto study_id = store.add_study(passband());
  if (!study_id) return tl::unexpected(study_id.error());
  const std::vector<judge::Claim> claims = {
      {.text = "Low corner by R3, C4 \u00b110 %",
       .figure = "corner.low",
       .expected = "1/(2*pi*R3*C4)",
       .tolerance = "10 %"},
      {.text = "High corner \u2265 18 kHz", .figure = "corner.high", .lower = "18 kHz"},
      {.text = "Gain at 1 kHz 26 \u00b10.5 dB", .figure = "gain@1kHz", .lower = "25.5 dB", .upper = "26.5 dB"}};
  for (const auto& claim : claims)
    if (auto ok = store.add_claim(*study_id, claim); !ok) return tl::unexpected(ok.error());
  const judge::Mask mask{.text = "Gain within limit lines",
                         .curve = "gain",
                         .upper = {{2, 12}, {8, 23}, {30, 27}, {20e3, 27}, {50e3, 23}, {200e3, 12}},
                         .lower = {{30, 23}, {100, 25}, {6e3, 25}, {15e3, 22.6}}};
  if (auto ok = store.add_mask(*study_id, mask); !ok) return tl::unexpected(ok.error());

  const auto unit3 = find_unit(store, "unit 03"), unit7 = find_unit(store, "unit 07");
  if (!unit3 || !unit7) return tl::unexpected(unit3 ? unit7.error() : unit3.error());
  const auto probes_id = store.add_study(through_probes());
  if (!probes_id) return tl::unexpected(probes_id.error());
  if (const auto ok = store.add_claim(*probes_id, claims[1]); !ok) return tl::unexpected(ok.error());
  auto study = store.find_study("Preamp passband");
  if (!study) return tl::unexpected(study.error());
  const struct {
    long long unit;
    const char* note;
  } takes[] = {{*unit3, "as built; C6 looks like 5.6 nF"}, {*unit7, "first try on the bench"}};
  for (const auto& t : takes) {
    if (auto ok = store.set_current_unit(t.unit); !ok) return ok;
    const auto take = run::run_take(store, *study, "simulated", seed++, {.note = t.note}, {}, {});
    if (!take) return tl::unexpected(take.error());
    if (t.unit == *unit7) {
      const auto probes = store.find_study("Preamp through probes");
      if (!probes) return tl::unexpected(probes.error());
      if (const auto more =
              run::run_take(store, *probes, "simulated", seed++, {.note = "through the probes"}, {}, {});
          !more)
        return tl::unexpected(more.error());
    }
    if (t.unit == *unit3)
      if (auto ok = store.set_wake(study->id, *take); !ok) return ok;
  }
  return {};
}

Result<void> fill(dossier::Store& store, std::uint64_t& seed) {
  for (const auto& part : {fill_passband, fill_loop, fill_transducers, fill_vibration})
    if (auto ok = part(store, seed); !ok) return ok;
  return {};
}

/// One study that is sound and one for each fault, on the same device.
std::vector<PracticeStudy> practice() {
  std::vector<PracticeStudy> out;
  const auto add = [&](const std::string& name, const std::function<void(study::response::Plan&)>& make, bool wrong) {
    auto plan = passband_plan();
    plan.start = 10;
    plan.points_per_decade = 5;
    make(plan);
    out.push_back({{.name = name, .kind = "response", .plan = study::response::to_json(plan)}, wrong});
  };
  add("Sound", [](study::response::Plan&) {}, false);
  for (const auto& fault : faults()) add(fault.name, fault.make, true);
  return out;
}

}  // namespace

const DemoStudies& response_studies() {
  static const DemoStudies self = {fill, practice};
  return self;
}

}  // namespace heron::demo
