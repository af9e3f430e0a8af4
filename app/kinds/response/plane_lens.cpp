#include "plane_lens.h"

#include <QVBoxLayout>

#include "base/quantity.h"
#include "render/theme.h"
#include "study/response/cursors.h"
#include "response_view.h"

namespace heron::app {

PlaneLens::PlaneLens(Plane plane, Desk* desk, QWidget* parent)
    : Lens(desk, parent), plot_(new PlanePlot(plane, this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addWidget(plot_);
  plot_->setObjectName(plane == Plane::nyquist ? "nyquist" : "nichols");
  plot_->setAccessibleName(plane == Plane::nyquist ? "Real and imaginary part" : "Gain over phase");
  looking_ = new PlotView(plot_, [this] { plot_->show_all(); });
  plot_->installEventFilter(this);
  connect(&desk_->focus, &Focus::shown_changed, this, &PlaneLens::redraw);
  connect(&desk_->readings, &Readings::live_changed, this, &PlaneLens::redraw);
  connect(&desk_->runner, &Runner::running_changed, this, &PlaneLens::redraw);
  connect(&desk_->readings, &Readings::take_read, this, &PlaneLens::redraw);
  connect(&desk_->look, &Look::cursors_changed, this, &PlaneLens::mark);
  connect(&desk_->look, &Look::figure_changed, this, &PlaneLens::mark);
  connect(&desk_->document, &Document::opened, this, [this] { looking_->forget(); });
}

std::shared_ptr<const TakeView> PlaneLens::view() const {
  return desk_->focus.shown() ? desk_->readings.view(*desk_->focus.shown()) : nullptr;
}

void PlaneLens::redraw() {
  stale_ = !isVisible();
  if (stale_) return;
  QList<std::shared_ptr<const TakeView>> held;
  QList<BodeCurve> curves;
  const auto add = [&](long long id, bool wake) {
    const auto one = desk_->readings.view(id);
    if (!one || curve_of(one).points.empty() || !curve_of(one).has_phase) return;
    held << one;
    curves << BodeCurve{&curve_of(one), render::take_colour(one->take.number),
                                render::take_dashed(one->take.number), wake};
  };
  if (const auto wake = desk_->focus.wake()) add(*wake, true);
  for (const auto id : desk_->focus.overlaid()) add(id, false);
  if (const auto shown = desk_->focus.shown()) add(*shown, false);
  plot_->show_curves(curves);
  mark();
}

void PlaneLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  if (stale_) redraw();
}

void PlaneLens::mark() {
  if (!isVisible()) {
    stale_ = true;
    return;
  }
  std::vector<std::pair<QString, double>> marks;
  for (const char letter : {'A', 'B'})
    if (const auto f = desk_->look.cursor(letter)) marks.push_back({QString(QChar(letter)), *f});
  const auto one = view();
  if (one)
    if (const auto* figure = one->analysis.reading.find(desk_->look.figure().toStdString()))
      for (const double f : figure->at) marks.push_back({QString::fromStdString(figure->label), f});
  plot_->show_marks(one ? &curve_of(one) : nullptr, marks);
  emit cards_changed();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

bool PlaneLens::handle_key(int key) {
  if (key == Qt::Key_A || key == Qt::Key_B) {
    const char letter = key == Qt::Key_A ? 'A' : 'B';
    const auto one = view();
    if (!one || curve_of(one).points.size() < 2) return true;
    const auto near = plot_->nearest(curve_of(one), plot_->mapFromGlobal(QCursor::pos()));
    auto& look = desk_->look;
    const auto now = look.cursor(letter);
    look.set_cursor(letter, near && now && std::abs(*now / near->first - 1) < 1e-3 ? std::nullopt
                            : near                                                 ? std::optional(near->first)
                                                                                   : std::nullopt);
    return true;
  }
  if (key == Qt::Key_Backspace) return looking_->back();
  return false;
}

void PlaneLens::show_all() { looking_->show_all(); }

bool PlaneLens::eventFilter(QObject* watched, QEvent* event) {
  if (watched != plot_) return false;
  switch (event->type()) {
    case QEvent::ToolTip: {
      auto* help = static_cast<QHelpEvent*>(event);
      const auto one = view();
      const auto near = one && curve_of(one).points.size() > 1 ? plot_->nearest(curve_of(one), help->pos())
                                                            : std::optional<std::pair<double, double>>();
      const auto read =
          near ? study::response::read_at(curve_of(one), near->first) : std::optional<study::response::CursorReading>();
      if (!read || near->second > 14) {
        QToolTip::hideText();
        return true;
      }
      QToolTip::showText(
          help->globalPos(),
          QString("%1\n%2\n%3")
              .arg(QString::fromStdString(format_quantity(read->frequency, "Hz", 4).plain()),
                   QString::fromStdString(format_quantity(read->gain_db, "dB", 4).plain()),
                   QString::fromStdString(format_quantity(read->phase_deg.value_or(0), "deg", 4).plain())),
          plot_);
      return true;
    }
    default:
      return false;
  }
}

}  // namespace heron::app
