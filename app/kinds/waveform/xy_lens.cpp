#include "xy_lens.h"

#include <QMouseEvent>
#include <QToolTip>
#include <QVBoxLayout>
#include <cmath>

#include "app/text.h"
#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"
#include "waveform_view.h"

namespace heron::app {

using render::theme;

namespace {

constexpr std::size_t kMostSamples = 8000;  ///< of a path

}  // namespace

XyLens::XyLens(Desk* desk, QWidget* parent) : Lens(desk, parent), bar_(new LookBar(this)), plot_(new QCustomPlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(bar_);
  column->addWidget(plot_, 1);
  plot_->setObjectName("x-y");
  plot_->setAccessibleName("One quantity against another");
  render::style_plot(*plot_);
  render::style_axes(*plot_->axisRect());
  plot_->addLayer("wake", plot_->layer("grid"), QCustomPlot::limAbove);
  plot_->installEventFilter(this);
  looking_ = new PlotView(plot_, [this] { frame(); });
  bar_->add_menu("Upright", "What stands upright", [this] { return path().time.empty() ? QString() : text(up_) + " upright"; },
                 [this] { return quantities(&XyLens::up_); });
  bar_->add_menu("Across", "What goes across", [this] { return path().time.empty() ? QString() : text(across_) + " across"; },
                 [this] { return quantities(&XyLens::across_); });
  bar_->add("Exchange", "Exchanges the two", [this] { return path().time.empty() ? QString() : QString("exchange"); }, [this] {
    std::swap(across_, up_);
    reload();
  });
  bar_->refresh();
  connect(&desk_->focus, &Focus::shown_changed, this, &XyLens::reload);
  connect(&desk_->focus, &Focus::plan_changed, this, &XyLens::reload);
  connect(&desk_->readings, &Readings::take_read, this, &XyLens::reload);
  connect(&desk_->look, &Look::cursors_changed, this, &XyLens::place_cursors);
}

const study::Trajectory& XyLens::path() const {
  static const study::Trajectory none;
  for (const auto& path : drawn_.paths)
    if (path.shown) return path.along;
  return none;
}

QList<LookBar::MenuLine> XyLens::quantities(std::string XyLens::*into) {
  QList<LookBar::MenuLine> out;
  const auto& passes = records_of(desk_->readings.shown());
  if (passes.empty()) return out;
  for (const auto& trace : passes.back()->traces)
    out << LookBar::MenuLine{text(trace->name), [this, into, name = trace->name] {
                             this->*into = name;
                             reload();
                           }};
  return out;
}

void XyLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  reload();
}

void XyLens::reload() {
  if (!isVisible()) return;
  reading_.drop();
  const auto view = desk_->readings.shown();
  const auto& passes = records_of(view);
  if (passes.empty() || passes.back()->traces.size() < 2) {
    const auto why = no_record(*desk_);
    drawn_ = {.trouble = why.isEmpty() ? "The record has one quantity; X-Y needs two. Sense another one on the Hookup page (H)." : why};
    return draw();
  }
  const auto& traces = passes.back()->traces;
  // A quantity that this record lacks gives way to its first, or to the next one.
  const auto known = [&](const std::string& name) { return passes.back()->find(name) != nullptr; };
  if (!known(across_)) across_ = traces[0]->name == up_ ? traces[1]->name : traces[0]->name;
  if (!known(up_)) up_ = traces[0]->name == across_ ? traces[1]->name : traces[0]->name;
  across_unit_ = (*passes.back()->find(across_))->unit;
  up_unit_ = (*passes.back()->find(up_))->unit;
  struct Asked {
    TakeViewPtr view;
    bool wake, shown;
  };
  std::vector<Asked> asked;
  if (const auto wake = desk_->focus.wake(); wake && wake != desk_->focus.shown())
    if (const auto its = desk_->readings.view(*wake)) asked.push_back({its, true, false});
  for (const auto id : desk_->focus.overlaid())
    if (const auto its = desk_->readings.view(id); its && id != desk_->focus.shown()) asked.push_back({its, false, false});
  asked.push_back({view, false, true});
  reading_.ask(
      [asked = std::move(asked), across = across_, up = up_] {
        Drawn out;
        for (const auto& one : asked) {
          const auto& its = records_of(one.view);
          const auto* x = its.empty() ? nullptr : its.back()->find(across);
          const auto* y = its.empty() ? nullptr : its.back()->find(up);
          if (!x || !y) continue;
          constexpr double kAll = 1e300;
          auto path = study::trajectory_of(**x, **y, -kAll, kAll, kMostSamples);
          if (!path) return Drawn{.trouble = text(path.error().message)};
          out.paths.push_back({std::move(*path), one.view->take.number, render::take_dashed(one.view->take.number), one.wake,
                               one.shown});
        }
        return out;
      },
      [this](const Drawn& drawn) {
        drawn_ = drawn;
        draw();
      });
}

void XyLens::draw() {
  plot_->clearPlottables();
  rings_.clear();
  plot_->clearItems();
  for (const auto& path : drawn_.paths) {
    auto* curve = new QCPCurve(plot_->xAxis, plot_->yAxis);
    QVector<QCPCurveData> samples;
    samples.reserve(qsizetype(path.along.time.size()));
    for (std::size_t k = 0; k < path.along.time.size(); ++k)
      samples.append({path.along.time[k], path.along.x[k], path.along.y[k]});
    curve->data()->set(samples, true);
    QPen pen(path.wake ? theme().wake : render::take_colour(path.number), path.wake ? 6 : 1.4);
    if (path.dashed) pen.setDashPattern({6, 3});
    curve->setPen(pen);
    if (path.wake) {
      curve->setLayer("wake");
      continue;
    }
    add_arrows(path);
    if (path.shown) add_times(path);
  }
  bar_->refresh();
  for (auto* axis : {plot_->xAxis, plot_->yAxis}) {
    axis->setVisible(drawn_.trouble.isEmpty());
    axis->grid()->setVisible(drawn_.trouble.isEmpty());
  }
  if (!drawn_.trouble.isEmpty()) {
    auto* words = new QCPItemText(plot_);
    words->position->setType(QCPItemPosition::ptAxisRectRatio);
    words->position->setCoords(0.5, 0.5);
    words->setText(drawn_.trouble);
    words->setFont(render::text_font(13));
    words->setColor(theme().slate);
  } else if (path().thinned) {
    auto* words = new QCPItemText(plot_);
    words->position->setType(QCPItemPosition::ptAxisRectRatio);
    words->position->setCoords(0.995, 0.005);
    words->setPositionAlignment(Qt::AlignRight | Qt::AlignTop);
    words->setText("extremes of stretches");
    words->setFont(render::text_font(11));
    words->setColor(theme().slate);
  }
  // Another study or another pair of quantities is another picture; of the same one a view that was chosen stays.
  const auto now = std::tuple(desk_->focus.study_id(), across_, up_);
  if (!drawn_.paths.empty() && std::exchange(framed_, now) != now) {
    looking_->forget();
    frame();
  }
  render::measure_axis(plot_->xAxis, text(across_), across_unit_);
  render::measure_axis(plot_->yAxis, text(up_), up_unit_);
  place_cursors();
}

void XyLens::frame() {
  plot_->rescaleAxes();
  for (auto* axis : {plot_->xAxis, plot_->yAxis}) {
    auto range = axis->range();
    const double room = range.size() > 0 ? 0.06 * range.size() : 0.1 * std::max(1e-9, std::abs(range.center()));
    axis->setRange(range.lower - room, range.upper + room);
  }
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

/// Three of them, where the path has gone a quarter, half and three quarters of its way.
void XyLens::add_arrows(const Path& path) {
  const auto& p = path.along;
  if (p.x.size() < 3) return;
  const auto [left, right] = std::minmax_element(p.x.begin(), p.x.end());
  const auto [low, high] = std::minmax_element(p.y.begin(), p.y.end());
  const double width = std::max(1e-300, *right - *left), height = std::max(1e-300, *high - *low);
  std::vector<double> way{0};
  for (std::size_t k = 1; k < p.x.size(); ++k)
    way.push_back(way.back() + std::hypot((p.x[k] - p.x[k - 1]) / width, (p.y[k] - p.y[k - 1]) / height));
  for (const double share : {0.25, 0.5, 0.75}) {
    const auto at = std::lower_bound(way.begin(), way.end(), share * way.back());
    // From some way before, so that noise does not turn it.
    const auto from = std::lower_bound(way.begin(), way.end(), std::max(0.0, share * way.back() - 0.02));
    const auto k = std::size_t(at - way.begin()), j = std::size_t(from - way.begin());
    if (j >= k || k >= p.x.size()) continue;
    auto* arrow = new QCPItemLine(plot_);
    arrow->start->setCoords(p.x[j], p.y[j]);
    arrow->end->setCoords(p.x[k], p.y[k]);
    arrow->setHead(QCPLineEnding(QCPLineEnding::esFlatArrow, 9, 10));
    arrow->setPen(QPen(render::take_colour(path.number), 1.4));
    arrow->setObjectName("direction");
  }
}

/// Round times along the curve of the take in view.
void XyLens::add_times(const Path& path) {
  const auto& p = path.along;
  if (p.time.size() < 2) return;
  constexpr double kTimes = 5;
  const double step = render::round_step((p.time.back() - p.time.front()) / kTimes);
  for (double k = std::ceil(p.time.front() / step); k * step <= p.time.back(); ++k) {
    const auto at = std::size_t(std::lower_bound(p.time.begin(), p.time.end(), k * step) - p.time.begin());
    if (at >= p.time.size()) break;
    auto* dot = new QCPItemTracer(plot_);
    dot->position->setCoords(p.x[at], p.y[at]);
    dot->setStyle(QCPItemTracer::tsCircle);
    dot->setSize(4);
    dot->setPen(QPen(render::take_colour(path.number), 1));
    dot->setBrush(theme().sheet);
    auto* words = new QCPItemText(plot_);
    words->position->setCoords(p.x[at], p.y[at]);
    words->setPositionAlignment(Qt::AlignLeft | Qt::AlignBottom);
    words->setPadding(QMargins(5, 0, 0, 3));
    words->setText(text(format_setting(k == 0 ? 0.0 : k * step, "s")));
    words->setFont(render::number_font(10));
    words->setColor(theme().slate);
    words->setObjectName("time");
  }
}

void XyLens::place_cursors() {
  if (!isVisible()) return;
  for (auto* ring : rings_) plot_->removeItem(ring);
  rings_.clear();
  cards_.clear();
  const auto& passes = records_of(desk_->readings.shown());
  for (const char letter : {'A', 'B'}) {
    const auto at = desk_->look.cursor(letter);
    const auto* x = passes.empty() ? nullptr : passes.back()->find(across_);
    const auto* y = passes.empty() ? nullptr : passes.back()->find(up_);
    if (!at || !x || !y) continue;
    const auto a = study::value_at(**x, *at), b = study::value_at(**y, *at);
    if (!a || !*a || !b || !*b) continue;
    auto* ring = new QCPItemTracer(plot_);
    ring->position->setCoords(**a, **b);
    ring->setStyle(QCPItemTracer::tsCircle);
    ring->setSize(11);
    ring->setPen(QPen(theme().heron, 2));
    ring->setBrush(Qt::NoBrush);
    auto* name = new QCPItemText(plot_);
    name->position->setCoords(**a, **b);
    name->setPositionAlignment(Qt::AlignRight | Qt::AlignBottom);
    name->setPadding(QMargins(0, 0, 7, 5));
    name->setText(QString(letter));
    name->setFont(render::text_font(12, QFont::DemiBold));
    name->setColor(theme().heron);
    rings_ << ring << name;
    cards_ << value_card(text(up_) + " at " + letter, **b, (*y)->unit, 4,
                         QString("%1 %2, %3").arg(text(across_), text(format_quantity(**a, (*x)->unit, 4)), text(format_quantity(*at, "s", 4))));
  }
  emit cards_changed();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

std::optional<std::size_t> XyLens::nearest(const QPointF& at) const {
  constexpr double kReach = 14;  // pixels
  const auto& p = path();
  std::optional<std::size_t> out;
  double least = kReach;
  for (std::size_t k = 0; k < p.time.size(); ++k) {
    const double away = std::hypot(plot_->xAxis->coordToPixel(p.x[k]) - at.x(), plot_->yAxis->coordToPixel(p.y[k]) - at.y());
    if (away < least) {
      least = away;
      out = k;
    }
  }
  return out;
}

/// The pointer reads the curve; a click sets cursor A there, with Shift cursor B.
bool XyLens::eventFilter(QObject* watched, QEvent* event) {
  const bool moves = event->type() == QEvent::MouseMove, presses = event->type() == QEvent::MouseButtonPress;
  if (watched == plot_ && (moves || presses)) {
    const auto* mouse = static_cast<QMouseEvent*>(event);
    const auto at = mouse->buttons() == Qt::NoButton || presses ? nearest(mouse->position()) : std::nullopt;
    if (at && presses && mouse->button() == Qt::LeftButton) {
      desk_->look.set_cursor(mouse->modifiers() & Qt::ShiftModifier ? 'B' : 'A', path().time[*at]);
      return true;
    }
    if (at && moves)
      QToolTip::showText(mouse->globalPosition().toPoint(),
                         QString("%1\n%2 %3\n%4 %5")
                             .arg(text(format_quantity(path().time[*at], "s", 4)), text(across_),
                                  text(format_quantity(path().x[*at], across_unit_, 4)), text(up_),
                                  text(format_quantity(path().y[*at], up_unit_, 4))),
                         plot_);
    else if (moves)
      QToolTip::hideText();
  }
  return Lens::eventFilter(watched, event);
}

}  // namespace heron::app
