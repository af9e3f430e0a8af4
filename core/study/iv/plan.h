#pragma once
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "bench/bench.h"
#include "study/iv/settings.h"

namespace heron::study::iv {

enum class Role {
  constant,
  swept,    ///< along each curve
  stepped,  ///< from curve to curve
};
enum class Spacing { linear, logarithmic, listed };

/// The values that a swept or stepped source goes through.
struct Values {
  double start = 0, stop = 1;  ///< V or A; both ends are driven
  int points = 51;
  Spacing spacing = Spacing::linear;
  std::vector<double> listed = {};  ///< where the spacing is `listed`

  bool operator==(const Values&) const = default;
};
std::vector<double> list_of(const Values& values);

/// What drives and reads.
enum class Method {
  readings,  ///< source-measure channels, one settled point after another
  waveform,  ///< a ramp from a generator for each curve, read by the inputs as it goes
};

/// One channel, named by what it drives: source-measure, or a generator where the sweep goes by waveform.
struct Source {
  std::string name;          ///< "gate", "LED"
  std::string pin, against;  ///< of the device; against empty: ground
  Role role = Role::constant;
  bench::Force force = bench::Force::voltage;
  double value = 0;           ///< V or A, where it is constant
  double rest = 0;            ///< V or A before and after
  Values values = {};         ///< where it is swept or stepped
  double compliance = 10e-3;  ///< A or V
  bool four_wire = true;
  std::optional<double> current_range;  ///< A; automatic when absent
  double lowest_range = 0;              ///< A, floor of the automatic range; 0: none

  std::string_view unit() const { return force == bench::Force::voltage ? "V" : "A"; }
  std::string_view other_unit() const { return force == bench::Force::voltage ? "A" : "V"; }
};

/// Which way a sweep goes, and comes back.
enum class Course {
  up,
  down,
  both,  ///< there and back
};

/// What a study of current against voltage asks of the bench.
struct Plan {
  Method method = Method::readings;
  std::vector<Source> sources;
  std::string sensed;  ///< the source whose current is plotted; empty: the swept one
  Course course = Course::up;
  int cycles = 1;           ///< there and back so many times
  double delay = 1e-3;      ///< s between setting and reading
  double aperture = 20e-3;  ///< s of one reading
  int averages = 1;
  double hold = 0;          ///< s at the first value of each curve
  double rest_time = 0;     ///< s at the sources' rest values before and after all of it
  double temperature = 25;  ///< degC, of the device; told to the take

  bench::Hookup hookup = {};                           ///< by waveform: what is sensed...
  std::string voltage_name = "v", current_name = "i";  ///< ...and which of it is voltage and current
  double ramp = 100e-3;                                ///< s from one end of the sweep to the other
  double source_resistance = 50;                       ///< ohm, of the generators

  const Source* swept() const;
  const Source* stepped() const;
  const Source* find(std::string_view name) const;
  const std::string& sensed_name() const;
};

inline constexpr int kMostPoints = 5000;  ///< of all curves together
inline constexpr int kGenerators = 2;     ///< that a sweep by waveform can use

/// The current as the voltage over a shunt in the lead that drives: the hookup of a plan that says nothing else.
bench::Hookup shunt_hookup(const std::string& pin);

nlohmann::json to_json(const Plan& plan);
Result<Plan> plan_from_json(const nlohmann::json& json);

/// Checks the plan as a whole: one source swept, at most one stepped, ranges of every number.
Result<void> check(const Plan& plan);

/// One point in the order driven.
struct Step {
  double value = 0;            ///< of the swept source, V or A
  std::optional<double> step;  ///< of the stepped source
  int cycle = 0;
  bool first = false;  ///< of its curve
};
std::vector<Step> steps_of(const Plan& plan);

/// Seconds that a real bench needs for all of it.
double sweep_time(const Plan& plan, const bench::Limits& limits);

}  // namespace heron::study::iv
