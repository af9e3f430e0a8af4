#include <catch2/catch.hpp>
#include <cmath>

#include "study/conversion/figures.h"
#include "study/conversion/loss_split.h"
#include "study/conversion/maximum.h"
#include "study/conversion/read_at.h"
#include "study/conversion/reduced.h"
#include "study/conversion/regulation.h"
#include "support.h"

using namespace heron;

/// What rows made by hand come to: merging, curves, and every figure with its uncertainty in closed form.
namespace conversion_rows {
namespace {

namespace conversion = study::conversion;
using conversion::LoadCurve;
using conversion::Port;
using conversion::Row;
using conversion::Rows;
using conversion::Settings;

Row row(double vin, double iin, double vout, double iout) {
  Row out;
  out.of(Port::vin).value = vin;
  out.of(Port::iin).value = iin;
  out.of(Port::vout).value = vout;
  out.of(Port::iout).value = iout;
  return out;
}
/// 1 V in and out: the currents are the powers.
Row powers(double in, double out) { return row(1, in, 1, out); }

study::Reading figures(const Rows& rows, const Settings& settings = {}, const std::vector<std::string>& asked = {}, const std::vector<conversion::SteppedRecordPtr>& records = {}) {
  auto out = conversion::figures_of(rows, records, settings, asked);
  if (!out) FAIL(out.error().message);
  return std::move(*out);
}
const study::Figure& the(const study::Reading& r, std::string_view key) {
  const auto* f = r.find(key);
  if (!f)
    for (const auto& a : r.absent)
      if (a.key == key) FAIL(std::string(key) << ": " << a.reason);
  if (!f) FAIL(std::string(key));
  return *f;
}
std::string why_not(const study::Reading& r, std::string_view key) {
  for (const auto& a : r.absent)
    if (a.key == key) return test::spaced(a.reason);
  return r.find(key) ? "it is there" : "nothing is said";
}

double at(const LoadCurve& curve, double current, bool loss = false) {
  const auto out = conversion::read_at(curve, current, loss);
  if (!out) FAIL(out.error());
  return out->first.value;
}
std::string not_at(const LoadCurve& curve, double current, bool loss = false) {
  const auto out = conversion::read_at(curve, current, loss);
  return out ? std::string() : test::spaced(out.error());
}

}  // namespace

TEST_CASE("rows of one setting are averaged, what was shared stays shared", "[conversion]") {
  auto a = powers(2, 1), b = powers(4, 1);
  a.line = b.line = 1;
  a.load = 1;
  b.load = 1 + 0.9e-9;
  a.of(Port::iin).u = 0.3;
  b.of(Port::iin).u = 0.4;
  a.of(Port::iin).shared = {{1, 0.2}, {2, 0.1}};
  b.of(Port::iin).shared = {{1, 0.4}};
  const auto one = conversion::merged({a, b});
  REQUIRE(one.size() == 1);
  CHECK(one[0].readings == 2);
  const auto& m = one[0].read[std::size_t(Port::iin)];
  CHECK(m.value == Approx(3));
  // They scatter by 1.41 about it, a mean by 1; what each says of itself would be 0.25.
  CHECK(m.u == Approx(1));
  REQUIRE(m.shared.size() == 2);
  CHECK(m.shared[0].first == 1);
  CHECK(m.shared[0].second == Approx(0.3));
  CHECK(m.shared[1].second == Approx(0.05));
  // Where they scatter less than they say, what they say.
  b.of(Port::iin).value = 2.1;
  CHECK(conversion::merged({a, b})[0].read[std::size_t(Port::iin)].u == Approx(0.25));
  // Settings that differ by a billionth of themselves are two.
  b.load = 1 + 1.2e-9;
  CHECK(conversion::merged({a, b}).size() == 2);
  b.load = {};
  CHECK(conversion::merged({a, b}).size() == 2);
  b.load = 1;
  b.line = 2;
  CHECK(conversion::merged({a, b}).size() == 2);
  b.line = 1;
  b.frequency = 1e5;
  CHECK(conversion::merged({a, b}).size() == 2);
  b.frequency = {};
  b.temperature = 0;
  CHECK(conversion::merged({a, b}).size() == 2);
  // Of settings that nobody said, what was read to the last digit.
  const auto plain = powers(2, 1);
  auto other = plain;
  CHECK(conversion::merged({plain, other}).size() == 1);
  other.of(Port::vin).value = 1.0000001;
  CHECK(conversion::merged({plain, other}).size() == 2);
  other = plain;
  other.of(Port::iout).value = 1.0000001;
  CHECK(conversion::merged({plain, other}).size() == 2);
}

TEST_CASE("rows stand in the order of frequency, temperature, line and load", "[conversion]") {
  const auto of = [](double frequency, double temperature, double line, double load, double vin = 0, double iout = 0) {
    auto out = row(vin, 1, 1, iout);
    out.frequency = frequency;
    out.temperature = temperature;
    out.line = line;
    out.load = load;
    return out;
  };
  const Rows wanted = {of(1, 9, 9, 9), of(2, 1, 9, 9), of(2, 2, 1, 9), of(2, 2, 2, 1), of(2, 2, 2, 2)};
  const auto sorted = conversion::merged({wanted[4], wanted[2], wanted[0], wanted[3], wanted[1]});
  REQUIRE(sorted.size() == 5);
  for (std::size_t k = 0; k < 5; ++k) {
    INFO(k);
    CHECK(*sorted[k].frequency == *wanted[k].frequency);
    CHECK(*sorted[k].temperature == *wanted[k].temperature);
    CHECK(*sorted[k].line == *wanted[k].line);
    CHECK(*sorted[k].load == *wanted[k].load);
  }
  // One without a frequency stands before those of one.
  auto none = of(1, 1, 5, 5);
  none.frequency = none.temperature = {};
  CHECK_FALSE(conversion::merged({wanted[0], none})[0].frequency);
}

TEST_CASE("limits of line and load keep what was set on them", "[conversion]") {
  auto r = row(5.02, 1, 3, 0.98);
  r.line = 5;
  r.load = 1;
  const auto kept = [&](std::optional<double> line_from, std::optional<double> line_to, std::optional<double> load_from = {}, std::optional<double> load_to = {}) {
    Settings s;
    s.line_from = line_from;
    s.line_to = line_to;
    s.load_from = load_from;
    s.load_to = load_to;
    return conversion::within_limits({r}, s).size() == 1;
  };
  CHECK(kept({}, {}));
  CHECK(kept(5, 5, 1, 1));
  CHECK(kept(5 * (1 + 0.5e-9), 5 * (1 - 0.5e-9), 1 + 0.5e-9, 1 - 0.5e-9));
  CHECK_FALSE(kept(5.01, {}));
  CHECK_FALSE(kept({}, 4.99));
  CHECK_FALSE(kept({}, {}, 1.01));
  CHECK_FALSE(kept({}, {}, {}, 0.99));
  // What nobody set is what was read.
  r.line = r.load = {};
  CHECK(kept(5.01, 5.03, 0.97, 0.99));
  CHECK_FALSE(kept({}, 5));
  CHECK_FALSE(kept({}, {}, 1));
}

TEST_CASE("a shunt's heat is an error that all points share, each current's its own", "[conversion]") {
  Settings s;
  s.shunts = {{"iin", {0.1, 1e-3, 10}}, {"iout", {0.01, 1e-3, 10}}};
  const auto warm = conversion::with_heat({powers(2, 3), powers(1, -1)}, s);
  const auto effect = [&](std::size_t k, Port port) {
    const auto& shared = warm[k].read[std::size_t(port)].shared;
    REQUIRE(shared.size() == 1);
    return shared[0];
  };
  CHECK(effect(0, Port::iin).second == Approx(2 * 1e-3 * 10 * 0.4));
  CHECK(effect(0, Port::iout).second == Approx(3 * 1e-3 * 10 * 0.09));
  CHECK(effect(1, Port::iout).second == Approx(-1e-3 * 10 * 0.01));
  CHECK(effect(0, Port::iin).first == effect(1, Port::iin).first);
  CHECK(effect(0, Port::iin).first != effect(0, Port::iout).first);
  CHECK(effect(0, Port::iin).first < 0);
  CHECK(warm[0].read[std::size_t(Port::vin)].shared.empty());
}

TEST_CASE("curves over load are cut where the line leaps by more than 2 %", "[conversion]") {
  const auto lines = [](std::initializer_list<double> vins) {
    Rows rows;
    double load = 5;
    for (const double v : vins) rows.push_back(row(v, 1, 1, load -= 1));
    std::vector<double> out;
    for (const auto& c : conversion::load_curves(conversion::merged(rows))) out.push_back(c.line);
    return out;
  };
  CHECK(lines({10, 10.19}) == std::vector<double>{(10 + 10.19) / 2});
  CHECK(lines({10, 10.21}) == std::vector<double>{10, 10.21});
  // Each follows the one before it.
  CHECK(lines({10, 10.15, 10.3}).size() == 1);
  Rows set;
  for (const double line : {10.0, 10.1})
    for (const double load : {2.0, 1.0}) {
      set.push_back(row(10.05, 1, 1, load));
      set.back().line = line;
    }
  const auto curves = conversion::load_curves(set);
  REQUIRE(curves.size() == 2);
  CHECK(curves[0].line == 10);
  CHECK(curves[1].line == 10.1);
  CHECK(curves[0].rows[0].iout() == 1);
  CHECK(curves[0].rows[1].iout() == 2);
  // Loads that lie within a thousandth of the highest are one: none at all reads a little beside nothing.
  Rows idle = {row(5, 1, 1, 0.9e-3), row(6, 1, 1, 0), row(6, 1, 1, 1), row(5, 1, 1, 1.015)};
  const auto over_line = conversion::line_curves(idle);
  REQUIRE(over_line.size() == 2);
  CHECK(over_line[0].load == Approx(0.45e-3));
  CHECK(over_line[0].rows[0].vin() == 5);
  CHECK(over_line[1].load == Approx(1.0075));
  idle[0].of(Port::iout).value = 1.1e-3;
  CHECK(conversion::line_curves(idle).size() == 3);
  idle[0].frequency = 1e5;
  idle[0].of(Port::iout).value = 0;
  CHECK(conversion::line_curves(idle).size() == 3);
  idle[0].frequency = {};
  idle[0].temperature = 40;
  CHECK(conversion::line_curves(idle).size() == 3);
}

TEST_CASE("errors of a row's own add by squares, what rows share adds as it stands", "[conversion]") {
  auto a = powers(3, 1), b = powers(5, 2);
  a.of(Port::iin).u = 0.3;
  b.of(Port::iin).u = 0.4;
  a.of(Port::iin).shared = {{4, 0.1}};
  b.of(Port::iin).shared = {{4, 0.2}, {7, 0.05}};
  const auto sum = conversion::with_u({a, b}, [](const Rows& r) { return r[0].input_power() + 2 * r[1].input_power(); });
  CHECK(sum.value == 13);
  CHECK(sum.u_own == Approx(std::hypot(0.3, 0.8)));
  CHECK(sum.u_shared == Approx(std::hypot(0.1 + 0.4, 0.1)));
  CHECK(sum.u() == Approx(std::hypot(sum.u_own, sum.u_shared)));
  const auto difference = conversion::with_u({a, b}, [](const Rows& r) { return 2 * r[0].input_power() - r[1].input_power(); });
  CHECK(difference.u_shared == Approx(0.05));
}

TEST_CASE("the highest efficiency is a vertex only inside, and hollows have none", "[conversion]") {
  // Efficiencies by hand: 0.5, 0.8, 0.7 at 1, 2, 4 A.
  const LoadCurve curve{.line = 1, .frequency = {}, .temperature = {}, .rows = {powers(2, 1), powers(2.5, 2), powers(4 / 0.7, 4)}};
  const auto top = conversion::highest_efficiency(curve);
  REQUIRE(top);
  // Through the three: slopes 0.3 and -0.05, second (-0.05 - 0.3) / 3.
  const double second = -0.35 / 3, place = 1.5 + 0.3 / (2 * 0.35 / 3);
  CHECK(top->at.value == Approx(place));
  CHECK(top->efficiency.value == Approx(0.5 + (place - 1) * (0.3 + (place - 2) * second)));
  CHECK(top->at.u() == 0);
  CHECK(top->efficiency.u() == 0);
  // A row without input and one at the same load are left out.
  auto more = curve;
  more.rows.insert(more.rows.begin(), powers(0, 0));
  more.rows.push_back(powers(4.1, 4));
  CHECK(conversion::highest_efficiency(more)->at.value == Approx(place));
  CHECK_FALSE(conversion::highest_efficiency({.line = 1, .frequency = {}, .temperature = {}, .rows = {powers(0, 1)}}));
  // At either end it is that point; two alike make no peak.
  CHECK(conversion::highest_efficiency({.line = 1, .frequency = {}, .temperature = {}, .rows = {powers(1.25, 1), powers(4, 2), powers(8, 4)}})->at.value == 1);
  CHECK(conversion::highest_efficiency({.line = 1, .frequency = {}, .temperature = {}, .rows = {powers(4, 1), powers(4, 2), powers(5, 4)}})->at.value == 4);
  CHECK(conversion::highest_efficiency({.line = 1, .frequency = {}, .temperature = {}, .rows = {powers(2, 1), powers(4, 2), powers(8, 4)}})->at.value == 1);
  // The spread of one error of the top itself, and what is shared.
  auto one = LoadCurve{.line = 1, .frequency = {}, .temperature = {}, .rows = {powers(2, 1)}};
  one.rows[0].of(Port::iout).u = 0.02;
  one.rows[0].of(Port::iin).shared = {{1, 0.04}};
  const auto known = conversion::highest_efficiency(one);
  CHECK(known->efficiency.u_own == Approx(0.01).epsilon(0.15));
  CHECK(known->at.u_own == Approx(0.02).epsilon(0.15));
  CHECK(known->efficiency.u_shared == Approx(0.01).epsilon(1e-3));
  CHECK(known->at.u_shared == 0);
}

TEST_CASE("between two loads it goes straight, and a parabola says what that may miss", "[conversion]") {
  // Losses 1, 2, 5, 10 at 1, 2, 3, 4 A.
  LoadCurve curve{.line = 1, .frequency = {}, .temperature = {}, .rows = {powers(2, 1), powers(4, 2), powers(8, 3), powers(14, 4)}};
  CHECK(at(curve, 1.5, true) == Approx(1.5));
  CHECK(at(curve, 1, true) == Approx(1));
  CHECK(at(curve, 4, true) == Approx(10));
  CHECK(at(curve, 3, true) == Approx(5));
  CHECK(at(curve, 1.5) == Approx((0.5 + 0.5) / 2));
  CHECK(at(curve, 3.5) == Approx((3 / 8.0 + 4 / 14.0) / 2));
  const auto between = [&](double current) { return conversion::read_at(curve, current, true)->second; };
  // The nearer neighbour is the third: 3 A for 1.5, second difference (3 - 1) / 2 = 1; 1 or 4 A for 2.4 and 2.6.
  CHECK(between(1.5) == Approx(0.25));
  CHECK(between(2.4) == Approx(0.4 * 0.6 * 1));
  curve.rows[3] = powers(16, 4);
  // With 4 A (loss 12): (7 - 3) / 2 = 2.
  CHECK(between(2.6) == Approx(0.4 * 0.6 * 2));
  CHECK(between(2.4) == Approx(0.4 * 0.6 * 1));
  CHECK(between(3.5) == Approx(0.25 * 2));
  CHECK(between(2) == Approx(0).margin(1e-12));
  curve.rows.resize(2);
  CHECK(between(1.5) == 0);
  // A little outside the ends, by 2 % or where that was set.
  CHECK(at(curve, 0.981, true) == Approx(0.981));
  CHECK(not_at(curve, 0.97, true) == "970.0 mA lies outside the loads that were read");
  CHECK(at(curve, 2.03, true) == Approx(2.03));
  CHECK(not_at(curve, 2.05, true) == "2.050 A lies outside the loads that were read");
  curve.rows[1].load = 2.05;
  CHECK(at(curve, 2.05, true) == Approx(2.05));
  CHECK_FALSE(not_at(curve, 2.0501, true).empty());
  curve.rows[0].load = 0.9;
  CHECK(at(curve, 0.9, true) == Approx(0.9));
  CHECK(not_at({}, 1) == "1.000 A lies outside the loads that were read");
  // One row alone.
  curve.rows.resize(1);
  curve.rows[0].of(Port::iin).u = 0.1;
  const auto alone = conversion::read_at(curve, 1, true);
  REQUIRE(alone);
  CHECK(alone->first.value == 1);
  CHECK(alone->first.u() == Approx(0.1));
  CHECK(alone->second == 0);
  CHECK(at(curve, 0.9, true) == 1);
  CHECK_FALSE(not_at(curve, 0.8, true).empty());
}

TEST_CASE("where no power goes in there is no efficiency but a loss", "[conversion]") {
  const LoadCurve curve{.line = 1, .frequency = {}, .temperature = {}, .rows = {powers(0, 0), powers(4, 2), powers(0, 3)}};
  CHECK(not_at(curve, 0) == "no power goes in there");
  CHECK(not_at(curve, 1) == "no power goes in there");
  CHECK(not_at(curve, 3.002) == "no power goes in there");
  CHECK(at(curve, 2) == 0.5);
  CHECK(at(curve, 0, true) == 0);
  CHECK(at(curve, 3, true) == -3);
  CHECK(at(curve, 1, true) == 1);
}

TEST_CASE("of several curves the one that is meant, or what tells them apart", "[conversion]") {
  const auto curve = [](double line, std::optional<double> frequency = {}, std::optional<double> temperature = {}) { return LoadCurve{line, frequency, temperature, {powers(2, 1)}}; };
  const auto pick = [](const std::vector<LoadCurve>& all, const Settings& settings, const conversion::AtLoad* asked = nullptr) -> std::string {
    const auto c = conversion::chosen(all, settings, asked);
    return c ? fmt::format("{} of {}", *c - all.data(), all.size()) : test::spaced(c.error());
  };
  Settings none, s;
  CHECK(pick({curve(5)}, none) == "0 of 1");
  CHECK(pick({curve(5), curve(9)}, none) == "there are 2 curves; set line, or ask it at one, such as efficiency@100mA,12V");
  CHECK(pick({curve(5, 1e5), curve(5, 2e5), curve(9, 1e5)}, none) == "there are 3 curves; set frequency, or ask it at one, such as efficiency@100mA,frequency=400kHz");
  CHECK(pick({curve(5, {}, 25), curve(9, {}, 60)}, none) == "there are 2 curves; set temperature, or ask it at one, such as efficiency@100mA,temperature=25");
  s.line = 9.1;
  CHECK(pick({curve(5), curve(9)}, s) == "1 of 2");
  s.line = 9.2;
  CHECK(pick({curve(5), curve(9), curve(5.001)}, s) == "no such curve was read; there are lines of 5.000 V, 9.000 V, 5.001 V");
  std::vector<LoadCurve> many;
  for (int k = 1; k < 10; ++k) many.push_back(curve(k));
  s.line = 20;
  CHECK(pick(many, s) == "no such curve was read; there are lines of 1.000 V, 2.000 V, 3.000 V, 4.000 V, 5.000 V, 6.000 V, 7.000 V, 8.000 V...");
  many.pop_back();
  CHECK(pick(many, s).ends_with("8.000 V"));
  // Of two lines that both lie near it, the nearer.
  s.line = 5.05;
  CHECK(pick({curve(5), curve(5.08)}, s) == "1 of 2");
  CHECK(pick({curve(5.04), curve(5.08)}, s) == "0 of 2");
  CHECK(pick({curve(5, 1e5), curve(5, 2e5)}, s).starts_with("there are 2 curves; set frequency"));
  // What the key asks goes before what is set.
  const conversion::AtLoad asked{.current = 1, .line = 9};
  CHECK(pick({curve(5), curve(9)}, s, &asked) == "1 of 2");
  const conversion::AtLoad plain{.current = 1};
  CHECK(pick({curve(5), curve(9)}, s, &plain) == "0 of 2");
  Settings f;
  f.frequency = 1e5;
  CHECK(pick({curve(5, 1.019e5), curve(5)}, f) == "0 of 2");
  CHECK(pick({curve(5, 1.03e5), curve(5)}, f).starts_with("no such curve"));
  Settings t;
  t.temperature = 25;
  CHECK(pick({curve(5, {}, 26), curve(5, {}, 26.1), curve(5)}, t) == "0 of 3");
}

TEST_CASE("regulation is the difference from end to end, its middle read between the two there", "[conversion]") {
  Settings s;
  const auto line_of = [&](std::initializer_list<std::pair<double, double>> points) {
    Rows rows;
    for (const auto& [vin, vout] : points) {
      rows.push_back(row(vin, 1, vout, 1));
      rows.back().load = 1;
    }
    return conversion::line_regulation(conversion::merged(rows), s);
  };
  // At 10 V, the middle of 6 and 14: between 4.2 at 8 V and 4.4 at 12 V.
  const auto r = line_of({{6, 4}, {8, 4.2}, {12, 4.4}, {14, 4.5}});
  REQUIRE(r);
  CHECK(r->volts.value == Approx(0.5));
  CHECK(r->percent.value == Approx(100 * 0.5 / 4.3));
  CHECK(r->per_volt.value == Approx(100 * 0.5 / 4.3 / 8));
  // Two points alone; the middle lies between them.
  CHECK(line_of({{6, 4}, {14, 4.5}})->percent.value == Approx(100 * 0.5 / 4.25));
  // A point at the middle itself.
  CHECK(line_of({{6, 4}, {10, 4.4}, {14, 4.5}})->percent.value == Approx(100 * 0.5 / 4.4));
  CHECK(line_of({{6, 4}, {7, 4.1}, {14, 4.5}})->percent.value == Approx(100 * 0.5 / (4.1 + 3 / 7.0 * 0.4)));
  s.nominal = 5;
  CHECK(line_of({{6, 4}, {14, 4.5}})->percent.value == Approx(10));
  s.nominal = {};
  // Lines within half a per cent are one.
  CHECK_FALSE(line_of({{10, 4}, {10.04, 4.5}}));
  CHECK(line_of({{10, 4}, {10.06, 4.5}}));
  CHECK_FALSE(line_of({{10, 4}}));
  // The largest of all loads, either way.
  Rows rows;
  for (const auto& [load, by] : {std::pair{1.0, 0.1}, {2.0, -0.3}, {3.0, 0.2}})
    for (const double vin : {6.0, 14.0}) {
      rows.push_back(row(vin, 1, 5 + (vin > 10 ? by : 0), load));
      rows.back().load = load;
      rows.back().line = vin;
    }
  CHECK(conversion::line_regulation(rows, s)->volts.value == Approx(-0.3));
  // Over load from the first to the last: at 14 V from 5.1 to 5.2.
  CHECK(conversion::load_regulation(rows, s)->volts.value == Approx(0.1));
  const auto key = figures(rows);
  CHECK(the(key, "regulation.line").value == Approx(-0.3));
  CHECK(the(key, "regulation.line").of_nothing);
  CHECK(the(key, "regulation.load.percent").unit == "%");
}

TEST_CASE("what two ends share falls out of their difference, a row used twice counts once", "[conversion]") {
  Rows rows = {row(6, 1, 4, 1), row(14, 1, 4.5, 1)};
  for (auto& r : rows) {
    r.of(Port::vout).u = 3e-3;
    r.of(Port::vout).shared = {{1, 10e-3}};
    r.load = 1;
  }
  const auto r = conversion::line_regulation(rows, {});
  REQUIRE(r);
  CHECK(r->volts.u_own == Approx(3e-3 * std::sqrt(2.0)));
  CHECK(r->volts.u_shared == Approx(0).margin(1e-12));
  // 100 (b - a) / ((a + b) / 2): by a -200 b / (a + b)^2 * 2, by b as much with a; shared: what moves the middle alone.
  const double sum = 8.5, by_a = -400 * 4.5 / (sum * sum), by_b = 400 * 4.0 / (sum * sum);
  CHECK(r->percent.u_own == Approx(3e-3 * std::hypot(by_a, by_b)).epsilon(1e-4));
  CHECK(r->percent.u_shared == Approx(10e-3 * std::abs(by_a + by_b)).epsilon(1e-3));
}

TEST_CASE("dropout is read where the output has fallen, at the load or between two", "[conversion]") {
  // The output follows the input less 0.2 V times the load up to 5 V.
  const auto rows_of = [](std::initializer_list<double> loads, std::initializer_list<double> lines) {
    Rows out;
    for (const double i : loads)
      for (const double v : lines) {
        out.push_back(row(v, i, std::min(5.0, v - 0.2 * i), i));
        out.back().load = i;
      }
    return out;
  };
  const auto dropout = [](const Rows& rows, double current, double fraction = 0.02) {
    Settings s;
    s.dropout_fraction = fraction;
    return conversion::dropout_at(rows, current, s);
  };
  const auto rows = rows_of({1, 2}, {4, 4.5, 6, 8});
  // 4.9 V of output lie between 4.5 and 6 V of input, where the output goes from 4.3 to 5: 4.5 + 0.6 / 0.7 * 1.5 - 4.9.
  const auto one = dropout(rows, 1);
  REQUIRE(one);
  CHECK(one->value == Approx(4.5 + 0.6 / 0.7 * 1.5 - 4.9));
  // By the line through the two below it would have been 5.1: so far it may be off.
  CHECK(one->u_own == Approx(4.5 + 0.6 / 0.7 * 1.5 - 5.1));
  CHECK(dropout(rows, 1.019)->value == Approx(one->value));
  const auto two = dropout(rows, 2);
  CHECK(two->value == Approx(4.5 + 0.8 / 0.9 * 1.5 - 4.9));
  CHECK(dropout(rows, 1.25)->value == Approx(0.75 * one->value + 0.25 * two->value));
  CHECK(dropout(rows, 1.25)->u_own == Approx(std::hypot(0.75 * one->u_own, 0.25 * two->u_own)));
  CHECK(test::spaced(dropout(rows, 0.9).error()) == "900.0 mA lies outside the loads that were read");
  CHECK_FALSE(dropout(rows, 2.1));
  CHECK(dropout({}, 1).error() == "it wants several lines at one load");
  CHECK(dropout(rows_of({1}, {6}), 1).error() == "it wants several lines at one load");
  CHECK(dropout(rows_of({1}, {6, 8}), 1).error() == "the output does not fall 2 % below its regulated value; read lower lines");
  CHECK(dropout(rows_of({1, 2}, {5.2, 5.3, 8}), 1.5).error().starts_with("the output does not fall 2 %"));
  // Just on the level counts; half of the regulated value lies lower.
  CHECK(dropout(rows_of({1}, {5.1, 8}), 1)->value == Approx(0.2));
  CHECK(dropout(rows_of({1}, {2, 4, 8}), 1, 0.5)->value == Approx(0.2));
  // The last two rows alone: the top is one of the two between which it is read.
  auto noisy = rows_of({1}, {4.2, 6});
  noisy[1].of(Port::vout).u = 0.01;
  // 4.2 + (0.98 T - 4) / (T - 4) * 1.8 - 0.98 T with T = 5.
  CHECK(dropout(noisy, 1)->u_own == Approx(0.01 * std::abs(1.8 * (0.98 * 1 - 0.9) / 1 - 0.98)).epsilon(1e-3));
  auto three = rows_of({1}, {4.2, 6, 8});
  three[2].of(Port::vout).u = 0.01;
  CHECK(dropout(three, 1)->u_own == Approx(0.01 * 0.98 * 0.8).epsilon(1e-3));
  // What is shared adds between two loads as it stands.
  auto shared = rows_of({1, 2}, {4.2, 6});
  for (auto& r : shared) r.of(Port::vin).shared = {{1, 0.01}};
  CHECK(dropout(shared, 1.5)->u_shared == Approx(0.01));
}

TEST_CASE("the loss is split by least squares, its scatter in what the parts are known to", "[conversion]") {
  const auto curve = [](const std::vector<double>& residuals, double u) {
    LoadCurve out{.line = 1, .frequency = {}, .temperature = {}, .rows = {}};
    for (std::size_t k = 0; k < residuals.size(); ++k) {
      const double i = double(k) - 2;
      out.rows.push_back(powers(i + 10 + 2 * i + 0.5 * i * i + residuals[k], i));
      out.rows.back().of(Port::iin).u = u;
    }
    return out;
  };
  const auto exact = conversion::loss_split(curve({0, 0, 0, 0, 0}, 0));
  REQUIRE(exact);
  CHECK(exact->fixed.value == Approx(10));
  CHECK(exact->linear.value == Approx(2));
  CHECK(exact->square.value == Approx(0.5));
  CHECK(exact->residual == Approx(0).margin(1e-9));
  CHECK(exact->at(3) == Approx(10 + 6 + 4.5));
  CHECK(exact->fixed.u() == Approx(0).margin(1e-9));
  CHECK_FALSE(conversion::loss_split(curve({0, 0, 0, 0}, 0)));
  auto doubled = curve({0, 0, 0, 0}, 0);
  doubled.rows.push_back(doubled.rows.back());
  CHECK_FALSE(conversion::loss_split(doubled));
  // Orthogonal polynomials over -2..2: u of the slope is u / sqrt(10), of the square u / sqrt(14), of the value at nothing
  // u sqrt(17 / 35).
  const auto known = conversion::loss_split(curve({0, 0, 0, 0, 0}, 0.1));
  CHECK(known->linear.u_own == Approx(0.1 / std::sqrt(10.0)).epsilon(1e-6));
  CHECK(known->square.u_own == Approx(0.1 / std::sqrt(14.0)).epsilon(1e-6));
  CHECK(known->fixed.u_own == Approx(0.1 * std::sqrt(17 / 35.0)).epsilon(1e-6));
  // What no such sum describes: +-1, -+2 (of third order), squares 10 of two degrees of freedom.
  const std::vector<double> third = {-1, 2, 0, -2, 1};
  const auto unknown = conversion::loss_split(curve(third, 0));
  CHECK(unknown->residual == Approx(std::sqrt(10 / 5.0)));
  CHECK(unknown->linear.u_own == Approx(std::sqrt(10 / 2.0 / 10)).epsilon(1e-6));
  CHECK(unknown->fixed.u_own == Approx(std::sqrt(10 / 2.0 * 17 / 35)).epsilon(1e-6));
  CHECK(unknown->square.u_own == Approx(std::sqrt(10 / 2.0 / 14)).epsilon(1e-6));
  // Where rows say what they are known to, that is widened once the squares lie 3 sqrt(2 / freedom) above their own: with
  // two degrees 8 times u^2 leaves.
  const auto widened = [&](double u) { return conversion::loss_split(curve(third, u))->linear.u_own / (u / std::sqrt(10.0)); };
  const double limit = std::sqrt(10 / 8.0);
  CHECK(widened(1.02 * limit) == Approx(1).epsilon(1e-6));
  CHECK(widened(0.98 * limit) == Approx(std::sqrt(10 / (2 * std::pow(0.98 * limit, 2)))).epsilon(1e-6));
}

TEST_CASE("every figure that cannot be read says why", "[conversion]") {
  const auto none = figures({}, {}, {"efficiency@1A", "dropout@1A", "watch.rail.count", "loss@1A"});
  CHECK(none.figures.empty());
  for (const char* key : {"efficiency.max", "efficiency.max.at", "power.idle", "loss.fixed", "loss.linear", "loss.square", "loss.residual", "regulation.line", "regulation.line.percent", "regulation.line.percent_per_volt",
                          "regulation.load", "regulation.load.percent", "accuracy.output", "efficiency@1A", "dropout@1A", "loss@1A"}) {
    INFO(key);
    CHECK(why_not(none, key) == "input and output are not all there");
  }
  CHECK(why_not(none, "ripple") == "it is read from a record of vout over time, never from points");
  for (const char* key : {"transient.dip", "transient.overshoot", "transient.recovery"}) CHECK(why_not(none, key) == "it is read from a record with steps of the load");
  CHECK(why_not(none, "watch.rail.count") == "there is no record");
  Settings s;
  s.line_from = 5;
  const auto outside = figures({powers(2, 1)}, s, {"efficiency@1A"});
  CHECK(why_not(outside, "efficiency.max") == "no point lies within the limits of line and load");
  CHECK(why_not(outside, "accuracy.output") == "no point lies within the limits of line and load");
  CHECK(why_not(outside, "efficiency@1A") == "no point lies within the limits of line and load");
  auto part = powers(2, 1);
  part.whole = false;
  const auto lacking = figures({part, powers(4, 2)}, {}, {"loss@1A"});
  CHECK(why_not(lacking, "efficiency.max") == "input and output are not all there");
  CHECK(why_not(lacking, "loss@1A") == "input and output are not all there");
  CHECK(why_not(lacking, "regulation.load") == "it is there");
  const auto four = figures({powers(2, 1), powers(4, 2), powers(7, 3), powers(10, 4)});
  for (const char* key : {"loss.fixed", "loss.linear", "loss.square", "loss.residual"}) CHECK(why_not(four, key) == "it wants 5 loads at one line that lie apart");
  CHECK(why_not(four, "power.idle") == "no point was read without a load");
  CHECK(why_not(four, "accuracy.output") == "nominal is not set");
  for (const char* key : {"regulation.line", "regulation.line.percent", "regulation.line.percent_per_volt"}) CHECK(why_not(four, key) == "no load was read at two lines");
  const auto one = figures({powers(0, 1)});
  for (const char* key : {"efficiency.max", "efficiency.max.at"}) CHECK(why_not(one, key) == "no power goes in");
  for (const char* key : {"regulation.load", "regulation.load.percent"}) CHECK(why_not(one, key) == "no line was read at two loads");
  s = {};
  s.nominal = 0;
  CHECK(why_not(figures({powers(2, 1)}, s), "accuracy.output") == "nominal is not set");
  // Each stands there once, asked for or not.
  const auto asked = figures({powers(2, 1)}, {}, {"power.idle", "efficiency.max"});
  CHECK(std::count_if(asked.absent.begin(), asked.absent.end(), [](const auto& a) { return a.key == "power.idle"; }) == 1);
  CHECK(std::count_if(asked.figures.begin(), asked.figures.end(), [](const auto& f) { return f.key == "efficiency.max"; }) == 1);
}

TEST_CASE("figures of points carry label, unit, place and what they are known to", "[conversion]") {
  Settings s;
  s.nominal = 1;
  Rows rows = {powers(0.3, 0.9e-3), powers(2, 1)};
  rows[0].of(Port::iin).u = 0.01;
  rows[1].of(Port::vout).value = 0.97;
  rows[1].of(Port::vout).u = 2e-3;
  const auto r = figures(rows, s, {"loss@1A", "efficiency@1A", "dropout@1A"});
  CHECK(the(r, "power.idle").value == Approx(0.3));
  CHECK(*the(r, "power.idle").u == Approx(0.01));
  CHECK(the(r, "accuracy.output").value == Approx(-3));
  CHECK(*the(r, "accuracy.output").u == Approx(0.2));
  CHECK(the(r, "accuracy.output").of_nothing);
  CHECK(the(r, "efficiency.max").at == the(r, "efficiency.max.at").at);
  CHECK(the(r, "efficiency.max").at.front() == the(r, "efficiency.max.at").value);
  CHECK_FALSE(the(r, "efficiency.max").of_nothing);
  CHECK(test::spaced(the(r, "loss@1A").label) == "Loss at 1 A");
  CHECK(the(r, "loss@1A").unit == "W");
  CHECK(the(r, "efficiency@1A").unit == "1");
  CHECK(the(r, "loss@1A").at == std::vector<double>{1});
  CHECK(*the(r, "loss@1A").u == Approx(2e-3));
  CHECK(why_not(r, "dropout@1A") == "it wants several lines at one load");
  // A load of more than a thousandth of the highest is one.
  rows[0].of(Port::iout).value = 1.1e-3;
  CHECK_FALSE(figures(rows).find("power.idle"));
  // What between two points may be missed is in u.
  const auto between = figures({powers(2, 1), powers(4, 2), powers(8, 3)}, {}, {"loss@1.5A"});
  CHECK(*the(between, "loss@1.5A").u == Approx(0.25));
  CHECK(the(between, "loss@1.5A").u_between == Approx(0.25));
}

TEST_CASE("keys at a load are taken apart, or say what is wanted", "[conversion]") {
  const auto key = [](std::string_view text) {
    const auto out = conversion::at_load(text);
    if (!out) FAIL(out.error().message);
    REQUIRE(*out);
    return **out;
  };
  const auto wrong = [](std::string_view text) {
    const auto out = conversion::at_load(text);
    return out ? std::string(*out ? "taken" : "another") : test::spaced(out.error().message);
  };
  const auto full = key("loss@100mA, 12V, frequency=400kHz, temperature=60");
  CHECK(full.of == conversion::AskedOf::loss);
  CHECK(full.current == Approx(0.1));
  CHECK(*full.line == 12);
  CHECK(*full.frequency == 400e3);
  CHECK(*full.temperature == 60);
  CHECK(key("efficiency@1A").of == conversion::AskedOf::efficiency);
  CHECK_FALSE(key("efficiency@1A").line);
  CHECK(key("dropout@2").of == conversion::AskedOf::dropout);
  CHECK(wrong("ripple") == "another");
  CHECK(wrong("gain@1kHz") == "another");
  CHECK(wrong("efficiency@") == "efficiency@: an output current is wanted after @, such as efficiency@100mA.");
  CHECK(wrong("loss@soon") == "loss@soon: an output current is wanted after @, such as loss@100mA.");
  CHECK(wrong("dropout@1A,5V") == "dropout@1A,5V: an output current alone is wanted after @, such as dropout@100mA.");
  CHECK(wrong("loss@1A,colour=3") == "loss@1A,colour=3: a line, frequency=... or temperature=... may stand after @, such as loss@100mA.");
  CHECK(wrong("loss@1A,9A").starts_with("loss@1A,9A: "));
  CHECK(conversion::figure_unit("loss@1A") == "W");
  CHECK(conversion::figure_unit("loss") == "W");
  CHECK(conversion::figure_unit("dropout@1A") == "V");
  CHECK(conversion::figure_unit("efficiency.max.at") == "A");
  CHECK(conversion::figure_unit("watch.rail.extreme") == "");
  CHECK(conversion::figure_unit("watch.rail.first") == "s");
  CHECK(conversion::figure_unit("watch.rail.latched") == "1");
  CHECK_FALSE(conversion::figure_unit("gain"));
  const auto names = conversion::figure_names();
  CHECK(names.size() == 20);
  CHECK(names.front().key == "efficiency");
  const auto unknown = conversion::check_figure_key("ripples");
  REQUIRE_FALSE(unknown);
  CHECK(unknown.error().message == "There is no figure \"ripples\" of conversion.");
}

}  // namespace conversion_rows
