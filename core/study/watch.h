#pragma once
#include <cmath>
#include <cstdint>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/result.h"
#include "study/figure.h"
#include "study/trace.h"

/// Watches: a quantity that shall stay over or under a limit. For every kind that records over time.
namespace heron::study {

/// What is done when a watch trips, besides that it is told.
enum class OnTrip : std::uint8_t { notes, ends_point, ends_sweep };

struct Watch {
  std::string name;
  std::string quantity = {};  ///< empty: the only one there is
  bool over = true;           ///< trips over the limit; else under it
  double limit = 0;
  std::string unit = {};      ///< of the limit
  double glitch = 0;          ///< s; what is shorter does not count
  std::optional<double> hysteresis = {};  ///< in the unit; unset: 1 % of the limit
  std::optional<OnTrip> on_trip = {};     ///< unset: as the brief has it for all watches, else noted
  bool latches = false;                   ///< once tripped it holds, and nothing more is taken, until a person releases it

  double band() const { return hysteresis ? *hysteresis : 0.01 * std::abs(limit); }
  bool operator==(const Watch&) const = default;
};

/// "vout under 4.6 V for 10 us hysteresis 40 mV ends sweep latches"; all but side and limit may be left out. Fault::usage with an
/// example.
Result<Watch> parse_watch(std::string_view name, std::string_view text);
std::string watch_text(const Watch& watch);

/// One time that a watch tripped. Both ends are interpolated; one that is open at the record's end ends there.
struct Excursion {
  double from = 0, to = 0;  ///< s: from crossing the limit to crossing back through the limit with hysteresis
  double extreme = 0;
  double at = 0;            ///< s, of the extreme
};

/// Looks at one stretch after another, so that a recording is watched while it comes.
class Watcher {
 public:
  /// @param first  the sample that comes first
  Watcher(Watch watch, const TimeBase& time, std::size_t first = 0)
      : watch_(std::move(watch)), time_(time), first_(first), at_(first) {}

  void add(std::span<const double> values);
  /// So many values are missing: what is open ends with the last that was seen.
  void skip(std::size_t missing);
  /// The last one counted as well, if it is still open and long enough by now.
  std::vector<Excursion> counted() const;
  bool open() const { return open_; }
  /// Those that have ended and count.
  const std::vector<Excursion>& ended() const { return counted_; }
  /// The one under way is long enough to count by now.
  bool open_counts() const { return open_ && now_.to - now_.from >= watch_.glitch; }

 private:
  void close(double end);

  Watch watch_;
  TimeBase time_;
  std::size_t first_, at_;
  double last_ = 0;
  bool open_ = false;
  Excursion now_;
  std::vector<Excursion> counted_;
};

/// All times that a watch trips in [first, last) of a trace.
Result<std::vector<Excursion>> excursions_of(const Trace& trace, std::size_t first, std::size_t last, const Watch& watch);

/// The figures of a watch: count, first, longest, extreme, latched; those that need an excursion are absent without one.
void watch_figures(const Watch& watch, const std::vector<Excursion>& excursions, const std::string& unit,
                   Reading& into);
/// One of the figures that every watch has.
struct WatchFigure {
  const char *which, *label;
  const char* unit;  ///< empty: that of the quantity it looks at
};
std::span<const WatchFigure> all_watch_figures();
/// By a key's end, "count"; null for none.
const WatchFigure* watch_figure(std::string_view which);

/// "watch.rail.count" taken apart.
struct WatchKey {
  std::string watch;
  const WatchFigure* figure;
};
std::optional<WatchKey> watch_key(std::string_view key);

}  // namespace heron::study
