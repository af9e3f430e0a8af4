#pragma once
#include <any>
#include <functional>
#include <optional>
#include <string_view>
#include <vector>

#include "app/lenses/placed_masks.h"
#include "app/lenses/take_lens.h"

namespace heron::app {

/// One line of a panel.
struct DrawnCurve {
  QString name;                    ///< at its end; empty: none
  std::vector<double> x, y;
  std::vector<double> u = {};      ///< standard uncertainty of y, one a place; drawn as whiskers of twice that
  std::vector<int> points = {};    ///< that lie behind, one a place; empty: none
  bool fitted = false;             ///< not read but worked out: dotted
  bool promised = false;           ///< besides: by a data sheet, which is no take's
  std::optional<int> quantity = {};  ///< one of several over one axis, told by its line; unset: told from its like by lightness
};

/// Curves of takes in panels below each other over one axis, each named at its end: the take in view with discs, the others
/// behind it, the wake as a broad pale line. A click on a disc shows what lies behind that point.
class FamilyOfCurves : public TakeLens {
  Q_OBJECT

 public:
  /// Words at the ends of the curves of the take in view, of all panels.
  QStringList names() const;
  /// Where the n-th point of a panel's first curve is drawn.
  QPointF place_of(int panel, int n) const;

 protected:
  /// What a take's curves are made of, worked out beside the window's thread; empty where it has none.
  using Read = std::function<std::any(const TakeView&)>;
  FamilyOfCurves(Desk* desk, QWidget* parent, const char* object, const QString& accessible, int panels, Read read);

  /// What is drawn of a take in a panel.
  virtual std::vector<DrawnCurve> curves_of(int panel, const std::any& of) const = 0;
  /// What limit lines lie on in a panel as it is drawn now.
  virtual std::vector<LimitedCurve> limited(int) const { return {}; }
  /// Names of axes, their units, forbidden ground; after everything was drawn.
  virtual void finish() = 0;
  /// Why nothing can be drawn of it; empty where something can.
  virtual QString lacks(const std::any& of) const = 0;
  void again();
  /// Whether the places that figures were read at lie on the axis that is drawn.
  virtual bool places_figures() const { return true; }
  /// What a panel shows at most; both ends where nothing bounds it.
  virtual QCPRange bounds(int) const { return {-1e99, 1e99}; }

  void prepare(const TakeViewPtr& view) override;
  void clear() override;
  void frame() override;
  bool eventFilter(QObject* watched, QEvent* event) override;

  QList<QCPAxisRect*> rects_;
  QList<QCPAbstractItem*> items_;      ///< of finish(), gone with the curves
  std::any shown_;                     ///< of the take in view; empty: none
  bool log_x_ = true;

 private:
  struct Family {
    std::any of;
    QColor ink;
    bool dashed, wake, shown;
  };
  struct Ready {
    std::vector<Family> families;
  };
  struct Line {
    QCPGraph* graph;
    QCPItemText* name;
    std::vector<int> points;
    int panel;
    bool shown;
    QCPErrorBars* whiskers = nullptr;
  };
  void draw();
  void draw_limits();
  void make_room();
  void part_names();
  void mark_figure();

  Read read_;
  Ready ready_;
  std::vector<Line> lines_;
  QCPItemLine* mark_;
};

}  // namespace heron::app
