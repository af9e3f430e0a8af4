#include <cmath>

#include "study/switching/reduced.h"
#include "switching_support.h"

using namespace heron;

/// Shots of straight lines as they are kept, read anew and written.
namespace switching_reduced {
namespace {

namespace switching = study::switching;
using study::switching::Key;
using test::Lines;

const Lines kAll = {{"v_ds", test::kPulsesV}, {"i_d", test::kPulsesI}, {"v_gs", test::kPulsesG}};

/// With its currents so many times as high.
study::Point point(int index, double scale = 1, const nlohmann::json& setting = nlohmann::json::object(), double last = 30) {
  study::Point out{.index = index, .setting = study::Applied(setting), .records = {}};
  study::Record r{.sample_rate = 100e6};
  for (const auto& [role, corners] : kAll) {
    study::Channel c{.role = role, .unit = role[0] == 'v' ? "V" : "A"};
    for (int k = 0; k <= int(std::lround(100 * last)); ++k) c.numbers.push_back(test::on_line(corners, 0.01 * k) * (role == "i_d" ? scale : 1));
    r.channels.push_back(std::move(c));
  }
  out.records.push_back(std::move(r));
  return out;
}
std::shared_ptr<const switching::ReducedSwitching> reduced(const std::vector<study::Point>& points) {
  auto reducer = switching::reducer({});
  REQUIRE(reducer);
  for (const auto& p : points) REQUIRE((*reducer)->add(p));
  auto out = (*reducer)->so_far();
  if (!out) FAIL(out.error().message);
  return std::dynamic_pointer_cast<const switching::ReducedSwitching>(*out);
}
study::Analysis analysis(const study::Reduced& of, const study::SettingsText& settings = {}, const std::vector<std::string>& asked = {}) {
  auto out = of.read(settings, asked);
  if (!out) FAIL(out.error().message);
  return *out;
}

}  // namespace

TEST_CASE("shots are written one a row, each with what is known of it", "[switching][reduced]") {
  const auto all = reduced({point(4), point(6, 0.5), point(7, 0.001, nlohmann::json::object(), 3)});
  const auto tables = all->tables();
  REQUIRE(tables.size() == 1);
  CHECK(tables[0].first == "shots");
  const auto& r = tables[0].second;
  const auto at = [&](const char* role) {
    const auto* c = r.find(role);
    REQUIRE(c);
    REQUIRE(c->numbers.size() == 3);
    return std::vector<double>(c->numbers.begin(), c->numbers.end());
  };
  CHECK(at("shot") == std::vector<double>{5, 7, 8});
  CHECK(at("i_load")[0] == Approx(20.05));
  CHECK(at("i_load")[1] == Approx(10.025));
  CHECK(std::isnan(at("i_load")[2]));
  CHECK(at("v_bus")[0] == Approx(48));
  CHECK(std::isnan(at("v_bus")[2]));
  const auto shots = all->read_shots({});
  REQUIRE(shots);
  REQUIRE(shots->size() == 3);
  CHECK(at("energy.on")[0] == *(*shots)[0]->get(Key::energy_on).value);
  CHECK(at("u_energy.on")[0] == (*shots)[0]->get(Key::energy_on).u());
  CHECK(at("energy.off")[1] == *(*shots)[1]->get(Key::energy_off).value);
  CHECK(std::isnan(at("energy.off")[2]));
  CHECK(std::isnan(at("u_energy.off")[2]));
  CHECK(r.find("energy.on")->unit == "J");
}

TEST_CASE("of several shots each doubt is told once, with the shot that has it", "[switching][reduced][doubts]") {
  auto turned = point(1);
  for (auto& v : turned.records[0].channels[1].numbers) v = -v;
  const auto several = analysis(*reduced({point(0), turned, turned}));
  std::vector<std::string> told;
  for (const auto& d : several.reading.doubts)
    if (d.key == "wiring.sign") told.push_back(d.text);
  REQUIRE(told.size() == 1);
  CHECK_THAT(told[0], Catch::Matchers::StartsWith("Shot 2: i_d is below zero"));
  const auto one = analysis(*reduced({turned}));
  REQUIRE(one.reading.doubts.size() >= 1);
  CHECK_THAT(one.reading.doubts[0].text, Catch::Matchers::StartsWith("i_d is below zero"));
}

TEST_CASE("energies over the current are a curve for each bus, one shot is its record", "[switching][reduced]") {
  const auto sweep = analysis(*reduced({point(0, 0.5, {{"bus", 48}, {"current", 10}}), point(1, 1, {{"bus", 48}, {"current", 20}}), point(2, 1, {{"bus", 60}, {"current", 20}})}), {}, {"energy.on@15A,48V"});
  REQUIRE_FALSE(sweep.curve->columns.empty());
  CHECK(sweep.curve->x_name == "current");
  std::vector<std::string> names;
  for (const auto& c : sweep.curve->columns) names.push_back(test::spaced(c.name));
  CHECK(names == std::vector<std::string>{"energy.on at 48 V", "energy.off at 48 V", "energy.total at 48 V", "energy.on at 60 V", "energy.off at 60 V", "energy.total at 60 V"});
  const auto& on = sweep.curve->columns[0];
  CHECK(sweep.curve->x == on.x);
  REQUIRE(on.x.size() == 2);
  CHECK(on.x[0] == Approx(10.025));
  CHECK(on.y[1] == Approx(2 * on.y[0]).epsilon(0.01));
  REQUIRE(sweep.reading.find("energy.on@15A,48V"));
  CHECK(sweep.reading.find("energy.on@15A,48V")->value == Approx(on.y[0] + (on.y[1] - on.y[0]) * (15 - on.x[0]) / (on.x[1] - on.x[0])));
  for (const auto& a : sweep.reading.absent)
    if (a.key == "energy.on") CHECK(a.reason == "it differs between 3 settings: look at one shot, or ask an energy at a current");
  // Two settings are two; one of two shots has their mean.
  const auto two = analysis(*reduced({point(0, 0.5, {{"current", 10}}), point(1, 1, {{"current", 20}})}));
  CHECK_FALSE(two.reading.find("energy.on"));
  const auto same = analysis(*reduced({point(0, 1, {{"current", 20}}), point(1, 1, {{"current", 20}})}));
  REQUIRE(same.reading.find("energy.on"));
  CHECK(same.curve->x_name == "time");
  CHECK(same.curve->columns.size() == 3);
  const auto none = analysis(*reduced({point(0, 1, nlohmann::json::object(), 3)}));
  CHECK(none.curve->x_name == "time");
  CHECK_FALSE(none.reading.find("energy.on"));
}

TEST_CASE("a shot over time holds its quantities beyond their ends, in few places where it is small", "[switching][reduced]") {
  auto moved = study::SettingsText{{"skew", "40 ns"}};
  const auto whole = analysis(*reduced({point(0)}), moved);
  const auto& c = *whole.curve;
  REQUIRE(c.columns.size() == 3);
  // i_d is 40 ns earlier: what is beyond its last sample is what it was there.
  for (const double y : c.columns[1].y) CHECK(std::isfinite(y));
  CHECK(c.columns[1].y.back() == Approx(0).margin(1e-9));
  const auto small = reduced({point(0)})->small();
  CHECK(small.x.size() > 80);
  CHECK(small.x.size() < 200);
}

TEST_CASE("what shots take in memory goes with their samples, and few are quick", "[switching][reduced]") {
  const auto one = reduced({point(0)}), two = reduced({point(0), point(1)});
  std::size_t samples = 0;
  const auto shots = one->read_shots({});
  REQUIRE(shots);
  for (const auto& trace : (*shots)[0]->shot->record->traces) samples += trace->bytes();
  CHECK(two->bytes() - one->bytes() == 3 * samples);
  CHECK(one->bytes() > 3 * samples);
  // Three quantities of 3001 samples: 22 shots are less than 200 000, 23 are more.
  std::vector<study::Point> many;
  for (int k = 0; k < 22; ++k) many.push_back(point(k));
  CHECK(reduced(many)->quick());
  many.push_back(point(22));
  CHECK_FALSE(reduced(many)->quick());
}

TEST_CASE("shots are read once for the same settings, and anew for others", "[switching][reduced]") {
  const auto all = reduced({point(0)});
  const auto first = *all->read_shots({}), again = *all->read_shots({});
  CHECK(first[0] == again[0]);
  const auto other = *all->read_shots(test::switching_settings({{"off.end", "5 %"}}));
  CHECK(other[0] != first[0]);
  CHECK(*other[0]->get(Key::energy_off).value > *first[0]->get(Key::energy_off).value);
  CHECK((*all->read_shots({}))[0] != first[0]);
  CHECK(*(*all->read_shots({}))[0]->get(Key::energy_off).value == *first[0]->get(Key::energy_off).value);
}

TEST_CASE("what a point was set to may be told otherwise than by numbers", "[switching][reduced][bad]") {
  const auto odd = analysis(*reduced({point(0, 1, {{"bus", "high"}, {"current", nullptr}, {"gate_resistor", 12}})}), {}, {"energy.on@20A,Rg=12"});
  CHECK(odd.reading.find("energy.on@20A,Rg=12"));
  const auto* peak = odd.reading.find("peak.current");
  REQUIRE(peak);
  CHECK(peak->at.size() == 1);
  CHECK(odd.reading.find("energy.on")->at.size() == 2);
  // The other device's voltage without its current is of no use, and does no harm.
  auto half = point(0);
  half.records[0].channels[2].role = "v_f";
  CHECK(analysis(*reduced({half})).reading.find("energy.on"));
}

TEST_CASE("every figure over the shots is theirs, one after another", "[switching][reduced]") {
  const auto over = reduced({point(0), point(1, 0.5), point(2, 1)})->over_shots({});
  REQUIRE(over);
  for (const auto& f : *over) {
    if (f.key != "energy.on") continue;
    REQUIRE(f.values.size() == 3);
    CHECK(f.passes == std::vector<int>{0, 1, 2});
    CHECK(f.values[0] == Approx(f.values[2]));
    CHECK(f.values[1] == Approx(f.values[0] / 2).epsilon(0.01));
    return;
  }
  FAIL("no energy.on");
}

TEST_CASE("a skew that was taken off is known as the record tells it, else as the channels' data do", "[switching]") {
  // A loop that shows: v_ds sinks by 4.8 V while the current comes or goes by 20 A in 100 ns.
  const Lines lines = {{"v_ds", {{0, 48}, {5, 48}, {5.05, 0}, {15, 0}, {15.05, 48}, {15.0501, 52.8}, {15.15, 52.8}, {15.1501, 48}, {19.9, 48}, {19.9001, 43.2}, {20, 43.2}, {20.05, 0}, {24, 0}, {24.05, 48}, {30, 48}}},
                       {"i_d", {{0, 0}, {5, 0}, {15, 20}, {15.05, 20}, {15.15, 0}, {19.9, 0}, {20, 20}, {24, 28}, {24.05, 28}, {24.15, 0}, {30, 0}}}};
  auto record = std::make_shared<study::Waveforms>(*test::record_of(lines));
  record->errors[1].u_delay = 7e-9;
  const auto delay = [&](const study::SettingsText& text) {
    const auto read = switching::read(record, {}, test::switching_settings(text));
    REQUIRE(read);
    REQUIRE((*read)->skew);
    const auto& f = (*read)->get(Key::energy_on);
    REQUIRE(f.value);
    const auto core = switching::core_of(*(*read)->shot, (*read)->on->event, {});
    const auto later = [&](double by) { return *switching::energy_at(*core, (*read)->on->event, {}, by) - *f.value; };
    return std::tuple{f.shared[std::size_t(switching::Source::delay)], later(7e-9), later((*read)->skew->u)};
  };
  const auto [told, by_data, by_record] = delay({});
  CHECK(told == Approx(by_data));
  CHECK(by_record != Approx(by_data));
  const auto [accepted, data_then, record_then] = delay({{"skew", "1 ns"}});
  CHECK(accepted == Approx(record_then));
  CHECK(accepted != Approx(data_then));
}

}  // namespace switching_reduced
