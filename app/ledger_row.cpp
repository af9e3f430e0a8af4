#include "ledger_row.h"

#include <QKeyEvent>
#include <QPainter>

#include "app/text.h"
#include "base/quantity.h"
#include "margin.h"
#include "render/theme.h"

namespace heron::app {

using judge::Verdict;
using render::theme;

LedgerRow::LedgerRow(run::LedgerLine line, QWidget* parent) : QWidget(parent) {
  setFixedHeight(38);
  set_line(std::move(line));
}

void LedgerRow::set_line(run::LedgerLine line) {
  line_ = std::move(line);
  const auto& j = line_.judgement;
  QString said =
      QString::fromStdString(line_.text()) + ": " + QString::fromUtf8(judge::verdict_words(j.verdict).data());
  said += judgement_words(j);
  if (line_.typed) said += "\ntyped in, read " + QString::fromStdString(line_.typed->source);
  setToolTip(said);
  setAccessibleName("Claim: " + said.section('\n', 0, 0));
  setAccessibleDescription(said);
  update();
}

void LedgerRow::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const auto& j = line_.judgement;
  render::draw_verdict(p, QRectF(16, 4, 13, 13), j.verdict);
  const QColor colour = render::verdict_colour(j.verdict);
  QString value = "\u2013";
  if (j.value) value = QString::fromStdString(format_with_uncertainty(*j.value, j.u, j.unit).plain());
  if (line_.typed) value = "typed " + value;
  p.setFont(render::number_font(11));
  const int value_width = p.fontMetrics().horizontalAdvance(value);
  p.setPen(colour);
  p.drawText(QRect(width() - value_width - 12, 1, value_width + 2, 18), Qt::AlignVCenter | Qt::AlignLeft, value);
  p.setFont(render::text_font(12));
  p.setPen(theme().ink);
  const QRect words(38, 1, width() - value_width - 12 - 38 - 8, 18);
  p.drawText(words, Qt::AlignVCenter | Qt::AlignLeft,
             p.fontMetrics().elidedText(QString::fromStdString(line_.text()), Qt::ElideRight, words.width()));

  draw_margin(p, QRectF(38, 23, width() - 38 - 12, 8), j);
}

StudyLine::StudyLine(long long study, QWidget* parent) : QAbstractButton(parent), study_(study) {
  setFixedHeight(28);
  setFocusPolicy(Qt::TabFocus);
  setCursor(Qt::PointingHandCursor);
}

void StudyLine::show_study(const QString& name, const QString& state, const std::vector<Verdict>& verdicts, bool open) {
  if (name == text() && state == state_ && verdicts == verdicts_ && open == open_) return;
  setText(name);
  state_ = state;
  verdicts_ = verdicts;
  open_ = open;
  setAccessibleName("Study: " + name);
  QStringList said;
  for (const auto v : verdicts) said << app::text(judge::verdict_words(v));
  setAccessibleDescription(said.isEmpty() ? state : said.join(", "));
  setToolTip(name + ", " + state + (said.isEmpty() ? QString() : "\n" + said.join(", ")));
  update();
}

void StudyLine::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Up || event->key() == Qt::Key_Down)
    emit walked(event->key() == Qt::Key_Up ? -1 : 1);
  else
    QAbstractButton::keyPressEvent(event);
}

void StudyLine::paintEvent(QPaintEvent*) {
  constexpr int kMost = 7, kEach = 15;  // marks, and the pixels of one
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  if (open_ || hasFocus() || underMouse()) p.fillRect(rect(), open_ ? theme().sheet : theme().silt);
  if (open_) p.fillRect(QRect(0, 0, 4, height()), theme().heron);
  int right = width() - 12;
  // The open one has its claims below; what is said beside it is the take. A folded one has a mark for each claim.
  if (open_ || verdicts_.empty()) {
    p.setFont(render::text_font(11));
    p.setPen(theme().slate);
    const int wide = p.fontMetrics().horizontalAdvance(state_);
    p.drawText(QRect(right - wide, 0, wide + 2, height()), Qt::AlignVCenter | Qt::AlignLeft, state_);
    right -= wide + 8;
  } else {
    const int marks = std::min(kMost, int(verdicts_.size()));
    if (int(verdicts_.size()) > kMost) {
      const QString more = QString("+%1").arg(verdicts_.size() - kMost);
      p.setFont(render::text_font(10));
      p.setPen(theme().slate);
      const int wide = p.fontMetrics().horizontalAdvance(more);
      p.drawText(QRect(right - wide, 0, wide + 2, height()), Qt::AlignVCenter | Qt::AlignLeft, more);
      right -= wide + 4;
    }
    right -= marks * kEach;
    for (int k = 0; k < marks; ++k)
      render::draw_verdict(p, QRectF(right + k * kEach + 3, (height() - 11) / 2.0, 11, 11), verdicts_[std::size_t(k)]);
    right -= 6;
  }
  p.setFont(render::text_font(open_ ? 13 : 12, open_ ? QFont::DemiBold : QFont::Normal));
  p.setPen(theme().ink);
  const QRect words(16, 0, right - 16, height());
  p.drawText(words, Qt::AlignVCenter | Qt::AlignLeft, p.fontMetrics().elidedText(text(), Qt::ElideRight, words.width()));
}

}  // namespace heron::app
