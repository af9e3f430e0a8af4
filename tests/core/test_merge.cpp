#include <SQLiteCpp/SQLiteCpp.h>

#include <catch2/catch.hpp>
#include <fstream>

#include "dossier/store.h"
#include "kinds/pulse_count.h"
#include "made_demo.h"
#include "run/ledger.h"
#include "run/overview.h"
#include "support.h"

using namespace heron;

namespace merging {
namespace {

study::Point point_of(int index, int seed) {
  study::Point out{.index = index, .setting = {{"pulses", index + 1}, {"threshold", 2.5}}};
  out.records.push_back({.pass = 0, .sample_rate = 1e6});
  study::Channel answer{.role = "answer", .unit = "V", .pin = "out", .scale = 1e-4, .range = 3.2, .lowest_count = -32768, .highest_count = 32767};
  for (int k = 0; k < 200; ++k) answer.counts.push_back(std::int16_t((k * 37 + seed * 101) % 30000));
  out.records.front().channels.push_back(answer);
  return out;
}

/// A dossier of the device with one study and no takes.
dossier::Store made(const std::string& path, const std::string& device = "Mudlark buoy, rev T") {
  auto store = dossier::Store::create(path);
  REQUIRE(store);
  REQUIRE(store->set_device({.name = device, .about = "pulse former", .circuit = {}}));
  REQUIRE(store->add_study({.name = "Bursts", .kind = pulse_count::kName, .plan = nlohmann::json::object()}));
  REQUIRE(store->add_unit("unit 02"));
  return std::move(*store);
}

long long take(dossier::Store& store, const std::string& unit, int seed, int points = 2) {
  const auto study = store.find_study("Bursts");
  REQUIRE(study);
  const auto id = store.begin_take(study->id, unit, "test", {{"seed", seed}}, points);
  REQUIRE(id);
  for (int k = 0; k < points; ++k) REQUIRE(store.add_point(*id, point_of(k, seed)));
  REQUIRE(store.finish_take(*id, dossier::TakeState::finished));
  return *id;
}

std::vector<std::int16_t> counts_of(dossier::Store& store, long long take) {
  std::vector<std::int16_t> out;
  const auto points = store.points(take);
  REQUIRE(points);
  CHECK(store.damaged_points(take) == 0);
  for (const auto& point : *points)
    for (const auto& record : point.records)
      for (const auto& channel : record.channels) out.insert(out.end(), channel.counts.begin(), channel.counts.end());
  return out;
}

}  // namespace

TEST_CASE("takes of forty copies come together as if they had been made in one dossier, each once", "[dossier][merge]") {
  const test::Folder folder;
  auto whole = made(folder.file("whole.heron"));
  auto here = made(folder.file("here.heron"));
  for (int k = 0; k < 40; ++k) {
    const auto path = folder.file("copy" + std::to_string(k) + ".heron");
    REQUIRE(here.copy_to(folder.file("empty.heron")));
    std::filesystem::copy_file(folder.file("empty.heron"), path);
    if (k == 0) take(here, "unit 02", 1000);
    {
      auto copy = dossier::Store::open(path);
      REQUIRE(copy);
      const auto id = take(*copy, k % 2 ? "unit 01" : "unit 02", k);
      if (k == 7) REQUIRE(copy->set_note(id, "seventh"));
    }
    if (k == 0) take(whole, "unit 02", 1000);
    take(whole, k % 2 ? "unit 01" : "unit 02", k);
    const auto merged = here.merge(path);
    if (!merged) FAIL(merged.error().message);
    CHECK(merged->takes == 1);
    CHECK(merged->studies == 0);
    CHECK(merged->units == 0);
    CHECK(merged->said.empty());
    // Copies from the second on hold all that was here when they were made.
    const int held = k == 0 ? 0 : k + 1;
    CHECK(merged->known == held);
    const auto again = here.merge(path);
    REQUIRE(again);
    CHECK(again->takes == 0);
    CHECK(again->known == held + 1);
  }
  const auto mine = here.takes(here.find_study("Bursts")->id), theirs = whole.takes(whole.find_study("Bursts")->id);
  REQUIRE(mine);
  REQUIRE(theirs);
  REQUIRE(mine->size() == 41);
  REQUIRE(theirs->size() == 41);
  for (std::size_t k = 0; k < mine->size(); ++k) {
    const auto &a = (*mine)[k], &b = (*theirs)[k];
    CHECK(a.number == int(k) + 1);
    CHECK(a.unit == b.unit);
    CHECK(a.origin == b.origin);
    CHECK(a.state == b.state);
    CHECK(a.points == b.points);
    CHECK(*here.take_setup(a.id) == *whole.take_setup(b.id));
    CHECK(counts_of(here, a.id) == counts_of(whole, b.id));
  }
  CHECK((*mine)[8].note == "seventh");
  CHECK(here.check_all()->empty());
  CHECK(dossier::Store::open(here.path())->damage().empty());
}

TEST_CASE("a study, a unit, a claim, a typed figure and a recording that are missing come along", "[dossier][merge]") {
  const test::Folder folder;
  auto here = made(folder.file("here.heron"));
  auto there = made(folder.file("there.heron"));
  const auto long_one = there.add_study({.name = "Long", .kind = pulse_count::kName, .plan = {{"x", 1}}, .note = "runs over night"});
  REQUIRE(long_one);
  REQUIRE(there.add_claim(*long_one, {.text = "Few pulses", .figure = "pulses", .upper = "3"}));
  REQUIRE(there.add_mask(*long_one, {.text = "Below", .curve = "answer", .upper = {{0, 1}, {1, 2}}, .unit = "V", .after = "pulses", .along = "1"}));
  const auto third = there.add_unit("unit 03");
  REQUIRE(third);
  REQUIRE(there.set_unit_words(*third, "SN 0042", "from the second batch"));
  REQUIRE(there.set_fitted(*third, "C1", 6.3e-8, 0.01));
  REQUIRE(there.type_figure(*long_one, {.unit = *third, .figure = {.key = "typed.rail", .label = "Rail", .value = 3.3, .unit = "V"}, .source = "hand meter"}));
  auto point = point_of(0, 5);
  point.records.front().channels.front().counts.clear();
  const auto dropped = there.begin_take(*long_one, "unit 03", "test", nlohmann::json::object(), 1);
  REQUIRE(dropped);
  const auto id = there.begin_take(*long_one, "unit 03", "test", nlohmann::json::object(), 1);
  REQUIRE(id);
  REQUIRE(there.drop_pass(*dropped));
  auto recording = there.begin_recording(*id, point);
  REQUIRE(recording);
  std::vector<std::int16_t> counts(700'000);
  for (std::size_t k = 0; k < counts.size(); ++k) counts[k] = std::int16_t(k * 7919 % 60000 - 30000);
  REQUIRE(there.append(*recording, {counts}));
  REQUIRE(there.flush(*recording));
  REQUIRE(there.finish_take(*id, dossier::TakeState::finished));
  REQUIRE(there.set_wake(*long_one, *id));

  const auto merged = here.merge(there.path());
  if (!merged) FAIL(merged.error().message);
  CHECK(merged->takes == 1);
  CHECK(merged->studies == 1);
  CHECK(merged->units == 1);
  const auto study = here.find_study("Long");
  REQUIRE(study);
  CHECK(study->note == "runs over night");
  CHECK(study->plan == nlohmann::json{{"x", 1}});
  REQUIRE(here.claims(study->id)->size() == 1);
  CHECK(here.claims(study->id)->front().upper == "3");
  REQUIRE(here.masks(study->id)->size() == 1);
  CHECK(here.masks(study->id)->front().after == "pulses");
  CHECK(here.masks(study->id)->front().along == "1");
  const auto units = *here.units();
  REQUIRE(units.size() == 3);
  CHECK(units.back().serial == "SN 0042");
  CHECK(units.back().note == "from the second batch");
  CHECK(units.back().fitted.at("C1") == 6.3e-8);
  const auto typed = here.typed_figures(study->id);
  REQUIRE(typed->size() == 1);
  CHECK(typed->front().unit == units.back().id);
  const auto takes = here.takes(study->id);
  REQUIRE(takes->size() == 1);
  CHECK(study->wake == takes->front().id);
  CHECK(takes->front().number == 2);
  const auto points = here.points(takes->front().id);
  REQUIRE(points->size() == 1);
  const auto& channel = points->front().records.front().channels.front();
  REQUIRE(channel.recording);
  std::vector<std::int16_t> read(channel.recording->size());
  REQUIRE(channel.recording->read(0, read));
  CHECK(read == counts);
  CHECK(here.check_all()->empty());
}

TEST_CASE("what does not go together is not brought together, and nothing is left of the attempt", "[dossier][merge]") {
  const test::Folder folder;
  auto here = made(folder.file("here.heron"));
  take(here, "unit 01", 1);
  const auto refused = [&](dossier::Store& there, const std::string& why) {
    take(there, "unit 01", 2);
    const auto merged = here.merge(there.path());
    REQUIRE_FALSE(merged);
    CHECK(merged.error().message.find(why) != std::string::npos);
    CHECK(here.takes(here.find_study("Bursts")->id)->size() == 1);
    CHECK(here.units()->size() == 2);
    CHECK(here.studies()->size() == 1);
  };
  {
    auto other = made(folder.file("other.heron"), "Another buoy");
    refused(other, "a dossier of Another buoy");
  }
  {
    auto two = made(folder.file("two.heron"));
    REQUIRE(two.add_unit("unit 09"));
    REQUIRE(two.set_unit_words(2, "SN 7", ""));
    REQUIRE(here.set_unit_words(2, "SN 8", ""));
    refused(two, "unit 02 has the serial number SN 8 here and SN 7 there");
  }
  {
    auto kind = made(folder.file("kind.heron"));
    SQLite::Database(kind.path(), SQLite::OPEN_READWRITE).exec("UPDATE study SET kind = 'iv'; UPDATE seal SET sum = sum");
    // The seal no longer holds, which is told first.
    const auto merged = here.merge(kind.path());
    REQUIRE_FALSE(merged);
    CHECK(merged.error().message.find("not as it was written") != std::string::npos);
  }
  {
    auto store = dossier::Store::create(folder.file("kind2.heron"));
    REQUIRE(store->set_device({.name = "Mudlark buoy, rev T", .about = "pulse former", .circuit = {}}));
    REQUIRE(store->add_study({.name = "Bursts", .kind = "iv", .plan = nlohmann::json::object()}));
    refused(*store, "of another kind");
  }
  CHECK(here.merge(here.path()).error().message.find("into itself") != std::string::npos);
  CHECK(here.merge(folder.file("nowhere.heron")).error().message.find("no such file") != std::string::npos);
  CHECK(here.merge(folder.write("text.heron", "not a dossier at all, though it is called one, and long enough to be looked at twice by anybody who cares")).error().fault == Fault::input);
  CHECK(dossier::Store::open(here.path())->damage().empty());
}

TEST_CASE("of takes that were brought in, time tells which is the newest", "[dossier][merge]") {
  const test::Folder folder;
  auto here = made(folder.file("here.heron"));
  auto there = made(folder.file("there.heron"));
  const auto old = take(there, "unit 01", 1);
  {
    // As if it had been made a year before; the seal is of the table as it then is.
    SQLite::Database db(there.path(), SQLite::OPEN_READWRITE);
    db.exec("UPDATE take SET started = '2025-01-01T00:00:00Z'");
  }
  REQUIRE(there.set_note(old, "last year"));
  take(here, "unit 01", 2);
  REQUIRE(here.merge(there.path()));
  const auto study = *here.find_study("Bursts");
  const auto takes = *here.takes(study.id);
  REQUIRE(takes.size() == 2);
  CHECK(takes.back().note == "last year");
  const auto judged = run::judged_take(here, study);
  REQUIRE(judged);
  REQUIRE(*judged);
  CHECK((*judged)->id == takes.front().id);
}

TEST_CASE("a dossier in which nothing was done takes over the demo whole, and says the same of it", "[dossier][merge][demo]") {
  const auto demo = test::made_demo();
  REQUIRE_FALSE(demo.empty());
  const test::Folder folder;
  std::filesystem::copy_file(demo + "/mudlark_buoy.heron", folder.file("demo.heron"));
  auto from = dossier::Store::open(folder.file("demo.heron"));
  REQUIRE(from);
  auto here = dossier::Store::create(folder.file("here.heron"));
  REQUIRE(here);
  const auto merged = here->merge(from->path());
  if (!merged) FAIL(merged.error().message);
  CHECK(merged->said.empty());
  CHECK(here->device()->name == from->device()->name);
  CHECK(here->device()->circuit == from->device()->circuit);
  CHECK(*here->assemblies() == *from->assemblies());
  REQUIRE(here->studies()->size() == from->studies()->size());
  const auto studies = *from->studies();
  for (const auto& study : studies) {
    const auto same = here->find_study(study.name);
    REQUIRE(same);
    CHECK(same->plan == study.plan);
    CHECK(same->settings == study.settings);
    CHECK(same->assembly == study.assembly);
    const auto a = *from->takes(study.id), b = *here->takes(same->id);
    REQUIRE(a.size() == b.size());
    for (std::size_t k = 0; k < a.size(); ++k) {
      CHECK(a[k].unit == b[k].unit);
      CHECK(a[k].number == b[k].number);
      CHECK(a[k].started == b[k].started);
    }
  }
  CHECK(here->check_all()->empty());
}

}  // namespace merging
