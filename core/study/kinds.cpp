#include <algorithm>

#include "study/iv/kind.h"
#include "study/kind.h"
#include "study/response/kind.h"

namespace heron::study {

const std::vector<const Kind*>& kinds() {
  static const std::vector<const Kind*> all = {&response::kind(), &iv::kind()};
  return all;
}

const Kind* find_kind(std::string_view name) {
  const auto it = std::find_if(kinds().begin(), kinds().end(), [&](const Kind* k) { return k->name == name; });
  return it == kinds().end() ? nullptr : *it;
}

const ColumnRole* Kind::find_role(std::string_view role) const {
  const auto it = std::find_if(columns.begin(), columns.end(), [&](const ColumnRole& r) { return r.name == role; });
  return it == columns.end() ? nullptr : &*it;
}

std::optional<std::string> Kind::unit_of(std::string_view key) const {
  const auto base = key.substr(0, key.find_first_of("@("));
  for (const auto& figure : figures())
    if (figure.key == base) return figure.unit;
  return std::nullopt;
}

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

}  // namespace heron::study
