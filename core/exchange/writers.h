#pragma once
#include <functional>
#include <nlohmann/json.hpp>
#include <stop_token>
#include <string>
#include <vector>

#include "base/result.h"
#include "study/columns.h"
#include "study/figure.h"
#include "study/raw.h"
#include "study/trace.h"

/// Everything in open formats: CSV for points and records, JSON for set-up, figures and verdicts.
namespace heron::exchange {

/// Told now and then while something long is written: how much of it is.
using Share = std::function<void(double share)>;

/// The curve, one row a point, as columns "frequency (Hz)", "gain (dB)", ... with their uncertainties.
std::string curve_csv(const study::Columns& curve);

/// The samples of one record: "time (s)" and one column a channel, in its unit.
std::string record_csv(const study::Record& record);
/// The same into a file, stretch by stretch, so that memory stays flat; in the place of what was there.
/// @return Fault::stopped, with nothing left, where it was stopped; Fault::input where it cannot be read or written
Result<void> write_record_csv(const std::string& path, const study::Record& record, std::stop_token stop = {}, const Share& told = {});

/// Quantities over a part of their time: "time (s)" from the trigger and one column a quantity, at the samples of the first
/// of them. Between its own samples another is interpolated.
/// @param from, to  s, both included
/// @return the rows; Fault::input where no sample lies between, Fault::stopped with nothing left
Result<long long> write_part_csv(const std::string& path, const std::vector<study::TracePtr>& traces, double from, double to,
                                 std::stop_token stop = {}, const Share& told = {});

nlohmann::json figures_json(const study::Reading& reading);  ///< [{"key", "value", "unit", "uncertainty", "label"}]
nlohmann::json absent_json(const study::Reading& reading);
nlohmann::json doubts_json(const study::Reading& reading);

/// {"frequency": [...], "gain": [...], ...}: what read_curves() takes back.
nlohmann::json curve_json(const study::Columns& curve);

/// Writes beside the target and moves it into place, so that no half-written file is ever seen.
Result<void> write_file(const std::string& path, std::string_view content);

/// A name that every file system takes: letters, digits, - and _.
std::string file_name(const std::string& text);

}  // namespace heron::exchange
