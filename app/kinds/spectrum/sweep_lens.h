#pragma once
#include "app/lenses/family_of_curves.h"
#include "study/spectrum/reduced.h"

namespace heron::app {

/// Figures of spectra over what was swept, each line named at its end: distortion and harmonics, noise, or gain. A click on a
/// point opens the spectrum behind it.
class SweepLens : public FamilyOfCurves {
  Q_OBJECT

 public:
  explicit SweepLens(Desk* desk, QWidget* parent = nullptr);

 protected:
  std::vector<DrawnCurve> curves_of(int panel, const std::any& of) const override;
  QString lacks(const std::any& of) const override;
  void finish() override;

 private:
  struct Swept {
    std::vector<study::spectrum::SweepCurve> curves;
    study::spectrum::Axis axis;
    QString trouble;   ///< why there are no curves
  };
  study::spectrum::SweepGroup group_ = study::spectrum::SweepGroup::distortion;
};

}  // namespace heron::app
