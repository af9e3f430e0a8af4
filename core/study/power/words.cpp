#include "study/power/words.h"

#include <algorithm>
#include <cmath>

#include "study/hookup_words.h"

namespace heron::study::power {
namespace {

const Choices<Method> kMethods = {{Method::cycles, "cycles", "steady cycles", {"steady"}},
                                  {Method::switch_on, "switch_on", "what is drawn when it is switched on", {"switch-on", "switch on"}},
                                  {Method::profile, "profile", "a profile from sleep to burst", {"profile"}},
                                  {Method::recording, "recording", "a recording", {"recording"}}};
const Choices<Feed> kFeeds = {{Feed::own, "own", "nothing of the bench", {"nothing", "own", "itself"}},
                              {Feed::mains, "mains", "the mains source", {"mains"}},
                              {Feed::phases, "phases", "three phases of the mains source", {"three phases", "phases"}},
                              {Feed::inverter, "inverter", "an inverter of three phases", {"inverter"}},
                              {Feed::supply, "supply", "the DC source", {"dc", "supply"}}};
const Choices<Sequence> kSequences = {{Sequence::abc, "abc", "a b c"}, {Sequence::acb, "acb", "a c b"}};
const Choices<Keep> kKeeps = {{Keep::events, "events", "raw records around what a watch caught", {"events", "watches"}}, {Keep::none, "none", "no raw records", {"none", "readings"}}};
const Choices<Repeat> kRepeats = {{Repeat::once, "once", "once"},
                                  {Repeat::every, "every", "again and again, keeping all", {"keeping all", "all"}},
                                  {Repeat::last, "last", "again and again, keeping the last", {"keeping the last", "again"}}};

Word<Plan> share_word(std::string key, std::string label, double Plan::*member) {
  auto out = kept_word(key, member);
  out.key = key;
  out.label = std::move(label);
  out.text = [member](const Plan& p) { return fmt::format("{:.4g} %", 100 * (p.*member)); };
  out.set = [member](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
    const auto value = parse_value(text, "%");
    if (!value) return tl::unexpected(value.error());
    if (!(*value >= 0 && *value <= 50)) return fail(Fault::input, "{} lies not from 0 to 50 %.", text);
    p.*member = *value / 100;
    return {};
  };
  out.hint = [](const Plan&, const Surroundings&) { return BriefHint{.allowed = "0 to 50 % of the fundamental"}; };
  return out;
}

Word<Plan> before_word() {
  auto out = share_word("before", "Share of the record before it is switched on", &Plan::before);
  out.hint = [](const Plan&, const Surroundings&) { return BriefHint{.allowed = "0 to 50 % of the record"}; };
  return out;
}

Word<Plan> contact_word() {
  auto out = kept_word("contact", &Plan::contact);
  out.key = "contact";
  out.label = "What switches it on";
  out.text = [](const Plan& p) { return p.contact.empty() ? std::string("the source's switch") : p.contact; };
  out.set = [](Plan& p, std::string_view text, const Surroundings& around) -> Result<void> {
    const auto name = trimmed(text);
    if (name == "the source's switch" || name == "the source" || name == "source") {
      p.contact.clear();
      return {};
    }
    if (std::find(around.contacts.begin(), around.contacts.end(), name) == around.contacts.end())
      return around.contacts.empty() ? fail(Fault::input, "The device has no contact; its source's switch does it.")
                                     : fail(Fault::input, "The device has no contact \"{}\"; there are {}.", name, listed(around.contacts, "and"));
    p.contact = name;
    return {};
  };
  out.hint = [](const Plan&, const Surroundings& around) {
    BriefHint hint{.choices = around.contacts};
    hint.choices.insert(hint.choices.begin(), "the source's switch");
    return hint;
  };
  return out;
}

/// Choosing three phases brings the pins that are there.
Word<Plan> feed_word() {
  auto out = choice_word("feed", "feed", "What it is fed from", &Plan::feed, kFeeds);
  const auto plain = out.set;
  out.set = [plain](Plan& p, std::string_view text, const Surroundings& around) -> Result<void> {
    const auto before = p.feed;
    if (auto ok = plain(p, text, around); !ok) return ok;
    if (p.feed == before || p.feed == Feed::own) return {};
    const auto& pins = around.terminals;
    const auto known = [&](const std::string& pin) { return std::find(pins.begin(), pins.end(), pin) != pins.end(); };
    if (!known(p.pin) && !pins.empty()) p.pin = pins.front();
    if (!p.three()) return {};
    std::vector<std::string> others;
    for (const auto& pin : pins)
      if (pin != p.pin) others.push_back(pin);
    if (others.size() < 2) return fail(Fault::input, "Three phases feed three pins; the device has {}.", pins.size());
    if (!known(p.pin_b) || !known(p.pin_c) || p.pin_b == p.pin || p.pin_c == p.pin || p.pin_b == p.pin_c) {
      p.pin_b = others[0];
      p.pin_c = others[1];
    }
    return {};
  };
  return out;
}

Word<Plan> rate_word() {
  auto out = input_rate_word(&Plan::rate, &Plan::hookup);
  out.hint = [](const Plan& p, const Surroundings&) {
    return BriefHint{.forms = fmt::format("{} samples a record; harmonics up to {:.0f}", p.samples(), std::floor(p.rate / 2 / p.frequency))};
  };
  return out;
}

}  // namespace

const WordTable<Plan>& words() {
  static const WordTable<Plan> table({
      choice_word("method", "method", "What is read", &Plan::method, kMethods),
      feed_word(),
      terminal_word("pin", "Pin that is fed", &Plan::pin),
      terminal_word("pin_b", "Pin of phase b", &Plan::pin_b),
      terminal_word("pin_c", "Pin of phase c", &Plan::pin_c),
      number_word("voltage", "voltage", "Voltage of each phase, rms", &Plan::voltage, "V", {0, 1000}),
      number_word("frequency", "frequency", "Frequency of the fundamental", &Plan::frequency, "Hz", {0.1, 1e6}),
      number_word("line", "line_resistance", "Resistance of the line", &Plan::line_resistance, "ohm", {0, 1e3}),
      number_word("line_inductance", "line_inductance", "Inductance of the line", &Plan::line_inductance, "H", {0, 1}),
      share_word("third", "Third harmonic of the mains", &Plan::third),
      share_word("fifth", "Fifth harmonic of the mains", &Plan::fifth),
      number_word("bus", "bus", "Bus of the inverter", &Plan::bus, "V", {1, 1000}),
      number_word("carrier", "carrier", "Switching frequency of the inverter", &Plan::carrier, "Hz", {100, 1e6}),
      choice_word("sequence", "sequence", "Which way the phases turn", &Plan::sequence, kSequences),
      number_word("supply_voltage", "supply_voltage", "Voltage of the DC source", &Plan::supply_voltage, "V", {0, 80}),
      number_word("supply_limit", "supply_limit", "Current limit of the DC source", &Plan::supply_limit, "A", {1e-3, 30}),
      contact_word(),
      number_word("angle", "angle", "Angle of the line at which it is switched on, or its feed begins", &Plan::angle, "deg", {-360, 360}),
      number_word("settle", "settle_time", "Wait from the feed to the first record", &Plan::settle_time, "s", {0, 3600}),
      hookup_word(&Plan::hookup),
      rate_word(),
      number_word("reading", "reading", "From one reading to the next", &Plan::reading, "s", {1e-3, 86400}),
      count_word("cycles", "cycles", "Cycles of a record", &Plan::cycles, 1, 100000, "cycle"),
      number_word("length", "length", "How long is read", &Plan::length, "s", {1e-6, 1e6}),
      before_word(),
      count_word("readings", "readings", "Records", &Plan::readings, 1, 10000, "record"),
      number_word("every", "every", "From one record to the next", &Plan::every, "s", {0, 86400}),
      choice_word("keep", "keep", "What is kept beside the readings", &Plan::keep, kKeeps),
      choice_word("repeat", "repeat", "How often it is taken", &Plan::repeat, kRepeats),
  });
  return table;
}

std::vector<BriefPiece> brief(const Plan& p) {
  std::vector<BriefPiece> out;
  bool rare = false, drives = true;
  const auto head = [&](std::string text) { out.push_back({.text = std::move(text), .rare = rare, .heading = true, .drives = drives}); };
  const auto say = [&](const std::string& sentence) { words().say(out, p, sentence, {.text = {}, .rare = rare, .drives = drives}); };
  head("Feed");
  switch (p.feed) {
    case Feed::own: say("by {feed} : the device has its own,"); break;
    case Feed::mains: say("{pin} from {feed} with {voltage} rms at {frequency} ,"); break;
    case Feed::phases: say("{pin} , {pin_b} and {pin_c} from {feed} with {voltage} rms at {frequency} , turning {sequence} ,"); break;
    case Feed::inverter: say("{pin} , {pin_b} and {pin_c} from {feed} with {voltage} rms at {frequency} , switched at {carrier} off {bus} , turning {sequence} ,"); break;
    case Feed::supply: say("{pin} from {feed} with {supply_voltage} , up to {supply_limit} ,"); break;
  }
  if (p.method == Method::switch_on)
    say(p.alternates() && p.contact.empty() ? "switched on by {contact} at {angle} ." : "switched on by {contact} .");
  else
    say("{settle} before.");
  drives = false;
  head("Sense");
  say_senses(out, p.hookup, {.text = {}, .rare = rare, .drives = drives});
  head("Read");
  switch (p.method) {
    case Method::cycles:
      say(p.readings == 1 ? "{method} : {cycles} at {rate} , {readings} ." : "{method} : {cycles} at {rate} , {readings} , {every} from one to the next.");
      break;
    case Method::switch_on: say("{method} : {length} at {rate} , {before} of it before."); break;
    case Method::profile: say("{method} : {length} at {rate} ."); break;
    case Method::recording: say("{method} of {length} at {rate} , a reading every {reading} , keeping {keep} ."); break;
  }
  if (p.method == Method::cycles && !p.alternates()) say("The fundamental is expected at {frequency} .");
  rare = true;
  head("Also");
  drives = true;
  if (p.alternates() && p.method != Method::switch_on) say("the first phase begins at {angle} ;");
  if (p.feed == Feed::inverter)
    say("the line has {line} and {line_inductance} ;");
  else if (p.alternates())
    say("the line has {line} and {line_inductance} , the mains {third} of the third harmonic and {fifth} of the fifth;");
  drives = false;
  say("{repeat} ;");
  say_ranges(out, p.hookup, {.text = {}, .rare = rare, .drives = drives});
  return out;
}

std::string time_sentence(const Plan& p, const bench::Limits&) {
  if (p.method == Method::cycles)
    return fmt::format("{} of {} samples, {} on a real bench.", p.readings == 1 ? "One record" : fmt::format("{} records", p.readings), p.samples(), format_duration(p.seconds()));
  if (p.method == Method::recording)
    return fmt::format("{:.0f} readings, {} on a real bench.", std::floor(p.length / p.record_length()), format_duration(p.seconds()));
  return fmt::format("One record of {} samples, {} on a real bench.", p.samples(), format_duration(p.seconds()));
}

Result<Plan> apply(const Plan& plan, std::string_view key, std::string_view text, const Surroundings& around) { return with_word(plan, words(), &Plan::hookup, key, text, around); }

BriefHint hint(const Plan& p, std::string_view key, const Surroundings& around) { return word_hint(p, words(), &Plan::hookup, key, around); }

}  // namespace heron::study::power
