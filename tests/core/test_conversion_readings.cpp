#include <catch2/catch.hpp>
#include <cmath>

#include "study/conversion/assembly.h"
#include "study/conversion/kind.h"
#include "study/conversion/reduced.h"
#include "support.h"

using namespace heron;

/// What is kept with a point, and how rows and what speaks against them are made of it.
namespace conversion_readings {
namespace {

namespace conversion = study::conversion;
using Catch::Matchers::Contains;
using conversion::Assembly;
using conversion::Port;
using nlohmann::json;

json instrument(double voltage, double current, const json& more = json::object()) {
  json out = {{"voltage", voltage}, {"current", current}};
  out.update(more);
  return out;
}
json both() { return {{"line", 12.0}, {"load", 1.0}, {"supply", instrument(12, 0.5)}, {"load_reading", instrument(5, 1)}}; }

study::Point point_of(json setting, const std::vector<std::vector<study::Channel>>& records = {}, int index = 0) {
  study::Point out{.index = index, .setting = std::move(setting), .records = {}};
  for (std::size_t k = 0; k < records.size(); ++k) {
    study::Record record{.pass = int(k), .sample_rate = 1e3};
    record.channels = records[k];
    out.records.push_back(std::move(record));
  }
  return out;
}

study::Channel channel(const char* role, const std::vector<double>& values) {
  study::Channel out{.role = role, .unit = role[0] == 'v' ? "V" : "A"};
  out.numbers = values;
  return out;
}

struct Read {
  conversion::Rows rows;
  std::vector<conversion::Evidence> evidence;
};
Read read(const study::Point& point, const conversion::Settings& settings = {}) {
  Assembly assembly(settings);
  if (auto ok = assembly.add(point); !ok) FAIL(ok.error().message);
  return {assembly.rows(), assembly.evidence()};
}
std::string refused(const study::Point& point, const conversion::Settings& settings = {}) {
  Assembly assembly(settings);
  const auto ok = assembly.add(point);
  return ok ? std::string() : test::spaced(ok.error().message);
}
const conversion::Measure& measure(const Read& r, Port port) { return r.rows.front().read[std::size_t(port)]; }

}  // namespace

TEST_CASE("what instruments read is a row, with what their readings share", "[conversion]") {
  auto kept = both();
  // Of 30 mV that all readings share 12 mV are the gain's: 1e-3 of 12 V.
  kept["supply"].update(json{{"u_voltage_noise", 2e-3}, {"u_voltage_shared", 0.03}, {"u_voltage_gain", 1e-3}, {"u_current_noise", 1e-4}, {"limited", true}});
  kept["load_reading"].update(json{{"u_current_shared", 4e-3}, {"u_voltage_gain", 0.002}, {"u_voltage_shared", 0.01}});
  kept["temperature"] = 40.0;
  kept["frequency"] = 4e5;
  const auto r = read(point_of(kept, {}, 3));
  REQUIRE(r.rows.size() == 1);
  const auto& row = r.rows.front();
  CHECK(row.point == 3);
  CHECK(row.line == 12);
  CHECK(row.load == 1);
  CHECK(row.frequency == 4e5);
  CHECK(row.temperature == 40);
  CHECK(row.whole);
  CHECK(measure(r, Port::vin).value == 12);
  CHECK(measure(r, Port::vin).u == 2e-3);
  REQUIRE(measure(r, Port::vin).shared.size() == 2);
  CHECK(measure(r, Port::vin).shared[0].second == Approx(0.012));
  CHECK(measure(r, Port::vin).shared[1].second == Approx(std::sqrt(0.03 * 0.03 - 0.012 * 0.012)));
  CHECK(measure(r, Port::iin).value == 0.5);
  CHECK(measure(r, Port::iin).u == 1e-4);
  CHECK(measure(r, Port::iin).shared.empty());
  // All of it the gain's: nothing is left.
  REQUIRE(measure(r, Port::vout).shared.size() == 1);
  CHECK(measure(r, Port::vout).shared[0].second == Approx(0.01));
  REQUIRE(measure(r, Port::iout).shared.size() == 1);
  CHECK(measure(r, Port::iout).shared[0].second == Approx(4e-3));
  CHECK(measure(r, Port::iout).u == 0);
  const auto& e = r.evidence.front();
  CHECK(e.from_bench);
  CHECK(e.limited);
  CHECK_FALSE(e.load_limited);
  CHECK(e.sensed);
  CHECK(e.leads == 0);
  CHECK(e.agreed);
  CHECK(e.passes == 0);
  CHECK(e.line == 12);
  CHECK(e.load == 1);
  CHECK(e.line_set == 12);
  CHECK(e.switching == 4e5);
  CHECK_FALSE(e.warming);
  CHECK(e.watched.times.empty());
  CHECK_FALSE(e.lost_in_leads);
  // The same instrument errs alike at every point.
  Assembly two{conversion::Settings()};
  REQUIRE(two.add(point_of(kept)));
  REQUIRE(two.add(point_of(kept)));
  for (const auto port : conversion::kAllPorts)
    for (std::size_t k = 0; k < two.rows()[0].read[std::size_t(port)].shared.size(); ++k)
      CHECK(two.rows()[0].read[std::size_t(port)].shared[k].first == two.rows()[1].read[std::size_t(port)].shared[k].first);
  CHECK(two.rows()[0].read[0].shared[0].first != two.rows()[0].read[0].shared[1].first);
}

TEST_CASE("a point that cannot be understood is refused by its number", "[conversion][bad]") {
  CHECK(refused({.index = 4, .setting = study::Applied(json("nothing")), .records = {}}) == "Point 5 does not say how it was taken.");
  auto kept = both();
  kept["supply"] = "much";
  CHECK(refused(point_of(kept, {}, 1)) == "Point 2 has no vin.");
  kept = both();
  kept["load_reading"]["current"] = "some";
  CHECK(refused(point_of(kept, {}, 1)) == "Point 2: what its load_reading read cannot be understood.");
  kept = both();
  kept.erase("load_reading");
  CHECK(refused(point_of(kept)) == "Point 1 has no vout.");
  CHECK(refused(point_of(kept, {{channel("vout", {5, 5})}})) == "Point 1 has no iout.");
  // What is no number is taken as not said.
  kept = both();
  kept["line"] = "twelve";
  kept["leads"] = "short";
  kept["warming"] = 3;
  kept["watched"] = json{{"times", {1, 2}}, {"vin", {1}}};
  const auto r = read(point_of(kept));
  CHECK_FALSE(r.rows[0].line);
  CHECK(r.evidence[0].leads == 0);
  CHECK(r.evidence[0].line == 12);
  CHECK_FALSE(r.evidence[0].warming);
  CHECK(r.evidence[0].watched.times.empty());
  for (const json& wrong : {json{{"place", "coil"}}, json{{"place", "coil"}, {"times", {1, 2}}, {"read", {1}}}, json{{"times", {"a"}}, {"read", {"b"}}}}) {
    kept["warming"] = wrong;
    CHECK_FALSE(read(point_of(kept)).evidence[0].warming);
  }
}

TEST_CASE("how a temperature went and what readings came to is kept and comes back", "[conversion]") {
  auto kept = both();
  const conversion::Warming warming{.place = "coil", .times = {1, 11, 21}, .read = {25, 26, 26.5}, .u = 0.3, .rests = false, .by = 4.5};
  kept["warming"] = conversion::kept_warming(warming);
  conversion::Watched watched{.times = {0.1, 0.2}};
  for (const auto port : conversion::kAllPorts) watched.read[std::size_t(port)] = {double(port), double(port) + 0.5};
  kept["watched"] = conversion::kept_watched(watched);
  const auto r = read(point_of(kept));
  REQUIRE(r.evidence[0].warming);
  const auto& w = *r.evidence[0].warming;
  CHECK(w.place == "coil");
  CHECK(w.times == warming.times);
  CHECK(w.read == warming.read);
  CHECK(w.u == 0.3);
  CHECK_FALSE(w.rests);
  CHECK(w.by == 4.5);
  CHECK(r.evidence[0].watched.times == watched.times);
  CHECK(r.evidence[0].watched.read == watched.read);
}

TEST_CASE("samples of a point are averaged in sixteen blocks, their halves compared", "[conversion]") {
  // A ramp from 0 to 159 in blocks of ten: means 4.5, 14.5, ...; their scatter is 10 sqrt(16 * 17 / 12).
  std::vector<double> ramp(160);
  for (std::size_t k = 0; k < ramp.size(); ++k) ramp[k] = double(k);
  const auto r = read(point_of(both(), {{channel("vout", ramp)}}));
  CHECK(measure(r, Port::vout).value == Approx(79.5));
  CHECK(measure(r, Port::vout).u == Approx(10 * std::sqrt(17 / 12.0)));
  CHECK(measure(r, Port::vin).value == 12);
  const auto& e = r.evidence.front();
  // Halves lie 80 apart; blocks differ by ten from one to the next: 2 sqrt(15 * 100 / 2 / 15 / 16).
  CHECK(e.halves_of == Port::vout);
  CHECK(e.halves_by == Approx(80));
  CHECK(e.halves == Approx(80 / (2 * std::sqrt(100 / 2.0 / 16))));
  CHECK(e.record);
  CHECK(e.passes == 1);
  // Of three samples three blocks: the middle one is the first half's.
  const auto three = read(point_of(both(), {{channel("vout", {1, 2, 6})}}));
  CHECK(measure(three, Port::vout).value == Approx(3));
  CHECK(three.evidence[0].halves_by == Approx(6 - 1.5));
  CHECK(measure(three, Port::vout).u == Approx(std::sqrt((4 + 1 + 9) / 2.0 / 3)));
  CHECK(three.evidence[0].halves == Approx(4.5 / (2 * std::sqrt((1 + 16) / 2.0 / 2 / 3))));
  const auto two = read(point_of(both(), {{channel("vout", {1, 2})}}));
  CHECK(two.evidence[0].halves_by == Approx(1));
  CHECK(measure(two, Port::vout).u == Approx(0.5));
  // One alone says nothing of itself; nor do samples that are all alike.
  const auto one = read(point_of(both(), {{channel("vout", {4})}}));
  CHECK(measure(one, Port::vout).value == 4);
  CHECK(measure(one, Port::vout).u == 0);
  CHECK(one.evidence[0].halves == 0);
  CHECK(read(point_of(both(), {{channel("vout", {4, 4, 4})}})).evidence[0].halves == 0);
  // Of several quantities the one whose halves lie farthest apart.
  const auto several = read(point_of(both(), {{channel("vin", std::vector<double>(160, 12)), channel("vout", ramp)}}));
  CHECK(several.evidence[0].halves_of == Port::vout);
}

TEST_CASE("errors of a point's input chain are shared by range, what is left of rounding is its own", "[conversion]") {
  study::Channel vout{.role = "vout", .unit = "V"};
  vout.scale = 0.01;
  vout.range = 10;
  vout.u_gain = 0.002;
  vout.u_offset = 0.005;
  for (int k = 0; k < 64; ++k) vout.counts.push_back(500);
  auto other = vout;
  other.range = 20;
  Assembly assembly{conversion::Settings()};
  REQUIRE(assembly.add(point_of(both(), {{vout}})));
  REQUIRE(assembly.add(point_of(both(), {{vout}})));
  REQUIRE(assembly.add(point_of(both(), {{other}})));
  const auto shared = [&](std::size_t k) { return assembly.rows()[k].read[std::size_t(Port::vout)].shared; };
  CHECK(assembly.rows()[0].vout() == Approx(5));
  CHECK(assembly.rows()[0].read[std::size_t(Port::vout)].u == Approx(0.01 / M_PI / std::sqrt(2.0)));
  REQUIRE(shared(0).size() == 2);
  CHECK(shared(0)[0].second == Approx(0.01));
  CHECK(shared(0)[1].second == Approx(0.005));
  CHECK(shared(0) == shared(1));
  CHECK(shared(0)[0].first != shared(2)[0].first);
  CHECK(shared(0)[1].first != shared(2)[1].first);
}

TEST_CASE("the last two readings of a point say how far it moved", "[conversion]") {
  const std::vector<double> first = {4, 6}, second = {7, 9}, third = {8, 10};
  auto kept = both();
  kept["agreed"] = false;
  const auto r = read(point_of(kept, {{channel("vout", first)}, {channel("vout", second)}, {channel("vout", third)}}));
  CHECK(measure(r, Port::vout).value == Approx(9));
  CHECK(r.evidence[0].passes == 3);
  CHECK_FALSE(r.evidence[0].agreed);
  CHECK(r.evidence[0].moved_of == Port::vout);
  CHECK(r.evidence[0].moved_by == Approx(1));
  // Means of two samples are known to 1, a difference of two to 1.41.
  CHECK(r.evidence[0].moved == Approx(1 / std::sqrt(2.0)));
  const auto falls = read(point_of(kept, {{channel("vout", third)}, {channel("vout", first)}}));
  CHECK(falls.evidence[0].moved_by == Approx(-4));
  CHECK(falls.evidence[0].moved == Approx(4 / std::sqrt(2.0)));
  // Without a scatter nothing can be said, nor of what no input reads.
  const auto flat = read(point_of(kept, {{channel("vout", {4, 4})}, {channel("vout", {5, 5})}}));
  CHECK(flat.evidence[0].moved == 0);
  CHECK(read(point_of(kept, {{channel("vout", {4, 6})}})).evidence[0].moved == 0);
}

TEST_CASE("what leads take is known where both of their ends are read", "[conversion]") {
  auto kept = both();
  kept["sensed"] = false;
  kept["leads"] = 0.02;
  // 12 V at the source and 11.9 V at the device, half an ampere; 5 V at the load, 5.2 V at the device, one ampere.
  const auto r = read(point_of(kept, {{channel("vin", {11.9, 11.9}), channel("vout", {5.2, 5.2})}}));
  REQUIRE(r.evidence[0].lost_in_leads);
  CHECK(*r.evidence[0].lost_in_leads == Approx(0.1 * 0.5 + 0.2 * 1));
  CHECK(r.evidence[0].leads == 0.02);
  CHECK(r.rows[0].vin() == Approx(11.9));
  CHECK(r.rows[0].at(Port::iin) == 0.5);
  const auto one = read(point_of(kept, {{channel("vout", {5.2, 5.2})}}));
  CHECK(*one.evidence[0].lost_in_leads == Approx(0.2));
  CHECK_FALSE(read(point_of(kept)).evidence[0].lost_in_leads);
  kept["sensed"] = true;
  CHECK_FALSE(read(point_of(kept, {{channel("vout", {5.2, 5.2})}})).evidence[0].lost_in_leads);
}

TEST_CASE("a table is told from a record by its times, its rate or what is said of it", "[conversion]") {
  const std::vector<double> v(64, 5.0);
  const auto stepped = [](const study::Point& p, const conversion::Settings& settings = {}) {
    Assembly assembly(settings);
    if (auto ok = assembly.add(p); !ok) FAIL(ok.error().message);
    return assembly.records().size();
  };
  study::Point table{.setting = json::object(), .records = {{.channels = {channel("vin", v), channel("vout", v), channel("iin", v), channel("iout", v)}}}};
  CHECK(stepped(table) == 0);
  conversion::Settings said;
  said.step = 1e-3;
  CHECK(stepped(table, said) == 1);
  said = {};
  said.sample_rate = 2e3;
  Assembly by_rate(said);
  REQUIRE(by_rate.add(table));
  REQUIRE(by_rate.records().size() == 1);
  CHECK(by_rate.records()[0]->ripple->to == Approx(63 / 2e3));
  auto timed = table;
  std::vector<double> times(64);
  for (std::size_t k = 0; k < 64; ++k) times[k] = 0.5 * double(k);
  timed.records[0].channels.push_back({.role = "time", .unit = "s", .numbers = times});
  CHECK(stepped(timed) == 1);
  auto sampled = table;
  sampled.records[0].sample_rate = 1e3;
  CHECK(stepped(sampled) == 1);
  // A point of a sweep says its line: its samples are one reading. One whose line stepped says so.
  sampled.setting = json{{"line", 12.0}};
  CHECK(stepped(sampled) == 0);
  sampled.setting = json{{"line", 12.0}, {"stepped", true}};
  CHECK(stepped(sampled) == 1);
  // Every record of one point is read.
  sampled.records.push_back(sampled.records[0]);
  CHECK(stepped(sampled) == 2);
  table.records.push_back(table.records[0]);
  Assembly twice{conversion::Settings()};
  REQUIRE(twice.add(table));
  CHECK(twice.rows().size() == 128);
  CHECK_FALSE(twice.empty());
  CHECK(Assembly{conversion::Settings()}.empty());
}

TEST_CASE("a table's uncertainty is what its shared columns leave of it", "[conversion]") {
  study::Point table{.setting = json::object(),
                     .records = {{.channels = {channel("vin", {12, 12}), channel("iin", {0.5, 1}), channel("vout", {5, 5}), channel("iout", {1, 2}), channel("u_iin", {5e-3, 1e-3}), channel("u_iin_shared_1", {3e-3, 4e-3}),
                                               channel("u_vin_shared_1", {0.01, 0.02}), channel("u_vin_shared_2", {0.03, 0.04})}}}};
  const auto r = read(table);
  REQUIRE(r.rows.size() == 2);
  CHECK(measure(r, Port::iin).u == Approx(4e-3));
  CHECK(r.rows[1].read[std::size_t(Port::iin)].u == 0);
  REQUIRE(measure(r, Port::vin).shared.size() == 2);
  CHECK(measure(r, Port::vin).shared[1].second == 0.03);
  CHECK(measure(r, Port::vin).shared[0].first == measure(r, Port::iin).shared[0].first);
  CHECK(measure(r, Port::vin).shared[0].first != measure(r, Port::vin).shared[1].first);
  CHECK_FALSE(r.evidence[0].from_bench);
  CHECK(r.evidence[1].load == 2);
  CHECK(r.evidence[1].line == 12);
}

TEST_CASE("curves are named by what tells them apart, and one that steps tells its line", "[conversion]") {
  const auto row = [](double line, double load, std::optional<double> frequency = {}, std::optional<double> temperature = {}) {
    conversion::Row out{.line = line, .load = load, .frequency = frequency, .temperature = temperature};
    out.of(Port::vin).value = line;
    out.of(Port::iin).value = 10 * load / line;
    out.of(Port::iin).u = 0.01;
    out.of(Port::vout).value = 5;
    out.of(Port::iout).value = load;
    return out;
  };
  const auto one = conversion::curve_of({row(12, 1), row(12, 2), row(12, 2)}, {}, 100);
  REQUIRE(one.columns.size() == 3);
  CHECK(one.columns[0].name == "efficiency");
  CHECK(one.columns[1].name == "output");
  CHECK(one.columns[2].name == "loss");
  CHECK(one.columns[2].unit == "W");
  CHECK(one.x == std::vector<double>{1, 2});
  CHECK(one.columns[0].x.empty());
  CHECK(one.columns[2].y == std::vector<double>{5, 10});
  CHECK(one.columns[2].u[0] == Approx(0.12));
  CHECK_FALSE(one.columns[0].step);
  const auto two = conversion::curve_of({row(12, 1), row(9, 1), row(9, 3)}, {}, 100);
  REQUIRE(two.columns.size() == 6);
  CHECK(test::spaced(two.columns[0].name) == "efficiency at 9.000 V");
  CHECK(test::spaced(two.columns[1].name) == "efficiency at 12.00 V");
  CHECK(two.columns[1].step == 12);
  // Each on its own loads where they differ from the first one's.
  CHECK(two.x == std::vector<double>{1, 3});
  CHECK(two.columns[0].x.empty());
  CHECK(two.columns[1].x == std::vector<double>{1});
  const auto clock = conversion::curve_of({row(12, 1, 4e5, 25), row(12, 1, 8e5, 60)}, {}, 100);
  CHECK(test::spaced(clock.columns[1].name) == "efficiency at 12.00 V, 800 kHz, 60 °C");
  // Where nothing goes in there is no efficiency; of the rest the point is there.
  auto idle = row(12, 0);
  idle.of(Port::iin).value = 0;
  const auto none = conversion::curve_of({idle, row(12, 1)}, {}, 100);
  CHECK(none.x == std::vector<double>{1});
  CHECK(none.find("loss")->x == std::vector<double>{0, 1});
}

TEST_CASE("a record's output over time stands at quarters of its stretches", "[conversion]") {
  std::vector<double> v(400);
  for (std::size_t k = 0; k < v.size(); ++k) v[k] = double(k);
  const auto reduced = conversion::kind().reduce({point_of(json::object(), {{channel("vout", v)}})}, {});
  REQUIRE(reduced);
  const auto& own = dynamic_cast<const conversion::ReducedConversion&>(**reduced);
  // 100 samples each: 8 columns are 4 stretches, lowest and highest of each.
  const auto curve = conversion::curve_of({}, own.records(), 8);
  CHECK(curve.x_name == "time");
  REQUIRE(curve.x.size() == 8);
  CHECK(curve.x[0] == Approx(0.025));
  CHECK(curve.x[1] == Approx(0.075));
  CHECK(curve.x[2] == Approx(0.125));
  CHECK(curve.columns.front().y == std::vector<double>{0, 99, 100, 199, 200, 299, 300, 399});
  CHECK(own.quick());
  CHECK(own.small().columns.size() == 1);
  CHECK(own.bytes() > 400 * sizeof(double));
  CHECK_FALSE(own.readings());
}

TEST_CASE("what is shown small of points is their efficiency, and many points are not quick", "[conversion]") {
  const auto reduced_of = [](std::size_t rows, bool lines) {
    std::vector<double> vin, iin, vout, iout;
    for (std::size_t k = 0; k < rows; ++k) {
      vin.push_back(lines && k % 2 == 1 ? 20 : 10);
      iin.push_back(1 + double(k));
      vout.push_back(5);
      iout.push_back(1 + double(k));
    }
    study::Point table{.setting = json::object(), .records = {{.channels = {channel("vin", vin), channel("iin", iin), channel("vout", vout), channel("iout", iout)}}}};
    auto out = conversion::kind().reduce({table}, {});
    if (!out) FAIL(out.error().message);
    return *out;
  };
  const auto one = reduced_of(4, false)->small(), two = reduced_of(4, true)->small();
  REQUIRE(one.columns.size() == 1);
  CHECK(one.columns[0].name == "efficiency");
  REQUIRE(two.columns.size() == 2);
  CHECK(test::spaced(two.columns[1].name) == "efficiency at 20.00 V");
  CHECK(reduced_of(400, false)->quick());
  CHECK_FALSE(reduced_of(401, false)->quick());
  CHECK(reduced_of(2, false)->bytes() - reduced_of(1, false)->bytes() == 2 * sizeof(conversion::Row));
}

TEST_CASE("readings that are exported carry every error as it is shared", "[conversion]") {
  study::Point table{.setting = json::object(),
                     .records = {{.channels = {channel("vin", {12, 12}), channel("iin", {0.5, 1}), channel("vout", {5, 5}), channel("iout", {1, 2}), channel("u_vout", {0.5, 0.5}), channel("u_vout_shared_1", {0.3, 0.3}),
                                               channel("u_iin_shared_2", {0.01, 0.02}), channel("u_iout", {0.5, 0}), channel("load", {1, 2})}}}};
  const auto reduced = conversion::kind().reduce({table}, {});
  REQUIRE(reduced);
  const auto out = (*reduced)->readings();
  REQUIRE(out);
  const auto of = [&](const char* role) {
    const auto* c = out->find(role);
    return c ? c->values() : std::vector<double>();
  };
  CHECK(of("vin") == std::vector<double>{12, 12});
  CHECK(of("load") == std::vector<double>{1, 2});
  CHECK(of("line").empty());
  CHECK(of("u_vin").empty());
  REQUIRE(of("u_vout").size() == 2);
  CHECK(of("u_vout")[0] == Approx(0.5));
  CHECK(of("u_iout") == std::vector<double>{0.5, 0});
  CHECK(of("u_iin") == std::vector<double>{0.01, 0.02});
  // Sources are numbered as they come: the output's voltage errs by another than the input's current.
  int vout_by = 0, iin_by = 0;
  for (int n = 1; n <= 4; ++n) {
    if (!of(("u_vout_shared_" + std::to_string(n)).c_str()).empty()) vout_by = n;
    if (!of(("u_iin_shared_" + std::to_string(n)).c_str()).empty()) iin_by = n;
  }
  CHECK(vout_by + iin_by == 3);
  CHECK(vout_by * iin_by == 2);
  CHECK(of(("u_iin_shared_" + std::to_string(iin_by)).c_str()) == std::vector<double>{0.01, 0.02});
}

TEST_CASE("other settings cut records anew, the same ones take them as they are", "[conversion]") {
  std::vector<double> v(400);
  for (std::size_t k = 0; k < v.size(); ++k) v[k] = k < 200 ? 5 + 0.1 * std::sin(2 * M_PI * double(k) / 40) : 5;
  const auto reduced = conversion::kind().reduce({point_of(json::object(), {{channel("vout", v)}})}, {});
  REQUIRE(reduced);
  const auto ripple = [&](const study::SettingsText& settings) {
    const auto analysis = (*reduced)->read(settings, {});
    if (!analysis) FAIL(analysis.error().message);
    return analysis->reading.find("ripple")->value;
  };
  CHECK(ripple({}) == Approx(0.2).epsilon(0.01));
  CHECK(ripple({{"from", "250 ms"}}) == 0);
  CHECK(ripple({{"to", "150 ms"}}) == Approx(0.2).epsilon(0.01));
  const auto wrong = (*reduced)->read({{"from", "9 s"}}, {});
  REQUIRE_FALSE(wrong);
  CHECK(wrong.error().message == "Nothing of the record lies between from and to.");
  CHECK_FALSE((*reduced)->read({{"speed", "1"}}, {}));
}

TEST_CASE("watches look at every record that inputs read of a sweep", "[conversion][watch]") {
  auto kept = both();
  std::vector<study::Point> points;
  for (int k = 0; k < 3; ++k) points.push_back(point_of(kept, {{channel("vout", k == 1 ? std::vector<double>{5, 4, 5, 5} : std::vector<double>{5, 5, 5, 5})}}, k));
  points.push_back(point_of(kept, {}, 3));
  const auto analysis = conversion::kind().analyse(points, {{"watch.rail", "vout under 4.6 V"}, {"watch.battery", "vin over 1 V"}}, {"watch.rail.count", "watch.battery.count", "watch.other.count"});
  if (!analysis) FAIL(analysis.error().message);
  const auto& r = analysis->reading;
  REQUIRE(r.find("watch.rail.count"));
  CHECK(r.find("watch.rail.count")->value == 1);
  CHECK(r.find("watch.rail.extreme")->value == 4);
  CHECK(r.find("watch.rail.extreme")->unit == "V");
  CHECK_FALSE(r.find("watch.battery.count"));
  CHECK(std::none_of(r.absent.begin(), r.absent.end(), [](const auto& a) { return a.key == "watch.rail.count"; }));
  CHECK(std::any_of(r.absent.begin(), r.absent.end(), [](const auto& a) { return a.key == "watch.battery.count"; }));
  CHECK(std::any_of(r.absent.begin(), r.absent.end(), [](const auto& a) { return a.key == "watch.other.count"; }));
}

}  // namespace conversion_readings
