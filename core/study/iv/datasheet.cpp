#include "study/iv/datasheet.h"

#include <algorithm>

#include "base/quantity.h"
#include "base/words.h"
#include "study/iv/figures.h"

namespace heron::study::iv {
namespace {

constexpr const char* kKeys[] = {"current", "voltage", "gain.current"};
constexpr const char* kLabels[] = {"Current", "Voltage", "Current gain"};

std::optional<std::string> if_any(const std::string& text) {
  return trimmed(text).empty() ? std::nullopt : std::optional(trimmed(text));
}

}  // namespace

Result<judge::Claim> claim_of(const DatasheetPoint& p) {
  const std::string at = trimmed(p.at), step = trimmed(p.step);
  if (at.empty())
    return fail(Fault::input, "Where is it read? A {} is wanted.", p.of == PointOf::voltage ? "current" : "voltage");
  if (p.of == PointOf::gain && step.empty())
    return fail(Fault::input, "A current gain needs the current that goes in.");
  const std::string key = fmt::format("{}@{}{}{}", kKeys[int(p.of)], at, step.empty() ? "" : ",", step);
  if (auto ok = check_figure_key(key); !ok) return tl::unexpected(ok.error());
  std::optional<double> last;
  for (const auto* text : {&p.least, &p.typical, &p.most}) {
    if (trimmed(*text).empty()) continue;
    const auto value = parse_value(*text, p.unit());
    if (!value) return tl::unexpected(value.error());
    if (last && *value < *last)
      return fail(Fault::input, "{} is below what stands before it: least, typical and most go upwards.",
                  trimmed(*text));
    last = *value;
  }
  if (trimmed(p.least).empty() && trimmed(p.most).empty())
    return fail(Fault::input, "A least or a most value is wanted; a typical one alone judges nothing.");
  judge::Claim out{.figure = key,
                   .lower = if_any(p.least),
                   .upper = if_any(p.most),
                   .expected = {},
                   .tolerance = {},
                   .typical = if_any(p.typical)};
  const std::string where = fmt::format("{} at {}{}{}", kLabels[int(p.of)], at, step.empty() ? "" : ", ", step);
  out.text = out.lower && out.upper ? fmt::format("{} {} to {}", where, *out.lower, *out.upper)
             : out.lower            ? fmt::format("{} \u2265 {}", where, *out.lower)
                                    : fmt::format("{} \u2264 {}", where, *out.upper);
  return out;
}

std::optional<DatasheetPoint> point_of(const judge::Claim& claim) {
  const auto at = claim.figure.find('@');
  if (at == std::string::npos || claim.expected) return std::nullopt;
  const auto name = claim.figure.substr(0, at);
  const auto which = std::find(std::begin(kKeys), std::end(kKeys), name);
  if (which == std::end(kKeys)) return std::nullopt;
  const auto numbers = pieces(claim.figure.substr(at + 1));
  if (numbers.empty() || numbers.size() > 2) return std::nullopt;
  return DatasheetPoint{.of = PointOf(which - std::begin(kKeys)),
                        .at = numbers[0],
                        .step = numbers.size() > 1 ? numbers[1] : "",
                        .least = claim.lower.value_or(""),
                        .typical = claim.typical.value_or(""),
                        .most = claim.upper.value_or("")};
}

Result<std::vector<DatasheetPoint>> points_from_text(PointOf of, std::string_view text) {
  std::vector<DatasheetPoint> out;
  int line = 0;
  std::string rest(text);
  rest += '\n';
  for (std::size_t from = 0; from < rest.size();) {
    const auto end = rest.find('\n', from);
    auto row = rest.substr(from, end - from);
    from = end + 1;
    ++line;
    if (trimmed(row).empty()) continue;
    const char between = row.find('\t') != std::string::npos ? '\t' : row.find(';') != std::string::npos ? ';' : '|';
    std::vector<std::string> cells;
    for (std::size_t k = 0;;) {
      const auto next = row.find(between, k);
      cells.push_back(trimmed(std::string_view(row).substr(k, next == std::string::npos ? next : next - k)));
      if (next == std::string::npos) break;
      k = next + 1;
    }
    if (cells.size() == 4) cells.insert(cells.begin() + 1, "");
    if (cells.size() != 5)
      return fail(Fault::input, "Row {}: at, step, least, typical and most are wanted, {} cells are there.", line,
                  cells.size());
    DatasheetPoint point{of, cells[0], cells[1], cells[2], cells[3], cells[4]};
    if (const auto claim = claim_of(point); !claim)
      return fail(Fault::input, "Row {}: {}", line, claim.error().message);
    out.push_back(std::move(point));
  }
  if (out.empty()) return fail(Fault::input, "There is no row in what was copied.");
  return out;
}

}  // namespace heron::study::iv
