#include "lines_lens.h"

#include <QVBoxLayout>
#include <cmath>

#include "app/text.h"
#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"
#include "waveform_view.h"

namespace heron::app {

using render::theme;

namespace {

constexpr std::size_t kMostOfLines = std::size_t(1) << 20;  ///< that are looked at
constexpr double kFloor = -200;                             ///< dB below one unit, where a line that is nothing is drawn

struct Choice {
  signal::Window window;
  const char* name;
};
constexpr Choice kWindows[] = {{signal::Window::hann, "Hann"},
                               {signal::Window::blackman_harris, "Blackman-Harris"},
                               {signal::Window::flat_top, "flat top"},
                               {signal::Window::rectangular, "no"}};

double decibels(double rms) { return rms > 0 ? std::max(kFloor, 20 * std::log10(rms)) : kFloor; }

}  // namespace

LinesLens::LinesLens(Desk* desk, QWidget* parent) : Lens(desk, parent), bar_(new LookBar(this)), plot_(new QCustomPlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(bar_);
  column->addWidget(plot_, 1);
  plot_->setObjectName("lines");
  plot_->setAccessibleName("The record by frequency");
  render::style_plot(*plot_);
  render::style_axes(*plot_->axisRect());
  looking_ = new PlotView(plot_, [this] { frame(); });
  bar_->add_menu(
      "Window", "What the record is weighed with before it is transformed",
      [this] {
        if (drawn_.all.empty()) return QString();
        for (const auto& one : kWindows)
          if (one.window == window_) return QString("%1 window").arg(one.name);
        return QString();
      },
      [this] {
        QList<LookBar::MenuLine> out;
        for (const auto& one : kWindows)
          out << LookBar::MenuLine{QString("%1 window").arg(one.name), [this, window = one.window] {
                                     window_ = window;
                                     reload();
                                   }};
        return out;
      });
  bar_->add(
      "Part", "All of the record, or what lies between the cursors A and B",
      [this] { return drawn_.all.empty() ? QString() : between_cursors_ ? QString("between A and B") : QString("the whole record"); },
      [this] {
        between_cursors_ = !between_cursors_;
        reload();
      });
  bar_->add(
      "Frequency", "Goes linearly or by decades",
      [this] { return drawn_.all.empty() ? QString() : logarithmic_ ? QString("log frequency") : QString("linear frequency"); },
      [this] {
        logarithmic_ = !logarithmic_;
        looking_->forget();
        frame();
        draw();
      });
  bar_->refresh();
  connect(&desk_->focus, &Focus::shown_changed, this, &LinesLens::reload);
  connect(&desk_->readings, &Readings::live_changed, this, &LinesLens::reload);
  connect(&desk_->readings, &Readings::take_read, this, &LinesLens::reload);
  connect(&desk_->look, &Look::cursors_changed, this, [this] {
    if (between_cursors_) reload();
  });
}

void LinesLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  reload();
}

void LinesLens::reload() {
  if (!isVisible()) return;
  working_.drop();
  const auto view = desk_->readings.shown();
  const auto& passes = records_of(view);
  if (const auto why = no_record(*desk_); !why.isEmpty()) {
    drawn_ = {.trouble = why};
    return draw();
  }
  number_ = view->take.number;
  const auto a = desk_->look.cursor('A'), b = desk_->look.cursor('B');
  std::optional<std::pair<double, double>> part;
  if (between_cursors_) {
    if (!a || !b) {
      drawn_ = {.trouble = "Both cursors are wanted: A and B place them in the record."};
      return draw();
    }
    part = std::minmax(*a, *b);
  }
  working_.ask(
      [one = passes.back(), part, window = window_] {
        Drawn out;
        for (const auto& trace : one->traces) {
          if (!trace->time.even()) {
            out.trouble = QString("%1 is sampled at uneven times; lines want even ones.").arg(text(trace->name));
            continue;
          }
          const auto n = trace->size();
          const auto at = [&](double time) { return std::size_t(std::clamp(std::round(trace->time.place_of(time, n)), 0.0, double(n))); };
          const auto first = part ? at(part->first) : 0, end = part ? at(part->second) : n;
          const auto count = std::min(end - std::min(first, end), kMostOfLines);
          if (count < 16) {
            out.trouble = "Fewer than 16 samples lie there.";
            continue;
          }
          out.cut = out.cut || count < end - first;
          std::vector<double> values(count);
          if (const auto ok = trace->read(first, values); !ok) {
            out.trouble = text(ok.error().message);
            continue;
          }
          out.all.push_back({trace->name, trace->unit, signal::line_spectrum(values, 1 / trace->time.step(), window), count});
        }
        if (!out.all.empty()) out.trouble.clear();
        return out;
      },
      [this](const Drawn& drawn) {
        drawn_ = drawn;
        draw();
      });
}

void LinesLens::draw() {
  plot_->clearGraphs();
  plot_->clearItems();
  cards_.clear();
  const QPen pens[] = {QPen(render::take_colour(number_), 1.3), QPen(theme().slate, 1.1, Qt::DashLine), QPen(theme().heron, 1.1, Qt::DotLine)};
  QStringList names, units;
  for (std::size_t k = 0; k < drawn_.all.size(); ++k) {
    const auto& one = drawn_.all[k];
    auto* graph = plot_->addGraph();
    graph->setPen(pens[k % std::size(pens)]);
    QVector<QCPGraphData> line;
    line.reserve(qsizetype(one.spectrum.rms.size()));
    const auto largest = one.spectrum.largest();
    for (std::size_t i = 0; i < one.spectrum.rms.size(); ++i) {
      // What stands still has no place among decades.
      if (i > 0 || !logarithmic_) line.append({double(i) * one.spectrum.line, decibels(one.spectrum.rms[i])});
    }
    graph->data()->set(line, true);
    const auto rms = format_quantity(one.spectrum.rms[largest], one.unit, 4);
    cards_ << CursorCard{text(one.quantity) + ", largest line", text(rms.number), text(rms.unit),
                         QString("rms, near %1").arg(text(format_quantity(double(largest) * one.spectrum.line, "Hz", 4).plain()))};
    names << text(one.quantity) + (k % 3 == 1 ? "  \u2013 \u2013" : k % 3 == 2 ? "  \u00b7 \u00b7 \u00b7" : "");
    if (!units.contains(text(one.unit))) units << text(one.unit);
  }
  const bool shown = !drawn_.all.empty();
  for (auto* axis : {plot_->xAxis, plot_->yAxis}) {
    axis->setVisible(shown);
    axis->grid()->setVisible(shown);
  }
  auto* words = new QCPItemText(plot_);
  words->position->setType(QCPItemPosition::ptAxisRectRatio);
  words->setFont(render::text_font(shown ? 11 : 13));
  words->setColor(theme().slate);
  if (shown) {
    words->position->setCoords(0.995, 0.005);
    words->setPositionAlignment(Qt::AlignRight | Qt::AlignTop);
    const auto& first = drawn_.all.front();
    words->setText(names.join("    ") + QString("    %1 samples, a line every %2%3")
                                            .arg(first.samples)
                                            .arg(text(format_quantity(first.spectrum.line, "Hz", 3).plain()), drawn_.cut ? ", the first part of the record" : ""));
    plot_->yAxis->setLabel("dB of 1 " + units.join(" or 1 ") + " rms");
    render::measure_axis(plot_->xAxis, "Frequency", "Hz", logarithmic_);
  } else {
    words->position->setCoords(0.5, 0.5);
    words->setText(drawn_.trouble);
  }
  bar_->refresh();
  if (shown && std::exchange(framed_, desk_->focus.study_id()) != desk_->focus.study_id()) {
    looking_->forget();
    frame();
  }
  emit cards_changed();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

void LinesLens::frame() {
  if (drawn_.all.empty()) return;
  double top = kFloor, bottom = 0, widest = 0;
  for (const auto& one : drawn_.all) {
    widest = std::max(widest, one.spectrum.line * double(one.spectrum.rms.size() - 1));
    for (const double rms : one.spectrum.rms) {
      top = std::max(top, decibels(rms));
      bottom = std::min(bottom, decibels(rms));
    }
  }
  // What is far below the largest line is rounding.
  bottom = std::max(bottom, top - 140);
  plot_->xAxis->setRange(logarithmic_ ? drawn_.all.front().spectrum.line : 0, widest);
  plot_->yAxis->setRange(bottom - 5, top + 12);
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace heron::app
