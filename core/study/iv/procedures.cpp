#include "base/quantity.h"
#include "study/iv/brief.h"
#include "study/iv/loop.h"
#include "study/iv/preflight.h"
#include "study/iv/reduced.h"
#include "study/iv/settings.h"
#include "study/iv/start_small.h"
#include "study/iv/study_plan.h"

namespace heron::study::iv {
namespace {

constexpr std::size_t kMostPasses = 7;
constexpr double kSlower = 4;

const iv::Plan* sweep_of(const study::Plan& plan) {
  const auto* planned = dynamic_cast<const PlannedSweep*>(&plan);
  return planned ? &planned->plan() : nullptr;
}

std::optional<Loop> loop_in(const Reduced* reduced) {
  const auto* one = dynamic_cast<const ReducedFamily*>(reduced);
  return one ? widest_loop(one->family()) : std::nullopt;
}

class SlowUntilClosed final : public Procedure {
 public:
  Result<Next> first(const study::Plan& plan, const Surroundings& around, const Reduced* in_view) override {
    const auto loop = loop_in(in_view);
    if (!sweep_of(plan) || !loop) return fail(Fault::usage, "The take in view has no loop.");
    passes_ = {pass_of(*loop)};
    return slower(plan, around);
  }

  Result<Next> after(const study::Plan& plan, const Surroundings& around, const Reduced& taken) override {
    const auto loop = loop_in(&taken);
    if (!loop) return Next{};
    passes_.push_back(pass_of(*loop));
    const auto settings = settings_from_text(around.settings).value_or(Settings{});
    if (closing_of(passes_, settings.loop_threshold) == Closing::open && passes_.size() < kMostPasses)
      return slower(plan, around);
    return Next{.said = closing_text(passes_, settings.loop_threshold)};
  }

 private:
  static Result<Next> slower(const study::Plan& plan, const Surroundings& around) {
    return Next{.pass = study::Pass{.edits = slowed(*sweep_of(plan), kSlower, around.limits), .note = "slowed by four"}};
  }

  std::vector<iv::Pass> passes_;  ///< from fast to slow; the first is the take that was in view
};

class FromSmall final : public Procedure {
 public:
  explicit FromSmall(iv::Plan plan) : plan_(std::move(plan)) {}

  bool probes() const override { return true; }
  std::string doing() const override { return "Looking for the compliance, from small"; }

  std::vector<Doubt> preflight(const Surroundings& around) const override {
    // It begins far below the plan's compliance and watches the ratings itself from there on.
    auto gentle = plan_;
    for (auto& source : gentle.sources)
      if (source.role == Role::swept) source.compliance /= kStartBelow;
    return iv::preflight(gentle, around.limits, around.ratings);
  }

  Result<Next> probe(bench::Bench& bench, const Surroundings& around, std::stop_token stop) override {
    const auto raised = iv::start_small(plan_, bench, around.ratings, stop);
    if (!raised) return tl::unexpected(raised.error());
    const auto& swept = *plan_.swept();
    return Next{.edits = {{"source." + swept.name + ".compliance",
                           format_setting(rounded_to(raised->compliance, 3), swept.other_unit())}},
                .said = raised_text(*raised, swept)};
  }

  Result<Next> first(const study::Plan&, const Surroundings&, const Reduced*) override { return Next{}; }
  Result<Next> after(const study::Plan&, const Surroundings&, const Reduced&) override { return Next{}; }

 private:
  iv::Plan plan_;
};

}  // namespace

Offer slow_until_closed() {
  return {.name = "slow down",
          .label = "Sweep four times as slowly until it closes",
          .tip = "Each pass is a take; a capacitance closes, memory and self-heating do not (Esc stops)",
          .make = [] { return std::make_unique<SlowUntilClosed>(); }};
}

Offer from_small(const iv::Plan& plan) {
  return {.name = "start small",
          .label = "Find the compliance, starting small",
          .tip = "Doubles it from far below the brief's until the sweep is reached or a rating is near",
          .make = [plan] { return std::make_unique<FromSmall>(plan); }};
}

}  // namespace heron::study::iv
