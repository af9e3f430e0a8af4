#include "run/take.h"

#include <algorithm>

#include "program_version.h"
#include "run/latch.h"
#include "study/kind.h"
#include "study/plan.h"
#include "study/preflight.h"

namespace heron::run {

using nlohmann::json;

namespace {

/// A recording of a dossier while it comes.
class StoredRecording final : public study::Recorder {
 public:
  /// @param stored  told of the whole point
  StoredRecording(dossier::Store& store, long long take, int index, dossier::Recording recording, std::function<Result<void>(const study::Point&)> stored)
      : store_(store), take_(take), index_(index), recording_(std::move(recording)), stored_(std::move(stored)) {}

  Result<void> add(const bench::Capture& stretch) override {
    std::vector<std::span<const std::int16_t>> counts;
    for (const auto& channel : stretch.channels) counts.emplace_back(channel.counts);
    return store_.append(recording_, counts);
  }

  Result<void> done() override {
    if (auto ok = store_.flush(recording_); !ok) return ok;
    const auto points = store_.points(take_);
    if (!points) return tl::unexpected(points.error());
    for (const auto& point : *points)
      if (point.index == index_)
        if (auto ok = stored_(point); !ok) return ok;
    return {};
  }

 private:
  dossier::Store& store_;
  long long take_;
  int index_;
  dossier::Recording recording_;
  std::function<Result<void>(const study::Point&)> stored_;
};

}  // namespace

Result<long long> run_take(dossier::Store& store, const dossier::Study& study, const std::string& bench_name,
                           std::uint64_t seed, const RunOptions& options, const TakeEvents& events,
                           std::stop_token stop) {
  const auto* kind = study::find_kind(study.kind);
  if (!kind) return fail(Fault::usage, "Studies of kind \"{}\" cannot be run yet.", study.kind);
  const auto device = read_device(store, study.assembly);
  if (!device) return tl::unexpected(device.error());
  const auto claims = store.claims(study.id);
  if (!claims) return tl::unexpected(claims.error());
  const auto masks = store.masks(study.id);
  if (!masks) return tl::unexpected(masks.error());
  const auto around = surroundings_of(*device, study.settings, judge::asked_figures(*kind, *claims, *masks));
  const auto plan = kind->plan(study.plan);
  if (!plan) return tl::unexpected(plan.error());
  const auto bench = open_bench(*device, bench_name, seed, options.purpose,
                                kind->stand_in_ohms ? kind->stand_in_ohms(study.settings) : 0);
  if (!bench) return tl::unexpected(bench.error());
  const auto carried = options.base ? store.points(*options.base) : Result<std::vector<study::Point>>();
  if (!carried) return tl::unexpected(carried.error());
  const auto again = [&](int index) {
    return std::find(options.only.begin(), options.only.end(), index) != options.only.end();
  };
  std::vector<study::Point> anew;
  for (const auto& point : *carried)
    if (again(point.index)) anew.push_back({.index = point.index, .setting = point.setting, .records = {}});

  const auto levels = (*plan)->predict(around);
  auto findings = (*plan)->preflight(around, levels ? &*levels : nullptr);
  const auto before = store.takes(study.id);
  if (!before) return tl::unexpected(before.error());
  for (auto& one : held_findings(held_watches(study.settings, *before, device->unit.name))) findings.push_back(std::move(one));
  if (events.found)
    if (auto ok = events.found(findings); !ok) return tl::unexpected(ok.error());
  if (const auto refused = study::refusal(findings, options.accepted)) return tl::unexpected(*refused);

  const auto limits = (*bench)->limits();
  json setup = {{"plan", (*plan)->to_json()},
                {"bench", limits.name},
                {"program", kProgramVersion},
                {"seed", seed},
                {"device", device->info.name},
                {"circuit", device->info.circuit},
                {"unit", device->unit.name},
                {"fitted", device->unit.fitted},
                {"known_only_to_a_simulation", drawn_values(*device)}};
  if (options.base) setup["base"] = *options.base;
  const auto take = store.begin_take(study.id, device->unit.name, limits.name, setup,
                                     options.base ? int(carried->size()) : (*plan)->points(limits), options.purpose);
  if (!take) return take;
  if (!options.note.empty())
    if (auto ok = store.set_note(*take, options.note); !ok) return tl::unexpected(ok.error());
  if (events.began) events.began(*take);
  const auto latching = latching_watches(study.settings);
  std::set<std::string> latched;
  const auto latch = [&](const std::string& watch) -> Result<void> { return latched.insert(watch).second ? store.latch(*take, watch) : Result<void>{}; };
  const auto stored = [&](const study::Point& point) -> Result<void> {
    const auto tripped = tripped_in(point, latching);
    if (!tripped) return tl::unexpected(tripped.error());
    for (const auto& watch : *tripped)
      if (auto ok = latch(watch); !ok) return ok;
    if (events.point) events.point(*take, point);
    return {};
  };
  const auto keep = [&](const study::Point& point) -> Result<void> {
    if (auto ok = store.add_point(*take, point); !ok) return ok;
    return stored(point);
  };
  const auto record = [&](const study::Point& head) -> Result<std::unique_ptr<study::Recorder>> {
    auto begun = store.begin_recording(*take, head);
    if (!begun) return tl::unexpected(begun.error());
    return std::make_unique<StoredRecording>(store, *take, head.index, std::move(*begun), stored);
  };
  for (const auto& point : *carried)
    if (!again(point.index))
      if (auto ok = keep(point); !ok) return tl::unexpected(ok.error());
  const auto ran = (*plan)->run(**bench, {.around = around,
                                          .purpose = options.purpose,
                                          .seed = seed,
                                          .again = std::move(anew),
                                          .keep = keep,
                                          .record = record,
                                          .so_far = events.so_far,
                                          .progress = events.progress,
                                          .say = events.said,
                                          .ask = events.ask,
                                          .tripped = [&](const study::Watch& watch) {
                                            // What could not be written down now is told by the points.
                                            if (watch.latches) (void)latch(watch.name);
                                          },
                                          .stop = stop});
  const auto state = ran                                   ? dossier::TakeState::finished
                     : ran.error().fault == Fault::stopped ? dossier::TakeState::stopped
                                                           : dossier::TakeState::failed;
  const auto finished = store.finish_take(*take, state);
  if (!ran) return tl::unexpected(ran.error());
  if (!finished) return tl::unexpected(finished.error());
  return *take;
}

Result<void> check_import(const study::Kind& kind, const study::SettingsText& settings, const study::Record& table) {
  const auto tried = kind.analyse({{.setting = json::object(), .records = {table}}}, settings, {});
  if (!tried) return tl::unexpected(tried.error());
  return {};
}

Result<long long> import_take(dossier::Store& store, const dossier::Study& study, const study::Record& table, const std::string& file,
                              const std::string& notes, bool aside) {
  const auto* kind = study::find_kind(study.kind);
  if (!kind) return fail(Fault::usage, "Studies of kind \"{}\" cannot be read yet.", study.kind);
  if (auto ok = check_import(*kind, study.settings, table); !ok) return tl::unexpected(ok.error());
  return keep_import(store, study, table, file, notes, aside);
}

Result<long long> keep_import(dossier::Store& store, const dossier::Study& study, const study::Record& table, const std::string& file,
                              const std::string& notes, bool aside) {
  const study::Point point{.setting = json::object(), .records = {table}};
  const auto take = store.begin_take(study.id, "imported", file, {{"file", file}, {"notes", notes}}, 1);
  if (!take) return take;
  if (auto ok = store.add_point(*take, point); !ok) return tl::unexpected(ok.error());
  if (!notes.empty())
    if (auto ok = store.set_note(*take, notes); !ok) return tl::unexpected(ok.error());
  if (aside)
    if (auto ok = store.set_aside(*take, true); !ok) return tl::unexpected(ok.error());
  if (auto ok = store.finish_take(*take, dossier::TakeState::finished); !ok) return tl::unexpected(ok.error());
  return *take;
}

}  // namespace heron::run
