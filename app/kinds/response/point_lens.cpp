#include "point_lens.h"

#include <QPushButton>
#include <QVBoxLayout>

#include "app/ink.h"
#include "base/quantity.h"
#include "render/theme.h"
#include "response_view.h"

namespace heron::app {

using render::theme;

/// What a panel draws, in SI.
struct PointLens::Drawn {
  std::string quantity, unit;
  std::vector<double> time, values, rest;
  QVector<double> fit_time, fit;
  std::optional<double> range;  ///< of the input
  double largest = 1e-12, largest_rest = 1e-15;
};

/// All that stands behind a point, or why it cannot be seen.
struct PointLens::Behind {
  QString trouble = {};
  std::vector<Drawn> sides = {};
  std::size_t records = 0;
};

namespace {

constexpr const char* kRoles[] = {"stimulus", "response"};

QString side_name(std::size_t side, const std::string& quantity) {
  const QString role = side == 0 ? "Stimulus" : "Response", name = QString::fromStdString(quantity);
  return name.compare(role, Qt::CaseInsensitive) == 0 ? role : role + " " + name;
}

}  // namespace

PointLens::PointLens(Desk* desk, QWidget* parent) : Lens(desk, parent), plot_(new QCustomPlot(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  auto* head = new QHBoxLayout;
  heading_ = new QLabel(this);
  heading_->setObjectName("point-heading");
  heading_->setAccessibleName("Point");
  heading_->setFont(render::text_font(13, QFont::DemiBold));
  use_ = new QLabel(this);
  use_->setFont(render::text_font(12));
  set_ink(*use_, theme().slate);
  auto* back = new QPushButton("[  Earlier", this);
  auto* on = new QPushButton("Later  ]", this);
  back->setAccessibleName("Earlier point");
  on->setAccessibleName("Later point");
  back->setToolTip("The point before ([)");
  on->setToolTip("The point after (])");
  connect(back, &QPushButton::clicked, this, [this] { step(-1); });
  connect(on, &QPushButton::clicked, this, [this] { step(1); });
  head->addWidget(heading_);
  head->addSpacing(12);
  head->addWidget(use_, 1);
  head->addWidget(back);
  head->addWidget(on);
  column->addLayout(head);
  column->addWidget(plot_, 1);
  plot_->setAccessibleName("Samples, fit and residual");
  plot_->setObjectName("samples");
  render::style_plot(*plot_);
  plot_->plotLayout()->clear();
  make_panel(0, "Stimulus");
  make_panel(1, "Response");
  plot_->plotLayout()->setRowStretchFactor(0, 2);
  plot_->plotLayout()->setColumnSpacing(16);
  QList<QCPAxisRect*> rects;
  for (const auto& panel : panels_) rects << panel.samples << panel.rest;
  looking_ = new PlotView(plot_, [this] { reload(); }, PlotView::Wheel::along, rects);
  connect(&desk_->focus, &Focus::shown_changed, this, &PointLens::reload);
  connect(&desk_->readings, &Readings::take_read, this, [this](long long take) {
    if (take == desk_->focus.shown()) reload();
  });
}

void PointLens::make_panel(int column, const QString& name) {
  Panel panel{new QCPAxisRect(plot_), new QCPAxisRect(plot_), nullptr, nullptr, nullptr};
  auto* group = new QCPMarginGroup(plot_);
  int row = 0;
  for (auto* rect : {panel.samples, panel.rest}) {
    render::style_axes(*rect);
    rect->setMarginGroup(QCP::msLeft | QCP::msRight, group);
    rect->setMinimumMargins(QMargins(4, 4, 10, 2));
    plot_->plotLayout()->addElement(row++, column, rect);
    rect->setRangeDrag(Qt::Horizontal);
  }
  panel.samples->axis(QCPAxis::atBottom)->setTickLabels(false);
  panel.samples->axis(QCPAxis::atLeft)->setLabel(name);
  auto* above = panel.samples->axis(QCPAxis::atBottom);
  auto* below = panel.rest->axis(QCPAxis::atBottom);
  connect(above, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), below,
          qOverload<const QCPRange&>(&QCPAxis::setRange));
  connect(below, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), above,
          qOverload<const QCPRange&>(&QCPAxis::setRange));
  panel.raw = std::make_unique<render::LongGraph>(above, panel.samples->axis(QCPAxis::atLeft));
  panel.fit = plot_->addGraph(above, panel.samples->axis(QCPAxis::atLeft));
  panel.residual = std::make_unique<render::LongGraph>(below, panel.rest->axis(QCPAxis::atLeft));
  panel.raw->graph()->setLineStyle(QCPGraph::lsNone);
  panel.raw->graph()->setScatterStyle(render::sample_dot(theme().slate, 2.6));
  panel.residual->graph()->setPen(QPen(theme().slate, 1));
  panels_.push_back(std::move(panel));
}

Result<PointLens::Drawn> PointLens::side_of(const study::Point& point, std::size_t side, double frequency) {
  const auto& record = point.records.front();
  auto samples = study::role_samples(point, record, kRoles[side]);
  if (!samples) return tl::unexpected(samples.error());
  Drawn out{.quantity = samples->quantity, .unit = samples->unit.empty() ? "1" : samples->unit};
  if (samples->channel) out.range = samples->channel->range;
  out.values = std::move(samples->values);
  const double rate = record.sample_rate;
  const auto fit = signal::fit_tone(out.values, rate, frequency);
  for (std::size_t i = 0; i < out.values.size(); ++i) {
    out.time.push_back(double(i) / rate);
    out.rest.push_back(fit ? out.values[i] - signal::value_at(*fit, out.time.back()) : 0);
    out.largest = std::max(out.largest, std::abs(out.values[i]));
    out.largest_rest = std::max(out.largest_rest, std::abs(out.rest.back()));
  }
  constexpr int kFitPoints = 1200;
  for (int i = 0; fit && i <= kFitPoints; ++i) {
    out.fit_time << double(out.values.size()) / rate * i / kFitPoints;
    out.fit << signal::value_at(*fit, out.fit_time.back());
  }
  return out;
}

void PointLens::fill_panel(std::size_t side, const Drawn& drawn) {
  auto& panel = panels_[side];
  auto *time = panel.samples->axis(QCPAxis::atBottom), *value = panel.samples->axis(QCPAxis::atLeft),
       *rest = panel.rest->axis(QCPAxis::atLeft);
  time->setRange(0, drawn.time.empty() ? 1 : drawn.time.back());
  value->setRange(-1.12 * drawn.largest, 1.12 * drawn.largest);
  rest->setRange(-1.2 * drawn.largest_rest, 1.2 * drawn.largest_rest);
  render::measure_axis(value, side_name(side, drawn.quantity), drawn.unit);
  render::measure_axis(rest, "Residual", drawn.unit);
  render::measure_axis(panel.rest->axis(QCPAxis::atBottom), "Time", "s");
  const auto take = desk_->focus.shown() ? desk_->readings.view(*desk_->focus.shown()) : nullptr;
  panel.fit->setPen(QPen(render::take_colour(take ? take->take.number : 1), 1.6));
  panel.fit->setData(drawn.fit_time, drawn.fit, true);
  panel.raw->set_data(drawn.time, drawn.values);
  panel.residual->set_data(drawn.time, drawn.rest);
}

void PointLens::show_point(int index) {
  index_ = index;
  reload();
}

void PointLens::step(int by) {
  const auto view = desk_->focus.shown() ? desk_->readings.view(*desk_->focus.shown()) : nullptr;
  if (!view || curve_of(view).points.empty()) return;
  const auto& points = curve_of(view).points;
  const auto it = std::find_if(points.begin(), points.end(), [&](const auto& p) { return p.index == index_; });
  const auto at = it == points.end() ? 0 : it - points.begin();
  show_point(points[std::size_t(std::clamp<std::ptrdiff_t>(at + by, 0, std::ptrdiff_t(points.size()) - 1))].index);
}

bool PointLens::handle_key(int key) {
  if (key == Qt::Key_BracketLeft || key == Qt::Key_BracketRight) {
    step(key == Qt::Key_BracketLeft ? -1 : 1);
    return true;
  }
  return key == Qt::Key_Backspace && looking_->back();
}

void PointLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  reload();
}

/// Records are read and fitted only for somebody who looks, and beside the window's thread.
void PointLens::reload() {
  if (!isVisible()) return;
  const auto shown = desk_->focus.shown();
  const auto view = shown ? desk_->readings.view(*shown) : nullptr;
  aside_.drop();
  const auto blank = [this](const QString& why) {
    heading_->setText(why);
    use_->clear();
    for (auto& panel : panels_) {
      panel.raw->set_data({}, {});
      panel.residual->set_data({}, {});
      panel.fit->data()->clear();
    }
    plot_->replot(QCustomPlot::rpQueuedReplot);
  };
  if (!view || curve_of(view).points.empty()) return blank("No point is read yet. Space takes.");
  if (!curve_of(view).measured) {
    if (desk_->runner.take() == shown) return blank("The samples can be looked at when the take is done.");
    return blank("This take was brought in as a curve; there are no samples behind its points.");
  }
  const auto& points = curve_of(view).points;
  auto it = std::find_if(points.begin(), points.end(), [&](const auto& p) { return p.index == index_; });
  if (it == points.end()) it = points.begin() + std::ptrdiff_t(points.size() / 2);
  index_ = it->index;
  if (curve_of(view).independent > 0)
    return blank("Every record holds all lines of the noise at once; no line has samples of its own.");
  const auto gain = format_with_uncertainty(it->gain_db, it->u_gain_db, "dB"),
             phase = format_with_uncertainty(it->phase_deg, it->u_phase_deg, "deg");
  heading_->setText(QString("Point %1 of %2 at %3: %4 \u00b1 %5, %6 \u00b1 %7")
                        .arg(it - points.begin() + 1)
                        .arg(points.size())
                        .arg(QString::fromStdString(format_quantity(it->frequency, "Hz").plain()),
                             QString::fromStdString(gain.plain()), QString::fromStdString(gain.uncertainty),
                             QString::fromStdString(phase.plain()), QString::fromStdString(phase.uncertainty)));
  aside_.ask(
      [read = desk_->document.point_reader(*shown, index_), frequency = it->frequency]() -> Behind {
        const auto raw = read();
        if (!raw) return {.trouble = QString::fromStdString(raw.error().message)};
        if (raw->records.empty()) return {.trouble = "The point has no record."};
        Behind out{.records = raw->records.size()};
        for (std::size_t side = 0; side < std::size(kRoles); ++side) {
          auto drawn = side_of(*raw, side, frequency);
          if (!drawn) return {.trouble = QString::fromStdString(drawn.error().message)};
          out.sides.push_back(std::move(*drawn));
        }
        return out;
      },
      [this, blank, point = *it](const Behind& behind) {
        if (!behind.trouble.isEmpty()) return blank(behind.trouble);
        QStringList use;
        for (std::size_t side = 0; side < behind.sides.size(); ++side) {
          const auto& drawn = behind.sides[side];
          fill_panel(side, drawn);
          const auto& e = point.of(side == 0 ? study::response::Side::stimulus : study::response::Side::response);
          if (drawn.range && e.range_share)
            use << QString("%1 uses %2 % of %3")
                       .arg(QString::fromStdString(drawn.quantity))
                       .arg(100 * *e.range_share, 0, 'f', 0)
                       .arg(QString::fromStdString(format_setting(*drawn.range, "V")));
        }
        if (behind.records > 1) use << QString("first of %1 records").arg(behind.records);
        use_->setText(use.join("; "));
        plot_->replot(QCustomPlot::rpQueuedReplot);
      });
}

}  // namespace heron::app
