#include "study/iv/words.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"
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
  if (word == "rest") return assign(s.rest, parse_value(text, s.unit()));
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

Result<void> set_word(Plan& p, std::string_view key, std::string_view text, const std::vector<std::string>& pins) {
  if (const auto source = source_key(key)) {
    for (auto& s : p.sources)
      if (s.name == source->first) return set_source_word(p, s, source->second, text, pins);
    return fail(Fault::usage, "There is no source \"{}\".", source->first);
  }
  if (key == "method") return set_method(p, text);
  if (key.starts_with("hookup.")) return set_hookup_word(p.hookup, key.substr(7), text, pins);
  if (key == "voltage" || key == "current") {
    (key == "voltage" ? p.voltage_name : p.current_name) = trimmed(text);
    return {};
  }
  if (key == "ramp") return assign(p.ramp, parse_value(text, "s"));
  if (key == "source") return assign(p.source_resistance, parse_value(text, "ohm"));
  if (key == "rest_time") return assign(p.rest_time, parse_value(text, "s"));
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
  if (key == "averages") return whole(p.averages, text, {"readings", "reading", "sweeps", "sweep"});
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

Result<Plan> apply(const Plan& plan, std::string_view key, std::string_view text,
                   const std::vector<std::string>& pins) {
  Plan changed = plan;
  if (auto ok = set_word(changed, key, text, pins); !ok) return tl::unexpected(ok.error());
  if (auto ok = check(changed); !ok) return tl::unexpected(ok.error());
  return changed;
}

Edits slowed(const Plan& p, double factor, const bench::Limits& limits) {
  if (p.method == Method::waveform)
    return {{"ramp", format_setting(rounded_to(factor * p.ramp, 4), "s")}};
  const double rest = limits.source_measure_overhead + p.aperture * p.averages * double(p.sources.size());
  return {{"delay", format_setting(rounded_to(factor * (p.delay + rest) - rest, 4), "s")}};
}

}  // namespace heron::study::iv
