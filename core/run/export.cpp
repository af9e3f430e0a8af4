#include "run/export.h"

#include <algorithm>
#include <array>
#include <complex>
#include <filesystem>

#include "exchange/hierarchy.h"
#include "exchange/touchstone.h"
#include "exchange/writers.h"
#include "run/ledger.h"
#include "study/kind.h"

namespace heron::run {

using nlohmann::json;

namespace {

/// Every reading of a take, as it was read: what stood in the device's place is not taken off.
Result<std::optional<study::Record>> readings_of(dossier::Store& store, const dossier::Study& study,
                                                 const dossier::Take& take) {
  const auto* kind = study::find_kind(study.kind);
  if (!kind) return std::nullopt;
  const auto points = store.points(take.id);
  if (!points) return tl::unexpected(points.error());
  const auto reduced = kind->reduce(*points, study.settings);
  if (!reduced) return tl::unexpected(reduced.error());
  return (*reduced)->readings();
}

}  // namespace

Result<json> take_json(dossier::Store& store, const dossier::Study& study, const dossier::Take& take,
                       const study::Analysis& analysis) {
  std::string curve_step_unit;
  const auto setup = store.take_setup(take.id);
  if (!setup) return tl::unexpected(setup.error());
  auto curve = exchange::curve_json(*analysis.curve);
  const auto* kind = study::find_kind(study.kind);
  const auto table = readings_of(store, study, take);
  if (!table) return tl::unexpected(table.error());
  if (*table) {
    // Every reading in the order taken, which holds both ways of a loop and what a limit held.
    curve = json::object();
    for (const auto& channel : (*table)->channels)
      if (kind->find_role(channel.role)) curve[channel.role] = channel.values();
    if (const auto* step = (*table)->find("step")) curve_step_unit = step->unit;
  }
  const auto lines = judge_take(store, study, &take, &analysis);
  if (!lines) return tl::unexpected(lines.error());
  json claims = json::array();
  for (const auto& line : *lines)
    claims.push_back(to_json(line));
  json out = {{"kind", study.kind},
              {"study", study.name},
              {"take", take.number},
              {"unit", take.unit},
              {"started", take.started},
              {"state", dossier::take_state_text(take.state)},
              {"origin", take.origin},
              {"note", take.note},
              {"setup", *setup},
              {"settings", analysis.settings},
              {"curve", std::move(curve)},
              {"figures", exchange::figures_json(analysis.reading)},
              {"absent", exchange::absent_json(analysis.reading)},
              {"doubts", exchange::doubts_json(analysis.reading)},
              {"claims", std::move(claims)}};
  if (!curve_step_unit.empty()) out["step_unit"] = curve_step_unit;
  return out;
}

Result<int> export_take(dossier::Store& store, const dossier::Study& study, const dossier::Take& take,
                        const std::string& folder, std::stop_token stop, const exchange::Share& told) {
  const auto read = read_take(store, study, take);
  if (!read) return tl::unexpected(read.error());
  const auto points = store.points(take.id);
  if (!points) return tl::unexpected(points.error());
  const std::filesystem::path top =
      std::filesystem::path(folder) / fmt::format("{}-take-{}", exchange::file_name(study.name), take.number);
  std::error_code fault;
  std::filesystem::create_directories(top / "records", fault);
  if (fault) return fail(Fault::input, "{}: the folder cannot be made: {}", top.string(), fault.message());
  int files = 0;
  const auto put = [&](const std::filesystem::path& path, std::string_view content) -> Result<void> {
    ++files;
    return exchange::write_file(path.string(), content);
  };
  if (auto ok = put(top / "points.csv", exchange::curve_csv(*read->analysis.curve)); !ok) return tl::unexpected(ok.error());
  const auto table = readings_of(store, study, take);
  if (!table) return tl::unexpected(table.error());
  if (*table)
    if (auto ok = put(top / "readings.csv", exchange::record_csv(**table)); !ok) return tl::unexpected(ok.error());
  for (const auto& [name, more] : read->reduced->tables())
    if (auto ok = put(top / (exchange::file_name(name) + ".csv"), exchange::record_csv(more)); !ok) return tl::unexpected(ok.error());
  if (const auto network = read->reduced->network()) {
    // S21 of a gain, Z11 of an impedance.
    exchange::NetworkData data{.ports = network->impedance ? 1 : 2,
                               .kind = network->impedance ? 'Z' : 'S',
                               .frequency = network->frequency};
    data.notes = fmt::format("{}, take {}, {}", study.name, take.number, take.unit);
    for (const auto h : network->values)
      data.elements.push_back(network->impedance ? std::array<std::complex<double>, 4>{h}
                                                 : std::array<std::complex<double>, 4>{0, h, 0, 0});
    if (auto ok = put(top / (network->impedance ? "curve.s1p" : "curve.s2p"), exchange::write_touchstone(data)); !ok)
      return tl::unexpected(ok.error());
  }
  const auto description = take_json(store, study, take, read->analysis);
  if (!description) return tl::unexpected(description.error());
  if (auto ok = put(top / "take.json", description->dump(2) + "\n"); !ok) return tl::unexpected(ok.error());
  // Samples as text take by far the longest.
  double samples = 0, written = 0;
  const auto size_of = [](const study::Record& record) {
    std::size_t out = 0;
    for (const auto& c : record.channels) out += c.size();
    return double(out);
  };
  for (const auto& point : *points)
    for (const auto& record : point.records) samples += size_of(record);
  // Counts as they were read, for programs that read millions of them.
  if (std::any_of(points->begin(), points->end(), [](const study::Point& p) {
        return std::any_of(p.records.begin(), p.records.end(), [](const study::Record& r) { return r.sample_rate > 0; });
      })) {
    auto all = exchange::HierarchyWriter::create((top / "records.h5").string());
    if (!all) return tl::unexpected(all.error());
    for (const auto& point : *points)
      for (const auto& record : point.records) {
        if (stop.stop_requested()) return fail(Fault::stopped, "Stopped; {} files are in {}.", files, top.string());
        const auto sensed = point.setting.sensed();
        if (!sensed) return tl::unexpected(sensed.error());
        const auto name = fmt::format("point-{:04}-pass-{}", point.index + 1, record.pass + 1);
        if (auto ok = (*all)->add(name, record, **sensed, -(*sensed)->trigger_at.value_or(0)); !ok)
          return tl::unexpected(ok.error());
      }
    if (auto ok = (*all)->finish(); !ok) return tl::unexpected(ok.error());
    ++files;
  }
  for (const auto& point : *points)
    for (const auto& record : point.records) {
      if (stop.stop_requested()) return fail(Fault::stopped, "Stopped; {} files are in {}.", files, top.string());
      const auto name = fmt::format("point-{:04}-pass-{}.csv", point.index + 1, record.pass + 1);
      const double own = size_of(record);
      const auto share = [&](double of_record) {
        if (told && samples > 0) told((written + of_record * own) / samples);
      };
      if (auto ok = exchange::write_record_csv((top / "records" / name).string(), record, stop, share); !ok) {
        if (ok.error().fault != Fault::stopped) return tl::unexpected(ok.error());
        return fail(Fault::stopped, "Stopped; {} files are in {}.", files, top.string());
      }
      written += own;
      ++files;
    }
  return files;
}

}  // namespace heron::run
