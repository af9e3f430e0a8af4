#include "study/steps_word.h"

#include <algorithm>
#include <cmath>

#include "base/words.h"

namespace heron::study {
namespace {

constexpr int kMostSteps = 1000;

}  // namespace

std::string steps_text(const std::vector<double>& values, std::string_view unit) {
  const auto n = values.size();
  if (n >= 4) {
    const double step = (values.back() - values.front()) / double(n - 1), ratio = values.front() > 0 && values.back() > 0 ? std::log(values.back() / values.front()) / double(n - 1) : NAN;
    bool linear = true, log = std::isfinite(ratio);
    for (std::size_t k = 0; k < n; ++k) {
      linear = linear && std::abs(values[k] - values.front() - step * double(k)) <= 1e-6 * std::abs(step);
      log = log && std::abs(std::log(values[k] / values.front()) - ratio * double(k)) <= 1e-6 * std::abs(ratio);
    }
    if (linear || log) return fmt::format("{} to {} in {}{}", format_setting(values.front(), unit), format_setting(values.back(), unit), n, linear ? "" : " log");
  }
  std::string out;
  for (const double v : values) out += (out.empty() ? "" : ", ") + format_setting(v, unit);
  return out;
}

Result<std::vector<double>> steps_from(std::string_view text, std::string_view unit) {
  auto typed = trimmed(text);
  const auto to = typed.find(" to ");
  if (to == std::string::npos) {
    std::vector<double> out;
    for (const auto& piece : pieces(typed)) {
      const auto value = parse_value(piece, unit);
      if (!value) return tl::unexpected(value.error());
      out.push_back(*value);
    }
    if (out.empty()) return fail(Fault::input, "Values are wanted, such as 10 {0}, 20 {0}, or 10 {0} to 20 {0} in 5.", unit);
    if (out.size() > kMostSteps) return fail(Fault::input, "{} values are more than {}.", out.size(), kMostSteps);
    return out;
  }
  bool log = false;
  if (lower(typed).ends_with("log")) {
    log = true;
    typed = trimmed(std::string_view(typed).substr(0, typed.size() - 3));
    if (typed.ends_with(',')) typed = trimmed(std::string_view(typed).substr(0, typed.size() - 1));
  }
  const auto in = typed.rfind(" in ");
  const auto stop_text = in == std::string::npos ? typed.substr(to + 4) : typed.substr(to + 4, in - to - 4);
  const auto start = parse_value(typed.substr(0, to), unit), stop = parse_value(stop_text, unit);
  if (!start) return tl::unexpected(start.error());
  if (!stop) return tl::unexpected(stop.error());
  const auto count = in == std::string::npos ? Result<double>(5.0) : parse_value(typed.substr(in + 4), "1");
  if (!count || *count != std::round(*count) || !(*count >= 2 && *count <= kMostSteps)) return fail(Fault::input, "How many? From 2 to {}, such as 10 mA to 3 A in 20 log.", kMostSteps);
  if (log && !(*start > 0 && *stop > 0)) return fail(Fault::input, "Even ratios want both ends above zero.");
  std::vector<double> out;
  for (int k = 0; k < int(*count); ++k) {
    const double share = k / (*count - 1);
    out.push_back(log ? *start * std::pow(*stop / *start, share) : *start + share * (*stop - *start));
  }
  out.back() = *stop;
  return out;
}

}  // namespace heron::study
