#include "map_lens.h"

#include <QMouseEvent>
#include <algorithm>
#include <cmath>

#include "app/text.h"
#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;
namespace conversion = study::conversion;

namespace {

constexpr int kMostNumbers = 400;     ///< cells that have room for one
constexpr double kNumberWidth = 40, kNumberHeight = 17;  ///< pixels that a number wants

/// What was set is a place by itself; of what was only read, values that follow each other within 2 % are one.
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

std::size_t nearest(const std::vector<double>& places, double v) {
  return std::size_t(std::min_element(places.begin(), places.end(), [&](double a, double b) { return std::abs(a - v) < std::abs(b - v); }) - places.begin());
}

double load_of(const conversion::Row& r) { return r.load.value_or(r.iout()); }

}  // namespace

MapLens::MapLens(Desk* desk, QWidget* parent) : TakeLens(desk, parent, "map", "Line by load") {
  plot_->axisRect()->setMinimumMargins(QMargins(8, 8, 16, 4));
  for (auto* axis : {plot_->xAxis, plot_->yAxis}) axis->grid()->setVisible(false);
  worst_ = new QCPItemRect(plot_);
  worst_->setPen(QPen(theme().ink, 2.2));
  worst_->setBrush(Qt::NoBrush);
  worst_->setVisible(false);
  looking_ = new PlotView(plot_, [this] { frame(); });
  plot_->installEventFilter(this);
  bar_->add(
      "Figure", "What the cells show", [this] { return QString(which_ == Shown::efficiency ? "efficiency" : which_ == Shown::loss ? "loss" : "output"); },
      [this] {
        which_ = which_ == Shown::efficiency ? Shown::loss : which_ == Shown::loss ? Shown::output : Shown::efficiency;
        draw();
      });
  bar_->refresh();
}

MapLens::~MapLens() = default;

void MapLens::prepare(const TakeViewPtr& view) {
  ink_ = render::take_colour(view->take.number);
  working_.ask(
      [view] {
        Ready out;
        const auto* reduced = conversion_of(view.get());
        const auto settings = conversion::settings_from_text(view->analysis.settings);
        if (!reduced || !settings) return out;
        out.settings = *settings;
        out.rows = conversion::within_limits(reduced->rows(), *settings);
        return out;
      },
      [this](const Ready& ready) {
        ready_ = ready;
        draw();
      });
}

void MapLens::clear() {
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

double MapLens::value_of(const conversion::Row& r) const {
  switch (which_) {
    case Shown::efficiency: return r.input_power() != 0 ? 100 * r.efficiency() : NAN;
    case Shown::loss: return r.loss();
    case Shown::output: return r.vout();
  }
  return NAN;
}

const conversion::Row* MapLens::at(std::size_t load, std::size_t line) const {
  if (load >= loads_.size() || line >= lines_.size()) return nullptr;
  const int row = cell_[line * loads_.size() + load];
  return row < 0 ? nullptr : &ready_.rows[std::size_t(row)];
}

void MapLens::draw() {
  clear();
  // One frequency and temperature: the ones chosen, else the first.
  const auto& rows = ready_.rows;
  if (rows.empty()) return say("No point lies within the limits of line and load.");
  const auto first = std::find_if(rows.begin(), rows.end(), [&](const conversion::Row& r) { return !ready_.settings.frequency || !r.frequency || std::abs(*r.frequency / *ready_.settings.frequency - 1) < 0.02; });
  const auto& like = first == rows.end() ? rows.front() : *first;
  std::vector<double> lines, loads;
  for (const auto& r : rows)
    if (r.frequency == like.frequency && r.temperature == like.temperature) {
      lines.push_back(r.line_or_read());
      loads.push_back(load_of(r));
    }
  const auto all_set = [&](auto of) { return std::all_of(rows.begin(), rows.end(), [&](const conversion::Row& r) { return of(r).has_value(); }); };
  lines_ = places_of(std::move(lines), all_set([](const conversion::Row& r) { return r.line; }));
  loads_ = places_of(std::move(loads), all_set([](const conversion::Row& r) { return r.load; }));
  if (lines_.size() < 2 || loads_.size() < 2) return say("A map wants at least two lines and two loads.");
  cell_.assign(lines_.size() * loads_.size(), -1);
  for (std::size_t k = 0; k < rows.size(); ++k)
    if (rows[k].frequency == like.frequency && rows[k].temperature == like.temperature) cell_[nearest(lines_, rows[k].line_or_read()) * loads_.size() + nearest(loads_, load_of(rows[k]))] = int(k);
  map_ = new QCPColorMap(plot_->xAxis, plot_->yAxis);
  map_->data()->setSize(int(loads_.size()), int(lines_.size()));
  map_->data()->setRange(QCPRange(0, double(loads_.size()) - 1), QCPRange(0, double(lines_.size()) - 1));
  map_->setInterpolate(false);
  lowest_ = INFINITY;
  highest_ = -INFINITY;
  const bool small_is_bad = which_ == Shown::efficiency;
  std::size_t worst_load = 0, worst_line = 0;
  double worst = NAN;
  for (std::size_t y = 0; y < lines_.size(); ++y)
    for (std::size_t x = 0; x < loads_.size(); ++x) {
      const auto* row = at(x, y);
      const double v = row ? value_of(*row) : NAN;
      map_->data()->setCell(int(x), int(y), v);
      if (!std::isfinite(v)) {
        map_->data()->setAlpha(int(x), int(y), 0);
        continue;
      }
      lowest_ = std::min(lowest_, v);
      highest_ = std::max(highest_, v);
      const double badness = which_ == Shown::output ? std::abs(v - ready_.settings.nominal.value_or(v)) : small_is_bad ? -v : v;
      if (std::isnan(worst) || badness > worst) {
        worst = badness;
        worst_load = x;
        worst_line = y;
      }
    }
  if (!(highest_ >= lowest_)) return say("No cell has this figure.");
  // Lightness alone: the less there is of what is wanted, the darker.
  QCPColorGradient shades;
  shades.clearColorStops();
  const QColor light = theme().sheet.darker(103), dark = ink_.lighter(118);
  shades.setColorStopAt(0, small_is_bad ? dark : light);
  shades.setColorStopAt(1, small_is_bad ? light : dark);
  map_->setGradient(shades);
  map_->setDataRange(QCPRange(lowest_, highest_ > lowest_ ? highest_ : lowest_ + 1e-12));
  map_->setLayer("grid");
  worst_->topLeft->setCoords(double(worst_load) - 0.5, double(worst_line) + 0.5);
  worst_->bottomRight->setCoords(double(worst_load) + 0.5, double(worst_line) - 0.5);
  worst_->setVisible(true);
  const auto label = [](QCPAxis* axis, const QString& name, const std::vector<double>& places, const char* unit) {
    auto ticks = QSharedPointer<QCPAxisTickerText>::create();
    const auto every = std::max<std::size_t>(1, places.size() / 16);
    for (std::size_t k = 0; k < places.size(); k += every) ticks->addTick(double(k), text(format_quantity(places[k], unit, 3).plain()));
    axis->setTicker(ticks);
    axis->setLabel(name);
  };
  label(plot_->xAxis, "Load", loads_, "A");
  label(plot_->yAxis, "Line", lines_, "V");
  draw_contours(lowest_, highest_);
  // Places of another grid mean something else.
  const bool another = framed_ != cells();
  framed_ = cells();
  drawn(another);
  write_numbers();
  bar_->refresh();
}

/// A number in every cell that has room.
void MapLens::write_numbers() {
  for (auto* number : numbers_) plot_->removeItem(number);
  numbers_.clear();
  for (auto* name : levels_) name->setVisible(true);
  if (!map_) return;
  const double wide = std::abs(plot_->xAxis->coordToPixel(1) - plot_->xAxis->coordToPixel(0)), tall = std::abs(plot_->yAxis->coordToPixel(1) - plot_->yAxis->coordToPixel(0));
  if (wide < kNumberWidth || tall < kNumberHeight || loads_.size() * lines_.size() > kMostNumbers) return;
  // Where cells say their numbers, lines need none.
  for (auto* name : levels_) name->setVisible(false);
  const auto scale = which_ == Shown::efficiency ? UnitScale{1, "%"} : unit_scale(highest_, which_ == Shown::loss ? "W" : "V");
  for (std::size_t y = 0; y < lines_.size(); ++y)
    for (std::size_t x = 0; x < loads_.size(); ++x) {
      const auto* row = at(x, y);
      if (!row || !std::isfinite(value_of(*row))) continue;
      auto* number = new QCPItemText(plot_);
      number->position->setCoords(double(x), double(y));
      number->setFont(render::number_font(11));
      const double share = highest_ > lowest_ ? (value_of(*row) - lowest_) / (highest_ - lowest_) : 0;
      const bool on_dark = (which_ == Shown::efficiency ? 1 - share : share) > 0.6;
      number->setColor(on_dark ? theme().sheet : theme().ink);
      number->setText(QString::number(value_of(*row) * scale.factor, 'f', which_ == Shown::output ? 3 : 1));
      numbers_ << number;
    }
}

/// Lines of equal value between the middles of cells (marching squares).
void MapLens::draw_contours(double low, double high) {
  if (!(high > low) || lines_.size() < 3 || loads_.size() < 3) return;
  const double step = render::round_step((high - low) / 5);
  for (double level = std::ceil(low / step) * step; level < high; level += step) {
    auto* curve = new QCPCurve(plot_->xAxis, plot_->yAxis);
    QVector<QCPCurveData> strokes;
    const auto segment = [&](QPointF a, QPointF b) {
      const double n = double(strokes.size());
      strokes << QCPCurveData(n, a.x(), a.y()) << QCPCurveData(n + 1, b.x(), b.y()) << QCPCurveData(n + 2, NAN, NAN);
    };
    for (std::size_t y = 0; y + 1 < lines_.size(); ++y)
      for (std::size_t x = 0; x + 1 < loads_.size(); ++x) {
        std::array<double, 4> v{};
        const std::array<QPointF, 4> corner = {QPointF(double(x), double(y)), QPointF(double(x) + 1, double(y)), QPointF(double(x) + 1, double(y) + 1), QPointF(double(x), double(y) + 1)};
        bool whole = true;
        for (std::size_t c = 0; c < 4; ++c) {
          const auto* row = at(std::size_t(corner[c].x()), std::size_t(corner[c].y()));
          v[c] = row ? value_of(*row) : NAN;
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
    name->setText(text(format_quantity(level, which_ == Shown::efficiency ? "%" : which_ == Shown::loss ? "W" : "V", 3).plain()));
    levels_ << name;
  }
}

QPointF MapLens::place_of(int load, int line) const { return {plot_->xAxis->coordToPixel(load), plot_->yAxis->coordToPixel(line)}; }

void MapLens::frame() {
  if (!map_) return;
  plot_->xAxis->setRange(-0.5, double(loads_.size()) - 0.5);
  plot_->yAxis->setRange(-0.5, double(lines_.size()) - 0.5);
  write_numbers();
}

void MapLens::resizeEvent(QResizeEvent* event) {
  TakeLens::resizeEvent(event);
  QMetaObject::invokeMethod(this, [this] {
    write_numbers();
    plot_->replot(QCustomPlot::rpQueuedReplot);
  }, Qt::QueuedConnection);
}

bool MapLens::eventFilter(QObject* watched, QEvent* event) {
  if (watched == plot_ && map_ && event->type() == QEvent::MouseButtonRelease) {
    const auto spot = static_cast<QMouseEvent*>(event)->position();
    if (plot_->axisRect()->rect().contains(spot.toPoint())) {
      const auto x = std::lround(plot_->xAxis->pixelToCoord(spot.x())), y = std::lround(plot_->yAxis->pixelToCoord(spot.y()));
      if (x >= 0 && y >= 0)
        if (const auto* row = at(std::size_t(x), std::size_t(y))) emit point_chosen(row->point);
    }
  }
  return TakeLens::eventFilter(watched, event);
}

}  // namespace heron::app
