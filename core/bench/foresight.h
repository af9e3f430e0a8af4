#pragma once
#include <complex>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "base/result.h"
#include "bench/bench.h"
#include "bench/levels.h"

namespace heron::bench {

/// What can be asked of a device without driving it: for checks, doubts and expected curves, never for figures. A
/// device whose circuit is known has one.
class Foresight {
 public:
  virtual ~Foresight() = default;
  Foresight() = default;
  Foresight(const Foresight&) = delete;
  Foresight& operator=(const Foresight&) = delete;

  /// What every quantity, pin and branch would show while a sine drives.
  /// @param frequencies  Hz
  virtual Result<Levels> levels(const ToneDrive& drive, const std::vector<Chain>& chains,
                                const std::vector<double>& frequencies) const = 0;

  /// What each quantity answers to a drive of 1 V, as complex numbers in its unit: by the chain's name, one value a
  /// frequency.
  virtual Result<std::map<std::string, std::vector<std::complex<double>>>> answers(
      const ToneDrive& drive, const std::vector<Chain>& chains, const std::vector<double>& frequencies) const = 0;

  /// The highest magnitude that each quantity reaches while a surge goes into the device at rest, in its unit; solved as it
  /// happens, clamps and saturation included.
  virtual Result<std::map<std::string, double>> surge_peaks(const SurgeSetup& surge,
                                                            const std::vector<Chain>& chains) const = 0;

  /// The same device with its parts drawn within their tolerances; draw 0 has none.
  virtual Result<std::shared_ptr<const Foresight>> drawn(int draw) const = 0;

  /// Something known in the device's place: "open", "short", "load".
  virtual Result<std::shared_ptr<const Foresight>> replaced_by(const std::string& standard,
                                                               double load_resistance) const = 0;

  /// Main values of its parts, SI.
  virtual std::map<std::string, double> values() const = 0;
};

}  // namespace heron::bench
