#include "sim/simulated_bench.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <thread>

#include "sim/device.h"
#include "sim/sensing.h"
#include "sim/wired.h"

namespace heron::sim {
namespace {

using std::numbers::pi;

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

SimulatedBench::SimulatedBench(Circuit circuit, std::uint64_t seed, BenchData data, bool paced)
    : circuit_(std::move(circuit)),
      seed_(seed),
      data_(std::move(data)),
      paced_(paced),
      digitiser_(data_.input, seed),
      // Converters of their own err on their own.
      fast_digitiser_(data_.fast, seed ^ 0xfa57u),
      noise_(seed),
      started_(std::chrono::steady_clock::now()) {}

SimulatedBench::~SimulatedBench() = default;

bench::Limits SimulatedBench::limits() const {
  const auto& g = data_.generator;
  bench::Limits out{.name = "Simulated bench",
                    .lowest_frequency = g.lowest_frequency,
                    .highest_frequency = g.highest_frequency,
                    .highest_level_pp = g.highest_level_pp,
                    .lowest_level_pp = g.lowest_level_pp,
                    .source_measure_channels = data_.source.channels,
                    .source_measure_voltage = data_.source.highest_voltage,
                    .source_measure_current = data_.source.highest_current,
                    .source_measure_overhead = data_.source.setting_time,
                    .source_measure_frequency = data_.source.highest_frequency,
                    .overhead_per_point = g.setting_time + data_.input.range_time,
                    .paced = paced_,
                    .supply_voltage = data_.supply.highest_voltage,
                    .supply_current = data_.supply.highest_current,
                    .load_voltage = data_.load.highest_voltage,
                    .load_current = data_.load.highest_current,
                    .load_power = data_.load.highest_power,
                    .lead_resistance = 2 * data_.supply.lead_resistance,
                    .reading_time = kReadingTime,
                    .thermometer_time = data_.thermometer.reading_time,
                    .surge_voltage = data_.surge.highest_voltage,
                    .least_surge_resistance = data_.surge.least_resistance,
                    .mains_voltage = data_.mains.highest_voltage,
                    .inverter_bus = data_.mains.highest_bus,
                    .highest_carrier = data_.mains.highest_carrier,
                    .bus_voltage = data_.bus.highest_voltage,
                    .bus_current = data_.bus.charge_current,
                    .gate_lowest = data_.gate.lowest,
                    .gate_highest = data_.gate.highest,
                    .least_gate_resistance = data_.gate.least_resistance,
                    .least_dead_time = data_.gate.least_dead_time};
  const auto with = [&](const InputData& i) {
    auto all = out;
    all.highest_sample_rate = i.highest_sample_rate;
    all.ranges.assign(i.ranges.begin(), i.ranges.end());
    all.inputs = i.inputs;
    all.input = {.ranges = all.ranges,
                 .bits = i.bits,
                 .resistance = i.resistance,
                 .capacitance = i.capacitance,
                 .bandwidth = i.bandwidth,
                 .full_bandwidth = i.full_bandwidth,
                 .highest = i.highest,
                 .highest_50 = i.highest_50_rms * std::numbers::sqrt2};
    return all;
  };
  auto fast = std::make_shared<bench::Limits>(with(data_.fast));
  out = with(data_.input);
  out.fast = std::move(fast);
  return out;
}

double SimulatedBench::nearest_rate(double sample_rate) const {
  const double highest = input_data().highest_sample_rate;
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

Result<void> SimulatedBench::connect(const std::vector<bench::InputSetup>& inputs, bench::Digitiser digitiser) {
  const bool fast = digitiser == bench::Digitiser::fast;
  const auto& d = fast ? data_.fast : data_.input;
  if (inputs.size() > std::size_t(d.inputs))
    return fail(Fault::bench, "{} quantities are to be sensed; the bench has {} inputs.", inputs.size(), d.inputs);
  Circuit tried = circuit_;
  add_idle_lead(tried);
  for (std::size_t k = 0; k < inputs.size(); ++k) {
    const auto& input = inputs[k];
    if (auto tap = add_input(tried, input, k, d, 0); !tap) return tl::unexpected(tap.error());
    if (input.range && !input.sensor.reads_codes() && std::find(d.ranges.begin(), d.ranges.end(), *input.range) == d.ranges.end())
      return fail(Fault::bench, "The input has no range of {}.", volts(*input.range));
  }
  off();
  fast_ = fast;
  inputs_ = inputs;
  ranges_.clear();
  for (const auto& input : inputs) ranges_.push_back(input.range.value_or(1.0));
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
    auto tap = add_input(whole, inputs_[k], k, input_data(), fitted.u_factor * fixed_error(identity, 1, 0));
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
    wired_->transitions.push_back(tap.converter ? std::optional<Transitions>(*tap.converter) : std::nullopt);
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
  if (tone_ || !sources_.empty() || supply_ || surge_ || !contacts_.empty() || load_ || bus_ || generators_.empty()) return 0;
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
  if (tone_ || !generators_.empty() || !sources_.empty() || supply_ || mains_ || surge_ || bus_ || !contacts_.empty() || circuit_.moves_by_itself()) {
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

void SimulatedBench::off() {
  // A bus keeps its charge, and with it the circuit its state, until it has been emptied.
  if (bus_) change();
  else resting_.clear();
  empties_ = bus_.has_value();
  gates_powered_ = false;
  tone_.reset();
  generators_.clear();
  sources_.clear();
  source_ranges_.clear();
  source_starts_.clear();
  supply_.reset();
  mains_.reset();
  surge_.reset();
  contacts_.clear();
  load_.reset();
  wired_.reset();
}

}  // namespace heron::sim
