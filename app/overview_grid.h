#pragma once
#include <QAbstractScrollArea>
#include <vector>

#include "run/overview.h"

namespace heron::app {

/// Claims down, units across; each cell a verdict by its shape, a margin and a value, a corner mark where the take is in
/// doubt. Draws what is in view alone, so that it costs the same at any size. Arrows move the cell, Enter goes there.
class OverviewGrid : public QAbstractScrollArea {
  Q_OBJECT

 public:
  explicit OverviewGrid(QWidget* parent = nullptr);

  /// A line: a claim's row, or a heading.
  struct Line {
    int row = -1;            ///< of the overview; below zero: a heading
    QString heading = {};
    bool folded = false;     ///< of a heading: what is below it is not shown
    QString section = {};    ///< of a heading: what it folds
  };
  /// @param named  each claim is preceded by its study's name
  void show_lines(std::shared_ptr<const run::Overview> overview, std::vector<Line> lines, bool named);
  const std::vector<Line>& lines() const { return lines_; }
  /// The claim and unit that are chosen; both below zero where nothing is.
  int chosen_row() const;
  int chosen_unit() const { return unit_; }
  void choose(int line, int unit);
  QRect cell_rect(int line, int unit) const;  ///< in the viewport

 signals:
  void cell_chosen();
  void cell_opened();
  void fold(const QString& section);

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  bool viewportEvent(QEvent* event) override;

 private:
  int line_at(int y) const;
  int unit_at(int x) const;
  void arrange();
  void keep_in_view();
  QString words_of(int line, int unit) const;

  std::shared_ptr<const run::Overview> overview_;
  std::vector<Line> lines_;
  bool named_ = false;
  int line_ = -1, unit_ = -1;
};

}  // namespace heron::app
