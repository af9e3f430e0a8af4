#include "impedance_lens.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSettings>

#include <cmath>

#include "app/ink.h"
#include "base/quantity.h"
#include "render/theme.h"
#include "study/response/figures.h"
#include "app/lenses/table.h"
#include "response_view.h"

namespace heron::app {
namespace {

struct Line {
  const char* key;
  const char* label;
};
constexpr Line kLines[] = {{"impedance", "|Z|"},
                           {"angle", "Angle"},
                           {"resistance.series", "R series"},
                           {"inductance.series", "L series"},
                           {"capacitance.series", "C series"},
                           {"resistance.parallel", "R parallel"},
                           {"inductance.parallel", "L parallel"},
                           {"capacitance.parallel", "C parallel"},
                           {"q", "Q"},
                           {"dissipation", "Loss D"}};

constexpr Line kCircuit[] = {{"motional.resistance", "Motional R"},  {"motional.inductance", "Motional L"},
                             {"motional.capacitance", "Motional C"}, {"shunt.capacitance", "Shunt C"},
                             {"shunt.resistance", "Its loss"},       {"fit.residual", "Residual"}};

std::string key_of(const Line& line, double frequency) { return fmt::format("{}@{}Hz", line.key, frequency); }

QLabel* heading(const QString& text, QWidget* parent) {
  auto* label = new QLabel(text, parent);
  label->setFont(render::text_font(12, QFont::DemiBold));
  return label;
}

}  // namespace

ImpedanceLens::ImpedanceLens(Desk* desk, QWidget* parent)
    : Lens(desk, parent), bode_(new BodeLens(desk, this, Over::impedance)) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(14);
  row->addWidget(bode_, 1);
  row->addWidget(make_card());
  connect(&desk_->focus, &Focus::shown_changed, this, &ImpedanceLens::refill);
  connect(&desk_->runner, &Runner::running_changed, this, &ImpedanceLens::refill);
  connect(&desk_->focus, &Focus::plan_changed, this, &ImpedanceLens::refill);
  connect(&desk_->readings, &Readings::take_read, this, &ImpedanceLens::refill);
  connect(bode_, &Lens::point_chosen, this, &Lens::point_chosen);
  connect(bode_, &Lens::cards_changed, this, &Lens::cards_changed);
}

QWidget* ImpedanceLens::make_card() {
  auto* card = new QWidget(this);
  card->setFixedWidth(292);
  auto* column = new QVBoxLayout(card);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(5);
  auto* top = new QHBoxLayout;
  top->addWidget(heading("Component at", card));
  frequencies_ = new QLineEdit(QSettings().value("impedance/frequencies").toString(), card);
  frequencies_->setAccessibleName("Test frequencies");
  frequencies_->setPlaceholderText("such as 1 kHz, 10 kHz");
  frequencies_->setToolTip("One or two frequencies at which the part is read, such as 1 kHz, 10 kHz");
  connect(frequencies_, &QLineEdit::editingFinished, this, [this] {
    QSettings().setValue("impedance/frequencies", frequencies_->text());
    refill();
  });
  top->addWidget(frequencies_, 1);
  column->addLayout(top);
  readings_ = make_table({{"", false, 88}, {"", true, 100}, {"", true}}, card);
  readings_->setAccessibleName("Component");
  readings_->verticalHeader()->setDefaultSectionSize(19);
  readings_->setFixedHeight(38 + 19 * int(std::size(kLines)));
  readings_->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  column->addWidget(readings_);
  column->addWidget(heading("Taken off by", card));
  auto* standards = new QHBoxLayout;
  standards->setSpacing(6);
  for (const char* what : {"open", "short", "load"}) {
    auto* button = new QPushButton(card);
    button->setAccessibleName(QString("Standard: %1").arg(what));
    connect(button, &QPushButton::clicked, this, [this, what = std::string(what)] {
      const auto& s = desk_->focus.study()->settings;
      // In use: no longer. Not in use: taken now.
      desk_->complain(s.contains(what) ? desk_->focus.edit_setting(what, "") : desk_->runner.start(what));
    });
    button->setStyleSheet("padding-left: 4px; padding-right: 4px;");
    standards->addWidget(button);
    standards_ << std::pair{std::string(what), button};
  }
  column->addLayout(standards);
  auto* fit_row = new QHBoxLayout;
  fit_row->addWidget(heading("Equivalent circuit", card), 1);
  fit_ = new QPushButton(card);
  fit_->setObjectName("fold");
  fit_->setFlat(true);
  fit_->setAccessibleName("Fit the equivalent circuit");
  fit_->setToolTip("Motional R, L, C in series beside a shunt capacitance, by least squares over all points");
  connect(fit_, &QPushButton::clicked, this,
          [this] { desk_->focus.edit_setting("fit", response_settings(*desk_).fit ? "" : "resonator"); });
  fit_row->addWidget(fit_);
  column->addLayout(fit_row);
  circuit_ = make_table({{"", false, 100}, {"", true, 98}, {"", true}}, card);
  circuit_->setAccessibleName("Equivalent circuit");
  circuit_->horizontalHeader()->hide();
  circuit_->verticalHeader()->setDefaultSectionSize(19);
  circuit_->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  column->addWidget(circuit_);
  trouble_ = new QLabel(card);
  trouble_->setWordWrap(true);
  trouble_->setFont(render::text_font(11));
  set_ink(*trouble_, render::theme().slate);
  column->addWidget(trouble_);
  column->addStretch(1);
  return card;
}

void ImpedanceLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  refill();
}

void ImpedanceLens::refill() {
  if (!isVisible() || !desk_->focus.study()) return;
  const auto view = desk_->focus.shown() ? desk_->readings.view(*desk_->focus.shown()) : nullptr;
  const auto settings = response_settings(*desk_);
  for (auto& [what, button] : standards_) {
    const auto used = settings.standards.find(what);
    const QString name = QString::fromStdString(what);
    button->setText(used == settings.standards.end() ? "Take " + name : QString("%1: %2").arg(name).arg(used->second));
    button->setEnabled(!desk_->runner.running());
    button->setToolTip(used == settings.standards.end()
                           ? QString("Puts %1 in the device's place and takes the sweep; it is taken off from then on")
                                 .arg(what == "open" ? "nothing"
                                      : what == "short"
                                          ? "a wire"
                                          : QString::fromStdString(format_setting(settings.load_resistance, "ohm")))
                           : QString("Take %1 is taken off. Click to leave it out; the take stays").arg(used->second));
  }
  fit_->setText(settings.fit ? "leave out" : "fit");
  QStringList headings = {""};
  std::vector<double> at;
  for (const auto& piece : frequencies_->text().split(',', Qt::SkipEmptyParts))
    if (const auto f = parse_value(piece.trimmed().toStdString(), "Hz"); f && *f > 0 && at.size() < 2) {
      at.push_back(*f);
      headings << QString::fromStdString(format_setting(*f, "Hz"));
    }
  if (at.empty() && view && curve_of(view).points.size() > 1) {
    // Nothing asked: the low end, and the middle of the sweep.
    const auto& points = curve_of(view).points;
    for (const double f : {points.front().frequency, std::sqrt(points.front().frequency * points.back().frequency)}) {
      at.push_back(rounded_to(f, 2));
      headings << QString::fromStdString(format_setting(at.back(), "Hz"));
    }
  }
  while (headings.size() < 3) headings << "";
  readings_->setHorizontalHeaderLabels(headings);
  readings_->setRowCount(int(std::size(kLines)));
  std::vector<std::string> asked;
  for (const auto& line : kLines)
    for (const double f : at) asked.push_back(key_of(line, f));
  show_component(at, {});
  component_.drop();
  // Beside the window's thread: the uncertainties go once through all points for each figure.
  if (view && !curve_of(view).points.empty() && curve_of(view).quantity == study::response::Quantity::impedance)
    component_.ask(
        [view, settings, asked = std::move(asked)] {
          study::Reading reading;
          study::response::read_figures(curve_of(view), settings, asked, reading);
          return reading;
        },
        [this, at](const study::Reading& reading) { show_component(at, reading); });
  QString trouble;
  int rows = 0;
  circuit_->setRowCount(settings.fit ? int(std::size(kCircuit)) : 0);
  for (const auto& line : kCircuit) {
    if (!settings.fit || !view) break;
    const auto* figure = view->analysis.reading.find(line.key);
    for (const auto& a : view->analysis.reading.absent)
      if (a.key == line.key) trouble = "No fit: " + QString::fromStdString(a.reason) + ".";
    if (!figure) continue;
    const auto value = format_with_uncertainty(figure->value, figure->u, figure->unit);
    set_cell(circuit_, rows, 0, line.label, false);
    set_cell(circuit_, rows, 1, QString::fromStdString(value.plain()), true);
    set_cell(circuit_, rows, 2, value.uncertainty.empty() ? "" : "\u00b1 " + QString::fromStdString(value.uncertainty),
             true);
    ++rows;
  }
  circuit_->setRowCount(rows);
  circuit_->setFixedHeight(19 * rows + 2);
  circuit_->setVisible(rows > 0);
  trouble_->setText(!trouble.isEmpty() ? trouble
                    : view && curve_of(view).quantity != study::response::Quantity::impedance
                        ? "The take in view is a gain. Set what is sensed to an impedance in the brief."
                        : "");
  trouble_->setVisible(!trouble_->text().isEmpty());
}

void ImpedanceLens::show_component(const std::vector<double>& at, const study::Reading& reading) {
  for (int row = 0; row < int(std::size(kLines)); ++row) {
    set_cell(readings_, row, 0, kLines[row].label, false);
    for (int k = 0; k < 2; ++k) {
      QString text, tip;
      if (k < int(at.size())) {
        const auto key = key_of(kLines[row], at[std::size_t(k)]);
        const auto* figure = reading.find(key);
        text = "\u2013";
        if (figure) {
          const auto value = format_with_uncertainty(figure->value, figure->u, figure->unit);
          text = QString::fromStdString(value.plain());
          tip = "\u00b1 " + QString::fromStdString(value.uncertainty) + " (k = 2)";
        }
        for (const auto& a : reading.absent)
          if (a.key == key) tip = QString::fromStdString(a.reason);
      }
      set_cell(readings_, row, k + 1, text, true);
      readings_->item(row, k + 1)->setToolTip(tip);
    }
  }
}

}  // namespace heron::app
