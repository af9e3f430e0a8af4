#include <catch2/catch.hpp>

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/quantity.h"
#include "base/utf8.h"
#include "exchange/columns.h"
#include "exchange/curves.h"
#include "response_support.h"
#include "study/iv/kind.h"
#include "study/response/kind.h"
#include "truth/truth.h"

using namespace heron;
using Catch::Matchers::Contains;

namespace {

const study::Kind& response_kind() { return *study::find_kind("response"); }
const study::Kind& iv_kind() { return *study::find_kind("iv"); }

Result<study::Record> read_text(const std::string& text, const study::Kind& kind, const exchange::ColumnChoice& choice = {}) {
  const auto table = exchange::read_table(text, "t.csv");
  if (!table) return tl::unexpected(table.error());
  return exchange::pick_columns(*table, kind, choice);
}

std::vector<double> column_of_text(const Result<study::Record>& record, const char* role) {
  if (!record) FAIL(record.error().message);
  const auto* c = record->find(role);
  if (!c) FAIL("no " << role);
  return c->numbers;
}

study::Analysis analysis_of_text(const std::string& text, const study::Kind& kind, const study::SettingsText& settings = {},
                         const std::vector<std::string>& asked = {}) {
  const auto record = read_text(text, kind);
  if (!record) FAIL(record.error().message);
  const auto out = kind.analyse({{.setting = nlohmann::json::object(), .records = {*record}}}, settings, asked);
  if (!out) FAIL(out.error().message);
  return *out;
}

double value_in(const study::Analysis& a, const char* key) {
  const auto* f = a.reading.find(key);
  if (!f) FAIL("no " << key);
  return f->value;
}

}  // namespace

TEST_CASE("units over columns are read as people write them, and never guessed", "[csv][units]") {
  const struct {
    const char *text, *symbol;
    double factor;
  } known[] = {{"A", "A", 1},          {"mA", "A", 1e-3},      {"uA", "A", 1e-6},    {"\u00b5A", "A", 1e-6},
               {"\u03bcA", "A", 1e-6}, {"nA", "A", 1e-9},      {"pA", "A", 1e-12},   {"amps", "A", 1},
               {"mAmp", "A", 1e-3},    {"microA", "A", 1e-6},  {"V/V", "1", 1},      {"rad", "deg", 180 / M_PI},
               {"mrad", "deg", 0.18 / M_PI}, {"deg", "deg", 1}, {"rad/s", "Hz", 1 / (2 * M_PI)}, {"min", "s", 60},
               {"h", "s", 3600},       {"degC", "degC", 1},    {"kOhm", "ohm", 1e3}, {"Ohm", "ohm", 1},
               {"\u03a9", "ohm", 1},   {"kHz", "Hz", 1e3},     {"MHz", "Hz", 1e6},   {"mHz", "Hz", 1e-3},
               {"H", "H", 1},          {"ms", "s", 1e-3}};
  for (const auto& row : known) {
    INFO(row.text);
    const auto unit = column_unit(row.text);
    REQUIRE(unit);
    CHECK(unit->symbol == row.symbol);
    CHECK(unit->factor == Approx(row.factor).epsilon(1e-12));
  }
  for (const char* unknown : {"", "mhz", "CH1", "counts", "furlong", "A/furlong", "mm A"}) {
    INFO(unknown);
    CHECK_FALSE(column_unit(unknown));
  }
  // Latin-1 micro: an unknown unit used to be a factor of one.
  CHECK(column_of_text(read_text("voltage (V),current (\xb5" "A)\n1,1\n2,2\n", iv_kind()), "current") == std::vector<double>{1e-6, 2e-6});
  const auto strange = read_text("voltage (V),current (CH1)\n1,1\n2,2\n", iv_kind());
  REQUIRE_FALSE(strange);
  CHECK(strange.error().fault == Fault::input);
  CHECK_THAT(strange.error().message, Contains("CH1") && Contains("A would do") && Contains("current"));
  // A ratio becomes decibels where decibels are wanted.
  CHECK(column_of_text(read_text("frequency (Hz),gain (V/V)\n10,10\n20,0.1\n", response_kind()), "gain")[1] == Approx(-20));
  CHECK(column_of_text(read_text("frequency (rad/s),gain\n6.283185307179586,1\n12.5,0\n", response_kind()), "frequency")[0] == Approx(1));
}

TEST_CASE("scales make any unit right, and none that has no effect is taken", "[csv]") {
  const std::string text = "voltage (V),drop (mV)\n1,5\n2,10\n";
  CHECK(column_of_text(read_text(text, iv_kind(), {.column = {{"current", "drop"}}, .scale = {{"current", 0.01}}}), "current")[1] ==
        Approx(1e-4));
  CHECK_FALSE(read_text(text, iv_kind(), {.column = {{"current", "drop"}}}));
  for (const double factor : {0.0, double(NAN)})
    CHECK(read_text(text, iv_kind(), {.column = {{"current", "drop"}}, .scale = {{"current", factor}}}).error().fault ==
          Fault::usage);
  CHECK(read_text("frequency,gain\n1,2\n2,3\n", response_kind(), {.scale = {{"phase", 2}}}).error().fault == Fault::usage);
}

TEST_CASE("tables with labels, comments, empty ends and rows of units are read as what they are", "[csv]") {
  const std::string plain = "frequency,gain\n10,1\n100,2\n1000,3\n";
  for (const std::string& text :
       {std::string("Points,3\nfrequency,gain\n10,1\n100,2\n1000,3\n"),
        std::string("frequency,gain\n10,1,\n100,2\n1000,3,,\n"), std::string("frequency,gain,\n10,1,\n100,2,\n1000,3,\n"),
        std::string("frequency,gain\n10,1\n% range changed\n100,2\n# so it was\n1000,3\n"),
        std::string("frequency,gain\nHz,dB\n10,1\n100,2\n1000,3\n"),
        std::string("frequency,gain\n[kHz],[dB]\n0.01,1\n0.1,2\n1,3\n")}) {
    INFO(text);
    CHECK(column_of_text(read_text(text, response_kind()), "gain") == column_of_text(read_text(plain, response_kind()), "gain"));
    CHECK(column_of_text(read_text(text, response_kind()), "frequency")[2] == Approx(1000));
  }
  std::string wide = "\xff\xfe";
  for (const char c : plain) wide += {c, '\0'};
  CHECK(column_of_text(read_text(wide, response_kind()), "gain") == std::vector<double>{1, 2, 3});
  CHECK_THAT(read_text(wide.substr(0, wide.size() - 1), response_kind()).error().message, Contains("UTF-16"));
  for (const char* mark : {"OL", "+++", "---", "inf"}) {
    const auto over = read_text(fmt::format("frequency,gain\n10,1\n100,{}\n", mark), response_kind());
    REQUIRE_FALSE(over);
    CHECK_THAT(over.error().message, Contains("t.csv:3") && Contains("beyond the range"));
  }
  const auto twice = analysis_of_text("frequency,gain\n10,1\n100,2\n1000,3\n", response_kind());
  CHECK(twice.curve->x.size() == 3);
  const auto record = *read_text("# note\nfrequency,gain\n10,1\n100,2\n\n10,3\n", response_kind());
  const auto refused = response_kind().analyse({{.setting = nlohmann::json::object(), .records = {record}}}, {}, {});
  REQUIRE_FALSE(refused);
  CHECK_THAT(refused.error().message, Contains("Line 3 and line 6") && Contains("twice"));
}

TEST_CASE("columns are guessed by their unit first and by what people call them", "[csv][import]") {
  const struct {
    const char* header;
    std::map<std::string, std::string> roles;
  } rows[] = {{"Freq (kHz),Out/In dB,angle (deg)", {{"frequency", "1"}, {"gain", "2"}, {"phase", "3"}}},
              {"f,mag,ph", {{"frequency", "1"}, {"gain", "2"}, {"phase", "3"}}}};
  for (const auto& row : rows) {
    const auto table = exchange::read_table(std::string(row.header) + "\n1,2,3\n4,5,6\n7,8,9\n", "t.csv");
    REQUIRE(table);
    CHECK(exchange::guessed_columns(*table, response_kind(), {}) == row.roles);
  }
  const auto table = exchange::read_table("Vce (V),Ic (mA)\n1,2\n3,4\n", "t.csv");
  CHECK(exchange::guessed_columns(*table, iv_kind(), {}) == std::map<std::string, std::string>{{"voltage", "1"}, {"current", "2"}});
  // What names settle is not guessed; what nothing fits neither.
  CHECK(exchange::guessed_columns(*exchange::read_table("frequency,gain\n1,2\n3,4\n", "t.csv"), response_kind(), {}).empty());
  CHECK(exchange::guessed_columns(*exchange::read_table("serial (A),bin (V)\n1,2\n3,4\n", "t.csv"), response_kind(), {}).empty());
  const test::Folder folder;
  const auto path = folder.write("x.csv", "Freq (kHz),Out/In dB\n1,0\n2,-1\n3,-2\n");
  const auto preview = exchange::preview_file(path, response_kind());
  CHECK(preview.trouble.empty());
  CHECK(preview.columns.front() == "Freq (kHz)");
  REQUIRE_FALSE(preview.warnings.empty());
  CHECK_THAT(preview.warnings.front(), Contains("Guessed"));
  const auto unread = exchange::preview_file(folder.write("y.csv", "a,b\n1,0\n2,-1\n3,-2\n"), response_kind());
  CHECK(unread.trouble.find("--column") == std::string::npos);
}

TEST_CASE("text of any encoding becomes UTF-8", "[text]") {
  CHECK(is_utf8("plain"));
  CHECK(is_utf8("\u00b5\u03a9\u2009\U0001F426"));
  for (const char* bad : {"\xb5", "\xc3", "\xc0\xaf", "\xed\xa0\x80", "\xf5\x80\x80\x80", "\xe2\x82"}) CHECK_FALSE(is_utf8(bad));
  CHECK(as_utf8("\xb5""A") == "\u00b5A");
  CHECK(as_utf8("10 \x80") == "10 \u20ac");
  CHECK(is_utf8(as_utf8(std::string("\xff\xfe\x81"))));
  CHECK(*decoded_text(std::string("\xfe\xff\x00\x41", 4), "t") == "A");
  CHECK_FALSE(decoded_text(std::string("a\0b", 3), "t"));
}

TEST_CASE("a loop that starts at minus half a turn has the margin that is meant", "[response]") {
  std::string text = "frequency,gain,phase\n";
  for (int k = 0; k <= 80; ++k) {
    const double f = 10 * std::pow(10, k / 20.0);
    // Two integrators and a lead: minus 180 degrees at first, the lead's angle at the crossing.
    const auto h = std::pow(2e3, 2) / std::pow(std::complex<double>(0, f), 2) * std::complex<double>(1, f / 1.2e3) / std::complex<double>(1, f / 2e4);
    text += fmt::format("{},{},{}\n", f, 20 * std::log10(std::abs(h)), std::arg(h) * 180 / M_PI - (k == 0 ? 0.5 : 0));
  }
  const auto a = analysis_of_text(text, response_kind());
  const double cross = value_in(a, "crossover.gain");
  CHECK(value_in(a, "margin.phase") == Approx((std::atan(cross / 1.2e3) - std::atan(cross / 2e4)) * 180 / M_PI).margin(0.3));
}

TEST_CASE("ends that leave nothing are refused in every kind", "[response][iv]") {
  const auto response_points = *read_text("frequency,gain\n10,1\n100,2\n1000,3\n", response_kind());
  const auto iv_points = *read_text("voltage,current\n0,0\n1,1e-3\n2,2e-3\n", iv_kind());
  for (const auto& [kind, record] : {std::pair{&response_kind(), response_points}, {&iv_kind(), iv_points}})
    for (const study::SettingsText& settings :
         {study::SettingsText{{"from", "5k"}}, {{"from", "20"}, {"to", "15"}}, {{"to", "-3"}}}) {
      if (kind == &response_kind() && settings.contains("to") && settings.at("to") == "-3") continue;
      const auto read = kind->analyse({{.setting = nlohmann::json::object(), .records = {record}}}, settings, {});
      REQUIRE_FALSE(read);
      CHECK(read.error().fault == Fault::input);
    }
}

TEST_CASE("devices of the other polarity are read as their twins", "[iv]") {
  std::string text = "voltage,current,step\n";
  for (const double ib : {5e-6, 10e-6})
    for (int k = 0; k <= 50; ++k) {
      const double v = 0.1 * k;
      text += fmt::format("{},{},{}\n", -v, -200 * ib * (1 + v / 60) * (1 - std::exp(-v / 0.05)), -ib);
    }
  const auto a = analysis_of_text(text, iv_kind());
  CHECK(value_in(a, "early_voltage") == Approx(60).epsilon(1e-3));
  CHECK(value_in(a, "knee.voltage@-5e-06") < 0);
  std::string transfer = "voltage,current\n";
  for (int k = 0; k <= 60; ++k) transfer += fmt::format("{},{}\n", -0.05 * k, -0.02 * std::max(0.0, 0.05 * k - 1.5));
  CHECK(value_in(analysis_of_text(transfer, iv_kind(), {{"axis", "transfer"}, {"drain_voltage", "-5"}}), "threshold.extrapolated") ==
        Approx(-1.5).margin(0.05));
}

TEST_CASE("steps that were read back are told apart by their clusters", "[iv]") {
  std::mt19937_64 random(3);
  std::normal_distribution<double> normal;
  std::string text = "voltage,current,step\n";
  for (const double ib : {5e-6, 10e-6, 20e-6})
    for (int k = 0; k <= 50; ++k)
      text += fmt::format("{},{},{}\n", 0.1 * k, 200 * ib * (1 + 0.1 * k / 60), ib * (1 + 1e-4 * normal(random)));
  const auto a = analysis_of_text(text, iv_kind(), {}, {"gain.current@3V,10u"});
  CHECK(value_in(a, "gain.current@3V,10u") == Approx(210).epsilon(1e-3));
  CHECK(a.curve->columns.size() == 3);
}

TEST_CASE("a junction that drowns at its low end is fitted from where it shows, and said so", "[iv]") {
  std::mt19937_64 random(8);
  std::normal_distribution<double> normal;
  const double vt = 1.380649e-23 * 300.15 / 1.602176634e-19, n = 1.8, is = 1e-9;
  std::string text = "voltage,current\n";
  for (int k = 0; k <= 80; ++k)
    text += fmt::format("{},{}\n", 0.01 * k, is * std::expm1(0.01 * k / (n * vt)) + 7e-8 * normal(random));
  const auto a = analysis_of_text(text, iv_kind());
  CHECK(std::abs(value_in(a, "diode.ideality") - n) < 3 * *a.reading.find("diode.ideality")->u);
  CHECK(a.reading.find("pv.isc") == nullptr);
  CHECK(test::find_doubt(a.reading, "noise.limited"));
  // A limit with noise on it is a limit.
  std::string held = "voltage,current\n";
  for (int k = 0; k <= 80; ++k) {
    const double i = std::min(10e-3, 1e-12 * std::exp((0.3 + 0.01 * k) / (1.5 * vt)));
    held += fmt::format("{},{}\n", 0.3 + 0.01 * k, i < 9.9e-3 ? i : i * (1 + 5e-4 * normal(random)));
  }
  CHECK(test::find_doubt(analysis_of_text(held, iv_kind()).reading, "compliance.reached"));
}

TEST_CASE("what a source gives stands each on its own, and never beyond what a source can", "[iv][pv]") {
  const auto out = [](double v) { return 1 - 1e-9 * std::expm1(v / 0.34); };
  const auto table = [&](double from, double to, double step) {
    std::string text = "voltage,current\n";
    for (double v = from; v <= to + 1e-9; v += step) text += fmt::format("{},{}\n", v, out(v));
    return analysis_of_text(text, iv_kind());
  };
  const auto early_end = table(0, 6.6, 0.05);
  CHECK(value_in(early_end, "pv.isc") == Approx(1));
  CHECK(early_end.reading.find("pv.pmp"));
  CHECK_FALSE(early_end.reading.find("pv.voc"));
  const auto late_start = table(2, 7.2, 0.05);
  CHECK_FALSE(late_start.reading.find("pv.isc"));
  CHECK(value_in(late_start, "pv.voc") == Approx(0.34 * std::log1p(1e9)).epsilon(1e-3));
  CHECK(value_in(late_start, "pv.pmp") == Approx(value_in(early_end, "pv.pmp")).epsilon(1e-4));
  const auto coarse = table(0, 7.5, 1.5);
  if (const auto* fill = coarse.reading.find("pv.fill_factor")) CHECK(fill->value <= 1);
}

TEST_CASE("the take's own temperature is the junction's unless another is set", "[iv]") {
  const double vt = 1.380649e-23 * 298.15 / 1.602176634e-19;
  std::vector<study::Point> points;
  for (int k = 0; k <= 40; ++k) {
    const double i = 1e-8 * std::pow(10, k / 8.0), v = 1.5 * vt * std::log1p(i / 1e-12);
    points.push_back({.index = k,
                      .setting = {{"swept", "a"}, {"sensed", "a"}, {"temperature", 25},
                                  {"readings", {{"a", {{"voltage", v}, {"current", i}}}}}}});
  }
  const auto own = iv_kind().analyse(points, {}, {}), other = iv_kind().analyse(points, {{"temperature", "50 degC"}}, {});
  REQUIRE(own);
  CHECK(own->reading.find("diode.ideality")->value == Approx(1.5).epsilon(1e-4));
  CHECK(other->reading.find("diode.ideality")->value == Approx(1.5 * 298.15 / 323.15).epsilon(1e-4));
}

TEST_CASE("a take with the device out is taken off, and its noise joins", "[iv]") {
  std::vector<study::Point> points;
  for (const bool open : {false, true})
    for (int k = 0; k <= 20; ++k) {
      const double v = 0.1 * k, leak = v / 5e9, own = open ? 0 : v / 1e10;
      study::Point p{.index = k,
                     .setting = {{"swept", "a"}, {"sensed", "a"},
                                 {"readings", {{"a", {{"voltage", v}, {"current", leak + own}, {"u_current_noise", 1e-13},
                                                      {"u_current_shared", 1e-13}}}}}}};
      if (open) p.setting = p.setting.with("purpose", "open");
      points.push_back(std::move(p));
    }
  const auto a = iv_kind().analyse(points, {}, {"current@1V"});
  REQUIRE(a);
  const auto* current = a->reading.find("current@1V");
  CHECK(current->value == Approx(1e-10).epsilon(1e-9));
  CHECK(*current->u > 1.3e-13);
}

namespace {

/// Few repetitions know a spread to some 20 %, and of many lines one strays.
void hold(const std::vector<truth::Experiment>& experiments) {
  int measured = 0;
  for (const auto& experiment : experiments) {
    if (experiment.quick == 0) continue;
    ++measured;
    for (const auto& row : truth::measure(experiment, experiment.quick)) {
      INFO(row.figure << ", " << row.experiment << ": spread " << row.spread << " bias " << row.bias);
      CHECK(row.repetitions > 0);
      // What is known to lie outside the band of docs/truth.md does not leave it by any amount.
      double loose = truth::exceptions().contains({row.figure, row.experiment}) ? 1.6 : 1;
      // So few repetitions know a spread to one part in the root of twice as many.
      loose *= 1 + 1 / std::sqrt(2.0 * std::max(1, row.repetitions));
      CHECK(row.spread > 0.5 / loose);
      CHECK(row.spread < 2 * loose);
      CHECK(std::abs(row.bias) < loose);
    }
  }
  CHECK(measured > 0);
}

}  // namespace

TEST_CASE("uncertainties of responses from files hold", "[long][truth]") { hold(truth::response_files()); }
TEST_CASE("uncertainties of responses from takes hold", "[long][truth]") { hold(truth::response_bench()); }
TEST_CASE("uncertainties of curves from files hold", "[long][truth]") { hold(truth::iv_files()); }
TEST_CASE("uncertainties of waveforms taken on the bench hold", "[long][truth]") { hold(truth::waveform_bench()); }
TEST_CASE("uncertainties of waveforms from files hold", "[long][truth]") { hold(truth::waveform_files()); }
TEST_CASE("uncertainties of curves from takes hold", "[long][truth]") { hold(truth::iv_bench()); }
TEST_CASE("uncertainties of conversions from files hold", "[long][truth]") { hold(truth::conversion_files()); }
TEST_CASE("uncertainties of shots hold", "[long][truth]") { hold(truth::switching_files()); }
TEST_CASE("uncertainties of conversions from takes hold", "[long][truth]") { hold(truth::conversion_bench()); }
