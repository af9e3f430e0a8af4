#pragma once
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "dossier/store.h"
#include "judge/claim.h"
#include "run/ledger.h"

/// Readings that are kept in the dossier beside the raw data, so that ledger and takes are drawn without opening a record.
/// They hold only for what they were made of: the take, its settings, the figures asked for and this version of the
/// reading. Anything else is read anew.
namespace heron::run {

struct Kept {
  study::Reading reading;
  study::SettingsText settings;  ///< as used
  study::Columns small;
  int damaged = 0;                                 ///< points that the file had lost
  std::vector<std::string> asked;                  ///< figures that were asked for
  std::map<std::string, judge::Judgement> masks;  ///< of every mask, by what it is
};

/// Of a take as it is asked about now; nothing where it must be read.
std::optional<Kept> kept_reading(dossier::Store& store, const dossier::Study& study, const dossier::Take& take);
std::optional<Kept> kept_reading(dossier::Store& store, const Judging& by, const dossier::Take& take);

/// Keeps what a take came to. Quietly does nothing where the dossier cannot be written: it is made again next time.
void keep_reading(dossier::Store& store, const dossier::Study& study, const dossier::Take& take, const ReadTake& read);

/// Reads a take and keeps what it came to.
Result<ReadTake> read_and_keep(dossier::Store& store, const dossier::Study& study, const dossier::Take& take,
                               const ReadTake* before = nullptr);

/// The claims and masks of a study against what was kept.
Result<std::vector<LedgerLine>> judge_kept(dossier::Store& store, const dossier::Study& study,
                                           const dossier::Take& take, const Kept& kept);

Result<std::vector<LedgerLine>> judge_kept(dossier::Store& store, const Judging& by, const dossier::Take& take, const Kept& kept);

}  // namespace heron::run
