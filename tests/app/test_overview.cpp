#include <catch2/catch.hpp>
#include <set>

#include "app/overview_page.h"
#include "driver.h"

using namespace heron;
using drive::OpenWindow;

namespace overview_window {
namespace {

app::OverviewPage* overview(OpenWindow& open) {
  QTest::keyClick(&open.window, Qt::Key_V);
  app::OverviewPage* page = nullptr;
  drive::until([&] { return (page = open.window.findChild<app::OverviewPage*>()) != nullptr && page->isVisible() && page->overview() && page->overview()->unread == 0; }, 60000);
  return page;
}
int claims(const app::OverviewPage& page) {
  int out = 0;
  for (const auto& line : page.grid()->lines()) out += line.row >= 0;
  return out;
}

}  // namespace

TEST_CASE("the overview lists every claim on every unit, Enter goes to the study at that take", "[app][overview]") {
  OpenWindow open;
  auto* page = overview(open);
  REQUIRE(page);
  CHECK(page->said().startsWith("99 claims on 5 units:"));
  CHECK(claims(*page) == 99);
  auto* grid = page->grid();
  grid->setFocus();
  // Down skips headings; the unit moves to the side.
  QTest::keyClick(grid, Qt::Key_Home);
  CHECK(grid->chosen_row() == 0);
  QTest::keyClick(grid, Qt::Key_Down);
  CHECK(grid->chosen_row() == 1);
  for (std::size_t k = 0; k < page->overview()->units.size(); ++k) QTest::keyClick(grid, Qt::Key_Left);
  QTest::keyClick(grid, Qt::Key_Right);
  CHECK(grid->chosen_unit() == 1);
  CHECK(drive::until([&] { return drive::control<QLabel>(open.window, "What the units come to") && drive::control<QLabel>(open.window, "What the units come to")->text().startsWith("2 units: mean"); }));
  QTest::keyClick(grid, Qt::Key_Return);
  REQUIRE(drive::until([&] { return open.window.page().isVisible() && !page->isVisible(); }));
  CHECK(open.desk().focus.study()->name == "Preamp passband");
  CHECK(drive::until([&] { return open.desk().readings.shown() && open.desk().readings.shown()->take.unit == "unit 03"; }));
  CHECK(open.desk().look.figure() == "corner.high");
  // The claim that the study page showed is the one that is chosen there.
  QTest::keyClick(&open.window, Qt::Key_V);
  REQUIRE(drive::until([&] { return page->isVisible() && grid->chosen_row() >= 0 && page->overview()->rows[std::size_t(grid->chosen_row())].figure == "corner.high"; }));
  CHECK(grid->chosen_unit() == 1);
  QTest::keyClick(&open.window, Qt::Key_V);
  REQUIRE(drive::until([&] { return open.window.page().isVisible(); }));
  // Back and forth by the key; a study of the ledger leaves the overview too.
  QTest::keyClick(&open.window, Qt::Key_V);
  REQUIRE(drive::until([&] { return page->isVisible(); }));
  QWidget* line = nullptr;
  for (auto* widget : open.window.findChildren<QWidget*>())
    if (widget->accessibleName() == "Study: Preamp step" && widget->isVisible()) line = widget;
  REQUIRE(line);
  drive::click(line);
  CHECK(drive::until([&] { return !page->isVisible() && open.desk().focus.study()->name == "Preamp step"; }));
}

TEST_CASE("the overview is filtered by words and verdicts, ordered, folded and copied", "[app][overview]") {
  OpenWindow open;
  auto* page = overview(open);
  REQUIRE(page);
  auto* words = drive::control<QLineEdit>(open.window, "Filter by words");
  REQUIRE(words);
  QTest::mouseClick(words, Qt::LeftButton);
  QTest::keyClicks(words, "switching on");
  CHECK(drive::until([&] { return claims(*page) > 0 && claims(*page) < 8; }));
  words->clear();
  REQUIRE(drive::until([&] { return claims(*page) == 99; }));
  drive::click(drive::button(open.window, "Only"));
  REQUIRE(drive::until([&] { return claims(*page) < 98; }));
  const int failing = claims(*page);
  for (const auto& line : page->grid()->lines()) {
    if (line.row < 0) continue;
    const auto& cells = page->overview()->rows[std::size_t(line.row)].cells;
    CHECK(std::any_of(cells.begin(), cells.end(), [](const auto& c) { return c && c->judgement.verdict == judge::Verdict::fails; }));
  }
  for (const int more : {2, 3, 4}) {
    drive::click(drive::button(open.window, "Only"));
    CHECK(drive::until([&] { return claims(*page) > 0 && claims(*page) < 98; }));
    if (more < 4) continue;
    // The same verdict on all units that were taken: not listed.
    for (const auto& line : page->grid()->lines()) {
      if (line.row < 0) continue;
      std::set<judge::Verdict> verdicts;
      for (const auto& cell : page->overview()->rows[std::size_t(line.row)].cells)
        if (cell) verdicts.insert(cell->judgement.verdict);
      CHECK(verdicts.size() > 1);
    }
  }
  drive::click(drive::button(open.window, "Only"));
  drive::click(drive::button(open.window, "Only"));
  REQUIRE(drive::until([&] { return claims(*page) == failing; }));
  drive::click(drive::button(open.window, "Order"));
  CHECK(drive::until([&] { return page->grid()->lines().front().row >= 0 && claims(*page) == failing; }));
  page->grid()->setFocus();
  QTest::keyClick(page->grid(), Qt::Key_C, Qt::ControlModifier);
  CHECK(QApplication::clipboard()->text().count('\n') == failing + 1);
  drive::click(drive::button(open.window, "Order"));
  drive::click(drive::button(open.window, "Order"));
  REQUIRE(drive::until([&] { return page->grid()->lines().front().row < 0; }));
  // A click on a heading folds what is below it.
  QTest::mouseClick(page->grid()->viewport(), Qt::LeftButton, {}, page->grid()->cell_rect(0, 0).center() - QPoint(200, 0));
  CHECK(drive::until([&] { return claims(*page) < failing; }));
}

TEST_CASE("units are added by a range, and stand in the overview", "[app][overview]") {
  OpenWindow open;
  auto* page = overview(open);
  REQUIRE(page);
  CHECK(open.desk().document.add_unit("unit 10 to unit 12").isEmpty());
  CHECK(open.desk().document.add_unit("unit 11").contains("already"));
  CHECK(drive::until([&] { return page->overview() && page->overview()->units.size() == 8; }));
  CHECK(page->overview()->units.back() == "unit 12");
}

}  // namespace overview_window
