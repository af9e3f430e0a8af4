#include "iv_view.h"

#include "app/lenses/figures_lens.h"
#include "datasheet_lens.h"
#include "family_lens.h"
#include "loop_lens.h"
#include "readings_lens.h"
#include "study/iv/kind.h"
#include "study/iv/reduced.h"
#include "study/iv/study_plan.h"
#include "time_lens.h"

namespace heron::app {

namespace iv = study::iv;

const iv::Plan* sweep_plan(const Desk& desk) {
  const auto* one = dynamic_cast<const iv::PlannedSweep*>(desk.focus.plan().get());
  return one ? &one->plan() : nullptr;
}

iv::Settings sweep_settings(const Desk& desk) {
  const auto* study = desk.focus.study();
  return study ? iv::settings_from_text(study->settings).value_or(iv::Settings{}) : iv::Settings{};
}

const iv::Family* family_of(const TakeView* view) {
  const auto* one = view ? dynamic_cast<const iv::ReducedFamily*>(view->reduced.get()) : nullptr;
  return one ? &one->family() : nullptr;
}

namespace {

class SweepView final : public KindView {
 public:
  const study::Kind& kind() const override { return iv::kind(); }

  QList<Lens*> make_lenses(Desk* desk, QWidget* parent) const override {
    return {new FamilyLens("Curves", "current", desk, parent),
            new FamilyLens("Slope", "slope", desk, parent),
            new FamilyLens("Power", "power", desk, parent),
            new TimeLens(desk, parent),
            new DatasheetLens(desk, parent),
            new LoopLens(desk, parent),
            new ReadingsLens(desk, parent),
            new FiguresLens(desk, parent)};
  }

  QString claim_examples() const override {
    return "Threshold 1.2 to 1.6 V; On resistance at most 2 ohm; Current at 3 V at least 2 mA;\n"
           "or a limit line: current at most 5 mA from 0 V to 2 V";
  }
};

}  // namespace

const KindView& iv_view() {
  static const SweepView self;
  return self;
}

}  // namespace heron::app
