#include "study/response/brief.h"
#include "study/hookup_words.h"

#include <algorithm>
#include <cmath>

namespace heron::study::response {
namespace {

std::string plain_number(double value) { return fmt::format("{:.4g}", value); }

std::string count_text(double count, std::string_view noun) {
  return fmt::format("{} {}{}", plain_number(count), noun, count == 1 ? "" : "s");
}

std::string level_text(const Plan& p, LevelForm form) {
  return format_setting(level_from_pp(p.level_pp, form), "V") + " " + std::string(level_form_text(form));
}

std::string range_text(const std::optional<double>& range) { return range ? format_setting(*range, "V") : "automatic"; }

/// "12 per decade", "12/decade", "12 periods", "8": a number and words that only say what it is.
Result<double> counted(std::string_view text, std::initializer_list<std::string_view> words) {
  std::string left(text);
  for (const auto word : words)
    if (const auto at = left.find(word); at != std::string::npos) left.erase(at);
  return parse_value(left, "1");
}

Result<double> whole(Result<double> value) {
  if (value && *value != std::round(*value)) return fail(Fault::input, "A whole number is wanted, not {}.", *value);
  return value;
}

Result<void> set_points(Plan& p, std::string_view text) {
  const std::string typed(text);
  const bool total =
      typed.find("decade") == std::string::npos && (typed.find("point") != std::string::npos || !p.logarithmic);
  const auto number = counted(text, {"per", "/", "a decade", "points", "point", "in all"});
  if (!number) return tl::unexpected(number.error());
  if (!(*number > 0)) return fail(Fault::input, "The number of points must be above zero.");
  if (*number > kMostPoints) return fail(Fault::input, "More than {} points cannot be swept.", kMostPoints);
  if (total) {
    if (auto n = whole(number); !n) return tl::unexpected(n.error());
    p.points_total = int(*number);
    p.by_total = true;
    if (p.stop > p.start) p.points_per_decade = std::max(1e-3, (*number - 1) / std::log10(p.stop / p.start));
  } else {
    if (!p.logarithmic) return fail(Fault::input, "A linear sweep has a number of points in all, such as 41 points.");
    p.points_per_decade = *number;
    p.by_total = false;
  }
  return {};
}

Result<void> set_level(Plan& p, std::string_view text) {
  const auto level = parse_quantity(text, "V");
  if (!level) return tl::unexpected(level.error());
  const LevelForm form = level->form.value_or(p.level_form);
  const auto pp = parse_level_pp(text, form);
  if (!pp) return tl::unexpected(pp.error());
  if (!(*pp > 0)) return fail(Fault::input, "The level must be above zero.");
  p.level_pp = *pp;
  p.level_form = form;
  return {};
}

Result<void> assign(double& into, Result<double> value) {
  if (!value) return tl::unexpected(value.error());
  into = *value;
  return {};
}

Result<void> set_word(Plan& p, std::string_view key, std::string_view text, const std::vector<std::string>& pins) {
  const auto frequency = [&](double& into) -> Result<void> {
    const auto value = parse_value(text, "Hz");
    if (value && !(*value > 0)) return fail(Fault::input, "A frequency is above zero; {} is not.", text);
    return assign(into, value);
  };
  const auto not_negative = [&](double& into, Result<double> value) -> Result<void> {
    if (value && *value < 0) return fail(Fault::input, "{} is below zero.", text);
    return assign(into, value);
  };
  if (key == "start") return frequency(p.start);
  if (key == "stop") return frequency(p.stop);
  if (key == "points") return set_points(p, text);
  if (key == "level") return set_level(p, text);
  if (key == "offset") return assign(p.offset, parse_value(text, "V"));
  if (key == "source") return assign(p.source_resistance, parse_value(text, "ohm"));
  if (key == "settle_time") return not_negative(p.settle_time, parse_value(text, "s"));
  if (key == "settle_periods") return not_negative(p.settle_periods, counted(text, {"period"}));
  if (key == "periods") return assign(p.periods, counted(text, {"period"}));
  if (key == "averages") {
    const auto n = whole(counted(text, {"record", "average", "time"}));
    if (!n) return tl::unexpected(n.error());
    if (!(*n >= 1 && *n <= 1000)) return fail(Fault::input, "From 1 to 1000 records can be averaged.");
    p.averages = int(*n);
    return {};
  }
  if (key == "spacing") {
    if (text.starts_with("log"))
      p.logarithmic = true;
    else if (text.starts_with("lin"))
      p.logarithmic = false;
    else
      return fail(Fault::input, "The spacing is logarithmic or linear, not \"{}\".", text);
    if (!p.logarithmic) p.points_total = std::clamp(p.points_total, 2, kMostPoints);
    return {};
  }
  if (key == "drive_pin") return choose_pin(p.drive_pin, text, pins);
  if (key.starts_with("hookup.")) return set_hookup_word(p.hookup, key.substr(7), text, pins);
  if (key == "stimulus" || key == "response") {
    const std::string name(text);
    const bool known = p.hookup.find(name) || std::any_of(p.hookup.computed.begin(), p.hookup.computed.end(),
                                                          [&](const bench::Computed& c) { return c.name == name; });
    if (!known) return fail(Fault::input, "The hookup has no quantity \"{}\".", text);
    (key == "stimulus" ? p.stimulus : p.response) = name;
    return {};
  }
  for (const auto& role : {p.stimulus, p.response}) {
    const std::string short_key = role == p.stimulus ? "stimulus_" : "response_";
    if (key.starts_with(short_key))
      return set_hookup_word(p.hookup, role + "." + std::string(key.substr(short_key.size())), text, pins);
  }
  return fail(Fault::usage, "The brief has no word \"{}\".", key);
}

}  // namespace

std::vector<BriefPiece> brief(const Plan& p) {
  std::vector<BriefPiece> out;
  const auto say = [&](std::string text) { out.push_back({std::move(text)}); };
  const auto word = [&](std::string key, std::string text) { out.push_back({std::move(text), std::move(key)}); };
  const auto head = [&](std::string text) { out.push_back({.text = std::move(text), .heading = true}); };
  head("Drive");
  word("drive_pin", p.drive_pin);
  say("with a sine of");
  word("level", level_text(p, p.level_form));
  say("from");
  word("start", format_setting(p.start, "Hz"));
  say("to");
  word("stop", format_setting(p.stop, "Hz"));
  say("at");
  word("points", p.logarithmic && !p.by_total ? plain_number(p.points_per_decade) + " per decade"
                                              : count_text(p.points_total, "point"));
  say("through");
  word("source", format_setting(p.source_resistance, "ohm"));
  say(".");
  head("Sense");
  const auto quantity = [&](const std::string& role, const std::string& key) {
    if (const auto* chain = p.hookup.find(role)) {
      word(key + "_pin", chain->input.pin);
      if (!chain->input.against.empty()) {
        say("against");
        word(key + "_against", chain->input.against);
      }
      say("by");
      word(key + "_sensor", chain->input.sensor.name);
    } else {
      word(key, role);
    }
  };
  quantity(p.response, "response");
  say("over");
  quantity(p.stimulus, "stimulus");
  say(".");
  head("Settle");
  word("settle_time", format_setting(p.settle_time, "s"));
  say("and");
  word("settle_periods", count_text(p.settle_periods, "period"));
  say(", then read");
  word("periods", count_text(p.periods, "period"));
  say("and average");
  word("averages", count_text(p.averages, "record"));
  say(".");
  const std::size_t rare_from = out.size();
  head("Also");
  say("step the frequency on a");
  word("spacing", p.logarithmic ? "logarithmic" : "linear");
  say("scale around an offset of");
  word("offset", format_setting(p.offset, "V"));
  say("; input ranges: stimulus");
  const auto range = [&](const std::string& role, const std::string& key) {
    if (const auto* chain = p.hookup.find(role))
      word(key + "_range", range_text(chain->input.range));
    else
      say("of its own");
  };
  range(p.stimulus, "stimulus");
  say(", response");
  range(p.response, "response");
  say(".");
  for (std::size_t i = rare_from; i < out.size(); ++i) out[i].rare = true;
  return out;
}

Result<Plan> apply(const Plan& plan, std::string_view key, std::string_view text,
                   const std::vector<std::string>& pins) {
  Plan changed = plan;
  if (auto ok = set_word(changed, key, text, pins); !ok) return tl::unexpected(ok.error());
  if (auto ok = check(changed); !ok) return tl::unexpected(ok.error());
  return changed;
}

BriefHint hint(const Plan& p, std::string_view key, const bench::Limits& limits, const std::vector<std::string>& pins) {
  const auto between = [](double low, double high, std::string_view unit) {
    return "from " + format_setting(low, unit) + " to " + format_setting(high, unit);
  };
  if (key == "start")
    return {"Where the sweep starts", fmt::format("period {}", format_setting(1 / p.start, "s")),
            "above 0 Hz, below the stop at " + format_setting(p.stop, "Hz")};
  if (key == "stop")
    return {"Where the sweep stops", fmt::format("{:.3g} decades above the start", std::log10(p.stop / p.start)),
            "above the start, up to " + format_setting(limits.highest_frequency, "Hz")};
  if (key == "points") {
    const int n = point_count(p);
    const double density = (n - 1) / std::log10(p.stop / p.start);
    return {"How many points",
            p.logarithmic ? fmt::format("{} points in all, {} per decade", n, plain_number(density))
                          : fmt::format("{} points in all", n),
            fmt::format("2 to {} points; type 12 per decade or 50 points", kMostPoints)};
  }
  if (key == "level") {
    std::string forms;
    for (const auto form : {LevelForm::peak_to_peak, LevelForm::peak, LevelForm::rms})
      if (form != p.level_form)
        forms += (forms.empty() ? "" : ", ") + format_quantity(level_from_pp(p.level_pp, form), "V", 4).plain() + " " +
                 std::string(level_form_text(form));
    return {"Level of the sine, open circuit", forms,
            between(limits.lowest_level_pp, limits.highest_level_pp, "V") + " pk-pk; a bare number is " +
                std::string(level_form_text(p.level_form))};
  }
  if (key == "source") return {"Resistance of the source", "", "above 0 Ω"};
  if (key == "offset")
    return {"Offset of the sine, open circuit", "",
            "offset and level together within " + format_setting(limits.highest_level_pp, "V") + " pk-pk"};
  if (key == "settle_time")
    return {"Wait after each change of frequency",
            fmt::format("{} periods at the start, {} at the stop", plain_number(p.settle_time * p.start),
                        plain_number(p.settle_time * p.stop)),
            "0 s to 1 h; the periods come on top"};
  if (key == "settle_periods")
    return {"Periods to let pass as well",
            fmt::format("{} at the start", format_setting(p.settle_periods / p.start, "s")), "0 to 1 000 000 periods"};
  if (key == "periods")
    return {"Periods read at each point", fmt::format("{} at the start", format_setting(p.periods / p.start, "s")),
            "1 to 1000; 4 or more are needed for a figure to be trusted"};
  if (key == "averages")
    return {"Records averaged at each point",
            p.averages > 1 ? fmt::format("noise falls to {:.2g}", 1 / std::sqrt(p.averages)) : "no averaging",
            "1 to 1000"};
  if (key == "spacing") return {"Spacing of the points", "", "", {"logarithmic", "linear"}};
  if (key == "stimulus_range" || key == "response_range") {
    BriefHint out{"Range of the input", "volts peak", "automatic, or one of the ranges", {"automatic"}};
    for (const double r : limits.ranges) out.choices.push_back(format_setting(r, "V"));
    return out;
  }
  if (key.starts_with("hookup.")) return hookup_hint(p.hookup, key.substr(7), limits, pins);
  if (key == "stimulus" || key == "response") {
    BriefHint out{"Which quantity", "", "one that is sensed or computed"};
    for (const auto& c : p.hookup.chains) out.choices.push_back(c.name);
    for (const auto& c : p.hookup.computed) out.choices.push_back(c.name);
    return out;
  }
  if (key.ends_with("_sensor")) {
    BriefHint out{"What the quantity is sensed through", "", "one of the sensors; the Hookup page has their data"};
    if (const auto* chain = p.hookup.find(key.starts_with("response") ? p.response : p.stimulus)) {
      const auto& s = chain->input.sensor;
      out.forms = bench::factor_text(s) + (s.bandwidth > 0 ? ", " + format_setting(s.bandwidth, "Hz") : "");
    }
    for (const auto& s : bench::stock_sensors())
      if (!s.senses_current()) out.choices.push_back(s.name);
    return out;
  }
  return {"Pin of the device", "", "", pins};
}

}  // namespace heron::study::response
