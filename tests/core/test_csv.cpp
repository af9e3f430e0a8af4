#include <catch2/catch.hpp>
#include <random>

#include "exchange/columns.h"
#include "support.h"

using namespace heron;

namespace {

const study::Kind& response() { return *study::find_kind("response"); }

Result<study::Record> read(const std::string& text, const exchange::ColumnChoice& choice = {}) {
  const auto table = exchange::read_table(text, "t.csv");
  if (!table) return tl::unexpected(table.error());
  return exchange::pick_columns(*table, response(), choice);
}

std::vector<double> column(const Result<study::Record>& record, const char* role) {
  if (!record) FAIL(record.error().message);
  const auto* c = record->find(role);
  if (!c) FAIL("no " << role);
  return c->numbers;
}

using Numbers = std::vector<double>;

}  // namespace

TEST_CASE("tables are read in whatever form they come", "[csv]") {
  struct Row {
    const char *what, *text;
  };
  const auto row = GENERATE(
      Row{"plain", "frequency,gain,phase\n10,1.5,-20\n100,2.5,-30\n"},
      Row{"windows", "frequency,gain,phase\r\n10,1.5,-20\r\n100,2.5,-30\r\n"},
      Row{"old mac", "frequency,gain,phase\r10,1.5,-20\r100,2.5,-30"},
      Row{"byte order mark",
          "\xef\xbb\xbf"
          "frequency,gain,phase\n10,1.5,-20\n100,2.5,-30\n"},
      Row{"semicolon", "frequency;gain;phase\n10;1.5;-20\n100;2.5;-30\n"},
      Row{"decimal comma", "frequency;gain;phase\n10;1,5;-20\n100;2,5;-30\n"},
      Row{"tab and comma", "frequency\tgain\tphase\n10\t1,5\t-20\n100\t2,5\t-30\n"},
      Row{"blanks", "frequency gain phase\n  10   1.5 -20\n 100 2.5   -30\n"},
      Row{"blanks and comma", "frequency gain phase\n10 1,5 -20\n100 2,5 -30\n"},
      Row{"units", "Frequency (kHz),Gain [dB],\"Phase, deg\"\n0.01,1.5,-20\n0.1,2.5,-30\n"},
      Row{"notes", "# bench 4\nfrequency,gain,phase\n# more\n10,1.5,-20\n\n100,2.5,-30\n"},
      Row{"words before", "Measured on Monday\nOperator, somebody\nfrequency,gain,phase\n10,1.5,-20\n100,2.5,-30\n"},
      Row{"quotes", "\"frequency\",\"gain\",\"phase\"\n\"10\",\"1.5\",\"-20\"\n\"100\",\"2.5\",\"-30\"\n"},
      Row{"a text column", "frequency,remark,gain,phase\n10,\"ok, fine\",1.5,-20\n100,bad,2.5,-30\n"},
      Row{"other order", "phase,gain,frequency\n-20,1.5,1e1\n-30,2.5,1E+2\n"},
      Row{"signs", "frequency,gain,phase\n+10,+1.5,-20\n+100,+2.5,-30\n"},
      Row{"no newline", "frequency,gain,phase\n10,1.5,-20\n100,2.5,-30"},
      Row{"spaces", "frequency , gain , phase\n 10 , 1.5 , -20\n 100 , 2.5 , -30\n"},
      Row{"a note in quotes over lines",
          "frequency,gain,phase,remark\n10,1.5,-20,\"two\nlines \"\"here\"\"\"\n100,2.5,-30,one\n"});
  INFO(row.what);
  const auto record = read(row.text);
  CHECK(column(record, "frequency") == Numbers{10, 100});
  CHECK(column(record, "gain") == Numbers{1.5, 2.5});
  CHECK(column(record, "phase") == Numbers{-20, -30});
}

TEST_CASE("columns are chosen by name or number, and scaled", "[csv]") {
  const std::string text = "f (kHz),a,b\n1,2,3\n2,4,6\n";
  CHECK(column(read(text, {.column = {{"frequency", "f"}, {"gain", "3"}}, .scale = {{"gain", 10}}}), "gain") ==
        Numbers{30, 60});
  CHECK(column(read(text, {.column = {{"frequency", "F"}, {"gain", "a"}}, .scale = {}}), "frequency") ==
        Numbers{1000, 2000});
  CHECK(column(read("1,2,3\n2,4,6\n", {.column = {{"frequency", "1"}, {"gain", "2"}}, .scale = {}}), "gain") ==
        Numbers{2, 4});
  CHECK(column(read("frequency,phase (rad),gain\n1,3.14159265358979,0\n"), "phase")[0] == Approx(180));
}

TEST_CASE("notes are kept", "[csv]") {
  const auto table = exchange::read_table("# probe x10\nunit 4\nfrequency,gain\n1,2\n", "t.csv");
  REQUIRE(table);
  CHECK_THAT(table->notes, Catch::Matchers::Contains("probe x10") && Catch::Matchers::Contains("unit 4"));
}

TEST_CASE("what cannot be read is told with its line", "[csv]") {
  struct Row {
    const char *text, *says;
  };
  const auto row =
      GENERATE(Row{"", "t.csv:1: no rows"}, Row{"hello world\n", "no rows of numbers"},
               Row{"frequency,gain\n1,2\n3,x\n", "t.csv:3: column 2 (gain): \"x\" is not a number"},
               Row{"frequency,gain\n1,2\n3\n", "t.csv:3: the row has 1 cells"},
               Row{"frequency,gain\n1,2\n3,nan\n", "t.csv:3: column 2 (gain): \"nan\" is not a finite"},
               Row{"frequency,gain\n1,2\n3,inf\n", "not a finite"},
               Row{"frequency,gain\n1,2\n3,1e999\n", "not a finite"}, Row{"frequency,gain\n1,2\n3,\n", "t.csv:3"},
               Row{"frequency,volume\n1,2\n", "no column plays the role gain; there are 1 frequency, 2 volume"},
               Row{"frequency,gain,gain\n1,2,3\n", "both called gain"},
               Row{"frequency (V),gain\n1,2\n", "is in V, but Hz is wanted"},
               Row{"frequency,gain\n1,\"2\n3,4\n", "t.csv:2: a quotation mark"});
  INFO(row.text);
  const auto record = read(row.text);
  REQUIRE_FALSE(record);
  CHECK(record.error().fault == Fault::input);
  CHECK_THAT(record.error().message, Catch::Matchers::Contains(row.says));
}

TEST_CASE("a column or role that is not there says what there is", "[csv]") {
  const std::string text = "frequency,gain\n1,2\n";
  const auto missing = read(text, {.column = {{"phase", "theta"}}, .scale = {}});
  REQUIRE_FALSE(missing);
  CHECK(missing.error().fault == Fault::input);
  CHECK_THAT(missing.error().message,
             Catch::Matchers::Contains("\"theta\"") && Catch::Matchers::Contains("1 frequency, 2 gain"));
  CHECK(read(text, {.column = {{"colour", "gain"}}, .scale = {}}).error().fault == Fault::usage);
  CHECK(read(text, {.column = {}, .scale = {{"colour", 2}}}).error().fault == Fault::usage);
  CHECK_FALSE(read(text, {.column = {{"gain", "9"}}, .scale = {}}));
  CHECK_FALSE(read(text, {.column = {{"gain", "0"}}, .scale = {}}));
}

TEST_CASE("binary and random bytes never break the reader", "[csv]") {
  CHECK_FALSE(exchange::read_table(std::string("a\0b", 3), "t.csv"));
  std::mt19937_64 random(2);
  const std::string alphabet = "0123456789.,;\t \"\n\r#eE+-abc()[]";
  for (int i = 0; i < 3000; ++i) {
    std::string text;
    for (auto n = random() % 200; n > 0; --n) text += alphabet[random() % alphabet.size()];
    const auto record = read(text, {.column = {{"frequency", "1"}, {"gain", "2"}}, .scale = {}});
    if (!record) CHECK_FALSE(record.error().message.empty());
  }
}

TEST_CASE("a long table is read whole", "[csv]") {
  std::string text = "frequency,gain\n";
  for (int i = 1; i <= 50000; ++i) text += std::to_string(i) + "," + std::to_string(i % 7) + ".25\n";
  const auto record = read(text);
  CHECK(column(record, "gain").size() == 50000);
  CHECK(column(record, "gain").back() == 50000 % 7 + 0.25);
}
