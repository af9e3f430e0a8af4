#include "recovery_lens.h"

#include <cmath>

#include "app/text.h"
#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;
namespace switching = study::switching;
using switching::Key;

RecoveryLens::RecoveryLens(Desk* desk, QWidget* parent) : ShotLens(desk, parent, "recovery", "Current over the load current at turn-on") {
  looking_ = new PlotView(plot_, [this] { frame(); plot_->replot(QCustomPlot::rpQueuedReplot); }, PlotView::Wheel::along);
  add_record_word();
  bar_->refresh();
}

QString RecoveryLens::lacks(const switching::ReadShot& shot) const {
  if (!shot.on) return "There is no turn-on: " + text(shot.shot->on.error()) + ".";
  const auto& f = shot.on->get(Key::recovery_current);
  return f.value || shot.on->get(Key::energy_recovery).value ? QString() : "No recovery: " + text(f.value.error()) + ".";
}

void RecoveryLens::clear() {
  for (auto* graph : graphs_) plot_->removeGraph(graph);
  for (auto* item : items_) plot_->removeItem(item);
  graphs_.clear();
  items_.clear();
  cards_.clear();
  emit cards_changed();
}

void RecoveryLens::draw() {
  clear();
  const auto& edge = *record_->on;
  const auto core = switching::core_of(*record_->shot, edge.event, settings_.windows());
  if (!core) return say(text(core.error().message));
  const auto& charge = edge.get(Key::recovery_charge);
  const auto& peak = edge.get(Key::recovery_current);
  const auto load = [&](double t) { return edge.event.load.value + edge.event.load_climbed(t); };
  const auto add = [&](const std::vector<double>& t, const std::vector<double>& y, const QPen& pen) {
    auto* graph = plot_->addGraph();
    graph->setPen(pen);
    graph->setData(QVector<double>(t.begin(), t.end()), QVector<double>(y.begin(), y.end()), true);
    graphs_ << graph;
    return graph;
  };
  const auto word = [&](double t, double y, const QString& said, Qt::Alignment side) {
    auto* out = new QCPItemText(plot_);
    out->position->setCoords(t, y);
    out->setPositionAlignment(side);
    out->setPadding(QMargins(8, 4, 8, 4));
    out->setFont(render::text_font(12, QFont::Medium));
    out->setColor(theme().ink);
    out->setText(said);
    items_ << out;
  };
  // Each of the others where its own turn-on begins as this one's does.
  for (const auto& other : beside_) {
    if (!other.item->on) continue;
    const auto its = switching::core_of(*other.item->shot, other.item->on->event, other.settings.windows());
    const auto here = span_of(edge), there = span_of(*other.item->on);
    if (!its || !here || !there) continue;
    auto t = its->i.t;
    for (auto& one : t) one += here->lower - there->lower;
    add(t, its->i.y, other.pen());
  }
  add(core->i.t, core->i.y, QPen(ink_, 1.6));
  if (charge.value) {
    std::vector<double> t, y, base;
    t.push_back(charge.from);
    y.push_back(core->i.at(charge.from));
    for (std::size_t k = 0; k < core->i.t.size(); ++k)
      if (core->i.t[k] > charge.from && core->i.t[k] < charge.to) {
        t.push_back(core->i.t[k]);
        y.push_back(core->i.y[k]);
      }
    t.push_back(charge.to);
    y.push_back(core->i.at(charge.to));
    for (const double at : t) base.push_back(load(at));
    auto* under = add(t, base, Qt::NoPen);
    auto* over = add(t, y, Qt::NoPen);
    auto fill = ink_;
    fill.setAlpha(50);
    over->setBrush(fill);
    over->setChannelFillGraph(under);
    word(charge.to, load(charge.to), text(format_with_uncertainty(*charge.value, charge.u() > 0 ? std::optional(charge.u()) : std::nullopt, "C").plain()), Qt::AlignLeft | Qt::AlignBottom);
    cards_ << value_card("Recovery charge", *charge.value, "C", 3, "over the load current, down to a tenth of the peak");
  }
  if (peak.value) {
    auto* ring = new QCPItemTracer(plot_);
    ring->position->setCoords(peak.from, load(peak.from) + *peak.value);
    ring->setStyle(QCPItemTracer::tsCircle);
    ring->setSize(9);
    ring->setPen(QPen(theme().ink, 1.6));
    ring->setBrush(Qt::NoBrush);
    items_ << ring;
    word(peak.from, load(peak.from) + *peak.value, text(format_quantity(*peak.value, "A", 3).plain()) + " over the load", Qt::AlignLeft | Qt::AlignVCenter);
    cards_ << value_card("Recovery current", *peak.value, "A", 3, "over the load current");
  }
  add({core->from, core->to}, {load(core->from), load(core->to)}, QPen(theme().slate, 1, Qt::DashLine));
  if (core->i_f) add(core->i_f->t, core->i_f->y, QPen(render::paled(ink_, 0.45), 1.6));
  from_ = core->from;
  to_ = core->to;
  if (charge.value) {
    const double room = charge.to - charge.from;
    from_ = std::max(from_, charge.from - 1.5 * room);
    to_ = std::min(to_, charge.to + 3 * room);
  }
  render::measure_axis(plot_->xAxis, "Time", "s");
  render::measure_axis(plot_->yAxis, core->i_f ? "i_d, and i_f paler" : "i_d", "A");
  emit cards_changed();
  drawn(true);
}

void RecoveryLens::frame() {
  plot_->xAxis->setRange(from_, to_);
  QCPRange y;
  bool any = false;
  for (auto* graph : graphs_) {
    bool found = false;
    const auto range = graph->getValueRange(found, QCP::sdBoth, plot_->xAxis->range());
    if (!found) continue;
    y = any ? y.expanded(range) : range;
    any = true;
  }
  if (any) plot_->yAxis->setRange(y.lower - 0.08 * y.size(), y.upper + 0.12 * y.size());
}

}  // namespace heron::app
