#include "study/watch_duty.h"

#include "base/quantity.h"

namespace heron::study {

std::string trip_text(const Trip& trip, const std::string& name, const std::string& unit) {
  return fmt::format("{} was {}", name, format_quantity(trip.excursion.extreme, unit, 4).plain());
}

WatchDuty::WatchDuty(const std::vector<Watch>& watches, const std::vector<Quantity>& quantities, const TimeBase& time) {
  for (std::size_t k = 0; k < quantities.size(); ++k)
    for (const auto& watch : watches) {
      const bool named = watch.quantity == quantities[k].name || (watch.quantity.empty() && quantities.size() == 1);
      if (named && (watch.unit.empty() || watch.unit == quantities[k].unit)) each_.push_back({&watch, k, Watcher(watch, time)});
    }
}

void WatchDuty::add(std::size_t quantity, std::span<const double> values) {
  for (auto& one : each_) {
    if (one.quantity != quantity) continue;
    one.watcher.add(values);
    if (ends_ || one.watch->on_trip.value_or(OnTrip::notes) == OnTrip::notes) continue;
    if (const auto counted = one.watcher.counted(); !counted.empty()) ends_ = Trip{one.watch, one.quantity, counted.front(), one.watcher.open()};
  }
}

void WatchDuty::skip(std::size_t missing) {
  for (auto& one : each_) one.watcher.skip(missing);
}

std::vector<Trip> WatchDuty::ended() {
  std::vector<Trip> out;
  for (auto& one : each_)
    for (const auto& all = one.watcher.ended(); one.told < all.size(); ++one.told) out.push_back({one.watch, one.quantity, all[one.told]});
  return out;
}

std::vector<Trip> WatchDuty::still_open() const {
  std::vector<Trip> out;
  for (const auto& one : each_)
    if (one.watcher.open_counts()) out.push_back({one.watch, one.quantity, one.watcher.counted().back(), true});
  return out;
}

Result<std::optional<Trip>> first_trip(const Waveforms& record, std::span<const Watch> watches) {
  for (const auto& watch : watches) {
    const auto place = record.watched(watch);
    if (place >= record.traces.size()) continue;
    const auto& trace = *record.traces[place];
    if (!watch.unit.empty() && watch.unit != trace.unit) continue;
    const auto all = excursions_of(trace, 0, trace.size(), watch);
    if (!all) return tl::unexpected(all.error());
    if (!all->empty()) return Trip{&watch, place, all->front()};
  }
  return std::nullopt;
}

}  // namespace heron::study
