#include "render/family_plot.h"

#include <cmath>

#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"

namespace heron::render {
namespace {

constexpr int kMostDiscs = 120;  ///< points of a curve that still get a disc each

/// 10 n, 100 n, 1 µ ... and 0.5 m: engineering prefixes on any axis.
class UnitlessTicker : public QCPAxisTicker {
 protected:
  QString getTickLabel(double tick, const QLocale&, QChar, int) override { return prefixed(tick); }

 public:
  static QString prefixed(double tick) {
    if (std::abs(tick) < 1e-30) return "0";
    return QString::fromStdString(format_setting(tick, "A")).remove('A').trimmed();
  }
};

class LogUnitlessTicker : public QCPAxisTickerLog {
 protected:
  QString getTickLabel(double tick, const QLocale&, QChar, int) override { return UnitlessTicker::prefixed(tick); }
};

QCPRange widened(QCPRange range, bool logarithmic) {
  if (logarithmic) return {range.lower / 2, range.upper * 2};
  const double room = range.size() > 0 ? 0.06 * range.size() : std::max(1e-12, 0.1 * std::abs(range.upper));
  return {range.lower - room, range.upper + room};
}

}  // namespace

FamilyPlot::FamilyPlot(QWidget* parent) : QCustomPlot(parent) {
  style_plot(*this);
  style_axes(*axisRect());
  axisRect()->setRangeDrag(Qt::Horizontal | Qt::Vertical);
  axisRect()->setRangeZoom({});
  axisRect()->setAutoMargins(QCP::msAll);
  xAxis->setLabel("Voltage, V");
  xAxis->setTicker(QSharedPointer<QCPAxisTicker>(new UnitlessTicker));
  for (const char* layer : {"ground", "wake"}) addLayer(layer, this->layer("grid"), limAbove);
  set_form(Upright::current, false);
}

void FamilyPlot::set_form(Upright upright, bool logarithmic) {
  upright_ = upright;
  logarithmic_ = logarithmic;
  const QString unit = upright == Upright::current ? "A" : upright == Upright::slope ? "S" : "W";
  const QString name = upright == Upright::current ? "Current" : upright == Upright::slope ? "Slope dI/dV" : "Power";
  yAxis->setLabel((logarithmic ? "|" + name + "|" : name) + ", " + unit);
  yAxis->setScaleType(logarithmic ? QCPAxis::stLogarithmic : QCPAxis::stLinear);
  yAxis->setTicker(logarithmic ? QSharedPointer<QCPAxisTicker>(new LogUnitlessTicker)
                               : QSharedPointer<QCPAxisTicker>(new UnitlessTicker));
  framed_x_ = framed_y_ = {};
}

std::vector<QPointF> FamilyPlot::line_of(const study::iv::Curve& curve) const {
  std::vector<QPointF> out;
  if (upright_ == Upright::slope) {
    // Each stretch by itself: a loop has two slopes at one voltage.
    for (const auto& piece : study::iv::pieces_of(curve)) {
      const auto s = study::iv::sorted(curve, piece.points);
      for (const double v : s.voltage)
        if (const auto g = study::iv::slope_at(s, v)) out.emplace_back(v, logarithmic_ ? std::abs(*g) : *g);
      out.emplace_back(std::nan(""), std::nan(""));
    }
    return out;
  }
  for (const auto& p : curve.points) {
    const double y = upright_ == Upright::power ? p.voltage * p.current : p.current;
    out.emplace_back(p.voltage, logarithmic_ ? std::abs(y) : y);
  }
  return out;
}

void FamilyPlot::draw(const FamilyCurves& take) {
  for (const auto& curve : take.family->curves) {
    const auto line = line_of(curve);
    auto* drawn = new QCPCurve(xAxis, yAxis);
    QVector<QCPCurveData> samples;
    for (const auto& p : line)
      if (!logarithmic_ || p.y() > 0 || std::isnan(p.y())) samples.append({double(samples.size()), p.x(), p.y()});
    drawn->data()->set(samples, true);
    QPen pen(take.wake ? theme().wake : take.colour, take.wake ? 9 : 1.8);
    pen.setCapStyle(Qt::RoundCap);
    if (take.dashed && !take.wake) pen.setStyle(Qt::DashLine);
    drawn->setPen(pen);
    drawn->setLayer(take.wake ? "wake" : "main");
    if (!take.wake && samples.size() <= kMostDiscs)
      drawn->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, take.colour, take.colour, 3.6));
    drawn_ << drawn;
    if (take.wake || upright_ == Upright::slope) continue;
    // What the source's limit held is ringed: it is not the device.
    QVector<QCPCurveData> held;
    for (std::size_t k = 0; k < curve.points.size(); ++k)
      if (curve.points[k].at_compliance && (!logarithmic_ || line[k].y() > 0))
        held.append({double(k), line[k].x(), line[k].y()});
    if (held.isEmpty()) continue;
    auto* rings = new QCPCurve(xAxis, yAxis);
    rings->data()->set(held, true);
    rings->setLineStyle(QCPCurve::lsNone);
    rings->setScatterStyle(
        QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(theme().bill, 1.4), QBrush(theme().sheet), 7));
    drawn_ << rings;
  }
}

/// The value of what is stepped at the end of each curve, as far as there is room.
void FamilyPlot::name_curves(const FamilyCurves& take) {
  if (take.family->curves.size() < 2) return;
  struct Name {
    QPointF left, right;
    QString text;
  };
  std::vector<Name> ends;
  for (const auto& curve : take.family->curves) {
    std::optional<Name> name;
    for (const auto& p : line_of(curve)) {
      if (!std::isfinite(p.x()) || (logarithmic_ && !(p.y() > 0))) continue;
      if (!name) name = Name{p, p, {}};
      if (p.x() >= name->right.x()) name->right = p;
      if (p.x() < name->left.x()) name->left = p;
    }
    if (!name || !curve.step) continue;
    name->text = QString::fromStdString(format_setting(*curve.step, take.family->step_unit));
    ends.push_back(*name);
  }
  // At the side where the curves lie apart.
  const auto spread = [&](bool right) {
    double low = 1e9, high = -1e9;
    for (const auto& e : ends) {
      const double y = yAxis->coordToPixel((right ? e.right : e.left).y());
      low = std::min(low, y);
      high = std::max(high, y);
    }
    return high - low;
  };
  const bool right = spread(true) >= 0.5 * spread(false);
  std::vector<std::pair<QPointF, QString>> names;
  for (const auto& e : ends) names.emplace_back(right ? e.right : e.left, e.text);
  std::sort(names.begin(), names.end(), [](const auto& a, const auto& b) { return a.first.y() < b.first.y(); });
  constexpr double kApart = 13;
  double last = -1e9;
  decltype(names) fitting;
  for (const auto& name : names) {
    const double pixel = -yAxis->coordToPixel(name.first.y());
    if (pixel - last < kApart) continue;
    last = pixel;
    fitting.push_back(name);
  }
  // A name or two out of many would pass for the whole family's.
  if (2 * fitting.size() < names.size()) return;
  for (const auto& [end, name] : fitting) {
    auto* item = new QCPItemText(this);
    item->position->setCoords(end.x(), end.y());
    item->setPositionAlignment((right ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter);
    item->setPadding(QMargins(6, 0, 6, 0));
    item->setText(name);
    item->setFont(text_font(11));
    item->setColor(take.colour);
    item->setClipToAxisRect(false);
    items_ << item;
  }
}

void FamilyPlot::frame_area(const SafeArea& area) {
  if (upright_ != Upright::current || (!area.voltage && !area.current && !area.power)) return;
  // The highest current that voltage and power leave, on the positive side.
  const double most_v = area.voltage.value_or(1e3), most_i = area.current.value_or(1e3);
  QVector<QPointF> line;
  constexpr int kPoints = 120;
  for (int k = 0; k <= kPoints; ++k) {
    const double v = most_v * k / kPoints;
    const double i = area.power && v > 0 ? std::min(most_i, *area.power / v) : most_i;
    line << QPointF(v, i);
  }
  auto* ground = new ForbiddenGround(this, axisRect(), line, true);
  ground->setLayer("ground");
  items_ << ground;
}

void FamilyPlot::show_curves(const QList<FamilyCurves>& takes, const std::vector<judge::Mask>& masks,
                             const SafeArea& area) {
  const bool keep = !framed() && framed_x_.size() > 0;
  for (auto* p : drawn_) removePlottable(p);
  for (auto* i : items_) removeItem(i);
  drawn_.clear();
  items_.clear();
  bool any = false;
  QCPRange x, y;
  for (const auto& take : takes) {
    draw(take);
    for (const auto& curve : take.family->curves)
      for (const auto& p : line_of(curve)) {
        if (!std::isfinite(p.x()) || !std::isfinite(p.y()) || (logarithmic_ && !(p.y() > 0))) continue;
        if (!any) {
          x = {p.x(), p.x()};
          y = {p.y(), p.y()};
        }
        any = true;
        x.expand(p.x());
        y.expand(p.y());
      }
  }
  if (upright_ == Upright::current)
    for (const auto& mask : masks) {
      if (mask.curve != "current") continue;
      for (const bool upper : {true, false}) {
        QVector<QPointF> line;
        for (const auto& [v, i] : upper ? mask.upper : mask.lower) line << QPointF(v, i);
        if (line.isEmpty()) continue;
        auto* ground = new ForbiddenGround(this, axisRect(), line, upper);
        ground->setLayer("ground");
        items_ << ground;
      }
    }
  frame_area(area);
  if (any) {
    x_range_ = widened(x, false);
    // Room for the names at the curves' ends.
    if (!takes.isEmpty() && takes.last().family->curves.size() > 1) {
      x_range_.upper += 0.06 * x.size();
      x_range_.lower -= 0.04 * x.size();
    }
    y_range_ = widened(y, logarithmic_);
  }
  if (!keep) show_all();
  if (!takes.isEmpty() && !takes.last().wake) name_curves(takes.last());
}

bool FamilyPlot::framed() const { return xAxis->range() == framed_x_ && yAxis->range() == framed_y_; }

void FamilyPlot::show_all() {
  xAxis->setRange(x_range_);
  yAxis->setRange(y_range_);
  framed_x_ = xAxis->range();
  framed_y_ = yAxis->range();
}

std::optional<FamilyPlot::Near> FamilyPlot::nearest(const study::iv::Family& family, const QPointF& pixel) const {
  std::optional<Near> best;
  for (const auto& curve : family.curves)
    for (std::size_t k = 0; k < curve.points.size(); ++k) {
      const auto& p = curve.points[k];
      double y = upright_ == Upright::power ? p.voltage * p.current : p.current;
      if (logarithmic_) y = std::abs(y);
      if (logarithmic_ && !(y > 0)) continue;
      const double away = std::hypot(xAxis->coordToPixel(p.voltage) - pixel.x(), yAxis->coordToPixel(y) - pixel.y());
      if (!best || away < best->pixels) best = Near{&curve, k, away};
    }
  return best;
}

}  // namespace heron::render
