#include "study/response/runner.h"

#include "base/conversions.h"

#include <algorithm>
#include <cmath>
#include <string>

#include "study/quantities.h"
#include "study/response/refine.h"
#include "study/response/words.h"

namespace heron::study::response {
namespace {

constexpr int kLevelTries = 3;
constexpr int kAgreeTries = 20;

/// One run: the bench, what was asked, and what has been read so far.
class Run {
 public:
  Run(const Plan& plan, bench::Bench& bench, const std::function<Result<void>(const Point&)>& commit,
      const std::function<void(const Progress&)>& progress, std::stop_token stop, const Context& context)
      : plan_(plan),
        bench_(bench),
        commit_(commit),
        progress_(progress),
        stop_(stop),
        context_(context),
        limits_(bench.limits().of(plan.hookup.digitiser)) {}

  Result<void> stepped();
  Result<void> noise();

 private:
  struct Step {
    int index = 0;
    double frequency = 0;
    std::optional<double> level_pp = {};      ///< instead of the plan's
    bool check = false;                       ///< asks whether the level matters
    std::optional<std::size_t> planned = {};  ///< its place in the plan, for what is expected there
  };

  Result<void> connect();
  Result<void> take(const Step& step);
  Result<Point> measure(const Step& step, double level_pp);
  Result<void> read_passes(Point& point, double frequency);
  nlohmann::json setting(const bench::AppliedDrive& applied, const Step& step) const;
  void describe(nlohmann::json& setting) const;
  double automatic_level(double frequency) const;
  std::optional<double> better_level(const CurvePoint& read, double level_pp) const;
  void tell() const {
    if (progress_) progress_({done_, total_, std::max(0.0, left_)});
  }
  Error stopped() const {
    return {Fault::stopped, fmt::format("Stopped after {} of {} points; what was read is kept.", done_, total_)};
  }

  const Plan& plan_;
  bench::Bench& bench_;
  const std::function<Result<void>(const Point&)>& commit_;
  const std::function<void(const Progress&)>& progress_;
  std::stop_token stop_;
  const Context& context_;
  bench::Limits limits_;
  std::vector<CurvePoint> read_;  ///< in the order read, level checks left out
  int done_ = 0, total_ = 0;
  double left_ = 0;
};

/// What every point keeps of the hookup, so that it explains itself.
void Run::describe(nlohmann::json& out) const {
  out["roles"] = {{"stimulus", plan_.stimulus}, {"response", plan_.response}};
  if (plan_.quantity == Quantity::impedance) out["quantity"] = "impedance";
  if (!context_.purpose.empty()) out["purpose"] = context_.purpose;
  describe_hookup(out, plan_.hookup, context_.parts);
}

nlohmann::json Run::setting(const bench::AppliedDrive& applied, const Step& step) const {
  nlohmann::json out = {
      {"frequency", applied.frequency}, {"level_pp", applied.peak_to_peak}, {"offset", applied.offset}};
  describe(out);
  if (step.check) out["check"] = "level";
  // The circuit was asked at the highest level of the plan.
  const double share = applied.peak_to_peak / (2 * highest_peak(plan_));
  if (step.planned && context_.purpose.empty())
    for (const auto& [name, level] : context_.levels.quantities)
      if (*step.planned < level.peaks.size()) out["expected"][name] = level.peaks[*step.planned] * share;
  const auto burden = [&](const std::string& quantity) -> std::optional<std::complex<double>> {
    const auto it = context_.levels.quantities.find(quantity);
    if (!step.planned || it == context_.levels.quantities.end() || *step.planned >= it->second.unburdened.size())
      return std::nullopt;
    return it->second.unburdened[*step.planned];
  };
  const auto stimulus = burden(plan_.stimulus), response = burden(plan_.response);
  if (stimulus && response && context_.purpose.empty()) {
    const auto by = *response / *stimulus;
    out["loading"] = {{"gain_db", 20 * std::log10(std::abs(by))}, {"phase_deg", std::arg(by) * kDegrees}};
  }
  return out;
}

Result<void> Run::connect() {
  std::vector<bench::InputSetup> inputs;
  for (const auto& chain : plan_.hookup.chains) inputs.push_back(chain.input);
  return bench_.connect(inputs, plan_.hookup.digitiser);
}

/// The level that should bring the response to its aim: the last answers carried on along their slope.
double Run::automatic_level(double frequency) const {
  if (read_.empty()) return plan_.level_pp;
  const auto& last = read_.back();
  double gain_db = last.of(Side::response).peak > 0 && last.level_pp > 0
                       ? 20 * std::log10(last.of(Side::response).peak / (last.level_pp / 2))
                       : last.gain_db;
  if (read_.size() > 1) {
    const auto& before = read_[read_.size() - 2];
    const double decades = std::log10(last.frequency / before.frequency);
    // A slope of more than 60 dB a decade is more likely a glitch; carried on, it would overdrive.
    if (std::abs(decades) > 1e-6)
      gain_db +=
          std::clamp((last.gain_db - before.gain_db) / decades, -60.0, 60.0) * std::log10(frequency / last.frequency);
  }
  return std::clamp(2 * plan_.aim / std::pow(10, gain_db / 20), limits_.lowest_level_pp, plan_.level_most_pp);
}

/// A level to read again with, where the answer came far from its aim or hit the range's end.
std::optional<double> Run::better_level(const CurvePoint& read, double level_pp) const {
  const double ratio = read.of(Side::response).clipped ? 10 : read.of(Side::response).peak / plan_.aim;
  if (ratio < 3 && ratio > 1.0 / 3) return std::nullopt;
  const double next = std::clamp(level_pp / ratio, limits_.lowest_level_pp, plan_.level_most_pp);
  if (std::abs(next / level_pp - 1) < 0.05) return std::nullopt;
  return next;
}

Result<void> Run::read_passes(Point& point, double frequency) {
  std::vector<std::string> names;
  for (const auto& chain : plan_.hookup.chains) names.push_back(chain.name);
  const auto how = sampling(plan_, frequency, bench_);
  const auto add = [&](int pass) -> Result<void> {
    auto capture = bench_.capture(how.rate, how.samples, stop_);
    if (!capture) return tl::unexpected(capture.error());
    point.records.push_back(as_record(*capture, names, pass));
    return {};
  };
  // Two readings that agree are needed before any counts; what was read until then is let go.
  if (plan_.agree > 0) {
    std::optional<std::complex<double>> last;
    for (int attempt = 0; attempt < kAgreeTries; ++attempt) {
      point.records.clear();
      if (auto ok = add(0); !ok) return ok;
      const auto read = reduce(point);
      if (!read) return tl::unexpected(read.error());
      const auto now = std::polar(std::pow(10, read->gain_db / 20), read->phase_deg * std::numbers::pi / 180);
      if (last && std::abs(now / *last - 1.0) <= plan_.agree) break;
      last = now;
    }
  }
  for (int pass = int(point.records.size()); pass < plan_.averages; ++pass)
    if (auto ok = add(pass); !ok) return ok;
  for (int pass = int(point.records.size()); plan_.u_asked_db > 0 && pass < kMostRecords; ++pass) {
    const auto read = reduce(point);
    if (!read) return tl::unexpected(read.error());
    // The chain's own uncertainty does not fall with averaging.
    const double noise = read->noise_gain_db();
    if (noise <= plan_.u_asked_db) break;
    if (auto ok = add(pass); !ok) return ok;
  }
  return {};
}

Result<Point> Run::measure(const Step& step, double level_pp) {
  const auto applied = bench_.drive({.pin = plan_.drive_pin,
                                     .frequency = step.frequency,
                                     .peak_to_peak = level_pp,
                                     .offset = plan_.offset,
                                     .source_resistance = plan_.source_resistance,
                                     .compliance = plan_.compliance});
  if (!applied) return tl::unexpected(applied.error());
  if (auto ok = bench_.wait(plan_.settle_time + plan_.settle_periods / step.frequency, stop_); !ok)
    return tl::unexpected(ok.error());
  Point point{.index = step.index, .setting = setting(*applied, step)};
  if (auto ok = read_passes(point, step.frequency); !ok) return tl::unexpected(ok.error());
  return point;
}

Result<void> Run::take(const Step& step) {
  tell();
  if (stop_.stop_requested()) return tl::unexpected(stopped());
  const bool automatic = plan_.level_shape == LevelShape::automatic && !step.level_pp;
  double level = step.level_pp.value_or(automatic ? automatic_level(step.frequency) : level_at(plan_, step.frequency));
  Result<Point> point = measure(step, level);
  for (int attempt = 1; automatic && point && attempt < kLevelTries; ++attempt) {
    const auto read = reduce(*point);
    const auto next = read ? better_level(*read, level) : std::nullopt;
    if (!next) break;
    level = *next;
    point = measure(step, level);
  }
  if (!point) {
    if (point.error().fault == Fault::stopped) return tl::unexpected(stopped());
    return tl::unexpected(point.error());
  }
  if (auto ok = commit_(*point); !ok) return ok;
  ++done_;
  left_ -= point_time(plan_, step.frequency, limits_);
  if (!step.check)
    if (auto read = reduce(*point)) read_.push_back(std::move(*read));
  return {};
}

Result<void> Run::stepped() {
  const auto sweep = frequencies(plan_);
  std::vector<Step> steps;
  for (std::size_t k = 0; k < sweep.size() && context_.only.empty(); ++k)
    steps.push_back({.index = int(k), .frequency = sweep[k], .planned = k});
  for (const auto& [index, frequency] : context_.only) steps.push_back({.index = index, .frequency = frequency});
  total_ = int(steps.size()) + (context_.only.empty() ? plan_.level_checks : 0);
  for (const auto& step : steps) left_ += point_time(plan_, step.frequency, limits_);
  if (auto ok = connect(); !ok) return ok;
  for (const auto& step : steps)
    if (auto ok = take(step); !ok) return ok;
  if (!context_.only.empty()) {
    tell();
    return {};
  }
  int index = int(sweep.size());
  // Spread over the sweep, so that a resonance or a stop band is not left out.
  const auto checked = read_;
  for (int k = 0; k < plan_.level_checks && !checked.empty(); ++k) {
    const auto& at = checked[std::size_t((2 * k + 1) * int(checked.size()) / (2 * plan_.level_checks))];
    const Step step{.index = index++, .frequency = at.frequency, .level_pp = at.level_pp / 2, .check = true};
    if (auto ok = take(step); !ok) return ok;
  }
  const auto figures = refined_figures(context_.figures);
  for (int k = 0; plan_.refine && k < plan_.refine_points; ++k) {
    auto curve = assemble(read_);
    if (!curve) break;
    curve->measured = true;
    curve->quantity = plan_.quantity;
    const auto next = next_frequency(*curve, context_.settings, figures);
    if (!next) break;
    total_ = done_ + 1;
    if (auto ok = take({.index = index++, .frequency = *next}); !ok) return ok;
    // The generator's steps may bring it to a point that is there already.
    const auto twice = std::count_if(read_.begin(), read_.end(),
                                     [&](const CurvePoint& p) { return p.frequency == read_.back().frequency; });
    if (twice > 1) break;
  }
  tell();
  return {};
}

Result<void> Run::noise() {
  const auto timing = noise_timing(plan_, limits_.highest_sample_rate);
  total_ = timing.records;
  left_ = sweep_time(plan_, limits_);
  if (auto ok = connect(); !ok) return ok;
  if (auto ok = bench_.generate({.pin = plan_.drive_pin,
                                 .wave = noise_wave(plan_, timing, context_.seed),
                                 .source_resistance = plan_.source_resistance});
      !ok)
    return ok;
  const bool periodic = plan_.method == Method::multitone;
  const double period = double(timing.segment) / timing.rate;
  const auto halted = [&](const Error& error) {
    return tl::unexpected(error.fault == Fault::stopped ? stopped() : error);
  };
  if (auto ok = bench_.wait(plan_.settle_time + (periodic ? period : 0), stop_); !ok) return halted(ok.error());
  std::vector<std::string> names;
  for (const auto& chain : plan_.hookup.chains) names.push_back(chain.name);
  for (int k = 0; k < timing.records; ++k) {
    tell();
    if (stop_.stop_requested()) return tl::unexpected(stopped());
    const auto capture = bench_.capture(timing.rate, int(timing.samples), stop_);
    if (!capture) return halted(capture.error());
    nlohmann::json about = {{"method", "noise"},
                            {"stimulus_kind", method_text(plan_.method)},
                            {"band", {plan_.start, plan_.stop}},
                            {"noise_rms", plan_.noise_rms},
                            {"offset", plan_.offset},
                            {"segment", timing.segment},
                            {"overlap", periodic ? 0.0 : plan_.overlap},
                            {"window", periodic ? "rectangular" : plan_.window}};
    describe(about);
    Point point{.index = k, .setting = std::move(about)};
    point.records.push_back(as_record(*capture, names, 0));
    if (auto ok = commit_(point); !ok) return ok;
    ++done_;
    left_ -= double(timing.samples) / timing.rate + limits_.overhead_per_point;
  }
  left_ = 0;
  tell();
  return {};
}

}  // namespace

Result<void> run(const Plan& plan, bench::Bench& bench, const std::function<Result<void>(const Point&)>& commit,
                 const std::function<void(const Progress&)>& progress, std::stop_token stop, const Context& context) {
  struct OffAtEnd {
    bench::Bench& bench;
    ~OffAtEnd() { bench.off(); }
  } off{bench};
  if (auto ok = check(plan); !ok) return ok;
  Run one(plan, bench, commit, progress, stop, context);
  return plan.stepped() ? one.stepped() : one.noise();
}

}  // namespace heron::study::response
