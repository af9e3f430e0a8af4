#include "source_picture.h"

#include <QHelpEvent>
#include <QPainter>
#include <QToolTip>

#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"

namespace heron::app {
namespace {

using render::theme;

constexpr int kNames = 74, kFoot = 15, kMostTicks = 260;

std::pair<double, double> span_of(const study::Track& track) {
  double low = 0, high = 0;
  for (const auto& [t, v] : track.line) {
    low = std::min(low, v);
    high = std::max(high, v);
  }
  return low == high ? std::pair{low - 1, high + 1} : std::pair{low, high};
}

/// The line's value at a time.
double value_at(const study::Track& track, double time) {
  const auto after = std::find_if(track.line.begin(), track.line.end(), [&](const auto& p) { return p.first >= time; });
  if (after == track.line.begin()) return track.line.front().second;
  if (after == track.line.end()) return track.line.back().second;
  const auto before = after - 1;
  const double length = after->first - before->first;
  return length > 0 ? before->second + (after->second - before->second) * (time - before->first) / length
                    : after->second;
}

}  // namespace

SourcePicture::SourcePicture(Desk* desk, QWidget* parent) : QWidget(parent), desk_(desk) {
  setFixedSize(262, 86);
  setObjectName("source-picture");
  setAccessibleName("Sources against time");
  connect(&desk_->focus, &Focus::plan_changed, this, &SourcePicture::refresh);
  connect(&desk_->focus, &Focus::device_changed, this, &SourcePicture::refresh);
  refresh();
}

void SourcePicture::refresh() {
  const auto plan = desk_->focus.plan();
  course_ = plan ? plan->course(desk_->focus.limits()) : study::TimeCourse{};
  setVisible(!course_.tracks.empty());
  QStringList said;
  for (const auto& track : course_.tracks) {
    const auto [low, high] = span_of(track);
    said << QString("%1 from %2 to %3")
                .arg(text(track.name), text(format_setting(low, track.unit)), text(format_setting(high, track.unit)));
  }
  setAccessibleDescription(said.join(", ") + ", in " + text(format_duration(course_.seconds)));
  update();
}

QRectF SourcePicture::lane(int track) const {
  const double room = height() - kFoot - 4.0, each = room / std::max<double>(1, double(course_.tracks.size()));
  return {double(kNames), 2 + track * each + 2, width() - kNames - 4.0, each - 5};
}

void SourcePicture::paintEvent(QPaintEvent*) {
  if (course_.tracks.empty() || !(course_.seconds > 0)) return;
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  for (std::size_t k = 0; k < course_.tracks.size(); ++k) {
    const auto& track = course_.tracks[k];
    const auto box = lane(int(k));
    const auto [low, high] = span_of(track);
    const auto place = [&, low = low, high = high](double t, double v) {
      return QPointF(box.left() + box.width() * t / course_.seconds,
                     box.bottom() - box.height() * (v - low) / (high - low));
    };
    p.setPen(QPen(theme().line, 1));
    p.drawLine(place(0, 0), place(course_.seconds, 0));
    QPolygonF line;
    for (const auto& [t, v] : track.line) line << place(t, v);
    const bool swept = track.swept;
    p.setPen(QPen(swept ? theme().heron : theme().slate, 1.3));
    p.drawPolyline(line);
    if (swept && int(track.read.size()) <= kMostTicks) {
      p.setPen(Qt::NoPen);
      p.setBrush(theme().heron);
      for (const auto& [t, v] : track.read) p.drawEllipse(place(t, v), 1.5, 1.5);
    }
    p.setFont(render::text_font(11));
    p.setPen(theme().slate);
    p.drawText(QRectF(0, box.top(), kNames - 6, box.height()), Qt::AlignRight | Qt::AlignVCenter,
               p.fontMetrics().elidedText(text(track.name), Qt::ElideRight, kNames - 6));
  }
  p.setFont(render::number_font(10));
  p.setPen(theme().slate);
  const QRectF foot(kNames, height() - kFoot, width() - kNames - 4, kFoot);
  p.drawText(foot, Qt::AlignLeft | Qt::AlignVCenter, "0");
  p.drawText(foot, Qt::AlignRight | Qt::AlignVCenter, text(format_duration(course_.seconds)));
}

bool SourcePicture::event(QEvent* event) {
  if (event->type() != QEvent::ToolTip || course_.tracks.empty()) return QWidget::event(event);
  const auto* help = static_cast<QHelpEvent*>(event);
  const auto box = lane(0);
  const double time = std::clamp((help->pos().x() - box.left()) / box.width(), 0.0, 1.0) * course_.seconds;
  QStringList lines = {"After " + text(format_duration(time))};
  for (const auto& track : course_.tracks)
    lines << text(track.name) + " " + text(format_quantity(value_at(track, time), track.unit, 3).plain());
  QToolTip::showText(help->globalPos(), lines.join("\n"), this);
  return true;
}

}  // namespace heron::app
