#include "templates.h"

#include <QDialogButtonBox>
#include <QDir>
#include <QFormLayout>
#include <QLabel>
#include <QStandardPaths>

#include "app/text.h"
#include "exchange/writers.h"

// At file scope because Q_INIT_RESOURCE must not stand inside a namespace.
static void init_template_resource() { Q_INIT_RESOURCE(templates); }

namespace heron::app {

QString template_folder() { return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/templates"; }

QList<TemplateFile> template_files() {
  init_template_resource();
  QList<TemplateFile> out;
  for (const QString& folder : {template_folder(), QString(":/templates")})
    for (const auto& file : QDir(folder).entryInfoList({"*.json"}, QDir::Files, QDir::Name))
      if (const auto study = read_template(file.filePath())) out.append({text(study->name) + (folder.startsWith(':') ? "" : " (mine)"), file.filePath()});
  return out;
}

Result<run::StudyTemplate> read_template(const QString& path) {
  QFile file(path);
  if (!file.open(QIODevice::ReadOnly)) return fail(Fault::input, "{}: the file cannot be read.", path.toStdString());
  return run::template_from(file.readAll().toStdString(), path.toStdString());
}

Result<QString> write_template(const run::StudyTemplate& study) {
  QDir().mkpath(template_folder());
  const QString path = template_folder() + "/" + text(exchange::file_name(study.name)) + ".json";
  const auto json = run::to_json(study).dump(2, ' ', false, nlohmann::json::error_handler_t::replace) + "\n";
  if (const auto written = exchange::write_file(path.toStdString(), json); !written) return tl::unexpected(written.error());
  return path;
}

MatchDialog::MatchDialog(const run::StudyTemplate& study, const run::Unmatched& missing, const run::Device& device, QWidget* parent) : QDialog(parent) {
  setWindowTitle("Whose names are they here");
  auto* form = new QFormLayout(this);
  auto* about = new QLabel(QString("%1 was made for another device. Say what stands for its names on this one.").arg(text(study.name)), this);
  about->setWordWrap(true);
  form->addRow(about);
  const auto add = [&](const std::vector<std::string>& names, const std::vector<std::string>& there, Rows& rows, const QString& what) {
    for (const auto& name : names) {
      auto* choice = new QComboBox(this);
      choice->setAccessibleName(what + " " + text(name));
      choice->addItem("left as it is");
      for (const auto& one : there) choice->addItem(text(one), text(one));
      form->addRow(what + " " + text(name), choice);
      rows.append({name, choice});
    }
  };
  add(missing.pins, run::names_of(device), pins_, "Pin");
  std::vector<std::string> parts;
  for (const auto& part : device.parts) parts.push_back(part.name);
  add(missing.parts, parts, parts_, "Part");
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
  connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  form->addRow(buttons);
}

std::map<std::string, std::string> MatchDialog::chosen(const Rows& rows) {
  std::map<std::string, std::string> out;
  for (const auto& [name, choice] : rows)
    if (const QString to = choice->currentData().toString(); !to.isEmpty()) out[name] = to.toStdString();
  return out;
}

}  // namespace heron::app
