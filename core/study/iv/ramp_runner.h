#pragma once
#include "study/iv/runner.h"

namespace heron::study::iv {

/// The sweep by waveform: generators give the ramps, the inputs of the hookup read; one point a stretch, as many passes
/// as are averaged. Ranges that are not fixed are found by a sweep beforehand.
Result<void> run_ramps(const Plan& plan, bench::Bench& bench, const std::function<Result<void>(const Point&)>& commit,
                       const std::function<void(const Progress&)>& progress, std::stop_token stop,
                       const Context& context);

int planned_stretches(const Plan& plan, const bench::Limits& limits);

}  // namespace heron::study::iv
