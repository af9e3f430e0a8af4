#include <benchmark/benchmark.h>

#include <chrono>
#include <filesystem>

#include "exchange/curves.h"
#include "report/html.h"
#include "run/kept.h"
#include "run/overview.h"
#include "run/take.h"
#include "study/kind.h"

/// The view over the whole device: how long many units with many claims take, beside reading the same rows of the file.
namespace whole_device {
namespace {

using namespace heron;
using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point start) { return std::chrono::duration<double>(Clock::now() - start).count(); }

/// So many studies with as many claims each, a take of a table on every unit, read and kept.
std::optional<dossier::Store> made(const std::string& path, int units, int studies, int claims) {
  for (const char* ending : {"", "-wal", "-shm"}) std::filesystem::remove(path + ending);
  auto store = dossier::Store::create(path);
  if (!store || !store->set_device({.name = "Mudlark buoy", .about = "filters", .circuit = {}})) return std::nullopt;
  const auto* kind = study::find_kind("response");
  study::Record table;
  std::vector<double> f, gain, phase;
  for (int k = 0; k <= 100; ++k) {
    f.push_back(std::pow(10, 1 + 0.04 * k));
    gain.push_back(-10 * std::log10(1 + f.back() * f.back() / 1e6));
    phase.push_back(-std::atan(f.back() / 1e3) * 180 / std::numbers::pi);
  }
  table.channels = {{.role = "frequency", .unit = "Hz", .numbers = f}, {.role = "gain", .unit = "dB", .numbers = gain}, {.role = "phase", .unit = "deg", .numbers = phase}};
  std::vector<std::string> all = {"unit 01"};
  for (int u = 2; u <= units; ++u)
    if (store->add_unit(fmt::format("unit {:02}", u))) all.push_back(fmt::format("unit {:02}", u));
  for (int s = 0; s < studies; ++s) {
    const auto id = store->add_study({.name = fmt::format("Filter {}", s), .kind = std::string(kind->name), .plan = nlohmann::json::object()});
    if (!id) return std::nullopt;
    for (int c = 0; c < claims; ++c)
      if (!store->add_claim(*id, {.text = fmt::format("Corner, {}", c), .figure = "corner.high", .lower = fmt::format("{} Hz", 600 + 50 * c)})) return std::nullopt;
  }
  const auto all_studies = *store->studies();
  for (const auto& study : all_studies)
    for (const auto& unit : all) {
      const auto take = store->begin_take(study.id, unit, "made", nlohmann::json::object(), 1);
      if (!take || !store->add_point(*take, {.setting = nlohmann::json::object(), .records = {table}}) || !store->finish_take(*take, dossier::TakeState::finished) || !run::read_and_keep(*store, study, *store->take(*take))) return std::nullopt;
    }
  return std::move(*store);
}

/// `over_rows`: the overview of 200 claims on 100 units against reading what is kept of the same takes.
void overview_of_many(benchmark::State& state) {
  const auto path = (std::filesystem::temp_directory_path() / "heron-perf-overview.heron").string();
  auto store = made(path, 100, 20, 10);
  if (!store) return state.SkipWithError("the dossier cannot be made");
  double read = 0, rows = 0;
  std::size_t cells = 0;
  for (auto _ : state) {
    auto start = Clock::now();
    const auto all = run::overview(*store);
    read += seconds_since(start);
    cells = 0;
    for (const auto& row : all->rows)
      for (const auto& cell : row.cells) cells += cell.has_value();
    start = Clock::now();
    const auto studies = *store->studies();
    for (const auto& study : studies) {
      const auto takes = *store->takes(study.id);
      for (const auto& take : takes) benchmark::DoNotOptimize(store->derived(take.id));
    }
    rows += seconds_since(start);
  }
  state.counters["cells"] = double(cells);
  state.counters["ms"] = 1e3 * read / double(state.iterations());
  state.counters["over_rows"] = read / rows;
}
BENCHMARK(overview_of_many)->Unit(benchmark::kMillisecond)->Iterations(3);

/// `over_reading`: gathering and writing a report of 40 units and 60 claims against reading its takes alone.
void report_of_many(benchmark::State& state) {
  const auto path = (std::filesystem::temp_directory_path() / "heron-perf-report.heron").string();
  auto store = made(path, 40, 10, 6);
  if (!store) return state.SkipWithError("the dossier cannot be made");
  double whole = 0, reading = 0;
  std::size_t bytes = 0;
  for (auto _ : state) {
    auto start = Clock::now();
    const auto content = report::gather(*store, {});
    bytes = report::html(*content).size();
    whole += seconds_since(start);
    start = Clock::now();
    const auto studies = *store->studies();
    for (const auto& study : studies) {
      const auto takes = *store->takes(study.id);
      for (const auto& take : takes) benchmark::DoNotOptimize(run::read_take(*store, study, take));
    }
    reading += seconds_since(start);
  }
  state.counters["MB"] = double(bytes) * 1e-6;
  state.counters["s"] = whole / double(state.iterations());
  state.counters["over_reading"] = whole / reading;
}
BENCHMARK(report_of_many)->Unit(benchmark::kMillisecond)->Iterations(2);

}  // namespace
}  // namespace whole_device
