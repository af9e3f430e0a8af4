#pragma once
#include <QString>
#include <QTextDocument>
#include <memory>
#include <vector>

#include "report/html.h"

/// A report on paper: laid out in pages, to be looked at and to be written as PDF.
namespace heron::render {

struct ReportHeading {
  QString title;
  int level = 1;  ///< 1: the title, 2: a study
  int page = 0;   ///< from 0
  double y = 0;   ///< within the page's text, pixels from its top
};

struct PagedReport {
  std::unique_ptr<QTextDocument> document;
  std::vector<ReportHeading> headings;
  QSizeF sheet;    ///< the paper, pixels at 96 to the inch
  QRectF text;     ///< where on it the text stands
  QString footer;  ///< before the number of the page
  QString author;
  int pages = 0;
};

/// With its contents and their page numbers. Works in any thread; the document belongs to the one that calls.
PagedReport paged(const report::Content& content);

/// One page as it is printed, at the painter's scale.
void paint_page(QPainter& painter, const PagedReport& report, int page);

/// The PDF, with bookmarks; the same bytes for the same content. Call where an application object is.
Result<std::string> pdf(const PagedReport& report);

}  // namespace heron::render
