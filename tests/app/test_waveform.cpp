#include <catch2/catch.hpp>

#include "app/kinds/waveform/lines_lens.h"
#include "app/kinds/waveform/record_lens.h"
#include "app/kinds/waveform/waveform_view.h"
#include "app/kinds/waveform/xy_lens.h"
#include "app/lenses/repetitions_lens.h"
#include "app/word_editor.h"
#include "driver.h"
#include "render/plot_parts.h"

using namespace heron;
using drive::OpenWindow;

namespace {

app::RecordLens* record_lens(OpenWindow& open) { return qobject_cast<app::RecordLens*>(open.window.page().lens()); }

/// Of a cursor card by its label.
QString card(const app::Lens& lens, const QString& label) {
  for (const auto& one : lens.cards())
    if (one.label == label) return one.number + " " + one.unit;
  return {};
}

}  // namespace

TEST_CASE("a record is looked at whole and in part, by wheel, strip and keys", "[app][waveform]") {
  OpenWindow open;
  open.choose_study("Clamp under surges");
  auto* lens = record_lens(open);
  REQUIRE(lens);
  auto* plot = lens->record_plot();
  REQUIRE(drive::until([&] { return plot->names() == QStringList{"v", "i"}; }));
  REQUIRE(drive::until([&] { return plot->whole().size() > 59e-6; }));
  CHECK(plot->panels().size() == 2);
  const auto all = plot->span();
  CHECK(all.size() == Approx(60e-6).epsilon(0.01));
  plot->replot();
  // The wheel zooms at the pointer: what is under it stays.
  auto* x = plot->panels().first()->axis(QCPAxis::atBottom);
  const QPoint at(int(x->coordToPixel(10e-6)), plot->panels().first()->center().y());
  const double before = x->pixelToCoord(at.x());
  QWheelEvent wheel(at, plot->mapToGlobal(at), {}, QPoint(0, 480), Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
  QApplication::sendEvent(plot, &wheel);
  CHECK(plot->span().size() == Approx(all.size() * std::pow(0.85, 4)).epsilon(1e-6));
  CHECK(x->pixelToCoord(at.x()) == Approx(before).margin(1e-9));
  // Both panels move together.
  CHECK(plot->panels().last()->axis(QCPAxis::atBottom)->range() == plot->span());
  // A press in the strip brings the part in view there; dragging takes it along.
  plot->replot();
  auto* strip = plot->axisRect(0);
  const QPoint in_strip(strip->left() + strip->width() / 4, strip->center().y());
  QTest::mousePress(plot, Qt::LeftButton, {}, in_strip);
  QTest::mouseMove(plot, in_strip + QPoint(40, 0));
  QTest::mouseRelease(plot, Qt::LeftButton, {}, in_strip + QPoint(40, 0));
  CHECK(plot->span().lower >= all.lower - 1e-9);
  CHECK(plot->span().size() == Approx(all.size() * std::pow(0.85, 4)).epsilon(1e-6));
  QTest::mouseDClick(plot, Qt::LeftButton, {}, at);
  CHECK(plot->span().size() == Approx(all.size()).epsilon(1e-6));
  QTest::keyClick(&open.window, Qt::Key_Backspace);
  CHECK(plot->span().size() < 0.6 * all.size());
  // One panel a unit, and back.
  drive::click(drive::button(open.window, "Panels"));
  CHECK(drive::button(open.window, "Panels")->text() == "a panel a unit");
  // One for all, each on its own scale where it covers no other; a wheel with Shift zooms them together.
  drive::click(drive::button(open.window, "Panels"));
  REQUIRE(drive::button(open.window, "Panels")->text() == "one panel, laid apart");
  REQUIRE(plot->panels().size() == 1);
  const auto view = open.desk().readings.shown();
  REQUIRE(app::records_of(view).back()->traces.size() == 2);
  double floor = 1;
  for (const auto& trace : app::records_of(view).back()->traces) {
    const auto extremes = trace->envelope(0, trace->size(), 1);
    const auto upright = plot->upright_of(trace->name);
    REQUIRE(extremes);
    REQUIRE(upright);
    const double high = (extremes->front().high - upright->lower) / upright->size();
    CHECK(high < floor);
    floor = (extremes->front().low - upright->lower) / upright->size();
    CHECK(floor > 0);
    CHECK(high - floor > 0.3);
  }
  // As it is drawn: the room for names is known by then.
  plot->replot();
  const auto first = *plot->upright_of(app::records_of(view).back()->traces[0]->name), second = *plot->upright_of(app::records_of(view).back()->traces[1]->name);
  QWheelEvent upright(at, plot->mapToGlobal(at), {}, QPoint(0, 120), Qt::NoButton, Qt::ShiftModifier, Qt::NoScrollPhase, false);
  QApplication::sendEvent(plot, &upright);
  CHECK(plot->upright_of(app::records_of(view).back()->traces[0]->name)->size() == Approx(0.85 * first.size()));
  CHECK(plot->upright_of(app::records_of(view).back()->traces[1]->name)->size() == Approx(0.85 * second.size()));
  drive::click(drive::button(open.window, "Panels"));
  REQUIRE(drive::button(open.window, "Panels")->text() == "one panel, over each other");
  for (const auto& trace : app::records_of(view).back()->traces) CHECK(plot->upright_of(trace->name)->size() < first.size() + second.size());
  drive::click(drive::button(open.window, "Panels"));
  CHECK(drive::button(open.window, "Panels")->text() == "a panel each");
}

TEST_CASE("cursors on a record read every quantity and what lies between", "[app][waveform]") {
  OpenWindow open;
  open.choose_study("Hold-up discharge");
  auto* lens = record_lens(open);
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->record_plot()->whole().size() > 0.8; }));
  open.desk().look.set_cursor('A', 0.05);
  open.desk().look.set_cursor('B', 0.25);
  REQUIRE(drive::until([&] { return !card(*lens, "B \u2212 A").isEmpty(); }));
  CHECK(card(*lens, "B \u2212 A") == "200.0 ms");
  // From 4.3 V by the time constant of 68 ohm and 5.02 mF, within the tolerance of the resistor.
  const double tau = 68 * 5.02e-3, a = card(*lens, "v_cap at A").section(' ', 0, 0).toDouble();
  CHECK(a == Approx(4.3 * std::exp(-0.05 / tau)).epsilon(0.02));
  CHECK(card(*lens, "v_cap, B \u2212 A").contains("V"));
  // A figure that is chosen is marked where it was read.
  open.desk().look.set_figure("time.at(2.7V,falling)");
  CHECK(drive::until([&] {
    for (int k = 0; k < lens->record_plot()->itemCount(); ++k)
      if (auto* ring = qobject_cast<QCPItemTracer*>(lens->record_plot()->item(k)))
        if (std::abs(ring->position->key() - 0.159) < 0.005) return true;
    return false;
  }));
}

TEST_CASE("a capture is set up in words, taken with Space and judged, a missed edge says what it waits for", "[app][waveform]") {
  OpenWindow open;
  open.choose_study("Preamp step");
  const auto before = open.desk().focus.takes().size();
  open.retype("length", "150 us");
  CHECK(open.word("samples")->text() == "3000 samples");
  open.retype("shape", "a sine");
  open.retype("period", "20 kHz");
  CHECK(open.word("period")->text() == QString::fromUtf8("50 \u00b5s"));
  open.retype("length", "5 periods");
  CHECK(open.word("length")->text() == QString::fromUtf8("250 \u00b5s"));
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return !open.desk().runner.running() && open.desk().focus.takes().size() == before + 1; }, 60000));
  REQUIRE(drive::settled(open.window));
  auto shown = [&] { return open.desk().readings.shown(); };
  REQUIRE(drive::until([&] { return shown() && shown()->analysis.reading.find("v_out.frequency"); }));
  CHECK(shown()->analysis.reading.find("v_out.frequency")->value == Approx(20e3).epsilon(1e-3));

  open.retype("when", "an edge comes");
  open.retype("level", "45 mV");
  open.retype("patience", "2 ms");
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return !open.desk().runner.running() && open.desk().focus.takes().size() == before + 2; }, 60000));
  REQUIRE(drive::until([&] {
    return shown() && std::any_of(shown()->analysis.reading.doubts.begin(), shown()->analysis.reading.doubts.end(),
                                  [](const auto& d) { return d.key == "trigger.missing"; });
  }));
  // What there was instead can be looked at.
  CHECK(shown()->analysis.reading.find("v_out.peak_to_peak"));
}

TEST_CASE("cursors go to per cents of states and of a start by their keys", "[app][waveform]") {
  OpenWindow open;
  open.choose_study("Hold-up discharge");
  auto* lens = record_lens(open);
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->record_plot()->whole().size() > 0.8; }));
  QTest::keyClick(&open.window, Qt::Key_O);
  auto& look = open.desk().look;
  REQUIRE(drive::until([&] { return look.cursor('A') && look.cursor('B'); }));
  // From 90 to 33.1 % of what it held is one time constant, of 68 ohm and 5.02 mF within their tolerances.
  CHECK(*look.cursor('B') - *look.cursor('A') == Approx(68 * 5.02e-3).epsilon(0.03));
  open.choose_study("Preamp step");
  lens = record_lens(open);
  REQUIRE(lens);
  QTest::keyClick(&open.window, Qt::Key_P);
  REQUIRE(drive::until([&] { return look.cursor('A') && look.cursor('B'); }));
  const double seconds = *look.cursor('B') - *look.cursor('A');
  CHECK(seconds > 0);
  CHECK(seconds < 0.2 * lens->record_plot()->whole().size());
  CHECK(card(*lens, "B \u2212 A").contains("s"));
}

TEST_CASE("one quantity is drawn against another, with its direction and its times", "[app][waveform]") {
  OpenWindow open;
  open.choose_study("Clamp under surges");
  QTest::keyClick(&open.window, Qt::Key_2);
  auto* lens = drive::visible<app::XyLens>(open);
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->path().time.size() > 100; }));
  auto* plot = lens->plot();
  CHECK(plot->xAxis->label().startsWith("v"));
  CHECK(plot->yAxis->label().startsWith("i"));
  const auto count = [&](const char* name) {
    int out = 0;
    for (int k = 0; k < plot->itemCount(); ++k) out += plot->item(k)->objectName() == name;
    return out;
  };
  CHECK(count("direction") >= 2);
  CHECK(count("time") >= 3);
  // A click on the curve sets cursor A to its time: the record reads it there too.
  const auto& path = lens->path();
  const auto k = path.time.size() / 3;
  plot->replot();
  const QPoint at(int(std::lround(plot->xAxis->coordToPixel(path.x[k]))), int(std::lround(plot->yAxis->coordToPixel(path.y[k]))));
  QTest::mouseClick(plot, Qt::LeftButton, {}, at);
  REQUIRE(open.desk().look.cursor('A'));
  CHECK_FALSE(lens->cards().isEmpty());
  // One quantity alone has nothing to stand against: a word says so, and nothing else is shown.
  open.choose_study("Hold-up discharge");
  REQUIRE(drive::until([&] { return lens->path().time.empty() && !drive::button(open.window, "Exchange"); }));
  CHECK_FALSE(plot->xAxis->visible());
  open.choose_study("Clamp under surges");
  REQUIRE(drive::until([&] { return !lens->path().time.empty() && drive::button(open.window, "Exchange"); }));
  CHECK(plot->xAxis->visible());
  drive::click(drive::button(open.window, "Exchange"));
  CHECK(drive::until([&] { return plot->xAxis->label().startsWith("i"); }));
}

TEST_CASE("figures over repetitions, and the pass with the extreme one click away", "[app][waveform]") {
  OpenWindow open;
  open.choose_study("Preamp step");
  REQUIRE(open.desk().focus.edit({{"passes", "9 records"}}).isEmpty());
  const auto before = open.desk().focus.takes().size();
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return !open.desk().runner.running() && open.desk().focus.takes().size() == before + 1; }, 60000));
  REQUIRE(drive::settled(open.window));
  QTest::keyClick(&open.window, Qt::Key_3);
  auto* lens = drive::visible<app::RepetitionsLens>(open);
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return !lens->repeated().empty(); }));
  for (const auto& one : lens->repeated()) {
    CHECK(one.values.size() <= 9);
    CHECK(one.values[one.lowest] <= one.mean + 1e-12 * std::abs(one.mean));
    CHECK(one.values[one.highest] >= one.mean - 1e-12 * std::abs(one.mean));
  }
  QTest::keyClick(&open.window, Qt::Key_Down);
  auto* highest = drive::button(open.window, "Highest");
  REQUIRE(highest);
  const QString said = highest->text().section(' ', -1);
  drive::click(highest);
  REQUIRE(drive::until([&] { return record_lens(open) != nullptr; }));
  auto* pass = drive::button(open.window, "Pass");
  REQUIRE(pass);
  CHECK(pass->text() == QString("pass %1 of 9").arg(said));
  QTest::keyClick(&open.window, Qt::Key_BracketRight);
  CHECK(pass->text() == QString("pass %1 of 9").arg(said.toInt() % 9 + 1));
}

TEST_CASE("a surge is armed by hand for each take, and an edit disarms", "[app][waveform]") {
  OpenWindow open;
  open.choose_study("Clamp under surges");
  drive::settled(open.window);
  REQUIRE(drive::until([&] { return drive::button(open.window, "Arm") != nullptr; }));
  const auto takes = open.desk().focus.takes().size();
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return drive::button(open.window, "Fire") != nullptr; }));
  const auto& said = open.desk().messages.all();
  CHECK(said.back().text.startsWith("Armed: a surge of 60"));
  CHECK_FALSE(open.desk().runner.running());
  REQUIRE(open.desk().focus.edit("surge_peak", "50 V").isEmpty());
  REQUIRE(drive::until([&] { return !open.desk().runner.armed() && drive::button(open.window, "Arm") != nullptr; }));
  drive::settled(open.window);
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return open.desk().runner.armed(); }));
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return open.desk().focus.takes().size() == takes + 1 && !open.desk().runner.running(); }, 60000));
  CHECK_FALSE(open.desk().runner.armed());
  // What harms nothing is taken at once.
  open.choose_study("Preamp step");
  CHECK(drive::until([&] { return drive::button(open.window, "Take") != nullptr; }));
}

TEST_CASE("surges are scaled to one peak and their shapes compared", "[app][waveform]") {
  OpenWindow open;
  open.choose_study("Clamp under surges");
  auto* lens = record_lens(open);
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->record_plot()->whole().size() > 59e-6; }));
  auto* scale = drive::button(open.window, "Scale");
  REQUIRE(scale);
  drive::click(scale);
  CHECK(scale->text() == "scaled to one peak");
  // Alone it has nothing to differ from, and says what to do.
  REQUIRE(drive::until([&] { return card(*lens, "Shapes").startsWith(QString::fromUtf8("\u2013")); }));
  QList<long long> all;
  for (const auto& take : open.desk().focus.takes()) all << take.id;
  open.desk().focus.overlay(all);
  REQUIRE(drive::until([&] { return card(*lens, "i, take 1").contains("%"); }));
  // A clamp flattens the voltage: the higher the surge, the more its current follows it and the less its voltage does.
  CHECK(card(*lens, "i, take 1").section(' ', 0, 0).toDouble() > 5);
  auto* y = lens->record_plot()->panels().first()->axis(QCPAxis::atLeft);
  CHECK(y->range().upper > 100);
  CHECK(y->range().upper < 130);
  drive::click(scale);
  CHECK(drive::until([&] { return y->range().upper < 20; }));
}

TEST_CASE("passes are seen as density and as mean with envelope, and one picture can be kept while others come", "[app][waveform]") {
  OpenWindow open;
  open.choose_study("Preamp step");
  REQUIRE(open.desk().focus.edit({{"passes", "6 records"}}).isEmpty());
  const auto before = open.desk().focus.takes().size();
  QTest::keyClick(&open.window, Qt::Key_Space);
  REQUIRE(drive::until([&] { return !open.desk().runner.running() && open.desk().focus.takes().size() == before + 1; }, 60000));
  REQUIRE(drive::settled(open.window));
  auto* lens = record_lens(open);
  REQUIRE(lens);
  auto* together = drive::button(open.window, "Together");
  REQUIRE(together);
  CHECK(together->text() == "one before the others");
  drive::click(together);
  CHECK(together->text() == "density");
  CHECK(drive::until([&] { return lens->record_plot()->clouds() > 0; }));
  // Zoomed in, the cells are counted anew for the part in view.
  const auto all = lens->record_plot()->span();
  lens->record_plot()->set_span({all.center(), all.center() + all.size() / 10});
  CHECK(drive::until([&] { return lens->record_plot()->clouds() > 0; }));
  drive::click(together);
  CHECK(together->text() == "mean and envelope");
  CHECK(lens->record_plot()->clouds() == 0);
  drive::click(together);
  CHECK(together->text() == "one before the others");
  // What is held stays, whatever is looked at.
  QTest::keyClick(&open.window, Qt::Key_K);
  auto* hold = drive::button(open.window, "Hold");
  REQUIRE(hold);
  CHECK(hold->text() == "held");
  const auto colour = lens->record_plot()->graph(lens->record_plot()->graphCount() - 1)->pen().color();
  QTest::keyClick(&open.window, Qt::Key_Left);
  CHECK(lens->record_plot()->graph(lens->record_plot()->graphCount() - 1)->pen().color() == colour);
  QTest::keyClick(&open.window, Qt::Key_K);
}

TEST_CASE("between samples the line runs straight or band-limited, dots where the samples are", "[app][waveform]") {
  OpenWindow open;
  open.choose_study("Preamp step");
  auto* lens = record_lens(open);
  REQUIRE(lens);
  auto* plot = lens->record_plot();
  REQUIRE(drive::until([&] { return plot->whole().size() > 0 && !plot->names().isEmpty(); }));
  const auto all = plot->span();
  plot->set_span({0, all.size() / 400});
  plot->replot();
  const auto drawn = [&] {
    qsizetype most = 0;
    for (int k = 0; k < plot->graphCount(); ++k)
      if (plot->graph(k)->keyAxis()->axisRect() == plot->panels().first()) most = std::max<qsizetype>(most, plot->graph(k)->data()->size());
    return most;
  };
  const auto samples = drawn();
  REQUIRE(samples < 200);
  auto* between = drive::button(open.window, "Between");
  REQUIRE(between);
  drive::click(between);
  CHECK(between->text() == "sin(x)/x between");
  CHECK(drive::until([&] {
    plot->replot();
    return drawn() > 4 * samples;
  }));
  drive::click(between);
  CHECK(drive::until([&] {
    plot->replot();
    return drawn() == samples;
  }));
}

TEST_CASE("in a low window one doubt leaves the picture its room, and the others are one click away", "[app][waveform]") {
  OpenWindow open;
  open.window.resize(1000, 640);
  open.choose_study("Preamp step");
  REQUIRE(drive::settled(open.window));
  REQUIRE(drive::until([&] { return drive::button(open.window, "More doubts") != nullptr; }));
  const auto bands = [&] { return open.window.findChildren<QFrame*>("doubt").count(); };
  CHECK(drive::until([&] { return bands() == 1; }));
  CHECK(drive::button(open.window, "More doubts")->toolTip().contains("Doubt:"));
  drive::click(drive::button(open.window, "More doubts"));
  CHECK(drive::until([&] { return bands() == 2 && !drive::button(open.window, "More doubts"); }));
  open.window.resize(1280, 800);
  CHECK(drive::until([&] { return bands() == 2; }));
}

TEST_CASE("a record is seen by frequency, with its window named", "[app][waveform]") {
  OpenWindow open;
  open.choose_study("Preamp step");
  REQUIRE(drive::settled(open.window));
  QTest::keyClick(&open.window, Qt::Key_4);
  auto* lens = drive::visible<app::LinesLens>(open);
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->plot()->graphCount() > 0 && !lens->cards().isEmpty(); }));
  auto* window = drive::button(open.window, "Window");
  REQUIRE(window);
  CHECK(window->text() == "Hann window");
  CHECK(lens->plot()->xAxis->range().upper > 1000);
  // Between cursors that are not there it says what to do.
  auto* part = drive::button(open.window, "Part");
  REQUIRE(part);
  for (const char letter : {'A', 'B'}) open.desk().look.set_cursor(letter, std::nullopt);
  drive::click(part);
  CHECK(drive::until([&] { return lens->plot()->graphCount() == 0; }));
}

TEST_CASE("the range that fits is one click away, and the other inputs a word", "[app][waveform]") {
  OpenWindow open;
  open.choose_study("Clamp under surges");
  auto* lens = record_lens(open);
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->record_plot()->names() == QStringList{"v", "i"}; }));
  auto* ranges = drive::button(open.window, "Ranges");
  REQUIRE(ranges);
  REQUIRE(drive::until([&] { return ranges->text().contains("% of its range"); }));
  // A word of the brief, typed as she would.
  REQUIRE(open.desk().focus.edit("hookup.digitiser", "fast inputs").isEmpty());
  REQUIRE(open.desk().focus.plan()->hookup());
  CHECK(open.desk().focus.plan()->hookup()->digitiser == bench::Digitiser::fast);
  open.desk().document.undo_stack().undo();
  CHECK(open.desk().focus.plan()->hookup()->digitiser == bench::Digitiser::accurate);
}

TEST_CASE("a limit over time is hatched ground in its quantity's panel, and one in another unit is refused", "[app][waveform]") {
  OpenWindow open;
  open.choose_study("Clamp under surges");
  auto* lens = record_lens(open);
  REQUIRE(lens);
  REQUIRE(drive::until([&] { return lens->record_plot()->names() == QStringList{"v", "i"}; }));
  const auto id = open.desk().focus.study_id();
  CHECK(open.desk().document.write_claim(id, "v at most 9 A from 0 s to 40 us").contains("v is in V; the limit is in A"));
  CHECK(open.desk().document.write_claim(id, "v at most 9 V from 0 s to 40 us").isEmpty());
  CHECK(drive::until([&] { return drive::grounds(lens->record_plot()).size() == 1; }));
  open.desk().document.undo_stack().undo();
  CHECK(drive::until([&] { return drive::grounds(lens->record_plot()).isEmpty(); }));
}

TEST_CASE("a drive by points is read from a file in the word's own field", "[app][waveform]") {
  OpenWindow open;
  open.choose_study("Preamp step");
  REQUIRE(open.desk().focus.edit({{"drive", "generator"}, {"shape", "points"}}).isEmpty());
  REQUIRE(drive::until([&] { return open.word("points") != nullptr; }));
  drive::click(open.word("points"));
  auto* editor = open.window.findChild<app::BriefEditor*>();
  REQUIRE(editor);
  REQUIRE(drive::until([&] { return editor->isVisible(); }));
  auto* from_file = editor->findChild<QPushButton*>("from-file");
  REQUIRE(from_file);
  CHECK(from_file->isVisible());
  QTemporaryDir folder;
  const auto write = [&](const char* text) {
    QFile file(folder.filePath("drive.csv"));
    REQUIRE(file.open(QIODevice::WriteOnly));
    file.write(text);
    return file.fileName();
  };
  editor->take_file(write("time (s),volts\n0,0\n1e-4,half\n"));
  auto* refusal = drive::control<QLabel>(open.window, "Why not");
  REQUIRE(refusal);
  CHECK(refusal->text().contains("Point 2"));
  editor->take_file(write("time (s),volts\n0,0\n1e-4,0.02\n2e-4,0.02\n3e-4,0\n"));
  CHECK(drive::until([&] {
    auto* word = open.word("points");
    return word && word->text() == "4 points";
  }));
  // Another word has no file to come from.
  drive::click(open.word("length"));
  REQUIRE(drive::until([&] { return editor->isVisible(); }));
  CHECK_FALSE(from_file->isVisible());
  QTest::keyClick(editor->field(), Qt::Key_Escape);
}
