#include "exchange/csv_reader.h"

#include <fast_float/fast_float.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <optional>

#include "base/quantity.h"
#include "base/utf8.h"
#include "base/words.h"

namespace heron::exchange {
namespace {

constexpr char kBlanks = ' ';

bool blank(char c) { return c == ' ' || c == '\t' || c == '\v' || c == '\f'; }

std::string_view stripped(std::string_view text) {
  while (!text.empty() && blank(text.front())) text.remove_prefix(1);
  while (!text.empty() && (blank(text.back()) || text.back() == '\r')) text.remove_suffix(1);
  return text;
}

/// Lines that are notes wherever they stand.
bool is_note(std::string_view line) { return line.front() == '#' || line.front() == '%'; }

/// RFC 4180 rows with the given separator; blanks: runs of spaces and tabs. `stop_after` rows at most (0: all).
/// @param keep  holds the texts of cells that quotation marks had to be taken out of
Result<std::vector<Table::Row>> split(std::string_view text, char separator, const std::string& file,
                                      std::size_t stop_after, std::string* notes, const Table& keep) {
  std::vector<Table::Row> rows;
  int line = 1;
  std::size_t i = 0;
  while (i < text.size() && (stop_after == 0 || rows.size() < stop_after)) {
    const auto line_end = std::min(text.find_first_of("\r\n", i), text.size());
    const auto skip_newline = [&] {
      if (i < text.size() && text[i] == '\r') ++i;
      if (i < text.size() && text[i] == '\n') ++i;
      ++line;
    };
    const auto whole = stripped(text.substr(i, line_end - i));
    if (whole.empty() || is_note(whole)) {
      if (notes && !whole.empty()) *notes += trimmed(whole.substr(1)) + "\n";
      i = line_end;
      skip_newline();
      continue;
    }
    Table::Row row{.line = line, .cells = {}};
    const int first_line = line;
    if (!rows.empty()) row.cells.reserve(rows.back().cells.size());
    if (separator == kBlanks) {
      for (std::size_t at = 0; at < whole.size();) {
        std::size_t end = at;
        while (end < whole.size() && !blank(whole[end])) ++end;
        row.cells.push_back(whole.substr(at, end - at));
        while (end < whole.size() && blank(whole[end])) ++end;
        at = end;
      }
      i = line_end;
    } else {
      for (bool more = true; more;) {
        std::size_t start = i;
        while (start < line_end && blank(text[start]) && text[start] != separator) ++start;
        if (start < text.size() && text[start] == '"') {
          std::string cell;
          bool closed = false;
          for (i = start + 1; i < text.size(); ++i) {
            if (text[i] == '"' && i + 1 < text.size() && text[i + 1] == '"') {
              cell += text[++i];
            } else if (text[i] == '"') {
              closed = true;
              ++i;
              break;
            } else {
              if (text[i] == '\n' || (text[i] == '\r' && (i + 1 >= text.size() || text[i + 1] != '\n'))) ++line;
              cell += text[i];
            }
          }
          if (!closed)
            return fail(Fault::input, "{}:{}: a quotation mark is opened and never closed.", file, first_line);
          while (i < text.size() && text[i] != separator && text[i] != '\r' && text[i] != '\n') cell += text[i++];
          row.cells.push_back(keep.keep(std::move(cell)));
        } else {
          auto end = i;
          while (end < text.size() && text[end] != separator && text[end] != '\r' && text[end] != '\n') ++end;
          row.cells.push_back(stripped(text.substr(i, end - i)));
          i = end;
        }
        more = i < text.size() && text[i] == separator;
        if (more) ++i;
      }
    }
    skip_newline();
    rows.push_back(std::move(row));
  }
  return rows;
}

/// How well a separator explains the rows: numbers found, less what stays text beside them.
double score(const std::vector<Table::Row>& rows, bool decimal_comma) {
  double sum = 0, value = 0;
  for (const auto& row : rows) {
    int numbers = 0, texts = 0;
    for (const auto& cell : row.cells)
      if (!cell.empty()) (read_number(cell, decimal_comma, value) ? numbers : texts) += 1;
    // A short text cell beside numbers is a label; a row without numbers says nothing.
    if (numbers > 0) sum += numbers - 1.5 * texts;
  }
  return sum;
}

bool is_numeric(std::string_view cell, bool decimal_comma) {
  double value = 0;
  return read_number(cell, decimal_comma, value);
}

/// "I (mA)", "I [mA]", "I, mA", "I mA" -> name, unit and the prefix's factor.
TableColumn read_header_cell(std::string_view cell) {
  TableColumn out{.name = trimmed(cell), .unit = {}};
  out.header = out.name;
  const auto cut = [&](char open, char close) {
    if (!out.name.ends_with(close)) return false;
    const auto at = out.name.rfind(open);
    if (at == std::string::npos || at == 0) return false;
    out.typed_unit = trimmed(std::string_view(out.name).substr(at + 1, out.name.size() - at - 2));
    out.name = trimmed(std::string_view(out.name).substr(0, at));
    return true;
  };
  if (!cut('(', ')') && !cut('[', ']')) {
    if (const auto comma = out.name.rfind(','); comma != std::string::npos && comma > 0) {
      out.typed_unit = trimmed(std::string_view(out.name).substr(comma + 1));
      out.name = trimmed(std::string_view(out.name).substr(0, comma));
    } else if (const auto space = out.name.rfind(' '); space != std::string::npos) {
      // A last word that is a unit is one, unless it is a single letter, which may name a channel.
      // Behind a number it belongs to that: "current at 5 mA" is in nothing that is said.
      const auto word = out.name.substr(space + 1);
      const auto before = std::string_view(out.name).substr(0, space);
      const bool of_number = is_numeric(before.substr(before.rfind(' ') + 1), false);
      if (word.size() > 1 && !of_number && column_unit(word)) {
        out.typed_unit = word;
        out.name = trimmed(std::string_view(out.name).substr(0, space));
      }
    }
  }
  if (const auto unit = column_unit(out.typed_unit)) {
    out.unit = unit->symbol;
    out.factor = unit->factor;
  }
  return out;
}

/// "[mA]" or "mA": what may stand in a row of units.
std::string_view bare_unit(std::string_view cell) {
  if (cell.size() > 2 && ((cell.front() == '[' && cell.back() == ']') || (cell.front() == '(' && cell.back() == ')')))
    return cell.substr(1, cell.size() - 2);
  return cell;
}

void drop_empty_end(std::vector<std::string_view>& cells, std::size_t width) {
  while (cells.size() > width && cells.back().empty()) cells.pop_back();
}

}  // namespace

bool read_number(std::string_view cell, bool decimal_comma, double& value) {
  auto text = stripped(cell);
  if (text.starts_with('+')) text.remove_prefix(1);
  std::array<char, 64> copy;
  if (decimal_comma && text.find(',') != std::string_view::npos) {
    if (text.find('.') != std::string_view::npos || text.ends_with(',') || text.size() > copy.size()) return false;
    std::replace_copy(text.begin(), text.end(), copy.begin(), ',', '.');
    text = {copy.data(), text.size()};
  }
  if (text.empty() || text.front() == '+') return false;
  const auto [end, fault] = fast_float::from_chars(text.data(), text.data() + text.size(), value);
  return end == text.data() + text.size() && (fault == std::errc() || fault == std::errc::result_out_of_range);
}

std::string Table::column_list() const {
  std::string out;
  for (std::size_t i = 0; i < columns.size(); ++i) out += fmt::format("{}{} {}", i ? ", " : "", i + 1, columns[i].name);
  return out;
}

Result<std::string> read_file(const std::string& path) {
  const auto name = as_utf8(path);
  std::error_code fault;
  if (!std::filesystem::is_regular_file(path, fault)) return fail(Fault::input, "{}: there is no such file.", name);
  const auto size = std::filesystem::file_size(path, fault);
  if (size > 1'000'000'000)
    return fail(Fault::input, "{}: the file is larger than 1 GB, which is as much as is read at once; cut it in pieces, or leave columns out.", name);
  std::ifstream in(path, std::ios::binary);
  std::string out(std::size_t(size), '\0');
  in.read(out.data(), std::streamsize(out.size()));
  // What grows or shrinks meanwhile is read as far as it goes.
  out.resize(std::size_t(std::max<std::streamsize>(0, in.gcount())));
  if (!in && !in.eof()) return fail(Fault::input, "{}: the file cannot be read.", name);
  return out;
}

Result<FileHead> read_head(const std::string& path, std::size_t most) {
  std::error_code fault;
  const auto size = std::filesystem::file_size(path, fault);
  if (fault || size <= most) {
    auto all = read_file(path);
    if (!all) return tl::unexpected(all.error());
    return FileHead{std::move(*all)};
  }
  std::ifstream in(path, std::ios::binary);
  FileHead out;
  out.text.resize(most);
  in.read(out.text.data(), std::streamsize(most));
  if (std::size_t(std::max<std::streamsize>(0, in.gcount())) != most) return fail(Fault::input, "{}: the file cannot be read.", as_utf8(path));
  // A last line that is cut says something else than the file; one without an end is all there is.
  if (const auto end = out.text.find_last_of('\n'); end != std::string::npos) out.text.resize(end + 1);
  out.share = double(out.text.size()) / double(size);
  return out;
}

Result<Table> read_table(std::string bytes, const std::string& file) {
  auto decoded = decoded_text(std::move(bytes), file);
  if (!decoded) return tl::unexpected(decoded.error());
  Table table{.file = file, .notes = {}, .columns = {}, .rows = {}};
  const std::string_view text = table.keep(std::move(*decoded));
  struct Candidate {
    char separator;
    bool decimal_comma;
  };
  constexpr Candidate candidates[] = {{'\t', false}, {'\t', true},     {';', false},   {';', true},
                                      {',', false},  {kBlanks, false}, {kBlanks, true}};
  double best = 0;
  const Candidate* chosen = nullptr;
  std::optional<Error> broken_quote;
  for (const auto& c : candidates) {
    const Table scratch;
    const auto sample = split(text, c.separator, file, 300, nullptr, scratch);
    if (!sample) {
      broken_quote = sample.error();
      continue;
    }
    if (const double s = score(*sample, c.decimal_comma); s > best * (1 + 1e-12)) {
      best = s;
      chosen = &c;
    }
  }
  if (!chosen && broken_quote) return tl::unexpected(*broken_quote);
  if (!chosen) return fail(Fault::input, "{}:1: no rows of numbers are found in the file.", file);
  table.decimal_comma = chosen->decimal_comma;
  table.separator = chosen->separator;
  auto split_rows = split(text, chosen->separator, file, 0, &table.notes, table);
  if (!split_rows) return tl::unexpected(split_rows.error());
  auto& rows = *split_rows;

  const auto numbers_in = [&](const Table::Row& row) {
    return std::size_t(std::count_if(row.cells.begin(), row.cells.end(),
                                     [&](auto cell) { return is_numeric(cell, table.decimal_comma); }));
  };
  std::size_t first = 0;
  for (; first < rows.size(); ++first) {
    const auto& cells = rows[first].cells;
    const auto count = numbers_in(rows[first]);
    // With many text columns beside the numbers, the row after the header has the header's width.
    const bool like_data =
        count > 0 && (2 * count >= cells.size() || (first > 0 && rows[first - 1].cells.size() == cells.size()));
    // A label with a number, such as "Points,3", stands before the header: what follows it has no number at all.
    if (like_data && (first + 1 == rows.size() || numbers_in(rows[first + 1]) > 0 || first > 40)) break;
  }
  if (first == rows.size()) return fail(Fault::input, "{}:1: no rows of numbers are found in the file.", file);
  auto& cells = rows[first].cells;
  std::size_t header = first;  // one past it; first: none
  std::optional<std::size_t> units;
  const auto headerlike = [&](std::size_t at, std::size_t width) {
    auto named = rows[at].cells;
    drop_empty_end(named, width);
    return named.size() == width && std::none_of(named.begin(), named.end(), [&](auto cell) {
             return is_numeric(cell, table.decimal_comma);
           });
  };
  // Separators at the end of the header's line or of some rows hold nothing.
  std::size_t width = cells.size();
  while (width > 1 && cells[width - 1].empty() && (first == 0 || rows[first - 1].cells.size() < width)) --width;
  if (first > 0 && rows[first - 1].cells.size() == cells.size())
    while (width > 1 && cells[width - 1].empty() && rows[first - 1].cells[width - 1].empty()) --width;
  // A table of one column beside a separator that quoting has spoilt is that other table, broken.
  if (width == 1 && broken_quote) return tl::unexpected(*broken_quote);
  if (first > 0 && headerlike(first - 1, width)) {
    header = first - 1;
    // A row of units alone, below the names.
    const auto& last = rows[header].cells;
    const bool all_units = std::all_of(last.begin(), last.end(), [](auto cell) {
      return cell.empty() || cell == "-" || column_unit(bare_unit(cell)).has_value();
    });
    if (header > 0 && all_units && headerlike(header - 1, width)) {
      units = header;
      --header;
    }
  }
  std::size_t notes_end = first;
  if (header < first) {
    notes_end = header;
    for (std::size_t k = 0; k < width; ++k) {
      auto column = read_header_cell(k < rows[header].cells.size() ? rows[header].cells[k] : std::string_view());
      if (units && k < rows[*units].cells.size() && column.typed_unit.empty() && rows[*units].cells[k] != "-") {
        column.typed_unit = std::string(bare_unit(rows[*units].cells[k]));
        if (const auto unit = column_unit(column.typed_unit)) {
          column.unit = unit->symbol;
          column.factor = unit->factor;
        }
      }
      table.columns.push_back(std::move(column));
    }
  } else {
    table.columns.resize(width);
  }
  std::string before;
  for (std::size_t i = 0; i < notes_end; ++i) {
    for (std::size_t k = 0; k < rows[i].cells.size(); ++k) {
      before += k ? " " : "";
      before += rows[i].cells[k];
    }
    before += "\n";
  }
  table.notes += before;
  rows.erase(rows.begin(), rows.begin() + std::ptrdiff_t(first));
  for (auto& row : rows) drop_empty_end(row.cells, width);
  table.rows = std::move(rows);
  return table;
}

}  // namespace heron::exchange
