#include "record_lens.h"

#include <QVBoxLayout>
#include <cmath>

#include "app/lenses/placed_masks.h"
#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"
#include "study/ranges.h"
#include "study/waveform/cursors.h"
#include "study/waveform/expected.h"
#include "study/waveform/shape.h"
#include "waveform_view.h"

namespace heron::app {
namespace {

constexpr const char* kPanels[] = {"a panel each", "a panel a unit", "one panel, laid apart", "one panel, over each other"};  ///< of Panels
constexpr std::size_t kPersistent = 24;  ///< earlier passes that are drawn pale behind the last

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
      "Panels", "How quantities share panels: each its own, one a unit to compare them on one scale, or one for all, laid apart or over each other",
      [this] { return QString(kPanels[int(panels_)]); }, [this] { set_panels(Panels((int(panels_) + 1) % int(std::size(kPanels)))); });
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
  bar_->add(
      "Together", "How passes are seen together: one before the others, as density (darker where more of them run), or as their mean "
                  "between the lowest and the highest",
      [this] {
        if (records_of(desk_->readings.shown()).size() < 2) return QString();
        return together_ == Together::pale ? QString("one before the others") : together_ == Together::density ? QString("density") : QString("mean and envelope");
      },
      [this] {
        together_ = together_ == Together::pale ? Together::density : together_ == Together::density ? Together::bundle : Together::pale;
        redraw();
      });
  bar_->add(
      "Between", "How the line between samples runs where they stand apart: straight, or band-limited as sin(x)/x makes it",
      [this] { return pass() ? between_ == Between::lines ? QString("straight between") : QString("sin(x)/x between") : QString(); },
      [this] {
        between_ = between_ == Between::lines ? Between::band_limited : Between::lines;
        plot_->set_between(between_);
        bar_->refresh();
      });
  bar_->add(
      "Hold", "Keeps this picture while new passes come (K)",
      [this] { return pass() && (held_ || desk_->runner.taking()) ? held_ ? QString("held") : QString("hold") : QString(); },
      [this] {
        held_ = !held_;
        arrived();
        bar_->refresh();
      });
  bar_->add_menu("Ranges", "How much of each input's range the record uses; the one that fits is a click away", [this] { return ranges_said(); },
                 [this] { return ranges(); });
  bar_->refresh();
  connect(&desk_->focus, &Focus::shown_changed, this, [this] {
    if (!held_) pass_.reset();
  });
  connect(&desk_->focus, &Focus::shown_changed, this, &RecordLens::arrived);
  connect(&desk_->focus, &Focus::plan_changed, this, &RecordLens::redraw);
  connect(&desk_->readings, &Readings::live_changed, this, &RecordLens::arrived);
  connect(&desk_->readings, &Readings::take_read, this, &RecordLens::arrived);
  connect(&desk_->outlook, &Outlook::expected_changed, this, &RecordLens::redraw);
  connect(plot_, &QCustomPlot::afterReplot, this, &RecordLens::ask_clouds);
  connect(&desk_->runner, &Runner::running_changed, this, &RecordLens::redraw);
  connect(&desk_->look, &Look::cursors_changed, this, &RecordLens::place_cursors);
  connect(&desk_->look, &Look::figure_changed, this, &RecordLens::mark_figure);
  connect(&desk_->document, &Document::opened, this, [this] { looking_->forget(); });
}

void RecordLens::set_panels(Panels panels) {
  panels_ = panels;
  redraw();
}

/// Something came; what is held stays as it is.
void RecordLens::arrived() {
  if (!held_) redraw();
}

std::vector<RecordLens::RangeUse> RecordLens::ranges_used() const {
  std::vector<RangeUse> out;
  const auto one = pass();
  for (std::size_t k = 0; one && k < one->traces.size(); ++k) {
    const auto& trace = *one->traces[k];
    const auto seen = trace.envelope(0, trace.size(), 1);
    if (!one->errors[k].range || !seen || seen->empty()) continue;
    out.push_back({trace.name, std::max(std::abs(seen->front().low), std::abs(seen->front().high)), *one->errors[k].range});
  }
  return out;
}

QString RecordLens::ranges_said() const {
  const auto all = ranges_used();
  const auto least = std::min_element(all.begin(), all.end(), [](const RangeUse& a, const RangeUse& b) { return a.share() < b.share(); });
  return least == all.end() ? QString() : QString("%1 uses %2 % of its range").arg(text(least->quantity)).arg(100 * least->share(), 0, 'g', 2);
}

QList<LookBar::MenuLine> RecordLens::ranges() {
  QList<LookBar::MenuLine> out;
  const auto* hookup = desk_->focus.plan() ? desk_->focus.plan()->hookup() : nullptr;
  if (!hookup) return out;
  const auto& limits = desk_->focus.limits().of(hookup->digitiser);
  for (const auto& used : ranges_used()) {
    const auto* chain = hookup->find(used.quantity);
    if (!chain) continue;
    const double per_volt = std::abs(bench::sensing_of(*chain).per_volt), now = used.range / per_volt;
    // What fills its range may go on beyond it.
    const double best = study::range_that_fits((used.share() >= 0.999 ? 2 : 1) * used.peak / per_volt, limits.ranges);
    const auto uses = QString("%1 uses %2 % of %3").arg(text(used.quantity)).arg(100 * used.share(), 0, 'g', 2).arg(text(format_setting(now, "V")));
    if (std::abs(best / now - 1) < 1e-3) {
      out << LookBar::MenuLine{uses + ": the range that fits", {}};
      continue;
    }
    const auto range = format_setting(best, "V");
    out << LookBar::MenuLine{uses + ": take " + text(range), [this, name = used.quantity, range] {
                               desk_->messages.say_trouble(desk_->focus.edit("hookup." + name + ".range", text(range)), desk_->focus.study_id());
                             }};
  }
  return out;
}

/// The mean of all passes reads every one of them: beside the window's thread.
void RecordLens::ask_bundle() {
  const auto view = desk_->readings.shown();
  const auto& passes = records_of(view);
  if (passes == bundle_of_) return;
  bundle_of_ = passes;
  bundle_.reset();
  joining_.ask([passes] { return study::waveform::bundle_of(passes); },
               [this](const Result<std::optional<study::waveform::Bundle>>& joined) {
                 if (!joined) return desk_->messages.say(text(joined.error().message), true, desk_->focus.study_id());
                 bundle_ = *joined;
                 redraw();
               });
}

/// Cells follow the part in view.
void RecordLens::ask_clouds() {
  if (together_ != Together::density || scaled_ || !isVisible()) return;
  const auto view = desk_->readings.shown();
  const auto& passes = records_of(view);
  const auto span = plot_->span();
  if (passes.size() < 2 || (passes == clouds_of_ && span == clouds_over_)) return;
  clouds_of_ = passes;
  clouds_over_ = span;
  struct Asked {
    std::string quantity;
    QCPRange upright;
    std::vector<study::TracePtr> traces;
  };
  std::vector<Asked> asked;
  for (const auto& trace : passes.back()->traces) {
    const auto upright = plot_->upright_of(trace->name);
    if (!upright) continue;
    auto& one = asked.emplace_back(Asked{trace->name, *upright, {}});
    for (const auto& pass : passes)
      if (const auto* its = pass->find(trace->name)) one.traces.push_back(*its);
  }
  const int columns = std::max(1, plot_->panels().first()->width() / 2), rows = std::max(1, plot_->panels().first()->height() / 2);
  counting_.ask(
      [asked, span, columns, rows, ink = render::take_colour(view->take.number)] {
        std::vector<RecordPlot::Cloud> out;
        for (const auto& one : asked)
          if (auto cells = study::density_of(one.traces, span.lower, span.upper, columns, one.upright.lower, one.upright.upper, rows))
            out.push_back({one.quantity, std::move(*cells), ink});
        return out;
      },
      [this](const std::vector<RecordPlot::Cloud>& clouds) {
        clouds_ = clouds;
        plot_->show_clouds(clouds_);
      });
}

void RecordLens::add_expected(std::vector<RecordCurve>& curves) const {
  const auto expected = std::dynamic_pointer_cast<const study::waveform::ExpectedWaveforms>(desk_->outlook.expected());
  const auto one = pass();
  if (!expected || scaled_ || !one || !desk_->look.expected()) return;
  const study::TimeBase time(std::make_shared<const std::vector<double>>(expected->time));
  for (const auto& curve : expected->curves) {
    if (!one->find(curve.quantity)) continue;
    for (const auto* values : {&curve.value, &curve.low, &curve.high})
      curves.push_back({.trace = study::trace_of(curve.quantity, curve.unit, time, *values),
                        .colour = render::theme().slate,
                        .pale = values != &curve.value,
                        .dotted = true});
  }
}

void RecordLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  if (stale_) redraw();
}

study::WaveformsPtr RecordLens::pass() const {
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
  std::vector<std::pair<int, study::WaveformsPtr>> asked;  // by number of the take; what is in view first
  const auto add = [&](long long id, const study::WaveformsPtr& of) {
    const auto view = desk_->readings.view(id);
    for (const auto& one : records_of(view))
      if (one == of || (!of && one == records_of(view).back())) asked.emplace_back(view->take.number, one);
  };
  if (desk_->focus.shown()) add(*desk_->focus.shown(), pass());
  auto others = desk_->focus.overlaid();
  if (const auto wake = desk_->focus.wake(); wake && !others.contains(*wake)) others << *wake;
  for (const auto id : others)
    if (id != desk_->focus.shown()) add(id, nullptr);
  std::vector<study::WaveformsPtr> now;
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
              out.cards << value_card(QString("%1, take %2").arg(text((**scaled)->name)).arg(number), **differs, "%", 4, "shape differs by up to");
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
    if (id == desk_->focus.shown() && passes.back()->triggered && !scaled_) {
      // As the take waited for it, whatever the brief says by now.
      const auto& edge = passes.back()->waits_for;
      trigger = edge ? TriggerMark{edge->quantity, edge->level} : TriggerMark{};
    }
    const bool joined = id == desk_->focus.shown() && !wake && !scaled_ && passes.size() > 1;
    if (joined && together_ == Together::bundle) {
      ask_bundle();
      if (bundle_) {
        const auto ink = render::take_colour(view->take.number);
        for (const auto& [of, pale] : {std::pair{bundle_->low, true}, {bundle_->high, true}, {bundle_->mean, false}})
          for (const auto& trace : of->traces) curves.push_back({trace, ink, false, false, pale});
        return;
      }
    }
    const bool dense = joined && together_ == Together::density;
    const auto from = dense ? passes.size() : passes.size() > kPersistent ? passes.size() - kPersistent : 0;
    // One pass stands before the others: the one that was chosen, else the last; of what stands behind the last alone.
    const bool in_view = id == desk_->focus.shown();
    const auto before = in_view ? pass() : passes.back();
    const auto draw = [&](const study::Waveforms& one) {
      for (const auto& taken : one.traces) {
        auto trace = taken;
        if (scaled_) {
          const auto scaled = shapes_.scaled.find(taken.get());
          if (scaled == shapes_.scaled.end()) continue;
          trace = scaled->second;
        }
        curves.push_back({trace, render::take_colour(view->take.number), render::take_dashed(view->take.number), wake, dense || &one != before.get()});
      }
    };
    for (auto k = from; in_view && !wake && k < passes.size(); ++k)
      if (passes[k] != before) draw(*passes[k]);
    draw(*before);
  };
  if (const auto wake = desk_->focus.wake(); wake && wake != desk_->focus.shown()) add(*wake, true);
  for (const auto id : desk_->focus.overlaid()) add(id, false);
  if (const auto shown = desk_->focus.shown()) add(*shown, false);
  if (const auto one = pass(); one && !one->find(quantity_)) quantity_ = one->traces.front()->name;
  add_expected(curves);
  plot_->show_record(std::move(curves), panels_, trigger, scaled_ ? std::vector<LimitLine>() : limits_over_time(*desk_));
  clouds_of_.clear();
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
        cards_ << (value && *value ? value_card(text(trace->name) + " at " + letter, **value, trace->unit, 4, QString("%1 at %2").arg(letter).arg(time))
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
        cards_ << value_card("B \u2212 A", between.seconds, "s", 4, text(format_quantity(1 / std::abs(between.seconds), "Hz", 4).plain()));
      told = true;
      cards_ << value_card(text(trace->name) + ", B \u2212 A", between.difference, trace->unit, 4,
                     "slope " + text(format_quantity(between.slope, trace->unit + "/s", 4)));
      cards_ << value_card(text(trace->name) + ", mean", between.mean, trace->unit, 4,
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
  if (key == Qt::Key_K) {
    held_ = !held_;
    arrived();
    bar_->refresh();
    return true;
  }
  return cursors_->handle_key(key);
}

}  // namespace heron::app
