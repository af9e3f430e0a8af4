#include "overview_page.h"

#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QShortcut>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>
#include <set>

#include "app/text.h"
#include "base/quantity.h"
#include "exchange/writers.h"
#include "ink.h"
#include "render/plot_parts.h"
#include "render/theme.h"
#include "study/kind.h"

namespace heron::app {

using judge::Verdict;
using render::theme;

namespace {

/// Of a row: the worst first.
int gravity(const run::OverviewRow& row) {
  int out = 3;
  for (const auto& cell : row.cells)
    if (cell) out = std::min(out, cell->judgement.verdict == Verdict::fails ? 0 : cell->judgement.verdict == Verdict::too_close ? 1 : cell->judgement.verdict == Verdict::not_measured ? 2 : 3);
  return out;
}
QString kind_title(const std::string& name) {
  const auto* kind = study::find_kind(name);
  return kind ? text(kind->title) : text(name);
}
double least_margin(const run::OverviewRow& row) {
  double out = INFINITY;
  for (const auto& cell : row.cells)
    if (cell) out = std::min(out, run::urgency(cell->judgement).value_or(INFINITY));
  return out;
}

}  // namespace

OverviewPage::OverviewPage(Desk* desk, QWidget* parent)
    : QWidget(parent), desk_(desk), said_(new QLabel(this)), bar_(new LookBar(this)), words_(new QLineEdit(this)), grid_(new OverviewGrid(this)), drawer_(new QWidget(this)), drawer_title_(new QLabel(drawer_)),
      drawer_text_(new QLabel(drawer_)), plot_(new QCustomPlot(drawer_)) {
  setObjectName("sheet");
  setAttribute(Qt::WA_StyledBackground);
  setAccessibleName("Overview");
  setFocusPolicy(Qt::StrongFocus);
  setFocusProxy(grid_);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(20, 10, 20, 12);
  column->setSpacing(8);
  auto* title = new QLabel("Overview", this);
  title->setFont(render::text_font(18, QFont::Medium));
  column->addWidget(title);
  said_->setWordWrap(true);
  said_->setAccessibleName("What it comes to");
  said_->setFont(render::text_font(13));
  column->addWidget(said_);
  auto* row = new QHBoxLayout;
  words_->setPlaceholderText("words of a study, a claim, a kind or an assembly");
  words_->setAccessibleName("Filter by words");
  words_->setFixedWidth(330);
  row->addWidget(words_);
  row->addWidget(bar_, 1);
  auto* run_all = new QPushButton("Run all\u2026", this);
  run_all->setAccessibleName("Run all");
  run_all->setToolTip("Studies on units, one take after another");
  connect(run_all, &QPushButton::clicked, this, &OverviewPage::batch_asked);
  row->addWidget(run_all);
  column->addLayout(row);
  column->addWidget(grid_, 1);
  bar_->add(
      "Only", "Which claims are listed", [this] { return QString(only_ == Only::all ? "all claims" : only_ == Only::fails ? "what fails" : only_ == Only::not_good ? "what does not meet" : only_ == Only::doubted ? "what is in doubt" : "what differs"); },
      [this] {
        only_ = Only((int(only_) + 1) % 5);
        arrange();
      });
  bar_->add(
      "Order", "How claims are ordered: by their study, by the smallest margin against its uncertainty, or by the worst verdict",
      [this] { return QString(order_ == Order::study ? "by study" : order_ == Order::margin ? "smallest margin first" : "worst verdict first"); },
      [this] {
        order_ = Order((int(order_) + 1) % 3);
        arrange();
      });
  bar_->add_menu(
      "Kind", "Studies of which kind", [this] { return only_kind_.empty() ? QString("all kinds") : kind_title(only_kind_); },
      [this] {
        QList<LookBar::MenuLine> out = {{"all kinds", [this] { narrow(only_kind_, {}); }}};
        std::set<std::string> there;
        for (const auto& one : overview_ ? overview_->rows : std::vector<run::OverviewRow>{})
          if (there.insert(one.kind).second) out.append({kind_title(one.kind), [this, kind = one.kind] { narrow(only_kind_, kind); }});
        return out;
      });
  bar_->add_menu(
      "Unit", "Takes of which unit", [this] { return only_unit_.empty() ? QString("all units") : text(only_unit_); },
      [this] {
        QList<LookBar::MenuLine> out = {{"all units", [this] { narrow(only_unit_, {}); }}};
        for (const auto& unit : all_units_) out.append({text(unit), [this, unit] { narrow(only_unit_, unit); }});
        return out;
      });
  bar_->add("Across", "A column a unit, or a column a take with the newest first", [this] { return QString(across_takes_ ? "takes across" : "units across"); },
            [this] {
              across_takes_ = !across_takes_;
              if (!against_.unit.empty()) against_ = {};
              reload();
            });
  bar_->add_menu(
      "Against", "What each cell is held against; claims whose verdict is another come first", [this] { return against_words(); },
      [this] {
        QList<LookBar::MenuLine> out = {{"against nothing", [this] { hold_against({}); }}};
        if (!overview_) return out;
        for (const auto& unit : across_takes_ ? std::vector<std::string>{} : all_units_) out.append({"against " + text(unit), [this, unit] { hold_against({.unit = unit}); }});
        for (std::size_t k = 1; k < overview_->days.size(); ++k) out.append({"what changed since before " + text(overview_->days[k]), [this, day = overview_->days[k]] { hold_against({.day = day}); }});
        if (overview_->days.size() < 2) out.append(LookBar::MenuLine{"all takes are of one day: nothing came before", {}});
        return out;
      });
  bar_->refresh();

  auto* beside = new QHBoxLayout(drawer_);
  beside->setContentsMargins(0, 6, 0, 0);
  auto* about = new QVBoxLayout;
  drawer_title_->setFont(render::text_font(13, QFont::DemiBold));
  drawer_title_->setWordWrap(true);
  drawer_text_->setFont(render::text_font(12.5));
  drawer_text_->setWordWrap(true);
  drawer_text_->setAlignment(Qt::AlignTop);
  drawer_text_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  drawer_text_->setAccessibleName("What the units come to");
  set_ink(*drawer_text_, theme().slate);
  about->addWidget(drawer_title_);
  about->addWidget(drawer_text_, 1);
  auto* out = new QHBoxLayout;
  const auto way_out = [&](const QString& words, const QString& name, const QString& tip, auto slot) {
    auto* button = new QPushButton(words, drawer_);
    button->setObjectName("place");
    button->setFlat(true);
    button->setAccessibleName(name);
    button->setToolTip(tip);
    connect(button, &QPushButton::clicked, this, slot);
    out->addWidget(button);
  };
  way_out("Copy", "Copy the values", "The claim's values on all units, as a table in SI numbers", [this] { QApplication::clipboard()->setText(values_csv()); });
  way_out("Save\u2026", "Save the values", "The claim's values on all units as CSV", [this] { save_values(); });
  out->addStretch(1);
  about->addLayout(out);
  beside->addLayout(about, 2);
  render::style_plot(*plot_);
  render::style_axes(*plot_->axisRect());
  plot_->setAccessibleName("Values of all units");
  counts_ = new QCPAxisRect(plot_);
  plot_->plotLayout()->addElement(0, 1, counts_);
  plot_->plotLayout()->setColumnStretchFactors({4, 1});
  render::style_axes(*counts_);
  auto* level = new QCPMarginGroup(plot_);
  for (auto* rect : {plot_->axisRect(0), counts_}) rect->setMarginGroup(QCP::msTop | QCP::msBottom, level);
  counts_->axis(QCPAxis::atLeft)->setTickLabels(false);
  counts_->axis(QCPAxis::atBottom)->setLabel("units");
  counts_->axis(QCPAxis::atBottom)->grid()->setVisible(false);
  beside->addWidget(plot_, 5);
  drawer_->setFixedHeight(180);
  drawer_->hide();
  column->addWidget(drawer_);

  connect(words_, &QLineEdit::textChanged, this, &OverviewPage::arrange);
  connect(grid_, &OverviewGrid::cell_chosen, this, &OverviewPage::tell_statistics);
  connect(grid_, &OverviewGrid::cell_opened, this, &OverviewPage::open_cell);
  connect(grid_, &OverviewGrid::fold, this, [this](const QString& section) {
    if (!folded_.remove(section)) folded_.insert(section);
    arrange();
  });
  auto* shortcut = new QShortcut(QKeySequence::Copy, grid_, nullptr, nullptr, Qt::WidgetShortcut);
  connect(shortcut, &QShortcut::activated, this, &OverviewPage::copy);
  connect(&desk_->document, &Document::opened, this, [this] {
    against_ = {};
    only_kind_ = only_unit_ = {};
    reload();
  });
  connect(&desk_->document, &Document::studies_changed, this, &OverviewPage::reload);
  connect(&desk_->document, &Document::reading_changed, this, &OverviewPage::reload);
  connect(&desk_->document, &Document::takes_changed, this, &OverviewPage::reload);
  connect(&desk_->runner, &Runner::running_changed, this, &OverviewPage::reload);
}

void OverviewPage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  reload();
}

/// What is kept first; then, where something is not, with what is read anew.
void OverviewPage::reload() {
  if (!isVisible() || !desk_->document.is_open()) return;
  if (!overview_) said_->setText("reading\u2026");
  const auto ask = [this](bool read, auto heard) {
    working_.ask(
        [path = desk_->document.path().toStdString(), read, against = against_, across = across_takes_, unit = only_unit_] {
          Ready out;
          auto store = dossier::Store::open_again(path);
          // What is held against another unit needs it beside the one that is looked at.
          run::OverviewOptions options{.read = read, .across_takes = across, .unit = against.unit.empty() ? unit : std::string()};
          if (store) out.all_units = run::columns_of_units(*store).value_or(std::vector<std::string>{});
          auto all = store ? run::overview(*store, options) : Result<run::Overview>(tl::unexpected(store.error()));
          if (all && !against.unit.empty()) {
            const auto other = std::find(all->units.begin(), all->units.end(), against.unit);
            run::hold_against(*all, std::size_t(other - all->units.begin()));
            if (!unit.empty()) run::keep_unit(*all, unit);
          }
          options.before = against.day;
          if (all && !against.day.empty())
            if (const auto earlier = run::overview(*store, options)) run::hold_against(*all, *earlier);
          if (all) out.overview = std::make_shared<const run::Overview>(std::move(*all));
          else out.trouble = text(all.error().message);
          return out;
        },
        heard);
  };
  ask(false, [this, ask](const Ready& ready) {
    overview_ = ready.overview;
    all_units_ = ready.all_units;
    if (!ready.trouble.isEmpty()) said_->setText(ready.trouble);
    arrange();
    if (!overview_ || overview_->unread == 0 || desk_->runner.running()) return;
    said_->setText(said_->text() + QString(" %1 %2 still to be read\u2026").arg(overview_->unread).arg(overview_->unread == 1 ? "take is" : "takes are"));
    ask(true, [this](const Ready& whole) {
      if (whole.overview) overview_ = whole.overview;
      arrange();
    });
  });
}

bool OverviewPage::wanted(const run::OverviewRow& row) const {
  if (!only_kind_.empty() && row.kind != only_kind_) return false;
  const auto any = [&](auto holds) { return std::any_of(row.cells.begin(), row.cells.end(), [&](const auto& cell) { return cell && holds(*cell); }); };
  const auto is = [](Verdict v) { return [v](const run::OverviewCell& c) { return c.judgement.verdict == v; }; };
  if (only_ == Only::fails && !any(is(Verdict::fails))) return false;
  if (only_ == Only::not_good && !any([&](const auto& c) { return c.judgement.verdict != Verdict::meets; })) return false;
  if (only_ == Only::doubted && !any([](const auto& c) { return !c.doubts.empty(); })) return false;
  if (only_ == Only::differs) {
    const run::OverviewCell* first = nullptr;
    if (!any([&](const auto& c) {
          if (!first) first = &c;
          return c.judgement.verdict != first->judgement.verdict;
        }))
      return false;
  }
  for (const auto& word : words_->text().split(' ', Qt::SkipEmptyParts)) {
    if (!(text(row.study_name) + " " + text(row.text) + " " + text(row.kind) + " " + text(row.assembly) + " " + text(row.figure)).contains(word, Qt::CaseInsensitive)) return false;
  }
  return true;
}

void OverviewPage::arrange() {
  bar_->refresh();
  if (!overview_) return;
  said_->setText(text(run::sentence(*overview_)));
  std::vector<int> rows;
  for (int k = 0; k < int(overview_->rows.size()); ++k)
    if (wanted(overview_->rows[std::size_t(k)])) rows.push_back(k);
  const auto of = [&](int k) -> const run::OverviewRow& { return overview_->rows[std::size_t(k)]; };
  if (order_ == Order::margin) std::stable_sort(rows.begin(), rows.end(), [&](int a, int b) { return least_margin(of(a)) < least_margin(of(b)); });
  if (order_ == Order::verdict) std::stable_sort(rows.begin(), rows.end(), [&](int a, int b) { return gravity(of(a)) < gravity(of(b)); });
  std::vector<OverviewGrid::Line> lines;
  std::string assembly;
  const bool held = against_ != Against{};
  const auto part = std::stable_partition(rows.begin(), rows.end(), [&](int k) { return held && run::changed(of(k)); });
  if (held) lines.push_back({.row = -1, .heading = QString("%1 with another verdict").arg(part - rows.begin()), .section = {}});
  for (auto it = rows.begin(); it != rows.end(); ++it) {
    const int k = *it;
    if (held && it == part) lines.push_back({.row = -1, .heading = "the others", .section = {}});
    if (order_ == Order::study && !held) {
      const auto section = text(of(k).assembly);
      if (of(k).assembly != assembly || lines.empty()) lines.push_back({.row = -1, .heading = section, .folded = folded_.contains(section), .section = section});
      assembly = of(k).assembly;
      if (folded_.contains(section)) continue;
    }
    lines.push_back({.row = k});
  }
  grid_->show_lines(overview_, std::move(lines), true);
  choose_sought();
  tell_statistics();
}

void OverviewPage::narrow(std::string& which, const std::string& to) {
  which = to;
  bar_->refresh();
  reload();
}

void OverviewPage::hold_against(Against against) {
  against_ = std::move(against);
  bar_->refresh();
  reload();
}

QString OverviewPage::against_words() const {
  if (!against_.unit.empty()) return "against " + text(against_.unit);
  return against_.day.empty() ? QString("against nothing") : "since before " + text(against_.day);
}

void OverviewPage::find_in_view() {
  sought_ = true;
  choose_sought();
}

void OverviewPage::choose_sought() {
  if (!sought_ || !overview_) return;
  sought_ = false;
  int found = -1;
  for (int k = 0; k < int(grid_->lines().size()); ++k) {
    const int row = grid_->lines()[std::size_t(k)].row;
    if (row < 0 || overview_->rows[std::size_t(row)].study != desk_->focus.study_id()) continue;
    const bool marked = text(overview_->rows[std::size_t(row)].figure) == desk_->look.figure();
    if (found < 0 || marked) found = k;
    if (marked) break;
  }
  if (found < 0) return;
  const auto& cells = overview_->rows[std::size_t(grid_->lines()[std::size_t(found)].row)].cells;
  const auto shown = std::find_if(cells.begin(), cells.end(), [&](const auto& cell) { return cell && desk_->focus.shown() == cell->take; });
  grid_->choose(found, shown == cells.end() ? 0 : int(shown - cells.begin()));
}

void OverviewPage::tell_statistics() {
  const int k = grid_->chosen_row();
  drawer_->setVisible(overview_ && k >= 0);
  if (!overview_ || k < 0) return;
  const auto& row = overview_->rows[std::size_t(k)];
  drawer_title_->setText(text(row.study_name) + ": " + text(row.text));
  plot_->clearPlottables();
  plot_->clearItems();
  const auto stats = run::statistics_of(row);
  plot_->setVisible(stats.has_value());
  if (!stats) {
    drawer_text_->setText(QString("Not measured %1.").arg(across_takes_ ? "in any take" : "on any unit"));
    return;
  }
  std::string unit;
  std::optional<double> lower, upper;
  auto ticker = QSharedPointer<QCPAxisTickerText>::create();
  QVector<double> at, value, twice;
  for (std::size_t u = 0; u < row.cells.size(); ++u) {
    const auto& cell = row.cells[u];
    if (!cell || !cell->judgement.value) continue;
    unit = cell->judgement.unit;
    lower = cell->judgement.lower;
    upper = cell->judgement.upper;
    at << double(at.size() + 1);
    value << *cell->judgement.value;
    twice << 2 * cell->judgement.u.value_or(0);
    ticker->addTick(at.back(), text(overview_->units[u]));
  }
  const auto columns = [this](int count) { return QString(across_takes_ ? "take" : "unit") + (count == 1 ? "" : "s"); };
  const auto said = [&](double v, int digits = 4) { return text(format_quantity(v, unit, digits).plain()); };
  QString words = QString("%1 %2: mean %3").arg(stats->count).arg(columns(stats->count)).arg(said(stats->mean));
  if (stats->sigma) words += ", sigma " + said(*stats->sigma, 2);
  if (stats->count > 1) words += ", from " + said(stats->lowest) + " to " + said(stats->highest);
  if (stats->outside) words += QString(". Were they normal, %1\u00a0% would lie outside; %2 %3 say little of that.").arg(100 * *stats->outside, 0, 'g', 2).arg(stats->count).arg(columns(stats->count));
  drawer_text_->setText(words);
  auto* graph = plot_->addGraph();
  graph->setLineStyle(QCPGraph::lsNone);
  graph->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDiamond, theme().ink, theme().ink, 9));
  graph->setData(at, value, true);
  auto* bars = new QCPErrorBars(plot_->xAxis, plot_->yAxis);
  bars->setDataPlottable(graph);
  bars->setPen(QPen(theme().ink, 1.2));
  bars->setWhiskerWidth(0);
  bars->setData(twice);
  auto [low, high] = std::minmax_element(value.begin(), value.end());
  double from = *low, to = *high;
  for (const auto& limit : {lower, upper})
    if (limit) {
      from = std::min(from, *limit);
      to = std::max(to, *limit);
    }
  const double room = std::max(0.15 * (to - from), 1e-3 * std::abs(to) + 1e-15);
  plot_->yAxis->setRange(from - room, to + room);
  plot_->xAxis->setRange(0.4, double(at.size()) + 0.6);
  plot_->xAxis->setTicker(ticker);
  for (const bool above : {true, false})
    if (const auto& limit = above ? upper : lower) new render::ForbiddenGround(plot_, plot_->axisRect(), {{0, *limit}, {1e6, *limit}}, above);
  render::measure_axis(plot_->yAxis, "", unit);
  show_histogram(value);
  plot_->replot(QCustomPlot::rpQueuedReplot);
}

/// Beside the values, on the same scale: how many units lie where. Of a few the values themselves say it better.
void OverviewPage::show_histogram(const QVector<double>& values) {
  constexpr int kFewest = 5;
  const auto histogram = values.size() < kFewest ? judge::Histogram{} : judge::histogram({values.begin(), values.end()});
  const bool shown = !histogram.counts.empty();
  counts_->setVisible(shown);
  for (auto* axis : counts_->axes()) axis->setVisible(shown && (axis->axisType() == QCPAxis::atLeft || axis->axisType() == QCPAxis::atBottom));
  plot_->plotLayout()->setColumnStretchFactors({4, shown ? 1 : 0.001});
  if (!shown) return;
  auto* upright = counts_->axis(QCPAxis::atLeft);
  auto* across = counts_->axis(QCPAxis::atBottom);
  upright->setRange(plot_->yAxis->range());
  QVector<double> at, count;
  for (std::size_t k = 0; k < histogram.counts.size(); ++k) {
    at << histogram.from + (double(k) + 0.5) * histogram.width;
    count << histogram.counts[k];
  }
  auto* bars = new QCPBars(upright, across);
  bars->setWidthType(QCPBars::wtPlotCoords);
  bars->setWidth(0.9 * histogram.width);
  bars->setPen(Qt::NoPen);
  bars->setBrush(theme().slate);
  bars->setData(at, count);
  across->setRange(0, 1.15 * *std::max_element(count.begin(), count.end()));
  auto ticker = QSharedPointer<QCPAxisTickerFixed>::create();
  ticker->setTickStep(1);
  ticker->setScaleStrategy(QCPAxisTickerFixed::ssMultiples);
  across->setTicker(ticker);
}

/// To the study, at that take, with the figure marked where it was read.
void OverviewPage::open_cell() {
  const int k = grid_->chosen_row(), u = grid_->chosen_unit();
  if (!overview_ || k < 0) return;
  const auto& row = overview_->rows[std::size_t(k)];
  desk_->focus.select_study(row.study);
  if (u >= 0)
    if (const auto& cell = row.cells[std::size_t(u)]) desk_->focus.show_take(cell->take);
  desk_->look.set_figure(text(row.figure));
  emit opened();
}

/// The chosen claim's values, one unit a line, with the take that each is of.
QString OverviewPage::values_csv() const {
  const int k = grid_->chosen_row();
  if (!overview_ || k < 0) return {};
  const auto& row = overview_->rows[std::size_t(k)];
  const auto number = [](const std::optional<double>& v) { return v ? text(fmt::format("{:.12g}", *v)) : QString(); };
  QString out = "unit,take,started,value,U,lower limit,upper limit,margin,in,verdict\n";
  for (std::size_t u = 0; u < row.cells.size(); ++u) {
    const auto& cell = row.cells[u];
    if (!cell) continue;
    const auto& j = cell->judgement;
    QString unit = text(cell->unit);
    if (unit.contains(',') || unit.contains('"')) unit = '"' + unit.replace("\"", "\"\"") + '"';
    out += QStringList({unit, QString::number(cell->number), text(cell->started), number(j.value), j.u ? number(2 * *j.u) : QString(), number(j.lower), number(j.upper), number(j.margin), text(j.unit), text(judge::verdict_words(j.verdict))}).join(',') + "\n";
  }
  return out;
}

void OverviewPage::save_values() {
  const QString path = QFileDialog::getSaveFileName(this, "Save the values", QFileInfo(desk_->document.path()).path() + "/values.csv", "Tables (*.csv)");
  if (path.isEmpty()) return;
  const auto written = exchange::write_file(path.toStdString(), values_csv().toStdString());
  desk_->messages.say(written ? path + " is written." : text(written.error().message), !written);
}

/// The claims as they are listed, a column a unit, in SI numbers.
void OverviewPage::copy() {
  if (!overview_) return;
  QStringList head = {"study", "claim", "unit"}, out;
  for (const auto& unit : overview_->units) head << text(unit) << text(unit) + " verdict";
  out << head.join('\t');
  for (const auto& line : grid_->lines()) {
    if (line.row < 0) continue;
    const auto& row = overview_->rows[std::size_t(line.row)];
    std::string unit;
    for (const auto& cell : row.cells)
      if (cell) unit = cell->judgement.unit;
    QStringList cells = {text(row.study_name), text(row.text), text(unit)};
    for (const auto& cell : row.cells) {
      cells << (cell && cell->judgement.value ? QString::number(*cell->judgement.value, 'g', 12) : QString());
      cells << (cell ? text(judge::verdict_words(cell->judgement.verdict)) : QString());
    }
    out << cells.join('\t');
  }
  QApplication::clipboard()->setText(out.join("\n") + "\n");
}

}  // namespace heron::app
