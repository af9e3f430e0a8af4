PRAGMA application_id = 1751478894;
PRAGMA user_version = 4;
CREATE TABLE device (id INTEGER PRIMARY KEY CHECK (id = 1), name TEXT NOT NULL, about TEXT NOT NULL, circuit TEXT NOT NULL,
                     current_unit INTEGER REFERENCES unit(id), more TEXT NOT NULL DEFAULT '{}');
CREATE TABLE assembly (id INTEGER PRIMARY KEY, about TEXT NOT NULL, circuit TEXT NOT NULL, more TEXT NOT NULL DEFAULT '{}');
CREATE TABLE unit (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE);
CREATE TABLE fitted (unit INTEGER NOT NULL REFERENCES unit(id), part TEXT NOT NULL, value REAL NOT NULL,
                     tolerance REAL NOT NULL DEFAULT 0, PRIMARY KEY (unit, part));
CREATE TABLE study (id INTEGER PRIMARY KEY, position INTEGER NOT NULL, name TEXT NOT NULL UNIQUE, kind TEXT NOT NULL,
                    plan TEXT NOT NULL, settings TEXT NOT NULL, wake INTEGER REFERENCES take(id), assembly INTEGER NOT NULL DEFAULT 1);
CREATE TABLE claim (id INTEGER PRIMARY KEY, study INTEGER NOT NULL REFERENCES study(id), text TEXT NOT NULL, figure TEXT NOT NULL,
                    lower TEXT, upper TEXT, expected TEXT, tolerance TEXT, typical TEXT);
CREATE TABLE mask (id INTEGER PRIMARY KEY, study INTEGER NOT NULL REFERENCES study(id), text TEXT NOT NULL, curve TEXT NOT NULL,
                   upper TEXT NOT NULL, lower TEXT NOT NULL);
CREATE TABLE take (id INTEGER PRIMARY KEY, study INTEGER NOT NULL REFERENCES study(id), number INTEGER NOT NULL, unit TEXT NOT NULL,
                   started TEXT NOT NULL, state TEXT NOT NULL, origin TEXT NOT NULL, setup TEXT NOT NULL, planned INTEGER NOT NULL,
                   points INTEGER NOT NULL DEFAULT 0, note TEXT NOT NULL DEFAULT '', process TEXT NOT NULL DEFAULT '', purpose TEXT NOT NULL DEFAULT '',
                   UNIQUE (study, number));
CREATE TABLE point (id INTEGER PRIMARY KEY, take INTEGER NOT NULL REFERENCES take(id), number INTEGER NOT NULL, setting TEXT NOT NULL,
                    UNIQUE (take, number));
CREATE TABLE record (id INTEGER PRIMARY KEY, point INTEGER NOT NULL REFERENCES point(id), pass INTEGER NOT NULL, rate REAL NOT NULL,
                     channel INTEGER NOT NULL, role TEXT NOT NULL, unit TEXT NOT NULL, pin TEXT NOT NULL,
                     type TEXT NOT NULL CHECK (type IN ('i16', 'f64')), scale REAL NOT NULL, range REAL, lowest INTEGER NOT NULL,
                     highest INTEGER NOT NULL, u_gain REAL NOT NULL, u_delay REAL NOT NULL, data BLOB NOT NULL,
                     u_offset REAL NOT NULL DEFAULT 0);
CREATE INDEX record_of_point ON record (point, pass, channel);
INSERT INTO unit (id, name) VALUES (1, 'unit 02');
INSERT INTO device (id, name, about, circuit, current_unit, more) VALUES (1, 'Mudlark buoy, rev B', 'test filter', '[pins]
in = "in"
out = "out"
[part.R1]
kind = "resistor"
between = ["in", "out"]
value = "1.8 kohm"
[part.C1]
kind = "capacitor"
between = ["out", "ground"]
value = "62 nF"
', 1, '{"ratings": {"out": {"voltage": 5.0}}, "expectations": []}');
INSERT INTO fitted (unit, part, value, tolerance) VALUES (1, 'C1', 6.3e-08, 0.01);
INSERT INTO study (id, position, name, kind, plan, settings) VALUES (1, 0, 'Filter', 'response', '{"drive_pin": "in", "start": 100.0, "stop": 100000.0, "spacing": "log", "points_per_decade": 5, "points_total": 10, "by_total": false, "level_pp": 0.2, "level_form": "pk-pk", "offset": 0.0, "source_resistance": 50.0, "settle_time": 0.002, "settle_periods": 2, "periods": 8, "averages": 1, "hookup": {"chains": [{"name": "stimulus", "pin": "in", "sensor": {"factor": 1.0, "kind": "direct", "name": "Direct lead", "rating": 50.0}}, {"name": "response", "pin": "out", "sensor": {"factor": 1.0, "kind": "direct", "name": "Direct lead", "rating": 50.0}}], "computed": []}, "stimulus": "stimulus", "response": "response", "method": "stepped", "quantity": "gain", "listed": [], "level_shape": "flat", "level_table": [], "aim": 0.5, "level_most_pp": 2.0, "agree": 0.0, "u_asked_db": 0.0, "refine": true, "refine_points": 40, "level_checks": 0, "repeat": "once", "noise_rms": 0.05, "resolution": 1.0, "noise_averages": 64, "overlap": 0.5, "window": "hann"}', '{"reference": "first"}');
INSERT INTO claim (id, study, text, figure, lower) VALUES (1, 1, 'Corner at least 1.2 kHz', 'corner.high', '1.2 kHz');
INSERT INTO mask (id, study, text, curve, upper, lower) VALUES (1, 1, 'Stop band', 'gain', '[[10000.0, -10.0], [100000.0, -15.0]]', '[]');
INSERT INTO take (id, study, number, unit, started, state, origin, setup, planned, points, note) VALUES (1, 1, 1, 'imported', '2026-05-01T20:15:00Z', 'finished', 'filter.csv', '{"file": "filter.csv", "notes": ""}', 1, 1, 'by hand');
INSERT INTO point (id, take, number, setting) VALUES (1, 1, 0, '{}');
INSERT INTO record (id, point, pass, rate, channel, role, unit, pin, type, scale, range, lowest, highest, u_gain, u_delay, data) VALUES (1, 1, 0, 0.0, 0, 'frequency', 'Hz', '', 'f64', 1.0, NULL, 0, 0, 0.0, 0.0, X'000000000000594041ebd580a8cf6340547f5c5d09666f40d66578f8b6e178407e0b39a4a8b783400000000000408f4010660ba192c3984093cf59dac59fa3404e7f96b6241aaf405d4e47cd92a5b840000000000088c340993f4e4977f4ce407943f050b787d840910f1ef25670e340f0219980f7ceee4000000000006af840');
INSERT INTO record (id, point, pass, rate, channel, role, unit, pin, type, scale, range, lowest, highest, u_gain, u_delay, data) VALUES (2, 1, 0, 0.0, 1, 'gain', 'dB', '', 'f64', 1.0, NULL, 0, 0, 0.0, 0.0, X'b7fa77c304d095bfea88ac76604babbf9941fa1bd1fbc0bfa6cd46ef70dbd4bf56a962231ed8e8bf44ed39a8d4c9fbbfe8a7737d71f10bc07b299c2e6f8518c07a41691ee8e122c0b61defc83b442ac0c4ad1b491b0131c02af995f2aff334c06ca703b14cee38c05ef3f3bb25ec3cc0964d6a0ca57540c03f1c2a4e797542c0');
INSERT INTO record (id, point, pass, rate, channel, role, unit, pin, type, scale, range, lowest, highest, u_gain, u_delay, data) VALUES (3, 1, 0, 0.0, 2, 'phase', 'deg', '', 'f64', 1.0, NULL, 0, 0, 0.0, 0.0, X'4d9fcdad4c0b10c0420108dfa35d19c0a814e2f284fa23c01d9c03b4d0312fc06c4ec2ebb2dd37c066e4cd19e68441c05565d81c5d0248c05cf4c19408354ec067fa2b18a39251c0bc2f2236e15053c0ee41f9f88d7854c0f8ad66a6ed3655c08e893bad08b055c026bbb391b2fc55c01e9eefe6212d56c0ad5e0270b54b56c0');
INSERT INTO study (id, position, name, kind, plan, settings) VALUES (2, 1, 'Loop', 'iv', '{"aperture": 0.02, "averages": 1, "course": "up", "cycles": 1, "delay": 0.001, "hold": 0.0, "method": "readings", "ramp": 0.1, "rest_time": 0.0, "sensed": "", "source_resistance": 50.0, "sources": [{"against": "", "compliance": 0.05, "current_range": null, "force": "voltage", "four_wire": true, "listed": [], "lowest_range": 0.0, "name": "diode", "pin": "diode", "points": 181, "rest": 0.0, "role": "swept", "spacing": "linear", "start": -0.6, "stop": 8.4, "value": -0.6}], "temperature": 25.0}', '{"loop_threshold": "0.03"}');
