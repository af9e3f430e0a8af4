#include "truth/double_pulse.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

#include "base/random.h"

namespace heron::truth {

double DoublePulse::v(double t) const {
  const double step = stray * load / rise, kick = stray * load / fall;
  const double a = off_at(), b = a + voltage_rise, c = b + fall, d = on_at(), e = peak_at(), f = down_at(), g = d + second;
  if (t < 0) return bus;
  if (t < 20e-9) return bus * (1 - t / 20e-9);
  if (t < a) return 0;
  if (t < b) return bus * (t - a) / voltage_rise;
  if (t < c) return bus + kick * steepness((t - b) / fall);
  if (t < d || !second_pulse) return bus + rung(t - c);
  if (t < e) return bus - step * steepness((t - d) / rise);
  if (t < f) return (smooth ? bus : bus - step) * (f - t) / voltage_fall;
  if (t < g) return 0;
  return std::min(bus, bus * (t - g) / voltage_rise);
}

double DoublePulse::rung(double later) const {
  const double left = rings_from(), across = std::sqrt(ring * ring - left * left), turned = 2 * std::numbers::pi * ring_frequency * later;
  return std::exp(-later / ring_decay) * (left * std::cos(turned) + across * std::sin(turned));
}

double DoublePulse::rung_most() const {
  const double left = rings_from(), across = std::sqrt(ring * ring - left * left), w = 2 * std::numbers::pi * ring_frequency;
  // Where its derivative is nothing.
  return rung(std::atan2(across * w - left / ring_decay, left * w + across / ring_decay) / w);
}

double DoublePulse::i(double t) const {
  const double a = off_at() + voltage_rise, b = a + fall, d = on_at(), e = peak_at(), g = d + second + voltage_rise;
  if (t < 0) return 0;
  if (t < a) return climb > 0 ? load - climb * (a - t) > 0 ? load - climb * (a - t) : 0 : std::min(load, load * t / (0.6 * first));
  if (t < b) return load * (1 - share((t - a) / fall));
  if (t < d || !second_pulse) return 0;
  if (rounded && t > d + rise && t < d + rise + recovers) return load + recovery * std::pow(std::sin(std::numbers::pi * (t - d - rise) / recovers), 2);
  if (t < e && !(rounded && t > d + rise)) return load * share((t - d) / rise);
  if (t < e + recovers && recovery > 0 && !rounded) return load + recovery * (e + recovers - t) / recovers;
  if (t < g) return load + climb * (t - d);
  return std::max(0.0, load * (g + fall - t) / fall);
}

double DoublePulse::g(double t) const {
  const auto step = [&](double at) { return std::clamp((t - at) / gate_edge, 0.0, 1.0); };
  double share = step(-gate_lead) - step(off_at() - gate_lead);
  if (second_pulse) share += step(on_at() - gate_lead) - step(on_at() + second - gate_lead);
  return gate_low + share * (gate_high - gate_low);
}

double DoublePulse::passes(const std::function<double(double)>& f, double from, double to, double level, bool rising) {
  constexpr double kFine = 5e-12;
  for (double t = from; t < to; t += kFine)
    if (rising ? f(t) >= level : f(t) <= level) {
      // Between two instants by halving.
      double a = t - kFine, b = t;
      for (int k = 0; k < 40; ++k) ((rising ? f((a + b) / 2) >= level : f((a + b) / 2) <= level) ? b : a) = (a + b) / 2;
      return b;
    }
  return NAN;
}

double DoublePulse::integral(const std::function<double(double)>& f, double from, double to) {
  constexpr int kPieces = 40'000;
  double sum = 0;
  for (int k = 0; k < kPieces; ++k) sum += f(from + (to - from) * (k + 0.5) / kPieces);
  return sum * (to - from) / kPieces;
}

std::map<std::string, double> DoublePulse::truth(double on_start, double on_end, double off_start, double off_end) const {
  const auto volts = [this](double t) { return v(t); };
  const auto amps = [this](double t) { return i(t); };
  const auto power = [this](double t) { return v(t) * i(t); };
  std::map<std::string, double> out;
  const double a = off_at(), d = on_at(), last_a = a + voltage_rise + fall + 1e-9;
  const auto off_v = [&](double share) { return passes(volts, a, last_a, share * bus, true); };
  const auto off_i = [&](double share) { return passes(amps, a + voltage_rise, last_a, share * load, false); };
  out["energy.off"] = integral(power, off_v(off_start), off_i(off_end));
  out["fall_time"] = 0.8 * fall;
  out["dv_dt.off"] = bus / voltage_rise;
  out["di_dt.off"] = load / fall;
  out["peak.voltage"] = bus + stray * load / fall;
  out["overshoot.voltage"] = 100 * stray * load / fall / bus;
  out["delay.off"] = (a + voltage_rise + 0.1 * fall) - (a - gate_lead + 0.1 * gate_edge);
  if (!second_pulse) return out;
  const auto on_i = [&](double part) { return passes(amps, d - 1e-10, d + rise + 1e-9, part * load, true); };
  const auto on_v = [&](double share) { return passes(volts, d + 1e-12, down_at() + 1e-9, share * bus, false); };
  out["energy.on"] = integral(power, on_i(on_start), on_v(on_end));
  out["rise_time"] = 0.8 * rise;
  out["di_dt.on"] = load / rise;
  // The step of the voltage where the current begins to rise counts where it passes 90 %.
  out["dv_dt.on"] = 0.8 * bus / (on_v(0.1) - on_v(0.9));
  out["delay.on"] = (d + 0.1 * rise) - (d - gate_lead + 0.1 * gate_edge);
  out["peak.current"] = load + recovery;
  out["recovery.current"] = recovery;
  const double whole = peak_at() - (d + rise);
  out["recovery.charge"] = recovery * whole / 2 + recovery * recovers * (1 - 0.01) / 2;
  // A squared sine is down to a tenth where its sine is the root of that.
  if (rounded) out["recovery.charge"] = integral([&](double t) { return i(t) - load; }, d + rise, d + rise + recovers * (1 - std::asin(std::sqrt(0.1)) / std::numbers::pi));
  return out;
}

study::Record DoublePulse::record(const Errors& e, std::mt19937_64& random, double phase) const {
  study::Record out;
  std::vector<double> t, volts, amps, gate;
  for (double at = -before + phase * e.step; at < end(); at += e.step) {
    t.push_back(at);
    volts.push_back(v(at) * (1 + e.v_gain) + e.v_noise * normal_deviate(random));
    amps.push_back(i(at - e.skew) * (1 + e.i_gain) + e.i_offset + e.i_noise * normal_deviate(random));
    gate.push_back(g(at) + e.g_noise * normal_deviate(random));
  }
  const auto add = [&](const char* role, const char* unit, std::vector<double> values, double u_gain = 0, double u_delay = 0) {
    study::Channel c{.role = role, .unit = unit};
    c.u_gain = u_gain;
    c.u_delay = u_delay;
    c.numbers = std::move(values);
    out.channels.push_back(std::move(c));
  };
  add("time", "s", std::move(t));
  add("v_ds", "V", std::move(volts), e.u_gain_v);
  add("i_d", "A", std::move(amps), e.u_gain_i, e.u_delay);
  add("v_gs", "V", std::move(gate));
  return out;
}

study::Point DoublePulse::point(const Errors& e, std::mt19937_64& random, double phase) const {
  study::Point out{.setting = nlohmann::json::object(), .records = {}};
  out.records.push_back(record(e, random, phase));
  return out;
}

}  // namespace heron::truth
