#pragma once
#include <optional>
#include <vector>

#include "base/result.h"
#include "signal/tone.h"
#include "study/raw.h"

namespace heron::study::response {

/// What the raw samples of one channel at one point say about themselves.
struct ChannelEvidence {
  bool clipped = false;
  std::optional<double> range_share;  ///< highest |sample| over the range, where the range is known
  double unsettled = 0;   ///< difference between the record's halves, amplitude or DC, in standard uncertainties
  double over_floor = 0;  ///< peak of the tone over its standard uncertainty
  double peak = 0;        ///< of the tone, in the quantity
  double dc = 0;          ///< in the quantity
  std::string unit;       ///< of the quantity
  double u_zero = 0;      ///< what the sensor's zero may be off by, in the quantity
  bool zeroed = true;     ///< false where the sensor's zero was not set
  std::optional<double> expected;  ///< peak that the circuit should have shown
  double lost_db = 0;              ///< what the sensor's own corners took and was put back
};

/// One point of H(f) = response / stimulus.
struct CurvePoint {
  int index = 0;         ///< of the raw point; for imported curves the row
  double frequency = 0;  ///< Hz
  double gain_db = 0;
  double phase_deg = 0;  ///< unwrapped along the curve
  std::optional<double> u_gain_db, u_phase_deg;
  double u_common_db = 0;  ///< what of u_gain_db all points of the take share: the sensors' factors
  double periods = 0;      ///< in the record; 0 for imported curves
  ChannelEvidence stimulus, response;
};

/// Sorted by frequency, phase unwrapped from the lowest frequency on.
struct Curve {
  std::vector<CurvePoint> points;
  bool has_phase = true;
  bool measured = false;  ///< from records, so that the evidence means something

  std::vector<double> frequencies() const;
  std::vector<double> gains() const;
  std::vector<double> phases() const;
};

/// One raw point to H(f): a sine fit of both channels in every record (IEEE Std 1057), their complex ratio averaged.
///
/// The uncertainty joins what the fits leave with the stated gain and delay uncertainty of the inputs. Pure.
Result<CurvePoint> reduce(const Point& point);

/// The record's channel behind a role of a point, in the quantity's unit: factor and zero applied; computed where the
/// hookup says so. `channel` is null for a computed quantity.
struct RoleSamples {
  std::string quantity, unit;
  std::vector<double> values;
  const Channel* channel = nullptr;
  bench::Sensing sensing;
};
Result<RoleSamples> role_samples(const Point& point, const Record& record, std::string_view role);

/// Sorts, unwraps, and refuses a frequency that comes twice.
Result<Curve> assemble(std::vector<CurvePoint> points, bool has_phase = true);

/// The curve of all points of a take, stepped or imported.
Result<Curve> reduce_take(const std::vector<Point>& points);

/// An imported table: frequency (Hz) with gain (dB) and optional phase (deg), or real and imaginary part.
Result<Curve> reduce_table(const Record& table);

}  // namespace heron::study::response
