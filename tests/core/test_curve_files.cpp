#include <catch2/catch.hpp>
#include <complex>

#include "exchange/curves.h"
#include "exchange/touchstone.h"
#include "study/response/kind.h"
#include "support.h"

using namespace heron;
using Complex = std::complex<double>;
using exchange::NetworkData;
using exchange::PairForm;

namespace {

NetworkData two_port() {
  NetworkData data{.ports = 2, .reference = 75, .notes = "invented\n"};
  for (const double f : {1e6, 2.5e6, 7e6}) {
    data.frequency.push_back(f);
    data.elements.push_back(
        {Complex(0.1, f * 1e-8), Complex(-3, 0.5), Complex(0.01, -0.02), std::polar(0.7, f * 1e-7)});
  }
  return data;
}

std::string trouble_of(const std::string& text, const std::string& file = "x.s2p") {
  const auto read = exchange::read_touchstone(text, file);
  if (read) return "";
  CHECK(read.error().fault == Fault::input);
  return read.error().message;
}

const study::Kind& kind() { return study::response::kind(); }

}  // namespace

TEST_CASE("network data come back in every form they are written in", "[touchstone]") {
  const auto data = two_port();
  for (const int version : {1, 2})
    for (const auto pairs : {PairForm::real_imaginary, PairForm::magnitude_angle, PairForm::decibel_angle})
      for (const char* unit : {"Hz", "kHz", "MHz", "GHz"})
        for (const char letter : {'S', 'Z', 'Y'}) {
          auto one = data;
          one.kind = letter;
          const auto text = exchange::write_touchstone(one, {.version = version, .pairs = pairs, .unit = unit});
          INFO(text);
          const auto read = exchange::read_touchstone(text, "x.s2p");
          if (!read) FAIL(read.error().message);
          CHECK(read->ports == 2);
          CHECK(read->kind == letter);
          CHECK(read->reference == 75);
          CHECK(read->notes == data.notes);
          REQUIRE(read->frequency.size() == data.frequency.size());
          for (std::size_t i = 0; i < data.frequency.size(); ++i) {
            CHECK(read->frequency[i] == Approx(data.frequency[i]).epsilon(1e-14));
            for (std::size_t k = 0; k < 4; ++k) CHECK(std::abs(read->elements[i][k] - data.elements[i][k]) < 1e-12);
          }
        }
}

TEST_CASE("network files as others write them", "[touchstone]") {
  // Version 1 without an option line is GHz, S, MA, 50 ohm; two-ports come as 11, 21, 12, 22.
  const auto plain = exchange::read_touchstone("0.001 0.5 90 2 0 0.1 180 0.3 -90 ! a comment\n\n", "amp.s2p");
  if (!plain) FAIL(plain.error().message);
  CHECK(plain->frequency[0] == Approx(1e6));
  CHECK(std::abs(plain->elements[0][0] - Complex(0, 0.5)) < 1e-12);
  CHECK(std::abs(plain->elements[0][1] - 2.0) < 1e-12);
  CHECK(std::abs(plain->elements[0][2] + 0.1) < 1e-12);
  // Noise parameters after the data are passed over.
  CHECK(exchange::read_touchstone("# HZ S RI R 50\n1 0 0 1 0 0 0 0 0\n2 0 0 1 0 0 0 0 0\n1 2.5 0.3 60 0.2\n", "a.s2p")
            ->frequency.size() == 2);
  const auto second = exchange::read_touchstone(
      "[Version] 2.0\n# MHz Z RI\n[Number of Ports] 2\n[Two-Port Data Order] 12_21\n[Number of Frequencies] 1\n"
      "[Reference] 60 60\n[Begin Information]\nmade up\n[End Information]\n[Matrix Format] Lower\n[Network Data]\n"
      "1 1 2\n 3 4 5 6\n[End]\nwhatever stands here\n",
      "b.ts");
  if (!second) FAIL(second.error().message);
  CHECK(second->elements[0][1] == Complex(3, 4));
  CHECK(second->elements[0][2] == Complex(3, 4));
  CHECK(second->elements[0][3] == Complex(5, 6));
  CHECK(second->reference == 60);
  // Version 1 norms impedances by the reference.
  CHECK(exchange::read_touchstone("# Hz Z RI R 50\n1 2 0\n", "c.s1p")->elements[0][0] == Complex(100, 0));
}

TEST_CASE("a wrong network file is told by its line", "[touchstone]") {
  const struct {
    const char* text;
    const char* says;
    const char* file = "x.s2p";
  } rows[] = {
      {"# HZ S RI R 50\n1 0 0 1 0 0 0 0 0\n2 0 0 1 0 0\n", "x.s2p:3: 6 numbers; 9 are wanted"},
      {"# HZ S RI R 50\n2 0 0 1 0 0 0 0 0\n1 0 0 1 0 0 0 0 0\n", "x.s2p:3: the frequency does not rise"},
      {"# HZ S RI R 50\n1 0 0 x 0 0 0 0 0\n", "\"x\" is not a number"},
      {"# HZ S RI R 50\n1 0 0 nan 0 0 0 0 0\n", "not a number"},
      {"# furlong S RI\n1 0 0\n", "x.s2p:1: the option line has \"furlong\""},
      {"", "no data"},
      {"! only words\n", "no data"},
      {"# HZ S RI R 50\n1 0 0\n", "9 are wanted for two ports"},
      {"1 0 0\n", "ports", "x.s7p"},
      {"1 0 0\n", "neither its name", "x.dat"},
      {"[Version] 2.0\n# Hz S RI\n[Number of Ports] 1\n[Number of Frequencies] 3\n[Network Data]\n1 0 0\n2 0 0\n",
       "3 frequencies were promised, 2 are there", "x.s1p"},
      {"[Version] 2.0\n# Hz S RI\n[Number of Ports] 2\n[Number of Frequencies] 1\n[Network Data]\n1 0 0 0\n",
       "within a matrix"},
      {"[Version] 2.0\n# Hz S RI\n[Number of Ports] 1\n[Number of Frequencies] 1\n[Network Data]\n1 0 0\n",
       "name says 2"},
      {"[Version] 9\n", "version 9"},
      {"[Version 2.0\n", "closing bracket"},
      {"[Version] 2.0\n[Number of Ports] 4\n", "4 ports"},
      {"[Version] 2.0\n[Wings] 4\n", "no keyword [wings]"},
      {"[Version] 2.0\n# Hz S RI\n1 0 0\n", "before [Network Data]", "x.s1p"},
      {"# HZ S RI R -50\n1 0 0\n", "option line", "x.s1p"},
      {"-1 0 0\n", "below zero", "x.s1p"},
  };
  for (const auto& row : rows) {
    INFO(row.text);
    CHECK_THAT(trouble_of(row.text, row.file), Catch::Matchers::Contains(row.says));
  }
  CHECK_THAT(trouble_of(std::string("1 0\0 0\n", 7), "x.s1p"), Catch::Matchers::Contains("not text"));
  // Random damage never does worse than an error.
  std::mt19937 random(4);
  const auto sound = exchange::write_touchstone(two_port(), {.version = 2});
  for (int k = 0; k < 2000; ++k) {
    auto text = sound.substr(0, random() % (sound.size() + 1));
    for (int j = 0; j < 3 && !text.empty(); ++j) text[random() % text.size()] = char(random() % 128);
    (void)exchange::read_touchstone(text, "x.s2p");
  }
}

TEST_CASE("an element of network data becomes a curve", "[touchstone]") {
  const auto data = two_port();
  CHECK(exchange::usual_element(data) == "S21");
  CHECK(exchange::network_element(data, "s21")->find("real")->numbers[0] == -3);
  CHECK(exchange::network_element(data, "S55").error().fault == Fault::usage);
  CHECK(exchange::network_element(data, "Z11").error().fault == Fault::usage);
  // 75 ohm into 25 ohm: S = (25 - 75)/(25 + 75).
  const NetworkData one{.ports = 1, .reference = 75, .frequency = {1e3, 1e4}, .elements = {{-0.5}, {-0.5}}};
  CHECK(exchange::network_element(one, "Z11")->find("real")->numbers[0] == Approx(25));
  CHECK(exchange::network_element(one, "Y11")->find("real")->numbers[0] == Approx(0.04));
}

TEST_CASE("curves of a file are found, one, several, and by columns that were put right", "[curves]") {
  const test::Folder folder;
  const auto path = [&](const std::string& name, const std::string& text) {
    const auto where = folder.file(name);
    std::ofstream(where, std::ios::binary) << text;
    return where;
  };
  const auto several = path("several.csv",
                            "frequency (Hz),gain (dB),phase (deg)\n10,0,0\n100,-1,-5\n1000,-3,-45\n"
                            "10,1,0\n100,0,-5\n1000,-2,-45\n10000,-20,-85\n");
  const auto curves = exchange::read_curves(several, kind());
  if (!curves) FAIL(curves.error().message);
  REQUIRE(curves->size() == 2);
  CHECK((*curves)[1].name == "several.csv, curve 2");
  CHECK((*curves)[1].record.find("gain")->numbers.size() == 4);
  CHECK(exchange::read_curves(several, kind(), {.several = exchange::Several::one})->size() == 1);
  // The same with its header again before every curve.
  const auto headed = path("headed.csv", "frequency,gain\n1,0\n2,-1\n3,-2\n\nfrequency,gain\n1,5\n2,4\n3,3\n");
  const auto two = exchange::read_curves(headed, kind());
  if (!two) FAIL(two.error().message);
  CHECK(two->size() == 2);
  // Falling frequencies are one curve; rows in no order too.
  CHECK(exchange::read_curves(path("down.csv", "frequency,gain\n1000,0\n100,-1\n10,-2\n"), kind())->size() == 1);
  CHECK(exchange::read_curves(path("mixed.csv", "frequency,gain\n10,0\n1000,-1\n100,-2\n20,1\n"), kind())->size() == 1);

  const auto swapped = path("swapped.csv", "gain,frequency\n10,-3\n100,-2\n1000,-9\n");
  auto preview = exchange::preview_file(swapped, kind());
  CHECK_FALSE(preview.trouble.empty());
  CHECK(preview.roles == std::vector<std::string>{"gain", "frequency"});
  CHECK_FALSE(preview.warnings.empty());
  exchange::FileReading right;
  right.columns.column = {{"frequency", "1"}, {"gain", "2"}};
  preview = exchange::preview_file(swapped, kind(), right);
  CHECK(preview.trouble.empty());
  CHECK(preview.roles == std::vector<std::string>{"frequency", "gain"});
  CHECK(exchange::read_curves(swapped, kind(), right)->front().record.find("frequency")->numbers[2] == 1000);
  REQUIRE(preview.warnings.size() == 1);
  CHECK_THAT(preview.warnings[0], Catch::Matchers::Contains("no phase"));

  CHECK_THAT(exchange::read_curves(path("text.csv", "frequency,gain\n10,1\n20,low\n"), kind()).error().message,
             Catch::Matchers::Contains("text.csv:3"));
  CHECK_THAT(exchange::preview_file(path("twice.csv", "frequency,gain\n10,0\n10,0\n20,1\n"), kind()).trouble,
             Catch::Matchers::Contains("twice"));
  CHECK_FALSE(exchange::read_curves(path("x.doc", "frequency"), kind()));
  CHECK_FALSE(exchange::read_curves(folder.file("absent.csv"), kind()));
  CHECK_FALSE(exchange::read_curves(path("cut.json", "{\"curve\": {\"freq"), kind()));
  CHECK_FALSE(exchange::read_curves(path("none.json", "{}"), kind()));
  CHECK_FALSE(exchange::read_curves(path("odd.json", R"({"curve": {"frequency": [1, 2], "gain": [0]}})"), kind()));
  CHECK(
      exchange::read_curves(path("good.json", R"({"curve": {"frequency": [1, 2], "gain": [0, 1]}})"), kind())->size() ==
      1);
  CHECK(exchange::holds_curves("A.S2P"));
  CHECK_FALSE(exchange::holds_curves("a.png"));
}

TEST_CASE("of a long table a preview reads the first rows, and says so", "[csv]") {
  test::Folder folder;
  std::string text = "time (s),v (V)\n";
  const int rows = 1'000'000;
  for (int k = 0; k < rows; ++k) text += fmt::format("{:.6f},{}\n", 1e-6 * k, k % 10);
  const auto path = folder.write("long.csv", text);
  const auto preview = exchange::preview_file(path, *study::find_kind("waveform"));
  CHECK(preview.trouble.empty());
  CHECK(preview.part);
  REQUIRE(preview.curves.size() == 1);
  CHECK(std::abs(preview.curves[0].second - rows) < rows / 50);
  REQUIRE(preview.warnings.size() == 1);
  CHECK_THAT(preview.warnings[0], Catch::Matchers::Contains("first 8 MB of "));
  CHECK(exchange::read_curves(path, *study::find_kind("waveform"))->front().record.channels.front().size() == std::size_t(rows));
  // One line without an end is no reason to hang or to fail otherwise than any file without numbers.
  const auto endless = folder.write("endless.csv", std::string(9'000'000, 'x'));
  CHECK_FALSE(exchange::preview_file(endless, *study::find_kind("waveform")).trouble.empty());
}

TEST_CASE("a long table of plain numbers is read as the careful way reads it", "[csv]") {
  test::Folder folder;
  const auto& waveform = *study::find_kind("waveform");
  const int rows = 400'000;
  const auto made = [&](const char* header, const char* end, const char* last) {
    std::string text = std::string("# taken on the bench\n") + header + end;
    for (int k = 0; k < rows; ++k) {
      text += fmt::format("{:.7f}, {:.4e},-{}.5{}", 1e-6 * k, 1e-3 * (k % 97), k % 10, end);
      if (k == 200'000) text += end;
    }
    return text + last;
  };
  // The same rows of a short file say what each should be.
  for (const char* end : {"\n", "\r\n"}) {
    const auto path = folder.write("long.csv", made("time (ms),v in (mV),i (A)", end, ""));
    exchange::FileReading scaled;
    scaled.columns.scale = {{"i", -2}};
    const auto curves = exchange::read_curves(path, waveform, scaled);
    if (!curves) FAIL(curves.error().message);
    REQUIRE(curves->size() == 1);
    const auto& record = curves->front().record;
    CHECK_THAT(curves->front().notes, Catch::Matchers::Contains("taken on the bench"));
    REQUIRE(record.channels.size() == 3);
    CHECK(record.channels[1].role == "v_in");
    CHECK(record.channels[1].unit == "V");
    REQUIRE(record.channels[0].size() == std::size_t(rows));
    for (const int k : {0, 1, 96, 97, 123'456, 200'001, rows - 1}) {
      CHECK(record.channels[0].numbers[std::size_t(k)] == Approx(1e-9 * k).margin(1e-15));
      CHECK(record.channels[1].numbers[std::size_t(k)] == Approx(1e-6 * (k % 97)).margin(1e-15));
      CHECK(record.channels[2].numbers[std::size_t(k)] == Approx(2 * (k % 10 + 0.5)));
    }
    // One column left out.
    exchange::FileReading two;
    two.columns.column = {{"v", "2"}};
    CHECK(exchange::read_curves(path, waveform, two)->front().record.channels.size() == 2);
  }
  const auto trouble = [&](const char* last) {
    const auto read = exchange::read_curves(folder.write("bad.csv", made("time (ms),v in (mV),i (A)", "\n", last)), waveform, {});
    return read ? std::string() : read.error().message;
  };
  CHECK_THAT(trouble("0.4,1\n"), Catch::Matchers::Contains("bad.csv:400004:"));
  CHECK_THAT(trouble("0.4,nan,2\n"), Catch::Matchers::Contains(":400004: column 2"));
  CHECK_THAT(trouble("0.4,1,word\n"), Catch::Matchers::Contains(":400004: column 3"));
  CHECK(trouble("0.4,\"1\",2\n").empty());
  CHECK(trouble("# a note\n0.4,1,2").empty());

  std::stop_source stop;
  double seen = 0;
  const auto stopped = exchange::read_curves(folder.write("stop.csv", made("time,v,i", "\n", "")), waveform, {},
                                             {.done = [&](double share) { seen = share; stop.request_stop(); }, .stop = stop.get_token()});
  REQUIRE_FALSE(stopped);
  CHECK(stopped.error().fault == Fault::stopped);
  CHECK((seen > 0 && seen < 1));
}
