#pragma once

namespace heron::dossier {

/// "hern" in the file's header, so that `file` and we can tell a dossier from any other database.
inline constexpr int kApplicationId = 0x6865726e;

inline constexpr const char* kSchema = R"sql(
CREATE TABLE device (id INTEGER PRIMARY KEY CHECK (id = 1), name TEXT NOT NULL, about TEXT NOT NULL, circuit TEXT NOT NULL,
                     current_unit INTEGER REFERENCES unit(id), more TEXT NOT NULL DEFAULT '{}', note TEXT NOT NULL DEFAULT '');
CREATE TABLE assembly (id INTEGER PRIMARY KEY, about TEXT NOT NULL, circuit TEXT NOT NULL, more TEXT NOT NULL DEFAULT '{}');
CREATE TABLE unit (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, serial TEXT NOT NULL DEFAULT '', note TEXT NOT NULL DEFAULT '');
CREATE TABLE fitted (unit INTEGER NOT NULL REFERENCES unit(id), part TEXT NOT NULL, value REAL NOT NULL,
                     tolerance REAL NOT NULL DEFAULT 0, PRIMARY KEY (unit, part));
CREATE TABLE study (id INTEGER PRIMARY KEY, position INTEGER NOT NULL, name TEXT NOT NULL UNIQUE, kind TEXT NOT NULL,
                    plan TEXT NOT NULL, settings TEXT NOT NULL, wake INTEGER REFERENCES take(id), assembly INTEGER NOT NULL DEFAULT 1,
                    note TEXT NOT NULL DEFAULT '', look TEXT NOT NULL DEFAULT '{}');
CREATE TABLE claim (id INTEGER PRIMARY KEY, study INTEGER NOT NULL REFERENCES study(id), text TEXT NOT NULL, figure TEXT NOT NULL,
                    lower TEXT, upper TEXT, expected TEXT, tolerance TEXT, typical TEXT);
CREATE TABLE mask (id INTEGER PRIMARY KEY, study INTEGER NOT NULL REFERENCES study(id), text TEXT NOT NULL, curve TEXT NOT NULL,
                   upper TEXT NOT NULL, lower TEXT NOT NULL, unit TEXT NOT NULL DEFAULT '', after TEXT NOT NULL DEFAULT '',
                   along TEXT NOT NULL DEFAULT '');
CREATE TABLE take (id INTEGER PRIMARY KEY, study INTEGER NOT NULL REFERENCES study(id), number INTEGER NOT NULL, unit TEXT NOT NULL,
                   started TEXT NOT NULL, state TEXT NOT NULL, origin TEXT NOT NULL, setup TEXT NOT NULL, planned INTEGER NOT NULL,
                   points INTEGER NOT NULL DEFAULT 0, note TEXT NOT NULL DEFAULT '', process TEXT NOT NULL DEFAULT '', purpose TEXT NOT NULL DEFAULT '',
                   aside INTEGER NOT NULL DEFAULT 0, latched TEXT NOT NULL DEFAULT '{}', UNIQUE (study, number));
CREATE TABLE point (id INTEGER PRIMARY KEY, take INTEGER NOT NULL REFERENCES take(id), number INTEGER NOT NULL, setting TEXT NOT NULL,
                    sum INTEGER, UNIQUE (take, number));
CREATE TABLE record (id INTEGER PRIMARY KEY, point INTEGER NOT NULL REFERENCES point(id), pass INTEGER NOT NULL, rate REAL NOT NULL,
                     channel INTEGER NOT NULL, role TEXT NOT NULL, unit TEXT NOT NULL, pin TEXT NOT NULL,
                     type TEXT NOT NULL CHECK (type IN ('i16', 'f64')), scale REAL NOT NULL, range REAL, lowest INTEGER NOT NULL,
                     highest INTEGER NOT NULL, u_gain REAL NOT NULL, u_delay REAL NOT NULL, data BLOB NOT NULL,
                     u_offset REAL NOT NULL DEFAULT 0, samples INTEGER);
CREATE TABLE seal (name TEXT PRIMARY KEY, sum INTEGER NOT NULL);
CREATE INDEX record_of_point ON record (point, pass, channel);
CREATE TABLE chunk (id INTEGER PRIMARY KEY, record INTEGER NOT NULL REFERENCES record(id), first INTEGER NOT NULL,
                    samples INTEGER NOT NULL, sum INTEGER NOT NULL, data BLOB NOT NULL, UNIQUE (record, first));
CREATE TABLE envelope (record INTEGER NOT NULL REFERENCES record(id), first INTEGER NOT NULL, data BLOB NOT NULL,
                       PRIMARY KEY (record, first)) WITHOUT ROWID;
CREATE TABLE derived (take INTEGER PRIMARY KEY REFERENCES take(id), mark TEXT NOT NULL, sum INTEGER NOT NULL, data BLOB NOT NULL);
CREATE TABLE typed (id INTEGER PRIMARY KEY, study INTEGER NOT NULL REFERENCES study(id), unit INTEGER NOT NULL REFERENCES unit(id),
                    figure TEXT NOT NULL, label TEXT NOT NULL, value REAL NOT NULL, symbol TEXT NOT NULL, u REAL,
                    source TEXT NOT NULL, UNIQUE (study, unit, figure));
CREATE TABLE queue (id INTEGER PRIMARY KEY, unit INTEGER NOT NULL REFERENCES unit(id), study INTEGER NOT NULL REFERENCES study(id),
                    state TEXT NOT NULL, take INTEGER REFERENCES take(id), said TEXT NOT NULL DEFAULT '');
CREATE TABLE report (id INTEGER PRIMARY KEY CHECK (id = 1), content TEXT NOT NULL);
CREATE TABLE picture (id INTEGER PRIMARY KEY, study INTEGER NOT NULL REFERENCES study(id), take INTEGER REFERENCES take(id),
                      caption TEXT NOT NULL, svg TEXT NOT NULL);
)sql";

inline constexpr int kSealedSince = 5;  ///< the form from which on tables carry seals
inline constexpr int kTypedSince = 7;   ///< the form from which on figures may be typed in
inline constexpr int kPlacedSince = 8;  ///< the form from which on masks may be placed after a figure
inline constexpr int kAlongSince = 12;  ///< the form from which on masks say what they go along
inline constexpr int kNotedSince = 9;   ///< the form with serials and notes of units, notes of studies and the device, queue and report
inline constexpr int kLookedAtSince = 10;  ///< the form from which on a study keeps how it is looked at, and numbers may lie in chunks
inline constexpr int kLatchedSince = 11;   ///< the form from which on a take keeps which watches it left latched

/// From one form of the file to the next: kMigrations[0] makes form 2 of form 1.
inline constexpr const char* kMigrations[] = {
    "ALTER TABLE device ADD COLUMN more TEXT NOT NULL DEFAULT '{}';"
    "ALTER TABLE fitted ADD COLUMN tolerance REAL NOT NULL DEFAULT 0;",
    "CREATE TABLE assembly (id INTEGER PRIMARY KEY, about TEXT NOT NULL, circuit TEXT NOT NULL, more TEXT NOT NULL "
    "DEFAULT '{}');"
    "ALTER TABLE study ADD COLUMN assembly INTEGER NOT NULL DEFAULT 1;"
    "ALTER TABLE take ADD COLUMN purpose TEXT NOT NULL DEFAULT '';",
    "ALTER TABLE record ADD COLUMN u_offset REAL NOT NULL DEFAULT 0;"
    "ALTER TABLE claim ADD COLUMN typical TEXT;",
    // Bare numbers used to be shares there; they are per cent now.
    "ALTER TABLE take ADD COLUMN aside INTEGER NOT NULL DEFAULT 0;"
    "ALTER TABLE point ADD COLUMN sum INTEGER;"
    "CREATE TABLE seal (name TEXT PRIMARY KEY, sum INTEGER NOT NULL);"
    "UPDATE study SET settings = json_set(settings, '$.loop_threshold', (100 * CAST(json_extract(settings, "
    "'$.loop_threshold') AS REAL)) || ' %') WHERE json_extract(settings, '$.loop_threshold') IS NOT NULL AND "
    "instr(json_extract(settings, '$.loop_threshold'), '%') = 0;",
    "ALTER TABLE record ADD COLUMN samples INTEGER;"
    "CREATE TABLE chunk (id INTEGER PRIMARY KEY, record INTEGER NOT NULL REFERENCES record(id), first INTEGER NOT NULL, "
    "samples INTEGER NOT NULL, sum INTEGER NOT NULL, data BLOB NOT NULL, UNIQUE (record, first));"
    "CREATE TABLE envelope (record INTEGER NOT NULL REFERENCES record(id), first INTEGER NOT NULL, data BLOB NOT NULL, "
    "PRIMARY KEY (record, first)) WITHOUT ROWID;"
    "CREATE TABLE derived (take INTEGER PRIMARY KEY REFERENCES take(id), mark TEXT NOT NULL, sum INTEGER NOT NULL, data "
    "BLOB NOT NULL);",
    "CREATE TABLE typed (id INTEGER PRIMARY KEY, study INTEGER NOT NULL REFERENCES study(id), unit INTEGER NOT NULL "
    "REFERENCES unit(id), figure TEXT NOT NULL, label TEXT NOT NULL, value REAL NOT NULL, symbol TEXT NOT NULL, u REAL, "
    "source TEXT NOT NULL, UNIQUE (study, unit, figure));",
    "ALTER TABLE mask ADD COLUMN unit TEXT NOT NULL DEFAULT '';"
    "ALTER TABLE mask ADD COLUMN after TEXT NOT NULL DEFAULT '';",
    "ALTER TABLE device ADD COLUMN note TEXT NOT NULL DEFAULT '';"
    "ALTER TABLE unit ADD COLUMN serial TEXT NOT NULL DEFAULT '';"
    "ALTER TABLE unit ADD COLUMN note TEXT NOT NULL DEFAULT '';"
    "ALTER TABLE study ADD COLUMN note TEXT NOT NULL DEFAULT '';"
    "CREATE TABLE queue (id INTEGER PRIMARY KEY, unit INTEGER NOT NULL REFERENCES unit(id), study INTEGER NOT NULL "
    "REFERENCES study(id), state TEXT NOT NULL, take INTEGER REFERENCES take(id), said TEXT NOT NULL DEFAULT '');"
    "CREATE TABLE report (id INTEGER PRIMARY KEY CHECK (id = 1), content TEXT NOT NULL);"
    "CREATE TABLE picture (id INTEGER PRIMARY KEY, study INTEGER NOT NULL REFERENCES study(id), take INTEGER REFERENCES "
    "take(id), caption TEXT NOT NULL, svg TEXT NOT NULL);",
    "ALTER TABLE study ADD COLUMN look TEXT NOT NULL DEFAULT '{}';",
    "ALTER TABLE take ADD COLUMN latched TEXT NOT NULL DEFAULT '{}';",
    "ALTER TABLE mask ADD COLUMN along TEXT NOT NULL DEFAULT '';"};

}  // namespace heron::dossier
