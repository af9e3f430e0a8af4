#include "compare_lens.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPushButton>
#include <QStyledItemDelegate>

#include "app/ink.h"
#include "app/text.h"
#include "base/quantity.h"
#include "render/theme.h"
#include "study/response/compare.h"
#include "app/lenses/table.h"
#include "response_view.h"

namespace heron::app {
namespace {

using Against = Look::Against;

constexpr std::pair<Against, const char*> kAgainst[] = {{Against::nothing, "laid over each other"},
                                                        {Against::ratio, "each over the wake"},
                                                        {Against::difference, "each minus the wake"},
                                                        {Against::spread, "mean and band"}};

/// The verdict's shape in a cell, and the line of the take in front of its name.
class CellPainter : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
    QStyledItemDelegate::paint(painter, option, index);
    painter->save();
    painter->setRenderHint(QPainter::Antialiasing);
    if (const auto verdict = index.data(Qt::UserRole + 1); verdict.isValid())
      render::draw_verdict(*painter, QRectF(option.rect.left() + 6, option.rect.center().y() - 6, 12, 12),
                           judge::Verdict(verdict.toInt()));
    if (const auto number = index.data(Qt::UserRole + 2); number.isValid()) {
      QPen pen(render::take_colour(number.toInt()), 2.4);
      if (render::take_dashed(number.toInt())) pen.setDashPattern({3, 1.5});
      painter->setPen(pen);
      const double y = option.rect.center().y() + 0.5;
      painter->drawLine(QPointF(option.rect.left() + 4, y), QPointF(option.rect.left() + 24, y));
    }
    painter->restore();
  }
};

}  // namespace

CompareLens::CompareLens(Desk* desk, QWidget* parent)
    : Lens(desk, parent), bode_(new BodeLens(desk, this, Over::comparison)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  auto* words = new QHBoxLayout;
  words->setSpacing(8);
  const auto label = [&](const QString& said) {
    auto* l = new QLabel(said, this);
    l->setFont(render::text_font(12));
    words->addWidget(l);
  };
  const auto offer = [&](const QString& name, const QString& tip, auto done) {
    auto* button = new QPushButton(name, this);
    button->setObjectName("fold");
    button->setFlat(true);
    button->setFont(render::text_font(12));
    button->setAccessibleName("Compare: " + name);
    button->setToolTip(tip);
    connect(button, &QPushButton::clicked, this, done);
    words->addWidget(button);
  };
  label("Show");
  offer("the newest of every unit", "Lays the newest finished take of each unit over each other", [this] {
    QList<long long> ids;
    QStringList units;
    for (auto it = desk_->focus.takes().rbegin(); it != desk_->focus.takes().rend(); ++it) {
      const QString unit = text(it->unit);
      if (!it->purpose.empty() || it->points == 0 || (units.contains(unit) && unit != "imported")) continue;
      units << unit;
      ids.prepend(it->id);
    }
    desk_->focus.overlay(ids);
  });
  offer("all takes", "Lays every take of the device over each other", [this] {
    QList<long long> ids;
    for (const auto& take : desk_->focus.takes())
      if (take.purpose.empty() && take.points > 0) ids << take.id;
    desk_->focus.overlay(ids);
  });
  label("\u00b7 0 dB at");
  normalise_ = new QLineEdit(this);
  normalise_->setAccessibleName("Normalise at");
  normalise_->setPlaceholderText("as taken");
  normalise_->setToolTip(
      "A frequency at which every take is set to 0 dB; what was taken off stays as a figure. Empty: as "
      "taken");
  normalise_->setFixedWidth(90);
  connect(normalise_, &QLineEdit::editingFinished, this, [this] {
    if (!desk_->focus.study()) return;
    desk_->complain(desk_->focus.edit_setting("normalise", normalise_->text()));
    refill();
  });
  words->addWidget(normalise_);
  words->addStretch(1);
  column->addLayout(words);
  column->addWidget(bode_, 5);
  connect(bode_, &Lens::cards_changed, this, &Lens::cards_changed);
  bode_->bar()->add(
      "What is compared", "As they are, over the wake, apart from it, or mean and band of all that are shown",
      [this] {
        for (const auto& [which, name] : kAgainst)
          if (which == desk_->look.against()) return QString(name);
        return QString();
      },
      [this] {
        const auto now = int(desk_->look.against());
        desk_->look.set_against(Against((now + 1) % int(std::size(kAgainst))));
      });
  said_ = new QLabel(this);
  said_->setFont(render::text_font(12));
  said_->setWordWrap(true);
  set_ink(*said_, render::theme().slate);
  column->addWidget(said_);
  table_ = make_table({{"Take", false, 250}}, this);
  table_->setAccessibleName("Takes compared");
  table_->setItemDelegate(new CellPainter(table_));
  table_->verticalHeader()->setDefaultSectionSize(22);
  column->addWidget(table_);
  connect(table_, &QTableWidget::cellDoubleClicked, this, [this](int row) {
    const auto id = table_->item(row, 0)->data(Qt::UserRole);
    if (id.isValid()) desk_->focus.show_take(id.toLongLong());
  });
  connect(&desk_->focus, &Focus::shown_changed, this, &CompareLens::refill);
  connect(&desk_->runner, &Runner::running_changed, this, &CompareLens::refill);
  connect(&desk_->focus, &Focus::plan_changed, this, &CompareLens::refill);
  connect(&desk_->readings, &Readings::take_read, this, &CompareLens::refill);
  connect(&desk_->look, &Look::changed, this, &CompareLens::refill);
}

void CompareLens::showEvent(QShowEvent* event) {
  Lens::showEvent(event);
  refill();
}

QList<long long> CompareLens::compared() const {
  QList<long long> out = desk_->focus.overlaid();
  if (desk_->focus.shown()) out << *desk_->focus.shown();
  if (const auto wake = desk_->focus.wake(); wake && !out.contains(*wake)) out.prepend(*wake);
  return out;
}

void CompareLens::refill() {
  if (!isVisible() || !desk_->focus.study()) return;
  const auto settings = response_settings(*desk_);
  if (!normalise_->hasFocus())
    normalise_->setText(settings.normalise ? text(format_setting(*settings.normalise, "Hz")) : "");
  const auto ids = compared();
  std::vector<std::shared_ptr<const TakeView>> views;
  for (const auto id : ids)
    if (auto view = desk_->readings.view(id)) views.push_back(std::move(view));
  // One column for the level taken off, one for every claim and mask.
  QStringList headings = {"Take"};
  if (settings.normalise) headings << "Level removed";
  const auto* lines = views.empty() ? nullptr : &views.front()->lines;
  for (const auto& view : views)
    if (view->lines.size() > lines->size()) lines = &view->lines;
  for (std::size_t k = 0; lines && k < lines->size(); ++k) headings << text((*lines)[k].text());
  table_->setColumnCount(int(headings.size()));
  table_->setHorizontalHeaderLabels(headings);
  auto* header = table_->horizontalHeader();
  header->setSectionResizeMode(QHeaderView::Stretch);
  header->setSectionResizeMode(0, QHeaderView::Fixed);
  header->resizeSection(0, 230);
  table_->setRowCount(int(views.size()));
  table_->setFixedHeight(30 + 22 * std::clamp(int(views.size()), 1, 6));
  for (int row = 0; row < int(views.size()); ++row) {
    const auto& view = *views[std::size_t(row)];
    const QString unit = view.take.unit == "imported" ? text(view.take.origin) : text(view.take.unit);
    set_cell(table_, row, 0,
             QString("       Take %1, %2%3")
                 .arg(view.take.number)
                 .arg(unit, desk_->focus.wake() == view.take.id ? " \u00b7 wake" : ""),
             false);
    table_->item(row, 0)->setData(Qt::UserRole, view.take.id);
    table_->item(row, 0)->setData(Qt::UserRole + 2, view.take.number);
    table_->item(row, 0)->setToolTip(text(view.take.note));
    int column = 1;
    if (settings.normalise) {
      const auto* removed = view.analysis.reading.find("gain.removed");
      set_cell(table_, row, column++, removed ? text(format_quantity(removed->value, "dB", 4).plain()) : "\u2013",
               true);
    }
    for (const auto& line : view.lines) {
      const auto& j = line.judgement;
      const QString value =
          line.mask ? (j.margin ? "margin " + text(format_quantity(*j.margin, j.unit, 3).plain()) : "\u2013")
          : j.value ? text(format_with_uncertainty(*j.value, j.u, j.unit).plain())
                    : "\u2013";
      set_cell(table_, row, column, value, true);
      table_->item(row, column)->setData(Qt::UserRole + 1, int(j.verdict));
      table_->item(row, column)->setToolTip(text(j.reason));
      ++column;
    }
  }
  QString said;
  std::vector<const study::response::Curve*> curves;
  for (const auto& view : views) curves.push_back(&curve_of(view));
  if (curves.size() < 2) {
    said = "One take is shown. Ctrl+click further ones below, or show the newest of every unit.";
  } else {
    const auto s = study::response::statistics(curves);
    if (!s.sigma_db.empty()) {
      const auto most = std::max_element(s.sigma_db.begin(), s.sigma_db.end()) - s.sigma_db.begin();
      said = QString("%1 takes; they differ most at %2: %3 to %4 dB, sigma %5 dB.")
                 .arg(s.curves)
                 .arg(text(format_setting(s.frequency[std::size_t(most)], "Hz")))
                 .arg(s.low_db[std::size_t(most)], 0, 'f', 2)
                 .arg(s.high_db[std::size_t(most)], 0, 'f', 2)
                 .arg(s.sigma_db[std::size_t(most)], 0, 'f', 2);
    }
    if (s.interpolated)
      said +=
          " Their frequencies differ; they are brought to those of the first by interpolation in the complex plane.";
    const auto against = desk_->look.against();
    if ((against == Against::ratio || against == Against::difference) && !desk_->focus.wake())
      said = "There is no wake to compare with. W makes the take in view the wake.";
  }
  said_->setText(said);
}

}  // namespace heron::app
