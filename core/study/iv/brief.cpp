#include "study/iv/brief.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "study/hookup_words.h"
#include "study/iv/ramp.h"
#include "study/iv/words.h"

namespace heron::study::iv {
namespace {

std::string count_text(int n, const char* noun) { return fmt::format("{} {}{}", n, noun, n == 1 ? "" : "s"); }

std::string value_text(double value, const Source& s) { return format_setting(value, s.unit()); }

std::string spacing_text(const Source& s) {
  if (s.values.spacing == Spacing::linear) return "linear";
  if (s.values.spacing == Spacing::logarithmic) return "logarithmic";
  std::string out;
  for (const double v : s.values.listed) out += (out.empty() ? "" : ", ") + value_text(v, s);
  return out;
}

std::string aperture_text(double aperture) {
  const double periods = aperture / kMainsPeriod;
  if (periods >= 1 && std::abs(periods - std::round(periods)) < 1e-6)
    return count_text(int(std::lround(periods)), "mains period");
  return format_setting(aperture, "s");
}

}  // namespace

std::vector<BriefPiece> brief(const Plan& p) {
  std::vector<BriefPiece> out;
  bool rare = false;
  const bool ramped = p.method == Method::waveform;
  const auto say = [&](const std::string& text, bool heading = false) { out.push_back({text, "", rare, heading}); };
  const auto word = [&](const std::string& key, const std::string& text) { out.push_back({text, key, rare, false}); };
  const auto source = [&](const Source& s) {
    const auto key = [&](const char* name) { return "source." + s.name + "." + name; };
    say(s.role == Role::swept ? "Sweep" : s.role == Role::stepped ? "Step" : "Hold", true);
    word(key("pin"), s.pin);
    if (!ramped) {
      rare = s.against.empty();
      say("against");
      word(key("against"), s.against.empty() ? "ground" : s.against);
      rare = false;
    }
    if (!ramped) {
      say("by");
      word(key("force"), s.force == bench::Force::voltage ? "voltage" : "current");
    }
    if (s.role == Role::constant) {
      say("at");
      word(key("value"), value_text(s.value, s));
    } else if (s.values.spacing == Spacing::listed) {
      say("through");
      word(key("spacing"), spacing_text(s));
    } else {
      say("from");
      word(key("start"), value_text(s.values.start, s));
      say("to");
      word(key("stop"), value_text(s.values.stop, s));
      say("in");
      word(key("points"), count_text(s.values.points, s.role == Role::swept ? "point" : "value"));
      rare = s.values.spacing == Spacing::linear && s.role != Role::swept;
      if (!ramped || s.role != Role::swept) word(key("spacing"), spacing_text(s));
      rare = false;
    }
    if (s.role == Role::swept) {
      word("course", words_of(p.course, kCourses));
      rare = p.cycles == 1;
      word("cycles", count_text(p.cycles, "time"));
      rare = false;
      if (ramped) {
        say("in");
        word("ramp", format_setting(p.ramp, "s"));
        say("each way");
      }
    }
    if (!ramped) {
      say("with at most");
      word(key("compliance"), format_setting(s.compliance, s.other_unit()));
      rare = true;
      say("by");
      word(key("wires"), s.four_wire ? "four-wire" : "two-wire");
      say("in the range");
      word(key("range"), s.current_range      ? format_setting(*s.current_range, "A")
                         : s.lowest_range > 0 ? "automatic above " + format_setting(s.lowest_range, "A")
                                              : "automatic");
    }
    rare = s.rest == 0;
    say("resting at");
    word(key("rest"), value_text(s.rest, s));
    rare = true;
    say("as");
    word(key("role"), words_of(s.role, kRoles));
    rare = false;
    say(".");
  };
  for (const auto role : {Role::swept, Role::stepped, Role::constant})
    for (const auto& s : p.sources)
      if (s.role == role) source(s);
  say("Read", true);
  if (ramped) {
    word("voltage", p.voltage_name);
    say("as the voltage and");
    word("current", p.current_name);
    say("as the current");
  } else {
    say("the current of");
    word("sensed", p.sensed_name());
    word("delay", format_setting(p.delay, "s"));
    say("after each change over");
    word("aperture", aperture_text(p.aperture));
  }
  say("with");
  word("method", words_of(p.method, kMethods));
  rare = p.averages == 1;
  say("and average");
  word("averages", count_text(p.averages, ramped ? "sweep" : "reading"));
  if (ramped) {
    rare = p.source_resistance == 50;
    say("from");
    word("source", format_setting(p.source_resistance, "ohm"));
  }
  rare = p.rest_time == 0;
  say("rest for");
  word("rest_time", format_setting(p.rest_time, "s"));
  say("before and after");
  rare = p.hold == 0;
  say("hold");
  word("hold", format_setting(p.hold, "s"));
  say("at the first value of each curve");
  rare = p.temperature == 25;
  say("at a temperature of");
  word("temperature", format_setting(p.temperature, "degC"));
  rare = true;
  say("and drive");
  word("add", "another pin");
  rare = false;
  say(".");
  return out;
}

std::string time_sentence(const Plan& p, const bench::Limits& limits) {
  if (p.method == Method::waveform) {
    const auto ramp = ramp_of(p);
    return fmt::format("{} points{}, {} on a real bench{}.", ramp.bins(),
                       ramp.steps.size() > 1 ? fmt::format(" on {} curves", ramp.steps.size()) : "",
                       format_duration(sweep_time(p, limits)),
                       p.averages > 1 ? fmt::format(" for {} sweeps", p.averages) : "");
  }
  const auto steps = steps_of(p);
  const auto curves = std::count_if(steps.begin(), steps.end(), [](const Step& s) { return s.first; });
  return fmt::format("{} points{}, about {} on a real bench.", steps.size(),
                     curves > 1 ? fmt::format(" on {} curves", curves) : "", format_duration(sweep_time(p, limits)));
}

BriefHint hint(const Plan& p, std::string_view key, const bench::Limits& limits, const std::vector<std::string>& pins) {
  if (const auto named = source_key(key)) {
    const auto* s = p.find(named->first);
    const auto& word = named->second;
    if (!s) return {"", "", "", {}};
    const auto most = [&](bool voltage) {
      return "up to " + (voltage ? format_setting(limits.source_measure_voltage, "V")
                                 : format_setting(limits.source_measure_current, "A"));
    };
    const bool by_voltage = s->force == bench::Force::voltage;
    if (word == "start") return {"Where " + s->name + " starts", "", most(by_voltage) + " either way", {}};
    if (word == "stop") return {"Where " + s->name + " stops", "", most(by_voltage) + " either way", {}};
    if (word == "value") return {"What " + s->name + " is held at", "", most(by_voltage) + " either way", {}};
    if (word == "compliance")
      return {"The most that " + s->name + (by_voltage ? " may draw" : " may rise to"),
              "the source gives way there, and the point is flagged",
              most(!by_voltage),
              {}};
    if (word == "points") {
      const auto list = list_of(s->values);
      std::string forms;
      if (list.size() > 1)
        forms =
            s->values.spacing == Spacing::logarithmic
                ? fmt::format("{:.4g} per decade",
                              double(list.size() - 1) / std::abs(std::log10(list.back() / list.front())))
                : "every " + format_setting(rounded_to(std::abs(list[1] - list[0]), 6), s->unit());
      return {"How many", forms, "51 points; 100 mV steps; 10 per decade", {}};
    }
    if (word == "spacing")
      return {"Spacing",
              "",
              "linear, logarithmic, or the values themselves: " + value_text(1, *s) + ", " + value_text(2, *s),
              {"linear", "logarithmic"}};
    if (word == "force") return {"What is forced; the other is limited", "", "", {"voltage", "current"}};
    if (word == "wires")
      return {"Sensing leads", "two-wire reads the leads' resistance as well", "", {"four-wire", "two-wire"}};
    if (word == "range")
      return {"Range of the current reading",
              "a floor keeps small currents from slow low ranges",
              "automatic, automatic above 1 uA, or a range",
              {"automatic"}};
    if (word == "rest")
      return {"What " + s->name + " rests at before and after", "", "held for the resting time of the brief", {}};
    if (word == "role") {
      BriefHint out{"What this source does", "one is swept, one at most stepped", "", {}};
      for (const auto& [role, words] : kRoles) out.choices.emplace_back(words);
      if (p.sources.size() > 1) out.choices.emplace_back("off");
      return out;
    }
    return {"Pin of the device", "", "", pins};
  }
  if (key == "course") {
    BriefHint out{"Which way", "there and back shows what a capacitance or memory opens", "", {}};
    for (const auto& [course, words] : kCourses) out.choices.emplace_back(words);
    return out;
  }
  if (key.starts_with("hookup.")) return hookup_hint(p.hookup, key.substr(7), limits, pins);
  if (key == "voltage" || key == "current") {
    BriefHint out{
        "Which sensed quantity is the " + std::string(key), "the Hookup page says how each is sensed", "", {}};
    for (const auto& c : p.hookup.chains) out.choices.push_back(c.name);
    for (const auto& c : p.hookup.computed) out.choices.push_back(c.name);
    return out;
  }
  if (key == "method") {
    BriefHint out{"What drives and reads",
                  "generators and inputs sweep fast, the current as a voltage over a known resistor",
                  "",
                  {}};
    for (const auto& [method, words] : kMethods) out.choices.emplace_back(words);
    return out;
  }
  if (key == "ramp") {
    const auto* s = p.swept();
    const std::string rate =
        s ? format_quantity(std::abs(s->values.stop - s->values.start) / p.ramp, "V/s", 3).plain() : "";
    return {"From one end of the sweep to the other", rate, "1 us to 1 h", {}};
  }
  if (key == "source") return {"Resistance of the generators", "", "in ohm", {}};
  if (key == "rest_time") return {"Wait at the rest values before and after", "", "0 s to 1 h", {}};
  if (key == "cycles") return {"How often", "", "1 to 100 times", {}};
  if (key == "delay") return {"Wait between setting and reading", "", "0 s to 1 h", {}};
  if (key == "aperture")
    return {"Length of one reading",
            fmt::format("{:.4g} mains periods", p.aperture / kMainsPeriod),
            "10 us to 10 s, or 1 mains period",
            {}};
  if (key == "averages")
    return {"Readings averaged at each point",
            p.averages > 1 ? fmt::format("noise falls to {:.2g}", 1 / std::sqrt(p.averages)) : "no averaging",
            "1 to 1000",
            {}};
  if (key == "hold") return {"Wait at the first value of each curve", "", "0 s to 1 h", {}};
  if (key == "temperature") return {"Temperature of the device, told to the take", "", "in degC", {}};
  if (key == "sensed") {
    BriefHint out{"Whose current is drawn", "another than the swept one makes a transfer curve", "", {}};
    for (const auto& s : p.sources) out.choices.push_back(s.name);
    return out;
  }
  if (key == "add")
    return {"Another pin to drive",
            fmt::format("the bench has {} source-measure channels", limits.source_measure_channels), "", pins};
  return {"", "", "", {}};
}

}  // namespace heron::study::iv
