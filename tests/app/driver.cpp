#include "driver.h"

#include <QFile>
#include <stdexcept>

#include "made_demo.h"
#include "mudlark/recipe.h"

namespace heron::drive {

DemoCopy::DemoCopy() {
  static const QString made = QString::fromStdString(test::made_demo());
  if (made.isEmpty()) return;
  QFile::copy(made + "/" + demo::kDossierName, path());
  QFile::copy(made + "/" + demo::kPracticeName, practice());
}

OpenWindow::OpenWindow(QSize size) {
  window.setGeometry(QRect(QPoint(0, 0), size));
  window.show();
  window.resize(size);
  window.open(demo.path());
  window.show_study();
  QApplication::setActiveWindow(&window);
  window.activateWindow();
  settled(window);
  QTest::qWait(50);
}

void OpenWindow::choose_study(const QString& name) {
  for (const auto& study : desk().document.studies())
    if (QString::fromStdString(study.name) == name) desk().focus.select_study(study.id);
  settled(window);
}

app::BriefWord* OpenWindow::word(const QString& key) {
  for (auto* word : window.findChildren<app::BriefWord*>("word-" + key))
    if (word->isVisible()) return word;
  return nullptr;
}

QPoint OpenWindow::place_of_point(std::size_t index) {
  auto* plot = static_cast<app::BodePlot*>(bode()->plot());
  const auto view = desk().readings.view(*desk().focus.shown());
  const auto& point = app::curve_of(view).points[index];
  return {int(std::lround(plot->gain_rect()->axis(QCPAxis::atBottom)->coordToPixel(point.frequency))),
          int(std::lround(plot->gain_rect()->axis(QCPAxis::atLeft)->coordToPixel(point.gain_db)))};
}

study::Figure OpenWindow::figure(std::string_view key) {
  const auto view = desk().readings.view(*desk().focus.shown());
  const auto* found = view->analysis.reading.find(key);
  if (!found) throw std::runtime_error("no figure " + std::string(key));
  return *found;
}

void OpenWindow::retype(const QString& key, const QString& text) {
  QCoreApplication::processEvents();
  click(word(key));
  QTest::keyClicks(editor(), text);
  QTest::keyClick(editor(), Qt::Key_Return);
  QTest::qWait(10);
}

}  // namespace heron::drive
