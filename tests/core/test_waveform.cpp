#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>
#include <random>

#include "study/kind.h"
#include "study/waveform/kind.h"
#include "study/waveform/settings.h"
#include "study/waveform/study_plan.h"
#include "support.h"

using namespace heron;

namespace waveforms {
namespace {

using std::numbers::pi;

/// A table as a file would give it.
struct Table {
  double start = 0, step = 1e-6;
  std::vector<std::pair<std::string, std::vector<double>>> columns;
  std::vector<double> times = {};
};

study::Record record_of(const Table& table) {
  study::Record out;
  const auto n = table.columns.front().second.size();
  std::vector<double> t = table.times;
  for (std::size_t k = 0; t.size() < n; ++k) t.push_back(table.start + table.step * double(k));
  out.channels.push_back({.role = "time", .unit = "s", .numbers = t});
  for (const auto& [name, values] : table.columns)
    out.channels.push_back({.role = name, .unit = name.starts_with("i") ? "A" : "V", .numbers = values});
  return out;
}

Result<study::Analysis> analyse(const Table& table, const study::SettingsText& settings = {},
                                const std::vector<std::string>& asked = {}) {
  std::vector<study::Point> points(1);
  points.front().setting = nlohmann::json::object();
  points.front().records.push_back(record_of(table));
  return study::waveform::kind().analyse(points, settings, asked);
}

study::Reading read(const Table& table, const study::SettingsText& settings = {}, const std::vector<std::string>& asked = {}) {
  auto out = analyse(table, settings, asked);
  if (!out) FAIL(out.error().message);
  return out->reading;
}

double value(const study::Reading& reading, const std::string& key) {
  const auto* f = reading.find(key);
  if (!f) {
    for (const auto& a : reading.absent)
      if (a.key == key) FAIL(key << " is absent: " << a.reason);
    FAIL(key << " is not there");
  }
  return f->value;
}

std::string why_not(const study::Reading& reading, const std::string& key) {
  if (reading.find(key)) return "it is there";
  for (const auto& a : reading.absent)
    if (a.key == key) return a.reason;
  return "";
}

template <class F>
std::vector<double> sampled(std::size_t n, double start, double step, F f) {
  std::vector<double> out(n);
  for (std::size_t k = 0; k < n; ++k) out[k] = f(start + step * double(k));
  return out;
}

void add_noise(std::vector<double>& values, double sigma, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal(0, sigma);
  for (auto& v : values) v += normal(random);
}

/// From low to high in a straight line around time 0.
double linear_edge(double t, double low, double high, double rise) {
  return low + (high - low) * std::clamp(t / rise + 0.5, 0.0, 1.0);
}

}  // namespace

TEST_CASE("levels and times of a straight edge are those of its line", "[waveform]") {
  // 0.2 V to 3.2 V in 80 us, sampled every 1.3 us: no reference level falls on a sample.
  const Table table{-400e-6, 1.3e-6, {{"v", sampled(700, -400e-6, 1.3e-6, [](double t) { return linear_edge(t, 0.2, 3.2, 80e-6); })}}};
  const auto r = read(table, {}, {"time.at(1.7V,rising)", "time.at(50%)", "time.between(10%,90%)", "level.at(20us)"});
  CHECK(value(r, "level.low") == Approx(0.2).margin(2e-3));
  CHECK(value(r, "level.high") == Approx(3.2).margin(2e-3));
  CHECK(value(r, "amplitude") == Approx(3.0).epsilon(1e-3));
  CHECK(value(r, "rise_time") == Approx(0.8 * 80e-6).epsilon(2e-3));
  CHECK(value(r, "slew_rate.rise") == Approx(3.0 / 80e-6).epsilon(3e-3));
  CHECK(value(r, "time.at(1.7V,rising)") == Approx(0).margin(1e-9));
  CHECK(value(r, "time.at(50%)") == Approx(0).margin(5e-8));
  CHECK(value(r, "time.between(10%,90%)") == Approx(64e-6).epsilon(2e-3));
  CHECK(value(r, "level.at(20us)") == Approx(1.7 + 0.75).epsilon(1e-6));
  CHECK(value(r, "overshoot") == Approx(0).margin(0.1));
  CHECK(why_not(r, "fall_time").find("nothing falls") != std::string::npos);
  CHECK(why_not(r, "period").find("no whole period") != std::string::npos);
}

TEST_CASE("an edge through one pole rises in 2.197 time constants and settles as its exponential does", "[waveform]") {
  const double tau = 10e-6;
  const auto v = sampled(4000, -50e-6, 0.1e-6, [&](double t) { return t < 0 ? 1.0 : 1 + 2 * (1 - std::exp(-t / tau)); });
  const auto r = read({-50e-6, 0.1e-6, {{"v", v}}}, {{"settle_band", "1 %"}});
  CHECK(value(r, "rise_time") == Approx(std::log(9) * tau).epsilon(2e-3));
  // From the mid crossing until one per cent is left.
  CHECK(value(r, "settling_time") == Approx(tau * (std::log(100) - std::log(2))).epsilon(5e-3));
  CHECK(why_not(r, "time_constant").find("no exponential") != std::string::npos);
  CHECK(value(read({-50e-6, 0.1e-6, {{"v", v}}}, {{"from", "0s"}}), "time_constant") == Approx(tau).epsilon(1e-6));
  const auto narrow = read({-50e-6, 0.1e-6, {{"v", v}}}, {{"lower", "20"}, {"upper", "80"}});
  CHECK(value(narrow, "rise_time") == Approx(std::log(4) * tau).epsilon(2e-3));
}

TEST_CASE("a second-order step overshoots by its damping", "[waveform]") {
  const double zeta = 0.3, w = 2 * pi * 50e3, wd = w * std::sqrt(1 - zeta * zeta);
  const auto v = sampled(20000, -20e-6, 10e-9, [&](double t) {
    return t < 0 ? 0.0 : 5 * (1 - std::exp(-zeta * w * t) * (std::cos(wd * t) + zeta * w / wd * std::sin(wd * t)));
  });
  const auto r = read({-20e-6, 10e-9, {{"v", v}}}, {}, {"undershoot"});
  CHECK(value(r, "overshoot") == Approx(100 * std::exp(-pi * zeta / std::sqrt(1 - zeta * zeta))).epsilon(3e-3));
  CHECK(value(r, "max") == Approx(5 * (1 + std::exp(-pi * zeta / std::sqrt(1 - zeta * zeta)))).epsilon(1e-4));
  CHECK(value(r, "undershoot") == Approx(0).margin(0.05));
}

TEST_CASE("a double exponential has its closed-form peak, width and energy", "[waveform]") {
  const double slow = 40e-6, fast = 4e-6, a = 100, ohms = 50;
  const auto f = [&](double t) { return t < 0 ? 0.0 : a * (std::exp(-t / slow) - std::exp(-t / fast)); };
  const double top = std::log(slow / fast) * slow * fast / (slow - fast);
  // Where it passes half its peak, by bisection of the formula itself.
  const auto half = [&](double low, double high, bool falls) {
    for (int k = 0; k < 200; ++k) {
      const double m = (low + high) / 2;
      ((f(m) > f(top) / 2) == falls ? low : high) = m;
    }
    return low;
  };
  const double width = half(top, 20 * slow, true) - half(0, top, false);
  const double energy = a * a / ohms * (slow / 2 + fast / 2 - 2 * slow * fast / (slow + fast)), charge = a * (slow - fast) / ohms;
  for (const double sign : {1.0, -1.0}) {
    const auto v = sampled(12000, -20e-6, 60e-9, [&](double t) { return sign * f(t); });
    const auto r = read({-20e-6, 60e-9, {{"v", v}}}, {{"resistance", "50 ohm"}});
    CHECK(value(r, "pulse.peak") == Approx(sign * f(top)).epsilon(1e-4));
    CHECK(value(r, "pulse.fwhm") == Approx(width).epsilon(1e-4));
    CHECK(value(r, "pulse.energy") == Approx(energy).epsilon(1e-4));
    CHECK(value(r, "pulse.charge") == Approx(sign * charge).epsilon(1e-4));
  }
  // Of a voltage and a current the energy is the integral of their product.
  const auto v = sampled(12000, -20e-6, 60e-9, f), i = sampled(12000, -20e-6, 60e-9, [&](double t) { return f(t) / ohms; });
  const auto both = read({-20e-6, 60e-9, {{"v", v}, {"i", i}}});
  CHECK(value(both, "pulse.energy") == Approx(energy).epsilon(1e-4));
  CHECK(value(both, "pulse.charge") == Approx(charge).epsilon(1e-4));
  CHECK(value(both, "i.pulse.peak") == Approx(f(top) / ohms).epsilon(1e-4));
}

TEST_CASE("periods, duty and whole-period means of a pulse train", "[waveform]") {
  const double period = 137e-6, width = 41e-6, edge = 2e-6;
  const auto f = [&](double t) {
    const double local = std::fmod(t + 10 * period, period);
    return local < edge ? 5 * local / edge : local < width ? 5.0 : local < width + edge ? 5 * (1 - (local - width) / edge) : 0.0;
  };
  const auto r = read({0, 0.37e-6, {{"v", sampled(4000, 0, 0.37e-6, f)}}}, {}, {"mean(0us,137us)"});
  CHECK(value(r, "period") == Approx(period).epsilon(1e-5));
  CHECK(value(r, "frequency") == Approx(1 / period).epsilon(1e-5));
  CHECK(value(r, "width") == Approx(width).epsilon(1e-4));
  CHECK(value(r, "duty") == Approx(width / period).epsilon(1e-4));
  CHECK(value(r, "mean") == Approx(5 * width / period).epsilon(1e-3));
  CHECK(value(r, "mean(0us,137us)") == Approx(5 * width / period).epsilon(1e-3));
  CHECK(value(r, "rms") == Approx(5 * std::sqrt((width - edge / 3) / period)).epsilon(2e-3));
  CHECK(value(r, "rise_time") == Approx(0.8 * edge).epsilon(1e-2));
}

TEST_CASE("sines of two channels give their ratio and delay", "[waveform]") {
  const double f = 1.7e3, lag = 23e-6;
  const auto a = sampled(10000, 0, 1e-6, [&](double t) { return 0.1 * std::sin(2 * pi * f * t) + 0.4; });
  const auto b = sampled(10000, 0, 1e-6, [&](double t) { return 1.9 * std::sin(2 * pi * f * (t - lag)); });
  const auto r = read({0, 1e-6, {{"v_in", a}, {"v_out", b}}}, {},
                      {"ratio.peak_to_peak(v_out,v_in)", "ratio.rms(v_out,v_in)", "delay(v_in,v_out)", "v_out.period", "rms"});
  CHECK(value(r, "ratio.peak_to_peak(v_out,v_in)") == Approx(19).epsilon(1e-4));
  CHECK(value(r, "ratio.rms(v_out,v_in)") == Approx(19).epsilon(1e-4));
  CHECK(value(r, "v_out.period") == Approx(1 / f).epsilon(1e-5));
  CHECK(value(r, "v_in.mean") == Approx(0.4).epsilon(1e-3));
  CHECK(value(r, "v_in.rms.ac") == Approx(0.1 / std::sqrt(2)).epsilon(1e-3));
  // Both begin on the rise: the first mid crossings are half a period and half a period and the lag away.
  const double delay = value(r, "delay(v_in,v_out)");
  CHECK((delay == Approx(lag).epsilon(1e-3) || delay == Approx(lag - 0.5 / f).epsilon(1e-3)));
  CHECK(why_not(r, "rms").find("say which") != std::string::npos);
}

TEST_CASE("a decay that never settles is timed by per cents of its start, and its constant is found with its end", "[waveform]") {
  const double tau = 0.31;
  const auto v = sampled(5000, 0, 1e-4, [&](double t) { return 0.2 + 4.3 * std::exp(-t / tau); });
  const auto r = read({0, 1e-4, {{"v", v}}}, {{"of", "start"}}, {"time.at(80%,falling)", "time.between(90%,50%)"});
  CHECK(value(r, "time_constant") == Approx(tau).epsilon(1e-6));
  const auto when = [&](double share) { return -tau * std::log((share * 4.5 - 0.2) / 4.3); };
  CHECK(value(r, "time.at(80%,falling)") == Approx(when(0.8)).epsilon(1e-5));
  CHECK(value(r, "time.between(90%,50%)") == Approx(when(0.5) - when(0.9)).epsilon(1e-5));
}

TEST_CASE("what the data do not give is absent with its reason", "[waveform]") {
  const auto flat = read({0, 1e-6, {{"v", std::vector<double>(500, 1.25)}}});
  CHECK(value(flat, "mean") == Approx(1.25));
  CHECK(why_not(flat, "amplitude").find("two states") != std::string::npos);
  CHECK(why_not(flat, "rise_time").find("two states") != std::string::npos);
  CHECK(why_not(flat, "pulse.peak").empty() == false);
  const auto one = read({0, 1e-6, {{"v", {0.5}}}});
  CHECK(value(one, "mean") == 0.5);
  const auto ramp = read({0, 1e-6, {{"v", sampled(1000, 0, 1e-6, [](double t) { return t * 1e3; })}}}, {}, {"time.at(2V)", "level.at(5ms)"});
  CHECK(why_not(ramp, "level.low").find("two states") != std::string::npos);
  CHECK(why_not(ramp, "time.at(2V)").find("never passes") != std::string::npos);
  CHECK(why_not(ramp, "level.at(5ms)").find("outside") != std::string::npos);
  CHECK(why_not(ramp, "pulse.energy").find("resistance") != std::string::npos);
}

TEST_CASE("numbers that cannot be reckoned with give no figure, never one that is no number", "[waveform]") {
  for (const auto& v : {std::vector<double>{1e308, -1e308, 1e308, 1e308, -1e308}, std::vector<double>{1e-320, 0, 1e-320, 0, 0, 1e-320},
                        std::vector<double>{5}, std::vector<double>{0, 0}, std::vector<double>{1, -1}}) {
    const auto r = read({0, 1e-6, {{"v", v}, {"i", v}}}, {{"resistance", "1 mohm"}},
                        {"v.time.at(0V)", "v.level.at(1us)", "v.mean(0us,1us)", "delay(v,i)", "ratio.rms(i,v)"});
    for (const auto& f : r.figures) {
      INFO(f.key << " " << f.value);
      CHECK(std::isfinite(f.value));
      if (f.u) CHECK(std::isfinite(*f.u));
    }
  }
}

TEST_CASE("times that go back are refused with their row, those that repeat by rounding are deduced", "[waveform]") {
  std::vector<double> v(100, 0.0), t;
  for (int k = 0; k < 100; ++k) t.push_back(1e-6 * k);
  auto back = t;
  back[40] = 30e-6;
  const auto refused = analyse({0, 1, {{"v", v}}, back});
  REQUIRE_FALSE(refused);
  CHECK(refused.error().fault == Fault::input);
  CHECK(refused.error().message.find("Row 41") != std::string::npos);
  // Steps of 0.4 us written with whole microseconds.
  std::vector<double> rounded;
  for (int k = 0; k < 100; ++k) rounded.push_back(std::round(0.4 * k) * 1e-6);
  const auto deduced = analyse({0, 1, {{"v", v}}, rounded});
  REQUIRE(deduced);
  REQUIRE(deduced->reading.doubts.size() == 1);
  CHECK(deduced->reading.doubts.front().key == "time.deduced");
  // A hole is told where it is.
  auto gap = t;
  for (std::size_t k = 60; k < gap.size(); ++k) gap[k] += 7e-6;
  const auto holed = analyse({0, 1, {{"v", v}}, gap});
  REQUIRE(holed);
  CHECK(holed->reading.doubts.front().key == "record.gaps");
  CHECK(holed->reading.doubts.front().text.find("59") != std::string::npos);
}

TEST_CASE("limits of the analysis are interpolated into, and refused outside the record", "[waveform]") {
  const Table table{0, 1e-6, {{"v", sampled(1000, 0, 1e-6, [](double t) { return t; })}}};
  CHECK(value(read(table, {{"from", "100us"}, {"to", "200us"}}), "mean") == Approx(150e-6));
  for (const auto& [key, text] : {std::pair{"from", "2ms"}, {"to", "-1us"}}) {
    const auto refused = analyse(table, {{key, text}});
    REQUIRE_FALSE(refused);
    CHECK(refused.error().fault == Fault::input);
    CHECK(refused.error().message.find("outside the record") != std::string::npos);
  }
  CHECK_FALSE(analyse(table, {{"from", "300us"}, {"to", "200us"}}));
}

TEST_CASE("a watch counts excursions that last, through its hysteresis", "[waveform][watch]") {
  // Two dips under 4.6 V: 8 us long, and 30 us long with a return that stays below the hysteresis.
  const auto rail = [](double t) {
    const double us = t * 1e6;
    if (us > 100 && us < 108) return 4.4;
    if (us > 300 && us < 330) return us > 310 && us < 312 ? 4.62 : 4.3;
    return 5.0;
  };
  const Table table{0, 0.1e-6, {{"v", sampled(5000, 0, 0.1e-6, rail)}}};
  const auto r = read(table, {{"watch.rail", "under 4.6 V for 10 us hysteresis 40 mV"}, {"watch.any", "under 4.6V"}, {"watch.high", "over 5.5 V"}});
  CHECK(value(r, "watch.rail.count") == 1);
  CHECK(value(r, "watch.rail.latched") == 1);
  CHECK(value(r, "watch.rail.first") == Approx(300e-6).margin(0.1e-6));
  CHECK(value(r, "watch.rail.longest") == Approx(30e-6).margin(0.2e-6));
  CHECK(value(r, "watch.rail.extreme") == Approx(4.3));
  CHECK(value(r, "watch.any.count") == 2);
  CHECK(value(r, "watch.high.count") == 0);
  CHECK(why_not(r, "watch.high.first").find("never went over") != std::string::npos);
  // Just under and just over the glitch.
  CHECK(value(read(table, {{"watch.w", "under 4.6 V for 7.8 us"}}), "watch.w.count") == 2);
  CHECK(value(read(table, {{"watch.w", "under 4.6 V for 8.4 us"}}), "watch.w.count") == 1);
  const auto& kind = study::waveform::kind();
  for (const char* bad : {"4.6 V", "under", "under 4.6 parsec", "under 4.6 V for 3 V", "a b under 3 V", "under 4.6 V for 1 us for 2 us", "over 3 V hysteresis 2 s"})
    CHECK_FALSE(kind.check_setting("watch.x", bad));
}

TEST_CASE("keys of figures are understood with channels and brackets, and refused with an example", "[waveform]") {
  const auto& kind = study::waveform::kind();
  for (const char* good : {"rise_time", "v_out.rise_time", "a.b.level.low", "time.at(2V)", "v.time.at(90%,falling)", "delay(v_in,v_out)",
                           "ratio.rms(b,a)", "mean", "mean(1ms,2ms)", "watch.rail.count", "level.at(2ms)", "i.integral(0s,1ms)"}) {
    INFO(good);
    CHECK(kind.check_figure(good));
  }
  for (const char* bad : {"", "rise", "time.at", "time.at(2V", "time.at(2V,upward)", "delay(v_in)", "mean(1ms)", "watch.count", "watch.rail.mean",
                          "level.at(2V)", "v.delay(a,b)", "rise_time(3)", "time.at(two)"}) {
    INFO(bad);
    const auto ok = kind.check_figure(bad);
    REQUIRE_FALSE(ok);
    CHECK(ok.error().message.size() > 20);
  }
  for (const auto& [key, instead] : {std::pair{"level.at", "1 of level.at wanted in brackets, such as level.at(2ms)"},
                                     {"time.at", "up to 2 of time.at wanted in brackets, such as time.at(2V,falling)"},
                                     {"delay(v_in)", "2 of delay wanted in brackets, such as delay(v_in,v_out)"},
                                     {"mean(1ms)", "up to 2 of mean wanted in brackets, such as level.at(2ms)"},
                                     {"rise_time(3)", "0 of rise_time wanted in brackets, such as none"}}) {
    INFO(key);
    CHECK_THAT(kind.check_figure(key).error().message, Catch::Matchers::Contains(instead));
  }
}

TEST_CASE("what is expected of a quantity is replaced by what is said later, and taken out by none", "[waveform]") {
  study::waveform::Settings s;
  for (const auto& [key, text] : {std::pair{"expected.a", "t"}, {"expected.b", "2*t"}, {"expected.a", "3*t"}}) REQUIRE(study::waveform::set(s, key, text));
  auto kept = study::waveform::as_text(s);
  CHECK(kept.at("expected.a") == "3*t");
  CHECK(kept.at("expected.b") == "2*t");
  REQUIRE(study::waveform::set(s, "expected.a", "none"));
  kept = study::waveform::as_text(s);
  CHECK(!kept.contains("expected.a"));
  CHECK(kept.at("expected.b") == "2*t");
}

TEST_CASE("noise is answered by more passes where passes can be averaged, and nothing else is", "[waveform]") {
  study::waveform::Plan plan;
  plan.passes = 8;
  plan.when = study::waveform::When::start;
  const auto edits = [](const study::waveform::Plan& p, study::Mend mend) { return study::waveform::PlannedCapture(p).remedy({.mend = mend}).edits; };
  REQUIRE(plan.repeats());
  CHECK(edits(plan, study::Mend::average) == study::Edits{{"passes", "32"}});
  CHECK(edits(plan, study::Mend::free_range).empty());
  plan.when = study::waveform::When::at_once;
  CHECK(edits(plan, study::Mend::average).empty());
}

TEST_CASE("each doubt of a waveform is raised just over its threshold and not just under", "[waveform][doubts]") {
  const auto has = [](const study::Reading& reading, const char* key) {
    return std::any_of(reading.doubts.begin(), reading.doubts.end(), [&](const auto& d) { return d.key == key; });
  };
  // An edge of 10 us in the chain's 35 kHz: its own is 10 us.
  const auto edge = [](double rise) { return sampled(4000, -200e-6, 0.1e-6, [&](double t) { return linear_edge(t, 0, 1, rise / 0.8); }); };
  CHECK(has(read({-200e-6, 0.1e-6, {{"v", edge(14.5e-6)}}}, {{"bandwidth", "35 kHz"}}), "bandwidth.limits_edge"));
  CHECK_FALSE(has(read({-200e-6, 0.1e-6, {{"v", edge(15.5e-6)}}}, {{"bandwidth", "35 kHz"}}), "bandwidth.limits_edge"));
  // Samples in the edge: 10 to 90 % of it in 3.9 and 4.1 steps.
  CHECK(has(read({-200e-6, 0.1e-6, {{"v", edge(0.39e-6)}}}), "sampling.coarse"));
  CHECK_FALSE(has(read({-200e-6, 0.1e-6, {{"v", edge(0.41e-6)}}}), "sampling.coarse"));
  // A converter of 14 bits and 1 V, clipped for two and for three samples, at either end.
  for (const auto& [run, end] : {std::pair{2, 8191}, {3, 8191}, {2, -8192}, {3, -8192}}) {
    study::Channel channel{.role = "v", .unit = "V", .scale = 1.0 / 8192, .range = 1.0, .lowest_count = -8192, .highest_count = 8191};
    for (int k = 0; k < 400; ++k) channel.counts.push_back(std::int16_t(4000 * std::sin(2 * pi * k / 100.0)));
    for (int k = 0; k < run; ++k) channel.counts[std::size_t(200 + k)] = std::int16_t(end);
    study::Point point{.index = 0, .setting = nlohmann::json::object(), .records = {{.sample_rate = 1e6}}};
    point.records.front().channels.push_back(channel);
    std::vector<study::Point> points;
    points.push_back(std::move(point));
    const auto r = study::waveform::kind().analyse(points, {}, {});
    REQUIRE(r);
    CHECK(has(r->reading, "input.clipped") == (run == 3));
    for (const auto& d : r->reading.doubts)
      if (d.key == "input.clipped") CHECK(d.text.find(end > 0 ? "the upper end" : "the lower end") != std::string::npos);
  }
  // Nine and eleven per cent of the range.
  for (const int peak : {737, 901}) {
    study::Channel channel{.role = "v", .unit = "V", .scale = 1.0 / 8192, .range = 1.0, .lowest_count = -8192, .highest_count = 8191};
    for (int k = 0; k < 400; ++k) channel.counts.push_back(std::int16_t(std::lround(peak * std::sin(2 * pi * k / 100.0))));
    study::Point point{.index = 0, .setting = nlohmann::json::object(), .records = {{.sample_rate = 1e6}}};
    point.records.front().channels.push_back(channel);
    std::vector<study::Point> points;
    points.push_back(std::move(point));
    CHECK(has(study::waveform::kind().analyse(points, {}, {})->reading, "range.underused") == (peak == 737));
  }
}

TEST_CASE("doubts of zero, droop, noise and gaps turn at their thresholds", "[waveform][doubts]") {
  const auto has = [](const study::Reading& reading, const char* key) {
    return std::any_of(reading.doubts.begin(), reading.doubts.end(), [&](const auto& d) { return d.key == key; });
  };
  // A channel of 14 bits and 1 V through a sensor, a pulse of 200 samples at 1 MHz.
  const auto measured = [](const nlohmann::json& sensing, double u_offset) {
    study::Channel channel{.role = "i", .unit = "V", .scale = 1.0 / 8192, .range = 1.0, .lowest_count = -8192, .highest_count = 8191, .u_offset = u_offset};
    for (int k = 0; k < 600; ++k) channel.counts.push_back(k >= 200 && k < 400 ? 4096 : 0);
    study::Point point{.index = 0, .setting = {{"sensing", {{"i", sensing}}}}, .records = {{.sample_rate = 1e6}}};
    point.records.front().channels.push_back(channel);
    std::vector<study::Point> points;
    points.push_back(std::move(point));
    const auto out = study::waveform::kind().analyse(points, {}, {});
    if (!out) FAIL(out.error().message);
    return out->reading;
  };
  bench::Sensing plain;
  // Half a volt is the largest value: one per cent of it is 5 mV.
  CHECK_FALSE(has(measured(bench::to_json(plain), 4.9e-3), "offset.uncorrected"));
  CHECK(has(measured(bench::to_json(plain), 5.1e-3), "offset.uncorrected"));
  // Of a pulse of 200 us a corner takes 1.9 and 2.1 per cent.
  for (const double droop : {0.019, 0.021}) {
    auto transformer = plain;
    transformer.low_corner = -std::log(1 - droop) / (2 * pi * 200e-6);
    CHECK(has(measured(bench::to_json(transformer), 0), "sensor.no_dc") == (droop > 0.02));
  }
  // The mean of 400 samples with noise of so much: its u is 0.9 and 1.1 per cent of it.
  for (const double share : {0.8, 1.2}) {
    std::vector<double> v(400, 1.0);
    add_noise(v, share / 100 * 20, 5);
    const auto r = read({0, 1e-6, {{"v", v}}}, {}, {"mean"});
    const double u = *r.find("mean")->u / r.find("mean")->value;
    const auto it = std::find_if(r.doubts.begin(), r.doubts.end(), [](const auto& d) { return d.key == "noise.limited"; });
    const bool told = it != r.doubts.end() && it->text.find("Mean") != std::string::npos;
    CHECK(told == (u > 0.01));
    CHECK((u > 0.01) == (share > 1));
  }
  // A step of one and a half is uneven; one of two is a sample that is missing.
  for (const double step : {1.5, 2.0}) {
    std::vector<double> t, v;
    for (int k = 0; k < 50; ++k) {
      t.push_back(1e-6 * (k < 30 ? k : k - 1 + step));
      v.push_back(k % 2);
    }
    CHECK(has(read({0, 1, {{"v", v}}, t}), "record.gaps") == (step == 2));
  }
}

TEST_CASE("uncertainties of waveform figures hold over seeded noise", "[waveform][truth][long]") {
  const double tau = 5e-6, sigma = 5e-3;
  const auto clean = sampled(4000, -80e-6, 0.1e-6, [&](double t) { return t < 0 ? 0.0 : 1 - std::exp(-t / tau); });
  const std::map<std::string, double> truth = {{"level.low", 0},  {"rise_time", std::log(9) * tau}, {"time.at(50%)", std::log(2) * tau},
                                               {"time.at(0.5V)", std::log(2) * tau}, {"time_constant", tau}, {"slew_rate.rise", 0.8 / (std::log(9) * tau)}, {"amplitude", 1},
                                               {"settling_time", (std::log(20) - std::log(2)) * tau}, {"min", 0}, {"max", 1}, {"level.high", 1}};
  std::map<std::string, std::vector<double>> errors;
  constexpr int kTimes = 200;
  for (int k = 0; k < kTimes; ++k) {
    auto v = clean;
    add_noise(v, sigma, unsigned(k + 1));
    const Table table{-80e-6, 0.1e-6, {{"v", v}}};
    auto r = read(table, {{"settle_band", "5 %"}}, {"time.at(50%)", "time.at(0.5V)"});
    r.figures.push_back(*read(table, {{"from", "0s"}}).find("time_constant"));
    for (const auto& [key, expected] : truth) {
      const auto* f = r.find(key);
      INFO(key);
      REQUIRE(f);
      REQUIRE(f->u);
      errors[key].push_back((f->value - expected) / *f->u);
    }
  }
  for (const auto& [key, e] : errors) {
    double mean = 0, squares = 0;
    for (const double x : e) mean += x / kTimes;
    for (const double x : e) squares += (x - mean) * (x - mean) / (kTimes - 1);
    INFO(key << ": bias " << mean << " u, spread " << std::sqrt(squares) << " u");
    CHECK(std::abs(mean) < 0.6);
    CHECK(std::sqrt(squares) > 0.6);
    CHECK(std::sqrt(squares) < 1.5);
  }
}

}  // namespace waveforms
