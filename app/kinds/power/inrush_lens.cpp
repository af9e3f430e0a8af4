#include "inrush_lens.h"

#include <cmath>

#include "app/lenses/placed_masks.h"
#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;
namespace power = study::power;

InrushLens::InrushLens(Desk* desk, QWidget* parent) : RecordTakeLens(desk, parent, "inrush", "Current from switching on") {
  plot_->plotLayout()->clear();
  over_time_ = new QCPAxisRect(plot_);
  fuse_ = new QCPAxisRect(plot_);
  plot_->plotLayout()->addElement(0, 0, over_time_);
  plot_->plotLayout()->addElement(0, 1, fuse_);
  plot_->plotLayout()->setColumnStretchFactor(0, 2.4);
  for (auto* rect : {over_time_, fuse_}) {
    render::style_axes(*rect);
    for (auto* axis : rect->axes()) axis->setLayer("axes"), axis->grid()->setLayer("grid");
  }
  for (auto* axis : {fuse_->axis(QCPAxis::atBottom), fuse_->axis(QCPAxis::atLeft)}) {
    axis->setScaleType(QCPAxis::stLogarithmic);
    axis->setTicker(QSharedPointer<QCPAxisTickerLog>::create());
  }
  bears_ = plot_->addGraph(fuse_->axis(QCPAxis::atBottom), fuse_->axis(QCPAxis::atLeft));
  carries_ = plot_->addGraph(fuse_->axis(QCPAxis::atBottom), fuse_->axis(QCPAxis::atLeft));
  looking_ = new PlotView(plot_, [this] { frame(); plot_->replot(QCustomPlot::rpQueuedReplot); }, PlotView::Wheel::along, {over_time_});
  bar_->add(
      "Phase", "Which phase's current",
      [this] { return record_ && record_->inrush.size() == 3 ? "phase " + phase_name(phase_, 3) : QString(); },
      [this] {
        phase_ = (phase_ + 1) % 3;
        draw();
      });
  add_record_word();
  bar_->refresh();
}

InrushLens::~InrushLens() {
  others_.clear();
  current_.reset();
  rms_.reset();
}

QString InrushLens::lacks(const power::PowerRecord& record) const {
  if (record.profile) return "A profile is not switched on. Choose \"what is drawn when it is switched on\" in the brief.";
  return record.inrush.empty() ? QString("No current is sensed.") : QString();
}

void InrushLens::clear() {
  if (current_) plot_->removeGraph(current_->graph());
  if (rms_) plot_->removeGraph(rms_->graph());
  for (const auto& other : others_) plot_->removeGraph(other->graph());
  others_.clear();
  current_.reset();
  rms_.reset();
  for (auto* item : items_) plot_->removeItem(item);
  for (auto* label : labels_) plot_->removeItem(label);
  items_.clear();
  labels_.clear();
  bears_->data()->clear();
  carries_->data()->clear();
  cards_.clear();
  emit cards_changed();
}

void InrushLens::mark(double time, double value, const QString& label, bool above) {
  auto* x = over_time_->axis(QCPAxis::atBottom);
  auto* y = over_time_->axis(QCPAxis::atLeft);
  auto* ring = new QCPItemTracer(plot_);
  ring->position->setAxes(x, y);
  ring->position->setCoords(time, value);
  ring->setStyle(QCPItemTracer::tsCircle);
  ring->setSize(9);
  ring->setPen(QPen(theme().ink, 1.6));
  ring->setBrush(Qt::NoBrush);
  ring->setClipAxisRect(over_time_);
  items_ << ring;
  auto* word = new QCPItemText(plot_);
  word->position->setParentAnchor(ring->position);
  word->position->setCoords(8, above ? -9 : 9);
  word->setPositionAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  word->setFont(render::text_font(11.5, QFont::Medium));
  word->setColor(theme().ink);
  word->setText(label);
  word->setClipAxisRect(over_time_);
  labels_ << word;
}

void InrushLens::draw() {
  clear();
  const auto& in = record_->inrush[std::min(phase_, record_->inrush.size() - 1)];
  const auto& v = in.values();
  std::vector<double> time(v.size()), at, rms;
  for (std::size_t k = 0; k < v.size(); ++k) time[k] = in.start() + double(k) * in.step();
  const auto every = std::max<std::size_t>(1, v.size() / 20000);
  for (std::size_t k = 0; k < v.size(); k += every)
    if (const auto one = in.rms_about(k)) {
      at.push_back(time[k]);
      rms.push_back(*one);
    }
  auto* x = over_time_->axis(QCPAxis::atBottom);
  auto* y = over_time_->axis(QCPAxis::atLeft);
  for (const auto& other : beside_) {
    const auto& its = other.item->inrush[std::min(phase_, other.item->inrush.size() - 1)];
    std::vector<double> when(its.values().size());
    for (std::size_t k = 0; k < when.size(); ++k) when[k] = its.start() + double(k) * its.step();
    others_.push_back(std::make_unique<render::LongGraph>(x, y));
    others_.back()->graph()->setPen(other.pen(1));
    others_.back()->set_data(when, its.values());
  }
  current_ = std::make_unique<render::LongGraph>(x, y);
  current_->graph()->setPen(QPen(ink_, 1.1));
  current_->set_data(time, v);
  rms_ = std::make_unique<render::LongGraph>(x, y);
  rms_->graph()->setPen(QPen(theme().ink, 2));
  rms_->set_data(at, rms);
  const auto view = desk_->readings.shown();
  const auto figure = [&](const char* key) -> const study::Figure* {
    const auto end = record_->inrush.size() == 3 ? std::string(".") + power::kPhases[std::min<std::size_t>(phase_, 2)] : std::string();
    return view ? view->analysis.reading.find(key + end) : nullptr;
  };
  const auto said = [](const study::Figure& f) { return text(format_with_uncertainty(f.value, f.u, f.unit).plain()); };
  for (const bool high : {true, false})
    if (const auto* f = figure(high ? "inrush.peak.positive" : "inrush.peak.negative"); f && !f->at.empty()) mark(f->at.front(), f->value, said(*f), high);
  if (const auto* f = figure("inrush.settled_after"); f && f->at.size() == 2) mark(f->at[1], in.steady(), "settled after " + said(*f), true);
  const auto window = text(format_quantity(in.half(), "s", 3).plain());
  for (const auto& [key, label, below] : {std::tuple{"inrush.rms.max", "Largest rms", "over " + window}, {"idle.rms", "Before, rms", QString("until it begins")}})
    if (const auto* f = figure(key)) cards_ << value_card(label, f->value, f->unit, 3, below);
  emit cards_changed();
  // They are the rms's: the current itself may pass them.
  for (auto* ground : grounds_on(*desk_, {"current.half_cycle", "s"}, over_time_, false)) items_ << ground;
  draw_fuse(in);
  render::measure_axis(x, "Time", "s");
  render::measure_axis(y, "Current, and its rms over " + window, "A");
  drawn(true);
  fuse_->setVisible(!settings_.fuse.empty());
}

void InrushLens::draw_fuse(const power::Inrush& in) {
  const bool has = !settings_.fuse.empty();
  plot_->plotLayout()->setColumnStretchFactor(1, has ? 1 : 0.001);
  fuse_->setVisible(has);
  bears_->setVisible(has);
  carries_->setVisible(has);
  if (!has) return;
  QVector<double> t, bears, at, carries;
  for (const auto& one : power::fuse_load(in, settings_)) {
    t << one.time;
    bears << one.bears;
    if (one.carries) {
      at << one.time;
      carries << *one.carries;
    }
  }
  bears_->setData(t, bears, true);
  carries_->setData(at, carries, true);
  bears_->setPen(QPen(theme().ink, 1.6));
  carries_->setPen(QPen(ink_, 1.4));
  carries_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, ink_, ink_, 5));
  render::measure_axis(fuse_->axis(QCPAxis::atBottom), "For so long", "s", true);
  render::measure_axis(fuse_->axis(QCPAxis::atLeft), "Fuse, rms", "A", true);
  const auto name = [&](const QCPGraph* graph, const QString& said, const QColor& ink, Qt::AlignmentFlag side) {
    if (graph->data()->isEmpty()) return;
    const auto first = graph->data()->constBegin();
    auto* word = new QCPItemText(plot_);
    word->position->setAxes(fuse_->axis(QCPAxis::atBottom), fuse_->axis(QCPAxis::atLeft));
    word->position->setAxisRect(fuse_);
    word->position->setCoords(first->key, first->value);
    word->setPositionAlignment(Qt::AlignLeft | side);
    word->setPadding(QMargins(8, 3, 0, 3));
    word->setFont(render::text_font(11.5, QFont::Medium));
    word->setColor(ink);
    word->setText(said);
    word->setClipAxisRect(fuse_);
    items_ << word;
  };
  name(bears_, "bears", theme().ink, Qt::AlignBottom);
  name(carries_, "carries", ink_, Qt::AlignBottom);
  bool found = false;
  auto across = bears_->getKeyRange(found), upright = bears_->getValueRange(found);
  bool any = false;
  const auto more = carries_->getValueRange(any);
  if (any) upright.expand(more);
  fuse_->axis(QCPAxis::atBottom)->setRange(across.lower / 1.5, across.upper * 1.5);
  fuse_->axis(QCPAxis::atLeft)->setRange(std::max(upright.lower, 1e-9) / 1.6, upright.upper * 1.6);
}

QStringList InrushLens::marks() const {
  QStringList out;
  for (const auto* label : labels_) out << label->text();
  return out;
}

void InrushLens::frame() {
  if (!record_ || record_->inrush.empty()) return;
  const auto& v = record_->inrush[std::min(phase_, record_->inrush.size() - 1)].values();
  const auto& in = record_->inrush[std::min(phase_, record_->inrush.size() - 1)];
  const auto [low, high] = std::minmax_element(v.begin(), v.end());
  const double room = std::max(0.12 * (*high - *low), 1e-12);
  over_time_->axis(QCPAxis::atBottom)->setRange(in.start(), in.start() + in.step() * double(v.size() - 1));
  QCPRange y(*low - room, *high + room);
  for (const auto& other : beside_) {
    const auto& its = other.item->inrush[std::min(phase_, other.item->inrush.size() - 1)].values();
    const auto [least, most] = std::minmax_element(its.begin(), its.end());
    y.expand(QCPRange(*least, *most));
  }
  over_time_->axis(QCPAxis::atLeft)->setRange(y);
}

}  // namespace heron::app
