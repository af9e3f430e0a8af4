#include "skew_lens.h"

#include <QBoxLayout>
#include <cmath>

#include "app/text.h"
#include "base/quantity.h"
#include "render/plot_parts.h"
#include "render/theme.h"
#include "study/switching/doubts.h"

namespace heron::app {

using render::theme;
namespace switching = study::switching;

SkewLens::SkewLens(Desk* desk, QWidget* parent) : ShotLens(desk, parent, "skew", "Energies against deskew"), accept_(new QPushButton(this)), take_back_(new QPushButton("As they were sensed", this)) {
  looking_ = new PlotView(plot_, [this] { frame(); plot_->replot(QCustomPlot::rpQueuedReplot); }, PlotView::Wheel::along);
  auto* row = new QHBoxLayout;
  row->addWidget(accept_);
  row->addWidget(take_back_);
  row->addStretch(1);
  static_cast<QVBoxLayout*>(layout())->insertLayout(1, row);
  accept_->setAccessibleName("Accept the skew");
  accept_->setToolTip("Moves i_d by what the record says; raw data stay as they are, and every take of the study is read so");
  take_back_->setToolTip("Takes the deskew of this study back");
  connect(accept_, &QPushButton::clicked, this, [this] {
    if (record_ && record_->skew) set_of_study(desk_, {{"skew", format_setting(rounded_to(settings_.skew + record_->skew->value, 4), "s")}});
  });
  connect(take_back_, &QPushButton::clicked, this, [this] { set_of_study(desk_, {{"skew", "0 s"}}); });
  add_record_word();
  bar_->refresh();
}

QString SkewLens::lacks(const switching::ReadShot& shot) const {
  return shot.on || shot.off ? QString() : "Nothing switches: " + text(shot.shot->off.error()) + ".";
}

void SkewLens::clear() {
  for (auto* graph : graphs_) plot_->removeGraph(graph);
  for (auto* item : items_) plot_->removeItem(item);
  graphs_.clear();
  items_.clear();
  cards_.clear();
  accept_->setVisible(false);
  take_back_->setVisible(false);
  emit cards_changed();
}

void SkewLens::draw() {
  clear();
  const auto& skew = record_->skew;
  double reach = 5e-9;
  if (skew) reach = std::max(reach, 1.6 * std::abs(skew->value));
  // The energy of one event against the deskew, in per cent of what it is now.
  const auto add = [&](const switching::ReadShot& shot, bool on, const switching::Settings& settings, const QPen& pen) -> std::optional<QPointF> {
    const auto& edge = on ? shot.on : shot.off;
    if (!edge) return std::nullopt;
    const auto core = switching::core_of(*shot.shot, edge->event, settings.windows());
    if (!core) return std::nullopt;
    const auto now = switching::energy_at(*core, edge->event, settings.windows(), 0);
    if (!now || *now == 0) return std::nullopt;
    QVector<double> x, y;
    constexpr int kPlaces = 60;
    for (int k = -kPlaces; k <= kPlaces; ++k) {
      // Along goes the deskew that would be set; a larger one moves the current to earlier times.
      const double more = reach * k / kPlaces;
      if (const auto e = switching::energy_at(*core, edge->event, settings.windows(), -more)) {
        x << settings.skew + more;
        y << 100 * (*e / *now - 1);
      }
    }
    if (x.isEmpty()) return std::nullopt;
    auto* graph = plot_->addGraph();
    graph->setPen(pen);
    graph->setData(x, y, true);
    graphs_ << graph;
    return QPointF(x.back(), y.back());
  };
  for (const auto& other : beside_)
    for (const bool on : {false, true}) {
      auto pen = other.pen();
      if (!on && !other.wake) pen.setColor(render::paled(other.ink, 0.45));
      add(*other.item, on, other.settings, pen);
    }
  for (const bool on : {false, true}) {
    const auto end = add(*record_, on, settings_, QPen(on ? ink_ : render::paled(ink_, 0.45), 1.8));
    if (!end) continue;
    auto* name = new QCPItemText(plot_);
    name->position->setCoords(*end);
    name->setPositionAlignment(Qt::AlignRight | (end->y() > 0 ? Qt::AlignTop : Qt::AlignBottom));
    name->setPadding(QMargins(8, 8, 8, 8));
    name->setFont(render::text_font(12, QFont::Medium));
    name->setColor(on ? ink_ : render::paled(ink_, 0.2));
    name->setText(on ? "turn-on" : "turn-off");
    items_ << name;
  }
  const auto upright = [&](double at, const QString& said, Qt::PenStyle style, double high) {
    auto* line = new QCPItemLine(plot_);
    for (auto* end : {line->start, line->end}) end->setTypeY(QCPItemPosition::ptAxisRectRatio);
    line->start->setCoords(at, 0);
    line->end->setCoords(at, 1);
    line->setPen(QPen(theme().heron, 1.2, style));
    items_ << line;
    auto* word = new QCPItemText(plot_);
    word->position->setTypeY(QCPItemPosition::ptAxisRectRatio);
    word->position->setCoords(at, high);
    // To the side where there is more room.
    word->setPositionAlignment((at > settings_.skew + 0.2 * reach ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignTop);
    word->setPadding(QMargins(6, 4, 6, 4));
    word->setFont(render::text_font(12));
    word->setColor(theme().heron);
    word->setText(said);
    items_ << word;
  };
  upright(settings_.skew, "as it is read now", Qt::SolidLine, 0.02);
  if (skew) {
    const auto wanted = settings_.skew + skew->value;
    upright(wanted, "by the inductive step: " + text(format_quantity(wanted, "s", 3).plain()) + " \u00b1 " + text(format_quantity(2 * skew->u, "s", 2).plain()), Qt::DashLine, 0.1);
    accept_->setText("Accept " + text(format_setting(rounded_to(wanted, 3), "s")));
    accept_->setVisible(std::abs(skew->value) > 1e-12);
    cards_ << value_card("Skew that is left", skew->value, "s", 3, "the current lags where it is above zero");
    cards_ << value_card("Loop inductance", skew->inductance, "H", 3, "by the same step");
  }
  take_back_->setVisible(settings_.skew != 0);
  const auto cost = switching::skew_cost(*record_, settings_);
  for (const auto& [said, value] : {std::pair{"Turn-on", cost.on}, {"Turn-off", cost.off}})
    if (value) cards_ << value_card(QString(said) + " for each ns", *value, "%", 2, "that the current is later");
  render::measure_axis(plot_->xAxis, "Deskew of i_d", "s");
  render::measure_axis(plot_->yAxis, "Energy against now", "%");
  emit cards_changed();
  drawn(true);
}

void SkewLens::frame() {
  bool any = false;
  QCPRange x, y;
  for (auto* graph : graphs_) {
    bool found = false;
    const auto across = graph->getKeyRange(found), up = graph->getValueRange(found);
    if (!found) continue;
    x = any ? x.expanded(across) : across;
    y = any ? y.expanded(up) : up;
    any = true;
  }
  if (!any) return;
  plot_->xAxis->setRange(x);
  plot_->yAxis->setRange(y.lower - 0.12 * y.size(), y.upper + 0.16 * y.size());
}

}  // namespace heron::app
