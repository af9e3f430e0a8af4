#pragma once
#include <SQLiteCpp/SQLiteCpp.h>

#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "dossier/store.h"
#include "study/raw.h"

/// Checksums that tell a damaged dossier from a sound one (xxHash, 64 bits).
namespace heron::dossier {

/// Tables whose rows are edited: each has one checksum over all of them, renewed with every change.
struct Sealed {
  const char* table;
  int since;        ///< the form that its seal came with
  int altered[2] = {};  ///< the forms that it got columns in since
};
inline constexpr Sealed kSealed[] = {{"device", 5, {9}}, {"assembly", 5}, {"unit", 5, {9}}, {"fitted", 5}, {"study", 5, {9, 10}},
                                     {"claim", 5},       {"mask", 5, {8, 12}}, {"take", 5, {11}}, {"typed", 7},  {"report", 9},
                                     {"picture", 9}};

/// Renews a table's seal; call inside the transaction that changed it.
/// @param form  of the file by now
void reseal(SQLite::Database& db, const std::string& table, int form = kSchemaVersion);

/// Tables whose content is not what was sealed, or that cannot be read to the end. Empty for a sound file.
/// @param form  of the file
std::vector<std::string> broken_seals(SQLite::Database& db, int form);

/// The checksum of a point: its setting as text, and every record with all that is kept of it.
std::int64_t sum_of(const std::string& setting, const study::Point& point);

/// Of any bytes.
std::int64_t sum_of_bytes(const void* data, std::size_t size);

}  // namespace heron::dossier
