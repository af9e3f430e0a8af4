#include "render/plot_parts.h"

#include <QFileInfo>
#include <QSvgGenerator>
#include <algorithm>

#include "base/quantity.h"
#include "hatch.h"
#include "render/theme.h"

namespace heron::render {
namespace {

/// Ticks in the unit that the label carries.
class ScaledTicker : public QCPAxisTicker {
 public:
  double factor = 1;

 protected:
  QString getTickLabel(double tick, const QLocale&, QChar, int) override {
    // What is left of a zero after steps that are no binary fractions is none.
    const double shown = std::abs(tick) < 1e-9 * step_ ? 0 : tick * factor;
    return QString::fromStdString(format_setting(shown, "1"));
  }
  double getTickStep(const QCPRange& range) override { return step_ = QCPAxisTicker::getTickStep(range); }

 private:
  double step_ = 0;
};

/// Every decade with its own unit: "10 nA".
class DecadeTicker : public QCPAxisTickerLog {
 public:
  explicit DecadeTicker(std::string unit) : unit_(std::move(unit)) {
    setLogBase(10);
    setSubTickCount(8);
  }

 protected:
  /// About one decade has round values between its ends; of less the ticks are even.
  QVector<double> createTickVector(double step, const QCPRange& range) override {
    const double decades = std::log10(range.upper / range.lower);
    constexpr double kFewest = 0.5, kMost = 1.6;
    if (!(range.lower > 0) || decades < kFewest || decades > kMost) return QCPAxisTickerLog::createTickVector(step, range);
    QVector<double> out;
    for (double decade = std::pow(10, std::floor(std::log10(range.lower))); decade <= range.upper; decade *= 10)
      for (const double times : {1.0, 2.0, 5.0}) out << times * decade;
    return out;
  }
  QString getTickLabel(double tick, const QLocale&, QChar, int) override {
    return QString::fromStdString(format_setting(tick, unit_));
  }

 private:
  std::string unit_;
};

/// Keeps an axis' label and ticks in one unit while its range changes.
class MeasuredAxis : public QObject {
 public:
  MeasuredAxis(QCPAxis* axis, QString name, std::string unit)
      : QObject(axis), axis_(axis), name_(std::move(name)), unit_(std::move(unit)), ticker_(new ScaledTicker) {
    axis_->setTicker(ticker_);
    connect(axis_, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), this, &MeasuredAxis::follow);
    connect(axis_->parentPlot(), &QCustomPlot::afterLayout, this, [this] {
      // Who has named the axis otherwise since then names it alone.
      if (axis_->label() == ours_) fit();
    });
    follow(axis_->range());
  }

 private:
  void follow(const QCPRange& range) {
    const double largest = std::max(std::abs(range.lower), std::abs(range.upper));
    const auto scale = unit_scale(largest, unit_);
    ticker_->factor = scale.factor;
    said_ = QString::fromStdString(scale.unit);
    fit();
  }

  /// In a panel that is lower than its words are long the unit alone stands: panels above each other do not run into one
  /// another.
  void fit() {
    QString label = name_.isEmpty() || said_.isEmpty() ? name_ : name_ + ", " + said_;
    const bool upright = axis_->orientation() == Qt::Vertical && !name_.isEmpty();
    const int room = axis_->axisRect()->height();
    if (upright && !said_.isEmpty() && room > 0 && QFontMetrics(axis_->labelFont()).horizontalAdvance(label) > room) label = said_;
    // No more numbers than stand apart.
    constexpr int kRow = 18, kFewest = 3, kMost = 5;
    if (axis_->orientation() == Qt::Vertical && room > 0) ticker_->setTickCount(std::clamp(room / kRow, kFewest, kMost));
    ours_ = label;
    if (label != axis_->label()) axis_->setLabel(label);
  }

  QCPAxis* axis_;
  QString name_, said_, ours_;
  std::string unit_;
  QSharedPointer<ScaledTicker> ticker_;
};

}  // namespace

void style_plot(QCustomPlot& plot) {
  // No plot of ours has a legend; keeping one up to date costs as much as the curves.
  plot.setAutoAddPlottableToLegend(false);
  plot.setBackground(QBrush(theme().sheet));
  plot.setNoAntialiasingOnDrag(false);
  plot.setBufferDevicePixelRatio(plot.devicePixelRatioF());
  plot.legend->setVisible(false);
}

void set_free(QCPAbstractItem& item) {
  item.setClipAxisRect(nullptr);
  item.setClipToAxisRect(false);
}

void style_axis(QCPAxis& axis) {
  axis.setBasePen(QPen(theme().line, 1));
  axis.setTickPen(Qt::NoPen);
  axis.setSubTickPen(Qt::NoPen);
  axis.setTickLabelFont(number_font(11));
  axis.setTickLabelColor(theme().slate);
  axis.setLabelFont(text_font(11));
  axis.setLabelColor(theme().slate);
  axis.setTickLabelPadding(6);
  axis.setLabelPadding(4);
  axis.grid()->setPen(QPen(QColor(0xDD, 0xE3, 0xDF), 1));
  axis.grid()->setSubGridPen(QPen(QColor(0xEC, 0xF0, 0xED), 1));
  axis.grid()->setZeroLinePen(QPen(theme().line, 1));
}

void style_axes(QCPAxisRect& rect) {
  rect.setupFullAxesBox(false);
  for (auto* axis : rect.axes()) style_axis(*axis);
  rect.axis(QCPAxis::atTop)->setVisible(false);
  rect.axis(QCPAxis::atRight)->setVisible(false);
  rect.axis(QCPAxis::atLeft)->setNumberFormat("gb");
  rect.axis(QCPAxis::atLeft)->setNumberPrecision(4);
}

QList<QCPAxisRect*> stack_panels(QCustomPlot& plot, int count) {
  plot.plotLayout()->clear();
  plot.plotLayout()->setRowSpacing(4);
  auto* sides = new QCPMarginGroup(&plot);
  QList<QCPAxisRect*> out;
  for (int k = 0; k < count; ++k) {
    auto* rect = new QCPAxisRect(&plot);
    plot.plotLayout()->addElement(k, 0, rect);
    style_axes(*rect);
    rect->setMarginGroup(QCP::msLeft | QCP::msRight, sides);
    rect->setMinimumMargins(QMargins(8, 6, 14, 2));
    rect->setRangeDrag(Qt::Horizontal | Qt::Vertical);
    auto* along = rect->axis(QCPAxis::atBottom);
    along->setTickLabels(k + 1 == count);
    for (auto* above : out) {
      auto* its = above->axis(QCPAxis::atBottom);
      QObject::connect(along, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), its, qOverload<const QCPRange&>(&QCPAxis::setRange));
      QObject::connect(its, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), along, qOverload<const QCPRange&>(&QCPAxis::setRange));
    }
    out << rect;
  }
  return out;
}

void measure_axis(QCPAxis* axis, const QString& name, const std::string& unit, bool logarithmic) {
  for (auto* before : axis->children())
    if (dynamic_cast<MeasuredAxis*>(before)) delete before;
  axis->setScaleType(logarithmic ? QCPAxis::stLogarithmic : QCPAxis::stLinear);
  if (logarithmic) {
    axis->setTicker(QSharedPointer<DecadeTicker>(new DecadeTicker(unit)));
    axis->setLabel(name);
  } else {
    new MeasuredAxis(axis, name, unit);
  }
}

ForbiddenGround::ForbiddenGround(QCustomPlot* plot, QCPAxisRect* rect, QVector<QPointF> line, bool upper,
                                 QCPAxis* upright, bool filled)
    : QCPAbstractItem(plot),
      line_(std::move(line)),
      upper_(upper),
      filled_(filled),
      rect_(rect),
      upright_(upright ? upright : rect->axis(QCPAxis::atLeft)) {
  setClipToAxisRect(true);
  setClipAxisRect(rect);
  setSelectable(false);
}

void ForbiddenGround::draw(QCPPainter* painter) {
  if (line_.size() < 2) return;
  auto* x = rect_->axis(QCPAxis::atBottom);
  QPolygonF edge;
  for (const auto& point : line_) edge << QPointF(x->coordToPixel(point.x()), upright_->coordToPixel(point.y()));
  painter->setBrush(Qt::NoBrush);
  if (!filled_) {
    painter->setPen(QPen(theme().ink, 1.2));
    painter->drawPolyline(edge);
    return;
  }
  const QRectF within = rect_->rect();
  const double wall = upper_ ? within.top() - 2 : within.bottom() + 2;
  QPolygonF area = edge;
  area << QPointF(edge.last().x(), wall) << QPointF(edge.first().x(), wall);
  QColor stroke = theme().slate;
  stroke.setAlpha(70);
  // No more of it than the plot shows: a zoomed mask is larger than any screen.
  QPolygonF shown(within);
  hatch(*painter, area.intersected(shown), stroke);
  painter->setPen(QPen(theme().ink, 1.2));
  painter->setBrush(Qt::NoBrush);
  QPolygonF outline;
  outline << QPointF(edge.first().x(), wall) << edge << QPointF(edge.last().x(), wall);
  painter->drawPolyline(outline);
}

CursorLine::CursorLine(QCustomPlot* plot, QList<QCPAxisRect*> rects, QString letter)
    : QCPAbstractItem(plot), rects_(std::move(rects)), letter_(std::move(letter)) {
  setClipToAxisRect(false);
  setSelectable(true);
}

double CursorLine::selectTest(const QPointF& at, bool, QVariant*) const {
  if (!visible()) return -1;
  for (const auto* rect : rects_)
    if (rect->rect().contains(at.toPoint()))
      return std::abs(rect->axis(QCPAxis::atBottom)->coordToPixel(key_) - at.x());
  return -1;
}

void CursorLine::draw(QCPPainter* painter) {
  const double x = rects_.first()->axis(QCPAxis::atBottom)->coordToPixel(key_);
  const QRectF first = rects_.first()->rect();
  if (x < first.left() - 0.5 || x > first.right() + 0.5) return;
  QPen pen(theme().ink, 1);
  pen.setDashPattern({4, 3});
  painter->setPen(pen);
  for (const auto* rect : rects_) painter->drawLine(QLineF(x, rect->top(), x, rect->bottom()));
  const QRectF flag(x - 9, first.top(), 18, 17);
  painter->setPen(Qt::NoPen);
  painter->setBrush(theme().ink);
  painter->drawRect(flag);
  painter->setPen(theme().sheet);
  painter->setFont(text_font(11, QFont::DemiBold));
  painter->drawText(flag, Qt::AlignCenter, letter_);
}

std::vector<double> parted(const std::vector<double>& wanted, double top, double bottom, double apart) {
  std::vector<double> out;
  // Those below must find room too.
  const double most = bottom - apart * (double(wanted.size()) - 1);
  for (std::size_t k = 0; k < wanted.size(); ++k) {
    const double inside = std::clamp(wanted[k], top, std::max(top, most + apart * double(k)));
    out.push_back(out.empty() ? inside : std::max(inside, out.back() + apart));
  }
  return out;
}

QCPScatterStyle sample_dot(const QColor& colour, double size) {
  // Odd, so that it has a middle pixel; and one to one: the plot centres a picture by its own pixels.
  const int side = 2 * int(std::ceil(size / 2)) + 1;
  QPixmap picture(side, side);
  picture.fill(Qt::transparent);
  QPainter painter(&picture);
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(Qt::NoPen);
  painter.setBrush(colour);
  painter.drawEllipse(QPointF(side / 2.0, side / 2.0), size / 2, size / 2);
  return QCPScatterStyle(picture);
}

LongGraph::LongGraph(QCPAxis* key_axis, QCPAxis* value_axis)
    : graph_(key_axis->parentPlot()->addGraph(key_axis, value_axis)) {
  // The thinning is ours; the plot's own would only go through the points once more.
  graph_->setAdaptiveSampling(false);
  before_frame_ = QObject::connect(key_axis->parentPlot(), &QCustomPlot::beforeReplot, [this] { thin(); });
}

void LongGraph::set_data(std::vector<double> x, std::vector<double> y) {
  x_ = std::move(x);
  y_ = std::move(y);
  pyramid_ = signal::MinMaxPyramid(y_);
  thinned_width_ = 0;
}

void LongGraph::thin() {
  // The plot's own width: before a frame the axis rectangle may not have been laid out yet.
  const auto range = graph_->keyAxis()->range();
  const int width = std::max(1, graph_->parentPlot()->viewport().width());
  if (width == thinned_width_ && range == thinned_range_) return;
  thinned_width_ = width;
  thinned_range_ = range;
  const auto curve = signal::thin_curve(x_, y_, pyramid_, range.lower, range.upper, width);
  auto data = QSharedPointer<QCPGraphDataContainer>::create();
  QVector<QCPGraphData> points;
  points.reserve(int(curve.x.size()));
  for (std::size_t i = 0; i < curve.x.size(); ++i) points.append({curve.x[i], curve.y[i]});
  data->set(points, true);
  graph_->setData(data);
}

QByteArray drawing_of(QCustomPlot& plot, QSize size) {
  QBuffer buffer;
  buffer.open(QIODevice::WriteOnly);
  QSvgGenerator generator;
  generator.setOutputDevice(&buffer);
  generator.setSize(size);
  generator.setViewBox(QRect(QPoint(0, 0), size));
  generator.setTitle("Zealous Heron");
  QCPPainter painter;
  if (!painter.begin(&generator)) return {};
  painter.setMode(QCPPainter::pmVectorized);
  painter.setMode(QCPPainter::pmNoCaching);
  painter.fillRect(QRect(QPoint(0, 0), size), theme().sheet);
  plot.toPainter(&painter, size.width(), size.height());
  return painter.end() ? buffer.data() : QByteArray();
}

QString save_picture(QCustomPlot& plot, const QString& path, QSize size) {
  const QString ending = QFileInfo(path).suffix().toLower();
  bool done = false;
  if (ending == "png") {
    done = plot.savePng(path, size.width(), size.height(), 2);
  } else if (ending == "pdf") {
    done = plot.savePdf(path, size.width(), size.height(), QCP::epNoCosmetic, "Zealous Heron");
  } else if (ending == "svg") {
    const auto drawing = drawing_of(plot, size);
    QFile file(path);
    done = !drawing.isEmpty() && file.open(QIODevice::WriteOnly) && file.write(drawing) == drawing.size() && file.flush();
  } else {
    return QString("Pictures are written as .png, .svg or .pdf, not as \".%1\".").arg(ending);
  }
  return done ? QString() : QString("%1 cannot be written; is the folder there and the disk not full?").arg(path);
}

}  // namespace heron::render
