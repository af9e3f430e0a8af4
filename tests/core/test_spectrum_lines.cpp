#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>
#include <random>

#include "base/random.h"
#include "signal/record_lines.h"
#include "study/spectrum/doubts.h"
#include "study/spectrum/figures.h"
#include "study/spectrum/kind.h"
#include "study/spectrum/lobe.h"
#include "study/spectrum/reduced.h"
#include "study/spectrum/segments.h"
#include "study/spectrum/spectrogram.h"
#include "study/spectrum/spectrum.h"
#include "study/spectrum/sweep.h"
#include "support.h"

using namespace heron;
namespace spectrum = heron::study::spectrum;

/// What is made of the lines of a spectrum, line by line, where closed forms say it.
namespace spectrum_lines {
namespace {

using Catch::Matchers::Contains;
using spectrum::Owner;
using spectrum::Settings;
using spectrum::Spectrum;
using std::numbers::pi;

constexpr double kRate = 100e3;

double db(double ratio) { return 20 * std::log10(ratio); }

study::TracePtr trace(const std::function<double(double)>& of, std::size_t n, double noise = 0, unsigned seed = 1, const char* unit = "V") {
  std::mt19937_64 random(seed);
  std::vector<double> v(n);
  for (std::size_t k = 0; k < n; ++k) v[k] = of(double(k) / kRate) + (noise > 0 ? noise * normal_deviate(random) : 0);
  return study::trace_of("v", unit, study::TimeBase(0, 1 / kRate), std::move(v));
}

Spectrum of(const study::TracePtr& one, const Settings& settings = {}) {
  auto out = spectrum::spectrum_of({one}, settings);
  if (!out) FAIL(out.error().message);
  return std::move(*out);
}

/// White noise of one power in every line but those of a list, all of whose lines are noise.
Spectrum flat(std::size_t lines, double power, signal::Window window = signal::Window::blackman_harris) {
  Spectrum s{.name = "v", .unit = "V"};
  s.sample_rate = 2.0 * double(lines - 1);
  s.samples = 2 * (lines - 1);
  s.line = 1;
  s.window = window;
  s.facts = signal::facts_of(window);
  s.power.assign(lines, power);
  s.rest = s.power;
  s.owner.assign(lines, Owner::noise);
  s.density = power;
  for (std::size_t k = 0; k < lines; k += Spectrum::kBlock)
    s.blocks.push_back(signal::block_sums(std::span(s.rest).subspan(k, std::min(Spectrum::kBlock, lines - k))));
  return s;
}

void put(Spectrum& s, std::size_t line, double power, Owner owner = Owner::noise) {
  s.power[line] = s.rest[line] = power;
  s.owner[line] = owner;
  const auto block = line / Spectrum::kBlock, first = block * Spectrum::kBlock;
  s.blocks[block] = signal::block_sums(std::span(s.rest).subspan(first, std::min(Spectrum::kBlock, s.rest.size() - first)));
}

}  // namespace

TEST_CASE("a lobe has its lines on both sides and ends where the spectrum does", "[spectrum][lines]") {
  const auto ends = [](double place, int reach, std::size_t lines) {
    const auto lobe = spectrum::lobe_at(place, reach, lines);
    return std::pair{lobe.first, lobe.last};
  };
  CHECK(ends(10, 4, 100) == std::pair<std::size_t, std::size_t>{6, 14});
  CHECK(ends(10.3, 4, 100) == std::pair<std::size_t, std::size_t>{7, 14});
  CHECK(ends(1.2, 4, 100) == std::pair<std::size_t, std::size_t>{0, 5});
  CHECK(ends(98.5, 4, 100) == std::pair<std::size_t, std::size_t>{95, 99});
  CHECK(spectrum::lobe_at(10, 4, 100).size() == 9);
  for (const auto& [place, seen] : {std::pair{3.0, 3.0}, {512.0, 512.0}, {513.0, 511.0}, {1024.0, 0.0}, {1030.0, 6.0}, {1600.0, 448.0}, {5 * 1024.0 + 700.0, 324.0}})
    CHECK(spectrum::folded(place, 1024) == seen);
}

TEST_CASE("sums over noise leave out what is none, in whole blocks and in parts of them", "[spectrum][lines]") {
  auto s = flat(1025, 2.0);
  const auto all = spectrum::noise_sums(s, 0, 1025);
  CHECK(all.count == 1025);
  CHECK(all.sum == Approx(2050));
  CHECK(all.squares == Approx(4100));
  put(s, 300, 50, Owner::other);
  put(s, 301, 3);
  put(s, 1024, 7);
  for (const auto& [from, to] : {std::pair<std::size_t, std::size_t>{0, 1025}, {256, 512}, {290, 310}, {299, 301}, {301, 302}, {512, 1025}, {1000, 1025}, {5, 5}, {300, 301}}) {
    double sum = 0, squares = 0;
    std::size_t count = 0;
    for (auto k = from; k < to; ++k) {
      if (s.owner[k] != Owner::noise) continue;
      sum += s.rest[k];
      squares += s.rest[k] * s.rest[k];
      ++count;
    }
    INFO(from << " to " << to);
    const auto found = spectrum::noise_sums(s, from, to);
    CHECK(found.count == count);
    CHECK(found.sum == Approx(sum));
    CHECK(found.squares == Approx(squares));
  }
  // In the first block, and once each.
  put(s, 3, 9);
  put(s, 1020, 9);
  std::vector<std::size_t> both;
  spectrum::for_each_above(s, [] { return 8.0; }, [&](std::size_t k) { both.push_back(k); });
  CHECK(both == std::vector<std::size_t>{3, 1020});
  put(s, 3, 2);
  put(s, 1020, 2);
  // A block in which nothing is noise.
  for (std::size_t k = 512; k < 768; ++k) s.owner[k] = Owner::harmonic;
  CHECK(spectrum::noise_sums(s, 512, 768).count == 0);
  CHECK(spectrum::noise_sums(s, 512, 768).sum == 0);
  for (std::size_t k = 512; k < 768; ++k) s.owner[k] = Owner::noise;
  std::vector<std::size_t> above;
  spectrum::for_each_above(s, [] { return 2.0; }, [&](std::size_t k) { above.push_back(k); });
  CHECK(above == std::vector<std::size_t>{301, 1024});
  // The bound may rise on the way: the highest alone is left then, or those that rise.
  above.clear();
  put(s, 700, 5);
  put(s, 900, 4);
  spectrum::for_each_above(s, [&] { return above.empty() ? 2.0 : s.rest[above.back()]; }, [&](std::size_t k) { above.push_back(k); });
  CHECK(above == std::vector<std::size_t>{301, 700, 1024});
}

TEST_CASE("a tone's power is its lobe's less the noise about it, known by both", "[spectrum][lines]") {
  auto s = flat(2049, 1e-6);
  s.averages = 3;
  for (std::size_t k = 496; k <= 504; ++k) put(s, k, 1e-6 + (k == 500 ? 0.5 : 0.01), Owner::fundamental);
  const auto lobe = spectrum::lobe_at(500, 4, s.power.size());
  CHECK(spectrum::floor_about(s, lobe) == Approx(1e-6));
  const auto tone = spectrum::tone_in(s, lobe, 500);
  CHECK(tone.power == Approx(0.58));
  CHECK(tone.frequency == 500);
  const auto& f = s.facts;
  CHECK(tone.u_power == Approx(std::sqrt((2 * 0.58 * 1e-6 * f.tone_variance + 1e-12 * 9 * f.line_variance) / 3)));
  // Only sixty-four lines on either side tell the floor, and only those of noise.
  put(s, 504 + 64, 1e-6 + 128e-6);
  CHECK(spectrum::floor_about(s, lobe) == Approx(2e-6));
  put(s, 504 + 64, 1e-6);
  put(s, 504 + 65, 1e-3);
  put(s, 496 - 65, 1e-3);
  CHECK(spectrum::floor_about(s, lobe) == Approx(1e-6));
  put(s, 496 - 1, 1, Owner::harmonic);
  CHECK(spectrum::floor_about(s, lobe) == Approx(1e-6));
  put(s, 496 - 64, 1e-6 + 127e-6);
  CHECK(spectrum::floor_about(s, lobe) == Approx(2e-6));
  // Where fewer than eight lines of noise are near, all of them tell.
  s.density = 5e-6;
  for (std::size_t k = 400; k < 620; ++k) put(s, k, 0, Owner::other);
  for (std::size_t k = 480; k < 487; ++k) put(s, k, 1e-6);
  CHECK(spectrum::floor_about(s, lobe) == Approx(5e-6));
  put(s, 487, 1e-6);
  CHECK(spectrum::floor_about(s, lobe) == Approx(1e-6));
  // A lobe with nothing in it has no power that would make it less well known.
  auto silent = flat(1025, 1e-6);
  put(silent, 300, 0, Owner::other);
  CHECK(spectrum::tone_in(silent, {300, 300}, 300).power == Approx(-1e-6));
  CHECK(spectrum::tone_in(silent, {300, 300}, 300).u_power == Approx(1e-6 * std::sqrt(f.line_variance)));
}

TEST_CASE("what two tones mix to is summed where it folds to, and told where it cannot be", "[spectrum][lines]") {
  auto s = flat(1025, 1e-9, signal::Window::rectangular);
  s.place = 200;
  s.fundamental = spectrum::Tone{.frequency = 200, .power = 0.5};
  put(s, 180, 1e-4 + 1e-9, Owner::other);
  put(s, 230, 3e-4 + 1e-9, Owner::other);
  const auto both = s.products({180, 230});
  REQUIRE(both);
  CHECK(both->power == Approx(4e-4).epsilon(1e-4));
  CHECK(both->u_power == Approx(std::sqrt(2 * 1e-4 * 1e-9 + 2 * 3e-4 * 1e-9 + 6e-18 * s.facts.line_variance)).epsilon(1e-3));
  // Of a negative frequency it is the same, beyond half the rate what it folds to.
  CHECK(s.products({-180})->power == s.products({180})->power);
  CHECK(s.products({2048 - 180})->power == s.products({180})->power);
  CHECK_THAT(s.products({1}).error(), Contains("folds to an end"));
  CHECK_THAT(test::spaced(s.products({1}).error()), Contains("1.000 Hz"));
  CHECK_THAT(s.products({1023.5}).error(), Contains("folds to an end"));
  CHECK_THAT(s.products({2048}).error(), Contains("folds to an end"));
  CHECK_THAT(s.products({200}).error(), Contains("falls on a tone itself"));
  CHECK_THAT(s.products({200.9}).error(), Contains("falls on a tone itself"));
  CHECK_THAT(s.products({201}).error(), Contains("does not stand out"));
  CHECK_THAT(s.products({1.6}).error(), Contains("does not stand out"));
  CHECK_THAT(s.products({900}).error(), Contains("does not stand out"));
  // It stands out from two of its own uncertainties on.
  for (double power = 1e-10; power < 1e-7; power *= 1.1) {
    put(s, 500, 1e-9 + power, Owner::other);
    const auto one = spectrum::tone_in(s, {499, 501}, 500);
    CHECK(s.products({500}).has_value() == (one.power > 2 * one.u_power));
  }
  // A tone that was taken off is what it was read to.
  s.others = {{.frequency = 300.2, .power = 7e-5}, {.frequency = 600, .power = 9e-5}};
  s.taken_off = 1;
  CHECK(s.tone_at(300).power == 7e-5);
  CHECK(s.tone_at(301.1).power == 7e-5);
  CHECK(s.tone_at(301.3).power < 1e-8);
  CHECK(s.tone_at(600).power < 1e-8);
}

TEST_CASE("a residual counts lines by what of them lies in the band, and stands in for those that tones cover", "[spectrum][lines]") {
  auto s = flat(1025, 1e-6);
  s.averages = 4;
  const auto plain = [&](double from, double to) { return s.residual(from, to, spectrum::Weighting::none); };
  // Lines reach half a hertz on either side.
  CHECK(plain(0, 9.5).power == Approx(9.5e-6));
  CHECK(plain(99.5, 199.5).power == Approx(100e-6));
  CHECK(plain(99.5, 199.5).u_power == Approx(std::sqrt(100e-12 * s.facts.line_variance / 5)));
  CHECK(plain(99.75, 199.5).power == Approx(99.75e-6));
  CHECK(plain(100, 100.25).power == Approx(0.25e-6));
  for (std::size_t k = 120; k < 130; ++k) put(s, k, 1, Owner::harmonic);
  CHECK(plain(99.5, 199.5).power == Approx(100e-6));
  CHECK(plain(99.5, 199.5).u_power == Approx(std::sqrt(90e-12 * s.facts.line_variance / 5) * 100 / 90));
  CHECK(plain(119.5, 129.5).power == 0);
  // What stands still is no noise.
  for (std::size_t k = 0; k < 5; ++k) put(s, k, 9, Owner::standing);
  CHECK(plain(0, 9.5).power == Approx(5e-6));
  // Other tones count, at their ends as well.
  s.others = {{.frequency = 150, .power = 3e-5, .u_power = 2e-6}};
  CHECK(plain(150, 199.5).power == Approx(49.5e-6 + 3e-5));
  CHECK(plain(100, 150).power == Approx(50e-6 + 3e-5));
  CHECK(plain(150.1, 199.5).power == Approx(49.4e-6));
  CHECK(plain(99.5, 149.9).power == Approx(50.4e-6));
  CHECK(plain(149.9, 150.1).u_power == Approx(std::hypot(2e-6, 0.2e-6 * std::sqrt(s.facts.line_variance / 5))));
  // Weighted, every line and every tone by its own gain.
  const auto weighted = s.residual(99.5, 101.5, spectrum::Weighting::a);
  CHECK(weighted.power == Approx(1e-6 * (spectrum::a_weighting(100) + spectrum::a_weighting(101))));
  const auto tone = s.residual(149.95, 150.05, spectrum::Weighting::a);
  CHECK(tone.power == Approx(spectrum::a_weighting(150) * (3e-5 + 0.1e-6)));
  CHECK(tone.u_power == Approx(spectrum::a_weighting(150) * std::hypot(2e-6, 0.1e-6 * std::sqrt(s.facts.line_variance / 5))));
}

TEST_CASE("what leaks beside a tone is what its main lobe leaves", "[spectrum][lines]") {
  // Without a window, half way between two lines: both hold (2/pi)^2.
  CHECK(spectrum::leakage(0.5, signal::Window::rectangular, 1 << 14) == Approx(1 - 8 / (pi * pi)).epsilon(1e-6));
  CHECK(spectrum::leakage(0, signal::Window::rectangular, 1 << 14) < 1e-12);
  // A quarter: sinc^2 at a quarter and at three quarters.
  const auto sinc2 = [](double x) { return std::pow(std::sin(pi * x) / (pi * x), 2); };
  CHECK(spectrum::leakage(0.25, signal::Window::rectangular, 1 << 14) == Approx(1 - sinc2(0.25) - sinc2(0.75)).epsilon(1e-5));
  for (const double off : {0.25, 0.5}) {
    double inside = 0, all = 0;
    const std::size_t n = 512;
    const auto w = signal::window_weights(signal::Window::hann, n);
    for (std::size_t k = 0; k < n; ++k) {
      std::complex<double> line = 0;
      for (std::size_t t = 0; t < n; ++t) line += w[t] * std::polar(1.0, 2 * pi * (100 + off - double(k)) * double(t) / double(n));
      all += std::norm(line);
      if (std::abs(double(k) - 100 - off) <= 2) inside += std::norm(line);
    }
    CHECK(spectrum::leakage(off, signal::Window::hann, n) == Approx(1 - inside / all).epsilon(1e-4));
  }
}

TEST_CASE("records are cut into segments that overlap as it is said", "[spectrum][lines]") {
  Settings s;
  CHECK(spectrum::segments_of(1001, s)->length == 1000);
  CHECK(spectrum::segments_of(1001, s)->step == 500);
  CHECK(spectrum::segments_of(16, s)->length == 16);
  CHECK_THAT(spectrum::segments_of(15, s).error().message, Contains("A record of 15 samples has no spectrum; 16 are the fewest."));
  CHECK(spectrum::segments_of(spectrum::kLongest + 10, s)->length == spectrum::kLongest);
  s.segment = 128;
  s.overlap = 0.75;
  CHECK(spectrum::segments_of(1000, s)->length == 128);
  CHECK(spectrum::segments_of(1000, s)->step == 32);
  s.overlap = 0;
  CHECK(spectrum::segments_of(1000, s)->step == 128);
  CHECK(spectrum::segments_of(128, s)->length == 128);
  CHECK_THAT(spectrum::segments_of(127, s).error().message, Contains("The record has 127 samples, fewer than the 128 of one segment") || Contains("fewer than the 128 of one segment"));
  // Apart, each is worth one; half on each other under a Hann window as Welch has it.
  CHECK(spectrum::independent(signal::Window::hann, {128, 128}, {5, 3}) == Approx(8));
  CHECK(spectrum::independent(signal::Window::hann, {128, 64}, {9}) == Approx(9 / (1 + 2 * (8.0 / 9) / 36)).epsilon(1e-3));
}

TEST_CASE("the noise of a record is its mean square, its density spread over half the rate, and spreads as it is said", "[spectrum][lines]") {
  constexpr std::size_t n = 8192;
  for (const char* window : {"rectangular", "blackman_harris"}) {
    double bias = 0, squares = 0;
    constexpr int kRuns = 120;
    Settings settings;
    settings.window = *signal::window_from_text(window);
    for (unsigned run = 0; run < kRuns; ++run) {
      const auto s = of(trace([](double t) { return std::cos(2 * pi * 901 * kRate / n * t); }, n, 1e-3, run + 1), settings);
      REQUIRE(s.fundamental);
      const double off = (s.noise - 1e-6) / s.u_noise;
      bias += off / kRuns;
      squares += off * off / kRuns;
      CHECK(s.density * kRate / 2 == Approx(s.noise).epsilon(0.02));
    }
    INFO(window);
    CHECK(std::abs(bias) < 0.5);
    CHECK(std::sqrt(squares) > 0.7);
    CHECK(std::sqrt(squares) < 1.4);
  }
}

TEST_CASE("a fundamental that is said is looked for near that, and nowhere else", "[spectrum][lines]") {
  constexpr std::size_t n = 4096;
  const double low = 300 * kRate / n, high = 800 * kRate / n;
  const auto two = trace([&](double t) { return 0.1 * std::cos(2 * pi * low * t) + std::cos(2 * pi * high * t); }, n, 1e-4);
  CHECK(of(two).fundamental->frequency == Approx(high).epsilon(1e-6));
  Settings said;
  // Within five per cent of what is said, also where another is a hundred times as strong.
  for (const double away : {1.0, 1.045, 0.955}) {
    said.fundamental = low / away;
    const auto s = of(two, said);
    INFO(away << ": " << s.no_fundamental);
    REQUIRE(s.fundamental);
    CHECK(s.fundamental->frequency == Approx(low).epsilon(1e-6));
  }
  for (const double away : {1.06, 0.94}) {
    said.fundamental = low / away;
    const auto s = of(two, said);
    CHECK((!s.fundamental || std::abs(s.fundamental->frequency / low - 1) > 1e-3));
  }
  // Five per cent to the line: the last that counts, and the first that does not.
  for (const auto& [cycles, counts] : {std::pair{315.0, true}, {285.0, true}, {317.0, false}, {283.0, false}}) {
    CAPTURE(cycles);
    said.fundamental = low;
    const auto s = of(trace([&](double t) { return 0.1 * std::cos(2 * pi * cycles * kRate / n * t) + std::cos(2 * pi * high * t); }, n, 1e-4), said);
    CHECK((s.fundamental && std::abs(s.fundamental->frequency / (cycles * kRate / n) - 1) < 1e-5) == counts);
  }
  // Beyond the ends of the spectrum nothing breaks.
  for (const double odd : {1e-3, 1e6, kRate / 2}) {
    said.fundamental = odd;
    of(two, said);
  }
}

TEST_CASE("harmonics that cannot be told say what they lie on", "[spectrum][lines]") {
  constexpr std::size_t n = 4096;
  const auto lost = [&](double cycles, int order) {
    const auto s = of(trace([&](double t) { return std::cos(2 * pi * cycles * kRate / n * t) + 1e-3 * std::cos(4 * pi * cycles * kRate / n * t + 1); }, n, 1e-6));
    for (const auto& h : s.harmonics)
      if (h.order == order) return h.lost;
    return std::string("not counted");
  };
  // A quarter of the rate: the second at half the rate, the third folds onto it, the fourth to zero, the fifth onto it again.
  CHECK_THAT(lost(1024, 2), Contains("half the sample rate"));
  CHECK_THAT(lost(1024, 3), Contains("onto the fundamental"));
  CHECK_THAT(lost(1024, 4), Contains("where the mean stands"));
  // A third of it: the second stands beside the first.
  CHECK_THAT(lost(1365, 2), Contains("onto the fundamental"));
  CHECK(lost(1364, 2).empty());
  CHECK_THAT(lost(819, 3), Contains("onto another harmonic"));
  CHECK(lost(411, 7).empty());
  CHECK(lost(411, 11) == "not counted");
  const auto s = of(trace([&](double t) { return std::cos(2 * pi * 411 * kRate / n * t); }, n, 1e-6));
  REQUIRE(s.harmonics.size() == 9);
  CHECK(s.harmonics.front().order == 2);
  CHECK(s.harmonics.back().order == 10);
  CHECK(s.harmonics[5].unfolded == Approx(7 * 411 * kRate / n));
  CHECK(s.harmonics[5].tone.frequency == Approx((4096 - 7 * 411) * kRate / n));
  CHECK(s.harmonics[5].tone.u_frequency == Approx(7 * s.fundamental->u_frequency));
}

TEST_CASE("a harmonic beside what stands still is told from one in its lobe", "[spectrum][lines]") {
  // Without a window the mean reaches so many lines; whole cycles, so that none has a window.
  constexpr std::size_t n = 4096;
  const int reach = signal::facts_of(signal::Window::rectangular).reach;
  for (const int line : {reach, reach + 1}) {
    // Three times the cycles fold to that line.
    std::size_t cycles = 0;
    for (std::size_t k = 1200; k < 1500 && cycles == 0; ++k)
      if (std::abs(long(3 * k) - long(n)) == line) cycles = k;
    REQUIRE(cycles > 0);
    Settings plain;
    plain.window = signal::Window::rectangular;
    const auto s = of(trace([&](double t) { return std::cos(2 * pi * double(cycles) * kRate / n * t) + 1e-2 * std::cos(6 * pi * double(cycles) * kRate / n * t + 1); }, n), plain);
    REQUIRE(s.harmonics.size() == 9);
    CAPTURE(line, s.harmonics[1].lost);
    CHECK(s.harmonics[1].lost.empty() == (line > reach));
  }
}

TEST_CASE("lines of which a corner leaves less than a tenth are no noise", "[spectrum][lines][link]") {
  constexpr std::size_t n = 1 << 14;
  Settings with;
  REQUIRE(spectrum::set(with, "link.v", "corner 10 kHz"));
  const auto s = of(trace([](double t) { return std::cos(2 * pi * 1e3 * t); }, n, 1e-2), with);
  // A tenth of the power is left at three times the corner.
  const auto at = [&](double frequency) { return s.owner[std::size_t(std::lround(frequency / s.line))]; };
  CHECK(at(29.9e3) == Owner::noise);
  CHECK(at(30.1e3) == Owner::standing);
  CHECK(at(5.5e3) == Owner::noise);
  CHECK(at(0) == Owner::standing);
}

TEST_CASE("whole cycles are no whole ones beside a second tone that has none, unless that is lost beside the first", "[spectrum][lines]") {
  constexpr std::size_t n = 4096;
  const auto window = [&](double beside) { return of(trace([&](double t) { return std::cos(2 * pi * 411 * kRate / n * t) + beside * std::cos(2 * pi * 977.4 * kRate / n * t); }, n)).window; };
  CHECK(window(0) == signal::Window::rectangular);
  // A power of 1e-8 of the first's: an amplitude of 1e-4, of which the nearest line of the window holds a little less.
  CHECK(window(2e-4) == signal::Window::blackman_harris);
  CHECK(window(0.7e-4) == signal::Window::rectangular);
  // What stands still, however large, hides neither.
  const auto over = [&](double beside) { return of(trace([&](double t) { return 50 + std::cos(2 * pi * 411 * kRate / n * t) + beside * std::cos(2 * pi * 977.4 * kRate / n * t); }, n)).window; };
  CHECK(over(0) == signal::Window::rectangular);
  CHECK(over(1e-2) == signal::Window::blackman_harris);
}

TEST_CASE("cycles are whole up to a hundredth of one", "[spectrum][lines]") {
  constexpr std::size_t n = 4096;
  for (const auto& [beyond, whole] : {std::pair{0.0095, true}, {-0.0095, true}, {0.0105, false}, {-0.0105, false}}) {
    CAPTURE(beyond);
    const auto s = of(trace([&](double t) { return std::cos(2 * pi * (411 + beyond) * kRate / n * t); }, n));
    CHECK(s.coherent == whole);
    CHECK(s.off_coherent == Approx(std::abs(beyond)).margin(1e-4));
  }
}

TEST_CASE("the curve of a spectrum goes from the first line to half the rate", "[spectrum][lines]") {
  constexpr std::size_t n = 512;
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  study::Record record{.sample_rate = kRate};
  study::Channel channel{.role = "v", .unit = "V"};
  for (std::size_t k = 0; k < n; ++k) channel.numbers.push_back(std::cos(2 * pi * 41 * double(k) / n) + std::cos(pi * double(k)) / 8);
  record.channels.push_back(channel);
  point.records.push_back(record);
  const auto analysis = spectrum::kind().analyse({point}, {}, {});
  if (!analysis) FAIL(analysis.error().message);
  CHECK(analysis->curve->x.size() == n / 2);
  CHECK(analysis->curve->x.front() == Approx(kRate / n));
  CHECK(analysis->curve->x.back() == Approx(kRate / 2));
}

TEST_CASE("harmonics that share a lobe are distortion together, each line once", "[spectrum][lines]") {
  constexpr std::size_t n = 4096;
  // Of 819 cycles the second stands on line 1638, the third on 1639, the seventh on 1637, the eighth on 1640.
  const auto distortion = [&](const std::vector<std::pair<int, double>>& harmonics) {
    const auto s = of(trace([&](double t) {
      const double w = 2 * pi * 819 * kRate / n * t;
      double sum = std::cos(w);
      for (const auto& [order, size] : harmonics) sum += size * std::cos(order * w + order);
      return sum;
    }, n, 1e-7));
    CHECK(s.window == signal::Window::rectangular);
    CHECK(s.harmonics[1].lost == "it folds onto another harmonic");
    return s.distortion / s.fundamental->power;
  };
  CHECK(distortion({{2, 1e-3}}) == Approx(1e-6).epsilon(0.02));
  CHECK(distortion({{2, 1e-3}, {7, 2e-3}}) == Approx(5e-6).epsilon(0.02));
  CHECK(distortion({{3, 1e-3}, {8, 3e-3}}) == Approx(10e-6).epsilon(0.02));
}

TEST_CASE("other tones are found strongest first, with where they are, and count as noise", "[spectrum][lines]") {
  constexpr std::size_t n = 8192;
  for (const double off : {0.0, 0.37}) {
    const auto s = of(trace([&](double t) {
      return std::cos(2 * pi * (901 + off) * kRate / n * t) + 3e-3 * std::cos(2 * pi * (1717 + off) * kRate / n * t) + 5e-4 * std::cos(2 * pi * (3011 + off) * kRate / n * t + 1);
    }, n, 1e-4, 3));
    INFO(off);
    REQUIRE(s.others.size() == 2);
    CHECK(s.others[0].frequency == Approx((1717 + off) * kRate / n).margin(4 * s.others[0].u_frequency));
    CHECK(s.others[1].frequency == Approx((3011 + off) * kRate / n).margin(4 * s.others[1].u_frequency + 1e-9));
    CHECK(s.others[1].u_frequency > 0);
    CHECK(s.others[1].u_frequency < 0.1 * kRate / n);
    CHECK(s.others[0].power == Approx(4.5e-6).epsilon(0.03));
    CHECK(s.others[1].power == Approx(1.25e-7).epsilon(0.15));
    CHECK(s.noise == Approx(1e-8 + 4.5e-6 + 1.25e-7).epsilon(0.03));
    CHECK(s.density * kRate / 2 == Approx(1e-8).epsilon(0.06));
    REQUIRE(s.worst);
    CHECK(s.worst->power == s.others[0].power);
    CHECK(s.coherent == (off == 0));
    CHECK(s.off_coherent == Approx(off).margin(1e-3));
  }
  // With nothing standing out the highest of the noise stands for what may hide in it.
  const auto quiet = of(trace([](double t) { return std::cos(2 * pi * 901 * kRate / n * t); }, n, 1e-3));
  REQUIRE(quiet.worst);
  CHECK(quiet.others.empty());
  CHECK(quiet.worst->power > 4 * quiet.density * quiet.line);
  CHECK(quiet.worst->power < 20 * quiet.density * quiet.line);
}

TEST_CASE("what stands still, however large, is no tone and leaves nothing in the noise", "[spectrum][lines]") {
  constexpr std::size_t n = 4096;
  for (const double off : {0.0, 0.41}) {
    const auto s = of(trace([&](double t) { return 40 + std::cos(2 * pi * (301 + off) * kRate / n * t); }, n, 1e-4, 9));
    INFO(off);
    REQUIRE(s.fundamental);
    CHECK(s.fundamental->power == Approx(0.5).epsilon(1e-4));
    CHECK(s.others.empty());
    CHECK(s.noise == Approx(1e-8).epsilon(0.12));
  }
}

TEST_CASE("figures of two tones are those of the pair", "[spectrum][lines]") {
  constexpr std::size_t n = 8192;
  const auto figures = [&](double second, std::vector<std::string> asked) {
    study::Point point{.setting = nlohmann::json::object(), .records = {}};
    study::Record record{.sample_rate = kRate};
    std::mt19937_64 random(5);
    std::vector<double> v(n);
    const double a = 901 * kRate / n, b = 1001 * kRate / n;
    for (std::size_t k = 0; k < n; ++k) {
      const double t = double(k) / kRate;
      v[k] = std::cos(2 * pi * a * t) + second * std::cos(2 * pi * b * t) + 1e-3 * std::cos(2 * pi * (b - a) * t) + 4e-3 * std::cos(2 * pi * (2 * a - b) * t) +
             3e-3 * std::cos(2 * pi * (2 * b - a) * t) + 1e-6 * normal_deviate(random);
    }
    record.channels.push_back({.role = "v", .unit = "V", .numbers = std::move(v)});
    point.records.push_back(std::move(record));
    return spectrum::kind().analyse({point}, {}, asked)->reading;
  };
  const auto pair = figures(1, {"imd.2", "imd.3"});
  REQUIRE(pair.find("imd.2"));
  REQUIRE(pair.find("imd.3"));
  // Of both tones together.
  CHECK(pair.find("imd.2")->value == Approx(db(1e-3 / std::sqrt(2.0))).margin(0.02));
  CHECK(pair.find("imd.3")->value == Approx(db(5e-3 / std::sqrt(2.0))).margin(0.02));
  CHECK(pair.find("imd.3")->at.size() == 2);
  CHECK(pair.find("imd.2")->at.front() == Approx(100 * kRate / n).epsilon(1e-4));
  CHECK(figures(0.102, {"imd.3"}).find("imd.3"));
  CHECK_FALSE(figures(0.098, {"imd.3"}).find("imd.3"));
  CHECK_FALSE(figures(0.0998, {"imd.3"}).find("imd.3"));
  // Both are told of a pair without being asked for, by their names.
  const auto unasked = figures(1, {});
  REQUIRE(unasked.find("imd.2"));
  REQUIRE(unasked.find("imd.3"));
  CHECK(unasked.find("imd.2")->label == "Intermodulation, second order");
  CHECK(unasked.find("imd.3")->label == "Intermodulation, third order");
}

TEST_CASE("a tone stands out of noise from the highest on that noise makes of so many lines", "[spectrum][lines]") {
  // An impulse is the same on every line; tones on lines add to it in phase.
  constexpr std::size_t n = 1 << 14;
  Settings settings;
  settings.window = signal::Window::rectangular;
  settings.harmonics = {2, 2};
  const auto others = [&](double times) {
    std::vector<double> v(n);
    v[0] = 1;
    for (std::size_t k = 0; k < n; ++k) v[k] += std::cos(2 * pi * 901 * double(k) / n) + 2.0 / n * (std::sqrt(times) - 1) * std::cos(2 * pi * 5003 * double(k) / n);
    return of(study::trace_of("v", "V", study::TimeBase(0, 1 / kRate), std::move(v)), settings).others.size();
  };
  // Of chi square's tail by Bernstein: 1 + sqrt(2 t) + t with t = ln(lines) + 7.
  const double t = std::log(n / 2.0 + 1) + 7, bound = 1 + std::sqrt(2 * t) + t;
  CHECK(others(0.985 * bound) == 0);
  CHECK(others(1.02 * bound) == 1);
}

TEST_CASE("how well a tone's frequency is known follows from the noise of its record", "[spectrum][lines]") {
  constexpr std::size_t n = 8192;
  const auto s = of(trace([&](double t) { return std::cos(2 * pi * 901.37 * kRate / n * t) + 3e-3 * std::cos(2 * pi * 1717.2 * kRate / n * t); }, n, 1e-4, 3));
  const auto known = [&](double place, double peak) { return s.line * signal::u_of({.place = place, .peak = peak, .phase = 0}, s.facts, s.window, n, 1e-8).place; };
  CHECK(s.fundamental->u_frequency == Approx(known(901.37, 1)).epsilon(0.12));
  REQUIRE(s.others.size() == 1);
  CHECK(s.others[0].u_frequency == Approx(known(1717.2, 3e-3)).epsilon(0.12));
}

TEST_CASE("noise is the density over all lines but those that stand still, and spreads as chi square does", "[spectrum][lines]") {
  Settings settings;
  settings.window = signal::Window::blackman_harris;
  for (const std::size_t n : {64u, 16384u}) {
    const auto s = of(trace([](double) { return 0.0; }, n, 1e-3, 4), settings);
    CHECK(s.fundamental.has_value() == false);
    CHECK(s.noise == Approx(s.density * s.line * double(n / 2 + 1 - 5)));
    // Of one average a line spreads by itself; lines under one window do so together.
    if (n > 64) CHECK(s.u_noise == Approx(s.noise * std::sqrt(s.facts.line_variance / double(n / 2 + 1 - 5))).epsilon(0.05));
  }
}

TEST_CASE("harmonics are told apart from two lobes on", "[spectrum][lines]") {
  // At that place each falls ten lines beside another, which is more than twice four and less than three times.
  constexpr std::size_t n = 1024;
  Settings settings;
  settings.window = signal::Window::blackman_harris;
  settings.harmonics = {2, 9};
  const auto s = of(trace([&](double t) { return std::cos(2 * pi * 1034 / 7.0 * kRate / n * t); }, n, 1e-5), settings);
  REQUIRE(s.harmonics.size() == 8);
  for (const auto& h : s.harmonics) {
    INFO(h.order << " " << h.lost);
    if (h.order != 7) CHECK(h.lost.empty());
  }
  // Where a half of that is left, neither is.
  const auto near = of(trace([&](double t) { return std::cos(2 * pi * 1029 / 7.0 * kRate / n * t); }, n, 1e-5), settings);
  CHECK_FALSE((near.harmonics[0].lost.empty() && near.harmonics[7].lost.empty()));
}

TEST_CASE("a harmonic that is strong enough to leak is read off with its tone", "[spectrum][lines]") {
  constexpr std::size_t n = 8192;
  Settings settings;
  settings.window = signal::Window::hann;
  const auto s = of(trace([&](double t) { return std::cos(2 * pi * 901.37 * kRate / n * t) + 0.3 * std::cos(2 * pi * 2 * 901.37 * kRate / n * t + 1) + 0.2 * std::cos(2 * pi * 3011.4 * kRate / n * t); }, n, 1e-6, 3), settings);
  CHECK(s.harmonics[0].tone.power == Approx(0.045).epsilon(1e-6));
  REQUIRE(s.others.size() == 1);
  CHECK(s.others[0].power == Approx(0.02).epsilon(1e-6));
  CHECK(s.others[0].frequency == Approx(3011.4 * kRate / n).epsilon(1e-9));
  // All their leakage is gone with them.
  CHECK(s.density * kRate / 2 == Approx(1e-12).epsilon(0.08));
  CHECK(s.taken_off == 1);
}

TEST_CASE("a tone is read from two cycles on, and up to half a line under half the rate", "[spectrum][lines]") {
  constexpr std::size_t n = 1024;
  Settings settings;
  settings.window = signal::Window::rectangular;
  const auto why = [&](double place) {
    settings.fundamental = place * kRate / n;
    const auto s = of(trace([&](double t) { return std::cos(2 * pi * place * kRate / n * t + 0.3); }, n, 1e-6), settings);
    return s.fundamental ? std::string() : s.no_fundamental;
  };
  CHECK(why(2.4).empty());
  CHECK_THAT(why(1.7), Contains("fewer than two cycles"));
  CHECK(why(510.9).empty());
}

TEST_CASE("a link is divided out of every line, and its own u goes into every tone once", "[spectrum][lines][link]") {
  constexpr std::size_t n = 4096;
  const auto record = trace([&](double t) { return std::cos(2 * pi * 301 * kRate / n * t) + 0.01 * std::cos(2 * pi * 602 * kRate / n * t) + 0.004 * std::cos(2 * pi * 903 * kRate / n * t); }, n, 1e-3, 5);
  Settings settings;
  settings.window = signal::Window::blackman_harris;
  settings.harmonics = {2, 3};
  const auto plain = of(record, settings);
  spectrum::Link link{.form = spectrum::Link::Form::corner, .of = kRate / 8, .u = 0};
  settings.links = {{"v", link}};
  const auto sure = of(record, settings);
  for (std::size_t k = 1; k < plain.power.size(); ++k)
    if (std::abs(sure.power[k] * link.power_gain(sure.frequency_of(k)) / plain.power[k] - 1) > 1e-9) FAIL(k);
  CHECK(sure.power[0] == plain.power[0]);
  settings.links.at("v").u = link.u = 0.1;
  const auto unsure = of(record, settings);
  CHECK(unsure.u_noise == Approx(std::hypot(sure.u_noise, sure.noise * link.u_power_gain(kRate / 4))));
  for (std::size_t k = 0; k < 2; ++k)
    CHECK(unsure.harmonics[k].tone.u_power == Approx(std::hypot(sure.harmonics[k].tone.u_power, sure.harmonics[k].tone.power * link.u_power_gain(sure.harmonics[k].tone.frequency))));
  CHECK(unsure.u_distortion == Approx(std::hypot(unsure.harmonics[0].tone.u_power, unsure.harmonics[1].tone.u_power)));
}

TEST_CASE("two records and more are averaged line by line, or sample by sample", "[spectrum][lines]") {
  constexpr std::size_t n = 2048;
  const auto tone = [&](double t) { return std::cos(2 * pi * 301.3 * kRate / n * t) + 0.1 * std::cos(2 * pi * 711.8 * kRate / n * t); };
  std::vector<study::TracePtr> records;
  for (unsigned k = 0; k < 20; ++k) records.push_back(trace(tone, n, 1e-3, k + 1));
  Settings settings;
  settings.window = signal::Window::hann;
  const auto average = [&](std::size_t count) { return std::move(*spectrum::spectrum_of({records.begin(), records.begin() + std::ptrdiff_t(count)}, settings)); };
  std::vector<Spectrum> each;
  for (const auto& r : records) each.push_back(of(r, settings));
  for (const std::size_t count : {1u, 2u, 3u, 16u, 17u, 20u}) {
    const auto all = average(count);
    INFO(count);
    for (const std::size_t k : {1u, 7u, 301u, 302u, 500u, 711u, 1000u, 1024u}) {
      double mean = 0;
      for (std::size_t r = 0; r < count; ++r) mean += each[r].power[k] / double(count);
      CHECK(all.power[k] == Approx(mean).epsilon(1e-9));
    }
    CHECK(all.averages == Approx(double(count)));
    CHECK(all.density * kRate / 2 == Approx(1e-6).epsilon(0.1));
    CHECK(all.fundamental->power == Approx(0.5).epsilon(1e-3));
    CHECK(all.others.front().power == Approx(0.005).epsilon(1e-2));
    CHECK(all.off_coherent == Approx(0.3).margin(1e-3));
  }
  settings.average = spectrum::Average::coherent;
  const auto mean = average(2);
  CHECK(mean.averages == 1);
  CHECK(mean.density * kRate / 2 == Approx(0.5e-6).epsilon(0.15));
  // Of one alone its segments are averaged by their power.
  settings.segment = 256;
  const auto alone = average(1);
  CHECK(alone.averages > 5);
  CHECK(alone.samples == 256);
  // The shortest of all says how much of each is read.
  settings = {};
  const auto mixed = spectrum::spectrum_of({records[0], trace(tone, n / 2, 1e-3, 9)}, settings);
  REQUIRE(mixed);
  CHECK(mixed->samples == n / 2);
}

TEST_CASE("what a point lacks is said with its number, and the first of shorted ones is looked at", "[spectrum][lines]") {
  const auto point = [](int index, std::vector<const char*> names, double noise = 0, nlohmann::json setting = nlohmann::json::object()) {
    study::Point out{.index = index, .setting = std::move(setting), .records = {}};
    study::Record record{.sample_rate = kRate};
    std::mt19937_64 random(7);
    for (const char* name : names) {
      study::Channel channel{.role = name, .unit = "V"};
      for (int k = 0; k < 1024; ++k) channel.numbers.push_back(std::cos(2 * pi * 101 * k / 1024) + noise * normal_deviate(random));
      record.channels.push_back(std::move(channel));
    }
    if (!names.empty()) out.records.push_back(std::move(record));
    return out;
  };
  auto reducer = *spectrum::reducer({});
  REQUIRE(reducer->add(point(0, {"v", "w"})));
  CHECK_THAT(reducer->add(point(6, {"v"})).error().message, Contains("Point 7: its quantities are not those"));
  CHECK_THAT(reducer->add(point(4, {})).error().message, Contains("Point 5 has no record."));
  const auto both = (*reducer->so_far())->read({}, {});
  REQUIRE(both);
  REQUIRE(both->curve->columns.size() == 2);
  CHECK(both->curve->columns[1].name == "w");
  auto alone = *spectrum::reducer({});
  REQUIRE(alone->add(point(0, {"v"})));
  const auto reduced = *alone->so_far();
  CHECK(reduced->read({}, {})->curve->columns.front().name == "spectrum");
  // In little each column is the highest of its lines: the tone stands in one of them, at its level.
  const auto small = reduced->small();
  const auto& y = small.columns.front().y;
  REQUIRE(y.size() == 128);
  const auto top = std::size_t(std::max_element(y.begin(), y.end()) - y.begin());
  CHECK(top == 25);
  CHECK(small.x[top] == Approx(101 * kRate / 1024));
  CHECK(y[top] == Approx(10 * std::log10(0.5)).margin(1e-6));
  CHECK(small.x[127] > 510 * kRate / 1024 - 3 * kRate / 1024);
  auto shorted = *spectrum::reducer({});
  for (const double noise : {0.0, 0.5}) REQUIRE(shorted->add(point(0, {"v"}, noise, {{"purpose", "short"}})));
  const auto first = (*shorted->so_far())->read({}, {});
  REQUIRE(first);
  CHECK(first->reading.find("fundamental.level")->value == Approx(10 * std::log10(0.5)).margin(1e-3));
  CHECK(*first->reading.find("fundamental.level")->u < 1e-3);
}

TEST_CASE("a spectrogram shows a tone in its row alone, wherever the record begins", "[spectrum][lines]") {
  constexpr std::size_t n = 1 << 14;
  std::vector<double> v(n);
  // Line 1 of segments of 256 until the middle, line 63 from there on.
  for (std::size_t k = 0; k < n; ++k) v[k] = std::cos(2 * pi * (k < n / 2 ? 1 : 63) * double(k) / 256);
  const auto trace_all = study::trace_of("v", "V", study::TimeBase(0, 1 / kRate), v);
  const auto all = spectrum::spectrogram_of(*trace_all, 1024, n - 1024, 256, 1000, 16);
  REQUIRE(all);
  CHECK(all->segment == 256);
  CHECK(all->columns == int((n - 2048) / 256));
  CHECK(all->rows == 16);
  CHECK(all->from == Approx(1024 / kRate));
  CHECK(all->to == Approx((n - 1024) / kRate));
  const auto cell = [&](int row, int column) { return all->cells[std::size_t(row) * std::size_t(all->columns) + std::size_t(column)]; };
  for (int row = 0; row < 16; ++row) {
    // Lines 1 to 8 make the first row, 57 to 64 the eighth.
    CHECK((cell(row, 3) > 1e-3) == (row == 0));
    CHECK((cell(row, all->columns - 3) > 1e-3) == (row == 7));
  }
  // A segment is never shorter than 64, never longer than a quarter of what is looked at.
  CHECK(spectrum::spectrogram_of(*trace_all, 0, n, 10, 100, 100)->segment == 64);
  CHECK(spectrum::spectrogram_of(*trace_all, 0, n, 1 << 20, 100, 100)->segment == n / 4);
  const auto longer = study::trace_of("v", "V", study::TimeBase(0, 1 / kRate), std::vector<double>(1 << 19, 0.5));
  CHECK(spectrum::spectrogram_of(*longer, 0, 1 << 19, 1 << 20, 100, 100)->segment == 65536);
}

TEST_CASE("a link is said in words and told again in the same", "[spectrum][lines][link]") {
  for (const char* text : {"corner 100 kHz 0.5 %", "low_corner 9 Hz 2 %", "integrator 1 ms", "points 0.5 Hz 0 dB, 1 kHz -3.1 dB 7 %"}) {
    const auto link = spectrum::link_from_text("link.v", text);
    INFO(text);
    if (!link) FAIL(link.error().message);
    const auto again = spectrum::link_from_text("link.v", spectrum::link_text(*link));
    if (!again) FAIL(again.error().message);
    CHECK(again->of == link->of);
    CHECK(again->u == Approx(link->u));
    CHECK(again->points == link->points);
  }
  CHECK(spectrum::link_from_text("link.v", "corner 100 kHz")->u == 0);
  CHECK(spectrum::link_from_text("link.v", "corner 100 kHz 0.5 %")->u == Approx(0.005));
  CHECK(spectrum::link_from_text("link.v", " corner 100 kHz 99.5 % ")->u == Approx(0.995));
  for (const char* text : {"corner 100 kHz 100 %", "corner 0 Hz", "corner inf Hz", "points 1 kHz inf dB", "points inf Hz 0 dB", "points nan Hz 0 dB", "points 1 kHz nan dB", "points 1 kHz 0 dB, 1 kHz -1 dB", "corner 100 kHz -1 %"}) {
    INFO(text);
    CHECK_FALSE(spectrum::link_from_text("link.v", text));
  }
}

TEST_CASE("settings of a spectrum are taken to their ends and refused beyond them", "[spectrum][lines]") {
  const auto taken = [](const char* key, const char* text) { return spectrum::settings_from_text({{key, text}, {"full_scale", "1 V"}}).has_value(); };
  for (const auto& [key, good, bad] : {std::tuple{"segment", "64", "63"}, {"segment", "128", "128.5"}, {"bits", "2", "1"}, {"bits", "24", "25"}, {"overlap", "98.9", "99"}, {"overlap", "0", "-1"}}) {
    INFO(key << " " << good << " " << bad);
    CHECK(taken(key, good));
    CHECK_FALSE(taken(key, bad));
  }
}

}  // namespace spectrum_lines
