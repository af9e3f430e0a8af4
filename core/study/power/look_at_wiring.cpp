#include "study/power/look_at_wiring.h"

#include "base/quantity.h"
#include "study/power/check.h"
#include "study/power/preflight.h"
#include "study/power/reduced.h"
#include "study/power/runner.h"

namespace heron::study::power {
namespace {

constexpr int kCyclesLookedAt = 10;

/// What happens once is read as it happens; of all else a few cycles tell.
power::Plan short_look(power::Plan plan) {
  if (plan.happens_once()) return plan;
  plan.method = Method::cycles;
  plan.cycles = std::min(plan.cycles, kCyclesLookedAt);
  plan.readings = 1;
  return plan;
}

std::string as_seen(const WiringCheck& check) {
  std::string out;
  for (const auto& c : check.channels) {
    if (!out.empty()) out += ", ";
    out += fmt::format("{} {}", c.quantity, format_quantity(c.rms, c.unit, 3).plain());
    if (&c != &check.channels.front()) out += " at " + format_quantity(c.angle, "deg", 3).plain();
  }
  return out;
}

class LookAtWiring final : public Procedure {
 public:
  explicit LookAtWiring(power::Plan plan) : plan_(short_look(std::move(plan))) {}

  bool probes() const override { return true; }
  std::string doing() const override { return "Looking at what each channel shows"; }
  std::vector<Doubt> preflight(const Surroundings& around) const override { return power::preflight(plan_, around); }

  Result<Next> probe(bench::Bench& bench, const Surroundings& around, std::stop_token stop) override {
    const auto settings = settings_from_text(around.settings);
    if (!settings) return tl::unexpected(settings.error());
    auto reducing = reducer(around.settings);
    if (!reducing) return tl::unexpected(reducing.error());
    const auto ran = power::run(plan_, bench, {.around = around, .keep = [&](const Point& point) { return (*reducing)->add(point); }, .stop = stop});
    if (!ran) return tl::unexpected(ran.error());
    const auto reduced = (*reducing)->so_far();
    if (!reduced) return tl::unexpected(reduced.error());
    const auto records = static_cast<const ReducedPower&>(**reduced).read_records(*settings);
    if (!records) return tl::unexpected(records.error());
    return Next{.said = told(*records->front(), *settings)};
  }

  Result<Next> first(const study::Plan&, const Surroundings&, const Reduced*) override { return Next{}; }
  Result<Next> after(const study::Plan&, const Surroundings&, const Reduced&) override { return Next{}; }

 private:
  static std::string told(const PowerRecord& record, const Settings& settings) {
    if (!record.measured) return fmt::format("The wiring cannot be told: {}.", record.measured.error());
    const auto check = check_wiring(*record.record, record.wiring, *record.measured, settings);
    if (!check.untold.empty()) return fmt::format("The wiring cannot be told: {}. Set cycles_by = {}.", check.untold, record.record->traces[record.wiring.currents.front().trace]->name);
    if (check.explanations.empty()) return fmt::format("Each channel looks like what it is said to be: {}.", as_seen(check));
    const auto& best = check.explanations.front();
    std::string how;
    for (const auto& [key, text] : wires_of(*record.record, record.wiring, best)) how += fmt::format("{}{} = {}", how.empty() ? "" : ", ", key, text);
    return fmt::format("The channels are explained if {}: put it right, or set {}. Seen: {}.", best.said, how, as_seen(check));
  }

  power::Plan plan_;
};

}  // namespace

std::optional<Offer> look_at_wiring(const power::Plan& plan) {
  bool voltage = false, current = false;
  for (const auto& chain : plan.hookup.chains) (chain.input.sensor.senses_current() ? current : voltage) = true;
  if (!voltage || !current || !(plan.alternates() || plan.method == Method::cycles)) return std::nullopt;
  return Offer{.name = "look at the wiring",
               .label = "Look at the wiring before a take",
               .tip = "Reads a few cycles, keeps nothing, and says what each channel looks like and what would explain it (Esc stops)",
               .make = [plan] { return std::make_unique<LookAtWiring>(plan); }};
}

}  // namespace heron::study::power
