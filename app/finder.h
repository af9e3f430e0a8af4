#pragma once
#include <QFrame>
#include <QLineEdit>
#include <QListWidget>
#include <functional>

namespace heron::app {

/// Every action and study by name: type a few letters, Enter does it.
class Finder : public QFrame {
  Q_OBJECT

 public:
  struct Entry {
    QString name, keys;
    std::function<void()> run;
    bool sought = false;  ///< shown only to those who type: there may be thousands of it
  };
  explicit Finder(QWidget* parent);
  void open(QList<Entry> entries);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void filter(const QString& text);
  void run_current();

  QLineEdit* field_;
  QListWidget* list_;
  QList<Entry> entries_;
};

}  // namespace heron::app
