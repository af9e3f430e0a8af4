#include "plateaus_lens.h"

#include "app/lenses/placed_masks.h"
#include "app/readings.h"
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
}  // namespace

PlateausLens::PlateausLens(Desk* desk, QWidget* parent) : OverTimeLens(desk, parent, "records", "Input and output over time") {
  bar_->add("Record", "What the samples are of; [ and ] step", [this] { return said_; }, [this] { step(1); });
  bar_->add(
      "Behind", "The samples of a point, or how it went until the point counted", [this] { return QString(shows_way_ ? "the way there" : read_.empty() ? "the reading" : "the samples"); },
      [this] {
        way_ = !way_;
        looking_->forget();
        renew();
      });
  follow();
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

std::vector<int> PlateausLens::points() const {
  std::vector<int> out;
  const auto view = desk_->readings.shown();
  if (const auto* reduced = conversion_of(view.get()))
    for (const auto& one : choices(*reduced)) out.push_back(one.point);
  return out;
}

void PlateausLens::renew() {
  for (auto* bar : bars_) plot_->removeItem(bar);
  bars_.clear();
  told_.clear();
  said_.clear();
  read_.clear();
  shows_way_ = false;
  const auto view = desk_->readings.shown();
  const auto* reduced = conversion_of(view.get());
  std::vector<Choice> all;
  if (reduced) all = choices(*reduced);
  if (all.empty()) return say_nothing(reduced != nullptr, "These points came as a table: it is all that lies behind them.");
  const auto& one = *std::find_if(all.begin(), all.end(), [at = *wanted()](const Choice& c) { return c.point == at; });
  said_ = one.words;
  const auto way = one.evidence ? way_of(*one.evidence) : std::vector<study::TracePtr>();
  shows_way_ = !way.empty() && (way_ || !one.record);
  if (!shows_way_ && !one.record) {
    tell(one);
    return say("Source and load read this point themselves, once: there are no samples behind it, and nothing was waited for. Connect inputs on the Hookup page to keep samples, or read until two readings agree.");
  }
  std::vector<RecordCurve> curves;
  for (const auto& trace : shows_way_ ? way : one.record->traces) {
    curves.push_back({.trace = trace, .colour = render::take_colour(view->take.number)});
    read_.push_back({text(trace->name), trace});
  }
  std::map<std::string, std::string> called;
  if (const auto output = one.record && !shows_way_ ? study::conversion::trace_of(*one.record, study::conversion::Port::vout) : std::nullopt)
    called["output"] = one.record->traces[*output]->name;
  draw(std::move(curves), Panels::each, limits_over_time(*desk_, called));
  if (shows_way_) tell_way(*one.evidence);
  else tell(one);
  place_cursors();
}

QStringList PlateausLens::names() const {
  QStringList out;
  for (const auto& one : read_) out << one.name;
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
  for (int k = 0; k < plot_->panels().size() && k < int(read_.size()); ++k) {
    const auto& trace = *read_[std::size_t(k)].trace;
    const bool of_heat = e.warming && k == 0 && trace.size() == e.warming->read.size();
    const auto n = std::min(trace.size(), of_heat ? conversion::kRestsOver : std::size_t(2));
    std::vector<double> last(n);
    if (!trace.read(trace.size() - n, last)) continue;
    double mean = 0;
    for (const double v : last) mean += v / double(n);
    add_bar(plot_->panels()[k], trace.time.at(trace.size() - n), trace.time.at(trace.size() - 1), mean);
  }
  if (e.warming) {
    told_ << value_card(text(e.warming->place), e.warming->read.back(), "degC", 4, "after " + text(format_duration(e.warming->times.back())));
    if (e.warming->read.size() >= conversion::kRestsOver) told_ << value_card(e.warming->rests ? "Rests" : "Still moves", e.warming->by, "K", 2, "in a minute");
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
        told_ << value_card(text(std::string(conversion::port_name(port))), row.at(port), unit.c_str(), 5, known_to([&](const conversion::Row& r) { return r.at(port); }, unit.c_str()));
      }
      if (row.input_power() != 0) told_ << value_card("Efficiency", 100 * row.efficiency(), "%", 4, known_to([](const conversion::Row& r) { return 100 * r.efficiency(); }, "%"));
      told_ << value_card("Loss", row.loss(), "W", 4, known_to([](const conversion::Row& r) { return r.loss(); }, "W"));
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
    told_ << value_card("Output moves by", high - low, "V", 3, "from " + from + " to " + to);
    if (low != 0) told_ << value_card("Relative", 100 * (high - low) / low, "%", 3, "of its settled value");
  }
  if (one.stepped->ripple) told_ << value_card("Ripple", one.stepped->ripple->peak_to_peak, "V", 3, "pk-pk where it rests");
}

}  // namespace heron::app
