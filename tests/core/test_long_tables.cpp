#include <SQLiteCpp/SQLiteCpp.h>

#include <catch2/catch.hpp>
#include <cstdlib>

#include "dossier/store.h"
#include "exchange/curves.h"
#include "exchange/hierarchy.h"
#include "exchange/scratch.h"
#include "exchange/writers.h"
#include "study/waveform/kind.h"
#include "study/waveforms.h"
#include "support.h"

using namespace heron;

namespace long_tables {
namespace {

constexpr std::size_t kRows = 2'300'000;  // more than are held in memory

double value_of(std::size_t row) { return double((row * 7919) % 1009) / 8; }

/// Rows of a time in us and a value in volts. @param off  what is added to the time of a row
template <class Off>
std::string table(std::size_t rows, Off off) {
  std::string out = "time (us),v (V)\n";
  out.reserve(rows * 20);
  for (std::size_t k = 0; k < rows; ++k) out += fmt::format("{},{}\n", 2 * k + off(k), value_of(k));
  return out;
}
std::size_t nothing(std::size_t) { return 0; }

study::Record read(const std::string& path) {
  auto curves = exchange::read_curves(path, study::waveform::kind());
  if (!curves) FAIL(curves.error().message);
  REQUIRE(curves->size() == 1);
  return std::move(curves->front().record);
}

study::WaveformsPtr waveforms(const study::Record& record) {
  study::Point point;
  point.records.push_back(record);
  const auto made = study::waveforms_of(point, {}, "");
  if (!made) FAIL(made.error().message);
  return *made;
}

void check_values(const study::StoredNumbers& numbers) {
  REQUIRE(numbers.size() == kRows);
  std::size_t wrong = 0;
  REQUIRE(study::for_each_stretch(numbers, [&](std::size_t first, std::span<const double> v) {
    for (std::size_t k = 0; k < v.size(); ++k) wrong += v[k] != value_of(first + k);
  }));
  CHECK(wrong == 0);
}

}  // namespace

TEST_CASE("a table of millions of rows stays on the disk, from the file into the dossier and back", "[csv][dossier][long]") {
  test::Folder folder;
  const auto record = read(folder.write("long.csv", table(kRows, nothing)));
  const auto* v = record.find("v");
  REQUIRE(v);
  REQUIRE(v->stored);
  CHECK(v->numbers.empty());
  CHECK_FALSE(v->counted());
  check_values(*v->stored);
  CHECK(v->values()[1'234'567] == value_of(1'234'567));
  CHECK(record.where(kRows - 1) == fmt::format("Line {}", kRows + 1));

  // Even times are told from the whole column and not held.
  const auto all = waveforms(record);
  CHECK(all->traces.front()->time.even());
  CHECK(all->traces.front()->time.step() == Approx(2e-6).epsilon(1e-12));
  CHECK(all->traces.front()->bytes() < 1000);

  auto store = *dossier::Store::create(folder.file("a.heron"));
  const auto study = store.add_study({.name = "Rail", .kind = "waveform", .plan = nlohmann::json::object()});
  REQUIRE(study);
  const auto take = *store.begin_take(*study, "unit 01", "long.csv", nlohmann::json::object(), 1);
  study::Point point;
  point.records.push_back(record);
  REQUIRE(store.add_point(take, point));
  REQUIRE(store.finish_take(take, dossier::TakeState::finished));
  const auto back = store.points(take);
  REQUIRE(back);
  REQUIRE(back->size() == 1);
  CHECK(store.damaged_points(take) == 0);
  const auto* kept = back->front().records.front().find("v");
  REQUIRE(kept);
  REQUIRE(kept->stored);
  check_values(*kept->stored);
  // Across the border of two chunks, and no further than the end.
  double few[4];
  REQUIRE(kept->stored->read(65'534, few));
  for (std::size_t k = 0; k < 4; ++k) CHECK(few[k] == value_of(65'534 + k));
  CHECK_FALSE(kept->stored->read(kRows - 3, few));
  CHECK_FALSE(v->stored->read(kRows - 3, few));
  CHECK_FALSE(v->stored->read(SIZE_MAX - 1, few));

  CHECK(store.check_all()->empty());

  // It goes into other forms without being held as well.
  std::vector<double> shares;
  REQUIRE(exchange::write_record_csv(folder.file("out.csv"), back->front().records.front(), {}, [&](double share) { shares.push_back(share); }));
  CHECK(shares.size() > 10);
  CHECK(std::is_sorted(shares.begin(), shares.end()));
  CHECK(shares.back() == 1);
  const auto lines = read(folder.file("out.csv"));
  REQUIRE(lines.find("v")->stored);
  check_values(*lines.find("v")->stored);
  std::stop_source stop;
  stop.request_stop();
  const auto stopped = exchange::write_record_csv(folder.file("stopped.csv"), back->front().records.front(), stop.get_token());
  REQUIRE_FALSE(stopped);
  CHECK(stopped.error().fault == Fault::stopped);
  CHECK_FALSE(std::filesystem::exists(folder.file("stopped.csv")));
  auto writer = exchange::HierarchyWriter::create(folder.file("out.h5"));
  REQUIRE(writer);
  REQUIRE((*writer)->add("record", back->front().records.front(), {}, 0));
  REQUIRE((*writer)->finish());
  const auto again = exchange::read_curves(folder.file("out.h5"), study::waveform::kind());
  REQUIRE(again);
  CHECK(again->front().record.find("v")->values() == kept->values());

  SECTION("a chunk that is damaged is told, and no other") {
    SQLite::Database db(folder.file("a.heron"), SQLite::OPEN_READWRITE);
    db.exec("UPDATE chunk SET data = zeroblob(length(data)) WHERE first = 131072");
    const auto points = store.points(take);
    REQUIRE(points);
    const auto& harmed = *points->front().records.front().find("v")->stored;
    CHECK(harmed.read(65'536, few));
    const auto told = harmed.read(131'070, few);
    REQUIRE_FALSE(told);
    CHECK_THAT(told.error().message, Catch::Matchers::Contains("damaged in the file from sample 131072 on"));
    CHECK(std::isnan(points->front().records.front().find("v")->values().front()));
    const auto told_all = store.check_all();
    REQUIRE(told_all);
    REQUIRE(told_all->size() == 2);  // of the times and of the values
    CHECK_THAT(told_all->back(), Catch::Matchers::Contains("Rail, take 1, v: The recording is damaged in the file from sample 131072 on"));
    // Half a table is no table: nothing is left of what cannot be read to its end.
    const auto half = exchange::write_record_csv(folder.file("half.csv"), points->front().records.front());
    REQUIRE_FALSE(half);
    for (const auto& file : std::filesystem::directory_iterator(folder.path())) CHECK(file.path().filename().string().find("half") == std::string::npos);
  }
  SECTION("a merged dossier has it too") {
    auto other = *dossier::Store::create(folder.file("b.heron"));
    const auto merged = other.merge(folder.file("a.heron"));
    if (!merged) FAIL(merged.error().message);
    const auto studies = other.studies();
    REQUIRE(studies);
    const auto takes = other.takes(studies->front().id);
    REQUIRE(takes->size() == 1);
    check_values(*other.points(takes->front().id)->front().records.front().find("v")->stored);
  }
}

TEST_CASE("times of a long table that go back, repeat or leave holes are told as those of a short one", "[csv][memory]") {
  test::Folder folder;
  const std::size_t at = 2'200'000;
  const auto told = [&](auto off) {
    const auto record = read(folder.write("odd.csv", table(kRows, off)));
    study::Point point;
    point.records.push_back(record);
    const auto made = study::waveforms_of(point, {}, "");
    return made ? std::string() : made.error().message;
  };
  CHECK_THAT(told([&](std::size_t k) { return k == at ? std::size_t(-5) : 0; }),
             Catch::Matchers::Contains(fmt::format("Line {}: the time lies before the one before it", at + 2)));
  CHECK_THAT(told([&](std::size_t k) { return std::size_t(k > 1000 ? 40 : 0) - (k == at ? 2 : 0); }),
             Catch::Matchers::Contains(fmt::format("Line {}: the time is the same as the one before it", at + 2)));
  const auto holes = waveforms(read(folder.write("hole.csv", table(kRows, [&](std::size_t k) { return k < at ? 0 : 4000; }))));
  REQUIRE(holes->gaps.size() == 1);
  CHECK(holes->gaps.front() == Approx(2e-6 * double(at - 1)));
  CHECK_FALSE(holes->traces.front()->time.even());
}

TEST_CASE("lines of rows are known across notes and empty lines", "[csv]") {
  study::RowLines lines;
  for (const int line : {2, 3, 4, 7, 8, 100}) lines.add(line);
  CHECK(lines.rows() == 6);
  for (const auto& [row, line] : {std::pair(0, 2), {2, 4}, {3, 7}, {4, 8}, {5, 100}}) CHECK(lines.line(std::size_t(row)) == line);
  const auto part = lines.part(2, 5);
  CHECK(part.rows() == 3);
  CHECK(part.line(0) == 4);
  CHECK(part.line(2) == 8);
}

TEST_CASE("a part of a record is written as a table, at the samples of its first quantity", "[csv][export]") {
  test::Folder folder;
  std::vector<double> ramp(200'001), fine(400'001);
  for (std::size_t k = 0; k < ramp.size(); ++k) ramp[k] = double(k);
  for (std::size_t k = 0; k < fine.size(); ++k) fine[k] = double(k) / 4;
  // The second is sampled twice as often and lags by a quarter of the first's step.
  const std::vector<study::TracePtr> traces = {study::trace_of("v", "V", study::TimeBase(-0.1, 1e-6), ramp),
                                               study::trace_of("n", "", study::TimeBase(-0.1 + 0.25e-6, 0.5e-6), fine)};
  const auto path = folder.file("part.csv");
  const auto lines = [&] {
    std::ifstream in(path);
    std::vector<std::string> out;
    for (std::string line; std::getline(in, line);) out.push_back(line);
    return out;
  };
  const auto few = exchange::write_part_csv(path, traces, -0.1 + 2e-6, -0.1 + 4e-6);
  REQUIRE(few);
  CHECK(*few == 3);
  const auto rows = lines();
  REQUIRE(rows.size() == 4);
  CHECK(rows[0] == "time (s),v (V),n");
  double t = 0, v = 0, n = 0;
  for (int k = 0; k < 3; ++k) {
    REQUIRE(std::sscanf(rows[std::size_t(k) + 1].c_str(), "%lf,%lf,%lf", &t, &v, &n) == 3);
    CHECK(t == Approx(-0.1 + (k + 2) * 1e-6).epsilon(1e-12));
    CHECK(v == Approx(k + 2).epsilon(1e-6));
    CHECK(n == Approx((2.0 * (k + 2) - 0.5) / 4).epsilon(1e-6));
  }
  // All of it, and more than all.
  std::vector<double> told;
  const auto all = exchange::write_part_csv(path, traces, -1, 1, {}, [&](double share) { told.push_back(share); });
  REQUIRE(all);
  CHECK(*all == 200'001);
  CHECK(lines().size() == 200'002);
  CHECK(told.back() == 1);
  CHECK(std::is_sorted(told.begin(), told.end()));
  // Between two samples lies none; nothing is written then, nor where it was stopped.
  for (const auto& [from, to] : {std::pair{-0.1 + 2.2e-6, -0.1 + 2.8e-6}, {0.2, 0.3}, {0.05, 0.04}, {double(NAN), 1.0}}) {
    const auto none = exchange::write_part_csv(folder.file("none.csv"), traces, from, to);
    REQUIRE_FALSE(none);
    CHECK(none.error().message.find("No sample lies between") == 0);
  }
  CHECK_FALSE(exchange::write_part_csv(folder.file("none.csv"), {}, 0, 1));
  std::stop_source stop;
  stop.request_stop();
  const auto stopped = exchange::write_part_csv(folder.file("none.csv"), traces, -1, 1, stop.get_token());
  REQUIRE_FALSE(stopped);
  CHECK(stopped.error().fault == Fault::stopped);
  CHECK_FALSE(std::filesystem::exists(folder.file("none.csv")));
  CHECK_FALSE(exchange::write_part_csv("/nowhere/at/all.csv", traces, -1, 1));
}

TEST_CASE("where there is no room for a long table, the message says where it was looked for", "[csv]") {
  const char* const before = std::getenv("TMPDIR");
  const std::string was = before ? before : "";
  setenv("TMPDIR", "/proc/nowhere", 1);
  const auto none = exchange::Scratch::make();
  before ? setenv("TMPDIR", was.c_str(), 1) : unsetenv("TMPDIR");
  REQUIRE_FALSE(none);
  CHECK(none.error().fault == Fault::input);
  CHECK_THAT(none.error().message, Catch::Matchers::Contains("/proc/nowhere") && Catch::Matchers::Contains("TMPDIR"));
}

}  // namespace long_tables
