#pragma once
#include <cmath>
#include <tl/expected.hpp>

#include "study/waveform/figures.h"
#include "study/places.h"

/// How each figure of a waveform is found: the inside of figures.h.
namespace heron::study::waveform {

/// A figure as read, with what its uncertainty is made of.
struct Found {
  double value = 0;
  double own = 0;     ///< from noise and from what lies between samples, in the figure's unit
  double shared = 0;  ///< from gains, offsets and delays, which all passes have in common
  std::vector<double> at = {};  ///< s, where it was read
  std::string unit = {};        ///< where it is not the definition's
};
using Value = tl::expected<Found, std::string>;  ///< or why not
inline tl::unexpected<std::string> no(std::string reason) { return tl::unexpected<std::string>(std::move(reason)); }

/// One trace of a pass.
struct View {
  const Pass& pass;
  std::size_t place;

  const Trace& trace() const { return pass.trace(place); }
  const TraceErrors& errors() const { return pass.errors(place); }
  const Profile& profile() const { return pass.profile(place); }
  const Settings& settings() const { return pass.settings(); }
  double time(double at_place) const { return trace().time.at_place(at_place); }
  double place_of(double time) const { return trace().time.place_of(time, trace().size()); }
  double step() const { return trace().time.step(); }
};

/// What a parameter of a figure is.
enum class Parameter { time, level, direction, trace };

/// A level as it is typed: "2V", "90%" of the states, or of the starting value.
struct Level {
  double value = 0;
  bool percent = false;
  std::string unit = {};
};
enum class Direction { rising, falling, any };

struct Argument {
  double number = 0;       ///< of a time, s
  Level level = {};
  Direction direction = Direction::any;
  std::string trace = {};
};

struct Definition {
  const char *name, *label;
  const char* unit;  ///< "": the trace's; "*s": the trace's unit times s
  std::vector<Parameter> parameters;
  int optional = 0;        ///< so many of the last may be left out
  bool of_traces = false;  ///< names its traces itself: no channel in front
  Value (*compute)(const View& view, const std::vector<Argument>& arguments);
  bool by_skew = false;    ///< rests on how late two quantities are against each other

  bool needs_none() const { return optional == int(parameters.size()); }
};

const std::vector<Definition>& level_figures();       ///< states, extremes, means
const std::vector<Definition>& transition_figures();  ///< rise and fall, overshoot, settling
const std::vector<Definition>& timing_figures();      ///< periods, widths, times at levels, delays
const std::vector<Definition>& pulse_figures();       ///< peaks, energies, decays, what is read between times

/// A level in the trace's unit and how well it is known: by the noise of the states, and by gain and offset.
struct Reference {
  double value = 0, own = 0;
  double by_gain = 0, by_offset = 0;  ///< what the trace's errors move it by
  double shared() const { return std::hypot(by_gain, by_offset); }
};
/// A level that is what it is.
inline Reference exactly(double level) { return {.value = level}; }
tl::expected<Reference, std::string> reference(const View& view, const Level& level);
/// Standard deviation of a state's level: its samples' noise, and what is still on its way there.
double u_state(const View& view, const signal::State& state);
/// A share of the way from the low to the high state; there are states.
Reference between_states(const View& view, double share);

/// By how much two levels that are off move the time from the passage of one to that of the other, in s; 0 where it is level there.
/// @param first, second  s, of the passages
/// @param by_first, by_second  in the trace's unit
double moved_between(const View& view, const Stretch& over, double first, double second, double by_first, double by_second);

/// The passage through a level near a place, in s, the uncertainty of the level included.
Value time_at(const View& view, double near_place, const Reference& level);

std::string join_reason(const Error& error);

}  // namespace heron::study::waveform
