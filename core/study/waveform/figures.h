#pragma once
#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "study/kind.h"
#include "study/waveform/profile.h"
#include "study/waveform/settings.h"
#include "study/waveforms.h"

namespace heron::study::waveform {

std::vector<FigureName> figure_names();
/// Fault::usage for what no waveform has. A key may have a channel in front: "v_out.rise_time".
Result<void> check_figure_key(std::string_view key);
/// A figure that rests on how late two quantities are against each other: a delay, an energy.
bool rests_on_skew(std::string_view key);
/// Empty for figures in their trace's unit; nothing for what no waveform has.
std::optional<std::string> figure_unit(std::string_view key);

/// One pass, ready to be read: the part that the settings leave, and what each trace shows at large.
class Pass {
 public:
  /// Fault::input where from and to leave nothing.
  static Result<Pass> of(WaveformsPtr waveforms, const Settings& settings);

  const Waveforms& waveforms() const { return *waveforms_; }
  const Settings& settings() const { return settings_; }
  std::size_t count() const { return waveforms_->traces.size(); }
  const Trace& trace(std::size_t k) const { return *waveforms_->traces[k]; }
  const TraceErrors& errors(std::size_t k) const { return waveforms_->errors[k]; }
  const Profile& profile(std::size_t k) const { return profiles_[k]; }

 private:
  WaveformsPtr waveforms_;
  Settings settings_;
  std::vector<Profile> profiles_;
};

/// What one pass came to.
struct PassReading {
  Reading reading;
  std::map<std::string, double> shared;  ///< by figure: the part of its u that all passes have in common
};

/// All figures that the pass allows, those that were asked for, and what is absent.
/// @param asked  keys that passed check_figure_key()
Result<PassReading> figures_of(const Pass& pass, const std::vector<std::string>& asked);

/// Of several passes: the mean of each figure over those that have it. What each pass has of its own averages out, as far
/// as the passes do not scatter more; what they have in common stays.
Reading mean_of(const std::vector<PassReading>& passes);

}  // namespace heron::study::waveform
