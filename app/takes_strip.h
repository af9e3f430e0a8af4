#pragma once
#include <QAbstractListModel>
#include <QListView>
#include <QStyledItemDelegate>

#include "session.h"

namespace heron::app {

/// The takes of the study in view, oldest first.
class TakesModel : public QAbstractListModel {
  Q_OBJECT

 public:
  explicit TakesModel(Session* session, QObject* parent);
  int rowCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role) const override;
  const dossier::Take& take(int row) const { return session_->takes()[std::size_t(row)]; }

 private:
  Session* session_;
  std::vector<long long> ids_;
};

/// A card a take: number, time, unit or note, its own small curve. Only cards in sight are drawn, so only they are
/// read.
class TakeDelegate : public QStyledItemDelegate {
  Q_OBJECT

 public:
  TakeDelegate(Session* session, QObject* parent) : QStyledItemDelegate(parent), session_(session) {}
  void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
  QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override { return {226, 64}; }
  static QRect pin_area(const QRect& card);

 private:
  Session* session_;
};

/// Click shows a take, with Ctrl it is laid over the others; the pin makes it the wake.
class TakesStrip : public QListView {
  Q_OBJECT

 public:
  explicit TakesStrip(Session* session, QWidget* parent = nullptr);
  void edit_note();

 protected:
  void mousePressEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  void follow_session();

  Session* session_;
  TakesModel* model_;
  bool following_ = false;
};

}  // namespace heron::app
