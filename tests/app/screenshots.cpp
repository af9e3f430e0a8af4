#include <QDir>
#include <cstdio>

#include <QHeaderView>
#include <QScrollBar>
#include <QTableWidget>

#include "app/overview_page.h"
#include "app/report_page.h"
#include "driver.h"

using namespace heron;

namespace {

QString folder;

void shoot(app::MainWindow& window, const QString& name) {
  QTest::qWait(150);
  const QPixmap picture = window.grab();
  if (!picture.save(folder + "/" + name + ".png"))
    std::fprintf(stderr, "screenshots: %s cannot be written\n", qPrintable(name));
}

}  // namespace

/// Drives the window through its main views on the demo dossier and writes a picture of each.
int main(int argc, char** argv) {
  QApplication app(argc, argv);
  QApplication::setOrganizationName("zealous-heron-pictures");
  folder = argc > 1 ? argv[1] : "docs/screenshots";
  const QSize size = argc > 3 ? QSize(atoi(argv[2]), atoi(argv[3])) : QSize(1280, 800);
  QDir().mkpath(folder);
  app::apply_style();
  drive::OpenWindow open(size);
  auto& window = open.window;
  open.bode()->set_cursor('A', 19.4);
  open.bode()->set_cursor('B', 20e3);
  drive::ledger_read(window);
  drive::until([&] { return window.desk().outlook.expected() != nullptr; });
  shoot(window, "study");

  const auto go = [&](const char* name, Qt::Key lens) {
    open.choose_study(name);
    QTest::keyClick(&window, lens);
    drive::settled(window);
    QTest::qWait(600);
  };
  auto& look = window.desk().look;
  for (const char letter : {'A', 'B'}) look.set_cursor(letter, std::nullopt);
  go("Transducer impedance", Qt::Key_5);
  // What is expected comes from beside the window's thread, and so does what the card reads.
  drive::until([&] { return window.desk().outlook.expected() != nullptr; });
  QTest::qWait(600);
  shoot(window, "impedance");
  go("Turbidity phototransistor", Qt::Key_1);
  look.set_cursor('A', 2);
  shoot(window, "family");
  go("Load switch transfer", Qt::Key_1);
  QTest::keyClick(&window, Qt::Key_L);
  QTest::keyClick(&window, Qt::Key_F);
  QTest::keyClick(&window, Qt::Key_L);
  QTest::keyClick(&window, Qt::Key_F);
  go("Salinity cell", Qt::Key_6);
  drive::click(drive::button(window, "Remedy: slow down"));
  drive::until([&] { return window.desk().focus.takes().size() >= 5 && !window.desk().runner.running(); }, 100000);
  drive::settled(window);
  shoot(window, "loop");
  for (const char letter : {'A', 'B'}) look.set_cursor(letter, std::nullopt);
  go("Hold-up discharge", Qt::Key_1);
  QTest::keyClick(&window, Qt::Key_O);
  shoot(window, "record");
  for (const char letter : {'A', 'B'}) look.set_cursor(letter, std::nullopt);
  go("Recorder ADC lines", Qt::Key_1);
  drive::settled(window);
  QTest::qWait(400);
  shoot(window, "spectrum");
  const auto through = [&](const char* study, const char* lens, const char* picture) {
    open.choose_study(study);
    drive::settled(window);
    drive::click(drive::button(window, QString("Lens: ") + lens));
    QTest::qWait(600);
    shoot(window, picture);
  };
  through("Bilge-pump start", "Inrush", "inrush");
  through("Thruster drive", "Phasors", "phasors");
  through("Radio rail", "Profile", "profile");
  through("Battery converter", "Efficiency", "efficiency");
  through("Sensor-rail regulator", "Regulation", "regulation");
  through("Thruster half-bridge", "Energies", "energies");
  through("Thruster half-bridge, isolated probe and shunt", "Edges", "edges");
  through("Thruster half-bridge, a slow clamp", "Skew", "skew");
  go("Preamp passband", Qt::Key_1);
  QTest::keyClick(&window, Qt::Key_V);
  auto* overview = window.findChild<app::OverviewPage*>();
  drive::until([&] { return overview->overview() && overview->overview()->unread == 0; });
  for (int k = 0; k < int(overview->grid()->lines().size()); ++k)
    if (const int row = overview->grid()->lines()[std::size_t(k)].row; row >= 0 && overview->overview()->rows[std::size_t(row)].study_name == "Transducers compared") {
      overview->grid()->choose(k, 4);
      break;
    }
  QTest::qWait(300);
  shoot(window, "overview");
  QTest::keyClick(&window, Qt::Key_V);

  // A report of a few studies, with a plot as it was seen.
  QTest::keyClick(&window, Qt::Key_I);
  window.desk().document.keep_report(report::to_json({.title = "Mudlark buoy, rev C: first five boards",
                                                      .author = "bench two",
                                                      .summary = "The preamp's high corner is missed on unit 03, where C6 was swapped. Transducers of unit 09 ring low.",
                                                      .studies = {"Preamp passband", "Transducers compared", "Battery converter"}}));
  QTest::keyClick(&window, Qt::Key_R);
  auto* report = window.findChild<app::ReportPage*>();
  drive::until([&] { return report && report->preview()->report() && report->preview()->report()->headings.size() == 5; }, 60000);
  report->preview()->verticalScrollBar()->setValue(int(0.42 * report->preview()->verticalScrollBar()->pageStep()));
  shoot(window, "report");
  QTest::keyClick(&window, Qt::Key_R);

  window.show_batch();
  drive::click(drive::button(window, "Tick none"));
  auto* takes = drive::control<QTableWidget>(window, "Takes to be made");
  for (int r = 0; r < 12; ++r) emit takes->verticalHeader()->sectionClicked(r);
  QTest::keyClick(&window, Qt::Key_Space);
  for (int units = 0; units < 3; ++units) {
    drive::until([&] { return window.desk().batch.state() == app::Batch::State::wants_unit; }, 120000);
    QTest::keyClick(&window, Qt::Key_Space);
  }
  drive::until([&] { return window.desk().batch.done() > 28 && window.desk().runner.progress().total > 0; }, 120000);
  shoot(window, "run-all");
  QTest::keyClick(&window, Qt::Key_Escape);
  drive::until([&] { return !window.desk().runner.running(); });
  window.show_study();

  QTest::keyClick(&window, Qt::Key_D);
  shoot(window, "device");
  QTest::keyClick(&window, Qt::Key_D);
  open.choose_study("Preamp through probes");
  drive::until([&] { return window.desk().outlook.levels().has_value(); });
  window.show_hookup();
  shoot(window, "hookup");
  return 0;
}
