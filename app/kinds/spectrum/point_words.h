#pragma once
#include <functional>

#include "app/lenses/look_bar.h"
#include "point_of.h"

namespace heron::app {

/// Which quantity and which point of a sweep a lens looks at, and the words that choose them.
class PointWords {
 public:
  /// @param chosen  is called when another one was
  explicit PointWords(std::function<void()> chosen) : chosen_(std::move(chosen)) {}

  void add_to(LookBar& bar);
  /// What there is to choose from.
  void offer(const PointOf& point);
  void offer_nothing();

  const std::string& quantity() const { return quantity_; }  ///< empty: the first
  int point() const { return point_; }                       ///< none of those there are: the last
  bool of_sweep() const { return !points_.empty(); }
  void show_point(int index);
  /// [ and ]: one point back or on. @return whether the key was used
  bool handle_key(int key);

 private:
  std::function<void()> chosen_;
  std::string quantity_;
  int point_ = -1;
  std::vector<std::string> quantities_;
  std::vector<std::pair<int, QString>> points_;
};

}  // namespace heron::app
