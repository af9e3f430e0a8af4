#include "family_plot.h"

#include <cmath>
#include <map>

#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"

namespace heron::app {

using namespace render;
namespace {

constexpr int kMostDiscs = 120;  ///< points of a curve that still get a disc each

/// @param size  it is drawn without its sign
void measure(QCPAxis* axis, const study::iv::AxisQuantity& q, bool size) {
  const QString label = QString::fromStdString(q.label);
  measure_axis(axis, size ? "|" + label + "|" : label, q.unit, size);
}

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
  for (const char* layer : {"ground", "wake"}) addLayer(layer, this->layer("grid"), limAbove);
  set_axes(x_, y_, false);
}

void FamilyPlot::set_axes(const study::iv::AxisQuantity& x, const study::iv::AxisQuantity& y, bool logarithmic) {
  // The same again keeps the view that somebody chose.
  if (x == x_ && y == y_ && logarithmic == logarithmic_ && !yAxis->label().isEmpty()) return;
  x_ = x;
  y_ = y;
  logarithmic_ = logarithmic;
  if (below_rect_)
    measure(below_rect_->axis(QCPAxis::atBottom), x, false);
  else
    measure(xAxis, x, false);
  measure(yAxis, y, logarithmic);
  framed_x_ = framed_y_ = {};
}

QList<QCPAxisRect*> FamilyPlot::rects() const {
  QList<QCPAxisRect*> out = {axisRect()};
  if (below_rect_) out << below_rect_;
  return out;
}

void FamilyPlot::set_below(const std::optional<study::iv::AxisQuantity>& y) {
  constexpr double kShare = 0.65;  // of the upper plot's height
  below_ = y;
  if (!below_ && below_rect_) {
    clear_drawn();
    plotLayout()->remove(below_rect_);
    plotLayout()->simplify();
    below_rect_ = nullptr;
    xAxis->setTickLabels(true);
    measure(xAxis, x_, false);
  }
  if (!below_) return;
  if (!below_rect_) {
    below_rect_ = new QCPAxisRect(this);
    style_axes(*below_rect_);
    plotLayout()->addElement(1, 0, below_rect_);
    plotLayout()->setRowStretchFactor(1, kShare);
    auto* sides = new QCPMarginGroup(this);
    for (auto* rect : rects()) rect->setMarginGroup(QCP::msLeft | QCP::msRight, sides);
    below_rect_->setRangeDrag(Qt::Horizontal);
    below_rect_->setRangeZoom({});
    auto* x = below_rect_->axis(QCPAxis::atBottom);
    connect(x, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), xAxis,
            qOverload<const QCPRange&>(&QCPAxis::setRange));
    connect(xAxis, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), x,
            qOverload<const QCPRange&>(&QCPAxis::setRange));
    x->setRange(xAxis->range());
    xAxis->setTickLabels(false);
    measure_axis(xAxis, {}, x_.unit);
  }
  measure(below_rect_->axis(QCPAxis::atLeft), *below_, false);
  measure(below_rect_->axis(QCPAxis::atBottom), x_, false);
}

void FamilyPlot::draw_below(const FamilyCurves& take, bool fine) {
  if (!below_rect_ || take.wake) return;
  for (const auto& curve : take.family->curves) {
    const auto x = study::iv::along(*take.family, curve, x_.key),
               y = study::iv::along(*take.family, curve, below_->key);
    QVector<QCPCurveData> samples;
    samples.reserve(int(x.size()));
    for (std::size_t k = 0; k < x.size(); ++k) samples.append({double(k), x[k], y[k]});
    auto* drawn = new QCPCurve(below_rect_->axis(QCPAxis::atBottom), below_rect_->axis(QCPAxis::atLeft));
    drawn->data()->set(samples, true);
    QPen pen(take.colour, fine ? 1 : 1.6);
    if (take.dashed) pen.setStyle(Qt::DashLine);
    drawn->setPen(pen);
    drawn_ << drawn;
  }
}

void FamilyPlot::clear_drawn() {
  for (auto* p : drawn_) removePlottable(p);
  for (auto* i : items_) removeItem(i);
  drawn_.clear();
  items_.clear();
}

std::vector<QPointF> FamilyPlot::line_of(const study::iv::Family& family, const study::iv::Curve& curve) const {
  std::vector<QPointF> out;
  out.reserve(curve.points.size());
  if (plain()) {
    for (const auto& p : curve.points) out.emplace_back(p.voltage, logarithmic_ ? std::abs(p.current) : p.current);
    return out;
  }
  const auto x = study::iv::along(family, curve, x_.key), y = study::iv::along(family, curve, y_.key);
  for (std::size_t k = 0; k < x.size(); ++k) out.emplace_back(x[k], logarithmic_ ? std::abs(y[k]) : y[k]);
  return out;
}

void FamilyPlot::draw(const FamilyCurves& take, bool fine) {
  ends_.clear();
  for (const auto& curve : take.family->curves) {
    const auto line = line_of(*take.family, curve);
    auto* drawn = new QCPCurve(xAxis, yAxis);
    QVector<QCPCurveData> samples;
    samples.reserve(int(line.size()));
    End end{curve.step, {}, {}};
    bool any = false;
    for (const auto& p : line) {
      if (logarithmic_ && !(p.y() > 0) && !std::isnan(p.y())) continue;
      samples.append({double(samples.size()), p.x(), p.y()});
      if (!std::isfinite(p.x()) || !std::isfinite(p.y())) continue;
      if (!any) end.left = end.right = p;
      any = true;
      if (p.x() >= end.right.x()) end.right = p;
      if (p.x() < end.left.x()) end.left = p;
      if (!framing_) framing_ = QRectF(p, p);
      framing_->setLeft(std::min(framing_->left(), p.x()));
      framing_->setRight(std::max(framing_->right(), p.x()));
      framing_->setTop(std::min(framing_->top(), p.y()));
      framing_->setBottom(std::max(framing_->bottom(), p.y()));
    }
    if (any) ends_.push_back(end);
    drawn->data()->set(samples, true);
    QPen pen(take.wake ? theme().wake : take.colour, take.wake ? 9 : fine ? 1 : 1.8);
    pen.setCapStyle(Qt::RoundCap);
    if (take.dashed && !take.wake) pen.setStyle(Qt::DashLine);
    drawn->setPen(pen);
    drawn->setLayer(take.wake ? "wake" : "main");
    if (!take.wake && !fine && samples.size() <= kMostDiscs)
      drawn->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, take.colour, take.colour, 3.6));
    drawn_ << drawn;
    if (take.wake) continue;
    // What the instrument's limit held is ringed: it is not the device.
    QVector<QCPCurveData> held;
    for (std::size_t k = 0; k < curve.points.size(); ++k)
      if (!curve.points[k].usable() && std::isfinite(line[k].y()) && (!logarithmic_ || line[k].y() > 0))
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

/// The lines that figures were read from, with what came of them, and where their points end.
void FamilyPlot::draw_fits(const FamilyPicture& picture) {
  if (!plain()) return;
  QStringList words;
  for (const auto& fit : picture.fits) {
    auto* line = new QCPCurve(xAxis, yAxis);
    QVector<QCPCurveData> samples;
    for (const auto& [v, i] : fit.line)
      if (!logarithmic_ || i != 0) samples.append({double(samples.size()), v, logarithmic_ ? std::abs(i) : i});
    line->data()->set(samples, true);
    QPen pen(theme().ink, 1.1);
    pen.setDashPattern({7, 4});
    line->setPen(pen);
    drawn_ << line;
    words << QString::fromStdString(fit.words);
  }
  if (words.isEmpty() && !picture.no_fit.isEmpty()) words << picture.no_fit;
  if (words.isEmpty()) return;
  constexpr int kMostWords = 6;
  if (words.size() > kMostWords) words = words.mid(0, kMostWords) << "...";
  auto* said = new QCPItemText(this);
  said->position->setType(QCPItemPosition::ptAxisRectRatio);
  said->position->setCoords(0.015, 0.09);  // under the flags
  said->setPositionAlignment(Qt::AlignLeft | Qt::AlignTop);
  said->setTextAlignment(Qt::AlignLeft);
  said->setText(words.join("\n"));
  said->setFont(text_font(11));
  said->setColor(theme().ink);
  said->setBrush(QBrush(theme().sheet));
  said->setPadding(QMargins(4, 2, 4, 2));
  items_ << said;
}

/// A bar from least to most at its voltage, open at the side without a limit, the typical value a tick across.
void FamilyPlot::draw_marks(const FamilyPicture& picture) {
  if (!plain()) return;
  const auto shown = [&](double i) { return logarithmic_ ? std::abs(i) : i; };
  const auto add = [&](const QPen& pen, const std::vector<std::pair<double, double>>& points,
                       const QCPScatterStyle& scatter) {
    auto* line = new QCPCurve(xAxis, yAxis);
    QVector<QCPCurveData> samples;
    for (const auto& [v, i] : points) samples.append({double(samples.size()), v, shown(i)});
    line->data()->set(samples, true);
    line->setPen(pen);
    line->setScatterStyle(scatter);
    drawn_ << line;
  };
  const QPen pen(theme().ink, 1.4);
  for (const auto& mark : picture.marks) {
    const QCPScatterStyle cap(QCPScatterStyle::ssTriangleInverted, QPen(theme().ink, 1.2), QBrush(theme().sheet), 7),
        foot(QCPScatterStyle::ssTriangle, QPen(theme().ink, 1.2), QBrush(theme().sheet), 7);
    if (mark.least && mark.most) add(pen, {{mark.voltage, *mark.least}, {mark.voltage, *mark.most}}, {});
    if (mark.most) add(Qt::NoPen, {{mark.voltage, *mark.most}}, cap);
    if (mark.least) add(Qt::NoPen, {{mark.voltage, *mark.least}}, foot);
    if (mark.typical)
      add(Qt::NoPen, {{mark.voltage, *mark.typical}},
          QCPScatterStyle(QCPScatterStyle::ssDiamond, QPen(theme().ink, 1.2), QBrush(theme().ink), 5));
  }
}

void FamilyPlot::show_crossings(const QList<Crossing>& crossings) {
  for (auto* i : crossings_) removeItem(i);
  crossings_.clear();
  auto sorted = crossings;
  std::sort(sorted.begin(), sorted.end(), [](const auto& a, const auto& b) { return a.y < b.y; });
  constexpr double kApart = 14;
  // Each cursor's texts keep apart from their own kind.
  std::map<double, double> below;
  for (const auto& c : sorted) {
    double& last = below.try_emplace(c.x, -1e9).first->second;
    const double pixel = -yAxis->coordToPixel(logarithmic_ ? std::abs(c.y) : c.y);
    if (pixel - last < kApart) continue;
    last = pixel;
    auto* item = new QCPItemText(this);
    item->position->setCoords(c.x, logarithmic_ ? std::abs(c.y) : c.y);
    // On the side that the curve leaves free: above a rising one to the left, above a falling one to the right.
    const double place = (xAxis->coordToPixel(c.x) - axisRect()->left()) / std::max(1, axisRect()->width());
    const bool to_left = place > 0.9 || (c.rising && place > 0.15);
    item->setPositionAlignment((to_left ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignBottom);
    item->setPadding(QMargins(5, 0, 5, 4));
    item->setText(c.text);
    item->setFont(number_font(11));
    item->setColor(theme().ink);
    crossings_ << item;
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
  for (const auto& end : ends_)
    if (end.step)
      ends.push_back({end.left, end.right, QString::fromStdString(format_setting(*end.step, take.family->step_unit))});
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
  // None over another, from the lowest on.
  const QFontMetricsF metrics(text_font(11));
  decltype(names) fitting;
  QList<QRectF> taken;
  for (const auto& name : names) {
    const double wide = metrics.horizontalAdvance(name.second) + 6, high = 13;
    const QPointF at(xAxis->coordToPixel(name.first.x()), yAxis->coordToPixel(name.first.y()));
    const QRectF place(right ? at.x() : at.x() - wide, at.y() - high / 2, wide, high);
    if (std::any_of(taken.begin(), taken.end(), [&](const QRectF& other) { return other.intersects(place); })) continue;
    taken << place;
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
  if (!plain() || (!area.voltage && !area.current && !area.power)) return;
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

void FamilyPlot::show_picture(const FamilyPicture& picture) {
  constexpr std::size_t kMany = 40;  // curves: beyond, thin lines keep apart what thick ones would fill
  const bool keep = !framed() && framed_x_.size() > 0;
  clear_drawn();
  std::size_t curves = 0;
  for (const auto& take : picture.takes) curves += take.family->curves.size();
  framing_.reset();
  for (const auto& take : picture.takes) {
    draw_below(take, curves > kMany);
    draw(take, curves > kMany);
  }
  if (below_rect_) {
    auto* upright = below_rect_->axis(QCPAxis::atLeft);
    upright->rescale();
    upright->setRange(widened(upright->range(), false));
  }
  const bool any = framing_.has_value();
  QCPRange x, y;
  if (any) {
    x = {framing_->left(), framing_->right()};
    y = {framing_->top(), framing_->bottom()};
  }
  for (const auto& mark : picture.marks)
    for (const auto& i : {mark.least, mark.most})
      if (i && plain() && any && (!logarithmic_ || *i != 0)) y.expand(logarithmic_ ? std::abs(*i) : *i);
  draw_fits(picture);
  draw_marks(picture);
  if (plain())
    for (const auto& mask : picture.masks) {
      // A mask on one curve of a family is drawn as well: its words say which.
      if (mask.curve != "current" && !mask.curve.starts_with("current at ")) continue;
      for (const bool upper : {true, false}) {
        QVector<QPointF> line;
        for (const auto& [v, i] : upper ? mask.upper : mask.lower) line << QPointF(v, i);
        if (line.isEmpty()) continue;
        auto* ground = new ForbiddenGround(this, axisRect(), line, upper);
        ground->setLayer("ground");
        items_ << ground;
      }
    }
  frame_area(picture.area);
  const auto* last = picture.takes.isEmpty() ? nullptr : &picture.takes.last();
  if (any) {
    x_range_ = widened(x, false);
    // Room for the names at the curves' ends.
    if (last && last->family->curves.size() > 1) {
      x_range_.upper += 0.06 * x.size();
      x_range_.lower -= 0.04 * x.size();
    }
    y_range_ = widened(y, logarithmic_);
  }
  if (!keep) show_all();
  if (last && !last->wake) name_curves(*last);
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
  for (const auto& curve : family.curves) {
    const auto line = line_of(family, curve);
    for (std::size_t k = 0; k < line.size(); ++k) {
      if (!std::isfinite(line[k].y()) || (logarithmic_ && !(line[k].y() > 0))) continue;
      const double away =
          std::hypot(xAxis->coordToPixel(line[k].x()) - pixel.x(), yAxis->coordToPixel(line[k].y()) - pixel.y());
      if (!best || away < best->pixels) best = Near{&curve, k, away};
    }
  }
  return best;
}

}  // namespace heron::app
