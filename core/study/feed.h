#pragma once
#include <stop_token>
#include <string>

#include "bench/bench.h"
#include "study/hookup_words.h"

/// What a DC source feeds the device with before anything else drives: words and run of it, for every kind that has it.
namespace heron::study {

/// Fed until it rests; nothing where the pin is empty.
inline Result<void> feed(bench::Bench& bench, const std::string& pin, double voltage, double limit, double seconds, std::stop_token stop) {
  if (pin.empty()) return {};
  if (auto ok = bench.supply({.pin = pin, .voltage = voltage, .current_limit = limit}); !ok) return ok;
  return bench.wait(seconds, stop);
}

/// The words of a feed: pin (or "nothing"), voltage, limit, time.
template <class P>
std::vector<Word<P>> feed_words(std::string P::*pin, double P::*voltage, double P::*limit, double P::*time) {
  auto out = kept_word("feed_pin", pin);
  out.key = "feed";
  out.label = "Pin that the DC source feeds beforehand";
  out.text = [pin](const P& p) { return (p.*pin).empty() ? std::string("nothing") : p.*pin; };
  out.set = [pin](P& p, std::string_view text, const Surroundings& around) -> Result<void> {
    const auto name = trimmed(text);
    if (name == "nothing" || name == "none") {
      (p.*pin).clear();
      return {};
    }
    return choose_pin(p.*pin, name, around.terminals);
  };
  out.hint = [](const P&, const Surroundings& around) {
    BriefHint hint{.choices = around.terminals};
    hint.choices.insert(hint.choices.begin(), "nothing");
    return hint;
  };
  return {std::move(out), number_word("feed_voltage", "feed_voltage", "Voltage of the feed", voltage, "V", {0, 80}),
          number_word("feed_limit", "feed_limit", "Current limit of the feed", limit, "A", {1e-3, 30}),
          number_word("feed_time", "feed_time", "How long it is fed before", time, "s", {0, 3600})};
}

}  // namespace heron::study
