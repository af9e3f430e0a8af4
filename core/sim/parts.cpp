#include <algorithm>

#include "sim/device.h"
#include "sim/parts/parts.h"

namespace heron::sim {

const std::vector<PartKind>& part_kinds() {
  static const std::vector<PartKind> kinds = [] {
    std::vector<PartKind> all;
    for (const auto& family : {parts::passives(), parts::sources(), parts::op_amps()})
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

}  // namespace heron::sim
