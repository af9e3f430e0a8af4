#pragma once
#include <chrono>
#include <map>
#include <memory>
#include <optional>
#include <random>

#include "bench/bench.h"
#include "sim/circuit.h"
#include "sim/digitiser.h"
#include "sim/impurity.h"
#include "sim/instruments.h"
#include "sim/periodic.h"

namespace heron::sim {

/// A bench of generators, sources, a load and digitising inputs around a solved circuit.
///
/// Source resistance, sensors, input loading and bandwidth, and every limit of the sources are parts of the circuit
/// that is solved. Offsets, gain errors and delays belong to the seeded instruments; noise is drawn from the same seed,
/// so a take repeats bit for bit.
class SimulatedBench : public bench::Bench {
 public:
  /// @param paced  false: as fast as it computes; true: no faster than a real bench would be
  SimulatedBench(Circuit circuit, std::uint64_t seed, BenchData data = {}, bool paced = false);
  ~SimulatedBench() override;

  bench::Limits limits() const override;
  Result<void> connect(const std::vector<bench::InputSetup>& inputs,
                       bench::Digitiser digitiser = bench::Digitiser::accurate) override;
  Result<bench::AppliedDrive> drive(const bench::ToneDrive& drive) override;
  Result<void> generate(const bench::GeneratorSetup& setup) override;
  Result<void> source(const bench::SourceMeasureSetup& setup) override;
  Result<bench::SourceReading> measure(int channel, double delay, double aperture, std::stop_token stop) override;
  Result<void> supply(const bench::SupplySetup& setup) override;
  Result<void> mains(const bench::MainsSetup& setup) override;
  Result<void> load(const bench::LoadSetup& setup) override;
  Result<void> charge(const bench::BusSetup& setup) override;
  Result<void> gates(const std::vector<bench::GateSetup>& setups) override;
  Result<bench::SourceReading> read_bus(double aperture, std::stop_token stop) override;
  Result<bench::SourceReading> read_supply(double aperture, std::stop_token stop) override;
  Result<bench::SourceReading> read_load(double aperture, std::stop_token stop) override;
  Result<bench::TemperatureReading> read_temperature(std::string_view place, std::stop_token stop) override;
  Result<void> tell(std::string_view quantity, double value) override;
  Result<void> surge(const bench::SurgeSetup& setup) override;
  Result<void> operate(const bench::ContactSetup& setup) override;
  Result<void> wait(double seconds, std::stop_token stop) override;
  Result<bench::Capture> capture(double sample_rate, int samples, std::stop_token stop,
                                 const bench::StretchSink& sink = {}) override;
  Result<bench::Capture> capture_on(const bench::TriggerSetup& trigger, double sample_rate, int samples,
                                    std::stop_token stop, const bench::StretchSink& sink = {}) override;
  double nearest_rate(double sample_rate) const override;
  void off() override;
  double elapsed() const override { return elapsed_; }

 private:
  struct Wired;  ///< the network as driven and sensed now
  using Samples = std::vector<std::vector<double>>;

  Result<void> allow(const std::string& pin, double above, double below) const;
  Result<void> check_channel(const bench::SourceMeasureSetup& setup) const;
  Result<bench::AppliedDrive> force_tone(const bench::ToneDrive& wanted);
  bench::AppliedDrive put_tone(const bench::ToneDrive& set, double setting_time);
  Result<std::string> node_of(const std::string& pin) const;
  Result<void> add_sources(Circuit& whole) const;
  void add_events(Circuit& whole) const;
  void add_mains(Circuit& whole) const;
  void add_bus(Circuit& whole) const;
  void change();
  Result<void> wire();
  double dense_corners() const;
  Result<void> run(double seconds, double longest_step, const Transient::Observer& observe, std::stop_token stop);
  Result<void> look_for_ranges(double rate, std::stop_token stop);
  /// Samples that follow each other without a gap, however many calls they come in.
  struct Stream {
    double start = 0;                ///< circuit time of the first sample, but for half a step and an input's delay
    double rate = 0;
    std::vector<double> delays;      ///< s, of each input
    Samples rows;                    ///< read ahead of what was asked
    std::vector<std::size_t> taken;  ///< samples of each input that are read so far
    std::size_t asked = 0;
    double longest_step = 0;         ///< s, of the solver
  };
  Stream begin_stream(double rate, bool very_long = false);
  /// The next so many samples of every input.
  Result<Samples> continue_stream(Stream& stream, int samples, std::stop_token stop);
  Result<Samples> solve_inputs(double rate, int samples, std::stop_token stop);
  /// Circuit time of the first sample of an input that is neither early nor late.
  static double first_sample(const Stream& stream) { return stream.start + 0.5 / stream.rate; }
  Result<void> protect(const std::vector<double>& peak, const std::vector<double>& mean_square);
  /// @param first  circuit time of the first of them
  bench::ChannelRecord digitise(std::size_t k, const std::vector<double>& volts, double rate, double first);
  /// What every generator that gives a sine gives besides.
  std::vector<Impurity> impurities() const;
  /// What has been solved as counts: into the capture, or to whoever takes it as it comes.
  /// @param first  circuit time of the first sample of the rows
  Result<void> hand_over(bench::Capture& capture, const Samples& rows, double first, const bench::StretchSink& sink,
                         std::stop_token stop);
  const InputData& input_data() const { return fast_ ? data_.fast : data_.input; }
  const Digitiser& digitiser() const { return fast_ ? fast_digitiser_ : digitiser_; }
  void keep_pace(std::stop_token stop) const;
  double own_error(std::uint64_t a, std::uint64_t b);
  void add_load(Circuit& whole) const;
  static constexpr const char *kSupply = "bench:supply", *kSupplyHigh = "bench:supply high", *kSupplyLow = "bench:supply low";
  static constexpr const char *kLoadAmmeter = "bench:load ammeter", *kLoadHigh = "bench:load high", *kLoadLow = "bench:load low";
  static constexpr double kReadingTime = 20e-3;  ///< s of a reading of the DC source or the load
  /// Means over the aperture of a voltage between two unknowns and of a current.
  struct Means {
    double voltage = 0, current = 0;
  };
  Result<Means> means_over(int plus, int minus, int ammeter, double aperture, std::stop_token stop);
  /// What an instrument says of what is there.
  struct Reads {
    double u_gain_voltage, u_offset_voltage, noise_voltage, u_gain_current, u_offset_current, noise_current;
  };
  bench::SourceReading reading_of(const Means& truth, const Reads& reads, double aperture, std::uint64_t instrument);

  Circuit circuit_;
  std::uint64_t seed_;
  BenchData data_;
  bool paced_;
  Digitiser digitiser_, fast_digitiser_;
  bool fast_ = false;  ///< the fast inputs are connected
  std::mt19937_64 noise_;
  double elapsed_ = 0;
  std::chrono::steady_clock::time_point started_;

  std::optional<bench::ToneDrive> tone_;
  double phase_ = 0;  ///< rad at circuit time 0, so that a change of frequency leaves no jump
  std::map<int, bench::GeneratorSetup> generators_;
  std::map<int, bench::SourceMeasureSetup> sources_;
  std::map<int, double> source_starts_;                                   ///< V or A that the output slews from
  std::map<int, double> source_ranges_;                                   ///< A, as chosen last
  std::map<std::pair<std::uint64_t, std::uint64_t>, double> own_errors_;  ///< fixed_error() of this bench, once asked
  std::optional<bench::SupplySetup> supply_;
  std::optional<bench::SurgeSetup> surge_;
  std::optional<bench::MainsSetup> mains_;
  std::map<std::string, Waveform> contacts_;  ///< that were operated: 0 open, 1 closed, bounce included
  std::optional<bench::LoadSetup> load_;
  std::optional<bench::BusSetup> bus_;
  bool empties_ = false;  ///< the bus, since everything went off
  std::vector<bench::GateSetup> gates_;
  bool gates_powered_ = false;
  std::vector<bench::InputSetup> inputs_;
  std::vector<double> ranges_;  ///< as set now, one an input
  std::unique_ptr<Wired> wired_;
  std::map<std::string, double> resting_;  ///< unknowns where the last set-up left them; empty before the first
};

}  // namespace heron::sim
