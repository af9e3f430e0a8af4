#include "import_page.h"

#include <QComboBox>
#include <QFileInfo>
#include <QHeaderView>
#include <QLabel>
#include <QScopeGuard>
#include <QScrollArea>
#include <QVBoxLayout>

#include "app/text.h"
#include "ink.h"
#include "lenses/table.h"
#include "render/theme.h"
#include "run/take.h"

namespace heron::app {
namespace {

const study::Kind& kind_of(const Desk& desk) {
  const auto* kind = desk.focus.kind();
  return kind ? *kind : *study::kinds().front();
}

/// Every role that a column can play, in the order people think of them.
QStringList roles(const study::Kind& kind) {
  QStringList out;
  const auto add = [&](std::string_view role) {
    if (const auto* about = kind.find_role(role); about && about->written_by_export) return;
    if (const auto name = QString::fromUtf8(role.data(), qsizetype(role.size())); !out.contains(name)) out << name;
  };
  for (std::size_t k = 0; k < kind.roles.size(); ++k) {
    for (const auto role : kind.roles[k]) add(role);
    // What goes along with the first, most usual set stands beside it.
    if (k == 0)
      for (const auto& role : kind.optional_roles) add(role);
  }
  return out;
}

}  // namespace

ImportPage::ImportPage(Desk* desk, QWidget* parent) : QWidget(parent), desk_(desk) {
  setObjectName("sheet");
  setAttribute(Qt::WA_StyledBackground);
  setFocusPolicy(Qt::StrongFocus);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(20, 10, 20, 12);
  column->setSpacing(8);
  auto* title = new QLabel("Bring in data", this);
  title->setFont(render::text_font(18, QFont::Medium));
  column->addWidget(title);
  auto* scroll = new QScrollArea(this);
  scroll->setFrameShape(QFrame::NoFrame);
  scroll->setWidgetResizable(true);
  auto* inside = new QWidget(scroll);
  inside->setObjectName("sheet");
  list_ = new QVBoxLayout(inside);
  list_->setContentsMargins(0, 0, 8, 0);
  list_->setSpacing(16);
  scroll->setWidget(inside);
  column->addWidget(scroll, 1);
  auto* row = new QHBoxLayout;
  sum_ = new QLabel(this);
  sum_->setFont(render::text_font(12));
  set_ink(*sum_, render::theme().slate);
  sum_->setAccessibleName("What will come in");
  bring_ = new QPushButton("Judge it", this);
  bring_->setObjectName("take");
  bring_->setAccessibleName("Bring in");
  bring_->setToolTip("Every curve becomes a take; the newest is what the ledger judges (Enter)");
  connect(bring_, &QPushButton::clicked, this, [this] { accept(); });
  aside_ = new QPushButton("Lay it aside", this);
  aside_->setAccessibleName("Lay it aside");
  aside_->setToolTip("To look at beside the others: a reference, somebody's curve. The ledger stays as it is.");
  connect(aside_, &QPushButton::clicked, this, [this] { accept(true); });
  auto* cancel = new QPushButton("Leave it   Esc", this);
  cancel->setAccessibleName("Leave it");
  connect(cancel, &QPushButton::clicked, this, &ImportPage::leave);
  row->addWidget(sum_, 1);
  row->addWidget(cancel);
  row->addWidget(aside_);
  row->addWidget(bring_);
  column->addLayout(row);
}

void ImportPage::open(const QStringList& paths) {
  files_.clear();
  show_previews({});
  for (const auto& path : paths)
    files_.push_back({path, {.impedance = desk_->focus.plan() && desk_->focus.plan()->reads_impedance()}});
  rebuild();
  bring_->setFocus();
}

QWidget* ImportPage::make_file(std::size_t index, const exchange::FilePreview& preview) {
  auto& file = files_[index];
  auto* box = new QWidget(this);
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  QString what = text(preview.file);
  if (!preview.curves.empty()) {
    int points = 0;
    for (const auto& [name, count] : preview.curves) points += count;
    what +=
        preview.curves.size() == 1
            ? QString(" \u00b7 one curve of %1%2 points").arg(preview.part ? "about " : "", QString::number(points))
            : QString(" \u00b7 %1 curves one under another, %2 points in all").arg(preview.curves.size()).arg(points);
  }
  auto* head = new QHBoxLayout;
  auto* name = new QLabel(what, box);
  name->setFont(render::text_font(13, QFont::DemiBold));
  head->addWidget(name, 1);
  if (preview.curves.size() > 1 || file.reading.several == exchange::Several::one) {
    auto* split = new QPushButton(file.reading.several == exchange::Several::apart ? "take it as one curve" : "take it as several curves", box);
    split->setObjectName("fold");
    split->setFlat(true);
    connect(split, &QPushButton::clicked, this, [this, index] {
      auto& several = files_[index].reading.several;
      several = several == exchange::Several::apart ? exchange::Several::one : exchange::Several::apart;
      QMetaObject::invokeMethod(this, &ImportPage::rebuild, Qt::QueuedConnection);
    });
    head->addWidget(split);
  }
  column->addLayout(head);
  const auto say = [&](const QString& words, const QColor& colour) {
    auto* label = new QLabel(words, box);
    label->setWordWrap(true);
    label->setFont(render::text_font(12));
    set_ink(*label, colour);
    column->addWidget(label);
  };
  if (!preview.trouble.empty()) say(text(preview.trouble), render::theme().rust);
  for (const auto& warning : preview.warnings) say(text(warning), render::theme().bill_text);
  if (preview.table) {
    QList<TableColumn> columns;
    for (const auto& heading : preview.columns) columns << TableColumn{text(heading), true};
    auto* table = make_table(columns, box);
    table->setAccessibleName("First rows of " + text(preview.file));
    table->setRowCount(int(preview.rows.size()) + 1);
    table->setFixedHeight(28 + 27 + 25 * int(preview.rows.size()));
    table->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    // What stands in the boxes counts, not what the last preview made of it: the next choice may come before that.
    const auto boxes = std::make_shared<std::vector<QComboBox*>>();
    for (int k = 0; k < int(preview.columns.size()); ++k) {
      auto* role = new QComboBox(table);
      boxes->push_back(role);
      role->setAccessibleName(QString("Column %1 of %2").arg(k + 1).arg(text(preview.file)));
      role->setToolTip("What this column is taken as");
      role->addItem("not used", "");
      for (const auto& r : roles(kind_of(*desk_))) role->addItem(r, r);
      // A quantity goes by its own name.
      for (const auto* names : {&preview.by_itself, &preview.roles})
        if (const auto own = std::size_t(k) < names->size() ? text((*names)[std::size_t(k)]) : QString(); !own.isEmpty() && role->findText(own) < 0) role->addItem(own, own);
      role->setCurrentText(preview.roles[std::size_t(k)].empty() ? "not used" : text(preview.roles[std::size_t(k)]));
      connect(role, &QComboBox::activated, this, [this, index, k, role, boxes] {
        auto& chosen = files_[index].reading.columns.column;
        // The whole table is said anew, so that a column by its name does not come back in.
        chosen.clear();
        const auto wanted = role->currentData().toString().toStdString();
        for (std::size_t c = 0; c < boxes->size(); ++c)
          if (const auto now = (*boxes)[c]->currentData().toString().toStdString();
              c != std::size_t(k) && !now.empty() && now != wanted)
            chosen[now] = std::to_string(c + 1);
        if (!wanted.empty()) chosen[wanted] = std::to_string(k + 1);
        QMetaObject::invokeMethod(this, &ImportPage::rebuild, Qt::QueuedConnection);
      });
      table->setCellWidget(0, k, role);
    }
    for (int row = 0; row < int(preview.rows.size()); ++row)
      for (int k = 0; k < int(std::min(preview.rows[std::size_t(row)].size(), preview.columns.size())); ++k)
        set_cell(table, row + 1, k, text(preview.rows[std::size_t(row)][std::size_t(k)]), true);
    column->addWidget(table);
  } else if (!preview.parameters.empty()) {
    auto* row = new QHBoxLayout;
    auto* label = new QLabel("Parameter", box);
    auto* choice = new QComboBox(box);
    choice->setAccessibleName("Parameter of " + text(preview.file));
    choice->addItem("usual");
    for (const auto& p : preview.parameters) choice->addItem(text(p));
    if (!file.reading.parameter.empty()) choice->setCurrentText(text(file.reading.parameter));
    connect(choice, &QComboBox::activated, this, [this, index, choice] {
      files_[index].reading.parameter = choice->currentIndex() == 0 ? "" : choice->currentText().toStdString();
      QMetaObject::invokeMethod(this, &ImportPage::rebuild, Qt::QueuedConnection);
    });
    row->addWidget(label);
    row->addWidget(choice);
    row->addStretch(1);
    column->addLayout(row);
  }
  return box;
}

void ImportPage::leave() {
  ++generation_;  // what is still being read is not wanted any more
  reading_.request_stop();
  emit closed();
}

void ImportPage::rebuild() {
  bring_->setEnabled(false);
  aside_->setEnabled(false);
  sum_->setText("Reading\u2026");
  readers_.clear();
  readers_.start([this, files = files_, &kind = kind_of(*desk_), now = ++generation_] {
    std::vector<exchange::FilePreview> previews;
    for (const auto& file : files)
      previews.push_back(exchange::preview_file(file.path.toStdString(), kind, file.reading));
    hand_back(this, [this, now, previews = std::move(previews)] {
      if (now == generation_) show_previews(previews);
    });
  });
}

void ImportPage::show_previews(const std::vector<exchange::FilePreview>& previews) {
  list_->parentWidget()->hide();
  const auto shown = qScopeGuard([this] { list_->parentWidget()->show(); });
  while (auto* item = list_->takeAt(0)) {
    if (item->widget()) {
      item->widget()->hide();
      item->widget()->deleteLater();
    }
    delete item;
  }
  std::size_t curves = 0;
  bool trouble = false;
  for (std::size_t k = 0; k < previews.size(); ++k) {
    list_->addWidget(make_file(k, previews[k]));
    files_[k].guessed = previews[k].guessed;
    curves += previews[k].curves.size();
    trouble = trouble || !previews[k].trouble.empty();
  }
  list_->addStretch(1);
  bring_->setEnabled(!trouble && curves > 0);
  bring_->setText(curves > 1 ? QString("Judge %1 takes").arg(curves) : "Judge it");
  aside_->setEnabled(bring_->isEnabled());
  aside_->setText(curves > 1 ? "Lay them aside" : "Lay it aside");
  sum_->setText(trouble ? "Put right what is said above, or leave it."
                        : QString("%1 as %2.")
                              .arg(files_.size() == 1 ? "One file" : QString("%1 files").arg(files_.size()),
                                   curves == 1 ? "one take" : QString("%1 takes").arg(curves)));
}

struct ImportPage::Read {
  std::vector<exchange::FileCurve> curves;
  QString trouble;
  bool stopped = false;
};

void ImportPage::tell_share(int generation, double share) {
  hand_back(this, [this, generation, share] {
    if (generation == generation_) sum_->setText(QString("Reading\u2026 %1 %. Esc stops.").arg(int(100 * share)));
  });
}

ImportPage::Read ImportPage::read_all(const std::vector<File>& files, const study::Kind& kind, const study::SettingsText& settings,
                                      int generation, std::stop_token stop) {
  Read out;
  int told = 0;
  const exchange::ReadingProgress progress{.done = [&](double share) {
                                             if (const int percent = int(100 * share); std::exchange(told, percent) != percent)
                                               tell_share(generation, share);
                                           },
                                           .stop = stop};
  for (const auto& file : files) {
    auto reading = file.reading;
    reading.columns.column.insert(file.guessed.begin(), file.guessed.end());
    reading.columns.how = "Choose it above its column.";
    auto curves = exchange::read_curves(file.path.toStdString(), kind, reading, progress);
    if (!curves) {
      out.trouble = text(curves.error().message);
      out.stopped = curves.error().fault == Fault::stopped;
      return out;
    }
    for (auto& curve : *curves) {
      if (const auto ok = run::check_import(kind, settings, curve.record); !ok) {
        out.trouble = text(curve.name + ": " + ok.error().message);
        return out;
      }
      out.curves.push_back(std::move(curve));
    }
  }
  return out;
}

void ImportPage::accept(bool aside) {
  if (!bring_->isEnabled()) return;
  bring_->setEnabled(false);
  aside_->setEnabled(false);
  sum_->setText("Reading\u2026");
  const auto* study = desk_->focus.study();
  reading_ = {};
  readers_.clear();
  readers_.start([this, aside, files = files_, &kind = kind_of(*desk_), now = ++generation_, stop = reading_.get_token(),
                  settings = study ? study->settings : study::SettingsText()] {
    auto read = std::make_shared<const Read>(read_all(files, kind, settings, now, stop));
    hand_back(this, [this, now, aside, read] {
      if (now == generation_ && !read->stopped) bring_in(read, aside);
    });
  });
}

void ImportPage::bring_in(std::shared_ptr<const Read> read, bool aside) {
  if (!read->trouble.isEmpty()) {
    desk_->complain(read->trouble);
    return rebuild();
  }
  const auto study_id = desk_->focus.study_for_data(read->curves.front().name, kind_of(*desk_));
  if (!study_id) {
    desk_->complain(text(study_id.error().message));
    return rebuild();
  }
  sum_->setText("Keeping\u2026");
  readers_.start([this, read, aside, now = generation_, path = desk_->document.path(), study = *desk_->document.study(*study_id)] {
    QList<long long> takes;
    QString trouble;
    auto store = dossier::Store::open(path.toStdString());
    if (!store) trouble = text(store.error().message);
    for (std::size_t k = 0; k < read->curves.size() && trouble.isEmpty(); ++k) {
      const auto& curve = read->curves[k];
      if (const auto take = run::keep_import(*store, study, curve.record, curve.name, curve.notes, aside))
        takes << *take;
      else
        trouble = text(curve.name + ": " + take.error().message);
    }
    hand_back(this, [this, read, aside, now, path, takes, trouble, id = study.id] {
      if (desk_->document.path() != path) return;
      desk_->document.reread_takes(id);
      if (desk_->focus.study_id() == id) desk_->focus.lay_over(takes);
      if (now == generation_) emit closed();
      if (!trouble.isEmpty()) return desk_->complain(trouble);
      desk_->messages.say(takes.size() == 1 ? text(read->curves.front().name) +
                                                  (aside ? " is laid aside beside the one before; the ledger stays as it is."
                                                         : " is in as a take beside the one before.")
                                            : QString("%1 takes are in beside the one before.").arg(takes.size()),
                          false);
    });
  });
}

}  // namespace heron::app
