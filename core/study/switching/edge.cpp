#include "study/switching/edge.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "signal/local.h"

namespace heron::study::switching {
namespace {

constexpr double kRecovered = 0.1;  ///< of the recovery current, where its charge ends
constexpr double kBack = 0.02;      ///< of the other device's peak, where its energy ends
constexpr double kLeaves = 0.25;     ///< half band of a crossing that is looked for

/// A time with what noise leaves of it.
struct Instant {
  double t = 0, u = 0;
};

/// The passage nearest to a time, noise considered.
std::optional<Instant> passage(const Samples& s, double near, double level) {
  const auto it = std::lower_bound(s.t.begin(), s.t.end(), near);
  const double k = it == s.t.begin() ? 0 : double(it - s.t.begin()) - 1;
  const auto n = s.t.size();
  const double inside = k + 1 < double(n) ? std::clamp((near - s.t[std::size_t(k)]) / (s.t[std::size_t(k) + 1] - s.t[std::size_t(k)]), 0.0, 1.0) : 0;
  constexpr std::size_t kReach = 2048;
  const auto first = std::size_t(k) > kReach ? std::size_t(k) - kReach : 0, last = std::min(n, std::size_t(k) + kReach);
  const auto found = signal::crossing_near(std::span(s.y).subspan(first, last - first), k + inside - double(first), level, s.noise);
  if (!found) return std::nullopt;
  const double place = std::clamp(found->place + double(first), 0.0, double(n - 1));
  const auto low = std::min(std::size_t(place), n - 2);
  const double step = s.t[low + 1] - s.t[low];
  return Instant{s.t[low] + (place - double(low)) * step, found->u_place * step * std::sqrt(s.together)};
}

std::optional<Instant> past(const Samples& s, double from, double level, bool above, bool forward) {
  const auto rough = first_past(s, from, level, above, forward);
  if (!rough) return std::nullopt;
  auto fine = passage(s, *rough, level);
  // A passage that noise carries far from where it was found is not the same one.
  if (!fine) fine = Instant{*rough, s.t.size() > 1 ? (s.t[1] - s.t[0]) / 2 : 0};
  return fine;
}

/// The first crossing that comes from well on one side and leaves well to the other.
std::optional<double> clear_crossing(const Samples& s, double level, double band, bool rising) {
  bool armed = false;
  double crossed = NAN;
  for (std::size_t k = 0; k < s.y.size(); ++k) {
    const double off = (s.y[k] - level) * (rising ? 1 : -1);
    if (off < -band) {
      armed = true;
      crossed = NAN;
    }
    if (armed && k > 0 && off >= 0 && (s.y[k - 1] - level) * (rising ? 1 : -1) < 0 && std::isnan(crossed))
      crossed = s.t[k - 1] + (s.t[k] - s.t[k - 1]) * (level - s.y[k - 1]) / (s.y[k] - s.y[k - 1]);
    if (armed && off > band && !std::isnan(crossed)) return crossed;
  }
  return std::nullopt;
}

/// Where two straight flanks meet between samples: the tip of a triangle, which no parabola has. Nothing where the flanks
/// bend, or noise could make as much.
constexpr double kCornerNoise = 2.5;  ///< of each sample, that lines through three samples of each flank leave of it
std::optional<double> corner_at(std::span<const double> y, std::size_t k, double noise, double sign) {
  if (k < 3 || k + 3 >= y.size()) return std::nullopt;
  const auto bends = [&](std::size_t j) { return std::abs(y[j - 1] - 2 * y[j] + y[j + 1]); };
  const double left = (y[k - 1] - y[k - 3]) / 2, right = (y[k + 3] - y[k + 1]) / 2, turn = std::abs(right - left);
  if (!(sign * left > 0) || !(sign * right < 0) || bends(k - 2) > 0.15 * turn + 4 * noise || bends(k + 2) > 0.15 * turn + 4 * noise) return std::nullopt;
  const double from_left = (y[k - 1] + y[k - 2] + y[k - 3]) / 3 + 2 * left, from_right = (y[k + 1] + y[k + 2] + y[k + 3]) / 3 - 2 * right;
  const double place = (from_right - from_left) / (left - right), tip = from_left + left * place;
  // A vertex bends at its neighbours as well; a tip lies within a sample of the highest and above it.
  if (!(std::abs(place) <= 1) || !(sign * (tip - y[k]) > 3 * kCornerNoise * noise)) return std::nullopt;
  return tip;
}

/// The highest or lowest between two times.
struct Extreme {
  double value = 0, u = 0, t = 0;
};
std::optional<Extreme> extreme(const Samples& s, double from, double to, double sign) {
  const auto first = std::size_t(std::lower_bound(s.t.begin(), s.t.end(), from) - s.t.begin()), last = std::size_t(std::upper_bound(s.t.begin(), s.t.end(), to) - s.t.begin());
  if (first >= last) return std::nullopt;
  const std::span<const double> y = std::span(s.y).subspan(first, last - first);
  const auto it = sign > 0 ? std::max_element(y.begin(), y.end()) : std::min_element(y.begin(), y.end());
  const auto at = std::size_t(it - y.begin());
  if (const auto corner = corner_at(y, at, s.noise, sign)) return Extreme{*corner, s.noise * kCornerNoise * std::sqrt(s.together), s.t[first + at]};
  const auto found = signal::extreme_near(y, at, s.noise, signal::towards(sign > 0));
  return Extreme{found.value, found.u_value * std::sqrt(s.together), s.t[first + std::min(std::size_t(std::max(0.0, found.place)), y.size() - 1)]};
}

/// The integral of f(y) between two times, straight between samples, and what noise does to it.
struct Integral {
  double value = 0, u = 0;
};
Integral integral(const Samples& s, double from, double to, double less) {
  Integral out;
  double squares = 0;
  auto k = std::size_t(std::lower_bound(s.t.begin(), s.t.end(), from) - s.t.begin());
  double t = from, y = s.at(from);
  for (; t < to; ++k) {
    const double next = k < s.t.size() ? std::min(s.t[k], to) : to, y_next = next < to && k < s.t.size() ? s.y[k] : s.at(to);
    out.value += (next - t) * ((y + y_next) / 2 - less);
    squares += (next - t) * (next - t);
    t = next;
    y = y_next;
    if (k >= s.t.size()) break;
  }
  out.u = s.noise * std::sqrt(s.together * squares);
  return out;
}

/// What noise on v and i does to the energy between two times.
double u_energy(const Samples& v, const Samples& i, double from, double to) {
  double by_v = 0, by_i = 0;
  const auto first = std::size_t(std::lower_bound(v.t.begin(), v.t.end(), from) - v.t.begin());
  for (auto k = first; k + 1 < v.t.size() && v.t[k] < to; ++k) {
    const double step = v.t[k + 1] - v.t[k];
    by_v += std::pow(step * i.at(v.t[k]), 2);
  }
  const auto first_i = std::size_t(std::lower_bound(i.t.begin(), i.t.end(), from) - i.t.begin());
  for (auto k = first_i; k + 1 < i.t.size() && i.t[k] < to; ++k) by_i += std::pow((i.t[k + 1] - i.t[k]) * v.at(i.t[k]), 2);
  return std::hypot(v.noise * std::sqrt(v.together * by_v), i.noise * std::sqrt(i.together * by_i));
}

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

  static Samples every_second(const Samples& s) {
    Samples out{.noise = s.noise, .together = s.together};
    for (std::size_t k = 0; k < s.t.size(); k += 2) {
      out.t.push_back(s.t[k]);
      out.y.push_back(s.y[k]);
    }
    return out;
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
    const double step = s.t.size() > 1 ? (s.t.back() - s.t.front()) / double(s.t.size() - 1) : 0;
    return step > 0 ? std::abs(s.at(t + step) - s.at(t - step)) / (2 * step) : 0;
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

  /// What i_d carries over the load current: the other device's recovery.
  void excess(double end) {
    const double reach = std::max(end, *i_mid_) + std::max(std::abs(end - *i_mid_), 2 * std::abs(end - e_.current_at));
    const auto peak = extreme(c_.i, *i_mid_, std::min(reach, c_.to), 1);
    if (!peak) return absent({Key::peak_current, Key::recovery_current, Key::recovery_charge}, "nothing of i_d lies there");
    say(Key::peak_current, peak->value, peak->u, peak->t, peak->t);
    const double over = peak->value - load_;
    if (!(over > 3 * std::max(peak->u, c_.i.noise))) return absent({Key::recovery_current, Key::recovery_charge}, "i_d does not exceed the load current by more than its noise");
    say(Key::recovery_current, over, peak->u, peak->t, peak->t);
    const auto from = past(c_.i, peak->t, load_, false, false), to = past(c_.i, peak->t, load_ + kRecovered * over, false, true);
    if (!from || !to) return absent({Key::recovery_charge}, "i_d does not come back to the load current within the record");
    const auto q = integral(c_.i, from->t, to->t, load_);
    say(Key::recovery_charge, q.value, std::hypot(q.u, kRecovered * over * to->u), from->t, to->t);
  }

  /// From the current's passage through zero until it is nearly back.
  void other_device() {
    if (!c_.v_f || !c_.i_f) return absent({Key::energy_recovery}, "there are no v_f and i_f of the other device");
    const auto& i = *c_.i_f;
    // It carries the load one way, and its recovery the other.
    const double carried = i.at(std::max(c_.from, e_.current_at - (c_.to - c_.from) / 4));
    const double sign = carried > 0 ? -1 : 1;
    const auto peak = extreme(i, c_.from, c_.to, sign);
    if (!peak || !(sign * peak->value > 4 * i.noise)) return absent({Key::energy_recovery}, "i_f does not turn round: there is no recovery");
    const auto from = past(i, peak->t, 0, sign < 0, false), to = past(i, peak->t, kBack * peak->value, sign < 0, true);
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
    const auto peak = extreme(c_.v, *v_mid_, std::min(c_.to, reach + 2 * std::max(reach - *v_mid_, v_high ? v_high->t - *v_mid_ : 0)), 1);
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

/// The core and its levels with one error of the channels in it.
struct Moved {
  Core core;
  Event event;
};
Moved moved_by(const Core& core, const Event& event, Source source, double by) {
  Moved out{core, event};
  const auto scale = [&](std::vector<double>& y) {
    for (auto& x : y) x *= 1 + by;
  };
  const auto lift = [&](std::vector<double>& y) {
    for (auto& x : y) x += by;
  };
  switch (source) {
    case Source::v_gain:
      scale(out.core.v.y);
      out.event.bus.value *= 1 + by;
      break;
    case Source::i_gain:
      scale(out.core.i.y);
      out.event.load.value *= 1 + by;
      break;
    case Source::v_offset:
      lift(out.core.v.y);
      out.event.bus.value += by;
      break;
    case Source::i_offset:
      lift(out.core.i.y);
      out.event.load.value += by;
      break;
    case Source::delay:
      for (auto& t : out.core.i.t) t += by;
      break;
    case Source::f_gain: break;
  }
  return out;
}

/// Whether the windows lie well inside what was read.
bool holds(const Core& core, const Edge& edge, double limit_from, double limit_to) {
  double first = INFINITY, last = -INFINITY;
  for (const auto& f : edge.found) {
    if (!f.value) continue;
    first = std::min(first, f.from);
    last = std::max(last, f.to);
  }
  if (!edge.window) return false;
  const double room = last - first;
  return (core.from <= limit_from || first - core.from > 0.7 * room) && (core.to >= limit_to || core.to - last > 1.5 * room);
}

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

std::optional<double> first_past(const Samples& s, double from, double level, bool above, bool forward) {
  const auto beyond = [&](double y) { return above ? y >= level : y <= level; };
  const auto n = s.t.size();
  const auto it = std::lower_bound(s.t.begin(), s.t.end(), from);
  if (forward) {
    for (auto k = std::size_t(it - s.t.begin()); k < n; ++k) {
      if (!beyond(s.y[k])) continue;
      if (k == 0 || s.y[k] == s.y[k - 1]) return s.t[k];
      return s.t[k - 1] + (s.t[k] - s.t[k - 1]) * std::clamp((level - s.y[k - 1]) / (s.y[k] - s.y[k - 1]), 0.0, 1.0);
    }
    return std::nullopt;
  }
  for (auto k = std::size_t(it - s.t.begin()); k-- > 0;) {
    if (!beyond(s.y[k])) continue;
    if (k + 1 == n || s.y[k + 1] == s.y[k]) return s.t[k];
    return s.t[k] + (s.t[k + 1] - s.t[k]) * std::clamp((level - s.y[k]) / (s.y[k + 1] - s.y[k]), 0.0, 1.0);
  }
  return std::nullopt;
}

double energy_between(const Samples& v, const Samples& i, double from, double to) {
  // Between two instants of either both are straight: their product's integral is exact.
  double out = 0, t = from, a = v.at(from), b = i.at(from);
  auto k = std::size_t(std::upper_bound(v.t.begin(), v.t.end(), from) - v.t.begin()), j = std::size_t(std::upper_bound(i.t.begin(), i.t.end(), from) - i.t.begin());
  while (t < to) {
    const double next_v = k < v.t.size() ? v.t[k] : INFINITY, next_i = j < i.t.size() ? i.t[j] : INFINITY, next = std::min({next_v, next_i, to});
    const double a_next = next == next_v ? v.y[k] : v.at(next), b_next = next == next_i ? i.y[j] : i.at(next);
    out += (next - t) * (2 * a * b + 2 * a_next * b_next + a * b_next + a_next * b) / 6;
    if (next == next_v) ++k;
    if (next == next_i) ++j;
    t = next;
    a = a_next;
    b = b_next;
  }
  return out;
}

Result<Core> core_of(const Shot& shot, const Event& e, const Windows& windows) {
  const double step = shot.get(Role::v_ds).trace->time.step();
  double reach = std::max(64 * step, 4 * std::abs(e.at - e.current_at));
  for (;; reach *= 2) {
    Core out{.from = std::max(e.from, std::min(e.at, e.current_at) - reach), .to = std::min(e.to, std::max(e.at, e.current_at) + 2 * reach)};
    const auto load = [&](Role role) -> Result<std::optional<Samples>> {
      const auto* s = shot.find(role);
      if (!s) return std::optional<Samples>();
      auto samples = samples_of(*s, out.from, out.to);
      if (!samples) return tl::unexpected(samples.error());
      return std::optional(std::move(*samples));
    };
    auto v = load(Role::v_ds), i = load(Role::i_d), g = load(Role::v_gs), v_f = load(Role::v_f), i_f = load(Role::i_f);
    for (const auto* one : {&v, &i, &g, &v_f, &i_f})
      if (!*one) return tl::unexpected(one->error());
    out.v = std::move(**v);
    out.i = std::move(**i);
    out.g = std::move(*g);
    out.v_f = std::move(*v_f);
    out.i_f = std::move(*i_f);
    const bool whole = out.from <= e.from && out.to >= e.to;
    if (whole || holds(out, edge_of(out, e, windows), e.from, e.to)) return out;
  }
}

Result<Edge> read_edge(const Shot& shot, const Event& event, const Windows& windows, std::optional<double> u_skew) {
  const auto core = core_of(shot, event, windows);
  if (!core) return tl::unexpected(core.error());
  auto out = edge_of(*core, event, windows);
  const auto &v = shot.get(Role::v_ds).errors, &i = shot.get(Role::i_d).errors;
  const BySource u = {v.u_gain, i.u_gain, v.u_offset, i.u_offset, u_skew.value_or(std::hypot(v.u_delay, i.u_delay)), 0};
  const auto differs = [&](const Edge& other, auto use) {
    for (std::size_t k = 0; k < kKeys; ++k)
      if (out.found[k].value && other.found[k].value) use(out.found[k], *other.found[k].value - *out.found[k].value);
  };
  for (std::size_t k = 0; k < kSources; ++k) {
    if (u[k] == 0) continue;
    const auto moved = moved_by(*core, event, Source(k), u[k]);
    out.load_shared[k] = moved.event.load.value - event.load.value;
    differs(edge_of(moved.core, moved.event, windows), [&](Found& f, double by) { f.shared[k] = by; });
  }
  // The delay moves what is read across two channels; within one it moves nothing.
  if (const auto *f = shot.find(Role::v_f), *c = shot.find(Role::i_f); f && c)
    if (auto& e = out.found[std::size_t(Key::energy_recovery)]; e.value) e.shared[std::size_t(Source::f_gain)] = *e.value * std::hypot(f->errors.u_gain, c->errors.u_gain);
  for (const bool bus : {true, false}) {
    const double by = bus ? event.bus.u : event.load.u;
    if (by == 0) continue;
    auto moved = event;
    (bus ? moved.bus : moved.load).value += by;
    differs(edge_of(*core, moved, windows), [&](Found& f, double d) { f.own = std::hypot(f.own, d); });
  }
  return out;
}

std::optional<double> energy_at(const Core& core, const Event& event, const Windows& windows, double later) {
  const auto moved = moved_by(core, event, Source::delay, later);
  const auto edge = edge_of(moved.core, moved.event, windows);
  const auto& f = edge.get(event.on ? Key::energy_on : Key::energy_off);
  return f.value ? std::optional(*f.value) : std::nullopt;
}

}  // namespace heron::study::switching
