#include "harmonics_lens.h"

#include <cmath>

#include "app/lenses/placed_masks.h"
#include "app/text.h"
#include "base/quantity.h"
#include "render/hatch.h"
#include "render/plot_parts.h"
#include "render/theme.h"
#include "study/power/steady.h"

namespace heron::app {

using render::theme;
namespace power = study::power;

namespace {

constexpr double kHalf = 0.46;  ///< of an order's room, to both sides

/// Ground that an order's bar shall not enter: hatched from its limit up, with an edge of ink.
class BarGround : public QCPAbstractItem {
 public:
  BarGround(QCustomPlot* plot, int order, double limit) : QCPAbstractItem(plot), order_(order), limit_(limit) {}
  double selectTest(const QPointF&, bool, QVariant* = nullptr) const override { return -1; }

 protected:
  void draw(QCPPainter* painter) override {
    auto* x = parentPlot()->xAxis;
    auto* y = parentPlot()->yAxis;
    const auto* rect = parentPlot()->axisRect();
    const double left = x->coordToPixel(order_ - kHalf), right = x->coordToPixel(order_ + kHalf), at = y->coordToPixel(limit_);
    if (at < rect->top()) return;
    const double edge = std::min(at, double(rect->bottom()));
    render::hatch(*painter, QPolygonF(QRectF(QPointF(left, rect->top()), QPointF(right, edge))), theme().line, 6);
    painter->setPen(QPen(theme().ink, 1.4));
    painter->drawLine(QPointF(left, edge), QPointF(right, edge));
  }

 private:
  int order_;
  double limit_;
};

}  // namespace

HarmonicsLens::HarmonicsLens(Desk* desk, QWidget* parent) : RecordTakeLens(desk, parent, "harmonics", "Harmonics by order"), group_(new QCPBarsGroup(plot_)) {
  looking_ = new PlotView(plot_, [this] { frame(); plot_->replot(QCustomPlot::rpQueuedReplot); }, PlotView::Wheel::along);
  bar_->add(
      "Of", "Harmonics of the current or of the voltage",
      [this] { return record_ && record_->measured && record_->measured->statistics.has_voltage && record_->measured->statistics.has_current ? QString(voltage_ ? "of the voltage" : "of the current") : QString(); },
      [this] {
        voltage_ = !voltage_;
        draw();
      });
  bar_->add("Unit", "As they are, or in per cent of the fundamental", [this] { return record_ ? QString(per_cent_ ? "per cent of the fundamental" : "rms") : QString(); },
            [this] {
              per_cent_ = !per_cent_;
              draw();
            });
  bar_->add(
      "Phase", "All phases side by side, or one",
      [this] { return record_ && record_->wiring.phases() == 3 ? phase_ > 2 ? QString("all phases") : "phase " + phase_name(phase_, 3) : QString(); },
      [this] {
        phase_ = phase_ > 2 ? 0 : phase_ + 1;
        draw();
      });
  add_record_word();
  bar_->refresh();
}

QString HarmonicsLens::lacks(const power::PowerRecord& record) const {
  if (record.profile) return "A profile has no harmonics. Take steady cycles.";
  return record.measured ? QString() : text("No harmonics: " + record.measured.error() + ".");
}

void HarmonicsLens::clear() {
  for (auto* bars : bars_) {
    bars->setBarsGroup(nullptr);
    plot_->removePlottable(bars);
  }
  for (auto* item : items_) plot_->removeItem(item);
  for (auto* graph : others_) plot_->removeGraph(graph);
  bars_.clear();
  items_.clear();
  others_.clear();
}

/// Of the phasors of a quantity, the fundamental first.
double HarmonicsLens::height(const std::vector<std::complex<double>>& phasors, int order) const {
  const double size = std::abs(phasors[std::size_t(order - 1)]), first = std::abs(phasors.front());
  if (!per_cent_) return size / std::sqrt(2.0);
  return first > 0 ? 100 * size / first : 0;
}

void HarmonicsLens::draw() {
  clear();
  const auto s = power::by_phase(record_->measured->statistics);
  const bool voltage = s.has_current ? voltage_ && s.has_voltage : true;
  highest_ = 0;
  const std::size_t from = s.phases == 3 && phase_ < 3 ? phase_ : 0, to = s.phases == 3 && phase_ < 3 ? phase_ + 1 : s.phases;
  for (auto p = from; p < to; ++p) {
    const auto& x = s.phasor[voltage ? s.voltage(p) : s.current(p)];
    auto* bars = new QCPBars(plot_->xAxis, plot_->yAxis);
    bars->setBarsGroup(group_);
    bars->setWidthType(QCPBars::wtPlotCoords);
    bars->setWidth(0.62 / double(to - from));
    bars->setPen(Qt::NoPen);
    bars->setBrush(phase_ink(ink_, p, s.phases));
    for (int h = 2; h <= s.orders(); ++h) {
      const double value = height(x, h);
      bars->addData(h, value);
      highest_ = std::max(highest_, value);
    }
    bars_ << bars;
  }
  for (const auto& other : beside_) draw_other(other, voltage, from, to);
  group_->setSpacingType(QCPBarsGroup::stPlotCoords);
  group_->setSpacing(0);
  if (!voltage && settings_.limits != power::LimitClass::none) {
    // Of several phases the one that may least.
    for (int h = 2; h <= s.orders(); ++h) {
      std::optional<double> least;
      for (auto p = from; p < to; ++p) {
        const auto basis = power::limit_basis(s, p);
        auto limit = power::limit_of(settings_.limits, h, basis);
        if (limit && per_cent_) *limit = basis.fundamental > 0 ? 100 * *limit / basis.fundamental : 0;
        if (limit && (!least || *limit < *least)) least = limit;
      }
      if (!least) continue;
      items_ << new BarGround(plot_, h, *least);
      highest_ = std::max(highest_, 1.15 * *least);
    }
  }
  // In per cent, of the first phase that is drawn.
  const double first = std::abs(s.phasor[voltage ? s.voltage(from) : s.current(from)].front()) / std::sqrt(2.0);
  for (auto* ground : grounds_on(*desk_, {voltage ? "harmonic.voltage" : "harmonic.current", "1", per_cent_ && first > 0 ? 100 / first : 1, 0, kHalf}, plot_->axisRect())) {
    items_ << ground;
    for (const auto& limit : ground->line()) highest_ = std::max(highest_, 1.15 * limit.y());
  }
  render::measure_axis(plot_->xAxis, "Harmonic", "1");
  auto ticker = QSharedPointer<QCPAxisTickerFixed>::create();
  ticker->setTickStep(s.orders() > 20 ? 2 : 1);
  ticker->setTickOrigin(3);
  plot_->xAxis->setTicker(ticker);
  plot_->xAxis->grid()->setVisible(false);
  render::measure_axis(plot_->yAxis, voltage ? "Voltage" : "Current", per_cent_ ? "%" : voltage ? "V" : "A");
  drawn(true);
}

/// Of another take a dash at each bar's place.
void HarmonicsLens::draw_other(const Beside& other, bool voltage, std::size_t from, std::size_t to) {
  const auto s = power::by_phase(other.item->measured->statistics);
  if (s.phases < to || !(voltage ? s.has_voltage : s.has_current)) return;
  const double each = 0.62 / double(to - from);
  for (auto p = from; p < to; ++p) {
    const auto& x = s.phasor[voltage ? s.voltage(p) : s.current(p)];
    auto* graph = plot_->addGraph();
    graph->setLineStyle(QCPGraph::lsNone);
    QPainterPath dash(QPointF(-6, 0));
    dash.lineTo(6, 0);
    graph->setScatterStyle(QCPScatterStyle(dash, QPen(other.ink, other.wake ? 5 : 2)));
    for (int h = 2; h <= s.orders(); ++h) {
      const double value = height(x, h);
      graph->addData(h + (double(p - from) - double(to - from - 1) / 2) * each, value);
      highest_ = std::max(highest_, value);
    }
    others_ << graph;
  }
}

std::optional<double> HarmonicsLens::height_of(int order) const {
  if (bars_.isEmpty()) return std::nullopt;
  const auto it = bars_.front()->data()->findBegin(order, false);
  return it == bars_.front()->data()->constEnd() ? std::nullopt : std::optional(it->value);
}

void HarmonicsLens::frame() {
  plot_->xAxis->setRange(1.3, record_ && record_->measured ? record_->measured->statistics.orders() + 0.7 : 40.7);
  plot_->yAxis->setRange(0, 1.08 * std::max(highest_, 1e-12));
}

}  // namespace heron::app
