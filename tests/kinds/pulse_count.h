#pragma once
#include "study/kind.h"
#include "study/plan.h"
#include "study/word_table.h"

/// A kind of study that nobody ships: bursts of pulses are driven, and how often the device's answer crosses a threshold
/// is counted. It is registered by tests alone and shows what a kind needs.
namespace heron::pulse_count {

inline constexpr const char* kName = "pulse count";

struct Plan {
  std::string drive_pin;
  bench::Hookup hookup;    ///< of the one quantity that is sensed
  int most = 6;            ///< bursts of 1 to so many pulses
  double period = 1e-3;    ///< s from pulse to pulse
  double level = 1;        ///< V, open circuit
  double threshold = 0.4;  ///< V
};
const study::WordTable<Plan>& words();

/// How often each burst's answer rose through the threshold.
struct Counts {
  std::vector<int> pulses, crossings;
};

class PlannedBursts final : public study::Plan {
 public:
  explicit PlannedBursts(pulse_count::Plan plan) : plan_(std::move(plan)) {}
  const pulse_count::Plan& plan() const { return plan_; }

  nlohmann::json to_json() const override { return words().to_json(plan_); }
  std::vector<study::BriefPiece> brief() const override;
  Result<study::PlanPtr> with(std::string_view key, std::string_view text, const study::Surroundings& around) const override;
  study::BriefHint hint(std::string_view key, const study::Surroundings& around) const override;
  std::vector<study::Lead> leads() const override;
  const bench::Hookup* hookup() const override { return &plan_.hookup; }
  int points(const bench::Limits&) const override { return plan_.most; }
  double seconds(const bench::Limits&) const override { return plan_.period * plan_.most * (plan_.most + 3) / 2; }
  std::string time_sentence(const bench::Limits& limits) const override;
  std::vector<study::Doubt> preflight(const study::Surroundings& around, const bench::Levels* levels) const override;
  Result<void> run(bench::Bench& bench, const study::RunContext& context) const override;
  study::Remedy remedy(const study::Doubt& doubt) const override;

 private:
  pulse_count::Plan plan_;
};

class ReducedCounts final : public study::Reduced {
 public:
  explicit ReducedCounts(Counts counts) : counts_(std::move(counts)) {}
  const Counts& counts() const { return counts_; }

  Result<study::Analysis> read(const study::SettingsText& settings, const std::vector<std::string>& asked) const override;
  bool quick() const override { return true; }
  study::Columns small() const override;
  std::size_t bytes() const override { return sizeof *this + counts_.pulses.size() * 2 * sizeof(int); }

 private:
  Counts counts_;
};

const study::Kind& kind();

}  // namespace heron::pulse_count
