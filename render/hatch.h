#pragma once
#include <QColor>
#include <QPainter>
#include <QPolygonF>

namespace heron::render {

/// Fills an area with diagonal lines: forbidden ground. They stay at rest when what they lie on moves, and sharp in every
/// output.
/// @param spacing  pixels from line to line, along the bottom
void hatch(QPainter& painter, const QPolygonF& area, const QColor& stroke, int spacing = 7);

}  // namespace heron::render
