#include <poppler-qt6.h>

#include <QListWidget>
#include <QPlainTextEdit>
#include <QProcess>
#include <catch2/catch.hpp>

#include "app/report_page.h"
#include "driver.h"

using namespace heron;
using drive::OpenWindow;

namespace report_window {
namespace {

/// The window on a demo whose report is about a few studies: all of them take seconds to lay out.
struct Reported {
  OpenWindow open;
  explicit Reported(const std::vector<std::string>& studies = {"Preamp passband", "Regulator loop"}) {
    auto store = dossier::Store::open_again(open.demo.path().toStdString());
    REQUIRE(store);
    REQUIRE(store->set_report(report::to_json({.studies = studies})));
  }
};

app::ReportPage* page_of(OpenWindow& open) {
  QTest::keyClick(&open.window, Qt::Key_R);
  app::ReportPage* page = nullptr;
  drive::until([&] { return (page = open.window.findChild<app::ReportPage*>()) != nullptr && page->isVisible() && page->preview()->report(); }, 60000);
  return page;
}

void tick_only(OpenWindow& open, const QString& list, const QStringList& names) {
  auto* all = drive::control<QListWidget>(open.window, list);
  REQUIRE(all);
  for (int k = 0; k < all->count(); ++k) all->item(k)->setCheckState(names.contains(all->item(k)->text()) ? Qt::Checked : Qt::Unchecked);
}

QString shown(OpenWindow& open) {
  const auto* label = drive::control<QLabel>(open.window, "What is shown");
  return label ? label->text() : QString();
}

/// The pages hold what is chosen by now.
bool made(OpenWindow& open, app::ReportPage* page, const QString& title) {
  return drive::until([&] { return shown(open).endsWith(" pages") && page->preview()->report()->footer == title; }, 60000);
}

}  // namespace

TEST_CASE("the report follows what is typed and ticked, and is kept in the dossier", "[app][report]") {
  Reported with({"Preamp passband", "Solar string", "Transducer impedance"});
  auto& open = with.open;
  auto* page = page_of(open);
  REQUIRE(page);
  const int before = page->preview()->report()->pages;
  CHECK(before > 4);
  tick_only(open, "Studies of the report", {"Preamp passband", "Transducers compared"});
  auto* title = drive::control<QLineEdit>(open.window, "Title");
  REQUIRE(title);
  title->setFocus();
  QTest::keyClicks(title, "Rev C <as built>");
  auto* summary = drive::control<QPlainTextEdit>(open.window, "Summary");
  summary->setFocus();
  // Its keys are the field's: none of them takes, notes or turns a page.
  QTest::keyClicks(summary, "Unit 09 rings low. Space N V D");
  REQUIRE(made(open, page, "Rev C <as built>"));
  CHECK(page->isVisible());
  CHECK_FALSE(open.desk().runner.running());
  const auto* pages = page->preview()->report();
  REQUIRE(pages->headings.size() == 4);
  CHECK(pages->headings[0].title == "Rev C <as built>");
  CHECK(pages->headings[2].title == "Preamp passband");
  CHECK(pages->document->toPlainText().contains("Unit 09 rings low. Space N V D"));
  // Of one study something else is told than of the other.
  auto* studies = drive::control<QListWidget>(open.window, "Studies of the report");
  studies->setCurrentItem(studies->findItems("Preamp passband", Qt::MatchExactly).front());
  CHECK(drive::button(open.window, "Whose parts")->text() == "Of Preamp passband");
  tick_only(open, "What of each study", {"claims"});
  REQUIRE(drive::until([&] { return shown(open).endsWith(" pages") && !page->preview()->report()->document->toPlainText().section("Transducers compared", 0, 1).contains("Set-up"); }, 60000));
  drive::click(drive::button(open.window, "Whose parts"));
  CHECK(drive::button(open.window, "Whose parts")->text() == "Of each study");
  // Seen again by whoever opens the dossier next.
  REQUIRE(open.window.open(open.demo.path()));
  page = page_of(open);
  REQUIRE(page);
  CHECK(drive::control<QLineEdit>(open.window, "Title")->text() == "Rev C <as built>");
  CHECK(page->preview()->report()->headings.size() == 4);
}

TEST_CASE("a plot as it is seen is put into the report and taken out again", "[app][report]") {
  Reported with;
  auto& open = with.open;
  QTest::keyClick(&open.window, Qt::Key_I);
  REQUIRE(open.desk().document.pictures().size() == 1);
  const auto picture = open.desk().document.pictures().front();
  CHECK(picture.caption == "Preamp passband, Bode, take 2 of unit 07");
  CHECK_FALSE(report::harmless_svg(picture.svg).empty());
  auto* page = page_of(open);
  REQUIRE(page);
  auto* kept = drive::control<QListWidget>(open.window, "Kept plots");
  REQUIRE(kept->count() == 1);
  kept->setFocus();
  kept->setCurrentRow(0);
  QTest::keyClick(kept, Qt::Key_Delete);
  CHECK(open.desk().document.pictures().empty());
}

TEST_CASE("the PDF opens elsewhere, with its bookmarks, numbers and words, and is the same each time", "[app][report]") {
  Reported with;
  auto& open = with.open;
  auto* page = page_of(open);
  REQUIRE(page);
  auto* title = drive::control<QLineEdit>(open.window, "Title");
  title->setFocus();
  QTest::keyClicks(title, "Two");
  REQUIRE(made(open, page, "Two"));
  const QString path = open.demo.file("report.pdf"), again = open.demo.file("again.pdf");
  REQUIRE(page->write(path).isEmpty());
  REQUIRE(page->write(again).isEmpty());
  const auto bytes = [](const QString& name) {
    QFile file(name);
    file.open(QIODevice::ReadOnly);
    return file.readAll();
  };
  CHECK(bytes(path) == bytes(again));
  const auto document = Poppler::Document::load(path);
  REQUIRE(document);
  CHECK(document->title() == "Two");
  REQUIRE(document->numPages() == page->preview()->report()->pages);
  const auto outline = document->outline();
  REQUIRE(outline.size() == 4);
  CHECK(outline[2].name() == "Preamp passband");
  CHECK(outline[3].name() == "Regulator loop");
  // The bookmark's page has the heading, and the contents say its number.
  const int at = outline[3].destination()->pageNumber();
  QString words = document->page(at - 1)->text({});
  CHECK(words.contains("Regulator loop"));
  CHECK(words.contains(QString("%1 of %2").arg(at).arg(document->numPages())));
  const QString first = document->page(0)->text({});
  CHECK(first.contains(QRegularExpression(QString("Regulator loop\\s+%1\\b").arg(at))));
  QString all;
  for (int k = 0; k < document->numPages(); ++k) all += document->page(k)->text({});
  CHECK(all.contains("High corner"));
  CHECK(all.contains("10 kHz"));
  CHECK(all.contains("fails"));
}

TEST_CASE("the HTML is sound by an independent reader, and a place that cannot be written to is told", "[app][report]") {
  Reported with(std::vector<std::string>{});
  auto& open = with.open;
  auto* page = page_of(open);
  REQUIRE(page);
  CHECK(page->preview()->report()->pages > 60);
  const QString path = open.demo.file("report.html");
  REQUIRE(page->write(path).isEmpty());
  QProcess tidy;
  tidy.start("tidy", {"-q", "-e", "-utf8", path});
  REQUIRE(tidy.waitForStarted());
  REQUIRE(tidy.waitForFinished());
  // 0: nothing to say, 1: warnings, 2: errors.
  INFO(tidy.readAllStandardError().left(1000).toStdString());
  CHECK(tidy.exitCode() == 0);
  CHECK(page->write(open.demo.file("no/such/folder/report.html")).contains("no/such/folder"));
}

}  // namespace report_window
