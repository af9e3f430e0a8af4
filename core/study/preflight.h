#pragma once
#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "bench/bench.h"
#include "bench/levels.h"
#include "device/rating.h"
#include "study/figure.h"

/// The checks that every kind of study shares, made before anything is driven. What they find has the form of a doubt:
/// key, severity, text, remedy, and the edits that carry the remedy out.
namespace heron::study {

using bench::Level;
using bench::Levels;

/// How far above the prediction a device may come without a word.
inline constexpr double kLevelSafety = 1.25;

/// Findings about the chains: their own troubles, level against range, rating and harm, 50-ohm inputs, zeros.
///
/// @param levels  what is predicted; null where nothing can be
void check_hookup(const bench::Hookup& hookup, const Levels* levels, const bench::Limits& limits,
                  std::vector<Doubt>& findings);

/// Findings about the device's ratings against what its pins and branches would see.
void check_ratings(const device::Ratings& ratings, const Levels& levels, double seconds, std::vector<Doubt>& findings);

/// The first serious finding that is not accepted, as an error of the bench; nothing when the study may run. A rating
/// cannot be accepted away.
std::optional<Error> refusal(const std::vector<Doubt>& findings, const std::set<std::string>& accepted = {});

}  // namespace heron::study
