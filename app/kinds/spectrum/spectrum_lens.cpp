#include "spectrum_lens.h"

#include <QVBoxLayout>
#include <cmath>

#include "app/lenses/laid_over.h"
#include "app/lenses/placed_masks.h"
#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"

namespace heron::app {

namespace {

struct ScaleWord {
  Scale scale;
  const char* name;
};
constexpr ScaleWord kScales[] = {{Scale::level, "level"}, {Scale::carrier, "below the fundamental"}, {Scale::rms, "rms"}, {Scale::density, "density"}};

/// A take as it is to be drawn, before its spectra are at hand.
struct Wanted {
  TakeViewPtr view;
  bool wake = false, shown = false;
};
struct Ready {
  std::vector<SpectrumCurve> curves = {};
  PointOf point = {};  ///< of the take in view
};

Ready ready(const std::vector<Wanted>& wanted, const std::string& quantity, int point) {
  Ready out;
  for (const auto& one : wanted) {
    const auto its = point_of(*one.view, point);
    if (one.shown) out.point = its;
    if (!its.spectra) continue;
    const auto at = quantity_of(*its.spectra, quantity);
    out.curves.push_back({its.spectra, at, study::spectrum::scaled_for(its.spectra->spectra[at], its.settings), render::take_colour(one.view->take.number),
                          render::take_dashed(one.view->take.number), one.wake, one.shown});
  }
  return out;
}

}  // namespace

SpectrumLens::SpectrumLens(Desk* desk, QWidget* parent) : Lens(desk, parent), bar_(new LookBar(this)), plot_(new SpectrumPlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(bar_);
  column->addWidget(plot_, 1);
  plot_->setObjectName("spectrum");
  plot_->setAccessibleName("Lines over frequency");
  looking_ = new PlotView(plot_, [this] { plot_->show_all(); });
  cursors_ = new PlotCursors(plot_, &desk_->look, {plot_->axisRect()});
  const auto change = [this](auto set) {
    auto form = plot_->form();
    set(form);
    plot_->set_form(form);
    looking_->forget();
    draw(curves_);
    plot_->show_all();
  };
  bar_->add_menu(
      "Scale", "In what the lines are told",
      [this] {
        for (const auto& one : kScales)
          if (one.scale == plot_->form().scale) return curves_.empty() ? QString() : QString(one.name);
        return QString();
      },
      [this, change] {
        QList<LookBar::MenuLine> out;
        for (const auto& one : kScales)
          out << LookBar::MenuLine{one.name, [change, scale = one.scale] { change([scale](auto& form) { form.scale = scale; }); }};
        return out;
      });
  bar_->add(
      "Frequency", "Goes linearly or by decades",
      [this] { return curves_.empty() ? QString() : plot_->form().logarithmic ? QString("log frequency") : QString("linear frequency"); },
      [change] { change([](auto& form) { form.logarithmic = !form.logarithmic; }); });
  words_.add_to(*bar_);
  bar_->refresh();
  connect(&desk_->focus, &Focus::shown_changed, this, &SpectrumLens::reload);
  connect(&desk_->readings, &Readings::live_changed, this, &SpectrumLens::reload);
  connect(&desk_->readings, &Readings::take_read, this, &SpectrumLens::reload);
  connect(&desk_->look, &Look::cursors_changed, this, &SpectrumLens::place_cursors);
  connect(&desk_->look, &Look::figure_changed, this, &SpectrumLens::mark_figure);
  connect(&desk_->document, &Document::opened, this, [this] { looking_->forget(); });
}

bool SpectrumLens::handle_key(int key) {
  if (words_.handle_key(key)) return true;
  if (key == Qt::Key_Backspace) return looking_->back();
  return cursors_->handle_key(key);
}

void SpectrumLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  reload();
}

void SpectrumLens::reload() {
  if (!isVisible()) return;
  working_.drop();
  const auto shown = desk_->focus.shown();
  const auto view = desk_->readings.shown();
  if (!view || view->empty()) {
    curves_.clear();
    words_.offer_nothing();
    bar_->refresh();
    plot_->say(!shown ? "Nothing is taken yet. Space takes." : !view ? "reading\u2026" : view->trouble.isEmpty() ? "The take has no record." : view->trouble);
    plot_->replot(QCustomPlot::rpQueuedReplot);
    cards_.clear();
    emit cards_changed();
    return;
  }
  std::vector<Wanted> wanted;
  for (const auto& [one, wake] : laid_over(*desk_)) wanted.push_back({one, wake, false});
  wanted.push_back({view, false, true});
  working_.ask([wanted, quantity = words_.quantity(), point = words_.point()] { return ready(wanted, quantity, point); },
               [this](const Ready& now) {
                 words_.offer(now.point);
                 if (now.curves.empty()) {
                   curves_.clear();
                   plot_->say(now.point.trouble.isEmpty() ? "The take has no record." : now.point.trouble);
                   bar_->refresh();
                   plot_->replot(QCustomPlot::rpQueuedReplot);
                   return;
                 }
                 draw(now.curves);
               });
}

std::vector<SpectrumLimit> SpectrumLens::limits() const {
  std::vector<SpectrumLimit> out;
  for (const auto& mask : placed_masks(*desk_))
    for (const bool upper : {true, false}) {
      SpectrumLimit one{{}, upper};
      for (const auto& [x, y] : upper ? mask.upper : mask.lower) one.line << QPointF(x, y);
      if (!one.line.isEmpty()) out.push_back(std::move(one));
    }
  return out;
}

void SpectrumLens::draw(const std::vector<SpectrumCurve>& curves) {
  if (curves.empty()) return;
  curves_ = curves;
  plot_->show_spectra(curves_, limits());
  bar_->refresh();
  if (std::exchange(framed_, desk_->focus.study_id()) != desk_->focus.study_id()) {
    looking_->forget();
    plot_->show_all();
  }
  place_cursors();
  mark_figure();
}

/// Each stands on the peak that is nearest to it.
void SpectrumLens::place_cursors() {
  cards_.clear();
  if (!isVisible()) return;
  std::optional<std::pair<double, double>> read[2];
  const bool shown = !curves_.empty();
  if (shown) {
    const auto& curve = curves_.back();
    const auto& s = curve.spectrum();
    const bool decibels = plot_->form().scale == Scale::level || plot_->form().scale == Scale::carrier;
    const auto unit = plot_->form().scale == Scale::level     ? study::spectrum::level_unit(s.unit, curve.settings)
                      : plot_->form().scale == Scale::carrier ? std::string("dBc")
                      : plot_->form().scale == Scale::rms     ? s.unit
                                                              : s.unit + "/rtHz";
    for (const char letter : {'A', 'B'}) {
      const auto at = desk_->look.cursor(letter);
      if (!at) continue;
      const double caught = cursors_->held() ? plot_->peak_near(*at).value_or(*at) : *at;
      if (caught != *at) {
        // Comes back here with the peak's own place.
        desk_->look.set_cursor(letter, caught);
        return;
      }
      const auto k = std::size_t(std::clamp(std::round(*at / s.line), 1.0, double(s.power.size() - 1)));
      const double value = plot_->value(curve, k);
      read[letter - 'A'] = {s.frequency_of(k), value};
      const auto shown_value = format_quantity(value, unit, 4);
      cards_ << CursorCard{QString("%1 at %2").arg(letter).arg(text(format_quantity(s.frequency_of(k), "Hz", 6).plain())), text(shown_value.number), text(shown_value.unit), text(s.name)};
    }
    if (read[0] && read[1]) {
      const auto apart = format_quantity(read[1]->first - read[0]->first, "Hz", 4);
      const auto below = decibels ? text(format_quantity(read[1]->second - read[0]->second, "dB", 3).plain()) : QString("\u00d7 %1").arg(read[1]->second / read[0]->second, 0, 'g', 4);
      cards_ << CursorCard{"B \u2212 A", text(apart.number), text(apart.unit), below};
    }
  }
  cursors_->place(shown);
  plot_->replot(QCustomPlot::rpQueuedReplot);
  emit cards_changed();
}

void SpectrumLens::mark_figure() {
  const auto view = desk_->readings.shown();
  const auto* figure = view ? view->analysis.reading.find(desk_->look.figure().toStdString()) : nullptr;
  // Of a sweep a figure stands at a level, or at a frequency that was driven: that is no place among these lines.
  const bool here = figure && !words_.of_sweep();
  plot_->show_marks(here ? figure->at : std::vector<double>());
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace heron::app
