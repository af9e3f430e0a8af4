#pragma once
#include <QLayout>
#include <QStyle>

namespace heron::app {

/// Lays widgets out like words: left to right, wrapped. A widget with the property "attached" follows without a space.
class FlowLayout : public QLayout {
 public:
  explicit FlowLayout(int word_space, int line_space, QWidget* parent = nullptr);
  ~FlowLayout() override;

  void addItem(QLayoutItem* item) override { items_.append(item); }
  int count() const override { return int(items_.size()); }
  QLayoutItem* itemAt(int index) const override { return items_.value(index); }
  QLayoutItem* takeAt(int index) override {
    return index >= 0 && index < items_.size() ? items_.takeAt(index) : nullptr;
  }
  Qt::Orientations expandingDirections() const override { return {}; }
  bool hasHeightForWidth() const override { return true; }
  int heightForWidth(int width) const override { return place(QRect(0, 0, width, 0), false); }
  void setGeometry(const QRect& rect) override {
    QLayout::setGeometry(rect);
    place(rect, true);
  }
  QSize sizeHint() const override { return minimumSize(); }
  QSize minimumSize() const override;

 private:
  int place(const QRect& rect, bool apply) const;

  QList<QLayoutItem*> items_;
  int word_space_, line_space_;
};

}  // namespace heron::app
