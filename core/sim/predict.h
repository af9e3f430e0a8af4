#pragma once
#include <complex>
#include <map>
#include <vector>

#include "bench/bench.h"
#include "bench/levels.h"
#include "sim/circuit.h"

namespace heron::sim {

/// What a circuit should show while a sine drives it: its operating point and its small-signal answer, at the
/// converters turned back into the quantities, at every pin, and in every branch that has a rating.
///
/// For preflight and doubts. A circuit that clips shows less than this says; one that is linear shows this.
///
/// @param chains       the hookup as stated: planted faults are not looked at
/// @param frequencies  Hz
Result<bench::Levels> predict_levels(const Circuit& circuit, const bench::ToneDrive& drive,
                                     const std::vector<bench::Chain>& chains, const std::vector<double>& frequencies);

/// What each quantity answers to a drive of 1 V, as complex numbers in its unit, sensor corners put back: name -> one
/// value a frequency. From the small-signal circuit: for expectations drawn beside a measurement, never for figures.
Result<std::map<std::string, std::vector<std::complex<double>>>> small_signal_answers(
    const Circuit& circuit, const bench::ToneDrive& drive, const std::vector<bench::Chain>& chains,
    const std::vector<double>& frequencies);

}  // namespace heron::sim
