#pragma once
#include <SQLiteCpp/SQLiteCpp.h>

#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "study/raw.h"

/// Checksums that tell a damaged dossier from a sound one (xxHash, 64 bits).
namespace heron::dossier {

/// Tables whose rows are edited: each has one checksum over all of them, renewed with every change.
inline constexpr const char* kSealed[] = {"device", "assembly", "unit", "fitted", "study", "claim", "mask", "take"};

/// Renews a table's seal; call inside the transaction that changed it.
void reseal(SQLite::Database& db, const std::string& table);

/// Tables whose content is not what was sealed, or that cannot be read to the end. Empty for a sound file.
std::vector<std::string> broken_seals(SQLite::Database& db);

/// The checksum of a point: its setting as text, and every record with all that is kept of it.
std::int64_t sum_of(const std::string& setting, const study::Point& point);

/// Of any bytes.
std::int64_t sum_of_bytes(const void* data, std::size_t size);

}  // namespace heron::dossier
