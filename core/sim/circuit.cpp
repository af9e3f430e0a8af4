#include "sim/circuit.h"

#include <toml++/toml.h>
#include <algorithm>
#include <cmath>
#include <random>
#include <set>

#include "base/quantity.h"
#include "sim/device.h"

namespace heron::sim {
namespace {

/// Where an error is: carries the file's name and turns a TOML node into "file:line: ".
class Reader {
 public:
  explicit Reader(std::string_view file) : file_(file) {}

  template <class... Args>
  tl::unexpected<Error> error(const toml::node* at, fmt::format_string<Args...> text, Args&&... args) const {
    const auto line = at ? at->source().begin.line : 0;
    return fail(Fault::input, "{}:{}: {}", file_, line, fmt::format(text, std::forward<Args>(args)...));
  }

  /// A number written as text with a unit, or as a bare number in SI.
  Result<double> number(const toml::node& node, std::string_view unit, const std::string& where) const {
    double value = 0;
    if (const auto* text = node.as_string()) {
      const auto read = parse_value(text->get(), unit);
      if (!read) return error(&node, "{}: {}", where, read.error().message);
      value = *read;
    } else if (const auto plain = node.value<double>()) {
      value = *plain;
    } else {
      return error(&node, "{}: a value with its unit is wanted, in quotes", where);
    }
    if (!std::isfinite(value)) return error(&node, "{}: the value must be a finite number", where);
    return value;
  }

 private:
  std::string file_;
};

bool plain_name(std::string_view name) {
  return !name.empty() &&
         std::all_of(name.begin(), name.end(), [](unsigned char c) { return std::isalnum(c) || c == '_'; });
}

Result<std::string> node_name(const Reader& reader, const toml::node& node, const std::string& where) {
  const auto* text = node.as_string();
  if (!text || !plain_name(text->get()))
    return reader.error(&node, "{}: a node is a name of letters, digits and _, in quotes", where);
  return text->get();
}

Result<void> read_nodes(const Reader& reader, const toml::table& table, Part& part) {
  const std::string where = "part " + part.name;
  if (part.kind->two_terminal) {
    const auto* between = table.get("between");
    const auto* list = between ? between->as_array() : nullptr;
    if (!list || list->size() != 2)
      return reader.error(between ? between : &table, "{}: between: two nodes are wanted, as [\"one\", \"other\"]",
                          where);
    for (const auto& entry : *list) {
      auto name = node_name(reader, entry, where + ": between");
      if (!name) return tl::unexpected(name.error());
      part.nodes.push_back(*name);
    }
  } else {
    for (const auto pin : part.kind->pins) {
      const auto* entry = table.get(pin);
      if (!entry) return reader.error(&table, "{}: {}: this pin of a {} is not connected", where, pin, part.kind->name);
      auto name = node_name(reader, *entry, fmt::format("{}: {}", where, pin));
      if (!name) return tl::unexpected(name.error());
      part.nodes.push_back(*name);
    }
  }
  return {};
}

Result<void> read_values(const Reader& reader, const toml::table& table, Part& part) {
  const std::string where = "part " + part.name;
  for (const auto& rule : part.kind->values) {
    const auto* entry = table.get(rule.key);
    if (!entry) {
      if (rule.required) return reader.error(&table, "{}: {}: is missing", where, rule.key);
      part.values[std::string(rule.key)] = {rule.fallback, 0};
      continue;
    }
    auto value = reader.number(*entry, rule.unit, fmt::format("{}: {}", where, rule.key));
    if (!value) return tl::unexpected(value.error());
    if (rule.sign == ValueRule::Sign::positive && !(*value > 0))
      return reader.error(entry, "{}: {}: must be above zero", where, rule.key);
    if (rule.sign == ValueRule::Sign::not_negative && *value < 0)
      return reader.error(entry, "{}: {}: must not be negative", where, rule.key);
    part.values[std::string(rule.key)] = {*value, 0};
  }
  if (const auto* entry = table.get("tolerance")) {
    auto percent = reader.number(*entry, "%", where + ": tolerance");
    if (!percent) return tl::unexpected(percent.error());
    if (!(*percent >= 0 && *percent < 100))
      return reader.error(entry, "{}: tolerance: must lie from 0 % to 100 %", where);
    part.values[std::string(part.kind->values.front().key)].tolerance = *percent / 100;
  }
  return {};
}

Result<void> refuse_unknown_keys(const Reader& reader, const toml::table& table, const Part& part) {
  std::set<std::string_view> known = {"kind", "tolerance", "note"};
  if (part.kind->two_terminal)
    known.insert("between");
  else
    known.insert(part.kind->pins.begin(), part.kind->pins.end());
  if (part.kind->needs_control) known.insert("control");
  for (const auto& rule : part.kind->values) known.insert(rule.key);
  for (const auto& [key, node] : table)
    if (!known.contains(key.str()))
      return reader.error(&node, "part {}: {}: a {} has no such key", part.name, key.str(), part.kind->name);
  return {};
}

Result<Part> read_part(const Reader& reader, std::string_view name, const toml::node& node) {
  Part part{.name = std::string(name)};
  const auto* table = node.as_table();
  if (!table) return reader.error(&node, "part {}: a table with kind, nodes and value is wanted", name);
  if (!plain_name(name)) return reader.error(&node, "part {}: a name has only letters, digits and _", name);
  const auto* kind = table->get("kind");
  const auto kind_text = kind ? kind->value<std::string>() : std::nullopt;
  if (!kind_text) return reader.error(kind ? kind : &node, "part {}: kind: is missing", name);
  part.kind = find_part_kind(*kind_text);
  if (!part.kind) {
    std::string all;
    for (const auto& k : part_kinds()) all += (all.empty() ? "" : ", ") + std::string(k.name);
    return reader.error(kind, "part {}: kind: \"{}\" is not known; there are {}", name, *kind_text, all);
  }
  if (const auto* note = table->get("note")) part.note = note->value_or(std::string());
  if (auto ok = read_nodes(reader, *table, part); !ok) return tl::unexpected(ok.error());
  if (auto ok = read_values(reader, *table, part); !ok) return tl::unexpected(ok.error());
  if (part.kind->needs_control) {
    const auto* control = table->get("control");
    const auto text = control ? control->value<std::string>() : std::nullopt;
    if (!text) return reader.error(&node, "part {}: control: names the voltage source whose current controls it", name);
    part.control = *text;
  }
  if (auto ok = refuse_unknown_keys(reader, *table, part); !ok) return tl::unexpected(ok.error());
  return part;
}

Result<void> check_controls(const Reader& reader, const Circuit& circuit, const toml::table& parts) {
  for (const auto& part : circuit.parts) {
    if (!part.kind->needs_control) continue;
    const Part* control = circuit.find(part.control);
    if (!control || control->kind->name != "voltage source")
      return reader.error(parts.get(part.name), "part {}: control: there is no voltage source {}", part.name,
                          part.control);
  }
  return {};
}

}  // namespace

const Part* Circuit::find(std::string_view part) const {
  const auto it = std::find_if(parts.begin(), parts.end(), [&](const Part& p) { return p.name == part; });
  return it == parts.end() ? nullptr : &*it;
}

Result<Circuit> read_circuit(std::string_view text, std::string_view file) {
  const Reader reader(file);
  toml::table root;
  try {
    root = toml::parse(text);
  } catch (const toml::parse_error& e) {
    return fail(Fault::input, "{}:{}: {}", file, e.source().begin.line, e.description());
  }
  for (const auto& [key, node] : root)
    if (const auto k = key.str(); k != "title" && k != "about" && k != "pins" && k != "ratings" && k != "part")
      return reader.error(&node, "{}: a circuit has no such key", k);

  Circuit circuit{.title = root["title"].value_or(std::string()), .about = root["about"].value_or(std::string())};
  const auto* parts = root["part"].as_table();
  if (!parts || parts->empty()) return fail(Fault::input, "{}:1: part: the circuit has no parts", file);
  std::set<std::string> nodes;
  for (const auto& [name, node] : *parts) {
    auto part = read_part(reader, name.str(), node);
    if (!part) return tl::unexpected(part.error());
    nodes.insert(part->nodes.begin(), part->nodes.end());
    circuit.parts.push_back(std::move(*part));
  }
  if (!nodes.contains(std::string(kGround)))
    return reader.error(root.get("part"), "part: nothing is connected to the node \"{}\"", kGround);
  if (auto ok = check_controls(reader, circuit, *parts); !ok) return tl::unexpected(ok.error());

  if (const auto* pins = root["pins"].as_table())
    for (const auto& [name, node] : *pins) {
      auto at = node_name(reader, node, "pins: " + std::string(name.str()));
      if (!at) return tl::unexpected(at.error());
      if (!nodes.contains(*at)) return reader.error(&node, "pins: {}: no part is connected to \"{}\"", name.str(), *at);
      circuit.pins[std::string(name.str())] = *at;
    }
  if (circuit.pins.empty())
    return fail(Fault::input, "{}:1: pins: the circuit names no pin to drive or to sense", file);
  if (const auto* ratings = root["ratings"].as_table())
    for (const auto& [name, node] : *ratings) {
      if (!circuit.pins.contains(std::string(name.str())))
        return reader.error(&node, "ratings: {}: the circuit has no such pin", name.str());
      auto limit = reader.number(node, "V", "ratings: " + std::string(name.str()));
      if (!limit) return tl::unexpected(limit.error());
      if (!(*limit > 0)) return reader.error(&node, "ratings: {}: must be above zero", name.str());
      circuit.peak_ratings[std::string(name.str())] = *limit;
    }
  return circuit;
}

std::map<std::string, PartValue> main_values(const Circuit& circuit) {
  std::map<std::string, PartValue> out;
  for (const auto& part : circuit.parts)
    if (part.kind->values.front().key == "value") out[part.name] = part.values.at("value");
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
    const auto part =
        std::find_if(built.parts.begin(), built.parts.end(), [&](const Part& p) { return p.name == name; });
    if (part == built.parts.end())
      return fail(Fault::input, "The circuit has no part {}; its fitted value cannot be used.", name);
    if (!part->values.contains("value"))
      return fail(Fault::input, "Part {} has no single value that could be fitted.", name);
    if (!(value > 0) || !std::isfinite(value))
      return fail(Fault::input, "Part {}: a fitted value must be above zero.", name);
    part->values["value"] = {value, 0};
  }
  return built;
}

}  // namespace heron::sim
