#pragma once
#include "study/figure.h"
#include "study/iv/curve.h"
#include "study/iv/settings.h"

namespace heron::study::iv {

/// What speaks against a family as it was read: compliance reached, a loop left open, settling.
std::vector<Doubt> find_doubts(const Family& family, const Settings& settings);

}  // namespace heron::study::iv
