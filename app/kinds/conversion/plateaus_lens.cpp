#include "plateaus_lens.h"

#include <QLabel>
#include <QVBoxLayout>

#include "app/ink.h"
#include "app/lenses/placed_masks.h"
#include "app/readings.h"
#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"
#include "study/conversion/plan.h"

namespace heron::app {

using render::theme;
namespace conversion = study::conversion;
using conversion::Port;

namespace {
/// What was read of a point one after another until it counted: what moved, against the time since the point was set.
std::vector<study::TracePtr> way_of(const conversion::Evidence& e) {
  std::vector<study::TracePtr> out;
  const auto add = [&](std::string name, std::string unit, const std::vector<double>& times, const std::vector<double>& values) {
    if (times.size() < 2 || std::adjacent_find(times.begin(), times.end(), std::greater_equal<>()) != times.end()) return;
    out.push_back(study::trace_of(std::move(name), std::move(unit), study::TimeBase(std::make_shared<const std::vector<double>>(times)), values));
  };
  if (e.warming) add(e.warming->place, "degC", e.warming->times, e.warming->read);
  for (const auto port : conversion::kAllPorts) add(std::string(conversion::port_name(port)), std::string(conversion::port_unit(port)), e.watched.times, e.watched.read[std::size_t(port)]);
  return out;
}

CursorCard card_of(const QString& label, double value, const char* unit, int digits, const QString& below) {
  const auto shown = format_quantity(value, unit, digits);
  return {label, text(shown.number), text(shown.unit), below};
}
}  // namespace

PlateausLens::PlateausLens(Desk* desk, QWidget* parent) : Lens(desk, parent), bar_(new LookBar(this)), why_(new QLabel(this)), plot_(new RecordPlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(bar_);
  why_->setFont(render::text_font(12.5));
  why_->setWordWrap(true);
  set_ink(*why_, theme().slate);
  column->addWidget(why_);
  column->addWidget(plot_, 1);
  plot_->setObjectName("records");
  plot_->setAccessibleName("Input and output over time");
  looking_ = new PlotView(plot_, [this] { plot_->show_all(); }, PlotView::Wheel::along, plot_->panels());
  cursors_ = new PlotCursors(plot_, &desk_->look, plot_->panels());
  bar_->add("Record", "What the samples are of; [ and ] step", [this] { return said_; }, [this] { step(1); });
  bar_->add(
      "Behind", "The samples of a point, or how it went until the point counted", [this] { return QString(shows_way_ ? "the way there" : drawn_.empty() ? "the reading" : "the samples"); },
      [this] {
        way_ = !way_;
        looking_->forget();
        redraw();
      });
  bar_->refresh();
  connect(&desk_->focus, &Focus::shown_changed, this, &PlateausLens::redraw);
  connect(&desk_->readings, &Readings::live_changed, this, &PlateausLens::redraw);
  connect(&desk_->readings, &Readings::take_read, this, &PlateausLens::redraw);
  connect(&desk_->runner, &Runner::running_changed, this, &PlateausLens::redraw);
  connect(&desk_->look, &Look::cursors_changed, this, &PlateausLens::place_cursors);
  connect(&desk_->document, &Document::opened, this, [this] { looking_->forget(); });
}

bool PlateausLens::handle_key(int key) {
  if (cursors_->handle_key(key)) return true;
  if (key == Qt::Key_BracketLeft || key == Qt::Key_BracketRight) {
    step(key == Qt::Key_BracketLeft ? -1 : 1);
    return true;
  }
  return key == Qt::Key_Backspace && looking_->back();
}

void PlateausLens::show_point(int index) {
  chosen_ = index;
  redraw();
}

std::vector<PlateausLens::Choice> PlateausLens::choices(const conversion::ReducedConversion& reduced) const {
  std::vector<Choice> out;
  for (const auto& one : reduced.records()) out.push_back({one->record, one.get(), nullptr, one->record->index, {}});
  for (const auto& e : reduced.evidence())
    if (e.from_bench) out.push_back({e.record, nullptr, &e, e.point, QString("%1, %2").arg(text(format_quantity(e.line, "V", 3).plain()), text(format_quantity(e.load, "A", 3).plain()))});
  for (std::size_t k = 0; k < out.size(); ++k) {
    const auto count = QString("%1 %2 of %3").arg(out[k].stepped ? "record" : "point").arg(k + 1).arg(out.size());
    out[k].words = out[k].words.isEmpty() ? (out.size() > 1 ? count : QString()) : count + ": " + out[k].words;
  }
  return out;
}

void PlateausLens::step(int by) {
  const auto view = desk_->readings.shown();
  const auto* reduced = conversion_of(view.get());
  if (!reduced) return;
  const auto all = choices(*reduced);
  if (all.size() < 2) return;
  const auto it = std::find_if(all.begin(), all.end(), [&](const Choice& c) { return c.point == shown_; });
  const auto at = it - all.begin(), count = std::ptrdiff_t(all.size());
  show_point(all[std::size_t((at + by + count) % count)].point);
}

void PlateausLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  redraw();
}

void PlateausLens::redraw() {
  if (!isVisible()) return;
  for (auto* bar : bars_) plot_->removeItem(bar);
  bars_.clear();
  told_.clear();
  said_.clear();
  drawn_.clear();
  const auto view = desk_->readings.shown();
  const auto* reduced = conversion_of(view.get());
  std::vector<Choice> all;
  if (reduced) all = choices(*reduced);
  why_->setVisible(all.empty());
  plot_->setVisible(!all.empty());
  if (all.empty()) {
    why_->setText(!desk_->focus.shown() ? "Nothing is taken yet. Space takes."
                  : reduced              ? "These points came as a table: it is all that lies behind them."
                                         : "reading\u2026");
    bar_->refresh();
    emit cards_changed();
    return;
  }
  const auto it = std::find_if(all.begin(), all.end(), [&](const Choice& c) { return c.point == chosen_; });
  const auto& one = it == all.end() ? all.back() : *it;
  shown_ = one.point;
  said_ = one.words;
  const auto way = one.evidence ? way_of(*one.evidence) : std::vector<study::TracePtr>();
  shows_way_ = !way.empty() && (way_ || !one.record);
  if (shows_way_) drawn_ = way;
  else if (one.record) drawn_ = one.record->traces;
  else {
    plot_->setVisible(false);
    why_->setVisible(true);
    why_->setText("Source and load read this point themselves, once: there are no samples behind it, and nothing was waited for. Connect inputs on the Hookup page to keep samples, or read until two readings agree.");
    tell(one);
    cards_ = told_;
    bar_->refresh();
    emit cards_changed();
    return;
  }
  std::vector<RecordCurve> curves;
  for (const auto& trace : drawn_) curves.push_back({.trace = trace, .colour = render::take_colour(view->take.number)});
  std::map<std::string, std::string> called;
  if (const auto output = one.record && !shows_way_ ? study::conversion::trace_of(*one.record, study::conversion::Port::vout) : std::nullopt)
    called["output"] = one.record->traces[*output]->name;
  plot_->show_record(std::move(curves), Panels::each, std::nullopt, limits_over_time(*desk_, called));
  looking_->set_rects(plot_->panels());
  cursors_->set_rects(plot_->panels());
  if (shows_way_) tell_way(*one.evidence);
  else tell(one);
  place_cursors();
  bar_->refresh();
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

QStringList PlateausLens::names() const {
  QStringList out;
  for (const auto& trace : drawn_) out << text(trace->name);
  return out;
}

void PlateausLens::add_bar(QCPAxisRect* panel, double from, double to, double at) {
  auto* bar = new QCPItemLine(plot_);
  for (auto* end : {bar->start, bar->end}) {
    end->setAxes(panel->axis(QCPAxis::atBottom), panel->axis(QCPAxis::atLeft));
    end->setAxisRect(panel);
  }
  bar->start->setCoords(from, at);
  bar->end->setCoords(to, at);
  bar->setClipAxisRect(panel);
  bar->setPen(QPen(theme().ink, 2.6, Qt::SolidLine, Qt::FlatCap));
  bars_ << bar;
}

/// The readings that had to agree as a bar each, and whether they did.
void PlateausLens::tell_way(const conversion::Evidence& e) {
  for (int k = 0; k < plot_->panels().size() && k < int(drawn_.size()); ++k) {
    const auto& trace = *drawn_[std::size_t(k)];
    const bool of_heat = e.warming && k == 0 && trace.size() == e.warming->read.size();
    const auto n = std::min(trace.size(), of_heat ? conversion::kRestsOver : std::size_t(2));
    std::vector<double> last(n);
    if (!trace.read(trace.size() - n, last)) continue;
    double mean = 0;
    for (const double v : last) mean += v / double(n);
    add_bar(plot_->panels()[k], trace.time.at(trace.size() - n), trace.time.at(trace.size() - 1), mean);
  }
  if (e.warming) {
    told_ << card_of(text(e.warming->place), e.warming->read.back(), "degC", 4, "after " + text(format_duration(e.warming->times.back())));
    if (e.warming->read.size() >= conversion::kRestsOver) told_ << card_of(e.warming->rests ? "Rests" : "Still moves", e.warming->by, "K", 2, "in a minute");
  }
  if (!e.watched.times.empty()) told_ << CursorCard{"Readings", QString::number(e.watched.times.size()), {}, e.agreed ? "the last two agree" : "no two agreed"};
}

/// The averaged parts as bars, and what the two states differ by.
void PlateausLens::tell(const Choice& one) {
  if (!one.stepped) {
    const auto view = desk_->readings.shown();
    const auto* reduced = conversion_of(view.get());
    for (const auto& row : reduced->rows()) {
      if (row.point != one.point) continue;
      const auto known_to = [&](const std::function<double(const conversion::Row&)>& of, const char* unit) {
        const double u = conversion::with_u({row}, [&](const conversion::Rows& one_row) { return of(one_row[0]); }).u();
        return u > 0 ? "\u00b1 " + text(format_quantity(2 * u, unit, 2).plain()) : QString("at this point");
      };
      for (const auto port : conversion::kAllPorts) {
        const std::string unit(conversion::port_unit(port));
        told_ << card_of(text(std::string(conversion::port_name(port))), row.at(port), unit.c_str(), 5, known_to([&](const conversion::Row& r) { return r.at(port); }, unit.c_str()));
      }
      if (row.input_power() != 0) told_ << card_of("Efficiency", 100 * row.efficiency(), "%", 4, known_to([](const conversion::Row& r) { return 100 * r.efficiency(); }, "%"));
      told_ << card_of("Loss", row.loss(), "W", 4, known_to([](const conversion::Row& r) { return r.loss(); }, "W"));
    }
    return;
  }
  const auto panel_of = [&](Port port) -> QCPAxisRect* {
    const auto k = conversion::trace_of(*one.record, port);
    return k && int(*k) < plot_->panels().size() ? plot_->panels()[int(*k)] : nullptr;
  };
  std::array<double, 2> sum{};
  std::array<int, 2> count{};
  for (const auto& p : one.stepped->plateaus)
    for (const auto port : conversion::kAllPorts) {
      const auto& mean = p.mean[std::size_t(port)];
      auto* panel = panel_of(port);
      if (!mean || !panel || !p.counts) continue;
      if (port == Port::vout) {
        sum[p.high] += *mean;
        ++count[p.high];
      }
      add_bar(panel, p.settled_from, p.to, *mean);
    }
  if (count[0] > 0 && count[1] > 0) {
    const double low = sum[0] / count[0], high = sum[1] / count[1];
    const auto from = text(format_quantity(one.stepped->low, conversion::port_unit(*one.stepped->stepped), 3).plain()), to = text(format_quantity(one.stepped->high, conversion::port_unit(*one.stepped->stepped), 3).plain());
    told_ << card_of("Output moves by", high - low, "V", 3, "from " + from + " to " + to);
    if (low != 0) told_ << card_of("Relative", 100 * (high - low) / low, "%", 3, "of its settled value");
  }
  if (one.stepped->ripple) told_ << card_of("Ripple", one.stepped->ripple->peak_to_peak, "V", 3, "pk-pk where it rests");
}

/// What every quantity is where the cursors stand.
void PlateausLens::place_cursors() {
  cards_ = told_;
  cursors_->place();
  if (isVisible())
    for (const char letter : {'A', 'B'}) {
      const auto at = desk_->look.cursor(letter);
      if (!at) continue;
      for (const auto& trace : drawn_) {
        const auto value = study::value_at(*trace, *at);
        if (!value || !*value) continue;
        cards_ << card_of(QString("%1 at %2").arg(text(trace->name)).arg(letter), **value, trace->unit.c_str(), 4, text(format_quantity(*at, "s", 4).plain()));
      }
    }
  emit cards_changed();
}

}  // namespace heron::app
