#include <catch2/catch.hpp>

#include "app/kinds/conversion/plateaus_lens.h"
#include "app/kinds/power/cycles_lens.h"
#include "app/kinds/switching/pulse_lens.h"
#include "driver.h"
#include "study/conversion/kind.h"
#include "study/power/kind.h"
#include "study/switching/kind.h"

using namespace heron;
using drive::OpenWindow;

namespace {

template <class Lens>
void says_what_is_missing(OpenWindow& open, const study::Kind& kind, const char* tab) {
  CAPTURE(tab);
  const auto name = std::string(tab) + " to be taken";
  REQUIRE(open.desk().document.add_study(name.c_str(), kind, dossier::kMainAssembly));
  auto* lens = drive::look_at<Lens>(open, name.c_str(), tab);
  REQUIRE(lens);
  CHECK(drive::until([&] { return lens->trouble() == "Nothing is taken yet. Space takes."; }));
  CHECK_FALSE(lens->plot()->isVisible());
  CHECK(lens->cards().isEmpty());
  // There is nothing to step through.
  QTest::keyClick(&open.window, Qt::Key_BracketRight);
  CHECK_FALSE(lens->plot()->isVisible());
}

}  // namespace

TEST_CASE("over time each kind says why it shows nothing", "[app]") {
  OpenWindow open;
  says_what_is_missing<app::CyclesLens>(open, study::power::kind(), "Waveforms");
  says_what_is_missing<app::PlateausLens>(open, study::conversion::kind(), "Records");
  says_what_is_missing<app::PulseLens>(open, study::switching::kind(), "Pulses");
}

TEST_CASE("samples are drawn as soon as a record is looked at, across the whole plot and close to its height", "[app][power]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::CyclesLens>(open, "Shore charger", "Waveforms");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->plot()->isVisible() && lens->record_plot()->names().size() == 2; }));
  const auto* panel = lens->record_plot()->panels().front();
  const auto places = [&] {
    int most = 0;
    for (int k = 0; k < lens->plot()->graphCount(); ++k) {
      const auto* graph = lens->plot()->graph(k);
      if (graph->visible() && graph->keyAxis()->axisRect() == panel) most = std::max(most, graph->dataCount());
    }
    return most;
  };
  CHECK(drive::until([&] { return places() > panel->width() / 2; }));
  // The mains' peak and its name above it.
  CHECK(panel->axis(QCPAxis::atLeft)->range().upper < 1.3 * 325);
}

TEST_CASE("brackets step through the shots of a sweep, round at its ends, and cursors read the one in view", "[app][switching]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::PulseLens>(open, "Thruster half-bridge", "Pulses");
  REQUIRE(lens);
  const auto word = [&] {
    const auto* b = drive::button(open.window, "Shot");
    return b ? b->text() : QString();
  };
  REQUIRE(drive::until([&] { return lens->plot()->isVisible() && word().contains(" of "); }));
  const auto count = word().section(" of ", 1).section(' ', 0, 0).toInt();
  REQUIRE(count > 2);
  const auto at = [&](int k) { return drive::until([&] { return word().contains(QString("shot %1 of %2").arg(k).arg(count)); }); };
  CHECK(at(count));
  QTest::keyClick(&open.window, Qt::Key_BracketRight);
  CHECK(at(1));
  QTest::keyClick(&open.window, Qt::Key_BracketLeft);
  CHECK(at(count));
  QTest::keyClick(&open.window, Qt::Key_BracketLeft);
  CHECK(at(count - 1));
  CHECK(lens->trouble().isEmpty());
  const auto span = lens->record_plot()->whole();
  open.desk().look.set_cursor('A', span.center());
  REQUIRE(drive::until([&] { return !lens->cards().isEmpty(); }));
  CHECK(lens->cards().front().label == "v_ds at A");
}
