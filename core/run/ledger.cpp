#include "run/ledger.h"

#include <algorithm>

#include "study/kind.h"

namespace heron::run {

Result<std::vector<study::Point>> points_of(dossier::Store& store, const dossier::Study& study, const dossier::Take& take) {
  auto points = store.points(take.id);
  if (!points || !take.purpose.empty()) {
    // A standard looked at by itself is a reading like any other.
    if (points)
      for (auto& point : *points) point.setting = point.setting.without("purpose");
    return points;
  }
  const auto* kind = study::find_kind(study.kind);
  if (!kind) return fail(Fault::usage, "Studies of kind \"{}\" cannot be read yet.", study.kind);
  for (const auto& what : kind->stand_ins) {
    const auto named = study.settings.find(what);
    if (named == study.settings.end()) continue;
    const auto takes = store.takes(study.id);
    if (!takes) return tl::unexpected(takes.error());
    const auto it = std::find_if(takes->begin(), takes->end(),
                                 [&](const dossier::Take& t) { return std::to_string(t.number) == named->second; });
    if (it == takes->end())
      return fail(Fault::input, "Take {}, which the study names as its {}, is not there.", named->second, what);
    auto more = store.points(it->id);
    if (!more) return more;
    for (auto& point : *more) {
      point.setting = point.setting.with("purpose", what);
      points->push_back(std::move(point));
    }
  }
  return points;
}

Result<ReadTake> read_take(dossier::Store& store, const dossier::Study& study, const dossier::Take& take,
                           const ReadTake* before) {
  const auto* kind = study::find_kind(study.kind);
  if (!kind) return fail(Fault::usage, "Studies of kind \"{}\" cannot be read yet.", study.kind);
  const auto claims = store.claims(study.id);
  if (!claims) return tl::unexpected(claims.error());
  const auto masks = store.masks(study.id);
  if (!masks) return tl::unexpected(masks.error());
  auto asked = judge::asked_figures(*kind, *claims, *masks);
  study::ReducedPtr reduced;
  int damaged = 0;
  if (before) {
    reduced = before->reduced;
    damaged = before->damaged;
  } else {
    const auto points = points_of(store, study, take);
    if (!points) return tl::unexpected(points.error());
    auto joined = kind->reduce(*points, study.settings);
    if (!joined) return tl::unexpected(joined.error());
    reduced = std::move(*joined);
    damaged = store.damaged_points(take.id);
  }
  auto analysis = reduced->read(study.settings, asked);
  if (!analysis) return tl::unexpected(analysis.error());
  if (take.incomplete() && take.state != dossier::TakeState::running)
    analysis->reading.doubts.push_back(
        {"take.incomplete", study::Severity::caution,
         fmt::format("The take was cut short: {} were read.", take.came()),
         "Take again for the rest of the sweep."});
  if (damaged > 0)
    analysis->reading.doubts.push_back(
        {"record.damaged", study::Severity::serious,
         fmt::format("{} of {} points are damaged in the file and were left out.", damaged, take.points),
         "Copy the dossier from a backup, or take again."});
  return ReadTake{std::move(reduced), std::move(*analysis), damaged, std::move(asked)};
}

Result<study::Analysis> analyse_take(dossier::Store& store, const dossier::Study& study, const dossier::Take& take) {
  auto read = read_take(store, study, take);
  if (!read) return tl::unexpected(read.error());
  return std::move(read->analysis);
}

nlohmann::json to_json(const LedgerLine& line) {
  auto out = line.claim ? judge::to_json(*line.claim, line.judgement) : judge::to_json(*line.mask, line.judgement);
  if (line.typed) out["typed"] = line.typed->source;
  return out;
}

std::vector<LedgerLine> judge(const Asked& asked, const dossier::Take* take, int damaged,
                              const study::Analysis* analysis, const MaskVerdict& held) {
  const study::Analysis nothing;
  const auto& read = analysis ? *analysis : nothing;
  std::vector<LedgerLine> out;
  const auto typed_names = judge::names_of(asked.typed);
  for (const auto& claim : asked.claims) {
    if (const auto* typed = judge::find_typed(asked.typed, claim.figure, asked.unit)) {
      study::Reading alone;
      alone.figures = {typed->figure};
      out.push_back({asked.study, claim, {}, judge::judge(claim, alone, asked.parts), *typed});
      continue;
    }
    out.push_back({asked.study, claim, {}, judge::judge(claim, read.reading, asked.parts)});
    for (const auto& name : typed_names)
      if (name.key == claim.figure) out.back().judgement.reason = name.label + " was not typed in for this unit";
  }
  for (const auto& mask : asked.masks) out.push_back({asked.study, {}, mask, held && analysis ? held(mask) : judge::judge(mask, read)});
  if (!analysis)
    for (auto& line : out)
      if (!line.typed) line.judgement.reason = "there is no take yet";
  if (!take || !analysis) return out;
  // The worst of what the take suffers from, beside what the figure itself gives away.
  std::string rests_on;
  for (const auto& d : analysis->reading.doubts)
    if (d.severity == study::Severity::serious && rests_on.empty())
      rests_on = "the take is in serious doubt: " + d.key;
  if (take->incomplete() && take->state != dossier::TakeState::running)
    rests_on = "the take was cut short: " + take->came();
  if (damaged > 0) rests_on = fmt::format("{} of {} points are damaged in the file", damaged, take->points);
  for (auto& line : out)
    if (auto& caveat = line.judgement.caveat; !rests_on.empty() && !line.typed)
      caveat = caveat.empty() ? rests_on : rests_on + "; " + caveat;
  return out;
}

Result<std::vector<LedgerLine>> judge_take(dossier::Store& store, const dossier::Study& study, const dossier::Take* take,
                                           int damaged, const study::Analysis* analysis, const MaskVerdict& held) {
  const auto by = judging_of(store, study);
  return by ? judge_take(store, *by, take, damaged, analysis, held) : tl::unexpected(by.error());
}

Result<Judging> judging_of(dossier::Store& store, const dossier::Study& study) {
  auto claims = store.claims(study.id);
  auto masks = store.masks(study.id);
  auto typed = store.typed_figures(study.id);
  auto device = read_device(store, study.assembly);
  const auto units = store.units(study.assembly);
  if (!claims) return tl::unexpected(claims.error());
  if (!masks) return tl::unexpected(masks.error());
  if (!typed) return tl::unexpected(typed.error());
  if (!device) return tl::unexpected(device.error());
  if (!units) return tl::unexpected(units.error());
  Judging out{study, std::move(*claims), std::move(*masks), std::move(*device), std::move(*typed), {}};
  for (const auto& unit : *units) out.units[unit.name] = unit.id;
  return out;
}

Result<std::vector<LedgerLine>> judge_take(dossier::Store& store, const Judging& by, const dossier::Take* take, int damaged,
                                           const study::Analysis* analysis, const MaskVerdict& held) {
  auto fitted = by.device.unit.fitted;
  auto unit = by.device.unit.id;
  if (take) {
    if (const auto it = by.units.find(take->unit); it != by.units.end()) unit = it->second;
    // A take keeps the part values it was taken with; later edits of the unit do not change what it was expected to show.
    const bool asked = std::any_of(by.claims.begin(), by.claims.end(), [](const auto& claim) { return claim.expected.has_value(); });
    if (asked) {
      const auto setup = store.take_setup(take->id);
      if (!setup) return tl::unexpected(setup.error());
      fitted = setup->value("fitted", std::map<std::string, double>());
    }
  }
  return judge({by.study.name, by.claims, by.masks, part_values(by.device, fitted), by.typed, unit}, take, damaged, analysis, held);
}

Result<std::vector<LedgerLine>> judge_take(dossier::Store& store, const dossier::Study& study,
                                           const dossier::Take* take, const study::Analysis* analysis) {
  return judge_take(store, study, take, take ? store.damaged_points(take->id) : 0, analysis);
}

Result<std::optional<dossier::Take>> judged_take(dossier::Store& store, const dossier::Study& study) {
  const auto takes = store.takes(study.id);
  if (!takes) return tl::unexpected(takes.error());
  std::optional<dossier::Take> newest;
  for (const auto& take : *takes)
    if (take.judges() && (!newest || take.newer_than(*newest))) newest = take;
  return newest;
}

Result<std::vector<LedgerLine>> ledger(dossier::Store& store) {
  const auto studies = store.studies();
  if (!studies) return tl::unexpected(studies.error());
  std::vector<LedgerLine> out;
  for (const auto& study : *studies) {
    const auto newest = judged_take(store, study);
    if (!newest) return tl::unexpected(newest.error());
    std::optional<study::Analysis> analysis;
    if (*newest) {
      auto read = analyse_take(store, study, **newest);
      if (!read) return tl::unexpected(read.error());
      analysis = std::move(*read);
    }
    auto lines = judge_take(store, study, *newest ? &**newest : nullptr, analysis ? &*analysis : nullptr);
    if (!lines) return lines;
    out.insert(out.end(), lines->begin(), lines->end());
  }
  return out;
}

}  // namespace heron::run
