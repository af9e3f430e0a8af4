#pragma once
#include "app/lenses/take_lens.h"
#include "conversion_kind_view.h"

namespace heron::app {

/// Line by load: each cell a point, its figure as a number and by lightness alone, lines of equal value over them, the worst
/// cell framed. A click opens the point.
class MapLens : public TakeLens {
  Q_OBJECT

 public:
  explicit MapLens(Desk* desk, QWidget* parent = nullptr);
  ~MapLens() override;
  /// Of cells: lines upwards, loads across.
  QSize cells() const { return {int(loads_.size()), int(lines_.size())}; }
  int numbers() const { return int(numbers_.size()); }
  QPointF place_of(int load, int line) const;

 protected:
  void prepare(const TakeViewPtr& view) override;
  void clear() override;
  void frame() override;
  bool eventFilter(QObject* watched, QEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

 private:
  enum class Shown { efficiency, loss, output };
  struct Ready {
    study::conversion::Rows rows;
    study::conversion::Settings settings;
  };
  void draw();
  void write_numbers();
  void draw_contours(double low, double high);
  double value_of(const study::conversion::Row& row) const;
  /// The row of a cell; null where none was read.
  const study::conversion::Row* at(std::size_t load, std::size_t line) const;

  Ready ready_;
  Shown which_ = Shown::efficiency;
  std::vector<double> lines_, loads_;
  std::vector<int> cell_;  ///< row of each, -1 where there is none; loads run fastest
  QCPColorMap* map_ = nullptr;
  QCPItemRect* worst_;
  QList<QCPItemText*> numbers_;
  QList<QCPCurve*> contours_;
  QList<QCPItemText*> levels_;
  QColor ink_;
  double lowest_ = 0, highest_ = 1;
  QSize framed_;  ///< the grid that the view was made for
};

}  // namespace heron::app
