#pragma once
#include <string>
#include <utility>
#include <vector>

#include "study/columns.h"

/// A plot as SVG, with its text as text: the same bytes for the same data wherever it is drawn.
namespace heron::report {

struct PlotCurve {
  std::string colour;  ///< "#1b8783"
  bool dashed = false;
  std::vector<double> x, y;
};

/// Forbidden ground beyond a line.
struct PlotGround {
  std::vector<std::pair<double, double>> line;  ///< x rising
  bool above = true;
};

struct Plot {
  std::string about;  ///< what a screen reader says of it
  std::string x_name, x_unit, y_name, y_unit;
  bool log_x = false;
  std::vector<PlotCurve> curves;
  std::vector<PlotGround> grounds;
};

/// @param number  of the plot within its document, from 1: names in it are given once
/// @return empty where no curve has a place to be drawn
std::string svg(const Plot& plot, int number);

/// A curve in at most so many places, its highest and lowest among them; places that are no numbers are left out.
std::pair<std::vector<double>, std::vector<double>> thinned(const std::vector<double>& x, const std::vector<double>& y, std::size_t most);

}  // namespace heron::report
