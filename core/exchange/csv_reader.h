#pragma once
#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"
#include "study/kind.h"
#include "study/raw.h"

/// Other people's tables: separators, decimal commas, units and notes are found by themselves. docs/import.md tells the
/// rules.
namespace heron::exchange {

struct TableColumn {
  std::string name;   ///< without the unit; empty where the file has no header
  std::string unit;   ///< symbol without prefix; empty where none is given or it is not known
  double factor = 1;  ///< of the unit's prefix
};

/// A text table, cells still as text.
struct Table {
  std::string file;
  std::string notes;  ///< the lines before the header and the lines marked #
  std::vector<TableColumn> columns;
  struct Row {
    int line = 0;  ///< in the file, from 1
    std::vector<std::string> cells;
  };
  std::vector<Row> rows;
  bool decimal_comma = false;

  std::string column_list() const;  ///< for messages: "1 frequency, 2 gain"
};

/// Fails with file and line: no data, an unclosed quote, a file that is not text.
Result<Table> read_table(std::string_view text, const std::string& file);

struct ColumnChoice {
  std::map<std::string, std::string> column;  ///< role -> header name or 1-based number
  std::map<std::string, double> scale;        ///< role -> factor
};

/// Role -> column (from 0), as far as choice and names tell.
std::map<std::string, std::size_t> role_columns(const Table& table, const study::Kind& kind,
                                                const ColumnChoice& choice);

/// Picks the columns that play the kind's roles and turns them into numbers in SI.
///
/// A role goes to the column chosen for it, else to the one whose name is the role's (any case). Text, infinite or
/// missing cells in a used column are errors with their line; other columns are ignored. Roles and scales the kind does
/// not know are Fault::usage.
Result<study::Record> pick_columns(const Table& table, const study::Kind& kind, const ColumnChoice& choice);

/// Reads a whole file into memory; refuses what is larger than 1 GB.
Result<std::string> read_file(const std::string& path);

}  // namespace heron::exchange
