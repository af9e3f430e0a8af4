#include "sweep_lens.h"

#include <QMouseEvent>
#include <algorithm>
#include <cmath>

#include "app/text.h"
#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;
using study::spectrum::SweepGroup;

namespace {

struct GroupWord {
  SweepGroup group;
  const char *name, *axis;
};
constexpr GroupWord kGroups[] = {{SweepGroup::distortion, "distortion", "Distortion"}, {SweepGroup::noise, "noise", "Over noise"}, {SweepGroup::gain, "gain", "Gain"}};
constexpr double kReach = 12;  ///< pixels from a point that still mean it

const GroupWord& word_of(SweepGroup group) {
  return *std::find_if(std::begin(kGroups), std::end(kGroups), [&](const GroupWord& one) { return one.group == group; });
}

}  // namespace

SweepLens::SweepLens(Desk* desk, QWidget* parent) : TakeLens(desk, parent, "sweep", "Figures over the sweep") {
  plot_->axisRect()->setMinimumMargins(QMargins(8, 8, 96, 4));
  plot_->addLayer("wake", plot_->layer("grid"), QCustomPlot::limAbove);
  mark_ = new QCPItemLine(plot_);
  mark_->setPen(QPen(theme().heron, 1, Qt::DashLine));
  mark_->setVisible(false);
  looking_ = new PlotView(plot_, [this] { frame(); });
  plot_->installEventFilter(this);
  bar_->add(
      "Curves", "Distortion and harmonics, what stands over the noise, or the gain", [this] { return lines_.empty() ? QString() : QString(word_of(group_).name); },
      [this] {
        group_ = kGroups[(&word_of(group_) - kGroups + 1) % std::ssize(kGroups)].group;
        looking_->forget();
        draw();
        frame();
      });
  bar_->refresh();
  connect(plot_, &QCustomPlot::afterLayout, this, &SweepLens::part_names);
  connect(&desk_->look, &Look::figure_changed, this, &SweepLens::mark_figure);
}

void SweepLens::prepare(const TakeViewPtr& view) {
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
  working_.ask(
      [asked] {
        Ready out;
        for (const auto& one : asked) {
          const auto* reduced = dynamic_cast<const study::spectrum::SweepSource*>(one.view->reduced.get());
          const auto settings = study::spectrum::settings_from_text(one.view->analysis.settings);
          if (!reduced || !settings) continue;
          auto curves = reduced->over_sweep(*settings);
          if (!curves) {
            if (one.shown) out.trouble = text(curves.error().message);
            continue;
          }
          if (one.shown) out.axis = reduced->axis();
          if (one.shown && curves->empty()) out.trouble = "The take is no sweep. Say in the brief at what it goes: rising level or rising frequency.";
          out.families.push_back({std::move(*curves), render::take_colour(one.view->take.number), render::take_dashed(one.view->take.number), one.wake, one.shown});
        }
        return out;
      },
      [this](const Ready& ready) {
        if (!ready.trouble.isEmpty()) return say(ready.trouble);
        ready_ = ready;
        draw();
      });
}

void SweepLens::clear() {
  for (const auto& line : lines_) {
    plot_->removeGraph(line.graph);
    if (line.name) plot_->removeItem(line.name);
  }
  lines_.clear();
  mark_->setVisible(false);
}

void SweepLens::draw() {
  clear();
  std::string unit = "dB";
  for (const auto& family : ready_.families) {
    int style = 0;
    for (const auto& curve : family.curves) {
      if (curve.group != group_ || curve.at.empty()) continue;
      if (family.shown) unit = curve.unit;
      auto* graph = plot_->addGraph();
      QPen pen(family.wake ? theme().wake : family.ink, family.wake ? 6 : 1.4);
      // Quantities of one take are told by their line.
      static const QVector<qreal> kDashes[] = {{}, {8, 3}, {2, 2}, {8, 3, 2, 3}, {14, 3}, {1, 4}};
      const auto& dashes = kDashes[style++ % int(std::size(kDashes))];
      if (!family.wake && !dashes.isEmpty()) pen.setDashPattern(dashes);
      graph->setPen(pen);
      if (family.wake) graph->setLayer("wake");
      if (!family.wake) graph->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, family.ink, family.ink, 4));
      graph->setData(QVector<double>(curve.at.begin(), curve.at.end()), QVector<double>(curve.value.begin(), curve.value.end()), true);
      Line line{graph, nullptr, curve.points, curve.value.back()};
      if (family.shown) {
        line.name = new QCPItemText(plot_);
        line.name->setClipToAxisRect(false);
        line.name->setFont(render::text_font(11, QFont::Medium));
        line.name->setColor(family.ink);
        const bool several = std::any_of(family.curves.begin(), family.curves.end(), [&](const auto& other) { return other.quantity != curve.quantity; });
        line.name->setText(text(several ? curve.quantity + " " + curve.label : curve.label));
        line.name->setPositionAlignment(Qt::AlignLeft | Qt::AlignVCenter);
        line.name->position->setType(QCPItemPosition::ptAbsolute);
      }
      lines_.push_back(std::move(line));
    }
  }
  if (lines_.empty()) return say("No point of the sweep has these figures.");
  const bool level = ready_.axis.over == study::spectrum::SweptOver::level;
  render::measure_axis(plot_->xAxis, level ? "Level, rms" : "Frequency", ready_.axis.unit, true);
  render::measure_axis(plot_->yAxis, !level && group_ == SweepGroup::gain ? "Output" : word_of(group_).axis, unit);
  drawn();
  mark_figure();
}

/// Names stand behind the ends of their lines, one below the other where those are close.
void SweepLens::part_names() {
  constexpr double kApart = 14;
  std::vector<Line*> named;
  for (auto& line : lines_)
    if (line.name) named.push_back(&line);
  std::sort(named.begin(), named.end(), [](const Line* a, const Line* b) { return a->end > b->end; });
  const auto* rect = plot_->axisRect();
  std::vector<double> wanted;
  for (const auto* line : named) wanted.push_back(plot_->yAxis->coordToPixel(line->end));
  const auto places = render::parted(wanted, rect->top(), rect->bottom(), kApart);
  for (std::size_t k = 0; k < named.size(); ++k) named[k]->name->position->setCoords(rect->right() + 8, places[k]);
}

QStringList SweepLens::names() const {
  QStringList out;
  for (const auto& line : lines_)
    if (line.name) out << line.name->text();
  return out;
}

QPointF SweepLens::place_of(int n) const {
  if (lines_.empty()) return {};
  const auto point = lines_.back().graph->data()->at(n);
  return {plot_->xAxis->coordToPixel(point->key), plot_->yAxis->coordToPixel(point->value)};
}

void SweepLens::frame() {
  if (lines_.empty()) return;
  QCPRange x, y;
  bool first = true;
  for (const auto& line : lines_)
    for (const auto& point : *line.graph->data()) {
      x = first ? QCPRange(point.key, point.key) : x.expanded(QCPRange(point.key, point.key));
      y = first ? QCPRange(point.value, point.value) : y.expanded(QCPRange(point.value, point.value));
      first = false;
    }
  plot_->xAxis->setRange(x.lower / 1.1, x.upper * 1.1);
  const double room = std::max(0.08 * y.size(), 0.5);
  plot_->yAxis->setRange(y.lower - room, y.upper + room);
}

/// A figure stands at a level or a frequency of the sweep.
void SweepLens::mark_figure() {
  const auto view = desk_->readings.shown();
  const auto* figure = view ? view->analysis.reading.find(desk_->look.figure().toStdString()) : nullptr;
  const bool here = figure && !figure->at.empty() && !lines_.empty();
  mark_->setVisible(here);
  if (here) {
    mark_->start->setTypeY(QCPItemPosition::ptAxisRectRatio);
    mark_->end->setTypeY(QCPItemPosition::ptAxisRectRatio);
    mark_->start->setCoords(figure->at.front(), 0);
    mark_->end->setCoords(figure->at.front(), 1);
  }
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

bool SweepLens::eventFilter(QObject* watched, QEvent* event) {
  if (watched == plot_ && event->type() == QEvent::MouseButtonRelease) {
    const auto at = static_cast<QMouseEvent*>(event)->position();
    double nearest = kReach;
    int chosen = -1;
    for (const auto& line : lines_) {
      if (!line.name) continue;
      for (int k = 0; k < line.graph->dataCount(); ++k) {
        const auto point = line.graph->data()->at(k);
        const double far = std::hypot(plot_->xAxis->coordToPixel(point->key) - at.x(), plot_->yAxis->coordToPixel(point->value) - at.y());
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
