#include "study/response/brief.h"

#include <algorithm>
#include <cmath>

#include "study/hookup_words.h"
#include "study/response/words.h"

namespace heron::study::response {
namespace {

/// Where a quantity's chain is edited: "response_pin" is "hookup.NAME.pin" of whatever plays the response.
std::optional<std::string> chain_word(const Plan& p, std::string_view key) {
  for (const auto& [role, name] : {std::pair{std::string("stimulus_"), p.stimulus}, {std::string("response_"), p.response}})
    if (key.starts_with(role)) return name + "." + std::string(key.substr(role.size()));
  return std::nullopt;
}

/// "response_pin by response_sensor", or the name of what is computed.
std::string quantity(const Plan& p, const std::string& role, const std::string& key) {
  const auto* chain = p.hookup.find(role);
  if (!chain) return "{" + key + "}";
  return "{" + key + "_pin} " + (chain->input.against.empty() ? "" : "against {" + key + "_against} ") + "by {" + key +
         "_sensor}";
}

std::string range(const Plan& p, const std::string& role, const std::string& key) {
  return p.hookup.find(role) ? "{" + key + "_range}" : "of its own";
}

std::string chain_text(const Plan& p, std::string_view key) {
  const auto* chain = p.hookup.find(key.starts_with("stimulus") ? p.stimulus : p.response);
  if (!chain) return {};
  const auto& in = chain->input;
  if (key.ends_with("_pin")) return in.pin;
  if (key.ends_with("_against")) return in.against;
  if (key.ends_with("_sensor")) return in.sensor.name;
  return in.range ? format_setting(*in.range, "V") : "automatic";
}

}  // namespace

std::vector<BriefPiece> brief(const Plan& p) {
  std::vector<BriefPiece> out;
  bool rare = false;
  const auto head = [&](std::string text) { out.push_back({.text = std::move(text), .rare = rare, .heading = true}); };
  const auto say = [&](const std::string& sentence) { words().say(out, p, sentence, {.text = {}, .rare = rare}); };
  head("Drive");
  say(p.stepped() ? "{drive_pin} with a {method} of {level}" : "{drive_pin} with a {method} of {noise_level}");
  if (p.stepped() && p.level_shape == LevelShape::automatic)
    say("level, the response near {aim} peak with at most {level_most} ,");
  say(p.stepped() && p.spacing == Spacing::listed ? "at {spacing}"
      : p.stepped()                               ? "from {start} to {stop} at {points}"
                                                  : "from {start} to {stop} at {resolution}");
  say("through {source} .");
  head("Sense");
  say(quantity(p, p.response, "response") + " over " + quantity(p, p.stimulus, "stimulus") + " as {quantity} .");
  head("Settle");
  say(p.stepped() ? "{settle_time} and {settle_periods} , then read {periods} and average {averages} ."
                  : "{settle_time} , then average {noise_averages} .");
  rare = true;
  head("Also");
  if (p.stepped()) {
    if (p.spacing != Spacing::listed) say("step the frequency on a {spacing} scale;");
    say("wait until two readings agree: {agree} ; average until the gain is known to {u_asked} ; add points where the "
        "curve bends: {refine}");
    if (p.refine) say(", at most {refine_points}");
    say("; read again at half the level: {level_checks} ;");
  } else if (p.method != Method::multitone) {
    say("window {window} with overlap {overlap} ;");
  }
  say("offset {offset} ; take {repeat} ; input ranges: stimulus " + range(p, p.stimulus, "stimulus") + " , response " +
      range(p, p.response, "response") + " .");
  for (auto& piece : out)
    if (!piece.key.empty() && piece.text.empty()) piece.text = chain_text(p, piece.key);
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
  const auto timing = noise_timing(p, limits.highest_sample_rate > 0 ? limits.highest_sample_rate : kUsualRate);
  const int lines = int((p.stop - p.start) / timing.resolution) + 1;
  stepped.points_total = std::clamp(lines, 2, kMostPoints);
  const double by_steps = sweep_time(stepped, limits) * lines / stepped.points_total;
  return fmt::format("{} lines in about {} on a real bench; a stepped sine would need {} for as many.", lines,
                     format_duration(seconds), format_duration(by_steps));
}

Result<Plan> apply(const Plan& plan, std::string_view key, std::string_view text,
                   const std::vector<std::string>& pins) {
  Plan changed = plan;
  const auto chain = words().find(key)        ? std::nullopt
                     : key.starts_with("hookup.") ? std::optional(std::string(key.substr(7)))
                                                  : chain_word(plan, key);
  auto ok = chain ? set_hookup_word(changed.hookup, *chain, text, pins)
                  : words().set(changed, key, text, {.pins = pins});
  if (!ok) return tl::unexpected(ok.error());
  ok = check(changed);
  if (!ok) return tl::unexpected(ok.error());
  return changed;
}

BriefHint hint(const Plan& p, std::string_view key, const bench::Limits& limits, const std::vector<std::string>& pins) {
  if (words().find(key)) return words().hint(p, key, {.pins = pins, .limits = limits});
  if (key.starts_with("hookup.")) return hookup_hint(p.hookup, key.substr(7), limits, pins);
  if (key.ends_with("_range")) {
    BriefHint out{"Range of the input", "volts peak", "automatic, or one of the ranges", {"automatic"}};
    for (const double r : limits.ranges) out.choices.push_back(format_setting(r, "V"));
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
