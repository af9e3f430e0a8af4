#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "judge/claim.h"
#include "run/ledger.h"
#include "sim/simulated_bench.h"
#include "study/preflight.h"
#include "study/spectrum/doubts.h"
#include "study/spectrum/kind.h"
#include "study/spectrum/runner.h"
#include "study/spectrum/study_plan.h"
#include "waveform_support.h"

using namespace heron;

/// Plans of spectra on the simulated bench.
namespace spectrum_bench {
namespace {

using study::spectrum::Along;
using study::spectrum::Drive;
using study::spectrum::Plan;
using waveform_bench::circuit;
using waveform_bench::direct;
using waveform_bench::has;

/// A cube of its input behind a divider that halves it: v = u + 0.08 u^3.
constexpr const char* kBent =
    "[pins]\n\"in\" = \"in\"\n\"out\" = \"out\"\n[ratings]\n\"in\" = { voltage = \"2 V\" }\n"
    "[part.R1]\nkind = \"resistor\"\nbetween = [\"in\", \"u\"]\nvalue = \"2.2 kohm\"\n"
    "[part.R2]\nkind = \"resistor\"\nbetween = [\"u\", \"ground\"]\nvalue = \"2.2 kohm\"\n"
    "[part.B1]\nkind = \"expression voltage\"\nbetween = [\"bent\", \"ground\"]\nformula = \"u + 0.08*u*u*u\"\nsees = { u = \"u\" }\n"
    "[part.R3]\nkind = \"resistor\"\nbetween = [\"bent\", \"out\"]\nvalue = \"100 ohm\"\n";

Plan sine() {
  Plan out{.drive_pin = "in", .level = 1.6, .settle_time = 2e-3, .hookup = {.chains = {{.name = "v", .input = direct("out", 1), .zero = {}}}, .computed = {}}, .samples = 8192, .rate = 200e3};
  out.frequency = study::spectrum::coherent_frequency(3.3e3, out.rate, std::size_t(out.samples));
  return out;
}

std::vector<study::Point> taken(const Plan& plan, std::stop_token stop = {}, Error* why = nullptr) {
  sim::SimulatedBench bench(circuit(kBent), 5);
  const study::Surroundings around;
  std::vector<study::Point> out;
  const auto ok = study::spectrum::run(plan, bench, {.around = around,
                                                     .keep = [&](const study::Point& p) -> Result<void> {
                                                       out.push_back(p);
                                                       return {};
                                                     },
                                                     .stop = stop});
  if (!ok && why) *why = ok.error();
  if (!ok && !why) FAIL(ok.error().message);
  return out;
}

double value(const std::vector<study::Point>& points, const char* key, const study::SettingsText& settings = {}) {
  const auto analysis = study::spectrum::kind().analyse(points, settings, {key});
  if (!analysis) FAIL(analysis.error().message);
  const auto* f = analysis->reading.find(key);
  if (!f)
    for (const auto& a : analysis->reading.absent)
      if (a.key == key) FAIL(key << ": " << a.reason);
  REQUIRE(f);
  return f->value;
}

double db(double ratio) { return 20 * std::log10(ratio); }

/// What the divider leaves of an open-circuit level: 50 ohm before 4.4 kohm, halved.
double at_divider(double pk_pk) { return pk_pk / 2 * 4400 / 4450 / 2; }

}  // namespace

TEST_CASE("a bent device gives the harmonic that its bend has, at the rate that the inputs have", "[spectrum][bench]") {
  auto plan = sine();
  // A rate that is none of the inputs': what was coherent at it stays so at the one they have.
  plan.rate = 210e3;
  plan.frequency = study::spectrum::coherent_frequency(3.3e3, plan.rate, std::size_t(plan.samples));
  const auto points = taken(plan);
  REQUIRE(points.size() == 1);
  const double a = at_divider(1.6), gain = 1 + 0.75 * 0.08 * a * a;
  CHECK(value(points, "harmonic.3.level") == Approx(db(0.08 * a * a / 4 / gain)).margin(0.2));
  CHECK(value(points, "fundamental.level") == Approx(db(a * gain / std::sqrt(2.0))).margin(0.02));
  const double cycles = value(points, "fundamental.frequency") * 8192 / points[0].records[0].sample_rate;
  CHECK(std::abs(cycles - std::round(cycles)) < 2e-3);
}

TEST_CASE("two tones are driven together, each as high as it is said", "[spectrum][bench]") {
  auto plan = sine();
  plan.drive = Drive::two_tones;
  plan.level = 0.7;
  plan.second_frequency = study::spectrum::coherent_frequency(4.1e3, plan.rate, std::size_t(plan.samples));
  plan.records = 2;
  const auto points = taken(plan);
  REQUIRE(points.size() == 1);
  CHECK(points[0].records.size() == 2);
  const double a = at_divider(0.7), carrier = a * (1 + 2.25 * 0.08 * a * a);
  CHECK(value(points, "fundamental.level") == Approx(db(carrier / std::sqrt(2.0))).margin(0.02));
  CHECK(value(points, "imd.3") == Approx(db(0.75 * 0.08 * a * a * a / carrier)).margin(0.3));
}

TEST_CASE("a sweep keeps its points as they come, and those before a stop", "[spectrum][bench][sweep]") {
  auto plan = sine();
  plan.along = Along::level;
  plan.level = 0.2;
  plan.end = 1.6;
  plan.points = 4;
  const auto points = taken(plan);
  REQUIRE(points.size() == 4);
  const double a = at_divider(1.6) * 0.9, rms = 0.9 * 1.6 / (2 * std::sqrt(2.0));
  CHECK(value(points, fmt::format("level.out@{:.9g}V", rms).c_str()) == Approx(a * (1 + 0.06 * a * a) / std::sqrt(2.0)).epsilon(2e-3));
  plan.along = Along::frequency;
  plan.frequency = 1e3;
  plan.end = 9e3;
  const auto over = taken(plan);
  REQUIRE(over.size() == 4);
  CHECK(over[3].setting.json()["swept"]["value"].get<double>() == Approx(9e3).epsilon(1e-3));
  CHECK(value(over, "level.out@4kHz") == Approx(at_divider(0.2) / std::sqrt(2.0)).epsilon(3e-3));

  std::stop_source stop;
  stop.request_stop();
  Error why;
  CHECK(taken(plan, stop.get_token(), &why).empty());
  CHECK(why.fault == Fault::stopped);
}

TEST_CASE("what would go wrong with a spectrum is said before it is driven", "[spectrum][preflight]") {
  test::Folder folder;
  auto store = *dossier::Store::create(folder.file("s.heron"));
  REQUIRE(store.set_device({"Mudlark buoy", "bent", kBent}));
  const auto findings = [&](const Plan& plan, const study::SettingsText& settings = {}) {
    auto around = *run::surroundings_of(store, {.name = "S", .kind = "spectrum", .plan = study::spectrum::to_json(plan), .settings = settings, .assembly = dossier::kMainAssembly});
    const study::spectrum::PlannedSpectrum planned(plan);
    const auto levels = planned.predict(around);
    return planned.preflight(around, levels ? &*levels : nullptr);
  };
  auto plan = sine();
  CHECK_FALSE(study::refusal(findings(plan)));
  CHECK_FALSE(has(findings(plan), "frequency.not_coherent"));
  plan.frequency = 3.3e3;
  REQUIRE(has(findings(plan), "frequency.not_coherent"));
  // A window that is chosen is nobody's mistake.
  CHECK_FALSE(has(findings(plan, {{"window", "hann"}}), "frequency.not_coherent"));
  // The pin bears 2 V: of 4.1 V pk-pk, or of less with an offset.
  plan = sine();
  plan.hookup.chains[0].input.range = 5;
  plan.level = 4.1;
  CHECK(study::refusal(findings(plan)));
  plan.level = 3;
  plan.offset = 0.6;
  CHECK(study::refusal(findings(plan)));
  plan.offset = 0;
  plan.along = Along::level;
  plan.end = 4.2;
  CHECK(study::refusal(findings(plan)));
  plan.along = Along::nothing;
  plan.drive = Drive::two_tones;
  CHECK(study::refusal(findings(plan)));
  plan = sine();
  plan.level = 1e3;
  CHECK(has(findings(plan), "source.limit"));
  plan = sine();
  plan.rate = 1e12;
  CHECK(study::refusal(findings(plan)));

  for (const auto& bad : {std::pair{"frequency", "150 kHz"}, {"frequency", "20 Hz"}, {"samples", "4097"}, {"samples", "12"}, {"rate", "1 GHz"}, {"end", "0 V"}, {"points", "1"}, {"resolution", "0"}, {"level", "loud"}})
    CHECK_FALSE(study::spectrum::PlannedSpectrum(sine()).with(bad.first, bad.second, *run::surroundings_of(store, {.name = "S", .kind = "spectrum", .plan = study::spectrum::to_json(sine()), .assembly = dossier::kMainAssembly})));
}

TEST_CASE("limit lines lie on a spectrum in the unit of its levels", "[spectrum][mask]") {
  const auto analysis = *study::spectrum::kind().analyse(taken(sine()), {{"full_scale", "1 V"}}, {});
  const auto verdict = [&](const char* unit, double upper, double from, double to) {
    return judge::judge({.text = "Lines", .curve = "spectrum", .upper = {{from, upper}, {to, upper}}, .unit = unit}, analysis.curve).verdict;
  };
  // Of a tone 8 dB under full scale nothing else comes near -40 but its third harmonic, at some -50.
  CHECK(verdict("dBFS", -40, 5e3, 90e3) == judge::Verdict::meets);
  CHECK(verdict("dBFS", -60, 5e3, 90e3) == judge::Verdict::fails);
  CHECK(verdict("dBFS", -60, 12e3, 90e3) == judge::Verdict::meets);
  CHECK(verdict("dBV", -40, 5e3, 90e3) == judge::Verdict::not_measured);
}

}  // namespace spectrum_bench
