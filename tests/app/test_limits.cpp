#include <catch2/catch.hpp>

#include "app/kinds/conversion/regulation_lens.h"
#include "app/kinds/power/harmonics_lens.h"
#include "app/kinds/power/inrush_lens.h"
#include "driver.h"

using namespace heron;
using drive::grounds;
using drive::OpenWindow;

namespace {

/// What is written, if it is taken, shows on the lens of the study in view.
QString write(OpenWindow& open, const char* claim) { return open.desk().document.write_claim(open.desk().focus.study_id(), claim); }
/// The only ground's line.
QVector<QPointF> line_of(const QCustomPlot* plot) {
  const auto all = grounds(plot);
  return all.size() == 1 ? all.front()->line() : QVector<QPointF>();
}

}  // namespace

TEST_CASE("a limit over the orders lies on the harmonics that it is of, in amperes and in per cent", "[app][power]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::HarmonicsLens>(open, "Shore charger", "Harmonics");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->height_of(3).has_value(); }));
  REQUIRE(grounds(lens->plot()).isEmpty());
  const double amperes = *lens->height_of(3);
  REQUIRE(write(open, "harmonic.current at most 40 A from 2 to 13").isEmpty());
  REQUIRE(drive::until([&] { return line_of(lens->plot()).size() >= 2; }));
  // Around the whole of the outermost bars.
  CHECK(line_of(lens->plot()).front().x() == Approx(2).margin(0.49));
  CHECK(line_of(lens->plot()).front().x() < 1.6);
  CHECK(line_of(lens->plot()).back().x() == Approx(13).margin(0.49));
  CHECK(line_of(lens->plot()).back().x() > 13.4);
  CHECK(line_of(lens->plot()).front().y() == Approx(40));
  // It is in view, far above all bars.
  CHECK(lens->plot()->yAxis->range().upper > 40);
  drive::click(drive::button(open.window, "Unit"));
  REQUIRE(drive::until([&] { return lens->plot()->yAxis->label().contains("%"); }));
  REQUIRE(line_of(lens->plot()).size() >= 2);
  CHECK(line_of(lens->plot()).front().y() == Approx(40 * *lens->height_of(3) / amperes));
  drive::click(drive::button(open.window, "Of"));
  CHECK(drive::until([&] { return lens->plot()->yAxis->label().startsWith("Voltage") && grounds(lens->plot()).isEmpty(); }));
}

TEST_CASE("a limit on the rms of half cycles is an edge over what is drawn when it is switched on", "[app][power]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::InrushLens>(open, "Bilge-pump start", "Inrush");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return !lens->marks().isEmpty(); }));
  REQUIRE(grounds(lens->plot()).isEmpty());
  REQUIRE(write(open, "current.half_cycle at most 15 A from 0 s to 100 ms").isEmpty());
  REQUIRE(drive::until([&] { return line_of(lens->plot()).size() >= 2; }));
  CHECK(line_of(lens->plot()).back().x() == Approx(0.1));
  CHECK(line_of(lens->plot()).back().y() == Approx(15));
}

TEST_CASE("a limit on the output lies where the output is drawn: beyond its nominal, in volts and in per cent, over the load alone", "[app][conversion]") {
  OpenWindow open;
  auto* lens = drive::look_at<app::RegulationLens>(open, "Sensor-rail regulator", "Regulation");
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->names().size() == 6; }));
  const auto tolerance = grounds(lens->plot());
  const auto limit = [&]() -> QVector<QPointF> {
    for (auto* ground : grounds(lens->plot()))
      if (std::abs(ground->line().front().x() - 0.01) < 1e-9) return ground->line();
    return {};
  };
  REQUIRE(limit().isEmpty());
  REQUIRE(write(open, "output at most 3.35 V from 10 mA to 150 mA").isEmpty());
  REQUIRE(drive::until([&] { return !limit().isEmpty(); }));
  CHECK(grounds(lens->plot()).size() == tolerance.size() + 1);
  // One over time lies on records, not on this.
  REQUIRE(write(open, "output at most 3.4 V from 0 s to 1 ms").isEmpty());
  REQUIRE(drive::settled(open.window));
  CHECK(grounds(lens->plot()).size() == tolerance.size() + 1);
  CHECK(limit().front().y() == Approx(0.05).margin(1e-9));
  drive::click(drive::button(open.window, "Unit"));
  REQUIRE(drive::until([&] { return lens->plot()->yAxis->label().contains("%"); }));
  CHECK(limit().front().y() == Approx(5 / 3.3));
  drive::click(drive::button(open.window, "Over"));
  CHECK(drive::until([&] { return lens->plot()->xAxis->label().startsWith("Input") && limit().isEmpty(); }));
}
