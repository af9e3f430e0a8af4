#include <catch2/catch.hpp>

#include "app/kinds/conversion/efficiency_lens.h"
#include "app/kinds/conversion/map_lens.h"
#include "app/kinds/conversion/plateaus_lens.h"
#include "app/kinds/conversion/readings_table_lens.h"
#include "app/kinds/conversion/regulation_lens.h"
#include "driver.h"

using namespace heron;
using drive::OpenWindow;

namespace conversion_window {

TEST_CASE("efficiency has a curve a line, named at its end, and the loss in its parts on wish", "[app][conversion]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::EfficiencyLens>(open, "Battery converter", "Efficiency");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->names().size() == 10; }));
  CHECK(lens->names().front().startsWith("9"));
  drive::click(drive::button(open.window, "Loss"));
  CHECK(drive::until([&] { return lens->plot()->graphCount() == 10 + 15; }));
  // What the data sheet promises stands beside it as a curve of its own.
  REQUIRE(open.window.desk().document.edit_setting(open.window.desk().focus.study_id(), "expected", "10 mA 60 %, 100mA 88%, 1 A 95 %").isEmpty());
  REQUIRE(drive::until([&] { return lens->names().contains("data sheet"); }));
  // Two clocks: the frequency tells the curves apart, not the one line.
  auto* clocks = drive::look_at<app::EfficiencyLens>(open, "Battery converter at two clocks", "Efficiency");
  REQUIRE(clocks);
  CHECK(drive::until([&] { return clocks->names().size() == 4 && clocks->names().front().contains("kHz"); }));
}

TEST_CASE("the output stands against load or line, the tolerance as forbidden ground", "[app][conversion]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::RegulationLens>(open, "Sensor-rail regulator", "Regulation");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->names().size() == 6; }));
  const auto over_load = lens->plot()->xAxis->label();
  drive::click(drive::button(open.window, "Over"));
  REQUIRE(drive::until([&] { return lens->plot()->xAxis->label() != over_load; }));
  CHECK(lens->names().front().contains("A"));
  // The wheel zooms, Backspace goes back.
  auto* x = lens->plot()->xAxis;
  const auto whole = x->range();
  QWheelEvent wheel(QPointF(300, 200), lens->plot()->mapToGlobal(QPointF(300, 200)), {}, QPoint(0, 240), Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
  QApplication::sendEvent(lens->plot(), &wheel);
  REQUIRE(drive::until([&] { return x->range().size() < 0.99 * whole.size(); }));
  QTest::keyClick(&open.window, Qt::Key_Backspace);
  CHECK(drive::until([&] { return std::abs(x->range().size() / whole.size() - 1) < 1e-6; }));
}

TEST_CASE("the map has a number a cell, and a click opens the point", "[app][conversion]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::MapLens>(open, "Battery converter", "Map");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->cells() == QSize(12, 5); }));
  CHECK(drive::until([&] { return lens->numbers() == 60; }));
  CHECK(std::abs(lens->plot()->xAxis->range().upper - 11.5) < 1e-9);
  drive::click(drive::button(open.window, "Figure"));
  CHECK(drive::until([&] { return drive::button(open.window, "Figure")->text().contains("loss"); }));
  QTest::mouseClick(lens->plot(), Qt::LeftButton, {}, lens->place_of(3, 2).toPoint());
  app::PlateausLens* behind = nullptr;
  REQUIRE(drive::until([&] { return (behind = drive::visible<app::PlateausLens>(open)) != nullptr; }));
  // Source and load read these points themselves.
  REQUIRE(drive::until([&] { return behind->trouble().contains("no samples behind it"); }));
  const auto read = [&](const char* label) {
    for (const auto& c : behind->cards())
      if (c.label == label) return c;
    return app::CursorCard();
  };
  // The fourth load at the third line: what it was read as, and what that is known to.
  CHECK(read("vin").number.toDouble() == Approx(12).margin(0.05));
  CHECK(read("iout").number.toDouble() == Approx(10 * std::pow(300, 3 / 11.0)).margin(1.5));
  CHECK(read("iout").below.startsWith("\u00b1"));
  CHECK_FALSE(read("Loss").number.isEmpty());
  QTest::keyClick(&open.window, Qt::Key_BracketRight);
  CHECK(drive::until([&] { return read("iout").number.toDouble() == Approx(10 * std::pow(300, 4 / 11.0)).margin(2); }));
}

TEST_CASE("plateaus of a stepping line are drawn where they are averaged, with what they differ by", "[app][conversion]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::PlateausLens>(open, "Sensor-rail regulator, line in steps", "Records");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->bars() >= 14; }));
  const auto cards = lens->cards();
  REQUIRE(cards.size() >= 2);
  CHECK(cards.front().label == "Output moves by");
  CHECK(cards.front().below.contains("from 4"));
  QTest::keyClick(&open.window, Qt::Key_A);
  CHECK(drive::until([&] { return lens->cards().size() > cards.size(); }));
}

TEST_CASE("how a point was waited for is drawn, what had to rest as a bar", "[app][conversion]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::PlateausLens>(open, "Battery converter, warm", "Records");
  REQUIRE(lens);
  // No samples lie behind these points: the way there is all there is.
  REQUIRE(drive::until([&] { return lens->names() == QStringList{"coil", "vin", "iin", "vout", "iout"}; }));
  CHECK(lens->bars() == 5);
  const auto card = [&](const char* label) {
    for (const auto& c : lens->cards())
      if (c.label == label) return c;
    return app::CursorCard();
  };
  // Three amperes in 28 mohm at 55 K/W, and the copper's own part.
  const double full = card("coil").number.toDouble();
  CHECK(full > 37);
  CHECK(full < 43);
  CHECK(card("Rests").below == "in a minute");
  CHECK(card("Readings").number.toInt() >= 2);
  QTest::keyClick(&open.window, Qt::Key_BracketLeft);
  REQUIRE(drive::until([&] { return card("coil").number.toDouble() < 30; }));
  auto* points = drive::look_at<app::ReadingsTableLens>(open, "Battery converter, warm", "Points");
  REQUIRE(points);
  auto* table = points->findChild<QTableWidget*>();
  REQUIRE(drive::until([&] { return table->rowCount() == 2; }));
  CHECK_FALSE(table->isColumnHidden(11));
  CHECK(table->item(1, 11)->text().contains("\u00b0C"));
}

TEST_CASE("of a point that inputs read a word turns from the samples to the way there", "[app][conversion]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::PlateausLens>(open, "Battery converter, the radio wakes", "Records");
  REQUIRE(lens);
  auto& desk = open.window.desk();
  REQUIRE(desk.document.edit_words(desk.focus.study_id(), {{"method", "points"}, {"loads", "1 A"}, {"agree", "1 %"}, {"thermometer", "coil"}, {"rests_within", "50 K"}}, desk.focus.surroundings()).isEmpty());
  drive::settled(open.window);
  const auto takes = desk.focus.takes().size();
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return desk.focus.takes().size() == takes + 1 && !desk.runner.running(); }));
  REQUIRE(drive::until([&] { return lens->names() == QStringList{"vout", "iout"}; }));
  drive::click(drive::button(open.window, "Behind"));
  REQUIRE(drive::until([&] { return lens->names() == QStringList{"coil", "vin", "iin", "vout", "iout"}; }));
  drive::click(drive::button(open.window, "Behind"));
  CHECK(drive::until([&] { return lens->names() == QStringList{"vout", "iout"}; }));
}

TEST_CASE("points of conversion are a table that copies in SI numbers", "[app][conversion]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::ReadingsTableLens>(open, "Battery converter at two clocks", "Points");
  REQUIRE(lens);
  auto* table = lens->findChild<QTableWidget*>();
  REQUIRE(drive::until([&] { return table->rowCount() == 26; }));
  CHECK(!table->isColumnHidden(3));
  CHECK(table->isColumnHidden(4));
  table->setFocus();
  QTest::keyClick(table, Qt::Key_C, Qt::ControlModifier);
  const auto copied = QApplication::clipboard()->text();
  CHECK(copied.startsWith("point\tLine (V)"));
  CHECK(copied.count('\n') == 27);
}

TEST_CASE("a sweep of line and load is taken from the window", "[app][conversion]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::RegulationLens>(open, "Sensor-rail regulator", "Regulation");
  REQUIRE(lens);
  const auto study = open.window.desk().focus.study_id();
  REQUIRE(open.window.desk().document.edit_words(study, {{"lines", "4 V, 6 V"}, {"loads", "10 mA, 100 mA"}}, open.window.desk().focus.surroundings()).isEmpty());
  drive::settled(open.window);
  const auto takes = open.window.desk().focus.takes().size();
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return open.window.desk().focus.takes().size() == takes + 1 && !open.window.desk().runner.running(); }));
  drive::settled(open.window);
  CHECK(drive::until([&] { return lens->names().size() == 2; }));
}

TEST_CASE("a temperature that is set by hand is asked for, and Enter goes on", "[app][conversion]") {
  OpenWindow open;
  REQUIRE(drive::look_at<app::EfficiencyLens>(open, "Battery converter", "Efficiency"));
  auto& desk = open.window.desk();
  REQUIRE(desk.document
              .edit_words(desk.focus.study_id(), {{"lines", "9 V"}, {"loads", "1 A"}, {"told", "temperature"}, {"told_values", "25 degC, 60 degC"}, {"told_by", "by hand"}}, desk.focus.surroundings())
              .isEmpty());
  drive::settled(open.window);
  const auto takes = desk.focus.takes().size();
  const auto asked_for = [&](const char* what) { return drive::until([&] { return desk.runner.asked().contains(what) && drive::button(open.window, "It is set"); }); };
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(asked_for("25"));
  CHECK(drive::button(open.window, "It is set")->text().startsWith("It is set"));
  QTest::keyClick(&open.window, Qt::Key_Return);
  REQUIRE(asked_for("60"));
  // Not yet: what was read is kept.
  QTest::keyClick(&open.window, Qt::Key_Escape);
  REQUIRE(drive::until([&] { return !desk.runner.running() && desk.runner.asked().isEmpty(); }));
  REQUIRE(drive::until([&] { return desk.focus.takes().size() == takes + 1; }));
  CHECK(desk.focus.takes().back().points == 1);
  CHECK(drive::until([&] { return drive::button(open.window, "Take") != nullptr; }));
  // The whole of it, by the button.
  drive::settled(open.window);
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(asked_for("25"));
  drive::click(drive::button(open.window, "It is set"));
  REQUIRE(asked_for("60"));
  drive::click(drive::button(open.window, "It is set"));
  REQUIRE(drive::until([&] { return desk.focus.takes().size() == takes + 2 && !desk.runner.running(); }));
  CHECK(desk.focus.takes().back().points == 2);
}

}  // namespace conversion_window
