#pragma once
#include "app/lenses/take_lens.h"
#include "point_of.h"

namespace heron::app {

/// A lens about one quantity of one point: words for both, [ and ] step through the points of a sweep.
class PointTakeLens : public TakeLens {
  Q_OBJECT

 public:
  bool handle_key(int key) override;
  void show_point(int index) override;

 protected:
  using TakeLens::TakeLens;
  /// The words that choose quantity and point; call once.
  void add_words();
  /// What was read of the point in view, kept for the words. @return false where there is nothing, which is then said
  bool arrived(const PointOf& point);

  std::string quantity_;  ///< that is shown; empty: the first
  int point_ = -1;        ///< that is shown; none of them: the last

 private:
  std::vector<std::string> quantities_;
  std::vector<std::pair<int, QString>> points_;
};

}  // namespace heron::app
