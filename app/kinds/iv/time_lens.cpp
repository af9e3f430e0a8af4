#include "time_lens.h"

#include <QVBoxLayout>
#include <algorithm>

#include "app/text.h"
#include "render/plot_parts.h"
#include "render/theme.h"
#include "study/iv/axes.h"
#include "iv_view.h"

namespace heron::app {

TimeLens::TimeLens(Desk* desk, QWidget* parent) : Lens(desk, parent), plot_(new QCustomPlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addWidget(plot_);
  render::style_plot(*plot_);
  plot_->setObjectName("sources-over-time");
  plot_->setAccessibleName("What was applied and read against time");
  plot_->plotLayout()->clear();
  connect(&desk_->focus, &Focus::shown_changed, this, &TimeLens::redraw);
  connect(&desk_->readings, &Readings::live_changed, this, &TimeLens::redraw);
  connect(&desk_->runner, &Runner::running_changed, this, &TimeLens::redraw);
  connect(&desk_->readings, &Readings::take_read, this, &TimeLens::redraw);
}

void TimeLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  redraw();
}

void TimeLens::make_lanes(int count) {
  if (lanes_.size() == count) return;
  plot_->plotLayout()->clear();
  lanes_.clear();
  auto* sides = new QCPMarginGroup(plot_);
  for (int k = 0; k < count; ++k) {
    auto* rect = new QCPAxisRect(plot_);
    plot_->plotLayout()->addElement(k, 0, rect);
    render::style_axes(*rect);
    rect->setMarginGroup(QCP::msLeft | QCP::msRight, sides);
    rect->setRangeDrag(Qt::Horizontal);
    rect->axis(QCPAxis::atBottom)->setTickLabels(k + 1 == count);
    render::measure_axis(rect->axis(QCPAxis::atBottom), k + 1 == count ? "Time" : "", "s");
    // All lanes move together.
    for (auto* other : lanes_) {
      connect(rect->axis(QCPAxis::atBottom), qOverload<const QCPRange&>(&QCPAxis::rangeChanged),
              other->axis(QCPAxis::atBottom), qOverload<const QCPRange&>(&QCPAxis::setRange));
      connect(other->axis(QCPAxis::atBottom), qOverload<const QCPRange&>(&QCPAxis::rangeChanged),
              rect->axis(QCPAxis::atBottom), qOverload<const QCPRange&>(&QCPAxis::setRange));
    }
    lanes_ << rect;
  }
  if (looking_)
    looking_->set_rects(lanes_);
  else
    looking_ = new PlotView(plot_, [this] { redraw(); }, PlotView::Wheel::along, lanes_);
}

bool TimeLens::handle_key(int key) { return key == Qt::Key_Backspace && looking_ && looking_->back(); }

void TimeLens::name_lane(int lane, const QString& name) {
  auto* item = new QCPItemText(plot_);
  auto* rect = lanes_[lane];
  item->setClipAxisRect(rect);
  item->position->setAxisRect(rect);
  item->position->setType(QCPItemPosition::ptAxisRectRatio);
  item->position->setCoords(0.006, 0.03);
  item->setPositionAlignment(Qt::AlignLeft | Qt::AlignTop);
  item->setText(name);
  item->setFont(render::text_font(11, QFont::Medium));
  item->setColor(render::theme().ink);
}

void TimeLens::redraw() {
  if (!isVisible()) return;
  plot_->clearPlottables();
  plot_->clearItems();
  const auto view = desk_->focus.shown() ? desk_->readings.view(*desk_->focus.shown()) : nullptr;
  if (!view || !family_of(view) || !family_of(view)->measured) {
    make_lanes(1);
    if (family_of(view)) name_lane(0, "A table has no clock: there is nothing to draw against time.");
    plot_->replot(QCustomPlot::rpQueuedReplot);
    return;
  }
  const auto& family = *family_of(view);
  make_lanes(int(family.channels.size()));
  const QString swept =
      sweep_plan(*desk_) && sweep_plan(*desk_)->swept() ? text(sweep_plan(*desk_)->swept()->name) : QString();
  const bool by_current =
      sweep_plan(*desk_) && sweep_plan(*desk_)->swept() && sweep_plan(*desk_)->swept()->unit() == "A";
  double last = 0;
  // The swept source first.
  std::vector<std::size_t> order;
  for (std::size_t c = 0; c < family.channels.size(); ++c) order.push_back(c);
  std::stable_partition(order.begin(), order.end(),
                        [&](std::size_t c) { return text(family.channels[c].first).startsWith(swept + " "); });
  for (int lane = 0; lane < int(order.size()); ++lane) {
    const auto c = order[std::size_t(lane)];
    const auto& [name, unit] = family.channels[c];
    auto *x = lanes_[lane]->axis(QCPAxis::atBottom), *y = lanes_[lane]->axis(QCPAxis::atLeft);
    name_lane(lane, text(name) + ", " + text(unit));
    const auto draw = [&](const std::string& key, const QPen& pen, bool dots) {
      auto* graph = plot_->addGraph(x, y);
      QVector<double> times, values;
      for (const auto& curve : family.curves) {
        const auto t = study::iv::along(family, curve, "time"), v = study::iv::along(family, curve, key);
        times.append(QVector<double>(t.begin(), t.end()));
        values.append(QVector<double>(v.begin(), v.end()));
      }
      for (const double t : times) last = std::max(last, t);
      graph->setData(times, values);
      graph->setPen(pen);
      if (dots && times.size() <= 400)
        graph->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, pen.color(), pen.color(), 3.4));
    };
    const QString asked = swept + (by_current ? " current" : " voltage");
    if (text(name) == asked || (family.ramped && c == 0)) {
      QPen pen(render::theme().slate, 1, Qt::DashLine);
      draw("programmed", pen, false);
    }
    draw(name, QPen(render::take_colour(view->take.number), 1.4), true);
    y->rescale();
    const auto range = y->range();
    // Room for the lane's name above.
    const double room = range.size() > 0 ? 0.08 * range.size() : std::max(1e-12, 0.1 * std::abs(range.upper));
    y->setRange(range.lower - room, range.upper + 3.5 * room);
  }
  for (auto* lane : lanes_) lane->axis(QCPAxis::atBottom)->setRange(0, last > 0 ? last : 1);
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace heron::app
