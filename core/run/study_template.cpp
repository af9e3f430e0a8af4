#include "run/study_template.h"

#include <algorithm>
#include <set>

#include "bench/hookup.h"
#include "study/kind.h"
#include "study/plan.h"

namespace heron::run {

using nlohmann::json;

namespace {

constexpr const char* kMark = "heron_study_template";
constexpr int kForm = 1;

/// Every text in a plan, wherever it stands.
template <class Visit>
void each_text(json& in, const Visit& visit) {
  if (in.is_string())
    visit(in);
  else if (in.is_structured())
    for (auto& one : in) each_text(one, visit);
}

bool of_a_word(char c) { return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_'; }

/// Whole words of a formula, with others in their place.
template <class Replace>
std::string with_words(const std::string& formula, const Replace& replace) {
  std::string out;
  for (std::size_t at = 0; at < formula.size();) {
    auto end = at;
    while (end < formula.size() && of_a_word(formula[end])) ++end;
    if (end == at) {
      out += formula[at++];
      continue;
    }
    out += replace(formula.substr(at, end - at));
    at = end;
  }
  return out;
}

/// Formulas of a study: what claims expect, and what its hookup computes.
template <class Visit>
void each_formula(StudyTemplate& study, const Visit& visit) {
  for (auto& claim : study.claims)
    if (claim.expected) visit(*claim.expected);
  if (auto hookup = study.plan.find("hookup"); hookup != study.plan.end() && hookup->is_object())
    if (auto computed = hookup->find("computed"); computed != hookup->end() && computed->is_array())
      for (auto& one : *computed)
        if (auto formula = one.find("formula"); formula != one.end() && formula->is_string()) visit(formula->template get_ref<std::string&>());
}

json optional_texts(const judge::Claim& claim) {
  json out = json::object();
  const auto put = [&](const char* key, const std::optional<std::string>& value) {
    if (value) out[key] = *value;
  };
  put("lower", claim.lower);
  put("upper", claim.upper);
  put("expected", claim.expected);
  put("tolerance", claim.tolerance);
  put("typical", claim.typical);
  return out;
}

/// Whether a name is used by the plan as a place of the device.
std::set<std::string> places_of(const study::Plan& plan) {
  std::set<std::string> out;
  for (const auto& lead : plan.leads())
    for (const auto* pin : {&lead.pin, &lead.against})
      if (!pin->empty()) out.insert(*pin);
  if (const auto* hookup = plan.hookup())
    for (const auto& chain : hookup->chains)
      for (const auto* pin : {&chain.input.pin, &chain.input.against})
        if (!pin->empty()) out.insert(*pin);
  return out;
}

}  // namespace

std::vector<std::string> names_of(const Device& device) {
  auto out = device.pins();
  out.insert(out.end(), device.contacts.begin(), device.contacts.end());
  out.insert(out.end(), device.thermometers.begin(), device.thermometers.end());
  for (const auto& told : device.told) out.push_back(told.name);
  std::sort(out.begin(), out.end());
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

Result<StudyTemplate> template_of(dossier::Store& store, const dossier::Study& study) {
  const auto claims = store.claims(study.id);
  const auto masks = store.masks(study.id);
  const auto assemblies = store.assemblies();
  const auto device = read_device(store, study.assembly);
  if (!claims) return tl::unexpected(claims.error());
  if (!masks) return tl::unexpected(masks.error());
  if (!assemblies) return tl::unexpected(assemblies.error());
  if (!device) return tl::unexpected(device.error());
  StudyTemplate out{.name = study.name, .kind = study.kind, .assembly = {}, .note = study.note, .plan = study.plan, .look = study.look, .settings = study.settings, .claims = *claims, .masks = *masks};
  for (const auto& [id, about] : *assemblies)
    if (id == study.assembly) out.assembly = about;
  // Takes that stand beside it stay behind.
  const auto* kind = study::find_kind(study.kind);
  if (kind)
    for (const auto& stand_in : kind->stand_ins) out.settings.erase(stand_in);
  std::set<std::string> used;
  if (kind)
    if (const auto plan = kind->plan(study.plan)) used = places_of(**plan);
  std::set<std::string> told(device->contacts.begin(), device->contacts.end());
  told.insert(device->thermometers.begin(), device->thermometers.end());
  for (const auto& quantity : device->told) told.insert(quantity.name);
  each_text(out.plan, [&](const json& text) {
    if (told.contains(text.get<std::string>())) used.insert(text.get<std::string>());
  });
  out.pins.assign(used.begin(), used.end());
  std::set<std::string> parts;
  each_formula(out, [&](const std::string& formula) {
    with_words(formula, [&](const std::string& word) {
      if (device->find_part(word)) parts.insert(word);
      return word;
    });
  });
  out.parts.assign(parts.begin(), parts.end());
  return out;
}

json to_json(const StudyTemplate& from) {
  json claims = json::array(), masks = json::array();
  for (const auto& claim : from.claims) {
    json one = {{"text", claim.text}, {"figure", claim.figure}};
    one.update(optional_texts(claim));
    claims.push_back(std::move(one));
  }
  for (const auto& mask : from.masks) {
    json one = {{"text", mask.text}, {"curve", mask.curve}, {"upper", mask.upper}, {"lower", mask.lower}};
    if (!mask.unit.empty()) one["unit"] = mask.unit;
    if (!mask.after.empty()) one["after"] = mask.after;
    if (!mask.along.empty()) one["along"] = mask.along;
    masks.push_back(std::move(one));
  }
  return {{kMark, kForm}, {"name", from.name}, {"kind", from.kind}, {"assembly", from.assembly}, {"note", from.note}, {"plan", from.plan}, {"look", from.look}, {"settings", from.settings}, {"claims", claims}, {"masks", masks}, {"pins", from.pins}, {"parts", from.parts}};
}

Result<StudyTemplate> template_from(std::string_view text, const std::string& file) {
  const auto kept = json::parse(text, nullptr, false);
  if (!kept.is_object() || !kept.contains(kMark)) return fail(Fault::input, "{}: this is no template of a study.", file);
  try {
    if (const int form = kept.at(kMark).get<int>(); form != kForm)
      return fail(Fault::input, "{}: the template is of form {}; this version reads form {}.", file, form, kForm);
    StudyTemplate out{.name = kept.at("name"), .kind = kept.at("kind"), .assembly = kept.value("assembly", ""), .note = kept.value("note", "")};
    out.plan = kept.at("plan");
    if (const auto look = kept.find("look"); look != kept.end() && look->is_object()) out.look = *look;
    out.settings = kept.value("settings", study::SettingsText{});
    out.pins = kept.value("pins", std::vector<std::string>{});
    out.parts = kept.value("parts", std::vector<std::string>{});
    const auto maybe = [](const json& from, const char* key) { return from.contains(key) ? std::optional(from.at(key).get<std::string>()) : std::nullopt; };
    for (const auto& one : kept.value("claims", json::array()))
      out.claims.push_back({.text = one.at("text"), .figure = one.at("figure"), .lower = maybe(one, "lower"), .upper = maybe(one, "upper"), .expected = maybe(one, "expected"), .tolerance = maybe(one, "tolerance"), .typical = maybe(one, "typical")});
    for (const auto& one : kept.value("masks", json::array()))
      out.masks.push_back({.text = one.at("text"), .curve = one.at("curve"), .upper = one.at("upper").get<std::vector<std::pair<double, double>>>(), .lower = one.at("lower").get<std::vector<std::pair<double, double>>>(), .unit = one.value("unit", ""), .after = one.value("after", ""), .along = one.value("along", "")});
    if (out.name.empty()) return fail(Fault::input, "{}: the template's study has no name.", file);
    const auto* kind = study::find_kind(out.kind);
    if (!kind) return fail(Fault::input, "{}: this version knows no studies of kind \"{}\".", file, out.kind);
    if (const auto plan = kind->plan(out.plan); !plan) return fail(Fault::input, "{}: {}", file, plan.error().message);
    for (const auto& [key, value] : out.settings)
      if (auto ok = kind->check_setting(key, value); !ok) return fail(Fault::input, "{}: {}", file, ok.error().message);
    for (const auto& mask : out.masks)
      if (auto ok = judge::check(mask, *kind); !ok) return fail(Fault::input, "{}: {}", file, ok.error().message);
    return out;
  } catch (const json::exception& e) {
    return fail(Fault::input, "{}: the template cannot be read: {}.", file, e.what());
  }
}

Unmatched unmatched(const StudyTemplate& study, const Device& device) {
  Unmatched out;
  const auto there = names_of(device);
  for (const auto& pin : study.pins)
    if (std::find(there.begin(), there.end(), pin) == there.end()) out.pins.push_back(pin);
  for (const auto& part : study.parts)
    if (!device.find_part(part)) out.parts.push_back(part);
  return out;
}

StudyTemplate renamed(StudyTemplate study, const std::map<std::string, std::string>& pins, const std::map<std::string, std::string>& parts) {
  const auto renames = [](std::vector<std::string>& names, const std::map<std::string, std::string>& by) {
    for (auto& name : names)
      if (const auto it = by.find(name); it != by.end()) name = it->second;
  };
  each_text(study.plan, [&](json& text) {
    if (const auto it = pins.find(text.get<std::string>()); it != pins.end()) text = it->second;
  });
  each_formula(study, [&](std::string& formula) {
    formula = with_words(formula, [&](const std::string& word) {
      const auto it = parts.find(word);
      return it == parts.end() ? word : it->second;
    });
  });
  renames(study.pins, pins);
  renames(study.parts, parts);
  return study;
}

Result<long long> add_study(dossier::Store& store, const StudyTemplate& study, long long assembly) {
  const auto there = store.studies();
  if (!there) return tl::unexpected(there.error());
  auto name = study.name;
  for (int k = 2; std::any_of(there->begin(), there->end(), [&](const auto& one) { return one.name == name; }); ++k) name = fmt::format("{} ({})", study.name, k);
  const auto id = store.add_study({.name = name, .kind = study.kind, .plan = study.plan, .settings = study.settings, .assembly = assembly, .note = study.note, .look = study.look});
  if (!id) return id;
  for (const auto& claim : study.claims)
    if (auto added = store.add_claim(*id, claim); !added) return added;
  for (const auto& mask : study.masks)
    if (auto added = store.add_mask(*id, mask); !added) return added;
  return id;
}

Result<long long> add_study(dossier::Store& store, const StudyTemplate& study) {
  const auto assemblies = store.assemblies();
  if (!assemblies) return tl::unexpected(assemblies.error());
  for (const auto& [id, about] : *assemblies)
    if (about == study.assembly) return add_study(store, study, id);
  auto main = store.device();
  if (!main) return tl::unexpected(main.error());
  if (main->about.empty() && main->circuit.empty()) {
    main->about = study.assembly;
    if (auto ok = store.set_device(*main); !ok) return tl::unexpected(ok.error());
    return add_study(store, study, dossier::kMainAssembly);
  }
  const auto made = store.add_assembly(study.assembly, {});
  return made ? add_study(store, study, *made) : made;
}

}  // namespace heron::run
