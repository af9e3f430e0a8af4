#include "doubt_band.h"

#include <QFrame>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "render/theme.h"
#include "study/response/cursors.h"

namespace heron::app {

using render::theme;

DoubtBand::DoubtBand(Session* session, QWidget* parent) : QWidget(parent), session_(session) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  setAccessibleName("Doubts");
  setObjectName("doubts");
  connect(session_, &Session::shown_changed, this, &DoubtBand::rebuild);
  connect(session_, &Session::plan_changed, this, &DoubtBand::rebuild);
  connect(session_, &Session::take_read, this, &DoubtBand::rebuild);
  connect(session_, &Session::device_changed, this, &DoubtBand::rebuild);
  connect(session_, &Session::levels_changed, this, &DoubtBand::rebuild);
}

void DoubtBand::rebuild() {
  while (auto* item = layout()->takeAt(0)) {
    item->widget()->hide();
    item->widget()->deleteLater();
    delete item;
  }
  if (!session_->study()) return;
  if (const auto shown = session_->shown())
    if (const auto view = session_->view(*shown)) {
      if (!view->trouble.isEmpty())
        add_line("Trouble:", {"", study::Severity::serious, view->trouble.toStdString(), ""});
      for (const auto& d : view->analysis.reading.doubts)
        if (d.severity != study::Severity::note) add_line("Doubt:", d);
    }
  for (const auto& d : session_->preflight())
    if (d.severity != study::Severity::note && !session_->accepted(d.key)) add_line("Before the next take:", d, true);
}

void DoubtBand::add_line(const QString& lead, const study::Doubt& doubt, bool before) {
  if (layout()->count() >= 3) return;
  auto* band = new QFrame(this);
  band->setObjectName("doubt");
  band->setStyleSheet(QString("#doubt { background: %1; border-left: 3px solid %2; }")
                          .arg(theme().bill_band.name(), theme().bill.name()));
  auto* row = new QHBoxLayout(band);
  row->setContentsMargins(8, 4, 10, 4);
  auto* what = new QLabel(QString("<span style='font-weight:600'>%1</span> %2")
                              .arg(lead, QString::fromStdString(doubt.text).toHtmlEscaped()),
                          band);
  what->setFont(render::text_font(12));
  what->setWordWrap(true);
  what->setAccessibleName(lead + " " + QString::fromStdString(doubt.text));
  row->addWidget(what, 1);
  const QString remedy = QString::fromStdString(doubt.remedy);
  study::Edits edits = doubt.edits;
  if (const auto edit = session_->iv_plan() ? std::nullopt : study::response::remedy_edit(session_->plan(), doubt.key);
      edits.empty() && edit)
    edits = {*edit};
  const auto link = [&](const QString& text, const QString& tip) {
    auto* button = new QPushButton(text, band);
    button->setFlat(true);
    button->setObjectName("remedy");
    button->setCursor(Qt::PointingHandCursor);
    button->setStyleSheet(QString("#remedy { color: %1; background: transparent; border: none; text-decoration: "
                                  "underline; font-weight: 600; padding: 0 2px; }")
                              .arg(theme().bill_text.name()));
    button->setToolTip(tip);
    row->addWidget(button);
    return button;
  };
  if (!before && doubt.key == "loop.open" && session_->iv_plan()) {
    auto* button = link("Sweep four times as slowly until it closes",
                        "Each pass is a take; a capacitance closes, memory and self-heating do not (Esc stops)");
    button->setAccessibleName("Remedy: slow down");
    connect(button, &QPushButton::clicked, this, [this] {
      if (const QString trouble = session_->slow_until_closed(); !trouble.isEmpty()) emit session_->said(trouble, true);
    });
  } else if (!before && doubt.key == "compliance.reached" && session_->iv_plan() && !session_->has_hookup()) {
    auto* button = link("Find the compliance, starting small",
                        "Doubles it from far below the brief's until the sweep is reached or a rating is near");
    button->setAccessibleName("Remedy: start small");
    connect(button, &QPushButton::clicked, this, [this] {
      if (const QString trouble = session_->start_small(); !trouble.isEmpty()) emit session_->said(trouble, true);
    });
  } else if (!edits.empty()) {
    QStringList sets;
    for (const auto& [key, text] : edits)
      sets << QString("%1 to %2").arg(QString::fromStdString(key).section('.', -1), QString::fromStdString(text));
    auto* button = link(remedy, "Sets " + sets.join(", "));
    button->setAccessibleName("Remedy: " + remedy);
    connect(button, &QPushButton::clicked, this, [this, edits] {
      if (const QString trouble = session_->edit_brief_words(edits); !trouble.isEmpty())
        emit session_->said(trouble, true);
    });
  } else if (remedy.contains("Hookup page")) {
    auto* button = link(remedy, "Goes to the Hookup page");
    button->setAccessibleName("Remedy: " + remedy);
    connect(button, &QPushButton::clicked, this, &DoubtBand::hookup_asked);
  } else if (!remedy.isEmpty()) {
    auto* text = new QLabel(remedy, band);
    text->setFont(render::text_font(12));
    text->setStyleSheet(QString("color: %1").arg(theme().bill_text.name()));
    row->addWidget(text);
  }
  if (before && doubt.severity == study::Severity::serious && doubt.key != "rating.near") {
    auto* button = link("Take anyway", "Goes ahead with this finding until the set-up changes");
    button->setAccessibleName("Accept: " + QString::fromStdString(doubt.key));
    connect(button, &QPushButton::clicked, this, [this, key = doubt.key] { session_->accept_finding(key); });
  }
  layout()->addWidget(band);
}

}  // namespace heron::app
