#include "kinds/pulse_count.h"

#include <algorithm>
#include <cmath>

#include "study/hookup_words.h"
#include "study/preflight.h"

namespace heron::pulse_count {
namespace {

constexpr const char* kQuantity = "answer";

/// Counts rises through a level; a sample that lies on it belongs to what came before.
class Crossings {
 public:
  explicit Crossings(double threshold) : threshold_(threshold) {}
  void add(double v) {
    if (below_ && v > threshold_) ++found_;
    if (v != threshold_) below_ = v < threshold_;
  }
  int found() const { return found_; }

 private:
  double threshold_;
  bool below_ = false;
  int found_ = 0;
};

/// A recording is never in memory as a whole.
Result<int> crossings_of(const study::Channel& channel, double threshold) {
  Crossings crossings(threshold);
  if (!channel.recording) {
    for (const double v : channel.values()) crossings.add(v);
    return crossings.found();
  }
  const auto read = study::for_each_stretch(*channel.recording, [&](std::size_t, std::span<const std::int16_t> counts) {
    for (const auto count : counts) crossings.add(count * channel.scale);
  });
  if (!read) return tl::unexpected(read.error());
  return crossings.found();
}

study::Columns as_columns(const Counts& counts) {
  study::Columns out{.x_name = "pulses", .x_unit = "1", .logarithmic = false};
  study::Columns::Column column{"crossings", "1", {}, {}};
  for (std::size_t k = 0; k < counts.pulses.size(); ++k) {
    out.x.push_back(counts.pulses[k]);
    column.y.push_back(counts.crossings[k]);
  }
  out.columns.push_back(std::move(column));
  return out;
}

class CountReducer final : public study::Reducer {
 public:
  Result<void> add(const study::Point& point) override {
    if (point.records.empty()) return fail(Fault::input, "A burst has no record.");
    const auto& record = point.records.front();
    const auto *pulses = record.find("pulses"), *crossings = record.find("crossings");
    if (pulses && crossings) {
      const auto n = pulses->values(), c = crossings->values();
      for (std::size_t k = 0; k < n.size(); ++k) put(int(n[k]), int(c[k]));
      return {};
    }
    const auto* answer = record.find(kQuantity);
    if (!answer) return fail(Fault::input, "A burst has no answer.");
    const auto crossings_found = crossings_of(*answer, point.setting.json().value("threshold", 0.0));
    if (!crossings_found) return tl::unexpected(crossings_found.error());
    put(point.setting.json().value("pulses", 0), *crossings_found);
    return {};
  }

  Result<study::ReducedPtr> so_far() const override {
    if (counts_.pulses.empty()) return fail(Fault::input, "There is no burst to count.");
    return std::make_shared<const ReducedCounts>(counts_);
  }

 private:
  void put(int pulses, int crossings) {
    counts_.pulses.push_back(pulses);
    counts_.crossings.push_back(crossings);
  }
  Counts counts_;
};

Result<void> check(const Plan& p) {
  if (!(p.threshold < p.level))
    return fail(Fault::input, "A threshold of {} is never crossed by pulses of {}.", format_setting(p.threshold, "V"),
                format_setting(p.level, "V"));
  return {};
}

Result<study::PlanPtr> planned(const nlohmann::json& kept) {
  Plan p;
  if (auto ok = words().from_json(kept, p); !ok) return tl::unexpected(ok.error());
  return std::make_shared<const PlannedBursts>(std::move(p));
}

}  // namespace

const study::WordTable<Plan>& words() {
  using namespace study;
  static const WordTable<Plan> table({
      pin_word("drive_pin", "drive_pin", "Pin that is driven", &Plan::drive_pin),
      hookup_word(&Plan::hookup),
      count_word("most", "most", "Pulses in the longest burst", &Plan::most, 1, 100, "pulse"),
      number_word("period", "period", "From pulse to pulse", &Plan::period, "s", {1e-6, 1}),
      number_word("level", "level", "Height of the pulses, open circuit", &Plan::level, "V", {1e-3, 10}),
      number_word("threshold", "threshold", "Level whose crossings are counted", &Plan::threshold, "V", {-10, 10}),
  });
  return table;
}

std::vector<study::BriefPiece> PlannedBursts::brief() const {
  std::vector<study::BriefPiece> out = {{.text = "Drive", .heading = true, .drives = true}};
  words().say(out, plan_, "{drive_pin} with bursts of up to {most} of {level} every {period} .", {.text = {}, .drives = true});
  out.push_back({.text = "Count", .heading = true});
  words().say(out, plan_, "rises through {threshold} .");
  return out;
}

Result<study::PlanPtr> PlannedBursts::with(std::string_view key, std::string_view text,
                                           const study::Surroundings& around) const {
  auto changed = plan_;
  auto ok = key.starts_with("hookup.") ? study::set_hookup_word(changed.hookup, key.substr(7), text, around.pins)
                                       : words().set(changed, key, text, around);
  if (ok) ok = check(changed);
  if (!ok) return tl::unexpected(ok.error());
  return std::make_shared<const PlannedBursts>(std::move(changed));
}

study::BriefHint PlannedBursts::hint(std::string_view key, const study::Surroundings& around) const {
  return key.starts_with("hookup.") ? study::hookup_hint(plan_.hookup, key.substr(7), around.limits, around.pins)
                                    : words().hint(plan_, key, around);
}

std::vector<study::Lead> PlannedBursts::leads() const {
  return {{.pin = plan_.drive_pin, .name = "generator", .along = true}};
}

std::string PlannedBursts::time_sentence(const bench::Limits& limits) const {
  return fmt::format("{} bursts, about {} on a real bench.", plan_.most, format_duration(seconds(limits)));
}

std::vector<study::Doubt> PlannedBursts::preflight(const study::Surroundings& around, const bench::Levels* levels) const {
  std::vector<study::Doubt> out;
  if (const auto rating = around.ratings.find(plan_.drive_pin); rating != around.ratings.end())
    if (const auto most = rating->second.voltage_towards(1); most && plan_.level > *most)
      out.push_back(study::rating_finding(
          true, fmt::format("{} would see {}; its rating is {}.", plan_.drive_pin, format_setting(plan_.level, "V"),
                            format_setting(*most, "V")),
          "Lower the pulses.", {{"level", format_setting(*most, "V")}}));
  study::check_hookup(plan_.hookup, levels, around.limits, out);
  return out;
}

Result<void> PlannedBursts::run(bench::Bench& bench, const study::RunContext& context) const {
  const bench::AtRest at_rest{bench};
  std::vector<bench::InputSetup> inputs;
  std::vector<std::string> roles;
  for (const auto& chain : plan_.hookup.chains) {
    inputs.push_back(chain.input);
    roles.push_back(chain.name);
  }
  if (auto ok = bench.connect(inputs); !ok) return ok;
  constexpr int kSamplesPerPeriod = 50;
  for (int n = 1; n <= plan_.most; ++n) {
    if (context.stop.stop_requested()) return fail(Fault::stopped, "Stopped after {} bursts.", n - 1);
    auto wave = bench::pulse(0, plan_.level, plan_.period / 20, plan_.period / 20, plan_.period / 2, plan_.period);
    wave.cycles = n;
    wave.burst_period = plan_.period * (n + 1);
    if (auto ok = bench.generate({.pin = plan_.drive_pin, .wave = wave}); !ok) return ok;
    const double rate = bench.nearest_rate(kSamplesPerPeriod / plan_.period);
    const auto capture = bench.capture(rate, 1 + int(std::lround(rate * wave.burst_period)), context.stop);
    if (!capture) return tl::unexpected(capture.error());
    study::Point point{.index = n - 1, .setting = {{"pulses", n}, {"threshold", plan_.threshold}}};
    point.records.push_back(study::as_record(*capture, roles, 0));
    if (auto ok = context.keep(point); !ok) return ok;
    if (context.progress) context.progress({n, plan_.most, 0});
  }
  return {};
}

study::Remedy PlannedBursts::remedy(const study::Doubt& doubt) const {
  if (doubt.mend != study::Mend::drive_harder) return {};
  return {.edits = {{"level", format_setting(2 * plan_.level, "V")}}};
}

Result<study::Analysis> ReducedCounts::read(const study::SettingsText& settings, const std::vector<std::string>&) const {
  study::Analysis out{.reading = {}, .curve = as_columns(counts_), .settings = settings};
  int missed = 0, most = 0;
  for (std::size_t k = 0; k < counts_.pulses.size(); ++k) {
    missed += std::max(0, counts_.pulses[k] - counts_.crossings[k]);
    most = std::max(most, counts_.crossings[k]);
  }
  out.reading.figures = {{.key = "crossings.most", .label = "Most crossings", .value = double(most), .unit = "1", .u = {}},
                         {.key = "pulses.missed", .label = "Missed pulses", .value = double(missed), .unit = "1", .u = {}}};
  if (missed > 0)
    out.reading.doubts.push_back(
        study::mended_by(study::Mend::drive_harder, {"pulses.missed", study::Severity::caution,
                                                     fmt::format("{} pulses did not cross the threshold.", missed), "Raise the level."}));
  return out;
}

study::Columns ReducedCounts::small() const { return as_columns(counts_); }

const study::Kind& kind() {
  static const study::Kind self = {
      .name = kName,
      .title = "Pulse count",
      .roles = {{"pulses", "crossings"}},
      .optional_roles = {},
      .columns = {{"pulses", {"1"}, {"pulses", "n"}}, {"crossings", {"1"}, {"crossings", "count"}}},
      .check_setting = [](std::string_view key, std::string_view) -> Result<void> {
        return fail(Fault::usage, "There is no setting \"{}\".", key);
      },
      .check_figure = [](std::string_view key) -> Result<void> {
        if (key == "crossings.most" || key == "pulses.missed") return {};
        return fail(Fault::usage, "There is no figure \"{}\".", key);
      },
      .figures =
          [] {
            return std::vector<study::FigureName>{{"Most crossings", "crossings.most", "1"},
                                                  {"Missed pulses", "pulses.missed", "1"}};
          },
      .plan = planned,
      .first_plan = [](const study::Surroundings& around) -> Result<study::PlanPtr> {
        if (around.terminals.size() < 2) return fail(Fault::usage, "Two pins are wanted: one to drive, one to sense.");
        Plan p{.drive_pin = around.terminals.front(), .hookup = {}};
        p.hookup.chains = {{.name = kQuantity,
                            .input = {.pin = around.terminals.back(), .sensor = bench::stock_sensors().front()}}};
        return std::make_shared<const PlannedBursts>(std::move(p));
      },
      .reducer = [](const study::SettingsText&) -> Result<std::unique_ptr<study::Reducer>> {
        return std::make_unique<CountReducer>();
      }};
  return self;
}

}  // namespace heron::pulse_count
