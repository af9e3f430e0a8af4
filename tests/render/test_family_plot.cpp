#include <catch2/catch.hpp>
#include <cmath>

#include "app/kinds/iv/family_plot.h"
#include "render/plot_parts.h"
#include "render/theme.h"

using namespace heron;

namespace {

/// Three straight curves through zero, 1 mS, 2 mS and 3 mS, from -1 V to 4 V.
study::iv::Family three_lines() {
  study::iv::Family family;
  family.step_unit = "V";
  for (int c = 1; c <= 3; ++c) {
    study::iv::Curve curve{.step = c, .points = {}};
    for (int k = -10; k <= 40; ++k)
      curve.points.push_back({.index = k + 10, .voltage = 0.1 * k, .current = 1e-4 * c * k, .programmed = {}});
    family.curves.push_back(std::move(curve));
  }
  return family;
}

const study::iv::AxisQuantity kVolts{"voltage", "Voltage", "V"}, kAmps{"current", "Current", "A"},
    kWatts{"power", "Power", "W"};

int texts_in(const QCustomPlot& plot, const QString& words) {
  int found = 0;
  for (int k = 0; k < plot.itemCount(); ++k)
    if (auto* text = qobject_cast<QCPItemText*>(plot.item(k)); text && text->text().contains(words)) ++found;
  return found;
}

}  // namespace

TEST_CASE("a family frames all its curves and names each at its end", "[render]") {
  const auto family = three_lines();
  app::FamilyPlot plot;
  plot.resize(800, 500);
  plot.show_picture({.takes = {{&family, render::take_colour(1)}}});
  CHECK(plot.xAxis->range().lower < -1);
  CHECK(plot.xAxis->range().upper > 4);
  CHECK(plot.yAxis->range().upper > 12e-3);
  plot.replot(QCustomPlot::rpImmediateRefresh);
  plot.show_picture({.takes = {{&family, render::take_colour(1)}}});
  for (const char* name : {"1 V", "2 V", "3 V"}) CHECK(texts_in(plot, name) == 1);
  // Curves that end at one current but at other voltages are told apart as well.
  auto level = family;
  for (auto& curve : level.curves)
    std::erase_if(curve.points, [](const auto& p) { return std::abs(p.current) > 3.05e-3; });
  app::FamilyPlot other;
  other.resize(800, 500);
  other.show_picture({.takes = {{&level, render::take_colour(1)}}});
  other.replot(QCustomPlot::rpImmediateRefresh);
  other.show_picture({.takes = {{&level, render::take_colour(1)}}});
  for (const char* name : {"1 V", "2 V", "3 V"}) CHECK(texts_in(other, name) == 1);
  // A view that was chosen stays when more is drawn; one that framed all frames all again.
  plot.xAxis->setRange(0, 1);
  plot.show_picture({.takes = {{&family, render::take_colour(1)}}});
  CHECK(plot.xAxis->range() == QCPRange(0, 1));
  plot.show_all();
  CHECK(plot.xAxis->range().upper > 4);
  // The nearest point to where it lies is itself.
  const auto at = QPointF(plot.xAxis->coordToPixel(2), plot.yAxis->coordToPixel(4e-3));
  const auto near = plot.nearest(family, at);
  REQUIRE(near);
  CHECK(*near->curve->step == 2);
  CHECK(near->curve->points[near->point].voltage == Approx(2));
  CHECK(near->pixels < 1);
  CHECK_FALSE(plot.nearest({}, at));
}

TEST_CASE("a log axis shows sizes, nothing where there is no current", "[render]") {
  const auto family = three_lines();
  app::FamilyPlot plot;
  plot.resize(800, 500);
  plot.set_axes(kVolts, kAmps, true);
  plot.show_picture({.takes = {{&family, render::take_colour(1)}}});
  CHECK(plot.yAxis->range().lower == Approx(0.5e-4));
  CHECK(plot.yAxis->range().upper == Approx(2 * 12e-3));
  CHECK(plot.yAxis->label().contains("|Current|"));
  study::iv::Family dark;
  dark.curves.push_back({.step = {}, .points = {{.voltage = 0, .current = 0}, {.voltage = 1, .current = 0}}});
  plot.show_picture({.takes = {{&dark, render::take_colour(1)}}});
  CHECK_FALSE(plot.nearest(dark, {400, 250}));
}

TEST_CASE("a lower plot shares the upper one's voltages and goes again", "[render]") {
  const auto family = three_lines();
  app::FamilyPlot plot;
  plot.resize(800, 500);
  plot.set_below(kWatts);
  REQUIRE(plot.rects().size() == 2);
  plot.show_picture({.takes = {{&family, render::take_colour(1)}}});
  auto* lower = plot.rects()[1];
  plot.xAxis->setRange(1, 2);
  CHECK(lower->axis(QCPAxis::atBottom)->range() == QCPRange(1, 2));
  lower->axis(QCPAxis::atBottom)->setRange(0, 3);
  CHECK(plot.xAxis->range() == QCPRange(0, 3));
  // Power goes to 4 V times 12 mA; the upper plot is framed by its own currents.
  CHECK(lower->axis(QCPAxis::atLeft)->range().upper > 48e-3);
  CHECK(plot.yAxis->range().upper < 20e-3);
  CHECK(lower->axis(QCPAxis::atLeft)->label().startsWith("Power, "));
  plot.set_below({});
  CHECK(plot.rects().size() == 1);
  CHECK(plot.xAxis->label() == "Voltage, V");
  plot.show_picture({.takes = {{&family, render::take_colour(1)}}});
  plot.replot(QCustomPlot::rpImmediateRefresh);
  CHECK(plot.axisRectCount() == 1);
}

TEST_CASE("masks, ratings, fits and datasheet points stand only on current over voltage", "[render]") {
  const auto family = three_lines();
  app::FamilyPlot plot;
  plot.resize(800, 500);
  app::FamilyPicture picture{.takes = {{&family, render::take_colour(1)}},
                                .masks = {{.curve = "current", .upper = {{0, 0.02}, {4, 0.02}}, .lower = {}}},
                                .area = {.voltage = 5, .current = 0.03, .power = 0.05},
                                .fits = {{.words = "a line", .line = {{0, 0}, {4, 4e-3}}, .from = 0, .to = 4}},
                                .marks = {{.voltage = 2, .least = 1e-3, .typical = 2e-3, .most = 0.05}}};
  plot.show_picture(picture);
  const auto grounds = [&] {
    int found = 0;
    for (int k = 0; k < plot.itemCount(); ++k) found += dynamic_cast<render::ForbiddenGround*>(plot.item(k)) != nullptr;
    return found;
  };
  CHECK(grounds() == 2);
  CHECK(texts_in(plot, "a line") == 1);
  // What a datasheet allows is in view even where the curves are far from it.
  CHECK(plot.yAxis->range().upper > 0.05);
  plot.set_axes(kVolts, kWatts, false);
  plot.show_picture(picture);
  CHECK(grounds() == 0);
  CHECK(texts_in(plot, "a line") == 0);
  plot.set_axes(kVolts, kAmps, false);
  picture.fits.clear();
  picture.no_fit = "none holds";
  plot.show_picture(picture);
  CHECK(texts_in(plot, "none holds") == 1);
}

TEST_CASE("what cursors read is written beside each curve, never over another text", "[render]") {
  const auto family = three_lines();
  app::FamilyPlot plot;
  plot.resize(800, 500);
  plot.show_picture({.takes = {{&family, render::take_colour(1)}}});
  plot.replot(QCustomPlot::rpImmediateRefresh);
  plot.show_crossings({{2, 2e-3, true, "first"}, {2, 4e-3, true, "second"}, {2, 4.0001e-3, true, "third"}});
  CHECK(texts_in(plot, "first") == 1);
  CHECK(texts_in(plot, "second") + texts_in(plot, "third") == 1);
  // Another cursor's texts at the same height do not take the place away.
  plot.show_crossings({{1, 2e-3, true, "of A"}, {3, 2e-3, false, "of B"}});
  CHECK(texts_in(plot, "of") == 2);
  plot.show_crossings({});
  CHECK(texts_in(plot, "of") == 0);
}
