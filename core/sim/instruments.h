#pragma once
#include <array>
#include <span>
#include <string>
#include <vector>

/// What the simulated instruments can do and how they err, in one place. data_sheets() shows these numbers to users,
/// docs/bench.md the same.
namespace heron::sim {

struct GeneratorData {
  int outputs = 2;
  double highest_frequency = 21e6;  ///< Hz
  double lowest_frequency = 1e-3;   ///< Hz
  double highest_level_pp = 20;     ///< V open circuit, offset included
  double lowest_level_pp = 1e-3;    ///< V
  int bits = 14;                    ///< of amplitude within an attenuator range
  std::array<double, 4> ranges_pp = {0.02, 0.2, 2, 20};
  double frequency_step = 1e-6;   ///< Hz
  double fastest_edge = 10e-9;    ///< s
  double source_resistance = 50;  ///< ohm
  double setting_time = 2e-3;     ///< s per change
  double second_harmonic = 3e-5, third_harmonic = 2e-5;  ///< of a sine, shares of its peak
  double spur = 1.2e-5, spur_ratio = 1.4;  ///< a line beside a sine: share of its peak, multiple of its frequency
  double noise_density = 4e-9;             ///< V/sqrt(Hz), beside a sine...
  double range_noise_density = 5e-10;      ///< ...joined by a share of the attenuator's range, 1/sqrt(Hz)

  /// The attenuator's range for so much pk-pk, offset included.
  double range_for(double reach_pp) const;
};

inline constexpr std::array kRanges = {0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0};

struct InputData {
  int inputs = 8;
  std::span<const double> ranges = kRanges;                                          ///< V peak, rising
  double resistance = 1e6;                                                           ///< ohm
  double capacitance = 15e-12;                                                       ///< F
  double low_resistance = 50;                                                        ///< ohm
  double coupling_corner = 7;                                                        ///< Hz of AC coupling
  double bandwidth = 25e6;                                                           ///< Hz, one pole
  double full_bandwidth = 200e6;                                                     ///< Hz with the filter off
  double highest = 300;       ///< V peak that harms a 1-megohm input
  double highest_50_rms = 5;  ///< V rms that harms a 50-ohm input; it protects itself and opens
  int bits = 14;
  double highest_sample_rate = 100e6;  ///< Hz; lower rates by whole division
  double noise_density = 12e-9;        ///< V/sqrt(Hz) over the bandwidth
  double range_noise = 4e-5;           ///< rms noise that grows with the range, as a share of it
  double u_gain = 3e-4;                ///< relative, standard deviation over inputs and ranges
  double u_offset = 5e-4;              ///< of range
  double u_delay = 0.2e-9;             ///< s
  double range_time = 5e-3;            ///< s for a change of range
};

/// Inputs with fewer bits that read more often.
inline InputData fast_inputs() {
  return {.inputs = 5,
          .ranges = std::span<const double>(kRanges).subspan(1),
          .capacitance = 11e-12,
          .bandwidth = 90e6,
          .full_bandwidth = 420e6,
          .bits = 10,
          .highest_sample_rate = 1e9,
          .noise_density = 18e-9,
          .range_noise = 4e-4,
          .u_gain = 2e-3,
          .u_offset = 2e-3,
          .u_delay = 0.04e-9};
}

struct SourceMeasureData {
  int channels = 2;
  double highest_voltage = 200, highest_current = 3;                                                ///< V, A
  std::array<double, 4> voltage_ranges = {0.2, 2, 20, 200};                                         ///< V
  std::array<double, 9> current_ranges = {100e-9, 1e-6, 10e-6, 100e-6, 1e-3, 10e-3, 100e-3, 1, 3};  ///< A
  double u_gain = 2e-4;              ///< relative, of both measurements
  double u_offset = 1e-4;            ///< of range
  double noise = 1e-5;               ///< of range, rms, in an aperture of 20 ms
  double set_step = 5e-5;            ///< of range, resolution of what is forced
  double lead_resistance = 0.1;      ///< ohm of each lead
  double range_time = 4e-3;          ///< s for a change of range
  double highest_frequency = 100e3;  ///< Hz of a sine that it forces
  double setting_time = 2e-3;        ///< s per change of what is forced
  double slew_time = 50e-6;          ///< s in which a forced voltage goes to its new value
};

struct SupplyData {
  double highest_voltage = 80, highest_current = 30;  ///< V, A
  double output_resistance = 2e-3;                    ///< ohm
  double rise_time = 250e-6;                          ///< s from zero to the voltage when it is switched on
  double lead_resistance = 9e-3;                      ///< ohm, each lead
  double u_gain_voltage = 3e-4, u_gain_current = 1e-3;      ///< relative standard uncertainties of what it reads
  double u_offset_voltage = 4e-3, u_offset_current = 0.5e-3;  ///< V, A
  double noise_voltage = 3e-4, noise_current = 2e-4;          ///< V, A in 20 ms
};

struct SurgeData {
  double highest_voltage = 600;   ///< V, open circuit
  double least_resistance = 1;    ///< ohm
  double shortest_front = 100e-9; ///< s
};

struct MainsData {
  double highest_voltage = 270;                            ///< V rms, each phase
  double lowest_frequency = 16, highest_frequency = 800;   ///< Hz
  double least_resistance = 0.02;                          ///< ohm, of the line
  double highest_bus = 400, lowest_carrier = 500, highest_carrier = 50e3, edge = 100e-9;  ///< V, Hz, Hz, s: as an inverter
  double damping = 100;                                    ///< ohm beside the line's inductance then, as a cable loses what is fast
};

struct BusData {
  double highest_voltage = 600, charge_current = 1.5;  ///< V, A
  double resistance = 1, emptying = 68;                ///< ohm: of the source; of what empties the bus
  double u_gain = 1e-3, u_offset = 0.05, noise = 5e-3;  ///< of what it reads: relative, V, V in 20 ms
};

struct GateDriverData {
  int outputs = 2;
  double lowest = -12, highest = 22;  ///< V against the output's reference
  double least_resistance = 0.5;      ///< ohm, its own, part of what is set
  double edge = 4e-9;                 ///< s
  double holding = 10e3;              ///< ohm that hold a gate off where it has no power
  double least_dead_time = 20e-9;     ///< s between one off and the other on
};

struct LoadData {
  double highest_voltage = 80, highest_current = 30, highest_power = 300;  ///< V, A, W
  double start_voltage = 0.5;                                              ///< V below which it takes less
  double lead_resistance = 9e-3;                                           ///< ohm, each lead
  double fastest_edge = 5e-6;                                              ///< s of a change from one current to another
  double capacitance = 220e-9, damping = 0.2;                              ///< F, ohm in series with it, across its terminals
  double u_gain_voltage = 3e-4, u_gain_current = 8e-4;        ///< relative standard uncertainties of what it reads
  double u_offset_voltage = 2e-3, u_offset_current = 0.4e-3;  ///< V, A
  double noise_voltage = 1e-4, noise_current = 5e-5;        ///< V, A in 20 ms
};

struct ThermometerData {
  double u_gain = 5e-3, u_offset = 0.3, noise = 0.02;  ///< of what lies above 25 degC, K, K of a reading
  double reading_time = 0.1;                           ///< s
};

/// All of them, as one bench has them.
struct BenchData {
  GeneratorData generator;
  InputData input;
  InputData fast = fast_inputs();
  SourceMeasureData source;
  SupplyData supply;
  SurgeData surge;
  MainsData mains;
  BusData bus;
  GateDriverData gate;
  LoadData load;
  ThermometerData thermometer;
};

/// One instrument's table, for people.
struct DataSheet {
  std::string title;
  std::vector<std::pair<std::string, std::string>> rows;
};
std::vector<DataSheet> data_sheets(const BenchData& data = {});

}  // namespace heron::sim
