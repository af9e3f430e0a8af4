#pragma once
#include <QPainter>
#include <QString>

#include "judge/claim.h"

namespace heron::app {

/// What is allowed is plain, what is forbidden hatched, the value a diamond with its whisker.
void draw_margin(QPainter& painter, const QRectF& bar, const judge::Judgement& judgement);

/// Value, expectation, limits, margin and reason, each on a line of its own that begins with a line's end.
QString judgement_words(const judge::Judgement& judgement);

}  // namespace heron::app
