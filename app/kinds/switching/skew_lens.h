#pragma once
#include "shot_lens.h"

namespace heron::app {

/// What a delay between current and voltage is worth: both energies against deskew around the present value, per cent a
/// nanosecond; what the record itself says of it, to be accepted.
class SkewLens : public ShotLens {
  Q_OBJECT

 public:
  explicit SkewLens(Desk* desk, QWidget* parent = nullptr);
  QList<CursorCard> cards() const override { return cards_; }

 protected:
  QString lacks(const study::switching::ReadShot& shot) const override;
  void draw() override;
  void clear() override;
  void frame() override;

 private:
  QList<QCPGraph*> graphs_;
  QList<QCPAbstractItem*> items_;
  QList<CursorCard> cards_;
  QPushButton *accept_, *take_back_;
};

}  // namespace heron::app
