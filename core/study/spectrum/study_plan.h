#pragma once
#include "study/plan.h"
#include "study/spectrum/plan.h"

namespace heron::study::spectrum {

/// A plan of spectra as the rest of the program sees it.
class PlannedSpectrum final : public study::Plan {
 public:
  explicit PlannedSpectrum(spectrum::Plan plan) : plan_(std::move(plan)) {}
  const spectrum::Plan& plan() const { return plan_; }

  nlohmann::json to_json() const override;
  std::vector<BriefPiece> brief() const override;
  Result<PlanPtr> with(std::string_view key, std::string_view text, const Surroundings& around) const override;
  BriefHint hint(std::string_view key, const Surroundings& around) const override;
  std::vector<Lead> leads() const override;
  const bench::Hookup* hookup() const override { return &plan_.hookup; }
  int points(const bench::Limits&) const override { return int(plan_.steps().size()); }
  double seconds(const bench::Limits&) const override { return plan_.seconds(); }
  std::string time_sentence(const bench::Limits& limits) const override;
  std::optional<bench::Levels> predict(const Surroundings& around) const override;
  std::vector<Doubt> preflight(const Surroundings& around, const bench::Levels* levels) const override;
  Result<void> run(bench::Bench& bench, const RunContext& context) const override;
  Repeat repeat() const override { return plan_.repeat; }
  std::vector<StandIn> stand_ins() const override;
  Remedy remedy(const Doubt& doubt) const override;

 private:
  spectrum::Plan plan_;
};

Result<PlanPtr> planned(const nlohmann::json& kept);
Result<PlanPtr> first_plan(const Surroundings& around);

}  // namespace heron::study::spectrum
