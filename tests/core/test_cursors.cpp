#include <catch2/catch.hpp>
#include <algorithm>
#include <cmath>
#include <functional>
#include <numbers>
#include <numeric>
#include <random>

#include "study/repeated.h"
#include "study/trajectory.h"
#include "study/waveform/cursors.h"
#include "study/waveform/shape.h"

using namespace heron;
using study::waveform::at_states;
using study::waveform::of_start;
using study::waveform::read_between;

namespace cursors_test {
namespace {

study::Waveforms record_of(const std::function<double(double)>& shape, std::size_t samples, double step, double noise = 0) {
  std::mt19937 random(41);
  std::normal_distribution<double> scatter(0, noise > 0 ? noise : 1);
  std::vector<double> values(samples);
  for (std::size_t k = 0; k < samples; ++k) values[k] = shape(step * double(k)) + (noise > 0 ? scatter(random) : 0);
  study::Waveforms out;
  out.traces = {study::trace_of("v", "V", study::TimeBase(0, step), std::move(values))};
  out.errors.resize(1);
  return out;
}

}  // namespace

TEST_CASE("cursors go where a ramp between two states passes per cents, in the order of time", "[waveform][cursors]") {
  // From 1 V to 5 V within 200 us that begin at 1 ms: a hundredth of the way is 2 us.
  const auto rising = record_of([](double t) { return 1 + 4 * std::clamp((t - 1e-3) / 200e-6, 0.0, 1.0); }, 4000, 0.7e-6, 2e-3);
  for (const auto& [near, far] : {std::pair{10.0, 90.0}, {20.0, 80.0}, {5.0, 95.0}}) {
    const auto found = at_states(rising, 0, 0, 1, near, far);
    REQUIRE(found);
    REQUIRE(*found);
    CHECK((*found)->a == Approx(1e-3 + 2e-6 * near).margin(1e-6));
    CHECK((*found)->b == Approx(1e-3 + 2e-6 * far).margin(1e-6));
  }
  const auto falling = record_of([](double t) { return 5 - 4 * std::clamp((t - 1e-3) / 200e-6, 0.0, 1.0); }, 4000, 0.7e-6, 2e-3);
  const auto found = at_states(falling, 0, 0, 1, 10, 90);
  REQUIRE((found && *found));
  CHECK((*found)->a == Approx(1.02e-3).margin(1e-6));
  CHECK((*found)->b == Approx(1.18e-3).margin(1e-6));
  // What is never reached has no place, at either end.
  for (const auto& [near, far] : {std::pair{-40.0, 90.0}, {10.0, 140.0}}) {
    const auto none = at_states(rising, 0, 0, 1, near, far);
    REQUIRE(none);
    CHECK_FALSE(*none);
  }
  // The part in view alone counts: before the edge there is none.
  const auto before = at_states(rising, 0, 0, 0.9e-3, 10, 90);
  REQUIRE(before);
  CHECK_FALSE(*before);
}

TEST_CASE("per cents of states are read to a fraction of a sample", "[waveform][cursors]") {
  // Rests at 1 V and 5 V, 1 ms of straight line between; nothing but rounding is in the way.
  const auto rising = record_of([](double t) { return 1 + 4 * std::clamp((t - 2e-3) / 1e-3, 0.0, 1.0); }, 5000, 1e-6);
  for (const double share : {1.0, 10.0, 30.0, 49.0}) {
    const auto found = at_states(rising, 0, 0, 1, share, 100 - share);
    REQUIRE((found && *found));
    CHECK((*found)->a == Approx(2e-3 + 1e-5 * share).margin(1.2e-6));
    CHECK((*found)->b == Approx(3e-3 - 1e-5 * share).margin(1.2e-6));
  }
}

TEST_CASE("a start is the middle one of the first fiftieth, of five samples at least", "[waveform][cursors]") {
  // Three of the first five lie at 10, the sixth and all others far below.
  const auto passes = [](const std::vector<double>& first, std::size_t n, double share) {
    study::Waveforms all;
    std::vector<double> v(n, 0.0);
    for (std::size_t k = 0; k < n; ++k) v[k] = k < first.size() ? first[k] : 4.0 * double(n - k) / double(n);
    all.traces = {study::trace_of("v", "V", study::TimeBase(0, 1), v)};
    all.errors.resize(1);
    const auto found = of_start(all, 0, 0, 1e9, share, share / 2);
    REQUIRE(found);
    return *found ? (*found)->a : -1;
  };
  // Of 10, 10, 10, 1, 1 the middle is 10, of the first six with another 1 it would be too; of 1, 1, 10, 10, 1 it is 1.
  CHECK(passes({10, 10, 10, 1, 1, 1}, 40, 50) > 2);
  CHECK(passes({10, 10, 10, 1, 1, 1}, 40, 50) < 3);
  CHECK(passes({10, 1, 10, 1, 1, 10}, 40, 200) == Approx(0).margin(2));
  // Of a thousand samples it is twenty.
  // A start of one is a start, one of nothing is none.
  CHECK(passes({1, 1, 1, 1, 1, 1}, 40, 50) > 0);
  CHECK(passes({0, 0, 0, 0, 0, 0}, 40, 50) == -1);
  std::vector<double> twenty(20, 1.0);
  for (std::size_t k = 0; k < 11; ++k) twenty[k] = 8;
  CHECK(passes(twenty, 1000, 50) == Approx(10.5).margin(0.6));
}

TEST_CASE("a decay that never settles is read by what it started from, of either sign", "[waveform][cursors]") {
  for (const double sign : {1.0, -1.0}) {
    const auto decay = record_of([&](double t) { return sign * 4.4 * std::exp(-std::max(0.0, t - 10e-3) / 60e-3); }, 6000, 20e-6);
    const auto found = of_start(decay, 0, 0, 1, 90, 90 / std::numbers::e);
    REQUIRE((found && *found));
    CHECK((*found)->b - (*found)->a == Approx(60e-3).epsilon(1e-4));
    CHECK((*found)->a == Approx(10e-3 - 60e-3 * std::log(0.9)).epsilon(1e-4));
    const auto never = of_start(decay, 0, 0, 1, 90, 5);
    REQUIRE(never);
    CHECK_FALSE(*never);
  }
}

TEST_CASE("between two cursors stand mean, rms, integral and slope", "[waveform][cursors]") {
  const auto line = record_of([](double t) { return 3 * t; }, 1001, 1e-3);
  const auto read = read_between(*line.traces[0], 0.25, 0.75);
  REQUIRE((read && *read));
  CHECK((*read)->slope == Approx(3));
  CHECK((*read)->mean == Approx(1.5));
  CHECK((*read)->integral == Approx(0.75));
  CHECK((*read)->rms == Approx(std::sqrt(9 * (std::pow(0.75, 3) - std::pow(0.25, 3)) / 3 / 0.5)).epsilon(1e-5));
  const auto back = read_between(*line.traces[0], 0.75, 0.25);
  REQUIRE((back && *back));
  CHECK((*back)->seconds == Approx(-0.5));
  CHECK((*back)->slope == Approx(3));
  CHECK((*back)->integral == Approx(0.75));
  for (const double nowhere : {-1.0, 2.0, std::nan("")}) {
    const auto outside = read_between(*line.traces[0], 0.25, nowhere);
    REQUIRE(outside);
    CHECK_FALSE(*outside);
  }
}

TEST_CASE("an empty or short part gives no cursors", "[waveform][cursors]") {
  const auto few = record_of([](double t) { return t; }, 3, 1);
  for (const double to : {-1.0, 0.0, 2.0, 1e300}) {
    const auto states = at_states(few, 0, 0, to, 10, 90), start = of_start(few, 0, 0, to, 90, 10);
    REQUIRE((states && start));
    CHECK_FALSE(*states);
    CHECK_FALSE(*start);
  }
}

TEST_CASE("a path of two quantities keeps every excursion, in the order of time", "[trajectory]") {
  constexpr std::size_t kSamples = 300'000;
  std::vector<double> x(kSamples), y(kSamples);
  for (std::size_t k = 0; k < kSamples; ++k) {
    x[k] = std::cos(2 * std::numbers::pi * double(k) / 30'000);
    y[k] = std::sin(2 * std::numbers::pi * double(k) / 30'000);
  }
  x[123'457] = 7;
  y[200'001] = -9;
  const auto a = study::trace_of("x", "V", study::TimeBase(0, 1e-6), x), b = study::trace_of("y", "A", study::TimeBase(0, 1e-6), y);
  const auto path = study::trajectory_of(*a, *b, 0, 1, 4000);
  REQUIRE(path);
  CHECK(path->thinned);
  CHECK(path->time.size() <= 4000 + 4);
  CHECK(std::is_sorted(path->time.begin(), path->time.end()));
  CHECK(*std::max_element(path->x.begin(), path->x.end()) == 7);
  CHECK(*std::min_element(path->y.begin(), path->y.end()) == -9);
  // What is kept are samples, both of one time.
  for (std::size_t k = 0; k < path->time.size(); k += 37) {
    const auto at = std::size_t(std::lround(path->time[k] / 1e-6));
    CHECK(path->x[k] == x[at]);
    CHECK(path->y[k] == Approx(y[at]).margin(1e-9));
  }
  const auto part = study::trajectory_of(*a, *b, 0.1, 0.101, 4000);
  REQUIRE(part);
  CHECK_FALSE(part->thinned);
  CHECK(std::abs(int(part->time.size()) - 1001) <= 1);
  const auto shorter = study::trace_of("z", "V", study::TimeBase(0, 1e-6), std::vector<double>(10, 0.0));
  CHECK_FALSE(study::trajectory_of(*a, *shorter, 0, 1, 4000));
  const auto outside = study::trajectory_of(*a, *b, 5, 6, 4000);
  REQUIRE(outside);
  CHECK(outside->time.empty());
}

TEST_CASE("a path takes both quantities at one time, whatever their chains lag", "[trajectory]") {
  const auto at = [](double shift) {
    std::vector<double> out(5000);
    for (std::size_t k = 0; k < out.size(); ++k) out[k] = std::sin((double(k) * 1e-6 + shift) * 2000);
    return out;
  };
  const auto x = study::trace_of("x", "V", study::TimeBase(0, 1e-6), at(0)),
             late = study::trace_of("y", "V", study::TimeBase(3.4e-6, 1e-6), at(3.4e-6));
  const auto path = study::trajectory_of(*x, *late, 1e-5, 4.9e-3, 100'000);
  REQUIRE(path);
  REQUIRE(path->x.size() > 4000);
  for (std::size_t k = 0; k < path->x.size(); ++k) REQUIRE(path->y[k] == Approx(path->x[k]).margin(1e-6));
}

TEST_CASE("repetitions give mean, sample deviation and extremes with their passes", "[repeated]") {
  const auto of = [](double rise, std::optional<double> fall) {
    study::Reading out;
    out.figures.push_back({.key = "rise", .label = "Rise time", .value = rise, .unit = "s", .u = {}});
    if (fall) out.figures.push_back({.key = "fall", .label = "Fall time", .value = *fall, .unit = "s", .u = {}});
    return out;
  };
  const auto all = study::repeated({of(2, 5), of(4, {}), of(4, std::nan("")), of(6, 7)}, {0, 1, 2, 5});
  REQUIRE(all.size() == 2);
  CHECK(all[0].mean == Approx(4));
  CHECK(*all[0].sigma == Approx(std::sqrt(8 / 3.0)));
  CHECK(all[0].passes[all[0].lowest] == 0);
  CHECK(all[0].passes[all[0].highest] == 5);
  CHECK(all[1].values == std::vector<double>{5, 7});
  CHECK(all[1].passes == std::vector<int>{0, 5});
  const auto one = study::repeated({of(3, {})}, {0});
  CHECK_FALSE(one[0].sigma);
  CHECK(study::repeated({}, {}).empty());
}

TEST_CASE("a histogram counts every value once", "[repeated]") {
  std::mt19937 random(7);
  std::normal_distribution<double> normal(5, 0.3);
  for (const int many : {1, 2, 9, 400, 100'000}) {
    std::vector<double> values(static_cast<std::size_t>(many));
    for (auto& v : values) v = normal(random);
    const auto bins = study::histogram(values);
    CHECK(std::accumulate(bins.counts.begin(), bins.counts.end(), 0) == many);
    CHECK(bins.counts.size() <= 30);
    if (many > 1) CHECK(bins.low + bins.width * double(bins.counts.size()) == Approx(*std::max_element(values.begin(), values.end())));
  }
  CHECK(study::histogram({2, 2, 2}).counts == std::vector<int>{3});
  CHECK(study::histogram({2, 2, 2}).width == 0);
}

TEST_CASE("pulses of one shape are one when scaled to their peaks, and a changed shape says by how much", "[waveform][shape]") {
  const auto pulse = [](double peak, double begins, double extra) {
    return [=](double t) {
      const double s = t - begins, x = s < 0 ? 0 : (std::exp(-s / 50e-6) - std::exp(-s / 2e-6)) / 0.8447;
      // A bump of a Gaussian well after the peak.
      return peak * (x + extra * std::exp(-0.5 * std::pow((s - 80e-6) / 10e-6, 2)));
    };
  };
  const auto scaled = [](const study::Waveforms& of) {
    const auto one = study::waveform::scaled_to_peak(of.traces[0], of.errors[0]);
    REQUIRE((one && *one));
    return **one;
  };
  const auto first = record_of(pulse(40, 20e-6, 0), 4000, 0.1e-6, 0.02), twice = record_of(pulse(-81, 43.7e-6, 0), 4000, 0.1e-6, 0.04),
             bent = record_of(pulse(40, 20e-6, 0.07), 4000, 0.1e-6, 0.02);
  const auto a = scaled(first), b = scaled(twice), c = scaled(bent);
  CHECK(a->unit == "%");
  // Time 0 is where half of the peak is passed, and the peak is a hundred.
  CHECK(**study::value_at(*a, 0) == Approx(50).margin(3));
  CHECK(a->envelope(0, a->size(), 1)->front().high == Approx(100).margin(0.5));
  const auto same = study::waveform::shape_difference(*a, *b), other = study::waveform::shape_difference(*a, *c);
  REQUIRE((same && *same && other && *other));
  CHECK(**same < 1);
  CHECK(**other == Approx(7).margin(0.6));
  // A peak of one is a peak, and so is one in the first sample.
  CHECK(*study::waveform::scaled_to_peak(record_of(pulse(1, 20e-6, 0), 4000, 0.1e-6, 5e-4).traces[0], {}));
  const auto exact = record_of([](double t) { return std::abs(t - 50) < 6 ? 1.0 : std::max(0.0, 0.98 - std::abs(t - 50) / 60); }, 101, 1);
  CHECK(*study::waveform::scaled_to_peak(exact.traces[0], {}));
  const auto falls = record_of([](double t) { return std::exp(-t / 30); }, 200, 1);
  const auto at_once = study::waveform::scaled_to_peak(falls.traces[0], {});
  REQUIRE((at_once && *at_once));
  CHECK((**at_once)->time.start() == Approx(0).margin(1e-9));
  // Of noise alone, of nothing, of too little there is no shape.
  const auto noise = record_of([](double) { return 0.0; }, 4000, 1e-6, 1e-3), nothing = record_of([](double) { return 0.0; }, 400, 1e-6),
             few = record_of([](double t) { return t; }, 3, 1);
  for (const auto* none : {&noise, &nothing, &few}) {
    const auto one = study::waveform::scaled_to_peak(none->traces[0], none->errors[0]);
    REQUIRE(one);
    CHECK_FALSE(*one);
  }
}

TEST_CASE("shapes are held against each other over the time that both have, each part by its mean", "[waveform][shape]") {
  const auto line = [](std::size_t n, double start, double step, const std::function<double(double)>& f) {
    std::vector<double> v(n);
    for (std::size_t k = 0; k < n; ++k) v[k] = f(start + step * double(k));
    return study::trace_of("v", "%", study::TimeBase(start, step), v);
  };
  const auto apart = [](const study::TracePtr& a, const study::TracePtr& b) {
    const auto found = study::waveform::shape_difference(*a, *b);
    REQUIRE(found);
    return *found;
  };
  const auto flat = line(1000, 0, 1, [](double) { return 50.0; });
  // Apart by 7 over a tenth of the time, whichever sign; what differs outside the common time is not looked at.
  const auto step = line(1000, 0, 1, [](double t) { return t >= 400 && t < 500 ? 57.0 : 50.0; });
  CHECK(*apart(flat, step) == Approx(7));
  CHECK(*apart(step, flat) == Approx(7));
  const auto early = line(1000, -600, 1, [](double t) { return t < 0 ? 90.0 : t > 350 ? 53.0 : 50.0; });
  CHECK(*apart(flat, early) == Approx(3));
  CHECK(*apart(early, flat) == Approx(3));
  // A single sample of a thousand is a fifth of its part.
  const auto spike = line(1000, 0, 1, [](double t) { return t == 502 ? 60.0 : 50.0; });
  CHECK(*apart(flat, spike) == Approx(2));
  CHECK(*apart(flat, line(300, 0.25, 3.1, [](double t) { return t < 900 ? 51.0 : 51.5; })) == Approx(1.5).margin(0.11));
  // Few samples are each a part, and two are enough.
  const auto few = line(100, 0, 1, [](double t) { return t == 40 ? 60.0 : 50.0; });
  CHECK(*apart(few, flat) == Approx(10));
  CHECK(*apart(flat, few) == Approx(10));
  const auto two = line(2, 3, 4, [](double t) { return t > 5 ? 54.0 : 50.0; });
  CHECK(*apart(two, flat) == Approx(4));
  CHECK(*apart(flat, two) == Approx(4));
  for (const std::size_t n : {0, 1}) {
    CHECK_FALSE(apart(flat, line(n, 5, 1, [](double) { return 0.0; })));
    CHECK_FALSE(apart(line(n, 5, 1, [](double) { return 0.0; }), flat));
  }
  // Too little in common is no comparison.
  CHECK_FALSE(apart(flat, line(1000, 999, 1, [](double) { return 0.0; })));
  CHECK_FALSE(apart(flat, line(1000, 2000, 1, [](double) { return 0.0; })));
  CHECK_FALSE(apart(flat, line(1, 5, 1, [](double) { return 0.0; })));
  CHECK_FALSE(apart(line(1, 5, 1, [](double) { return 0.0; }), flat));
  CHECK(apart(flat, line(1000, 998, 1, [](double) { return 51.0; })));
  // Uneven samples keep their times.
  std::vector<double> times, bump;
  for (int k = 0; k < 200; ++k) {
    times.push_back(k + (k % 2 == 0 ? 0.0 : 0.25));
    bump.push_back(8 * std::exp(-0.5 * std::pow((times.back() - 100) / 15, 2)));
  }
  const auto uneven = study::trace_of("v", "V", study::TimeBase(std::make_shared<const std::vector<double>>(times)), bump);
  const auto scaled = study::waveform::scaled_to_peak(uneven, {});
  REQUIRE((scaled && *scaled));
  CHECK((**scaled)->time.at(51) - (**scaled)->time.at(50) == Approx(1.25));
  CHECK((**scaled)->time.at(52) - (**scaled)->time.at(51) == Approx(0.75));
  // Half of a Gaussian is passed 1.177 of its widths before its top.
  CHECK((**scaled)->time.at(100) == Approx(15 * std::sqrt(2 * std::log(2))).margin(0.02));
}

}  // namespace cursors_test
