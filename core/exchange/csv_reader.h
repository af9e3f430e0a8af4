#pragma once
#include <deque>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"

/// Other people's tables: separators, decimal commas, units and notes are found by themselves. docs/import.md tells the
/// rules; columns.h turns columns into what a study reads.
namespace heron::exchange {

struct TableColumn {
  std::string name;            ///< without the unit; empty where the file has no header
  std::string unit;            ///< symbol without prefix; empty where none is given or it is not known
  double factor = 1;           ///< of the unit's prefix
  std::string typed_unit = {}; ///< as the header has it
  std::string header = {};     ///< all of it

  /// A unit stands there, but not one that is known.
  bool unit_unknown() const { return unit.empty() && !typed_unit.empty(); }
};

/// A text table, cells still as text. Cells are views of the file's text, which the table keeps.
struct Table {
  std::string file;
  std::string notes;  ///< the lines before the header and the lines marked # or %
  std::vector<TableColumn> columns;
  struct Row {
    int line = 0;  ///< in the file, from 1
    std::vector<std::string_view> cells;
  };
  std::vector<Row> rows;
  bool decimal_comma = false;
  char separator = ',';  ///< a blank: runs of blanks
  std::shared_ptr<std::deque<std::string>> texts = std::make_shared<std::deque<std::string>>();

  std::string column_list() const;  ///< for messages: "1 frequency, 2 gain"
  /// Text that cells may refer to as long as the table or a copy of it lives.
  std::string_view keep(std::string text) const { return texts->emplace_back(std::move(text)); }
};

/// A cell as a number: an optional sign, a decimal point or comma, an exponent. "nan" and "inf" are numbers here.
bool read_number(std::string_view cell, bool decimal_comma, double& value);

/// Text of any encoding that decoded_text() knows. Fails with file and line: no data, an unclosed quote, a file that is
/// not text. O(n), some 60 bytes a row beside the text.
Result<Table> read_table(std::string text, const std::string& file);

/// Reads a whole file into memory; refuses what is larger than 1 GB.
Result<std::string> read_file(const std::string& path);

/// The first whole lines of a file.
struct FileHead {
  std::string text;
  double share = 1;  ///< of the file
  bool whole() const { return share >= 1; }
};
/// @param most  bytes
Result<FileHead> read_head(const std::string& path, std::size_t most);

}  // namespace heron::exchange
