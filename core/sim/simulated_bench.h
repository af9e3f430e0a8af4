#pragma once
#include <map>
#include <memory>
#include <random>

#include "bench/bench.h"
#include "sim/circuit.h"
#include "sim/instruments.h"
#include "sim/periodic.h"

namespace heron::sim {

/// A bench of a generator and digitising inputs around a solved circuit.
///
/// Source resistance, input loading and the inputs' bandwidth are parts of the circuit that is solved. Offsets, gain
/// errors and delays belong to the seeded instruments; noise is drawn from the same seed, so a take repeats bit for
/// bit.
class SimulatedBench final : public bench::Bench {
 public:
  SimulatedBench(Circuit circuit, std::uint64_t seed, GeneratorData generator = {}, InputData input = {});
  ~SimulatedBench() override;

  bench::Limits limits() const override;
  Result<void> connect(const std::vector<bench::InputSetup>& inputs) override;
  Result<bench::AppliedDrive> drive(const bench::ToneDrive& drive) override;
  Result<void> wait(double seconds, std::stop_token stop) override;
  Result<bench::Capture> capture(double sample_rate, int samples, std::stop_token stop) override;
  double nearest_rate(double sample_rate) const override;
  void off() override;
  double elapsed() const override { return elapsed_; }

 private:
  struct Wired;  ///< the network as driven and sensed now

  Result<void> wire();
  void choose_ranges(const std::vector<std::vector<double>>& volts, bool& look_again);
  Result<std::vector<std::vector<double>>> solve_inputs(double rate, int samples, std::stop_token stop);
  bench::ChannelRecord digitise(const std::string& pin, std::size_t input, double range,
                                const std::vector<double>& volts);

  Circuit circuit_;
  std::uint64_t seed_;
  GeneratorData generator_;
  InputData input_;
  std::mt19937_64 noise_;
  double elapsed_ = 0;

  bool driving_ = false;
  bench::ToneDrive drive_;
  double phase_ = 0;  ///< rad at circuit time 0, so that a change of frequency leaves no jump
  double circuit_time_ = 0;
  std::vector<bench::InputSetup> inputs_;
  std::vector<double> ranges_;  ///< as set now, one an input
  std::unique_ptr<Wired> wired_;
  State state_;  ///< of the circuit where the last drive left it; empty before the first
};

}  // namespace heron::sim
