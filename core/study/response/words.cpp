#include "study/response/words.h"

#include <algorithm>
#include <cctype>
#include <cmath>

#include "base/words.h"
#include "signal/spectra.h"
#include "study/hookup_words.h"

namespace heron::study::response {
namespace {

using W = Word<Plan>;

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
    // What it is already says nothing about a log sweep.
    if (!p.logarithmic() && int(*number) == p.points_total) return {};
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

/// Unit of the response, for what is said in it.
std::string response_unit(const Plan& p) { return p.hookup.unit_of(p.response).value_or("V"); }

bool is_off(std::string_view text) { return text == "off" || text == "none" || text == "no"; }

Result<void> assign(double& into, const Result<double>& value, double by = 1) {
  if (!value) return tl::unexpected(value.error());
  into = *value * by;
  return {};
}

Result<void> set_frequency(double& into, std::string_view text) {
  const auto value = parse_value(text, "Hz");
  if (value && !(*value > 0)) return fail(Fault::input, "A frequency is above zero; {} is not.", text);
  return assign(into, value);
}

Result<void> set_not_negative(double& into, std::string_view text, const Result<double>& value) {
  if (value && *value < 0) return fail(Fault::input, "{} is below zero.", text);
  return assign(into, value);
}

Result<void> set_count(int& into, std::string_view text) {
  const auto n =
      is_off(text) ? Result<double>(0.0) : whole(counted(text, {"points", "point", "segments", "segment", "averages"}));
  if (!n) return tl::unexpected(n.error());
  if (!(std::abs(*n) <= 1e6)) return fail(Fault::input, "{} is too many.", text);
  into = int(*n);
  return {};
}

std::string between(double low, double high, std::string_view unit) {
  return "from " + format_setting(low, unit) + " to " + format_setting(high, unit);
}

std::string levels_text(const bench::Limits& limits) {
  return between(limits.lowest_level_pp, limits.highest_level_pp, "V") + " pk-pk";
}

const Choices<Method> kMethods = {{Method::stepped, "stepped", "stepped sine", {"sine"}},
                                  {Method::noise, "noise", "band-limited noise"},
                                  {Method::white, "white", "white noise"},
                                  {Method::multitone, "multitone", "multitone"}};
const Choices<Quantity> kQuantities = {{Quantity::gain, "gain", "gain"}, {Quantity::impedance, "impedance", "impedance"}};
const Choices<Spacing> kSpacings = {{Spacing::logarithmic, "log", "logarithmic"},
                                    {Spacing::linear, "linear", "linear"},
                                    {Spacing::listed, "listed", "listed"}};
const Choices<LevelShape> kShapes = {{LevelShape::flat, "flat", "flat"},
                                     {LevelShape::shaped, "shaped", "shaped"},
                                     {LevelShape::automatic, "automatic", "automatic"}};
const Choices<LevelForm> kForms = {{LevelForm::peak_to_peak, "pk-pk", "pk-pk"},
                                   {LevelForm::peak, "peak", "peak"},
                                   {LevelForm::rms, "rms", "rms"}};
const Choices<Repeat> kRepeats = {{Repeat::once, "once", "once"},
                                  {Repeat::every, "every", "until stopped, keeping every pass"},
                                  {Repeat::last, "last", "until stopped, keeping the last pass"}};

using Text = std::function<std::string(const Plan&)>;
using Set = std::function<Result<void>(Plan&, std::string_view, const Surroundings&)>;
using Hint = std::function<BriefHint(const Plan&, const Surroundings&)>;

/// A kept setting that is a word of the brief too.
W spoken(W word, std::string key, std::string label, Text text, Set set, Hint hint) {
  word.key = std::move(key);
  word.label = std::move(label);
  word.text = std::move(text);
  word.set = std::move(set);
  word.hint = std::move(hint);
  return word;
}

/// A word of the brief that says several kept settings at once.
W said(std::string key, std::string label, Text text, Set set, Hint hint) {
  return spoken({}, std::move(key), std::move(label), std::move(text), std::move(set), std::move(hint));
}

/// Which quantity plays a role.
W role(const char* key, std::string Plan::*member) {
  return spoken(
      kept_word(key, member), key, "Which quantity", [member](const Plan& p) { return p.*member; },
      [member](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
        const std::string name(text);
        const bool known = p.hookup.find(name) || std::any_of(p.hookup.computed.begin(), p.hookup.computed.end(),
                                                              [&](const bench::Computed& c) { return c.name == name; });
        if (!known) return fail(Fault::input, "The hookup has no quantity \"{}\".", text);
        p.*member = name;
        return {};
      },
      [](const Plan& p, const Surroundings&) {
        BriefHint out{.allowed = "one that is sensed or computed"};
        for (const auto& c : p.hookup.chains) out.choices.push_back(c.name);
        for (const auto& c : p.hookup.computed) out.choices.push_back(c.name);
        return out;
      });
}

/// What is driven, and how.
std::vector<W> drive_words() {
  W hookup = hookup_word(&Plan::hookup);
  W compliance{.kept = "compliance",
               .keep = [](const Plan& p) { return p.compliance ? nlohmann::json(*p.compliance) : nlohmann::json(); },
               .take = [](Plan& p, const nlohmann::json& json) -> Result<void> {
                 p.compliance.reset();
                 if (json.is_null()) return {};
                 const auto value = kept_as<double>(json, "compliance");
                 if (!value) return tl::unexpected(value.error());
                 p.compliance = *value;
                 return {};
               }};
  return {
      pin_word("drive_pin", "drive_pin", "Pin of the device", &Plan::drive_pin),
      std::move(hookup),
      role("stimulus", &Plan::stimulus),
      role("response", &Plan::response),
      spoken(
          choice_word("method", "method", "", &Plan::method, kMethods), "method", "What the device is asked with",
          [](const Plan& p) { return said_of(kMethods, p.method); },
          choice_word("method", "method", "", &Plan::method, kMethods).set,
          [](const Plan& p, const Surroundings&) {
            BriefHint out{.forms = p.stepped() ? "one frequency after the other"
                                               : "all frequencies at once, so that coherence is known"};
            for (const auto& c : kMethods) out.choices.push_back(c.said);
            return out;
          }),
      spoken(
          kept_word("start", &Plan::start), "start", "Where the sweep starts",
          [](const Plan& p) { return format_setting(p.start, "Hz"); },
          [](Plan& p, std::string_view text, const Surroundings&) { return set_frequency(p.start, text); },
          [](const Plan& p, const Surroundings&) {
            return BriefHint{.forms = fmt::format("period {}", format_setting(1 / p.start, "s")),
                             .allowed = "above 0 Hz, below the stop at " + format_setting(p.stop, "Hz")};
          }),
      spoken(
          kept_word("stop", &Plan::stop), "stop", "Where the sweep stops",
          [](const Plan& p) { return format_setting(p.stop, "Hz"); },
          [](Plan& p, std::string_view text, const Surroundings&) { return set_frequency(p.stop, text); },
          [](const Plan& p, const Surroundings& around) {
            return BriefHint{.forms = fmt::format("{:.3g} decades above the start", std::log10(p.stop / p.start)),
                             .allowed = "above the start, up to " + format_setting(around.limits.highest_frequency, "Hz")};
          }),
      kept_word("points_per_decade", &Plan::points_per_decade),
      kept_word("points_total", &Plan::points_total),
      kept_word("by_total", &Plan::by_total),
      said(
          "points", "How many points",
          [](const Plan& p) {
            return p.logarithmic() && !p.by_total ? plain_number(p.points_per_decade) + " per decade"
                                                  : count_text(p.points_total, "point");
          },
          [](Plan& p, std::string_view text, const Surroundings&) { return set_points(p, text); },
          [](const Plan& p, const Surroundings&) {
            const int n = point_count(p);
            const double density = (n - 1) / std::log10(p.stop / p.start);
            return BriefHint{.forms = p.logarithmic()
                                          ? fmt::format("{} points in all, {} per decade", n, plain_number(density))
                                          : fmt::format("{} points in all", n),
                             .allowed = fmt::format("2 to {} points; type 12 per decade or 50 points", kMostPoints)};
          }),
      kept_word("level_pp", &Plan::level_pp),
      choice_word("", "level_form", "", &Plan::level_form, kForms),
      choice_word("", "level_shape", "", &Plan::level_shape, kShapes),
      kept_word("level_table", &Plan::level_table),
      said(
          "level", "Level of the sine, open circuit", drive_level_text,
          [](Plan& p, std::string_view text, const Surroundings&) { return set_level(p, text); },
          [](const Plan& p, const Surroundings& around) {
            BriefHint out;
            for (const auto form : {LevelForm::peak_to_peak, LevelForm::peak, LevelForm::rms})
              if (form != p.level_form)
                out.forms += (out.forms.empty() ? "" : ", ") +
                             format_quantity(level_from_pp(p.level_pp, form), "V", 4).plain() + " " +
                             std::string(level_form_text(form));
            out.allowed = levels_text(around.limits) + "; a bare number is " + std::string(level_form_text(p.level_form)) +
                          "; or automatic; or 20 mV at 10 Hz, 1 V at 10 kHz";
            return out;
          }),
      spoken(
          kept_word("aim", &Plan::aim), "aim", "Peak of the response to aim at",
          [](const Plan& p) { return format_setting(p.aim, response_unit(p)); },
          [](Plan& p, std::string_view text, const Surroundings&) {
            return assign(p.aim, parse_value(text, response_unit(p)));
          },
          [](const Plan&, const Surroundings&) {
            return BriefHint{.forms = "levels are chosen point by point, and again where they missed", .allowed = "above 0"};
          }),
      spoken(
          kept_word("level_most_pp", &Plan::level_most_pp), "level_most", "Highest level that may be chosen",
          [](const Plan& p) {
            return format_setting(level_from_pp(p.level_most_pp, p.level_form), "V") + " " +
                   std::string(level_form_text(p.level_form));
          },
          [](Plan& p, std::string_view text, const Surroundings&) {
            return assign(p.level_most_pp, parse_level_pp(text, p.level_form));
          },
          [](const Plan&, const Surroundings& around) { return BriefHint{.allowed = levels_text(around.limits)}; }),
      spoken(
          kept_word("noise_rms", &Plan::noise_rms), "noise_level", "Level of the noise, open circuit",
          [](const Plan& p) { return format_setting(p.noise_rms, "V") + " rms"; },
          [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
            const auto level = parse_quantity(text, "V");
            if (!level) return tl::unexpected(level.error());
            if (level->form && *level->form != LevelForm::rms)
              return fail(Fault::input, "Noise has no definite peak; its level is said in rms, such as 100 mV rms.");
            return assign(p.noise_rms, level->value);
          },
          [](const Plan& p, const Surroundings&) {
            return BriefHint{.forms = fmt::format("peaks reach about {}", format_setting(kCrest * p.noise_rms, "V")),
                             .allowed = "in rms, such as 100 mV rms"};
          }),
      spoken(
          kept_word("resolution", &Plan::resolution), "resolution", "Distance between lines",
          [](const Plan& p) { return format_setting(p.resolution, "Hz") + " resolution"; },
          [](Plan& p, std::string_view text, const Surroundings&) {
            auto plain = trimmed(text);
            if (plain.ends_with("resolution")) plain.resize(plain.size() - std::string_view("resolution").size());
            return assign(p.resolution, parse_value(trimmed(plain), "Hz"));
          },
          [](const Plan& p, const Surroundings& around) {
            const double rate = around.limits.highest_sample_rate;
            const auto timing = noise_timing(p, rate > 0 ? rate : kUsualRate);
            return BriefHint{.forms = fmt::format("{} lines; {} at the converters, {} samples a segment",
                                                  int((p.stop - p.start) / timing.resolution),
                                                  format_setting(timing.resolution, "Hz"), timing.segment),
                             .allowed = "the band holds at least 4 lines"};
          }),
      kept_word("source_resistance", &Plan::source_resistance),
      std::move(compliance),
      said(
          "source", "What drives: the generator by its resistance, or the source-measure channel with its compliance",
          [](const Plan& p) {
            return p.compliance ? "source-measure, " + format_setting(*p.compliance, "A")
                                : format_setting(p.source_resistance, "ohm");
          },
          [](Plan& p, std::string_view text, const Surroundings&) { return set_source(p, text); },
          [](const Plan& p, const Surroundings&) {
            return BriefHint{.forms = p.compliance
                                          ? "holds the voltage at the pin; its current monitor goes on the drive lead"
                                          : "open-circuit levels; \"source-measure, 10 mA\" forces the voltage instead",
                             .allowed = "a resistance above 0 \u03a9, or source-measure and a current"};
          }),
      spoken(
          kept_word("offset", &Plan::offset), "offset", "Offset of the sine, open circuit",
          [](const Plan& p) { return format_setting(p.offset, "V"); },
          [](Plan& p, std::string_view text, const Surroundings&) { return assign(p.offset, parse_value(text, "V")); },
          [](const Plan&, const Surroundings& around) {
            return BriefHint{.allowed = "offset and level together within " +
                                        format_setting(around.limits.highest_level_pp, "V") + " pk-pk"};
          }),
      kept_word("listed", &Plan::listed),
      spoken(
          choice_word("spacing", "spacing", "", &Plan::spacing, kSpacings), "spacing", "Spacing of the points",
          [](const Plan& p) {
            if (p.spacing != Spacing::listed) return said_of(kSpacings, p.spacing);
            std::string list;
            for (const double f : p.listed) list += (list.empty() ? "" : ", ") + format_setting(f, "Hz");
            return list;
          },
          [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
            if (text.starts_with("log"))
              p.spacing = Spacing::logarithmic;
            else if (text.starts_with("lin"))
              p.spacing = Spacing::linear;
            else
              return set_listed(p, text);
            if (!p.logarithmic()) p.points_total = std::clamp(p.points_total, 2, kMostPoints);
            return {};
          },
          [](const Plan&, const Surroundings&) {
            return BriefHint{.allowed = "logarithmic, linear, or the frequencies themselves: 100 Hz, 1 kHz, 5 kHz",
                             .choices = {"logarithmic", "linear"}};
          }),
  };
}

/// How it settles, how long it is read and how often.
std::vector<W> reading_words() {
  return {
      choice_word("quantity", "quantity", "What response over stimulus is", &Plan::quantity, kQuantities),
      spoken(
          kept_word("settle_time", &Plan::settle_time), "settle_time", "Wait after each change of frequency",
          [](const Plan& p) { return format_setting(p.settle_time, "s"); },
          [](Plan& p, std::string_view text, const Surroundings&) {
            return set_not_negative(p.settle_time, text, parse_value(text, "s"));
          },
          [](const Plan& p, const Surroundings&) {
            return BriefHint{.forms = fmt::format("{} periods at the start, {} at the stop",
                                                  plain_number(p.settle_time * p.start),
                                                  plain_number(p.settle_time * p.stop)),
                             .allowed = "0 s to 1 h; the periods come on top"};
          }),
      spoken(
          kept_word("settle_periods", &Plan::settle_periods), "settle_periods", "Periods to let pass as well",
          [](const Plan& p) { return count_text(p.settle_periods, "period"); },
          [](Plan& p, std::string_view text, const Surroundings&) {
            return set_not_negative(p.settle_periods, text, counted(text, {"periods", "period"}));
          },
          [](const Plan& p, const Surroundings&) {
            return BriefHint{.forms = fmt::format("{} at the start", format_setting(p.settle_periods / p.start, "s")),
                             .allowed = "0 to 1 000 000 periods"};
          }),
      spoken(
          kept_word("periods", &Plan::periods), "periods", "Periods read at each point",
          [](const Plan& p) { return count_text(p.periods, "period"); },
          [](Plan& p, std::string_view text, const Surroundings&) {
            return assign(p.periods, counted(text, {"periods", "period"}));
          },
          [](const Plan& p, const Surroundings&) {
            return BriefHint{.forms = fmt::format("{} at the start", format_setting(p.periods / p.start, "s")),
                             .allowed = "1 to 1000; 4 or more are needed for a figure to be trusted"};
          }),
      spoken(
          kept_word("averages", &Plan::averages), "averages", "Records averaged at each point",
          [](const Plan& p) { return count_text(p.averages, "record"); },
          [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
            const auto n = whole(counted(text, {"records", "record", "averages", "average", "times", "time"}));
            if (!n) return tl::unexpected(n.error());
            if (!(*n >= 1 && *n <= 1000)) return fail(Fault::input, "From 1 to 1000 records can be averaged.");
            p.averages = int(*n);
            return {};
          },
          [](const Plan& p, const Surroundings&) {
            return BriefHint{.forms = p.averages > 1 ? fmt::format("noise falls to {:.2g}", 1 / std::sqrt(p.averages))
                                                     : "no averaging",
                             .allowed = "1 to 1000"};
          }),
      spoken(
          kept_word("agree", &Plan::agree), "agree", "Read again until two readings in a row agree",
          [](const Plan& p) { return percent_text(p.agree); },
          [](Plan& p, std::string_view text, const Surroundings&) {
            return assign(p.agree, is_off(text) ? Result<double>(0.0) : parse_value(text, "%"), 0.01);
          },
          [](const Plan&, const Surroundings&) {
            return BriefHint{.forms = "beyond the settling time", .allowed = "a share such as 0.1 %, or off"};
          }),
      spoken(
          kept_word("u_asked_db", &Plan::u_asked_db), "u_asked", "Average until noise leaves no more than this on the gain",
          [](const Plan& p) { return p.u_asked_db > 0 ? format_setting(p.u_asked_db, "dB") : "off"; },
          [](Plan& p, std::string_view text, const Surroundings&) {
            return assign(p.u_asked_db, is_off(text) ? Result<double>(0.0) : parse_value(text, "dB"));
          },
          [](const Plan&, const Surroundings&) {
            return BriefHint{.forms = fmt::format("{} records at most", kMostRecords),
                             .allowed = "dB such as 0.01 dB, or off"};
          }),
      spoken(
          kept_word("refine", &Plan::refine), "refine", "Add points where the curve bends",
          [](const Plan& p) { return p.refine ? "on" : "off"; },
          switch_word("refine", "refine", "", &Plan::refine).set,
          [](const Plan&, const Surroundings&) {
            return BriefHint{.forms = "until what lies between the points matters less than their noise",
                             .choices = {"on", "off"}};
          }),
      spoken(
          kept_word("refine_points", &Plan::refine_points), "refine_points", "How many points may be added",
          [](const Plan& p) { return count_text(p.refine_points, "point"); },
          [](Plan& p, std::string_view text, const Surroundings&) { return set_count(p.refine_points, text); },
          [](const Plan&, const Surroundings&) { return BriefHint{.allowed = "1 to 500"}; }),
      spoken(
          kept_word("level_checks", &Plan::level_checks), "level_checks", "Points to read once more at half the level",
          [](const Plan& p) { return p.level_checks > 0 ? count_text(p.level_checks, "point") : "off"; },
          [](Plan& p, std::string_view text, const Surroundings&) { return set_count(p.level_checks, text); },
          [](const Plan&, const Surroundings&) {
            return BriefHint{.forms = "shows what compresses", .allowed = "up to 50, or off"};
          }),
      spoken(
          choice_word("repeat", "repeat", "", &Plan::repeat, kRepeats), "repeat", "How often",
          [](const Plan& p) { return said_of(kRepeats, p.repeat); },
          choice_word("repeat", "repeat", "", &Plan::repeat, kRepeats).set,
          [](const Plan&, const Surroundings&) {
            BriefHint out{.forms = "Esc stops"};
            for (const auto& c : kRepeats) out.choices.push_back(c.said);
            return out;
          }),
      spoken(
          kept_word("noise_averages", &Plan::noise_averages), "noise_averages", "Segments to average",
          [](const Plan& p) {
            return count_text(p.noise_averages, p.method == Method::multitone ? "period" : "segment");
          },
          [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
            auto plain = trimmed(text);
            for (const std::string_view noun : {"periods", "period"})
              if (plain.ends_with(noun)) plain = trimmed(std::string_view(plain).substr(0, plain.size() - noun.size()));
            return set_count(p.noise_averages, plain);
          },
          [](const Plan& p, const Surroundings&) {
            return BriefHint{.forms = fmt::format("at a coherence of 0.9 the gain is known to {:.2g} dB",
                                                  8.686 * signal::u_of_response(0.9, p.noise_averages)),
                             .allowed = "2 to 10 000"};
          }),
      spoken(
          kept_word("window", &Plan::window), "window", "Window of each segment", [](const Plan& p) { return p.window; },
          [](Plan& p, std::string_view text, const Surroundings&) -> Result<void> {
            std::string name(text);
            for (auto& letter : name) letter = letter == '-' || letter == ' ' ? '_' : char(std::tolower(letter));
            p.window = name;
            return {};
          },
          [](const Plan&, const Surroundings&) {
            return BriefHint{.choices = {"hann", "blackman_harris", "flat_top", "rectangular"}};
          }),
      spoken(
          kept_word("overlap", &Plan::overlap), "overlap", "Overlap of the segments",
          [](const Plan& p) { return percent_text(p.overlap); },
          [](Plan& p, std::string_view text, const Surroundings&) {
            return assign(p.overlap, is_off(text) ? Result<double>(0.0) : parse_value(text, "%"), 0.01);
          },
          [](const Plan&, const Surroundings&) { return BriefHint{.allowed = "0 % to 95 %; half is usual"}; }),
  };
}

}  // namespace

const WordTable<Plan>& words() {
  static const WordTable<Plan> table = [] {
    auto all = drive_words();
    for (auto& word : reading_words()) all.push_back(std::move(word));
    return WordTable<Plan>(std::move(all));
  }();
  return table;
}

std::string method_text(Method method) { return kept_of(kMethods, method); }

}  // namespace heron::study::response
