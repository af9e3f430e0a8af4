#pragma once
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "base/result.h"
#include "bench/hookup.h"
#include "bench/waveform.h"

/// The boundary to hardware: whatever drives and senses. Nothing passes it but set-ups, raw samples and instrument
/// readings.
namespace heron::bench {

/// The branch of whatever drives, of two generators that of the first: a sensor of current on it reads what goes out to
/// the device.
inline constexpr std::string_view kDriveLead = "drive lead";

/// A steady sine out of a generator, or out of a source-measure channel that forces it at the pin.
struct ToneDrive {
  std::string pin;                ///< of the device, as the hookup names it
  double frequency = 1e3;         ///< Hz
  double peak_to_peak = 0;        ///< V, open circuit
  double offset = 0;              ///< V, open circuit
  double source_resistance = 50;  ///< ohm, of the generator
  /// A peak; with it a source-measure channel drives, which holds the voltage up to that current.
  std::optional<double> compliance = {};
};

/// Any waveform out of one of the generators.
struct GeneratorSetup {
  int generator = 0;
  std::string pin;
  Waveform wave;                  ///< V, open circuit
  double source_resistance = 50;  ///< ohm
};

enum class Force { voltage, current };

/// A source-measure channel: forces one quantity and measures both.
struct SourceMeasureSetup {
  int channel = 0;
  std::string pin, against = {};  ///< empty: ground
  Force force = Force::voltage;
  double value = 0;                     ///< V or A
  double compliance = 10e-3;            ///< of the other quantity, A or V; it limits as hardware does
  bool four_wire = true;                ///< sense leads of their own; else the leads' resistance is in the reading
  std::optional<double> current_range;  ///< automatic when absent...
  double lowest_current_range = 0;      ///< ...but never below this
  std::optional<double> voltage_range;  ///< automatic when absent
  std::optional<double> steps_to = {};  ///< of a forced voltage: the other one that it goes to and fro between...
  double period = 0, edge = 0;          ///< ...s, half of it at each; s of a change
};

/// What a source-measure channel reads, averaged over its aperture.
struct SourceReading {
  double voltage = 0, current = 0;                    ///< V across, A out of the channel
  double u_voltage = 0, u_current = 0;                ///< standard uncertainties, of these parts:
  double u_voltage_noise = 0, u_current_noise = 0;    ///< what each reading has of its own
  double u_voltage_shared = 0, u_current_shared = 0;  ///< gain and offset, which all on one range share
  double u_voltage_gain = 0, u_current_gain = 0;      ///< of the latter what is relative; the rest stands whatever is read
  double voltage_range = 0, current_range = 0;
  bool at_compliance = false;
};

struct SupplySetup {
  std::string pin, against = {};
  double voltage = 0, current_limit = 1;  ///< V, A; it folds to constant current
  std::optional<double> rises_after = {};  ///< s from now that it stays at zero before it is switched on; unset: it is on
  std::optional<double> steps_to = {};  ///< V, the other voltage that it goes to and fro between...
  double period = 0, edge = 0;          ///< ...s, half of it at each; s of a change
  bool sensed = true;  ///< it holds and reads its voltage at the device's pins; else at its own terminals, before its leads
};

/// A surge: a double exponential out of a generator of high voltage, once.
struct SurgeSetup {
  std::string pin;
  double peak = 0;                      ///< V, open circuit
  double front = 1.2e-6, tail = 50e-6;  ///< s: rise from 30 to 90 % over 0.6, and to half of the peak (IEC 61000-4-5)
  double source_resistance = 2;         ///< ohm
  double after = 0;                     ///< s from now
};

/// A contact of the device that a person closes or opens; it bounces.
struct ContactSetup {
  std::string contact;
  bool closed = true;
  double after = 0;  ///< s from now
};

/// A mains source: one voltage, or three a third of a turn apart, behind an impedance, with a switch. With a carrier an
/// inverter: each voltage is switched between the ends of a bus, so that its mean follows the sine.
struct MainsSetup {
  std::vector<std::string> pins;  ///< one, or three in the order of the phases
  double voltage = 230;           ///< V rms, each against ground
  double frequency = 50;          ///< Hz
  double resistance = 0.4, inductance = 0.8e-3;  ///< ohm, H: of the line, each
  double third = 0, fifth = 0;    ///< harmonics of its voltage, shares of the fundamental
  bool backwards = false;         ///< the phases turn a, c, b
  std::optional<double> closes_after = {};  ///< s from now that its switch stays open; unset: it is closed
  double angle = 0;               ///< rad of the first voltage, a sine, at the instant that the switch closes
  double carrier = 0, bus = 0;    ///< Hz, V: of an inverter; its ends lie half of the bus either side of ground
};

/// A source of high voltage that charges the capacitance of a bus. When everything goes off it empties the bus.
struct BusSetup {
  std::string pin;
  double voltage = 0;  ///< V
};

/// An output of the gate driver: rests low, and is high in its pulses. Without power it holds the gate off through a resistor.
struct GateSetup {
  std::string pin, against = {};  ///< against empty: ground; it floats with that
  double low = 0, high = 12;      ///< V
  double on_resistance = 10, off_resistance = 10;  ///< ohm in series while it turns on, and while it is off
  std::vector<std::pair<double, double>> pulses = {};  ///< s from now that each begins and ends
};

enum class LoadMode { current, resistance, power };
struct LoadSetup {
  std::string pin, against = {};
  LoadMode mode = LoadMode::current;
  double value = 0;  ///< A, ohm or W
  std::optional<double> steps_to = {};  ///< of a current: the other one that it goes to and fro between...
  double period = 0, edge = 0;          ///< ...s, half of it at each; s of a change
  bool sensed = true;  ///< it reads its voltage at the device's pins; else at its own terminals, behind its leads
};

/// Something that a device is told by hand or by a pin of its own, such as its switching frequency.
struct ToldQuantity {
  std::string name, unit;
};
/// What surrounds a device can always be set: degC.
inline constexpr std::string_view kTemperature = "temperature";

/// What a thermometer reads at a place of the device: degC, with its standard uncertainty.
struct TemperatureReading {
  double value = 0, u = 0;
};

/// When a record begins.
struct TriggerSetup {
  enum class Event {
    edge,      ///< through the level
    narrower,  ///< the end of a pulse beyond the level that was shorter than the width
    wider,     ///< the same of one that was longer
  };
  int input = 0;
  double level = 0;  ///< V at the input
  bool rising = true;  ///< an edge; of a pulse: it goes above the level, else below
  Event event = Event::edge;
  double width = 0;  ///< s
  double hysteresis = 0;     ///< V that the signal must first be away from the level; 0: 2 % of the range
  double hold_off = 0;       ///< s before the first edge counts
  double pre_trigger = 0.1;  ///< share of the record before the edge
  double time_out = 1;       ///< s
  /// Told now and then while nothing has come: lowest and highest of what was seen since the last time, V at the input.
  std::function<void(double low, double high)> waiting = {};
};

/// Counts as they left one converter; volts = offset-free counts * volts_per_count.
struct ChannelRecord {
  std::string pin;
  std::vector<std::int16_t> counts;
  double volts_per_count = 0;
  double range = 0;      ///< V peak
  int lowest_count = 0;  ///< the converter's ends: samples there are clipped
  int highest_count = 0;
  double u_gain = 0;    ///< relative standard uncertainty of the input's gain, from its data
  double u_delay = 0;   ///< s, standard uncertainty of its delay against the other inputs
  double u_offset = 0;  ///< V, standard uncertainty of its zero on this range
  int bits = 0;         ///< of codes that a converter of the device gave; 0: of an input

  std::vector<double> volts() const;
};

/// Samples of all inputs, taken together.
struct Capture {
  double sample_rate = 0;  ///< Hz
  std::vector<ChannelRecord> channels;
  std::optional<double> trigger_at;  ///< s after the first sample, where an edge began it
  double began = 0;                  ///< s from the last change of what drives to the first sample
  std::size_t lost = 0;              ///< samples that were lost before these, where a stretch follows another
};

/// Takes a long capture stretch by stretch as it comes: each has the counts of all inputs from where the last one ended,
/// and the whole record's rate, trigger and beginning. Its failure ends the capture.
using StretchSink = std::function<Result<void>(const Capture& stretch)>;

/// The generator as it can really be set.
struct AppliedDrive {
  double frequency = 0;     ///< Hz, after the generator's resolution
  double peak_to_peak = 0;  ///< V
  double offset = 0;        ///< V
};

/// How integers stand for volts, two's complement: those of a converter of the device, whose codes can be read.
struct Coding {
  int bits = 0;
  double full_scale = 0;  ///< V, peak amplitude of a sine that just fills it

  double step() const { return 2 * full_scale / double(1LL << bits); }
  /// Codes go from lowest() to highest(), both inside.
  int lowest() const { return -(1 << (bits - 1)); }
  int highest() const { return (1 << (bits - 1)) - 1; }
};

/// What a bench can do, for checks before anything is driven.
struct Limits {
  std::string name;              ///< "Simulated bench"
  double lowest_frequency = 0;   ///< Hz
  double highest_frequency = 0;  ///< Hz
  double highest_level_pp = 0;   ///< V, open circuit, offset included
  double lowest_level_pp = 0;    ///< V
  int source_measure_channels = 2;
  double source_measure_voltage = 0, source_measure_current = 0;  ///< V, A peak
  double source_measure_overhead = 0;                             ///< s that setting one value takes
  double source_measure_frequency = 0;                            ///< Hz, up to which its channel follows a sine
  double highest_sample_rate = 0;                                 ///< Hz
  std::vector<double> ranges;                                     ///< V peak, rising
  double overhead_per_point = 0;  ///< s that a real bench spends on setting up one point
  int inputs = 4;                 ///< how many there are
  InputLimits input;
  std::shared_ptr<const Limits> fast = {};  ///< the same of the fast digitiser; null: there is none
  bool paced = false;  ///< runs at the pace of a real bench
  double supply_voltage = 0, supply_current = 0;                   ///< V, A of the DC source
  double load_voltage = 0, load_current = 0, load_power = 0;       ///< V, A, W of the electronic load
  double lead_resistance = 0;                                      ///< ohm, of both leads together of the DC source and of the load
  double reading_time = 0;                                         ///< s of one reading of theirs
  double thermometer_time = 0;                                     ///< s of a reading of the thermometer
  double surge_voltage = 0, least_surge_resistance = 0;            ///< V open circuit, ohm
  double mains_voltage = 0;                                        ///< V rms, of each phase of the mains source
  double inverter_bus = 0, highest_carrier = 0;                    ///< V, Hz
  double bus_voltage = 0, bus_current = 0;                         ///< V, A that it charges with
  double gate_lowest = 0, gate_highest = 0, least_gate_resistance = 0, least_dead_time = 0;  ///< V, V, ohm, s of the gate driver

  /// With the inputs of that digitiser; as they are where there is no other.
  const Limits& of(Digitiser which) const { return which == Digitiser::fast && fast ? *fast : *this; }
};

class Bench;
/// Everything off, however a run ends.
struct AtRest {
  Bench& bench;
  ~AtRest();
};

/// One bench in use by one runner. Calls block; those that can be long take a stop token and then fail with
/// Fault::stopped.
class Bench {
 public:
  virtual ~Bench() = default;
  Bench() = default;
  Bench(const Bench&) = delete;
  Bench& operator=(const Bench&) = delete;

  virtual Limits limits() const = 0;

  /// Puts one input of a digitiser to each pin, in this order. Call before the first drive.
  virtual Result<void> connect(const std::vector<InputSetup>& inputs, Digitiser digitiser = Digitiser::accurate) = 0;

  /// Starts or changes the drive. Refuses (Fault::bench) what the generator cannot do or a pin's rating forbids.
  virtual Result<AppliedDrive> drive(const ToneDrive& drive) = 0;

  virtual Result<void> wait(double seconds, std::stop_token stop) = 0;

  /// A waveform of any shape on one generator; refuses what it cannot give.
  virtual Result<void> generate(const GeneratorSetup& setup) = 0;

  /// A source-measure channel on, or changed.
  virtual Result<void> source(const SourceMeasureSetup& setup) = 0;
  /// Its reading after `delay`, averaged over `aperture`, both in s.
  virtual Result<SourceReading> measure(int channel, double delay, double aperture, std::stop_token stop) = 0;

  virtual Result<void> supply(const SupplySetup& setup) = 0;
  virtual Result<void> mains(const MainsSetup& setup) = 0;
  /// A surge, once; refuses what the generator cannot give or a pin's rating forbids.
  virtual Result<void> surge(const SurgeSetup& setup) = 0;
  /// A contact of the device changes; from then on it stays so until everything is off.
  virtual Result<void> operate(const ContactSetup& setup) = 0;
  virtual Result<void> load(const LoadSetup& setup) = 0;
  /// Charges the bus to a voltage, or on to another; it takes its time. Refuses what a pin's rating forbids.
  virtual Result<void> charge(const BusSetup& setup) = 0;
  /// The gate driver's outputs, all at once. Refuses two that would be on together.
  virtual Result<void> gates(const std::vector<GateSetup>& setups) = 0;
  /// What the bus reads, also while it is being emptied: V with its standard uncertainty, averaged over `aperture` s.
  virtual Result<SourceReading> read_bus(double aperture, std::stop_token stop) = 0;
  /// What the DC source and the load read themselves, averaged over `aperture` s; `at_compliance`: the current limit holds.
  virtual Result<SourceReading> read_supply(double aperture, std::stop_token stop) = 0;
  virtual Result<SourceReading> read_load(double aperture, std::stop_token stop) = 0;
  /// What the thermometer reads at a place of the device.
  virtual Result<TemperatureReading> read_temperature(std::string_view place, std::stop_token stop) = 0;
  /// Sets what the device is told; it stays so when everything goes off.
  virtual Result<void> tell(std::string_view quantity, double value) = 0;

  /// Reads `samples` samples from every connected input at the nearest rate the converter has.
  /// @param sink  takes them as they come, so that memory stays flat; what is returned has no counts then
  virtual Result<Capture> capture(double sample_rate, int samples, std::stop_token stop, const StretchSink& sink = {}) = 0;

  /// The same from an edge or a pulse on. Where none comes in time: the samples of that moment, without `trigger_at`.
  virtual Result<Capture> capture_on(const TriggerSetup& trigger, double sample_rate, int samples, std::stop_token stop,
                                     const StretchSink& sink = {}) = 0;

  /// The nearest rate that the connected inputs' converter has.
  virtual double nearest_rate(double sample_rate) const = 0;

  /// Everything that drives off; safe to call at any time.
  virtual void off() = 0;

  /// Seconds that the work so far took on the bench.
  virtual double elapsed() const = 0;
};

inline AtRest::~AtRest() { bench.off(); }

}  // namespace heron::bench
