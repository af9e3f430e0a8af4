#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>
#include <regex>

#include "core/support.h"
#include "made_demo.h"
#include "report/html.h"
#include "report/markup.h"
#include "run/kept.h"
#include "run/take.h"

using namespace heron;

namespace reports {
namespace {

dossier::Store copy_of_demo(const test::Folder& folder) {
  const auto made = test::made_demo();
  REQUIRE_FALSE(made.empty());
  std::filesystem::copy_file(made + "/mudlark_buoy.heron", folder.file("demo.heron"));
  auto store = dossier::Store::open(folder.file("demo.heron"));
  REQUIRE(store);
  return std::move(*store);
}

std::size_t count_of(const std::string& text, const std::string& what) {
  std::size_t out = 0;
  for (auto at = text.find(what); at != std::string::npos; at = text.find(what, at + what.size())) ++out;
  return out;
}

report::Plot plain_plot() {
  report::Plot out{.about = "a curve", .x_name = "frequency", .x_unit = "Hz", .y_name = "gain", .y_unit = "dB", .log_x = true};
  out.curves.push_back({.colour = "#1b8783", .x = {10, 100, 1000}, .y = {0, -3, -20}});
  return out;
}

}  // namespace

TEST_CASE("a choice is kept and read back as it was, and what makes no sense is as if nobody had chosen", "[report]") {
  report::Choice choice{.title = "Rev C", .author = "bench two", .summary = "It holds.", .studies = {"Preamp"}, .units = {"unit 03"}, .parts = {report::Part::claims, report::Part::points}, .parts_of = {{"Preamp", {report::Part::plots}}}};
  const auto back = report::choice_from(report::to_json(choice));
  CHECK(back.title == choice.title);
  CHECK(back.author == choice.author);
  CHECK(back.summary == choice.summary);
  CHECK(back.studies == choice.studies);
  CHECK(back.units == choice.units);
  CHECK(back.parts == choice.parts);
  CHECK(back.parts_of == choice.parts_of);
  CHECK(back.parts_for("Preamp") == std::set<report::Part>{report::Part::plots});
  CHECK(back.parts_for("Other") == choice.parts);
  CHECK(report::choice_from(7).parts == report::Choice{}.parts);
  CHECK(report::choice_from({{"title", 7}, {"studies", {1, "a"}}}).studies == std::vector<std::string>{"a"});
}

TEST_CASE("a curve is thinned to its extremes and keeps its order", "[report]") {
  std::vector<double> x, y;
  for (int k = 0; k < 100'000; ++k) {
    x.push_back(k);
    y.push_back(k == 70'707 ? 9 : k == 12'345 ? -9 : std::sin(k * 1e-3));
  }
  y[5] = NAN;
  const auto [tx, ty] = report::thinned(x, y, 600);
  CHECK(tx.size() <= 600);
  CHECK(tx.size() > 300);
  CHECK(*std::max_element(ty.begin(), ty.end()) == 9);
  CHECK(*std::min_element(ty.begin(), ty.end()) == -9);
  CHECK(std::is_sorted(tx.begin(), tx.end()));
  const auto [sx, sy] = report::thinned({1, 2, 3}, {4, NAN, 6}, 600);
  CHECK(sx == std::vector<double>{1, 3});
  CHECK(sy == std::vector<double>{4, 6});
}

TEST_CASE("a plot has its text as text, its ticks where they belong and its ground hatched", "[report]") {
  auto plot = plain_plot();
  plot.grounds.push_back({{{10, 3}, {1000, 3}}, true});
  const auto drawn = report::svg(plot, 4);
  CHECK(drawn == report::svg(plot, 4));
  for (const char* text : {">10\u2009Hz<", ">100\u2009Hz<", ">1.0\u2009kHz<", ">gain, dB<", ">frequency<", "url(#ground4)", "aria-label=\"a curve\""}) {
    INFO(text);
    CHECK(drawn.find(text) != std::string::npos);
  }
  // Three decades apart by the same: 66, 287 and 508 of 520, by hand.
  CHECK(drawn.find("M66.0 ") != std::string::npos);
  CHECK(drawn.find("L287.0 ") != std::string::npos);
  CHECK(drawn.find("L508.0 ") != std::string::npos);
  plot.curves.front().x = {-1, 0};
  plot.curves.front().y = {1, 1};
  CHECK(report::svg(plot, 1).empty());
  plot.log_x = false;
  CHECK_FALSE(report::svg(plot, 1).empty());
  plot.curves.front().y = {NAN, INFINITY};
  CHECK(report::svg(plot, 1).empty());
}

TEST_CASE("whatever people write stands in the report as text", "[report][hostile]") {
  CHECK(report::escaped("<b a='1' c=\"2\">&\x01</b>") == "&lt;b a=&#39;1&#39; c=&quot;2&quot;&gt;&amp;\uFFFD&lt;/b&gt;");
  CHECK(report::escaped("\xFC") == "\u00FC");
  report::Content content{.choice = {.title = "<script>alert(1)</script>", .summary = "a < b\n& c"}, .device = "Buoy \"C\""};
  content.units.push_back({.name = "unit </td>", .serial = "<i>7</i>"});
  report::StudyPart study{.name = "<h1>Gain", .kind = "Frequency response", .note = "<!-- -->"};
  study.pictures.push_back({.caption = "<u>", .svg = "<svg onload=\"x()\"></svg>"});
  study.picture_sources.emplace_back();
  content.studies.push_back(study);
  const auto page = report::html(content);
  for (const char* raw : {"<script", "<h1>Gain", "<i>7", "unit </td>", "<u>", "<!--", "onload"}) {
    INFO(raw);
    CHECK(page.find(raw) == std::string::npos);
  }
  CHECK(page.find("&lt;script&gt;alert(1)&lt;/script&gt;") != std::string::npos);
  CHECK(page.find("<p>a &lt; b</p>\n<p>&amp; c</p>") != std::string::npos);
}

TEST_CASE("a drawing that was kept is let in only where it is nothing but a drawing", "[report][hostile]") {
  const auto fine = std::string("<svg viewBox=\"0 0 1 1\"><g stroke=\"#000\"><path d=\"M0 0\"/><text>on = off</text><use href=\"#a\"/></g></svg>");
  CHECK(report::harmless_svg("<?xml version=\"1.0\"?>\n" + fine + "\n") == fine);
  for (const char* bad : {"<script>x</script>", "<SCRIPT/>", "<g onclick=\"x\"/>", "<g\nonclick =\"x\"/>", "<a href=\"http://x\"/>", "<a xlink:href='x'/>", "<foreignObject/>", "<style>@import x</style>", "<image href=\"data:image/svg+xml;base64,x\"/>", "<g fill=\"url(http://x)\"/>", "<!ENTITY x>", "<animate/>"}) {
    INFO(bad);
    CHECK(report::harmless_svg(std::string("<svg>") + bad + "</svg>").empty());
  }
  const auto pixels = std::string("<svg><image xlink:href=\"data:image/png;base64,iVBO\"/></svg>");
  CHECK(report::harmless_svg(pixels) == pixels);
  CHECK(report::harmless_svg("").empty());
  CHECK(report::harmless_svg("</svg><svg>").empty());
}

TEST_CASE("the demo's report says of every claim what the ledger says, to the last digit", "[report][demo][long]") {
  const test::Folder folder;
  auto store = copy_of_demo(folder);
  const auto content = report::gather(store, {});
  if (!content) FAIL(content.error().message);
  const auto page = report::html(*content);
  CHECK(page == report::html(*report::gather(store, {})));
  // Rows of claims, read back from the page in their order.
  const std::regex row("<tr class=\"claim\"(?: data-value=\"([^\"]*)\")?><th scope=\"row\">([^<]*)</th>.*?<span class=\"([a-z_]*)\">");
  struct Read {
    std::string value, of, verdict;
  };
  std::vector<Read> rows;
  for (std::sregex_iterator it(page.begin(), page.end(), row), end; it != end; ++it) rows.push_back({(*it)[1], (*it)[2], (*it)[3]});
  std::size_t seen = 0, claims = 0;
  const auto studies = *store.studies();
  for (const auto& study : studies) {
    const auto takes = *store.takes(study.id);
    for (const auto& [unit, take] : run::newest_of(takes)) {
      const auto read = run::read_take(store, study, take);
      REQUIRE(read);
      const auto lines = run::judge_take(store, study, &take, read->damaged, &read->analysis);
      REQUIRE(lines);
      const auto of = fmt::format("{}, take {}", unit, take.number);
      for (const auto& line : *lines) {
        ++claims;
        const auto verdict = std::string(judge::verdict_text(line.judgement.verdict));
        const auto it = std::find_if(rows.begin(), rows.end(), [&](const auto& one) {
          return one.of == of && one.verdict == verdict && (line.judgement.value ? !one.value.empty() && std::stod(one.value) == *line.judgement.value : one.value.empty());
        });
        INFO(study.name << ": " << line.text() << ", " << of);
        CHECK(it != rows.end());
        if (it != rows.end()) ++seen;
      }
    }
  }
  CHECK(rows.size() == claims);
  CHECK(seen == claims);
  CHECK(claims > 100);
  CHECK(page.find("in doubt") != std::string::npos);
  CHECK(page.find("Zealous Heron") != std::string::npos);
  CHECK(count_of(page, "<svg class=\"plot\"") > 40);
  for (const char* fetched : {"http://", "https://", "src=", "<script", "@import", "<link"}) {
    INFO(fetched);
    const auto allowed = std::string(fetched) == "http://" ? count_of(page, "xmlns=\"http://www.w3.org/2000/svg\"") : 0;
    CHECK(count_of(page, fetched) == allowed);
  }
}

TEST_CASE("studies and units are chosen by name, and what is not there is told", "[report][demo]") {
  const test::Folder folder;
  auto store = copy_of_demo(folder);
  const auto some = report::gather(store, {.studies = {"Preamp passband"}, .units = {"unit 07", "unit 09"}, .parts = {report::Part::claims, report::Part::figures}});
  REQUIRE(some);
  REQUIRE(some->studies.size() == 1);
  REQUIRE(some->studies.front().takes.size() == 1);
  CHECK(some->studies.front().not_taken == std::vector<std::string>{"unit 09"});
  CHECK(some->studies.front().takes.front().curve.columns.empty());
  const auto page = report::html(*some);
  CHECK(page.find("Not taken on unit 09") != std::string::npos);
  CHECK(page.find("unit 03") == std::string::npos);
  CHECK(page.find("<svg class=\"plot\"") == std::string::npos);
  CHECK(report::gather(store, {.studies = {"Nothing"}}).error().message == "there is no study \"Nothing\".");
  CHECK(report::gather(store, {.units = {"unit 99"}}).error().fault == Fault::usage);
  std::stop_source stop;
  stop.request_stop();
  CHECK(report::gather(store, {}, stop.get_token()).error().fault == Fault::stopped);
}

TEST_CASE("of each study is told what was chosen for it", "[report][demo]") {
  const test::Folder folder;
  auto store = copy_of_demo(folder);
  const auto two = report::gather(store, {.studies = {"Preamp passband", "Regulator loop"}, .parts = {report::Part::claims}, .parts_of = {{"Regulator loop", {report::Part::figures, report::Part::plots}}}});
  REQUIRE(two);
  const auto page = report::html(*two);
  const auto second = page.find("<h2>Regulator loop");
  REQUIRE(second != std::string::npos);
  const auto first = page.substr(0, second), rest = page.substr(second);
  CHECK(first.find("<h3>Claims") != std::string::npos);
  CHECK(first.find("<h3>Figures") == std::string::npos);
  CHECK(first.find("class=\"plot\"") == std::string::npos);
  CHECK(rest.find("<h3>Claims") == std::string::npos);
  CHECK(rest.find("<h3>Figures") != std::string::npos);
  CHECK(rest.find("class=\"plot\"") != std::string::npos);
}

TEST_CASE("data that came from a file are told too, though they are of no unit", "[report][overview]") {
  const test::Folder folder;
  auto store = dossier::Store::create(folder.file("files.heron"));
  REQUIRE(store);
  const auto study = store->add_study({.name = "Filter", .kind = "response", .plan = nlohmann::json::object()});
  REQUIRE(study);
  REQUIRE(store->add_claim(*study, {.text = "Corner at least 900 Hz", .figure = "corner.high", .lower = "900 Hz"}));
  study::Record table;
  std::vector<double> f, gain;
  for (int k = 0; k <= 100; ++k) {
    f.push_back(std::pow(10, 1 + 0.04 * k));
    gain.push_back(-10 * std::log10(1 + f.back() * f.back() / 1e6));
  }
  table.channels = {{.role = "frequency", .unit = "Hz", .numbers = f}, {.role = "gain", .unit = "dB", .numbers = gain}};
  REQUIRE(run::import_take(*store, *store->find_study("Filter"), table, "someone's.csv", {}));
  const auto all = run::overview(*store, {.read = true});
  REQUIRE(all);
  CHECK(all->units == std::vector<std::string>{"unit 01", "imported"});
  REQUIRE(all->rows.size() == 1);
  CHECK_FALSE(all->rows[0].cells[0]);
  REQUIRE(all->rows[0].cells[1]);
  CHECK(all->rows[0].cells[1]->judgement.verdict == judge::Verdict::meets);
  const auto content = report::gather(*store, {});
  REQUIRE(content);
  REQUIRE(content->studies.front().takes.size() == 1);
  const auto page = report::html(*content);
  CHECK(page.find("imported, take 1 of ") != std::string::npos);
  CHECK(page.find("someone&#39;s.csv") != std::string::npos);
}

}  // namespace reports
