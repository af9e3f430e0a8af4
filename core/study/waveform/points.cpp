#include "study/waveform/points.h"

#include <string>
#include <utility>

#include "base/quantity.h"
#include "base/words.h"

namespace heron::study::waveform {
namespace {

std::vector<std::string> split(std::string_view text, std::string_view at) {
  std::vector<std::string> out;
  while (true) {
    const auto end = text.find_first_of(at);
    if (auto part = trimmed(text.substr(0, end)); !part.empty()) out.push_back(std::move(part));
    if (end == std::string_view::npos) return out;
    text.remove_prefix(end + 1);
  }
}

/// "-.5", "1m", "2e-3"; a unit does not.
bool begins_number(std::string_view word) {
  const auto digits = word.find_first_not_of("+-.");
  return digits < 3 && word[digits] >= '0' && word[digits] <= '9';
}

/// "1 ms 0.5 V" as its two quantities.
std::vector<std::string> quantities_in(std::string_view point) {
  std::vector<std::string> out;
  for (auto& word : split(point, " \t,")) {
    if (out.empty() || begins_number(word))
      out.push_back(std::move(word));
    else
      out.back() += " " + word;
  }
  return out;
}

}  // namespace

Result<std::vector<std::pair<double, double>>> read_points(std::string_view text) {
  auto lines = split(text, ";\n\r");
  if (lines.size() == 1) lines = split(text, ",");
  std::vector<std::pair<double, double>> out;
  bool first = true;
  for (const auto& line : lines) {
    if (line.starts_with('#')) continue;
    const auto parts = quantities_in(line);
    if (std::exchange(first, false) && !begins_number(parts.front())) continue;
    // Lines that were pasted into one field follow each other without a mark between.
    if (parts.size() % 2 != 0)
      return fail(Fault::input, "Point {}: a time and a voltage are wanted, such as 1 ms 0.5 V, not \"{}\".", out.size() + 1,
                  line.substr(0, 60));
    for (std::size_t k = 0; k + 1 < parts.size(); k += 2) {
      const auto time = parse_value(parts[k], "s"), volts = parse_value(parts[k + 1], "V");
      if (!time || !volts)
        return fail(Fault::input, "Point {}: {}", out.size() + 1, (time ? volts : time).error().message);
      out.emplace_back(*time, *volts);
    }
    if (out.size() > kMostPoints) return fail(Fault::input, "There are more than {} points.", kMostPoints);
  }
  if (out.size() < 2)
    return fail(Fault::input, "Two points are the fewest: a time and a voltage for each, such as 0 0, 1m 0.5, 2m 0.");
  return out;
}

}  // namespace heron::study::waveform
