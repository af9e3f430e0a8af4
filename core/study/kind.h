#pragma once
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"
#include "study/columns.h"
#include "study/figure.h"
#include "study/raw.h"
#include "study/reduced.h"

namespace heron::study {

/// What a figure is called, for lines that people write.
struct FigureName {
  std::string label, key, unit;
  std::string_view at = {};  ///< unit of the place that it is read at, "Gain" at 1 kHz: key@place; empty: none
};

/// A column that data may come in.
struct ColumnRole {
  std::string name;                          ///< "current"
  std::vector<std::string_view> units = {};  ///< that its numbers may be in, the first is kept; empty: any
  std::vector<std::string_view> words = {};  ///< what people call it, in small letters
  bool level = false;                        ///< in dB; other units are ratios that become decibels
  bool written_by_export = false;            ///< not offered to people
};

/// A curve that limit lines may lie on.
struct MaskCurve {
  std::string_view name;    ///< "gain"; a family's are "gain at ..."
  std::string_view unit;    ///< empty: as the data are, and the line says it
  std::string_view x_unit;
};

class Plan;
struct Surroundings;

/// A kind of study: what all the rest of the program knows of it. One a folder; listed in kinds().
struct Kind {
  std::string_view name;                             ///< "response"
  std::string_view title;                            ///< "Frequency response"
  std::vector<std::vector<std::string_view>> roles;  ///< the sets of columns that data may come in
  std::vector<std::string> optional_roles;
  std::vector<ColumnRole> columns;  ///< what is known of the roles
  /// Columns of numbers that play no role are quantities by their own names: of records over time.
  bool quantities_by_name = false;
  /// Several files are points of one take, each a record; else they are takes.
  bool files_are_points = false;
  /// Curves that limit lines may lie on, one name over several units where takes may have either.
  std::vector<MaskCurve> curves = {};
  /// And every quantity by its name, over times.
  bool masks_over_time = false;
  /// Settings that say the times of records which have none.
  std::vector<std::string_view> times_said = {};
  /// How the settings begin that say what a network does, which may come from a file of one; empty: there are none.
  std::string_view network_setting = {};
  /// The role whose numbers, where they leap back, begin another curve; empty: none.
  std::string_view restarts_on = {};
  Result<void> (*check_setting)(std::string_view key, std::string_view text);
  Result<void> (*check_figure)(std::string_view key);
  std::vector<FigureName> (*figures)();

  /// A plan as it is kept. Words that it does not know are Fault::input and named.
  Result<std::shared_ptr<const Plan>> (*plan)(const nlohmann::json& kept);
  /// A plan to begin with, gentle to a device that is not yet known; Fault::usage where there is nothing to drive.
  Result<std::shared_ptr<const Plan>> (*first_plan)(const Surroundings& around);
  /// @param settings  of the study; Fault::usage for those it does not know
  Result<std::unique_ptr<Reducer>> (*reducer)(const SettingsText& settings);
  /// What may stand in the device's place, by the setting that names the take which holds it.
  std::vector<std::string> stand_ins = {};
  /// Of a stand-in that has a value, by the settings; ohm.
  double (*stand_in_ohms)(const SettingsText& settings) = nullptr;

  /// Unit of a figure by its key, where keys do not begin with a figure's name; empty where it is the data's.
  std::optional<std::string> (*unit)(std::string_view key) = nullptr;

  /// Points to what they came to.
  Result<ReducedPtr> reduce(const std::vector<Point>& points, const SettingsText& settings) const;
  /// The same, with figures, doubts and curve read.
  Result<Analysis> analyse(const std::vector<Point>& points, const SettingsText& settings,
                           const std::vector<std::string>& asked) const;
  const ColumnRole* find_role(std::string_view role) const;
  /// Unit of a figure by its key, parameters left aside; empty where it is the data's, nothing for figures it does not
  /// have.
  std::optional<std::string> unit_of(std::string_view key) const;
};

/// The kinds that are built. Adding one: its folder, and a line in kinds.cpp.
const std::vector<const Kind*>& kinds();
const Kind* find_kind(std::string_view name);
/// One more, for as long as the program runs; for tests.
void add_kind(const Kind& kind);

}  // namespace heron::study
