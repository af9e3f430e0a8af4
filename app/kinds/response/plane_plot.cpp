#include "plane_plot.h"

#include <cmath>
#include <complex>
#include <numbers>

#include "base/conversions.h"
#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"
#include "signal/curve.h"

namespace heron::app {

using namespace render;
namespace {

using Complex = std::complex<double>;
constexpr double kClosedGains[] = {-40, -30, -20, -12, -6, -3, -1, 0, 0.5, 1, 3, 6, 12};
constexpr double kClosedAngles[] = {-10, -20, -45, -90, -120, -150};

QString number(double value) { return QString::number(value).replace('-', QChar(0x2212)); }

}  // namespace

Complex open_loop(Complex closed) { return closed / (1.0 - closed); }

PlanePlot::PlanePlot(Plane plane, QWidget* parent) : QCustomPlot(parent), plane_(plane) {
  style_plot(*this);
  style_axes(*axisRect());
  axisRect()->setRangeDrag(Qt::Horizontal | Qt::Vertical);
  axisRect()->setRangeZoom({});
  xAxis->setLabel(plane == Plane::nyquist ? "Real part" : "Phase, \u00b0");
  yAxis->setLabel(plane == Plane::nyquist ? "Imaginary part" : "Gain, dB");
  xAxis->setNumberFormat("gb");
  for (const char* layer : {"ground", "wake"}) addLayer(layer, this->layer("grid"), limAbove);
  addLayer("cursors", this->layer("main"), limAbove);
  if (plane == Plane::nichols) {
    auto turns = QSharedPointer<QCPAxisTickerFixed>(new QCPAxisTickerFixed);
    turns->setTickStep(45);
    turns->setScaleStrategy(QCPAxisTickerFixed::ssMultiples);
    turns->setTickCount(7);
    xAxis->setTicker(turns);
  }
  x_range_ = plane == Plane::nyquist ? QCPRange(-1.5, 1.5) : QCPRange(-270, 0);
  y_range_ = plane == Plane::nyquist ? QCPRange(-1.5, 1.5) : QCPRange(-40, 40);
  show_all();
}

QPointF PlanePlot::at(const study::response::CurvePoint& p) const {
  if (plane_ == Plane::nichols) return {p.phase_deg, p.gain_db};
  const auto h = std::polar(std::pow(10, p.gain_db / 20), p.phase_deg / kDegrees);
  return {h.real(), h.imag()};
}

void PlanePlot::add_text(const QPointF& where, const QString& text, const QColor& colour, Qt::Alignment side,
                         QList<QCPAbstractItem*>& into) {
  auto* item = new QCPItemText(this);
  item->position->setCoords(where.x(), where.y());
  item->setPositionAlignment(side);
  item->setPadding(QMargins(5, 2, 5, 2));
  item->setText(text);
  item->setFont(text_font(10));
  item->setColor(colour);
  into << item;
}

/// Unit circle and the point -1; or lines of equal closed-loop gain and angle, worked out from T/(1 - T).
void PlanePlot::draw_contours() {
  const auto line = [&](const QVector<QCPCurveData>& samples, const QPen& pen) {
    auto* curve = new QCPCurve(xAxis, yAxis);
    curve->data()->set(samples, true);
    curve->setPen(pen);
    curve->setLayer("ground");
    drawn_ << curve;
  };
  const QPen fine(theme().line, 1), dotted(theme().line, 1, Qt::DotLine);
  if (plane_ == Plane::nyquist) {
    QVector<QCPCurveData> circle;
    for (int k = 0; k <= 180; ++k)
      circle.append({double(k), std::cos(2 * std::numbers::pi * k / 180), std::sin(2 * std::numbers::pi * k / 180)});
    line(circle, QPen(theme().slate, 1, Qt::DashLine));
    auto* point = new QCPItemTracer(this);
    point->setStyle(QCPItemTracer::tsPlus);
    point->setSize(12);
    point->setPen(QPen(theme().ink, 1.6));
    point->position->setCoords(-1, 0);
    labels_ << point;
    add_text({-1, 0}, "\u22121", theme().ink, Qt::AlignRight | Qt::AlignBottom, labels_);
    return;
  }
  // Phases of -360 to 0 hold every contour once; copies cover what else is in view.
  for (const double turn : {-360.0, 0.0, 360.0}) {
    if (x_range_.upper < turn - 360 || x_range_.lower > turn) continue;
    for (const double db : kClosedGains) {
      QVector<QCPCurveData> samples;
      const double gain = std::pow(10, db / 20);
      double last = 0;
      const auto draw = [&](double angle) {
        const auto open = open_loop(std::polar(gain, -angle / kDegrees));
        double phase = std::arg(open) * kDegrees;
        if (phase > 0) phase -= 360;
        if (!samples.isEmpty() && std::abs(phase - last) > 180)
          samples.append({double(samples.size()), std::numeric_limits<double>::quiet_NaN(), 0});
        last = phase;
        samples.append({double(samples.size()), phase + turn, 20 * std::log10(std::abs(open))});
      };
      // Close around 0 degrees, where the open loop runs far with little angle.
      for (double angle = 0.02; angle < 180; angle *= 1.05) draw(angle);
      for (double angle = 180; angle > 0.02; angle /= 1.05) draw(360 - angle);
      line(samples, fine);
      // Above 0 dB named where it is highest, M/(M - 1) at -180 degrees; below, where it leaves the view at the right.
      const double x = gain > 1 ? turn - 180 : std::min(turn, xAxis->range().upper), c = std::cos(x / kDegrees);
      if (gain == 1 || (gain < 1 && (x <= turn - 360 || db < -12.5))) continue;
      const double open =
          gain > 1 ? gain / (gain - 1)
                   : (gain * gain * c + std::sqrt(std::pow(gain, 4) * c * c + gain * gain * (1 - gain * gain))) /
                         (1 - gain * gain);
      add_text({x, 20 * std::log10(open)}, number(db) + " dB", theme().slate,
               gain > 1 ? Qt::AlignHCenter | Qt::AlignBottom : Qt::AlignRight | Qt::AlignBottom, labels_);
    }
    for (const double angle : kClosedAngles)
      for (const double sign : {1.0, -1.0}) {
        QVector<QCPCurveData> samples;
        double last = 0;
        for (int k = 0; k <= 400; ++k) {
          const auto open = open_loop(std::polar(std::pow(10, -3 + 5.0 * k / 400), sign * angle / kDegrees));
          double phase = std::arg(open) * kDegrees;
          if (phase > 0) phase -= 360;
          if (k > 0 && std::abs(phase - last) > 180)
            samples.append({double(k), std::numeric_limits<double>::quiet_NaN(), 0});
          last = phase;
          samples.append({double(k), phase + turn, 20 * std::log10(std::abs(open))});
        }
        line(samples, dotted);
      }
    auto* point = new QCPItemTracer(this);
    point->setStyle(QCPItemTracer::tsPlus);
    point->setSize(12);
    point->setPen(QPen(theme().ink, 1.6));
    point->position->setCoords(turn - 180, 0);
    labels_ << point;
  }
}

/// 1, 2 and 5 of every decade, as long as the names stand apart.
void PlanePlot::label_frequencies(const BodeCurve& curve) {
  const auto& points = curve.curve->points;
  if (points.size() < 2) return;
  QPointF last(-1e9, -1e9);
  const double first = points.front().frequency, final = points.back().frequency;
  for (int decade = int(std::floor(std::log10(first))); decade <= int(std::log10(final)) + 1; ++decade)
    for (const double step : {1.0, 2.0, 5.0}) {
      const double f = step * std::pow(10, decade);
      const auto where = place(*curve.curve, f);
      if (!where) continue;
      const QPointF pixel(xAxis->coordToPixel(where->x()), yAxis->coordToPixel(where->y()));
      if (std::hypot(pixel.x() - last.x(), pixel.y() - last.y()) < 48) continue;
      last = pixel;
      auto* dot = new QCPItemTracer(this);
      dot->setStyle(QCPItemTracer::tsCircle);
      dot->setSize(5);
      dot->setPen(QPen(curve.colour, 1));
      dot->setBrush(theme().sheet);
      dot->position->setCoords(where->x(), where->y());
      labels_ << dot;
      add_text(*where, QString::fromStdString(format_setting(f, "Hz")), curve.colour, Qt::AlignLeft | Qt::AlignVCenter,
               labels_);
    }
}

void PlanePlot::show_curves(const QList<BodeCurve>& curves) {
  const bool was_framed = framed();
  for (auto* plottable : drawn_) removePlottable(plottable);
  for (auto* item : labels_) removeItem(item);
  drawn_.clear();
  labels_.clear();
  x_range_ = plane_ == Plane::nyquist ? QCPRange(-1.2, 1.2) : QCPRange(-225, -90);
  y_range_ = plane_ == Plane::nyquist ? QCPRange(-1.2, 1.2) : QCPRange(-6, 6);
  for (const auto& curve : curves) {
    QVector<QCPCurveData> samples;
    for (const auto& p : curve.curve->points) {
      if (!p.trusted) continue;
      const auto where = at(p);
      samples.append({double(samples.size()), where.x(), where.y()});
      x_range_.expand(QCPRange(where.x(), where.x()));
      y_range_.expand(QCPRange(where.y(), where.y()));
    }
    auto* line = new QCPCurve(xAxis, yAxis);
    line->data()->set(samples, true);
    QPen pen(curve.colour, 1.8);
    if (curve.dashed) pen.setDashPattern({6, 3});
    if (curve.wake) {
      pen = QPen(theme().wake, 9);
      pen.setCapStyle(Qt::RoundCap);
      pen.setJoinStyle(Qt::RoundJoin);
      line->setLayer("wake");
    } else if (samples.size() <= 160) {
      line->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, curve.colour, curve.colour, 4));
    }
    line->setPen(pen);
    drawn_ << line;
  }
  reaches_far_ = std::max(std::abs(x_range_.lower), std::abs(y_range_.lower)) > 6;
  bool inside = false;
  for (const auto& curve : curves)
    for (const auto& p : curve.curve->points) inside = inside || p.gain_db < 0;
  reaches_far_ = reaches_far_ && inside;
  if (was_framed || curves.isEmpty()) frame_again();
  draw_contours();
  for (const auto& curve : curves)
    if (!curve.wake) label_frequencies(curve);
}

void PlanePlot::show_all() {
  // Around -1 first, where a loop is judged; asked again, all of it.
  if (plane_ == Plane::nyquist && reaches_far_ && !(framed_near_ && framed())) {
    show_range({-4, 1.6}, {-2.6, 1.6});
    framed_near_ = true;
    return;
  }
  framed_near_ = false;
  show_range(x_range_, y_range_);
}

bool PlanePlot::framed() const { return framed_x_ == xAxis->range() && framed_y_ == yAxis->range(); }

/// The same frame once more, for other data or another size.
void PlanePlot::frame_again() {
  if (framed_near_ || reaches_far_) {
    framed_near_ = false;
    show_all();
  } else {
    show_range(x_range_, y_range_);
  }
}

void PlanePlot::show_range(QCPRange x, QCPRange y) {
  const auto margin = [](QCPRange r) { return QCPRange(r.lower - 0.08 * r.size(), r.upper + 0.08 * r.size()); };
  xAxis->setRange(margin(x));
  yAxis->setRange(margin(y));
  if (plane_ == Plane::nyquist) {
    // The larger of both scales rules, so that all is in view and a circle is one.
    const double per_x = xAxis->range().size() / std::max(1, axisRect()->width()),
                 per_y = yAxis->range().size() / std::max(1, axisRect()->height());
    if (per_x > per_y)
      yAxis->setScaleRatio(xAxis, 1);
    else
      xAxis->setScaleRatio(yAxis, 1);
  }
  framed_x_ = xAxis->range();
  framed_y_ = yAxis->range();
}

void PlanePlot::resizeEvent(QResizeEvent* event) {
  const bool was_framed = framed();
  QCustomPlot::resizeEvent(event);
  if (plane_ != Plane::nyquist) return;
  replot();  // the rectangle's size is known after a layout only
  if (was_framed)
    frame_again();
  else
    yAxis->setScaleRatio(xAxis, 1);
  replot(rpQueuedReplot);
}

std::optional<QPointF> PlanePlot::place(const study::response::Curve& curve, double frequency) const {
  const auto f = curve.frequencies();
  if (f.size() < 2) return std::nullopt;
  const auto i = signal::segment_of(f, frequency);
  if (!i) return std::nullopt;
  const double share = std::log(frequency / f[*i]) / std::log(f[*i + 1] / f[*i]);
  const QPointF a = at(curve.points[*i]), b = at(curve.points[*i + 1]);
  return a + (b - a) * share;
}

std::optional<std::pair<double, double>> PlanePlot::nearest(const study::response::Curve& curve,
                                                            const QPointF& pixel) const {
  std::optional<std::pair<double, double>> best;
  const auto on_screen = [&](const QPointF& p) {
    return QPointF(xAxis->coordToPixel(p.x()), yAxis->coordToPixel(p.y()));
  };
  for (std::size_t i = 0; i + 1 < curve.points.size(); ++i) {
    const QPointF a = on_screen(at(curve.points[i])), b = on_screen(at(curve.points[i + 1])), along = b - a;
    const double length = QPointF::dotProduct(along, along);
    const double share = length > 0 ? std::clamp(QPointF::dotProduct(pixel - a, along) / length, 0.0, 1.0) : 0;
    const QPointF away = pixel - (a + along * share);
    const double distance = std::hypot(away.x(), away.y());
    if (!best || distance < best->second)
      best = {curve.points[i].frequency * std::pow(curve.points[i + 1].frequency / curve.points[i].frequency, share),
              distance};
  }
  return best;
}

void PlanePlot::show_marks(const study::response::Curve* curve, const std::vector<std::pair<QString, double>>& marks) {
  for (auto* item : marks_) removeItem(item);
  marks_.clear();
  if (!curve) return;
  for (const auto& [name, frequency] : marks) {
    const auto where = place(*curve, frequency);
    if (!where) continue;
    auto* ring = new QCPItemTracer(this);
    ring->setStyle(QCPItemTracer::tsCircle);
    ring->setSize(11);
    ring->setPen(QPen(theme().ink, 1.6));
    ring->position->setCoords(where->x(), where->y());
    ring->setLayer("cursors");
    marks_ << ring;
    auto* flag = new QCPItemText(this);
    flag->position->setCoords(where->x(), where->y());
    flag->setPositionAlignment(Qt::AlignLeft | Qt::AlignBottom);
    flag->setPadding(QMargins(5, 1, 5, 1));
    flag->setText(name);
    flag->setFont(text_font(11, QFont::DemiBold));
    flag->setColor(theme().sheet);
    flag->setBrush(QBrush(theme().ink));
    flag->setLayer("cursors");
    marks_ << flag;
  }
}

}  // namespace heron::app
