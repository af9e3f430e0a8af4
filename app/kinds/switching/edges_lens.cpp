#include "edges_lens.h"

#include <QMouseEvent>
#include <cmath>

#include "app/text.h"
#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;
namespace switching = study::switching;
using switching::Key;

namespace {
constexpr double kGrip = 7;  ///< pixels from a window's end that still hold it

/// Standard windows, each named with its per cents: of the current and the voltage where turn-on begins and ends, and of
/// the voltage and the current where turn-off does.
struct Standard {
  const char* name;
  switching::Windows windows;
};
constexpr Standard kStandards[] = {{"10 % to 10 %", {0.1, 0.1, 0.1, 0.1}}, {"10 % to 2 %", {0.1, 0.02, 0.1, 0.02}}, {"5 % to 5 %", {0.05, 0.05, 0.05, 0.05}}, {"2 % to 2 %", {0.02, 0.02, 0.02, 0.02}}};

/// Short enough for half a page.
QString in_lines(const QString& said) {
  constexpr qsizetype kMost = 44;
  QString out;
  qsizetype length = 0;
  for (const auto& word : said.split(' ')) {
    if (length > 0) out += length + word.size() > kMost ? '\n' : ' ';
    length = out.endsWith('\n') || out.isEmpty() ? word.size() : length + 1 + word.size();
    out += word;
  }
  return out;
}

std::string percent(double share) { return fmt::format("{:.3g} %", 100 * share); }
}  // namespace

EdgesLens::EdgesLens(Desk* desk, QWidget* parent) : ShotLens(desk, parent, "edges", "Turn-off and turn-on") {
  plot_->plotLayout()->clear();
  QList<QCPAxisRect*> all;
  for (const bool on : {false, true}) {
    auto* margins = new QCPMarginGroup(plot_);
    for (int row = 0; row < kRows; ++row) {
      auto* rect = new QCPAxisRect(plot_);
      render::style_axes(*rect);
      for (auto* axis : rect->axes()) {
        axis->setLayer("axes");
        axis->grid()->setLayer("grid");
      }
      if (row != gate) {
        rect->axis(QCPAxis::atRight)->setVisible(true);
        rect->axis(QCPAxis::atRight)->setTickLabels(true);
        render::style_axis(*rect->axis(QCPAxis::atRight));
      }
      rect->axis(QCPAxis::atBottom)->setTickLabels(row == kRows - 1);
      rect->setMarginGroup(QCP::msLeft | QCP::msRight, margins);
      rect->setAutoMargins(QCP::msLeft | QCP::msRight | (row == kRows - 1 ? QCP::msBottom : QCP::msNone));
      rect->setMargins(QMargins(0, row == 0 ? 22 : 9, 0, 0));
      rect->setRangeZoom(Qt::Horizontal);
      plot_->plotLayout()->addElement(row, on ? 1 : 0, rect);
      side(on).rects[std::size_t(row)] = rect;
      all << rect;
      if (row > 0) {
        auto* above = side(on).rects[0]->axis(QCPAxis::atBottom);
        auto* here = rect->axis(QCPAxis::atBottom);
        connect(above, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), here, qOverload<const QCPRange&>(&QCPAxis::setRange));
        connect(here, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), above, qOverload<const QCPRange&>(&QCPAxis::setRange));
      }
    }
  }
  plot_->plotLayout()->setRowStretchFactor(0, 1.7);
  plot_->plotLayout()->setRowStretchFactor(1, 0.8);
  plot_->plotLayout()->setRowStretchFactor(2, 1.2);
  plot_->setMouseTracking(true);
  looking_ = new PlotView(plot_, [this] { frame(); plot_->replot(QCustomPlot::rpQueuedReplot); }, PlotView::Wheel::along, all);
  // After the view, so that it is asked first.
  plot_->installEventFilter(this);
  bar_->add_menu(
      "Windows", "Per cents of current and voltage at which the integrals begin and end; their ends can be dragged in the plot too",
      [this] {
        const auto now = settings_.windows();
        for (const auto& s : kStandards)
          if (s.windows == now) return QString("windows ") + s.name;
        return QString("windows on %1 to %2, off %3 to %4").arg(text(percent(now.on_start)), text(percent(now.on_end)), text(percent(now.off_start)), text(percent(now.off_end)));
      },
      [this] {
        QList<LookBar::MenuLine> out;
        for (const auto& s : kStandards)
          out << LookBar::MenuLine{s.name, [this, w = s.windows] {
                                     set_of_study(desk_, {{"on.start", percent(w.on_start)}, {"on.end", percent(w.on_end)}, {"off.start", percent(w.off_start)}, {"off.end", percent(w.off_end)}});
                                   }};
        return out;
      });
  add_record_word();
  bar_->refresh();
}

QString EdgesLens::lacks(const switching::ReadShot& shot) const {
  if (shot.on || shot.off) return {};
  return "Nothing switches: " + text(shot.shot->off.error()) + ".";
}

void EdgesLens::clear() {
  for (auto* graph : graphs_) plot_->removeGraph(graph);
  for (auto* item : rings_) plot_->removeItem(item);
  for (auto* item : words_) plot_->removeItem(item);
  for (auto& s : sides_) {
    for (auto& shade : s.shades) {
      if (shade) plot_->removeItem(shade);
      shade = nullptr;
    }
    if (s.written) plot_->removeItem(s.written);
    s.written = nullptr;
    s.core.reset();
    s.window.reset();
  }
  graphs_.clear();
  rings_.clear();
  words_.clear();
  cards_.clear();
  held_.reset();
  emit cards_changed();
}

QCPGraph* EdgesLens::line(QCPAxis* x, QCPAxis* y, const std::vector<double>& t, const std::vector<double>& values, const QColor& ink, const QString& name) {
  auto* graph = plot_->addGraph(x, y);
  graph->setPen(QPen(ink, 1.5));
  graph->setData(QVector<double>(t.begin(), t.end()), QVector<double>(values.begin(), values.end()), true);
  graph->setAdaptiveSampling(true);
  graph->setName(name);
  graphs_ << graph;
  return graph;
}

void EdgesLens::ring(QCPAxisRect* rect, QCPAxis* y, double time, double value) {
  auto* out = new QCPItemTracer(plot_);
  out->position->setAxes(rect->axis(QCPAxis::atBottom), y);
  out->position->setAxisRect(rect);
  out->position->setCoords(time, value);
  out->setStyle(QCPItemTracer::tsCircle);
  out->setSize(7);
  out->setPen(QPen(theme().ink, 1.4));
  out->setBrush(Qt::NoBrush);
  out->setClipAxisRect(rect);
  rings_ << out;
}

void EdgesLens::draw() {
  clear();
  for (const bool on : {false, true}) draw_side(on);
  tell();
  drawn(true);
  for (const bool on : {false, true})
    for (auto* rect : side(on).rects) rect->setVisible(edge(on).has_value());
  for (auto* rect : {side(false).rects[gate], side(true).rects[gate]}) rect->setVisible(rect->visible() && record_->shot->find(switching::Role::v_gs));
}

void EdgesLens::draw_side(bool on) {
  auto& s = side(on);
  const auto& e = edge(on);
  const auto write = [&](const QString& said, QFont::Weight weight, const QColor& ink, double down, Qt::Alignment to) {
    auto* word = new QCPItemText(plot_);
    word->position->setType(QCPItemPosition::ptAxisRectRatio);
    word->position->setAxisRect(s.rects[0]);
    word->position->setCoords(0, down);
    word->setPositionAlignment(Qt::AlignLeft | to);
    word->setTextAlignment(Qt::AlignLeft);
    word->setFont(render::text_font(12.5, weight));
    word->setColor(ink);
    word->setText(said);
    render::set_free(*word);
    words_ << word;
  };
  write(on ? "Turn-on" : "Turn-off", QFont::DemiBold, theme().ink, -0.02, Qt::AlignBottom);
  if (!e) return write(in_lines(text((on ? record_->shot->on : record_->shot->off).error())), QFont::Normal, theme().slate, 0.04, Qt::AlignTop);
  auto core = switching::core_of(*record_->shot, e->event, settings_.windows());
  if (!core) return;
  s.core = std::move(*core);
  s.window = e->window;
  const auto& c = *s.core;
  draw_beside(on);
  const auto pale = render::paled(ink_, 0.45);
  auto* x = s.rects[volts_amps]->axis(QCPAxis::atBottom);
  line(x, s.rects[volts_amps]->axis(QCPAxis::atLeft), c.v.t, c.v.y, ink_, "v_ds");
  line(x, s.rects[volts_amps]->axis(QCPAxis::atRight), c.i.t, c.i.y, pale, "i_d");
  if (c.g) line(s.rects[gate]->axis(QCPAxis::atBottom), s.rects[gate]->axis(QCPAxis::atLeft), c.g->t, c.g->y, ink_, "v_gs");
  std::vector<double> power, energy;
  double sum = 0;
  for (std::size_t k = 0; k < c.v.t.size(); ++k) {
    power.push_back(c.v.y[k] * c.i.at(c.v.t[k]));
    if (k > 0 && e->window && c.v.t[k] > e->window->first && c.v.t[k - 1] < e->window->second)
      sum += switching::energy_between(c.v, c.i, std::max(c.v.t[k - 1], e->window->first), std::min(c.v.t[k], e->window->second));
    energy.push_back(sum);
  }
  auto* below = s.rects[power_energy]->axis(QCPAxis::atBottom);
  line(below, s.rects[power_energy]->axis(QCPAxis::atLeft), c.v.t, power, ink_, "power");
  if (e->window) line(below, s.rects[power_energy]->axis(QCPAxis::atRight), c.v.t, energy, pale, "energy");
  for (const auto key : {Key::rise_time, Key::fall_time, Key::peak_current})
    if (const auto& f = e->get(key); f.value)
      for (const double t : {f.from, f.to}) ring(s.rects[volts_amps], s.rects[volts_amps]->axis(QCPAxis::atRight), t, key == Key::peak_current ? *f.value : c.i.at(t));
  for (const auto key : {Key::dv_dt_on, Key::dv_dt_off, Key::peak_voltage})
    if (const auto& f = e->get(key); f.value)
      for (const double t : {f.from, f.to}) ring(s.rects[volts_amps], s.rects[volts_amps]->axis(QCPAxis::atLeft), t, key == Key::peak_voltage ? *f.value : c.v.at(t));
  if (c.g)
    for (const auto key : {Key::delay_on, Key::delay_off})
      if (const auto& f = e->get(key); f.value) ring(s.rects[gate], s.rects[gate]->axis(QCPAxis::atLeft), f.from, c.g->at(f.from));
  shade(on);
  render::measure_axis(s.rects[volts_amps]->axis(QCPAxis::atLeft), "v_ds", "V");
  render::measure_axis(s.rects[volts_amps]->axis(QCPAxis::atRight), "i_d, paler", "A");
  render::measure_axis(s.rects[gate]->axis(QCPAxis::atLeft), "v_gs", "V");
  render::measure_axis(s.rects[power_energy]->axis(QCPAxis::atLeft), "Power", "W");
  render::measure_axis(s.rects[power_energy]->axis(QCPAxis::atRight), "Energy, paler", "J");
  render::measure_axis(s.rects[power_energy]->axis(QCPAxis::atBottom), "Time", "s");
}

/// The same edge of other takes, each where its own event begins as this one's does.
void EdgesLens::draw_beside(bool on) {
  auto& s = side(on);
  const auto here = span_of(*edge(on));
  for (const auto& other : beside_) {
    const auto& its = on ? other.item->on : other.item->off;
    if (!its) continue;
    const auto core = switching::core_of(*other.item->shot, its->event, other.settings.windows());
    const auto there = span_of(*its);
    if (!core || !here || !there) continue;
    const double by = here->lower - there->lower;
    const auto draw_one = [&](int row, QCPAxis::AxisType axis, const std::vector<double>& t, const std::vector<double>& y, const char* name) {
      std::vector<double> moved(t);
      for (auto& one : moved) one += by;
      auto* graph = line(s.rects[std::size_t(row)]->axis(QCPAxis::atBottom), s.rects[std::size_t(row)]->axis(axis), moved, y, other.ink, QString("another's ") + name);
      auto pen = other.pen();
      if (axis == QCPAxis::atRight && !other.wake) pen.setColor(render::paled(other.ink, 0.45));
      graph->setPen(pen);
      graph->setLayer("grid");
    };
    draw_one(volts_amps, QCPAxis::atLeft, core->v.t, core->v.y, "v_ds");
    draw_one(volts_amps, QCPAxis::atRight, core->i.t, core->i.y, "i_d");
    if (core->g) draw_one(gate, QCPAxis::atLeft, core->g->t, core->g->y, "v_gs");
    std::vector<double> power;
    for (std::size_t k = 0; k < core->v.t.size(); ++k) power.push_back(core->v.y[k] * core->i.at(core->v.t[k]));
    draw_one(power_energy, QCPAxis::atLeft, core->v.t, power, "power");
  }
}

/// The window of the integral, in every panel of its side.
void EdgesLens::shade(bool on) {
  auto& s = side(on);
  if (!s.window) return;
  for (int row = 0; row < kRows; ++row) {
    auto& item = s.shades[std::size_t(row)];
    auto* rect = s.rects[std::size_t(row)];
    if (!item) {
      item = new QCPItemRect(plot_);
      item->setLayer("grid");
      QColor fill = theme().silt;
      fill.setAlpha(150);
      item->setBrush(fill);
      item->setPen(QPen(theme().slate, 1));
      item->setClipAxisRect(rect);
      for (auto* corner : {item->topLeft, item->bottomRight}) {
        corner->setAxes(rect->axis(QCPAxis::atBottom), rect->axis(QCPAxis::atLeft));
        corner->setAxisRect(rect);
        corner->setTypeY(QCPItemPosition::ptAxisRectRatio);
      }
    }
    item->topLeft->setCoords(s.window->first, 0);
    item->bottomRight->setCoords(s.window->second, 1);
  }
  if (!s.written) {
    auto* rect = s.rects[gate];
    s.written = new QCPItemText(plot_);
    s.written->position->setAxes(rect->axis(QCPAxis::atBottom), rect->axis(QCPAxis::atLeft));
    s.written->position->setAxisRect(rect);
    s.written->position->setTypeY(QCPItemPosition::ptAxisRectRatio);
    s.written->setPositionAlignment(Qt::AlignHCenter | Qt::AlignVCenter);
    s.written->setFont(render::number_font(12, true));
    s.written->setColor(theme().ink);
    // The gate's curve may run under it.
    QColor ground = theme().sheet;
    ground.setAlpha(200);
    s.written->setBrush(ground);
    render::set_free(*s.written);
  }
  s.written->position->setCoords((s.window->first + s.window->second) / 2, 0.84);
  const auto& c = *s.core;
  s.written->setText(text(format_quantity(switching::energy_between(c.v, c.i, s.window->first, s.window->second), "J", 4).plain()));
}

void EdgesLens::frame() {
  for (const bool on : {false, true}) {
    auto& s = side(on);
    if (!s.core || !record_ || !edge(on)) continue;
    auto span = span_of(*edge(on)).value_or(QCPRange());
    if (!(span.size() > 0)) span = QCPRange(s.core->from, s.core->to);
    s.rects[0]->axis(QCPAxis::atBottom)->setRange(std::max(s.core->from, span.lower - 0.35 * span.size()), std::min(s.core->to, span.upper + 0.9 * span.size()));
    for (auto* graph : graphs_) {
      if (graph->keyAxis()->axisRect() != s.rects[volts_amps] && graph->keyAxis()->axisRect() != s.rects[gate] && graph->keyAxis()->axisRect() != s.rects[power_energy]) continue;
      bool found = false;
      auto y = graph->getValueRange(found, QCP::sdBoth, s.rects[0]->axis(QCPAxis::atBottom)->range());
      if (!found) continue;
      const double more = std::max(0.08 * y.size(), 1e-12);
      graph->valueAxis()->setRange(y.lower - more, y.upper + more);
    }
  }
  level_energies();
}

/// Both energies on one scale.
void EdgesLens::level_energies() {
  QCPRange both;
  bool any = false;
  for (const auto& s : sides_) {
    if (!s.core || !s.window) continue;
    const auto range = s.rects[power_energy]->axis(QCPAxis::atRight)->range();
    both = any ? both.expanded(range) : range;
    any = true;
  }
  if (!any) return;
  for (const auto& s : sides_) s.rects[power_energy]->axis(QCPAxis::atRight)->setRange(both);
}

std::optional<QPointF> EdgesLens::window_end(bool on, bool last) const {
  const auto& s = side(on);
  if (!s.window) return std::nullopt;
  const auto* rect = s.rects[volts_amps];
  return QPointF(rect->axis(QCPAxis::atBottom)->coordToPixel(last ? s.window->second : s.window->first), rect->center().y());
}

std::optional<EdgesLens::Held> EdgesLens::window_end_near(const QPointF& at) const {
  for (const bool on : {false, true}) {
    const auto& s = side(on);
    if (!s.window || std::none_of(s.rects.begin(), s.rects.end(), [&](const QCPAxisRect* r) { return r->rect().contains(at.toPoint()); })) continue;
    for (const bool last : {true, false})
      if (const auto end = window_end(on, last); end && std::abs(end->x() - at.x()) < kGrip) return Held{on, last};
  }
  return std::nullopt;
}

std::optional<double> EdgesLens::share_at(const Held& end, double time) const {
  const auto& s = side(end.on);
  if (!s.core || !edge(end.on)) return std::nullopt;
  const auto& event = edge(end.on)->event;
  // Turn-on begins by the current and ends by the voltage; turn-off the other way round.
  const bool by_current = end.on != end.last;
  const double share = by_current ? s.core->i.at(time) / event.load.value : s.core->v.at(time) / event.bus.value;
  return share > 0.001 && share < 0.98 ? std::optional(std::round(share * 1000) / 1000) : std::nullopt;
}

/// What the figures would be, at once; the setting changes when it is let go.
void EdgesLens::drag(const QPointF& at) {
  const double time = side(held_->on).rects[0]->axis(QCPAxis::atBottom)->pixelToCoord(at.x());
  const auto share = share_at(*held_, time);
  if (!share) return;
  auto windows = settings_.windows();
  (held_->on ? (held_->last ? windows.on_end : windows.on_start) : (held_->last ? windows.off_end : windows.off_start)) = *share;
  auto& s = side(held_->on);
  const auto moved = switching::edge_of(*s.core, edge(held_->on)->event, windows);
  if (!moved.window) return;
  dragged_ = *share;
  s.window = moved.window;
  shade(held_->on);
  tell();
  if (const auto& f = moved.get(held_->on ? Key::energy_on : Key::energy_off); f.value && s.card) {
    auto& card = cards_[*s.card];
    card = value_card(card.label, *f.value, "J", 4, QString("window %1 at %2").arg(held_->last ? "ends" : "begins", text(percent(*share))));
  }
  emit cards_changed();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

void EdgesLens::let_go() {
  const auto end = *held_;
  held_.reset();
  plot_->unsetCursor();
  if (!dragged_) return let_loose();
  const char* key = end.on ? (end.last ? "on.end" : "on.start") : (end.last ? "off.end" : "off.start");
  set_of_study(desk_, {{key, percent(*std::exchange(dragged_, std::nullopt))}});
  let_loose();
}

bool EdgesLens::eventFilter(QObject* watched, QEvent* event) {
  if (watched != plot_ || !record_) return ShotLens::eventFilter(watched, event);
  if (event->type() == QEvent::MouseButtonPress) {
    const auto& mouse = *static_cast<QMouseEvent*>(event);
    if (mouse.button() == Qt::LeftButton && (held_ = window_end_near(mouse.position()))) return true;
  } else if (event->type() == QEvent::MouseMove) {
    const auto at = static_cast<QMouseEvent*>(event)->position();
    if (held_) {
      drag(at);
      return true;
    }
    if (window_end_near(at)) plot_->setCursor(Qt::SizeHorCursor);
    else plot_->unsetCursor();
  } else if (event->type() == QEvent::MouseButtonRelease && held_) {
    let_go();
    return true;
  }
  return ShotLens::eventFilter(watched, event);
}

void EdgesLens::tell() {
  cards_.clear();
  for (const bool on : {false, true}) {
    side(on).card.reset();
    if (!edge(on)) continue;
    const auto& f = edge(on)->get(on ? Key::energy_on : Key::energy_off);
    const auto& e = edge(on)->event;
    if (!f.value) continue;
    side(on).card = cards_.size();
    cards_ << value_card(on ? "Turn-on energy" : "Turn-off energy", *f.value, "J", 4, QString("at %1, %2").arg(text(format_quantity(e.load.value, "A", 3).plain()), text(format_quantity(e.bus.value, "V", 3).plain())));
  }
  emit cards_changed();
}

}  // namespace heron::app
