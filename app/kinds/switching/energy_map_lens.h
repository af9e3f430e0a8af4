#pragma once
#include "app/lenses/cell_map_lens.h"
#include "switching_view.h"

namespace heron::app {

/// An energy over the load current and another quantity that was swept: gate resistor, bus voltage or temperature.
class EnergyMapLens : public CellMapLens {
  Q_OBJECT

 public:
  explicit EnergyMapLens(Desk* desk, QWidget* parent = nullptr);

 protected:
  void prepare(const TakeViewPtr& view) override;

 private:
  void draw();

  std::vector<study::switching::Family> families_;
  study::switching::Energy which_ = study::switching::Energy::total;
  std::size_t over_ = 0;  ///< which of the quantities that were swept beside the current
  QColor ink_;
};

}  // namespace heron::app
