#include "sim/simulated_bench.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/quantity.h"

namespace heron::sim {
namespace {

using std::numbers::pi;

Part two_terminal(std::string name, std::string_view kind, std::string a, std::string b, double value) {
  return make_part(std::move(name), kind, {std::move(a), std::move(b)}, {{"value", value}});
}

/// Standard normal from two seeds, independent of how often anything else was drawn.
double fixed_error(std::uint64_t seed, std::uint64_t a, std::uint64_t b) {
  std::seed_seq seq{seed & 0xffffffffu, seed >> 32, a, b};
  std::mt19937_64 random(seq);
  return std::normal_distribution<double>()(random);
}

std::string input_node(std::size_t k) { return "bench:input " + std::to_string(k); }

}  // namespace

struct SimulatedBench::Wired {
  Network network;
  Transient transient;
  PeriodicDrive periodic;

  Wired(Network n, double frequency)
      : network(std::move(n)),
        transient(network, State(std::size_t(network.size()), 0.0), 0, {.relative = 1e-5, .absolute = 1e-8}),
        periodic(transient, network, frequency) {}
};

SimulatedBench::SimulatedBench(Circuit circuit, std::uint64_t seed, GeneratorData generator, InputData input)
    : circuit_(std::move(circuit)), seed_(seed), generator_(generator), input_(input), noise_(seed) {}

SimulatedBench::~SimulatedBench() = default;

bench::Limits SimulatedBench::limits() const {
  return {.name = "Simulated bench",
          .lowest_frequency = generator_.lowest_frequency,
          .highest_frequency = generator_.highest_frequency,
          .highest_level_pp = generator_.highest_level_pp,
          .lowest_level_pp = generator_.lowest_level_pp,
          .highest_sample_rate = input_.highest_sample_rate,
          .ranges = {input_.ranges.begin(), input_.ranges.end()},
          .overhead_per_point = generator_.setting_time + input_.range_time};
}

double SimulatedBench::nearest_rate(double sample_rate) const {
  if (!(sample_rate > 0)) return input_.highest_sample_rate;
  return input_.highest_sample_rate / std::max(1.0, std::round(input_.highest_sample_rate / sample_rate));
}

Result<bench::AppliedDrive> SimulatedBench::drive(const bench::ToneDrive& wanted) {
  if (!circuit_.pins.contains(wanted.pin))
    return fail(Fault::bench, "The device has no pin \"{}\" to drive.", wanted.pin);
  if (!(wanted.frequency >= generator_.lowest_frequency && wanted.frequency <= generator_.highest_frequency))
    return fail(Fault::bench, "The generator cannot give {}; it reaches from {} to {}.",
                format_setting(wanted.frequency, "Hz"), format_setting(generator_.lowest_frequency, "Hz"),
                format_setting(generator_.highest_frequency, "Hz"));
  const double reach = wanted.peak_to_peak + 2 * std::abs(wanted.offset);
  if (!(wanted.peak_to_peak > 0) || reach > generator_.highest_level_pp * (1 + 1e-9))
    return fail(Fault::bench, "The generator cannot give {} pk-pk with {} offset; its limit is {} pk-pk in all.",
                format_setting(wanted.peak_to_peak, "V"), format_setting(wanted.offset, "V"),
                format_setting(generator_.highest_level_pp, "V"));
  if (!(wanted.source_resistance > 0)) return fail(Fault::bench, "The source resistance must be above zero.");
  if (const auto rating = circuit_.voltage_rating(wanted.pin); rating && reach / 2 > *rating)
    return fail(Fault::bench, "{} would see {} peak; its rating is {}. Lower the level.", wanted.pin,
                format_setting(reach / 2, "V"), format_setting(*rating, "V"));

  bench::ToneDrive set = wanted;
  const double range = *std::find_if(generator_.ranges_pp.begin(), generator_.ranges_pp.end() - 1,
                                     [&](double r) { return reach <= r * (1 + 1e-9); });
  const double count = range / double(1 << generator_.bits);
  set.peak_to_peak = std::max(1.0, std::round(wanted.peak_to_peak / count)) * count;
  set.offset = std::round(wanted.offset / count) * count;
  set.frequency = std::max(1.0, std::round(wanted.frequency / generator_.frequency_step)) * generator_.frequency_step;

  // The generator goes on in phase: at the instant of the change the old and the new sine stand at the same angle.
  if (driving_)
    phase_ = std::remainder(phase_ + 2 * pi * drive_.frequency * circuit_time_, 2 * pi);
  else
    phase_ = -pi / 2;
  if (wired_) state_ = wired_->transient.state();
  circuit_time_ = 0;
  drive_ = set;
  driving_ = true;
  wired_.reset();
  elapsed_ += generator_.setting_time;
  return bench::AppliedDrive{set.frequency, set.peak_to_peak, set.offset};
}

Result<void> SimulatedBench::connect(const std::vector<bench::InputSetup>& inputs) {
  for (const auto& input : inputs) {
    if (!circuit_.pins.contains(input.pin))
      return fail(Fault::bench, "The device has no pin \"{}\" to sense.", input.pin);
    if (input.range && std::find(input_.ranges.begin(), input_.ranges.end(), *input.range) == input_.ranges.end())
      return fail(Fault::bench, "The input has no range of {}.", format_setting(*input.range, "V"));
  }
  off();
  inputs_ = inputs;
  ranges_.clear();
  for (const auto& input : inputs) ranges_.push_back(input.range.value_or(1.0));
  return {};
}

/// Builds the network of device, generator and inputs, and starts it where the last drive left it.
Result<void> SimulatedBench::wire() {
  if (wired_) return {};
  if (!driving_) return fail(Fault::bench, "Nothing is driven yet.");
  Circuit whole = circuit_;
  Part emf = two_terminal("bench:generator", "voltage source", "bench:emf", std::string(kGround), drive_.offset);
  emf.values["peak"] = {drive_.peak_to_peak / 2, 0};
  emf.values["frequency"] = {drive_.frequency, 0};
  emf.values["phase"] = {phase_ * 180 / pi, 0};
  whole.parts.push_back(emf);
  whole.parts.push_back(
      two_terminal("bench:source", "resistor", "bench:emf", circuit_.pins.at(drive_.pin), drive_.source_resistance));
  for (std::size_t k = 0; k < inputs_.size(); ++k) {
    const std::string& pin = circuit_.pins.at(inputs_[k].pin);
    const std::string suffix = std::to_string(k), buffer = "bench:buffer " + suffix;
    whole.parts.push_back(
        two_terminal("bench:load " + suffix, "resistor", pin, std::string(kGround), input_.resistance));
    whole.parts.push_back(
        two_terminal("bench:shunt " + suffix, "capacitor", pin, std::string(kGround), input_.capacitance));
    Part follower{.name = "bench:follower " + suffix,
                  .kind = find_part_kind("voltage by voltage"),
                  .nodes = {buffer, std::string(kGround), pin, std::string(kGround)}};
    follower.values["value"] = {1, 0};
    whole.parts.push_back(follower);
    const double r = 1e3;
    whole.parts.push_back(two_terminal("bench:pole r " + suffix, "resistor", buffer, input_node(k), r));
    whole.parts.push_back(two_terminal("bench:pole c " + suffix, "capacitor", input_node(k), std::string(kGround),
                                       1 / (2 * pi * input_.bandwidth * r)));
  }
  auto network = Network::compile(whole);
  if (!network) return tl::unexpected(Error{Fault::bench, network.error().message});
  wired_ = std::make_unique<Wired>(std::move(*network), drive_.frequency);
  auto& net = wired_->network;
  if (state_.empty()) {
    auto rest = operating_point(net);
    if (!rest) return tl::unexpected(rest.error());
    state_ = std::move(*rest);
  }
  wired_->transient.set_state(state_, circuit_time_);
  return {};
}

Result<void> SimulatedBench::wait(double seconds, std::stop_token stop) {
  if (stop.stop_requested()) return fail(Fault::stopped, "Stopped.");
  elapsed_ += std::max(0.0, seconds);
  if (!driving_) return {};
  if (auto ok = wire(); !ok) return ok;
  auto ok = wired_->periodic.wait(seconds, stop);
  circuit_time_ = wired_->transient.time();
  return ok;
}

Result<std::vector<std::vector<double>>> SimulatedBench::solve_inputs(double rate, int samples, std::stop_token stop) {
  const auto inputs = inputs_.size();
  std::vector<std::vector<double>> volts(inputs, std::vector<double>(std::size_t(samples)));
  std::vector<int> unknowns;
  std::vector<double> delays;
  for (std::size_t k = 0; k < inputs; ++k) {
    unknowns.push_back(wired_->network.node(input_node(k)));
    delays.push_back(input_.u_delay * fixed_error(seed_, 1000 + k, 0));
  }
  const double start = wired_->transient.time();
  // Delays are far below a sample; one spare sample of time lets late inputs be read too.
  const double duration = (samples + 1) / rate;
  std::vector<std::size_t> next(inputs, 0);
  auto ok = wired_->periodic.watch(
      duration,
      [&](const Step& step) {
        for (std::size_t k = 0; k < inputs; ++k)
          for (; next[k] < std::size_t(samples); ++next[k]) {
            const double at = start + (double(next[k]) + 0.5) / rate + delays[k];
            if (at > step.to) break;
            volts[k][next[k]] = step.at(unknowns[k], at);
          }
      },
      stop);
  circuit_time_ = wired_->transient.time();
  elapsed_ += duration;
  if (!ok) return tl::unexpected(ok.error());
  return volts;
}

bench::ChannelRecord SimulatedBench::digitise(const std::string& pin, std::size_t input, double range,
                                              const std::vector<double>& volts) {
  const auto range_index =
      std::uint64_t(std::find(input_.ranges.begin(), input_.ranges.end(), range) - input_.ranges.begin());
  const double gain = 1 + input_.u_gain * fixed_error(seed_, input, range_index);
  const double offset = input_.u_offset * range * fixed_error(seed_, 100 + input, range_index);
  const double noise =
      std::hypot(input_.noise_density * std::sqrt(pi / 2 * input_.bandwidth), input_.range_noise * range);
  const int half = 1 << (input_.bits - 1);
  bench::ChannelRecord record{.pin = pin,
                              .volts_per_count = range / half,
                              .range = range,
                              .lowest_count = -half,
                              .highest_count = half - 1,
                              .u_gain = input_.u_gain,
                              .u_delay = input_.u_delay};
  record.counts.reserve(volts.size());
  std::normal_distribution<double> normal(0, noise);
  for (const double v : volts) {
    const double counts = std::round((v * gain + offset + normal(noise_)) / record.volts_per_count);
    record.counts.push_back(std::int16_t(std::clamp(counts, double(-half), double(half - 1))));
  }
  return record;
}

/// One look of automatic ranging: judges by what the converter shows, as hardware would.
void SimulatedBench::choose_ranges(const std::vector<std::vector<double>>& volts, bool& look_again) {
  look_again = false;
  for (std::size_t k = 0; k < inputs_.size(); ++k) {
    if (inputs_[k].range) continue;
    const auto seen = digitise(inputs_[k].pin, k, ranges_[k], volts[k]);
    int peak = 0;
    bool clipped = false;
    for (const int c : seen.counts) {
      peak = std::max(peak, std::abs(c));
      clipped = clipped || c <= seen.lowest_count || c >= seen.highest_count;
    }
    double wanted = input_.ranges.back();
    if (clipped) {
      const auto above = std::upper_bound(input_.ranges.begin(), input_.ranges.end(), ranges_[k] * 4.9);
      if (above != input_.ranges.end()) wanted = *above;
    } else {
      const double needed = 1.15 * peak * seen.volts_per_count;
      wanted = *std::find_if(input_.ranges.begin(), input_.ranges.end() - 1, [&](double r) { return needed <= r; });
    }
    if (wanted == ranges_[k]) continue;
    // What was clipped, or seen with a few counts only, is not yet known well enough.
    look_again = look_again || clipped || peak < 64;
    ranges_[k] = wanted;
    elapsed_ += input_.range_time;
  }
}

Result<bench::Capture> SimulatedBench::capture(double sample_rate, int samples, std::stop_token stop) {
  if (inputs_.empty() || samples < 1) return fail(Fault::bench, "Nothing is asked to be read.");
  if (auto ok = wire(); !ok) return tl::unexpected(ok.error());
  const double rate = nearest_rate(sample_rate);
  const bool automatic = std::any_of(inputs_.begin(), inputs_.end(), [](const auto& input) { return !input.range; });
  bool look = automatic;
  for (int attempt = 0; look && attempt < 6; ++attempt) {
    const int count = std::clamp(int(std::ceil(1.05 * rate / drive_.frequency)), 64, 4096);
    auto volts = solve_inputs(std::min(rate, count * drive_.frequency / 1.05), count, stop);
    if (!volts) return tl::unexpected(volts.error());
    choose_ranges(*volts, look);
  }
  auto volts = solve_inputs(rate, samples, stop);
  if (!volts) return tl::unexpected(volts.error());
  bench::Capture capture{.sample_rate = rate};
  for (std::size_t k = 0; k < inputs_.size(); ++k)
    capture.channels.push_back(digitise(inputs_[k].pin, k, ranges_[k], (*volts)[k]));
  return capture;
}

void SimulatedBench::off() {
  driving_ = false;
  wired_.reset();
  state_.clear();
}

}  // namespace heron::sim
