#pragma once
#include <SQLiteCpp/SQLiteCpp.h>

#include <map>

#include "base/utf8.h"
#include "dossier/seal.h"
#include "dossier/store.h"

namespace heron::dossier {

struct Store::Impl {
  std::string path;
  std::shared_ptr<SQLite::Database> db;  ///< recordings that were handed out read from it as well
  bool read_only = false;
  int version = kSchemaVersion;  ///< of the file's form
  std::string damage;
  std::map<long long, int> damaged_points;  ///< of takes, as last read
};

/// JSON as text that is UTF-8 whatever came in.
inline std::string json_text(const nlohmann::json& json) {
  return json.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

/// A column's text as UTF-8, whatever an older program wrote.
inline std::string text_of(const SQLite::Column& column) { return as_utf8(column.getString()); }

/// The database's failures as ours, in words.
Error as_error(const SQLite::Exception& e, const std::string& path);

/// Runs work that talks to the database and turns what it throws into an error.
template <class Work>
auto guarded(const std::string& path, Work work) -> decltype(work()) {
  try {
    return work();
  } catch (const SQLite::Exception& e) {
    return tl::unexpected(as_error(e, path));
  } catch (const nlohmann::json::exception&) {
    return fail(Fault::input, "{}: a set-up stored in the dossier cannot be read; the file is damaged.", path);
  }
}

/// One statement with its values, in their order; nothing of an optional one.
template <class... SqlValues>
void execute(SQLite::Database& db, const std::string& sql, const SqlValues&... values) {
  SQLite::Statement q(db, sql);
  int at = 0;
  const auto bind = [&]<class Value>(const Value& value) {
    ++at;
    if constexpr (std::is_same_v<Value, std::optional<long long>>) {
      if (value) q.bind(at, static_cast<int64_t>(*value));
    } else if constexpr (std::is_integral_v<Value>) {
      q.bind(at, static_cast<int64_t>(value));
    } else {
      q.bind(at, value);
    }
  };
  (bind(values), ...);
  q.exec();
}

/// The same as one change of a table that is sealed. @return the row that was added, where one was
template <class Impl, class... SqlValues>
Result<long long> edit(Impl& impl, const std::string& table, const std::string& sql, const SqlValues&... values) {
  return guarded(impl.path, [&]() -> Result<long long> {
    SQLite::Transaction transaction(*impl.db);
    execute(*impl.db, sql, values...);
    const auto row = impl.db->getLastInsertRowid();
    reseal(*impl.db, table);
    transaction.commit();
    return row;
  });
}
inline Result<void> without_row(const Result<long long>& edited) { return edited ? Result<void>() : Result<void>(tl::unexpected(edited.error())); }

/// Part names of the main assembly stand as they are; those of another carry its number.
inline std::string part_prefix(long long assembly) {
  return assembly == kMainAssembly ? std::string() : fmt::format("{}:", assembly);
}

}  // namespace heron::dossier
