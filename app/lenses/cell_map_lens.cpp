#include "cell_map_lens.h"

#include <QMouseEvent>
#include <algorithm>
#include <array>
#include <cmath>

#include "app/text.h"
#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;

namespace {
constexpr std::size_t kMostNumbers = 400;               ///< cells that have room for one
constexpr double kNumberWidth = 40, kNumberHeight = 17;  ///< pixels that a number wants
}  // namespace

std::vector<double> places_of(std::vector<double> values, bool set) {
  std::sort(values.begin(), values.end());
  std::vector<double> out;
  std::vector<double> group;
  const auto close_group = [&] {
    double sum = 0;
    for (const double v : group) sum += v;
    if (!group.empty()) out.push_back(sum / double(group.size()));
    group.clear();
  };
  const double floor = values.empty() ? 0 : 1e-3 * std::abs(values.back());
  for (const double v : values) {
    if (!group.empty() && v - group.back() > (set ? 1e-9 * std::abs(v) : std::max(0.02 * std::abs(v), floor))) close_group();
    group.push_back(v);
  }
  close_group();
  return out;
}

std::size_t nearest_place(const std::vector<double>& places, double value) {
  return std::size_t(std::min_element(places.begin(), places.end(), [&](double a, double b) { return std::abs(a - value) < std::abs(b - value); }) - places.begin());
}

CellMapLens::CellMapLens(Desk* desk, QWidget* parent, const char* object, const QString& accessible) : TakeLens(desk, parent, object, accessible) {
  plot_->axisRect()->setMinimumMargins(QMargins(8, 8, 16, 4));
  for (auto* axis : {plot_->xAxis, plot_->yAxis}) axis->grid()->setVisible(false);
  worst_ = new QCPItemRect(plot_);
  worst_->setPen(QPen(theme().ink, 2.2));
  worst_->setBrush(Qt::NoBrush);
  worst_->setVisible(false);
  looking_ = new PlotView(plot_, [this] { frame(); });
  plot_->installEventFilter(this);
}

CellMapLens::~CellMapLens() = default;

void CellMapLens::clear() {
  if (map_) plot_->removePlottable(map_);
  map_ = nullptr;
  for (auto* number : numbers_) plot_->removeItem(number);
  numbers_.clear();
  for (auto* contour : contours_) plot_->removePlottable(contour);
  contours_.clear();
  for (auto* name : levels_) plot_->removeItem(name);
  levels_.clear();
  worst_->setVisible(false);
}

void CellMapLens::show_grid(CellGrid grid, const QColor& ink) {
  clear();
  grid_ = std::move(grid);
  const auto wide = grid_.across.places.size(), tall = grid_.upwards.places.size();
  map_ = new QCPColorMap(plot_->xAxis, plot_->yAxis);
  map_->data()->setSize(int(wide), int(tall));
  map_->data()->setRange(QCPRange(0, double(wide) - 1), QCPRange(0, double(tall) - 1));
  map_->setInterpolate(false);
  lowest_ = INFINITY;
  highest_ = -INFINITY;
  std::size_t worst_x = 0, worst_y = 0;
  double worst = NAN;
  for (std::size_t y = 0; y < tall; ++y)
    for (std::size_t x = 0; x < wide; ++x) {
      const double v = value(x, y);
      map_->data()->setCell(int(x), int(y), v);
      if (!std::isfinite(v)) {
        map_->data()->setAlpha(int(x), int(y), 0);
        continue;
      }
      lowest_ = std::min(lowest_, v);
      highest_ = std::max(highest_, v);
      if (const double bad = grid_.badness(v); std::isnan(worst) || bad > worst) {
        worst = bad;
        worst_x = x;
        worst_y = y;
      }
    }
  if (!(highest_ >= lowest_)) return say("No cell has this figure.");
  QCPColorGradient shades;
  shades.clearColorStops();
  const QColor light = theme().sheet.darker(103), dark = ink.lighter(118);
  shades.setColorStopAt(0, grid_.dark_below ? dark : light);
  shades.setColorStopAt(1, grid_.dark_below ? light : dark);
  map_->setGradient(shades);
  map_->setDataRange(QCPRange(lowest_, highest_ > lowest_ ? highest_ : lowest_ + 1e-12));
  map_->setLayer("grid");
  worst_->topLeft->setCoords(double(worst_x) - 0.5, double(worst_y) + 0.5);
  worst_->bottomRight->setCoords(double(worst_x) + 0.5, double(worst_y) - 0.5);
  worst_->setVisible(true);
  const auto label = [](QCPAxis* axis, const CellGrid::Axis& of) {
    auto ticks = QSharedPointer<QCPAxisTickerText>::create();
    const auto every = std::max<std::size_t>(1, of.places.size() / 16);
    for (std::size_t k = 0; k < of.places.size(); k += every) ticks->addTick(double(k), text(format_quantity(of.places[k], of.unit, 3).plain()));
    axis->setTicker(ticks);
    axis->setLabel(of.name);
  };
  label(plot_->xAxis, grid_.across);
  plot_->xAxis->setLabel(grid_.across.name + "; cells in " + text(unit_scale(highest_, grid_.unit).unit));
  label(plot_->yAxis, grid_.upwards);
  draw_contours();
  // Places of another grid mean something else.
  const bool another = framed_ != cells();
  framed_ = cells();
  drawn(another);
  write_numbers();
  bar_->refresh();
}

/// A number in every cell that has room.
void CellMapLens::write_numbers() {
  for (auto* number : numbers_) plot_->removeItem(number);
  numbers_.clear();
  for (auto* name : levels_) name->setVisible(true);
  if (!map_) return;
  const double wide = std::abs(plot_->xAxis->coordToPixel(1) - plot_->xAxis->coordToPixel(0)), tall = std::abs(plot_->yAxis->coordToPixel(1) - plot_->yAxis->coordToPixel(0));
  if (wide < kNumberWidth || tall < kNumberHeight || grid_.size() > kMostNumbers) return;
  // Where cells say their numbers, lines need none.
  for (auto* name : levels_) name->setVisible(false);
  const auto scale = unit_scale(highest_, grid_.unit);
  for (std::size_t y = 0; y < grid_.upwards.places.size(); ++y)
    for (std::size_t x = 0; x < grid_.across.places.size(); ++x) {
      const double v = value(x, y);
      if (!std::isfinite(v)) continue;
      auto* number = new QCPItemText(plot_);
      number->position->setCoords(double(x), double(y));
      number->setFont(render::number_font(11));
      const double share = highest_ > lowest_ ? (v - lowest_) / (highest_ - lowest_) : 0;
      const bool on_dark = (grid_.dark_below ? 1 - share : share) > 0.6;
      number->setColor(on_dark ? theme().sheet : theme().ink);
      number->setText(QString::number(v * scale.factor, 'f', grid_.decimals));
      numbers_ << number;
    }
}

/// Lines of equal value between the middles of cells (marching squares).
void CellMapLens::draw_contours() {
  const double low = lowest_, high = highest_;
  const auto wide = grid_.across.places.size(), tall = grid_.upwards.places.size();
  if (!(high > low) || tall < 3 || wide < 3) return;
  const double step = render::round_step((high - low) / 5);
  for (double level = std::ceil(low / step) * step; level < high; level += step) {
    auto* curve = new QCPCurve(plot_->xAxis, plot_->yAxis);
    QVector<QCPCurveData> strokes;
    const auto segment = [&](QPointF a, QPointF b) {
      const double n = double(strokes.size());
      strokes << QCPCurveData(n, a.x(), a.y()) << QCPCurveData(n + 1, b.x(), b.y()) << QCPCurveData(n + 2, NAN, NAN);
    };
    for (std::size_t y = 0; y + 1 < tall; ++y)
      for (std::size_t x = 0; x + 1 < wide; ++x) {
        std::array<double, 4> v{};
        const std::array<QPointF, 4> corner = {QPointF(double(x), double(y)), QPointF(double(x) + 1, double(y)), QPointF(double(x) + 1, double(y) + 1), QPointF(double(x), double(y) + 1)};
        bool whole = true;
        for (std::size_t c = 0; c < 4; ++c) {
          v[c] = value(std::size_t(corner[c].x()), std::size_t(corner[c].y()));
          whole = whole && std::isfinite(v[c]);
        }
        if (!whole) continue;
        std::vector<QPointF> crossing;
        for (std::size_t c = 0; c < 4; ++c) {
          const auto d = (c + 1) % 4;
          if ((v[c] < level) != (v[d] < level)) crossing.push_back(corner[c] + (level - v[c]) / (v[d] - v[c]) * (corner[d] - corner[c]));
        }
        for (std::size_t c = 0; c + 1 < crossing.size(); c += 2) segment(crossing[c], crossing[c + 1]);
      }
    curve->data()->set(strokes, true);
    curve->setPen(QPen(theme().slate, 1));
    contours_ << curve;
    if (strokes.isEmpty()) continue;
    // Named where it leaves upwards.
    const auto top = std::max_element(strokes.begin(), strokes.end(), [](const QCPCurveData& a, const QCPCurveData& b) { return std::isnan(a.value) || (!std::isnan(b.value) && a.value < b.value); });
    auto* name = new QCPItemText(plot_);
    name->position->setCoords(top->key, top->value);
    name->setPositionAlignment(Qt::AlignHCenter | Qt::AlignTop);
    name->setFont(render::text_font(10.5, QFont::Medium));
    name->setColor(theme().slate);
    name->setBrush(theme().sheet);
    name->setPadding(QMargins(3, 1, 3, 1));
    name->setText(text(format_quantity(level, grid_.unit, 3).plain()));
    levels_ << name;
  }
}

QPointF CellMapLens::place_of(int across, int upwards) const { return {plot_->xAxis->coordToPixel(across), plot_->yAxis->coordToPixel(upwards)}; }

void CellMapLens::frame() {
  if (!map_) return;
  plot_->xAxis->setRange(-0.5, double(grid_.across.places.size()) - 0.5);
  plot_->yAxis->setRange(-0.5, double(grid_.upwards.places.size()) - 0.5);
  write_numbers();
}

void CellMapLens::resizeEvent(QResizeEvent* event) {
  TakeLens::resizeEvent(event);
  QMetaObject::invokeMethod(this, [this] {
    write_numbers();
    plot_->replot(QCustomPlot::rpQueuedReplot);
  }, Qt::QueuedConnection);
}

bool CellMapLens::eventFilter(QObject* watched, QEvent* event) {
  if (watched == plot_ && map_ && event->type() == QEvent::MouseButtonRelease) {
    const auto spot = static_cast<QMouseEvent*>(event)->position();
    const auto x = std::lround(plot_->xAxis->pixelToCoord(spot.x())), y = std::lround(plot_->yAxis->pixelToCoord(spot.y()));
    const bool inside = plot_->axisRect()->rect().contains(spot.toPoint()) && x >= 0 && y >= 0 && x < cells().width() && y < cells().height();
    if (inside)
      if (const int point = grid_.points[grid_.cell(std::size_t(x), std::size_t(y))]; point >= 0) emit point_chosen(point);
  }
  return TakeLens::eventFilter(watched, event);
}

}  // namespace heron::app
