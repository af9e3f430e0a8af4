#include <catch2/catch.hpp>
#include <cmath>
#include <functional>
#include <numbers>
#include <random>

#include "study/waveform/figures.h"
#include "support.h"

using namespace heron;
namespace waveform = heron::study::waveform;

/// What the uncertainty of each figure is made of, held against what noise and errors that are really there do to it.
namespace trusted {
namespace {

using std::numbers::pi;
using Function = std::function<double(double)>;

struct Quantity {
  std::string name, unit;
  Function of;
  double noise = 0;  ///< standard deviation
  study::TraceErrors errors = {};
};

struct Made {
  double start = 0, step = 1e-6;
  std::size_t samples = 2000;
  std::vector<Quantity> quantities;
  waveform::Settings settings = {};
  std::vector<std::string> asked = {};
  bool triggered = false;
};

/// How the errors turn out: each quantity times 1 + gain, plus offset, later by delay.
struct Drawn {
  double gain = 0, offset = 0, delay = 0;
};

waveform::PassReading read(const Made& made, unsigned seed = 0, const std::vector<Drawn>& drawn = {}) {
  study::Waveforms all;
  all.triggered = made.triggered;
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  for (std::size_t q = 0; q < made.quantities.size(); ++q) {
    const auto& one = made.quantities[q];
    const auto off = q < drawn.size() ? drawn[q] : Drawn{};
    std::vector<double> values(made.samples);
    for (std::size_t k = 0; k < made.samples; ++k)
      values[k] = one.of(made.start + made.step * double(k) - off.delay) * (1 + off.gain) + off.offset + (seed > 0 ? one.noise * normal(random) : 0);
    all.traces.push_back(study::trace_of(one.name, one.unit, study::TimeBase(made.start, made.step), std::move(values)));
    all.errors.push_back(one.errors);
    all.expected_swing.push_back(0);
    all.codes.emplace_back();
  }
  const auto pass = waveform::Pass::of(std::make_shared<const study::Waveforms>(std::move(all)), made.settings);
  if (!pass) FAIL(pass.error().message);
  auto out = waveform::figures_of(*pass, made.asked);
  if (!out) FAIL(out.error().message);
  return *out;
}

const study::Figure& figure(const waveform::PassReading& reading, const std::string& key) {
  const auto* f = reading.reading.find(key);
  if (!f) {
    for (const auto& a : reading.reading.absent)
      if (a.key == key) FAIL(key << " is absent: " << a.reason);
    FAIL(key << " is not there");
  }
  return *f;
}

/// What noise does to each figure is what is said of it: how far it scatters, and that it is not pulled.
void check_noise(Made made, const std::vector<std::string>& keys, double least = 0.78, double most = 1.28) {
  constexpr unsigned kRecords = 160;
  for (auto& q : made.quantities) q.errors = {};
  const auto truth = read(made);
  struct Sums {
    double value = 0, squares = 0, u = 0;
  };
  std::map<std::string, Sums> sums;
  for (unsigned seed = 1; seed <= kRecords; ++seed) {
    const auto one = read(made, seed);
    for (const auto& key : keys) {
      const auto& f = figure(one, key);
      const double off = f.value - figure(truth, key).value;
      REQUIRE(f.u);
      sums[key].value += off;
      sums[key].squares += off * off;
      sums[key].u += *f.u * *f.u;
    }
  }
  for (const auto& key : keys) {
    INFO(key);
    const auto& s = sums.at(key);
    const double mean = s.value / kRecords, spread = std::sqrt(s.squares / kRecords - mean * mean), u = std::sqrt(s.u / kRecords);
    CHECK(spread / u > least);
    CHECK(spread / u < most);
    CHECK(std::abs(mean) < 0.4 * u);
  }
}

/// What gains, offsets and delays do to each figure is what is said of it, without noise.
void check_errors(const Made& made, const std::vector<std::string>& keys, double close = 0.03) {
  auto ideal = made;
  for (auto& q : ideal.quantities) q.errors = {};
  const auto plain = read(ideal), told = read(made);
  for (const auto& key : keys) {
    INFO(key);
    double squares = 0;
    for (std::size_t q = 0; q < made.quantities.size(); ++q) {
      const auto& e = made.quantities[q].errors;
      for (const auto& one : {Drawn{.gain = e.u_gain}, Drawn{.offset = e.u_offset}, Drawn{.delay = e.u_delay}}) {
        std::vector<Drawn> drawn(made.quantities.size());
        drawn[q] = one;
        squares += std::pow(figure(read(ideal, 0, drawn), key).value - figure(plain, key).value, 2);
      }
    }
    const double own = figure(plain, key).u.value_or(0), whole = figure(told, key).u.value_or(0);
    const double shared = std::sqrt(std::max(0.0, whole * whole - own * own));
    // What times lose to the least moves of a level lies below a thousandth of what a level itself loses.
    CHECK(shared == Approx(std::sqrt(squares)).epsilon(close).margin(2e-4 * std::abs(figure(plain, key).value) + 0.03 * own));
    CHECK(told.shared.contains(key) == (whole > 0));
    if (told.shared.contains(key)) CHECK(told.shared.at(key) == Approx(shared).epsilon(1e-3).margin(1e-6 * whole));
  }
}

const study::TraceErrors kErrors{.u_gain = 0.01, .u_offset = 5e-3, .u_delay = 1e-6};

Made step() {
  const double tau = 60e-6;
  return {.start = -500e-6,
          .step = 1e-6,
          .samples = 2000,
          .quantities = {{"v", "V", [=](double t) { return t < 0 ? 0.3 : 0.3 + 2 * (1 - std::exp(-t / tau)); }, 4e-3, kErrors}},
          .asked = {"time.at(1V)", "time.at(1V,rising)", "time.at(50%)", "time.between(0.7V,1.9V)", "level.at(100us)", "level.at(100.5us)",
                    "mean(100us,300us)", "rms(100us,300us)", "integral(100us,300us)"}};
}

Made train() {
  const double tau = 6e-6, period = 210e-6;
  // From 0.2 V to 1.2 V and back through one pole, in the steady state.
  const Function f = [=](double t) {
    const double at = t - period * std::floor(t / period), on = 0.3 * period;
    return 0.2 + (at < on ? 1 - std::exp(-at / tau) : std::exp(-(at - on) / tau));
  };
  return {.start = -37e-6, .step = 1e-6, .samples = 2000, .quantities = {{"v", "V", f, 5e-3, kErrors}}};
}

Made ringing() {
  const double w = 2 * pi * 8e3, decay = 2.2e4;
  return {.start = -400e-6,
          .step = 1e-6,
          .samples = 2000,
          .quantities = {{"v", "V", [=](double t) { return t < 0 ? 2.0 : 2 * std::exp(-decay * t) * std::cos(w * t); }, 4e-3, kErrors}}};
}

Made surge() {
  const auto f = [](double t) { return t < 0 ? 0 : 6 * (std::exp(-t / 120e-6) - std::exp(-t / 15e-6)); };
  return {.start = -50e-6,
          .step = 1e-6,
          .samples = 2000,
          .quantities = {{"v", "V", f, 12e-3, kErrors}, {"i", "A", [=](double t) { return 0.4 * f(t); }, 5e-3, {.u_gain = 0.02, .u_offset = 1e-3}}},
          .asked = {"i.integral(0s,500us)"}};
}

Made decay(bool triggered) {
  return {.start = -200e-6,
          .step = 1e-6,
          .samples = 2000,
          .quantities = {{"v", "V", [](double t) { return t < 0 ? 4.2 : 0.2 + 4 * std::exp(-t / 300e-6); }, 8e-3, {.u_gain = 0.01, .u_offset = 5e-3}}},
          .triggered = triggered};
}

Made sines() {
  const double w = 2 * pi * 4.3e3;
  return {.start = 0,
          .step = 1e-6,
          .samples = 2000,
          .quantities = {{"v_in", "V", [=](double t) { return 0.5 + std::cos(w * t); }, 6e-3, kErrors},
                         {"v_out", "V", [=](double t) { return 3 * std::cos(w * (t - 20e-6)); }, 15e-3, {.u_gain = 0.02, .u_offset = 4e-3, .u_delay = 2e-6}}},
          .asked = {"ratio.rms(v_out,v_in)"}};
}

}  // namespace

TEST_CASE("noise does to the figures of a step what their uncertainties say", "[waveform]") {
  check_noise(step(), {"level.low", "level.high", "amplitude", "rise_time", "slew_rate.rise", "time.at(1V)", "time.at(1V,rising)", "time.at(50%)",
                       "time.between(0.7V,1.9V)", "level.at(100us)", "level.at(100.5us)", "mean(100us,300us)", "integral(100us,300us)", "mean"});
  check_noise(step(), {"min", "settling_time"}, 0.7, 1.4);
}

TEST_CASE("noise does to the figures of pulses what their uncertainties say", "[waveform][long]") {
  check_noise(train(), {"level.low", "level.high", "amplitude", "rise_time", "fall_time", "slew_rate.fall", "period", "frequency", "mean"}, 0.72, 1.35);
  check_noise(train(), {"width", "duty"}, 0.65, 1.3);
  check_noise(ringing(), {"level.low", "level.high", "fall_time", "min", "overshoot"}, 0.75, 1.35);
  // By how much two parabolas differ is counted as not known, whatever it is.
  check_noise(surge(), {"v.pulse.peak"}, 0.5, 1.2);
  check_noise(surge(), {"v.pulse.fwhm", "pulse.energy", "pulse.charge", "i.integral(0s,500us)"}, 0.75, 1.35);
  check_noise(decay(true), {"time_constant"});
}

TEST_CASE("noise does to the figures of sines what their uncertainties say", "[waveform]") {
  check_noise(sines(), {"v_in.mean", "v_in.rms", "v_in.rms.ac", "v_out.rms.ac", "v_out.period", "ratio.rms(v_out,v_in)"}, 0.7, 1.35);
}

TEST_CASE("gains, offsets and delays do to figures what their uncertainties say", "[waveform]") {
  check_errors(step(), {"level.low", "level.high", "amplitude", "peak_to_peak", "max", "min", "rise_time", "slew_rate.rise", "time.at(1V)", "time.at(1V,rising)",
                        "time.at(50%)", "level.at(100us)", "mean(100us,300us)", "rms(100us,300us)", "integral(100us,300us)", "settling_time"});
  check_errors(step(), {"time.between(0.7V,1.9V)"}, 0.06);
  check_errors(train(), {"period", "frequency", "width", "duty", "mean", "rms", "rms.ac", "fall_time", "slew_rate.fall", "pulse.fwhm"});
  check_errors(ringing(), {"overshoot", "min"});
  check_errors(surge(), {"v.pulse.peak", "v.pulse.fwhm", "i.pulse.peak", "i.integral(0s,500us)", "pulse.charge"});
  check_errors(decay(false), {"time_constant"});
  check_errors(sines(), {"v_in.rms", "v_out.rms.ac"});
}

TEST_CASE("the energy of a pulse is known as well as its voltage and its current are", "[waveform]") {
  // Both gains and both offsets, whose effects add along one pulse as the integrals of the other quantity.
  check_errors(surge(), {"pulse.energy"});
  auto alone = surge();
  alone.quantities.pop_back();
  alone.asked.clear();
  alone.settings.resistance = 2.5;
  check_errors(alone, {"pulse.energy", "pulse.charge"});
  // As much noise as matters: what it adds to the squares is taken off.
  alone.quantities.front().noise = 0.4;
  check_noise(alone, {"pulse.energy"}, 0.7, 1.4);
}

TEST_CASE("two quantities are as late against each other as both their delays allow", "[waveform]") {
  auto made = sines();
  made.asked = {"delay(v_in,v_out)", "ratio.peak_to_peak(v_out,v_in)", "ratio.rms(v_out,v_in)"};
  auto exact = made;
  for (auto& q : exact.quantities) q.errors = {};
  const auto told = read(made), plain = read(exact);
  const auto shared = [&](const std::string& key) { return std::sqrt(std::pow(*figure(told, key).u, 2) - std::pow(figure(plain, key).u.value_or(0), 2)); };
  CHECK(shared("delay(v_in,v_out)") == Approx(std::hypot(1e-6, 2e-6)).epsilon(0.02));
  CHECK(shared("ratio.peak_to_peak(v_out,v_in)") == Approx(3 * std::hypot(0.01, 0.02)).epsilon(0.02));
  CHECK(shared("ratio.rms(v_out,v_in)") == Approx(3 * std::hypot(0.01, 0.02)).epsilon(0.02));
}

TEST_CASE("a level between samples is known from the line through both", "[waveform]") {
  auto made = step();
  made.quantities.front().errors = {};
  // A straight line: a smooth curve says nothing else.
  made.quantities.front().of = [](double t) { return 1 + 100 * t; };
  made.asked = {"level.at(100us)", "level.at(100.25us)", "level.at(100.5us)"};
  const auto one = read(made, 5);
  const double noise = *figure(one, "level.at(100us)").u;
  CHECK(noise == Approx(4e-3).epsilon(0.1));
  CHECK(*figure(one, "level.at(100.5us)").u == Approx(noise / std::sqrt(2)).epsilon(0.25));
  // Where it bends, the smooth curve through four samples lies beside the line by an eighth of the bend of half a step.
  made.quantities.front().noise = 0;
  made.quantities.front().of = [](double t) { return 1e9 * t * t; };
  const auto bent = read(made);
  const double taken_for_noise = *figure(bent, "level.at(100us)").u, step_squared = 1e9 * 1e-12;
  CHECK(*figure(bent, "level.at(100.5us)").u == Approx(std::hypot(taken_for_noise / std::sqrt(2), 0.25 * step_squared)).epsilon(1e-6));
  CHECK(*figure(bent, "level.at(100.25us)").u == Approx(std::hypot(taken_for_noise * std::hypot(0.25, 0.75), 0.1875 * step_squared)).epsilon(1e-6));
}

TEST_CASE("every figure that needs no brackets goes by its name, and takes none", "[waveform]") {
  for (const auto& one : waveform::figure_names()) {
    const auto& name = one.key;
    INFO(name);
    CHECK(waveform::check_figure_key(name));
    const bool of_all = name == "pulse.energy" || name == "pulse.charge";
    CHECK(waveform::check_figure_key("v_out." + name).has_value() == !of_all);
    if (name != "mean" && name != "rms") {
      CHECK_FALSE(waveform::check_figure_key(name + "(1ms)"));
      CHECK_FALSE(waveform::check_figure_key(name + "(1ms,2ms)"));
    }
    CHECK(waveform::figure_unit(name).value_or("?") == one.unit);
  }
  for (const char* key : {"mean(1ms,2ms)", "rms(1ms,2ms)", "integral(1ms,2ms)", "level.at(1ms)", "time.at(2V)", "time.at(2V,falling)", "time.between(10%,90%)",
                          "delay(v_in,v_out)", "ratio.rms(a,b)"})
    CHECK(waveform::check_figure_key(key));
  for (const char* key : {"mean(1ms)", "mean(1ms,2ms,3ms)", "integral", "integral(1ms)", "level.at", "time.at", "time.at(2V,falling,3)", "time.at(2V,sideways)",
                          "time.between(10%)", "delay", "delay(v_in)", "delay(v_in,)", "ratio.rms(a)", "level.at(2ms", "level.at(x)", "nonsense", "watch.rail.colour"})
    CHECK_FALSE(waveform::check_figure_key(key));
}

TEST_CASE("coulombs are what amperes over time come to, volt seconds what volts do", "[waveform]") {
  auto made = surge();
  made.asked = {"v.integral(0s,500us)", "i.integral(0s,500us)"};
  const auto told = read(made);
  CHECK(figure(told, "v.integral(0s,500us)").unit == "Vs");
  CHECK(figure(told, "i.integral(0s,500us)").unit == "C");
  CHECK(figure(told, "pulse.charge").unit == "C");
  CHECK(figure(told, "v.max").unit == "V");
  // Where there are several quantities a label says whose it is, and brackets what was asked.
  CHECK(figure(told, "v.max").label == "v: Highest");
  CHECK(figure(told, "v.integral(0s,500us)").label == "v: Integral (0s,500us)");
  CHECK(figure(told, "pulse.energy").label == "Energy");
  CHECK(figure(told, "v.max").on == "v");
  CHECK(figure(told, "pulse.energy").on.empty());
  CHECK(figure(read(step()), "max").label == "Highest");
}

TEST_CASE("what was asked and is not there is absent with what to say instead", "[waveform]") {
  auto made = surge();
  made.asked = {"watch.rail.count", "max", "u.max", "delay(v,u)", "ratio.rms(u,v)", "i.time.at(2V)"};
  const auto told = read(made).reading;
  const auto why = [&](const std::string& key) {
    for (const auto& a : told.absent)
      if (a.key == key) return a.reason;
    return std::string("it is there");
  };
  CHECK(why("watch.rail.count") == "there is no watch \"rail\" among the settings");
  CHECK(why("max") == "there are several quantities: say which, such as v.max");
  CHECK(why("u.max") == "there is no quantity \"u\"");
  CHECK(why("delay(v,u)") == "there is no quantity \"u\"");
  CHECK(why("ratio.rms(u,v)") == "there is no quantity \"u\"");
  CHECK(why("i.time.at(2V)") == "the level is in V, i is in A");
}

TEST_CASE("a pulse stands over the state that it comes from, upwards or downwards", "[waveform]") {
  // Flat tops with straight edges; the record rests at the base before and after.
  const auto read_pulse = [](double base, double top) {
    Made made{.start = 0, .step = 1e-6, .samples = 2000};
    made.quantities = {{"v", "V", [=](double t) { return base + (top - base) * std::clamp(std::min(t - 300e-6, 900e-6 - t) / 100e-6, 0.0, 1.0); }}};
    return read(made);
  };
  for (const auto& [base, top] : {std::pair{5.0, 3.0}, {5.0, -1.0}, {-5.0, -3.0}, {-5.0, 1.0}, {0.0, -2.0}, {0.0, 2.0}}) {
    INFO(base << " to " << top);
    const auto told = read_pulse(base, top);
    CHECK(figure(told, "pulse.peak").value == Approx(top - base).epsilon(1e-3));
    CHECK(figure(told, "pulse.fwhm").value == Approx(500e-6).epsilon(2e-3));
  }
  // Without a second state to rest in, a rail tells itself what is left and come back to; zero does not have to.
  const auto rounded = [&](double rail, double by) {
    Made made{.start = 0, .step = 1e-6, .samples = 2000};
    made.quantities = {{"v", "V", [=](double t) { return t < 800e-6 || t > 1200e-6 ? rail : rail + by * std::pow(std::sin(pi * (t - 800e-6) / 400e-6), 2); }, 0, kErrors}};
    return made;
  };
  for (const auto& [rail, by] : {std::pair{5.0, -2.0}, {-5.0, 2.0}, {0.0, 3.0}, {0.0, -3.0}}) {
    INFO(rail << " by " << by);
    const auto told = read(rounded(rail, by));
    CHECK(figure(told, "pulse.peak").value == Approx(by).epsilon(1e-3));
    CHECK(figure(told, "pulse.fwhm").value == Approx(200e-6).epsilon(2e-3));
    check_errors(rounded(rail, by), {"pulse.peak", "pulse.fwhm"});
  }
  // One that begins at once leaves nothing to stand over.
  auto early = rounded(5, -2);
  early.settings.from = 885e-6;
  CHECK_FALSE(read(early).reading.find("pulse.peak"));
  // Half height is passed at 900 us: half of seventeen samples before it are enough, half of fifteen are not.
  early.settings.from = 883e-6;
  CHECK(read(early).reading.find("pulse.peak"));
  // Of a train the low state is what the pulses stand over, however long each of both lasts.
  for (const double duty : {0.2, 0.8}) {
    auto made = train();
    made.quantities.front().of = [=](double t) { return -4 + (std::fmod(t + 1, 200e-6) < duty * 200e-6 ? 1.0 : 0.0); };
    CHECK(figure(read(made), "pulse.peak").value == Approx(1).epsilon(1e-3));
  }
}

TEST_CASE("few pulses are known as their edges are", "[waveform]") {
  auto made = train();
  made.samples = 600;
  check_noise(made, {"width", "duty", "period"}, 0.7, 1.35);
}

TEST_CASE("a start is the mean up to two samples before the trigger", "[waveform]") {
  // Ten samples before it, at 4 V but for one; straight lines between.
  const auto start = [](int at, double before) {
    Made made{.start = -before * 0x1p-20, .step = 0x1p-20, .samples = 3000, .asked = {"time.at(50%,falling)"}, .triggered = true};
    made.quantities = {{"v", "V", [=](double t) { return std::abs(t - at * 0x1p-20) < 0.4e-6 ? 4.6 : 4 * std::exp(-std::max(0.0, t) / 300e-6); }}};
    made.settings.of = waveform::PercentOf::start;
    const double t = figure(read(made), "time.at(50%,falling)").value;
    return 8 * std::exp(-t / 300e-6);
  };
  // Of eight steps one and a half: a sample within counts for two halves of its neighbours' steps, the last one for a half.
  CHECK(start(-6, 10) == Approx(4 + 0.6 / 8).epsilon(1e-3));
  CHECK(start(-2, 10) == Approx(4 + 0.3 / 8).epsilon(1e-3));
  CHECK(start(-1, 10) == Approx(4).epsilon(1e-4));
  // Five samples before the trigger are enough, four are not: then it is the first sample.
  CHECK(start(-5, 5) == Approx(4 + 0.3 / 3).epsilon(1e-3));
  CHECK(start(-4, 4) == Approx(4.6).epsilon(1e-3));
}

TEST_CASE("a width at half height is known as well as the height and the zero are, at both sides", "[waveform]") {
  Made made{.start = -1000e-6, .step = 1e-6, .samples = 2000};
  made.quantities = {{"v", "V", [](double t) { return 3 * std::exp(-t * t / (2 * 150e-6 * 150e-6)); }, 20e-3, kErrors}};
  check_errors(made, {"pulse.fwhm", "pulse.peak"});
  check_noise(made, {"pulse.fwhm"}, 0.7, 1.35);
}

TEST_CASE("what noise adds to an rms is taken for not known", "[waveform]") {
  const double w = 2 * pi * 5e3;
  Made made{.start = 0, .step = 1e-6, .samples = 20000};
  made.quantities = {{"v", "V", [=](double t) { return std::sqrt(2) * std::sin(w * t); }, 0.5}};
  const auto plain = read(made), noisy = read(made, 7);
  for (const char* key : {"rms", "rms.ac"}) {
    const double added = figure(noisy, key).value - figure(plain, key).value;
    // Of straight lines between samples it is two thirds of the noise's square; all of it, halved, is what is not known.
    CHECK(added == Approx(std::sqrt(1 + 0.25 * 2 / 3) - 1).epsilon(0.06));
    CHECK(*figure(noisy, key).u == Approx(0.75 * added).epsilon(0.15));
  }
}

TEST_CASE("means and integrals go to the very samples that they begin and end with", "[waveform]") {
  Made made{.start = 0, .step = 1e-6, .samples = 11, .asked = {"mean(0s,10us)", "mean(0s,1us)", "mean(9us,10us)", "integral(0.5us,1.5us)", "rms(0s,1us)"}};
  made.quantities = {{"v", "V", [](double t) { return t / 1e-6; }}};
  const auto told = read(made);
  CHECK(figure(told, "mean(0s,10us)").value == Approx(5));
  CHECK(figure(told, "mean(0s,1us)").value == Approx(0.5));
  CHECK(figure(told, "mean(9us,10us)").value == Approx(9.5));
  CHECK(figure(told, "integral(0.5us,1.5us)").value == Approx(1e-6));
  // Of straight lines: the integral of t^2 from 0 to 1.
  CHECK(figure(told, "rms(0s,1us)").value == Approx(1 / std::sqrt(3)));
}

TEST_CASE("each transition is read between the one before and the one after it", "[waveform]") {
  // Two pulses: the first settles at once, the second rings on; the first is a clean one.
  const auto wave = [](double t, bool second) {
    const auto one = [](double at, double ring) { return at < 0 || at >= 400e-6 ? 0.0 : 1 + ring * std::exp(-at / 40e-6) * std::cos(2 * pi * at / 20e-6); };
    return one(t - 300e-6, 0.04) + (second ? one(t - 1100e-6, 0.3) : 0);
  };
  for (const bool second : {false, true}) {
    Made made{.start = 0, .step = 1e-6, .samples = 2000};
    made.quantities = {{"v", "V", [=](double t) { return wave(t, second); }}};
    made.settings.settle_band = 0.02;
    const auto told = read(made);
    CHECK(figure(told, "overshoot").value == Approx(4).epsilon(0.05));
    CHECK(figure(told, "undershoot").value == Approx(0).margin(0.5));
    // 4 % falls to 2 % within 40 us ln 2.
    CHECK(figure(told, "settling_time").value < 40e-6 * std::log(2) + 1e-6);
    CHECK(figure(told, "settling_time").value > 10e-6);
  }
}

TEST_CASE("an overshoot is known as well as its tip and its state are", "[waveform]") {
  auto made = ringing();
  made.quantities.front().errors = {};
  // Turned over, so that the tip is the highest of all.
  made.quantities.front().of = [f = made.quantities.front().of](double t) { return -f(t); };
  const auto told = read(made, 2);
  const auto &high = figure(told, "max"), &state = figure(told, "level.high"), &swing = figure(told, "amplitude"), &over = figure(told, "overshoot");
  CHECK(over.value == Approx(100 * (high.value - state.value) / swing.value).epsilon(1e-9));
  CHECK(*over.u == Approx(100 * std::hypot(*high.u, *state.u) / swing.value).epsilon(1e-9));
}

TEST_CASE("settings of a reading are taken to their ends and no further", "[waveform]") {
  const auto taken = [](const char* key, const char* text) {
    waveform::Settings settings;
    return waveform::set(settings, key, text).has_value();
  };
  for (const char* key : {"lower", "upper"}) {
    CHECK(taken(key, "0.1 %"));
    CHECK(taken(key, "99.9 %"));
    CHECK_FALSE(taken(key, "0 %"));
    CHECK_FALSE(taken(key, "100 %"));
  }
  CHECK(taken("settle_band", "49.9 %"));
  CHECK(taken("settle_band", "0.1 %"));
  CHECK_FALSE(taken("settle_band", "50 %"));
  CHECK_FALSE(taken("settle_band", "0 %"));
  for (const char* key : {"resistance", "step", "bandwidth"}) {
    CHECK_FALSE(taken(key, "0"));
    CHECK_FALSE(taken(key, "-1"));
    CHECK(taken(key, "1e-9"));
  }
  const auto together = [](const char* low, const char* high) { return waveform::settings_from_text({{"lower", low}, {"upper", high}}); };
  CHECK(together("20 %", "20.1 %"));
  CHECK_FALSE(together("20 %", "20 %"));
  CHECK(together("60 %", "20 %").error().message.find("60 % is not below 20 %") != std::string::npos);
  CHECK_FALSE(waveform::settings_from_text({{"from", "2 ms"}, {"to", "2 ms"}}));
  CHECK(waveform::settings_from_text({{"from", "2 ms"}, {"to", "2.1 ms"}}));
}

TEST_CASE("a decay is read from the sample after its trigger on", "[waveform]") {
  // A single spike stands on the first or the second sample after the trigger: the first alone is left out.
  const auto tau = [](double at) {
    // Steps of a power of two, so that the trigger lies on a sample to the last bit.
    Made made{.start = -100 * 0x1p-20, .step = 0x1p-20, .samples = 2000, .triggered = true};
    made.quantities = {{"v", "V", [=](double t) { return std::abs(t - at * 0x1p-20) < 0.4e-6 ? 30.0 : 4 * std::exp(-std::max(0.0, t) / 300e-6); }}};
    const auto told = read(made);
    const auto* f = told.reading.find("time_constant");
    return f ? f->value : 0;
  };
  CHECK(tau(-50) == Approx(300e-6).epsilon(1e-6));
  CHECK(tau(0) == Approx(300e-6).epsilon(1e-6));
  CHECK(tau(1) != Approx(300e-6).epsilon(1e-3));
}

TEST_CASE("a state needs eight samples that have settled", "[waveform]") {
  // A step whose first rest settles over so many samples: the middle half of what is before it.
  const auto level = [](std::size_t before) {
    std::vector<double> v(400, 1.0);
    for (std::size_t k = 0; k < before; ++k) v[k] = 1e-4 * double(k);
    study::Waveforms all;
    all.traces = {study::trace_of("v", "V", study::TimeBase(0, 1e-6), v)};
    all.errors.resize(1);
    const auto pass = waveform::Pass::of(std::make_shared<const study::Waveforms>(all), {});
    REQUIRE(pass);
    REQUIRE(pass->profile(0).states);
    return pass->profile(0).states->low;
  };
  // Of sixteen samples eight lie in the middle half, whose share is eight of four hundred; of fourteen seven, and the mode stays.
  CHECK(level(16).share == Approx(8.0 / 400).epsilon(0.13));
  CHECK(level(12).share > 10.0 / 400);
}

TEST_CASE("a ratio is known as well as both that it is made of", "[waveform]") {
  auto made = sines();
  made.quantities[0].noise = 0.05;
  made.quantities[1].noise = 0.4;
  made.asked = {"ratio.peak_to_peak(v_out,v_in)", "ratio.rms(v_out,v_in)", "v_in.rms.ac"};
  for (auto& q : made.quantities) q.errors = {};
  const auto told = read(made, 3);
  for (const std::string of : {"peak_to_peak", "rms"}) {
    const auto &in = figure(told, of == "rms" ? "v_in.rms.ac" : "v_in.peak_to_peak"), &out = figure(told, of == "rms" ? "v_out.rms.ac" : "v_out.peak_to_peak");
    const auto& ratio = figure(told, "ratio." + of + "(v_out,v_in)");
    CHECK(ratio.value == Approx(out.value / in.value));
    CHECK(*ratio.u == Approx(ratio.value * std::hypot(*in.u / in.value, *out.u / out.value)).epsilon(1e-9));
  }
  // What does not move over what does is nothing, with what is known of it; the other way round it is no figure.
  made.quantities[1] = {"v_out", "V", [](double) { return 0.0; }};
  made.asked = {"ratio.peak_to_peak(v_out,v_in)", "ratio.peak_to_peak(v_in,v_out)"};
  const auto still = read(made);
  CHECK(figure(still, "ratio.peak_to_peak(v_out,v_in)").value == 0);
  CHECK_FALSE(still.reading.find("ratio.peak_to_peak(v_in,v_out)"));
}

TEST_CASE("energy and charge say which quantity they lack", "[waveform]") {
  auto made = surge();
  made.asked.clear();
  const auto why = [&](const std::string& key) {
    const auto told = read(made);
    for (const auto& a : told.reading.absent)
      if (a.key == key) return a.reason;
    return std::string("it is there");
  };
  CHECK(why("pulse.energy") == "it is there");
  made.quantities[0].unit = "A";
  CHECK(why("pulse.energy") == "there is not one voltage alone");
  CHECK(why("pulse.charge") == "there is neither one current nor one voltage alone");
  made.settings.resistance = 2;
  CHECK(why("pulse.charge") == "there is neither one current nor one voltage alone");
  made.settings.resistance.reset();
  made.quantities.erase(made.quantities.begin());
  CHECK(why("pulse.energy") == "there is not one voltage alone");
  CHECK(why("pulse.charge") == "it is there");
  made.quantities[0].unit = "V";
  CHECK(why("pulse.energy") == "energy needs a current, or the setting resistance");
  CHECK(why("pulse.charge") == "charge needs a current, or the setting resistance");
  made.settings.resistance = 2;
  CHECK(why("pulse.energy") == "it is there");
  CHECK(why("pulse.charge") == "it is there");
}

TEST_CASE("only what two quantities make of their times rests on their skew", "[waveform]") {
  CHECK(waveform::rests_on_skew("delay(a,b)"));
  CHECK(waveform::rests_on_skew("pulse.energy"));
  for (const char* key : {"ratio.rms(a,b)", "rise_time", "watch.rail.count", "nonsense", ""}) CHECK_FALSE(waveform::rests_on_skew(key));
}

TEST_CASE("rounding moves a time constant by no more than is said, wherever the record begins", "[waveform]") {
  // Steps of a sixtieth of the decay; many decays that lie differently against them.
  constexpr double kQuantum = 0.05, kTau = 300e-6;
  double squares = 0, said = 0;
  constexpr int kMany = 60;
  for (int k = 0; k < kMany; ++k) {
    Made made{.start = 1e-3, .step = 1e-6, .samples = 1500};
    const double level = 3 + kQuantum * k / kMany, end = 0.31 * kQuantum * k;
    made.quantities = {{"v", "V", [=](double t) { return kQuantum * std::round((end + level * std::exp(-(t - 1e-3) / kTau)) / kQuantum); }, 0, {.quantum = kQuantum}}};
    const auto told = read(made);
    const auto& tau = figure(told, "time_constant");
    squares += std::pow(tau.value - kTau, 2) / kMany;
    said += *tau.u * *tau.u / kMany;
    // It is shared by all passes that are rounded alike.
    CHECK(told.shared.at("time_constant") > 0.3 * *tau.u);
  }
  CHECK(std::sqrt(squares / said) < 1.4);
  CHECK(std::sqrt(squares / said) > 0.3);
}

TEST_CASE("a trigger that lies outside what is analysed begins nothing", "[waveform]") {
  // A decay that ends before its trigger: it starts with its first sample.
  Made made{.start = -3000e-6, .step = 1e-6, .samples = 2000, .asked = {"time.at(50%,falling)"}, .triggered = true};
  made.quantities = {{"v", "V", [](double t) { return 4 * std::exp(-(t + 3000e-6) / 300e-6); }}};
  made.settings.of = waveform::PercentOf::start;
  const auto told = read(made);
  CHECK(figure(told, "time.at(50%,falling)").value == Approx(-3000e-6 + 300e-6 * std::log(2)).margin(1e-6));
  CHECK(figure(told, "time_constant").value == Approx(300e-6).epsilon(1e-6));
  // A record that begins long after its trigger: with its first sample too.
  made.start = 500e-6;
  made.quantities.front().of = [](double t) { return 4 * std::exp(-(t - 500e-6) / 300e-6); };
  CHECK(figure(read(made), "time_constant").value == Approx(300e-6).epsilon(1e-6));
  // A trigger within the last few samples leaves too little behind it.
  made.start = -1995e-6;
  made.quantities.front().of = [](double t) { return 4 * std::exp(-(t + 1995e-6) / 300e-6); };
  CHECK(figure(read(made), "time_constant").value == Approx(300e-6).epsilon(1e-6));
}

TEST_CASE("figures say where in time they were read", "[waveform]") {
  const auto of_train = read(train()), of_surge = read(surge());
  const auto& pulses = figure(of_train, "width").at;
  REQUIRE(pulses.size() == 2);
  // The first rising edge at 0 and the last whole pulse's falling one, both half way through their poles.
  const double half = std::log(2) * 6e-6;
  CHECK(pulses[0] == Approx(half).margin(0.1e-6));
  CHECK(pulses[1] == Approx(9 * 210e-6 + 63e-6 + half).margin(0.2e-6));
  const auto& peak = figure(of_surge, "v.pulse.peak").at;
  REQUIRE(peak.size() == 1);
  // Where the derivative of the double exponential is none.
  CHECK(peak[0] == Approx(std::log(8.0) * 15e-6 * 120e-6 / 105e-6).margin(1e-6));
}

TEST_CASE("per cents of a start are of the mean before the trigger, or of the first sample", "[waveform]") {
  auto made = decay(true);
  made.settings.of = waveform::PercentOf::start;
  made.asked = {"time.at(50%,falling)"};
  // Before the trigger it rises from 4.0 to 4.4 V: the mean is 4.2. Half of it is passed where 0.2 + 4 exp(-t/300 us) is 2.1.
  made.quantities.front().of = [](double t) { return t < 0 ? 4.2 + 1000 * (t + 100e-6) * 2 : 0.2 + 4 * std::exp(-t / 300e-6); };
  CHECK(figure(read(made), "time.at(50%,falling)").value == Approx(300e-6 * std::log(4 / 1.9)).margin(2e-6));
  made.triggered = false;
  CHECK(figure(read(made), "time.at(50%,falling)").value == Approx(300e-6 * std::log(4 / 1.8)).margin(2e-6));
  // What an offset does: the start moves by all of it, half of it by half; the passage by the rest over the slope.
  const auto plain = [&] {
    auto ideal = made;
    for (auto& q : ideal.quantities) q.errors = {};
    return *figure(read(ideal), "time.at(50%,falling)").u;
  }();
  const double whole = *figure(read(made), "time.at(50%,falling)").u;
  CHECK(std::sqrt(whole * whole - plain * plain) == Approx(0.5 * 5e-3 / (1.8 / 300e-6)).epsilon(0.05));
}

TEST_CASE("from and to may lie half a step beyond the record, and no further", "[waveform]") {
  const auto made = step();
  study::Waveforms all;
  all.traces = {study::trace_of("v", "V", study::TimeBase(0, 1e-6), std::vector<double>(11, 1.0))};
  all.errors.resize(1);
  const auto waveforms = std::make_shared<const study::Waveforms>(all);
  const auto over = [&](std::optional<double> from, std::optional<double> to) -> std::optional<study::Stretch> {
    waveform::Settings settings;
    settings.from = from;
    settings.to = to;
    const auto pass = waveform::Pass::of(waveforms, settings);
    return pass ? std::optional(pass->profile(0).over) : std::nullopt;
  };
  CHECK(over(-0.4e-6, {})->first == 0);
  CHECK_FALSE(over(-0.6e-6, {}));
  CHECK(over(10.4e-6, {})->first == 10);
  CHECK_FALSE(over(10.6e-6, {}));
  CHECK(over({}, 10.4e-6)->last == 11);
  CHECK_FALSE(over({}, 10.6e-6));
  CHECK(over({}, -0.4e-6)->last == 1);
  CHECK_FALSE(over({}, -0.6e-6));
  const auto some = over(2.5e-6, 7.5e-6);
  CHECK(some->first == 3);
  CHECK(some->last == 8);
  const auto exact = over(3e-6, 7e-6);
  CHECK(exact->first == 3);
  CHECK(exact->last == 8);
  CHECK_FALSE(over(3.2e-6, 3.8e-6));
}

TEST_CASE("a level of per cents is known less well than one in volts, by what its states are not known by", "[waveform]") {
  // Straight from 0 to 2 V within twenty samples, between states of few.
  const double noise = 4e-3, slope = 2 / 20e-6;
  const Made made{.samples = 60,
                  .quantities = {{"v", "V", [=](double t) { return std::clamp((t - 20e-6) * slope, 0.0, 2.0); }, noise}},
                  .settings = {.settle_band = 0.2},
                  .asked = {"time.at(50%)", "time.at(1V)", "time.at(1.6V)"}};
  double percent = 0, volts = 0, settled = 0, plain = 0, states = 0, end = 0;
  for (unsigned seed = 1; seed <= 60; ++seed) {
    const auto reading = read(made, seed);
    const auto squared = [&](const char* key) { return std::pow(*figure(reading, key).u, 2); };
    percent += squared("time.at(50%)");
    volts += squared("time.at(1V)");
    states += (squared("level.low") + squared("level.high")) / 4 / (slope * slope);
    // So is the time at which it comes within a band about the state that it ends in.
    settled += squared("settling_time");
    plain += squared("time.at(1.6V)") + squared("time.at(1V)");
    end += squared("level.high") / (slope * slope);
  }
  CHECK(percent / volts == Approx(1 + states / volts).epsilon(0.015));
  CHECK(states / volts > 0.03);
  CHECK(settled / plain == Approx(1 + end / plain).epsilon(0.01));
  CHECK(end / plain > 0.03);
}

TEST_CASE("a mean over periods is not known by where they begin and end, as far as it is off the middle", "[waveform]") {
  // Two periods of pulses with slow edges: u of the period tells how well the ends are known.
  constexpr double kNoise = 5e-3;
  const Made made{.samples = 5000, .quantities = {{"v", "V", [](double t) {
                                                     const double at = std::fmod(t, 2e-3);
                                                     return std::clamp(std::min(at - 0.5e-3, 1.2e-3 - at) / 0.2e-3, 0.0, 1.0);
                                                   }, kNoise}}};
  double mean = 0, alternating = 0, mean_so = 0, alternating_so = 0, plain = 0;
  for (unsigned seed = 1; seed <= 40; ++seed) {
    const auto reading = read(made, seed);
    const auto value = [&](const char* key) { return figure(reading, key).value; };
    const double ends = *figure(reading, "period").u / value("period"), noise = kNoise * kNoise / 4000;
    const double off = (value("level.low") + value("level.high")) / 2 - value("mean"), ac = value("rms.ac");
    mean += std::pow(*figure(reading, "mean").u, 2);
    mean_so += noise + std::pow(ends * off, 2);
    alternating += std::pow(*figure(reading, "rms.ac").u, 2);
    alternating_so += noise + std::pow(ends * (off * off - ac * ac) / (2 * ac), 2) + std::pow(kNoise * kNoise / (4 * ac), 2);
    plain += noise;
  }
  CHECK(mean / plain == Approx(mean_so / plain).epsilon(0.05));
  CHECK(mean_so / plain > 1.2);
  CHECK(alternating / plain == Approx(alternating_so / plain).epsilon(0.05));
}

TEST_CASE("a band that noise fills has nothing settle in it", "[waveform]") {
  const auto settles = [](double noise) {
    auto made = step();
    made.settings.settle_band = 0.02;
    made.quantities.front().noise = noise;
    const auto reading = read(made, 3);
    return reading.reading.find("settling_time") != nullptr;
  };
  // Of 2 V the band is 40 mV.
  CHECK(settles(40e-3 / 4.6));
  CHECK_FALSE(settles(40e-3 / 3.6));
}

TEST_CASE("a period needs two edges of one direction, whichever", "[waveform]") {
  const auto wave = [](bool upwards) {
    return Made{.samples = 1000, .quantities = {{"v", "V", [=](double t) {
                                                   const auto edge = [&](double at) { return std::clamp((t - at) / 4e-6 + 0.5, 0.0, 1.0); };
                                                   const double high = edge(201.3e-6) - edge(400e-6) + edge(700.6e-6);
                                                   return upwards ? high : 1 - high;
                                                 }}}};
  };
  for (const bool upwards : {true, false}) {
    const auto reading = read(wave(upwards));
    CHECK(figure(reading, "period").value == Approx(499.3e-6).epsilon(1e-6));
    CHECK(figure(reading, "frequency").value == Approx(1 / 499.3e-6).epsilon(1e-6));
  }
}

TEST_CASE("five pulses that differ are known as well as their scatter lets them be", "[waveform]") {
  const auto pulses = [](int n) {
    return Made{.samples = 2000, .quantities = {{"v", "V", [=](double t) {
                                                   double out = 0;
                                                   for (int k = 0; k < n; ++k) {
                                                     const double middle = (200 + 300 * k) * 1e-6, half = (50 + 10 * (k % 3)) * 1e-6;
                                                     out += std::clamp((half - std::abs(t - middle)) / 4e-6 + 0.5, 0.0, 1.0);
                                                   }
                                                   return out;
                                                 }}}};
  };
  // Widths of 100, 120, 140, 100 and 120 us about their mean of 116 us.
  CHECK(figure(read(pulses(5)), "width").value == Approx(116e-6).epsilon(1e-6));
  CHECK(*figure(read(pulses(5)), "width").u == Approx(std::sqrt((16. * 16 + 4 * 4 + 24 * 24 + 16 * 16 + 4 * 4) / 5 / 5) * 1e-6).epsilon(1e-3));
  CHECK(*figure(read(pulses(4)), "width").u < 1e-6);
}

TEST_CASE("one sample that lies far out is the extreme of its record, in noise and without", "[waveform]") {
  for (const double noise : {0.0, 2e-3})
    for (const double out : {0.1, 4.0, -7.0}) {
      const Made made{.samples = 4000,
                      .quantities = {{"v", "V", [out](double t) { return 0.5 + (std::abs(t - 1.234e-3) < 0.4e-6 ? out : 0); }, noise}}};
      for (unsigned seed = 1; seed <= 5; ++seed) {
        const auto reading = read(made, seed);
        const auto& extreme = figure(reading, out > 0 ? "max" : "min");
        INFO("noise " << noise << ", out by " << out);
        CHECK(extreme.value == Approx(0.5 + out).margin(5 * noise + 1e-12));
        CHECK(figure(reading, "peak_to_peak").value >= std::abs(out) - 5 * noise - 1e-12);
      }
    }
}

}  // namespace trusted
