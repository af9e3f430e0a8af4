#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "study/preflight.h"
#include "study/spectrum/preflight.h"
#include "study/spectrum/study_plan.h"
#include "study/spectrum/words.h"
#include "support.h"

using namespace heron;
namespace spectrum = heron::study::spectrum;

/// What each word of a spectrum's brief takes, refuses and shows beside itself, and what is said before it is taken.
namespace spectrum_words {
namespace {

using spectrum::Along;
using spectrum::Drive;
using spectrum::Plan;

constexpr const char* kCoherent = "whole cycles a record";

study::Surroundings around() {
  study::Surroundings out{.pins = {"in", "out", "rail"}, .terminals = {"in", "out", "rail"}};
  out.limits.highest_sample_rate = 1e6;
  out.limits.highest_level_pp = 20;
  out.limits.ranges = {2};
  return out;
}

bench::Chain chain(const char* name, const char* sensor = "Direct lead") {
  return {.name = name, .input = {.pin = name, .range = 2, .sensor = *bench::find_stock_sensor(sensor)}, .zero = {}};
}

/// A thousand lines of 100 Hz: 1.1 kHz are eleven cycles.
Plan plan() { return {.drive_pin = "in", .frequency = 1.1e3, .second_frequency = 1.3e3, .hookup = {.chains = {chain("out")}}, .samples = 2000, .rate = 200e3}; }

struct Outcome {
  bool taken = false;
  Plan plan;
  std::string trouble;
};
Outcome set(const Plan& from, const char* key, const std::string& text) {
  const auto changed = spectrum::apply(from, key, text, around());
  if (!changed) return {false, from, test::spaced(changed.error().message)};
  return {true, *changed, ""};
}

std::string text_of(const Plan& p, const std::string& key) {
  for (const auto& piece : spectrum::brief(p))
    if (piece.key == key) return test::spaced(piece.text);
  return "not shown";
}

std::string sentence(const Plan& p) {
  std::string out;
  for (const auto& piece : spectrum::brief(p)) out += (out.empty() ? "" : " ") + piece.text;
  return test::spaced(out);
}

std::string forms(const Plan& p, const char* key) { return test::spaced(spectrum::hint(p, key, around()).forms); }
std::string allowed(const Plan& p, const char* key) { return test::spaced(spectrum::hint(p, key, around()).allowed); }

const study::Doubt* of(const std::vector<study::Doubt>& all, const char* key) {
  for (const auto& d : all)
    if (d.key == key) return &d;
  return nullptr;
}

using Catch::Matchers::Contains;

}  // namespace

TEST_CASE("the brief of a spectrum says what is driven, swept, sensed and read", "[spectrum][words]") {
  auto p = plan();
  CHECK_THAT(sentence(p), Contains("Drive in with a sine of 1.1 kHz , 200 mV pk-pk , at one level and frequency . Sense out at out by Direct lead"));
  CHECK_THAT(sentence(p), Contains("Read 2000 samples at 200 kHz : lines 100.0 Hz apart, 1 record averaged. Also from 50 \u03a9 with 0 V of offset; wait 50 ms before each record;"));
  CHECK_THAT(sentence(p), Contains("the DC source feeds nothing ; once ; input ranges:"));
  p.feed_pin = "rail";
  p.along = Along::level;
  CHECK_THAT(sentence(p), Contains("at rising level up to 2 V pk-pk in 13 points ."));
  CHECK_THAT(sentence(p), Contains("the DC source feeds rail with 3 V , up to 100 mA , 1 s before;"));
  p.along = Along::frequency;
  p.end = 12e3;
  CHECK_THAT(sentence(p), Contains("at rising frequency up to 12 kHz in 13 points ."));
  p = plan();
  p.drive = Drive::two_tones;
  CHECK_THAT(sentence(p), Contains("Drive in with two tones , 1.1 kHz and 1.3 kHz , 200 mV pk-pk each, at one level and frequency ."));
  p.drive = Drive::nothing;
  CHECK_THAT(sentence(p), Contains("Drive with nothing : the device makes its own signal. Sense"));
  CHECK(sentence(p).find("offset") == std::string::npos);
  CHECK(sentence(p).find("at one level") == std::string::npos);
  // What is rarely changed is folded away; what drives stands on the Hookup page as well.
  bool after = false;
  for (const auto& piece : spectrum::brief(plan())) {
    after = after || (piece.heading && piece.text == "Also");
    CHECK(piece.rare == after);
    if (piece.key == "level" || piece.key == "source" || piece.key == "settle" || piece.key == "feed") CHECK(piece.drives);
    if (piece.key == "samples" || piece.key == "repeat" || piece.key == "hookup.out.range") CHECK_FALSE(piece.drives);
  }
  CHECK(after);
}

TEST_CASE("levels of a spectrum are shown in their other forms", "[spectrum][words]") {
  auto p = plan();
  // 200 mV pk-pk are 70.71 mV rms; half of it into 50 ohm is 25 uW.
  CHECK(forms(p, "level") == "70.71 mV rms, -16 dBm into 50 \u03a9");
  CHECK(allowed(p, "level") == "pk-pk, peak, rms or dBm, up to 20 V pk-pk; or dBFS, found by itself");
  CHECK(text_of(p, "level") == "200 mV pk-pk");
  const auto by_itself = set(p, "level", "-0.5 dBFS");
  REQUIRE(by_itself.taken);
  CHECK(text_of(by_itself.plan, "level") == "\u22120.5 dBFS");
  CHECK(forms(by_itself.plan, "level") == "found by itself, from 200 mV pk-pk on");
  CHECK(set(p, "level", "3 dBFS").taken);
  CHECK_THAT(set(p, "level", "3.1 dBFS").trouble, Contains("From -120 to 3 dBFS"));
  CHECK(set(p, "level", "-120 dBfs").taken);
  CHECK_FALSE(set(p, "level", "-121 dBFS").taken);
  // Volts again: it is no longer looked for.
  CHECK_FALSE(set(by_itself.plan, "level", "1 V").plan.wanted);
  p.along = Along::level;
  CHECK(forms(p, "end") == "707.1 mV rms, 3.98 dBm into 50 \u03a9");
  CHECK(allowed(p, "end") == "pk-pk, peak, rms or dBm");
  CHECK(set(p, "end", "10 dBm").plan.end == Approx(4 * std::sqrt(2.0) * std::sqrt(0.01 * 50)));
  p.along = Along::frequency;
  CHECK(forms(p, "end").empty());
  CHECK(allowed(p, "end") == "a frequency");
  CHECK_FALSE(set(p, "end", "-3 Hz").taken);
  CHECK_FALSE(set(p, "end", "3 V").taken);
}

TEST_CASE("the frequency of a spectrum says how many cycles a record holds and what the odd ones cost", "[spectrum][words]") {
  auto p = plan();
  CHECK(forms(p, "frequency") == std::string("11 ") + kCoherent);
  CHECK_THAT(forms(p, "second_frequency"), Contains(std::string("13 ") + kCoherent));
  p.frequency = 1.1009e3;
  CHECK_THAT(forms(p, "frequency"), Contains(kCoherent));
  p.frequency = 1.1011e3;
  CHECK_THAT(forms(p, "frequency"), Contains("11.01 cycles: "));
  // Half way between two lines a main lobe of three lines holds 2 (2/pi)^2 and the nearer of two at 1.5: 4/(9 pi^2).
  p.frequency = 1.15e3;
  const double inside = 2 * 4 / (std::numbers::pi * std::numbers::pi);
  CHECK_THAT(forms(p, "frequency"), Contains(fmt::format("11.50 cycles: without a window \u2212{:.1f} dB of it leaks into all other lines; 1.1 kHz holds 11 whole ones", -10 * std::log10(1 - inside))));
  p.frequency = 1.25e3;
  CHECK_THAT(forms(p, "frequency"), Contains("1.3 kHz holds 13 whole ones"));
  CHECK(allowed(p, "frequency") == "a frequency, or `coherent` for the nearest with a whole, odd number of cycles");
  for (const char* word : {"coherent", " Coherent", "whole cycles"}) CHECK(set(p, "frequency", word).plan.frequency == Approx(1.3e3));
  CHECK(set(p, "frequency", "2.2k").plan.frequency == 2.2e3);
  // Whole cycles want all digits; what is round needs none.
  p.samples = 32768;
  p.frequency = 163 * 200e3 / 32768;
  CHECK(text_of(p, "frequency") == "994.873047 Hz");
  p.frequency = 995;
  CHECK(text_of(p, "frequency") == "995 Hz");
}

TEST_CASE("resolution, rate and samples of a spectrum follow each other", "[spectrum][words]") {
  const auto p = plan();
  CHECK(text_of(p, "resolution") == "100.0 Hz");
  CHECK(forms(p, "resolution") == "2000 samples, 10.0 ms a record");
  CHECK(allowed(p, "resolution") == "the number of samples follows");
  CHECK(set(p, "resolution", "50 Hz").plan.samples == 4000);
  // An even number of samples, the nearest.
  CHECK(set(p, "resolution", "30 Hz").plan.samples == 6666);
  CHECK(set(p, "resolution", "29.997 Hz").plan.samples == 6668);
  CHECK(set(p, "resolution", "550 Hz").plan.samples == 364);
  CHECK_THAT(set(p, "resolution", "10 kHz").trouble, Contains("At 200 kHz lines can lie from 48 mHz to 3.1 kHz apart"));
  for (const char* bad : {"0", "-5 Hz", "0.0476 Hz", "3.2 kHz", "1 V"}) CHECK_FALSE(set(p, "resolution", bad).taken);
  CHECK(set(p, "resolution", "0.0477 Hz").plan.samples == 2 * std::llround(100e3 / 0.0477));
  CHECK(forms(p, "rate") == "up to 100 kHz, lines 100 Hz apart");
  CHECK(set(p, "rate", "1 MHz").taken);
  CHECK_THAT(set(p, "rate", "1.01 MHz").trouble, Contains("The inputs sample at 1 MHz at most"));
  CHECK_THAT(set(p, "samples", "4097").trouble, Contains("An even number of samples is wanted, such as 4098"));
  CHECK(set(p, "samples", "4096").taken);
  CHECK_FALSE(set(p, "samples", "62").taken);
  CHECK(set(p, "samples", "4194304").taken);
  CHECK_FALSE(set(p, "samples", "4194306").taken);
}

TEST_CASE("what is swept brings an end that makes sense", "[spectrum][words]") {
  auto p = plan();
  CHECK(set(p, "along", "level").plan.end == Approx(2));
  p.level = 3;
  CHECK(set(p, "along", "level").plan.end == 20);
  p.level = 12;
  CHECK(set(p, "along", "level").plan.end == 24);
  CHECK(set(p, "along", "frequency").plan.end == Approx(11e3));
  p.frequency = 33e3;
  CHECK(set(p, "along", "frequency").plan.end == Approx(80e3));
  // The same once more leaves what was typed.
  p.along = Along::level;
  p.end = 13;
  CHECK(set(p, "along", "level").plan.end == 13);
  for (const auto& [text, points] : {std::pair{"2", 2}, {"200", 200}}) CHECK(set(p, "points", text).plan.points == points);
  for (const char* bad : {"1", "201"}) CHECK_FALSE(set(p, "points", bad).taken);
  for (const char* bad : {"0", "1001"}) CHECK_FALSE(set(p, "records", bad).taken);
  for (const char* good : {"1", "1000"}) CHECK(set(p, "records", good).taken);
}

TEST_CASE("numbers of a spectrum's brief are taken to their ends and refused beyond them", "[spectrum][words]") {
  auto sweep = plan();
  sweep.along = Along::level;
  sweep.end = 2;
  struct Ends {
    Plan from;
    const char *key, *least, *below, *most, *beyond;
  };
  const Ends all[] = {
      {plan(), "offset", "-20 V", "-20.1 V", "20 V", "20.1 V"},
      {plan(), "source", "1 ohm", "0.9 ohm", "10 kohm", "10.1 kohm"},
      {plan(), "settle", "0 s", "-1 ms", "1 h", "3601 s"},
      {sweep, "points", "2", "1", "200", "201"},
      {plan(), "records", "1", "0", "1000", "1001"},
      {plan(), "feed_voltage", "0 V", "-0.1 V", "80 V", "80.1 V"},
      {plan(), "feed_limit", "1 mA", "0.9 mA", "30 A", "30.1 A"},
      {plan(), "feed_time", "0 s", "-1 ms", "1 h", "3601 s"},
      {plan(), "rate", "2.5 kHz", "2.1 kHz", "1 MHz", "1.01 MHz"},
      {plan(), "samples", "400", "62", "4194304", "4194306"},
  };
  auto fast = plan();
  fast.frequency = 20e3;
  CHECK(set(fast, "samples", "64").trouble == "");
  CHECK_FALSE(set(fast, "samples", "62").taken);
  for (const auto& e : all) {
    CAPTURE(e.key);
    CHECK(set(e.from, e.key, e.least).trouble == "");
    CHECK(set(e.from, e.key, e.most).trouble == "");
    CHECK_FALSE(set(e.from, e.key, e.below).taken);
    CHECK_FALSE(set(e.from, e.key, e.beyond).taken);
  }
}

TEST_CASE("plans of spectra that make no sense are refused at their bounds", "[spectrum][words]") {
  auto p = plan();
  // Half the rate, and two cycles of a record of 10 ms.
  CHECK(set(p, "frequency", "99.9 kHz").taken);
  CHECK_THAT(set(p, "frequency", "100 kHz").trouble, Contains("100 kHz lies beyond half the sample rate, 100 kHz"));
  CHECK(set(p, "frequency", "200 Hz").taken);
  CHECK_THAT(set(p, "frequency", "199 Hz").trouble, Contains("A record of 10 ms holds fewer than two cycles of 199 Hz"));
  p.drive = Drive::two_tones;
  CHECK_THAT(set(p, "second_frequency", "1.1 kHz").trouble, Contains("one tone"));
  CHECK_THAT(set(p, "level", "-3 dBFS").trouble, Contains("one sine at a time"));
  p.drive = Drive::sine;
  CHECK(set(p, "second_frequency", "1.1 kHz").taken);
  p.along = Along::level;
  CHECK_THAT(set(p, "level", "-3 dBFS").trouble, Contains("one sine at a time"));
  CHECK_THAT(set(p, "end", "200 mV").trouble, Contains("ends where it begins"));
  p.along = Along::frequency;
  p.end = 5e3;
  CHECK(set(p, "level", "-3 dBFS").taken);
  CHECK_THAT(set(p, "end", "1.1 kHz").trouble, Contains("ends where it begins"));
  CHECK_THAT(set(p, "end", "100 kHz").trouble, Contains("beyond half"));
  // Of what the device makes itself nothing of that is asked.
  p = plan();
  p.frequency = 1e9;
  p.drive = Drive::nothing;
  CHECK(spectrum::check(p));
  p.hookup.chains.clear();
  REQUIRE_FALSE(spectrum::check(p));
}

TEST_CASE("a sweep of spectra goes evenly in ratio and tells how long it takes", "[spectrum][words]") {
  auto p = plan();
  p.along = Along::level;
  p.level = 0.1;
  p.end = 10;
  p.points = 5;
  p.records = 3;
  const auto steps = p.steps();
  REQUIRE(steps.size() == 5);
  for (int k = 0; k < 5; ++k) {
    CHECK(steps[std::size_t(k)].level == Approx(0.1 * std::pow(10, k / 2.0)));
    CHECK(steps[std::size_t(k)].frequency == 1.1e3);
  }
  // Five waits of 50 ms, fifteen records of 10 ms.
  CHECK(p.seconds() == Approx(0.4));
  p.feed_pin = "rail";
  CHECK(p.seconds() == Approx(1.4));
  CHECK_THAT(test::spaced(spectrum::time_sentence(p, {})), Contains("15 records of 2000 samples, 1.4 s on a real bench."));
  p.along = Along::frequency;
  p.frequency = 100;
  p.end = 1e4;
  CHECK(p.steps()[2].frequency == Approx(1e3));
  CHECK(p.steps()[2].level == 0.1);
  p.points = 2;
  CHECK(p.steps().at(1).frequency == Approx(1e4));
  p.points = 1;
  CHECK(p.steps().at(0).frequency == 100);
  CHECK_THAT(test::spaced(spectrum::time_sentence(plan(), {})), Contains("One record of 2000 samples"));
  p.drive = Drive::nothing;
  CHECK(p.steps().size() == 1);
  // What is kept of a plan is all of it.
  for (auto kept : {plan(), p}) {
    for (const auto& wanted : {std::optional<double>(), std::optional(-6.5)}) {
      kept.wanted = wanted;
      const auto json = spectrum::to_json(kept);
      const auto back = spectrum::plan_from_json(json);
      REQUIRE(back);
      CHECK(back->wanted == wanted);
      CHECK(spectrum::to_json(*back) == json);
    }
  }
  auto broken = spectrum::to_json(plan());
  broken["wanted"] = "loud";
  CHECK_FALSE(spectrum::plan_from_json(broken));
}

TEST_CASE("what would go wrong with a spectrum is told at its bound, in numbers, with what to do", "[spectrum][preflight]") {
  const auto found = [](const Plan& p, const study::Surroundings& with = around()) { return spectrum::preflight(p, with, nullptr); };
  auto p = plan();
  for (const char* key : {"source.limit", "sampling.coarse", "frequency.not_coherent", "range.unknown"}) CHECK_FALSE(of(found(p), key));
  CHECK_FALSE(study::refusal(found(p)));
  // The generator gives 20 V pk-pk with its offset.
  p.level = 20;
  CHECK_FALSE(of(found(p), "source.limit"));
  p.offset = -0.1;
  REQUIRE(of(found(p), "source.limit"));
  CHECK(test::spaced(of(found(p), "source.limit")->text) == "The generator gives 20 V pk-pk at most, offset included; 20.2 V are asked for.");
  p = plan();
  p.drive = Drive::two_tones;
  p.level = 10.1;
  CHECK(of(found(p), "source.limit"));
  // Each way the pin has its own rating.
  auto rated = around();
  rated.ratings["in"].voltage = 3;
  rated.ratings["in"].reverse_voltage = 1;
  p = plan();
  p.level = 2;
  CHECK_FALSE(study::refusal(found(p, rated)));
  p.offset = 0.1;
  CHECK_FALSE(study::refusal(found(p, rated)));
  p.offset = -0.1;
  REQUIRE(study::refusal(found(p, rated)));
  CHECK_THAT(test::spaced(study::refusal(found(p, rated))->message), Contains("in would see \u22121.10 V; its rating is \u22121 V."));
  p.offset = 2.1;
  REQUIRE(study::refusal(found(p, rated)));
  CHECK_THAT(test::spaced(study::refusal(found(p, rated))->message), Contains("in would see 3.10 V; its rating is 3 V."));
  // What the device makes itself drives nothing.
  p.drive = Drive::nothing;
  CHECK_FALSE(study::refusal(found(p, rated)));
  p = plan();
  p.rate = 1.001e6;
  REQUIRE(of(found(p), "sampling.coarse"));
  CHECK(of(found(p), "sampling.coarse")->edits.front().second == study::Edits{{"rate", format_setting(1e6, "Hz")}}.front().second);
  p.rate = 1e6;
  CHECK_FALSE(of(found(p), "sampling.coarse"));

  p = plan();
  p.frequency = 1.1009e3;
  CHECK_FALSE(of(found(p), "frequency.not_coherent"));
  p.frequency = 1.1011e3;
  REQUIRE(of(found(p), "frequency.not_coherent"));
  CHECK(test::spaced(of(found(p), "frequency.not_coherent")->text) == "A record holds 11.01 cycles of 1.10110 kHz: it is windowed, which makes each line three times as wide.");
  CHECK(test::spaced(of(found(p), "frequency.not_coherent")->remedy) == "Drive at 1.1 kHz, of which it holds 11.");
  CHECK(of(found(p), "frequency.not_coherent")->edits == study::Edits{{"frequency", "coherent"}});
  p.along = Along::frequency;
  CHECK_FALSE(of(found(p), "frequency.not_coherent"));
  // The second of two tones is looked at where there are two.
  p = plan();
  p.second_frequency = 1.35e3;
  CHECK_FALSE(of(found(p), "frequency.not_coherent"));
  p.drive = Drive::two_tones;
  REQUIRE(of(found(p), "frequency.not_coherent"));
  CHECK(of(found(p), "frequency.not_coherent")->edits == study::Edits{{"second_frequency", "coherent"}});
  p.drive = Drive::nothing;
  CHECK_FALSE(of(found(p), "frequency.not_coherent"));
}

TEST_CASE("full scale of a converter is held against what reaches it", "[spectrum][preflight][codes]") {
  auto p = plan();
  p.hookup.chains = {chain("codes", "Code reader"), chain("out")};
  auto with = around();
  with.converters["codes"] = {12, 1.25};
  const auto found = [&](double peak) {
    bench::Levels levels;
    levels.quantities["codes"].peak = peak;
    levels.quantities["out"].peak = 1.5;
    return spectrum::preflight(p, with, &levels);
  };
  CHECK_FALSE(of(found(1.24), "input.clipped"));
  REQUIRE(of(found(1.26), "input.clipped"));
  CHECK(test::spaced(of(found(1.26), "input.clipped")->text) == "codes would reach 101 % of its full scale of 1.25 V.");
  CHECK(of(found(1.26), "input.clipped")->edits == study::Edits{{"level", "-0.5 dBFS"}});
  REQUIRE(of(found(0.124), "range.underused"));
  CHECK(test::spaced(of(found(0.124), "range.underused")->text) == "codes would use 9.9 % of its full scale of 1.25 V.");
  CHECK(of(found(0.124), "range.underused")->edits == study::Edits{{"level", "-0.5 dBFS"}});
  const auto told = [&](const char* text) {
    const auto all = found(0.124);
    return std::any_of(all.begin(), all.end(), [&](const study::Doubt& d) { return d.text.find(text) != std::string::npos; });
  };
  CHECK(told("of its full scale"));
  p.wanted = -1;
  CHECK_FALSE(told("of its full scale"));
  CHECK_FALSE(told("wants the full scale"));
  // Of volts the full scale is the setting's.
  p.hookup.chains = {chain("out")};
  CHECK(told("wants the full scale of out"));
  with.settings = {{"full_scale", "2 V"}};
  CHECK_FALSE(told("wants the full scale"));
}

TEST_CASE("a spectrum's plan proposes what mends its doubts", "[spectrum][words]") {
  const auto remedy = [](int points, int records, study::Mend mend) {
    auto p = plan();
    p.points = points;
    p.records = records;
    study::Doubt doubt;
    doubt.mend = mend;
    return spectrum::PlannedSpectrum(p).remedy(doubt).edits;
  };
  CHECK(remedy(13, 1, study::Mend::add_points) == study::Edits{{"points", "25"}});
  CHECK(remedy(150, 1, study::Mend::add_points) == study::Edits{{"points", "200"}});
  CHECK(remedy(13, 3, study::Mend::average) == study::Edits{{"records", "12"}});
  CHECK(remedy(13, 400, study::Mend::average) == study::Edits{{"records", "1000"}});
  CHECK(remedy(13, 1, study::Mend::none).empty());

  auto p = plan();
  p.feed_pin = "rail";
  auto leads = spectrum::PlannedSpectrum(p).leads();
  REQUIRE(leads.size() == 2);
  CHECK(leads[0].pin == "in");
  CHECK(leads[0].name == "generator");
  CHECK(leads[0].along);
  CHECK(leads[1].pin == "rail");
  p.drive = Drive::two_tones;
  CHECK(spectrum::PlannedSpectrum(p).leads()[0].name == "two generators");
  p.drive = Drive::nothing;
  p.feed_pin.clear();
  CHECK(spectrum::PlannedSpectrum(p).leads().empty());
  // A converter's codes have no input to be shorted.
  CHECK(spectrum::PlannedSpectrum(plan()).stand_ins().size() == 1);
  p.hookup.chains = {chain("out"), chain("codes", "Code reader")};
  CHECK(spectrum::PlannedSpectrum(p).stand_ins().empty());

  const auto first = spectrum::first_plan(around());
  REQUIRE(first);
  const auto& begun = dynamic_cast<const spectrum::PlannedSpectrum&>(**first).plan();
  CHECK(begun.drive_pin == "in");
  CHECK(begun.hookup.chains.at(0).input.pin == "out");
  CHECK_THAT(forms(begun, "frequency"), Contains(kCoherent));
  auto one_pin = around();
  one_pin.terminals = {"only"};
  CHECK(dynamic_cast<const spectrum::PlannedSpectrum&>(**spectrum::first_plan(one_pin)).plan().hookup.chains.at(0).input.pin == "only");
  CHECK_FALSE(spectrum::first_plan({}));
}

}  // namespace spectrum_words
