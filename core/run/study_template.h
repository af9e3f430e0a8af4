#pragma once
#include <map>
#include <nlohmann/json.hpp>
#include <string>
#include <string_view>
#include <vector>

#include "dossier/store.h"
#include "run/device.h"

/// A study without its takes, to be put to another device or to the same one again: one JSON file.
namespace heron::run {

struct StudyTemplate {
  std::string name, kind;
  std::string assembly;                 ///< what it was about: "hydrophone preamp"
  std::string note = {};
  nlohmann::json plan = {};
  nlohmann::json look = nlohmann::json::object();  ///< see dossier::Study
  study::SettingsText settings = {};
  std::vector<judge::Claim> claims = {};
  std::vector<judge::Mask> masks = {};
  std::vector<std::string> pins = {};   ///< names of the device that the plan uses: pins, branches, contacts, told quantities
  std::vector<std::string> parts = {};  ///< names of parts in its formulas
};

Result<StudyTemplate> template_of(dossier::Store& store, const dossier::Study& study);

nlohmann::json to_json(const StudyTemplate& from);
/// @param file  named in errors. Fault::input for what is no template, or of a kind, a plan, a setting or a claim that
///              this version does not know
Result<StudyTemplate> template_from(std::string_view text, const std::string& file);

/// Names of a template that a device does not have.
struct Unmatched {
  std::vector<std::string> pins, parts;
  bool empty() const { return pins.empty() && parts.empty(); }
};
Unmatched unmatched(const StudyTemplate& study, const Device& device);
/// All that can stand in the place of a template's pin.
std::vector<std::string> names_of(const Device& device);

/// With other names in the place of its own. Names in formulas are whole words.
StudyTemplate renamed(StudyTemplate study, const std::map<std::string, std::string>& pins, const std::map<std::string, std::string>& parts);

/// As a new study with claims and masks; a name that is taken gets a number behind it.
Result<long long> add_study(dossier::Store& store, const StudyTemplate& study, long long assembly);
/// The same where nobody says about what it is: the assembly of its name, which is made where there is none.
Result<long long> add_study(dossier::Store& store, const StudyTemplate& study);

}  // namespace heron::run
