#include "studies.h"

#include <algorithm>

#include "run/take.h"

namespace heron::demo {

const DemoStudies& response_studies();
const DemoStudies& iv_studies();
const DemoStudies& waveform_studies();
const DemoStudies& spectrum_studies();
const DemoStudies& power_studies();
const DemoStudies& conversion_studies();
const DemoStudies& switching_studies();

const std::vector<const DemoStudies*>& demo_studies() {
  static const std::vector<const DemoStudies*> all = {&response_studies(), &iv_studies(), &waveform_studies(), &spectrum_studies(), &power_studies(), &conversion_studies(), &switching_studies()};
  return all;
}

Result<void> take_all(dossier::Store& store, std::uint64_t& seed, const Demo& demo, long long assembly) {
  const auto id = store.add_study({.name = demo.name, .kind = demo.kind, .plan = demo.plans.back(), .settings = demo.settings, .assembly = assembly});
  if (!id) return tl::unexpected(id.error());
  for (const auto& claim : demo.claims)
    if (auto ok = store.add_claim(*id, claim); !ok) return tl::unexpected(ok.error());
  for (const auto& mask : demo.masks)
    if (auto ok = store.add_mask(*id, mask); !ok) return tl::unexpected(ok.error());
  auto study = store.find_study(demo.name);
  if (!study) return tl::unexpected(study.error());
  for (const auto* unit : demo.units) {
    const auto on_bench = find_unit(store, unit);
    if (!on_bench) return tl::unexpected(on_bench.error());
    if (auto ok = store.set_current_unit(*on_bench); !ok) return ok;
    for (const auto& plan : demo.plans) {
      study->plan = plan;
      if (const auto take = run::run_take(store, *study, "simulated", seed++, {}, {}, {}); !take)
        return fail(take.error().fault, "{}: {}", demo.name, take.error().message);
    }
  }
  return {};
}

Result<long long> find_assembly(dossier::Store& store, const std::string& about) {
  const auto all = store.assemblies();
  if (!all) return tl::unexpected(all.error());
  const auto it = std::find_if(all->begin(), all->end(), [&](const auto& a) { return a.second == about; });
  return it != all->end() ? Result<long long>(it->first) : fail(Fault::input, "There is no assembly \"{}\".", about);
}

Result<long long> find_unit(dossier::Store& store, const std::string& name) {
  const auto units = store.units();
  if (!units) return tl::unexpected(units.error());
  const auto it = std::find_if(units->begin(), units->end(), [&](const auto& u) { return u.name == name; });
  return it != units->end() ? Result<long long>(it->id) : store.add_unit(name);
}

}  // namespace heron::demo
