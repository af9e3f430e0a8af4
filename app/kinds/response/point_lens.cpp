#include "point_lens.h"

#include <QPushButton>
#include <QVBoxLayout>

#include "base/quantity.h"
#include "render/theme.h"
#include "response_view.h"

namespace heron::app {

using render::theme;

namespace {

/// Volts and seconds are drawn in the prefix that suits their size.
struct AxisScale {
  double factor;
  QString unit;
};

AxisScale scale_for(double largest, const std::string& unit) {
  const auto text = format_quantity(largest, unit, 3);
  const QString shown = QString::fromStdString(text.unit);
  const double one = parse_value("1 " + text.unit, unit).value_or(1);
  return {1 / one, shown};
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
  use_->setStyleSheet(QString("color: %1").arg(theme().slate.name()));
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
  panel.raw->graph()->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, theme().slate, theme().slate, 2.2));
  panel.residual->graph()->setPen(QPen(theme().slate, 1));
  panels_.push_back(std::move(panel));
}

void PointLens::fill_panel(Panel& panel, const QString& name, const study::RoleSamples& samples, double rate,
                           double frequency) {
  const auto& values = samples.values;
  const std::string unit = samples.unit.empty() ? "1" : samples.unit;
  const auto fit = signal::fit_tone(values, rate, frequency);
  double largest = 1e-12;
  for (const double v : values) largest = std::max(largest, std::abs(v));
  const auto volts = scale_for(largest, unit), seconds = scale_for(double(values.size()) / rate, "s");
  std::vector<double> time, shown, rest;
  double rest_largest = 1e-15;
  for (std::size_t i = 0; i < values.size(); ++i) {
    time.push_back(double(i) / rate * seconds.factor);
    shown.push_back(values[i] * volts.factor);
    rest.push_back(fit ? values[i] - signal::value_at(*fit, double(i) / rate) : 0);
    rest_largest = std::max(rest_largest, std::abs(rest.back()));
  }
  const auto rest_volts = scale_for(rest_largest, unit);
  for (double& r : rest) r *= rest_volts.factor;
  const double end = time.back();
  panel.samples->axis(QCPAxis::atLeft)->setLabel(name + ", " + volts.unit);
  panel.rest->axis(QCPAxis::atLeft)->setLabel("Residual, " + rest_volts.unit);
  panel.rest->axis(QCPAxis::atBottom)->setLabel("Time, " + seconds.unit);
  panel.samples->axis(QCPAxis::atBottom)->setRange(0, end);
  panel.samples->axis(QCPAxis::atLeft)->setRange(-1.12 * largest * volts.factor, 1.12 * largest * volts.factor);
  panel.rest->axis(QCPAxis::atLeft)
      ->setRange(-1.2 * rest_largest * rest_volts.factor, 1.2 * rest_largest * rest_volts.factor);
  QVector<double> fit_time, fit_value;
  if (fit) {
    for (int i = 0; i <= 1200; ++i) {
      const double t = double(values.size()) / rate * i / 1200;
      fit_time << t * seconds.factor;
      fit_value << signal::value_at(*fit, t) * volts.factor;
    }
  }
  const auto take = desk_->focus.shown() ? desk_->readings.view(*desk_->focus.shown()) : nullptr;
  panel.fit->setPen(QPen(render::take_colour(take ? take->take.number : 1), 1.6));
  panel.fit->setData(fit_time, fit_value, true);
  panel.raw->set_data(time, shown);
  panel.residual->set_data(std::move(time), std::move(rest));
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

/// Records are read and fitted only for somebody who looks.
void PointLens::reload() {
  if (!isVisible()) return;
  const auto shown = desk_->focus.shown();
  const auto view = shown ? desk_->readings.view(*shown) : nullptr;
  const auto blank = [&](const QString& why) {
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
  const auto raw = desk_->document.point(*shown, index_);
  if (!raw || raw->records.empty())
    return blank(raw ? "The point has no record." : QString::fromStdString(raw.error().message));
  const auto& record = raw->records.front();
  const auto gain = format_with_uncertainty(it->gain_db, it->u_gain_db, "dB"),
             phase = format_with_uncertainty(it->phase_deg, it->u_phase_deg, "deg");
  heading_->setText(QString("Point %1 of %2 at %3: %4 \u00b1 %5, %6 \u00b1 %7")
                        .arg(it - points.begin() + 1)
                        .arg(points.size())
                        .arg(QString::fromStdString(format_quantity(it->frequency, "Hz").plain()),
                             QString::fromStdString(gain.plain()), QString::fromStdString(gain.uncertainty),
                             QString::fromStdString(phase.plain()), QString::fromStdString(phase.uncertainty)));
  QStringList use;
  for (auto& panel : panels_) {
    const bool first = &panel == &panels_.front();
    const auto samples = study::role_samples(*raw, record, first ? "stimulus" : "response");
    if (!samples) return blank(QString::fromStdString(samples.error().message));
    const QString role = first ? "Stimulus" : "Response", quantity = QString::fromStdString(samples->quantity);
    fill_panel(panel, quantity.compare(role, Qt::CaseInsensitive) == 0 ? role : role + " " + quantity, *samples,
               record.sample_rate, it->frequency);
    const auto& e = it->of(first ? study::response::Side::stimulus : study::response::Side::response);
    if (samples->channel && samples->channel->range && e.range_share)
      use << QString("%1 uses %2 % of %3")
                 .arg(quantity)
                 .arg(100 * *e.range_share, 0, 'f', 0)
                 .arg(QString::fromStdString(format_setting(*samples->channel->range, "V")));
  }
  if (raw->records.size() > 1) use << QString("first of %1 records").arg(raw->records.size());
  use_->setText(use.join("; "));
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace heron::app
