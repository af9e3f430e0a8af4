#pragma once
#include "sim/simulated_bench.h"

/// A bench that hands everything on to a simulated one and notes what it was asked, in order.
namespace heron::test {

class NotingBench final : public bench::Bench {
 public:
  NotingBench(sim::Circuit circuit, std::uint64_t seed, sim::BenchData data = {}, bool paced = false)
      : inner_(std::move(circuit), seed, std::move(data), paced) {}

  std::vector<std::string> calls;
  std::vector<std::vector<bench::InputSetup>> connected;
  std::vector<bench::Digitiser> digitisers;
  std::vector<bench::GeneratorSetup> generated;
  std::vector<bench::SupplySetup> supplied;
  std::vector<bench::SurgeSetup> surged;
  std::vector<bench::ContactSetup> operated;
  std::vector<bench::MainsSetup> fed;
  std::vector<bench::TriggerSetup> triggers;
  std::vector<double> waited;  ///< s
  struct Captured {
    double rate = 0;
    int samples = 0;
    bool in_stretches = false;
  };
  std::vector<Captured> captured;
  std::function<Result<void>(const std::string& call)> before = {};  ///< may let a call fail
  std::function<void(bench::Capture& stretch)> on_stretch = {};      ///< may change what comes of a long capture
  std::function<void(bench::TemperatureReading& reading)> on_temperature = {};  ///< may change what is read
  std::vector<bench::LoadSetup> loaded;
  std::vector<bench::SourceMeasureSetup> sourced;
  std::vector<std::pair<std::string, double>> told;

  bench::Limits limits() const override { return inner_.limits(); }
  Result<void> connect(const std::vector<bench::InputSetup>& inputs, bench::Digitiser digitiser) override {
    connected.push_back(inputs);
    digitisers.push_back(digitiser);
    if (auto ok = note("connect"); !ok) return ok;
    return inner_.connect(inputs, digitiser);
  }
  Result<bench::AppliedDrive> drive(const bench::ToneDrive& drive) override {
    if (auto ok = note("drive"); !ok) return tl::unexpected(ok.error());
    return inner_.drive(drive);
  }
  Result<void> generate(const bench::GeneratorSetup& setup) override {
    generated.push_back(setup);
    if (auto ok = note("generate"); !ok) return ok;
    return inner_.generate(setup);
  }
  Result<void> source(const bench::SourceMeasureSetup& setup) override {
    sourced.push_back(setup);
    if (auto ok = note("source"); !ok) return ok;
    return inner_.source(setup);
  }
  Result<bench::SourceReading> measure(int channel, double delay, double aperture, std::stop_token stop) override {
    return inner_.measure(channel, delay, aperture, stop);
  }
  Result<void> supply(const bench::SupplySetup& setup) override {
    supplied.push_back(setup);
    if (auto ok = note("supply"); !ok) return ok;
    return inner_.supply(setup);
  }
  Result<void> mains(const bench::MainsSetup& setup) override {
    fed.push_back(setup);
    if (auto ok = note("mains"); !ok) return ok;
    return inner_.mains(setup);
  }
  Result<void> load(const bench::LoadSetup& setup) override {
    loaded.push_back(setup);
    if (auto ok = note("load"); !ok) return ok;
    return inner_.load(setup);
  }
  Result<void> charge(const bench::BusSetup& setup) override {
    if (auto ok = note("charge"); !ok) return ok;
    return inner_.charge(setup);
  }
  Result<void> gates(const std::vector<bench::GateSetup>& setups) override {
    if (auto ok = note("gates"); !ok) return ok;
    return inner_.gates(setups);
  }
  Result<bench::SourceReading> read_bus(double aperture, std::stop_token stop) override { return inner_.read_bus(aperture, stop); }
  Result<bench::SourceReading> read_supply(double aperture, std::stop_token stop) override { return inner_.read_supply(aperture, stop); }
  Result<bench::SourceReading> read_load(double aperture, std::stop_token stop) override { return inner_.read_load(aperture, stop); }
  Result<bench::TemperatureReading> read_temperature(std::string_view place, std::stop_token stop) override {
    if (auto ok = note("read_temperature"); !ok) return tl::unexpected(ok.error());
    auto out = inner_.read_temperature(place, stop);
    if (out && on_temperature) on_temperature(*out);
    return out;
  }
  Result<void> tell(std::string_view quantity, double value) override {
    told.emplace_back(quantity, value);
    if (auto ok = note("tell"); !ok) return ok;
    return inner_.tell(quantity, value);
  }
  Result<void> surge(const bench::SurgeSetup& setup) override {
    surged.push_back(setup);
    if (auto ok = note("surge"); !ok) return ok;
    return inner_.surge(setup);
  }
  Result<void> operate(const bench::ContactSetup& setup) override {
    operated.push_back(setup);
    if (auto ok = note("operate"); !ok) return ok;
    return inner_.operate(setup);
  }
  Result<void> wait(double seconds, std::stop_token stop) override {
    waited.push_back(seconds);
    if (auto ok = note("wait"); !ok) return ok;
    return inner_.wait(seconds, stop);
  }
  Result<bench::Capture> capture(double sample_rate, int samples, std::stop_token stop, const bench::StretchSink& sink) override {
    captured.push_back({sample_rate, samples, bool(sink)});
    if (auto ok = note("capture"); !ok) return tl::unexpected(ok.error());
    if (!sink || !on_stretch) return inner_.capture(sample_rate, samples, stop, sink);
    return inner_.capture(sample_rate, samples, stop, [&](const bench::Capture& stretch) {
      auto changed = stretch;
      on_stretch(changed);
      return sink(changed);
    });
  }
  Result<bench::Capture> capture_on(const bench::TriggerSetup& trigger, double sample_rate, int samples, std::stop_token stop,
                                    const bench::StretchSink& sink) override {
    triggers.push_back(trigger);
    captured.push_back({sample_rate, samples, bool(sink)});
    if (auto ok = note("capture_on"); !ok) return tl::unexpected(ok.error());
    return inner_.capture_on(trigger, sample_rate, samples, stop, sink);
  }
  double nearest_rate(double sample_rate) const override { return inner_.nearest_rate(sample_rate); }
  void off() override {
    calls.push_back("off");
    inner_.off();
  }
  double elapsed() const override { return inner_.elapsed(); }

 private:
  Result<void> note(const std::string& call) {
    calls.push_back(call);
    return before ? before(call) : Result<void>{};
  }

  sim::SimulatedBench inner_;
};

}  // namespace heron::test
