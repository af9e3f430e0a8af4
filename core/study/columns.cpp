#include "study/columns.h"

#include <algorithm>
#include <mutex>
#include <span>
#include <utility>

namespace heron::study {

const Columns::Column* Columns::find(std::string_view name) const {
  const auto it = std::find_if(columns.begin(), columns.end(), [&](const Column& c) { return c.name == name; });
  return it == columns.end() ? nullptr : &*it;
}

namespace {
constexpr std::string_view kOfFamily = " at ";
}

std::string Columns::curve_of(const Column& column) { return column.step ? column.name.substr(0, column.name.find(kOfFamily)) : column.name; }

std::vector<const Columns::Column*> Columns::all(std::string_view name) const {
  if (const auto* one = find(name)) return {one};
  std::vector<const Column*> out;
  const std::string curve = std::string(name) + std::string(kOfFamily);
  for (const auto& c : columns)
    if (c.name.starts_with(curve)) out.push_back(&c);
  return out;
}

namespace {

/// Of each stretch of values its lowest and its highest place, in the order they came.
std::vector<std::size_t> extremes(std::span<const double> y, std::size_t stretches) {
  std::vector<std::size_t> kept;
  for (std::size_t s = 0; s < stretches; ++s) {
    const auto first = s * y.size() / stretches, next = (s + 1) * y.size() / stretches;
    const auto stretch = y.subspan(first, next - first);
    const auto [low, high] = std::minmax_element(stretch.begin(), stretch.end());
    const auto place = [&](auto it) { return std::size_t(&*it - y.data()); };
    kept.push_back(std::min(place(low), place(high)));
    if (low != high) kept.push_back(std::max(place(low), place(high)));
  }
  return kept;
}

std::vector<double> picked(const std::vector<double>& from, const std::vector<std::size_t>& places) {
  std::vector<double> out;
  for (const auto k : places) out.push_back(from[k]);
  return out;
}

}  // namespace

struct LazyColumns::Shared {
  std::function<Columns()> make;
  std::once_flag once = {};
  Columns columns = {};
};

LazyColumns::LazyColumns(Columns ready) : shared_(std::make_shared<Shared>()) { shared_->columns = std::move(ready); }
LazyColumns::LazyColumns(std::function<Columns()> make) : shared_(std::make_shared<Shared>()) { shared_->make = std::move(make); }

const Columns& LazyColumns::operator*() const {
  std::call_once(shared_->once, [this] {
    if (const auto make = std::exchange(shared_->make, nullptr)) shared_->columns = make();
  });
  return shared_->columns;
}

Columns thinned(Columns columns, std::size_t most) {
  Columns out{columns.x_name, columns.x_unit, columns.logarithmic};
  for (auto& column : columns.columns) {
    auto x = columns.x_of(column);
    const auto size = std::min(x.size(), column.y.size());
    x.resize(size);
    column.y.resize(size);
    if (size > std::max<std::size_t>(most, 2)) {
      const auto places = extremes(column.y, std::max<std::size_t>(1, most / 2));
      x = picked(x, places);
      column.y = picked(column.y, places);
    }
    out.columns.push_back({.name = column.name, .unit = column.unit, .y = std::move(column.y), .step = column.step,
                           .x = std::move(x)});
  }
  return out;
}

}  // namespace heron::study
