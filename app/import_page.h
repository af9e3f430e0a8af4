#pragma once
#include <QPushButton>
#include <QTableWidget>
#include <memory>
#include <stop_token>

#include "desk.h"
#include "exchange/curves.h"
#include "worker.h"

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
  /// Brings in what is shown, beside the window's thread. Nothing happens while a file cannot be read as it stands.
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
  struct Read;
  /// Reads and checks all of the files, in the worker.
  Read read_all(const std::vector<File>& files, const study::Kind& kind, const study::SettingsText& settings, int generation,
                std::stop_token stop);
  /// Makes takes of what was read, in the worker again.
  void bring_in(std::shared_ptr<const Read> read, bool aside);
  void tell_share(int generation, double share);
  QWidget* make_file(std::size_t index, const exchange::FilePreview& preview);

  Desk* desk_;
  std::vector<File> files_;
  QVBoxLayout* list_;
  QLabel* sum_;
  QPushButton *bring_, *aside_;
  int generation_ = 0;  ///< of the files; what was read for an earlier one is let go
  std::stop_source reading_;
  Worker readers_;
};

}  // namespace heron::app
