#pragma once
#include "study/plan.h"
#include "study/response/plan.h"

namespace heron::study::response {

/// A response's plan as the rest of the program holds it.
class PlannedResponse final : public study::Plan {
 public:
  explicit PlannedResponse(response::Plan plan) : plan_(std::move(plan)) {}

  const response::Plan& plan() const { return plan_; }

  nlohmann::json to_json() const override;
  std::vector<BriefPiece> brief() const override;
  Result<PlanPtr> with(std::string_view key, std::string_view text, const Surroundings& around) const override;
  BriefHint hint(std::string_view key, const Surroundings& around) const override;
  std::vector<Lead> leads() const override;
  const bench::Hookup* hookup() const override { return &plan_.hookup; }
  int points(const bench::Limits&) const override;
  double seconds(const bench::Limits& limits) const override;
  std::string time_sentence(const bench::Limits& limits) const override;
  std::optional<bench::Levels> predict(const Surroundings& around) const override;
  std::vector<Doubt> preflight(const Surroundings& around, const bench::Levels* levels) const override;
  Result<ExpectedPtr> expected(const Surroundings& around, std::stop_token stop) const override;
  Result<void> run(bench::Bench& bench, const RunContext& context) const override;
  Repeat repeat() const override { return plan_.repeat; }
  std::string only_whole() const override;
  Remedy remedy(const Doubt& doubt) const override;
  std::vector<StandIn> stand_ins() const override;
  bool reads_impedance() const override { return plan_.quantity == Quantity::impedance; }

 private:
  response::Plan plan_;
};

Result<PlanPtr> planned(const nlohmann::json& kept);
Result<PlanPtr> first_plan(const Surroundings& around);

}  // namespace heron::study::response
