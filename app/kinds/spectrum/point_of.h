#pragma once
#include <QString>
#include <memory>
#include <vector>

#include "app/readings.h"
#include "study/spectrum/reduced.h"

namespace heron::app {

/// The spectra of one point of a take, with what is needed to draw them.
struct PointOf {
  std::shared_ptr<const study::spectrum::PointSpectra> spectra;
  study::spectrum::Settings settings;
  std::vector<std::pair<int, QString>> points;  ///< of a sweep: which there are, and where
  QString trouble;                              ///< why there is none
};

/// @param index  of the point; where there is none of it, the last
PointOf point_of(const TakeView& view, int index);

/// The quantity of that name; else the first.
std::size_t quantity_of(const study::spectrum::PointSpectra& spectra, const std::string& name);

}  // namespace heron::app
