#pragma once
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "dossier/store.h"
#include "report/choice.h"
#include "run/ledger.h"
#include "run/overview.h"

/// What a report says, gathered out of a dossier; how it looks is another matter.
namespace heron::report {

/// Where the figures of a take come from.
struct Source {
  int number = 0;
  std::string unit, serial, started, bench, program;  ///< program: its version; empty where the take does not say
  bool incomplete = false, aside = false;
};

struct TakePart {
  Source source;
  std::string note;
  std::string setup;                        ///< as it was, in sentences; empty of imported data
  study::Reading reading;
  std::vector<run::LedgerLine> lines;       ///< claims and masks, in the study's order
  study::Columns curve;
};

/// How one quantity was sensed, in words.
struct SensedPart {
  std::string quantity, at, sensor, range, bandwidth;
};

struct StudyPart {
  std::string name, kind, assembly, note;
  std::vector<TakePart> takes;              ///< one a unit, its newest that judges
  std::vector<std::string> not_taken;       ///< units of which there is none
  std::vector<SensedPart> sensed;           ///< of the newest of them
  std::vector<judge::Mask> masks;
  std::vector<dossier::ReportPicture> pictures;
  std::vector<Source> picture_sources;      ///< one a picture
};

struct UnitPart {
  std::string name, serial, note;
  std::vector<std::string> fitted;          ///< "C4 82 nF", as measured
};

struct Content {
  Choice choice;
  std::string device, device_note;
  std::vector<UnitPart> units;
  std::string sentence;                     ///< what the claims of these studies on these units come to
  std::vector<StudyPart> studies;
};

/// @param choice  names that the dossier does not have are Fault::usage
/// @return Fault::stopped where it was stopped between two takes
Result<Content> gather(dossier::Store& store, const Choice& choice, std::stop_token stop = {});

}  // namespace heron::report
