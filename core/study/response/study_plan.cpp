#include "study/response/study_plan.h"

#include <algorithm>

#include "base/words.h"
#include "study/hookup_words.h"
#include "study/response/brief.h"
#include "study/response/cursors.h"
#include "study/response/expected.h"
#include "study/response/kind.h"
#include "study/response/preflight.h"
#include "study/response/runner.h"

namespace heron::study::response {

nlohmann::json PlannedResponse::to_json() const { return response::to_json(plan_); }

std::vector<BriefPiece> PlannedResponse::brief() const {
  auto out = response::brief(plan_);
  int heading = 0;
  for (auto& piece : out) {
    heading += piece.heading;
    piece.drives = heading == 1;
  }
  return out;
}

Result<PlanPtr> PlannedResponse::with(std::string_view key, std::string_view text, const Surroundings& around) const {
  auto changed = apply(plan_, key, own_sensor(key, text, around.own_sensors), around.pins);
  if (!changed) return tl::unexpected(changed.error());
  return std::make_shared<const PlannedResponse>(std::move(*changed));
}

BriefHint PlannedResponse::hint(std::string_view key, const Surroundings& around) const {
  return offer_own_sensors(response::hint(plan_, key, around.limits, around.pins), key, around.own_sensors);
}

std::vector<Lead> PlannedResponse::leads() const {
  return {{.pin = plan_.drive_pin,
           .name = plan_.compliance ? "source-measure channel" : "generator",
           .along = true}};
}

int PlannedResponse::points(const bench::Limits&) const { return point_count(plan_); }

double PlannedResponse::seconds(const bench::Limits& limits) const { return sweep_time(plan_, limits); }

std::string PlannedResponse::time_sentence(const bench::Limits& limits) const {
  return response::time_sentence(plan_, limits);
}

std::optional<bench::Levels> PlannedResponse::predict(const Surroundings& around) const {
  if (!around.circuit) return std::nullopt;
  auto levels = predict_levels(plan_, *around.circuit);
  return levels ? std::optional(std::move(*levels)) : std::nullopt;
}

std::vector<Doubt> PlannedResponse::preflight(const Surroundings& around, const bench::Levels* levels) const {
  return response::preflight(plan_, around.limits, around.ratings, levels);
}

Result<ExpectedPtr> PlannedResponse::expected(const Surroundings& around, std::stop_token stop) const {
  const auto settings = settings_from_text(around.settings);
  if (!settings) return tl::unexpected(settings.error());
  if (!around.circuit || settings->expectation == Expectation::none) return ExpectedPtr();
  auto curve = expected_curve(plan_, around, *settings, settings->expected_formula, stop);
  // A circuit that cannot say is no slip of anybody's; a formula that makes no sense is.
  if (!curve && settings->expectation == Expectation::circuit) return ExpectedPtr();
  if (!curve) return tl::unexpected(curve.error());
  return std::make_shared<const ExpectedCurve>(std::move(*curve));
}

Result<void> PlannedResponse::run(bench::Bench& bench, const RunContext& context) const {
  const auto settings = settings_from_text(context.around.settings);
  if (!settings) return tl::unexpected(settings.error());
  std::vector<std::pair<int, double>> only;
  for (const auto& point : context.again) only.emplace_back(point.index, point.setting.json().value("frequency", 0.0));
  return response::run(plan_, bench, context.keep, context.progress, context.stop,
                       {.parts = context.around.formula_values(),
                        .levels = predict(context.around).value_or(bench::Levels{}),
                        .purpose = context.purpose,
                        .seed = context.seed,
                        .settings = *settings,
                        .figures = context.around.asked,
                        .only = std::move(only)});
}

std::string PlannedResponse::only_whole() const {
  return plan_.stepped() ? "" : "Noise is read at all frequencies at once; take it again as a whole.";
}

Remedy PlannedResponse::remedy(const Doubt& doubt) const {
  const auto edit = [](const char* word, std::string text) { return Remedy{.edits = {{word, std::move(text)}}}; };
  switch (doubt.mend) {
    case Mend::add_points: return edit("refine", "on");
    case Mend::drive_less:
      if (plan_.stepped()) return edit("level", format_setting(plan_.level_pp / 4, "V") + " pk-pk");
      break;
    case Mend::drive_harder:
      if (!plan_.stepped()) return edit("noise_level", format_setting(2 * plan_.noise_rms, "V") + " rms");
      break;
    case Mend::average:
      return plan_.stepped() ? edit("averages", fmt::format("{} records", std::min(1000, plan_.averages * 4)))
                             : edit("noise_averages", fmt::format("{} segments", std::min(10'000, plan_.noise_averages * 4)));
    case Mend::settle: return edit("settle_time", format_setting(std::max(10e-3, plan_.settle_time * 4), "s"));
    case Mend::add_periods: return edit("periods", "8 periods");
    case Mend::free_range:
      for (const auto& role : {plan_.response, plan_.stimulus})
        if (const auto* chain = plan_.hookup.find(role); chain && chain->input.range)
          return {.edits = {{"hookup." + role + ".range", "automatic"}}};
      break;
    default: break;
  }
  return {};
}

std::vector<StandIn> PlannedResponse::stand_ins() const {
  if (plan_.quantity != Quantity::impedance) return {};
  return {{"open", "Take with the fixture open"}, {"short", "Take with the fixture shorted"},
          {"load", "Take with a known resistor in the fixture"}};
}

Result<PlanPtr> planned(const nlohmann::json& kept) {
  auto plan = plan_from_json(kept);
  if (!plan) return tl::unexpected(plan.error());
  return std::make_shared<const PlannedResponse>(std::move(*plan));
}

Result<PlanPtr> first_plan(const Surroundings& around) {
  response::Plan plan;
  const auto& pins = around.terminals;
  if (pins.empty()) return std::make_shared<const PlannedResponse>(plan);
  // Pins that call themselves in and out, where there are such; else the first and the last.
  const auto called = [&](std::string_view wanted) -> std::optional<std::string> {
    std::optional<std::string> found;
    for (const auto& pin : pins)
      for (const auto& word : pieces(pin, ' '))
        if (lower(word) == wanted) found = pin;
    return found;
  };
  plan.drive_pin = called("in").value_or(pins.front());
  plan.hookup = direct_hookup(plan.drive_pin, called("out").value_or(pins.back()));
  // Well inside the first pin's rating, so that a device not yet known is not hurt by the first take.
  if (const auto rating = around.ratings.find(plan.drive_pin); rating != around.ratings.end())
    if (const auto limit = rating->second.voltage_towards(1)) plan.level_pp = std::min(plan.level_pp, *limit / 10);
  return std::make_shared<const PlannedResponse>(std::move(plan));
}

}  // namespace heron::study::response
