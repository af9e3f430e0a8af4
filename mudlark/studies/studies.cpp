#include "studies.h"

#include <algorithm>

namespace heron::demo {

const DemoStudies& response_studies();
const DemoStudies& iv_studies();
const DemoStudies& waveform_studies();

const std::vector<const DemoStudies*>& demo_studies() {
  static const std::vector<const DemoStudies*> all = {&response_studies(), &iv_studies(), &waveform_studies()};
  return all;
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
