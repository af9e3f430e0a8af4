#include "point_words.h"

#include <algorithm>

#include "app/text.h"

namespace heron::app {

void PointWords::add_to(LookBar& bar) {
  bar.add_menu(
      "Quantity", "Whose record is looked at", [this] { return quantities_.size() > 1 ? text(quantity_.empty() ? quantities_.front() : quantity_) : QString(); },
      [this] {
        QList<LookBar::MenuLine> out;
        for (const auto& name : quantities_)
          out << LookBar::MenuLine{text(name), [this, name] {
                                     quantity_ = name;
                                     chosen_();
                                   }};
        return out;
      });
  bar.add_menu(
      "Point", "Which point of the sweep is shown; [ and ] step through them",
      [this] {
        for (const auto& [index, name] : points_)
          if (index == point_) return name;
        return points_.empty() ? QString() : points_.back().second;
      },
      [this] {
        QList<LookBar::MenuLine> out;
        for (const auto& [index, name] : points_) out << LookBar::MenuLine{name, [this, index = index] { show_point(index); }};
        return out;
      });
}

void PointWords::offer(const PointOf& point) {
  points_ = point.points;
  quantities_.clear();
  if (!point.spectra) return;
  for (const auto& s : point.spectra->spectra) quantities_.push_back(s.name);
}

void PointWords::offer_nothing() {
  points_.clear();
  quantities_.clear();
}

void PointWords::show_point(int index) {
  point_ = index;
  chosen_();
}

bool PointWords::handle_key(int key) {
  if ((key != Qt::Key_BracketLeft && key != Qt::Key_BracketRight) || points_.empty()) return false;
  auto at = std::ptrdiff_t(points_.size()) - 1;
  for (std::size_t k = 0; k < points_.size(); ++k)
    if (points_[k].first == point_) at = std::ptrdiff_t(k);
  at += key == Qt::Key_BracketLeft ? -1 : 1;
  show_point(points_[std::size_t(std::clamp<std::ptrdiff_t>(at, 0, std::ptrdiff_t(points_.size()) - 1))].first);
  return true;
}

}  // namespace heron::app
