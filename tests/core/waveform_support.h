#pragma once
#include <catch2/catch.hpp>

#include "run/device.h"
#include "run/ledger.h"
#include "run/take.h"
#include "sim/simulated_bench.h"
#include "study/kind.h"
#include "study/waveform/study_plan.h"
#include "support.h"

/// Small devices on the simulated bench, and studies of waveforms about them.
namespace waveform_bench {

using namespace heron;

using study::waveform::Drive;
using study::waveform::Plan;
using study::waveform::Shape;
using study::waveform::Slope;
using study::waveform::When;

/// A source resistor's worth of device: a resistor to ground, and a capacitor that a contact feeds.
constexpr const char* kResistor =
    "[pins]\n\"in\" = \"in\"\n[ratings]\n\"in\" = { voltage = \"40 V\", reverse_voltage = \"5 V\" }\n"
    "[part.R1]\nkind = \"resistor\"\nbetween = [\"in\", \"ground\"]\nvalue = \"100 ohm\"\n";
constexpr const char* kFed =
    "[pins]\n\"feed\" = \"in\"\n\"cap\" = \"cap\"\n"
    "[part.K1]\nkind = \"contact\"\nbetween = [\"in\", \"fed\"]\nrest = \"closed\"\nbounce = \"2 ms\"\n"
    "[part.R1]\nkind = \"resistor\"\nbetween = [\"fed\", \"cap\"]\nvalue = \"1 ohm\"\n"
    "[part.C1]\nkind = \"capacitor\"\nbetween = [\"cap\", \"ground\"]\nvalue = \"100 uF\"\n"
    "[part.RL]\nkind = \"resistor\"\nbetween = [\"cap\", \"ground\"]\nvalue = \"200 ohm\"\n";

inline sim::Circuit circuit(const char* text) {
  auto read = sim::read_circuit(text, "waveform.toml");
  if (!read) FAIL(read.error().message);
  return *read;
}

inline bench::Sensor exact(const char* name) {
  auto out = *bench::find_stock_sensor(name);
  out.offset = out.u_factor = out.noise = 0;
  return out;
}

inline bench::InputSetup direct(const char* pin, double range) { return {.pin = pin, .range = range, .sensor = exact("Direct lead")}; }

struct Studied {
  test::Folder folder;
  dossier::Store store = *dossier::Store::create(folder.file("w.heron"));
  dossier::Study study;

  Studied(const char* circuit_text, const Plan& plan) {
    REQUIRE(store.set_device({"Mudlark buoy", "test", circuit_text}));
    const auto id = store.add_study({.name = "S", .kind = "waveform", .plan = study::waveform::to_json(plan)});
    if (!id) FAIL(id.error().message);
    study = *store.find_study("S");
  }
  Result<long long> take(const run::RunOptions& options = {}) { return run::run_take(store, study, "simulated", 3, options, {}, {}); }
  study::Analysis analysed(long long take) { return *run::analyse_take(store, study, *store.take(take)); }
  std::vector<study::Doubt> findings(const Plan& plan) {
    const auto around = *run::surroundings_of(store, study);
    const study::waveform::PlannedCapture planned(plan);
    const auto levels = planned.predict(around);
    return planned.preflight(around, levels ? &*levels : nullptr);
  }
};

inline bool has(const std::vector<study::Doubt>& doubts, const char* key) {
  return std::any_of(doubts.begin(), doubts.end(), [&](const auto& d) { return d.key == key; });
}

inline const study::Doubt& found(const std::vector<study::Doubt>& doubts, const std::string& key) {
  const auto it = std::find_if(doubts.begin(), doubts.end(), [&](const auto& d) { return d.key == key; });
  if (it == doubts.end()) FAIL("no doubt " << key);
  return *it;
}

/// A contact that opens lets the capacitor go.
inline Plan opened() {
  return {.drive = Drive::contact,
          .contact = "K1",
          .feed_pin = "feed",
          .feed_voltage = 4,
          .feed_limit = 2,
          .feed_time = 0.01,
          .hookup = {.chains = {{.name = "v", .input = direct("cap", 5), .zero = {}}}, .computed = {}},
          .length = 20e-3,
          .rate = 20e3,
          .before = 0.2,
          .quantity = "v"};
}

inline Plan pulses() {
  return {.drive_pin = "in",
          .shape = Shape::pulse,
          .low = 0,
          .high = 3,
          .period = 100e-6,
          .width = 40e-6,
          .edge = 100e-9,
          .hookup = {.chains = {{.name = "v", .input = direct("in", 5), .zero = {}}}, .computed = {}},
          .length = 50e-6,
          .rate = 100e6,
          .before = 0.2,
          .quantity = "v"};
}

}  // namespace waveform_bench
