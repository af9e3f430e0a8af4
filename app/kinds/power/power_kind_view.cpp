#include "power_kind_view.h"

#include "app/lenses/columns_lens.h"
#include "app/lenses/figures_lens.h"
#include "app/lenses/repetitions_lens.h"
#include "cycles_lens.h"
#include "harmonics_lens.h"
#include "inrush_lens.h"
#include "phasors_lens.h"
#include "profile_lens.h"
#include "quantities_lens.h"
#include "study/power/kind.h"
#include "study/power/study_plan.h"
#include "trend_lens.h"
#include "wiring_lens.h"

namespace heron::app {

namespace power = study::power;

namespace {

/// What the settings or the brief ask to be read; nothing where neither is known.
std::optional<power::Method> method_of(const Desk& desk) {
  const auto* study = desk.focus.study();
  if (study)
    if (const auto settings = power::settings_from_text(study->settings); settings && settings->method) return settings->method;
  const auto* plan = dynamic_cast<const power::PlannedPower*>(desk.focus.plan().get());
  return plan ? std::optional(plan->plan().method) : std::nullopt;
}
template <power::Method... wanted>
bool reads(const Desk& desk) {
  const auto method = method_of(desk);
  return !method || ((*method == wanted) || ...);
}

Result<std::vector<study::Repeated>> over_records(const TakeView& view, const study::SettingsText& settings, const std::vector<std::string>& asked) {
  const auto* one = power_of(&view);
  return one ? one->over_records(settings, asked) : std::vector<study::Repeated>{};
}

class PowerLooks final : public KindView {
 public:
  const study::Kind& kind() const override { return power::kind(); }

  std::vector<LensOffer> lenses() const override {
    using enum power::Method;
    const auto repetitions = [](Desk* desk, QWidget* parent) -> Lens* { return new RepetitionsLens(desk, parent, over_records); };
    return {{"Inrush", make<InrushLens>, reads<switch_on>},
            {"Profile", make<ProfileLens>, reads<profile>},
            {"Trend", make<TrendLens>, reads<recording>},
            {"Waveforms", make<CyclesLens>, nullptr, true},
            {"Phasors", make<PhasorsLens>, reads<cycles>},
            {"Harmonics", make<HarmonicsLens>, reads<cycles>},
            {"Quantities", make<QuantitiesLens>, reads<cycles, switch_on>},
            {"Wiring", make<WiringLens>, reads<cycles, switch_on>},
            {"Points", make<ColumnsLens>, reads<recording>},
            {"Repetitions", repetitions, reads<cycles>},
            {"Figures", make<FiguresLens>}};
  }
  QString setting_examples() const override { return "class = A, sequence = abc, wire.ib = -i_b, fuse = 10 ms 80 A, 1 s 14 A, battery = 19 Ah or watch.rail = v under 4.6 V for 10 ms"; }
  QString claim_examples() const override {
    return "Active power at most 120 W; Power factor at least 0.9; Highest current at most 40 A;\n"
           "inrush.i2t at most 12 A2s; Unbalance of the voltage at most 2; Sleep current at most 12 uA; watch.rail.count at most 0;\n"
           "or a limit line: harmonic.current at most 2.3 A at 3, 1.14 A at 5";
  }
};

}  // namespace

const KindView& power_kind_view() {
  static const PowerLooks self;
  return self;
}

const power::ReducedPower* power_of(const TakeView* take) { return take ? dynamic_cast<const power::ReducedPower*>(take->reduced.get()) : nullptr; }

QColor phase_ink(const QColor& ink, std::size_t phase, std::size_t phases) {
  if (phases < 2 || phase == 0) return ink;
  return ink.lighter(phase == 1 ? 150 : 195);
}

QString phase_name(std::size_t phase, std::size_t phases) { return phases == 3 && phase < 3 ? QString(power::kPhases[phase]) : QString(); }

}  // namespace heron::app
