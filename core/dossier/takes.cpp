#include <unistd.h>
#include <bit>
#include <chrono>
#include <csignal>
#include <cstring>
#include <fstream>

#include <sqlite3.h>

#include <algorithm>

#include "dossier/recordings.h"
#include "dossier/schema.h"
#include "dossier/seal.h"
#include "dossier/store_impl.h"

namespace heron::dossier {

using nlohmann::json;
using SQLite::Statement;

static_assert(std::endian::native == std::endian::little, "records are stored little-endian");

namespace {

std::string take_columns(int version) {
  return std::string("id, study, number, unit, started, state, origin, points, planned, note, ") +
         (version < 3 ? "''" : "purpose") + (version < 5 ? ", 0" : ", aside") + (version < kLatchedSince ? ", '{}'" : ", latched");
}

TakeState state_from(const std::string& text) {
  for (const auto state : {TakeState::running, TakeState::finished, TakeState::stopped, TakeState::failed})
    if (take_state_text(state) == text) return state;
  return TakeState::failed;
}

std::map<std::string, std::string> latched_from(const std::string& text) {
  std::map<std::string, std::string> out;
  const auto kept = json::parse(as_utf8(text), nullptr, false);
  if (kept.is_object())
    for (const auto& [watch, at] : kept.items())
      if (at.is_string()) out.emplace(watch, at.get<std::string>());
  return out;
}

Take take_row(Statement& q) {
  return {q.getColumn(0).getInt64(),  q.getColumn(1).getInt64(),  q.getColumn(2).getInt(),
          text_of(q.getColumn(3)),    text_of(q.getColumn(4)),    state_from(q.getColumn(5).getString()),
          text_of(q.getColumn(6)),    q.getColumn(7).getInt(),    q.getColumn(8).getInt(),
          text_of(q.getColumn(9)),    text_of(q.getColumn(10)),   q.getColumn(11).getInt() != 0,
          latched_from(q.getColumn(12).getString())};
}

std::string now() {
  const auto t = std::chrono::system_clock::to_time_t(std::chrono::system_clock::now());
  std::tm utc{};
  gmtime_r(&t, &utc);
  char text[32];
  std::strftime(text, sizeof text, "%Y-%m-%dT%H:%M:%SZ", &utc);
  return text;
}

/// A process told apart from a later one with the same number by the time it was started.
std::string process_mark(pid_t pid) {
  std::ifstream stat(fmt::format("/proc/{}/stat", pid));
  std::string line;
  std::getline(stat, line);
  const auto name_end = line.rfind(')');
  if (name_end == std::string::npos) return "";
  std::size_t at = name_end;
  for (int field = 2; field < 22 && at != std::string::npos; ++field) at = line.find(' ', at + 1);
  return at == std::string::npos ? "" : fmt::format("{}:{}", pid, line.substr(at + 1, line.find(' ', at + 1) - at - 1));
}

template <class T>
std::vector<T> numbers_from(const SQLite::Column& blob) {
  std::vector<T> out(std::size_t(blob.getBytes()) / sizeof(T));
  // The blob stays where it is only until the next call: one look, one copy.
  const void* bytes = blob.getBlob();
  if (!out.empty() && bytes) std::memcpy(out.data(), bytes, out.size() * sizeof(T));
  return out;
}

/// @param by_index  false: by looking at every record, for a file whose index is damaged
void read_records(const std::shared_ptr<SQLite::Database>& from, int version, long long point_id, study::Point& point,
                  bool by_index = true) {
  auto& db = *from;
  point.records.clear();
  Statement q(db, fmt::format("SELECT pass, rate, role, unit, pin, type, scale, range, lowest, highest, u_gain, "
                              "u_delay, data, {}, {}, id FROM record {} WHERE point = ? ORDER BY pass, channel",
                              version < 4 ? "0" : "u_offset", version < 6 ? "NULL" : "samples",
                              by_index ? "" : "NOT INDEXED"));
  q.bind(1, static_cast<int64_t>(point_id));
  while (q.executeStep()) {
    const int pass = q.getColumn(0).getInt();
    if (point.records.empty() || point.records.back().pass != pass)
      point.records.push_back({.pass = pass, .sample_rate = q.getColumn(1).getDouble()});
    study::Channel channel{.role = q.getColumn(2).getString(),
                           .unit = q.getColumn(3).getString(),
                           .pin = q.getColumn(4).getString(),
                           .scale = q.getColumn(6).getDouble()};
    if (!q.getColumn(7).isNull()) channel.range = q.getColumn(7).getDouble();
    channel.lowest_count = q.getColumn(8).getInt();
    channel.highest_count = q.getColumn(9).getInt();
    channel.u_gain = q.getColumn(10).getDouble();
    channel.u_delay = q.getColumn(11).getDouble();
    channel.u_offset = q.getColumn(13).getDouble();
    const bool counted = q.getColumn(5).getString() == "i16";
    const auto record = q.getColumn(15).getInt64(), samples = q.getColumn(14).isNull() ? -1 : q.getColumn(14).getInt64();
    if (samples >= 0 && counted)
      channel.recording = recording_of(from, record, std::size_t(samples));
    else if (samples >= 0)
      channel.stored = numbers_of(from, record, std::size_t(samples));
    else if (counted)
      channel.counts = numbers_from<std::int16_t>(q.getColumn(12));
    else
      channel.numbers = numbers_from<double>(q.getColumn(12));
    point.records.back().channels.push_back(std::move(channel));
  }
}

/// Reads what belongs to a point and holds it against its checksum, where it has one.
/// @return false where the point is not what was written
bool read_point(const std::shared_ptr<SQLite::Database>& db, int version, const Statement& row, study::Point& point) {
  const auto id = row.getColumn(0).getInt64();
  const auto setting = row.getColumn(2).getString();
  point.index = row.getColumn(1).getInt();
  auto kept = json::parse(as_utf8(setting), nullptr, false);
  if (kept.is_discarded()) return false;
  point.setting = std::move(kept);
  const bool summed = !row.getColumn(3).isNull();
  const auto sum = summed ? row.getColumn(3).getInt64() : 0;
  for (const bool by_index : {true, false}) {
    try {
      read_records(db, version, id, point, by_index);
      if (!summed || sum_of(setting, point) == sum) return true;
    } catch (const SQLite::Exception&) {
      if (!summed) return false;
    }
  }
  return false;
}

/// All of a channel that lies in chunks, each held against its checksum.
Result<void> read_through(const study::Channel& channel) {
  const auto nothing = [](std::size_t, auto) {};
  if (channel.recording) return study::for_each_stretch(*channel.recording, nothing);
  return channel.stored ? study::for_each_stretch(*channel.stored, nothing) : Result<void>();
}

std::string point_columns(int version) { return version < 5 ? "id, number, setting, NULL" : "id, number, setting, sum"; }

}  // namespace

std::string_view take_state_text(TakeState state) {
  switch (state) {
    case TakeState::running:
      return "running";
    case TakeState::finished:
      return "finished";
    case TakeState::stopped:
      return "stopped";
    case TakeState::failed:
      return "failed";
  }
  return "";
}

std::string Take::came() const {
  const int counted = planned > 0 ? planned : points;
  return fmt::format("{}{} point{}", planned > 0 ? fmt::format("{} of ", points) : "", counted, counted == 1 ? "" : "s");
}

Result<int> Store::settle_dead_takes() {
  if (read_only()) return 0;
  return guarded(path(), [&]() -> Result<int> {
    std::vector<long long> dead;
    {
      Statement q(*impl_->db, "SELECT id, process FROM take WHERE state = 'running'");
      while (q.executeStep()) {
        const std::string process = q.getColumn(1).getString();
        const auto pid = pid_t(std::atoi(process.c_str()));
        if (pid <= 0 || process_mark(pid) != process) dead.push_back(q.getColumn(0).getInt64());
      }
    }
    for (const auto id : dead)
      if (auto ok = finish_take(id, TakeState::stopped); !ok) return tl::unexpected(ok.error());
    return int(dead.size());
  });
}

Result<std::vector<Take>> Store::takes(long long study, int most) {
  return guarded(path(), [&]() -> Result<std::vector<Take>> {
    std::vector<Take> out;
    Statement q(*impl_->db, fmt::format("SELECT {} FROM take WHERE study = ? ORDER BY number DESC LIMIT ?",
                                        take_columns(impl_->version)));
    q.bind(1, static_cast<int64_t>(study));
    q.bind(2, most > 0 ? most : -1);
    while (q.executeStep()) out.push_back(take_row(q));
    std::reverse(out.begin(), out.end());
    return out;
  });
}

Result<int> Store::take_count(long long study) {
  return guarded(path(), [&]() -> Result<int> {
    Statement q(*impl_->db, "SELECT COALESCE(MAX(number), 0) FROM take WHERE study = ?");
    q.bind(1, static_cast<int64_t>(study));
    q.executeStep();
    return q.getColumn(0).getInt();
  });
}

Result<Take> Store::take(long long id) {
  return guarded(path(), [&]() -> Result<Take> {
    Statement q(*impl_->db, fmt::format("SELECT {} FROM take WHERE id = ?", take_columns(impl_->version)));
    q.bind(1, static_cast<int64_t>(id));
    if (!q.executeStep()) return fail(Fault::usage, "{}: there is no such take.", path());
    return take_row(q);
  });
}

Result<json> Store::take_setup(long long id) {
  return guarded(path(), [&]() -> Result<json> {
    Statement q(*impl_->db, "SELECT setup FROM take WHERE id = ?");
    q.bind(1, static_cast<int64_t>(id));
    if (!q.executeStep()) return fail(Fault::usage, "{}: there is no such take.", path());
    return json::parse(text_of(q.getColumn(0)));
  });
}

Result<void> Store::set_note(long long take, const std::string& note) {
  return guarded(path(), [&]() -> Result<void> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(*impl_->db, "UPDATE take SET note = ? WHERE id = ?");
    q.bind(1, as_utf8(note));
    q.bind(2, static_cast<int64_t>(take));
    q.exec();
    reseal(*impl_->db, "take");
    transaction.commit();
    return {};
  });
}

namespace {

/// Changes one entry of what a take left latched, inside a transaction of its own.
void change_latched(SQLite::Database& db, long long take, const std::string& watch, const std::string& at) {
  SQLite::Transaction transaction(db);
  Statement look(db, "SELECT latched FROM take WHERE id = ?");
  look.bind(1, static_cast<int64_t>(take));
  if (!look.executeStep()) return;
  json all = latched_from(look.getColumn(0).getString());
  all[as_utf8(watch)] = at;
  Statement q(db, "UPDATE take SET latched = ? WHERE id = ?");
  q.bind(1, all.dump());
  q.bind(2, static_cast<int64_t>(take));
  q.exec();
  reseal(db, "take");
  transaction.commit();
}

}  // namespace

Result<void> Store::latch(long long take, const std::string& watch) {
  return guarded(path(), [&]() -> Result<void> {
    change_latched(*impl_->db, take, watch, "");
    return {};
  });
}

Result<void> Store::set_released(long long take, const std::string& watch, bool released) {
  return guarded(path(), [&]() -> Result<void> {
    change_latched(*impl_->db, take, watch, released ? now() : "");
    return {};
  });
}

Result<void> Store::set_aside(long long take, bool aside) {
  return guarded(path(), [&]() -> Result<void> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(*impl_->db, "UPDATE take SET aside = ? WHERE id = ?");
    q.bind(1, int(aside));
    q.bind(2, static_cast<int64_t>(take));
    q.exec();
    reseal(*impl_->db, "take");
    transaction.commit();
    return {};
  });
}

Result<long long> Store::begin_take(long long study, const std::string& unit, const std::string& origin,
                                    const json& setup, int planned, const std::string& purpose) {
  return guarded(path(), [&]() -> Result<long long> {
    SQLite::Transaction transaction(*impl_->db);
    Statement q(*impl_->db,
                "INSERT INTO take (study, number, unit, started, state, origin, setup, planned, process, purpose) "
                "VALUES (?1, (SELECT COALESCE(MAX(number), 0) + 1 FROM take WHERE study = ?1), ?2, ?3, 'running', ?4, "
                "?5, ?6, ?7, ?8)");
    q.bind(8, purpose);
    q.bind(1, static_cast<int64_t>(study));
    q.bind(2, as_utf8(unit));
    q.bind(3, now());
    q.bind(4, as_utf8(origin));
    q.bind(5, json_text(setup));
    q.bind(6, planned);
    q.bind(7, process_mark(getpid()));
    q.exec();
    const auto id = impl_->db->getLastInsertRowid();
    reseal(*impl_->db, "take");
    transaction.commit();
    return id;
  });
}

Result<void> Store::add_point(long long take, const study::Point& point) {
  return guarded(path(), [&]() -> Result<void> {
    auto& db = *impl_->db;
    SQLite::Transaction transaction(db);
    Statement p(db, "INSERT INTO point (take, number, setting, sum) VALUES (?, ?, ?, ?)");
    const auto setting = json_text(point.setting.json());
    p.bind(1, static_cast<int64_t>(take));
    p.bind(2, point.index);
    p.bind(3, setting);
    p.bind(4, sum_of(setting, point));
    p.exec();
    if (auto ok = write_records(db, db.getLastInsertRowid(), point, false); !ok) return tl::unexpected(ok.error());
    count_point(db, take);
    transaction.commit();
    return {};
  });
}

Result<void> Store::finish_take(long long take, TakeState state) {
  return guarded(path(), [&]() -> Result<void> {
    Statement q(*impl_->db, "UPDATE take SET state = ?, process = '' WHERE id = ? AND state = 'running'");
    q.bind(1, std::string(take_state_text(state)));
    q.bind(2, static_cast<int64_t>(take));
    q.exec();
    return {};
  });
}

Result<void> Store::drop_pass(long long take) {
  return guarded(path(), [&]() -> Result<void> {
    auto& db = *impl_->db;
    SQLite::Transaction transaction(db);
    // What hangs on it goes first; all of it comes back where the pass turns out to be kept.
    Statement derived(db, "DELETE FROM derived WHERE take = ?");
    derived.bind(1, static_cast<int64_t>(take));
    derived.exec();
    drop_chunks(db, take);
    const std::string unkept =
        "id = ?1 AND note = '' AND id NOT IN (SELECT wake FROM study WHERE wake IS NOT NULL) AND id NOT IN (SELECT take "
        "FROM picture WHERE take IS NOT NULL)";
    const auto drop = [&](const std::string& sql) {
      Statement q(db, sql);
      q.bind(1, static_cast<int64_t>(take));
      return q.exec();
    };
    drop("UPDATE queue SET take = NULL WHERE take = ?1");
    drop("DELETE FROM record WHERE point IN (SELECT id FROM point WHERE take IN (SELECT id FROM take WHERE " + unkept + "))");
    drop("DELETE FROM point WHERE take IN (SELECT id FROM take WHERE " + unkept + ")");
    if (drop("DELETE FROM take WHERE " + unkept) == 0)
      return fail(Fault::usage, "{}: the pass has a note, is the wake or stands in the report; it is kept.", path());
    reseal(db, "take");
    transaction.commit();
    return {};
  });
}

Result<std::vector<study::Point>> Store::points(long long take) {
  return guarded(path(), [&]() -> Result<std::vector<study::Point>> {
    std::vector<study::Point> out;
    try {
      Statement q(*impl_->db, fmt::format("SELECT {} FROM point WHERE take = ? ORDER BY number",
                                          point_columns(impl_->version)));
      q.bind(1, static_cast<int64_t>(take));
      while (q.executeStep()) {
        out.emplace_back();
        if (!read_point(impl_->db, impl_->version, q, out.back())) out.pop_back();
      }
    } catch (const SQLite::Exception& e) {
      if (e.getErrorCode() != SQLITE_CORRUPT) throw;
    }
    Statement count(*impl_->db, "SELECT points FROM take WHERE id = ?");
    count.bind(1, static_cast<int64_t>(take));
    const int kept = count.executeStep() ? count.getColumn(0).getInt() : 0;
    impl_->damaged_points[take] = std::max(0, kept - int(out.size()));
    return out;
  });
}

int Store::damaged_points(long long take) const {
  const auto it = impl_->damaged_points.find(take);
  return it == impl_->damaged_points.end() ? 0 : it->second;
}

Result<std::vector<std::string>> Store::check_all() {
  return guarded(path(), [&]() -> Result<std::vector<std::string>> {
    std::vector<std::string> out;
    if (!impl_->damage.empty()) out.push_back(impl_->damage);
    std::vector<std::pair<long long, std::string>> takes;
    Statement q(*impl_->db, "SELECT take.id, study.name, take.number FROM take, study WHERE study.id = take.study");
    while (q.executeStep())
      takes.emplace_back(q.getColumn(0).getInt64(),
                         fmt::format("{}, take {}", text_of(q.getColumn(1)), q.getColumn(2).getInt()));
    for (const auto& [id, name] : takes) {
      const auto read = points(id);
      if (!read) return tl::unexpected(read.error());
      for (const auto& point : *read)
        for (const auto& record : point.records)
          for (const auto& channel : record.channels)
            if (const auto whole = read_through(channel); !whole) out.push_back(fmt::format("{}, {}: {}", name, channel.role, whole.error().message));
      if (const int damaged = damaged_points(id); damaged > 0)
        out.push_back(fmt::format("{}: {} points are damaged.", name, damaged));
    }
    // Rows that belong to nothing: what they belonged to is lost.
    std::map<std::string, int> orphans;
    Statement lost(*impl_->db, "PRAGMA foreign_key_check");
    while (lost.executeStep()) ++orphans[text_of(lost.getColumn(0))];
    for (const auto& [table, rows] : orphans) out.push_back(fmt::format("{}: {} {} to nothing that is still there.", table, rows, rows == 1 ? "row belongs" : "rows belong"));
    Statement whole(*impl_->db, "PRAGMA quick_check(5)");
    while (whole.executeStep())
      if (const auto said = text_of(whole.getColumn(0)); said != "ok") out.push_back(said);
    return out;
  });
}

Result<study::Point> Store::point(long long take, int index) {
  return guarded(path(), [&]() -> Result<study::Point> {
    Statement q(*impl_->db, fmt::format("SELECT {} FROM point WHERE take = ? AND number = ?",
                                        point_columns(impl_->version)));
    q.bind(1, static_cast<int64_t>(take));
    q.bind(2, index);
    if (!q.executeStep()) return fail(Fault::usage, "{}: the take has no point {}.", path(), index + 1);
    study::Point point;
    if (!read_point(impl_->db, impl_->version, q, point))
      return fail(Fault::input, "{}: point {} is damaged in the file.", path(), index + 1);
    return point;
  });
}

}  // namespace heron::dossier
