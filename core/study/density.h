#pragma once
#include <vector>

#include "base/result.h"
#include "study/trace.h"

namespace heron::study {

/// Where many records of one quantity run: how many of them pass through each cell of a picture.
struct Density {
  double from = 0, to = 1;   ///< s
  double low = 0, high = 1;  ///< in the unit
  int columns = 0, rows = 0;
  std::vector<int> counts;   ///< row by row from the lowest, each from the left; at most once a record and cell
  int records = 0;

  int at(int column, int row) const { return counts[std::size_t(row) * std::size_t(columns) + std::size_t(column)]; }
};

/// @param traces  each over its own time; what lies outside the picture is left out. A record runs straight between its
///                samples, and through all cells between the lowest and the highest where a column has many.
Result<Density> density_of(const std::vector<TracePtr>& traces, double from, double to, int columns, double low, double high,
                           int rows);

}  // namespace heron::study
