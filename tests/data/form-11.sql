PRAGMA application_id = 1751478894;
PRAGMA user_version = 11;
BEGIN TRANSACTION;
CREATE TABLE assembly (id INTEGER PRIMARY KEY, about TEXT NOT NULL, circuit TEXT NOT NULL, more TEXT NOT NULL DEFAULT '{}');
CREATE TABLE chunk (id INTEGER PRIMARY KEY, record INTEGER NOT NULL REFERENCES record(id), first INTEGER NOT NULL, samples INTEGER NOT NULL, sum INTEGER NOT NULL, data BLOB NOT NULL, UNIQUE (record, first));
CREATE TABLE claim (id INTEGER PRIMARY KEY, study INTEGER NOT NULL REFERENCES study(id), text TEXT NOT NULL, figure TEXT NOT NULL,
                    lower TEXT, upper TEXT, expected TEXT, tolerance TEXT, typical TEXT);
INSERT INTO "claim" VALUES(1,1,'Corner at least 1.2 kHz','corner.high','1.2 kHz',NULL,NULL,NULL,NULL);
CREATE TABLE derived (take INTEGER PRIMARY KEY REFERENCES take(id), mark TEXT NOT NULL, sum INTEGER NOT NULL, data BLOB NOT NULL);
CREATE TABLE device (id INTEGER PRIMARY KEY CHECK (id = 1), name TEXT NOT NULL, about TEXT NOT NULL, circuit TEXT NOT NULL,
                     current_unit INTEGER REFERENCES unit(id), more TEXT NOT NULL DEFAULT '{}', note TEXT NOT NULL DEFAULT '');
INSERT INTO "device" VALUES(1,'Mudlark buoy, rev B','test filter','[pins]
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
',1,'{"ratings": {"out": {"voltage": 5.0}}, "expectations": []}','');
CREATE TABLE envelope (record INTEGER NOT NULL REFERENCES record(id), first INTEGER NOT NULL, data BLOB NOT NULL, PRIMARY KEY (record, first)) WITHOUT ROWID;
CREATE TABLE fitted (unit INTEGER NOT NULL REFERENCES unit(id), part TEXT NOT NULL, value REAL NOT NULL,
                     tolerance REAL NOT NULL DEFAULT 0, PRIMARY KEY (unit, part));
INSERT INTO "fitted" VALUES(1,'C1',6.3e-08,0.01);
CREATE TABLE mask (id INTEGER PRIMARY KEY, study INTEGER NOT NULL REFERENCES study(id), text TEXT NOT NULL, curve TEXT NOT NULL,
                   upper TEXT NOT NULL, lower TEXT NOT NULL, unit TEXT NOT NULL DEFAULT '', after TEXT NOT NULL DEFAULT '');
INSERT INTO "mask" VALUES(1,1,'Stop band','gain','[[10000.0, -10.0], [100000.0, -15.0]]','[]','','');
CREATE TABLE picture (id INTEGER PRIMARY KEY, study INTEGER NOT NULL REFERENCES study(id), take INTEGER REFERENCES take(id), caption TEXT NOT NULL, svg TEXT NOT NULL);
CREATE TABLE point (id INTEGER PRIMARY KEY, take INTEGER NOT NULL REFERENCES take(id), number INTEGER NOT NULL, setting TEXT NOT NULL, sum INTEGER,
                    UNIQUE (take, number));
INSERT INTO "point" VALUES(1,1,0,'{}',NULL);
CREATE TABLE queue (id INTEGER PRIMARY KEY, unit INTEGER NOT NULL REFERENCES unit(id), study INTEGER NOT NULL REFERENCES study(id), state TEXT NOT NULL, take INTEGER REFERENCES take(id), said TEXT NOT NULL DEFAULT '');
CREATE TABLE record (id INTEGER PRIMARY KEY, point INTEGER NOT NULL REFERENCES point(id), pass INTEGER NOT NULL, rate REAL NOT NULL,
                     channel INTEGER NOT NULL, role TEXT NOT NULL, unit TEXT NOT NULL, pin TEXT NOT NULL,
                     type TEXT NOT NULL CHECK (type IN ('i16', 'f64')), scale REAL NOT NULL, range REAL, lowest INTEGER NOT NULL,
                     highest INTEGER NOT NULL, u_gain REAL NOT NULL, u_delay REAL NOT NULL, data BLOB NOT NULL,
                     u_offset REAL NOT NULL DEFAULT 0, samples INTEGER);
INSERT INTO "record" VALUES(1,1,0,0.0,0,'frequency','Hz','','f64',1.0,NULL,0,0,0.0,0.0,X'000000000000594041EBD580A8CF6340547F5C5D09666F40D66578F8B6E178407E0B39A4A8B783400000000000408F4010660BA192C3984093CF59DAC59FA3404E7F96B6241AAF405D4E47CD92A5B840000000000088C340993F4E4977F4CE407943F050B787D840910F1EF25670E340F0219980F7CEEE4000000000006AF840',0.0,NULL);
INSERT INTO "record" VALUES(2,1,0,0.0,1,'gain','dB','','f64',1.0,NULL,0,0,0.0,0.0,X'B7FA77C304D095BFEA88AC76604BABBF9941FA1BD1FBC0BFA6CD46EF70DBD4BF56A962231ED8E8BF44ED39A8D4C9FBBFE8A7737D71F10BC07B299C2E6F8518C07A41691EE8E122C0B61DEFC83B442AC0C4AD1B491B0131C02AF995F2AFF334C06CA703B14CEE38C05EF3F3BB25EC3CC0964D6A0CA57540C03F1C2A4E797542C0',0.0,NULL);
INSERT INTO "record" VALUES(3,1,0,0.0,2,'phase','deg','','f64',1.0,NULL,0,0,0.0,0.0,X'4D9FCDAD4C0B10C0420108DFA35D19C0A814E2F284FA23C01D9C03B4D0312FC06C4EC2EBB2DD37C066E4CD19E68441C05565D81C5D0248C05CF4C19408354EC067FA2B18A39251C0BC2F2236E15053C0EE41F9F88D7854C0F8AD66A6ED3655C08E893BAD08B055C026BBB391B2FC55C01E9EEFE6212D56C0AD5E0270B54B56C0',0.0,NULL);
CREATE TABLE report (id INTEGER PRIMARY KEY CHECK (id = 1), content TEXT NOT NULL);
CREATE TABLE seal (name TEXT PRIMARY KEY, sum INTEGER NOT NULL);
INSERT INTO "seal" VALUES('assembly',3244421341483603138);
INSERT INTO "seal" VALUES('fitted',-7316312864118948139);
INSERT INTO "seal" VALUES('claim',-6375909513024743764);
INSERT INTO "seal" VALUES('typed',3244421341483603138);
INSERT INTO "seal" VALUES('mask',5329331217742992297);
INSERT INTO "seal" VALUES('device',3941193667718687219);
INSERT INTO "seal" VALUES('unit',5675722675509346715);
INSERT INTO "seal" VALUES('report',3244421341483603138);
INSERT INTO "seal" VALUES('picture',3244421341483603138);
INSERT INTO "seal" VALUES('study',-9078140411827158678);
INSERT INTO "seal" VALUES('take',-8188124266681511684);
CREATE TABLE study (id INTEGER PRIMARY KEY, position INTEGER NOT NULL, name TEXT NOT NULL UNIQUE, kind TEXT NOT NULL,
                    plan TEXT NOT NULL, settings TEXT NOT NULL, wake INTEGER REFERENCES take(id), assembly INTEGER NOT NULL DEFAULT 1, note TEXT NOT NULL DEFAULT '', look TEXT NOT NULL DEFAULT '{}');
INSERT INTO "study" VALUES(1,0,'Filter','response','{"drive_pin": "in", "start": 100.0, "stop": 100000.0, "spacing": "log", "points_per_decade": 5, "points_total": 10, "by_total": false, "level_pp": 0.2, "level_form": "pk-pk", "offset": 0.0, "source_resistance": 50.0, "settle_time": 0.002, "settle_periods": 2, "periods": 8, "averages": 1, "hookup": {"chains": [{"name": "stimulus", "pin": "in", "sensor": {"factor": 1.0, "kind": "direct", "name": "Direct lead", "rating": 50.0}}, {"name": "response", "pin": "out", "sensor": {"factor": 1.0, "kind": "direct", "name": "Direct lead", "rating": 50.0}}], "computed": []}, "stimulus": "stimulus", "response": "response", "method": "stepped", "quantity": "gain", "listed": [], "level_shape": "flat", "level_table": [], "aim": 0.5, "level_most_pp": 2.0, "agree": 0.0, "u_asked_db": 0.0, "refine": true, "refine_points": 40, "level_checks": 0, "repeat": "once", "noise_rms": 0.05, "resolution": 1.0, "noise_averages": 64, "overlap": 0.5, "window": "hann"}','{"reference": "first"}',NULL,1,'','{}');
INSERT INTO "study" VALUES(2,1,'Loop','iv','{"aperture": 0.02, "averages": 1, "course": "up", "cycles": 1, "delay": 0.001, "hold": 0.0, "method": "readings", "ramp": 0.1, "rest_time": 0.0, "sensed": "", "source_resistance": 50.0, "sources": [{"against": "", "compliance": 0.05, "current_range": null, "force": "voltage", "four_wire": true, "listed": [], "lowest_range": 0.0, "name": "diode", "pin": "diode", "points": 181, "rest": 0.0, "role": "swept", "spacing": "linear", "start": -0.6, "stop": 8.4, "value": -0.6}], "temperature": 25.0}','{"loop_threshold":"3.0 %"}',NULL,1,'','{}');
CREATE TABLE take (id INTEGER PRIMARY KEY, study INTEGER NOT NULL REFERENCES study(id), number INTEGER NOT NULL, unit TEXT NOT NULL,
                   started TEXT NOT NULL, state TEXT NOT NULL, origin TEXT NOT NULL, setup TEXT NOT NULL, planned INTEGER NOT NULL,
                   points INTEGER NOT NULL DEFAULT 0, note TEXT NOT NULL DEFAULT '', process TEXT NOT NULL DEFAULT '', purpose TEXT NOT NULL DEFAULT '', aside INTEGER NOT NULL DEFAULT 0, latched TEXT NOT NULL DEFAULT '{}',
                   UNIQUE (study, number));
INSERT INTO "take" VALUES(1,1,1,'imported','2026-05-01T20:15:00Z','finished','filter.csv','{"file": "filter.csv", "notes": ""}',1,1,'by hand','','',0,'{}');
CREATE TABLE typed (id INTEGER PRIMARY KEY, study INTEGER NOT NULL REFERENCES study(id), unit INTEGER NOT NULL REFERENCES unit(id),
                    figure TEXT NOT NULL, label TEXT NOT NULL, value REAL NOT NULL, symbol TEXT NOT NULL, u REAL,
                    source TEXT NOT NULL, UNIQUE (study, unit, figure));
CREATE TABLE unit (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, serial TEXT NOT NULL DEFAULT '', note TEXT NOT NULL DEFAULT '');
INSERT INTO "unit" VALUES(1,'unit 02','','');
CREATE INDEX record_of_point ON record (point, pass, channel);
COMMIT;
