#include "render/report_document.h"

#include <QAbstractTextDocumentLayout>
#include <QBuffer>
#include <QCryptographicHash>
#include <QEventLoop>
#include <QPainter>
#include <QPainterPath>
#include <QPdfWriter>
#include <QSvgRenderer>
#include <QTextBlock>
#include <QTextTable>
#include <qpdf/QPDF.hh>
#include <qpdf/QPDFPageDocumentHelper.hh>
#include <qpdf/QPDFWriter.hh>

#include "render/hatch.h"
#include "render/theme.h"

namespace heron::render {

namespace {

constexpr double kInch = 96, kMillimetre = kInch / 25.4;
const QSizeF kSheet(210 * kMillimetre, 297 * kMillimetre);  // ISO 216 A4
constexpr double kMargin = 18 * kMillimetre, kFoot = 10 * kMillimetre;

void paint_plot(QPainter& painter, const report::Plot& plot, const QRectF& into) {
  const auto drawn = report::lay_out(plot);
  painter.save();
  painter.translate(into.topLeft());
  painter.scale(into.width() / report::Layout::width, into.height() / report::Layout::height);
  painter.setRenderHint(QPainter::Antialiasing);
  const QRectF frame(drawn.left, drawn.top, drawn.wide, drawn.high);
  painter.setPen(QPen(theme().line, 0.6));
  for (const double x : drawn.across) painter.drawLine(QPointF(x, frame.top()), QPointF(x, frame.bottom()));
  for (const double y : drawn.up) painter.drawLine(QPointF(frame.left(), y), QPointF(frame.right(), y));
  painter.setPen(theme().ink);
  painter.setFont(text_font(13));
  const QFontMetricsF metrics(painter.font());
  for (const auto& text : drawn.texts) {
    const QString words = QString::fromStdString(text.text);
    const double wide = metrics.horizontalAdvance(words);
    using Stands = report::Layout::Text::Stands;
    if (text.stands == Stands::upright) {
      painter.save();
      painter.translate(text.x, text.y);
      painter.rotate(-90);
      painter.drawText(QPointF(-wide / 2, 0), words);
      painter.restore();
    } else {
      painter.drawText(QPointF(text.x - (text.stands == Stands::middle ? wide / 2 : wide), text.y), words);
    }
  }
  painter.save();
  painter.setClipRect(frame, Qt::IntersectClip);
  const auto line_of = [](const report::Layout::Line& line) {
    QPolygonF out;
    for (const auto& [x, y] : line) out << QPointF(x, y);
    return out;
  };
  for (const auto& ground : drawn.grounds) {
    auto area = line_of(ground.edge);
    area << QPointF(ground.edge.back().first, ground.beyond) << QPointF(ground.edge.front().first, ground.beyond);
    hatch(painter, area, theme().line);
    painter.setPen(QPen(theme().ink, 1));
    painter.drawPolyline(line_of(ground.edge));
  }
  for (const auto& curve : drawn.curves) {
    QPen pen(QColor(QString::fromStdString(curve.colour)), 1.6);
    if (curve.dashed) pen.setDashPattern({4, 3});
    painter.setPen(pen);
    painter.drawPolyline(line_of(curve.line));
  }
  painter.restore();
  painter.setPen(QPen(theme().line, 1));
  painter.drawRect(frame);
  painter.restore();
}

/// Draws what the text names: plots and verdicts, as lines rather than as pixels.
class Drawings : public QObject, public QTextObjectInterface {
  Q_OBJECT
  Q_INTERFACES(QTextObjectInterface)

 public:
  Drawings(std::vector<report::Paper::Drawing> drawings, double widest, QObject* parent) : QObject(parent), drawings_(std::move(drawings)), widest_(widest) {
    for (auto& one : drawings_) kept_.push_back(one.svg.empty() ? nullptr : std::make_unique<QSvgRenderer>(QByteArray::fromStdString(one.svg)));
  }

  QSizeF intrinsicSize(QTextDocument*, int, const QTextFormat& format) override {
    const auto image = format.toImageFormat();
    const auto* drawing = drawing_of(image.name());
    if (!drawing) return {image.width(), image.height()};
    QSizeF size(report::Layout::width, report::Layout::height);
    if (const auto& svg = kept_[std::size_t(drawing - drawings_.data())]) {
      size = svg->defaultSize();
      if (size.isEmpty()) return {0, 0};
      size *= widest_ / size.width();
      if (size.height() > 1.2 * widest_) size *= 1.2 * widest_ / size.height();
    }
    return size;
  }

  void drawObject(QPainter* painter, const QRectF& rect, QTextDocument*, int, const QTextFormat& format) override {
    const auto name = format.toImageFormat().name();
    if (const auto* drawing = drawing_of(name)) {
      if (const auto& svg = kept_[std::size_t(drawing - drawings_.data())])
        svg->render(painter, rect);
      else if (drawing->plot)
        paint_plot(*painter, *drawing->plot, rect);
      return;
    }
    draw_verdict(*painter, rect, judge::Verdict(name.mid(5).toInt()));
  }

 private:
  const report::Paper::Drawing* drawing_of(const QString& name) const {
    if (!name.startsWith(u"drawing:")) return nullptr;
    const auto k = std::size_t(name.mid(8).toULongLong());
    return k < drawings_.size() ? &drawings_[k] : nullptr;
  }

  std::vector<report::Paper::Drawing> drawings_;
  std::vector<std::unique_ptr<QSvgRenderer>> kept_;
  double widest_;
};

std::vector<ReportHeading> headings_of(const QTextDocument& document, double page_height) {
  std::vector<ReportHeading> out;
  for (auto block = document.begin(); block.isValid(); block = block.next()) {
    const int level = block.blockFormat().headingLevel();
    if (level != 1 && level != 2) continue;
    const double y = document.documentLayout()->blockBoundingRect(block).top();
    out.push_back({.title = block.text(), .level = level, .page = int(y / page_height), .y = y - page_height * std::floor(y / page_height)});
  }
  return out;
}

/// Before the first heading beneath the title, a line for each that follows. What numbers they get is known only then.
QTextTable* insert_contents(QTextDocument& document, const std::vector<ReportHeading>& headings) {
  for (auto block = document.begin(); block.isValid(); block = block.next()) {
    if (block.blockFormat().headingLevel() != 2) continue;
    QTextCursor cursor(block);
    cursor.movePosition(QTextCursor::StartOfBlock);
    QTextTableFormat format;
    format.setBorder(0);
    format.setCellPadding(1);
    format.setWidth(QTextLength(QTextLength::PercentageLength, 100));
    format.setColumnWidthConstraints({QTextLength(QTextLength::PercentageLength, 92), QTextLength(QTextLength::PercentageLength, 8)});
    const int rows = int(std::count_if(headings.begin(), headings.end(), [](const auto& h) { return h.level == 2; }));
    // A block of its own first: the heading stays behind the table.
    cursor.insertBlock();
    cursor.movePosition(QTextCursor::PreviousBlock);
    cursor.setBlockFormat({});
    return cursor.insertTable(rows, 2, format);
  }
  return nullptr;
}

void fill_contents(QTextTable& table, const std::vector<ReportHeading>& headings) {
  int row = 0;
  // As one change: each would lay all pages out anew.
  QTextCursor whole(table.document());
  whole.beginEditBlock();
  for (const auto& heading : headings) {
    if (heading.level != 2 || row >= table.rows()) continue;
    const auto set = [&](int column, const QString& words, Qt::Alignment alignment) {
      auto cursor = table.cellAt(row, column).firstCursorPosition();
      cursor.movePosition(QTextCursor::EndOfBlock, QTextCursor::KeepAnchor);
      QTextCharFormat plain;
      plain.setFont(text_font(12));
      cursor.insertText(words, plain);
      QTextBlockFormat format;
      format.setAlignment(alignment);
      cursor.setBlockFormat(format);
    };
    set(0, heading.title, Qt::AlignLeft);
    set(1, QString::number(heading.page + 1), Qt::AlignRight);
    ++row;
  }
  whole.endEditBlock();
}

/// The tag that ISO 32000 wants before the name of a font of which a part is there is drawn by lot; here the name gives it.
void name_fonts(QPDF& file) {
  for (auto object : file.getAllObjects()) {
    if (!object.isDictionary()) continue;
    for (const char* key : {"/FontName", "/BaseFont"}) {
      auto name = object.getKey(key);
      constexpr std::size_t kTag = 6;
      if (!name.isName() || name.getName().size() < kTag + 3 || name.getName()[kTag + 1] != '+') continue;
      const auto font = name.getName().substr(kTag + 1);
      std::string tag;
      for (const char c : QCryptographicHash::hash(QByteArray::fromStdString(font), QCryptographicHash::Sha256).first(kTag)) tag += char('A' + static_cast<unsigned char>(c) % 26);
      object.replaceKey(key, QPDFObjectHandle::newName("/" + tag + font));
    }
  }
}

/// No heading stays behind at the foot of a page, and no study begins there.
void break_pages(QTextDocument& document, double page_height) {
  QTextCursor whole(&document);
  whole.beginEditBlock();
  for (auto block = document.begin(); block.isValid(); block = block.next()) {
    const int level = block.blockFormat().headingLevel();
    if (level != 2 && level != 3) continue;
    const double y = document.documentLayout()->blockBoundingRect(block).top();
    const double in_page = y - page_height * std::floor(y / page_height);
    if (in_page < (level == 2 ? 0.72 : 0.93) * page_height) continue;
    auto format = block.blockFormat();
    format.setPageBreakPolicy(QTextFormat::PageBreak_AlwaysBefore);
    QTextCursor(block).setBlockFormat(format);
  }
  whole.endEditBlock();
}

}  // namespace

PagedReport paged(const report::Content& content) {
  // A text's layout wants a thread that could have timers.
  const QEventLoop timers;
  auto paper = report::paper(content);
  PagedReport out{.document = std::make_unique<QTextDocument>(), .headings = {}, .sheet = kSheet};
  out.text = QRectF(kMargin, kMargin, kSheet.width() - 2 * kMargin, kSheet.height() - 2 * kMargin - kFoot);
  out.footer = QString::fromStdString(content.choice.title.empty() ? content.device : content.choice.title);
  out.author = QString::fromStdString(content.choice.author);
  auto& document = *out.document;
  document.setUndoRedoEnabled(false);
  document.setDocumentMargin(0);
  document.setDefaultFont(text_font(12));
  document.setUseDesignMetrics(true);
  document.documentLayout()->registerHandler(QTextFormat::ImageObject, new Drawings(std::move(paper.drawings), out.text.width(), &document));
  document.setPageSize(out.text.size());
  document.setHtml(QString::fromStdString(paper.html));
  out.headings = headings_of(document, out.text.height());
  if (auto* contents = insert_contents(document, out.headings)) {
    // Once to take their place, once more to say where all the others came to stand then.
    for (int pass = 0; pass < 2; ++pass) {
      fill_contents(*contents, out.headings);
      break_pages(document, out.text.height());
      out.headings = headings_of(document, out.text.height());
    }
    fill_contents(*contents, out.headings);
  } else {
    break_pages(document, out.text.height());
    out.headings = headings_of(document, out.text.height());
  }
  out.pages = document.pageCount();
  return out;
}

void paint_page(QPainter& painter, const PagedReport& report, int page) {
  painter.save();
  painter.setFont(text_font(10));
  painter.setPen(theme().slate);
  const QRectF foot(report.text.left(), report.text.bottom() + 0.4 * kFoot, report.text.width(), kFoot);
  painter.drawText(foot, Qt::AlignLeft | Qt::AlignVCenter, report.footer);
  painter.drawText(foot, Qt::AlignRight | Qt::AlignVCenter, QString("%1 of %2").arg(page + 1).arg(report.pages));
  painter.translate(report.text.left(), report.text.top() - page * report.text.height());
  const QRectF part(0, page * report.text.height(), report.text.width(), report.text.height());
  painter.setClipRect(part, Qt::IntersectClip);
  QAbstractTextDocumentLayout::PaintContext context;
  context.clip = part;
  context.palette.setColor(QPalette::Text, theme().ink);
  report.document->documentLayout()->draw(&painter, context);
  painter.restore();
}

Result<std::string> pdf(const PagedReport& report) {
  QByteArray bytes;
  {
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    QPdfWriter writer(&buffer);
    constexpr int kResolution = 1200;
    writer.setResolution(kResolution);
    writer.setPageSize(QPageSize(QPageSize::A4));
    writer.setPageMargins(QMarginsF(0, 0, 0, 0));
    writer.setTitle(report.footer);
    writer.setCreator("Zealous Heron");
    QPainter painter(&writer);
    if (!painter.isActive()) return fail(Fault::input, "The report cannot be drawn as PDF.");
    painter.scale(kResolution / kInch, kResolution / kInch);
    for (int page = 0; page < report.pages; ++page) {
      if (page > 0) writer.newPage();
      paint_page(painter, report, page);
    }
  }
  try {
    QPDF file;
    file.processMemoryFile("report", bytes.constData(), std::size_t(bytes.size()));
    auto info = file.getTrailer().getKey("/Info");
    // When it was drawn is nobody's business, and would make every copy another one.
    for (const char* key : {"/CreationDate", "/ModDate", "/Producer"}) info.removeKey(key);
    if (!report.author.isEmpty()) info.replaceKey("/Author", QPDFObjectHandle::newUnicodeString(report.author.toStdString()));
    name_fonts(file);
    const auto pages = QPDFPageDocumentHelper(file).getAllPages();
    auto outlines = file.makeIndirectObject(QPDFObjectHandle::newDictionary());
    std::vector<QPDFObjectHandle> items;
    for (const auto& heading : report.headings) {
      if (heading.page >= int(pages.size())) continue;
      auto item = file.makeIndirectObject(QPDFObjectHandle::newDictionary());
      item.replaceKey("/Title", QPDFObjectHandle::newUnicodeString(heading.title.toStdString()));
      item.replaceKey("/Parent", outlines);
      constexpr double kPoint = 72 / kInch;
      const double top = (report.sheet.height() - report.text.top() - heading.y) * kPoint;
      auto place = QPDFObjectHandle::newArray();
      place.appendItem(pages[std::size_t(heading.page)].getObjectHandle());
      place.appendItem(QPDFObjectHandle::newName("/XYZ"));
      place.appendItem(QPDFObjectHandle::newNull());
      place.appendItem(QPDFObjectHandle::newReal(top, 1));
      place.appendItem(QPDFObjectHandle::newNull());
      item.replaceKey("/Dest", place);
      items.push_back(item);
    }
    for (std::size_t k = 0; k < items.size(); ++k) {
      if (k > 0) items[k].replaceKey("/Prev", items[k - 1]);
      if (k + 1 < items.size()) items[k].replaceKey("/Next", items[k + 1]);
    }
    if (!items.empty()) {
      outlines.replaceKey("/First", items.front());
      outlines.replaceKey("/Last", items.back());
      outlines.replaceKey("/Count", QPDFObjectHandle::newInteger(static_cast<long long>(items.size())));
      file.getRoot().replaceKey("/Outlines", outlines);
      file.getRoot().replaceKey("/PageMode", QPDFObjectHandle::newName("/UseOutlines"));
    }
    QPDFWriter out(file);
    out.setOutputMemory();
    out.setDeterministicID(true);
    out.write();
    const auto written = out.getBufferSharedPointer();
    return std::string(reinterpret_cast<const char*>(written->getBuffer()), written->getSize());
  } catch (const std::exception& e) {
    return fail(Fault::input, "The report cannot be written as PDF: {}.", e.what());
  }
}

}  // namespace heron::render

#include "report_document.moc"
