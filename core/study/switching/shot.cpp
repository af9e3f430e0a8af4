#include "study/switching/shot.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/places.h"
#include "study/switching/exchanged.h"

namespace heron::study::switching {
namespace {

constexpr double kClear = 0.3;             ///< half of the band that a crossing must leave, of the swing
constexpr double kCarries = 0.05;          ///< of the highest current: less is no load
constexpr double kMostRead = 8192;         ///< samples of a line

class Reader {
 public:
  Reader(Shot& shot, const Settings& settings) : s_(shot), settings_(settings) {}

  Result<void> read() {
    const auto& v = *s_.get(Role::v_ds).trace;
    s_.from = std::max(settings_.from.value_or(-INFINITY), v.time.at(0));
    s_.to = std::min(settings_.to.value_or(INFINITY), v.time.at(v.size() - 1));
    if (!(s_.from < s_.to)) return fail(Fault::input, "from, to: nothing of the record lies between them.");
    const auto over = within(v, s_.from, s_.to);
    const auto states = states_of(v, over);
    if (!states) return tl::unexpected(states.error());
    const double noise = s_.get(Role::v_ds).noise;
    if (!*states || (*states)->high.level - (*states)->low.level < 8 * noise) return neither("v_ds does not go from one level to another");
    s_.high = (*states)->high.level;
    s_.low = (*states)->low.level;
    const double swing = s_.high - s_.low, middle = (s_.high + s_.low) / 2;
    const auto mids = crossings_of(v, over, middle, kClear * swing);
    if (!mids) return tl::unexpected(mids.error());
    for (const auto& c : *mids) (c.rising ? s_.rises : s_.falls).push_back(v.time.at_place(c.place));
    if (s_.rises.empty() && s_.falls.empty()) return neither("v_ds does not go from one level to another");
    if (auto ok = zero(); !ok) return ok;
    if (auto ok = highest(); !ok) return ok;
    const auto swapped = exchanged(s_, largest_);
    if (!swapped) return tl::unexpected(swapped.error());
    s_.swapped = *swapped;
    if (auto ok = find_off(); !ok) return ok;
    if (auto ok = find_on(); !ok) return ok;
    return find_ramp();
  }

 private:
  Result<void> neither(const std::string& why) {
    s_.off = tl::unexpected(why);
    s_.on = tl::unexpected(why);
    return {};
  }

  /// The last and the next passage of v_ds about a time; the ends of what is analysed where there is none.
  double before(double t) const {
    double out = s_.from;
    for (const auto* all : {&s_.rises, &s_.falls})
      for (const double x : *all)
        if (x < t) out = std::max(out, x);
    return out;
  }
  double after(double t) const {
    double out = s_.to;
    for (const auto* all : {&s_.rises, &s_.falls})
      for (const double x : *all)
        if (x > t) out = std::min(out, x);
    return out;
  }
  /// Half way to what is before, or to the end where nothing is.
  double half_before(double t) const {
    const double b = before(t);
    return b > s_.from ? (b + t) / 2 : b;
  }
  double half_after(double t) const {
    const double a = after(t);
    return a < s_.to ? (a + t) / 2 : a;
  }

  Sensed& current() { return *s_.of[std::size_t(Role::i_d)]; }

  /// By what i_d reads before the first pulse, else while it is off between two.
  Result<void> zero() {
    const double first = std::min(s_.falls.empty() ? INFINITY : s_.falls.front(), s_.rises.empty() ? INFINITY : s_.rises.front());
    const bool starts_off = !s_.falls.empty() && first == s_.falls.front();
    std::optional<Rest> rest;
    // A tenth of the stretch is left before what happens, for currents that are late.
    if (starts_off) {
      auto r = rest_of(current(), s_.from, first - 0.1 * (first - s_.from));
      if (!r) return tl::unexpected(r.error());
      rest = *r;
    } else if (!s_.rises.empty()) {
      const double rise = s_.rises.front(), next = after(rise);
      auto r = rest_of(current(), rise + 0.5 * (next - rise), next - 0.1 * (next - rise));
      if (!r) return tl::unexpected(r.error());
      rest = *r;
    }
    s_.before = rest;
    if (!rest || !settings_.zero) return {};
    // What the zero was off by is gone with it; what is left is how well the rest is known.
    current() = zeroed(current(), rest->value, rest->u);
    return {};
  }

  Result<void> highest() {
    const auto& i = current();
    const auto over = within(*i.trace, s_.from, s_.to);
    if (over.size() < 2) return {};
    // Of what is in the record, whose extremes by blocks are known once for all.
    const auto ranges = s_.record->traces[i.place]->envelope(over.first, over.last, 16);
    if (!ranges) return tl::unexpected(ranges.error());
    for (const auto& r : *ranges)
      for (const double end : {r.low, r.high}) largest_ = std::max(largest_, std::abs(i.factor * end - i.zero));
    return {};
  }

  /// What i_d carries within a stretch of conduction.
  Result<double> carried(double from, double to) {
    const auto r = rest_of(current(), from, to);
    if (!r) return tl::unexpected(r.error());
    return *r ? (*r)->value : 0;
  }

  static std::string amperes(double current) { return format_quantity(current, "A", 2).plain(); }
  std::string no_load(double current) const {
    return fmt::format("i_d carries {} while the device is on, of {} at most: there is no load current", amperes(current), amperes(largest_));
  }

  /// Whether i_d carries a load there; notes where it runs the wrong way.
  bool carries(double load) {
    if (load < -kCarries * largest_ && -load > 4 * current().noise) s_.reversed = true;
    return load > kCarries * largest_ && load > 4 * current().noise;
  }

  Result<void> find_off() {
    std::string why = "v_ds does not rise: the first pulse does not end within the record";
    for (const double rise : s_.rises) {
      const double begin = before(rise), length = rise - begin;
      const auto load = carried(rise - 0.3 * length, rise - 0.05 * length);
      if (!load) return tl::unexpected(load.error());
      if (!carries(*load)) {
        why = s_.reversed ? "i_d runs the wrong way" : no_load(*load);
        continue;
      }
      return fill_event(s_.off, {.on = false, .at = rise, .from = half_before(rise), .to = half_after(rise)}, *load);
    }
    s_.off = tl::unexpected(why);
    return {};
  }

  Result<void> find_on() {
    if (s_.falls.empty()) {
      s_.on = tl::unexpected<std::string>("v_ds does not fall: there is no second pulse");
      return {};
    }
    // The next fall after the turn-off; without one whatever falls, which is then no hard one.
    const double after_off = s_.off ? s_.off->at : s_.rises.empty() ? -INFINITY : s_.rises.front();
    auto fall = std::find_if(s_.falls.begin(), s_.falls.end(), [&](double t) { return t > after_off; });
    const bool second = fall != s_.falls.end();
    if (!second) fall = s_.falls.begin();
    const double end = after(*fall), length = end - *fall;
    const auto load = carried(*fall + 0.3 * length, *fall + 0.7 * length);
    if (!load) return tl::unexpected(load.error());
    if (!carries(*load)) {
      s_.on = tl::unexpected(s_.reversed ? std::string("i_d runs the wrong way") : no_load(*load));
      return {};
    }
    return fill_event(s_.on, {.on = true, .at = *fall, .from = half_before(*fall), .to = half_after(*fall)}, *load);
  }

  Result<void> fill_event(tl::expected<Event, std::string>& into, Event e, double load) {
    const auto& i = *current().trace;
    // In the record's own numbers, as for the extremes; a sensor that was turned round turns the passage.
    const double factor = current().factor;
    const auto mids = crossings_of(*s_.record->traces[current().place], within(i, e.from, e.to), (load / 2 + current().zero) / factor, load / 4 / std::abs(factor));
    if (!mids) return tl::unexpected(mids.error());
    // The first passage as the event has it.
    const auto it = std::find_if(mids->begin(), mids->end(), [&](const signal::Crossing& c) { return c.rising == (e.on == (factor > 0)); });
    if (it == mids->end()) {
      into = tl::unexpected(std::string(e.on ? "i_d does not rise to the load current there" : "i_d does not fall there: the record ends before, or it flows elsewhere"));
      return {};
    }
    e.current_at = i.time.at_place(it->place);
    const double first = std::min(e.at, e.current_at), last = std::max(e.at, e.current_at), step = i.time.step();
    const double guard = 1.5 * (last - first) + 4 * step;
    const double start = before(e.at), end = after(e.at);
    // The bus: while the device blocks, on the side of the event where it does; between the pulses where both are there.
    const double off_from = e.on ? start : last, off_to = e.on ? first : end;
    const double off_length = off_to - off_from;
    const auto bus = rest_of(s_.get(Role::v_ds), std::max(off_from + 0.5 * off_length, e.on ? -INFINITY : last + guard), e.on ? first - std::min(guard, 0.4 * off_length) : off_to - 0.3 * off_length);
    if (!bus) return tl::unexpected(bus.error());
    e.bus = settings_.v_bus ? Rest{*settings_.v_bus, 0} : *bus ? **bus : Rest{s_.high, s_.get(Role::v_ds).noise};
    // The load current: a line through what flows while it is on, at the event.
    std::optional<signal::LineAt> line;
    if (e.on) {
      const double length = end - last;
      const double away = std::max(0.3 * length, std::min(guard, 0.5 * length));
      const auto l = line_of(current(), last + away, last + std::min(0.95 * length, away + kMostRead * step), e.at);
      if (!l) return tl::unexpected(l.error());
      line = *l;
      // A first pulse builds the current up: it turns on before any flows.
      if (line && !settings_.i_load && !(line->value > kCarries * largest_)) {
        into = tl::unexpected(fmt::format("i_d carries {} when v_ds falls, of {} at most: no load current is taken over", amperes(line->value), amperes(largest_)));
        return {};
      }
    } else {
      const double length = first - start, stop = first - std::min(guard, 0.3 * length);
      const auto l = line_of(current(), stop - 0.25 * length, stop, e.at);
      if (!l) return tl::unexpected(l.error());
      line = *l;
    }
    if (e.on && line) e.load_slope = line->slope;
    e.load = settings_.i_load ? Rest{*settings_.i_load, 0} : line ? Rest{line->value, line->u} : Rest{load, current().noise};
    if (!(e.load.value > 0)) e.load = {load, current().noise};
    if (const auto* gate = s_.find(Role::v_gs)) {
      const double on_from = e.on ? last : start, on_to = e.on ? end : first;
      // While it is off: the second half; while it is on: what is next to the event but for a fifth of the stretch.
      auto low = rest_of(*gate, off_from + (e.on ? 0.4 : 0.5) * off_length, off_to - 0.1 * off_length);
      if (!low) return tl::unexpected(low.error());
      auto high = rest_of(*gate, on_from + 0.4 * (on_to - on_from), on_to - 0.1 * (on_to - on_from));
      if (!high) return tl::unexpected(high.error());
      if (*low && *high && (*high)->value - (*low)->value > 8 * gate->noise) {
        e.gate_low = *low;
        e.gate_high = *high;
      }
    }
    into = e;
    return {};
  }

  Result<void> find_ramp() {
    if (!s_.off) return {};
    const double begin = before(s_.off->at), end = std::min(s_.off->at, s_.off->current_at), length = end - begin;
    Ramp out{.from = begin, .to = end};
    const auto first = line_of(current(), begin + 0.05 * length, begin + 0.35 * length, begin), last = line_of(current(), begin + 0.65 * length, begin + 0.95 * length, end);
    if (!first) return tl::unexpected(first.error());
    if (!last) return tl::unexpected(last.error());
    if (!*first || !*last) return {};
    out.slope_first = (*first)->slope;
    out.slope_last = (*last)->slope;
    out.u_first = (*first)->u_slope;
    out.u_last = (*last)->u_slope;
    s_.ramp = out;
    return {};
  }

  Shot& s_;
  const Settings& settings_;
  double largest_ = 0;
};

}  // namespace

Result<ShotPtr> read_shot(WaveformsPtr record, const Settings& settings) {
  auto out = std::make_shared<Shot>();
  out->record = std::move(record);
  for (std::size_t k = 0; k < kRoles; ++k) {
    auto one = sensed(*out->record, Role(k), settings);
    if (!one) return tl::unexpected(one.error());
    out->of[k] = std::move(*one);
  }
  for (const auto role : {Role::v_ds, Role::i_d})
    if (!out->find(role)) return fail(Fault::input, "There is no quantity {0}: name one so, or say which it is, such as wire.{0} = v_switch.", role_name(role));
  if (out->get(Role::v_ds).trace->size() < 16) return fail(Fault::input, "A shot of {} samples tells nothing.", out->get(Role::v_ds).trace->size());
  if (auto ok = Reader(*out, settings).read(); !ok) return tl::unexpected(ok.error());
  return ShotPtr(std::move(out));
}

}  // namespace heron::study::switching
