#include "profile_lens.h"

#include <cmath>
#include <numeric>

#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;
namespace power = study::power;

ProfileLens::ProfileLens(Desk* desk, QWidget* parent) : RecordTakeLens(desk, parent, "profile", "Current over decades") {
  plot_->plotLayout()->clear();
  over_time_ = new QCPAxisRect(plot_);
  shares_ = new QCPAxisRect(plot_);
  plot_->plotLayout()->addElement(0, 0, over_time_);
  plot_->plotLayout()->addElement(0, 1, shares_);
  plot_->plotLayout()->setColumnStretchFactor(0, 2.1);
  for (auto* rect : {over_time_, shares_}) {
    render::style_axes(*rect);
    for (auto* axis : rect->axes()) axis->setLayer("axes"), axis->grid()->setLayer("grid");
    rect->axis(QCPAxis::atLeft)->setScaleType(QCPAxis::stLogarithmic);
    rect->axis(QCPAxis::atLeft)->setTicker(QSharedPointer<QCPAxisTickerLog>::create());
  }
  charge_axis_ = over_time_->axis(QCPAxis::atRight);
  render::style_axis(*charge_axis_);
  charge_axis_->setVisible(false);
  share_ = new QCPCurve(shares_->axis(QCPAxis::atBottom), shares_->axis(QCPAxis::atLeft));
  // Both have the same currents at the same height.
  connect(over_time_->axis(QCPAxis::atLeft), qOverload<const QCPRange&>(&QCPAxis::rangeChanged), shares_->axis(QCPAxis::atLeft), qOverload<const QCPRange&>(&QCPAxis::setRange));
  looking_ = new PlotView(plot_, [this] { wake_ = -1; frame(); plot_->replot(QCustomPlot::rpQueuedReplot); bar_->refresh(); }, PlotView::Wheel::along, {over_time_});
  bar_->add(
      "Wake", "All of the record, or one wake enlarged; [ and ] step",
      [this] { return wakes_.empty() ? QString() : wake_ < 0 ? QString("all of it, %1 wakes").arg(wakes_.size()) : QString("wake %1 of %2").arg(wake_ + 1).arg(wakes_.size()); },
      [this] {
        wake_ = wake_ + 1 < int(wakes_.size()) ? wake_ + 1 : -1;
        frame();
        bar_->refresh();
        plot_->replot(QCustomPlot::rpQueuedReplot);
      });
  bar_->add("Charge", "The charge so far as a second curve, on an axis of its own", [this] { return record_ ? QString(shows_charge_ ? "with the charge so far" : "current alone") : QString(); },
            [this] {
              shows_charge_ = !shows_charge_;
              draw();
            });
  add_record_word();
  bar_->refresh();
}

ProfileLens::~ProfileLens() {
  others_.clear();
  current_.reset();
  smooth_.reset();
  charge_.reset();
}

bool ProfileLens::handle_key(int key) {
  if (!wakes_.empty() && (key == Qt::Key_BracketLeft || key == Qt::Key_BracketRight)) {
    const int count = int(wakes_.size());
    wake_ = key == Qt::Key_BracketRight ? (wake_ + 1 < count ? wake_ + 1 : -1) : wake_ < 0 ? count - 1 : wake_ - 1;
    frame();
    bar_->refresh();
    plot_->replot(QCustomPlot::rpQueuedReplot);
    return true;
  }
  return RecordTakeLens::handle_key(key);
}

QString ProfileLens::lacks(const power::PowerRecord& record) const {
  return record.profile ? QString() : QString("No profile was read. Choose \"a profile from sleep to burst\" in the brief, or set method = profile.");
}

void ProfileLens::clear() {
  if (current_) plot_->removeGraph(current_->graph());
  if (charge_) plot_->removeGraph(charge_->graph());
  if (smooth_) plot_->removeGraph(smooth_->graph());
  for (const auto& other : others_) plot_->removeGraph(other->graph());
  for (auto* curve : other_shares_) plot_->removePlottable(curve);
  others_.clear();
  other_shares_.clear();
  current_.reset();
  smooth_.reset();
  charge_.reset();
  share_->data()->clear();
  for (auto* item : items_) plot_->removeItem(item);
  for (auto* label : labels_) plot_->removeItem(label);
  items_.clear();
  labels_.clear();
}

namespace {

/// As states are told: over a part of the time that one lasts; nothing where it cannot be read.
struct Smoothed {
  std::vector<double> time, value;
};
Smoothed smoothed(const power::PowerRecord& record) {
  Smoothed out;
  const auto& placed = record.wiring.currents.front();
  const auto& trace = *record.record->traces[placed.trace];
  const auto together = std::max<std::size_t>(1, record.profile->together);
  std::vector<double> values(trace.size());
  if (!trace.read(0, values)) return out;
  for (std::size_t k = 0; k < values.size(); k += together) {
    const auto end = std::min(values.size(), k + together);
    out.time.push_back((trace.time.at(k) + trace.time.at(end - 1)) / 2);
    out.value.push_back(placed.factor * std::accumulate(values.begin() + std::ptrdiff_t(k), values.begin() + std::ptrdiff_t(end), 0.0) / double(end - k));
  }
  return out;
}

constexpr double kHalfBin = 0.0125;  ///< decades

/// How much of the time each current lasts, as an outline from the axis on.
QVector<QCPCurveData> outline(const power::LoadProfile& p) {
  QVector<QCPCurveData> out;
  for (const auto& [lg, share] : p.shares)
    for (const auto& [x, y] : {std::pair{0.0, lg - kHalfBin}, {100 * share, lg - kHalfBin}, {100 * share, lg + kHalfBin}, {0.0, lg + kHalfBin}})
      out.append({double(out.size()), x, std::pow(10, y)});
  return out;
}

}  // namespace

void ProfileLens::draw_beside(double least) {
  for (const auto& other : beside_) {
    auto its = smoothed(*other.item);
    for (auto& v : its.value) v = std::max(v, least);
    others_.push_back(std::make_unique<render::LongGraph>(over_time_->axis(QCPAxis::atBottom), over_time_->axis(QCPAxis::atLeft)));
    others_.back()->graph()->setPen(other.pen());
    others_.back()->set_data(std::move(its.time), std::move(its.value));
    auto* curve = new QCPCurve(shares_->axis(QCPAxis::atBottom), shares_->axis(QCPAxis::atLeft));
    curve->setPen(other.wake ? QPen(other.ink, 2.5) : other.pen(1));
    curve->data()->set(outline(*other.item->profile), true);
    other_shares_ << curve;
  }
}

void ProfileLens::draw() {
  clear();
  const auto& p = *record_->profile;
  const auto& placed = record_->wiring.currents.front();
  const auto& trace = *record_->record->traces[placed.trace];
  std::vector<double> values(trace.size()), time(trace.size()), so_far(trace.size());
  if (auto ok = trace.read(0, values); !ok) return say(text(ok.error().message));
  start_ = trace.time.at(0);
  step_ = trace.time.step();
  seconds_ = trace.seconds();
  wakes_ = p.wakes;
  if (wake_ >= int(wakes_.size())) wake_ = -1;
  // What does not stand above the lowest state by far less than its own noise has no place on a logarithmic axis.
  lowest_ = INFINITY;
  highest_ = 0;
  double sum = 0;
  for (std::size_t k = 0; k < values.size(); ++k) {
    values[k] *= placed.factor;
    time[k] = trace.time.at(k);
    sum += values[k] * step_;
    so_far[k] = sum;
    highest_ = std::max(highest_, values[k]);
  }
  auto [smooth_time, smooth] = smoothed(*record_);
  const double least = !p.states.empty() && p.states.front().level > 0 ? p.states.front().level / 10 : highest_ * 1e-7;
  for (auto* row : {&values, &smooth})
    for (auto& v : *row) {
      v = std::max(v, least);
      lowest_ = std::min(lowest_, v);
    }
  draw_beside(least);
  current_ = std::make_unique<render::LongGraph>(over_time_->axis(QCPAxis::atBottom), over_time_->axis(QCPAxis::atLeft));
  QColor faint = ink_;
  faint.setAlphaF(0.22);
  current_->graph()->setPen(QPen(faint, 1));
  current_->set_data(time, values);
  smooth_ = std::make_unique<render::LongGraph>(over_time_->axis(QCPAxis::atBottom), over_time_->axis(QCPAxis::atLeft));
  smooth_->graph()->setPen(QPen(ink_, 1.5));
  smooth_->set_data(std::move(smooth_time), std::move(smooth));
  charge_axis_->setVisible(shows_charge_);
  if (shows_charge_) {
    charge_ = std::make_unique<render::LongGraph>(over_time_->axis(QCPAxis::atBottom), charge_axis_);
    charge_->graph()->setPen(QPen(theme().heron, 1.6, Qt::DashLine));
    charge_->set_data(time, so_far);
    charge_axis_->setRange(0, 1.08 * std::max(sum, 1e-30));
    render::measure_axis(charge_axis_, "Charge so far", "C");
  }
  // Share of time at each current, from the axis on.
  double most = 0;
  for (const auto& [lg, share] : p.shares) most = std::max(most, 100 * share);
  share_->data()->set(outline(p), true);
  QColor pale = ink_;
  pale.setAlphaF(0.35);
  share_->setPen(QPen(ink_, 1));
  share_->setBrush(pale);
  shares_->axis(QCPAxis::atBottom)->setRange(0, 1.1 * std::max(most, 1e-6));
  render::measure_axis(shares_->axis(QCPAxis::atBottom), "Share of time", "%");
  render::measure_axis(over_time_->axis(QCPAxis::atBottom), "Time", "s");
  render::measure_axis(over_time_->axis(QCPAxis::atLeft), "Current", "A", true);
  render::measure_axis(shares_->axis(QCPAxis::atLeft), "", "A", true);
  for (std::size_t k = 0; k < p.states.size(); ++k) {
    const auto& state = p.states[k];
    if (!(state.level > 0)) continue;
    auto* line = new QCPItemStraightLine(plot_);
    for (auto* at : {line->point1, line->point2}) at->setAxes(shares_->axis(QCPAxis::atBottom), shares_->axis(QCPAxis::atLeft));
    line->point1->setCoords(0, state.level);
    line->point2->setCoords(1, state.level);
    line->setPen(QPen(theme().slate, 1, Qt::DotLine));
    line->setClipAxisRect(shares_);
    items_ << line;
    auto* label = new QCPItemText(plot_);
    label->position->setTypeX(QCPItemPosition::ptAxisRectRatio);
    label->position->setAxisRect(shares_);
    label->position->setAxes(shares_->axis(QCPAxis::atBottom), shares_->axis(QCPAxis::atLeft));
    label->position->setTypeY(QCPItemPosition::ptPlotCoords);
    label->position->setCoords(0.98, state.level);
    label->setPositionAlignment(Qt::AlignRight | (k == 0 ? Qt::AlignTop : Qt::AlignBottom));
    label->setTextAlignment(Qt::AlignRight);
    label->setFont(render::text_font(11, QFont::Medium));
    label->setColor(theme().ink);
    label->setClipAxisRect(shares_);
    const auto name = k < settings_.states.size() ? text(settings_.states[k]) : QString("state %1").arg(k + 1);
    label->setText(QString("%1, %2, %3 %").arg(name, text(format_quantity(state.level, "A", 3).plain())).arg(100 * state.share, 0, 'g', 3));
    labels_ << label;
  }
  drawn(true);
}

QStringList ProfileLens::states() const {
  QStringList out;
  for (const auto* label : labels_) out << label->text();
  return out;
}

void ProfileLens::frame() {
  auto* x = over_time_->axis(QCPAxis::atBottom);
  if (wake_ >= 0 && wake_ < int(wakes_.size())) {
    const auto& w = wakes_[std::size_t(wake_)];
    const double from = start_ + double(w.first) * step_, to = start_ + double(w.last) * step_, room = 0.15 * (to - from) + 2 * step_;
    x->setRange(from - room, to + room);
  } else {
    x->setRange(start_, start_ + seconds_);
  }
  over_time_->axis(QCPAxis::atLeft)->setRange(lowest_ / 1.8, std::max(highest_, lowest_) * 3);
}

}  // namespace heron::app
