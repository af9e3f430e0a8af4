#pragma once
#include <QWidget>

#include <qcustomplot.h>

#include "app/desk.h"
#include "app/text.h"

namespace heron::app {

/// What a cursor reads, as a card beside the figures.
struct CursorCard {
  QString label, number, unit, below;
};
/// A value with its unit.
inline CursorCard value_card(const QString& label, double value, std::string_view unit, int digits, const QString& below = {}) {
  const auto shown = format_quantity(value, unit, digits);
  return {label, text(shown.number), text(shown.unit), below};
}

/// A way to view takes. A kind's view lists those that suit it.
class Lens : public QWidget {
  Q_OBJECT

 public:
  Lens(Desk* desk, QWidget* parent) : QWidget(parent), desk_(desk) {}

  /// It fills what it is given: the words of lenses out of sight are not measured whenever the page is laid out.
  bool hasHeightForWidth() const override { return false; }
  int heightForWidth(int) const override { return -1; }

  /// The plot to write as a picture; null where the lens has none.
  virtual QCustomPlot* plot() { return nullptr; }
  /// A key that the window was given while the lens is in view. True when it was used.
  virtual bool handle_key(int) { return false; }
  /// What its cursors read: the lens in view alone speaks to the figures' row.
  virtual QList<CursorCard> cards() const { return {}; }
  /// Of the lens that shows the samples behind a point: which.
  virtual void show_point(int) {}

 signals:
  void point_chosen(int index);
  void cards_changed();

 protected:
  Desk* desk_;
};

}  // namespace heron::app
