#include "switching_view.h"

#include "app/lenses/figures_lens.h"
#include "app/lenses/repetitions_lens.h"
#include "app/readings.h"
#include "edges_lens.h"
#include "energies_lens.h"
#include "energy_map_lens.h"
#include "pulse_lens.h"
#include "recovery_lens.h"
#include "shots_table_lens.h"
#include "skew_lens.h"
#include "study/switching/kind.h"
#include "study/switching/study_plan.h"
#include "trajectory_lens.h"

namespace heron::app {

namespace switching = study::switching;

namespace {

bool sweeps_shots(const Desk& desk) {
  const auto* plan = dynamic_cast<const switching::PlannedSwitching*>(desk.focus.plan().get());
  return !plan || plan->plan().steps().size() > 1;
}

/// Currents, and something else beside them.
bool sweeps_two(const Desk& desk) {
  const auto* plan = dynamic_cast<const switching::PlannedSwitching*>(desk.focus.plan().get());
  if (!plan) return true;
  const auto& p = plan->plan();
  return p.currents.size() > 1 && (p.buses.size() > 1 || p.resistors.size() > 1 || p.temperatures.size() > 1);
}

Result<std::vector<study::Repeated>> over_shots(const TakeView& view, const study::SettingsText& settings, const std::vector<std::string>&) {
  const auto* one = switching_of(&view);
  return one ? one->over_shots(settings) : std::vector<study::Repeated>{};
}

class SwitchingLooks final : public KindView {
 public:
  const study::Kind& kind() const override { return switching::kind(); }

  std::vector<LensOffer> lenses() const override {
    const auto repetitions = [](Desk* desk, QWidget* parent) -> Lens* { return new RepetitionsLens(desk, parent, over_shots); };
    return {{"Edges", make<EdgesLens>},
            {"Energies", make<EnergiesLens>, sweeps_shots},
            {"Map", make<EnergyMapLens>, sweeps_two},
            {"Pulses", make<PulseLens>, nullptr, true},
            {"Trajectory", make<TrajectoryLens>},
            {"Recovery", make<RecoveryLens>},
            {"Skew", make<SkewLens>},
            {"Points", make<ShotsTableLens>},
            {"Shots", repetitions},
            {"Figures", make<FiguresLens>}};
  }
  QString setting_examples() const override { return "skew = 1.2 ns, on.end = 2 %, v_bus = 48 V, wire.i_d = -i_shunt, voltage_rating = 90 V, expected.on = 10 A 12 uJ, 20 A 31 uJ or safe_voltage = 5 V"; }
  QString claim_examples() const override {
    return "Turn-on energy at 20 A at most 25 uJ; energy.total@20A,48V at most 40 uJ; energy.off@20A,Rg=10 at most 15 uJ;\n"
           "Overshoot of the voltage at most 40; Peak voltage at turn-off at most 75 V; Recovery charge at most 120 nC;\n"
           "or a limit line: energy.on at 12 ohm at most 20 uJ from 5 A to 20 A";
  }
};

}  // namespace

const KindView& switching_view() {
  static const SwitchingLooks self;
  return self;
}

const switching::ReducedSwitching* switching_of(const TakeView* take) { return take ? dynamic_cast<const switching::ReducedSwitching*>(take->reduced.get()) : nullptr; }

}  // namespace heron::app
