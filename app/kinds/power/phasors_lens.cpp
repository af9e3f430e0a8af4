#include "phasors_lens.h"

#include <cmath>
#include <numbers>

#include "app/text.h"
#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"
#include "study/power/steady.h"

namespace heron::app {

using render::theme;
namespace power = study::power;

namespace {

constexpr double kCurrents = 0.62;  ///< length of the largest current, of the largest voltage's

QString shown(double value, const char* unit, int digits = 4) { return text(format_quantity(value, unit, digits).plain()); }

}  // namespace

PhasorsLens::PhasorsLens(Desk* desk, QWidget* parent) : RecordTakeLens(desk, parent, "phasors", "Voltages and currents by size and angle") {
  for (auto* axis : {plot_->xAxis, plot_->yAxis}) {
    axis->setVisible(false);
    axis->grid()->setVisible(false);
  }
  plot_->axisRect()->setRangeDrag({});
  add_record_word();
  bar_->refresh();
}

QString PhasorsLens::lacks(const power::PowerRecord& record) const {
  if (record.profile) return "A profile has no phasors. Take steady cycles.";
  return record.measured ? QString() : text("No phasors: " + record.measured.error() + ".");
}

void PhasorsLens::clear() {
  for (auto* item : items_) plot_->removeItem(item);
  for (auto* word : words_) plot_->removeItem(word);
  for (auto* curve : curves_) plot_->removePlottable(curve);
  items_.clear();
  words_.clear();
  curves_.clear();
}

void PhasorsLens::ray(std::complex<double> to, const QColor& ink, double width, bool dashed, const QString& name) {
  auto* line = new QCPItemLine(plot_);
  line->start->setCoords(0, 0);
  line->end->setCoords(to.real(), to.imag());
  QPen pen(ink, width, dashed ? Qt::DashLine : Qt::SolidLine, Qt::RoundCap);
  line->setPen(pen);
  items_ << line;
  auto* knob = new QCPItemEllipse(plot_);
  const double r = dashed ? 0.012 : 0.018;
  knob->topLeft->setCoords(to.real() - r, to.imag() + r);
  knob->bottomRight->setCoords(to.real() + r, to.imag() - r);
  knob->setPen(QPen(ink, 1.2));
  knob->setBrush(dashed ? QBrush(theme().sheet) : QBrush(ink));
  items_ << knob;
  const double size = std::abs(to);
  if (size <= 0 || name.isEmpty()) return;
  // So many pixels beyond the end, however small the drawing.
  constexpr double kBeyond = 15;
  auto* label = new QCPItemText(plot_);
  label->position->setParentAnchor(line->end);
  label->position->setCoords(kBeyond * to.real() / size, -kBeyond * to.imag() / size);
  label->setPositionAlignment(Qt::AlignCenter);
  label->setText(name);
  label->setFont(render::text_font(12, QFont::Medium));
  label->setColor(theme().ink);
  items_ << label;
}

/// From a voltage's angle to its current's, as filled ground.
void PhasorsLens::sector(double from, double to, double radius, const QColor& ink) {
  auto* curve = new QCPCurve(plot_->xAxis, plot_->yAxis);
  QVector<QCPCurveData> points = {{0, 0, 0}};
  constexpr int kPieces = 40;
  for (int k = 0; k <= kPieces; ++k) {
    const double at = from + (to - from) * k / kPieces;
    points.append({double(k + 1), radius * std::cos(at), radius * std::sin(at)});
  }
  points.append({kPieces + 2.0, 0, 0});
  curve->data()->set(points, true);
  curve->setPen(Qt::NoPen);
  QColor pale = ink;
  pale.setAlphaF(0.16);
  curve->setBrush(pale);
  curves_ << curve;
}

void PhasorsLens::draw() {
  clear();
  const auto s = power::by_phase(record_->measured->statistics);
  const auto reference = s.phasor.front().front();
  double voltage = 0, current = 0;
  for (std::size_t k = 0; k < s.channels(); ++k) (s.has_voltage && k < s.phases ? voltage : current) = std::max(s.has_voltage && k < s.phases ? voltage : current, std::abs(s.phasor[k].front()));
  // Of other takes the ends alone are told apart, on the scales of the one in view.
  for (const auto& other : beside_) {
    const auto its = power::by_phase(other.item->measured->statistics);
    if (its.phases != s.phases || its.has_voltage != s.has_voltage || its.has_current != s.has_current) continue;
    const auto turn = its.phasor.front().front() / std::max(std::abs(its.phasor.front().front()), 1e-300);
    for (std::size_t p = 0; p < s.phases; ++p) {
      if (s.has_voltage) ray(its.phasor[its.voltage(p)].front() / turn / std::max(voltage, 1e-300), other.ink, other.wake ? 6 : 1.2, false, "");
      if (s.has_current) ray(kCurrents * its.phasor[its.current(p)].front() / turn / std::max(current, 1e-300), other.ink, other.wake ? 4 : 1, !other.wake, "");
    }
  }
  QStringList said;
  for (std::size_t p = 0; p < s.phases; ++p) {
    const auto ink = phase_ink(ink_, p, s.phases);
    const auto name = phase_name(p, s.phases);
    double v_angle = 0;
    std::complex<double> v = 0;
    if (s.has_voltage) {
      v = s.phasor[s.voltage(p)].front() / reference * std::abs(reference);
      v_angle = std::arg(v);
      ray(v / std::max(voltage, 1e-300), ink, 2.4, false, "V" + name);
    }
    if (s.has_current) {
      const auto i = s.phasor[s.current(p)].front() / reference * std::abs(reference);
      if (s.has_voltage) sector(v_angle, v_angle + std::remainder(std::arg(i) - v_angle, 2 * std::numbers::pi), 0.34, ink);
      ray(kCurrents * i / std::max(current, 1e-300), ink, 1.6, true, "I" + name);
    }
    const auto angle = [&](std::complex<double> x) { return QString::number(std::remainder(std::arg(x / reference) * 180 / std::numbers::pi, 360), 'f', 1).replace('-', QChar(0x2212)) + "\u00b0"; };
    QString line;
    if (s.has_voltage) line += QString("V%1  %2  %3").arg(name, shown(std::abs(s.phasor[s.voltage(p)].front()) / std::sqrt(2.0), "V"), angle(s.phasor[s.voltage(p)].front()));
    if (s.has_current)
      line += QString("%1I%2  %3  %4").arg(line.isEmpty() ? "" : "\n", name, shown(std::abs(s.phasor[s.current(p)].front()) / std::sqrt(2.0), "A"), angle(s.phasor[s.current(p)].front()));
    said << line;
  }
  const auto figures = power::steady_of(record_->measured->statistics, settings_);
  const auto value = [&](const char* key) -> std::optional<double> {
    for (const auto& f : figures)
      if (f.key == key && f.value) return *f.value;
    return std::nullopt;
  };
  if (s.phases == 3) {
    QStringList lines;
    if (const auto turns = value("sequence"), uneven = value("unbalance.voltage"); turns && uneven)
      lines << QString("The voltages turn %1, unbalance %2 %.").arg(*turns > 0 ? "a b c" : "a c b").arg(*uneven, 0, 'g', 3);
    if (const auto uneven = value("unbalance.current")) lines << QString("The currents have an unbalance of %1 %.").arg(*uneven, 0, 'g', 3);
    if (!lines.isEmpty()) said << lines.join('\n');
  }
  if (s.has_voltage && s.has_current) {
    int lags = 0, leads = 0;
    for (std::size_t p = 0; p < s.phases; ++p) (std::arg(s.phasor[s.voltage(p)].front() / s.phasor[s.current(p)].front()) >= 0 ? lags : leads)++;
    said << (leads == 0 ? "Currents lag their voltages." : lags == 0 ? "Currents lead their voltages." : "Some currents lag their voltages, some lead.");
  }
  said << QString("Whole cycles: %1, fundamental %2").arg(s.cycles).arg(shown(s.frequency, "Hz", 5));
  auto* word = new QCPItemText(plot_);
  word->position->setType(QCPItemPosition::ptViewportRatio);
  word->position->setCoords(0.02, 0.5);
  word->setPositionAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  word->setTextAlignment(Qt::AlignLeft);
  word->setFont(render::text_font(12.5));
  word->setColor(theme().ink);
  word->setText(said.join('\n'));
  word->setClipToAxisRect(false);
  words_ << word;
  drawn(true);
}

QStringList PhasorsLens::words() const {
  QStringList out;
  for (const auto* word : words_) out << word->text();
  return out;
}

/// A turn is round: both axes have one scale, and the drawing stands to the right of the words.
void PhasorsLens::frame() {
  const auto* rect = plot_->axisRect();
  const double w = std::max(1, rect->width()), h = std::max(1, rect->height()), reach = 1.22;
  const double scale = 2 * reach / std::min(h, 0.68 * w);
  plot_->yAxis->setRange(-scale * h / 2, scale * h / 2);
  // The middle of the drawing stands at 64 % of the width.
  plot_->xAxis->setRange(-0.64 * scale * w, 0.36 * scale * w);
}

void PhasorsLens::resizeEvent(QResizeEvent* event) {
  RecordTakeLens::resizeEvent(event);
  QMetaObject::invokeMethod(this, [this] {
    frame();
    plot_->replot(QCustomPlot::rpQueuedReplot);
  }, Qt::QueuedConnection);
}

}  // namespace heron::app
