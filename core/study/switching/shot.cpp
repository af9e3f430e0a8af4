#include "study/switching/shot.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/quantity.h"
#include "signal/local.h"
#include "signal/states.h"
#include "study/places.h"

namespace heron::study::switching {
namespace {

constexpr std::string_view kNames[kRoles] = {"v_ds", "i_d", "v_gs", "v_f", "i_f"};
constexpr std::size_t kMostLooked = 8192;  ///< samples that a level is read from
constexpr double kClear = 0.3;             ///< half of the band that a crossing must leave, of the swing
constexpr double kClimbs = 0.08;           ///< of the swing, that a load's current gains and a bus does not
constexpr double kCarries = 0.05;          ///< of the highest current: less is no load

/// A trace turned, scaled, zeroed and moved in time.
class Adjusted final : public Trace {
 public:
  Adjusted(TracePtr of, double factor, double zero, TimeBase over) : Trace(of->name, of->unit, std::move(over)), of_(std::move(of)), factor_(factor), zero_(zero) {}
  std::size_t size() const override { return of_->size(); }
  Result<void> read(std::size_t first, std::span<double> out) const override {
    if (auto ok = of_->read(first, out); !ok) return ok;
    for (auto& v : out) v = factor_ * v - zero_;
    return {};
  }
  std::size_t bytes() const override { return sizeof *this; }

 private:
  TracePtr of_;
  double factor_, zero_;
};

TimeBase earlier(const Trace& trace, double by) {
  if (by == 0) return trace.time;
  if (trace.time.even()) return TimeBase(trace.time.start() - by, trace.time.step());
  auto times = std::make_shared<std::vector<double>>();
  for (std::size_t k = 0; k < trace.size(); ++k) times->push_back(trace.time.at(k) - by);
  return TimeBase(std::move(times));
}

TracePtr adjusted(const TracePtr& trace, double factor, double zero, double by) {
  if (factor == 1 && zero == 0 && by == 0) return trace;
  return std::make_shared<const Adjusted>(trace, factor, zero, earlier(*trace, by));
}

/// [first, last) of the samples within two times.
Stretch stretch_of(const Trace& trace, double from, double to) {
  const double n = double(trace.size());
  const double first = std::clamp(std::ceil(trace.time.place_of(from, trace.size())), 0.0, n), last = std::clamp(std::floor(trace.time.place_of(to, trace.size())) + 1, 0.0, n);
  return {std::size_t(first), std::size_t(std::max(first, last))};
}

/// What it rests at, and how well that is known: the mean of its last samples within two times.
Result<std::optional<Rest>> rest_of(const Sensed& s, double from, double to) {
  auto over = stretch_of(*s.trace, from, to);
  if (over.size() < 2) return std::optional<Rest>();
  if (over.size() > kMostLooked) over.first = over.last - kMostLooked;
  std::vector<double> y(over.size());
  if (auto ok = s.trace->read(over.first, y); !ok) return tl::unexpected(ok.error());
  double sum = 0;
  for (const double v : y) sum += v;
  const double mean = sum / double(y.size());
  double squares = 0;
  for (const double v : y) squares += (v - mean) * (v - mean);
  const double scatter = std::sqrt(squares / double(y.size() - 1));
  // Rounding errs alike in all samples that rest, as far as their noise does not move them over a count.
  const double left = s.errors.quantum > 0 ? left_of_rounding(s.errors.quantum, std::max(scatter, s.errors.quantum / 100)) / std::numbers::sqrt2 : 0;
  return std::optional(Rest{mean, std::hypot(scatter * std::sqrt(s.together / double(y.size())), left)});
}

/// A straight line through its last samples within two times, at another.
struct Line {
  double value = 0, u = 0, slope = 0, u_slope = 0;
};
Result<std::optional<Line>> line_of(const Sensed& s, double from, double to, double at) {
  auto over = stretch_of(*s.trace, from, to);
  if (over.size() < 4) return std::optional<Line>();
  if (over.size() > kMostLooked) over.first = over.last - kMostLooked;
  std::vector<double> y(over.size());
  if (auto ok = s.trace->read(over.first, y); !ok) return tl::unexpected(ok.error());
  const double n = double(y.size());
  double mt = 0, my = 0, tt = 0, ty = 0, squares = 0;
  for (std::size_t k = 0; k < y.size(); ++k) {
    mt += s.trace->time.at(over.first + k) / n;
    my += y[k] / n;
  }
  for (std::size_t k = 0; k < y.size(); ++k) {
    const double t = s.trace->time.at(over.first + k) - mt;
    tt += t * t;
    ty += t * (y[k] - my);
  }
  Line out{.slope = tt > 0 ? ty / tt : 0};
  for (std::size_t k = 0; k < y.size(); ++k) squares += std::pow(y[k] - my - out.slope * (s.trace->time.at(over.first + k) - mt), 2);
  const double scatter = std::sqrt(squares / std::max(1.0, n - 2) * s.together);
  out.value = my + out.slope * (at - mt);
  out.u_slope = tt > 0 ? scatter / std::sqrt(tt) : 0;
  out.u = std::hypot(scatter / std::sqrt(n), out.u_slope * (at - mt));
  return std::optional(out);
}

/// Noise of the samples: of the quietest stretches, and how far neighbours err alike there.
Result<void> look_at_noise(Sensed& s) {
  const auto n = s.trace->size();
  constexpr std::size_t kPieces = 48, kEach = 64;
  // The quietest quarter of such pieces lies so far below them all where noise alone tells them apart.
  constexpr double kLowest = 0.79;
  const auto each = std::min(kEach, n / 4);
  if (each < 8) return {};
  struct Quiet {
    double variance, lagged;
  };
  std::vector<Quiet> all;
  std::vector<double> y(each);
  for (std::size_t p = 0; p < kPieces; ++p) {
    if (auto ok = s.trace->read((n - each) * p / (kPieces - 1), y); !ok) return ok;
    // Without its own line, so that a ramp is not taken for noise.
    double variance = 0, lagged = 0;
    const double at = (double(each) - 1) / 2;
    double my = 0, ty = 0, tt = 0;
    for (std::size_t k = 0; k < each; ++k) my += y[k] / double(each);
    for (std::size_t k = 0; k < each; ++k) {
      ty += (double(k) - at) * (y[k] - my);
      tt += (double(k) - at) * (double(k) - at);
    }
    double last = 0;
    for (std::size_t k = 0; k < each; ++k) {
      const double v = y[k] - my - ty / tt * (double(k) - at);
      variance += v * v / double(each);
      if (k > 0) lagged += v * last / double(each);
      last = v;
    }
    all.push_back({variance, lagged});
  }
  std::sort(all.begin(), all.end(), [](const Quiet& a, const Quiet& b) { return a.variance < b.variance; });
  const auto quiet = std::max<std::size_t>(1, all.size() / 4);
  double variance = 0, lagged = 0;
  for (std::size_t k = 0; k < quiet; ++k) {
    variance += all[k].variance / double(quiet);
    lagged += all[k].lagged / double(quiet);
  }
  // A first-order process, as the noise behind one pole is: sums vary by (1 + r)/(1 - r) times as much.
  const double r = variance > 0 ? std::clamp(lagged / variance, 0.0, 0.9) : 0;
  s.together = (1 + r) / (1 - r);
  // What moves is rounded at random, whatever rests does.
  s.noise = std::max(std::sqrt(variance / kLowest), s.errors.quantum / std::sqrt(12.0));
  return {};
}

Result<std::optional<Sensed>> fill(const Waveforms& record, Role role, const Settings& settings) {
  const auto name = role_name(role);
  const auto wire = settings.wires.find(name);
  const auto place = record.place(wire != settings.wires.end() ? wire->second.quantity : std::string(name));
  if (place >= record.traces.size()) {
    if (wire != settings.wires.end()) return fail(Fault::input, "{}{}: there is no quantity \"{}\".", kWireKey, name, wire->second.quantity);
    return std::optional<Sensed>();
  }
  const double factor = wire != settings.wires.end() ? wire->second.factor : 1, size = std::abs(factor);
  Sensed out{.trace = adjusted(record.traces[place], factor, 0, role == Role::i_d ? settings.skew : 0), .errors = record.errors[place], .place = place, .factor = factor, .earlier = role == Role::i_d ? settings.skew : 0};
  out.errors.u_offset *= size;
  out.errors.quantum *= size;
  if (out.errors.range) *out.errors.range *= size;
  if (out.errors.lowest && out.errors.highest) {
    const double a = factor * *out.errors.lowest, b = factor * *out.errors.highest;
    out.errors.lowest = std::min(a, b);
    out.errors.highest = std::max(a, b);
  }
  if (auto ok = look_at_noise(out); !ok) return tl::unexpected(ok.error());
  return std::optional(std::move(out));
}

/// The two levels that v_ds rests at.
Result<std::optional<signal::States>> states_of(const Trace& trace, const Stretch& over) {
  double low = INFINITY, high = -INFINITY;
  const auto ends = [&](std::span<const double> values) {
    for (const double v : values) {
      low = std::min(low, v);
      high = std::max(high, v);
    }
  };
  auto ok = for_each_block(
      trace, over.first, over.last, [](std::size_t, std::span<const signal::BlockSums>) { return true; },
      [&](std::size_t, const signal::BlockSums& b) {
        low = std::min(low, b.low);
        high = std::max(high, b.high);
      },
      [&](std::size_t, std::span<const double> values) { ends(values); });
  if (!ok) return tl::unexpected(ok.error());
  if (!(high > low)) return std::optional<signal::States>();
  signal::LevelHistogram histogram(low, high);
  ok = for_each_stretch(trace, over.first, over.last, [&](std::size_t, std::span<const double> values) { histogram.add(values); });
  if (!ok) return tl::unexpected(ok.error());
  auto found = histogram.states();
  if (found) return found;
  // Where ringing leaves no level that most samples gather at: the middle one of those above and of those below half way.
  std::vector<double> looked;
  for (std::size_t k = 0; k < kMostLooked; ++k) {
    double v = 0;
    if (auto read = trace.read(over.first + k * over.size() / kMostLooked, {&v, 1}); !read) return tl::unexpected(read.error());
    looked.push_back(v);
  }
  std::sort(looked.begin(), looked.end());
  const double middle = (looked[looked.size() / 100] + looked[looked.size() - 1 - looked.size() / 100]) / 2;
  const auto cut = std::size_t(std::lower_bound(looked.begin(), looked.end(), middle) - looked.begin());
  if (cut == 0 || cut == looked.size()) return found;
  found = signal::States{};
  found->low.level = looked[cut / 2];
  found->high.level = looked[(cut + looked.size()) / 2];
  return found;
}

class Reader {
 public:
  Reader(Shot& shot, const Settings& settings) : s_(shot), settings_(settings) {}

  Result<void> read() {
    const auto& v = *s_.get(Role::v_ds).trace;
    s_.from = std::max(settings_.from.value_or(-INFINITY), v.time.at(0));
    s_.to = std::min(settings_.to.value_or(INFINITY), v.time.at(v.size() - 1));
    if (!(s_.from < s_.to)) return fail(Fault::input, "from, to: nothing of the record lies between them.");
    const auto over = stretch_of(v, s_.from, s_.to);
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
    if (auto ok = find_swapped(); !ok) return ok;
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
    auto& i = current();
    i.zero = rest->value;
    i.trace = adjusted(i.trace, 1, rest->value, 0);
    // What the zero was off by is gone with it; what is left is how well the rest is known.
    i.errors.u_offset = rest->u;
    return {};
  }

  Result<void> highest() {
    const auto& i = current();
    const auto over = stretch_of(*i.trace, s_.from, s_.to);
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

  Result<void> find_swapped() {
    const auto& v = *s_.get(Role::v_ds).trace;
    const auto* gate = s_.find(Role::v_gs);
    if (gate) {
      // The gate knows: it is high while v_ds is low.
      double with = 0, mg = 0, mv = 0;
      constexpr int kLooked = 512;
      std::vector<std::pair<double, double>> both;
      for (int k = 0; k < kLooked; ++k) {
        const double t = s_.from + (s_.to - s_.from) * (k + 0.5) / kLooked;
        const auto a = value_at(v, t), b = value_at(*gate->trace, t);
        if (!a) return tl::unexpected(a.error());
        if (!b) return tl::unexpected(b.error());
        if (!*a || !*b) continue;
        both.emplace_back(**a, **b);
        mv += **a;
        mg += **b;
      }
      double vv = 0, gg = 0;
      for (const auto& [a, b] : both) {
        with += (a - mv / double(both.size())) * (b - mg / double(both.size()));
        vv += std::pow(a - mv / double(both.size()), 2);
        gg += std::pow(b - mg / double(both.size()), 2);
      }
      if (vv > 0 && gg > 0 && std::abs(with) > 0.5 * std::sqrt(vv * gg)) {
        s_.swapped = with > 0;
        return {};
      }
    }
    // Else the load's current tells, which climbs while it flows, as no bus does while it is blocked.
    const auto blocked = longest(true), conducting = longest(false);
    const auto off = line_of(s_.get(Role::v_ds), blocked.first, blocked.second, blocked.first), on = line_of(current(), conducting.first, conducting.second, conducting.first);
    if (!off) return tl::unexpected(off.error());
    if (!on) return tl::unexpected(on.error());
    if (!*off || !*on || !(largest_ > 0)) return {};
    const double length = blocked.second - blocked.first, climbs = (*off)->slope * length / (s_.high - s_.low), u = (*off)->u_slope * length / (s_.high - s_.low);
    const double load = (*on)->slope * (conducting.second - conducting.first) / largest_;
    s_.swapped = climbs > kClimbs && climbs > 5 * u && std::abs(load) < climbs / 3;
    return {};
  }

  /// The longest stretch in which v_ds is high, or low, without what is next to its ends.
  std::pair<double, double> longest(bool high) const {
    std::vector<std::pair<double, bool>> turns;  // when, and high from there on
    for (const double t : s_.rises) turns.emplace_back(t, true);
    for (const double t : s_.falls) turns.emplace_back(t, false);
    std::sort(turns.begin(), turns.end());
    std::pair<double, double> out{s_.from, s_.from};
    double begun = s_.from;
    for (std::size_t k = 0; k <= turns.size(); ++k) {
      const bool is_high = k < turns.size() ? !turns[k].second : turns.back().second;
      const double end = k < turns.size() ? turns[k].first : s_.to;
      if (is_high == high && end - begun > out.second - out.first) out = {begun, end};
      begun = end;
    }
    const double length = out.second - out.first;
    return {out.first + 0.2 * length, out.second - 0.1 * length};
  }

  std::string no_load(double current) const {
    return fmt::format("i_d carries {} while the device is on, of {} at most: there is no load current", format_quantity(current, "A", 2).plain(), format_quantity(largest_, "A", 2).plain());
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
    const auto mids = crossings_of(*s_.record->traces[current().place], stretch_of(i, e.from, e.to), (load / 2 + current().zero) / factor, load / 4 / std::abs(factor));
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
    std::optional<Line> line;
    if (e.on) {
      const double length = end - last;
      const auto l = line_of(current(), last + std::max(0.3 * length, std::min(guard, 0.5 * length)), last + std::min(0.95 * length, std::max(0.3 * length, std::min(guard, 0.5 * length)) + 8192 * step), e.at);
      if (!l) return tl::unexpected(l.error());
      line = *l;
    } else {
      const double length = first - start, stop = first - std::min(guard, 0.3 * length);
      const auto l = line_of(current(), std::max(stop - 0.25 * length, start + 0.3 * length), stop, e.at);
      if (!l) return tl::unexpected(l.error());
      line = *l;
    }
    e.load = settings_.i_load ? Rest{*settings_.i_load, 0} : line ? Rest{line->value, line->u} : Rest{load, current().noise};
    if (!(e.load.value > 0)) e.load = {load, current().noise};
    if (const auto* gate = s_.find(Role::v_gs)) {
      const double on_from = e.on ? last : start, on_to = e.on ? end : first;
      // While it is off: the second half; while it is on: what is next to the event but for a fifth of the stretch.
      auto low = rest_of(*gate, off_from + (e.on ? 0.4 : 0.5) * off_length, off_to - (e.on ? 0.1 : 0.1) * off_length);
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

std::string_view role_name(Role role) { return kNames[std::size_t(role)]; }
std::string_view role_unit(Role role) { return role == Role::i_d || role == Role::i_f ? "A" : "V"; }
bool is_role(std::string_view name) { return std::find(std::begin(kNames), std::end(kNames), name) != std::end(kNames); }
std::string all_roles() {
  std::string out;
  for (const auto name : kNames) out += (out.empty() ? "" : ", ") + std::string(name);
  return out;
}

Result<ShotPtr> read_shot(WaveformsPtr record, const Settings& settings) {
  auto out = std::make_shared<Shot>();
  out->record = std::move(record);
  for (std::size_t k = 0; k < kRoles; ++k) {
    auto one = fill(*out->record, Role(k), settings);
    if (!one) return tl::unexpected(one.error());
    out->of[k] = std::move(*one);
  }
  for (const auto role : {Role::v_ds, Role::i_d})
    if (!out->find(role)) return fail(Fault::input, "There is no quantity {0}: name one so, or say which it is, such as wire.{0} = v_switch.", role_name(role));
  if (out->get(Role::v_ds).trace->size() < 16) return fail(Fault::input, "A shot of {} samples tells nothing.", out->get(Role::v_ds).trace->size());
  if (auto ok = Reader(*out, settings).read(); !ok) return tl::unexpected(ok.error());
  return ShotPtr(std::move(out));
}

double Samples::at(double time) const {
  const auto it = std::lower_bound(t.begin(), t.end(), time);
  if (it == t.begin()) return y.front();
  if (it == t.end()) return y.back();
  const auto k = std::size_t(it - t.begin());
  return y[k - 1] + (y[k] - y[k - 1]) * (time - t[k - 1]) / (t[k] - t[k - 1]);
}

Result<Samples> samples_of(const Sensed& s, double from, double to) {
  auto over = stretch_of(*s.trace, from, to);
  if (over.first > 0) --over.first;
  if (over.last < s.trace->size()) ++over.last;
  Samples out{.noise = s.noise, .together = s.together};
  if (over.size() == 0) return fail(Fault::input, "Nothing of {} lies there.", s.trace->name);
  out.y.resize(over.size());
  if (auto ok = s.trace->read(over.first, out.y); !ok) return tl::unexpected(ok.error());
  for (std::size_t k = 0; k < out.y.size(); ++k) out.t.push_back(s.trace->time.at(over.first + k));
  return out;
}

}  // namespace heron::study::switching
