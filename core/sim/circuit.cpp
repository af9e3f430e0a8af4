#include "sim/circuit.h"

#include <algorithm>
#include <cmath>
#include <random>

#include "sim/device.h"

namespace heron::sim {

const Part* Circuit::find(std::string_view part) const {
  const auto it = std::find_if(parts.begin(), parts.end(), [&](const Part& p) { return p.name == part; });
  return it == parts.end() ? nullptr : &*it;
}

bool Circuit::moves_by_itself() const {
  const auto above = [](const Part& p, const char* key) {
    const auto it = p.values.find(key);
    return it != p.values.end() && it->second.value != 0;
  };
  return std::any_of(parts.begin(), parts.end(), [&](const Part& p) {
    return !p.points.empty() || (p.kind && p.kind->takes_points ? above(p, "peak") : above(p, "frequency"));
  });
}

std::optional<double> Circuit::voltage_rating(const std::string& pin, double sign) const {
  const auto it = ratings.find(pin);
  return it == ratings.end() ? std::nullopt : it->second.voltage_towards(sign);
}

std::vector<std::string> contacts_of(const Circuit& circuit) {
  std::vector<std::string> out;
  const auto* contact = find_part_kind("contact");
  for (const auto& part : circuit.parts)
    if (part.kind == contact) out.push_back(part.name);
  return out;
}

std::map<std::string, PartValue> main_values(const Circuit& circuit) {
  std::map<std::string, PartValue> out;
  for (const auto& part : circuit.parts)
    if (!part.kind->values.empty() && part.kind->values.front().key == "value")
      out[part.name] = part.values.at("value");
  return out;
}

Result<Circuit> as_built(const Circuit& nominal, std::string_view unit, const FittedValues& fitted) {
  Circuit built = nominal;
  for (auto& part : built.parts) {
    // Each part has its own stream, so that adding a part changes no other.
    std::string key = std::string(unit) + "/" + part.name;
    std::seed_seq seed(key.begin(), key.end());
    std::mt19937_64 random(seed);
    for (auto& [name, value] : part.values) {
      const double share = double(random() >> 11) * 0x1p-53;
      value.value *= 1 + value.tolerance * (2 * share - 1);
    }
  }
  for (const auto& [name, value] : fitted) {
    std::string of = name, key = "value";
    if (!built.find(of))
      if (const auto dot = of.rfind('.'); dot != std::string::npos) {
        key = of.substr(dot + 1);
        of.resize(dot);
      }
    const auto part = std::find_if(built.parts.begin(), built.parts.end(), [&](const Part& p) { return p.name == of; });
    if (part == built.parts.end())
      return fail(Fault::input, "The circuit has no part {}; its fitted value cannot be used.", name);
    if (!part->values.contains(key))
      return fail(Fault::input, "Part {} has no value \"{}\" that could be fitted.", of, key);
    if (!(value > 0) || !std::isfinite(value))
      return fail(Fault::input, "Part {}: a fitted value must be above zero.", name);
    part->values[key] = {value, 0};
  }
  return built;
}

Result<Circuit> with_standard(const Circuit& circuit, std::string_view what, double ohms) {
  if (!circuit.fixture && what == "open") {
    // Everything is out; the leads still have their air.
    Circuit out = circuit;
    out.parts.clear();
    out.branches.clear();
    for (const auto& [pin, node] : circuit.pins)
      if (node != kGround)
        out.parts.push_back(make_part("air at " + pin, "resistor", {node, std::string(kGround)}, {{"value", 1e12}}));
    return out;
  }
  if (!circuit.fixture && what == "short") {
    // Every lead ends at ground, every sensor of a current sits on a bare wire.
    constexpr double kWire = 1e-4;
    Circuit out = circuit;
    out.parts.clear();
    for (const auto& [pin, node] : circuit.pins)
      if (node != kGround) out.parts.push_back(make_part("wire at " + pin, "resistor", {node, std::string(kGround)}, {{"value", kWire}}));
    for (auto& [name, branch] : out.branches) {
      const auto* part = circuit.find(branch.part);
      if (part && !out.find(branch.part)) out.parts.push_back(make_part(branch.part, "resistor", {part->nodes[branch.pin], std::string(kGround)}, {{"value", kWire}}));
      branch.pin = 0;
    }
    return out;
  }
  if (!circuit.fixture)
    return fail(Fault::bench, "The circuit has no fixture, so nothing can stand in the device's place.");
  if (what != "open" && what != "short" && what != "load")
    return fail(Fault::usage, "There is no standard \"{}\"; there are open, short and load.", what);
  // A real open still has its air, a real short its wire.
  constexpr double kOpen = 1e12, kShort = 1e-4;
  Circuit out = circuit;
  const auto& parts = circuit.fixture->device;
  std::erase_if(out.parts, [&](const Part& p) { return std::find(parts.begin(), parts.end(), p.name) != parts.end(); });
  out.parts.push_back(make_part("fixture", "resistor", {circuit.fixture->from, circuit.fixture->to},
                                {{"value", what == "open"    ? kOpen
                                           : what == "short" ? kShort
                                                             : ohms}}));
  std::erase_if(out.branches, [&](const auto& b) { return !out.find(b.second.part); });
  std::erase_if(out.pins, [&](const auto& pin) {
    return std::none_of(out.parts.begin(), out.parts.end(), [&](const Part& p) {
      return std::find(p.nodes.begin(), p.nodes.end(), pin.second) != p.nodes.end();
    });
  });
  return out;
}

}  // namespace heron::sim
