#include "trajectory_lens.h"

#include <cmath>

#include "app/text.h"
#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;
namespace switching = study::switching;

TrajectoryLens::TrajectoryLens(Desk* desk, QWidget* parent) : ShotLens(desk, parent, "trajectory", "Current against voltage") {
  looking_ = new PlotView(plot_, [this] { frame(); plot_->replot(QCustomPlot::rpQueuedReplot); });
  add_record_word();
  bar_->refresh();
}

QString TrajectoryLens::lacks(const switching::ReadShot& shot) const {
  return shot.on || shot.off ? QString() : "Nothing switches: " + text(shot.shot->off.error()) + ".";
}

void TrajectoryLens::clear() {
  for (auto* curve : curves_) plot_->removePlottable(curve);
  for (auto* curve : hyperbolas_) plot_->removePlottable(curve);
  for (auto* item : items_) plot_->removeItem(item);
  for (auto* word : power_words_) plot_->removeItem(word);
  curves_.clear();
  hyperbolas_.clear();
  items_.clear();
  power_words_.clear();
}

std::pair<QVector<double>, QVector<double>> TrajectoryLens::add_way(const switching::ReadShot& shot, bool on, const switching::Settings& settings, const QPen& pen) {
  std::pair<QVector<double>, QVector<double>> out;
  const auto& edge = on ? shot.on : shot.off;
  if (!edge) return out;
  const auto core = switching::core_of(*shot.shot, edge->event, settings.windows());
  if (!core) return out;
  auto* curve = new QCPCurve(plot_->xAxis, plot_->yAxis);
  curve->setPen(pen);
  curves_ << curve;
  const auto span = span_of(*edge).value_or(QCPRange());
  QVector<double> order;
  auto& [v, i] = out;
  for (std::size_t k = 0; k < core->v.t.size(); ++k) {
    const double t = core->v.t[k];
    if (t < span.lower - 0.3 * span.size() || t > span.upper + 0.8 * span.size()) continue;
    order << double(k);
    v << core->v.y[k];
    i << core->i.at(t);
    highest_voltage_ = std::max(highest_voltage_, v.back());
    highest_current_ = std::max(highest_current_, i.back());
  }
  curve->setData(order, v, i, true);
  return out;
}

void TrajectoryLens::draw() {
  clear();
  highest_voltage_ = highest_current_ = 0;
  for (const auto& other : beside_)
    for (const bool on : {false, true}) {
      auto pen = other.pen();
      if (!on && !other.wake) pen.setColor(render::paled(other.ink, 0.45));
      add_way(*other.item, on, other.settings, pen);
    }
  for (const bool on : {false, true}) {
    const auto ink = on ? ink_ : render::paled(ink_, 0.45);
    const auto [v, i] = add_way(*record_, on, settings_, QPen(ink, 1.6));
    if (v.size() < 8) continue;
    // Which way it goes: an arrow where the power is highest, and the event's name beside it.
    qsizetype at = 2;
    for (qsizetype k = 2; k + 2 < v.size(); ++k)
      if (v[k] * i[k] > v[at] * i[at]) at = k;
    auto* arrow = new QCPItemLine(plot_);
    arrow->start->setCoords(v[at], i[at]);
    arrow->end->setCoords(v[at + 1], i[at + 1]);
    arrow->setPen(QPen(ink, 1.6));
    arrow->setHead(QCPLineEnding(QCPLineEnding::esSpikeArrow, 9, 12));
    items_ << arrow;
    auto* word = new QCPItemText(plot_);
    word->position->setCoords(v[at], i[at]);
    word->setPositionAlignment(on ? Qt::AlignLeft | Qt::AlignBottom : Qt::AlignRight | Qt::AlignTop);
    word->setPadding(QMargins(8, 6, 8, 6));
    word->setFont(render::text_font(12, QFont::Medium));
    word->setColor(on ? ink_ : render::paled(ink_, 0.2));
    word->setText(on ? "turn-on" : "turn-off");
    items_ << word;
  }
  draw_powers();
  constexpr double kFar = 1e6;
  if (settings_.current_rating) items_ << new render::ForbiddenGround(plot_, plot_->axisRect(), {{-kFar, *settings_.current_rating}, {kFar, *settings_.current_rating}}, true);
  if (settings_.voltage_rating) {
    // A wall: the ground right of it, as a line that climbs within nothing.
    const double v = *settings_.voltage_rating;
    items_ << new render::ForbiddenGround(plot_, plot_->axisRect(), {{v, -kFar}, {v * (1 + 1e-9), -kFar}, {kFar, -kFar}}, true);
  }
  render::measure_axis(plot_->xAxis, "v_ds", "V");
  render::measure_axis(plot_->yAxis, "i_d", "A");
  drawn(true);
}

/// Powers by ones, twos and fives, as far as the events reach; the rated one in ink.
void TrajectoryLens::draw_powers() {
  const double most = highest_voltage_ * highest_current_;
  if (!(most > 0)) return;
  std::vector<std::pair<double, bool>> powers;
  for (double p = render::round_step(most / 12); p < most && powers.size() < 4; p = render::round_step(1.5 * p)) powers.emplace_back(p, false);
  if (settings_.power_rating) powers.emplace_back(*settings_.power_rating, true);
  for (const auto& [p, rated] : powers) {
    auto* curve = new QCPCurve(plot_->xAxis, plot_->yAxis);
    curve->setPen(QPen(rated ? theme().ink : theme().line, rated ? 1.4 : 1, rated ? Qt::SolidLine : Qt::DashLine));
    QVector<double> order, v, i;
    for (int k = 0; k <= 120; ++k) {
      const double volts = highest_voltage_ * 1.4 * std::pow(0.01, 1 - k / 120.0);
      order << k;
      v << volts;
      i << p / volts;
    }
    curve->setData(order, v, i, true);
    hyperbolas_ << curve;
    auto* word = new QCPItemText(plot_);
    const double volts = highest_voltage_ * 1.12;
    word->position->setCoords(volts, p / volts);
    word->setPositionAlignment(Qt::AlignLeft | Qt::AlignBottom);
    word->setFont(render::number_font(11));
    word->setColor(theme().slate);
    word->setText(text(format_setting(p, "W")) + (rated ? ", rated" : ""));
    power_words_ << word;
  }
}

QStringList TrajectoryLens::powers() const {
  QStringList out;
  for (const auto* word : power_words_) out << word->text();
  return out;
}

void TrajectoryLens::frame() {
  const double v = std::max(highest_voltage_, settings_.voltage_rating && *settings_.voltage_rating < 2 * highest_voltage_ ? *settings_.voltage_rating : 0.0);
  const double i = std::max(highest_current_, settings_.current_rating && *settings_.current_rating < 2 * highest_current_ ? *settings_.current_rating : 0.0);
  plot_->xAxis->setRange(-0.05 * v, 1.25 * v);
  plot_->yAxis->setRange(-0.12 * i, 1.12 * i);
}

}  // namespace heron::app
