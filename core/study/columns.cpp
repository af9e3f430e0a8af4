#include "study/columns.h"

#include <algorithm>

namespace heron::study {

const Columns::Column* Columns::find(std::string_view name) const {
  const auto it = std::find_if(columns.begin(), columns.end(), [&](const Column& c) { return c.name == name; });
  return it == columns.end() ? nullptr : &*it;
}

std::vector<const Columns::Column*> Columns::all(std::string_view name) const {
  if (const auto* one = find(name)) return {one};
  std::vector<const Column*> out;
  const std::string curve = std::string(name) + " at ";
  for (const auto& c : columns)
    if (c.name.starts_with(curve)) out.push_back(&c);
  return out;
}

Columns thinned(Columns columns, std::size_t most) {
  for (auto& column : columns.columns) {
    auto x = columns.x_of(column);
    const auto size = std::min(x.size(), column.y.size());
    std::vector<double> places, values;
    // Of each stretch its highest and its lowest point, in the order they came.
    const std::size_t stretches = std::max<std::size_t>(1, most / 2);
    for (std::size_t s = 0; s < stretches && size > most; ++s) {
      const auto first = s * size / stretches, last = (s + 1) * size / stretches;
      const auto [low, high] = std::minmax_element(column.y.begin() + long(first), column.y.begin() + long(last));
      auto one = std::size_t(low - column.y.begin()), other = std::size_t(high - column.y.begin());
      if (one > other) std::swap(one, other);
      for (const auto k : {one, other}) {
        places.push_back(x[k]);
        values.push_back(column.y[k]);
        if (one == other) break;
      }
    }
    if (size <= most) {
      x.resize(size);
      places = std::move(x);
      values.assign(column.y.begin(), column.y.begin() + long(size));
    }
    column.x = std::move(places);
    column.y = std::move(values);
    column.u.clear();
    column.shared.clear();
  }
  columns.x.clear();
  columns.x_u.clear();
  columns.x_shared.clear();
  columns.undecided.clear();
  return columns;
}

}  // namespace heron::study
