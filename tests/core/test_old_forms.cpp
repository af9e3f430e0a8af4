#include <SQLiteCpp/SQLiteCpp.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <catch2/catch.hpp>
#include <fstream>
#include <sstream>

#include "dossier/seal.h"
#include "run/device.h"
#include "run/ledger.h"
#include "study/kind.h"
#include "study/plan.h"
#include "support.h"

using namespace heron;

namespace old_forms {
namespace {

/// A dossier of an older form, as the program of its time wrote it.
std::string dossier_of(const test::Folder& folder, int form) {
  std::ifstream in(std::string(HERON_SOURCE) + "/tests/data/form-" + std::to_string(form) + ".sql");
  std::stringstream text;
  text << in.rdbuf();
  REQUIRE(text.str().size() > 1000);
  const auto path = folder.file("form-" + std::to_string(form) + ".heron");
  SQLite::Database(path, SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE).exec(text.str());
  return path;
}

void look_through(dossier::Store& store, int form) {
  INFO("form " << form);
  CHECK(store.damage().empty());
  const auto device = store.device();
  REQUIRE(device);
  CHECK(device->name == "Mudlark buoy, rev B");
  CHECK(device->ratings.size() == (form >= 2 ? 1 : 0));
  const auto unit = store.current_unit();
  REQUIRE(unit);
  CHECK(unit->name == "unit 02");
  CHECK(unit->fitted.at("C1") == 6.3e-8);
  CHECK(unit->fitted_tolerance.size() == (form >= 2 ? 1 : 0));
  const auto study = store.find_study("Filter");
  REQUIRE(study);
  const auto plan = study::find_kind(study->kind)->plan(study->plan);
  if (!plan) FAIL(plan.error().message);
  std::string sentence;
  for (const auto& piece : (*plan)->brief()) sentence += piece.text + " ";
  CHECK(sentence.find("from 100 Hz to 100 kHz") != std::string::npos);
  CHECK(sentence.find("200 mV pk-pk") != std::string::npos);
  const auto takes = store.takes(study->id);
  REQUIRE(takes);
  REQUIRE(takes->size() == 1);
  CHECK(takes->front().note == "by hand");
  CHECK_FALSE(takes->front().aside);
  const auto lines = run::ledger(store);
  if (!lines) FAIL(lines.error().message);
  REQUIRE(lines->size() == 2);
  CHECK(lines->front().judgement.verdict == judge::Verdict::meets);
  // 1/(2 pi 1.8 kohm 62 nF) = 1426 Hz, below a reference that is the first point's.
  CHECK(*lines->front().judgement.value == Approx(1 / (2 * std::numbers::pi * 1.8e3 * 62e-9)).epsilon(0.02));
  CHECK(lines->back().judgement.verdict == judge::Verdict::meets);
}

}  // namespace

TEST_CASE("dossiers of every form so far open, are brought up and say what they said", "[dossier][forms]") {
  const test::Folder folder;
  for (int form = 1; form < dossier::kSchemaVersion; ++form) {
    const auto path = dossier_of(folder, form);
    {
      auto store = dossier::Store::open(path);
      if (!store) FAIL(store.error().message);
      look_through(*store, form);
      CHECK(store->check_all()->empty());
      if (form >= 4) {
        const auto loop = store->find_study("Loop");
        REQUIRE(loop);
        // Bare numbers were shares up to form 4.
        CHECK(loop->settings.at("loop_threshold") == "3.0 %");
        CHECK(study::find_kind(loop->kind)->check_setting("loop_threshold", loop->settings.at("loop_threshold")));
      }
    }
    SQLite::Database db(path);
    CHECK(db.execAndGet("PRAGMA user_version").getInt() == dossier::kSchemaVersion);
    // Brought up once, it is like any other.
    auto again = dossier::Store::open(path);
    REQUIRE(again);
    look_through(*again, form);
  }
}

TEST_CASE("an older form in a file that may not be written to is read as it lies", "[dossier][forms]") {
  for (int form = 1; form < dossier::kSchemaVersion; ++form) {
    const test::Folder folder;
    const auto path = dossier_of(folder, form);
    chmod(path.c_str(), 0444);
    chmod(folder.path().c_str(), 0555);
    // Whoever may write everywhere looks at it as somebody who may not.
    constexpr uid_t kNobody = 65534;
    const auto child = fork();
    REQUIRE(child >= 0);
    if (child == 0) {
      if (getuid() == 0 && setuid(kNobody) != 0) _exit(2);
      auto store = dossier::Store::open(path);
      if (!store) _exit(3);
      const auto lines = run::ledger(*store);
      const bool judged = lines && lines->size() == 2 && lines->front().judgement.verdict == judge::Verdict::meets &&
                          lines->back().judgement.verdict == judge::Verdict::meets;
      const auto study = store->find_study("Filter");
      const bool typed = study && store->typed_figures(study->id).has_value();
      _exit(!store->read_only() ? 4 : !judged ? 5 : !typed ? 6 : 0);
    }
    int status = 0;
    REQUIRE(waitpid(child, &status, 0) == child);
    INFO("form " << form);
    CHECK(WIFEXITED(status));
    CHECK(WEXITSTATUS(status) == 0);
    chmod(folder.path().c_str(), 0755);
    SQLite::Database db(path);
    CHECK(db.execAndGet("PRAGMA user_version").getInt() == form);
  }
}

TEST_CASE("a damaged dossier of form 5 is not sealed anew as if it were sound", "[dossier][forms][damage]") {
  const test::Folder folder;
  const auto path = dossier_of(folder, 5);
  SQLite::Database(path, SQLite::OPEN_READWRITE).exec("UPDATE claim SET lower = '1.9 kHz'");
  for (int time = 0; time < 2; ++time) {
    auto store = dossier::Store::open(path);
    REQUIRE(store);
    CHECK(store->read_only());
    CHECK(store->damage().find("claim") != std::string::npos);
    const auto edited = store->set_note(1, "another");
    REQUIRE_FALSE(edited);
    CHECK(edited.error().message.find("for reading only") != std::string::npos);
  }
}

TEST_CASE("ratings that cannot be read are told, kept, and nothing is driven without them", "[dossier][damage]") {
  const test::Folder folder;
  const auto path = folder.file("ratings.heron");
  for (const char* more : {R"({"ratings": {"out": {"voltage": "high"}}})", R"({"ratings": {"out": {"volts": 5}}})",
                           R"({"ratings": 7})", R"({"ratings": {"out": {"voltage": -5}}})", "nonsense"}) {
    std::filesystem::remove(path);
    {
      auto store = dossier::Store::create(path);
      REQUIRE(store->set_device({"Mudlark buoy", "divider", "[pins]\nin = \"in\"\n[part.R1]\nkind = \"resistor\"\n"
                                 "between = [\"in\", \"ground\"]\nvalue = \"1 kohm\"\n"}));
    }
    // As a later version, or another hand, would have left it.
    SQLite::Database db(path, SQLite::OPEN_READWRITE);
    SQLite::Statement write(db, "UPDATE device SET more = ?");
    write.bind(1, more);
    write.exec();
    dossier::reseal(db, "device");
    auto store = dossier::Store::open(path);
    if (!store) FAIL(store.error().message);
    CHECK(store->damage().empty());
    const auto device = run::read_device(*store);
    REQUIRE(device);
    CHECK(device->trouble.find("cannot be read") != std::string::npos);
    CHECK_FALSE(run::open_bench(*device, "simulated", 1));
    auto changed = device->info;
    changed.name = "another";
    const auto refused = store->set_device(changed);
    REQUIRE_FALSE(refused);
    CHECK(refused.error().message.find("nothing is written over them") != std::string::npos);
    CHECK(db.execAndGet("SELECT more FROM device").getString() == more);
  }
}

}  // namespace old_forms
