#include "dossier/salvage.h"

#include <sqlite3.h>

#include <algorithm>
#include <cstdint>
#include <filesystem>
#include <fstream>
#include <set>
#include <vector>

#include "dossier/schema.h"
#include "dossier/seal.h"
#include "dossier/store.h"

namespace heron::dossier {
namespace {

struct Table {
  const char* name;
  int since = 1;  ///< the form that it came with
};
constexpr Table kTables[] = {{"device"}, {"assembly", 3}, {"unit"},   {"fitted"},   {"study"},            {"claim"},               {"mask"},
                             {"take"},   {"point"},       {"record"}, {"chunk", 6}, {"typed", kTypedSince}, {"report", kNotedSince}, {"picture", kNotedSince}};

using Columns = std::vector<std::string>;

Columns columns_of(SQLite::Database& db, const std::string& table) {
  Columns out;
  SQLite::Statement q(db, fmt::format("PRAGMA table_info({})", table));
  while (q.executeStep()) out.push_back(q.getColumn(1).getString());
  return out;
}

/// Copies the rows of one table from a rowid on, in one direction, until one cannot be read.
/// @return false when it stopped at damage; `last` is the last rowid that was read
bool copy_from(SQLite::Database& from, SQLite::Database& to, const std::string& table, const Columns& columns,
               bool upward, std::int64_t start, std::int64_t& last, std::set<std::int64_t>& done) {
  std::string names, marks;
  for (const auto& c : columns) {
    names += (names.empty() ? "" : ", ") + c;
    marks += marks.empty() ? "?" : ", ?";
  }
  try {
    SQLite::Statement read(from, fmt::format("SELECT rowid, {} FROM {} NOT INDEXED WHERE rowid {} ? ORDER BY rowid {}",
                                             names, table, upward ? ">=" : "<=", upward ? "ASC" : "DESC"));
    SQLite::Statement write(to, fmt::format("INSERT OR IGNORE INTO {} (rowid, {}) VALUES (?, {})", table, names, marks));
    read.bind(1, start);
    while (read.executeStep()) {
      last = read.getColumn(0).getInt64();
      if (!done.insert(last).second) return true;
      write.reset();
      write.clearBindings();
      write.bind(1, last);
      for (int c = 1; c <= int(columns.size()); ++c) {
        const auto column = read.getColumn(c);
        if (column.isInteger())
          write.bind(c + 1, column.getInt64());
        else if (column.isFloat())
          write.bind(c + 1, column.getDouble());
        else if (column.isText())
          write.bind(c + 1, column.getString());
        else if (column.isBlob())
          write.bind(c + 1, column.getBlob(), column.getBytes());
      }
      try {
        write.exec();
      } catch (const SQLite::Exception&) {
        // A row whose fields no longer make sense together is as good as lost.
      }
    }
    return true;
  } catch (const SQLite::Exception&) {
    return false;
  }
}

/// All of a table that can be read: from below, past what is damaged by ever longer steps, then from above.
/// @return true where nothing is missing
bool copy_table(SQLite::Database& from, SQLite::Database& to, const std::string& table) {
  Columns columns;
  try {
    const auto there = columns_of(from, table);
    for (const auto& wanted : columns_of(to, table))
      if (std::find(there.begin(), there.end(), wanted) != there.end()) columns.push_back(wanted);
  } catch (const SQLite::Exception&) {
    return false;
  }
  if (columns.empty()) return false;
  std::set<std::int64_t> done;
  std::int64_t last = 0, start = 0;
  bool whole = copy_from(from, to, table, columns, true, 0, last, done);
  if (whole) return true;
  for (std::int64_t step = 1; step <= (std::int64_t(1) << 32); step *= 2) {
    start = std::max(last, start) + step;
    const auto before = done.size();
    if (copy_from(from, to, table, columns, true, start, last, done)) break;
    if (done.size() > before) step = 1;
  }
  copy_from(from, to, table, columns, false, INT64_MAX, last, done);
  return false;
}

}  // namespace

std::string read_only_uri(const std::string& path) {
  std::string out = "file:";
  for (const char c : std::filesystem::absolute(path).string()) {
    if (c == '?' || c == '#' || c == '%')
      out += fmt::format("%{:02X}", int(static_cast<unsigned char>(c)));
    else
      out += c;
  }
  return out + "?immutable=1";
}

bool is_cut_short(const std::string& path) {
  unsigned char header[100] = {};
  std::ifstream in(path, std::ios::binary);
  in.read(reinterpret_cast<char*>(header), sizeof header);
  if (in.gcount() < std::streamsize(sizeof header)) return true;
  std::uint64_t page = std::uint64_t(header[16]) << 8 | header[17];
  if (page == 1) page = 65536;
  const std::uint64_t pages = std::uint64_t(header[28]) << 24 | std::uint64_t(header[29]) << 16 |
                              std::uint64_t(header[30]) << 8 | header[31];
  std::error_code failure;
  return std::filesystem::file_size(path, failure) < page * pages;
}

Result<Salvaged> salvage(const std::string& path) {
  try {
    SQLite::Database from(read_only_uri(path), SQLite::OPEN_READONLY | SQLite::OPEN_URI);
    // Pages that the header promises and the file lacks are then an error only where they are read.
    from.exec("PRAGMA writable_schema = ON");
    const int application = from.execAndGet("PRAGMA application_id").getInt(),
              version = from.execAndGet("PRAGMA user_version").getInt();
    if (application != kApplicationId) return fail(Fault::input, "{}: this is a database, but not a dossier.", path);
    if (version < 1 || version > kSchemaVersion)
      return fail(Fault::input, "{}: the dossier is of form {}, which is not known here.", path, version);
    Salvaged out;
    out.db = std::make_unique<SQLite::Database>("", SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
    out.db->exec(kSchema);
    std::string lost;
    SQLite::Transaction transaction(*out.db);
    for (const auto& [table, since] : kTables)
      if (version >= since && !copy_table(from, *out.db, table)) lost += (lost.empty() ? "" : ", ") + std::string(table);
    // What everything else refers to must be there.
    out.db->exec("INSERT INTO unit (id, name) SELECT 1, 'unit 01' WHERE NOT EXISTS (SELECT 1 FROM unit)");
    out.db->exec(
        "INSERT INTO device (id, name, about, circuit, current_unit) SELECT 1, 'lost', '', '', (SELECT min(id) FROM "
        "unit) WHERE NOT EXISTS (SELECT 1 FROM device)");
    out.db->exec(
        "UPDATE device SET current_unit = (SELECT min(id) FROM unit) WHERE current_unit NOT IN (SELECT id FROM unit)");
    for (const auto& sealed : kSealed) reseal(*out.db, sealed.table);
    transaction.commit();
    const int studies = out.db->execAndGet("SELECT count(*) FROM study").getInt(),
              takes = out.db->execAndGet("SELECT count(*) FROM take").getInt(),
              points = out.db->execAndGet("SELECT count(*) FROM point").getInt();
    out.said = fmt::format(
        "{}: the file is damaged{}; {} studies, {} takes and {} points could be read, for reading only. Export them "
        "and go on in a new dossier.",
        path, lost.empty() ? "" : " (" + lost + ")", studies, takes, points);
    return out;
  } catch (const SQLite::Exception& e) {
    return fail(Fault::input, "{}: the file is damaged or is not a dossier: {}.", path, e.what());
  }
}

}  // namespace heron::dossier
