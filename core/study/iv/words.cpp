#include "study/iv/words.h"

#include <algorithm>
#include <cmath>

#include "base/words.h"
#include "study/hookup_words.h"
#include "study/iv/brief.h"

namespace heron::study::iv {

std::optional<std::pair<std::string, std::string>> source_key(std::string_view key) {
  constexpr std::string_view kPrefix = "source.";
  const auto last = key.rfind('.');
  if (!key.starts_with(kPrefix) || last <= kPrefix.size()) return std::nullopt;
  return std::pair{std::string(key.substr(kPrefix.size(), last - kPrefix.size())), std::string(key.substr(last + 1))};
}

namespace {

using W = Word<Plan>;
using S = Word<SourceIn>;

const Choices<Course> kCourses = {{Course::up, "up", "up"}, {Course::down, "down", "down"}, {Course::both, "both", "there and back"}};
const Choices<Role> kRoles = {{Role::swept, "swept", "swept"}, {Role::stepped, "stepped", "stepped"}, {Role::constant, "constant", "constant"}};
const Choices<Method> kMethods = {{Method::readings, "readings", "source-measure channels"},
                                  {Method::waveform, "waveform", "generators and inputs"}};
const Choices<Spacing> kSpacings = {{Spacing::linear, "linear", "linear"},
                                    {Spacing::logarithmic, "log", "logarithmic"},
                                    {Spacing::listed, "listed", "listed"}};
const Choices<bench::Force> kForces = {{bench::Force::voltage, "voltage", "voltage"},
                                       {bench::Force::current, "current", "current"}};

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
  for (const auto& [role, kept, said, also] : kRoles)
    if (small == said) {
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

/// By waveform the sweep is even and voltage is forced; the hookup begins with a shunt in the lead that drives.
Result<void> set_method(Plan& p, std::string_view text) {
  const auto small = lower(text);
  const bool waveform = small.find("generator") != std::string::npos || small.find("waveform") != std::string::npos;
  if (!waveform && small.find("source") == std::string::npos)
    return fail(Fault::input, "source-measure channels, or generators and inputs, are wanted, not \"{}\".", text);
  p.method = waveform ? Method::waveform : Method::readings;
  if (!waveform) return {};
  for (auto& s : p.sources) {
    if (s.role == Role::swept) s.values.spacing = Spacing::linear;
    s.against.clear();
    if (s.force != bench::Force::voltage) {
      if (auto ok = set_force(s, "voltage"); !ok) return ok;
    }
  }
  if (p.hookup.chains.empty() && p.swept()) {
    p.hookup = shunt_hookup(p.swept()->pin);
    p.voltage_name = p.hookup.chains[0].name;
    p.current_name = p.hookup.chains[1].name;
  }
  return {};
}

/// Kept with each source, as it stands in its struct.
template <class T>
S kept_of_source(std::string kept, T Source::*member) {
  return {.kept = kept,
          .keep = [member](const SourceIn& in) { return nlohmann::json(in.source().*member); },
          .take = [member, kept](SourceIn& in, const nlohmann::json& json) -> Result<void> {
            auto value = kept_as<T>(json, kept);
            if (!value) return tl::unexpected(value.error());
            in.source().*member = std::move(*value);
            return {};
          }};
}
template <class T>
S kept_of_values(std::string kept, T Values::*member) {
  return {.kept = kept,
          .keep = [member](const SourceIn& in) { return nlohmann::json(in.source().values.*member); },
          .take = [member, kept](SourceIn& in, const nlohmann::json& json) -> Result<void> {
            auto value = kept_as<T>(json, kept);
            if (!value) return tl::unexpected(value.error());
            in.source().values.*member = std::move(*value);
            return {};
          }};
}
/// @param place  where it lives
template <class Enum>
S kept_choice(std::string kept, const Choices<Enum>& choices, std::function<Enum&(Source&)> place) {
  return {.kept = kept,
          .keep = [choices, place](const SourceIn& in) {
            auto source = in.source();
            return nlohmann::json(kept_of(choices, place(source)));
          },
          .take = [choices, place, kept](SourceIn& in, const nlohmann::json& json) -> Result<void> {
            const auto word = kept_as<std::string>(json, kept);
            if (!word) return tl::unexpected(word.error());
            std::vector<std::string> all;
            for (const auto& c : choices) {
              all.push_back(c.kept);
              if (c.kept != *word) continue;
              place(in.source()) = c.value;
              return {};
            }
            return fail(Fault::input, "{}: \"{}\" is not known; there are {}.", kept, *word, listed(all, "and"));
          }};
}

using Text = std::function<std::string(const SourceIn&)>;
using Set = std::function<Result<void>(SourceIn&, std::string_view, const Surroundings&)>;
using Hint = std::function<BriefHint(const SourceIn&, const Surroundings&)>;

S spoken(S word, std::string key, Text text, Set set, Hint hint) {
  word.key = std::move(key);
  word.text = std::move(text);
  word.set = std::move(set);
  word.hint = std::move(hint);
  return word;
}

std::string reach(const bench::Limits& limits, bool voltage) {
  return "up to " + (voltage ? format_setting(limits.source_measure_voltage, "V")
                             : format_setting(limits.source_measure_current, "A"));
}

/// A value of the source in its own unit.
/// @param place  where it lives
/// @param label  "Where {} starts"
S value_of_source(S kept, std::string key, double& (*place)(Source&), const char* before, const char* after) {
  return spoken(
      std::move(kept), std::move(key),
      [place](const SourceIn& in) {
        auto s = in.source();
        return value_text(place(s), s);
      },
      [place](SourceIn& in, std::string_view text, const Surroundings&) {
        return assign(place(in.source()), parse_value(text, in.source().unit()));
      },
      [before, after](const SourceIn& in, const Surroundings& around) {
        return BriefHint{.label = before + in.source().name + after,
                         .allowed = reach(around.limits, in.source().force == bench::Force::voltage) + " either way"};
      });
}

S pin_of_source(const char* key, std::string Source::*member, bool may_be_ground) {
  return spoken(
      kept_of_source(key, member), key,
      [member, may_be_ground](const SourceIn& in) {
        const auto& pin = in.source().*member;
        return may_be_ground && pin.empty() ? std::string("ground") : pin;
      },
      [member, may_be_ground](SourceIn& in, std::string_view text, const Surroundings& around) -> Result<void> {
        const auto pin = trimmed(text);
        if (may_be_ground && (pin.empty() || pin == "ground")) {
          (in.source().*member).clear();
          return {};
        }
        if (std::find(around.pins.begin(), around.pins.end(), pin) == around.pins.end())
          return fail(Fault::input, "The device has no pin \"{}\".", pin);
        in.source().*member = pin;
        return {};
      },
      [](const SourceIn&, const Surroundings& around) {
        return BriefHint{.label = "Pin of the device", .choices = around.pins};
      });
}

S current_range_word() {
  return spoken(
      {.kept = "current_range",
       .keep = [](const SourceIn& in) {
         const auto& range = in.source().current_range;
         return range ? nlohmann::json(*range) : nlohmann::json();
       },
       .take = [](SourceIn& in, const nlohmann::json& json) -> Result<void> {
         in.source().current_range.reset();
         if (json.is_null()) return {};
         const auto value = kept_as<double>(json, "current_range");
         if (!value) return tl::unexpected(value.error());
         in.source().current_range = *value;
         return {};
       }},
      "range",
      [](const SourceIn& in) {
        const auto& s = in.source();
        return s.current_range      ? format_setting(*s.current_range, "A")
               : s.lowest_range > 0 ? "automatic above " + format_setting(s.lowest_range, "A")
                                    : "automatic";
      },
      [](SourceIn& in, std::string_view text, const Surroundings&) -> Result<void> {
        auto& s = in.source();
        const auto small = trimmed(lower(text));
        s.current_range.reset();
        s.lowest_range = 0;
        if (small == "automatic" || small == "auto") return {};
        constexpr std::string_view kAbove = "automatic above";
        if (small.starts_with(kAbove)) return assign(s.lowest_range, parse_value(trimmed(small.substr(kAbove.size())), "A"));
        const auto range = parse_value(text, "A");
        if (!range) return tl::unexpected(range.error());
        s.current_range = *range;
        return {};
      },
      [](const SourceIn&, const Surroundings&) {
        return BriefHint{.label = "Range of the current reading",
                         .forms = "a floor keeps small currents from slow low ranges",
                         .allowed = "automatic, automatic above 1 uA, or a range",
                         .choices = {"automatic"}};
      });
}

std::vector<S> all_source_words() {
  return {
      kept_of_source("name", &Source::name),
      pin_of_source("pin", &Source::pin, false),
      pin_of_source("against", &Source::against, true),
      spoken(
          kept_choice<Role>("role", kRoles, [](Source& s) -> Role& { return s.role; }), "role",
          [](const SourceIn& in) { return said_of(kRoles, in.source().role); },
          [](SourceIn& in, std::string_view text, const Surroundings&) { return set_role(in.plan, in.source(), text); },
          [](const SourceIn& in, const Surroundings&) {
            BriefHint out{.label = "What this source does", .forms = "one is swept, one at most stepped"};
            for (const auto& c : kRoles) out.choices.push_back(c.said);
            if (in.plan.sources.size() > 1) out.choices.emplace_back("off");
            return out;
          }),
      spoken(
          kept_choice<bench::Force>("force", kForces, [](Source& s) -> bench::Force& { return s.force; }), "force",
          [](const SourceIn& in) { return said_of(kForces, in.source().force); },
          [](SourceIn& in, std::string_view text, const Surroundings&) { return set_force(in.source(), text); },
          [](const SourceIn&, const Surroundings&) {
            return BriefHint{.label = "What is forced; the other is limited", .choices = {"voltage", "current"}};
          }),
      value_of_source(kept_of_source("value", &Source::value), "value", [](Source& s) -> double& { return s.value; },
                      "What ", " is held at"),
      spoken(
          kept_of_source("rest", &Source::rest), "rest",
          [](const SourceIn& in) { return value_text(in.source().rest, in.source()); },
          [](SourceIn& in, std::string_view text, const Surroundings&) {
            return assign(in.source().rest, parse_value(text, in.source().unit()));
          },
          [](const SourceIn& in, const Surroundings&) {
            return BriefHint{.label = "What " + in.source().name + " rests at before and after",
                             .allowed = "held for the resting time of the brief"};
          }),
      value_of_source(kept_of_values("start", &Values::start), "start",
                      [](Source& s) -> double& { return s.values.start; }, "Where ", " starts"),
      value_of_source(kept_of_values("stop", &Values::stop), "stop", [](Source& s) -> double& { return s.values.stop; },
                      "Where ", " stops"),
      spoken(
          kept_of_values("points", &Values::points), "points",
          [](const SourceIn& in) {
            return count_text(in.source().values.points, in.source().role == Role::swept ? "point" : "value");
          },
          [](SourceIn& in, std::string_view text, const Surroundings&) { return set_points(in.source(), text); },
          [](const SourceIn& in, const Surroundings&) {
            const auto& s = in.source();
            const auto list = list_of(s.values);
            std::string forms;
            if (list.size() > 1)
              forms = s.values.spacing == Spacing::logarithmic
                          ? fmt::format("{:.4g} per decade",
                                        double(list.size() - 1) / std::abs(std::log10(list.back() / list.front())))
                          : "every " + format_setting(rounded_to(std::abs(list[1] - list[0]), 6), s.unit());
            return BriefHint{.label = "How many", .forms = forms, .allowed = "51 points; 40 mV steps; 12 per decade"};
          }),
      kept_of_values("listed", &Values::listed),
      spoken(
          kept_choice<Spacing>("spacing", kSpacings, [](Source& s) -> Spacing& { return s.values.spacing; }), "spacing",
          [](const SourceIn& in) { return spacing_text(in.source()); },
          [](SourceIn& in, std::string_view text, const Surroundings&) { return set_spacing(in.source(), text); },
          [](const SourceIn& in, const Surroundings&) {
            return BriefHint{.label = "Spacing",
                             .allowed = "linear, logarithmic, or the values themselves: " + value_text(1, in.source()) +
                                        ", " + value_text(2, in.source()),
                             .choices = {"linear", "logarithmic"}};
          }),
      spoken(
          kept_of_source("compliance", &Source::compliance), "compliance",
          [](const SourceIn& in) { return format_setting(in.source().compliance, in.source().other_unit()); },
          [](SourceIn& in, std::string_view text, const Surroundings&) {
            return assign(in.source().compliance, parse_value(text, in.source().other_unit()));
          },
          [](const SourceIn& in, const Surroundings& around) {
            const bool by_voltage = in.source().force == bench::Force::voltage;
            return BriefHint{.label = "The most that " + in.source().name + (by_voltage ? " may draw" : " may rise to"),
                             .forms = "the source gives way there, and the point is flagged",
                             .allowed = reach(around.limits, !by_voltage)};
          }),
      spoken(
          kept_of_source("four_wire", &Source::four_wire), "wires",
          [](const SourceIn& in) { return in.source().four_wire ? "four-wire" : "two-wire"; },
          [](SourceIn& in, std::string_view text, const Surroundings&) -> Result<void> {
            const auto small = lower(text);
            if (small.find("four") == std::string::npos && small.find("two") == std::string::npos)
              return fail(Fault::input, "two-wire or four-wire is wanted, not \"{}\".", text);
            in.source().four_wire = small.find("four") != std::string::npos;
            return {};
          },
          [](const SourceIn&, const Surroundings&) {
            return BriefHint{.label = "Sensing leads",
                             .forms = "two-wire reads the leads' resistance as well",
                             .choices = {"four-wire", "two-wire"}};
          }),
      current_range_word(),
      kept_of_source("lowest_range", &Source::lowest_range),
  };
}

/// Which sensed quantity plays a part.
W quantity_word(const char* key, std::string Plan::*member) {
  W out = kept_word(key, member);
  out.key = key;
  // Without a hookup there is nothing that it could name.
  out.keep = [member](const Plan& p) {
    return p.hookup.chains.empty() ? nlohmann::json(nlohmann::json::value_t::discarded) : nlohmann::json(p.*member);
  };
  out.text = [member](const Plan& p) { return p.*member; };
  out.set = [member](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
    p.*member = trimmed(text);
    return {};
  };
  out.hint = [name = std::string(key)](const Plan& p, const Surroundings&) {
    BriefHint hint{.label = "Which sensed quantity is the " + name,
                   .forms = "the Hookup page says how each is sensed"};
    for (const auto& c : p.hookup.chains) hint.choices.push_back(c.name);
    for (const auto& c : p.hookup.computed) hint.choices.push_back(c.name);
    return hint;
  };
  return out;
}

W duration_word(const char* key, double Plan::*member, const char* label, const char* allowed) {
  W out = kept_word(key, member);
  out.key = key;
  out.label = label;
  out.text = [member](const Plan& p) { return format_setting(p.*member, "s"); };
  out.set = [member](Plan& p, std::string_view text, const Surroundings&) {
    return assign(p.*member, parse_value(text, "s"));
  };
  out.hint = [allowed](const Plan&, const Surroundings&) { return BriefHint{.allowed = allowed}; };
  return out;
}

W sources_word() {
  return {.key = "add",
          .kept = "sources",
          .label = "Another pin to drive",
          .keep = [](const Plan& p) {
            auto out = nlohmann::json::array();
            for (std::size_t k = 0; k < p.sources.size(); ++k) out.push_back(source_words().to_json({p, k}));
            return out;
          },
          .take = [](Plan& p, const nlohmann::json& json) -> Result<void> {
            if (!json.is_array()) return fail(Fault::input, "sources: a list is wanted.");
            p.sources.clear();
            for (const auto& one : json) {
              SourceIn in{p, p.sources.size()};
              in.plan.sources.push_back({.name = "", .pin = "", .against = "", .current_range = {}});
              if (auto ok = source_words().from_json(one, in); !ok) return ok;
              p = std::move(in.plan);
            }
            return {};
          },
          .text = [](const Plan&) { return "another pin"; },
          .set = [](Plan& p, std::string_view text, const Surroundings& around) {
            return add_source(p, trimmed(text), around.pins);
          },
          .hint = [](const Plan&, const Surroundings& around) {
            return BriefHint{.forms = fmt::format("the bench has {} source-measure channels",
                                                  around.limits.source_measure_channels),
                             .choices = around.pins};
          }};
}

std::vector<W> all_words() {
  auto method = choice_word("method", "method", "What drives and reads", &Plan::method, kMethods);
  method.set = [](Plan& p, std::string_view text, const Surroundings&) { return set_method(p, text); };
  method.hint = [](const Plan&, const Surroundings&) {
    BriefHint out{.forms = "generators and inputs sweep fast, the current as a voltage over a known resistor"};
    for (const auto& c : kMethods) out.choices.push_back(c.said);
    return out;
  };
  auto course = choice_word("course", "course", "Which way", &Plan::course, kCourses);
  course.hint = [](const Plan&, const Surroundings&) {
    BriefHint out{.forms = "there and back shows what a capacitance or memory opens"};
    for (const auto& c : kCourses) out.choices.push_back(c.said);
    return out;
  };
  W hookup = hookup_word(&Plan::hookup);
  hookup.keep = [](const Plan& p) {
    return p.hookup.chains.empty() ? nlohmann::json(nlohmann::json::value_t::discarded) : bench::to_json(p.hookup);
  };
  auto sensed = kept_word("sensed", &Plan::sensed);
  sensed.key = "sensed";
  sensed.label = "Whose current is drawn";
  sensed.text = [](const Plan& p) { return p.sensed_name(); };
  sensed.set = [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
    p.sensed = trimmed(text);
    return {};
  };
  sensed.hint = [](const Plan& p, const Surroundings&) {
    BriefHint out{.forms = "another than the swept one makes a transfer curve"};
    for (const auto& s : p.sources) out.choices.push_back(s.name);
    return out;
  };
  auto cycles = kept_word("cycles", &Plan::cycles);
  cycles.key = "cycles";
  cycles.label = "How often";
  cycles.text = [](const Plan& p) { return count_text(p.cycles, "time"); };
  cycles.set = [](Plan& p, std::string_view text, const Surroundings&) {
    return whole(p.cycles, text, {"times", "time", "cycles", "cycle"});
  };
  cycles.hint = [](const Plan&, const Surroundings&) { return BriefHint{.allowed = "1 to 100 times"}; };
  auto averages = kept_word("averages", &Plan::averages);
  averages.key = "averages";
  averages.label = "Readings averaged at each point";
  averages.text = [](const Plan& p) {
    return count_text(p.averages, p.method == Method::waveform ? "sweep" : "reading");
  };
  averages.set = [](Plan& p, std::string_view text, const Surroundings&) {
    return whole(p.averages, text, {"readings", "reading", "sweeps", "sweep"});
  };
  averages.hint = [](const Plan& p, const Surroundings&) {
    return BriefHint{
        .forms = p.averages > 1 ? fmt::format("noise falls to {:.2g}", 1 / std::sqrt(p.averages)) : "no averaging",
        .allowed = "1 to 1000"};
  };
  auto aperture = duration_word("aperture", &Plan::aperture, "Length of one reading", "10 us to 10 s, or 1 mains period");
  aperture.text = [](const Plan& p) { return aperture_text(p.aperture); };
  aperture.set = [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
    const auto small = lower(text);
    const auto at = small.find("mains");
    if (at == std::string::npos) return assign(p.aperture, parse_value(text, "s"));
    const auto periods = parse_value(trimmed(small.substr(0, at)), "1");
    if (!periods) return tl::unexpected(periods.error());
    p.aperture = *periods * kMainsPeriod;
    return {};
  };
  aperture.hint = [](const Plan& p, const Surroundings&) {
    return BriefHint{.forms = fmt::format("{:.4g} mains periods", p.aperture / kMainsPeriod),
                     .allowed = "10 us to 10 s, or 1 mains period"};
  };
  auto ramp = duration_word("ramp", &Plan::ramp, "From one end of the sweep to the other", "1 us to 1 h");
  ramp.hint = [](const Plan& p, const Surroundings&) {
    const auto* s = p.swept();
    return BriefHint{
        .forms = s ? format_quantity(std::abs(s->values.stop - s->values.start) / p.ramp, "V/s", 3).plain() : "",
        .allowed = "1 us to 1 h"};
  };
  auto source = kept_word("source_resistance", &Plan::source_resistance);
  source.key = "source";
  source.label = "Resistance of the generators";
  source.text = [](const Plan& p) { return format_setting(p.source_resistance, "ohm"); };
  source.set = [](Plan& p, std::string_view text, const Surroundings&) {
    return assign(p.source_resistance, parse_value(text, "ohm"));
  };
  source.hint = [](const Plan&, const Surroundings&) { return BriefHint{.allowed = "in ohm"}; };
  auto temperature = kept_word("temperature", &Plan::temperature);
  temperature.key = "temperature";
  temperature.label = "Temperature of the device, told to the take";
  temperature.text = [](const Plan& p) { return format_setting(p.temperature, "degC"); };
  temperature.set = [](Plan& p, std::string_view text, const Surroundings&) {
    return assign(p.temperature, parse_value(text, "degC"));
  };
  temperature.hint = [](const Plan&, const Surroundings&) { return BriefHint{.allowed = "in degC"}; };
  return {std::move(method),
          sources_word(),
          std::move(hookup),
          quantity_word("voltage", &Plan::voltage_name),
          quantity_word("current", &Plan::current_name),
          std::move(sensed),
          std::move(course),
          std::move(cycles),
          duration_word("delay", &Plan::delay, "Wait between setting and reading", "0 s to 1 h"),
          std::move(aperture),
          std::move(averages),
          duration_word("hold", &Plan::hold, "Wait at the first value of each curve", "0 s to 1 h"),
          duration_word("rest_time", &Plan::rest_time, "Wait at the rest values before and after", "0 s to 1 h"),
          std::move(temperature),
          std::move(ramp),
          std::move(source)};
}

}  // namespace

const WordTable<SourceIn>& source_words() {
  static const WordTable<SourceIn> table(all_source_words());
  return table;
}

const WordTable<Plan>& words() {
  static const WordTable<Plan> table(all_words());
  return table;
}

Result<Plan> apply(const Plan& plan, std::string_view key, std::string_view text,
                   const std::vector<std::string>& pins) {
  Plan changed = plan;
  Result<void> ok;
  if (const auto named = source_key(key)) {
    const auto it = std::find_if(plan.sources.begin(), plan.sources.end(),
                                 [&](const Source& s) { return s.name == named->first; });
    if (it == plan.sources.end()) return fail(Fault::usage, "There is no source \"{}\".", named->first);
    SourceIn in{plan, std::size_t(it - plan.sources.begin())};
    ok = source_words().set(in, named->second, text, {.pins = pins});
    changed = std::move(in.plan);
  } else if (key.starts_with("hookup.")) {
    ok = set_hookup_word(changed.hookup, key.substr(7), text, pins);
  } else {
    ok = words().set(changed, key, text, {.pins = pins});
  }
  if (!ok) return tl::unexpected(ok.error());
  // The swept source's own current is what is drawn where nothing else is said.
  if (const auto* s = changed.swept(); s && changed.sensed == s->name) changed.sensed.clear();
  ok = check(changed);
  if (!ok) return tl::unexpected(ok.error());
  return changed;
}

Edits slowed(const Plan& p, double factor, const bench::Limits& limits) {
  if (p.method == Method::waveform)
    return {{"ramp", format_setting(rounded_to(factor * p.ramp, 4), "s")}};
  const double rest = limits.source_measure_overhead + p.aperture * p.averages * double(p.sources.size());
  return {{"delay", format_setting(rounded_to(factor * (p.delay + rest) - rest, 4), "s")}};
}

}  // namespace heron::study::iv
