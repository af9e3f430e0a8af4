#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "judge/claim.h"
#include "base/random.h"
#include "run/ledger.h"
#include "sim/circuit.h"
#include "sim/simulated_bench.h"
#include "study/preflight.h"
#include "study/spectrum/doubts.h"
#include "study/spectrum/kind.h"
#include "study/spectrum/preflight.h"
#include "study/spectrum/runner.h"
#include "study/spectrum/study_plan.h"
#include "study/spectrum/words.h"
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

/// A divider by two before a converter of so many bits.
std::string converter(const std::string& more) {
  return "[pins]\n\"in\" = \"in\"\n\"half\" = \"u\"\n\"codes\" = \"codes\"\n[ratings]\n\"in\" = { voltage = \"5 V\" }\n"
         "[part.R1]\nkind = \"resistor\"\nbetween = [\"in\", \"u\"]\nvalue = \"100 ohm\"\n[part.R2]\nkind = \"resistor\"\nbetween = [\"u\", \"ground\"]\nvalue = \"100 ohm\"\n"
         "[part.U1]\nkind = \"converter\"\nin = \"u\"\ncodes = \"codes\"\ncommon = \"ground\"\nfull_scale = \"1 V\"\n" + more;
}

struct Coded {
  std::vector<study::Point> points;
  std::optional<Error> error;
};
Coded coded(const Plan& plan, const std::string& text, const study::SettingsText& settings = {}) {
  sim::SimulatedBench bench(circuit(text.c_str()), 5);
  study::Surroundings around;
  around.settings = settings;
  around.converters = {{"codes", {12, 1.0}}};
  Coded out;
  const auto ok = study::spectrum::run(plan, bench, {.around = around, .keep = [&](const study::Point& p) -> Result<void> {
                                                       out.points.push_back(p);
                                                       return {};
                                                     }});
  if (!ok) out.error = ok.error();
  return out;
}

Plan of_codes() {
  auto out = sine();
  out.level = 0.5;
  out.wanted = -1;
  out.hookup.chains = {{.name = "codes", .input = {.pin = "codes", .range = {}, .sensor = *bench::find_stock_sensor("Code reader")}, .zero = {}}};
  return out;
}

TEST_CASE("codes are read as integers, driven to the level that is wanted, with a converter's own noise", "[spectrum][bench][codes]") {
  const auto plan = of_codes();
  const auto ideal = coded(plan, converter("bits = 12\n"));
  if (ideal.error) FAIL(ideal.error->message);
  const auto& channel = ideal.points.at(0).records.at(0).channels.at(0);
  CHECK(channel.scale == 2.0 / 4096);
  CHECK(channel.lowest_count == -2048);
  CHECK(*std::max_element(channel.counts.begin(), channel.counts.end()) == Approx(2048 * std::pow(10, -0.05)).margin(3));
  CHECK(value(ideal.points, "fundamental.level") == Approx(-1).margin(0.015));
  // 6.02 N + 1.76 below full scale, but for the generator's harmonics, which the ratio to noise leaves out.
  CHECK(value(ideal.points, "snr.fs") == Approx(6.0206 * 12 + 1.7609).margin(0.5));
  CHECK(value(ideal.points, "harmonic.2.level") == Approx(db(3e-5)).margin(2));

  // At 31 kHz 4 ns of jitter are more than all that rounds: -20 lg(2 pi f sigma).
  auto fast = plan;
  fast.frequency = study::spectrum::coherent_frequency(31e3, fast.rate, std::size_t(fast.samples));
  const auto jitters = coded(fast, converter("bits = 14\njitter = \"4 ns\"\n"));
  if (jitters.error) FAIL(jitters.error->message);
  CHECK(value(jitters.points, "snr") == Approx(-db(2 * std::numbers::pi * fast.frequency * 4e-9)).margin(0.4));
}

TEST_CASE("codes are read where they are given and nowhere else, and as they come", "[spectrum][bench][codes]") {
  auto plan = of_codes();
  plan.wanted.reset();
  plan.hookup.chains[0].input.pin = "half";
  const auto none = coded(plan, converter("bits = 12\n"));
  REQUIRE(none.error);
  CHECK(none.error->fault == Fault::bench);
  CHECK(none.error->message.find("No converter") != std::string::npos);
  plan = of_codes();
  plan.wanted.reset();
  plan.hookup.chains[0].input = direct("codes", 1);
  const auto analogue = coded(plan, converter("bits = 12\n"));
  REQUIRE(analogue.error);
  CHECK(analogue.error->message.find("Code reader") != std::string::npos);
  // A level of full scale wants one that is known; of volts it is the setting's.
  plan.hookup.chains[0] = {.name = "v", .input = direct("half", 1), .zero = {}};
  plan.hookup.chains[0].input.range.reset();
  plan.wanted = -6;
  const auto unknown = coded(plan, converter("bits = 12\n"));
  REQUIRE(unknown.error);
  CHECK(unknown.error->message.find("full_scale") != std::string::npos);
  const auto known = coded(plan, converter("bits = 12\n"), {{"full_scale", "0.8 V"}});
  if (known.error) FAIL(known.error->message);
  CHECK(value(known.points, "fundamental.level", {{"full_scale", "0.8 V"}}) == Approx(-6).margin(0.03));
  // What would leave the codes no whole steps is refused in words.
  const auto word = [&](const char* field, const char* text) {
    return study::spectrum::apply(of_codes(), std::string("hookup.codes.") + field, text, {.pins = {"codes", "half"}});
  };
  for (const auto& [field, text] : {std::pair{"zero", "1 mV"}, {"correction", "1.01"}, {"attenuation", "10"}, {"coupling", "AC"}, {"range", "1 V"}, {"factor", "x10"}})
    CHECK_FALSE(word(field, text));
  CHECK(word("sensor", "Direct lead"));
  for (const char* bad : {"9 dBFS", "-200 dBFS", "dBFS"}) CHECK_FALSE(study::spectrum::apply(of_codes(), "level", bad, {}));
  CHECK_FALSE(study::spectrum::apply(of_codes(), "drive", "two tones", {}));
}

TEST_CASE("a converter that would be beyond or far below full scale is told before", "[spectrum][preflight][codes]") {
  auto plan = of_codes();
  plan.wanted.reset();
  study::Surroundings around;
  around.converters = {{"codes", {12, 1.0}}};
  const auto found = [&](double peak) {
    bench::Levels levels;
    levels.quantities["codes"].peak = peak;
    return study::spectrum::preflight(plan, around, &levels);
  };
  CHECK(has(found(1.01), "input.clipped"));
  CHECK_FALSE(has(found(0.99), "input.clipped"));
  CHECK(has(found(0.099), "range.underused"));
  CHECK_FALSE(has(found(0.101), "range.underused"));
  around.asked = {"dnl.max"};
  CHECK_FALSE(has(found(1.01), "input.clipped"));
  // A level in dBFS of what has no full scale.
  plan.wanted = -1;
  around.converters.clear();
  CHECK(has(study::spectrum::preflight(plan, around, nullptr), "range.unknown"));
}

TEST_CASE("two tones are driven together, each as high as it is said", "[spectrum][bench][long]") {
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

TEST_CASE("a sweep keeps its points as they come, and those before a stop", "[spectrum][bench][sweep][long]") {
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
    return judge::judge({.text = "Lines", .curve = "spectrum", .upper = {{from, upper}, {to, upper}}, .unit = unit}, *analysis.curve).verdict;
  };
  // Of a tone 8 dB under full scale nothing else comes near -40 but its third harmonic, at some -50.
  CHECK(verdict("dBFS", -40, 5e3, 90e3) == judge::Verdict::meets);
  CHECK(verdict("dBFS", -60, 5e3, 90e3) == judge::Verdict::fails);
  CHECK(verdict("dBFS", -60, 12e3, 90e3) == judge::Verdict::meets);
  CHECK(verdict("dBV", -40, 5e3, 90e3) == judge::Verdict::not_measured);
}

TEST_CASE("noise that is the input's own is told by a take with the inputs shorted", "[spectrum][bench][doubts]") {
  auto plan = sine();
  plan.hookup.chains[0].input.range.reset();
  plan.level = 0.2;
  const auto of_device = taken(plan);
  // Everything out, the lead at ground: every range once.
  const auto wired = sim::with_standard(circuit(kBent), "short", 0);
  REQUIRE(wired);
  sim::SimulatedBench bench(*wired, 6);
  const study::Surroundings around;
  std::vector<study::Point> shorted;
  REQUIRE(study::spectrum::run(plan, bench, {.around = around,
                                             .purpose = "short",
                                             .keep = [&](const study::Point& p) -> Result<void> {
                                               shorted.push_back(p);
                                               return {};
                                             }}));
  CHECK(shorted.size() == bench.limits().of(plan.hookup.digitiser).ranges.size());
  const auto limited = [&](const std::vector<study::Point>& points, std::vector<std::string> asked) {
    const auto analysis = study::spectrum::kind().analyse(points, {}, asked);
    if (!analysis) FAIL(analysis.error().message);
    std::string out;
    for (const auto& d : analysis->reading.doubts)
      if (d.key == "noise.limited") out = d.text;
    return out;
  };
  auto both = of_device;
  both.insert(both.end(), shorted.begin(), shorted.end());
  // Nothing of the device makes noise worth speaking of: what is read is the input's to all of it.
  CHECK_THAT(limited(both, {"snr"}), Catch::Matchers::Contains("input's own to") && Catch::Matchers::Contains("shorted, on the same range"));
  // It is said beside what is known to no better than that.
  const auto doubled = study::spectrum::kind().analyse(both, {{"u_limit", "1e-6 dB"}}, {"snr"});
  REQUIRE(doubled);
  CHECK(std::count_if(doubled->reading.doubts.begin(), doubled->reading.doubts.end(), [](const auto& d) { return d.key == "noise.limited"; }) == 2);
  CHECK(limited(both, {"fundamental.level"}).empty());
  CHECK(limited(of_device, {"snr"}).empty());
  // A device ten times as noisy as its input is not limited by it.
  auto noisy = both;
  std::mt19937_64 random(3);
  for (auto& point : noisy) {
    if (!point.setting.purpose().empty()) continue;
    for (auto& count : point.records[0].channels[0].counts) count = std::int16_t(count + std::lround(12 * normal_deviate(random)));
  }
  CHECK(limited(noisy, {"snr"}).empty());
  // Looked at by itself it is a spectrum without a tone.
  for (auto& point : shorted) point.setting = point.setting.without("purpose");
  const auto alone = study::spectrum::kind().analyse(shorted, {}, {});
  REQUIRE(alone);
  CHECK(alone->reading.find("noise_floor"));
  CHECK_FALSE(alone->reading.find("fundamental.level"));
}

TEST_CASE("what a converter's clock leaves in its codes stands at a quarter of it", "[spectrum][bench][codes]") {
  const auto read = coded(of_codes(), converter("bits = 12\nspur = \"2 mV\"\n"));
  if (read.error) FAIL(read.error->message);
  CHECK(value(read.points, "worst_spur.frequency") == Approx(read.points[0].records[0].sample_rate / 4).epsilon(1e-6));
  // 2 mV rms below a sine 1 dB under 1 V peak.
  CHECK(value(read.points, "sfdr") == Approx(db(std::pow(10, -0.05) / std::sqrt(2.0) / 2e-3)).margin(0.1));
}

TEST_CASE("beside its sine the generator gives a line that is no harmonic, and noise", "[spectrum][bench][sim][long]") {
  auto plan = sine();
  plan.samples = 1 << 15;
  plan.frequency = study::spectrum::coherent_frequency(3.3e3, plan.rate, std::size_t(plan.samples));
  plan.hookup.chains = {{.name = "v", .input = direct("in", 1), .zero = {}}};
  plan.records = 3;
  const auto points = taken(plan);
  const auto analysis = study::spectrum::kind().analyse(points, {{"window", "blackman_harris"}}, {});
  REQUIRE(analysis);
  const auto& curve = *analysis->curve;
  const auto& y = curve.columns.front().y;
  // The highest line near 1.4 times the sine, against the sine's.
  double spur = -400, carrier = -400, place = 0;
  for (std::size_t k = 0; k < y.size(); ++k) {
    const double ratio = curve.x[k] / plan.frequency;
    if (std::abs(ratio - 1) < 0.01) carrier = std::max(carrier, y[k]);
    if (std::abs(ratio - 1.4) < 0.01 && y[k] > spur) {
      spur = y[k];
      place = curve.x[k];
    }
  }
  CHECK(spur - carrier == Approx(db(1.2e-5)).margin(1));
  CHECK(place == Approx(1.4 * plan.frequency).margin(plan.line()));

  // A converter of many bits reads its noise, folded from as far as the inputs reach: 4 nV and 0.5 ppb of the 20 V that the
  // attenuator stands at, of which two fifths reach it.
  const auto many = coded(of_codes(), converter("bits = 16\n"));
  if (many.error) FAIL(many.error->message);
  const double noise = 0.4 * std::hypot(4e-9, 5e-10 * 20) * std::sqrt(25e6), rounding = 2.0 / 65536 / std::sqrt(12.0);
  CHECK(value(many.points, "snr.fs") == Approx(-db(std::hypot(noise, rounding) * std::sqrt(2.0))).margin(0.6));
}

}  // namespace spectrum_bench
