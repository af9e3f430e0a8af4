#pragma once
#include <map>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/result.h"
#include "study/kind.h"

/// Claims on figures and masks on curves, and their verdicts.
namespace heron::judge {

/// A limit on a figure. Limits are kept as typed and understood for the figure's unit.
struct Claim {
  long long id = 0;
  std::string text;                         ///< "High corner at least 18 kHz"
  std::string figure;                       ///< "corner.high"
  std::optional<std::string> lower, upper;  ///< "18 kHz"
  std::optional<std::string> expected;      ///< a formula over part values, "1/(2*pi*R3*C4)"
  std::optional<std::string> tolerance;     ///< of the expected value: "15 %", or in the figure's unit
  std::optional<std::string> typical = {};  ///< what a datasheet names beside its limits; shown, not judged
};

/// A limit line over a curve: straight between its points on lg x. Above `upper` and below `lower` is forbidden.
struct Mask {
  long long id = 0;
  std::string text;
  std::string curve;                                    ///< "gain", "phase", or a quantity over time
  std::vector<std::pair<double, double>> upper, lower;  ///< x in the curve's unit, rising
  std::string unit = {};                                ///< of a quantity's limits, as they were said; empty: the curve's own
  std::string after = {};                               ///< a figure in the unit of x that the line is placed from; empty: zero
  std::string along = {};                               ///< unit of x; empty: of old dossiers, the curve's own
};

/// What a curve of that name may be in and over, the likeliest first: of a kind's own curves, one of a family by its
/// "gain at ...", or of a quantity over time. Empty for what is none. The names are the kind's, or the text's own.
std::vector<study::MaskCurve> axes_of(const study::Kind& kind, std::string_view curve);
/// One curve of a family as takes call it, "energy.on at 48 V, 12 ohm" with its quantities as we write them; any other name
/// as it is.
std::string curve_called(std::string_view written);
/// A value in that unit; where that is empty the text says it, and it holds from then on.
Result<double> value_on(std::string_view text, std::string& unit);

enum class Verdict { meets, fails, too_close, not_measured };
std::string_view verdict_text(Verdict verdict);   ///< "meets", "too_close"...
std::string_view verdict_words(Verdict verdict);  ///< for people: "too close"

struct Judgement {
  Verdict verdict = Verdict::not_measured;
  std::optional<double> value, lower, upper, expected, margin;
  std::optional<double> u;
  std::string unit;
  std::string reason;        ///< why it is not measured
  std::optional<double> at;  ///< masks: where the margin is smallest...
  std::string at_unit = "Hz";
  std::string on = {};  ///< ...and on which of a family's curves
  std::string caveat = {};  ///< what the verdict rests on that it should not: a take that was cut short
};

using PartValues = std::map<std::string, double>;

/// Value of a formula over part names; `pi` is known. Formulas are muParser's.
Result<double> evaluate(const std::string& formula, const PartValues& parts);

/// Checks that the claim can be judged at all: the figure is known, its limits, tolerance and expected value are in the
/// figure's unit and in order. Fault::input says what is wrong.
/// @param parts  of which an expected value may be made; null where they are not known yet
/// @param typed  figures beside the kind's own
Result<void> check(const Claim& claim, const study::Kind& kind, const PartValues* parts = nullptr,
                   const std::vector<study::FigureName>& typed = {});

/// Checks that the figure a mask is placed after is one of the kind's, in the unit that the mask goes over.
Result<void> check(const Mask& mask, const study::Kind& kind);

/// The figures that claims and masks ask of takes; those on figures that were typed in ask nothing.
std::vector<std::string> asked_figures(const study::Kind& kind, const std::vector<Claim>& claims, const std::vector<Mask>& masks);

/// The mask where it lies on what was read. Nothing where the figure that it is placed after is absent.
std::optional<Mask> placed(const Mask& mask, const study::Reading& reading);

/// A claim's expected value: a quantity in the figure's unit, or a formula over part values.
Result<double> expected_value(const std::string& text, std::string_view unit, const PartValues& parts);

/// The tolerance around an expected value, in the figure's unit: as such, or as a percentage of it. Of a figure in per
/// cent a percentage is in the figure's own unit.
Result<double> tolerance_width(const std::string& text, std::string_view unit, double expected);

/// @param parts  values for `expected`, as measured where known
Judgement judge(const Claim& claim, const study::Reading& reading, const PartValues& parts);

/// The curve against the mask where its margin is smallest in units of its uncertainty, of a family's the worst. Any
/// place that fails makes the whole fail, wherever the mask reaches; else any that is too close makes it too close. A
/// curve that holds but does not reach over the whole mask is not measured. Places that are not trusted decide nothing.
/// `value` is the curve at the deciding place.
Judgement judge(const Mask& mask, const study::Columns& curve);
/// The same of a mask that may be placed after a figure of the reading.
Judgement judge(const Mask& mask, const study::Analysis& analysis);

/// [[claim]] and [[mask]] of a claims file; errors name file, line and key.
struct Claims {
  std::vector<Claim> claims;
  std::vector<Mask> masks;
};
/// @param kind  whose curves masks may lie on
Result<Claims> read_claims(std::string_view toml_text, std::string_view file, const study::Kind& kind);

nlohmann::json to_json(const Claim& claim, const Judgement& judgement);
nlohmann::json to_json(const Mask& mask, const Judgement& judgement);

}  // namespace heron::judge
