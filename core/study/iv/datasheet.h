#pragma once
#include <optional>
#include <string>
#include <vector>

#include "judge/claim.h"

/// Points of a datasheet: "at 3 V and 10 mA the current is from 2 mA to 4 mA, typically 2.7 mA". Each is a claim.
namespace heron::study::iv {

enum class PointOf { current, voltage, gain };

/// A row as it is typed; empty texts are left out.
struct DatasheetPoint {
  PointOf of = PointOf::current;
  std::string at;    ///< "3 V"; of a voltage the current it is read at
  std::string step;  ///< "10 mA"; of a single curve empty
  std::string least, typical, most;

  std::string unit() const { return of == PointOf::current ? "A" : of == PointOf::voltage ? "V" : "1"; }
};

/// The claim that a row is. Fault::input for what makes no sense, in words for the one who typed it.
Result<judge::Claim> claim_of(const DatasheetPoint& point);

/// The row that a claim is; nothing for claims of other kinds.
std::optional<DatasheetPoint> point_of(const judge::Claim& claim);

/// Rows out of a copied table: cells between tabs, semicolons or bars, in the order at, step, least, typical, most; a
/// row of four has no step.
Result<std::vector<DatasheetPoint>> points_from_text(PointOf of, std::string_view text);

}  // namespace heron::study::iv
