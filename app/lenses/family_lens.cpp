#include "family_lens.h"

#include <QVBoxLayout>

#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"
#include "study/iv/figures.h"

namespace heron::app {

using render::Upright;

FamilyLens::FamilyLens(Session* session, QWidget* parent, Upright upright)
    : Lens(session, parent), upright_(upright), bar_(new LookBar(this)), plot_(new render::FamilyPlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(2);
  column->addWidget(bar_);
  column->addWidget(plot_);
  plot_->set_form(upright_, false);
  plot_->setObjectName("family-" + title().toLower());
  plot_->setAccessibleName(title() + " over voltage");
  plot_->setInteraction(QCP::iRangeDrag, true);
  plot_->setMouseTracking(true);
  plot_->setFocusPolicy(Qt::ClickFocus);
  plot_->installEventFilter(this);
  bar_->add(
      "Vertical axis", "Linear, or the logarithm of the size: small currents over many decades (L)",
      [this] { return plot_->logarithmic() ? QString("log axis") : QString("linear axis"); },
      [this] { set_logarithmic(!plot_->logarithmic()); });
  bar_->refresh();
  for (const auto change : {&Session::shown_changed, &Session::live_changed, &Session::running_changed,
                            &Session::device_changed, &Session::plan_changed})
    connect(session_, change, this, &FamilyLens::redraw);
  connect(session_, &Session::take_read, this, &FamilyLens::redraw);
  connect(session_, &Session::opened, this, [this] { views_.clear(); });
}

QString FamilyLens::title() const {
  return upright_ == Upright::current ? "Curves" : upright_ == Upright::slope ? "Slope" : "Power";
}

std::shared_ptr<const TakeView> FamilyLens::view() const {
  return session_->shown() ? session_->view(*session_->shown()) : nullptr;
}

void FamilyLens::set_logarithmic(bool on) {
  plot_->set_form(upright_, on);
  bar_->refresh();
  redraw();
}

void FamilyLens::redraw() {
  stale_ = !isVisible();
  if (stale_) return;
  QList<std::shared_ptr<const TakeView>> held;
  QList<render::FamilyCurves> takes;
  const auto add = [&](long long id, bool wake) {
    const auto one = session_->view(id);
    if (!one || !one->family) return;
    held << one;
    takes << render::FamilyCurves{&*one->family, render::take_colour(one->take.number),
                                  render::take_dashed(one->take.number), wake};
  };
  if (const auto wake = session_->wake()) add(*wake, true);
  for (const auto id : session_->overlaid()) add(id, false);
  if (const auto shown = session_->shown()) add(*shown, false);
  render::SafeArea area;
  const auto* plan = session_->iv_plan();
  if (const auto* swept = plan ? plan->swept() : nullptr; swept && plan->sensed_name() == swept->name)
    if (const auto rating = session_->circuit().ratings.find(swept->pin); rating != session_->circuit().ratings.end())
      area = {rating->second.voltage, rating->second.current, rating->second.power};
  plot_->xAxis->setLabel(plan && plan->swept() ? "Voltage of " + text(plan->swept()->name) + ", V" : "Voltage, V");
  plot_->show_curves(takes, session_->masks(), area);
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

void FamilyLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  if (stale_) redraw();
}

void FamilyLens::remember() { views_ << std::pair{plot_->xAxis->range(), plot_->yAxis->range()}; }

void FamilyLens::show_all() {
  remember();
  plot_->show_all();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

bool FamilyLens::handle_key(int key) {
  if (key == Qt::Key_L) {
    set_logarithmic(!plot_->logarithmic());
    return true;
  }
  if (key == Qt::Key_Backspace && !views_.isEmpty()) {
    const auto [x, y] = views_.takeLast();
    plot_->xAxis->setRange(x);
    plot_->yAxis->setRange(y);
    plot_->replot(QCustomPlot::rpQueuedReplot);
    return true;
  }
  return false;
}

/// The nearest point in words: what was applied and read, and the curve's own slope there.
QString FamilyLens::read_out(const QPointF& pixel) const {
  constexpr double kReach = 14;  // pixels
  const auto one = view();
  if (!one || !one->family) return {};
  const auto near = plot_->nearest(*one->family, pixel);
  if (!near || near->pixels > kReach) return {};
  const auto& p = near->curve->points[near->point];
  const auto number = [](double v, const char* unit) { return text(format_quantity(v, unit, 5).plain()); };
  QStringList lines;
  if (near->curve->step && one->family->curves.size() > 1)
    lines << QString("%1 at %2")
                 .arg(text(one->family->step_name), text(format_setting(*near->curve->step, one->family->step_unit)));
  lines << number(p.voltage, "V") + ", " + number(p.current, "A") << number(p.voltage * p.current, "W");
  if (const auto at = study::iv::read_at(*near->curve, p.voltage)) {
    if (at->conductance) lines << "dI/dV " + number(*at->conductance, "S");
    if (at->resistance) lines << "dV/dI " + number(*at->resistance, "ohm");
  }
  if (one->family->step_unit == "A" && near->curve->step && *near->curve->step != 0)
    lines << "current gain " + number(p.current / *near->curve->step, "1");
  if (p.at_compliance) lines << "at compliance: the source's limit, not the device";
  return lines.join("\n");
}

bool FamilyLens::eventFilter(QObject* watched, QEvent* event) {
  if (watched != plot_) return false;
  switch (event->type()) {
    case QEvent::Wheel: {
      const auto* wheel = static_cast<QWheelEvent*>(event);
      if (!since_zoom_.isValid() || since_zoom_.elapsed() > 600) remember();
      since_zoom_.start();
      const double factor = std::pow(0.85, wheel->angleDelta().y() / 120.0);
      plot_->xAxis->scaleRange(factor, plot_->xAxis->pixelToCoord(wheel->position().x()));
      plot_->yAxis->scaleRange(factor, plot_->yAxis->pixelToCoord(wheel->position().y()));
      plot_->replot(QCustomPlot::rpQueuedReplot);
      return true;
    }
    case QEvent::MouseButtonDblClick:
      show_all();
      return true;
    case QEvent::MouseButtonPress:
      remember();
      return false;
    case QEvent::ToolTip: {
      auto* help = static_cast<QHelpEvent*>(event);
      if (const QString words = read_out(help->pos()); words.isEmpty())
        QToolTip::hideText();
      else
        QToolTip::showText(help->globalPos(), words, plot_);
      return true;
    }
    default:
      return false;
  }
}

}  // namespace heron::app
