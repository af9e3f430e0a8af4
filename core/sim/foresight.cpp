#include "sim/foresight.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "sim/predict.h"
#include "sim/simulated_bench.h"

namespace heron::sim {
namespace {

class CircuitForesight final : public bench::Foresight {
 public:
  /// @param solved  what is asked; draws are made of `nominal`
  CircuitForesight(Circuit solved, std::shared_ptr<const Circuit> nominal, std::map<std::string, double> fitted)
      : solved_(std::move(solved)), nominal_(std::move(nominal)), fitted_(std::move(fitted)) {}

  Result<bench::Levels> levels(const bench::ToneDrive& drive, const std::vector<bench::Chain>& chains,
                               const std::vector<double>& frequencies) const override {
    return predict_levels(solved_, drive, chains, frequencies);
  }

  Result<std::map<std::string, std::vector<std::complex<double>>>> answers(
      const bench::ToneDrive& drive, const std::vector<bench::Chain>& chains,
      const std::vector<double>& frequencies) const override {
    return small_signal_answers(solved_, drive, chains, frequencies);
  }

  Result<std::map<std::string, double>> surge_peaks(const bench::SurgeSetup& surge,
                                                    const std::vector<bench::Chain>& chains) const override {
    // The front closely, for what gets through before a clamp holds; then all of it.
    constexpr double kFronts = 20, kTails = 5;
    std::map<std::string, double> out;
    for (const double seconds : {kFronts * surge.front, kTails * surge.tail}) {
      const auto peaks = peaks_within(surge, chains, seconds);
      if (!peaks) return peaks;
      for (const auto& [name, peak] : *peaks) out[name] = std::max(out[name], peak);
    }
    return out;
  }

  Result<std::shared_ptr<const Foresight>> drawn(int draw) const override {
    auto start = *nominal_;
    if (draw == 0)
      for (auto& part : start.parts)
        for (auto& [name, value] : part.values) value.tolerance = 0;
    auto built = as_built(start, fmt::format("draw {}", draw), fitted_);
    if (!built) return tl::unexpected(built.error());
    return std::make_shared<const CircuitForesight>(std::move(*built), nominal_, fitted_);
  }

  Result<std::shared_ptr<const Foresight>> replaced_by(const std::string& standard,
                                                       double load_resistance) const override {
    auto bare = with_standard(solved_, standard, load_resistance);
    if (!bare) return tl::unexpected(bare.error());
    return std::make_shared<const CircuitForesight>(std::move(*bare), nominal_, fitted_);
  }

  std::map<std::string, double> values() const override {
    std::map<std::string, double> out;
    for (const auto& [name, value] : main_values(solved_)) out[name] = value.value;
    return out;
  }

 private:
  /// Read by inputs without errors of their own, on ranges that hold what comes and show it well.
  Result<std::map<std::string, double>> peaks_within(const bench::SurgeSetup& surge, const std::vector<bench::Chain>& chains,
                                                     double seconds) const {
    constexpr int kSamples = 6000, kLooks = 6;
    std::map<std::string, double> out;
    double range = 1e4;
    for (int look = 0; look < kLooks; ++look) {
      const std::array<double, 1> own = {range};
      BenchData data;
      data.input.ranges = own;
      data.input.highest = 1e9;
      data.input.highest_sample_rate = kSamples / seconds;
      data.input.u_gain = data.input.u_offset = data.input.range_noise = 0;
      SimulatedBench bench(solved_, 1, data);
      std::vector<bench::InputSetup> inputs;
      for (const auto& chain : chains) {
        auto& input = inputs.emplace_back(chain.input);
        input.range = range;
        input.sensor.noise = input.sensor.offset = input.sensor.u_factor = 0;
        // What somebody fitted wrongly is not known beforehand.
        input.planted.reset();
      }
      if (auto ok = bench.connect(inputs); !ok) return tl::unexpected(ok.error());
      if (auto ok = bench.surge(surge); !ok) return tl::unexpected(ok.error());
      const auto seen = bench.capture(data.input.highest_sample_rate, kSamples, {});
      if (!seen) return tl::unexpected(seen.error());
      double highest = 0;
      for (std::size_t k = 0; k < chains.size(); ++k) {
        double peak = 0;
        for (const double v : seen->channels[k].volts()) peak = std::max(peak, std::abs(v));
        highest = std::max(highest, peak);
        out[chains[k].name] = peak * std::abs(bench::sensing_of(chains[k]).per_volt);
      }
      if (highest > range / 20) break;
      range = highest > range / 1000 ? 2 * highest : range / 100;
    }
    return out;
  }

  Circuit solved_;
  std::shared_ptr<const Circuit> nominal_;
  std::map<std::string, double> fitted_;
};

}  // namespace

std::shared_ptr<const bench::Foresight> foresight_of(Circuit nominal, std::map<std::string, double> fitted) {
  auto solved = nominal;
  // What a unit drew within its tolerances nobody knows beforehand; what is known to be fitted is.
  for (const auto& [name, value] : fitted)
    for (auto& part : solved.parts)
      if (part.name == name && part.values.contains("value")) part.values["value"].value = value;
  return std::make_shared<const CircuitForesight>(std::move(solved),
                                                  std::make_shared<const Circuit>(std::move(nominal)), std::move(fitted));
}

}  // namespace heron::sim
