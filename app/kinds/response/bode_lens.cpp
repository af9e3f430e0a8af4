#include "bode_lens.h"

#include <QVBoxLayout>

#include "app/lenses/placed_masks.h"
#include "base/quantity.h"
#include "render/theme.h"
#include "study/response/compare.h"
#include "response_view.h"

namespace heron::app {


BodeLens::BodeLens(Desk* desk, QWidget* parent, Over over)
    : Lens(desk, parent), over_(over), bar_(new LookBar(this)), plot_(new BodePlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(bar_);
  column->addWidget(plot_, 1);
  add_bode_words(*bar_, desk_);
  plot_->setObjectName("bode");
  plot_->setAccessibleName("Gain and phase over frequency");
  QList<QCPAxisRect*> rects = {plot_->gain_rect()};
  if (over_ != Over::delay) rects << plot_->phase_rect() << plot_->coherence_rect();
  plot_->installEventFilter(this);
  looking_ = new PlotView(plot_, [this] { plot_->show_all(); }, PlotView::Wheel::along, rects);
  cursors_ = new PlotCursors(plot_, &desk_->look, rects, [this](const QPointF& at) { return nearest_point(at) >= 0; });
  connect(&desk_->focus, &Focus::shown_changed, this, &BodeLens::redraw);
  connect(&desk_->readings, &Readings::live_changed, this, &BodeLens::redraw);
  connect(&desk_->runner, &Runner::running_changed, this, &BodeLens::redraw);
  connect(&desk_->outlook, &Outlook::expected_changed, this, &BodeLens::redraw);
  connect(&desk_->readings, &Readings::take_read, this, &BodeLens::redraw);
  connect(&desk_->focus, &Focus::plan_changed, this, [this] {
    redraw();
    if (!desk_->focus.shown()) plot_->show_all();
  });
  auto& look = desk_->look;
  connect(&look, &Look::changed, this, &BodeLens::redraw);
  connect(&look, &Look::cursors_changed, this, &BodeLens::place_cursors);
  connect(&look, &Look::figure_changed, this, &BodeLens::mark_figure);
  connect(&desk_->document, &Document::opened, this, [this] { looking_->forget(); });
}

BodeForm BodeLens::form() const {
  const auto& look = desk_->look;
  const bool apart =
      over_ == Over::comparison && look.against() != Look::Against::nothing && look.against() != Look::Against::spread;
  return {.in_db = look.in_db() || over_ == Over::comparison,
          .unwrapped = look.unwrapped(),
          .logarithmic = look.logarithmic(),
          .impedance = of_impedance(*desk_) && !apart &&
                       !response_settings(*desk_).normalise,
          .delay = over_ == Over::delay};
}

QList<BodeBand> BodeLens::bands() const {
  QList<BodeBand> out;
  const auto expected = expected_response(*desk_);
  if (expected && desk_->look.expected() && over_ != Over::comparison && over_ != Over::delay &&
      !response_settings(*desk_).normalise)
    out << BodeBand{expected->frequency,
                            expected->gain_db,
                            expected->gain_low_db,
                            expected->gain_high_db,
                            expected->phase_deg,
                            expected->phase_low_deg,
                            expected->phase_high_deg,
                            render::theme().heron,
                            true,
                            "expected"};
  return out;
}

void BodeLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  if (stale_) redraw();
}

void BodeLens::redraw() {
  stale_ = !isVisible();
  if (stale_) return;
  bar_->refresh();
  using Against = Look::Against;
  const auto against = over_ == Over::comparison ? desk_->look.against() : Against::nothing;
  QList<BodeCurve> curves;
  QList<std::shared_ptr<const TakeView>> held;
  auto bands_now = bands();
  made_.clear();
  const auto wake = desk_->focus.wake();
  const auto reference = wake ? desk_->readings.view(*wake) : nullptr;
  const auto add = [&](long long id, bool as_wake) {
    const auto view = desk_->readings.view(id);
    if (!view || curve_of(view).points.empty()) return;
    held << view;
    const study::response::Curve* curve = &curve_of(view);
    if (against == Against::ratio || against == Against::difference) {
      if (as_wake || !reference || reference == view) return;
      made_.push_back(std::make_shared<const study::response::Curve>(
          against == Against::ratio ? study::response::ratio(curve_of(view), curve_of(reference))
                                    : study::response::difference(curve_of(view), curve_of(reference))));
      curve = made_.back().get();
    }
    curves << BodeCurve{curve, render::take_colour(view->take.number), render::take_dashed(view->take.number), as_wake};
  };
  if (wake) add(*wake, true);
  for (const auto id : desk_->focus.overlaid()) add(id, false);
  if (const auto shown = desk_->focus.shown()) add(*shown, false);
  if (against == Against::spread) {
    std::vector<const study::response::Curve*> all;
    for (const auto& view : held)
      if (view->take.id != wake || desk_->focus.shown() == wake || desk_->focus.overlaid().contains(*wake))
        all.push_back(&curve_of(view));
    const auto s = study::response::statistics(all);
    if (!s.frequency.empty())
      bands_now << BodeBand{s.frequency, s.mean_db,
                                    s.low_db,    s.high_db,
                                    s.mean_deg,  s.low_deg,
                                    s.high_deg,  render::theme().heron,
                                    false,       QString("mean of %1, least to most").arg(s.curves)};
    for (auto& curve : curves) curve.colour.setAlpha(90);
  }
  plot_->set_span(response_plan(*desk_).start, response_plan(*desk_).stop);
  const auto wanted = form();
  const auto study = desk_->focus.study() ? desk_->focus.study()->id : 0;
  // Another study, or axes that mean something else: what somebody zoomed to means nothing any more.
  const bool reframe = !(wanted == plot_->form()) || study != framed_study_;
  framed_study_ = study;
  plot_->set_form(wanted);
  const bool limits = against == Against::nothing || against == Against::spread;
  plot_->show_curves(curves, limits ? placed_masks(*desk_) : std::vector<judge::Mask>(), bands_now);
  if (reframe) plot_->show_all();
  place_cursors();
  mark_figure();
}

void BodeLens::mark_figure() {
  if (stale_) return;
  const auto view = desk_->focus.shown() ? desk_->readings.view(*desk_->focus.shown()) : nullptr;
  const auto* figure = view ? view->analysis.reading.find(desk_->look.figure().toStdString()) : nullptr;
  if (figure && over_ != Over::comparison)
    plot_->show_marks(&curve_of(view), figure->at, QString::fromStdString(figure->label));
  else
    plot_->show_marks(nullptr, {}, {});
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

std::optional<double> BodeLens::cursor(char letter) const { return desk_->look.cursor(letter); }

void BodeLens::set_cursor(char letter, std::optional<double> frequency) {
  desk_->look.set_cursor(letter, frequency);
}

void BodeLens::place_cursors() {
  cursors_->place();
  if (isVisible()) plot_->replot(QCustomPlot::rpQueuedReplot);
  emit cards_changed();
}

bool BodeLens::handle_key(int key) {
  if (key == Qt::Key_Backspace) return looking_->back();
  return cursors_->handle_key(key);
}

int BodeLens::nearest_point(const QPointF& at) const {
  const auto shown = desk_->focus.shown();
  const auto view = shown ? desk_->readings.view(*shown) : nullptr;
  // A line of noise has no samples of its own.
  if (!view || !curve_of(view).measured || curve_of(view).independent > 0) return -1;
  int best = -1;
  double nearest = 12;
  for (auto* rect : {plot_->gain_rect(), plot_->phase_rect()}) {
    if (!rect->rect().contains(at.toPoint())) continue;
    for (std::size_t i = 0; i < curve_of(view).points.size(); ++i) {
      const auto& p = curve_of(view).points[i];
      const double y = rect == plot_->gain_rect() ? plot_->upper_value(curve_of(view), i) : plot_->lower_value(p);
      const QPointF there(rect->axis(QCPAxis::atBottom)->coordToPixel(p.frequency),
                          rect->axis(QCPAxis::atLeft)->coordToPixel(y));
      const double away = std::hypot(there.x() - at.x(), there.y() - at.y());
      if (away < nearest) {
        nearest = away;
        best = p.index;
      }
    }
  }
  return best;
}

bool BodeLens::eventFilter(QObject* watched, QEvent* event) {
  if (watched != plot_) return false;
  switch (event->type()) {
    case QEvent::MouseButtonPress: {
      const auto* mouse = static_cast<QMouseEvent*>(event);
      if (mouse->button() != Qt::LeftButton) return false;
      pressed_ = mouse->position();
      panned_ = false;
      return false;
    }
    case QEvent::MouseMove: {
      const auto* mouse = static_cast<QMouseEvent*>(event);
      if (mouse->buttons() & Qt::LeftButton)
        panned_ = panned_ || (mouse->position() - pressed_).manhattanLength() > 4;
      else
        plot_->setCursor(nearest_point(mouse->position()) >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
      return false;
    }
    case QEvent::MouseButtonRelease: {
      const auto* mouse = static_cast<QMouseEvent*>(event);
      if (!panned_ && mouse->button() == Qt::LeftButton)
        if (const int index = nearest_point(mouse->position()); index >= 0)
          QMetaObject::invokeMethod(
              this, [this, index] { emit point_chosen(index); }, Qt::QueuedConnection);
      return false;
    }
    case QEvent::ToolTip: {
      auto* help = static_cast<QHelpEvent*>(event);
      const int index = nearest_point(help->pos());
      const auto view = desk_->focus.shown() ? desk_->readings.view(*desk_->focus.shown()) : nullptr;
      if (index < 0 || !view) {
        QToolTip::hideText();
        return true;
      }
      for (const auto& p : curve_of(view).points)
        if (p.index == index) {
          const auto gain = format_with_uncertainty(p.gain_db, p.u_gain_db, "dB"),
                     phase = format_with_uncertainty(p.phase_deg, p.u_phase_deg, "deg");
          QToolTip::showText(help->globalPos(),
                             QString("%1\n%2 \u00b1 %3\n%4 \u00b1 %5\nClick for the samples behind it")
                                 .arg(QString::fromStdString(format_quantity(p.frequency, "Hz").plain()),
                                      QString::fromStdString(gain.plain()), QString::fromStdString(gain.uncertainty),
                                      QString::fromStdString(phase.plain()), QString::fromStdString(phase.uncertainty)),
                             plot_);
        }
      return true;
    }
    default:
      return false;
  }
}

}  // namespace heron::app
