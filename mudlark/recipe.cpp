#include "recipe.h"

#include <filesystem>

#include "circuits.h"
#include "dossier/take_run.h"
#include "exchange/writers.h"

namespace heron::demo {
namespace {

dossier::Study passband() {
  study::response::Plan plan{.drive_pin = "preamp in",
                             .hookup = study::response::direct_hookup("preamp in", "preamp out"),
                             .start = 2,
                             .stop = 200e3,
                             .points_per_decade = 8,
                             .level_pp = 20e-3,
                             .settle_time = 0.1,
                             .settle_periods = 2,
                             .periods = 8};
  return {.name = "Preamp passband", .kind = "response", .plan = study::response::to_json(plan)};
}

Result<void> fill(dossier::Store& store) {
  if (auto ok = store.set_device({"Mudlark buoy, rev C", "hydrophone preamp", std::string(kHydrophonePreamp)}); !ok)
    return ok;
  const auto study_id = store.add_study(passband());
  if (!study_id) return tl::unexpected(study_id.error());
  const std::vector<judge::Claim> claims = {
      {.text = "Low corner by R3, C4 \u00b110 %",
       .figure = "corner.low",
       .expected = "1/(2*pi*R3*C4)",
       .tolerance = "10 %"},
      {.text = "High corner \u2265 18 kHz", .figure = "corner.high", .lower = "18 kHz"},
      {.text = "Gain at 1 kHz 26 \u00b10.5 dB", .figure = "gain@1kHz", .lower = "25.5 dB", .upper = "26.5 dB"}};
  for (const auto& claim : claims)
    if (auto ok = store.add_claim(*study_id, claim); !ok) return tl::unexpected(ok.error());
  const judge::Mask mask{.text = "Gain within limit lines",
                         .curve = "gain",
                         .upper = {{2, 12}, {8, 23}, {30, 27}, {20e3, 27}, {50e3, 23}, {200e3, 12}},
                         .lower = {{30, 23}, {100, 25}, {6e3, 25}, {15e3, 22.6}}};
  if (auto ok = store.add_mask(*study_id, mask); !ok) return tl::unexpected(ok.error());

  const auto first = store.current_unit();
  if (!first) return tl::unexpected(first.error());
  const auto unit3 = store.add_unit("unit 03"), unit7 = store.add_unit("unit 07");
  if (!unit3 || !unit7) return tl::unexpected(unit3 ? unit7.error() : unit3.error());
  // Someone fitted the next value up on unit 03: its high corner comes out too low.
  if (auto ok = store.set_fitted(*unit3, "C6", 5.6e-9); !ok) return ok;

  auto study = store.find_study("Preamp passband");
  if (!study) return tl::unexpected(study.error());
  const struct {
    long long unit;
    const char* note;
  } takes[] = {{*unit3, "as built; C6 looks like 5.6 nF"}, {*unit7, "first try on the bench"}};
  std::uint64_t seed = 1;
  for (const auto& t : takes) {
    if (auto ok = store.set_current_unit(t.unit); !ok) return ok;
    const auto take = dossier::run_take(store, *study, "simulated", seed++, t.note, {}, {});
    if (!take) return tl::unexpected(take.error());
    if (t.unit == *unit3)
      if (auto ok = store.set_wake(study->id, *take); !ok) return ok;
  }
  return {};
}

}  // namespace

Result<std::string> write(const std::string& folder) {
  std::error_code fault;
  std::filesystem::create_directories(folder, fault);
  if (fault) return fail(Fault::input, "{}: the folder cannot be made: {}", folder, fault.message());
  const std::filesystem::path top(folder);
  const std::string path = (top / kDossierName).string();
  if (auto ok = exchange::write_file((top / "hydrophone_preamp.toml").string(), kHydrophonePreamp); !ok)
    return tl::unexpected(ok.error());
  // Made under another name first, so that a demo cut short is never taken for a whole one.
  const std::string making = path + ".making";
  for (const char* ending : {"", "-wal", "-shm"}) std::filesystem::remove(making + ending, fault);
  if (std::filesystem::exists(path))
    return fail(Fault::input, "{}: the demo is there already; remove it or choose another folder.", path);
  {
    auto store = dossier::Store::create(making);
    if (!store) return tl::unexpected(store.error());
    if (auto ok = fill(*store); !ok) return tl::unexpected(ok.error());
  }
  std::filesystem::rename(making, path, fault);
  if (fault) return fail(Fault::input, "{}: cannot be written: {}", path, fault.message());
  return path;
}

}  // namespace heron::demo
