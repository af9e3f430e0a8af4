#pragma once
#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "study/spectrum/figures.h"

namespace heron::study::spectrum {

enum class SweptOver : std::uint8_t { level, frequency };

/// What goes from point to point.
struct Axis {
  SweptOver over = SweptOver::level;
  std::string name;  ///< "level", "frequency"
  std::string unit;  ///< V (rms), Hz
  std::string form = {};  ///< said behind a value: "rms"

  /// "163 mV rms"
  std::string place(double at) const;
};
/// Both that there are.
const std::array<Axis, 2>& swept_axes();
const Axis& axis_over(SweptOver over);

/// What a quantity gave at a point of a sweep, in dB of 1 of its unit, rms.
struct SweptOutput {
  std::string quantity, unit;
  double level_db = 0, u_db = 0;
  double shared_db = 0;  ///< besides, standard uncertainty that all points have in common
};

/// A point of a sweep: where it was taken, and what was read there.
struct Swept {
  double at = 0;
  int index = 0;                          ///< of the point
  std::vector<std::string> quantities = {};  ///< that there are
  std::vector<SweptOutput> outputs = {};  ///< of those that have a fundamental
  Reading reading = {};
};
/// The outputs of a point's spectra.
void add_outputs(Swept& into, const PointSpectra& point);

/// Figures of a sweep: those asked at a level or frequency (`thd@20mV`), between points linear in dB against lg; the stimulus
/// and the response where the gain lies 1 dB under that of the lowest decade of levels.
/// @param points  rising in `at`
Result<Reading> sweep_figures(const std::vector<Swept>& points, const Axis& axis, const std::vector<std::string>& asked);

/// What curves over a sweep are looked at together.
enum class SweepGroup { distortion, noise, gain };

/// One figure over the sweep, of the points that have it.
struct SweepCurve {
  SweepGroup group = SweepGroup::distortion;
  std::string name;                     ///< "v_out.harmonic.2.level"; of one quantity alone without it
  std::string quantity, label, unit;    ///< "Harmonic 2", "dBc"
  std::vector<double> at, value, u;
  std::vector<int> points;              ///< which each was read at
};
/// Distortion, harmonics, noise; of a sweep over level the gain, over frequency the output.
std::vector<SweepCurve> sweep_curves(const std::vector<Swept>& points, const Axis& axis, const Settings& settings);
/// The same as columns, for masks and export.
Columns sweep_columns(const std::vector<Swept>& points, const Axis& axis, const Settings& settings);

/// Whatever holds a sweep.
class SweepSource {
 public:
  virtual ~SweepSource() = default;
  virtual const Axis& axis() const = 0;
  /// Figures over the sweep; none where it is none.
  virtual Result<std::vector<SweepCurve>> over_sweep(const Settings& settings) const = 0;
};

/// Whether the key is one of a sweep: NAME@L, or a compression.
bool of_sweep(std::string_view key);
/// Fault::usage for what is none.
Result<void> check_sweep_key(std::string_view key);
/// Empty where it is the data's.
std::optional<std::string> sweep_unit(std::string_view key);

}  // namespace heron::study::spectrum
