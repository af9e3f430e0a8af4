#pragma once
#include <QMouseEvent>
#include <QPushButton>

namespace heron::app {

/// A button of several steps, of which a double click is one: what arms does not fire as well.
class OnceButton final : public QPushButton {
 public:
  using QPushButton::QPushButton;

 protected:
  void mouseDoubleClickEvent(QMouseEvent* event) override { event->accept(); }
};

}  // namespace heron::app
