#pragma once
#include "study/plan.h"
#include "study/waveform/plan.h"

namespace heron::study::waveform {

/// A waveform plan as the rest of the program sees it.
class PlannedCapture final : public study::Plan {
 public:
  explicit PlannedCapture(waveform::Plan plan) : plan_(std::move(plan)) {}
  const waveform::Plan& plan() const { return plan_; }

  nlohmann::json to_json() const override;
  std::vector<BriefPiece> brief() const override;
  Result<PlanPtr> with(std::string_view key, std::string_view text, const Surroundings& around) const override;
  BriefHint hint(std::string_view key, const Surroundings& around) const override;
  std::vector<Lead> leads() const override;
  const bench::Hookup* hookup() const override { return &plan_.hookup; }
  TimeCourse course(const bench::Limits& limits) const override;
  int points(const bench::Limits&) const override { return plan_.keep == Keep::tripped ? 1 : plan_.passes; }
  double seconds(const bench::Limits&) const override;
  std::string time_sentence(const bench::Limits& limits) const override;
  std::optional<bench::Levels> predict(const Surroundings& around) const override;
  std::vector<Doubt> preflight(const Surroundings& around, const bench::Levels* levels) const override;
  Result<ExpectedPtr> expected(const Surroundings& around, std::stop_token stop) const override;
  Result<void> run(bench::Bench& bench, const RunContext& context) const override;
  Repeat repeat() const override { return plan_.repeat; }
  Remedy remedy(const Doubt& doubt) const override;
  std::string arms() const override;

 private:
  waveform::Plan plan_;
};

Result<PlanPtr> planned(const nlohmann::json& kept);
Result<PlanPtr> first_plan(const Surroundings& around);

}  // namespace heron::study::waveform
