#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>
#include <random>

#include "judge/claim_words.h"
#include "signal/band_limited.h"
#include "signal/line_spectrum.h"
#include "study/density.h"
#include "study/waveform/averaged.h"
#include "study/waveform/expected.h"
#include "waveform_support.h"

using namespace heron;

namespace passes {
namespace {

using std::numbers::pi;
using study::Waveforms;
using waveform_bench::has;

/// One quantity over time as a pass, its first sample at `start`.
study::WaveformsPtr pass_of(int index, double start, std::vector<double> v, double noise = 0, int seed = 1) {
  std::mt19937_64 random{std::uint64_t(seed)};
  std::normal_distribution<double> normal(0, 1);
  for (auto& x : v) x += noise * normal(random);
  auto out = std::make_shared<Waveforms>();
  out->index = index;
  out->measured = out->triggered = true;
  out->traces.push_back(study::trace_of("v", "V", study::TimeBase(start, 1e-6), std::move(v)));
  out->errors.push_back({});
  return out;
}

std::vector<double> pulse(int from, int to, int n = 1000) {
  std::vector<double> out(std::size_t(n), 0.0);
  for (int k = from; k < to; ++k) out[std::size_t(k)] = 1;
  return out;
}

study::Point point_of(int index, const std::vector<double>& v) {
  study::Channel channel{.role = "v", .unit = "V", .scale = 1e-4, .lowest_count = -32768, .highest_count = 32767};
  for (const double x : v) channel.counts.push_back(std::int16_t(std::lround(x / 1e-4)));
  study::Point out{.index = index, .setting = {{"trigger_at", 0.0}}, .records = {{.sample_rate = 1e6}}};
  out.records.front().channels.push_back(channel);
  return out;
}

}  // namespace

TEST_CASE("noise falls with the root of the passes that are averaged", "[waveform][passes]") {
  std::vector<study::WaveformsPtr> all;
  for (int k = 0; k < 64; ++k) all.push_back(pass_of(k, -100e-6, pulse(300, 600), 0.08, k + 1));
  const auto mean = study::waveform::averaged(all);
  REQUIRE(mean);
  REQUIRE(*mean);
  std::vector<double> v((*mean)->traces.front()->size());
  REQUIRE((*mean)->traces.front()->read(0, v));
  double squares = 0;
  for (std::size_t k = 0; k < 300; ++k) squares += v[k] * v[k] / 300;
  CHECK(std::sqrt(squares) == Approx(0.01).epsilon(0.15));
  CHECK(v[450] == Approx(1).margin(0.05));
  const auto all_three = study::waveform::bundle_of(all);
  REQUIRE(all_three);
  REQUIRE(*all_three);
  for (std::size_t k = 0; k < v.size(); k += 37) {
    std::vector<double> low(1), high(1);
    REQUIRE((*all_three)->low->traces.front()->read(k, low));
    REQUIRE((*all_three)->high->traces.front()->read(k, high));
    CHECK(low[0] < v[k]);
    CHECK(high[0] > v[k]);
  }
}

TEST_CASE("rounding averages out only where noise carries the passes over a count", "[waveform][passes]") {
  for (const double noise : {0.0, 5e-3}) {
    std::vector<study::WaveformsPtr> all;
    for (int k = 0; k < 16; ++k) {
      auto one = std::make_shared<Waveforms>(*pass_of(k, 0, pulse(300, 600), noise, k + 1));
      one->errors.front().quantum = 10e-3;
      all.push_back(one);
    }
    const auto mean = study::waveform::averaged(all);
    REQUIRE(mean);
    // Of a count over pi, half a count of noise leaves a fiftieth: e to the minus two pi squared times a quarter less a twelfth.
    const double left = 10e-3 / pi * (noise > 0 ? std::exp(-2 * pi * pi * (0.25 - 1.0 / 12)) : 1);
    REQUIRE((*mean)->errors.front().rounding);
    CHECK(*(*mean)->errors.front().rounding == Approx(left).epsilon(0.15));
    CHECK((*mean)->errors.front().quantum == 10e-3);
  }
}

TEST_CASE("passes are joined by their trigger, not by their first sample", "[waveform][passes]") {
  // A ramp of one volt a millisecond through zero at the trigger, sampled a third of a sample apart.
  const auto ramp = [](double start) {
    std::vector<double> v;
    for (int k = 0; k < 500; ++k) v.push_back((start + k * 1e-6) * 1e3);
    return v;
  };
  const auto mean = study::waveform::averaged({pass_of(0, -100e-6, ramp(-100e-6)), pass_of(1, -100.33e-6, ramp(-100.33e-6))});
  REQUIRE(mean);
  std::vector<double> v(500);
  REQUIRE((*mean)->traces.front()->read(0, v));
  for (std::size_t k = 5; k < 490; ++k) REQUIRE(v[k] == Approx((-100e-6 + double(k) * 1e-6) * 1e3).margin(1e-9));
  // A pass whose trigger did not come is left out; one alone cannot be averaged.
  auto missed = std::make_shared<Waveforms>(*pass_of(2, 0, pulse(1, 2)));
  missed->triggered = false;
  missed->waits_for = study::Edge{"v", 1, 1};
  const auto alone = study::waveform::averaged({pass_of(0, 0, pulse(1, 2)), missed});
  REQUIRE(alone);
  CHECK_FALSE(*alone);
  // Unlike rates do not fit on each other.
  auto other = std::make_shared<Waveforms>(*pass_of(1, 0, pulse(1, 2)));
  other->traces = {study::trace_of("v", "V", study::TimeBase(0, 2e-6), pulse(1, 2))};
  CHECK_FALSE(study::waveform::averaged({pass_of(0, 0, pulse(1, 2)), other}));
}

TEST_CASE("averaging what jitters hides its peak, and the doubt says so", "[waveform][passes][doubts]") {
  const auto kind = study::find_kind("waveform");
  for (const int jitter : {0, 40}) {
    std::vector<study::Point> points;
    for (int k = 0; k < 8; ++k) points.push_back(point_of(k, pulse(300 + jitter * k, 310 + jitter * k)));
    const auto each = kind->analyse(points, {}, {"max"}), joined = kind->analyse(points, {{"average", "on"}}, {"max"});
    REQUIRE(each);
    REQUIRE(joined);
    INFO(jitter);
    CHECK(each->reading.find("max")->value == Approx(1));
    CHECK_FALSE(has(each->reading.doubts, "averaging.peak"));
    CHECK(joined->reading.find("max")->value == Approx(jitter ? 0.125 : 1).epsilon(0.01));
    CHECK(has(joined->reading.doubts, "averaging.peak") == (jitter > 0));
  }
  // Just under and just over: one pass of twenty-four with a taller pulse is 2 % of the swing beyond the mean, or not.
  for (const double taller : {1.4, 1.6}) {
    std::vector<study::Point> points;
    for (int k = 0; k < 24; ++k) {
      auto v = pulse(300, 310);
      // The others' pulses are where this one is low.
      v[std::size_t(500 + 10 * k)] = k == 0 ? taller : 0.5;
      points.push_back(point_of(k, v));
    }
    const auto joined = kind->analyse(points, {{"average", "on"}}, {});
    REQUIRE(joined);
    // Each pass's highest is 1 but for the first's: their mean lies (taller - 1)/24 above the mean's own.
    CHECK(has(joined->reading.doubts, "averaging.peak") == (taller > 1.5));
  }
}

TEST_CASE("a delay between inputs of unknown skew is doubted just over a twentieth of its edge", "[waveform][doubts]") {
  for (const double u_delay : {3.2e-9, 4.2e-9}) {
    std::vector<study::Channel> channels;
    for (const char* name : {"a", "b"}) {
      study::Channel channel{.role = name, .unit = "V", .scale = 1e-4, .lowest_count = -32768, .highest_count = 32767, .u_delay = u_delay};
      // An edge of 125 ns: 100 from 10 to 90 %.
      for (int k = 0; k < 2000; ++k) channel.counts.push_back(std::int16_t(std::lround(std::clamp((k - 1000) / 125.0, 0.0, 1.0) / 1e-4)));
      channels.push_back(channel);
    }
    study::Point point{.index = 0, .setting = nlohmann::json::object(), .records = {{.sample_rate = 1e9}}};
    point.records.front().channels = channels;
    const auto kind = study::find_kind("waveform");
    const auto asked = kind->analyse({point}, {}, {"delay(a,b)"}), not_asked = kind->analyse({point}, {}, {});
    REQUIRE(asked);
    REQUIRE(not_asked);
    // The root of two inputs' squares against 5 ns.
    CHECK(has(asked->reading.doubts, "skew.suspected") == (std::sqrt(2.0) * u_delay > 5e-9));
    CHECK_FALSE(has(not_asked->reading.doubts, "skew.suspected"));
  }
}

TEST_CASE("cells count each record once wherever it runs", "[passes]") {
  std::vector<study::TracePtr> traces;
  for (int k = 0; k < 5; ++k) {
    std::vector<double> v;
    for (int i = 0; i <= 100; ++i) v.push_back(k < 4 ? 0.25 : i * 0.01);
    traces.push_back(study::trace_of("v", "V", study::TimeBase(0, 0.01), v));
  }
  const auto cells = study::density_of(traces, 0, 1, 20, 0, 1, 10);
  REQUIRE(cells);
  CHECK(cells->records == 5);
  for (int c = 0; c < 20; ++c) {
    int sum = 0;
    for (int r = 0; r < 10; ++r) sum += cells->at(c, r);
    // Four level ones in one cell each; the slope passes through one or two.
    CHECK(sum >= 5);
    CHECK(sum <= 6);
    CHECK(cells->at(c, 2) >= 4);
  }
  // A spike between two samples of a column is there, to its full height.
  std::vector<double> spike(1000, 0.05);
  spike[503] = 0.95;
  const auto tall = study::density_of({study::trace_of("v", "V", study::TimeBase(0, 1e-3), spike)}, 0, 0.999, 10, 0, 1, 10);
  REQUIRE(tall);
  for (int r = 0; r < 10; ++r) CHECK(tall->at(5, r) == 1);
  CHECK(tall->at(2, 5) == 0);
  // What lies outside the picture is left out.
  const auto beside = study::density_of(traces, 5, 6, 4, 0, 1, 4);
  REQUIRE(beside);
  CHECK(*std::max_element(beside->counts.begin(), beside->counts.end()) == 0);
}

TEST_CASE("between samples a band-limited line follows a sine, and a constant stays", "[signal]") {
  std::vector<double> samples, places;
  for (int k = 0; k < 400; ++k) samples.push_back(std::sin(2 * pi * 0.17 * k));
  for (double p = 100; p < 300; p += 0.137) places.push_back(p);
  const auto line = signal::band_limited(samples, places);
  for (std::size_t k = 0; k < places.size(); ++k) REQUIRE(line[k] == Approx(std::sin(2 * pi * 0.17 * places[k])).margin(2e-3));
  // At a sample it is that sample.
  const double at_samples[] = {57, 58, 59};
  for (std::size_t k = 0; k < 3; ++k) CHECK(signal::band_limited(samples, at_samples)[k] == Approx(samples[57 + k]).margin(1e-9));
  const std::vector<double> flat(50, 3.25);
  const double anywhere[] = {-3, 0, 0.4, 25.5, 49, 60};
  for (const double v : signal::band_limited(flat, anywhere)) CHECK(v == Approx(3.25));
  CHECK(signal::band_limited({}, anywhere) == std::vector<double>(6, 0.0));
}

TEST_CASE("a sine in the middle of a line stands at its rms under every window", "[signal]") {
  const double rate = 1000, peak = 0.8;
  std::vector<double> v;
  for (int k = 0; k < 2000; ++k) v.push_back(0.3 + peak * std::cos(2 * pi * 100 * k / rate));
  for (const auto window : {signal::Window::rectangular, signal::Window::hann, signal::Window::blackman_harris, signal::Window::flat_top}) {
    const auto lines = signal::line_spectrum(v, rate, window);
    CHECK(lines.line == Approx(0.5));
    REQUIRE(lines.rms.size() == 1001);
    CHECK(lines.rms[200] == Approx(peak / std::sqrt(2.0)).epsilon(1e-9));
    CHECK(lines.rms[0] == Approx(0.3).epsilon(1e-9));
    CHECK(lines.rms[600] < 1e-12);
  }
  // Half the sample rate has no mirror image.
  std::vector<double> fast;
  for (int k = 0; k < 64; ++k) fast.push_back(k % 2 ? -0.5 : 0.5);
  CHECK(signal::line_spectrum(fast, rate, signal::Window::rectangular).rms.back() == Approx(0.5));
}

TEST_CASE("a formula of t draws what is expected, with the band of its parts", "[waveform][expected]") {
  study::waveform::Plan plan;
  plan.hookup.chains = {{.name = "v_cap", .input = {.pin = "cap"}}};
  plan.length = 1;
  plan.before = 0.25;
  study::Surroundings around;
  around.parts["R1"] = {.value = 1e3, .tolerance = 0.01};
  around.parts["C1"] = {.value = 100e-6, .tolerance = 0.02};
  study::waveform::Settings settings;
  const auto none = study::waveform::expected_waveforms(plan, around, settings);
  REQUIRE(none);
  CHECK_FALSE(*none);
  settings.expected = {{"v_cap", "4.8*exp(-t/(R1*C1))"}};
  const auto some = study::waveform::expected_waveforms(plan, around, settings);
  if (!some) FAIL(some.error().message);
  const auto& curves = **some;
  REQUIRE(curves.curves.size() == 1);
  CHECK(curves.curves.front().unit == "V");
  CHECK(curves.time.front() == Approx(-0.25));
  CHECK(curves.time.back() == Approx(0.75));
  for (std::size_t k = 0; k < curves.time.size(); k += 50) {
    const double t = curves.time[k], v = 4.8 * std::exp(-t / 0.1);
    CHECK(curves.curves.front().value[k] == Approx(v));
    // Its slope by either part: v t / tau times what each is off by; within a tolerance anything is as likely.
    const double band = 2 * std::abs(v * t / 0.1) * std::hypot(0.01, 0.02) / std::sqrt(3.0);
    CHECK(curves.curves.front().high[k] - curves.curves.front().low[k] == Approx(2 * band).epsilon(1e-3).margin(1e-12));
  }
  settings.expected = {{"v_cap", "4.8*exp(-t/(R1*C9))"}};
  const auto unknown = study::waveform::expected_waveforms(plan, around, settings);
  REQUIRE_FALSE(unknown);
  CHECK(unknown.error().message.find("expected.v_cap") != std::string::npos);
}

TEST_CASE("a quantity is held against a limit over time, in its own letters", "[judge][mask][waveform]") {
  const auto read = judge::understand_mask("V_out at most 1.05 V from 0 s to 2 ms", *study::find_kind("waveform"));
  REQUIRE(read);
  REQUIRE(*read);
  CHECK((*read)->curve == "V_out");
  REQUIRE((*read)->upper.size() == 2);
  CHECK((*read)->upper[1] == std::pair{2e-3, 1.05});
  const auto small = judge::understand_mask("v at least 20 mV at 0 s, 3 MV at 1 s", *study::find_kind("waveform"));
  REQUIRE(small);
  REQUIRE(*small);
  CHECK((*small)->lower[0].second == Approx(20e-3));
  CHECK((*small)->lower[1].second == Approx(3e6));
  // No limit over time: a claim, or nothing.
  for (const char* text : {"rise_time at most 2 us", "overshoot from 1 to 5", "v at most 3 V from 1 Hz to 2 Hz"}) {
    const auto other = judge::understand_mask(text, *study::find_kind("waveform"));
    INFO(text);
    REQUIRE(other);
    CHECK_FALSE(*other);
  }
  study::Columns curve{.x_name = "time", .x_unit = "s", .logarithmic = false, .x = {}};
  auto& column = curve.columns.emplace_back(study::Columns::Column{"V_out", "V", {}, {}});
  for (int k = 0; k <= 30; ++k) {
    column.x.push_back(k * 1e-4);
    column.y.push_back(k == 12 ? 1.1 : 1.0);
  }
  const auto fails = judge::judge(**read, curve);
  CHECK(fails.verdict == judge::Verdict::fails);
  CHECK(*fails.at == Approx(1.2e-3));
  column.y[12] = 1.04;
  CHECK(judge::judge(**read, curve).verdict == judge::Verdict::meets);
  // A limit in another unit decides nothing.
  const auto other = judge::understand_mask("V_out at most 5 A from 0 s to 2 ms", *study::find_kind("waveform"));
  REQUIRE(other);
  REQUIRE(*other);
  const auto undecided = judge::judge(**other, curve);
  CHECK(undecided.verdict == judge::Verdict::not_measured);
  CHECK(undecided.reason == "V_out is in V, the limit in A");
  CHECK_FALSE(judge::understand_mask("V_out at most 5 V at 0 s, 2 A at 1 s", *study::find_kind("waveform")));
}

TEST_CASE("a limit over time is placed after a crossing, and undecided where there is none", "[judge][mask][waveform]") {
  const auto* kind = study::find_kind("waveform");
  REQUIRE(kind);
  const auto read = judge::understand_mask("V_out at most 0.2 V from 1 ms to 2 ms after time.at(0.5V,falling)", *study::find_kind("waveform"));
  REQUIRE(read);
  REQUIRE(*read);
  CHECK((*read)->after == "time.at(0.5V,falling)");
  CHECK((*read)->upper == std::vector<std::pair<double, double>>{{1e-3, 0.2}, {2e-3, 0.2}});
  CHECK(judge::check(**read, *kind));
  CHECK(judge::asked_figures(*kind, {}, {**read}) == std::vector<std::string>{"time.at(0.5V,falling)"});
  // A figure that is none, and one that is no time.
  for (const char* bad : {"V_out at most 0.2 V from 1 ms to 2 ms after lunch", "V_out at most 0.2 V from 1 ms to 2 ms after frequency"}) {
    const auto other = judge::understand_mask(bad, *kind);
    INFO(bad);
    REQUIRE(other);
    REQUIRE(*other);
    CHECK_FALSE(judge::check(**other, *kind));
  }
  // 1 V until 4 ms, then a ramp down within 1 ms: half of it is crossed at 4.5 ms, a fifth at 4.8 ms.
  study::Point point{.index = 0, .setting = nlohmann::json::object(), .records = std::vector<study::Record>(1)};
  study::Channel time{.role = "time", .unit = "s"}, v{.role = "V_out", .unit = "V"};
  for (int k = 0; k <= 1000; ++k) {
    const double t = k * 1e-5;
    time.numbers.push_back(t);
    v.numbers.push_back(t < 4e-3 ? 1 : t > 5e-3 ? 0 : (5e-3 - t) / 1e-3);
  }
  point.records[0].channels = {time, v};
  const auto judged = [&](judge::Mask mask) {
    const auto analysis = kind->analyse({point}, {}, judge::asked_figures(*kind, {}, {mask}));
    REQUIRE(analysis);
    return judge::judge(mask, *analysis);
  };
  CHECK(judged(**read).verdict == judge::Verdict::meets);
  auto sooner = **read;
  for (auto& point_of_it : sooner.upper) point_of_it.first -= 0.75e-3;
  const auto fails = judged(sooner);
  CHECK(fails.verdict == judge::Verdict::fails);
  CHECK(*fails.at == Approx(4.75e-3).epsilon(2e-3));
  auto never = **read;
  never.after = "time.at(5V,falling)";
  const auto undecided = judged(never);
  CHECK(undecided.verdict == judge::Verdict::not_measured);
  CHECK(undecided.reason.find("time.at(5V,falling) is absent: ") == 0);
}

}  // namespace passes
