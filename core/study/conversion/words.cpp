#include "study/conversion/words.h"

#include <algorithm>
#include <cmath>

#include "base/words.h"
#include "study/hookup_words.h"
#include "study/steps_word.h"

namespace heron::study::conversion {
namespace {

using bench::LoadMode;

const Choices<Method> kMethods = {{Method::points, "points", "each point settled", {"points"}},
                                  {Method::line_steps, "line_steps", "by steps of the line", {"line steps", "line"}},
                                  {Method::load_steps, "load_steps", "by steps of the load", {"load steps", "load"}},
                                  {Method::record, "record", "a record of what rests", {"record", "ripple"}}};
const Choices<LoadMode> kModes = {{LoadMode::current, "current", "a constant current", {"current"}},
                                  {LoadMode::resistance, "resistance", "a constant resistance", {"resistance"}},
                                  {LoadMode::power, "power", "a constant power", {"power"}}};
const Choices<Inner> kInners = {{Inner::load, "load", "the load"}, {Inner::line, "line", "the line"}};
const Choices<Feeder> kFeeders = {{Feeder::supply, "supply", "the DC source", {"supply", "source", "DC source"}},
                                  {Feeder::source_measure, "source_measure", "a source-measure channel", {"source-measure channel", "source measure"}}};
const Choices<TellBy> kTellBy = {{TellBy::bench, "bench", "by the bench", {"bench"}}, {TellBy::hand, "hand", "by hand, when asked", {"hand", "by hand"}}};
const Choices<OnTrip> kOnTrip = {{OnTrip::notes, "notes", "is noted", {"note", "notes"}},
                                 {OnTrip::ends_point, "ends_point", "ends the point", {"point"}},
                                 {OnTrip::ends_sweep, "ends_sweep", "ends the sweep", {"sweep"}}};
const Choices<bool> kSensing = {{true, "pins", "at the device's pins", {"pins", "remote"}}, {false, "terminals", "at their own terminals", {"terminals", "local"}}};
const Choices<Repeat> kRepeating = {{Repeat::once, "once", "once"},
                                    {Repeat::every, "every", "again and again, keeping all", {"keeping all", "all"}},
                                    {Repeat::last, "last", "again and again, keeping the last", {"keeping the last", "again"}}};

std::string unit_of(LoadMode mode) { return mode == LoadMode::current ? "A" : mode == LoadMode::power ? "W" : "ohm"; }

/// Another mode keeps no numbers of the old one: amperes are no ohms.
Word<Plan> mode_word() {
  auto out = choice_word("mode", "mode", "What the load holds", &Plan::mode, kModes);
  const auto plain = out.set;
  out.set = [plain](Plan& p, std::string_view text, const Surroundings& around) -> Result<void> {
    const auto before = p.mode;
    if (auto ok = plain(p, text, around); !ok) return ok;
    if (p.mode == before) return {};
    p.loads = p.mode == LoadMode::current ? std::vector<double>{0.1} : p.mode == LoadMode::power ? std::vector<double>{0.5} : std::vector<double>{100};
    return {};
  };
  return out;
}

/// What the device is told beside line and load.
Word<Plan> told_word() {
  auto out = kept_word("told", &Plan::told);
  out.key = "told";
  out.label = "What the device is told besides";
  out.text = [](const Plan& p) { return p.told.empty() ? std::string("nothing besides") : p.told; };
  out.set = [](Plan& p, std::string_view text, const Surroundings& around) -> Result<void> {
    const auto name = trimmed(text);
    if (name == "nothing" || name == "nothing besides" || name == "none") {
      p.told.clear();
      p.told_values.clear();
      return {};
    }
    const auto it = std::find_if(around.told.begin(), around.told.end(), [&](const bench::ToldQuantity& t) { return t.name == name; });
    if (it == around.told.end()) {
      std::vector<std::string> names;
      for (const auto& t : around.told) names.push_back(t.name);
      return fail(Fault::input, "The device is not told \"{}\"; there {} {}.", name, names.size() == 1 ? "is" : "are", names.empty() ? "nothing" : listed(names, "and"));
    }
    p.told = it->name;
    if (p.told_unit != it->unit) p.told_values = it->unit == "degC" ? std::vector<double>{25, 60} : it->unit == "Hz" ? std::vector<double>{400e3} : std::vector<double>{1};
    p.told_unit = it->unit;
    return {};
  };
  out.hint = [](const Plan&, const Surroundings& around) {
    BriefHint hint{.choices = {"nothing besides"}};
    for (const auto& t : around.told) hint.choices.push_back(t.name);
    return hint;
  };
  return out;
}

constexpr std::string_view kNoTemperature = "no temperature is waited for";

Word<Plan> thermometer_word() {
  auto out = kept_word("thermometer", &Plan::thermometer);
  out.key = "thermometer";
  out.label = "Temperature that must rest first";
  out.text = [](const Plan& p) { return p.thermometer.empty() ? std::string(kNoTemperature) : p.thermometer; };
  out.set = [](Plan& p, std::string_view text, const Surroundings& around) -> Result<void> {
    const auto name = trimmed(text);
    if (name == kNoTemperature || name == "none" || name == "nothing") {
      p.thermometer.clear();
      return {};
    }
    if (std::find(around.thermometers.begin(), around.thermometers.end(), name) == around.thermometers.end())
      return fail(Fault::input, "The device has no place \"{}\" whose temperature could be read; {}.", name,
                  around.thermometers.empty() ? std::string("its circuit names none under temperatures") : "there is " + listed(around.thermometers, "and"));
    p.thermometer = name;
    return {};
  };
  out.hint = [](const Plan&, const Surroundings& around) {
    BriefHint hint{.choices = {std::string(kNoTemperature)}};
    hint.choices.insert(hint.choices.end(), around.thermometers.begin(), around.thermometers.end());
    return hint;
  };
  return out;
}

Word<Plan> agree_word() {
  auto out = kept_word("agree", &Plan::agree);
  out.key = "agree";
  out.label = "How near two readings must be";
  out.text = [](const Plan& p) { return p.agree > 0 ? fmt::format("until two readings agree within {:.4g} %", 100 * p.agree) : std::string("once"); };
  out.set = [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
    auto typed = trimmed(text);
    if (typed == "once" || typed == "none") {
      p.agree = 0;
      return {};
    }
    constexpr std::string_view kBegin = "until two readings agree within ";
    if (typed.starts_with(kBegin)) typed = typed.substr(kBegin.size());
    const auto value = parse_value(typed, "%");
    if (!value) return tl::unexpected(value.error());
    if (!(*value > 0 && *value <= 10)) return fail(Fault::input, "{} lies not above 0 and up to 10 %.", text);
    p.agree = *value / 100;
    return {};
  };
  out.hint = [](const Plan&, const Surroundings&) { return BriefHint{.forms = fmt::format("once, or 0.02 %: at most {} readings", kMostReadings)}; };
  return out;
}

}  // namespace

const WordTable<Plan>& words() {
  static const WordTable<Plan> table({
      choice_word("method", "method", "How it is read", &Plan::method, kMethods),
      terminal_word("source", "Pin that is fed", &Plan::source_pin),
      choice_word("feeder", "feeder", "What feeds the input", &Plan::feeder, kFeeders),
      terminal_word("load", "Pin that is loaded", &Plan::load_pin),
      steps_word<Plan>("lines", "Lines: voltages of the input", &Plan::lines, [](const Plan&) { return std::string("V"); }, {0, 80}, "a list, 5 V, 12 V; or 3.6 V to 8.4 V in 9, with log behind it for even ratios"),
      mode_word(),
      steps_word<Plan>("loads", "Loads", &Plan::loads, [](const Plan& p) { return unit_of(p.mode); }, {0, 1e6}, "a list, 10 mA, 1 A; or 10 mA to 3 A in 20 log"),
      number_word("source_limit", "source_limit", "Current limit of the source", &Plan::source_limit, "A", {1e-3, 30}),
      told_word(),
      kept_word("told_unit", &Plan::told_unit),
      steps_word<Plan>("told_values", "Values that it is told", &Plan::told_values, [](const Plan& p) { return p.told_unit.empty() ? std::string("1") : p.told_unit; }, {-273, 1e12}, "a list, or so many from one to another"),
      choice_word("told_by", "told_by", "Who sets it", &Plan::told_by, kTellBy),
      choice_word("inner", "inner", "What is stepped first", &Plan::inner, kInners),
      number_word("settle", "settle_time", "Wait at each point", &Plan::settle_time, "s", {0, 3600}),
      agree_word(),
      thermometer_word(),
      number_word("rests_within", "rests_within", "How much it may move in a minute", &Plan::rests_within, "K", {0.1, 100}),
      number_word("warm_up", "warm_up", "Warm-up before the first point", &Plan::warm_up, "s", {0, 36000}),
      number_word("rest", "rest", "Rest between points, unloaded", &Plan::rest, "s", {0, 3600}),
      count_word("readings", "readings", "Readings averaged at each point", &Plan::readings, 16, 4096, "reading"),
      choice_word("sensing", "sensed", "Where source and load hold and read their voltages", &Plan::sensed, kSensing),
      choice_word("on_trip", "on_trip", "What a watch that trips does", &Plan::on_trip, kOnTrip),
      hookup_word(&Plan::hookup),
      input_rate_word(&Plan::rate, &Plan::hookup),
      number_word("length", "length", "How long is read", &Plan::length, "s", {1e-6, 1e4}),
      number_word("period", "period", "Period of the steps", &Plan::period, "s", {1e-6, 1e4}),
      number_word("edge", "edge", "Edges of the steps", &Plan::edge, "s", {1e-9, 1e3}),
      choice_word("repeat", "repeat", "How often it is taken", &Plan::repeat, kRepeating),
  });
  return table;
}

std::vector<BriefPiece> brief(const Plan& p) {
  std::vector<BriefPiece> out;
  bool rare = false, drives = true;
  const auto head = [&](std::string text) { out.push_back({.text = std::move(text), .rare = rare, .heading = true, .drives = drives}); };
  const auto say = [&](const std::string& sentence) { words().say(out, p, sentence, {.text = {}, .rare = rare, .drives = drives}); };
  head("Feed");
  switch (p.method) {
    case Method::line_steps: say("{source} by {feeder} between the first and the last of {lines} , {period} a period with edges of {edge} , up to {source_limit} ."); break;
    default: say("{source} by {feeder} with {lines} , up to {source_limit} ."); break;
  }
  head("Load");
  say(p.method == Method::load_steps ? "{load} with {mode} between the first and the last of {loads} , {period} a period with edges of {edge} ." : "{load} with {mode} of {loads} .");
  if (p.told.empty()) say("It is told {told} .");
  else say("{told} at {told_values} , set {told_by} .");
  drives = false;
  head("Sense");
  if (p.hookup.chains.empty()) {
    say("by the source's and the load's own readings, voltages {sensing} .");
  } else {
    say_senses(out, p.hookup, {.text = {}, .rare = rare, .drives = drives});
    say("Source and load hold their voltages {sensing} .");
  }
  head("Read");
  if (p.of_points()) {
    say("{method} : {settle} , then {readings} , {agree} ; {inner} goes first.");
    if (!p.thermometer.empty()) say("A point waits until {thermometer} moves by less than {rests_within} in a minute.");
  }
  else say("{method} , {length} at {rate} , {settle} after it was switched on.");
  rare = true;
  head("Also");
  if (p.of_points() && p.thermometer.empty()) say("{thermometer} ;");
  if (p.of_points()) say("{warm_up} of warm-up, {rest} of rest between points; sampled at {rate} ; a watch that trips {on_trip} ;");
  say("{repeat} ;");
  say_ranges(out, p.hookup, {.text = {}, .rare = rare, .drives = drives});
  return out;
}

std::string time_sentence(const Plan& p, const bench::Limits& limits) {
  const auto n = p.all_steps().size();
  if (!p.of_points()) return fmt::format("{} of {} samples, {} on a real bench.", n == 1 ? "One record" : fmt::format("{} records", n), p.samples(), format_duration(p.seconds(limits)));
  return fmt::format("{} {}, {} on a real bench.", n, n == 1 ? "point" : "points", format_duration(p.seconds(limits)));
}

Result<Plan> apply(const Plan& plan, std::string_view key, std::string_view text, const Surroundings& around) { return with_word(plan, words(), &Plan::hookup, key, text, around); }

BriefHint hint(const Plan& p, std::string_view key, const Surroundings& around) { return word_hint(p, words(), &Plan::hookup, key, around); }

}  // namespace heron::study::conversion
