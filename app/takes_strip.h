#pragma once
#include <QAbstractListModel>
#include <QHash>
#include <QListView>
#include <QStyledItemDelegate>

#include "desk.h"

namespace heron::app {

/// The takes of the study in view, oldest first.
class TakesModel : public QAbstractListModel {
  Q_OBJECT

 public:
  explicit TakesModel(Desk* desk, QObject* parent);
  int rowCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role) const override;
  const dossier::Take& take(int row) const { return desk_->focus.takes()[std::size_t(row)]; }

 private:
  Desk* desk_;
  std::vector<long long> ids_;
};

/// A card a take: number, time, unit or note, its own small curve. Only cards in sight are drawn, so only they are
/// read.
class TakeDelegate : public QStyledItemDelegate {
  Q_OBJECT

 public:
  TakeDelegate(Desk* desk, QObject* parent) : QStyledItemDelegate(parent), desk_(desk) {}
  void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
  /// As wide as its words need on one line, up to a limit.
  QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const override;
  static QRect pin_area(const QRect& card);

 private:
  Desk* desk_;
  /// Widths of words: a strip of a thousand cards is laid out at every change of one.
  mutable QHash<QString, int> widths_;
};

/// Click shows a take, with Ctrl it is laid over the others; the pin makes it the wake.
class TakesStrip : public QListView {
  Q_OBJECT

 public:
  explicit TakesStrip(Desk* desk, QWidget* parent = nullptr);
  void edit_note();

 protected:
  void mousePressEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  void follow_focus();

  Desk* desk_;
  TakesModel* model_;
  bool following_ = false;
};

}  // namespace heron::app
