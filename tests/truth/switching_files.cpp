#include <cmath>

#include "base/random.h"
#include "study/switching/kind.h"
#include "truth/double_pulse.h"
#include "truth/truth.h"

namespace heron::truth {
namespace switched {
namespace {

double within(std::mt19937_64& random, double low, double high) { return low + (high - low) * double(random() >> 11) * 0x1p-53; }

DoublePulse some(std::mt19937_64& random) {
  DoublePulse out;
  out.first = 3e-6;
  out.gap = 2e-6;
  out.second = 2e-6;
  out.load = within(random, 15, 25);
  out.rise = within(random, 20e-9, 30e-9);
  out.fall = within(random, 25e-9, 35e-9);
  out.voltage_fall = within(random, 25e-9, 35e-9);
  out.voltage_rise = within(random, 35e-9, 45e-9);
  out.recovery = within(random, 5, 9);
  out.recovers = within(random, 25e-9, 35e-9);
  return out;
}

DoublePulse::Errors errors(std::mt19937_64& random) {
  DoublePulse::Errors out{.v_noise = 1.2, .i_noise = 0.08, .g_noise = 0.05, .u_gain_v = 4e-3, .u_gain_i = 6e-3, .u_delay = 0.3e-9};
  out.i_offset = 0.3 * normal_deviate(random);
  out.v_gain = out.u_gain_v * normal_deviate(random);
  out.i_gain = out.u_gain_i * normal_deviate(random);
  out.skew = out.u_delay * normal_deviate(random);
  return out;
}

study::Reading read(const std::vector<study::Point>& points, const study::SettingsText& settings, const std::vector<std::string>& asked = {}) {
  const auto analysis = study::switching::kind().analyse(points, settings, asked);
  return analysis ? analysis->reading : study::Reading{};
}

/// Straight lines with noise, gains, a zero and a delay that the channels are known to.
Outcome straight(unsigned seed) {
  std::mt19937_64 random(seed);
  const auto pulse = some(random);
  const auto e = errors(random);
  auto truth = pulse.truth();
  // A top of two straight flanks and one that is flat are no vertex; the overshoot is looked at with ringing.
  truth.erase("peak.voltage");
  truth.erase("overshoot.voltage");
  truth.erase("peak.current");
  truth.erase("recovery.current");
  return {read({pulse.point(e, random, within(random, 0, 1))}, {}), std::move(truth)};
}

/// Ringing after the turn-off: its first top is the peak.
Outcome ringing(unsigned seed) {
  std::mt19937_64 random(seed);
  auto pulse = some(random);
  pulse.ring = within(random, 60, 90);
  pulse.ring_frequency = within(random, 12e6, 18e6);
  pulse.ring_decay = 300e-9;
  pulse.stray = 0.3 * pulse.ring * pulse.fall / pulse.load;
  const auto e = errors(random);
  const auto truth = pulse.truth();
  const double over = pulse.rung_most();
  return {read({pulse.point(e, random, within(random, 0, 1))}, {}), {{"energy.off", truth.at("energy.off")}, {"peak.voltage", pulse.bus + over}, {"overshoot.voltage", 100 * over / pulse.bus}}};
}

/// A recovery that comes and goes smoothly.
Outcome recovering(unsigned seed) {
  std::mt19937_64 random(seed);
  auto pulse = some(random);
  pulse.rounded = true;
  pulse.recovers = within(random, 60e-9, 80e-9);
  const auto e = errors(random);
  const auto truth = pulse.truth();
  return {read({pulse.point(e, random, within(random, 0, 1))}, {}),
          {{"peak.current", truth.at("peak.current")}, {"recovery.current", truth.at("recovery.current")}, {"recovery.charge", truth.at("recovery.charge")}, {"energy.on", truth.at("energy.on")}}};
}

/// A skew of nanoseconds, as the record itself tells it, and the energies once it is accepted.
Outcome deskewed(unsigned seed) {
  std::mt19937_64 random(seed);
  auto pulse = some(random);
  pulse.smooth = true;
  pulse.recovery = 0;
  pulse.stray = 40e-9;
  auto e = errors(random);
  e.u_delay = 0;
  e.skew = within(random, -4e-9, 4e-9);
  const auto point = pulse.point(e, random, within(random, 0, 1));
  auto first = read({point}, {});
  const auto* skew = first.find("skew");
  const auto truth = pulse.truth();
  if (!skew) return {first, {{"skew", e.skew}}};
  auto again = read({point}, {{"skew", fmt::format("{:.6g} s", skew->value)}});
  std::erase_if(again.figures, [](const study::Figure& f) { return f.key == "skew"; });
  again.figures.push_back(*skew);
  return {again, {{"skew", e.skew}, {"energy.on", truth.at("energy.on")}, {"energy.off", truth.at("energy.off")}}};
}

/// Gains of what senses the other device, as far as they are off.
struct OtherGains {
  double v, i;
};
constexpr double kOtherGainV = 4e-3, kOtherGainI = 6e-3;
OtherGains other_gains(std::mt19937_64& random) {
  const double v = kOtherGainV * normal_deviate(random);
  return {v, kOtherGainI * normal_deviate(random)};
}

/// The other device's channels: its current turns round and comes back.
/// @return  J, what it takes from zero until within 2 % of its peak
double add_other(study::Point& point, const DoublePulse& pulse, const OtherGains& off, std::mt19937_64& random) {
  const auto i_f = [&](double t) { return t < pulse.on_at() - 1e-6 ? pulse.load : pulse.load - pulse.i(t); };
  const auto v_f = [&](double t) { return pulse.bus - pulse.v(t); };
  study::Channel v{.role = "v_f", .unit = "V"}, i{.role = "i_f", .unit = "A"};
  v.u_gain = kOtherGainV;
  i.u_gain = kOtherGainI;
  for (const double t : point.records.front().find("time")->numbers) {
    v.numbers.push_back(v_f(t) * (1 + off.v) + 1.2 * normal_deviate(random));
    i.numbers.push_back(i_f(t) * (1 + off.i) + 0.05 * normal_deviate(random));
  }
  point.records.front().channels.push_back(std::move(v));
  point.records.front().channels.push_back(std::move(i));
  return DoublePulse::integral([&](double t) { return -v_f(t) * i_f(t); }, pulse.on_at() + pulse.rise, pulse.peak_at() + 0.98 * pulse.recovers);
}

Outcome other_device(unsigned seed) {
  std::mt19937_64 random(seed);
  const auto pulse = some(random);
  const auto e = errors(random);
  auto point = pulse.point(e, random, within(random, 0, 1));
  const auto off = other_gains(random);
  const double energy = add_other(point, pulse, off, random);
  return {read({point}, {}), {{"energy.recovery", energy}}};
}

/// Four shots over current, asked between two of them.
Outcome swept(unsigned seed) {
  std::mt19937_64 random(seed);
  const auto base = some(random);
  const auto e = errors(random);
  const auto off = other_gains(random);
  std::vector<study::Point> points;
  std::map<double, std::map<std::string, double>> at;
  for (const double current : {5.0, 10.0, 20.0, 30.0}) {
    auto pulse = base;
    pulse.load = current;
    at[current] = pulse.truth();
    auto point = pulse.point(e, random, within(random, 0, 1));
    point.index = int(points.size());
    at[current]["energy.recovery"] = add_other(point, pulse, off, random);
    points.push_back(std::move(point));
  }
  const auto between = [&](const char* key) { return 0.5 * at[10].at(key) + 0.5 * at[20].at(key); };
  return {read(points, {}, {"energy.on@15A", "energy.off@15A", "energy.total@15A", "energy.recovery@15A"}), {{"energy.on@15A", between("energy.on")}, {"energy.off@15A", between("energy.off")}, {"energy.total@15A", between("energy.on") + between("energy.off") + between("energy.recovery")}, {"energy.recovery@15A", between("energy.recovery")}}};
}

}  // namespace
}  // namespace switched

std::vector<Experiment> switching_files() {
  using namespace switched;
  return {{"switching", "a double pulse of straight lines", straight, 400, 30},
          {"switching", "a double pulse that rings", ringing, 400, 20},
          {"switching", "a double pulse with a rounded recovery", recovering, 400, 20},
          {"switching", "a double pulse with a skew", deskewed, 400, 20},
          {"switching", "the other device's recovery", other_device, 400, 20},
          {"switching", "four shots over current", swept, 400, 20}};
}

}  // namespace heron::truth
