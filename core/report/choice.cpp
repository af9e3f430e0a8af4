#include "report/choice.h"

#include <algorithm>

namespace heron::report {

using nlohmann::json;

const std::vector<PartName>& part_names() {
  static const std::vector<PartName> all = {{Part::setup, "setup", "set-up"},
                                            {Part::hookup, "hookup", "hookup"},
                                            {Part::plots, "plots", "plots"},
                                            {Part::numbers, "numbers", "numbers of the plots"},
                                            {Part::claims, "claims", "claims"},
                                            {Part::figures, "figures", "figures"},
                                            {Part::doubts, "doubts", "doubts"},
                                            {Part::notes, "notes", "notes"},
                                            {Part::points, "points", "tables of points"}};
  return all;
}

json to_json(const Choice& choice) {
  json parts = json::array();
  for (const auto& one : part_names())
    if (choice.parts.contains(one.part)) parts.push_back(one.key);
  return {{"title", choice.title}, {"author", choice.author}, {"summary", choice.summary}, {"studies", choice.studies}, {"units", choice.units}, {"parts", parts}};
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
  if (const auto it = kept.find("parts"); it != kept.end() && it->is_array()) {
    out.parts.clear();
    for (const auto& name : part_names())
      if (std::find(it->begin(), it->end(), name.key) != it->end()) out.parts.insert(name.part);
  }
  return out;
}

}  // namespace heron::report
