#include "run/kept.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "reading_version.h"
#include "study/kind.h"

namespace heron::run {

using nlohmann::json;

namespace {

// CBOR keeps every number as it is in memory; nothing passes through text.

template <class T>
json maybe(const std::optional<T>& value) {
  return value ? json(*value) : json();
}

template <class T>
std::optional<T> maybe(const json& from) {
  return from.is_null() ? std::nullopt : std::optional<T>(from.get<T>());
}

json packed(const study::Reading& reading) {
  json figures = json::array(), absent = json::array(), doubts = json::array();
  for (const auto& f : reading.figures)
    figures.push_back({f.key, f.label, f.value, f.unit, maybe(f.u), f.at, f.u_between, f.on, f.of_nothing});
  for (const auto& a : reading.absent) absent.push_back({a.key, a.reason, a.label});
  for (const auto& d : reading.doubts)
    doubts.push_back({d.key, int(d.severity), d.text, d.remedy, d.edits, d.binding, int(d.place)});
  return {figures, absent, doubts};
}

study::Reading reading_from(const json& from) {
  study::Reading out;
  for (const auto& f : from.at(0))
    out.figures.push_back({f.at(0), f.at(1), f.at(2), f.at(3), maybe<double>(f.at(4)), f.at(5), f.at(6), f.at(7), f.at(8)});
  for (const auto& a : from.at(1)) out.absent.push_back({a.at(0), a.at(1), a.at(2)});
  for (const auto& d : from.at(2))
    out.doubts.push_back({d.at(0), study::Severity(d.at(1).get<int>()), d.at(2), d.at(3), d.at(4).get<study::Edits>(),
                          d.at(5), study::Place(d.at(6).get<int>())});
  return out;
}

json packed(const study::Columns& small) {
  json columns = json::array();
  for (const auto& c : small.columns) columns.push_back({c.name, c.unit, c.y, c.x, maybe(c.step)});
  return {small.x_name, small.x_unit, small.logarithmic, small.x, columns};
}

study::Columns small_from(const json& from) {
  study::Columns out{.x_name = from.at(0), .x_unit = from.at(1), .logarithmic = from.at(2), .x = from.at(3)};
  for (const auto& c : from.at(4))
    out.columns.push_back({.name = c.at(0),
                           .unit = c.at(1),
                           .y = c.at(2).get<std::vector<double>>(),
                           .u = {},
                           .step = maybe<double>(c.at(4)),
                           .x = c.at(3).get<std::vector<double>>()});
  return out;
}

json packed(const judge::Judgement& j) {
  return {int(j.verdict), maybe(j.value), maybe(j.lower), maybe(j.upper), maybe(j.expected), maybe(j.margin),
          maybe(j.u),     j.unit,         j.reason,       maybe(j.at),    j.at_unit,         j.on};
}

judge::Judgement judgement_from(const json& from) {
  judge::Judgement out;
  out.verdict = judge::Verdict(from.at(0).get<int>());
  int k = 1;
  for (auto* value : {&out.value, &out.lower, &out.upper, &out.expected, &out.margin, &out.u})
    *value = maybe<double>(from.at(std::size_t(k++)));
  out.unit = from.at(7);
  out.reason = from.at(8);
  out.at = maybe<double>(from.at(9));
  out.at_unit = from.at(10);
  out.on = from.at(11);
  return out;
}

/// What a mask is, whatever it is called.
std::string mark_of(const judge::Mask& mask) {
  const auto bytes = json::to_cbor(json{mask.curve, mask.upper, mask.lower, mask.unit, mask.after, mask.along});
  return std::string(bytes.begin(), bytes.end());
}

/// What a reading of a take was made of. Takes are written once: their number, and how far they came, say which.
std::string mark_of(const dossier::Study& study, const dossier::Take& take) {
  return json({{"version", kReadingVersion},
               {"kind", study.kind},
               {"settings", study.settings},
               {"state", dossier::take_state_text(take.state)},
               {"purpose", take.purpose},
               {"points", take.points}})
      .dump(-1, ' ', false, json::error_handler_t::replace);
}

}  // namespace

std::optional<Kept> kept_reading(dossier::Store& store, const dossier::Study& study, const dossier::Take& take) {
  const auto by = judging_of(store, study);
  return by ? kept_reading(store, *by, take) : std::nullopt;
}

std::optional<Kept> kept_reading(dossier::Store& store, const Judging& by, const dossier::Take& take) {
  if (take.state == dossier::TakeState::running) return std::nullopt;
  const auto derived = store.derived(take.id);
  if (!derived || !*derived || (*derived)->mark != mark_of(by.study, take)) return std::nullopt;
  Kept out;
  try {
    const auto from = json::from_cbor((*derived)->data);
    out = {.reading = reading_from(from.at(0)),
           .settings = from.at(1).get<study::SettingsText>(),
           .small = small_from(from.at(2)),
           .damaged = from.at(3).get<int>(),
           .asked = from.at(4).get<std::vector<std::string>>(),
           .masks = {}};
    for (const auto& one : from.at(5)) {
      const auto& mark = one.at(0).get_binary();
      out.masks[std::string(mark.begin(), mark.end())] = judgement_from(one.at(1));
    }
  } catch (const json::exception&) {
    return std::nullopt;
  }
  const auto* kind = study::find_kind(by.study.kind);
  if (!kind) return std::nullopt;
  const auto asked = judge::asked_figures(*kind, by.claims, by.masks);
  const bool answered = std::all_of(asked.begin(), asked.end(), [&](const std::string& figure) {
    return std::find(out.asked.begin(), out.asked.end(), figure) != out.asked.end();
  });
  const bool held = std::all_of(by.masks.begin(), by.masks.end(),
                                [&](const judge::Mask& mask) { return out.masks.contains(mark_of(mask)); });
  if (!answered || !held) return std::nullopt;
  return out;
}

void keep_reading(dossier::Store& store, const dossier::Study& study, const dossier::Take& take, const ReadTake& read) {
  if (store.read_only() || take.state == dossier::TakeState::running) return;
  const auto masks = store.masks(study.id);
  if (!masks) return;
  json judged = json::array();
  for (const auto& mask : *masks) {
    const auto mark = mark_of(mask);
    judged.push_back({json::binary({mark.begin(), mark.end()}), packed(judge::judge(mask, read.analysis))});
  }
  const json all = {packed(read.analysis.reading), read.analysis.settings, packed(read.reduced->small()),
                    read.damaged,                  read.asked,             judged};
  // A text that is no UTF-8 cannot be kept that way, and a dossier that is being written to by another not now.
  try {
    (void)store.keep_derived(take.id, {.mark = mark_of(study, take), .data = json::to_cbor(all)});
  } catch (const json::exception&) {
  }
}

Result<ReadTake> read_and_keep(dossier::Store& store, const dossier::Study& study, const dossier::Take& take,
                               const ReadTake* before) {
  auto read = read_take(store, study, take, before);
  if (read) keep_reading(store, study, take, *read);
  return read;
}

Result<std::vector<LedgerLine>> judge_kept(dossier::Store& store, const dossier::Study& study,
                                           const dossier::Take& take, const Kept& kept) {
  const auto by = judging_of(store, study);
  return by ? judge_kept(store, *by, take, kept) : tl::unexpected(by.error());
}

Result<std::vector<LedgerLine>> judge_kept(dossier::Store& store, const Judging& by, const dossier::Take& take, const Kept& kept) {
  study::Analysis analysis;
  analysis.reading = kept.reading;
  return judge_take(store, by, &take, kept.damaged, &analysis, [&](const judge::Mask& mask) {
    const auto it = kept.masks.find(mark_of(mask));
    return it == kept.masks.end() ? judge::Judgement{} : it->second;
  });
}

}  // namespace heron::run
