#include <catch2/catch.hpp>

#include <QComboBox>
#include <QTableWidget>

#include "driver.h"

using namespace heron;
using drive::OpenWindow;

namespace {

app::BriefWord* word(OpenWindow& open, const QString& name) {
  return drive::control<app::BriefWord>(open.window, name);
}

QLabel* text(OpenWindow& open, const QString& name) { return drive::control<QLabel>(open.window, name); }

/// On the Hookup page of the first study, its levels solved.
void to_hookup(OpenWindow& open) {
  QTest::keyClick(&open.window, Qt::Key_H);
  REQUIRE(drive::control<app::HookupPage>(open.window, "Hookup"));
  REQUIRE(drive::until([&] { return open.desk().outlook.levels().has_value(); }));
}

/// Opens the study of this name, as the finder does.
void choose_study(OpenWindow& open, const std::string& name) {
  for (const auto& study : open.desk().document.studies())
    if (study.name == name) open.desk().focus.select_study(study.id);
  REQUIRE(open.desk().focus.study()->name == name);
  REQUIRE(drive::until([&] { return open.desk().outlook.levels().has_value(); }));
}

QStringList lines_of(OpenWindow& open) {
  QStringList out;
  for (auto* label : open.window.findChild<app::DoubtBand*>()->findChildren<QLabel*>())
    if (label->isVisible()) out << label->text();
  return out;
}

}  // namespace

TEST_CASE("H shows the hookup, and its words are edited in place and undone", "[app][pages]") {
  OpenWindow open;
  to_hookup(open);
  CHECK(text(open, "Headroom sentence of response")->text().contains("expects 200 mV peak"));
  auto* sensor = word(open, "sensor of response");
  REQUIRE(sensor);
  drive::click(sensor);
  REQUIRE(open.editor());
  auto* choice = drive::button(open.window, "Choose Probe x10");
  REQUIRE(choice);
  drive::click(choice);
  CHECK(app::response_plan(open.desk()).hookup.chains[1].input.sensor.name == "Probe x10");
  REQUIRE(drive::until(
      [&] { return word(open, "factor of response") && word(open, "factor of response")->text() == "x10"; }));
  REQUIRE(drive::until([&] { return open.desk().outlook.levels().has_value(); }));
  CHECK(text(open, "Headroom sentence of response")->text().contains("harmed at 300 V"));

  drive::click(word(open, "range of response"));
  QTest::keyClicks(open.editor(), "-2 V");
  QTest::keyClick(open.editor(), Qt::Key_Return);
  CHECK(text(open, "Why not")->text().contains("above zero"));
  open.editor()->selectAll();
  QTest::keyClicks(open.editor(), "20 mV");
  QTest::keyClick(open.editor(), Qt::Key_Return);
  CHECK(app::response_plan(open.desk()).hookup.chains[1].input.range == 0.02);
  REQUIRE(drive::until([&] {
    return text(open, "Findings of the hookup") && text(open, "Findings of the hookup")->text().contains("range");
  }));
  QTest::keyClick(&open.window, Qt::Key_Z, Qt::ControlModifier);
  QTest::keyClick(&open.window, Qt::Key_Z, Qt::ControlModifier);
  CHECK(app::response_plan(open.desk()).hookup.chains[1].input.sensor.name == "Direct lead");
  QTest::keyClick(&open.window, Qt::Key_Escape);
  CHECK_FALSE(drive::control<app::HookupPage>(open.window, "Hookup"));
}

TEST_CASE("a sensor is zeroed and its factor checked from the page", "[app][pages]") {
  OpenWindow open;
  choose_study(open, "Preamp through probes");
  open.window.show_hookup();
  drive::click(drive::button(open.window, "Zero response"));
  REQUIRE(drive::until([&] { return app::response_plan(open.desk()).hookup.chains[1].zero.has_value(); }));
  CHECK(std::abs(*app::response_plan(open.desk()).hookup.chains[1].zero) < 5e-3);
  CHECK(drive::control<QLabel>(open.window, "Message")->text().contains("taken off"));
  REQUIRE(drive::until([&] { return drive::button(open.window, "Check factor of stimulus") != nullptr; }));
  drive::click(drive::button(open.window, "Check factor of stimulus"));
  REQUIRE(drive::until([&] { return text(open, "Result of the check")->text().contains("stimulus: a known sine"); }));
  CHECK(text(open, "Result of the check")->text().contains("within what both allow"));
}

TEST_CASE("a sense resistor is proposed while it is typed", "[app][pages]") {
  OpenWindow open;
  to_hookup(open);
  auto* current = drive::control<QLineEdit>(open.window, "Expected current");
  auto* drop = drive::control<QLineEdit>(open.window, "Allowed drop");
  current->selectAll();
  QTest::keyClicks(current, "2 A");
  drop->selectAll();
  QTest::keyClicks(drop, "100 mV");
  CHECK(text(open, "Proposed resistor")->text().startsWith("47.0\u2009m\u03a9"));
  drop->selectAll();
  QTest::keyClicks(drop, "3 Hz");
  CHECK(text(open, "Proposed resistor")->text().contains("voltage"));
}

TEST_CASE("sensors of one's own are kept, offered, written, brought in and forgotten", "[app][pages]") {
  QTemporaryDir data;
  qputenv("XDG_DATA_HOME", data.path().toUtf8());
  OpenWindow open;
  auto mine = *bench::find_stock_sensor("Clamp 40 A");
  mine.kind = bench::SensorKind::differential;
  mine.name = "My probe x25";
  mine.factor = 0.04;
  mine.resistance = 5e6;
  CHECK(open.desk().sensors.keep(mine).isEmpty());
  CHECK(open.desk().sensors.keep(*bench::find_stock_sensor("Probe x10")).contains("ships"));
  to_hookup(open);
  CHECK(drive::button(open.window, "Forget My probe x25"));
  drive::click(word(open, "sensor of response"));
  REQUIRE(drive::button(open.window, "Choose My probe x25"));
  drive::click(drive::button(open.window, "Choose My probe x25"));
  CHECK(app::response_plan(open.desk()).hookup.chains[1].input.sensor == mine);
  const QString file = data.filePath("out.json");
  CHECK(open.desk().sensors.write_to(file).isEmpty());
  drive::click(drive::button(open.window, "Forget My probe x25"));
  CHECK(open.desk().sensors.all().empty());
  CHECK(open.desk().sensors.bring_in(file).isEmpty());
  REQUIRE(open.desk().sensors.all().size() == 1);
  CHECK_FALSE(open.desk().sensors.bring_in(data.filePath("none.json")).isEmpty());
  // Another window finds them again.
  CHECK(app::SensorList().all().size() == 1);
  // A hookup keeps a sensor that the list has forgotten.
  CHECK(app::response_plan(open.desk()).hookup.chains[1].input.sensor.name == "My probe x25");
}

TEST_CASE("a computed quantity becomes the response", "[app][pages]") {
  OpenWindow open;
  REQUIRE(open.desk().focus.edit("hookup.compute", "drop = stimulus - response [V]").isEmpty());
  REQUIRE(open.desk().focus.edit("response", "drop").isEmpty());
  REQUIRE(open.desk().focus.edit("points", "5 points").isEmpty());
  REQUIRE(open.desk().focus.edit("refine", "off").isEmpty());
  to_hookup(open);
  REQUIRE(drive::until([&] { return drive::button(open.window, "Take out drop") != nullptr; }));
  CHECK(open.word("response") == nullptr);
  open.window.show_study();
  REQUIRE(open.word("response"));
  CHECK(open.word("response")->text() == "drop");
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return open.desk().focus.takes().size() == 3 && !open.desk().runner.running(); }, 60000));
  REQUIRE(drive::settled(open.window));
  const auto view = open.desk().readings.view(*open.desk().focus.shown());
  REQUIRE(view);
  CHECK(view->trouble.isEmpty());
  CHECK(app::curve_of(view).points.size() == 5);
}

TEST_CASE("a rating typed on the device page forbids what goes beyond", "[app][pages]") {
  OpenWindow open;
  QTest::keyClick(&open.window, Qt::Key_D);
  auto* ratings = drive::control<QTableWidget>(open.window, "Ratings");
  REQUIRE(ratings);
  int row = 0;
  while (ratings->item(row, 0)->text() != "preamp in") ++row;
  ratings->item(row, 1)->setText("5 mV");
  REQUIRE(open.desk().focus.device().ratings.at("preamp in").voltage == 5e-3);
  QTest::keyClick(&open.window, Qt::Key_D);
  QTest::keyClick(&open.window, Qt::Key_Space);
  CHECK_FALSE(open.desk().runner.running());
  CHECK(drive::control<QLabel>(open.window, "Message")->text().contains("rating is 5 mV"));
  QTest::keyClick(&open.window, Qt::Key_Z, Qt::ControlModifier);
  CHECK(open.desk().focus.device().ratings.at("preamp in").voltage == 2.5);
  QTest::keyClick(&open.window, Qt::Key_D);
  ratings->item(row, 1)->setText("nonsense");
  CHECK(open.window.findChild<QLabel*>("part-refusal")->text().startsWith("preamp in:"));
}

TEST_CASE("measured values and expectations carry their tolerance", "[app][pages]") {
  OpenWindow open;
  QTest::keyClick(&open.window, Qt::Key_D);
  auto* expectations = drive::control<QTableWidget>(open.window, "Expectations");
  REQUIRE(expectations);
  CHECK(expectations->item(0, 3)->text() == "19.41\u2009Hz \u00b16 %");
  auto* parts = drive::control<QTableWidget>(open.window, "Parts");
  int row = 0;
  while (parts->item(row, 0)->text() != "C4") ++row;
  parts->item(row, 4)->setText("103 nF \u00b10.5 %");
  CHECK(open.desk().focus.device().unit.fitted.at("C4") == Approx(103e-9));
  CHECK(open.desk().focus.device().unit.fitted_tolerance.at("C4") == Approx(0.005));
  REQUIRE(drive::until([&] { return expectations->item(0, 3)->text() == "18.84\u2009Hz \u00b11.5 %"; }));
  const int last = expectations->rowCount() - 1;
  expectations->item(last, 0)->setText("Loss");
  REQUIRE(drive::until([&] { return open.desk().focus.device().info.expectations.size() == 4; }));
  expectations->item(last, 1)->setText("R6/(R6 + R99)");
  REQUIRE(drive::until([&] { return expectations->item(last, 3)->text().contains("cannot be read"); }));
  expectations->item(last, 1)->setText("R6/(R6 + 1e6)");
  REQUIRE(drive::until([&] { return expectations->item(last, 3)->text().contains("597"); }));
}

TEST_CASE("the Bench page tells the limits and sets the pace", "[app][pages]") {
  OpenWindow open;
  drive::click(drive::button(open.window, "Bench page"));
  auto* pace = drive::control<QComboBox>(open.window, "Pace");
  REQUIRE(pace);
  bool found = false;
  for (auto* label : open.window.findChild<app::BenchPage*>()->findChildren<QLabel*>())
    found = found || label->text().contains("four quadrants, 200 V, 3 A");
  CHECK(found);
  pace->setFocus();
  QTest::keyClick(pace, Qt::Key_Down);
  QTest::keyClick(pace, Qt::Key_Return);
  emit pace->activated(1);
  CHECK(open.desk().runner.paced());
  CHECK(drive::control<QLabel>(open.window, "Bench status")->text().contains("pace of a real one"));
  emit pace->activated(0);
  CHECK_FALSE(open.desk().runner.paced());
}

TEST_CASE("a serious finding stops the take, its remedy or the user's word lets it run", "[app][pages]") {
  OpenWindow open;
  REQUIRE(open.window.open(open.demo.practice()));
  choose_study(open, "Clipped");
  open.window.show_study();
  REQUIRE(drive::until([&] { return lines_of(open).join(" ").contains("would reach 200 mV peak"); }));
  QTest::keyClick(&open.window, Qt::Key_Space);
  CHECK_FALSE(open.desk().runner.running());
  CHECK(drive::control<QLabel>(open.window, "Message")->text().contains("input.clipped"));
  drive::click(drive::button(open.window, "Accept: input.clipped"));
  REQUIRE(drive::until([&] { return !lines_of(open).join(" ").contains("would reach"); }));
  REQUIRE(open.desk().focus.edit("points", "4 points").isEmpty());
  // A changed plan takes the word back.
  REQUIRE(drive::until([&] { return drive::button(open.window, "Remedy: Use the 500 mV range.") != nullptr; }));
  drive::click(drive::button(open.window, "Remedy: Use the 500 mV range."));
  CHECK(app::response_plan(open.desk()).hookup.chains[1].input.range == 0.5);
  REQUIRE(drive::until([&] { return open.desk().outlook.levels() && !lines_of(open).join(" ").contains("would reach"); }));
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return open.desk().focus.takes().size() == 1 && !open.desk().runner.running(); }, 60000));
}

TEST_CASE("a forgotten probe is doubted, and the doubt leads to the hookup", "[app][pages]") {
  OpenWindow open;
  REQUIRE(open.window.open(open.demo.practice()));
  choose_study(open, "Forgotten x10");
  open.window.show_study();
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return open.desk().focus.takes().size() == 1 && !open.desk().runner.running(); }, 60000));
  REQUIRE(drive::settled(open.window));
  REQUIRE(drive::until([&] { return lines_of(open).join(" ").contains("times what the circuit should show"); }));
  auto* remedy =
      drive::button(open.window, "Remedy: Set the sensor that is really fitted on the Hookup page and take again.");
  REQUIRE(remedy);
  drive::click(remedy);
  REQUIRE(drive::control<app::HookupPage>(open.window, "Hookup"));
  auto* out = drive::button(open.window, "Take the planted fault out of response");
  REQUIRE(out);
  drive::click(out);
  CHECK_FALSE(app::response_plan(open.desk()).hookup.chains[1].input.planted);
}
