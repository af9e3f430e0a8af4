#include "hookup_diagram.h"

#include <QPainter>
#include <QPainterPath>
#include <cmath>

#include "base/quantity.h"
#include "render/hatch.h"
#include "render/theme.h"

namespace heron::app {

using bench::SensorKind;
using render::theme;

namespace {

QPen ink(double width = 1.4) { return QPen(theme().ink, width, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin); }

/// A sensor's symbol around (x, y), with the wire entering at the left and leaving at the right.
void draw_sensor(QPainter& p, SensorKind kind, double x, double y) {
  const auto gap = [&](double half) { p.fillRect(QRectF(x - half, y - 2, 2 * half, 4), theme().sheet); };
  p.setBrush(theme().sheet);
  switch (kind) {
    case SensorKind::direct:
      p.setBrush(theme().ink);
      p.drawEllipse(QPointF(x, y), 2.6, 2.6);
      break;
    case SensorKind::probe: {
      // A slim pen, its tip to the device.
      QPolygonF pen({{x - 20, y}, {x - 9, y - 5}, {x + 18, y - 5}, {x + 18, y + 5}, {x - 9, y + 5}});
      p.drawPolygon(pen);
      p.drawLine(QPointF(x - 9, y - 5), QPointF(x - 9, y + 5));
      break;
    }
    case SensorKind::differential:
      gap(20);
      p.drawLine(QPointF(x - 20, y), QPointF(x - 8, y - 7));
      p.drawLine(QPointF(x - 20, y + 10), QPointF(x - 8, y + 7));
      p.drawPolygon(QPolygonF({{x - 8, y - 12}, {x + 18, y}, {x - 8, y + 12}}));
      break;
    case SensorKind::isolated:
      gap(20);
      p.drawRect(QRectF(x - 20, y - 8, 15, 16));
      p.drawRect(QRectF(x + 5, y - 8, 15, 16));
      p.setPen(QPen(theme().ink, 1, Qt::DotLine));
      p.drawLine(QPointF(x, y - 13), QPointF(x, y + 13));
      break;
    case SensorKind::shunt:
      p.setBrush(theme().ink);
      p.drawRect(QRectF(x - 14, y - 3, 28, 6));
      p.drawLine(QPointF(x - 10, y - 3), QPointF(x - 10, y - 11));
      p.drawLine(QPointF(x + 10, y - 3), QPointF(x + 10, y - 11));
      break;
    case SensorKind::clamp:
      p.setBrush(Qt::NoBrush);
      p.setPen(ink(2.4));
      p.drawArc(QRectF(x - 11, y - 11, 22, 22), 110 * 16, 320 * 16);
      break;
    case SensorKind::coil:
      p.setBrush(Qt::NoBrush);
      for (int k = 0; k < 10; ++k) {
        const double a = (30 + 33.0 * k) * M_PI / 180;
        p.drawEllipse(QPointF(x + 10 * std::cos(a), y + 10 * std::sin(a)), 2.6, 2.6);
      }
      break;
    case SensorKind::monitor:
      p.drawRect(QRectF(x - 10, y - 10, 20, 20));
      p.drawLine(QPointF(x - 5, y), QPointF(x + 5, y));
      p.drawLine(QPointF(x + 5, y), QPointF(x + 1, y - 3));
      p.drawLine(QPointF(x + 5, y), QPointF(x + 1, y + 3));
      break;
    case SensorKind::codes:
      // A short row of bits beside the wire.
      gap(17);
      for (int k = 0; k < 4; ++k) {
        p.setBrush(k % 3 == 0 ? theme().ink : theme().sheet);
        p.drawRect(QRectF(x - 16 + 8 * k, y - 4, 8, 8));
      }
      break;
    case SensorKind::transformer:
      p.setBrush(Qt::NoBrush);
      p.drawEllipse(QPointF(x, y), 11, 11);
      p.drawLine(QPointF(x - 5, y - 14), QPointF(x - 5, y - 8));
      p.drawLine(QPointF(x + 5, y - 14), QPointF(x + 5, y - 8));
      break;
  }
  p.setPen(ink());
}

}  // namespace

void ChainLine::show_chain(const bench::Chain& chain, QList<int> centres) {
  chain_ = chain;
  centres_ = std::move(centres);
  update();
}

void ChainLine::paintEvent(QPaintEvent*) {
  if (centres_.size() < 3) return;
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const double y = height() / 2.0;
  p.setPen(ink());
  p.drawLine(QPointF(0, y), QPointF(centres_[2] - 22, y));
  draw_sensor(p, chain_.input.sensor.kind, centres_[0], y);
  if (chain_.input.attenuation != 1) {
    const QRectF box(centres_[1] - 21, y - 9, 42, 18);
    p.setBrush(theme().sheet);
    p.drawRect(box);
    p.setFont(render::number_font(11));
    p.drawText(box, Qt::AlignCenter, QString("\u00f7%1").arg(chain_.input.attenuation));
  }
  // The converter: a box with a stair.
  const QRectF box(centres_[2] - 22, y - 14, 44, 28);
  p.setBrush(theme().sheet);
  p.drawRect(box);
  QPainterPath stair(QPointF(box.left() + 8, box.bottom() - 7));
  for (int k = 0; k < 4; ++k) {
    stair.lineTo(stair.currentPosition() + QPointF(7, 0));
    if (k < 3) stair.lineTo(stair.currentPosition() + QPointF(0, -5));
  }
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(theme().heron, 1.6));
  p.drawPath(stair);
}

void HeadroomBar::show_levels(std::optional<double> expected, std::optional<double> range, double harm,
                              const std::string& unit) {
  expected_ = expected;
  range_ = range;
  harm_ = harm;
  unit_ = unit;
  update();
}

void HeadroomBar::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const double floor = std::max(1e-9, std::min(expected_.value_or(harm_ / 100), range_.value_or(harm_) / 10) / 4);
  const double low = std::log10(floor), high = std::log10(harm_ * 3);
  const auto x = [&](double v) { return (std::log10(std::max(v, floor)) - low) / (high - low) * (width() - 2) + 1; };
  const QRectF bar(0.5, 3.5, width() - 1, 9);
  p.fillRect(bar, theme().silt);
  if (range_ && *range_ < harm_)
    render::hatch(p, QRectF(x(*range_), bar.top(), x(harm_) - x(*range_), bar.height()), theme().slate, 6);
  const QRectF harmful(x(harm_), bar.top(), bar.right() - x(harm_), bar.height());
  p.fillRect(harmful, theme().sheet);
  render::hatch(p, harmful, theme().rust, 6);
  p.setPen(QPen(theme().line, 1));
  p.setBrush(Qt::NoBrush);
  p.drawRect(bar);

  p.setFont(render::text_font(11));
  double free_from = 0;
  const auto mark = [&](double v, const QString& name, const QColor& colour) {
    const double at = x(v);
    p.setPen(QPen(colour, 1.4));
    p.drawLine(QPointF(at, bar.top() - 2), QPointF(at, bar.bottom() + 3));
    const QString text = name + " " + QString::fromStdString(format_setting(v, unit_));
    const double wide = p.fontMetrics().horizontalAdvance(text);
    const double left = std::clamp(at - wide / 2, free_from, std::max(free_from, width() - wide));
    p.drawText(QPointF(left, height() - 3), text);
    free_from = left + wide + 10;
  };
  if (range_) {
    mark(*range_ / 10, "tenth", theme().slate);
    mark(*range_, "full", theme().ink);
  }
  mark(harm_, "harm", theme().rust);
  if (expected_) {
    const double at = x(*expected_), y = bar.center().y();
    p.setPen(Qt::NoPen);
    p.setBrush(range_ && *expected_ > *range_ ? theme().rust : theme().heron);
    p.drawPolygon(QPolygonF({{at - 5.5, y}, {at, y - 5.5}, {at + 5.5, y}, {at, y + 5.5}}));
  }
}

void DeviceBox::show_device(const QString& name, const QString& drive_pin, int drive_y, QList<Stub> stubs) {
  name_ = name;
  drive_pin_ = drive_pin;
  drive_y_ = drive_y;
  stubs_ = std::move(stubs);
  update();
}

void DeviceBox::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const QRectF box(kBoxLeft, 2, width() - kBoxLeft - 24, height() - 4);
  p.setPen(ink());
  p.setBrush(theme().mist);
  p.drawRect(box);
  p.setFont(render::text_font(13, QFont::DemiBold));
  // Between the pins, where no line enters.
  const double upper = stubs_.isEmpty() ? box.top() : stubs_.front().y + 14,
               lower = stubs_.size() > 1 ? stubs_[1].y - 14 : box.bottom();
  p.drawText(QRectF(box.left() + 10, upper, box.width() - 20, std::max(20.0, lower - upper)),
             Qt::AlignCenter | Qt::TextWordWrap, name_);
  // The generator: a disc with one period of a sine.
  const double y = drive_y_;
  p.setBrush(theme().sheet);
  p.drawEllipse(QPointF(24, y), 15, 15);
  p.drawLine(QPointF(39, y), QPointF(kBoxLeft, y));
  QPainterPath sine(QPointF(14, y));
  sine.cubicTo(18, y - 12, 21, y - 12, 24, y);
  sine.cubicTo(27, y + 12, 30, y + 12, 34, y);
  p.setPen(QPen(theme().heron, 1.6));
  p.setBrush(Qt::NoBrush);
  p.drawPath(sine);
  p.setFont(render::text_font(12));
  p.setPen(theme().ink);
  p.drawText(QRectF(kBoxLeft + 8, y - 10, box.width() - 16, 20), Qt::AlignLeft | Qt::AlignVCenter, drive_pin_);
  for (const auto& stub : stubs_) {
    p.setPen(ink());
    p.drawLine(QPointF(box.right(), stub.y), QPointF(width(), stub.y));
    p.setPen(theme().ink);
    // The driven pin needs its name only once.
    if (std::abs(stub.y - y) < 16 && stub.pin == drive_pin_) continue;
    p.drawText(QRectF(kBoxLeft + 8, stub.y - 10 + (std::abs(stub.y - y) < 16 ? 20 : 0), box.width() - 16, 20),
               Qt::AlignRight | Qt::AlignVCenter, stub.pin);
  }
}

}  // namespace heron::app
