#include <QFileDialog>
#include <QListWidget>
#include <QStandardPaths>
#include <catch2/catch.hpp>

#include "app/overview_page.h"
#include "app/templates.h"
#include "driver.h"

using namespace heron;
using drive::OpenWindow;

namespace papers_window {
namespace {

/// What the finder offers for these words.
QStringList found(OpenWindow& open, const QString& words) {
  QTest::keyClick(&open.window, Qt::Key_K, Qt::ControlModifier);
  auto* field = drive::control<QLineEdit>(open.window, "Find");
  if (!field) return {};
  field->setText(words);
  QStringList out;
  auto* list = drive::control<QListWidget>(open.window, "Found");
  for (int k = 0; list && k < list->count(); ++k) out << list->item(k)->text();
  return out;
}

void write(QWidget& window, const char* field, const QString& words) {
  auto* line = drive::control<QLineEdit>(window, field);
  REQUIRE(line);
  line->setFocus();
  line->selectAll();
  QTest::keyClicks(line, words);
  QTest::keyClick(line, Qt::Key_Return);
}

/// Answers the next question for a file.
void choose_file(const QString& path) {
  drive::with_next<QFileDialog>([path](QFileDialog& dialog) {
    dialog.selectFile(path);
    QMetaObject::invokeMethod(&dialog, "accept");
  });
}

}  // namespace

TEST_CASE("notes on device, unit, study and take are written, undone and found again", "[app][notes]") {
  OpenWindow open;
  QTest::keyClick(&open.window, Qt::Key_D);
  REQUIRE(drive::until([&] { return drive::control<QLineEdit>(open.window, "Serial number") != nullptr; }));
  write(open.window, "Serial number", "SN 0042");
  write(open.window, "Note on the unit", "solder bridge at C6");
  write(open.window, "Note on the device", "third spin of the board");
  auto unit = open.desk().document.device(dossier::kMainAssembly)->unit;
  CHECK(unit.serial == "SN 0042");
  CHECK(unit.note == "solder bridge at C6");
  CHECK(open.desk().document.device_note() == "third spin of the board");
  // Whatever another assembly shows, it is the same unit.
  CHECK(open.desk().document.units(2).size() == open.desk().document.units(1).size());
  open.desk().document.undo_stack().undo();
  open.desk().document.undo_stack().undo();
  CHECK(open.desk().document.device_note().isEmpty());
  CHECK(open.desk().document.device(dossier::kMainAssembly)->unit.note.empty());
  open.desk().document.undo_stack().redo();
  CHECK(found(open, "solder bridge").size() == 1);
  CHECK(found(open, "sn 0042").front().startsWith("Unit: unit 07, SN 0042"));
  const auto study = open.desk().focus.study_id();
  open.desk().document.set_study_note(study, "repeat with the shorter lead");
  CHECK(found(open, "shorter lead") == QStringList{"Note on Preamp passband: repeat with the shorter lead"});
  // Takes by their notes, claims, parts, figures by their keys; Enter goes there.
  CHECK(found(open, "looks like 5.6").front().startsWith("Take 1 of Preamp passband, unit 03"));
  CHECK(found(open, "figure corner.high").front().contains("High corner"));
  CHECK(found(open, "part: c6").size() == 1);
  CHECK(found(open, "claim phase margin").front().startsWith("Claim: Regulator loop"));
  QTest::keyClick(drive::control<QLineEdit>(open.window, "Find"), Qt::Key_Return);
  CHECK(drive::until([&] { return open.window.page().isVisible() && open.desk().focus.study()->name == "Regulator loop"; }));
  // What there is a lot of is not offered before anybody types.
  CHECK(found(open, "").filter("Take 1 of").isEmpty());
}

TEST_CASE("a study is copied, kept as a template, and added from it where names differ", "[app][template]") {
  OpenWindow open;
  const auto studies = open.desk().document.studies().size();
  found(open, "copy the study");
  QTest::keyClick(drive::control<QLineEdit>(open.window, "Find"), Qt::Key_Return);
  REQUIRE(open.desk().document.studies().size() == studies + 1);
  CHECK(open.desk().focus.study()->name == "Preamp passband (2)");
  CHECK(open.desk().focus.claims().size() == 3);
  CHECK(open.desk().focus.masks().size() == 1);
  found(open, "as a template");
  QTest::keyClick(drive::control<QLineEdit>(open.window, "Find"), Qt::Key_Return);
  const auto offered = app::template_files();
  CHECK(offered.size() >= 8);
  CHECK(offered.front().name == "Preamp passband (2) (mine)");
  // On another assembly its pins and parts have no counterpart: they are asked for.
  for (const auto& study : open.desk().document.studies())
    if (study.name == "Regulator loop") open.desk().focus.select_study(study.id);
  // Each question is asked as the one before it is answered: a name, what it is made from, which pins.
  drive::with_next<QInputDialog>([](QInputDialog& name) {
    drive::with_next<QInputDialog>([](QInputDialog& kinds) {
      kinds.setTextValue("Template: Preamp passband");
      drive::with_next<app::MatchDialog>([](app::MatchDialog& match) {
        for (auto* choice : match.findChildren<QComboBox*>())
          if (choice->accessibleName().startsWith("Pin ")) choice->setCurrentIndex(choice->accessibleName() == "Pin preamp in" ? 1 : 2);
        match.accept();
      });
      kinds.accept();
    });
    name.setTextValue("From a template");
    name.accept();
  });
  found(open, "add a study");
  QTest::keyClick(drive::control<QLineEdit>(open.window, "Find"), Qt::Key_Return);
  REQUIRE(drive::until([&] { return open.desk().focus.study()->name == "From a template"; }));
  const auto names = run::names_of(open.desk().focus.device());
  const auto plan = open.desk().focus.plan();
  REQUIRE(plan);
  CHECK(plan->leads().front().pin == names.at(0));
  QFile::remove(app::template_folder() + "/preamp-passband-2.json");
}

TEST_CASE("the takes of another dossier come in from the window", "[app][merge]") {
  OpenWindow open;
  drive::DemoCopy other;
  const auto said_last = [&] { return open.desk().messages.all().isEmpty() ? QString() : open.desk().messages.all().back().text; };
  {
    auto store = dossier::Store::open(other.path().toStdString());
    REQUIRE(store);
    const auto study = *store->find_study("Preamp passband");
    const auto points = *store->points(store->takes(study.id)->front().id);
    const auto take = store->begin_take(study.id, "unit 42", "another bench", nlohmann::json::object(), int(points.size()));
    REQUIRE(take);
    for (const auto& point : points) REQUIRE(store->add_point(*take, point));
    REQUIRE(store->finish_take(*take, dossier::TakeState::finished));
    REQUIRE(store->add_unit("unit 42"));
  }
  choose_file(other.path());
  found(open, "takes of another dossier");
  QTest::keyClick(drive::control<QLineEdit>(open.window, "Find"), Qt::Key_Return);
  REQUIRE(drive::until([&] { return said_last().startsWith("Takes that came in: 1; here already: 58; new studies: 0; new units: 1."); }));
  const auto study = open.desk().focus.study_id();
  CHECK(open.desk().document.takes(study).back().origin == "another bench");
  CHECK(open.desk().document.units(dossier::kMainAssembly).back().name == "unit 42");
}

TEST_CASE("the dossier of another device is refused by the window", "[app][merge]") {
  OpenWindow open;
  drive::DemoCopy other;
  {
    auto store = dossier::Store::open(other.path().toStdString());
    auto device = *store->device();
    device.name = "Another buoy";
    REQUIRE(store->set_device(device));
  }
  choose_file(other.path());
  found(open, "takes of another dossier");
  QTest::keyClick(drive::control<QLineEdit>(open.window, "Find"), Qt::Key_Return);
  CHECK(drive::until([&] { return !open.desk().messages.all().isEmpty() && open.desk().messages.all().back().text.contains("a dossier of Another buoy"); }));
}

TEST_CASE("the overview holds cells against another unit, the changed ones first, and gives its values away", "[app][overview]") {
  OpenWindow open;
  QTest::keyClick(&open.window, Qt::Key_V);
  app::OverviewPage* page = nullptr;
  REQUIRE(drive::until([&] { return (page = open.window.findChild<app::OverviewPage*>()) != nullptr && page->isVisible() && page->overview() && page->overview()->unread == 0; }, 60000));
  auto* against = drive::button(open.window, "Against");
  REQUIRE(against);
  QTimer::singleShot(0, [&] {
    auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
    if (!menu) return;
    for (auto* action : menu->actions())
      if (action->text() == "against unit 07") {
        menu->setActiveAction(action);
        QTest::keyClick(menu, Qt::Key_Return);
        return;
      }
    menu->close();
  });
  drive::click(against);
  auto* grid = page->grid();
  REQUIRE(drive::until([&] { return !grid->lines().empty() && grid->lines().front().heading.endsWith("with another verdict"); }));
  const auto& rows = page->overview()->rows;
  const int changed = int(std::count_if(rows.begin(), rows.end(), [](const auto& row) { return run::changed(row); }));
  CHECK(changed > 0);
  CHECK(grid->lines().front().heading == QString("%1 with another verdict").arg(changed));
  for (int k = 1; k <= changed; ++k) CHECK(run::changed(rows[std::size_t(grid->lines()[std::size_t(k)].row)]));
  CHECK(grid->lines()[std::size_t(changed + 1)].heading == "the others");
  // The high corner fails on unit 03 and holds on unit 07.
  CHECK(std::any_of(rows.begin(), rows.end(), [](const auto& row) { return row.figure == "corner.high" && run::changed(row); }));
  grid->choose(1, 0);
  drive::click(drive::button(open.window, "Copy the values"));
  const auto lines = QApplication::clipboard()->text().split('\n', Qt::SkipEmptyParts);
  REQUIRE(lines.size() >= 3);
  CHECK(lines.front() == "unit,take,started,value,U,lower limit,upper limit,margin,in,verdict");
  CHECK(lines[1].startsWith("unit 0"));
  CHECK(lines[1].count(',') == lines.front().count(','));
}

}  // namespace papers_window
