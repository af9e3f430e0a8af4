#pragma once
#include "study/plan.h"
#include "study/power/plan.h"

namespace heron::study::power {

/// A plan of power as all the rest of the program sees it.
class PlannedPower final : public study::Plan {
 public:
  explicit PlannedPower(power::Plan plan) : plan_(std::move(plan)) {}

  const power::Plan& plan() const { return plan_; }

  nlohmann::json to_json() const override { return power::to_json(plan_); }
  std::vector<BriefPiece> brief() const override;
  Result<PlanPtr> with(std::string_view key, std::string_view text, const Surroundings& around) const override;
  BriefHint hint(std::string_view key, const Surroundings& around) const override;
  std::vector<Lead> leads() const override;
  const bench::Hookup* hookup() const override { return &plan_.hookup; }
  int points(const bench::Limits&) const override { return plan_.method == Method::cycles ? plan_.readings : plan_.method == Method::recording ? 0 : 1; }
  double seconds(const bench::Limits&) const override { return plan_.seconds(); }
  std::string time_sentence(const bench::Limits& limits) const override;
  std::vector<Doubt> preflight(const Surroundings& around, const bench::Levels* levels) const override;
  Result<void> run(bench::Bench& bench, const RunContext& context) const override;
  Repeat repeat() const override { return plan_.repeat; }
  std::vector<Offer> procedures() const override;

 private:
  power::Plan plan_;
};

Result<PlanPtr> planned(const nlohmann::json& kept);
Result<PlanPtr> first_plan(const Surroundings& around);

}  // namespace heron::study::power
