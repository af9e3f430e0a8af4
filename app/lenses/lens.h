#pragma once
#include <QWidget>

#include <qcustomplot.h>

#include "../session.h"

namespace heron::app {

/// What a cursor reads, as a card beside the figures.
struct CursorCard {
  QString label, number, unit, below;
};

/// A way to view takes. Added to the study page by one line in study_page.cpp.
class Lens : public QWidget {
  Q_OBJECT

 public:
  Lens(Session* session, QWidget* parent) : QWidget(parent), session_(session) {}

  virtual QString title() const = 0;
  /// The plot to write as a picture; null where the lens has none.
  virtual QCustomPlot* plot() { return nullptr; }
  /// A key that the window was given while the lens is in view. True when it was used.
  virtual bool handle_key(int) { return false; }

 signals:
  void point_chosen(int index);

 protected:
  Session* session_;
};

}  // namespace heron::app
