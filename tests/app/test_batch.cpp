#include <catch2/catch.hpp>

#include "app/batch_page.h"
#include "driver.h"

using namespace heron;
using drive::OpenWindow;

namespace batch_window {
namespace {

/// On the page, with nothing ticked.
app::BatchPage* page_of(OpenWindow& open) {
  QTest::keyClick(&open.window, Qt::Key_V);
  if (!drive::until([&] { return drive::button(open.window, "Run all") != nullptr; })) return nullptr;
  drive::click(drive::button(open.window, "Run all"));
  app::BatchPage* page = nullptr;
  if (!drive::until([&] { return (page = open.window.findChild<app::BatchPage*>()) != nullptr && page->isVisible(); })) return nullptr;
  drive::click(drive::button(open.window, "Tick none"));
  return page;
}

QTableWidget* table(OpenWindow& open) { return drive::control<QTableWidget>(open.window, "Takes to be made"); }

int row_of(OpenWindow& open, const QString& study) {
  for (int r = 0; r < table(open)->rowCount(); ++r)
    if (table(open)->verticalHeaderItem(r)->text().startsWith(study + "   ")) return r;
  return -1;
}
int column_of(OpenWindow& open, const QString& unit) {
  for (int c = 0; c < table(open)->columnCount(); ++c)
    if (table(open)->horizontalHeaderItem(c)->text() == unit) return c;
  return -1;
}
QString cell(OpenWindow& open, const QString& study, const QString& unit) { return table(open)->item(row_of(open, study), column_of(open, unit))->text(); }

void tick(OpenWindow& open, const QString& study, const QString& unit) {
  auto* all = table(open);
  const auto* item = all->item(row_of(open, study), column_of(open, unit));
  all->scrollToItem(item);
  QTest::mouseClick(all->viewport(), Qt::LeftButton, {}, all->visualItemRect(item).center());
}

QString said(OpenWindow& open) {
  const auto* label = drive::control<QLabel>(open.window, "What is to be done");
  return label ? label->text() : QString();
}

}  // namespace

TEST_CASE("ticked takes are made unit after unit, each unit once it is on the bench", "[app][batch]") {
  OpenWindow open;
  REQUIRE(page_of(open));
  CHECK(said(open).contains("Nothing is ticked"));
  QTest::keyClick(&open.window, Qt::Key_Space);
  const auto* why = drive::control<QLabel>(open.window, "Why not");
  REQUIRE(why);
  CHECK(why->text() == "Nothing is ticked.");
  for (const char* unit : {"unit 03", "unit 09"})
    for (const char* study : {"Regulator loop", "Preamp step"}) tick(open, study, unit);
  tick(open, "Thermistor", "unit 09");
  tick(open, "Thermistor", "unit 09");
  CHECK(said(open).startsWith("4 takes on 2 units"));
  CHECK(cell(open, "Regulator loop", "unit 03") == "to take");
  QTest::keyClick(&open.window, Qt::Key_Space);
  CHECK(said(open) == "Put unit 03 on the bench, then Space.");
  CHECK(cell(open, "Preamp step", "unit 09") == "waiting");
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return said(open) == "Put unit 09 on the bench, then Space."; }));
  CHECK(open.desk().document.device(dossier::kMainAssembly)->unit.name == "unit 03");
  CHECK(cell(open, "Preamp step", "unit 03").startsWith("take "));
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return said(open).startsWith("All 4 takes are made."); }));
  for (const auto& item : open.desk().batch.items()) {
    CHECK(item.state == dossier::QueueState::done);
    REQUIRE(item.take);
    const auto* take = open.desk().document.take(item.study, *item.take);
    REQUIRE(take);
    CHECK(take->unit == (item.unit == open.desk().batch.items().back().unit ? "unit 09" : "unit 03"));
    CHECK_FALSE(take->incomplete());
  }
  // A take that was made is looked at by a double click.
  tick(open, "Regulator loop", "unit 09");
  auto* all = table(open);
  const auto* item = all->item(row_of(open, "Regulator loop"), column_of(open, "unit 09"));
  QTest::mouseDClick(all->viewport(), Qt::LeftButton, {}, all->visualItemRect(item).center());
  CHECK(drive::until([&] { return open.window.page().isVisible() && open.desk().focus.study()->name == "Regulator loop"; }));
}

TEST_CASE("what is stopped, or was left by a program that died, is gone on with where it was", "[app][batch]") {
  OpenWindow open;
  REQUIRE(page_of(open));
  for (const char* unit : {"unit 01", "unit 05"}) tick(open, "Regulator loop", unit);
  QTest::keyClick(&open.window, Qt::Key_Space);
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return said(open) == "Put unit 05 on the bench, then Space."; }));
  QTest::keyClick(&open.window, Qt::Key_Escape);
  CHECK(said(open).startsWith("1 of 2 takes are still to be made"));
  // As if the program had died in the middle of the second.
  auto items = open.desk().batch.items();
  REQUIRE(items.size() == 2);
  items[1].state = dossier::QueueState::running;
  REQUIRE(open.desk().document.set_queue_item(items[1]).isEmpty());
  REQUIRE(open.window.open(open.demo.path()));
  REQUIRE(drive::until([&] { return drive::control<QComboBox>(open.window, "Unit on the bench") != nullptr; }));
  CHECK(said(open).startsWith("1 of 2 takes are still to be made"));
  auto* unit = drive::control<QComboBox>(open.window, "Unit on the bench");
  // Another unit than the next one stands there: it is asked for.
  unit->setCurrentText("unit 07");
  QTest::keyClick(&open.window, Qt::Key_Space);
  CHECK(said(open) == "Put unit 05 on the bench, then Space.");
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return said(open).startsWith("All 2 takes are made."); }));
  drive::click(drive::button(open.window, "Put away"));
  CHECK(open.desk().batch.items().empty());
  CHECK(open.desk().document.queue().empty());
}

TEST_CASE("what cannot be made is told and the rest goes on, what can harm is armed by hand, a unit is left out", "[app][batch]") {
  OpenWindow open;
  // A study about an assembly without a circuit cannot be taken.
  {
    auto store = dossier::Store::open(open.demo.path().toStdString());
    REQUIRE(store);
    const auto empty = store->add_assembly("an empty box", "");
    REQUIRE(empty);
    auto study = *store->find_study("Regulator loop");
    study.name = "Boxed";
    study.assembly = *empty;
    REQUIRE(store->add_study(study));
  }
  REQUIRE(open.window.open(open.demo.path()));
  REQUIRE(drive::until([&] { return drive::button(open.window, "Run all") != nullptr; }));
  drive::click(drive::button(open.window, "Run all"));
  REQUIRE(drive::until([&] { return drive::button(open.window, "Tick none") != nullptr; }));
  drive::click(drive::button(open.window, "Tick none"));
  tick(open, "Boxed", "unit 03");
  tick(open, "Thruster half-bridge", "unit 03");
  tick(open, "Regulator loop", "unit 03");
  tick(open, "Regulator loop", "unit 09");
  QTest::keyClick(&open.window, Qt::Key_Space);
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return said(open).contains("Thruster half-bridge on unit 03 arms "); }));
  CHECK_FALSE(open.desk().runner.running());
  QTest::keyClick(&open.window, Qt::Key_Space);
  CHECK(said(open).startsWith("Armed for Thruster half-bridge on unit 03."));
  CHECK_FALSE(open.desk().runner.running());
  // Any other key begins again.
  QTest::keyClick(&open.window, Qt::Key_Right);
  CHECK(said(open).contains("Thruster half-bridge on unit 03 arms "));
  QTest::keyClick(&open.window, Qt::Key_Space);
  CHECK(said(open).startsWith("Armed for "));
  QTest::keyClick(&open.window, Qt::Key_S);
  REQUIRE(drive::until([&] { return said(open) == "Put unit 09 on the bench, then Space."; }));
  QTest::keyClick(&open.window, Qt::Key_S);
  CHECK(said(open).startsWith("1 of 4 takes are made; 3 could not be"));
  CHECK(cell(open, "Boxed", "unit 03") == "not made");
  CHECK(table(open)->item(row_of(open, "Boxed"), column_of(open, "unit 03"))->toolTip().contains("circuit"));
  CHECK(cell(open, "Regulator loop", "unit 03").startsWith("take "));
  CHECK(table(open)->item(row_of(open, "Regulator loop"), column_of(open, "unit 09"))->toolTip() == "left out");
}

}  // namespace batch_window
