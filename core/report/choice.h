#pragma once
#include <map>
#include <nlohmann/json.hpp>
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"

/// What a report shall show, as somebody chose it; kept in the dossier.
namespace heron::report {

/// Of each study.
enum class Part { setup, hookup, plots, numbers, claims, figures, doubts, notes, points };
struct PartName {
  Part part;
  std::string_view key, words;  ///< as it is kept; for people
};
const std::vector<PartName>& part_names();

struct Choice {
  std::string title, author, summary;  ///< empty title: the device's name
  std::vector<std::string> studies;    ///< by name; empty: all
  std::vector<std::string> units;      ///< by name; empty: all
  std::set<Part> parts = {Part::setup, Part::hookup, Part::plots, Part::numbers, Part::claims, Part::figures, Part::doubts, Part::notes};
  std::map<std::string, std::set<Part>> parts_of = {};  ///< of studies of which something else is told than of the others

  const std::set<Part>& parts_for(const std::string& study) const {
    const auto it = parts_of.find(study);
    return it == parts_of.end() ? parts : it->second;
  }
};

nlohmann::json to_json(const Choice& choice);
/// What is not understood is left as it is when nobody has chosen.
Choice choice_from(const nlohmann::json& kept);

}  // namespace heron::report
