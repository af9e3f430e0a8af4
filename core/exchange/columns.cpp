#include "exchange/columns.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/conversions.h"
#include "base/quantity.h"
#include "base/words.h"

namespace heron::exchange {
namespace {

std::set<std::string> known_roles(const study::Kind& kind) {
  std::set<std::string> known(kind.optional_roles.begin(), kind.optional_roles.end());
  for (const auto& set : kind.roles) known.insert(set.begin(), set.end());
  return known;
}

bool is_called(const TableColumn& column, std::string_view name) {
  const auto wanted = lower(name);
  return lower(column.name) == wanted || lower(column.header) == wanted;
}

Result<std::map<std::string, std::size_t>> places_of(const Table& table, const study::Kind& kind,
                                                     const ColumnChoice& choice) {
  std::map<std::string, std::size_t> place;
  // A column that was chosen for one role is not another's by its name.
  const auto taken = [&](std::size_t column) {
    for (const auto& [role, name] : choice.column)
      if (is_called(table.columns[column], name) || name == std::to_string(column + 1)) return true;
    return false;
  };
  for (const auto& role : known_roles(kind)) {
    if (const auto chosen = choice.column.find(role); chosen != choice.column.end()) {
      std::optional<std::size_t> at;
      for (std::size_t i = 0; i < table.columns.size(); ++i)
        if (!at && is_called(table.columns[i], chosen->second)) at = i;
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
        return fail(Fault::input, "{}: columns {} and {} are both called {}. {}", table.file, place[role] + 1, i + 1,
                    role, choice.how);
      place[role] = i;
    }
  }
  return place;
}

/// A column's name as formulas and keys can have it.
std::string quantity_name(const TableColumn& column, std::size_t at) {
  std::string out;
  for (const char c : column.name) {
    const bool plain = std::isalnum(static_cast<unsigned char>(c)) || (static_cast<unsigned char>(c) & 0x80);
    if (plain)
      out += c;
    else if (!out.empty() && out.back() != '_')
      out += '_';
  }
  while (out.ends_with('_')) out.pop_back();
  if (out.empty() || std::isdigit(static_cast<unsigned char>(out.front()))) out = fmt::format("column_{}", at + 1);
  return out;
}

/// The columns that are quantities by their own names, in the order of the file: those that were chosen by name, else
/// all whose first cell is a number.
std::vector<std::pair<std::string, std::size_t>> named_quantities(const Table& table, const ColumnChoice& choice,
                                                                  const std::set<std::string>& known,
                                                                  const std::map<std::string, std::size_t>& place) {
  std::vector<std::pair<std::string, std::size_t>> out;
  std::set<std::size_t> taken;
  for (const auto& [role, at] : place) taken.insert(at);
  const bool chosen = std::any_of(choice.column.begin(), choice.column.end(), [&](const auto& c) { return !known.contains(c.first); });
  std::set<std::string> names;
  for (std::size_t at = 0; at < table.columns.size(); ++at) {
    if (chosen) {
      for (const auto& [role, name] : choice.column)
        if (!known.contains(role) && (is_called(table.columns[at], name) || name == std::to_string(at + 1)))
          out.emplace_back(role, at);
      continue;
    }
    double first = 0;
    if (taken.contains(at) || table.rows.empty() || at >= table.rows.front().cells.size() ||
        !read_number(table.rows.front().cells[at], table.decimal_comma, first))
      continue;
    auto name = quantity_name(table.columns[at], at);
    for (int k = 2; !names.insert(name).second; ++k) name = fmt::format("{}_{}", quantity_name(table.columns[at], at), k);
    out.emplace_back(name, at);
  }
  return out;
}

/// The factor that brings a column into a role's unit, and whether its numbers are ratios that become decibels.
struct Conversion {
  double factor = 1;
  bool to_db = false;
};

Result<Conversion> conversion(const Table& table, std::size_t at, const study::ColumnRole& role, bool scaled) {
  const auto& column = table.columns[at];
  const auto wanted = [&] {
    std::string out;
    for (const auto unit : role.units) out += (out.empty() ? "" : ", ") + std::string(unit == "1" ? "V/V" : unit);
    return out.empty() ? std::string("a unit that is known, or none,") : out;
  };
  if (column.unit_unknown()) {
    if (scaled) return Conversion{};
    return fail(Fault::input, "{}: column {}: the unit \"{}\" is not known; {} would do for {}.", table.file,
                column.name, column.typed_unit, wanted(), role.name);
  }
  if (scaled || column.unit.empty() || role.units.empty()) return Conversion{.factor = column.factor};
  for (const auto unit : role.units)
    if (column.unit == unit) return Conversion{column.factor, role.level && unit != "dB"};
  if (role.units.front() == "1" && column.unit == "%") return Conversion{.factor = 0.01};
  return fail(Fault::input, "{}: column {} is in {}, but {} is wanted for {}.", table.file, column.name,
              column.typed_unit, wanted(), role.name);
}

/// What instruments write where a reading went beyond the range.
bool over_range(std::string_view cell) {
  const auto small = lower(cell);
  return small == "ol" || small == "ovl" || small == "ovrng" || small == "overload" || small == "overflow" ||
         small == "over" || small == "inf" || small == "+inf" || small == "-inf" ||
         (cell.size() > 1 && cell.find_first_not_of("+-") == std::string_view::npos);
}

Error cell_error(const Table& table, const Table::Row& row, std::size_t at, const std::string& role,
                 std::string_view cell) {
  const auto shown = std::string(cell.substr(0, 40));
  if (over_range(cell))
    return {Fault::input,
            fmt::format("{}:{}: column {} ({}): \"{}\" is not a finite number: the reading was beyond the range. Take "
                        "the row out, or read that point again on a higher range.",
                        table.file, row.line, at + 1, role, shown)};
  double value = 0;
  const bool number = read_number(cell, table.decimal_comma, value);
  return {Fault::input, fmt::format("{}:{}: column {} ({}): \"{}\" is not a {}number.", table.file, row.line, at + 1,
                                    role, shown, number ? "finite " : "")};
}

}  // namespace

std::map<std::string, std::size_t> role_columns(const Table& table, const study::Kind& kind,
                                                const ColumnChoice& choice) {
  auto out = places_of(table, kind, choice).value_or(std::map<std::string, std::size_t>{});
  if (kind.quantities_by_name)
    for (const auto& [name, at] : named_quantities(table, choice, known_roles(kind), out)) out.emplace(name, at);
  return out;
}

std::map<std::string, std::string> guessed_columns(const Table& table, const study::Kind& kind,
                                                   const ColumnChoice& choice) {
  const auto settled = places_of(table, kind, choice).value_or(std::map<std::string, std::size_t>{});
  std::set<std::size_t> used;
  for (const auto& [role, at] : settled) used.insert(at);
  /// How well a column fits a role: its unit counts more than its name.
  const auto fit = [&](const study::ColumnRole& role, std::size_t at) {
    const auto& column = table.columns[at];
    const bool unit = !column.unit.empty() && std::find(role.units.begin(), role.units.end(), column.unit) !=
                                                  role.units.end();
    if (column.unit_unknown() || (!column.unit.empty() && !role.units.empty() && !unit)) return 0;
    const auto small = lower(column.name);
    int words = 0;
    for (std::size_t k = 0; k < role.words.size() && words == 0; ++k) {
      const auto at_word = small.find(role.words[k]);
      if (at_word == std::string::npos) continue;
      // Short words are only words by themselves: "v" is, in "vault" it is not.
      const bool alone = small == role.words[k];
      if (alone || role.words[k].size() > 2) words = alone ? 3 : 2;
    }
    return (unit ? 4 : 0) + words;
  };
  std::map<std::string, std::string> best;
  int best_score = 0;
  for (const auto& set : kind.roles) {
    std::map<std::string, std::string> guess;
    auto taken = used;
    int total = 0;
    bool whole = true;
    std::vector<std::string_view> wanted(set.begin(), set.end());
    const auto required = wanted.size();
    wanted.insert(wanted.end(), kind.optional_roles.begin(), kind.optional_roles.end());
    for (std::size_t w = 0; w < wanted.size(); ++w) {
      if (settled.contains(std::string(wanted[w]))) {
        total += 8;
        continue;
      }
      const auto* role = kind.find_role(wanted[w]);
      int most = 0;
      std::size_t where = 0;
      for (std::size_t k = 0; role && k < table.columns.size(); ++k)
        if (const int score = taken.contains(k) ? 0 : fit(*role, k); score > most) {
          most = score;
          where = k;
        }
      // What is optional needs a name that says it, not just a unit.
      if (most == 0 || (w >= required && most % 4 == 0)) {
        whole = whole && w >= required;
        continue;
      }
      taken.insert(where);
      guess[std::string(wanted[w])] = std::to_string(where + 1);
      total += most;
    }
    if (whole && total > best_score) {
      best = std::move(guess);
      best_score = total;
    }
  }
  return best;
}

double PickedColumn::number(double cell) const {
  const double value = cell * factor;
  return to_db ? 20 * std::log10(std::abs(value)) : value;
}

Result<std::vector<PickedColumn>> picked_columns(const Table& table, const study::Kind& kind, const ColumnChoice& choice) {
  const auto known = known_roles(kind);
  const bool any = kind.quantities_by_name;
  for (const auto& [role, name] : choice.column)
    if (!known.contains(role) && !any) return fail(Fault::usage, "--column: a {} study has no role \"{}\".", kind.name, role);
  for (const auto& [role, factor] : choice.scale) {
    if (!known.contains(role) && !any) return fail(Fault::usage, "--scale: a {} study has no role \"{}\".", kind.name, role);
    if (factor == 0 || !std::isfinite(factor))
      return fail(Fault::usage, "--scale {}: a factor other than zero is wanted.", role);
  }

  auto places = places_of(table, kind, choice);
  if (!places) return tl::unexpected(places.error());
  auto& place = *places;
  const std::vector<std::string_view>* roles = nullptr;
  for (const auto& set : kind.roles)
    if (!roles && std::all_of(set.begin(), set.end(), [&](auto role) { return place.contains(std::string(role)); }))
      roles = &set;
  if (!roles) {
    // Of the sets, the one that lacks least is what was meant.
    const std::vector<std::string_view>* nearest = &kind.roles.front();
    const auto lacking = [&](const std::vector<std::string_view>& set) {
      return std::count_if(set.begin(), set.end(), [&](auto role) { return !place.contains(std::string(role)); });
    };
    for (const auto& set : kind.roles)
      if (lacking(set) < lacking(*nearest)) nearest = &set;
    std::string missing;
    for (const auto role : *nearest)
      if (!place.contains(std::string(role))) missing += (missing.empty() ? "" : ", ") + std::string(role);
    return fail(Fault::input, "{}: no column plays the role {}; there are {}. {}", table.file, missing,
                table.column_list(), choice.how);
  }

  std::vector<std::string> used(roles->begin(), roles->end());
  for (const auto& role : kind.optional_roles)
    if (place.contains(std::string(role)) && std::find(used.begin(), used.end(), role) == used.end())
      used.emplace_back(role);
  if (any) {
    // Of a set that is not whole each is a quantity all the same: who reads them says what is missing.
    for (const auto& [role, at] : place)
      if (std::find(used.begin(), used.end(), role) == used.end()) used.push_back(role);
    for (const auto& [name, at] : named_quantities(table, choice, known, place)) {
      place[name] = at;
      used.push_back(name);
    }
    for (const auto& [role, name] : choice.column)
      if (!known.contains(role) && !place.contains(role))
        return fail(Fault::input, "{}: there is no column \"{}\" for {}; there are {}.", table.file, name, role,
                    table.column_list());
    // A set of one is what the quantities go along; a longer one has some of its own.
    if (used.size() == roles->size() && roles->size() <= 1)
      return fail(Fault::input, "{}: no column of numbers is left for a quantity; there are {}. {}", table.file,
                  table.column_list(), choice.how);
  }
  for (const auto& [role, name] : choice.column)
    if (std::find(used.begin(), used.end(), role) == used.end())
      return fail(Fault::usage, "--column {}={}: the role has no effect beside the others.", role, name);
  for (const auto& [role, factor] : choice.scale)
    if (std::find(used.begin(), used.end(), role) == used.end())
      return fail(Fault::usage, "--scale {}={}: no column of the file plays that role.", role, factor);

  std::vector<PickedColumn> out;
  for (const auto& role : used) {
    const auto at = place[role];
    const auto* about = kind.find_role(role);
    const study::ColumnRole whatever{.name = role};
    const auto scale = choice.scale.find(role);
    const bool scaled = scale != choice.scale.end();
    const auto how = conversion(table, at, about ? *about : whatever, scaled);
    if (!how) return tl::unexpected(how.error());
    const bool has_unit = about && !about->units.empty();
    out.push_back({at, role, has_unit ? std::string(about->units.front()) : table.columns[at].unit,
                   how->factor * (scaled ? scale->second : 1), how->to_db});
  }
  return out;
}

Result<study::Record> pick_columns(const Table& table, const study::Kind& kind, const ColumnChoice& choice) {
  const auto picked = picked_columns(table, kind, choice);
  if (!picked) return tl::unexpected(picked.error());
  study::Record record;
  for (const auto& row : table.rows) record.lines.add(row.line);
  for (const auto& column : *picked) {
    study::Channel channel{.role = column.role, .unit = column.unit};
    channel.numbers.reserve(table.rows.size());
    for (const auto& row : table.rows) {
      if (column.at >= row.cells.size())
        return fail(Fault::input, "{}:{}: the row has {} cells; column {} ({}) is missing.", table.file, row.line,
                    row.cells.size(), column.at + 1, column.role);
      double cell = 0;
      if (!read_number(row.cells[column.at], table.decimal_comma, cell) || !std::isfinite(column.number(cell)))
        return tl::unexpected(cell_error(table, row, column.at, column.role, row.cells[column.at]));
      channel.numbers.push_back(column.number(cell));
    }
    record.channels.push_back(std::move(channel));
  }
  return record;
}

}  // namespace heron::exchange
