#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/waveform/found.h"

namespace heron::study::waveform {

std::string join_reason(const Error& error) { return error.message; }

tl::expected<Reference, std::string> reference(const View& v, const Level& level) {
  if (!level.percent) {
    if (!level.unit.empty() && level.unit != v.trace().unit)
      return no(fmt::format("the level is in {}, {} is in {}", level.unit, v.trace().name, v.trace().unit));
    return Reference{level.value, 0, v.errors().u_gain * level.value, v.errors().u_offset};
  }
  if (v.settings().of == PercentOf::start) {
    // Where it starts: the mean of what is before the trigger, or the first sample.
    const auto& p = v.profile();
    const double zero = v.place_of(0);
    double start = 0, u = p.noise;
    if (v.pass.waveforms().triggered && zero > double(p.over.first) + 4 && zero < double(p.over.last)) {
      const auto sums = integrals(v.trace(), double(p.over.first), zero - 2);
      if (!sums) return no(join_reason(sums.error()));
      start = sums->value / sums->seconds;
      u = p.noise / std::sqrt(zero - double(p.over.first));
    } else {
      if (auto ok = v.trace().read(p.over.first, {&start, 1}); !ok) return no(join_reason(ok.error()));
    }
    const double share = level.value / 100;
    return Reference{share * start, share * u, 0, v.errors().u_offset * (1 - share)};
  }
  if (!v.profile().states) return no("the levels do not gather at two states, of which per cents could be; set of=start");
  return between_states(v, level.value / 100);
}

double moved_between(const View& v, const Stretch& over, double first, double second, double by_first, double by_second) {
  const double noise = v.profile().noise;
  const auto a = slope_at(v.trace(), over, v.place_of(first), noise), b = slope_at(v.trace(), over, v.place_of(second), noise);
  return a && b && *a * *b != 0 ? v.step() * (by_second / *b - by_first / *a) : 0;
}

Value time_at(const View& v, double near, const Reference& level) {
  const auto& p = v.profile();
  const auto found = passage(v.trace(), p.over, near, level.value, p.noise);
  if (!found) return no(join_reason(found.error()));
  // A first sample that lies beyond already has nothing to be interpolated.
  if (!*found) return no("the level is not passed there");
  const double time = v.time((*found)->place);
  Found out{time, (*found)->u_place * v.step(), v.errors().u_delay, {time}};
  if (std::hypot(level.own, level.shared()) > 0) {
    const auto slope = slope_at(v.trace(), p.over, (*found)->place, p.noise);
    if (!slope) return no(join_reason(slope.error()));
    if (*slope != 0) {
      out.own = std::hypot(out.own, v.step() * level.own / std::abs(*slope));
      out.shared = std::hypot(out.shared, v.step() * level.shared() / std::abs(*slope));
    }
  }
  return out;
}

namespace {

/// The mid crossings, the first and the last read to a fraction of a sample.
struct Beat {
  double first, last;  ///< s, of one direction
  double own;          ///< of each
  std::size_t periods;
};
tl::expected<Beat, std::string> beat(const View& v) {
  const auto& p = v.profile();
  for (const bool rising : {true, false}) {
    std::vector<double> places;
    for (const auto& c : p.mids)
      if (c.rising == rising) places.push_back(c.place);
    if (places.size() < 2) continue;
    const auto a = time_at(v, places.front(), exactly(p.middle)), b = time_at(v, places.back(), exactly(p.middle));
    if (!a) return no(a.error());
    if (!b) return no(b.error());
    return Beat{a->value, b->value, std::hypot(a->own, b->own), places.size() - 1};
  }
  return no("there is no whole period in the record");
}

Value period(const View& v, const std::vector<Argument>&) {
  const auto b = beat(v);
  if (!b) return no(b.error());
  const double n = double(b->periods);
  return Found{(b->last - b->first) / n, b->own / n, 0, {b->first, b->last}};
}

Value frequency(const View& v, const std::vector<Argument>& none) {
  const auto t = period(v, none);
  if (!t) return t;
  return Found{1 / t->value, t->own / (t->value * t->value), 0, t->at};
}

/// The mean over whole pulses: from a rising to the next falling mid crossing.
Value width(const View& v, const std::vector<Argument>&) {
  const auto& p = v.profile();
  double sum = 0, squares = 0, first = 0, last = 0;
  std::size_t count = 0;
  double own = 0;
  for (std::size_t k = 0; k + 1 < p.mids.size(); ++k) {
    if (!p.mids[k].rising || p.mids[k + 1].rising) continue;
    // A few are read to a fraction of a sample with noise considered; of the many the straight lines' noise averages out.
    constexpr std::size_t kClosely = 64;
    double from = v.time(p.mids[k].place), to = v.time(p.mids[k + 1].place);
    if (count < kClosely) {
      const auto a = time_at(v, p.mids[k].place, exactly(p.middle)), b = time_at(v, p.mids[k + 1].place, exactly(p.middle));
      if (!a) return no(a.error());
      if (!b) return no(b.error());
      from = a->value;
      to = b->value;
      own = std::max(own, std::hypot(a->own, b->own));
    }
    if (count == 0) first = from;
    last = to;
    ++count;
    sum += to - from;
    squares += (to - from) * (to - from);
  }
  if (count == 0) return no("there is no whole pulse in the record");
  const double n = double(count), mean = sum / n;
  // Pulses that differ say more of the mean than the noise of an edge.
  const double scatter = count > 4 ? std::sqrt(std::max(0.0, squares / n - mean * mean) / n) : 0;
  return Found{mean, std::max(own / std::sqrt(n), scatter), 0, {first, last}};
}

Value duty(const View& v, const std::vector<Argument>& none) {
  const auto w = width(v, none), t = period(v, none);
  if (!w) return w;
  if (!t) return t;
  return Found{w->value / t->value, std::hypot(w->own, w->value / t->value * t->own) / t->value, 0, w->at};
}

Value time_at_level(const View& v, const Reference& ref, Direction direction, double after) {
  const auto& p = v.profile();
  // Near an extreme nothing leaves the band; a plain passage is then as good as there is.
  for (const double hysteresis : {kHysteresis * p.swing / 2, 0.0}) {
    const auto crossings = crossings_of(v.trace(), p.over, ref.value, hysteresis);
    if (!crossings) return no(join_reason(crossings.error()));
    for (const auto& c : *crossings)
      if ((direction == Direction::any || (direction == Direction::rising) == c.rising) && v.time(c.place) >= after)
        return time_at(v, c.place, ref);
  }
  return no(fmt::format("it never passes {}", format_quantity(ref.value, v.trace().unit).plain()));
}

/// From the first passage of one level to the next one of another. What gain and offset move both levels by comes in together.
Value time_between(const View& v, const std::vector<Argument>& a) {
  const auto from = reference(v, a[0].level), to = reference(v, a[1].level);
  if (!from || !to) return no(from ? to.error() : from.error());
  const auto first = time_at_level(v, *from, Direction::any, -INFINITY);
  if (!first) return first;
  const auto second = time_at_level(v, *to, Direction::any, first->value);
  if (!second) return second;
  const auto moved = [&](double by_from, double by_to) { return moved_between(v, v.profile().over, first->value, second->value, by_from, by_to); };
  const double shared = std::hypot(moved(from->by_gain, to->by_gain), moved(from->by_offset, to->by_offset));
  return Found{second->value - first->value, std::hypot(first->own, second->own), shared, {first->value, second->value}};
}

Value delay(const View& v, const std::vector<Argument>& a) {
  const auto &all = v.pass.waveforms();
  const std::size_t first = all.place(a[0].trace), second = all.place(a[1].trace);
  for (const auto& [place, name] : {std::pair{first, a[0].trace}, {second, a[1].trace}})
    if (place >= all.traces.size()) return no(fmt::format("there is no quantity \"{}\"", name));
  Found read[2];
  for (int k = 0; k < 2; ++k) {
    const View one{v.pass, k == 0 ? first : second};
    if (one.profile().mids.empty()) return no(fmt::format("{} has no mid crossing", one.trace().name));
    const auto t = time_at(one, one.profile().mids.front().place, exactly(one.profile().middle));
    if (!t) return no(t.error());
    read[k] = *t;
  }
  return Found{read[1].value - read[0].value, std::hypot(read[0].own, read[1].own),
               std::hypot(read[0].shared, read[1].shared), {read[0].value, read[1].value}};
}

}  // namespace

const std::vector<Definition>& timing_figures() {
  using A = std::vector<Argument>;
  using P = Parameter;
  static const std::vector<Definition> all = {
      {"period", "Period", "s", {}, 0, false, period},
      {"frequency", "Frequency", "Hz", {}, 0, false, frequency},
      {"duty", "Duty", "1", {}, 0, false, duty},
      {"width", "Width", "s", {}, 0, false, width},
      {"time.at", "Time at level", "s", {P::level, P::direction}, 1, false,
       [](const View& v, const A& a) -> Value {
         const auto level = reference(v, a[0].level);
         if (!level) return no(level.error());
         return time_at_level(v, *level, a.size() > 1 ? a[1].direction : Direction::any, -INFINITY);
       }},
      {"time.between", "Time between levels", "s", {P::level, P::level}, 0, false, time_between},
      {"delay", "Delay", "s", {P::trace, P::trace}, 0, true, delay, true},
  };
  return all;
}

}  // namespace heron::study::waveform
