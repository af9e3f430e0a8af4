#pragma once
#include <QWidget>

#include "lenses/lens.h"

namespace heron::app {

/// The figures under the plot: those that claims ask for, then what the cursors read.
class FigureRow : public QWidget {
  Q_OBJECT

 public:
  explicit FigureRow(QWidget* parent = nullptr);

  void show_take(const TakeView* view);
  void show_cards(const QList<CursorCard>& cards);
  /// The figure that is marked on the curve; empty for none.
  void show_chosen(const QString& key);
  QSize sizeHint() const override { return {600, 62}; }
  QSize minimumSizeHint() const override { return {300, 62}; }

 signals:
  void figure_chosen(const QString& key);

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;

 private:
  struct Card {
    QString label, number, unit, below;
    std::optional<judge::Verdict> verdict;
    QString key = {};  ///< of a figure that has a place on the curve
  };
  void compose();
  int card_width() const;
  const Card* card_at(const QPoint& at) const;

  QList<Card> figures_, cursors_;
  QString chosen_;
  bool taken_ = false;  ///< there is a take to read figures from
};

}  // namespace heron::app
