#include "study/power/steady.h"

#include <algorithm>
#include <cmath>
#include <numbers>


namespace heron::study::power {
namespace {

using std::numbers::pi;
using Phasor = std::complex<double>;
using Value = tl::expected<double, std::string>;

constexpr double kDegrees = 180 / pi;

Value no(std::string why) { return tl::unexpected<std::string>(std::move(why)); }

double wrapped(double degrees) { return degrees == -180 ? 180 : degrees; }

/// Whether a phasor stands out of its channel's noise.
bool stands_out(const Statistics& s, std::size_t channel) {
  return std::norm(s.phasor[channel].front()) > 16 * s.noise[channel] * s.phasor_variance && std::norm(s.phasor[channel].front()) > 0;
}

class Maker {
 public:
  Maker(const Statistics& s, const Settings& settings) : s_(s), settings_(settings) {}

  std::vector<Steady> all();

 private:
  const Phasor& fundamental(std::size_t channel) const { return s_.phasor[channel].front(); }
  void put(std::string key, std::string label, std::string unit, Value value, double noise = 0, bool angle = false) {
    out_.push_back({std::move(key), std::move(label), std::move(unit), std::move(value), noise, angle});
  }
  void channel(std::size_t k, bool voltage, const std::string& end, const std::string& of);
  void powers(std::size_t phase, const std::string& end, const std::string& of);
  void totals();
  void angles();
  void sequence();
  void margin(std::size_t phase, const std::string& end, const std::string& of);
  double u_rms(std::size_t k) const {
    const double v2 = s_.product[k][k], noise = s_.noise[k], n = s_.samples;
    return v2 > 0 ? std::sqrt(4 * v2 * noise / n + 2 * noise * noise / n) / (2 * std::sqrt(v2)) : 0;
  }
  double u_component(std::size_t k) const { return std::sqrt(s_.noise[k] * s_.phasor_variance); }

  const Statistics& s_;
  const Settings& settings_;
  std::vector<Steady> out_;
};

void Maker::channel(std::size_t k, bool voltage, const std::string& end, const std::string& of) {
  const std::string name = voltage ? "voltage" : "current", said = voltage ? "Voltage" : "Current", unit = voltage ? "V" : "A";
  const double rms = std::sqrt(std::max(0.0, s_.product[k][k])), u = u_rms(k);
  put(name + ".rms" + end, said + of + ", rms", unit, rms, u);
  if (rms > 0)
    put(name + ".crest" + end, "Crest factor of the " + name + of, "1", s_.highest[k] / rms, std::hypot(s_.rounding[k] / rms, s_.highest[k] / rms * u / rms));
  else
    put(name + ".crest" + end, "Crest factor of the " + name + of, "1", no("there is none"));
  // Each harmonic's power has the noise's on it, which is taken off.
  const double own = 2 * s_.noise[k] * s_.phasor_variance, first = std::norm(fundamental(k));
  double sum = 0, fourth = 0;
  for (int h = 2; h <= s_.orders(); ++h) {
    const double power = std::norm(s_.phasor[k][std::size_t(h - 1)]) - own;
    sum += power;
    fourth += 2 * std::max(0.0, power) * own + own * own;
  }
  const std::string thd = "thd." + name + end, label = "Distortion of the " + name + of;
  if (!stands_out(s_, k)) {
    put(thd, label, "%", no("the fundamental does not stand out of the noise"));
  } else {
    // What does not stand out of the noise is told as what it lies below, and how little is known of it.
    const bool seen = sum > 2 * std::sqrt(fourth);
    const double ratio = 100 * std::sqrt((std::max(0.0, sum) + (seen ? 0 : std::sqrt(fourth))) / first), least = 100 * std::sqrt(std::sqrt(fourth) / first);
    put(thd, label, "%", ratio, seen ? 50 / ratio * 100 * std::sqrt(fourth) / first : least);
  }
  for (int h = 1; h <= kHighest; ++h) {
    const auto key = fmt::format("harmonic.{}.{}{}", name, h, end), words = fmt::format("Harmonic {} of the {}{}", h, name, of);
    if (h > s_.orders()) {
      put(key, words, unit, no("it lies beyond half the sample rate"));
      continue;
    }
    // A small reading is no zero: what an idle channel shows is its noise.
    const double raw = std::norm(s_.phasor[k][std::size_t(h - 1)]), power = raw > 2 * own ? raw - own : raw;
    const double one = u_component(k) / std::sqrt(2.0);
    put(key, words, unit, std::sqrt(power / 2), raw > 5 * own ? one : std::sqrt(own / 2));
  }
}

void Maker::powers(std::size_t phase, const std::string& end, const std::string& of) {
  const auto v = s_.voltage(phase), i = s_.current(phase);
  const double active = s_.product[v][i], vrms = std::sqrt(std::max(0.0, s_.product[v][v])), irms = std::sqrt(std::max(0.0, s_.product[i][i])), apparent = vrms * irms;
  const auto one = fundamental(v) * std::conj(fundamental(i)) / 2.0;
  const double u_active = std::sqrt((s_.product[v][v] * s_.noise[i] + s_.product[i][i] * s_.noise[v]) / s_.samples);
  const double u_one = std::sqrt(std::norm(fundamental(v)) * std::pow(u_component(i), 2) + std::norm(fundamental(i)) * std::pow(u_component(v), 2)) / 2;
  put("power.active" + end, "Active power" + of, "W", active, u_active);
  put("power.apparent" + end, "Apparent power" + of, "VA", apparent, std::hypot(vrms * u_rms(i), irms * u_rms(v)));
  put("power.reactive" + end, "Reactive power" + of, "var", one.imag(), u_one);
  if (apparent > 0)
    // Noise along either quantity moves both powers alike: only what lies across moves their ratio.
    put("power_factor" + end, "Power factor" + of, "1", active / apparent, u_active / apparent * std::sqrt(std::max(0.0, 1 - std::pow(active / apparent, 2))));
  else
    put("power_factor" + end, "Power factor" + of, "1", no("no apparent power"));
  const bool both = stands_out(s_, v) && stands_out(s_, i);
  const std::string hidden = "the fundamental does not stand out of the noise";
  put("power_factor.displacement" + end, "Displacement factor" + of, "1", both ? Value(one.real() / std::abs(one)) : no(hidden),
      both ? std::abs(one.imag()) / std::abs(one) * u_one / std::abs(one) : 0);
  put("angle.current" + end, "Angle of the current" + of, "deg", both ? Value(wrapped(std::arg(one) * kDegrees)) : no(hidden), both ? u_one / std::abs(one) * kDegrees : 0, true);
}

/// Effective voltage and current of the three (IEEE 1459): four wires where the voltages are against neutral, else three.
void Maker::totals() {
  double active = 0, reactive = 0, first = 0, noise = 0, u_reactive = 0, currents = 0, stars = 0, lines = 0;
  for (std::size_t p = 0; p < 3; ++p) {
    const auto v = s_.voltage(p), i = s_.current(p), w = s_.voltage((p + 1) % 3);
    active += s_.product[v][i];
    const auto one = fundamental(v) * std::conj(fundamental(i)) / 2.0;
    reactive += one.imag();
    first += one.real();
    noise += (s_.product[v][v] * s_.noise[i] + s_.product[i][i] * s_.noise[v]) / s_.samples;
    u_reactive += (std::norm(fundamental(v)) * std::pow(u_component(i), 2) + std::norm(fundamental(i)) * std::pow(u_component(v), 2)) / 4;
    currents += s_.product[i][i];
    stars += s_.product[v][v];
    lines += s_.product[v][v] + s_.product[w][w] - 2 * s_.product[v][w];
  }
  double neutral = 0;
  for (std::size_t p = 0; p < 3; ++p)
    for (std::size_t q = 0; q < 3; ++q) neutral += s_.product[s_.current(p)][s_.current(q)];
  const double ve2 = s_.of_lines ? lines / 9 : (3 * stars + lines) / 18, ie2 = s_.of_lines ? currents / 3 : (currents + neutral) / 3;
  const double apparent = 3 * std::sqrt(std::max(0.0, ve2 * ie2)), u = std::sqrt(noise);
  put("power.active", "Active power, all phases", "W", active, u);
  put("power.apparent", "Apparent power, all phases", "VA", apparent, u);
  put("power.reactive", "Reactive power, all phases", "var", reactive, std::sqrt(u_reactive));
  put("power_factor", "Power factor, all phases", "1", apparent > 0 ? Value(active / apparent) : no("no apparent power"), apparent > 0 ? u / apparent * std::sqrt(std::max(0.0, 1 - std::pow(active / apparent, 2))) : 0);
  const double size = std::hypot(first, reactive);
  put("power_factor.displacement", "Displacement factor, all phases", "1", size > 0 ? Value(first / size) : no("no power at the fundamental"),
      size > 0 ? std::abs(reactive) / size * std::sqrt(u_reactive) / size : 0);
}

void Maker::angles() {
  for (std::size_t p = 0; p < 3; ++p) {
    const auto q = (p + 1) % 3;
    const auto a = s_.voltage(p), b = s_.voltage(q);
    const std::string ends = std::string(kPhases[p]) + kPhases[q];
    const bool both = stands_out(s_, a) && stands_out(s_, b);
    put("angle." + ends, "Angle from " + std::string(kPhases[p]) + " to " + kPhases[q], "deg",
        both ? Value(wrapped(std::arg(fundamental(a) / fundamental(b)) * kDegrees)) : no("a phase has no voltage"),
        both ? std::hypot(u_component(a) / std::abs(fundamental(a)), u_component(b) / std::abs(fundamental(b))) * kDegrees : 0, true);
  }
}

void Maker::sequence() {
  for (const bool voltage : {true, false}) {
    if (!(voltage ? s_.has_voltage : s_.has_current)) continue;
    const auto at = [&](std::size_t p) { return voltage ? s_.voltage(p) : s_.current(p); };
    const auto c = components(fundamental(at(0)), fundamental(at(1)), fundamental(at(2)));
    const double along = std::abs(c.positive), against = std::abs(c.negative);
    const double noise = (u_component(at(0)) + u_component(at(1)) + u_component(at(2))) / 3 / std::sqrt(3.0);
    if (voltage) put("sequence", "Sequence", "1", std::max(along, against) > 4 * noise ? Value(along >= against ? 1.0 : -1.0) : no("there is no voltage"));
    // As found: what turns the other way over what turns along.
    const double larger = std::max(along, against), smaller = std::min(along, against);
    const std::string name = voltage ? "voltage" : "current";
    put("unbalance." + name, "Unbalance of the " + name, "%", larger > 4 * noise ? Value(100 * smaller / larger) : no("there is none"), larger > 0 ? 100 * noise / larger : 0);
  }
}

void Maker::margin(std::size_t phase, const std::string& end, const std::string& of) {
  if (settings_.limits == LimitClass::none) return;
  const auto i = s_.current(phase);
  const auto basis = limit_basis(s_, phase);
  const bool lacks = settings_.limits == LimitClass::d && !s_.has_voltage;
  double least = INFINITY, noise = 0;
  int order = 0;
  const double own = 2 * s_.noise[i] * s_.phasor_variance;
  for (int h = 2; h <= s_.orders(); ++h) {
    const auto limit = limit_of(settings_.limits, h, basis);
    if (!limit || !(*limit > 0)) continue;
    const double value = std::sqrt(std::max(0.0, std::norm(s_.phasor[i][std::size_t(h - 1)]) - own) / 2), room = 100 * (1 - value / *limit);
    if (room < least) {
      least = room;
      order = h;
      noise = 100 * u_component(i) / std::sqrt(2.0) / *limit;
    }
  }
  const auto why = lacks ? no("class D wants the power, and there is no voltage") : order == 0 ? no("no harmonic has a limit") : Value(least);
  put("harmonic.margin" + end, "Room to the class's limits" + of, "%", why, noise);
  put("harmonic.margin.at" + end, "Harmonic with the least room" + of, "1", why ? Value(double(order)) : why);
}

std::vector<Steady> Maker::all() {
  const bool three = s_.phases == 3;
  for (std::size_t p = 0; p < s_.phases; ++p) {
    const auto end = three ? std::string(".") + kPhases[p] : std::string(), of = three ? std::string(" ") + kPhases[p] : std::string();
    if (s_.has_voltage) channel(s_.voltage(p), true, end, of);
    if (s_.has_current) channel(s_.current(p), false, end, of);
    if (s_.has_voltage && s_.has_current) powers(p, end, of);
    if (s_.has_current) margin(p, end, of);
  }
  if (three) {
    if (s_.has_voltage && s_.has_current) totals();
    if (s_.has_voltage) angles();
    sequence();
  }
  return std::move(out_);
}

}  // namespace

LimitBasis limit_basis(const Statistics& s, std::size_t phase) {
  const auto i = s.current(phase);
  LimitBasis out{.fundamental = std::abs(s.phasor[i].front()) / std::sqrt(2.0)};
  if (!s.has_voltage) return out;
  const auto v = s.voltage(phase);
  const double apparent = std::sqrt(std::max(0.0, s.product[v][v] * s.product[i][i]));
  out.power = s.product[v][i];
  out.power_factor = apparent > 0 ? out.power / apparent : 0;
  return out;
}

Components components(const Phasor& a, const Phasor& b, const Phasor& c) {
  const auto turn = std::polar(1.0, 2 * pi / 3), back = std::conj(turn);
  return {(a + b + c) / 3.0, (a + turn * b + back * c) / 3.0, (a + back * b + turn * c) / 3.0};
}

Statistics by_phase(const Statistics& s) {
  if (!s.of_lines) return s;
  // v_a = (v_ab - v_ca)/3 and so on: the three against their mean.
  const auto n = s.channels();
  std::vector<std::vector<double>> by(n, std::vector<double>(n));
  for (std::size_t k = 3; k < n; ++k) by[k][k] = 1;
  for (std::size_t p = 0; p < 3; ++p) {
    by[p][p] = 1 / 3.0;
    by[p][(p + 2) % 3] = -1 / 3.0;
  }
  auto out = s;
  for (std::size_t i = 0; i < n; ++i) {
    out.mean[i] = 0;
    out.noise[i] = 0;
    for (std::size_t k = 0; k < n; ++k) {
      out.mean[i] += by[i][k] * s.mean[k];
      out.noise[i] += by[i][k] * by[i][k] * s.noise[k];
    }
    for (int h = 0; h < s.orders(); ++h) {
      Phasor sum = 0;
      for (std::size_t k = 0; k < n; ++k) sum += by[i][k] * s.phasor[k][std::size_t(h)];
      out.phasor[i][std::size_t(h)] = sum;
    }
    for (std::size_t j = 0; j < n; ++j) {
      double sum = 0;
      for (std::size_t k = 0; k < n; ++k)
        for (std::size_t l = 0; l < n; ++l) sum += by[i][k] * by[j][l] * s.product[k][l];
      out.product[i][j] = sum;
    }
  }
  return out;
}

std::vector<Steady> steady_of(const Statistics& s, const Settings& settings) {
  const auto phases = by_phase(s);
  return Maker(phases, settings).all();
}

void add_steady(const Measured& measured, const Settings& settings, Reading& into) {
  const auto& s = measured.statistics;
  const auto base = steady_of(s, settings);
  std::vector<double> squares(base.size());
  for (std::size_t k = 0; k < base.size(); ++k) squares[k] = base[k].noise * base[k].noise;
  for (std::size_t channel = 0; channel < s.channels(); ++channel) {
    const auto& e = measured.errors[channel];
    const bool corner = e.corner > 0 || e.low_corner > 0;
    for (const auto& [what, by] : {std::pair{ErrorOf::gain, e.u_gain}, {ErrorOf::offset, e.u_offset}, {ErrorOf::delay, e.u_delay}, {ErrorOf::corner, corner ? e.u_corner : 0}}) {
      if (!(by > 0)) continue;
      const auto other = steady_of(moved(s, channel, what, by, e), settings);
      for (std::size_t k = 0; k < base.size(); ++k) {
        if (!base[k].value || !other[k].value) continue;
        double change = *other[k].value - *base[k].value;
        if (base[k].angle) change = std::remainder(change, 360.0);
        squares[k] += change * change;
      }
    }
  }
  for (std::size_t k = 0; k < base.size(); ++k) {
    const auto& one = base[k];
    if (!one.value || !std::isfinite(*one.value)) {
      into.absent.push_back({one.key, one.value ? "the numbers are too large to be reckoned with" : one.value.error(), one.label});
      continue;
    }
    Figure figure{.key = one.key, .label = one.label, .value = *one.value, .unit = one.unit, .u = {}};
    if (squares[k] > 0) figure.u = std::sqrt(squares[k]);
    into.figures.push_back(std::move(figure));
  }
}

}  // namespace heron::study::power
