#include "doubt_band.h"

#include <QFrame>
#include <QLabel>
#include <QPushButton>
#include <QScopeGuard>
#include <QVBoxLayout>
#include <utility>

#include "ink.h"
#include "render/theme.h"

namespace heron::app {

using render::theme;

namespace {
constexpr int kWidestRemedy = 460;  ///< pixels
}

DoubtBand::DoubtBand(Desk* desk, QWidget* parent) : QWidget(parent), desk_(desk) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  setAccessibleName("Doubts");
  setObjectName("doubts");
  // A long remedy never makes the page wider than the window.
  setMinimumWidth(1);
  connect(&desk_->focus, &Focus::shown_changed, this, &DoubtBand::rebuild);
  connect(&desk_->focus, &Focus::plan_changed, this, &DoubtBand::rebuild);
  connect(&desk_->readings, &Readings::take_read, this, &DoubtBand::rebuild);
  connect(&desk_->focus, &Focus::device_changed, this, &DoubtBand::rebuild);
  connect(&desk_->outlook, &Outlook::levels_changed, this, &DoubtBand::rebuild);
}

std::vector<DoubtBand::Said> DoubtBand::to_say() const {
  std::vector<Said> out;
  if (!desk_->focus.study()) return out;
  if (const auto view = desk_->readings.shown()) {
    if (!view->trouble.isEmpty())
      out.push_back({"Trouble:", {"", study::Severity::serious, view->trouble.toStdString(), ""}});
    for (const auto& d : view->analysis.reading.doubts)
      if (d.severity != study::Severity::note) out.push_back({"Doubt:", d});
  }
  for (const auto& d : desk_->outlook.findings())
    if (d.severity != study::Severity::note && !desk_->outlook.accepted().contains(d.key))
      out.push_back({"Before the next take:", d, true});
  constexpr std::size_t kMost = 3;
  if (out.size() > kMost) out.resize(kMost);
  return out;
}

void DoubtBand::set_low(bool low) {
  if (std::exchange(low_, low) == low || said_.size() < 2) return;
  show_said();
}

void DoubtBand::rebuild() {
  auto now = to_say();
  // What a remedy does depends on the plan.
  const auto plan = desk_->focus.plan();
  if (now == said_ && (now.empty() || plan == plan_)) return;
  said_ = std::move(now);
  plan_ = plan;
  opened_ = false;
  show_said();
}

void DoubtBand::show_said() {
  // Out of sight meanwhile: each widget that is shown in a visible one lays the whole window out anew.
  hide();
  const auto shown_again = qScopeGuard([this] { setVisible(layout()->count() > 0); });
  while (auto* item = layout()->takeAt(0)) {
    item->widget()->hide();
    item->widget()->deleteLater();
    delete item;
  }
  const bool folded = low_ && !opened_ && said_.size() > 1;
  for (const auto& one : said_) {
    add_line(one.lead, one.doubt, one.before);
    if (folded) break;
  }
  if (!folded) return;
  auto* more = new QPushButton(QString("and %1 more").arg(said_.size() - 1), this);
  more->setObjectName("fold");
  more->setFlat(true);
  more->setAccessibleName("More doubts");
  QStringList others;
  for (std::size_t k = 1; k < said_.size(); ++k) others << said_[k].lead + " " + QString::fromStdString(said_[k].doubt.text);
  more->setToolTip(others.join("\n"));
  connect(more, &QPushButton::clicked, this, [this] {
    opened_ = true;
    show_said();
  });
  layout()->addWidget(more);
}

void DoubtBand::add_line(const QString& lead, const study::Doubt& doubt, bool before) {
  auto* band = new QFrame(this);
  band->setObjectName("doubt");
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
  const auto plan = desk_->focus.plan();
  auto remedy_of = study::Remedy{.edits = doubt.edits};
  if (doubt.edits.empty() && plan && !before) remedy_of = plan->remedy(doubt);
  const auto& edits = remedy_of.edits;
  const auto link = [&](const QString& text, const QString& tip) {
    auto* button = new QPushButton(text, band);
    button->setFlat(true);
    button->setObjectName("remedy");
    button->setCursor(Qt::PointingHandCursor);
    // A list of all that would do is read where the pointer rests; here it leaves what is doubted its room.
    button->ensurePolished();
    const auto shown = button->fontMetrics().elidedText(text, Qt::ElideRight, kWidestRemedy);
    button->setText(shown);
    button->setToolTip(shown == text ? tip : text + "\n" + tip);
    row->addWidget(button);
    return button;
  };
  if (remedy_of.procedure) {
    const auto& offer = *remedy_of.procedure;
    auto* button = link(QString::fromStdString(offer.label), QString::fromStdString(offer.tip));
    button->setAccessibleName("Remedy: " + QString::fromStdString(offer.name));
    connect(button, &QPushButton::clicked, this, [this, offer] {
      desk_->messages.say_trouble(desk_->runner.begin(offer), desk_->focus.study_id());
    });
  } else if (doubt.mend == study::Mend::release) {
    auto* button = link(remedy, "Takes go on; undone, it holds again");
    button->setAccessibleName("Remedy: " + remedy);
    connect(button, &QPushButton::clicked, this, [this] { desk_->document.release(desk_->focus.study_id(), desk_->focus.held()); });
  } else if (!edits.empty()) {
    QStringList sets;
    for (const auto& [key, text] : edits)
      sets << QString("%1 to %2").arg(QString::fromStdString(key).section('.', -1), QString::fromStdString(text));
    auto* button = link(remedy, "Sets " + sets.join(", "));
    button->setAccessibleName("Remedy: " + remedy);
    connect(button, &QPushButton::clicked, this,
            [this, edits] { desk_->messages.say_trouble(desk_->focus.edit(edits), desk_->focus.study_id()); });
  } else if (!doubt.settings.empty()) {
    QStringList sets;
    for (const auto& [key, text] : doubt.settings) sets << QString::fromStdString(key + " = " + text);
    auto* button = link(remedy, "Reads the takes of this study with " + sets.join(", ") + "; Ctrl+Z takes it back");
    button->setAccessibleName("Remedy: " + remedy);
    connect(button, &QPushButton::clicked, this, [this, settings = doubt.settings] {
      desk_->messages.say_trouble(desk_->document.edit_settings(desk_->focus.study_id(), settings), desk_->focus.study_id());
    });
  } else if (doubt.place == study::Place::hookup) {
    auto* button = link(remedy, "Goes to the Hookup page");
    button->setAccessibleName("Remedy: " + remedy);
    connect(button, &QPushButton::clicked, this, &DoubtBand::hookup_asked);
  } else if (!remedy.isEmpty()) {
    auto* text = new QLabel(remedy, band);
    text->setFont(render::text_font(12));
    if (text->sizeHint().width() > kWidestRemedy) {
      text->setWordWrap(true);
      text->setMinimumWidth(kWidestRemedy);
    }
    set_ink(*text, theme().bill_text);
    row->addWidget(text);
  }
  if (before && doubt.severity == study::Severity::serious && !doubt.binding) {
    auto* button = link("Take anyway", "Goes ahead with this finding until the set-up changes");
    button->setAccessibleName("Accept: " + QString::fromStdString(doubt.key));
    connect(button, &QPushButton::clicked, this, [this, key = doubt.key] { desk_->outlook.accept(key); });
  }
  layout()->addWidget(band);
}

}  // namespace heron::app
