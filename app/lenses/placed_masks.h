#pragma once
#include <map>
#include <string>
#include <vector>

#include "app/desk.h"
#include "app/lenses/record_plot.h"

namespace heron::app {

/// The limit lines of the study in view where they lie on the take in view: those that are placed after a figure it lacks are
/// left out.
std::vector<judge::Mask> placed_masks(Desk& desk);
/// Those over time, as grounds of a record.
/// @param called  curves whose quantity has another name there
std::vector<LimitLine> limits_over_time(Desk& desk, const std::map<std::string, std::string>& called = {});

}  // namespace heron::app
