#include <toml++/toml.h>
#include <algorithm>
#include <cmath>
#include <set>

#include "base/formula.h"
#include "base/quantity.h"
#include "bench/bench.h"
#include "sim/circuit.h"
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
    return fail(Fault::input, "{}:{}: {}", file_, std::max<unsigned>(line, 1),
                fmt::format(text, std::forward<Args>(args)...));
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

  Result<std::string> node_name(const toml::node& node, const std::string& where) const {
    const auto* text = node.as_string();
    if (!text || text->get().empty() || !std::all_of(text->get().begin(), text->get().end(), [](unsigned char c) {
          return std::isalnum(c) || c == '_';
        }))
      return error(&node, "{}: a node is a name of letters, digits and _, in quotes", where);
    return text->get();
  }

 private:
  std::string file_;
};

bool plain_name(std::string_view name) {
  return !name.empty() && name.size() < 64 &&
         std::all_of(name.begin(), name.end(), [](unsigned char c) { return std::isalnum(c) || c == '_'; });
}

/// Where parts are being read: the circuit itself or one instance of a sub-circuit.
struct Scope {
  std::string prefix;                        ///< "X1." inside the instance X1
  std::map<std::string, std::string> nodes;  ///< pins of the sub-circuit -> nodes outside
  std::vector<std::string> names;            ///< of the parameters...
  std::vector<double> values;                ///< ...and their values here
  std::vector<std::string> within;           ///< sub-circuits that are being expanded, outermost first

  std::string node(const std::string& name) const {
    if (name == kGround) return name;
    const auto it = nodes.find(name);
    return it != nodes.end() ? it->second : prefix + name;
  }
};

class CircuitReader {
 public:
  CircuitReader(const Reader& reader, const toml::table& root) : reader_(reader), root_(root) {}

  Result<void> read_parts(const toml::table& parts, const Scope& scope, Circuit& into) {
    for (const auto& [name, node] : parts) {
      const auto* table = node.as_table();
      if (table && (*table)["kind"].value_or(std::string()) == "subcircuit") {
        if (auto ok = read_instance(name.str(), *table, scope, into); !ok) return ok;
        continue;
      }
      auto part = read_part(name.str(), node, scope);
      if (!part) return tl::unexpected(part.error());
      if (into.parts.size() >= std::size_t(kMostParts))
        return reader_.error(&node, "part {}: the circuit has more than {} parts, which is more than is solved",
                             part->name, kMostParts);
      into.parts.push_back(std::move(*part));
    }
    return {};
  }

 private:
  /// A value: as written, or inside a sub-circuit a formula over its parameters, "=2*R".
  Result<double> value(const toml::node& node, std::string_view unit, const std::string& where, const Scope& scope) {
    const auto* text = node.as_string();
    if (!text || !text->get().starts_with('=')) return reader_.number(node, unit, where);
    const auto formula = Formula::read(text->get().substr(1), scope.names);
    if (!formula) return reader_.error(&node, "{}: {}", where, formula.error().message);
    const double v = (*formula)(scope.values);
    if (!std::isfinite(v)) return reader_.error(&node, "{}: \"{}\" gives no finite number", where, text->get());
    return v;
  }

  Result<void> read_instance(std::string_view name, const toml::table& table, const Scope& scope, Circuit& into) {
    const std::string where = "part " + scope.prefix + std::string(name);
    if (!plain_name(name)) return reader_.error(&table, "{}: a name has only letters, digits and _", where);
    for (const auto& [key, node] : table)
      if (const auto k = key.str(); k != "kind" && k != "of" && k != "connect" && k != "with" && k != "note")
        return reader_.error(&node, "{}: {}: a subcircuit has no such key", where, k);
    const auto of = table["of"].value_or(std::string());
    const auto* definition = root_["subcircuit"][of].as_table();
    if (!definition) return reader_.error(&table, "{}: of: there is no [subcircuit.{}]", where, of);
    if (std::find(scope.within.begin(), scope.within.end(), of) != scope.within.end())
      return reader_.error(&table, "{}: the sub-circuit {} contains itself", where, of);
    Scope inner{.prefix = scope.prefix + std::string(name) + ".", .within = scope.within};
    inner.within.push_back(of);

    for (const auto& [key, node] : *definition)
      if (const auto k = key.str(); k != "pins" && k != "parameters" && k != "part" && k != "about")
        return reader_.error(&node, "subcircuit {}: {}: a sub-circuit has no such key", of, k);
    const auto* pins = definition->get_as<toml::array>("pins");
    if (!pins || pins->empty()) return reader_.error(definition, "subcircuit {}: pins: is missing", of);
    const auto* connect = table.get_as<toml::table>("connect");
    for (const auto& pin : *pins) {
      auto inside = reader_.node_name(pin, "subcircuit " + of + ": pins");
      if (!inside) return tl::unexpected(inside.error());
      const auto* outside = connect ? connect->get(*inside) : nullptr;
      if (!outside) return reader_.error(&table, "{}: connect: the pin {} of {} is not connected", where, *inside, of);
      auto node = reader_.node_name(*outside, where + ": connect: " + *inside);
      if (!node) return tl::unexpected(node.error());
      inner.nodes[*inside] = scope.node(*node);
    }
    for (const auto& [key, node] : *connect)
      if (!inner.nodes.contains(std::string(key.str())))
        return reader_.error(&node, "{}: connect: {} has no pin {}", where, of, key.str());

    const auto* with = table.get_as<toml::table>("with");
    if (const auto* parameters = definition->get_as<toml::table>("parameters"))
      for (const auto& [key, node] : *parameters) {
        const auto* given = with ? with->get(key.str()) : nullptr;
        const std::string at = where + ": with: " + std::string(key.str());
        if (!formula_name(key.str())) return reader_.error(&node, "{}: a parameter's name has letters and digits", at);
        auto v = given ? value(*given, "", at, scope) : value(node, "", at, Scope{});
        if (!v) return tl::unexpected(v.error());
        inner.names.push_back(std::string(key.str()));
        inner.values.push_back(*v);
      }
    if (with)
      for (const auto& [key, node] : *with)
        if (std::find(inner.names.begin(), inner.names.end(), key.str()) == inner.names.end())
          return reader_.error(&node, "{}: with: {} has no parameter {}", where, of, key.str());
    const auto* parts = definition->get_as<toml::table>("part");
    if (!parts || parts->empty()) return reader_.error(definition, "subcircuit {}: part: it has no parts", of);
    return read_parts(*parts, inner, into);
  }

  Result<void> read_nodes(const toml::table& table, const Scope& scope, Part& part) {
    const std::string where = "part " + part.name;
    if (part.kind->two_terminal) {
      const auto* between = table.get("between");
      const auto* list = between ? between->as_array() : nullptr;
      if (!list || list->size() != 2)
        return reader_.error(between ? between : &table, "{}: between: two nodes are wanted, as [\"one\", \"other\"]",
                             where);
      for (const auto& entry : *list) {
        auto name = reader_.node_name(entry, where + ": between");
        if (!name) return tl::unexpected(name.error());
        part.nodes.push_back(scope.node(*name));
      }
    } else {
      for (const auto pin : part.kind->pins) {
        const auto* entry = table.get(pin);
        if (!entry)
          return reader_.error(&table, "{}: {}: this pin of a {} is not connected", where, pin, part.kind->name);
        auto name = reader_.node_name(*entry, fmt::format("{}: {}", where, pin));
        if (!name) return tl::unexpected(name.error());
        part.nodes.push_back(scope.node(*name));
      }
    }
    return {};
  }

  Result<void> read_values(const toml::table& table, const Scope& scope, Part& part) {
    const std::string where = "part " + part.name;
    for (const auto& rule : part.kind->values) {
      const auto* entry = table.get(rule.key);
      if (!entry) {
        if (rule.required) return reader_.error(&table, "{}: {}: is missing", where, rule.key);
        part.values[std::string(rule.key)] = {rule.fallback, 0};
        continue;
      }
      auto read = value(*entry, rule.unit, fmt::format("{}: {}", where, rule.key), scope);
      if (!read) return tl::unexpected(read.error());
      if (rule.sign == ValueRule::Sign::positive && !(*read > 0))
        return reader_.error(entry, "{}: {}: must be above zero", where, rule.key);
      if (rule.sign == ValueRule::Sign::not_negative && *read < 0)
        return reader_.error(entry, "{}: {}: must not be negative", where, rule.key);
      part.values[std::string(rule.key)] = {*read, 0};
    }
    if (const auto* entry = table.get("tolerance"); entry && !part.kind->values.empty()) {
      auto percent = reader_.number(*entry, "%", where + ": tolerance");
      if (!percent) return tl::unexpected(percent.error());
      if (!(*percent >= 0 && *percent < 100))
        return reader_.error(entry, "{}: tolerance: must lie from 0 % to 100 %", where);
      part.values[std::string(part.kind->values.front().key)].tolerance = *percent / 100;
    }
    return {};
  }

  Result<void> read_words(const toml::table& table, Part& part) {
    for (const auto& rule : part.kind->texts) {
      std::string word(rule.words.front());
      if (const auto* entry = table.get(rule.key)) {
        word = entry->value_or(std::string());
        if (std::find(rule.words.begin(), rule.words.end(), word) == rule.words.end()) {
          std::string all;
          for (const auto w : rule.words) all += (all.empty() ? "" : ", ") + std::string(w);
          return reader_.error(entry, "part {}: {}: one of these is wanted: {}", part.name, rule.key, all);
        }
      }
      part.texts[std::string(rule.key)] = word;
    }
    return {};
  }

  /// [["0 s", "1 V"], ...] with rising times.
  Result<void> read_points(const toml::table& table, Part& part) {
    const auto* node = table.get("points");
    if (!node) return {};
    const std::string where = "part " + part.name + ": points";
    const auto* list = node->as_array();
    if (!list || list->empty()) return reader_.error(node, "{}: pairs of a time and a value are wanted", where);
    for (const auto& entry : *list) {
      const auto* pair = entry.as_array();
      if (!pair || pair->size() != 2) return reader_.error(&entry, "{}: a pair of a time and a value is wanted", where);
      const auto t = reader_.number(*pair->get(0), "s", where),
                 v = reader_.number(*pair->get(1), part.kind->values.front().unit, where);
      if (!t) return tl::unexpected(t.error());
      if (!v) return tl::unexpected(v.error());
      if (*t < 0 || (!part.points.empty() && !(*t > part.points.back().first)))
        return reader_.error(&entry, "{}: the times must rise from zero on", where);
      part.points.push_back({*t, *v});
    }
    return {};
  }

  Result<void> read_formula(const toml::table& table, const Scope& scope, Part& part) {
    const std::string where = "part " + part.name;
    const auto* text = table.get("formula");
    if (!text || !text->is_string()) return reader_.error(text ? text : &table, "{}: formula: is missing", where);
    part.formula = text->value_or(std::string());
    if (const auto* sees = table.get("sees")) {
      const auto* list = sees->as_table();
      if (!list) return reader_.error(sees, "{}: sees: names with their nodes are wanted, {{ u = \"node\" }}", where);
      for (const auto& [name, node] : *list) {
        if (!formula_name(name.str()) || name.str() == "t" || name.str() == "T")
          return reader_.error(&node, "{}: sees: \"{}\" cannot be a name here", where, name.str());
        part.sees.push_back(std::string(name.str()));
        std::vector<const toml::node*> ends;
        if (const auto* pair = node.as_array(); pair && pair->size() == 2)
          ends = {pair->get(0), pair->get(1)};
        else
          ends = {&node};
        for (const auto* end : ends) {
          auto at = reader_.node_name(*end, where + ": sees: " + std::string(name.str()));
          if (!at) return tl::unexpected(at.error());
          part.nodes.push_back(scope.node(*at));
        }
        if (ends.size() == 1) part.nodes.push_back(std::string(kGround));
      }
    }
    auto names = part.sees;
    names.push_back("t");
    names.push_back("T");
    names.insert(names.end(), scope.names.begin(), scope.names.end());
    if (const auto formula = Formula::read(part.formula, names); !formula)
      return reader_.error(text, "{}: formula: {}", where, formula.error().message);
    // Parameters are put in by value, so that the part stands on its own.
    for (std::size_t i = 0; i < scope.names.size(); ++i) part.values[":" + scope.names[i]] = {scope.values[i], 0};
    return {};
  }

  Result<void> refuse_unknown_keys(const toml::table& table, const Part& part) {
    std::set<std::string_view> known = {"kind", "tolerance", "note"};
    if (part.kind->two_terminal)
      known.insert("between");
    else
      known.insert(part.kind->pins.begin(), part.kind->pins.end());
    if (part.kind->needs_control) known.insert("control");
    if (part.kind->takes_formula) known.insert({"formula", "sees"});
    if (part.kind->takes_points) known.insert("points");
    for (const auto& rule : part.kind->values) known.insert(rule.key);
    for (const auto& rule : part.kind->texts) known.insert(rule.key);
    for (const auto& [key, node] : table)
      if (!known.contains(key.str()))
        return reader_.error(&node, "part {}: {}: a {} has no such key", part.name, key.str(), part.kind->name);
    return {};
  }

  Result<Part> read_part(std::string_view name, const toml::node& node, const Scope& scope) {
    Part part{.name = scope.prefix + std::string(name)};
    const auto* table = node.as_table();
    if (!table) return reader_.error(&node, "part {}: a table with kind, nodes and value is wanted", part.name);
    if (!plain_name(name)) return reader_.error(&node, "part {}: a name has only letters, digits and _", name);
    const auto* kind = table->get("kind");
    const auto kind_text = kind ? kind->value<std::string>() : std::nullopt;
    if (!kind_text) return reader_.error(kind ? kind : &node, "part {}: kind: is missing", part.name);
    part.kind = find_part_kind(*kind_text);
    if (!part.kind) {
      std::string all;
      for (const auto& k : part_kinds()) all += (all.empty() ? "" : ", ") + std::string(k.name);
      return reader_.error(kind, "part {}: kind: \"{}\" is not known; there are {}", part.name, *kind_text, all);
    }
    if (const auto* note = table->get("note")) part.note = note->value_or(std::string());
    if (auto ok = read_nodes(*table, scope, part); !ok) return tl::unexpected(ok.error());
    if (auto ok = read_values(*table, scope, part); !ok) return tl::unexpected(ok.error());
    if (auto ok = read_words(*table, part); !ok) return tl::unexpected(ok.error());
    if (part.kind->takes_points)
      if (auto ok = read_points(*table, part); !ok) return tl::unexpected(ok.error());
    if (part.kind->takes_formula)
      if (auto ok = read_formula(*table, scope, part); !ok) return tl::unexpected(ok.error());
    if (part.kind->needs_control) {
      const auto* control = table->get("control");
      const auto text = control ? control->value<std::string>() : std::nullopt;
      if (!text)
        return reader_.error(&node, "part {}: control: names the voltage source whose current controls it", part.name);
      part.control = scope.prefix + *text;
    }
    if (auto ok = refuse_unknown_keys(*table, part); !ok) return tl::unexpected(ok.error());
    if (part.kind->check)
      if (const auto trouble = part.kind->check(part); !trouble.empty())
        return reader_.error(&node, "part {}: {}", part.name, trouble);
    return part;
  }

  const Reader& reader_;
  const toml::table& root_;
};

Result<void> check_controls(const Reader& reader, const Circuit& circuit, const toml::node* parts) {
  std::map<std::string_view, const Part*> sources;
  for (const auto& part : circuit.parts)
    if (part.kind->name == "voltage source") sources[part.name] = &part;
  for (const auto& part : circuit.parts)
    if (part.kind->needs_control && !sources.contains(part.control))
      return reader.error(parts, "part {}: control: there is no voltage source {}", part.name, part.control);
  return {};
}

Result<device::Rating> read_rating(const Reader& reader, const toml::node& node, const std::string& where) {
  device::Rating rating;
  const auto* table = node.as_table();
  const auto read = [&](const toml::node& from, std::string_view unit, std::string_view key,
                        std::optional<double>& into) -> Result<void> {
    auto limit = reader.number(from, unit, where + (key.empty() ? "" : ": " + std::string(key)));
    if (!limit) return tl::unexpected(limit.error());
    if (!(*limit > 0)) return reader.error(&from, "{}: must be above zero", where);
    into = *limit;
    return {};
  };
  if (!table) {
    if (auto ok = read(node, "V", "", rating.voltage); !ok) return tl::unexpected(ok.error());
    return rating;
  }
  for (const auto& [key, entry] : *table) {
    const auto k = key.str();
    const auto fields = device::rating_fields();
    const auto field = std::find_if(fields.begin(), fields.end(), [&](const auto& f) { return f.key == k; });
    if (field == fields.end()) {
      std::string names;
      for (const auto& f : fields) names += (names.empty() ? "" : ", ") + std::string(f.key);
      return reader.error(&entry, "{}: {}: a rating is of one of {}", where, k, names);
    }
    if (auto ok = read(entry, field->unit, k, rating.*field->member); !ok) return tl::unexpected(ok.error());
  }
  return rating;
}

/// Pins, branches and ratings: what the outside can reach.
Result<void> read_outside(const Reader& reader, const toml::table& root, Circuit& circuit) {
  std::set<std::string> nodes;
  for (const auto& part : circuit.parts) nodes.insert(part.nodes.begin(), part.nodes.end());
  if (!nodes.contains(std::string(kGround)))
    return reader.error(root.get("part"), "part: nothing is connected to the node \"{}\"", kGround);
  if (const auto* pins = root["pins"].as_table())
    for (const auto& [name, node] : *pins) {
      auto at = reader.node_name(node, "pins: " + std::string(name.str()));
      if (!at) return tl::unexpected(at.error());
      if (!nodes.contains(*at)) return reader.error(&node, "pins: {}: no part is connected to \"{}\"", name.str(), *at);
      circuit.pins[std::string(name.str())] = *at;
    }
  if (circuit.pins.empty()) return reader.error(&root, "pins: the circuit names no pin to drive or to sense");
  if (const auto* places = root["temperatures"].as_table())
    for (const auto& [name, node] : *places) {
      auto at = reader.node_name(node, "temperatures: " + std::string(name.str()));
      if (!at) return tl::unexpected(at.error());
      if (!nodes.contains(*at)) return reader.error(&node, "temperatures: {}: no part is connected to \"{}\"", name.str(), *at);
      circuit.temperatures[std::string(name.str())] = *at;
    }
  if (const auto* branches = root["branches"].as_table())
    for (const auto& [name, node] : *branches) {
      const auto text = node.value_or(std::string());
      const auto dot = text.rfind('.');
      const Part* part = dot == std::string::npos ? nullptr : circuit.find(text.substr(0, dot));
      const auto pin = dot == std::string::npos ? std::string() : text.substr(dot + 1);
      const auto place = part ? std::find(part->kind->pins.begin(), part->kind->pins.end(), pin)
                              : decltype(part->kind->pins.begin()){};
      if (!part || place == part->kind->pins.end())
        return reader.error(&node, "branches: {}: a part and its pin are wanted, such as \"R4.a\"", name.str());
      circuit.branches[std::string(name.str())] = {part->name, std::size_t(place - part->kind->pins.begin())};
    }
  if (const auto* told = root["told"].as_table())
    for (const auto& [name, node] : *told) {
      const auto text = node.value_or(std::string());
      const auto dot = text.rfind('.');
      const Part* part = dot == std::string::npos ? nullptr : circuit.find(text.substr(0, dot));
      const auto key = dot == std::string::npos ? std::string() : text.substr(dot + 1);
      if (!part || !part->values.contains(key))
        return reader.error(&node, "told: {}: a part and one of its values are wanted, such as \"U1.frequency\"", name.str());
      if (name.str() == bench::kTemperature) return reader.error(&node, "told: the temperature is always there");
      const auto rule = std::find_if(part->kind->values.begin(), part->kind->values.end(), [&](const ValueRule& r) { return r.key == key; });
      circuit.told[std::string(name.str())] = {part->name, key, std::string(rule->unit)};
    }
  if (const auto* table = root["fixture"].as_table()) {
    Fixture fixture;
    const auto* between = (*table)["between"].as_array();
    const auto* device = (*table)["device"].as_array();
    if (!between || between->size() != 2 || !device || device->empty())
      return reader.error(root.get("fixture"),
                          "fixture: two nodes in \"between\" and the device's parts in \"device\" are wanted");
    for (const auto& node : *between) {
      auto at = reader.node_name(node, "fixture: between");
      if (!at) return tl::unexpected(at.error());
      if (!nodes.contains(*at)) return reader.error(&node, "fixture: no part is connected to \"{}\"", *at);
      (fixture.from.empty() ? fixture.from : fixture.to) = *at;
    }
    for (const auto& node : *device) {
      const auto name = node.value_or(std::string());
      if (!circuit.find(name)) return reader.error(&node, "fixture: there is no part \"{}\"", name);
      fixture.device.push_back(name);
    }
    circuit.fixture = std::move(fixture);
  }
  if (const auto* ratings = root["ratings"].as_table())
    for (const auto& [key, node] : *ratings) {
      const std::string name(key.str());
      if (name != "device" && !circuit.pins.contains(name) && !circuit.branches.contains(name))
        return reader.error(&node, "ratings: {}: the circuit has no such pin or branch", name);
      auto rating = read_rating(reader, node, "ratings: " + name);
      if (!rating) return tl::unexpected(rating.error());
      circuit.ratings[name] = *rating;
    }
  return {};
}

}  // namespace

Result<Circuit> read_circuit(std::string_view text, std::string_view file) {
  const Reader reader(file);
  toml::table root;
  try {
    root = toml::parse(text);
  } catch (const toml::parse_error& e) {
    return fail(Fault::input, "{}:{}: {}", file, e.source().begin.line, e.description());
  }
  for (const auto& [key, node] : root)
    if (const auto k = key.str(); k != "title" && k != "about" && k != "pins" && k != "ratings" && k != "part" &&
                                  k != "branches" && k != "told" && k != "temperatures" && k != "subcircuit" && k != "temperature" && k != "fixture")
      return reader.error(&node, "{}: a circuit has no such key", k);

  Circuit circuit{.title = root["title"].value_or(std::string()), .about = root["about"].value_or(std::string())};
  if (const auto* node = root.get("temperature")) {
    const auto t = reader.number(*node, "degC", "temperature");
    if (!t) return tl::unexpected(t.error());
    if (!(*t > -200 && *t < 400)) return reader.error(node, "temperature: must lie from -200 to 400 degC");
    circuit.temperature = *t;
  }
  const auto* parts = root["part"].as_table();
  if (!parts || parts->empty()) return fail(Fault::input, "{}:1: part: the circuit has no parts", file);
  if (auto ok = CircuitReader(reader, root).read_parts(*parts, {}, circuit); !ok) return tl::unexpected(ok.error());
  if (auto ok = check_controls(reader, circuit, root.get("part")); !ok) return tl::unexpected(ok.error());
  if (auto ok = read_outside(reader, root, circuit); !ok) return tl::unexpected(ok.error());
  if (auto ok = check_wiring(circuit); !ok) return reader.error(root.get("part"), "{}", ok.error().message);
  return circuit;
}

}  // namespace heron::sim
