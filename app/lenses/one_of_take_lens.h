#pragma once
#include <algorithm>
#include <vector>

#include "app/lenses/laid_over.h"
#include "app/lenses/take_lens.h"
#include "render/theme.h"

namespace heron::app {

/// A lens about one record of the take in view, of which it may have many: [ and ] step through them.
/// @tparam Item      what is shown of a record, as it was read
/// @tparam Settings  how the study is read
template <class Item, class Settings>
class OneOfTakeLens : public TakeLens {
 public:
  struct Loaded {
    std::vector<Item> items = {};
    std::vector<int> points = {};  ///< that they are of, as many
    Settings settings = {};
    QString trouble = {};          ///< why there is none; empty where there is one
  };
  using Load = Loaded (*)(const TakeView& view);

  bool handle_key(int key) override {
    if (points_.size() > 1 && (key == Qt::Key_BracketLeft || key == Qt::Key_BracketRight)) {
      step(key == Qt::Key_BracketLeft ? -1 : 1);
      return true;
    }
    return TakeLens::handle_key(key);
  }
  void show_point(int index) override {
    chosen_ = index;
    picked_ = true;
    reload();
  }

 protected:
  /// @param load  runs beside the window's thread
  /// @param noun  what one of them is: "record"
  OneOfTakeLens(Desk* desk, QWidget* parent, const char* object, const QString& accessible, Load load, QString noun)
      : TakeLens(desk, parent, object, accessible), load_(load), noun_(std::move(noun)) {}

  /// The word that chooses the record; call once, after the lens's own words.
  void add_record_word() {
    bar_->add(
        noun_.left(1).toUpper() + noun_.mid(1), "Which " + noun_ + " of the take is shown; [ and ] step",
        [this] {
          const auto it = std::find(points_.begin(), points_.end(), chosen_);
          return points_.size() > 1 && it != points_.end() ? QString("%1 %2 of %3").arg(noun_).arg(it - points_.begin() + 1).arg(points_.size()) : QString();
        },
        [this] { step(1); });
  }
  /// The record of another take that lies over the one in view, or behind it as the wake: that of the same point, else its
  /// last. Those that cannot be drawn here are left out.
  struct Beside {
    Item item;
    Settings settings;
    QColor ink;
    bool dashed = false, wake = false;

    QPen pen(double width = 1.2) const { return wake ? QPen(ink, 5) : QPen(ink, width, dashed ? Qt::DashLine : Qt::SolidLine); }
  };

  void prepare(const TakeViewPtr& view) override {
    ink_ = render::take_colour(view->take.number);
    struct Both {
      Loaded shown;
      std::vector<std::pair<LaidOver, Loaded>> others;
    };
    working_.ask([view, others = laid_over(*desk_), load = load_] {
                   Both out{load(*view), {}};
                   for (const auto& one : others) out.others.emplace_back(one, load(*one.view));
                   return out;
                 },
                 [this](const Both& both) {
                   const auto& loaded = both.shown;
                   if (!loaded.trouble.isEmpty() || loaded.items.empty()) return say(loaded.trouble.isEmpty() ? "The take has no record." : loaded.trouble);
                   points_ = loaded.points;
                   // The newest, as they come, until somebody picks one.
                   picked_ = picked_ && std::find(points_.begin(), points_.end(), chosen_) != points_.end();
                   if (!picked_) chosen_ = points_.back();
                   const auto at = std::size_t(std::find(points_.begin(), points_.end(), chosen_) - points_.begin());
                   settings_ = loaded.settings;
                   if (const auto why = lacks(*loaded.items[at]); !why.isEmpty()) return say(why);
                   record_ = loaded.items[at];
                   beside_.clear();
                   for (const auto& [one, its] : both.others) {
                     if (its.items.empty()) continue;
                     const auto same = std::find(its.points.begin(), its.points.end(), chosen_);
                     const auto& item = same == its.points.end() ? its.items.back() : its.items[std::size_t(same - its.points.begin())];
                     if (!lacks(*item).isEmpty()) continue;
                     const auto number = one.view->take.number;
                     beside_.push_back({item, its.settings, one.wake ? render::theme().wake : render::take_colour(number), render::take_dashed(number), one.wake});
                   }
                   draw();
                 });
  }

  /// Why the record cannot be drawn here; empty where it can.
  virtual QString lacks(const typename Item::element_type& record) const = 0;
  virtual void draw() = 0;

  Item record_;
  std::vector<Beside> beside_;  ///< the wake first: it is drawn behind all others
  Settings settings_;
  QColor ink_;

 private:
  void step(int by) {
    const auto it = std::find(points_.begin(), points_.end(), chosen_);
    const auto count = std::ptrdiff_t(points_.size());
    if (count == 0) return;
    const auto at = it == points_.end() ? count - 1 : it - points_.begin();
    show_point(points_[std::size_t((at + by + count) % count)]);
  }

  Load load_;
  QString noun_;
  std::vector<int> points_;
  int chosen_ = -1;
  bool picked_ = false;
};

}  // namespace heron::app
