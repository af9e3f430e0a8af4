#include "study/watched.h"

namespace heron::study {

Result<void> read_watches(const Waveforms& record, const std::vector<Watch>& watches, const std::function<std::pair<std::size_t, std::size_t>(std::size_t trace)>& over,
                          Reading& into) {
  for (const auto& watch : watches) {
    const auto place = record.watched(watch);
    const auto none = [&](const std::string& why) {
      for (const auto& f : all_watch_figures()) into.absent.push_back({"watch." + watch.name + "." + f.which, why, watch.name});
    };
    if (place >= record.traces.size()) {
      none(watch.quantity.empty() ? "there are several quantities; the watch must say which" : fmt::format("there is no quantity \"{}\"", watch.quantity));
      continue;
    }
    const auto& trace = *record.traces[place];
    if (!watch.unit.empty() && watch.unit != trace.unit) {
      none(fmt::format("the limit is in {}, {} is in {}", watch.unit, trace.name, trace.unit));
      continue;
    }
    const auto [first, last] = over(place);
    const auto excursions = excursions_of(trace, first, last, watch);
    if (!excursions) return tl::unexpected(excursions.error());
    watch_figures(watch, *excursions, trace.unit, into);
  }
  return {};
}

}  // namespace heron::study
