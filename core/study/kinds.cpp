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
