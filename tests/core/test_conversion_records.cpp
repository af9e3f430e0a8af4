#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "base/random.h"
#include "study/conversion/kind.h"
#include "study/conversion/reduced.h"
#include "support.h"

using namespace heron;

/// Records in which line or load steps.
namespace conversion_records {
namespace {

namespace conversion = study::conversion;

constexpr double kRate = 1e6;

struct Signal {
  std::string role;
  std::function<double(double)> of;  ///< of time in s
  double noise = 0;
};

study::Point record_of(const std::vector<Signal>& signals, std::size_t samples, unsigned seed = 1) {
  std::mt19937_64 random(seed);
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  study::Record record{.sample_rate = kRate};
  for (const auto& s : signals) {
    study::Channel channel{.role = s.role, .unit = s.role[0] == 'v' ? "V" : "A"};
    for (std::size_t k = 0; k < samples; ++k) channel.numbers.push_back(s.of(double(k) / kRate) + (s.noise > 0 ? s.noise * normal_deviate(random) : 0));
    record.channels.push_back(std::move(channel));
  }
  point.records.push_back(std::move(record));
  return point;
}

conversion::SteppedRecordPtr stepped(const study::Point& point, const study::SettingsText& settings = {}) {
  const auto reduced = conversion::kind().reduce({point}, settings);
  if (!reduced) FAIL(reduced.error().message);
  return dynamic_cast<const conversion::ReducedConversion&>(**reduced).records().front();
}

study::Reading read(const study::Point& point, const study::SettingsText& settings = {}, const std::vector<std::string>& asked = {}) {
  const auto analysis = conversion::kind().analyse({point}, settings, asked);
  if (!analysis) FAIL(analysis.error().message);
  return analysis->reading;
}

double value(const study::Reading& r, const std::string& key) {
  const auto* f = r.find(key);
  if (!f) FAIL(key);
  return f->value;
}

bool has(const study::Reading& r, const std::string& key) {
  return std::any_of(r.doubts.begin(), r.doubts.end(), [&](const auto& d) { return d.key == key; });
}

/// High for the second half of each period.
bool high_at(double t, double period, double shift = 0) { return std::fmod(t + shift + 0.5 / kRate, period) >= period / 2; }
/// What is left of the last change, decaying.
double tail(double t, double period, double tau, double shift = 0) {
  const double since = std::fmod(t + shift + 0.5 / kRate, period / 2);
  return (high_at(t, period, shift) ? -1 : 1) * std::exp(-since / tau);
}

}  // namespace

TEST_CASE("plateaus of a line that steps are averaged where they have settled", "[conversion]") {
  constexpr double kPeriod = 2e-3, kTau = 60e-6;
  const auto vin = [](double t) { return (high_at(t, kPeriod) ? 8 : 5) + 3 * tail(t, kPeriod, 20e-6); };
  const auto vout = [&](double t) { return 3.3 + 4e-3 * (high_at(t, kPeriod) ? 3 : 0) + 0.02 * tail(t, kPeriod, kTau); };
  const auto point = record_of({{"vin", vin, 2e-3}, {"vout", vout, 0.5e-3}, {"iin", [](double) { return 0.11; }, 1e-5}, {"iout", [](double) { return 0.1; }, 1e-5}}, 10'000);
  const auto r = stepped(point);
  REQUIRE(r->stepped == conversion::Port::vin);
  CHECK(r->low == Approx(5).margin(0.02));
  CHECK(r->high == Approx(8).margin(0.02));
  // The record begins in the last change's decay, of which no plateau is left.
  REQUIRE(r->plateaus.size() == 10);
  CHECK(r->plateaus.front().from > 30e-6);
  CHECK(r->plateaus.back().counts);
  REQUIRE(r->rows.size() == 2);
  const auto reading = read(point);
  const auto* line = reading.find("regulation.line");
  REQUIRE(line);
  CHECK(std::abs(line->value - 12e-3) < 3 * *line->u + 2e-6);
  CHECK(*line->u < 60e-6);
  CHECK(value(reading, "regulation.line.percent_per_volt") == Approx(100 * 4e-3 / 3.306).epsilon(0.02));
}

TEST_CASE("a plateau cut by the record's end counts from half of its like on", "[conversion]") {
  constexpr double kPeriod = 2e-3;
  const auto record = [&](double shift, double seconds) {
    return record_of({{"vin", [=](double t) { return high_at(t, kPeriod, shift) ? 8.0 : 5.0; }}, {"vout", [](double) { return 3.3; }}, {"iin", [](double) { return 0.1; }}, {"iout", [](double) { return 0.1; }}},
                     std::size_t(seconds * kRate));
  };
  // The last plateau is 0.4 of a whole one, then 0.6.
  const auto too_short = stepped(record(0, 4.4e-3)), enough = stepped(record(0, 4.6e-3));
  REQUIRE(too_short->plateaus.size() == 5);
  CHECK(!too_short->plateaus.back().counts);
  CHECK(too_short->rows.front().readings == 2);
  REQUIRE(enough->plateaus.size() == 5);
  CHECK(enough->plateaus.back().counts);
  CHECK(enough->rows.front().readings == 3);
}

TEST_CASE("a load step's dip, overshoot and recovery are those of its decay", "[conversion]") {
  constexpr double kPeriod = 4e-3, kTau = 100e-6, kDip = 0.25, kOver = 0.15, kEdge = 20e-6;
  const auto ramp = [](double since) { return std::clamp(since / kEdge, 0.0, 1.0); };
  const auto iout = [&](double t) {
    const double since = std::fmod(t, kPeriod / 2);
    return t < kPeriod / 2 ? 0.1 : high_at(t, kPeriod) ? 0.1 + 0.9 * ramp(since) : 1 - 0.9 * ramp(since);
  };
  // It falls at once when the load has passed its middle, and comes back to 5 V less 20 mV at the higher load.
  const auto vout = [&](double t) {
    const double since = std::fmod(t, kPeriod / 2) - kEdge / 2;
    const bool high = high_at(t, kPeriod);
    const double rest = high ? 4.98 : 5.0, before = t < kPeriod / 2 || !high ? (t < kPeriod / 2 ? 5.0 : 4.98) : 5.0;
    if (since < 0) return before;
    return t < kPeriod / 2 ? 5.0 : rest + (high ? -kDip : kOver) * std::exp(-since / kTau);
  };
  const auto point = record_of({{"vin", [](double) { return 12.0; }}, {"vout", vout, 0.2e-3}, {"iin", [](double) { return 0.5; }}, {"iout", iout, 1e-4}}, 12'000);
  const auto r = stepped(point);
  REQUIRE(r->stepped == conversion::Port::iout);
  REQUIRE(r->load_steps.size() == 5);
  const auto reading = read(point);
  CHECK(value(reading, "transient.dip") == Approx(kDip).epsilon(0.02));
  CHECK(value(reading, "transient.overshoot") == Approx(kOver).epsilon(0.02));
  // Until it is within 1 % of where it ends: the dip takes longer.
  CHECK(value(reading, "transient.recovery") == Approx(kTau * std::log(kDip / 0.0498)).margin(3e-6));
  CHECK(value(read(point, {{"settle_band", "2 %"}}), "transient.recovery") == Approx(kTau * std::log(kDip / 0.0996)).margin(3e-6));
  CHECK(value(reading, "regulation.load") == Approx(-0.02).epsilon(0.02));
}

TEST_CASE("ripple is the lowest to the highest of the output, freed of what noise adds", "[conversion]") {
  const auto vout = [](double t) { return 5 + 0.02 * std::sin(2 * 3.14159265358979 * 20e3 * t); };
  const auto quiet = read(record_of({{"vin", [](double) { return 12.0; }}, {"vout", vout}}, 5'000));
  CHECK(std::abs(value(quiet, "ripple") - 0.04) < 2 * *quiet.find("ripple")->u);
  CHECK(*quiet.find("ripple")->u < 0.5e-3);
  const auto noisy = read(record_of({{"vin", [](double) { return 12.0; }}, {"vout", vout, 1e-3}}, 5'000));
  const auto* f = noisy.find("ripple");
  CHECK(std::abs(f->value - 0.04) < 3 * *f->u);
  CHECK(*f->u < 1.5e-3);
  // Time and output alone give ripple only.
  const auto alone = read(record_of({{"vout", vout}}, 5'000), {}, {"efficiency@1A"});
  CHECK(value(alone, "ripple") == value(quiet, "ripple"));
  CHECK(alone.figures.size() == 1);
}

TEST_CASE("an input that swings away from the switching lines is told", "[conversion][doubts]") {
  const auto record = [](double frequency, double peak_to_peak) {
    return record_of({{"vin", [=](double t) { return 12 + peak_to_peak / 2 * std::sin(2 * 3.14159265358979 * frequency * t); }}, {"vout", [](double) { return 5.0; }, 1e-4}}, 8'192);
  };
  CHECK(has(read(record(8e3, 0.26)), "source.oscillates"));
  CHECK(!has(read(record(8e3, 0.22)), "source.oscillates"));
  CHECK(!has(read(record(100e3, 0.6), {{"switching", "100 kHz"}}), "source.oscillates"));
  CHECK(has(read(record(100e3, 0.6), {{"switching", "130 kHz"}}), "source.oscillates"));
}

TEST_CASE("watches look at a record of conversion", "[conversion][watch]") {
  const auto vout = [](double t) { return t > 2e-3 && t < 2.2e-3 ? 4.4 : 5.0; };
  const auto point = record_of({{"vin", [](double) { return 12.0; }}, {"vout", vout}}, 5'000);
  const auto r = read(point, {{"watch.rail", "vout under 4.6 V for 50 us"}}, {"watch.rail.count"});
  CHECK(value(r, "watch.rail.count") == 1);
  CHECK(value(r, "watch.rail.extreme") == Approx(4.4));
  CHECK(value(read(point, {{"watch.rail", "vout under 4.6 V for 500 us"}}), "watch.rail.count") == 0);
}

TEST_CASE("regulation wants no currents of a record", "[conversion]") {
  constexpr double kPeriod = 2e-3;
  const auto point = record_of({{"vin", [](double t) { return high_at(t, kPeriod) ? 8.0 : 5.0; }, 1e-3}, {"vout", [](double t) { return high_at(t, kPeriod) ? 3.312 : 3.3; }, 1e-4}}, 10'000);
  const auto r = read(point, {}, {"efficiency@1A"});
  CHECK(value(r, "regulation.line") == Approx(0.012).epsilon(0.01));
  CHECK(!r.find("regulation.load"));
  CHECK(!r.find("efficiency.max"));
  CHECK(std::any_of(r.absent.begin(), r.absent.end(), [](const auto& a) { return a.key == "efficiency@1A"; }));
}

TEST_CASE("of a record the output over time is the curve, by lowest and highest of short stretches", "[conversion]") {
  const auto vout = [](double t) { return 5 + 0.1 * std::sin(2 * 3.14159265358979 * 1e3 * t); };
  const auto analysis = conversion::kind().analyse({record_of({{"vin", [](double) { return 12.0; }}, {"vout", vout}}, 40'000)}, {}, {});
  REQUIRE(analysis);
  const auto& curve = *analysis->curve;
  CHECK(curve.x_name == "time");
  REQUIRE(curve.find("output"));
  const auto& y = curve.find("output")->y;
  CHECK(y.size() == curve.x.size());
  CHECK(*std::max_element(y.begin(), y.end()) == Approx(5.1).margin(1e-4));
  CHECK(*std::min_element(y.begin(), y.end()) == Approx(4.9).margin(1e-4));
  CHECK(curve.x.front() < 1e-4);
  CHECK(curve.x.back() == Approx(40e-3).margin(1e-4));
  CHECK(std::is_sorted(curve.x.begin(), curve.x.end()));
}

TEST_CASE("from and to cut a record", "[conversion]") {
  const auto vout = [](double t) { return t < 1e-3 ? 5 + 1e-3 * std::sin(t * 1e6) : 5 + 0.1 * std::sin(t * 1e5); };
  const auto point = record_of({{"vin", [](double) { return 12.0; }}, {"vout", vout}}, 5'000);
  CHECK(value(read(point, {{"to", "0.9 ms"}}), "ripple") < 3e-3);
  CHECK(value(read(point), "ripple") == Approx(0.2).epsilon(0.01));
  CHECK(!conversion::kind().analyse({point}, {{"from", "9 ms"}}, {}));
}

}  // namespace conversion_records
