#pragma once
#include <string>
#include <string_view>
#include <vector>

#include "bench/bench.h"
#include "study/brief.h"
#include "study/word_table.h"

/// The hookup as words that can be typed: the same for every kind of study and for the Hookup page.
namespace heron::study {

/// Which inputs read, as a word of the hookup: "digitiser".
inline const Choices<bench::Digitiser> kDigitisers = {
    {bench::Digitiser::accurate, "accurate", "the accurate inputs", {"accurate inputs"}},
    {bench::Digitiser::fast, "fast", "the fast inputs", {"fast inputs"}}};

/// Changes one word: "response.range" to "5 V", "response.sensor" to a stock sensor's name or a sensor's JSON,
/// "add" to a quantity's name, "response.remove", "compute" to "i_load = (v1 - v2)/R7 [A]".
///
/// @param pins  of the device, branches included
Result<void> set_hookup_word(bench::Hookup& hookup, std::string_view key, std::string_view text,
                             const std::vector<std::string>& pins);

/// The hookup as a plan P keeps it; its words are set_hookup_word's.
template <class P>
Word<P> hookup_word(bench::Hookup P::*member) {
  return {.kept = "hookup",
          .keep = [member](const P& p) { return bench::to_json(p.*member); },
          .take = [member](P& p, const nlohmann::json& json) -> Result<void> {
            auto read = bench::hookup_from_json(json);
            if (!read) return tl::unexpected(read.error());
            p.*member = std::move(*read);
            return {};
          }};
}

/// "v_out at preamp out by Direct lead, read by the accurate inputs." with its words to be typed. Appended to what is there.
void say_senses(std::vector<BriefPiece>& into, const bench::Hookup& hookup, const BriefPiece& like);
/// "input ranges: v_out 5 V, i automatic."
void say_ranges(std::vector<BriefPiece>& into, const bench::Hookup& hookup, const BriefPiece& like);

/// What is shown beside a hookup's word while it is typed.
BriefHint hookup_hint(const bench::Hookup& hookup, std::string_view key, const bench::Limits& limits,
                      const std::vector<std::string>& pins);

/// A sensor of the user's own goes along whole, so that a dossier does not depend on her list: the word's text with the
/// sensor's name turned into what it is. Other words stay as they are.
std::string own_sensor(std::string_view key, std::string_view text, const std::vector<bench::Sensor>& own);
/// Her sensors beside the stock ones, where the word is a sensor.
BriefHint offer_own_sensors(BriefHint hint, std::string_view key, const std::vector<bench::Sensor>& own);

/// One word of a plan changed: of its hookup, behind "hookup.", or of the kind's table.
template <class P>
Result<void> set_word(P& plan, const WordTable<P>& table, bench::Hookup P::*hookup, std::string_view key, std::string_view text, const Surroundings& around) {
  constexpr std::string_view kHookup = "hookup.";
  if (!key.starts_with(kHookup)) return table.set(plan, key, text, around);
  return set_hookup_word(plan.*hookup, key.substr(kHookup.size()), own_sensor(key, text, around.own_sensors), around.pins);
}
/// The plan with one word of it changed, where it is sound then by the kind's own check().
/// @param follows  what goes with the word
template <class P>
Result<P> with_word(P plan, const WordTable<P>& table, bench::Hookup P::*hookup, std::string_view key, std::string_view text, const Surroundings& around, void (*follows)(P&) = nullptr) {
  if (auto ok = set_word(plan, table, hookup, key, text, around); !ok) return tl::unexpected(ok.error());
  if (follows) follows(plan);
  if (auto ok = check(plan); !ok) return tl::unexpected(ok.error());
  return plan;
}
/// What is shown beside it.
template <class P>
BriefHint word_hint(const P& plan, const WordTable<P>& table, bench::Hookup P::*hookup, std::string_view key, const Surroundings& around) {
  constexpr std::string_view kHookup = "hookup.";
  auto out = key.starts_with(kHookup) ? hookup_hint(plan.*hookup, key.substr(kHookup.size()), around.limits, around.pins) : table.hint(plan, key, around);
  return offer_own_sensors(std::move(out), key, around.own_sensors);
}

/// A pin of the device, or which there are.
Result<void> choose_pin(std::string& pin, std::string_view text, const std::vector<std::string>& pins);

/// A pin of the device itself: something stands at it that no branch would do for.
template <class P>
Word<P> terminal_word(std::string key, std::string label, std::string P::*member) {
  auto out = kept_word(key, member);
  out.key = key;
  out.label = std::move(label);
  out.text = [member](const P& p) { return (p.*member).empty() ? std::string("a pin") : p.*member; };
  out.set = [member](P& p, std::string_view text, const Surroundings& around) { return choose_pin(p.*member, trimmed(text), around.terminals); };
  out.hint = [](const P&, const Surroundings& around) { return BriefHint{.choices = around.terminals}; };
  return out;
}

/// A sample rate that the inputs of the hookup reach.
template <class P>
Word<P> input_rate_word(double P::*rate, bench::Hookup P::*hookup) {
  auto out = number_word("rate", "rate", "Sample rate", rate, "Hz", {1, 1e10});
  const auto plain = out.set;
  out.set = [plain, rate, hookup](P& p, std::string_view text, const Surroundings& around) -> Result<void> {
    if (auto ok = plain(p, text, around); !ok) return ok;
    const double most = around.limits.of((p.*hookup).digitiser).highest_sample_rate;
    if (most > 0 && p.*rate > most * (1 + 1e-9)) return fail(Fault::input, "The inputs sample at {} at most.", format_setting(most, "Hz"));
    return {};
  };
  return out;
}

}  // namespace heron::study
