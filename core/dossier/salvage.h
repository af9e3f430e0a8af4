#pragma once
#include <SQLiteCpp/SQLiteCpp.h>

#include <memory>
#include <string>

#include "base/result.h"

namespace heron::dossier {

/// A file as SQLite addresses it for reading without ever writing beside it.
std::string read_only_uri(const std::string& path);

/// True where the file is shorter than its own header says, or is no database at all.
bool is_cut_short(const std::string& path);

struct Salvaged {
  std::unique_ptr<SQLite::Database> db;  ///< a copy in the present form, gone when it is closed
  std::string said;                      ///< what could be read and what not, in a sentence
};

/// Copies what can still be read of a damaged dossier, row by row, around what cannot. The file itself is left as it
/// is. Fault::input where not even the list of its tables can be read.
Result<Salvaged> salvage(const std::string& path);

}  // namespace heron::dossier
