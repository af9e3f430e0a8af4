#pragma once
#include <vector>

#include "app/desk.h"

namespace heron::app {

/// The limit lines of the study in view where they lie on the take in view: those that are placed after a figure it lacks are
/// left out.
std::vector<judge::Mask> placed_masks(Desk& desk);

}  // namespace heron::app
