#include "energy_map_lens.h"

#include <algorithm>
#include <cmath>

#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"

namespace heron::app {

namespace switching = study::switching;
using switching::Energy;
using switching::Family;

namespace {

/// A quantity that families differ in.
struct Swept {
  const char *name, *unit;
  std::optional<double> Family::*value;
};
constexpr Swept kSwept[] = {{"Gate resistor", "ohm", &Family::resistor}, {"Bus voltage", "V", &Family::bus}, {"Temperature", "degC", &Family::temperature}};

/// Those that have two values at least.
std::vector<Swept> swept_in(const std::vector<Family>& families) {
  std::vector<Swept> out;
  for (const auto& one : kSwept) {
    std::vector<double> values;
    for (const auto& f : families)
      if (const auto& v = f.*one.value) values.push_back(*v);
    if (places_of(std::move(values), true).size() > 1) out.push_back(one);
  }
  return out;
}

double current_of(const switching::SweepPoint& p) { return p.setting.current.value_or(p.load); }

}  // namespace

EnergyMapLens::EnergyMapLens(Desk* desk, QWidget* parent) : CellMapLens(desk, parent, "energy-map", "Energy over current and what else was swept") {
  bar_->add(
      "Energy", "What the cells show", [this] { return text(std::string(switching::energy_label(which_))).toLower(); },
      [this] {
        which_ = which_ == Energy::total ? Energy::on : which_ == Energy::on ? Energy::off : Energy::total;
        draw();
      });
  bar_->add(
      "Over", "What goes upwards",
      [this] {
        const auto swept = swept_in(families_);
        return swept.size() < 2 ? QString() : "over " + QString(swept[over_ % swept.size()].name).toLower();
      },
      [this] {
        ++over_;
        draw();
      });
  bar_->refresh();
}

void EnergyMapLens::prepare(const TakeViewPtr& view) {
  ink_ = render::take_colour(view->take.number);
  working_.ask(
      [view] {
        const auto* reduced = switching_of(view.get());
        const auto settings = switching::settings_from_text(view->analysis.settings);
        if (!reduced || !settings) return std::vector<Family>();
        const auto shots = reduced->read_shots(*settings);
        return shots ? switching::families_of(*shots) : std::vector<Family>();
      },
      [this](const std::vector<Family>& families) {
        families_ = families;
        draw();
      });
}

void EnergyMapLens::draw() {
  const auto swept = swept_in(families_);
  if (swept.empty()) return say("A map wants two gate resistors, bus voltages or temperatures beside the currents.");
  const auto& up = swept[over_ % swept.size()];
  // What else was swept stays as it is in the first family.
  std::vector<const Family*> alike;
  for (const auto& f : families_)
    if (f.*up.value && std::all_of(std::begin(kSwept), std::end(kSwept), [&](const Swept& s) { return s.value == up.value || f.*s.value == families_.front().*s.value; })) alike.push_back(&f);
  std::vector<double> currents, others;
  bool set = true;
  for (const auto* f : alike) {
    others.push_back(*(f->*up.value));
    for (const auto& p : f->points) {
      currents.push_back(current_of(p));
      set = set && p.setting.current;
    }
  }
  CellGrid grid{.across = {"Load current", places_of(std::move(currents), set), "A"}, .upwards = {up.name, places_of(std::move(others), true), up.unit}, .values = {}, .points = {}, .unit = "J"};
  if (grid.across.places.size() < 2 || grid.upwards.places.size() < 2) return say("A map wants two currents at least.");
  grid.values.assign(grid.size(), NAN);
  grid.points.assign(grid.size(), -1);
  for (const auto* f : alike)
    for (const auto& p : f->points) {
      const auto cell = grid.cell(nearest_place(grid.across.places, current_of(p)), nearest_place(grid.upwards.places, *(f->*up.value)));
      grid.points[cell] = p.point;
      if (const auto& found = p.energy[std::size_t(which_)]) grid.values[cell] = *found->value;
    }
  show_grid(std::move(grid), ink_);
}

}  // namespace heron::app
