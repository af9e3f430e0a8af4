#include <catch2/catch.hpp>

#include "driver.h"
#include "kinds/pulse_count_view.h"

using namespace heron;

TEST_CASE("a third kind has a brief, a run, a lens and a card in the window without a line elsewhere", "[app][third]") {
  study::add_kind(pulse_count::kind());
  app::add_kind_view(pulse_count::view());
  drive::OpenWindow open;
  auto& desk = open.desk();
  const auto made = desk.document.add_study("Bursts", pulse_count::kind(), dossier::kMainAssembly);
  REQUIRE(made);
  desk.focus.select_study(*made);
  REQUIRE(drive::settled(open.window));
  REQUIRE(desk.focus.edit("drive_pin", "preamp in").isEmpty());
  REQUIRE(desk.focus.edit("hookup.answer.pin", "preamp out").isEmpty());
  // The preamp's input bears 2.5 V; its output moves by twenty times the pulse.
  open.retype("level", "100 mV");
  open.retype("threshold", "50 mV");
  open.retype("most", "40 pulses");
  CHECK(open.word("most")->text() == "40 pulses");
  open.window.desk().document.undo_stack().undo();
  REQUIRE(drive::until([&] { return open.word("most") && open.word("most")->text() == "6 pulses"; }));
  CHECK(desk.document.write_claim(*made, "Missed pulses at most 0").isEmpty());
  auto* lens = dynamic_cast<pulse_count::CountLens*>(open.window.page().lens());
  REQUIRE(lens);
  int live = 0;
  QObject::connect(&desk.readings, &app::Readings::live_changed, &open.window, [&] { live = std::max(live, lens->drawn()); });
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return desk.focus.takes().size() == 1 && !desk.runner.running(); }));
  REQUIRE(drive::settled(open.window));
  CHECK(live > 0);
  CHECK(lens->drawn() == 6);
  const auto view = desk.readings.shown();
  REQUIRE(view);
  CHECK(view->reduced->small().columns.front().y.size() == 6);
  REQUIRE(view->lines.size() == 1);
  CHECK(view->lines.front().judgement.value.has_value());
  // Beyond the rating it is refused, with the way out as a link.
  open.retype("level", "4 V");
  REQUIRE(open.word("level")->text() == "4 V");
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE_FALSE(desk.runner.running());
  CHECK(drive::control<QLabel>(open.window, "Message")->text().contains("rating"));
  REQUIRE(drive::button(open.window, "Remedy: Lower the pulses."));
  drive::click(drive::button(open.window, "Remedy: Lower the pulses."));
  REQUIRE(drive::until([&] { return open.word("level") && open.word("level")->text() == "2.5 V"; }));
  // The Hookup page says what drives.
  QTest::keyClick(&open.window, Qt::Key_H);
  CHECK(drive::until([&] { return drive::control<QLabel>(open.window, "Headroom sentence of answer") != nullptr; }));
}
