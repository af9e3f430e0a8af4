#include "study/switching/preflight.h"

#include <algorithm>
#include <cmath>

#include "base/percent.h"
#include "base/quantity.h"
#include "study/ranges.h"
#include "study/switching/doubts.h"
#include "study/switching/rank.h"
#include "study/switching/shot.h"

namespace heron::study::switching {
namespace {

constexpr double kOvershoot = 1.5;   ///< of the bus, that a range leaves room for
constexpr double kRecovery = 1.4;    ///< of the load current, the same
constexpr double kTight = 0.9;       ///< of a rating
constexpr double kDroops = 0.05;     ///< of the bus
constexpr double kPicksUp = 0.02;    ///< of a swing, by common mode
constexpr double kSlows = 1.5;       ///< times the rise of a chain that an edge must take
constexpr double kUses = 0.1;        ///< of a range

class Checks {
 public:
  Checks(const Plan& plan, const Surroundings& around, std::vector<Doubt>& out) : p_(plan), around_(around), limits_(around.limits.of(plan.hookup.digitiser)), out_(out) {
    for (const auto& s : plan.steps()) {
      const auto x = predicted(plan, s);
      if (x.peak_current > worst_.peak_current) worst_ = x;
      droop_ = std::max(droop_, x.droop / s.bus);
      power_ = std::max(power_, x.power);
      bus_ = std::max(bus_, s.bus);
      resistor_ = std::min(resistor_, std::min(s.resistor, plan.off_resistance(s)));
    }
  }

  void all() {
    bench();
    ratings();
    gates();
    if (p_.saturation > 0 && worst_.peak_current > p_.saturation)
      out_.push_back({"saturation.inductor", Severity::caution, fmt::format("The load reaches {}; it saturates at {}.", shown(worst_.peak_current, "A"), format_setting(p_.saturation, "A")), "Take less current or a larger inductor."});
    if (droop_ > kDroops)
      out_.push_back({"bus.droop", Severity::caution, fmt::format("The bus falls by {} during a shot: {} holds too little.", in_percent(droop_), format_setting(p_.capacitance, "F")), "Put more capacitance on the bus, or take a smaller current."});
    sensing();
  }

 private:
  void bench() {
    const auto& l = around_.limits;
    if (l.bus_voltage > 0 && bus_ > l.bus_voltage)
      out_.push_back({"source.limit", Severity::serious, fmt::format("The bus source reaches {}.", format_setting(l.bus_voltage, "V")), "Lower the bus voltage.", {{"buses", format_setting(l.bus_voltage, "V")}}});
    if (l.gate_highest > 0 && (p_.gate_high > l.gate_highest || p_.gate_low < l.gate_lowest))
      out_.push_back({"source.limit", Severity::serious, fmt::format("The gate driver goes from {} to {}.", format_setting(l.gate_lowest, "V"), format_setting(l.gate_highest, "V")), "Take a smaller swing of the gate."});
    if (l.least_gate_resistance > 0 && resistor_ < l.least_gate_resistance)
      out_.push_back({"source.limit", Severity::serious, fmt::format("The gate driver has {} of its own.", format_setting(l.least_gate_resistance, "ohm")), "Take a larger gate resistor."});
    if (limits_.highest_sample_rate > 0 && p_.rate > limits_.highest_sample_rate * (1 + 1e-9))
      out_.push_back({"sampling.coarse", Severity::serious, fmt::format("These inputs sample at {} at most.", format_setting(limits_.highest_sample_rate, "Hz")), "Sample more slowly, or by the fast inputs.", {{"rate", format_setting(limits_.highest_sample_rate, "Hz")}}});
    else if (p_.edge * p_.rate < 4)
      out_.push_back({"sampling.coarse", Severity::caution, fmt::format("An edge of {} has {:.1f} samples at {}.", format_setting(p_.edge, "s"), p_.edge * p_.rate, format_setting(p_.rate, "Hz")), "Sample faster, by the fast inputs.",
                      p_.hookup.digitiser == bench::Digitiser::fast ? Edits{} : Edits{{"hookup.digitiser", "fast"}, {"rate", "1 GHz"}}});
  }

  const device::Rating* rating_of(const std::string& pin) const {
    const auto it = around_.ratings.find(pin);
    return it == around_.ratings.end() ? nullptr : &it->second;
  }
  void voltage(const std::string& pin, double v, const std::string& what, const Edits& edits) {
    const auto* r = rating_of(pin);
    if (!r || !r->voltage_towards(v)) return;
    const double most = *r->voltage_towards(v);
    if (std::abs(v) > most * (1 + 1e-9)) out_.push_back(rating_finding(true, fmt::format("{} would see {}; its rating is {}.", pin, shown(v, "V"), format_setting(std::copysign(most, v), "V")), "Lower the " + what + ".", edits));
    else if (std::abs(v) > kTight * most) out_.push_back(rating_finding(false, fmt::format("{} would see {}, {:.0f} % of its rating.", pin, shown(v, "V"), 100 * std::abs(v) / most), "Lower the " + what + "."));
  }

  void ratings() {
    voltage(p_.bus_pin, bus_, "bus voltage", {});
    voltage(p_.gate_pin, p_.gate_high, "gate voltage", {});
    voltage(p_.gate_pin, p_.gate_low, "gate voltage", {});
    if (p_.other != Other::alone) {
      voltage(p_.other_pin, p_.gate_high, "gate voltage", {});
      voltage(p_.other_pin, p_.gate_low, "gate voltage", {});
    }
    for (const auto& chain : p_.hookup.chains) {
      const bool current = chain.input.sensor.senses_current();
      if (!current && chain.name == role_name(Role::v_ds)) voltage(chain.input.pin, bus_, "bus voltage", {});
      const auto* r = rating_of(chain.input.pin);
      // Where a rating of current stands, the device's own current is what it is of.
      if (!r || !r->current) continue;
      if (worst_.peak_current > *r->current) out_.push_back(rating_finding(true, fmt::format("{} would see {}; its rating is {}.", chain.input.pin, shown(worst_.peak_current, "A"), format_setting(*r->current, "A")), "Lower the current, or shorten the second pulse."));
      else if (worst_.peak_current > kTight * *r->current) out_.push_back(rating_finding(false, fmt::format("{} would see {}, {:.0f} % of its rating.", chain.input.pin, shown(worst_.peak_current, "A"), 100 * worst_.peak_current / *r->current), "Lower the current."));
    }
    for (const auto& [pin, r] : around_.ratings)
      if (r.power && power_ > *r.power)
        out_.push_back(rating_finding(true, fmt::format("{} of each shot every {} are {}; {} bears {}.", shown(worst_.inductor_energy, "J"), format_setting(p_.rest, "s"), shown(power_, "W"), pin, format_setting(*r.power, "W")), "Leave more time between the shots.",
                                      {{"rest", format_setting(rounded_to(1.1 * worst_.inductor_energy / *r.power, 2), "s")}}));
  }

  void gates() {
    if (p_.other == Other::opposite && p_.dead_time < around_.limits.least_dead_time)
      out_.push_back({"gates.both", Severity::serious, fmt::format("Both gates would be on at once: {} between them, where {} is the least.", format_setting(p_.dead_time, "s"), format_setting(around_.limits.least_dead_time, "s")), "Lengthen the dead time.", {{"dead_time", "300 ns"}}, true});
    if (p_.other == Other::alone)
      out_.push_back({"gates.open", Severity::note, "No driver holds the other device's gate: what holds it off must be on the board.", "Let the second output hold it."});
  }

  std::vector<const bench::Sensor*> sensors() const {
    std::vector<const bench::Sensor*> out;
    for (const auto& s : bench::stock_sensors()) out.push_back(&s);
    for (const auto& s : around_.own_sensors) out.push_back(&s);
    return out;
  }

  Demand demand_of(const bench::Chain& chain) const {
    const auto& in = chain.input;
    Demand d{.current = in.sensor.senses_current(), .edge = p_.edge};
    const bool gate = !d.current && (in.pin == p_.gate_pin || in.pin == p_.other_pin);
    d.swing = d.current ? worst_.peak_current : gate ? p_.gate_high - p_.gate_low : bus_;
    d.peak = d.current ? kRecovery * worst_.peak_current : gate ? 1.3 * std::max(std::abs(p_.gate_high), std::abs(p_.gate_low)) : kOvershoot * bus_;
    if (!in.against.empty()) d.common = bus_;
    return d;
  }

  std::string ranking(const std::vector<Ranked>& all) const {
    std::string out;
    for (std::size_t k = 0; k < std::min<std::size_t>(3, all.size()); ++k) out += fmt::format("{}{} ({})", k == 0 ? "" : "; ", all[k].sensor->name, all[k].why);
    return out;
  }

  void sensing() {
    for (const auto role : {Role::v_ds, Role::i_d})
      if (!p_.hookup.unit_of(role_name(role)))
        out_.push_back(on_hookup({"input.missing", Severity::serious, fmt::format("No quantity is called {}: nothing of a shot can be read without it.", role_name(role)), fmt::format("Sense it, and call it {}.", role_name(role))}));
    for (const auto& chain : p_.hookup.chains) {
      const auto demand = demand_of(chain);
      const auto& sensor = chain.input.sensor;
      const auto all = ranked(sensors(), demand);
      const auto word = "hookup." + chain.name + ".sensor";
      const bool is_best = !all.empty() && all.front().sensor->name == sensor.name;
      const auto best = is_best || all.empty() ? Edits{} : Edits{{word, all.front().sensor->name}};
      const auto remedy = all.empty() ? std::string("No sensor of the list bears it.") : "Fit best: " + ranking(all) + ".";
      const double bandwidth = bench::summarise(chain, limits_.input).bandwidth;
      const bool by_filter = chain.input.bandwidth_limit && (sensor.bandwidth == 0 || bandwidth < 0.9 * sensor.bandwidth);
      if (bandwidth > 0 && p_.edge < kSlows * 0.35 / bandwidth)
        out_.push_back(on_hookup({"bandwidth.limits_edge", Severity::caution, fmt::format("{} shows edges of {} and more ({}); {} are expected.", chain.name, format_setting(rounded_to(0.35 / bandwidth, 2), "s"), format_setting(rounded_to(bandwidth, 2), "Hz"), format_setting(p_.edge, "s")),
                                  by_filter ? std::string("Take the input's filter out.") : remedy,
                                  by_filter ? Edits{{"hookup." + chain.name + ".filter", "off"}} : best}));
      if (const double leaks = common_mode_error(sensor, demand); leaks > kPicksUp)
        out_.push_back(on_hookup({"common_mode.suspected", Severity::caution, fmt::format("{} will pick up {} of its swing from the {} that both its pins move by in {}.", chain.name, in_percent(leaks), format_setting(bus_, "V"), format_setting(p_.edge, "s")), remedy, best}));
      if (sensor.rating > 0 && demand.peak > sensor.rating)
        out_.push_back(on_hookup({"rating.near", Severity::serious, fmt::format("{} must bear {}; {} bears {}.", chain.name, shown(demand.peak, std::string(sensor.unit())), sensor.name, format_setting(sensor.rating, sensor.unit())), remedy, best}));
      if (sensor.kind == bench::SensorKind::shunt && at_high_voltage(chain.input.pin))
        out_.push_back(on_hookup({"shunt.floats", Severity::caution, fmt::format("The shunt of {} stands where {} moves it; a grounded input shorts that.", chain.name, format_setting(bus_, "V")), "Put it into the return lead.", return_lead(chain)}));
      range(chain, demand);
    }
  }

  /// A branch that is no return to ground.
  bool at_high_voltage(const std::string& branch) const { return std::find(around_.grounded.begin(), around_.grounded.end(), branch) == around_.grounded.end(); }
  Edits return_lead(const bench::Chain& chain) const { return around_.grounded.empty() ? Edits{} : Edits{{"hookup." + chain.name + ".pin", around_.grounded.front()}}; }

  void range(const bench::Chain& chain, const Demand& d) {
    if (chain.input.sensor.reads_codes() || limits_.ranges.empty()) return;
    const auto sensing = bench::sensing_of(chain);
    const double volts = d.peak / std::abs(sensing.per_volt), fitting = range_that_fits(volts, limits_.ranges);
    const Edits edit = {{"hookup." + chain.name + ".range", format_setting(fitting, "V")}};
    if (!chain.input.range) {
      out_.push_back({"autorange.single_shot", Severity::serious, fmt::format("{} looks for its range by itself; a shot is over before it has found it.", chain.name), fmt::format("Fix the range of {}: {} fits.", chain.name, format_setting(fitting, "V")), edit, false, Place::hookup});
      return;
    }
    const auto unit = std::string(chain.input.sensor.unit());
    if (volts > 1.05 * *chain.input.range && *chain.input.range < limits_.ranges.back())
      out_.push_back({"input.clipped", Severity::caution, fmt::format("{} may reach {}; its range ends at {}.", chain.name, shown(d.peak, unit), shown(*chain.input.range * std::abs(sensing.per_volt), unit)), "Take the range that fits.", edit, false, Place::hookup});
    if (volts < kUses * *chain.input.range)
      out_.push_back({"range.underused", Severity::note, fmt::format("{} uses {} of its range.", chain.name, in_percent(volts / *chain.input.range)), "Take the range that fits.", edit, false, Place::hookup});
  }

  const Plan& p_;
  const Surroundings& around_;
  const bench::Limits& limits_;
  std::vector<Doubt>& out_;
  Predicted worst_;
  double droop_ = 0, power_ = 0, bus_ = 0, resistor_ = INFINITY;
};

}  // namespace

std::vector<Doubt> preflight(const Plan& plan, const Surroundings& around) {
  std::vector<Doubt> out;
  Checks(plan, around, out).all();
  check_hookup(plan.hookup, nullptr, around.limits, out);
  return out;
}

}  // namespace heron::study::switching
