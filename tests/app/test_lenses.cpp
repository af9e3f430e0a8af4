#include <fstream>

#include "app/import_page.h"
#include "app/kinds/response/compare_lens.h"
#include "app/kinds/response/impedance_lens.h"
#include "app/kinds/response/plane_lens.h"
#include "app/kinds/response/points_lens.h"
#include "app/lenses/figures_lens.h"
#include "driver.h"

using namespace heron;
using drive::OpenWindow;
using drive::visible;

namespace {

/// A study of two points a decade, so that takes are quick.
void make_quick(OpenWindow& open) {
  REQUIRE(open.desk().focus.edit("refine", "off").isEmpty());
  REQUIRE(open.desk().focus.edit("start", "1 kHz").isEmpty());
  REQUIRE(open.desk().focus.edit("points", "7 points").isEmpty());
  REQUIRE(open.desk().focus.edit("settle_time", "10 ms").isEmpty());
}

}  // namespace

TEST_CASE("keys bring every lens into view, and cursors stand at the same frequency in each", "[app][lenses]") {
  OpenWindow open;
  open.choose_study("Regulator loop");
  auto& look = open.desk().look;
  look.set_cursor('A', 20e3);
  QTest::keyClick(&open.window, Qt::Key_2);
  auto* nyquist = visible<app::PlaneLens>(open);
  REQUIRE(nyquist);
  CHECK(nyquist->plot()->objectName() == "nyquist");
  auto* plane = static_cast<app::PlanePlot*>(nyquist->plot());
  const auto view = open.desk().readings.view(*open.desk().focus.shown());
  const auto where = plane->place(app::curve_of(view), 20e3);
  REQUIRE(where);
  // The circle is a circle: both axes have one scale.
  plane->replot();
  const double per_x = plane->xAxis->range().size() / plane->axisRect()->width(),
               per_y = plane->yAxis->range().size() / plane->axisRect()->height();
  CHECK(per_x == Approx(per_y).epsilon(0.02));
  // B goes to the curve's nearest place to the pointer.
  const auto target = plane->place(app::curve_of(view), 30e3);
  const QPoint at(int(plane->xAxis->coordToPixel(target->x())), int(plane->yAxis->coordToPixel(target->y())));
  const auto near = plane->nearest(app::curve_of(view), at);
  REQUIRE(near);
  CHECK(near->first == Approx(30e3).epsilon(0.02));
  CHECK(near->second < 3);
  QTest::keyClick(&open.window, Qt::Key_3);
  CHECK(visible<app::PlaneLens>(open)->plot()->objectName() == "nichols");
  QTest::keyClick(&open.window, Qt::Key_4);
  auto* delay = visible<app::BodeLens>(open);
  REQUIRE(delay);
  CHECK(*delay->cursor('A') == 20e3);
  CHECK(delay->bode()->rects().size() == 1);
  // No impedance here: its key changes nothing.
  QTest::keyClick(&open.window, Qt::Key_5);
  CHECK(visible<app::ImpedanceLens>(open) == nullptr);
  QTest::keyClick(&open.window, Qt::Key_1);
  CHECK(*open.bode()->cursor('A') == 20e3);
}

TEST_CASE("how a study is looked at is kept with it, and taken up when it comes into view again", "[app][lenses]") {
  OpenWindow open;
  open.choose_study("Regulator loop");
  auto& look = open.desk().look;
  auto& document = open.desk().document;
  const auto id = open.desk().focus.study_id();
  const auto kept = [&] { return document.study(id)->look; };
  // Merely looked at: nothing is written.
  QTest::qWait(600);
  CHECK(kept().empty());
  QTest::keyClick(&open.window, Qt::Key_2);
  look.set_cursor('A', 20e3);
  look.set_against(app::Look::Against::spread);
  CHECK(drive::until([&] { return kept().value("A", 0.0) == 20e3; }));
  CHECK(kept().value("lens", "") == "Nyquist");
  look.set_cursor('B', 31e3);
  // Going elsewhere writes what has not rested yet, and nothing of it stands there.
  open.choose_study("Preamp passband");
  CHECK(kept().value("B", 0.0) == 31e3);
  CHECK(look.against() == app::Look::Against::nothing);
  QTest::keyClick(&open.window, Qt::Key_1);
  look.set_cursor('A', 1e3);
  look.set_cursor('B', std::nullopt);
  open.choose_study("Regulator loop");
  CHECK(look.cursor('A') == std::optional(20e3));
  CHECK(look.cursor('B') == std::optional(31e3));
  CHECK(look.against() == app::Look::Against::spread);
  CHECK(drive::until([&] { return visible<app::PlaneLens>(open) != nullptr; }));
  open.choose_study("Preamp passband");
  CHECK(look.cursor('A') == std::optional(1e3));
  CHECK_FALSE(look.cursor('B').has_value());
  CHECK(drive::until([&] { return open.bode() && open.bode()->isVisible(); }));
  // A copy is looked at in the same way, and so is the dossier when it is opened again.
  const auto path = document.path();
  REQUIRE(document.template_of(id));
  CHECK(document.template_of(id)->look == kept());
  look.set_cursor('A', 2e3);
  REQUIRE(open.desk().open(path));
  open.choose_study("Preamp passband");
  CHECK(look.cursor('A') == std::optional(2e3));
  open.choose_study("Regulator loop");
  CHECK(look.cursor('A') == std::optional(20e3));
}

TEST_CASE("a look that makes no sense is none", "[app][lenses]") {
  app::Look look(nullptr);
  look.set_cursor('A', 5);
  const auto plain = look.kept();
  for (const char* text : {R"({"A": "far"})", R"({"A": null, "B": [1]})", R"({"db": 3, "against": 4, "lens": {}})", R"({"against": "everything", "lens": 7})"}) {
    look.take_up(nlohmann::json::parse(text), true);
    CHECK(look.kept() == plain);
  }
  look.take_up(nlohmann::json::object(), false);
  CHECK_FALSE(look.cursor('A').has_value());
}

TEST_CASE("a chosen figure is marked where it was read", "[app][lenses]") {
  OpenWindow open;
  open.choose_study("Regulator loop");
  auto* row = open.window.findChild<app::FigureRow*>();
  QTest::mouseClick(row, Qt::LeftButton, {}, QPoint(30, 30));
  CHECK(open.desk().look.figure() == "margin.phase");
  REQUIRE(open.figure("margin.phase").at.size() == 1);
  CHECK(open.figure("margin.phase").at[0] == Approx(open.figure("crossover.gain").value));
  int rings = 0;
  for (int i = 0; i < open.bode()->bode()->itemCount(); ++i)
    if (auto* ring = qobject_cast<QCPItemTracer*>(open.bode()->bode()->item(i))) {
      ++rings;
      CHECK(ring->position->key() == Approx(open.figure("crossover.gain").value));
    }
  CHECK(rings == 2);
  QTest::mouseClick(row, Qt::LeftButton, {}, QPoint(30, 30));
  CHECK(open.desk().look.figure().isEmpty());
}

TEST_CASE("words above the plot say and change how it is drawn", "[app][lenses]") {
  OpenWindow open;
  auto* bar = open.bode()->bar();
  const auto press = [&](const char* name) { drive::click(drive::button(*bar, name)); };
  press("Gain in dB or as a ratio");
  CHECK(open.bode()->bode()->gain_rect()->axis(QCPAxis::atLeft)->scaleType() == QCPAxis::stLogarithmic);
  CHECK(drive::button(*bar, "Gain in dB or as a ratio")->text() == "gain as a ratio");
  press("Frequency axis");
  CHECK(open.bode()->bode()->gain_rect()->axis(QCPAxis::atBottom)->scaleType() == QCPAxis::stLinear);
  press("Phase unwrapped or wrapped");
  CHECK_FALSE(open.desk().look.unwrapped());
  REQUIRE(drive::until([&] { return open.desk().outlook.expected() != nullptr; }, 20000));
  const auto before = open.bode()->bode()->graphCount();
  press("Expected curve");
  CHECK(open.bode()->bode()->graphCount() < before);
  for (const char* name :
       {"Gain in dB or as a ratio", "Frequency axis", "Phase unwrapped or wrapped", "Expected curve"})
    press(name);
  CHECK(open.bode()->bode()->graphCount() >= before);
}

TEST_CASE("noise is taken, watched as it averages, and doubted where the lead is off", "[app][lenses]") {
  OpenWindow open;
  open.choose_study("Mooring line, lead off");
  const auto view = open.desk().readings.view(*open.desk().focus.shown());
  REQUIRE(view);
  bool serious = false;
  for (const auto& d : view->analysis.reading.doubts)
    serious = serious || (d.key == "coherence.low" && d.severity == study::Severity::serious);
  CHECK(serious);
  CHECK(open.bode()->bode()->rects().size() == 3);
  open.choose_study("Mooring-line vibration");
  CHECK(open.word("noise_level"));
  CHECK_FALSE(open.word("level"));
  REQUIRE(open.desk().focus.edit("noise_averages", "16").isEmpty());
  REQUIRE(open.desk().focus.edit("resolution", "2 Hz").isEmpty());
  bool live = false;
  QObject::connect(&open.desk().readings, &app::Readings::live_changed, &open.window, [&] {
    const auto now = open.desk().runner.take();
    if (now) live = live || open.desk().readings.view(*now) != nullptr;
  });
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return open.desk().focus.takes().size() == 2 && !open.desk().runner.running(); }, 60000));
  REQUIRE(drive::settled(open.window));
  const auto taken = open.desk().readings.view(*open.desk().focus.shown());
  CHECK(app::curve_of(taken).independent > 10);
  CHECK(taken->trouble.isEmpty());
  open.retype("method", "stepped sine");
  CHECK(open.word("level"));
}

TEST_CASE("the component card reads the part, standards come off and on", "[app][lenses]") {
  OpenWindow open;
  open.choose_study("Transducer impedance");
  QTest::keyClick(&open.window, Qt::Key_5);
  auto* lens = visible<app::ImpedanceLens>(open);
  REQUIRE(lens);
  auto* card = drive::control<QTableWidget>(open.window, "Component");
  auto* field = drive::control<QLineEdit>(open.window, "Test frequencies");
  REQUIRE(card);
  drive::click(field);
  field->selectAll();
  QTest::keyClicks(field, "30 kHz, 45k");
  QTest::keyClick(field, Qt::Key_Return);
  CHECK(card->horizontalHeaderItem(2)->text() == "45 kHz");
  CHECK(drive::until([&] {
    QStringList seen;
    for (int row = 0; row < card->rowCount(); ++row) seen << card->item(row, 1)->text();
    return seen.join(" ").contains("nF");
  }));
  const double with = open.figure("shunt.capacitance").value;
  auto* off = drive::button(open.window, "Standard: open");
  drive::click(off);
  REQUIRE(drive::settled(open.window));
  CHECK(off->text() == "Take open");
  CHECK(open.figure("shunt.capacitance").value > with + 50e-12);
  open.desk().document.undo_stack().undo();
  REQUIRE(drive::settled(open.window));
  CHECK(open.figure("shunt.capacitance").value == Approx(with));
  // Taken anew, the fresh one is what counts.
  const auto before = open.desk().focus.takes().size();
  drive::click(off);
  drive::click(off);
  REQUIRE(
      drive::until([&] { return !open.desk().runner.running() && open.desk().focus.takes().size() == before + 1; }, 60000));
  CHECK(open.desk().focus.takes().back().purpose == "open");
  CHECK(off->text() == QString("open: %1").arg(open.desk().focus.takes().back().number));
}

TEST_CASE("units are compared, normalised, over the wake and as a band", "[app][lenses]") {
  OpenWindow open;
  open.choose_study("Transducers compared");
  QTest::keyClick(&open.window, Qt::Key_6);
  REQUIRE(visible<app::CompareLens>(open));
  drive::click(drive::button(open.window, "Compare: the newest of every unit"));
  auto* table = drive::control<QTableWidget>(open.window, "Takes compared");
  REQUIRE(drive::until([&] { return table->rowCount() == 5; }));
  CHECK(table->horizontalHeaderItem(1)->text() == "Level removed");
  int outside = 0;
  for (int row = 0; row < 5; ++row)
    outside += table->item(row, 3)->data(Qt::UserRole + 1).toInt() == int(judge::Verdict::fails);
  CHECK(outside == 1);
  auto* lens = visible<app::BodeLens>(open);
  auto* what = drive::button(*lens->bar(), "What is compared");
  CHECK(what->text() == "laid over each other");
  drive::click(what);
  CHECK(what->text() == "each over the wake");
  drive::click(what);
  drive::click(what);
  CHECK(what->text() == "mean and band");
  drive::click(what);
  auto* at = drive::control<QLineEdit>(open.window, "Normalise at");
  drive::click(at);
  at->selectAll();
  QTest::keyClicks(at, "45 kHz");
  QTest::keyClick(at, Qt::Key_Return);
  REQUIRE(drive::until([&] { return table->rowCount() == 5; }));
  CHECK(open.desk().focus.study()->settings.at("normalise") == "45 kHz");
  QTest::keyClick(at, Qt::Key_Tab);
  open.desk().document.undo_stack().undo();
  CHECK(open.desk().focus.study()->settings.at("normalise") == "28 kHz");
}

TEST_CASE("points are sorted, copied and taken again", "[app][lenses]") {
  OpenWindow open;
  make_quick(open);
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return open.desk().focus.takes().size() == 3 && !open.desk().runner.running(); }, 60000));
  REQUIRE(drive::settled(open.window));
  QTest::keyClick(&open.window, Qt::Key_8);
  auto* lens = visible<app::PointsLens>(open);
  REQUIRE(lens);
  auto* table = lens->table();
  REQUIRE(table->rowCount() == 7);
  table->sortByColumn(1, Qt::DescendingOrder);
  CHECK(table->item(0, 0)->text() == "7");
  table->selectRow(0);
  table->setFocus();
  QTest::keyClick(table, Qt::Key_C, Qt::ControlModifier);
  const auto lines = QApplication::clipboard()->text().trimmed().split('\n');
  REQUIRE(lines.size() == 2);
  CHECK(lines[1].startsWith("200000"));
  drive::click(drive::button(open.window, "Take these again"));
  REQUIRE(drive::until([&] { return open.desk().focus.takes().size() == 4 && !open.desk().runner.running(); }, 60000));
  CHECK(open.desk().focus.takes().back().note == "one point read again");
  const auto first = open.desk().document.point_reader(open.desk().focus.takes()[2].id, 2)(),
             again = open.desk().document.point_reader(open.desk().focus.takes()[3].id, 2)();
  CHECK(first->records[0].channels[0].counts == again->records[0].channels[0].counts);
}

TEST_CASE("a study that repeats goes on until stopped and keeps what was asked", "[app][lenses]") {
  for (const bool every : {true, false}) {
    OpenWindow open;
    make_quick(open);
    REQUIRE(
        open.desk()
            .focus.edit("repeat", every ? "until stopped, keeping every pass" : "until stopped, keeping the last pass")
            .isEmpty());
    int numbers = 0;
    QObject::connect(&open.desk().focus, &app::Focus::takes_changed, &open.window, [&] {
      if (!open.desk().focus.takes().empty()) numbers = std::max(numbers, open.desk().focus.takes().back().number);
    });
    QTest::keyClick(&open.window, Qt::Key_Space);
    REQUIRE(drive::until([&] { return numbers >= (every ? 5 : 3) && open.desk().runner.progress().done > 1; }, 60000));
    QTest::qWait(500);
    QTest::keyClick(&open.window, Qt::Key_Escape);
    REQUIRE(drive::until([&] { return !open.desk().runner.running(); }, 60000));
    if (every)
      CHECK(open.desk().focus.takes().size() >= 5);
    else
      CHECK(open.desk().focus.takes().size() <= 4);
  }
}

TEST_CASE("several files and several curves of one come in together, with columns put right", "[app][lenses]") {
  OpenWindow open;
  const QString several = open.demo.file("several.csv"), swapped = open.demo.file("swapped.csv"),
                network = open.demo.file("filter.s2p");
  std::ofstream(several.toStdString()) << "frequency,gain,phase\n10,0,0\n100,-1,-5\n1000,-3,-45\n"
                                       << "10,1,0\n100,0,-5\n1000,-2,-45\n";
  std::ofstream(swapped.toStdString()) << "gain,frequency\n10,-3\n100,-2\n1000,-9\n";
  std::ofstream(network.toStdString()) << "# kHz S MA R 50\n1 0.1 0 2 0 0 0 0.1 0\n10 0.1 0 1 -45 0 0 0.1 0\n";
  QMimeData data;
  data.setUrls({QUrl::fromLocalFile(several), QUrl::fromLocalFile(swapped), QUrl::fromLocalFile(network)});
  QDragEnterEvent enter(QPoint(400, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(&open.window, &enter);
  QDropEvent event(QPointF(400, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(&open.window, &event);
  auto* page = open.window.findChild<app::ImportPage*>();
  REQUIRE(page);
  REQUIRE(page->isVisible());
  auto* bring = drive::button(open.window, "Bring in");
  CHECK_FALSE(bring->isEnabled());
  const auto choose = [&](int column, const char* role) {
    QComboBox* box = nullptr;
    REQUIRE(drive::until([&] {
      return (box = drive::control<QComboBox>(open.window, QString("Column %1 of swapped.csv").arg(column))) != nullptr;
    }));
    box->setCurrentText(role);
    emit box->activated(box->currentIndex());
    QTest::qWait(20);
  };
  choose(1, "frequency");
  choose(2, "gain");
  REQUIRE(drive::until([&] { return bring->isEnabled(); }));
  CHECK(bring->text() == "Judge 4 takes");
  drive::click(bring);
  REQUIRE(drive::until([&] { return open.desk().focus.takes().size() == 6; }));
  REQUIRE(drive::settled(open.window));
  CHECK(open.desk().focus.overlaid().size() == 4);
  CHECK(open.desk().focus.takes()[3].origin == "several.csv, curve 2");
}

TEST_CASE("a long table is read with its share told, stopped by Esc, and kept where nobody waits for it", "[app][import]") {
  OpenWindow open;
  open.choose_study("Preamp step");
  const auto before = open.desk().focus.takes().size();
  const QString path = open.demo.file("long.csv");
  {
    std::ofstream out(path.toStdString());
    out << "time (s),v_in (V),v_out (V)\n";
    for (int k = 0; k < 600'000; ++k) out << k << "e-7," << (k % 9000 < 4500 ? 0 : 1) << ".25,0." << k % 7 << "5\n";
  }
  const auto offer = [&] {
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(path)});
    QDragEnterEvent enter(QPoint(400, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&open.window, &enter);
    QDropEvent event(QPointF(400, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&open.window, &event);
    auto* bring = drive::button(open.window, "Bring in");
    REQUIRE(bring);
    REQUIRE(drive::until([&] { return bring->isEnabled(); }));
    auto* page = open.window.findChild<app::ImportPage*>();
    QStringList said, taken_as;
    for (const auto* label : page->findChildren<QLabel*>()) said << label->text();
    for (const auto* box : page->findChildren<QComboBox*>())
      if (box->toolTip() == "What this column is taken as") taken_as << box->currentText();
    CHECK(said.join("\n").contains(QRegularExpression("one curve of about (59|60)\\d{4} points")));
    CHECK(taken_as == QStringList{"time", "v_in", "v_out"});
    return bring;
  };
  // Left while it is read: no take comes of it, now or later.
  drive::click(offer());
  QTest::keyClick(&open.window, Qt::Key_Escape);
  auto* page = open.window.findChild<app::ImportPage*>();
  REQUIRE(page);
  REQUIRE(drive::until([&] { return !page->isVisible(); }));
  drive::settled(open.window);
  CHECK(open.desk().focus.takes().size() == before);
  // Left alone it comes in, beside what was in view.
  drive::click(offer());
  REQUIRE(drive::until([&] { return open.desk().focus.takes().size() == before + 1; }, 60000));
  CHECK(open.desk().focus.takes().back().origin == "long.csv");
}
