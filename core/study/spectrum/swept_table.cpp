#include "study/spectrum/swept_table.h"

#include <algorithm>
#include <cmath>

#include "base/quantity.h"

namespace heron::study::spectrum {
namespace {

constexpr std::string_view kOutputColumn = "level.out";

}  // namespace

const std::vector<SweptColumn>& swept_columns() {
  static const std::vector<SweptColumn> all = [] {
    std::vector<SweptColumn> out = {{std::string(kOutputColumn), "V"}};
    for (const auto& name : figure_names())
      if (!name.unit.empty()) out.push_back({name.key, figure_unit(name.key).value_or("")});
    return out;
  }();
  return all;
}

Result<std::optional<SweptTable>> table_of(const Point& point) {
  if (point.records.size() != 1) return std::nullopt;
  const auto& record = point.records.front();
  if (record.sample_rate > 0 || record.find("time")) return std::nullopt;
  const Axis* along = nullptr;
  for (const auto& axis : swept_axes())
    if (record.find(axis.name)) along = &axis;
  const bool any = std::any_of(swept_columns().begin(), swept_columns().end(), [&](const SweptColumn& c) { return record.find(c.name); });
  if (!along || !any) return std::nullopt;
  SweptTable out;
  out.axis = *along;
  const auto at = record.find(along->name)->values();
  for (std::size_t row = 0; row < at.size(); ++row) {
    if (!(at[row] > 0)) return fail(Fault::input, "{}: the {} must lie above zero.", record.where(row), along->name);
    out.points.push_back({.at = at[row], .index = int(row), .quantities = {"v"}, .outputs = {}, .reading = {}});
  }
  if (out.points.empty()) return fail(Fault::input, "The table has no rows.");
  for (const auto& column : swept_columns()) {
    const auto* channel = record.find(column.name);
    if (!channel) continue;
    const auto values = channel->values();
    for (std::size_t row = 0; row < values.size(); ++row) {
      if (column.name != kOutputColumn) {
        out.points[row].reading.figures.push_back({.key = column.name, .label = column.name, .value = values[row], .unit = std::string(column.unit), .u = {}});
        continue;
      }
      if (!(values[row] > 0)) return fail(Fault::input, "{}: level.out must lie above zero.", record.where(row));
      out.points[row].outputs.push_back({"v", "V", 20 * std::log10(values[row]), 0, 0});
    }
  }
  std::stable_sort(out.points.begin(), out.points.end(), [](const Swept& a, const Swept& b) { return a.at < b.at; });
  for (std::size_t k = 1; k < out.points.size(); ++k)
    if (out.points[k].at == out.points[k - 1].at) return fail(Fault::input, "{}: the {} is that of another row.", record.where(std::size_t(out.points[k].index)), along->name);
  return out;
}

Result<Analysis> ReducedTable::read(const SettingsText& text, const std::vector<std::string>& asked) const {
  const auto settings = settings_from_text(text);
  if (!settings) return tl::unexpected(settings.error());
  auto reading = sweep_figures(table_.points, table_.axis, asked);
  if (!reading) return tl::unexpected(reading.error());
  return Analysis{std::move(*reading), sweep_columns(table_.points, table_.axis, *settings), as_text(*settings)};
}

std::size_t ReducedTable::bytes() const { return sizeof *this + table_.points.size() * (sizeof(Swept) + 12 * sizeof(Figure)); }

}  // namespace heron::study::spectrum
