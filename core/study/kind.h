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
    std::map<int, std::vector<double>> shared = {};  ///< by source: what of u all points share (shared_error.h), signed
  };
  std::vector<Column> columns;
  std::vector<double> x_u = {};                       ///< standard uncertainty of x; empty where unknown
  std::map<int, std::vector<double>> x_shared = {};   ///< of it what places share, by source
  std::vector<char> undecided = {};  ///< places whose values are not trusted: they decide no mask; empty: none

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

/// A column that data may come in.
struct ColumnRole {
  std::string name;                          ///< "current"
  std::vector<std::string_view> units = {};  ///< that its numbers may be in, the first is kept; empty: any
  std::vector<std::string_view> words = {};  ///< what people call it, in small letters
  bool level = false;                        ///< in dB; other units are ratios that become decibels
  bool written_by_export = false;            ///< not offered to people
};

/// What the common parts (judging, the command line, export) need of a kind of study. One a folder; listed in kinds().
struct Kind {
  std::string_view name;                             ///< "response"
  std::string_view title;                            ///< "Frequency response"
  std::vector<std::vector<std::string_view>> roles;  ///< the sets of columns that data may come in
  std::vector<std::string> optional_roles;
  std::vector<ColumnRole> columns;  ///< what is known of the roles
  Result<void> (*check_setting)(std::string_view key, std::string_view text);
  Result<void> (*check_figure)(std::string_view key);
  std::vector<FigureName> (*figures)();
  Result<Analysis> (*analyse)(const std::vector<Point>& points, const SettingsText& settings,
                              const std::vector<std::string>& asked);
  /// Every reading of a take, one row each, where points.csv leaves some out; null where it does not.
  Result<Record> (*readings)(const std::vector<Point>& points) = nullptr;

  const ColumnRole* find_role(std::string_view role) const;
  /// Unit of a figure by its key, parameters left aside; nothing for figures it does not have.
  std::optional<std::string> unit_of(std::string_view key) const;
};

/// The kinds that are built. Adding one: its folder, and a line in kinds.cpp.
const std::vector<const Kind*>& kinds();
const Kind* find_kind(std::string_view name);

}  // namespace heron::study
