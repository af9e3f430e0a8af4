#pragma once
#include <string>
#include <string_view>
#include <vector>

#include "dossier/store.h"

namespace heron::demo {

/// A study of the practice dossier.
struct PracticeStudy {
  dossier::Study study;
  bool wrong = false;  ///< on purpose: its name says what is wrong
  std::string_view circuit = {};  ///< of the assembly that it is about; empty: the preamp
};

/// What one kind of study shows of the buoy. One a file; listed in studies.cpp.
struct DemoStudies {
  /// Adds assemblies, studies, claims and takes to the demo dossier.
  /// @param seed  of the simulated instruments; the next take has the next
  Result<void> (*fill)(dossier::Store& store, std::uint64_t& seed);
  /// Studies of the practice dossier.
  std::vector<PracticeStudy> (*practice)();
};

const std::vector<const DemoStudies*>& demo_studies();

/// A study with its takes: each unit takes every plan, the last of which is what the brief says.
struct Demo {
  const char* name;
  const char* kind;
  std::vector<nlohmann::json> plans;
  std::vector<const char*> units;
  study::SettingsText settings = {};
  std::vector<judge::Claim> claims = {};
  std::vector<judge::Mask> masks = {};
};
Result<void> take_all(dossier::Store& store, std::uint64_t& seed, const Demo& demo, long long assembly);

/// An assembly of the device by what it is; Fault::input where there is none.
Result<long long> find_assembly(dossier::Store& store, const std::string& about);

/// A unit of the device by its name, made where there is none.
Result<long long> find_unit(dossier::Store& store, const std::string& name);

}  // namespace heron::demo
