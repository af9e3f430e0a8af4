#include "waveform_view.h"

#include "app/lenses/figures_lens.h"
#include "app/lenses/repetitions_lens.h"
#include "lines_lens.h"
#include "record_lens.h"
#include "study/waveform/kind.h"
#include "study/waveform/reduced.h"
#include "xy_lens.h"

namespace heron::app {

namespace waveform = study::waveform;

const std::vector<study::WaveformsPtr>& records_of(const TakeView* view) {
  static const std::vector<study::WaveformsPtr> none;
  const auto* one = view ? dynamic_cast<const waveform::ReducedWaveforms*>(view->reduced.get()) : nullptr;
  return one ? one->passes() : none;
}

QString no_record(Desk& desk) {
  const auto view = desk.readings.shown();
  if (!desk.focus.shown()) return "Nothing is taken yet. Space takes.";
  if (!view) return "reading\u2026";
  if (!records_of(view).empty()) return {};
  return view->trouble.isEmpty() ? "The take has no record." : view->trouble;
}

namespace {

Result<std::vector<study::Repeated>> over_passes(const TakeView& view, const study::SettingsText& settings,
                                                 const std::vector<std::string>& asked) {
  const auto* one = dynamic_cast<const waveform::ReducedWaveforms*>(view.reduced.get());
  return one ? one->over_passes(settings, asked) : std::vector<study::Repeated>{};
}

class WaveformView final : public KindView {
 public:
  const study::Kind& kind() const override { return waveform::kind(); }

  std::vector<LensOffer> lenses() const override {
    const auto repetitions = [](Desk* desk, QWidget* parent) -> Lens* { return new RepetitionsLens(desk, parent, over_passes); };
    return {{"Record", make<RecordLens>, nullptr, true},
            {"X-Y", make<XyLens>},
            {"Repetitions", repetitions},
            {"Lines", make<LinesLens>},
            {"Figures", make<FiguresLens>}};
  }

  QString setting_examples() const override { return "settle_band = 1 %, watch.rail = v under 4.6 V for 10 us, expected.v = 4.8*exp(-t/(R1*C1)) or average = on"; }
  QString claim_examples() const override {
    return "Rise time at most 2 us; Overshoot at most 5; v_out.time_constant at least 60 ms;\n"
           "time.at(4V,falling) at least 40 ms; v_out at most 12 V from 0 s to 1 ms";
  }
};

}  // namespace

const KindView& waveform_view() {
  static const WaveformView self;
  return self;
}

}  // namespace heron::app
