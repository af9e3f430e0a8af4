#pragma once
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QTimer>

#include "aside.h"
#include "desk.h"
#include "page_preview.h"

namespace heron::app {

/// What the report shall show, and how it comes out.
class ReportPage : public QWidget {
  Q_OBJECT

 public:
  explicit ReportPage(Desk* desk, QWidget* parent = nullptr);

  PagePreview* preview() const { return preview_; }
  /// Writes what is shown. @param path  ends in .html or .pdf; @return what went wrong
  QString write(const QString& path);

 protected:
  void showEvent(QShowEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  struct Ready {
    std::shared_ptr<const report::Content> content;
    std::shared_ptr<render::PagedReport> pages;
    QString trouble;
  };
  QListWidget* make_list(const QString& name, const QString& tip);
  void reload();
  void fill_list(QListWidget* list, const std::vector<std::string>& names, const std::vector<std::string>& chosen);
  void chosen();
  void make();
  void ask_path(const QString& ending);
  void forget_picture();
  report::Choice choice() const;
  /// Of the study that is chosen in the list, or of all.
  void show_parts();
  std::string chosen_study() const;

  Desk* desk_;
  QLineEdit *title_, *author_;
  QPlainTextEdit* summary_;
  QListWidget *studies_, *units_, *parts_, *pictures_;
  QLabel* said_;
  QPushButton *whose_parts_, *like_others_;
  std::set<report::Part> parts_of_all_ = report::Choice{}.parts;
  std::map<std::string, std::set<report::Part>> parts_of_;
  PagePreview* preview_;
  QTimer wait_;
  bool filling_ = false;
  std::shared_ptr<const report::Content> content_;
  Aside working_{this};
};

}  // namespace heron::app
