#include <SQLiteCpp/SQLiteCpp.h>
#include <sys/mount.h>
#include <sys/wait.h>

#include <catch2/catch.hpp>
#include <csignal>
#include <thread>

#include "run/export.h"
#include "run/ledger.h"
#include "run/take.h"
#include "study/response/kind.h"
#include "study/response/plan.h"
#include "exchange/columns.h"
#include "exchange/writers.h"
#include "made_demo.h"
#include "mudlark/recipe.h"
#include "support.h"

using namespace heron;
using dossier::Store;
using dossier::TakeState;

namespace {

template <class T>
T value_of(Result<T> result) {
  if (!result) FAIL(result.error().message);
  return std::move(*result);
}

/// A dossier with an RC on the bench and a study of it.
Store small_dossier(const std::string& path, int points = 10) {
  auto store = value_of(Store::create(path));
  REQUIRE(store.set_device({"Mudlark buoy", "test filter",
                            "[pins]\n\"in\" = \"in\"\n\"out\" = \"out\"\n[part.R1]\nkind = \"resistor\"\nbetween = "
                            "[\"in\", \"out\"]\nvalue = \"1.6 kohm\"\n"
                            "[part.C1]\nkind = \"capacitor\"\nbetween = [\"out\", \"ground\"]\nvalue = \"10 nF\"\n"}));
  const study::response::Plan plan{.drive_pin = "in",
                                   .hookup = study::response::direct_hookup("in", "out"),
                                   .start = 100,
                                   .stop = 1e5,
                                   .points_total = points,
                                   .by_total = true,
                                   .level_pp = 0.2,
                                   .settle_time = 2e-3};
  const auto id =
      value_of(store.add_study({.name = "Filter", .kind = "response", .plan = study::response::to_json(plan)}));
  REQUIRE(store.add_claim(
      id, {.text = "Corner by R1, C1", .figure = "corner.high", .expected = "1/(2*pi*R1*C1)", .tolerance = "10 %"}));
  return store;
}

bool same(const study::Point& a, const study::Point& b) {
  if (a.index != b.index || a.setting != b.setting || a.records.size() != b.records.size()) return false;
  for (std::size_t r = 0; r < a.records.size(); ++r)
    for (std::size_t c = 0; c < a.records[r].channels.size(); ++c) {
      const auto &x = a.records[r].channels[c], &y = b.records[r].channels[c];
      if (x.counts != y.counts || x.numbers != y.numbers || x.scale != y.scale || x.range != y.range ||
          x.role != y.role || x.u_gain != y.u_gain)
        return false;
    }
  return true;
}

}  // namespace

TEST_CASE("what goes into a dossier comes out of it", "[dossier]") {
  const test::Folder folder;
  const auto path = folder.file("a.heron");
  std::vector<study::Point> sent;
  long long id = 0;
  {
    auto store = small_dossier(path);
    const auto study = value_of(store.find_study("Filter"));
    run::TakeEvents events;
    events.point = [&](long long, const study::Point& p) { sent.push_back(p); };
    id = value_of(run::run_take(store, study, "simulated", 7, {.note = "first"}, events, {}));
    REQUIRE(store.set_wake(study.id, id));
    const auto unit = value_of(store.current_unit());
    REQUIRE(store.set_fitted(unit.id, "C1", 8.2e-9));
  }
  CHECK_FALSE(std::filesystem::exists(path + "-wal"));  // one file again when closed
  auto store = value_of(Store::open(path));
  const auto study = value_of(store.find_study("Filter"));
  CHECK(study.wake == id);
  CHECK(value_of(store.current_unit()).fitted.at("C1") == 8.2e-9);
  const auto take = value_of(store.take(id));
  CHECK(take.state == TakeState::finished);
  CHECK(take.note == "first");
  CHECK(take.points == 10);
  const auto read = value_of(store.points(id));
  REQUIRE(read.size() == sent.size());
  for (std::size_t i = 0; i < read.size(); ++i) CHECK(same(read[i], sent[i]));
  CHECK(same(value_of(store.point(id, 4)), sent[4]));
  CHECK_FALSE(store.point(id, 99));
}

TEST_CASE("a take keeps the part values it was made with", "[long][dossier]") {
  const test::Folder folder;
  auto store = small_dossier(folder.file("a.heron"), 60);
  const auto study = value_of(store.find_study("Filter"));
  const auto unit = value_of(store.current_unit());
  const auto corner = [&] {
    const auto take = value_of(store.take(value_of(run::run_take(store, study, "simulated", 1, {}, {}, {}))));
    return value_of(run::analyse_take(store, study, take)).reading.find("corner.high")->value;
  };
  const double nominal = corner();
  REQUIRE(store.set_fitted(unit.id, "C1", 8.2e-9));
  CHECK(corner() / nominal == Approx(10.015 / 8.215).epsilon(3e-3));  // 15 pF of the input beside the part
  const auto takes = value_of(store.takes(study.id));
  const auto expected = [&](const dossier::Take& t) {
    const auto analysis = value_of(run::analyse_take(store, study, t));
    return *value_of(run::judge_take(store, study, &t, &analysis)).front().judgement.expected;
  };
  CHECK(expected(takes[0]) == Approx(1 / (2 * std::numbers::pi * 1.6e3 * 10e-9)));
  CHECK(expected(takes[1]) == Approx(1 / (2 * std::numbers::pi * 1.6e3 * 8.2e-9)));
}

TEST_CASE("a process killed in mid-take loses no committed point", "[dossier]") {
  const test::Folder folder;
  const auto path = folder.file("a.heron");
  { auto store = small_dossier(path, 400); }
  int pipe_ends[2];
  REQUIRE(pipe(pipe_ends) == 0);
  const pid_t child = fork();
  if (child == 0) {
    auto store = Store::open(path);
    auto study = store->find_study("Filter");
    run::TakeEvents events;
    events.point = [&](long long, const study::Point& p) {
      const char told = char(p.index);
      if (write(pipe_ends[1], &told, 1) != 1) _exit(3);
    };
    (void)run::run_take(*store, *study, "simulated", 1, {}, events, {});
    _exit(0);
  }
  close(pipe_ends[1]);
  char told = 0;
  int committed = 0;
  while (committed < 25 && read(pipe_ends[0], &told, 1) == 1) ++committed;
  REQUIRE(kill(child, SIGKILL) == 0);
  while (read(pipe_ends[0], &told, 1) == 1) ++committed;
  close(pipe_ends[0]);
  int status = 0;
  waitpid(child, &status, 0);
  REQUIRE(WIFSIGNALED(status));

  auto store = value_of(Store::open(path));
  CHECK(value_of(store.settle_dead_takes()) == 1);
  const auto study = value_of(store.find_study("Filter"));
  const auto take = value_of(store.takes(study.id)).back();
  CHECK(take.state == TakeState::stopped);
  CHECK(take.incomplete());
  CHECK(take.points >= committed);
  CHECK(take.points < 400);
  CHECK(int(value_of(store.points(take.id)).size()) == take.points);
  const auto analysis = value_of(run::analyse_take(store, study, take));
  CHECK(analysis.reading.doubts.back().key == "take.incomplete");
}

TEST_CASE("a take that still runs in another process is left alone", "[dossier]") {
  const test::Folder folder;
  auto store = small_dossier(folder.file("a.heron"));
  const auto study = value_of(store.find_study("Filter"));
  const auto take = value_of(store.begin_take(study.id, "unit 01", "bench", nlohmann::json::object(), 5));
  auto other = value_of(Store::open(folder.file("a.heron")));
  CHECK(value_of(other.settle_dead_takes()) == 0);
  CHECK(value_of(other.take(take)).state == TakeState::running);
}

TEST_CASE("a dossier from the future is refused in clear words", "[dossier]") {
  const test::Folder folder;
  const auto path = folder.file("a.heron");
  { auto store = small_dossier(path); }
  { SQLite::Database(path, SQLite::OPEN_READWRITE).exec("PRAGMA user_version = 99"); }
  const auto opened = Store::open(path);
  REQUIRE_FALSE(opened);
  CHECK_THAT(opened.error().message, Catch::Matchers::Contains("newer Zealous Heron"));
}

TEST_CASE("files that are no dossiers are refused", "[dossier]") {
  const test::Folder folder;
  CHECK_FALSE(Store::open(folder.file("none.heron")));
  CHECK_FALSE(Store::open(folder.write("text.heron", "hello, this is not a dossier at all")));
  CHECK_FALSE(Store::open(folder.write("empty.heron", "")));
  {
    SQLite::Database(folder.file("other.heron"), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE)
        .exec("CREATE TABLE x (a)");
  }
  CHECK_THAT(Store::open(folder.file("other.heron")).error().message, Catch::Matchers::Contains("not a dossier"));
  CHECK_FALSE(Store::create(folder.write("there.heron", "x")));
}

TEST_CASE("a damaged file gives what can be read and takes nothing more", "[dossier]") {
  const test::Folder folder;
  const auto path = folder.file("a.heron");
  {
    auto store = small_dossier(path, 30);
    REQUIRE(run::run_take(store, value_of(store.find_study("Filter")), "simulated", 1, {}, {}, {}));
  }
  const auto whole = *exchange::read_file(path);
  std::mt19937_64 random(8);
  int opened = 0;
  for (int i = 0; i < 40; ++i) {
    auto bytes = whole;
    for (int k = 0; k < 300; ++k) bytes[100 + random() % (bytes.size() - 100)] = char(random());
    const auto broken = folder.write("b.heron", bytes);
    auto store = Store::open(broken);
    if (!store) continue;
    ++opened;
    // Whatever is read either works or says that it does not; nothing crashes.
    (void)store->device();
    if (const auto studies = store->studies())
      for (const auto& study : *studies)
        if (const auto takes = store->takes(study.id))
          for (const auto& take : *takes) (void)run::analyse_take(*store, study, take);
  }
  CHECK(opened > 0);
  const auto cut = folder.write("c.heron", whole.substr(0, whole.size() / 2));
  if (auto store = Store::open(cut)) (void)store->studies();
}

TEST_CASE("a full disk keeps what was committed and says so", "[dossier]") {
  const test::Folder folder;
  const auto disk = folder.path() / "disk";
  std::filesystem::create_directories(disk);
  const bool mounted = mount("tmpfs", disk.c_str(), "tmpfs", 0, "size=700k") == 0;
  if (!mounted) {
    WARN("a small file system cannot be mounted here; the full disk is not tried");
    return;
  }
  struct Unmount {
    std::filesystem::path at;
    ~Unmount() { umount2(at.c_str(), MNT_DETACH); }
  } unmount{disk};
  const auto small = (disk / "small.heron").string();
  int committed = 0;
  {
    auto full = small_dossier(small, 60);
    const auto study = value_of(full.find_study("Filter"));
    run::TakeEvents events;
    events.point = [&](long long, const study::Point&) { ++committed; };
    const auto ran = run::run_take(full, study, "simulated", 1, {}, events, {});
    REQUIRE_FALSE(ran);
    CHECK_THAT(ran.error().message, Catch::Matchers::Contains("full"));
  }
  CHECK(committed > 2);
  CHECK(committed < 60);
  auto again = value_of(Store::open(small));
  const auto take = value_of(again.takes(value_of(again.find_study("Filter")).id)).back();
  CHECK(int(value_of(again.points(take.id)).size()) == committed);
}

TEST_CASE("the demo has its study, two takes of two units, and their verdicts", "[long][dossier][demo]") {
  const auto made = test::made_demo();
  REQUIRE_FALSE(made.empty());
  // There already: never written over.
  CHECK_FALSE(demo::write(made));
  const test::Folder folder;
  std::filesystem::copy(made + "/" + demo::kDossierName, folder.path());
  auto store = value_of(Store::open(folder.file(demo::kDossierName)));
  const auto study = value_of(store.find_study("Preamp passband"));
  const auto takes = value_of(store.takes(study.id));
  REQUIRE(takes.size() == 2);
  CHECK(takes[0].unit != takes[1].unit);
  CHECK(value_of(store.claims(study.id)).size() == 3);
  const auto verdicts = [&](const dossier::Take& take) {
    const auto analysis = value_of(run::analyse_take(store, study, take));
    for (const auto& d : analysis.reading.doubts) CHECK(d.severity == study::Severity::note);
    std::vector<judge::Verdict> out;
    for (const auto& line : value_of(run::judge_take(store, study, &take, &analysis)))
      out.push_back(line.judgement.verdict);
    return out;
  };
  using judge::Verdict;
  const auto first = verdicts(takes[0]);
  REQUIRE(first.size() == 4);
  CHECK(first[0] == Verdict::meets);
  CHECK(first[1] == Verdict::fails);
  CHECK(first[2] == Verdict::meets);
  CHECK(verdicts(takes[1]) == std::vector{Verdict::meets, Verdict::meets, Verdict::meets, Verdict::meets});
}

TEST_CASE("exported points read back as the same curve", "[dossier][export]") {
  const test::Folder folder;
  auto store = small_dossier(folder.file("a.heron"));
  const auto study = value_of(store.find_study("Filter"));
  const auto take =
      value_of(store.take(value_of(run::run_take(store, study, "simulated", 1, {.note = "n"}, {}, {}))));
  CHECK(value_of(run::export_take(store, study, take, folder.file("out"))) == 14);
  const auto text = value_of(exchange::read_file(folder.file("out/filter-take-1/points.csv")));
  const auto table = value_of(exchange::read_table(text, "points.csv"));
  const auto record = value_of(exchange::pick_columns(table, *study::find_kind("response"), {}));
  const auto analysis = value_of(run::analyse_take(store, study, take));
  CHECK(record.find("gain")->numbers == analysis.curve->find("gain")->y);
  CHECK(record.find("frequency")->numbers == analysis.curve->x);
  const auto samples = value_of(exchange::read_table(
      value_of(exchange::read_file(folder.file("out/filter-take-1/records/point-0003-pass-1.csv"))), "r"));
  const auto point = value_of(store.point(take.id, 2));
  CHECK(samples.rows.size() == point.records.front().channels.front().size());
  CHECK(samples.columns[1].name == "stimulus");
  const auto imported = value_of(run::import_take(store, study, record, "points.csv", "from elsewhere"));
  CHECK(value_of(run::analyse_take(store, study, value_of(store.take(imported))))
            .reading.find("corner.high")
            ->value == Approx(analysis.reading.find("corner.high")->value).epsilon(1e-9));
  CHECK(exchange::file_name("A/b: c?") == "a-b-c");
}

TEST_CASE("a dossier of the first form is brought up to the present one, and nothing in it is lost", "[dossier]") {
  test::Folder folder;
  const auto path = folder.file("old.heron");
  {
    auto store = dossier::Store::create(path);
    REQUIRE(store);
    REQUIRE(store->set_device({"Old buoy", "preamp", ""}));
    REQUIRE(store->set_fitted(1, "C4", 82e-9));
  }
  {
    // What the first form did not have.
    SQLite::Database db(path, SQLite::OPEN_READWRITE);
    db.exec("ALTER TABLE device DROP COLUMN more");
    db.exec("ALTER TABLE fitted DROP COLUMN tolerance");
    db.exec("DROP TABLE assembly");
    db.exec("ALTER TABLE study DROP COLUMN assembly");
    db.exec("ALTER TABLE take DROP COLUMN purpose");
    db.exec("ALTER TABLE record DROP COLUMN u_offset");
    db.exec("ALTER TABLE claim DROP COLUMN typical");
    db.exec("ALTER TABLE take DROP COLUMN aside");
    db.exec("ALTER TABLE point DROP COLUMN sum");
    db.exec("ALTER TABLE record DROP COLUMN samples");
    db.exec("ALTER TABLE mask DROP COLUMN unit");
    db.exec("ALTER TABLE mask DROP COLUMN after");
    db.exec("ALTER TABLE mask DROP COLUMN along");
    db.exec("ALTER TABLE device DROP COLUMN note");
    db.exec("ALTER TABLE unit DROP COLUMN serial");
    db.exec("ALTER TABLE unit DROP COLUMN note");
    db.exec("ALTER TABLE study DROP COLUMN note");
    db.exec("ALTER TABLE study DROP COLUMN look");
    db.exec("ALTER TABLE take DROP COLUMN latched");
    for (const char* table : {"seal", "chunk", "envelope", "derived", "typed", "queue", "report", "picture"}) db.exec(std::string("DROP TABLE ") + table);
    db.exec("PRAGMA user_version = 1");
  }
  auto store = dossier::Store::open(path);
  if (!store) FAIL(store.error().message);
  CHECK(store->device()->name == "Old buoy");
  CHECK(store->device()->expectations.empty());
  CHECK(store->units()->front().fitted.at("C4") == Approx(82e-9));
  auto device = *store->device();
  device.ratings["in"].voltage = 3;
  device.expectations = {{"Corner", "1/R1", "Hz"}};
  REQUIRE(store->set_device(device));
  REQUIRE(store->set_fitted(1, "R3", 81e3, 0.002));
  auto again = dossier::Store::open(path);
  REQUIRE(again);
  CHECK(again->device()->ratings.at("in").voltage == 3);
  CHECK(again->device()->expectations == device.expectations);
  CHECK(again->units()->front().fitted_tolerance.at("R3") == Approx(0.002));
}

TEST_CASE("a device's assemblies have circuits and fitted parts of their own, and share its units", "[dossier]") {
  test::Folder folder;
  auto store = value_of(dossier::Store::create(folder.file("two.heron")));
  REQUIRE(store.set_device({"Mudlark buoy", "preamp", "one"}));
  const auto second = value_of(store.add_assembly("transducer", "two"));
  CHECK(second != dossier::kMainAssembly);
  CHECK(value_of(store.device()).circuit == "one");
  CHECK(value_of(store.device(second)).circuit == "two");
  CHECK(value_of(store.device(second)).name == "Mudlark buoy");
  auto other = value_of(store.device(second));
  other.ratings["in"].voltage = 4;
  other.name = "Mudlark buoy, rev D";
  REQUIRE(store.set_device(other, second));
  CHECK(value_of(store.device()).name == "Mudlark buoy, rev D");
  CHECK(value_of(store.device()).ratings.empty());
  CHECK(value_of(store.device(second)).ratings.at("in").voltage == 4);
  const auto unit = value_of(store.current_unit()).id;
  REQUIRE(store.set_fitted(unit, "C1", 1e-9));
  REQUIRE(store.set_fitted(unit, "C1", 2e-9, 0.01, second));
  CHECK(value_of(store.current_unit()).fitted.at("C1") == 1e-9);
  CHECK(value_of(store.current_unit(second)).fitted.at("C1") == 2e-9);
  CHECK(value_of(store.assemblies()).size() == 2);
  const auto study = value_of(store.add_study({.name = "S", .kind = "response", .plan = {}, .assembly = second}));
  CHECK(value_of(store.studies()).front().assembly == second);
  CHECK(value_of(store.studies()).front().id == study);
}
