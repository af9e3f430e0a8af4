#include <catch2/catch.hpp>
#include <cmath>
#include <limits>

#include "exchange/curves.h"
#include "exchange/writers.h"
#include "judge/claim.h"
#include "study/iv/axes.h"
#include "study/iv/compare.h"
#include "study/iv/datasheet.h"
#include "study/iv/doubts.h"
#include "study/iv/figures.h"
#include "study/iv/fits.h"
#include "study/iv/kind.h"
#include "study/iv/reduce.h"
#include "study/iv/tables.h"
#include "support.h"

using namespace heron;
using namespace heron::study;

namespace {

/// A transistor of gain 120 with an Early voltage of 50 V: straight in its saturated part.
iv::Family transistor() {
  iv::Family family;
  family.step_name = "base";
  family.step_unit = "A";
  for (int c = 1; c <= 3; ++c) {
    iv::Curve curve{.step = c * 10e-6, .points = {}};
    for (int k = 0; k <= 50; ++k) {
      const double v = 0.1 * k, knee = v < 0.3 ? v / 0.3 : 1;
      curve.points.push_back({.index = (c - 1) * 51 + k,
                              .voltage = v,
                              .current = 120 * c * 10e-6 * knee * (1 + v / 50),
                              .time = 0.02 * ((c - 1) * 51 + k),
                              .programmed = v,
                              .all = {v, 120 * c * 10e-6 * knee * (1 + v / 50), 0.65, c * 10e-6}});
    }
    family.curves.push_back(std::move(curve));
  }
  family.measured = true;
  family.channels = {
      {"collector voltage", "V"}, {"collector current", "A"}, {"base voltage", "V"}, {"base current", "A"}};
  return family;
}

std::vector<double> finite(const std::vector<double>& values) {
  std::vector<double> out;
  for (const double v : values)
    if (std::isfinite(v)) out.push_back(v);
  return out;
}

bool has_doubt(const std::vector<Doubt>& doubts, std::string_view key, std::optional<Severity> severity = {}) {
  return std::any_of(doubts.begin(), doubts.end(),
                     [&](const Doubt& d) { return d.key == key && (!severity || d.severity == *severity); });
}

}  // namespace

TEST_CASE("any quantity of a family can stand along an axis", "[iv][views]") {
  const auto family = transistor();
  const auto& curve = family.curves[1];
  CHECK(iv::along(family, curve, "voltage")[10] == Approx(1));
  CHECK(iv::along(family, curve, "power")[10] == Approx(1 * 2.4e-3 * 1.02));
  CHECK(iv::along(family, curve, "resistance")[10] == Approx(1 / (2.4e-3 * 1.02)));
  CHECK(iv::along(family, curve, "gain")[10] == Approx(120 * 1.02));
  CHECK(iv::along(family, curve, "time")[0] == Approx(51 * 0.02));
  CHECK(iv::along(family, curve, "base current")[10] == Approx(20e-6));
  // In the straight part the slope is that of the line, dynamic resistance its inverse.
  CHECK(iv::along(family, curve, "slope")[30] == Approx(2.4e-3 / 50).epsilon(1e-9));
  CHECK(iv::along(family, curve, "dynamic")[30] == Approx(50 / 2.4e-3).epsilon(1e-9));
  CHECK(iv::along(family, curve, "efficiency")[30] == Approx(1 / 53.0).epsilon(1e-9));
  // No resistance where no current flows.
  CHECK(std::isnan(iv::along(family, curve, "resistance")[0]));
  // A formula over what was read, and what is none.
  CHECK(iv::along(family, curve, "i/base_current")[10] == Approx(120 * 1.02));
  CHECK(iv::along(family, curve, "1000*p + step")[10] == Approx(1000 * 2.448e-3 + 20e-6));
  CHECK(finite(iv::along(family, curve, "sqrt(0 - 1 - v)")).empty());
  CHECK(finite(iv::along(family, curve, "nothing*2")).empty());
  CHECK(iv::axis_quantity(family, "gain")->unit == "1");
  CHECK(iv::axis_quantity(family, "v*i"));
  CHECK_FALSE(iv::axis_quantity(family, "v*("));
  CHECK_FALSE(iv::axis_quantity(family, "drain_current"));
  // A table knows neither time nor what other sources read.
  iv::Family table = family;
  table.measured = false;
  const auto offered = iv::axis_quantities(table);
  CHECK(std::none_of(offered.begin(), offered.end(), [](const auto& q) { return q.key == "time"; }));
}

TEST_CASE("a loop's slope is that of each way by itself", "[iv][views]") {
  iv::Family family;
  iv::Curve curve;
  for (int k = 0; k <= 20; ++k) curve.points.push_back({.index = k, .voltage = 0.1 * k, .current = 1e-3 * k});
  for (int k = 20; k >= 0; --k)
    curve.points.push_back({.index = 41 - k, .voltage = 0.1 * k, .current = 3e-3 * k - 40e-3});
  family.curves = {curve};
  const auto slope = iv::along(family, family.curves[0], "slope");
  CHECK(slope[5] == Approx(10e-3));
  CHECK(slope[35] == Approx(30e-3));
}

TEST_CASE("the lines behind figures rest on the points that the figures use", "[iv][views]") {
  const auto family = transistor();
  const auto lines = iv::fits_of(family, {});
  REQUIRE(lines.size() == 3);
  for (const auto& line : lines) {
    CHECK(line.from == Approx(2.5));
    CHECK(line.to == Approx(5));
    // Through the saturated part they meet zero at minus the Early voltage.
    const auto [v0, i0] = line.line.front();
    const auto [v1, i1] = line.line.back();
    CHECK(v0 - i0 * (v1 - v0) / (i1 - i0) == Approx(-50).epsilon(1e-6));
    CHECK(line.words.find("residual") != std::string::npos);
  }
  iv::Family junction;
  iv::Curve curve;
  constexpr double kVt = 1.380649e-23 * 300.15 / 1.602176634e-19;
  for (int k = 0; k <= 60; ++k) {
    const double i = 1e-9 * std::pow(10, k / 10.0);
    curve.points.push_back({.index = k, .voltage = 1.3 * kVt * std::log1p(i / 4e-14) + 0.8 * i, .current = i});
  }
  junction.curves = {curve};
  const auto one = iv::fits_of(junction, {});
  REQUIRE(one.size() == 1);
  for (const auto& [v, i] : one[0].line) CHECK(v == Approx(1.3 * kVt * std::log1p(i / 4e-14) + 0.8 * i).epsilon(1e-4));
  // A transfer curve has its tangent: of a square law from 1 V on at the end, meeting zero half way.
  iv::Family transfer;
  iv::Curve square;
  for (int k = 0; k <= 40; ++k) {
    const double v = 0.05 * k, over = std::max(0.0, v - 1);
    square.points.push_back({.index = k, .voltage = v, .current = 2e-3 * over * over});
  }
  transfer.curves = {square};
  const auto tangent = iv::fits_of(transfer, {.axis = iv::Axis::transfer});
  REQUIRE(tangent.size() == 1);
  CHECK(tangent[0].line.front().first == Approx(1.5).epsilon(1e-3));
  CHECK(tangent[0].line.front().second == Approx(0).margin(1e-15));
  CHECK(iv::fits_of({}, {}).empty());
}

TEST_CASE("a family is held against another by step and voltage", "[iv][views]") {
  const auto wake = transistor();
  auto family = wake;
  for (auto& curve : family.curves)
    for (auto& p : curve.points) p.current *= 1.03;
  family.curves[2].step = 35e-6;
  const auto apart = iv::against(family, wake);
  // The curve of another step has nothing to be compared with.
  REQUIRE(apart.curves.size() == 2);
  for (const auto& p : apart.curves[0].points) CHECK(p.current == Approx(3).epsilon(1e-6));
  // At 0 V nothing flows in either.
  CHECK(apart.curves[0].points.size() == 50);
  CHECK(iv::against(family, {}).curves.empty());
}

TEST_CASE("points of a datasheet are claims and come back from them", "[iv][views]") {
  using iv::PointOf;
  const auto claim = iv::claim_of({PointOf::current, "3 V", "10 mA", "2 mA", "2.7 mA", "4 mA"});
  REQUIRE(claim);
  CHECK(claim->figure == "current@3 V,10 mA");
  CHECK(claim->lower == "2 mA");
  CHECK(claim->typical == "2.7 mA");
  CHECK(claim->text.find("2 mA to 4 mA") != std::string::npos);
  const auto point = iv::point_of(*claim);
  REQUIRE(point);
  CHECK(point->step == "10 mA");
  CHECK(point->typical == "2.7 mA");
  CHECK(iv::claim_of({PointOf::gain, "5 V", "1 mA", "0.2", "", ""})->figure == "gain.current@5 V,1 mA");
  CHECK(iv::claim_of({PointOf::voltage, "10 mA", "", "", "", "650 mV"})->upper == "650 mV");
  // Refused, each with a reason.
  CHECK_FALSE(iv::claim_of({PointOf::current, "", "", "1 mA", "", ""}));
  CHECK_FALSE(iv::claim_of({PointOf::current, "3 A", "", "1 mA", "", ""}));
  CHECK_FALSE(iv::claim_of({PointOf::current, "3 V", "", "", "2 mA", ""}));
  CHECK_FALSE(iv::claim_of({PointOf::current, "3 V", "", "5 mA", "", "1 mA"}));
  CHECK_FALSE(iv::claim_of({PointOf::current, "3 V", "", "5 V", "", ""}));
  CHECK_FALSE(iv::claim_of({PointOf::gain, "3 V", "", "100", "", ""}));
  CHECK_FALSE(iv::point_of({.figure = "pv.voc", .lower = "1 V"}));
  CHECK_FALSE(iv::point_of({.figure = "current@1 V", .expected = "R1"}));
  const auto rows =
      iv::points_from_text(PointOf::current, "3 V\t5 mA\t0.9 mA\t1.3 mA\t1.8 mA\n\n5 V\t5 mA\t1 mA\t\t2 mA\n");
  REQUIRE(rows);
  CHECK(rows->size() == 2);
  CHECK((*rows)[1].typical.empty());
  CHECK(iv::points_from_text(PointOf::voltage, "10 mA | 500 mV | 600 mV | 700 mV")->front().step.empty());
  const auto bad = iv::points_from_text(PointOf::current, "3 V\t5 mA\t0.9 mA\t1.3 mA\t1.8 mA\n3 V\t5\n");
  REQUIRE_FALSE(bad);
  CHECK(bad.error().message.find("Row 2") != std::string::npos);
  CHECK_FALSE(iv::points_from_text(PointOf::current, " \n"));
}

TEST_CASE("a mask is held against every curve of a family, and the worst is told", "[iv][views]") {
  const auto columns = iv::as_columns(transistor());
  REQUIRE(columns.columns.size() == 3);
  const judge::Mask all{.curve = "current", .upper = {{1, 4e-3}, {4, 4e-3}}, .lower = {}},
      first{.curve = "current at 10 \u00b5A", .upper = {{1, 4e-3}, {4, 4e-3}}, .lower = {}};
  const auto worst = judge::judge(all, columns);
  REQUIRE(worst.margin);
  CHECK(*worst.margin == Approx(4e-3 - 3.6e-3 * (1 + 4.0 / 50)));
  CHECK(worst.on == "current at 30 \u00b5A");
  CHECK(*worst.at == Approx(4));
  CHECK(*judge::judge(first, columns).margin == Approx(4e-3 - 1.2e-3 * (1 + 4.0 / 50)));
  // A curve that ends before leaves all undecided.
  auto family = transistor();
  family.curves[0].points.resize(20);
  const auto undecided = judge::judge(all, iv::as_columns(family));
  CHECK(undecided.verdict == judge::Verdict::not_measured);
  CHECK(undecided.reason.find("10 \u00b5A") != std::string::npos);
  CHECK(judge::judge({.curve = "phase", .upper = {{1, 1}, {2, 1}}}, columns).verdict == judge::Verdict::not_measured);
}

TEST_CASE("curves side by side and one under another are read alike, and what is written comes back",
          "[iv][exchange]") {
  test::Folder folder;
  const auto read = [&](const std::string& text) -> Result<iv::Family> {
    const auto path = folder.file("curves.csv");
    REQUIRE(exchange::write_file(path, text));
    const auto curves = exchange::read_curves(path, iv::kind());
    if (!curves) return tl::unexpected(curves.error());
    REQUIRE(curves->size() == 1);
    return iv::reduce_take({{.setting = nlohmann::json::object(), .records = {curves->front().record}}});
  };
  const auto common = read("voltage (V),current at 5 mA (mA),current at 10 mA (mA)\n0,0,0\n1,1,2\n2,1.1,2.2\n3,,2.3\n");
  if (!common) FAIL(common.error().message);
  REQUIRE(common->curves.size() == 2);
  CHECK(*common->curves[0].step == Approx(5e-3));
  CHECK(common->step_unit == "A");
  CHECK(common->curves[0].points.size() == 3);
  CHECK(common->curves[1].points.back().current == Approx(2.3e-3));
  const auto own = read(
      "voltage at 1.2 V (V);current at 1.2 V (A);voltage at 1.4 V (V);current at 1.4 V "
      "(A)\n0;0;0;0\n1;0,5;1,1;0,8\n2;0,6;2,1;0,9\n");
  if (!own) FAIL(own.error().message);
  CHECK(own->curves[1].points[1].voltage == Approx(1.1));
  CHECK(*own->curves[1].step == Approx(1.4));
  const auto stepped = read("voltage (V),current (A),step\n0,0,1\n1,1,1\n0,0,2\n1,2,2\n");
  REQUIRE(stepped);
  CHECK(stepped->curves.size() == 2);
  // Every form that is written is read back.
  const auto family = transistor();
  const auto back = read(exchange::curve_csv(iv::as_columns(family)));
  if (!back) FAIL(back.error().message);
  REQUIRE(back->curves.size() == 3);
  CHECK(*back->curves[2].step == Approx(30e-6));
  CHECK(back->curves[2].points[40].current == Approx(family.curves[2].points[40].current));
  const auto longer = read(exchange::record_csv(iv::as_table(family)));
  if (!longer) FAIL(longer.error().message);
  CHECK(longer->curves.size() == 3);
  CHECK(longer->size() == family.size());
  // Without a step, a voltage that leaps back begins another curve; one that goes back is the same one's loop.
  const auto count = [&](const std::string& text) {
    REQUIRE(exchange::write_file(folder.file("several.csv"), text));
    return exchange::read_curves(folder.file("several.csv"), iv::kind())->size();
  };
  CHECK(count("voltage (V),current (A)\n0,0\n1,1\n2,2\n3,3\n0,0\n1,2\n2,4\n3,6\n") == 2);
  CHECK(count("voltage (V),current (A)\n0,0\n1,1\n2,2\n3,3\n2,2.1\n1,1.1\n0,0.1\n") == 1);
  CHECK(count("voltage (V),current (A),step\n0,0,5\n1,1,5\n2,2,5\n0,0,5\n1,2,5\n2,4,5\n") == 1);
  // Bad input, told where.
  for (const char* bad :
       {"voltage (V),current at never (A)\n0,0\n1,1\n2,2\n", "current at 5 mA (A),other\n0,0\n1,1\n2,2\n",
        "voltage (A),current (A)\n0,0\n1,1\n", "voltage (V),current at 1 V (A),current at 2 V (mA)\n0,0,0\n1,1,1\n",
        "voltage (V),current (A),step\n0,0,1\n1,x,1\n", "voltage (V),current (A)\n0,nan\n1,1\n"})
    CHECK_FALSE(read(bad));
}

TEST_CASE("doubts after a take name what to do", "[iv][views]") {
  auto family = transistor();
  for (auto& curve : family.curves)
    for (auto& p : curve.points) {
      p.u_current = iv::Doubtful{1e-9, 1e-8};
      p.u_voltage = iv::Doubtful{1e-6, 1e-6};
      p.u_moved = 2e-9;
    }
  CHECK(iv::find_doubts(family, {}).empty());
  SECTION("a current that still moves") {
    family.delay = 1e-3;
    for (int k = 10; k < 20; ++k) family.curves[0].points[std::size_t(k)].moved = -50e-6;
    const auto doubts = iv::find_doubts(family, {});
    REQUIRE(has_doubt(doubts, "settling.short", Severity::caution));
    CHECK(doubts[0].edits == Edits{{"delay", "5 ms"}});
    // Within its noise it stands still, and one point is an accident.
    for (int k = 10; k < 20; ++k) family.curves[0].points[std::size_t(k)].moved = k == 10 ? -50e-6 : 5e-9;
    CHECK_FALSE(has_doubt(iv::find_doubts(family, {}), "settling.short"));
  }
  SECTION("a fixed range far too large, and one the bench found") {
    family.ranges = {{"collector", "A", 1, 4e-3, true, "source.collector.range"}, {"base", "A", 1, 30e-6, false, ""}};
    const auto doubts = iv::find_doubts(family, {});
    REQUIRE(doubts.size() == 1);
    CHECK(doubts[0].key == "range.underused");
    CHECK(doubts[0].edits == Edits{{"source.collector.range", "automatic"}});
  }
  SECTION("a rating neared and one passed") {
    family.ratings = {{"collector", "V", 6, 5}};
    CHECK(has_doubt(iv::find_doubts(family, {}), "rating.near", Severity::caution));
    family.ratings = {{"collector", "W", 15e-3, 19e-3}};
    CHECK(has_doubt(iv::find_doubts(family, {}), "rating.near", Severity::serious));
    family.ratings = {{"collector", "V", 20, 5}};
    CHECK(iv::find_doubts(family, {}).empty());
  }
  SECTION("currents that the range's offset may be") {
    for (int k = 20; k < 30; ++k) family.curves[0].points[std::size_t(k)].current = 5e-9;
    CHECK(has_doubt(iv::find_doubts(family, {}), "offset.uncorrected", Severity::note));
    CHECK(has_doubt(iv::find_doubts(family, {.axis = iv::Axis::transfer}), "offset.uncorrected", Severity::caution));
  }
}

TEST_CASE("what lies outside the ends is left out, and nothing left is said", "[iv][views]") {
  const auto family = transistor();
  iv::Settings settings;
  settings.from = 1;
  settings.to = 2;
  const auto part = iv::within(family, settings);
  REQUIRE(part);
  CHECK(part->curves.size() == 3);
  CHECK(part->curves[0].points.size() == 11);
  settings.from = 7;
  settings.to = 8;
  const auto none = iv::within(family, settings);
  REQUIRE_FALSE(none);
  CHECK(none.error().message.find("from") != std::string::npos);
}

TEST_CASE("cursors read current, slope, power and gain of a curve, and what lies between them", "[iv][views]") {
  const auto family = transistor();
  const auto a = iv::read_at(family, family.curves[1], 2.05), b = iv::read_at(family, family.curves[1], 4.05);
  REQUIRE(a);
  REQUIRE(b);
  CHECK(a->current == Approx(2.4e-3 * (1 + 2.05 / 50)));
  CHECK(a->power == Approx(2.05 * a->current));
  CHECK(*a->conductance == Approx(2.4e-3 / 50).epsilon(1e-6));
  CHECK(*a->gain == Approx(120 * (1 + 2.05 / 50)));
  const auto apart = iv::between(*a, *b);
  CHECK(apart.voltage == Approx(2));
  CHECK(apart.current == Approx(2.4e-3 * 2 / 50));
  CHECK(*apart.resistance == Approx(50 / 2.4e-3));
  CHECK_FALSE(iv::between(*a, *a).resistance);
  CHECK_FALSE(iv::read_at(family, family.curves[1], 5.5));
  auto by_voltage = family;
  by_voltage.step_unit = "V";
  CHECK_FALSE(iv::read_at(by_voltage, by_voltage.curves[1], 2)->gain);
}
