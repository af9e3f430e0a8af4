#pragma once
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/quantity.h"
#include "bench/bench.h"
#include "study/repeat.h"
#include "study/response/settings.h"

namespace heron::study::response {

/// How the device is asked: sine by sine, or at all frequencies at once.
enum class Method {
  stepped,
  noise,      ///< Gaussian, only within the band
  white,      ///< Gaussian, flat well beyond the band
  multitone,  ///< sines at every line with random phases, repeated
};

enum class Spacing { logarithmic, linear, listed };

/// How the level goes along the sweep.
enum class LevelShape {
  flat,
  shaped,     ///< through the points of a table
  automatic,  ///< so that the response comes near its aim
};

/// What a response study asks: a stepped sine from start to stop, and how each step is driven and read; or noise.
struct Plan {
  std::string drive_pin;
  bench::Hookup hookup;                                      ///< all that is sensed
  std::string stimulus = "stimulus", response = "response";  ///< the quantities H is made of
  double start = 10, stop = 100e3;                           ///< Hz
  Method method = Method::stepped;
  Quantity quantity = Quantity::gain;
  Spacing spacing = Spacing::logarithmic;
  std::vector<double> listed;     ///< Hz, rising; where the spacing is `listed`
  double points_per_decade = 10;  ///< log sweeps; the total follows
  int points_total = 41;          ///< linear sweeps, and log sweeps where `by_total`
  bool by_total = false;
  double level_pp = 0.1;  ///< V, open circuit; where the level is automatic, of the first point
  LevelShape level_shape = LevelShape::flat;
  std::vector<std::pair<double, double>> level_table;  ///< shaped: Hz, V pk-pk; between them dB against lg f
  double aim = 0.5;                                    ///< automatic: peak of the response, in its unit...
  double level_most_pp = 2;                            ///< ...with no more than this, V pk-pk
  LevelForm level_form = LevelForm::peak_to_peak;      ///< how the user says it
  double offset = 0;                                   ///< V
  double source_resistance = 50;                       ///< ohm
  std::optional<double> compliance;                    ///< A peak; a source-measure channel drives, not the generator
  double settle_time = 20e-3;                          ///< s...
  double settle_periods = 2;                           ///< ...and periods, one after the other
  double agree = 0;                                    ///< relative; read again until two readings agree; 0: do not ask
  double periods = 8;                                  ///< read at each point
  int averages = 1;                                    ///< records; at least so many where an uncertainty is asked
  double u_asked_db = 0;                               ///< read until the gain's noise is below; 0: do not ask
  bool refine = false;                                 ///< add points where the curve bends
  int refine_points = 40;                              ///< at most so many
  int level_checks = 0;                                ///< points read once more at half the level
  Repeat repeat = Repeat::once;

  double noise_rms = 50e-3;  ///< V, open circuit
  double resolution = 1;     ///< Hz between lines
  int noise_averages = 64;   ///< segments
  double overlap = 0.5;
  std::string window = "hann";

  bool stepped() const { return method == Method::stepped; }
  bool logarithmic() const { return spacing == Spacing::logarithmic; }
};

inline constexpr int kMostPoints = 2000;
inline constexpr double kUsualRate = 100e6;  ///< Hz, of converters that nobody has told
inline constexpr int kFewestSamples = 4096;  ///< wanted in a record
inline constexpr int kMostRecords = 256;     ///< at one point, where an uncertainty is asked
inline constexpr double kCrest = 4.5;        ///< peak over rms that noise is reckoned with

/// Two direct leads: the hookup of a plan that says nothing else.
bench::Hookup direct_hookup(const std::string& stimulus_pin, const std::string& response_pin);

nlohmann::json to_json(const Plan& plan);
Result<Plan> plan_from_json(const nlohmann::json& json);

int point_count(const Plan& plan);

/// The frequencies in the order they are driven, stop included.
std::vector<double> frequencies(const Plan& plan);

/// Checks the plan as a whole: the order of the ends, the number of points, ranges of every number.
Result<void> check(const Plan& plan);

/// V pk-pk, open circuit, at a frequency; of an automatic level where it starts.
double level_at(const Plan& plan, double frequency);

/// The highest level that the plan may ask for, V peak, offset left out.
double highest_peak(const Plan& plan);

/// How one point is sampled.
struct Sampling {
  double rate = 0;  ///< Hz
  int samples = 0;
};
Sampling sampling(const Plan& plan, double frequency, const bench::Bench& bench);

/// How noise is driven and read: whole records of some segments each, one after the other.
struct NoiseTiming {
  double rate = 0;          ///< Hz, wanted of the converter
  std::size_t segment = 0;  ///< samples
  int records = 0;          ///< each a point of the take
  int segments_each = 0;
  std::size_t samples = 0;  ///< of one record
  double resolution = 0;    ///< Hz, as the segment gives it
};
NoiseTiming noise_timing(const Plan& plan, double highest_rate);

/// The stimulus over one record, V open circuit; seeded, so that a take can be repeated.
bench::Waveform noise_wave(const Plan& plan, const NoiseTiming& timing, std::uint64_t seed);

/// Seconds that a real bench needs for one point and for the whole sweep, automatic ranging included.
double point_time(const Plan& plan, double frequency, const bench::Limits& limits);
double sweep_time(const Plan& plan, const bench::Limits& limits);

}  // namespace heron::study::response
