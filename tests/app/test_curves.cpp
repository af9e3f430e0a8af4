#include "app/kinds/iv/datasheet_lens.h"
#include "app/kinds/iv/family_lens.h"
#include "app/source_picture.h"
#include "driver.h"

using namespace heron;
using drive::OpenWindow;
using drive::visible;

TEST_CASE("an open loop is swept ever more slowly until it closes, each pass a take", "[app][iv]") {
  OpenWindow open;
  open.choose_study("Salinity cell");
  REQUIRE(app::sweep_plan(open.desk()));
  CHECK(open.word("source.force.stop"));
  CHECK_FALSE(open.word("level"));
  const double before = open.figure("loop.opening").value;
  CHECK(before > 0.5);
  // One sweep a pass tells as much, and takes an eighth of the time.
  REQUIRE(open.desk().focus.edit({{"cycles", "1 time"}, {"averages", "1 sweep"}}).isEmpty());
  QPushButton* remedy = nullptr;
  REQUIRE(drive::until(
      [&] { return (remedy = drive::control<QPushButton>(open.window, "Remedy: slow down")) != nullptr; }));
  drive::click(remedy);
  REQUIRE(drive::until([&] { return open.desk().focus.takes().size() >= 5 && !open.desk().runner.running(); }, 100000));
  REQUIRE(drive::settled(open.window));
  CHECK(open.figure("loop.opening").value < 0.02);
  CHECK(app::sweep_plan(open.desk())->ramp > 10);
  QTest::keyClick(&open.window, Qt::Key_6);
  auto* words = drive::control<QLabel>(open.window, "What slowing did");
  REQUIRE(words);
  CHECK(drive::until([&] { return words->text().contains("closes"); }));

  // Its hookup: chains, what is computed from them, and the same words.
  QTest::keyClick(&open.window, Qt::Key_H);
  CHECK(drive::until([&] { return drive::control<QPushButton>(open.window, "Take out i_cell") != nullptr; }));
  QTest::keyClick(&open.window, Qt::Key_Escape);
  open.choose_study("Thermistor");
  REQUIRE(drive::until(
      [&] { return (remedy = drive::control<QPushButton>(open.window, "Remedy: slow down")) != nullptr; }));
  drive::click(remedy);
  REQUIRE(drive::until([&] { return open.desk().focus.takes().size() >= 2 && !open.desk().runner.running(); }, 100000));
  REQUIRE(drive::settled(open.window));
  CHECK(drive::until([&] { return words->text().contains("self-heating"); }));
  QTest::keyClick(&open.window, Qt::Key_1);

  // The brief's words, and back to a study of the other kind.
  open.retype("source.thermistor.points", "200 mV steps");
  CHECK(app::sweep_plan(open.desk())->swept()->values.points == 51);
  open.retype("source.thermistor.points", "21");
  CHECK(app::sweep_plan(open.desk())->swept()->values.points == 21);
  open.desk().document.undo_stack().undo();
  CHECK(app::sweep_plan(open.desk())->swept()->values.points == 51);
  open.choose_study("Preamp passband");
  CHECK(open.bode()->isVisible());
}

TEST_CASE("cursors read every curve of a family, axes, fits and their range are chosen on the plot", "[app][iv]") {
  OpenWindow open;
  open.choose_study("Turbidity phototransistor");
  REQUIRE(drive::settled(open.window));
  auto* curves = visible<app::FamilyLens>(open);
  REQUIRE(curves);
  auto* plot = curves->family_plot();
  curves->set_cursor('A', 3.0);
  auto* row = open.window.findChild<app::FigureRow*>();
  // The figure of the claim and the cursor agree: both are the current gain at 3 V.
  CHECK(drive::until([&] { return row->accessibleDescription().contains("A at 3"); }));
  CHECK(row->accessibleDescription().contains("Gain at A"));
  QTest::keyClick(&open.window, Qt::Key_L);
  CHECK(plot->logarithmic());
  QTest::keyClick(&open.window, Qt::Key_L);
  CHECK(curves->set_axis(Qt::Vertical, "gain").isEmpty());
  CHECK(plot->yAxis->label().contains("Current gain"));
  CHECK(curves->set_axis(Qt::Horizontal, "time").isEmpty());
  CHECK_FALSE(curves->set_axis(Qt::Vertical, "v*(").isEmpty());
  CHECK(curves->set_axis(Qt::Vertical, "1000*i").isEmpty());
  CHECK(curves->set_axis(Qt::Vertical, "current").isEmpty());
  CHECK(curves->set_axis(Qt::Horizontal, "voltage").isEmpty());

  // The range of the fits is dragged with the mouse: the Early voltage is read from what is left, and undone.
  QTest::keyClick(&open.window, Qt::Key_F);
  const auto y = plot->axisRect()->center().y();
  const auto at = [&](double v) { return QPoint(int(plot->xAxis->coordToPixel(v)), y); };
  const double before = open.figure("early_voltage").value;
  QTest::mousePress(plot, Qt::LeftButton, {}, at(5.0));
  QTest::mouseMove(plot, at(4.5));
  QTest::mouseMove(plot, at(4.0));
  QTest::mouseRelease(plot, Qt::LeftButton, {}, at(4.0));
  REQUIRE(drive::until([&] { return open.desk().focus.study()->settings.contains("to"); }));
  REQUIRE(drive::settled(open.window));
  CHECK(open.figure("early_voltage").value != before);
  // Every point is still drawn.
  CHECK(app::family_of(open.desk().readings.view(*open.desk().focus.shown()))->curves.back().points.back().voltage > 4.9);
  open.desk().document.undo_stack().undo();
  REQUIRE(drive::settled(open.window));
  CHECK(open.figure("early_voltage").value == Approx(before));

  // Against the wake a take lies at zero of itself.
  open.desk().document.set_wake(open.desk().focus.study_id(), *open.desk().focus.shown());
  curves->set_against_wake(true);
  CHECK(plot->yAxis->label().contains("%"));
  CHECK(plot->yAxis->range().upper < 1);
  // Unpinned, currents are currents again, and say so.
  open.desk().document.set_wake(open.desk().focus.study_id(), std::nullopt);
  CHECK(plot->yAxis->label().startsWith("Current, "));
  CHECK(plot->yAxis->range().upper < 0.1);
  curves->set_against_wake(false);

  // A quantity that only this device has is not carried over to another one.
  CHECK(curves->set_axis(Qt::Horizontal, "LED voltage").isEmpty());
  CHECK(plot->xAxis->label().contains("LED voltage"));
  open.choose_study("Clamp diode");
  REQUIRE(drive::settled(open.window));
  CHECK(plot->xAxis->label().contains("diode"));
  // A view that was chosen stays while the take is drawn again.
  plot->xAxis->setRange(7, 8);
  curves->show_fits(false);
  CHECK(plot->xAxis->range() == QCPRange(7, 8));
}

TEST_CASE("the words above the curves open their menus and choose by click", "[app][iv]") {
  OpenWindow open;
  open.choose_study("Load switch output");
  REQUIRE(drive::settled(open.window));
  auto* plot = visible<app::FamilyLens>(open)->family_plot();
  const auto choose = [&](const char* word, const QString& entry) { REQUIRE(drive::choose(open.window, word, entry)); };
  choose("Below", "Power");
  CHECK(drive::until([&] { return plot->rects().size() == 2; }));
  choose("What stands upright", "Resistance V/I");
  CHECK(drive::until([&] { return plot->yAxis->label().contains("Resistance"); }));
  choose("What goes along", "Gate voltage");
  CHECK(drive::until([&] { return plot->rects()[1]->axis(QCPAxis::atBottom)->label().contains("Gate voltage"); }));
  choose("Below", "Nothing");
  CHECK(drive::until([&] { return plot->rects().size() == 1; }));
}

TEST_CASE("points of a datasheet are typed, pasted, judged and taken out", "[app][iv]") {
  OpenWindow open;
  open.choose_study("Turbidity phototransistor");
  REQUIRE(drive::settled(open.window));
  QTest::keyClick(&open.window, Qt::Key_5);
  auto* lens = visible<app::DatasheetLens>(open);
  REQUIRE(lens);
  const auto claims = open.desk().focus.claims().size();
  const int rows = lens->table()->rowCount();
  CHECK(rows == 3);
  const auto type = [&](const char* field, const char* text) {
    auto* edit = drive::control<QLineEdit>(open.window, QString("Datasheet: ") + field);
    REQUIRE(edit);
    edit->setFocus();
    edit->selectAll();
    QTest::keyClicks(edit, text);
    return edit;
  };
  type("at", "2 V");
  type("step", "15 mA");
  type("least", "5 mA");
  type("typical", "6 mA");
  QTest::keyClick(type("most", "7 mA"), Qt::Key_Return);
  REQUIRE(drive::settled(open.window));
  REQUIRE(lens->table()->rowCount() == rows + 1);
  CHECK(drive::until([&] {
    const auto* cell = lens->table()->item(rows, 8);
    return cell && cell->text() == "fails";
  }));
  // What makes no sense is refused with a reason, and nothing is added.
  type("at", "2 A");
  QTest::keyClick(type("least", "5 mA"), Qt::Key_Return);
  CHECK(open.desk().focus.claims().size() == claims + 1);
  QApplication::clipboard()->setText("1 V\t5 mA\t0.5 mA\t\t2 mA\n4 V\t5 mA\t0.5 mA\t\t2 mA\n");
  drive::click(drive::control<QPushButton>(open.window, "Datasheet: Paste"));
  CHECK(lens->table()->rowCount() == rows + 3);
  open.desk().document.undo_stack().undo();
  CHECK(lens->table()->rowCount() == rows + 1);
  lens->table()->selectRow(rows);
  drive::click(drive::control<QPushButton>(open.window, "Datasheet: Take out"));
  CHECK(drive::until([&] { return open.desk().focus.claims().size() == claims; }));
}

TEST_CASE("an unknown device's compliance is found from small, and sources are drawn against time", "[app][iv]") {
  OpenWindow open;
  open.choose_study("Load switch output");
  REQUIRE(drive::settled(open.window));
  auto* picture = open.window.findChild<app::SourcePicture*>("source-picture");
  REQUIRE(picture);
  CHECK(picture->isVisible());
  REQUIRE(picture->course().tracks.size() == 2);
  CHECK(picture->course().tracks[0].read.size() == 405);
  const double before = app::sweep_plan(open.desk())->find("drain")->compliance;
  drive::click(drive::control<QPushButton>(open.window, "Start small"));
  REQUIRE(drive::until([&] { return !open.desk().runner.running(); }, 30000));
  // At 1.8 V the switch takes more than its rating allows: the search stops there and says so.
  const double found = app::sweep_plan(open.desk())->find("drain")->compliance;
  CHECK(found <= before);
  auto* message = drive::control<QLabel>(open.window, "Message");
  REQUIRE(message);
  CHECK(message->text().contains("held"));
  open.desk().document.undo_stack().undo();
  CHECK(app::sweep_plan(open.desk())->find("drain")->compliance == before);
  // Its hookup says where the leads go, and offers generators instead.
  QTest::keyClick(&open.window, Qt::Key_H);
  auto* leads = drive::control<QLabel>(open.window, "Source-measure channels");
  REQUIRE(leads);
  CHECK(drive::until([&] { return leads->isVisible() && leads->text().contains("four-wire"); }));
  drive::click(drive::control<QPushButton>(open.window, "Use generators and inputs"));
  CHECK(app::sweep_plan(open.desk())->method == study::iv::Method::waveform);
  CHECK(drive::until([&] { return drive::control<QPushButton>(open.window, "Take out i") != nullptr; }));
  open.desk().document.undo_stack().undo();
  CHECK(app::sweep_plan(open.desk())->method == study::iv::Method::readings);
  QTest::keyClick(&open.window, Qt::Key_Escape);
  open.choose_study("Preamp passband");
  CHECK_FALSE(picture->isVisible());
}

TEST_CASE("a slow ramp is drawn as it is read, and a stopped one keeps its stretches", "[app][iv]") {
  OpenWindow open;
  open.choose_study("Salinity cell");
  REQUIRE(drive::settled(open.window));
  const auto takes = open.desk().focus.takes().size();
  open.retype("ramp", "2 s");
  open.retype("hold", "0 s");
  for (const char* chain : {"v_force", "v_cell"})
    REQUIRE(open.desk().focus.edit(std::string("hookup.") + chain + ".range", "1 V").isEmpty());
  open.desk().runner.set_paced(true);
  QTest::keyClick(&open.window, Qt::Key_Space);
  const auto drawn = [&]() -> std::size_t {
    if (!open.desk().runner.take()) return 0;
    const auto view = open.desk().readings.view(*open.desk().runner.take());
    return app::family_of(view) ? app::family_of(view)->size() : 0;
  };
  REQUIRE(drive::until([&] { return drawn() > 0; }, 20000));
  const auto first = drawn();
  // A quarter of a second holds an eighth of a leg; half of all four is far off.
  CHECK(first < 200);
  REQUIRE(drive::until([&] { return drawn() > first + 20; }, 20000));
  CHECK(open.desk().runner.running());
  QTest::keyClick(&open.window, Qt::Key_Escape);
  REQUIRE(drive::until([&] { return !open.desk().runner.running(); }, 20000));
  REQUIRE(drive::settled(open.window));
  REQUIRE(open.desk().focus.takes().size() == takes + 1);
  const auto& kept = open.desk().focus.takes().back();
  CHECK(kept.incomplete());
  CHECK(kept.points > 0);
  CHECK(app::family_of(open.desk().readings.view(kept.id))->size() > first);
}

TEST_CASE("figures of takes laid over each other stand side by side, and an export has every reading", "[app][iv]") {
  OpenWindow open;
  open.choose_study("Clamp diode");
  REQUIRE(drive::settled(open.window));
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return open.desk().focus.takes().size() == 2 && !open.desk().runner.running(); }, 60000));
  open.desk().focus.overlay({open.desk().focus.takes()[0].id, open.desk().focus.takes()[1].id});
  REQUIRE(drive::settled(open.window));
  QTest::keyClick(&open.window, Qt::Key_8);
  auto* table = drive::control<QTableWidget>(open.window, "Figures of the take");
  REQUIRE(table);
  REQUIRE(drive::until([&] { return table->columnCount() == 6 && table->rowCount() > 0; }));
  CHECK(table->horizontalHeaderItem(3)->text().startsWith("Take 1"));
  for (int row = 0; row < table->rowCount(); ++row)
    if (table->item(row, 4)->text() == "voltage@10mA") CHECK(table->item(row, 3)->text().contains("7.5"));
  open.desk().focus.show_take(open.desk().focus.takes()[1].id);
  REQUIRE(drive::settled(open.window));
  CHECK(drive::until([&] { return table->columnCount() == 5; }));

  QTemporaryDir folder;
  open.desk().exporter.write(open.desk().focus.study_id(), open.desk().focus.takes()[1].id, folder.path());
  REQUIRE(drive::until([&] { return !open.desk().exporter.writing(); }));
  QFile readings(folder.filePath("clamp-diode-take-2/readings.csv"));
  REQUIRE(readings.open(QIODevice::ReadOnly));
  // A heading and each of 181 points, those at compliance too.
  CHECK(readings.readAll().count('\n') == 182);
}
