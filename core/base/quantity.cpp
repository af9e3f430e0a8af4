#include "base/quantity.h"
#include "base/words.h"

#include <fast_float/fast_float.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <numbers>

namespace heron {
namespace {

struct UnitName {
  std::string_view typed;
  std::string_view symbol;
};

struct UnitKind {
  std::string_view symbol, quantity, example;
  bool takes_prefix;
};

constexpr std::array kUnits = {UnitKind{"Hz", "frequency", "20 kHz", true},
                               UnitKind{"V", "voltage", "20 mV", true},
                               UnitKind{"A", "current", "5 mA", true},
                               UnitKind{"s", "time", "20 ms", true},
                               UnitKind{"ohm", "resistance", "82 kohm", true},
                               UnitKind{"F", "capacitance", "6.2 nF", true},
                               UnitKind{"H", "inductance", "10 uH", true},
                               UnitKind{"W", "electrical power", "18 W", true},
                               UnitKind{"A2s", "square of a current over time", "12 A2s", false},
                               UnitKind{"J", "energy", "85 uJ", true},
                               UnitKind{"C", "charge", "20 nC", true},
                               UnitKind{"S", "conductance", "2 mS", true},
                               UnitKind{"K", "temperature", "300 K", false},
                               UnitKind{"dB", "ratio in dB", "26 dB", false},
                               UnitKind{"dBc", "ratio to a carrier in dB", "-70 dBc", false},
                               UnitKind{"dBFS", "level under full scale", "-3 dBFS", false},
                               UnitKind{"dBV", "level re 1 V rms", "-20 dBV", false},
                               UnitKind{"dBFS/Hz", "density under full scale", "-130 dBFS/Hz", false},
                               UnitKind{"dBV/Hz", "density re 1 V rms", "-140 dBV/Hz", false},
                               UnitKind{"bit", "number of bits", "12 bit", false},
                               UnitKind{"LSB", "steps of a converter", "0.5 LSB", false},
                               UnitKind{"deg", "angle", "45 deg", false},
                               UnitKind{"%", "percentage", "5 %", false},
                               UnitKind{"1", "number", "8", false},
                               UnitKind{"m", "length", "1 m", true},
                               UnitKind{"dB/decade", "slope", "-20 dB/decade", false},
                               UnitKind{"decades", "frequency ratio", "3", false},
                               UnitKind{"degC", "temperature", "40 degC", false},
                               UnitKind{"ppm/K", "temperature coefficient", "50 ppm/K", false},
                               UnitKind{"K/W", "thermal resistance", "300 K/W", false},
                               UnitKind{"J/K", "heat capacity", "2 mJ/K", true},
                               UnitKind{"V/s", "slew rate", "5 V/us", true},
                               UnitKind{"A/s", "slope of a current", "50 A/us", true},
                               UnitKind{"A/V2", "transconductance factor", "20 mA/V2", true},
                               UnitKind{"1/V", "share per volt", "0.02 1/V", false},
                               UnitKind{"V/rtHz", "noise density", "4 nV/rtHz", true},
                               UnitKind{"V/A", "factor", "120 mV/A", true},
                               UnitKind{"A/V", "factor", "10 A/V", true},
                               UnitKind{"Nm", "torque", "20 mNm", true},
                               UnitKind{"Nm/A", "torque constant", "12 mNm/A", true},
                               UnitKind{"Nms", "viscous friction", "2 uNms", true},
                               UnitKind{"kgm2", "moment of inertia", "3e-6 kgm2", false}};

constexpr std::array kUnitNames = {UnitName{"hz", "Hz"},
                                   UnitName{"hertz", "Hz"},
                                   UnitName{"v", "V"},
                                   UnitName{"volt", "V"},
                                   UnitName{"volts", "V"},
                                   UnitName{"a", "A"},
                                   UnitName{"amp", "A"},
                                   UnitName{"amps", "A"},
                                   UnitName{"ampere", "A"},
                                   UnitName{"amperes", "A"},
                                   UnitName{"s", "s"},
                                   UnitName{"sec", "s"},
                                   UnitName{"second", "s"},
                                   UnitName{"seconds", "s"},
                                   UnitName{"ohm", "ohm"},
                                   UnitName{"ohms", "ohm"},
                                   UnitName{"Ω", "ohm"},
                                   UnitName{"Ω", "ohm"},
                                   UnitName{"farad", "F"},
                                   UnitName{"henry", "H"},
                                   UnitName{"watt", "W"},
                                   UnitName{"watts", "W"},
                                   UnitName{"siemens", "S"},
                                   UnitName{"kelvin", "K"},
                                   UnitName{"degree", "deg"},
                                   UnitName{"celsius", "degC"},
                                   UnitName{"f", "F"},
                                   UnitName{"h", "H"},
                                   UnitName{"w", "W"},
                                   UnitName{"j", "J"},
                                   UnitName{"db", "dB"},
                                   UnitName{"dbfs", "dBFS"},
                                   UnitName{"bits", "bit"},
                                   UnitName{"deg", "deg"},
                                   UnitName{"°", "deg"},
                                   UnitName{"degrees", "deg"},
                                   UnitName{"%", "%"},
                                   UnitName{"dB/dec", "dB/decade"},
                                   UnitName{"db/decade", "dB/decade"},
                                   UnitName{"°C", "degC"},
                                   UnitName{"V/√Hz", "V/rtHz"},
                                   UnitName{"A/V^2", "A/V2"},
                                   UnitName{"A/V²", "A/V2"}};

/// Units that people write with another time or length below the stroke.
struct ScaledUnit {
  std::string_view typed, symbol;
  double factor;
};
constexpr std::array kScaledUnits = {ScaledUnit{"V/us", "V/s", 1e6}, ScaledUnit{"V/µs", "V/s", 1e6},
                                     ScaledUnit{"V/ms", "V/s", 1e3}, ScaledUnit{"V/ns", "V/s", 1e9},
                                     ScaledUnit{"A/us", "A/s", 1e6}, ScaledUnit{"A/µs", "A/s", 1e6}, ScaledUnit{"A/ns", "A/s", 1e9}};

const UnitKind* kind_of(std::string_view symbol) {
  const auto it = std::find_if(kUnits.begin(), kUnits.end(), [&](const UnitKind& u) { return u.symbol == symbol; });
  return it == kUnits.end() ? nullptr : &*it;
}

/// The symbol for a unit as typed, exact case first so that "S" is not "s"; nothing when unknown.
std::optional<std::string_view> unit_symbol(std::string_view typed) {
  for (const auto& u : kUnits)
    if (u.symbol == typed && u.symbol != "1") return u.symbol;
  const std::string small = lower(typed);
  for (const auto& u : kUnitNames)
    if (u.typed == typed || lower(u.typed) == small) return u.symbol;
  return std::nullopt;
}

struct Prefix {
  std::string_view typed;
  double factor;
};
constexpr std::array kPrefixes = {Prefix{"f", 1e-15}, Prefix{"p", 1e-12}, Prefix{"n", 1e-9}, Prefix{"u", 1e-6},
                                  Prefix{"µ", 1e-6},  Prefix{"μ", 1e-6},  Prefix{"m", 1e-3}, Prefix{"k", 1e3},
                                  Prefix{"K", 1e3},   Prefix{"M", 1e6},   Prefix{"G", 1e9},  Prefix{"T", 1e12}};

struct Suffix {
  double factor = 1;
  std::string unit;
};

/// Longer times, where a time is wanted: elsewhere "h" is something else.
constexpr std::pair<std::string_view, double> kTimes[] = {{"min", 60}, {"h", 3600}, {"d", 86400}};

/// Every way to read "mV", "k", "Hz": the unit alone wins over a prefix, the wanted unit over all.
std::optional<Suffix> read_suffix(std::string_view text, std::string_view wanted) {
  if (text.empty()) return Suffix{};
  if (wanted == "s")
    for (const auto& [typed, seconds] : kTimes)
      if (text == typed) return Suffix{seconds, "s"};
  const UnitKind* want = kind_of(wanted);
  for (const auto& p : kPrefixes)
    if (text == p.typed && want && want->takes_prefix && unit_symbol(text) != wanted) return Suffix{p.factor, ""};
  if (const auto symbol = unit_symbol(text)) return Suffix{1, std::string(*symbol)};
  for (const auto& u : kScaledUnits)
    if (text == u.typed) return Suffix{u.factor, std::string(u.symbol)};
  for (const auto& p : kPrefixes) {
    if (!text.starts_with(p.typed)) continue;
    const auto rest = text.substr(p.typed.size());
    if (rest.empty()) return Suffix{p.factor, ""};
    if (const auto symbol = unit_symbol(rest); symbol && kind_of(*symbol)->takes_prefix)
      return Suffix{p.factor, std::string(*symbol)};
  }
  return std::nullopt;
}

/// Thin and unbreakable blanks as plain ones, the minus sign as a hyphen, no blanks at the ends.
std::string plain_text(std::string_view text) {
  std::string out;
  for (std::size_t i = 0; i < text.size();) {
    if (text.substr(i).starts_with("\u2009") || text.substr(i).starts_with("\u202f")) {
      out += ' ';
      i += 3;
    } else if (text.substr(i).starts_with("\u00a0")) {
      out += ' ';
      i += 2;
    } else if (text.substr(i).starts_with("\u2212")) {
      out += '-';
      i += 3;
    } else {
      out += text[i++];
    }
  }
  return trimmed(out);
}

bool is_digit(char c) { return c >= '0' && c <= '9'; }

/// Takes a level form off the end of the suffix: "mVpp" -> "mV" and pk-pk.
std::optional<LevelForm> take_level_form(std::string& suffix) {
  struct Ending {
    std::string_view typed;
    LevelForm form;
  };
  constexpr std::array endings = {Ending{"pk-pk", LevelForm::peak_to_peak},
                                  Ending{"pkpk", LevelForm::peak_to_peak},
                                  Ending{"p-p", LevelForm::peak_to_peak},
                                  Ending{"pp", LevelForm::peak_to_peak},
                                  Ending{"peak", LevelForm::peak},
                                  Ending{"pk", LevelForm::peak},
                                  Ending{"rms", LevelForm::rms}};
  const std::string small = lower(suffix);
  for (const auto& e : endings) {
    if (!small.ends_with(e.typed)) continue;
    suffix.resize(suffix.size() - e.typed.size());
    while (!suffix.empty() && suffix.back() == ' ') suffix.pop_back();
    return e.form;
  }
  return std::nullopt;
}

std::string wanted_text(std::string_view unit) {
  const UnitKind* kind = kind_of(unit);
  if (!kind) return "a number";
  const bool vowel = std::string_view("aeiou").find(kind->quantity[0]) != std::string_view::npos;
  return fmt::format("{} {} such as {}", vowel ? "an" : "a", kind->quantity, kind->example);
}

}  // namespace

std::string_view level_form_text(LevelForm form) {
  switch (form) {
    case LevelForm::peak_to_peak:
      return "pk-pk";
    case LevelForm::peak:
      return "peak";
    case LevelForm::rms:
      return "rms";
  }
  return "";
}

Result<Quantity> parse_quantity(std::string_view typed, std::string_view unit) {
  const std::string text = plain_text(typed);
  if (text.empty()) return fail(Fault::input, "Nothing is typed; {} is wanted.", wanted_text(unit));
  if (text.size() > 64) return fail(Fault::input, "The text is too long to be {}.", wanted_text(unit));

  std::size_t at = 0;
  if (text[at] == '+' || text[at] == '-') ++at;
  std::size_t end = at;
  bool point = false;
  while (end < text.size() && (is_digit(text[end]) || (text[end] == '.' && !point))) {
    point = point || text[end] == '.';
    ++end;
  }
  const bool has_digits = std::any_of(text.begin() + at, text.begin() + end, is_digit);
  if (!has_digits)
    return fail(Fault::input, "\"{}\" does not begin with a number; {} is wanted.", text, wanted_text(unit));
  if (end < text.size() && text[end] == ',') {
    std::string with_point = text;
    with_point[end] = '.';
    return fail(Fault::input, "\"{}\" has a comma in the number; write {} with a point.", text, with_point);
  }
  // An exponent is only one when digits follow: "2e3" but not "2 e".
  if (end + 1 < text.size() && (text[end] == 'e' || text[end] == 'E')) {
    std::size_t digit = end + 1;
    if (text[digit] == '+' || text[digit] == '-') ++digit;
    if (digit < text.size() && is_digit(text[digit])) {
      while (digit < text.size() && is_digit(text[digit])) ++digit;
      end = digit;
    }
  }
  const std::string number_text = text.substr(text[0] == '+' ? 1 : 0, end - (text[0] == '+' ? 1 : 0));
  double value = 0;
  const auto parsed = fast_float::from_chars(number_text.data(), number_text.data() + number_text.size(), value);
  if (parsed.ec != std::errc() || !std::isfinite(value))
    return fail(Fault::input, "\"{}\" is not a number that can be held.", number_text);

  std::string suffix = plain_text(text.substr(end));

  // IEC 60062: the prefix or unit letter stands where the decimal point would ("6n2", "6R2", "2k2").
  const bool whole = number_text.find_first_of(".eE") == std::string::npos;
  std::size_t letter = 0;
  for (const std::string_view l : {"f", "p", "n", "u", "µ", "μ", "m", "k", "K", "M", "G", "R", "V"})
    if (suffix.starts_with(l)) letter = std::max(letter, l.size());
  if (whole && letter > 0 && suffix.size() > letter && is_digit(suffix[letter]) && end < text.size() &&
      text[end] != ' ') {
    std::size_t stop = letter;
    while (stop < suffix.size() && is_digit(suffix[stop])) ++stop;
    const std::string joined = number_text + "." + suffix.substr(letter, stop - letter);
    fast_float::from_chars(joined.data(), joined.data() + joined.size(), value);
    const std::string mark = suffix.substr(0, letter);
    const std::string rest = plain_text(suffix.substr(stop));
    suffix = mark == "R" ? (rest.empty() ? "ohm" : rest) : mark + rest;
  } else if (suffix == "R" && (unit == "ohm" || unit.empty())) {
    suffix = "ohm";
  }

  Quantity out;
  if (unit == "V" || unit.empty()) out.form = take_level_form(suffix);
  const auto read = read_suffix(suffix, unit);
  if (!read) return fail(Fault::input, "\"{}\" is not a unit known here; {} is wanted.", suffix, wanted_text(unit));
  // A power of ten below one is no binary fraction, its inverse is a whole number: dividing rounds once.
  const double inverse = std::round(1 / read->factor);
  const bool divides = read->factor < 1 && std::abs(inverse * read->factor - 1) < 1e-12;
  out.value = divides ? value / inverse : value * read->factor;
  out.unit = read->unit;
  if (!std::isfinite(out.value)) return fail(Fault::input, "\"{}\" is too large to be held.", text);
  if (!unit.empty() && !out.unit.empty() && out.unit != unit) {
    if (unit == "1" && out.unit == "%") {
      out.value /= 100;
    } else if (out.unit == "dB" && unit.starts_with("dB")) {
      // What they are re is known from what is asked for.
    } else {
      const auto is = kind_of(out.unit)->quantity;
      return fail(Fault::input, "\"{}\" is {} {}; {} is wanted.", text, std::string_view("aeiou").find(is.front()) != std::string_view::npos ? "an" : "a", is, wanted_text(unit));
    }
  }
  if (!unit.empty()) out.unit = std::string(unit);
  return out;
}

bool takes_prefix(std::string_view unit) {
  const auto* kind = kind_of(unit);
  return kind && kind->takes_prefix;
}

namespace {

/// What stands over columns besides symbols with their prefixes.
struct ColumnName {
  std::string_view typed, symbol;
  double factor;
};
constexpr double kTurnsPerRadian = 1 / (2 * std::numbers::pi);
constexpr std::array kColumnNames = {ColumnName{"min", "s", 60},
                                     ColumnName{"minutes", "s", 60},
                                     ColumnName{"h", "s", 3600},
                                     ColumnName{"hr", "s", 3600},
                                     ColumnName{"hours", "s", 3600},
                                     ColumnName{"rad", "deg", 180 / std::numbers::pi},
                                     ColumnName{"mrad", "deg", 0.18 / std::numbers::pi},
                                     ColumnName{"rad/s", "Hz", kTurnsPerRadian},
                                     ColumnName{"krad/s", "Hz", 1e3 * kTurnsPerRadian},
                                     ColumnName{"Mrad/s", "Hz", 1e6 * kTurnsPerRadian},
                                     ColumnName{"V/V", "1", 1},
                                     ColumnName{"A/A", "1", 1},
                                     ColumnName{"ratio", "1", 1},
                                     ColumnName{"1", "1", 1},
                                     ColumnName{"dB re 1 ohm", "dB", 1},
                                     ColumnName{"dBohm", "dB", 1},
                                     ColumnName{"dBΩ", "dB", 1}};
constexpr std::array kPrefixWords = {Prefix{"nano", 1e-9}, Prefix{"micro", 1e-6}, Prefix{"milli", 1e-3},
                                     Prefix{"kilo", 1e3},  Prefix{"mega", 1e6},   Prefix{"giga", 1e9}};

}  // namespace

std::optional<ColumnUnit> column_unit(std::string_view typed) {
  const std::string text = plain_text(typed), small = lower(text);
  if (text.empty() || small == "mhz" || text == "H" || text == "F") {
    // "mHz" and "MHz" differ by 1e9; all in small letters either may be meant.
    if (text == "mHz") return ColumnUnit{"Hz", 1e-3};
    if (text == "MHz" || text == "MHZ") return ColumnUnit{"Hz", 1e6};
    if (text == "H" || text == "F") return ColumnUnit{text, 1};
    return std::nullopt;
  }
  for (const auto& n : kColumnNames)
    if (n.typed == text || lower(n.typed) == small) {
      // Only the letter's case tells mega from milli.
      if (n.typed.starts_with('M') && !text.starts_with('M')) continue;
      if (n.typed.starts_with('m') && text.starts_with('M') && n.typed != "min" && n.typed != "minutes") continue;
      return ColumnUnit{std::string(n.symbol), n.factor};
    }
  for (const auto& p : kPrefixWords)
    if (small.starts_with(p.typed))
      if (const auto symbol = unit_symbol(std::string_view(text).substr(p.typed.size())))
        if (kind_of(*symbol)->takes_prefix) return ColumnUnit{std::string(*symbol), p.factor};
  if (const auto suffix = read_suffix(text, ""); suffix && !suffix->unit.empty())
    return ColumnUnit{suffix->unit, suffix->factor};
  return std::nullopt;
}

Result<double> parse_value(std::string_view text, std::string_view unit) {
  const auto quantity = parse_quantity(text, unit);
  if (!quantity) return tl::unexpected(quantity.error());
  return quantity->value;
}

Result<double> parse_level_pp(std::string_view text, LevelForm assumed) {
  const auto level = parse_quantity(text, "V");
  if (!level) return tl::unexpected(level.error());
  switch (level->form.value_or(assumed)) {
    case LevelForm::peak_to_peak:
      return level->value;
    case LevelForm::peak:
      return level->value * 2;
    case LevelForm::rms:
      return level->value * 2 * std::numbers::sqrt2;
  }
  return level->value;
}

double level_from_pp(double peak_to_peak, LevelForm form) {
  switch (form) {
    case LevelForm::peak_to_peak:
      return peak_to_peak;
    case LevelForm::peak:
      return peak_to_peak / 2;
    case LevelForm::rms:
      return peak_to_peak / (2 * std::numbers::sqrt2);
  }
  return peak_to_peak;
}

std::string NumberText::plain() const { return unit.empty() ? number : number + "\u2009" + unit; }

UnitScale unit_scale(double magnitude, std::string_view unit) {
  const UnitKind* kind = kind_of(unit);
  std::string shown(unit);
  if (unit == "ohm") shown = "Ω";
  if (unit == "deg") shown = "°";
  if (unit == "degC") shown = "°C";
  if (unit == "V/rtHz") shown = "V/√Hz";
  if (unit == "1") shown = "";
  if (unit == "dB/decade") shown = "dB/dec";
  if (!kind || !kind->takes_prefix || magnitude == 0 || !std::isfinite(magnitude)) return {1, shown};
  constexpr std::array<std::string_view, 10> names = {"f", "p", "n", "µ", "m", "", "k", "M", "G", "T"};
  // Rounding to the shown digits must not give "1000 Hz": the half in the last of six digits is far below any display.
  const int step = std::clamp(int(std::floor(std::log10(magnitude * (1 + 5e-6)) / 3)), -5, 4);
  return {std::pow(10.0, -3 * step), std::string(names[size_t(step + 5)]) + shown};
}

namespace {

std::string with_minus(std::string text) {
  if (text.starts_with('-')) {
    if (text.find_first_of("123456789") == std::string::npos) return text.substr(1);
    return "\u2212" + text.substr(1);
  }
  return text;
}

}  // namespace

NumberText format_quantity(double value, std::string_view unit, int digits) {
  const auto scale = unit_scale(std::abs(value), unit);
  const double shown = value * scale.factor;
  if (!std::isfinite(shown)) return {"\u2013", scale.unit, ""};
  // What rounds up to the next power of ten has that power's digits.
  const int before =
      shown == 0 ? 1 : int(std::floor(std::log10(std::abs(shown) * (1 + 0.5 * std::pow(10.0, -digits))))) + 1;
  return {with_minus(fmt::format("{:.{}f}", shown, std::clamp(digits - before, 0, 12))), scale.unit, ""};
}

NumberText format_with_uncertainty(double value, std::optional<double> u, std::string_view unit) {
  // What is counted is whole.
  if (!u && unit == "1" && value == std::round(value) && std::abs(value) < 1e6) return {with_minus(fmt::format("{:.0f}", value)), "", ""};
  if (!u || !(*u > 0) || !std::isfinite(*u)) return format_quantity(value, unit);
  const double expanded = 2 * *u;
  const auto scale = unit_scale(std::max(std::abs(value), expanded), unit);
  const double shown_u = expanded * scale.factor;
  int decade = int(std::floor(std::log10(shown_u)));
  if (shown_u / std::pow(10.0, decade) < 1.95) --decade;
  // More than six decimals say nothing to a reader, however quiet the record was.
  const int decimals = std::clamp(-decade, 0, 6);
  const double unit_place = std::pow(10.0, std::max(decade, -decimals));
  const auto rounded = [&](double x) { return std::round(x / unit_place) * unit_place; };
  return {with_minus(fmt::format("{:.{}f}", rounded(value * scale.factor), decimals)), scale.unit,
          fmt::format("{:.{}f}", std::max(rounded(shown_u), unit_place), decimals)};
}

std::string format_setting(double value, std::string_view unit) {
  const auto scale = unit_scale(std::abs(value), unit);
  const std::string number = with_minus(fmt::format("{:.6g}", value * scale.factor));
  return scale.unit.empty() ? number : number + " " + scale.unit;
}

double rounded_to(double value, int digits) {
  if (value == 0 || !std::isfinite(value)) return value;
  const int power = digits - 1 - int(std::floor(std::log10(std::abs(value))));
  // Powers of ten are exact up to 22; dividing by one rounds once.
  const double scale = std::pow(10.0, std::abs(power));
  return power >= 0 ? std::round(value * scale) / scale : std::round(value / scale) * scale;
}

std::string format_duration(double seconds) {
  if (!(seconds >= 0)) return "unknown";
  if (seconds < 1) return format_quantity(seconds, "s", 2).plain();
  if (seconds < 9.95) return fmt::format("{:.1f}\u2009s", seconds);
  const auto whole = static_cast<long long>(std::min(std::round(seconds), 1e15));
  if (whole < 60) return fmt::format("{}\u2009s", whole);
  if (whole < 3600) return fmt::format("{} min {:02} s", whole / 60, whole % 60);
  return fmt::format("{} h {:02} min", whole / 3600, whole % 3600 / 60);
}

}  // namespace heron
