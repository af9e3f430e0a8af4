#include <catch2/catch.hpp>
#include <cmath>

#include "study/switching/reduced.h"
#include "support.h"

using namespace heron;

/// Shots made by hand: what several of them come to over their currents, buses and resistors.
namespace switching_sweeps {
namespace {

namespace switching = study::switching;
using switching::Energy;
using switching::Family;
using switching::Found;
using switching::Key;
using switching::ReadShot;
using switching::ReadShotPtr;
using switching::ShotSetting;
using switching::Source;
using switching::SweepPoint;

Found found(double value, double own = 0, switching::BySource shared = {}) {
  Found out;
  out.value = value;
  out.own = own;
  out.shared = shared;
  return out;
}

struct Given {
  double load = 10;
  double on = 2e-6, off = 1e-6;
  std::optional<double> recovery = {};
  double own = 0;
  switching::BySource shared = {};
  double bus = 48, u_load = 0;
  ShotSetting setting = {};
  std::optional<switching::Skew> skew = {};
};
ReadShotPtr shot(const Given& g) {
  auto out = std::make_shared<ReadShot>();
  out->shot = std::make_shared<const switching::Shot>();
  out->setting = g.setting;
  out->skew = g.skew;
  switching::Event event{.bus = {g.bus, 0}, .load = {g.load, g.u_load}, .gate_low = {}, .gate_high = {}};
  out->off.emplace();
  out->off->event = event;
  out->off->found[std::size_t(Key::energy_off)] = found(g.off, g.own, g.shared);
  out->on.emplace();
  out->on->event = event;
  out->on->found[std::size_t(Key::energy_on)] = found(g.on, g.own, g.shared);
  if (g.recovery) out->on->found[std::size_t(Key::energy_recovery)] = found(*g.recovery, g.own);
  return out;
}
ShotSetting set(std::optional<double> bus, std::optional<double> current = {}, std::optional<double> resistor = {}, std::optional<double> temperature = {}) {
  return {.point = 0, .bus = bus, .current = current, .resistor = resistor, .temperature = temperature};
}

const study::Figure& the(const study::Reading& r, std::string_view key) {
  const auto* f = r.find(key);
  if (!f)
    for (const auto& a : r.absent)
      if (a.key == key) FAIL(std::string(key) << ": " << a.reason);
  if (!f) FAIL(std::string(key));
  return *f;
}
std::string why_not(const study::Reading& r, std::string_view key) {
  for (const auto& a : r.absent)
    if (a.key == key) return test::spaced(a.reason);
  return r.find(key) ? "it is there" : "nothing is said";
}

Family line(const std::vector<std::pair<double, double>>& points, double own = 0) {
  Family out;
  for (const auto& [load, energy] : points) {
    SweepPoint p{.load = load, .energy = {}};
    p.energy[0] = found(energy, own);
    out.points.push_back(p);
  }
  return out;
}

}  // namespace

TEST_CASE("shots are one family where bus, resistor and temperature are, told or not, within 3 %", "[switching][sweep]") {
  const auto families = [](const std::vector<ShotSetting>& all) {
    std::vector<ReadShotPtr> shots;
    for (std::size_t k = 0; k < all.size(); ++k) shots.push_back(shot({.load = 10.0 + double(k), .setting = all[k]}));
    return switching::families_of(shots);
  };
  CHECK(families({set(48), set(49.4)}).size() == 1);
  CHECK(families({set(48), set(49.6)}).size() == 2);
  CHECK(families({set(48, {}, 10), set(48, {}, 10.2)}).size() == 1);
  CHECK(families({set(48, {}, 10), set(48, {}, 20)}).size() == 2);
  CHECK(families({set(48, {}, 10), set(48)}).size() == 2);
  CHECK(families({set(48, {}, {}, 25), set(48, {}, {}, 100)}).size() == 2);
  // What nobody set is what was read.
  const auto read = families({set({}), set({})});
  REQUIRE(read.size() == 1);
  CHECK(read[0].bus == 48);
  CHECK(read[0].name().empty());
  const auto two = families({set(48, {}, 10, 25), set(60, {}, 10, 25)});
  CHECK(two[0].by_bus);
  CHECK_FALSE(two[0].by_resistor);
  CHECK_FALSE(two[0].by_temperature);
  CHECK(test::spaced(two[1].name()) == "60 V");
  const auto all = families({set(48, {}, 10, 25), set(60, {}, 20, 100)});
  CHECK(test::spaced(all[1].name()) == "60 V, 20 Ω, 100 °C");
  // What one of two does not tell is left out of its name.
  const auto mixed = switching::families_of({shot({.setting = set(48, 10, 10)}), shot({.setting = set(48, 10)})});
  REQUIRE(mixed.size() == 2);
  CHECK(test::spaced(mixed[0].name()) == "10 Ω");
  CHECK(mixed[1].name().empty());
  // A shot without a load says nothing; one that only turns on does.
  auto none = std::make_shared<ReadShot>();
  none->shot = std::make_shared<const switching::Shot>();
  CHECK(switching::families_of({none}).empty());
  auto half = std::make_shared<ReadShot>(*shot({.load = 7}));
  half->off.reset();
  CHECK(switching::families_of({half})[0].points[0].load == 7);
}

TEST_CASE("shots of one setting are their mean, in the order of their currents", "[switching][sweep]") {
  const auto families = switching::families_of({shot({.load = 20, .on = 9e-6, .setting = set(48, 20)}), shot({.load = 10, .on = 2e-6, .own = 0.1e-6, .shared = {0.2e-6}, .u_load = 0.3, .setting = set(48, 10)}),
                                                shot({.load = 10.4, .on = 4e-6, .own = 0.1e-6, .shared = {0.4e-6}, .u_load = 0.4, .setting = set(48, 10)})});
  REQUIRE(families.size() == 1);
  REQUIRE(families[0].points.size() == 2);
  const auto& p = families[0].points[0];
  CHECK(p.shots == 2);
  CHECK(p.load == Approx(10.2));
  CHECK(p.bus == Approx(48));
  CHECK(p.u_load == Approx(0.25));
  REQUIRE(p.energy[0]);
  CHECK(*p.energy[0]->value == Approx(3e-6));
  // They differ by 2 uJ: the mean is known to 1.
  CHECK(p.energy[0]->own == Approx(1e-6));
  CHECK(p.energy[0]->shared[0] == Approx(0.3e-6));
  CHECK(families[0].points[1].load == 20);
  CHECK(families[0].points[1].shots == 1);
  // Where they agree better than they know, what they know.
  const auto alike = switching::families_of({shot({.own = 0.3e-6, .setting = set(48, 10)}), shot({.own = 0.4e-6, .setting = set(48, 10)})});
  CHECK(alike[0].points[0].energy[0]->own == Approx(0.25e-6));
  // Currents that nobody set are one within 3 % of the first.
  const auto untold = switching::families_of({shot({.load = 10}), shot({.load = 10.29}), shot({.load = 10.4})});
  CHECK(untold[0].points.size() == 2);
  // The total is that of both events, with the other device's where it is known; without one of them there is none.
  const auto total = switching::families_of({shot({.on = 2e-6, .off = 1e-6, .recovery = 0.5e-6, .own = 0.3e-6, .shared = {0.1e-6}})})[0].points[0].energy[std::size_t(Energy::total)];
  REQUIRE(total);
  CHECK(*total->value == Approx(3.5e-6));
  CHECK(total->own == Approx(0.3e-6 * std::sqrt(3.0)));
  CHECK(total->shared[0] == Approx(0.2e-6));
  auto half = std::make_shared<ReadShot>(*shot({}));
  half->on.reset();
  const auto only = switching::families_of({half})[0].points[0];
  CHECK_FALSE(only.energy[std::size_t(Energy::total)]);
  CHECK_FALSE(only.energy[std::size_t(Energy::on)]);
  CHECK(only.energy[std::size_t(Energy::off)]);
}

TEST_CASE("an energy at a current lies on the line between two shots, and is known as they are", "[switching][sweep]") {
  const auto family = line({{10, 2}, {20, 6}, {40, 8}}, 0.1);
  const auto at = [&](double current, const Family& of) {
    const auto out = switching::energy_at(of, Energy::on, current);
    if (!out) FAIL(out.error());
    return *out;
  };
  CHECK(at(10, family).value == Approx(2));
  CHECK(at(15, family).value == Approx(4));
  CHECK(at(15, family).u == Approx(0.1 / std::sqrt(2.0)));
  CHECK(at(20, family).value == Approx(6));
  CHECK(at(20, family).u == Approx(0.1));
  CHECK(at(30, family).value == Approx(7));
  CHECK(at(25, family).u == Approx(0.1 * std::hypot(0.75, 0.25)));
  // A hair beside the ends.
  CHECK(at(9.75, family).value == Approx(1.9));
  CHECK(at(41, family).value == Approx(8.1));
  CHECK(test::spaced(switching::energy_at(family, Energy::on, 9.6).error()) == "the shots go from 10.0 A to 40.0 A");
  CHECK_FALSE(switching::energy_at(family, Energy::on, 41.5));
  CHECK(switching::energy_at(family, Energy::off, 20).error() == "no shot has it");
  CHECK(switching::energy_at({}, Energy::on, 20).error() == "no shot has it");
  // One shot alone: by its own share beside.
  const auto one = line({{10, 2}}, 0.1);
  CHECK(at(10, one).value == 2);
  CHECK(at(10, one).u == Approx(0.1));
  CHECK(at(10.2, one).u == Approx(std::hypot(0.1, 2 * 0.02)));
  // What the currents are not known to, by the slope; what all share as it stands.
  auto loads = line({{10, 2}, {20, 6}});
  loads.points[0].u_load = 0.5;
  loads.points[1].u_load = 0.25;
  CHECK(at(15, loads).u == Approx(0.4 * std::hypot(0.25, 0.125)));
  auto shared = line({{10, 2}, {20, 6}});
  shared.points[0].energy[0]->shared[std::size_t(Source::v_gain)] = 0.2;
  shared.points[1].energy[0]->shared[std::size_t(Source::v_gain)] = 0.6;
  CHECK(at(15, shared).u == Approx(0.4));
  // An error of the currents moves both: (2 + 0.4 t) at a current that reads 1 A more.
  auto moved = line({{10, 2}, {20, 6}});
  for (auto& p : moved.points) p.load_shared[std::size_t(Source::i_offset)] = 1;
  CHECK(at(15, moved).u == Approx(0.4));
}

TEST_CASE("a fit over the current is by least squares, with what it leaves", "[switching][sweep]") {
  // Straight through three: orthogonal about the middle; residuals 1, -2, 1 over one degree of freedom.
  const auto three = switching::fit_of(line({{10, 3 + 1}, {20, 5 - 2}, {30, 7 + 1}}), Energy::on);
  REQUIRE(three);
  CHECK(three->linear == Approx(0.2));
  CHECK(three->constant == Approx(1));
  CHECK(three->square == 0);
  CHECK(three->residual == Approx(std::sqrt(6.0)));
  CHECK(three->u_linear == Approx(std::sqrt(6.0) / std::sqrt(200.0)));
  CHECK(three->u_constant == Approx(std::sqrt(6.0) * std::sqrt(1 / 3.0 + 400 / 200.0)));
  CHECK(three->u_square == 0);
  CHECK(three->at(10) == Approx(3));
  // Of four the square as well: residuals 1, -3, 3, -1 are of third order, one degree of freedom is left.
  const auto square = [](double i) { return 2 + 0.1 * i + 0.01 * i * i; };
  const auto four = switching::fit_of(line({{10, square(10) + 1}, {20, square(20) - 3}, {30, square(30) + 3}, {40, square(40) - 1}}), Energy::on);
  REQUIRE(four);
  CHECK(four->constant == Approx(2));
  CHECK(four->linear == Approx(0.1));
  CHECK(four->square == Approx(0.01));
  CHECK(four->residual == Approx(std::sqrt(20.0)));
  // Second differences 1, -1, -1, 1 of squares 4 about steps of 10: u of the square is residual / 200.
  CHECK(four->u_square == Approx(std::sqrt(20.0) / 200));
  // Where the shots know less than they scatter, what they know.
  const auto known = switching::fit_of(line({{10, 3}, {20, 5}, {30, 7}}, 0.3), Energy::on);
  CHECK(known->residual == Approx(0).margin(1e-12));
  CHECK(known->u_linear == Approx(0.3 / std::sqrt(200.0)));
  CHECK_FALSE(switching::fit_of(line({{10, 1}, {10, 2}, {10, 3}}), Energy::on));
  CHECK_FALSE(switching::fit_of(line({{-30, 1}, {-20, 2}, {-10, 3}}), Energy::on));
  CHECK_FALSE(switching::fit_of(line({{10, 1}, {20, 2}, {30, 3}}), Energy::off));
  CHECK_FALSE(switching::fit_of(line({{10, 1}, {20, 2}}), Energy::on));
}

TEST_CASE("what a data sheet promises is scaled by what is known of both", "[switching][sweep]") {
  switching::Settings s;
  const switching::Promised promised = {{10, 20}, {20, 50}};
  CHECK(switching::scaled(promised, s, 48, 10) == promised);
  s.expected_voltage = 24;
  CHECK(switching::scaled(promised, s, 48, 10) == switching::Promised{{10, 40}, {20, 100}});
  CHECK(switching::scaled(promised, s, {}, 10) == promised);
  s.expected_resistor = 20;
  CHECK(switching::scaled(promised, s, 48, 10) == promised);
  CHECK(switching::scaled(promised, s, 48, {}) == switching::Promised{{10, 40}, {20, 100}});
}

TEST_CASE("figures of several shots of one setting are means, what all share does not average out", "[switching][sweep]") {
  const auto r = switching::figures_of({shot({.on = 2e-6, .own = 0.1e-6, .shared = {0.3e-6}, .skew = switching::Skew{1e-9, 0.1e-9, 0}}), shot({.on = 2.2e-6, .own = 0.1e-6, .shared = {0.5e-6}, .skew = switching::Skew{1.1e-9, 0.1e-9, 0}})}, {});
  CHECK(the(r, "energy.on").value == Approx(2.1e-6));
  // Scatter 0.1414 over root two, and 0.4 that is shared.
  CHECK(*the(r, "energy.on").u == Approx(std::hypot(0.1e-6, 0.4e-6)));
  CHECK(the(r, "energy.off").value == Approx(1e-6));
  CHECK(the(r, "skew").value == Approx(1.05e-9));
  CHECK(*the(r, "skew").u == Approx(0.1e-9 / std::sqrt(2.0)));
  CHECK(the(r, "skew").of_nothing);
  CHECK(why_not(r, "energy.recovery") == "it could not be read");
  // Of one that has it, that one's.
  const auto one_has = switching::figures_of({shot({}), shot({.recovery = 3e-6})}, {});
  CHECK(the(one_has, "energy.recovery").value == Approx(3e-6));
  // Two skews that disagree by 10 u are known less well.
  const auto apart = switching::figures_of({shot({.skew = switching::Skew{1e-9, 0.1e-9, 0}}), shot({.skew = switching::Skew{2e-9, 0.1e-9, 0}})}, {});
  CHECK(*the(apart, "skew").u == Approx(0.1e-9 / std::sqrt(2.0) * std::sqrt(50.0)));
  const auto none = switching::figures_of({shot({}), shot({})}, {});
  CHECK(why_not(none, "skew") == "no inductive step of v_ds stands out of the noise");
  CHECK(switching::figures_of({}, {}).figures.empty());
}

TEST_CASE("a sweep has energies at currents, and says what else it wants to be told", "[switching][sweep]") {
  std::vector<ReadShotPtr> shots;
  for (const double bus : {48.0, 60.0})
    for (const double current : {10.0, 20.0}) shots.push_back(shot({.load = current, .on = current * bus * 1e-8, .bus = bus, .setting = set(bus, current)}));
  const auto r = switching::figures_of(shots, {"energy.on@15A", "energy.on@15A,60V", "energy.on@15A,62V", "energy.on@15A,64V", "energy.on@15A,Rg=10", "energy.on@5A,48V", "energy.recovery@15A,48V", "nothing"});
  CHECK(why_not(r, "energy.on") == "it differs between 4 settings: look at one shot, or ask an energy at a current");
  CHECK(why_not(r, "energy.on@15A") == "shots were taken at 48 V; 60 V: say which, such as energy.on@15A,48 V");
  CHECK(the(r, "energy.on@15A,60V").value == Approx(15 * 60 * 1e-8));
  CHECK(test::spaced(the(r, "energy.on@15A,60V").label) == "Turn-on energy at 15 A");
  CHECK(the(r, "energy.on@15A,60V").unit == "J");
  CHECK(the(r, "energy.on@15A,60V").at == std::vector<double>{15});
  CHECK_FALSE(the(r, "energy.on@15A,60V").u);
  // Within 5 % of what is asked.
  CHECK(the(r, "energy.on@15A,62V").value == Approx(15 * 60 * 1e-8));
  CHECK(why_not(r, "energy.on@15A,64V") == "no shot was taken so");
  CHECK(why_not(r, "energy.on@15A,Rg=10") == "the shots do not tell their gate resistor");
  CHECK(why_not(r, "energy.on@5A,48V") == "the shots go from 10.0 A to 20.0 A");
  CHECK(why_not(r, "energy.recovery@15A,48V") == "no shot has it");
  const auto resistors = switching::figures_of({shot({.setting = set(48, 10, 5)}), shot({.setting = set(48, 10, 20)})}, {"energy.off@10A", "energy.off@10A,Rg=5", "energy.off@10A,Rg=8"});
  CHECK(why_not(resistors, "energy.off@10A") == "shots were taken at 5 Ω; 20 Ω: say which, such as energy.off@10A,Rg=10");
  CHECK(the(resistors, "energy.off@10A,Rg=5").value == Approx(1e-6));
  CHECK(why_not(resistors, "energy.off@10A,Rg=8") == "no shot was taken so");
  auto none = std::make_shared<ReadShot>();
  none->shot = std::make_shared<const switching::Shot>();
  const auto lost = switching::figures_of({none}, {"energy.on@10A"});
  CHECK(why_not(lost, "energy.on@10A") == "no shot has a load current");
  CHECK(why_not(lost, "energy.on") == "there is no turn-on");
  CHECK(why_not(lost, "energy.off") == "there is no turn-off");
  CHECK(why_not(lost, "skew") == "nothing switches");
  CHECK_FALSE(none->load());
}

TEST_CASE("keys of energies are taken apart, or say what is wanted", "[switching][sweep]") {
  const auto unit = [](const char* key) { return switching::figure_unit(key).value_or("none"); };
  CHECK(unit("energy.on@20A,48V,Rg=4.7ohm,T=100degC") == "J");
  CHECK(unit("energy.on@20A, RG=4.7") == "J");
  CHECK(unit("energy.on@0.5A") == "J");
  CHECK(unit("energy.on@0A") == "none");
  CHECK(unit("energy.on@20A,Rg=x") == "none");
  CHECK(unit("energy.on@20A,inf V") == "none");
  CHECK(unit("energy.on@20A,1e999 V") == "none");
  CHECK(unit("energy.on@20A,nan V") == "none");
  CHECK(unit("energy.on@inf A") == "none");
  CHECK(unit("energy.on@20A,4A") == "none");
  CHECK(unit("energy.peak@20A") == "none");
  CHECK(unit("skew") == "s");
  CHECK(unit("di_dt.on") == "A/s");
  CHECK(unit("gain") == "none");
  const auto names = switching::figure_names();
  CHECK(names.size() == 21);
  CHECK(names.back().label == "Total energy");
  CHECK(names.back().at == "A");
  const auto unknown = switching::check_figure_key("speed");
  REQUIRE_FALSE(unknown);
  CHECK(unknown.error().message.starts_with("There is no figure \"speed\"; there are energy.on, energy.off, "));
}

}  // namespace switching_sweeps
