#include "record_plot.h"

#include <cmath>

#include "app/text.h"
#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"
#include "signal/band_limited.h"

namespace heron::app {

using render::theme;

namespace {

constexpr int kOverviewHeight = 40;
constexpr double kNameHeight = 20, kLeastHeight = 3 * kNameHeight;  ///< pixels, of a name and of a panel
constexpr double kDots = 5;  ///< pixels between samples from which on each is a dot

}  // namespace

RecordPlot::RecordPlot(QWidget* parent) : QCustomPlot(parent) {
  render::style_plot(*this);
  plotLayout()->clear();
  overview_ = new QCPAxisRect(this, false);
  auto* x = overview_->addAxis(QCPAxis::atBottom);
  auto* y = overview_->addAxis(QCPAxis::atLeft);
  for (auto* axis : {x, y}) {
    axis->setTicks(false);
    axis->setTickLabels(false);
    axis->setBasePen(QPen(theme().line));
    axis->grid()->setVisible(false);
  }
  overview_->setMinimumSize(0, kOverviewHeight);
  overview_->setMaximumSize(QWIDGETSIZE_MAX, kOverviewHeight);
  overview_->setRangeDrag({});
  overview_->setBackground(theme().mist);
  plotLayout()->addElement(0, 0, overview_);
  plotLayout()->setRowSpacing(6);
  for (const char* layer : {"ground", "wake"}) addLayer(layer, this->layer("grid"), limAbove);
  addLayer("cursors", this->layer("main"), limAbove);
  window_ = new QCPItemRect(this);
  window_->setClipAxisRect(overview_);
  for (auto* position : {window_->topLeft, window_->bottomRight}) {
    position->setAxisRect(overview_);
    position->setAxes(x, y);
    position->setTypeX(QCPItemPosition::ptPlotCoords);
    position->setTypeY(QCPItemPosition::ptAxisRectRatio);
  }
  QColor shade = theme().heron;
  shade.setAlpha(34);
  window_->setBrush(shade);
  window_->setPen(QPen(theme().heron, 1));
  window_->setLayer("cursors");
  arrange(1, 1);
  connect(this, &QCustomPlot::afterLayout, this, &RecordPlot::fill);
}

std::vector<study::TracePtr> RecordPlot::in_front() const {
  std::vector<const RecordCurve*> found;
  for (const auto& drawn : drawn_) {
    const auto& curve = drawn.curve;
    if (curve.wake || curve.dotted) continue;
    const auto before = std::find_if(found.begin(), found.end(), [&](const auto* one) { return one->trace->name == curve.trace->name; });
    if (before == found.end())
      found.push_back(&curve);
    else if (!curve.pale || (*before)->pale)
      *before = &curve;
  }
  std::vector<study::TracePtr> out;
  for (const auto* curve : found) out.push_back(curve->trace);
  return out;
}

QCPRange RecordPlot::span() const { return panels_.first()->axis(QCPAxis::atBottom)->range(); }

void RecordPlot::set_span(const QCPRange& span) {
  panels_.first()->axis(QCPAxis::atBottom)->setRange(span);
  replot(rpQueuedReplot);
}

QStringList RecordPlot::names() const {
  QStringList out;
  for (const auto& name : named_) out << text(name);
  return out;
}

void RecordPlot::remove_curves() {
  for (auto& drawn : drawn_)
    for (auto* graph : {drawn.line, drawn.low, drawn.high, drawn.dots})
      if (graph) removeGraph(graph);
  drawn_.clear();
  for (auto* map : clouds_) removePlottable(map);
  clouds_.clear();
}

void RecordPlot::set_between(Between between) {
  between_ = between;
  filled_ = QCPRange(1, 0);
  replot(rpQueuedReplot);
}

std::optional<QCPRange> RecordPlot::upright_of(const std::string& quantity) const {
  for (const auto& drawn : drawn_)
    if (drawn.curve.trace->name == quantity) return drawn.upright->range();
  return std::nullopt;
}

void RecordPlot::show_clouds(const std::vector<Cloud>& all) {
  for (auto* map : clouds_) removePlottable(map);
  clouds_.clear();
  for (const auto& [quantity, cells, ink] : all) {
    const auto drawn = std::find_if(drawn_.begin(), drawn_.end(), [&](const Drawn& d) { return d.curve.trace->name == quantity; });
    if (drawn == drawn_.end() || cells.records == 0) continue;
    auto* map = new QCPColorMap(drawn->line->keyAxis(), drawn->upright);
    map->setLayer("wake");
    map->setInterpolate(false);
    const double across = (cells.to - cells.from) / cells.columns, up = (cells.high - cells.low) / cells.rows;
    map->data()->setSize(cells.columns, cells.rows);
    map->data()->setRange({cells.from + across / 2, cells.to - across / 2}, {cells.low + up / 2, cells.high - up / 2});
    // The root makes one record in a hundred still to be seen.
    for (int c = 0; c < cells.columns; ++c)
      for (int r = 0; r < cells.rows; ++r) map->data()->setCell(c, r, std::sqrt(double(cells.at(c, r)) / cells.records));
    QColor none = ink;
    none.setAlpha(0);
    QColor least = ink;
    least.setAlpha(50);
    QCPColorGradient gradient;
    gradient.setColorStops({{0, none}, {0.005, least}, {1, ink}});
    gradient.setColorInterpolation(QCPColorGradient::ciRGB);
    map->setGradient(gradient);
    map->setDataRange({0, 1});
    clouds_ << map;
  }
  replot(rpQueuedReplot);
}

/// Forbidden ground in the panels of its quantities.
void RecordPlot::draw_limits(const std::vector<LimitLine>& limits) {
  for (const auto& limit : limits)
    for (const auto& drawn : drawn_) {
      if (drawn.curve.trace->name != limit.quantity) continue;
      auto* ground = new render::ForbiddenGround(this, panels_[drawn.panel], limit.line, limit.upper, drawn.upright, uprights_.size() == panels_.size());
      ground->setLayer("ground");
      items_ << ground;
      break;
    }
}

void RecordPlot::arrange(int count, int uprights) {
  if (panels_.size() == count && uprights_.size() == uprights) return;
  remove_curves();
  uprights_.clear();
  while (!panels_.isEmpty()) {
    plotLayout()->remove(panels_.takeLast());
    plotLayout()->simplify();
  }
  auto* sides = new QCPMarginGroup(this);
  overview_->setMarginGroup(QCP::msLeft | QCP::msRight, sides);
  for (int k = 0; k < count; ++k) {
    auto* rect = new QCPAxisRect(this);
    plotLayout()->addElement(k + 1, 0, rect);
    render::style_axes(*rect);
    rect->setMarginGroup(QCP::msLeft | QCP::msRight, sides);
    rect->setMinimumMargins(QMargins(8, 2, 14, 2));
    rect->setRangeDrag(Qt::Horizontal | Qt::Vertical);
    rect->setRangeZoom({});
    auto* x = rect->axis(QCPAxis::atBottom);
    x->setTickLabels(k + 1 == count);
    render::measure_axis(x, k + 1 == count ? "Time" : "", "s");
    for (auto* other : panels_) {
      auto* its = other->axis(QCPAxis::atBottom);
      connect(x, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), its, qOverload<const QCPRange&>(&QCPAxis::setRange));
      connect(its, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), x, qOverload<const QCPRange&>(&QCPAxis::setRange));
    }
    panels_ << rect;
    uprights_ << rect->axis(QCPAxis::atLeft);
  }
  while (uprights_.size() < uprights) {
    auto* more = panels_.first()->addAxis(QCPAxis::atLeft);
    render::style_axis(*more);
    more->grid()->setVisible(false);
    uprights_ << more;
  }
  // What is dragged moves all of them, each by its own scale.
  if (uprights > count) panels_.first()->setRangeDragAxes({panels_.first()->axis(QCPAxis::atBottom)}, uprights_);
}

void RecordPlot::show_record(std::vector<RecordCurve> curves, Panels how, const std::optional<TriggerMark>& trigger,
                             const std::vector<LimitLine>& limits) {
  std::vector<std::string> names;
  std::vector<std::string> panel_of;  ///< what each panel is named by
  std::vector<int> places;
  const bool one_for_all = how == Panels::apart || how == Panels::over;
  for (const auto& curve : curves) {
    const auto& t = *curve.trace;
    if (std::find(names.begin(), names.end(), t.name) == names.end()) names.push_back(t.name);
    const auto key = how == Panels::by_unit ? t.unit : t.name;
    auto it = std::find(panel_of.begin(), panel_of.end(), key);
    if (it == panel_of.end()) it = panel_of.insert(panel_of.end(), key);
    places.push_back(int(it - panel_of.begin()));
  }
  const bool another = names != named_ || how != how_;
  how_ = how;
  named_ = names;
  remove_curves();
  for (auto* item : items_) removeItem(item);
  items_.clear();
  const int scales = std::max<int>(1, int(panel_of.size()));
  arrange(one_for_all ? 1 : scales, scales);
  QCPRange whole;
  bool first = true;
  for (std::size_t k = 0; k < curves.size(); ++k) {
    Drawn one{.curve = curves[k], .panel = one_for_all ? 0 : places[k], .upright = uprights_[places[k]]};
    auto *x = panels_[one.panel]->axis(QCPAxis::atBottom), *y = one.upright;
    one.low = addGraph(x, y);
    one.high = addGraph(x, y);
    one.line = addGraph(x, y);
    const auto& c = one.curve;
    QColor ink = c.wake ? theme().wake : c.colour;
    if (c.pale) ink.setAlpha(60);
    QPen pen(ink, c.wake ? 6 : 1.4);
    if (c.dashed) pen.setDashPattern({6, 3});
    if (c.dotted) pen.setDashPattern({1, 3});
    // In one panel the second quantity is told by its line.
    const auto same = std::count_if(drawn_.begin(), drawn_.end(), [&](const Drawn& d) {
      return d.panel == one.panel && d.curve.colour == c.colour && d.curve.trace->name != c.trace->name && !d.curve.pale && !d.curve.dotted;
    });
    if (same % 3 == 1 && !c.dotted) pen.setDashPattern({7, 3});
    if (same % 3 == 2 && !c.dotted) pen.setDashPattern({2, 2});
    one.line->setPen(pen);
    one.dots = addGraph(x, y);
    one.dots->setLineStyle(QCPGraph::lsNone);
    for (auto* edge : {one.low, one.high}) {
      edge->setPen(QPen(ink, 1));
      // Thousands of edges a pixel wide look the same without.
      edge->setAntialiased(false);
      edge->setAntialiasedFill(false);
    }
    QColor shade = ink;
    shade.setAlpha(c.pale ? 40 : 110);
    one.high->setBrush(shade);
    one.high->setChannelFillGraph(one.low);
    if (c.wake)
      for (auto* graph : {one.line, one.low, one.high, one.dots}) graph->setLayer("wake");
    const auto n = c.trace->size();
    if (n > 0) {
      const QCPRange own(c.trace->time.at(0), c.trace->time.at(n - 1));
      whole = first ? own : whole.expanded(own);
      first = false;
    }
    drawn_.push_back(std::move(one));
  }
  whole_ = first ? QCPRange(0, 1) : whole.size() > 0 ? whole : QCPRange(whole.lower - 0.5, whole.lower + 0.5);
  // Names stand at their lines.
  std::vector<int> rows(std::size_t(panels_.size()), 0);
  std::vector<std::string> said;
  for (const auto& drawn : drawn_) {
    const auto& t = *drawn.curve.trace;
    if (std::find(said.begin(), said.end(), t.name) != said.end()) continue;
    said.push_back(t.name);
    auto* label = new QCPItemText(this);
    auto* rect = panels_[drawn.panel];
    label->setClipAxisRect(rect);
    label->position->setAxisRect(rect);
    label->position->setType(QCPItemPosition::ptAxisRectRatio);
    const auto place = double(uprights_.indexOf(drawn.upright)) / double(uprights_.size());
    label->position->setCoords(0.006, how_ == Panels::apart ? place + 0.01 : 0.02);
    label->setPositionAlignment(Qt::AlignLeft | Qt::AlignTop);
    if (how_ != Panels::apart) label->setPadding(QMargins(0, 15 * rows[std::size_t(drawn.panel)]++, 0, 0));
    const auto dashes = drawn.line->pen().dashPattern();
    label->setText(text(t.name) + (dashes.isEmpty() || drawn.curve.dashed ? "" : dashes.first() > 4 ? "  \u2013 \u2013" : "  \u00b7 \u00b7 \u00b7"));
    label->setFont(render::text_font(11, QFont::Medium));
    label->setColor(drawn.curve.wake ? theme().slate : drawn.curve.colour);
    items_ << label;
  }
  draw_limits(limits);
  if (trigger && !drawn_.empty()) {
    auto* notch = new QCPItemText(this);
    auto* rect = panels_.last();
    notch->setClipAxisRect(rect);
    notch->position->setAxisRect(rect);
    notch->position->setAxes(rect->axis(QCPAxis::atBottom), rect->axis(QCPAxis::atLeft));
    notch->position->setTypeY(QCPItemPosition::ptAxisRectRatio);
    notch->position->setCoords(0, 1);
    notch->setPositionAlignment(Qt::AlignHCenter | Qt::AlignBottom);
    notch->setText("\u25b4");
    notch->setFont(render::text_font(12));
    notch->setColor(theme().ink);
    notch->setObjectName("trigger");
    items_ << notch;
    for (const auto& drawn : drawn_) {
      if (!trigger->level || drawn.curve.trace->name != trigger->quantity) continue;
      auto* tick = new QCPItemText(this);
      auto* panel = panels_[drawn.panel];
      tick->setClipToAxisRect(false);
      tick->position->setAxisRect(panel);
      tick->position->setAxes(panel->axis(QCPAxis::atBottom), drawn.upright);
      tick->position->setTypeX(QCPItemPosition::ptAxisRectRatio);
      tick->position->setCoords(0, *trigger->level);
      tick->setPositionAlignment(Qt::AlignLeft | Qt::AlignVCenter);
      tick->setText("\u25b8");
      tick->setFont(render::text_font(12));
      tick->setColor(theme().ink);
      items_ << tick;
      break;
    }
  }
  filled_ = QCPRange(1, 0);
  if (another || framed_) {
    panels_.first()->axis(QCPAxis::atBottom)->setRange(whole_);
    frame();
    framed_ = true;
  }
  draw_overview();
}

/// The upright axes around all that is in the record.
void RecordPlot::frame() {
  framed_height_ = panels_.first()->height();
  framed_to_.clear();
  const auto count = uprights_.size();
  for (qsizetype k = 0; k < count; ++k) {
    auto* axis = uprights_[k];
    std::optional<QCPRange> found;
    std::string unit = "1";
    QStringList inside;
    for (const auto& drawn : drawn_) {
      if (drawn.upright != axis) continue;
      const auto& t = *drawn.curve.trace;
      unit = t.unit;
      if (!inside.contains(text(t.name))) inside << text(t.name);
      const auto seen = t.envelope(0, t.size(), 1);
      if (!seen || seen->empty()) continue;
      const QCPRange own(seen->front().low, seen->front().high);
      found = found ? found->expanded(own) : own;
    }
    auto range = found.value_or(QCPRange(0, 1));
    if (!(range.size() > 0)) {
      const double about = range.center() == 0 ? 1 : std::abs(range.center());
      range = QCPRange(range.center() - about / 2, range.center() + about / 2);
    }
    // Room above for the names, in a low panel too.
    const auto places = how_ == Panels::apart ? double(count) : 1.0;
    const auto names = how_ == Panels::over ? double(count) : double(inside.size());
    const double room = 0.06 * range.size(), height = std::max(kLeastHeight, double(axis->axisRect()->height()) / places);
    const double above = std::max(2.2 * room, 1.06 * range.size() * kNameHeight * names / height);
    const double low = range.lower - room, high = range.upper + above, own = high - low;
    axis->setRange(how_ == Panels::apart ? QCPRange(low - own * double(count - 1 - k), high + own * double(k)) : QCPRange(low, high));
    framed_to_ << axis->range();
    render::measure_axis(axis, inside.join(" and "), unit);
  }
}

void RecordPlot::show_all() {
  panels_.first()->axis(QCPAxis::atBottom)->setRange(whole_);
  frame();
  framed_ = true;
  replot(rpQueuedReplot);
}

/// Only what the pixels can show, and only when the view has changed.
void RecordPlot::fill() {
  const auto now = span();
  const int columns = std::max(1, panels_.first()->width());
  window_->topLeft->setCoords(now.lower, 0);
  window_->bottomRight->setCoords(now.upper, 1);
  window_->setVisible(now.size() < 0.999 * whole_.size());
  framed_ = framed_ && !window_->visible();
  // The room for names was reckoned before anything was laid out, and nobody has chosen another since.
  const auto untouched = [&] {
    for (qsizetype k = 0; k < uprights_.size(); ++k)
      if (uprights_[k]->range() != framed_to_.value(k)) return false;
    return true;
  };
  if (framed_ && framed_height_ < kLeastHeight && panels_.first()->height() >= kLeastHeight && untouched()) {
    frame();
    replot(rpQueuedReplot);
  }
  if (now == filled_ && columns == filled_width_) return;
  filled_ = now;
  filled_width_ = columns;
  for (auto& drawn : drawn_) fill_one(drawn, now, columns);
}

void RecordPlot::fill_one(Drawn& drawn, const QCPRange& now, int columns) {
  const auto& t = *drawn.curve.trace;
  const auto n = t.size();
  for (auto* graph : {drawn.line, drawn.low, drawn.high, drawn.dots}) graph->data()->clear();
  if (n == 0) return;
  const auto clamped = [&](double place) { return std::size_t(std::clamp(place, 0.0, double(n - 1))); };
  const auto first = clamped(std::floor(t.time.place_of(now.lower, n))), last = clamped(std::ceil(t.time.place_of(now.upper, n))) + 1;
  const bool shading = last - first > 2 * std::size_t(columns);
  drawn.line->setVisible(!shading);
  drawn.low->setVisible(shading);
  drawn.high->setVisible(shading);
  if (shading) {
    const auto ranges = t.envelope(first, last, std::size_t(columns));
    if (!ranges) return;
    QVector<QCPGraphData> low, high;
    low.reserve(qsizetype(ranges->size()));
    high.reserve(qsizetype(ranges->size()));
    for (std::size_t k = 0; k < ranges->size(); ++k) {
      const double at = t.time.at_place(double(first) + (double(k) + 0.5) * double(last - first) / double(ranges->size()));
      low.append({at, (*ranges)[k].low});
      high.append({at, (*ranges)[k].high});
    }
    drawn.low->data()->set(low, true);
    drawn.high->data()->set(high, true);
    return;
  }
  std::vector<double> values(last - first);
  if (!t.read(first, values)) return;
  QVector<QCPGraphData> samples;
  samples.reserve(qsizetype(values.size()));
  for (std::size_t k = 0; k < values.size(); ++k) samples.append({t.time.at(first + k), values[k]});
  const bool dots = double(columns) / double(values.size()) > kDots && !drawn.curve.wake && !drawn.curve.dotted;
  const bool rounded = dots && between_ == Between::band_limited && t.time.even();
  if (rounded) {
    drawn.dots->data()->set(samples, true);
    drawn.dots->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, drawn.line->pen().color(), drawn.line->pen().color(), 3.6));
    // What is beside the part in view takes part in it.
    const auto from = first > signal::kBandLimitedReach ? first - signal::kBandLimitedReach : 0,
               to = std::min(n, last + signal::kBandLimitedReach);
    std::vector<double> around(to - from), places;
    if (!t.read(from, around)) return;
    const double step = double(last - 1 - first) / double(std::max(1, columns));
    for (int k = 0; k <= columns; ++k) places.push_back(double(first - from) + step * k);
    const auto line = signal::band_limited(around, places);
    QVector<QCPGraphData> shape;
    for (std::size_t k = 0; k < line.size(); ++k) shape.append({t.time.at_place(double(from) + places[k]), line[k]});
    drawn.line->data()->set(shape, true);
  } else {
    drawn.line->data()->set(samples, true);
  }
  drawn.line->setScatterStyle(dots && !rounded ? QCPScatterStyle(QCPScatterStyle::ssDisc, drawn.line->pen().color(), drawn.line->pen().color(), 3.6)
                                   : QCPScatterStyle());
}

/// The whole record in little, each quantity over the strip's full height.
void RecordPlot::draw_overview() {
  for (auto* graph : overview_graphs_) removeGraph(graph);
  overview_graphs_.clear();
  auto *x = overview_->axis(QCPAxis::atBottom), *y = overview_->axis(QCPAxis::atLeft);
  x->setRange(whole_);
  y->setRange(-0.08, 1.08);
  constexpr std::size_t kColumns = 600;
  // Of passes that are seen together, all are pale.
  const bool all_pale = std::none_of(drawn_.begin(), drawn_.end(), [](const Drawn& d) { return !d.curve.pale && !d.curve.wake && !d.curve.dotted; });
  for (const auto& drawn : drawn_) {
    if ((drawn.curve.pale && !all_pale) || drawn.curve.wake || drawn.curve.dotted) continue;
    const auto& t = *drawn.curve.trace;
    const auto all = t.envelope(0, t.size(), 1), ranges = t.envelope(0, t.size(), kColumns);
    if (!all || !ranges || all->empty()) continue;
    const double low = all->front().low, height = std::max(1e-300, all->front().high - low);
    QVector<QCPGraphData> shape;
    for (std::size_t k = 0; k < ranges->size(); ++k) {
      const double at = t.time.at_place((double(k) + 0.5) * double(t.size()) / double(ranges->size()));
      shape.append({at, ((*ranges)[k].low - low) / height});
      if ((*ranges)[k].high > (*ranges)[k].low) shape.append({at, ((*ranges)[k].high - low) / height});
    }
    auto* graph = addGraph(x, y);
    graph->data()->set(shape, true);
    QColor ink = drawn.curve.colour;
    ink.setAlpha(150);
    graph->setPen(QPen(ink, 1));
    overview_graphs_ << graph;
  }
}

void RecordPlot::show_marks(const std::vector<double>& times, const std::string& on, const QString& label) {
  for (auto* item : marks_) removeItem(item);
  marks_.clear();
  bool named = false;
  for (const double time : times)
    for (qsizetype k = 0; k < panels_.size(); ++k)
      for (const auto& drawn : drawn_) {
        if (drawn.panel != k || drawn.curve.wake || drawn.curve.pale || drawn.curve.dotted) continue;
        if (!on.empty() && drawn.curve.trace->name != on) continue;
        const auto value = study::value_at(*drawn.curve.trace, time);
        if (!value || !*value) continue;
        auto* rect = panels_[k];
        const auto place = [&](QCPItemPosition* position) {
          position->setAxisRect(rect);
          position->setAxes(rect->axis(QCPAxis::atBottom), drawn.upright);
          position->setCoords(time, **value);
        };
        auto* ring = new QCPItemTracer(this);
        ring->setClipAxisRect(rect);
        ring->setStyle(QCPItemTracer::tsCircle);
        ring->setSize(11);
        ring->setPen(QPen(theme().heron, 2));
        ring->setBrush(Qt::NoBrush);
        place(ring->position);
        ring->setLayer("cursors");
        marks_ << ring;
        if (!named && !label.isEmpty()) {
          auto* words = new QCPItemText(this);
          words->setClipAxisRect(rect);
          place(words->position);
          // Towards the middle from the ends, so that it is never cut off.
          const double share = (time - whole().lower) / whole().size();
          const bool low = **value < drawn.upright->range().center();
          words->setPositionAlignment((share > 0.9 ? Qt::AlignRight : share < 0.1 ? Qt::AlignLeft : Qt::AlignHCenter) | (low ? Qt::AlignBottom : Qt::AlignTop));
          words->setPadding(QMargins(6, low ? 2 : 10, 6, low ? 10 : 2));
          words->setText(label);
          words->setFont(render::text_font(11, QFont::DemiBold));
          words->setColor(theme().heron);
          words->setLayer("cursors");
          marks_ << words;
          named = true;
        }
        break;
      }
}

/// The window follows the mouse; a press beside it brings it there.
void RecordPlot::drag_window(const QPointF& at) {
  const double time = overview_->axis(QCPAxis::atBottom)->pixelToCoord(at.x());
  const auto now = span();
  const double half = now.size() / 2;
  double centre = time - *held_;
  if (now.size() < whole_.size()) centre = std::clamp(centre, whole_.lower + half, whole_.upper - half);
  set_span(QCPRange(centre - half, centre + half));
}

void RecordPlot::mousePressEvent(QMouseEvent* event) {
  if (event->button() == Qt::LeftButton && overview_->rect().contains(event->pos())) {
    const double time = overview_->axis(QCPAxis::atBottom)->pixelToCoord(event->position().x());
    const auto now = span();
    held_ = now.contains(time) ? time - now.center() : 0;
    drag_window(event->position());
    return;
  }
  QCustomPlot::mousePressEvent(event);
}

void RecordPlot::mouseMoveEvent(QMouseEvent* event) {
  if (held_) return drag_window(event->position());
  QCustomPlot::mouseMoveEvent(event);
}

void RecordPlot::mouseReleaseEvent(QMouseEvent* event) {
  if (held_) {
    held_.reset();
    return;
  }
  QCustomPlot::mouseReleaseEvent(event);
}

}  // namespace heron::app
