#include <QApplication>
#include <QElapsedTimer>
#include <QDropEvent>
#include <QFile>
#include <QMetaEnum>
#include <QMimeData>
#include <QTest>
#include <cstdio>
#include <functional>
#include <vector>

#include "tests/app/driver.h"

/// Drives the window through a session and listens to its event loop: prints, for every step, the longest time that the
/// loop was busy with one event and with whose, and how long until what was asked for had been painted.
using namespace heron;

namespace {

double milliseconds(qint64 nanoseconds) { return double(nanoseconds) * 1e-6; }

/// What one event of the loop took, and whose it was.
struct Beat {
  double ms = 0;
  QString whose;
};

class Heart : public QApplication {
 public:
  using QApplication::QApplication;

  bool notify(QObject* receiver, QEvent* event) override {
    if (depth_++ > 0) {
      const bool done = QApplication::notify(receiver, event);
      --depth_;
      return done;
    }
    QElapsedTimer timer;
    timer.start();
    // Neither is there any more when it has been handled.
    const auto type = event->type();
    const QString name = QString("%1 %2").arg(receiver->metaObject()->className(), receiver->objectName());
    const bool done = QApplication::notify(receiver, event);
    --depth_;
    if (const double took = milliseconds(timer.nsecsElapsed()); took > longest.ms)
      longest = {took, QString("%1, %2").arg(name.trimmed(),
                                             QMetaEnum::fromType<QEvent::Type>().valueToKey(type)
                                                 ? QMetaEnum::fromType<QEvent::Type>().valueToKey(type)
                                                 : QString::number(int(type)))};
    return done;
  }

  Beat longest;

 private:
  int depth_ = 0;
};

struct Step {
  QString name;
  Beat longest;
  double until_painted = 0;
};

class Session {
 public:
  explicit Session(Heart& heart) : heart_(heart) {}

  /// @param act   what a person does: itself one event
  /// @param done  holds once what was asked for is there
  void step(const QString& name, const std::function<void()>& act, const std::function<bool()>& done = {}) {
    QCoreApplication::processEvents();
    heart_.longest = {};
    QElapsedTimer timer;
    timer.start();
    act();
    const double acted = milliseconds(timer.nsecsElapsed());
    if (acted > heart_.longest.ms) heart_.longest = {acted, "the act itself; " + heart_.longest.whose};
    // One turn lays out, the next paints.
    QCoreApplication::processEvents();
    QCoreApplication::processEvents();
    const double shown = milliseconds(timer.nsecsElapsed());
    if (done && !QTest::qWaitFor(done, 60'000)) std::printf("did not come: %s\n", qPrintable(name));
    for (int k = 0; k < 40; ++k) {
      QCoreApplication::processEvents(QEventLoop::AllEvents, 10);
      QTest::qSleep(5);
    }
    steps_.push_back({name, heart_.longest, shown});
    const auto& s = steps_.back();
    std::printf("%-44s longest %7.1f ms   shown after %7.1f ms   %s\n", qPrintable(s.name), s.longest.ms,
                s.until_painted, qPrintable(s.longest.whose));
    std::fflush(stdout);
  }

  void sum() const {
    const Step* worst = nullptr;
    int over = 0;
    for (const auto& s : steps_) {
      if (!worst || s.longest.ms > worst->longest.ms) worst = &s;
      over += s.longest.ms > 50;
    }
    if (worst)
      std::printf("%zu steps; the longest gap is %.1f ms (%s: %s); %d are over 50 ms\n", steps_.size(), worst->longest.ms,
                  qPrintable(worst->name), qPrintable(worst->longest.whose), over);
  }

 private:
  Heart& heart_;
  std::vector<Step> steps_;
};

/// A response table of about a megabyte.
QString large_table(const QString& path) {
  QFile file(path);
  if (!file.open(QIODevice::WriteOnly)) return {};
  file.write("frequency (Hz),gain (dB),phase (deg)\n");
  for (int k = 0; k < 25'000; ++k) {
    const double f = 10 * std::pow(10.0, k / 6250.0), x = f / 1e3;
    file.write(QString("%1,%2,%3\n")
                   .arg(f, 0, 'g', 12)
                   .arg(-10 * std::log10(1 + x * x), 0, 'g', 12)
                   .arg(-57.29578 * std::atan(x), 0, 'g', 12)
                   .toLatin1());
  }
  return path;
}

}  // namespace

int main(int argc, char** argv) {
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
  Heart heart(argc, argv);
  QApplication::setOrganizationName("zealous-heron-heartbeat");
  app::apply_style();
  const drive::DemoCopy demo;
  Session session(heart);
  app::MainWindow window;
  auto& desk = window.desk();
  window.resize(1280, 800);
  session.step("show the empty window", [&] { window.show(); });
  session.step("open the demo", [&] { window.open(demo.path()); }, [&] { return bool(desk.readings.shown()); });
  session.step("open it again", [&] { window.open(demo.path()); }, [&] { return bool(desk.readings.shown()); });
  // With a number, nothing but choosing studies, so often: for a profiler.
  for (int round = argc > 1 ? QString(argv[1]).toInt() : 0; round > 0; --round)
    for (const auto& study : desk.document.studies()) {
      desk.focus.select_study(study.id);
      (void)QTest::qWaitFor([&] { return !desk.focus.shown() || desk.readings.shown(); }, 10'000);
      QTest::qWait(20);
    }
  if (argc > 1) return 0;
  for (const auto& study : desk.document.studies()) {
    const auto id = study.id;
    session.step("study: " + QString::fromStdString(study.name), [&] { desk.focus.select_study(id); },
                 [&] { return !desk.focus.shown() || desk.readings.shown(); });
    for (int lens = 1; lens <= 9; ++lens)
      session.step(QString("  lens %1").arg(lens), [&] { QTest::keyClick(&window, Qt::Key(Qt::Key_0 + lens)); });
    QTest::keyClick(&window, Qt::Key_1);
  }
  desk.focus.select_study(desk.document.studies().front().id);
  QTest::qWait(300);
  const auto retype = [&](const QString& key, const QString& text) {
    app::BriefWord* word = nullptr;
    for (auto* one : window.findChildren<app::BriefWord*>("word-" + key))
      if (one->isVisible()) word = one;
    if (!word) return;
    session.step("open the word " + key, [&] { drive::click(word); });
    auto* editor = drive::control<QLineEdit>(window, "New value");
    if (!editor) return;
    session.step("type " + text, [&] { QTest::keyClicks(editor, text); });
    session.step("accept " + text, [&] { QTest::keyClick(editor, Qt::Key_Return); });
  };
  for (const auto& [key, text] : std::initializer_list<std::pair<const char*, const char*>>{
           {"start", "3 Hz"}, {"stop", "150 kHz"}, {"level", "30 mV pk-pk"}, {"points", "6 per decade"}, {"settle_time", "50 ms"}})
    retype(key, text);
  for (int k = 0; k < 5; ++k)
    session.step("undo", [&] { QTest::keyClick(&window, Qt::Key_Z, Qt::ControlModifier); });
  session.step("the Hookup page", [&] { QTest::keyClick(&window, Qt::Key_H); });
  session.step("the Device page", [&] { QTest::keyClick(&window, Qt::Key_D); });
  session.step("the Bench page", [&] { QTest::keyClick(&window, Qt::Key_B); });
  session.step("back to the study", [&] { QTest::keyClick(&window, Qt::Key_Escape); });
  session.step("take", [&] { QTest::keyClick(&window, Qt::Key_Space); }, [&] { return desk.runner.taking(); });
  session.step("it runs", [] {}, [&] { return desk.runner.progress().done >= 5 || !desk.runner.running(); });
  session.step("stop", [&] { QTest::keyClick(&window, Qt::Key_Escape); }, [&] { return !desk.runner.running(); });
  const auto bring_in = [&] { return drive::button(window, "Bring in"); };
  const auto table = large_table(demo.file("large.csv"));
  session.step("look at a table of 1 MB", [&] {
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(table)});
    QDragEnterEvent enter({600, 400}, Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(&window, &enter);
    QDropEvent drop({600, 400}, Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(&window, &drop);
  }, [&] { return bring_in() && bring_in()->isEnabled(); });
  session.step("judge it", [&] { drive::click(bring_in()); },
               [&] { return window.page().isVisible() && desk.readings.shown(); });
  session.step("smaller", [&] { window.resize(1000, 640); });
  session.step("larger", [&] { window.resize(1600, 1000); });
  session.sum();
  return 0;
}
