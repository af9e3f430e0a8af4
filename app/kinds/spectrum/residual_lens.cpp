#include "residual_lens.h"

#include <cmath>

#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;

namespace {

constexpr std::size_t kMostDots = 20'000;  ///< over the phase

/// The lowest and highest with some room.
QCPRange around(const std::vector<double>& all) {
  if (all.empty()) return {-1, 1};
  const auto [low, high] = std::minmax_element(all.begin(), all.end());
  const double room = std::max(0.08 * (*high - *low), 1e-30);
  return {*low - room, *high + room};
}

}  // namespace

ResidualLens::ResidualLens(Desk* desk, QWidget* parent) : PointTakeLens(desk, parent, "residual", "The record and what is beside its fundamental") {
  const auto rects = render::stack_panels(*plot_, 2);
  record_ = rects[0];
  rest_ = rects[1];
  for (int k = 0; k < 2; ++k) {
    dots_[k] = plot_->addGraph(rects[k]->axis(QCPAxis::atBottom), rects[k]->axis(QCPAxis::atLeft));
    dots_[k]->setLineStyle(QCPGraph::lsNone);
    dots_[k]->setAntialiasedScatters(false);
  }
  looking_ = new PlotView(plot_, [this] { frame(); }, PlotView::Wheel::along, rects);
  bar_->add(
      "Taken out", "What is taken out of the record: its mean and fundamental, or the harmonics that are counted as well",
      [this] { return shown_ ? harmonics_ ? QString("without fundamental and harmonics") : QString("without fundamental") : QString(); },
      [this] {
        harmonics_ = !harmonics_;
        reload();
      });
  bar_->add(
      "Across", "Time, or the fundamental's phase: what repeats with it lies on itself",
      [this] { return shown_ ? over_phase_ ? QString("over phase") : QString("over time") : QString(); },
      [this] {
        over_phase_ = !over_phase_;
        looking_->forget();
        draw();
        frame();
      });
  words_.add_to(*bar_);
  bar_->refresh();
}

ResidualLens::~ResidualLens() { graphs_.clear(); }

void ResidualLens::prepare(const TakeViewPtr& view) {
  ink_ = render::take_colour(view->take.number);
  working_.ask(
      [view, point = words_.point(), quantity = words_.quantity(), harmonics = harmonics_] {
        Ready out{.point = point_of(*view, point)};
        if (!out.point.spectra) return out;
        auto residual = study::spectrum::residual_of(*out.point.spectra, quantity_of(*out.point.spectra, quantity), harmonics);
        if (residual)
          out.residual = std::make_shared<const study::spectrum::Residual>(std::move(*residual));
        else
          out.trouble = text(residual.error().message);
        return out;
      },
      [this](const Ready& ready) {
        if (!arrived(ready.point)) return;
        if (!ready.residual) return say(ready.trouble);
        shown_ = ready.residual;
        draw();
      });
}

void ResidualLens::clear() {
  drop_graphs();
  for (auto* dots : dots_) dots->data()->clear();
  shown_.reset();
  cards_.clear();
  emit cards_changed();
}

void ResidualLens::drop_graphs() {
  for (const auto& one : graphs_) plot_->removeGraph(one->graph());
  graphs_.clear();
}

void ResidualLens::draw() {
  const auto& r = *shown_;
  drop_graphs();
  for (auto* dots : dots_) dots->data()->clear();
  const std::pair<QCPAxisRect*, const std::vector<double>*> panels[] = {{record_, &r.record}, {rest_, &r.rest}};
  for (int k = 0; k < 2; ++k) {
    const auto& [rect, values] = panels[k];
    if (over_phase_) {
      QVector<QCPGraphData> points;
      // Every so many-th: an odd stride meets all phases.
      const auto stride = std::max<std::size_t>(1, values->size() / kMostDots) | 1;
      for (std::size_t j = 0; j < values->size(); j += stride) points.append({r.phase[j], (*values)[j]});
      dots_[k]->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, ink_, ink_, 2));
      dots_[k]->data()->set(points);
    } else {
      std::vector<double> time(values->size());
      for (std::size_t j = 0; j < time.size(); ++j) time[j] = r.start + r.step * double(j);
      graphs_.push_back(std::make_unique<render::LongGraph>(rect->axis(QCPAxis::atBottom), rect->axis(QCPAxis::atLeft)));
      graphs_.back()->graph()->setPen(QPen(ink_, 1.2));
      graphs_.back()->set_data(std::move(time), *values);
    }
  }
  render::measure_axis(record_->axis(QCPAxis::atLeft), text(r.name), r.unit.empty() ? "1" : r.unit);
  render::measure_axis(rest_->axis(QCPAxis::atLeft), text(r.name) + (harmonics_ ? ", the rest" : " beside it"), r.unit.empty() ? "1" : r.unit);
  render::measure_axis(rest_->axis(QCPAxis::atBottom), over_phase_ ? "Phase of the fundamental" : "Time", over_phase_ ? "deg" : "s");
  cards_.clear();
  const auto card = [&](const QString& label, double value) { cards_ << value_card(label, value, r.unit.empty() ? "1" : r.unit, 4, text(r.name)); };
  card("Rest, rms", r.rms);
  card("Rest, highest", r.highest);
  emit cards_changed();
  drawn();
}

void ResidualLens::frame() {
  if (!shown_) return;
  const auto& r = *shown_;
  record_->axis(QCPAxis::atBottom)->setRange(over_phase_ ? QCPRange(0, 360) : QCPRange(r.start, r.start + r.step * double(r.record.size() - 1)));
  record_->axis(QCPAxis::atLeft)->setRange(around(r.record));
  rest_->axis(QCPAxis::atLeft)->setRange(around(r.rest));
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace heron::app
