#pragma once
#include <QLabel>
#include <QScrollArea>

#include "desk.h"

namespace heron::app {

/// What the bench's instruments can do and how they err, and whether the bench runs at the pace of a real one.
class BenchPage : public QScrollArea {
  Q_OBJECT

 public:
  explicit BenchPage(Desk* desk, QWidget* parent = nullptr);

 private:
  void refresh();

  Desk* desk_;
  QLabel* state_;
  class QComboBox* pace_;
};

}  // namespace heron::app
