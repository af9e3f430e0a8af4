#include "ledger_view.h"

#include <QSettings>
#include <algorithm>

#include "app/text.h"
#include "render/theme.h"

namespace heron::app {

using judge::Verdict;
using render::theme;

namespace {

/// A failure is worse than what is too close, that than what nobody has measured.
int badness(Verdict verdict) {
  switch (verdict) {
    case Verdict::fails:
      return 3;
    case Verdict::too_close:
      return 2;
    case Verdict::not_measured:
      return 1;
    case Verdict::meets:
      break;
  }
  return 0;
}

constexpr int kBad = 2;  ///< from too close on

QString summed(const std::vector<int>& counts) {
  QStringList sums;
  for (const auto verdict : {Verdict::meets, Verdict::fails, Verdict::too_close, Verdict::not_measured}) {
    const int n = counts[std::size_t(verdict)];
    if (n == 0) continue;
    const QString word = verdict == Verdict::meets && n != 1   ? "meet"
                         : verdict == Verdict::fails && n != 1 ? "fail"
                                                               : text(judge::verdict_words(verdict));
    sums << QString("%1 %2").arg(n).arg(word);
  }
  return sums.isEmpty() ? "no verdicts yet" : sums.join(" \u00b7 ");
}

std::vector<Verdict> verdicts_of(const TakeViewPtr& view) {
  std::vector<Verdict> out;
  if (view)
    for (const auto& line : view->lines) out.push_back(line.judgement.verdict);
  return out;
}

}  // namespace

LedgerView::LedgerView(Desk* desk, QWidget* parent) : QScrollArea(parent), desk_(desk) {
  setWidgetResizable(true);
  setFrameShape(QFrame::NoFrame);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setAccessibleName("Ledger");
  setObjectName("ledger");
  setFocusPolicy(Qt::NoFocus);
  page_ = new QWidget;
  page_->setObjectName("ledger-page");
  // The page is as wide as the view, whatever the length of a text.
  page_->setMinimumWidth(1);
  column_ = new QVBoxLayout(page_);
  column_->setContentsMargins(0, 10, 0, 10);
  column_->setSpacing(0);
  sum_ = new QLabel(page_);
  sum_->setFont(render::text_font(11, QFont::Medium));
  sum_->setStyleSheet(QString("color: %1; padding-left: 12px").arg(theme().slate.name()));
  sum_->setObjectName("ledger-sum");
  sum_->setWordWrap(true);
  column_->addWidget(sum_);
  auto* words = new QHBoxLayout;
  words->setContentsMargins(12, 2, 12, 0);
  words->setSpacing(8);
  const auto toggle = [&](const QString& name, const QString& tip, const char* key) {
    auto* button = new QPushButton(name, page_);
    button->setObjectName("fold");
    button->setFlat(true);
    button->setCheckable(true);
    button->setChecked(QSettings().value(QString("ledger/") + key).toBool());
    button->setFont(render::text_font(11));
    button->setAccessibleName("Ledger: " + name);
    button->setToolTip(tip);
    button->setFocusPolicy(Qt::TabFocus);
    connect(button, &QPushButton::toggled, this, [this, key](bool on) {
      QSettings().setValue(QString("ledger/") + key, on);
      refresh();
    });
    words->addWidget(button);
    return button;
  };
  worst_ = toggle("worst first", "Studies that fail stand on top", "worst");
  bad_ = toggle("only failed or too close", "Studies whose claims are all met are left out", "bad");
  words->addStretch(1);
  column_->addLayout(words);
  column_->addStretch(1);
  setWidget(page_);
  connect(&desk_->document, &Document::opened, this, &LedgerView::refresh);
  connect(&desk_->document, &Document::studies_changed, this, &LedgerView::refresh);
  connect(&desk_->focus, &Focus::study_changed, this, [this] {
    refresh();
    QMetaObject::invokeMethod(this, &LedgerView::reveal, Qt::QueuedConnection);
  });
  connect(&desk_->focus, &Focus::shown_changed, this, &LedgerView::refresh);
  connect(&desk_->readings, &Readings::take_read, this, &LedgerView::refresh);
  connect(&desk_->readings, &Readings::kept_read, this, &LedgerView::refresh);
  connect(&desk_->runner, &Runner::running_changed, this, &LedgerView::refresh);
  connect(&desk_->readings, &Readings::live_changed, this, &LedgerView::refresh);
}

std::vector<LedgerView::Entry> LedgerView::entries() {
  std::vector<Entry> out;
  for (const auto& study : desk_->document.studies()) {
    Entry one{.study = &study, .view = desk_->readings.judged(study.id)};
    one.open = desk_->focus.study_id() == study.id;
    // What is not known yet says so; it never shows as not taken.
    one.state = one.view                                      ? QString("take %1").arg(one.view->take.number)
                : desk_->readings.has_judged(study.id) ? QString("reading\u2026")
                                                              : QString("not taken");
    if (desk_->runner.taking() && desk_->runner.study() == study.id) one.state = "being read";
    for (const auto verdict : verdicts_of(one.view)) one.worst = std::max(one.worst, badness(verdict));
    out.push_back(std::move(one));
  }
  // What is asked of one assembly stands together, whichever kind it is of.
  std::stable_sort(out.begin(), out.end(), [](const Entry& a, const Entry& b) { return a.study->assembly < b.study->assembly; });
  return out;
}

void LedgerView::refresh() {
  auto all = entries();
  std::vector<int> counts(4);
  for (const auto& one : all)
    for (const auto verdict : verdicts_of(one.view)) ++counts[std::size_t(verdict)];
  const QString said = summed(counts);
  if (sum_->text() != said) sum_->setText(said);
  // The study in view stays, whatever is left out: it is what is looked at.
  if (bad_->isChecked()) std::erase_if(all, [](const Entry& e) { return !e.open && e.worst < kBad; });
  if (worst_->isChecked())
    std::stable_sort(all.begin(), all.end(), [](const Entry& a, const Entry& b) { return a.worst > b.worst; });
  std::vector<long long> shape = {worst_->isChecked()};
  for (const auto& one : all) {
    shape.push_back(one.study->id);
    if (one.open) shape.push_back(-1 - (one.view ? long(one.view->lines.size()) : 0));
  }
  if (shape != shape_) {
    shape_ = shape;
    rebuild(all);
  }
  for (std::size_t k = 0; k < all.size(); ++k)
    lines_[qsizetype(k)]->show_study(text(all[k].study->name), all[k].state, verdicts_of(all[k].view), all[k].open);
  for (const auto& one : all)
    for (qsizetype k = 0; one.open && k < rows_.size(); ++k) rows_[k]->set_line(one.view->lines[std::size_t(k)]);
}

/// Only where studies or claims have come or gone; else the widgets that are there show what is new.
void LedgerView::rebuild(const std::vector<Entry>& all) {
  const auto* focused = qobject_cast<StudyLine*>(window()->focusWidget());
  const long long focused_study = focused ? focused->study() : 0;
  constexpr int kHead = 2;  // the sum, and the words below it
  while (column_->count() > kHead) {
    auto* item = column_->takeAt(kHead);
    if (item->widget()) {
      item->widget()->hide();
      item->widget()->deleteLater();
    }
    delete item;
  }
  lines_.clear();
  rows_.clear();
  long long section = 0;
  for (const auto& one : all) {
    // Sections by assembly; by badness they would stand apart.
    if (!worst_->isChecked() && one.study->assembly != section) {
      section = one.study->assembly;
      auto* title = new QLabel(text(desk_->document.device(section)->info.about), page_);
      title->setFont(render::text_font(11));
      title->setStyleSheet(QString("color: %1; padding: 8px 12px 2px 12px").arg(theme().slate.name()));
      title->setToolTip(title->text());
      title->setVisible(!title->text().isEmpty());
      column_->addWidget(title);
    }
    auto* line = new StudyLine(one.study->id, page_);
    connect(line, &StudyLine::clicked, this, [this, id = one.study->id] {
      desk_->focus.select_study(id);
      emit study_asked();
    });
    connect(line, &StudyLine::walked, this, &LedgerView::walk);
    column_->addWidget(line);
    lines_ << line;
    line->show();
    if (one.study->id == focused_study) line->setFocus();
    if (!one.open) continue;
    column_->addSpacing(4);
    if (one.view)
      for (const auto& claim : one.view->lines) {
        rows_ << new LedgerRow(claim, page_);
        column_->addWidget(rows_.last());
        rows_.last()->show();
      }
    write_ = new QPushButton("Write a claim\u2026", page_);
    write_->setObjectName("fold");
    write_->setFlat(true);
    write_->setAccessibleName("Write a claim");
    write_->setToolTip(
        "A limit on a figure or on the curve, as a line:\nHigh corner at least 18 kHz; gain at most 27 dB from 100 "
        "Hz to 10 kHz");
    write_->setStyleSheet("text-align: left; padding-left: 36px;");
    connect(write_, &QPushButton::clicked, this, &LedgerView::claim_asked);
    column_->addWidget(write_);
    write_->show();
    column_->addSpacing(6);
  }
  column_->addStretch(1);
}

/// To the next study, which is then looked at.
void LedgerView::walk(int by) {
  for (qsizetype k = 0; k < lines_.size(); ++k) {
    if (lines_[k]->study() != desk_->focus.study_id()) continue;
    const auto to = std::clamp<qsizetype>(k + by, 0, lines_.size() - 1);
    const auto study = lines_[to]->study();
    desk_->focus.select_study(study);
    for (auto* line : lines_)
      if (line->study() == study) line->setFocus();
    return;
  }
}

void LedgerView::reveal() {
  for (auto* line : lines_)
    if (line->study() == desk_->focus.study_id()) {
      // Its claims as well, as far as they go.
      if (!rows_.isEmpty()) ensureWidgetVisible(rows_.last(), 0, 8);
      ensureWidgetVisible(line, 0, 8);
    }
}

}  // namespace heron::app
