#include <catch2/catch.hpp>
#include <cmath>

#include "study/conversion/doubts.h"
#include "study/conversion/kind.h"
#include "support.h"

using namespace heron;

/// Each doubt of conversion just under its threshold and just over it, on rows made by hand.
namespace conversion_doubts {
namespace {

namespace conversion = study::conversion;
using conversion::Evidence;
using conversion::Port;
using conversion::Row;
using conversion::Rows;
using conversion::Settings;
using study::Doubt;

/// 12 V in, 5 V out; iin gives an efficiency of 5/6 at any load.
Row row(double iout, double line = 12, int point = 0) {
  Row out{.line = line, .load = iout, .point = point};
  out.of(Port::vin).value = line;
  out.of(Port::iin).value = 6 * iout / line;
  out.of(Port::vout).value = 5;
  out.of(Port::iout).value = iout;
  return out;
}
Row row(double vin, double iin, double vout, double iout) {
  Row out;
  out.of(Port::vin).value = vin;
  out.of(Port::iin).value = iin;
  out.of(Port::vout).value = vout;
  out.of(Port::iout).value = iout;
  return out;
}

std::vector<Doubt> doubts(const Rows& rows, const Settings& settings = {}, const std::vector<Evidence>& evidence = {}, const study::Reading& reading = {}, const std::vector<std::string>& asked = {}) {
  auto out = conversion::find_doubts(rows, evidence, {}, reading, settings, asked);
  if (!out) FAIL(out.error().message);
  return std::move(*out);
}
std::string says(const std::vector<Doubt>& all, std::string_view key) {
  for (const auto& d : all)
    if (d.key == key) return test::spaced(d.text);
  return {};
}
const Doubt& the(const std::vector<Doubt>& all, std::string_view key) {
  for (const auto& d : all)
    if (d.key == key) return d;
  FAIL(std::string(key) << " is not doubted");
  return all.front();
}

Evidence evidence(int point = 0) {
  return {.point = point, .line = 12, .load = 1, .from_bench = true, .line_set = 12};
}

study::Point record_of(const std::vector<std::pair<std::string, std::function<double(double)>>>& signals, std::size_t samples, double rate, std::optional<double> range = {}) {
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  study::Record record{.sample_rate = rate};
  for (const auto& [role, of] : signals) {
    study::Channel channel{.role = role, .unit = role[0] == 'v' ? "V" : "A"};
    for (std::size_t k = 0; k < samples; ++k) channel.numbers.push_back(of(double(k) / rate));
    channel.range = range;
    record.channels.push_back(std::move(channel));
  }
  point.records.push_back(std::move(record));
  return point;
}
std::vector<Doubt> of_record(const study::Point& point, const study::SettingsText& settings = {}) {
  const auto analysis = conversion::kind().analyse({point}, settings, {});
  if (!analysis) FAIL(analysis.error().message);
  return analysis->reading.doubts;
}

}  // namespace

TEST_CASE("an impossible efficiency names the row that lies farthest from what can be", "[conversion][doubts]") {
  CHECK(doubts({row(1)}).empty());
  CHECK(doubts({}).empty());
  // 0.5 V times 1 A out of 0.48 W, and 5 V times 1 A out of 4 W.
  const auto two = doubts({row(1, 0.48, 0.5, 1), row(8, 0.5, 5, 1), row(12, 0.5, 5, 1)});
  REQUIRE(two.size() == 1);
  CHECK(two[0].severity == study::Severity::serious);
  CHECK(two[0].place == study::Place::hookup);
  CHECK(test::spaced(two[0].text).starts_with("An efficiency of 1.25 at 8.00 V and 1.00 A cannot be"));
  // Both lie below 1 with either of these; that it reads a tenth would leave 0.1, and nothing is said of settings.
  CHECK(says(two, "efficiency.impossible").find(": perhaps ") != std::string::npos);
  CHECK(two[0].remedy == "Check that channel's place, direction and factor.");
  // No single channel explains both a row of ten and one of minus two.
  const auto none = doubts({row(1, 1, 1, 10), row(1, 1, -1, 2)});
  CHECK(says(none, "efficiency.impossible") == "An efficiency of 10 at 1.00 V and 10.0 A cannot be.");
  CHECK(the(none, "efficiency.impossible").remedy == "Check the places, directions and factors of all four channels.");
  // Below nothing by more than two u; a row without input says nothing.
  auto below = row(10, 1, 1, -0.01);
  CHECK_FALSE(says(doubts({below}), "efficiency.impossible").empty());
  below.of(Port::iout).u = 0.0049;
  CHECK_FALSE(says(doubts({below}), "efficiency.impossible").empty());
  below.of(Port::iout).u = 0.0051;
  CHECK(says(doubts({below}), "efficiency.impossible").empty());
  CHECK(doubts({row(0, 1, 5, 1)}).empty());
}

TEST_CASE("what explains an impossible efficiency fits what was set best", "[conversion][doubts]") {
  const auto perhaps = [](Row r, std::optional<double> nominal = 5, bool set = true) {
    if (set) {
      r.line = 12;
      r.load = 1;
    }
    Settings settings;
    settings.nominal = nominal;
    const auto text = says(doubts({r}, settings), "efficiency.impossible");
    const auto at = text.find("perhaps ");
    return at == std::string::npos ? std::string() : text.substr(at + 8);
  };
  CHECK(perhaps(row(12, -0.5, 5, 1)) == "the input current stands the other way round.");
  CHECK(perhaps(row(12, 0.5, 5, -1)) == "the output current stands the other way round.");
  CHECK(perhaps(row(-12, 0.5, 5, 1)) == "the input voltage stands the other way round.");
  CHECK(perhaps(row(12, 0.5, -5, 1)) == "the output voltage stands the other way round.");
  CHECK(perhaps(row(12, 0.05, 5, 1)) == "the input current reads a tenth of what it is: the factor of its sensor.");
  CHECK(perhaps(row(12, 0.5, 5, 10)) == "the output current reads ten times what it is: the factor of its sensor.");
  CHECK(perhaps(row(1.2, 0.5, 5, 1)) == "the input voltage reads a tenth of what it is: the factor of its probe.");
  CHECK(perhaps(row(12, 0.5, 50, 1)) == "the output voltage reads ten times what it is: the factor of its probe.");
  CHECK(perhaps(row(5, 1, 12, 0.5)) == "input and output are exchanged.");
  CHECK(perhaps(row(5, 0.5, 12, 1)) == "the two voltages are exchanged.");
  CHECK(perhaps(row(12, 0.05, 5, 0.5), 5, false).starts_with("the input current"));
  CHECK(perhaps(row(12, 0.25, 5, 0.5)).empty());
  // The currents of a converter upwards: 5 V 1.2 A in, 12 V 0.4 A out.
  Row up = row(5, 0.4, 12, 1.2);
  up.line = 5;
  up.load = 0.4;
  Settings settings;
  settings.nominal = 12;
  CHECK(says(doubts({up}, settings), "efficiency.impossible").ends_with("perhaps the two currents are exchanged."));
  // A load or a line set to nothing tells nothing; a reading of the other sign speaks strongly against.
  Row idle = row(12, -0.5, 5, 1);
  idle.line = 12;
  idle.load = 0;
  CHECK(says(doubts({idle}, settings), "efficiency.impossible").ends_with("the input current stands the other way round."));
}

TEST_CASE("a source that gives in is told by its own word or by 2 % of the input", "[conversion][doubts]") {
  const auto of = [](double vin, bool limited, bool sensed = true, double leads = 0) {
    auto r = row(1);
    r.of(Port::vin).value = vin;
    r.of(Port::iin).value = 0.5;
    auto e = evidence();
    e.limited = limited;
    e.sensed = sensed;
    e.leads = leads;
    return says(doubts({r}, {}, {e}), "source.limit");
  };
  CHECK(of(12, true) == "The source does not hold 12.0 V at 12.0 V and 1.00 A: it stands at its current limit.");
  CHECK(of(11.75, false) == "The source does not hold 12.0 V at 12.0 V and 1.00 A: its output lies over 2 % below.");
  CHECK(of(11.77, false).empty());
  CHECK(of(12.5, false).empty());
  // 0.6 ohm of leads drop 0.3 V at half an ampere; sensed at the device it holds that itself.
  CHECK(of(11.5, false, false, 0.6).empty());
  CHECK_FALSE(of(11.4, false, false, 0.6).empty());
  CHECK_FALSE(of(11.5, false, true, 0.6).empty());
  // What nobody set is not missed, nor is a table's row.
  auto e = evidence();
  e.line_set = {};
  auto r = row(1);
  r.of(Port::vin).value = 6;
  CHECK(says(doubts({r}, {}, {e}), "source.limit").empty());
  e.limited = true;
  CHECK(says(doubts({r}, {}, {e}), "source.limit") == "The source does not hold 12.0 V at 12.0 V and 1.00 A: it stands at its current limit.");
  e.from_bench = false;
  CHECK(says(doubts({r}, {}, {e}), "source.limit").empty());
  // The first of several; by its own row.
  auto first = evidence(0), second = evidence(1), third = evidence(2);
  second.line = second.line_set.emplace(9);
  third.line = third.line_set.emplace(8);
  auto low = row(1, 9, 1), lower = row(1, 8, 2);
  low.of(Port::vin).value = 8;
  lower.of(Port::vin).value = 5;
  const auto all = doubts({row(1, 12, 0), low, lower}, {}, {first, second, third});
  CHECK(says(all, "source.limit").starts_with("The source does not hold 9.00 V"));
  CHECK(the(all, "source.limit").mend == study::Mend::raise_source_limit);
  CHECK(the(all, "source.limit").severity == study::Severity::serious);
  // A point without a row is judged by what its instrument said.
  CHECK(says(doubts({}, {}, {first}), "source.limit").empty());
}

TEST_CASE("points at which the load gave in are counted", "[conversion][doubts]") {
  std::vector<Evidence> all(4, evidence());
  for (int k = 0; k < 3; ++k) all[std::size_t(k)].load_limited = true;
  CHECK(says(doubts({row(1)}, {}, all), "compliance.reached") == "The load stood at its own limit at 3 points.");
  all[0].load_limited = false;
  CHECK(says(doubts({row(1)}, {}, all), "compliance.reached").empty());
}

TEST_CASE("a reading that drifts is held against the highest of so many comparisons", "[conversion][doubts]") {
  // Of one point's four: sqrt(9 + 2 ln 4) = 3.431; of a hundred points': sqrt(9 + 2 ln 400) = 4.580.
  const auto of = [](double halves, std::size_t points) {
    std::vector<Evidence> all(points, evidence());
    all.back().halves = halves;
    all.back().halves_of = Port::iin;
    all.back().halves_by = -2e-3;
    return says(doubts({row(1)}, {}, all), "settling.short");
  };
  CHECK(of(3.42, 1).empty());
  CHECK(of(3.44, 1) == "iin still moved by 2.0 mA while it was read at 12.0 V and 1.00 A: 3.4 times its uncertainty.");
  CHECK(of(4.57, 100).empty());
  CHECK_FALSE(of(4.59, 100).empty());
  // Of several the one that moves most.
  std::vector<Evidence> all(3, evidence());
  all[0].halves = 10;
  all[1].halves = 30;
  all[2].halves = 20;
  CHECK(says(doubts({row(1)}, {}, all), "settling.short").ends_with("30.0 times its uncertainty."));
  CHECK(the(doubts({row(1)}, {}, all), "settling.short").mend == study::Mend::settle);
  all[1].from_bench = false;
  CHECK(says(doubts({row(1)}, {}, all), "settling.short").ends_with("20.0 times its uncertainty."));
}

TEST_CASE("what moves from one reading to the next is told where they never agreed", "[conversion][doubts]") {
  const auto of = [](double moved, int passes, bool agreed) {
    auto e = evidence();
    e.moved = moved;
    e.moved_by = -12e-3;
    e.moved_of = Port::vout;
    e.passes = passes;
    e.agreed = agreed;
    return says(doubts({row(1)}, {}, {e}), "thermal.drift");
  };
  CHECK(of(3.1, 2, false) == "vout moved by 12 mV from one reading to the next at 12.0 V and 1.00 A, after 2 of them: 3.1 times its uncertainty.");
  CHECK(of(2.9, 2, false).empty());
  CHECK(of(3.1, 1, false).empty());
  CHECK(of(3.1, 2, true).empty());
  std::vector<Evidence> all(3, evidence());
  for (std::size_t k = 0; k < 3; ++k) {
    all[k].passes = 3;
    all[k].agreed = false;
    all[k].moved = k == 1 ? 40 : 20;
  }
  CHECK(says(doubts({row(1)}, {}, all), "thermal.drift").ends_with("40.0 times its uncertainty."));
  CHECK(the(doubts({row(1)}, {}, all), "thermal.drift").mend == study::Mend::warm_up);
}

TEST_CASE("a temperature that was waited for and never rested is told, the one that moves most", "[conversion][doubts]") {
  const auto of = [](const std::vector<double>& by, std::size_t readings, bool rests = false) {
    std::vector<Evidence> all;
    for (const double b : by) {
      all.push_back(evidence());
      conversion::Warming w{.place = fmt::format("coil {:.0f}", b), .u = 0.3, .rests = rests, .by = b};
      for (std::size_t k = 0; k < readings; ++k) {
        w.times.push_back(10.0 * double(k + 1));
        w.read.push_back(25 + double(k));
      }
      all.back().warming = w;
    }
    return says(doubts({row(1)}, {}, all), "thermal.drift");
  };
  CHECK(of({2}, 4) == "coil 2 still moved by 2.0 K a minute at 12.0 V and 1.00 A, after 40 s of waiting.");
  CHECK(of({2}, 4, true).empty());
  // One that a watch cut short was not waited for.
  CHECK(of({2}, 3).empty());
  CHECK(of({2, -5, 3}, 4).starts_with("coil -5 still moved by 5.0 K a minute"));
}

TEST_CASE("what leads take is told from half a per cent of the input on", "[conversion][doubts]") {
  // 6 W in at 0.5 A, 1 A out: R (0.25 + 1) against 30 mW.
  const auto of = [](double leads, bool sensed = false, std::optional<double> lost = {}) {
    auto e = evidence();
    e.leads = leads;
    e.sensed = sensed;
    e.lost_in_leads = lost;
    return doubts({row(1)}, {}, {e});
  };
  CHECK(says(of(0.0239), "leads.drop").empty());
  CHECK(says(of(0.0241), "leads.drop") == "Read at the terminals of source and load: their leads take 0.5 % of the input power at 12.0 V and 1.00 A.");
  CHECK(the(of(0.0241), "leads.drop").edits == study::Edits{{"sensing", "at the device's pins"}});
  CHECK(says(of(0.0241, true), "leads.drop").empty());
  CHECK(says(of(0.0241, false, 0.03), "leads.drop").empty());
  // The worst of several: 2 A out at 12 V take 4 times the loss of twice the power.
  auto low = evidence(0), high = evidence(1);
  low.sensed = high.sensed = false;
  low.leads = high.leads = 0.036;
  high.load = 2;
  CHECK(says(doubts({row(1, 12, 0), row(2, 12, 1)}, {}, {low, high}), "leads.drop").ends_with("1.5 % of the input power at 12.0 V and 2.00 A."));
  CHECK(says(doubts({row(1, 12, 0), row(2, 12, 1)}, {}, {high, low}), "leads.drop").ends_with("at 12.0 V and 2.00 A."));
}

TEST_CASE("a shunt's heat is told from half of what its current is known to", "[conversion][doubts]") {
  Settings settings;
  // 10 mohm at 2 A: 40 mW, by 25 K/W 1 K; 100 ppm/K.
  settings.shunts["iout"] = {0.01, 100e-6, 25};
  const auto of = [&](double u, double shared) {
    auto r = row(2);
    r.of(Port::iout).u = u;
    r.of(Port::iout).shared = {{1, shared}};
    return says(doubts({row(0.5), r, row(1)}, settings), "shunt.drift");
  };
  CHECK(of(0, 0) == "The shunt of iout takes 40.0 mW at 2.00 A, warms by 1 K and moves by 0.01 %.");
  // Half of its u: 2e-4 of 2 A; of two parts it is their root of squares.
  CHECK_FALSE(of(3.9e-4, 0).empty());
  CHECK(of(4.1e-4, 0).empty());
  CHECK_FALSE(of(2.3e-4, 3.1e-4).empty());
  CHECK(of(2.5e-4, 3.3e-4).empty());
  // A current the other way heats as much; none heats not at all, nor does a shunt without a coefficient.
  auto back = row(1);
  back.of(Port::iout).value = -2;
  CHECK_FALSE(says(doubts({back, row(1)}, settings), "shunt.drift").empty());
  CHECK(says(doubts({back, row(1)}, settings), "shunt.drift").find("at −2.00 A") != std::string::npos);
  auto idle = row(0);
  CHECK(says(doubts({idle}, settings), "shunt.drift").empty());
  CHECK(says(doubts({}, settings), "shunt.drift").empty());
  settings.shunts["iout"].temperature_coefficient = 0;
  CHECK(of(0, 0).empty());
  // At the input of the same row half an ampere flows: 2.5 mW.
  settings.shunts = {{"iin", {0.01, -100e-6, 400}}};
  CHECK(of(0, 0).starts_with("The shunt of iin takes 10.0 mW at 1.00 A, warms by 4 K and moves by"));
}

TEST_CASE("a figure that is known badly is told by why", "[conversion][doubts]") {
  const auto of = [](study::Figure f, double u_limit = 0.01) {
    Settings settings;
    settings.u_limit = u_limit;
    study::Reading reading;
    const std::vector<std::string> asked = {"efficiency@2A", f.key};
    reading.figures.push_back(std::move(f));
    return doubts({row(1)}, settings, {}, reading, asked);
  };
  const study::Figure loss{.key = "loss@1A", .label = "Loss at 1 A", .value = -2, .unit = "W", .u = 0.021};
  CHECK(says(of(loss), "noise.limited") == "Loss at 1 A is known to 1.1 %: it is a small difference of two large powers.");
  CHECK(the(of(loss), "noise.limited").mend == study::Mend::average);
  CHECK(of(loss, 0.011).empty());
  auto other = loss;
  other.key = "efficiency@1A";
  other.label = "Efficiency at 1 A";
  CHECK(says(of(other), "noise.limited") == "Efficiency at 1 A is known to 1.1 %.");
  // Where it lies between points by more than seven tenths of that, another reading is what is wanted.
  other.u_between = 0.0146;
  CHECK(says(of(other), "noise.limited").ends_with("known to 1.1 %."));
  other.u_between = 0.0148;
  CHECK(says(of(other), "noise.limited").empty());
  CHECK(says(of(other), "points.sparse") == "Efficiency at 1 A lies between two points; between them it may be off by 0.74 %.");
  auto nothing = loss;
  nothing.of_nothing = true;
  CHECK(of(nothing).empty());
  nothing = loss;
  nothing.value = 0;
  CHECK(of(nothing).empty());
  nothing = loss;
  nothing.u = {};
  CHECK(of(nothing).empty());
}

TEST_CASE("the row whose efficiency is known worst is told from a tenth on", "[conversion][doubts]") {
  const auto dim = [](double iout, double share) {
    auto r = row(iout);
    r.of(Port::iout).u = share * iout;
    return r;
  };
  CHECK(doubts({dim(0.01, 0.099), dim(1, 0.01)}).empty());
  const auto found = doubts({dim(1, 0.01), dim(0.01, 0.2), dim(0.02, 0.15)});
  REQUIRE(found.size() == 1);
  CHECK(says(found, "noise.limited") == "The efficiency at 12.0 V and 10.0 mA is known to 20 % only.");
  CHECK(found[0].severity == study::Severity::note);
  // Rows that lack a part, or into which nothing goes, say nothing.
  auto part = dim(0.01, 0.2);
  part.whole = false;
  CHECK(doubts({part}).empty());
  auto none = dim(0.01, 0.2);
  none.of(Port::iin).value = 0;
  CHECK(doubts({none}).empty());
  none = dim(0.01, 0.2);
  none.of(Port::vout).value = 0;
  CHECK(doubts({none}).empty());
}

TEST_CASE("a loss that is known to half is told where a loss is asked", "[conversion][doubts]") {
  const auto of = [](double u_vin, const std::vector<std::string>& asked) {
    // 6 W in, 5 W out: 1 W, known to u_vin times half an ampere.
    Rows rows = {row(0.5), row(1), row(0.25)};
    rows[1].of(Port::vin).u = u_vin;
    return says(doubts(rows, {}, {}, {}, asked), "noise.limited");
  };
  CHECK(of(1.02, {"loss.fixed"}) == "The loss at 12.0 V and 1.00 A is known to 51 % only: it is a small difference of two large powers.");
  CHECK(of(0.98, {"loss.fixed"}).empty());
  CHECK(of(1.02, {"efficiency.max"}).empty());
  Rows gains = {row(12, 0.5, 6.01, 1)};
  gains[0].of(Port::vout).u = 1;
  CHECK(says(doubts(gains, {}, {}, {}, {"loss.fixed"}), "noise.limited").find("The loss") == std::string::npos);
}

TEST_CASE("inputs of a record are held against their ranges by the larger of their ends", "[conversion][doubts]") {
  const auto used = [](double low, double high, std::optional<double> range) {
    return says(of_record(record_of({{"vout", [=](double t) { return std::fmod(t, 2e-3) < 1e-3 ? low : high; }}}, 256, 100e3, range)), "range.underused");
  };
  CHECK(used(-0.97, 0.5, 10) == "vout uses 9.7 % of its range of 10.0 V.");
  CHECK(used(-1.03, 0.5, 10).empty());
  CHECK(used(-0.5, 0.97, 10) == "vout uses 9.7 % of its range of 10.0 V.");
  CHECK(used(-0.5, 1.03, 10).empty());
  CHECK(used(-0.5, 0.97, {}).empty());
}

TEST_CASE("what swings at the input is told by its size, its share and its line", "[conversion][doubts]") {
  const auto record = [](double frequency, double peak_to_peak, double mean = 12, std::size_t samples = 8192) {
    return record_of({{"vin", [=](double t) { return mean + peak_to_peak / 2 * std::sin(2 * M_PI * frequency * t); }}, {"vout", [](double) { return 5.0; }}}, samples, 1e6);
  };
  const auto of = [&](const study::Point& point, const study::SettingsText& settings = {}) { return says(of_record(point, settings), "source.oscillates"); };
  CHECK(of(record(8e3, 0.6)) == "The input swings by 600 mV pk-pk, 5 % of it, mostly at 8.06 kHz.");
  CHECK(of(record(8e3, 0.6), {{"switching", "130 kHz"}}).ends_with("mostly at 8.06 kHz, which is not a line of the switching."));
  CHECK_FALSE(of(record(8e3, 0.6, -12)).empty());
  // Lines of the switching and its multiples are its own, within 2 % of it, or four of the transform's where those are wider.
  for (const double own : {1.0, 2.0, 3.0}) CHECK(of(record(own * 100e3, 0.6), {{"switching", "100 kHz"}}).empty());
  CHECK(of(record(101.4e3, 0.6), {{"switching", "100 kHz"}}).empty());
  CHECK_FALSE(of(record(103e3, 0.6), {{"switching", "100 kHz"}}).empty());
  CHECK_FALSE(of(record(50e3, 0.6), {{"switching", "100 kHz"}}).empty());
  CHECK(of(record(8.3e3, 0.6), {{"switching", "8 kHz"}}).empty());
  // Too short to tell lines apart, or no input: nothing is said.
  CHECK(of(record(100e3, 0.6, 12, 63)).empty());
  CHECK_FALSE(of(record(100e3, 0.6, 12, 64)).empty());
  CHECK(of(record_of({{"vout", [](double t) { return 5 + std::sin(5e4 * t); }}}, 8192, 1e6)).empty());
  // A line that steps on purpose does not swing.
  CHECK(of(record_of({{"vin", [](double t) { return std::fmod(t, 2e-3) < 1e-3 ? 5.0 : 8.0; }}, {"vout", [](double) { return 3.3; }}}, 8192, 1e6)).empty());
  // Said once, however many records say it.
  auto twice = record(8e3, 0.6);
  twice.records.push_back(twice.records.front());
  const auto all = of_record(twice);
  CHECK(std::count_if(all.begin(), all.end(), [](const Doubt& d) { return d.key == "source.oscillates"; }) == 1);
}

}  // namespace conversion_doubts
