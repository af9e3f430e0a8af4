#pragma once
#include "app/lenses/cell_map_lens.h"
#include "conversion_kind_view.h"

namespace heron::app {

/// Efficiency, loss or output over line and load.
class MapLens : public CellMapLens {
  Q_OBJECT

 public:
  explicit MapLens(Desk* desk, QWidget* parent = nullptr);

 protected:
  void prepare(const TakeViewPtr& view) override;

 private:
  enum class Shown { efficiency, loss, output };
  struct Ready {
    study::conversion::Rows rows;
    study::conversion::Settings settings;
  };
  void draw();
  double value_of(const study::conversion::Row& row) const;

  Ready ready_;
  Shown which_ = Shown::efficiency;
  QColor ink_;
};

}  // namespace heron::app
