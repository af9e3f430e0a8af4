#include "cycles_lens.h"

#include <QVBoxLayout>

#include "app/lenses/laid_over.h"
#include "app/readings.h"
#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"

namespace heron::app {

namespace power = study::power;

CyclesLens::CyclesLens(Desk* desk, QWidget* parent) : Lens(desk, parent), bar_(new LookBar(this)), plot_(new RecordPlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(bar_);
  column->addWidget(plot_, 1);
  plot_->setObjectName("cycles");
  plot_->setAccessibleName("Voltages and currents over time");
  looking_ = new PlotView(plot_, [this] { plot_->show_all(); }, PlotView::Wheel::along, plot_->panels());
  cursors_ = new PlotCursors(plot_, &desk_->look, plot_->panels());
  bar_->add(
      "Panels", "One panel for all voltages and one for all currents, or one for each", [this] { return record() ? QString(panels_ == Panels::by_unit ? "a panel a unit" : "a panel each") : QString(); },
      [this] {
        panels_ = panels_ == Panels::by_unit ? Panels::each : Panels::by_unit;
        redraw();
      });
  bar_->add(
      "Record", "Which record of the take is shown; [ and ] step",
      [this] {
        const auto* reduced = power_of(desk_->readings.shown().get());
        if (!reduced || reduced->records().size() < 2) return QString();
        for (std::size_t k = 0; k < reduced->records().size(); ++k)
          if (reduced->records()[k] == record()) return QString("record %1 of %2").arg(k + 1).arg(reduced->records().size());
        return QString();
      },
      [this] { step(1); });
  bar_->refresh();
  connect(&desk_->focus, &Focus::shown_changed, this, &CyclesLens::redraw);
  connect(&desk_->readings, &Readings::live_changed, this, &CyclesLens::redraw);
  connect(&desk_->readings, &Readings::take_read, this, &CyclesLens::redraw);
  connect(&desk_->runner, &Runner::running_changed, this, &CyclesLens::redraw);
  connect(&desk_->look, &Look::cursors_changed, this, &CyclesLens::place_cursors);
  connect(&desk_->document, &Document::opened, this, [this] { looking_->forget(); });
}

bool CyclesLens::handle_key(int key) {
  if (cursors_->handle_key(key)) return true;
  if (key == Qt::Key_BracketLeft || key == Qt::Key_BracketRight) {
    step(key == Qt::Key_BracketLeft ? -1 : 1);
    return true;
  }
  return key == Qt::Key_Backspace && looking_->back();
}

void CyclesLens::show_point(int index) {
  chosen_ = index;
  redraw();
}

study::WaveformsPtr CyclesLens::record() const {
  const auto view = desk_->readings.shown();
  const auto* reduced = power_of(view.get());
  if (!reduced || reduced->records().empty()) return nullptr;
  for (const auto& one : reduced->records())
    if (one->index == chosen_) return one;
  return reduced->records().back();
}

void CyclesLens::step(int by) {
  const auto view = desk_->readings.shown();
  const auto* reduced = power_of(view.get());
  const auto now = record();
  if (!reduced || !now) return;
  const auto& all = reduced->records();
  const auto at = std::find(all.begin(), all.end(), now) - all.begin(), count = std::ptrdiff_t(all.size());
  show_point(all[std::size_t((at + by + count) % count)]->index);
}

void CyclesLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  redraw();
}

void CyclesLens::redraw() {
  if (!isVisible()) return;
  const auto view = desk_->readings.shown();
  const auto one = record();
  std::vector<RecordCurve> curves;
  // The wake behind, other takes over it: the record of the same point, else the last.
  for (const auto& [other, behind] : one ? laid_over(*desk_) : std::vector<LaidOver>()) {
    const auto* reduced = power_of(other.get());
    if (!reduced || reduced->records().empty()) continue;
    auto its = reduced->records().back();
    for (const auto& candidate : reduced->records())
      if (candidate->index == one->index) its = candidate;
    for (const auto& trace : its->traces)
      if (one->find(trace->name)) curves.push_back({.trace = trace, .colour = render::take_colour(other->take.number), .dashed = render::take_dashed(other->take.number), .wake = behind});
  }
  if (one) {
    const auto ink = render::take_colour(view->take.number);
    std::map<std::string, std::size_t> of_unit;
    for (const auto& trace : one->traces) ++of_unit[trace->unit];
    std::map<std::string, std::size_t> seen;
    for (const auto& trace : one->traces) {
      const auto k = seen[trace->unit]++;
      curves.push_back({.trace = trace, .colour = phase_ink(ink, k, of_unit[trace->unit]), .dashed = k == 2 && of_unit[trace->unit] == 3});
    }
  }
  plot_->show_record(std::move(curves), panels_, std::nullopt);
  looking_->set_rects(plot_->panels());
  cursors_->set_rects(plot_->panels());
  plot_->show_marks({}, {}, {});
  if (one) {
    const auto* f = view->analysis.reading.find("frequency");
    const auto& time = one->traces.front()->time;
    const double seconds = one->traces.front()->seconds();
    if (f && f->value > 0) {
      const int cycles = int(seconds * f->value + 1e-6);
      plot_->show_marks({time.at(0) + cycles / f->value, time.at(0)}, one->traces.front()->name, QString("%1 whole cycles").arg(cycles));
    }
  }
  place_cursors();
  bar_->refresh();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

/// What every quantity is where the cursors stand.
void CyclesLens::place_cursors() {
  cards_.clear();
  cursors_->place();
  const auto one = record();
  if (one && isVisible())
    for (const char letter : {'A', 'B'}) {
      const auto at = desk_->look.cursor(letter);
      if (!at) continue;
      for (const auto& trace : one->traces) {
        const double place = trace->time.place_of(*at, trace->size());
        if (place < 0 || place > double(trace->size() - 1)) continue;
        const auto k = std::min(std::size_t(place), trace->size() - 2);
        double two[2];
        if (!trace->read(k, two)) continue;
        const auto shown = format_quantity(two[0] + (place - double(k)) * (two[1] - two[0]), trace->unit, 4);
        cards_ << CursorCard{QString("%1 at %2").arg(text(trace->name)).arg(letter), text(shown.number), text(shown.unit), text(format_quantity(*at, "s", 4).plain())};
      }
    }
  emit cards_changed();
}

}  // namespace heron::app
