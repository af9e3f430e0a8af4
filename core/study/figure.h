#pragma once
#include <optional>
#include <string>
#include <vector>

namespace heron::study {

/// A scalar read off a take. docs/figures.md defines every key.
struct Figure {
  std::string key;
  std::string label;  ///< "High corner"
  double value = 0;
  std::string unit;
  std::optional<double> u;      ///< standard uncertainty, where the data allow one
  std::vector<double> at = {};  ///< where on the curve's x axis it was read
  double u_between = 0;         ///< part of u: what lies between the points
  std::string on = {};          ///< the quantity it was read on, where a take has several over time
  bool of_nothing = false;      ///< wanted to be zero, such as an opening: a large relative u says nothing against it
};

/// A figure that the data do not give, and why.
struct Absent {
  std::string key;
  std::string reason;
  std::string label;
};

enum class Severity { note, caution, serious };
std::string_view severity_text(Severity severity);

/// Words of the set-up and their new text, applied together: see a kind's apply().
using Edits = std::vector<std::pair<std::string, std::string>>;

/// Where a doubt is mended, where no edit of the brief does it.
enum class Place { anywhere, hookup };

/// What would mend a doubt that carries no edit of its own: the plan that was taken knows which of its words does it.
enum class Mend {
  none,
  average,             ///< more readings, records or shots
  settle,              ///< wait longer before each
  add_points,
  add_periods,
  free_range,          ///< leave the input's range to the bench
  drive_less,
  drive_harder,
  warm_up,
  raise_source_limit,
  raise_inductance,
  slow_down,           ///< the sweep, until its ways agree
  begin_small,         ///< step up from a small drive
  release              ///< a watch that holds, by hand
};

/// A stated reason not to trust a result; also what preflight finds before anything is driven.
struct Doubt {
  std::string key;
  Severity severity = Severity::caution;
  std::string text;              ///< what, and how much
  std::string remedy;            ///< what to do
  Edits edits = {};              ///< what carries the remedy out, where editing the set-up can
  bool binding = false;          ///< of a finding: cannot be accepted away
  Place place = Place::anywhere;
  Mend mend = Mend::none;
  Edits settings = {};           ///< of how takes are read, that carry the remedy out

  bool operator==(const Doubt&) const = default;
};

/// What is said of a rating: where it would be exceeded, nobody may accept it.
Doubt rating_finding(bool exceeded, std::string text, std::string remedy, Edits edits = {});
/// A doubt that is mended on the Hookup page.
Doubt on_hookup(Doubt doubt);
Doubt mended_by(Mend mend, Doubt doubt);

/// All that is read off one take.
struct Reading {
  std::vector<Figure> figures;
  std::vector<Absent> absent;
  std::vector<Doubt> doubts;

  const Figure* find(std::string_view key) const;
};

}  // namespace heron::study
