#include "sim/simulated_bench.h"

#include <algorithm>
#include <cassert>
#include <cmath>
#include <numbers>
#include <thread>

#include "base/quantity.h"
#include "sim/coloured_noise.h"
#include "sim/device.h"
#include "sim/sensing.h"
#include "sim/small_signal.h"

namespace heron::sim {
namespace {

using std::numbers::pi;

const std::string kGenerator = "bench:generator ";

constexpr Tolerances kTolerances{.relative = 1e-5, .absolute = 1e-8};
/// While nobody reads: what a capacitance draws at the very moment need not be known to the last nanoampere.
constexpr Tolerances kUnread{.relative = 1e-4, .absolute = 1e-6};

std::string volts(double v) { return format_setting(v, "V"); }

std::uint64_t sensor_seed(const std::string& name) {
  std::uint64_t seed = 1469598103934665603ull;
  for (const char letter : name) seed = (seed ^ static_cast<unsigned char>(letter)) * 1099511628211ull;
  return seed;
}

/// Unknowns keep their values over a change of the set-up by their names; a part's second unknown is told apart.
std::vector<std::string> unknown_keys(const Network& network) {
  std::vector<std::string> keys;
  std::map<std::string, int> seen;
  for (int i = 0; i < network.size(); ++i) {
    const auto& name = network.unknown_name(i);
    keys.push_back(name + "#" + std::to_string(seen[name]++));
  }
  return keys;
}

}  // namespace

struct SimulatedBench::Wired {
  Network network;
  Transient transient;
  std::optional<PeriodicDrive> periodic;  ///< where a lone sine drives
  std::vector<Tap> taps;
  std::vector<int> tap_unknowns, terminal_unknowns;
  /// Noise density of the circuit at each tap over a common grid; empty until first needed.
  std::vector<double> grid;
  std::vector<std::vector<double>> density;

  Wired(Network n, std::optional<double> frequency)
      : network(std::move(n)), transient(network, State(std::size_t(network.size()), 0.0), 0, kTolerances) {
    if (frequency) periodic.emplace(transient, network, *frequency);
  }
};

SimulatedBench::SimulatedBench(Circuit circuit, std::uint64_t seed, BenchData data, bool paced)
    : circuit_(std::move(circuit)),
      seed_(seed),
      data_(data),
      paced_(paced),
      digitiser_(data.input, seed),
      noise_(seed),
      started_(std::chrono::steady_clock::now()) {}

SimulatedBench::~SimulatedBench() = default;

bench::Limits SimulatedBench::limits() const {
  const auto& g = data_.generator;
  const auto& i = data_.input;
  return {.name = "Simulated bench",
          .lowest_frequency = g.lowest_frequency,
          .highest_frequency = g.highest_frequency,
          .highest_level_pp = g.highest_level_pp,
          .lowest_level_pp = g.lowest_level_pp,
          .source_measure_channels = data_.source.channels,
          .source_measure_voltage = data_.source.highest_voltage,
          .source_measure_current = data_.source.highest_current,
          .source_measure_overhead = data_.source.setting_time,
          .source_measure_frequency = data_.source.highest_frequency,
          .highest_sample_rate = i.highest_sample_rate,
          .ranges = {i.ranges.begin(), i.ranges.end()},
          .overhead_per_point = g.setting_time + i.range_time,
          .inputs = i.inputs,
          .input = {.ranges = {i.ranges.begin(), i.ranges.end()},
                    .bits = i.bits,
                    .resistance = i.resistance,
                    .capacitance = i.capacitance,
                    .bandwidth = i.bandwidth,
                    .full_bandwidth = i.full_bandwidth,
                    .highest = i.highest,
                    .highest_50 = i.highest_50_rms * std::numbers::sqrt2},
          .paced = paced_,
          .supply_voltage = data_.supply.highest_voltage,
          .supply_current = data_.supply.highest_current,
          .surge_voltage = data_.surge.highest_voltage,
          .least_surge_resistance = data_.surge.least_resistance};
}

double SimulatedBench::nearest_rate(double sample_rate) const {
  const double highest = data_.input.highest_sample_rate;
  if (!(sample_rate > 0)) return highest;
  return highest / std::max(1.0, std::round(highest / sample_rate));
}

Result<std::string> SimulatedBench::node_of(const std::string& pin) const {
  if (pin.empty()) return std::string(kGround);
  const auto it = circuit_.pins.find(pin);
  if (it == circuit_.pins.end()) return fail(Fault::bench, "The device has no pin \"{}\" to drive.", pin);
  return it->second;
}

/// Nothing is driven above what its pin bears.
Result<void> SimulatedBench::allow(const std::string& pin, double above, double below) const {
  if (const auto node = node_of(pin); !node) return tl::unexpected(node.error());
  for (const auto& [peak, sign] : {std::pair{above, 1.0}, std::pair{below, -1.0}})
    if (const auto rating = circuit_.voltage_rating(pin, sign); rating && peak > *rating * (1 + 1e-9))
      return fail(Fault::bench, "{} would see {} peak; its rating is {}. Lower the level.", pin, volts(sign * peak),
                  volts(*rating));
  return {};
}

/// Every change of what is connected or driven: the circuit goes on from the state it is in.
void SimulatedBench::change() {
  if (!wired_) return;
  const auto keys = unknown_keys(wired_->network);
  resting_.clear();
  for (std::size_t i = 0; i < keys.size(); ++i) resting_[keys[i]] = wired_->transient.state()[i];
  if (tone_) phase_ = std::remainder(phase_ + 2 * pi * tone_->frequency * wired_->transient.time(), 2 * pi);
  wired_.reset();
}

Result<bench::AppliedDrive> SimulatedBench::drive(const bench::ToneDrive& wanted) {
  const auto& g = data_.generator;
  if (wanted.compliance) return force_tone(wanted);
  if (!(wanted.frequency >= g.lowest_frequency && wanted.frequency <= g.highest_frequency))
    return fail(Fault::bench, "The generator cannot give {}; it reaches from {} to {}.",
                format_setting(wanted.frequency, "Hz"), format_setting(g.lowest_frequency, "Hz"),
                format_setting(g.highest_frequency, "Hz"));
  const double reach = wanted.peak_to_peak + 2 * std::abs(wanted.offset);
  if (!(wanted.peak_to_peak > 0) || reach > g.highest_level_pp * (1 + 1e-9))
    return fail(Fault::bench, "The generator cannot give {} pk-pk with {} offset; its limit is {} pk-pk in all.",
                volts(wanted.peak_to_peak), volts(wanted.offset), volts(g.highest_level_pp));
  if (!(wanted.source_resistance > 0)) return fail(Fault::bench, "The source resistance must be above zero.");
  const double peak = wanted.peak_to_peak / 2;
  if (auto ok = allow(wanted.pin, peak + wanted.offset, peak - wanted.offset); !ok) return tl::unexpected(ok.error());

  bench::ToneDrive set = wanted;
  const double range =
      *std::find_if(g.ranges_pp.begin(), g.ranges_pp.end() - 1, [&](double r) { return reach <= r * (1 + 1e-9); });
  const double count = range / double(1 << g.bits);
  set.peak_to_peak = std::max(1.0, std::round(wanted.peak_to_peak / count)) * count;
  set.offset = std::round(wanted.offset / count) * count;
  set.frequency = std::max(1.0, std::round(wanted.frequency / g.frequency_step)) * g.frequency_step;

  return put_tone(set, g.setting_time);
}

/// In phase: at the instant of the change the old and the new sine stand at the same angle.
bench::AppliedDrive SimulatedBench::put_tone(const bench::ToneDrive& set, double setting_time) {
  const bool fresh = !tone_;
  change();
  if (fresh) phase_ = -pi / 2;
  tone_ = set;
  elapsed_ += setting_time;
  return {set.frequency, set.peak_to_peak, set.offset};
}

Result<bench::AppliedDrive> SimulatedBench::force_tone(const bench::ToneDrive& wanted) {
  const auto& d = data_.source;
  const double reach = wanted.peak_to_peak / 2 + std::abs(wanted.offset);
  if (!(wanted.frequency >= data_.generator.lowest_frequency && wanted.frequency <= d.highest_frequency))
    return fail(Fault::bench, "The source-measure channel cannot force a sine of {}; it follows up to {}.",
                format_setting(wanted.frequency, "Hz"), format_setting(d.highest_frequency, "Hz"));
  if (!(wanted.peak_to_peak > 0)) return fail(Fault::bench, "The level must be above zero.");
  if (auto ok = check_channel({.pin = wanted.pin, .value = reach, .compliance = *wanted.compliance}); !ok)
    return tl::unexpected(ok.error());
  auto set = wanted;
  const auto range = std::find_if(d.voltage_ranges.begin(), d.voltage_ranges.end() - 1,
                                  [&](double r) { return reach <= r * (1 + 1e-9); });
  const double step = d.set_step * *range;
  set.peak_to_peak = std::max(1.0, std::round(wanted.peak_to_peak / step)) * step;
  set.offset = std::round(wanted.offset / step) * step;
  set.frequency =
      std::max(1.0, std::round(wanted.frequency / data_.generator.frequency_step)) * data_.generator.frequency_step;
  return put_tone(set, data_.generator.setting_time);
}

Result<void> SimulatedBench::generate(const bench::GeneratorSetup& wanted) {
  using Shape = bench::Waveform::Shape;
  const auto& g = data_.generator;
  if (wanted.generator < 0 || wanted.generator >= g.outputs)
    return fail(Fault::bench, "There is no generator {}; the bench has {}.", wanted.generator + 1, g.outputs);
  if (!(wanted.source_resistance > 0)) return fail(Fault::bench, "The source resistance must be above zero.");
  bench::GeneratorSetup set = wanted;
  auto& w = set.wave;
  double high = 0, low = 0, fastest = bench::kNoCorner;
  switch (w.shape) {
    case Shape::steady:
      break;
    case Shape::sine:
      high = std::abs(w.peak);
      low = -high;
      if (!(w.frequency >= g.lowest_frequency && w.frequency <= g.highest_frequency))
        return fail(Fault::bench, "The generator cannot give {}.", format_setting(w.frequency, "Hz"));
      break;
    case Shape::noise:
      // Peaks beyond five sigma would be cut; one in two million is.
      high = 5 * w.rms;
      low = -high;
      if (!(w.bandwidth > 0 && w.bandwidth <= g.highest_frequency))
        return fail(Fault::bench, "The generator's noise reaches {} at most.",
                    format_setting(g.highest_frequency, "Hz"));
      break;
    case Shape::lines:
      if (w.points.empty()) return fail(Fault::bench, "The list of points is empty.");
      high = low = w.points.front().second;
      for (std::size_t k = 0; k < w.points.size(); ++k) {
        const auto& [t, v] = w.points[k];
        if (!std::isfinite(t) || !std::isfinite(v) || (k > 0 && !(t > w.points[k - 1].first)))
          return fail(Fault::bench, "Point {} of the list: times must rise and values be numbers.", k + 1);
        high = std::max(high, v);
        low = std::min(low, v);
        if (k > 0 && v != w.points[k - 1].second) fastest = std::min(fastest, t - w.points[k - 1].first);
      }
      if (w.period > 0 && w.period < w.points.back().first)
        return fail(Fault::bench, "The period ends before the last point.");
      break;
  }
  high += w.offset;
  low += w.offset;
  const double reach = 2 * std::max(std::abs(high), std::abs(low));
  if (!(reach <= g.highest_level_pp * (1 + 1e-9)))
    return fail(Fault::bench, "The generator cannot reach {}; its limit is {} peak open circuit.", volts(reach / 2),
                volts(g.highest_level_pp / 2));
  if (fastest < g.fastest_edge * (1 - 1e-9))
    return fail(Fault::bench, "An edge of {} is faster than the generator's {}.", format_setting(fastest, "s"),
                format_setting(g.fastest_edge, "s"));
  if (auto ok = allow(wanted.pin, high, -low); !ok) return ok;
  // 14 bits of the attenuator's range.
  const double range =
      *std::find_if(g.ranges_pp.begin(), g.ranges_pp.end() - 1, [&](double r) { return reach <= r * (1 + 1e-9); });
  const auto rounded = [&](double v) {
    const double count = range / double(1 << g.bits);
    return std::round(v / count) * count;
  };
  w.offset = rounded(w.offset);
  w.peak = rounded(w.peak);
  for (auto& [t, v] : w.points) v = rounded(v);
  change();
  generators_[wanted.generator] = set;
  elapsed_ += g.setting_time;
  return {};
}

/// Nothing is asked of a source-measure channel that it cannot give or that the pin does not bear.
Result<void> SimulatedBench::check_channel(const bench::SourceMeasureSetup& s) const {
  const auto& d = data_.source;
  if (s.channel < 0 || s.channel >= d.channels)
    return fail(Fault::bench, "There is no source-measure channel {}; the bench has {}.", s.channel + 1, d.channels);
  const bool by_voltage = s.force == bench::Force::voltage;
  const double v = by_voltage ? std::abs(s.value) : s.compliance, i = by_voltage ? s.compliance : std::abs(s.value);
  if (!(s.compliance > 0)) return fail(Fault::bench, "The compliance must be above zero.");
  if (!(v <= d.highest_voltage) || !(i <= d.highest_current))
    return fail(Fault::bench, "The channel reaches {} and {}; {} and {} are asked.", volts(d.highest_voltage),
                format_setting(d.highest_current, "A"), volts(v), format_setting(i, "A"));
  // What is limited takes the sign of what is forced.
  if (auto ok = s.value < 0 ? allow(s.pin, 0, v) : allow(s.pin, v, 0); !ok) return ok;
  if (const auto it = circuit_.ratings.find(s.pin); it != circuit_.ratings.end())
    if (const auto rating = it->second.current_towards(s.value); rating && i > *rating)
      return fail(Fault::bench, "{} could see {}; its rating is {}. Lower the {}.", s.pin, format_setting(i, "A"),
                  format_setting(*rating, "A"), by_voltage ? "compliance" : "current");
  if (const auto node = node_of(s.against); !node) return tl::unexpected(node.error());
  return {};
}

Result<void> SimulatedBench::source(const bench::SourceMeasureSetup& s) {
  if (auto ok = check_channel(s); !ok) return ok;
  change();
  // From where the channel stands, as its output slews; one that was off or forced something else starts at rest.
  const auto before = sources_.find(s.channel);
  source_starts_[s.channel] = before != sources_.end() && before->second.force == s.force && before->second.pin == s.pin
                                  ? before->second.value
                                  : 0;
  sources_[s.channel] = s;
  elapsed_ += data_.source.setting_time;
  return {};
}

Result<void> SimulatedBench::load(const bench::LoadSetup& s) {
  const auto& d = data_.load;
  if (const auto node = node_of(s.pin); !node) return tl::unexpected(node.error());
  const double highest = s.mode == bench::LoadMode::current ? d.highest_current
                         : s.mode == bench::LoadMode::power ? d.highest_power
                                                            : bench::kNoCorner;
  if (!(s.value >= 0 && s.value <= highest) || (s.mode == bench::LoadMode::resistance && !(s.value > 0)))
    return fail(Fault::bench, "The electronic load takes up to {} and {}, or a resistance above zero.",
                format_setting(d.highest_current, "A"), format_setting(d.highest_power, "W"));
  change();
  load_ = s;
  return {};
}

namespace {
/// A lead that nothing drives, so that a sensor on it has a place all the same.
void add_idle_lead(Circuit& circuit) {
  circuit.parts.push_back(
      make_part("bench:idle lead", "resistor", {"bench:idle lead", std::string(kGround)}, {{"value", 1}}));
  circuit.branches[std::string(bench::kDriveLead)] = {"bench:idle lead", 0};
}
}  // namespace

Result<void> SimulatedBench::connect(const std::vector<bench::InputSetup>& inputs) {
  const auto& d = data_.input;
  if (inputs.size() > std::size_t(d.inputs))
    return fail(Fault::bench, "{} quantities are to be sensed; the bench has {} inputs.", inputs.size(), d.inputs);
  Circuit tried = circuit_;
  add_idle_lead(tried);
  for (std::size_t k = 0; k < inputs.size(); ++k) {
    const auto& input = inputs[k];
    if (auto tap = add_input(tried, input, k, d, 0); !tap) return tl::unexpected(tap.error());
    if (input.range && std::find(d.ranges.begin(), d.ranges.end(), *input.range) == d.ranges.end())
      return fail(Fault::bench, "The input has no range of {}.", volts(*input.range));
  }
  off();
  inputs_ = inputs;
  ranges_.clear();
  for (const auto& input : inputs) ranges_.push_back(input.range.value_or(1.0));
  return {};
}

/// All that drives, as parts.
Result<void> SimulatedBench::add_sources(Circuit& whole) const {
  const std::string ground(kGround), drive_lead(bench::kDriveLead);
  const auto generator = [&](const std::string& name, const Waveform& wave, const std::string& pin, double ohms) {
    Part emf = make_part(kGenerator + name, "voltage source", {"bench:emf " + name, ground}, {});
    emf.wave = wave;
    whole.parts.push_back(emf);
    whole.parts.push_back(
        make_part("bench:source " + name, "resistor", {"bench:emf " + name, circuit_.pins.at(pin)}, {{"value", ohms}}));
    whole.branches.try_emplace(drive_lead, Branch{"bench:source " + name, 0});
  };
  if (tone_) {
    const Waveform wave{.shape = Waveform::Shape::sine,
                        .offset = tone_->offset,
                        .peak = tone_->peak_to_peak / 2,
                        .frequency = tone_->frequency,
                        .phase = phase_};
    if (tone_->compliance) {
      const std::string pin = circuit_.pins.at(tone_->pin), emf = "bench:emf tone", force = "bench:force tone";
      Part source = make_part(kGenerator + std::string("tone"), "voltage source", {emf, ground}, {});
      source.wave = wave;
      whole.parts.push_back(source);
      // Holds its own terminal; what the lead loses, the chain that senses the pin sees.
      whole.parts.push_back(make_part("bench:force source tone", "limited voltage", {force, ground, force, emf},
                                      {{"value", 0}, {"current_limit", *tone_->compliance}, {"resistance", 1e-4}}));
      whole.parts.push_back(
          make_part("bench:lead out tone", "resistor", {force, pin}, {{"value", data_.source.lead_resistance}}));
      whole.branches[drive_lead] = {"bench:lead out tone", 0};
    } else {
      generator("tone", wave, tone_->pin, tone_->source_resistance);
    }
  }
  for (const auto& [k, g] : generators_) generator(std::to_string(k), g.wave, g.pin, g.source_resistance);
  for (const auto& [k, s] : sources_) {
    const std::string id = " " + std::to_string(k), force = "bench:force" + id, back = "bench:return" + id,
                      lead = "bench:lead" + id;
    const std::string pin = *node_of(s.pin), against = *node_of(s.against);
    const double step = data_.source.set_step;
    const auto range_of = [](const auto& ranges, double value) {
      const auto it = std::find_if(ranges.begin(), ranges.end(), [&](double r) { return std::abs(value) <= r; });
      return it == ranges.end() ? ranges.back() : *it;
    };
    if (s.force == bench::Force::voltage) {
      const double range = range_of(data_.source.voltage_ranges, s.value);
      const bool four = s.four_wire;
      // The output slews, and rounds its corners as an amplifier does: what a capacitance at the pin draws stays
      // smooth.
      constexpr double kOhms = 1e3;
      const std::string emf = "bench:emf" + id, slewed = "bench:slewed" + id, low = four ? against : back;
      Part wanted = make_part("bench:wanted" + id, "voltage source", {emf, low}, {});
      const double from = source_starts_.at(k), to = std::round(s.value / (step * range)) * step * range;
      wanted.wave = {.shape = Waveform::Shape::lines, .points = {{0, from}, {data_.source.slew_time, to}}};
      whole.parts.push_back(wanted);
      whole.parts.push_back(make_part("bench:slew r" + id, "resistor", {emf, slewed}, {{"value", kOhms}}));
      whole.parts.push_back(make_part("bench:slew c" + id, "capacitor", {slewed, low},
                                      {{"value", 0.5 * data_.source.slew_time / kOhms}}));
      whole.parts.push_back(make_part("bench:force source" + id, "limited voltage",
                                      {force, back, four ? pin : force, slewed},
                                      {{"value", 0}, {"current_limit", s.compliance}, {"resistance", 1e-4}}));
    } else {
      const double range = range_of(data_.source.current_ranges, s.value);
      whole.parts.push_back(make_part("bench:force source" + id, "limited current", {force, back},
                                      {{"value", std::round(s.value / (step * range)) * step * range},
                                       {"voltage_limit", s.compliance},
                                       {"resistance", 1.0}}));
    }
    whole.parts.push_back(make_part("bench:ammeter of" + id, "voltage source", {force, lead}, {}));
    whole.parts.push_back(
        make_part("bench:lead out" + id, "resistor", {lead, pin}, {{"value", data_.source.lead_resistance}}));
    whole.parts.push_back(
        make_part("bench:lead back" + id, "resistor", {back, against}, {{"value", data_.source.lead_resistance}}));
  }
  add_events(whole);
  if (load_) {
    Part part = make_part("bench:electronic load", "electronic load", {*node_of(load_->pin), *node_of(load_->against)},
                          {{"start_voltage", data_.load.start_voltage}, {"current_limit", data_.load.highest_current}});
    const char* mode = load_->mode == bench::LoadMode::current      ? "current"
                       : load_->mode == bench::LoadMode::resistance ? "resistance"
                                                                    : "power";
    part.texts["mode"] = mode;
    part.values[mode] = {load_->value, 0};
    whole.parts.push_back(part);
  }
  if (!whole.branches.contains(drive_lead)) add_idle_lead(whole);
  return {};
}

/// Builds the network of device, sources and inputs, and starts it where the last set-up left it.
Result<void> SimulatedBench::wire() {
  if (wired_) return {};
  Circuit whole = circuit_;
  // Sources first: a sensor may stand in the lead that drives.
  if (auto ok = add_sources(whole); !ok) return ok;
  std::vector<Tap> taps;
  for (std::size_t k = 0; k < inputs_.size(); ++k) {
    // A sensor keeps its errors from take to take; that is why it can be zeroed and checked.
    const auto& fitted =
        inputs_[k].planted && inputs_[k].planted->sensor ? *inputs_[k].planted->sensor : inputs_[k].sensor;
    const auto identity = sensor_seed(fitted.name);
    auto tap = add_input(whole, inputs_[k], k, data_.input, fitted.u_factor * fixed_error(identity, 1, 0));
    if (!tap) return tl::unexpected(tap.error());
    tap->offset_sigma *= fixed_error(identity, 2, 0);
    taps.push_back(std::move(*tap));
  }
  auto network = Network::compile(whole);
  if (!network) return tl::unexpected(Error{Fault::bench, network.error().message});
  wired_ = std::make_unique<Wired>(std::move(*network),
                                   tone_ && generators_.empty() ? std::optional(tone_->frequency) : std::nullopt);
  auto& net = wired_->network;
  wired_->taps = std::move(taps);
  for (const auto& tap : wired_->taps) {
    wired_->tap_unknowns.push_back(net.node(tap.node));
    wired_->terminal_unknowns.push_back(net.node(tap.terminal));
  }
  // What the last set-up did not have starts from the operating point of the new one.
  const auto keys = unknown_keys(net);
  const bool all_known = std::all_of(keys.begin(), keys.end(), [&](const auto& key) { return resting_.contains(key); });
  State state(keys.size(), 0.0);
  if (!all_known) {
    auto rest = operating_point(net);
    if (!rest) {
      wired_.reset();
      return tl::unexpected(rest.error());
    }
    state = std::move(*rest);
  }
  for (std::size_t i = 0; i < keys.size(); ++i)
    if (const auto it = resting_.find(keys[i]); it != resting_.end()) state[i] = it->second;
  wired_->transient.set_state(state, 0);
  return {};
}

/// Distance of the corners, s, where every generator gives noise or a long even list; 0 where one does not.
double SimulatedBench::dense_corners() const {
  constexpr std::size_t kLong = 1000;
  double out = bench::kNoCorner;
  if (tone_ || !sources_.empty() || supply_ || surge_ || !contacts_.empty() || load_ || generators_.empty()) return 0;
  for (const auto& [k, g] : generators_) {
    const auto& w = g.wave;
    if (w.shape == Waveform::Shape::noise)
      out = std::min(out, 0.125 / (2 * w.bandwidth));  // its lines are long against its highest frequency
    else if (w.shape == Waveform::Shape::lines && w.points.size() > kLong && w.period > 0)
      out = std::min(out, w.period / double(w.points.size() - 1));
    else
      return 0;
  }
  return out;
}

Result<void> SimulatedBench::run(double seconds, double longest_step, const Transient::Observer& observe,
                                 std::stop_token stop) {
  auto& w = *wired_;
  if (w.periodic) return observe ? w.periodic->watch(seconds, observe, stop) : w.periodic->wait(seconds, stop);
  const double until = w.transient.time() + seconds;
  // A linear circuit under a stimulus that is all corners gains nothing from steps that end at each: equal ones, much
  // finer than the corners, keep one factorisation.
  if (const double dense = dense_corners(); dense > 0 && w.network.always_linear()) {
    constexpr double kStepsEach = 2;
    const double steps = std::max(1.0, std::ceil(seconds / dense * kStepsEach));
    if (steps < 1e8) return w.transient.run_fixed(until, int(steps), observe, stop);
  }
  // Nothing has changed since the last run: its step is as good a beginning as any, and the local error has its say.
  const double first = w.transient.next_step() > 0 ? w.transient.next_step() : seconds / 1000;
  return w.transient.run_adaptive(until, std::min(first, longest_step), longest_step, observe, stop);
}

void SimulatedBench::keep_pace(std::stop_token stop) const {
  if (!paced_) return;
  const auto due = started_ + std::chrono::duration_cast<std::chrono::steady_clock::duration>(
                                  std::chrono::duration<double>(elapsed_));
  while (!stop.stop_requested() && std::chrono::steady_clock::now() < due)
    std::this_thread::sleep_until(std::min(due, std::chrono::steady_clock::now() + std::chrono::milliseconds(20)));
}

Result<void> SimulatedBench::wait(double seconds, std::stop_token stop) {
  if (stop.stop_requested()) return fail(Fault::stopped, "Stopped.");
  elapsed_ += std::max(0.0, seconds);
  if (tone_ || !generators_.empty() || !sources_.empty() || supply_ || surge_ || !contacts_.empty()) {
    if (auto ok = wire(); !ok) return ok;
    if (seconds > 0 && !sources_.empty() && !tone_ && generators_.empty()) {
      // The last tenth as finely as it will be read, so that nothing of the coarser way is left in it.
      wired_->transient.set_tolerances(kUnread);
      auto ok = run(0.9 * seconds, seconds, {}, stop);
      wired_->transient.set_tolerances(kTolerances);
      if (ok) ok = run(0.1 * seconds, seconds, {}, stop);
      if (!ok) return ok;
    } else if (seconds > 0) {
      if (auto ok = run(seconds, seconds, {}, stop); !ok) return ok;
    }
  }
  keep_pace(stop);
  return {};
}

/// Hardware opens a 50-ohm input before it burns, and a 1-megohm input must not see what harms it.
Result<void> SimulatedBench::protect(const std::vector<double>& peak, const std::vector<double>& mean_square) {
  for (std::size_t k = 0; k < inputs_.size(); ++k) {
    const bool low = inputs_[k].ohms < 1e3;
    const double rms = std::sqrt(mean_square[k]);
    if (low && rms > data_.input.highest_50_rms) {
      off();
      return fail(Fault::bench,
                  "The input of {} opened: {} rms into its 50 ohm, where {} is the limit. Use the 1-megohm input or an "
                  "attenuator.",
                  inputs_[k].pin, volts(rms), volts(data_.input.highest_50_rms));
    }
    if (!low && peak[k] > data_.input.highest) {
      off();
      return fail(Fault::bench, "The input of {} would be harmed: {} at its terminal, where {} is the limit.",
                  inputs_[k].pin, volts(peak[k]), volts(data_.input.highest));
    }
  }
  return {};
}

SimulatedBench::Stream SimulatedBench::begin_stream(double rate) const {
  const auto& w = *wired_;
  Stream out{.start = w.transient.time(), .rate = rate, .delays = {}, .rows = Samples(inputs_.size()), .taken = std::vector<std::size_t>(inputs_.size(), 0)};
  for (std::size_t k = 0; k < inputs_.size(); ++k)
    out.delays.push_back(data_.input.u_delay * fixed_error(seed_, 1000 + k, 0) - w.taps[k].delay);
  // A late sensor shows what was before: reading starts late enough that all of it has been solved.
  const double earliest = *std::min_element(out.delays.begin(), out.delays.end());
  if (earliest < -0.5 / rate) out.start -= earliest;
  return out;
}

Result<SimulatedBench::Samples> SimulatedBench::continue_stream(Stream& s, int samples, std::stop_token stop) {
  const auto inputs = inputs_.size();
  auto& w = *wired_;
  std::vector<double> peak(inputs, 0.0), mean_square(inputs, 0.0);
  s.asked += std::size_t(samples);
  const double latest = *std::max_element(s.delays.begin(), s.delays.end());
  const double until = s.start + double(s.asked) / s.rate + std::max(0.0, latest), duration = until - w.transient.time();
  auto ok = run(
      duration, 8 / s.rate,
      [&](const Step& step) {
        for (std::size_t k = 0; k < inputs; ++k) {
          for (;; ++s.taken[k]) {
            const double at = s.start + (double(s.taken[k]) + 0.5) / s.rate + s.delays[k];
            if (at > step.to) break;
            s.rows[k].push_back(step.at(w.tap_unknowns[k], at));
          }
          if (w.terminal_unknowns[k] < 0) continue;
          const double v = step.end[std::size_t(w.terminal_unknowns[k])];
          peak[k] = std::max(peak[k], std::abs(v));
          mean_square[k] += v * v * (step.to - step.from) / duration;
        }
      },
      stop);
  elapsed_ += duration;
  if (!ok) return tl::unexpected(ok.error());
  if (auto safe = protect(peak, mean_square); !safe) return tl::unexpected(safe.error());
  Samples out(inputs);
  for (std::size_t k = 0; k < inputs; ++k) {
    auto& row = s.rows[k];
    // The last of them lies half a step before what was solved.
    assert(row.size() >= std::size_t(samples));
    out[k].assign(row.begin(), row.begin() + samples);
    row.erase(row.begin(), row.begin() + samples);
  }
  return out;
}

Result<SimulatedBench::Samples> SimulatedBench::solve_inputs(double rate, int samples, std::stop_token stop) {
  auto stream = begin_stream(rate);
  return continue_stream(stream, samples, stop);
}

bench::ChannelRecord SimulatedBench::digitise(std::size_t k, const std::vector<double>& volts, double rate) {
  auto& w = *wired_;
  const double highest = inputs_[k].bandwidth_limit ? data_.input.bandwidth : data_.input.full_bandwidth;
  if (w.grid.empty()) {
    // Around the state that the record ended in; the densities change little over a period of a small signal.
    const SmallSignal around(w.network, w.transient.state());
    const auto sources = w.network.noise(w.transient.state());
    constexpr int kPieces = 28;
    for (int j = 0; j <= kPieces; ++j) w.grid.push_back(std::pow(10, 8.3 * j / kPieces));
    for (const int unknown : w.tap_unknowns) {
      std::vector<double> row;
      for (const double f : w.grid) row.push_back(noise_density(around, sources, f, unknown));
      w.density.push_back(std::move(row));
    }
  }
  const auto& row = w.density[k];
  Disturbance disturbance{.offset = w.taps[k].offset_sigma, .noise = w.taps[k].noise};
  if (*std::max_element(row.begin(), row.end()) > 0.05 * data_.input.noise_density)
    disturbance.series = coloured_noise(
        [&](double f) {
          const double place =
              std::clamp(std::log10(std::max(f, 1.0)) / 8.3 * double(row.size() - 1), 0.0, double(row.size() - 1));
          const auto low = std::min(std::size_t(place), row.size() - 2);
          return row[low] + (row[low + 1] - row[low]) * (place - double(low));
        },
        rate, highest, volts.size(), noise_);
  return digitiser_.convert(inputs_[k].pin, k, ranges_[k], inputs_[k].bandwidth_limit, volts, disturbance, noise_);
}

Result<void> SimulatedBench::look_for_ranges(double rate, std::stop_token stop) {
  bool look = std::any_of(inputs_.begin(), inputs_.end(), [](const auto& input) { return !input.range; });
  for (int attempt = 0; look && attempt < 6; ++attempt) {
    look = false;
    const double period = tone_ ? 1 / tone_->frequency : 4096 / rate;
    const int count = std::clamp(int(std::ceil(1.05 * rate * period)), 64, 4096);
    const double look_rate = std::min(rate, count / (1.05 * period));
    auto volts = solve_inputs(look_rate, count, stop);
    if (!volts) return tl::unexpected(volts.error());
    for (std::size_t k = 0; k < inputs_.size(); ++k) {
      if (inputs_[k].range) continue;
      const auto next = digitiser_.next_range(digitise(k, (*volts)[k], look_rate));
      if (next.range == ranges_[k]) continue;
      look = look || next.again;
      ranges_[k] = next.range;
      elapsed_ += data_.input.range_time;
    }
  }
  return {};
}

Result<bench::Capture> SimulatedBench::capture(double sample_rate, int samples, std::stop_token stop) {
  if (inputs_.empty() || samples < 1) return fail(Fault::bench, "Nothing is asked to be read.");
  if (auto ok = wire(); !ok) return tl::unexpected(ok.error());
  const double rate = nearest_rate(sample_rate);
  if (auto ok = look_for_ranges(rate, stop); !ok) return tl::unexpected(ok.error());
  auto stream = begin_stream(rate);
  auto volts = continue_stream(stream, samples, stop);
  if (!volts) return tl::unexpected(volts.error());
  bench::Capture capture{.sample_rate = rate, .trigger_at = {}, .began = first_sample(stream)};
  for (std::size_t k = 0; k < inputs_.size(); ++k) capture.channels.push_back(digitise(k, (*volts)[k], rate));
  keep_pace(stop);
  return capture;
}

Result<bench::Capture> SimulatedBench::capture_on(const bench::TriggerSetup& trigger, double sample_rate, int samples,
                                                  std::stop_token stop) {
  if (inputs_.empty() || samples < 2) return fail(Fault::bench, "Nothing is asked to be read.");
  if (trigger.input < 0 || trigger.input >= int(inputs_.size()))
    return fail(Fault::bench, "There is no input {} to trigger on.", trigger.input + 1);
  if (!(trigger.pre_trigger >= 0 && trigger.pre_trigger <= 1) || !(trigger.hold_off >= 0) || !(trigger.time_out > 0))
    return fail(Fault::bench, "The trigger's pre-trigger share, hold-off or time-out makes no sense.");
  for (const auto& input : inputs_)
    if (!input.range)
      return fail(Fault::bench,
                  "{}: a record that waits for an edge needs a fixed range; looking for one would miss the edge.",
                  input.pin);
  if (auto ok = wire(); !ok) return tl::unexpected(ok.error());
  const double rate = nearest_rate(sample_rate);
  const auto source = std::size_t(trigger.input);
  const double level = trigger.level, away = trigger.hysteresis > 0 ? trigger.hysteresis : 0.02 * ranges_[source];
  const auto before = std::size_t(std::lround(trigger.pre_trigger * (samples - 1)));
  Samples kept(inputs_.size());
  bool armed = false;
  std::optional<std::size_t> edge;
  double share = 0;
  std::size_t looked = 0, dropped = 0;
  auto stream = begin_stream(rate);
  while (true) {
    const auto read = dropped + kept[0].size();
    // An edge that comes after its time counts no more.
    const bool late = !edge && double(read) / rate > trigger.time_out + double(before) / rate;
    if (edge ? read >= *edge + std::size_t(samples) - before : late && kept[0].size() >= std::size_t(samples)) break;
    auto chunk = continue_stream(stream, std::min(samples, 4096), stop);
    if (!chunk) return tl::unexpected(chunk.error());
    for (std::size_t k = 0; k < kept.size(); ++k) kept[k].insert(kept[k].end(), (*chunk)[k].begin(), (*chunk)[k].end());
    const auto& v = kept[source];
    for (; !edge && !late && looked < dropped + v.size(); ++looked) {
      const double x = v[looked - dropped], way = trigger.rising ? x - level : level - x;
      if (armed && way >= 0 && looked >= before && looked > dropped && double(looked) / rate >= trigger.hold_off) {
        edge = looked;
        const double last = v[looked - dropped - 1];
        share = x != last ? (level - last) / (x - last) : 1;
      }
      armed = way < -away || (armed && way < 0);
    }
    // What can no longer be before an edge is let go.
    if (const std::size_t needed = std::max(before + 2, std::size_t(samples)); !edge && kept[0].size() > needed + 8192) {
      const auto drop = kept[0].size() - needed;
      for (auto& row : kept) row.erase(row.begin(), row.begin() + std::ptrdiff_t(drop));
      dropped += drop;
    }
  }
  bench::Capture capture{.sample_rate = rate, .trigger_at = {}};
  if (edge) capture.trigger_at = (double(before) - 1 + share) / rate;
  const auto first = edge ? std::ptrdiff_t(*edge - before - dropped) : std::ptrdiff_t(kept[0].size()) - samples;
  capture.began = first_sample(stream) + (double(dropped) + double(first)) / rate;
  for (std::size_t k = 0; k < inputs_.size(); ++k)
    capture.channels.push_back(digitise(k, {kept[k].begin() + first, kept[k].begin() + first + samples}, rate));
  keep_pace(stop);
  return capture;
}

double SimulatedBench::own_error(std::uint64_t a, std::uint64_t b) {
  const auto [it, fresh] = own_errors_.try_emplace({a, b}, 0);
  if (fresh) it->second = fixed_error(seed_, a, b);
  return it->second;
}

Result<bench::SourceReading> SimulatedBench::measure(int channel, double delay, double aperture, std::stop_token stop) {
  const auto it = sources_.find(channel);
  if (it == sources_.end()) return fail(Fault::bench, "Channel {} is not on.", channel + 1);
  if (!(delay >= 0) || !(aperture > 0)) return fail(Fault::bench, "Delay and aperture must not be negative.");
  const auto& s = it->second;
  const auto& d = data_.source;
  if (auto ok = wire(); !ok) return tl::unexpected(ok.error());
  if (delay > 0)
    if (auto ok = run(delay, delay, {}, stop); !ok) return tl::unexpected(ok.error());
  auto& net = wired_->network;
  const std::string id = " " + std::to_string(channel);
  const int ammeter = net.own_unknown("bench:ammeter of" + id);
  const int plus = net.node(s.four_wire ? *node_of(s.pin) : "bench:force" + id),
            minus = net.node(s.four_wire ? *node_of(s.against) : "bench:return" + id);
  double v = 0, i = 0;
  const double start = wired_->transient.time();
  auto ok = run(
      aperture, aperture / 2,
      [&](const Step& step) {
        // Simpson over the step; past the aperture nothing counts.
        const double h = (std::min(step.to, start + aperture) - step.from) / aperture;
        for (const auto& [place, weight] : {std::pair{0.0, 1.0 / 6}, {0.5, 4.0 / 6}, {1.0, 1.0 / 6}}) {
          const double at = step.from + place * h * aperture;
          v += weight * h * (step.at(plus, at) - step.at(minus, at));
          i += weight * h * step.at(ammeter, at);
        }
      },
      stop);
  elapsed_ += delay + aperture;
  if (!ok) return tl::unexpected(ok.error());

  const auto smallest = [](const auto& ranges, double value) {
    const auto r =
        std::find_if(ranges.begin(), ranges.end(), [&](double range) { return std::abs(value) <= 1.05 * range; });
    return std::size_t((r == ranges.end() ? ranges.end() - 1 : r) - ranges.begin());
  };
  const auto fixed = [&](const auto& ranges, const std::optional<double>& asked, double value) {
    return asked ? smallest(ranges, *asked / 1.05) : smallest(ranges, value);
  };
  const auto vr = fixed(d.voltage_ranges, s.voltage_range, v);
  const auto ir = fixed(d.current_ranges, s.current_range, std::max(std::abs(i), s.lowest_current_range / 1.05));
  bench::SourceReading out{.voltage_range = d.voltage_ranges[vr], .current_range = d.current_ranges[ir]};
  if (auto& last = source_ranges_[channel]; last != out.current_range) {
    last = out.current_range;
    elapsed_ += d.range_time;
  }
  const double noise = d.noise * std::sqrt(20e-3 / aperture);
  std::normal_distribution<double> normal;
  const auto read = [&](double truth, double range, std::uint64_t which, double& u, double& own, double& shared) {
    const double gain = d.u_gain * own_error(2000 + std::uint64_t(channel), which),
                 offset = d.u_offset * range * own_error(2100 + std::uint64_t(channel), which);
    own = noise * range;
    shared = std::hypot(d.u_gain * truth, d.u_offset * range);
    u = std::hypot(own, shared);
    // A fixed range too small for what is there shows its end.
    return std::clamp(truth * (1 + gain) + offset + noise * range * normal(noise_), -1.1 * range, 1.1 * range);
  };
  out.voltage = read(v, out.voltage_range, vr, out.u_voltage, out.u_voltage_noise, out.u_voltage_shared);
  out.current = read(i, out.current_range, 50 + ir, out.u_current, out.u_current_noise, out.u_current_shared);
  out.at_compliance =
      s.force == bench::Force::voltage ? std::abs(i) > 0.975 * s.compliance : std::abs(v) > 0.975 * s.compliance;
  keep_pace(stop);
  return out;
}

void SimulatedBench::off() {
  tone_.reset();
  generators_.clear();
  sources_.clear();
  source_ranges_.clear();
  source_starts_.clear();
  supply_.reset();
  surge_.reset();
  contacts_.clear();
  load_.reset();
  wired_.reset();
  resting_.clear();
}

}  // namespace heron::sim
