#include "study/response/plan.h"

#include <algorithm>
#include <cmath>

#include "signal/spectra.h"
#include "study/response/words.h"

namespace heron::study::response {

using nlohmann::json;

bench::Hookup direct_hookup(const std::string& stimulus_pin, const std::string& response_pin) {
  const auto& lead = bench::stock_sensors().front();
  return {.chains = {{.name = "stimulus", .input = {.pin = stimulus_pin, .sensor = lead}},
                     {.name = "response", .input = {.pin = response_pin, .sensor = lead}}}};
}

json to_json(const Plan& p) { return words().to_json(p); }

Result<Plan> plan_from_json(const json& in) {
  Plan p;
  if (in.is_object() && !in.contains("hookup")) {
    // Dossiers of before the hookup had its own place name two pins and their ranges.
    const auto text = [&](const char* key) {
      const auto it = in.find(key);
      return it != in.end() && it->is_string() ? it->get<std::string>() : std::string();
    };
    p.hookup = direct_hookup(text("stimulus_pin"), text("response_pin"));
    for (const auto& [key, chain] : {std::pair{"stimulus_range", 0}, {"response_range", 1}})
      if (const auto it = in.find(key); it != in.end() && it->is_number())
        p.hookup.chains[std::size_t(chain)].input.range = it->get<double>();
  }
  if (auto ok = words().from_json(in, p); !ok) return tl::unexpected(ok.error());
  if (auto ok = check(p); !ok) return tl::unexpected(ok.error());
  return p;
}

int point_count(const Plan& p) {
  if (!p.stepped()) return noise_timing(p, kUsualRate).records;
  if (p.spacing == Spacing::listed) return int(p.listed.size());
  if (!p.logarithmic() || p.by_total) return p.points_total;
  return int(std::min(1e9, std::round(p.points_per_decade * std::log10(p.stop / p.start)))) + 1;
}

std::vector<double> frequencies(const Plan& p) {
  if (p.stepped() && p.spacing == Spacing::listed) return p.listed;
  const int n = p.stepped() ? point_count(p) : 0;
  std::vector<double> out;
  for (int k = 0; k < n; ++k) {
    const double share = n > 1 ? double(k) / (n - 1) : 0;
    out.push_back(p.logarithmic() ? p.start * std::pow(p.stop / p.start, share) : p.start + (p.stop - p.start) * share);
  }
  if (n > 1) out.back() = p.stop;
  return out;
}

double level_at(const Plan& p, double frequency) {
  if (p.level_shape != LevelShape::shaped || p.level_table.empty()) return p.level_pp;
  const auto& t = p.level_table;
  if (frequency <= t.front().first) return t.front().second;
  for (std::size_t i = 1; i < t.size(); ++i)
    if (frequency <= t[i].first) {
      const double share = std::log(frequency / t[i - 1].first) / std::log(t[i].first / t[i - 1].first);
      return t[i - 1].second * std::pow(t[i].second / t[i - 1].second, share);
    }
  return t.back().second;
}

double highest_peak(const Plan& p) {
  if (!p.stepped()) return kCrest * p.noise_rms;
  if (p.level_shape == LevelShape::automatic) return std::max(p.level_pp, p.level_most_pp) / 2;
  if (p.level_shape == LevelShape::flat) return p.level_pp / 2;
  double most = 0;
  for (const auto& [f, pp] : p.level_table) most = std::max(most, pp / 2);
  return most;
}

namespace {

Result<void> check_noise(const Plan& p) {
  for (const double v : {p.noise_rms, p.resolution, p.overlap, p.aim, p.level_most_pp, p.agree, p.u_asked_db})
    if (!std::isfinite(v)) return fail(Fault::input, "A number of the set-up is not finite.");
  if (!(p.noise_rms > 0)) return fail(Fault::input, "The level of the noise must be above zero.");
  if (!(p.resolution > 0)) return fail(Fault::input, "The resolution must be above zero.");
  if (p.noise_averages < 2 || p.noise_averages > 10'000)
    return fail(Fault::input, "From 2 to 10 000 segments can be averaged; one alone has no coherence.");
  if (const auto w = signal::window_from_text(p.window); !w) return fail(Fault::input, "{}", w.error().message);
  if (auto ok = signal::check({.overlap = p.overlap}); !ok) return fail(Fault::input, "{}", ok.error().message);
  if (p.stepped()) return {};
  if (!(p.resolution <= (p.stop - p.start) / 4))
    return fail(Fault::input, "The band from {} to {} would have fewer than 4 lines; ask for a finer resolution.",
                format_setting(p.start, "Hz"), format_setting(p.stop, "Hz"));
  if (p.stop / p.resolution > 1e6)
    return fail(Fault::input, "More than 1 000 000 lines cannot be read; ask for a coarser resolution.");
  return {};
}

}  // namespace

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
  if (auto ok = check_noise(p); !ok) return ok;
  if (p.stepped() && p.spacing == Spacing::listed)
    for (std::size_t i = 0; i < p.listed.size(); ++i)
      if (!(p.listed[i] > 0) || (i > 0 && !(p.listed[i] > p.listed[i - 1])))
        return fail(Fault::input, "The listed frequencies must rise and lie above zero; {} does not.",
                    format_setting(p.listed[i], "Hz"));
  for (std::size_t i = 0; i < p.level_table.size(); ++i)
    if (!(p.level_table[i].first > 0) || !(p.level_table[i].second > 0) ||
        (i > 0 && !(p.level_table[i].first > p.level_table[i - 1].first)))
      return fail(Fault::input, "The level's frequencies must rise, and the levels lie above zero.");
  if (p.level_shape == LevelShape::shaped && p.level_table.empty())
    return fail(Fault::input, "A shaped level needs at least one frequency with its level.");
  if (!(p.aim > 0) || !(p.level_most_pp > 0))
    return fail(Fault::input, "The aim and the highest level lie above zero.");
  if (!(p.agree >= 0 && p.agree < 0.5)) return fail(Fault::input, "Readings can be asked to agree within up to 50 %.");
  if (!(p.u_asked_db >= 0 && p.u_asked_db <= 3)) return fail(Fault::input, "From 0 to 3 dB can be asked.");
  if (p.refine_points < 1 || p.refine_points > 500) return fail(Fault::input, "From 1 to 500 points can be added.");
  if (p.level_checks < 0 || p.level_checks > 50) return fail(Fault::input, "From 0 to 50 points can be read twice.");
  const int n = point_count(p);
  if (p.stepped() && (n < 2 || n > kMostPoints))
    return fail(Fault::input, "The sweep would have {} points; from 2 to {} are possible.", n, kMostPoints);
  if (!(p.level_pp > 0)) return fail(Fault::input, "The level must be above zero.");
  if (!(p.source_resistance > 0)) return fail(Fault::input, "The source resistance must be above zero.");
  if (p.compliance && !p.stepped())
    return fail(Fault::input, "A source-measure channel forces sines; noise comes out of the generator.");
  if (p.compliance && !(*p.compliance > 0)) return fail(Fault::input, "The compliance must be above zero.");
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
                                     [](const bench::Chain& chain) { return chain.input.looks_for_range(); });
  return limits.overhead_per_point + p.settle_time +
         (p.settle_periods + p.averages * (p.periods + (automatic ? 1.05 : 0))) / frequency;
}

double sweep_time(const Plan& p, const bench::Limits& limits) {
  if (!p.stepped()) {
    const auto timing = noise_timing(p, limits.highest_sample_rate > 0 ? limits.highest_sample_rate : kUsualRate);
    return limits.overhead_per_point + p.settle_time +
           timing.records * (double(timing.samples) / timing.rate + limits.overhead_per_point);
  }
  double sum = 0;
  for (const double f : frequencies(p)) sum += point_time(p, f, limits);
  return sum;
}

}  // namespace heron::study::response
