#include "spectrogram_lens.h"

#include <QMouseEvent>
#include <QToolTip>
#include <cmath>

#include "app/text.h"
#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;

namespace {

constexpr int kMostColumns = 700, kMostRows = 420;
constexpr double kSpan = 110;  ///< dB below the highest that are told apart
constexpr int kFinest = 4;

}  // namespace

SpectrogramLens::SpectrogramLens(Desk* desk, QWidget* parent) : PointTakeLens(desk, parent, "spectrogram", "Lines along the record") {
  plot_->axisRect()->setMinimumMargins(QMargins(8, 8, 8, 4));
  map_ = new QCPColorMap(plot_->xAxis, plot_->yAxis);
  map_->setInterpolate(false);
  map_->setTightBoundary(true);
  scale_ = new QCPColorScale(plot_);
  scale_->setType(QCPAxis::atRight);
  scale_->setBarWidth(12);
  render::style_axis(*scale_->axis());
  scale_->setRangeDrag(false);
  scale_->setRangeZoom(false);
  plot_->plotLayout()->addElement(0, 1, scale_);
  map_->setColorScale(scale_);
  auto* sides = new QCPMarginGroup(plot_);
  plot_->axisRect()->setMarginGroup(QCP::msTop | QCP::msBottom, sides);
  scale_->setMarginGroup(QCP::msTop | QCP::msBottom, sides);
  plot_->axisRect()->setRangeDrag(Qt::Horizontal | Qt::Vertical);
  looking_ = new PlotView(plot_, [this] { frame(); });
  plot_->installEventFilter(this);
  bar_->add(
      "Finer", "How far apart lines lie: finer lines take longer stretches, which tell less of when. Goes round.",
      [this] {
        return shown_ ? QString("lines %1 apart, %2 each").arg(text(format_quantity(shown_->line, "Hz", 3).plain()), text(format_quantity(1 / shown_->line, "s", 3).plain()))
                      : QString();
      },
      [this] {
        finer_ = finer_ >= kFinest ? -kFinest : finer_ + 1;
        reload();
      });
  words_.add_to(*bar_);
  bar_->refresh();
}

void SpectrogramLens::prepare(const TakeViewPtr& view) {
  ink_ = render::take_colour(view->take.number);
  working_.ask(
      [view, point = words_.point(), quantity = words_.quantity(), finer = finer_] {
        Ready out{.point = point_of(*view, point)};
        if (!out.point.spectra) return out;
        out.quantity = quantity_of(*out.point.spectra, quantity);
        const auto& trace = *out.point.spectra->traces[out.quantity];
        const double segment = std::ldexp(double(study::spectrum::balanced_segment(trace.size())), finer);
        auto cells = study::spectrum::spectrogram_of(trace, 0, trace.size(), std::size_t(segment), kMostColumns, kMostRows);
        if (cells)
          out.cells = std::make_shared<const study::spectrum::Spectrogram>(std::move(*cells));
        else
          out.trouble = text(cells.error().message);
        return out;
      },
      [this](const Ready& ready) {
        if (!arrived(ready.point)) return;
        if (!ready.cells) return say(ready.trouble);
        draw(ready);
      });
}

void SpectrogramLens::clear() {
  shown_.reset();
  map_->data()->clear();
  map_->setVisible(false);
  scale_->setVisible(false);
}

void SpectrogramLens::draw(const Ready& ready) {
  shown_ = ready.cells;
  const auto& g = *shown_;
  const auto& s = ready.point.spectra->spectra[ready.quantity];
  const auto settings = study::spectrum::scaled_for(s, ready.point.settings);
  unit_ = study::spectrum::level_unit(s.unit, settings);
  map_->data()->setSize(g.columns, g.rows);
  const double across = (g.to - g.from) / g.columns, up = (g.highest_frequency - g.line / 2) / g.rows;
  map_->data()->setRange({g.from + across / 2, g.to - across / 2}, {g.line / 2 + up / 2, g.highest_frequency - up / 2});
  double highest = -1e300, lowest = 1e300;
  for (int c = 0; c < g.columns; ++c)
    for (int r = 0; r < g.rows; ++r) {
      const double level = study::spectrum::level_db(std::max(g.at(c, r), 1e-40), settings);
      map_->data()->setCell(c, r, level);
      highest = std::max(highest, level);
      lowest = std::min(lowest, level);
    }
  // From paper to ink: what is loud is dark, and nothing but lightness tells it.
  QCPColorGradient gradient;
  gradient.clearColorStops();
  gradient.setColorStopAt(0, theme().sheet);
  gradient.setColorStopAt(1, theme().ink);
  gradient.setColorInterpolation(QCPColorGradient::ciRGB);
  map_->setGradient(gradient);
  scale_->setGradient(gradient);
  const QCPRange range(std::max(lowest, highest - kSpan), highest);
  map_->setDataRange(range);
  scale_->setDataRange(range);
  render::measure_axis(scale_->axis(), "Level", unit_);
  render::measure_axis(plot_->xAxis, "Time", "s");
  render::measure_axis(plot_->yAxis, "Frequency", "Hz");
  map_->setVisible(true);
  scale_->setVisible(true);
  drawn(true);
}

void SpectrogramLens::frame() {
  if (!shown_) return;
  plot_->xAxis->setRange(shown_->from, shown_->to);
  plot_->yAxis->setRange(0, shown_->highest_frequency);
}

bool SpectrogramLens::eventFilter(QObject* watched, QEvent* event) {
  if (watched == plot_ && event->type() == QEvent::MouseMove && shown_) {
    const auto* move = static_cast<QMouseEvent*>(event);
    const double time = plot_->xAxis->pixelToCoord(move->position().x()), frequency = plot_->yAxis->pixelToCoord(move->position().y());
    if (time >= shown_->from && time <= shown_->to && frequency >= 0 && frequency <= shown_->highest_frequency)
      QToolTip::showText(move->globalPosition().toPoint(),
                         text(fmt::format("{}, {}: {}", format_quantity(time, "s", 4).plain(), format_quantity(frequency, "Hz", 4).plain(),
                                          format_quantity(map_->data()->data(time, frequency), unit_, 3).plain())),
                         plot_);
  }
  return PointTakeLens::eventFilter(watched, event);
}

}  // namespace heron::app
