#include "map_lens.h"

#include <algorithm>
#include <cmath>

#include "render/theme.h"

namespace heron::app {

namespace conversion = study::conversion;

namespace {

double load_of(const conversion::Row& r) { return r.load.value_or(r.iout()); }

}  // namespace

MapLens::MapLens(Desk* desk, QWidget* parent) : CellMapLens(desk, parent, "map", "Line by load") {
  bar_->add(
      "Figure", "What the cells show", [this] { return QString(which_ == Shown::efficiency ? "efficiency" : which_ == Shown::loss ? "loss" : "output"); },
      [this] {
        which_ = which_ == Shown::efficiency ? Shown::loss : which_ == Shown::loss ? Shown::output : Shown::efficiency;
        draw();
      });
  bar_->refresh();
}

void MapLens::prepare(const TakeViewPtr& view) {
  ink_ = render::take_colour(view->take.number);
  working_.ask(
      [view] {
        Ready out;
        const auto* reduced = conversion_of(view.get());
        const auto settings = conversion::settings_from_text(view->analysis.settings);
        if (!reduced || !settings) return out;
        out.settings = *settings;
        out.rows = conversion::within_limits(reduced->rows(), *settings);
        return out;
      },
      [this](const Ready& ready) {
        ready_ = ready;
        draw();
      });
}

double MapLens::value_of(const conversion::Row& r) const {
  switch (which_) {
    case Shown::efficiency: return r.input_power() != 0 ? 100 * r.efficiency() : NAN;
    case Shown::loss: return r.loss();
    case Shown::output: return r.vout();
  }
  return NAN;
}

void MapLens::draw() {
  // One frequency and temperature: the ones chosen, else the first.
  const auto& rows = ready_.rows;
  if (rows.empty()) return say("No point lies within the limits of line and load.");
  const auto first = std::find_if(rows.begin(), rows.end(), [&](const conversion::Row& r) { return !ready_.settings.frequency || !r.frequency || std::abs(*r.frequency / *ready_.settings.frequency - 1) < 0.02; });
  const auto& like = first == rows.end() ? rows.front() : *first;
  const auto same = [&](const conversion::Row& r) { return r.frequency == like.frequency && r.temperature == like.temperature; };
  std::vector<double> lines, loads;
  for (const auto& r : rows)
    if (same(r)) {
      lines.push_back(r.line_or_read());
      loads.push_back(load_of(r));
    }
  const auto all_set = [&](auto of) { return std::all_of(rows.begin(), rows.end(), [&](const conversion::Row& r) { return of(r).has_value(); }); };
  CellGrid grid{.across = {"Load", places_of(std::move(loads), all_set([](const conversion::Row& r) { return r.load; })), "A"},
                .upwards = {"Line", places_of(std::move(lines), all_set([](const conversion::Row& r) { return r.line; })), "V"},
                .values = {},
                .points = {},
                .unit = which_ == Shown::efficiency ? "%" : which_ == Shown::loss ? "W" : "V",
                .decimals = which_ == Shown::output ? 3 : 1,
                .dark_below = which_ == Shown::efficiency};
  if (grid.across.places.size() < 2 || grid.upwards.places.size() < 2) return say("A map wants at least two lines and two loads.");
  if (which_ == Shown::efficiency) grid.badness = [](double v) { return -v; };
  if (which_ == Shown::output) grid.badness = [nominal = ready_.settings.nominal](double v) { return std::abs(v - nominal.value_or(v)); };
  grid.values.assign(grid.size(), NAN);
  grid.points.assign(grid.size(), -1);
  for (const auto& r : rows) {
    if (!same(r)) continue;
    const auto cell = grid.cell(nearest_place(grid.across.places, load_of(r)), nearest_place(grid.upwards.places, r.line_or_read()));
    grid.values[cell] = value_of(r);
    grid.points[cell] = r.point;
  }
  show_grid(std::move(grid), ink_);
}

}  // namespace heron::app
