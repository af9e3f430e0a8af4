#include "trend_lens.h"

#include <QVBoxLayout>
#include <cmath>

#include "app/lenses/table.h"
#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;
using study::power::Reads;

namespace {

constexpr double kReach = 8;        ///< pixels from a tick that a click is for it
constexpr int kLogHeight = 132, kLeastLog = 62;  ///< pixels; it takes no more than a third
/// What hours are told in.
struct TimeUnit {
  double seconds;
  const char* name;
};
TimeUnit unit_for(double seconds) {
  if (seconds < 600) return {1, "s"};
  return seconds < 4 * 3600 ? TimeUnit{60, "min"} : seconds < 4 * 86400 ? TimeUnit{3600, "h"} : TimeUnit{86400, "d"};
}


}  // namespace

TrendLens::TrendLens(Desk* desk, QWidget* parent) : TakeLens(desk, parent, "trend", "Readings over time") {
  looking_ = new PlotView(plot_, [this] { frame(); plot_->replot(QCustomPlot::rpQueuedReplot); }, PlotView::Wheel::along);
  plot_->installEventFilter(this);
  log_ = make_table({{"From", true, 110}, {"For", true, 110}, {"Watch", false, 110}, {"What", false, 280}, {"Extreme", true, 110}, {"Record", false}}, this);
  log_->setAccessibleName("Log");
  log_->setToolTip("Enter opens the raw record, where one was kept");
  log_->setFixedHeight(kLogHeight);
  static_cast<QVBoxLayout*>(layout())->addWidget(log_);
  connect(log_, &QTableWidget::cellActivated, this, [this](int row, int) {
    const auto point = log_->item(row, 5)->data(Qt::UserRole);
    if (point.isValid()) emit point_chosen(point.toInt());
  });
  bar_->add(
      "Quantity", "Which quantity's readings are drawn", [this] { return quantity_name(quantity_); },
      [this] {
        if (quantities_.empty()) return;
        quantity_ = (quantity_ + 1) % quantities_.size();
        draw();
      });
  bar_->refresh();
}

TrendLens::~TrendLens() { graphs_.clear(); }

QString TrendLens::quantity_name(std::size_t k) const { return k < quantities_.size() ? text(quantities_[k]) : QString(); }

void TrendLens::resizeEvent(QResizeEvent* event) {
  TakeLens::resizeEvent(event);
  log_->setFixedHeight(std::clamp(height() / 3, kLeastLog, kLogHeight));
}

void TrendLens::prepare(const TakeViewPtr& view) {
  const auto* reduced = power_of(view.get());
  if (!reduced || reduced->trend().empty()) return say("No recording was taken. Choose \"a recording\" in the brief.");
  ink_ = render::take_colour(view->take.number);
  trend_ = reduced->trend();
  quantities_.clear();
  for (const auto& c : trend_.columns) {
    if (c.reads == Reads::mean || c.reads == Reads::itself) quantities_.push_back(c.quantity);
  }
  if (quantity_ >= quantities_.size()) quantity_ = 0;
  draw();
}

void TrendLens::clear() {
  for (const auto& one : graphs_) plot_->removeGraph(one->graph());
  graphs_.clear();
  for (auto* tick : ticks_) plot_->removeItem(tick);
  ticks_.clear();
  log_->setRowCount(0);
}

void TrendLens::draw() {
  clear();
  if (quantities_.empty()) return say("The recording has no readings.");
  const auto& name = quantities_[quantity_];
  const auto in = unit_for(trend_.time.back());
  per_ = in.seconds;
  auto time = trend_.time;
  for (auto& t : time) t /= per_;
  std::string unit;
  const auto add = [&](Reads reads, const QPen& pen) {
    const auto* c = trend_.find(name, reads);
    if (!c) return;
    unit = c->unit;
    auto& graph = graphs_.emplace_back(std::make_unique<render::LongGraph>(plot_->xAxis, plot_->yAxis));
    graph->graph()->setPen(pen);
    graph->set_data(time, c->values);
  };
  QColor pale = ink_;
  pale.setAlphaF(0.35);
  add(Reads::low, QPen(pale, 1));
  add(Reads::high, QPen(pale, 1));
  for (const auto reads : {Reads::mean, Reads::itself}) add(reads, QPen(ink_, 1.8));
  for (const auto& e : trend_.log) {
    auto* tick = new QCPItemStraightLine(plot_);
    tick->point1->setCoords(e.from / per_, 0);
    tick->point2->setCoords(e.from / per_, 1);
    tick->setPen(QPen(theme().bill, 1.4, e.point ? Qt::SolidLine : Qt::DotLine));
    ticks_ << tick;
    const int row = log_->rowCount();
    log_->insertRow(row);
    set_cell(log_, row, 0, text(format_quantity(e.from / per_, per_ == 1 ? "s" : "", 7).plain()) + (per_ == 1 ? QString() : QString(" %1").arg(in.name)), true);
    set_cell(log_, row, 1, e.to > e.from ? text(format_quantity(e.to - e.from, "s", 3).plain()) : QString(), true);
    set_cell(log_, row, 2, text(e.watch), false);
    set_cell(log_, row, 3, text(e.text), false);
    set_cell(log_, row, 4, e.watch.empty() ? QString() : text(format_quantity(e.extreme, e.unit, 4).plain()), true);
    set_cell(log_, row, 5, e.point ? "opens its record" : QString("none was kept"), false);
    if (e.point) log_->item(row, 5)->setData(Qt::UserRole, *e.point);
  }
  render::measure_axis(plot_->xAxis, QString("Time, %1").arg(in.name), "1");
  render::measure_axis(plot_->yAxis, text(name), unit);
  drawn(true);
}

void TrendLens::frame() {
  if (trend_.empty() || quantities_.empty()) return;
  plot_->xAxis->setRange(0, (trend_.time.back() + trend_.time.front()) / per_);
  QCPRange y;
  bool first = true;
  for (const auto& c : trend_.columns) {
    if (c.quantity != quantities_[quantity_] || c.reads == Reads::rms) continue;
    const auto [low, high] = std::minmax_element(c.values.begin(), c.values.end());
    y = first ? QCPRange(*low, *high) : y.expanded(QCPRange(*low, *high));
    first = false;
  }
  const double room = std::max(0.08 * y.size(), 1e-9 + 1e-3 * std::abs(y.upper));
  plot_->yAxis->setRange(y.lower - room, y.upper + room);
}

bool TrendLens::eventFilter(QObject* watched, QEvent* event) {
  if (watched == plot_ && event->type() == QEvent::MouseButtonRelease) {
    const auto at = static_cast<QMouseEvent*>(event)->position();
    const study::power::LogEntry* nearest = nullptr;
    double far = kReach;
    for (const auto& e : trend_.log)
      if (const double by = std::abs(plot_->xAxis->coordToPixel(e.from / per_) - at.x()); e.point && by < far) {
        far = by;
        nearest = &e;
      }
    if (nearest) emit point_chosen(*nearest->point);
  }
  return TakeLens::eventFilter(watched, event);
}

}  // namespace heron::app
