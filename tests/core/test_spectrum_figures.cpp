#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "study/spectrum/doubts.h"
#include "study/spectrum/figures.h"
#include "study/spectrum/sweep.h"
#include "support.h"

using namespace heron;
namespace spectrum = heron::study::spectrum;

/// Figures and their uncertainties off spectra whose tones and noise are written down, so that both are closed forms.
namespace spectrum_figures {
namespace {

using Catch::Matchers::Contains;
using spectrum::Owner;
using spectrum::PointSpectra;
using spectrum::Settings;
using spectrum::Spectrum;
using std::numbers::pi;

constexpr double kPower = 4.342944819032518;  // 10/ln 10

double lg10(double ratio) { return 10 * std::log10(ratio); }

/// A sine of mean square 0.5 at 1 kHz, its second and third harmonic, another tone, and noise.
Spectrum written(const char* name = "v") {
  Spectrum s{.name = name, .unit = "V"};
  s.sample_rate = 100e3;
  s.samples = 2000;
  s.line = 50;
  s.window = signal::Window::rectangular;
  s.facts = signal::facts_of(s.window);
  s.coherent = true;
  s.place = 20;
  s.power.assign(1001, 1e-9);
  s.rest = s.power;
  s.owner.assign(1001, Owner::noise);
  for (std::size_t k = 0; k < 1001; k += Spectrum::kBlock) s.blocks.push_back(signal::block_sums(std::span(s.rest).subspan(k, std::min(Spectrum::kBlock, 1001 - k))));
  s.fundamental = spectrum::Tone{1e3, 0.02, 0.5, 1e-5};
  s.harmonics = {{.order = 2, .unfolded = 2e3, .tone = {2e3, 0.04, 2e-6, 4e-8}}, {.order = 3, .unfolded = 3e3, .tone = {3e3, 0.06, 6e-6, 9e-8}}};
  s.distortion = 8e-6;
  s.u_distortion = std::hypot(4e-8, 9e-8);
  s.others = {{7e3, 0.5, 4e-6, 7e-8}};
  s.worst = s.harmonics[1].tone;
  s.noise = 5e-6;
  s.u_noise = 6e-8;
  s.density = 2e-11;
  return s;
}

PointSpectra point(std::vector<Spectrum> spectra, double u_gain = 0) {
  PointSpectra out;
  auto records = std::make_shared<study::Waveforms>();
  for (auto& s : spectra) {
    auto trace = study::trace_of(s.name, s.unit, study::TimeBase(0, 1 / s.sample_rate), std::vector<double>(s.samples, 0.1));
    records->traces.push_back(trace);
    records->errors.push_back({.u_gain = u_gain});
    out.traces.push_back(trace);
    out.densities.emplace_back();
    out.codings.emplace_back();
  }
  out.records = records;
  out.spectra = std::move(spectra);
  return out;
}

study::Reading read(const PointSpectra& of, const Settings& settings = {.harmonics = {2, 3}}, const std::vector<std::string>& asked = {}) {
  auto out = spectrum::figures_of(of, settings, asked);
  if (!out) FAIL(out.error().message);
  return std::move(*out);
}

void check(const study::Reading& r, const char* key, double value, double u, const char* unit) {
  INFO(key);
  const auto* f = r.find(key);
  REQUIRE(f);
  CHECK(f->value == Approx(value));
  CHECK(f->u.value_or(0) == Approx(u));
  CHECK(f->unit == unit);
}

std::string why_not(const study::Reading& r, const std::string& key) {
  for (const auto& a : r.absent)
    if (a.key == key) return test::spaced(a.reason);
  return "it is there";
}

/// Doubts about a point that is asked for some figures.
std::vector<study::Doubt> doubts(const PointSpectra& of, const Settings& settings = {.harmonics = {2, 3}}, const std::vector<std::string>& asked = {}) {
  auto out = spectrum::find_doubts(of, read(of, settings, asked), settings, asked);
  if (!out) FAIL(out.error().message);
  return std::move(*out);
}
const study::Doubt* about(const std::vector<study::Doubt>& all, const char* key) {
  for (const auto& d : all)
    if (d.key == key) return &d;
  return nullptr;
}

}  // namespace

TEST_CASE("every figure of a spectrum is what its powers say, known as well as they are", "[spectrum][figures]") {
  const auto r = read(point({written()}, 2e-3));
  const double u_gain = 2 * kPower * 2e-3;
  check(r, "fundamental.frequency", 1e3, 0.02, "Hz");
  check(r, "fundamental.level", lg10(0.5), std::hypot(kPower * 2e-5, u_gain), "dBV");
  check(r, "snr", lg10(0.5 / 5e-6), kPower * std::hypot(2e-5, 6e-8 / 5e-6), "dB");
  const double u_both = std::hypot(6e-8, std::hypot(4e-8, 9e-8));
  check(r, "sinad", lg10(0.5 / 13e-6), kPower * std::hypot(2e-5, u_both / 13e-6), "dB");
  check(r, "thd_n", lg10(13e-6 / 0.5), kPower * std::hypot(2e-5, u_both / 13e-6), "dB");
  check(r, "thd", lg10(8e-6 / 0.5), kPower * std::hypot(2e-5, std::hypot(4e-8, 9e-8) / 8e-6), "dBc");
  const double share = 100 * std::sqrt(8e-6 / 0.5);
  check(r, "thd.percent", share, share / 2 * std::hypot(2e-5, std::hypot(4e-8, 9e-8) / 8e-6), "%");
  check(r, "sfdr", lg10(0.5 / 6e-6), kPower * std::hypot(2e-5, 9e-8 / 6e-6), "dBc");
  check(r, "worst_spur.frequency", 3e3, 0.06, "Hz");
  check(r, "enob", (lg10(0.5 / 13e-6) - 1.7609) / 6.0206, kPower * std::hypot(2e-5, u_both / 13e-6) / 6.0206, "bit");
  check(r, "noise_floor", lg10(2e-11), kPower * 6e-8 / 5e-6, "dBV/Hz");
  check(r, "harmonic.2.level", lg10(2e-6 / 0.5), kPower * std::hypot(2e-5, 4e-8 / 2e-6), "dBc");
  check(r, "harmonic.3.frequency", 3e3, 0.06, "Hz");
  CHECK(why_not(r, "snr.fs") == "full_scale is not set");
  CHECK_FALSE(r.find("dnl.max"));
  CHECK(r.find("snr")->at == std::vector<double>{1e3});
  CHECK(r.find("sfdr")->at == std::vector<double>{3e3});
  CHECK(r.find("snr")->on == "");
  CHECK(r.find("snr")->label == "Signal to noise");
}

TEST_CASE("with a full scale levels are re it, by settings or by what the quantity says itself", "[spectrum][figures]") {
  const double full = 1.25 * 1.25 / 2;
  Settings settings{.harmonics = {2, 3}};
  settings.full_scale = 1.25;
  auto said = written();
  said.full_scale = 1.25;
  for (const auto& r : {read(point({written()}, 2e-3), settings), read(point({said}, 2e-3))}) {
    check(r, "fundamental.level", lg10(0.5 / full), std::hypot(kPower * 2e-5, 2 * kPower * 2e-3), "dBFS");
    check(r, "snr.fs", lg10(full / 5e-6), std::hypot(kPower * 6e-8 / 5e-6, 2 * kPower * 2e-3), "dBFS");
    check(r, "noise_floor", lg10(2e-11 / full), kPower * 6e-8 / 5e-6, "dBFS/Hz");
    CHECK(r.find("enob")->value == Approx((lg10(0.5 / 13e-6) - 1.7609 - lg10(0.5 / full)) / 6.0206));
  }
  CHECK(spectrum::level_unit("V", {}) == "dBV");
  CHECK(spectrum::level_unit("", {}) == "dBV");
  CHECK(spectrum::level_unit("A", {}) == "dB re 1 A");
  CHECK(spectrum::level_unit("A", settings) == "dBFS");
}

TEST_CASE("what is not there says why, in words", "[spectrum][figures]") {
  auto none = written();
  none.fundamental.reset();
  none.no_fundamental = "the record does not move";
  const auto r = read(point({none}));
  for (const char* key : {"fundamental.frequency", "fundamental.level", "snr", "sinad", "thd", "thd.percent", "thd_n", "sfdr", "worst_spur.frequency", "enob", "harmonic.2.level", "imd.3"})
    CHECK(why_not(r, key) == "the record does not move");
  CHECK(r.find("noise_floor"));
  auto silent = written();
  silent.noise = silent.density = silent.distortion = 0;
  silent.worst.reset();
  const auto s = read(point({silent}), {.harmonics = {2, 3}}, {"dnl.max"});
  CHECK(why_not(s, "snr") == "nothing is beside the fundamental");
  CHECK(why_not(s, "sinad") == "nothing is beside the fundamental");
  CHECK(why_not(s, "noise_floor") == "there is no noise");
  CHECK(why_not(s, "sfdr") == "nothing is beside the fundamental");
  CHECK(why_not(s, "worst_spur.frequency") == "nothing is beside the fundamental");
  CHECK(why_not(s, "thd_n") == "nothing is beside the fundamental in the band");
  // A second tone of no power is none.
  auto powerless = silent;
  powerless.worst = spectrum::Tone{2e3, 0, 0, 0};
  CHECK(why_not(read(point({powerless})), "sfdr") == "nothing is beside the fundamental");
  CHECK(why_not(read(point({powerless})), "worst_spur.frequency") == "nothing is beside the fundamental");
  CHECK_THAT(why_not(s, "dnl.max"), Contains("bits and full_scale"));
  Settings full{.harmonics = {2, 3}};
  full.full_scale = 1;
  CHECK(why_not(read(point({silent}), full), "snr.fs") == "there is no noise");
  // Harmonics that lie on others, or under the noise.
  auto lost = written();
  for (auto& h : lost.harmonics) h.lost = "it folds onto the fundamental";
  CHECK_THAT(why_not(read(point({lost})), "thd"), Contains("none of its harmonics"));
  CHECK(why_not(read(point({lost})), "harmonic.2.level") == "it folds onto the fundamental");
  auto weak = written();
  weak.harmonics[0].tone.power = 1.9 * weak.harmonics[0].tone.u_power;
  CHECK(why_not(read(point({weak})), "harmonic.2.level") == fmt::format("it does not stand out of the noise: it lies below {:.3g} dBc", lg10(3.9 * 4e-8 / 0.5)));
  weak.harmonics[0].tone.power = 2.1 * weak.harmonics[0].tone.u_power;
  CHECK(read(point({weak})).find("harmonic.2.level"));
  CHECK_THAT(why_not(read(point({written()}), {.harmonics = {2, 3}}, {"harmonic.5.level"}), "harmonic.5.level"), Contains("see the setting harmonics"));
}

TEST_CASE("distortion that does not stand out is told as what it lies below", "[spectrum][figures]") {
  auto weak = written();
  weak.distortion = 1.5e-7;
  weak.u_distortion = 1e-7;
  const auto r = read(point({weak}));
  check(r, "thd", lg10(2.5e-7 / 0.5), kPower * std::hypot(1e-7 / 2.5e-7, 2e-5), "dBc");
  check(r, "thd.percent", 100 * std::sqrt(1.5e-7 / 0.5), 100 * std::sqrt(1e-7 / 0.5), "%");
  weak.distortion = 2.1e-7;
  const auto above = read(point({weak}));
  check(above, "thd", lg10(2.1e-7 / 0.5), kPower * std::hypot(1e-7 / 2.1e-7, 2e-5), "dBc");
  CHECK(*above.find("thd.percent")->u == Approx(50 * std::sqrt(2.1e-7 / 0.5) * std::hypot(1e-7 / 2.1e-7, 2e-5)));
  weak.distortion = -1e-7;
  check(read(point({weak})), "thd", lg10(1e-7 / 0.5), kPower * std::hypot(1, 2e-5), "dBc");
  CHECK(read(point({weak})).find("thd.percent")->value == 0);
}

TEST_CASE("distortion and noise within a band are those of its lines and tones, weighted on wish", "[spectrum][figures]") {
  Settings settings{.harmonics = {2, 3}};
  // From 1.9 kHz on: the third harmonic, the other tone, and noise of 50 Hz wide lines.
  settings.band = {2.1e3, 7.1e3};
  const double lines = 100 * 1e-9, u_lines = std::sqrt(100e-18 / 2);
  const auto r = read(point({written()}), settings);
  check(r, "thd_n", lg10((6e-6 + 4e-6 + lines) / 0.5), kPower * std::hypot(std::hypot(u_lines, std::hypot(7e-8, 9e-8)) / (10e-6 + lines), 2e-5), "dB");
  settings.band = {2e3, 3e3};
  CHECK(read(point({written()}), settings).find("thd_n")->value == Approx(lg10((8e-6 + 20e-9) / 0.5)));
  settings.band = {2001, 2999};
  CHECK(read(point({written()}), settings).find("thd_n")->value == Approx(lg10(998.0 / 50 * 1e-9 / 0.5)));
  settings.band = {2.9e3, 3.1e3};
  settings.weighting = spectrum::Weighting::a;
  double weighted = 6e-6 * spectrum::a_weighting(3e3);
  for (const auto& [f, share] : {std::pair{2900.0, 0.5}, {2950.0, 1.0}, {3000.0, 1.0}, {3050.0, 1.0}, {3100.0, 0.5}}) weighted += share * 1e-9 * spectrum::a_weighting(f);
  CHECK(read(point({written()}), settings).find("thd_n")->value == Approx(lg10(weighted / 0.5)));
  CHECK(*read(point({written()}), settings).find("thd_n")->u == Approx(kPower * 9e-8 / 6e-6).epsilon(1e-3));
}

TEST_CASE("noise in a band is its root, with the input's gain", "[spectrum][figures]") {
  const auto r = read(point({written()}, 0.01), {.harmonics = {2, 3}}, {"noise.rms(10kHz,20kHz)", "noise.rms(0Hz,50kHz)", "noise.rms(1kHz,50.1kHz)"});
  const double power = 200e-9, u = std::sqrt(200e-18 / 2) * std::sqrt(1 - 0.25 / 200 * 2);
  const auto* f = r.find("noise.rms(10kHz,20kHz)");
  REQUIRE(f);
  CHECK(f->value == Approx(std::sqrt(power)));
  CHECK(f->unit == "V");
  CHECK(*f->u == Approx(std::hypot(u / (2 * std::sqrt(power)), 0.01 * std::sqrt(power))).epsilon(1e-3));
  CHECK(f->at == std::vector<double>{10e3, 20e3});
  CHECK(f->label == "Noise (10kHz,20kHz)");
  CHECK(r.find("noise.rms(0Hz,50kHz)"));
  CHECK(why_not(r, "noise.rms(1kHz,50.1kHz)") == "the band reaches beyond half the sample rate, 50.0 kHz");
  auto covered = written();
  for (auto& o : covered.owner) o = Owner::harmonic;
  CHECK(why_not(read(point({covered}), {.harmonics = {2, 3}}, {"noise.rms(10kHz,20kHz)"}), "noise.rms(10kHz,20kHz)") == "there is no noise in the band");
}

TEST_CASE("figures of several quantities carry their names, those of one alone do not", "[spectrum][figures]") {
  auto both = point({written("v_a"), written("v.b")});
  const auto r = read(both, {.harmonics = {2, 3}}, {"v.b.thd", "snr", "nobody.snr", "v.b.noise.rms(1kHz,2kHz)"});
  CHECK(r.find("v_a.snr"));
  CHECK(r.find("v.b.harmonic.3.level"));
  CHECK(r.find("v.b.noise.rms(1kHz,2kHz)"));
  CHECK(r.find("v_a.snr")->label == "v_a: Signal to noise");
  CHECK(r.find("v_a.snr")->on == "v_a");
  CHECK_THAT(why_not(r, "snr"), Contains("there are several quantities: say which, such as v_a.snr"));
  CHECK_THAT(why_not(r, "nobody.snr"), Contains("there is no quantity \"nobody\""));
  // What drives is looked at, and told only where it is asked for.
  both.stimulus = 1;
  const auto driven = read(both, {.harmonics = {2, 3}}, {"v.b.thd"});
  CHECK(driven.find("snr"));
  CHECK(driven.find("v.b.thd"));
  CHECK(driven.find("v.b.thd")->label == "v.b: Distortion");
  CHECK_FALSE(driven.find("v.b.snr"));
  CHECK_FALSE(driven.find("v_a.snr"));
  CHECK_FALSE(spectrum::figures_of(both, {}, {"loud"}));
}

TEST_CASE("keys of figures say what they ask for", "[spectrum][figures]") {
  CHECK(spectrum::asks_for_noise({}));
  CHECK(spectrum::asks_for_noise({"thd", "v.snr"}));
  CHECK(spectrum::asks_for_noise({"snr@20mV"}));
  CHECK(spectrum::asks_for_noise({"noise.rms(1kHz,2kHz)"}));
  CHECK_FALSE(spectrum::asks_for_noise({"thd", "harmonic.2.level", "imd.3", "dnl.max"}));
  CHECK(spectrum::of_codes_alone({"dnl.max", "codes.codes.missing"}));
  CHECK_FALSE(spectrum::of_codes_alone({"dnl.max", "snr"}));
  CHECK_FALSE(spectrum::of_codes_alone({}));
  CHECK_FALSE(spectrum::of_codes_alone({"noise.rms(1kHz,2kHz)"}));
  for (const auto& [key, unit] : {std::pair{"thd", "dBc"}, {"imd.2", "dBc"}, {"harmonic.4.level", "dBc"}, {"harmonic.4.frequency", "Hz"}, {"noise.rms", ""}, {"noise.rms(1Hz,2Hz)", ""}, {"enob", "bit"}, {"thd@20mV", "dBc"}, {"level.out@20mV", ""}, {"compression.1dB.input", "V"}, {"compression.1dB.output", ""}}) {
    INFO(key);
    REQUIRE(spectrum::figure_unit(key));
    CHECK(*spectrum::figure_unit(key) == unit);
  }
  CHECK_FALSE(spectrum::figure_unit("loud"));
  for (const char* bad : {"harmonic.1.level", "harmonic.201.level", "harmonic.2.5.level", "harmonic..level", "imd.4", "noise.rms(2kHz,2kHz)", "noise.rms(-1Hz,2kHz)", "noise.rms(1kHz,2kHz", "noise.rms(1V,2kHz)", "noise.rms(1kHz)", "snr(1kHz,2kHz)"}) CHECK_FALSE(spectrum::check_figure_key(bad));
  for (const char* good : {"harmonic.200.level", "harmonic.2.frequency", "noise.rms(0Hz,1Hz)", "a.b.c.imd.2"}) CHECK(spectrum::check_figure_key(good));
  CHECK(spectrum::figure_names().size() == 21);
}

TEST_CASE("what speaks against a written spectrum is told at its bound, in numbers", "[spectrum][figures][doubts]") {
  // What lies near half the rate: 51 lines from 95 % of the way on.
  auto s = written();
  const auto near_half = [&](double times) {
    auto of = s;
    for (std::size_t k = 950; k < 1001; ++k) of.power[k] = of.rest[k] = times * 1e-9;
    of.blocks.clear();
    for (std::size_t k = 0; k < 1001; k += Spectrum::kBlock) of.blocks.push_back(signal::block_sums(std::span(of.rest).subspan(k, std::min(Spectrum::kBlock, 1001 - k))));
    return doubts(point({of}));
  };
  CHECK_FALSE(about(near_half(3.9), "sampling.coarse"));
  const auto coarse = near_half(4.2);
  REQUIRE(about(coarse, "sampling.coarse"));
  CHECK_THAT(test::spaced(about(coarse, "sampling.coarse")->text), Contains("v has 4.2 times as much close to half the sample rate, 50.0 kHz"));
  CHECK(test::spaced(about(coarse, "sampling.coarse")->edits.front().second) == "200 kHz");
  // Two tones within 20 dB, the second no harmonic.
  const auto pair = [&](double power, std::vector<std::string> asked = {}, bool said = false, double at = 7e3) {
    auto of = s;
    of.worst = spectrum::Tone{at, 0.1, power, 1e-9};
    Settings settings{.harmonics = {2, 3}};
    if (said) settings.fundamental = 1e3;
    return doubts(point({of}), settings, asked);
  };
  CHECK_FALSE(about(pair(0.0049), "tones.several"));
  const auto two = pair(0.0051);
  REQUIRE(about(two, "tones.several"));
  CHECK_THAT(test::spaced(about(two, "tones.several")->text), Contains("a second tone, 7.0000 kHz, only 19.9 dB below the fundamental at 1.0000 kHz"));
  CHECK_FALSE(about(pair(0.0051, {"imd.3"}), "tones.several"));
  CHECK(about(pair(0.0051, {"imd.3"}, true), "tones.several"));
  CHECK(about(pair(0.0051, {"snr"}), "tones.several"));
  CHECK_FALSE(about(pair(0.0051, {}, false, 3e3), "tones.several"));
  // A figure that is asked for and known to no better than the limit.
  const auto known = [&](double u_limit, std::vector<std::string> asked) {
    Settings settings{.harmonics = {2, 3}};
    settings.u_limit = u_limit;
    return doubts(point({s}), settings, asked);
  };
  const double u_snr = kPower * std::hypot(2e-5, 6e-8 / 5e-6);
  CHECK_FALSE(about(known(1.01 * u_snr, {"snr"}), "noise.limited"));
  REQUIRE(about(known(0.99 * u_snr, {"snr"}), "noise.limited"));
  CHECK(about(known(0.99 * u_snr, {"snr"}), "noise.limited")->mend == study::Mend::average);
  CHECK_FALSE(about(known(1e-9, {}), "noise.limited"));
  const auto many = known(1e-9, {"snr", "sinad", "thd", "sfdr", "thd_n", "fundamental.level"});
  REQUIRE(about(many, "noise.limited"));
  CHECK_THAT(about(many, "noise.limited")->text, Contains("and 2 more"));
  CHECK_THAT(about(known(1e-9, {"snr", "sinad"}), "noise.limited")->text, Contains("1 %: Signal to noise, Signal to noise and distortion."));
  // Without a window and off whole cycles.
  auto off = s;
  off.coherent = false;
  off.off_coherent = 0.5;
  off.place = 20.5;
  off.fundamental->frequency = 1025;
  const auto leaks = doubts(point({off}));
  REQUIRE(about(leaks, "frequency.not_coherent"));
  CHECK_THAT(test::spaced(about(leaks, "frequency.not_coherent")->text), Contains("holds 20.5000 cycles") && Contains("7.23 dB below the fundamental leaks"));
  CHECK_THAT(test::spaced(about(leaks, "frequency.not_coherent")->remedy), Contains("Drive at 1.05 kHz, or set window=blackman_harris"));
  off.window = signal::Window::hann;
  CHECK_FALSE(about(doubts(point({off})), "frequency.not_coherent"));
}

TEST_CASE("doubts about a spectrum count what they say they count", "[spectrum][figures][doubts]") {
  const auto s = written();
  const auto blocks = [](Spectrum& of) {
    of.blocks.clear();
    for (std::size_t k = 0; k < of.rest.size(); k += Spectrum::kBlock) of.blocks.push_back(signal::block_sums(std::span(of.rest).subspan(k, std::min(Spectrum::kBlock, of.rest.size() - k))));
  };
  const auto coarse = [&](const std::vector<std::pair<std::size_t, double>>& lines, std::size_t noise_elsewhere = 950, std::size_t all = 1001, std::vector<spectrum::Link> links = {}) {
    auto of = s;
    of.links = std::move(links);
    of.power.resize(all);
    of.rest.resize(all);
    of.owner.resize(all);
    for (const auto& [k, power] : lines) of.power[k] = of.rest[k] = power;
    for (std::size_t k = noise_elsewhere; k < 950 && k < all; ++k) of.owner[k] = Owner::other;
    blocks(of);
    return about(doubts(point({of})), "sampling.coarse") != nullptr;
  };
  // The end begins at line 950 of 1001; elsewhere the first line counts as well, also where a link is divided out.
  CHECK(coarse({{950, 1e-6}}));
  CHECK_FALSE(coarse({{949, 1e-6}}));
  CHECK_FALSE(coarse({{950, 1e-6}, {0, 1e-5}}));
  CHECK_FALSE(coarse({{950, 1e-6}, {0, 1e-5}}, 950, 1001, {{.form = spectrum::Link::Form::corner, .of = 1e12}}));
  CHECK(coarse({{950, 1e-6}}, 950, 1001, {{.form = spectrum::Link::Form::corner, .of = 1e12}}));
  // Of four lines at either place something can be said, of three nothing.
  CHECK(coarse({{950, 1e-6}}, 4));
  CHECK_FALSE(coarse({{950, 1e-6}}, 3));
  CHECK(coarse({{47, 1e-6}}, 950, 48));
  CHECK_FALSE(coarse({{39, 1e-6}}, 950, 40));

  // A hundredth of the power is the bound of a second tone; what is not there is none.
  auto pair = s;
  pair.worst = spectrum::Tone{7e3, 0.1, 0.5 / 100.6, 1e-9};
  CHECK_FALSE(about(doubts(point({pair})), "tones.several"));
  pair.worst->power = 0.4;
  CHECK(about(doubts(point({pair})), "tones.several"));
  pair.worst.reset();
  CHECK_FALSE(about(doubts(point({pair})), "tones.several"));

  // A per cent of what is no level.
  auto percent = s;
  const auto unknown = [&](double share) {
    percent.u_distortion = 2 * share * percent.distortion;
    return about(doubts(point({percent}), {.harmonics = {2, 3}}, {"thd.percent"}), "noise.limited") != nullptr;
  };
  CHECK(unknown(0.0125));
  CHECK_FALSE(unknown(0.009));

  // Names of four, and how many there are besides.
  const auto names = [&](std::vector<std::string> asked) {
    Settings settings{.harmonics = {2, 3}};
    settings.u_limit = 1e-9;
    return about(doubts(point({s}), settings, asked), "noise.limited")->text;
  };
  const auto four = names({"snr", "sinad", "thd", "sfdr"}), five = names({"snr", "sinad", "thd", "sfdr", "thd_n"});
  CHECK_THAT(four, !Contains("more"));
  CHECK_THAT(five, Contains("and 1 more"));
  CHECK(std::count(five.begin(), five.end(), ',') == std::count(four.begin(), four.end(), ','));
}

TEST_CASE("a stimulus is held against each quantity that shows harmonics, by what both have of them", "[spectrum][figures][doubts]") {
  auto drives = written("stimulus"), shows = written();
  const auto doubted = [&] {
    auto of = point({drives, shows});
    of.stimulus = 0;
    const auto all = doubts(of);
    const auto* found = about(all, "stimulus.distorted");
    return found ? test::spaced(found->text) : std::string();
  };
  // 16 ppm of power against ten times and a little more than that.
  drives.distortion = 8e-6;
  shows.distortion = 7.9e-5;
  CHECK_THAT(doubted(), Contains("The stimulus has -48 dBc of harmonics itself, and v shows -38 dBc: they are not v's alone."));
  shows.distortion = 8.1e-5;
  CHECK(doubted().empty());
  shows.distortion = 0;
  CHECK(doubted().empty());
  shows.distortion = 7.9e-5;
  // Known to two of its own uncertainties it has some, else none.
  drives.u_distortion = 8e-6 / 2.5;
  CHECK_FALSE(doubted().empty());
  drives.u_distortion = 8e-6 / 1.9;
  CHECK(doubted().empty());
  drives.u_distortion = 1e-8;
  shows.fundamental.reset();
  CHECK(doubted().empty());
}

TEST_CASE("an input is held against both its ends, from the first sample to the last", "[spectrum][figures][doubts]") {
  const auto doubted = [&](std::vector<double> v, const study::TraceErrors& errors, const std::vector<std::string>& asked = {}, bool codes = false) {
    auto of = point({written()});
    auto records = *of.records;
    records.errors[0] = errors;
    records.traces[0] = study::trace_of("v", "V", study::TimeBase(0, 1e-5), std::move(v));
    of.traces[0] = records.traces[0];
    of.records = std::make_shared<study::Waveforms>(records);
    if (codes) of.densities[0] = tl::expected<signal::CodeDensity, std::string>(tl::unexpected<std::string>("too few"));
    return doubts(of, {.harmonics = {2, 3}}, asked);
  };
  const auto quiet = [](std::vector<std::pair<std::size_t, double>> at) {
    std::vector<double> v(2000, 0.01);
    for (const auto& [k, value] : at) v[k] = value;
    return v;
  };
  study::TraceErrors wide{.range = 1.0};
  CHECK(about(doubted(quiet({}), wide), "range.underused"));
  for (const auto& at : {std::pair<std::size_t, double>{0, 0.5}, {0, -0.5}, {1999, 0.5}, {1000, -0.11}}) CHECK_FALSE(about(doubted(quiet({at}), wide), "range.underused"));
  CHECK(about(doubted(quiet({{5, 0.099}}), wide), "range.underused"));
  study::TraceErrors ends{.range = 1.0};
  ends.lowest = -1;
  ends.highest = 1;
  ends.quantum = 1e-3;
  const auto runs = [&](std::size_t low, std::size_t high) {
    std::vector<double> v(2000);
    for (std::size_t k = 0; k < v.size(); ++k) v[k] = 0.9 * std::sin(0.1 * double(k));
    for (std::size_t k = 0; k < low; ++k) v[100 + k] = -1;
    for (std::size_t k = 0; k < high; ++k) v[300 + k] = 1;
    return v;
  };
  CHECK_THAT(test::spaced(about(doubted(runs(5, 3), ends), "input.clipped")->text), Contains("at the end of what can be read, −1.00 V, for 5 samples"));
  CHECK_THAT(test::spaced(about(doubted(runs(3, 6), ends), "input.clipped")->text), Contains("at the end of what can be read, 1.00 V, for 6 samples"));
  CHECK_THAT(test::spaced(about(doubted(runs(4, 4), ends), "input.clipped")->text), Contains("at the end of what can be read, 1.00 V, for 4 samples"));
  CHECK_FALSE(about(doubted(runs(2, 2), ends), "input.clipped"));
  // A sine beyond full scale is what tells widths of codes.
  CHECK_FALSE(about(doubted(runs(5, 5), ends, {"dnl.max"}, true), "input.clipped"));
  CHECK(about(doubted(runs(5, 5), ends, {"dnl.max", "snr"}, true), "input.clipped"));
  CHECK(about(doubted(runs(5, 5), ends, {"dnl.max"}), "input.clipped"));
}

TEST_CASE("an input's own noise is the mean square of what it reads shorted, less its mean", "[spectrum][figures][doubts]") {
  study::Waveforms shorted;
  shorted.traces = {study::trace_of("v", "V", study::TimeBase(0, 1e-5), {4, 1, 2, 3}), study::trace_of("w", "V", study::TimeBase(0, 1e-5), {1, 1, 2, 2})};
  shorted.errors = {{.range = 0.5}, {}};
  const auto own = spectrum::own_noise(shorted);
  REQUIRE(own);
  REQUIRE(own->size() == 1);
  CHECK(own->front().quantity == "v");
  CHECK(own->front().range == 0.5);
  CHECK(own->front().power == Approx(1.25));
  // What has no range any more is held against none.
  auto of = point({written()});
  auto records = *of.records;
  records.errors[0].range = 0.5;
  records.errors[0].range.reset();
  of.records = std::make_shared<study::Waveforms>(records);
  std::vector<study::Doubt> out;
  spectrum::check_own_noise(of, *own, out);
  CHECK(out.empty());
}

TEST_CASE("an input's own noise is told from a quarter of what is read on, on the same range of the same quantity", "[spectrum][figures][doubts]") {
  auto of = point({written()});
  auto records = *of.records;
  records.errors[0].range = 2;
  of.records = std::make_shared<study::Waveforms>(records);
  const auto own = [&](const char* quantity, double range, double power) {
    std::vector<study::Doubt> out;
    spectrum::check_own_noise(of, {{quantity, range, power}}, out);
    return out;
  };
  CHECK(own("v", 2, 1.2e-6).empty());
  const auto limited = own("v", 2, 1.3e-6);
  REQUIRE(limited.size() == 1);
  CHECK(limited[0].key == "noise.limited");
  CHECK_THAT(test::spaced(limited[0].text), Contains("The noise of v, 2.24 mV rms, is the input's own to 26 %: shorted, on the same range, it reads 1.14 mV rms."));
  CHECK_THAT(own("v", 2, 9e-6)[0].text, Contains("to 100 %"));
  CHECK(own("w", 2, 1.3e-6).empty());
  CHECK(own("v", 2.1, 1.3e-6).empty());
  of.stimulus = 0;
  CHECK(own("v", 2, 1.3e-6).empty());
}

/// A sweep over level at a decade's distance, with figures and outputs as they are given.
std::vector<spectrum::Swept> swept(const std::vector<double>& at, const char* key, const char* unit, const std::vector<double>& values, const std::vector<double>& u,
                                   const std::vector<double>& gain_db = {}, double shared = 0) {
  std::vector<spectrum::Swept> out;
  for (std::size_t k = 0; k < at.size(); ++k) {
    spectrum::Swept one{.at = at[k], .index = int(k), .quantities = {"v"}};
    if (k < values.size()) one.reading.figures.push_back({.key = key, .label = "Distortion", .value = values[k], .unit = unit, .u = u[k]});
    if (k < gain_db.size()) one.outputs.push_back({"v", "V", gain_db[k] + 20 * std::log10(at[k]), 0.01, shared});
    out.push_back(std::move(one));
  }
  return out;
}

study::Reading of_sweep(const std::vector<spectrum::Swept>& points, const std::vector<std::string>& asked, spectrum::SweptOver over = spectrum::SweptOver::level) {
  auto out = spectrum::sweep_figures(points, spectrum::axis_over(over), asked);
  if (!out) FAIL(out.error().message);
  return std::move(*out);
}

TEST_CASE("a figure of a sweep lies on a line between its neighbours over the logarithm, and so does its uncertainty", "[spectrum][figures][sweep]") {
  const auto points = swept({0.01, 0.1, 1}, "thd", "dBc", {-90, -80, -60}, {0.1, 0.2, 0.4});
  const auto r = of_sweep(points, {"thd@31.622776602mV", "thd@10mV", "thd@1V", "thd@0.5V", "thd@9.9mV", "thd@1.01V", "thd@282.842712475mV pk-pk", "thd@141.421356237mV peak", "snr@10mV", "thd@5kHz"});
  CHECK(r.find("thd@31.622776602mV")->value == Approx(-85));
  CHECK(*r.find("thd@31.622776602mV")->u == Approx(std::hypot(0.05, 0.1)));
  CHECK(test::spaced(r.find("thd@31.622776602mV")->label) == "Distortion at 31.6 mV rms");
  CHECK(r.find("thd@10mV")->value == Approx(-90));
  CHECK(*r.find("thd@10mV")->u == Approx(0.1));
  CHECK(r.find("thd@1V")->value == Approx(-60));
  const double share = std::log10(5);
  CHECK(r.find("thd@0.5V")->value == Approx(-80 + 20 * share));
  CHECK(*r.find("thd@0.5V")->u == Approx(std::hypot((1 - share) * 0.2, share * 0.4)));
  CHECK(r.find("thd@282.842712475mV pk-pk")->value == Approx(-80));
  CHECK(r.find("thd@141.421356237mV peak")->value == Approx(-80));
  CHECK(why_not(r, "thd@9.9mV") == "9.90 mV rms lies outside the sweep");
  CHECK(why_not(r, "thd@1.01V") == "1.01 V rms lies outside the sweep");
  CHECK(why_not(r, "snr@10mV") == "no point of the sweep has it");
  CHECK(why_not(r, "thd@5kHz") == "the sweep goes over level in V, not in Hz");
  CHECK_THAT(why_not(of_sweep(points, {"thd"}), "thd"), Contains("such as thd@20mV"));
  CHECK_THAT(why_not(of_sweep(points, {"thd"}, spectrum::SweptOver::frequency), "thd"), Contains("it is a sweep over frequency: say at which, such as thd@5kHz"));
  // More than 10 dB between the neighbours is far, unless the place is a point's own.
  const auto sparse = [&](const char* key) {
    const auto reading = of_sweep(points, {key});
    return about(reading.doubts, "points.sparse") ? test::spaced(about(reading.doubts, "points.sparse")->text) : std::string();
  };
  CHECK(sparse("thd@31.6mV").empty());
  CHECK_THAT(sparse("thd@0.5V"), Contains("Distortion moves by 20 dBc between 100 mV rms and 1.00 V rms; at 500 mV rms it is read off a straight line"));
  CHECK(sparse("thd@0.1V").empty());
  CHECK(sparse("thd@104mV").empty());
  CHECK_FALSE(sparse("thd@106mV").empty());
  CHECK(sparse("thd@0.96V").empty());
  CHECK_FALSE(sparse("thd@0.94V").empty());
  // Per cents by their ratio.
  const auto percent = swept({0.01, 0.1}, "thd.percent", "%", {0.1, 0.4}, {0, 0});
  const auto ratio = of_sweep(percent, {"thd.percent@31.622776602mV"});
  CHECK(ratio.find("thd.percent@31.622776602mV")->value == Approx(0.2));
  CHECK_FALSE(ratio.find("thd.percent@31.622776602mV")->u);
  CHECK_THAT(test::spaced(about(ratio.doubts, "points.sparse")->text), Contains("moves by 0.3 %"));
  CHECK(of_sweep(swept({0.01, 0.1}, "thd.percent", "%", {0.1, 0}, {0, 0}), {"thd.percent@31.622776602mV"}).find("thd.percent@31.622776602mV")->value == Approx(0.05));
  CHECK(of_sweep(swept({0.01, 0.1}, "thd.percent", "%", {0, 0.4}, {0, 0}), {"thd.percent@31.622776602mV"}).find("thd.percent@31.622776602mV")->value == Approx(0.2));
  CHECK_FALSE(about(of_sweep(swept({0.01, 0.1}, "thd.percent", "%", {0.1, 0.31}, {0, 0}), {"thd.percent@30mV"}).doubts, "points.sparse"));
  // Frequencies are far from each other all the same.
  CHECK_FALSE(about(of_sweep(swept({0.01, 0.1}, "worst_spur.frequency", "Hz", {100, 3e3}, {1, 1}), {"worst_spur.frequency@30mV"}).doubts, "points.sparse"));
  CHECK(of_sweep(swept({0.01}, "thd", "dBc", {-90}, {0.1}), {"thd@10mV"}).find("thd@10mV")->value == -90);
}

TEST_CASE("compression is read where the gain lies a decibel under its mean at small levels", "[spectrum][figures][sweep]") {
  // Straight over the logarithm beyond the fourth point: a parabola through three of its points is the line itself.
  std::vector<double> at, gain;
  for (int k = 0; k <= 12; ++k) {
    at.push_back(0.01 * std::pow(10, k / 6.0));
    gain.push_back(20 - (k > 7 ? 0.4 * (k - 7) : 0));
  }
  const auto points = swept(at, "thd", "dBc", {}, {}, gain, 0.05);
  const auto r = of_sweep(points, {"level.out@50mV"});
  // 1 dB at two and a half steps beyond the eighth point.
  const double place = 0.01 * std::pow(10, 9.5 / 6), slope = 0.4 / (std::log(10) / 6);
  const auto* input = r.find("compression.1dB.input");
  const auto* output = r.find("compression.1dB.output");
  REQUIRE(input);
  REQUIRE(output);
  CHECK(input->value == Approx(place).epsilon(1e-4));
  CHECK(input->unit == "V");
  CHECK(output->value == Approx(place * std::pow(10, 19 / 20.0)).epsilon(1e-4));
  // Seven levels lie in the lowest decade.
  const double u_mean = 0.01 / std::sqrt(7.0);
  CHECK(*input->u == Approx(place * std::hypot(0.01 / slope, u_mean / slope)).epsilon(0.01));
  const double per = 20 / std::log(10.0);
  CHECK(*output->u == Approx(output->value * std::hypot(std::hypot(0.01 / slope, u_mean * (1 / per - 1 / slope)), 0.05 / per)).epsilon(0.01));
  CHECK(r.find("level.out@50mV")->value == Approx(0.5).epsilon(1e-9));
  CHECK(*r.find("level.out@50mV")->u == Approx(0.5 / per * std::hypot(std::hypot(0.01 * 0.5, 0.01 * 0.5), 0.05)).epsilon(0.3));
  CHECK(r.doubts.empty());
  // Not far enough, too few, and over frequency there is none.
  auto little = gain;
  for (std::size_t k = 8; k < little.size(); ++k) little[k] = 20 - 0.19 * double(k - 7);
  CHECK_THAT(why_not(of_sweep(swept(at, "", "", {}, {}, little), {}), "compression.1dB.input"), Contains("does not fall by 1 dB"));
  CHECK_THAT(why_not(of_sweep(swept({0.01, 0.1}, "", "", {}, {}, {20, 18}), {}), "compression.1dB.output"), Contains("three levels"));
  CHECK_THAT(why_not(of_sweep(points, {"compression.1dB.input"}, spectrum::SweptOver::frequency), "compression.1dB.input"), Contains("does not go over level"));
  // A gain that moves among the lowest levels by more than 0.1 dB and three of its own uncertainties.
  const auto moved = [&](double by) {
    auto g = gain;
    g[3] -= by;
    return about(of_sweep(swept(at, "", "", {}, {}, g), {}).doubts, "level.dependent") != nullptr;
  };
  CHECK_FALSE(moved(0.125));
  CHECK(moved(0.135));
  // Three levels are enough, and of several quantities each has its own.
  CHECK(of_sweep(swept({0.01, 0.1, 1}, "", "", {}, {}, {20, 20, 15}), {}).find("compression.1dB.input"));
  auto two = points;
  for (auto& p : two) {
    p.quantities = {"v", "v.b"};
    p.outputs.push_back({"v.b", "A", p.outputs[0].level_db - 3, 0.01, 0});
  }
  const auto named = of_sweep(two, {"v.b.level.out@50mV", "level.out@50mV"});
  REQUIRE(named.find("v.b.compression.1dB.input"));
  CHECK(named.find("v.b.compression.1dB.input")->value == Approx(input->value));
  CHECK(named.find("v.b.compression.1dB.output")->value == Approx(output->value * std::pow(10, -3 / 20.0)));
  CHECK(named.find("v.b.compression.1dB.output")->unit == "A");
  CHECK(named.find("v.compression.1dB.input"));
  CHECK(named.find("v.b.level.out@50mV")->value == Approx(0.5 * std::pow(10, -3 / 20.0)));
  CHECK(why_not(named, "level.out@50mV") == "no point of the sweep has it");
  CHECK_FALSE(named.find("compression.1dB.input"));
}

TEST_CASE("compression follows a gain that bends, at its last point as within it", "[spectrum][figures][sweep]") {
  // Level, then bent like a parabola over the logarithm: 1 dB is reached at sqrt(1/0.2) steps beyond the bend.
  std::vector<double> at, gain;
  for (int k = 0; k <= 12; ++k) {
    at.push_back(0.01 * std::pow(10, k / 6.0));
    gain.push_back(20 - (k > 7 ? 0.2 * (k - 7) * (k - 7) : 0));
  }
  const double place = 0.01 * std::pow(10, (7 + std::sqrt(5.0)) / 6);
  const auto input = [&](std::size_t points) {
    const auto r = of_sweep(swept({at.begin(), at.begin() + std::ptrdiff_t(points)}, "", "", {}, {}, gain), {});
    const auto* f = r.find("compression.1dB.input");
    if (!f) FAIL(points);
    return *f;
  };
  CHECK(input(13).value == Approx(place).epsilon(1e-9));
  CHECK(input(11).value == Approx(place).epsilon(1e-9));
  // A fifth of what the bend moves it by, beside the levels' own.
  const double step = std::log(10) / 6, first = gain[9] - gain[10], slope = first / step, moved = std::abs(step * (std::sqrt(5.0) - 2 - (19 - gain[9]) / (gain[10] - gain[9])));
  CHECK(*input(13).u / place == Approx(std::hypot(std::hypot(0.01 / slope, 0.2 * moved), 0.01 / std::sqrt(7.0) / slope)).epsilon(1e-6));
  // Steep: what a small-signal gain that is read too high does to the output is less than what it does to the input.
  for (int k = 8; k <= 12; ++k) gain[std::size_t(k)] = 20 - 8.0 * (k - 7);
  const auto steep = of_sweep(swept(at, "", "", {}, {}, gain, 0), {});
  const double per = 20 / std::log(10.0), fall = 8 / step;
  const auto* output = steep.find("compression.1dB.output");
  REQUIRE(output);
  const auto* steep_in = steep.find("compression.1dB.input");
  const double point = std::sqrt(std::pow(*steep_in->u / steep_in->value, 2) - std::pow(0.01 / std::sqrt(7.0) / fall, 2));
  CHECK(*output->u == Approx(output->value * std::hypot(point, 0.01 / std::sqrt(7.0) * (1 / per - 1 / fall))).epsilon(1e-6));
}

TEST_CASE("a small-signal gain is of two levels at least, and of none that compress already", "[spectrum][figures][sweep]") {
  // The second counts although it is lower, the third does not: 19.65 dB, and 1 dB under that.
  const auto r = of_sweep(swept({0.01, 0.02, 0.03, 0.1, 1}, "", "", {}, {}, {20, 19.3, 19.3, 19.3, 17.3}), {});
  const auto* input = r.find("compression.1dB.input");
  REQUIRE(input);
  const double share = (19.3 - 18.65) / 2;
  CHECK(input->value > 0.1);
  CHECK(input->value < 1);
  CHECK(std::abs(std::log10(input->value / 0.1) - share) < 0.25);
  CHECK(about(r.doubts, "level.dependent"));
  // Three levels are enough to say that it moves.
  CHECK(about(of_sweep(swept({0.01, 0.02, 0.2}, "", "", {}, {}, {20, 19.8, 19.8}), {}).doubts, "level.dependent"));
  CHECK_FALSE(about(of_sweep(swept({0.01, 0.02}, "", "", {}, {}, {20, 19.8}), {}).doubts, "level.dependent"));
}

TEST_CASE("curves of a sweep are its figures, with the points that have them, and the gain or the output", "[spectrum][figures][sweep]") {
  auto points = swept({0.01, 0.1, 1}, "thd", "dBc", {-90, -80}, {0.1, 0.2}, {20, 20, 15}, 0.05);
  for (std::size_t k = 0; k < 3; ++k) {
    points[k].index = int(10 + k);
    for (const int order : {2, 3}) points[k].reading.figures.push_back({.key = "harmonic." + std::to_string(order) + ".level", .label = "Harmonic", .value = -100.0 - order, .unit = "dBc", .u = {}});
  }
  const auto curve = [&](const std::vector<spectrum::SweepCurve>& all, const std::string& name) -> const spectrum::SweepCurve& {
    const auto it = std::find_if(all.begin(), all.end(), [&](const auto& c) { return c.name == name; });
    if (it == all.end()) FAIL(name);
    return *it;
  };
  const Settings settings{.harmonics = {2, 3}};
  const auto level = spectrum::sweep_curves(points, spectrum::axis_over(spectrum::SweptOver::level), settings);
  CHECK(level.size() == 4);
  const auto& thd = curve(level, "thd");
  CHECK(thd.at == std::vector{0.01, 0.1});
  CHECK(thd.value == std::vector{-90.0, -80.0});
  CHECK(thd.u == std::vector{0.1, 0.2});
  CHECK(thd.points == std::vector{10, 11});
  CHECK(curve(level, "harmonic.3.level").label == "3f");
  CHECK(curve(level, "harmonic.3.level").value == std::vector{-103.0, -103.0, -103.0});
  CHECK(curve(level, "harmonic.3.level").u == std::vector{0.0, 0.0, 0.0});
  const auto& gain = curve(level, "gain");
  CHECK(gain.unit == "dB");
  CHECK(gain.label == "gain");
  CHECK(gain.points == std::vector{10, 11, 12});
  for (std::size_t k = 0; k < 3; ++k) CHECK(gain.value[k] == Approx(std::vector{20.0, 20.0, 15.0}[k]));
  const auto frequency = spectrum::sweep_curves(points, spectrum::axis_over(spectrum::SweptOver::frequency), settings);
  const auto& output = curve(frequency, "output");
  CHECK(output.unit == "dBV");
  CHECK(output.label == "output");
  CHECK(output.value[0] == Approx(-20));
  for (auto& p : points) p.outputs[0].unit = "A";
  CHECK(curve(spectrum::sweep_curves(points, spectrum::axis_over(spectrum::SweptOver::frequency), settings), "output").unit == "dB re 1 A");
  // As columns each has its own places where it has fewer.
  const auto columns = spectrum::sweep_columns(points, spectrum::axis_over(spectrum::SweptOver::level), settings);
  CHECK(columns.x == std::vector{0.01, 0.1, 1.0});
  for (const auto& c : columns.columns) CHECK(c.x == (c.name == "thd" ? std::vector{0.01, 0.1} : std::vector<double>()));
}

TEST_CASE("keys of a sweep say at which level or frequency, and of what", "[spectrum][figures][sweep]") {
  for (const char* key : {"thd@20mV", "v.thd@5kHz", "level.out@1V", "v.b.level.out@10mV", "compression.1dB.input", "v.compression.1dB.output"}) {
    INFO(key);
    CHECK(spectrum::of_sweep(key));
    CHECK(spectrum::check_sweep_key(key));
  }
  for (const char* key : {"thd@", "@20mV", "thd@much", "nothing@20mV", "compression.1dB.input@20mV", "thd@5V@3V"}) {
    INFO(key);
    CHECK_FALSE(spectrum::check_sweep_key(key));
    CHECK_FALSE(spectrum::sweep_unit(key));
  }
  CHECK(*spectrum::sweep_unit("thd@20mV") == "dBc");
  CHECK(*spectrum::sweep_unit("compression.1dB.input") == "V");
  CHECK(*spectrum::sweep_unit("compression.1dB.output") == "");
  CHECK(*spectrum::sweep_unit("level.out@1V") == "");
  CHECK_FALSE(spectrum::of_sweep("thd"));
  CHECK_FALSE(spectrum::sweep_unit("thd"));
}

TEST_CASE("an output of a sweep is its fundamental in dB, known by it and by the sensor's gain", "[spectrum][figures][sweep]") {
  spectrum::Swept into;
  auto of = point({written("stimulus"), written(), written("w")}, 0.01);
  of.stimulus = 0;
  of.spectra[1].fundamental->u_power = 5e-4;
  of.spectra[2].fundamental.reset();
  spectrum::add_outputs(into, of);
  CHECK(into.quantities == std::vector<std::string>{"v", "w"});
  REQUIRE(into.outputs.size() == 1);
  CHECK(into.outputs[0].level_db == Approx(lg10(0.5)));
  CHECK(into.outputs[0].u_db == Approx(kPower * 1e-3));
  CHECK(into.outputs[0].shared_db == Approx(2 * kPower * 0.01));
}

TEST_CASE("the largest error of a code's width is less by what noise chooses, and below noise it is known to no better than itself", "[spectrum][figures][codes]") {
  const auto of_widths = [](double highest, double others, double u) {
    signal::CodeDensity density;
    // u of a width is that of both transitions beside it.
    density.dnl.assign(100, others);
    density.dnl[40] = -highest;
    density.inl.assign(101, others);
    density.inl[30] = highest;
    density.u_transitions.assign(101, u / std::sqrt(2.0));
    auto of = point({written()});
    of.densities[0] = density;
    return read(of, {.harmonics = {2, 3}}, {"dnl.max", "inl.max", "codes.missing"});
  };
  // Far above it, all is as it was read.
  const auto plain = of_widths(0.95, 0, 0.01);
  for (const auto& [key, u] : {std::pair{"dnl.max", 0.01}, {"inl.max", 0.01 / std::sqrt(2.0)}}) {
    REQUIRE(plain.find(key));
    CHECK(plain.find(key)->value == Approx(0.95).margin(0.2 * u));
    CHECK(*plain.find(key)->u == Approx(u).epsilon(0.01));
    CHECK(plain.find(key)->unit == "LSB");
  }
  CHECK(plain.find("codes.missing")->value == 1);
  CHECK(of_widths(0.89, 0, 0.01).find("codes.missing")->value == 0);
  // The highest of a hundred normal values is some u sqrt(2 ln 200): from a fifth above it on something is there.
  const double noise = 0.1 * std::sqrt(2 * std::log(200.0));
  check(of_widths(1.19 * noise, 0, 0.1), "dnl.max", 1.19 * noise, 1.19 * noise, "LSB");
  CHECK(*of_widths(1.21 * noise, 0, 0.1).find("dnl.max")->u < 1.5 * 0.1);
  check(of_widths(0.05, 0, 0.1), "dnl.max", 0.05, 0.1, "LSB");
  // Many that are nearly as large are read too large together: by what the highest of so many adds.
  const auto crowded = of_widths(1, 1, 0.05);
  const double added = 1 - crowded.find("dnl.max")->value;
  CHECK(added == Approx(0.05 * 2.51).epsilon(0.2));
  CHECK(*crowded.find("dnl.max")->u == Approx(std::hypot(0.05, added / 2)).epsilon(1e-6));
}

}  // namespace spectrum_figures
