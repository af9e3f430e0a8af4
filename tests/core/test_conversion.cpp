#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "base/random.h"
#include "judge/claim.h"
#include "study/conversion/doubts.h"
#include "study/conversion/figures.h"
#include "study/conversion/kind.h"
#include "study/conversion/reduced.h"
#include "study/conversion/words.h"
#include "study/steps_word.h"
#include "support.h"

using namespace heron;

namespace conversion_figures {
namespace {

namespace conversion = study::conversion;
using Table = std::vector<std::pair<std::string, std::vector<double>>>;

std::string unit_of(const std::string& role) {
  if (role == "time") return "s";
  if (role == "frequency") return "Hz";
  if (role == "temperature") return "degC";
  return role.find('i') == 0 || role.find("u_i") == 0 || role == "load" ? "A" : "V";
}

study::Point point_of(const Table& table, double rate = 0) {
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  study::Record record{.sample_rate = rate};
  for (const auto& [role, values] : table) {
    study::Channel channel{.role = role, .unit = unit_of(role)};
    channel.numbers = values;
    record.channels.push_back(std::move(channel));
  }
  point.records.push_back(std::move(record));
  return point;
}

study::Reading read(const Table& table, const study::SettingsText& settings = {}, const std::vector<std::string>& asked = {}, double rate = 0) {
  const auto analysis = conversion::kind().analyse({point_of(table, rate)}, settings, asked);
  if (!analysis) FAIL(analysis.error().message);
  return analysis->reading;
}

std::string refused(const Table& table, const study::SettingsText& settings = {}) {
  const auto analysis = conversion::kind().analyse({point_of(table)}, settings, {});
  return analysis ? std::string() : analysis.error().message;
}

double value(const study::Reading& r, const std::string& key) {
  const auto* f = r.find(key);
  if (!f)
    for (const auto& a : r.absent)
      if (a.key == key) FAIL(key << ": " << a.reason);
  if (!f) FAIL(key);
  return f->value;
}

std::string why_not(const study::Reading& r, const std::string& key) {
  for (const auto& a : r.absent)
    if (a.key == key) return a.reason;
  return {};
}

const study::Doubt* doubt(const study::Reading& r, const std::string& key) {
  for (const auto& d : r.doubts)
    if (d.key == key) return &d;
  return nullptr;
}

/// A converter of 5 V whose loss is a + b I + c I^2.
constexpr double kFixed = 0.05, kLinear = 0.12, kSquare = 0.04;
double loss_at(double i) { return kFixed + kLinear * i + kSquare * i * i; }

Table converter(const std::vector<double>& loads, double line = 12, double scale = 1) {
  Table out = {{"vin", {}}, {"iin", {}}, {"vout", {}}, {"iout", {}}};
  for (const double i : loads) {
    out[0].second.push_back(line);
    out[1].second.push_back((5 * i + scale * loss_at(i)) / line);
    out[2].second.push_back(5);
    out[3].second.push_back(i);
  }
  return out;
}
double efficiency_at(double i) { return 5 * i / (5 * i + loss_at(i)); }

Table joined(const std::vector<Table>& all) {
  Table out = all.front();
  for (std::size_t n = 1; n < all.size(); ++n)
    for (std::size_t c = 0; c < out.size(); ++c) out[c].second.insert(out[c].second.end(), all[n][c].second.begin(), all[n][c].second.end());
  return out;
}

}  // namespace

TEST_CASE("efficiency, loss and its parts are those of the converter", "[conversion]") {
  const std::vector<double> loads = {0, 0.01, 0.1, 0.5, 1, 1.5, 2, 3};
  const auto r = read(converter(loads), {}, {"efficiency@500mA", "loss@2A", "efficiency@0.75A", "loss@0.75A", "efficiency@5A"});
  CHECK(value(r, "efficiency@500mA") == Approx(efficiency_at(0.5)).epsilon(1e-12));
  CHECK(value(r, "loss@2A") == Approx(loss_at(2)).epsilon(1e-12));
  CHECK(value(r, "efficiency@0.75A") == Approx((efficiency_at(0.5) + efficiency_at(1)) / 2).epsilon(1e-12));
  CHECK(value(r, "loss@0.75A") == Approx((loss_at(0.5) + loss_at(1)) / 2).epsilon(1e-12));
  // A straight line between two points lies beside the parabola by c h^2 / 4, and says so.
  const auto* between = r.find("loss@0.75A");
  CHECK(between->u_between == Approx(std::abs(loss_at(0.75) - between->value)).epsilon(1e-9));
  CHECK(why_not(r, "efficiency@5A").find("outside the loads") != std::string::npos);
  CHECK(value(r, "power.idle") == Approx(kFixed).epsilon(1e-12));
  CHECK(value(r, "loss.fixed") == Approx(kFixed).epsilon(1e-9));
  CHECK(value(r, "loss.linear") == Approx(kLinear).epsilon(1e-9));
  CHECK(value(r, "loss.square") == Approx(kSquare).epsilon(1e-9));
  CHECK(value(r, "loss.residual") < 1e-12);
  REQUIRE(r.doubts.size() == 1);
  CHECK(r.doubts.front().key == "points.sparse");
  CHECK(read(converter(loads), {}, {"efficiency@500mA"}).doubts.empty());
  // Between loads that are near each other little can lie.
  CHECK(read(converter({0.7, 0.72, 0.74, 0.76, 0.78, 0.8}), {}, {"loss@0.75A"}).doubts.empty());
}

TEST_CASE("the highest efficiency is the vertex through the three top points", "[conversion]") {
  // Points on a parabola by construction: e = 0.9 - 0.02 (I - 1.3)^2.
  Table t = {{"vin", {}}, {"iin", {}}, {"vout", {}}, {"iout", {}}};
  for (const double i : {0.3, 0.9, 1.6, 2.4}) {
    t[0].second.push_back(10);
    t[1].second.push_back(5 * i / (0.9 - 0.02 * (i - 1.3) * (i - 1.3)) / 10);
    t[2].second.push_back(5);
    t[3].second.push_back(i);
  }
  const auto r = read(t);
  CHECK(value(r, "efficiency.max") == Approx(0.9).epsilon(1e-9));
  CHECK(value(r, "efficiency.max.at") == Approx(1.3).epsilon(1e-9));
  // At an end it is that point.
  const auto rising = read(converter({0.1, 0.2, 0.4}));
  CHECK(value(rising, "efficiency.max") == Approx(efficiency_at(0.4)));
  CHECK(value(rising, "efficiency.max.at") == Approx(0.4));
}

TEST_CASE("with several lines a figure of one says which are there", "[conversion]") {
  const std::vector<double> loads = {0.1, 0.5, 1, 2, 3};
  const auto both = joined({converter(loads, 8), converter(loads, 12, 1.5), converter(loads, 16, 2)});
  const auto r = read(both, {}, {"efficiency@1A", "efficiency@1A,12V", "efficiency@1A,line=16V", "efficiency@1A,30V"});
  CHECK(why_not(r, "efficiency@1A").find("set line") != std::string::npos);
  CHECK(why_not(r, "efficiency.max").find("set line") != std::string::npos);
  CHECK(value(r, "efficiency@1A,12V") == Approx(5 / (5 + 1.5 * loss_at(1))));
  CHECK(value(r, "efficiency@1A,line=16V") == Approx(5 / (5 + 2 * loss_at(1))));
  CHECK(why_not(r, "efficiency@1A,30V").find("no such curve") != std::string::npos);
  CHECK(value(read(both, {{"line", "8 V"}}, {"efficiency@1A"}), "efficiency@1A") == Approx(efficiency_at(1)));
  CHECK(value(read(both, {{"line_from", "15 V"}}, {"loss@1A"}), "loss@1A") == Approx(2 * loss_at(1)));
  CHECK(value(read(both, {{"line_to", "9 V"}}, {"loss@1A"}), "loss@1A") == Approx(loss_at(1)));
  CHECK(value(read(converter(loads), {{"load_to", "1 A"}}), "efficiency.max.at") == Approx(1));
  CHECK(value(read(converter(loads), {{"load_from", "2 A"}}), "efficiency.max.at") == Approx(2));
}

TEST_CASE("families over frequency and temperature are told apart", "[conversion]") {
  const std::vector<double> loads = {0.1, 1, 2};
  auto t = joined({converter(loads, 12), converter(loads, 12, 3)});
  t.push_back({"frequency", {250e3, 250e3, 250e3, 500e3, 500e3, 500e3}});
  const auto r = read(t, {}, {"efficiency@1A", "loss@1A,frequency=500kHz", "loss@1A,frequency=250kHz"});
  CHECK(why_not(r, "efficiency@1A").find("set frequency") != std::string::npos);
  CHECK(value(r, "loss@1A,frequency=500kHz") == Approx(3 * loss_at(1)));
  CHECK(value(r, "loss@1A,frequency=250kHz") == Approx(loss_at(1)));
  CHECK(value(read(t, {{"frequency", "500 kHz"}}, {"loss@1A"}), "loss@1A") == Approx(3 * loss_at(1)));
  t.back() = {"temperature", {25, 25, 25, 60, 60, 60}};
  const auto warm = read(t, {}, {"loss@1A", "loss@1A,temperature=60"});
  CHECK(why_not(warm, "loss@1A").find("set temperature") != std::string::npos);
  CHECK(value(warm, "loss@1A,temperature=60") == Approx(3 * loss_at(1)));
}

TEST_CASE("regulation, accuracy and dropout are those of the regulator", "[conversion]") {
  // vout = 3.3 + 4 mV/V (vin - 5) - 50 mohm I, and never above vin - 0.8 ohm I.
  Table t = {{"vin", {}}, {"iin", {}}, {"vout", {}}, {"iout", {}}};
  const auto out = [](double v, double i) { return std::min(3.3 + 4e-3 * (v - 5) - 0.05 * i, v - 0.8 * i); };
  for (const double v : {3.2, 3.3, 3.35, 3.4, 3.5, 4.0, 5.0, 6.0, 8.0})
    for (const double i : {0.01, 0.1, 0.2}) {
      t[0].second.push_back(v);
      t[1].second.push_back(i);
      t[2].second.push_back(out(v, i));
      t[3].second.push_back(i);
    }
  const auto r = read(t, {{"line_from", "4 V"}, {"nominal", "3.3 V"}}, {});
  CHECK(value(r, "regulation.line") == Approx(4e-3 * 4).epsilon(1e-9));
  CHECK(value(r, "regulation.line.percent") == Approx(100 * 16e-3 / 3.3).epsilon(1e-9));
  CHECK(value(r, "regulation.line.percent_per_volt") == Approx(100 * 4e-3 / 3.3).epsilon(1e-9));
  CHECK(value(r, "regulation.load") == Approx(-0.05 * 0.19).epsilon(1e-9));
  CHECK(value(r, "regulation.load.percent") == Approx(-100 * 0.05 * 0.19 / 3.3).epsilon(1e-9));
  CHECK(value(r, "accuracy.output") == Approx(100 * (out(4, 0.2) - 3.3) / 3.3).epsilon(1e-9));
  // Without a nominal the middle of the span is the measure.
  const auto plain = read(t, {{"line_from", "4 V"}});
  CHECK(value(plain, "regulation.line.percent") == Approx(100 * 16e-3 / (3.3 + 4e-3 - 0.05 * 0.01)).epsilon(1e-3));
  CHECK(why_not(plain, "accuracy.output") == "nominal is not set");
  const auto d = read(t, {}, {"dropout@200mA", "dropout@150mA", "dropout@10mA", "dropout@1A"});
  const double level = 0.98 * out(8, 0.2);
  // Between 3.35 and 3.4 V the output follows the input.
  CHECK(value(d, "dropout@200mA") == Approx(0.8 * 0.2).margin(1e-9));
  CHECK(level > out(3.35, 0.2));
  CHECK(value(d, "dropout@150mA") == Approx(0.8 * 0.15).margin(1e-9));
  CHECK(why_not(d, "dropout@1A").find("outside") != std::string::npos);
  CHECK(why_not(read(t, {{"line_from", "5 V"}}, {"dropout@200mA"}), "dropout@200mA").find("does not fall") != std::string::npos);
}

TEST_CASE("rows in any order are sorted, duplicates averaged with their scatter", "[conversion]") {
  const auto sorted = converter({0.1, 0.5, 1, 2, 3});
  auto shuffled = sorted;
  for (auto& [role, v] : shuffled) v = {v[3], v[0], v[4], v[2], v[1]};
  const std::vector<std::string> asked = {"efficiency@700mA"};
  CHECK(value(read(shuffled, {}, asked), "efficiency@700mA") == value(read(sorted, {}, asked), "efficiency@700mA"));
  CHECK(value(read(shuffled), "efficiency.max.at") == value(read(sorted), "efficiency.max.at"));

  Table twice = {{"vin", {12, 12, 12}}, {"iin", {0.5, 0.51, 0.49}}, {"vout", {5, 5, 5}}, {"iout", {1, 1, 1}}, {"line", {12, 12, 12}}, {"load", {1, 1, 1}}};
  const auto r = read(twice, {}, {"loss@1A"});
  CHECK(value(r, "loss@1A") == Approx(1.0));
  CHECK(*r.find("loss@1A")->u == Approx(12 * 0.01 / std::sqrt(3.0)).epsilon(1e-9));
  const auto two = read({{"vin", {12, 12}}, {"iin", {0.5, 0.52}}, {"vout", {5, 5}}, {"iout", {1, 1}}, {"line", {12, 12}}, {"load", {1, 1}}}, {}, {"loss@1A"});
  CHECK(value(two, "loss@1A") == Approx(12 * 0.51 - 5));
  CHECK(*two.find("loss@1A")->u == Approx(12 * 0.01).epsilon(1e-9));
}

TEST_CASE("one point gives what one point allows", "[conversion]") {
  const auto r = read(converter({1}), {{"nominal", "5 V"}}, {"efficiency@1A"});
  CHECK(value(r, "efficiency@1A") == Approx(efficiency_at(1)));
  CHECK(value(r, "efficiency.max") == Approx(efficiency_at(1)));
  CHECK(value(r, "accuracy.output") == Approx(0).margin(1e-12));
  CHECK(why_not(r, "loss.fixed").find("5 loads") != std::string::npos);
  CHECK(why_not(r, "regulation.line").find("two lines") != std::string::npos);
  CHECK(why_not(r, "regulation.load").find("two loads") != std::string::npos);
  CHECK(why_not(r, "ripple").find("never from points") != std::string::npos);
  CHECK(why_not(r, "power.idle").find("without a load") != std::string::npos);
}

TEST_CASE("uncertainties of channels go into figures as they are shared", "[conversion]") {
  auto t = converter({0.5, 1, 2, 3});
  const std::size_t n = 4;
  t.push_back({"u_iin", std::vector<double>(n)});
  t.push_back({"u_iin_shared_1", std::vector<double>(n)});
  for (std::size_t k = 0; k < n; ++k) t[4].second[k] = t[5].second[k] = 1e-3 * t[1].second[k];
  const auto gain = read(t, {}, {"efficiency@1A", "loss@1A"});
  CHECK(*gain.find("efficiency@1A")->u == Approx(1e-3 * efficiency_at(1)).epsilon(1e-4));
  // The loss is a small difference: the same error of the input weighs there as a share of the input's power.
  CHECK(*gain.find("loss@1A")->u == Approx(1e-3 * (5 + loss_at(1))).epsilon(1e-4));
  // A gain that all points share moves no maximum.
  CHECK(gain.find("efficiency.max.at")->u.value_or(0) < 1e-9);
  t.pop_back();
  const auto apart = read(t, {}, {});
  CHECK(*apart.find("efficiency.max.at")->u > 1e-3);
}

TEST_CASE("an efficiency that cannot be is told with what explains it", "[conversion][doubts]") {
  const auto sound = [] {
    auto t = joined({converter({0.1, 0.5, 1, 2}, 12)});
    t.push_back({"line", std::vector<double>(4, 12)});
    t.push_back({"load", {0.1, 0.5, 1, 2}});
    return t;
  };
  const study::SettingsText settings = {{"nominal", "5 V"}};
  CHECK(!doubt(read(sound(), settings), "efficiency.impossible"));
  const auto scaled = [&](std::size_t column, double by) {
    auto t = sound();
    for (auto& v : t[column].second) v *= by;
    return t;
  };
  const auto says = [&](const Table& t) {
    const auto r = read(t, settings);
    const auto* d = doubt(r, "efficiency.impossible");
    return d ? d->text : std::string();
  };
  CHECK(says(scaled(1, -1)).find("the input current stands the other way round") != std::string::npos);
  CHECK(says(scaled(3, -1)).find("the output current stands the other way round") != std::string::npos);
  CHECK(says(scaled(1, 0.1)).find("the input current reads a tenth") != std::string::npos);
  CHECK(says(scaled(3, 10)).find("the output current reads ten times") != std::string::npos);
  CHECK(says(scaled(2, 10)).find("the output voltage reads ten times") != std::string::npos);
  CHECK(says(scaled(0, 0.1)).find("the input voltage reads a tenth") != std::string::npos);
  auto swapped = sound();
  std::swap(swapped[1].second, swapped[3].second);
  std::swap(swapped[0].second, swapped[2].second);
  CHECK(says(swapped).find("input and output are exchanged") != std::string::npos);
  // Just beyond 1 by less than 2 u is no doubt.
  Table close = {{"vin", {10, 10}}, {"iin", {1, 2}}, {"vout", {10.01, 10.01}}, {"iout", {1, 2}}, {"u_vout", {0.006, 0.006}}};
  CHECK(!doubt(read(close), "efficiency.impossible"));
  close[4].second = {0.004, 0.004};
  CHECK(doubt(read(close), "efficiency.impossible"));
}

TEST_CASE("a shunt's own heat is told where it counts", "[conversion][doubts]") {
  auto t = converter({0.1, 1, 3});
  t.push_back({"u_iout", {1e-4, 1e-3, 3e-3}});
  // At 3 A a shunt of 10 mohm takes 90 mW: by 40 K/W and 50 ppm/K that is 0.018 %, less than half of 0.1 %.
  CHECK(!doubt(read(t, {{"shunt.iout", "10 mohm, 50 ppm/K, 40 K/W"}}), "shunt.drift"));
  const auto r = read(t, {{"shunt.iout", "10 mohm, 200 ppm/K, 40 K/W"}});
  REQUIRE(doubt(r, "shunt.drift"));
  CHECK(doubt(r, "shunt.drift")->text.find("0.072 %") != std::string::npos);
  // The heat itself is in the uncertainty: 0.072 % of the output's power, beside 0.1 % that its current is known to
  // (and a little for the place that the point moves to).
  const auto at_full = read(t, {{"shunt.iout", "10 mohm, 200 ppm/K, 40 K/W"}}, {"efficiency@3A"});
  CHECK(*at_full.find("efficiency@3A")->u == Approx(efficiency_at(3) * std::hypot(1e-3, 7.2e-4)).epsilon(0.02));
  const auto wrong = conversion::kind().reducer({{"shunt.iout", "10 mohm"}});
  REQUIRE(!wrong);
  CHECK(wrong.error().message.find("50 ppm/K") != std::string::npos);
}

TEST_CASE("a loss that drowns in its uncertainty says so", "[conversion][doubts]") {
  auto t = converter({0.1, 1, 3});
  t.push_back({"u_iin", {0.1e-3, 1e-3, 3e-3}});
  CHECK(doubt(read(t, {}, {"loss@1A"}), "noise.limited"));
  CHECK(!doubt(read(t, {{"u_limit", "10"}}, {"loss@1A"}), "noise.limited"));
  // Unasked, an efficiency that is known to more than a tenth is told.
  auto dim = converter({0.01, 1, 3});
  dim.push_back({"u_iin", {0.12 * dim[1].second[0], 0, 0}});
  REQUIRE(doubt(read(dim), "noise.limited"));
  CHECK(doubt(read(dim), "noise.limited")->text.find("12 % only") != std::string::npos);
  dim.back().second[0] *= 0.7;
  CHECK(!doubt(read(dim), "noise.limited"));
}

TEST_CASE("curves are named by what tells them apart, over the output current", "[conversion]") {
  const std::vector<double> loads = {0.1, 0.5, 1, 2};
  const auto curve_of = [](const Table& t) {
    const auto analysis = conversion::kind().analyse({point_of(t)}, {}, {});
    if (!analysis) FAIL(analysis.error().message);
    return *analysis->curve;
  };
  const auto one = curve_of(converter(loads));
  CHECK(one.x_name == "iout");
  CHECK(one.x == loads);
  REQUIRE(one.find("efficiency"));
  CHECK(one.find("efficiency")->y[2] == Approx(efficiency_at(1)));
  CHECK(one.find("loss")->y[3] == Approx(loss_at(2)));
  CHECK(one.find("output")->unit == "V");
  const auto two = curve_of(joined({converter(loads, 8), converter(loads, 16, 2)}));
  CHECK(!two.find("loss"));
  REQUIRE(two.all("loss").size() == 2);
  CHECK(two.all("loss")[1]->y[3] == Approx(2 * loss_at(2)));
  CHECK(two.all("loss")[1]->step == Approx(16));
  CHECK(two.all("loss")[0]->name.find("8.000") != std::string::npos);
}

TEST_CASE("a mask on efficiency holds every line to it", "[conversion][mask]") {
  const std::vector<double> loads = {0.1, 0.5, 1, 2, 3};
  const auto analysis = conversion::kind().analyse({point_of(joined({converter(loads, 8), converter(loads, 16, 3)}))}, {}, {});
  REQUIRE(analysis);
  // The second line loses three times as much: 5/(5 + 0.63) at 1 A.
  const auto at = [&](double limit) { return judge::judge(judge::Mask{.text = "m", .curve = "efficiency", .upper = {}, .lower = {{0.5, limit}, {3, limit}}}, *analysis->curve).verdict; };
  const auto worst = [&](double i) { return 5 * i / (5 * i + 3 * loss_at(i)); };
  const double lowest = std::min({worst(0.5), worst(1), worst(2), worst(3)});
  CHECK(at(lowest - 0.005) == judge::Verdict::meets);
  CHECK(at(lowest + 0.005) == judge::Verdict::fails);
}

TEST_CASE("what is no table of conversion is refused with its line", "[conversion]") {
  CHECK(refused({{"vin", {12}}, {"iin", {1}}, {"vout", {5}}}).find("there is no iout") != std::string::npos);
  auto t = converter({0.1, 1});
  t[2].second[1] = NAN;
  CHECK(refused(t) == "Row 2: a number is wanted.");
  t = converter({0.1, 1});
  t.push_back({"u_iin", {-1, 0}});
  CHECK(refused(t).find("not below zero") != std::string::npos);
  t = converter({0.1, 1});
  t[3].second.pop_back();
  CHECK(refused(t).find("one length") != std::string::npos);
  CHECK(!refused({{"vin", {}}, {"iin", {}}, {"vout", {}}, {"iout", {}}}).empty());
}

TEST_CASE("keys of figures and settings are understood or named", "[conversion]") {
  for (const char* key : {"efficiency@100mA", "loss@1A,12V", "efficiency@1A,frequency=400kHz", "dropout@0.2", "efficiency@1A,12V,temperature=60", "watch.rail.count", "transient.dip"}) {
    INFO(key);
    CHECK(conversion::check_figure_key(key));
  }
  for (const char* key : {"efficiency@", "efficiency@fast", "loss@1A,colour=3", "dropout@1A,12V", "efficiency", "gain@1kHz", "efficiency@1V"}) {
    INFO(key);
    CHECK(!conversion::check_figure_key(key));
  }
  for (const auto& [key, text] : std::vector<std::pair<std::string, std::string>>{{"settled_share", "1.5"}, {"dropout_fraction", "0"}, {"nominal", "5 A"}, {"speed", "1"}, {"tolerance", "-1"}}) {
    INFO(key);
    CHECK(!conversion::kind().check_setting(key, text));
  }
}

TEST_CASE("values of a sweep are typed as a list or as a range, both ways", "[conversion][words]") {
  using study::steps_from;
  using study::steps_text;
  CHECK(*steps_from("5 V, 12 V", "V") == std::vector<double>{5, 12});
  CHECK(*steps_from("10 mA to 50 mA in 5", "A") == std::vector<double>{0.01, 0.02, 0.03, 0.04, 0.05});
  const auto log = *steps_from("10 mA to 10 A in 4 log", "A");
  REQUIRE(log.size() == 4);
  CHECK(log[1] == Approx(0.1));
  CHECK(steps_text(log, "A") == "10 mA to 10 A in 4 log");
  CHECK(*steps_from(steps_text(log, "A"), "A") == log);
  CHECK(steps_text({1, 2, 4}, "V") == "1 V, 2 V, 4 V");
  CHECK(steps_text({1, 2, 3, 4}, "V") == "1 V to 4 V in 4");
  for (const char* wrong : {"", "fast", "1 V to 5 V in 1", "0 V to 5 V in 4 log", "1 V to 5 V in 1e9", "1 A, 2 A"}) {
    INFO(wrong);
    CHECK(!steps_from(wrong, "V"));
  }
}

TEST_CASE("what is exported as readings comes back with its uncertainties", "[conversion]") {
  auto t = converter({0.5, 1, 2, 3});
  t.push_back({"u_iin", {1e-3, 1e-3, 1e-3, 1e-3}});
  t.push_back({"u_iin_shared_1", {8e-4, 8e-4, 8e-4, 8e-4}});
  t.push_back({"line", {12, 12, 12, 12}});
  const auto reduced = conversion::kind().reduce({point_of(t)}, {});
  REQUIRE(reduced);
  const auto out = (*reduced)->readings();
  REQUIRE(out);
  const auto first = (*reduced)->read({}, {"efficiency@700mA"}), again = conversion::kind().analyse({{.setting = nlohmann::json::object(), .records = {*out}}}, {}, {"efficiency@700mA"});
  REQUIRE(again);
  for (const auto& f : first->reading.figures) {
    const auto* other = again->reading.find(f.key);
    REQUIRE(other);
    CHECK(other->value == Approx(f.value));
    CHECK(other->u.value_or(0) == Approx(f.u.value_or(0)).margin(1e-12));
  }
}

}  // namespace conversion_figures
