#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "study/power/kind.h"
#include "study/power/reduced.h"
#include "support.h"

using namespace heron;
namespace power = heron::study::power;

/// What a take of power is drawn from: curves with as many points as can be seen, readings of hours, tables for export.
namespace power_curves {
namespace {

using Catch::Matchers::Contains;
using std::numbers::pi;

struct Row {
  std::string name, unit;
  std::vector<double> values;
};

study::Point point_of(const std::vector<Row>& rows, double rate, nlohmann::json setting = nlohmann::json::object(), int index = 0) {
  study::Point point{.index = index, .setting = std::move(setting), .records = {}};
  study::Record record{.sample_rate = rate};
  for (const auto& row : rows) record.channels.push_back({.role = row.name, .unit = row.unit, .numbers = row.values});
  point.records.push_back(std::move(record));
  return point;
}

std::vector<double> counted(std::size_t n, const std::function<double(double)>& of) {
  std::vector<double> out(n);
  for (std::size_t k = 0; k < n; ++k) out[k] = of(double(k));
  return out;
}

/// Readings a second apart from `first` on.
study::Point readings(std::size_t first, std::size_t count, int index = 0, nlohmann::json log = nlohmann::json::array()) {
  const auto from = double(first);
  return point_of({{"time", "s", counted(count, [=](double k) { return from + k; })}, {"v.mean", "V", counted(count, [=](double k) { return 3 * (from + k); })}, {"v.low", "V", counted(count, [=](double k) { return from + k - 7; })}},
                  0, {{"method", "recording"}, {"readings", int(count)}, {"log", std::move(log)}}, index);
}

study::ReducedPtr reduced(const std::vector<study::Point>& points, const study::SettingsText& settings = {}) {
  auto reducer = power::reducer(settings);
  REQUIRE(reducer);
  for (const auto& p : points) REQUIRE((*reducer)->add(p));
  auto out = (*reducer)->so_far();
  REQUIRE(out);
  return *out;
}

study::Columns curve(const std::vector<study::Point>& points, const study::SettingsText& settings = {}) {
  const auto read = reduced(points, settings)->read(settings, {});
  if (!read) FAIL(read.error().message);
  return *read->curve;
}

std::string refused(const std::vector<study::Point>& points) {
  auto reducer = power::reducer({});
  for (const auto& p : points)
    if (auto ok = (*reducer)->add(p); !ok) return ok.error().message;
  return {};
}

}  // namespace

TEST_CASE("readings of hours are drawn by every one, or every so many", "[power][curve]") {
  for (const auto& [count, every] : {std::pair<std::size_t, std::size_t>{5, 1}, {8192, 1}, {8193, 2}, {16384, 2}, {16385, 3}}) {
    CAPTURE(count);
    const auto c = curve({readings(0, count)});
    CHECK(c.x_name == "time");
    CHECK(c.x_unit == "s");
    REQUIRE(c.x.size() == (count + every - 1) / every);
    REQUIRE(c.columns.size() == 2);
    CHECK(c.columns[0].name == "v.mean");
    CHECK(c.columns[1].unit == "V");
    for (std::size_t k = 0; k < c.x.size(); ++k) {
      CHECK(c.x[k] == double(k * every));
      CHECK(c.columns[0].y.at(k) == 3 * double(k * every));
      CHECK(c.columns[1].y.at(k) == double(k * every) - 7);
    }
  }
  CHECK(reduced({readings(0, 128)})->small().x.size() == 128);
  CHECK(reduced({readings(0, 129)})->small().x.size() == 65);
  // In pieces they are one.
  const auto c = curve({readings(0, 3), readings(3, 4, 1)});
  CHECK(c.x == std::vector<double>{0, 1, 2, 3, 4, 5, 6});
}

TEST_CASE("readings that do not go on from those before are refused", "[power][bad]") {
  CHECK(refused({readings(0, 3), readings(3, 3, 1)}).empty());
  CHECK_THAT(refused({readings(0, 3), readings(2, 3, 1)}), Contains("Point 2: its readings go back in time"));
  auto other = readings(3, 3, 1);
  other.records.front().channels[1].role = "w.mean";
  CHECK_THAT(refused({readings(0, 3), other}), Contains("Point 2: its readings are not those of the one before"));
  other = readings(3, 3, 1);
  other.records.front().channels.push_back(other.records.front().channels[2]);
  CHECK_THAT(refused({readings(0, 3), other}), Contains("not those of the one before"));
  other = readings(3, 3, 1);
  other.records.front().channels[2].numbers.pop_back();
  CHECK_THAT(refused({other}), Contains("Point 2: its readings are not of one length"));
  other.records.front().channels[0].role = "moment";
  CHECK_THAT(refused({other}), Contains("Point 2: its readings have no times"));
  other = readings(0, 3, 4);
  other.records.clear();
  CHECK_THAT(refused({other}), Contains("Point 5 has no readings"));
  other = readings(0, 3, 4);
  other.records.push_back(other.records.front());
  CHECK_THAT(refused({other}), Contains("Point 5 has no readings"));
}

TEST_CASE("the log of a recording keeps what it was told and takes what is missing for nothing", "[power]") {
  const nlohmann::json log = {{{"from", 3.5}, {"to", 4.0}, {"watch", "deep"}, {"text", "v went under"}, {"extreme", 2.5}, {"unit", "V"}, {"point", 7}}, nlohmann::json::object(), "hostile", 5,
                              {{"watch", "gone"}, {"from", 9}, {"to", 9.5}}};
  const study::SettingsText settings = {{"watch.rail", "v under 4 V"}, {"watch.deep", "v under 3 V"}};
  const auto all = reduced({readings(0, 12, 0, log)}, settings);
  const auto& trend = dynamic_cast<const power::ReducedPower&>(*all).trend();
  REQUIRE(trend.log.size() == 3);
  CHECK(trend.log[0].point == std::optional(7));
  CHECK(trend.log[0].extreme == 2.5);
  CHECK(trend.log[1].from == 0);
  CHECK(trend.log[1].to == 0);
  CHECK(trend.log[1].extreme == 0);
  CHECK(trend.log[1].watch.empty());
  CHECK_FALSE(trend.log[1].point);
  REQUIRE(trend.find("v", power::Reads::low));
  CHECK(trend.find("v", power::Reads::low)->name == "v.low");
  CHECK_FALSE(trend.find("v", power::Reads::rms));
  CHECK_FALSE(trend.find("w", power::Reads::low));
  REQUIRE(trend.find("v.mean"));
  CHECK(trend.find("v.mean")->reads == power::Reads::mean);
  CHECK_FALSE(trend.find("v"));
  // As tables, with each watch by its number among the settings.
  const auto tables = all->tables();
  REQUIRE(tables.size() == 2);
  CHECK(tables[0].first == "readings");
  CHECK(tables[0].second.find("v.low")->values().back() == 4);
  CHECK(tables[1].first == "log");
  const auto deep = std::find_if(settings.begin(), settings.end(), [](const auto& s) { return s.first == "watch.deep"; });
  CHECK(tables[1].second.find("watch")->values() == std::vector<double>{double(std::distance(settings.begin(), deep)) + 1, 0, 0});
  CHECK(tables[1].second.find("from")->values() == std::vector<double>{3.5, 0, 9});
  CHECK(tables[1].second.find("to")->values() == std::vector<double>{4, 0, 9.5});
  CHECK(tables[1].second.find("extreme")->values() == std::vector<double>{2.5, 0, 0});
  // Its figures are those of the watches.
  const auto read = all->read(settings, {"watch.deep.count", "power.active"});
  REQUIRE(read);
  CHECK(read->reading.find("watch.deep.count")->value == 1);
  CHECK(read->reading.find("watch.rail.count")->value == 0);
  CHECK(read->reading.find("watch.deep.longest")->value == Approx(0.5));
  CHECK(std::any_of(read->reading.absent.begin(), read->reading.absent.end(), [](const auto& a) { return a.key == "power.active" && a.reason.starts_with("a recording has the figures of its watches"); }));
}

TEST_CASE("a sliding rms is drawn at the samples that have one, each channel under its phase", "[power][curve]") {
  const auto of = [](std::size_t n) { return curve({point_of({{"i", "A", counted(n, [](double k) { return k < 100 ? 0.0 : 3.0; })}}, 1e3)}, {{"method", "switch_on"}}); };
  const auto whole = of(8192);
  // On what does not alternate the window is 10 ms: five samples on either side.
  REQUIRE(whole.x.size() == 8192 - 10);
  CHECK(whole.x.front() == Approx(5e-3));
  CHECK(whole.x[1] == Approx(6e-3));
  CHECK(whole.columns.at(0).name == "current.half_cycle");
  CHECK(whole.columns[0].y.front() == 0);
  CHECK(whole.columns[0].y.back() == Approx(3));
  const auto half = of(16384);
  REQUIRE(half.x.size() == 8192 - 5);
  CHECK(half.x.front() == Approx(6e-3));
  CHECK(half.x[1] == Approx(8e-3));
  std::vector<Row> rows;
  for (const char phase : {'a', 'b', 'c'}) rows.push_back({std::string("i") + phase, "A", counted(2000, [=](double k) { return (phase - 'a' + 1) * std::cos(2 * pi * 50e-4 * k - (phase - 'a') * 2 * pi / 3); })});
  const auto three = curve({point_of(rows, 10e3)}, {{"method", "switch_on"}});
  REQUIRE(three.columns.size() == 3);
  CHECK(three.columns[2].name == "current.half_cycle at c");
  for (std::size_t p = 0; p < 3; ++p) {
    REQUIRE(three.columns[p].y.size() == three.x.size());
    CHECK(three.columns[p].y[500] == Approx(double(p + 1) / std::sqrt(2)).epsilon(1e-3));
  }
  const auto harmonics = curve({point_of(rows, 10e3)});
  CHECK(harmonics.columns.at(1).name == "harmonic.current at b");
  CHECK(harmonics.columns[1].unit == "A");
  CHECK(harmonics.columns[1].y[0] == Approx(2 / std::sqrt(2)).epsilon(1e-4));
  CHECK(harmonics.columns[1].y[1] < 1e-3);
  CHECK(harmonics.x == counted(40, [](double k) { return k + 1; }));
}

TEST_CASE("a profile is drawn by the range of each stretch, at its quarters", "[power][curve]") {
  constexpr std::size_t kSamples = 40'960;
  const auto c = curve({point_of({{"i", "A", counted(kSamples, [](double k) { return 1e-3 + 1e-6 * k; })}}, 1e3)}, {{"method", "profile"}});
  REQUIRE(c.columns.size() == 1);
  CHECK(c.columns[0].name == "current");
  const auto stretches = c.x.size() / 2;
  CHECK(stretches == 4096);
  const double places = double(kSamples) / double(stretches);
  for (const std::size_t k : {std::size_t(0), std::size_t(1), std::size_t(100), stretches - 1}) {
    CAPTURE(k);
    CHECK(c.x[2 * k] == Approx((double(k) + 0.25) * places * 1e-3));
    CHECK(c.x[2 * k + 1] == Approx((double(k) + 0.75) * places * 1e-3));
    CHECK(c.columns[0].y[2 * k] == Approx(1e-3 + 1e-6 * double(k) * places));
    CHECK(c.columns[0].y[2 * k + 1] == Approx(1e-3 + 1e-6 * (double(k + 1) * places - 1)));
  }
}

TEST_CASE("what is long is not read at once, and its size is what it holds", "[power]") {
  const auto of = [](std::size_t n) { return reduced({point_of({{"v", "V", std::vector<double>(n, 1.0)}, {"i", "A", std::vector<double>(n, 1.0)}}, 1e3)}); };
  CHECK(of(100'000)->quick());
  CHECK_FALSE(of(100'001)->quick());
  CHECK(of(100'000)->bytes() > 2 * 100'000 * sizeof(double));
  CHECK(of(100'000)->bytes() - of(50'000)->bytes() == Approx(2.0 * 2 * 50'000 * sizeof(double)).epsilon(0.2));
  CHECK(reduced({readings(0, 2000)})->bytes() - reduced({readings(0, 1000)})->bytes() == 2 * 1000 * sizeof(double));
}

TEST_CASE("a figure that one record alone has keeps its own uncertainty", "[power]") {
  const auto v = counted(2000, [](double k) { return 325 * std::cos(2 * pi * 50e-4 * k); });
  const auto noisy = counted(2000, [](double k) { return 3 * std::cos(2 * pi * 50e-4 * k - 0.4) + 1e-2 * std::sin(k * k); });
  const auto with = point_of({{"v", "V", v}, {"i", "A", noisy}}, 10e3), without = point_of({{"v", "V", v}, {"i", "A", std::vector<double>(2000)}}, 10e3, nlohmann::json::object(), 1);
  const auto alone = reduced({with})->read({}, {}), both = reduced({with, without})->read({}, {});
  REQUIRE((alone && both));
  const auto* own = alone->reading.find("power_factor");
  const auto* mean = both->reading.find("power_factor");
  REQUIRE((own && mean));
  REQUIRE(own->u);
  CHECK(mean->value == own->value);
  CHECK(mean->u == own->u);
  CHECK(both->reading.find("current.rms")->value == Approx(alone->reading.find("current.rms")->value / 2));
  for (const auto& a : both->reading.absent) CHECK_FALSE(both->reading.find(a.key));
  // Read anew with other settings it is another reading.
  const auto taken = reduced({with});
  CHECK(taken->read({}, {})->reading.find("current.rms")->value == Approx(3 / std::sqrt(2)).epsilon(1e-3));
  CHECK(taken->read({{"wire.i", "10*i"}}, {})->reading.find("current.rms")->value == Approx(30 / std::sqrt(2)).epsilon(1e-3));
  CHECK(taken->read({}, {})->reading.find("current.rms")->value == Approx(3 / std::sqrt(2)).epsilon(1e-3));
  // A recording that kept a raw record is its readings, or where cycles are asked for those of the record.
  auto raw = with;
  raw.index = 1;
  const auto recording = reduced({readings(0, 4), raw});
  CHECK(recording->read({{"method", "recording"}}, {})->curve->x_name == "time");
  CHECK_FALSE(recording->read({{"method", "recording"}}, {})->reading.find("frequency"));
  CHECK(recording->read({{"method", "cycles"}}, {})->curve->x_name == "order");
  CHECK(recording->read({{"method", "cycles"}}, {})->reading.find("frequency"));
  // What neither has is told as the first told it.
  CHECK(std::any_of(both->reading.figures.begin(), both->reading.figures.end(), [](const auto& f) { return f.key == "current.rms" && f.u; }));
}

}  // namespace power_curves
