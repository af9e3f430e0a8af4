#include "run/device.h"

#include "sim/circuit.h"
#include "sim/converter.h"
#include "sim/device.h"
#include "sim/foresight.h"
#include "sim/instruments.h"
#include "sim/simulated_bench.h"

namespace heron::run {

std::vector<std::string> Device::pins() const {
  auto out = terminals;
  out.insert(out.end(), branches.begin(), branches.end());
  if (!out.empty()) out.emplace_back(bench::kDriveLead);
  return out;
}

const PartRow* Device::find_part(std::string_view name) const {
  for (const auto& part : parts)
    if (part.name == name) return &part;
  return nullptr;
}

std::map<std::string, device::PartFact> Device::part_facts() const {
  std::map<std::string, device::PartFact> out;
  for (const auto& part : parts) out[part.name] = {part.nominal, part.tolerance};
  for (const auto& [name, value] : unit.fitted) {
    const auto tolerance = unit.fitted_tolerance.find(name);
    out[name] = {value, tolerance == unit.fitted_tolerance.end() ? 0 : tolerance->second};
  }
  return out;
}

Device device_of(dossier::DeviceInfo info, dossier::Unit unit) {
  Device out{.info = std::move(info), .unit = std::move(unit)};
  out.limits = sim::SimulatedBench(sim::Circuit{}, 0, sim::BenchData{}, false).limits();
  const auto rate_by_hand = [&](device::Ratings& ratings) {
    for (const auto& [name, rating] : out.info.ratings)
      for (const auto& field : device::rating_fields())
        if (rating.*field.member) ratings[name].*field.member = rating.*field.member;
  };
  rate_by_hand(out.ratings);
  if (!out.info.unreadable.empty()) {
    out.trouble = fmt::format("The ratings that are kept of the device cannot be read ({}); it is not driven without them.",
                              out.info.unreadable);
    return out;
  }
  if (out.info.circuit.empty()) return out;
  auto read = sim::read_circuit(out.info.circuit, out.info.about.empty() ? "circuit" : out.info.about);
  if (!read) {
    out.trouble = read.error().message;
    return out;
  }
  rate_by_hand(read->ratings);
  const auto circuit = std::make_shared<const sim::Circuit>(std::move(*read));
  out.circuit = circuit;
  out.foresight = sim::foresight_of(*circuit, out.unit.fitted);
  out.ratings = circuit->ratings;
  for (const auto& [pin, node] : circuit->pins) {
    out.terminals.push_back(pin);
    if (const auto found = sim::converter_at(*circuit, pin)) out.converters[pin] = {found->bits, found->full_scale};
  }
  for (const auto& [branch, place] : circuit->branches) {
    out.branches.push_back(branch);
    const auto* part = circuit->find(place.part);
    if (part && std::find(part->nodes.begin(), part->nodes.end(), sim::kGround) != part->nodes.end()) out.grounded.push_back(branch);
  }
  out.contacts = sim::contacts_of(*circuit);
  out.told = {{std::string(bench::kTemperature), "degC"}};
  for (const auto& [name, told] : circuit->told) out.told.push_back({name, told.unit});
  for (const auto& [place, node] : circuit->temperatures) out.thermometers.push_back(place);
  for (const auto& [name, value] : sim::main_values(*circuit)) {
    const auto* part = circuit->find(name);
    out.parts.push_back({name, std::string(part->kind->name), std::string(part->kind->values.front().unit), part->note,
                         value.value, value.tolerance});
  }
  return out;
}

Result<Device> read_device(dossier::Store& store, long long assembly) {
  auto info = store.device(assembly);
  if (!info) return tl::unexpected(info.error());
  auto unit = store.current_unit(assembly);
  if (!unit) return tl::unexpected(unit.error());
  return device_of(std::move(*info), std::move(*unit));
}

Result<std::string> check_circuit(const std::string& text, const std::string& name) {
  const auto circuit = sim::read_circuit(text, name);
  if (!circuit) return tl::unexpected(circuit.error());
  return circuit->title;
}

study::Surroundings surroundings_of(const Device& device, const study::SettingsText& settings,
                                    std::vector<std::string> asked) {
  study::Surroundings out{.pins = device.pins(),
                          .terminals = device.terminals,
                          .grounded = device.grounded,
                          .contacts = device.contacts,
                          .told = device.told,
                          .thermometers = device.thermometers,
                          .limits = device.limits,
                          .ratings = device.ratings,
                          .converters = device.converters,
                          .parts = device.part_facts(),
                          .settings = settings,
                          .circuit = device.foresight};
  out.asked = std::move(asked);
  return out;
}

Result<study::Surroundings> surroundings_of(dossier::Store& store, const dossier::Study& study) {
  const auto device = read_device(store, study.assembly);
  if (!device) return tl::unexpected(device.error());
  const auto claims = store.claims(study.id);
  if (!claims) return tl::unexpected(claims.error());
  const auto masks = store.masks(study.id);
  if (!masks) return tl::unexpected(masks.error());
  const auto* kind = study::find_kind(study.kind);
  return surroundings_of(*device, study.settings,
                         kind ? judge::asked_figures(*kind, *claims, *masks) : std::vector<std::string>());
}

Result<std::unique_ptr<bench::Bench>> open_bench(const Device& device, const std::string& name, std::uint64_t seed,
                                                 const std::string& stand_in, double ohms) {
  if (name != "simulated" && name != "paced")
    return fail(Fault::usage, "There is no bench \"{}\"; there are simulated and paced.", name);
  if (!device.trouble.empty()) return fail(Fault::input, "{}", device.trouble);
  if (!device.circuit)
    return fail(Fault::bench, "The device has no circuit, so the simulated bench has nothing to drive.");
  auto built = sim::as_built(*device.circuit, device.unit.name, device.unit.fitted);
  if (built && !stand_in.empty()) built = sim::with_standard(*built, stand_in, ohms);
  if (!built) return tl::unexpected(built.error());
  return std::make_unique<sim::SimulatedBench>(std::move(*built), seed, sim::BenchData{}, name == "paced");
}

Result<std::unique_ptr<bench::Bench>> open_bench(dossier::Store& store, const std::string& name, std::uint64_t seed,
                                                 long long assembly, const std::string& stand_in, double ohms) {
  const auto device = read_device(store, assembly);
  if (!device) return tl::unexpected(device.error());
  auto bench = open_bench(*device, name, seed, stand_in, ohms);
  if (!bench && !device->circuit && device->trouble.empty())
    return fail(bench.error().fault, "{}: {}", store.path(), bench.error().message);
  return bench;
}

nlohmann::json drawn_values(const Device& device) {
  auto out = nlohmann::json::object();
  if (!device.circuit) return out;
  if (const auto built = sim::as_built(*device.circuit, device.unit.name, device.unit.fitted))
    for (const auto& part : built->parts)
      for (const auto& [key, value] : part.values)
        out[key == "value" ? part.name : part.name + "." + key] = value.value;
  return {{"parts", out}};
}

nlohmann::json drawn_values(dossier::Store& store, const dossier::Unit& unit, long long assembly) {
  auto info = store.device(assembly);
  return info ? drawn_values(device_of(std::move(*info), unit)) : nlohmann::json::object();
}

judge::PartValues part_values(const Device& device, const std::map<std::string, double>& fitted) {
  judge::PartValues out;
  for (const auto& part : device.parts) out[part.name] = part.nominal;
  for (const auto& [name, value] : fitted) out[name] = value;
  return out;
}

std::vector<DataSheet> data_sheets() {
  std::vector<DataSheet> out;
  for (auto& sheet : sim::data_sheets()) out.push_back({std::move(sheet.title), std::move(sheet.rows)});
  return out;
}

}  // namespace heron::run
