#include "sim/predict.h"

#include <algorithm>

#include "sim/device.h"
#include "sim/sensing.h"
#include "sim/small_signal.h"

namespace heron::sim {
namespace {

/// The circuit with its inputs and its source, ready to be made linear.
struct Prepared {
  Circuit whole;
  std::vector<Tap> taps;
};

constexpr const char* kEmf = "bench:emf";

Result<Prepared> prepare(const Circuit& circuit, const bench::ToneDrive& drive,
                         const std::vector<bench::Chain>& chains) {
  if (!circuit.pins.contains(drive.pin)) return fail(Fault::bench, "The device has no pin \"{}\" to drive.", drive.pin);
  Prepared out{.whole = circuit, .taps = {}};
  const std::string ground(kGround), pin = circuit.pins.at(drive.pin);
  out.whole.parts.push_back(make_part(kEmf, "voltage source", {kEmf, ground}, {{"value", drive.offset}}));
  out.whole.parts.push_back(make_part("bench:source", "resistor", {kEmf, pin},
                                      {{"value", drive.compliance ? 1e-4 : drive.source_resistance}}));
  out.whole.branches[std::string(bench::kDriveLead)] = {"bench:source", 0};
  for (std::size_t k = 0; k < chains.size(); ++k) {
    auto input = chains[k].input;
    input.planted.reset();
    auto tap = add_input(out.whole, input, k, InputData{}, 0);
    if (!tap) return tl::unexpected(tap.error());
    out.taps.push_back(*tap);
  }
  return out;
}

/// The chains' peaks where every input has 1 Mohm.
Result<bench::Levels> predict(const Circuit& circuit, const bench::ToneDrive& drive, std::vector<bench::Chain> chains,
                              const std::vector<double>& frequencies) {
  auto prepared = prepare(circuit, drive, chains);
  if (!prepared) return tl::unexpected(prepared.error());
  auto& whole = prepared->whole;
  const auto& taps = prepared->taps;
  std::map<std::string, std::string> ammeters;
  for (const auto& [name, rating] : circuit.ratings) {
    const auto branch = circuit.branches.find(name);
    if (branch == circuit.branches.end()) continue;
    for (auto& part : whole.parts)
      if (part.name == branch->second.part) {
        auto& node = part.nodes[branch->second.pin];
        const std::string inner = "bench:rated " + name, meter = "bench:meter " + name;
        whole.parts.push_back(make_part(meter, "voltage source", {node, inner}, {}));
        for (auto& again : whole.parts)
          if (again.name == branch->second.part) again.nodes[branch->second.pin] = inner;
        ammeters[name] = meter;
        break;
      }
  }
  auto network = Network::compile(whole);
  if (!network) return tl::unexpected(network.error());
  const auto rest = operating_point(*network);
  if (!rest) return tl::unexpected(rest.error());
  const SmallSignal around(*network, *rest);
  const int source = network->own_unknown(kEmf);
  const double peak = drive.peak_to_peak / 2;

  bench::Levels out{.frequencies = frequencies};
  const auto note = [&](bench::Level& level, double now, double f) {
    level.peaks.push_back(now);
    if (now >= level.peak) {
      level.peak = now;
      level.at_frequency = f;
    }
  };
  const auto dc = [&](int unknown) { return unknown < 0 ? 0.0 : (*rest)[std::size_t(unknown)]; };
  for (std::size_t k = 0; k < chains.size(); ++k) {
    const auto sensing = bench::sensing_of(chains[k]);
    out.quantities[chains[k].name].dc = dc(network->node(taps[k].node)) * sensing.per_volt;
  }
  for (const auto& [pin, node] : circuit.pins) out.pins[pin].dc = dc(network->node(node));
  for (const auto& [name, meter] : ammeters) out.branches[name].dc = dc(network->own_unknown(meter));
  for (const double f : frequencies) {
    const auto x = around.response(f, source);
    if (x.empty()) return fail(Fault::bench, "The circuit cannot be made linear around its operating point.");
    const auto size = [&](int unknown) { return unknown < 0 ? 0.0 : peak * std::abs(x[std::size_t(unknown)]); };
    for (std::size_t k = 0; k < chains.size(); ++k) {
      const auto sensing = bench::sensing_of(chains[k]);
      const double lost = std::abs(bench::response_of(sensing, f));
      note(out.quantities[chains[k].name], size(network->node(taps[k].node)) * std::abs(sensing.per_volt) / lost, f);
    }
    for (const auto& [pin, node] : circuit.pins) note(out.pins[pin], size(network->node(node)), f);
    for (const auto& [name, meter] : ammeters) note(out.branches[name], size(network->own_unknown(meter)), f);
  }
  return out;
}

/// What each quantity answers to 1 V where nothing senses it: pins as they are, currents through an ideal meter.
Result<std::map<std::string, std::vector<std::complex<double>>>> unburdened_answers(
    const Circuit& circuit, const bench::ToneDrive& drive, const std::vector<bench::Chain>& chains,
    const std::vector<double>& frequencies) {
  auto prepared = prepare(circuit, drive, {});
  if (!prepared) return tl::unexpected(prepared.error());
  auto& whole = prepared->whole;
  std::map<std::string, std::string> meters;
  for (const auto& chain : chains) {
    const auto branch = whole.branches.find(chain.input.pin);
    if (branch == whole.branches.end() || meters.contains(chain.input.pin)) continue;
    const std::string meter = "bench:ideal " + chain.input.pin, inner = meter + " inner";
    const auto part = std::find_if(whole.parts.begin(), whole.parts.end(),
                                   [&](const Part& p) { return p.name == branch->second.part; });
    if (part == whole.parts.end()) continue;
    auto& node = part->nodes[branch->second.pin];
    auto ammeter = make_part(meter, "voltage source", {node, inner}, {});
    node = inner;
    whole.parts.push_back(std::move(ammeter));
    meters[chain.input.pin] = meter;
  }
  auto network = Network::compile(whole);
  if (!network) return tl::unexpected(network.error());
  const auto rest = operating_point(*network);
  if (!rest) return tl::unexpected(rest.error());
  const SmallSignal around(*network, *rest);
  const int source = network->own_unknown(kEmf);
  std::map<std::string, std::vector<std::complex<double>>> out;
  for (const double f : frequencies) {
    const auto x = around.response(f, source);
    if (x.empty()) return fail(Fault::bench, "The circuit cannot be made linear around its operating point.");
    const auto at = [&](int unknown) { return unknown < 0 ? std::complex<double>(0) : x[std::size_t(unknown)]; };
    const auto pin = [&](const std::string& name) {
      const auto node = circuit.pins.find(name);
      return node == circuit.pins.end() ? std::complex<double>(0) : at(network->node(node->second));
    };
    for (const auto& chain : chains) {
      const auto meter = meters.find(chain.input.pin);
      out[chain.name].push_back(meter != meters.end() ? at(network->own_unknown(meter->second))
                                                      : pin(chain.input.pin) - pin(chain.input.against));
    }
  }
  return out;
}

}  // namespace

Result<bench::Levels> predict_levels(const Circuit& circuit, const bench::ToneDrive& drive,
                                     const std::vector<bench::Chain>& chains, const std::vector<double>& frequencies) {
  auto levels = predict(circuit, drive, chains, frequencies);
  if (!levels) return levels;
  const auto with = small_signal_answers(circuit, drive, chains, frequencies),
             free = unburdened_answers(circuit, drive, chains, frequencies);
  if (with && free)
    for (auto& [name, level] : levels->quantities)
      for (std::size_t k = 0; k < frequencies.size(); ++k) {
        const auto loaded = with->at(name)[k], unloaded = free->at(name)[k];
        level.unburdened.push_back(std::abs(loaded) > 0 && std::abs(unloaded) > 0 ? unloaded / loaded : 1.0);
      }
  auto unloaded = chains;
  bool any = false;
  for (auto& chain : unloaded)
    if (chain.input.ohms < 1e3) {
      chain.input.ohms = 1e6;
      any = true;
    }
  if (any)
    if (const auto without = predict(circuit, drive, unloaded, frequencies))
      for (auto& [name, level] : levels->quantities) level.unloaded_peak = without->quantities.at(name).peak;
  return levels;
}

Result<std::map<std::string, std::vector<std::complex<double>>>> small_signal_answers(
    const Circuit& circuit, const bench::ToneDrive& drive, const std::vector<bench::Chain>& chains,
    const std::vector<double>& frequencies) {
  const auto prepared = prepare(circuit, drive, chains);
  if (!prepared) return tl::unexpected(prepared.error());
  auto network = Network::compile(prepared->whole);
  if (!network) return tl::unexpected(network.error());
  const auto rest = operating_point(*network);
  if (!rest) return tl::unexpected(rest.error());
  const SmallSignal around(*network, *rest);
  const int source = network->own_unknown(kEmf);
  std::map<std::string, std::vector<std::complex<double>>> out;
  for (const double f : frequencies) {
    const auto x = around.response(f, source);
    if (x.empty()) return fail(Fault::bench, "The circuit cannot be made linear around its operating point.");
    for (std::size_t k = 0; k < chains.size(); ++k) {
      const auto sensing = bench::sensing_of(chains[k]);
      const int unknown = network->node(prepared->taps[k].node);
      out[chains[k].name].push_back(
          unknown < 0 ? 0.0 : x[std::size_t(unknown)] * sensing.per_volt / bench::response_of(sensing, f));
    }
  }
  return out;
}

}  // namespace heron::sim
