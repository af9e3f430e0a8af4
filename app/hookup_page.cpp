#include "hookup_page.h"

#include <QFileDialog>
#include <QGridLayout>
#include <QInputDialog>
#include <QPushButton>
#include <QScrollBar>
#include <QTimer>
#include <cmath>

#include "base/quantity.h"
#include "flow_layout.h"
#include "ink.h"
#include "render/theme.h"
#include "study/preflight.h"

namespace heron::app {

using render::theme;

namespace {

QLabel* label(const QString& text, QWidget* parent, bool secondary = false, QFont::Weight weight = QFont::Normal) {
  auto* out = new QLabel(text, parent);
  out->setFont(render::text_font(secondary ? 12 : 13, weight));
  if (secondary) set_ink(*out, theme().slate);
  return out;
}

QPushButton* small_button(const QString& text, const QString& name, const QString& tip, QWidget* parent) {
  auto* out = new QPushButton(text, parent);
  out->setObjectName("fold");
  out->setFlat(true);
  out->setAccessibleName(name);
  out->setToolTip(tip);
  return out;
}

QString shown(double v, std::string_view unit) { return QString::fromStdString(format_quantity(v, unit, 3).plain()); }

void clear(QLayout* layout) {
  while (auto* item = layout->takeAt(0)) {
    if (item->widget()) {
      item->widget()->hide();
      item->widget()->deleteLater();
    }
    delete item;
  }
}

/// Of the inputs that the plan in view reads with.
const bench::Limits& limits_of(const Focus& focus) {
  const auto* hookup = focus.plan() ? focus.plan()->hookup() : nullptr;
  return focus.limits().of(hookup ? hookup->digitiser : bench::Digitiser::accurate);
}


/// The range that automatic ranging would find for a level, in the quantity.
std::optional<double> range_for(const bench::Chain& chain, const bench::ChainSummary& summary,
                                std::optional<double> expected, const bench::Limits& limits) {
  if (chain.input.range) return summary.full_scale;
  if (!expected) return std::nullopt;
  for (const double r : limits.ranges)
    if (r * summary.per_volt >= 1.15 * *expected) return r * summary.per_volt;
  return summary.full_scale;
}

}  // namespace

QWidget* ChainRow::row_of(std::initializer_list<std::pair<QString, QString>> pieces, WordEditing* editing) {
  auto* row = new QWidget(this);
  auto* flow = new FlowLayout(5, 1, row);
  flow->setContentsMargins(0, 0, 0, 0);
  for (const auto& [field, text] : pieces) {
    if (field.isEmpty()) {
      auto* plain = label(text, row);
      plain->setFixedHeight(plain->fontMetrics().height() + 4);
      flow->addWidget(plain);
      continue;
    }
    const std::string key = "hookup." + chain_.name + "." + field.toStdString();
    auto* word = new BriefWord(key, text, row);
    word->setAccessibleName(QString("%1 of %2").arg(field, QString::fromStdString(chain_.name)));
    connect(word, &QAbstractButton::clicked, this, [editing, key] { editing->open(key); });
    flow->addWidget(word);
    words_ << word;
  }
  return row;
}

ChainRow::ChainRow(const bench::Chain& chain, Desk* desk, WordEditing* editing, QWidget* parent)
    : QWidget(parent), chain_(chain) {
  const auto& in = chain_.input;
  const auto& s = in.sensor;
  const QString name = QString::fromStdString(chain_.name);
  auto* grid = new QGridLayout(this);
  grid->setContentsMargins(0, 0, 0, 12);
  grid->setHorizontalSpacing(10);
  grid->setVerticalSpacing(2);
  grid->setColumnStretch(0, 5);
  grid->setColumnStretch(1, 2);
  grid->setColumnStretch(2, 6);

  auto* head = new QHBoxLayout;
  auto* title = label(name, this, false, QFont::DemiBold);
  head->addWidget(title);
  const bool floats = s.kind == bench::SensorKind::differential || s.kind == bench::SensorKind::isolated;
  auto* where = s.senses_current() || (in.against.empty() && !floats)
                    ? row_of({{"", s.senses_current() ? "in" : "at"}, {"pin", QString::fromStdString(in.pin)}}, editing)
                    : row_of({{"", "at"},
                              {"pin", QString::fromStdString(in.pin)},
                              {"", "against"},
                              {"against", in.against.empty() ? "ground" : QString::fromStdString(in.against)}},
                             editing);
  head->setSpacing(8);
  title->setFixedHeight(title->fontMetrics().height() + 4);
  head->addWidget(where, 1, Qt::AlignVCenter);
  auto* zero = small_button("Zero", "Zero " + name, "Reads the sensor with nothing in it and takes that off", this);
  connect(zero, &QPushButton::clicked, this, [desk, n = chain_.name] { desk->messages.say_trouble(desk->runner.zero_sensor(n)); });
  auto* check = small_button("Check factor", "Check factor of " + name,
                             "Reads a known sine of the generator through this chain", this);
  connect(check, &QPushButton::clicked, this, [desk, n = chain_.name] { desk->messages.say_trouble(desk->runner.check_factor(n)); });
  auto* drop = small_button("Take out", "Take out " + name, "Senses this quantity no more", this);
  connect(drop, &QPushButton::clicked, this, [desk, n = chain_.name] {
    desk->messages.say_trouble(desk->focus.edit("hookup." + n + ".remove", ""));
  });
  for (auto* b : {zero, check, drop}) head->addWidget(b);
  // Codes are read as they come.
  for (auto* b : {zero, check}) b->setVisible(!s.reads_codes());
  grid->addLayout(head, 0, 0, 1, 3);

  line_ = new ChainLine(this);
  grid->addWidget(line_, 1, 0, 1, 3);
  columns_ << row_of(
      {{"sensor", QString::fromStdString(s.name)}, {"factor", QString::fromStdString(bench::factor_text(s))}}, editing);
  columns_ << row_of({{"attenuation", in.attenuation == 1 ? "none" : QString("\u00f7%1").arg(in.attenuation)}},
                     editing);
  columns_ << row_of({{"ohms", in.ohms < 1e3 ? "50 ohm" : "1 Mohm"},
                      {"coupling", in.coupling == bench::Coupling::ac ? "AC" : "DC"},
                      {"", "filter"},
                      {"filter", in.bandwidth_limit ? "on" : "off"},
                      {"", "range"},
                      {"range", in.range ? QString::fromStdString(format_setting(*in.range, "V")) : "automatic"}},
                     editing);
  for (int k = 0; k < 3; ++k) grid->addWidget(columns_[k], 2, k);
  // Nothing of an input stands between a converter and its codes.
  if (s.reads_codes())
    for (int k : {1, 2}) columns_[k]->hide();

  const auto& limits = limits_of(desk->focus);
  const auto summary = bench::summarise(chain_, limits.input);
  std::optional<double> expected;
  if (const auto& levels = desk->outlook.levels(); levels && levels->quantities.contains(chain_.name))
    expected = levels->quantities.at(chain_.name).highest();
  const auto range = range_for(chain_, summary, expected, limits);
  auto* bar = new HeadroomBar(this);
  bar->show_levels(expected, range, summary.harm, summary.unit);
  bar->setVisible(!summary.codes);
  const QString sentence = QString::fromStdString(
      bench::headroom_text(summary, expected, in.range ? std::optional(summary.full_scale) : std::nullopt));
  bar->setToolTip(sentence);
  bar->setAccessibleName("Headroom of " + name);
  grid->addWidget(bar, 3, 0, 1, 3);
  auto* said = label(sentence, this);
  said->setFont(render::text_font(12));
  said->setAccessibleName("Headroom sentence of " + name);
  said->setWordWrap(true);
  grid->addWidget(said, 4, 0, 1, 3);

  QStringList facts;
  const QString per = summary.unit == "V" ? QString("%1 V/V").arg(summary.per_volt, 0, 'g', 4)
                                          : QString("%1 A/V").arg(summary.per_volt, 0, 'g', 4);
  const auto& converters = desk->focus.surroundings().converters;
  const auto converter = s.reads_codes() ? converters.find(in.pin) : converters.end();
  if (converter != converters.end())
    facts << QString("%1 bits").arg(converter->second.bits) << "full scale " + shown(converter->second.full_scale, "V");
  else
    facts << per
        << "one count " +
               shown(range ? *range / summary.full_scale * summary.one_count : summary.one_count, summary.unit)
        << "" + shown(summary.bandwidth, "Hz") << shown(summary.delay, "s") + " late";
  if (summary.loading_ohms > 0)
    facts << "loads " + shown(summary.loading_ohms, "ohm") +
                 (summary.loading_farads > 0 ? " \u2225 " + shown(summary.loading_farads, "F") : "");
  if (s.low_corner > 0) facts << "from " + shown(s.low_corner, "Hz") + " on";
  auto* last = row_of({{"", facts.join(" \u00b7 ") + " \u00b7 zero"},
                       {"zero", chain_.zero ? shown(*chain_.zero, "V") : "not set"},
                       {"", "deskew"},
                       {"deskew", QString::fromStdString(format_setting(chain_.deskew, "s"))},
                       {"", "correction"},
                       {"correction", QString::number(chain_.correction, 'g', 6)}},
                      editing);
  for (auto* l : last->findChildren<QLabel*>()) {
    l->setFont(render::text_font(12));
    set_ink(*l, theme().slate);
  }
  grid->addWidget(last, 5, 0, 1, 3);
  if (in.planted) {
    auto* planted = new QHBoxLayout;
    auto* words = label("A fault is planted on the simulated bench here, for practice.", this, true);
    auto* out = small_button("Take it out", "Take the planted fault out of " + name,
                             "The bench then is what the hookup says", this);
    connect(out, &QPushButton::clicked, this,
            [desk, n = chain_.name] { desk->focus.edit("hookup." + n + ".planted", "out"); });
    planted->addWidget(words);
    planted->addWidget(out);
    planted->addStretch(1);
    grid->addLayout(planted, 6, 0, 1, 3);
  }
}

void ChainRow::resizeEvent(QResizeEvent* event) {
  QWidget::resizeEvent(event);
  layout()->activate();
  QList<int> centres;
  for (auto* column : columns_) centres << column->x() + std::min(column->width() / 2, 46);
  line_->show_chain(chain_, centres);
  emit placed();
}

HookupPage::HookupPage(Desk* desk, QWidget* parent) : QScrollArea(parent), desk_(desk) {
  setWidgetResizable(true);
  setFrameShape(QFrame::NoFrame);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName("Hookup");
  sheet_ = new QWidget(this);
  sheet_->setObjectName("sheet");
  sheet_->setAttribute(Qt::WA_StyledBackground);
  setWidget(sheet_);
  editing_ = new WordEditing(desk_, this, [this] { return words(); });
  auto* column = new QVBoxLayout(sheet_);
  column->setContentsMargins(20, 10, 20, 12);
  column->setSpacing(10);
  auto* top = new QHBoxLayout;
  title_ = new QLabel(sheet_);
  title_->setFont(render::text_font(18, QFont::Medium));
  top->addWidget(title_, 1);
  auto* add = new QPushButton("Sense another quantity\u2026", sheet_);
  add->setAccessibleName("Sense another quantity");
  connect(add, &QPushButton::clicked, this, [this] {
    bool ok = false;
    const QString name =
        QInputDialog::getText(this, "Sense another quantity", "Its name, as formulas will call it", QLineEdit::Normal,
                              QString("v%1").arg(hookup().chains.size() + 1), &ok);
    if (!ok) return;
    desk_->complain(desk_->focus.edit("hookup.add", name));
  });
  auto* compute = new QPushButton("Compute one\u2026", sheet_);
  compute->setAccessibleName("Compute a quantity");
  compute->setToolTip("A quantity by formula from the others, such as i_load = (v1 - v2)/R7 [A]");
  connect(compute, &QPushButton::clicked, this, [this] {
    bool ok = false;
    const QString text =
        QInputDialog::getText(this, "Compute a quantity", "name = formula [unit]; part names stand for their values",
                              QLineEdit::Normal, "i_load = (response - stimulus)/R6 [A]", &ok);
    if (!ok) return;
    desk_->complain(desk_->focus.edit("hookup.compute", text));
  });
  top->addWidget(add);
  top->addWidget(compute);
  column->addLayout(top);
  drive_ = new QWidget(sheet_);
  auto* flow = new FlowLayout(5, 2, drive_);
  flow->setContentsMargins(0, 0, 0, 0);
  column->addWidget(drive_);
  auto* middle = new QHBoxLayout;
  middle->setSpacing(0);
  box_ = new DeviceBox(sheet_);
  channels_ = new QWidget(sheet_);
  auto* channel_rows = new QVBoxLayout(channels_);
  channel_rows->setContentsMargins(0, 4, 0, 0);
  channel_text_ = label("", channels_);
  channel_text_->setWordWrap(true);
  channel_text_->setTextFormat(Qt::RichText);
  channel_text_->setAccessibleName("Source-measure channels");
  channel_rows->addWidget(channel_text_);
  by_inputs_ = new QPushButton(channels_);
  by_inputs_->setAccessibleName("Sense by inputs");
  connect(by_inputs_, &QPushButton::clicked, this, [this] {
    if (const auto way = desk_->focus.plan()->by_inputs()) desk_->messages.say_trouble(desk_->focus.edit(way->edits));
  });
  channel_rows->addWidget(by_inputs_, 0, Qt::AlignLeft);
  column->addWidget(channels_);
  middle->addWidget(box_);
  rows_ = new QVBoxLayout;
  rows_->setSpacing(4);
  middle->addLayout(rows_, 1);
  column->addLayout(middle);
  computed_ = new QVBoxLayout;
  column->addLayout(computed_);
  found_ = label("", sheet_);
  found_->setWordWrap(true);
  found_->setAccessibleName("Findings of the hookup");
  column->addWidget(found_);
  column->addStretch(1);
  column->addWidget(tools_ = make_tools());
  sensing_ = {box_, add, compute, tools_};

  connect(&desk_->focus, &Focus::plan_changed, this, &HookupPage::rebuild);
  connect(&desk_->outlook, &Outlook::levels_changed, this, &HookupPage::rebuild);
  connect(&desk_->focus, &Focus::device_changed, this, &HookupPage::rebuild);
  connect(&desk_->sensors, &SensorList::changed, this, &HookupPage::refill_sensors);
  connect(&desk_->runner, &Runner::factor_checked, this, [this](const QString& chain, double read, double known, double u) {
    const auto* c = hookup().find(chain.toStdString());
    if (!c) return;
    const auto result = bench::check_factor(read, known, u);
    checked_->setText(QString("%1: a known sine of %2 peak reads %3. %4")
                          .arg(chain, shown(known, c->input.sensor.unit()), shown(read, c->input.sensor.unit()),
                               QString::fromStdString(result.verdict)));
  });
  refill_sensors();
}

QList<BriefWord*> HookupPage::words() const {
  QList<BriefWord*> out = drive_words_;
  for (auto* row : chains_) out << row->words();
  return out;
}

void HookupPage::showEvent(QShowEvent* event) {
  QScrollArea::showEvent(event);
  if (stale_) rebuild();
}

void HookupPage::rebuild() {
  // Nobody pays for a page that is not looked at.
  stale_ = !isVisible();
  if (stale_ || !desk_->focus.plan()) return;
  std::string focused;
  if (const auto* word = qobject_cast<BriefWord*>(window()->focusWidget()); word && isAncestorOf(word))
    focused = word->key();
  title_->setText("Hookup of " + QString::fromStdString(desk_->focus.study()->name));
  rebuild_drive();
  clear(rows_);
  chains_.clear();
  show_channels();
  const auto& hookup = this->hookup();
  for (const auto& chain : hookup.chains) {
    auto* row = new ChainRow(chain, desk_, editing_, sheet_);
    connect(row, &ChainRow::placed, this, &HookupPage::place_box);
    rows_->addWidget(row);
    row->show();
    chains_ << row;
    for (auto* word : row->words())
      if (word->key() == focused) word->setFocus();
  }
  clear(computed_);
  for (const auto& c : hookup.computed) {
    auto* row = new QWidget(sheet_);
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(DeviceBox::kWidth, 0, 0, 0);
    const QString name = QString::fromStdString(c.name);
    line->addWidget(label(name, row, false, QFont::DemiBold));
    line->addWidget(label(
        "= " + QString::fromStdString(c.formula) + (c.unit.empty() ? "" : "  in " + QString::fromStdString(c.unit)),
        row));
    line->addStretch(1);
    auto* drop = small_button("Take out", "Take out " + name, "Computes this quantity no more", row);
    connect(drop, &QPushButton::clicked, this, [this, n = c.name] {
      desk_->complain(desk_->focus.edit("hookup." + n + ".remove", ""));
    });
    line->addWidget(drop);
    computed_->addWidget(row);
  }
  QStringList findings;
  std::vector<study::Doubt> found;
  study::check_hookup(hookup, desk_->outlook.levels() ? &*desk_->outlook.levels() : nullptr, desk_->focus.limits(), found);
  for (const auto& d : found)
    if (d.severity != study::Severity::note)
      findings << QString("<span style='color:%1; font-weight:600'>%2</span> %3 %4")
                      .arg(theme().bill_text.name(), d.severity == study::Severity::serious ? "Serious:" : "Caution:",
                           QString::fromStdString(d.text).toHtmlEscaped(),
                           QString::fromStdString(d.remedy).toHtmlEscaped());
  found_->setText(findings.join("<br>"));
  found_->setVisible(!findings.isEmpty());
  QTimer::singleShot(0, this, &HookupPage::place_box);
}

/// Source-measure channels sense what they drive: no chain, but where their leads go matters.
void HookupPage::show_channels() {
  const auto plan = desk_->focus.plan();
  const bool chains = plan && plan->hookup();
  channels_->setVisible(!chains);
  for (auto* widget : sensing_) widget->setVisible(chains);
  if (chains || !plan) return;
  const auto way = plan->by_inputs();
  by_inputs_->setVisible(way.has_value());
  if (way) {
    by_inputs_->setText(QString::fromStdString(way->label));
    by_inputs_->setAccessibleName(QString::fromStdString(way->name));
    by_inputs_->setToolTip(QString::fromStdString(way->tip));
  }
  QStringList lines;
  int number = 0;
  for (const auto& lead : plan->leads())
    lines << QString("<b>%1</b>: source-measure channel %2 between %3 and %4, %5.")
                 .arg(QString::fromStdString(lead.name).toHtmlEscaped())
                 .arg(++number)
                 .arg(QString::fromStdString(lead.pin).toHtmlEscaped(),
                      lead.against.empty() ? QString("ground") : QString::fromStdString(lead.against).toHtmlEscaped(),
                      QString::fromStdString(lead.about));
  channel_text_->setText(lines.join("<br>"));
}

const bench::Hookup& HookupPage::hookup() const {
  static const bench::Hookup none;
  const auto plan = desk_->focus.plan();
  return plan && plan->hookup() ? *plan->hookup() : none;
}

/// The pin that is driven along the sweep.
QString HookupPage::driven_pin() const {
  if (const auto plan = desk_->focus.plan())
    for (const auto& lead : plan->leads())
      if (lead.along) return QString::fromStdString(lead.pin);
  return {};
}

/// The drive as the brief says it, word for word the same settings.
void HookupPage::rebuild_drive() {
  clear(drive_->layout());
  drive_words_.clear();
  for (const auto& piece : desk_->focus.plan()->brief()) {
    if (!piece.drives) continue;
    const QString text = QString::fromStdString(piece.text);
    if (piece.key.empty()) {
      for (const auto& part : text.split(' ', Qt::SkipEmptyParts)) {
        auto* plain = label(part, drive_, false, piece.heading ? QFont::DemiBold : QFont::Normal);
        plain->setFixedHeight(plain->fontMetrics().height() + 4);
        plain->setProperty("attached", QString(".,;:").contains(part.front()));
        drive_->layout()->addWidget(plain);
        plain->show();
      }
      continue;
    }
    auto* word = new BriefWord(piece.key, text, drive_);
    word->setAccessibleName("Drive: " + QString::fromStdString(piece.key));
    connect(word, &QAbstractButton::clicked, this, [this, key = piece.key] { editing_->open(key); });
    drive_->layout()->addWidget(word);
    word->show();
    drive_words_ << word;
  }
}

void HookupPage::place_box() {
  QList<DeviceBox::Stub> stubs;
  for (auto* row : chains_) {
    const auto* chain = hookup().find(row->name());
    if (chain) stubs << DeviceBox::Stub{QString::fromStdString(chain->input.pin), row->y() - box_->y() + row->line_y()};
  }
  box_->show_device(QString::fromStdString(desk_->focus.device().info.about), driven_pin(),
                    stubs.isEmpty() ? 60 : stubs.front().y, stubs);
}

void HookupPage::resizeEvent(QResizeEvent* event) {
  QScrollArea::resizeEvent(event);
  place_box();
}

QWidget* HookupPage::make_tools() {
  auto* tools = new QWidget(sheet_);
  auto* row = new QHBoxLayout(tools);
  row->setContentsMargins(0, 4, 0, 0);
  row->setSpacing(24);
  row->addWidget(make_sense_tool(), 1);
  row->addWidget(make_sensor_list(), 1);
  return tools;
}

QWidget* HookupPage::make_sense_tool() {
  auto* tool = new QWidget(sheet_);
  auto* column = new QVBoxLayout(tool);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  column->addWidget(label("A resistor to sense a current", tool, false, QFont::DemiBold));
  auto* row = new QHBoxLayout;
  current_ = new QLineEdit("20 mA", tool);
  current_->setAccessibleName("Expected current");
  drop_ = new QLineEdit("200 mV", tool);
  drop_->setAccessibleName("Allowed drop");
  for (auto* field : {current_, drop_}) field->setFixedWidth(84);
  row->addWidget(label("for up to", tool));
  row->addWidget(current_);
  row->addWidget(label("spending at most", tool));
  row->addWidget(drop_);
  row->addStretch(1);
  column->addLayout(row);
  proposal_ = label("", tool);
  proposal_->setWordWrap(true);
  proposal_->setAccessibleName("Proposed resistor");
  column->addWidget(proposal_);
  checked_ = label("Check factor reads a known sine of the generator through a chain.", tool, true);
  checked_->setWordWrap(true);
  checked_->setAccessibleName("Result of the check");
  column->addWidget(checked_);
  column->addStretch(1);
  for (auto* field : {current_, drop_}) connect(field, &QLineEdit::textChanged, this, &HookupPage::propose);
  connect(&desk_->focus, &Focus::device_changed, this, &HookupPage::propose);
  return tool;
}

void HookupPage::propose() {
  const auto current = parse_value(current_->text().toStdString(), "A"),
             drop = parse_value(drop_->text().toStdString(), "V");
  if (!current || !drop) {
    proposal_->setText(QString::fromStdString((current ? drop : current).error().message));
    return;
  }
  const auto proposal = bench::propose_sense_resistor(*current, *drop, limits_of(desk_->focus).input);
  if (!proposal) {
    proposal_->setText(QString::fromStdString(proposal.error().message));
    return;
  }
  proposal_->setText(
      QString("%1: drops %2, uses %3 % of the %4 range, warms by %5, one count is %6.")
          .arg(shown(proposal->resistance, "ohm"), shown(proposal->drop, "V"))
          .arg(100 * proposal->range_share, 0, 'f', 0)
          .arg(shown(proposal->range, "V"), shown(proposal->dissipation, "W"), shown(proposal->one_count, "A")));
}

QWidget* HookupPage::make_sensor_list() {
  auto* list = new QWidget(sheet_);
  auto* column = new QVBoxLayout(list);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  auto* top = new QHBoxLayout;
  top->addWidget(label("Sensors of your own", list, false, QFont::DemiBold));
  top->addStretch(1);
  auto* keep = small_button("Keep one\u2026", "Keep a sensor",
                            "Keeps a sensor of the hookup, as it is set here, under a name of your own", list);
  connect(keep, &QPushButton::clicked, this, [this] {
    const auto& chains = hookup().chains;
    QStringList of;
    for (const auto& c : chains) of << QString::fromStdString(c.name);
    bool ok = false;
    const QString chain =
        of.size() < 2 ? of.value(0) : QInputDialog::getItem(this, "Keep a sensor", "The sensor of", of, 0, false, &ok);
    if (chain.isEmpty() || (of.size() >= 2 && !ok)) return;
    auto sensor = hookup().find(chain.toStdString())->input.sensor;
    const QString name = QInputDialog::getText(this, "Keep a sensor", "Its name in your list", QLineEdit::Normal,
                                               "My " + QString::fromStdString(sensor.name).toLower(), &ok);
    if (!ok || name.trimmed().isEmpty()) return;
    sensor.name = name.trimmed().toStdString();
    desk_->messages.say_trouble(desk_->sensors.keep(sensor));
  });
  auto* in = small_button("Bring in\u2026", "Bring in sensors", "Sensors from a JSON file", list);
  connect(in, &QPushButton::clicked, this, [this] {
    const QString path = QFileDialog::getOpenFileName(this, "Bring in sensors", {}, "Sensors (*.json)");
    if (path.isEmpty()) return;
    desk_->messages.say_trouble(desk_->sensors.bring_in(path));
  });
  auto* out = small_button("Write\u2026", "Write sensors", "Your sensors to a JSON file, for another machine", list);
  connect(out, &QPushButton::clicked, this, [this] {
    const QString path = QFileDialog::getSaveFileName(this, "Write sensors", "sensors.json", "Sensors (*.json)");
    if (path.isEmpty()) return;
    desk_->messages.say_trouble(desk_->sensors.write_to(path));
  });
  for (auto* b : {keep, in, out}) top->addWidget(b);
  column->addLayout(top);
  auto* holder = new QWidget(list);
  sensors_ = new QVBoxLayout(holder);
  sensors_->setContentsMargins(0, 0, 0, 0);
  column->addWidget(holder);
  column->addStretch(1);
  return list;
}

void HookupPage::refill_sensors() {
  clear(sensors_);
  auto* holder = sensors_->parentWidget();
  if (desk_->sensors.all().empty()) {
    auto* none = label(
        "None yet. Set a sensor's factor on its line above, then keep it; it is offered wherever a sensor is chosen.",
        holder, true);
    none->setWordWrap(true);
    sensors_->addWidget(none);
  }
  for (const auto& s : desk_->sensors.all()) {
    auto* row = new QWidget(holder);
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    const QString name = QString::fromStdString(s.name);
    const auto kind = bench::sensor_kind_text(s.kind);
    line->addWidget(label(name, row));
    line->addWidget(label(QString::fromUtf8(kind.data(), qsizetype(kind.size())) + ", " +
                              QString::fromStdString(bench::factor_text(s)),
                          row, true),
                    1);
    auto* drop = small_button("Forget", "Forget " + name, "Takes it off your list; hookups that use it keep it", row);
    connect(drop, &QPushButton::clicked, this, [this, n = s.name] { desk_->sensors.drop(n); });
    line->addWidget(drop);
    sensors_->addWidget(row);
  }
}

}  // namespace heron::app
