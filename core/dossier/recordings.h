#pragma once
#include <SQLiteCpp/SQLiteCpp.h>

#include <memory>
#include <vector>

#include "study/raw.h"

/// Records in a dossier: whole ones, and recordings of any length that are kept in chunks.
namespace heron::dossier {

/// Writes the records of a point; with `in_chunks` their counts come later. Numbers that lie elsewhere are kept in chunks.
/// @return one row a channel; Fault::input where numbers cannot be read from where they lie
Result<std::vector<long long>> write_records(SQLite::Database& db, long long point, const study::Point& from, bool in_chunks);

/// One more point of a take has been written.
void count_point(SQLite::Database& db, long long take);

/// A recording where it lies; reads when it is asked, through the connection it is given.
std::shared_ptr<const study::Samples> recording_of(const std::shared_ptr<SQLite::Database>& db, long long record,
                                                   std::size_t samples);

/// The same of plain numbers.
std::shared_ptr<const study::StoredNumbers> numbers_of(const std::shared_ptr<SQLite::Database>& db, long long record, std::size_t samples);

/// The chunks of all recordings of a take that has neither a note nor is the wake.
void drop_chunks(SQLite::Database& db, long long take);

}  // namespace heron::dossier
