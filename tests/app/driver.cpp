#include "driver.h"

#include <QFile>

#include "mudlark/recipe.h"

namespace heron::drive {

DemoCopy::DemoCopy() {
  static QTemporaryDir made;
  static const auto original = demo::write(made.path().toStdString());
  if (!original) return;
  QFile::copy(QString::fromStdString(*original), path());
  QFile::copy(made.filePath(demo::kPracticeName), practice());
}

OpenWindow::OpenWindow(QSize size) {
  window.setGeometry(QRect(QPoint(0, 0), size));
  window.show();
  window.resize(size);
  window.open(demo.path());
  QApplication::setActiveWindow(&window);
  window.activateWindow();
  settled(window);
  QTest::qWait(50);
}

app::BriefWord* OpenWindow::word(const QString& key) {
  for (auto* word : window.findChildren<app::BriefWord*>("word-" + key))
    if (word->isVisible()) return word;
  return nullptr;
}

QPoint OpenWindow::place_of_point(std::size_t index) {
  auto* plot = static_cast<render::BodePlot*>(bode()->plot());
  const auto view = session().view(*session().shown());
  const auto& point = view->curve.points[index];
  return {int(std::lround(plot->gain_rect()->axis(QCPAxis::atBottom)->coordToPixel(point.frequency))),
          int(std::lround(plot->gain_rect()->axis(QCPAxis::atLeft)->coordToPixel(point.gain_db)))};
}

void OpenWindow::retype(const QString& key, const QString& text) {
  click(word(key));
  QTest::keyClicks(editor(), text);
  QTest::keyClick(editor(), Qt::Key_Return);
  QTest::qWait(10);
}

}  // namespace heron::drive
