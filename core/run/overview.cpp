#include "run/overview.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>
#include <set>

#include "base/quantity.h"
#include "run/kept.h"

namespace heron::run {
namespace {

std::string counted(int n, const char* noun) { return fmt::format("{} {}{}", n, noun, n == 1 ? "" : "s"); }

}  // namespace

bool unit_before(const std::string& a, const std::string& b) { return strverscmp(a.c_str(), b.c_str()) < 0; }

std::map<std::string, dossier::Take> newest_of(const std::vector<dossier::Take>& takes) {
  std::map<std::string, dossier::Take> out;
  for (const auto& take : takes)
    if (take.judges())
      if (const auto there = out.find(take.unit); there == out.end() || take.newer_than(there->second))
        out.insert_or_assign(take.unit, take);
  return out;
}

Result<std::vector<std::string>> columns_of_units(dossier::Store& store) {
  const auto units = store.units();
  const auto studies = store.studies();
  if (!units) return tl::unexpected(units.error());
  if (!studies) return tl::unexpected(studies.error());
  std::vector<std::string> out;
  for (const auto& unit : *units) out.push_back(unit.name);
  std::sort(out.begin(), out.end(), unit_before);
  std::set<std::string> others;
  for (const auto& study : *studies) {
    const auto takes = store.takes(study.id);
    if (!takes) return tl::unexpected(takes.error());
    for (const auto& take : *takes)
      if (take.judges() && std::find(out.begin(), out.end(), take.unit) == out.end()) others.insert(take.unit);
  }
  out.insert(out.end(), others.begin(), others.end());
  return out;
}

namespace {

/// The takes of a study that have a column, by its number.
std::vector<std::pair<std::size_t, dossier::Take>> placed_takes(std::vector<dossier::Take> takes, const OverviewOptions& options, const std::vector<std::string>& units) {
  std::vector<std::pair<std::size_t, dossier::Take>> out;
  std::erase_if(takes, [&](const auto& take) {
    return !take.judges() || (!options.before.empty() && take.started >= options.before) || (!options.unit.empty() && take.unit != options.unit);
  });
  if (options.across_takes) {
    std::sort(takes.begin(), takes.end(), [](const auto& a, const auto& b) { return a.newer_than(b); });
    for (std::size_t k = 0; k < std::min(takes.size(), kMostTakesAcross); ++k) out.emplace_back(k, std::move(takes[k]));
    return out;
  }
  for (auto& [unit, take] : newest_of(takes))
    if (const auto at = std::find(units.begin(), units.end(), unit); at != units.end()) out.emplace_back(std::size_t(at - units.begin()), take);
  return out;
}

}  // namespace

Result<Overview> overview(dossier::Store& store, const OverviewOptions& options) {
  auto units = columns_of_units(store);
  if (!units) return tl::unexpected(units.error());
  const auto studies = store.studies();
  if (!studies) return tl::unexpected(studies.error());
  const auto assemblies = store.assemblies();
  if (!assemblies) return tl::unexpected(assemblies.error());
  Overview out;
  std::set<std::string> days;
  if (!options.unit.empty()) std::erase_if(*units, [&](const auto& unit) { return unit != options.unit; });
  if (!options.across_takes) out.units = *units;
  for (const auto& study : *studies) {
    const auto by = judging_of(store, study);
    const auto takes = store.takes(study.id);
    if (!by) return tl::unexpected(by.error());
    if (!takes) return tl::unexpected(takes.error());
    if (by->claims.empty() && by->masks.empty()) continue;
    for (const auto& take : *takes)
      if (take.judges()) days.insert(take.started.substr(0, take.started.find('T')));
    const auto placed = placed_takes(*takes, options, out.units);
    for (std::size_t k = out.units.size(); options.across_takes && k < placed.size(); ++k)
      out.units.push_back(k == 0 ? "newest" : k == 1 ? "the one before" : fmt::format("{} before", k));
    std::vector<OverviewRow> rows;
    const auto add = [&](const std::string& text, const std::string& figure) {
      OverviewRow row{.study = study.id, .study_name = study.name, .kind = study.kind, .text = text, .figure = figure};
      for (const auto& [id, name] : *assemblies)
        if (id == study.assembly) row.assembly = name;
      row.cells.resize(out.units.size());
      rows.push_back(std::move(row));
    };
    for (const auto& claim : by->claims) add(claim.text, claim.figure);
    for (const auto& mask : by->masks) add(mask.text, {});
    for (const auto& [column, take] : placed) {
      auto kept = kept_reading(store, *by, take);
      if (!kept && options.read) {
        if (const auto anew = read_and_keep(store, study, take); !anew) continue;
        kept = kept_reading(store, *by, take);
      }
      if (!kept) {
        ++out.unread;
        continue;
      }
      const auto lines = judge_kept(store, *by, take, *kept);
      if (!lines) return tl::unexpected(lines.error());
      std::vector<std::string> doubts;
      for (const auto& d : kept->reading.doubts)
        if (d.severity != study::Severity::note) doubts.push_back(d.text);
      for (std::size_t k = 0; k < std::min(rows.size(), lines->size()); ++k)
        rows[k].cells[column] = OverviewCell{.unit = take.unit, .take = take.id, .number = take.number, .started = take.started, .judgement = (*lines)[k].judgement, .doubts = doubts};
    }
    out.rows.insert(out.rows.end(), std::make_move_iterator(rows.begin()), std::make_move_iterator(rows.end()));
  }
  // A study with fewer takes has empty cells.
  for (auto& row : out.rows) row.cells.resize(out.units.size());
  out.days.assign(days.begin(), days.end());
  return out;
}

void hold_against(Overview& now, const Overview& earlier) {
  for (auto& row : now.rows) {
    const auto was = std::find_if(earlier.rows.begin(), earlier.rows.end(), [&](const auto& one) { return one.study == row.study && one.text == row.text && one.figure == row.figure; });
    for (std::size_t u = 0; u < row.cells.size(); ++u) {
      auto& cell = row.cells[u];
      if (!cell) continue;
      cell->other.reset();
      if (was == earlier.rows.end()) continue;
      const auto it = std::find(earlier.units.begin(), earlier.units.end(), now.units[u]);
      if (it == earlier.units.end()) continue;
      // The same take is no other state of things.
      const auto& then = was->cells[std::size_t(it - earlier.units.begin())];
      if (then && then->take != cell->take) cell->other = OverviewCell::Other{then->judgement, fmt::format("take {}, {}", then->number, then->started.substr(0, then->started.find('T')))};
    }
  }
}

void hold_against(Overview& now, std::size_t unit) {
  for (auto& row : now.rows)
    for (std::size_t u = 0; u < row.cells.size(); ++u) {
      auto& cell = row.cells[u];
      if (!cell) continue;
      cell->other.reset();
      if (u != unit && unit < row.cells.size() && row.cells[unit]) cell->other = OverviewCell::Other{row.cells[unit]->judgement, now.units[unit]};
    }
}

void keep_unit(Overview& all, const std::string& unit) {
  const auto at = std::size_t(std::find(all.units.begin(), all.units.end(), unit) - all.units.begin());
  const bool there = at < all.units.size();
  for (auto& row : all.rows) row.cells = there ? std::vector{row.cells[at]} : std::vector<std::optional<OverviewCell>>{};
  all.units = there ? std::vector{unit} : std::vector<std::string>{};
}

bool changed(const OverviewRow& row) {
  return std::any_of(row.cells.begin(), row.cells.end(), [](const auto& cell) { return cell && cell->changed(); });
}

Tally tally(const Overview& overview) {
  Tally out;
  for (const auto& row : overview.rows)
    for (const auto& cell : row.cells) {
      if (!cell) continue;
      switch (cell->judgement.verdict) {
        case judge::Verdict::meets: ++out.meets; break;
        case judge::Verdict::fails: ++out.fails; break;
        case judge::Verdict::too_close: ++out.too_close; break;
        case judge::Verdict::not_measured: ++out.not_measured; break;
      }
    }
  return out;
}

std::optional<double> urgency(const judge::Judgement& j) {
  if (!j.margin) return std::nullopt;
  const double expanded = 2 * j.u.value_or(0);
  if (expanded > 0) return *j.margin / expanded;
  return *j.margin < 0 ? -INFINITY : INFINITY;
}

std::string sentence(const Overview& overview) {
  if (overview.rows.empty()) return "Nothing is claimed yet.";
  const auto t = tally(overview);
  std::set<std::string> taken;
  const OverviewRow* worst = nullptr;
  std::size_t worst_unit = 0;
  double least = INFINITY;
  for (const auto& row : overview.rows)
    for (std::size_t u = 0; u < row.cells.size(); ++u) {
      if (!row.cells[u]) continue;
      taken.insert(row.cells[u]->unit.empty() ? overview.units[u] : row.cells[u]->unit);
      const auto urgent = urgency(row.cells[u]->judgement);
      if (urgent && (!worst || *urgent < least)) {
        least = *urgent;
        worst = &row;
        worst_unit = u;
      }
    }
  std::string out = fmt::format("{} on {}: {} {}", counted(int(overview.rows.size()), "claim"), counted(int(taken.size()), "unit"), t.meets, t.meets == 1 ? "meets" : "meet");
  if (t.fails) out += fmt::format(", {} {}", t.fails, t.fails == 1 ? "fails" : "fail");
  if (t.too_close) out += fmt::format(", {} too close", t.too_close);
  if (t.not_measured) out += fmt::format(", {} not measured", t.not_measured);
  out += ".";
  if (worst && least < 1) out += fmt::format(" The worst: {}, {}, {}.", worst->study_name, worst->text, worst->cells[worst_unit]->unit.empty() ? overview.units[worst_unit] : worst->cells[worst_unit]->unit);
  return out;
}

std::optional<judge::Statistics> statistics_of(const OverviewRow& row) {
  std::vector<double> values;
  std::optional<double> lower, upper;
  for (const auto& cell : row.cells) {
    if (!cell || !cell->judgement.value || !std::isfinite(*cell->judgement.value)) continue;
    values.push_back(*cell->judgement.value);
    lower = cell->judgement.lower;
    upper = cell->judgement.upper;
  }
  if (values.empty()) return std::nullopt;
  return judge::statistics(values, lower, upper);
}

}  // namespace heron::run
