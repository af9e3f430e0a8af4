#include "cycles_lens.h"

#include "app/lenses/laid_over.h"
#include "app/readings.h"
#include "render/theme.h"

namespace heron::app {

CyclesLens::CyclesLens(Desk* desk, QWidget* parent) : OverTimeLens(desk, parent, "cycles", "Voltages and currents over time") {
  bar_->add(
      "Panels", "One panel for all voltages and one for all currents, or one for each", [this] { return record() ? QString(panels_ == Panels::by_unit ? "a panel a unit" : "a panel each") : QString(); },
      [this] {
        panels_ = panels_ == Panels::by_unit ? Panels::each : Panels::by_unit;
        renew();
      });
  add_step_word("record");
  follow();
}

std::vector<int> CyclesLens::points() const {
  std::vector<int> out;
  const auto view = desk_->readings.shown();
  if (const auto* reduced = power_of(view.get()))
    for (const auto& one : reduced->records()) out.push_back(one->index);
  return out;
}

study::WaveformsPtr CyclesLens::record() const {
  const auto view = desk_->readings.shown();
  const auto* reduced = power_of(view.get());
  const auto at = wanted();
  if (!reduced || !at) return nullptr;
  return *std::find_if(reduced->records().begin(), reduced->records().end(), [&](const auto& one) { return one->index == *at; });
}

void CyclesLens::renew() {
  const auto view = desk_->readings.shown();
  const auto one = record();
  if (!one) return say_nothing(power_of(view.get()) != nullptr, "The take has no record of samples.");
  std::vector<RecordCurve> curves;
  // The wake behind, other takes over it: the record of the same point, else the last.
  for (const auto& [other, behind] : laid_over(*desk_)) {
    const auto* reduced = power_of(other.get());
    if (!reduced || reduced->records().empty()) continue;
    auto its = reduced->records().back();
    for (const auto& candidate : reduced->records())
      if (candidate->index == one->index) its = candidate;
    for (const auto& trace : its->traces)
      if (one->find(trace->name)) curves.push_back({.trace = trace, .colour = render::take_colour(other->take.number), .dashed = render::take_dashed(other->take.number), .wake = behind});
  }
  read_.clear();
  const auto ink = render::take_colour(view->take.number);
  std::map<std::string, std::size_t> of_unit, seen;
  for (const auto& trace : one->traces) ++of_unit[trace->unit];
  for (const auto& trace : one->traces) {
    const auto k = seen[trace->unit]++;
    curves.push_back({.trace = trace, .colour = phase_ink(ink, k, of_unit[trace->unit]), .dashed = k == 2 && of_unit[trace->unit] == 3});
    read_.push_back({text(trace->name), trace});
  }
  draw(std::move(curves), panels_);
  plot_->show_marks({}, {}, {});
  const auto* f = view->analysis.reading.find("frequency");
  if (!f || !(f->value > 0)) return;
  const auto& first = *one->traces.front();
  const int cycles = int(first.seconds() * f->value + 1e-6);
  plot_->show_marks({first.time.at(0) + cycles / f->value, first.time.at(0)}, first.name, QString("%1 whole cycles").arg(cycles));
}

}  // namespace heron::app
