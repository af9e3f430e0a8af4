#include "study/switching/words.h"

#include <algorithm>
#include <cmath>

#include "study/hookup_words.h"
#include "study/steps_word.h"

namespace heron::study::switching {
namespace {

const Choices<Other> kOthers = {{Other::alone, "alone", "has no driver", {"alone", "none", "nothing"}},
                                {Other::held, "held", "is held off", {"off", "held"}},
                                {Other::opposite, "opposite", "is on between the pulses", {"opposite", "between"}}};
const Choices<Repeat> kRepeats = {{Repeat::once, "once", "once"},
                                  {Repeat::every, "every", "again and again, keeping all", {"keeping all", "all"}},
                                  {Repeat::last, "last", "again and again, keeping the last", {"keeping the last", "again"}}};

Word<Plan> list_word(std::string key, std::string label, std::vector<double> Plan::*member, std::string unit, double most, std::string example) {
  return steps_word<Plan>(std::move(key), std::move(label), member, [unit](const Plan&) { return unit; }, {0, most}, std::move(example));
}

/// Its length follows from current, inductance and bus; typed, the current follows from it.
Word<Plan> first_word() {
  Word<Plan> out;
  out.key = "first";
  out.label = "Length of the first pulse";
  out.text = [](const Plan& p) {
    double low = INFINITY, high = 0;
    for (const auto& s : p.steps()) {
      low = std::min(low, p.first(s));
      high = std::max(high, p.first(s));
    }
    return high <= low * (1 + 1e-9) ? format_setting(rounded_to(low, 4), "s") : format_setting(rounded_to(low, 3), "s") + " to " + format_setting(rounded_to(high, 3), "s");
  };
  out.set = [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
    const auto value = parse_value(text, "s");
    if (!value) return tl::unexpected(value.error());
    if (!(*value >= 20e-9 && *value <= 1)) return fail(Fault::input, "{} lies not from 20 ns to 1 s.", text);
    if (p.buses.size() > 1 || p.currents.size() > 1) return fail(Fault::input, "Each current and bus voltage has a first pulse of its own: change those.");
    p.currents = {p.buses.front() * *value / p.inductance};
    return {};
  };
  out.hint = [](const Plan& p, const Surroundings&) { return BriefHint{.allowed = fmt::format("L I / V: {} and {} give it; typed, the current follows", format_setting(p.inductance, "H"), format_setting(p.buses.front(), "V"))}; };
  return out;
}

/// Ground, or the pin that the driver floats on.
Word<Plan> against_word(std::string key, std::string label, std::string Plan::*member) {
  auto out = kept_word(key, member);
  out.key = key;
  out.label = std::move(label);
  out.text = [member](const Plan& p) { return (p.*member).empty() ? std::string("ground") : p.*member; };
  out.set = [member](Plan& p, std::string_view text, const Surroundings& around) -> Result<void> {
    const auto name = trimmed(text);
    if (name == "ground" || name == "none") {
      (p.*member).clear();
      return {};
    }
    return choose_pin(p.*member, name, around.terminals);
  };
  out.hint = [](const Plan&, const Surroundings& around) {
    BriefHint hint{.choices = around.terminals};
    hint.allowed = "ground for a low side; the switching node for a high side";
    hint.choices.insert(hint.choices.begin(), "ground");
    return hint;
  };
  return out;
}

Word<Plan> off_resistor_word() {
  auto out = kept_word("off_resistor", &Plan::off_resistor);
  out.key = "off_resistor";
  out.label = "Gate resistor while it turns off";
  out.text = [](const Plan& p) { return p.off_resistor > 0 ? format_setting(p.off_resistor, "ohm") : std::string("the same"); };
  out.set = [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
    const auto typed = trimmed(text);
    if (typed == "the same" || typed == "same") {
      p.off_resistor = 0;
      return {};
    }
    const auto value = parse_value(typed, "ohm");
    if (!value) return tl::unexpected(value.error());
    if (!(*value > 0 && *value <= 1e4)) return fail(Fault::input, "{} lies not above 0 and up to 10 kohm.", text);
    p.off_resistor = *value;
    return {};
  };
  out.hint = [](const Plan&, const Surroundings&) { return BriefHint{.forms = "the same, or 4.7 ohm"}; };
  return out;
}

Word<Plan> saturation_word() {
  auto out = kept_word("saturation", &Plan::saturation);
  out.key = "saturation";
  out.label = "Current at which the load saturates";
  out.text = [](const Plan& p) { return p.saturation > 0 ? format_setting(p.saturation, "A") : std::string("not known"); };
  out.set = [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
    if (const auto typed = trimmed(text); typed == "not known" || typed == "none") {
      p.saturation = 0;
      return {};
    }
    const auto value = parse_value(text, "A");
    if (!value) return tl::unexpected(value.error());
    if (!(*value > 0 && *value <= 1e5)) return fail(Fault::input, "{} lies not above 0.", text);
    p.saturation = *value;
    return {};
  };
  out.hint = [](const Plan&, const Surroundings&) { return BriefHint{.forms = "not known, or 60 A"}; };
  return out;
}

Word<Plan> temperatures_word() {
  auto out = kept_word("temperatures", &Plan::temperatures);
  out.key = "temperatures";
  out.label = "Temperatures of the device";
  out.text = [](const Plan& p) { return p.temperatures.empty() ? std::string("as it is") : steps_text(p.temperatures, "degC"); };
  out.set = [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
    if (const auto typed = trimmed(text); typed == "as it is" || typed == "none") {
      p.temperatures.clear();
      return {};
    }
    auto values = steps_from(text, "degC");
    if (!values) return tl::unexpected(values.error());
    for (const double v : *values)
      if (!(v > -200 && v < 400)) return fail(Fault::input, "{} lies not from -200 to 400 degC.", format_setting(v, "degC"));
    p.temperatures = std::move(*values);
    return {};
  };
  out.hint = [](const Plan&, const Surroundings&) { return BriefHint{.forms = "as it is, or a list, 25 degC, 100 degC"}; };
  return out;
}

}  // namespace

const WordTable<Plan>& words() {
  static const WordTable<Plan> table({
      terminal_word("bus_pin", "Pin of the bus", &Plan::bus_pin),
      list_word("buses", "Bus voltages", &Plan::buses, "V", 600, "a list, 24 V, 48 V; or 12 V to 48 V in 4"),
      number_word("capacitance", "capacitance", "Capacitance of the bus", &Plan::capacitance, "F", {1e-9, 1}),
      number_word("inductance", "inductance", "Inductance of the load", &Plan::inductance, "H", {1e-8, 1}),
      saturation_word(),
      list_word("currents", "Currents at the end of the first pulse", &Plan::currents, "A", 1e4, "a list, 5 A, 10 A; or 2 A to 20 A in 10"),
      first_word(),
      number_word("gap", "gap", "From the first pulse to the second", &Plan::gap, "s", {50e-9, 1e-2}),
      number_word("second", "second", "Length of the second pulse", &Plan::second, "s", {20e-9, 1e-2}),
      terminal_word("gate_pin", "Gate of the device", &Plan::gate_pin),
      against_word("gate_against", "What its driver's voltage is against", &Plan::gate_against),
      terminal_word("other_pin", "Gate of the other device", &Plan::other_pin),
      against_word("other_against", "What the other driver's voltage is against", &Plan::other_against),
      choice_word("other", "other", "What the other device's gate does", &Plan::other, kOthers),
      number_word("dead_time", "dead_time", "Dead time between the two gates", &Plan::dead_time, "s", {0, 1e-3}),
      number_word("gate_low", "gate_low", "Gate voltage while it is off", &Plan::gate_low, "V", {-30, 30}),
      number_word("gate_high", "gate_high", "Gate voltage while it is on", &Plan::gate_high, "V", {-30, 30}),
      list_word("resistors", "Gate resistors while it turns on", &Plan::resistors, "ohm", 1e4, "a list, 4.7 ohm, 10 ohm"),
      off_resistor_word(),
      temperatures_word(),
      number_word("edge", "edge", "The fastest edge that is expected", &Plan::edge, "s", {1e-10, 1e-3}),
      count_word("shots", "shots", "Shots of each setting", &Plan::shots, 1, 1000, "shot"),
      number_word("rest", "rest", "From one shot to the next", &Plan::rest, "s", {1e-3, 3600}),
      hookup_word(&Plan::hookup),
      input_rate_word(&Plan::rate, &Plan::hookup),
      number_word("before", "before", "Record before the first pulse", &Plan::before, "s", {1e-7, 1e-2}),
      number_word("after", "after", "Record after the second pulse", &Plan::after, "s", {1e-7, 1e-2}),
      choice_word("repeat", "repeat", "How often it is taken", &Plan::repeat, kRepeats),
  });
  return table;
}

std::vector<BriefPiece> brief(const Plan& p) {
  std::vector<BriefPiece> out;
  bool rare = false, drives = true;
  const auto head = [&](std::string text) { out.push_back({.text = std::move(text), .rare = rare, .heading = true, .drives = drives}); };
  const auto say = [&](const std::string& sentence) { words().say(out, p, sentence, {.text = {}, .rare = rare, .drives = drives}); };
  head("Bus");
  say("{bus_pin} charged to {buses} , {inductance} as its load, to {currents} .");
  head("Pulses");
  say("{gate_pin} against {gate_against} high for {first} , again after {gap} for {second} , from {gate_low} to {gate_high} through {resistors} .");
  if (p.other == Other::alone) say("The other device {other} .");
  else if (p.other == Other::held) say("The other device's gate {other_pin} against {other_against} {other} .");
  else say("The other device's gate {other_pin} against {other_against} {other} , {dead_time} apart.");
  drives = false;
  head("Sense");
  say_senses(out, p.hookup, {.text = {}, .rare = rare, .drives = drives});
  head("Read");
  say("{shots} of each at {rate} .");
  rare = true;
  head("Also");
  drives = true;
  say("{off_resistor} as the resistor while it turns off; temperature {temperatures} ; {rest} from shot to shot; the bus has {capacitance} , the load's saturation {saturation} ;");
  drives = false;
  say("{before} of the record before and {after} after the pulses; edges of {edge} expected; {repeat} ;");
  say_ranges(out, p.hookup, {.text = {}, .rare = rare, .drives = drives});
  return out;
}

std::string time_sentence(const Plan& p, const bench::Limits& limits) {
  const auto all = p.steps();
  const auto n = all.size() * std::size_t(p.shots);
  double peak = 0, energy = 0;
  for (const auto& s : all) {
    const auto x = predicted(p, s);
    peak = std::max(peak, x.peak_current);
    energy = std::max(energy, x.inductor_energy);
  }
  return fmt::format("{} {}, {} on a real bench; up to {} and {} in the load.", n, n == 1 ? "shot" : "shots", format_duration(p.seconds(limits)), format_quantity(peak, "A", 3).plain(), format_quantity(energy, "J", 2).plain());
}

Result<Plan> apply(const Plan& plan, std::string_view key, std::string_view text, const Surroundings& around) { return with_word(plan, words(), &Plan::hookup, key, text, around); }

BriefHint hint(const Plan& p, std::string_view key, const Surroundings& around) { return word_hint(p, words(), &Plan::hookup, key, around); }

}  // namespace heron::study::switching
