#include <catch2/catch.hpp>

#include "app/kinds/switching/edges_lens.h"
#include "app/kinds/switching/energies_lens.h"
#include "app/kinds/switching/energy_map_lens.h"
#include "app/kinds/switching/pulse_lens.h"
#include "app/kinds/switching/recovery_lens.h"
#include "app/kinds/switching/shots_table_lens.h"
#include "app/kinds/switching/skew_lens.h"
#include "app/kinds/switching/trajectory_lens.h"
#include "app/word_editor.h"
#include "driver.h"
#include "render/plot_parts.h"
#include "render/theme.h"

using namespace heron;
using drive::OpenWindow;

namespace switching_window {
namespace {

constexpr const char* kSweep = "Thruster half-bridge";
constexpr const char* kShot = "Thruster half-bridge, isolated probe and shunt";

std::string setting(OpenWindow& open, const std::string& key) {
  const auto* study = open.desk().focus.study();
  const auto it = study->settings.find(key);
  return it == study->settings.end() ? std::string() : it->second;
}

/// Whether a text is drawn in a plot, wherever its lines break.
bool drawn_in(const QCustomPlot& plot, const QString& wanted) {
  for (int k = 0; k < plot.itemCount(); ++k)
    if (const auto* item = qobject_cast<QCPItemText*>(plot.item(k)); item && item->realVisibility())
      if (auto said = item->text(); said.replace('\n', ' ').contains(wanted)) return true;
  return false;
}

bool shown_in(OpenWindow& open, const QString& wanted) {
  auto* lens = drive::visible<app::TakeLens>(open);
  return lens && drawn_in(*lens->plot(), wanted);
}

}  // namespace

TEST_CASE("an end of an integral's window is dragged, and the energy follows at once", "[app][switching]") {
  OpenWindow open;
  REQUIRE(drive::ledger_read(open.window));
  auto* lens = drive::look_at<app::EdgesLens>(open, kShot, "Edges");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->cards().size() == 2 && lens->window_end(false, true); }));
  CHECK(lens->rings() > 10);
  const auto energy = lens->cards().front().number;
  CHECK(lens->cards().front().label == "Turn-off energy");
  const auto from = lens->window_end(false, true)->toPoint(), to = from + QPoint(-8, 0);
  QTest::mousePress(lens->plot(), Qt::LeftButton, {}, from);
  QTest::mouseMove(lens->plot(), to);
  CHECK(drive::until([&] { return lens->cards().front().number != energy; }));
  CHECK(lens->cards().front().below.contains("window ends at"));
  // Nothing is set before the hand lets go.
  CHECK(setting(open, "off.end").empty());
  QTest::mouseRelease(lens->plot(), Qt::LeftButton, {}, to);
  REQUIRE(drive::until([&] { return !setting(open, "off.end").empty(); }));
  CHECK(drive::until([&] { return drive::button(open.window, "Windows") && drive::button(open.window, "Windows")->text().contains("off 10 % to"); }));
  CHECK(drive::until([&] { return open.figure("energy.off").value < 9.2e-6; }));
  // Ctrl+Z brings the window back.
  QTest::keyClick(&open.window, Qt::Key_Z, Qt::ControlModifier);
  CHECK(drive::until([&] { return setting(open, "off.end").empty(); }));
  // A standard window sets all four ends as one step.
  REQUIRE(drive::choose(open.window, "Windows", "2 % to 2 %"));
  for (const char* key : {"on.start", "on.end", "off.start", "off.end"}) CHECK(setting(open, key) == "2 %");
  QTest::keyClick(&open.window, Qt::Key_Z, Qt::ControlModifier);
  for (const char* key : {"on.start", "on.end", "off.start", "off.end"}) CHECK(setting(open, key).empty());
}

TEST_CASE("a skew is accepted by a button and taken back by another", "[app][switching]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::SkewLens>(open, "Thruster half-bridge, a slow clamp", "Skew");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return drive::button(open.window, "Accept the skew") && lens->cards().size() == 4; }));
  const double before = open.figure("energy.on").value;
  drive::click(drive::button(open.window, "Accept the skew"));
  REQUIRE(drive::until([&] { return !setting(open, "skew").empty(); }));
  REQUIRE(drive::until([&] { return lens->isVisible() && open.desk().readings.shown() && open.figure("energy.on").value > 1.2 * before; }));
  auto* back = [&] {
    QPushButton* found = nullptr;
    drive::until([&] {
      for (auto* b : lens->findChildren<QPushButton*>())
        if (b->isVisible() && b->text() == "As they were sensed") found = b;
      return found != nullptr;
    });
    return found;
  }();
  REQUIRE(back);
  drive::click(back);
  CHECK(drive::until([&] { return open.desk().readings.shown() && std::abs(open.figure("energy.on").value / before - 1) < 1e-9; }));
}

TEST_CASE("energies are named at the ends of their curves, over what was swept, and a point opens its shot", "[app][switching]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::EnergiesLens>(open, kSweep, "Energies");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->names().size() == 4; }));
  CHECK(lens->names().filter("turn-on").size() == 2);
  CHECK(lens->cards().size() == 4);
  // A figure at a current is marked over currents, and over nothing else.
  const auto marked = [&] {
    for (int k = 0; k < lens->plot()->itemCount(); ++k)
      if (const auto* line = dynamic_cast<QCPItemLine*>(lens->plot()->item(k)); line && line->visible()) return true;
    return false;
  };
  open.desk().look.set_figure("energy.on@20A,Rg=12");
  CHECK(drive::until(marked));
  drive::click(drive::button(open.window, "Sum"));
  CHECK(drive::until([&] { return lens->names().size() == 2 && lens->names().front().startsWith("total"); }));
  drive::click(drive::button(open.window, "Over"));
  drive::click(drive::button(open.window, "Over"));
  CHECK(drive::until([&] { return lens->names().size() == 4 && lens->plot()->xAxis->label().startsWith("Gate resistor"); }));
  CHECK(!marked());
  drive::click(drive::button(open.window, "Over"));
  REQUIRE(drive::until([&] { return lens->names().size() == 2; }));
  QTest::mouseClick(lens->plot(), Qt::LeftButton, {}, lens->place_of(0, 2).toPoint());
  app::PulseLens* behind = nullptr;
  REQUIRE(drive::until([&] { return (behind = drive::visible<app::PulseLens>(open)) != nullptr; }));
  CHECK(drive::until([&] { return drive::button(open.window, "Shot") && drive::button(open.window, "Shot")->text() != "shot 8 of 8"; }));
  const auto shot = drive::button(open.window, "Shot")->text();
  QTest::keyClick(&open.window, Qt::Key_BracketRight);
  CHECK(drive::until([&] { return drive::button(open.window, "Shot")->text() != shot; }));
}

TEST_CASE("a limit along the current is hatched ground over the energies it is of, and is judged", "[app][switching]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::EnergiesLens>(open, kSweep, "Energies");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->names().size() == 4; }));
  const auto id = open.desk().focus.study_id();
  CHECK(open.desk().document.write_claim(id, "energy.on at most 20 V from 5 A to 20 A").contains("an energy such as"));
  CHECK(open.desk().document.write_claim(id, "energy.on at 12 ohm at most 20 uJ from 6 A to 19 A").isEmpty());
  const auto grounds = [](QCustomPlot* plot) { return drive::grounds(plot).size(); };
  CHECK(drive::until([&] { return grounds(lens->plot()) == 1; }));
  // It lies on turn-on over the current and on nothing else.
  drive::click(drive::button(open.window, "Sum"));
  CHECK(drive::until([&] { return grounds(lens->plot()) == 0; }));
  drive::click(drive::button(open.window, "Sum"));
  drive::click(drive::button(open.window, "Over"));
  CHECK(drive::until([&] { return lens->plot()->xAxis->label().startsWith("Bus voltage") && grounds(lens->plot()) == 0; }));
  // 24.7 uJ at 20 A: it fails near its upper end.
  const auto fails = [&] {
    const auto view = open.desk().readings.shown();
    const auto masks = open.desk().focus.masks();
    if (!view || masks.empty()) return false;
    const auto judged = judge::judge(masks.front(), view->analysis);
    return judged.verdict == judge::Verdict::fails && judged.at && *judged.at > 15;
  };
  CHECK(drive::until(fails));
  open.desk().document.undo_stack().undo();
  CHECK(drive::until([&] { return open.desk().focus.masks().empty(); }));
  // One over time lies on the record of a shot.
  auto* pulses = drive::look_at<app::PulseLens>(open, kShot, "Pulses");
  REQUIRE(pulses);
  REQUIRE(drive::until([&] { return !pulses->record_plot()->names().isEmpty(); }));
  CHECK(open.desk().document.write_claim(open.desk().focus.study_id(), "v_ds at most 70 V from 0 s to 20 us").isEmpty());
  CHECK(drive::until([&] { return grounds(pulses->record_plot()) == 1; }));
}

TEST_CASE("an energy is a map over current and gate resistor, whose cells open their shots", "[app][switching]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::EnergyMapLens>(open, kSweep, "Map");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->cells() == QSize(4, 2) && lens->numbers() == 8; }));
  CHECK(drive::button(open.window, "Energy")->text() == "total");
  drive::click(drive::button(open.window, "Energy"));
  CHECK(drive::until([&] { return drive::button(open.window, "Energy")->text() == "turn-on"; }));
  // One other quantity was swept: there is no choice.
  CHECK_FALSE(drive::button(open.window, "Over"));
  // The highest is the one at most current through the larger resistor; its shot carried a little more than the 20 A of the figure.
  double highest = 0;
  for (int k = 0; k < lens->plot()->itemCount(); ++k)
    if (auto* word = qobject_cast<QCPItemText*>(lens->plot()->item(k)); word && word->visible()) highest = std::max(highest, word->text().toDouble());
  const double at_twenty = 1e6 * open.figure("energy.on@20A,Rg=12").value;
  CHECK(highest > at_twenty);
  CHECK(highest < 1.06 * at_twenty);
  QTest::mouseClick(lens->plot(), Qt::LeftButton, {}, lens->place_of(3, 1).toPoint());
  app::EdgesLens* edges = nullptr;
  CHECK(drive::until([&] { return (edges = drive::visible<app::EdgesLens>(open)) != nullptr || drive::visible<app::PulseLens>(open) != nullptr; }));
  // A study of one shot has no map.
  open.choose_study(kShot);
  REQUIRE(drive::settled(open.window));
  CHECK_FALSE(drive::button(open.window, "Lens: Map"));
}

TEST_CASE("a click on an event of the record enlarges it, Backspace goes back", "[app][switching]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::PulseLens>(open, kShot, "Pulses");
  REQUIRE(lens);
  auto* plot = lens->record_plot();
  REQUIRE(drive::until([&] { return plot->isVisible() && plot->panels().size() == 3 && plot->span().size() > 20e-6; }));
  const auto* panel = plot->panels().front();
  const QPoint at(int(panel->axis(QCPAxis::atBottom)->coordToPixel(16.7e-6)), panel->center().y());
  QTest::mouseClick(plot, Qt::LeftButton, {}, at);
  CHECK(drive::until([&] { return plot->span().size() < 1e-6 && plot->span().contains(16.72e-6); }));
  QTest::keyClick(&open.window, Qt::Key_Backspace);
  CHECK(drive::until([&] { return plot->span().size() > 20e-6; }));
  QTest::keyClick(&open.window, Qt::Key_A);
  CHECK(drive::until([&] { return lens->cards().size() == 3; }));
}

TEST_CASE("the trajectory lies among powers within its ratings, the recovery tells its charge", "[app][switching]") {
  OpenWindow open;
  auto* plane = drive::look_at<app::TrajectoryLens>(open, kShot, "Trajectory");
  REQUIRE(plane);
  REQUIRE(drive::until([&] { return plane->powers().size() >= 3; }));
  CHECK(plane->plot()->xAxis->range().contains(90));
  auto* recovery = drive::look_at<app::RecoveryLens>(open, kShot, "Recovery");
  REQUIRE(recovery);
  CHECK(drive::until([&] { return recovery->cards().size() == 2 && recovery->cards().front().label == "Recovery charge"; }));
}

TEST_CASE("the shot of another take lies behind as the wake, or over it", "[app][switching]") {
  OpenWindow open;
  auto& desk = open.desk();
  auto* edges = drive::look_at<app::EdgesLens>(open, kSweep, "Edges");
  REQUIRE(edges);
  REQUIRE(drive::until([&] { return edges->cards().size() == 2; }));
  const auto takes = desk.focus.takes();
  REQUIRE(takes.size() == 2);
  REQUIRE(desk.focus.shown() == takes[1].id);
  const int alone = edges->plot()->graphCount();
  // Voltage, current, gate and power of both events.
  desk.document.set_wake(desk.focus.study_id(), takes[0].id);
  REQUIRE(drive::until([&] { return edges->plot()->graphCount() == alone + 8; }));
  int wide = 0;
  for (int k = 0; k < edges->plot()->graphCount(); ++k) wide += edges->plot()->graph(k)->pen().color() == render::theme().wake;
  CHECK(wide == 8);
  auto* plane = drive::look_at<app::TrajectoryLens>(open, kSweep, "Trajectory");
  REQUIRE(plane);
  CHECK(drive::until([&] { return plane->ways() == 4; }));
  auto* skew = drive::look_at<app::SkewLens>(open, kSweep, "Skew");
  REQUIRE(skew);
  CHECK(drive::until([&] { return skew->plot()->graphCount() == 4; }));
  auto* recovery = drive::look_at<app::RecoveryLens>(open, kSweep, "Recovery");
  REQUIRE(recovery);
  REQUIRE(drive::until([&] { return recovery->cards().size() == 2; }));
  const int with_wake = recovery->plot()->graphCount();
  auto* pulses = drive::look_at<app::PulseLens>(open, kSweep, "Pulses");
  REQUIRE(pulses);
  REQUIRE(drive::until([&] { return pulses->record_plot()->isVisible() && pulses->record_plot()->panels().size() == 3; }));
  // What is written as the part in view is the take's own.
  CHECK(pulses->record_plot()->in_front().size() == 3);
  // Without it, and with the other one laid over.
  desk.document.set_wake(desk.focus.study_id(), std::nullopt);
  recovery = drive::look_at<app::RecoveryLens>(open, kSweep, "Recovery");
  CHECK(drive::until([&] { return recovery->plot()->graphCount() == with_wake - 1; }));
  desk.focus.overlay({takes[0].id, takes[1].id});
  CHECK(drive::until([&] { return recovery->plot()->graphCount() == with_wake; }));
  edges = drive::look_at<app::EdgesLens>(open, kSweep, "Edges");
  desk.focus.overlay({takes[0].id, takes[1].id});
  CHECK(drive::until([&] { return edges->plot()->graphCount() == alone + 8; }));
  desk.focus.show_take(takes[0].id);
  CHECK(drive::until([&] { return edges->plot()->graphCount() == alone && edges->cards().size() == 2; }));
}

TEST_CASE("shots are a table that copies in SI numbers, and Enter opens one", "[app][switching]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::ShotsTableLens>(open, kSweep, "Points");
  REQUIRE(lens);
  auto* table = lens->findChild<QTableWidget*>();
  REQUIRE(drive::until([&] { return table->rowCount() == 8; }));
  CHECK(!table->isColumnHidden(3));
  // Nobody set a temperature, and no other device is sensed.
  CHECK(table->isColumnHidden(4));
  CHECK(table->isColumnHidden(7));
  table->setFocus();
  QTest::keyClick(table, Qt::Key_C, Qt::ControlModifier);
  const auto copied = QApplication::clipboard()->text();
  CHECK(copied.startsWith("shot\tCurrent (A)"));
  CHECK(copied.count('\n') == 9);
  table->setCurrentCell(2, 0);
  QTest::keyClick(table, Qt::Key_Return);
  CHECK(drive::until([&] { return drive::visible<app::PulseLens>(open) != nullptr; }));
  CHECK(drive::until([&] { return drive::button(open.window, "Shot") && drive::button(open.window, "Shot")->text() == "shot 3 of 8"; }));
}

TEST_CASE("a word that nobody changed is left as it stands, whatever it says", "[app][switching]") {
  OpenWindow open;
  open.choose_study(kSweep);
  REQUIRE(drive::until([&] { return open.word("first") != nullptr; }));
  const auto said = open.word("first")->text();
  REQUIRE(said.contains(" to "));
  drive::click(open.word("first"));
  REQUIRE(drive::until([&] { return open.editor() != nullptr; }));
  QTest::keyClick(open.editor(), Qt::Key_X);
  QTest::keyClick(open.editor(), Qt::Key_Z, Qt::ControlModifier);
  QTest::keyClick(open.editor(), Qt::Key_Tab);
  // On to the next word, and nothing to undo.
  auto* editor = open.window.findChild<app::BriefEditor*>();
  REQUIRE(editor);
  CHECK(drive::until([&] { return editor->isVisible() && open.editor()->text() != said; }));
  QTest::keyClick(open.editor(), Qt::Key_Escape);
  CHECK(open.word("first")->text() == said);
  CHECK_FALSE(open.desk().document.undo_stack().canUndo());
}

TEST_CASE("a bus is armed by hand for each take, and said to be empty afterwards", "[app][switching]") {
  OpenWindow open;
  open.choose_study(kShot);
  drive::settled(open.window);
  REQUIRE(drive::until([&] { return drive::button(open.window, "Arm") != nullptr; }));
  const auto takes = open.desk().focus.takes().size();
  // The first press arms, Esc lets it be.
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return drive::button(open.window, "Fire") != nullptr; }));
  CHECK(!open.desk().runner.running());
  QTest::keyClick(&open.window, Qt::Key_Escape);
  REQUIRE(drive::until([&] { return drive::button(open.window, "Arm") != nullptr; }));
  // An edit disarms too.
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return open.desk().runner.armed(); }));
  drive::click(open.word("gap"));
  QTest::keyClicks(open.editor(), "3 us");
  QTest::keyClick(open.editor(), Qt::Key_Return);
  REQUIRE(drive::until([&] { return !open.desk().runner.armed(); }));
  drive::settled(open.window);
  // Armed and fired.
  open.window.setFocus();
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return open.desk().runner.armed(); }));
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return open.desk().focus.takes().size() == takes + 1 && !open.desk().runner.running(); }));
  CHECK(!open.desk().runner.armed());
  const auto& said = open.desk().messages.all();
  CHECK(std::any_of(said.begin(), said.end(), [](const auto& m) { return m.text.startsWith("The bus is empty: it reads"); }));
}

TEST_CASE("two that are exchanged are put right at a click, and an event that is not there says why in its place", "[app][switching]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::EdgesLens>(open, kShot, "Edges");
  REQUIRE(lens);
  const auto study = open.desk().focus.study_id();
  REQUIRE(open.desk().document.edit_settings(study, {{"wire.v_ds", "i_d"}, {"wire.i_d", "v_ds"}}).isEmpty());
  const auto remedy = [&] { return drive::remedy(open.window, "wire.v_ds = v_ds"); };
  REQUIRE(drive::until([&] { return remedy() != nullptr; }));
  drive::click(remedy());
  REQUIRE(drive::until([&] { return setting(open, "wire.v_ds") == "v_ds" && setting(open, "wire.i_d") == "i_d"; }));
  CHECK(drive::until([&] { return lens->cards().size() == 2; }));
  QTest::keyClick(&open.window, Qt::Key_Z, Qt::ControlModifier);
  CHECK(drive::until([&] { return setting(open, "wire.v_ds") == "i_d"; }));
  QTest::keyClick(&open.window, Qt::Key_Z, Qt::ControlModifier);
  REQUIRE(drive::until([&] { return setting(open, "wire.v_ds").empty(); }));
  // Without its second pulse.
  REQUIRE(open.desk().document.edit_setting(study, "to", "18 us").isEmpty());
  CHECK(drive::until([&] { return drawn_in(*lens->plot(), "no load current is taken over"); }));
  CHECK(lens->cards().size() == 1);
  drive::click(drive::button(open.window, "Lens: Recovery"));
  CHECK(drive::until([&] { return shown_in(open, "There is no turn-on: i_d carries "); }));
  // Without its first one, from where it conducts.
  drive::click(drive::button(open.window, "Lens: Edges"));
  REQUIRE(open.desk().document.edit_settings(study, {{"from", "18 us"}, {"to", "20.5 us"}}).isEmpty());
  CHECK(drive::until([&] { return drawn_in(*lens->plot(), "Turn-off") && drawn_in(*lens->plot(), "v_ds does not rise"); }));
  // And without either.
  REQUIRE(open.desk().document.edit_settings(study, {{"from", "8 us"}, {"to", "12 us"}}).isEmpty());
  for (const char* other : {"Edges", "Trajectory", "Skew"}) {
    CAPTURE(other);
    drive::click(drive::button(open.window, QString("Lens: ") + other));
    CHECK(drive::until([&] { return shown_in(open, "Nothing switches: v_ds does not go"); }));
  }
}

TEST_CASE("only Space after Space fires: no text with spaces, no key that is held, no double click", "[app][switching]") {
  OpenWindow open;
  open.choose_study(kShot);
  drive::settled(open.window);
  REQUIRE(drive::until([&] { return drive::button(open.window, "Arm") != nullptr; }));
  const auto takes = open.desk().focus.takes().size();
  const auto untouched = [&] { return !open.desk().runner.running() && open.desk().focus.takes().size() == takes; };
  // What was meant for a word that did not open.
  QTest::keyClicks(&open.window, "20 uH, 40 uH");
  drive::settled(open.window);
  CHECK(untouched());
  CHECK_FALSE(open.desk().runner.armed());
  REQUIRE(drive::until([&] { return drive::button(open.window, "Arm") != nullptr; }));
  // Held down it arms, and waits.
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(open.desk().runner.armed());
  for (int k = 0; k < 5; ++k) {
    QKeyEvent held(QEvent::KeyPress, Qt::Key_Space, Qt::NoModifier, " ", true);
    QApplication::sendEvent(&open.window, &held);
  }
  CHECK(untouched());
  CHECK(open.desk().runner.armed());
  QTest::keyClick(&open.window, Qt::Key_Escape);
  CHECK_FALSE(open.desk().runner.armed());
  REQUIRE(drive::until([&] { return drive::button(open.window, "Arm") != nullptr; }));
  // A click, and the second press and release of a double one.
  auto* button = drive::button(open.window, "Arm");
  QTest::mouseClick(button, Qt::LeftButton);
  CHECK(open.desk().runner.armed());
  QTest::mouseDClick(button, Qt::LeftButton);
  QTest::mouseRelease(button, Qt::LeftButton);
  CHECK(open.desk().runner.armed());
  CHECK(untouched());
  // Whoever looks at another page begins again.
  drive::click(drive::button(open.window, "Bench page"));
  CHECK_FALSE(open.desk().runner.armed());
}

}  // namespace switching_window
