#include "sim/sensing.h"

#include <cmath>
#include <numbers>

#include "sim/device.h"

namespace heron::sim {
namespace {

using std::numbers::pi;

/// Adds parts with names of the bench's own, which no circuit file can have.
class Builder {
 public:
  Builder(Circuit& circuit, std::size_t k) : circuit_(circuit), suffix_(" " + std::to_string(k)) {}

  std::string node(const char* name) const { return std::string("bench:") + name + suffix_; }

  void add(const char* name, std::string_view kind, std::vector<std::string> nodes,
           const std::map<std::string, double>& values) {
    circuit_.parts.push_back(make_part(node(name), kind, std::move(nodes), values));
  }
  void resistor(const char* name, const std::string& a, const std::string& b, double ohms) {
    add(name, "resistor", {a, b}, {{"value", ohms}});
  }
  void capacitor(const char* name, const std::string& a, const std::string& b, double farads) {
    if (farads > 0) add(name, "capacitor", {a, b}, {{"value", farads}});
  }
  /// out = gain v(plus, minus), loading nothing.
  void follower(const char* name, const std::string& out, const std::string& plus, const std::string& minus,
                double gain) {
    add(name, "voltage by voltage", {out, ground, plus, minus}, {{"value", gain}});
  }
  /// One pole; returns the node behind it, or the same one where there is none.
  std::string low_pass(const char* r, const char* c, const std::string& from, double corner) {
    if (corner <= 0) return from;
    const auto behind = node(c);
    resistor(r, from, behind, kFilterOhms);
    capacitor(c, behind, ground, 1 / (2 * pi * corner * kFilterOhms));
    return behind;
  }
  std::string high_pass(const char* r, const char* c, const std::string& from, double corner) {
    if (corner <= 0) return from;
    const auto behind = node(c);
    capacitor(c, from, behind, 1 / (2 * pi * corner * kFilterOhms));
    resistor(r, behind, ground, kFilterOhms);
    return behind;
  }

  static constexpr double kFilterOhms = 1;  ///< so small that its own noise is nothing beside the input's
  const std::string ground{kGround};

 private:
  Circuit& circuit_;
  std::string suffix_;
};

/// Opens the branch and puts two nodes there; returns device side and the side of the rest of the circuit.
Result<std::pair<std::string, std::string>> open_branch(Circuit& circuit, const std::string& name, const Builder& b) {
  if (name.empty()) {
    // Nothing in the sensor: a loop of its own without a current.
    circuit.parts.push_back(make_part(b.node("idle"), "resistor", {b.node("branch"), b.ground}, {{"value", 1}}));
    circuit.parts.push_back(make_part(b.node("idle 2"), "resistor", {b.node("idle end"), b.ground}, {{"value", 1}}));
    return std::pair{b.node("branch"), b.node("idle end")};
  }
  const auto branch = circuit.branches.find(name);
  if (branch == circuit.branches.end())
    return fail(Fault::bench, "The device has no branch \"{}\" to sense a current in.", name);
  for (auto& part : circuit.parts)
    if (part.name == branch->second.part) {
      const std::string rest = part.nodes[branch->second.pin];
      part.nodes[branch->second.pin] = b.node("branch");
      return std::pair{b.node("branch"), rest};
    }
  return fail(Fault::bench, "The branch \"{}\" has no part.", name);
}

Result<std::string> pin_node(const Circuit& circuit, const std::string& pin) {
  if (pin.empty()) return std::string(kGround);
  const auto it = circuit.pins.find(pin);
  if (it == circuit.pins.end()) return fail(Fault::bench, "The device has no pin \"{}\" to sense.", pin);
  return it->second;
}

}  // namespace

Result<Tap> add_input(Circuit& circuit, const bench::InputSetup& setup, std::size_t k, const InputData& data,
                      double factor_error) {
  using bench::SensorKind;
  Builder b(circuit, k);
  const bench::Planted planted = setup.planted.value_or(bench::Planted{});
  const bench::Sensor s = planted.sensor.value_or(setup.sensor);
  const std::string& pin = planted.pin.empty() ? setup.pin : planted.pin;
  const double gain = s.factor * (1 + factor_error);
  const double ohms = setup.ohms < 1e3 ? data.low_resistance : data.resistance;
  Tap tap{.delay = s.delay, .offset_sigma = s.offset, .noise = s.noise};

  if (s.reads_codes()) {
    const auto at = pin_node(circuit, pin);
    if (!at) return tl::unexpected(at.error());
    tap.converter = converter_at(circuit, pin);
    if (!tap.converter) return fail(Fault::bench, "No converter gives codes at \"{}\"; sense it by a lead or a probe.", pin);
    tap.node = *at;
    tap.terminal = std::string(kGround);
    return tap;
  }
  if (!s.senses_current() && converter_at(circuit, pin))
    return fail(Fault::bench, "\"{}\" gives codes of a converter; a {} cannot read them. Take the Code reader.", pin, bench::sensor_kind_text(s.kind));

  // From the device to the input's terminal.
  std::string terminal = b.node("terminal");
  bool loads_device = false;
  double extra_capacitance = 0, scale = 1;
  if (s.kind == SensorKind::direct || s.kind == SensorKind::probe) {
    auto at = pin_node(circuit, pin);
    if (!at) return tl::unexpected(at.error());
    loads_device = true;
    if (s.kind == SensorKind::probe && s.factor < 1) {
      // A compensated divider: the cable's capacitance is what makes both arms' time constants equal on a 1-megohm
      // input.
      const double upper = s.resistance * (1 - s.factor), c_low = s.capacitance / s.factor;
      b.resistor("probe r", *at, terminal, upper);
      b.capacitor("probe c", *at, terminal, s.capacitance / (1 - s.factor));
      extra_capacitance = std::max(0.0, c_low - data.capacitance);
      scale = 1 + factor_error;
    } else {
      terminal = *at;
      extra_capacitance = std::max(0.0, s.capacitance - (s.kind == SensorKind::probe ? data.capacitance : 0));
      scale = 1 + factor_error;
    }
  } else if (s.kind == SensorKind::differential || s.kind == SensorKind::isolated) {
    auto plus = pin_node(circuit, pin), minus = pin_node(circuit, setup.against);
    if (!plus) return tl::unexpected(plus.error());
    if (!minus) return tl::unexpected(minus.error());
    for (const auto& [name_r, name_c, node] : {std::tuple{"plus r", "plus c", *plus}, {"minus r", "minus c", *minus}}) {
      if (node == kGround) continue;
      b.resistor(name_r, node, b.ground, s.resistance);
      b.capacitor(name_c, node, b.ground, s.capacitance);
    }
    const auto difference = b.node("difference");
    b.follower("difference e", difference, *plus, *minus, gain);
    if (s.rejection_db > 0 && *minus != kGround) {
      // Half the sum leaks through, more of it from the rejection's corner on: low-frequency part plus a high-passed
      // one.
      const double leak = s.factor * std::pow(10, -s.rejection_db / 20), top = s.bandwidth > 0 ? s.bandwidth : 1e8;
      const auto common = b.node("common");
      b.add("common e1", "voltage by voltage", {common, b.node("common half"), *plus, b.ground}, {{"value", 0.5}});
      b.add("common e2", "voltage by voltage", {b.node("common half"), b.ground, *minus, b.ground}, {{"value", 0.5}});
      const auto fast = b.high_pass("common r", "common c", common, top);
      const auto leaking = b.node("leaking"), sum = b.node("sum");
      b.add("leak e1", "voltage by voltage", {leaking, difference, common, b.ground}, {{"value", leak}});
      b.add("leak e2", "voltage by voltage", {sum, leaking, fast, b.ground},
            {{"value", s.rejection_corner > 0 ? leak * top / s.rejection_corner : 0}});
      terminal = b.low_pass("sensor r", "sensor c", sum, s.bandwidth);
    } else {
      terminal = b.low_pass("sensor r", "sensor c", difference, s.bandwidth);
    }
  } else {
    auto branch = open_branch(circuit, pin, b);
    if (!branch) return tl::unexpected(branch.error());
    const auto& [device, rest] = *branch;
    if (s.kind == SensorKind::shunt) {
      const double warm = 1 + 1e-6 * s.temperature_coefficient * (circuit.temperature - 25);
      b.add("shunt", "inductor", {rest, device},
            {{"value", std::max(s.inductance, 1e-12)}, {"resistance", s.resistance * warm}});
      b.follower("shunt e", b.node("shunt out"), rest, device, gain / s.resistance);
      terminal = b.low_pass("sensor r", "sensor c", b.node("shunt out"), s.bandwidth);
    } else {
      const auto meter = b.node("meter");
      // The inductance that the window adds, then an ideal ammeter.
      b.add("window", "inductor", {rest, meter}, {{"value", std::max(s.inductance, 1e-12)}, {"resistance", 1e-6}});
      b.add("ammeter", "voltage source", {meter, device}, {});
      const std::string ammeter = b.node("ammeter");
      if (s.kind == SensorKind::transformer) {
        // The secondary current into the core's inductance beside the input's own resistance, which is the burden.
        auto secondary = make_part(b.node("secondary"), "current by current", {b.node("core"), b.ground},
                                   {{"value", gain / s.wants_ohms}});
        secondary.control = ammeter;
        circuit.parts.push_back(secondary);
        const double core = s.wants_ohms / (2 * pi * s.low_corner);
        b.add("core l", "inductor", {b.node("core"), b.ground},
              {{"value", core},
               {"resistance", 1e-3},
               {"saturation_current", s.saturation > 0 ? s.saturation * s.factor / core : 0}});
        b.resistor("burden", b.node("core"), b.ground, ohms);
        b.follower("core e", b.node("core out"), b.node("core"), b.ground, 1);
        terminal = b.low_pass("sensor r", "sensor c", b.node("core out"), s.bandwidth);
      } else {
        auto coupled =
            make_part(b.node("coupled"), "voltage by current", {b.node("coupled out"), b.ground}, {{"value", gain}});
        coupled.control = ammeter;
        circuit.parts.push_back(coupled);
        auto at = b.low_pass("sensor r", "sensor c", b.node("coupled out"), s.bandwidth);
        if (s.low_corner > 0) {
          b.follower("slow e", b.node("slow"), at, b.ground, 1);
          at = b.high_pass("slow r", "slow c", b.node("slow"), s.low_corner);
        }
        terminal = at;
      }
    }
  }

  // The input itself. Behind an active sensor its resistance does not load the device, but 50 ohm still halve what a
  // 50-ohm output of a probe gives.
  if (!loads_device) {
    const bool halves = setup.ohms < 1e3 && s.wants_ohms > 1e3;
    b.follower("output e", b.node("output"), terminal, b.ground, halves ? 0.5 : 1);
    terminal = b.node("output");
  }
  tap.terminal = terminal;
  std::string inside = terminal;
  if (setup.coupling == bench::Coupling::ac) {
    inside = b.node("inside");
    b.capacitor("coupling", terminal, inside, 1 / (2 * pi * data.coupling_corner * data.resistance));
  }
  if (loads_device || setup.coupling == bench::Coupling::ac) {
    b.resistor("load", inside, b.ground, ohms);
    b.capacitor("shunt c", inside, b.ground, data.capacitance + extra_capacitance);
  }
  b.follower("follower", b.node("buffer"), inside, b.ground, scale / setup.attenuation);
  std::string behind = b.node("buffer");
  if (loads_device && s.bandwidth > 0) {
    behind = b.low_pass("sensor r", "sensor c", behind, s.bandwidth);
    b.follower("follower 2", b.node("buffer 2"), behind, b.ground, 1);
    behind = b.node("buffer 2");
  }
  tap.node = b.low_pass("pole r", "pole c", behind, setup.bandwidth_limit ? data.bandwidth : data.full_bandwidth);
  return tap;
}

}  // namespace heron::sim
