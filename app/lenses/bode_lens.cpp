#include "bode_lens.h"

#include <QVBoxLayout>

#include "base/quantity.h"
#include "render/theme.h"

namespace heron::app {

using render::BodeCurve;

BodeLens::BodeLens(Session* session, QWidget* parent) : Lens(session, parent), plot_(new render::BodePlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addWidget(plot_);
  plot_->setObjectName("bode");
  plot_->setAccessibleName("Gain and phase over frequency");
  plot_->setInteraction(QCP::iRangeDrag, true);
  plot_->setMouseTracking(true);
  plot_->setFocusPolicy(Qt::ClickFocus);
  plot_->installEventFilter(this);
  const QList<QCPAxisRect*> rects = {plot_->gain_rect(), plot_->phase_rect()};
  a_ = new render::CursorLine(plot_, rects, "A");
  b_ = new render::CursorLine(plot_, rects, "B");
  for (auto* c : {a_, b_}) {
    c->setLayer("cursors");
    c->setVisible(false);
  }
  for (const auto change : {&Session::shown_changed, &Session::live_changed, &Session::running_changed})
    connect(session_, change, this, &BodeLens::redraw);
  connect(session_, &Session::take_read, this, &BodeLens::redraw);
  connect(session_, &Session::plan_changed, this, [this] {
    plot_->set_span(session_->plan().start, session_->plan().stop);
    redraw();
    if (!session_->shown()) plot_->show_all();
  });
  connect(session_, &Session::opened, this, [this] {
    views_.clear();
    set_cursor('A', std::nullopt);
    set_cursor('B', std::nullopt);
  });
}

void BodeLens::redraw() {
  QList<BodeCurve> curves;
  QList<std::shared_ptr<const TakeView>> held;
  const auto add = [&](long long id, bool wake) {
    const auto view = session_->view(id);
    if (!view || view->curve.points.empty()) return;
    held << view;
    curves << BodeCurve{&view->curve, render::take_colour(view->take.number), render::take_dashed(view->take.number),
                        wake};
  };
  if (const auto wake = session_->wake()) add(*wake, true);
  for (const auto id : session_->overlaid()) add(id, false);
  if (const auto shown = session_->shown()) add(*shown, false);
  plot_->show_curves(curves, session_->masks());
  plot_->replot(QCustomPlot::rpQueuedReplot);
  tell_cursors();
}

std::optional<double> BodeLens::cursor(char letter) const {
  const auto* c = letter == 'A' ? a_ : b_;
  return c->visible() ? std::optional(c->key()) : std::nullopt;
}

void BodeLens::set_cursor(char letter, std::optional<double> frequency) {
  auto* c = letter == 'A' ? a_ : b_;
  c->setVisible(frequency.has_value());
  if (frequency) c->set_position(*frequency);
  plot_->replot(QCustomPlot::rpQueuedReplot);
  tell_cursors();
}

void BodeLens::tell_cursors() {
  std::optional<study::response::CursorReading> a, b;
  if (const auto shown = session_->shown())
    if (const auto view = session_->view(*shown)) {
      if (a_->visible()) a = study::response::read_at(view->curve, a_->key());
      if (b_->visible()) b = study::response::read_at(view->curve, b_->key());
    }
  emit cursors_moved(a, b);
}

bool BodeLens::handle_key(int key) {
  if (key == Qt::Key_A || key == Qt::Key_B) {
    QPoint at = plot_->mapFromGlobal(QCursor::pos());
    auto* x = plot_->gain_rect()->axis(QCPAxis::atBottom);
    const auto inside = [&](QCPAxisRect* rect) { return rect->rect().contains(at); };
    const char letter = key == Qt::Key_A ? 'A' : 'B';
    // Away from the plot the key puts its cursor a third in from its own side.
    const double frequency =
        inside(plot_->gain_rect()) || inside(plot_->phase_rect())
            ? x->pixelToCoord(at.x())
            : x->range().lower * std::pow(x->range().upper / x->range().lower, key == Qt::Key_A ? 1.0 / 3 : 2.0 / 3);
    // Pressed again on its own line, the cursor goes.
    if (const auto now = cursor(letter); now && std::abs(x->coordToPixel(*now) - x->coordToPixel(frequency)) < 2)
      set_cursor(letter, std::nullopt);
    else
      set_cursor(letter, frequency);
    return true;
  }
  if (key == Qt::Key_Backspace) return zoom_back();
  return false;
}

BodeLens::View BodeLens::view() const {
  return {plot_->gain_rect()->axis(QCPAxis::atBottom)->range(), plot_->gain_rect()->axis(QCPAxis::atLeft)->range(),
          plot_->phase_rect()->axis(QCPAxis::atLeft)->range()};
}

void BodeLens::set_view(const View& v) {
  plot_->gain_rect()->axis(QCPAxis::atBottom)->setRange(v.x);
  plot_->gain_rect()->axis(QCPAxis::atLeft)->setRange(v.gain);
  plot_->phase_rect()->axis(QCPAxis::atLeft)->setRange(v.phase);
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

void BodeLens::remember_view() {
  if (!views_.isEmpty() && views_.last() == view()) return;
  views_ << view();
  if (views_.size() > 100) views_.removeFirst();
}

bool BodeLens::zoom_back() {
  while (!views_.isEmpty() && views_.last() == view()) views_.removeLast();
  if (views_.isEmpty()) return false;
  set_view(views_.takeLast());
  return true;
}

void BodeLens::show_all() {
  remember_view();
  plot_->show_all();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

void BodeLens::zoom(QWheelEvent* event) {
  auto* rect = plot_->axisRectAt(event->position());
  if (!rect) return;
  // A run of wheel steps is one zoom to undo.
  if (!since_zoom_.isValid() || since_zoom_.elapsed() > 600) remember_view();
  since_zoom_.start();
  const double factor = std::pow(0.85, event->angleDelta().y() / 120.0);
  auto* axis = rect->axis(event->modifiers() & Qt::ShiftModifier ? QCPAxis::atLeft : QCPAxis::atBottom);
  const bool along_x = axis->orientation() == Qt::Horizontal;
  const double centre = axis->pixelToCoord(along_x ? event->position().x() : event->position().y());
  const auto range = axis->range();
  QCPRange wanted;
  if (along_x)
    wanted = QCPRange(centre * std::pow(range.lower / centre, factor), centre * std::pow(range.upper / centre, factor));
  else
    wanted = QCPRange(centre + (range.lower - centre) * factor, centre + (range.upper - centre) * factor);
  if (along_x && (wanted.upper / wanted.lower < 1.0005 || wanted.lower < 1e-6 || wanted.upper > 1e12)) return;
  axis->setRange(wanted);
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

int BodeLens::nearest_point(const QPointF& at) const {
  const auto shown = session_->shown();
  const auto view = shown ? session_->view(*shown) : nullptr;
  if (!view || !view->curve.measured) return -1;
  int best = -1;
  double nearest = 12;
  for (auto* rect : {plot_->gain_rect(), plot_->phase_rect()}) {
    if (!rect->rect().contains(at.toPoint())) continue;
    for (const auto& p : view->curve.points) {
      const double y = rect == plot_->gain_rect() ? p.gain_db : p.phase_deg;
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
    case QEvent::Wheel:
      zoom(static_cast<QWheelEvent*>(event));
      return true;
    case QEvent::MouseButtonDblClick:
      show_all();
      return true;
    case QEvent::MouseButtonPress: {
      const auto* mouse = static_cast<QMouseEvent*>(event);
      if (mouse->button() != Qt::LeftButton) return false;
      pressed_ = mouse->position();
      panned_ = false;
      for (auto* c : {a_, b_})
        if (const double away = c->selectTest(pressed_, false);
            c->visible() && away >= 0 && away < 5 && nearest_point(pressed_) < 0)
          grabbed_ = c;
      if (grabbed_) return true;
      remember_view();
      return false;
    }
    case QEvent::MouseMove: {
      const auto* mouse = static_cast<QMouseEvent*>(event);
      if (grabbed_) {
        grabbed_->set_position(plot_->gain_rect()->axis(QCPAxis::atBottom)->pixelToCoord(mouse->position().x()));
        plot_->replot(QCustomPlot::rpQueuedReplot);
        tell_cursors();
        return true;
      }
      if (mouse->buttons() & Qt::LeftButton)
        panned_ = panned_ || (mouse->position() - pressed_).manhattanLength() > 4;
      else
        plot_->setCursor(nearest_point(mouse->position()) >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
      return false;
    }
    case QEvent::MouseButtonRelease: {
      const auto* mouse = static_cast<QMouseEvent*>(event);
      if (grabbed_) {
        grabbed_ = nullptr;
        return true;
      }
      if (!panned_ && mouse->button() == Qt::LeftButton)
        if (const int index = nearest_point(mouse->position()); index >= 0)
          QMetaObject::invokeMethod(
              this, [this, index] { emit point_chosen(index); }, Qt::QueuedConnection);
      return false;
    }
    case QEvent::ToolTip: {
      auto* help = static_cast<QHelpEvent*>(event);
      const int index = nearest_point(help->pos());
      const auto view = session_->shown() ? session_->view(*session_->shown()) : nullptr;
      if (index < 0 || !view) {
        QToolTip::hideText();
        return true;
      }
      for (const auto& p : view->curve.points)
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
