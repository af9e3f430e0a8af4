#pragma once
#include <nlohmann/json.hpp>
#include <stop_token>
#include <string>

#include "dossier/store.h"
#include "exchange/writers.h"
#include "study/reduced.h"

namespace heron::run {

/// What an export of everything has beside the open formats: the whole dossier, to be brought in again.
inline constexpr const char* kExportedDossier = "dossier.heron";

/// One take as JSON: set-up as it was, figures, absent, doubts, claims.
Result<nlohmann::json> take_json(dossier::Store& store, const dossier::Study& study, const dossier::Take& take,
                                 const study::Analysis& analysis);

/// Writes points, records and JSON of one take into a folder that is made where needed. Fault::stopped leaves what was
/// written.
/// @param told  how much is written
/// @return the files written
Result<int> export_take(dossier::Store& store, const dossier::Study& study, const dossier::Take& take,
                        const std::string& folder, std::stop_token stop = {}, const exchange::Share& told = {});

}  // namespace heron::run
