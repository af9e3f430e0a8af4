#include <filesystem>
#include <map>

#include "dossier/schema.h"
#include "dossier/seal.h"
#include "dossier/store.h"
#include "dossier/store_impl.h"

/// Bringing the takes of another dossier in.
namespace heron::dossier {

using SQLite::Statement;

namespace {

/// Keeps another dossier's tables at hand under the name "other".
class Attached {
 public:
  Attached(SQLite::Database& db, const std::string& path) : db_(db) {
    Statement q(db, "ATTACH ? AS other");
    q.bind(1, path);
    q.exec();
  }
  ~Attached() {
    try {
      db_.exec("DETACH other");
    } catch (const SQLite::Exception&) {
      // It goes with the connection.
    }
  }
  Attached(const Attached&) = delete;
  Attached& operator=(const Attached&) = delete;

 private:
  SQLite::Database& db_;
};

using Ids = std::map<long long, long long>;  ///< there, here

/// Nothing was done in it since it was made.
bool is_untouched(SQLite::Database& db) {
  return db.execAndGet("SELECT (SELECT count(*) FROM main.study) + (SELECT count(*) FROM main.assembly) + (SELECT count(*) "
                       "FROM main.fitted) + (SELECT count(*) FROM main.device WHERE circuit <> '' OR name <> 'New device') + "
                       "(SELECT count(*) FROM main.unit WHERE id > 1 OR serial <> '' OR note <> '')")
             .getInt() == 0;
}

/// The device of the other in the place of one that nobody has said anything of.
void adopt(SQLite::Database& db) {
  db.exec("UPDATE main.device SET (name, about, circuit, more, note) = (SELECT name, about, circuit, more, note FROM other.device WHERE id = 1)");
  db.exec("INSERT INTO main.assembly (id, about, circuit, more) SELECT id, about, circuit, more FROM other.assembly");
  db.exec("UPDATE main.unit SET (name, serial, note) = (SELECT name, serial, note FROM other.unit ORDER BY id LIMIT 1)");
  db.exec("INSERT INTO main.fitted (unit, part, value, tolerance) SELECT (SELECT id FROM main.unit), part, value, tolerance FROM "
          "other.fitted WHERE unit = (SELECT min(id) FROM other.unit)");
  db.exec("INSERT INTO main.report (id, content) SELECT id, content FROM other.report");
}

/// By what assemblies are about; those that are missing are added.
Ids match_assemblies(SQLite::Database& db, Merged& merged) {
  Ids out;
  Statement main(db, "SELECT a.about, a.circuit = b.circuit, a.about = b.about FROM other.device a, main.device b");
  main.executeStep();
  const auto main_there = text_of(main.getColumn(0));
  if (main.getColumn(2).getInt() != 0) {
    out[kMainAssembly] = kMainAssembly;
    if (main.getColumn(1).getInt() == 0) merged.said.push_back(fmt::format("The circuit of {} is another there; the one that is here stays.", main_there.empty() ? "the device" : main_there));
  }
  Statement q(db, "SELECT 1, about, circuit, more FROM other.device UNION ALL SELECT id, about, circuit, more FROM other.assembly ORDER BY 1");
  while (q.executeStep()) {
    const auto there = q.getColumn(0).getInt64();
    if (out.contains(there)) continue;
    const auto about = q.getColumn(1).getString();
    Statement here(db, "SELECT id, circuit FROM main.assembly WHERE about = ?1 UNION ALL SELECT 1, circuit FROM main.device WHERE about = ?1");
    here.bind(1, about);
    if (here.executeStep()) {
      out[there] = here.getColumn(0).getInt64();
      if (here.getColumn(1).getString() != q.getColumn(2).getString()) merged.said.push_back(fmt::format("The circuit of {} is another there; the one that is here stays.", as_utf8(about)));
      continue;
    }
    execute(db, "INSERT INTO main.assembly (id, about, circuit, more) VALUES ((SELECT coalesce(max(id), 1) + 1 FROM main.assembly), ?, ?, ?)",
        about, q.getColumn(2).getString(), q.getColumn(3).getString());
    out[there] = db.getLastInsertRowid();
  }
  return out;
}

/// By name. Two that carry one name and two serial numbers are two units, and nobody can tell whose takes are whose.
Result<Ids> bring_units(SQLite::Database& db, const Ids& assemblies, Merged& merged) {
  Ids out;
  Statement q(db, "SELECT a.id, a.name, a.serial, a.note, b.id, b.serial FROM other.unit a LEFT JOIN main.unit b ON a.name = b.name ORDER BY a.id");
  while (q.executeStep()) {
    const auto there = q.getColumn(0).getInt64();
    const auto name = text_of(q.getColumn(1)), serial = text_of(q.getColumn(2));
    if (!q.getColumn(4).isNull()) {
      const auto here = out[there] = q.getColumn(4).getInt64();
      const auto serial_here = text_of(q.getColumn(5));
      if (!serial.empty() && !serial_here.empty() && serial != serial_here)
        return fail(Fault::input, "{} has the serial number {} here and {} there: they are two units. Give one of them another name first.", name, serial_here, serial);
      execute(db, "UPDATE main.unit SET serial = CASE serial WHEN '' THEN ? ELSE serial END, note = CASE note WHEN '' THEN ? ELSE note END WHERE id = ?", serial, text_of(q.getColumn(3)), here);
      continue;
    }
    execute(db, "INSERT INTO main.unit (name, serial, note) VALUES (?, ?, ?)", name, serial, text_of(q.getColumn(3)));
    const auto here = out[there] = db.getLastInsertRowid();
    ++merged.units;
    Statement parts(db, "SELECT part, value, tolerance FROM other.fitted WHERE unit = ?");
    parts.bind(1, static_cast<int64_t>(there));
    while (parts.executeStep()) {
      auto part = text_of(parts.getColumn(0));
      long long assembly = kMainAssembly;
      if (const auto colon = part.find(':'); colon != std::string::npos) {
        assembly = std::atoll(part.substr(0, colon).c_str());
        part.erase(0, colon + 1);
      }
      if (const auto to = assemblies.find(assembly); to != assemblies.end())
        execute(db, "INSERT OR REPLACE INTO main.fitted (unit, part, value, tolerance) VALUES (?, ?, ?, ?)", here, part_prefix(to->second) + part, parts.getColumn(1).getDouble(), parts.getColumn(2).getDouble());
    }
  }
  return out;
}

/// By name; those that are missing come with their claims and masks.
Result<std::pair<Ids, Ids>> bring_studies(SQLite::Database& db, const Ids& assemblies, Merged& merged) {
  Ids all, fresh;
  Statement q(db, "SELECT a.id, a.name, a.kind, a.assembly, b.id, b.kind, b.assembly FROM other.study a LEFT JOIN main.study b ON a.name = b.name ORDER BY a.position, a.id");
  while (q.executeStep()) {
    const auto there = q.getColumn(0).getInt64();
    const auto name = text_of(q.getColumn(1));
    const auto assembly = assemblies.find(q.getColumn(3).getInt64());
    if (assembly == assemblies.end()) return fail(Fault::input, "The study {} there is about an assembly that the file has lost.", name);
    if (!q.getColumn(4).isNull()) {
      if (q.getColumn(2).getString() != q.getColumn(5).getString() || assembly->second != q.getColumn(6).getInt64())
        return fail(Fault::input, "The study {} is of another kind or about another assembly there. Give one of them another name first.", name);
      all[there] = q.getColumn(4).getInt64();
      continue;
    }
    execute(db, "INSERT INTO main.study (position, name, kind, plan, settings, assembly, note, look) SELECT (SELECT count(*) FROM main.study), name, kind, plan, settings, ?, note, look FROM other.study WHERE id = ?", assembly->second, there);
    const auto here = all[there] = fresh[there] = db.getLastInsertRowid();
    ++merged.studies;
    execute(db, "INSERT INTO main.claim (study, text, figure, lower, upper, expected, tolerance, typical) SELECT ?, text, figure, lower, upper, expected, tolerance, typical FROM other.claim WHERE study = ? ORDER BY id", here, there);
    execute(db, "INSERT INTO main.mask (study, text, curve, upper, lower, unit, after, along) SELECT ?, text, curve, upper, lower, unit, after, along FROM other.mask WHERE study = ? ORDER BY id", here, there);
  }
  return std::pair(all, fresh);
}

/// What tells a take from every other: of what, where and when it is, and the checksums of all its raw data. Its number and
/// what people said of it afterwards are not in it.
std::map<std::string, long long> takes_by_identity(SQLite::Database& db, const std::string& schema) {
  std::map<std::string, long long> out;
  Statement q(db, fmt::format(
      "SELECT t.id, study.name, t.unit, t.started, t.origin, t.purpose, t.setup, t.points, (SELECT group_concat(s) FROM (SELECT number || ':' || "
      "coalesce(sum, '') AS s FROM {0}.point WHERE take = t.id ORDER BY number)), (SELECT group_concat(s) FROM (SELECT chunk.sum AS s FROM "
      "{0}.point JOIN {0}.record ON record.point = point.id JOIN {0}.chunk ON chunk.record = record.id WHERE point.take = t.id ORDER BY "
      "point.number, record.pass, record.channel, chunk.first)) FROM {0}.take t JOIN {0}.study ON study.id = t.study",
      schema));
  while (q.executeStep()) {
    std::string identity;
    // Each with its length, so that no text can pass for two.
    for (int c = 1; c < q.getColumnCount(); ++c) {
      const auto text = q.getColumn(c).getString();
      identity += fmt::format("{}:{}", text.size(), text);
    }
    out.emplace(std::move(identity), q.getColumn(0).getInt64());
  }
  return out;
}

void copy_raw(SQLite::Database& db, long long there, long long here) {
  Statement points(db, "SELECT id FROM other.point WHERE take = ? ORDER BY number");
  points.bind(1, static_cast<int64_t>(there));
  while (points.executeStep()) {
    const auto point = points.getColumn(0).getInt64();
    execute(db, "INSERT INTO main.point (take, number, setting, sum) SELECT ?, number, setting, sum FROM other.point WHERE id = ?", here, point);
    const auto point_here = db.getLastInsertRowid();
    Statement records(db, "SELECT id FROM other.record WHERE point = ? ORDER BY pass, channel");
    records.bind(1, point);
    while (records.executeStep()) {
      const auto record = records.getColumn(0).getInt64();
      execute(db, "INSERT INTO main.record (point, pass, rate, channel, role, unit, pin, type, scale, range, lowest, highest, u_gain, u_delay, data, u_offset, samples) SELECT ?, pass, rate, channel, role, unit, pin, type, scale, range, lowest, highest, u_gain, u_delay, data, u_offset, samples FROM other.record WHERE id = ?", point_here, record);
      const auto record_here = db.getLastInsertRowid();
      execute(db, "INSERT INTO main.chunk (record, first, samples, sum, data) SELECT ?, first, samples, sum, data FROM other.chunk WHERE record = ? ORDER BY first", record_here, record);
      execute(db, "INSERT INTO main.envelope (record, first, data) SELECT ?, first, data FROM other.envelope WHERE record = ? ORDER BY first", record_here, record);
    }
  }
}

/// @return the takes by where they were
Ids bring_takes(SQLite::Database& db, const Ids& studies, Merged& merged) {
  const auto known = takes_by_identity(db, "main"), offered = takes_by_identity(db, "other");
  Ids same;
  for (const auto& [identity, there] : offered)
    if (const auto here = known.find(identity); here != known.end()) same[there] = here->second;
  Ids out = same;
  Statement q(db, "SELECT id, study, state FROM other.take ORDER BY study, number");
  while (q.executeStep()) {
    const auto there = q.getColumn(0).getInt64();
    if (const auto here = same.find(there); here != same.end()) {
      ++merged.known;
      execute(db, "UPDATE main.take SET note = (SELECT note FROM other.take WHERE id = ?) WHERE id = ? AND note = ''", there, here->second);
      continue;
    }
    if (q.getColumn(2).getString() == take_state_text(TakeState::running)) {
      merged.said.push_back("A take that is running there was left out; bring the dossier in again when it is done.");
      continue;
    }
    const auto study = studies.at(q.getColumn(1).getInt64());
    execute(db,
        "INSERT INTO main.take (study, number, unit, started, state, origin, setup, planned, points, note, purpose, aside, latched) SELECT ?1, "
        "max((SELECT coalesce(max(number), 0) + 1 FROM main.take WHERE study = ?1), number), unit, started, state, origin, setup, planned, points, "
        "note, purpose, aside, latched FROM other.take WHERE id = ?2",
        study, there);
    const auto here = out[there] = db.getLastInsertRowid();
    copy_raw(db, there, here);
    ++merged.takes;
  }
  return out;
}

}  // namespace

Result<Merged> Store::merge(const std::string& other) {
  std::error_code failure;
  if (std::filesystem::equivalent(path(), other, failure)) return fail(Fault::usage, "{}: a dossier cannot be brought into itself.", other);
  if (read_only()) return fail(Fault::input, "{}: the dossier is open for reading only.", path());
  {
    // Looked through for damage, and brought up to this form where it may be.
    auto opened = Store::open(other);
    if (!opened) return tl::unexpected(opened.error());
    if (!opened->damage().empty())
      return fail(Fault::input, "{} Nothing of it was brought in.", opened->damage());
    if (opened->impl_->version != kSchemaVersion)
      return fail(Fault::input, "{}: the dossier is of an older form and cannot be written to. Copy it to where it can be, and bring in the copy.", other);
    if (auto settled = opened->settle_dead_takes(); !settled) return tl::unexpected(settled.error());
  }
  return guarded(path(), [&]() -> Result<Merged> {
    auto& db = *impl_->db;
    const Attached attached(db, other);
    Merged merged;
    SQLite::Transaction transaction(db, SQLite::TransactionBehavior::IMMEDIATE);
    const bool adopted = is_untouched(db);
    if (adopted) adopt(db);
    const auto here = as_utf8(db.execAndGet("SELECT name FROM main.device").getString()), there = as_utf8(db.execAndGet("SELECT name FROM other.device").getString());
    if (here != there)
      return fail(Fault::input, "{}: this is a dossier of {}, and {} is one of {}. Only dossiers of the same device can be brought together.", other, there, path(), here);
    const auto places = match_assemblies(db, merged);
    const auto of_units = bring_units(db, places, merged);
    if (!of_units) return fail(of_units.error().fault, "{}: {}", other, of_units.error().message);
    const auto of_studies = bring_studies(db, places, merged);
    if (!of_studies) return fail(of_studies.error().fault, "{}: {}", other, of_studies.error().message);
    const auto of_takes = bring_takes(db, of_studies->first, merged);
    for (const auto& [study_there, study_here] : of_studies->second)
      for (const auto& [take_there, take_here] : of_takes)
        execute(db, "UPDATE main.study SET wake = ? WHERE id = ? AND ? = (SELECT wake FROM other.study WHERE id = ?)", take_here, study_here, take_there, study_there);
    for (const auto& [study_there, study_here] : of_studies->first)
      for (const auto& [unit_there, unit_here] : *of_units)
        execute(db, "INSERT OR IGNORE INTO main.typed (study, unit, figure, label, value, symbol, u, source) SELECT ?, ?, figure, label, value, symbol, u, source FROM other.typed WHERE study = ? AND unit = ?", study_here, unit_here, study_there, unit_there);
    if (adopted)
      for (const auto& [study_there, study_here] : of_studies->first) {
        Statement q(db, "SELECT take, caption, svg FROM other.picture WHERE study = ? ORDER BY id");
        q.bind(1, static_cast<int64_t>(study_there));
        while (q.executeStep()) {
          const auto take = of_takes.find(q.getColumn(0).getInt64());
          if (take == of_takes.end()) continue;
          execute(db, "INSERT INTO main.picture (study, take, caption, svg) VALUES (?, ?, ?, ?)", study_here, take->second, q.getColumn(1).getString(), q.getColumn(2).getString());
        }
      }
    for (const auto& sealed : kSealed) reseal(db, sealed.table);
    transaction.commit();
    return merged;
  });
}

}  // namespace heron::dossier
