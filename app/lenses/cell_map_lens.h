#pragma once
#include <functional>
#include <vector>

#include "app/lenses/take_lens.h"

namespace heron::app {

/// A figure over two quantities, a cell for each pair of their places.
struct CellGrid {
  struct Axis {
    QString name;
    std::vector<double> places;  ///< rising
    const char* unit;
  };
  Axis across, upwards;
  std::vector<double> values;  ///< of each cell, `across` runs fastest; NaN where there is none
  std::vector<int> points;     ///< that they were read at; below zero where there is none
  const char* unit;            ///< of the values
  int decimals = 1;            ///< of the numbers in the cells, in the unit that fits the highest
  bool dark_below = false;     ///< the lowest are the darkest, else the highest
  std::function<double(double)> badness = [](double v) { return v; };  ///< of a value: the cell with most of it is framed

  std::size_t size() const { return across.places.size() * upwards.places.size(); }
  std::size_t cell(std::size_t x, std::size_t y) const { return y * across.places.size() + x; }
};

/// What was set is a place by itself; of what was only read, values that follow each other within 2 % are one. Rising.
std::vector<double> places_of(std::vector<double> values, bool set);
/// The place nearest to a value.
std::size_t nearest_place(const std::vector<double>& places, double value);

/// A grid as a picture: each cell by lightness alone and as a number where there is room, lines of equal value over them, the
/// worst cell framed. A click opens the point of a cell.
class CellMapLens : public TakeLens {
  Q_OBJECT

 public:
  ~CellMapLens() override;
  /// How many: across and upwards.
  QSize cells() const { return {int(grid_.across.places.size()), int(grid_.upwards.places.size())}; }
  int numbers() const { return int(numbers_.size()); }
  QPointF place_of(int across, int upwards) const;

 protected:
  CellMapLens(Desk* desk, QWidget* parent, const char* object, const QString& accessible);
  /// A grid of two by two cells at least.
  void show_grid(CellGrid grid, const QColor& ink);
  void clear() override;
  void frame() override;
  bool eventFilter(QObject* watched, QEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

 private:
  void write_numbers();
  void draw_contours();
  double value(std::size_t x, std::size_t y) const { return grid_.values[grid_.cell(x, y)]; }

  CellGrid grid_{.across = {}, .upwards = {}, .values = {}, .points = {}, .unit = ""};
  QCPColorMap* map_ = nullptr;
  QCPItemRect* worst_;
  QList<QCPItemText*> numbers_;
  QList<QCPCurve*> contours_;
  QList<QCPItemText*> levels_;
  double lowest_ = 0, highest_ = 1;
  QSize framed_;  ///< the grid that the view was made for
};

}  // namespace heron::app
