#include "study/response/settings.h"

#include <cmath>

#include "base/quantity.h"
#include "base/words.h"
#include "signal/spectra.h"

namespace heron::study::response {

Result<void> set(Settings& s, std::string_view key, std::string_view text) {
  const auto number = [&](std::string_view unit, bool positive) -> Result<double> {
    const auto value = parse_value(text, unit);
    if (!value) return fail(Fault::usage, "{}: {}", key, value.error().message);
    if (positive && !(*value > 0)) return fail(Fault::usage, "{}: must be above zero.", key);
    return *value;
  };
  const auto put = [&](auto& into, std::string_view unit) -> Result<void> {
    const auto value = number(unit, true);
    if (!value) return tl::unexpected(value.error());
    into = *value;
    return {};
  };
  if (key == "drop") return put(s.drop_db, "dB");
  if (key == "load_resistance") return put(s.load_resistance, "ohm");
  if (key == "normalise") {
    if (text == "none") {
      s.normalise.reset();
      return {};
    }
    return put(s.normalise, "Hz");
  }
  if (key == "quantity") {
    if (text != "gain" && text != "impedance")
      return fail(Fault::usage, "quantity: gain or impedance is wanted, not \"{}\".", text);
    s.quantity = text == "gain" ? Quantity::gain : Quantity::impedance;
    return {};
  }
  if (key == "method") {
    if (text != "noise" && text != "stepped")
      return fail(Fault::usage, "method: noise or stepped is wanted, not \"{}\".", text);
    s.noise = text == "noise";
    return {};
  }
  if (key == "fit") {
    if (text != "resonator" && text != "none")
      return fail(Fault::usage, "fit: resonator or none is wanted, not \"{}\".", text);
    s.fit = text == "resonator";
    return {};
  }
  if (key == "expected") {
    if (text.empty()) return fail(Fault::usage, "expected: circuit, none, or a formula.");
    s.expectation = text == "circuit" ? Expectation::circuit : text == "none" ? Expectation::none : Expectation::formula;
    s.expected_formula = s.expectation == Expectation::formula ? text : "";
    return {};
  }
  if (key == "estimator") {
    if (text != "H1" && text != "H2") return fail(Fault::usage, "estimator: H1 or H2 is wanted, not \"{}\".", text);
    s.estimator = text;
    return {};
  }
  if (key == "window") {
    if (const auto w = signal::window_from_text(text); !w) return tl::unexpected(w.error());
    s.window = text;
    return {};
  }
  if (key == "segment") {
    const auto n = number("1", true);
    if (!n) return tl::unexpected(n.error());
    if (*n > 67108864 || *n != std::round(*n))
      return fail(Fault::usage, "segment: a whole number of samples is wanted, not {}.", text);
    if (auto ok = signal::check({.segment = std::size_t(*n)}); !ok) return ok;
    s.segment = std::size_t(*n);
    return {};
  }
  if (key == "overlap" || key == "coherence_limit") {
    const auto share = number("1", false);
    if (!share) return tl::unexpected(share.error());
    if (!(*share >= 0 && *share < 1)) return fail(Fault::usage, "{}: a share from 0 to below 1 is wanted.", key);
    if (key == "overlap") {
      if (auto ok = signal::check({.overlap = *share}); !ok) return ok;
      s.overlap = *share;
    } else {
      s.coherence_limit = *share;
    }
    return {};
  }
  if (key == "open" || key == "short" || key == "load") {
    if (text == "none") {
      s.standards.erase(std::string(key));
      return {};
    }
    const auto n = number("1", true);
    if (!n || *n != std::round(*n) || *n > 1e6) return fail(Fault::usage, "{}: the number of a take, or none.", key);
    s.standards[std::string(key)] = int(*n);
    return {};
  }
  if (key == "from") return put(s.from, "Hz");
  if (key == "to") return put(s.to, "Hz");
  if (key == "u_limit") {
    // One limit, or one of each kind.
    for (const auto& one : pieces(text)) {
      const auto value = parse_quantity(one, "");
      const bool db = value && value->unit == "dB", deg = value && value->unit == "deg";
      const auto limit = parse_value(one, db ? "dB" : deg ? "deg" : "%");
      if (!limit) return fail(Fault::usage, "u_limit: {}", limit.error().message);
      if (!(*limit > 0)) return fail(Fault::usage, "u_limit: must be above zero.");
      (db ? s.u_limit_db : deg ? s.u_limit_deg : s.u_limit_relative) = db || deg ? *limit : *limit / 100;
    }
    return {};
  }
  if (key == "reference") {
    if (text == "auto" || text == "first" || text == "last" || text == "max") {
      s.reference = text;
      s.reference_frequency.reset();
      return {};
    }
    const auto value = number("Hz", true);
    if (!value)
      return fail(Fault::usage, "reference: auto, first, last, max or a frequency is wanted, not \"{}\".", text);
    s.reference = text;
    s.reference_frequency = *value;
    return {};
  }
  return fail(Fault::usage,
              "A response has no setting \"{}\"; there are drop, reference, from, to, u_limit, quantity, "
              "normalise, method, segment, overlap, window, estimator, coherence_limit, open, short, load, "
              "load_resistance, fit, expected.",
              key);
}

std::map<std::string, std::string> as_text(const Settings& s) {
  std::map<std::string, std::string> out = {
      {"drop", fmt::format("{:.6g} dB", s.drop_db)},
      {"reference", s.reference},
      {"u_limit", fmt::format("{:.12g} %, {:.12g} dB, {:.12g} deg", 100 * s.u_limit_relative, s.u_limit_db, s.u_limit_deg)}};
  if (s.from) out["from"] = fmt::format("{} Hz", *s.from);
  if (s.quantity) out["quantity"] = *s.quantity == Quantity::gain ? "gain" : "impedance";
  if (s.noise) {
    out["method"] = "noise";
    out["estimator"] = s.estimator;
    out["coherence_limit"] = fmt::format("{}", s.coherence_limit);
  }
  if (s.expectation == Expectation::none) out["expected"] = "none";
  if (s.expectation == Expectation::formula) out["expected"] = s.expected_formula;
  if (s.fit) out["fit"] = "resonator";
  if (s.segment) out["segment"] = std::to_string(*s.segment);
  if (s.overlap) out["overlap"] = fmt::format("{}", *s.overlap);
  if (s.window) out["window"] = *s.window;
  if (s.normalise) out["normalise"] = fmt::format("{} Hz", *s.normalise);
  for (const auto& [what, take] : s.standards) out[what] = std::to_string(take);
  if (s.load_resistance != Settings{}.load_resistance)
    out["load_resistance"] = fmt::format("{} ohm", s.load_resistance);
  if (s.to) out["to"] = fmt::format("{} Hz", *s.to);
  return out;
}

}  // namespace heron::study::response
