#include <SQLiteCpp/SQLiteCpp.h>

#include <catch2/catch.hpp>

#include "run/kept.h"
#include "run/take.h"
#include "study/kind.h"
#include "support.h"

using namespace heron;

namespace kept {
namespace {

/// A low-pass of 1 kHz in a table, with two claims and a mask.
struct Imported {
  test::Folder folder;
  std::string path = folder.file("kept.heron");
  dossier::Store store = std::move(*dossier::Store::create(path));
  dossier::Study study;
  dossier::Take take;

  Imported() {
    const auto id = store.add_study({.name = "Filter", .kind = "response", .plan = nlohmann::json::object()});
    REQUIRE(id);
    REQUIRE(store.add_claim(*id, {.text = "Corner", .figure = "corner.high", .lower = "900 Hz", .upper = "1.1 kHz"}));
    REQUIRE(store.add_claim(*id, {.text = "Gain", .figure = "gain@2kHz", .upper = "-8 dB"}));
    REQUIRE(store.add_mask(*id, {.text = "Stop", .curve = "gain", .upper = {{4e3, -10}, {8e3, -15}}}));
    study = *store.find_study("Filter");
    study::Record table{.pass = 0, .sample_rate = 0};
    study::Channel f{.role = "frequency", .unit = "Hz"}, gain{.role = "gain", .unit = "dB"}, phase{.role = "phase", .unit = "deg"};
    for (int k = 0; k <= 60; ++k) {
      const double at = 10 * std::pow(10, k / 15.0), x = at / 1e3;
      f.numbers.push_back(at);
      gain.numbers.push_back(-10 * std::log10(1 + x * x));
      phase.numbers.push_back(-std::atan(x) * 180 / std::numbers::pi);
    }
    table.channels = {f, gain, phase};
    const auto taken = run::import_take(store, study, table, "filter.csv", "");
    if (!taken) FAIL(taken.error().message);
    take = *store.take(*taken);
  }
  void execute(const std::string& sql) { SQLite::Database(path, SQLite::OPEN_READWRITE).exec(sql); }
  std::optional<run::Kept> known() { return run::kept_reading(store, study, take); }
};

void same_lines(const std::vector<run::LedgerLine>& a, const std::vector<run::LedgerLine>& b) {
  REQUIRE(a.size() == b.size());
  for (std::size_t k = 0; k < a.size(); ++k) {
    CHECK(a[k].text() == b[k].text());
    CHECK(a[k].judgement.verdict == b[k].judgement.verdict);
    CHECK(a[k].judgement.value == b[k].judgement.value);
    CHECK(a[k].judgement.u == b[k].judgement.u);
    CHECK(a[k].judgement.margin == b[k].judgement.margin);
    CHECK(a[k].judgement.at == b[k].judgement.at);
    CHECK(a[k].judgement.caveat == b[k].judgement.caveat);
  }
}

}  // namespace

TEST_CASE("a reading that is kept judges as the take itself does, without a record", "[kept][dossier]") {
  Imported it;
  CHECK_FALSE(it.known());
  const auto read = run::read_and_keep(it.store, it.study, it.take);
  REQUIRE(read);
  const auto lines = *run::judge_take(it.store, it.study, &it.take, &read->analysis);
  CHECK(lines[0].judgement.verdict == judge::Verdict::meets);
  CHECK(lines[1].judgement.verdict == judge::Verdict::fails);
  CHECK(lines[2].judgement.verdict == judge::Verdict::meets);
  // No record is left, and the ledger is still there.
  it.execute("DELETE FROM record");
  auto again = std::move(*dossier::Store::open(it.path));
  const auto known = run::kept_reading(again, it.study, it.take);
  REQUIRE(known);
  same_lines(*run::judge_kept(again, it.study, it.take, *known), lines);
  CHECK(known->small.x == read->reduced->small().x);
  CHECK(known->small.columns.front().y == read->reduced->small().columns.front().y);
  CHECK(known->settings == read->analysis.settings);
  CHECK(known->reading.figures.size() == read->analysis.reading.figures.size());
  CHECK(known->reading.doubts.size() == read->analysis.reading.doubts.size());
  CHECK(known->reading.absent.size() == read->analysis.reading.absent.size());
}

TEST_CASE("a reading is kept only for what it was made of", "[kept][dossier]") {
  Imported it;
  REQUIRE(run::read_and_keep(it.store, it.study, it.take));
  REQUIRE(it.known());
  SECTION("another limit on the same figure is judged anew") {
    REQUIRE(it.store.add_claim(it.study.id, {.text = "Low", .figure = "corner.high", .upper = "500 Hz"}));
    const auto known = it.known();
    REQUIRE(known);
    CHECK((*run::judge_kept(it.store, it.study, it.take, *known))[2].judgement.verdict == judge::Verdict::fails);
  }
  SECTION("a figure that was not asked for") {
    REQUIRE(it.store.add_claim(it.study.id, {.text = "Low", .figure = "gain@3kHz", .upper = "0 dB"}));
    CHECK_FALSE(it.known());
  }
  SECTION("another mask") {
    REQUIRE(it.store.add_mask(it.study.id, {.text = "Pass", .curve = "gain", .lower = {{20, -1}, {100, -1}}}));
    CHECK_FALSE(it.known());
  }
  SECTION("another setting") {
    REQUIRE(it.store.set_settings(it.study.id, {{"reference", "first"}}));
    it.study = *it.store.find_study("Filter");
    CHECK_FALSE(it.known());
  }
  SECTION("another version of the reading") {
    it.execute("UPDATE derived SET mark = replace(mark, 'version', 'versiom')");
    CHECK_FALSE(it.known());
  }
  SECTION("bytes that are not what was written") {
    it.execute("UPDATE derived SET data = CAST(substr(data, 1, 40) AS BLOB)");
    CHECK_FALSE(it.known());
  }
  SECTION("whole, but nonsense") {
    REQUIRE(it.store.keep_derived(it.take.id, {.mark = it.store.derived(it.take.id)->value().mark, .data = {0x83, 0x01, 0x02, 0x03}}));
    CHECK_FALSE(it.known());
  }
  SECTION("a take that is gone") {
    REQUIRE(it.store.drop_pass(it.take.id));
    REQUIRE(it.store.keep_derived(it.take.id, {.mark = "x", .data = {1}}));
    CHECK_FALSE(it.store.derived(it.take.id)->has_value());
  }
  SECTION("everything derived was dropped") {
    REQUIRE(it.store.drop_derived());
    CHECK_FALSE(it.known());
    CHECK(run::read_and_keep(it.store, it.study, it.take));
    CHECK(it.known());
  }
}

TEST_CASE("where only claims changed a take is read again without its records", "[kept]") {
  Imported it;
  const auto first = run::read_take(it.store, it.study, it.take);
  REQUIRE(first);
  it.execute("DELETE FROM record");
  REQUIRE(it.store.add_claim(it.study.id, {.text = "Low", .figure = "gain@3kHz", .upper = "-9 dB"}));
  const auto second = run::read_take(it.store, it.study, it.take, &*first);
  REQUIRE(second);
  CHECK(second->reduced == first->reduced);
  CHECK(second->analysis.reading.find("gain@3kHz")->value == Approx(-10).margin(0.02));
}

}  // namespace kept
