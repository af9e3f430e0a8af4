#pragma once
#include "shot_lens.h"

namespace heron::app {

/// What the other device gives back at turn-on: the excess of the current over the load, its charge as an area, its peak; and
/// the other device's own current where it is sensed.
class RecoveryLens : public ShotLens {
  Q_OBJECT

 public:
  explicit RecoveryLens(Desk* desk, QWidget* parent = nullptr);
  QList<CursorCard> cards() const override { return cards_; }

 protected:
  QString lacks(const study::switching::ReadShot& shot) const override;
  void draw() override;
  void clear() override;
  void frame() override;

 private:
  QList<QCPGraph*> graphs_;
  QList<QCPAbstractItem*> items_;
  double from_ = 0, to_ = 1;
  QList<CursorCard> cards_;
};

}  // namespace heron::app
