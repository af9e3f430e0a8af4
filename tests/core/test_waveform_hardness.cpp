#include <catch2/catch.hpp>
#include <cmath>
#include <functional>
#include <numbers>
#include <set>

#include "study/kind.h"
#include "study/waveform/cursors.h"
#include "study/waveform/doubts.h"
#include "study/waveform/figures.h"
#include "study/waveform/reduced.h"
#include "study/waveform/settings.h"
#include "study/waveform/words.h"
#include "support.h"

using namespace heron;
namespace waveform = heron::study::waveform;

/// Records that are silent, damaged or just long enough, and what is made of them all the same.
namespace hard_records {
namespace {

using std::numbers::pi;

struct One {
  std::string name, unit;
  std::function<double(double)> of;
  study::TraceErrors errors = {};
};

study::WaveformsPtr record(const std::vector<One>& quantities, std::size_t samples, double start, double step) {
  auto all = std::make_shared<study::Waveforms>();
  for (const auto& q : quantities) {
    std::vector<double> v(samples);
    for (std::size_t k = 0; k < samples; ++k) v[k] = q.of(start + step * double(k));
    all->traces.push_back(study::trace_of(q.name, q.unit, study::TimeBase(start, step), std::move(v)));
    all->errors.push_back(q.errors);
    all->expected_swing.push_back(0);
    all->codes.emplace_back();
  }
  return all;
}

waveform::PassReading read(const study::WaveformsPtr& waveforms, const std::vector<std::string>& asked = {}, const waveform::Settings& settings = {}) {
  const auto pass = waveform::Pass::of(waveforms, settings);
  if (!pass) FAIL(pass.error().message);
  auto out = waveform::figures_of(*pass, asked);
  if (!out) FAIL(out.error().message);
  return *out;
}

/// Its samples can be read so many times, then no more.
class Fragile final : public study::Trace {
 public:
  Fragile(study::TracePtr whole, std::shared_ptr<int> left) : Trace(whole->name, whole->unit, whole->time), whole_(std::move(whole)), left_(std::move(left)) {}
  std::size_t size() const override { return whole_->size(); }
  Result<void> read(std::size_t first, std::span<double> out) const override {
    if (--*left_ < 0) return fail(Fault::input, "the disk is gone");
    return whole_->read(first, out);
  }
  std::size_t bytes() const override { return whole_->bytes(); }

 private:
  study::TracePtr whole_;
  std::shared_ptr<int> left_;
};

double ringing(double t) { return t < 0 ? 0.2 : 1.2 - std::exp(-t / 60e-6) * std::cos(2 * pi * t / 90e-6); }
double train(double t) {
  const double at = t - 210e-6 * std::floor(t / 210e-6);
  return at < 80e-6 ? 1 - std::exp(-at / 5e-6) : std::exp(-(at - 80e-6) / 5e-6);
}

}  // namespace

TEST_CASE("whenever samples can no longer be read each figure is right or says so", "[waveform][hard]") {
  const std::vector<std::string> asked = {"v.time.at(0.5V)", "v.time.at(50%)", "v.time.between(20%,80%)", "v.level.at(20us)", "v.mean(1us,90us)", "v.rms(1us,90us)",
                                          "v.integral(1us,90us)", "delay(v,i)", "ratio.peak_to_peak(v,i)", "ratio.rms(v,i)"};
  for (double (*shape)(double) : {&ringing, &train})
    for (const auto of : {waveform::PercentOf::states, waveform::PercentOf::start}) {
      waveform::Settings settings;
      settings.of = of;
      // Two channels that are read in turn, and one of its own with a resistance.
      auto whole = record({{"v", "V", shape}, {"i", "A", [=](double t) { return 0.3 * shape(t - 3e-6) + 0.1; }}}, 1200, -200e-6, 1e-6);
      const auto truth = read(whole, asked, settings);
      auto left = std::make_shared<int>(1 << 30);
      study::Waveforms weak = *whole;
      weak.triggered = true;
      for (auto& trace : weak.traces) trace = std::make_shared<Fragile>(trace, left);
      const auto triggered = read(std::make_shared<const study::Waveforms>(weak), asked, settings);
      const auto pass = waveform::Pass::of(std::make_shared<const study::Waveforms>(weak), settings);
      REQUIRE(pass);
      bool all_there = false;
      for (int reads = 0; !all_there; ++reads) {
        *left = reads;
        const auto told = waveform::figures_of(*pass, asked);
        if (!told) {
          CHECK(told.error().message == "the disk is gone");
          continue;
        }
        for (const auto& f : told->reading.figures) {
          const auto* right = triggered.reading.find(f.key);
          INFO(f.key << " after " << reads << " reads");
          REQUIRE(right);
          REQUIRE(f.value == right->value);
          if (f.u && right->u) CHECK(std::isfinite(*f.u));
        }
        for (const auto& a : told->reading.absent) {
          INFO(a.key << ": " << a.reason);
          if (triggered.reading.find(a.key)) CHECK((a.reason == "the disk is gone" || a.reason == "the record cannot be read"));
        }
        all_there = told->reading.figures.size() == triggered.reading.figures.size();
        REQUIRE(reads < 5000);
      }
      CHECK(truth.reading.figures.size() > 20);
    }
}

TEST_CASE("a profile that cannot be read to its end is no profile", "[waveform][hard]") {
  auto whole = record({{"v", "V", ringing}}, 300'000, -10e-3, 1e-7);
  auto left = std::make_shared<int>(1 << 30);
  study::Waveforms weak = *whole;
  weak.traces.front() = std::make_shared<Fragile>(whole->traces.front(), left);
  const auto shared = std::make_shared<const study::Waveforms>(weak);
  REQUIRE(waveform::Pass::of(shared, {}));
  const int needed = (1 << 30) - *left;
  REQUIRE(needed > 20);
  for (int reads = 0; reads < needed; reads += 1 + needed / 40) {
    // Blocks are kept once they were read: a fresh one each time.
    study::Waveforms fresh = *whole;
    fresh.traces.front() = std::make_shared<Fragile>(whole->traces.front(), left);
    *left = reads;
    const auto pass = waveform::Pass::of(std::make_shared<const study::Waveforms>(fresh), {});
    REQUIRE_FALSE(pass);
    CHECK(pass.error().message == "the disk is gone");
  }
}

TEST_CASE("cursors that cannot be placed because the samples are gone say so", "[waveform][hard]") {
  auto whole = record({{"v", "V", ringing}}, 3000, -1e-3, 1e-6);
  auto left = std::make_shared<int>(1 << 30);
  study::Waveforms weak = *whole;
  weak.traces.front() = std::make_shared<Fragile>(whole->traces.front(), left);
  const auto of_states = [&] { return waveform::at_states(weak, 0, -1e-3, 2e-3, 10, 90); };
  const auto of_start = [&] { return waveform::of_start(weak, 0, -1e-3, 2e-3, 110, 300); };
  for (const auto& place : {std::function<decltype(of_states())()>(of_states), std::function<decltype(of_states())()>(of_start)}) {
    *left = 1 << 30;
    const auto wanted = place();
    REQUIRE((wanted && *wanted));
    const int needed = (1 << 30) - *left;
    REQUIRE(needed > 2);
    for (int reads = 0; reads < needed; ++reads) {
      study::Waveforms fresh = *whole;
      fresh.traces.front() = std::make_shared<Fragile>(whole->traces.front(), left);
      weak = fresh;
      *left = reads;
      const auto placed = place();
      INFO(reads << " of " << needed);
      REQUIRE_FALSE(placed);
      CHECK(placed.error().message == "the disk is gone");
    }
  }
}

TEST_CASE("a record that stands at zero has figures of zero, known as well as its zero is", "[waveform][hard]") {
  const auto silent = read(record({{"v", "V", [](double) { return 0.0; }, {.u_gain = 0.1, .u_offset = 3e-3, .quantum = 1e-3}}}, 400, 0, 1e-6), {"mean(10us,20us)", "rms(10us,20us)"});
  const double noise = 1e-3 / std::sqrt(12.0);
  for (const char* key : {"rms", "rms.ac", "peak_to_peak", "mean", "max", "min", "rms(10us,20us)"}) {
    INFO(key);
    REQUIRE(silent.reading.find(key));
    CHECK(silent.reading.find(key)->value == 0);
  }
  CHECK(*silent.reading.find("rms")->u == Approx(std::hypot(noise, 3e-3)));
  CHECK(*silent.reading.find("rms.ac")->u == Approx(noise));
  CHECK(*silent.reading.find("peak_to_peak")->u == Approx(noise));
  for (const char* key : {"rise_time", "period", "pulse.peak", "time_constant", "level.high", "overshoot", "settling_time"}) {
    INFO(key);
    CHECK_FALSE(silent.reading.find(key));
  }
}

TEST_CASE("an edge from one sample to the next has settled at once", "[waveform][hard]") {
  const auto told = read(record({{"v", "V", [](double t) { return t < 0 ? 0.0 : 1.0; }}}, 1000, -500e-6, 1e-6));
  REQUIRE(told.reading.find("settling_time"));
  CHECK(told.reading.find("settling_time")->value == 0);
  CHECK(*told.reading.find("settling_time")->u == Approx(1e-6 / std::sqrt(12.0)));
  CHECK(told.reading.find("overshoot")->value == Approx(0).margin(1e-9));
}

TEST_CASE("a transition settles where it was last beyond the band, from above or from below", "[waveform][hard]") {
  for (const double sign : {1.0, -1.0})
    for (const bool rising : {true, false}) {
      // Straight lines: past the end by 10 % in either direction at 100 us, and back at 5 % within 200 us more.
      const auto f = [=](double t) {
        const double step = rising ? 1 : -1;
        if (t < 0) return 0.0;
        if (t < 100e-6) return step * std::min(1.0, t / 10e-6);
        return step + (t < 300e-6 ? sign * 0.1 * (1 - (t - 100e-6) / 200e-6) : 0);
      };
      waveform::Settings settings;
      settings.settle_band = 0.05;
      const auto told = read(record({{"v", "V", f}}, 4000, -1000e-6, 0.5e-6), {}, settings);
      REQUIRE(told.reading.find("settling_time"));
      // Half of the step is passed at 5 us.
      CHECK(told.reading.find("settling_time")->value == Approx(195e-6).margin(2e-6));
    }
}

TEST_CASE("a level close below the top is passed, though nothing leaves its band", "[waveform][hard]") {
  const auto told = read(record({{"v", "V", [](double t) { return 4 * std::sin(2 * pi * t / 400e-6); }}}, 390, 0, 1e-6), {"time.at(3.95V,rising)", "time.at(-3.95V,falling)", "time.at(4.1V)"});
  REQUIRE(told.reading.find("time.at(3.95V,rising)"));
  CHECK(told.reading.find("time.at(3.95V,rising)")->value == Approx(std::asin(3.95 / 4) / (2 * pi) * 400e-6).margin(0.3e-6));
  CHECK(told.reading.find("time.at(-3.95V,falling)")->value == Approx(200e-6 + std::asin(3.95 / 4) / (2 * pi) * 400e-6).margin(0.3e-6));
  CHECK_FALSE(told.reading.find("time.at(4.1V)"));
}

TEST_CASE("each figure is told once, whatever it is read of", "[waveform][hard]") {
  const auto shape = [](double t) { return ringing(t); };
  const auto told = read(record({{"v", "V", shape}, {"i", "A", shape}, {"g", "V/V", shape}}, 1200, -200e-6, 1e-6));
  std::set<std::string> keys;
  for (const auto& f : told.reading.figures) CHECK(keys.insert(f.key).second);
  for (const auto& a : told.reading.absent) CHECK(keys.insert(a.key).second);
  CHECK(keys.contains("pulse.charge"));
}

TEST_CASE("one quantity has no skew against itself", "[waveform][hard][doubts]") {
  const auto waveforms = record({{"v", "V", ringing, {.u_delay = 1e-3}}}, 1200, -200e-6, 1e-6);
  waveform::Settings settings;
  settings.resistance = 2;
  const auto pass = waveform::Pass::of(waveforms, settings);
  REQUIRE(pass);
  const std::vector<std::string> asked = {"pulse.energy"};
  const auto told = waveform::figures_of(*pass, asked);
  REQUIRE((told && told->reading.find("pulse.energy")));
  for (const auto& d : waveform::find_doubts(*pass, told->reading, asked)) CHECK(d.key != "skew.suspected");
}

TEST_CASE("a reduced take tells what it holds, and a picture of it keeps every spike", "[waveform][hard]") {
  const auto take_of = [](std::size_t samples, int quantities, int passes) {
    std::vector<study::Point> points;
    for (int p = 0; p < passes; ++p) {
      study::Point point{.index = p, .setting = nlohmann::json::object(), .records = {{.sample_rate = 1e6}}};
      for (int q = 0; q < quantities; ++q) {
        std::vector<double> v(samples, 1.0);
        v[0] = p == 0 ? 7 : 1;
        v[samples / 3] = 5;
        v[samples / 2] = -3;
        study::Channel channel{.role = "v" + std::to_string(q), .unit = "V"};
        channel.numbers = v;
        point.records.front().channels.push_back(std::move(channel));
      }
      points.push_back(std::move(point));
    }
    auto out = study::find_kind("waveform")->reduce(points, {});
    if (!out) FAIL(out.error().message);
    return *out;
  };
  // What is read within a frame: two hundred thousand samples of all passes and quantities.
  CHECK(take_of(200'000, 1, 1)->quick());
  CHECK_FALSE(take_of(200'001, 1, 1)->quick());
  CHECK(take_of(50'000, 2, 2)->quick());
  CHECK_FALSE(take_of(50'001, 2, 2)->quick());
  CHECK(take_of(50'000, 2, 2)->bytes() >= 4 * 50'000 * sizeof(double));
  CHECK(take_of(50'000, 2, 2)->bytes() < 5 * 50'000 * sizeof(double));
  for (const std::size_t n : {std::size_t(256), std::size_t(257), std::size_t(10'000)}) {
    INFO(n);
    const auto small = take_of(n, 2, 1)->small();
    REQUIRE(small.columns.size() == 2);
    const auto& c = small.columns.front();
    CHECK(small.x_name == "time");
    CHECK(small.x_unit == "s");
    CHECK(c.x.size() == c.y.size());
    // All samples, or the extremes of so many columns; in order, and within the record.
    if (n == 256) CHECK(c.y.size() == 256);
    if (n > 256) CHECK(c.y.size() <= 258);
    CHECK(c.y.size() > 120);
    CHECK(std::is_sorted(c.x.begin(), c.x.end()));
    CHECK(c.x.front() >= 0);
    CHECK(c.x.back() <= double(n) * 1e-6);
    const auto at = [&](auto it) { return c.x[std::size_t(it - c.y.begin())]; };
    const auto top = std::max_element(c.y.begin(), c.y.end()), low = std::min_element(c.y.begin(), c.y.end());
    // The spike in the first sample too.
    CHECK(*top == 7);
    CHECK(*low == -3);
    const double column = 2 * double(n) * 1e-6 / double(c.y.size());
    CHECK(at(top) < column);
    CHECK(at(std::max_element(c.y.begin() + 4, c.y.end())) == Approx(double(n / 3) * 1e-6).margin(column));
    CHECK(at(low) == Approx(double(n / 2) * 1e-6).margin(column));
  }
  const auto curve = [&](std::size_t n) { return take_of(n, 1, 1)->read({}, {})->curve->columns.front(); };
  CHECK(curve(16'384).y.size() == 16'384);
  CHECK(curve(16'384).x[100] == Approx(100e-6));
  for (const std::size_t n : {20'000, 40'000}) {
    const auto longer = curve(n);
    CHECK(longer.y.size() <= 16'390);
    CHECK(*std::max_element(longer.y.begin() + 4, longer.y.end()) == 5);
  }
}

TEST_CASE("what all passes would be averaged of must be alike", "[waveform][hard]") {
  const auto point = [](int index, const char* name, double rate, std::size_t samples) {
    study::Point out{.index = index, .setting = nlohmann::json::object(), .records = {{.sample_rate = rate}}};
    study::Channel channel{.role = name, .unit = "V"};
    channel.numbers.resize(samples);
    for (std::size_t k = 0; k < samples; ++k) channel.numbers[k] = k < samples / 2 ? 0 : index + 1;
    out.records.front().channels.push_back(std::move(channel));
    return out;
  };
  const auto read_of = [&](const std::vector<study::Point>& points) { return study::find_kind("waveform")->analyse(points, {{"average", "on"}}, {}); };
  const auto both = read_of({point(0, "v", 1e6, 1000), point(1, "v", 1e6, 1000)});
  REQUIRE(both);
  // Half way between 1 and 2.
  CHECK(both->reading.find("level.high")->value == Approx(1.5));
  const auto other = read_of({point(0, "v", 1e6, 1000), point(1, "w", 1e6, 1000)});
  REQUIRE_FALSE(other);
  CHECK(other.error().message.find("Pass 2 has other quantities") == 0);
  CHECK_FALSE(read_of({point(0, "v", 1e6, 1000), point(1, "v", 1.001e6, 1000)}));
  CHECK(read_of({point(0, "v", 1e6, 1000)})->reading.find("level.high")->value == Approx(1));
  // All samples of one pass together: so many are averaged, one more is not.
  const auto most = std::size_t(1) << 23;
  const auto too_long = read_of({point(0, "v", 1e6, most + 2), point(1, "v", 1e6, most + 2)});
  REQUIRE_FALSE(too_long);
  CHECK(too_long.error().message.find("8388608 are the most") != std::string::npos);
}

TEST_CASE("passes that are not averaged give the mean of their figures, and each doubt once", "[waveform][hard]") {
  const auto point = [](int index, double high, bool clipped) {
    study::Point out{.index = index, .setting = nlohmann::json::object(), .records = {{.sample_rate = 1e6}}};
    study::Channel channel{.role = "v", .unit = "V", .scale = 1e-3, .range = clipped ? high : 1000.0, .lowest_count = -32768, .highest_count = int(std::lround(clipped ? high * 1e3 : 32767))};
    for (int k = 0; k < 1000; ++k) channel.counts.push_back(std::int16_t(std::lround(k < 500 ? 0 : high * 1e3)));
    out.records.front().channels.push_back(std::move(channel));
    return out;
  };
  const auto told = study::find_kind("waveform")->analyse({point(0, 1, true), point(1, 2, false), point(2, 3, true)}, {}, {});
  REQUIRE(told);
  CHECK(told->reading.find("level.high")->value == Approx(2));
  const auto two = study::find_kind("waveform")->analyse({point(0, 1, true), point(1, 2, true)}, {}, {});
  REQUIRE(two);
  CHECK(two->reading.find("level.high")->value == Approx(1.5));
  const auto many = [](const study::Analysis& of, const char* key) {
    return std::count_if(of.reading.doubts.begin(), of.reading.doubts.end(), [&](const auto& d) { return d.key == key; });
  };
  // The first and the last are clipped, the one between hardly uses its range.
  CHECK(many(*told, "input.clipped") == 1);
  CHECK(many(*told, "range.underused") == 1);
}

TEST_CASE("a figure that one pass alone has is known as well as it is there", "[waveform][hard]") {
  const study::TraceErrors errors{.u_gain = 0.01, .u_offset = 2e-3, .u_delay = 1e-7};
  const auto edge = read(record({{"v", "V", ringing, errors}}, 1200, -200e-6, 1e-6));
  const auto still = read(record({{"v", "V", [](double) { return 0.2; }, errors}}, 1200, -200e-6, 1e-6));
  const auto both = waveform::mean_of({still, edge});
  for (const char* key : {"rise_time", "overshoot", "settling_time"}) {
    INFO(key);
    REQUIRE_FALSE(still.reading.find(key));
    REQUIRE((both.find(key) && edge.reading.find(key)));
    CHECK(both.find(key)->value == Approx(edge.reading.find(key)->value));
    CHECK(both.find(key)->u.value_or(0) == Approx(edge.reading.find(key)->u.value_or(0)).epsilon(1e-6));
  }
  // What gain and offset do to one they do to the mean of all.
  const auto four = waveform::mean_of({edge, edge, edge, edge});
  for (const char* key : {"max", "mean", "rms"}) {
    INFO(key);
    REQUIRE((four.find(key) && four.find(key)->u));
    CHECK(*four.find(key)->u == Approx(edge.shared.at(key)).epsilon(1e-3));
  }
}

TEST_CASE("what settles three samples before the end of the record has settled", "[waveform][hard]") {
  // It leaves the band for the last time between the fourth and the third sample from the end.
  const auto settles = [](double ahead) {
    auto told = read(record({{"v", "V", [=](double t) { return t < 0 ? 0 : t > 480e-6 && t < (499 - ahead) * 1e-6 ? 1.1 : 1.0; }}}, 1000, -500e-6, 1e-6));
    return told.reading.find("settling_time") != nullptr;
  };
  CHECK(settles(10.5));
  CHECK(settles(2.5));
  CHECK_FALSE(settles(0.5));
}

TEST_CASE("a decay that ripples is one as far as it decays within the record", "[waveform][hard]") {
  // Half a time constant of it: it falls by 39 %.
  const auto tau = [](double ripple) {
    const auto told = read(record({{"v", "V", [=](double t) { return std::exp(-t / 2e-3) + ripple * std::sqrt(2) * std::sin(2 * pi * t / 40e-6); }}}, 1000, 0, 1e-6));
    return told.reading.find("time_constant") != nullptr;
  };
  CHECK(tau(0.01));
  // A twentieth of what it falls by.
  CHECK(tau(0.0187));
  CHECK_FALSE(tau(0.0207));
}

TEST_CASE("what is beyond the band at the very end has not settled", "[waveform][hard]") {
  for (const double sign : {1.0, -1.0})
    for (const bool rising : {true, false}) {
      const auto settles = [&](double last) {
        auto made = record({{"v", "V", [=](double t) { return (rising ? 1 : -1) * (t < 0 ? 0 : t < 5e-6 ? t / 5e-6 : t > 498.5e-6 ? 1 + sign * last : 1); }}}, 1000, -500e-6, 1e-6);
        return read(made).reading.find("settling_time") != nullptr;
      };
      CHECK(settles(0.01));
      CHECK_FALSE(settles(0.2));
    }
}

TEST_CASE("a level beside the record's first samples is known as well as any", "[waveform][hard]") {
  const auto u = [](const char* key) {
    const auto told = read(record({{"v", "V", [](double t) { return 1e9 * t * t; }}}, 100, 0, 1e-6), {key});
    REQUIRE(told.reading.find(key));
    return told.reading.find(key)->u.value_or(0);
  };
  // Bent alike everywhere: half way between samples the line lies beside it by a quarter of the step squared.
  CHECK(u("level.at(1.5us)") == Approx(u("level.at(50.5us)")).epsilon(1e-6));
  CHECK(u("level.at(0.5us)") < u("level.at(50.5us)"));
  CHECK(u("level.at(97.5us)") == Approx(u("level.at(50.5us)")).epsilon(1e-6));
  CHECK(u("level.at(98.5us)") < u("level.at(50.5us)"));
}

TEST_CASE("a slow drive has a frequency below one hertz", "[waveform][hard][words]") {
  waveform::Plan plan{.drive_pin = "in", .hookup = {}};
  plan.length = 10;
  plan.rate = 1e3;
  const auto slow = waveform::apply(plan, "period", "0.5 Hz", {});
  REQUIRE(slow);
  CHECK(slow->period == Approx(2));
}

}  // namespace hard_records
