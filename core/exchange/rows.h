#pragma once
#include <fmt/format.h>

#include <iterator>
#include <span>
#include <string>
#include <vector>

namespace heron::exchange {

/// "v_out (V)", or the name alone of what has no unit.
inline std::string column_title(const std::string& name, const std::string& unit) { return unit.empty() ? name : fmt::format("{} ({})", name, unit); }

/// Lines first to last of a table: what `label(row)` gives, then the columns, which begin at `first`; one that has ended leaves
/// its cells empty.
template <class Label>
void append_rows(std::string& text, std::size_t first, std::size_t last, Label label, const std::vector<std::vector<double>>& columns) {
  for (auto row = first; row < last; ++row) {
    fmt::format_to(std::back_inserter(text), "{}", label(row));
    for (const auto& column : columns) {
      text += ',';
      if (row - first < column.size()) fmt::format_to(std::back_inserter(text), "{}", column[row - first]);
    }
    text += '\n';
  }
}

}  // namespace heron::exchange
