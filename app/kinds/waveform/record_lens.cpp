#include "record_lens.h"

#include <QVBoxLayout>
#include <cmath>

#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"
#include "study/waveform/cursors.h"
#include "study/waveform/shape.h"
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
  bar_->add_menu(
      "Per cents", "Cursors where a quantity passes per cents of its states (P), or of what it started from (O), in the part in view",
      [this] { return pass() ? QString("per cents of %1").arg(text(quantity_)) : QString(); }, [this] { return per_cents(); });
  bar_->add(
      "Scale", "Each pulse as it was taken, or in per cent of its own peak from where it passes half of it, to compare shapes",
      [this] { return pass() ? QString(scaled_ ? "scaled to one peak" : "as taken") : QString(); },
      [this] {
        scaled_ = !scaled_;
        shapes_of_.clear();
        redraw();
        plot_->show_all();
      });
  bar_->add(
      "Pass", "Which pass stands before the others; [ and ] step",
      [this] {
        const auto count = records_of(desk_->readings.shown()).size();
        return count > 1 && pass() ? QString("pass %1 of %2").arg(pass()->index + 1).arg(count) : QString();
      },
      [this] { step_pass(1); });
  bar_->refresh();
  connect(&desk_->focus, &Focus::shown_changed, this, [this] { pass_.reset(); });
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

study::waveform::WaveformsPtr RecordLens::pass() const {
  const auto view = desk_->readings.shown();
  const auto& passes = records_of(view);
  for (const auto& one : passes)
    if (one->index == pass_) return one;
  return passes.empty() ? nullptr : passes.back();
}

void RecordLens::show_point(int index) {
  pass_ = index;
  redraw();
}

void RecordLens::step_pass(int by) {
  const auto view = desk_->readings.shown();
  const auto& passes = records_of(view);
  const auto it = std::find(passes.begin(), passes.end(), pass());
  if (it == passes.end()) return;
  const auto count = std::ptrdiff_t(passes.size());
  show_point(passes[std::size_t((it - passes.begin() + by + count) % count)]->index);
}

QList<LookBar::MenuLine> RecordLens::per_cents() {
  QList<LookBar::MenuLine> out;
  const auto number = [](double percent) { return text(format_setting(percent, "1")); };
  for (const auto& states : {PerCents{10, 90}, {20, 80}, {30, 70}, {5, 95}})
    out << LookBar::MenuLine{QString("%1 to %2 % of the states").arg(number(states.first), number(states.second)), [this, states] {
                             states_ = states;
                             go_to_per_cents(false);
                           }};
  // A third of nine tenths: one time constant of an exponential towards zero.
  for (const auto& start : {PerCents{90, 33.1}, {90, 50}, {90, 10}, {95, 80}})
    out << LookBar::MenuLine{QString("%1 to %2 % of the start").arg(number(start.first), number(start.second)), [this, start] {
                             start_ = start;
                             go_to_per_cents(true);
                           }};
  if (const auto one = pass())
    for (const auto& trace : one->traces)
      out << LookBar::MenuLine{"of " + text(trace->name), [this, name = trace->name] {
                               quantity_ = name;
                               go_to_per_cents(of_start_);
                             }};
  return out;
}

void RecordLens::go_to_per_cents(bool of_start) {
  const auto one = pass();
  if (!one) return;
  of_start_ = of_start;
  const auto k = one->place(quantity_);
  if (k >= one->traces.size()) return;
  const auto span = plot_->span();
  const auto per_cents = of_start ? start_ : states_;
  // Beside the window's thread: a long part is read whole for its states.
  finding_.ask(
      [one, k, span, of_start, per_cents] {
        const auto find = of_start ? study::waveform::of_start : study::waveform::at_states;
        return find(*one, k, span.lower, span.upper, per_cents.first, per_cents.second);
      },
      [this, of_start, per_cents](const Result<std::optional<study::waveform::Cursors>>& found) {
        if (!found) return desk_->messages.say(text(found.error().message), true, desk_->focus.study_id());
        if (!*found)
          return desk_->messages.say(of_start ? QString("%1 does not fall to %2 % of its start in the part in view.")
                                                    .arg(text(quantity_), text(format_setting(per_cents.second, "1")))
                                              : QString("%1 has no transition between two states in the part in view. O takes "
                                                        "per cents of what it started from.")
                                                    .arg(text(quantity_)),
                                     false, desk_->focus.study_id());
        desk_->look.set_cursor('A', (*found)->a);
        desk_->look.set_cursor('B', (*found)->b);
      });
}

/// Scaling reads whole records: it is done beside the window's thread, and the lens drawn again.
void RecordLens::ask_shapes() {
  std::vector<std::pair<int, study::waveform::WaveformsPtr>> asked;  // by number of the take; what is in view first
  const auto add = [&](long long id, const study::waveform::WaveformsPtr& of) {
    const auto view = desk_->readings.view(id);
    for (const auto& one : records_of(view))
      if (one == of || (!of && one == records_of(view).back())) asked.emplace_back(view->take.number, one);
  };
  if (desk_->focus.shown()) add(*desk_->focus.shown(), pass());
  auto others = desk_->focus.overlaid();
  if (const auto wake = desk_->focus.wake(); wake && !others.contains(*wake)) others << *wake;
  for (const auto id : others)
    if (id != desk_->focus.shown()) add(id, nullptr);
  std::vector<study::waveform::WaveformsPtr> now;
  for (const auto& one : asked) now.push_back(one.second);
  if (now == shapes_of_) return;
  shapes_of_ = std::move(now);
  shaping_.ask(
      [asked = std::move(asked)] {
        Shapes out;
        for (const auto& [number, one] : asked)
          for (std::size_t k = 0; k < one->traces.size(); ++k) {
            const auto scaled = study::waveform::scaled_to_peak(one->traces[k], one->errors[k]);
            if (!scaled || !*scaled) continue;
            out.scaled[one->traces[k].get()] = **scaled;
            const auto* own = one == asked.front().second ? nullptr : asked.front().second->find((*scaled)->get()->name);
            const auto of_own = own ? out.scaled.find(own->get()) : out.scaled.end();
            if (of_own == out.scaled.end()) continue;
            const auto differs = study::waveform::shape_difference(*of_own->second, ***scaled);
            if (differs && *differs)
              out.cards << card(QString("%1, take %2").arg(text((**scaled)->name)).arg(number), **differs, "%", "shape differs by up to");
          }
        if (out.cards.isEmpty()) out.cards << CursorCard{"Shapes", "\u2013", "", "Ctrl+click a card to lay another take over it"};
        return out;
      },
      [this](const Shapes& shapes) {
        shapes_ = shapes;
        redraw();
        plot_->show_all();
      });
}

void RecordLens::redraw() {
  stale_ = !isVisible();
  if (stale_) return;
  if (scaled_) ask_shapes();
  std::vector<RecordCurve> curves;
  std::optional<TriggerMark> trigger;
  const auto add = [&](long long id, bool wake) {
    const auto view = desk_->readings.view(id);
    const auto& passes = records_of(view);
    if (passes.empty()) return;
    const auto from = passes.size() > kPersistent ? passes.size() - kPersistent : 0;
    // One pass stands before the others: the one that was chosen, else the last; of what stands behind the last alone.
    const bool in_view = id == desk_->focus.shown();
    const auto before = in_view ? pass() : passes.back();
    const auto draw = [&](const study::waveform::Waveforms& one) {
      for (const auto& taken : one.traces) {
        auto trace = taken;
        if (scaled_) {
          const auto scaled = shapes_.scaled.find(taken.get());
          if (scaled == shapes_.scaled.end()) continue;
          trace = scaled->second;
        }
        curves.push_back({trace, render::take_colour(view->take.number), render::take_dashed(view->take.number), wake, &one != before.get()});
      }
    };
    for (auto k = from; in_view && !wake && k < passes.size(); ++k)
      if (passes[k] != before) draw(*passes[k]);
    draw(*before);
    if (id == desk_->focus.shown() && passes.back()->triggered && !scaled_) {
      // As the take waited for it, whatever the brief says by now.
      const auto& edge = passes.back()->waits_for;
      trigger = edge ? TriggerMark{edge->quantity, edge->level} : TriggerMark{};
    }
  };
  if (const auto wake = desk_->focus.wake(); wake && wake != desk_->focus.shown()) add(*wake, true);
  for (const auto id : desk_->focus.overlaid()) add(id, false);
  if (const auto shown = desk_->focus.shown()) add(*shown, false);
  if (const auto one = pass(); one && !one->find(quantity_)) quantity_ = one->traces.front()->name;
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
  const auto one = pass();
  // Scaled pulses have times of their own.
  cursors_->place(one != nullptr && !scaled_);
  const auto a = desk_->look.cursor('A'), b = desk_->look.cursor('B');
  if (scaled_) {
    cards_ = shapes_.cards;
  } else if (one) {
    for (const char letter : {'A', 'B'}) {
      const auto at = letter == 'A' ? a : b;
      if (!at) continue;
      const auto time = text(format_quantity(*at, "s", 4));
      for (const auto& trace : one->traces) {
        const auto value = study::value_at(*trace, *at);
        cards_ << (value && *value ? card(text(trace->name) + " at " + letter, **value, trace->unit, QString("%1 at %2").arg(letter).arg(time))
                                   : CursorCard{text(trace->name) + " at " + letter, "\u2013", "", QString("%1 at %2, outside").arg(letter).arg(time)});
      }
    }
    bool told = false;
    for (const auto& trace : one->traces) {
      if (!a || !b) break;
      const auto read = study::waveform::read_between(*trace, *a, *b);
      if (!read || !*read) continue;
      const auto& between = **read;
      if (!told)
        cards_ << card("B \u2212 A", between.seconds, "s", text(format_quantity(1 / std::abs(between.seconds), "Hz", 4).plain()));
      told = true;
      cards_ << card(text(trace->name) + ", B \u2212 A", between.difference, trace->unit,
                     "slope " + text(format_quantity(between.slope, trace->unit + "/s", 4)));
      cards_ << card(text(trace->name) + ", mean", between.mean, trace->unit,
                     QString("rms %1, integral %2")
                         .arg(text(format_quantity(between.rms, trace->unit, 4)),
                              text(format_quantity(between.integral, trace->unit + "s", 4))));
    }
  }
  emit cards_changed();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

bool RecordLens::handle_key(int key) {
  if (key == Qt::Key_Backspace) return looking_->back();
  if (key == Qt::Key_P || key == Qt::Key_O) {
    go_to_per_cents(key == Qt::Key_O);
    return true;
  }
  if (key == Qt::Key_BracketLeft || key == Qt::Key_BracketRight) {
    step_pass(key == Qt::Key_BracketLeft ? -1 : 1);
    return true;
  }
  return cursors_->handle_key(key);
}

}  // namespace heron::app
