#include "family_of_curves.h"

#include <QMouseEvent>
#include <algorithm>
#include <cmath>

#include "app/lenses/laid_over.h"
#include "app/lenses/placed_masks.h"
#include "app/text.h"
#include "render/theme.h"

namespace heron::app {

using render::paled;
using render::theme;

namespace {
constexpr double kReachOfPoint = 12;  ///< pixels from a point that still mean it
constexpr double kNamesApart = 14;    ///< pixels
constexpr int kNameRoom = 96, kMostNameRoom = 220;  ///< pixels at the right
constexpr double kPalest = 0.55;      ///< share of the paper in the last curve of a family
}  // namespace

FamilyOfCurves::FamilyOfCurves(Desk* desk, QWidget* parent, const char* object, const QString& accessible, int panels, Read read)
    : TakeLens(desk, parent, object, accessible), read_(std::move(read)) {
  if (panels == 1) {
    rects_ = {plot_->axisRect()};
    plot_->axisRect()->setMinimumMargins(QMargins(8, 8, kNameRoom, 4));
  } else {
    rects_ = render::stack_panels(*plot_, panels);
    for (auto* rect : rects_) rect->setMinimumMargins(QMargins(64, 8, kNameRoom, 4));
  }
  plot_->addLayer("wake", plot_->layer("grid"), QCustomPlot::limAbove);
  mark_ = new QCPItemLine(plot_);
  mark_->setPen(QPen(theme().heron, 1, Qt::DashLine));
  mark_->setVisible(false);
  looking_ = new PlotView(plot_, [this] { frame(); }, PlotView::Wheel::along, rects_);
  plot_->installEventFilter(this);
  connect(plot_, &QCustomPlot::afterLayout, this, &FamilyOfCurves::part_names);
  connect(&desk_->look, &Look::figure_changed, this, &FamilyOfCurves::mark_figure);
}

void FamilyOfCurves::prepare(const TakeViewPtr& view) {
  struct Asked {
    TakeViewPtr view;
    bool wake, shown;
  };
  std::vector<Asked> asked;
  for (const auto& [its, wake] : laid_over(*desk_)) asked.push_back({its, wake, false});
  asked.push_back({view, false, true});
  working_.ask(
      [asked, read = read_] {
        Ready out;
        for (const auto& one : asked)
          if (auto of = read(*one.view); of.has_value())
            out.families.push_back({std::move(of), render::take_colour(one.view->take.number), render::take_dashed(one.view->take.number), one.wake, one.shown});
        return out;
      },
      [this](const Ready& ready) {
        ready_ = ready;
        draw();
      });
}

void FamilyOfCurves::again() {
  if (ready_.families.empty()) return;
  looking_->forget();
  draw();
  frame();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

void FamilyOfCurves::clear() {
  for (const auto& line : lines_) {
    if (line.whiskers) plot_->removePlottable(line.whiskers);
    plot_->removeGraph(line.graph);
    if (line.name) plot_->removeItem(line.name);
  }
  lines_.clear();
  for (auto* item : items_) plot_->removeItem(item);
  items_.clear();
  mark_->setVisible(false);
}

void FamilyOfCurves::draw() {
  clear();
  const auto shown = std::find_if(ready_.families.begin(), ready_.families.end(), [](const Family& f) { return f.shown; });
  if (shown == ready_.families.end()) return say("Nothing is taken yet. Space takes.");
  if (const auto why = lacks(shown->of); !why.isEmpty()) return say(why);
  shown_ = shown->of;
  static const QVector<qreal> kOfTake = {8, 3}, kOfFit = {1, 4}, kOfPromise = {5, 3};
  static const QVector<qreal> kOfQuantity[] = {{}, {8, 3}, {2, 2}, {8, 3, 2, 3}, {14, 3}, {1, 4}};
  for (int panel = 0; panel < rects_.size(); ++panel)
    for (const auto& family : ready_.families) {
      const auto curves = curves_of(panel, family.of);
      const auto read = std::count_if(curves.begin(), curves.end(), [](const DrawnCurve& c) { return !c.fitted && !c.quantity; });
      int shade = -1;
      for (const auto& curve : curves) {
        if (!curve.fitted) ++shade;
        // Curves of one take are told apart by lightness, from dark to pale in their order.
        const double pale = read > 1 ? kPalest * std::max(0, shade) / double(read - 1) : 0;
        const auto ink = paled(family.ink, pale);
        if (curve.x.empty() || (curve.fitted && !family.shown)) continue;
        auto* graph = plot_->addGraph(rects_[panel]->axis(QCPAxis::atBottom), rects_[panel]->axis(QCPAxis::atLeft));
        QPen pen(family.wake ? theme().wake : curve.promised ? theme().ink : ink, family.wake ? 6 : curve.promised ? 1.4 : curve.fitted ? 1 : 1.6);
        const auto& dashes = curve.promised ? kOfPromise : curve.fitted ? kOfFit : curve.quantity ? kOfQuantity[*curve.quantity % int(std::size(kOfQuantity))] : family.dashed ? kOfTake : kOfQuantity[0];
        if (!family.wake && !dashes.isEmpty()) pen.setDashPattern(dashes);
        graph->setPen(pen);
        if (family.wake) graph->setLayer("wake");
        if (family.shown && !curve.fitted) graph->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, ink, ink, 4.5));
        graph->setData(QVector<double>(curve.x.begin(), curve.x.end()), QVector<double>(curve.y.begin(), curve.y.end()), true);
        Line line{graph, nullptr, curve.points, panel, family.shown};
        if (family.shown && !curve.u.empty()) {
          QVector<double> twice;
          for (const double u : curve.u) twice << 2 * u;
          line.whiskers = new QCPErrorBars(graph->keyAxis(), graph->valueAxis());
          line.whiskers->setDataPlottable(graph);
          line.whiskers->setPen(QPen(ink, 1));
          line.whiskers->setWhiskerWidth(0);
          line.whiskers->setData(twice);
          line.whiskers->removeFromLegend();
        }
        if (family.shown && !curve.name.isEmpty()) {
          line.name = new QCPItemText(plot_);
          line.name->setClipToAxisRect(false);
          line.name->setFont(render::text_font(11, QFont::Medium));
          line.name->setColor(paled(family.ink, pale / 2));
          line.name->setText(curve.name);
          line.name->setPositionAlignment(Qt::AlignLeft | Qt::AlignVCenter);
          line.name->position->setType(QCPItemPosition::ptAbsolute);
        }
        lines_.push_back(std::move(line));
      }
    }
  for (auto* rect : rects_) {
    auto* x = rect->axis(QCPAxis::atBottom);
    x->setScaleType(log_x_ ? QCPAxis::stLogarithmic : QCPAxis::stLinear);
  }
  draw_limits();
  make_room();
  finish();
  drawn();
  mark_figure();
}

/// For the widest name, in all panels alike.
void FamilyOfCurves::make_room() {
  constexpr int kBeside = 14;
  int widest = kNameRoom;
  for (const auto& line : lines_)
    if (line.name) widest = std::max(widest, QFontMetrics(line.name->font()).horizontalAdvance(line.name->text()) + kBeside);
  for (auto* rect : rects_) {
    auto margins = rect->minimumMargins();
    margins.setRight(std::min(widest, kMostNameRoom));
    rect->setMinimumMargins(margins);
  }
}

/// A line on one curve of a family is drawn as well: its words say which.
void FamilyOfCurves::draw_limits() {
  for (int panel = 0; panel < rects_.size(); ++panel)
    for (const auto& on : limited(panel))
      for (auto* ground : grounds_on(*desk_, on, rects_[panel])) items_ << ground;
}

/// Names stand behind the ends of their lines, one below the other where those are close.
void FamilyOfCurves::part_names() {
  for (int panel = 0; panel < rects_.size(); ++panel) {
    std::vector<Line*> named;
    const auto* rect = rects_[panel];
    const auto end_of = [&](const Line* line) { return rect->axis(QCPAxis::atLeft)->coordToPixel((line->graph->data()->constEnd() - 1)->value); };
    for (auto& line : lines_)
      if (line.name && line.panel == panel && !line.graph->data()->isEmpty()) named.push_back(&line);
    std::sort(named.begin(), named.end(), [&](const Line* a, const Line* b) { return end_of(a) < end_of(b); });
    std::vector<double> wanted;
    for (const auto* line : named) wanted.push_back(end_of(line));
    const auto places = render::parted(wanted, rect->top(), rect->bottom(), kNamesApart);
    for (std::size_t k = 0; k < named.size(); ++k) named[k]->name->position->setCoords(rect->right() + 8, places[k]);
  }
}

QStringList FamilyOfCurves::names() const {
  QStringList out;
  for (const auto& line : lines_)
    if (line.name) out << line.name->text();
  return out;
}

QPointF FamilyOfCurves::place_of(int panel, int n) const {
  for (const auto& line : lines_)
    if (line.panel == panel && line.shown && n < line.graph->dataCount()) {
      const auto point = line.graph->data()->at(n);
      return {line.graph->keyAxis()->coordToPixel(point->key), line.graph->valueAxis()->coordToPixel(point->value)};
    }
  return {};
}

void FamilyOfCurves::frame() {
  if (lines_.empty()) return;
  QCPRange x;
  bool first_x = true;
  for (int panel = 0; panel < rects_.size(); ++panel) {
    QCPRange y;
    bool first = true;
    for (const auto& line : lines_) {
      if (line.panel != panel) continue;
      for (const auto& point : *line.graph->data()) {
        if (!std::isfinite(point.value) || (log_x_ && !(point.key > 0))) continue;
        x = first_x ? QCPRange(point.key, point.key) : x.expanded(QCPRange(point.key, point.key));
        y = first ? QCPRange(point.value, point.value) : y.expanded(QCPRange(point.value, point.value));
        first = first_x = false;
      }
    }
    if (first) continue;
    y = y.bounded(bounds(panel).lower, bounds(panel).upper);
    const double room = std::max(0.08 * y.size(), 1e-6 * std::max(std::abs(y.lower), std::abs(y.upper)) + 1e-12);
    rects_[panel]->axis(QCPAxis::atLeft)->setRange(y.lower - room, y.upper + room);
  }
  for (auto* rect : rects_) {
    auto* axis = rect->axis(QCPAxis::atBottom);
    if (log_x_) axis->setRange(x.lower / 1.15, std::max(x.upper, 1e-12) * 1.15);
    else axis->setRange(x.lower - 0.04 * x.size() - 1e-12, x.upper + 0.04 * x.size() + 1e-12);
  }
}

/// A figure stands at a place of the axis.
void FamilyOfCurves::mark_figure() {
  const auto view = desk_->readings.shown();
  const auto* figure = view ? view->analysis.reading.find(desk_->look.figure().toStdString()) : nullptr;
  const bool here = figure && places_figures() && figure->at.size() == 1 && !lines_.empty() && rects_.front()->axis(QCPAxis::atBottom)->range().contains(figure->at.front());
  mark_->setVisible(here);
  if (here) {
    for (auto* end : {mark_->start, mark_->end}) {
      end->setAxes(rects_.front()->axis(QCPAxis::atBottom), rects_.front()->axis(QCPAxis::atLeft));
      end->setAxisRect(rects_.front());
      end->setTypeY(QCPItemPosition::ptAxisRectRatio);
    }
    mark_->start->setCoords(figure->at.front(), 0);
    mark_->end->setCoords(figure->at.front(), 1);
  }
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

bool FamilyOfCurves::eventFilter(QObject* watched, QEvent* event) {
  if (watched == plot_ && event->type() == QEvent::MouseButtonRelease) {
    const auto at = static_cast<QMouseEvent*>(event)->position();
    double nearest = kReachOfPoint;
    int chosen = -1;
    for (const auto& line : lines_) {
      if (!line.shown || line.points.empty()) continue;
      for (int k = 0; k < line.graph->dataCount(); ++k) {
        const auto point = line.graph->data()->at(k);
        const double far = std::hypot(line.graph->keyAxis()->coordToPixel(point->key) - at.x(), line.graph->valueAxis()->coordToPixel(point->value) - at.y());
        if (far < nearest) {
          nearest = far;
          chosen = line.points[std::size_t(k)];
        }
      }
    }
    if (chosen >= 0) emit point_chosen(chosen);
  }
  return TakeLens::eventFilter(watched, event);
}

}  // namespace heron::app
