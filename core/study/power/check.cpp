#include "study/power/check.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/quantity.h"
#include "study/power/steady.h"

namespace heron::study::power {
namespace {

using std::numbers::pi;
using Phasor = std::complex<double>;

// How unlikely each is by itself: what has to be explained must be worse than that.
constexpr double kOfReversed = 0.8, kOfExchanged = 0.8, kOfTurned = 0.9, kOfVolts = 1.0, kOfTenfold = 0.9;
constexpr double kBetter = 0.3;  ///< by which an explanation must be better than none

constexpr double kNothing = 1e-30;

/// lg of a ratio, also of nothing.
double lg(double a, double b) { return std::log10((a + kNothing) / (b + kNothing)); }

/// The phasor of a channel's fundamental after an explanation.
struct Seen {
  std::vector<Phasor> v, i;
};

/// How far three phasors are from one size and a third of a turn apart, either way round. Half a per cent of unbalance is
/// nothing, all of it is one.
double unlike(const std::vector<Phasor>& x, bool& along) {
  const auto c = components(x[0], x[1], x[2]);
  along = std::abs(c.positive) >= std::abs(c.negative);
  const double main = std::max(std::abs(c.positive), std::abs(c.negative)), rest = std::hypot(std::abs(c.zero), std::min(std::abs(c.positive), std::abs(c.negative)));
  return std::min(3.0, rest / (main + kNothing));
}

/// How strange a current is beside its voltage: nothing while it takes power with a power factor of 0.3 and more, more as it comes
/// to stand across it or gives power back.
double strange(const Phasor& v, const Phasor& i, bool regenerating) {
  if (!(std::abs(v) > 0) || !(std::abs(i) > 0)) return 1;
  double cosine = (v * std::conj(i)).real() / (std::abs(v) * std::abs(i));
  if (regenerating) cosine = std::abs(cosine);
  constexpr double kUsual = 0.29;
  return cosine >= kUsual ? 0 : std::min(1.5, 4 * (kUsual - cosine));
}

/// @param phases  voltages against neutral
double misfit_of(const Seen& s, const Settings& settings) {
  double out = 0;
  const auto n = s.v.size();
  if (n == 3) {
    bool v_along = true, i_along = true;
    // A supply is near to even; what it feeds may be less so.
    const double v = unlike(s.v, v_along), i = unlike(s.i, i_along);
    out += 4 * std::max(0.0, v - 0.03) + 2 * std::max(0.0, i - 0.3);
    double largest = 0, smallest = INFINITY;
    for (const auto& x : s.i) {
      largest = std::max(largest, std::abs(x));
      smallest = std::min(smallest, std::abs(x));
    }
    // Ten times the others is a factor, not a load.
    out += 4 * std::max(0.0, lg(largest, smallest) - 0.5);
    if (v_along != i_along) out += 1.5;
    // Where nothing else tells, phases turn as they are named.
    if (!v_along) out += 0.1;
    if (settings.sequence && v_along != (*settings.sequence == Sequence::abc)) out += 1.5;
    // How far the phases' angles are from each other.
    Phasor mean = 0;
    for (std::size_t p = 0; p < 3; ++p) mean += std::polar(1.0 / 3, std::arg(s.v[p] * std::conj(s.i[p])));
    out += 2 * std::max(0.0, 1 - std::abs(mean) - 0.1);
  }
  for (std::size_t p = 0; p < n; ++p) out += strange(s.v[p], s.i[p], settings.regenerating);
  double voltage = 0, current = 0;
  for (const auto& x : s.v) voltage += std::abs(x) / std::numbers::sqrt2 / double(n);
  for (const auto& x : s.i) current += std::abs(x) / std::numbers::sqrt2 / double(n);
  if (settings.nominal_voltage) out += 3 * std::max(0.0, std::abs(lg(voltage, *settings.nominal_voltage)) - 0.4);
  if (settings.nominal_current) out += 2 * std::max(0.0, std::abs(lg(current, *settings.nominal_current)) - 0.8);
  return out;
}

class Checker {
 public:
  Checker(const Waveforms& record, const Wiring& wiring, const Statistics& s, const Settings& settings) : record_(record), wiring_(wiring), s_(s), settings_(settings) {}

  WiringCheck check();

 private:
  std::size_t count() const { return wiring_.voltages.size(); }
  const Placed& placed(std::size_t channel) const { return channel < count() ? wiring_.voltages[channel] : wiring_.currents[channel - count()]; }
  const std::string& name(std::size_t channel) const { return record_.traces[placed(channel).trace]->name; }
  Explanation plain() const {
    Explanation out{.from = {}, .factor = std::vector<double>(2 * count(), 1.0)};
    for (std::size_t k = 0; k < 2 * count(); ++k) out.from.push_back(k);
    return out;
  }
  double misfit(const Explanation& e) const {
    Seen seen;
    for (std::size_t k = 0; k < 2 * count(); ++k) {
      const auto x = e.factor[k] * s_.phasor[e.from[k]].front();
      (k < count() ? seen.v : seen.i).push_back(x);
    }
    if (wiring_.form == Form::lines) {
      const auto v = seen.v;
      for (std::size_t p = 0; p < count(); ++p) seen.v[p] = (v[p] - v[(p + 2) % 3]) / 3.0;
      // Voltages from line to line add up to nothing.
      const double sum = std::abs(v[0] + v[1] + v[2]), size = (std::abs(v[0]) + std::abs(v[1]) + std::abs(v[2])) / 3;
      return misfit_of(seen, settings_) + 3 * std::max(0.0, std::min(2.0, sum / (size + kNothing)) - 0.03);
    }
    return misfit_of(seen, settings_);
  }
  void offer(Explanation e, double unlikely) {
    e.misfit = misfit(e) + unlikely;
    all_.push_back(std::move(e));
  }
  void reversed();
  void exchanged();
  void turned();
  void volts_for_amperes();
  void tenfold();

  const Waveforms& record_;
  const Wiring& wiring_;
  const Statistics& s_;
  const Settings& settings_;
  std::vector<Explanation> all_;
};

void Checker::reversed() {
  for (std::size_t k = 0; k < 2 * count(); ++k) {
    // Of one phase nobody can say which of the two; currents are clipped on by hand more often.
    if (count() == 1 && k == 0) continue;
    auto e = plain();
    e.cause = Cause::reversed;
    e.factor[k] = -1;
    e.said = count() == 1 ? fmt::format("{} or {} is the other way round", name(1), name(0)) : fmt::format("{} is the other way round", name(k));
    offer(std::move(e), kOfReversed);
  }
}

void Checker::exchanged() {
  if (count() != 3) return;
  for (const std::size_t base : {std::size_t(0), count()})
    for (std::size_t p = 0; p < count(); ++p)
      for (std::size_t q = p + 1; q < count(); ++q) {
        auto e = plain();
        e.cause = Cause::exchanged;
        std::swap(e.from[base + p], e.from[base + q]);
        e.said = fmt::format("{} and {} are exchanged", name(base + p), name(base + q));
        offer(std::move(e), kOfExchanged);
      }
}

void Checker::turned() {
  if (count() != 3) return;
  // Voltages by one place are currents by two: which of them was meant nobody can say.
  for (const std::ptrdiff_t by : {1, 2}) {
    auto e = plain();
    e.cause = Cause::turned;
    std::rotate(e.from.begin() + 3, e.from.begin() + 3 + by, e.from.end());
    e.said = fmt::format("{}, {} and {} are each one phase {}", name(3), name(4), name(5), by == 1 ? "late" : "early");
    offer(std::move(e), kOfTurned);
  }
}

void Checker::volts_for_amperes() {
  for (std::size_t p = 0; p < count(); ++p)
    for (std::size_t q = 0; q < count(); ++q) {
      auto e = plain();
      e.cause = Cause::volts_for_amperes;
      std::swap(e.from[p], e.from[count() + q]);
      e.said = fmt::format("{} is a current and {} is a voltage: they are exchanged", name(p), name(count() + q));
      offer(std::move(e), kOfVolts);
    }
}

void Checker::tenfold() {
  // Of one phase only what is known of it beforehand tells.
  for (std::size_t k = 0; k < 2 * count(); ++k) {
    const bool told = count() == 3 || (k < count() ? settings_.nominal_voltage : settings_.nominal_current);
    if (!told) continue;
    for (const auto& [by, looks] : {std::pair{10.0, "small"}, {0.1, "large"}}) {
      auto e = plain();
      e.cause = Cause::tenfold;
      e.factor[k] = by;
      e.said = fmt::format("{} is ten times too {}", name(k), looks);
      offer(std::move(e), kOfTenfold);
    }
  }
}

WiringCheck Checker::check() {
  WiringCheck out;
  const auto first = s_.phasor.front().front();
  for (std::size_t k = 0; k < s_.channels(); ++k)
    out.channels.push_back({name(k), k < count(), placed(k).role.substr(1), std::sqrt(std::max(0.0, s_.product[k][k])), s_.frequency,
                            std::remainder(std::arg(s_.phasor[k].front() / first) * 180 / pi, 360.0), record_.traces[placed(k).trace]->unit});
  if (wiring_.currents.size() != count() || count() == 0) return out;
  out.misfit = misfit(plain());
  reversed();
  exchanged();
  turned();
  volts_for_amperes();
  tenfold();
  std::erase_if(all_, [&](const Explanation& e) { return !(e.misfit + kBetter < out.misfit); });
  std::stable_sort(all_.begin(), all_.end(), [](const Explanation& a, const Explanation& b) { return a.misfit < b.misfit; });
  out.explanations = std::move(all_);
  return out;
}

}  // namespace

std::string unlike_repeats(const Waveforms& record, const Wiring& wiring, const Measured& m) {
  if (!(m.current_repeats > 0)) return {};
  return fmt::format("{} repeats at {}, {} at {}: where a voltage is switched, its switching may be more of it than what it turns with",
                     record.traces[wiring.voltages.front().trace]->name, format_quantity(m.statistics.frequency, "Hz", 4).plain(), record.traces[wiring.currents.front().trace]->name,
                     format_quantity(m.current_repeats, "Hz", 4).plain());
}

WiringCheck check_wiring(const Waveforms& record, const Wiring& wiring, const Measured& m, const Settings& settings) {
  auto out = Checker(record, wiring, m.statistics, settings).check();
  // Angles at the switching's frequency are not those of the phases.
  if (out.untold = unlike_repeats(record, wiring, m); !out.untold.empty()) out.explanations.clear();
  return out;
}

std::vector<std::pair<std::string, std::string>> wires_of(const Waveforms& record, const Wiring& wiring, const Explanation& by) {
  std::vector<std::pair<std::string, std::string>> out;
  const auto n = wiring.voltages.size();
  const auto placed = [&](std::size_t k) -> const Placed& { return k < n ? wiring.voltages[k] : wiring.currents[k - n]; };
  for (std::size_t k = 0; k < by.from.size(); ++k) {
    if (by.from[k] == k && by.factor[k] == 1) continue;
    const auto& source = placed(by.from[k]);
    out.emplace_back("wire." + placed(k).role, wire_text({record.traces[source.trace]->name, source.factor * by.factor[k]}));
  }
  return out;
}

}  // namespace heron::study::power
