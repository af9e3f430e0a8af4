#include "report_page.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/text.h"
#include "exchange/writers.h"
#include "ink.h"
#include "render/theme.h"
#include "run/overview.h"

namespace heron::app {

using render::theme;

ReportPage::ReportPage(Desk* desk, QWidget* parent)
    : QWidget(parent), desk_(desk), title_(new QLineEdit(this)), author_(new QLineEdit(this)), summary_(new QPlainTextEdit(this)),
      studies_(make_list("Studies of the report", "Which studies stand in it; all while all or none are ticked")), units_(make_list("Units of the report", "Which units stand in it; all while all or none are ticked")),
      parts_(make_list("What of each study", "What is told of each study")), pictures_(make_list("Kept plots", "Plots as they were looked at (I on a study puts one here); Delete takes one out")), said_(new QLabel(this)), preview_(new PagePreview(this)) {
  setObjectName("sheet");
  setAttribute(Qt::WA_StyledBackground);
  setAccessibleName("Report");
  setFocusPolicy(Qt::StrongFocus);
  setFocusProxy(preview_);
  auto* whole = new QHBoxLayout(this);
  whole->setContentsMargins(20, 10, 0, 0);
  whole->setSpacing(14);
  auto* column = new QVBoxLayout;
  column->setSpacing(5);
  auto* heading = new QLabel("Report", this);
  heading->setFont(render::text_font(18, QFont::Medium));
  column->addWidget(heading);
  title_->setPlaceholderText("title: the device's name");
  title_->setAccessibleName("Title");
  author_->setPlaceholderText("author");
  author_->setAccessibleName("Author");
  summary_->setPlaceholderText("what it comes to, in your words");
  summary_->setAccessibleName("Summary");
  summary_->setTabChangesFocus(true);
  summary_->setFixedHeight(76);
  column->addWidget(title_);
  column->addWidget(author_);
  column->addWidget(summary_);
  whose_parts_ = new QPushButton("Of each study", this);
  whose_parts_->setAccessibleName("Whose parts");
  whose_parts_->setToolTip("Choose a study above for what is told of it alone; a click here goes back to all");
  whose_parts_->setStyleSheet("text-align: left; font-weight: 600");
  connect(whose_parts_, &QPushButton::clicked, this, [this] { studies_->setCurrentItem(nullptr); });
  like_others_ = new QPushButton("like the others", this);
  like_others_->setAccessibleName("Like the others");
  connect(like_others_, &QPushButton::clicked, this, [this] {
    parts_of_.erase(chosen_study());
    show_parts();
    chosen();
  });
  for (auto* button : {whose_parts_, like_others_}) {
    button->setObjectName("place");
    button->setFlat(true);
  }
  const auto section = [&](const QString& name, QListWidget* list, int stretch) {
    auto* row = new QHBoxLayout;
    if (list == parts_) {
      // What it is of is said, and taken back to all.
      row->addWidget(whose_parts_, 1);
      row->addWidget(like_others_);
    } else {
      auto* label = new QLabel(name, this);
      label->setFont(render::text_font(12, QFont::DemiBold));
      set_ink(*label, theme().slate);
      row->addWidget(label, 1);
    }
    for (const bool on : {true, false}) {
      if (list == pictures_) break;
      auto* all = new QPushButton(on ? "all" : "none", this);
      all->setObjectName("place");
      all->setFlat(true);
      all->setAccessibleName(name + (on ? ": all" : ": none"));
      connect(all, &QPushButton::clicked, this, [list, on] {
        for (int k = 0; k < list->count(); ++k) list->item(k)->setCheckState(on ? Qt::Checked : Qt::Unchecked);
      });
      row->addWidget(all);
    }
    column->addLayout(row);
    column->addWidget(list, stretch);
  };
  section("Studies", studies_, 5);
  section("Units", units_, 2);
  section("Of each study", parts_, 4);
  section("Plots as they were seen", pictures_, 2);
  pictures_->installEventFilter(this);
  auto* buttons = new QHBoxLayout;
  for (const auto& [words, ending] : {std::pair("Write HTML\u2026", "html"), std::pair("Write PDF\u2026", "pdf")}) {
    auto* button = new QPushButton(words, this);
    button->setAccessibleName(QString(words).remove(QChar(0x2026)));
    button->setToolTip(QString(ending) == "html" ? "One file with its plots inside; nothing is fetched" : "The pages as they are shown here, with bookmarks");
    connect(button, &QPushButton::clicked, this, [this, end = QString(ending)] { ask_path(end); });
    buttons->addWidget(button);
  }
  column->addLayout(buttons);
  said_->setWordWrap(true);
  said_->setAccessibleName("What is shown");
  said_->setFont(render::text_font(12));
  set_ink(*said_, theme().slate);
  column->addWidget(said_);
  column->addSpacing(8);
  auto* left = new QWidget(this);
  left->setLayout(column);
  left->setFixedWidth(270);
  column->setContentsMargins(0, 0, 0, 0);
  whole->addWidget(left);
  whole->addWidget(preview_, 1);

  const auto edited = [this] { chosen(); };
  connect(title_, &QLineEdit::textEdited, this, edited);
  connect(author_, &QLineEdit::textEdited, this, edited);
  connect(summary_, &QPlainTextEdit::textChanged, this, edited);
  for (auto* list : {studies_, units_}) connect(list, &QListWidget::itemChanged, this, edited);
  connect(parts_, &QListWidget::itemChanged, this, [this] {
    if (filling_) return;
    std::set<report::Part> ticked;
    for (int k = 0; k < parts_->count(); ++k)
      if (parts_->item(k)->checkState() == Qt::Checked) ticked.insert(report::part_names()[std::size_t(k)].part);
    (chosen_study().empty() ? parts_of_all_ : parts_of_[chosen_study()]) = ticked;
    like_others_->setVisible(!chosen_study().empty());
    chosen();
  });
  connect(studies_, &QListWidget::currentRowChanged, this, &ReportPage::show_parts);
  constexpr int kPause = 350;  // ms that somebody who types makes between two words
  wait_.setSingleShot(true);
  wait_.setInterval(kPause);
  connect(&wait_, &QTimer::timeout, this, &ReportPage::make);
  connect(&desk_->document, &Document::opened, this, &ReportPage::reload);
  connect(&desk_->document, &Document::studies_changed, this, &ReportPage::reload);
  connect(&desk_->document, &Document::report_changed, this, &ReportPage::reload);
  for (auto signal : {&Document::reading_changed, &Document::takes_changed, &Document::plan_changed})
    connect(&desk_->document, signal, this, [this] {
      if (isVisible()) wait_.start();
    });
}

QListWidget* ReportPage::make_list(const QString& name, const QString& tip) {
  auto* list = new QListWidget(this);
  list->setAccessibleName(name);
  list->setToolTip(tip);
  list->setFont(render::text_font(12.5));
  list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  list->setTextElideMode(Qt::ElideRight);
  return list;
}

void ReportPage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  reload();
}

void ReportPage::fill_list(QListWidget* list, const std::vector<std::string>& names, const std::vector<std::string>& chosen) {
  list->clear();
  for (const auto& name : names) {
    auto* item = new QListWidgetItem(text(name), list);
    item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable);
    item->setCheckState(chosen.empty() || std::find(chosen.begin(), chosen.end(), name) != chosen.end() ? Qt::Checked : Qt::Unchecked);
  }
}

void ReportPage::reload() {
  if (!isVisible() || !desk_->document.is_open()) return;
  const auto kept = desk_->document.report();
  const auto now = kept ? report::choice_from(*kept) : report::Choice{};
  filling_ = true;
  if (title_->text() != text(now.title)) title_->setText(text(now.title));
  if (author_->text() != text(now.author)) author_->setText(text(now.author));
  if (summary_->toPlainText() != text(now.summary)) summary_->setPlainText(text(now.summary));
  std::vector<std::string> studies, units;
  for (const auto& study : desk_->document.studies()) studies.push_back(study.name);
  for (const auto& unit : desk_->document.units(dossier::kMainAssembly)) units.push_back(unit.name);
  std::sort(units.begin(), units.end(), run::unit_before);
  fill_list(studies_, studies, now.studies);
  fill_list(units_, units, now.units);
  parts_of_all_ = now.parts;
  parts_of_ = now.parts_of;
  show_parts();
  filling_ = true;
  pictures_->clear();
  for (const auto& picture : desk_->document.pictures()) {
    auto* item = new QListWidgetItem(text(picture.caption), pictures_);
    item->setData(Qt::UserRole, QVariant::fromValue(qlonglong(picture.id)));
  }
  filling_ = false;
  make();
}

std::string ReportPage::chosen_study() const { return studies_->currentItem() ? studies_->currentItem()->text().toStdString() : std::string(); }

void ReportPage::show_parts() {
  filling_ = true;
  const auto study = chosen_study();
  const auto own = parts_of_.find(study);
  const auto& ticked = own == parts_of_.end() ? parts_of_all_ : own->second;
  whose_parts_->setText(study.empty() ? QString("Of each study") : "Of " + text(study));
  like_others_->setVisible(own != parts_of_.end());
  parts_->clear();
  for (const auto& part : report::part_names()) {
    auto* item = new QListWidgetItem(text(part.words), parts_);
    item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable);
    item->setCheckState(ticked.contains(part.part) ? Qt::Checked : Qt::Unchecked);
  }
  filling_ = false;
}

report::Choice ReportPage::choice() const {
  report::Choice out{.title = title_->text().trimmed().toStdString(), .author = author_->text().trimmed().toStdString(), .summary = summary_->toPlainText().trimmed().toStdString()};
  const auto names = [](const QListWidget* list) {
    std::vector<std::string> ticked;
    for (int k = 0; k < list->count(); ++k)
      if (list->item(k)->checkState() == Qt::Checked) ticked.push_back(list->item(k)->text().toStdString());
    // All is said by none, so that what comes later stands in it too.
    if (int(ticked.size()) == list->count()) ticked.clear();
    return ticked;
  };
  out.studies = names(studies_);
  out.units = names(units_);
  out.parts = parts_of_all_;
  out.parts_of = parts_of_;
  return out;
}

void ReportPage::chosen() {
  if (filling_) return;
  if (!desk_->document.read_only()) desk_->messages.say_trouble(desk_->document.keep_report(report::to_json(choice())));
  wait_.start();
}

void ReportPage::make() {
  if (!isVisible() || !desk_->document.is_open()) return;
  said_->setText("making the pages\u2026");
  working_.ask(
      [path = desk_->document.path().toStdString(), choice = choice()] {
        Ready out;
        auto store = dossier::Store::open_again(path);
        auto content = store ? report::gather(*store, choice) : Result<report::Content>(tl::unexpected(store.error()));
        if (!content) {
          out.trouble = text(content.error().message);
          return out;
        }
        out.pages = std::make_shared<render::PagedReport>(render::paged(*content));
        out.pages->document->moveToThread(qApp->thread());
        out.content = std::make_shared<const report::Content>(std::move(*content));
        return out;
      },
      [this](const Ready& ready) {
        if (!ready.trouble.isEmpty()) return said_->setText(ready.trouble);
        content_ = ready.content;
        preview_->show_report(ready.pages);
        said_->setText(QString("%1 pages").arg(ready.pages->pages));
      });
}

QString ReportPage::write(const QString& path) {
  if (!content_ || !preview_->report()) return "The pages are still being made; try again in a moment.";
  const bool paper = path.endsWith(".pdf", Qt::CaseInsensitive);
  const auto made = paper ? render::pdf(*preview_->report()) : Result<std::string>(report::html(*content_));
  if (!made) return text(made.error().message);
  const auto written = exchange::write_file(path.toStdString(), *made);
  return written ? QString() : text(written.error().message);
}

void ReportPage::ask_path(const QString& ending) {
  QString path = QFileDialog::getSaveFileName(this, "Write the report", QFileInfo(desk_->document.path()).path() + "/report." + ending, "Reports (*." + ending + ")");
  if (path.isEmpty()) return;
  if (!path.endsWith("." + ending)) path += "." + ending;
  const QString trouble = write(path);
  desk_->messages.say(trouble.isEmpty() ? path + " is written." : trouble, !trouble.isEmpty());
}

void ReportPage::forget_picture() {
  if (const auto* item = pictures_->currentItem()) desk_->messages.say_trouble(desk_->document.remove_picture(item->data(Qt::UserRole).toLongLong()));
}

bool ReportPage::eventFilter(QObject* watched, QEvent* event) {
  if (watched == pictures_ && event->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Delete) {
    forget_picture();
    return true;
  }
  return QWidget::eventFilter(watched, event);
}

}  // namespace heron::app
