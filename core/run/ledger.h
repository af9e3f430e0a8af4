#pragma once
#include <functional>
#include <map>
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
  int damaged = 0;                      ///< points that the file lost
  std::vector<std::string> asked = {};  ///< figures that claims asked for
};
/// With the claims' figures read as well. A take that was cut short has the doubt "take.incomplete", one that the file
/// lost points of "record.damaged".
/// @param before  what it came to when it was read with the same settings: no record is opened again
Result<ReadTake> read_take(dossier::Store& store, const dossier::Study& study, const dossier::Take& take,
                           const ReadTake* before = nullptr);
Result<study::Analysis> analyse_take(dossier::Store& store, const dossier::Study& study, const dossier::Take& take);

/// One line of the ledger.
struct LedgerLine {
  std::string study;
  std::optional<judge::Claim> claim;  ///< or...
  std::optional<judge::Mask> mask;
  judge::Judgement judgement;
  std::optional<judge::TypedFigure> typed = {};  ///< what the claim is on, where it is not read off takes

  const std::string& text() const { return claim ? claim->text : mask->text; }
};

/// As the claim or mask with its judgement; of a typed figure "typed" says where it was read.
nlohmann::json to_json(const LedgerLine& line);

/// What is claimed of a study, and the part values that its formulas see.
struct Asked {
  std::string study;
  std::vector<judge::Claim> claims = {};
  std::vector<judge::Mask> masks = {};
  judge::PartValues parts = {};
  std::vector<judge::TypedFigure> typed = {};  ///< of all units...
  long long unit = 0;                          ///< ...of which this one is judged
};
/// What all takes of one study are judged by; gathered once, however many there are.
struct Judging {
  dossier::Study study;
  std::vector<judge::Claim> claims;
  std::vector<judge::Mask> masks;
  Device device;
  std::vector<judge::TypedFigure> typed;
  std::map<std::string, long long> units;  ///< by name
};
Result<Judging> judging_of(dossier::Store& store, const dossier::Study& study);

/// How a mask came out, where it is known without its curve.
using MaskVerdict = std::function<judge::Judgement(const judge::Mask&)>;
/// @param take      null for none...
/// @param damaged   ...how many of its points the file lost...
/// @param analysis  ...and what was read of it; null: everything is not measured
/// @param held      null: masks are held against the analysis' curve
std::vector<LedgerLine> judge(const Asked& asked, const dossier::Take* take, int damaged,
                              const study::Analysis* analysis, const MaskVerdict& held = nullptr);

/// The claims and masks of a study against one take; everything not measured without one.
Result<std::vector<LedgerLine>> judge_take(dossier::Store& store, const dossier::Study& study,
                                           const dossier::Take* take, const study::Analysis* analysis);
/// The same for a take that was read before.
Result<std::vector<LedgerLine>> judge_take(dossier::Store& store, const dossier::Study& study,
                                           const dossier::Take* take, int damaged, const study::Analysis* analysis,
                                           const MaskVerdict& held = nullptr);

Result<std::vector<LedgerLine>> judge_take(dossier::Store& store, const Judging& by, const dossier::Take* take, int damaged,
                                           const study::Analysis* analysis, const MaskVerdict& held = nullptr);

/// The take that judges a study: its newest that has points, is of the device and is not laid aside. Nothing where there
/// is none.
Result<std::optional<dossier::Take>> judged_take(dossier::Store& store, const dossier::Study& study);

/// The whole ledger: every study against its newest take that has points and is not laid aside.
Result<std::vector<LedgerLine>> ledger(dossier::Store& store);

}  // namespace heron::run
