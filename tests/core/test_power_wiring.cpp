#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "study/power/check.h"
#include "support.h"

using namespace heron;
namespace power = heron::study::power;

/// How far phasors that are written down are from what the wiring says, and what is offered to explain it.
namespace power_wiring {
namespace {

using power::Cause;
using power::Form;
using std::numbers::pi;
using std::numbers::sqrt2;
using Phasor = std::complex<double>;

Phasor at(double peak, double degrees) { return std::polar(peak, degrees * pi / 180); }

struct Wired {
  std::vector<Phasor> v, i;
  Form form = Form::star;
  double current_repeats = 0;
};

/// Three of one size, a third of a turn apart.
std::vector<Phasor> three(double peak, double lag = 0) { return {at(peak, -lag), at(peak, -120 - lag), at(peak, 120 - lag)}; }

power::WiringCheck look(const Wired& wired, const power::Settings& settings = {}) {
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  study::Record record{.sample_rate = 1e3};
  power::Wiring wiring{.form = wired.form, .voltages = {}, .currents = {}};
  power::Measured m;
  m.statistics = {.frequency = 50, .phases = wired.v.size(), .has_voltage = true, .has_current = true, .of_lines = wired.form == Form::lines};
  m.current_repeats = wired.current_repeats;
  const auto add = [&](const std::vector<Phasor>& all, bool voltage) {
    for (std::size_t p = 0; p < all.size(); ++p) {
      const std::string letter = voltage ? "v" : "i", role = letter + "abc"[p];
      (voltage ? wiring.voltages : wiring.currents).push_back({.trace = record.channels.size(), .role = role});
      record.channels.push_back({.role = letter + "_" + "abc"[p], .unit = voltage ? "V" : "A", .numbers = {0.0, 1.0}});
      m.statistics.phasor.push_back({all[p]});
    }
  };
  add(wired.v, true);
  add(wired.i, false);
  const auto n = m.statistics.phasor.size();
  m.statistics.mean.assign(n, 0);
  m.statistics.product.assign(n, std::vector<double>(n));
  for (std::size_t k = 0; k < n; ++k) m.statistics.product[k][k] = std::norm(m.statistics.phasor[k].front()) / 2;
  point.records.push_back(std::move(record));
  const auto waves = power::waveforms_of(point, {});
  REQUIRE(waves);
  return power::check_wiring(**waves, wiring, m, settings);
}

double misfit(const Wired& wired, const power::Settings& settings = {}) { return look(wired, settings).misfit; }

/// What is best, which is looked for to be of that cause.
power::Explanation best(const Wired& wired, Cause cause, const power::Settings& settings = {}) {
  const auto check = look(wired, settings);
  if (check.explanations.empty()) FAIL("nothing is explained");
  CHECK(check.explanations.front().cause == cause);
  CHECK(std::is_sorted(check.explanations.begin(), check.explanations.end(), [](const auto& a, const auto& b) { return a.misfit < b.misfit; }));
  return check.explanations.front();
}

const std::vector<double> kAsTheyAre(6, 1.0);
const std::vector<std::size_t> kPlain = {0, 1, 2, 3, 4, 5};

}  // namespace

TEST_CASE("three even phases fit at any size and any usual power factor", "[power][wiring]") {
  for (const double size : {1e-3, 0.1, 1.0, 300.0})
    for (const double lag : {-73.0, 0.0, 40.0, 73.0}) {
      CAPTURE(size, lag);
      const auto check = look({three(size), three(size / 30, lag)});
      CHECK(check.misfit == Approx(0).margin(1e-9));
      CHECK(check.explanations.empty());
      CHECK(check.untold.empty());
      REQUIRE(check.channels.size() == 6);
      CHECK(check.channels[1].quantity == "v_b");
      CHECK(check.channels[1].voltage);
      CHECK(check.channels[1].phase == "b");
      CHECK(check.channels[1].rms == Approx(size / sqrt2));
      CHECK(check.channels[1].angle == Approx(-120));
      CHECK(check.channels[1].unit == "V");
      CHECK(check.channels[5].quantity == "i_c");
      CHECK_FALSE(check.channels[5].voltage);
      CHECK(check.channels[5].angle == Approx(std::remainder(120 - lag, 360)));
      CHECK(check.channels[5].frequency == 50);
      CHECK(check.channels[5].unit == "A");
    }
  // A supply that is unbalanced by three per cent, a load by thirty: sequences by Fortescue.
  const auto against = [](double size, double share) {
    auto x = three(size);
    const auto back = three(size * share);
    x[0] += back[0];
    x[1] += back[2];
    x[2] += back[1];
    return x;
  };
  CHECK(misfit({against(300, 0.03), three(10)}) < 0.02);
  CHECK(misfit({against(300, 0.13), three(10)}) == Approx(4 * 0.1).margin(0.05));
  CHECK(misfit({three(300), against(10, 0.29)}) < 0.05);
  CHECK(misfit({three(300), against(10, 0.39)}) == Approx(2 * 0.09).margin(0.06));
}

TEST_CASE("a lead the other way round is what fits best, by how far it is off", "[power][wiring]") {
  for (const std::size_t k : {0u, 2u, 3u, 4u}) {
    CAPTURE(k);
    Wired wired{three(0.5), three(0.1)};
    (k < 3 ? wired.v[k] : wired.i[k - 3]) *= -1;
    // Of the three a third goes along and two thirds go each other way: they turn against; the phases' angles cancel to
    // a third; one gives power back.
    const double unlike = std::sqrt(5.0) / 2, turned = 1.5 + 2 * (2 / 3.0 - 0.1) + 1.5;
    CHECK(misfit(wired) == Approx((k < 3 ? 4 * (unlike - 0.03) + 0.1 : 2 * (unlike - 0.3)) + turned));
    const auto e = best(wired, Cause::reversed);
    auto factor = kAsTheyAre;
    factor[k] = -1;
    CHECK(e.factor == factor);
    CHECK(e.from == kPlain);
    CHECK(e.misfit == Approx(0.8));
    CHECK(e.said == std::string(k < 3 ? "v_" : "i_") + "abc"[k % 3] + " is the other way round");
  }
  // Of one phase nobody can say which of the two.
  const auto one = best({{325.0}, {at(10, 150)}, Form::single}, Cause::reversed);
  CHECK(one.said == "i_a or v_a is the other way round");
  CHECK(one.factor == std::vector<double>{1, -1});
  CHECK(misfit({{325.0}, {at(10, 180)}, Form::single}) == 1.5);
  // It is what is meant where power comes back; across the voltage it is strange either way.
  const power::Settings back{.regenerating = true};
  CHECK(look({{325.0}, {at(10, 180)}, Form::single}, back).misfit == 0);
  CHECK(misfit({{325.0}, {at(10, 90)}, Form::single}, back) == Approx(4 * 0.29));
  CHECK(misfit({{325.0}, {at(10, 85)}, Form::single}) == Approx(4 * (0.29 - std::cos(85 * pi / 180))));
  CHECK(misfit({{325.0}, {Phasor(0)}, Form::single}) == 1);
  CHECK(misfit({{Phasor(0)}, {Phasor(1)}, Form::single}) == 1);
}

TEST_CASE("phases that are exchanged or one late are told by name", "[power][wiring]") {
  for (const auto& [p, q] : {std::pair<std::size_t, std::size_t>{0, 1}, {1, 2}, {0, 2}})
    for (const bool voltage : {true, false}) {
      CAPTURE(p, q, voltage);
      Wired wired{three(325), three(10, 20)};
      auto& of = voltage ? wired.v : wired.i;
      std::swap(of[p], of[q]);
      const auto e = best(wired, Cause::exchanged);
      auto from = kPlain;
      std::swap(from[(voltage ? 0 : 3) + p], from[(voltage ? 0 : 3) + q]);
      CHECK(e.from == from);
      CHECK(e.factor == kAsTheyAre);
      CHECK(e.misfit == Approx(0.8));
      const std::string letter = voltage ? "v_" : "i_";
      CHECK(e.said == letter + "abc"[p] + " and " + letter + "abc"[q] + " are exchanged");
    }
  // Voltages that turn the other way round against a sequence that is expected, and currents with them.
  const auto turned = [](std::vector<Phasor> x) {
    std::swap(x[1], x[2]);
    return x;
  };
  CHECK(misfit({turned(three(325)), turned(three(10))}) == Approx(0.1));
  CHECK(misfit({turned(three(325)), turned(three(10))}, {.sequence = power::Sequence::abc}) == Approx(1.6));
  CHECK(misfit({turned(three(325)), turned(three(10))}, {.sequence = power::Sequence::acb}) == Approx(0.1));
  CHECK(misfit({three(325), three(10)}, {.sequence = power::Sequence::acb}) == Approx(1.5));
  for (const std::size_t by : {1u, 2u}) {
    CAPTURE(by);
    const auto i = three(10, 10);
    Wired wired{three(325), {}};
    for (std::size_t p = 0; p < 3; ++p) wired.i.push_back(i[(p + 3 - by) % 3]);
    // Each stands across its voltage or gives power back.
    CHECK(misfit(wired) == Approx(3 * 1.5));
    const auto e = best(wired, Cause::turned);
    const std::vector<std::size_t> one = {0, 1, 2, 4, 5, 3}, two = {0, 1, 2, 5, 3, 4};
    CHECK(e.from == (by == 1 ? one : two));
    CHECK(e.misfit == Approx(0.9));
    CHECK(e.said == std::string("i_a, i_b and i_c are each one phase ") + (by == 1 ? "late" : "early"));
  }
}

TEST_CASE("a factor of ten and volts for amperes are told where sizes can tell", "[power][wiring]") {
  for (const double by : {10.0, 0.1}) {
    CAPTURE(by);
    Wired wired{three(325), three(10)};
    wired.i[1] *= by;
    // Sequences of (1, by, 1): along (2 + by)/3, the others |by - 1|/3 each.
    const double unlike = sqrt2 * std::abs(by - 1) / (2 + by);
    CHECK(misfit(wired) == Approx(2 * (unlike - 0.3) + 4 * 0.5));
    auto factor = kAsTheyAre;
    factor[4] = 1 / by;
    const auto e = best(wired, Cause::tenfold);
    CHECK(e.factor[4] == Approx(1 / by));
    factor[4] = e.factor[4];
    CHECK(e.factor == factor);
    CHECK(e.misfit == Approx(0.9));
    CHECK(e.said == (by > 1 ? "i_b is ten times too large" : "i_b is ten times too small"));
  }
  Wired wired{three(325), three(10)};
  std::swap(wired.v[1], wired.i[2]);
  const auto e = best(wired, Cause::volts_for_amperes);
  CHECK(e.from == std::vector<std::size_t>{0, 5, 2, 3, 4, 1});
  CHECK(e.misfit == Approx(1.0));
  CHECK(e.said == "v_b is a current and i_c is a voltage: they are exchanged");
  // Of one phase the one that something is known of; an explanation must be better by 0.3 than none.
  const auto single = [](double v) { return look({{Phasor(v * sqrt2)}, {Phasor(1)}, Form::single}, {.nominal_voltage = 100}); };
  const auto small = single(10);
  REQUIRE_FALSE(small.explanations.empty());
  CHECK(small.explanations.front().cause == Cause::tenfold);
  CHECK(small.explanations.front().factor == std::vector<double>{10, 1});
  CHECK(small.explanations.size() == 1);
  // lg 0.75 misfits by 3 times 0.35, lg 0.85 by 3 times 0.45; ten times as much by 0.9 and nothing besides.
  CHECK(single(100 * std::pow(10, -0.75)).explanations.empty());
  CHECK(single(100 * std::pow(10, -0.85)).explanations.size() == 1);
  // What is known beforehand: a factor of 2.5 either way is usual of a voltage, of 6.3 of a current.
  const auto known = [](double v, double i) { return misfit({three(v * sqrt2), three(i * sqrt2)}, {.nominal_voltage = 100, .nominal_current = 1}); };
  CHECK(known(100, 1) == Approx(0).margin(1e-9));
  CHECK(known(250, 6.3) == Approx(0).margin(1e-9));
  CHECK(known(40, 0.16) == Approx(0).margin(1e-9));
  CHECK(known(1000, 1) == Approx(3 * 0.6));
  CHECK(known(10, 1) == Approx(3 * 0.6));
  CHECK(known(100, 10) == Approx(2 * 0.2));
  CHECK(known(100, 0.01) == Approx(2 * 1.2));
}

TEST_CASE("voltages from line to line add up to nothing, and are laid out by phase", "[power][wiring]") {
  // 100 V of phase: v_ab is root three of it, 30 degrees early.
  const auto lines = three(100 * sqrt2 * std::sqrt(3.0), -30);
  CHECK(misfit({lines, three(10), Form::lines}) == Approx(0).margin(1e-9));
  CHECK(misfit({lines, three(10, 72), Form::lines}) == Approx(0).margin(1e-9));
  CHECK(misfit({lines, three(10), Form::lines}, {.nominal_voltage = 10}) == Approx(3 * 0.6));
  // One the other way round: their sum is twice of it. By phase (ab + ca)/3 and so on stay.
  for (const double size : {1.0, 1e-3}) {
    CAPTURE(size);
    Wired wired{lines, three(10), Form::lines};
    for (auto& x : wired.v) x *= size;
    wired.v[1] *= -1;
    const auto e = best(wired, Cause::reversed);
    CHECK(e.factor == std::vector<double>{1, -1, 1, 1, 1, 1});
    CHECK(e.misfit == Approx(0.8));
    CHECK(misfit(wired) > 3 * (2 - 0.03));
  }
  // Nothing stands across nothing.
  CHECK(misfit({{Phasor(0), Phasor(0), Phasor(0)}, three(10), Form::lines}) >= 3);
  // What the lines lack of nothing counts beside what their phases come to.
  for (const double by : {1.1, 0.8, -0.2}) {
    auto v = lines;
    v[2] *= by;
    const double size = (std::abs(v[0]) + std::abs(v[1]) + std::abs(v[2])) / 3, sum = std::abs(v[0] + v[1] + v[2]);
    const std::vector<Phasor> phases = {(v[0] - v[2]) / 3.0, (v[1] - v[0]) / 3.0, (v[2] - v[1]) / 3.0};
    CHECK(misfit({v, three(10, 20), Form::lines}) == Approx(misfit({phases, three(10, 20)}) + 3 * (std::min(2.0, sum / size) - 0.03)));
  }
}

TEST_CASE("a first channel that is other than it should be is set like any other", "[power][wiring]") {
  Wired wired{three(325), three(10)};
  wired.v[0] *= -1;
  const auto e = best(wired, Cause::reversed);
  CHECK(e.factor.front() == -1);
  study::Waveforms record;
  power::Wiring wiring{.form = Form::star, .voltages = {}, .currents = {}};
  for (const char* name : {"va", "vb", "vc", "ia", "ib", "ic"}) {
    (name[0] == 'v' ? wiring.voltages : wiring.currents).push_back({.trace = record.traces.size(), .role = name});
    record.traces.push_back(study::trace_of(name, "V", study::TimeBase(0, 1), {0.0, 1.0}));
  }
  const std::vector<std::pair<std::string, std::string>> wanted = {{"wire.va", "-va"}};
  CHECK(power::wires_of(record, wiring, e) == wanted);
}

TEST_CASE("of angles at a switching's frequency nothing is said", "[power][wiring]") {
  Wired wired{three(325), three(10)};
  wired.i[1] *= -1;
  wired.current_repeats = 12;
  const auto check = look(wired);
  CHECK(check.explanations.empty());
  CHECK(test::spaced(check.untold) == "v_a repeats at 50.00 Hz, i_a at 12.00 Hz: where a voltage is switched, its switching may be more of it than what it turns with");
  CHECK(check.channels.size() == 6);
}

}  // namespace power_wiring
