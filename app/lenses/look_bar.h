#pragma once
#include <QPushButton>
#include <QWidget>
#include <functional>

class QHBoxLayout;

namespace heron::app {

/// A line of words above a plot, each a choice about how it is drawn; a click goes to the next.
class LookBar : public QWidget {
  Q_OBJECT

 public:
  explicit LookBar(QWidget* parent);

  /// @param text  what the word says now
  /// @param step  takes it on
  QPushButton* add(const QString& name, const QString& tip, std::function<QString()> text, std::function<void()> step);
  /// A word that opens a menu: what can be chosen, and what a choice does.
  struct MenuLine {
    QString text;
    std::function<void()> choose;  ///< empty: it only tells
  };
  QPushButton* add_menu(const QString& name, const QString& tip, std::function<QString()> text,
                        std::function<QList<MenuLine>()> choices);
  void add_space();
  void refresh();

 private:
  QPushButton* make_word(const QString& name, const QString& tip, std::function<QString()> text);

  QHBoxLayout* row_;
  QList<std::pair<QPushButton*, std::function<QString()>>> words_;
};

}  // namespace heron::app
