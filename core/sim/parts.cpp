#include <algorithm>

#include "sim/device.h"
#include "sim/parts/parts.h"

namespace heron::sim {

const std::vector<PartKind>& part_kinds() {
  static const std::vector<PartKind> kinds = [] {
    std::vector<PartKind> all;
    for (const auto& family :
         {parts::passives(), parts::sources(), parts::expressions(), parts::switches(), parts::junctions(),
          parts::transistors(), parts::op_amps(), parts::motors(), parts::converters(), parts::bench_sources()})
      all.insert(all.end(), family.begin(), family.end());
    return all;
  }();
  return kinds;
}

const PartKind* find_part_kind(std::string_view name) {
  const auto& kinds = part_kinds();
  const auto it = std::find_if(kinds.begin(), kinds.end(), [&](const PartKind& k) { return k.name == name; });
  return it == kinds.end() ? nullptr : &*it;
}

Part make_part(std::string name, std::string_view kind, std::vector<std::string> nodes,
               const std::map<std::string, double>& values) {
  Part part{.name = std::move(name), .kind = find_part_kind(kind), .nodes = std::move(nodes)};
  for (const auto& rule : part.kind->values) part.values[std::string(rule.key)] = {rule.fallback, 0};
  for (const auto& rule : part.kind->texts) part.texts[std::string(rule.key)] = std::string(rule.words.front());
  for (const auto& [key, value] : values) part.values[key] = {value, 0};
  return part;
}

}  // namespace heron::sim
