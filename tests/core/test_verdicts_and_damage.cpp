#include <SQLiteCpp/SQLiteCpp.h>
#include <sys/wait.h>
#include <unistd.h>

#include <catch2/catch.hpp>
#include <fstream>

#include "run/export.h"
#include "run/ledger.h"
#include "run/take.h"
#include "exchange/columns.h"
#include "exchange/writers.h"
#include "judge/claim.h"
#include "response_support.h"

using namespace heron;
using Catch::Matchers::Contains;
using judge::Verdict;

namespace {

constexpr const char* kDamagedRc =
    "[pins]\nin = \"in\"\nout = \"out\"\n[part.R1]\nkind = \"resistor\"\nbetween = [\"in\", \"out\"]\nvalue = \"1.6 kohm\"\n"
    "tolerance = \"5 %\"\n[part.C1]\nkind = \"capacitor\"\nbetween = [\"out\", \"ground\"]\nvalue = \"10 nF\"\n";

/// A dossier with one study, one claim and one finished take.
void write_dossier(const std::string& path) {
  auto store = *dossier::Store::create(path);
  REQUIRE(store.set_device({"Buoy", "filter", kDamagedRc}));
  dossier::Study study{.name = "Filter", .kind = "response"};
  const study::response::Plan plan{.drive_pin = "in",
                                   .hookup = study::response::direct_hookup("in", "out"),
                                   .start = 1e3,
                                   .stop = 100e3,
                                   .points_per_decade = 6};
  study.plan = study::response::to_json(plan);
  const auto id = store.add_study(study);
  REQUIRE(id);
  REQUIRE(store.add_claim(*id, {.text = "Corner", .figure = "corner.high", .lower = "9 kHz"}));
  REQUIRE(run::run_take(store, *store.find_study("Filter"), "simulated", 1, {}, {}, {}));
}

std::string bytes_of(const std::string& path) { return *exchange::read_file(path); }
void write_bytes(const std::string& path, const std::string& bytes) {
  std::ofstream(path, std::ios::binary | std::ios::trunc) << bytes;
}

study::Columns curve_of(std::vector<double> gain, std::vector<double> u, std::vector<char> undecided = {}) {
  study::Columns out{.x_name = "frequency", .x_unit = "Hz", .x = {10, 100, 1000, 10000}};
  out.columns.push_back({"gain", "dB", std::move(gain), std::move(u)});
  out.undecided = std::move(undecided);
  return out;
}

}  // namespace

TEST_CASE("any place that fails makes a mask fail, whatever is closer elsewhere", "[judge][mask]") {
  const judge::Mask mask{.text = "m", .curve = "gain", .upper = {{10, 1}, {10000, 1}}};
  // At 100 Hz 0.1 dB too much and sure of it; at 10 kHz 0.3 dB too much and not.
  const auto hidden = judge::judge(mask, curve_of({0, 1.1, 0, 1.3}, {0.01, 0.01, 0.01, 1}));
  CHECK(hidden.verdict == Verdict::fails);
  CHECK(*hidden.at == Approx(100));
  // Too close anywhere is too close, even where another place has the smaller margin and meets.
  const auto close = judge::judge(mask, curve_of({0.9, 0, 0, 0.5}, {0.01, 0.01, 0.01, 1}));
  CHECK(close.verdict == Verdict::too_close);
  CHECK(*close.at == Approx(10000));
  // Broken inside it fails though it reaches outside; holding inside it is not measured.
  const judge::Mask wide{.text = "m", .curve = "gain", .upper = {{1, 1}, {10000, 1}}};
  CHECK(judge::judge(wide, curve_of({0, 2, 0, 0}, {})).verdict == Verdict::fails);
  CHECK(judge::judge(wide, curve_of({0, 0, 0, 0}, {})).verdict == Verdict::not_measured);
  // What is not coherent decides nothing.
  CHECK(judge::judge(mask, curve_of({0, 5, 0, 0}, {}, {0, 1, 0, 0})).verdict == Verdict::meets);
  CHECK(judge::judge(mask, curve_of({0, 0, 0, 0}, {}, {0, 0, 0, 1})).verdict == Verdict::not_measured);
}

TEST_CASE("claims that cannot be judged are refused with their reason", "[judge]") {
  const auto& kind = *study::find_kind("response");
  const judge::PartValues none, parts = {{"R3", 1591.5}, {"C4", 1e-7}};
  const auto says = [&](const judge::Claim& claim, const judge::PartValues* values) {
    const auto ok = judge::check(claim, kind, values);
    return ok ? std::string() : ok.error().message;
  };
  CHECK_THAT(says({.text = "c", .figure = "gain@1kHz", .lower = "18 V"}, nullptr), Contains("voltage"));
  CHECK_THAT(says({.text = "c", .figure = "gain@1kHz", .expected = "0", .tolerance = "100 V"}, nullptr), Contains("voltage"));
  CHECK_THAT(says({.text = "c", .figure = "corner.high", .lower = "9 kHz", .upper = "8 kHz"}, nullptr), Contains("lies above"));
  CHECK_THAT(says({.text = "c", .figure = "corner.high", .expected = "1/(2*pi*R3*C4)", .tolerance = "5 %"}, &none),
             Contains("expected"));
  CHECK(says({.text = "c", .figure = "corner.high", .expected = "1/(2*pi*R3*C4)", .tolerance = "5 %"}, &parts).empty());
  CHECK(says({.text = "c", .figure = "corner.high", .expected = "0.97 kHz", .tolerance = "50 Hz"}, &none).empty());
  const auto unknown = judge::read_claims("[[mask]]\ncurve = \"gain\"\nupper = [[1, 5], [2, 5]]\nlowr = [[1, 4], [2, 4]]\n", "m.toml", *study::find_kind("response"));
  REQUIRE_FALSE(unknown);
  CHECK_THAT(unknown.error().message, Contains("m.toml:4") && Contains("lowr"));
  CHECK_FALSE(judge::read_claims("[[mask]]\ncurve = \"gain\"\nupper = [[1, 3], [2, 3]]\nlower = [[1, 4], [2, 4]]\n", "m.toml", *study::find_kind("response")));
}

TEST_CASE("a take laid aside turns no verdict, and can be taken back", "[dossier]") {
  const test::Folder folder;
  write_dossier(folder.file("a.heron"));
  auto store = *dossier::Store::open(folder.file("a.heron"));
  const auto study = *store.find_study("Filter");
  study::Record table;
  study::Channel frequency{.role = "frequency", .unit = "Hz"}, gain{.role = "gain", .unit = "dB"};
  frequency.numbers = {10, 100, 1000, 2000};
  gain.numbers = {0, -0.1, -3, -9};
  table.channels = {frequency, gain};
  const auto verdict = [&] { return run::ledger(store)->front().judgement.verdict; };
  CHECK(verdict() == Verdict::meets);
  const auto aside = run::import_take(store, study, table, "reference.csv", "", true);
  REQUIRE(aside);
  CHECK(store.take(*aside)->aside);
  CHECK(verdict() == Verdict::meets);
  REQUIRE(store.set_aside(*aside, false));
  CHECK(verdict() == Verdict::fails);
  REQUIRE(store.set_aside(*aside, true));
  CHECK(verdict() == Verdict::meets);
}

TEST_CASE("a record that was altered in the file is left out with a doubt", "[dossier][damage]") {
  const test::Folder folder;
  const auto path = folder.file("a.heron");
  write_dossier(path);
  {
    SQLite::Database db(path, SQLite::OPEN_READWRITE);
    db.exec("UPDATE record SET scale = scale * 1.5 WHERE point = 4 AND channel = 1");
  }
  auto store = *dossier::Store::open(path);
  const auto study = *store.find_study("Filter");
  const auto take = store.takes(study.id)->front();
  const auto analysis = run::analyse_take(store, study, take);
  REQUIRE(analysis);
  CHECK(store.damaged_points(take.id) == 1);
  CHECK(test::find_doubt(analysis->reading, "record.damaged"));
  CHECK_FALSE(run::ledger(store)->front().judgement.caveat.empty());
  CHECK(store.check_all()->size() == 1);
}

TEST_CASE("an altered claim is told, and the dossier then opens for reading only", "[dossier][damage]") {
  const test::Folder folder;
  const auto path = folder.file("a.heron");
  write_dossier(path);
  CHECK(dossier::Store::open(path)->damage().empty());
  {
    SQLite::Database db(path, SQLite::OPEN_READWRITE);
    db.exec("UPDATE claim SET lower = '1 kHz'");
  }
  const auto store = dossier::Store::open(path);
  REQUIRE(store);
  CHECK(store->read_only());
  CHECK_THAT(store->damage(), Contains("claim"));
}

TEST_CASE("truncated and bit-flipped dossiers open as far as they go, never silently changed", "[dossier][damage]") {
  const test::Folder folder;
  const auto path = folder.file("a.heron"), broken = folder.file("b.heron");
  write_dossier(path);
  const auto whole = bytes_of(path);
  const auto figures = [&](dossier::Store& store) {
    std::map<std::string, double> out;
    const auto study = store.find_study("Filter");
    if (!study) return out;
    const auto takes = store.takes(study->id);
    if (!takes || takes->empty()) return out;
    if (const auto a = run::analyse_take(store, *study, takes->back()))
      for (const auto& f : a->reading.figures) out[f.key] = f.value;
    return out;
  };
  auto sound = *dossier::Store::open(path);
  const auto expected = figures(sound);
  int opened = 0;
  for (int k = 1; k <= 12; ++k) {
    write_bytes(broken, whole.substr(0, whole.size() * std::size_t(k) / 13));
    auto store = dossier::Store::open(broken);
    if (!store) continue;
    ++opened;
    CHECK(store->read_only());
    CHECK_FALSE(store->damage().empty());
    (void)figures(*store);
  }
  CHECK(opened >= 6);
  std::mt19937_64 random(4);
  int silent = 0;
  for (int k = 0; k < 60; ++k) {
    auto flipped = whole;
    flipped[std::size_t(random() % whole.size())] ^= char(1 << random() % 8);
    write_bytes(broken, flipped);
    auto store = dossier::Store::open(broken);
    if (!store) continue;
    const auto study = store->find_study("Filter");
    const auto now = figures(*store);
    const bool told = !store->damage().empty() || !study ||
                      (store->takes(study->id) && !store->takes(study->id)->empty() &&
                       store->damaged_points(store->takes(study->id)->back().id) > 0);
    if (now != expected && !told) ++silent;
  }
  CHECK(silent == 0);
}

TEST_CASE("form numbers that never were are refused", "[dossier][damage]") {
  const test::Folder folder;
  for (const int form : {0, -1, 99}) {
    const auto path = folder.file("a" + std::to_string(form) + ".heron");
    write_dossier(path);
    {
      SQLite::Database db(path, SQLite::OPEN_READWRITE);
      db.exec("PRAGMA user_version = " + std::to_string(form));
    }
    const auto store = dossier::Store::open(path);
    REQUIRE_FALSE(store);
    CHECK_THAT(store.error().message, Contains("form"));
  }
}

TEST_CASE("bytes that are no UTF-8 are repaired at the door, and read where they came in before", "[dossier][text]") {
  const test::Folder folder;
  const auto path = folder.file("a.heron");
  write_dossier(path);
  {
    auto store = *dossier::Store::open(path);
    const auto take = store.takes(store.find_study("Filter")->id)->front();
    REQUIRE(store.set_note(take.id, "10 \xb5V at \xff"));
    CHECK(store.take(take.id)->note == "10 \u00b5V at \u00ff");
  }
  {
    SQLite::Database db(path, SQLite::OPEN_READWRITE);
    db.exec("UPDATE take SET note = CAST(X'B541' AS TEXT)");
  }
  auto store = *dossier::Store::open(path);
  const auto study = *store.find_study("Filter");
  const auto take = store.takes(study.id)->front();
  CHECK(take.note == "\u00b5""A");
  const auto analysis = run::analyse_take(store, study, take);
  const auto written = run::take_json(store, study, take, *analysis);
  REQUIRE(written);
  CHECK_NOTHROW(written->dump());
  CHECK(written->at("setup").at("known_only_to_a_simulation").at("parts").contains("R1"));
}

TEST_CASE("an export read again has the same figures with the same uncertainties", "[dossier][export]") {
  const test::Folder folder;
  write_dossier(folder.file("a.heron"));
  auto store = *dossier::Store::open(folder.file("a.heron"));
  const auto study = *store.find_study("Filter");
  const auto take = store.takes(study.id)->front();
  const auto original = *run::analyse_take(store, study, take);
  REQUIRE(run::export_take(store, study, take, folder.file("out")));
  const auto& kind = *study::find_kind("response");
  const auto table = *exchange::read_table(bytes_of(folder.file("out/filter-take-1/points.csv")), "points.csv");
  const auto again = kind.analyse(
      {{.setting = nlohmann::json::object(), .records = {*exchange::pick_columns(table, kind, {})}}}, {}, {});
  REQUIRE(again);
  for (const auto& f : original.reading.figures) {
    INFO(f.key);
    const auto* other = again->reading.find(f.key);
    REQUIRE(other);
    CHECK(other->value == Approx(f.value).epsilon(1e-9));
    if (f.u) CHECK(*other->u == Approx(*f.u).epsilon(1e-6));
  }
}

TEST_CASE("a figure about a thousand times off its claim is suspected to be in another unit", "[judge]") {
  const auto caveat = [](double value, const char* unit, const judge::Claim& claim) {
    study::Reading reading;
    reading.figures.push_back({"x", "X", value, unit, 1e-9});
    return judge::judge(claim, reading, {}).caveat;
  };
  const judge::Claim current{.text = "Leakage", .figure = "x", .lower = "1 mA", .upper = "3 mA"};
  CHECK_THAT(caveat(2.0, "A", current), Contains("thousandfold"));
  CHECK_THAT(caveat(1.5e-6, "A", current), Contains("thousandth"));
  CHECK(caveat(2e-3, "A", current).empty());
  CHECK(caveat(0.03, "A", current).empty());
  CHECK(caveat(7.0, "A", current).empty());
  CHECK(caveat(-2.0, "A", current).empty());
  CHECK_THAT(caveat(5.0, "A", {.text = "", .figure = "x", .expected = "4 mA", .tolerance = "10 %"}), Contains("mA"));
  CHECK(caveat(2000, "dB", {.text = "", .figure = "x", .upper = "2 dB"}).empty());
}

TEST_CASE("a dossier in a folder that cannot be written to is read by somebody without rights", "[dossier]") {
  const test::Folder folder;
  const auto path = folder.file("kept.heron");
  write_dossier(path);
  REQUIRE(std::filesystem::exists(path));
  std::filesystem::permissions(folder.path(), std::filesystem::perms::owner_read | std::filesystem::perms::owner_exec |
                                                  std::filesystem::perms::others_read | std::filesystem::perms::others_exec);
  std::filesystem::permissions(path, std::filesystem::perms::owner_read | std::filesystem::perms::others_read);
  // Root may write anywhere; a child that gives its rights up may not.
  const auto child = fork();
  if (child == 0) {
    constexpr unsigned kNobody = 65534;
    if (getuid() == 0 && (setgid(kNobody) != 0 || setuid(kNobody) != 0)) _exit(9);
    auto store = dossier::Store::open(path);
    if (!store) _exit(2);
    const auto studies = store->studies();
    if (!studies || studies->size() != 1) _exit(3);
    const auto takes = store->takes(studies->front().id);
    if (!takes || takes->size() != 1 || store->points(takes->front().id)->empty()) _exit(4);
    if (store->set_note(takes->front().id, "written")) _exit(5);
    _exit(0);
  }
  int status = -1;
  REQUIRE(waitpid(child, &status, 0) == child);
  std::filesystem::permissions(folder.path(), std::filesystem::perms::owner_all);
  REQUIRE(WIFEXITED(status));
  CHECK(WEXITSTATUS(status) == 0);
}
