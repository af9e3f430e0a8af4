#include "report/choice.h"

#include <algorithm>

namespace heron::report {

using nlohmann::json;

const std::vector<PartName>& part_names() {
  static const std::vector<PartName> all = {{Part::setup, "setup", "set-up"},
                                            {Part::hookup, "hookup", "hookup"},
                                            {Part::plots, "plots", "plots"},
                                            {Part::numbers, "numbers", "numbers of the plots, in HTML"},
                                            {Part::claims, "claims", "claims"},
                                            {Part::figures, "figures", "figures"},
                                            {Part::doubts, "doubts", "doubts"},
                                            {Part::notes, "notes", "notes"},
                                            {Part::points, "points", "tables of points"}};
  return all;
}

namespace {

json keys_of(const std::set<Part>& parts) {
  json out = json::array();
  for (const auto& one : part_names())
    if (parts.contains(one.part)) out.push_back(one.key);
  return out;
}

std::set<Part> parts_from(const json& keys) {
  std::set<Part> out;
  for (const auto& name : part_names())
    if (std::find(keys.begin(), keys.end(), name.key) != keys.end()) out.insert(name.part);
  return out;
}

}  // namespace

json to_json(const Choice& choice) {
  json of = json::object();
  for (const auto& [study, parts] : choice.parts_of) of[study] = keys_of(parts);
  return {{"title", choice.title}, {"author", choice.author}, {"summary", choice.summary}, {"studies", choice.studies}, {"units", choice.units}, {"parts", keys_of(choice.parts)}, {"of", of}};
}

Choice choice_from(const json& kept) {
  Choice out;
  if (!kept.is_object()) return out;
  const auto text = [&](const char* key, std::string& into) {
    if (const auto it = kept.find(key); it != kept.end() && it->is_string()) into = it->get<std::string>();
  };
  const auto list = [&](const char* key, std::vector<std::string>& into) {
    if (const auto it = kept.find(key); it != kept.end() && it->is_array())
      for (const auto& one : *it)
        if (one.is_string()) into.push_back(one.get<std::string>());
  };
  text("title", out.title);
  text("author", out.author);
  text("summary", out.summary);
  list("studies", out.studies);
  list("units", out.units);
  if (const auto it = kept.find("parts"); it != kept.end() && it->is_array()) out.parts = parts_from(*it);
  if (const auto it = kept.find("of"); it != kept.end() && it->is_object())
    for (const auto& [study, parts] : it->items())
      if (parts.is_array()) out.parts_of[study] = parts_from(parts);
  return out;
}

}  // namespace heron::report
