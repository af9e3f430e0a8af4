#pragma once
#include <memory>

#include "point_take_lens.h"
#include "render/plot_parts.h"
#include "study/spectrum/residual.h"

namespace heron::app {

/// The record, and what is left of it once its fundamental, and its harmonics on wish, are taken out: over time, or over the
/// fundamental's phase, where what repeats with it lies on itself.
class ResidualLens : public PointTakeLens {
  Q_OBJECT

 public:
  explicit ResidualLens(Desk* desk, QWidget* parent = nullptr);
  ~ResidualLens() override;
  QList<CursorCard> cards() const override { return cards_; }

 protected:
  void prepare(const TakeViewPtr& view) override;
  void clear() override;
  void frame() override;

 private:
  struct Ready {
    PointOf point;
    std::shared_ptr<const study::spectrum::Residual> residual;
    QString trouble;
  };
  void draw();
  void drop_graphs();

  QCPAxisRect *record_, *rest_;
  std::vector<std::unique_ptr<render::LongGraph>> graphs_;
  QCPGraph* dots_[2] = {};
  std::shared_ptr<const study::spectrum::Residual> shown_;
  bool harmonics_ = false, over_phase_ = false;
  QList<CursorCard> cards_;
  QColor ink_;
};

}  // namespace heron::app
