#pragma once
#include "study/figure.h"
#include "study/iv/curve.h"
#include "study/iv/settings.h"

namespace heron::study::iv {

/// What speaks against a family as it was read: compliance reached, a loop left open, settling.
/// @param asked    figures that somebody wants
/// @param reading  what was read of them
std::vector<Doubt> find_doubts(const Family& family, const Settings& settings,
                               const std::vector<std::string>& asked = {}, const Reading& reading = {});

}  // namespace heron::study::iv
