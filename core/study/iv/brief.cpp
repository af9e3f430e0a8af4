#include "study/iv/brief.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
#include "base/words.h"

namespace heron::study::iv {
namespace {

constexpr double kMainsPeriod = 0.02;  ///< s

constexpr std::pair<Course, const char*> kCourses[] = {
    {Course::up, "up"}, {Course::down, "down"}, {Course::both, "there and back"}};
constexpr std::pair<Role, const char*> kRoles[] = {
    {Role::swept, "swept"}, {Role::stepped, "stepped"}, {Role::constant, "constant"}};

template <class Enum, std::size_t n>
const char* words_of(Enum value, const std::pair<Enum, const char*> (&table)[n]) {
  for (const auto& [which, words] : table)
    if (which == value) return words;
  return "";
}

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

Result<void> assign(double& into, const Result<double>& value) {
  if (!value) return tl::unexpected(value.error());
  into = *value;
  return {};
}

Result<void> whole(int& into, std::string_view text, std::initializer_list<std::string_view> nouns) {
  auto left = lower(text);
  for (const auto noun : nouns) left = replaced(left, noun, "");
  const auto value = parse_value(trimmed(left), "1");
  if (!value) return tl::unexpected(value.error());
  if (*value != std::round(*value) || std::abs(*value) > 1e6)
    return fail(Fault::input, "A whole number is wanted, not {}.", trimmed(text));
  into = int(*value);
  return {};
}

/// "51", "51 points", "100 mV steps", "10 per decade".
Result<void> set_points(Source& s, std::string_view text) {
  const auto small = lower(text);
  auto& v = s.values;
  if (v.spacing == Spacing::listed) v.spacing = Spacing::linear;
  if (const auto at = small.find("per decade"); at != std::string::npos) {
    const auto density = parse_value(trimmed(small.substr(0, at)), "1");
    if (!density) return tl::unexpected(density.error());
    if (!(*density > 0) || !(v.start * v.stop > 0))
      return fail(Fault::input, "Points per decade go between two values of one sign, other than zero.");
    v.spacing = Spacing::logarithmic;
    v.points = int(std::min(1e6, std::round(*density * std::abs(std::log10(v.stop / v.start))))) + 1;
    return {};
  }
  if (const auto at = small.find("step"); at != std::string::npos) {
    const auto interval = parse_value(trimmed(std::string_view(text).substr(0, at)), s.unit());
    if (!interval) return tl::unexpected(interval.error());
    if (!(*interval > 0)) return fail(Fault::input, "The interval must be above zero.");
    v.spacing = Spacing::linear;
    v.points = int(std::min(1e6, std::round(std::abs(v.stop - v.start) / *interval))) + 1;
    return {};
  }
  return whole(v.points, text, {"points", "point", "values", "value"});
}

Result<void> set_spacing(Source& s, std::string_view text) {
  const auto small = trimmed(lower(text));
  if (small.starts_with("lin")) {
    s.values.spacing = Spacing::linear;
  } else if (small.starts_with("log")) {
    s.values.spacing = Spacing::logarithmic;
    // A log sweep cannot begin at zero: three decades below its end instead.
    if (s.values.start == 0) s.values.start = s.values.stop / 1000;
  } else {
    std::vector<double> list;
    for (const auto& piece : pieces(text)) {
      const auto value = parse_value(piece, s.unit());
      if (!value) return tl::unexpected(value.error());
      list.push_back(*value);
    }
    s.values.spacing = Spacing::listed;
    s.values.listed = std::move(list);
  }
  return {};
}

Result<void> set_force(Source& s, std::string_view text) {
  const auto small = lower(text);
  const bool current = small.find("current") != std::string::npos;
  if (!current && small.find("voltage") == std::string::npos)
    return fail(Fault::input, "voltage or current is wanted, not \"{}\".", text);
  const auto force = current ? bench::Force::current : bench::Force::voltage;
  if (force == s.force) return {};
  // The old numbers mean nothing in the other unit; start small.
  s.force = force;
  s.value = 0;
  s.values = {.start = 0, .stop = current ? 1e-3 : 1, .points = s.values.points};
  s.compliance = current ? 1 : 1e-3;
  return {};
}

/// A name of its own for a source at a pin.
std::string name_for(const Plan& p, const std::string& pin) {
  std::string name = pin;
  for (int k = 2; p.find(name); ++k) name = pin + " " + std::to_string(k);
  return name;
}

Result<void> add_source(Plan& p, const std::string& pin, const std::vector<std::string>& pins) {
  if (std::find(pins.begin(), pins.end(), pin) == pins.end())
    return fail(Fault::input, "The device has no pin \"{}\".", pin);
  p.sources.push_back({.name = name_for(p, pin),
                       .pin = pin,
                       .against = "",
                       .role = p.stepped() ? Role::constant : Role::stepped,
                       .values = {.start = 0, .stop = 1, .points = 3},
                       .compliance = 1e-3,
                       .current_range = {}});
  return {};
}

Result<void> set_role(Plan& p, Source& s, std::string_view text) {
  const auto small = trimmed(lower(text));
  if (small == "off") {
    if (p.sources.size() < 2) return fail(Fault::input, "The only source cannot be taken off.");
    if (p.sensed == s.name) p.sensed.clear();
    std::erase_if(p.sources, [name = s.name](const Source& one) { return one.name == name; });
    if (!p.swept()) p.sources.front().role = Role::swept;
    return {};
  }
  for (const auto& [role, words] : kRoles)
    if (small == words) {
      // The one that had this part gives it up: there is one of each.
      if (role != Role::constant)
        for (auto& other : p.sources)
          if (other.role == role) other.role = s.role;
      s.role = role;
      if (!p.swept())
        for (auto& other : p.sources)
          if (&other != &s) {
            other.role = Role::swept;
            break;
          }
      return {};
    }
  return fail(Fault::input, "swept, stepped, constant or off is wanted, not \"{}\".", text);
}

Result<void> set_source_word(Plan& p, Source& s, std::string_view word, std::string_view text,
                             const std::vector<std::string>& pins) {
  if (word == "role") return set_role(p, s, text);
  if (word == "force") return set_force(s, text);
  if (word == "start") return assign(s.values.start, parse_value(text, s.unit()));
  if (word == "stop") return assign(s.values.stop, parse_value(text, s.unit()));
  if (word == "value") return assign(s.value, parse_value(text, s.unit()));
  if (word == "points") return set_points(s, text);
  if (word == "spacing") return set_spacing(s, text);
  if (word == "compliance") return assign(s.compliance, parse_value(text, s.other_unit()));
  if (word == "wires") {
    const auto small = lower(text);
    if (small.find("four") == std::string::npos && small.find("two") == std::string::npos)
      return fail(Fault::input, "two-wire or four-wire is wanted, not \"{}\".", text);
    s.four_wire = small.find("four") != std::string::npos;
    return {};
  }
  if (word == "range") {
    const auto small = trimmed(lower(text));
    s.current_range.reset();
    s.lowest_range = 0;
    if (small == "automatic" || small == "auto") return {};
    if (small.starts_with("automatic above"))
      return assign(s.lowest_range, parse_value(trimmed(small.substr(15)), "A"));
    const auto range = parse_value(text, "A");
    if (!range) return tl::unexpected(range.error());
    s.current_range = *range;
    return {};
  }
  if (word == "pin" || word == "against") {
    const auto pin = trimmed(text);
    if (word == "against" && (pin.empty() || pin == "ground")) {
      s.against.clear();
      return {};
    }
    if (std::find(pins.begin(), pins.end(), pin) == pins.end())
      return fail(Fault::input, "The device has no pin \"{}\".", pin);
    (word == "pin" ? s.pin : s.against) = pin;
    return {};
  }
  return fail(Fault::usage, "There is no word \"{}\" of a source.", word);
}

/// "source.NAME.WORD"; a name may hold dots.
std::optional<std::pair<std::string, std::string>> source_key(std::string_view key) {
  constexpr std::string_view kPrefix = "source.";
  const auto last = key.rfind('.');
  if (!key.starts_with(kPrefix) || last <= kPrefix.size()) return std::nullopt;
  return std::pair{std::string(key.substr(kPrefix.size(), last - kPrefix.size())), std::string(key.substr(last + 1))};
}

Result<void> set_word(Plan& p, std::string_view key, std::string_view text, const std::vector<std::string>& pins) {
  if (const auto source = source_key(key)) {
    for (auto& s : p.sources)
      if (s.name == source->first) return set_source_word(p, s, source->second, text, pins);
    return fail(Fault::usage, "There is no source \"{}\".", source->first);
  }
  if (key == "add") return add_source(p, trimmed(text), pins);
  if (key == "course") {
    const auto small = trimmed(lower(text));
    for (const auto& [course, words] : kCourses)
      if (small == words) {
        p.course = course;
        return {};
      }
    return fail(Fault::input, "up, down or there and back is wanted, not \"{}\".", text);
  }
  if (key == "cycles") return whole(p.cycles, text, {"times", "time", "cycles", "cycle"});
  if (key == "delay") return assign(p.delay, parse_value(text, "s"));
  if (key == "hold") return assign(p.hold, parse_value(text, "s"));
  if (key == "averages") return whole(p.averages, text, {"readings", "reading"});
  if (key == "temperature") return assign(p.temperature, parse_value(text, "degC"));
  if (key == "aperture") {
    const auto small = lower(text);
    if (const auto at = small.find("mains"); at != std::string::npos) {
      const auto periods = parse_value(trimmed(small.substr(0, at)), "1");
      if (!periods) return tl::unexpected(periods.error());
      p.aperture = *periods * kMainsPeriod;
      return {};
    }
    return assign(p.aperture, parse_value(text, "s"));
  }
  if (key == "sensed") {
    p.sensed = trimmed(text);
    if (const auto* s = p.swept(); s && p.sensed == s->name) p.sensed.clear();
    return {};
  }
  return fail(Fault::usage, "There is no word \"{}\" in this brief.", key);
}

}  // namespace

std::vector<BriefPiece> brief(const Plan& p) {
  std::vector<BriefPiece> out;
  bool rare = false;
  const auto say = [&](const std::string& text, bool heading = false) { out.push_back({text, "", rare, heading}); };
  const auto word = [&](const std::string& key, const std::string& text) { out.push_back({text, key, rare, false}); };
  const auto source = [&](const Source& s) {
    const auto key = [&](const char* name) { return "source." + s.name + "." + name; };
    say(s.role == Role::swept ? "Sweep" : s.role == Role::stepped ? "Step" : "Hold", true);
    word(key("pin"), s.pin);
    rare = s.against.empty();
    say("against");
    word(key("against"), s.against.empty() ? "ground" : s.against);
    rare = false;
    say("by");
    word(key("force"), s.force == bench::Force::voltage ? "voltage" : "current");
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
      word(key("spacing"), spacing_text(s));
      rare = false;
    }
    if (s.role == Role::swept) {
      word("course", words_of(p.course, kCourses));
      rare = p.cycles == 1;
      word("cycles", count_text(p.cycles, "time"));
      rare = false;
    }
    say("with at most");
    word(key("compliance"), format_setting(s.compliance, s.other_unit()));
    rare = true;
    say("by");
    word(key("wires"), s.four_wire ? "four-wire" : "two-wire");
    say("in the range");
    word(key("range"), s.current_range      ? format_setting(*s.current_range, "A")
                       : s.lowest_range > 0 ? "automatic above " + format_setting(s.lowest_range, "A")
                                            : "automatic");
    say("as");
    word(key("role"), words_of(s.role, kRoles));
    rare = false;
    say(".");
  };
  for (const auto role : {Role::swept, Role::stepped, Role::constant})
    for (const auto& s : p.sources)
      if (s.role == role) source(s);
  say("Read", true);
  say("the current of");
  word("sensed", p.sensed_name());
  word("delay", format_setting(p.delay, "s"));
  say("after each change over");
  word("aperture", aperture_text(p.aperture));
  rare = p.averages == 1;
  say("and average");
  word("averages", count_text(p.averages, "reading"));
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
  const auto steps = steps_of(p);
  const auto curves = std::count_if(steps.begin(), steps.end(), [](const Step& s) { return s.first; });
  return fmt::format("{} points{}, about {} on a real bench.", steps.size(),
                     curves > 1 ? fmt::format(" on {} curves", curves) : "", format_duration(sweep_time(p, limits)));
}

Result<Plan> apply(const Plan& plan, std::string_view key, std::string_view text,
                   const std::vector<std::string>& pins) {
  Plan changed = plan;
  if (auto ok = set_word(changed, key, text, pins); !ok) return tl::unexpected(ok.error());
  if (auto ok = check(changed); !ok) return tl::unexpected(ok.error());
  return changed;
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
                : "every " + format_setting(std::stod(fmt::format("{:.6g}", std::abs(list[1] - list[0]))), s->unit());
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

Edits slowed(const Plan& p, double factor, const bench::Limits& limits) {
  const double rest = limits.source_measure_overhead + p.aperture * p.averages * double(p.sources.size());
  return {{"delay", format_setting(std::stod(fmt::format("{:.4g}", factor * (p.delay + rest) - rest)), "s")}};
}

}  // namespace heron::study::iv
