#pragma once
#include <optional>
#include <string>
#include <vector>

#include "dossier/store.h"
#include "judge/claim.h"
#include "run/device.h"
#include "study/reduced.h"

/// Reading takes of a dossier, and judging them.
namespace heron::run {

/// The take's points with those of the stand-ins that the study's settings name beside them.
Result<std::vector<study::Point>> points_of(dossier::Store& store, const dossier::Study& study,
                                            const dossier::Take& take);

/// What a take came to.
struct ReadTake {
  study::ReducedPtr reduced;
  study::Analysis analysis;
};
/// With the claims' figures read as well. A take that was cut short has the doubt "take.incomplete", one that the file
/// lost points of "record.damaged".
Result<ReadTake> read_take(dossier::Store& store, const dossier::Study& study, const dossier::Take& take);
Result<study::Analysis> analyse_take(dossier::Store& store, const dossier::Study& study, const dossier::Take& take);

/// One line of the ledger.
struct LedgerLine {
  std::string study;
  std::optional<judge::Claim> claim;  ///< or...
  std::optional<judge::Mask> mask;
  judge::Judgement judgement;

  const std::string& text() const { return claim ? claim->text : mask->text; }
};

/// What is claimed of a study, and the part values that its formulas see.
struct Asked {
  std::string study;
  std::vector<judge::Claim> claims = {};
  std::vector<judge::Mask> masks = {};
  judge::PartValues parts = {};
};
/// @param take      null for none...
/// @param damaged   ...how many of its points the file lost...
/// @param analysis  ...and what was read of it; null: everything is not measured
std::vector<LedgerLine> judge(const Asked& asked, const dossier::Take* take, int damaged,
                              const study::Analysis* analysis);

/// The claims and masks of a study against one take; everything not measured without one.
Result<std::vector<LedgerLine>> judge_take(dossier::Store& store, const dossier::Study& study,
                                           const dossier::Take* take, const study::Analysis* analysis);

/// The whole ledger: every study against its newest take that has points and is not laid aside.
Result<std::vector<LedgerLine>> ledger(dossier::Store& store);

}  // namespace heron::run
