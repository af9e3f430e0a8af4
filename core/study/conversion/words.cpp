#include "study/conversion/words.h"

#include <algorithm>
#include <cmath>

#include "base/words.h"
#include "study/hookup_words.h"

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
const Choices<OnTrip> kOnTrip = {{OnTrip::notes, "notes", "is noted", {"note", "notes"}},
                                 {OnTrip::ends_point, "ends_point", "ends the point", {"point"}},
                                 {OnTrip::ends_sweep, "ends_sweep", "ends the sweep", {"sweep"}}};
const Choices<bool> kSensing = {{true, "pins", "at the device's pins", {"pins", "remote"}}, {false, "terminals", "at their own terminals", {"terminals", "local"}}};
const Choices<Repeat> kRepeating = {{Repeat::once, "once", "once"},
                                    {Repeat::every, "every", "again and again, keeping all", {"keeping all", "all"}},
                                    {Repeat::last, "last", "again and again, keeping the last", {"keeping the last", "again"}}};
constexpr int kMostSteps = 1000;

std::string unit_of(LoadMode mode) { return mode == LoadMode::current ? "A" : mode == LoadMode::power ? "W" : "ohm"; }

/// Values of a sweep, in a unit that the plan tells.
Word<Plan> steps_word(std::string key, std::string label, std::vector<double> Plan::*member, std::function<std::string(const Plan&)> unit, double most, std::string example) {
  auto out = kept_word(key, member);
  out.key = key;
  out.label = std::move(label);
  out.text = [member, unit](const Plan& p) { return steps_text(p.*member, unit(p)); };
  out.set = [member, unit, most](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
    auto values = steps_from(text, unit(p));
    if (!values) return tl::unexpected(values.error());
    for (const double v : *values)
      if (!(v >= 0 && v <= most)) return fail(Fault::input, "{} lies not from 0 to {}.", format_setting(v, unit(p)), format_setting(most, unit(p)));
    p.*member = std::move(*values);
    return {};
  };
  out.hint = [example](const Plan&, const Surroundings&) { return BriefHint{.forms = example}; };
  return out;
}

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

Word<Plan> agree_word() {
  auto out = kept_word("agree", &Plan::agree);
  out.key = "agree";
  out.label = "How near two readings must be before a point counts";
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

std::string steps_text(const std::vector<double>& values, std::string_view unit) {
  const auto n = values.size();
  if (n >= 4) {
    const double step = (values.back() - values.front()) / double(n - 1), ratio = values.front() > 0 && values.back() > 0 ? std::log(values.back() / values.front()) / double(n - 1) : NAN;
    bool linear = true, log = std::isfinite(ratio);
    for (std::size_t k = 0; k < n; ++k) {
      linear = linear && std::abs(values[k] - values.front() - step * double(k)) <= 1e-6 * std::abs(step);
      log = log && std::abs(std::log(values[k] / values.front()) - ratio * double(k)) <= 1e-6 * std::abs(ratio);
    }
    if (linear || log) return fmt::format("{} to {} in {}{}", format_setting(values.front(), unit), format_setting(values.back(), unit), n, linear ? "" : " log");
  }
  std::string out;
  for (const double v : values) out += (out.empty() ? "" : ", ") + format_setting(v, unit);
  return out;
}

Result<std::vector<double>> steps_from(std::string_view text, std::string_view unit) {
  auto typed = trimmed(text);
  const auto to = typed.find(" to ");
  if (to == std::string::npos) {
    std::vector<double> out;
    for (const auto& piece : pieces(typed)) {
      const auto value = parse_value(piece, unit);
      if (!value) return tl::unexpected(value.error());
      out.push_back(*value);
    }
    if (out.empty()) return fail(Fault::input, "Values are wanted, such as 10 {0}, 20 {0}, or 10 {0} to 20 {0} in 5.", unit);
    if (out.size() > kMostSteps) return fail(Fault::input, "{} values are more than {}.", out.size(), kMostSteps);
    return out;
  }
  bool log = false;
  if (lower(typed).ends_with("log")) {
    log = true;
    typed = trimmed(std::string_view(typed).substr(0, typed.size() - 3));
    if (typed.ends_with(',')) typed = trimmed(std::string_view(typed).substr(0, typed.size() - 1));
  }
  const auto in = typed.rfind(" in ");
  const auto stop_text = in == std::string::npos ? typed.substr(to + 4) : typed.substr(to + 4, in - to - 4);
  const auto start = parse_value(typed.substr(0, to), unit), stop = parse_value(stop_text, unit);
  if (!start) return tl::unexpected(start.error());
  if (!stop) return tl::unexpected(stop.error());
  const auto count = in == std::string::npos ? Result<double>(5.0) : parse_value(typed.substr(in + 4), "1");
  if (!count || *count != std::round(*count) || !(*count >= 2 && *count <= kMostSteps)) return fail(Fault::input, "How many? From 2 to {}, such as 10 mA to 3 A in 20 log.", kMostSteps);
  if (log && !(*start > 0 && *stop > 0)) return fail(Fault::input, "Even ratios want both ends above zero.");
  std::vector<double> out;
  for (int k = 0; k < int(*count); ++k) {
    const double share = k / (*count - 1);
    out.push_back(log ? *start * std::pow(*stop / *start, share) : *start + share * (*stop - *start));
  }
  out.back() = *stop;
  return out;
}

const WordTable<Plan>& words() {
  static const WordTable<Plan> table({
      choice_word("method", "method", "How it is read", &Plan::method, kMethods),
      terminal_word("source", "Pin that is fed", &Plan::source_pin),
      terminal_word("load", "Pin that is loaded", &Plan::load_pin),
      steps_word("lines", "Lines: voltages of the input", &Plan::lines, [](const Plan&) { return std::string("V"); }, 80, "a list, 5 V, 12 V; or 3.6 V to 8.4 V in 9, with log behind it for even ratios"),
      mode_word(),
      steps_word("loads", "Loads", &Plan::loads, [](const Plan& p) { return unit_of(p.mode); }, 1e6, "a list, 10 mA, 1 A; or 10 mA to 3 A in 20 log"),
      number_word("source_limit", "source_limit", "Current limit of the source", &Plan::source_limit, "A", {1e-3, 30}),
      told_word(),
      kept_word("told_unit", &Plan::told_unit),
      steps_word("told_values", "Values that it is told", &Plan::told_values, [](const Plan& p) { return p.told_unit.empty() ? std::string("1") : p.told_unit; }, 1e12, "a list, or so many from one to another"),
      choice_word("inner", "inner", "What is stepped first", &Plan::inner, kInners),
      number_word("settle", "settle_time", "Wait at each point", &Plan::settle_time, "s", {0, 3600}),
      agree_word(),
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
    case Method::line_steps: say("{source} between the first and the last of {lines} , {period} a period with edges of {edge} , up to {source_limit} ."); break;
    default: say("{source} with {lines} , up to {source_limit} ."); break;
  }
  head("Load");
  say(p.method == Method::load_steps ? "{load} with {mode} between the first and the last of {loads} , {period} a period with edges of {edge} ." : "{load} with {mode} of {loads} .");
  if (p.told.empty()) say("It is told {told} .");
  else say("{told} at {told_values} .");
  drives = false;
  head("Sense");
  if (p.hookup.chains.empty()) {
    say("by the source's and the load's own readings, voltages {sensing} .");
  } else {
    say_senses(out, p.hookup, {.text = {}, .rare = rare, .drives = drives});
    say("Source and load hold their voltages {sensing} .");
  }
  head("Read");
  if (p.of_points()) say("{method} : {settle} , then {readings} , {agree} ; {inner} goes first.");
  else say("{method} , {length} at {rate} , {settle} after it was switched on.");
  rare = true;
  head("Also");
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

Result<Plan> apply(const Plan& plan, std::string_view key, std::string_view text, const Surroundings& around) {
  Plan changed = plan;
  auto ok = set_word(changed, words(), &Plan::hookup, key, text, around);
  if (!ok) return tl::unexpected(ok.error());
  if (ok = check(changed); !ok) return tl::unexpected(ok.error());
  return changed;
}

BriefHint hint(const Plan& p, std::string_view key, const Surroundings& around) { return word_hint(p, words(), &Plan::hookup, key, around); }

}  // namespace heron::study::conversion
