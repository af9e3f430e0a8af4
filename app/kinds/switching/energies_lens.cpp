#include "energies_lens.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "app/text.h"
#include "base/quantity.h"
#include "render/plot_parts.h"
#include "shot_lens.h"

namespace heron::app {

namespace switching = study::switching;
using switching::Energy;

namespace {
/// The slope at small currents, with what the fit leaves of the points.
CursorCard per_ampere(const QString& label, const switching::EnergyFit& fit) {
  auto out = value_card(label, fit.linear, "J", 3, "fit leaves " + text(format_quantity(fit.residual, "J", 2).plain()));
  out.unit += "/A";
  return out;
}
}  // namespace

EnergiesLens::EnergiesLens(Desk* desk, QWidget* parent)
    : FamilyOfCurves(desk, parent, "energies", "Energies over the load current", 1, [](const TakeView& view) -> std::any {
        const auto* reduced = switching_of(&view);
        const auto settings = switching::settings_from_text(view.analysis.settings);
        if (!reduced || !settings) return {};
        const auto shots = reduced->read_shots(*settings);
        if (!shots) return {};
        return Shots{switching::families_of(*shots), *settings};
      }) {
  log_x_ = false;
  bar_->add(
      "Over", "Against the load current, the bus voltage or the gate resistor", [this] { return QString(over_ == Over::current ? "over current" : over_ == Over::bus ? "over bus voltage" : "over gate resistor"); },
      [this] {
        over_ = over_ == Over::current ? Over::bus : over_ == Over::bus ? Over::resistor : Over::current;
        again();
      });
  bar_->add(
      "Sum", "Turn-on and turn-off apart, or all of it together", [this] { return QString(total_ ? "total" : "on and off"); },
      [this] {
        total_ = !total_;
        again();
      });
  bar_->add(
      "Fit", "A polynomial of second order through the energies over current, dotted", [this] { return QString(fits_ ? "with fits" : "without fits"); },
      [this] {
        fits_ = !fits_;
        again();
      });
  bar_->refresh();
}

QString EnergiesLens::lacks(const std::any& of) const {
  const auto& families = std::any_cast<const Shots&>(of).families;
  std::size_t points = 0;
  for (const auto& f : families) points += f.points.size();
  return points == 0 ? QString("No shot has a load current.") : QString();
}

std::vector<DrawnCurve> EnergiesLens::curves_of(int, const std::any& of) const {
  const auto& shots = std::any_cast<const Shots&>(of);
  std::vector<DrawnCurve> out;
  const std::vector<Energy> which = total_ ? std::vector{Energy::total} : std::vector{Energy::on, Energy::off};
  const auto named = [&](Energy e, const std::string& of_what) {
    const auto energy = text(std::string(switching::energy_label(e))).toLower();
    return of_what.empty() ? energy : energy + " " + text(of_what);
  };
  if (over_ == Over::current) {
    for (const auto e : which)
      for (const auto& f : shots.families) {
        DrawnCurve curve{.name = named(e, f.name()), .x = {}, .y = {}};
        for (const auto& p : f.points)
          if (const auto& found = p.energy[std::size_t(e)]) {
            curve.x.push_back(p.load);
            curve.y.push_back(*found->value);
            curve.u.push_back(found->u());
            curve.points.push_back(p.point);
          }
        if (curve.x.empty()) continue;
        const auto fit = fits_ && curve.x.size() > 2 ? switching::fit_of(f, e) : std::nullopt;
        const double last = curve.x.back();
        out.push_back(std::move(curve));
        if (fit) {
          DrawnCurve drawn{.name = {}, .x = {}, .y = {}, .fitted = true};
          constexpr int kPlaces = 60;
          for (int k = 0; k <= kPlaces; ++k) {
            const double current = last * k / kPlaces;
            drawn.x.push_back(current);
            drawn.y.push_back(fit->at(current));
          }
          out.push_back(std::move(drawn));
        }
      }
    return out;
  }
  // At each current that was set, over what else was swept.
  std::map<std::pair<int, double>, DrawnCurve> by_current;
  for (const auto e : which)
    for (const auto& f : shots.families)
      for (const auto& p : f.points) {
        const auto along = over_ == Over::bus ? std::optional(p.bus) : f.resistor;
        const auto& found = p.energy[std::size_t(e)];
        if (!along || !found) continue;
        const double current = p.setting.current.value_or(p.load);
        auto& curve = by_current[{int(e), current}];
        curve.name = named(e, format_setting(rounded_to(current, 3), "A"));
        curve.x.push_back(*along);
        curve.y.push_back(*found->value);
        curve.u.push_back(found->u());
        curve.points.push_back(p.point);
      }
  for (auto& [key, curve] : by_current) {
    std::vector<std::size_t> order(curve.x.size());
    for (std::size_t k = 0; k < order.size(); ++k) order[k] = k;
    std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return curve.x[a] < curve.x[b]; });
    DrawnCurve sorted{.name = curve.name, .x = {}, .y = {}};
    for (const auto k : order) {
      sorted.x.push_back(curve.x[k]);
      sorted.y.push_back(curve.y[k]);
      sorted.u.push_back(curve.u[k]);
      sorted.points.push_back(curve.points[k]);
    }
    out.push_back(std::move(sorted));
  }
  return out;
}

std::vector<LimitedCurve> EnergiesLens::limited(int) const {
  if (over_ != Over::current) return {};
  const auto on = [](Energy e) { return LimitedCurve{switching::energy_name(e), "A"}; };
  return total_ ? std::vector{on(Energy::total)} : std::vector{on(Energy::on), on(Energy::off)};
}

void EnergiesLens::finish() {
  const auto* shots = std::any_cast<Shots>(&shown_);
  cards_.clear();
  if (shots && over_ == Over::current) {
    for (const auto& [promised, e] : {std::pair{&shots->settings.expected_on, Energy::on}, {&shots->settings.expected_off, Energy::off}})
      for (const auto& f : shots->families)
        for (const auto& [current, energy] : switching::scaled(*promised, shots->settings, f.bus, f.resistor)) {
          if (total_) continue;
          auto* mark = new QCPItemTracer(plot_);
          mark->position->setCoords(current, energy);
          mark->setStyle(QCPItemTracer::tsSquare);
          mark->setSize(8);
          mark->setPen(QPen(render::theme().slate, 1.4));
          mark->setBrush(Qt::NoBrush);
          items_ << mark;
        }
    if (fits_)
      for (const auto e : total_ ? std::vector{Energy::total} : std::vector{Energy::on, Energy::off})
        for (const auto& f : shots->families)
          if (const auto fit = switching::fit_of(f, e); fit && cards_.size() < 4)
            cards_ << per_ampere(text(std::string(switching::energy_label(e))) + (f.name().empty() ? QString() : ", " + text(f.name())), *fit);
  }
  emit cards_changed();
  render::measure_axis(plot_->yAxis, "Energy", "J");
  if (over_ == Over::current) render::measure_axis(plot_->xAxis, shots && (!shots->settings.expected_on.empty() || !shots->settings.expected_off.empty()) && !total_ ? "Load current (squares: the data sheet, scaled)" : "Load current", "A");
  else if (over_ == Over::bus) render::measure_axis(plot_->xAxis, "Bus voltage", "V");
  else render::measure_axis(plot_->xAxis, "Gate resistor", "ohm");
}

}  // namespace heron::app
