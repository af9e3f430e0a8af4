#include <catch2/catch.hpp>

#include "study/power/preflight.h"
#include "study/power/settings.h"
#include "study/power/study_plan.h"
#include "words_support.h"

using namespace heron;

/// What each word of a power brief takes, refuses and says, what its settings are read from, and what is found beforehand.
namespace power_words {
namespace {

namespace power = study::power;
using Catch::Matchers::Contains;
using power::Feed;
using power::Method;
using test::refused;
using test::text_of;

study::Surroundings around(double fastest = 1e6) {
  study::Surroundings out{.pins = {"l1", "l2", "l3", "rail", "coil"}, .terminals = {"l1", "l2", "l3", "rail"}, .contacts = {"K1", "K2"}};
  out.limits.highest_sample_rate = fastest;
  out.limits.mains_voltage = 250;
  out.limits.ranges = {0.5, 1, 5, 50};
  return out;
}

power::Plan plan() {
  power::Plan out{.feed = Feed::mains, .pin = "l1"};
  out.hookup.chains = {{.name = "v", .input = {.pin = "l1", .range = 5, .sensor = *bench::find_stock_sensor("Probe x100")}, .zero = {}},
                       {.name = "i", .input = {.pin = "coil", .range = 1, .sensor = *bench::find_stock_sensor("Clamp 40 A")}, .zero = 0}};
  return out;
}

power::Plan of(const study::PlanPtr& planned) { return dynamic_cast<const power::PlannedPower&>(*planned).plan(); }
power::Plan with(const power::Plan& p, std::string_view key, std::string_view text) { return of(test::with(power::PlannedPower(p), key, text, around())); }
std::string refused(const power::Plan& p, std::string_view key, std::string_view text, const study::Surroundings& among = around()) {
  return test::refused(power::PlannedPower(p), key, text, among);
}
std::string sentence(const power::Plan& p) { return test::sentence(power::PlannedPower(p)); }

const study::Doubt* found(const std::vector<study::Doubt>& all, std::string_view key) {
  for (const auto& d : all)
    if (d.key == key) return &d;
  return nullptr;
}

std::string setting_refused(const char* key, const char* text) {
  power::Settings scratch;
  const auto ok = power::set(scratch, key, text);
  return ok ? std::string() : test::spaced(ok.error().message);
}

power::Settings settings(const study::SettingsText& text) {
  auto out = power::settings_from_text(text);
  if (!out) FAIL(out.error().message);
  return *out;
}

}  // namespace

TEST_CASE("numbers of a power brief are taken to their ends and refused beyond them", "[power][words]") {
  auto recording = plan();
  recording.method = Method::recording;
  recording.length = 1e4;
  recording.rate = 100;
  auto slow = plan();
  slow.rate = 100;
  slow.frequency = 0.5;
  struct Ends {
    power::Plan from;
    const char *key, *least, *below, *most, *beyond;
  };
  auto supply = plan();
  supply.feed = Feed::supply;
  auto profile = plan();
  profile.method = Method::profile;
  profile.rate = 1e6;
  auto slowest = profile;
  slowest.rate = 10;
  const Ends all[] = {
      {plan(), "voltage", "0 V", "-1 V", "1 kV", "1001 V"},
      {slow, "frequency", "0.1 Hz", "0.09 Hz", "12.5 Hz", "12.6 Hz"},
      {plan(), "line", "0 ohm", "-1 mohm", "1 kohm", "1.1 kohm"},
      {plan(), "line_inductance", "0 H", "-1 mH", "1 H", "1.1 H"},
      {plan(), "third", "0 %", "-1 %", "50 %", "51 %"},
      {plan(), "fifth", "0 %", "-1 %", "50 %", "51 %"},
      {plan(), "before", "0 %", "-1 %", "50 %", "51 %"},
      {supply, "supply_voltage", "0 V", "-1 V", "80 V", "81 V"},
      {supply, "supply_limit", "1 mA", "0.9 mA", "30 A", "31 A"},
      {plan(), "angle", "-360 deg", "-361 deg", "360 deg", "361 deg"},
      {plan(), "settle", "0 s", "-1 s", "1 h", "3601 s"},
      {plan(), "cycles", "1", "0", "10000", "100001"},
      {plan(), "readings", "1", "0", "10000", "10001"},
      {plan(), "every", "0 s", "-1 s", "24 h", "86401 s"},
      {recording, "reading", "320 ms", "0.9 ms", "5 ks", "5.1 ks"},
      {profile, "length", "30 us", "29 us", "16 s", "17 s"},
      {slowest, "length", "3 s", "2.9 s", "1 Ms", "1.1 Ms"},
      {plan(), "rate", "400 Hz", "399 Hz", "1 MHz", "1.01 MHz"},
  };
  for (const auto& e : all) {
    CAPTURE(e.key);
    CHECK(refused(e.from, e.key, e.least) == "");
    CHECK(refused(e.from, e.key, e.most) == "");
    CHECK(refused(e.from, e.key, e.below) != "");
    CHECK(refused(e.from, e.key, e.beyond) != "");
  }
}

TEST_CASE("a plan of power that cannot be is refused with what would do", "[power][words]") {
  auto p = plan();
  CHECK_THAT(refused(p, "rate", "300 Hz"), Contains("At 300 Hz a cycle of 50 Hz has fewer than eight samples. Sample faster."));
  CHECK_THAT(refused(p, "cycles", "100000"), Contains("more than 16777216 samples"));
  CHECK_THAT(refused(p, "rate", "2 MHz"), Contains("The inputs sample at 1 MHz at most"));
  CHECK_THAT(refused(p, "third", "60 %"), Contains("lies not from 0 to 50 %"));
  CHECK_THAT(refused(p, "contact", "S9"), Contains("no contact \"S9\"; there are K1 and K2"));
  auto without = around();
  without.contacts.clear();
  CHECK_THAT(refused(p, "contact", "S9", without), Contains("its source's switch does it"));
  auto recording = p;
  recording.method = Method::recording;
  recording.length = 100;
  CHECK(refused(recording, "reading", "50 s") == "");
  CHECK_THAT(refused(recording, "reading", "51 s"), Contains("A recording of 1 min 40 s holds no two readings of 51 s"));
  recording.rate = 1e6;
  CHECK(refused(recording, "length", "1073 s") == "");
  CHECK_THAT(refused(recording, "length", "1074 s"), Contains("more than 1073741824 samples"));
  CHECK_THAT(refused(recording, "reading", "17 s"), Contains("more than 16777216 samples"));
  auto bare = p;
  bare.hookup.chains.clear();
  CHECK_THAT(refused(bare, "cycles", "5"), Contains("connect one on the Hookup page"));
  auto three = of(test::with(power::PlannedPower(p), "feed", "three phases", around()));
  CHECK_THAT(refused(three, "pin_b", "l1"), Contains("Three phases feed three pins"));
  CHECK_THAT(refused(three, "pin_c", "l1"), Contains("Three phases feed three pins"));
  CHECK_THAT(refused(three, "pin_c", "l2"), Contains("Three phases feed three pins"));
  auto few = around();
  few.terminals = {"l1", "rail"};
  CHECK_THAT(refused(p, "feed", "three phases", few), Contains("Three phases feed three pins; the device has 2"));
  CHECK_THAT(refused(p, "method", "weekly"), Contains("steady cycles, what is drawn when it is switched on, a profile from sleep to burst or a recording"));
}

TEST_CASE("choosing a feed brings the pins that are there", "[power][words]") {
  auto p = plan();
  p.feed = Feed::own;
  p.pin = "gone";
  CHECK(with(p, "feed", "the mains source").pin == "l1");
  CHECK(with(p, "feed", "nothing").pin == "gone");
  p.pin = "l2";
  const auto three = with(p, "feed", "three phases");
  CHECK(three.feed == Feed::phases);
  CHECK(three.pin == "l2");
  CHECK(three.pin_b == "l1");
  CHECK(three.pin_c == "l3");
  // Pins that were chosen stay.
  auto chosen = p;
  chosen.pin_b = "rail";
  chosen.pin_c = "l3";
  CHECK(with(chosen, "feed", "phases").pin_b == "rail");
  CHECK(with(chosen, "feed", "phases").pin_c == "l3");
  chosen.pin_c = "rail";
  CHECK(with(chosen, "feed", "phases").pin_b == "l1");
  auto same = three;
  same.pin_b = "rail";
  CHECK(with(same, "feed", "three phases").pin_b == "rail");
  CHECK(with(p, "contact", "K2").contact == "K2");
  for (const char* word : {"the source's switch", "the source", " source "}) CHECK(with(with(p, "contact", "K2"), "contact", word).contact.empty());
  const auto hint = test::hint_of(power::PlannedPower(p), "contact", around());
  CHECK(hint.choices == std::vector<std::string>{"the source's switch", "K1", "K2"});
}

TEST_CASE("a power brief says what is fed, sensed and read, and what follows from it", "[power][words]") {
  auto p = plan();
  CHECK_THAT(sentence(p), Contains("l1 from the mains source with 230 V rms at 50 Hz , 500 ms before."));
  CHECK_THAT(sentence(p), Contains("steady cycles : 10 cycles at 50 kHz , 1 record ."));
  CHECK_THAT(sentence(p), Contains("the first phase begins at 0 ° ;"));
  CHECK_THAT(sentence(p), Contains("the line has 400 mΩ and 800 µH , the mains 0 % of the third harmonic and 0 % of the fifth;"));
  p.readings = 3;
  p.every = 2;
  CHECK_THAT(sentence(p), Contains("3 records , 2 s from one to the next."));
  p.method = Method::switch_on;
  p.third = 0.03;
  CHECK_THAT(sentence(p), Contains("switched on by the source's switch at 0 ° ."));
  CHECK_THAT(sentence(p), Contains("what is drawn when it is switched on : 1 s at 50 kHz , 10 % of it before."));
  CHECK_THAT(sentence(p), Contains("the mains 3 % of the third harmonic"));
  CHECK_THAT(sentence(p), !Contains("the first phase begins"));
  p.contact = "K1";
  CHECK_THAT(sentence(p), Contains("switched on by K1 ."));
  p.feed = Feed::supply;
  CHECK_THAT(sentence(p), Contains("l1 from the DC source with 12 V , up to 10 A , switched on by K1 ."));
  CHECK_THAT(sentence(p), !Contains("harmonic of the mains"));
  p.contact.clear();
  CHECK_THAT(sentence(p), Contains("switched on by the source's switch ."));
  p.feed = Feed::own;
  p.method = Method::cycles;
  CHECK_THAT(sentence(p), Contains("The fundamental is expected at 50 Hz ."));
  CHECK_THAT(sentence(p), Contains("by nothing of the bench : the device has its own,"));
  p.method = Method::profile;
  CHECK_THAT(sentence(p), Contains("a profile from sleep to burst : 1 s at 50 kHz ."));
  CHECK_THAT(sentence(p), !Contains("The fundamental"));
  p.method = Method::recording;
  p.length = 3600;
  CHECK_THAT(sentence(p), Contains("a recording of 3.6 ks at 50 kHz , a reading every 1 s , keeping raw records around what a watch caught ."));
  p.feed = Feed::phases;
  p.pin_b = "l2";
  p.pin_c = "l3";
  p.sequence = power::Sequence::acb;
  CHECK_THAT(sentence(p), Contains("l1 , l2 and l3 from three phases of the mains source with 230 V rms at 50 Hz , turning a c b ,"));
  CHECK(text_of(power::PlannedPower(plan()), "third") == "0 %");
  CHECK(test::hint_of(power::PlannedPower(plan()), "third", around()).allowed == "0 to 50 % of the fundamental");
  CHECK(test::hint_of(power::PlannedPower(plan()), "before", around()).allowed == "0 to 50 % of the record");
  CHECK(test::hint_of(power::PlannedPower(plan()), "rate", around()).forms == "10002 samples a record; harmonics up to 500");
}

TEST_CASE("how long a plan of power takes is said", "[power][words]") {
  const auto lasts = [](const power::Plan& p) { return test::spaced(power::PlannedPower(p).time_sentence({})); };
  auto p = plan();
  CHECK(lasts(p) == "One record of 10002 samples, 700 ms on a real bench.");
  CHECK(p.seconds() == Approx(0.7));
  p.readings = 3;
  CHECK(p.seconds() == Approx(1.1));
  p.every = 10;
  CHECK(p.seconds() == Approx(30.5));
  CHECK_THAT(lasts(p), Contains("3 records of 10002 samples, 31 s"));
  CHECK(power::PlannedPower(p).points({}) == 3);
  CHECK(power::PlannedPower(p).seconds({}) == Approx(30.5));
  p.method = Method::switch_on;
  p.length = 2;
  CHECK(p.seconds() == 2);
  CHECK(p.record_length() == 2);
  CHECK(power::PlannedPower(p).points({}) == 1);
  CHECK_THAT(lasts(p), Contains("One record of 100002 samples, 2"));
  p.method = Method::profile;
  CHECK(p.seconds() == Approx(2.5));
  p.method = Method::recording;
  p.length = 100.5;
  CHECK(p.record_length() == 1);
  CHECK(p.seconds() == Approx(101));
  CHECK_THAT(lasts(p), Contains("100 readings, 1"));
}

TEST_CASE("a plan of power says what drives, and comes back from a dossier as it was", "[power][words]") {
  auto p = plan();
  const auto leads = [](const power::Plan& plan) { return power::PlannedPower(plan).leads(); };
  REQUIRE(leads(p).size() == 1);
  CHECK(leads(p)[0].pin == "l1");
  CHECK(leads(p)[0].name == "mains source");
  CHECK(leads(p)[0].along);
  p.feed = Feed::supply;
  CHECK(leads(p)[0].name == "DC source");
  p.feed = Feed::own;
  CHECK(leads(p).empty());
  p.feed = Feed::phases;
  p.pin_b = "l2";
  p.pin_c = "l3";
  REQUIRE(leads(p).size() == 3);
  CHECK(leads(p)[1].pin == "l2");
  CHECK(leads(p)[2].name == "mains c");
  CHECK_FALSE(leads(p)[2].along);
  p.keep = power::Keep::none;
  p.sequence = power::Sequence::acb;
  p.repeat = study::Repeat::last;
  const auto back = power::planned(power::to_json(p));
  REQUIRE(back);
  CHECK(power::to_json(of(*back)) == power::to_json(p));
  CHECK((*back)->repeat() == study::Repeat::last);
  CHECK_FALSE(power::planned({{"feed", "the sun"}}));
  // What it begins with is gentle: nothing is fed.
  const auto first = power::first_plan(around());
  REQUIRE(first);
  CHECK(of(*first).feed == Feed::own);
  CHECK(of(*first).pin == "l1");
  CHECK(of(*first).hookup.chains.size() == 1);
  auto nothing = around();
  nothing.terminals.clear();
  REQUIRE_FALSE(power::first_plan(nothing));
  CHECK(power::first_plan(nothing).error().fault == Fault::usage);
}

TEST_CASE("before anything alternates the wiring can be looked at", "[power][words][wiring]") {
  const auto offers = [](const power::Plan& p) { return power::PlannedPower(p).procedures().size(); };
  auto p = plan();
  CHECK(offers(p) == 1);
  p.method = Method::switch_on;
  CHECK(offers(p) == 1);
  p.feed = Feed::supply;
  CHECK(offers(p) == 0);
  p.method = Method::cycles;
  CHECK(offers(p) == 1);
  for (const std::size_t only : {0u, 1u}) {
    auto one = plan();
    one.hookup.chains.erase(one.hookup.chains.begin() + std::ptrdiff_t(1 - only));
    CHECK(offers(one) == 0);
  }
}

TEST_CASE("settings of power are read as they are typed and come back the same", "[power][settings]") {
  const auto s = settings({{"method", "profile"},   {"class", "D"},          {"sequence", "acb"},       {"regenerating", "on"},  {"settle_band", "5 %"},     {"window", "20 ms"},
                           {"state_time", "1 %"},   {"glitch", "2 ms"},      {"battery", "19 Ah"},      {"states", "a, b c"},    {"fuse", "2 ms 60 A, 20ms 30A, 0.5 s 12 A"},
                           {"nominal_voltage", "230 V"}, {"nominal_current", "4 A"}, {"from", "1 ms"},  {"to", "2 s"},           {"start", "-1 s"},          {"step", "20 us"},
                           {"u_limit", "3 %"},      {"watch.rail", "v under 4.6 V"}, {"wire.ib", "-2*i_c"}});
  CHECK(s.method == Method::profile);
  CHECK(s.limits == power::LimitClass::d);
  CHECK(s.sequence == power::Sequence::acb);
  CHECK(s.regenerating);
  CHECK(s.settle_band == Approx(0.05));
  CHECK(s.window == Approx(0.02));
  CHECK(s.state_time == Approx(0.01));
  CHECK(s.glitch == Approx(2e-3));
  CHECK(*s.battery == Approx(19 * 3600));
  CHECK(s.states == std::vector<std::string>{"a", "b c"});
  REQUIRE(s.fuse.size() == 3);
  CHECK(s.fuse[0] == std::pair{2e-3, 60.0});
  CHECK(s.fuse[1].first == Approx(0.02));
  CHECK(s.fuse[1].second == 30);
  CHECK(s.fuse[2] == std::pair{0.5, 12.0});
  CHECK(s.nominal_voltage == 230);
  CHECK(s.nominal_current == 4);
  CHECK(s.from == 1e-3);
  CHECK(s.to == 2);
  CHECK(s.start == -1);
  CHECK(*s.step == Approx(20e-6));
  CHECK(s.u_limit == Approx(0.03));
  REQUIRE(s.watches.size() == 1);
  CHECK(s.watches[0].name == "rail");
  CHECK(power::as_text(settings(power::as_text(s))) == power::as_text(s));
  // Nothing said is nothing kept, and what is taken back is gone.
  const auto plain = power::as_text({});
  for (const char* key : {"method", "sequence", "battery", "states", "fuse", "nominal_voltage", "from", "watch.rail", "wire.ib"}) CHECK_FALSE(plain.contains(key));
  for (const char* key : {"method", "sequence", "battery", "states", "fuse", "watch.rail"}) {
    CAPTURE(key);
    auto taken = s;
    REQUIRE(power::set(taken, key, "none"));
    CHECK_FALSE(power::as_text(taken).contains(key));
  }
  for (const auto& [name, method] : {std::pair{"cycles", Method::cycles}, {"switch_on", Method::switch_on}, {"profile", Method::profile}, {"recording", Method::recording}}) {
    CHECK(power::method_of(name) == method);
    CHECK(power::method_text(method) == name);
  }
  CHECK(settings({{"sequence", "abc"}}).sequence == power::Sequence::abc);
  CHECK(power::as_text(settings({{"sequence", "abc"}})).at("sequence") == "abc");
  for (const auto& [text, limits] : {std::pair{"A", power::LimitClass::a}, {"B", power::LimitClass::b}, {"C", power::LimitClass::c}, {"none", power::LimitClass::none}}) CHECK(settings({{"class", text}}).limits == limits);
}

TEST_CASE("settings of power that make no sense are refused with what would", "[power][settings][bad]") {
  CHECK_THAT(setting_refused("battery", "0 Ah"), Contains("a charge above zero is wanted, such as 19 Ah"));
  CHECK_THAT(setting_refused("battery", "inf C"), Contains("a charge above zero"));
  CHECK_THAT(setting_refused("battery", "h"), Contains("a charge above zero"));
  CHECK(setting_refused("battery", "1 C") == "");
  CHECK_THAT(setting_refused("fuse", "100 ms"), Contains("such as 100 ms 30 A"));
  for (const char* bad : {"x", "0 s 5 A", "1 s 0 A", "-1 s 5 A", "1 s -5 A", "1 s 5 V", "1 V 5 A", "A"}) CHECK_THAT(setting_refused("fuse", bad), Contains("such as 100 ms 30 A"));
  CHECK_THAT(setting_refused("fuse", "1 s 5 A, 1 s 4 A"), Contains("its times must rise"));
  CHECK_THAT(setting_refused("sequence", "cab"), Contains("abc, acb or none is wanted, not \"cab\""));
  CHECK_THAT(setting_refused("method", "steady"), Contains("cycles, switch_on, profile or recording is wanted, not \"steady\""));
  for (const auto& [key, most] : {std::pair{"state_time", 50}, {"settle_band", 100}}) {
    CHECK(setting_refused(key, fmt::format("{} %", most - 0.1).c_str()) == "");
    CHECK(setting_refused(key, fmt::format("{} %", most).c_str()) != "");
    CHECK(setting_refused(key, "0 %") != "");
  }
  CHECK(setting_refused("glitch", "0 s") == "");
  for (const auto& [key, bad] : {std::pair{"glitch", "-1 s"}, {"window", "0 s"}, {"nominal_voltage", "0 V"}, {"nominal_current", "-1 A"}, {"step", "0 s"}, {"sample_rate", "0 Hz"}, {"regenerating", "perhaps"}, {"wire.x", "v"}})
    CHECK(setting_refused(key, bad) != "");
  const auto both = power::settings_from_text({{"step", "1 s"}, {"sample_rate", "1 Hz"}});
  REQUIRE_FALSE(both);
  CHECK_THAT(both.error().message, Contains("either the step or the sample_rate"));
  CHECK(power::settings_from_text({{"from", "1 s"}, {"to", "1.001 s"}}));
  for (const char* to : {"1 s", "0.5 s"}) {
    const auto ends = power::settings_from_text({{"from", "1 s"}, {"to", to}});
    REQUIRE_FALSE(ends);
    CHECK_THAT(ends.error().message, Contains("ends before it begins"));
  }
}

TEST_CASE("preflight of power finds each trouble just beyond its limit and not just within", "[power][preflight]") {
  auto among = around();
  const auto of = [&](const power::Plan& p) { return power::preflight(p, among); };
  const auto refusal = [&](const power::Plan& p) {
    const auto out = study::refusal(of(p));
    return out ? test::spaced(out->message) : std::string();
  };
  auto p = plan();
  // A peak of 325.27 V, with harmonics of 5 % and 3 % on it by as much more.
  among.ratings["l1"] = {.voltage = 325.3};
  CHECK(refusal(p) == "");
  among.ratings["l1"] = {.voltage = 325.2};
  CHECK_THAT(refusal(p), Contains("l1 would see 325 V; its rating is 325.2 V"));
  p.third = 0.05;
  p.fifth = 0.03;
  among.ratings["l1"] = {.voltage = 351.2};
  CHECK(refusal(p) != "");
  among.ratings["l1"] = {.voltage = 351.4};
  CHECK(refusal(p) == "");
  // Towards the other side what alternates counts, a direct feed does not.
  p = plan();
  among.ratings["l1"] = {.voltage = 400, .reverse_voltage = 300};
  CHECK_THAT(refusal(p), Contains("would see \u2212325 V"));
  p.feed = Feed::supply;
  CHECK(refusal(p) == "");
  p.supply_voltage = 401;
  CHECK(refusal(p) != "");
  const auto all = of(p);
  REQUIRE_FALSE(all.empty());
  CHECK(all.front().edits == study::Edits{{"supply_voltage", "400 V"}});
  p.feed = Feed::own;
  CHECK(refusal(p) == "");
  // Each of three phases.
  p = plan();
  p.feed = Feed::phases;
  p.pin_b = "l2";
  p.pin_c = "l3";
  among.ratings = {{"l3", {.voltage = 300}}};
  CHECK_THAT(refusal(p), Contains("l3"));
  // The voltage that is proposed keeps the rating.
  auto eased = p;
  const auto edits = of(p).front().edits;
  for (const auto& [key, text] : edits) eased = with(eased, key, text);
  CHECK(refusal(eased) == "");
  CHECK(eased.voltage > 210);

  among = around();
  p = plan();
  p.voltage = 250;
  CHECK_FALSE(found(of(p), "source.limit"));
  p.voltage = 251;
  REQUIRE(found(of(p), "source.limit"));
  CHECK(found(of(p), "source.limit")->edits == study::Edits{{"voltage", "250 V"}});
  p.feed = Feed::own;
  CHECK_FALSE(found(of(p), "source.limit"));
  p = plan();
  p.rate = 1.001e6;
  REQUIRE(found(of(p), "sampling.coarse"));
  CHECK(found(of(p), "sampling.coarse")->severity == study::Severity::serious);
  p.rate = 1e6;
  CHECK_FALSE(found(of(p), "sampling.coarse"));
  among.settings = {{"class", "A"}};
  p.rate = 5000;
  CHECK_FALSE(found(of(p), "sampling.coarse"));
  p.rate = 4990;
  REQUIRE(found(of(p), "sampling.coarse"));
  CHECK_THAT(test::spaced(found(of(p), "sampling.coarse")->text), Contains("Harmonic 40 of 50 Hz lies at 2 kHz; half the sample rate is 2.495 kHz"));
  CHECK(found(of(p), "sampling.coarse")->edits == study::Edits{{"rate", "5 kHz"}});
  p.method = Method::profile;
  CHECK_FALSE(found(of(p), "sampling.coarse"));
}

TEST_CASE("an inverter that is sampled too slowly is proposed a rate that the inputs have", "[power][preflight]") {
  auto among = around();
  auto p = plan();
  p.feed = Feed::inverter;
  p.pin_b = "l2";
  p.pin_c = "l3";
  p.voltage = 12;
  p.bus = 48;
  p.carrier = 20e3;
  const auto proposed = [&](double highest, double rate) -> std::string {
    among.limits.highest_sample_rate = highest;
    p.rate = rate;
    for (const auto& d : power::preflight(p, among))
      if (d.key == "sampling.coarse" && d.severity == study::Severity::caution) return test::spaced(d.edits.front().second);
    return "none";
  };
  // Sixteen a period, or as fast as they go; where nobody says how fast that is, sixteen.
  CHECK(proposed(1e6, 100e3) == "320 kHz");
  CHECK(proposed(200e3, 100e3) == "200 kHz");
  CHECK(proposed(0, 100e3) == "320 kHz");
  CHECK(proposed(1e6, 160e3) == "none");
  CHECK(proposed(1e6, 159e3) == "320 kHz");
  CHECK(refused(p, "carrier", "99 Hz") != "");
  CHECK(refused(p, "carrier", "100 Hz") == "");
  CHECK(refused(p, "carrier", "1 MHz") == "");
  CHECK(refused(p, "carrier", "1.1 MHz") != "");
  CHECK(refused(p, "bus", "1 V") == refused(p, "bus", "1000 V"));
  CHECK_THAT(refused(p, "bus", "0.9 V"), Contains("1 V"));
  CHECK_THAT(refused(p, "bus", "1001 V"), Contains("1 kV") || Contains("1000 V"));
  // What rests on a rating or on the bus keeps it.
  p.rate = 1e6;
  among = around();
  const auto serious = [&](const char* key) {
    const auto all = power::preflight(p, among);
    for (const auto& d : all)
      if (d.key == key && d.severity == study::Severity::serious) return d;
    return study::Doubt{};
  };
  among.ratings["l2"] = {.voltage = 20};
  CHECK(test::spaced(study::refusal(power::preflight(p, among))->message).starts_with("l2 would see 24"));
  for (const auto& d : power::preflight(p, among))
    if (!d.edits.empty() && d.edits.front().first == "bus") CHECK(test::spaced(d.edits.front().second) == "40 V");
  among.ratings.clear();
  p.voltage = 17;
  const auto beyond = serious("source.limit");
  CHECK(test::spaced(beyond.text) == "Off a bus of 48 V an inverter gives 17.0 V rms and no more.");
  REQUIRE_FALSE(beyond.edits.empty());
  CHECK(test::spaced(beyond.edits.front().second) == "16.1 V");
  p.voltage = 12;
  p.bus = 410;
  CHECK(serious("source.limit").key.empty());
  among.limits.inverter_bus = 400;
  CHECK(test::spaced(serious("source.limit").text) == "The inverter's bus reaches 400 V.");
  // A source of which nobody says how far it goes has no limit.
  auto unknown = around();
  unknown.limits.mains_voltage = 0;
  auto high = plan();
  high.voltage = 500;
  CHECK_FALSE(found(power::preflight(high, unknown), "source.limit"));
  // Without a class nobody counts harmonics.
  high.voltage = 230;
  high.rate = 1000;
  CHECK_FALSE(found(power::preflight(high, unknown), "sampling.coarse"));
  high.cycles = 1;
  CHECK_THAT(found(power::preflight(high, unknown), "periods.few")->text, Contains("A record holds 1 cycle."));
  high.hookup.chains[1].input.sensor = *bench::find_stock_sensor("Coil 1 kA");
  high.method = Method::switch_on;
  CHECK_THAT(found(power::preflight(high, unknown), "sensor.no_dc")->text, Contains("reads a decay through"));
  high.method = Method::profile;
  CHECK_THAT(found(power::preflight(high, unknown), "sensor.no_dc")->text, Contains("reads what stands still through"));
  // Pins that are known and differ stay; any that is not, or is there twice, is filled with the others.
  const auto pins = [&](const char* b, const char* c) {
    auto one = plan();
    one.pin_b = b;
    one.pin_c = c;
    const auto out = with(one, "feed", "three phases of the mains source");
    return out.pin_b + " " + out.pin_c;
  };
  CHECK(pins("l3", "rail") == "l3 rail");
  for (const auto& [b, c] : {std::pair{"l1", "l3"}, {"l3", "l1"}, {"l3", "l3"}, {"l3", "nowhere"}, {"nowhere", "l3"}, {"", ""}}) CHECK(pins(b, c) == "l2 l3");
  // Three pins are enough for three phases, two are not.
  study::Surroundings three{.pins = {"a", "b", "c"}, .terminals = {"a", "b", "c"}}, two{.pins = {"a", "b"}, .terminals = {"a", "b"}};
  CHECK(refused(plan(), "feed", "three phases of the mains source", three) == "");
  CHECK_THAT(refused(plan(), "feed", "three phases of the mains source", two), Contains("Three phases feed three pins; the device has 2"));
  // Where cycles are looked for on a direct feed it is said at what frequency.
  auto direct = plan();
  direct.feed = Feed::supply;
  CHECK_THAT(sentence(direct), Contains("The fundamental is expected at 50 Hz"));
  CHECK_THAT(sentence(plan()), !Contains("is expected at"));
  direct.method = Method::profile;
  CHECK_THAT(sentence(direct), !Contains("is expected at"));
}

TEST_CASE("an input at the pin that a source feeds must hold what the source gives", "[power][preflight]") {
  const auto among = around();
  const auto said = [&](const power::Plan& p) {
    for (const auto& d : power::preflight(p, among))
      if (d.key == "input.clipped" || d.key == "range.underused") return d.key;
    return std::string();
  };
  auto p = plan();
  // Probe x100 on 5 V: 500 V for a peak of 325 V; on 1 V 100 V.
  CHECK(said(p) == "");
  p.hookup.chains[0].input.range = 1;
  CHECK(said(p) == "input.clipped");
  p.hookup.chains[0].input.range = 50;
  CHECK(said(p) == "range.underused");
  // Elsewhere, between two pins, or of a current nobody knows beforehand.
  p.hookup.chains[0].input.pin = "rail";
  CHECK(said(p) == "");
  p.hookup.chains[0].input.pin = "l1";
  p.hookup.chains[0].input.against = "rail";
  CHECK(said(p) == "");
  p.hookup.chains[0].input.against.clear();
  p.feed = Feed::own;
  CHECK(said(p) == "");
  // A direct feed is all there is, but not behind a capacitor.
  p.feed = Feed::supply;
  p.supply_voltage = 12;
  CHECK(said(p) == "range.underused");
  p.hookup.chains[0].input.coupling = bench::Coupling::ac;
  CHECK(said(p) == "");
}

TEST_CASE("what happens once, or for long, wants fixed ranges and sensors that reach down to what stands still", "[power][preflight]") {
  auto among = around();
  auto p = plan();
  p.hookup.chains[1].input.range.reset();
  const auto severity = [&](Method method, const char* key) -> std::optional<study::Severity> {
    p.method = method;
    const auto all = power::preflight(p, among);
    const auto* d = found(all, key);
    return d ? std::optional(d->severity) : std::nullopt;
  };
  CHECK_FALSE(severity(Method::cycles, "autorange.single_shot"));
  CHECK(severity(Method::switch_on, "autorange.single_shot") == study::Severity::serious);
  CHECK(severity(Method::profile, "autorange.single_shot") == study::Severity::caution);
  CHECK(severity(Method::recording, "autorange.single_shot") == study::Severity::caution);
  p.method = Method::switch_on;
  const auto all = power::preflight(p, among);
  CHECK(found(all, "autorange.single_shot")->edits == study::Edits{{"hookup.i.range", "50 V"}});
  CHECK_THAT(found(all, "autorange.single_shot")->text, Contains("what happens once is over"));
  p.hookup.chains[1].input.range = 1;
  p.hookup.chains[1].input.sensor = *bench::find_stock_sensor("Coil 1 kA");
  CHECK_FALSE(severity(Method::cycles, "sensor.no_dc"));
  for (const auto method : {Method::switch_on, Method::profile, Method::recording}) CHECK(severity(method, "sensor.no_dc"));
  p.hookup.chains[1].input.sensor.low_corner = 0.5;
  CHECK(severity(Method::switch_on, "sensor.no_dc"));
  p.hookup.chains[1].input.sensor = *bench::find_stock_sensor("Clamp 40 A");
  for (const auto method : {Method::cycles, Method::switch_on, Method::profile, Method::recording}) CHECK_FALSE(severity(method, "sensor.no_dc"));
  p = plan();
  p.repeat = study::Repeat::every;
  CHECK_FALSE(severity(Method::cycles, "averaging.peak"));
  CHECK(severity(Method::switch_on, "averaging.peak"));
  p.repeat = study::Repeat::once;
  CHECK_FALSE(severity(Method::switch_on, "averaging.peak"));
  p.cycles = 4;
  CHECK_FALSE(severity(Method::cycles, "periods.few"));
  p.cycles = 3;
  CHECK(severity(Method::cycles, "periods.few"));
  CHECK_FALSE(severity(Method::switch_on, "periods.few"));
  p.method = Method::cycles;
  CHECK_THAT(found(power::preflight(p, among), "periods.few")->text, Contains("A record holds 3 cycles"));
  CHECK(severity(Method::recording, "watch.missing"));
  CHECK_FALSE(severity(Method::profile, "watch.missing"));
  among.settings = {{"watch.rail", "v under 4 V"}};
  CHECK_FALSE(severity(Method::recording, "watch.missing"));
}

}  // namespace power_words
