#pragma once
#include <QComboBox>
#include <QDialog>
#include <QList>
#include <QMap>

#include "run/study_template.h"

namespace heron::app {

/// Templates of studies that can be begun with: the user's own, and those that ship with the program.
struct TemplateFile {
  QString name;  ///< "Preamp passband"
  QString path;
};
QList<TemplateFile> template_files();
QString template_folder();
Result<run::StudyTemplate> read_template(const QString& path);
/// Among the user's own, in the place of one of the same name.
Result<QString> write_template(const run::StudyTemplate& study);

/// Which of the device's names stand for those of a template that it does not have.
class MatchDialog : public QDialog {
  Q_OBJECT

 public:
  MatchDialog(const run::StudyTemplate& study, const run::Unmatched& missing, const run::Device& device, QWidget* parent);

  std::map<std::string, std::string> pins() const { return chosen(pins_); }
  std::map<std::string, std::string> parts() const { return chosen(parts_); }

 private:
  using Rows = QList<std::pair<std::string, QComboBox*>>;
  static std::map<std::string, std::string> chosen(const Rows& rows);

  Rows pins_, parts_;
};

}  // namespace heron::app
