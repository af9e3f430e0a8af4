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

  std::vector<LensOffer> lenses() const override {
    std::vector<LensOffer> out;
    for (const auto& over : {FamilyLens::Over{"Curves", "current", true}, {"Slope", "slope"}, {"Power", "power"}})
      out.push_back({over.name, [over](Desk* desk, QWidget* parent) { return new FamilyLens(over, desk, parent); }});
    out.push_back({"Time", make<TimeLens>});
    out.push_back({"Datasheet", make<DatasheetLens>});
    out.push_back({"Loop", make<LoopLens>});
    out.push_back({"Points", make<ReadingsLens>});
    out.push_back({"Figures", make<FiguresLens>});
    return out;
  }

  QString setting_examples() const override { return "axis = transfer or loop_threshold = 3 %"; }
  QString claim_examples() const override {
    return "threshold.constant 1.2 to 1.6 V; current@3V at least 2 mA; resistance.dynamic@1mA at most 40 ohm;\n"
           "or a limit line: current at most 5 mA from 0 V to 2 V";
  }
};

}  // namespace

const KindView& iv_view() {
  static const SweepView self;
  return self;
}

}  // namespace heron::app
