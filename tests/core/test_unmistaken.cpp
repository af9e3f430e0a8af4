#include <numeric>

#include "iv_support.h"
#include "judge/claim.h"
#include "response_support.h"
#include "signal/spectra.h"
#include "study/iv/diode.h"
#include "study/iv/doubts.h"
#include "study/iv/figures.h"
#include "study/response/kind.h"

using namespace heron;
using namespace heron::study;
using namespace heron::test;
using Catch::Matchers::Contains;

namespace unmistaken {

/// Definitions at the places where a slip of one sign, one bound or one constant would go unseen elsewhere.
namespace {

response::Curve drawn(std::initializer_list<std::array<double, 3>> points) {
  std::vector<response::CurvePoint> out;
  for (const auto& [f, gain, phase] : points)
    out.push_back({.index = int(out.size()), .frequency = f, .gain_db = gain, .phase_deg = phase});
  return *response::assemble(out);
}

double figure(const Reading& reading, std::string_view key) {
  const auto* f = reading.find(key);
  if (!f) FAIL("no figure " << key);
  return f->value;
}

std::string absent(const Reading& reading, std::string_view key) {
  for (const auto& a : reading.absent)
    if (a.key == key) return a.reason;
  return "";
}

iv::Family table(const std::vector<std::pair<double, double>>& points) {
  iv::Family family;
  iv::Curve curve;
  for (const auto& [v, i] : points)
    curve.points.push_back({.index = int(curve.points.size()), .voltage = v, .current = i});
  family.curves.push_back(curve);
  return family;
}

}  // namespace

TEST_CASE("the first point is the reference where it lies within one decibel of the highest, no further",
          "[response]") {
  const auto with = [](double first) {
    return response::read(drawn({{10, first, 0}, {100, 0, 0}, {1e3, -2, 0}, {1e4, -20, 0}}), {}, {});
  };
  CHECK(figure(with(-0.9), "gain.reference") == Approx(-0.9));
  CHECK(figure(with(-1.1), "gain.reference") == Approx(0));
  const auto last = [](double end) {
    return response::read(drawn({{10, -20, 0}, {100, -5, 0}, {1e3, 0, 0}, {1e4, end, 0}}), {}, {});
  };
  CHECK(figure(last(-0.9), "gain.reference") == Approx(-0.9));
  CHECK(figure(last(-1.1), "gain.reference") == Approx(0));
}

TEST_CASE("a gain that rises through 0 dB is no crossover", "[response]") {
  const auto reading =
      response::read(drawn({{10, -10, -20}, {100, 10, -60}, {1e3, -10, -120}, {1e4, -30, -170}}), {}, {});
  CHECK(figure(reading, "crossover.gain") == Approx(std::pow(10, 2.5)));
  CHECK(figure(reading, "margin.phase") == Approx(90));
  CHECK_THAT(absent(response::read(drawn({{10, -20, 0}, {100, -10, 0}, {1e3, 10, 0}}), {}, {}), "crossover.gain"),
             Contains("does not fall through 0 dB"));
}

TEST_CASE("the phase crosses 180 degrees in either direction", "[response]") {
  const auto falling = response::read(drawn({{10, 0, -100}, {100, -10, -160}, {1e3, -20, -200}}), {}, {});
  CHECK(figure(falling, "crossover.phase") == Approx(std::pow(10, 2.5)));
  CHECK(figure(falling, "margin.gain") == Approx(15));
  const auto rising = response::read(drawn({{10, 20, -260}, {100, 10, -200}, {1e3, 0, -160}}), {}, {});
  CHECK(figure(rising, "crossover.phase") == Approx(std::pow(10, 2.5)));
  CHECK(figure(rising, "margin.gain") == Approx(-5));
}

TEST_CASE("group delay at an end of the sweep is absent with its reason", "[response]") {
  const auto curve = drawn({{100, 0, 0}, {200, 0, -36}, {300, 0, -72}, {400, 0, -108}});
  const auto reading = response::read(
      curve, {},
      {"delay.group@100Hz", "delay.group@200Hz", "delay.group@400Hz", "delay.group@350Hz", "delay.group@401Hz"});
  CHECK(figure(reading, "delay.group@200Hz") == Approx(1e-3));
  CHECK(figure(reading, "delay.group@350Hz") == Approx(1e-3));
  for (const char* key : {"delay.group@100Hz", "delay.group@400Hz"})
    CHECK_THAT(absent(reading, key), Contains("an end of the sweep"));
  CHECK_THAT(absent(reading, "delay.group@401Hz"), Contains("outside"));
}

TEST_CASE("the worst curve of a family decides under a mask", "[judge][mask]") {
  Columns family{.x_name = "voltage", .x_unit = "V", .x = {0, 1, 2}};
  family.logarithmic = false;
  family.columns.push_back({"current at 1 V", "A", {0, 1, 2}, {}});
  family.columns.push_back({"current at 2 V", "A", {0, 2, 4}, {}});
  family.columns.push_back({"current at 3 V", "A", {0, 1.5, 3}, {}});
  const judge::Mask mask{.text = "", .curve = "current", .upper = {{0, 3.5}, {2, 3.5}}};
  const auto judged = judge::judge(mask, family);
  CHECK(judged.verdict == judge::Verdict::fails);
  CHECK(judged.on == "current at 2 V");
  CHECK(*judged.margin == Approx(-0.5));
}

TEST_CASE("figures are asked at steps that are there", "[iv]") {
  iv::Family family;
  for (const double step : {1.0, 2.0}) {
    iv::Curve curve{.step = step};
    for (int k = 0; k <= 10; ++k) curve.points.push_back({.index = k, .voltage = 0.1 * k, .current = 1e-3 * step * k});
    family.curves.push_back(curve);
  }
  const auto reading = iv::read(family, {}, {"current@0.5V,2", "current@0.5V,1.5", "current@0.5V,2.001"});
  CHECK(figure(reading, "current@0.5V,2") == Approx(10e-3));
  CHECK(reading.find("current@0.5V,1.5") == nullptr);
  CHECK(reading.find("current@0.5V,2.001") == nullptr);
  CHECK_THAT(absent(reading, "current@0.5V,1.5"), Contains("no curve of that step"));
}

TEST_CASE("a loop is closed below its limit and open above, not at twice that", "[iv]") {
  const auto with = [](double opening) {
    std::vector<std::pair<double, double>> points;
    for (int k = 0; k <= 50; ++k) points.push_back({0.02 * k, 0.02e-3 * k});
    for (int k = 49; k >= 0; --k) points.push_back({0.02 * k, 0.02e-3 * k + (k == 25 ? -opening * 1e-3 : 0)});
    auto family = table(points);
    for (auto& p : family.curves[0].points) p.u_current = p.u_voltage = iv::Doubtful{0, 0};
    const auto doubts = iv::find_doubts(family, {}, {}, iv::read(family, {}, {}));
    return std::any_of(doubts.begin(), doubts.end(), [](const Doubt& d) { return d.key == "loop.open"; });
  };
  CHECK_FALSE(with(0.019));
  CHECK(with(0.021));
}

TEST_CASE("points at compliance take no part in a junction's fit", "[iv]") {
  const double vt = iv::thermal_voltage(300.15);
  iv::Curve curve;
  for (int k = 0; k <= 40; ++k) {
    const double i = 1e-8 * std::pow(10, k / 8.0), v = 1.3 * vt * std::log1p(i / 2e-12) + 2 * i;
    curve.points.push_back({.index = k, .voltage = v, .current = i});
  }
  for (int k = 41; k < 50; ++k)
    curve.points.push_back(
        {.index = k, .voltage = curve.points.back().voltage + 0.05, .current = 1.01e-3, .at_compliance = true});
  const auto fit = iv::fit_diode(iv::sorted(curve), 300.15);
  REQUIRE(fit);
  CHECK(fit->ideality == Approx(1.3).epsilon(1e-6));
  CHECK(fit->series_resistance == Approx(2).epsilon(1e-4));
  // The root mean square of what is left: here a cosine of 50 microvolts.
  for (int k = 0; k <= 40; ++k) curve.points[std::size_t(k)].voltage += 50e-6 * std::cos(2.2 * k);
  const auto rough = iv::fit_diode(iv::sorted(curve), 300.15);
  REQUIRE(rough);
  CHECK(rough->residual == Approx(50e-6 / std::sqrt(2)).epsilon(0.1));
}

TEST_CASE("a maximum-power point at the end of a curve is absent", "[iv][pv]") {
  // Twelve cells that are cut off before their knee.
  std::vector<std::pair<double, double>> points;
  for (int k = 0; k <= 60; ++k) {
    const double v = -0.1 + 0.11 * k;
    points.push_back({v, -(0.9 - 2e-9 * std::expm1(v / 0.4) - v / 800)});
  }
  const auto reading = iv::read(table(points), {}, {"pv.pmp", "pv.isc"});
  CHECK(figure(reading, "pv.isc") == Approx(0.9).epsilon(1e-3));
  CHECK(reading.find("pv.pmp") == nullptr);
  CHECK_THAT(absent(reading, "pv.pmp"), Contains("end"));
}

TEST_CASE("an estimate from n averages is uncertain by the root of what it says", "[spectra]") {
  // Bendat and Piersol: (1 - g2)/(2 g2 n) in square; of few averages Student's t widens it.
  CHECK(signal::u_of_response(0.8, 50) == Approx(std::sqrt(0.2 / (2 * 0.8 * 50))));
  CHECK(signal::u_of_line(0.8, 400) == Approx(std::sqrt(0.2 / (2 * 0.8 * 399))).epsilon(2e-3));
  CHECK(signal::u_of_line(0.8, 6) == Approx(std::sqrt(0.2 / (2 * 0.8 * 5)) * std::sqrt(10.0 / 8)));
}

TEST_CASE("noise beside a tone is told as large as it is", "[signal]") {
  // u of a sine's peak in white noise is sigma sqrt(2/n) (IEEE Std 1057), whichever way it is found.
  const auto samples = sine({.rate = 100e3, .frequency = 1e3, .peak = 1, .noise = 0.05}, 20'000, 5);
  const auto fit = signal::fit_tone(samples, 100e3, 1e3);
  REQUIRE(fit);
  CHECK(fit->u_peak == Approx(0.05 * std::sqrt(2.0 / 20'000)).epsilon(0.05));
  // Some twelve degrees of freedom in one record: the mean square of many.
  double squares = 0;
  for (unsigned seed = 0; seed < 60; ++seed) {
    const auto one = sine({.rate = 100e3, .frequency = 1e3, .peak = 1, .noise = 0.05}, 4'000, seed + 100);
    squares += std::pow(signal::u_peak_nearby(one, 100e3, *signal::fit_tone(one, 100e3, 1e3)), 2) / 60;
  }
  CHECK(std::sqrt(squares) == Approx(0.05 * std::sqrt(2.0 / 4'000)).epsilon(0.1));
}

}  // namespace unmistaken
