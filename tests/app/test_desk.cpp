#include <catch2/catch.hpp>
#include <random>

#include "app/kinds/kind_view.h"
#include "driver.h"
#include "judge/claim_words.h"

using namespace heron;
using drive::OpenWindow;

namespace {

app::StudyLine* line_of(OpenWindow& open, const QString& study) {
  return drive::control<app::StudyLine>(open.window, "Study: " + study);
}

/// Every byte that undo must bring back: plans, settings, wakes, notes, claims.
std::string written(app::Desk& desk) {
  nlohmann::json out;
  for (const auto& study : desk.document.studies()) {
    auto& one = out[study.name];
    one["plan"] = study.plan;
    one["settings"] = study.settings;
    one["wake"] = study.wake.value_or(0);
    for (const auto& claim : desk.document.claims(study.id)) one["claims"].push_back(claim.text);
    for (const auto& typed : desk.document.typed(study.id))
      one["typed"].push_back({typed.figure.label, typed.figure.value, typed.source, typed.unit});
    for (const auto& take : desk.document.takes(study.id)) one["takes"].push_back({take.note, take.aside});
  }
  return out.dump();
}

}  // namespace

TEST_CASE("the ledger folds studies into lines with a mark for each claim", "[app][ledger]") {
  OpenWindow open;
  REQUIRE(drive::ledger_read(open.window));
  const auto studies = open.desk().document.studies().size();
  CHECK(open.window.findChildren<app::StudyLine*>().size() >= qsizetype(studies));
  auto* loop = line_of(open, "Regulator loop");
  REQUIRE(loop);
  REQUIRE(drive::until([&] { return loop->verdicts().size() == 3; }));
  CHECK(std::count(loop->verdicts().begin(), loop->verdicts().end(), judge::Verdict::fails) == 1);
  // Only the one in view is open.
  const auto rows = [&] {
    qsizetype seen = 0;
    for (auto* row : open.window.findChildren<app::LedgerRow*>()) seen += row->isVisible();
    return seen;
  };
  CHECK(rows() == 4);
  drive::click(loop);
  REQUIRE(drive::until([&] { return rows() == 3; }));
  CHECK(open.desk().focus.study()->name == "Regulator loop");
  // Down walks on, up comes back.
  QTest::keyClick(line_of(open, "Regulator loop"), Qt::Key_Down);
  CHECK(open.desk().focus.study()->name == "Transducer impedance");
  QTest::keyClick(line_of(open, "Transducer impedance"), Qt::Key_Up);
  CHECK(open.desk().focus.study()->name == "Regulator loop");
}

TEST_CASE("the ledger keeps to what fails, worst first, and shows what is in view", "[app][ledger]") {
  OpenWindow open;
  REQUIRE(drive::ledger_read(open.window));
  open.choose_study("Preamp through probes");
  drive::click(drive::button(open.window, "Ledger: only failed or too close"));
  CHECK(line_of(open, "Regulator loop"));
  CHECK_FALSE(line_of(open, "Preamp passband"));
  CHECK(line_of(open, "Preamp through probes"));
  drive::click(drive::button(open.window, "Ledger: only failed or too close"));
  REQUIRE(line_of(open, "Preamp passband"));
  drive::click(drive::button(open.window, "Ledger: worst first"));
  CHECK(line_of(open, "Regulator loop")->y() < line_of(open, "Preamp passband")->y());
  drive::click(drive::button(open.window, "Ledger: worst first"));
  // The last study is below the fold until it is looked at.
  const auto& last = open.desk().document.studies().back();
  open.desk().focus.select_study(last.id);
  auto* ledger = open.window.findChild<app::LedgerView*>();
  CHECK(drive::until([&] {
    auto* line = line_of(open, QString::fromStdString(last.name));
    return line && !line->visibleRegion().isEmpty() && ledger->viewport()->rect().contains(line->mapTo(ledger->viewport(), QPoint(2, 2)));
  }));
}

TEST_CASE("a run goes on as it was asked for, whatever is looked at meanwhile", "[app][desk]") {
  OpenWindow open;
  auto& desk = open.desk();
  const auto first = desk.focus.study_id();
  REQUIRE(desk.focus.edit("points", "6 points").isEmpty());
  REQUIRE(desk.focus.edit("refine", "off").isEmpty());
  const auto before = desk.focus.takes().size();
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(desk.runner.running());
  // Another study, one that repeats and keeps its last pass: its plan is none of the run's business.
  for (const auto& study : desk.document.studies())
    if (study.name == "Preamp through probes") desk.focus.select_study(study.id);
  const auto second = desk.focus.study_id();
  REQUIRE(second != first);
  const auto others = desk.focus.takes().size();
  REQUIRE(desk.focus.edit("repeat", "until stopped, keeping the last pass").isEmpty());
  REQUIRE(drive::until([&] { return !desk.runner.running(); }, 60000));
  QTest::qWait(100);
  CHECK_FALSE(desk.runner.running());
  CHECK(desk.document.takes(first).size() == before + 1);
  CHECK(desk.document.takes(second).size() == others);
  CHECK(desk.focus.study_id() == second);
}

TEST_CASE("a take that has ended is read whole, however often it was asked for while it ran", "[app][desk]") {
  OpenWindow open;
  auto& desk = open.desk();
  REQUIRE(desk.focus.edit("refine", "off").isEmpty());
  for (int run = 0; run < 3; ++run) {
    QTest::keyClick(&open.window, Qt::Key_Space);
    REQUIRE(drive::until([&] {
      if (desk.runner.take()) desk.readings.view(*desk.runner.take());
      return !desk.runner.running();
    }, 60000));
    REQUIRE(drive::settled(open.window));
    const auto& take = desk.focus.takes().back();
    const auto view = desk.readings.view(take.id);
    REQUIRE(view);
    CHECK(app::curve_of(view).points.size() == std::size_t(take.points));
    for (const auto& doubt : view->analysis.reading.doubts) CHECK(doubt.key != "record.damaged");
  }
}

TEST_CASE("the bench has one owner", "[app][desk]") {
  OpenWindow open;
  auto& desk = open.desk();
  desk.runner.set_paced(true);
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(desk.runner.running());
  CHECK(desk.runner.zero_sensor("response") == "The bench is in use already.");
  CHECK(desk.runner.check_factor("response") == "The bench is in use already.");
  CHECK_FALSE(desk.runner.start().isEmpty());
  CHECK_FALSE(desk.open(open.demo.practice()));
  QTest::keyClick(&open.window, Qt::Key_Escape);
  REQUIRE(drive::until([&] { return !desk.runner.running(); }, 60000));
  desk.runner.set_paced(false);
  CHECK(desk.runner.zero_sensor("response").isEmpty());
  CHECK(desk.runner.running());
  CHECK_FALSE(desk.runner.taking());
  CHECK_FALSE(desk.runner.start().isEmpty());
  REQUIRE(drive::until([&] { return !desk.runner.running(); }, 60000));
}

TEST_CASE("a figure read on another meter is typed in, claimed, marked and undone", "[app][desk]") {
  OpenWindow open;
  open.choose_study("Transducer impedance");
  // As a person does: Find, the words, Enter; then the line, first without the meter, which is asked for again.
  QTest::keyClick(&open.window, Qt::Key_K, Qt::ControlModifier);
  QStringList asked;
  QTimer answer;
  QObject::connect(&answer, &QTimer::timeout, [&] {
    auto* dialog = qobject_cast<QInputDialog*>(QApplication::activeModalWidget());
    if (!dialog) return;
    asked << dialog->labelText();
    dialog->setTextValue(asked.size() == 1 ? "Capacity 5.06 nF \u00b10.02 nF"
                                           : "Capacity 5.06 nF \u00b10.02 nF, by the bridge in the lab");
    QTest::keyClick(dialog, Qt::Key_Return);
  });
  answer.start(50);
  auto* find = drive::control<QLineEdit>(open.window, "Find");
  REQUIRE(find);
  QTest::keyClicks(find, "Type a figure in");
  QTest::keyClick(find, Qt::Key_Return);
  REQUIRE(drive::until([&] { return asked.size() >= 2; }));
  answer.stop();
  CHECK(asked[1].contains("Where was it read?"));
  auto& document = open.desk().document;
  const auto id = open.desk().focus.study_id();
  REQUIRE(document.typed(id).size() == 1);
  CHECK(document.write_claim(id, "Capacity 5 to 5.2 nF").isEmpty());
  const auto row = [&]() -> app::LedgerRow* {
    for (auto* one : open.window.findChildren<app::LedgerRow*>())
      if (one->isVisible() && one->accessibleName().contains("Capacity")) return one;
    return nullptr;
  };
  REQUIRE(drive::until([&] { return row() && row()->toolTip().contains("meets"); }));
  CHECK(row()->toolTip().contains("typed in, read by the bridge in the lab"));
  auto* figures = open.window.findChild<app::FigureRow*>();
  CHECK(drive::until([&] { return figures->accessibleDescription().contains("typed in"); }));
  REQUIRE(drive::settled(open.window));
  // The dialog was active last.
  QApplication::setActiveWindow(&open.window);
  QTest::keyClick(&open.window, Qt::Key_Z, Qt::ControlModifier);
  CHECK(drive::until([&] { return !row(); }));
  QTest::keyClick(&open.window, Qt::Key_Z, Qt::ControlModifier);
  CHECK(drive::until([&] { return document.typed(id).empty(); }));
  QTest::keyClick(&open.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  CHECK(drive::until([&] { return document.typed(id).size() == 1; }));
}

TEST_CASE("every line that a claim is said to look like is understood by its kind", "[app][desk]") {
  for (const auto* view : app::kind_views()) {
    int lines = 0;
    for (auto line : view->claim_examples().split(';')) {
      line = line.trimmed();
      if (line.startsWith("or a limit line: ")) line = line.mid(QString("or a limit line: ").size());
      INFO(line.toStdString());
      const auto mask = judge::understand_mask(line.toStdString(), view->kind());
      REQUIRE(mask);
      ++lines;
      if (*mask) continue;
      const auto claim = judge::understand_claim(line.toStdString(), view->kind());
      INFO((claim ? std::string() : claim.error().message));
      CHECK(claim);
    }
    CHECK(lines > 0);
  }
}

TEST_CASE("two hundred edits over several studies are undone and done again to the same bytes", "[app][desk][property]") {
  const drive::DemoCopy demo;
  app::Desk desk;
  REQUIRE(desk.open(demo.path()));
  const auto start = written(desk);
  std::mt19937 random(4);
  const auto& studies = desk.document.studies();
  const auto any = [&](std::size_t n) { return std::size_t(random() % n); };
  for (int step = 0; step < 200; ++step) {
    desk.focus.select_study(studies[any(studies.size())].id);
    const auto id = desk.focus.study_id();
    switch (any(6)) {
      case 0:
        // Words that one of the kinds has; the other refuses them and nothing changes.
        desk.focus.edit(any(2) ? "stop" : "delay", QString::number(1 + int(any(90))) + (any(2) ? " kHz" : " ms"));
        break;
      case 1:
        desk.focus.edit_setting("from", QString::number(int(any(3))) + (any(2) ? " Hz" : " V"));
        break;
      case 2:
        if (const auto& takes = desk.document.takes(id); !takes.empty())
          desk.document.set_wake(id, any(2) ? std::optional(takes[any(takes.size())].id) : std::nullopt);
        break;
      case 3:
        if (const auto& takes = desk.document.takes(id); !takes.empty())
          desk.document.set_note(id, takes[any(takes.size())].id, QString("note %1").arg(step));
        break;
      case 4:
        if (const auto& typed = desk.document.typed(id); !typed.empty() && any(3) == 0)
          desk.document.remove_typed(id, judge::TypedFigure(typed.front()));
        else
          desk.document.type_figure(id, 1, QString("Coil %1 %2 uH, by the bridge").arg(any(2)).arg(1 + any(9)));
        break;
      default:
        desk.document.write_claim(id, any(2) ? "High corner at least 11 kHz" : "Loop area at most 3 W");
    }
  }
  const auto end = written(desk);
  CHECK(end != start);
  auto& undo = desk.document.undo_stack();
  const int edits = undo.count();
  CHECK(edits > 60);
  while (undo.canUndo()) undo.undo();
  CHECK(written(desk) == start);
  while (undo.canRedo()) undo.redo();
  CHECK(written(desk) == end);
}

TEST_CASE("what is said of a study is shown there, goes by a click and is found again", "[app][desk]") {
  OpenWindow open;
  auto& desk = open.desk();
  const auto first = desk.focus.study_id();
  desk.messages.say("The loop closes.", false, first);
  auto* message = open.window.findChild<QLabel*>("message");
  REQUIRE(message->isVisible());
  for (const auto& study : desk.document.studies())
    if (study.id != first) {
      desk.focus.select_study(study.id);
      break;
    }
  CHECK_FALSE(message->isVisible());
  desk.messages.say("Of the first one.", true, first);
  CHECK_FALSE(message->isVisible());
  desk.messages.say("Of no study.", false);
  REQUIRE(message->isVisible());
  drive::click(message);
  CHECK_FALSE(message->isVisible());
  REQUIRE(desk.messages.all().size() >= 3);
  CHECK(desk.messages.all().back().text == "Of no study.");
}

TEST_CASE("what goes wrong in a lens is said of the study in view", "[app][desk]") {
  OpenWindow open;
  auto& desk = open.desk();
  desk.complain({});
  CHECK(desk.messages.all().isEmpty());
  desk.complain(desk.focus.edit_setting("normalise", "one banana"));
  REQUIRE_FALSE(desk.messages.all().isEmpty());
  CHECK(desk.messages.all().back().study == desk.focus.study_id());
}

TEST_CASE("a study of a kind that is not known is shown as that, with no other kind's picture", "[app][desk]") {
  OpenWindow open;
  auto& desk = open.desk();
  {
    auto store = dossier::Store::open(open.demo.path().toStdString());
    REQUIRE(store);
    REQUIRE(store->add_study({.name = "Of a later year", .kind = "spin", .plan = {{"speed", 3}}}));
  }
  REQUIRE(desk.open(open.demo.path()));
  open.window.show_study();
  const auto& last = desk.document.studies().back();
  REQUIRE(last.name == "Of a later year");
  const auto known = desk.focus.study_id();
  desk.focus.select_study(last.id);
  auto* unknown = drive::control<QLabel>(open.window, "No lens");
  REQUIRE(unknown);
  CHECK(unknown->isVisible());
  CHECK(unknown->text().contains("no lens"));
  CHECK(open.window.page().lens_count() == 0);
  for (const int key : {Qt::Key_1, Qt::Key_BracketRight, Qt::Key_Space}) QTest::keyClick(&open.window, Qt::Key(key));
  CHECK_FALSE(desk.runner.running());
  desk.focus.select_study(known);
  CHECK(open.window.page().lens());
  CHECK_FALSE(unknown->isVisible());
}

TEST_CASE("a list of sensors that cannot be read is left as it is", "[app][desk]") {
  OpenWindow open;
  const QString path = app::SensorList::path();
  QDir().mkpath(QFileInfo(path).path());
  const QByteArray before = [&] {
    QFile old(path);
    return old.open(QIODevice::ReadOnly) ? old.readAll() : QByteArray();
  }();
  const auto write = [&](const QByteArray& text) {
    QFile file(path);
    REQUIRE(file.open(QIODevice::WriteOnly));
    file.write(text);
  };
  write("{ no list");
  app::SensorList list;
  CHECK_FALSE(list.trouble().isEmpty());
  auto sensor = bench::stock_sensors().front();
  sensor.name = "Mine";
  CHECK(list.keep(sensor).contains("left as it is"));
  QFile after(path);
  REQUIRE(after.open(QIODevice::ReadOnly));
  CHECK(after.readAll() == "{ no list");
  if (before.isEmpty())
    QFile::remove(path);
  else
    write(before);
}
