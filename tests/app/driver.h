#pragma once
#include <QApplication>
#include <QInputDialog>
#include <QLineEdit>
#include <QMenu>
#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTest>
#include <QTimer>
#include <functional>

#include "app/kinds/iv/iv_view.h"
#include "app/kinds/response/bode_lens.h"
#include "app/kinds/response/response_view.h"
#include "app/main_window.h"
#include "render/plot_parts.h"

/// Drives the real window as a person would: finds controls by their accessible names, clicks, types, waits.
namespace heron::drive {

/// Waits until it holds, at most so many milliseconds; lets the window work meanwhile. What came of it is laid out by
/// then: nobody clicks on what is not drawn yet.
inline bool until(const std::function<bool()>& holds, int most = 20000) {
  return QTest::qWaitFor(holds, most) && (QCoreApplication::processEvents(), QTest::qWaitFor(holds, most));
}

template <class T = QWidget>
T* control(QWidget& window, const QString& accessible_name) {
  for (auto* widget : window.findChildren<T*>())
    if (widget->accessibleName() == accessible_name && widget->isVisible()) return widget;
  return nullptr;
}

inline QPushButton* button(QWidget& window, const QString& name) { return control<QPushButton>(window, name); }

inline void click(QWidget* widget) { QTest::mouseClick(widget, Qt::LeftButton); }
/// The button that sets what would mend a doubt, by a part of what it sets; null where none is in view.
inline QPushButton* remedy(QWidget& window, const QString& sets) {
  for (auto* button : window.findChildren<QPushButton*>("remedy"))
    if (button->isVisible() && button->toolTip().contains(sets)) return button;
  return nullptr;
}
/// Hatched grounds of a plot.
inline QList<render::ForbiddenGround*> grounds(const QCustomPlot* plot) {
  QList<render::ForbiddenGround*> out;
  for (int k = 0; k < plot->itemCount(); ++k)
    if (auto* ground = dynamic_cast<render::ForbiddenGround*>(plot->item(k))) out << ground;
  return out;
}
/// A line of the menu that a button opens; false where there is none.
inline bool choose(QWidget& window, const QString& word, const QString& line) {
  click(button(window, word));
  QMenu* menu = nullptr;
  if (!until([&] { return (menu = qobject_cast<QMenu*>(QApplication::activePopupWidget())) != nullptr; })) return false;
  for (auto* action : menu->actions())
    if (action->text() == line) {
      QTest::mouseClick(menu, Qt::LeftButton, {}, menu->actionGeometry(action).center());
      return true;
    }
  return false;
}

/// Does something with the next dialog of a kind as soon as that is open, however long it takes; call before what opens it.
template <class Dialog>
void with_next(std::function<void(Dialog&)> act) {
  auto* timer = new QTimer(qApp);
  QObject::connect(timer, &QTimer::timeout, [timer, act = std::move(act)] {
    auto* dialog = qobject_cast<Dialog*>(QApplication::activeModalWidget());
    if (!dialog || !dialog->isVisible()) return;
    timer->stop();
    timer->deleteLater();
    act(*dialog);
  });
  timer->start(20);
}

/// Does what the finder offers first for these words; false where there is no finder.
inline bool by_name(QWidget& window, const QString& words) {
  // A dialog that was open before leaves no window active.
  window.activateWindow();
  if (!QTest::qWaitForWindowActive(&window)) return false;
  QTest::keyClick(&window, Qt::Key_K, Qt::ControlModifier);
  auto* field = control<QLineEdit>(window, "Find");
  if (!field) return false;
  QTest::keyClicks(field, words);
  QTest::keyClick(field, Qt::Key_Return);
  return true;
}

/// The take in view has been read and drawn.
inline bool settled(app::MainWindow& window) {
  return until([&] {
    auto& desk = window.desk();
    return !desk.runner.running() && (!desk.focus.shown() || desk.readings.shown()) &&
           (!desk.focus.kind() || window.page().lens());
  });
}

/// Every study's newest take has been read, so that the ledger is whole.
inline bool ledger_read(app::MainWindow& window) {
  auto& desk = window.desk();
  return until(
      [&] {
        for (const auto& study : desk.document.studies())
          if (desk.readings.has_judged(study.id) && !desk.readings.judged(study.id)) return false;
        return true;
      },
      60000);
}

/// A copy of the demo dossier in a folder of its own; the demo is measured once a process.
class DemoCopy {
 public:
  DemoCopy();
  QString path() const { return folder_.filePath("mudlark_buoy.heron"); }
  QString practice() const { return folder_.filePath("mudlark_practice.heron"); }
  QString file(const QString& name) const { return folder_.filePath(name); }

 private:
  QTemporaryDir folder_;
};

/// The window on a demo dossier, shown and settled.
struct OpenWindow {
  DemoCopy demo;
  app::MainWindow window;

  explicit OpenWindow(QSize size = {1280, 800});
  app::Desk& desk() { return window.desk(); }
  app::BriefWord* word(const QString& key);
  QLineEdit* editor() { return control<QLineEdit>(window, "New value"); }
  app::BodeLens* bode() { return window.findChild<app::BodeLens*>("lens-bode"); }
  /// Where a point of the take in view lies in the plot, in the gain panel.
  QPoint place_of_point(std::size_t index);
  /// A figure of the take in view; throws when it has none of that name.
  study::Figure figure(std::string_view key);
  /// Brings a study into view by its name and waits until its newest take is drawn.
  void choose_study(const QString& name);
  /// Types a new text into a word of the brief and accepts it with Enter.
  void retype(const QString& key, const QString& text);
};

/// The lens of a kind that is in view.
template <class T>
T* visible(OpenWindow& open) {
  for (auto* one : open.window.findChildren<T*>())
    if (one->isVisible()) return one;
  return nullptr;
}

/// The lens of that tab at a study; null where it has no such tab.
template <class T>
T* look_at(OpenWindow& open, const char* study, const char* lens) {
  open.choose_study(study);
  settled(open.window);
  auto* tab = button(open.window, QString("Lens: ") + lens);
  if (!tab) return nullptr;
  click(tab);
  T* found = nullptr;
  until([&] { return (found = visible<T>(open)) != nullptr; });
  return found;
}

}  // namespace heron::drive
