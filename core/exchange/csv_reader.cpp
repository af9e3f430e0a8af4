#include "exchange/csv_reader.h"

#include <fast_float/fast_float.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <numbers>
#include <set>
#include <sstream>

#include "base/quantity.h"
#include "base/words.h"

namespace heron::exchange {
namespace {

constexpr char kBlanks = ' ';

/// A cell as a number; "nan" and "inf" are numbers here and refused later, with their line.
bool read_number(std::string_view cell, bool decimal_comma, double& value) {
  std::string text = trimmed(cell);
  if (text.starts_with('+')) text.erase(0, 1);
  if (decimal_comma) {
    if (text.find('.') != std::string::npos && text.find(',') != std::string::npos) return false;
    if (text.ends_with(',')) return false;
    std::replace(text.begin(), text.end(), ',', '.');
  }
  const auto [end, fault] = fast_float::from_chars(text.data(), text.data() + text.size(), value);
  return !text.empty() && end == text.data() + text.size() &&
         (fault == std::errc() || fault == std::errc::result_out_of_range);
}

/// RFC 4180 rows with the given separator; blanks: runs of spaces and tabs. `stop_after` rows at most (0: all).
Result<std::vector<Table::Row>> split(std::string_view text, char separator, const std::string& file,
                                      std::size_t stop_after, std::string* notes) {
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
    const std::string whole = trimmed(text.substr(i, line_end - i));
    if (whole.empty() || whole.front() == '#') {
      if (notes && !whole.empty()) *notes += trimmed(whole.substr(1)) + "\n";
      i = line_end;
      skip_newline();
      continue;
    }
    Table::Row row{.line = line};
    const int first_line = line;
    if (separator == kBlanks) {
      std::istringstream words(whole);
      for (std::string word; words >> word;) row.cells.push_back(word);
      i = line_end;
    } else {
      std::string cell;
      bool quoted = false, was_quoted = false;
      for (; i < text.size(); ++i) {
        const char c = text[i];
        if (quoted) {
          if (c == '"' && i + 1 < text.size() && text[i + 1] == '"')
            cell += text[++i];
          else if (c == '"')
            quoted = false;
          else {
            if (c == '\n') ++line;
            cell += c;
          }
        } else if (c == '"' && trimmed(cell).empty()) {
          quoted = was_quoted = true;
          cell.clear();
        } else if (c == separator) {
          row.cells.push_back(was_quoted ? cell : trimmed(cell));
          cell.clear();
          was_quoted = false;
        } else if (c == '\r' || c == '\n') {
          break;
        } else {
          cell += c;
        }
      }
      if (quoted) return fail(Fault::input, "{}:{}: a quotation mark is opened and never closed.", file, first_line);
      row.cells.push_back(was_quoted ? cell : trimmed(cell));
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
    for (const auto& cell : row.cells) (read_number(cell, decimal_comma, value) ? numbers : texts) += 1;
    // A short text cell beside numbers is a label; a row without numbers says nothing.
    if (numbers > 0) sum += numbers - 1.5 * texts;
  }
  return sum;
}

/// "I (mA)", "I [mA]", "I, mA" -> name, unit and the prefix's factor.
TableColumn read_header_cell(const std::string& cell) {
  TableColumn out{.name = trimmed(cell)};
  std::string unit;
  const auto cut = [&](char open, char close) {
    if (!out.name.ends_with(close)) return false;
    const auto at = out.name.rfind(open);
    if (at == std::string::npos || at == 0) return false;
    unit = trimmed(out.name.substr(at + 1, out.name.size() - at - 2));
    out.name = trimmed(out.name.substr(0, at));
    return true;
  };
  if (!cut('(', ')') && !cut('[', ']')) {
    if (const auto comma = out.name.rfind(','); comma != std::string::npos && comma > 0) {
      unit = trimmed(out.name.substr(comma + 1));
      out.name = trimmed(out.name.substr(0, comma));
    }
  }
  if (unit.empty()) return out;
  if (lower(unit) == "rad") {
    out.unit = "deg";
    out.factor = 180 / std::numbers::pi;
    return out;
  }
  if (const auto one = parse_quantity("1 " + unit, ""); one && !one->unit.empty()) {
    out.unit = one->unit;
    out.factor = one->value;
  }
  return out;
}

std::string_view role_unit(std::string_view role) {
  if (role == "frequency") return "Hz";
  if (role == "gain") return "dB";
  if (role == "phase") return "deg";
  if (role == "voltage") return "V";
  if (role == "current") return "A";
  return "";
}

}  // namespace

std::string Table::column_list() const {
  std::string out;
  for (std::size_t i = 0; i < columns.size(); ++i) out += fmt::format("{}{} {}", i ? ", " : "", i + 1, columns[i].name);
  return out;
}

Result<std::string> read_file(const std::string& path) {
  std::error_code fault;
  if (!std::filesystem::is_regular_file(path, fault)) return fail(Fault::input, "{}: there is no such file.", path);
  if (std::filesystem::file_size(path, fault) > 1'000'000'000)
    return fail(Fault::input, "{}: the file is larger than 1 GB.", path);
  std::ifstream in(path, std::ios::binary);
  std::ostringstream out;
  out << in.rdbuf();
  if (!in) return fail(Fault::input, "{}: the file cannot be read.", path);
  return out.str();
}

Result<Table> read_table(std::string_view text, const std::string& file) {
  if (text.starts_with("\xef\xbb\xbf")) text.remove_prefix(3);
  if (text.find('\0') != std::string_view::npos) return fail(Fault::input, "{}:1: the file is not text.", file);
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
    const auto sample = split(text, c.separator, file, 300, nullptr);
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
  Table table{.file = file, .decimal_comma = chosen->decimal_comma};
  auto rows = split(text, chosen->separator, file, 0, &table.notes);
  if (!rows) return tl::unexpected(rows.error());

  double value = 0;
  const auto numeric = [&](const std::string& cell) { return read_number(cell, table.decimal_comma, value); };
  std::size_t first = 0;
  for (; first < rows->size(); ++first) {
    const auto& cells = (*rows)[first].cells;
    const auto count = std::count_if(cells.begin(), cells.end(), numeric);
    if (count > 0 && 2 * std::size_t(count) >= cells.size()) break;
    // With many text columns beside the numbers, the row after the header has the header's width.
    if (count > 0 && first > 0 && (*rows)[first - 1].cells.size() == cells.size()) break;
  }
  if (first == rows->size()) return fail(Fault::input, "{}:1: no rows of numbers are found in the file.", file);
  const auto width = (*rows)[first].cells.size();
  // A table of one column beside a separator that quoting has spoilt is that other table, broken.
  if (width == 1 && broken_quote) return tl::unexpected(*broken_quote);
  std::size_t notes_end = first;
  if (first > 0 && (*rows)[first - 1].cells.size() == width &&
      std::none_of((*rows)[first - 1].cells.begin(), (*rows)[first - 1].cells.end(), numeric)) {
    notes_end = first - 1;
    for (const auto& cell : (*rows)[first - 1].cells) table.columns.push_back(read_header_cell(cell));
  } else {
    table.columns.resize(width);
  }
  std::string before;
  for (std::size_t i = 0; i < notes_end; ++i) {
    for (std::size_t k = 0; k < (*rows)[i].cells.size(); ++k) before += (k ? " " : "") + (*rows)[i].cells[k];
    before += "\n";
  }
  table.notes += before;
  table.rows.assign(std::make_move_iterator(rows->begin() + std::ptrdiff_t(first)),
                    std::make_move_iterator(rows->end()));
  return table;
}

namespace {

std::set<std::string> known_roles(const study::Kind& kind) {
  std::set<std::string> known(kind.optional_roles.begin(), kind.optional_roles.end());
  for (const auto& set : kind.roles) known.insert(set.begin(), set.end());
  return known;
}

Result<std::map<std::string, std::size_t>> places_of(const Table& table, const study::Kind& kind,
                                                     const ColumnChoice& choice) {
  std::map<std::string, std::size_t> place;
  // A column that was chosen for one role is not another's by its name.
  const auto taken = [&](std::size_t column) {
    for (const auto& [role, name] : choice.column)
      if (lower(name) == lower(table.columns[column].name) || name == std::to_string(column + 1)) return true;
    return false;
  };
  for (const auto& role : known_roles(kind)) {
    if (const auto chosen = choice.column.find(role); chosen != choice.column.end()) {
      std::optional<std::size_t> at;
      for (std::size_t i = 0; i < table.columns.size(); ++i)
        if (!at && lower(table.columns[i].name) == lower(chosen->second)) at = i;
      const bool digits =
          !chosen->second.empty() && chosen->second.size() < 6 &&
          std::all_of(chosen->second.begin(), chosen->second.end(), [](char c) { return c >= '0' && c <= '9'; });
      if (!at && digits)
        if (const auto number = std::size_t(std::stoul(chosen->second)); number >= 1 && number <= table.columns.size())
          at = number - 1;
      if (!at)
        return fail(Fault::input, "{}: there is no column \"{}\" for {}; there are {}.", table.file, chosen->second,
                    role, table.column_list());
      place[role] = *at;
      continue;
    }
    for (std::size_t i = 0; i < table.columns.size(); ++i) {
      if (lower(table.columns[i].name) != role || taken(i)) continue;
      if (place.contains(role))
        return fail(Fault::input, "{}: columns {} and {} are both called {}; say which with --column {}=NUMBER.",
                    table.file, place[role] + 1, i + 1, role, role);
      place[role] = i;
    }
  }
  return place;
}

}  // namespace

std::map<std::string, std::size_t> role_columns(const Table& table, const study::Kind& kind,
                                                const ColumnChoice& choice) {
  return places_of(table, kind, choice).value_or(std::map<std::string, std::size_t>{});
}

Result<study::Record> pick_columns(const Table& table, const study::Kind& kind, const ColumnChoice& choice) {
  const auto known = known_roles(kind);
  for (const auto& [role, name] : choice.column)
    if (!known.contains(role)) return fail(Fault::usage, "--column: a {} study has no role \"{}\".", kind.name, role);
  for (const auto& [role, factor] : choice.scale)
    if (!known.contains(role)) return fail(Fault::usage, "--scale: a {} study has no role \"{}\".", kind.name, role);

  auto places = places_of(table, kind, choice);
  if (!places) return tl::unexpected(places.error());
  auto& place = *places;
  const std::vector<std::string_view>* roles = nullptr;
  for (const auto& set : kind.roles)
    if (!roles && std::all_of(set.begin(), set.end(), [&](auto role) { return place.contains(std::string(role)); }))
      roles = &set;
  if (!roles) {
    std::string missing;
    for (const auto role : kind.roles.front())
      if (!place.contains(std::string(role))) missing += (missing.empty() ? "" : ", ") + std::string(role);
    return fail(Fault::input, "{}: no column plays the role {}; there are {}. Say which with --column ROLE=NAME.",
                table.file, missing, table.column_list());
  }

  std::vector<std::string> used(roles->begin(), roles->end());
  for (const auto role : kind.optional_roles)
    if (place.contains(std::string(role))) used.emplace_back(role);
  study::Record record;
  for (const auto& role : used) {
    const auto at = place[role];
    const auto& column = table.columns[at];
    const auto wanted = role_unit(role);
    if (!column.unit.empty() && !wanted.empty() && column.unit != wanted)
      return fail(Fault::input, "{}: column {} is in {}, but {} is wanted for {}.", table.file, column.name,
                  column.unit, wanted, role);
    const auto scale = choice.scale.find(role);
    const double factor = column.factor * (scale == choice.scale.end() ? 1 : scale->second);
    study::Channel channel{.role = role, .unit = wanted.empty() ? column.unit : std::string(wanted)};
    channel.numbers.reserve(table.rows.size());
    for (const auto& row : table.rows) {
      if (at >= row.cells.size())
        return fail(Fault::input, "{}:{}: the row has {} cells; column {} ({}) is missing.", table.file, row.line,
                    row.cells.size(), at + 1, role);
      double value = 0;
      if (!read_number(row.cells[at], table.decimal_comma, value))
        return fail(Fault::input, "{}:{}: column {} ({}): \"{}\" is not a number.", table.file, row.line, at + 1, role,
                    row.cells[at].substr(0, 40));
      value *= factor;
      if (!std::isfinite(value))
        return fail(Fault::input, "{}:{}: column {} ({}): \"{}\" is not a finite number.", table.file, row.line, at + 1,
                    role, row.cells[at].substr(0, 40));
      channel.numbers.push_back(value);
    }
    record.channels.push_back(std::move(channel));
  }
  return record;
}

}  // namespace heron::exchange
