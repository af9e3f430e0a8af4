#include "conversion_kind_view.h"

#include "app/lenses/figures_lens.h"
#include "app/readings.h"
#include "efficiency_lens.h"
#include "map_lens.h"
#include "plateaus_lens.h"
#include "readings_table_lens.h"
#include "regulation_lens.h"
#include "study/conversion/kind.h"
#include "study/conversion/study_plan.h"

namespace heron::app {

namespace conversion = study::conversion;

namespace {

bool has_points(const Desk& desk) {
  const auto* plan = dynamic_cast<const conversion::PlannedConversion*>(desk.focus.plan().get());
  return !plan || plan->plan().of_points();
}

class ConversionLooks final : public KindView {
 public:
  const study::Kind& kind() const override { return conversion::kind(); }

  std::vector<LensOffer> lenses() const override {
    return {{"Efficiency", make<EfficiencyLens>, has_points},
            {"Regulation", make<RegulationLens>, has_points},
            {"Map", make<MapLens>, has_points},
            {"Records", make<PlateausLens>, nullptr, true},
            {"Points", make<ReadingsTableLens>},
            {"Figures", make<FiguresLens>}};
  }
  QString setting_examples() const override { return "nominal = 5 V, tolerance = 2 %, line = 12 V, switching = 400 kHz, expected = 10 mA 62 %, 1 A 95 %, shunt.iout = 10 mohm, 50 ppm/K, 25 K/W or watch.rail = vout under 4.6 V for 10 us"; }
  QString claim_examples() const override {
    return "Efficiency at 1 A at least 0.9; efficiency@10mA,12V at least 0.6; Load regulation, relative at least -1 %;\n"
           "Dropout at 200 mA at most 180 mV; Ripple at most 30 mV; Dip at a load step at most 150 mV; Accuracy of the output -2 to 2 %;\n"
           "or a limit line: efficiency at least 85 % from 0.2 A to 2 A";
  }
};

}  // namespace

const KindView& conversion_kind_view() {
  static const ConversionLooks self;
  return self;
}

const conversion::ReducedConversion* conversion_of(const TakeView* take) { return take ? dynamic_cast<const conversion::ReducedConversion*>(take->reduced.get()) : nullptr; }

}  // namespace heron::app
