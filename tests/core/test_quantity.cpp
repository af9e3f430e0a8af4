#include <catch2/catch.hpp>
#include <limits>
#include <random>

#include "base/percent.h"
#include "base/quantity.h"

using namespace heron;

TEST_CASE("values are read as engineers type them", "[base]") {
  struct Row {
    const char *text, *unit;
    double value;
  };
  const auto row = GENERATE(
      Row{"20m", "V", 20e-3}, Row{"20 mV", "V", 20e-3}, Row{"500k", "Hz", 500e3}, Row{"5 Hz", "Hz", 5},
      Row{"4n7", "F", 4.7e-9}, Row{"4.7 nF", "F", 4.7e-9}, Row{"4n7F", "F", 4.7e-9}, Row{"4R7", "ohm", 4.7},
      Row{"2k2", "ohm", 2200}, Row{"1M5", "ohm", 1.5e6}, Row{"82k", "ohm", 82e3}, Row{"47 kΩ", "ohm", 47e3},
      Row{"1e-3", "V", 1e-3}, Row{"1E3", "Hz", 1000}, Row{"-3.5", "V", -3.5}, Row{"+2", "V", 2},
      Row{"\u22122 V", "V", -2}, Row{"20\u2009kHz", "Hz", 20e3}, Row{"5 khz", "Hz", 5e3}, Row{"10 uH", "H", 10e-6},
      Row{"10 µH", "H", 10e-6}, Row{"3 dB", "dB", 3}, Row{"45 deg", "deg", 45}, Row{"90°", "deg", 90},
      Row{"5 %", "%", 5}, Row{"8", "1", 8}, Row{".5", "V", 0.5}, Row{"100 ms", "s", 0.1}, Row{"1 F", "F", 1},
      Row{"2 m", "s", 2e-3}, Row{"  7 V  ", "V", 7}, Row{"100R", "ohm", 100});
  INFO(row.text << " in " << row.unit);
  const auto read = parse_value(row.text, row.unit);
  REQUIRE(read);
  CHECK(*read == Approx(row.value).epsilon(1e-12));
}

TEST_CASE("slopes are typed by the time people say them in, and shown with a prefix", "[base]") {
  CHECK(*parse_value("50 A/us", "A/s") == Approx(50e6));
  CHECK(*parse_value("2 A/ns", "A/s") == Approx(2e9));
  CHECK(*parse_value("975 MA/s", "A/s") == Approx(975e6));
  CHECK(*parse_value("5 V/us", "V/s") == Approx(5e6));
  CHECK_FALSE(parse_value("5 V/us", "A/s"));
  CHECK(format_quantity(975.1e6, "A/s", 4).unit == "MA/s");
  CHECK(format_quantity(1.177e9, "V/s", 4).number == "1.177");
}

TEST_CASE("a level keeps the form it was typed in", "[base]") {
  CHECK(*parse_level_pp("20m", LevelForm::peak_to_peak) == Approx(0.02));
  CHECK(*parse_level_pp("20 mVpp", LevelForm::rms) == Approx(0.02));
  CHECK(*parse_level_pp("20 mV pk-pk", LevelForm::rms) == Approx(0.02));
  CHECK(*parse_level_pp("10 mV peak", LevelForm::peak_to_peak) == Approx(0.02));
  CHECK(*parse_level_pp("1 Vrms", LevelForm::peak_to_peak) == Approx(2 * std::sqrt(2.0)));
  CHECK(level_from_pp(0.2, LevelForm::rms) == Approx(0.0707107).epsilon(1e-5));
}

TEST_CASE("what makes no sense is refused with its reason", "[base]") {
  struct Row {
    const char *text, *unit, *says;
  };
  const auto row =
      GENERATE(Row{"", "Hz", "Nothing is typed"}, Row{"1,5", "V", "write 1.5"}, Row{"20 km", "Hz", "length"},
               Row{"5 V", "Hz", "frequency"}, Row{"five", "Hz", "does not begin with a number"},
               Row{"1e999", "V", "number"}, Row{"3 parsec", "V", "not a unit"}, Row{"nan", "V", "number"},
               Row{"inf", "V", "number"}, Row{"1e308 MHz", "Hz", "too large"}, Row{"1.2.3", "V", "not a unit"},
               Row{"--3", "V", "number"}, Row{"10 mHzz", "Hz", "not a unit"});
  INFO(row.text);
  const auto read = parse_value(row.text, row.unit);
  REQUIRE_FALSE(read);
  CHECK_THAT(read.error().message, Catch::Matchers::Contains(row.says));
}

TEST_CASE("settings read back as the value they were written from", "[base]") {
  std::mt19937_64 random(7);
  std::uniform_real_distribution<double> exponent(-11, 9);
  for (const char* unit : {"Hz", "V", "F", "ohm", "H", "s"})
    for (int i = 0; i < 200; ++i) {
      const double value = std::pow(10, exponent(random));
      const auto text = format_setting(value, unit);
      INFO(text);
      const auto back = parse_value(text, unit);
      REQUIRE(back);
      CHECK(*back == Approx(value).epsilon(1e-5));
    }
}

TEST_CASE("hostile text never gets past the reader", "[base]") {
  std::mt19937_64 random(11);
  const std::string alphabet = "0123456789.,eE+-kmunpMGVHzpk dB%\u00b5\u2126()@#\t";
  for (int i = 0; i < 20000; ++i) {
    std::string text;
    for (auto n = random() % 12; n > 0; --n) text += alphabet[random() % alphabet.size()];
    const auto read = parse_value(text, "V");
    if (read)
      CHECK(std::isfinite(*read));
    else
      CHECK_FALSE(read.error().message.empty());
  }
}

TEST_CASE("numbers end where their uncertainty begins", "[base]") {
  const auto corner = format_with_uncertainty(20620, 20.0, "Hz");
  CHECK(corner.number == "20.62");
  CHECK(corner.unit == "kHz");
  CHECK(corner.uncertainty == "0.04");
  const auto one = format_with_uncertainty(26.1234, 0.006, "dB");
  CHECK(one.number == "26.123");
  CHECK(one.uncertainty == "0.012");
  CHECK(format_with_uncertainty(600, 100, "Hz").number == "600");
  CHECK(format_with_uncertainty(5e-3, 0.25, "V").number == "0");
  CHECK(format_with_uncertainty(5e-3, 0.25, "V").uncertainty == "500");
  CHECK(format_quantity(-3.0103, "dB", 3).number == "\u22123.01");
  CHECK(format_quantity(999.9999, "Hz", 4).plain() == "1.000\u2009kHz");
  CHECK(format_quantity(0, "V", 3).plain() == "0.00\u2009V");
  CHECK(format_quantity(-0.0001, "dB", 3).number == "\u22120.000100");
  CHECK(format_duration(0.25) == "250\u2009ms");
  CHECK(format_duration(52.4) == "52\u2009s");
  CHECK(format_duration(200) == "3 min 20 s");
  // Longer times are typed as people say them, where a time is wanted.
  CHECK(parse_value("1 h", "s").value() == 3600);
  CHECK(parse_value("1.5h", "s").value() == 5400);
  CHECK(parse_value("10 min", "s").value() == 600);
  CHECK(parse_value("2 d", "s").value() == 172800);
  CHECK(parse_value("3 ms", "s").value() == 3e-3);
  CHECK(parse_quantity("1 h", "").value().unit == "H");
  CHECK_FALSE(parse_value("1 h", "Hz"));
  CHECK(parse_value("1 uH", "V").error().message.find("is an inductance") != std::string::npos);
  CHECK(format_duration(3900) == "1 h 05 min");
}

TEST_CASE("a share in per cent has two digits and no exponent", "[base]") {
  for (const auto& [share, text] : {std::pair{0.0141, "1.4 %"}, {0.1, "10 %"}, {0.994, "99 %"}, {0.996, "100 %"}, {1.744, "174 %"}, {35.0, "3500 %"},
                                    {0.00037, "0.037 %"}, {-0.52, "-52 %"}, {-2.0, "-200 %"}, {0.0, "0 %"}})
    CHECK(in_percent(share) == text);
}
