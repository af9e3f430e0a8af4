#pragma once
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "dossier/store.h"
#include "judge/claim.h"
#include "judge/statistics.h"

/// All claims of a dossier over all its units.
namespace heron::run {

/// A claim on one unit: by the newest take of it that judges.
struct OverviewCell {
  std::string unit = {};        ///< that the take is of
  long long take = 0;
  int number = 0;               ///< of the take within its study
  std::string started = {};     ///< of the take, UTC
  judge::Judgement judgement;
  std::vector<std::string> doubts = {};  ///< texts of those beyond a note
  /// What it is held against: the same unit at an earlier time, or another unit.
  struct Other {
    judge::Judgement judgement;
    std::string of;  ///< "take 3, 2026-11-20", "unit 07"
  };
  std::optional<Other> other = {};

  bool changed() const { return other && other->judgement.verdict != judgement.verdict; }
};

struct OverviewRow {
  long long study = 0;
  std::string study_name, kind, assembly;
  std::string text;             ///< "Turns on with at most 24 uJ"
  std::string figure;           ///< "energy.on@20A"; of a mask empty
  std::vector<std::optional<OverviewCell>> cells;  ///< one a unit; nothing: no take of it
};

struct Overview {
  std::vector<std::string> units;  ///< what the columns are: units, or takes by their age
  std::vector<OverviewRow> rows;
  std::vector<std::string> days = {};  ///< on which takes were made, UTC, "2026-11-27"
  int unread = 0;               ///< takes whose reading is not kept: their cells are not measured yet
};

/// The newest take of each unit that judges, by the unit's name.
std::map<std::string, dossier::Take> newest_of(const std::vector<dossier::Take>& takes);
/// "unit 9" before "unit 10": stretches of digits by what they count.
bool unit_before(const std::string& a, const std::string& b);

/// The device's units by their names, and behind them whatever else judging takes are of: data of files are of no unit.
Result<std::vector<std::string>> columns_of_units(dossier::Store& store);

/// From what the dossier keeps; what is read beside it is kept.
struct OverviewOptions {
  bool read = false;          ///< takes of which nothing is kept
  std::string before = {};    ///< only takes made before that day, "2026-11-27"; empty: all
  bool across_takes = false;  ///< a column a take, the newest first, instead of one a unit
  std::string unit = {};      ///< of this unit alone; empty: of all
};
inline constexpr std::size_t kMostTakesAcross = 20;
Result<Overview> overview(dossier::Store& store, const OverviewOptions& options = {});

/// Holds every cell against what it was, or against another unit's of the same claim.
void hold_against(Overview& now, const Overview& earlier);
void hold_against(Overview& now, std::size_t unit);
/// Leaves the column of that unit alone; none where there is no such unit.
void keep_unit(Overview& all, const std::string& unit);
/// Whether the verdict of any of its cells is another one.
bool changed(const OverviewRow& row);

/// How a claim came out over its units.
struct Tally {
  int meets = 0, fails = 0, too_close = 0, not_measured = 0;
  int all() const { return meets + fails + too_close + not_measured; }
};
Tally tally(const Overview& overview);
/// The margin over U = 2u, as far as both are known: the smaller the worse; where U is nothing, by sign alone.
std::optional<double> urgency(const judge::Judgement& judgement);
/// "64 claims on 5 units: 291 meet, 14 fail, 9 too close, 6 not measured. The worst: ... of unit 03."
std::string sentence(const Overview& overview);

/// The values of a row with what they come to; nothing where none is measured.
std::optional<judge::Statistics> statistics_of(const OverviewRow& row);

}  // namespace heron::run
