#include "recipe.h"

#include <algorithm>
#include <filesystem>
#include <map>

#include "circuits.h"
#include "exchange/writers.h"
#include "run/kept.h"
#include "run/overview.h"
#include "studies/studies.h"

namespace heron::demo {
namespace {

dossier::DeviceInfo preamp() {
  return {.name = "Mudlark buoy, rev C", .about = "hydrophone preamp", .circuit = std::string(kHydrophonePreamp)};
}

Result<void> fill_practice(dossier::Store& store) {
  if (auto ok = store.set_device(preamp()); !ok) return ok;
  std::map<std::string_view, long long> assemblies;
  for (const auto* kind : demo_studies())
    for (auto one : kind->practice()) {
      if (!one.circuit.empty() && !assemblies.contains(one.circuit)) {
        auto name = std::string(one.circuit);
        std::replace(name.begin(), name.end(), '_', ' ');
        const auto assembly = store.add_assembly(name, std::string(circuit_text(one.circuit)));
        if (!assembly) return tl::unexpected(assembly.error());
        assemblies[one.circuit] = *assembly;
      }
      if (!one.circuit.empty()) one.study.assembly = assemblies[one.circuit];
      if (const auto id = store.add_study(one.study); !id) return tl::unexpected(id.error());
    }
  return {};
}

/// So that the ledger is there at once when the dossier is opened.
Result<void> keep_readings(dossier::Store& store) {
  const auto studies = store.studies();
  if (!studies) return tl::unexpected(studies.error());
  for (const auto& study : *studies) {
    const auto newest = run::judged_take(store, study);
    if (!newest) return tl::unexpected(newest.error());
    if (!*newest) continue;
    if (const auto read = run::read_and_keep(store, study, **newest); !read) return tl::unexpected(read.error());
  }
  // And the overview, of every unit.
  if (const auto all = run::overview(store, {.read = true}); !all) return tl::unexpected(all.error());
  return {};
}

Result<void> fill(dossier::Store& store) {
  auto device = preamp();
  device.expectations = {{"Low corner", "1/(2*pi*R3*C4)", "Hz"},
                         {"High corner", "1/(2*pi*R6*C6)", "Hz"},
                         {"Gain", "1 + R5/R4", "1"}};
  if (auto ok = store.set_device(device); !ok) return ok;
  const auto unit3 = find_unit(store, "unit 03"), unit7 = find_unit(store, "unit 07");
  if (!unit3 || !unit7) return tl::unexpected(unit3 ? unit7.error() : unit3.error());
  // Someone fitted the next value up on unit 03: its high corner comes out too low.
  if (auto ok = store.set_fitted(*unit3, "C6", 5.6e-9); !ok) return ok;
  std::uint64_t seed = 1;
  for (const auto* kind : demo_studies()) {
    if (auto ok = kind->fill(store, seed); !ok) return ok;
    if (auto ok = store.set_current_unit(*unit7); !ok) return ok;
  }
  return keep_readings(store);
}

/// Made under another name first, so that a demo cut short is never taken for a whole one.
Result<std::string> write_dossier(const std::string& folder, const char* name,
                                  Result<void> (*filler)(dossier::Store&)) {
  std::error_code fault;
  std::filesystem::create_directories(folder, fault);
  if (fault) return fail(Fault::input, "{}: the folder cannot be made: {}", folder, fault.message());
  const std::string place = (std::filesystem::path(folder) / name).string(), making = place + ".making";
  if (std::filesystem::exists(place))
    return fail(Fault::input, "{}: the demo is there already; remove it or choose another folder.", place);
  for (const char* ending : {"", "-wal", "-shm"}) std::filesystem::remove(making + ending, fault);
  {
    auto store = dossier::Store::create(making);
    if (!store) return tl::unexpected(store.error());
    if (auto ok = filler(*store); !ok) return tl::unexpected(ok.error());
  }
  std::filesystem::rename(making, place, fault);
  if (fault) return fail(Fault::input, "{}: cannot be written: {}", place, fault.message());
  return place;
}

}  // namespace

std::vector<std::string> fault_names() {
  std::vector<std::string> out;
  for (const auto* kind : demo_studies())
    for (const auto& one : kind->practice())
      if (one.wrong) out.push_back(one.study.name);
  return out;
}

std::string sound_study_name() {
  for (const auto* kind : demo_studies())
    for (const auto& one : kind->practice())
      if (!one.wrong) return one.study.name;
  return {};
}

Result<std::string> write_practice(const std::string& folder) {
  return write_dossier(folder, kPracticeName, fill_practice);
}

Result<std::string> write(const std::string& folder) {
  // The practice dossier comes first, so that a folder with the demo in it has all of it.
  if (auto practice = write_practice(folder); !practice) return practice;
  for (const auto& circuit : kCircuits)
    if (auto ok = exchange::write_file((std::filesystem::path(folder) / (std::string(circuit.name) + ".toml")).string(),
                                       circuit.text);
        !ok)
      return tl::unexpected(ok.error());
  return write_dossier(folder, kDossierName, fill);
}

}  // namespace heron::demo
