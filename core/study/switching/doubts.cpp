#include "study/switching/doubts.h"

#include <algorithm>
#include <cmath>

#include "base/percent.h"
#include "base/quantity.h"
#include "signal/correlation.h"
#include "signal/curve.h"
#include "signal/line_at.h"
#include "study/clipping.h"
#include "study/switching/sweep.h"

namespace heron::study::switching {
namespace {

constexpr double kUnderused = 0.1;    ///< of the range
constexpr double kSkewed = 1 / 20.0;  ///< of an edge
constexpr int kFewSamples = 4;        ///< in an edge
constexpr double kEdgeOfChain = 1.5;  ///< times the rise that the chain itself has
constexpr double kZero = 0.01;        ///< u of a zero, of the largest value
constexpr std::size_t kFewToFollow = 12;  ///< samples
constexpr double kFollows = 0.8;      ///< correlation of a pick-up with a slope
constexpr double kWorth = 0.02;       ///< of what it disturbs
constexpr double kRings = 0.05;       ///< of the step
constexpr double kNear = 0.9;         ///< of a rating
constexpr double kSaturates = 1.1;    ///< slopes of the ramp, last over first

/// Seconds of 10 to 90 % in an edge: current and voltage.
struct Edges {
  std::optional<double> current, voltage;
};
Edges edges_of(const ReadShot& shot, bool on) {
  const auto span = [&](Key key) -> std::optional<double> {
    const auto& f = shot.get(key);
    return f.value ? std::optional(f.to - f.from) : std::nullopt;
  };
  return on ? Edges{span(Key::rise_time), span(Key::dv_dt_on)} : Edges{span(Key::fall_time), span(Key::dv_dt_off)};
}

class Checker {
 public:
  Checker(const ReadShot& shot, const Reading& reading, const Settings& settings) : r_(shot), s_(*shot.shot), reading_(reading), settings_(settings) {}

  Result<std::vector<Doubt>> find() {
    wiring();
    if (auto ok = inputs(); !ok) return tl::unexpected(ok.error());
    for (const bool on : {false, true}) {
      const auto& edge = on ? r_.on : r_.off;
      if (!edge) continue;
      sampling(on);
      auto ok = windows(*edge);
      if (!ok) return tl::unexpected(ok.error());
    }
    skew();
    ratings();
    ramp();
    noise();
    return std::move(out_);
  }

 private:
  void say(Doubt d) {
    if (std::none_of(out_.begin(), out_.end(), [&](const Doubt& before) { return before.key == d.key && before.text == d.text; })) out_.push_back(std::move(d));
  }

  /// How a role would be filled otherwise, as a setting.
  std::string wire_now(Role role, double factor) const {
    const auto wire = settings_.wires.find(role_name(role));
    const auto quantity = wire != settings_.wires.end() ? wire->second : Wire{s_.get(role).trace->name, 1};
    return wire_text({quantity.quantity, factor * quantity.factor});
  }

  void wiring() {
    if (s_.swapped) {
      const auto v = wire_now(Role::i_d, 1), i = wire_now(Role::v_ds, 1);
      say({.key = "wiring.swapped",
           .severity = Severity::serious,
           .text = "v_ds is high while the device conducts and i_d while it blocks: the two look exchanged.",
           .remedy = fmt::format("Exchange them: wire.v_ds = {}, wire.i_d = {}.", v, i),
           .settings = {{"wire.v_ds", v}, {"wire.i_d", i}}});
    } else if (s_.reversed) {
      const auto turned = wire_now(Role::i_d, -1);
      say({.key = "wiring.sign",
           .severity = Severity::serious,
           .text = "i_d is below zero while the device conducts: its sensor looks the other way.",
           .remedy = fmt::format("Turn it round: wire.i_d = {}.", turned),
           .settings = {{"wire.i_d", turned}}});
    }
  }

  Result<void> inputs() {
    for (std::size_t k = 0; k < kRoles; ++k) {
      const auto* one = s_.find(Role(k));
      if (!one) continue;
      const auto& trace = *s_.record->traces[one->place];
      const auto& errors = s_.record->errors[one->place];
      const auto ends = at_ends(trace, 0, trace.size());
      if (!ends) return tl::unexpected(ends.error());
      const double peak = std::max(std::abs(ends->low), std::abs(ends->high));
      // Of a file's range nothing is known: what rests at its lowest or highest value does so by itself.
      if (const auto end = clipped(*ends, errors, trace.size()); end && errors.highest)
        say({"input.clipped", Severity::serious, fmt::format("{} stands at the end of what can be read, {}: what lies beyond is lost.", trace.name, shown(end->at, trace.unit)), "Take the next range up."});
      if (errors.range && peak < kUnderused * *errors.range)
        say({"range.underused", Severity::note, fmt::format("{} uses {} of its range of {}: one count is {}.", trace.name, in_percent(peak / *errors.range), shown(*errors.range, trace.unit), shown(errors.quantum, trace.unit, 2)), "Take the range that fits."});
      if (Role(k) == Role::i_d) offset(*one, peak);
    }
    return {};
  }

  void offset(const Sensed& i, double peak) {
    if (!settings_.zero && s_.before && std::abs(s_.before->value) > 3 * s_.before->u && std::abs(s_.before->value) > 1e-9 * peak)
      return say({"offset.uncorrected", Severity::caution, fmt::format("i_d reads {} before the first pulse, where nothing flows.", shown(s_.before->value, "A")), "Let it be zeroed by that: zero = on."});
    if (i.errors.u_offset > kZero * peak && peak > 0)
      say(on_hookup({"offset.uncorrected", Severity::caution, fmt::format("The zero of i_d is known to {}, which is {} of its largest value.", shown(i.errors.u_offset, "A", 2), in_percent(i.errors.u_offset / peak)),
                     "Zero the sensor, or begin the record before the first pulse."}));
  }

  void sampling(bool on) {
    const auto edges = edges_of(r_, on);
    for (const auto& [role, span] : {std::pair{Role::i_d, edges.current}, {Role::v_ds, edges.voltage}}) {
      if (!span) continue;
      const auto& one = s_.get(role);
      const double samples = *span / one.trace->time.step();
      if (samples < kFewSamples)
        say({"sampling.coarse", Severity::caution, fmt::format("The edge of {} at turn-{} has {:.1f} samples: its times and the energy rest on straight lines between them.", role_name(role), on ? "on" : "off", samples), "Sample faster."});
      if (one.errors.bandwidth > 0 && *span < kEdgeOfChain * 0.35 / one.errors.bandwidth)
        say(on_hookup({"bandwidth.limits_edge", Severity::caution,
                       fmt::format("The edge of {} at turn-{} takes {}; {} of {} alone would take {}.", role_name(role), on ? "on" : "off", shown(*span, "s"), one.errors.slowest.empty() ? "a chain" : one.errors.slowest,
                                   shown(one.errors.bandwidth, "Hz"), shown(0.35 / one.errors.bandwidth, "s")),
                       "Take a faster sensor, and the input's whole bandwidth."}));
    }
  }

  Result<void> windows(const Edge& edge) {
    const auto core = core_of(s_, edge.event, settings_.windows());
    if (!core) return tl::unexpected(core.error());
    if (edge.window) ringing(edge, *core);
    if (core->g) pickup(edge, *core, *core->g, s_.get(Role::v_gs).trace->name);
    return {};
  }

  /// What swings on about the step's end when the window closes.
  void ringing(const Edge& edge, const Core& core) {
    const bool on = edge.event.on;
    const auto& what = on ? core.i : core.v;
    const double level = on ? edge.event.load.value : edge.event.bus.value;
    const auto [from, to] = *edge.window;
    // The first swing to the other side tells a ring from a tail; a recovery's own peak is none.
    double past = 0;
    bool above = false;
    for (std::size_t k = 0; k < what.t.size(); ++k) {
      if (what.t[k] < to || what.t[k] > to + 3 * (to - from)) continue;
      if (what.y[k] - level > 2 * what.noise) above = true;
      if (above) past = std::max(past, level - what.y[k]);
    }
    past -= 2 * what.noise;
    if (past > kRings * level)
      say({"ringing.in_window", Severity::caution, fmt::format("{} rings by {} of its step where the window of the turn-{} closes: what it carries to and fro after that is left out.", on ? "i_d" : "v_ds", in_percent(past / level), on ? "on" : "off"),
           "Lengthen the window to a lower per cent, or damp the loop."});
  }

  /// What a quantity has of the slope of v_ds in it: both without their course at large.
  void pickup(const Edge& edge, const Core& core, const Samples& g, const std::string& name) {
    const auto& slope = edge.get(edge.event.on ? Key::dv_dt_on : Key::dv_dt_off);
    if (!slope.value || !edge.event.gate_low || !edge.event.gate_high) return;
    const double length = slope.to - slope.from, from = slope.from - 0.7 * length, to = slope.to + 0.7 * length, reach = std::max(s_.get(Role::v_gs).trace->time.step(), length / 16);
    std::vector<double> x, y, t;
    for (std::size_t k = 0; k < g.t.size(); ++k) {
      if (g.t[k] < from || g.t[k] > to) continue;
      t.push_back(g.t[k]);
      x.push_back((core.v.at(g.t[k] + reach) - core.v.at(g.t[k] - reach)) / (2 * reach));
      y.push_back(g.y[k]);
    }
    if (t.size() < kFewToFollow) return;
    const auto fit = signal::without_line(t, x), other = signal::without_line(t, y);
    const auto line = signal::fit_line(fit, other);
    if (!line) return;
    const double swing = edge.event.gate_high->value - edge.event.gate_low->value, size = std::abs(line->slope) * *slope.value;
    if (std::abs(signal::correlation(fit, other)) < kFollows || size < kWorth * swing) return;
    const double has = 20 * std::log10(edge.event.bus.value / size), wants = 20 * std::log10(edge.event.bus.value / (kWorth * swing));
    say(on_hookup({"common_mode.suspected", Severity::caution,
                   fmt::format("{} follows the slope of v_ds at turn-{}: {} at {}. A rejection of {:.0f} dB at that slope would show it so.", name, edge.event.on ? "on" : "off", shown(size, "V", 2), shown(*slope.value, "V/s"), has),
                   fmt::format("Take a sensor that rejects {:.0f} dB there, such as an isolated probe.", std::ceil(wants))}));
  }

  void skew() {
    if (!r_.skew) return;
    double shortest = INFINITY;
    for (const bool on : {false, true}) {
      const auto edges = edges_of(r_, on);
      if (edges.current) shortest = std::min(shortest, *edges.current);
    }
    if (r_.pickup && r_.load()) {
      const double worth = *r_.pickup / shortest;
      if (worth > kWorth && *r_.pickup > 3 * r_.skew->u)
        return say(on_hookup({"shunt.inductance", Severity::caution,
                              fmt::format("i_d follows its own slope: its inductance over its resistance is {}{}.", shown(*r_.pickup, "s", 2),
                                          settings_.shunt ? fmt::format(", {} in {}", shown(*r_.pickup * *settings_.shunt, "H", 2), shown(*settings_.shunt, "ohm")) : std::string()),
                              "Take a shunt with less inductance for its resistance, or a clamp that is fast enough."}));
    }
    if (!(std::abs(r_.skew->value) > kSkewed * shortest) || std::abs(r_.skew->value) < 2 * r_.skew->u) return;
    const auto cost = skew_cost(r_, settings_);
    std::string costs;
    if (cost.on) costs += fmt::format(" {} of the turn-on energy", in_percent(std::abs(*cost.on) / 100));
    if (cost.off) costs += fmt::format("{}{} of the turn-off energy", costs.empty() ? " " : " and ", in_percent(std::abs(*cost.off) / 100));
    const double skew = rounded_to(settings_.skew + r_.skew->value, 3);
    say({.key = "skew.suspected",
         .text = fmt::format("i_d {} v_ds by {}, by the inductive step of v_ds.{}", r_.skew->value > 0 ? "lags" : "leads", shown(std::abs(r_.skew->value), "s"), costs.empty() ? "" : fmt::format(" A nanosecond is worth{}.", costs)),
         .remedy = fmt::format("Accept it: skew = {}.", shown(skew, "s", 3)),
         .settings = {{"skew", format_setting(skew, "s")}}});
  }

  void ratings() {
    const auto near = [&](Key key, const std::optional<double>& rating, const char* unit) {
      const auto& f = r_.get(key);
      if (!rating || !f.value || *f.value < kNear * *rating) return;
      say({"rating.near", *f.value > *rating ? Severity::serious : Severity::caution, fmt::format("The {} reaches {}, {:.0f} % of its rating of {}.", key == Key::peak_voltage ? "voltage" : "current", shown(*f.value, unit), 100 * *f.value / *rating, shown(*rating, unit)),
           key == Key::peak_voltage ? "Lower the bus, or switch more slowly." : "Lower the current."});
    };
    near(Key::peak_voltage, settings_.voltage_rating, "V");
    near(Key::peak_current, settings_.current_rating, "A");
  }

  void ramp() {
    if (!s_.ramp) return;
    const auto& r = *s_.ramp;
    if (!(r.slope_first > 4 * r.u_first) || !(r.slope_last > kSaturates * r.slope_first) || !(r.slope_last - kSaturates * r.slope_first > std::hypot(r.u_first, r.u_last))) return;
    say(mended_by(
        Mend::raise_inductance,
        {"saturation.inductor", Severity::caution,
         fmt::format("The current climbs {:.2g} times as fast at the end of the first pulse as at its beginning: the inductor saturates.",
                     r.slope_last / r.slope_first),
         "Take a larger inductor, or less current."}));
  }

  void noise() {
    const auto share = [](const Figure& f) { return *f.u / std::abs(f.value); };
    const Figure* worst = nullptr;
    for (std::size_t e = 0; e < kEnergies; ++e)
      if (const auto* f = reading_.find(energy_name(Energy(e))); f && f->u && f->value != 0 && share(*f) > settings_.u_limit)
        if (!worst || share(*f) > share(*worst)) worst = f;
    if (worst)
      say(mended_by(Mend::average, {"noise.limited", Severity::note,
                                    fmt::format("{} is known to {} only.", worst->label, in_percent(share(*worst))),
                                    "Average more shots, or take sensors that are known better."}));
  }

  const ReadShot& r_;
  const Shot& s_;
  const Reading& reading_;
  const Settings& settings_;
  std::vector<Doubt> out_;
};

}  // namespace

std::string shown(double value, std::string_view unit, int digits) { return format_quantity(value, unit, digits).plain(); }

Result<std::vector<Doubt>> find_doubts(const ReadShot& shot, const Reading& reading, const Settings& settings) { return Checker(shot, reading, settings).find(); }

SkewCost skew_cost(const ReadShot& shot, const Settings& settings) {
  constexpr double kNanosecond = 1e-9;
  SkewCost out;
  for (const bool on : {true, false}) {
    const auto& edge = on ? shot.on : shot.off;
    if (!edge) continue;
    const auto core = core_of(*shot.shot, edge->event, settings.windows());
    if (!core) continue;
    const auto later = energy_at(*core, edge->event, settings.windows(), kNanosecond), earlier = energy_at(*core, edge->event, settings.windows(), -kNanosecond), now = energy_at(*core, edge->event, settings.windows(), 0);
    if (later && earlier && now && std::abs(*now) > 0) (on ? out.on : out.off) = 100 * (*later - *earlier) / 2 / std::abs(*now);
  }
  return out;
}

}  // namespace heron::study::switching
