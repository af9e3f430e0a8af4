#include "spectrum_view.h"

#include "app/lenses/columns_lens.h"
#include "app/lenses/figures_lens.h"
#include "app/lenses/repetitions_lens.h"
#include "codes_lens.h"
#include "residual_lens.h"
#include "spectrogram_lens.h"
#include "spectrum_lens.h"
#include "study/spectrum/kind.h"
#include "study/spectrum/reduced.h"
#include "study/spectrum/study_plan.h"
#include "sweep_lens.h"

namespace heron::app {
namespace {

/// Where the brief asks for one; of data that came in nobody knows before they are read.
bool sweeps(const Desk& desk) {
  const auto* plan = dynamic_cast<const study::spectrum::PlannedSpectrum*>(desk.focus.plan().get());
  return !plan || plan->plan().along != study::spectrum::Along::nothing;
}

/// Where a converter's codes are read, or a file is said to hold such.
bool gives_codes(const Desk& desk) {
  const auto* hookup = desk.focus.plan() ? desk.focus.plan()->hookup() : nullptr;
  if (hookup && std::any_of(hookup->chains.begin(), hookup->chains.end(), [](const bench::Chain& c) { return c.input.sensor.reads_codes(); })) return true;
  const auto* study = desk.focus.study();
  const auto settings = study ? study::spectrum::settings_from_text(study->settings) : Result<study::spectrum::Settings>(study::spectrum::Settings{});
  return settings && settings->bits;
}

Result<std::vector<study::Repeated>> over_records(const TakeView& view, const study::SettingsText& settings, const std::vector<std::string>& asked) {
  const auto* one = dynamic_cast<const study::spectrum::ReducedSpectra*>(view.reduced.get());
  return one ? one->over_records(settings, asked) : std::vector<study::Repeated>{};
}

class SpectrumView final : public KindView {
 public:
  const study::Kind& kind() const override { return study::spectrum::kind(); }

  std::vector<LensOffer> lenses() const override {
    const auto repetitions = [](Desk* desk, QWidget* parent) -> Lens* { return new RepetitionsLens(desk, parent, over_records); };
    return {{"Spectrum", make<SpectrumLens>, nullptr, true},
            {"Sweep", make<SweepLens>, sweeps},
            {"Residual", make<ResidualLens>},
            {"Spectrogram", make<SpectrogramLens>},
            {"Codes", make<CodesLens>, gives_codes},
            {"Points", make<ColumnsLens>, sweeps},
            {"Repetitions", repetitions, [](const Desk& desk) { return !sweeps(desk); }},
            {"Figures", make<FiguresLens>}};
  }
  bool keeps_cursors() const override { return true; }
  QString setting_examples() const override { return "window = blackman_harris, full_scale = 1.25 V, harmonics = 2..7 or band = 20 Hz..20 kHz"; }
  QString claim_examples() const override {
    return "Signal to noise at least 74 dB; Distortion at most -70 dBc; Spurious-free range at least 80 dBc;\n"
           "noise.rms(20Hz,20kHz) at most 40 uV; Effective bits at least 12;\n"
           "or a limit line: spectrum at most -80 dBV from 2 kHz to 20 kHz";
  }
};

}  // namespace

const KindView& spectrum_view() {
  static const SpectrumView self;
  return self;
}

}  // namespace heron::app
