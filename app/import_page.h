#pragma once
#include <QPushButton>
#include <QTableWidget>
#include <QThreadPool>

#include "desk.h"

class QLabel;
class QVBoxLayout;

namespace heron::app {

/// Data files before they become takes: which column was taken as what, with a word where something looks odd, and all
/// of it to be put right.
class ImportPage : public QWidget {
  Q_OBJECT

 public:
  explicit ImportPage(Desk* desk, QWidget* parent = nullptr);

  void open(const QStringList& paths);
  /// Brings in what is shown. Nothing happens while a file cannot be read as it stands.
  /// @param aside  to be looked at, not judged
  void accept(bool aside = false);
  void leave();

 signals:
  void closed();

 private:
  struct File {
    QString path;
    exchange::FileReading reading;
    std::map<std::string, std::string> guessed = {};  ///< role -> column, as shown
  };
  /// Reads the files anew, off the window's thread.
  void rebuild();
  void show_previews(const std::vector<exchange::FilePreview>& previews);
  void bring_in(const std::vector<exchange::FileCurve>& curves, QString trouble, bool aside);
  QWidget* make_file(std::size_t index, const exchange::FilePreview& preview);

  Desk* desk_;
  std::vector<File> files_;
  QVBoxLayout* list_;
  QLabel* sum_;
  QPushButton *bring_, *aside_;
  int generation_ = 0;  ///< of the files; what was read for an earlier one is let go
  QThreadPool readers_;
};

}  // namespace heron::app
