#pragma once
#include "study/iv/plan.h"
#include "study/plan.h"

namespace heron::study::iv {

/// A plan of current against voltage as the rest of the program holds it.
class PlannedSweep final : public study::Plan {
 public:
  explicit PlannedSweep(iv::Plan plan) : plan_(std::move(plan)) {}

  const iv::Plan& plan() const { return plan_; }

  nlohmann::json to_json() const override;
  std::vector<BriefPiece> brief() const override;
  Result<PlanPtr> with(std::string_view key, std::string_view text, const Surroundings& around) const override;
  BriefHint hint(std::string_view key, const Surroundings& around) const override;
  std::vector<Lead> leads() const override;
  const bench::Hookup* hookup() const override;
  std::optional<Alternative> by_inputs() const override;
  TimeCourse course(const bench::Limits& limits) const override;
  int points(const bench::Limits& limits) const override;
  double seconds(const bench::Limits& limits) const override;
  std::string time_sentence(const bench::Limits& limits) const override;
  std::vector<Doubt> preflight(const Surroundings& around, const bench::Levels* levels) const override;
  Result<void> run(bench::Bench& bench, const RunContext& context) const override;
  std::string only_whole() const override;
  Remedy remedy(const Doubt& doubt) const override;
  std::vector<Offer> procedures() const override;
  std::vector<StandIn> stand_ins() const override;

 private:
  iv::Plan plan_;
};

Result<PlanPtr> planned(const nlohmann::json& kept);
Result<PlanPtr> first_plan(const Surroundings& around);

/// Slows the sweep down by four each time, until the loop between its ways is closed or it is clear that it will not.
Offer slow_until_closed();
/// Finds the compliance that an unknown device needs, from far below the plan's on.
Offer from_small(const iv::Plan& plan);

}  // namespace heron::study::iv
