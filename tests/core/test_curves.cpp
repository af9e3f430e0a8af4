#include "response_support.h"
#include "study/response/compensate.h"
#include "study/response/refine.h"
#include "study/response/resonator.h"

using namespace heron;
using namespace heron::study;
using std::numbers::pi;
using namespace heron::test;

namespace {

response::Curve refined(const Answer& h, double from, double to, int coarse, const std::vector<std::string>& figures,
                        double least, int most = 60) {
  auto curve = sampled(h, from, to, coarse);
  for (int k = 0; k < most; ++k) {
    const auto next = response::next_frequency(curve, {}, figures, least);
    if (!next) break;
    auto points = curve.points;
    points.push_back(curve_point(h, *next));
    const auto quantity = curve.quantity;
    curve = *response::assemble(std::move(points));
    curve.quantity = quantity;
  }
  return curve;
}

double value(const response::Curve& curve, const std::string& key, const response::Settings& settings = {}) {
  const auto reading = response::read(curve, settings, {key});
  const auto* f = reading.find(key);
  if (!f) FAIL("no figure " << key);
  return f->value;
}

Complex butterworth(double f, int order, double corner) {
  Complex out = 1;
  for (int k = 1; k <= order; ++k)
    out /= Complex(0, f / corner) - std::polar(1.0, pi * (2.0 * k + order - 1) / (2.0 * order));
  return out;
}

/// A symmetrical twin-T with its null at f0, unloaded: H = (1 - x^2)/(1 - x^2 + 4jx).
Complex twin_t(double f, double f0) {
  const double x = f / f0;
  return (1 - x * x) / Complex(1 - x * x, 4 * x);
}

/// Eight first-order all-passes one after the other: flat gain, phase down to -1440 degrees.
Complex all_pass(double f, double f0) { return std::pow(Complex(1, -f / f0) / Complex(1, f / f0), 8); }

struct Rlc {
  double r, l, c, shunt, loss;
  Complex operator()(double f) const {
    const double w = 2 * pi * f;
    const Complex arm(r, w * l - 1 / (w * c)), parallel(loss, -1 / (w * shunt));
    return arm * parallel / (arm + parallel);
  }
};

}  // namespace

TEST_CASE("a Butterworth of order 8 has its corner, slope and phase", "[response]") {
  const auto curve = sampled([](double f) { return butterworth(f, 8, 1e3); }, 10, 20e3, 400);
  CHECK(value(curve, "corner.high") == Approx(1e3).epsilon(1e-3));
  CHECK(value(curve, "slope(5kHz,20kHz)") == Approx(-160).epsilon(1e-3));
  CHECK(value(curve, "phase@1kHz") == Approx(-360).epsilon(1e-3));
  CHECK(value(curve, "phase@20kHz") == Approx(-720 + 0.05 * 180 / pi * 5.1258).epsilon(1e-3));  // sum of 1/Q: 5.1258
  // Group delay at rest: the sum of 2 sin((2k-1) pi/16) over the corner.
  double sum = 0;
  for (int k = 1; k <= 4; ++k) sum += 2 * std::sin((2 * k - 1) * pi / 16);
  CHECK(value(curve, "delay.group@10.5Hz") == Approx(sum / (2 * pi * 1e3)).epsilon(2e-3));
}

TEST_CASE("the phase of an all-pass is followed through four turns", "[response]") {
  const auto curve = sampled([](double f) { return all_pass(f, 1e3); }, 1, 1e6, 300);
  for (const auto& p : curve.points) {
    CHECK(p.gain_db == Approx(0).margin(1e-9));
    CHECK(p.phase_deg == Approx(-16 * std::atan(p.frequency / 1e3) * 180 / pi).margin(1e-6));
  }
  CHECK(value(curve, "phase@1kHz") == Approx(-720).epsilon(1e-3));
}

TEST_CASE("a twin-T's null is found where it is, deeper with every point added", "[response]") {
  const Answer h = [](double f) { return twin_t(f, 137.0); };
  const auto coarse = sampled(h, 10, 2e3, 24);
  const auto fine = refined(h, 10, 2e3, 24, {"notch.frequency"}, 1e-4);
  CHECK(std::abs(value(fine, "notch.frequency") / 137 - 1) < 1e-3);
  CHECK(std::abs(value(coarse, "notch.frequency") / 137 - 1) < 0.2);
  // The null has no bottom: more points go deeper.
  CHECK(value(fine, "notch.depth") > std::min(80.0, value(coarse, "notch.depth") + 20) - 20);
  CHECK(std::abs(value(fine, "notch.frequency") / 137 - 1) < 1e-3);
}

TEST_CASE("refinement finds corners to a ten-thousandth with at most half the points of a uniform sweep",
          "[long][response][refine]") {
  const struct {
    const char* name;
    Answer h;
    std::string figure;
    double exact;
  } cases[] = {
      {"low-pass", [](double f) { return 1.0 / Complex(1, f / 3.3e3); }, "corner.high", 3.3e3},
      {"Butterworth", [](double f) { return butterworth(f, 8, 1.7e3); }, "corner.high", 1.7e3},
      {"peak", [](double f) { return 1.0 / Complex(1 - f * f / 4e6, f / 2e3 / 12); }, "peak.frequency",
       2e3 * std::sqrt(1 - 1.0 / (2 * 12 * 12))},
      {"loop", [](double f) { return 900.0 / (Complex(1, f / 10) * Complex(1, f / 2e4)); }, "crossover.gain",
       // 900/(sqrt(1+a)sqrt(1+a/4e6)) = 1 with a = (f/10)^2
       10 * std::sqrt((-(1 + 4e6) + std::sqrt(std::pow(1 + 4e6, 2) + 4 * 4e6 * (810000.0 - 1))) / 2)},
  };
  for (const auto& c : cases) {
    INFO(c.name);
    const auto curve = refined(c.h, 10, 100e3, 9, {c.figure}, 1e-4);
    CHECK(std::abs(value(curve, c.figure) / c.exact - 1) < 1e-4);
    // The shortest uniform sweep from which on all are as good.
    int uniform = 9;
    for (int n = 9; n <= 400; n += 1 + n / 16)
      if (const auto reading = response::read(sampled(c.h, 10, 100e3, n), {}, {c.figure});
          !reading.find(c.figure) || std::abs(reading.find(c.figure)->value / c.exact - 1) > 1e-4)
        uniform = n + 1;
    INFO(curve.points.size() << " points against " << uniform);
    // Where the coarse sweep is as good already, nothing is added to it.
    CHECK(int(curve.points.size()) <= std::max(9, (uniform + 1) / 2));
  }
}

TEST_CASE("refinement stops where noise is the larger uncertainty, and asks nothing of a curve too short", "[refine]") {
  const Answer h = [](double f) { return 1.0 / Complex(1, f / 1234); };
  CHECK_FALSE(response::next_frequency(sampled(h, 10, 100e3, 17, 0.5), {}, {"corner.high"}));
  const Answer steep = [](double f) { return butterworth(f, 8, 1234); };
  CHECK(response::next_frequency(sampled(steep, 10, 100e3, 17, 1e-4), {}, {"corner.high"}));
  CHECK_FALSE(response::next_frequency(sampled(steep, 10, 100e3, 17, 0.5), {}, {"corner.high"}));
  CHECK_FALSE(response::next_frequency(sampled(h, 10, 100e3, 3), {}, {"corner.high"}));
  CHECK_FALSE(response::next_frequency(sampled(h, 10, 100, 10), {}, {"corner.high"}));
}

TEST_CASE("what lies between the points is in the uncertainty", "[response]") {
  const Answer h = [](double f) { return 1.0 / Complex(1, f / 1234.5); };
  // Half the power of the first point, which lies a little below that at no frequency.
  const double exact = 1234.5 * std::sqrt(1 + 2 * std::pow(10 / 1234.5, 2));
  for (const int points : {9, 13, 21, 41}) {
    const auto reading = response::read(sampled(h, 10, 100e3, points), {}, {});
    const auto* corner = reading.find("corner.high");
    REQUIRE(corner);
    // Between the places that a curve is refined to, straight lines leave under a millionth.
    CHECK(std::abs(corner->value - exact) < 2 * *corner->u + 1e-6 * exact);
    CHECK(corner->at.size() == 1);
  }
}

TEST_CASE("impedance figures are those of the parts", "[impedance]") {
  const double r = 12, l = 3.3e-3, w = 2 * pi * 1e3;
  auto curve = sampled([&](double f) { return Complex(r, 2 * pi * f * l); }, 100, 100e3, 61);
  curve.quantity = response::Quantity::impedance;
  CHECK(value(curve, "resistance.series@1kHz") == Approx(r).epsilon(1e-6));
  CHECK(value(curve, "inductance.series@1kHz") == Approx(l).epsilon(1e-6));
  CHECK(value(curve, "q@1kHz") == Approx(w * l / r).epsilon(1e-6));
  CHECK(value(curve, "dissipation@1kHz") == Approx(r / (w * l)).epsilon(1e-6));
  CHECK(value(curve, "inductance.parallel@1kHz") == Approx(l * (1 + std::pow(r / (w * l), 2))).epsilon(1e-6));
  CHECK(value(curve, "resistance.parallel@1kHz") == Approx(r * (1 + std::pow(w * l / r, 2))).epsilon(1e-6));
  CHECK(value(curve, "impedance@1kHz") == Approx(std::hypot(r, w * l)).epsilon(1e-6));
  CHECK(value(curve, "angle@1kHz") == Approx(std::atan2(w * l, r) * 180 / pi).epsilon(1e-6));
  const auto reading = response::read(curve, {}, {"capacitance.series@1kHz"});
  CHECK_FALSE(reading.find("capacitance.series@1kHz"));
  CHECK_FALSE(reading.find("resonance.frequency"));
  // Real and imaginary part are what is interpolated, so a coil is read exactly between far points of log f.
  auto cap = sampled([&](double f) { return Complex(0.5, -1 / (2 * pi * f * 47e-9)); }, 100, 100e3, 601);
  cap.quantity = response::Quantity::impedance;
  CHECK(value(cap, "capacitance.parallel@3.7kHz") == Approx(47e-9).epsilon(1e-3));
  CHECK(value(cap, "capacitance.series@3.7kHz") == Approx(47e-9).epsilon(1e-3));
  cap.quantity = response::Quantity::gain;
  CHECK_FALSE(response::read(cap, {}, {"q@1kHz"}).find("q@1kHz"));
}

TEST_CASE("a resonance of an impedance and its height over the low end", "[impedance]") {
  const double r = 6, f0 = 820, q = 5;  // a coil with a resonant mass on it
  auto curve = sampled([&](double f) { return r + 40.0 / Complex(1, q * (f / f0 - f0 / f)); }, 20, 20e3, 800);
  curve.quantity = response::Quantity::impedance;
  CHECK(value(curve, "resonance.frequency") == Approx(f0).epsilon(1e-3));
  CHECK(value(curve, "resonance.impedance") == Approx(46).epsilon(3e-3));
  CHECK(value(curve, "resonance.height") == Approx(20 * std::log10(46.0 / 6)).margin(0.04));
}

TEST_CASE("the equivalent circuit comes back from its impedance within what is said", "[impedance]") {
  const Rlc part{.r = 420, .l = 22e-3, .c = 800e-12, .shunt = 4.7e-9, .loss = 3};
  std::mt19937_64 random(11);
  std::normal_distribution<double> normal;
  double squares = 0;
  int count = 0;
  for (int run = 0; run < 40; ++run) {
    auto curve = sampled(part, 20e3, 60e3, 80, 0.01);
    curve.quantity = response::Quantity::impedance;
    for (auto& p : curve.points) {
      p.gain_db += 0.01 * normal(random);
      p.phase_deg += 0.066 * normal(random);
    }
    const auto fit = response::fit_resonator(curve);
    if (!fit) FAIL(fit.error().message);
    const double got[] = {fit->resistance, fit->inductance, fit->capacitance, fit->shunt_capacitance},
                 want[] = {part.r, part.l, part.c, part.shunt};
    for (int k = 0; k < 4; ++k) {
      CHECK(got[k] == Approx(want[k]).epsilon(0.01));
      squares += std::pow((got[k] - want[k]) / fit->u[std::size_t(k)], 2);
      ++count;
    }
    CHECK(fit->residual < 0.004);
  }
  CHECK(squares / count == Approx(1).margin(0.35));
  const auto fine = [&] {
    auto curve = sampled(part, 20e3, 60e3, 200);
    curve.quantity = response::Quantity::impedance;
    return curve;
  }();
  CHECK(value(fine, "motional.resistance") == Approx(420).epsilon(1e-4));
  CHECK(value(fine, "resonance.parallel") > value(fine, "resonance.series"));
  auto short_of = sampled(part, 1e3, 10e3, 40);
  short_of.quantity = response::Quantity::impedance;
  CHECK_FALSE(response::fit_resonator(short_of));
}

TEST_CASE("open, short and load take a fixture off", "[impedance]") {
  // Leads in series, stray capacitance across, and a shunt off by 3 %.
  const auto through = [](const Answer& z) {
    return Answer([z](double f) {
      const double w = 2 * pi * f;
      const Complex inner = Complex(0.7, w * 0.8e-6) + z(f), stray(0, -1 / (w * 90e-12));
      return 1.03 * inner * stray / (inner + stray);
    });
  };
  const Answer part = [](double f) { return Complex(35, 2 * pi * f * 1e-3 - 1 / (2 * pi * f * 2.2e-9)); };
  const auto read = [&](const Answer& z, int n = 60) {
    auto curve = sampled(through(z), 1e3, 1e6, n, 1e-3);
    curve.quantity = response::Quantity::impedance;
    return curve;
  };
  const Answer open = [](double) { return Complex(1e12, 0); }, shorted = [](double) { return Complex(1e-9, 0); },
               load = [](double) { return Complex(1000, 0); };
  auto curve = read(part);
  const response::Standards all{.open = read(open), .shorted = read(shorted), .load = read(load)};
  REQUIRE(response::compensate(curve, all));
  for (std::size_t i = 0; i < curve.points.size(); ++i) {
    const Complex exact = part(curve.points[i].frequency);
    INFO(curve.points[i].frequency);
    CHECK(std::abs(curve.value(i) / exact - 1.0) < 2e-4);
    CHECK(*curve.points[i].u_gain_db >= 1e-3);
  }
  CHECK(curve.compensated == std::vector<std::string>{"open", "short", "load"});
  // Without the load the shunt's 3 % stays; without all of it the fixture as well.
  auto half = read(part), none = read(part);
  REQUIRE(response::compensate(half, {.open = all.open, .shorted = all.shorted}));
  REQUIRE(response::compensate(none, {}));
  CHECK(std::abs(half.value(0) / part(1e3) - 1.0) == Approx(0.03).epsilon(0.05));
  CHECK(std::abs(none.value(59) / part(1e6) - 1.0) > 0.1);
  // Standards on another grid serve as well; ones that end early do not.
  auto again = read(part);
  REQUIRE(
      response::compensate(again, {.open = read(open, 173), .shorted = read(shorted, 173), .load = read(load, 173)}));
  CHECK(std::abs(again.value(20) / part(again.points[20].frequency) - 1.0) < 5e-3);
  auto beyond = sampled(through(part), 500, 1e6, 10);
  CHECK_FALSE(response::compensate(beyond, all));
}

TEST_CASE("normalising takes the level at a frequency off and keeps it as a figure", "[response]") {
  response::Settings settings;
  REQUIRE(response::set(settings, "normalise", "1kHz"));
  auto curve = sampled([](double f) { return 7.3 / Complex(1, f / 5e4); }, 10, 1e6, 101);
  response::normalise(curve, 1e3);
  const auto reading = response::read(curve, settings, {"gain@1kHz"});
  CHECK(reading.find("gain@1kHz")->value == Approx(0).margin(1e-9));
  CHECK(reading.find("gain.removed")->value == Approx(20 * std::log10(7.3)).margin(0.003));
  auto beyond = sampled([](double) { return Complex(2, 0); }, 1e4, 1e6, 11);
  response::normalise(beyond, 1e3);
  CHECK_FALSE(response::read(beyond, settings).find("gain.removed"));
}

TEST_CASE("a small picture keeps the highest and the lowest place, in order, and short curves whole", "[study]") {
  std::mt19937 random(7);
  std::normal_distribution<double> noise;
  study::Columns columns{.x_name = "frequency", .x_unit = "Hz"};
  for (int k = 0; k < 5003; ++k) columns.x.push_back(k);
  study::Columns::Column long_one{.name = "gain", .unit = "dB"}, own{.name = "own", .unit = "V"};
  for (int k = 0; k < 5003; ++k) long_one.y.push_back(noise(random));
  own.x = {3, 5, 9};
  own.y = {1, std::nan(""), 2};
  own.u = {.1, .1, .1};
  columns.columns = {long_one, own};
  const auto small = study::thinned(columns, 60);
  REQUIRE(small.columns.size() == 2);
  const auto& thin = small.columns[0];
  CHECK(thin.y.size() <= 60);
  CHECK(thin.x.size() == thin.y.size());
  CHECK(std::is_sorted(thin.x.begin(), thin.x.end()));
  CHECK(*std::max_element(thin.y.begin(), thin.y.end()) == *std::max_element(long_one.y.begin(), long_one.y.end()));
  CHECK(*std::min_element(thin.y.begin(), thin.y.end()) == *std::min_element(long_one.y.begin(), long_one.y.end()));
  for (std::size_t k = 0; k < thin.x.size(); ++k) CHECK(thin.y[k] == long_one.y[std::size_t(thin.x[k])]);
  CHECK(small.columns[1].x == own.x);
  CHECK(small.columns[1].y.size() == 3);
  CHECK(small.columns[1].u.empty());
  // Nothing, one place, and fewer than two wanted.
  CHECK(study::thinned({}, 60).columns.empty());
  CHECK(study::thinned(columns, 0).columns[0].y.size() == 2);
  columns.columns[0].y.clear();
  CHECK(study::thinned(columns, 60).columns[0].x.empty());
}
