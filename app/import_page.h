#pragma once
#include <QPushButton>
#include <QTableWidget>

#include "session.h"

class QLabel;
class QVBoxLayout;

namespace heron::app {

/// Data files before they become takes: which column was taken as what, with a word where something looks odd, and all
/// of it to be put right.
class ImportPage : public QWidget {
  Q_OBJECT

 public:
  explicit ImportPage(Session* session, QWidget* parent = nullptr);

  void open(const QStringList& paths);
  /// Brings in what is shown. Nothing happens while a file cannot be read as it stands.
  void accept();

 signals:
  void closed();

 private:
  struct File {
    QString path;
    exchange::FileReading reading;
  };
  void rebuild();
  QWidget* make_file(std::size_t index);

  Session* session_;
  std::vector<File> files_;
  QVBoxLayout* list_;
  QLabel* sum_;
  QPushButton* bring_;
};

}  // namespace heron::app
