#include <catch2/catch.hpp>

#include "app/kinds/power/cycles_lens.h"
#include "app/kinds/power/harmonics_lens.h"
#include "app/kinds/power/inrush_lens.h"
#include "app/kinds/power/phasors_lens.h"
#include "app/kinds/power/profile_lens.h"
#include "app/kinds/power/trend_lens.h"
#include "app/kinds/power/wiring_lens.h"
#include "driver.h"
#include "render/theme.h"

using namespace heron;
using drive::OpenWindow;

namespace power_window {

TEST_CASE("what a pump draws when it starts is marked, and the fuse beside it", "[app][power]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::InrushLens>(open, "Bilge-pump start", "Inrush");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->marks().size() == 3; }));
  CHECK(lens->marks()[0].endsWith("A"));
  CHECK(lens->marks()[2].startsWith("settled after"));
  CHECK(lens->cards().size() == 2);
  CHECK(lens->plot()->axisRect(1)->visible());
  // The wheel zooms, Backspace goes back.
  auto* x = lens->plot()->axisRect(0)->axis(QCPAxis::atBottom);
  const auto whole = x->range();
  QWheelEvent wheel(QPointF(300, 200), lens->plot()->mapToGlobal(QPointF(300, 200)), {}, QPoint(0, 240), Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
  QApplication::sendEvent(lens->plot(), &wheel);
  REQUIRE(drive::until([&] { return x->range().size() < 0.99 * whole.size(); }));
  QTest::keyClick(&open.window, Qt::Key_Backspace);
  CHECK(drive::until([&] { return std::abs(x->range().size() / whole.size() - 1) < 1e-6; }));
}

TEST_CASE("a study opens in a lens that suits it, whatever was looked at before", "[app][power]") {
  OpenWindow open;
  const auto in_view = [&] {
    for (auto* tab : open.window.findChildren<QPushButton*>("tab"))
      if (tab->isVisible() && tab->isChecked()) return tab->text();
    return QString("none");
  };
  open.choose_study("Bilge-pump start");
  CHECK(drive::until([&] { return in_view() == "Inrush" && drive::visible<app::InrushLens>(open); }));
  open.choose_study("Thruster drive");
  CHECK(drive::until([&] { return in_view() == "Waveforms" && drive::visible<app::CyclesLens>(open); }));
  open.choose_study("Radio rail");
  CHECK(drive::until([&] { return in_view() == "Waveforms" && drive::visible<app::CyclesLens>(open); }));
  open.choose_study("Bilge-pump start");
  REQUIRE(drive::until([&] { return in_view() != "none"; }));
  CHECK_FALSE(drive::visible<app::ProfileLens>(open));
}

TEST_CASE("a remedy of two settings is taken at a click and given back at one step", "[app][power]") {
  OpenWindow open;
  REQUIRE(drive::look_at<app::PhasorsLens>(open, "Thruster drive", "Phasors"));
  auto& desk = open.window.desk();
  const auto study = desk.focus.study_id();
  // Two clamps are said to be exchanged, which they are not; nothing of it is kept where one of them makes no sense.
  CHECK_FALSE(desk.document.edit_settings(study, {{"wire.ia", "i_b"}, {"speed", "1"}}).isEmpty());
  CHECK_FALSE(desk.focus.study()->settings.contains("wire.ia"));
  REQUIRE(desk.document.edit_settings(study, {{"wire.ia", "i_b"}, {"wire.ib", "i_a"}}).isEmpty());
  drive::settled(open.window);
  const auto is = [&](const char* a, const char* b) {
    const auto& settings = desk.focus.study()->settings;
    return settings.contains("wire.ia") && settings.contains("wire.ib") && settings.at("wire.ia") == a && settings.at("wire.ib") == b;
  };
  CHECK(is("i_b", "i_a"));
  const auto remedy = [&] { return drive::remedy(open.window, "wire.ia = i_a"); };
  REQUIRE(drive::until([&] { return remedy() != nullptr; }));
  drive::click(remedy());
  REQUIRE(drive::until([&] { return is("i_a", "i_b"); }));
  QTest::keyClick(&open.window, Qt::Key_Z, Qt::ControlModifier);
  CHECK(drive::until([&] { return is("i_b", "i_a"); }));
  QTest::keyClick(&open.window, Qt::Key_Z, Qt::ControlModifier);
  CHECK(drive::until([&] { return !desk.focus.study()->settings.contains("wire.ia") && !desk.focus.study()->settings.contains("wire.ib"); }));
}

TEST_CASE("three phases are drawn by angle, and a clamp the other way round is told and put right", "[app][power]") {
  OpenWindow open;
  auto* phasors = drive::look_at<app::PhasorsLens>(open, "Thruster drive", "Phasors");
  REQUIRE(phasors);
  REQUIRE(drive::until([&] { return phasors->words().join(" ").contains("The voltages turn a b c"); }));
  const auto study = open.window.desk().focus.study_id();
  // Somebody says a clamp is the other way round, which it is not.
  REQUIRE(open.window.desk().document.edit_setting(study, "wire.ib", "-i_b").isEmpty());
  drive::settled(open.window);
  drive::click(drive::button(open.window, "Lens: Wiring"));
  app::WiringLens* wiring = nullptr;
  REQUIRE(drive::until([&] { return (wiring = drive::visible<app::WiringLens>(open)) != nullptr && wiring->said().contains("i_b is the other way round"); }));
  QPushButton* apply = nullptr;
  for (auto* button : wiring->findChildren<QPushButton*>())
    if (button->text() == "Take it as explained") apply = button;
  REQUIRE(apply);
  drive::click(apply);
  REQUIRE(drive::until([&] { return wiring->said().startsWith("Each channel looks like"); }));
  CHECK(open.window.desk().focus.study()->settings.at("wire.ib") == "i_b");
  // Both edits can be undone.
  QTest::keyClick(&open.window, Qt::Key_Z, Qt::ControlModifier);
  REQUIRE(drive::until([&] { return wiring->said().contains("the other way round"); }));
  // The doubt's own link does the same.
  QPushButton* remedy = nullptr;
  REQUIRE(drive::until([&] {
    for (auto* link : open.window.findChildren<QPushButton*>("remedy"))
      if (link->isVisible() && link->text().startsWith("Check the leads, or set wire.ib = i_b")) remedy = link;
    return remedy != nullptr;
  }));
  drive::click(remedy);
  REQUIRE(drive::until([&] { return wiring->said().startsWith("Each channel looks like"); }));
}

TEST_CASE("harmonics go from amperes to per cent, and their records over time have whole cycles marked", "[app][power]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::HarmonicsLens>(open, "Shore charger", "Harmonics");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->height_of(3).has_value(); }));
  const double amperes = *lens->height_of(3);
  drive::click(drive::button(open.window, "Unit"));
  REQUIRE(drive::until([&] { return lens->height_of(3) && *lens->height_of(3) > 10 * amperes; }));
  CHECK(lens->plot()->yAxis->label().contains("%"));
  drive::click(drive::button(open.window, "Of"));
  REQUIRE(drive::until([&] { return lens->plot()->yAxis->label().startsWith("Voltage"); }));
  drive::click(drive::button(open.window, "Lens: Waveforms"));
  app::CyclesLens* cycles = nullptr;
  REQUIRE(drive::until([&] { return (cycles = drive::visible<app::CyclesLens>(open)) != nullptr && cycles->record_plot()->names().size() == 2; }));
  QTest::mouseMove(cycles->plot(), QPoint(400, 200));
  QTest::keyClick(&open.window, Qt::Key_A);
  CHECK(drive::until([&] { return cycles->cards().size() == 2; }));
}

TEST_CASE("a profile names its states and steps through its wakes", "[app][power]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::ProfileLens>(open, "Radio rail", "Profile");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->states().size() == 3; }));
  CHECK(lens->states()[0].startsWith("asleep"));
  auto* x = lens->plot()->axisRect(0)->axis(QCPAxis::atBottom);
  const auto whole = x->range();
  QTest::keyClick(&open.window, Qt::Key_BracketRight);
  REQUIRE(drive::until([&] { return lens->wake() == 0 && x->range().size() < whole.size() / 10; }));
  QTest::keyClick(&open.window, Qt::Key_BracketLeft);
  CHECK(drive::until([&] { return lens->wake() == -1 && x->range() == whole; }));
  drive::click(drive::button(open.window, "Charge"));
  CHECK(drive::until([&] { return lens->plot()->axisRect(0)->axis(QCPAxis::atRight)->visible(); }));
}

TEST_CASE("a second take lies over the first in every picture of its power", "[app][power]") {
  OpenWindow open;
  auto& desk = open.desk();
  const auto both = [&] {
    const auto takes = desk.focus.takes();
    REQUIRE(takes.size() == 1);
    QTest::keyClick(&open.window, Qt::Key_Space);
    REQUIRE(drive::until([&] { return desk.focus.takes().size() == 2 && !desk.runner.running(); }, 60000));
    const auto now = desk.focus.takes();
    desk.focus.overlay({now[0].id, now[1].id});
  };
  auto* inrush = drive::look_at<app::InrushLens>(open, "Bilge-pump start", "Inrush");
  REQUIRE(inrush);
  REQUIRE(drive::until([&] { return inrush->marks().size() == 3; }));
  int alone = inrush->plot()->graphCount();
  both();
  CHECK(drive::until([&] { return inrush->plot()->graphCount() == alone + 1; }));
  auto* harmonics = drive::look_at<app::HarmonicsLens>(open, "Shore charger", "Harmonics");
  REQUIRE(harmonics);
  REQUIRE(drive::until([&] { return harmonics->height_of(3).has_value(); }));
  both();
  CHECK(drive::until([&] { return harmonics->plot()->graphCount() == 1; }));
  drive::click(drive::button(open.window, "Lens: Waveforms"));
  app::CyclesLens* cycles = nullptr;
  REQUIRE(drive::until([&] { return (cycles = drive::visible<app::CyclesLens>(open)) != nullptr && cycles->record_plot()->names().size() == 2; }));
  CHECK(cycles->record_plot()->in_front().size() == 2);
  // Behind as the wake it is one of no other's front.
  desk.focus.show_take(desk.focus.takes()[1].id);
  desk.document.set_wake(desk.focus.study_id(), desk.focus.takes()[0].id);
  CHECK(drive::until([&] {
    for (int k = 0; k < cycles->plot()->graphCount(); ++k)
      if (cycles->plot()->graph(k)->pen().color() == render::theme().wake) return true;
    return false;
  }));
  auto* phasors = drive::look_at<app::PhasorsLens>(open, "Thruster drive", "Phasors");
  REQUIRE(phasors);
  REQUIRE(drive::until([&] { return !phasors->words().isEmpty(); }));
  const int items = phasors->plot()->itemCount();
  both();
  // A line and its end for each of three voltages and three currents.
  CHECK(drive::until([&] { return phasors->plot()->itemCount() == items + 12; }));
  auto* profile = drive::look_at<app::ProfileLens>(open, "Radio rail", "Profile");
  REQUIRE(profile);
  REQUIRE(drive::until([&] { return profile->states().size() == 3; }));
  alone = profile->plot()->graphCount();
  both();
  CHECK(drive::until([&] { return profile->plot()->graphCount() == alone + 1; }));
}

TEST_CASE("an hour's recording shows what the watch caught, and opens its record", "[app][power]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::TrendLens>(open, "Battery rail over an hour", "Trend");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->ticks() == 1; }));
  QTableWidget* log = lens->findChild<QTableWidget*>();
  REQUIRE(log);
  REQUIRE(log->rowCount() == 1);
  CHECK(log->item(0, 3)->text().contains("under 4.6 V"));
  log->setFocus();
  log->setCurrentCell(0, 1);
  QTest::keyClick(log, Qt::Key_Return);
  app::CyclesLens* record = nullptr;
  REQUIRE(drive::until([&] { return (record = drive::visible<app::CyclesLens>(open)) != nullptr; }));
  CHECK(record->record_plot()->whole().lower > 1200);
}

TEST_CASE("a word of a power brief brings what it needs, and a take follows it", "[app][power]") {
  OpenWindow open;
  open.choose_study("Shore charger");
  drive::settled(open.window);
  auto& desk = open.window.desk();
  REQUIRE(desk.focus.edit({{"cycles", "6 cycles"}}).isEmpty());
  CHECK_FALSE(desk.focus.edit({{"rate", "100 Hz"}}).isEmpty());
  const auto before = desk.focus.takes().size();
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return desk.focus.takes().size() == before + 1 && !desk.runner.running(); }, 60000));
  drive::settled(open.window);
  REQUIRE(drive::until([&] {
    const auto view = desk.readings.shown();
    return view && view->analysis.reading.find("power.active");
  }));
}

TEST_CASE("a watch that latches holds the next take until it is released, and holds again when that is undone", "[app][power][latch]") {
  OpenWindow open;
  open.choose_study("Shore charger");
  drive::settled(open.window);
  auto& desk = open.window.desk();
  REQUIRE(desk.focus.edit_setting("watch.peak", "i over 100 mA latches").isEmpty());
  const auto before = desk.focus.takes().size();
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return desk.focus.takes().size() == before + 1 && !desk.runner.running(); }, 60000));
  drive::settled(open.window);
  REQUIRE(drive::until([&] { return drive::button(open.window, "Remedy: Release it.") != nullptr; }));
  // Another take is refused.
  QTest::keyClick(&open.window, Qt::Key_Space);
  CHECK_FALSE(desk.runner.running());
  CHECK(desk.focus.takes().size() == before + 1);
  drive::click(drive::button(open.window, "Remedy: Release it."));
  REQUIRE(drive::until([&] { return drive::button(open.window, "Remedy: Release it.") == nullptr; }));
  CHECK(desk.focus.held().empty());
  QTest::keyClick(&open.window, Qt::Key_Z, Qt::ControlModifier);
  REQUIRE(drive::until([&] { return drive::button(open.window, "Remedy: Release it.") != nullptr; }));
  // By its name as well.
  REQUIRE(drive::by_name(open.window, "Release the watch peak"));
  REQUIRE(drive::until([&] { return desk.focus.held().empty(); }));
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return desk.focus.takes().size() == before + 2 && !desk.runner.running(); }, 60000));
}

TEST_CASE("the wiring is looked at before a take, and says what it sees", "[app][power][wiring]") {
  OpenWindow open;
  open.choose_study("Thruster drive");
  drive::settled(open.window);
  auto& desk = open.window.desk();
  const auto before = desk.focus.takes().size();
  REQUIRE(drive::until([&] { return drive::button(open.window, "Look at the wiring") != nullptr; }));
  drive::click(drive::button(open.window, "Look at the wiring"));
  REQUIRE(drive::until([&] { return !desk.runner.running(); }, 60000));
  REQUIRE(drive::until([&] { return !desk.messages.all().isEmpty() && desk.messages.all().back().text.contains("looks like what it is said to be"); }));
  CHECK(desk.focus.takes().size() == before);
}

}  // namespace power_window
