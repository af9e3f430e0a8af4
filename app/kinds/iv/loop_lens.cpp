#include "loop_lens.h"

#include <QLabel>
#include <QVBoxLayout>

#include "app/ink.h"
#include "render/plot_parts.h"
#include "render/theme.h"
#include "iv_view.h"
#include "study/iv/loop.h"

namespace heron::app {

LoopLens::LoopLens(Desk* desk, QWidget* parent)
    : Lens(desk, parent), words_(new QLabel(this)), plot_(new QCustomPlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  words_->setFont(render::text_font(12));
  set_ink(*words_, render::theme().slate);
  words_->setAccessibleName("What slowing did");
  words_->setWordWrap(true);
  column->addWidget(words_);
  column->addWidget(plot_, 1);
  render::style_plot(*plot_);
  render::style_axes(*plot_->axisRect());
  plot_->setObjectName("loop-history");
  plot_->setAccessibleName("Opening of the loop over the rate of the sweep");
  plot_->xAxis->setLabel("Rate of the sweep, V/s");
  plot_->yAxis->setLabel("Opening, % of the highest current");
  for (auto* axis : {plot_->xAxis, plot_->yAxis}) {
    axis->setScaleType(QCPAxis::stLogarithmic);
    axis->setTicker(QSharedPointer<QCPAxisTickerLog>(new QCPAxisTickerLog));
    axis->setNumberFormat("g");
  }
  connect(&desk_->focus, &Focus::shown_changed, this, &LoopLens::redraw);
  connect(&desk_->runner, &Runner::running_changed, this, &LoopLens::redraw);
  connect(&desk_->focus, &Focus::takes_changed, this, &LoopLens::redraw);
  connect(&desk_->readings, &Readings::take_read, this, &LoopLens::redraw);
}

void LoopLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  redraw();
}

void LoopLens::redraw() {
  if (!isVisible()) return;
  plot_->clearPlottables();
  plot_->clearItems();
  std::vector<std::pair<study::iv::Pass, int>> passes;
  for (const auto& take : desk_->focus.takes())
    if (const auto view = desk_->readings.view(take.id); family_of(view))
      if (const auto loop = study::iv::widest_loop(*family_of(view)); loop && loop->rate > 0 && loop->opening > 0)
        passes.push_back({study::iv::pass_of(*loop), take.number});
  std::sort(passes.begin(), passes.end(), [](const auto& a, const auto& b) { return a.first.rate > b.first.rate; });
  std::vector<study::iv::Pass> history;
  auto* line = new QCPCurve(plot_->xAxis, plot_->yAxis);
  line->setPen(QPen(render::theme().line, 1.4));
  QCPRange x, y;
  for (std::size_t k = 0; k < passes.size(); ++k) {
    const auto& [pass, number] = passes[k];
    history.push_back(pass);
    const double percent = 100 * pass.opening;
    line->addData(double(k), pass.rate, percent);
    auto* dot = new QCPCurve(plot_->xAxis, plot_->yAxis);
    dot->addData(0, pass.rate, percent);
    dot->setLineStyle(QCPCurve::lsNone);
    dot->setScatterStyle(
        QCPScatterStyle(QCPScatterStyle::ssDisc, render::take_colour(number), render::take_colour(number), 8));
    auto* name = new QCPItemText(plot_);
    name->position->setCoords(pass.rate, percent);
    name->setPositionAlignment(Qt::AlignHCenter | Qt::AlignBottom);
    name->setPadding(QMargins(0, 0, 0, 7));
    name->setText(QString("take %1").arg(number));
    name->setFont(render::text_font(11));
    name->setColor(render::take_colour(number));
    if (k == 0) {
      x = {pass.rate, pass.rate};
      y = {percent, percent};
    }
    x.expand(pass.rate);
    y.expand(percent);
  }
  if (passes.empty()) {
    words_->setText("No take goes there and back. Make the sweep \u201cthere and back\u201d to see a loop.");
    plot_->replot(QCustomPlot::rpQueuedReplot);
    return;
  }
  const auto settings = sweep_settings(*desk_);
  words_->setText(QString::fromStdString(study::iv::closing_text(history, settings.loop_threshold)));
  y.expand(100 * settings.loop_threshold);
  plot_->xAxis->setRange(x.lower / 2, x.upper * 2);
  plot_->yAxis->setRange(y.lower / 2, y.upper * 2);
  // What counts as closed.
  auto* limit = new QCPItemStraightLine(plot_);
  limit->point1->setCoords(x.lower, 100 * settings.loop_threshold);
  limit->point2->setCoords(x.upper, 100 * settings.loop_threshold);
  limit->setPen(QPen(render::theme().slate, 1, Qt::DashLine));
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace heron::app
