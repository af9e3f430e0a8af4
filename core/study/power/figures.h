#pragma once
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "study/kind.h"
#include "study/power/inrush.h"
#include "study/power/profile.h"
#include "study/power/statistics.h"

namespace heron::study::power {

/// A record as it was read: what its channels are, and what of it alternates, is switched on, or sleeps and wakes.
struct PowerRecord {
  WaveformsPtr record;
  Method method = Method::cycles;
  Wiring wiring;
  tl::expected<Measured, std::string> measured = tl::unexpected<std::string>("a profile is not read by cycles");
  std::vector<Inrush> inrush;              ///< one a current; none of a profile
  std::optional<LoadProfile> profile;
  std::optional<double> profile_power;     ///< W, mean
  bool cut = false;                        ///< only the first samples of what is analysed were read
};
using PowerRecordPtr = std::shared_ptr<const PowerRecord>;

/// @param by_brief  how it was taken, where the settings do not say
Result<PowerRecordPtr> read_record(WaveformsPtr record, const Settings& settings, Method by_brief);

std::vector<FigureName> figure_names();
/// Fault::usage for what there is none of.
Result<void> check_figure_key(std::string_view key);
std::optional<std::string> figure_unit(std::string_view key);

Result<Reading> figures_of(const PowerRecord& record, const Settings& settings, const std::vector<std::string>& asked);

}  // namespace heron::study::power
