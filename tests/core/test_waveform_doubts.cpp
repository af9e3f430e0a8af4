#include <catch2/catch.hpp>
#include <cmath>
#include <functional>
#include <numbers>
#include <random>

#include "study/waveform/doubts.h"
#include "support.h"

using namespace heron;
namespace waveform = heron::study::waveform;

/// Doubts of one pass, each just under and just over what raises it, with what it says and offers.
namespace waveform_doubts {
namespace {

using std::numbers::pi;
using study::Doubt;
using study::Severity;

struct Trace {
  std::string name = "v", unit = "V";
  std::vector<double> values;
  study::TraceErrors errors = {};
  double foreseen = 0;
};

struct Looked {
  study::Waveforms all;
  double step = 1e-6;
  waveform::Settings settings = {};
  std::vector<std::string> asked = {};

  explicit Looked(std::vector<Trace> traces, double spacing = 1e-6, double start = 0) : step(spacing) {
    for (auto& one : traces) {
      all.traces.push_back(study::trace_of(one.name, one.unit, study::TimeBase(start, step), std::move(one.values)));
      all.errors.push_back(one.errors);
      all.expected_swing.push_back(one.foreseen);
      all.codes.emplace_back();
    }
  }
  std::vector<Doubt> doubts() const {
    const auto pass = waveform::Pass::of(std::make_shared<const study::Waveforms>(all), settings);
    if (!pass) FAIL(pass.error().message);
    const auto read = waveform::figures_of(*pass, asked);
    if (!read) FAIL(read.error().message);
    auto out = waveform::find_doubts(*pass, read->reading, asked);
    for (auto& d : out) {
      d.text = test::spaced(d.text);
      d.remedy = test::spaced(d.remedy);
      for (auto& edit : d.edits) edit.second = test::spaced(edit.second);
    }
    return out;
  }
  int count(const char* key) const {
    const auto all_doubts = doubts();
    return int(std::count_if(all_doubts.begin(), all_doubts.end(), [&](const auto& d) { return d.key == key; }));
  }
  Doubt the(const char* key) const {
    for (const auto& d : doubts())
      if (d.key == key) return d;
    FAIL("no doubt " << key);
    return {};
  }
};

std::vector<double> sampled(std::size_t n, const std::function<double(double)>& f) {
  std::vector<double> out(n);
  for (std::size_t k = 0; k < n; ++k) out[k] = f(double(k));
  return out;
}

/// From 0 to 1 around the middle in so many samples from 10 to 90 %.
std::vector<double> edge(double samples, std::size_t n = 4000) {
  return sampled(n, [=](double k) { return std::clamp((k - double(n) / 2) / (samples / 0.8) + 0.5, 0.0, 1.0); });
}

/// A flat top of so many samples.
std::vector<double> pulse(double from, double to, std::size_t n = 4000, double height = 1) {
  return sampled(n, [=](double k) { return k >= from && k < to ? height : 0.0; });
}

}  // namespace

TEST_CASE("an edge that the chain limits is told with what limits it and what it may be itself", "[waveform][doubts]") {
  // 35 kHz make 10 us of any step.
  const auto looked = [](double us, const char* slowest = "") {
    Looked out({{.values = edge(us), .errors = {.bandwidth = 35e3, .slowest = slowest}}});
    return out;
  };
  CHECK(looked(14.9).count("bandwidth.limits_edge") == 1);
  CHECK(looked(15.1).count("bandwidth.limits_edge") == 0);
  CHECK_THAT(looked(14, "clamp").the("bandwidth.limits_edge").text, Catch::Matchers::Contains("the clamp with 35.0 kHz alone makes 10.0"));
  CHECK_THAT(looked(14).the("bandwidth.limits_edge").text, Catch::Matchers::Contains("the chain with"));
  // Root of 14^2 - 10^2 is 9.8; of 10.5^2 - 10^2 it is 3.2, of 10.6^2 3.5: a third of the chain's own is 3.3.
  CHECK_THAT(looked(14).the("bandwidth.limits_edge").text, Catch::Matchers::Contains("is about 9.8"));
  CHECK_THAT(looked(10.65).the("bandwidth.limits_edge").text, Catch::Matchers::Contains("is about 3.7"));
  CHECK_THAT(looked(10.4).the("bandwidth.limits_edge").text, Catch::Matchers::Contains("may be anything below 10"));
  CHECK_THAT(looked(8).the("bandwidth.limits_edge").text, Catch::Matchers::Contains("may be anything below 8"));
  CHECK(Looked({{.values = edge(14), .errors = {.bandwidth = 0}}}).count("bandwidth.limits_edge") == 0);
  // A slow chain is a chain too: half a hertz makes 0.7 s of any step.
  CHECK(Looked({{.values = edge(10), .errors = {.bandwidth = 0.5}}}, 0.1).count("bandwidth.limits_edge") == 1);
  // Of a pulse both of whose edges are short, one is told; its peak is a lower bound while it is narrower than four edges.
  for (const double width : {39.0, 42.0}) {
    const auto narrow = Looked({{.values = sampled(160, [=](double k) { return std::clamp(std::min(k - 60, 60 + width + 10 - k) / 10.0, 0.0, 1.0); }),
                                 .errors = {.bandwidth = 35e3}}});
    CHECK(narrow.count("bandwidth.limits_edge") == 1);
    CHECK((narrow.the("bandwidth.limits_edge").text.find("lower bound") != std::string::npos) == (width < 40));
  }
}

TEST_CASE("an edge of few samples asks for a rate that the inputs have", "[waveform][doubts]") {
  CHECK(Looked({{.values = edge(3.9)}}).count("sampling.coarse") == 1);
  CHECK(Looked({{.values = edge(4.1)}}).count("sampling.coarse") == 0);
  auto looked = Looked({{.values = edge(2)}});
  // Four samples in 2 us: 2 MHz.
  CHECK(looked.the("sampling.coarse").edits.empty());
  CHECK_THAT(looked.the("sampling.coarse").remedy, Catch::Matchers::Contains("Sample at 2.0 MHz or faster"));
  CHECK_THAT(looked.the("sampling.coarse").text, Catch::Matchers::Contains("has 2 samples"));
  looked.all.fastest = 1.9e6;
  CHECK(looked.the("sampling.coarse").edits.empty());
  CHECK_THAT(looked.the("sampling.coarse").remedy, Catch::Matchers::Contains("reach 1.90 MHz, 2.0 MHz would be needed"));
  looked.all.fastest = 2.1e6;
  REQUIRE(looked.the("sampling.coarse").edits.size() == 1);
  CHECK(looked.the("sampling.coarse").edits.front().first == "rate");
  CHECK(looked.the("sampling.coarse").edits.front().second == "2 MHz");
}

TEST_CASE("a range is told that is clipped or hardly used, at either end and either sign", "[waveform][doubts]") {
  const auto looked = [](double low, double high, std::size_t run) {
    auto v = sampled(1000, [=](double k) { return (low + high) / 2 + (high - low) / 2 * 0.999 * std::sin(k / 20); });
    for (std::size_t k = 0; k < run; ++k) v[500 + k] = high;
    return Looked({{.values = v, .errors = {.quantum = 1e-3, .lowest = -1.0, .highest = 1.0, .range = 1.0}}});
  };
  CHECK(looked(-0.5, 1, 2).count("input.clipped") == 0);
  CHECK(looked(-0.5, 1, 3).count("input.clipped") == 1);
  CHECK_THAT(looked(-0.5, 1, 3).the("input.clipped").text, Catch::Matchers::Contains("upper end") && Catch::Matchers::Contains("for 3 samples"));
  // Within half a count of the end is the end, a count beside it is not.
  CHECK(looked(-0.5, 0.9996, 5).count("input.clipped") == 1);
  CHECK(looked(-0.5, 0.9994, 5).count("input.clipped") == 0);
  CHECK(looked(0.5, -1, 3).count("input.clipped") == 1);
  CHECK_THAT(looked(0.5, -0.9996, 4).the("input.clipped").text, Catch::Matchers::Contains("lower end") && Catch::Matchers::Contains("for 4 samples"));
  CHECK(looked(0.5, -0.9994, 4).count("input.clipped") == 0);
  for (const double sign : {1.0, -1.0}) {
    CHECK(looked(0, sign * 0.099, 3).count("range.underused") == 1);
    CHECK(looked(0, sign * 0.101, 3).count("range.underused") == 0);
  }
  CHECK(looked(0, 0.05, 3).the("range.underused").severity == Severity::note);
  CHECK_THAT(looked(0, 0.05, 3).the("range.underused").text, Catch::Matchers::Contains("uses 5 % of its range of 1.00 V: one count is 1.0 mV"));
}

TEST_CASE("a sensor without DC is told by how much of a pulse it loses", "[waveform][doubts]") {
  // By the end of 1000 us a corner f takes 1 - exp(-2 pi f 1 ms).
  const auto corner = [](double droop) { return -std::log(1 - droop) / (2 * pi * 1e-3); };
  const auto looked = [&](double droop) { return Looked({{.values = pulse(1000, 2000), .errors = {.low_corner = corner(droop)}}}); };
  CHECK(looked(0.0195).count("sensor.no_dc") == 0);
  CHECK(looked(0.0205).the("sensor.no_dc").severity == Severity::caution);
  CHECK(looked(0.195).the("sensor.no_dc").severity == Severity::caution);
  CHECK(looked(0.205).the("sensor.no_dc").severity == Severity::serious);
  CHECK_THAT(looked(0.1).the("sensor.no_dc").text, Catch::Matchers::Contains("it has lost 10 % of a level"));
  // Without a pulse it is the record that counts: 4 ms of it.
  const auto ramp = Looked({{.values = sampled(4001, [](double k) { return k / 4000; }), .errors = {.low_corner = corner(0.1)}}});
  CHECK_THAT(ramp.the("sensor.no_dc").text, Catch::Matchers::Contains("34 %"));
  CHECK(Looked({{.values = pulse(1000, 2000)}}).count("sensor.no_dc") == 0);
  // A pulse without states lasts for its width at half height: of exp(-t/tau) that is tau ln 2.
  const auto surge = Looked({{.values = sampled(4001, [](double k) { return k < 400 ? 0 : std::exp(-(k - 400) / 1000); }), .errors = {.low_corner = corner(0.1)}}});
  const double lost = 1 - std::pow(0.9, std::numbers::ln2);
  CHECK_THAT(surge.the("sensor.no_dc").text, Catch::Matchers::Contains(fmt::format("it has lost {:.2g} % of a level", 100 * lost)));
}

TEST_CASE("doubts say their numbers with as many digits as can be read off", "[waveform][doubts]") {
  auto v = sampled(1000, [](double k) { return 0.7654321 * std::sin(k / 20); });
  for (std::size_t k = 0; k < 4; ++k) v[500 + k] = 1;
  const study::TraceErrors clipped{.quantum = 1e-3, .highest = 1.0, .range = 1.0};
  CHECK(Looked({{.values = v, .errors = clipped}}).the("input.clipped").text ==
        "v stands at the upper end of its range, 1.00 V, for 4 samples: what lies beyond is lost.");
  const auto zero = Looked({{.values = v, .errors = {.u_offset = 0.0123456}}}).the("offset.uncorrected");
  CHECK(zero.text == "The zero of v is known to 12 mV, which is 1.2 % of its largest value.");
  for (const double u : {0.0099, 0.0101}) CHECK(Looked({{.values = v, .errors = {.u_offset = u}}}).count("offset.uncorrected") == (u > 0.01));
  // Of what is noise alone no zero is asked for.
  std::mt19937_64 random(3);
  std::normal_distribution<double> normal(0, 0.1);
  for (const double level : {0.0, 0.3}) {
    std::vector<double> noisy(1000);
    for (auto& one : noisy) one = std::clamp(level + normal(random), -0.35, 0.35 + level);
    CHECK(Looked({{.values = noisy, .errors = {.u_offset = 0.01}}}).count("offset.uncorrected") == (level > 0));
  }
  const auto lead = Looked({{.values = pulse(1000, 2000, 4000, 0.0123456), .foreseen = 9.8765}}).the("lead.off");
  CHECK(lead.text == "v moves by 12 mV where 9.9 V were foreseen: is its lead on?");
  const auto droop = Looked({{.values = pulse(1000, 2000), .errors = {.low_corner = 123.456}}}).the("sensor.no_dc");
  CHECK(droop.text == "The sensor of v gives nothing below 123 Hz: by the end of 1.00 ms it has lost 54 % of a level that stays.");
  const auto slow = Looked({{.values = edge(14), .errors = {.bandwidth = 35e3, .slowest = "clamp"}}}).the("bandwidth.limits_edge");
  CHECK(slow.text == "The edge of v takes 14.0 \u00b5s; the clamp with 35.0 kHz alone makes 10.0 \u00b5s of any step. The edge itself is about 9.8 \u00b5s.");
  CHECK(Looked({{.values = edge(10.4), .errors = {.bandwidth = 35e3}}}).the("bandwidth.limits_edge").text.find("anything below 10 \u00b5s.") != std::string::npos);
  Looked both({{.name = "a", .values = edge(1234), .errors = {.u_delay = 1.2345e-4}}, {.name = "b", .values = edge(2000)}});
  both.asked = {"delay(a,b)"};
  CHECK(both.the("skew.suspected").text == "delay(a,b) rests on edges of 1.2 ms, and how late the inputs are against each other is known to 123 \u00b5s.");
  Looked missed({{.values = pulse(1000, 2000, 4000, 4.321)}});
  missed.all.waits_for = study::Edge{.quantity = "v", .level = 9.8765, .patience = 2.3456};
  CHECK(missed.the("trigger.missing").text ==
        "v did not pass 9.88 V within 2.35 s; the record is of the moment when that was over. It was between 0.00 V and 4.32 V.");
  CHECK(missed.the("trigger.missing").edits.front().second == "2.2 V");
  Looked gaps({{.values = pulse(10, 20, 40)}});
  gaps.all.gaps = {1.23456789e-3};
  CHECK(gaps.the("record.gaps").text == "Samples are missing after 1.23457 ms.");
}

TEST_CASE("a level is proposed for what moves, not for what is noise", "[waveform][doubts]") {
  std::mt19937_64 random(2);
  std::normal_distribution<double> normal(0, 1e-3);
  for (const double swing : {0.0, 50e-3}) {
    std::vector<double> v(4000);
    for (std::size_t k = 0; k < v.size(); ++k) v[k] = (k % 2000 < 1000 ? 0 : swing) + normal(random);
    Looked looked({{.values = v}});
    looked.all.waits_for = study::Edge{.quantity = "v", .level = 1, .patience = 2};
    CHECK(looked.the("trigger.missing").edits.front().first == (swing > 8e-3 ? "level" : "patience"));
  }
}

TEST_CASE("a quantity that hardly moves where it should is asked after its lead", "[waveform][doubts]") {
  const auto looked = [](double moves, double foreseen) { return Looked({{.values = pulse(1000, 2000, 4000, moves), .foreseen = foreseen}}); };
  CHECK(looked(0.0099, 1).count("lead.off") == 1);
  CHECK(looked(0.0101, 1).count("lead.off") == 0);
  CHECK(looked(0.0099, 0).count("lead.off") == 0);
  CHECK(looked(0.0099, 1).the("lead.off").severity == Severity::serious);
  CHECK(looked(0.0099, 1).the("lead.off").place == study::Place::hookup);
  // Wherever it lies.
  for (const double around : {5.0, -5.0}) {
    const auto beside = [&](double moves) {
      auto v = pulse(1000, 2000, 4000, moves);
      for (auto& one : v) one += around;
      return Looked({{.values = v, .foreseen = 1}}).count("lead.off");
    };
    CHECK(beside(0.0099) == 1);
    CHECK(beside(0.0101) == 0);
  }
  // Noise moves nothing: eight sigma of it are taken off; what was foreseen below twenty decides nothing.
  std::mt19937_64 random(1);
  std::normal_distribution<double> normal(0, 0.01);
  std::vector<double> noise(4000);
  for (auto& v : noise) v = normal(random);
  CHECK(Looked({{.values = noise, .foreseen = 1}}).count("lead.off") == 1);
  CHECK(Looked({{.values = noise, .foreseen = 0.22}}).count("lead.off") == 1);
  CHECK(Looked({{.values = noise, .foreseen = 0.18}}).count("lead.off") == 0);
}

TEST_CASE("delays are held against the shorter edge of what a figure rests on", "[waveform][doubts]") {
  const auto looked = [](double u_delay, std::vector<std::string> asked) {
    Looked out({{.name = "a", .values = edge(100), .errors = {.u_delay = u_delay}}, {.name = "b", .values = edge(300), .errors = {.u_delay = u_delay}}});
    out.asked = std::move(asked);
    return out;
  };
  // A twentieth of 100 us against the root of both.
  CHECK(looked(3.4e-6, {"delay(a,b)"}).count("skew.suspected") == 0);
  CHECK(looked(3.7e-6, {"delay(a,b)"}).count("skew.suspected") == 1);
  CHECK(looked(3.7e-6, {"a.rise_time"}).count("skew.suspected") == 0);
  CHECK(looked(3.7e-6, {"a.rise_time", "delay(a,b)"}).count("skew.suspected") == 1);
  CHECK(looked(3.7e-6, {"delay(a,c)"}).count("skew.suspected") == 0);
  CHECK_THAT(looked(5e-6, {"delay(a,b)"}).the("skew.suspected").text, Catch::Matchers::Contains("100 \u00b5s") && Catch::Matchers::Contains("7.1 \u00b5s"));
}

TEST_CASE("noise is told of figures that somebody wants, and of others that are not near zero", "[waveform][doubts]") {
  std::mt19937_64 random(4);
  std::normal_distribution<double> normal(0, 0.1);
  std::vector<double> v(200);
  for (auto& one : v) one = 1 + normal(random);
  // The mean of 200 such is known to 0.7 %, one sample to a tenth.
  auto looked = Looked({{.values = v}});
  looked.asked = {"level.at(50us)"};
  const auto said = looked.the("noise.limited");
  CHECK(said.severity == Severity::caution);
  CHECK_THAT(said.text, Catch::Matchers::Contains("no better than 1 %") && Catch::Matchers::Contains("Level (50us)"));
  CHECK(said.text.find("Mean") == std::string::npos);
  looked.settings.u_limit = 0.005;
  CHECK_THAT(looked.the("noise.limited").text, Catch::Matchers::Contains("0.5 %") && Catch::Matchers::Contains("Mean"));
  // More than six are counted.
  looked.settings.u_limit = 1e-6;
  CHECK_THAT(looked.the("noise.limited").text, !Catch::Matchers::Contains("more"));
  looked.asked = {"level.at(50us)", "level.at(60us)", "level.at(70us)"};
  const auto many = looked.the("noise.limited").text;
  CHECK_THAT(many, Catch::Matchers::Contains(" and 2 more."));
  CHECK(std::count(many.begin(), many.end(), ',') == 5);
  // Nobody asked: a mean of nothing says nothing.
  for (auto& one : v) one -= 1;
  auto zero = Looked({{.values = v}});
  for (const auto& d : zero.doubts()) CHECK_FALSE((d.key == "noise.limited" && d.text.find("Mean") != std::string::npos));
  zero.asked = {"mean"};
  CHECK_THAT(zero.the("noise.limited").text, Catch::Matchers::Contains("Mean"));
}

TEST_CASE("an edge that did not come is told with what was seen and a level that would have come", "[waveform][doubts]") {
  auto looked = Looked({{.values = pulse(1000, 2000, 4000, 0.4)}});
  CHECK(looked.count("trigger.missing") == 0);
  looked.all.waits_for = study::Edge{.quantity = "v", .level = 0.9, .patience = 2};
  const auto said = looked.the("trigger.missing");
  CHECK_THAT(said.text, Catch::Matchers::Contains("v did not pass 900 mV within 2.00 s") && Catch::Matchers::Contains("between 0.00 V and 400 mV"));
  REQUIRE(said.edits.size() == 1);
  CHECK(said.edits.front() == std::pair<std::string, std::string>{"level", "200 mV"});
  looked.all.triggered = true;
  CHECK(looked.count("trigger.missing") == 0);
  looked.all.triggered = false;
  // A level that lies within what was seen needs more patience, four times as much; so does what hardly moves.
  looked.all.waits_for->level = 0.3;
  CHECK(looked.the("trigger.missing").edits.front() == std::pair<std::string, std::string>{"patience", "8 s"});
  looked.all.waits_for->level = -0.1;
  CHECK(looked.the("trigger.missing").edits.front().first == "level");
  looked.all.waits_for->pulse = 3e-6;
  CHECK_THAT(looked.the("trigger.missing").text, Catch::Matchers::Contains("v had no pulse beyond -100 mV") || Catch::Matchers::Contains("v had no pulse beyond \u2212100 mV"));
  auto flat = Looked({{.values = std::vector<double>(100, 0.5)}});
  flat.all.waits_for = study::Edge{.quantity = "v", .level = 0.9, .patience = 0.5};
  CHECK(flat.the("trigger.missing").edits.front() == std::pair<std::string, std::string>{"patience", "2 s"});
  // Noise alone goes from -4.5 to 4.5 times itself within so many samples: that is no moving.
  std::mt19937_64 random(11);
  std::normal_distribution<double> normal(0, 1);
  for (const auto& [swing, first] : {std::pair{0.0, "patience"}, {12.5, "level"}}) {
    auto values = pulse(50'000, 100'000, 200'000, swing);
    for (double& v : values) v += normal(random);
    auto moving = Looked({{.values = values}});
    moving.all.waits_for = study::Edge{.quantity = "v", .level = 20, .patience = 0.5};
    INFO("swing " << swing);
    CHECK(moving.the("trigger.missing").edits.front().first == first);
  }
  flat.all.waits_for->quantity = "gone";
  CHECK_THAT(flat.the("trigger.missing").text, !Catch::Matchers::Contains("It was between"));
}

TEST_CASE("holes in a record are told by where they are, three of them and how many more", "[waveform][doubts]") {
  auto looked = Looked({{.values = pulse(10, 20, 40)}});
  CHECK(looked.count("record.gaps") == 0);
  looked.all.gaps = {1e-3, 2e-3, 3e-3};
  CHECK_THAT(looked.the("record.gaps").text, Catch::Matchers::Contains("3.00000 ms") && !Catch::Matchers::Contains("more"));
  looked.all.gaps = {1e-3, 2e-3, 3e-3, 4e-3, 5e-3};
  CHECK_THAT(looked.the("record.gaps").text, Catch::Matchers::Contains("3.00000 ms and 2 more places") && !Catch::Matchers::Contains("4.00000"));
  looked.all.deduced = "The times were deduced.";
  CHECK(looked.the("time.deduced").text == "The times were deduced.");
}

TEST_CASE("a mean of records that hides what comes at another time in each is doubted", "[waveform][doubts]") {
  const auto record = [](const std::vector<double>& v) {
    study::Waveforms out;
    out.traces = {study::trace_of("v", "V", study::TimeBase(0, 1e-6), v)};
    out.errors.resize(1);
    return out;
  };
  // A spike on a pulse of 1 V, at another place in each of four records; the mean keeps a quarter of it.
  const auto said_of = [&](const std::vector<std::vector<double>>& passes) {
    std::vector<study::WaveformsPtr> all;
    std::vector<double> mean(1000, 0.0);
    for (const auto& v : passes) {
      for (std::size_t i = 0; i < mean.size(); ++i) mean[i] += v[i] / double(passes.size());
      all.push_back(std::make_shared<const study::Waveforms>(record(v)));
    }
    const auto doubt = waveform::averaging_doubt(record(mean), all);
    REQUIRE(doubt);
    return *doubt;
  };
  const auto said = [&](double spike, int passes) {
    std::vector<std::vector<double>> all;
    for (int k = 0; k < passes; ++k) {
      all.push_back(pulse(300, 700, 1000));
      all.back()[std::size_t(400 + 50 * k)] += spike;
    }
    return said_of(all);
  };
  // Beyond the mean's own 1 + s/4 each goes by 3 s/4: against a fiftieth of the swing, that is from s of 2.7 % on.
  CHECK_FALSE(said(0.024, 4));
  CHECK(said(0.030, 4));
  CHECK(said(-1.5, 4));
  CHECK_FALSE(said(0.5, 1));
  CHECK_THAT(test::spaced(said(0.4, 4)->text), Catch::Matchers::Contains("goes 300 mV beyond the mean"));
  // The first sample is one of them.
  {
    std::vector<std::vector<double>> at_once(4, pulse(300, 700, 1000));
    at_once[0][0] = 3;
    at_once[1][0] = -1;
    CHECK_THAT(test::spaced(said_of(at_once)->text), Catch::Matchers::Contains("goes 500 mV beyond the mean"));
  }
  // A pass that missed its edge is of another moment; one that is left alone has no mean to be held against.
  {
    auto first = record(pulse(300, 700, 1000)), second = first;
    auto spiked = pulse(300, 700, 1000);
    spiked[500] += 4;
    auto missed = record(spiked);
    missed.waits_for = study::Edge{.quantity = "v", .level = 9, .patience = 1};
    const auto shared = [](const study::Waveforms& w) { return std::make_shared<const study::Waveforms>(w); };
    const auto doubtful = [&](const std::vector<study::WaveformsPtr>& passes) {
      const auto doubt = waveform::averaging_doubt(first, passes);
      REQUIRE(doubt);
      return doubt->has_value();
    };
    REQUIRE(missed.missed());
    CHECK_FALSE(doubtful({shared(first), shared(second), shared(missed)}));
    CHECK(doubtful({shared(first), shared(second), shared(record(spiked))}));
    CHECK_FALSE(doubtful({shared(record(spiked)), shared(missed)}));
  }
  // The noisiest pass says how far noise alone goes.
  std::mt19937_64 random(5);
  std::normal_distribution<double> normal(0, 0.05);
  std::vector<std::vector<double>> all;
  for (int k = 0; k < 4; ++k) {
    all.push_back(pulse(300, 700, 1000));
    for (auto& one : all.back()) one += (k == 2 ? 2 : 0.2) * normal(random);
  }
  CHECK_FALSE(said_of(all));
}

}  // namespace waveform_doubts
