#include "dossier/take_run.h"

#include <algorithm>
#include <cmath>
#include <random>

#include "dossier/runnable.h"
#include "signal/tone.h"
#include "sim/device.h"
#include "sim/predict.h"
#include "sim/simulated_bench.h"
#include "study/response/kind.h"

namespace heron::dossier {

using nlohmann::json;

void apply_ratings(sim::Circuit& circuit, const device::Ratings& by_hand) {
  for (const auto& [name, rating] : by_hand)
    for (const auto& field : device::rating_fields())
      if (rating.*field.member) circuit.ratings[name].*field.member = rating.*field.member;
}

namespace {

Result<sim::Circuit> nominal_circuit(Store& store, long long assembly) {
  const auto device = store.device(assembly);
  if (!device) return tl::unexpected(device.error());
  if (device->circuit.empty())
    return fail(Fault::bench, "{}: the device has no circuit, so the simulated bench has nothing to drive.",
                store.path());
  auto circuit = sim::read_circuit(device->circuit, device->about.empty() ? "circuit" : device->about);
  if (circuit) apply_ratings(*circuit, device->ratings);
  return circuit;
}

}  // namespace

Result<std::unique_ptr<bench::Bench>> open_bench(Store& store, const std::string& name, std::uint64_t seed,
                                                 long long assembly, const std::string& standard,
                                                 double load_resistance) {
  if (name != "simulated" && name != "paced")
    return fail(Fault::usage, "There is no bench \"{}\"; there are simulated and paced.", name);
  const auto circuit = nominal_circuit(store, assembly);
  if (!circuit) return tl::unexpected(circuit.error());
  const auto unit = store.current_unit(assembly);
  if (!unit) return tl::unexpected(unit.error());
  auto built = sim::as_built(*circuit, unit->name, unit->fitted);
  if (!built) return tl::unexpected(built.error());
  if (!standard.empty()) {
    built = sim::with_standard(*built, standard, load_resistance);
    if (!built) return tl::unexpected(built.error());
  }
  return std::make_unique<sim::SimulatedBench>(std::move(*built), seed, sim::BenchData{}, name == "paced");
}

json drawn_values(Store& store, const Unit& unit, long long assembly) {
  json out = json::object();
  const auto circuit = nominal_circuit(store, assembly);
  if (!circuit) return out;
  if (const auto built = sim::as_built(*circuit, unit.name, unit.fitted))
    for (const auto& part : built->parts)
      for (const auto& [key, value] : part.values)
        out[key == "value" ? part.name : part.name + "." + key] = value.value;
  return {{"parts", out}};
}

Result<std::vector<std::string>> device_pins(Store& store, long long assembly) {
  const auto circuit = nominal_circuit(store, assembly);
  if (!circuit) return tl::unexpected(circuit.error());
  std::vector<std::string> out;
  for (const auto& [pin, node] : circuit->pins) out.push_back(pin);
  for (const auto& [branch, place] : circuit->branches) out.push_back(branch);
  out.emplace_back(bench::kDriveLead);
  return out;
}

device::Ratings device_ratings(Store& store, long long assembly) {
  const auto circuit = nominal_circuit(store, assembly);
  return circuit ? circuit->ratings : device::Ratings{};
}

std::optional<bench::Levels> predict_levels(Store& store, const study::response::Plan& plan, long long assembly) {
  const auto circuit = nominal_circuit(store, assembly);
  const auto unit = store.current_unit(assembly);
  if (!circuit || !unit) return std::nullopt;
  auto fitted = *circuit;
  // Nominal parts with what is known to be fitted; what a unit drew within its tolerances nobody knows beforehand.
  for (const auto& [name, value] : unit->fitted)
    for (auto& part : fitted.parts)
      if (part.name == name && part.values.contains("value")) part.values["value"].value = value;
  return predict_levels(fitted, plan);
}

std::optional<bench::Levels> predict_levels(const sim::Circuit& circuit, const study::response::Plan& plan) {
  constexpr int kLines = 200;
  auto sweep = study::response::frequencies(plan);
  if (!plan.stepped())
    for (int k = 0; k <= kLines; ++k) sweep.push_back(plan.start + (plan.stop - plan.start) * k / kLines);
  auto levels = sim::predict_levels(
      circuit,
      {.pin = plan.drive_pin,
       .peak_to_peak = plan.stepped() ? 2 * study::response::highest_peak(plan) : 2 * plan.noise_rms,
       .offset = plan.offset,
       .source_resistance = plan.source_resistance,
       .compliance = plan.compliance},
      plan.hookup.chains, sweep);
  if (!levels) return std::nullopt;
  if (!plan.stepped())
    // White over the band: the power is the mean of the lines' powers, the peak so many times its root.
    for (auto* group : {&levels->quantities, &levels->pins, &levels->branches})
      for (auto& [name, level] : *group) {
        double squares = 0;
        for (const double peak : level.peaks) squares += peak * peak;
        level.peak = study::response::kCrest * std::sqrt(squares / double(level.peaks.size()));
        level.peaks.clear();
      }
  return std::move(*levels);
}

namespace {

/// A bench with nothing on it but a terminal and a loop for a current, both on a resistor.
std::unique_ptr<bench::Bench> bare_bench(const std::string& name) {
  sim::Circuit circuit;
  circuit.parts = {sim::make_part("R1", "resistor", {"loop", std::string(sim::kGround)}, {{"value", 50}}),
                   sim::make_part("R2", "resistor", {"terminal", std::string(sim::kGround)}, {{"value", 1e9}})};
  circuit.pins = {{"terminal", "terminal"}, {"loop", "loop"}};
  circuit.branches = {{"loop current", {"R1", 0}}};
  return std::make_unique<sim::SimulatedBench>(std::move(circuit), std::random_device{}(), sim::BenchData{},
                                               name == "paced");
}

/// The chain's input moved to another place, its planted sensor kept: what is really fitted goes along.
bench::InputSetup moved(const bench::Chain& chain, const std::string& pin) {
  auto input = chain.input;
  input.pin = pin;
  input.against.clear();
  if (input.planted) input.planted->pin.clear();
  return input;
}

}  // namespace

Result<double> read_zero(const bench::Chain& chain, const std::string& bench_name) {
  const auto bench = bare_bench(bench_name);
  if (auto ok = bench->connect({moved(chain, "")}); !ok) return tl::unexpected(ok.error());
  const auto capture = bench->capture(1e6, 50'000, {});
  if (!capture) return tl::unexpected(capture.error());
  double sum = 0;
  for (const double v : capture->channels.front().volts()) sum += v;
  return sum / double(capture->channels.front().counts.size());
}

Result<KnownSignal> read_known_signal(const bench::Chain& chain, const std::string& bench_name) {
  const auto bench = bare_bench(bench_name);
  const bool current = chain.input.sensor.senses_current();
  const auto limits = bench->limits();
  // As strong as the generator gives and the sensor bears, at a frequency that every sensor passes.
  const double level_pp = std::min(limits.highest_level_pp, 2 * 0.9 * limits.input.highest_50),
               frequency = std::max(1e3, 30 * chain.input.sensor.low_corner);
  if (auto ok = bench->connect({moved(chain, current ? "loop current" : "terminal")}); !ok)
    return tl::unexpected(ok.error());
  const auto applied = bench->drive({.pin = current ? "loop" : "terminal",
                                     .frequency = frequency,
                                     .peak_to_peak = level_pp,
                                     .source_resistance = 50});
  if (!applied) return tl::unexpected(applied.error());
  if (auto ok = bench->wait(0.1, {}); !ok) return tl::unexpected(ok.error());
  const double rate = bench->nearest_rate(512 * applied->frequency);
  const auto capture = bench->capture(rate, int(std::lround(20 * rate / applied->frequency)), {});
  if (!capture) return tl::unexpected(capture.error());
  const auto fit = signal::fit_tone(capture->channels.front().volts(), capture->sample_rate, applied->frequency);
  if (!fit) return tl::unexpected(fit.error());
  const auto sensing = bench::sensing_of(chain);
  const double loading = bench::summarise(chain, limits.input).loading_ohms;
  KnownSignal out{
      .read = fit->peak * std::abs(sensing.per_volt) / std::abs(bench::response_of(sensing, applied->frequency)),
      .known = applied->peak_to_peak / 2,
      // The generator's level is good to 0.2 %.
      .u = std::hypot(std::hypot(sensing.u_factor, capture->channels.front().u_gain),
                      std::hypot(2e-3, fit->u_peak / std::max(fit->peak, 1e-30)))};
  if (current)
    out.known /= 50 + 50 + (chain.input.sensor.kind == bench::SensorKind::shunt ? loading : 0);
  else if (loading > 0)
    out.known *= loading / (loading + 50);
  return out;
}

judge::PartValues part_values(Store& store, const std::map<std::string, double>& fitted, long long assembly) {
  judge::PartValues out;
  if (const auto circuit = nominal_circuit(store, assembly))
    for (const auto& [name, value] : sim::main_values(*circuit)) out[name] = value.value;
  for (const auto& [name, value] : fitted) out[name] = value;
  return out;
}

Result<long long> run_take(Store& store, const Study& study, const std::string& bench_name, std::uint64_t seed,
                           const RunOptions& options, const TakeEvents& events, std::stop_token stop) {
  const auto assembly = study.assembly;
  double load_resistance = study::response::Settings{}.load_resistance;
  if (study.kind == "response") {
    const auto settings = study::response::settings_from_text(study.settings);
    if (!settings) return tl::unexpected(settings.error());
    load_resistance = settings->load_resistance;
  }
  auto bench = open_bench(store, bench_name, seed, assembly, options.purpose, load_resistance);
  if (!bench) return tl::unexpected(bench.error());
  const auto carried = options.base ? store.points(*options.base) : Result<std::vector<study::Point>>();
  if (!carried) return tl::unexpected(carried.error());
  const auto again = [&](int index) {
    return std::find(options.only.begin(), options.only.end(), index) != options.only.end();
  };
  std::vector<std::pair<int, double>> only;
  for (const auto& point : *carried)
    if (again(point.index)) only.push_back({point.index, point.setting.value("frequency", 0.0)});
  const auto runnable = prepare(store, study, **bench, seed, options, std::move(only));
  if (!runnable) return tl::unexpected(runnable.error());
  if (events.found) events.found(runnable->findings);
  for (const auto& key : options.accepted)
    if (std::none_of(runnable->findings.begin(), runnable->findings.end(), [&](const auto& f) { return f.key == key; }))
      return fail(Fault::usage, "Nothing was found that is called \"{}\"; there is nothing to accept.", key);
  if (const auto refused = study::refusal(runnable->findings, options.accepted)) return tl::unexpected(*refused);

  const auto device = store.device(assembly);
  const auto unit = store.current_unit(assembly);
  if (!device) return tl::unexpected(device.error());
  if (!unit) return tl::unexpected(unit.error());
  json setup = {{"plan", runnable->plan}, {"bench", (*bench)->limits().name}, {"seed", seed},
                {"device", device->name}, {"circuit", device->circuit},       {"unit", unit->name},
                {"fitted", unit->fitted}};
  setup["known_only_to_a_simulation"] = drawn_values(store, *unit, assembly);
  if (options.base) setup["base"] = *options.base;
  const auto take = store.begin_take(study.id, unit->name, (*bench)->limits().name, setup,
                                     options.base ? int(carried->size()) : runnable->planned, options.purpose);
  if (!take) return take;
  if (!options.note.empty())
    if (auto ok = store.set_note(*take, options.note); !ok) return tl::unexpected(ok.error());
  if (events.began) events.began(*take);
  const auto keep = [&](const study::Point& point) -> Result<void> {
    if (auto ok = store.add_point(*take, point); !ok) return ok;
    if (events.point) events.point(*take, point);
    return {};
  };
  for (const auto& point : *carried)
    if (!again(point.index))
      if (auto ok = keep(point); !ok) return tl::unexpected(ok.error());
  const auto ran = runnable->run(keep, events.progress, stop);
  const auto state = ran                                   ? TakeState::finished
                     : ran.error().fault == Fault::stopped ? TakeState::stopped
                                                           : TakeState::failed;
  const auto finished = store.finish_take(*take, state);
  if (!ran) return tl::unexpected(ran.error());
  if (!finished) return tl::unexpected(finished.error());
  return *take;
}

Result<std::vector<study::Point>> points_of(Store& store, const Study& study, const Take& take) {
  auto points = store.points(take.id);
  if (!points || !take.purpose.empty()) {
    // A standard looked at by itself is a reading like any other.
    if (points)
      for (auto& point : *points) point.setting.erase("purpose");
    return points;
  }
  for (const char* what : {"open", "short", "load"}) {
    const auto named = study.settings.find(what);
    if (named == study.settings.end()) continue;
    const auto takes = store.takes(study.id);
    if (!takes) return tl::unexpected(takes.error());
    const auto it = std::find_if(takes->begin(), takes->end(),
                                 [&](const Take& t) { return std::to_string(t.number) == named->second; });
    if (it == takes->end())
      return fail(Fault::input, "Take {}, which the study names as its {}, is not there.", named->second, what);
    auto more = store.points(it->id);
    if (!more) return more;
    for (auto& point : *more) {
      point.setting["purpose"] = what;
      points->push_back(std::move(point));
    }
  }
  return points;
}

Result<study::Analysis> analyse_take(Store& store, const Study& study, const Take& take) {
  const auto* kind = study::find_kind(study.kind);
  if (!kind) return fail(Fault::usage, "Studies of kind \"{}\" cannot be read yet.", study.kind);
  const auto claims = store.claims(study.id);
  if (!claims) return tl::unexpected(claims.error());
  std::vector<std::string> asked;
  for (const auto& claim : *claims) asked.push_back(claim.figure);
  const auto points = points_of(store, study, take);
  if (!points) return tl::unexpected(points.error());
  auto analysis = kind->analyse(*points, study.settings, asked);
  if (analysis && take.incomplete() && take.state != TakeState::running)
    analysis->reading.doubts.push_back(
        {"take.incomplete", study::Severity::caution,
         fmt::format("The take was cut short: {} of {} points were read.", take.points, take.planned),
         "Take again for the rest of the sweep."});
  if (const int damaged = store.damaged_points(take.id); analysis && damaged > 0)
    analysis->reading.doubts.push_back(
        {"record.damaged", study::Severity::serious,
         fmt::format("{} of {} points are damaged in the file and were left out.", damaged, take.points),
         "Copy the dossier from a backup, or take again."});
  return analysis;
}

Result<std::vector<LedgerLine>> judge_take(Store& store, const Study& study, const Take* take,
                                           const study::Analysis* analysis) {
  const auto claims = store.claims(study.id);
  const auto masks = store.masks(study.id);
  if (!claims) return tl::unexpected(claims.error());
  if (!masks) return tl::unexpected(masks.error());
  const study::Analysis nothing;
  const auto& read = analysis ? *analysis : nothing;
  const auto assembly = study.assembly;
  // A take keeps the part values it was taken with; later edits of the unit do not change what it was expected to show.
  std::map<std::string, double> fitted;
  if (take) {
    const auto setup = store.take_setup(take->id);
    if (!setup) return tl::unexpected(setup.error());
    fitted = setup->value("fitted", fitted);
  } else if (const auto unit = store.current_unit(assembly)) {
    fitted = unit->fitted;
  }
  const auto parts = part_values(store, fitted, assembly);
  std::vector<LedgerLine> out;
  for (const auto& claim : *claims) out.push_back({study.name, claim, {}, judge::judge(claim, read.reading, parts)});
  for (const auto& mask : *masks) out.push_back({study.name, {}, mask, judge::judge(mask, read.curve)});
  if (!analysis)
    for (auto& line : out) line.judgement.reason = "there is no take yet";
  if (take && analysis)
    for (auto& line : out) {
      // The worst of what the take suffers from, beside what the figure itself gives away.
      std::string rests_on;
      for (const auto& d : analysis->reading.doubts)
        if (d.severity == study::Severity::serious && rests_on.empty())
          rests_on = "the take is in serious doubt: " + d.key;
      if (take->incomplete() && take->state != TakeState::running)
        rests_on = fmt::format("the take was cut short: {} of {} points", take->points, take->planned);
      if (const int damaged = store.damaged_points(take->id); damaged > 0)
        rests_on = fmt::format("{} of {} points are damaged in the file", damaged, take->points);
      auto& caveat = line.judgement.caveat;
      if (!rests_on.empty()) caveat = caveat.empty() ? rests_on : rests_on + "; " + caveat;
    }
  return out;
}

Result<std::vector<LedgerLine>> ledger(Store& store) {
  const auto studies = store.studies();
  if (!studies) return tl::unexpected(studies.error());
  std::vector<LedgerLine> out;
  for (const auto& study : *studies) {
    const auto takes = store.takes(study.id);
    if (!takes) return tl::unexpected(takes.error());
    const Take* newest = nullptr;
    for (const auto& take : *takes)
      if (take.points > 0 && take.purpose.empty() && !take.aside) newest = &take;
    std::optional<study::Analysis> analysis;
    if (newest) {
      auto read = analyse_take(store, study, *newest);
      if (!read) return tl::unexpected(read.error());
      analysis = std::move(*read);
    }
    auto lines = judge_take(store, study, newest, analysis ? &*analysis : nullptr);
    if (!lines) return lines;
    out.insert(out.end(), lines->begin(), lines->end());
  }
  return out;
}

Result<long long> import_take(Store& store, const Study& study, const study::Record& table, const std::string& file,
                              const std::string& notes, bool aside) {
  const auto* kind = study::find_kind(study.kind);
  if (!kind) return fail(Fault::usage, "Studies of kind \"{}\" cannot be read yet.", study.kind);
  study::Point point{.setting = json::object(), .records = {table}};
  // Read once before anything is kept, so that nonsense is refused with its reason.
  if (const auto tried = kind->analyse({point}, study.settings, {}); !tried) return tl::unexpected(tried.error());
  const auto take = store.begin_take(study.id, "imported", file, {{"file", file}, {"notes", notes}}, 1);
  if (!take) return take;
  if (auto ok = store.add_point(*take, point); !ok) return tl::unexpected(ok.error());
  if (!notes.empty())
    if (auto ok = store.set_note(*take, notes); !ok) return tl::unexpected(ok.error());
  if (aside)
    if (auto ok = store.set_aside(*take, true); !ok) return tl::unexpected(ok.error());
  if (auto ok = store.finish_take(*take, TakeState::finished); !ok) return tl::unexpected(ok.error());
  return *take;
}

}  // namespace heron::dossier
