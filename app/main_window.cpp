#include "main_window.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QKeyEvent>
#include <QListWidget>
#include <QPlainTextEdit>
#include <QMimeData>
#include <QSettings>
#include <QShortcut>
#include <QVBoxLayout>

#include "app/text.h"
#include "base/quantity.h"
#include "batch_page.h"
#include "ink.h"
#include "once_button.h"
#include "overview_page.h"
#include "render/theme.h"
#include "report_page.h"

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
  // Whoever turns away from what is armed looks at something else.
  connect(pages_, &QStackedWidget::currentChanged, this, &MainWindow::disarm);
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
  connect(&desk_.runner, &Runner::asked_changed, this, [this] {
    refresh_bar();
    if (const QString& asked = desk_.runner.asked(); asked.isEmpty()) message_->hide();
    else {
      desk_.messages.say(asked + ", then press Enter. Esc stops.", false, desk_.runner.study());
      // Until it is answered.
      message_timer_.stop();
    }
  });
  connect(&desk_.runner, &Runner::progressed, this, &MainWindow::refresh_progress);
  connect(&desk_.batch, &Batch::changed, this, &MainWindow::refresh_bar);
  connect(&desk_.exporter, &Exporter::begun, this, [this] {
    if (!desk_.runner.taking()) bar_->setRange(0, 100), bar_->setValue(0);
    refresh_bar();
  });
  connect(&desk_.exporter, &Exporter::finished, this, &MainWindow::refresh_bar);
  connect(&desk_.exporter, &Exporter::progressed, this, [this](double share) {
    if (desk_.runner.taking()) return;
    bar_->setValue(int(100 * share));
    status_->setText(QString("Writing files, %1 %").arg(int(100 * share)));
  });
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
  take_ = new OnceButton(top);
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
  const QString& asked = desk_.runner.asked();
  const bool armed = desk_.runner.armed();
  const QString arms = desk_.runner.to_arm();
  take_->setText(!asked.isEmpty() ? "It is set   Enter" : running ? "Stop   Esc" : armed ? "Fire   Space" : arms.isEmpty() ? "Take   Space" : "Arm   Space");
  take_->setAccessibleName(!asked.isEmpty() ? "It is set" : running ? "Stop" : armed ? "Fire" : arms.isEmpty() ? "Take" : "Arm");
  take_->setEnabled(desk_.focus.study() != nullptr);
  take_->setToolTip(!asked.isEmpty() ? asked + ", then go on (Enter); Esc stops and keeps what was read" : running ? "Stop and keep what was read (Esc)" : armed ? "Fire what is armed and run the study once (Space); Esc lets it be" : arms.isEmpty() ? QString("Run the study once (Space)") : "Arm " + arms + " for one take (Space)");
  bar_->setVisible(desk_.runner.taking() || desk_.exporter.writing());
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
  if (!desk_.runner.asked().isEmpty()) {
    status_->setText(desk_.runner.asked());
    return;
  }
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
  if (!desk_.runner.asked().isEmpty()) return desk_.runner.answer();
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

void MainWindow::import(const QStringList& paths) {
  const bool first = !import_page_;
  turn_to(import_page_);
  if (first) connect(import_page_, &ImportPage::closed, this, &MainWindow::show_study);
  import_page_->open(paths);
}

void MainWindow::disarm() {
  if (!desk_.runner.armed()) return;
  desk_.runner.disarm();
  tell("No longer armed.", false);
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
        disarm();
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
      if (!desk_.runner.asked().isEmpty()) {
        desk_.runner.answer();
        return true;
      }
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
  const bool answers = key->key() == Qt::Key_Space || key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter;
  // A key that is held down answers once.
  if (answers && key->isAutoRepeat()) return true;
  // A text that was meant for a field has spaces too: only Space after Space fires.
  if (key->key() != Qt::Key_Space && key->key() != Qt::Key_Escape) {
    disarm();
    desk_.batch.disarm();
  }
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
