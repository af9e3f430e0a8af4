#include "repetitions_lens.h"

#include <QHeaderView>
#include <QVBoxLayout>
#include <cmath>

#include "app/ink.h"
#include "app/text.h"
#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"
#include "table.h"

namespace heron::app {

using render::theme;

RepetitionsLens::RepetitionsLens(Desk* desk, QWidget* parent, EachPass each_pass)
    : Lens(desk, parent), each_pass_(std::move(each_pass)), words_(new QLabel(this)), plot_(new QCustomPlot(this)) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(14);
  auto* left = new QVBoxLayout;
  left->setSpacing(4);
  words_->setFont(render::text_font(12));
  words_->setAccessibleName("Repetitions");
  set_ink(*words_, theme().slate);
  table_ = make_table({{"Figure", false, 176}, {"Mean", true, 100}, {"Sigma", true, 84}, {"Lowest", true, 100}, {"Highest", true}}, this);
  table_->setAccessibleName("Figures over the repetitions");
  table_->setToolTip("A chosen figure is drawn over the passes");
  left->addWidget(words_);
  left->addWidget(table_, 1);
  row->addLayout(left, 6);
  auto* right = new QVBoxLayout;
  right->setSpacing(4);
  right->addWidget(plot_, 1);
  auto* ends = new QHBoxLayout;
  const auto end = [&](const QString& name, const QString& tip) {
    auto* button = new QPushButton(name, this);
    button->setObjectName("fold");
    button->setFlat(true);
    button->setAccessibleName(name);
    button->setToolTip(tip);
    ends->addWidget(button);
    return button;
  };
  to_lowest_ = end("Lowest", "Shows the pass with the lowest value in the record");
  to_highest_ = end("Highest", "Shows the pass with the highest value in the record");
  ends->addStretch(1);
  right->addLayout(ends);
  row->addLayout(right, 4);
  connect(to_lowest_, &QPushButton::clicked, this, [this] {
    if (const auto* one = chosen()) emit point_chosen(one->passes[one->lowest]);
  });
  connect(to_highest_, &QPushButton::clicked, this, [this] {
    if (const auto* one = chosen()) emit point_chosen(one->passes[one->highest]);
  });

  plot_->setObjectName("repetitions");
  plot_->setAccessibleName("The chosen figure over the passes, and its histogram");
  plot_->installEventFilter(this);
  render::style_plot(*plot_);
  plot_->plotLayout()->clear();
  over_passes_ = new QCPAxisRect(plot_);
  beside_ = new QCPAxisRect(plot_);
  plot_->plotLayout()->addElement(0, 0, over_passes_);
  plot_->plotLayout()->addElement(0, 1, beside_);
  plot_->plotLayout()->setColumnStretchFactor(0, 2.4);
  auto* ends_of_both = new QCPMarginGroup(plot_);
  for (auto* rect : {over_passes_, beside_}) {
    render::style_axes(*rect);
    rect->setMarginGroup(QCP::msTop | QCP::msBottom, ends_of_both);
    rect->setMinimumMargins(QMargins(4, 8, 8, 4));
  }
  over_passes_->axis(QCPAxis::atBottom)->setLabel("Pass");
  beside_->axis(QCPAxis::atBottom)->setLabel("Passes");
  beside_->axis(QCPAxis::atLeft)->setTickLabels(false);
  for (auto* rect : {over_passes_, beside_}) {
    // Whole passes alone.
    QSharedPointer<QCPAxisTickerFixed> whole(new QCPAxisTickerFixed);
    whole->setTickStep(1);
    whole->setScaleStrategy(QCPAxisTickerFixed::ssMultiples);
    rect->axis(QCPAxis::atBottom)->setTicker(whole);
  }

  connect(table_, &QTableWidget::itemSelectionChanged, this, [this] {
    const auto rows = table_->selectionModel()->selectedRows();
    if (rows.isEmpty()) return;
    chosen_ = repeated_[std::size_t(rows.first().row())].key;
    draw();
  });
  connect(&desk_->focus, &Focus::shown_changed, this, &RepetitionsLens::reload);
  connect(&desk_->focus, &Focus::plan_changed, this, &RepetitionsLens::reload);
  connect(&desk_->readings, &Readings::take_read, this, &RepetitionsLens::reload);
}

void RepetitionsLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  reload();
}

const study::Repeated* RepetitionsLens::chosen() const {
  for (const auto& one : repeated_)
    if (one.key == chosen_) return &one;
  return repeated_.empty() ? nullptr : &repeated_.front();
}

bool RepetitionsLens::choose(const std::string& key) {
  for (std::size_t row = 0; row < repeated_.size(); ++row)
    if (repeated_[row].key == key) {
      table_->selectRow(int(row));
      return true;
    }
  return false;
}

void RepetitionsLens::reload() {
  if (!isVisible()) return;
  reading_.drop();
  const auto view = desk_->readings.shown();
  if (!view || view->empty()) {
    repeated_.clear();
    fill();
    words_->setText(!desk_->focus.shown() ? "Nothing is taken yet. Space takes."
                    : !view               ? "reading\u2026"
                    : view->trouble.isEmpty() ? "The take has no record."
                                              : view->trouble);
    return;
  }
  words_->setText("reading\u2026");
  reading_.ask([view, each_pass = each_pass_, settings = view->read_with,
                asked = desk_->focus.surroundings().asked] { return each_pass(*view, settings, asked); },
               [this](const Result<std::vector<study::Repeated>>& answer) {
                 repeated_ = answer ? *answer : std::vector<study::Repeated>{};
                 fill();
                 if (!answer) words_->setText(text(answer.error().message));
               });
}

void RepetitionsLens::fill() {
  const QSignalBlocker quiet(table_);
  std::size_t most = 0;
  table_->setRowCount(int(repeated_.size()));
  int row = 0;
  for (const auto& one : repeated_) {
    most = std::max(most, one.values.size());
    set_cell(table_, row, 0, text(one.label), false);
    set_cell(table_, row, 1, text(format_with_uncertainty(one.mean, one.sigma, one.unit)), true);
    set_cell(table_, row, 2, one.sigma ? text(format_quantity(*one.sigma, one.unit, 2)) : QString("\u2013"), true);
    set_cell(table_, row, 3, text(format_with_uncertainty(one.values[one.lowest], one.sigma, one.unit)), true);
    set_cell(table_, row, 4, text(format_with_uncertainty(one.values[one.highest], one.sigma, one.unit)), true);
    table_->item(row, 3)->setToolTip(QString("Pass %1").arg(one.passes[one.lowest] + 1));
    table_->item(row, 4)->setToolTip(QString("Pass %1").arg(one.passes[one.highest] + 1));
    table_->item(row, 0)->setToolTip(QString("%1, in %2 passes").arg(text(one.key)).arg(one.values.size()));
    if (&one == chosen()) table_->selectRow(row);
    ++row;
  }
  words_->setText(most > 1 ? QString("%1 passes; sigma is of single passes.").arg(most)
                           : most == 1 ? QString("One pass. Say how often in the brief for more.") : QString());
  draw();
}

void RepetitionsLens::draw() {
  plot_->clearPlottables();
  plot_->clearItems();
  const auto* one = chosen();
  to_lowest_->setVisible(one);
  to_highest_->setVisible(one);
  if (one) {
    to_lowest_->setText(QString("Lowest: pass %1").arg(one->passes[one->lowest] + 1));
    to_highest_->setText(QString("Highest: pass %1").arg(one->passes[one->highest] + 1));
    const auto view = desk_->readings.shown();
    const QColor ink = render::take_colour(view ? view->take.number : 1);
    auto *x = over_passes_->axis(QCPAxis::atBottom), *y = over_passes_->axis(QCPAxis::atLeft);
    auto* dots = plot_->addGraph(x, y);
    dots->setPen(QPen(theme().line, 1));
    dots->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, ink, ink, 5));
    for (std::size_t k = 0; k < one->values.size(); ++k) dots->addData(one->passes[k] + 1, one->values[k]);
    const double low = one->values[one->lowest], high = one->values[one->highest];
    const double room = high > low ? 0.12 * (high - low) : std::max(1e-12, 0.05 * std::abs(high));
    y->setRange(low - room, high + room);
    render::measure_axis(y, text(one->label), one->unit);
    const double last = one->passes.back() + 1;
    x->setRange(one->passes.front() + 0.4, last + 0.6);
    const auto step = [](QCPAxis* axis) {
      constexpr double kTicks = 6;
      auto ticker = axis->ticker().staticCast<QCPAxisTickerFixed>();
      ticker->setTickStep(std::max(1.0, render::round_step(axis->range().size() / kTicks)));
    };
    step(x);
    // The mean, and one sigma to either side.
    const auto level = [&](double value, Qt::PenStyle style) {
      auto* line = plot_->addGraph(x, y);
      line->setPen(QPen(theme().slate, 1, style));
      line->addData(x->range().lower, value);
      line->addData(x->range().upper, value);
    };
    level(one->mean, Qt::SolidLine);
    if (one->sigma && *one->sigma > 0)
      for (const double by : {-*one->sigma, *one->sigma}) level(one->mean + by, Qt::DashLine);
    const auto bins = study::histogram(one->values);
    auto *count = beside_->axis(QCPAxis::atBottom), *value = beside_->axis(QCPAxis::atLeft);
    auto* bars = new QCPBars(value, count);
    const double width = bins.width > 0 ? bins.width : room;
    bars->setWidth(width);
    bars->setPen(QPen(theme().sheet, 1));
    QColor fill = ink;
    fill.setAlpha(120);
    bars->setBrush(fill);
    for (std::size_t k = 0; k < bins.counts.size(); ++k)
      bars->addData(bins.width > 0 ? bins.low + (double(k) + 0.5) * bins.width : bins.low, bins.counts[k]);
    value->setRange(y->range());
    count->setRange(0, 1.1 * *std::max_element(bins.counts.begin(), bins.counts.end()));
    step(count);
  }
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

bool RepetitionsLens::eventFilter(QObject* watched, QEvent* event) {
  const auto* one = chosen();
  if (watched == plot_ && event->type() == QEvent::MouseButtonPress && one) {
    const auto at = static_cast<QMouseEvent*>(event)->position();
    constexpr double kReach = 12;  // pixels
    double nearest = kReach;
    int pass = -1;
    for (std::size_t k = 0; k < one->values.size(); ++k) {
      const double dx = over_passes_->axis(QCPAxis::atBottom)->coordToPixel(one->passes[k] + 1) - at.x(),
                   dy = over_passes_->axis(QCPAxis::atLeft)->coordToPixel(one->values[k]) - at.y();
      if (std::hypot(dx, dy) < nearest) {
        nearest = std::hypot(dx, dy);
        pass = one->passes[k];
      }
    }
    if (pass >= 0) {
      emit point_chosen(pass);
      return true;
    }
  }
  return Lens::eventFilter(watched, event);
}

bool RepetitionsLens::handle_key(int key) {
  if (key != Qt::Key_Up && key != Qt::Key_Down) return false;
  table_->selectRow(std::clamp(table_->currentRow() + (key == Qt::Key_Down ? 1 : -1), 0, std::max(0, table_->rowCount() - 1)));
  return true;
}

}  // namespace heron::app
