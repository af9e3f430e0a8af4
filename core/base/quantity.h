#pragma once
#include <optional>
#include <string>
#include <string_view>

#include "base/result.h"

/// Quantities and their text, both ways: "6.2 nF", "6n2" (IEC 60062), "20 mVpp", "1e-3".
namespace heron {

/// How the strength of a signal is stated. Nothing is ever a bare amplitude.
enum class LevelForm { peak_to_peak, peak, rms };

std::string_view level_form_text(LevelForm form);  ///< "pk-pk", "peak", "rms"

struct Quantity {
  double value = 0;               ///< in plain SI
  std::string unit;               ///< symbol as typed, normalised ("ohm" and "Ω" are "ohm"); empty when none was typed
  std::optional<LevelForm> form;  ///< only where a level was typed with its form
};

/// Reads a number with an optional SI prefix, unit and level form.
///
/// @param text  what was typed. A decimal comma is refused with a reason, as is a number that is not finite.
/// @param unit  the unit wanted, as a symbol ("Hz", "V", "ohm", "F", "H", "s", "dB", "deg", "%", "1"); a bare number is
///              taken to be in it. "" accepts any unit that is known.
/// @return the quantity in `unit`, or an error (Fault::input) that says what is wrong with the text
Result<Quantity> parse_quantity(std::string_view text, std::string_view unit);

/// Reads a positive or negative value when the form does not matter. See parse_quantity().
Result<double> parse_value(std::string_view text, std::string_view unit);

/// Reads a level such as "20m", "20 mVpp", "70.7 mV rms" in volts and gives it as pk-pk of a sine.
/// @param assumed  the form a bare number is in
Result<double> parse_level_pp(std::string_view text, LevelForm assumed);

double level_from_pp(double peak_to_peak, LevelForm form);  ///< of a sine

/// A unit as it stands over a column: "mA", "kOhm", "amps", "rad/s", "V/V".
struct ColumnUnit {
  std::string symbol;  ///< of the SI unit, as parse_quantity() has it; "1" for a plain ratio
  double factor = 1;   ///< what a number in the column is multiplied by to be in that unit
};
/// Nothing for what is not known, or could mean two things ("mhz"): a unit is never guessed.
std::optional<ColumnUnit> column_unit(std::string_view text);

/// A number ready to be set: the parts are apart so that an interface can align and colour them.
struct NumberText {
  std::string number;       ///< "20.62", with a real minus sign
  std::string unit;         ///< "kHz"; empty for a pure number
  std::string uncertainty;  ///< "0.04" in the same unit; empty when there is none

  std::string plain() const;  ///< number, thin space, unit
};

/// Whether the unit is written with SI prefixes: V and ohm are, dB and deg are not.
bool takes_prefix(std::string_view unit);

/// How values up to so large are written: what they are multiplied by, and the unit with its prefix ("mA", "Ω").
struct UnitScale {
  double factor = 1;
  std::string unit;
};
UnitScale unit_scale(double largest, std::string_view unit);

/// With `digits` significant digits and an SI prefix where the unit takes one.
NumberText format_quantity(double value, std::string_view unit, int digits = 4);

/// With the digits that the expanded uncertainty U = 2u justifies: U is shown with one significant digit, or two when
/// it begins with 1, and the value ends at the same place. Without u, as format_quantity() does.
NumberText format_with_uncertainty(double value, std::optional<double> u, std::string_view unit);

/// "20 mV", "2 Hz", "6.2 nF": the shortest text that reads back as the same value to 6 digits. For settings, which are
/// exact.
std::string format_setting(double value, std::string_view unit);

/// To so many significant digits; zero and what is not finite as it is.
double rounded_to(double value, int digits);

/// A duration as people say it: "52 s", "3 min 20 s", "1 h 05 min".
std::string format_duration(double seconds);

}  // namespace heron
