#pragma once
#include "app/lenses/family_of_curves.h"
#include "conversion_kind_view.h"

namespace heron::app {

/// Curves over what a converter's points read.
class RowCurves : public FamilyOfCurves {
  Q_OBJECT

 protected:
  RowCurves(Desk* desk, QWidget* parent, const char* object, const QString& accessible, int panels);

  virtual std::vector<DrawnCurve> curves_of(int panel, const study::conversion::Rows& rows, const study::conversion::Settings& settings) const = 0;
  virtual QString lacks(const study::conversion::Rows& rows) const = 0;

  /// Of the take in view; empty where there is none.
  const study::conversion::Rows& shown_rows() const;
  const study::conversion::Settings& settings() const;

 private:
  struct Rows {
    study::conversion::Rows rows;
    study::conversion::Settings settings;
  };
  const Rows& shown() const;
  std::vector<DrawnCurve> curves_of(int panel, const std::any& of) const final;
  QString lacks(const std::any& of) const final;
};

}  // namespace heron::app
