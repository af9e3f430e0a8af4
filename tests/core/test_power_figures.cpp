#include <catch2/catch.hpp>
#include <cmath>
#include <complex>
#include <numbers>

#include "study/power/figures.h"
#include "study/power/limits.h"
#include "study/power/steady.h"
#include "support.h"

using namespace heron;
namespace power = heron::study::power;

/// Figures of power off statistics that are written down, so that they and their uncertainties are closed forms.
namespace power_mathematics {
namespace {

using Catch::Matchers::Contains;
using power::Statistics;
using power::Steady;
using std::numbers::pi;
using std::numbers::sqrt2;
using Phasor = std::complex<double>;
using Phasors = std::vector<std::vector<Phasor>>;

constexpr double kSamples = 10000;

/// What means and phasors of these harmonics come to, with noise on each channel's samples; peak phasors, voltages first.
Statistics written(const Phasors& peaks, std::size_t phases, bool voltage, bool current, std::vector<double> noise = {}) {
  Statistics s{.frequency = 50, .u_frequency = 0, .cycles = 10, .samples = kSamples, .phases = phases, .has_voltage = voltage, .has_current = current};
  const auto n = peaks.size();
  s.mean.assign(n, 0);
  s.phasor = peaks;
  s.product.assign(n, std::vector<double>(n));
  s.noise = noise.empty() ? std::vector<double>(n) : std::move(noise);
  s.rounding.assign(n, 0);
  s.phasor_variance = 2 / kSamples;
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t j = 0; j < n; ++j)
      for (std::size_t h = 0; h < peaks[i].size(); ++h) s.product[i][j] += (peaks[i][h] * std::conj(peaks[j][h])).real() / 2;
    double highest = 0;
    for (const auto& x : peaks[i]) highest += std::abs(x);
    s.highest.push_back(highest);
  }
  return s;
}

std::map<std::string, Steady> figures(const Statistics& s, const power::Settings& settings = {}) {
  std::map<std::string, Steady> out;
  for (auto& one : power::steady_of(s, settings)) out.emplace(one.key, one);
  return out;
}

double value(const std::map<std::string, Steady>& all, const std::string& key) {
  const auto it = all.find(key);
  if (it == all.end()) FAIL(key);
  if (!it->second.value) FAIL(key << ": " << it->second.value.error());
  return *it->second.value;
}
std::string why(const std::map<std::string, Steady>& all, const std::string& key) {
  const auto it = all.find(key);
  if (it == all.end()) FAIL(key);
  return it->second.value ? std::string() : it->second.value.error();
}
double noise(const std::map<std::string, Steady>& all, const std::string& key) { return all.at(key).noise; }

Phasor at(double size, double degrees) { return std::polar(size, degrees * pi / 180); }

struct Channel {
  std::string name;
  std::function<double(double)> of;  ///< of time in s
  study::TraceErrors errors = {};
  double start = 0;  ///< s
};

constexpr double kRate = 20e3;

power::Measured measured(const std::vector<Channel>& channels, const power::Settings& settings = {}, std::size_t samples = 4001) {
  study::Waveforms record;
  for (const auto& c : channels) {
    std::vector<double> v(samples);
    for (std::size_t k = 0; k < samples; ++k) v[k] = c.of(c.start + double(k) / kRate);
    record.traces.push_back(study::trace_of(c.name, c.name[0] == 'v' ? "V" : "A", study::TimeBase(c.start, 1 / kRate), std::move(v)));
    record.errors.push_back(c.errors);
  }
  const auto wiring = power::wiring_of(record, settings);
  if (!wiring) FAIL(wiring.error().message);
  const auto out = power::measure(record, *wiring, settings);
  if (!out) FAIL(out.error().message);
  if (!*out) FAIL(out->error());
  return **out;
}

Channel wave(std::string name, double peak, double lag, double third = 0) {
  return {std::move(name), [=](double t) { return peak * std::cos(2 * pi * 50 * t - lag) + third * std::cos(2 * pi * 150 * t + 0.4); }};
}

}  // namespace

TEST_CASE("figures of one phase are what its phasors say", "[power][figures]") {
  // 100 V with a tenth of third, 4 A behind by 60 degrees with 1 A of third across the voltage's.
  const auto s = written({{at(100, 20), 0, at(10, 0)}, {at(4, -40), 0, at(1, 90)}}, 1, true, true);
  const auto f = figures(s);
  const double vrms = std::sqrt((1e4 + 100) / 2), irms = std::sqrt(17 / 2.0);
  CHECK(value(f, "voltage.rms") == Approx(vrms));
  CHECK(value(f, "current.rms") == Approx(irms));
  CHECK(value(f, "voltage.crest") == Approx(110 / vrms));
  CHECK(value(f, "power.active") == Approx(100 * 4 / 2 * 0.5));
  CHECK(value(f, "power.reactive") == Approx(100 * 4 / 2 * std::sqrt(0.75)));
  CHECK(value(f, "power.apparent") == Approx(vrms * irms));
  CHECK(value(f, "power_factor") == Approx(100 / (vrms * irms)));
  CHECK(value(f, "power_factor.displacement") == Approx(0.5));
  CHECK(value(f, "angle.current") == Approx(60));
  CHECK(value(f, "thd.voltage") == Approx(10));
  CHECK(value(f, "thd.current") == Approx(25));
  CHECK(value(f, "harmonic.voltage.1") == Approx(100 / sqrt2));
  CHECK(value(f, "harmonic.current.3") == Approx(1 / sqrt2));
  CHECK(value(f, "harmonic.current.2") == 0);
  CHECK_THAT(why(f, "harmonic.current.4"), Contains("beyond half the sample rate"));
  CHECK(f.size() == 2 * (3 + 40) + 6);
  CHECK_FALSE(f.contains("angle.ab"));
  CHECK_FALSE(f.contains("sequence"));
  CHECK(f.at("angle.current").angle);
  CHECK_FALSE(f.at("power.active").angle);
  // Where only one of both is there, nothing of both.
  const auto alone = figures(written({{at(4, 0)}}, 1, false, true));
  CHECK(alone.size() == 3 + 40);
  CHECK_FALSE(alone.contains("power.active"));
  CHECK(value(alone, "current.rms") == Approx(4 / sqrt2));
  // Half a turn is told as +180.
  CHECK(value(figures(written({{at(1, 0)}, {at(1, 180)}}, 1, true, true)), "angle.current") == Approx(180));
}

TEST_CASE("what noise does to figures of one phase is its closed form", "[power][figures]") {
  const double n = kSamples, nv = 1e-4, ni = 4e-6, v = 100, i = 4, phi = pi / 3;
  const auto f = figures(written({{v, 0, 0}, {std::polar(i, -phi), 0, 0}}, 1, true, true, {nv, ni}));
  const double vrms = v / sqrt2, irms = i / sqrt2;
  // White noise beside a signal moves an rms by itself over the root of the samples.
  CHECK(noise(f, "voltage.rms") == Approx(std::sqrt(nv / n)).epsilon(1e-6));
  CHECK(noise(f, "current.rms") == Approx(std::sqrt(ni / n)).epsilon(1e-6));
  const double active = std::sqrt((vrms * vrms * ni + irms * irms * nv) / n);
  CHECK(noise(f, "power.active") == Approx(active));
  CHECK(noise(f, "power.apparent") == Approx(std::hypot(vrms * std::sqrt(ni / n), irms * std::sqrt(nv / n))).epsilon(1e-6));
  // Either part of a peak phasor has the variance 2/N of the sample's.
  const double uv = std::sqrt(nv * 2 / n), ui = std::sqrt(ni * 2 / n), reactive = std::hypot(v * ui, i * uv) / 2, size = v * i / 2;
  CHECK(noise(f, "power.reactive") == Approx(reactive));
  CHECK(noise(f, "power_factor") == Approx(active / size * std::sin(phi)));
  CHECK(noise(f, "power_factor.displacement") == Approx(std::sin(phi) * reactive / size));
  CHECK(noise(f, "angle.current") == Approx(reactive / size * 180 / pi));
  CHECK(noise(f, "harmonic.voltage.1") == Approx(uv / sqrt2));
  // Noise alone: the mean square of n samples spreads by its root of two over n, which is four and two of its square here.
  const auto silent = figures(written({{0.0}, {1.0}}, 1, true, true, {1.0, 0}));
  CHECK(noise(silent, "voltage.rms") == 0);
  auto only = written({{1e-9, 0}, {1, 0}}, 1, true, true, {1.0, 0});
  only.product[0][0] = 1;
  CHECK(noise(figures(only), "voltage.rms") == Approx(std::sqrt(6 / n) / 2));
  auto crest = written({{v}, {i}}, 1, true, true, {nv, ni});
  crest.rounding[0] = 0.3;
  CHECK(noise(figures(crest), "voltage.crest") == Approx(std::hypot(0.3 / vrms, v / vrms * std::sqrt(nv / n) / vrms)));
}

TEST_CASE("harmonics and distortion lose what noise adds to them, and small ones are no zero", "[power][figures]") {
  // Noise of 4e-4 V2 is 2 * 4e-4 * 2/N = 1.6e-7 on every squared peak phasor.
  const double own = 1.6e-7, u = std::sqrt(own / 2);
  const auto of = [&](double second, double third) { return figures(written({{100, std::sqrt(second), std::sqrt(third)}}, 1, true, false, {4e-4})); };
  const auto clear = of(1e-4, 4e-4);
  CHECK(value(clear, "harmonic.voltage.2") == Approx(std::sqrt((1e-4 - own) / 2)));
  CHECK(noise(clear, "harmonic.voltage.2") == Approx(u / sqrt2));
  CHECK(value(clear, "thd.voltage") == Approx(std::sqrt(5e-4 - 2 * own)));
  const double fourth = 2 * (1e-4 - own) * own + 2 * (4e-4 - own) * own + 2 * own * own;
  CHECK(noise(clear, "thd.voltage") == Approx(50 / std::sqrt(5e-4 - 2 * own) * 100 * std::sqrt(fourth) / 1e4));
  // Under twice the noise it stands as it is read; under five times only the noise says how well it is known.
  const auto small = of(1.9 * own, 2.1 * own);
  CHECK(value(small, "harmonic.voltage.2") == Approx(std::sqrt(1.9 * own / 2)));
  CHECK(value(small, "harmonic.voltage.3") == Approx(std::sqrt(1.1 * own / 2)));
  CHECK(noise(small, "harmonic.voltage.3") == Approx(std::sqrt(own / 2)));
  CHECK(noise(of(5.1 * own, 4.9 * own), "harmonic.voltage.2") == Approx(u / sqrt2));
  CHECK(noise(of(5.1 * own, 4.9 * own), "harmonic.voltage.3") == Approx(std::sqrt(own / 2)));
  // Distortion that does not stand out is what it lies below.
  const auto hidden = of(own, own);
  const double least = std::sqrt(std::sqrt(2 * own * own));
  CHECK(value(hidden, "thd.voltage") == Approx(100 * least / 100));
  CHECK(noise(hidden, "thd.voltage") == Approx(100 * least / 100));
  const auto less = of(0.2 * own, 0.2 * own);
  CHECK(value(less, "thd.voltage") == Approx(100 * least / 100));
  // A fundamental within four times its noise has no distortion and no angle.
  const auto faint = [](double peak) { return figures(written({{peak, 0}, {peak, 0}}, 1, true, true, {4e-4, 4e-4})); };
  const double edge = 4 * std::sqrt(4e-4 * 2 / kSamples);
  for (const char* key : {"thd.voltage", "thd.current", "angle.current", "power_factor.displacement"}) {
    CAPTURE(key);
    CHECK_THAT(why(faint(0.99 * edge), key), Contains("does not stand out of the noise"));
    CHECK(why(faint(1.01 * edge), key).empty());
  }
  // Where there is nothing at all it says so.
  const auto none = figures(written({{0.0}, {0.0}}, 1, true, true));
  CHECK(value(none, "voltage.rms") == 0);
  CHECK_THAT(why(none, "voltage.crest"), Contains("there is none"));
  CHECK_THAT(why(none, "power_factor"), Contains("no apparent power"));
  CHECK_THAT(why(none, "thd.voltage"), Contains("does not stand out"));
}

TEST_CASE("three phases have the totals of IEEE 1459 whatever they are unlike in", "[power][figures]") {
  const Phasor v[] = {at(325, 0), at(310, -118), at(330, 121)}, i[] = {at(10, -20), at(6, -150), at(8, 90)};
  const double nv = 1e-2, ni = 1e-4;
  const auto s = written({{v[0]}, {v[1]}, {v[2]}, {i[0]}, {i[1]}, {i[2]}}, 3, true, true, {nv, nv, nv, ni, ni, ni});
  const auto f = figures(s);
  double active = 0, reactive = 0, currents = 0, stars = 0, lines = 0, u2 = 0, uq2 = 0;
  for (int p = 0; p < 3; ++p) {
    const auto one = v[p] * std::conj(i[p]) / 2.0;
    active += one.real();
    reactive += one.imag();
    currents += std::norm(i[p]) / 2;
    stars += std::norm(v[p]) / 2;
    lines += std::norm(v[p] - v[(p + 1) % 3]) / 2;
    u2 += (std::norm(v[p]) / 2 * ni + std::norm(i[p]) / 2 * nv) / kSamples;
    uq2 += (std::norm(v[p]) * ni + std::norm(i[p]) * nv) * 2 / kSamples / 4;
  }
  const double neutral = std::norm(i[0] + i[1] + i[2]) / 2, ve = std::sqrt((3 * stars + lines) / 18), ie = std::sqrt((currents + neutral) / 3), apparent = 3 * ve * ie;
  CHECK(value(f, "power.active") == Approx(active));
  CHECK(value(f, "power.reactive") == Approx(reactive));
  CHECK(value(f, "power.apparent") == Approx(apparent));
  CHECK(value(f, "power_factor") == Approx(active / apparent));
  CHECK(value(f, "power_factor.displacement") == Approx(active / std::hypot(active, reactive)));
  CHECK(noise(f, "power.active") == Approx(std::sqrt(u2)));
  CHECK(noise(f, "power.reactive") == Approx(std::sqrt(uq2)));
  CHECK(noise(f, "power_factor") == Approx(std::sqrt(u2) / apparent * std::sqrt(1 - std::pow(active / apparent, 2))));
  CHECK(noise(f, "power_factor.displacement") == Approx(std::abs(reactive) / std::hypot(active, reactive) * std::sqrt(uq2) / std::hypot(active, reactive)));
  CHECK(value(f, "angle.ab") == Approx(118));
  CHECK(value(f, "angle.bc") == Approx(121));
  CHECK(value(f, "angle.ca") == Approx(121));
  CHECK(noise(f, "angle.ab") == Approx(std::hypot(1 / 325.0, 1 / 310.0) * std::sqrt(nv * 2 / kSamples) * 180 / pi));
  CHECK(f.at("angle.bc").angle);
  CHECK(value(f, "power.active.b") == Approx((v[1] * std::conj(i[1])).real() / 2));
  CHECK_FALSE(f.contains("voltage.rms"));
  CHECK(value(f, "sequence") == 1);
  const auto vc = power::components(v[0], v[1], v[2]), ic = power::components(i[0], i[1], i[2]);
  CHECK(value(f, "unbalance.voltage") == Approx(100 * std::abs(vc.negative) / std::abs(vc.positive)));
  CHECK(value(f, "unbalance.current") == Approx(100 * std::abs(ic.negative) / std::abs(ic.positive)));
  CHECK(noise(f, "unbalance.voltage") == Approx(100 * std::sqrt(nv * 2 / kSamples / 3) / std::abs(vc.positive)));
  // The same the other way round turns the other way, and is as even as before.
  const auto turned = figures(written({{v[0]}, {v[2]}, {v[1]}, {i[0]}, {i[2]}, {i[1]}}, 3, true, true));
  CHECK(value(turned, "sequence") == -1);
  CHECK(value(turned, "unbalance.voltage") == Approx(value(f, "unbalance.voltage")));
  // Nothing but voltages, nothing but currents, nothing at all.
  const auto volts = figures(written({{v[0]}, {v[1]}, {v[2]}}, 3, true, false));
  CHECK(volts.contains("sequence"));
  CHECK_FALSE(volts.contains("unbalance.current"));
  CHECK_FALSE(volts.contains("power.active"));
  const auto amps = figures(written({{i[0]}, {i[1]}, {i[2]}}, 3, false, true));
  CHECK(amps.contains("unbalance.current"));
  CHECK_FALSE(amps.contains("sequence"));
  CHECK_FALSE(amps.contains("angle.ab"));
  const auto none = figures(written({{0.0}, {0.0}, {0.0}, {0.0}, {0.0}, {0.0}}, 3, true, true));
  CHECK_THAT(why(none, "sequence"), Contains("there is no voltage"));
  CHECK_THAT(why(none, "unbalance.current"), Contains("there is none"));
  CHECK_THAT(why(none, "angle.bc"), Contains("a phase has no voltage"));
  CHECK_THAT(why(none, "power_factor"), Contains("no apparent power"));
  CHECK_THAT(why(none, "power_factor.displacement"), Contains("no power at the fundamental"));
}

TEST_CASE("small systems and unlike noise have the same closed forms", "[power][figures]") {
  // A tenth of a volt, a hundredth of an ampere: nothing is measured against one.
  const auto small = figures(written({{at(0.1, 0)}, {at(0.1, -120)}, {at(0.1, 120)}, {at(0.01, -10)}, {at(0.01, -130)}, {at(0.01, 110)}}, 3, true, true, {1e-8, 4e-8, 9e-8, 1e-12, 1e-12, 1e-12}));
  CHECK(value(small, "power.apparent") == Approx(3 * 0.1 * 0.01 / 2));
  CHECK(value(small, "power_factor") == Approx(std::cos(10 * pi / 180)));
  CHECK(value(small, "power_factor.displacement") == Approx(std::cos(10 * pi / 180)));
  CHECK(value(small, "power.apparent.b") == Approx(0.1 * 0.01 / 2));
  CHECK(value(small, "power_factor.b") == Approx(std::cos(10 * pi / 180)));
  CHECK(value(small, "current.crest.a") == Approx(sqrt2));
  CHECK(power::limit_basis(written({{0.1}, {0.01}}, 1, true, true), 0).power_factor == Approx(1));
  const double unit = std::sqrt(2 / kSamples);
  CHECK(noise(small, "unbalance.voltage") == Approx(100 * (1e-4 + 2e-4 + 3e-4) * unit / 3 / std::sqrt(3.0) / 0.1));
  CHECK(noise(small, "angle.bc") == Approx(std::hypot(2e-4, 3e-4) * unit / 0.1 * 180 / pi));
  // Near a power factor of one its noise is that of what lies across.
  const auto aligned = figures(written({{at(100, 0)}, {at(4, -10)}}, 1, true, true, {1e-4, 4e-6}));
  CHECK(noise(aligned, "power_factor") == Approx(noise(aligned, "power.active") / 200 * std::sin(10 * pi / 180)));
  // Either of both that does not stand out of its noise hides what goes between them.
  for (const bool voltage : {true, false}) {
    const auto hidden = figures(written({{voltage ? at(1e-3, 0) : at(100, 0)}, {voltage ? at(4, 0) : at(1e-3, 0)}}, 1, true, true, {voltage ? 1.0 : 0, voltage ? 0 : 1.0}));
    CHECK_THAT(why(hidden, "power_factor.displacement"), Contains("does not stand out"));
    CHECK_THAT(why(hidden, "angle.current"), Contains("does not stand out"));
  }
  for (std::size_t dead = 0; dead < 3; ++dead) {
    Phasors v = {{at(100, 0)}, {at(100, -120)}, {at(100, 120)}};
    std::vector<double> own(3, 1e-6);
    v[dead][0] = 1e-3;
    own[dead] = 1;
    const auto f = figures(written(v, 3, true, false, own));
    const char* pairs[] = {"angle.ab", "angle.bc", "angle.ca"};
    for (std::size_t p = 0; p < 3; ++p) {
      CAPTURE(dead, p);
      if (p == dead || (p + 1) % 3 == dead) CHECK_THAT(why(f, pairs[p]), Contains("a phase has no voltage"));
      else CHECK(value(f, pairs[p]) == Approx(120));
    }
  }
  // The second harmonic may be the one with the least room.
  std::vector<Phasor> i(5);
  i[0] = 4;
  i[1] = sqrt2 * 0.9 * 1.08;
  i[2] = sqrt2 * 0.5 * 2.30;
  const auto second = figures(written({i}, 1, false, true), {.limits = power::LimitClass::a});
  CHECK(value(second, "harmonic.margin.at") == 2);
  CHECK(value(second, "harmonic.margin") == Approx(10));
  // An offset on what stands somewhere moves its square by twice their product besides.
  auto s = written({{10.0}, {2.0}}, 1, true, true);
  s.mean = {3, -1};
  const auto by = power::moved(s, 0, power::ErrorOf::offset, 0.5, {});
  CHECK(by.product[0][0] == Approx(s.product[0][0] + 2 * 0.5 * 3 + 0.25));
  CHECK(by.product[0][1] == Approx(s.product[0][1] - 0.5));
  CHECK(by.mean[0] == 3.5);
  const auto gained = power::moved(s, 0, power::ErrorOf::gain, 0.1, {});
  CHECK(gained.mean[0] == Approx(3.3));
  CHECK(gained.mean[1] == -1);
  // The first figure has its noise like all others.
  power::Measured m{.statistics = written({{100.0, 0, 0}, {at(4, -60), 0, 0}}, 1, true, true, {1e-4, 4e-6}), .errors = {{}, {}}};
  study::Reading out;
  power::add_steady(m, {}, out);
  REQUIRE(out.find("voltage.rms"));
  CHECK(out.find("voltage.rms")->u.value_or(0) == Approx(1e-2 / 100).epsilon(1e-5));
  CHECK(out.figures.front().key == "voltage.rms");
}

TEST_CASE("a crest of voltages from line to line is that of the phases", "[power][figures]") {
  const auto phase = [](int p, double t) { return std::array{100.0, 80.0, 90.0}[std::size_t(p)] * std::cos(2 * pi * 50 * t - p * 2 * pi / 3) + 15 * (p + 1) * std::cos(2 * pi * 250 * t + p); };
  const auto line = [=](int p) { return [=](double t) { return phase(p, t) - phase((p + 1) % 3, t); }; };
  const auto current = [](int p) { return [=](double t) { return (p + 1) * std::cos(2 * pi * 50 * t - p * 2 * pi / 3); }; };
  const auto s = measured({{"v_ab", line(0)}, {"v_bc", line(1)}, {"v_ca", line(2)}, {"i_a", current(0)}, {"i_b", current(1)}, {"i_c", current(2)}}).statistics;
  for (int p = 0; p < 3; ++p) {
    double highest = 0;
    for (int k = 0; k < 40'000; ++k) {
      const double t = k / 40e3 * 20e-3;
      highest = std::max(highest, std::abs(phase(p, t) - (phase(0, t) + phase(1, t) + phase(2, t)) / 3));
    }
    CAPTURE(p);
    CHECK(s.highest[std::size_t(p)] == Approx(highest).epsilon(1e-3));
    CHECK(s.highest[std::size_t(3 + p)] == Approx(p + 1).epsilon(1e-3));
  }
}

TEST_CASE("a sensor that droops below a hertz is put right as well", "[power][figures]") {
  // 2 Hz through a droop of 0.5 Hz.
  const Phasor droop = 1.0 / Phasor(1, -0.5 / 2);
  const Channel v{"v", [](double t) { return 10 * std::cos(2 * pi * 2 * t); }};
  const Channel i{"i", [=](double t) { return 3 * std::abs(droop) * std::cos(2 * pi * 2 * t - 0.4 + std::arg(droop)); }, {.low_corner = 0.5}};
  const auto s = measured({v, i}, {}, 60'001).statistics;
  CHECK(std::abs(s.phasor[1][0]) == Approx(3).epsilon(1e-4));
  CHECK(std::arg(s.phasor[0][0] / s.phasor[1][0]) == Approx(0.4).margin(1e-4));
}

TEST_CASE("a component is what its definition says", "[power][figures]") {
  const auto c = power::components(at(7, 0) + at(2, 30) + at(1, -70), at(7, -120) + at(2, 150) + at(1, -70), at(7, 120) + at(2, -90) + at(1, -70));
  CHECK(std::abs(c.positive - at(7, 0)) < 1e-12);
  CHECK(std::abs(c.negative - at(2, 30)) < 1e-12);
  CHECK(std::abs(c.zero - at(1, -70)) < 1e-12);
}

TEST_CASE("voltages from line to line are laid out by phase, with their noise and their products", "[power][figures]") {
  const Phasor v[] = {at(325, 0), at(310, -118), at(330, 121)};
  std::vector<std::vector<Phasor>> lines(6);
  for (int p = 0; p < 3; ++p) lines[std::size_t(p)] = {v[p] - v[(p + 1) % 3]};
  for (int p = 0; p < 3; ++p) lines[std::size_t(3 + p)] = {at(4, -120.0 * p - 30)};
  auto s = written(lines, 3, true, true, {0.09, 0.09, 0.09, 0.01, 0.02, 0.03});
  s.of_lines = true;
  s.mean = {3, -1, -2, 0.5, 0.25, 0};
  const auto by = power::by_phase(s);
  const auto middle = (v[0] + v[1] + v[2]) / 3.0;
  for (std::size_t p = 0; p < 3; ++p) {
    CHECK(std::abs(by.phasor[p][0] - (v[p] - middle)) < 1e-9);
    CHECK(std::abs(by.phasor[3 + p][0] - lines[3 + p][0]) < 1e-12);
    // Two of three voltages with a third of each.
    CHECK(by.noise[p] == Approx(0.02));
    CHECK(by.noise[3 + p] == s.noise[3 + p]);
    CHECK(by.mean[p] == Approx((s.mean[p] - s.mean[(p + 2) % 3]) / 3));
    CHECK(by.mean[3 + p] == s.mean[3 + p]);
    for (std::size_t q = 0; q < 3; ++q) {
      CHECK(by.product[p][q] == Approx(((v[p] - middle) * std::conj(v[q] - middle)).real() / 2));
      CHECK(by.product[p][3 + q] == Approx(((v[p] - middle) * std::conj(lines[3 + q][0])).real() / 2));
    }
  }
  const auto f = figures(s);
  double squares = 0, currents = 0;
  for (std::size_t p = 0; p < 3; ++p) {
    squares += std::norm(lines[p][0]) / 2;
    currents += 8;
  }
  CHECK(value(f, "power.apparent") == Approx(3 * std::sqrt(squares / 9 * currents / 3)));
  // Against neutral nothing is changed.
  s.of_lines = false;
  CHECK(power::by_phase(s).phasor == s.phasor);
}

TEST_CASE("limits of every class and order are those of the standard", "[power][limits]") {
  using power::LimitClass;
  // IEC 61000-3-2: table 1 in A, table 2 in per cent of the fundamental, table 3 in mA/W.
  const std::map<int, double> odd = {{3, 2.30}, {5, 1.14}, {7, 0.77}, {9, 0.40}, {11, 0.33}, {13, 0.21}}, even = {{2, 1.08}, {4, 0.43}, {6, 0.30}};
  const std::map<int, double> shares = {{2, 0.02}, {5, 0.10}, {7, 0.07}, {9, 0.05}}, per_watt = {{3, 3.4e-3}, {5, 1.9e-3}, {7, 1e-3}, {9, 0.5e-3}, {11, 0.35e-3}};
  const power::LimitBasis basis{.fundamental = 3, .power_factor = -0.9, .power = -150};
  for (int h = 2; h <= 40; ++h) {
    CAPTURE(h);
    const double a = h % 2 ? (odd.contains(h) ? odd.at(h) : 0.15 * 15 / h) : (even.contains(h) ? even.at(h) : 0.23 * 8 / h);
    CHECK(*power::limit_of(LimitClass::a, h, basis) == Approx(a));
    CHECK(*power::limit_of(LimitClass::b, h, basis) == Approx(1.5 * a));
    const auto c = power::limit_of(LimitClass::c, h, basis);
    if (h == 3) CHECK(*c == Approx(0.30 * 0.9 * 3));
    else if (shares.contains(h)) CHECK(*c == Approx(shares.at(h) * 3));
    else if (h % 2 && h >= 11) CHECK(*c == Approx(0.09));
    else CHECK_FALSE(c);
    const auto d = power::limit_of(LimitClass::d, h, basis);
    if (h % 2 == 0) CHECK_FALSE(d);
    else CHECK(*d == Approx(std::min(a, (per_watt.contains(h) ? per_watt.at(h) : 3.85e-3 / h) * 150)));
    CHECK_FALSE(power::limit_of(LimitClass::none, h, basis));
  }
  for (const auto limits : {LimitClass::a, LimitClass::b, LimitClass::c, LimitClass::d})
    for (const int order : {-3, 0, 1, 41}) CHECK_FALSE(power::limit_of(limits, order, basis));
}

TEST_CASE("the room to a class's limits is the least of all orders, with what noise does to it", "[power][limits]") {
  // Half of the third's limit, nine tenths of the fifth's, a tenth more than the eleventh's.
  std::vector<Phasor> i(12);
  i[0] = 4;
  i[2] = sqrt2 * 1.15;
  i[4] = sqrt2 * 0.9 * 1.14;
  auto s = written({{325.0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0}, i}, 1, true, true, {0, 1e-4});
  power::Settings a{.limits = power::LimitClass::a};
  const auto f = figures(s, a);
  const double own = 2 * 1e-4 * 2 / kSamples, u = std::sqrt(own / 2);
  CHECK(value(f, "harmonic.margin") == Approx(100 * (1 - std::sqrt((std::norm(i[4]) - own) / 2) / 1.14)));
  CHECK(value(f, "harmonic.margin.at") == 5);
  CHECK(noise(f, "harmonic.margin") == Approx(100 * u / sqrt2 / 1.14));
  i[10] = sqrt2 * 1.1 * 0.33;
  const auto beyond = figures(written({std::vector<Phasor>(12, 1), i}, 1, true, true), a);
  CHECK(value(beyond, "harmonic.margin") == Approx(-10));
  CHECK(value(beyond, "harmonic.margin.at") == 11);
  CHECK_FALSE(figures(s).contains("harmonic.margin"));
  // A class that goes by the power wants a voltage; orders that are not there have no limit.
  power::Settings d{.limits = power::LimitClass::d};
  CHECK_THAT(why(figures(written({i}, 1, false, true), d), "harmonic.margin"), Contains("class D wants the power"));
  CHECK_THAT(why(figures(written({{325.0, 0}, {4.0, 1.0}}, 1, true, true), d), "harmonic.margin"), Contains("no harmonic has a limit"));
  CHECK_THAT(why(figures(written({{325.0}, {4.0}}, 1, true, true), a), "harmonic.margin.at"), Contains("no harmonic has a limit"));
  const auto basis = power::limit_basis(written({{325.0, 0, 10}, {at(4, -60), 0, 1}}, 1, true, true), 0);
  CHECK(basis.fundamental == Approx(4 / sqrt2));
  CHECK(basis.power == Approx(325 * 4 / 2 * 0.5 + 5));
  CHECK(basis.power_factor == Approx(basis.power / std::sqrt((325 * 325 + 100) / 2.0 * 17 / 2)));
  CHECK(power::limit_basis(written({{4.0}}, 1, false, true), 0).power == 0);
}

TEST_CASE("an error that is moved does what the same error on the samples does", "[power][figures]") {
  const std::vector<Channel> plain = {wave("v", 325, 0.2, 12), wave("i", 8, 0.9, 1.5)};
  const auto before = measured(plain).statistics;
  const auto same = [](const Statistics& a, const Statistics& b, double within) {
    for (std::size_t i = 0; i < a.channels(); ++i) {
      CAPTURE(i);
      CHECK(a.mean[i] == Approx(b.mean[i]).margin(within * 10));
      CHECK(a.highest[i] == Approx(b.highest[i]).epsilon(1e-3));
      for (std::size_t j = 0; j < a.channels(); ++j) CHECK(a.product[i][j] == Approx(b.product[i][j]).epsilon(within));
      for (int h : {0, 2}) CHECK(std::abs(a.phasor[i][std::size_t(h)] - b.phasor[i][std::size_t(h)]) < within * std::abs(b.phasor[i][0]));
    }
  };
  for (std::size_t k = 0; k < 2; ++k) {
    CAPTURE(k);
    const auto changed = [&](const std::function<double(const Channel&, double)>& of) {
      auto channels = plain;
      const auto one = plain[k];
      channels[k].of = [=](double t) { return of(one, t); };
      return measured(channels).statistics;
    };
    same(power::moved(before, k, power::ErrorOf::gain, 0.03, {}), changed([](const Channel& c, double t) { return 1.03 * c.of(t); }), 1e-6);
    same(power::moved(before, k, power::ErrorOf::delay, 40e-6, {}), changed([](const Channel& c, double t) { return c.of(t - 40e-6); }), 2e-4);
    const auto offset = changed([](const Channel& c, double t) { return c.of(t) + 0.5; });
    auto by = power::moved(before, k, power::ErrorOf::offset, 0.5, {});
    CHECK(by.mean[k] == Approx(offset.mean[k]).margin(1e-3));
    CHECK(by.product[k][k] == Approx(offset.product[k][k]).epsilon(1e-4));
    CHECK(by.product[0][1] == Approx(offset.product[0][1]).epsilon(1e-4));
    CHECK(by.product[0][1] == by.product[1][0]);
    CHECK(by.highest[k] == Approx(before.highest[k] + 0.5));
    CHECK(power::moved(before, k, power::ErrorOf::offset, -0.5, {}).highest[k] == Approx(before.highest[k] + 0.5));
    // With something that stands still the offset moves what it is multiplied with.
    auto standing = plain;
    const auto other = plain[1 - k];
    standing[1 - k].of = [=](double t) { return other.of(t) + 2; };
    const auto raised = measured(standing).statistics;
    CHECK(power::moved(raised, k, power::ErrorOf::offset, 0.5, {}).product[0][1] - raised.product[0][1] == Approx(1).epsilon(1e-3));
    // A corner that lies elsewhere by a little turns and shrinks as its closed form has it.
    const power::ChannelErrors errors{.corner = 400, .low_corner = 5};
    const auto corner = power::moved(before, k, power::ErrorOf::corner, 0.01, errors);
    for (const int h : {1, 3}) {
      const double f = 50.0 * h;
      const auto pole = [&](double share) { return 1.0 / Phasor(1, f / (400 * share)) / Phasor(1, -5 * share / f); };
      const auto wanted = before.phasor[k][std::size_t(h - 1)] * pole(1) / pole(1.01);
      CHECK(std::abs(corner.phasor[k][std::size_t(h - 1)] - wanted) < 1e-6 * std::abs(wanted));
    }
  }
}

TEST_CASE("what a sensor's corners and the time of its samples do is taken off every phasor", "[power][figures]") {
  const auto plain = measured({wave("v", 325, 0.2, 12), wave("i", 8, 0.9, 1.5)}).statistics;
  // The current through a pole of 400 Hz and a droop of 5 Hz, sampled a seventh of a sample late.
  const auto filtered = [](double f, double peak, double phase, double t) {
    const auto h = 1.0 / Phasor(1, f / 400) / Phasor(1, -5 / f);
    return peak * std::abs(h) * std::cos(2 * pi * f * t + phase + std::arg(h));
  };
  Channel i{"i", [&](double t) { return filtered(50, 8, -0.9, t) + filtered(150, 1.5, 0.4, t); }, {.u_gain = 0.01, .u_offset = 0.2, .u_delay = 1e-6, .corner = 400, .u_corner = 0.02, .low_corner = 5}, 1 / kRate / 7};
  const auto put_right = measured({wave("v", 325, 0.2, 12), i});
  const auto& s = put_right.statistics;
  for (const int h : {1, 3}) CHECK(std::abs(s.phasor[1][std::size_t(h - 1)] - plain.phasor[1][std::size_t(h - 1)]) < 2e-4 * std::abs(plain.phasor[1][0]));
  CHECK(s.product[0][1] == Approx(plain.product[0][1]).epsilon(5e-4));
  CHECK(s.product[1][1] == Approx(plain.product[1][1]).epsilon(5e-4));
  REQUIRE(put_right.errors.size() == 2);
  CHECK(put_right.errors[1].u_gain == 0.01);
  CHECK(put_right.errors[1].u_offset == 0.2);
  CHECK(put_right.errors[1].u_delay == 1e-6);
  CHECK(put_right.errors[1].corner == 400);
  CHECK(put_right.errors[1].low_corner == 5);
  CHECK(put_right.errors[1].u_corner == 0.02);
  // In a factor the offset's uncertainty grows with it.
  power::Settings factor;
  REQUIRE(power::set(factor, "wire.i", "-3*i"));
  CHECK(measured({wave("v", 325, 0.2), i}, factor).errors[1].u_offset == Approx(0.6));
}

TEST_CASE("each channel's errors are in every figure that they move, and noise beside them", "[power][figures]") {
  power::Measured m;
  m.statistics = written({{100.0, 0, 0}, {at(4, -60), 0, 0}}, 1, true, true, {1e-4, 4e-6});
  const auto u_of = [&](const power::ChannelErrors& v, const power::ChannelErrors& i, const char* key) {
    m.errors = {v, i};
    study::Reading out;
    power::add_steady(m, {}, out);
    const auto* f = out.find(key);
    if (!f) FAIL(key);
    return f->u.value_or(0);
  };
  const auto clean = u_of({}, {}, "power.active");
  CHECK(clean == Approx(noise(figures(m.statistics), "power.active")));
  CHECK(u_of({.u_gain = 0.01}, {}, "voltage.rms") == Approx(0.01 * 100 / sqrt2).epsilon(1e-4));
  CHECK(u_of({.u_gain = 0.01}, {.u_gain = 0.02}, "power.active") == Approx(std::hypot(0.01, 0.02) * 100).epsilon(1e-3));
  CHECK(u_of({.u_gain = 0.01}, {.u_gain = 0.02}, "power_factor.displacement") < 1e-4);
  CHECK(u_of({}, {.u_gain = 0.01}, "voltage.rms") < 1e-3);
  // An offset adds its square over twice the rms, and its size to the crest.
  CHECK(u_of({}, {.u_offset = 0.1}, "current.rms") == Approx(0.01 / (2 * 4 / sqrt2)).epsilon(1e-2));
  const double turn = 2 * pi * 50 * 10e-6;
  CHECK(u_of({.u_delay = 10e-6}, {}, "angle.current") == Approx(turn * 180 / pi).epsilon(1e-3));
  CHECK(u_of({}, {.u_delay = 10e-6}, "power.active") == Approx(200 * (std::cos(pi / 3) - std::cos(pi / 3 + turn))).epsilon(1e-3));
  CHECK(u_of({}, {.u_corner = 0.1}, "angle.current") < 1e-3);
  const double moves = (std::atan(50 / 500.0) - std::atan(50 / 550.0)) * 180 / pi;
  CHECK(u_of({}, {.corner = 500, .u_corner = 0.1}, "angle.current") == Approx(moves).epsilon(1e-2));
  const double droops = (std::atan(5.5 / 50) - std::atan(5 / 50.0)) * 180 / pi;
  CHECK(u_of({}, {.low_corner = 5, .u_corner = 0.1}, "angle.current") == Approx(droops).epsilon(1e-2));
  CHECK(u_of({}, {.low_corner = 0.5, .u_corner = 0.1}, "angle.current") == Approx((std::atan(0.55 / 50) - std::atan(0.5 / 50)) * 180 / pi).epsilon(2e-2));
  // An angle at the half turn does not jump by a whole one.
  m.statistics = written({{100.0}, {at(4, 180)}}, 1, true, true);
  CHECK(u_of({.u_delay = 10e-6}, {}, "angle.current") == Approx(turn * 180 / pi).epsilon(1e-3));
  CHECK(u_of({}, {.u_delay = 10e-6}, "angle.current") == Approx(turn * 180 / pi).epsilon(1e-3));
  // What is beyond numbers is absent with its reason.
  m.statistics = written({{1e200}, {1e200}}, 1, true, true);
  m.errors = {{}, {}};
  study::Reading huge;
  power::add_steady(m, {}, huge);
  CHECK_FALSE(huge.find("power.apparent"));
  const auto it = std::find_if(huge.absent.begin(), huge.absent.end(), [](const auto& a) { return a.key == "power.apparent"; });
  REQUIRE(it != huge.absent.end());
  CHECK_THAT(it->reason, Contains("too large"));
}

}  // namespace power_mathematics
