#include <catch2/catch.hpp>

#include "app/kinds/spectrum/spectrum_lens.h"
#include "driver.h"
#include "render/tags.h"

using namespace heron;
using drive::OpenWindow;

namespace spectrum_window {
namespace {

app::SpectrumPlot* spectrum_plot(OpenWindow& open) {
  auto* lens = drive::visible<app::SpectrumLens>(open);
  return lens ? qobject_cast<app::SpectrumPlot*>(lens->plot()) : nullptr;
}

QStringList tag_texts(const app::SpectrumPlot& plot) {
  QStringList out;
  for (const auto& tag : plot.tags()) out << tag.text;
  return out;
}

bool touch(const std::vector<QRectF>& boxes) {
  for (std::size_t a = 0; a < boxes.size(); ++a)
    for (std::size_t b = 0; b < a; ++b)
      if (boxes[a].intersects(boxes[b])) return true;
  return false;
}

}  // namespace

TEST_CASE("fifteen tags stand in the plot and none touches another", "[app][spectrum]") {
  const QRectF area(0, 0, 960, 440);
  // Crowded at one end, crowded at one place, at the corners.
  for (const auto& place : {std::function([](int k) { return QPointF(20 + 9 * k, 200 + 11 * (k % 5)); }), std::function([](int k) { return QPointF(480 + k % 3, 60.0 + k); }),
                            std::function([](int k) { return QPointF(k % 2 ? 958 : 2, k % 4 < 2 ? 2 : 438); })}) {
    std::vector<render::TagWish> wishes;
    for (int k = 0; k < 15; ++k) wishes.push_back({place(k), QSizeF(70 + 8 * (k % 4), 15)});
    std::vector<QRectF> boxes;
    for (const auto& box : render::place_tags(wishes, area)) {
      REQUIRE(box);
      CHECK(area.contains(*box));
      boxes.push_back(*box);
    }
    CHECK_FALSE(touch(boxes));
  }
  // Where there is no room a tag is left out rather than laid over another.
  const auto few = render::place_tags(std::vector<render::TagWish>(15, {QPointF(20, 20), QSizeF(38, 15)}), QRectF(0, 0, 40, 40));
  CHECK(few.front());
  CHECK(std::count_if(few.begin(), few.end(), [](const auto& box) { return box.has_value(); }) < 4);
}

TEST_CASE("a converter's lines are named, scaled, caught by cursors and gone back to", "[app][spectrum]") {
  OpenWindow open;
  open.choose_study("Recorder ADC lines");
  auto* plot = spectrum_plot(open);
  REQUIRE(plot);
  REQUIRE(drive::until([&] { return plot->tags().size() > 3; }));
  const auto texts = tag_texts(*plot);
  CHECK(texts.front().startsWith("f 31"));
  CHECK(texts.contains("2f"));
  CHECK(texts.contains("3f"));
  CHECK(texts.contains("noise floor"));
  plot->replot();
  CHECK(plot->tag_boxes().size() >= 4);
  CHECK_FALSE(touch(plot->tag_boxes()));
  CHECK(plot->yAxis->label() == "Level, dBFS");
  const auto whole = plot->xAxis->range();
  CHECK(whole.upper == Approx(105e3).epsilon(1e-3));

  // The fundamental is the highest line and stands at its level.
  const double level = open.figure("fundamental.level").value;
  CHECK(level < -2.5);
  CHECK(plot->tags().front().level == Approx(level).margin(1e-9));

  // Cursors are set where the pointer has them and stand on a peak once they are taken hold of.
  const double second = open.figure("harmonic.2.frequency").value;
  open.desk().look.set_cursor('A', second + 200);
  REQUIRE(drive::until([&] { return !drive::visible<app::SpectrumLens>(open)->cards().isEmpty(); }));
  plot->replot();
  const QPoint at(int(plot->xAxis->coordToPixel(second + 200)), plot->axisRect()->center().y());
  QTest::mousePress(plot, Qt::LeftButton, {}, at);
  QTest::mouseMove(plot, at - QPoint(3, 0));
  REQUIRE(drive::until([&] { return std::abs(*open.desk().look.cursor('A') - second) < 7; }));
  QTest::mouseRelease(plot, Qt::LeftButton, {}, at - QPoint(3, 0));

  drive::click(drive::button(open.window, "Frequency"));
  CHECK(drive::button(open.window, "Frequency")->text() == "log frequency");
  CHECK(plot->xAxis->scaleType() == QCPAxis::stLogarithmic);
  drive::click(drive::button(open.window, "Frequency"));

  // The wheel zooms, a double click shows all, Backspace goes back.
  QWheelEvent wheel(at, plot->mapToGlobal(at), {}, QPoint(0, 480), Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
  QApplication::sendEvent(plot, &wheel);
  CHECK(plot->xAxis->range().size() < 0.6 * whole.size());
  QTest::mouseDClick(plot, Qt::LeftButton, {}, at);
  CHECK(plot->xAxis->range().size() == Approx(whole.size()));
  QTest::keyClick(&open.window, Qt::Key_Backspace);
  CHECK(plot->xAxis->range().size() < 0.6 * whole.size());
}

TEST_CASE("the points of a sweep over level are stepped through, each with its spectrum", "[app][spectrum]") {
  OpenWindow open;
  open.choose_study("Preamp distortion");
  auto* plot = spectrum_plot(open);
  REQUIRE(plot);
  REQUIRE(drive::until([&] { return !plot->tags().empty(); }));
  auto* word = drive::button(open.window, "Point");
  REQUIRE(word);
  CHECK(word->text().startsWith("at 163"));
  const double high = plot->tags().front().level;
  QTest::keyClick(&open.window, Qt::Key_BracketLeft);
  REQUIRE(drive::until([&] { return plot->tags().front().level < high - 2; }));
  CHECK(plot->tags().front().level == Approx(high - 20 * std::log10(0.46 / 0.02) / 8).margin(0.05));
  for (int k = 0; k < 20; ++k) QTest::keyClick(&open.window, Qt::Key_BracketLeft);
  REQUIRE(drive::until([&] { return plot->tags().front().level < high - 26; }));
  CHECK(open.figure("level.out@100mV").value == Approx(2.0).epsilon(0.05));
}

TEST_CASE("a word of a spectrum's brief proposes whole cycles, and a take follows it", "[app][spectrum]") {
  OpenWindow open;
  open.choose_study("Preamp distortion");
  open.retype("along", "one level and frequency");
  open.retype("frequency", "1.5 kHz");
  drive::click(open.word("frequency"));
  QTest::keyClicks(open.editor(), "coherent");
  QTest::keyClick(open.editor(), Qt::Key_Return);
  REQUIRE(drive::until([&] { return open.word("frequency")->text().contains("1.49"); }));
  open.retype("records", "2 records");
  const auto before = open.desk().focus.takes().size();
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return open.desk().focus.takes().size() > before && !open.desk().runner.running(); }, 60000));
  drive::settled(open.window);
  CHECK(open.figure("fundamental.frequency").value * 16384 / 160e3 == Approx(153).margin(1e-3));
  // 20 mV pk-pk twenty times up, against the inputs' noise.
  CHECK(open.figure("sinad").value > 40);
}

}  // namespace spectrum_window
