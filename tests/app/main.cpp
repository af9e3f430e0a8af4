#define CATCH_CONFIG_RUNNER
#include <QApplication>
#include <catch2/catch.hpp>

#include "app/main_window.h"

int main(int argc, char** argv) {
  qputenv("QT_QPA_PLATFORM", qgetenv("QT_QPA_PLATFORM").isEmpty() ? "offscreen" : qgetenv("QT_QPA_PLATFORM"));
  QApplication app(argc, argv);
  QApplication::setOrganizationName("zealous-heron-tests");
  heron::app::apply_style();
  return Catch::Session().run(argc, argv);
}
