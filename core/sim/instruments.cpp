#include "sim/instruments.h"

#include <algorithm>

#include "base/quantity.h"
#include "bench/waveform.h"

namespace heron::sim {
namespace {

std::string q(double v, std::string_view unit) { return format_setting(v, unit); }
std::string percent(double share) { return fmt::format("{:g} %", 100 * share); }

template <class List>
std::string list(const List& values, std::string_view unit) {
  std::string out;
  for (const double v : values) out += (out.empty() ? "" : ", ") + q(v, unit);
  return out;
}

/// Inputs of one digitiser.
DataSheet inputs_sheet(const std::string& title, const InputData& i) {
  return {title + ", " + std::to_string(i.inputs),
       {{"Ranges",
         list(i.ranges, "V") + " peak; or found by looking at a period, " + q(i.range_time, "s") + " a change"},
        {"Loading",
         q(i.resistance, "ohm") + " parallel " + q(i.capacitance, "F") + ", or " + q(i.low_resistance, "ohm")},
        {"Coupling", "DC, or AC from " + q(i.coupling_corner, "Hz") + " on"},
        {"Harmed at", q(i.highest, "V") + " peak; into " + q(i.low_resistance, "ohm") + " at " +
                          q(i.highest_50_rms, "V") + " rms, where it opens"},
        {"Bandwidth", q(i.bandwidth, "Hz") + " filtered, " + q(i.full_bandwidth, "Hz") + " without, one pole"},
        {"Converter", std::to_string(i.bits) + " bits, " +
                          fmt::format("{:g} MS/s divided by whole numbers", i.highest_sample_rate / 1e6)},
        {"Noise",
         q(i.noise_density, "V/rtHz") + " over the bandwidth, joined by " + percent(i.range_noise) + " of the range"},
        {"Gain", percent(i.u_gain) + " standard uncertainty, an input and range"},
        {"Offset", percent(i.u_offset) + " of the range, standard deviation"},
        {"Skew", q(i.u_delay, "s") + " standard uncertainty between inputs"},
        {"Trigger",
         "any input: an edge through a level, or a pulse narrower or wider than; 2 % hysteresis, hold-off, up to a whole record "
         "before it, time-out"}}};
}

}  // namespace

double GeneratorData::range_for(double reach_pp) const {
  return *std::find_if(ranges_pp.begin(), ranges_pp.end() - 1, [&](double r) { return reach_pp <= r * (1 + 1e-9); });
}

std::vector<DataSheet> data_sheets(const BenchData& d) {
  const auto& g = d.generator;
  const auto& s = d.source;
  return {
      {"Function generators, " + std::to_string(g.outputs),
       {{"Waveforms",
         "sine, square, pulse, triangle, ramp, staircase, noise, double pulse, list of points; bursts of them"},
        {"Frequency", q(g.lowest_frequency, "Hz") + " to " + q(g.highest_frequency, "Hz") + ", steps of " +
                          q(g.frequency_step, "Hz") + "; changes keep the phase"},
        {"Level",
         q(g.lowest_level_pp, "V") + " to " + q(g.highest_level_pp, "V") + " pk-pk open circuit, offset included"},
        {"Attenuator", list(g.ranges_pp, "V") + " pk-pk"},
        {"Resolution", std::to_string(g.bits) + " bits of the attenuator's range, amplitude and offset"},
        {"Fastest edge", q(g.fastest_edge, "s")},
        {"Harmonics of a sine", fmt::format("2nd {:.0f} ppm, 3rd {:.0f} ppm of its peak ({:.0f} and {:.0f} dBc)", 1e6 * g.second_harmonic, 1e6 * g.third_harmonic, 20 * std::log10(g.second_harmonic), 20 * std::log10(g.third_harmonic))},
        {"Beside a sine", fmt::format("a line at {:g} of its frequency, {:.0f} ppm of its peak ({:.0f} dBc)", g.spur_ratio, 1e6 * g.spur, 20 * std::log10(g.spur))},
        {"Noise beside a sine", q(g.noise_density, "V/rtHz") + fmt::format(", joined by {:.2g} ppb/\u221aHz of the attenuator's range", 1e9 * g.range_noise_density)},
        {"Source resistance", q(g.source_resistance, "ohm") + ", more by a resistor in line"},
        {"Change of setting", q(g.setting_time, "s")}}},
      inputs_sheet("Accurate inputs", d.input),
      inputs_sheet("Fast inputs", d.fast),
      {"Source-measure channels, " + std::to_string(s.channels),
       {{"Reach", "four quadrants, " + q(s.highest_voltage, "V") + ", " + q(s.highest_current, "A")},
        {"Voltage ranges", list(s.voltage_ranges, "V")},
        {"Current ranges", list(s.current_ranges, "A")},
        {"Compliance", "the other quantity stops at its limit and the forced one gives way"},
        {"Gain", percent(s.u_gain) + " standard uncertainty"},
        {"Offset", percent(s.u_offset) + " of the range"},
        {"Noise", percent(s.noise) + " of the range in 20 ms, falling with the root of the aperture"},
        {"Forced in steps of", percent(s.set_step) + " of the range"},
        {"Leads", q(s.lead_resistance, "ohm") + " each; four-wire senses beyond them"},
        {"Change of range", q(s.range_time, "s")}}},
      {"DC source",
       {{"Reach", q(d.supply.highest_voltage, "V") + ", " + q(d.supply.highest_current, "A") + ", sources only"},
        {"Current limit", "folds to constant current"},
        {"Switched on", "from zero in " + q(d.supply.rise_time, "s")},
        {"Output resistance", q(d.supply.output_resistance, "ohm")},
        {"Reads its voltage", percent(d.supply.u_gain_voltage) + " and " + q(d.supply.u_offset_voltage, "V") + " standard uncertainty"},
        {"Reads its current", percent(d.supply.u_gain_current) + " and " + q(d.supply.u_offset_current, "A") + " standard uncertainty"},
        {"Leads", q(d.supply.lead_resistance, "ohm") + " each; senses beyond them on wish"}}},
      {"Surge generator",
       {{"Reach", q(d.surge.highest_voltage, "V") + " open circuit, either sign"},
        {"Waveform", "double exponential, fronts of " + q(d.surge.shortest_front, "s") + " and more, once; half of its peak after no less than " +
                         format_setting(bench::kShortestTail, "1") + " fronts"},
        {"Source resistance", q(d.surge.least_resistance, "ohm") + " and more"}}},
      {"Mains source, 1 or 3 phases",
       {{"Reach", q(d.mains.highest_voltage, "V") + " rms each, " + q(d.mains.lowest_frequency, "Hz") + " to " + q(d.mains.highest_frequency, "Hz") + "; either sequence"},
        {"Distortion", "third and fifth harmonic, as set"},
        {"Line", q(d.mains.least_resistance, "ohm") + " and more, with an inductance"},
        {"Switch", "closes at a chosen angle of the first phase"},
        {"As an inverter", "a bus of up to " + q(d.mains.highest_bus, "V") + ", switched at " + q(d.mains.lowest_carrier, "Hz") + " to " + q(d.mains.highest_carrier, "Hz") + " in " + q(d.mains.edge, "s") + "; " + q(d.mains.damping, "ohm") + " beside the line's inductance"}}},
      {"Bus source",
       {{"Reach", q(d.bus.highest_voltage, "V") + ", charges with " + q(d.bus.charge_current, "A")},
        {"Emptied", "through " + q(d.bus.emptying, "ohm") + " whenever everything goes off"},
        {"Reads its voltage", percent(d.bus.u_gain) + " and " + q(d.bus.u_offset, "V") + " standard uncertainty, also while it empties"}}},
      {"Gate driver, " + std::to_string(d.gate.outputs) + " outputs",
       {{"Reach", q(d.gate.lowest, "V") + " to " + q(d.gate.highest, "V") + " against a reference that floats"},
        {"Resistance", q(d.gate.least_resistance, "ohm") + " and more, on and off apart"},
        {"Edges", q(d.gate.edge, "s")},
        {"Both on at once", "is refused; " + q(d.gate.least_dead_time, "s") + " between them at least"},
        {"Without power", "holds the gate off through " + q(d.gate.holding, "ohm")}}},
      {"Electronic load",
       {{"Reach",
         q(d.load.highest_voltage, "V") + ", " + q(d.load.highest_current, "A") + ", " + q(d.load.highest_power, "W")},
        {"Modes", "constant current, resistance or power"},
        {"Below", q(d.load.start_voltage, "V") + " it takes less than asked"},
        {"Across its terminals", q(d.load.capacitance, "F") + " behind " + q(d.load.damping, "ohm")},
        {"Steps", "between two currents, in " + q(d.load.fastest_edge, "s") + " or more"},
        {"Reads its voltage", percent(d.load.u_gain_voltage) + " and " + q(d.load.u_offset_voltage, "V") + " standard uncertainty"},
        {"Reads its current", percent(d.load.u_gain_current) + " and " + q(d.load.u_offset_current, "A") + " standard uncertainty"},
        {"Leads", q(d.load.lead_resistance, "ohm") + " each; senses beyond them on wish"}}},
      {"Thermometer",
       {{"Reads", "places that the device names, in " + q(d.thermometer.reading_time, "s") + " each"},
        {"Uncertainty", q(d.thermometer.u_offset, "K") + " and " + percent(d.thermometer.u_gain) + " of what lies above 25 °C, standard"},
        {"Noise", q(d.thermometer.noise, "K") + " of a reading"}}}};
}

}  // namespace heron::sim
