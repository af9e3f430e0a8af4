#include <catch2/catch.hpp>

#include "app/kinds/spectrum/codes_lens.h"
#include "app/kinds/spectrum/residual_lens.h"
#include "app/kinds/spectrum/spectrogram_lens.h"
#include "app/kinds/spectrum/spectrum_lens.h"
#include "app/kinds/spectrum/sweep_lens.h"
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
  CHECK(level == Approx(-0.5).margin(0.02));
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
  CHECK(word->text().startsWith("at 219"));
  for (int k = 0; k < 20; ++k) QTest::keyClick(&open.window, Qt::Key_BracketLeft);
  REQUIRE(drive::until([&] { return word->text().startsWith("at 17.7"); }));
  REQUIRE(drive::until([&] { return plot->tags().front().level < -9; }));
  const double low = plot->tags().front().level;
  QTest::keyClick(&open.window, Qt::Key_BracketRight);
  REQUIRE(drive::until([&] { return plot->tags().front().level > low + 1; }));
  CHECK(plot->tags().front().level == Approx(low + 20 * std::log10(0.62 / 0.05) / 12).margin(0.05));
  // 26 dB of gain, and 2.2 dB less at 17 kHz for the corner at 21 kHz.
  CHECK(open.figure("level.out@100mV").value == Approx(0.1 * 20.1 / std::hypot(1, 17e3 * 2 * std::acos(-1) * 1.6e3 * 4.7e-9)).epsilon(0.05));
}

TEST_CASE("a word of a spectrum's brief proposes whole cycles, and a take follows it", "[app][spectrum]") {
  OpenWindow open;
  open.choose_study("Preamp distortion");
  open.retype("along", "one level and frequency");
  open.retype("level", "20 mV");
  open.retype("frequency", "15 kHz");
  drive::click(open.word("frequency"));
  QTest::keyClicks(open.editor(), "coherent");
  QTest::keyClick(open.editor(), Qt::Key_Return);
  REQUIRE(drive::until([&] { return open.word("frequency")->text().contains("15.2"); }));
  open.retype("records", "2 records");
  const auto before = open.desk().focus.takes().size();
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return open.desk().focus.takes().size() > before && !open.desk().runner.running(); }, 60000));
  drive::settled(open.window);
  CHECK(open.figure("fundamental.frequency").value * 2048 / 800e3 == Approx(39).margin(1e-3));
  // 20 mV pk-pk twenty times up, against the inputs' noise.
  CHECK(open.figure("sinad").value > 35);
}

TEST_CASE("figures over a sweep are drawn and named, and a click opens the spectrum behind a point", "[app][spectrum]") {
  OpenWindow open;
  open.choose_study("Preamp distortion");
  drive::settled(open.window);
  drive::click(drive::button(open.window, "Lens: Sweep"));
  auto* lens = drive::visible<app::SweepLens>(open);
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->names().contains("THD+N"); }));
  CHECK(lens->names().contains("3f"));
  auto* word = drive::button(open.window, "Curves");
  REQUIRE(word);
  drive::click(word);
  REQUIRE(drive::until([&] { return lens->names() == QStringList{"SNR", "SINAD"}; }));
  drive::click(word);
  REQUIRE(drive::until([&] { return lens->names() == QStringList{"gain"}; }));
  CHECK(lens->plot()->yAxis->label() == "Gain, dB");
  // Names never lie over each other, and the gain is the same at every level that does not compress.
  lens->plot()->replot();
  const QPointF first = lens->place_of(0, 0), second = lens->place_of(0, 1);
  CHECK(first.x() < second.x());
  QTest::mouseClick(lens->plot(), Qt::LeftButton, {}, first.toPoint());
  REQUIRE(drive::until([&] { return drive::visible<app::SpectrumLens>(open) != nullptr; }));
  auto* point = drive::button(open.window, "Point");
  REQUIRE(point);
  REQUIRE(drive::until([&] { return point->text().startsWith("at 17.7"); }));

  drive::click(drive::button(open.window, "Lens: Points"));
  auto* table = drive::visible<QTableWidget>(open);
  REQUIRE(table);
  REQUIRE(drive::until([&] { return table->rowCount() > 3 && table->columnCount() > 4; }));
  CHECK(table->horizontalHeaderItem(1)->text() == "level");
  table->setFocus();
  table->setCurrentCell(0, 1);
  QTest::keyClick(table, Qt::Key_C, Qt::ControlModifier);
  const auto copied = QApplication::clipboard()->text().split('\n');
  CHECK(copied[0].startsWith("level (V)\t"));
  CHECK(copied[1].split('\t')[0].toDouble() == Approx(17.7e-3).epsilon(0.01));
  QTest::keyClick(table, Qt::Key_Return);
  REQUIRE(drive::until([&] { return drive::visible<app::SpectrumLens>(open) != nullptr; }));
}

TEST_CASE("a converter's codes, its residual and its spectrogram are looked at", "[app][spectrum]") {
  OpenWindow open;
  open.choose_study("Recorder ADC codes");
  drive::settled(open.window);
  drive::click(drive::button(open.window, "Lens: Codes"));
  auto* codes = drive::visible<app::CodesLens>(open);
  REQUIRE(codes);
  REQUIRE(drive::until([&] { return codes->trouble().isEmpty() && codes->plot()->graphCount() == 4; }));
  // The wide code stands out where it is.
  CHECK(open.figure("dnl.max").value > 0.5);
  CHECK(open.figure("codes.missing").value == 0);

  drive::click(drive::button(open.window, "Lens: Residual"));
  auto* residual = drive::visible<app::ResidualLens>(open);
  REQUIRE(residual);
  // Until it is there it is said that it is being read.
  CHECK((residual->cards().size() == 2 || residual->trouble() == QString::fromUtf8("reading\u2026")));
  REQUIRE(drive::until([&] { return residual->cards().size() == 2; }));
  CHECK(residual->trouble().isEmpty());
  const auto rest = residual->cards().front().number.toDouble();
  drive::click(drive::button(open.window, "Taken out"));
  REQUIRE(drive::until([&] { return residual->cards().size() == 2 && residual->cards().front().number.toDouble() != rest; }));
  drive::click(drive::button(open.window, "Across"));
  CHECK(drive::button(open.window, "Across")->text() == "over phase");
  CHECK(residual->plot()->axisRect(1)->axis(QCPAxis::atBottom)->range().upper == 360);

  drive::click(drive::button(open.window, "Lens: Spectrogram"));
  auto* along = drive::visible<app::SpectrogramLens>(open);
  REQUIRE(along);
  REQUIRE(drive::until([&] { return along->shown() != nullptr; }));
  const double line = along->shown()->line;
  drive::click(drive::button(open.window, "Finer"));
  REQUIRE(drive::until([&] { return along->shown() && along->shown()->line < 0.6 * line; }));
  // A study that reads no codes has no such tab.
  open.choose_study("Preamp distortion");
  drive::settled(open.window);
  CHECK_FALSE(drive::button(open.window, "Lens: Codes"));
}

}  // namespace spectrum_window
