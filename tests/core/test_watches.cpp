#include <cmath>

#include <set>

#include "noting_bench.h"
#include "run/latch.h"
#include "study/power/reduced.h"
#include "study/power/runner.h"
#include "study/quantities.h"
#include "study/watch_duty.h"
#include "waveform_support.h"

using namespace heron;

/// Watches: what is typed, what trips, and what is done about it while something is read.
namespace watches {
namespace {

using study::OnTrip;
using study::TimeBase;
using study::Watch;
using study::Watcher;

Watch watch(std::string_view text) {
  auto out = study::parse_watch("rail", text);
  if (!out) FAIL(out.error().message);
  return *out;
}

std::string refused(std::string_view text) {
  const auto out = study::parse_watch("rail", text);
  return out ? std::string() : out.error().message;
}

/// A bench whose rail dips from 5 V to 4.3 V for 30 ms at two seconds, and for 3 ms at three.
constexpr const char* kRail =
    "[pins]\n\"rail\" = \"rail\"\n[ratings]\n\"rail\" = { voltage = \"9 V\" }\n[part.B]\nkind = \"voltage source\"\nbetween = [\"c\", \"ground\"]\nvalue = \"0 V\"\n"
    "points = [[\"0 s\", \"5 V\"], [\"2 s\", \"5 V\"], [\"2.001 s\", \"4.3 V\"], [\"2.03 s\", \"4.3 V\"], [\"2.031 s\", \"5 V\"], [\"3 s\", \"5 V\"], [\"3.001 s\", \"4.2 V\"], [\"3.003 s\", \"4.2 V\"], [\"3.004 s\", \"5 V\"], [\"9 s\", \"5 V\"]]\n"
    "[part.R]\nkind = \"resistor\"\nbetween = [\"c\", \"rail\"]\nvalue = \"10 ohm\"\n[part.RL]\nkind = \"resistor\"\nbetween = [\"rail\", \"ground\"]\nvalue = \"10 kohm\"\n";

struct Recorded {
  Result<void> ended;
  std::vector<study::Point> kept;
  study::power::Trend trend;
  std::size_t raw = 0;

  const study::power::LogEntry* entry(std::string_view part) const {
    for (const auto& e : trend.log)
      if (e.text.find(part) != std::string::npos) return &e;
    return nullptr;
  }
};

struct Recording {
  study::SettingsText settings = {};
  double length = 6;
  std::function<void(bench::Capture&)> on_stretch = {};
  std::function<Clocks()> clocks = read_clocks;
  std::function<Result<void>(const study::Point&)> keep = {};
  std::function<void(const Watch&)> tripped = {};
  std::stop_source stop = {};
  std::function<void(const study::Progress&)> progress = {};

  Recorded run() {
    study::power::Plan plan{.method = study::power::Method::recording, .settle_time = 0};
    auto sensor = *bench::find_stock_sensor("Direct lead");
    plan.hookup = {.chains = {{.name = "v", .input = {.pin = "rail", .range = 10, .sensor = sensor}, .zero = {}}}, .computed = {}};
    plan.rate = 1e3;
    plan.reading = 0.5;
    plan.length = length;
    test::NotingBench bench(waveform_bench::circuit(kRail), 7);
    bench.on_stretch = on_stretch;
    study::Surroundings around;
    around.settings = settings;
    Recorded out;
    out.ended = study::power::run(plan, bench, {.around = around,
                                                .keep = [&](const study::Point& p) -> Result<void> {
                                                  if (keep)
                                                    if (auto ok = keep(p); !ok) return ok;
                                                  out.kept.push_back(p);
                                                  return {};
                                                },
                                                .progress = progress,
                                                .tripped = tripped,
                                                .stop = stop.get_token(),
                                                .clocks = clocks});
    auto reducer = study::power::reducer(settings);
    REQUIRE(reducer);
    for (const auto& p : out.kept) REQUIRE((*reducer)->add(p));
    if (const auto reduced = (*reducer)->so_far()) {
      const auto& power = dynamic_cast<const study::power::ReducedPower&>(**reduced);
      out.trend = power.trend();
      out.raw = power.records().size();
    }
    return out;
  }
};

}  // namespace

TEST_CASE("a watch is typed as it is said, and comes back as it was typed", "[watch]") {
  const auto w = watch("vout under 4.6 V for 10 us hysteresis 40 mV ends sweep");
  CHECK(w.name == "rail");
  CHECK(w.quantity == "vout");
  CHECK_FALSE(w.over);
  CHECK(w.limit == 4.6);
  CHECK(w.unit == "V");
  CHECK(w.glitch == Approx(10e-6));
  CHECK(*w.hysteresis == Approx(0.04));
  CHECK(w.on_trip == OnTrip::ends_sweep);
  const auto least = watch("over 2A");
  CHECK(least.quantity.empty());
  CHECK(least.over);
  CHECK(least.limit == 2);
  CHECK(least.glitch == 0);
  CHECK_FALSE(least.hysteresis);
  CHECK_FALSE(least.on_trip);
  CHECK(least.band() == Approx(0.02));
  CHECK(w.band() == Approx(0.04));
  CHECK(watch("over 1 V ends point").on_trip == OnTrip::ends_point);
  CHECK_FALSE(w.latches);
  CHECK(watch("over 1 V latches").latches);
  CHECK(watch("over 1 V for 2 s latches ends point").latches);
  CHECK(watch("over 1 V for 2 s latches ends point").on_trip == OnTrip::ends_point);
  for (const char* text : {"vout under 4.6 V for 10 us hysteresis 40 mV ends sweep", "over 2 A", "i over 20 mA ends point", "under -3 V for 2 ms", "v under 3 V hysteresis 0 V ends sweep latches"}) {
    CAPTURE(text);
    CHECK(watch(study::watch_text(watch(text))) == watch(text));
  }
}

TEST_CASE("what is no watch is refused with what is wrong and an example", "[watch][bad]") {
  using Catch::Matchers::Contains;
  for (const auto& [text, why] : {std::pair{"4.6 V", "over or under nothing"}, {"", "over or under nothing"}, {"the rail under 4 V", "over or under nothing"}, {"under", "watch.rail"}, {"under x", "watch.rail"},
                                  {"under 4 V for 2 V", "no time"}, {"under 4 V for -1 s", "no time"}, {"under 4 V hysteresis 1 A", "no hysteresis in V"}, {"under 4 V hysteresis -1 mV", "no hysteresis in V"},
                                  {"under 4 V for 1 s for 2 s", "said twice"}, {"under 4 V ends point ends sweep", "said twice"}, {"under 4 V ends the world", "the point or the sweep"}}) {
    CAPTURE(text);
    CHECK_THAT(refused(text), Contains(why));
    CHECK_THAT(refused(text), Contains("Write it like: under 4.6 V"));
  }
}

TEST_CASE("an excursion runs from crossing the limit to crossing back through limit and hysteresis", "[watch]") {
  // A ramp down from 5 V by 1 V a sample and up again: crosses 2.5 V half way between samples.
  const std::vector<double> values = {5, 4, 3, 2, 1, 2, 3, 4, 5};
  Watcher watcher(watch("under 2.5 V hysteresis 1 V"), TimeBase(10, 2));
  watcher.add(values);
  const auto all = watcher.counted();
  REQUIRE(all.size() == 1);
  CHECK(all[0].from == Approx(10 + 2 * 2.5));
  CHECK(all[0].to == Approx(10 + 2 * 6.5));
  CHECK(all[0].extreme == 1);
  CHECK(all[0].at == Approx(10 + 2 * 4));
  // The other way round it is the same over.
  std::vector<double> turned;
  for (const double v : values) turned.push_back(-v);
  Watcher other(watch("over -2.5 V hysteresis 1 V"), TimeBase(10, 2));
  other.add(turned);
  REQUIRE(other.counted().size() == 1);
  CHECK(other.counted()[0].from == all[0].from);
  CHECK(other.counted()[0].to == all[0].to);
  CHECK(other.counted()[0].extreme == -1);
}

TEST_CASE("stretch by stretch a watch sees what it sees at once", "[watch]") {
  std::vector<double> values;
  for (int k = 0; k < 400; ++k) values.push_back(std::sin(0.1 * k) + 0.3 * std::sin(1.7 * k));
  const auto w = watch("over 0.8 V for 1.5 s");
  Watcher whole(w, TimeBase(0, 1));
  whole.add(values);
  REQUIRE(whole.counted().size() > 3);
  for (const std::size_t piece : {1u, 3u, 7u, 64u}) {
    Watcher parts(w, TimeBase(0, 1));
    for (std::size_t at = 0; at < values.size(); at += piece) parts.add(std::span<const double>(values).subspan(at, std::min(piece, values.size() - at)));
    const auto a = whole.counted(), b = parts.counted();
    REQUIRE(a.size() == b.size());
    for (std::size_t k = 0; k < a.size(); ++k) {
      CHECK(a[k].from == b[k].from);
      CHECK(a[k].to == b[k].to);
      CHECK(a[k].extreme == b[k].extreme);
      CHECK(a[k].at == b[k].at);
    }
  }
}

TEST_CASE("values that are missing end what is open and make no crossing", "[watch]") {
  Watcher watcher(watch("under 4 V for 1 s"), TimeBase(0, 1));
  watcher.add(std::vector<double>{5, 3, 3, 3});
  CHECK(watcher.open());
  CHECK(watcher.open_counts());
  watcher.skip(100);
  CHECK_FALSE(watcher.open());
  // What is under after the gap began there, for all that is known.
  watcher.add(std::vector<double>{3, 3, 3, 5});
  const auto all = watcher.counted();
  REQUIRE(all.size() == 2);
  CHECK(all[0].from == Approx(0.5));
  CHECK(all[0].to == 3);
  CHECK(all[1].from == 104);
  CHECK(all[1].to == Approx(106.52));
}

TEST_CASE("on duty the watches of several quantities each look at their own", "[watch]") {
  const std::vector<Watch> all = {watch("v under 4 V"), watch("i over 1 A for 3 s ends point"), watch("over 1 V"), watch("v over 9 A"), watch("w over 1 V")};
  study::WatchDuty duty(all, {{"v", "V"}, {"i", "A"}}, TimeBase(0, 1));
  CHECK_FALSE(duty.idle());
  duty.add(0, std::vector<double>{5, 3, 5, 3});
  duty.add(1, std::vector<double>{0, 2, 2, 0});
  // The current was over for two seconds.
  CHECK_FALSE(duty.ends());
  const auto ended = duty.ended();
  REQUIRE(ended.size() == 1);
  CHECK(ended[0].watch == &all[0]);
  CHECK(ended[0].quantity == 0);
  CHECK(duty.ended().empty());
  REQUIRE(duty.still_open().size() == 1);
  CHECK(duty.still_open()[0].open);
  duty.add(1, std::vector<double>{2, 2, 2, 2});
  REQUIRE(duty.ends());
  CHECK(duty.ends()->watch == &all[1]);
  CHECK(duty.ends()->quantity == 1);
  CHECK(duty.ends()->open);
  CHECK(test::spaced(study::trip_text(*duty.ends(), "i", "A")) == "i was 2.000 A");
  // A watch that does not say which is for the only one there is; none at all have nothing to do.
  CHECK(study::WatchDuty({watch("over 1 V")}, {{"v", "V"}, {"i", "A"}}, TimeBase(0, 1)).idle());
  CHECK_FALSE(study::WatchDuty({watch("over 1 V")}, {{"v", "V"}}, TimeBase(0, 1)).idle());
}

TEST_CASE("a recording is ended by a watch that says so, and keeps all that it read", "[watch][recording]") {
  for (const char* what : {"ends sweep", "ends point"}) {
    Recording recording{.settings = {{"watch.rail", std::string("v under 4.6 V for 10 ms ") + what}}};
    const auto out = recording.run();
    REQUIRE_FALSE(out.ended);
    CHECK(out.ended.error().fault == Fault::stopped);
    CHECK_THAT(out.ended.error().message, Catch::Matchers::Contains("The watch rail tripped at 2") && Catch::Matchers::Contains("what was read is kept"));
    // Two seconds in readings of half a second, and what of the next had come.
    REQUIRE(out.trend.time.size() == 5);
    CHECK(out.trend.time[3] == Approx(1.75));
    CHECK(out.trend.time[4] > 2.005);
    CHECK(out.trend.time[4] < 2.25);
    CHECK(out.raw == 1);
    CHECK(out.entry("the recording ended: The watch rail tripped"));
  }
  Recording noted{.settings = {{"watch.rail", "v under 4.6 V for 10 ms"}}};
  const auto whole = noted.run();
  CHECK(whole.ended);
  CHECK(whole.trend.time.size() == 12);
  REQUIRE(whole.entry("v went under"));
  CHECK(whole.entry("v went under")->point);
  CHECK(whole.raw == 1);
  const auto text = test::spaced(whole.entry("v went under")->text);
  CHECK_THAT(text, Catch::Matchers::StartsWith("v went under 4.6 V for "));
  CHECK(text.size() == std::string("v went under 4.6 V for 30.1 ms").size());
  // Each that counts has a record of its own; what was noticed besides has none.
  int looked = 0;
  Recording both{.settings = {{"watch.rail", "v under 4.6 V for 1 ms"}}};
  both.clocks = [&] {
    Clocks now{.of_day = 1e9, .with_sleep = 100, .awake = 50};
    if (++looked > 9) now.with_sleep += 600, now.of_day += 600;
    return now;
  };
  const auto two = both.run();
  CHECK(two.raw == 2);
  std::set<int> points;
  for (const auto& e : two.trend.log)
    if (e.watch.empty()) CHECK_FALSE(e.point);
    else if (e.point) points.insert(*e.point);
  CHECK(points.size() == 2);
  REQUIRE(two.entry("slept"));
  for (const auto& p : two.kept)
    if (!p.setting.json().contains("readings")) {
      CHECK(p.records.front().pass == 0);
      CHECK(p.records.front().channels.front().counts.size() == 500);
    }
  // What is shorter than its time ends nothing.
  Recording short_one{.settings = {{"watch.rail", "v under 4.6 V for 40 ms ends sweep"}}};
  CHECK(short_one.run().ended);
}

TEST_CASE("samples that were lost are told, belong to no reading, and time goes on over them", "[recording]") {
  int stretch = 0;
  Recording recording{.settings = {{"watch.rail", "v under 4.6 V for 10 ms"}}};
  recording.on_stretch = [&](bench::Capture& c) {
    if (++stretch == 5) c.lost = 700;
  };
  const auto out = recording.run();
  REQUIRE(out.ended);
  const auto* gap = out.entry("700 samples were lost");
  REQUIRE(gap);
  CHECK(test::spaced(gap->text) == "700 samples were lost, 700 ms");
  CHECK(gap->extreme == 0);
  CHECK(gap->watch.empty());
  CHECK_FALSE(gap->point);
  CHECK(gap->to - gap->from == Approx(0.7));
  // Four stretches of 256 samples had come: two readings of half a second and a short one of 24 samples.
  CHECK(gap->from == Approx(1.024));
  REQUIRE(out.trend.time.size() > 3);
  CHECK(out.trend.time[2] == Approx(1.012));
  CHECK(out.trend.time[3] == Approx(1.024 + 0.7 + 0.25));
  CHECK(out.trend.time.back() > 6);
  // All the others are there: six seconds of samples, however they fall into readings.
  REQUIRE(out.entry("v went under"));
  CHECK(out.entry("v went under")->from == Approx(2.7).margin(0.01));
}

TEST_CASE("a computer that slept, or whose clock was set, is told in the log", "[recording]") {
  int asked = 0;
  Recording recording;
  recording.clocks = [&] {
    Clocks out{.of_day = 1e9 + asked, .with_sleep = 100.0 + asked, .awake = 50.0 + asked};
    ++asked;
    if (asked > 4) out.with_sleep += 600, out.of_day += 600;
    if (asked > 8) out.of_day -= 3600;
    if (asked > 12) out.of_day += 0.9;
    return out;
  };
  const auto out = recording.run();
  REQUIRE(out.ended);
  CHECK(asked > 14);
  REQUIRE(out.trend.log.size() == 2);
  CHECK_THAT(test::spaced(out.trend.log[0].text), Catch::Matchers::Contains("the computer slept for 10 min"));
  CHECK_THAT(test::spaced(out.trend.log[1].text), Catch::Matchers::Contains("the computer's clock was set back by 1 h"));
  CHECK(out.trend.log[0].from < out.trend.log[1].from);
  // The readings are where the samples put them.
  CHECK(out.trend.time.size() == 12);
  CHECK(out.trend.time.back() == Approx(5.75));
}

TEST_CASE("a disk that fills loses nothing that came before, and what was left is tried once more", "[recording]") {
  for (const bool frees_itself : {false, true}) {
    int calls = 0;
    Recording recording{.settings = {{"watch.rail", "v under 4.6 V for 10 ms"}}};
    recording.keep = [&](const study::Point& p) -> Result<void> {
      ++calls;
      const bool raw = !p.setting.json().contains("readings");
      if (calls == 1 && raw) return fail(Fault::input, "the disk is full");
      return frees_itself || calls == 1 ? Result<void>{} : fail(Fault::input, "the disk is full");
    };
    const auto out = recording.run();
    REQUIRE_FALSE(out.ended);
    CHECK_THAT(out.ended.error().message, Catch::Matchers::Contains("the disk is full"));
    if (!frees_itself) {
      CHECK(out.kept.empty());
      continue;
    }
    // The reading in which it happened is there once, with its raw record and why it ended.
    REQUIRE(out.trend.time.size() == 5);
    CHECK(out.raw == 1);
    CHECK(out.entry("the recording ended: the disk is full"));
  }
}

TEST_CASE("readings are the means, ends and powers of their samples, each by itself", "[recording]") {
  constexpr const char* kTwo =
      "[pins]\n\"a\" = \"a\"\n\"b\" = \"b\"\n[branches]\n\"ia\" = \"RA.a\"\n\"ib\" = \"RB.a\"\n[part.RA]\nkind = \"resistor\"\nbetween = [\"a\", \"ground\"]\nvalue = \"10 ohm\"\n"
      "[part.RB]\nkind = \"resistor\"\nbetween = [\"b\", \"ground\"]\nvalue = \"20 ohm\"\n";
  study::power::Plan plan{.method = study::power::Method::recording, .settle_time = 0};
  const auto chain = [](const char* name, const char* pin, const char* sensor) {
    bench::Chain out{.name = name, .input = {.pin = pin, .range = 1, .sensor = *bench::find_stock_sensor(sensor)}, .zero = {}};
    if (out.input.sensor.senses_current()) out.zero = 0;
    return out;
  };
  plan.hookup = {.chains = {chain("i_x", "ia", "Clamp 40 A"), chain("v_x", "a", "Probe x10"), chain("v_y", "b", "Probe x10"), chain("i_y", "ib", "Clamp 40 A")}, .computed = {}};
  plan.rate = 1e3;
  plan.length = 1.05;
  plan.keep = study::power::Keep::none;
  for (const double reading : {0.1, 1e-3}) {
    CAPTURE(reading);
    plan.reading = reading;
    std::vector<std::vector<double>> rows(4);
    test::NotingBench bench(waveform_bench::circuit(kTwo), 7);
    std::size_t n = 0;
    bench.on_stretch = [&](bench::Capture& c) {
      const auto samples = c.channels.front().counts.size();
      for (std::size_t k = 0; k < 4; ++k) {
        for (std::size_t j = 0; j < samples; ++j) c.channels[k].counts[j] = std::int16_t((k + 1) * 100 + ((n + j) * (k + 3)) % (40 + 7 * k));
        const auto values = study::in_quantity(c.channels[k], bench::sensing_of(plan.hookup.chains[k]));
        rows[k].insert(rows[k].end(), values.begin(), values.end());
      }
      n += samples;
    };
    std::vector<study::Point> kept;
    std::vector<study::Progress> told;
    const study::Surroundings around;
    REQUIRE(study::power::run(plan, bench, {.around = around,
                                            .keep = [&](const study::Point& p) -> Result<void> {
                                              kept.push_back(p);
                                              return {};
                                            },
                                            .progress = [&](const study::Progress& p) { told.push_back(p); }}));
    study::power::Trend trend;
    for (const auto& p : kept) {
      CHECK(p.index == int(&p - kept.data()));
      CHECK(p.records.front().channels.front().size() <= 256);
      REQUIRE(trend.add(p.records.front(), p.setting.json(), p.index));
    }
    const std::size_t each = std::size_t(std::lround(reading * 1e3));
    REQUIRE(rows[0].size() == 1050);
    REQUIRE(trend.time.size() == (1050 + each - 1) / each);
    const char* names[] = {"i_x", "v_x", "v_y", "i_y"};
    for (std::size_t r = 0; r < trend.time.size(); ++r) {
      const auto from = r * each, to = std::min<std::size_t>(from + each, 1050);
      CHECK(trend.time[r] == Approx(double(from + to) / 2 * 1e-3));
      double power = 0;
      for (auto j = from; j < to; ++j) power += rows[1][j] * rows[0][j] / double(to - from);
      for (std::size_t k = 0; k < 4; ++k) {
        double sum = 0, squares = 0;
        for (auto j = from; j < to; ++j) sum += rows[k][j], squares += rows[k][j] * rows[k][j];
        const auto [low, high] = std::minmax_element(rows[k].begin() + std::ptrdiff_t(from), rows[k].begin() + std::ptrdiff_t(to));
        const auto read = [&](study::power::Reads what) { return trend.find(names[k], what)->values.at(r); };
        if (!(read(study::power::Reads::mean) == Approx(sum / double(to - from)))) FAIL_CHECK("mean " << r << names[k]);
        if (!(read(study::power::Reads::rms) == Approx(std::sqrt(squares / double(to - from))))) FAIL_CHECK("rms " << r << names[k]);
        if (read(study::power::Reads::low) != *low || read(study::power::Reads::high) != *high) FAIL_CHECK("ends " << r << names[k]);
      }
      REQUIRE(trend.find("power"));
      // Of the first voltage and the first current.
      if (!(trend.find("power")->values.at(r) == Approx(power))) FAIL_CHECK("power " << r);
    }
    REQUIRE(told.size() > 1);
    for (const auto& p : told) {
      CHECK(p.total == 1);
      CHECK(p.done == 0);
      CHECK(p.share <= 1);
      CHECK(p.bench_seconds_left == Approx(1.05 * (1 - p.share)).margin(1e-9));
    }
    CHECK(told.back().share == Approx(1));
  }
}

TEST_CASE("a clock that is set forward or back by more than a second is told", "[recording]") {
  for (const auto& [by, says] : std::vector<std::pair<double, std::string>>{{3600, "forward by 1 h"}, {-1.5, "back by 1.5 s"}, {0.9, ""}}) {
    int asked = 0;
    Recording recording;
    recording.clocks = [&, by = by] {
      Clocks out{.of_day = 1e9, .with_sleep = 100, .awake = 50};
      if (++asked > 5) out.of_day += by;
      return out;
    };
    const auto out = recording.run();
    REQUIRE(out.ended);
    CHECK(out.trend.log.size() == (says.empty() ? 0u : 1u));
    if (!says.empty()) CHECK_THAT(test::spaced(out.trend.log.front().text), Catch::Matchers::Contains("clock was set " + says));
  }
}

TEST_CASE("a recording that is stopped within a reading keeps what of it had come", "[recording]") {
  Recording recording;
  recording.progress = [&](const study::Progress& p) {
    if (p.share > 0.2) recording.stop.request_stop();
  };
  const auto out = recording.run();
  REQUIRE_FALSE(out.ended);
  CHECK(out.ended.error().fault == Fault::stopped);
  // Five stretches of 256 samples are two readings and 280 samples of the third.
  REQUIRE(out.trend.time.size() == 3);
  CHECK(out.trend.time[2] == Approx(1.14));
}

TEST_CASE("a watch ends a record of a waveform where it trips, or all of them", "[watch][waveform]") {
  auto plan = waveform_bench::opened();
  plan.passes = 3;
  plan.length = 2;
  plan.rate = 20e3;
  for (const auto& [what, kept] : {std::pair{"", 3}, {" ends point", 3}, {" ends sweep", 1}}) {
    CAPTURE(what);
    test::NotingBench bench(waveform_bench::circuit(waveform_bench::kFed), 4);
    study::Surroundings around;
    around.settings = {{"watch.cap", std::string("v under 2 V for 1 ms") + what}};
    std::vector<study::Point> points;
    const auto ended = study::waveform::PlannedCapture(plan).run(bench, {.around = around, .keep = [&](const study::Point& p) -> Result<void> {
                                                                           points.push_back(p);
                                                                           return {};
                                                                         }});
    CHECK(ended.has_value() == (kept == 3));
    if (!ended) CHECK_THAT(ended.error().message, Catch::Matchers::Contains("The watch cap tripped in record 1: v was"));
    REQUIRE(points.size() == std::size_t(kept));
    for (const auto& p : points) {
      const auto size = p.records.front().channels.front().counts.size();
      const bool whole = size == 40'000;
      CHECK(whole == !*what);
      CHECK(p.setting.json().contains("ended_by") == !whole);
    }
  }
}

TEST_CASE("a watch that latches holds after its take until a person releases it", "[watch][latch][dossier]") {
  waveform_bench::Studied studied(waveform_bench::kFed, waveform_bench::opened());
  REQUIRE(studied.store.set_settings(studied.study.id, {{"watch.cap", "v under 3 V for 1 ms latches"}, {"watch.never", "v over 9 V latches"}, {"watch.noted", "v under 3 V"}}));
  studied.study = *studied.store.find_study("S");
  const auto first = studied.take();
  if (!first) FAIL(first.error().message);
  const auto takes = [&] { return *studied.store.takes(studied.study.id); };
  CHECK(takes().front().latched == std::map<std::string, std::string>{{"cap", ""}});
  const auto refused = studied.take();
  REQUIRE_FALSE(refused);
  CHECK_THAT(refused.error().message, Catch::Matchers::Contains("A watch that latches has tripped: cap in take 1") && Catch::Matchers::Contains("watch.latched"));
  CHECK(takes().size() == 1);
  // Of another unit it says nothing; taken upon oneself it goes ahead.
  CHECK(run::held_watches(studied.study.settings, takes(), "another").empty());
  REQUIRE(studied.take({.accepted = {"watch.latched"}}));
  CHECK(run::held_watches(studied.study.settings, takes(), takes().front().unit).size() == 2);
  REQUIRE(studied.store.set_released(*first, "cap", true));
  CHECK(takes().front().latched.at("cap").size() == 20);
  REQUIRE_FALSE(studied.take());
  REQUIRE(studied.store.set_released(takes()[1].id, "cap", true));
  REQUIRE(studied.take());
  // Taken back it holds again, as long as the watch latches.
  REQUIRE(studied.store.set_released(*first, "cap", false));
  CHECK(takes().front().latched.at("cap").empty());
  REQUIRE(studied.store.set_settings(studied.study.id, {{"watch.cap", "v under 3 V for 1 ms"}}));
  studied.study = *studied.store.find_study("S");
  CHECK(studied.take());
  // It is sealed with all else of the take.
  CHECK(studied.store.check_all()->empty());
}

TEST_CASE("a recording and a sweep latch what trips in them, whatever raw records are kept", "[watch][latch]") {
  std::set<std::string> latched;
  Recording recording{.settings = {{"watch.rail", "v under 4.6 V for 10 ms latches"}, {"watch.open", "v over 4 V latches"}, {"watch.never", "v over 9 V latches"}}};
  recording.tripped = [&](const Watch& w) { latched.insert(w.name); };
  REQUIRE(recording.run().ended);
  CHECK(latched == std::set<std::string>{"rail", "open"});
}

}  // namespace watches
