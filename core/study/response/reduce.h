#pragma once
#include <complex>
#include <memory>
#include <optional>
#include <vector>

#include "base/result.h"
#include "signal/tone.h"
#include "study/quantities.h"
#include "study/response/settings.h"
#include "study/shared_error.h"

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

/// Which of a point's two channels is meant.
enum class Side { stimulus, response };

/// One point of H(f) = response / stimulus.
struct CurvePoint {
  int index = 0;         ///< of the raw point; for imported curves the row
  double frequency = 0;  ///< Hz
  double gain_db = 0;
  double phase_deg = 0;  ///< unwrapped along the curve
  std::optional<double> u_gain_db, u_phase_deg;  ///< standard, of all there is
  std::vector<SharedError> shared;               ///< of it what other points share: dB, deg
  double periods = 0;                            ///< in the record; 0 for imported curves
  double level_pp = 0;                           ///< V, open circuit, that drove it; 0 where unknown
  std::optional<double> coherence;               ///< of noise; 0..1
  bool trusted = true;  ///< false where the coherence is too low: drawn pale, left out of figures
  struct Evidence {
    ChannelEvidence stimulus, response;
    /// What the sensing changes of the gain, by the circuit: dB and deg to add to be rid of it; nothing where unknown.
    std::optional<std::pair<double, double>> loading = {};
  };
  std::shared_ptr<const Evidence> evidence;  ///< null for tables, which have none

  const ChannelEvidence& of(Side side) const;
  /// What of the uncertainty is the point's own.
  double noise_gain_db() const;
  double noise_phase_deg() const;
};

/// One frequency read a second time at another level.
struct LevelCheck {
  double frequency = 0;
  double level_pp = 0, other_level_pp = 0;  ///< V
  double change_db = 0, u_change_db = 0;    ///< of the gain, other level minus level
};

/// Sorted by frequency, phase unwrapped from the lowest frequency on. Of an impedance, gain is in dB re 1 ohm and phase
/// its angle.
struct Curve {
  std::vector<CurvePoint> points;
  bool has_phase = true;
  bool measured = false;  ///< from records, so that the evidence means something
  Quantity quantity = Quantity::gain;
  std::vector<LevelCheck> level_checks;
  double independent = 0;                ///< averages behind every line of a noise response; 0 for others
  std::vector<double> alike;             ///< of noise: correlation of a line's error with that of the k-th line beside it
  std::optional<double> removed_db;      ///< taken off every gain to have 0 dB at the normalising frequency
  std::vector<std::string> compensated;  ///< "open", "short", "load": what was taken off

  std::vector<double> frequencies() const;
  std::vector<double> gains() const;
  std::vector<double> phases() const;
  std::complex<double> value(std::size_t point) const;
};

/// One raw point to H(f): a sine fit of both channels in every record (IEEE Std 1057), their complex ratio averaged.
///
/// The uncertainty joins what the fits leave with the stated gain and delay uncertainty of the inputs, which points on
/// one range share. Pure.
/// @param numbers  of the shared sources; the same for all points of a take
Result<CurvePoint> reduce(const Point& point, SourceNumbers& numbers);
Result<CurvePoint> reduce(const Point& point);

/// What a record's channel says of clipping and of the range used, whatever was measured with it.
void note_range_use(const RoleSamples& samples, ChannelEvidence& into);

/// Adds to a point's shared errors what a side's chain is uncertain by at a frequency: its inputs' gains, the sensor's
/// factor and corners, its delay. The stimulus divides, so that its errors count the other way.
void add_chain_errors(const RoleSamples& samples, const Record& record, Side side, double frequency,
                      const std::string& take, SourceNumbers& numbers, std::vector<SharedError>& into);

/// Sorts, unwraps, and refuses a frequency that comes twice.
/// @param table  where the points come from, for messages; null: a bench
Result<Curve> assemble(std::vector<CurvePoint> points, bool has_phase = true, const Record* table = nullptr);

/// Records of noise, or of any steady random or periodic signal, to H(f) with its coherence. Channels named stimulus
/// and response, or the quantities that the points' setting names.
Result<Curve> reduce_noise(const std::vector<Point>& points, const Settings& settings);

/// Takes the gain at a frequency off all of them, so that unlike units compare. Nothing happens where the curve does
/// not reach it.
void normalise(Curve& curve, double frequency);

/// An imported table: frequency (Hz) with gain (dB) and optional phase (deg), or real and imaginary part.
Result<Curve> reduce_table(const Record& table);

}  // namespace heron::study::response
