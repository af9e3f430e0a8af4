#pragma once
#include <QPushButton>
#include <QScrollArea>

#include "hookup_diagram.h"
#include "word_editor.h"

class QGridLayout;
class QVBoxLayout;

namespace heron::app {

/// One sensed quantity: its line of symbols, its words, its headroom and what it amounts to.
class ChainRow : public QWidget {
  Q_OBJECT

 public:
  ChainRow(const bench::Chain& chain, Desk* desk, WordEditing* editing, QWidget* parent);
  QList<BriefWord*> words() const { return words_; }
  int line_y() const { return line_->geometry().center().y(); }
  const std::string& name() const { return chain_.name; }

 signals:
  void placed();

 protected:
  void resizeEvent(QResizeEvent* event) override;

 private:
  QWidget* row_of(std::initializer_list<std::pair<QString, QString>> pieces, WordEditing* editing);

  bench::Chain chain_;
  ChainLine* line_;
  QList<QWidget*> columns_;
  QList<BriefWord*> words_;
};

/// The hookup of the study in view as a plain diagram: generator, device, and a line for each quantity that is sensed.
/// Every word is edited in place; below stand the tools that find a sense resistor, check a factor, and keep sensors.
class HookupPage : public QScrollArea {
  Q_OBJECT

 public:
  explicit HookupPage(Desk* desk, QWidget* parent = nullptr);

 protected:
  void resizeEvent(QResizeEvent* event) override;
  void showEvent(QShowEvent* event) override;

 private:
  void rebuild();
  void rebuild_drive();
  const bench::Hookup& hookup() const;
  QString driven_pin() const;
  void show_channels();
  void place_box();
  QWidget* make_tools();
  QWidget* make_sense_tool();
  QWidget* make_sensor_list();
  void propose();
  void refill_sensors();
  QList<BriefWord*> words() const;

  Desk* desk_;
  WordEditing* editing_;
  QWidget* sheet_;
  QLabel* title_;
  QWidget* drive_;
  QList<BriefWord*> drive_words_;
  QWidget *channels_ = nullptr, *tools_ = nullptr;
  QLabel* channel_text_ = nullptr;
  QPushButton* by_inputs_ = nullptr;
  QList<QWidget*> sensing_;  ///< what makes sense only where inputs sense
  DeviceBox* box_;
  QVBoxLayout* rows_;
  QVBoxLayout* computed_;
  QLabel* found_;
  QList<ChainRow*> chains_;
  QLineEdit* current_;
  QLineEdit* drop_;
  QLabel* proposal_;
  QLabel* checked_;
  QLayout* sensors_;
  bool stale_ = true;  ///< what is shown is older than the plan
};

}  // namespace heron::app
