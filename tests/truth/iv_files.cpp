#include <algorithm>
#include <random>

#include "study/iv/kind.h"
#include "truth/models.h"
#include "truth/truth.h"

namespace heron::truth {
namespace {

using study::Channel;
using study::Point;
using study::Record;

constexpr double kVt = 1.380649e-23 * 300.15 / 1.602176634e-19;

struct Rows {
  std::vector<double> v, i, step, u_v, u_i;
};

/// Reads rows with noise put on both, told or left to be seen.
Outcome from_rows(Rows rows, unsigned seed, bool told, const study::SettingsText& settings,
                  std::map<std::string, double> truth) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  for (std::size_t k = 0; k < rows.v.size(); ++k) {
    rows.v[k] += rows.u_v[k] * normal(random);
    rows.i[k] += rows.u_i[k] * normal(random);
  }
  Record record;
  const auto put = [&](const char* role, const char* unit, std::vector<double> numbers) {
    Channel c{.role = role, .unit = unit};
    c.numbers = std::move(numbers);
    record.channels.push_back(std::move(c));
  };
  put("voltage", "V", std::move(rows.v));
  put("current", "A", std::move(rows.i));
  if (!rows.step.empty()) put("step", "", std::move(rows.step));
  if (told) {
    put("u_voltage", "V", std::move(rows.u_v));
    put("u_current", "A", std::move(rows.u_i));
  }
  std::vector<std::string> asked;
  for (const auto& [key, value] : truth) asked.push_back(key);
  const auto analysis =
      study::iv::kind().analyse({Point{.setting = nlohmann::json::object(), .records = {std::move(record)}}}, settings, asked);
  return {analysis ? analysis->reading : study::Reading{}, std::move(truth)};
}

void add(Rows& rows, double v, double i, double u_v, double u_i) {
  rows.v.push_back(v);
  rows.i.push_back(i);
  rows.u_v.push_back(u_v);
  rows.u_i.push_back(u_i);
}

Outcome diode(unsigned seed, bool told, double floor) {
  const double n = 1.8, is = 4e-12, rs = 1.3;
  const auto current_at = [&](double v) {
    return where([&](double i) { return junction_voltage(i, n, is, rs, kVt); }, v, 0, 1);
  };
  Rows rows;
  for (int k = 0; k <= 95; ++k) {
    const double v = 0.01 * k + 0.02, i = current_at(v);
    add(rows, v, i, 0, std::hypot(floor, 2e-3 * i));
  }
  const double h = 1e-5;
  return from_rows(std::move(rows), seed, told, {},
                   {{"diode.ideality", n},
                    {"diode.saturation_current", is},
                    {"diode.series_resistance", rs},
                    {"current@0.655V", current_at(0.655)},
                    {"voltage@1mA", junction_voltage(1e-3, n, is, rs, kVt)},
                    {"resistance.dynamic@1mA", (junction_voltage(1e-3 + h, n, is, rs, kVt) -
                                                junction_voltage(1e-3 - h, n, is, rs, kVt)) /
                                                   (2 * h)}});
}

Outcome transistor(unsigned seed, bool told) {
  const double gain = 190, early = 72;
  const auto collector = [&](double v, double ib) { return gain * ib * (1 + v / early) * (1 - std::exp(-v / 0.06)); };
  Rows rows;
  for (const double ib : {5e-6, 10e-6, 20e-6})
    for (int k = 0; k <= 60; ++k) {
      const double v = 0.1 * k;
      add(rows, v, collector(v, ib), 0, 2e-4 * collector(6, ib));
      rows.step.push_back(ib);
    }
  return from_rows(std::move(rows), seed, told, {},
                   {{"gain.current@5V,10uA", collector(5, 10e-6) / 10e-6},
                    {"gain.current@3.33V,10uA", collector(3.33, 10e-6) / 10e-6},
                    {"early_voltage", early},
                    {"conductance.output@4V,20uA", gain * 20e-6 / early},
                    {"current@2.55V,20uA", collector(2.55, 20e-6)}});
}

Outcome switching_transistor(unsigned seed, bool told) {
  const double vth = 1.4, k = 0.09, vds = 0.1;
  const auto drain = [&](double vg) {
    const double over = vg - vth;
    // A rounded threshold, as a real one has.
    const double soft = 0.04 * std::log1p(std::exp(over / 0.04));
    return k * (soft * vds - vds * vds / 2 * soft / (soft + 0.02));
  };
  Rows rows;
  for (int n = 0; n <= 100; ++n) {
    const double v = 0.03 * n;
    add(rows, v, drain(v), 0, 2e-5);
  }
  double most = 0;
  for (double v = 0; v <= 3; v += 1e-3) {
    const double g = (drain(v + 1e-4) - drain(v - 1e-4)) / 2e-4;
    most = std::max(most, g);
  }
  return from_rows(std::move(rows), seed, told,
                   {{"axis", "transfer"}, {"drain_voltage", "100 mV"}, {"threshold_current", "4 mA"}},
                   {{"transconductance.max", most}, {"threshold.constant", where(drain, 4e-3, 0, 3)}});
}

Outcome ohmic(unsigned seed, bool told) {
  const double ron = 0.42;
  Rows rows;
  for (int n = 0; n <= 60; ++n) {
    const double v = 0.05 * n;
    add(rows, v, v < 0.6 ? v / ron : 0.6 / ron + 0.02 * (v - 0.6), 0, 1e-3);
    rows.step.push_back(5);
  }
  // The two lines by their own equations.
  const double knee = (0.6 / ron - 0.02 * 0.6) / (1 / ron - 0.02);
  return from_rows(std::move(rows), seed, told, {}, {{"resistance.on@5", ron}, {"knee.voltage@5", knee}});
}

Outcome solar(unsigned seed, bool told) {
  const double light = 0.9, is = 2e-9, nvt = 0.52, rs = 0.35, shunt = 400;
  // i out of the cell solves i = light - is expm1((v + i rs)/nvt) - (v + i rs)/shunt.
  const auto out = [&](double v) {
    double low = -3, high = 2;
    for (int k = 0; k < 200; ++k) {
      const double i = (low + high) / 2;
      (light - is * std::expm1((v + i * rs) / nvt) - (v + i * rs) / shunt - i > 0 ? low : high) = i;
    }
    return (low + high) / 2;
  };
  Rows rows;
  for (int n = 0; n <= 56; ++n) {
    const double v = 0.2 * n - 0.13;
    add(rows, v, out(v), 0, 3e-4);
  }
  // The same for every seed.
  static const std::map<std::string, double> truth = [&] {
    double top = 0, at = 0;
    for (double v = 5; v < 10.5; v += 1e-4)
      if (v * out(v) > top) {
        top = v * out(v);
        at = v;
      }
    const double voc = where([&](double v) { return -out(v); }, 0, 5, 11);
    return std::map<std::string, double>{{"pv.isc", out(0)},
                                         {"pv.voc", voc},
                                         {"pv.pmp", top},
                                         {"pv.vmp", at},
                                         {"pv.imp", out(at)},
                                         {"pv.fill_factor", top / (voc * out(0))}};
  }();
  return from_rows(std::move(rows), seed, told, {}, truth);
}

/// A resistance beside a capacitance that is swept there and back; without the capacitance it is closed.
Outcome there_and_back(unsigned seed, bool told, double capacitive) {
  const double r = 1e3, top = 2;
  Rows rows;
  for (int n = 0; n <= 200; ++n) {
    const bool rising = n <= 100;
    const double v = rising ? -top + 2 * top * n / 100 : top - 2 * top * (n - 100) / 100;
    add(rows, v, v / r + (rising ? capacitive : -capacitive), 0, 4e-6);
  }
  return from_rows(std::move(rows), seed, told, {},
                   {{"loop.opening", 2 * capacitive / (top / r + capacitive)}, {"loop.area", 2 * capacitive * 2 * top}});
}

}  // namespace

std::vector<Experiment> iv_files() {
  return {often({"iv", "table, diode, u told", [](unsigned s) { return diode(s, true, 1e-9); }}),
          {"iv", "table, diode, by its scatter", [](unsigned s) { return diode(s, false, 1e-9); }, 120},
          {"iv", "table, diode, low end in noise", [](unsigned s) { return diode(s, true, 7e-8); }},
          {"iv", "table, bipolar family, u told", [](unsigned s) { return transistor(s, true); }, 200, 30},
          {"iv", "table, bipolar family, by its scatter", [](unsigned s) { return transistor(s, false); }},
          {"iv", "table, FET transfer, u told", [](unsigned s) { return switching_transistor(s, true); }, 200, 30},
          {"iv", "table, FET output, u told", [](unsigned s) { return ohmic(s, true); }, 200, 40},
          {"iv", "table, FET output, by its scatter", [](unsigned s) { return ohmic(s, false); }},
          often({"iv", "table, solar string, u told", [](unsigned s) { return solar(s, true); }, 200, 30}),
          often({"iv", "table, solar string, by its scatter", [](unsigned s) { return solar(s, false); }}),
          {"iv", "table, open loop, u told", [](unsigned s) { return there_and_back(s, true, 4e-5); }},
          {"iv", "table, closed loop, u told", [](unsigned s) { return there_and_back(s, true, 0); }, 200, 40},
          {"iv", "table, closed loop, by its scatter", [](unsigned s) { return there_and_back(s, false, 0); }}};
}

}  // namespace heron::truth
