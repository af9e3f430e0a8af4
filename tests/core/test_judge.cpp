#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "judge/claim.h"
#include "judge/claim_words.h"
#include "base/quantity.h"
#include "study/response/kind.h"
#include "support.h"

using namespace heron;
using judge::Verdict;

namespace {

study::Reading reading(double value, std::optional<double> u) {
  study::Reading out;
  out.figures.push_back({"corner.high", "High corner", value, "Hz", u});
  return out;
}

Verdict verdict(double value, std::optional<double> u, const judge::Claim& claim) {
  return judge::judge(claim, reading(value, u), {}).verdict;
}

study::Columns flat(double gain) {
  return {.x_name = "frequency",
          .x_unit = "Hz",
          .x = {10, 100, 1000, 10000},
          .columns = {{"gain", "dB", {gain, gain, gain, gain}, {}}}};
}

}  // namespace

TEST_CASE("verdicts turn at the border by the expanded uncertainty", "[judge]") {
  const judge::Claim claim{.text = "c", .figure = "corner.high", .lower = "18 kHz"};
  CHECK(verdict(18e3, {}, claim) == Verdict::meets);
  CHECK(verdict(17999.9, {}, claim) == Verdict::fails);
  CHECK(verdict(18e3 + 201, 100.0, claim) == Verdict::meets);
  CHECK(verdict(18e3 + 199, 100.0, claim) == Verdict::too_close);
  CHECK(verdict(18e3 - 199, 100.0, claim) == Verdict::too_close);
  CHECK(verdict(18e3 - 201, 100.0, claim) == Verdict::fails);
  CHECK(judge::judge(claim, {}, {}).verdict == Verdict::not_measured);
  const judge::Claim both{.text = "c", .figure = "corner.high", .lower = "18 kHz", .upper = "22 kHz"};
  const auto j = judge::judge(both, reading(21e3, {}), {});
  CHECK(*j.margin == Approx(1e3));
  CHECK(verdict(23e3, 10.0, both) == Verdict::fails);
}

TEST_CASE("an expected value comes from the parts", "[judge]") {
  const judge::Claim claim{.text = "c", .figure = "corner.high", .expected = "1/(2*pi*R3*C4)", .tolerance = "10 %"};
  const auto j = judge::judge(claim, reading(1000, {}), {{"R3", 1591.549}, {"C4", 100e-9}});
  CHECK(*j.expected == Approx(1000).epsilon(1e-5));
  CHECK(*j.lower == Approx(900).epsilon(1e-5));
  CHECK(j.verdict == Verdict::meets);
  CHECK(judge::judge(claim, reading(1000, {}), {{"R3", 1591.549}}).verdict == Verdict::not_measured);
  CHECK_THAT(judge::judge(claim, reading(1000, {}), {}).reason, Catch::Matchers::Contains("cannot be read"));
}

TEST_CASE("formulas that make no sense are refused", "[judge]") {
  CHECK(*judge::evaluate("2*pi", {}) == Approx(2 * std::numbers::pi));
  for (const char* bad : {"", "1/0", "R9", "1+", "((", "sqrt(-1)", "a=3;a"}) {
    INFO(bad);
    CHECK_FALSE(judge::evaluate(bad, {}));
  }
  CHECK_FALSE(judge::evaluate(std::string(10000, '('), {}));
}

TEST_CASE("a mask is held over its whole line", "[judge]") {
  const judge::Mask mask{
      .text = "m", .curve = "gain", .upper = {{10, 1}, {1000, 1}, {10000, 0}}, .lower = {{100, -1}, {1000, -1}}};
  const auto good = judge::judge(mask, flat(-0.5));
  CHECK(good.verdict == Verdict::meets);
  CHECK(*good.margin == Approx(0.5));
  // The line falls to 0 dB at 10 kHz, between data points it would pass 0.5 dB at half the decade.
  const auto over = judge::judge(mask, flat(0.4));
  CHECK(over.verdict == Verdict::fails);
  CHECK(*over.at == Approx(10000));
  CHECK(*over.margin == Approx(-0.4));
  const judge::Mask wide{.text = "m", .curve = "gain", .upper = {{1, 1}, {1000, 1}}};
  CHECK(judge::judge(wide, flat(0)).verdict == Verdict::not_measured);
  const judge::Mask phase{.text = "m", .curve = "phase", .upper = {{10, 1}, {1000, 1}}};
  CHECK(judge::judge(phase, flat(0)).verdict == Verdict::not_measured);
}

TEST_CASE("a mask between two points of the curve is asked there too", "[judge]") {
  study::Columns peak{.x_name = "frequency", .x_unit = "Hz", .x = {10, 1000}, .columns = {{"gain", "dB", {0, 4}, {}}}};
  const judge::Mask mask{.text = "m", .curve = "gain", .upper = {{50, 1}, {100, 1}}};
  const auto j = judge::judge(mask, peak);
  CHECK(j.verdict == Verdict::fails);
  CHECK(*j.value == Approx(2));
}

TEST_CASE("claims files are read or refused with their line", "[judge]") {
  const auto good = judge::read_claims(
      "[[claim]]\ntext = \"High corner\"\nfigure = \"corner.high\"\nlower = \"18 kHz\"\n[[mask]]\ncurve = "
      "\"gain\"\nupper = [[\"100 Hz\", \"0.5 dB\"], [\"10 kHz\", \"0.5 dB\"]]\n",
      "c.toml", study::response::kind());
  REQUIRE(good);
  CHECK(good->claims.front().lower == "18 kHz");
  CHECK(good->masks.front().upper[1].first == 10e3);
  struct Row {
    const char *text, *says;
  };
  for (const auto& row :
       {Row{"[[claim]]\nlower = \"1 Hz\"\n", "c.toml:1: figure"},
        Row{"[[claim]]\nfigure = \"corner.high\"\n", "one is wanted"},
        Row{"[[claim]]\nfigure = \"corner.high\"\nlower = \"18 parsec\"\n", "not a unit"},
        Row{"[[claim]]\nfigure = 3\nlimit = 4\n", "no such key"}, Row{"[[mask]]\ncurve = \"two words\"\n", "gain, phase"},
        Row{"[[mask]]\ncurve = \"gain\"\nupper = [[\"1 Hz\", \"1 V\"], [\"2 Hz\", \"1 dB\"]]\n", "voltage"},
        Row{"[[mask]]\ncurve = \"gain\"\nupper = [[\"9 Hz\", \"1 dB\"], [\"2 Hz\", \"1 dB\"]]\n", "rise in Hz"},
        Row{"[[claim", "c.toml:1"}, Row{"claims = 3\n", "only [[claim]] and [[mask]]"}}) {
    const auto read = judge::read_claims(row.text, "c.toml", study::response::kind());
    INFO(row.text);
    REQUIRE_FALSE(read);
    CHECK_THAT(read.error().message, Catch::Matchers::Contains(row.says));
  }
}

TEST_CASE("claims are understood as people write them, and refused with what is missing", "[judge]") {
  const auto& kind = study::response::kind();
  const struct {
    const char* line;
    const char* figure;
    std::optional<double> lower, upper;
  } rows[] = {
      {"High corner at least 18 kHz", "corner.high", 18e3, {}},
      {"high corner >= 18k", "corner.high", 18e3, {}},
      {"High corner \u2265 18 kHz", "corner.high", 18e3, {}},
      {"Low corner 15 to 25 Hz", "corner.low", 15, 25},
      {"Gain at 1 kHz 26 \u00b10.5 dB", "gain@1kHz", 25.5, 26.5},
      {"Gain at 1k 26 +- 0.5 dB", "gain@1k", 25.5, 26.5},
      {"Phase margin at least 45 deg", "margin.phase", 45, {}},
      {"Gain at 40 Hz at most \u221220 dB", "gain@40Hz", {}, -20},
      {"Motional R at most 210 ohm", "motional.resistance", {}, 210},
      {"Shunt C 4.7 nF \u00b15 %", "shunt.capacitance", 4.465e-9, 4.935e-9},
      {"Series L at 10 kHz 1 mH +- 10 %", "inductance.series@10kHz", 0.9e-3, 1.1e-3},
      {"ripple(100Hz,10kHz) below 1 dB", "ripple(100Hz,10kHz)", {}, 1},
  };
  for (const auto& row : rows) {
    INFO(row.line);
    const auto claim = judge::understand_claim(row.line, kind);
    if (!claim) FAIL(claim.error().message);
    CHECK(claim->figure == row.figure);
    CHECK(claim->text == row.line);
    CHECK(claim->lower.has_value() == row.lower.has_value());
    CHECK(claim->upper.has_value() == row.upper.has_value());
    study::Reading reading;
    reading.figures = {{claim->figure, "", row.lower ? *row.lower * (1 + 1e-6) : *row.upper, "", {}}};
    for (const auto& name : kind.figures())
      if (claim->figure.starts_with(name.key)) reading.figures[0].unit = name.unit;
    const auto j = judge::judge(*claim, reading, {});
    if (row.lower) CHECK(*j.lower == Approx(*row.lower));
    if (row.upper) CHECK(*j.upper == Approx(*row.upper));
  }
  for (const char* bad : {"", "High corner", "High corner at least", "High corner at least 18 V", "Colour at least 3",
                          "Gain at most 3 dB at", "Low corner 25 to 15 Hz", "High corner soon", "Gain at 1 kHz"}) {
    INFO(bad);
    const auto claim = judge::understand_claim(bad, kind);
    REQUIRE_FALSE(claim);
    CHECK_FALSE(claim.error().message.empty());
  }
}

TEST_CASE("a claim on a figure in the data's own unit says its unit", "[judge]") {
  const auto& spectrum = *study::find_kind("spectrum");
  const auto claim = judge::understand_claim("noise.rms(20Hz,20kHz) at most 40 uV", spectrum);
  if (!claim) FAIL(claim.error().message);
  study::Reading of;
  of.figures.push_back({"noise.rms(20Hz,20kHz)", "Noise", 30e-6, "V", 1e-6});
  CHECK(judge::judge(*claim, of, {}).verdict == Verdict::meets);
  of.figures[0].unit = "A";
  CHECK(judge::judge(*claim, of, {}).verdict == Verdict::not_measured);
  // One that has a unit is held to it.
  CHECK_FALSE(judge::understand_claim("High corner at least 40 uV", study::response::kind()));
}

TEST_CASE("every kind's masks lie on its own curves, over what their places say", "[judge][mask]") {
  using Line = std::vector<std::pair<double, double>>;
  struct Row {
    const char *kind, *line, *curve, *along, *unit;
    Line upper;
  };
  for (const auto& row : {Row{"switching", "energy.on at most 20 uJ from 5 A to 20 A", "energy.on", "A", "", {{5, 20e-6}, {20, 20e-6}}},
                          Row{"switching", "Energy.on at 48 V, 12 ohm at most 5 uJ at 5 A, 30 uJ at 20 A", "energy.on at 48 V, 12 Ω", "A", "", {{5, 5e-6}, {20, 30e-6}}},
                          Row{"switching", "v_ds at most 60 V from 0 s to 20 us", "v_ds", "s", "V", {{0, 60}, {20e-6, 60}}},
                          Row{"conversion", "efficiency below 95 % from 0.1 A to 3 A", "efficiency", "A", "", {{0.1, 0.95}, {3, 0.95}}},
                          Row{"conversion", "output at most 5.1 V from 0 A to 3 A", "output", "A", "", {{0, 5.1}, {3, 5.1}}},
                          Row{"conversion", "output at most 5.1 V from 0 s to 3 ms", "output", "s", "", {{0, 5.1}, {3e-3, 5.1}}},
                          Row{"power", "harmonic.current at most 2.3 A at 3, 1.14 A at 5", "harmonic.current", "1", "", {{3, 2.3}, {5, 1.14}}},
                          Row{"power", "current.half_cycle at b at most 10 A from 0 s to 1 s", "current.half_cycle at b", "s", "", {{0, 10}, {1, 10}}},
                          Row{"spectrum", "spectrum at most -60 dBV from 2 kHz to 20 kHz", "spectrum", "Hz", "dBV", {{2e3, -60}, {20e3, -60}}},
                          Row{"iv", "current at 1.4 V at most 2 A from 0 V to 1 V", "current at 1.4 V", "V", "", {{0, 2}, {1, 2}}},
                          Row{"waveform", "V_out at most 20 mV from 0 s to 1 ms", "V_out", "s", "V", {{0, 20e-3}, {1e-3, 20e-3}}}}) {
    INFO(row.line);
    const auto read = judge::understand_mask(row.line, *study::find_kind(row.kind));
    if (!read) FAIL(read.error().message);
    REQUIRE(*read);
    CHECK((*read)->text == row.line);
    CHECK(test::spaced((*read)->curve) == row.curve);
    CHECK((*read)->along == row.along);
    CHECK((*read)->unit == row.unit);
    REQUIRE((*read)->upper.size() == row.upper.size());
    for (std::size_t k = 0; k < row.upper.size(); ++k) {
      CHECK((*read)->upper[k].first == Approx(row.upper[k].first));
      CHECK((*read)->upper[k].second == Approx(row.upper[k].second));
    }
    CHECK((*read)->lower.empty());
    // The same in a file.
    const auto file = judge::read_claims(fmt::format("[[mask]]\ncurve = \"{}\"\nupper = [[{}, {}], [{}, {}]]\n", row.curve, row.upper[0].first, row.upper[0].second, row.upper[1].first, row.upper[1].second), "m.toml", *study::find_kind(row.kind));
    if (!file) FAIL(file.error().message);
    CHECK(file->masks.front().curve == (*read)->curve);
  }
  // Files tell several axes apart by their units.
  const auto& conversion = *study::find_kind("conversion");
  CHECK(judge::read_claims("[[mask]]\ncurve = \"output\"\nlower = [[\"0 s\", \"4.9 V\"], [\"1 ms\", \"4.9 V\"]]\n", "m.toml", conversion)->masks.front().along == "s");
  CHECK(judge::read_claims("[[mask]]\ncurve = \"output\"\nlower = [[\"0 A\", \"4.9 V\"], [\"1 A\", \"4.9 V\"]]\n", "m.toml", conversion)->masks.front().along == "A");
  CHECK(judge::read_claims("[[mask]]\ncurve = \"output\"\nlower = [[\"0 A\", \"4.9 V\"], [\"1 ms\", \"4.9 V\"]]\n", "m.toml", conversion).error().message.find("m.toml:") == 0);
  CHECK(judge::read_claims("[[mask]]\ncurve = \"gain\"\nlower = [[0, 1], [1, 1]]\n", "m.toml", conversion).error().message == "m.toml:1: curve: efficiency, output or loss is wanted, not \"gain\"");
  CHECK(judge::read_claims("[[mask]]\ncurve = \"a b\"\nlower = [[0, 1], [1, 1]]\n", "m.toml", *study::find_kind("waveform")).error().message == "m.toml:1: curve: the name of a quantity is wanted, not \"a b\"");
  // What is no curve of a kind may be a claim of it.
  for (const auto& [kind, line] : {std::pair{"conversion", "gain at most 3 dB from 1 Hz to 2 Hz"}, {"response", "v_out at most 3 V from 0 s to 1 s"}, {"switching", "energy.on@20A at most 3 uJ"}}) {
    INFO(line);
    const auto none = judge::understand_mask(line, *study::find_kind(kind));
    REQUIRE(none);
    CHECK_FALSE(*none);
  }
  // In a wrong unit it is refused with what is wanted.
  const auto wrong = judge::understand_mask("energy.on at most 20 V from 5 A to 20 A", *study::find_kind("switching"));
  REQUIRE_FALSE(wrong);
  CHECK_THAT(wrong.error().message, Catch::Matchers::Contains("an energy such as"));
  // One of a family by what tells it, as takes write that.
  study::Columns family{.x_name = "current", .x_unit = "A", .logarithmic = false, .x = {5, 20}, .columns = {{"energy.on at " + format_setting(5.6, "ohm"), "J", {1e-6, 2e-6}, {}}, {"energy.on at " + format_setting(12, "ohm"), "J", {3e-6, 6e-6}, {}}}};
  const auto held = [&](const char* line) { return judge::judge(**judge::understand_mask(line, *study::find_kind("switching")), family).verdict; };
  CHECK(held("energy.on at 12 ohm at most 7 uJ from 5 A to 20 A") == Verdict::meets);
  CHECK(held("energy.on at 12ohm at most 5 uJ from 5 A to 20 A") == Verdict::fails);
  CHECK(held("energy.on at 5.6 Ω at most 5 uJ from 5 A to 20 A") == Verdict::meets);
  CHECK(held("energy.on at most 5 uJ from 5 A to 20 A") == Verdict::fails);
  CHECK(held("energy.on at 33 ohm at most 5 uJ from 5 A to 20 A") == Verdict::not_measured);
  // A line that goes along something else decides nothing.
  study::Columns curve{.x_name = "time", .x_unit = "s", .logarithmic = false, .x = {0, 1}, .columns = {{"output", "V", {5, 5}, {}}}};
  judge::Mask mask{.text = "", .curve = "output", .upper = {{0, 6}, {1, 6}}};
  CHECK(judge::judge(mask, curve).verdict == Verdict::meets);
  mask.along = "s";
  CHECK(judge::judge(mask, curve).verdict == Verdict::meets);
  mask.along = "A";
  CHECK(judge::judge(mask, curve).verdict == Verdict::not_measured);
  CHECK(judge::judge(mask, curve).reason == "output is over time in this take, the limit line over A");
}

TEST_CASE("masks are understood as lines too", "[judge]") {
  using Line = std::vector<std::pair<double, double>>;
  const auto flat = judge::understand_mask("gain at most 27 dB from 100 Hz to 10 kHz", study::response::kind());
  REQUIRE((flat && *flat));
  CHECK((*flat)->curve == "gain");
  CHECK((*flat)->upper == Line{{100, 27}, {10e3, 27}});
  CHECK((*flat)->lower.empty());
  const auto bent =
      judge::understand_mask("Phase at least \u221290 deg at 10 Hz, -180 deg at 1k, \u2212360 deg at 20 kHz", study::response::kind());
  REQUIRE((bent && *bent));
  CHECK((*bent)->lower == Line{{10, -90}, {1e3, -180}, {20e3, -360}});
  for (const char* other :
       {"", "High corner at least 18 kHz", "gain at 1 kHz at least 26 dB", "Low corner 15 to 25 Hz"}) {
    INFO(other);
    const auto none = judge::understand_mask(other, study::response::kind());
    REQUIRE(none);
    CHECK_FALSE(*none);
  }
  for (const char* bad : {"gain at most 27 dB from 100 Hz", "gain at most 27 dB from 1 kHz to 100 Hz",
                          "gain at most 27 furlong from 1 Hz to 2 Hz", "gain below 3 dB at 10 Hz, 2 dB",
                          "gain below 3 dB at 0 Hz, 2 dB at 5 Hz", "gain below 3 dB from nan to 5 Hz"}) {
    INFO(bad);
    CHECK_FALSE(judge::understand_mask(bad, study::response::kind()));
  }
}
