#include "study/switching/edge.h"

#include <algorithm>
#include <cmath>

namespace heron::study::switching {
namespace {

constexpr double kRecovered = 0.1;  ///< of the recovery current, where its charge ends
constexpr double kBack = 0.02;      ///< of the other device's peak, where its energy ends
constexpr double kStandsOut = 3;    ///< times its noise, that a recovery must
constexpr double kLeastExcess = 1e-3;  ///< of the load, whatever the noise
constexpr double kLeaves = 0.25;     ///< half band of a crossing that is looked for

tl::unexpected<std::string> no(std::string reason) { return tl::unexpected<std::string>(std::move(reason)); }

/// All values of one event, read off its core.
class EdgeReader {
 public:
  EdgeReader(const Core& core, const Event& event, const Windows& windows) : c_(core), e_(event), w_(windows), bus_(event.bus.value), load_(event.load.value) {}

  Edge read() {
    out_.event = e_;
    v_mid_ = clear_crossing(c_.v, bus_ / 2, kLeaves * bus_, !e_.on);
    i_mid_ = clear_crossing(c_.i, load_ / 2, kLeaves * load_, e_.on);
    if (e_.on) turn_on();
    else turn_off();
    return std::move(out_);
  }

 private:
  Found& at(Key key) { return out_.found[std::size_t(key)]; }
  void say(Key key, double value, double own, double from, double to) { at(key) = {.value = value, .own = own, .from = from, .to = to}; }
  void absent(std::initializer_list<Key> keys, const std::string& reason) {
    for (const auto key : keys)
      if (!at(key).value && at(key).value.error().empty()) at(key).value = no(reason);
  }
  /// A time between two instants, or a slope by it.
  void between(Key key, const std::optional<Instant>& a, const std::optional<Instant>& b, const char* what) {
    if (!a || !b) return absent({key}, fmt::format("{} does not pass both of its levels there", what));
    if (!(b->t > a->t)) return absent({key}, fmt::format("{} passes its levels in the wrong order", what));
    say(key, b->t - a->t, std::hypot(a->u, b->u), a->t, b->t);
  }
  void slope(Key key, const std::optional<Instant>& a, const std::optional<Instant>& b, double step, const char* what) {
    between(key, a, b, what);
    auto& f = at(key);
    if (!f.value) return;
    const double time = *f.value;
    f.value = step / time;
    f.own = step / time * f.own / time;
  }
  double power(double t) const { return c_.v.at(t) * c_.i.at(t); }

  void energy(Key key, const std::optional<Instant>& a, const std::optional<Instant>& b) {
    if (!(b->t > a->t)) return absent({key}, e_.on ? "v_ds has fallen before i_d rises: nothing is switched hard" : "i_d has fallen before v_ds rises: nothing is switched hard");
    out_.window = {a->t, b->t};
    const double value = energy_between(c_.v, c_.i, a->t, b->t), noise = u_energy(c_.v, c_.i, a->t, b->t);
    // What lies between the samples: what every second one alone would say otherwise, less what noise makes of that.
    const double coarse = energy_between(every_second(c_.v), every_second(c_.i), a->t, b->t) - value, between = std::sqrt(std::max(0.0, coarse * coarse - noise * noise)) / 3;
    say(key, value, std::hypot(std::hypot(noise, between), std::hypot(power(a->t) * a->u, power(b->t) * b->u)), a->t, b->t);
  }

  void gate_delay(Key key, double share, const std::optional<Instant>& until) {
    if (!c_.g) return absent({key}, "there is no v_gs");
    if (!e_.gate_low || !e_.gate_high) return absent({key}, "v_gs does not rest at two levels about it");
    const double low = e_.gate_low->value, swing = e_.gate_high->value - low, level = low + share * swing;
    const auto mid = clear_crossing(*c_.g, low + 0.5 * swing, kLeaves * swing, e_.on);
    std::optional<Instant> a;
    if (mid) a = past(*c_.g, *mid, level, !e_.on, false);
    if (!a || !until) return absent({key}, a ? "i_d does not pass its level there" : "v_gs does not pass its level before it");
    if (!(until->t > a->t)) return absent({key}, "i_d moves before v_gs does");
    // The levels' own uncertainty moves the passage.
    const double rest = std::hypot((1 - share) * e_.gate_low->u, share * e_.gate_high->u), steep = steepness(*c_.g, a->t);
    say(key, until->t - a->t, std::hypot(std::hypot(a->u, until->u), steep > 0 ? rest / steep : 0), a->t, until->t);
  }
  static double steepness(const Samples& s, double t) {
    const double step = (s.t.back() - s.t.front()) / double(s.t.size() - 1);
    return std::abs(s.at(t + step) - s.at(t - step)) / (2 * step);
  }

  void turn_on() {
    const auto all = {Key::energy_on, Key::delay_on, Key::rise_time, Key::dv_dt_on, Key::di_dt_on, Key::peak_current, Key::recovery_current, Key::recovery_charge, Key::energy_recovery};
    if (!i_mid_) return absent(all, "i_d does not rise to the load current there");
    const auto start = past(c_.i, *i_mid_, w_.on_start * load_, false, false), i_low = past(c_.i, *i_mid_, 0.1 * load_, false, false), i_high = past(c_.i, *i_mid_, 0.9 * load_, true, true);
    between(Key::rise_time, i_low, i_high, "i_d");
    slope(Key::di_dt_on, i_low, i_high, 0.8 * load_, "i_d");
    gate_delay(Key::delay_on, 0.1, i_low);
    if (!v_mid_) return absent(all, "v_ds does not fall there");
    const auto end = past(c_.v, *v_mid_, w_.on_end * bus_, false, true), v_high = past(c_.v, *v_mid_, 0.9 * bus_, true, false), v_low = past(c_.v, *v_mid_, 0.1 * bus_, false, true);
    slope(Key::dv_dt_on, v_high, v_low, 0.8 * bus_, "v_ds");
    if (!start || !end) absent({Key::energy_on}, !start ? "i_d does not begin below the window's level within the record" : "v_ds does not fall to the window's level within the record");
    else energy(Key::energy_on, start, end);
    excess(end ? end->t : *v_mid_);
    other_device();
  }

  /// What i_d carries over the load current, which climbs on: the other device's recovery.
  void excess(double end) {
    const double reach = std::max(end, *i_mid_) + std::max(std::abs(end - *i_mid_), 2 * std::abs(end - e_.current_at));
    auto level = c_.i;
    for (std::size_t k = 0; k < level.t.size(); ++k) level.y[k] -= e_.load_climbed(level.t[k]);
    const auto peak = extreme(level, *i_mid_, std::min(reach, c_.to), signal::Towards::high);
    if (!peak) return absent({Key::peak_current, Key::recovery_current, Key::recovery_charge}, "nothing of i_d lies there");
    say(Key::peak_current, peak->value + e_.load_climbed(peak->t), peak->u, peak->t, peak->t);
    const double over = peak->value - load_;
    if (!(over > std::max(kStandsOut * std::max(peak->u, level.noise), kLeastExcess * load_))) return absent({Key::recovery_current, Key::recovery_charge}, "i_d does not exceed the load current, as that climbs, by more than its noise");
    say(Key::recovery_current, over, peak->u, peak->t, peak->t);
    const auto from = past(level, peak->t, load_, false, false), to = past(level, peak->t, load_ + kRecovered * over, false, true);
    if (!from || !to) return absent({Key::recovery_charge}, "i_d does not come back to the load current within the record");
    const auto q = integral(level, from->t, to->t, load_);
    say(Key::recovery_charge, q.value, std::hypot(q.u, kRecovered * over * to->u), from->t, to->t);
  }

  /// From the current's passage through zero until it is nearly back.
  void other_device() {
    if (!c_.v_f || !c_.i_f) return absent({Key::energy_recovery}, "there are no v_f and i_f of the other device");
    const auto& i = *c_.i_f;
    // It carries the load one way, and its recovery the other.
    const bool above = i.at(c_.from) > 0;
    const auto peak = extreme(i, c_.from, c_.to, signal::towards(!above));
    if (!peak || above == (peak->value > 0) || !(std::abs(peak->value) > 4 * i.noise)) return absent({Key::energy_recovery}, "i_f does not turn round: there is no recovery");
    const auto from = past(i, peak->t, 0, above, false), to = past(i, peak->t, kBack * peak->value, above, true);
    if (!from || !to) return absent({Key::energy_recovery}, "i_f does not pass zero and come back within the record");
    say(Key::energy_recovery, std::abs(energy_between(*c_.v_f, i, from->t, to->t)),
        std::hypot(u_energy(*c_.v_f, i, from->t, to->t), std::abs(c_.v_f->at(to->t) * i.at(to->t)) * to->u), from->t, to->t);
  }

  void turn_off() {
    const auto all = {Key::energy_off, Key::delay_off, Key::fall_time, Key::dv_dt_off, Key::di_dt_off, Key::peak_voltage, Key::overshoot_voltage};
    if (!v_mid_) return absent(all, "v_ds does not rise there");
    const auto start = past(c_.v, *v_mid_, w_.off_start * bus_, false, false), v_low = past(c_.v, *v_mid_, 0.1 * bus_, false, false), v_high = past(c_.v, *v_mid_, 0.9 * bus_, true, true);
    slope(Key::dv_dt_off, v_low, v_high, 0.8 * bus_, "v_ds");
    std::optional<Instant> end, i_high, i_low;
    if (i_mid_) {
      end = past(c_.i, *i_mid_, w_.off_end * load_, false, true);
      i_high = past(c_.i, *i_mid_, 0.9 * load_, true, false);
      i_low = past(c_.i, *i_mid_, 0.1 * load_, false, true);
    }
    between(Key::fall_time, i_high, i_low, "i_d");
    slope(Key::di_dt_off, i_high, i_low, 0.8 * load_, "i_d");
    gate_delay(Key::delay_off, 0.9, i_high);
    if (!start || !end) absent({Key::energy_off}, !start ? "v_ds does not begin below the window's level within the record" : "i_d does not fall to the window's level within the record");
    else energy(Key::energy_off, start, end);
    const double reach = std::max(*v_mid_, end ? end->t : *v_mid_);
    const auto peak = extreme(c_.v, *v_mid_, std::min(c_.to, reach + 2 * std::max(reach - *v_mid_, v_high ? v_high->t - *v_mid_ : 0)), signal::Towards::high);
    if (!peak) return absent({Key::peak_voltage, Key::overshoot_voltage}, "nothing of v_ds lies there");
    say(Key::peak_voltage, peak->value, peak->u, peak->t, peak->t);
    say(Key::overshoot_voltage, 100 * (peak->value - bus_) / bus_, 100 * peak->u / bus_, peak->t, peak->t);
  }

  const Core& c_;
  const Event& e_;
  const Windows& w_;
  double bus_, load_;
  std::optional<double> v_mid_, i_mid_;
  Edge out_;
};

}  // namespace

const std::array<Definition, kKeys>& definitions() {
  static const std::array<Definition, kKeys> all = {{{Key::energy_on, "energy.on", "Turn-on energy", "J", true},
                                                     {Key::energy_off, "energy.off", "Turn-off energy", "J", false},
                                                     {Key::delay_on, "delay.on", "Turn-on delay", "s", true},
                                                     {Key::rise_time, "rise_time", "Rise time of the current", "s", true},
                                                     {Key::delay_off, "delay.off", "Turn-off delay", "s", false},
                                                     {Key::fall_time, "fall_time", "Fall time of the current", "s", false},
                                                     {Key::dv_dt_on, "dv_dt.on", "Voltage slope at turn-on", "V/s", true},
                                                     {Key::dv_dt_off, "dv_dt.off", "Voltage slope at turn-off", "V/s", false},
                                                     {Key::di_dt_on, "di_dt.on", "Current slope at turn-on", "A/s", true},
                                                     {Key::di_dt_off, "di_dt.off", "Current slope at turn-off", "A/s", false},
                                                     {Key::peak_voltage, "peak.voltage", "Peak voltage at turn-off", "V", false},
                                                     {Key::overshoot_voltage, "overshoot.voltage", "Overshoot of the voltage", "%", false},
                                                     {Key::peak_current, "peak.current", "Peak current at turn-on", "A", true},
                                                     {Key::recovery_current, "recovery.current", "Recovery current", "A", true},
                                                     {Key::recovery_charge, "recovery.charge", "Recovery charge", "C", true},
                                                     {Key::energy_recovery, "energy.recovery", "Recovery energy of the other device", "J", true}}};
  return all;
}

const Definition& definition(Key key) { return definitions()[std::size_t(key)]; }

Edge edge_of(const Core& core, const Event& event, const Windows& windows) { return EdgeReader(core, event, windows).read(); }

double Found::u() const {
  double squares = own * own;
  for (const double s : shared) squares += s * s;
  return std::sqrt(squares);
}

}  // namespace heron::study::switching
