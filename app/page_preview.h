#pragma once
#include <QAbstractScrollArea>
#include <memory>

#include "render/report_document.h"

namespace heron::app {

/// The pages of a report below each other, as they will be printed.
class PagePreview : public QAbstractScrollArea {
  Q_OBJECT

 public:
  explicit PagePreview(QWidget* parent = nullptr);

  void show_report(std::shared_ptr<render::PagedReport> report);
  const render::PagedReport* report() const { return report_.get(); }
  void show_page(int page);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  double scale() const;
  double page_height() const;
  void settle();

  std::shared_ptr<render::PagedReport> report_;
};

}  // namespace heron::app
