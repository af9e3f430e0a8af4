#include "ledger_view.h"

#include <QLabel>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>

#include "base/quantity.h"
#include "render/theme.h"

namespace heron::app {

using judge::Verdict;
using render::theme;

LedgerRow::LedgerRow(run::LedgerLine line, QWidget* parent) : QWidget(parent), line_(std::move(line)) {
  const auto& j = line_.judgement;
  QString said =
      QString::fromStdString(line_.text()) + ": " + QString::fromUtf8(judge::verdict_words(j.verdict).data());
  if (j.value) {
    const auto value = format_with_uncertainty(*j.value, j.u, j.unit);
    said += QString("\n%1").arg(QString::fromStdString(value.plain()));
    if (!value.uncertainty.empty())
      said += QString(" \u00b1 %1 (k = 2)").arg(QString::fromStdString(value.uncertainty));
    if (!j.on.empty()) said += ", " + QString::fromStdString(j.on);
    if (j.at) said += " at " + QString::fromStdString(format_quantity(*j.at, j.at_unit).plain());
  }
  if (j.expected) said += "\nexpected " + QString::fromStdString(format_quantity(*j.expected, j.unit).plain());
  if (j.lower) said += "\nlower limit " + QString::fromStdString(format_quantity(*j.lower, j.unit).plain());
  if (j.upper) said += "\nupper limit " + QString::fromStdString(format_quantity(*j.upper, j.unit).plain());
  if (j.margin) said += "\nmargin " + QString::fromStdString(format_quantity(*j.margin, j.unit, 3).plain());
  if (!j.reason.empty()) said += "\n" + QString::fromStdString(j.reason);
  if (!j.caveat.empty()) said += "\n" + QString::fromStdString(j.caveat);
  setToolTip(said);
  setAccessibleName("Claim: " + said.section('\n', 0, 0));
  setAccessibleDescription(said);
  setFixedHeight(38);
}

void LedgerRow::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const auto& j = line_.judgement;
  render::draw_verdict(p, QRectF(16, 4, 13, 13), j.verdict);
  const QColor colour = render::verdict_colour(j.verdict);
  QString value = "\u2013";
  if (j.value) value = QString::fromStdString(format_with_uncertainty(*j.value, j.u, j.unit).plain());
  p.setFont(render::number_font(11));
  const int value_width = p.fontMetrics().horizontalAdvance(value);
  p.setPen(colour);
  p.drawText(QRect(width() - value_width - 12, 1, value_width + 2, 18), Qt::AlignVCenter | Qt::AlignLeft, value);
  p.setFont(render::text_font(12));
  p.setPen(theme().ink);
  const QRect words(38, 1, width() - value_width - 12 - 38 - 8, 18);
  p.drawText(words, Qt::AlignVCenter | Qt::AlignLeft,
             p.fontMetrics().elidedText(QString::fromStdString(line_.text()), Qt::ElideRight, words.width()));

  // The margin bar: what is allowed is plain, what is forbidden hatched, the value a diamond with its whisker.
  const QRectF bar(38, 23, width() - 38 - 12, 8);
  p.fillRect(bar, theme().silt);
  if (!j.lower && !j.upper) return;
  double low = j.lower.value_or(*(j.upper ? j.upper : j.lower)), high = j.upper.value_or(low);
  double span = high - low;
  if (!j.lower || !j.upper) span = std::max(std::abs(low) * 0.5, j.value ? 2 * std::abs(*j.value - low) : 0.0);
  if (!(span > 0)) span = 1;
  double from = j.lower ? low - 0.4 * span : high - span, to = j.upper ? high + 0.4 * span : low + span;
  if (j.value) {
    // A value far outside would hang off the bar; it stops at the end instead, and the number tells the rest.
    from = std::max(std::min(from, *j.value - 0.1 * span), from - span);
    to = std::min(std::max(to, *j.value + 0.1 * span), to + span);
  }
  const auto x = [&](double v) { return bar.left() + std::clamp((v - from) / (to - from), 0.0, 1.0) * bar.width(); };
  const auto hatch = [&](double a, double b) {
    p.save();
    p.setClipRect(QRectF(a, bar.top(), b - a, bar.height()));
    p.setPen(QPen(QColor(theme().slate.red(), theme().slate.green(), theme().slate.blue(), 120), 1));
    for (double at = a - bar.height(); at < b; at += 4)
      p.drawLine(QPointF(at, bar.bottom()), QPointF(at + bar.height(), bar.top()));
    p.restore();
  };
  if (j.lower) hatch(bar.left(), x(low));
  if (j.upper) hatch(x(high), bar.right());
  p.setPen(QPen(theme().ink, 1.4));
  if (j.lower) p.drawLine(QPointF(x(low), bar.top() - 2), QPointF(x(low), bar.bottom() + 2));
  if (j.upper) p.drawLine(QPointF(x(high), bar.top() - 2), QPointF(x(high), bar.bottom() + 2));
  if (!j.value) return;
  const QPointF at(x(*j.value), bar.center().y());
  if (j.u) {
    p.setPen(QPen(colour, 1.4));
    p.drawLine(QPointF(x(*j.value - 2 * *j.u), at.y()), QPointF(x(*j.value + 2 * *j.u), at.y()));
  }
  p.setPen(Qt::NoPen);
  p.setBrush(colour);
  p.drawPolygon(QPolygonF({at + QPointF(0, -5.5), at + QPointF(5.5, 0), at + QPointF(0, 5.5), at + QPointF(-5.5, 0)}));
}

LedgerView::LedgerView(Desk* desk, QWidget* parent) : QScrollArea(parent), desk_(desk) {
  setWidgetResizable(true);
  setFrameShape(QFrame::NoFrame);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setAccessibleName("Ledger");
  setObjectName("ledger");
  setFocusPolicy(Qt::NoFocus);
  const auto again = [this] { rebuild(); };
  connect(&desk_->document, &Document::opened, this, again);
  connect(&desk_->focus, &Focus::shown_changed, this, again);
  connect(&desk_->readings, &Readings::take_read, this, again);
  connect(&desk_->focus, &Focus::device_changed, this, again);
  connect(&desk_->runner, &Runner::running_changed, this, again);
  connect(&desk_->readings, &Readings::live_changed, this, again);
}

void LedgerView::rebuild() {
  auto* page = new QWidget;
  page->setObjectName("ledger-page");
  auto* column = new QVBoxLayout(page);
  // The page is as wide as the view, whatever the length of a text.
  page->setMinimumWidth(0);
  column->setContentsMargins(0, 10, 0, 10);
  column->setSpacing(0);
  int counts[4] = {};
  struct Group {
    const dossier::Study* study;
    std::vector<run::LedgerLine> lines;
    QString take;
  };
  std::vector<Group> groups;
  for (const auto& study : desk_->document.studies()) {
    Group group{&study, {}, desk_->readings.has_judged(study.id) ? "reading\u2026" : "not taken"};
    if (const auto view = desk_->readings.judged(study.id); view && !view->lines.empty()) {
      group.lines = view->lines;
      group.take = QString("take %1").arg(view->take.number);
    }
    if (desk_->runner.taking() && desk_->runner.study() == group.study->id) group.take = "being read";
    for (const auto& line : group.lines) ++counts[int(line.judgement.verdict)];
    groups.push_back(std::move(group));
  }
  QStringList sums;
  for (const auto verdict : {Verdict::meets, Verdict::fails, Verdict::too_close, Verdict::not_measured}) {
    const int n = counts[int(verdict)];
    if (n == 0) continue;
    const QString word = verdict == Verdict::meets && n != 1 ? "meet"
                         : verdict == Verdict::fails && n != 1
                             ? "fail"
                             : QString::fromUtf8(judge::verdict_words(verdict).data());
    sums << QString("%1 %2").arg(n).arg(word);
  }
  auto* head = new QLabel(QString("<span style='font-weight:600'>Ledger</span> &nbsp; %1")
                              .arg(sums.isEmpty() ? "no verdicts yet" : sums.join(" \u00b7 ")),
                          page);
  head->setFont(render::text_font(12));
  head->setStyleSheet(QString("color: %1; padding-left: 12px").arg(theme().slate.name()));
  head->setObjectName("ledger-sum");
  head->setWordWrap(true);
  column->addWidget(head);
  for (const auto& group : groups) {
    const bool current = desk_->focus.study_id() == group.study->id;
    auto* title = new QPushButton(page);
    title->setObjectName(current ? "study-current" : "study");
    title->setFlat(true);
    title->setFocusPolicy(Qt::TabFocus);
    title->setAccessibleName("Study: " + QString::fromStdString(group.study->name));
    auto* row = new QHBoxLayout(title);
    row->setContentsMargins(12, 0, 12, 0);
    auto* name = new QLabel(QString::fromStdString(group.study->name), title);
    name->setFont(render::text_font(13, QFont::DemiBold));
    name->setMinimumWidth(0);
    name->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    auto* state = new QLabel(group.take, title);
    state->setFont(render::text_font(11));
    state->setStyleSheet(QString("color: %1").arg(theme().slate.name()));
    for (auto* l : {name, state}) l->setAttribute(Qt::WA_TransparentForMouseEvents);
    row->addWidget(name, 1);
    row->addWidget(state);
    title->setFixedHeight(30);
    connect(title, &QPushButton::clicked, this, [this, id = group.study->id] { desk_->focus.select_study(id); });
    column->addSpacing(8);
    column->addWidget(title);
    column->addSpacing(4);
    for (const auto& line : group.lines) column->addWidget(new LedgerRow(line, page));
    if (current) {
      auto* write = new QPushButton("Write a claim\u2026", page);
      write->setObjectName("fold");
      write->setFlat(true);
      write->setAccessibleName("Write a claim");
      write->setToolTip(
          "A limit on a figure or on the curve, as a line:\nHigh corner at least 18 kHz; gain at most 27 dB from 100 "
          "Hz to 10 kHz");
      write->setStyleSheet("text-align: left; padding-left: 36px;");
      connect(write, &QPushButton::clicked, this, &LedgerView::claim_asked);
      column->addWidget(write);
    }
  }
  column->addStretch(1);
  setWidget(page);
}

}  // namespace heron::app
