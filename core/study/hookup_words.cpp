#include "study/hookup_words.h"

#include <algorithm>

#include "base/quantity.h"
#include "base/words.h"

namespace heron::study {
namespace {

Result<void> set_sensor(bench::Chain& chain, std::string_view text) {
  if (text.starts_with('{')) {
    auto sensor = bench::sensor_from_json(nlohmann::json::parse(text, nullptr, false));
    if (!sensor) return tl::unexpected(sensor.error());
    chain.input.sensor = std::move(*sensor);
  } else if (const auto* stock = bench::find_stock_sensor(text)) {
    chain.input.sensor = *stock;
  } else {
    return fail(Fault::input, "There is no sensor \"{}\"; add it to the list on the Hookup page first.", text);
  }
  // What was found out about the last sensor does not hold for this one.
  chain.zero.reset();
  chain.correction = 1;
  if (chain.input.sensor.reads_codes()) chain.input = {.pin = chain.input.pin, .range = {}, .sensor = chain.input.sensor};
  if (chain.input.sensor.kind != bench::SensorKind::direct) chain.input.ohms = chain.input.sensor.wants_ohms;
  return {};
}

/// "i_load = (v1 - v2)/R7 [A]"
Result<bench::Computed> read_computed(std::string_view text) {
  const auto equals = text.find('='), open = text.rfind('[');
  if (equals == std::string_view::npos)
    return fail(Fault::input,
                "A computed quantity is written as name = formula [unit], such as i_load = (v1 - v2)/R7 [A].");
  const bool has_unit =
      open != std::string_view::npos && open > equals && text.find(']', open) != std::string_view::npos;
  bench::Computed out{
      .name = trimmed(text.substr(0, equals)),
      .unit = has_unit ? trimmed(text.substr(open + 1, text.find(']', open) - open - 1)) : "",
      .formula = trimmed(text.substr(equals + 1, has_unit ? open - equals - 1 : std::string_view::npos))};
  if (!formula_name(out.name))
    return fail(Fault::input, "\"{}\" cannot name a quantity; use letters, digits and _.", out.name);
  if (out.formula.empty()) return fail(Fault::input, "The formula of {} is empty.", out.name);
  return out;
}

}  // namespace

std::string own_sensor(std::string_view key, std::string_view text, const std::vector<bench::Sensor>& own) {
  const auto typed = trimmed(text);
  if (key.ends_with("sensor"))
    for (const auto& sensor : own)
      if (sensor.name == typed) return bench::to_json(sensor).dump();
  return typed;
}

BriefHint offer_own_sensors(BriefHint hint, std::string_view key, const std::vector<bench::Sensor>& own) {
  if (key.ends_with("sensor"))
    for (const auto& sensor : own) hint.choices.push_back(sensor.name);
  return hint;
}

Result<void> choose_pin(std::string& pin, std::string_view text, const std::vector<std::string>& pins) {
  if (std::find(pins.begin(), pins.end(), text) == pins.end()) {
    std::string all;
    for (const auto& name : pins) all += (all.empty() ? "" : ", ") + name;
    return fail(Fault::input, "The device has no pin \"{}\"; there are {}.", text, all);
  }
  pin = text;
  return {};
}

Result<void> set_hookup_word(bench::Hookup& hookup, std::string_view key, std::string_view text,
                             const std::vector<std::string>& pins) {
  const auto taken = [&](std::string_view name) {
    return hookup.find(name) || std::any_of(hookup.computed.begin(), hookup.computed.end(),
                                            [&](const bench::Computed& c) { return c.name == name; });
  };
  if (key == "add") {
    const auto name = trimmed(text);
    if (!formula_name(name))
      return fail(Fault::input, "\"{}\" cannot name a quantity; use letters, digits and _.", name);
    if (taken(name)) return fail(Fault::input, "There is a quantity called {} already.", name);
    hookup.chains.push_back(
        {.name = name, .input = {.pin = pins.empty() ? "" : pins.front(), .sensor = bench::stock_sensors().front()}});
    return {};
  }
  if (key == "compute") {
    auto computed = read_computed(text);
    if (!computed) return tl::unexpected(computed.error());
    const auto same = std::find_if(hookup.computed.begin(), hookup.computed.end(),
                                   [&](const bench::Computed& c) { return c.name == computed->name; });
    if (same != hookup.computed.end())
      *same = *computed;
    else if (taken(computed->name))
      return fail(Fault::input, "There is a quantity called {} already.", computed->name);
    else
      hookup.computed.push_back(*computed);
    return {};
  }
  if (key == "digitiser") {
    const auto chosen = chosen_of(kDigitisers, text);
    if (!chosen) return tl::unexpected(chosen.error());
    hookup.digitiser = *chosen;
    return {};
  }
  const auto dot = key.find('.');
  const auto name = key.substr(0, dot),
             field = dot == std::string_view::npos ? std::string_view() : key.substr(dot + 1);
  if (field == "remove") {
    std::erase_if(hookup.chains, [&](const bench::Chain& c) { return c.name == name; });
    std::erase_if(hookup.computed, [&](const bench::Computed& c) { return c.name == name; });
    return {};
  }
  const auto it =
      std::find_if(hookup.chains.begin(), hookup.chains.end(), [&](const bench::Chain& c) { return c.name == name; });
  if (it == hookup.chains.end()) return fail(Fault::input, "The hookup has no quantity \"{}\".", name);
  auto& chain = *it;
  auto& in = chain.input;
  const auto number = [&](std::string_view unit, double low, double high, double& into) -> Result<void> {
    const auto v = parse_value(text, unit);
    if (!v) return tl::unexpected(v.error());
    if (!(*v >= low && *v <= high))
      return fail(Fault::input, "{} is not between {} and {}.", text, format_setting(low, unit),
                  format_setting(high, unit));
    into = *v;
    return {};
  };
  // Whole steps stay whole only as they come.
  constexpr std::string_view kOfCodes[] = {"pin", "sensor", "range", "planted"};
  if (in.sensor.reads_codes() && std::find(std::begin(kOfCodes), std::end(kOfCodes), field) == std::end(kOfCodes))
    return fail(Fault::input, "{} is read in codes, as they come: it has no {}.", chain.name, field);
  if (field == "pin") return choose_pin(in.pin, text, pins);
  if (field == "against") {
    if (text.empty() || text == "ground") {
      in.against.clear();
      return {};
    }
    return choose_pin(in.against, text, pins);
  }
  if (field == "sensor") return set_sensor(chain, text);
  if (field == "factor") {
    // "x10" divides by ten; "120 mV/A" is what it is.
    std::string_view typed = text;
    if (!in.sensor.senses_current() && (typed.starts_with('x') || typed.starts_with("\u00d7")))
      typed.remove_prefix(typed.starts_with('x') ? 1 : 2);
    double factor = 1;
    if (auto ok = typed.size() != text.size() || !in.sensor.senses_current() ? [&]() -> Result<void> {
          const auto v = parse_value(typed, "1");
          if (!v) return tl::unexpected(v.error());
          if (!(*v >= 1e-3 && *v <= 1e6)) return fail(Fault::input, "A factor lies from 0.001 to 1 000 000.");
          factor = 1 / *v;
          return {};
        }()
        : number("V/A", 1e-9, 1e6, factor);
        !ok)
      return ok;
    in.sensor.factor = factor;
    return {};
  }
  if (field == "range") {
    if (in.sensor.reads_codes() && !text.starts_with("auto") && text != "its converter's")
      return fail(Fault::input, "{} is read in codes; their range is that of the device's converter.", chain.name);
    if (text.starts_with("auto") || in.sensor.reads_codes()) {
      in.range.reset();
      return {};
    }
    const auto value = parse_value(text, "V");
    if (!value) return tl::unexpected(value.error());
    if (!(*value > 0)) return fail(Fault::input, "A range is above zero.");
    in.range = *value;
    return {};
  }
  if (field == "attenuation") {
    std::string_view typed = text;
    if (typed == "none") {
      in.attenuation = 1;
      return {};
    }
    if (typed.starts_with("\u00f7")) typed.remove_prefix(2);
    const auto v = parse_value(typed, "1");
    if (!v) return tl::unexpected(v.error());
    if (!(*v >= 1 && *v <= 1000)) return fail(Fault::input, "An attenuator divides by 1 to 1000.");
    in.attenuation = *v;
    return {};
  }
  if (field == "coupling") {
    const std::string word(text);
    if (word != "DC" && word != "AC" && word != "dc" && word != "ac")
      return fail(Fault::input, "The coupling is DC or AC.");
    in.coupling = word[0] == 'A' || word[0] == 'a' ? bench::Coupling::ac : bench::Coupling::dc;
    return {};
  }
  if (field == "ohms") {
    const auto v = parse_value(text, "ohm");
    if (!v) return tl::unexpected(v.error());
    if (*v != 50 && *v != 1e6) return fail(Fault::input, "An input has 50 ohm or 1 Mohm.");
    in.ohms = *v;
    return {};
  }
  if (field == "filter") {
    if (text != "on" && text != "off") return fail(Fault::input, "The filter is on or off.");
    in.bandwidth_limit = text == "on";
    return {};
  }
  if (field == "zero") {
    if (text.empty() || text == "not set") {
      chain.zero.reset();
      return {};
    }
    double zero = 0;
    if (auto ok = number("V", -100, 100, zero); !ok) return ok;
    chain.zero = zero;
    return {};
  }
  if (field == "correction") return number("1", 0.5, 2, chain.correction);
  if (field == "deskew") return number("s", -1e-3, 1e-3, chain.deskew);
  if (field == "planted") {
    if (text != "out") return fail(Fault::usage, "A planted fault can only be taken out.");
    in.planted.reset();
    return {};
  }
  return fail(Fault::usage, "The hookup has no word \"{}\".", key);
}

BriefHint hookup_hint(const bench::Hookup& hookup, std::string_view key, const bench::Limits& limits,
                      const std::vector<std::string>& pins) {
  const auto dot = key.find('.');
  const auto field = dot == std::string_view::npos ? key : key.substr(dot + 1);
  const auto* chain = hookup.find(key.substr(0, dot));
  if (key == "digitiser") {
    const auto& other = limits.of(hookup.digitiser);
    BriefHint out{"Which inputs read it",
                  fmt::format("{} inputs of {} bits, {} at most", other.inputs, other.input.bits,
                              format_setting(other.highest_sample_rate, "Hz")),
                  "the accurate ones have more bits, the fast ones more samples"};
    for (const auto& c : kDigitisers) out.choices.push_back(c.said);
    return out;
  }
  if (field == "pin") return {"Where it is sensed", "", "a pin, or a branch for a sensor of current", pins};
  if (field == "against") {
    BriefHint out{"Against what", "", "ground, or another pin for a differential probe", {"ground"}};
    out.choices.insert(out.choices.end(), pins.begin(), pins.end());
    return out;
  }
  if (field == "sensor") {
    BriefHint out{"What it is sensed through", "", "one of the sensors; your own are in the list below"};
    if (chain) {
      const auto& s = chain->input.sensor;
      out.forms = bench::factor_text(s) + (s.bandwidth > 0 ? ", " + format_setting(s.bandwidth, "Hz") : "") +
                  (s.rating > 0 ? ", bears " + format_setting(s.rating, s.unit()) : "");
    }
    for (const auto& s : bench::stock_sensors()) out.choices.push_back(s.name);
    return out;
  }
  if (field == "factor")
    return {
        "Factor of the sensor", "",
        chain && chain->input.sensor.senses_current() ? "volts per ampere, such as 120 mV/A" : "x10 divides by ten"};
  if (field == "range") {
    BriefHint out{"Range of the input", "volts peak", "automatic, or one of the ranges", {"automatic"}};
    for (const double r : limits.of(hookup.digitiser).ranges) out.choices.push_back(format_setting(r, "V"));
    return out;
  }
  if (field == "attenuation")
    return {
        "Attenuator before the input", "", "none, or what it divides by", {"none", "\u00f72", "\u00f710", "\u00f7100"}};
  if (field == "coupling") return {"Coupling of the input", "", "AC keeps the steady part out", {"DC", "AC"}};
  if (field == "ohms")
    return {"Resistance of the input", "", "50 ohm for what is made to drive it", {"1 Mohm", "50 ohm"}};
  if (field == "filter")
    return {"The input's filter",
            "",
            format_setting(limits.of(hookup.digitiser).input.bandwidth, "Hz") + " with it, " +
                format_setting(limits.of(hookup.digitiser).input.full_bandwidth, "Hz") + " without",
            {"on", "off"}};
  if (field == "zero")
    return {"Volts at the input with nothing applied", "", "measured by the button Zero; or type it", {"not set"}};
  if (field == "correction")
    return {"Correction of the factor", "true over read", "0.5 to 2; from a check with a known signal"};
  if (field == "deskew") return {"How much later this channel is", "beyond the sensor's own delay", "-1 ms to 1 ms"};
  return {std::string(field)};
}

namespace {

void put(std::vector<BriefPiece>& into, BriefPiece like, std::string text, std::string key = {}) {
  like.text = std::move(text);
  like.key = std::move(key);
  into.push_back(std::move(like));
}

}  // namespace

void say_senses(std::vector<BriefPiece>& into, const bench::Hookup& hookup, const BriefPiece& like) {
  for (std::size_t k = 0; k < hookup.chains.size(); ++k) {
    const auto& chain = hookup.chains[k];
    const auto key = "hookup." + chain.name;
    put(into, like, (k == 0 ? "" : k + 1 == hookup.chains.size() && hookup.computed.empty() ? "and " : "") + chain.name + " at");
    put(into, like, chain.input.pin, key + ".pin");
    put(into, like, "by");
    put(into, like, chain.input.sensor.name, key + ".sensor");
    if (k + 1 < hookup.chains.size()) put(into, like, ",");
  }
  for (const auto& one : hookup.computed) put(into, like, fmt::format(", {} = {}", one.name, one.formula));
  put(into, like, ", read by");
  put(into, like, said_of(kDigitisers, hookup.digitiser), "hookup.digitiser");
  put(into, like, ".");
}

void say_ranges(std::vector<BriefPiece>& into, const bench::Hookup& hookup, const BriefPiece& like) {
  put(into, like, "input ranges:");
  for (std::size_t k = 0; k < hookup.chains.size(); ++k) {
    const auto& chain = hookup.chains[k];
    put(into, like, chain.name);
    put(into, like, chain.input.range ? format_setting(*chain.input.range, "V") : chain.input.sensor.reads_codes() ? "its converter's" : "automatic",
        "hookup." + chain.name + ".range");
    if (k + 1 < hookup.chains.size()) put(into, like, ",");
  }
  put(into, like, ".");
}

}  // namespace heron::study
