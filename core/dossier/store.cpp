#include "dossier/store.h"

#include <sqlite3.h>
#include <unistd.h>

#include <filesystem>

#include "dossier/salvage.h"
#include "dossier/schema.h"
#include "dossier/seal.h"
#include "dossier/store_impl.h"

namespace heron::dossier {

using nlohmann::json;
using SQLite::Statement;

Error as_error(const SQLite::Exception& e, const std::string& path) {
  switch (e.getErrorCode()) {
    case SQLITE_FULL:
      return {Fault::input, path + ": the disk is full. What was kept before is safe; free some space and go on."};
    case SQLITE_BUSY:
    case SQLITE_LOCKED:
      return {Fault::input, path + ": another program is writing to the dossier; try again in a moment."};
    case SQLITE_READONLY:
      return {Fault::input, path + ": the dossier is open for reading only."};
    case SQLITE_CORRUPT:
    case SQLITE_NOTADB:
      return {Fault::input, path + ": the file is damaged or is not a dossier."};
    case SQLITE_IOERR:
      return {Fault::input, path + ": the disk could not be read or written (is it full?)."};
    case SQLITE_CANTOPEN:
      return {Fault::input, path + ": the file cannot be opened."};
    default:
      return {Fault::input, path + ": " + e.what()};
  }
}

Store::Store(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}
Store::~Store() = default;
Store::Store(Store&&) noexcept = default;
Store& Store::operator=(Store&&) noexcept = default;

const std::string& Store::path() const { return impl_->path; }
bool Store::read_only() const { return impl_->read_only; }
const std::string& Store::damage() const { return impl_->damage; }

namespace {

void prepare(SQLite::Database& db) {
  db.setBusyTimeout(5000);
  db.exec("PRAGMA foreign_keys = ON");
}

}  // namespace

Result<Store> Store::create(const std::string& path) {
  if (std::filesystem::exists(path))
    return fail(Fault::input, "{}: the file exists already; choose another name.", path);
  auto made = guarded(path, [&]() -> Result<Store> {
    auto impl = std::make_unique<Impl>();
    impl->path = path;
    impl->db = std::make_shared<SQLite::Database>(path, SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
    auto& db = *impl->db;
    prepare(db);
    db.exec("PRAGMA journal_mode = WAL");
    db.exec("PRAGMA synchronous = FULL");
    SQLite::Transaction transaction(db);
    db.exec(kSchema);
    db.exec("INSERT INTO unit (id, name) VALUES (1, 'unit 01')");
    db.exec("INSERT INTO device (id, name, about, circuit, current_unit) VALUES (1, 'New device', '', '', 1)");
    for (const auto& sealed : kSealed) reseal(db, sealed.table);
    db.exec(fmt::format("PRAGMA application_id = {}", kApplicationId));
    db.exec(fmt::format("PRAGMA user_version = {}", kSchemaVersion));
    transaction.commit();
    return Store(std::move(impl));
  });
  if (!made)
    for (const char* ending : {"", "-wal", "-shm"}) {
      std::error_code ignored;
      std::filesystem::remove(path + ending, ignored);
    }
  return made;
}

Result<Store> Store::open(const std::string& path) { return open_file(path, true); }

Result<Store> Store::open_again(const std::string& path) { return open_file(path, false); }

Result<Store> Store::open_file(const std::string& path, bool look_through) {
  std::error_code failure;
  if (!std::filesystem::is_regular_file(path, failure))
    return fail(Fault::input, "{}: there is no such file.", as_utf8(path));
  const bool writable =
      access(path.c_str(), W_OK) == 0 && access(std::filesystem::absolute(path).parent_path().c_str(), W_OK) == 0;
  // Where nothing may be written beside the file and nobody has it open, it is read as it lies there.
  const bool as_it_lies = !writable && !std::filesystem::exists(path + "-wal", failure);
  const auto salvaged = [&]() -> Result<Store> {
    auto rescue = salvage(path);
    if (!rescue) return tl::unexpected(rescue.error());
    auto impl = std::make_unique<Impl>();
    impl->path = path;
    impl->read_only = true;
    impl->db = std::move(rescue->db);
    impl->damage = std::move(rescue->said);
    // An edit of a copy that is gone when it is closed would be lost without a word.
    impl->db->exec("PRAGMA query_only = ON");
    return Store(std::move(impl));
  };
  if (!std::filesystem::exists(path + "-wal", failure) && is_cut_short(path)) return salvaged();
  bool corrupt = false;
  auto opened = guarded(path, [&]() -> Result<Store> {
    auto impl = std::make_unique<Impl>();
    impl->path = path;
    impl->read_only = !writable;
    try {
      impl->db = std::make_shared<SQLite::Database>(as_it_lies ? read_only_uri(path) : path,
                                                    writable ? SQLite::OPEN_READWRITE
                                                             : SQLite::OPEN_READONLY | SQLite::OPEN_URI);
      auto& db = *impl->db;
      prepare(db);
      const int application = db.execAndGet("PRAGMA application_id").getInt(),
                version = db.execAndGet("PRAGMA user_version").getInt();
      if (application != kApplicationId) return fail(Fault::input, "{}: this is a database, but not a dossier.", path);
      if (version < 1)
        return fail(Fault::input, "{}: the dossier says it is of form {}, which there never was; the file is damaged.",
                    path, version);
      if (version > kSchemaVersion)
        return fail(Fault::input,
                    "{}: the dossier was written by a newer Zealous Heron (form {}, this one reads up to {}). Open it "
                    "with that one.",
                    path, version, kSchemaVersion);
      impl->version = version;
      if (impl->version >= kSealedSince && look_through) {
        // One moment for all of it: another program may be writing.
        SQLite::Transaction moment(db);
        const auto broken = broken_seals(db, version);
        if (!broken.empty()) {
          std::string names;
          for (const auto& name : broken) names += (names.empty() ? "" : ", ") + name;
          impl->damage = fmt::format(
              "{}: part of the dossier ({}) is not as it was written; it is open for reading only, and what rests on "
              "that part is not to be trusted. Copy out what can be read.",
              path, names);
          impl->read_only = true;
          db.exec("PRAGMA query_only = ON");
        }
      }
      // Older forms are brought up step by step, each in one transaction; what only may be read stays as it is.
      while (!impl->read_only && impl->version < kSchemaVersion) {
        db.exec("BEGIN IMMEDIATE");
        // Another program may have done it while this one waited.
        impl->version = db.execAndGet("PRAGMA user_version").getInt();
        if (impl->version < kSchemaVersion) {
          db.exec(kMigrations[impl->version - 1]);
          const int next = impl->version + 1;
          for (const auto& [table, since, altered] : kSealed)
            if (next == since || std::find(std::begin(altered), std::end(altered), next) != std::end(altered)) reseal(db, table, next);
          db.exec(fmt::format("PRAGMA user_version = {}", ++impl->version));
        }
        db.exec("COMMIT");
      }
      // Tables that cannot be read to the end: what can is copied out. Whole seals were read to the end.
      if (impl->version < kSealedSince || !impl->damage.empty())
        for (const char* table : {"device", "unit", "study", "claim", "mask", "take"}) {
          Statement look(db, fmt::format("SELECT * FROM {}", table));
          while (look.executeStep()) {
          }
        }
      if (!impl->read_only) {
        db.exec("PRAGMA journal_mode = WAL");
        db.exec("PRAGMA synchronous = FULL");
      }
    } catch (const SQLite::Exception& e) {
      corrupt = e.getErrorCode() == SQLITE_CORRUPT || e.getErrorCode() == SQLITE_ERROR;
      throw;
    }
    return Store(std::move(impl));
  });
  if (!opened && corrupt) return salvaged();
  return opened;
}

Result<void> Store::copy_to(const std::string& to) {
  std::error_code failure;
  if (std::filesystem::equivalent(path(), to, failure)) return fail(Fault::usage, "{}: a dossier cannot be copied onto itself.", to);
  const auto beside = to + ".part";
  std::filesystem::remove(beside, failure);
  const auto copied = guarded(to, [&]() -> Result<void> {
    Statement q(*impl_->db, "VACUUM INTO ?");
    q.bind(1, beside);
    q.exec();
    return {};
  });
  if (copied) {
    // What an older copy left beside itself would be taken for the new one's.
    for (const char* ending : {"-wal", "-shm"}) std::filesystem::remove(to + ending, failure);
    std::filesystem::rename(beside, to, failure);
    if (failure) return fail(Fault::input, "{}: the file cannot be written: {}.", to, failure.message());
    return {};
  }
  std::filesystem::remove(beside, failure);
  return copied;
}

Result<DeviceInfo> Store::device(long long assembly) {
  return guarded(path(), [&]() -> Result<DeviceInfo> {
    const bool main = assembly == kMainAssembly;
    // A file that may not be written to keeps its older form.
    Statement q(*impl_->db, impl_->version < 2 ? "SELECT name, about, circuit, '{}' FROM device WHERE id = 1"
                            : main             ? "SELECT name, about, circuit, more FROM device WHERE id = 1"
                                               : "SELECT name, assembly.about, assembly.circuit, assembly.more FROM "
                                                 "device, assembly WHERE device.id = 1 AND assembly.id = ?");
    if (!main) q.bind(1, static_cast<int64_t>(assembly));
    if (!q.executeStep()) return fail(Fault::input, "{}: the dossier has lost its device.", path());
    DeviceInfo info{text_of(q.getColumn(0)), text_of(q.getColumn(1)), text_of(q.getColumn(2))};
    const auto more = nlohmann::json::parse(text_of(q.getColumn(3)), nullptr, false);
    if (more.is_object()) {
      const auto ratings = more.value("ratings", nlohmann::json::object());
      info.ratings = device::ratings_from_json(ratings);
      info.expectations = device::expectations_from_json(more.value("expectations", nlohmann::json::array()));
      info.unreadable = device::unreadable_ratings(ratings);
    } else {
      info.unreadable = "all of them";
    }
    return info;
  });
}

Result<void> Store::set_device(const DeviceInfo& device, long long assembly) {
  const auto now = this->device(assembly);
  if (!now) return tl::unexpected(now.error());
  if (!now->unreadable.empty())
    return fail(Fault::input,
                "{}: ratings that are kept of the device cannot be read ({}); nothing is written over them. They stand in "
                "the column \"more\" of the dossier.",
                path(), now->unreadable);
  return guarded(path(), [&]() -> Result<void> {
    SQLite::Transaction transaction(*impl_->db);
    Statement name(*impl_->db, "UPDATE device SET name = ? WHERE id = 1");
    name.bind(1, device.name);
    name.exec();
    Statement q(*impl_->db, assembly == kMainAssembly
                                ? "UPDATE device SET about = ?, circuit = ?, more = ? WHERE id = ?"
                                : "UPDATE assembly SET about = ?, circuit = ?, more = ? WHERE id = ?");
    q.bind(1, device.about);
    q.bind(2, device.circuit);
    q.bind(3, json_text({{"ratings", device::to_json(device.ratings)},
                         {"expectations", device::to_json(device.expectations)}}));
    q.bind(4, static_cast<int64_t>(assembly));
    q.exec();
    reseal(*impl_->db, "device");
    reseal(*impl_->db, "assembly");
    transaction.commit();
    return {};
  });
}

Result<std::vector<std::pair<long long, std::string>>> Store::assemblies() {
  return guarded(path(), [&]() -> Result<std::vector<std::pair<long long, std::string>>> {
    std::vector<std::pair<long long, std::string>> out;
    Statement q(*impl_->db, impl_->version < 3
                                ? "SELECT 1, about FROM device WHERE id = 1"
                                : "SELECT 1, about FROM device UNION ALL SELECT id, about FROM assembly ORDER BY 1");
    while (q.executeStep()) out.push_back({q.getColumn(0).getInt64(), text_of(q.getColumn(1))});
    return out;
  });
}

Result<long long> Store::add_assembly(const std::string& about, const std::string& circuit) {
  return guarded(path(), [&]() -> Result<long long> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(*impl_->db,
                "INSERT INTO assembly (id, about, circuit) VALUES ((SELECT COALESCE(MAX(id), 1) + 1 FROM assembly), ?, "
                "?)");
    q.bind(1, about);
    q.bind(2, circuit);
    q.exec();
    const auto id = impl_->db->getLastInsertRowid();
    reseal(*impl_->db, "assembly");
    transaction.commit();
    return id;
  });
}

Result<std::vector<Unit>> Store::units(long long assembly) {
  return guarded(path(), [&]() -> Result<std::vector<Unit>> {
    std::vector<Unit> out;
    Statement q(*impl_->db, impl_->version < kNotedSince ? "SELECT id, name, '', '' FROM unit ORDER BY id"
                                                         : "SELECT id, name, serial, note FROM unit ORDER BY id");
    while (q.executeStep())
      out.push_back({.id = q.getColumn(0).getInt64(),
                     .name = text_of(q.getColumn(1)),
                     .fitted = {},
                     .serial = text_of(q.getColumn(2)),
                     .note = text_of(q.getColumn(3))});
    Statement values(*impl_->db, impl_->version < 2 ? "SELECT part, value, 0 FROM fitted WHERE unit = ?"
                                                    : "SELECT part, value, tolerance FROM fitted WHERE unit = ?");
    for (auto& unit : out) {
      values.reset();
      values.bind(1, static_cast<int64_t>(unit.id));
      while (values.executeStep()) {
        auto part = text_of(values.getColumn(0));
        const auto colon = part.find(':');
        if ((colon == std::string::npos ? std::string() : part.substr(0, colon + 1)) != part_prefix(assembly)) continue;
        if (colon != std::string::npos) part.erase(0, colon + 1);
        unit.fitted[part] = values.getColumn(1).getDouble();
        if (const double tolerance = values.getColumn(2).getDouble(); tolerance > 0)
          unit.fitted_tolerance[part] = tolerance;
      }
    }
    return out;
  });
}

Result<Unit> Store::current_unit(long long assembly) {
  const auto all = units(assembly);
  if (!all) return tl::unexpected(all.error());
  return guarded(path(), [&]() -> Result<Unit> {
    const auto id = impl_->db->execAndGet("SELECT current_unit FROM device WHERE id = 1").getInt64();
    for (const auto& unit : *all)
      if (unit.id == id) return unit;
    return fail(Fault::input, "{}: the dossier has no unit.", path());
  });
}

Result<long long> Store::add_unit(const std::string& name) {
  return guarded(path(), [&]() -> Result<long long> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(*impl_->db, "INSERT INTO unit (name) VALUES (?)");
    q.bind(1, name);
    q.exec();
    const auto id = impl_->db->getLastInsertRowid();
    reseal(*impl_->db, "unit");
    transaction.commit();
    return id;
  });
}

Result<void> Store::set_current_unit(long long unit) {
  return guarded(path(), [&]() -> Result<void> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(*impl_->db, "UPDATE device SET current_unit = ? WHERE id = 1");
    q.bind(1, static_cast<int64_t>(unit));
    q.exec();
    reseal(*impl_->db, "device");
    transaction.commit();
    return {};
  });
}

Result<void> Store::set_fitted(long long unit, const std::string& part, std::optional<double> value, double tolerance,
                               long long assembly) {
  return guarded(path(), [&]() -> Result<void> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(*impl_->db, value ? "INSERT OR REPLACE INTO fitted (unit, part, value, tolerance) VALUES (?, ?, ?, ?)"
                                  : "DELETE FROM fitted WHERE unit = ? AND part = ?");
    q.bind(1, static_cast<int64_t>(unit));
    q.bind(2, part_prefix(assembly) + part);
    if (value) {
      q.bind(3, *value);
      q.bind(4, tolerance);
    }
    q.exec();
    reseal(*impl_->db, "fitted");
    transaction.commit();
    return {};
  });
}

Result<std::vector<Study>> Store::studies() {
  return guarded(path(), [&]() -> Result<std::vector<Study>> {
    std::vector<Study> out;
    Statement q(*impl_->db,
                fmt::format("SELECT id, name, kind, plan, settings, wake, {}, {}, {} FROM study ORDER BY position, id",
                            impl_->version < 3 ? "1" : "assembly", impl_->version < kNotedSince ? "''" : "note",
                            impl_->version < kLookedAtSince ? "''" : "look"));
    while (q.executeStep()) {
      Study study{q.getColumn(0).getInt64(),
                  text_of(q.getColumn(1)),
                  text_of(q.getColumn(2)),
                  json::parse(text_of(q.getColumn(3))),
                  json::parse(text_of(q.getColumn(4))).get<study::SettingsText>(),
                  {}};
      if (!q.getColumn(5).isNull()) study.wake = q.getColumn(5).getInt64();
      study.assembly = q.getColumn(6).getInt64();
      study.note = text_of(q.getColumn(7));
      // Nothing is lost with it that could not be looked at anew.
      if (auto look = json::parse(text_of(q.getColumn(8)), nullptr, false); look.is_object()) study.look = std::move(look);
      out.push_back(std::move(study));
    }
    return out;
  });
}

Result<Study> Store::find_study(const std::string& name) {
  const auto all = studies();
  if (!all) return tl::unexpected(all.error());
  std::string names;
  for (const auto& study : *all) {
    if (study.name == name) return study;
    names += (names.empty() ? "" : ", ") + study.name;
  }
  return fail(Fault::usage, "{}: there is no study \"{}\"; there {}.", path(), name,
              names.empty() ? "are none" : "are " + names);
}

Result<long long> Store::add_study(const Study& study) {
  return guarded(path(), [&]() -> Result<long long> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(*impl_->db,
                "INSERT INTO study (position, name, kind, plan, settings, assembly, note, look) VALUES ((SELECT COUNT(*) FROM "
                "study), ?, ?, ?, ?, ?, ?, ?)");
    q.bind(7, json_text(study.look));
    q.bind(6, study.note);
    q.bind(5, static_cast<int64_t>(study.assembly));
    q.bind(1, study.name);
    q.bind(2, study.kind);
    q.bind(3, json_text(study.plan));
    q.bind(4, json_text(json(study.settings)));
    q.exec();
    const auto id = impl_->db->getLastInsertRowid();
    reseal(*impl_->db, "study");
    transaction.commit();
    return id;
  });
}

Result<void> Store::set_plan(long long study, const json& plan) {
  return guarded(path(), [&]() -> Result<void> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(*impl_->db, "UPDATE study SET plan = ? WHERE id = ?");
    q.bind(1, json_text(plan));
    q.bind(2, static_cast<int64_t>(study));
    q.exec();
    reseal(*impl_->db, "study");
    transaction.commit();
    return {};
  });
}

Result<void> Store::set_settings(long long study, const study::SettingsText& settings) {
  return guarded(path(), [&]() -> Result<void> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(*impl_->db, "UPDATE study SET settings = ? WHERE id = ?");
    q.bind(1, json_text(json(settings)));
    q.bind(2, static_cast<int64_t>(study));
    q.exec();
    reseal(*impl_->db, "study");
    transaction.commit();
    return {};
  });
}

Result<void> Store::set_wake(long long study, std::optional<long long> take) {
  return guarded(path(), [&]() -> Result<void> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(*impl_->db, "UPDATE study SET wake = ? WHERE id = ?");
    if (take) q.bind(1, static_cast<int64_t>(*take));
    q.bind(2, static_cast<int64_t>(study));
    q.exec();
    reseal(*impl_->db, "study");
    transaction.commit();
    return {};
  });
}

Result<std::vector<judge::Claim>> Store::claims(long long study) {
  return guarded(path(), [&]() -> Result<std::vector<judge::Claim>> {
    std::vector<judge::Claim> out;
    Statement q(*impl_->db,
                fmt::format("SELECT id, text, figure, lower, upper, expected, tolerance, {} FROM claim WHERE study = ? "
                            "ORDER BY id",
                            impl_->version < 4 ? "NULL" : "typical"));
    q.bind(1, static_cast<int64_t>(study));
    const auto text = [&](int column) {
      return q.getColumn(column).isNull() ? std::nullopt : std::optional(text_of(q.getColumn(column)));
    };
    while (q.executeStep())
      out.push_back({q.getColumn(0).getInt64(), text_of(q.getColumn(1)), text_of(q.getColumn(2)), text(3),
                     text(4), text(5), text(6), text(7)});
    return out;
  });
}

Result<long long> Store::add_claim(long long study, const judge::Claim& claim) {
  return guarded(path(), [&]() -> Result<long long> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(
        *impl_->db,
        "INSERT INTO claim (study, text, figure, lower, upper, expected, tolerance, typical) VALUES (?, ?, ?, ?, ?, ?, "
        "?, ?)");
    q.bind(1, static_cast<int64_t>(study));
    q.bind(2, claim.text);
    q.bind(3, claim.figure);
    int column = 4;
    for (const auto* text : {&claim.lower, &claim.upper, &claim.expected, &claim.tolerance, &claim.typical}) {
      if (*text) q.bind(column, **text);
      ++column;
    }
    q.exec();
    const auto id = impl_->db->getLastInsertRowid();
    reseal(*impl_->db, "claim");
    transaction.commit();
    return id;
  });
}

Result<void> Store::remove_claim(long long claim) {
  return guarded(path(), [&]() -> Result<void> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(*impl_->db, "DELETE FROM claim WHERE id = ?");
    q.bind(1, static_cast<int64_t>(claim));
    q.exec();
    reseal(*impl_->db, "claim");
    transaction.commit();
    return {};
  });
}

Result<std::vector<judge::Mask>> Store::masks(long long study) {
  return guarded(path(), [&]() -> Result<std::vector<judge::Mask>> {
    std::vector<judge::Mask> out;
    Statement q(*impl_->db, fmt::format("SELECT id, text, curve, upper, lower, {} FROM mask WHERE study = ? ORDER BY id",
                                        impl_->version < kPlacedSince ? "'', '', ''" : impl_->version < kAlongSince ? "unit, after, ''" : "unit, after, along"));
    q.bind(1, static_cast<int64_t>(study));
    while (q.executeStep())
      out.push_back({q.getColumn(0).getInt64(), text_of(q.getColumn(1)), text_of(q.getColumn(2)),
                     json::parse(text_of(q.getColumn(3))).get<std::vector<std::pair<double, double>>>(),
                     json::parse(text_of(q.getColumn(4))).get<std::vector<std::pair<double, double>>>(),
                     text_of(q.getColumn(5)), text_of(q.getColumn(6)), text_of(q.getColumn(7))});
    return out;
  });
}

Result<long long> Store::add_mask(long long study, const judge::Mask& mask) {
  return guarded(path(), [&]() -> Result<long long> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(*impl_->db, "INSERT INTO mask (study, text, curve, upper, lower, unit, after, along) VALUES (?, ?, ?, ?, ?, ?, ?, ?)");
    q.bind(1, static_cast<int64_t>(study));
    q.bind(2, mask.text);
    q.bind(3, mask.curve);
    q.bind(4, json_text(json(mask.upper)));
    q.bind(5, json_text(json(mask.lower)));
    q.bind(6, mask.unit);
    q.bind(7, mask.after);
    q.bind(8, mask.along);
    q.exec();
    const auto id = impl_->db->getLastInsertRowid();
    reseal(*impl_->db, "mask");
    transaction.commit();
    return id;
  });
}

Result<void> Store::remove_mask(long long mask) {
  return guarded(path(), [&]() -> Result<void> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(*impl_->db, "DELETE FROM mask WHERE id = ?");
    q.bind(1, static_cast<int64_t>(mask));
    q.exec();
    reseal(*impl_->db, "mask");
    transaction.commit();
    return {};
  });
}

}  // namespace heron::dossier
