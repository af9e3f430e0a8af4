#include <QTemporaryDir>
#include <QXmlStreamReader>
#include <catch2/catch.hpp>
#include <cmath>

#include "app/kinds/response/bode_plot.h"
#include "render/plot_parts.h"
#include "render/theme.h"

using namespace heron;

namespace {

study::response::Curve low_pass(int points = 41) {
  std::vector<study::response::CurvePoint> out;
  for (int k = 0; k < points; ++k) {
    const double f = 10 * std::pow(1e4, double(k) / (points - 1)), r = f / 1000;
    out.push_back(
        {.index = k, .frequency = f, .gain_db = -10 * std::log10(1 + r * r), .phase_deg = -std::atan(r) * 57.29577951});
  }
  return *study::response::assemble(out);
}

QCPRange range(QCPAxisRect* rect, QCPAxis::AxisType axis) { return rect->axis(axis)->range(); }

/// Share of pixels in a rectangle that are (nearly) of a colour.
double share_of(const QImage& image, QRect area, QColor colour) {
  int hits = 0;
  for (int y = area.top(); y <= area.bottom(); ++y)
    for (int x = area.left(); x <= area.right(); ++x) {
      const QColor c = image.pixelColor(x, y);
      hits +=
          std::abs(c.red() - colour.red()) + std::abs(c.green() - colour.green()) + std::abs(c.blue() - colour.blue()) <
          30;
    }
  return double(hits) / (area.width() * area.height());
}

double luminance(QColor c) {
  const auto linear = [](double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
  return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
}

/// WCAG 2 contrast ratio.
double contrast(QColor a, QColor b) {
  const double x = luminance(a), y = luminance(b);
  return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
}

}  // namespace

TEST_CASE("a Bode plot frames its curves and its limit lines", "[render]") {
  app::BodePlot plot;
  plot.resize(900, 500);
  const auto curve = low_pass();
  const judge::Mask mask{.text = "m", .curve = "gain", .upper = {{10, 6}, {1e4, 6}}};
  plot.set_span(10, 1e5);
  plot.show_curves({{&curve, render::take_colour(1)}}, {mask});
  CHECK(range(plot.gain_rect(), QCPAxis::atBottom).lower == Approx(10));
  CHECK(range(plot.gain_rect(), QCPAxis::atBottom).upper == Approx(1e5));
  CHECK(range(plot.gain_rect(), QCPAxis::atLeft).lower < -40);
  CHECK(range(plot.gain_rect(), QCPAxis::atLeft).upper > 6);
  CHECK(range(plot.phase_rect(), QCPAxis::atLeft).lower < -89);
  // Both panels move together.
  plot.phase_rect()->axis(QCPAxis::atBottom)->setRange(100, 1000);
  CHECK(range(plot.gain_rect(), QCPAxis::atBottom).lower == Approx(100));
  // A view that was chosen stays when the curves change; one that framed all frames all again.
  const auto longer = low_pass(81);
  plot.show_curves({{&longer, render::take_colour(1)}}, {});
  CHECK(range(plot.gain_rect(), QCPAxis::atBottom).lower == Approx(100));
  plot.show_all();
  plot.show_curves({{&curve, render::take_colour(1)}}, {mask});
  CHECK(range(plot.gain_rect(), QCPAxis::atLeft).upper > 6);
}

TEST_CASE("what is drawn is seen: curve, wake, forbidden ground, cursor", "[render]") {
  app::BodePlot plot;
  plot.resize(900, 500);
  const auto curve = low_pass();
  plot.set_span(10, 1e5);
  plot.show_curves({{&curve, QColor(), false, true}}, {});
  auto image = plot.toPixmap(900, 500).toImage();
  const auto gain = plot.gain_rect()->rect();
  const double wake = share_of(image, gain, render::theme().wake);
  CHECK(wake > 0.01);
  CHECK(share_of(image, gain, render::take_colour(1)) == 0);
  plot.show_curves({{&curve, render::take_colour(1)}},
                   {{.text = "m", .curve = "gain", .lower = {{20, -20}, {800, -20}}}});
  image = plot.toPixmap(900, 500).toImage();
  CHECK(share_of(image, gain, render::take_colour(1)) > 0.002);
  CHECK(share_of(image, gain, render::theme().wake) < wake / 4);
  // Under the limit line the paper is hatched, beyond its end it is not.
  auto* x = plot.gain_rect()->axis(QCPAxis::atBottom);
  auto* y = plot.gain_rect()->axis(QCPAxis::atLeft);
  const auto patch = [&](double f) {
    return QRect(int(x->coordToPixel(f)) - 12, int(y->coordToPixel(-30)) - 12, 24, 24);
  };
  CHECK(share_of(image, patch(130), render::theme().sheet) < share_of(image, patch(13), render::theme().sheet) - 0.05);
  auto* cursor = new render::CursorLine(&plot, {plot.gain_rect(), plot.phase_rect()}, "A");  // the plot owns its items
  cursor->set_position(3000);
  CHECK(cursor->selectTest(QPointF(x->coordToPixel(3000) + 3, gain.center().y()), false) == Approx(3).margin(0.01));
  image = plot.toPixmap(900, 500).toImage();
  CHECK(share_of(image, QRect(int(x->coordToPixel(3000)) - 8, gain.top() + 1, 16, 14), render::theme().ink) > 0.4);
}

TEST_CASE("a long graph hands over what the pixels can show, spikes included", "[render]") {
  QCustomPlot plot;
  plot.resize(800, 300);
  render::LongGraph graph(plot.xAxis, plot.yAxis);
  std::vector<double> x(500000), y(500000, 0.0);
  for (std::size_t i = 0; i < x.size(); ++i) x[i] = double(i);
  y[321098] = 5;
  graph.set_data(x, y);
  plot.xAxis->setRange(0, 500000);
  plot.replot(QCustomPlot::rpImmediateRefresh);
  CHECK(graph.graph()->data()->size() <= 4 * 800);
  bool found = false;
  CHECK(graph.graph()->data()->valueRange(found).upper == 5);
  plot.xAxis->setRange(321090, 321110);
  plot.replot(QCustomPlot::rpImmediateRefresh);
  CHECK(graph.graph()->data()->size() == 23);
  plot.xAxis->setRange(0, 1000);
  plot.replot(QCustomPlot::rpImmediateRefresh);
  CHECK(graph.graph()->data()->valueRange(found).upper == 0);
  graph.set_data({}, {});
  plot.replot(QCustomPlot::rpImmediateRefresh);
  CHECK(graph.graph()->data()->isEmpty());
}

TEST_CASE("pictures are whole files of their form, or an error in words", "[render]") {
  QTemporaryDir folder;
  app::BodePlot plot;
  plot.resize(640, 400);
  const auto curve = low_pass();
  plot.show_curves({{&curve, render::take_colour(2)}}, {});
  CHECK(render::save_picture(plot, folder.filePath("a.png"), {640, 400}).isEmpty());
  CHECK(QImage(folder.filePath("a.png")).size() == QSize(1280, 800));
  CHECK(render::save_picture(plot, folder.filePath("a.svg"), {640, 400}).isEmpty());
  QFile svg(folder.filePath("a.svg"));
  REQUIRE(svg.open(QIODevice::ReadOnly));
  QXmlStreamReader xml(&svg);
  int elements = 0;
  while (!xml.atEnd()) elements += xml.readNext() == QXmlStreamReader::StartElement;
  CHECK_FALSE(xml.hasError());
  CHECK(elements > 50);
  CHECK(render::save_picture(plot, folder.filePath("a.pdf"), {640, 400}).isEmpty());
  QFile pdf(folder.filePath("a.pdf"));
  REQUIRE(pdf.open(QIODevice::ReadOnly));
  CHECK(pdf.readAll().contains("%%EOF"));
  CHECK(render::save_picture(plot, folder.filePath("a.bmp"), {640, 400}).contains(".png, .svg or .pdf"));
  for (const char* ending : {"png", "svg", "pdf"})
    CHECK_FALSE(render::save_picture(plot, QString("/nowhere/at/all/a.") + ending, {640, 400}).isEmpty());
}

TEST_CASE("text stands out from its ground by 4.5 to 1", "[render]") {
  const auto& t = render::theme();
  for (const QColor ground : {t.mist, t.sheet, t.silt})
    for (const QColor text : {t.ink, t.heron}) CHECK(contrast(text, ground) >= 4.5);
  for (const QColor ground : {t.mist, t.sheet}) CHECK(contrast(t.slate, ground) >= 4.5);  // never used on silt
  for (const QColor text : {t.heron, t.reed, t.rust, t.iris}) CHECK(contrast(text, t.mist) >= 4.5);
  CHECK(contrast(t.bill_text, t.bill_band) >= 4.5);
  CHECK(contrast(t.sheet, t.heron) >= 4.5);
}

TEST_CASE("takes keep their colours and turn dashed after six", "[render]") {
  CHECK(render::take_colour(1) == render::take_colour(7));
  CHECK_FALSE(render::take_dashed(6));
  CHECK(render::take_dashed(7));
  CHECK(render::take_colour(1) != render::take_colour(2));
  CHECK(render::verdict_colour(judge::Verdict::meets) == render::theme().reed);
}

TEST_CASE("an axis carries the prefix in its unit, and decades each their own", "[render]") {
  QCustomPlot plot;
  plot.resize(400, 300);
  const auto labels = [&](QCPAxis* axis) {
    plot.replot(QCustomPlot::rpImmediateRefresh);
    return axis->tickVectorLabels();
  };
  render::measure_axis(plot.yAxis, "Current", "A");
  plot.yAxis->setRange(0, 4.4e-3);
  CHECK(plot.yAxis->label() == "Current, mA");
  CHECK(labels(plot.yAxis).contains("2"));
  // It follows a zoom.
  plot.yAxis->setRange(-3e-6, 2e-6);
  CHECK(plot.yAxis->label() == QString::fromUtf8("Current, \u00b5A"));
  CHECK(labels(plot.yAxis).contains(QString::fromUtf8("\u22122")));
  CHECK(labels(plot.yAxis).contains("0"));
  render::measure_axis(plot.yAxis, "|Current|", "A", true);
  plot.yAxis->setRange(1e-9, 1e-3);
  CHECK(plot.yAxis->label() == "|Current|");
  CHECK(labels(plot.yAxis).contains("10 nA"));
  // What takes no prefix keeps its unit as it is.
  render::measure_axis(plot.yAxis, "Gain", "dB");
  plot.yAxis->setRange(-4000, 1000);
  CHECK(plot.yAxis->label() == "Gain, dB");
  render::measure_axis(plot.xAxis, "Ratio", "1");
  CHECK(plot.xAxis->label() == "Ratio");
}

TEST_CASE("a dot lies where a disc would, of any size", "[render]") {
  const QColor ink(200, 0, 40);
  // The middle of all that is redder than paper and axes.
  const auto middle = [&](const QCPScatterStyle& style) {
    QCustomPlot plot;
    plot.resize(400, 300);
    auto* graph = plot.addGraph();
    graph->setLineStyle(QCPGraph::lsNone);
    graph->setScatterStyle(style);
    graph->addData(0.37, 0.61);
    plot.xAxis->setRange(0, 1);
    plot.yAxis->setRange(0, 1);
    const auto image = plot.toPixmap().toImage();
    double weight = 0;
    QPointF sum;
    for (int row = 0; row < image.height(); ++row)
      for (int column = 0; column < image.width(); ++column) {
        const QColor c = image.pixelColor(column, row);
        const double red = std::max(0, c.red() - c.green() - 20);
        weight += red;
        sum += red * QPointF(column, row);
      }
    REQUIRE(weight > 0);
    return sum / weight;
  };
  for (const double size : {2.0, 2.6, 3.4, 5.0}) {
    const auto away = middle(render::sample_dot(ink, size)) - middle(QCPScatterStyle(QCPScatterStyle::ssDisc, ink, ink, size));
    INFO(size << ": " << away.x() << ", " << away.y());
    CHECK(std::abs(away.x()) <= 0.75);
    CHECK(std::abs(away.y()) <= 0.75);
  }
}

TEST_CASE("ticks step by one, two or five", "[render]") {
  CHECK(render::round_step(1) == Approx(1));
  CHECK(render::round_step(1.01) == Approx(2));
  CHECK(render::round_step(0.023) == Approx(0.05));
  CHECK(render::round_step(6e6) == Approx(1e7));
}

TEST_CASE("an axis whose panel is lower than its words keeps the unit alone", "[render]") {
  QCustomPlot plot;
  plot.resize(400, 300);
  render::style_axes(*plot.axisRect());
  render::measure_axis(plot.yAxis, "the voltage at the hold-up capacitor", "V");
  plot.yAxis->setRange(0, 5);
  plot.replot();
  CHECK(plot.yAxis->label() == "the voltage at the hold-up capacitor, V");
  // As a window that is hidden is not resized by its size alone.
  const auto resize = [&](int height) {
    plot.setViewport(QRect(0, 0, 400, height));
    for (int k = 0; k < 2; ++k) plot.replot();
  };
  resize(120);
  CHECK(plot.yAxis->label() == "V");
  resize(300);
  CHECK(plot.yAxis->label() == "the voltage at the hold-up capacitor, V");
  // A label of somebody else's stays.
  render::measure_axis(plot.xAxis, {}, "s");
  plot.xAxis->setLabel("since the plug was pulled");
  plot.replot();
  CHECK(plot.xAxis->label() == "since the plug was pulled");
}

TEST_CASE("names at the ends of curves stand apart and inside", "[render]") {
  const auto places = heron::render::parted({10, 12, 90, 200, 201}, 0, 200, 14);
  CHECK(places.front() == 10);
  CHECK(places[1] == 24);
  CHECK(places[2] == 90);
  // The last two find room at the bottom.
  CHECK(places[3] == 186);
  CHECK(places[4] == 200);
  // More than there is room for go on below rather than over each other.
  const auto many = heron::render::parted(std::vector<double>(10, 50), 0, 60, 14);
  for (std::size_t k = 1; k < many.size(); ++k) CHECK(many[k] - many[k - 1] >= 14);
  CHECK(many.front() == 0);
  CHECK(heron::render::parted({}, 0, 60, 14).empty());
}
