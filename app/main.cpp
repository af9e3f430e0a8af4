#include <QApplication>
#include <QCommandLineParser>
#include <QFileInfo>
#include <QIcon>
#include <QSettings>
#include <cstdio>

#include "base/memory.h"
#include "main_window.h"

int main(int argc, char** argv) {
  heron::keep_freed_memory();
  QApplication app(argc, argv);
  QApplication::setOrganizationName("zealous-heron");
  QApplication::setApplicationName("zealous-heron");
  QCommandLineParser parser;
  parser.setApplicationDescription("Sweeps, figures and verdicts for analog and power-electronics engineers");
  parser.addHelpOption();
  parser.addPositionalArgument("dossier", "the .heron file to open");
  parser.process(app);
  heron::app::apply_style();
  heron::app::MainWindow window;
  const auto files = parser.positionalArguments();
  QString path = files.value(0);
  if (path.isEmpty()) {
    path = QSettings().value("dossier").toString();
    if (!QFileInfo::exists(path)) path.clear();
  }
  window.show();
  if (!path.isEmpty()) window.open(path);
  return QApplication::exec();
}
