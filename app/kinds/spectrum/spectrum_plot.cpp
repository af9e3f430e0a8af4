#include "spectrum_plot.h"

#include <algorithm>
#include <cmath>

#include "app/text.h"
#include "base/quantity.h"
#include "render/tags.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;
using study::spectrum::Owner;
using study::spectrum::Spectrum;

namespace {

constexpr double kNothing = 1e-40;  ///< power of a line that is nothing
constexpr double kShown = 170;      ///< dB below the highest line, from which on it is rounding
constexpr int kCatch = 24;          ///< pixels within which a cursor catches a peak

QString short_frequency(double hz) { return text(format_quantity(hz, "Hz", 4).plain()); }

}  // namespace

/// Short names above what stands out, with a line to it where they had to move away.
class SpectrumPlot::Tags : public QCPAbstractItem {
 public:
  explicit Tags(SpectrumPlot* plot) : QCPAbstractItem(plot), plot_(plot) {}
  double selectTest(const QPointF&, bool, QVariant* = nullptr) const override { return -1; }
  const std::vector<QRectF>& boxes() const { return boxes_; }

 protected:
  void draw(QCPPainter* painter) override {
    boxes_.clear();
    const auto area = QRectF(plot_->axisRect()->rect());
    painter->setFont(render::text_font(11));
    const QFontMetricsF metrics(painter->font());
    std::vector<render::TagWish> wishes;
    std::vector<const SpectrumTag*> shown;
    for (const auto& tag : plot_->tags_) {
      const QPointF at(plot_->xAxis->coordToPixel(tag.frequency), plot_->yAxis->coordToPixel(tag.level));
      if (at.x() < area.left() || at.x() > area.right() || at.y() > area.bottom()) continue;
      wishes.push_back({{at.x(), std::max(at.y(), area.top())}, QSizeF(metrics.horizontalAdvance(tag.text) + 6, metrics.height())});
      shown.push_back(&tag);
    }
    const auto places = render::place_tags(wishes, area.adjusted(2, 2, -2, -2));
    for (std::size_t k = 0; k < places.size(); ++k) {
      if (!places[k]) continue;
      const auto& box = *places[k];
      boxes_.push_back(box);
      const QPointF foot(std::clamp(wishes[k].at.x(), box.left() + 2, box.right() - 2), box.bottom());
      if (QLineF(foot, wishes[k].at).length() > 10) {
        painter->setPen(QPen(theme().line, 1));
        painter->drawLine(QLineF(foot, wishes[k].at - QPointF(0, 3)));
      }
      painter->setPen(Qt::NoPen);
      painter->setBrush(QColor(theme().sheet.red(), theme().sheet.green(), theme().sheet.blue(), 220));
      painter->drawRect(box);
      painter->setPen(theme().ink);
      painter->drawText(box, Qt::AlignCenter, shown[k]->text);
    }
  }
  QPointF anchorPixelPosition(int) const override { return {}; }

 private:
  SpectrumPlot* plot_;
  std::vector<QRectF> boxes_;
};

namespace {

/// The first line that does not stand still.
std::size_t first_line(const study::spectrum::Spectrum& s) {
  std::size_t k = 1;
  while (k + 1 < s.owner.size() && s.owner[k] == study::spectrum::Owner::standing) ++k;
  return k;
}

}  // namespace

SpectrumPlot::SpectrumPlot(QWidget* parent) : QCustomPlot(parent) {
  render::style_plot(*this);
  render::style_axes(*axisRect());
  for (const char* layer : {"ground", "wake"}) addLayer(layer, this->layer("grid"), limAbove);
  addLayer("tags", this->layer("main"), limAbove);
  addLayer("cursors", this->layer("tags"), limAbove);
  tag_item_ = new Tags(this);
  tag_item_->setLayer("tags");
  floor_ = new QCPItemLine(this);
  floor_->setPen(QPen(theme().ink, 1, Qt::DashLine));
  floor_->setLayer("tags");
  floor_->setVisible(false);
  words_ = new QCPItemText(this);
  words_->position->setType(QCPItemPosition::ptAxisRectRatio);
  words_->setColor(theme().slate);
  words_->setLayer("tags");
}

SpectrumPlot::~SpectrumPlot() { graphs_.clear(); }

std::vector<QRectF> SpectrumPlot::tag_boxes() const { return tag_item_->boxes(); }

/// A power as a level, or an rms.
double SpectrumPlot::drawn(const SpectrumCurve& curve, double power) const {
  const auto& s = curve.spectrum();
  switch (form_.scale) {
    case Scale::level:
      return study::spectrum::level_db(std::max(power, kNothing), curve.settings);
    case Scale::carrier:
      return 10 * std::log10(std::max(power, kNothing) / (s.fundamental ? std::max(s.fundamental->power, kNothing) : 1));
    case Scale::rms:
      return std::sqrt(std::max(power, kNothing));
    case Scale::density:
      return std::sqrt(std::max(power / s.facts.noise_bandwidth / s.line, kNothing));
  }
  return 0;
}

double SpectrumPlot::value(const SpectrumCurve& curve, std::size_t line) const {
  const auto& s = curve.spectrum();
  // A window spreads a tone over lines; so scaled its highest one stands at the tone's level.
  return drawn(curve, s.power[line] * s.facts.noise_bandwidth);
}

void SpectrumPlot::label_axes() {
  render::measure_axis(xAxis, "Frequency", "Hz", form_.logarithmic);
  const bool steps = form_.scale == Scale::rms || form_.scale == Scale::density;
  const auto& first = curves_.front();
  const auto unit = first.spectrum().unit == "1" ? std::string("1") : first.spectrum().unit.empty() ? std::string("V") : first.spectrum().unit;
  if (steps)
    render::measure_axis(yAxis, form_.scale == Scale::rms ? "Rms" : "Density", form_.scale == Scale::rms ? unit : unit + "/rtHz", true);
  else
    render::measure_axis(yAxis, "Level", form_.scale == Scale::carrier ? "dBc" : study::spectrum::level_unit(first.spectrum().unit, first.settings));
}

void SpectrumPlot::find_tags(const SpectrumCurve& curve) {
  tags_.clear();
  const auto& s = curve.spectrum();
  if (!s.fundamental) return;
  const auto add = [&](double frequency, double power, const QString& name) { tags_.push_back({frequency, drawn(curve, power), name}); };
  add(s.fundamental->frequency, s.fundamental->power, QString("f %1").arg(short_frequency(s.fundamental->frequency)));
  auto harmonics = s.harmonics;
  std::sort(harmonics.begin(), harmonics.end(), [](const auto& a, const auto& b) { return a.tone.power > b.tone.power; });
  for (const auto& h : harmonics) {
    if (!h.lost.empty() || !(h.tone.power > 2 * h.tone.u_power)) continue;
    const bool folds = h.unfolded > s.sample_rate / 2;
    add(h.tone.frequency, h.tone.power, folds ? QString("%1f, folded from %2").arg(h.order).arg(short_frequency(h.unfolded)) : QString("%1f").arg(h.order));
  }
  if (s.worst && s.worst->power > 4 * s.worst->u_power &&
      std::none_of(s.harmonics.begin(), s.harmonics.end(), [&](const auto& h) { return h.lost.empty() && h.tone.frequency == s.worst->frequency; }))
    add(s.worst->frequency, s.worst->power, QString("largest other, %1").arg(short_frequency(s.worst->frequency)));
}

void SpectrumPlot::show_spectra(std::vector<SpectrumCurve> curves, const std::vector<SpectrumLimit>& limits) {
  for (auto* item : items_) removeItem(item);
  items_.clear();
  graphs_.clear();
  clearGraphs();
  curves_ = std::move(curves);
  tags_.clear();
  floor_->setVisible(false);
  const bool shown = !curves_.empty();
  for (auto* axis : {xAxis, yAxis}) {
    axis->setVisible(shown);
    axis->grid()->setVisible(shown);
  }
  if (!shown) return;
  label_axes();
  for (const auto& curve : curves_) {
    auto graph = std::make_unique<render::LongGraph>(xAxis, yAxis);
    const auto& s = curve.spectrum();
    std::vector<double> x, y;
    x.reserve(s.power.size());
    y.reserve(s.power.size());
    // What stands still, and what a window spreads of it, is no part of what is told.
    for (auto k = first_line(s); k < s.power.size(); ++k) {
      x.push_back(s.frequency_of(k));
      y.push_back(value(curve, k));
    }
    graph->set_data(std::move(x), std::move(y));
    graph->graph()->setPen(curve.wake ? QPen(theme().wake, 4) : QPen(curve.colour, 1.2, curve.dashed ? Qt::DashLine : Qt::SolidLine));
    graph->graph()->setLayer(curve.wake ? "wake" : "main");
    graphs_.push_back(std::move(graph));
    if (!curve.tagged) continue;
    find_tags(curve);
    if (s.density > 0) {
      // Where a line of the noise stands.
      const double level = drawn(curve, s.density * s.line * s.facts.noise_bandwidth);
      floor_->start->setCoords(s.line, level);
      floor_->end->setCoords(s.sample_rate / 2, level);
      floor_->setVisible(true);
      tags_.push_back({0.97 * s.sample_rate / 2, level, "noise floor"});
    }
    // Where it would stand if nothing else made noise.
    double place = 0.78;
    for (const auto& expected : study::spectrum::expected_noise(*curve.of, curve.quantity, curve.settings)) {
      const double level = drawn(curve, expected.power / (s.sample_rate / 2) * s.line * s.facts.noise_bandwidth);
      auto* line = new QCPItemLine(this);
      line->setPen(QPen(theme().slate, 1.2, Qt::DotLine));
      line->setLayer("tags");
      line->start->setCoords(s.line, level);
      line->end->setCoords(s.sample_rate / 2, level);
      items_ << line;
      tags_.push_back({place * s.sample_rate / 2, level, text(expected.name)});
      place -= 0.2;
    }
  }
  if (form_.scale == Scale::level)
    for (const auto& limit : limits) {
      auto* ground = new render::ForbiddenGround(this, axisRect(), limit.line, limit.upper);
      ground->setLayer("ground");
      items_ << ground;
    }
  const auto& s = curves_.front().spectrum();
  words_->setFont(render::text_font(11));
  words_->position->setCoords(0.995, 0.005);
  words_->setPositionAlignment(Qt::AlignRight | Qt::AlignTop);
  const char* windows[] = {"no window", "Hann window", "Blackman-Harris window", "flat top window"};
  words_->setText(QString("%1, %2 samples, lines %3 apart%4")
                      .arg(windows[int(s.window)])
                      .arg(s.samples)
                      .arg(text(format_quantity(s.line, "Hz", 3).plain()), s.averages > 1.01 ? QString(", %1 averages").arg(s.averages, 0, 'f', 0) : QString()));
}

void SpectrumPlot::say(const QString& why) {
  show_spectra({}, {});
  words_->setFont(render::text_font(13));
  words_->position->setCoords(0.5, 0.5);
  words_->setPositionAlignment(Qt::AlignCenter);
  words_->setText(why);
}

void SpectrumPlot::show_all() {
  if (curves_.empty()) return;
  double low = INFINITY, high = -INFINITY, first = INFINITY, last = 0;
  for (const auto& curve : curves_) {
    const auto& s = curve.spectrum();
    first = std::min(first, s.line);
    last = std::max(last, s.sample_rate / 2);
    for (auto k = first_line(s); k < s.power.size(); ++k) {
      const double v = value(curve, k);
      low = std::min(low, v);
      high = std::max(high, v);
    }
  }
  xAxis->setRange(form_.logarithmic ? first : 0, last);
  if (form_.scale == Scale::rms || form_.scale == Scale::density)
    yAxis->setRange(std::max(low, high * std::pow(10, -kShown / 20)) / 2, high * 6);
  else
    yAxis->setRange(std::max(low, high - kShown) - 4, high + 0.14 * (high - std::max(low, high - kShown)) + 4);
  replot(QCustomPlot::rpQueuedReplot);
}

void SpectrumPlot::show_marks(const std::vector<double>& frequencies) {
  for (auto* item : marks_) removeItem(item);
  marks_.clear();
  if (curves_.empty()) return;
  const auto& curve = curves_.back();
  const auto& s = curve.spectrum();
  for (const double f : frequencies) {
    const auto k = std::size_t(std::clamp(std::round(f / s.line), 1.0, double(s.power.size() - 1)));
    auto* ring = new QCPItemTracer(this);
    ring->setStyle(QCPItemTracer::tsCircle);
    ring->setSize(11);
    ring->setPen(QPen(theme().heron, 1.6));
    ring->setBrush(Qt::NoBrush);
    ring->position->setType(QCPItemPosition::ptPlotCoords);
    ring->position->setCoords(f, value(curve, k));
    ring->setLayer("cursors");
    marks_ << ring;
  }
}

std::optional<double> SpectrumPlot::peak_near(double frequency) const {
  if (curves_.empty()) return std::nullopt;
  const auto& curve = curves_.back();
  const auto& s = curve.spectrum();
  const double pixel = xAxis->coordToPixel(frequency), a = xAxis->pixelToCoord(pixel - kCatch), b = xAxis->pixelToCoord(pixel + kCatch);
  const auto from = std::size_t(std::clamp(std::floor(a / s.line), 1.0, double(s.power.size() - 1))),
             to = std::size_t(std::clamp(std::ceil(b / s.line), double(from), double(s.power.size() - 1)));
  const auto top = std::max_element(s.power.begin() + std::ptrdiff_t(from), s.power.begin() + std::ptrdiff_t(to) + 1);
  return s.frequency_of(std::size_t(top - s.power.begin()));
}

}  // namespace heron::app
