#include "report/content.h"

#include <algorithm>

#include "base/quantity.h"
#include "bench/hookup.h"
#include "run/device.h"
#include "run/kept.h"
#include "study/kind.h"
#include "study/plan.h"

namespace heron::report {

using dossier::Store;

namespace {

/// A name that was chosen and is not there is told, not passed over.
Result<void> check_names(const std::vector<std::string>& chosen, const std::vector<std::string>& there, const char* what) {
  for (const auto& name : chosen)
    if (std::find(there.begin(), there.end(), name) == there.end()) return fail(Fault::usage, "there is no {} \"{}\".", what, name);
  return {};
}

bool wanted(const std::vector<std::string>& chosen, const std::string& name) {
  return chosen.empty() || std::find(chosen.begin(), chosen.end(), name) != chosen.end();
}

std::string sentences(const study::Plan& plan) {
  std::string out;
  for (const auto& piece : plan.brief()) {
    if (piece.text.empty()) continue;
    const bool closes = std::string_view(",;.:)").find(piece.text.front()) != std::string_view::npos;
    if (piece.heading && !out.empty())
      out += "\n";
    else if (!out.empty() && !closes && out.back() != '(' && out.back() != ' ')
      out += " ";
    out += piece.text;
    if (piece.heading) out += ":";
  }
  return out;
}

std::vector<SensedPart> sensed_by(const study::Plan& plan, const bench::Limits& limits) {
  std::vector<SensedPart> out;
  const auto* hookup = plan.hookup();
  if (!hookup) return out;
  for (const auto& chain : hookup->chains) {
    const auto summary = bench::summarise(chain, limits.of(hookup->digitiser).input);
    SensedPart one{.quantity = chain.name, .at = chain.input.pin, .sensor = chain.input.sensor.name};
    if (!chain.input.against.empty()) one.at += " against " + chain.input.against;
    one.range = chain.input.range ? format_quantity(summary.full_scale, summary.unit, 3).plain() : "automatic";
    one.bandwidth = format_quantity(summary.bandwidth, "Hz", 3).plain();
    out.push_back(std::move(one));
  }
  for (const auto& computed : hookup->computed) out.push_back({.quantity = computed.name, .at = computed.formula, .sensor = "computed"});
  return out;
}

struct Setup {
  study::PlanPtr plan;  ///< null of data that were imported
  std::string bench, program;
};

Setup setup_of(Store& store, const study::Kind* kind, const dossier::Take& take) {
  Setup out{.plan = nullptr, .bench = take.origin};
  const auto kept = store.take_setup(take.id);
  if (!kept || !kept->is_object()) return out;
  const auto text = [&](const char* key) {
    const auto it = kept->find(key);
    return it != kept->end() && it->is_string() ? it->get<std::string>() : std::string();
  };
  out.program = text("program");
  if (const auto plan = kept->find("plan"); kind && plan != kept->end())
    if (auto read = kind->plan(*plan)) out.plan = *read;
  return out;
}

Source source_of(const dossier::Take& take, const Setup& setup, const std::vector<UnitPart>& units) {
  Source out{.number = take.number, .unit = take.unit, .started = take.started, .bench = setup.bench, .program = setup.program, .incomplete = take.incomplete(), .aside = take.aside};
  for (const auto& unit : units)
    if (unit.name == take.unit) out.serial = unit.serial;
  return out;
}

/// From what is kept of it; with its curve, from its raw data.
Result<TakePart> part_of(Store& store, const dossier::Study& study, const dossier::Take& take, bool with_curve) {
  TakePart out{.note = take.note};
  if (!with_curve) {
    auto kept = run::kept_reading(store, study, take);
    if (!kept) {
      if (const auto anew = run::read_and_keep(store, study, take); !anew) return tl::unexpected(anew.error());
      kept = run::kept_reading(store, study, take);
    }
    if (kept) {
      auto lines = run::judge_kept(store, study, take, *kept);
      if (!lines) return tl::unexpected(lines.error());
      out.reading = std::move(kept->reading);
      out.lines = std::move(*lines);
      return out;
    }
  }
  auto read = run::read_take(store, study, take);
  if (!read) return tl::unexpected(read.error());
  auto lines = run::judge_take(store, study, &take, read->damaged, &read->analysis);
  if (!lines) return tl::unexpected(lines.error());
  out.reading = std::move(read->analysis.reading);
  out.curve = *read->analysis.curve;
  out.lines = std::move(*lines);
  return out;
}

}  // namespace

Result<Content> gather(Store& store, const Choice& choice, std::stop_token stop) {
  const auto device = store.device();
  const auto note = store.device_note();
  const auto units = store.units();
  const auto studies = store.studies();
  const auto assemblies = store.assemblies();
  const auto pictures = store.pictures();
  if (!device) return tl::unexpected(device.error());
  if (!note) return tl::unexpected(note.error());
  if (!units) return tl::unexpected(units.error());
  if (!studies) return tl::unexpected(studies.error());
  if (!assemblies) return tl::unexpected(assemblies.error());
  if (!pictures) return tl::unexpected(pictures.error());
  const auto unit_names = run::columns_of_units(store);
  if (!unit_names) return tl::unexpected(unit_names.error());
  std::vector<std::string> study_names;
  for (const auto& study : *studies) study_names.push_back(study.name);
  if (auto ok = check_names(choice.studies, study_names, "study"); !ok) return tl::unexpected(ok.error());
  if (auto ok = check_names(choice.units, *unit_names, "unit"); !ok) return tl::unexpected(ok.error());

  Content out{.choice = choice, .device = device->name, .device_note = *note};
  for (const auto& name : *unit_names) {
    if (!wanted(choice.units, name)) continue;
    UnitPart part{.name = name};
    const auto known = std::find_if(units->begin(), units->end(), [&](const auto& one) { return one.name == name; });
    if (known == units->end()) {
      out.units.push_back(std::move(part));
      continue;
    }
    const auto& unit = *known;
    part.serial = unit.serial;
    part.note = unit.note;
    for (const auto& [id, about] : *assemblies) {
      const auto here = store.units(id);
      if (!here) return tl::unexpected(here.error());
      const auto measured = run::read_device(store, id);
      for (const auto& one : *here)
        if (one.id == unit.id)
          for (const auto& [of, value] : one.fitted) {
            const auto* row = measured ? measured->find_part(of) : nullptr;
            part.fitted.push_back(of + " " + format_quantity(value, row ? row->unit : "", 4).plain());
          }
    }
    out.units.push_back(std::move(part));
  }

  run::Overview summary;
  for (const auto& unit : out.units) summary.units.push_back(unit.name);
  for (const auto& study : *studies) {
    if (!wanted(choice.studies, study.name)) continue;
    const auto* kind = study::find_kind(study.kind);
    const auto& parts = choice.parts_for(study.name);
    const bool with_curve = parts.contains(Part::plots) || parts.contains(Part::points);
    StudyPart part{.name = study.name, .kind = kind ? std::string(kind->title) : study.kind, .note = study.note};
    for (const auto& [id, about] : *assemblies)
      if (id == study.assembly) part.assembly = about;
    const auto takes = store.takes(study.id);
    const auto masks = store.masks(study.id);
    const auto around = run::read_device(store, study.assembly);
    if (!takes) return tl::unexpected(takes.error());
    if (!masks) return tl::unexpected(masks.error());
    if (!around) return tl::unexpected(around.error());
    part.masks = *masks;
    const auto newest = run::newest_of(*takes);
    std::vector<std::size_t> of_unit;
    for (std::size_t u = 0; u < out.units.size(); ++u) {
      if (stop.stop_requested()) return fail(Fault::stopped, "The report was stopped; nothing was written.");
      const auto it = newest.find(out.units[u].name);
      if (it == newest.end()) {
        part.not_taken.push_back(out.units[u].name);
        continue;
      }
      const auto setup = setup_of(store, kind, it->second);
      auto one = part_of(store, study, it->second, with_curve);
      if (!one) return fail(one.error().fault, "{}, take {}: {}", study.name, it->second.number, one.error().message);
      one->source = source_of(it->second, setup, out.units);
      if (setup.plan) one->setup = sentences(*setup.plan);
      if (setup.plan && part.sensed.empty()) part.sensed = sensed_by(*setup.plan, around->limits);
      part.takes.push_back(std::move(*one));
      of_unit.push_back(u);
    }
    for (const auto& picture : *pictures) {
      if (picture.study != study.id) continue;
      Source source;
      if (picture.take)
        if (const auto take = store.take(*picture.take)) source = source_of(*take, setup_of(store, kind, *take), out.units);
      part.pictures.push_back(picture);
      part.picture_sources.push_back(std::move(source));
    }
    // What it all comes to, as the overview says it.
    for (std::size_t k = 0; !part.takes.empty() && k < part.takes.front().lines.size(); ++k) {
      run::OverviewRow row{.study = study.id, .study_name = study.name, .kind = study.kind, .text = part.takes.front().lines[k].text()};
      row.cells.resize(out.units.size());
      for (std::size_t t = 0; t < part.takes.size(); ++t)
        if (k < part.takes[t].lines.size()) row.cells[of_unit[t]] = run::OverviewCell{.number = part.takes[t].source.number, .judgement = part.takes[t].lines[k].judgement};
      summary.rows.push_back(std::move(row));
    }
    out.studies.push_back(std::move(part));
  }
  out.sentence = run::sentence(summary);
  return out;
}

}  // namespace heron::report
