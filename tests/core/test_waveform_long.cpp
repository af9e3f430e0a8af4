#include <catch2/catch.hpp>
#include <cmath>
#include <functional>
#include <random>

#include "study/waveform/figures.h"
#include "support.h"

using namespace heron;
namespace waveform = heron::study::waveform;

/// Records of a few thousand and of more than a million samples, whose blocks are then read instead: both say what the
/// closed form says.
namespace long_records {
namespace {

using Function = std::function<double(double)>;

study::TracePtr trace(std::size_t samples, double start, double step, const Function& f, double noise = 0, unsigned seed = 1) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  std::vector<double> v(samples);
  for (std::size_t k = 0; k < samples; ++k) v[k] = f(start + step * double(k)) + (noise > 0 ? noise * normal(random) : 0);
  return study::trace_of("v", "V", study::TimeBase(start, step), std::move(v));
}

waveform::Pass pass_of(const study::TracePtr& trace, const waveform::Settings& settings = {}, bool triggered = false) {
  study::Waveforms all;
  all.traces = {trace};
  all.errors.resize(1);
  all.triggered = triggered;
  auto pass = waveform::Pass::of(std::make_shared<const study::Waveforms>(std::move(all)), settings);
  if (!pass) FAIL(pass.error().message);
  return *pass;
}

double value(const waveform::Pass& pass, const std::string& key, double* u = nullptr) {
  const auto read = waveform::figures_of(pass, {key});
  REQUIRE(read);
  const auto* f = read->reading.find(key);
  if (!f) {
    for (const auto& a : read->reading.absent)
      if (a.key == key) FAIL(key << ": " << a.reason);
    FAIL(key << " is not there");
  }
  if (u) *u = f->u.value_or(0);
  return f->value;
}

constexpr std::size_t kShort = 4000, kLong = 1'100'000;

}  // namespace

TEST_CASE("states are read where they have settled, and say by how much they still move", "[waveform]") {
  for (const std::size_t n : {kShort, std::size_t(400'001)}) {
    INFO(n << " samples");
    // From 0 to 1 at four tenths, each rising by a thousandth over the whole record: the level tells the middle of what
    // it was read from, the share how much that is, the drift what its last half lies beside.
    const double slope = 1e-3;
    const auto pass = pass_of(trace(n, 0, 1.0 / double(n), [=](double t) { return (t < 0.4 ? 0 : 1) + slope * t; }));
    const auto& p = pass.profile(0);
    REQUIRE(p.states);
    const auto &low = p.states->low, &high = p.states->high;
    CHECK(low.level == Approx(slope * 0.2).epsilon(0.01));
    CHECK(high.level == Approx(1 + slope * 0.85).margin(slope * 0.01));
    CHECK(low.share == Approx(0.2).epsilon(0.01));
    CHECK(high.share == Approx(0.3).epsilon(0.01));
    // A straight line over a length scatters by it over the root of twelve.
    CHECK(low.scatter == Approx(slope * 0.2 / std::sqrt(12)).epsilon(0.02));
    CHECK(high.scatter == Approx(slope * 0.3 / std::sqrt(12)).epsilon(0.02));
    CHECK(low.drift == Approx(slope * 0.05 - 2 * low.scatter / std::sqrt(0.1 * double(n))).epsilon(0.02));
    CHECK(high.drift == Approx(slope * 0.075 - 2 * high.scatter / std::sqrt(0.15 * double(n))).epsilon(0.02));
    CHECK(p.swing == Approx(high.level - low.level).epsilon(1e-12));
    CHECK(p.middle == Approx((high.level + low.level) / 2).epsilon(1e-12));
    CHECK_FALSE(p.periodic);
    REQUIRE(p.mids.size() == 1);
    CHECK(p.mids.front().rising);
    CHECK(p.mids.front().place == Approx(0.4 * double(n)).margin(1));
  }
}

TEST_CASE("the part that is analysed has a first rest of its own", "[waveform]") {
  // As above, but what is analysed begins at a quarter: its first rest goes from 0.25 to 0.4, its middle half is around 0.325.
  const double slope = 1e-3;
  waveform::Settings settings;
  settings.from = 0.25;
  const auto pass = pass_of(trace(8000, 0, 1.0 / 8000, [=](double t) { return (t < 0.4 ? 0 : 1) + slope * t; }), settings);
  const auto& p = pass.profile(0);
  REQUIRE(p.states);
  CHECK(p.states->low.level == Approx(slope * 0.325).epsilon(0.01));
  CHECK(p.states->low.share == Approx(0.075 / 0.75).epsilon(0.02));
  CHECK(p.states->high.level == Approx(1 + slope * 0.85).margin(slope * 0.01));
}

TEST_CASE("states of a train are read from the last half of each of its rests", "[waveform]") {
  const double noise = 2e-3;
  for (const std::size_t n : {kShort, std::size_t(500'000)}) {
    INFO(n << " samples");
    // Ten periods, high for three tenths; between the edges it falls back by a slow part of 4 mV that has gone by the half.
    const double period = double(n) / 10;
    const auto f = [=](double k) {
      const double at = k / period - std::floor(k / period) + 1e-9;
      return at < 0.3 ? 1.0 + (at < 0.14 && k > period ? 4e-3 : 0) : (at < 0.64 ? -4e-3 : 0.0);
    };
    const auto pass = pass_of(trace(n, 0, 1, f, noise, 3));
    const auto& p = pass.profile(0);
    REQUIRE(p.states);
    CHECK(p.noise == Approx(noise).epsilon(0.1));
    const double few = noise / std::sqrt(double(n) / 4);
    CHECK(p.states->high.level == Approx(1).margin(8 * few));
    CHECK(p.states->low.level == Approx(0).margin(8 * few));
    CHECK(p.states->high.scatter == Approx(noise).epsilon(0.08));
    CHECK(p.states->low.scatter == Approx(noise).epsilon(0.08));
    CHECK(p.states->low.share == Approx(0.35).epsilon(0.03));
    CHECK(p.states->high.share == Approx(0.15).epsilon(0.06));
    CHECK(p.states->low.drift == Approx(0).margin(3 * few));
    CHECK(p.periodic);
    CHECK(value(pass, "duty") == Approx(0.3).epsilon(2e-3));
    CHECK(value(pass, "period") == Approx(period).epsilon(1e-4));
    CHECK(value(pass, "width") == Approx(0.3 * period).epsilon(2e-3));
  }
}

TEST_CASE("periods that differ by more than a tenth are no period", "[waveform]") {
  for (const double off : {0.08, 0.12}) {
    const auto f = [=](double t) {
      // Four periods of 100, the third longer by a share of their mean.
      const double ends[] = {100, 200, 300 + 100 * off * 4 / 3, 400 + 100 * off * 4 / 3};
      double from = 0;
      for (const double end : ends) {
        if (t < end) return t - from < 50 ? 1.0 : 0.0;
        from = end;
      }
      return t - from < 50 ? 1.0 : 0.0;
    };
    CHECK(pass_of(trace(480, -20, 1, f)).profile(0).periodic == (off < 0.1));
  }
  // Two whole periods are asked for.
  CHECK_FALSE(pass_of(trace(170, -20, 1, [](double t) { return std::fmod(t + 100, 100) < 50 ? 1.0 : 0.0; })).profile(0).periodic);
  CHECK(pass_of(trace(270, -20, 1, [](double t) { return std::fmod(t + 100, 100) < 50 ? 1.0 : 0.0; })).profile(0).periodic);
}

TEST_CASE("a decay's time constant is that of its exponential, read from samples, from means of a few and from blocks", "[waveform]") {
  for (const std::size_t n : {std::size_t(9), kShort, std::size_t(50'000), kLong, kLong + 77}) {
    INFO(n << " samples");
    const double tau = double(n) / 3.1;
    const auto f = [=](double t) { return t <= 0 ? 5.0 : 0.7 + 4.3 * std::exp(-t / tau); };
    CHECK(value(pass_of(trace(n, 1, 1, f)), "time_constant") == Approx(tau).epsilon(2e-6));
    if (n < 100) continue;
    // What lies before the trigger is none of it.
    const double before = std::floor(double(n) / 7) + 0.5;
    CHECK(value(pass_of(trace(n, -before, 1, f), {}, true), "time_constant") == Approx(tau).epsilon(2e-6));
    // Unless somebody says from when.
    waveform::Settings settings;
    settings.from = 3.3;
    CHECK(value(pass_of(trace(n, -before, 1, f), settings, true), "time_constant") == Approx(tau).epsilon(2e-6));
  }
  const auto told = [](std::size_t n, const Function& f) {
    const auto read = waveform::figures_of(pass_of(trace(n, 0, 1, f)), {});
    for (const auto& a : read->reading.absent)
      if (a.key == "time_constant") return a.reason;
    return std::string();
  };
  CHECK_THAT(told(7, [](double t) { return std::exp(-t / 3); }), Catch::Matchers::Contains("too few samples"));
  // One that bends: a twentieth of its decay may be left by the fit, not more.
  const auto bent = [](double share) { return [=](double t) { return std::exp(-t / 300) + share * std::sin(t / 40); }; };
  CHECK(told(kShort / 4, bent(0.04)).empty());
  CHECK_THAT(told(kShort / 4, bent(0.12)), Catch::Matchers::Contains("no exponential"));
}

TEST_CASE("the noise of a time constant is known in blocks as in samples", "[waveform][long]") {
  for (const std::size_t n : {kShort, kLong}) {
    const double tau = double(n) / 4, noise = 5e-3;
    const auto f = [=](double t) { return 2 * std::exp(-t / tau); };
    double squares = 0, u = 0;
    const int times = n == kLong ? 12 : 40;
    for (int k = 1; k <= times; ++k) {
      double one = 0;
      squares += std::pow(value(pass_of(trace(n, 0, 1, f, noise, unsigned(k))), "time_constant", &one) - tau, 2);
      u += one;
    }
    const double ratio = std::sqrt(squares / times) / (u / times);
    CHECK((ratio > 0.5 && ratio < 1.6));
  }
}

TEST_CASE("a mean over a long record is that of all its samples", "[waveform]") {
  for (const std::size_t n : {kShort, kLong}) {
    const auto ramp = [=](double t) { return 1 + 2 * t / double(n - 1); };
    const auto pass = pass_of(trace(n, 0, 1, ramp));
    CHECK(value(pass, "mean") == Approx(2).epsilon(1e-9));
    // Of a straight line from a to b: the root of (a a + a b + b b)/3; its part without the mean (b - a)/root 12.
    CHECK(value(pass, "rms") == Approx(std::sqrt(13.0 / 3)).epsilon(1e-6));
    CHECK(value(pass, "rms.ac") == Approx(2 / std::sqrt(12)).epsilon(1e-5));
    const auto key = fmt::format("integral({}s,{}s)", n / 4, n / 2);
    const double a = ramp(double(n / 4)), b = ramp(double(n / 2));
    CHECK(value(pass, key) == Approx((a + b) / 2 * double(n / 2 - n / 4)).epsilon(1e-9));
  }
}

TEST_CASE("pulses that differ say how well their mean is known", "[waveform]") {
  // Widths of 30 and 32 by turns: each is one beside the mean.
  for (const int pulses : {4, 10, 100}) {
    const auto f = [=](double t) {
      const int which = int(t / 100);
      const double at = t - 100 * which;
      return t >= 0 && which < pulses && at < (which % 2 == 0 ? 30 : 32) ? 1.0 : 0.0;
    };
    double u = 0;
    const auto pass = pass_of(trace(std::size_t(pulses) * 100 + 20, -20, 1, f));
    CHECK(value(pass, "width", &u) == Approx(31).epsilon(1e-6));
    if (pulses > 4)
      CHECK(u == Approx(1 / std::sqrt(double(pulses))).epsilon(0.02));
    else
      CHECK(u < 0.3);
    double u_duty = 0;
    CHECK(value(pass, "duty", &u_duty) == Approx(0.31).epsilon(1e-3));
    CHECK(u_duty == Approx(u / 100).epsilon(0.25));
  }
}

TEST_CASE("a level counts as passed once the signal has gone a twentieth of its swing beyond it", "[waveform]") {
  // At 1 from the start, a dip below 0.5 by some share, then down for good at 3000.
  const auto read = [](double dip) {
    const auto f = [=](double t) {
      if (t < 1000) return 1.0;
      if (t < 2000) return 0.5 - dip + (1.0 - 0.5 + dip) * std::abs(t - 1500) / 500;
      if (t < 3000) return 1.0;
      return t < 3100 ? 1 - (t - 3000) / 100 : 0.0;
    };
    return value(pass_of(trace(kShort, 0, 1, f)), "time.at(0.5V,falling)");
  };
  CHECK(read(0.04) == Approx(3050).margin(1));
  CHECK(read(0.06) < 1500);
}

}  // namespace long_records
