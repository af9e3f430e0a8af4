#include "record_lens.h"

#include <QVBoxLayout>
#include <cmath>

#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"
#include "study/waveform/cursors.h"
#include "waveform_view.h"

namespace heron::app {
namespace {

constexpr std::size_t kPersistent = 24;  ///< earlier passes that are drawn pale behind the last

CursorCard card(const QString& label, double value, const std::string& unit, const QString& below = {}) {
  const auto shown = format_quantity(value, unit, 4);
  return {label, text(shown.number), text(shown.unit), below};
}

}  // namespace

RecordLens::RecordLens(Desk* desk, QWidget* parent) : Lens(desk, parent), bar_(new LookBar(this)), plot_(new RecordPlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(bar_);
  column->addWidget(plot_, 1);
  plot_->setObjectName("record");
  plot_->setAccessibleName("Quantities over time");
  looking_ = new PlotView(plot_, [this] { plot_->show_all(); }, PlotView::Wheel::along, plot_->panels());
  cursors_ = new PlotCursors(plot_, &desk_->look, plot_->panels());
  bar_->add(
      "Panels", "How quantities share panels: each its own, or one a unit to compare them on one scale",
      [this] { return panels_ == Panels::each ? QString("a panel each") : QString("a panel a unit"); },
      [this] { set_panels(panels_ == Panels::each ? Panels::by_unit : Panels::each); });
  bar_->refresh();
  connect(&desk_->focus, &Focus::shown_changed, this, &RecordLens::redraw);
  connect(&desk_->focus, &Focus::plan_changed, this, &RecordLens::redraw);
  connect(&desk_->readings, &Readings::live_changed, this, &RecordLens::redraw);
  connect(&desk_->readings, &Readings::take_read, this, &RecordLens::redraw);
  connect(&desk_->runner, &Runner::running_changed, this, &RecordLens::redraw);
  connect(&desk_->look, &Look::cursors_changed, this, &RecordLens::place_cursors);
  connect(&desk_->look, &Look::figure_changed, this, &RecordLens::mark_figure);
  connect(&desk_->document, &Document::opened, this, [this] { looking_->forget(); });
}

void RecordLens::set_panels(Panels panels) {
  panels_ = panels;
  redraw();
}

void RecordLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  if (stale_) redraw();
}

void RecordLens::redraw() {
  stale_ = !isVisible();
  if (stale_) return;
  std::vector<RecordCurve> curves;
  std::optional<TriggerMark> trigger;
  const auto add = [&](long long id, bool wake) {
    const auto view = desk_->readings.view(id);
    const auto& passes = records_of(view);
    if (passes.empty()) return;
    const auto from = passes.size() > kPersistent ? passes.size() - kPersistent : 0;
    for (auto k = from; k < passes.size(); ++k) {
      const bool last = k + 1 == passes.size();
      // Only the last pass of what stands behind.
      if (!last && (wake || id != desk_->focus.shown())) continue;
      for (const auto& trace : passes[k]->traces)
        curves.push_back({trace, render::take_colour(view->take.number), render::take_dashed(view->take.number), wake, !last});
    }
    if (id == desk_->focus.shown() && passes.back()->triggered) {
      // As the take waited for it, whatever the brief says by now.
      const auto& edge = passes.back()->waits_for;
      trigger = edge ? TriggerMark{edge->quantity, edge->level} : TriggerMark{};
    }
  };
  if (const auto wake = desk_->focus.wake(); wake && wake != desk_->focus.shown()) add(*wake, true);
  for (const auto id : desk_->focus.overlaid()) add(id, false);
  if (const auto shown = desk_->focus.shown()) add(*shown, false);
  plot_->show_record(std::move(curves), panels_, trigger);
  looking_->set_rects(plot_->panels());
  cursors_->set_rects(plot_->panels());
  bar_->refresh();
  place_cursors();
  mark_figure();
}

void RecordLens::mark_figure() {
  if (stale_) return;
  const auto view = desk_->readings.shown();
  const auto* figure = view ? view->analysis.reading.find(desk_->look.figure().toStdString()) : nullptr;
  if (figure)
    plot_->show_marks(figure->at, figure->on, text(figure->label));
  else
    plot_->show_marks({}, {}, {});
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

/// What the cursors read of every quantity, and what lies between them.
void RecordLens::place_cursors() {
  if (!isVisible()) {
    stale_ = true;
    return;
  }
  cards_.clear();
  const auto view = desk_->readings.shown();
  const auto& passes = records_of(view);
  cursors_->place(!passes.empty());
  const auto a = desk_->look.cursor('A'), b = desk_->look.cursor('B');
  if (!passes.empty()) {
    for (const char letter : {'A', 'B'}) {
      const auto at = letter == 'A' ? a : b;
      if (!at) continue;
      cards_ << card(QString(letter) + " at", *at, "s");
      for (const auto& trace : passes.back()->traces) {
        const auto value = study::value_at(*trace, *at);
        cards_ << (value && *value ? card(text(trace->name) + " at " + letter, **value, trace->unit)
                                   : CursorCard{text(trace->name) + " at " + letter, "\u2013", "", "outside"});
      }
    }
    bool told = false;
    for (const auto& trace : passes.back()->traces) {
      if (!a || !b) break;
      const auto read = study::waveform::read_between(*trace, *a, *b);
      if (!read || !*read) continue;
      const auto& between = **read;
      if (!told)
        cards_ << card("B \u2212 A", between.seconds, "s", text(format_quantity(1 / std::abs(between.seconds), "Hz", 4).plain()));
      told = true;
      cards_ << card(text(trace->name) + ", B \u2212 A", between.difference, trace->unit,
                     QString("mean %1, rms %2").arg(text(format_quantity(between.mean, trace->unit, 4).plain()),
                                                    text(format_quantity(between.rms, trace->unit, 4).plain())));
    }
  }
  emit cards_changed();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

bool RecordLens::handle_key(int key) {
  if (key == Qt::Key_Backspace) return looking_->back();
  return cursors_->handle_key(key);
}

}  // namespace heron::app
