#include "study/wires.h"

#include <cmath>

#include "base/words.h"

namespace heron::study {

/// "i_pump", "-i_pump", "10*i_pump"
Result<Wire> wire_from(std::string_view key, std::string_view text) {
  auto rest = trimmed(text);
  Wire out;
  if (rest.starts_with('-')) {
    out.factor = -1;
    rest = trimmed(rest.substr(1));
  }
  if (const auto star = rest.find('*'); star != std::string::npos) {
    const auto factor = parse_value(rest.substr(0, star), "1");
    if (!factor || !(*factor > 0) || !std::isfinite(*factor)) return fail(Fault::usage, "{}: a factor above zero is wanted before the star, such as 10*i_a.", key);
    out.factor *= *factor;
    rest = trimmed(std::string_view(rest).substr(star + 1));
  }
  if (rest.empty()) return fail(Fault::usage, "{}: a quantity is wanted, such as i_a, -i_a or 10*i_a.", key);
  out.quantity = rest;
  return out;
}

std::string wire_text(const Wire& wire) {
  const double size = std::abs(wire.factor);
  return (wire.factor < 0 ? "-" : "") + (size == 1 ? std::string() : fmt::format("{:.12g}*", size)) + wire.quantity;
}

}  // namespace heron::study
