#pragma once
#include <QWidget>

namespace heron::app {

/// Gives a text its colour. By the palette: a style sheet of its own costs each widget a pass through all rules.
inline void set_ink(QWidget& text, const QColor& colour) {
  QPalette palette = text.palette();
  palette.setColor(QPalette::WindowText, colour);
  text.setPalette(palette);
}

}  // namespace heron::app
