#pragma once
#include <cstdint>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/result.h"

namespace heron::study::spectrum {

/// A link between the device and its input that has a response of its own, which is divided out.
struct Link {
  enum class Form : std::uint8_t {
    corner,      ///< one pole: 1 / (1 + j f / corner)
    low_corner,  ///< what passes no DC: 1 / (1 - j corner / f)
    integrator,  ///< 1 / (j 2 pi f time)
    points,      ///< as measured, linear in dB against lg f, held beyond its ends
  };
  Form form = Form::corner;
  double of = 0;       ///< Hz of a corner, s of an integrator
  double u = 0;        ///< standard, relative: of the corner, of the time, or of each point's amplitude
  std::vector<std::pair<double, double>> points = {};  ///< Hz, rising, and dB

  /// Beyond which it leaves nothing: what is gone there does not come back.
  bool has_corner() const { return form == Form::corner || form == Form::low_corner; }
  /// |H|^2 at a frequency above zero.
  double power_gain(double frequency) const;
  /// Relative standard uncertainty of that.
  double u_power_gain(double frequency) const;
};

/// Several one behind another.
double power_gain(const std::vector<Link>& links, double frequency);
double u_power_gain(const std::vector<Link>& links, double frequency);

/// "corner 100 kHz 5 %", "low_corner 9 Hz", "integrator 1 ms", "points 1 kHz 0 dB, 10 kHz -3.1 dB"; Fault::usage says what is wanted.
Result<Link> link_from_text(std::string_view key, std::string_view text);
std::string link_text(const Link& link);

}  // namespace heron::study::spectrum
