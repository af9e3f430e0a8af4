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
    if (d.severity != study::Severity::note) add_line("Before the next take:", d);
}

void DoubtBand::add_line(const QString& lead, const study::Doubt& doubt) {
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
  if (const auto edit = study::response::remedy_edit(session_->plan(), doubt.key)) {
    auto* link = new QPushButton(remedy, band);
    link->setFlat(true);
    link->setObjectName("remedy");
    link->setCursor(Qt::PointingHandCursor);
    link->setStyleSheet(
        QString("#remedy { color: %1; border: none; text-decoration: underline; font-weight: 600; padding: 0 2px; }")
            .arg(theme().bill_text.name()));
    link->setAccessibleName("Remedy: " + remedy);
    link->setToolTip(
        QString("Sets %1 to %2").arg(QString::fromStdString(edit->first), QString::fromStdString(edit->second)));
    connect(link, &QPushButton::clicked, this, [this, edit = *edit] {
      if (const QString trouble = session_->edit_brief(edit.first, QString::fromStdString(edit.second));
          !trouble.isEmpty())
        emit session_->said(trouble, true);
    });
    row->addWidget(link);
  } else if (!remedy.isEmpty()) {
    auto* text = new QLabel(remedy, band);
    text->setFont(render::text_font(12));
    text->setStyleSheet(QString("color: %1").arg(theme().bill_text.name()));
    row->addWidget(text);
  }
  layout()->addWidget(band);
}

}  // namespace heron::app
