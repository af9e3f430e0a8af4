#include "point_of.h"

#include "app/text.h"

namespace heron::app {

PointOf point_of(const TakeView& view, int index) {
  PointOf out;
  const auto* reduced = dynamic_cast<const study::spectrum::ReducedSpectra*>(view.reduced.get());
  if (!reduced) return out;
  const auto settings = study::spectrum::settings_from_text(view.analysis.settings);
  const auto all = settings ? reduced->spectra(*settings) : Result<study::spectrum::ReducedSpectra::Spectra>(tl::unexpected(settings.error()));
  if (!all) {
    out.trouble = text(all.error().message);
    return out;
  }
  out.settings = *settings;
  out.spectra = all->back();
  for (const auto& each : *all)
    if (each->index == index) out.spectra = each;
  for (const auto& each : reduced->points())
    if (each.at) out.points.push_back({each.index, QString("at %1").arg(text(reduced->axis().place(*each.at)))});
  return out;
}

std::size_t quantity_of(const study::spectrum::PointSpectra& spectra, const std::string& name) {
  for (std::size_t k = 0; k < spectra.spectra.size(); ++k)
    if (spectra.spectra[k].name == name) return k;
  return 0;
}

}  // namespace heron::app
