#include "study/iv/kind.h"

#include "base/quantity.h"
#include "signal/curve.h"
#include "study/iv/doubts.h"
#include "study/iv/figures.h"

namespace heron::study::iv {

Columns as_columns(const Family& family) {
  Columns out{.x_name = "voltage", .x_unit = "V", .x = {}};
  out.logarithmic = false;
  if (family.curves.empty()) return out;
  // All curves on the first one's voltages; where another does not reach, it ends the columns.
  const auto first = sorted(family.curves.front());
  std::vector<Sorted> others;
  for (const auto& curve : family.curves) others.push_back(sorted(curve));
  for (std::size_t k = 0; k < family.curves.size(); ++k) {
    const auto& step = family.curves[k].step;
    out.columns.push_back(
        {family.curves.size() > 1 && step
             ? fmt::format("current at {:.6g}{}{}", *step, family.step_unit.empty() ? "" : " ", family.step_unit)
             : "current",
         "A",
         {},
         {}});
  }
  for (const double v : first.voltage) {
    std::vector<double> row;
    for (const auto& other : others)
      if (const auto i = current_at(other, v)) row.push_back(*i);
    if (row.size() != others.size()) continue;
    out.x.push_back(v);
    for (std::size_t k = 0; k < row.size(); ++k) out.columns[k].y.push_back(row[k]);
  }
  return out;
}

const Kind& kind() {
  static const Kind self = {.name = "iv",
                            .title = "Current against voltage",
                            .roles = {{"voltage", "current"}},
                            .optional_roles = {"step"},
                            .check_setting =
                                [](std::string_view key, std::string_view text) {
                                  Settings scratch;
                                  return set(scratch, key, text);
                                },
                            .check_figure = check_figure_key,
                            .figures = figure_names,
                            .analyse = [](const std::vector<Point>& points, const SettingsText& text,
                                          const std::vector<std::string>& asked) -> Result<Analysis> {
                              const auto settings = settings_from_text(text);
                              if (!settings) return tl::unexpected(settings.error());
                              const auto family = reduce_take(points, *settings);
                              if (!family) return tl::unexpected(family.error());
                              Analysis out{read(*family, *settings, asked), as_columns(*family), as_text(*settings)};
                              out.reading.doubts = find_doubts(*family, *settings);
                              return out;
                            }};
  return self;
}

}  // namespace heron::study::iv
