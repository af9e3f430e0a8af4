#include "kinds/pulse_count_view.h"

#include <QVBoxLayout>

#include "app/lenses/figures_lens.h"

namespace heron::pulse_count {

CountLens::CountLens(app::Desk* desk, QWidget* parent) : Lens(desk, parent), plot_(new QCustomPlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->addWidget(plot_);
  plot_->addGraph();
  plot_->setAccessibleName("Crossings over pulses");
  connect(&desk_->focus, &app::Focus::shown_changed, this, &CountLens::redraw);
  connect(&desk_->readings, &app::Readings::take_read, this, &CountLens::redraw);
  connect(&desk_->readings, &app::Readings::live_changed, this, &CountLens::redraw);
}

void CountLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  redraw();
}

void CountLens::redraw() {
  plot_->graph(0)->data()->clear();
  const auto view = desk_->readings.shown();
  if (const auto* counts = view ? dynamic_cast<const ReducedCounts*>(view->reduced.get()) : nullptr)
    for (std::size_t k = 0; k < counts->counts().pulses.size(); ++k)
      plot_->graph(0)->addData(counts->counts().pulses[k], counts->counts().crossings[k]);
  plot_->rescaleAxes();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

namespace {

class View final : public app::KindView {
 public:
  const study::Kind& kind() const override { return pulse_count::kind(); }
  std::vector<app::LensOffer> lenses() const override {
    return {{"Counts", app::make<CountLens>}, {"Figures", app::make<app::FiguresLens>}};
  }
  QString setting_examples() const override { return "none, it has none"; }
  QString claim_examples() const override { return "Missed pulses at most 0"; }
};

}  // namespace

const app::KindView& view() {
  static const View self;
  return self;
}

}  // namespace heron::pulse_count
