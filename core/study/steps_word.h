#pragma once
#include <string>
#include <string_view>
#include <vector>

#include "study/word_table.h"

/// Values of a sweep as people write them, for every kind that steps something.
namespace heron::study {

/// "10 mA, 100 mA, 1 A", or "10 mA to 3 A in 20" with "log" behind it where they are even ratios. Both ways.
std::string steps_text(const std::vector<double>& values, std::string_view unit);
Result<std::vector<double>> steps_from(std::string_view text, std::string_view unit);

/// Values of a sweep, in a unit that the plan tells.
template <class P>
Word<P> steps_word(std::string key, std::string label, std::vector<double> P::*member, std::function<std::string(const P&)> unit, Span span, std::string example) {
  auto out = kept_word(key, member);
  out.key = key;
  out.label = std::move(label);
  out.text = [member, unit](const P& p) { return steps_text(p.*member, unit(p)); };
  out.set = [member, unit, span](P& p, std::string_view text, const Surroundings&) -> Result<void> {
    auto values = steps_from(text, unit(p));
    if (!values) return tl::unexpected(values.error());
    for (const double v : *values)
      if (!(v >= span.low && v <= span.high))
        return fail(Fault::input, "{} lies not from {} to {}.", format_setting(v, unit(p)), format_setting(span.low, unit(p)), format_setting(span.high, unit(p)));
    p.*member = std::move(*values);
    return {};
  };
  out.hint = [example](const P&, const Surroundings&) { return BriefHint{.forms = example}; };
  return out;
}

}  // namespace heron::study
