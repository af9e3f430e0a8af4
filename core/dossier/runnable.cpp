#include "dossier/runnable.h"

#include <cmath>

#include "base/formula.h"
#include "study/iv/preflight.h"
#include "study/iv/runner.h"
#include "study/response/kind.h"
#include "study/response/preflight.h"

namespace heron::dossier {
namespace {

/// Part values that a formula can name.
std::vector<std::pair<std::string, double>> formula_values(Store& store, const Unit& unit, long long assembly) {
  std::vector<std::pair<std::string, double>> out;
  for (const auto& [name, value] : part_values(store, unit.fitted, assembly))
    if (formula_name(name)) out.push_back({name, value});
  return out;
}

Result<Runnable> prepare_response(Store& store, const Study& study, bench::Bench& bench, std::uint64_t seed,
                                  const RunOptions& options, std::vector<std::pair<int, double>> only) {
  namespace response = study::response;
  const auto plan = response::plan_from_json(study.plan);
  if (!plan) return tl::unexpected(plan.error());
  const auto settings = response::settings_from_text(study.settings);
  if (!settings) return tl::unexpected(settings.error());
  const auto claims = store.claims(study.id);
  if (!claims) return tl::unexpected(claims.error());
  const auto unit = store.current_unit(study.assembly);
  if (!unit) return tl::unexpected(unit.error());
  std::vector<std::string> asked;
  for (const auto& claim : *claims) asked.push_back(claim.figure);
  const auto levels = predict_levels(store, *plan, study.assembly);
  Runnable out{.plan = response::to_json(*plan),
               .planned = response::point_count(*plan),
               .findings = response::preflight(*plan, bench.limits(), device_ratings(store, study.assembly),
                                               levels ? &*levels : nullptr),
               .run = {}};
  out.run = [&bench, plan = *plan,
             context = response::Context{.parts = formula_values(store, *unit, study.assembly),
                                         .levels = levels.value_or(bench::Levels{}),
                                         .purpose = options.purpose,
                                         .seed = seed,
                                         .settings = *settings,
                                         .figures = asked,
                                         .only = std::move(only)}](const auto& keep, const auto& progress,
                                                                   std::stop_token stop) {
    return response::run(plan, bench, keep, progress, stop, context);
  };
  return out;
}

/// Relative standard uncertainties of parts: of a tolerance, as if anything within it were as likely.
std::map<std::string, double> part_uncertainties(Store& store, const Unit& unit, long long assembly) {
  std::map<std::string, double> out;
  if (const auto device = store.device(assembly); device && !device->circuit.empty())
    if (const auto circuit = sim::read_circuit(device->circuit, device->about))
      for (const auto& [name, value] : sim::main_values(*circuit)) out[name] = value.tolerance / std::sqrt(3.0);
  for (const auto& [name, value] : unit.fitted) {
    const auto tolerance = unit.fitted_tolerance.find(name);
    out[name] = tolerance == unit.fitted_tolerance.end() ? 0 : tolerance->second / std::sqrt(3.0);
  }
  std::erase_if(out, [](const auto& one) { return !(one.second > 0) || !formula_name(one.first); });
  return out;
}

Result<Runnable> prepare_iv(Store& store, const Study& study, bench::Bench& bench) {
  const auto plan = study::iv::plan_from_json(study.plan);
  if (!plan) return tl::unexpected(plan.error());
  const auto unit = store.current_unit(study.assembly);
  if (!unit) return tl::unexpected(unit.error());
  const auto ratings = device_ratings(store, study.assembly);
  Runnable out{.plan = study::iv::to_json(*plan),
               .planned = study::iv::planned_points(*plan, bench.limits()),
               .findings = study::iv::preflight(*plan, bench.limits(), ratings),
               .run = {}};
  out.run = [&bench, plan = *plan,
             context = study::iv::Context{.ratings = ratings,
                                          .parts = formula_values(store, *unit, study.assembly),
                                          .parts_u = part_uncertainties(store, *unit, study.assembly)}](
                const auto& keep, const auto& progress, std::stop_token stop) {
    return study::iv::run(plan, bench, keep, progress, stop, context);
  };
  return out;
}

}  // namespace

Result<Runnable> prepare(Store& store, const Study& study, bench::Bench& bench, std::uint64_t seed,
                         const RunOptions& options, std::vector<std::pair<int, double>> only) {
  if (study.kind == "response") return prepare_response(store, study, bench, seed, options, std::move(only));
  if (study.kind == "iv") return prepare_iv(store, study, bench);
  return fail(Fault::usage, "Studies of kind \"{}\" cannot be run yet.", study.kind);
}

}  // namespace heron::dossier
