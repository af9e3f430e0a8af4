#include <random>

#include "sim/simulated_bench.h"
#include "study/response/kind.h"
#include "study/response/runner.h"
#include "truth/models.h"
#include "truth/truth.h"

namespace heron::truth {
namespace {

using study::response::Plan;
using Parts = std::map<std::string, double>;

/// The circuit of one unit, every part drawn within its tolerance, and its values for the model.
struct Unit {
  sim::Circuit circuit;
  Parts parts;
};
Unit drawn(const char* text, unsigned seed) {
  const auto read = sim::read_circuit(text, "truth");
  Unit out;
  if (!read) return out;
  out.circuit = *sim::as_built(*read, "unit " + std::to_string(seed), {});
  for (const auto& part : out.circuit.parts)
    for (const auto& [key, value] : part.values)
      out.parts[key == "value" ? part.name : part.name + "." + key] = value.value;
  return out;
}

using Truth = std::function<std::map<std::string, double>(const Answer&)>;

/// H between the nodes `from` and `to` of a network that the parts make, inputs connected.
using Model = std::function<Answer(const Parts&)>;

constexpr double kInputOhms = 1e6, kInputFarads = 15e-12;

Experiment taken(const char* name, const char* circuit, const Plan& plan, const Model& model, const Truth& truth_of,
                 int repetitions = 120, int quick = 0, study::SettingsText given = {}) {
  const auto run = [=](unsigned seed) {
    const auto unit = drawn(circuit, seed);
    sim::SimulatedBench bench(unit.circuit, seed);
    auto truth = truth_of(model(unit.parts));
    std::vector<std::string> asked;
    for (const auto& [key, value] : truth) asked.push_back(key);
    std::vector<study::Point> points;
    const auto ok = study::response::run(plan, bench,
                                         [&](const study::Point& p) -> Result<void> {
                                           points.push_back(p);
                                           return {};
                                         },
                                         {}, {}, {.seed = seed, .figures = asked});
    Outcome out{.reading = {}, .truth = std::move(truth)};
    study::SettingsText settings = given;
    for (const auto& key : asked)
      if (key.starts_with("motional") || key.starts_with("shunt")) settings["fit"] = "resonator";
    if (ok)
      if (auto analysis = study::response::kind().analyse(points, settings, asked))
        out.reading = std::move(analysis->reading);
    return out;
  };
  return {"response", name, run, repetitions, quick};
}

constexpr const char* kBandPass = R"(
[pins]
in = "in"
out = "out"
[part.C1]
kind = "capacitor"
between = ["in", "mid"]
value = "68 nF"
tolerance = "8 %"
[part.R1]
kind = "resistor"
between = ["mid", "ground"]
value = "3.3 kohm"
tolerance = "3 %"
[part.R2]
kind = "resistor"
between = ["mid", "out"]
value = "5.1 kohm"
tolerance = "3 %"
[part.C2]
kind = "capacitor"
between = ["out", "ground"]
value = "820 pF"
tolerance = "8 %"
)";
Answer band_pass(const Parts& p) {
  return [p](double f) {
    Net net(3);  // in, mid, out
    net.capacitor(1, 2, p.at("C1"));
    net.resistor(2, 0, p.at("R1"));
    net.resistor(2, 3, p.at("R2"));
    net.capacitor(3, 0, p.at("C2"));
    for (const int node : {1, 3}) {
      net.resistor(node, 0, kInputOhms);
      net.capacitor(node, 0, kInputFarads);
    }
    const auto v = net.solve(f, 1, 50);
    return v[3] / v[1];
  };
}
std::map<std::string, double> band_truth(const Answer& h) {
  const double top = extreme(h, 1e3, 20e3, 1);
  const auto fall = [&](double f) { return db_of(h, f) - (db_of(h, top) - kHalfPower); };
  const double low = root(fall, 50, top), high = root(fall, top, 300e3);
  return {{"gain.reference", db_of(h, top)},
          {"corner.low", low},
          {"corner.high", high},
          {"bandwidth", high - low},
          {"centre", std::sqrt(low * high)},
          {"q", std::sqrt(low * high) / (high - low)},
          {"peak.frequency", top},
          {"peak.gain", db_of(h, top)},
          {"gain@1kHz", db_of(h, 1e3)},
          {"phase@1kHz", std::arg(h(1e3)) * 180 / kPi},
          {"gain@40kHz", db_of(h, 40e3)}};
}

constexpr const char* kResonant = R"(
[pins]
in = "in"
out = "out"
[part.R1]
kind = "resistor"
between = ["in", "a"]
value = "91 ohm"
tolerance = "4 %"
[part.L1]
kind = "inductor"
between = ["a", "out"]
value = "6.8 mH"
tolerance = "5 %"
resistance = "12 ohm"
[part.C1]
kind = "capacitor"
between = ["out", "ground"]
value = "39 nF"
tolerance = "4 %"
)";
Answer resonant(const Parts& p) {
  return [p](double f) {
    Net net(3);  // in, a, out
    net.resistor(1, 2, p.at("R1"));
    net.inductor(2, 3, p.at("L1"), p.at("L1.resistance"));
    net.capacitor(3, 0, p.at("C1"));
    for (const int node : {1, 3}) {
      net.resistor(node, 0, kInputOhms);
      net.capacitor(node, 0, kInputFarads);
    }
    const auto v = net.solve(f, 1, 50);
    return v[3] / v[1];
  };
}
std::map<std::string, double> resonant_truth(const Answer& h) {
  const double top = extreme(h, 5e3, 20e3, 1);
  return {{"peak.frequency", top},
          {"peak.gain", db_of(h, top)},
          {"peak.height", db_of(h, top) - db_of(h, 1e3)},
          {"gain.reference", db_of(h, 1e3)},
          {"corner.high", root([&](double f) { return db_of(h, f) - (db_of(h, 1e3) - kHalfPower); }, top, 60e3)}};
}

constexpr const char* kTrap = R"(
[pins]
in = "in"
out = "out"
[part.R1]
kind = "resistor"
between = ["in", "out"]
value = "560 ohm"
tolerance = "3 %"
[part.L1]
kind = "inductor"
between = ["out", "b"]
value = "8.2 mH"
tolerance = "5 %"
resistance = "21 ohm"
[part.C1]
kind = "capacitor"
between = ["b", "ground"]
value = "47 nF"
tolerance = "4 %"
)";
Answer trap(const Parts& p) {
  return [p](double f) {
    Net net(3);  // in, out, b
    net.resistor(1, 2, p.at("R1"));
    net.inductor(2, 3, p.at("L1"), p.at("L1.resistance"));
    net.capacitor(3, 0, p.at("C1"));
    for (const int node : {1, 2}) {
      net.resistor(node, 0, kInputOhms);
      net.capacitor(node, 0, kInputFarads);
    }
    const auto v = net.solve(f, 1, 50);
    return v[2] / v[1];
  };
}
std::map<std::string, double> trap_truth(const Answer& h) {
  const double low = extreme(h, 4e3, 16e3, -1);
  return {{"notch.frequency", low}, {"notch.depth", db_of(h, 500) - db_of(h, low)}};
}

constexpr const char* kLoop = R"(
[pins]
in = "in"
out = "out"
[part.G1]
kind = "current by voltage"
a = "a"
b = "ground"
plus = "in"
minus = "ground"
value = "20 mS"
[part.R1]
kind = "resistor"
between = ["a", "ground"]
value = "33 kohm"
tolerance = "4 %"
[part.C1]
kind = "capacitor"
between = ["a", "ground"]
value = "150 nF"
tolerance = "5 %"
[part.G2]
kind = "current by voltage"
a = "out"
b = "ground"
plus = "a"
minus = "ground"
value = "1 mS"
[part.R2]
kind = "resistor"
between = ["out", "ground"]
value = "1 kohm"
tolerance = "2 %"
[part.C2]
kind = "capacitor"
between = ["out", "ground"]
value = "10 nF"
tolerance = "5 %"
)";
Answer loop(const Parts& p) {
  return [p](double f) {
    Net net(3);  // in, a, out
    net.transfer(2, 1, p.at("G1"));
    net.resistor(2, 0, p.at("R1"));
    net.capacitor(2, 0, p.at("C1"));
    net.transfer(3, 2, p.at("G2"));
    net.resistor(3, 0, p.at("R2"));
    net.capacitor(3, 0, p.at("C2"));
    for (const int node : {1, 3}) {
      net.resistor(node, 0, kInputOhms);
      net.capacitor(node, 0, kInputFarads);
    }
    const auto v = net.solve(f, 1, 50);
    return v[3] / v[1];
  };
}
std::map<std::string, double> loop_truth(const Answer& h) {
  const double cross = root([&](double f) { return db_of(h, f); }, 2e3, 80e3);
  return {{"gain.reference", db_of(h, 300)},
          {"crossover.gain", cross},
          {"margin.phase", 180 + std::arg(h(cross)) * 180 / kPi},
          {"gain@2kHz", db_of(h, 2e3)}};
}

constexpr const char* kResonator = R"(
[pins]
drive = "drive"
hot = "hot"
[part.R0]
kind = "resistor"
between = ["drive", "hot"]
value = "1 kohm"
[part.CS]
kind = "capacitor"
between = ["hot", "ground"]
value = "4.3 nF"
tolerance = "4 %"
series_resistance = "3 ohm"
[part.RM]
kind = "resistor"
between = ["hot", "m1"]
value = "240 ohm"
tolerance = "6 %"
[part.LM]
kind = "inductor"
between = ["m1", "m2"]
value = "21 mH"
tolerance = "1 %"
[part.CM]
kind = "capacitor"
between = ["m2", "ground"]
value = "830 pF"
tolerance = "1 %"
)";
/// As sensed: the input on `hot` draws its current through the known resistor too.
Answer resonator(const Parts& p) {
  return [p](double f) {
    const Complex jw(0, 2 * kPi * f);
    const Complex arm = p.at("RM") + jw * p.at("LM") + 1.0 / (jw * p.at("CM"));
    const Complex shunt = p.at("CS.series_resistance") + 1.0 / (jw * p.at("CS"));
    return 1.0 / (1.0 / arm + 1.0 / shunt + 1 / kInputOhms + jw * kInputFarads);
  };
}
std::map<std::string, double> resonator_truth(const Answer& z) {
  const double low = extreme(z, 36e3, 40e3, -1), top = extreme(z, 39.5e3, 44e3, 1);
  const auto reactance = [&](double f) { return z(f).imag(); };
  const double series = root(reactance, low * 0.99, (low + top) / 2),
               parallel = root(reactance, (low + top) / 2, top * 1.01);
  return {{"notch.frequency", low},
          {"peak.frequency", top},
          {"peak.gain", db_of(z, top)},
          {"resonance.frequency", series},
          {"resonance.series", series},
          {"resonance.parallel", parallel},
          {"resonance.impedance", z(series).real()},
          {"resonance.height", 20 * std::log10(z(series).real()) - db_of(z, 30e3)}};
}

Plan direct(double start, double stop, double per_decade) {
  return {.drive_pin = "in",
          .hookup = study::response::direct_hookup("in", "out"),
          .start = start,
          .stop = stop,
          .points_per_decade = per_decade,
          .level_pp = 0.3,
          .settle_time = 12e-3,
          .settle_periods = 4};
}

Plan impedance_plan() {
  Plan p{.drive_pin = "drive",
         .hookup = {.chains = {{.name = "va", .input = {.pin = "drive"}}, {.name = "vb", .input = {.pin = "hot"}}},
                    .computed = {{.name = "i", .unit = "A", .formula = "(va - vb)/1000"}}},
         .stimulus = "i",
         .response = "vb",
         .start = 30e3,
         .stop = 48e3,
         .quantity = study::response::Quantity::impedance,
         .points_total = 61,
         .by_total = true,
         .level_pp = 1,
         .settle_time = 12e-3};
  for (auto& chain : p.hookup.chains) chain.input.sensor = *bench::find_stock_sensor("Direct lead");
  return p;
}

}  // namespace

std::vector<Experiment> response_bench() {
  auto refined = direct(30, 300e3, 6);
  refined.refine = true;
  auto loop_plan = direct(300, 100e3, 12);
  loop_plan.level_pp = 2e-3;
  loop_plan.averages = 2;
  return {taken("take, band-pass of drawn parts", kBandPass, direct(30, 300e3, 10), band_pass, band_truth, 120, 12),
          taken("take, band-pass, refined", kBandPass, refined, band_pass, band_truth),
          taken("take, resonance of drawn parts", kResonant, direct(1e3, 60e3, 30), resonant, resonant_truth, 120, 0,
                {{"reference", "first"}}),
          taken("take, trap of drawn parts", kTrap, direct(500, 60e3, 40), trap, trap_truth),
          taken("take, loop of drawn parts", kLoop, loop_plan, loop, loop_truth),
          taken("take, resonator's impedance", kResonator, impedance_plan(), resonator, resonator_truth),
          Experiment{"response", "take, resonator fitted",
                     [](unsigned seed) {
                       const auto unit = drawn(kResonator, seed);
                       const auto& p = unit.parts;
                       // The input's capacitance and resistance belong to the shunt that is fitted.
                       return taken("", kResonator, impedance_plan(), resonator,
                                    [p](const Answer&) {
                                      return std::map<std::string, double>{
                                          {"motional.resistance", p.at("RM")},
                                          {"motional.inductance", p.at("LM")},
                                          {"motional.capacitance", p.at("CM")},
                                          {"shunt.capacitance", p.at("CS") + kInputFarads}};
                                    })
                           .run(seed);
                     },
                     80, 0}};
}

std::vector<std::pair<std::string, std::string>> without_uncertainty() {
  return {{"gain.removed", "what normalising took off is a setting's doing; its uncertainty is that of the gain there"},
          {"fit.residual", "a measure of misfit, not of the device"},
          {"loss.residual", "the same"},
          {"any figure of a table without u columns and without visible scatter",
           "the table does not say, and its points lie on a smooth curve to their last digit"}};
}

std::map<std::pair<std::string, std::string>, std::string> exceptions() {
  const std::string
      bend = "the table's noise changes by decades within the few points that tell it",
      safe =
          "u is on the safe side: which points stand clear of noise changes from draw to draw, and noise counts "
          "again in draws around readings that hold it",
      between = "u is on the safe side: the noise that a smooth curve adds is taken as independent of the points'",
      tails = "an extreme of hundreds of lines errs to one side, further than draws around a smoothed curve foretell",
      slope =
          "the highest of noisy slopes; what noise adds is taken off by draws around a curve that it has bent already",
      told = "what noise adds is taken off, and a table tells its noise to a fifth only",
      turns = "the phase turns by 20 degrees from point to point there: what smooth curves of two orders disagree by tells "
              "what lies between only to a factor",
      edge = "on the bound, within what so many repetitions can tell",
      few = "of so few repetitions the share beyond 2 u is known to 3 %",
      opening = "the largest difference of two ways errs to one side where several places are nearly as far apart";
  return {{{"undershoot", "record, large excursion before an edge"},
           "on the bound: the widest curve that its noise lets pass still flattens the top a little"},
          {{"v_out.rise_time", "take, nine records of such a step as their mean"},
           "what rounding does to all records alike is counted in the time constant, not in an edge"},
          {{"v_out.rise_time", "take, such a step over the whole range"}, edge},
          {{"notch.depth", "take, trap of drawn parts"}, few},
          {{"notch.frequency", "take, trap of drawn parts"}, edge},
          {{"crossover.gain", "take, loop of drawn parts"}, few},
          {{"peak.frequency", "take, band-pass, refined"}, few},
          {{"inrush.settled_after", "a coil that the mains is switched onto"}, "where the rms only just stays within its band, a swing of it more or less decides: rare, and by ten milliseconds"},
          {{"current@1.23V", "take, resistor of drawn value, there and back"}, few},
          {{"pv.fill_factor", "take, photovoltaic cells"}, few},
          {{"delay(v_in,v_out)", "record, two sines"},
           "two passages through noise, each by a parabola as wide as noise lets it be"},
          {{"resistance.dynamic@1mA", "table, diode, by its scatter"}, bend},
          {{"voltage@1mA", "table, diode, by its scatter"}, bend},
          {{"current@0.655V", "table, diode, by its scatter"}, bend},
          {{"peak.gain", "table, peak, u told"}, edge},
          {{"resonance.impedance", "take, resonator's impedance"}, edge},
          {{"voltage@1mA", "table, diode, u told"}, edge},
          {{"pv.fill_factor", "table, solar string, u told"}, edge},
          {{"pv.fill_factor", "table, solar string, by its scatter"}, edge},
          {{"resistance.dynamic@1mA", "take, diode"}, edge},
          {{"current@0.655V", "table, diode, low end in noise"}, bend},
          {{"resistance.dynamic@1mA", "table, diode, low end in noise"}, bend},
          {{"resonance.frequency", "take, resonator's impedance"}, turns},
          {{"resonance.series", "take, resonator's impedance"}, turns},
          {{"resistance.dynamic@2mA", "take, resistor of drawn value, there and back"}, few},
          {{"pv.voc", "table, solar string, by its scatter"}, told},
          {{"diode.ideality", "table, diode, by its scatter"}, safe},
          {{"diode.saturation_current", "table, diode, by its scatter"}, safe},
          {{"diode.series_resistance", "table, diode, by its scatter"}, safe},
          {{"diode.ideality", "table, diode, u told"}, safe},
          {{"diode.saturation_current", "table, diode, u told"}, safe},
          {{"diode.series_resistance", "table, diode, u told"}, safe},
          {{"diode.ideality", "table, diode, low end in noise"}, safe},
          {{"diode.saturation_current", "table, diode, low end in noise"}, safe},
          {{"transconductance.max", "table, FET transfer, u told"}, slope},
          {{"pv.isc", "table, solar string, u told"}, between},
          {{"pv.pmp", "table, solar string, by its scatter"}, between},
          {{"phase@1kHz", "take, band-pass, refined"}, between},
          {{"peak.frequency", "take, resonance of drawn parts"}, between},
          {{"loop.opening", "table, open loop, u told"}, opening},
          {{"loop.area", "table, open loop, u told"}, opening},
          {{"loop.area", "table, closed loop, u told"}, opening},
          {{"loop.area", "table, closed loop, by its scatter"}, told},
          {{"loop.opening", "table, closed loop, by its scatter"}, told},
          {{"gain.reference", "noise, flat, 32 averages"}, tails},
          {{"coherence.min(500,7000)", "noise, flat, 32 averages"}, tails}};
}

}  // namespace heron::truth
