#include "bode_plot.h"

#include <cmath>

#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"
#include "signal/curve.h"

namespace heron::app {

using namespace render;
namespace {

QSharedPointer<QCPAxisTicker> degree_ticker() {
  auto turns = QSharedPointer<QCPAxisTickerFixed>(new QCPAxisTickerFixed);
  turns->setTickStep(45);
  turns->setScaleStrategy(QCPAxisTickerFixed::ssMultiples);
  turns->setTickCount(4);
  return turns;
}

void widen(QCPRange& range, double value, bool& first) {
  if (!std::isfinite(value)) return;
  if (first) range = QCPRange(value, value);
  first = false;
  range.lower = std::min(range.lower, value);
  range.upper = std::max(range.upper, value);
}

}  // namespace

std::vector<double> group_delays(const study::response::Curve& curve) {
  std::vector<double> out;
  const auto& p = curve.points;
  for (std::size_t i = 0; i < p.size(); ++i) {
    const auto low = i == 0 ? 0 : i - 1, high = std::min(i + 1, p.size() - 1);
    out.push_back(high > low ? -(p[high].phase_deg - p[low].phase_deg) / 360 / (p[high].frequency - p[low].frequency)
                             : 0);
  }
  return out;
}

BodePlot::BodePlot(QWidget* parent) : QCustomPlot(parent) {
  style_plot(*this);
  plotLayout()->clear();
  gain_ = new QCPAxisRect(this);
  phase_ = new QCPAxisRect(this);
  coherence_ = new QCPAxisRect(this);
  plotLayout()->addElement(0, 0, gain_);
  plotLayout()->addElement(1, 0, phase_);
  plotLayout()->addElement(2, 0, coherence_);
  plotLayout()->setRowSpacing(14);
  auto* group = new QCPMarginGroup(this);
  for (auto* rect : {gain_, phase_, coherence_}) {
    style_axes(*rect);
    rect->setMarginGroup(QCP::msLeft | QCP::msRight, group);
    rect->setMinimumMargins(QMargins(8, 2, 14, 2));
    rect->axis(QCPAxis::atBottom)->grid()->setSubGridVisible(true);
    rect->setRangeDrag(Qt::Horizontal | Qt::Vertical);
    rect->setRangeZoom({});
  }
  coherence_->axis(QCPAxis::atLeft)->setLabel("Coherence");
  coherence_->axis(QCPAxis::atLeft)->setRange(0, 1.04);
  coherence_->axis(QCPAxis::atLeft)->ticker()->setTickCount(2);
  coherence_->setRangeDrag(Qt::Horizontal);
  phase_->axis(QCPAxis::atLeft)->setLabel("Phase, \u00b0");
  phase_->axis(QCPAxis::atLeft)->setTicker(degree_ticker());
  // All panels share their frequency axis, whichever is moved.
  const QList<QCPAxisRect*> all = {gain_, phase_, coherence_};
  for (auto* from : all)
    for (auto* to : all)
      if (from != to)
        connect(from->axis(QCPAxis::atBottom), qOverload<const QCPRange&>(&QCPAxis::rangeChanged),
                to->axis(QCPAxis::atBottom), qOverload<const QCPRange&>(&QCPAxis::setRange));
  for (const char* layer : {"ground", "wake"}) addLayer(layer, this->layer("grid"), limAbove);
  addLayer("cursors", this->layer("main"), limAbove);
  arrange(true, false);
  const auto form = form_;
  form_.in_db = !form.in_db;
  set_form(form);
  x_range_ = span_;
  show_all();
}

QList<QCPAxisRect*> BodePlot::rects() const {
  QList<QCPAxisRect*> out = {gain_};
  if (with_phase_) out << phase_;
  if (with_coherence_) out << coherence_;
  return out;
}

/// Panels that have nothing to show take no room.
void BodePlot::arrange(bool with_phase, bool with_coherence) {
  with_phase_ = with_phase;
  with_coherence_ = with_coherence;
  const struct {
    QCPAxisRect* rect;
    bool shown;
    double share;
  } rows[] = {{gain_, true, with_coherence ? 1.9 : 2.2}, {phase_, with_phase, 1}, {coherence_, with_coherence, 1}};
  QCPAxisRect* lowest = gain_;
  for (int k = 0; k < 3; ++k) {
    rows[k].rect->setVisible(rows[k].shown);
    rows[k].rect->setMaximumSize(QWIDGETSIZE_MAX, rows[k].shown ? QWIDGETSIZE_MAX : 0);
    rows[k].rect->setMinimumSize(0, 0);
    plotLayout()->setRowStretchFactor(k, rows[k].shown ? rows[k].share : 0.0001);
    if (rows[k].shown) lowest = rows[k].rect;
  }
  plotLayout()->setRowSpacing(with_phase || with_coherence ? 12 : 0);
  for (const auto& row : rows) {
    row.rect->axis(QCPAxis::atBottom)->setTickLabels(row.rect == lowest);
    measure_axis(row.rect->axis(QCPAxis::atBottom), row.rect == lowest ? "Frequency" : "", "Hz", form_.logarithmic);
    row.rect->setAutoMargins(row.shown ? QCP::msAll : QCP::msNone);
    if (!row.shown) row.rect->setMargins({});
  }
}

void BodePlot::set_form(const BodeForm& form) {
  if (form == form_) return;
  form_ = form;
  auto* y = gain_->axis(QCPAxis::atLeft);
  const bool steps = !form.delay && (form.impedance || !form.in_db);
  measure_axis(y, form.delay ? "Group delay" : form.impedance ? "|Z|" : "Gain",
               form.delay ? "s" : form.impedance ? "ohm" : form.in_db ? "dB" : "1", steps);
  for (auto* rect : {gain_, phase_, coherence_}) {
    auto* x = rect->axis(QCPAxis::atBottom);
    const auto label = x->label().section(',', 0, 0);
    measure_axis(x, label, "Hz", form.logarithmic);
  }
  phase_->axis(QCPAxis::atLeft)->setLabel(form.impedance ? "Angle, \u00b0" : "Phase, \u00b0");
}

double BodePlot::level(double gain_db) const {
  return form_.impedance || !form_.in_db ? std::pow(10, gain_db / 20) : gain_db;
}

double BodePlot::upper_value(const study::response::Curve& curve, std::size_t i) const {
  return form_.delay ? group_delays(curve)[i] : level(curve.points[i].gain_db);
}

double BodePlot::lower_value(const study::response::CurvePoint& point) const {
  return form_.unwrapped ? point.phase_deg : signal::wrap_degrees(point.phase_deg);
}

void BodePlot::add_curve(QCPAxisRect* rect, const BodeCurve& curve, const std::vector<double>& y, bool pale_apart) {
  const auto& points = curve.curve->points;
  const bool breaks = rect == phase_ && !form_.unwrapped;
  const auto fill = [&](bool trusted) {
    QVector<QCPGraphData> samples;
    samples.reserve(int(points.size()));
    for (std::size_t i = 0; i < points.size(); ++i) {
      // A wrapped phase jumps; the line does not draw the jump.
      if (breaks && i > 0 && std::abs(y[i] - y[i - 1]) > 180)
        samples.append({points[i].frequency, std::numeric_limits<double>::quiet_NaN()});
      samples.append(
          {points[i].frequency, points[i].trusted == trusted ? y[i] : std::numeric_limits<double>::quiet_NaN()});
    }
    return samples;
  };
  const auto add = [&](const QVector<QCPGraphData>& samples, const QPen& pen) {
    auto* graph = addGraph(rect->axis(QCPAxis::atBottom), rect->axis(QCPAxis::atLeft));
    graph->data()->set(samples, true);
    graph->setPen(pen);
    drawn_ << graph;
    return graph;
  };
  if (curve.wake) {
    QPen pen(theme().wake, 9);
    pen.setCapStyle(Qt::RoundCap);
    pen.setJoinStyle(Qt::RoundJoin);
    add(fill(true), pen)->setLayer("wake");
    return;
  }
  // Lines that the response does not owe to the stimulus stand pale and unconnected.
  if (pale_apart) {
    QColor pale = curve.colour;
    pale.setAlpha(70);
    auto* graph = add(fill(false), Qt::NoPen);
    graph->setLineStyle(QCPGraph::lsNone);
    graph->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, pale, pale, 3.6));
  }
  QPen pen(curve.colour, points.size() > 400 ? 1.0 : 1.8);
  if (curve.dashed) pen.setDashPattern({6, 3});
  auto* graph = add(fill(true), pen);
  // Dots only where they can be told apart.
  if (points.size() <= 160)
    graph->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, curve.colour, curve.colour, 4.6));
}

void BodePlot::add_band(QCPAxisRect* rect, const BodeBand& band, const std::vector<double>& middle,
                        const std::vector<double>& low, const std::vector<double>& high, bool named) {
  if (middle.size() != band.frequency.size()) return;
  const auto add = [&](const std::vector<double>& y) {
    auto* graph = addGraph(rect->axis(QCPAxis::atBottom), rect->axis(QCPAxis::atLeft));
    QVector<QCPGraphData> samples;
    for (std::size_t i = 0; i < y.size(); ++i) samples.append({band.frequency[i], y[i]});
    graph->data()->set(samples, true);
    graph->setLayer("wake");
    drawn_ << graph;
    return graph;
  };
  if (low.size() == middle.size() && high.size() == middle.size()) {
    auto *bottom = add(low), *top = add(high);
    bottom->setPen(Qt::NoPen);
    top->setPen(Qt::NoPen);
    QColor fill = band.colour;
    fill.setAlpha(32);
    top->setBrush(fill);
    top->setChannelFillGraph(bottom);
  }
  auto* line = add(middle);
  line->setPen(band.dotted ? QPen(band.colour, 1.2, Qt::DotLine) : QPen(band.colour, 1.6));
  if (named && !band.name.isEmpty() && !middle.empty()) {
    auto* text = new QCPItemText(this);
    text->setClipAxisRect(rect);
    text->position->setAxes(rect->axis(QCPAxis::atBottom), rect->axis(QCPAxis::atLeft));
    text->position->setAxisRect(rect);
    const auto at = middle.size() / 12;
    text->position->setCoords(band.frequency[at], middle[at]);
    text->setPositionAlignment(Qt::AlignLeft | Qt::AlignTop);
    text->setPadding(QMargins(14, 8, 2, 0));
    text->setText(band.name);
    text->setFont(text_font(11));
    text->setColor(theme().slate);
    ground_ << text;
  }
}

void BodePlot::show_curves(const QList<BodeCurve>& curves, const std::vector<judge::Mask>& masks,
                           const QList<BodeBand>& bands) {
  bool coherent = false, phased = !form_.delay;
  for (const auto& curve : curves)
    coherent = coherent || (!curve.curve->points.empty() && curve.curve->points.front().coherence);
  const bool was_framed = framed();
  for (auto* plottable : drawn_) removePlottable(plottable);
  for (auto* item : ground_) removeItem(item);
  drawn_.clear();
  ground_.clear();
  if (phased != with_phase_ || (coherent && !form_.delay) != with_coherence_) arrange(phased, coherent && !form_.delay);
  bool any = false;
  gain_range_ = phase_range_ = QCPRange(0, 0);
  x_range_ = span_;
  bool first_gain = true, first_phase = true;
  for (const auto& curve : curves) {
    std::vector<double> upper, lower, coherence;
    const auto delays = form_.delay ? group_delays(*curve.curve) : std::vector<double>();
    bool pale = false;
    for (std::size_t i = 0; i < curve.curve->points.size(); ++i) {
      const auto& point = curve.curve->points[i];
      upper.push_back(form_.delay ? delays[i] : level(point.gain_db));
      lower.push_back(lower_value(point));
      coherence.push_back(point.coherence.value_or(std::numeric_limits<double>::quiet_NaN()));
      pale = pale || !point.trusted;
      x_range_.lower = std::min(x_range_.lower, point.frequency);
      x_range_.upper = std::max(x_range_.upper, point.frequency);
      if (!point.trusted) continue;
      widen(gain_range_, upper.back(), first_gain);
      if (curve.curve->has_phase) widen(phase_range_, lower.back(), first_phase);
    }
    if (!form_.delay || curve.curve->has_phase) add_curve(gain_, curve, upper, pale);
    if (phased && curve.curve->has_phase) add_curve(phase_, curve, lower, pale);
    if (with_coherence_ && !curve.wake) add_curve(coherence_, curve, coherence, pale);
    any = any || !upper.empty();
  }
  for (const auto& band : bands) {
    const auto shaped = [&](const std::vector<double>& gains) {
      std::vector<double> out;
      for (const double g : gains) out.push_back(level(g));
      return out;
    };
    if (!form_.delay) {
      const auto middle = shaped(band.gain);
      add_band(gain_, band, middle, shaped(band.gain_low), shaped(band.gain_high), true);
      if (!any)
        for (const double g : middle) widen(gain_range_, g, first_gain);
      if (form_.unwrapped) {
        add_band(phase_, band, band.phase, band.phase_low, band.phase_high, false);
        if (!any)
          for (const double p : band.phase) widen(phase_range_, p, first_phase);
      }
    }
  }
  for (const auto& mask : masks) {
    if (form_.delay) break;
    QCPAxisRect* rect = mask.curve == "phase" ? phase_ : mask.curve == "coherence" ? coherence_ : gain_;
    for (const bool upper : {true, false}) {
      QVector<QPointF> line;
      for (const auto& [x, y] : upper ? mask.upper : mask.lower) {
        const double height = rect == gain_ ? level(y) : y;
        line << QPointF(x, height);
        if (rect == gain_ && any) widen(gain_range_, height, first_gain);
      }
      if (line.isEmpty()) continue;
      auto* item = new ForbiddenGround(this, rect, line, upper);
      item->setLayer("ground");
      ground_ << item;
    }
  }
  if (was_framed || !any) show_all();
}

void BodePlot::show_marks(const study::response::Curve* curve, const std::vector<double>& frequencies,
                          const QString& label) {
  for (auto* item : marks_) removeItem(item);
  marks_.clear();
  if (!curve || curve->points.size() < 2) return;
  std::vector<double> lg, upper, lower;
  const auto delays = form_.delay ? group_delays(*curve) : std::vector<double>();
  for (std::size_t i = 0; i < curve->points.size(); ++i) {
    lg.push_back(std::log10(curve->points[i].frequency));
    upper.push_back(form_.delay ? delays[i] : curve->points[i].gain_db);
    lower.push_back(curve->points[i].phase_deg);
  }
  bool named = false;
  for (const double f : frequencies) {
    for (auto* rect : rects()) {
      if (rect == coherence_) continue;
      const auto y = signal::interpolate(lg, rect == gain_ ? upper : lower, std::log10(f));
      if (!y) continue;
      double height = *y;
      if (rect == gain_ && !form_.delay) height = level(height);
      if (rect == phase_ && !form_.unwrapped) height = signal::wrap_degrees(height);
      const auto place = [&](QCPItemPosition* position, double value) {
        position->setAxisRect(rect);
        position->setAxes(rect->axis(QCPAxis::atBottom), rect->axis(QCPAxis::atLeft));
        position->setCoords(f, value);
      };
      auto* ring = new QCPItemTracer(this);
      ring->setClipAxisRect(rect);
      ring->setStyle(QCPItemTracer::tsCircle);
      ring->setSize(11);
      ring->setPen(QPen(theme().heron, 2));
      ring->setBrush(Qt::NoBrush);
      place(ring->position, height);
      ring->setLayer("cursors");
      marks_ << ring;
      if (named || rect != gain_) continue;
      auto* text = new QCPItemText(this);
      text->setClipAxisRect(rect);
      place(text->position, height);
      text->setPositionAlignment(Qt::AlignHCenter | Qt::AlignTop);
      text->setPadding(QMargins(6, 10, 6, 2));
      text->setText(label);
      text->setFont(text_font(11, QFont::DemiBold));
      text->setColor(theme().heron);
      text->setLayer("cursors");
      marks_ << text;
      named = true;
    }
  }
}

bool BodePlot::framed() const {
  return framed_x_ == gain_->axis(QCPAxis::atBottom)->range() &&
         framed_gain_ == gain_->axis(QCPAxis::atLeft)->range() &&
         framed_phase_ == phase_->axis(QCPAxis::atLeft)->range();
}

void BodePlot::show_all() {
  const auto frame = [](QCPAxis* axis, QCPRange range, double least) {
    if (axis->scaleType() == QCPAxis::stLogarithmic) {
      if (!(range.lower > 0)) range = QCPRange(0.1, 10);
      if (range.upper / range.lower < 4)
        range = QCPRange(std::sqrt(range.lower * range.upper) / 2, std::sqrt(range.lower * range.upper) * 2);
      const double margin = std::pow(range.upper / range.lower, 0.07);
      axis->setRange(range.lower / margin, range.upper * margin);
      return;
    }
    if (range.size() < least) range = QCPRange(range.center() - least / 2, range.center() + least / 2);
    axis->setRange(range.lower - 0.06 * range.size(), range.upper + 0.08 * range.size());
  };
  frame(gain_->axis(QCPAxis::atLeft), gain_range_, form_.delay ? 1e-9 : 6);
  frame(phase_->axis(QCPAxis::atLeft), phase_range_, 90);
  gain_->axis(QCPAxis::atBottom)->setRange(x_range_);
  framed_x_ = gain_->axis(QCPAxis::atBottom)->range();
  framed_gain_ = gain_->axis(QCPAxis::atLeft)->range();
  framed_phase_ = phase_->axis(QCPAxis::atLeft)->range();
}

}  // namespace heron::app
