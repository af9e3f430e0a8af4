#pragma once
#include "row_curves.h"

namespace heron::app {

/// The output against load or line, as its distance from the nominal (or from its mean) in volts or per cent, with the
/// tolerance as forbidden ground.
class RegulationLens : public RowCurves {
  Q_OBJECT

 public:
  explicit RegulationLens(Desk* desk, QWidget* parent = nullptr);

 protected:
  std::vector<DrawnCurve> curves_of(int panel, const study::conversion::Rows& rows, const study::conversion::Settings& settings) const override;
  QString lacks(const study::conversion::Rows& rows) const override;
  std::vector<LimitedCurve> limited(int panel) const override;
  void finish() override;
  bool places_figures() const override { return !over_line_; }
  void frame() override;

 private:
  /// V that are taken off, and what the rest is multiplied by.
  double unit(double base) const { return percent_ && base != 0 ? 100 / base : 1; }
  double base(const study::conversion::Rows& rows, const study::conversion::Settings& settings) const;

  bool over_line_ = false, percent_ = false;
};

}  // namespace heron::app
