#include <SQLiteCpp/SQLiteCpp.h>

#include <catch2/catch.hpp>
#include <fstream>
#include <random>

#include "dossier/store.h"
#include "kinds/pulse_count.h"
#include "support.h"

using namespace heron;

namespace recordings {
namespace {

using Counts = std::vector<std::int16_t>;

/// A slow wave with a spike of one sample here and there, by its place alone.
std::int16_t count_at(std::size_t k) {
  const auto wave = std::int16_t(8000 * std::sin(double(k) * 1e-5));
  return k % 1'000'003 == 500'000 ? std::int16_t(30'000) : wave;
}

Counts stretch(std::size_t first, std::size_t size, int sign = 1) {
  Counts out(size);
  for (std::size_t k = 0; k < size; ++k) out[k] = std::int16_t(sign * count_at(first + k));
  return out;
}

struct Recorded {
  test::Folder folder;
  dossier::Store store = std::move(*dossier::Store::create(folder.file("long.heron")));
  long long take = 0;

  explicit Recorded(std::size_t samples, std::size_t piece = 100'003, std::size_t flush_each = 0) {
    const auto study = store.add_study({.name = "Bursts", .kind = pulse_count::kName, .plan = nlohmann::json::object()});
    REQUIRE(study);
    take = *store.begin_take(*study, "unit 01", "test", nlohmann::json::object(), 1);
    study::Point head{.index = 0, .setting = {{"pulses", 0}, {"threshold", 2.5}}};
    head.records.push_back({.pass = 0, .sample_rate = 1e6});
    for (const char* role : {"answer", "mirror"})
      head.records.front().channels.push_back(
          {.role = role, .unit = "V", .pin = "out", .scale = 1e-4, .range = 3.2, .lowest_count = -32768, .highest_count = 32767});
    auto recording = store.begin_recording(take, head);
    REQUIRE(recording);
    for (std::size_t first = 0, n = 0; first < samples; first += piece, ++n) {
      const auto size = std::min(piece, samples - first);
      const auto one = stretch(first, size), other = stretch(first, size, -1);
      REQUIRE(store.append(*recording, {one, other}));
      if (flush_each > 0 && n % flush_each == 0) REQUIRE(store.flush(*recording));
    }
    REQUIRE(store.flush(*recording));
    REQUIRE(store.finish_take(take, dossier::TakeState::finished));
  }
  study::Channel channel(const char* role = "answer") {
    const auto points = store.points(take);
    REQUIRE(points);
    REQUIRE(points->size() == 1);
    const auto* found = points->front().records.front().find(role);
    REQUIRE(found);
    REQUIRE(found->recording);
    return *found;
  }
  void execute(const std::string& sql) {
    SQLite::Database db(folder.file("long.heron"), SQLite::OPEN_READWRITE);
    db.exec(sql);
  }
};

/// What the process holds in memory, bytes.
std::size_t resident() {
  std::ifstream statm("/proc/self/statm");
  std::size_t all = 0, in_memory = 0;
  statm >> all >> in_memory;
  return in_memory * std::size_t(sysconf(_SC_PAGESIZE));
}

}  // namespace

TEST_CASE("a recording comes back sample by sample, whatever pieces it came in", "[recording][dossier]") {
  const std::size_t samples = 700'001;
  for (const std::size_t flush_each : {0u, 2u}) {
    Recorded recorded(samples, 33'333, flush_each);
    const auto channel = recorded.channel(), mirror = recorded.channel("mirror");
    CHECK(channel.counted());
    CHECK(channel.size() == samples);
    Counts all(samples), other(samples);
    REQUIRE(channel.recording->read(0, all));
    REQUIRE(mirror.recording->read(0, other));
    CHECK(all == stretch(0, samples));
    CHECK(other == stretch(0, samples, -1));
    // Across the border of two chunks, and the very last.
    for (const std::size_t first : {std::size_t(262'143), std::size_t(499'999), samples - 5}) {
      Counts some(5);
      REQUIRE(channel.recording->read(first, some));
      CHECK(some == stretch(first, 5));
    }
    Counts beyond(5);
    CHECK_FALSE(channel.recording->read(samples - 4, beyond));
    CHECK_FALSE(channel.recording->read(SIZE_MAX - 2, beyond));
    CHECK(channel.values()[500'000] == Approx(3.0));
  }
}

TEST_CASE("an envelope shows every spike of a recording and lies about none", "[recording][dossier]") {
  const std::size_t samples = 3'000'000;
  Recorded recorded(samples);
  const auto channel = recorded.channel();
  const auto all = stretch(0, samples);
  const auto hold = [&](std::size_t first, std::size_t last, std::size_t columns, std::size_t slack) {
    const auto envelope = channel.recording->envelope(first, last, columns);
    REQUIRE(envelope);
    REQUIRE(envelope->size() == columns);
    for (std::size_t k = 0; k < columns; ++k) {
      const auto at = [&](std::size_t column) { return first + (last - first) * column / columns; };
      // It must hold what lies well inside of its stretch, and nothing from beyond the slack on either side.
      const auto from = at(k), to = at(k + 1);
      const auto inner = std::minmax_element(all.begin() + long(from + slack), all.begin() + long(to - slack));
      const auto outer = std::minmax_element(all.begin() + long(from > slack ? from - slack : 0),
                                             all.begin() + long(std::min(samples, to + slack)));
      CHECK((*envelope)[k].lowest <= *inner.first);
      CHECK((*envelope)[k].highest >= *inner.second);
      CHECK((*envelope)[k].lowest >= *outer.first);
      CHECK((*envelope)[k].highest <= *outer.second);
    }
  };
  hold(0, samples, 700, 260);
  hold(123'456, 2'345'678, 500, 260);
  hold(400'000, 600'000, 400, 1);  // short stretches are read themselves
  const auto spikes = *channel.recording->envelope(0, samples, 100);
  CHECK(std::count_if(spikes.begin(), spikes.end(), [](const auto& e) { return e.highest == 30'000; }) == 3);
  // Wider than the record, or nothing of it.
  CHECK(channel.recording->envelope(0, 10 * samples, 10)->size() == 10);
  CHECK(channel.recording->envelope(5, 5, 10)->empty());
  CHECK(channel.recording->envelope(samples, samples + 10, 10)->empty());
  CHECK(channel.recording->envelope(0, 3, 100)->size() == 3);

  // The envelope is derived: dropped, it is made again.
  const auto before = *channel.recording->envelope(0, samples, 50);
  REQUIRE(recorded.store.drop_derived());
  CHECK(*recorded.channel().recording->envelope(0, samples, 50) == before);
}

TEST_CASE("a recording that was cut short keeps what had come, and a damaged piece says so", "[recording][dossier]") {
  Recorded recorded(600'000);
  SECTION("the program dies") {
    auto second = recorded.store.begin_take(recorded.store.studies()->front().id, "unit 01", "test", nlohmann::json::object(), 1);
    study::Point head{.index = 0, .setting = nlohmann::json::object()};
    head.records.push_back({.pass = 0, .sample_rate = 1e3});
    head.records.front().channels.push_back({.role = "answer", .unit = "V", .pin = "out"});
    auto recording = recorded.store.begin_recording(*second, head);
    const auto come = stretch(0, 300'000);
    REQUIRE(recorded.store.append(*recording, {come}));
    // Nobody flushes; one chunk is on disk.
    const auto points = *recorded.store.points(*second);
    REQUIRE(points.size() == 1);
    CHECK(points.front().records.front().channels.front().size() == 262'144);
  }
  SECTION("a byte of the second chunk is another") {
    recorded.execute("UPDATE chunk SET data = CAST(x'0102' || substr(data, 3) AS BLOB) WHERE first = 262144");
    const auto channel = recorded.channel();
    Counts some(1000);
    CHECK(channel.recording->read(0, some));
    const auto broken = channel.recording->read(262'000, some);
    REQUIRE_FALSE(broken);
    CHECK(broken.error().message.find("damaged") != std::string::npos);
    CHECK(broken.error().message.find("262144") != std::string::npos);
    CHECK(std::isnan(channel.values().back()));
    CHECK_FALSE(pulse_count::kind().reduce(*recorded.store.points(recorded.take), {}));
  }
  SECTION("a chunk is missing") {
    recorded.execute("DELETE FROM chunk WHERE first = 262144");
    Counts some(1000);
    CHECK_FALSE(recorded.channel().recording->read(262'000, some));
    CHECK_FALSE(recorded.channel().recording->read(300'000, some));
  }
  SECTION("a pass that is taken back leaves nothing behind") {
    REQUIRE(recorded.store.drop_pass(recorded.take));
    SQLite::Database db(recorded.folder.file("long.heron"));
    for (const char* table : {"chunk", "envelope", "record", "point", "take"})
      CHECK(db.execAndGet(std::string("SELECT count(*) FROM ") + table).getInt() == 0);
  }
}

TEST_CASE("sixteen million samples are recorded, reduced and looked at while memory stays flat", "[recording][dossier][memory]") {
  const std::size_t samples = std::size_t(16) << 20;
  const auto before = resident();
  Recorded recorded(samples, 65'536);
  const auto recorded_with = resident();
  const auto reduced = pulse_count::kind().reduce(*recorded.store.points(recorded.take), {});
  REQUIRE(reduced);
  // Each spike crosses 2.5 V once.
  std::size_t spikes = 0;
  for (std::size_t k = 500'000; k < samples; k += 1'000'003) ++spikes;
  CHECK((*reduced)->small().columns.front().y == std::vector<double>{double(spikes)});
  const auto reduced_with = resident();
  const auto channel = recorded.channel();
  CHECK(channel.recording->envelope(0, samples, 1000)->size() == 1000);
  const auto seen_with = resident();
#ifndef __SANITIZE_ADDRESS__
  // Both channels are 64 MiB; a chunk of each is 1 MiB, blocks of extremes of one 1 MiB.
  const std::size_t little = std::size_t(12) << 20;
  CHECK(recorded_with < before + little);
  CHECK(reduced_with < recorded_with + little);
  CHECK(seen_with < reduced_with + little);
#else
  (void)before, (void)recorded_with, (void)reduced_with, (void)seen_with;
#endif
}

}  // namespace recordings
