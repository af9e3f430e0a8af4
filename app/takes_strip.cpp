#include "takes_strip.h"

#include <QKeyEvent>
#include <QLineEdit>
#include <QPainter>

#include "base/quantity.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;

TakesModel::TakesModel(Desk* desk, QObject* parent) : QAbstractListModel(parent), desk_(desk) {
  connect(&desk_->focus, &Focus::takes_changed, this, [this] {
    std::vector<long long> now;
    for (const auto& t : desk_->focus.takes()) now.push_back(t.id);
    if (now == ids_) {
      if (!ids_.empty()) emit dataChanged(index(0), index(rowCount() - 1));
      return;
    }
    beginResetModel();
    ids_ = now;
    endResetModel();
  });
  connect(&desk_->readings, &Readings::take_read, this, [this](long long take) {
    const auto it = std::find(ids_.begin(), ids_.end(), take);
    if (it != ids_.end()) emit dataChanged(index(int(it - ids_.begin())), index(int(it - ids_.begin())));
  });
  connect(&desk_->readings, &Readings::kept_read, this, [this] {
    if (!ids_.empty()) emit dataChanged(index(0), index(rowCount() - 1));
  });
  connect(&desk_->readings, &Readings::live_changed, this, [this] {
    if (!ids_.empty()) emit dataChanged(index(rowCount() - 1), index(rowCount() - 1));
  });
}

int TakesModel::rowCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : int(ids_.size()); }

QVariant TakesModel::data(const QModelIndex& at, int role) const {
  if (!at.isValid() || at.row() >= int(desk_->focus.takes().size())) return {};
  const auto& t = take(at.row());
  const QString unit = QString::fromStdString(t.origin.find('.') != std::string::npos ? t.origin : t.unit),
                note = QString::fromStdString(t.note);
  const QString state = t.state == dossier::TakeState::running ? "running"
                        : t.incomplete() ? "incomplete, " + QString::fromStdString(t.came())
                        : t.aside ? "laid aside, not judged"
                                         : "";
  if (role == Qt::AccessibleTextRole || role == Qt::DisplayRole)
    return QStringList({QString("Take %1").arg(t.number), unit, note, state}).join(", ").remove(", ,");
  if (role == Qt::ToolTipRole) {
    QStringList lines = {QString("Take %1, %2").arg(t.number).arg(unit),
                         QString::fromStdString(t.started) + ", " + QString::fromStdString(t.origin)};
    if (!note.isEmpty()) lines << note;
    if (!state.isEmpty()) lines << state;
    lines << "Click shows, Ctrl+click lays over, W pins the wake, N notes";
    return lines.join("\n");
  }
  return {};
}

namespace {

/// The shape of a take in few points; a wake behind its line where it is one.
void paint_small(QPainter* p, const study::Columns& small, const QRectF& area, const QPen& pen, bool wake) {
  const auto along = [&](double x) { return small.logarithmic ? std::log10(std::max(x, 1e-300)) : x; };
  QRectF frame;
  for (const auto& column : small.columns)
    for (std::size_t k = 0; k < column.y.size(); ++k) {
      const QRectF here(along(small.x_of(column)[k]), column.y[k], 1e-30, 1e-30);
      frame = frame.isNull() ? here : frame.united(here);
    }
  // A decibel of ripple is no shape worth filling a card with.
  if (small.logarithmic) frame.setHeight(std::max(1.0, frame.height()));
  p->setBrush(Qt::NoBrush);
  for (const auto& column : small.columns) {
    QPolygonF line;
    for (std::size_t k = 0; k < column.y.size(); ++k)
      line << QPointF(
          area.left() + (along(small.x_of(column)[k]) - frame.left()) / std::max(frame.width(), 1e-30) * area.width(),
          area.bottom() - (column.y[k] - frame.top()) / std::max(frame.height(), 1e-30) * area.height());
    if (wake) {
      p->setPen(QPen(theme().wake, 6));
      p->drawPolyline(line);
    }
    p->setPen(pen);
    p->drawPolyline(line);
  }
}

/// What a card says of a take below its name.
QString words_of(const dossier::Take& take) {
  QString words = QString::fromStdString(take.note.empty() ? (take.unit == "imported" ? take.origin : take.unit)
                                                           : take.unit + ", " + take.note);
  if (take.unit == "imported" && !take.note.empty()) words = QString::fromStdString(take.origin);
  if (take.state == dossier::TakeState::running)
    words = "being read\u2026";
  else if (take.incomplete())
    words = "incomplete, " + QString::fromStdString(take.came());
  return words;
}

}  // namespace

QSize TakeDelegate::sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const {
  constexpr int kLeast = 226, kMost = 340, kBeside = 118;  // pixels; beside the words stand the picture and the margins
  const auto& take = static_cast<const TakesModel*>(index.model())->take(index.row());
  constexpr int kRemembered = 4096;
  const QString words = words_of(take);
  if (widths_.size() > kRemembered) widths_.clear();
  auto width = widths_.find(words);
  if (width == widths_.end())
    width = widths_.insert(words, QFontMetrics(render::text_font(11)).horizontalAdvance(words));
  return {std::clamp(*width + kBeside, kLeast, kMost), 64};
}

QRect TakeDelegate::pin_area(const QRect& card) { return {card.right() - 30, card.top() + 4, 24, 22}; }

void TakeDelegate::paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const {
  const auto& take = static_cast<const TakesModel*>(index.model())->take(index.row());
  const bool shown = desk_->focus.shown() == take.id || desk_->focus.overlaid().contains(take.id);
  const bool wake = desk_->focus.wake() == take.id;
  const QColor colour = render::take_colour(take.number);
  const QRect card = option.rect.adjusted(0, 2, -8, -2);
  p->save();
  p->setRenderHint(QPainter::Antialiasing);
  p->setPen(QPen(shown ? colour : theme().line, shown ? 1.6 : 1, take.aside ? Qt::DashLine : Qt::SolidLine));
  p->setBrush(shown ? theme().sheet : theme().mist);
  p->drawRoundedRect(QRectF(card).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
  p->setFont(render::text_font(12, QFont::DemiBold));
  p->setPen(shown ? colour : theme().ink);
  QString title = QString("Take %1").arg(take.number);
  if (wake) title += " \u00b7 wake";
  if (take.aside) title += " \u00b7 aside";
  p->drawText(card.adjusted(10, 6, -34, 0), Qt::AlignLeft | Qt::AlignTop, title);

  // The pin: a dot on a stem, filled for the wake.
  const QRectF pin = QRectF(pin_area(card)).adjusted(5, 3, -5, -3);
  p->setPen(QPen(wake ? theme().heron : theme().slate, 1.3));
  p->setBrush(wake ? theme().heron : QColor(Qt::transparent));
  p->drawEllipse(QPointF(pin.center().x(), pin.top() + 5), 4, 4);
  p->drawLine(QPointF(pin.center().x(), pin.top() + 9), QPointF(pin.center().x(), pin.bottom()));

  const auto local = QDateTime::fromString(QString::fromStdString(take.started), Qt::ISODate).toLocalTime();
  p->setFont(render::number_font(10));
  p->setPen(theme().slate);
  p->drawText(card.adjusted(0, 7, -36, 0), Qt::AlignRight | Qt::AlignTop, local.toString("hh:mm"));

  const QString words = words_of(take);
  p->setFont(render::text_font(11));
  p->setPen(take.incomplete() && take.state != dossier::TakeState::running ? theme().bill_text : theme().slate);
  const QRect text_area = card.adjusted(10, 28, -92, -4);
  p->drawText(text_area, Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap,
              p->fontMetrics().elidedText(words, Qt::ElideRight, int(text_area.width() * 1.7)));

  const auto view = desk_->readings.card(take.id);
  if (view && !view->small.columns.empty())
    paint_small(p, view->small, QRectF(card.right() - 84, card.top() + 30, 74, 22),
                QPen(colour, 1.4, render::take_dashed(take.number) ? Qt::DashLine : Qt::SolidLine), wake);
  if (option.state & QStyle::State_HasFocus && !shown) {
    p->setPen(QPen(theme().heron, 1, Qt::DotLine));
    p->setBrush(Qt::NoBrush);
    p->drawRoundedRect(QRectF(card).adjusted(2, 2, -2, -2), 3, 3);
  }
  p->restore();
}

TakesStrip::TakesStrip(Desk* desk, QWidget* parent)
    : QListView(parent), desk_(desk), model_(new TakesModel(desk_, this)) {
  setObjectName("takes");
  setAccessibleName("Takes");
  setFlow(QListView::LeftToRight);
  setWrapping(false);
  setSelectionMode(QAbstractItemView::ExtendedSelection);
  setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
  setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setFrameShape(QFrame::NoFrame);
  setModel(model_);
  setItemDelegate(new TakeDelegate(desk_, this));
  setMouseTracking(true);
  connect(&desk_->focus, &Focus::shown_changed, this, &TakesStrip::follow_focus);
  connect(&desk_->focus, &Focus::takes_changed, this, &TakesStrip::follow_focus);
  connect(selectionModel(), &QItemSelectionModel::selectionChanged, this, [this] {
    if (following_) return;
    QList<long long> ids;
    for (const auto& index : selectionModel()->selectedIndexes())
      if (index != currentIndex()) ids << model_->take(index.row()).id;
    if (currentIndex().isValid() && selectionModel()->isSelected(currentIndex()))
      ids << model_->take(currentIndex().row()).id;
    desk_->focus.overlay(ids);
  });
}

void TakesStrip::follow_focus() {
  following_ = true;
  QItemSelection wanted;
  for (int row = 0; row < model_->rowCount(); ++row) {
    const auto id = model_->take(row).id;
    if (desk_->focus.overlaid().contains(id) || desk_->focus.shown() == id)
      wanted.select(model_->index(row), model_->index(row));
    if (desk_->focus.shown() == id && currentIndex().row() != row) {
      selectionModel()->setCurrentIndex(model_->index(row), QItemSelectionModel::NoUpdate);
      scrollTo(model_->index(row));
    }
  }
  selectionModel()->select(wanted, QItemSelectionModel::ClearAndSelect);
  following_ = false;
  viewport()->update();
}

void TakesStrip::mousePressEvent(QMouseEvent* event) {
  const auto index = indexAt(event->pos());
  if (index.isValid() && TakeDelegate::pin_area(visualRect(index).adjusted(0, 2, -8, -2)).contains(event->pos())) {
    const auto id = model_->take(index.row()).id;
    desk_->document.set_wake(desk_->focus.study_id(), desk_->focus.wake() == id ? std::nullopt : std::optional(id));
    return;
  }
  QListView::mousePressEvent(event);
}

void TakesStrip::mouseDoubleClickEvent(QMouseEvent* event) {
  if (indexAt(event->pos()).isValid()) edit_note();
}

void TakesStrip::keyPressEvent(QKeyEvent* event) {
  // Not Enter: the note's own Enter comes by here after it is done.
  if (event->key() == Qt::Key_F2)
    edit_note();
  else
    QListView::keyPressEvent(event);
}

void TakesStrip::edit_note() {
  const auto shown = desk_->focus.shown();
  if (!shown) return;
  for (int row = 0; row < model_->rowCount(); ++row) {
    if (model_->take(row).id != *shown) continue;
    scrollTo(model_->index(row));
    auto* field = new QLineEdit(QString::fromStdString(model_->take(row).note), viewport());
    field->setObjectName("note");
    field->setAccessibleName("Note");
    field->setPlaceholderText("A note on this take");
    field->setFont(render::text_font(12));
    const QRect card = visualRect(model_->index(row));
    field->setGeometry(card.adjusted(6, 26, -14, -8));
    field->selectAll();
    field->show();
    field->setFocus();
    connect(field, &QLineEdit::editingFinished, this, [this, field, id = *shown] {
      if (!field->isVisible()) return;
      setFocus();
      field->hide();
      desk_->document.set_note(desk_->focus.study_id(), id, field->text());
      field->deleteLater();
    });
    return;
  }
}

}  // namespace heron::app
