#include "main_window.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QInputDialog>
#include <QKeyEvent>
#include <QMimeData>
#include <QSettings>
#include <QShortcut>
#include <QStandardPaths>
#include <QVBoxLayout>

#include "base/quantity.h"
#include "mudlark/recipe.h"
#include "render/plot_parts.h"
#include "render/theme.h"

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
  ledger_ = new LedgerView(&session_, whole);
  ledger_->setFixedWidth(272);
  connect(ledger_, &LedgerView::claim_asked, this, &MainWindow::ask_claim);
  middle->addWidget(ledger_);
  auto* page_column = new QVBoxLayout;
  page_column->setSpacing(0);
  message_ = new QLabel(whole);
  message_->setObjectName("message");
  message_->setAccessibleName("Message");
  message_->setWordWrap(true);
  message_->hide();
  pages_ = new QStackedWidget(whole);
  pages_->addWidget(empty_page_ = make_empty_page());
  pages_->addWidget(first_steps_page_ = make_first_steps_page());
  pages_->addWidget(study_page_ = new StudyPage(&session_, pages_));
  pages_->addWidget(device_page_ = new DevicePage(&session_, pages_));
  pages_->addWidget(hookup_page_ = new HookupPage(&session_, pages_));
  pages_->addWidget(bench_page_ = new BenchPage(&session_, pages_));
  pages_->addWidget(import_page_ = new ImportPage(&session_, pages_));
  connect(import_page_, &ImportPage::closed, this, &MainWindow::show_study);
  connect(study_page_, &StudyPage::hookup_asked, this, &MainWindow::show_hookup);
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
  shortcut(QKeySequence("Ctrl+Z"), [this] { session_.undo_stack().undo(); });
  shortcut(QKeySequence("Ctrl+Shift+Z"), [this] { session_.undo_stack().redo(); });
  shortcut(QKeySequence("Ctrl+Y"), [this] { session_.undo_stack().redo(); });
  shortcut(QKeySequence::Open, [this] { choose_dossier(); });
  shortcut(QKeySequence::New, [this] { new_dossier(); });
  qApp->installEventFilter(this);

  message_timer_.setSingleShot(true);
  connect(&message_timer_, &QTimer::timeout, message_, &QWidget::hide);
  connect(&session_, &Session::said, this, &MainWindow::tell);
  connect(&session_, &Session::opened, this, [this] {
    show_study();
    refresh_bar();
    if (session_.study()) study_page_->lens()->setFocus();
  });
  for (const auto change : {&Session::device_changed, &Session::running_changed, &Session::plan_changed})
    connect(&session_, change, this, &MainWindow::refresh_bar);
  connect(&session_, &Session::progressed, this, &MainWindow::refresh_progress);
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
  status_->setStyleSheet(QString("color: %1").arg(theme().slate.name()));
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
  row->addWidget(device_button_);
  row->addWidget(hookup_button_);
  row->addWidget(bench_button_);
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
  strip_ = new TakesStrip(&session_, strip_row_);
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

bool MainWindow::open(const QString& path) { return session_.open(path); }

void MainWindow::refresh_bar() {
  const bool there = session_.is_open();
  device_name_->setText(there ? QString::fromStdString(session_.device().name) : "Zealous Heron");
  const QString about = QString::fromStdString(session_.device().about),
                unit = QString::fromStdString(session_.unit().name);
  device_button_->setText(about.isEmpty() ? unit : about + ", " + unit);
  device_button_->setVisible(there);
  hookup_button_->setVisible(there && session_.study());
  bench_button_->setVisible(there);
  strip_row_->setVisible(there);
  take_->setVisible(there);
  const bool running = session_.running();
  take_->setText(running ? "Stop   Esc" : "Take   Space");
  take_->setAccessibleName(running ? "Stop" : "Take");
  take_->setEnabled(session_.study() != nullptr);
  take_->setToolTip(running ? "Stop and keep what was read (Esc)" : "Run the study once (Space)");
  bar_->setVisible(running && !session_.starting_small());
  if (session_.starting_small()) status_->setText("Looking for the compliance, from small");
  if (!running)
    status_->setText(there ? session_.circuit().parts.empty() ? "No circuit for the simulated bench"
                             : session_.paced()               ? "Simulated bench, ready; keeps the pace of a real one"
                                                              : "Simulated bench, ready; runs as fast as it computes"
                           : "");
  setWindowTitle(there ? QString::fromStdString(session_.device().name) + " \u2013 Zealous Heron" : "Zealous Heron");
}

void MainWindow::refresh_progress() {
  const auto& p = session_.progress();
  if (!session_.running() || p.total == 0) return;
  bar_->setMaximum(p.total);
  bar_->setValue(p.done);
  status_->setText(QString("%1 of %2 points, %3 left on a real bench")
                       .arg(p.done)
                       .arg(p.total)
                       .arg(QString::fromStdString(format_duration(p.bench_seconds_left))));
}

void MainWindow::tell(const QString& message, bool trouble) {
  message_->setText(message);
  message_->setProperty("calm", !trouble);
  message_->style()->unpolish(message_);
  message_->style()->polish(message_);
  message_->show();
  message_timer_.start(trouble ? 20000 : 8000);
}

void MainWindow::take_or_stop() {
  if (session_.running()) {
    session_.stop();
    return;
  }
  show_study();
  if (const QString trouble = session_.start(); !trouble.isEmpty())
    tell(trouble, true);
  else
    message_->hide();
}

void MainWindow::show_device() {
  if (!session_.is_open()) return;
  // On the page itself, so that no field takes the keys before it is asked to.
  pages_->setCurrentWidget(device_page_);
  device_page_->setFocus();
}

void MainWindow::show_hookup() {
  if (!session_.study()) return;
  pages_->setCurrentWidget(hookup_page_);
  hookup_page_->setFocus();
}

void MainWindow::show_bench() {
  if (!session_.is_open()) return;
  pages_->setCurrentWidget(bench_page_);
  bench_page_->setFocus();
}

void MainWindow::show_study() {
  pages_->setCurrentWidget(session_.study() ? study_page_ : session_.is_open() ? first_steps_page_ : empty_page_);
}

QList<Finder::Entry> MainWindow::actions() {
  QList<Finder::Entry> out;
  for (const auto& study : session_.studies())
    out << Finder::Entry{"Study: " + QString::fromStdString(study.name), "", [this, id = study.id] {
                           session_.select_study(id);
                           show_study();
                         }};
  if (session_.study()) {
    out << Finder::Entry{session_.running() ? "Stop the take" : "Take", session_.running() ? "Esc" : "Space",
                         [this] { take_or_stop(); }};
    out << Finder::Entry{"Pin the take in view as the wake", "W", [this] { handle_key(Qt::Key_W); }};
    out << Finder::Entry{"Write a note on the take in view", "N", [this] { handle_key(Qt::Key_N); }};
    for (const auto& take : session_.takes())
      if (take.id == session_.shown())
        out << Finder::Entry{take.aside ? "Judge the take in view again" : "Lay the take in view aside: look, do not judge",
                             "", [this, take] { session_.set_aside(take.id, !take.aside); }};
    out << Finder::Entry{"Export the take in view", "", [this] { export_take(); }};
    out << Finder::Entry{"Save the plot as a picture", "", [this] { save_picture(); }};
    out << Finder::Entry{"Unpin cursors A and B", "", [this] {
                           session_.look().set_cursor('A', std::nullopt);
                           session_.look().set_cursor('B', std::nullopt);
                         }};
    out << Finder::Entry{"Write a claim", "", [this] { ask_claim(); }};
    for (const auto& claim : session_.claims())
      out << Finder::Entry{"Take back the claim: " + QString::fromStdString(claim.text), "",
                           [this, claim] { session_.remove_claim(claim); }};
    for (const auto& mask : session_.masks())
      out << Finder::Entry{"Take back the mask: " + QString::fromStdString(mask.text), "",
                           [this, mask] { session_.remove_mask(mask); }};
    out << Finder::Entry{"How the study is read: a setting", "", [this] { ask_setting(); }};
    out << Finder::Entry{"Expected curve by a formula", "", [this] { ask_expected(); }};
    out << Finder::Entry{"Bring in data", "", [this] { bring_in_data(); }};
    for (int i = 0; i < study_page_->lens_count(); ++i)
      out << Finder::Entry{"Lens: " + study_page_->lens_title(i), QString::number(i + 1), [this, i] {
                             show_study();
                             study_page_->choose_lens(i);
                           }};
  }
  if (session_.is_open()) {
    out << Finder::Entry{"Device, units and parts", "D", [this] { show_device(); }};
    if (session_.iv_plan() && !session_.has_hookup())
      out << Finder::Entry{"Start small: find the compliance of an unknown device", "", [this] {
                             if (const QString trouble = session_.start_small(); !trouble.isEmpty())
                               tell(trouble, true);
                           }};
    if (session_.iv_plan())
      out << Finder::Entry{"Take with the device out: its leakage is taken off from then on", "", [this] {
                             if (const QString trouble = session_.start("open"); !trouble.isEmpty())
                               tell(trouble, true);
                           }};
    if (session_.study()) out << Finder::Entry{"Hookup: what is sensed where", "H", [this] { show_hookup(); }};
    out << Finder::Entry{"Bench: instruments and their limits", "", [this] { show_bench(); }};
    out << Finder::Entry{"Load a circuit", "", [this] { load_circuit(); }};
    out << Finder::Entry{"Add a study", "", [this] { add_study(); }};
    auto& undo = session_.undo_stack();
    if (undo.canUndo()) out << Finder::Entry{"Undo: " + undo.undoText(), "Ctrl+Z", [&undo] { undo.undo(); }};
    if (undo.canRedo()) out << Finder::Entry{"Redo: " + undo.redoText(), "Ctrl+Shift+Z", [&undo] { undo.redo(); }};
  }
  out << Finder::Entry{"Open a dossier", "Ctrl+O", [this] { choose_dossier(); }};
  out << Finder::Entry{"Make a new dossier", "Ctrl+N", [this] { new_dossier(); }};
  out << Finder::Entry{"Open the demo", "", [this] { open_demo(); }};
  return out;
}

void MainWindow::find() { finder_->open(actions()); }

void MainWindow::choose_dossier() {
  const QString path =
      QFileDialog::getOpenFileName(this, "Open a dossier", QFileInfo(session_.path()).path(), "Dossiers (*.heron)");
  if (!path.isEmpty()) session_.open(path);
}

void MainWindow::new_dossier() {
  QString path =
      QFileDialog::getSaveFileName(this, "Make a new dossier", QFileInfo(session_.path()).path(), "Dossiers (*.heron)");
  if (path.isEmpty()) return;
  if (!path.endsWith(".heron")) path += ".heron";
  session_.create(path);
}

void MainWindow::open_demo() {
  const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/demo";
  const QString path = folder + "/" + demo::kDossierName;
  if (QFileInfo::exists(path)) {
    session_.open(path);
    return;
  }
  tell("The demo's takes are being measured on the simulated bench\u2026", false);
  auto* maker = QThread::create([folder, this] {
    const auto made = demo::write(folder.toStdString());
    QMetaObject::invokeMethod(
        this,
        [this, made] {
          message_->hide();
          if (made)
            session_.open(QString::fromStdString(*made));
          else
            tell(QString::fromStdString(made.error().message), true);
        },
        Qt::QueuedConnection);
  });
  connect(maker, &QThread::finished, maker, &QObject::deleteLater);
  maker->start();
}

void MainWindow::load_circuit() {
  const QString path =
      QFileDialog::getOpenFileName(this, "Load a circuit", QFileInfo(session_.path()).path(), "Circuits (*.toml)");
  if (path.isEmpty()) return;
  if (const QString trouble = session_.load_circuit(path); !trouble.isEmpty())
    tell(trouble, true);
  else
    tell(QFileInfo(path).fileName() + " is on the simulated bench now.", false);
}

void MainWindow::add_study() {
  bool ok = false;
  const QString name =
      QInputDialog::getText(this, "Add a study", "What is asked of the device", QLineEdit::Normal, "Passband", &ok);
  if (!ok) return;
  const QStringList kinds = {"Frequency response", "Current against voltage"};
  const QString kind = QInputDialog::getItem(this, "Add a study", "Which kind", kinds, 0, false, &ok);
  if (!ok) return;
  if (const QString trouble = session_.add_study(name, kind == kinds[0] ? "response" : "iv"); !trouble.isEmpty())
    tell(trouble, true);
  else
    show_study();
}

void MainWindow::import(const QStringList& paths) {
  pages_->setCurrentWidget(import_page_);
  import_page_->open(paths);
}

void MainWindow::bring_in_data() {
  const QStringList paths = QFileDialog::getOpenFileNames(
      this, "Bring in data", {}, "Curves (*.csv *.txt *.tsv *.s1p *.s2p *.json);;All files (*)");
  if (!paths.isEmpty()) import(paths);
}

void MainWindow::ask_setting() {
  QStringList now;
  if (session_.study())
    for (const auto& [key, value] : session_.study()->settings)
      now << QString::fromStdString(key) + " = " + QString::fromStdString(value);
  QString line;
  for (QString trouble;;) {
    bool ok = false;
    line = QInputDialog::getText(
        this, "How the study is read",
        !trouble.isEmpty()
            ? trouble
            : "A setting and its value, such as estimator = H2 or coherence_limit = 0.7; none takes it back" +
                  (now.isEmpty() ? QString() : "\nNow: " + now.join(", ")),
        QLineEdit::Normal, line, &ok);
    if (!ok) return;
    const QString value = line.section('=', 1).trimmed();
    trouble = line.contains('=') ? session_.edit_setting(line.section('=', 0, 0).trimmed().toStdString(),
                                                         value == "none" ? QString() : value)
                                 : "Write a setting, = and its value.";
    if (trouble.isEmpty()) return;
  }
}

void MainWindow::ask_claim() {
  QString line;
  // Asked again with what was typed until it is understood or left.
  for (QString trouble;;) {
    bool ok = false;
    line = QInputDialog::getText(
        this, "Write a claim",
        trouble.isEmpty() ? "High corner at least 18 kHz; Gain at 1 kHz 26 \u00b10.5 dB; Low corner 15 to 25 Hz;\n"
                            "or a limit line: gain at most 27 dB from 100 Hz to 10 kHz"
                          : trouble,
        QLineEdit::Normal, line, &ok);
    if (!ok) return;
    trouble = session_.write_claim(line);
    if (trouble.isEmpty()) return;
  }
}

void MainWindow::ask_expected() {
  bool ok = false;
  const QString text = QInputDialog::getText(
      this, "Expected curve", "circuit, none, or H over part values, f, w and s, such as 20/(1 + s*R6*C6)",
      QLineEdit::Normal, QString::fromStdString(session_.settings().expected), &ok);
  if (!ok) return;
  if (const QString trouble = session_.edit_setting("expected", text == "circuit" ? "" : text); !trouble.isEmpty())
    tell(trouble, true);
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

void MainWindow::export_take() {
  const auto shown = session_.shown();
  if (!shown) {
    tell("There is no take to write yet. Space takes.", true);
    return;
  }
  const QString folder = QFileDialog::getExistingDirectory(this, "Folder for the take's files");
  if (folder.isEmpty()) return;
  const auto files = session_.export_take(*shown, folder);
  if (files)
    tell(QString("%1 files are written to %2.").arg(*files).arg(folder), false);
  else
    tell(QString::fromStdString(files.error().message), true);
}

bool MainWindow::handle_key(int key) {
  switch (key) {
    case Qt::Key_Space:
      if (!session_.running()) take_or_stop();
      return true;
    case Qt::Key_Escape:
      if (session_.running())
        session_.stop();
      else if (pages_->currentWidget() == import_page_)
        import_page_->leave();
      else if (pages_->currentWidget() == device_page_ || pages_->currentWidget() == hookup_page_ ||
               pages_->currentWidget() == bench_page_)
        show_study();
      else
        return false;
      return true;
    case Qt::Key_Return:
    case Qt::Key_Enter:
      if (pages_->currentWidget() != import_page_) return false;
      import_page_->accept();
      return true;
    case Qt::Key_W:
      if (const auto shown = session_.shown()) session_.set_wake(session_.wake() == shown ? std::nullopt : shown);
      return true;
    case Qt::Key_N:
      strip_->edit_note();
      return true;
    case Qt::Key_H:
      pages_->currentWidget() == hookup_page_ ? show_study() : show_hookup();
      return true;
    case Qt::Key_D:
      pages_->currentWidget() == device_page_ ? show_study() : show_device();
      return true;
    default:
      return pages_->currentWidget() == study_page_ && study_page_->handle_key(key);
  }
}

bool MainWindow::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() != QEvent::KeyPress || !watched->isWidgetType()) return false;
  auto* widget = static_cast<QWidget*>(watched);
  if (widget->window() != this || QApplication::activeModalWidget() || !session_.is_open()) return false;
  const auto* key = static_cast<QKeyEvent*>(event);
  if (key->modifiers() & ~(Qt::KeypadModifier | Qt::ShiftModifier)) return false;
  // Fields keep their keys; so does a table while a cell is being typed into.
  const auto* focus = focusWidget();
  if (focus && !focus->isVisible()) focus = nullptr;
  if (qobject_cast<const QLineEdit*>(watched) || qobject_cast<const QLineEdit*>(focus)) return false;
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
      session_.open(path);
    else
      files << path;
  }
  if (!files.isEmpty() && session_.is_open())
    import(files);
  else if (!files.isEmpty())
    tell("Open or make a dossier first; data come in beside its takes.", true);
  event->acceptProposedAction();
}

void MainWindow::closeEvent(QCloseEvent* event) {
  QSettings settings;
  settings.setValue("window", saveGeometry());
  if (session_.is_open()) settings.setValue("dossier", session_.path());
  session_.stop();
  event->accept();
}

void MainWindow::resizeEvent(QResizeEvent* event) {
  QMainWindow::resizeEvent(event);
  // A narrow window gives the page what the ledger can spare.
  ledger_->setFixedWidth(width() < 1150 ? 230 : 272);
}

}  // namespace heron::app
