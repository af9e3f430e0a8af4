#pragma once
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "study/kind.h"
#include "study/switching/skew.h"

namespace heron::study::switching {

/// What was set for a shot, as far as that is known.
struct ShotSetting {
  int point = 0;
  std::optional<double> bus, current, resistor, temperature;  ///< V, A, ohm, degC
};

/// A shot with all that is read off it.
struct ReadShot {
  ShotPtr shot;
  ShotSetting setting;
  std::optional<Edge> on, off;
  std::optional<Skew> skew;      ///< that is left
  std::optional<double> pickup;  ///< s: inductance over resistance of a shunt that gives i_d its own slope

  /// A; of the turn-off where there is one.
  std::optional<Rest> load() const;
  const Found& get(Key key) const;
};
using ReadShotPtr = std::shared_ptr<const ReadShot>;

Result<ReadShotPtr> read(WaveformsPtr record, ShotSetting setting, const Settings& settings);

std::vector<FigureName> figure_names();
/// Fault::usage for what there is none of.
Result<void> check_figure_key(std::string_view key);
std::optional<std::string> figure_unit(std::string_view key);

/// Figures of one shot; of several with one setting their means; at a load current those of a sweep.
Reading figures_of(const std::vector<ReadShotPtr>& shots, const std::vector<std::string>& asked);

}  // namespace heron::study::switching
