#pragma once
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"
#include "study/figure.h"
#include "study/raw.h"

namespace heron::study {

using SettingsText = std::map<std::string, std::string>;

/// A curve of a take, ready to be held against masks and drawn: one x with named columns.
struct Columns {
  std::string x_name, x_unit;
  bool logarithmic = true;  ///< masks are straight over lg x; else over x
  std::vector<double> x;
  struct Column {
    std::string name, unit;
    std::vector<double> y;
    std::vector<double> u;            ///< standard uncertainty; empty where unknown
    std::optional<double> step = {};  ///< of a family: what this curve was read at
    std::vector<double> x = {};       ///< where this column has places of its own; empty: the common ones
  };
  std::vector<Column> columns;

  const Column* find(std::string_view name) const;
  /// The column of that name, or all that are "NAME at ...": the curves of a family.
  std::vector<const Column*> all(std::string_view name) const;
  const std::vector<double>& x_of(const Column& column) const { return column.x.empty() ? x : column.x; }
};

struct Analysis {
  Reading reading;
  Columns curve;
  SettingsText settings;  ///< as used
};

/// What a figure is called, for lines that people write.
struct FigureName {
  std::string label, key, unit;
  bool takes_frequency = false;  ///< "Gain" at 1 kHz: key@frequency
};

/// What the common parts (judging, the command line, export) need of a kind of study. One a folder; listed in kinds().
struct Kind {
  std::string_view name;                             ///< "response"
  std::string_view title;                            ///< "Frequency response"
  std::vector<std::vector<std::string_view>> roles;  ///< the sets of columns that data may come in
  std::vector<std::string_view> optional_roles;
  Result<void> (*check_setting)(std::string_view key, std::string_view text);
  Result<void> (*check_figure)(std::string_view key);
  std::vector<FigureName> (*figures)();
  Result<Analysis> (*analyse)(const std::vector<Point>& points, const SettingsText& settings,
                              const std::vector<std::string>& asked);
  /// Every reading of a take, one row each, where points.csv leaves some out; null where it does not.
  Result<Record> (*readings)(const std::vector<Point>& points) = nullptr;
};

/// The kinds that are built. Adding one: its folder, and a line in kinds.cpp.
const std::vector<const Kind*>& kinds();
const Kind* find_kind(std::string_view name);

}  // namespace heron::study
