#pragma once
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "study/watch.h"
#include "study/waveforms.h"

namespace heron::study {

/// A watch that tripped.
struct Trip {
  const Watch* watch = nullptr;
  std::size_t quantity = 0;  ///< by its place
  Excursion excursion = {};
  bool open = false;         ///< it had not ended yet
};

/// What a trip says: "vout was 4.31 V".
std::string trip_text(const Trip& trip, const std::string& name, const std::string& unit);

/// The watches of a study at work on several quantities, while they are read.
class WatchDuty {
 public:
  struct Quantity {
    std::string name, unit;
  };
  /// Those whose quantity is not there, or is in another unit, rest.
  /// @param watches  stay where they are
  WatchDuty(const std::vector<Watch>& watches, const std::vector<Quantity>& quantities, const TimeBase& time);

  bool idle() const { return each_.empty(); }
  /// The next values of one quantity.
  void add(std::size_t quantity, std::span<const double> values);
  /// So many values of every quantity are missing.
  void skip(std::size_t missing);
  /// Excursions that count and have ended since this was last asked.
  std::vector<Trip> ended();
  /// Those that are open and count by now; asked once nothing more will come.
  std::vector<Trip> still_open() const;
  /// The first that asks for something to be ended, as soon as it counts.
  const std::optional<Trip>& ends() const { return ends_; }

 private:
  struct One {
    const Watch* watch;
    std::size_t quantity;
    Watcher watcher;
    std::size_t told = 0;
  };
  std::vector<One> each_;
  std::optional<Trip> ends_;
};

/// The first watch that trips in a record that is read.
Result<std::optional<Trip>> first_trip(const Waveforms& record, std::span<const Watch> watches);

}  // namespace heron::study
