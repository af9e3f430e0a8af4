#pragma once
#include <QLabel>
#include <QMainWindow>
#include <QProgressBar>
#include <QPushButton>
#include <QStackedWidget>

#include "bench_page.h"
#include "device_page.h"
#include "finder.h"
#include "hookup_page.h"
#include "import_page.h"
#include "ledger_view.h"
#include "study_page.h"
#include "takes_strip.h"

namespace heron::app {

/// The window: top bar, ledger, page, takes strip.
class MainWindow : public QMainWindow {
  Q_OBJECT

 public:
  MainWindow();
  ~MainWindow() override;

  bool open(const QString& path);
  Desk& desk() { return desk_; }
  StudyPage& page() { return *study_page_; }

 public slots:
  void take_or_stop();
  void disarm();
  void show_device();
  void show_study();
  void show_hookup();
  void show_bench();
  void show_overview();
  void show_batch();
  void show_report();
  /// The plot in view as it is seen, for the report.
  void put_into_report();
  void find();
  void bring_in_data();
  void save_picture();
  void ask_claim();
  void ask_typed_figure();
  void ask_setting();
  void export_take();
  void export_part();

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;
  void closeEvent(QCloseEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

 private:
  void ask_line(const QString& title, const QString& prompt, const std::function<QString(const QString&)>& understand);
  QWidget* make_top_bar();
  QWidget* make_empty_page();
  QWidget* make_first_steps_page();
  QWidget* make_offers(const QString& title, const QList<Finder::Entry>& offers);
  QWidget* make_strip();
  void refresh_bar();
  void refresh_progress();
  void tell(const QString& message, bool trouble);
  void say_trouble(const QString& text);
  void show_message(const Messages::Message& message);
  void show_again(const Messages::Message& message);
  void leave_message();
  void choose_dossier();
  void new_dossier();
  void open_demo();
  void load_circuit();
  void add_study();
  void import(const QStringList& paths);
  bool handle_key(int key);
  template <class Page>
  void turn_to(Page*& page);
  QList<Finder::Entry> actions();
  QList<Finder::Entry> findings();
  void ask_study_note();
  void copy_study();
  void keep_template();
  void bring_template();
  void add_from(const Result<run::StudyTemplate>& study);
  void merge_dossier();

  Desk desk_;
  QLabel* device_name_;
  QPushButton* device_button_;
  QLabel* status_;
  QProgressBar* bar_;
  QPushButton* take_;
  QLabel* message_;
  QTimer message_timer_;
  long long message_study_ = 0;  ///< that the message in view is about
  QStackedWidget* pages_;
  LedgerView* ledger_;
  StudyPage* study_page_;
  /// Pages that are made when they are first asked for.
  DevicePage* device_page_ = nullptr;
  ImportPage* import_page_ = nullptr;
  HookupPage* hookup_page_ = nullptr;
  BenchPage* bench_page_ = nullptr;
  class OverviewPage* overview_page_ = nullptr;
  class BatchPage* batch_page_ = nullptr;
  class ReportPage* report_page_ = nullptr;
  QPushButton* report_button_;
  QPushButton* overview_button_;
  QPushButton* hookup_button_;
  QPushButton* bench_button_;
  QWidget* empty_page_;
  QWidget* first_steps_page_;
  TakesStrip* strip_;
  QWidget* strip_row_;
  Finder* finder_;
};

/// The application's palette, fonts and style sheet.
void apply_style();

}  // namespace heron::app
