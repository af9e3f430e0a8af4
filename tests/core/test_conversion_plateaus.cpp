#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "base/random.h"
#include "study/conversion/kind.h"
#include "study/conversion/reduced.h"
#include "support.h"

using namespace heron;

/// Plateaus, load steps and ripple of records whose every sample is said by a closed form.
namespace conversion_plateaus {
namespace {

namespace conversion = study::conversion;
using conversion::Port;

constexpr double kStep = 1e-6;  ///< s between samples

struct Column {
  std::string role;
  std::function<double(std::size_t)> of;  ///< of the sample's number
  double u_gain = 0, u_offset = 0;
  double count = 0;  ///< 0: numbers are kept
};

study::Point record_of(const std::vector<Column>& columns, std::size_t samples) {
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  study::Record record{.sample_rate = 1 / kStep};
  for (const auto& c : columns) {
    study::Channel channel{.role = c.role, .unit = c.role[0] == 'v' ? "V" : "A"};
    if (c.count > 0) channel.scale = c.count;
    for (std::size_t k = 0; k < samples; ++k)
      if (c.count > 0) channel.counts.push_back(std::int16_t(std::lround(c.of(k) / c.count)));
      else channel.numbers.push_back(c.of(k));
    channel.u_gain = c.u_gain;
    channel.u_offset = c.u_offset;
    record.channels.push_back(std::move(channel));
  }
  point.records.push_back(std::move(record));
  return point;
}

conversion::SteppedRecordPtr read(const std::vector<Column>& columns, std::size_t samples, const study::SettingsText& settings = {}) {
  const auto reduced = conversion::kind().reduce({record_of(columns, samples)}, settings);
  if (!reduced) FAIL(reduced.error().message);
  return dynamic_cast<const conversion::ReducedConversion&>(**reduced).records().front();
}

std::function<double(std::size_t)> steady(double value) {
  return [value](std::size_t) { return value; };
}
/// `first` for so many samples, then `second` for as many, and so on.
std::function<double(std::size_t)> square(double first, double second, std::size_t each) {
  return [=](std::size_t k) { return (k / each) % 2 == 0 ? first : second; };
}

std::optional<Port> what_steps(const std::function<double(std::size_t)>& vin, std::size_t samples, const std::function<double(std::size_t)>& iout = steady(1)) {
  return read({{"vin", vin}, {"vout", steady(3)}, {"iout", iout}}, samples)->stepped;
}

const conversion::Measure& measure(const conversion::Row& row, Port port) { return row.read[std::size_t(port)]; }

}  // namespace

TEST_CASE("what steps is what rests at two places, far enough apart and long enough", "[conversion]") {
  CHECK(what_steps(square(10, 9.949, 100), 400) == Port::vin);
  CHECK_FALSE(what_steps(square(10, 9.951, 100), 400));
  CHECK(what_steps(square(-10, -9.949, 100), 400) == Port::vin);
  // Sixteen samples each, on the mean: what changes faster is ripple.
  CHECK(what_steps(square(5, 8, 16), 32) == Port::vin);
  CHECK_FALSE(what_steps(square(5, 8, 16), 31));
  CHECK(what_steps(square(5, 8, 16), 320) == Port::vin);
  CHECK_FALSE(what_steps(square(5, 8, 15), 315));
  CHECK_FALSE(what_steps(steady(5), 400));
  CHECK_FALSE(what_steps([](std::size_t k) { return double(k); }, 400));
  // Of two that step, the one that does by more of itself.
  CHECK(what_steps(square(12, 11.9, 100), 400, square(0.1, 1, 100)) == Port::iout);
  CHECK(what_steps(square(5, 8, 100), 400, square(0.1, 0.102, 100)) == Port::vin);
  // States must stand clear of what they scatter by.
  const auto noisy = [](double step) {
    std::mt19937_64 random(3);
    std::vector<double> v;
    for (std::size_t k = 0; k < 4000; ++k) v.push_back(square(5, 5 + step, 500)(k) + 0.1 * normal_deviate(random));
    return what_steps([v](std::size_t k) { return v[k]; }, v.size());
  };
  CHECK(noisy(1.2) == Port::vin);
  CHECK_FALSE(noisy(0.6));
}

TEST_CASE("a plateau begins where its edge is over and ends before the next one is under way", "[conversion]") {
  // Edges of 25 samples from 100 and from 225 on, of 0.12 V each; a tenth of the step is 0.3 V.
  const auto vin = [](std::size_t k) { return k < 100 ? 5 : k < 125 ? 5 + 0.12 * double(k - 100) : k < 225 ? 8 : k < 250 ? 8 - 0.12 * double(k - 225) : 5; };
  const auto r = read({{"vin", vin}, {"vout", [](std::size_t k) { return double(k); }}, {"iin", steady(2)}}, 350);
  REQUIRE(r->stepped == Port::vin);
  REQUIRE(r->plateaus.size() == 3);
  const auto check = [&](std::size_t n, bool high, double from, double settled, double to) {
    INFO(n);
    const auto& p = r->plateaus[n];
    CHECK(p.high == high);
    CHECK(p.from == Approx(from * kStep));
    CHECK(p.settled_from == Approx(settled * kStep));
    CHECK(p.to == Approx(to * kStep));
    CHECK(p.counts);
    REQUIRE(p.mean[std::size_t(Port::vout)]);
    CHECK(*p.mean[std::size_t(Port::vout)] == Approx((settled + to) / 2));
    CHECK(*p.mean[std::size_t(Port::iin)] == 2);
    CHECK_FALSE(p.mean[std::size_t(Port::iout)]);
  };
  // The edge passes its middle at 112.5; it leaves the tenth after sample 102, and 10 samples more are left out.
  check(0, false, 0, 46, 92);
  check(1, true, 123, 170, 217);
  check(2, false, 248, 299, 349);
  // All of it, or a tenth, at its end.
  const auto share = [&](const char* text) { return read({{"vin", vin}, {"vout", steady(3)}}, 350, {{"settled_share", text}})->plateaus[1].settled_from / kStep; };
  CHECK(share("1") == Approx(123));
  CHECK(share("0.1") == Approx(218 - 10));
  CHECK(share("0.001") == Approx(217));
}

TEST_CASE("a spike among plateaus is none, a short rest is one", "[conversion]") {
  const auto with_spike = [](std::size_t width) {
    return read({{"vin", [=](std::size_t k) { return k >= 480 && k < 480 + width ? 8.0 : square(5, 8, 200)(k); }}, {"vout", steady(3)}, {"iout", steady(1)}}, 1200)->plateaus.size();
  };
  CHECK(with_spike(0) == 6);
  CHECK(with_spike(15) == 7);
  CHECK(with_spike(24) == 8);
  // Between two rests of one load nothing steps.
  const auto load = read({{"vin", steady(12)}, {"vout", steady(5)}, {"iout", [](std::size_t k) { return k >= 480 && k < 495 ? 1.0 : square(0.1, 1, 200)(k); }}}, 1200);
  REQUIRE(load->plateaus.size() == 7);
  CHECK(load->load_steps.size() == 5);
}

TEST_CASE("plateaus that the record cuts count from half of the shortest whole one of their state", "[conversion]") {
  // Lows of 200, 100 whole and a last one of n; highs of 100.
  const auto counts = [](std::size_t n) {
    const auto vin = [](std::size_t k) { return k < 200 ? 5.0 : k < 300 ? 8.0 : k < 500 ? 5.0 : k < 600 ? 8.0 : k < 700 ? 5.0 : k < 800 ? 8.0 : 5.0; };
    const auto r = read({{"vin", vin}, {"vout", steady(3)}}, 800 + n);
    REQUIRE(r->plateaus.size() == 7);
    return std::pair{bool(r->plateaus.back().counts), r->rows.front().readings};
  };
  CHECK(counts(49) == std::pair{false, 3});
  CHECK(counts(50) == std::pair{true, 4});
}

TEST_CASE("a state's mean is known by the scatter of its plateaus, pooled over both", "[conversion]") {
  // Lows of vout by turns 3.30 and 3.32, highs 3.4: squares 4e-4 of three and three degrees of freedom.
  const auto vout = [](std::size_t k) {
    const auto n = k / 100;
    return n % 2 == 1 ? 3.4 : n % 4 == 0 ? 3.30 : 3.32;
  };
  const auto r = read({{"vin", square(5, 8, 100), 0.01, 2e-3}, {"vout", vout, 0.02}, {"iin", steady(1)}, {"iout", steady(1), 0, 0.5e-3}}, 800);
  REQUIRE(r->rows.size() == 2);
  const double scatter = std::sqrt(4e-4 / 6);
  for (const auto& row : r->rows) {
    CHECK(row.readings == 4);
    CHECK(row.whole);
    CHECK(measure(row, Port::vout).u == Approx(scatter / 2));
    CHECK(measure(row, Port::vin).u == Approx(0).margin(1e-12));
  }
  CHECK(measure(r->rows[0], Port::vout).value == Approx(3.31));
  CHECK(measure(r->rows[1], Port::vout).value == Approx(3.4));
  CHECK(r->rows[0].vin() == Approx(5));
  CHECK(r->rows[1].vin() == Approx(8));
  // Gain and zero of one chain are the same error in both.
  const auto &low = measure(r->rows[0], Port::vin).shared, &high = measure(r->rows[1], Port::vin).shared;
  REQUIRE(low.size() == 2);
  REQUIRE(high.size() == 2);
  CHECK(low[0].first == high[0].first);
  CHECK(low[1].first == high[1].first);
  CHECK(low[0].first != low[1].first);
  CHECK(low[0].second == Approx(0.05));
  CHECK(high[0].second == Approx(0.08));
  CHECK(high[1].second == Approx(2e-3));
  CHECK(measure(r->rows[0], Port::vout).shared.size() == 1);
  CHECK(measure(r->rows[0], Port::vout).shared[0].first != low[0].first);
  REQUIRE(measure(r->rows[0], Port::iout).shared.size() == 1);
  CHECK(measure(r->rows[0], Port::iout).shared[0].second == Approx(0.5e-3));
  CHECK(measure(r->rows[0], Port::iin).shared.empty());
}

TEST_CASE("what still moves within the averaged part is in its uncertainty", "[conversion]") {
  // In the last 160 of 320 samples the output rises by s a sample: means of 16 blocks lie 10 s apart, so that their mean is
  // known to 10 s sqrt(17/12); the halves lie 80 s apart, and so much goes on: half of it is added.
  constexpr double kSlope = 1e-5;
  const auto vout = [](std::size_t k) { return 3 + kSlope * double(k % 320); };
  const auto r = read({{"vin", square(5, 8, 320)}, {"vout", vout}, {"iin", steady(1)}, {"iout", steady(1)}}, 1280);
  REQUIRE(r->rows.size() == 2);
  const double own = 10 * kSlope * std::sqrt(17 / 12.0) / std::sqrt(2.0), settling = 40 * kSlope;
  for (const auto& row : r->rows) CHECK(measure(row, Port::vout).u == Approx(std::hypot(own, settling)).epsilon(1e-9));
  CHECK(measure(r->rows[0], Port::vout).value == Approx(3 + kSlope * 239.5));
  // What wanders about without a trend is no settling: 16 blocks of +-d by turns scatter by d sqrt(16/15).
  const auto wander = read({{"vin", square(5, 8, 320)}, {"vout", [](std::size_t k) { return 3 + ((k / 10) % 2 == 0 ? 1e-3 : -1e-3); }}, {"iin", steady(1)}, {"iout", steady(1)}}, 1280);
  CHECK(measure(wander->rows[0], Port::vout).u == Approx(1e-3 * std::sqrt(16 / 15.0 / 16) / std::sqrt(2.0)));
}

TEST_CASE("what is left of rounding is in a mean's uncertainty", "[conversion]") {
  // Without noise a value is rounded alike in every sample: an amplitude of q/pi.
  const auto r = read({{"vin", square(5, 8, 100)}, {"vout", steady(3), 0, 0, 0.01}, {"iin", steady(1)}, {"iout", steady(1)}}, 800);
  CHECK(measure(r->rows[0], Port::vout).u == Approx(0.01 / M_PI / std::sqrt(2.0)));
  CHECK(measure(r->rows[0], Port::iin).u == Approx(0).margin(1e-12));
}

TEST_CASE("a record that rests is one row where all four are there, and its ripple", "[conversion]") {
  const auto all = read({{"vin", steady(12)}, {"vout", steady(5)}, {"iin", steady(0.5)}, {"iout", steady(1)}}, 400);
  REQUIRE(all->rows.size() == 1);
  CHECK(all->rows[0].readings == 1);
  CHECK(all->rows[0].whole);
  CHECK(all->rows[0].efficiency() == Approx(5 / 6.0));
  REQUIRE(all->ripple);
  CHECK(all->ripple->peak_to_peak == 0);
  CHECK(all->ripple->u == 0);
  CHECK(all->ripple->from == 0);
  CHECK(all->ripple->to == Approx(399 * kStep));
  CHECK(all->plateaus.empty());
  CHECK(all->load_steps.empty());
  const auto part = read({{"vin", steady(12)}, {"vout", steady(5)}, {"iin", steady(0.5)}}, 400);
  CHECK(part->rows.empty());
  // Its mean is over all of it, from the first sample on.
  const auto ramp = read({{"vin", steady(12)}, {"vout", [](std::size_t k) { return 5 + 1e-6 * double(k); }}, {"iin", steady(0.5)}, {"iout", steady(1)}}, 401);
  CHECK(ramp->rows[0].vout() == Approx(5 + 200e-6).epsilon(1e-9));
}

TEST_CASE("ripple is that of the plateau where it is largest, a gain's error in it", "[conversion]") {
  const auto wave = [](double amplitude) { return [=](std::size_t k) { return amplitude * std::cos(2 * M_PI * double(k) / 50); }; };
  const auto vout = [&](std::size_t k) { return 5 + wave(k / 400 == 2 ? 0.03 : 0.01)(k); };
  const auto r = read({{"vin", square(9, 12, 400)}, {"vout", vout, 0.1}}, 2000);
  REQUIRE(r->ripple);
  CHECK(r->ripple->peak_to_peak == Approx(0.06).epsilon(1e-3));
  CHECK(r->ripple->from == Approx(1000 * kStep));
  CHECK(r->ripple->to == Approx(1199 * kStep));
  CHECK(r->ripple->u == Approx(0.006).epsilon(0.02));
}

TEST_CASE("dip, overshoot and recovery of load steps by parabolas", "[conversion]") {
  // At 200 the load rises, at 600 it falls, each at once. The output dips by 0.4 V below the 4.9 V it ends on and comes
  // back within 40 samples; then it rises by 0.3 V above 5 V.
  const auto iout = [](std::size_t k) { return k >= 200 && k < 600 ? 1.0 : 0.1; };
  const auto bow = [](std::size_t k, std::size_t middle) { return std::max(0.0, 1 - std::pow((double(k) - double(middle)) / 20, 2)); };
  const auto vout = [&](std::size_t k) { return k < 200 ? 5.0 : k < 600 ? 4.9 - 0.4 * bow(k, 220) : 5.0 + 0.3 * bow(k, 620); };
  const std::vector<Column> columns = {{"vin", steady(12)}, {"vout", vout, 0.05}, {"iout", iout}};
  const auto r = read(columns, 1000);
  REQUIRE(r->stepped == Port::iout);
  REQUIRE(r->load_steps.size() == 2);
  const auto &up = r->load_steps[0], &down = r->load_steps[1];
  CHECK(up.rises);
  CHECK_FALSE(down.rises);
  CHECK(up.at == Approx(199.5 * kStep));
  CHECK(down.at == Approx(599.5 * kStep));
  CHECK(up.settles_at == Approx(4.9));
  CHECK(down.settles_at == Approx(5));
  CHECK(up.dip == Approx(0.4).epsilon(1e-6));
  CHECK(up.lowest_at == Approx(220 * kStep).epsilon(1e-4));
  CHECK(up.u_dip == Approx(0.02).epsilon(0.01));
  CHECK(down.overshoot == Approx(0.3).epsilon(1e-6));
  CHECK(down.highest_at == Approx(620 * kStep).epsilon(1e-4));
  CHECK(down.u_overshoot == Approx(0.015).epsilon(0.01));
  // Within 1 %, 49 mV: 1 - x^2 = 0.049 / 0.4; 50 mV of 0.3 V. Between samples it goes nearly straight.
  REQUIRE(up.recovery);
  CHECK(*up.recovery == Approx((20 + 20 * std::sqrt(1 - 0.049 / 0.4) + 0.5) * kStep).margin(0.05 * kStep));
  CHECK(*down.recovery == Approx((20 + 20 * std::sqrt(1 - 0.05 / 0.3) + 0.5) * kStep).margin(0.05 * kStep));
  CHECK(up.u_recovery >= 0.3 * kStep);
  CHECK(up.u_recovery < 0.6 * kStep);
  // 8 % are 392 mV; what never leaves the band is within it at once.
  const auto wide = read(columns, 1000, {{"settle_band", "8 %"}});
  CHECK(*wide->load_steps[0].recovery == Approx((20 + 20 * std::sqrt(1 - 0.392 / 0.4) + 0.5) * kStep).margin(0.2 * kStep));
  const auto never_left = read(columns, 1000, {{"settle_band", "10 %"}});
  CHECK(*never_left->load_steps[0].recovery == Approx(0.5 * kStep));
  CHECK(never_left->load_steps[0].u_recovery == Approx(0.3 * std::sqrt(2.0) * kStep));
  const auto analysis = conversion::kind().analyse({record_of(columns, 1000)}, {}, {});
  REQUIRE(analysis);
  const auto* dip = analysis->reading.find("transient.dip");
  REQUIRE(dip);
  CHECK(dip->value == Approx(0.4).epsilon(1e-6));
  CHECK(dip->at.front() == Approx(220 * kStep).epsilon(1e-4));
  const auto* over = analysis->reading.find("transient.overshoot");
  CHECK(over->value == Approx(0.3).epsilon(1e-6));
  CHECK(over->at.front() == Approx(620 * kStep).epsilon(1e-4));
  const auto* recovery = analysis->reading.find("transient.recovery");
  CHECK(recovery->value == *up.recovery);
  REQUIRE(recovery->at.size() == 2);
  CHECK(recovery->at[0] == up.at);
  CHECK(recovery->at[1] == up.at + *up.recovery);
}

TEST_CASE("an output that does not come back in time has no recovery", "[conversion]") {
  // From 4.5 V it rises for as long as the load stands: its second half ends on 5.1 V, and begins 0.2 V below.
  const auto vout = [](std::size_t k) { return k < 200 || k >= 600 ? 5.0 : 4.5 + 0.002 * double(k - 200); };
  const std::vector<Column> columns = {{"vin", steady(12)}, {"vout", vout}, {"iout", [](std::size_t k) { return k >= 200 && k < 600 ? 1.0 : 0.1; }}};
  const auto r = read(columns, 1000);
  REQUIRE(r->load_steps.size() == 2);
  CHECK_FALSE(r->load_steps[0].recovery);
  CHECK(r->load_steps[1].recovery);
  const auto analysis = conversion::kind().analyse({record_of(columns, 1000)}, {}, {});
  REQUIRE(analysis);
  CHECK_FALSE(analysis->reading.find("transient.recovery"));
  CHECK(analysis->reading.find("transient.dip"));
  CHECK(std::any_of(analysis->reading.absent.begin(), analysis->reading.absent.end(),
                    [](const auto& a) { return a.key == "transient.recovery" && a.reason == "the output does not come back within settle_band before the next step"; }));
}

TEST_CASE("a record is cut from and to with both ends kept", "[conversion]") {
  const auto vout = [](std::size_t k) { return double(k); };
  const auto cut = [&](const study::SettingsText& settings) {
    const auto r = read({{"vin", steady(12)}, {"vout", vout}, {"iin", steady(1)}, {"iout", steady(1)}}, 100, settings);
    return std::pair{std::lround(r->ripple->from / kStep), std::lround(r->ripple->to / kStep)};
  };
  using Ends = std::pair<long, long>;
  CHECK(cut({}) == Ends{0, 99});
  CHECK(cut({{"from", "10 us"}}) == Ends{10, 99});
  CHECK(cut({{"from", "9.5 us"}}) == Ends{10, 99});
  CHECK(cut({{"to", "90 us"}}) == Ends{0, 90});
  CHECK(cut({{"to", "90.5 us"}}) == Ends{0, 90});
  CHECK(cut({{"to", "2 ms"}}) == Ends{0, 99});
  const auto refused = conversion::kind().analyse({record_of({{"vout", vout}}, 100)}, {{"from", "99.5 us"}}, {});
  REQUIRE_FALSE(refused);
  CHECK(refused.error().message == "Nothing of the record lies between from and to.");
}

}  // namespace conversion_plateaus
