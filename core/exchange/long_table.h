#pragma once
#include <functional>
#include <optional>
#include <stop_token>

#include "exchange/columns.h"

/// Tables of any length: read piece by piece, their numbers laid on the disk, so that memory stays flat.
namespace heron::exchange {

/// How far a file is read, and whether to go on.
struct ReadingProgress {
  std::function<void(double share)> done = {};
  std::stop_token stop = {};
};

/// The bytes from which on a table is long.
inline constexpr std::size_t kLongTable = 8'000'000;

struct LongTable {
  study::Record record;
  std::string notes;
};

/// The record of a long table of a kind whose quantities go by their own names.
/// @return nothing where a row is not as plain as the first ones (a quotation mark, a note, a missing cell): the careful
/// reader is then to say what it is. Fault::input where that cannot hold the file, with the line; Fault::stopped.
Result<std::optional<LongTable>> read_long_table(const std::string& path, const study::Kind& kind, const ColumnChoice& choice,
                                                 const ReadingProgress& progress = {});

}  // namespace heron::exchange
