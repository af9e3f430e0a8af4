#include "render/bode_plot.h"

#include "render/plot_parts.h"
#include "render/theme.h"

namespace heron::render {

BodePlot::BodePlot(QWidget* parent) : QCustomPlot(parent) {
  style_plot(*this);
  plotLayout()->clear();
  gain_ = new QCPAxisRect(this);
  phase_ = new QCPAxisRect(this);
  plotLayout()->addElement(0, 0, gain_);
  plotLayout()->addElement(1, 0, phase_);
  plotLayout()->setRowStretchFactor(0, 2.2);
  plotLayout()->setRowStretchFactor(1, 1);
  plotLayout()->setRowSpacing(14);
  auto* group = new QCPMarginGroup(this);
  for (auto* rect : {gain_, phase_}) {
    style_axes(*rect);
    rect->setMarginGroup(QCP::msLeft | QCP::msRight, group);
    rect->setMinimumMargins(QMargins(8, 2, 14, 2));
    auto* x = rect->axis(QCPAxis::atBottom);
    x->setScaleType(QCPAxis::stLogarithmic);
    x->setTicker(frequency_ticker());
    x->grid()->setSubGridVisible(true);
    rect->setRangeDrag(Qt::Horizontal | Qt::Vertical);
    rect->setRangeZoom({});
  }
  gain_->axis(QCPAxis::atBottom)->setTickLabels(false);
  gain_->axis(QCPAxis::atLeft)->setLabel("Gain, dB");
  phase_->axis(QCPAxis::atLeft)->setLabel("Phase, \u00b0");
  phase_->axis(QCPAxis::atBottom)->setLabel("Frequency, Hz");
  auto turns = QSharedPointer<QCPAxisTickerFixed>(new QCPAxisTickerFixed);
  turns->setTickStep(45);
  turns->setScaleStrategy(QCPAxisTickerFixed::ssMultiples);
  turns->setTickCount(4);
  phase_->axis(QCPAxis::atLeft)->setTicker(turns);
  // Both panels share their frequency axis, whichever is moved.
  auto* a = gain_->axis(QCPAxis::atBottom);
  auto* b = phase_->axis(QCPAxis::atBottom);
  connect(a, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), b, qOverload<const QCPRange&>(&QCPAxis::setRange));
  connect(b, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), a, qOverload<const QCPRange&>(&QCPAxis::setRange));
  for (const char* layer : {"ground", "wake"}) addLayer(layer, this->layer("grid"), limAbove);
  addLayer("cursors", this->layer("main"), limAbove);
  x_range_ = span_;
  show_all();
}

void BodePlot::add_curve(QCPAxisRect* rect, const BodeCurve& curve, const std::vector<double>& y) {
  auto* graph = addGraph(rect->axis(QCPAxis::atBottom), rect->axis(QCPAxis::atLeft));
  QVector<QCPGraphData> samples;
  const auto& points = curve.curve->points;
  for (std::size_t i = 0; i < points.size(); ++i) samples.append({points[i].frequency, y[i]});
  graph->data()->set(samples, true);
  if (curve.wake) {
    QPen pen(theme().wake, 9);
    pen.setCapStyle(Qt::RoundCap);
    pen.setJoinStyle(Qt::RoundJoin);
    graph->setPen(pen);
    graph->setLayer("wake");
  } else {
    QPen pen(curve.colour, 1.8);
    if (curve.dashed) pen.setDashPattern({6, 3});
    graph->setPen(pen);
    // Dots only where they can be told apart.
    if (points.size() <= 160)
      graph->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, curve.colour, curve.colour, 4.6));
  }
  drawn_ << graph;
}

void BodePlot::show_curves(const QList<BodeCurve>& curves, const std::vector<judge::Mask>& masks) {
  const bool was_framed = framed();
  for (auto* plottable : drawn_) removePlottable(plottable);
  for (auto* item : ground_) removeItem(item);
  drawn_.clear();
  ground_.clear();
  bool any = false;
  gain_range_ = phase_range_ = QCPRange(0, 0);
  x_range_ = span_;
  bool first_gain = true, first_phase = true;
  const auto widen = [](QCPRange& range, double value, bool& first) {
    if (first) range = QCPRange(value, value);
    first = false;
    range.lower = std::min(range.lower, value);
    range.upper = std::max(range.upper, value);
  };
  for (const auto& curve : curves) {
    const auto gains = curve.curve->gains(), phases = curve.curve->phases();
    add_curve(gain_, curve, gains);
    if (curve.curve->has_phase) add_curve(phase_, curve, phases);
    for (const double g : gains) widen(gain_range_, g, first_gain);
    if (curve.curve->has_phase)
      for (const double p : phases) widen(phase_range_, p, first_phase);
    for (const auto& point : curve.curve->points) {
      x_range_.lower = std::min(x_range_.lower, point.frequency);
      x_range_.upper = std::max(x_range_.upper, point.frequency);
    }
    any = any || !gains.empty();
  }
  for (const auto& mask : masks) {
    QCPAxisRect* rect = mask.curve == "phase" ? phase_ : gain_;
    for (const bool upper : {true, false}) {
      QVector<QPointF> line;
      for (const auto& [x, y] : upper ? mask.upper : mask.lower) {
        line << QPointF(x, y);
        if (rect == gain_ && any) widen(gain_range_, y, first_gain);
      }
      if (line.isEmpty()) continue;
      auto* item = new ForbiddenGround(this, rect, line, upper);
      item->setLayer("ground");
      ground_ << item;
    }
  }
  if (was_framed || !any) show_all();
}

bool BodePlot::framed() const {
  return framed_x_ == gain_->axis(QCPAxis::atBottom)->range() &&
         framed_gain_ == gain_->axis(QCPAxis::atLeft)->range() &&
         framed_phase_ == phase_->axis(QCPAxis::atLeft)->range();
}

void BodePlot::show_all() {
  const auto frame = [](QCPAxis* axis, QCPRange range, double least) {
    if (range.size() < least) range = QCPRange(range.center() - least / 2, range.center() + least / 2);
    axis->setRange(range.lower - 0.06 * range.size(), range.upper + 0.08 * range.size());
  };
  frame(gain_->axis(QCPAxis::atLeft), gain_range_, 6);
  frame(phase_->axis(QCPAxis::atLeft), phase_range_, 90);
  gain_->axis(QCPAxis::atBottom)->setRange(x_range_);
  framed_x_ = gain_->axis(QCPAxis::atBottom)->range();
  framed_gain_ = gain_->axis(QCPAxis::atLeft)->range();
  framed_phase_ = phase_->axis(QCPAxis::atLeft)->range();
}

}  // namespace heron::render
