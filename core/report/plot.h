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

/// Where everything of a plot stands, in units of its width: what SVG and paper both draw.
struct Layout {
  struct Text {
    double x = 0, y = 0;
    std::string text;
    enum class Stands { middle, end, upright } stands = Stands::middle;  ///< upright: read from below, about its middle
  };
  using Line = std::vector<std::pair<double, double>>;
  struct Ground {
    Line edge;
    double beyond = 0;  ///< y of the side that it reaches to
  };
  struct Curve {
    std::string colour;
    bool dashed = false;
    Line line;
  };
  static constexpr double width = 520, height = 310;
  double left = 0, top = 0, wide = 0, high = 0;  ///< of the frame
  std::vector<double> across, up;                ///< grid lines by their x; by their y
  std::vector<Text> texts;
  std::vector<Ground> grounds;
  std::vector<Curve> curves;
};
/// Without curves where none has a place to be drawn.
Layout lay_out(const Plot& plot);

/// @param number  of the plot within its document, from 1: names in it are given once
/// @return empty where no curve has a place to be drawn
std::string svg(const Plot& plot, int number);

/// A curve in at most so many places, its highest and lowest among them; places that are no numbers are left out.
std::pair<std::vector<double>, std::vector<double>> thinned(const std::vector<double>& x, const std::vector<double>& y, std::size_t most);

}  // namespace heron::report
