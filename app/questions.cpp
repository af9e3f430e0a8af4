#include <QFileDialog>
#include <QInputDialog>
#include <QLabel>
#include <QPointer>
#include <QStandardPaths>

#include "app/lenses/record_plot.h"
#include "app/text.h"
#include "main_window.h"
#include "mudlark/recipe.h"
#include "render/plot_parts.h"
#include "templates.h"

/// What the window asks for: files, names, lines; and what it does with the answers.
namespace heron::app {

void MainWindow::choose_dossier() {
  const QString path =
      QFileDialog::getOpenFileName(this, "Open a dossier", QFileInfo(desk_.document.path()).path(), "Dossiers (*.heron)");
  if (!path.isEmpty()) desk_.open(path);
}

void MainWindow::new_dossier() {
  QString path =
      QFileDialog::getSaveFileName(this, "Make a new dossier", QFileInfo(desk_.document.path()).path(), "Dossiers (*.heron)");
  if (path.isEmpty()) return;
  if (!path.endsWith(".heron")) path += ".heron";
  desk_.create(path);
}

void MainWindow::open_demo() {
  const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/demo";
  const QString path = folder + "/" + demo::kDossierName;
  if (QFileInfo::exists(path)) {
    desk_.open(path);
    return;
  }
  tell("The demo's takes are being measured on the simulated bench\u2026", false);
  // The window may be gone by the time it is done.
  auto* maker = QThread::create([folder, window = QPointer<MainWindow>(this)] {
    const auto made = demo::write(folder.toStdString());
    QMetaObject::invokeMethod(
        qApp,
        [window, made] {
          if (!window) return;
          window->message_->hide();
          if (made)
            window->desk_.open(QString::fromStdString(*made));
          else
            window->tell(QString::fromStdString(made.error().message), true);
        },
        Qt::QueuedConnection);
  });
  connect(maker, &QThread::finished, maker, &QObject::deleteLater);
  maker->start();
}

void MainWindow::load_circuit() {
  const QString path =
      QFileDialog::getOpenFileName(this, "Load a circuit", QFileInfo(desk_.document.path()).path(), "Circuits (*.toml)");
  if (path.isEmpty()) return;
  if (const QString trouble = desk_.document.load_circuit(desk_.focus.assembly(), path); !trouble.isEmpty())
    tell(trouble, true);
  else
    tell(QFileInfo(path).fileName() + " is on the simulated bench now.", false);
}

void MainWindow::add_study() {
  bool ok = false;
  const QString name =
      QInputDialog::getText(this, "Add a study", "What is asked of the device", QLineEdit::Normal, "Passband", &ok);
  if (!ok) return;
  QStringList titles;
  for (const auto* kind : study::kinds()) titles << QString::fromUtf8(kind->title.data(), qsizetype(kind->title.size()));
  const auto templates = template_files();
  for (const auto& one : templates) titles << "Template: " + one.name;
  const QString title = QInputDialog::getItem(this, "Add a study", "Which kind, or which template to begin with", titles, 0, false, &ok);
  if (!ok) return;
  if (const auto chosen = titles.indexOf(title); chosen >= qsizetype(study::kinds().size())) {
    auto study = read_template(templates[chosen - qsizetype(study::kinds().size())].path);
    if (study && !name.trimmed().isEmpty()) study->name = name.trimmed().toStdString();
    return add_from(study);
  }
  const auto made =
      desk_.document.add_study(name, *study::kinds()[std::size_t(titles.indexOf(title))], desk_.focus.assembly());
  if (!made) return tell(QString::fromStdString(made.error().message), true);
  desk_.focus.select_study(*made);
  show_study();
}

/// Names that the device does not have are asked for first.
void MainWindow::add_from(const Result<run::StudyTemplate>& study) {
  if (!study) return tell(text(study.error().message), true);
  auto here = *study;
  const auto& device = desk_.focus.device();
  if (const auto missing = run::unmatched(here, device); !missing.empty() && device.circuit) {
    MatchDialog dialog(here, missing, device, this);
    if (dialog.exec() != QDialog::Accepted) return;
    here = run::renamed(std::move(here), dialog.pins(), dialog.parts());
  }
  const auto made = desk_.document.add_study(here, desk_.focus.assembly());
  if (!made) return tell(text(made.error().message), true);
  desk_.focus.select_study(*made);
  show_study();
}

void MainWindow::copy_study() { add_from(desk_.document.template_of(desk_.focus.study_id())); }

void MainWindow::keep_template() {
  const auto study = desk_.document.template_of(desk_.focus.study_id());
  const auto path = study ? write_template(*study) : Result<QString>(tl::unexpected(study.error()));
  tell(path ? "Kept as a template: " + *path + ". It is offered where a study is added." : text(path.error().message), !path);
}

void MainWindow::bring_template() {
  const QString path = QFileDialog::getOpenFileName(this, "Add a study from a template", template_folder(), "Templates (*.json)");
  if (!path.isEmpty()) add_from(read_template(path));
}

void MainWindow::bring_in_data() {
  const QStringList paths = QFileDialog::getOpenFileNames(
      this, "Bring in data", {}, "Curves (*.csv *.txt *.tsv *.s1p *.s2p *.json);;All files (*)");
  if (!paths.isEmpty()) import(paths);
}

/// Asks for a line, once more with what was typed until it is understood or left.
/// @param understand  what is wrong with it; empty when it is done
void MainWindow::ask_line(const QString& title, const QString& prompt, const std::function<QString(const QString&)>& understand) {
  QString line, trouble;
  do {
    QInputDialog dialog(this);
    dialog.setWindowTitle(title);
    dialog.setLabelText(trouble.isEmpty() ? prompt : trouble);
    dialog.setTextValue(line);
    constexpr int kWide = 720;
    for (auto* label : dialog.findChildren<QLabel*>()) label->setWordWrap(true);
    dialog.resize(kWide, dialog.sizeHint().height());
    if (dialog.exec() != QDialog::Accepted) return;
    line = dialog.textValue();
    trouble = understand(line);
  } while (!trouble.isEmpty());
}

void MainWindow::ask_setting() {
  const auto* view = find_kind_view(desk_.focus.kind());
  QStringList now;
  if (desk_.focus.study())
    for (const auto& [key, value] : desk_.focus.study()->settings) now << text(key) + " = " + text(value);
  ask_line("How the study is read",
           QString("A setting and its value%1; none takes it back").arg(view ? ", such as " + view->setting_examples() : "") +
               (now.isEmpty() ? QString() : "\nNow: " + now.join(", ")),
           [this](const QString& line) -> QString {
             if (!line.contains('=')) return "Write a setting, = and its value.";
             const QString value = line.section('=', 1).trimmed();
             return desk_.focus.edit_setting(line.section('=', 0, 0).trimmed().toStdString(),
                                             value == "none" ? QString() : value);
           });
}

void MainWindow::ask_claim() {
  const auto* view = find_kind_view(desk_.focus.kind());
  ask_line("Write a claim", view ? view->claim_examples() : QString(),
           [this](const QString& line) { return desk_.document.write_claim(desk_.focus.study_id(), line); });
}

void MainWindow::ask_typed_figure() {
  const auto unit = desk_.document.unit_of(desk_.focus.study_id(), desk_.focus.shown());
  ask_line("Type a figure in",
           QString("What another meter says of %1, and where it was read, such as:\n"
                   "Inductance 10.3 uH \u00b10.2 uH, by the bridge in the lab")
               .arg(text(unit.name)),
           [this, unit](const QString& line) { return desk_.document.type_figure(desk_.focus.study_id(), unit.id, line); });
}

void MainWindow::ask_study_note() {
  if (const auto* study = desk_.focus.study()) {
    bool ok = false;
    const QString note = QInputDialog::getText(this, "A note on the study", text(study->name), QLineEdit::Normal, text(study->note), &ok);
    if (ok) desk_.document.set_study_note(study->id, note.trimmed());
  }
}

void MainWindow::merge_dossier() {
  if (desk_.runner.running() || desk_.batch.active()) return tell("A take is running; stop it before bringing in another dossier.", true);
  const QString path = QFileDialog::getOpenFileName(this, "Bring in the takes of another dossier", QFileInfo(desk_.document.path()).path(), "Dossiers (*.heron)");
  if (path.isEmpty()) return;
  tell("Bringing in " + QFileInfo(path).fileName() + "\u2026", false);
  auto* work = QThread::create([here = desk_.document.path(), path, window = QPointer<MainWindow>(this)] {
    auto store = dossier::Store::open_again(here.toStdString());
    const auto merged = store ? store->merge(path.toStdString()) : Result<dossier::Merged>(tl::unexpected(store.error()));
    QMetaObject::invokeMethod(
        qApp,
        [window, merged, here] {
          if (!window) return;
          if (!merged) return window->tell(text(merged.error().message), true);
          if (window->desk_.document.path() == here) window->desk_.open(here);
          QString said = QString("Takes that came in: %1; here already: %2; new studies: %3; new units: %4.").arg(merged->takes).arg(merged->known).arg(merged->studies).arg(merged->units);
          for (const auto& one : merged->said) said += " " + text(one);
          window->tell(said, false);
        },
        Qt::QueuedConnection);
  });
  connect(work, &QThread::finished, work, &QObject::deleteLater);
  work->start();
}

void MainWindow::save_picture() {
  auto* plot = study_page_->lens() ? study_page_->lens()->plot() : nullptr;
  if (!plot) {
    tell("This lens is a table; choose one with a plot for a picture.", true);
    return;
  }
  const QString path =
      QFileDialog::getSaveFileName(this, "Save the plot as a picture", "plot.png", "Pictures (*.png *.svg *.pdf)");
  if (path.isEmpty()) return;
  const QString trouble = render::save_picture(*plot, path, plot->size());
  tell(trouble.isEmpty() ? path + " is written." : trouble, !trouble.isEmpty());
}

void MainWindow::put_into_report() {
  auto* plot = study_page_->lens() ? study_page_->lens()->plot() : nullptr;
  const auto* study = desk_.focus.study();
  if (!plot || !study) return tell("This lens is a table; choose one with a plot for the report.", true);
  if (desk_.document.read_only()) return tell("The dossier is open for reading only.", true);
  const auto shown = desk_.focus.shown();
  const auto* take = shown ? desk_.document.take(study->id, *shown) : nullptr;
  const QString caption = text(study->name) + ", " + study_page_->lens_in_view() + (take ? QString(", take %1 of %2").arg(take->number).arg(text(take->unit)) : QString());
  const QString trouble = desk_.document.add_picture({.study = study->id, .take = shown, .caption = caption.toStdString(), .svg = render::drawing_of(*plot, plot->size()).toStdString()});
  tell(trouble.isEmpty() ? "The plot stands in the report as it is seen now (R shows it)." : trouble, !trouble.isEmpty());
}

void MainWindow::export_take() {
  const auto shown = desk_.focus.shown();
  if (!shown) {
    tell("There is no take to write yet. Space takes.", true);
    return;
  }
  const QString folder = QFileDialog::getExistingDirectory(this, "Folder for the take's files");
  if (folder.isEmpty()) return;
  desk_.exporter.write(desk_.focus.study_id(), *shown, folder);
}

void MainWindow::export_part() {
  auto* plot = study_page_->lens() ? dynamic_cast<RecordPlot*>(study_page_->lens()->plot()) : nullptr;
  const auto traces = plot ? plot->in_front() : std::vector<study::TracePtr>();
  if (traces.empty()) return tell("This lens shows no record over time; choose one that does.", true);
  const QString path = QFileDialog::getSaveFileName(this, "Write the part of the record in view", "part.csv", "Tables (*.csv)");
  if (path.isEmpty()) return;
  const auto span = plot->span();
  desk_.exporter.write_part(desk_.focus.study_id(), traces, span.lower, span.upper, path);
}

}  // namespace heron::app
