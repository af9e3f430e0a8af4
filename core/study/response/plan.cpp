#include "study/response/plan.h"

#include <algorithm>
#include <cmath>

namespace heron::study::response {

using nlohmann::json;

bench::Hookup direct_hookup(const std::string& stimulus_pin, const std::string& response_pin) {
  const auto& lead = bench::stock_sensors().front();
  return {.chains = {{.name = "stimulus", .input = {.pin = stimulus_pin, .sensor = lead}},
                     {.name = "response", .input = {.pin = response_pin, .sensor = lead}}}};
}

json to_json(const Plan& p) {
  json out = {{"drive_pin", p.drive_pin},
              {"hookup", bench::to_json(p.hookup)},
              {"stimulus", p.stimulus},
              {"response", p.response},
              {"start", p.start},
              {"stop", p.stop},
              {"spacing", p.logarithmic ? "log" : "linear"},
              {"points_per_decade", p.points_per_decade},
              {"points_total", p.points_total},
              {"by_total", p.by_total},
              {"level_pp", p.level_pp},
              {"level_form", level_form_text(p.level_form)},
              {"offset", p.offset},
              {"source_resistance", p.source_resistance},
              {"settle_time", p.settle_time},
              {"settle_periods", p.settle_periods},
              {"periods", p.periods},
              {"averages", p.averages}};
  return out;
}

Result<Plan> plan_from_json(const json& in) {
  Plan p;
  try {
    p.drive_pin = in.value("drive_pin", p.drive_pin);
    if (in.contains("hookup")) {
      auto hookup = bench::hookup_from_json(in.at("hookup"));
      if (!hookup) return tl::unexpected(hookup.error());
      p.hookup = std::move(*hookup);
      p.stimulus = in.value("stimulus", p.stimulus);
      p.response = in.value("response", p.response);
    } else {
      // Dossiers of before the hookup had its own place name two pins and their ranges.
      p.hookup = direct_hookup(in.value("stimulus_pin", std::string()), in.value("response_pin", std::string()));
      if (in.contains("stimulus_range")) p.hookup.chains[0].input.range = in.at("stimulus_range").get<double>();
      if (in.contains("response_range")) p.hookup.chains[1].input.range = in.at("response_range").get<double>();
    }
    p.start = in.value("start", p.start);
    p.stop = in.value("stop", p.stop);
    p.logarithmic = in.value("spacing", "log") != "linear";
    p.points_per_decade = in.value("points_per_decade", p.points_per_decade);
    p.points_total = in.value("points_total", p.points_total);
    p.by_total = in.value("by_total", p.by_total);
    p.level_pp = in.value("level_pp", p.level_pp);
    const std::string form = in.value("level_form", "pk-pk");
    p.level_form = form == "rms" ? LevelForm::rms : form == "peak" ? LevelForm::peak : LevelForm::peak_to_peak;
    p.offset = in.value("offset", p.offset);
    p.source_resistance = in.value("source_resistance", p.source_resistance);
    p.settle_time = in.value("settle_time", p.settle_time);
    p.settle_periods = in.value("settle_periods", p.settle_periods);
    p.periods = in.value("periods", p.periods);
    p.averages = in.value("averages", p.averages);
  } catch (const json::exception& e) {
    return fail(Fault::input, "The study's set-up cannot be read: {}", e.what());
  }
  if (auto ok = check(p); !ok) return tl::unexpected(ok.error());
  return p;
}

int point_count(const Plan& p) {
  if (!p.logarithmic || p.by_total) return p.points_total;
  return int(std::min(1e9, std::round(p.points_per_decade * std::log10(p.stop / p.start)))) + 1;
}

std::vector<double> frequencies(const Plan& p) {
  const int n = point_count(p);
  std::vector<double> out;
  for (int k = 0; k < n; ++k) {
    const double share = n > 1 ? double(k) / (n - 1) : 0;
    out.push_back(p.logarithmic ? p.start * std::pow(p.stop / p.start, share) : p.start + (p.stop - p.start) * share);
  }
  if (n > 1) out.back() = p.stop;
  return out;
}

Result<void> check(const Plan& p) {
  std::vector<std::string> names;
  for (const auto& chain : p.hookup.chains) {
    if (!formula_name(chain.name))
      return fail(Fault::input, "\"{}\" cannot name a quantity; use letters, digits and _.", chain.name);
    if (std::find(names.begin(), names.end(), chain.name) != names.end())
      return fail(Fault::input, "Two quantities are called {}.", chain.name);
    names.push_back(chain.name);
  }
  for (const auto& computed : p.hookup.computed) names.push_back(computed.name);
  if (!names.empty())
    for (const auto& role : {p.stimulus, p.response})
      if (std::find(names.begin(), names.end(), role) == names.end())
        return fail(Fault::input, "The hookup has no quantity \"{}\".", role);
  for (const double v : {p.start, p.stop, p.points_per_decade, p.level_pp, p.offset, p.source_resistance, p.settle_time,
                         p.settle_periods, p.periods})
    if (!std::isfinite(v)) return fail(Fault::input, "A number of the set-up is not finite.");
  if (!(p.start > 0)) return fail(Fault::input, "A sweep starts above 0 Hz, not at {}.", format_setting(p.start, "Hz"));
  if (!(p.stop > p.start))
    return fail(Fault::input, "The sweep would stop at {}, which is not above its start at {}.",
                format_setting(p.stop, "Hz"), format_setting(p.start, "Hz"));
  if (!(p.points_per_decade > 0)) return fail(Fault::input, "At least one point per decade is needed.");
  const int n = point_count(p);
  if (n < 2 || n > kMostPoints)
    return fail(Fault::input, "The sweep would have {} points; from 2 to {} are possible.", n, kMostPoints);
  if (!(p.level_pp > 0)) return fail(Fault::input, "The level must be above zero.");
  if (!(p.source_resistance > 0)) return fail(Fault::input, "The source resistance must be above zero.");
  if (p.settle_time < 0 || p.settle_time > 3600) return fail(Fault::input, "Settling takes from 0 s to 1 h.");
  if (p.settle_periods < 0 || p.settle_periods > 1e6)
    return fail(Fault::input, "Settling takes from 0 to 1 000 000 periods.");
  if (p.periods < 1 || p.periods > 1000) return fail(Fault::input, "From 1 to 1000 periods can be read at a point.");
  if (p.averages < 1 || p.averages > 1000) return fail(Fault::input, "From 1 to 1000 records can be averaged.");
  return {};
}

Sampling sampling(const Plan& p, double frequency, const bench::Bench& bench) {
  const double rate = bench.nearest_rate(std::max(kFewestSamples * frequency / p.periods, 20 * frequency));
  return {rate, std::max(16, int(std::lround(p.periods / frequency * rate)))};
}

double point_time(const Plan& p, double frequency, const bench::Limits& limits) {
  const bool automatic = std::any_of(p.hookup.chains.begin(), p.hookup.chains.end(),
                                     [](const bench::Chain& chain) { return !chain.input.range; });
  return limits.overhead_per_point + p.settle_time +
         (p.settle_periods + p.averages * (p.periods + (automatic ? 1.05 : 0))) / frequency;
}

double sweep_time(const Plan& p, const bench::Limits& limits) {
  double sum = 0;
  for (const double f : frequencies(p)) sum += point_time(p, f, limits);
  return sum;
}

}  // namespace heron::study::response
