#include "spectrum_view.h"

#include "app/lenses/figures_lens.h"
#include "spectrum_lens.h"
#include "study/spectrum/kind.h"

namespace heron::app {
namespace {

class SpectrumView final : public KindView {
 public:
  const study::Kind& kind() const override { return study::spectrum::kind(); }

  std::vector<LensOffer> lenses() const override { return {{"Spectrum", make<SpectrumLens>}, {"Figures", make<FiguresLens>}}; }
  bool keeps_cursors() const override { return true; }
  QString setting_examples() const override { return "window = blackman_harris, full_scale = 1.25 V, harmonics = 2..7 or band = 20 Hz..20 kHz"; }
  QString claim_examples() const override {
    return "Signal to noise at least 74 dB; Distortion at most -70 dBc; Spurious-free range at least 80 dBc;\n"
           "noise.rms(20Hz,20kHz) at most 40 uV; Effective bits at least 12";
  }
};

}  // namespace

const KindView& spectrum_view() {
  static const SpectrumView self;
  return self;
}

}  // namespace heron::app
