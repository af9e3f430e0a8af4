#pragma once
#include "app/lenses/family_of_curves.h"
#include "switching_view.h"

namespace heron::app {

/// Energies against current, bus voltage or gate resistor: turn-on and turn-off, or their total, a curve a family; fits dotted
/// with what is left of them; what a data sheet promises beside. A click on a point opens its shot.
class EnergiesLens : public FamilyOfCurves {
  Q_OBJECT

 public:
  explicit EnergiesLens(Desk* desk, QWidget* parent = nullptr);
  QList<CursorCard> cards() const override { return cards_; }

 protected:
  std::vector<DrawnCurve> curves_of(int panel, const std::any& of) const override;
  QString lacks(const std::any& of) const override;
  std::vector<LimitedCurve> limited(int panel) const override;
  void finish() override;
  bool places_figures() const override { return over_ == Over::current; }

 private:
  enum class Over { current, bus, resistor };
  struct Shots {
    std::vector<study::switching::Family> families;
    study::switching::Settings settings;
  };
  Over over_ = Over::current;
  bool total_ = false, fits_ = true;
  QList<CursorCard> cards_;
};

}  // namespace heron::app
