#pragma once
#include <QWidget>

#include "session.h"
#include "study/response/cursors.h"

namespace heron::app {

/// The figures under the plot: those that claims ask for, then what the cursors read.
class FigureRow : public QWidget {
  Q_OBJECT

 public:
  explicit FigureRow(QWidget* parent = nullptr);

  void show_take(const TakeView* view);
  void show_cursors(const std::optional<study::response::CursorReading>& a,
                    const std::optional<study::response::CursorReading>& b);
  QSize sizeHint() const override { return {600, 62}; }
  QSize minimumSizeHint() const override { return {300, 62}; }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  struct Card {
    QString label, number, unit, below;
    std::optional<judge::Verdict> verdict;
  };
  void compose();

  QList<Card> figures_, cursors_;
  bool taken_ = false;  ///< there is a take to read figures from
};

}  // namespace heron::app
