#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/quantity.h"
#include "base/percent.h"
#include "signal/exponential.h"
#include "study/waveform/found.h"

namespace heron::study::waveform {
namespace {

constexpr std::string_view kVolt = "V", kAmpere = "A";

struct Pulse {
  double baseline = 0, u_baseline = 0;
  bool over_zero = true;  ///< the baseline is zero itself, which an offset hides; else it was read as well
  bool upward = true;
  signal::Local peak;
  double height() const { return peak.value - baseline; }
};

/// What a record rests at before its first passage of the middle: the first half of what is there.
tl::expected<Reference, std::string> rest_before(const View& v) {
  const auto& p = v.profile();
  const double from = double(p.over.first), to = (from + p.mids.front().place) / 2;
  constexpr double kFew = 8;
  if (to - from < kFew) return no("too little is there before the pulse to tell what it leaves");
  const auto sums = integrals(v.trace(), from, to);
  if (!sums) return no(join_reason(sums.error()));
  return Reference{.value = sums->value / sums->seconds, .own = p.noise / std::sqrt(to - from)};
}

tl::expected<Pulse, std::string> pulse(const View& v) {
  const auto& p = v.profile();
  Pulse out;
  const auto stands_over = [&](const Reference& base) {
    out.baseline = base.value;
    out.u_baseline = base.own;
    out.over_zero = false;
  };
  // One that leaves a level and comes back to it stands over that level: below a rail it goes down.
  const bool once = p.mids.size() == 2, leaves_high = once && !p.mids.front().rising;
  if (p.states) {
    stands_over(between_states(v, leaves_high ? 1 : 0));
  } else if (once && leaves_high == (std::abs(p.high) >= std::abs(p.low))) {
    const auto rest = rest_before(v);
    if (!rest) return no(rest.error());
    stands_over(*rest);
  }
  out.upward = std::abs(p.high - out.baseline) >= std::abs(p.low - out.baseline);
  const auto peak = extreme_of(v.trace(), p.over, p.noise, signal::towards(out.upward));
  if (!peak) return no(join_reason(peak.error()));
  out.peak = *peak;
  if (!(std::abs(out.height()) > 4 * p.noise)) return no("nothing stands out of the noise");
  return out;
}

Value peak(const View& v, const std::vector<Argument>&) {
  const auto p = pulse(v);
  if (!p) return no(p.error());
  const double offset = p->over_zero ? v.errors().u_offset : 0;
  return Found{p->height(), std::hypot(p->peak.u_value, p->u_baseline), std::hypot(v.errors().u_gain * p->height(), offset),
               {v.time(p->peak.place)}};
}

Value half_width(const View& v, const std::vector<Argument>&) {
  const auto p = pulse(v);
  if (!p) return no(p.error());
  const auto& over = v.profile().over;
  const double half = p->baseline + p->height() / 2;
  const auto left = first_beyond(v.trace(), over, p->peak.place, half, !p->upward, false),
             right = first_beyond(v.trace(), over, p->peak.place, half, !p->upward, true);
  if (!left || !right) return no(join_reason(left ? right.error() : left.error()));
  if (!*left || !*right) return no("the pulse does not fall to half its peak on both sides within the record");
  const auto a = time_at(v, **left, exactly(half)), b = time_at(v, **right, exactly(half));
  if (!a) return no(a.error());
  if (!b) return no(b.error());
  // Half a peak that is off moves both ends; over zero, half of an offset does.
  const double by_half = std::abs(moved_between(v, over, a->value, b->value, 0.5, 0.5));
  return Found{b->value - a->value, std::hypot(std::hypot(a->own, b->own), by_half * std::hypot(p->peak.u_value, p->u_baseline)),
               p->over_zero ? by_half * v.errors().u_offset : 0, {a->value, b->value}};
}

/// The only trace in a unit; traces.size() where there is none or more than one.
std::size_t only_in(const Waveforms& all, std::string_view unit) {
  std::size_t found = all.traces.size();
  for (std::size_t k = 0; k < all.traces.size(); ++k)
    if (all.traces[k]->unit == unit) {
      if (found != all.traces.size()) return all.traces.size();
      found = k;
    }
  return found;
}

/// v times i as one trace, for its integral.
class Power final : public Trace {
 public:
  Power(const Trace& v, const Trace& i) : Trace("power", "W", v.time), v_(v), i_(i) {}
  std::size_t size() const override { return v_.size(); }
  Result<void> read(std::size_t first, std::span<double> out) const override {
    if (auto ok = v_.read(first, out); !ok) return ok;
    std::vector<double> i(out.size());
    if (auto ok = i_.read(first, i); !ok) return ok;
    for (std::size_t k = 0; k < out.size(); ++k) out[k] *= i[k];
    return {};
  }
  std::size_t bytes() const override { return sizeof *this; }

 private:
  const Trace &v_, &i_;
};

Value energy(const View& one, const std::vector<Argument>&) {
  const auto& all = one.pass.waveforms();
  const auto v = only_in(all, kVolt), i = only_in(all, kAmpere);
  const View voltage{one.pass, v};
  if (v == all.traces.size()) return no("there is not one voltage alone");
  const auto& over = voltage.profile().over;
  const double from = double(over.first), to = double(over.last - 1);
  if (i == all.traces.size()) {
    if (!one.settings().resistance) return no("energy needs a current, or the setting resistance");
    const auto sums = integrals(voltage.trace(), from, to);
    if (!sums) return no(join_reason(sums.error()));
    const double r = *one.settings().resistance, noise = voltage.profile().noise;
    // The noise has an energy of its own: of straight lines between its samples two thirds of its variance.
    const double added = 2.0 / 3 * noise * noise * sums->seconds / r, value = sums->squares / r - added;
    // Of sum v^2: each sample's noise counts twice its value.
    return Found{value, std::hypot(2 * noise * std::sqrt(sums->squares * voltage.step()) / r, 0.1 * added),
                 std::hypot(2 * voltage.errors().u_gain * value, 2 * voltage.errors().u_offset * std::abs(sums->value) / r)};
  }
  const View current{one.pass, i};
  const Power power(voltage.trace(), current.trace());
  const auto sums = integrals(power, from, to), v_sums = integrals(voltage.trace(), from, to),
             i_sums = integrals(current.trace(), from, to);
  if (!sums || !v_sums || !i_sums) return no("the record cannot be read");
  const double h = voltage.step();
  return Found{sums->value,
               std::hypot(voltage.profile().noise * std::sqrt(i_sums->squares * h),
                          current.profile().noise * std::sqrt(v_sums->squares * h)),
               std::hypot(std::hypot(voltage.errors().u_gain, current.errors().u_gain) * sums->value,
                          std::hypot(voltage.errors().u_offset * i_sums->value, current.errors().u_offset * v_sums->value))};
}

Value charge(const View& one, const std::vector<Argument>&) {
  const auto& all = one.pass.waveforms();
  const auto i = only_in(all, kAmpere), v = only_in(all, kVolt);
  const bool by_current = i != all.traces.size();
  if (!by_current && v == all.traces.size()) return no("there is neither one current nor one voltage alone");
  if (!by_current && !one.settings().resistance) return no("charge needs a current, or the setting resistance");
  const View from{one.pass, by_current ? i : v};
  const double ohms = by_current ? 1 : *one.settings().resistance;
  const auto& over = from.profile().over;
  const auto sums = integrals(from.trace(), double(over.first), double(over.last - 1));
  if (!sums) return no(join_reason(sums.error()));
  return Found{sums->value / ohms, from.profile().noise * from.step() * std::sqrt(double(over.size())) / ohms,
               std::hypot(from.errors().u_gain * sums->value, from.errors().u_offset * sums->seconds) / ohms};
}

/// By how much what rounding does to every pass alike moves a time constant: a wave over the values, of unknown phase.
double moved_by_rounding(const View& v, const signal::Exponential& fit, const std::vector<double>& times) {
  const double quantum = v.errors().quantum;
  if (!(quantum > 0)) return 0;
  const double size = v.errors().rounding.value_or(left_of_rounding(quantum, v.profile().noise));
  double squares = 0;
  for (const double phase : {0.0, std::numbers::pi / 2}) {
    std::vector<double> waved;
    waved.reserve(times.size());
    for (const double t : times) {
      const double value = fit.at(t - times.front());
      waved.push_back(value + size * std::sin(2 * std::numbers::pi * value / quantum + phase));
    }
    if (const auto again = signal::fit_exponential(times, waved)) squares += std::pow(again->tau - fit.tau, 2);
  }
  return std::sqrt(squares / 2);
}

/// Over what is analysed; from the trigger on where there is something before it.
Value decay(const View& v, const std::vector<Argument>&) {
  const auto& p = v.profile();
  auto over = p.over;
  const double zero = v.place_of(0);
  if (v.pass.waveforms().triggered && !v.settings().from && zero > double(over.first) && zero < double(over.last - 8))
    over.first = std::size_t(std::ceil(zero)) + 1;
  if (over.size() < 8) return no("there are too few samples for a decay");
  // Means of pieces of an exponential are the same exponential, times one factor. Long pieces are whole blocks.
  constexpr std::size_t kMost = 4096, kBlock = Trace::kBlock;
  const auto& time = v.trace().time;
  std::size_t each = std::max<std::size_t>(1, over.size() / kMost);
  const bool by_blocks = time.even() && each >= kBlock;
  if (by_blocks) {
    each -= each % kBlock;
    over.first += (kBlock - over.first % kBlock) % kBlock;
  }
  std::vector<double> t, y;
  double sum = 0, when = 0;
  std::size_t held = 0;
  const auto add = [&](double values, double times, std::size_t count) {
    sum += values;
    when += times;
    if ((held += count) < each) return;
    t.push_back(when / double(held));
    y.push_back(sum / double(held));
    sum = when = 0;
    held = 0;
  };
  auto ok = for_each_block(
      v.trace(), over.first, over.last, [&](std::size_t, auto) { return by_blocks; },
      [&](std::size_t at, const signal::BlockSums& block) {
        add(block.sum, double(kBlock) * time.at_place(double(at) + double(kBlock - 1) / 2), kBlock);
      },
      [&](std::size_t at, std::span<const double> values) {
        for (std::size_t k = 0; k < values.size(); ++k) add(values[k], time.at(at + k), 1);
      });
  if (!ok) return no(join_reason(ok.error()));
  const auto fit = signal::fit_exponential(t, y);
  if (!fit) return no("no exponential fits it over the record; limit it with from and to");
  constexpr double kLike = 0.05;
  if (fit->residual > kLike * std::abs(fit->a * (1 - std::exp(-(t.back() - t.front()) / fit->tau))))
    return no(fmt::format("it is no exponential: the fit leaves {} of the decay; limit it with from and to",
                          in_percent(fit->residual / std::abs(fit->a))));
  // Where the samples are exact but for rounding, the residual still knows it.
  const double own = std::max(fit->u_tau, fit->tau * p.noise / std::max(1e-300, std::abs(fit->a)) / std::sqrt(double(over.size())));
  return Found{fit->tau, own, moved_by_rounding(v, *fit, t), {t.front()}};
}

/// How much larger the second trace is than the first.
Value ratio(const View& v, const std::vector<Argument>& a, bool rms) {
  const auto& all = v.pass.waveforms();
  Found read[2];
  double errors[2] = {0, 0};
  std::string units[2];
  for (int k = 0; k < 2; ++k) {
    const auto place = all.place(a[std::size_t(k)].trace);
    if (place >= all.traces.size()) return no(fmt::format("there is no quantity \"{}\"", a[std::size_t(k)].trace));
    const View one{v.pass, place};
    for (const auto& d : level_figures())
      if (std::string_view(d.name) == (rms ? "rms.ac" : "peak_to_peak")) {
        const auto value = d.compute(one, {});
        if (!value) return no(value.error());
        read[k] = *value;
      }
    errors[k] = one.errors().u_gain;
    units[k] = one.trace().unit;
  }
  if (!(read[1].value > 0)) return no(fmt::format("{} does not move", a[1].trace));
  const double value = read[0].value / read[1].value;
  Found out{value, value * std::hypot(read[0].value > 0 ? read[0].own / read[0].value : 0, read[1].own / read[1].value),
            value * std::hypot(errors[0], errors[1])};
  if (units[0] != units[1]) out.unit = units[0] + "/" + units[1];
  return out;
}

}  // namespace

const std::vector<Definition>& pulse_figures() {
  using A = std::vector<Argument>;
  using P = Parameter;
  static const std::vector<Definition> all = {
      {"pulse.peak", "Peak of the pulse", "", {}, 0, false, peak},
      {"pulse.fwhm", "Width at half height", "s", {}, 0, false, half_width},
      {"pulse.energy", "Energy", "J", {}, 0, true, energy, true},
      {"pulse.charge", "Charge", "C", {}, 0, true, charge},
      {"time_constant", "Time constant", "s", {}, 0, false, decay},
      {"ratio.peak_to_peak", "Ratio, peak to peak", "1", {P::trace, P::trace}, 0, true,
       [](const View& v, const A& a) { return ratio(v, a, false); }},
      {"ratio.rms", "Ratio, rms", "1", {P::trace, P::trace}, 0, true, [](const View& v, const A& a) { return ratio(v, a, true); }},
  };
  return all;
}

}  // namespace heron::study::waveform
