#pragma once
#include "app/lenses/take_lens.h"
#include "point_words.h"

namespace heron::app {

/// A lens about one quantity of one point: words for both, [ and ] step through the points of a sweep.
class PointTakeLens : public TakeLens {
  Q_OBJECT

 public:
  bool handle_key(int key) override { return words_.handle_key(key) || TakeLens::handle_key(key); }
  void show_point(int index) override { words_.show_point(index); }

 protected:
  using TakeLens::TakeLens;
  /// What was read of the point in view, kept for the words. @return false where there is nothing, which is then said
  bool arrived(const PointOf& point);

  PointWords words_{[this] { reload(); }};
};

}  // namespace heron::app
