#pragma once
#include <algorithm>
#include <cmath>
#include <functional>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/quantity.h"
#include "base/result.h"
#include "base/words.h"
#include "study/brief.h"
#include "study/surroundings.h"

/// Every setting of a plan, written once: where it lives in the plan, how it is kept, how it reads in a sentence, what may
/// be typed for it and what is said beside it. JSON both ways, edits, hints and sentences follow from the table.
namespace heron::study {

/// One setting of a plan P. What a setting cannot do is left empty: one that is only kept has no text, one that only reads
/// is not kept by itself.
template <class P>
struct Word {
  std::string key = {};    ///< in the brief and in edits
  std::string kept = {};   ///< in a stored plan; empty: not kept by itself
  std::string label = {};  ///< "Level of the stimulus"
  std::function<nlohmann::json(const P&)> keep = {};  ///< discarded: left out
  /// Fault::input for what it does not understand, with the words that would do.
  std::function<Result<void>(P&, const nlohmann::json&)> take = {};
  std::function<std::string(const P&)> text = {};
  std::function<Result<void>(P&, std::string_view text, const Surroundings&)> set = {};
  std::function<BriefHint(const P&, const Surroundings&)> hint = {};  ///< its label may stay empty
};

/// One word of a set: as it is kept, and as people say it.
template <class Enum>
struct Choice {
  Enum value;
  std::string kept, said;
  std::vector<std::string> also = {};  ///< what is understood besides
};
template <class Enum>
using Choices = std::vector<Choice<Enum>>;

/// "up, down or there and back"
inline std::string listed(const std::vector<std::string>& all, std::string_view last = "or") {
  std::string out;
  for (std::size_t k = 0; k < all.size(); ++k)
    out += (k == 0 ? "" : k + 1 == all.size() ? fmt::format(" {} ", last) : ", ") + all[k];
  return out;
}

template <class Enum>
std::string said_of(const Choices<Enum>& choices, Enum value) {
  for (const auto& c : choices)
    if (c.value == value) return c.said;
  return {};
}
template <class Enum>
std::string kept_of(const Choices<Enum>& choices, Enum value) {
  for (const auto& c : choices)
    if (c.value == value) return c.kept;
  return {};
}

/// The one that is meant, in whatever letters; Fault::input with what there is.
template <class Enum>
Result<Enum> chosen_of(const Choices<Enum>& choices, std::string_view text) {
  const auto typed = lower(trimmed(text));
  std::vector<std::string> said;
  for (const auto& c : choices) {
    if (typed == lower(c.said) || typed == lower(c.kept) || std::find(c.also.begin(), c.also.end(), typed) != c.also.end())
      return c.value;
    said.push_back(c.said);
  }
  return fail(Fault::input, "\"{}\" is not understood; it is {}.", text, listed(said));
}

/// A number's place among all that is allowed.
struct Span {
  double low = -INFINITY, high = INFINITY;
};

/// A value read from a stored plan; Fault::input names the setting where it is of another type.
template <class T>
Result<T> kept_as(const nlohmann::json& json, const std::string& name) {
  try {
    return json.get<T>();
  } catch (const nlohmann::json::exception&) {
    return fail(Fault::input, "{}: {} cannot be read.", name, json.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace));
  }
}

/// Kept as it stands; read and written elsewhere, or not at all.
template <class P, class T>
Word<P> kept_word(std::string kept, T P::*member) {
  return {.kept = kept,
          .keep = [member](const P& p) { return nlohmann::json(p.*member); },
          .take = [member, kept](P& p, const nlohmann::json& json) -> Result<void> {
            auto value = kept_as<T>(json, kept);
            if (!value) return tl::unexpected(value.error());
            p.*member = std::move(*value);
            return {};
          }};
}

/// Another way to say a number than in its unit: nothing where the text is no such.
template <class P>
using OtherWay = std::function<Result<std::optional<double>>(const P&, std::string_view text)>;

/// A number with a unit.
/// @param nouns  that may stand behind it and say only what it is: "periods"
template <class P>
Word<P> number_word(std::string key, std::string kept, std::string label, double P::*member, std::string unit, Span span,
                    std::vector<std::string> nouns = {}, OtherWay<P> other_way = {}) {
  auto out = kept_word(kept, member);
  out.key = key;
  out.label = std::move(label);
  out.text = [member, unit, nouns](const P& p) {
    return nouns.empty() ? format_setting(p.*member, unit)
                         : fmt::format("{:.4g} {}{}", p.*member, nouns.front(), p.*member == 1 ? "" : "s");
  };
  const auto between = [span, unit] {
    return std::isfinite(span.high) ? "from " + format_setting(span.low, unit) + " to " + format_setting(span.high, unit)
           : std::isfinite(span.low) ? "from " + format_setting(span.low, unit) + " on"
                                     : std::string();
  };
  out.set = [member, unit, nouns, span, between, other_way](P& p, std::string_view text, const Surroundings&) -> Result<void> {
    auto plain = trimmed(text);
    const Result<std::optional<double>> said = other_way ? other_way(p, plain) : Result<std::optional<double>>(std::nullopt);
    if (!said) return tl::unexpected(said.error());
    for (const auto& noun : nouns) {
      if (plain.ends_with(noun + "s")) plain = trimmed(std::string_view(plain).substr(0, plain.size() - noun.size() - 1));
      if (plain.ends_with(noun)) plain = trimmed(std::string_view(plain).substr(0, plain.size() - noun.size()));
    }
    const auto value = *said ? Result<double>(**said) : parse_value(plain, unit);
    if (!value) return tl::unexpected(value.error());
    if (!(*value >= span.low && *value <= span.high)) return fail(Fault::input, "{} lies not {}.", text, between());
    p.*member = *value;
    return {};
  };
  out.hint = [between](const P&, const Surroundings&) { return BriefHint{.allowed = between()}; };
  return out;
}

/// A whole number.
template <class P>
Word<P> count_word(std::string key, std::string kept, std::string label, int P::*member, int low, int high,
                   std::string noun = {}) {
  auto out = kept_word(kept, member);
  out.key = key;
  out.label = std::move(label);
  out.text = [member, noun](const P& p) {
    return noun.empty() ? fmt::format("{}", p.*member) : fmt::format("{} {}{}", p.*member, noun, p.*member == 1 ? "" : "s");
  };
  out.set = [member, low, high, noun](P& p, std::string_view text, const Surroundings&) -> Result<void> {
    auto plain = trimmed(text);
    for (const auto& end : {noun + "s", noun})
      if (!end.empty() && plain.ends_with(end)) plain = trimmed(std::string_view(plain).substr(0, plain.size() - end.size()));
    const auto value = parse_value(plain, "1");
    if (!value) return tl::unexpected(value.error());
    if (*value != std::round(*value)) return fail(Fault::input, "A whole number is wanted, not {}.", text);
    if (!(*value >= low && *value <= high)) return fail(Fault::input, "From {} to {} is possible, not {}.", low, high, text);
    p.*member = int(*value);
    return {};
  };
  out.hint = [low, high](const P&, const Surroundings&) { return BriefHint{.allowed = fmt::format("from {} to {}", low, high)}; };
  return out;
}

/// One of a few words. A stored word that is not among them is an error that names them all.
template <class P, class Enum>
Word<P> choice_word(std::string key, std::string kept, std::string label, Enum P::*member, Choices<Enum> choices) {
  std::vector<std::string> said, stored;
  for (const auto& c : choices) {
    said.push_back(c.said);
    stored.push_back(c.kept);
  }
  return {.key = key,
          .kept = kept,
          .label = std::move(label),
          .keep = [member, choices](const P& p) { return nlohmann::json(kept_of(choices, p.*member)); },
          .take = [member, choices, kept, stored](P& p, const nlohmann::json& json) -> Result<void> {
            const auto word = kept_as<std::string>(json, kept);
            if (!word) return tl::unexpected(word.error());
            for (const auto& c : choices)
              if (c.kept == *word) {
                p.*member = c.value;
                return {};
              }
            return fail(Fault::input, "{}: \"{}\" is not known; there are {}.", kept, *word, listed(stored, "and"));
          },
          .text = [member, choices](const P& p) { return said_of(choices, p.*member); },
          .set = [member, choices](P& p, std::string_view text, const Surroundings&) -> Result<void> {
            const auto chosen = chosen_of(choices, text);
            if (!chosen) return tl::unexpected(chosen.error());
            p.*member = *chosen;
            return {};
          },
          .hint = [said](const P&, const Surroundings&) { return BriefHint{.choices = said}; }};
}

/// On or off.
template <class P>
Word<P> switch_word(std::string key, std::string kept, std::string label, bool P::*member) {
  auto out = kept_word(kept, member);
  out.key = key;
  out.label = std::move(label);
  out.text = [member](const P& p) { return p.*member ? "on" : "off"; };
  out.set = [member](P& p, std::string_view text, const Surroundings&) -> Result<void> {
    const auto typed = lower(trimmed(text));
    const bool on = typed == "on" || typed == "yes";
    if (!on && typed != "off" && typed != "no" && typed != "none") return fail(Fault::input, "It is on or off, not {}.", text);
    p.*member = on;
    return {};
  };
  out.hint = [](const P&, const Surroundings&) { return BriefHint{.choices = {"on", "off"}}; };
  return out;
}

/// A pin of the device.
template <class P>
Word<P> pin_word(std::string key, std::string kept, std::string label, std::string P::*member) {
  auto out = kept_word(kept, member);
  out.key = key;
  out.label = std::move(label);
  out.text = [member](const P& p) { return p.*member; };
  out.set = [member](P& p, std::string_view text, const Surroundings& around) -> Result<void> {
    const auto& pins = around.pins;
    const auto name = trimmed(text);
    if (std::find(pins.begin(), pins.end(), name) == pins.end())
      return fail(Fault::input, "The device has no pin \"{}\"; there are {}.", name, listed(pins, "and"));
    p.*member = name;
    return {};
  };
  out.hint = [](const P&, const Surroundings& around) { return BriefHint{.choices = around.pins}; };
  return out;
}

/// Words and more words.
template <class P>
std::vector<Word<P>> joined(std::vector<Word<P>> some, std::vector<Word<P>> more) {
  some.insert(some.end(), std::make_move_iterator(more.begin()), std::make_move_iterator(more.end()));
  return some;
}

/// All settings of a kind's plan.
template <class P>
class WordTable {
 public:
  explicit WordTable(std::vector<Word<P>> words) : words_(std::move(words)) {}

  const std::vector<Word<P>>& words() const { return words_; }

  const Word<P>* find(std::string_view key) const {
    const auto it = std::find_if(words_.begin(), words_.end(), [&](const Word<P>& w) { return w.set && w.key == key; });
    return it == words_.end() ? nullptr : &*it;
  }

  nlohmann::json to_json(const P& plan) const {
    auto out = nlohmann::json::object();
    for (const auto& w : words_) {
      auto value = w.kept.empty() ? nlohmann::json(nlohmann::json::value_t::discarded) : w.keep(plan);
      if (!value.is_discarded()) out[w.kept] = std::move(value);
    }
    return out;
  }

  /// Over a plan that holds the defaults: what is not kept stays as it is.
  Result<void> from_json(const nlohmann::json& json, P& plan) const {
    if (!json.is_object()) return fail(Fault::input, "The study's set-up cannot be read: it is no object.");
    for (const auto& w : words_) {
      const auto it = w.kept.empty() ? json.end() : json.find(w.kept);
      if (it == json.end()) continue;
      if (auto ok = w.take(plan, *it); !ok)
        return fail(ok.error().fault, "The study's set-up cannot be read: {}", ok.error().message);
    }
    return {};
  }

  std::string text(const P& plan, std::string_view key) const {
    const auto* w = find(key);
    return w ? w->text(plan) : std::string();
  }

  Result<void> set(P& plan, std::string_view key, std::string_view typed, const Surroundings& around) const {
    const auto* w = find(key);
    if (!w) return fail(Fault::usage, "The brief has no word \"{}\".", key);
    return w->set(plan, typed, around);
  }

  BriefHint hint(const P& plan, std::string_view key, const Surroundings& around) const {
    const auto* w = find(key);
    auto out = w && w->hint ? w->hint(plan, around) : BriefHint{};
    if (w && out.label.empty()) out.label = w->label;
    return out;
  }

  /// A sentence with words in braces: "Drive {drive_pin} with {level}." Appended to what is there.
  void say(std::vector<BriefPiece>& into, const P& plan, std::string_view sentence, BriefPiece like = {}) const {
    while (!sentence.empty()) {
      const auto open = sentence.find('{');
      auto plain = like;
      plain.text = trimmed(sentence.substr(0, open));
      if (!plain.text.empty()) into.push_back(std::move(plain));
      if (open == std::string_view::npos) return;
      const auto close = sentence.find('}', open);
      auto word = like;
      word.heading = false;
      word.key = std::string(sentence.substr(open + 1, close - open - 1));
      word.text = text(plan, word.key);
      into.push_back(std::move(word));
      sentence.remove_prefix(std::min(sentence.size(), close + 1));
    }
  }

 private:
  std::vector<Word<P>> words_;
};

}  // namespace heron::study
