#pragma once
#include "study/plan.h"
#include "study/switching/plan.h"

namespace heron::study::switching {

/// A plan of pulses as all the rest of the program sees it.
class PlannedSwitching final : public study::Plan {
 public:
  explicit PlannedSwitching(switching::Plan plan) : plan_(std::move(plan)) {}

  const switching::Plan& plan() const { return plan_; }

  nlohmann::json to_json() const override { return switching::to_json(plan_); }
  std::vector<BriefPiece> brief() const override;
  Result<PlanPtr> with(std::string_view key, std::string_view text, const Surroundings& around) const override;
  BriefHint hint(std::string_view key, const Surroundings& around) const override;
  std::vector<Lead> leads() const override;
  const bench::Hookup* hookup() const override { return &plan_.hookup; }
  TimeCourse course(const bench::Limits& limits) const override;
  int points(const bench::Limits&) const override { return int(plan_.steps().size()) * plan_.shots; }
  double seconds(const bench::Limits& limits) const override { return plan_.seconds(limits); }
  std::string time_sentence(const bench::Limits& limits) const override;
  std::vector<Doubt> preflight(const Surroundings& around, const bench::Levels* levels) const override;
  Result<void> run(bench::Bench& bench, const RunContext& context) const override;
  Repeat repeat() const override { return plan_.repeat; }
  std::string arms() const override;
  Remedy remedy(const Doubt& doubt) const override;

 private:
  switching::Plan plan_;
};

Result<PlanPtr> planned(const nlohmann::json& kept);
Result<PlanPtr> first_plan(const Surroundings& around);

}  // namespace heron::study::switching
