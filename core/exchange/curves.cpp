#include "exchange/curves.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "base/utf8.h"
#include "exchange/hierarchy.h"
#include "exchange/side_by_side.h"
#include "exchange/sound.h"
#include "exchange/touchstone.h"

namespace heron::exchange {
namespace {

using nlohmann::json;
constexpr std::size_t kGlance = kLongTable;  ///< bytes of a table that a preview reads
constexpr std::size_t kFewestRows = 3;  ///< of a curve among several in one table

std::string ending_of(const std::string& path) {
  auto out = std::filesystem::path(path).extension().string();
  for (auto& c : out) c = char(std::tolower(static_cast<unsigned char>(c)));
  return out;
}

std::string plain_name(const std::string& path) { return as_utf8(std::filesystem::path(path).filename().string()); }

/// Columns and scales are for tables; elsewhere they would be silently without effect.
Result<void> no_columns(const ColumnChoice& choice, const std::string& path) {
  if (choice.column.empty() && choice.scale.empty()) return {};
  return fail(Fault::usage, "{}: --column and --scale are for tables; this file says itself what is what.",
              plain_name(path));
}

bool is_network(const std::string& ending) {
  return ending.size() >= 4 && ending[1] == 's' && ending.back() == 'p' &&
         std::all_of(ending.begin() + 2, ending.end() - 1, [](unsigned char c) { return std::isdigit(c); });
}

bool is_table(const std::string& ending) { return ending == ".csv" || ending == ".txt" || ending == ".tsv"; }

/// Rows that repeat the header, as tables put one under another have them, with what separates the tables.
void drop_repeated_headers(Table& table, std::vector<std::size_t>& starts) {
  std::vector<Table::Row> kept;
  for (auto& row : table.rows) {
    double number = 0;
    bool same = !row.cells.empty() && !table.columns.empty() &&
                !read_number(row.cells.front(), table.decimal_comma, number);
    for (std::size_t k = 0; same && k < std::min(row.cells.size(), table.columns.size()); ++k)
      same = !table.columns[k].name.empty() && row.cells[k].starts_with(table.columns[k].name);
    if (same) {
      starts.push_back(kept.size());
      continue;
    }
    kept.push_back(std::move(row));
  }
  table.rows = std::move(kept);
}

/// Where the leading column starts anew: it turns back by more than one step while every piece between runs one way.
std::vector<std::size_t> restarts(const std::vector<double>& x) {
  std::vector<std::size_t> out = {0};
  if (x.size() < 2 * kFewestRows || x[1] == x[0]) return out;
  const bool rising = x[1] > x[0];
  for (std::size_t i = 1; i < x.size(); ++i)
    if (rising ? x[i] < x[i - 1] : x[i] > x[i - 1]) out.push_back(i);
  out.push_back(x.size());
  for (std::size_t k = 0; k + 1 < out.size(); ++k)
    if (out[k + 1] - out[k] < kFewestRows) return {0};
  out.pop_back();
  return out;
}

std::vector<FileCurve> split(study::Record record, std::vector<std::size_t> starts, const std::string& name,
                             const std::string& notes) {
  const auto rows = record.channels.front().size();
  if (starts.empty() || starts.front() != 0) starts.insert(starts.begin(), 0);
  std::erase_if(starts, [&](std::size_t s) { return s >= rows; });
  std::vector<FileCurve> out;
  for (std::size_t k = 0; k < starts.size(); ++k) {
    const auto from = starts[k], to = k + 1 < starts.size() ? starts[k + 1] : rows;
    FileCurve curve{.name = starts.size() > 1 ? fmt::format("{}, curve {}", name, k + 1) : name, .notes = notes};
    for (const auto& channel : record.channels) {
      auto part = channel;
      part.numbers.assign(channel.numbers.begin() + std::ptrdiff_t(from), channel.numbers.begin() + std::ptrdiff_t(to));
      curve.record.channels.push_back(std::move(part));
    }
    if (record.lines.rows() == rows) curve.record.lines = record.lines.part(from, to);
    out.push_back(std::move(curve));
  }
  return out;
}

/// The number of the curve as a step beside its rows.
void add_steps(study::Record& record, const std::vector<std::size_t>& starts) {
  study::Channel step{.role = "step", .unit = "", .pin = {}, .counts = {}, .numbers = {}};
  const auto rows = record.channels.front().size();
  for (std::size_t row = 0, curve = 0; row < rows; ++row) {
    while (curve + 1 < starts.size() && starts[curve + 1] <= row) ++curve;
    step.numbers.push_back(double(curve + 1));
  }
  record.channels.push_back(std::move(step));
}

Result<std::vector<FileCurve>> table_curves(Table table, const study::Kind& kind, const FileReading& reading) {
  std::vector<std::size_t> starts;
  const bool knows_steps =
      std::find(kind.optional_roles.begin(), kind.optional_roles.end(), "step") != kind.optional_roles.end();
  const bool divide = reading.several == Several::apart || (reading.several == Several::steps && knows_steps);
  if (divide) drop_repeated_headers(table, starts);
  if (reading.columns.column.empty()) {
    auto other = unfolded(table, kind);
    if (!other) return tl::unexpected(other.error());
    if (*other) table = std::move(**other);
  }
  auto record = pick_columns(table, kind, reading.columns);
  if (!record) return tl::unexpected(record.error());
  // Voltages that go back by steps are a loop; those that leap back begin another curve, unless a step tells them
  // apart.
  const auto* leading = kind.restarts_on.empty() || record->find("step") ? nullptr : record->find(kind.restarts_on);
  if (divide && starts.empty() && leading) starts = restarts(leading->values());
  if (reading.several == Several::steps) {
    if (starts.size() > 1 && knows_steps && !record->find("step")) add_steps(*record, starts);
    starts.clear();
  }
  return split(std::move(*record), std::move(starts), plain_name(table.file), table.notes);
}

Result<NetworkData> network(const std::string& path) {
  const auto text = read_file(path);
  if (!text) return tl::unexpected(text.error());
  return read_touchstone(*text, path);
}

Result<std::vector<FileCurve>> json_curves(const std::string& path, const study::Kind& kind) {
  auto text = read_file(path);
  if (!text) return tl::unexpected(text.error());
  const auto in = json::parse(as_utf8(std::move(*text)), nullptr, false);
  if (in.is_discarded()) return fail(Fault::input, "{}: the file is not JSON; is it cut short?", path);
  if (!in.is_object() || !in.contains("curve") || !in["curve"].is_object())
    return fail(Fault::input, "{}: there is no curve in it; take.json of an export has one.", path);
  FileCurve out{.name = plain_name(path), .record = {}, .notes = {}};
  if (const auto note = in.find("note"); note != in.end() && note->is_string()) out.notes = note->get<std::string>();
  std::size_t rows = 0;
  for (const auto& [role, values] : in["curve"].items()) {
    const auto* about = kind.find_role(role);
    study::Channel channel{.role = role, .unit = about && !about->units.empty() ? std::string(about->units.front()) : ""};
    if (!values.is_array()) return fail(Fault::input, "{}: curve.{}: a list of numbers is wanted.", path, role);
    for (const auto& v : values) {
      if (!v.is_number() || !std::isfinite(v.get<double>()))
        return fail(Fault::input, "{}: curve.{}: {} is not a finite number.", path, role, v.dump().substr(0, 40));
      channel.numbers.push_back(v.get<double>());
    }
    if (rows && channel.numbers.size() != rows)
      return fail(Fault::input, "{}: curve.{}: the lists differ in length.", path, role);
    rows = channel.numbers.size();
    out.record.channels.push_back(std::move(channel));
  }
  if (rows == 0) return fail(Fault::input, "{}: the curve has no points.", path);
  if (const auto step = in.find("step_unit"); step != in.end() && step->is_string())
    for (auto& channel : out.record.channels)
      if (channel.role == "step") channel.unit = step->get<std::string>();
  return std::vector{std::move(out)};
}

}  // namespace

bool holds_curves(const std::string& path) {
  const auto ending = ending_of(path);
  return is_table(ending) || is_network(ending) || is_sound(ending) || is_hierarchy(ending) || ending == ".json";
}

Result<std::vector<FileCurve>> read_curves(const std::string& path, const study::Kind& kind, const FileReading& reading,
                                           const ReadingProgress& progress) {
  const auto ending = ending_of(path);
  if (is_network(ending)) {
    if (auto ok = no_columns(reading.columns, path); !ok) return tl::unexpected(ok.error());
    const auto data = network(path);
    if (!data) return tl::unexpected(data.error());
    const bool as_z = reading.impedance && data->ports == 1 && (data->kind == 'S' || data->kind == 'Z');
    const auto element = !reading.parameter.empty() ? reading.parameter
                         : as_z                     ? std::string("Z11")
                                                    : usual_element(*data);
    auto record = network_element(*data, element);
    if (!record) return tl::unexpected(record.error());
    return std::vector{FileCurve{plain_name(path), std::move(*record), data->notes}};
  }
  if (!reading.parameter.empty())
    return fail(Fault::usage, "{}: `parameter` is for network files; it has no effect here.", plain_name(path));
  if (ending == ".json") {
    if (auto ok = no_columns(reading.columns, path); !ok) return tl::unexpected(ok.error());
    return json_curves(path, kind);
  }
  if (is_sound(ending) || is_hierarchy(ending)) {
    if (!kind.quantities_by_name)
      return fail(Fault::input, "{}: it holds samples over time, which a study of kind {} does not read.", plain_name(path), kind.name);
    if (is_hierarchy(ending)) {
      if (auto ok = no_columns(reading.columns, path); !ok) return tl::unexpected(ok.error());
      return read_hierarchy(path);
    }
    auto one = read_sound(path, reading.columns);
    if (!one) return tl::unexpected(one.error());
    return std::vector{std::move(*one)};
  }
  if (!is_table(ending))
    return fail(Fault::input, "{}: files of this form cannot be read; .csv, .txt, .tsv, .s1p, .s2p, .json, .wav, .flac and .h5 can.",
                path);
  if (auto plain = read_long_table(path, kind, reading.columns, progress); !plain)
    return tl::unexpected(plain.error());
  else if (*plain)
    return std::vector{FileCurve{plain_name(path), std::move((*plain)->record), (*plain)->notes}};
  auto text = read_file(path);
  if (!text) return tl::unexpected(text.error());
  auto table = read_table(std::move(*text), as_utf8(path));
  if (!table) return tl::unexpected(table.error());
  return table_curves(std::move(*table), kind, reading);
}

namespace {

/// What a person would notice in the numbers.
void look_twice(const std::vector<FileCurve>& curves, FilePreview& out) {
  for (const auto& curve : curves) {
    const auto* f = curve.record.find("frequency");
    const auto* gain = curve.record.find("gain");
    if (!f) continue;
    const auto rises = [](const std::vector<double>& x) {
      for (std::size_t i = 1; i < x.size(); ++i)
        if (!(x[i] > x[i - 1])) return false;
      return x.size() > 1;
    };
    const auto x = f->values();
    const bool positive = std::all_of(x.begin(), x.end(), [](double v) { return v > 0; });
    if (gain && !rises(x) && rises(gain->values()))
      out.warnings.push_back(curve.name + ": the gain rises steadily and the frequency does not; are they exchanged?");
    else if (!positive)
      out.warnings.push_back(curve.name + ": a frequency is not above zero; is it in another column?");
    else if (!rises(x))
      out.warnings.push_back(curve.name + ": the frequency does not rise from row to row; the rows will be sorted.");
    if (!curve.record.find("phase") && gain)
      out.warnings.push_back(curve.name + ": there is no phase; figures that need it will be absent.");
  }
}

}  // namespace

FilePreview preview_file(const std::string& path, const study::Kind& kind, const FileReading& reading) {
  FilePreview out{.file = plain_name(path)};
  Result<Table> table = fail(Fault::input, "It is no table.");
  double share = 1;
  auto as_shown = reading;
  as_shown.columns.how = "Choose it above its column.";
  const auto ending = ending_of(path);
  if (is_network(ending)) {
    if (const auto data = network(path)) {
      for (const char* place : {"11", "21", "12", "22"}) {
        if (data->ports == 1 && std::string_view(place) != "11") continue;
        out.parameters.push_back(std::string(1, data->kind) + place);
      }
      if (data->ports == 1 && data->kind == 'S') out.parameters.push_back("Z11");
    }
  } else if (is_table(ending)) {
    out.table = true;
    if (auto head = read_head(path, kGlance)) {
      share = head->share;
      out.part = !head->whole();
      if ((table = read_table(std::move(head->text), as_utf8(path)))) {
        for (std::size_t k = 0; k < table->columns.size(); ++k) {
          const auto& c = table->columns[k];
          out.columns.push_back(c.header.empty() ? fmt::format("column {}", k + 1) : c.header);
          out.roles.push_back("");
        }
        for (std::size_t k = 0; k < std::min<std::size_t>(5, table->rows.size()); ++k)
          out.rows.emplace_back(table->rows[k].cells.begin(), table->rows[k].cells.end());
        auto& choice = as_shown.columns;
        if (!unfolded(*table, kind).value_or(std::nullopt))
          for (const auto& [role, column] : guessed_columns(*table, kind, choice)) {
            choice.column[role] = column;
            out.guessed[role] = column;
          }
        for (const auto& [role, column] : role_columns(*table, kind, choice)) out.roles[column] = role;
        out.by_itself.resize(out.columns.size());
        for (const auto& [role, column] : role_columns(*table, kind, {})) out.by_itself[column] = role;
      }
    }
  }
  if (is_sound(ending) && kind.quantities_by_name) {
    out.table = true;
    if (const auto channels = sound_channels(path)) {
      out.columns = *channels;
      out.roles.assign(channels->size(), "");
      if (reading.columns.column.empty()) out.roles.front() = "v";
      for (const auto& [role, column] : reading.columns.column)
        for (std::size_t k = 0; k < channels->size(); ++k)
          if (column == (*channels)[k] || column == std::to_string(k + 1)) out.roles[k] = role;
    }
  }
  if (!out.guessed.empty()) {
    std::string said;
    for (const auto& [role, column] : out.guessed) said += fmt::format("{}{} is column {}", said.empty() ? "" : ", ", role, column);
    out.warnings.push_back("Guessed from names and units: " + said + ". Look whether that is right.");
  }
  const auto curves = out.part && table ? table_curves(std::move(*table), kind, as_shown) : read_curves(path, kind, as_shown);
  if (!curves) {
    out.trouble = curves.error().message;
    return out;
  }
  for (const auto& curve : *curves) {
    out.curves.push_back({curve.name, int(std::min(double(curve.record.channels.front().size()) / share, 2e9))});
    const auto tried = kind.analyse({{.setting = json::object(), .records = {curve.record}}}, {}, {});
    if (!tried && out.trouble.empty()) out.trouble = curve.name + ": " + tried.error().message;
  }
  look_twice(*curves, out);
  if (out.part)
    out.warnings.push_back(fmt::format("Shown is what the first {:.0f} MB of {:.0f} MB hold; all of it is read, and looked at, when it is brought in.",
                                       double(kGlance) / 1e6, double(kGlance) / 1e6 / share));
  return out;
}

}  // namespace heron::exchange
