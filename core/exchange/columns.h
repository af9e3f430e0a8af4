#pragma once
#include <map>
#include <set>
#include <string>

#include "exchange/csv_reader.h"
#include "study/kind.h"
#include "study/raw.h"

/// Which column of a table plays which role of a study, and its numbers in the role's unit.
namespace heron::exchange {

struct ColumnChoice {
  std::map<std::string, std::string> column = {};  ///< role -> header name or 1-based number
  std::map<std::string, double> scale = {};        ///< role -> factor
  std::string how = "Say which with --column ROLE=NAME.";  ///< what an error about roles advises
};

/// Role -> column (from 0), as far as choice and names tell.
std::map<std::string, std::size_t> role_columns(const Table& table, const study::Kind& kind,
                                                const ColumnChoice& choice);

/// Role -> header, for the roles that names do not settle: by what the columns are measured in and what people call
/// them. For a person to look at; nothing is read by a guess that was not shown.
std::map<std::string, std::string> guessed_columns(const Table& table, const study::Kind& kind,
                                                   const ColumnChoice& choice);

/// A column that plays a role, and how its cells become that role's numbers.
struct PickedColumn {
  std::size_t at = 0;
  std::string role, unit;
  double factor = 1;
  bool to_db = false;

  /// Not finite where the cell's number makes none.
  double number(double cell) const;
};
/// Which columns pick_columns() reads, in the order of the record. Errors as there.
Result<std::vector<PickedColumn>> picked_columns(const Table& table, const study::Kind& kind, const ColumnChoice& choice);

/// Picks the columns that play the kind's roles and turns them into numbers in SI.
///
/// A role goes to the column chosen for it, else to the one whose name is the role's (any case). Text, infinite or
/// missing cells in a used column are errors with their line; other columns are ignored. A unit that is not known or is
/// not the role's is an error, but on a column with a scale. Roles and scales that the kind does not know, or that have
/// no effect on this table, are Fault::usage. The record's `lines` are those of the file.
Result<study::Record> pick_columns(const Table& table, const study::Kind& kind, const ColumnChoice& choice);

}  // namespace heron::exchange
