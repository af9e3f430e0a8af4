#include <catch2/catch.hpp>
#include <cmath>

#include "judge/statistics.h"
#include "made_demo.h"
#include "run/overview.h"
#include "run/units.h"
#include "support.h"

using namespace heron;

namespace overviews {
namespace {

run::OverviewCell cell(judge::Verdict verdict, double value, double margin, double u) {
  run::OverviewCell out;
  out.judgement.verdict = verdict;
  out.judgement.value = value;
  out.judgement.margin = margin;
  out.judgement.u = u;
  out.judgement.upper = value + margin;
  return out;
}

}  // namespace

TEST_CASE("what units come to: mean, sigma, extremes and the share that a normal distribution leaves outside", "[judge][statistics]") {
  const auto s = judge::statistics({9, 10, 11}, 8, 12);
  CHECK(s.count == 3);
  CHECK(s.mean == Approx(10));
  REQUIRE(s.sigma);
  CHECK(*s.sigma == Approx(1));
  CHECK(s.lowest == 9);
  CHECK(s.highest == 11);
  // Two sigma to either side: 4.550026 %.
  REQUIRE(s.outside);
  CHECK(*s.outside == Approx(0.04550026).epsilon(1e-6));
  CHECK(*judge::statistics({9, 10, 11}, {}, 11).outside == Approx(0.15865525).epsilon(1e-6));
  CHECK(*judge::statistics({9, 10, 11}, 10, {}).outside == Approx(0.5));
  CHECK(!judge::statistics({9, 10, 11}, {}, {}).outside);
  const auto one = judge::statistics({5}, 4, 6);
  CHECK(!one.sigma);
  CHECK(!one.outside);
  CHECK(!judge::statistics({5, 5, 5}, 4, 6).outside);
}

TEST_CASE("a histogram counts every value once, the extremes too", "[judge][statistics]") {
  // Eight values: four bins, of 1 to 3 and so on; 9 is the last one's upper edge.
  const auto h = judge::histogram({1, 1.5, 2, 3.5, 5.5, 6, 8, 9});
  CHECK(h.from == 1);
  CHECK(h.width == Approx(2));
  CHECK(h.counts == std::vector<int>{3, 1, 2, 2});
  CHECK(judge::histogram({}).counts.empty());
  CHECK(judge::histogram({4}).counts.empty());
  CHECK(judge::histogram({4, 4, 4}).counts.empty());
  CHECK(judge::histogram({-1.7e308, 1.7e308}).counts.empty());
}

TEST_CASE("a margin counts against its uncertainty, and all of it is told in a sentence", "[overview]") {
  using judge::Verdict;
  run::Overview all{.units = {"unit 01", "unit 02"}};
  CHECK(run::sentence(all) == "Nothing is claimed yet.");
  run::OverviewRow gain{.study = 1, .study_name = "Preamp", .text = "Gain at most 26 dB", .figure = "gain@1kHz"};
  gain.cells = {cell(Verdict::meets, 25, 1, 0.1), cell(Verdict::too_close, 25.9, 0.1, 0.1)};
  run::OverviewRow corner{.study = 1, .study_name = "Preamp", .text = "Corner", .figure = "corner.high"};
  corner.cells = {cell(Verdict::fails, 10, -3, 0.5), std::nullopt};
  all.rows = {gain, corner};
  CHECK(*run::urgency(gain.cells[0]->judgement) == Approx(5));
  CHECK(*run::urgency(corner.cells[0]->judgement) == Approx(-3));
  CHECK(*run::urgency(cell(Verdict::fails, 1, -1, 0).judgement) == -INFINITY);
  CHECK(!run::urgency(judge::Judgement{}));
  const auto t = run::tally(all);
  CHECK(t.meets == 1);
  CHECK(t.fails == 1);
  CHECK(t.too_close == 1);
  CHECK(t.all() == 3);
  CHECK(run::sentence(all) == "2 claims on 2 units: 1 meets, 1 fails, 1 too close. The worst: Preamp, Corner, unit 01.");
  const auto s = run::statistics_of(gain);
  REQUIRE(s);
  CHECK(s->count == 2);
  CHECK(s->mean == Approx(25.45));
  CHECK(!run::statistics_of({.cells = {std::nullopt}}));
}

TEST_CASE("the overview of the demo has every claim on every unit that took it", "[overview][demo]") {
  const auto made = test::made_demo();
  REQUIRE_FALSE(made.empty());
  auto store = dossier::Store::open_again(made + "/mudlark_buoy.heron");
  REQUIRE(store);
  const auto all = run::overview(*store);
  REQUIRE(all);
  CHECK(all->units == std::vector<std::string>{"unit 01", "unit 03", "unit 05", "unit 07", "unit 09"});
  CHECK(all->rows.size() == 99);
  for (const auto& row : all->rows) CHECK(row.cells.size() == 5);
  const auto it = std::find_if(all->rows.begin(), all->rows.end(), [](const auto& r) { return r.study_name == "Thruster half-bridge"; });
  REQUIRE(it != all->rows.end());
  CHECK(!it->cells[0]);
  REQUIRE(it->cells[1]);
  REQUIRE(it->cells[3]);
  CHECK(it->cells[1]->judgement.verdict == judge::Verdict::fails);
  CHECK(it->cells[3]->judgement.verdict == judge::Verdict::meets);
  CHECK(!it->cells[1]->doubts.empty());
}

TEST_CASE("units are named one by one or by a range", "[units]") {
  using run::unit_names;
  CHECK(*unit_names(" unit 08 ", {}) == std::vector<std::string>{"unit 08"});
  CHECK(*unit_names("unit 08 to unit 11", {}) == std::vector<std::string>{"unit 08", "unit 09", "unit 10", "unit 11"});
  CHECK(*unit_names("A9 to 11", {}) == std::vector<std::string>{"A9", "A10", "A11"});
  CHECK(unit_names("unit 01 to unit 40", {})->size() == 40);
  // What is no range is a name.
  CHECK(*unit_names("board to scrap", {}) == std::vector<std::string>{"board to scrap"});
  CHECK(*unit_names("left 1 to right 3", {}) == std::vector<std::string>{"left 1 to right 3"});
  for (const char* wrong : {"", "  ", "unit 9 to unit 3", "u1 to u5000"}) CHECK(!unit_names(wrong, {}));
  CHECK(unit_names("unit 08 to unit 11", {"unit 10"}).error().message.find("unit 10 already") != std::string::npos);
}

}  // namespace overviews

namespace overviews {

TEST_CASE("cells are held against another unit, or against what there was before a day", "[overview]") {
  using judge::Verdict;
  run::OverviewRow gain{.study = 1, .study_name = "Preamp", .text = "Gain", .figure = "gain@1kHz"};
  gain.cells = {cell(Verdict::meets, 25, 1, 0.1), cell(Verdict::fails, 27, -1, 0.1), std::nullopt};
  gain.cells[0]->take = 5;
  gain.cells[1]->take = 6;
  run::Overview now{.units = {"unit 01", "unit 02", "unit 03"}, .rows = {gain}};
  run::hold_against(now, 0);
  CHECK_FALSE(now.rows[0].cells[0]->other);
  REQUIRE(now.rows[0].cells[1]->other);
  CHECK(now.rows[0].cells[1]->other->of == "unit 01");
  CHECK(now.rows[0].cells[1]->changed());
  CHECK(run::changed(now.rows[0]));
  auto narrow = now;
  run::keep_unit(narrow, "unit 02");
  CHECK(narrow.units == std::vector<std::string>{"unit 02"});
  REQUIRE(narrow.rows[0].cells.size() == 1);
  CHECK(narrow.rows[0].cells[0]->changed());
  run::keep_unit(narrow, "unit 77");
  CHECK(narrow.rows[0].cells.empty());
  // A unit without a take of it, or one that is gone, says nothing.
  run::hold_against(now, 2);
  CHECK_FALSE(run::changed(now.rows[0]));
  run::hold_against(now, 9);
  CHECK_FALSE(run::changed(now.rows[0]));

  // Earlier, with the units in another order: the first had another take that failed, the second the same take.
  run::Overview earlier{.units = {"unit 02", "unit 01"}, .rows = {gain}};
  earlier.rows[0].cells = {gain.cells[1], cell(Verdict::fails, 30, -4, 0.1)};
  earlier.rows[0].cells[1]->take = 2;
  earlier.rows[0].cells[1]->number = 1;
  earlier.rows[0].cells[1]->started = "2026-11-20T08:00:00Z";
  run::hold_against(now, earlier);
  REQUIRE(now.rows[0].cells[0]->other);
  CHECK(now.rows[0].cells[0]->other->of == "take 1, 2026-11-20");
  CHECK(now.rows[0].cells[0]->changed());
  CHECK_FALSE(now.rows[0].cells[1]->other);
  earlier.rows[0].text = "Another claim";
  run::hold_against(now, earlier);
  CHECK_FALSE(run::changed(now.rows[0]));
}

}  // namespace overviews

namespace overviews {

TEST_CASE("columns are units, one unit, or takes with the newest first", "[overview][demo]") {
  const auto made = test::made_demo();
  REQUIRE_FALSE(made.empty());
  // What is read of older takes is kept: in a copy.
  const test::Folder folder;
  std::filesystem::copy_file(made + "/mudlark_buoy.heron", folder.file("demo.heron"));
  auto store = dossier::Store::open_again(folder.file("demo.heron"));
  REQUIRE(store);
  const auto one = run::overview(*store, {.unit = "unit 03"});
  REQUIRE(one);
  CHECK(one->units == std::vector<std::string>{"unit 03"});
  for (const auto& row : one->rows)
    for (const auto& c : row.cells)
      if (c) CHECK(c->unit == "unit 03");
  const auto takes = run::overview(*store, {.read = true, .across_takes = true});
  REQUIRE(takes);
  REQUIRE(takes->units.size() >= 5);
  CHECK(takes->units[0] == "newest");
  CHECK(takes->units[2] == "2 before");
  std::size_t cells = 0;
  for (const auto& row : takes->rows) {
    REQUIRE(row.cells.size() == takes->units.size());
    const run::OverviewCell* before = nullptr;
    for (const auto& c : row.cells) {
      if (!c) continue;
      ++cells;
      // Each is older than the one to its left.
      if (before) CHECK((c->started < before->started || (c->started == before->started && c->number < before->number)));
      before = &*c;
    }
  }
  std::size_t all = 0;
  const auto studies = *store->studies();
  for (const auto& study : studies) {
    const auto of = *store->takes(study.id);
    all += std::size_t(std::count_if(of.begin(), of.end(), [](const auto& take) { return take.judges(); })) * (store->claims(study.id)->size() + store->masks(study.id)->size());
  }
  CHECK(cells == all);
  CHECK(run::sentence(*takes).find(" on 5 units: ") != std::string::npos);
  const auto none = run::overview(*store, {.before = "2001-01-01"});
  REQUIRE(none);
  CHECK(run::tally(*none).all() == 0);
  CHECK_FALSE(none->days.empty());
}

}  // namespace overviews
