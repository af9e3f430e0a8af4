#include <catch2/catch.hpp>
#include <clocale>
#include <cmath>
#include <random>

#include "device/expectation.h"
#include "exchange/curves.h"
#include "exchange/touchstone.h"
#include "judge/claim_words.h"
#include "run/ledger.h"
#include "signal/scatter.h"
#include "signal/spectra.h"
#include "study/iv/brief.h"
#include "study/iv/compare.h"
#include "study/iv/datasheet.h"
#include "study/iv/diode.h"
#include "study/iv/doubts.h"
#include "study/iv/figures.h"
#include "study/iv/loop.h"
#include "study/iv/preflight.h"
#include "study/iv/ramp.h"
#include "study/iv/kind.h"
#include "study/kind.h"
#include "study/response/figures.h"
#include "study/response/kind.h"
#include "study/response/plan.h"
#include "study/quantities.h"
#include "study/shared_error.h"
#include "support.h"

/// Small facts that larger tests pass by.
using namespace heron;

namespace noticed {
namespace {

namespace iv = study::iv;
namespace response = study::response;

iv::CurvePoint reading(int index, double voltage, double current, double u_current = 0) {
  iv::CurvePoint p{.index = index, .voltage = voltage, .current = current, .programmed = voltage};
  if (u_current > 0) {
    p.u_voltage = iv::Doubtful{};
    p.u_current = iv::Doubtful{u_current, 0};
  }
  return p;
}

const study::Doubt* doubt_of(const std::vector<study::Doubt>& all, std::string_view key) {
  for (const auto& d : all)
    if (d.key == key) return &d;
  return nullptr;
}

}  // namespace

TEST_CASE("noise is cut into whole segments, as many as asked and overlapping as asked", "[response][noise]") {
  response::Plan p{.drive_pin = "in", .hookup = response::direct_hookup("in", "out"), .start = 100, .stop = 9e3};
  p.method = response::Method::noise;
  p.resolution = 2;
  p.noise_averages = 32;
  for (const double overlap : {0.0, 0.5, 0.75}) {
    p.overlap = overlap;
    const auto t = response::noise_timing(p, 100e6);
    CHECK((t.segment & (t.segment - 1)) == 0);
    CHECK(double(t.segment) * p.resolution >= 4 * p.stop);
    CHECK(double(t.segment) * p.resolution < 8 * p.stop);
    CHECK(t.records * t.segments_each == 32);
    const auto step = std::size_t(std::lround(double(t.segment) * (1 - overlap)));
    CHECK(t.samples == t.segment + std::size_t(t.segments_each - 1) * step);
    CHECK(t.resolution == Approx(t.rate / double(t.segment)));
  }
}

TEST_CASE("shared errors have their size exactly, and none leans on another", "[response][iv]") {
  constexpr int kDraws = 64;
  study::SharedDraws draws(kDraws), other_order(kDraws);
  CHECK(other_order(3, 7) == draws(3, 7));
  for (int a = 1; a <= 12; ++a) {
    double mean = 0, square = 0;
    for (int n = 0; n < kDraws; ++n) {
      mean += draws(n, a) / kDraws;
      square += draws(n, a) * draws(n, a) / kDraws;
      CHECK(other_order(n, a) == draws(n, a));
    }
    CHECK(std::abs(mean) < 1e-9);
    CHECK(square == Approx(1).epsilon(1e-9));
    for (int b = 1; b < a; ++b) {
      double product = 0;
      for (int n = 0; n < kDraws; ++n) product += draws(n, a) * draws(n, b) / kDraws;
      CHECK(std::abs(product) < 1e-6);
    }
  }
}

TEST_CASE("a unit behind a name without brackets is one", "[csv]") {
  const auto table = exchange::read_table("frequency Hz,gain dB,channel B\n1,2,3\n2,3,4\n", "t.csv");
  REQUIRE(table);
  CHECK(table->columns[0].typed_unit == "Hz");
  CHECK(table->columns[1].typed_unit == "dB");
  CHECK(table->columns[1].name == "gain");
  CHECK(table->columns[2].name == "channel B");
}

TEST_CASE("a cell that is no number is named by line, column and what stands there", "[csv]") {
  const test::Folder folder;
  const auto file = folder.write("t.csv", "frequency,gain\n1,2\n2,OL\n3,4\n4,5\n5,6\n");
  auto curves = exchange::read_curves(file, *study::find_kind("response"));
  REQUIRE_FALSE(curves);
  CHECK(curves.error().message.find("t.csv:3: column 2 (gain): \"OL\"") != std::string::npos);
  const auto other = folder.write("u.csv", "frequency,gain\n1,2\n2,abc\n3,4\n4,5\n5,6\n");
  curves = exchange::read_curves(other, *study::find_kind("response"));
  REQUIRE_FALSE(curves);
  CHECK(curves.error().message.find("u.csv:3: column 2 (gain): \"abc\"") != std::string::npos);
}

TEST_CASE("a network file whose decibels are beyond all numbers is refused with its line", "[touchstone]") {
  for (const char* text : {"# MHz S DB\n5 299999999999999999999 1\n", "# GHz S RI\n1e308 0.5 0.1\n"}) {
    const auto read = exchange::read_touchstone(text, "part.s1p");
    REQUIRE_FALSE(read);
    CHECK(read.error().message.find("part.s1p:2") != std::string::npos);
    CHECK(read.error().message.find("too large") != std::string::npos);
  }
  CHECK(exchange::read_touchstone("# MHz S DB\n5 200 1\n", "part.s1p"));
}

TEST_CASE("a point whose set-up is no object is told, not thrown", "[dossier][damage]") {
  const study::Record record{.sample_rate = 1e4, .channels = {{.role = "stimulus"}, {.role = "response"}}};
  for (const auto* kind : study::kinds())
    for (const nlohmann::json& setting : {nlohmann::json(7), nlohmann::json(), nlohmann::json("x"), nlohmann::json::array({1})}) {
      const auto analysis = kind->analyse({study::Point{.setting = setting, .records = {record}}}, {}, {});
      REQUIRE_FALSE(analysis);
      CHECK(analysis.error().fault == Fault::input);
    }
}

TEST_CASE("kept JSON of any type is read or refused", "[dossier][damage]") {
  for (const nlohmann::json& json : {nlohmann::json(7), nlohmann::json(), nlohmann::json("x"), nlohmann::json::array({1})}) {
    INFO(json.dump());
    CHECK_FALSE(response::plan_from_json(json));
    CHECK_FALSE(iv::plan_from_json(json));
    CHECK_NOTHROW((void)bench::hookup_from_json(json));
    CHECK_NOTHROW((void)bench::chain_from_json(json));
    CHECK_NOTHROW((void)bench::sensor_from_json(json));
    CHECK_NOTHROW((void)bench::sensing_from_json(json));
    CHECK_NOTHROW((void)device::ratings_from_json(json));
    CHECK_NOTHROW((void)device::expectations_from_json(json));
    CHECK_NOTHROW((void)iv::ramp_from_json(json));
  }
}

TEST_CASE("a preview shows the first five rows", "[csv]") {
  const test::Folder folder;
  std::string text = "frequency,gain\n";
  for (int k = 1; k <= 9; ++k) text += fmt::format("{},{}\n", k, -k);
  const auto preview = exchange::preview_file(folder.write("t.csv", text), *study::find_kind("response"));
  REQUIRE(preview.rows.size() == 5);
  CHECK(preview.rows.back() == std::vector<std::string>{"5", "-5"});
}

TEST_CASE("a column of one number and one of words are still a table", "[csv]") {
  const auto table = exchange::read_table("frequency\tgain\n1\t2\n", "t.txt");
  REQUIRE(table);
  CHECK(table->columns.size() == 2);
}

TEST_CASE("a datasheet's row comes back out of its claim", "[iv][views]") {
  const iv::DatasheetPoint row{
      .of = iv::PointOf::current, .at = "3 V", .step = "10 mA", .least = "2 mA", .typical = "2.7 mA", .most = "4 mA"};
  const auto claim = iv::claim_of(row);
  REQUIRE(claim);
  const auto back = iv::point_of(*claim);
  REQUIRE(back);
  CHECK(back->at == "3 V");
  CHECK(back->step == "10 mA");
  CHECK(back->least == "2 mA");
  CHECK(back->most == "4 mA");
  const auto single = iv::point_of(*iv::claim_of({.of = iv::PointOf::voltage, .at = "5 mA", .most = "0.7 V"}));
  REQUIRE(single);
  CHECK(single->at == "5 mA");
  CHECK(single->step.empty());
}

TEST_CASE("a power rating is near only where voltage and compliance together reach it", "[iv][preflight]") {
  iv::Plan plan{.sources = {{.name = "d",
                             .pin = "d",
                             .against = "",
                             .role = iv::Role::swept,
                             .values = {.start = 0, .stop = 5, .points = 11},
                             .compliance = 10e-3,
                             .current_range = {}}},
                .sensed = ""};
  const bench::Limits limits{.source_measure_voltage = 200, .source_measure_current = 3};
  const auto near = [&](double watts) {
    const auto found = iv::preflight(plan, limits, {{"d", {.power = watts}}});
    const auto* d = doubt_of(found, "rating.near");
    return d && d->text.find("W") != std::string::npos;
  };
  CHECK(near(49e-3));
  CHECK_FALSE(near(51e-3));
}

TEST_CASE("what leaves too few points for a diode's line is told apart", "[iv]") {
  iv::Curve clean{.points = {}}, noisy{.points = {}};
  for (int k = 0; k < 4; ++k) clean.points.push_back(reading(k, 0.1 * (k + 1), 1e-6 * (k + 1)));
  for (int k = 0; k < 30; ++k) noisy.points.push_back(reading(k, 0.01 * (k + 1), (k % 2 ? 1e-9 : -1e-9), 1e-8));
  const auto few = iv::fit_diode(iv::sorted(clean), 300), drowned = iv::fit_diode(iv::sorted(noisy), 300);
  REQUIRE_FALSE(few);
  REQUIRE_FALSE(drowned);
  CHECK(few.error().message.find("at least 5 points") != std::string::npos);
  CHECK(drowned.error().message.find("noise leaves fewer than 5 points") != std::string::npos);
}

TEST_CASE("curves are held against the twin of their own step, and against no other", "[iv][views]") {
  const auto line = [](std::optional<double> step, double siemens) {
    iv::Curve out{.step = step, .points = {}};
    for (int k = 1; k <= 5; ++k) out.points.push_back(reading(k, k, siemens * k));
    return out;
  };
  iv::Family one, other;
  one.curves = {line(1.0, 1e-3), line(2.0, 2e-3)};
  other.curves = {line(2.0, 4e-3)};
  const auto apart = iv::against(one, other);
  REQUIRE(apart.curves.size() == 1);
  CHECK(apart.curves.front().step == 2.0);
  CHECK(apart.curves.front().points.front().current == Approx(-50));
  // A curve without a step stands at zero among those that have one.
  one.curves = {line(std::nullopt, 1e-3), line(2.0, 2e-3)};
  other.curves = {line(0.0, 2e-3), line(1.0, 9e-3)};
  const auto at_zero = iv::against(one, other);
  REQUIRE(at_zero.curves.size() == 1);
  CHECK(at_zero.curves.front().points.front().current == Approx(-50));
}

TEST_CASE("a loop's area and its opening have uncertainties of their own", "[iv]") {
  iv::Family family;
  family.curves.push_back({.points = {}});
  auto& points = family.curves.front().points;
  int n = 0;
  for (int k = 0; k <= 40; ++k) points.push_back(reading(n++, 0.1 * k, 1e-3 * k + 1e-4, 2e-6));
  for (int k = 40; k >= 0; --k) points.push_back(reading(n++, 0.1 * k, 1e-3 * k - 1e-4, 2e-6));
  const auto loop = iv::loop_of(family.curves.front());
  REQUIRE(loop);
  REQUIRE(loop->u_opening);
  REQUIRE(loop->u_area);
  const auto read = iv::read(family, {}, {});
  const auto *opening = read.find("loop.opening"), *area = read.find("loop.area");
  REQUIRE(opening);
  REQUIRE(area);
  CHECK(*opening->u == Approx(*loop->u_opening));
  // Nothing is shared here, so that the area's is the ways' alone.
  CHECK(*area->u == Approx(*loop->u_area).epsilon(0.02));
  // 0.2 mA apart over 4 V.
  CHECK(area->value == Approx(0.8e-3).epsilon(0.02));
}

TEST_CASE("compliance is told from three points on", "[iv][doubts]") {
  for (const int held : {2, 3}) {
    iv::Family family;
    family.measured = true;
    family.curves.push_back({.points = {}});
    for (int k = 0; k < 20; ++k) {
      auto p = reading(k, 0.1 * k, std::min(1e-3 * k, 1e-3 * (20 - held)), 1e-7);
      p.at_compliance = k >= 20 - held;
      family.curves.front().points.push_back(p);
    }
    const auto found = iv::find_doubts(family, {}, {}, {});
    INFO(held);
    const auto* d = doubt_of(found, "compliance.reached");
    CHECK((d != nullptr) == (held >= 3));
    if (d) CHECK(d->text.find("3 of 20 points") != std::string::npos);
  }
}

TEST_CASE("a gain without phase bends as its power does", "[response]") {
  // One pole: |H|^2 = 1/(1 + (f/fc)^2) is rational in f^2, so that a corner between coarse points is met exactly.
  constexpr double kCorner = 1234;
  response::Curve curve{.has_phase = false};
  for (int k = 0; k <= 16; ++k) {
    const double f = 10 * std::pow(10.0, k / 4.0);
    response::CurvePoint p{.index = k, .frequency = f, .gain_db = -10 * std::log10(1 + std::pow(f / kCorner, 2))};
    p.u_gain_db = 1e-6;
    p.u_phase_deg = 1e-6;
    curve.points.push_back(p);
  }
  const auto read = response::read(curve, {}, {});
  REQUIRE(read.find("corner.high"));
  CHECK(read.find("corner.high")->value == Approx(kCorner).epsilon(2e-4));
}

TEST_CASE("the caveats of a verdict are joined, not replaced", "[judge]") {
  const auto claim = judge::understand_claim("High corner at least 18 kHz", *study::find_kind("response"));
  REQUIRE(claim);
  study::Analysis analysis;
  analysis.reading.figures.push_back(
      {.key = "corner.high", .label = "High corner", .value = 18.1, .unit = "Hz", .u = 0.01});
  const dossier::Take take{.points = 12, .planned = 12};
  const run::Asked asked{.study = "Passband", .claims = {*claim}};
  const auto caveat = [&](int damaged) { return run::judge(asked, &take, damaged, &analysis).front().judgement.caveat; };
  CHECK(caveat(0).find("thousandth") != std::string::npos);
  CHECK(caveat(0).find("damaged") == std::string::npos);
  CHECK(caveat(2).find("thousandth") != std::string::npos);
  CHECK(caveat(2).find("2 of 12 points are damaged") != std::string::npos);
}

TEST_CASE("a claim on a plain ratio can be written", "[judge]") {
  const auto claim = judge::understand_claim("Fill factor at least 0.7", *study::find_kind("iv"));
  REQUIRE(claim);
  CHECK(claim->lower == "0.7");
  study::Reading reading;
  reading.figures.push_back({.key = claim->figure, .label = "Fill factor", .value = 0.75, .unit = "1", .u = 0.001});
  CHECK(judge::judge(*claim, reading, {}).verdict == judge::Verdict::meets);
}

TEST_CASE("numbers are read and written alike under a locale with a decimal comma", "[base]") {
  const char* old = std::setlocale(LC_ALL, "de_DE.UTF-8");
  if (!old) {
    WARN("the locale de_DE.UTF-8 is not there");
    return;
  }
  CHECK(format_setting(0.0125, "s") == "12.5 ms");
  CHECK(parse_value("12.5 ms", "s").value_or(0) == Approx(0.0125));
  CHECK(rounded_to(0.012345, 3) == Approx(0.0123));
  // A slowed sweep becomes slower.
  iv::Plan plan{.sources = {{.name = "d", .pin = "d", .against = "", .role = iv::Role::swept, .current_range = {}}},
                .sensed = ""};
  plan.delay = 1.5e-3;
  const auto edits = iv::slowed(plan, 4, {});
  REQUIRE(edits.size() == 1);
  const auto slower = iv::apply(plan, edits.front().first, edits.front().second, {"d"});
  CHECK(slower);
  if (slower) CHECK(slower->delay > 4 * plan.delay);
  const auto again = iv::plan_from_json(nlohmann::json::parse(iv::to_json(plan).dump()));
  CHECK(again);
  if (again) CHECK(again->delay == plan.delay);
  std::setlocale(LC_ALL, "C");
}

TEST_CASE("noise is taken off a curve wherever along the axis it lies", "[signal]") {
  std::mt19937_64 random(5);
  std::normal_distribution<double> normal(0, 1);
  std::vector<double> x, y, truth;
  for (int k = 0; k < 400; ++k) {
    x.push_back(100 + 0.25 * k);
    truth.push_back(40 + 0.3 * (x.back() - 150) + 0.01 * std::pow(x.back() - 150, 2));
    y.push_back(truth.back() + normal(random));
  }
  const auto smooth = signal::without_noise(x, y, std::vector<double>(x.size(), 1.0));
  double squares = 0;
  for (std::size_t k = 0; k < x.size(); ++k) squares += std::pow(smooth[k] - truth[k], 2);
  // Three parameters out of four hundred points leave a tenth of the noise.
  CHECK(std::sqrt(squares / double(x.size())) < 0.2);
}

TEST_CASE("noise out of a file is cut so that 32 pieces come out of it", "[response][noise]") {
  const auto segment_of = [](std::size_t samples) {
    std::mt19937_64 random(3);
    std::normal_distribution<double> normal(0, 1);
    study::Record record{.pass = 0, .sample_rate = 1e4};
    study::Channel stimulus{.role = "stimulus", .unit = "V"}, answer{.role = "response", .unit = "V"};
    for (std::size_t k = 0; k < samples; ++k) {
      stimulus.numbers.push_back(normal(random));
      answer.numbers.push_back(0.5 * stimulus.numbers.back());
    }
    record.channels = {stimulus, answer};
    const auto analysis =
        response::kind().analyse({{.setting = nlohmann::json::object(), .records = {record}}}, {{"method", "noise"}}, {});
    if (!analysis) FAIL(analysis.error().message);
    const auto& lines = analysis->curve->x;
    return int(std::lround(1e4 / (lines[11] - lines[10])));
  };
  // Half over each other: n pieces of s need s (n + 1) / 2 samples. 32 of 256 fit 4224, of which one less leaves 31.
  CHECK(segment_of(4224) == 256);
  CHECK(segment_of(4223) == 128);
}

TEST_CASE("a resonance between two far points of a table is where it is", "[response][impedance]") {
  study::Record table{.pass = 0, .sample_rate = 0};
  study::Channel f{.role = "frequency", .unit = "Hz"}, real{.role = "real", .unit = "ohm"}, imag{.role = "imag", .unit = "ohm"};
  const double l = 10e-3, c = 1e-6, resonance = 1 / (2 * std::numbers::pi * std::sqrt(l * c));
  for (int k = 0; k <= 40; ++k) {
    const double at = 137 * std::pow(10, k / 20.0), w = 2 * std::numbers::pi * at;
    f.numbers.push_back(at);
    real.numbers.push_back(200);
    imag.numbers.push_back(w * l - 1 / (w * c));
  }
  table.channels = {f, real, imag};
  const auto analysis = response::kind().analyse({{.setting = nlohmann::json::object(), .records = {table}}}, {{"quantity", "impedance"}}, {});
  if (!analysis) FAIL(analysis.error().message);
  const auto* found = analysis->reading.find("resonance.series");
  for (const auto& a : analysis->reading.absent) UNSCOPED_INFO(a.key << ": " << a.reason);
  REQUIRE(found);
  CHECK(found->value == Approx(resonance).epsilon(2e-4));
}

TEST_CASE("white noise reaches twice as far as the curve that is read of it", "[response][noise]") {
  response::Plan p{.drive_pin = "in", .hookup = response::direct_hookup("in", "out"), .start = 100, .stop = 9e3};
  p.method = response::Method::white;
  const auto wave = response::noise_wave(p, response::noise_timing(p, 100e6), 3);
  CHECK(wave.bandwidth == Approx(18e3));
  CHECK(wave.rms == p.noise_rms);
}

TEST_CASE("the greatest power of a coarse curve lies between its points", "[iv][pv]") {
  // One diode: I = Isc - Is (exp(V / v0) - 1).
  const double isc = 0.1, is = 1e-9, v0 = 0.045;
  const auto current = [&](double v) { return isc - is * std::expm1(v / v0); };
  double vmp = 0, most = 0;
  for (double v = 0; v < 0.83; v += 1e-6)
    if (v * current(v) > most) {
      most = v * current(v);
      vmp = v;
    }
  study::Record table{.pass = 0, .sample_rate = 0};
  study::Channel v{.role = "voltage", .unit = "V"}, i{.role = "current", .unit = "A"};
  for (int k = 0; k <= 28; ++k) {
    v.numbers.push_back(0.03 * k);
    i.numbers.push_back(current(v.numbers.back()));
  }
  table.channels = {v, i};
  const auto analysis =
      iv::kind().analyse({{.setting = nlohmann::json::object(), .records = {table}}}, {}, {});
  if (!analysis) FAIL(analysis.error().message);
  const auto* found = analysis->reading.find("pv.vmp");
  REQUIRE(found);
  // A tenth of the distance of the points.
  CHECK(found->value == Approx(vmp).margin(3e-3));
  CHECK(analysis->reading.find("pv.pmp")->value == Approx(most).epsilon(2e-3));
}

TEST_CASE("each input of a difference counts by what it is worth in it", "[response][hookup]") {
  study::Record record{.pass = 0, .sample_rate = 1000};
  study::Channel v1{.role = "v1", .unit = "V", .u_gain = 1e-3}, v2{.role = "v2", .unit = "V", .u_gain = 2e-3};
  for (int k = 0; k < 1000; ++k) {
    const double t = 2 * std::numbers::pi * 10 * k / 1000.0;
    v1.numbers.push_back(5 * std::cos(t));
    v2.numbers.push_back(4 * std::cos(t));
  }
  record.channels = {v1, v2};
  nlohmann::json about = {{"roles", {{"response", "i"}}}};
  bench::Hookup hookup{.computed = {{.name = "i", .unit = "A", .formula = "(v1 - v2)/R1"}}};
  study::describe_hookup(about, hookup, {{"R1", 10}});
  const study::Point point{.index = 0, .setting = about, .records = {record}};
  const auto samples = study::role_samples(point, record, "response", 10);
  if (!samples) FAIL(samples.error().message);
  // i = (v1 - v2)/R1: of 1, v1 is worth 5 and v2 minus 4.
  REQUIRE(samples->shares.size() == 2);
  CHECK(samples->shares[0].u_gain == Approx(1e-3));
  CHECK(samples->shares[0].effect.real() == Approx(5));
  CHECK(samples->shares[1].u_gain == Approx(2e-3));
  CHECK(samples->shares[1].effect.real() == Approx(-4));
  CHECK(std::abs(samples->shares[1].effect.imag()) < 1e-6);
}

TEST_CASE("the power of a spectrum's lines falls with the square of the record", "[signal][spectra]") {
  std::mt19937_64 random(11);
  std::normal_distribution<double> normal(0, 1);
  std::vector<double> large(4096), small;
  for (auto& v : large) v = normal(random);
  for (const double v : large) small.push_back(1e-4 * v);
  const auto spectra_of = [](const std::vector<double>& x) {
    signal::SpectraSum sum({.segment = 64}, 1000);
    sum.add(x, x);
    return sum.mean();
  };
  const auto one = spectra_of(large), other = spectra_of(small);
  for (std::size_t k = 0; k < one.xx.size(); ++k) {
    CHECK(other.xx[k] == Approx(1e-8 * one.xx[k]));
    CHECK(other.yy[k] == Approx(1e-8 * one.yy[k]));
  }
}

TEST_CASE("the mean comes off a whole record before it is cut, the drift around it stays", "[signal][spectra]") {
  constexpr std::size_t segment = 64, samples = 8 * segment;
  std::vector<double> x(samples), window(segment);
  for (std::size_t k = 0; k < samples; ++k)
    x[k] = 3 + 0.01 * double(k) + std::cos(2 * std::numbers::pi * 20 * double(k) / segment);
  for (std::size_t k = 0; k < segment; ++k) window[k] = 0.5 - 0.5 * std::cos(2 * std::numbers::pi * double(k) / segment);
  // Line by line as the definition says: mean off, windowed, transformed, squared, averaged over half-overlapping pieces.
  const double mean = 3 + 0.01 * double(samples - 1) / 2;
  const auto power = [&](std::size_t line) {
    double sum = 0;
    for (std::size_t first = 0; first + segment <= samples; first += segment / 2) {
      std::complex<double> transform = 0;
      for (std::size_t k = 0; k < segment; ++k)
        transform += window[k] * (x[first + k] - mean) *
                     std::polar(1.0, -2 * std::numbers::pi * double(line * k) / double(segment));
      sum += std::norm(transform);
    }
    return sum;
  };
  signal::SpectraSum welch({.segment = segment, .overlap = 0.5, .window = signal::Window::hann}, 1);
  welch.add(x, x);
  const auto found = welch.mean();
  for (const std::size_t line : {0u, 1u, 2u, 3u, 19u, 21u})
    CHECK(found.xx[line] / found.xx[20] == Approx(power(line) / power(20)).epsilon(1e-3).margin(1e-9));
}

}  // namespace noticed
