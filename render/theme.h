#pragma once
#include <QColor>
#include <QFont>
#include <QRectF>

#include "judge/claim.h"

class QPainter;

/// Colours and type of everything that is drawn. One light theme, "Estuary".
namespace heron::render {

struct Theme {
  QColor mist{0xE8, 0xEC, 0xE9};   ///< window
  QColor sheet{0xFB, 0xFC, 0xFA};  ///< page
  QColor silt{0xDC, 0xE3, 0xDF};
  QColor line{0xC2, 0xCC, 0xC7};
  QColor ink{0x1C, 0x2A, 0x2E};
  QColor slate{0x58, 0x6A, 0x6E};      ///< secondary text
  QColor heron{0x2B, 0x5B, 0x70};      ///< the accent
  QColor bill{0xB9, 0x69, 0x0F};       ///< doubts
  QColor bill_text{0x9A, 0x55, 0x08};  ///< doubts as text: dark enough on the band
  QColor bill_band{0xF6, 0xEA, 0xD8};
  QColor reed{0x2F, 0x75, 0x50};  ///< meets
  QColor rust{0xAE, 0x35, 0x27};  ///< fails
  QColor iris{0x6A, 0x57, 0x99};  ///< too close
  QColor wake{0xC9, 0xD6, 0xD6};
};

const Theme& theme();

/// Madder, lagoon, moss, plum, copper, graphite, then the same dashed. @param number  of the take, from 1
QColor take_colour(int number);
bool take_dashed(int number);

/// Towards the paper by a share: quantities and curves of one take are told apart by lightness.
QColor paled(const QColor& ink, double share);

QColor verdict_colour(judge::Verdict verdict);

/// Registers the fonts that travel with the program. Call once, after the application object is made.
void load_fonts();

QFont text_font(double pixels, QFont::Weight weight = QFont::Normal);
QFont number_font(double pixels, bool bold = false);

/// Draws a verdict's shape (check, cross, double bar, dash) into a square.
void draw_verdict(QPainter& painter, const QRectF& square, judge::Verdict verdict);

}  // namespace heron::render
