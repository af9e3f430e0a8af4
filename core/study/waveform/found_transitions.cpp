#include <cmath>

#include "base/quantity.h"
#include "study/waveform/found.h"

namespace heron::study::waveform {
namespace {

const char* const kNoTransitions = "the levels do not gather at two states";

/// One transition: its mid crossing, and the stretch from the one before to the one after it.
struct Transition {
  double mid;
  bool rising;
  Stretch before, after;
};

tl::expected<Transition, std::string> first_transition(const View& v, std::optional<bool> rising = {}) {
  const auto& p = v.profile();
  if (!p.states) return no(kNoTransitions);
  for (std::size_t k = 0; k < p.mids.size(); ++k) {
    if (rising && p.mids[k].rising != *rising) continue;
    const auto sample_after = [&](std::size_t crossing) { return std::size_t(p.mids[crossing].place) + 1; };
    const Stretch before{k > 0 ? sample_after(k - 1) : p.over.first, sample_after(k)},
        after{sample_after(k), k + 1 < p.mids.size() ? sample_after(k + 1) : p.over.last};
    const Transition out{p.mids[k].place, p.mids[k].rising, before, after};
    if (out.before.size() == 0 || out.after.first >= out.after.last) return no("the transition is cut off by the record's end");
    return out;
  }
  return no(!rising ? "there is no transition" : *rising ? "nothing rises from the low to the high state"
                                                         : "nothing falls from the high to the low state");
}

/// The times at which it passes two shares of the way, the first of them first in time.
struct Passages {
  Found first, second;
  double u_apart;  ///< of their difference, from noise, with the states' own uncertainty carried through
};
tl::expected<Passages, std::string> passages(const View& v, const Transition& t, double low_share, double high_share) {
  const double from_share = t.rising ? low_share : high_share, to_share = t.rising ? high_share : low_share;
  const auto& p = v.profile();
  const Stretch whole{t.before.first, t.after.last};
  const auto low_level = p.states->low.level;
  const double begin = low_level + from_share * p.swing, end = low_level + to_share * p.swing;
  const auto left = first_beyond(v.trace(), whole, t.mid, begin, !t.rising, false);
  const auto right = first_beyond(v.trace(), whole, t.mid, end, t.rising, true);
  if (!left || !right) return no(join_reason(left ? right.error() : left.error()));
  if (!*left || !*right) return no("the transition does not reach from one reference level to the other within the record");
  // Each at its level as it is; what the states are not known by comes in together.
  const auto at = [&](double near, double level) { return time_at(v, near, exactly(level)); };
  const auto a = at(**left, begin), b = at(**right, end);
  if (!a) return no(a.error());
  if (!b) return no(b.error());
  const double low = u_state(v, p.states->low), high = u_state(v, p.states->high);
  const double from_states = std::hypot(moved_between(v, whole, a->value, b->value, (1 - from_share) * low, (1 - to_share) * low),
                                        moved_between(v, whole, a->value, b->value, from_share * high, to_share * high));
  return Passages{*a, *b, std::hypot(std::hypot(a->own, b->own), from_states)};
}

Value transition_time(const View& v, bool rising) {
  const auto t = first_transition(v, rising);
  if (!t) return no(t.error());
  const auto p = passages(v, *t, v.settings().lower, v.settings().upper);
  if (!p) return no(p.error());
  return Found{p->second.value - p->first.value, p->u_apart, 0, {p->first.value, p->second.value}};
}

Value slew(const View& v, bool rising) {
  constexpr double kLow = 0.1, kHigh = 0.9;
  const auto t = first_transition(v, rising);
  if (!t) return no(t.error());
  const auto p = passages(v, *t, kLow, kHigh);
  if (!p) return no(p.error());
  const double time = p->second.value - p->first.value, value = (kHigh - kLow) * v.profile().swing / time;
  return Found{value, value * p->u_apart / time, v.errors().u_gain * value, {p->first.value, p->second.value},
               v.trace().unit + "/s"};
}

/// Excursion beyond the state that a transition ends in, or begins from; in per cent of the difference.
Value beyond(const View& v, bool after) {
  const auto t = first_transition(v);
  if (!t) return no(t.error());
  const auto& p = v.profile();
  const auto& stretch = after ? t->after : t->before;
  const bool upward = after == t->rising;
  const auto& state = upward ? p.states->high : p.states->low;
  const auto e = extreme_of(v.trace(), stretch, p.noise, signal::towards(upward));
  if (!e) return no(join_reason(e.error()));
  const double size = upward ? e->value - state.level : state.level - e->value;
  const double u = std::hypot(e->u_value, u_state(v, state));
  return Found{100 * size / p.swing, 100 * u / p.swing, 0, {v.time(e->place)}};
}

Value settling(const View& v, const std::vector<Argument>&) {
  const auto t = first_transition(v);
  if (!t) return no(t.error());
  const auto& p = v.profile();
  const double final = t->rising ? p.states->high.level : p.states->low.level, band = v.settings().settle_band * p.swing;
  if (4 * p.noise > band) return no("the noise hides the band; widen settle_band or average");
  const auto above = first_beyond(v.trace(), t->after, double(t->after.last - 1), final + band, true, false),
             below = first_beyond(v.trace(), t->after, double(t->after.last - 1), final - band, false, false);
  if (!above || !below) return no(join_reason(above ? below.error() : above.error()));
  // What never was beyond the band is earlier than what was.
  const bool from_above = *above > *below;
  const auto& last = from_above ? *above : *below;
  // Within the band from its mid crossing's sample on.
  if (!last) return Found{.own = v.step() / std::sqrt(12.0)};
  if (*last >= double(t->after.last - 2)) return no("it does not settle within the record");
  const auto& state = t->rising ? p.states->high : p.states->low;
  const auto end = time_at(v, *last, {.value = final + (from_above ? band : -band), .own = u_state(v, state)});
  const auto mid = time_at(v, t->mid, exactly(p.middle));
  if (!end) return no(end.error());
  if (!mid) return no(mid.error());
  return Found{end->value - mid->value, std::hypot(end->own, mid->own), 0, {mid->value, end->value}};
}

}  // namespace

const std::vector<Definition>& transition_figures() {
  using A = std::vector<Argument>;
  static const std::vector<Definition> all = {
      {"rise_time", "Rise time", "s", {}, 0, false, [](const View& v, const A&) { return transition_time(v, true); }},
      {"fall_time", "Fall time", "s", {}, 0, false, [](const View& v, const A&) { return transition_time(v, false); }},
      {"slew_rate.rise", "Slew rate, rising", "V/s", {}, 0, false, [](const View& v, const A&) { return slew(v, true); }},
      {"slew_rate.fall", "Slew rate, falling", "V/s", {}, 0, false, [](const View& v, const A&) { return slew(v, false); }},
      {"overshoot", "Overshoot", "%", {}, 0, false, [](const View& v, const A&) { return beyond(v, true); }},
      {"undershoot", "Undershoot before", "%", {}, 0, false, [](const View& v, const A&) { return beyond(v, false); }},
      {"settling_time", "Settling time", "s", {}, 0, false, settling},
  };
  return all;
}

}  // namespace heron::study::waveform
