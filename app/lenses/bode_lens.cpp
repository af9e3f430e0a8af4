#include "bode_lens.h"

#include <QVBoxLayout>

#include "base/quantity.h"
#include "render/theme.h"
#include "study/response/compare.h"

namespace heron::app {

using render::BodeCurve;

BodeLens::BodeLens(Session* session, QWidget* parent, Over over)
    : Lens(session, parent), over_(over), bar_(new LookBar(this)), plot_(new render::BodePlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(bar_);
  column->addWidget(plot_, 1);
  add_bode_words(*bar_, session_);
  plot_->setObjectName("bode");
  plot_->setAccessibleName("Gain and phase over frequency");
  plot_->setInteraction(QCP::iRangeDrag, true);
  plot_->setMouseTracking(true);
  plot_->setFocusPolicy(Qt::ClickFocus);
  plot_->installEventFilter(this);
  QList<QCPAxisRect*> rects = {plot_->gain_rect()};
  if (over_ != Over::delay) rects << plot_->phase_rect() << plot_->coherence_rect();
  a_ = new render::CursorLine(plot_, rects, "A");
  b_ = new render::CursorLine(plot_, rects, "B");
  for (auto* c : {a_, b_}) {
    c->setLayer("cursors");
    c->setVisible(false);
  }
  for (const auto change :
       {&Session::shown_changed, &Session::live_changed, &Session::running_changed, &Session::expected_changed})
    connect(session_, change, this, &BodeLens::redraw);
  connect(session_, &Session::take_read, this, &BodeLens::redraw);
  connect(session_, &Session::plan_changed, this, [this] {
    redraw();
    if (!session_->shown()) plot_->show_all();
  });
  auto& look = session_->look();
  connect(&look, &Look::changed, this, &BodeLens::redraw);
  connect(&look, &Look::cursors_changed, this, &BodeLens::place_cursors);
  connect(&look, &Look::figure_changed, this, &BodeLens::mark_figure);
  connect(session_, &Session::opened, this, [this] {
    views_.clear();
    set_cursor('A', std::nullopt);
    set_cursor('B', std::nullopt);
  });
}

render::BodeForm BodeLens::form() const {
  const auto& look = session_->look();
  const bool apart =
      over_ == Over::comparison && look.against() != Look::Against::nothing && look.against() != Look::Against::spread;
  return {.in_db = look.in_db() || over_ == Over::comparison,
          .unwrapped = look.unwrapped(),
          .logarithmic = look.logarithmic(),
          .impedance = session_->plan().quantity == study::response::Quantity::impedance && !apart &&
                       !session_->settings().normalise,
          .delay = over_ == Over::delay};
}

QList<render::BodeBand> BodeLens::bands() const {
  QList<render::BodeBand> out;
  const auto expected = session_->expected();
  if (expected && session_->look().expected() && over_ != Over::comparison && over_ != Over::delay &&
      !session_->settings().normalise)
    out << render::BodeBand{expected->frequency,
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
  if (stale_) {
    if (over_ == Over::gain) tell_cursors();
    return;
  }
  bar_->refresh();
  using Against = Look::Against;
  const auto against = over_ == Over::comparison ? session_->look().against() : Against::nothing;
  QList<BodeCurve> curves;
  QList<std::shared_ptr<const TakeView>> held;
  auto bands_now = bands();
  made_.clear();
  const auto wake = session_->wake();
  const auto reference = wake ? session_->view(*wake) : nullptr;
  const auto add = [&](long long id, bool as_wake) {
    const auto view = session_->view(id);
    if (!view || view->curve.points.empty()) return;
    held << view;
    const study::response::Curve* curve = &view->curve;
    if (against == Against::ratio || against == Against::difference) {
      if (as_wake || !reference || reference == view) return;
      made_.push_back(std::make_shared<const study::response::Curve>(
          against == Against::ratio ? study::response::ratio(view->curve, reference->curve)
                                    : study::response::difference(view->curve, reference->curve)));
      curve = made_.back().get();
    }
    curves << BodeCurve{curve, render::take_colour(view->take.number), render::take_dashed(view->take.number), as_wake};
  };
  if (wake) add(*wake, true);
  for (const auto id : session_->overlaid()) add(id, false);
  if (const auto shown = session_->shown()) add(*shown, false);
  if (against == Against::spread) {
    std::vector<const study::response::Curve*> all;
    for (const auto& view : held)
      if (view->take.id != wake || session_->shown() == wake || session_->overlaid().contains(*wake))
        all.push_back(&view->curve);
    const auto s = study::response::statistics(all);
    if (!s.frequency.empty())
      bands_now << render::BodeBand{s.frequency, s.mean_db,
                                    s.low_db,    s.high_db,
                                    s.mean_deg,  s.low_deg,
                                    s.high_deg,  render::theme().heron,
                                    false,       QString("mean of %1, least to most").arg(s.curves)};
    for (auto& curve : curves) curve.colour.setAlpha(90);
  }
  plot_->set_span(session_->plan().start, session_->plan().stop);
  const auto wanted = form();
  const auto study = session_->study() ? session_->study()->id : 0;
  // Another study, or axes that mean something else: what somebody zoomed to means nothing any more.
  const bool reframe = !(wanted == plot_->form()) || study != framed_study_;
  framed_study_ = study;
  plot_->set_form(wanted);
  const bool limits = against == Against::nothing || against == Against::spread;
  plot_->show_curves(curves, limits ? session_->masks() : std::vector<judge::Mask>(), bands_now);
  if (reframe) plot_->show_all();
  place_cursors();
  mark_figure();
}

void BodeLens::mark_figure() {
  if (stale_) return;
  const auto view = session_->shown() ? session_->view(*session_->shown()) : nullptr;
  const auto* figure = view ? view->analysis.reading.find(session_->look().figure().toStdString()) : nullptr;
  if (figure && over_ != Over::comparison)
    plot_->show_marks(&view->curve, figure->at, QString::fromStdString(figure->label));
  else
    plot_->show_marks(nullptr, {}, {});
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

std::optional<double> BodeLens::cursor(char letter) const { return session_->look().cursor(letter); }

void BodeLens::set_cursor(char letter, std::optional<double> frequency) {
  session_->look().set_cursor(letter, frequency);
}

void BodeLens::place_cursors() {
  for (const auto& [letter, line] : {std::pair{'A', a_}, {'B', b_}}) {
    const auto at = session_->look().cursor(letter);
    line->setVisible(at.has_value());
    if (at) line->set_position(*at);
  }
  if (isVisible()) plot_->replot(QCustomPlot::rpQueuedReplot);
  tell_cursors();
}

void BodeLens::tell_cursors() {
  std::optional<study::response::CursorReading> a, b;
  if (const auto shown = session_->shown())
    if (const auto view = session_->view(*shown)) {
      if (const auto at = cursor('A')) a = study::response::read_at(view->curve, *at);
      if (const auto at = cursor('B')) b = study::response::read_at(view->curve, *at);
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
        inside(plot_->gain_rect()) || inside(plot_->phase_rect()) || inside(plot_->coherence_rect())
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
  if (axis->scaleType() == QCPAxis::stLogarithmic)
    wanted = QCPRange(centre * std::pow(range.lower / centre, factor), centre * std::pow(range.upper / centre, factor));
  else
    wanted = QCPRange(centre + (range.lower - centre) * factor, centre + (range.upper - centre) * factor);
  if (axis->scaleType() == QCPAxis::stLogarithmic &&
      (wanted.upper / wanted.lower < 1.0005 || wanted.lower < 1e-9 || wanted.upper > 1e15))
    return;
  if (axis == plot_->coherence_rect()->axis(QCPAxis::atLeft)) return;
  axis->setRange(wanted);
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

int BodeLens::nearest_point(const QPointF& at) const {
  const auto shown = session_->shown();
  const auto view = shown ? session_->view(*shown) : nullptr;
  // A line of noise has no samples of its own.
  if (!view || !view->curve.measured || view->curve.independent > 0) return -1;
  int best = -1;
  double nearest = 12;
  for (auto* rect : {plot_->gain_rect(), plot_->phase_rect()}) {
    if (!rect->rect().contains(at.toPoint())) continue;
    for (std::size_t i = 0; i < view->curve.points.size(); ++i) {
      const auto& p = view->curve.points[i];
      const double y = rect == plot_->gain_rect() ? plot_->upper_value(view->curve, i) : plot_->lower_value(p);
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
        set_cursor(grabbed_ == a_ ? 'A' : 'B',
                   plot_->gain_rect()->axis(QCPAxis::atBottom)->pixelToCoord(mouse->position().x()));
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
