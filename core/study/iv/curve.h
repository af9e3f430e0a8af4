#pragma once
#include <optional>
#include <random>
#include <span>
#include <string>
#include <vector>

#include "signal/curve.h"
#include "study/shared_error.h"

namespace heron::study::iv {

/// One value of an uncertainty's parts: what each reading has of its own, and what all on one range share.
struct Doubtful {
  double noise = 0, shared = 0;  ///< standard uncertainties, in the quantity's unit
};

/// One reading of current and voltage.
struct CurvePoint {
  int index = 0;                     ///< of the raw point; of a table the row; of a ramp its place along all of them
  double voltage = 0, current = 0;   ///< V, A
  double time = 0;                   ///< s since the take began, on the bench's clock; 0 in a table, which has no clock
  std::optional<double> programmed;  ///< what was asked of the swept source, V or A
  std::optional<Doubtful> u_voltage, u_current;
  std::vector<SharedError> shared = {};  ///< of both, by source: V, A
  double voltage_range = 0, current_range = 0;  ///< 0 where unknown
  bool at_compliance = false;
  bool clipped = false;  ///< an input was at its range's end, or a table says that a limit held
  int cycle = 0;
  double moved = 0, u_moved = 0;  ///< A by which the current changed from the reading's first half to its second
  std::vector<double> all = {};   ///< every source's voltage and current, as Family::channels names them

  /// False for what shows the instrument's limit, not the device.
  bool usable() const { return !at_compliance && !clipped; }
};

/// One curve of a family.
struct Curve {
  std::optional<double> step;      ///< value of the stepped quantity
  std::vector<CurvePoint> points;  ///< in the order read
  double u_noise = 0.07;           ///< relative, of how large the points' noise is
};

/// How much of a range was used, and the word that sets it.
struct RangeUse {
  std::string name, unit;         ///< "drain", "A"
  double range = 0, highest = 0;  ///< in the unit
  bool fixed = false;             ///< by the user; else found by the bench
  std::string word;               ///< of the brief
};

/// The most that a pin came to, where it has a rating.
struct RatingUse {
  std::string pin, unit;
  double rating = 0, highest = 0;
  bool reversed = false;  ///< of the other sign; `highest` is its magnitude
};

/// Current against voltage, once or for each value of a stepped quantity.
struct Family {
  std::vector<Curve> curves;  ///< by rising step
  std::string step_name = "step", step_unit;
  bool measured = false;
  bool ramped = false;  ///< by waveform

  std::vector<std::pair<std::string, std::string>> channels;  ///< name and unit of CurvePoint::all: "gate current", "A"
  std::vector<RangeUse> ranges;
  std::vector<RatingUse> ratings;
  std::vector<std::string> unzeroed;  ///< quantities whose sensor drifts and was not zeroed
  std::optional<double> delay;        ///< s between setting and reading
  bool looked_for_ranges = false;     ///< by a sweep beforehand
  std::optional<double> temperature;  ///< K, of the device, where the take tells it
  bool opened = false;                ///< what flows with the device out is taken off
  bool scattered = false;             ///< uncertainties are how the points of a table scatter

  std::size_t size() const;
};

/// Stretches of one direction: rising, then falling... A turn counts once the voltage has gone back by more than a
/// fiftieth of the span, so that noise makes none.
struct Piece {
  bool rising = true;
  std::vector<std::size_t> points;  ///< of the curve, in the order read
};
std::vector<Piece> pieces_of(const Curve& curve);

/// Columns sorted by voltage with repeated voltages averaged: what interpolation needs.
struct Sorted {
  std::vector<double> voltage, current;
  std::vector<double> u_current;                 ///< A, standard, of all there is; empty where one is unknown
  std::vector<double> noise_voltage, noise_current;  ///< of each reading by itself; empty where unknown
  std::vector<std::pair<std::size_t, SharedError>> shared;
  bool log_current = false;  ///< currents of one sign, nearer to geometric than to even steps
  bool mirrored = false;     ///< both turned over: a device of the other polarity, read as its twin

  bool certain() const { return !noise_current.empty(); }
};

/// The points of the first stretch, or of all where there is one direction only. Points that show the instrument's
/// limit are left out.
Sorted sorted(const Curve& curve);
Sorted sorted(const Curve& curve, std::span<const std::size_t> points);

/// Turned over where most of it lies at negative voltages, so that what is said of the upper part of a sweep holds for
/// devices of either polarity.
Sorted upright(Sorted curve);

/// On a grid many times as fine; nothing where it has fewer than four points, or so many that nothing lies between them.
/// @param most_pieces  of each gap; fewer are quicker
std::optional<Sorted> refined(const Sorted& curve, signal::Between between, std::size_t most_pieces = 64);

/// The curve with one draw of all its errors.
/// @param into  of as many places, whose voltages and currents are written over
void draw(const Sorted& curve, std::mt19937_64& random, SharedDraw& shared, Sorted& into);

/// Gives the points of a table the noise that they show about a smooth curve, stretch by stretch; nothing happens where
/// they show none.
void estimate_scatter(Family& family);

/// Current at a voltage, linear, or log where the points are log; nothing outside.
std::optional<double> current_at(const Sorted& curve, double voltage);
/// The first voltage, from the lowest, at which the current passes a value; nothing where it does not.
std::optional<double> voltage_at(const Sorted& curve, double current);

/// dI/dV by a parabola through the five nearest points (three where there are no more); nothing outside.
std::optional<double> slope_at(const Sorted& curve, double voltage);
/// dV/dI at a current, by the same parabola of V against I, or against ln I where the points are log.
std::optional<double> resistance_at(const Sorted& curve, double current);

}  // namespace heron::study::iv
