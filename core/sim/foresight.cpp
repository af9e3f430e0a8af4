#include "sim/foresight.h"

#include <fmt/format.h>

#include "sim/predict.h"

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
