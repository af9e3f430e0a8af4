#pragma once
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
};

nlohmann::json to_json(const Choice& choice);
/// What is not understood is left as it is when nobody has chosen.
Choice choice_from(const nlohmann::json& kept);

}  // namespace heron::report
