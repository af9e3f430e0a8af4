#include <cmath>

#include "base/quantity.h"
#include "study/waveform/found.h"

namespace heron::study::waveform {
namespace {

const char* const kNoStates = "the levels do not gather at two states";

/// What gain and offset do to a level.
double shared_of_level(const View& v, double level) { return std::hypot(v.errors().u_gain * level, v.errors().u_offset); }

Value state_level(const View& v, bool high) {
  const auto& states = v.profile().states;
  if (!states) return no(kNoStates);
  const auto& s = high ? states->high : states->low;
  return Found{s.level, u_state(v, s), shared_of_level(v, s.level)};
}

Value swing(const View& v, const std::vector<Argument>&) {
  const auto& states = v.profile().states;
  if (!states) return no(kNoStates);
  const double value = states->high.level - states->low.level;
  return Found{value, std::hypot(u_state(v, states->high), u_state(v, states->low)), v.errors().u_gain * value};
}

tl::expected<signal::Local, std::string> extreme(const View& v, signal::Towards which) {
  const auto found = extreme_of(v.trace(), v.profile().over, v.profile().noise, which);
  if (!found) return no(join_reason(found.error()));
  return *found;
}

Value one_extreme(const View& v, signal::Towards which) {
  const auto e = extreme(v, which);
  if (!e) return no(e.error());
  return Found{e->value, e->u_value, shared_of_level(v, e->value), {v.time(e->place)}};
}

Value peak_to_peak(const View& v, const std::vector<Argument>&) {
  const auto high = extreme(v, signal::Towards::high), low = extreme(v, signal::Towards::low);
  if (!high) return no(high.error());
  if (!low) return no(low.error());
  const double value = high->value - low->value;
  if (!(value > 0)) return Found{0, v.profile().noise, 0};
  return Found{value, std::hypot(high->u_value, low->u_value), v.errors().u_gain * value, {v.time(high->place), v.time(low->place)}};
}

/// A stretch that is averaged over, and how well its ends are known; places.
struct Averaged {
  double from, to;
  double u_end = 0;
};

/// Over whole periods where it repeats, else over all that is read.
tl::expected<Averaged, std::string> averaged_span(const View& v) {
  const auto& p = v.profile();
  if (!p.periodic) return Averaged{double(p.over.first), double(p.over.last - 1)};
  double first = NAN, last = NAN;
  for (const auto& c : p.mids)
    if (c.rising) {
      if (std::isnan(first)) first = c.place;
      last = c.place;
    }
  const auto a = passage(v.trace(), p.over, first, p.middle, p.noise), b = passage(v.trace(), p.over, last, p.middle, p.noise);
  if (!a || !b) return no(join_reason(a ? b.error() : a.error()));
  if (!*a || !*b) return Averaged{first, last, 1};
  return Averaged{(*a)->place, (*b)->place, std::hypot((*a)->u_place, (*b)->u_place)};
}

struct Averages {
  double mean, rms, own, share;  ///< share: of the stretch, that its ends are not known by
};
tl::expected<Averages, std::string> averages(const View& v, const Averaged& span) {
  if (!(span.to > span.from)) {
    double one = 0;
    if (auto ok = v.trace().read(v.profile().over.first, {&one, 1}); !ok) return no(join_reason(ok.error()));
    return Averages{one, std::abs(one), v.profile().noise, 0};
  }
  const auto sums = integrals(v.trace(), span.from, span.to);
  if (!sums) return no(join_reason(sums.error()));
  const double places = span.to - span.from;
  return Averages{sums->value / sums->seconds, std::sqrt(sums->squares / sums->seconds),
                  v.profile().noise / std::sqrt(std::max(1.0, places)), span.u_end / places};
}

/// What ends that are not known do to a mean: as much as the value there differs from it.
Value mean_over(const View& v, const Averaged& span) {
  const auto a = averages(v, span);
  if (!a) return no(a.error());
  return Found{a->mean, std::hypot(a->own, a->share * (v.profile().middle - a->mean)), shared_of_level(v, a->mean)};
}

Value rms_over(const View& v, const Averaged& span) {
  const auto a = averages(v, span);
  if (!a) return no(a.error());
  if (!(a->rms > 0)) return Found{0, v.profile().noise, v.errors().u_offset};
  // What the noise itself adds to an rms is not known to be noise or waveform.
  const double noise = v.profile().noise, added = noise * noise / (2 * a->rms),
               ends = a->share * (v.profile().middle * v.profile().middle - a->rms * a->rms) / (2 * a->rms);
  return Found{a->rms, std::hypot(std::hypot(a->own, ends), added / 2),
               std::hypot(v.errors().u_gain * a->rms, v.errors().u_offset * std::abs(a->mean) / a->rms)};
}

Value rms_alternating(const View& v, const std::vector<Argument>&) {
  const auto span = averaged_span(v);
  if (!span) return no(span.error());
  const auto a = averages(v, *span);
  if (!a) return no(a.error());
  const double value = std::sqrt(std::max(0.0, a->rms * a->rms - a->mean * a->mean)), noise = v.profile().noise;
  if (!(value > 0)) return Found{0, noise, 0};
  const double off = v.profile().middle - a->mean, ends = a->share * (off * off - value * value) / (2 * value);
  return Found{value, std::hypot(std::hypot(a->own, ends), noise * noise / (4 * value)), v.errors().u_gain * value};
}

/// The two times as places inside the trace.
tl::expected<Averaged, std::string> span_of(const View& v, const std::vector<Argument>& a) {
  if (!(a[0].number < a[1].number)) return no("the first time is not before the second");
  const double from = v.place_of(a[0].number), to = v.place_of(a[1].number);
  constexpr double kRounding = 1e-6;
  if (from < -kRounding || to > double(v.trace().size() - 1) + kRounding) return no("a time lies outside the record");
  return Averaged{std::max(0.0, from), std::min(to, double(v.trace().size() - 1))};
}

}  // namespace

double u_state(const View& v, const signal::State& state) {
  const double n = std::max(1.0, state.share * double(v.profile().over.size()));
  return std::hypot(std::max(state.scatter, v.profile().noise) / std::sqrt(n), state.drift);
}

Reference between_states(const View& v, double share) {
  const auto& p = v.profile();
  const double low = u_state(v, p.states->low), high = u_state(v, p.states->high);
  return {.value = p.states->low.level + share * p.swing, .own = std::hypot((1 - share) * low, share * high)};
}

const std::vector<Definition>& level_figures() {
  using A = std::vector<Argument>;
  static const std::vector<Definition> all = {
      {"level.low", "Low state", "", {}, 0, false, [](const View& v, const A&) { return state_level(v, false); }},
      {"level.high", "High state", "", {}, 0, false, [](const View& v, const A&) { return state_level(v, true); }},
      {"amplitude", "Difference of the states", "", {}, 0, false, swing},
      {"peak_to_peak", "Peak to peak", "", {}, 0, false, peak_to_peak},
      {"max", "Highest", "", {}, 0, false, [](const View& v, const A&) { return one_extreme(v, signal::Towards::high); }},
      {"min", "Lowest", "", {}, 0, false, [](const View& v, const A&) { return one_extreme(v, signal::Towards::low); }},
      {"mean", "Mean", "", {Parameter::time, Parameter::time}, 2, false,
       [](const View& v, const A& a) -> Value {
         const auto span = a.empty() ? averaged_span(v) : span_of(v, a);
         return span ? mean_over(v, *span) : Value(no(span.error()));
       }},
      {"rms", "Rms", "", {Parameter::time, Parameter::time}, 2, false,
       [](const View& v, const A& a) -> Value {
         const auto span = a.empty() ? averaged_span(v) : span_of(v, a);
         return span ? rms_over(v, *span) : Value(no(span.error()));
       }},
      {"rms.ac", "Rms without the mean", "", {}, 0, false, rms_alternating},
      {"integral", "Integral", "*s", {Parameter::time, Parameter::time}, 0, false,
       [](const View& v, const A& a) -> Value {
         const auto span = span_of(v, a);
         if (!span) return no(span.error());
         const auto sums = integrals(v.trace(), span->from, span->to);
         if (!sums) return no(join_reason(sums.error()));
         const double places = std::max(1.0, span->to - span->from);
         return Found{sums->value, v.profile().noise * v.step() * std::sqrt(places),
                      std::hypot(v.errors().u_gain * sums->value, v.errors().u_offset * sums->seconds)};
       }},
      {"level.at", "Level", "", {Parameter::time}, 0, false,
       [](const View& v, const A& a) -> Value {
         const auto value = value_at(v.trace(), a[0].number);
         if (!value) return no(join_reason(value.error()));
         if (!*value) return no("the time lies outside the record");
         const double place = v.place_of(a[0].number), share = place - std::floor(place);
         // What a smooth curve through the neighbours would say beside the straight line.
         double between = 0, four[4];
         const auto k = std::ptrdiff_t(std::floor(place));
         if (k >= 1 && std::size_t(k) + 2 < v.trace().size()) {
           if (auto ok = v.trace().read(std::size_t(k - 1), four); !ok) return no(join_reason(ok.error()));
           between = std::abs(share * (1 - share) * (four[0] - four[1] - four[2] + four[3]) / 4);
         }
         // A time that is off meets another level.
         const auto slope = slope_at(v.trace(), {0, v.trace().size()}, place, v.profile().noise);
         if (!slope) return no(join_reason(slope.error()));
         const double late = v.errors().u_delay * *slope / v.step();
         return Found{**value, std::hypot(v.profile().noise * std::hypot(1 - share, share), between),
                      std::hypot(shared_of_level(v, **value), late), {a[0].number}};
       }},
  };
  return all;
}

}  // namespace heron::study::waveform
