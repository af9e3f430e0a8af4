#include "recipe.h"

#include <filesystem>
#include <functional>

#include "circuits.h"
#include "dossier/take_run.h"
#include "exchange/writers.h"

namespace heron::demo {
namespace {

dossier::Study passband() {
  study::response::Plan plan{.drive_pin = "preamp in",
                             .hookup = study::response::direct_hookup("preamp in", "preamp out"),
                             .start = 2,
                             .stop = 200e3,
                             .points_per_decade = 8,
                             .level_pp = 20e-3,
                             .settle_time = 0.1,
                             .settle_periods = 2,
                             .periods = 8};
  return {.name = "Preamp passband", .kind = "response", .plan = study::response::to_json(plan)};
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

}  // namespace

std::vector<std::string> fault_names() {
  std::vector<std::string> out;
  for (const auto& fault : faults()) out.push_back(fault.name);
  return out;
}

std::string sound_study_name() { return "Sound"; }

namespace {

/// One study that is sound and one for each fault, on the same device.
Result<void> fill_practice(dossier::Store& store) {
  if (auto ok = store.set_device({"Mudlark buoy, rev C", "hydrophone preamp", std::string(kHydrophonePreamp)}); !ok)
    return ok;
  auto add = [&](const std::string& name, const std::function<void(study::response::Plan&)>& make) -> Result<void> {
    auto plan = study::response::plan_from_json(passband().plan);
    if (!plan) return tl::unexpected(plan.error());
    plan->start = 10;
    plan->points_per_decade = 5;
    make(*plan);
    const auto id = store.add_study({.name = name, .kind = "response", .plan = study::response::to_json(*plan)});
    if (!id) return tl::unexpected(id.error());
    return {};
  };
  if (auto ok = add(sound_study_name(), [](study::response::Plan&) {}); !ok) return ok;
  for (const auto& fault : faults())
    if (auto ok = add(fault.name, fault.make); !ok) return ok;
  return {};
}

Result<void> fill(dossier::Store& store) {
  if (auto ok = store.set_device({.name = "Mudlark buoy, rev C",
                                  .about = "hydrophone preamp",
                                  .circuit = std::string(kHydrophonePreamp),
                                  .expectations = {{"Low corner", "1/(2*pi*R3*C4)", "Hz"},
                                                   {"High corner", "1/(2*pi*R6*C6)", "Hz"},
                                                   {"Gain", "1 + R5/R4", "1"}}});
      !ok)
    return ok;
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

  const auto first = store.current_unit();
  if (!first) return tl::unexpected(first.error());
  const auto unit3 = store.add_unit("unit 03"), unit7 = store.add_unit("unit 07");
  if (!unit3 || !unit7) return tl::unexpected(unit3 ? unit7.error() : unit3.error());
  // Someone fitted the next value up on unit 03: its high corner comes out too low.
  if (auto ok = store.set_fitted(*unit3, "C6", 5.6e-9); !ok) return ok;

  const auto probes_id = store.add_study(through_probes());
  if (!probes_id) return tl::unexpected(probes_id.error());
  if (const auto ok = store.add_claim(*probes_id, claims[1]); !ok) return tl::unexpected(ok.error());
  auto study = store.find_study("Preamp passband");
  if (!study) return tl::unexpected(study.error());
  const struct {
    long long unit;
    const char* note;
  } takes[] = {{*unit3, "as built; C6 looks like 5.6 nF"}, {*unit7, "first try on the bench"}};
  std::uint64_t seed = 1;
  for (const auto& t : takes) {
    if (auto ok = store.set_current_unit(t.unit); !ok) return ok;
    const auto take = dossier::run_take(store, *study, "simulated", seed++, {.note = t.note}, {}, {});
    if (!take) return tl::unexpected(take.error());
    if (t.unit == *unit7) {
      const auto probes = store.find_study("Preamp through probes");
      if (!probes) return tl::unexpected(probes.error());
      if (const auto more =
              dossier::run_take(store, *probes, "simulated", seed++, {.note = "through the probes"}, {}, {});
          !more)
        return tl::unexpected(more.error());
    }
    if (t.unit == *unit3)
      if (auto ok = store.set_wake(study->id, *take); !ok) return ok;
  }
  return {};
}

}  // namespace

namespace {

/// Made under another name first, so that a demo cut short is never taken for a whole one.
Result<std::string> write_dossier(const std::string& folder, const char* name,
                                  Result<void> (*filler)(dossier::Store&)) {
  std::error_code fault;
  std::filesystem::create_directories(folder, fault);
  if (fault) return fail(Fault::input, "{}: the folder cannot be made: {}", folder, fault.message());
  const std::string place = (std::filesystem::path(folder) / name).string(), making = place + ".making";
  if (std::filesystem::exists(place))
    return fail(Fault::input, "{}: the demo is there already; remove it or choose another folder.", place);
  for (const char* ending : {"", "-wal", "-shm"}) std::filesystem::remove(making + ending, fault);
  {
    auto store = dossier::Store::create(making);
    if (!store) return tl::unexpected(store.error());
    if (auto ok = filler(*store); !ok) return tl::unexpected(ok.error());
  }
  std::filesystem::rename(making, place, fault);
  if (fault) return fail(Fault::input, "{}: cannot be written: {}", place, fault.message());
  return place;
}

}  // namespace

Result<std::string> write_practice(const std::string& folder) {
  return write_dossier(folder, kPracticeName, fill_practice);
}

Result<std::string> write(const std::string& folder) {
  // The practice dossier comes first, so that a folder with the demo in it has all of it.
  if (auto practice = write_practice(folder); !practice) return practice;
  for (const auto& circuit : kCircuits)
    if (auto ok = exchange::write_file((std::filesystem::path(folder) / (std::string(circuit.name) + ".toml")).string(),
                                       circuit.text);
        !ok)
      return tl::unexpected(ok.error());
  return write_dossier(folder, kDossierName, fill);
}

}  // namespace heron::demo
