#include "main_window.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QInputDialog>
#include <QKeyEvent>
#include <QListWidget>
#include <QPlainTextEdit>
#include <QMimeData>
#include <QPointer>
#include <QSettings>
#include <QShortcut>
#include <QStandardPaths>
#include <QVBoxLayout>

#include "app/text.h"
#include "base/quantity.h"
#include "batch_page.h"
#include "ink.h"
#include "mudlark/recipe.h"
#include "overview_page.h"
#include "render/plot_parts.h"
#include "render/theme.h"
#include "report_page.h"
#include "templates.h"

namespace heron::app {

using render::theme;

MainWindow::MainWindow() {
  setWindowTitle("Zealous Heron");
  setAcceptDrops(true);
  setMinimumSize(900, 600);
  resize(1280, 800);
  auto* whole = new QWidget(this);
  auto* rows = new QVBoxLayout(whole);
  rows->setContentsMargins(0, 0, 0, 0);
  rows->setSpacing(0);
  rows->addWidget(make_top_bar());
  auto* middle = new QHBoxLayout;
  middle->setSpacing(0);
  ledger_ = new LedgerView(&desk_, whole);
  ledger_->setFixedWidth(272);
  connect(ledger_, &LedgerView::claim_asked, this, &MainWindow::ask_claim);
  connect(ledger_, &LedgerView::study_asked, this, [this] {
    // Pages about a study follow it; the overview is about all of them.
    if (overview_page_ && pages_->currentWidget() == overview_page_) show_study();
  });
  middle->addWidget(ledger_);
  auto* page_column = new QVBoxLayout;
  page_column->setSpacing(0);
  message_ = new QLabel(whole);
  message_->setObjectName("message");
  message_->setAccessibleName("Message");
  message_->setWordWrap(true);
  message_->setCursor(Qt::PointingHandCursor);
  message_->setToolTip("A click takes it away; the finder has all that was said (Ctrl+K)");
  message_->installEventFilter(this);
  message_->hide();
  pages_ = new QStackedWidget(whole);
  pages_->addWidget(empty_page_ = make_empty_page());
  pages_->addWidget(first_steps_page_ = make_first_steps_page());
  pages_->addWidget(study_page_ = new StudyPage(&desk_, pages_));
  connect(study_page_, &StudyPage::hookup_asked, this, &MainWindow::show_hookup);
  connect(pages_, &QStackedWidget::currentChanged, this, &MainWindow::refresh_bar);
  page_column->addWidget(message_);
  page_column->addWidget(pages_, 1);
  middle->addLayout(page_column, 1);
  rows->addLayout(middle, 1);
  rows->addWidget(make_strip());
  setCentralWidget(whole);
  finder_ = new Finder(this);

  const auto shortcut = [this](const QKeySequence& keys, auto slot) {
    connect(new QShortcut(keys, this), &QShortcut::activated, this, slot);
  };
  shortcut(QKeySequence("Ctrl+K"), [this] { find(); });
  shortcut(QKeySequence("Ctrl+Z"), [this] { desk_.document.undo_stack().undo(); });
  shortcut(QKeySequence("Ctrl+Shift+Z"), [this] { desk_.document.undo_stack().redo(); });
  shortcut(QKeySequence("Ctrl+Y"), [this] { desk_.document.undo_stack().redo(); });
  shortcut(QKeySequence::Open, [this] { choose_dossier(); });
  shortcut(QKeySequence::New, [this] { new_dossier(); });
  qApp->installEventFilter(this);

  message_timer_.setSingleShot(true);
  connect(&message_timer_, &QTimer::timeout, message_, &QWidget::hide);
  connect(&desk_.messages, &Messages::said, this, &MainWindow::show_message);
  connect(&desk_.document, &Document::opened, this, [this] {
    refresh_bar();
    // Of one study its page says all; of several the overview says where to look.
    if (desk_.batch.state() == Batch::State::left) return show_batch();
    if (desk_.document.studies().size() > 1) return show_overview();
    show_study();
    if (study_page_->lens()) study_page_->lens()->setFocus();
  });
  connect(&desk_.focus, &Focus::device_changed, this, &MainWindow::refresh_bar);
  connect(&desk_.focus, &Focus::plan_changed, this, &MainWindow::refresh_bar);
  connect(&desk_.focus, &Focus::study_changed, this, &MainWindow::leave_message);
  connect(&desk_.runner, &Runner::running_changed, this, &MainWindow::refresh_bar);
  connect(&desk_.runner, &Runner::armed_changed, this, &MainWindow::refresh_bar);
  connect(&desk_.runner, &Runner::progressed, this, &MainWindow::refresh_progress);
  connect(&desk_.batch, &Batch::changed, this, &MainWindow::refresh_bar);
  QSettings settings;
  restoreGeometry(settings.value("window").toByteArray());
  refresh_bar();
}

MainWindow::~MainWindow() { qApp->removeEventFilter(this); }

QWidget* MainWindow::make_top_bar() {
  auto* top = new QFrame(this);
  top->setObjectName("top-bar");
  top->setFixedHeight(46);
  auto* row = new QHBoxLayout(top);
  row->setContentsMargins(16, 0, 12, 0);
  row->setSpacing(8);
  device_name_ = new QLabel(top);
  device_name_->setFont(render::text_font(15, QFont::DemiBold));
  device_button_ = new QPushButton(top);
  device_button_->setObjectName("place");
  device_button_->setFlat(true);
  device_button_->setAccessibleName("Device page");
  device_button_->setToolTip("The device, its units and parts (D)");
  connect(device_button_, &QPushButton::clicked, this,
          [this] { pages_->currentWidget() == device_page_ ? show_study() : show_device(); });
  hookup_button_ = new QPushButton("Hookup", top);
  hookup_button_->setObjectName("place");
  hookup_button_->setFlat(true);
  hookup_button_->setAccessibleName("Hookup page");
  hookup_button_->setToolTip("What is driven and sensed where, and through what (H)");
  connect(hookup_button_, &QPushButton::clicked, this,
          [this] { pages_->currentWidget() == hookup_page_ ? show_study() : show_hookup(); });
  overview_button_ = new QPushButton("Overview", top);
  overview_button_->setObjectName("place");
  overview_button_->setFlat(true);
  overview_button_->setAccessibleName("Overview page");
  overview_button_->setToolTip("All claims on all units; from a study, at its claim (V)");
  connect(overview_button_, &QPushButton::clicked, this, [this] { pages_->currentWidget() == overview_page_ ? show_study() : show_overview(); });
  report_button_ = new QPushButton("Report", top);
  report_button_->setObjectName("place");
  report_button_->setFlat(true);
  report_button_->setAccessibleName("Report page");
  report_button_->setToolTip("What was found, on pages to be passed on (R)");
  connect(report_button_, &QPushButton::clicked, this, [this] { report_page_ && pages_->currentWidget() == report_page_ ? show_study() : show_report(); });
  bench_button_ = new QPushButton("Bench", top);
  bench_button_->setObjectName("place");
  bench_button_->setFlat(true);
  bench_button_->setAccessibleName("Bench page");
  bench_button_->setToolTip("What the instruments can do and how they err");
  connect(bench_button_, &QPushButton::clicked, this,
          [this] { pages_->currentWidget() == bench_page_ ? show_study() : show_bench(); });
  status_ = new QLabel(top);
  status_->setObjectName("bench-status");
  status_->setAccessibleName("Bench status");
  set_ink(*status_, theme().slate);
  status_->setFont(render::text_font(12));
  bar_ = new QProgressBar(top);
  bar_->setAccessibleName("Progress of the take");
  bar_->setTextVisible(false);
  bar_->setFixedWidth(130);
  bar_->hide();
  auto* find_button = new QPushButton("Find   Ctrl K", top);
  find_button->setAccessibleName("Find");
  find_button->setToolTip("Every action and study by name (Ctrl+K)");
  connect(find_button, &QPushButton::clicked, this, &MainWindow::find);
  take_ = new QPushButton(top);
  take_->setObjectName("take");
  take_->setAccessibleName("Take");
  connect(take_, &QPushButton::clicked, this, &MainWindow::take_or_stop);
  row->addWidget(device_name_);
  row->addWidget(overview_button_);
  row->addWidget(device_button_);
  row->addWidget(hookup_button_);
  row->addWidget(bench_button_);
  row->addWidget(report_button_);
  row->addStretch(1);
  row->addWidget(status_);
  row->addWidget(bar_);
  row->addWidget(find_button);
  row->addWidget(take_);
  return top;
}

/// A page of a few sentences, each with its button. Of an offer, `name` is the button and `keys` the sentence.
QWidget* MainWindow::make_offers(const QString& title_text, const QList<Finder::Entry>& offers) {
  auto* page = new QWidget(this);
  page->setObjectName("sheet");
  page->setAttribute(Qt::WA_StyledBackground);
  auto* column = new QVBoxLayout(page);
  column->setContentsMargins(60, 60, 60, 60);
  column->setSpacing(18);
  auto* title = new QLabel(title_text, page);
  title->setFont(render::text_font(18, QFont::Medium));
  column->addWidget(title);
  for (const auto& offer : offers) {
    auto* row = new QHBoxLayout;
    auto* label = new QLabel(offer.keys, page);
    label->setWordWrap(true);
    auto* button = new QPushButton(offer.name, page);
    button->setAccessibleName(QString(offer.name).remove("\u2026"));
    button->setMinimumWidth(170);
    connect(button, &QPushButton::clicked, this, offer.run);
    row->addWidget(button);
    row->addWidget(label, 1);
    row->setSpacing(16);
    column->addLayout(row);
  }
  column->addStretch(1);
  return page;
}

QWidget* MainWindow::make_empty_page() {
  return make_offers(
      "Nothing is open yet",
      {{"Open the demo",
        "The Mudlark buoy's hydrophone preamp, with two takes to look at and a simulated bench to measure more.",
        [this] { open_demo(); }},
       {"Open a dossier\u2026",
        "A dossier keeps one device with its studies, takes, claims and notes in a single file.",
        [this] { choose_dossier(); }},
       {"Make a new dossier\u2026", "Start a file of your own; every change is kept as you make it.",
        [this] { new_dossier(); }}});
}

QWidget* MainWindow::make_first_steps_page() {
  return make_offers(
      "The dossier is empty",
      {{"Load a circuit\u2026",
        "Say what is on the simulated bench: a circuit file with its parts and the pins that can be driven and sensed.",
        [this] { load_circuit(); }},
       {"Add a study\u2026",
        "Put a question to the device: a frequency response from one pin to another, or current against voltage.",
        [this] { add_study(); }},
       {"Bring in a table\u2026", "Or start from data: a table with frequency, gain and phase becomes the first take.",
        [this] { bring_in_data(); }}});
}

QWidget* MainWindow::make_strip() {
  strip_row_ = new QFrame(this);
  strip_row_->setObjectName("strip-row");
  strip_row_->setFixedHeight(78);
  auto* row = new QHBoxLayout(strip_row_);
  row->setContentsMargins(16, 5, 12, 5);
  strip_ = new TakesStrip(&desk_, strip_row_);
  auto* bring = new QPushButton("Bring in data\u2026", strip_row_);
  bring->setAccessibleName("Bring in data");
  bring->setToolTip(
      "Tables, network data (.s1p, .s2p) or our JSON as takes beside the others; or drop files on the window");
  connect(bring, &QPushButton::clicked, this, &MainWindow::bring_in_data);
  auto* keep = new QPushButton("Export\u2026", strip_row_);
  keep->setAccessibleName("Export");
  keep->setToolTip("Points and records of the take in view as CSV and JSON");
  connect(keep, &QPushButton::clicked, this, &MainWindow::export_take);
  auto* picture = new QPushButton("Picture\u2026", strip_row_);
  picture->setAccessibleName("Picture");
  picture->setToolTip("The plot as PNG, SVG or PDF");
  connect(picture, &QPushButton::clicked, this, &MainWindow::save_picture);
  auto* pair = new QVBoxLayout;
  pair->setSpacing(4);
  auto* low = new QHBoxLayout;
  low->setSpacing(4);
  low->addWidget(keep);
  low->addWidget(picture);
  pair->addWidget(bring);
  pair->addLayout(low);
  row->addWidget(strip_, 1);
  row->addLayout(pair);
  return strip_row_;
}

bool MainWindow::open(const QString& path) { return desk_.open(path); }

void MainWindow::refresh_bar() {
  const bool there = desk_.document.is_open();
  device_name_->setText(there ? QString::fromStdString(desk_.focus.device().info.name) : "Zealous Heron");
  const QString about = QString::fromStdString(desk_.focus.device().info.about),
                unit = QString::fromStdString(desk_.focus.device().unit.name);
  device_button_->setText(about.isEmpty() ? unit : about + ", " + unit);
  device_button_->setVisible(there);
  hookup_button_->setVisible(there && desk_.focus.study());
  bench_button_->setVisible(there);
  overview_button_->setVisible(there);
  report_button_->setVisible(there);
  strip_row_->setVisible(there);
  // On the page of a row of takes Space begins that.
  take_->setVisible(there && (desk_.runner.running() || !batch_page_ || pages_->currentWidget() != batch_page_));
  const bool running = desk_.runner.running();
  const bool armed = desk_.runner.armed();
  const QString arms = desk_.runner.to_arm();
  take_->setText(running ? "Stop   Esc" : armed ? "Fire   Space" : arms.isEmpty() ? "Take   Space" : "Arm   Space");
  take_->setAccessibleName(running ? "Stop" : armed ? "Fire" : arms.isEmpty() ? "Take" : "Arm");
  take_->setEnabled(desk_.focus.study() != nullptr);
  take_->setToolTip(running ? "Stop and keep what was read (Esc)" : armed ? "Charge the bus and run the study once (Space); Esc lets it be" : arms.isEmpty() ? QString("Run the study once (Space)") : "Arm " + arms + " for one take (Space)");
  bar_->setVisible(desk_.runner.taking());
  if (!running && desk_.batch.active()) {
    status_->setText(desk_.batch.sentence());
    return;
  }
  if (running && !desk_.runner.taking()) status_->setText(desk_.runner.doing());
  if (!running)
    status_->setText(there ? !desk_.focus.device().circuit ? "No circuit for the simulated bench"
                             : desk_.runner.paced()               ? "Simulated bench, ready; keeps the pace of a real one"
                                                              : "Simulated bench, ready; runs as fast as it computes"
                           : "");
  setWindowTitle(there ? QString::fromStdString(desk_.focus.device().info.name) + " \u2013 Zealous Heron" : "Zealous Heron");
}

void MainWindow::refresh_progress() {
  const auto p = desk_.runner.progress();
  if (!desk_.runner.taking() || p.total == 0) return;
  // A thousand steps a point: one record may take longer than all else.
  constexpr int kSteps = 1000;
  bar_->setMaximum(p.total * kSteps);
  bar_->setValue(int((p.done + p.share) * kSteps));
  if (!p.waits.empty()) {
    status_->setText("Waiting for " + QString::fromStdString(p.waits));
    return;
  }
  const auto& batch = desk_.batch;
  if (batch.state() == Batch::State::runs) {
    status_->setText(QString("Take %1 of %2; %3 left on a real bench").arg(batch.done() + 1).arg(batch.items().size()).arg(text(format_duration(batch.seconds_left()))));
    return;
  }
  status_->setText(QString("%1 of %2 points, %3 left on a real bench")
                       .arg(p.done)
                       .arg(p.total)
                       .arg(QString::fromStdString(format_duration(p.bench_seconds_left))));
}

void MainWindow::tell(const QString& message, bool trouble) {
  desk_.messages.say(message, trouble, desk_.focus.study_id());
}

/// What is said of a study is shown while that study is looked at; all of it is found again in the finder.
void MainWindow::show_message(const Messages::Message& message) {
  if (message.study != 0 && message.study != desk_.focus.study_id()) return;
  message_study_ = message.study;
  message_->setText(message.text);
  message_->setProperty("calm", !message.trouble);
  message_->style()->unpolish(message_);
  message_->style()->polish(message_);
  message_->show();
  message_timer_.start(message.trouble ? 20000 : 8000);
}

/// In its study, whatever is looked at.
void MainWindow::show_again(const Messages::Message& message) {
  if (message.study != 0) desk_.focus.select_study(message.study);
  show_message(message);
}

void MainWindow::say_trouble(const QString& text) { desk_.messages.say_trouble(text, desk_.focus.study_id()); }

void MainWindow::leave_message() {
  if (message_study_ != 0 && message_study_ != desk_.focus.study_id()) message_->hide();
}

void MainWindow::take_or_stop() {
  if (desk_.runner.running()) {
    desk_.runner.stop();
    return;
  }
  // What a row of takes waits for is seen before it is answered.
  if (desk_.batch.active()) return show_batch();
  show_study();
  if (const QString what = desk_.runner.to_arm(); !what.isEmpty()) {
    if (const QString refused = desk_.outlook.refusal(); !refused.isEmpty()) return tell(refused, true);
    desk_.runner.arm();
    return tell("Armed: " + what + ". Space fires, Esc lets it be. Nobody touches the board.", false);
  }
  const QString trouble = desk_.runner.start();
  if (!trouble.isEmpty())
    tell(trouble, true);
  else
    message_->hide();
}

template <class Page>
void MainWindow::turn_to(Page*& page) {
  if (!page) pages_->addWidget(page = new Page(&desk_, pages_));
  pages_->setCurrentWidget(page);
  // On the page itself, so that no field takes the keys before it is asked to.
  page->setFocus();
}

void MainWindow::show_device() {
  if (desk_.document.is_open()) turn_to(device_page_);
}

void MainWindow::show_hookup() {
  if (desk_.focus.study()) turn_to(hookup_page_);
}

void MainWindow::show_bench() {
  if (desk_.document.is_open()) turn_to(bench_page_);
}

void MainWindow::show_overview() {
  if (!desk_.document.is_open()) return;
  if (!overview_page_) {
    pages_->addWidget(overview_page_ = new OverviewPage(&desk_, pages_));
    connect(overview_page_, &OverviewPage::opened, this, &MainWindow::show_study);
    connect(overview_page_, &OverviewPage::batch_asked, this, &MainWindow::show_batch);
  }
  const bool from_study = pages_->currentWidget() == study_page_;
  pages_->setCurrentWidget(overview_page_);
  if (from_study) overview_page_->find_in_view();
  overview_page_->setFocus();
}

void MainWindow::show_batch() {
  if (!desk_.document.is_open()) return;
  const bool first = !batch_page_;
  turn_to(batch_page_);
  if (first) connect(batch_page_, &BatchPage::opened, this, &MainWindow::show_study);
}

void MainWindow::show_report() {
  if (desk_.document.is_open()) turn_to(report_page_);
}

void MainWindow::show_study() {
  pages_->setCurrentWidget(desk_.focus.study() ? study_page_ : desk_.document.is_open() ? first_steps_page_ : empty_page_);
}

void MainWindow::find() { finder_->open(actions()); }

void MainWindow::choose_dossier() {
  const QString path =
      QFileDialog::getOpenFileName(this, "Open a dossier", QFileInfo(desk_.document.path()).path(), "Dossiers (*.heron)");
  if (!path.isEmpty()) desk_.open(path);
}

void MainWindow::new_dossier() {
  QString path =
      QFileDialog::getSaveFileName(this, "Make a new dossier", QFileInfo(desk_.document.path()).path(), "Dossiers (*.heron)");
  if (path.isEmpty()) return;
  if (!path.endsWith(".heron")) path += ".heron";
  desk_.create(path);
}

void MainWindow::open_demo() {
  const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/demo";
  const QString path = folder + "/" + demo::kDossierName;
  if (QFileInfo::exists(path)) {
    desk_.open(path);
    return;
  }
  tell("The demo's takes are being measured on the simulated bench\u2026", false);
  // The window may be gone by the time it is done.
  auto* maker = QThread::create([folder, window = QPointer<MainWindow>(this)] {
    const auto made = demo::write(folder.toStdString());
    QMetaObject::invokeMethod(
        qApp,
        [window, made] {
          if (!window) return;
          window->message_->hide();
          if (made)
            window->desk_.open(QString::fromStdString(*made));
          else
            window->tell(QString::fromStdString(made.error().message), true);
        },
        Qt::QueuedConnection);
  });
  connect(maker, &QThread::finished, maker, &QObject::deleteLater);
  maker->start();
}

void MainWindow::load_circuit() {
  const QString path =
      QFileDialog::getOpenFileName(this, "Load a circuit", QFileInfo(desk_.document.path()).path(), "Circuits (*.toml)");
  if (path.isEmpty()) return;
  if (const QString trouble = desk_.document.load_circuit(desk_.focus.assembly(), path); !trouble.isEmpty())
    tell(trouble, true);
  else
    tell(QFileInfo(path).fileName() + " is on the simulated bench now.", false);
}

void MainWindow::add_study() {
  bool ok = false;
  const QString name =
      QInputDialog::getText(this, "Add a study", "What is asked of the device", QLineEdit::Normal, "Passband", &ok);
  if (!ok) return;
  QStringList titles;
  for (const auto* kind : study::kinds()) titles << QString::fromUtf8(kind->title.data(), qsizetype(kind->title.size()));
  const auto templates = template_files();
  for (const auto& one : templates) titles << "Template: " + one.name;
  const QString title = QInputDialog::getItem(this, "Add a study", "Which kind, or which template to begin with", titles, 0, false, &ok);
  if (!ok) return;
  if (const auto chosen = titles.indexOf(title); chosen >= qsizetype(study::kinds().size())) {
    auto study = read_template(templates[chosen - qsizetype(study::kinds().size())].path);
    if (study && !name.trimmed().isEmpty()) study->name = name.trimmed().toStdString();
    return add_from(study);
  }
  const auto made =
      desk_.document.add_study(name, *study::kinds()[std::size_t(titles.indexOf(title))], desk_.focus.assembly());
  if (!made) return tell(QString::fromStdString(made.error().message), true);
  desk_.focus.select_study(*made);
  show_study();
}

/// Names that the device does not have are asked for first.
void MainWindow::add_from(const Result<run::StudyTemplate>& study) {
  if (!study) return tell(text(study.error().message), true);
  auto here = *study;
  const auto& device = desk_.focus.device();
  if (const auto missing = run::unmatched(here, device); !missing.empty() && device.circuit) {
    MatchDialog dialog(here, missing, device, this);
    if (dialog.exec() != QDialog::Accepted) return;
    here = run::renamed(std::move(here), dialog.pins(), dialog.parts());
  }
  const auto made = desk_.document.add_study(here, desk_.focus.assembly());
  if (!made) return tell(text(made.error().message), true);
  desk_.focus.select_study(*made);
  show_study();
}

void MainWindow::copy_study() { add_from(desk_.document.template_of(desk_.focus.study_id())); }

void MainWindow::keep_template() {
  const auto study = desk_.document.template_of(desk_.focus.study_id());
  const auto path = study ? write_template(*study) : Result<QString>(tl::unexpected(study.error()));
  tell(path ? "Kept as a template: " + *path + ". It is offered where a study is added." : text(path.error().message), !path);
}

void MainWindow::bring_template() {
  const QString path = QFileDialog::getOpenFileName(this, "Add a study from a template", template_folder(), "Templates (*.json)");
  if (!path.isEmpty()) add_from(read_template(path));
}

void MainWindow::import(const QStringList& paths) {
  const bool first = !import_page_;
  turn_to(import_page_);
  if (first) connect(import_page_, &ImportPage::closed, this, &MainWindow::show_study);
  import_page_->open(paths);
}

void MainWindow::bring_in_data() {
  const QStringList paths = QFileDialog::getOpenFileNames(
      this, "Bring in data", {}, "Curves (*.csv *.txt *.tsv *.s1p *.s2p *.json);;All files (*)");
  if (!paths.isEmpty()) import(paths);
}

/// Asks for a line, once more with what was typed until it is understood or left.
/// @param understand  what is wrong with it; empty when it is done
void MainWindow::ask_line(const QString& title, const QString& prompt, const std::function<QString(const QString&)>& understand) {
  QString line, trouble;
  do {
    bool ok = false;
    line = QInputDialog::getText(this, title, trouble.isEmpty() ? prompt : trouble, QLineEdit::Normal, line, &ok);
    if (!ok) return;
    trouble = understand(line);
  } while (!trouble.isEmpty());
}

void MainWindow::ask_setting() {
  const auto* view = find_kind_view(desk_.focus.kind());
  QStringList now;
  if (desk_.focus.study())
    for (const auto& [key, value] : desk_.focus.study()->settings) now << text(key) + " = " + text(value);
  ask_line("How the study is read",
           QString("A setting and its value%1; none takes it back").arg(view ? ", such as " + view->setting_examples() : "") +
               (now.isEmpty() ? QString() : "\nNow: " + now.join(", ")),
           [this](const QString& line) -> QString {
             if (!line.contains('=')) return "Write a setting, = and its value.";
             const QString value = line.section('=', 1).trimmed();
             return desk_.focus.edit_setting(line.section('=', 0, 0).trimmed().toStdString(),
                                             value == "none" ? QString() : value);
           });
}

void MainWindow::ask_claim() {
  const auto* view = find_kind_view(desk_.focus.kind());
  ask_line("Write a claim", view ? view->claim_examples() : QString(),
           [this](const QString& line) { return desk_.document.write_claim(desk_.focus.study_id(), line); });
}

void MainWindow::ask_typed_figure() {
  const auto unit = desk_.document.unit_of(desk_.focus.study_id(), desk_.focus.shown());
  ask_line("Type a figure in",
           QString("What another meter says of %1, and where it was read, such as:\n"
                   "Inductance 10.3 uH \u00b10.2 uH, by the bridge in the lab")
               .arg(text(unit.name)),
           [this, unit](const QString& line) { return desk_.document.type_figure(desk_.focus.study_id(), unit.id, line); });
}

void MainWindow::ask_study_note() {
  if (const auto* study = desk_.focus.study()) {
    bool ok = false;
    const QString note = QInputDialog::getText(this, "A note on the study", text(study->name), QLineEdit::Normal, text(study->note), &ok);
    if (ok) desk_.document.set_study_note(study->id, note.trimmed());
  }
}

void MainWindow::merge_dossier() {
  if (desk_.runner.running() || desk_.batch.active()) return tell("A take is running; stop it before bringing in another dossier.", true);
  const QString path = QFileDialog::getOpenFileName(this, "Bring in the takes of another dossier", QFileInfo(desk_.document.path()).path(), "Dossiers (*.heron)");
  if (path.isEmpty()) return;
  tell("Bringing in " + QFileInfo(path).fileName() + "\u2026", false);
  auto* work = QThread::create([here = desk_.document.path(), path, window = QPointer<MainWindow>(this)] {
    auto store = dossier::Store::open_again(here.toStdString());
    const auto merged = store ? store->merge(path.toStdString()) : Result<dossier::Merged>(tl::unexpected(store.error()));
    QMetaObject::invokeMethod(
        qApp,
        [window, merged, here] {
          if (!window) return;
          if (!merged) return window->tell(text(merged.error().message), true);
          if (window->desk_.document.path() == here) window->desk_.open(here);
          QString said = QString("%1 takes came in, %2 were here already; %3 new studies, %4 new units.").arg(merged->takes).arg(merged->known).arg(merged->studies).arg(merged->units);
          for (const auto& one : merged->said) said += " " + text(one);
          window->tell(said, false);
        },
        Qt::QueuedConnection);
  });
  connect(work, &QThread::finished, work, &QObject::deleteLater);
  work->start();
}

void MainWindow::save_picture() {
  auto* plot = study_page_->lens() ? study_page_->lens()->plot() : nullptr;
  if (!plot) {
    tell("This lens is a table; choose one with a plot for a picture.", true);
    return;
  }
  const QString path =
      QFileDialog::getSaveFileName(this, "Save the plot as a picture", "plot.png", "Pictures (*.png *.svg *.pdf)");
  if (path.isEmpty()) return;
  const QString trouble = render::save_picture(*plot, path, plot->size());
  tell(trouble.isEmpty() ? path + " is written." : trouble, !trouble.isEmpty());
}

void MainWindow::put_into_report() {
  auto* plot = study_page_->lens() ? study_page_->lens()->plot() : nullptr;
  const auto* study = desk_.focus.study();
  if (!plot || !study) return tell("This lens is a table; choose one with a plot for the report.", true);
  if (desk_.document.read_only()) return tell("The dossier is open for reading only.", true);
  const auto shown = desk_.focus.shown();
  const auto* take = shown ? desk_.document.take(study->id, *shown) : nullptr;
  const QString caption = text(study->name) + ", " + study_page_->lens_in_view() + (take ? QString(", take %1 of %2").arg(take->number).arg(text(take->unit)) : QString());
  const QString trouble = desk_.document.add_picture({.study = study->id, .take = shown, .caption = caption.toStdString(), .svg = render::drawing_of(*plot, plot->size()).toStdString()});
  tell(trouble.isEmpty() ? "The plot stands in the report as it is seen now (R shows it)." : trouble, !trouble.isEmpty());
}

void MainWindow::export_take() {
  const auto shown = desk_.focus.shown();
  if (!shown) {
    tell("There is no take to write yet. Space takes.", true);
    return;
  }
  const QString folder = QFileDialog::getExistingDirectory(this, "Folder for the take's files");
  if (folder.isEmpty()) return;
  desk_.exporter.write(desk_.focus.study_id(), *shown, folder);
}

bool MainWindow::handle_key(int key) {
  if (batch_page_ && pages_->currentWidget() == batch_page_ && batch_page_->handle_key(key)) return true;
  switch (key) {
    case Qt::Key_Space:
      if (!desk_.runner.running()) take_or_stop();
      return true;
    case Qt::Key_Escape:
      if (desk_.batch.active()) {
        desk_.batch.stop();
      } else if (desk_.runner.running()) {
        desk_.runner.stop();
      } else if (desk_.runner.armed()) {
        desk_.runner.disarm();
        tell("No longer armed.", false);
      } else if (desk_.exporter.writing())
        desk_.exporter.stop();
      else if (pages_->currentWidget() == import_page_)
        import_page_->leave();
      else if (pages_->currentWidget() == device_page_ || pages_->currentWidget() == hookup_page_ ||
               pages_->currentWidget() == bench_page_ || (overview_page_ && pages_->currentWidget() == overview_page_) || (report_page_ && pages_->currentWidget() == report_page_))
        show_study();
      else if (batch_page_ && pages_->currentWidget() == batch_page_)
        show_overview();
      else
        return false;
      return true;
    case Qt::Key_Return:
    case Qt::Key_Enter:
      if (pages_->currentWidget() != import_page_) return false;
      import_page_->accept();
      return true;
    case Qt::Key_V:
      overview_page_ && pages_->currentWidget() == overview_page_ ? show_study() : show_overview();
      return true;
    case Qt::Key_W:
      if (const auto shown = desk_.focus.shown()) desk_.document.set_wake(desk_.focus.study_id(), desk_.focus.wake() == shown ? std::nullopt : shown);
      return true;
    case Qt::Key_N:
      strip_->edit_note();
      return true;
    case Qt::Key_H:
      pages_->currentWidget() == hookup_page_ ? show_study() : show_hookup();
      return true;
    case Qt::Key_R:
      report_page_ && pages_->currentWidget() == report_page_ ? show_study() : show_report();
      return true;
    case Qt::Key_I:
      if (pages_->currentWidget() != study_page_) return false;
      put_into_report();
      return true;
    case Qt::Key_D:
      pages_->currentWidget() == device_page_ ? show_study() : show_device();
      return true;
    default:
      return pages_->currentWidget() == study_page_ && study_page_->handle_key(key);
  }
}

bool MainWindow::eventFilter(QObject* watched, QEvent* event) {
  if (watched == message_ && event->type() == QEvent::MouseButtonPress) {
    message_->hide();
    return true;
  }
  if (event->type() != QEvent::KeyPress || !watched->isWidgetType()) return false;
  auto* widget = static_cast<QWidget*>(watched);
  if (widget->window() != this || QApplication::activeModalWidget() || !desk_.document.is_open()) return false;
  const auto* key = static_cast<QKeyEvent*>(event);
  if (key->modifiers() & ~(Qt::KeypadModifier | Qt::ShiftModifier)) return false;
  // Fields keep their keys; so does a table while a cell is being typed into.
  const auto* focus = focusWidget();
  if (focus && !focus->isVisible()) focus = nullptr;
  for (const QObject* field : {static_cast<const QObject*>(watched), static_cast<const QObject*>(focus)})
    if (qobject_cast<const QLineEdit*>(field) || qobject_cast<const QPlainTextEdit*>(field)) return false;
  // Space ticks what a list has to tick.
  if (const auto* list = qobject_cast<const QListWidget*>(focus); list && list->count() > 0 && list->item(0)->flags() & Qt::ItemIsUserCheckable && key->key() == Qt::Key_Space) return false;
  if (const auto* table = qobject_cast<const QTableWidget*>(focus);
      table && table->property("typed").toBool() && key->key() != Qt::Key_Escape)
    return false;
  return handle_key(key->key());
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
  if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
  QStringList files;
  for (const auto& url : event->mimeData()->urls()) {
    const QString path = url.toLocalFile();
    if (path.isEmpty()) continue;
    if (path.endsWith(".heron"))
      desk_.open(path);
    else
      files << path;
  }
  if (!files.isEmpty() && desk_.document.is_open())
    import(files);
  else if (!files.isEmpty())
    tell("Open or make a dossier first; data come in beside its takes.", true);
  event->acceptProposedAction();
}

void MainWindow::closeEvent(QCloseEvent* event) {
  QSettings settings;
  settings.setValue("window", saveGeometry());
  if (desk_.document.is_open()) settings.setValue("dossier", desk_.document.path());
  desk_.runner.stop();
  event->accept();
}

void MainWindow::resizeEvent(QResizeEvent* event) {
  QMainWindow::resizeEvent(event);
  // A narrow window gives the page what the ledger can spare.
  ledger_->setFixedWidth(width() < 1150 ? 230 : 272);
}

}  // namespace heron::app
