#include "study/response/brief.h"
#include "study/hookup_words.h"

#include <algorithm>
#include <cctype>
#include <cmath>

#include "base/words.h"
#include "signal/spectra.h"

namespace heron::study::response {
namespace {

std::string plain_number(double value) { return fmt::format("{:.4g}", value); }

std::string count_text(double count, std::string_view noun) {
  return fmt::format("{} {}{}", plain_number(count), noun, count == 1 ? "" : "s");
}

std::string level_text(const Plan& p, LevelForm form) {
  return format_setting(level_from_pp(p.level_pp, form), "V") + " " + std::string(level_form_text(form));
}

/// "20 mV pk-pk at 10 Hz, 1 V pk-pk at 10 kHz", or the one level.
std::string drive_level_text(const Plan& p) {
  if (p.level_shape == LevelShape::automatic) return "automatic";
  if (p.level_shape == LevelShape::flat) return level_text(p, p.level_form);
  std::string out;
  for (const auto& [f, pp] : p.level_table)
    out += (out.empty() ? "" : ", ") + format_setting(level_from_pp(pp, p.level_form), "V") + " " +
           std::string(level_form_text(p.level_form)) + " at " + format_setting(f, "Hz");
  return out;
}

std::string percent_text(double share) { return share > 0 ? plain_number(100 * share) + " %" : "off"; }

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

/// "50 ohm" is the generator's resistance; "source-measure, 10 mA" the other instrument and its compliance.
Result<void> set_source(Plan& p, std::string_view text) {
  constexpr std::string_view kName = "source-measure";
  constexpr double kUsualCompliance = 10e-3;
  if (const auto at = text.find(kName); at != std::string_view::npos) {
    const auto rest = pieces(text.substr(at + kName.size()));
    if (rest.empty()) {
      p.compliance = p.compliance.value_or(kUsualCompliance);
      return {};
    }
    const auto value = parse_value(rest.front(), "A");
    if (!value) return tl::unexpected(value.error());
    if (!(*value > 0)) return fail(Fault::input, "The compliance must be above zero.");
    p.compliance = *value;
    return {};
  }
  const auto ohms = parse_value(text, "ohm");
  if (!ohms) return tl::unexpected(ohms.error());
  p.source_resistance = *ohms;
  p.compliance.reset();
  return {};
}

Result<void> set_points(Plan& p, std::string_view text) {
  const std::string typed(text);
  if (p.spacing == Spacing::listed) p.spacing = Spacing::logarithmic;
  const bool total =
      typed.find("decade") == std::string::npos && (typed.find("point") != std::string::npos || !p.logarithmic());
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
    if (!p.logarithmic()) return fail(Fault::input, "A linear sweep has a number of points in all, such as 41 points.");
    p.points_per_decade = *number;
    p.by_total = false;
  }
  return {};
}

Result<void> set_listed(Plan& p, std::string_view text) {
  std::vector<double> listed;
  for (const auto& piece : pieces(text)) {
    const auto f = parse_value(piece, "Hz");
    if (!f)
      return fail(
          Fault::input,
          "The spacing is logarithmic, linear, or a list of frequencies such as 100 Hz, 1 kHz, 5 kHz; \"{}\" is "
          "none.",
          piece);
    listed.push_back(*f);
  }
  if (listed.size() < 2) return fail(Fault::input, "A list has at least two frequencies.");
  std::sort(listed.begin(), listed.end());
  p.spacing = Spacing::listed;
  p.start = listed.front();
  p.stop = listed.back();
  p.listed = std::move(listed);
  return {};
}

/// "20 mV pk-pk at 10 Hz, 1 V at 10 kHz"
Result<void> set_level_table(Plan& p, std::string_view text) {
  std::vector<std::pair<double, double>> table;
  LevelForm form = p.level_form;
  for (const auto& piece : pieces(text)) {
    const auto at = piece.find(" at ");
    if (at == std::string_view::npos)
      return fail(Fault::input, "\"{}\" does not say at which frequency: 20 mV pk-pk at 10 Hz, 1 V pk-pk at 10 kHz.",
                  piece);
    const auto level = parse_quantity(piece.substr(0, at), "V");
    if (!level) return tl::unexpected(level.error());
    form = level->form.value_or(form);
    const auto pp = parse_level_pp(piece.substr(0, at), form);
    const auto f = parse_value(piece.substr(at + 4), "Hz");
    if (!pp) return tl::unexpected(pp.error());
    if (!f) return tl::unexpected(f.error());
    table.push_back({*f, *pp});
  }
  std::sort(table.begin(), table.end());
  p.level_shape = LevelShape::shaped;
  p.level_table = std::move(table);
  p.level_form = form;
  return {};
}

Result<void> set_level(Plan& p, std::string_view text) {
  if (text == "automatic") {
    p.level_shape = LevelShape::automatic;
    return {};
  }
  if (text.find(" at ") != std::string_view::npos) return set_level_table(p, text);
  const auto level = parse_quantity(text, "V");
  if (!level) return tl::unexpected(level.error());
  const LevelForm form = level->form.value_or(p.level_form);
  const auto pp = parse_level_pp(text, form);
  if (!pp) return tl::unexpected(pp.error());
  if (!(*pp > 0)) return fail(Fault::input, "The level must be above zero.");
  p.level_pp = *pp;
  p.level_form = form;
  if (p.level_shape == LevelShape::shaped) p.level_shape = LevelShape::flat;
  return {};
}

std::string_view method_words(Method method) {
  switch (method) {
    case Method::stepped:
      return "stepped sine";
    case Method::noise:
      return "band-limited noise";
    case Method::white:
      return "white noise";
    case Method::multitone:
      return "multitone";
  }
  return "";
}

constexpr std::pair<Repeat, std::string_view> kRepeatWords[] = {{Repeat::once, "once"},
                                                                {Repeat::every, "until stopped, keeping every pass"},
                                                                {Repeat::last, "until stopped, keeping the last pass"}};

std::string_view repeat_words(Repeat repeat) {
  for (const auto& [which, words] : kRepeatWords)
    if (which == repeat) return words;
  return "";
}

/// Unit of the response, for what is said in it.
std::string response_unit(const Plan& p) {
  if (const auto* chain = p.hookup.find(p.response)) return bench::sensing_of(*chain).unit;
  for (const auto& c : p.hookup.computed)
    if (c.name == p.response) return c.unit;
  return "V";
}

Result<void> assign(double& into, Result<double> value) {
  if (!value) return tl::unexpected(value.error());
  into = *value;
  return {};
}

/// Words of how strong, how long and how often; nothing for any other key.
std::optional<Result<void>> set_further_word(Plan& p, std::string_view key, std::string_view text) {
  const auto off = text == "off" || text == "none" || text == "no";
  if (key == "method") {
    for (const auto method : {Method::stepped, Method::noise, Method::white, Method::multitone})
      if (text == method_words(method) || text == method_text(method)) {
        p.method = method;
        return Result<void>{};
      }
    if (text == "sine") {
      p.method = Method::stepped;
      return Result<void>{};
    }
    return fail(Fault::input, "The stimulus is a stepped sine, band-limited noise, white noise or multitone.");
  }
  if (key == "quantity") {
    if (text != "gain" && text != "impedance") return fail(Fault::input, "It is read as gain or as impedance.");
    p.quantity = text == "impedance" ? Quantity::impedance : Quantity::gain;
    return Result<void>{};
  }
  if (key == "aim") return assign(p.aim, parse_value(text, response_unit(p)));
  if (key == "level_most") {
    const auto pp = parse_level_pp(text, p.level_form);
    return assign(p.level_most_pp, pp);
  }
  if (key == "agree") {
    if (off) return assign(p.agree, 0.0);
    const auto percent = parse_value(text, "%");
    return assign(p.agree, percent ? Result<double>(*percent / 100) : percent);
  }
  if (key == "u_asked") return assign(p.u_asked_db, off ? Result<double>(0.0) : parse_value(text, "dB"));
  if (key == "refine") {
    if (text != "on" && text != "yes" && !off)
      return fail(Fault::input, "Points are added where the curve bends: on or off.");
    p.refine = !off;
    return Result<void>{};
  }
  if (key == "refine_points" || key == "level_checks" || key == "noise_averages") {
    const auto n =
        off ? Result<double>(0.0) : whole(counted(text, {"points", "point", "segments", "segment", "averages"}));
    if (!n) return tl::unexpected(n.error());
    if (!(std::abs(*n) <= 1e6)) return fail(Fault::input, "{} is too many.", text);
    (key == "refine_points" ? p.refine_points : key == "level_checks" ? p.level_checks : p.noise_averages) = int(*n);
    return Result<void>{};
  }
  if (key == "repeat") {
    for (const auto& [which, words] : kRepeatWords)
      if (text == words) {
        p.repeat = which;
        return Result<void>{};
      }
    return fail(Fault::input, "The sweep is taken once, or until stopped, keeping every pass or the last pass.");
  }
  if (key == "noise_level") {
    const auto level = parse_quantity(text, "V");
    if (!level) return tl::unexpected(level.error());
    if (level->form && *level->form != LevelForm::rms)
      return fail(Fault::input, "Noise has no definite peak; its level is said in rms, such as 100 mV rms.");
    return assign(p.noise_rms, level->value);
  }
  if (key == "resolution") return assign(p.resolution, parse_value(text, "Hz"));
  if (key == "overlap") {
    const auto percent = off ? Result<double>(0.0) : parse_value(text, "%");
    return assign(p.overlap, percent ? Result<double>(*percent / 100) : percent);
  }
  if (key == "window") {
    std::string name(text);
    for (auto& letter : name) letter = letter == '-' || letter == ' ' ? '_' : char(std::tolower(letter));
    p.window = name;
    return Result<void>{};
  }
  return std::nullopt;
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
  if (key == "source") return set_source(p, text);
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
      p.spacing = Spacing::logarithmic;
    else if (text.starts_with("lin"))
      p.spacing = Spacing::linear;
    else
      return set_listed(p, text);
    if (!p.logarithmic()) p.points_total = std::clamp(p.points_total, 2, kMostPoints);
    return {};
  }
  if (const auto known = set_further_word(p, key, text)) return *known;
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
  say("with a");
  word("method", std::string(method_words(p.method)));
  say("of");
  if (p.stepped())
    word("level", drive_level_text(p));
  else
    word("noise_level", format_setting(p.noise_rms, "V") + " rms");
  if (p.stepped() && p.level_shape == LevelShape::automatic) {
    say("level, the response near");
    word("aim", format_setting(p.aim, response_unit(p)));
    say("peak with at most");
    word("level_most", format_setting(level_from_pp(p.level_most_pp, p.level_form), "V") + " " +
                           std::string(level_form_text(p.level_form)));
    say(",");
  }
  if (p.stepped() && p.spacing == Spacing::listed) {
    say("at");
    std::string list;
    for (const double f : p.listed) list += (list.empty() ? "" : ", ") + format_setting(f, "Hz");
    word("spacing", list);
  } else {
    say("from");
    word("start", format_setting(p.start, "Hz"));
    say("to");
    word("stop", format_setting(p.stop, "Hz"));
    say("at");
    if (p.stepped())
      word("points", p.logarithmic() && !p.by_total ? plain_number(p.points_per_decade) + " per decade"
                                                    : count_text(p.points_total, "point"));
    else
      word("resolution", format_setting(p.resolution, "Hz") + " resolution");
  }
  say("through");
  word("source", p.compliance ? "source-measure, " + format_setting(*p.compliance, "A")
                              : format_setting(p.source_resistance, "ohm"));
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
  say("as");
  word("quantity", p.quantity == Quantity::impedance ? "impedance" : "gain");
  say(".");
  head("Settle");
  word("settle_time", format_setting(p.settle_time, "s"));
  if (p.stepped()) {
    say("and");
    word("settle_periods", count_text(p.settle_periods, "period"));
    say(", then read");
    word("periods", count_text(p.periods, "period"));
    say("and average");
    word("averages", count_text(p.averages, "record"));
  } else {
    say(", then average");
    word("noise_averages", count_text(p.noise_averages, p.method == Method::multitone ? "period" : "segment"));
  }
  say(".");
  const std::size_t rare_from = out.size();
  head("Also");
  if (p.stepped()) {
    if (p.spacing != Spacing::listed) {
      say("step the frequency on a");
      word("spacing", p.logarithmic() ? "logarithmic" : "linear");
      say("scale;");
    }
    say("wait until two readings agree:");
    word("agree", percent_text(p.agree));
    say("; average until the gain is known to");
    word("u_asked", p.u_asked_db > 0 ? format_setting(p.u_asked_db, "dB") : "off");
    say("; add points where the curve bends:");
    word("refine", p.refine ? "on" : "off");
    if (p.refine) {
      say(", at most");
      word("refine_points", count_text(p.refine_points, "point"));
    }
    say("; read again at half the level:");
    word("level_checks", p.level_checks > 0 ? count_text(p.level_checks, "point") : "off");
    say(";");
  } else if (p.method != Method::multitone) {
    say("window");
    word("window", p.window);
    say("with overlap");
    word("overlap", percent_text(p.overlap));
    say(";");
  }
  say("offset");
  word("offset", format_setting(p.offset, "V"));
  say("; take");
  word("repeat", std::string(repeat_words(p.repeat)));
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

std::string time_sentence(const Plan& p, const bench::Limits& limits) {
  const double seconds = sweep_time(p, limits);
  const int points = point_count(p);
  if (p.stepped())
    return fmt::format("{} points{}, about {} on a real bench.", points, p.refine ? " and those added" : "",
                       format_duration(seconds));
  Plan stepped = p;
  stepped.method = Method::stepped;
  stepped.spacing = Spacing::linear;
  const auto timing = noise_timing(p, limits.highest_sample_rate > 0 ? limits.highest_sample_rate : 1e8);
  const int lines = int((p.stop - p.start) / timing.resolution) + 1;
  stepped.points_total = std::clamp(lines, 2, kMostPoints);
  const double by_steps = sweep_time(stepped, limits) * lines / stepped.points_total;
  return fmt::format("{} lines in about {} on a real bench; a stepped sine would need {} for as many.", lines,
                     format_duration(seconds), format_duration(by_steps));
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
            p.logarithmic() ? fmt::format("{} points in all, {} per decade", n, plain_number(density))
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
                std::string(level_form_text(p.level_form)) + "; or automatic; or 20 mV at 10 Hz, 1 V at 10 kHz"};
  }
  if (key == "source")
    return {"What drives: the generator by its resistance, or the source-measure channel with its compliance",
            p.compliance ? "holds the voltage at the pin; its current monitor goes on the drive lead"
                         : "open-circuit levels; \"source-measure, 10 mA\" forces the voltage instead",
            "a resistance above 0 Ω, or source-measure and a current"};
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
  if (key == "spacing")
    return {"Spacing of the points",
            "",
            "logarithmic, linear, or the frequencies themselves: 100 Hz, 1 kHz, 5 kHz",
            {"logarithmic", "linear"}};
  if (key == "method") {
    BriefHint out{"What the device is asked with",
                  p.stepped() ? "one frequency after the other" : "all frequencies at once, so that coherence is known",
                  ""};
    for (const auto method : {Method::stepped, Method::noise, Method::white, Method::multitone})
      out.choices.emplace_back(method_words(method));
    return out;
  }
  if (key == "quantity")
    return {"What response over stimulus is", "an impedance is volts over amperes", "", {"gain", "impedance"}};
  if (key == "aim")
    return {"Peak of the response to aim at", "levels are chosen point by point, and again where they missed",
            "above 0"};
  if (key == "level_most")
    return {"Highest level that may be chosen", "",
            between(limits.lowest_level_pp, limits.highest_level_pp, "V") + " pk-pk"};
  if (key == "agree")
    return {"Read again until two readings in a row agree", "beyond the settling time",
            "a share such as 0.1 %, or off"};
  if (key == "u_asked")
    return {"Average until noise leaves no more than this on the gain", fmt::format("{} records at most", kMostRecords),
            "dB such as 0.01 dB, or off"};
  if (key == "refine")
    return {"Add points where the curve bends",
            "until what lies between the points matters less than their noise",
            "",
            {"on", "off"}};
  if (key == "refine_points") return {"How many points may be added", "", "1 to 500"};
  if (key == "level_checks")
    return {"Points to read once more at half the level", "shows what compresses", "up to 50, or off"};
  if (key == "repeat") {
    BriefHint out{"How often", "Esc stops", ""};
    for (const auto& [which, words] : kRepeatWords) out.choices.emplace_back(words);
    return out;
  }
  if (key == "noise_level")
    return {"Level of the noise, open circuit",
            fmt::format("peaks reach about {}", format_setting(kCrest * p.noise_rms, "V")),
            "in rms, such as 100 mV rms"};
  if (key == "resolution") {
    const auto timing = noise_timing(p, limits.highest_sample_rate > 0 ? limits.highest_sample_rate : 1e8);
    return {
        "Distance between lines",
        fmt::format("{} lines; {} at the converters, {} samples a segment", int((p.stop - p.start) / timing.resolution),
                    format_setting(timing.resolution, "Hz"), timing.segment),
        "the band holds at least 4 lines"};
  }
  if (key == "noise_averages")
    return {"Segments to average",
            fmt::format("at a coherence of 0.9 the gain is known to {:.2g} dB",
                        8.686 * signal::u_of_response(0.9, p.noise_averages)),
            "2 to 10 000"};
  if (key == "window")
    return {"Window of each segment", "", "", {"hann", "blackman_harris", "flat_top", "rectangular"}};
  if (key == "overlap") return {"Overlap of the segments", "", "0 % to 95 %; half is usual"};
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
