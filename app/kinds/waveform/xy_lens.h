#pragma once
#include <tuple>

#include "app/aside.h"
#include "app/lenses/lens.h"
#include "app/lenses/look_bar.h"
#include "app/lenses/plot_view.h"
#include "study/trajectory.h"

namespace heron::app {

/// One quantity of a record against another. Arrows say which way time goes, times stand along the curve, the pointer
/// reads it, the cursors of the record are rings.
class XyLens : public Lens {
  Q_OBJECT

 public:
  explicit XyLens(Desk* desk, QWidget* parent = nullptr);

  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override { return key == Qt::Key_Backspace && looking_->back(); }
  QList<CursorCard> cards() const override { return cards_; }
  /// Of the take in view, as drawn.
  const study::Trajectory& path() const;

 protected:
  void showEvent(QShowEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  struct Path {
    study::Trajectory along;
    int number = 1;  ///< of the take
    bool dashed = false, wake = false, shown = false;
  };
  struct Drawn {
    QString trouble = {};
    std::vector<Path> paths = {};
  };
  void reload();
  void draw();
  void frame();
  void place_cursors();
  void add_arrows(const Path& path);
  void add_times(const Path& path);
  QList<LookBar::MenuLine> quantities(std::string XyLens::*into);
  /// Of the take in view, at its place among the drawn; nothing where none is.
  std::optional<std::size_t> nearest(const QPointF& at) const;

  LookBar* bar_;
  QCustomPlot* plot_;
  PlotView* looking_;
  std::string across_, up_;  ///< names of quantities; empty: the first and the second
  std::string across_unit_ = "1", up_unit_ = "1";
  Drawn drawn_;
  std::tuple<long long, std::string, std::string> framed_;  ///< study and quantities that the view was made for
  QList<QCPAbstractItem*> rings_;
  QList<CursorCard> cards_;
  Aside reading_{this};
};

}  // namespace heron::app
