#include <algorithm>
#include <cassert>
#include <cmath>

#include "base/random.h"
#include "sim/coloured_noise.h"
#include "sim/small_signal.h"
#include "sim/trigger.h"
#include "sim/wired.h"

namespace heron::sim {

/// Hardware opens a 50-ohm input before it burns, and a 1-megohm input must not see what harms it.
Result<void> SimulatedBench::protect(const std::vector<double>& peak, const std::vector<double>& mean_square) {
  for (std::size_t k = 0; k < inputs_.size(); ++k) {
    const bool low = inputs_[k].ohms < 1e3;
    const double rms = std::sqrt(mean_square[k]);
    if (low && rms > input_data().highest_50_rms) {
      off();
      return fail(Fault::bench,
                  "The input of {} opened: {} rms into its 50 ohm, where {} is the limit. Use the 1-megohm input or an "
                  "attenuator.",
                  inputs_[k].pin, volts(rms), volts(input_data().highest_50_rms));
    }
    if (!low && peak[k] > input_data().highest) {
      off();
      return fail(Fault::bench, "The input of {} would be harmed: {} at its terminal, where {} is the limit.",
                  inputs_[k].pin, volts(peak[k]), volts(input_data().highest));
    }
  }
  return {};
}

std::vector<Impurity> SimulatedBench::impurities() const {
  const auto& g = data_.generator;
  std::vector<Impurity> out;
  const auto add = [&](const std::string& name, const std::string& pin, double resistance, double peak, double offset, double frequency, double phase) {
    const double range = g.range_for(2 * (peak + std::abs(offset)));
    out.push_back({.emf = wired_->network.node("bench:emf " + name),
                   .pin = wired_->network.node(circuit_.pins.at(pin)),
                   .resistance = resistance,
                   .noise = std::hypot(g.noise_density, g.range_noise_density * range),
                   .spur = g.spur * peak,
                   .frequency = g.spur_ratio * frequency,
                   .phase = g.spur_ratio * phase});
  };
  if (tone_ && !tone_->compliance) add("tone", tone_->pin, tone_->source_resistance, tone_->peak_to_peak / 2, tone_->offset, tone_->frequency, phase_);
  for (const auto& [k, one] : generators_)
    if (one.wave.shape == Waveform::Shape::sine)
      add(std::to_string(k), one.pin, one.source_resistance, std::abs(one.wave.peak), one.wave.offset, one.wave.frequency, one.wave.phase);
  return out;
}

SimulatedBench::Stream SimulatedBench::begin_stream(double rate, bool very_long) {
  auto& w = *wired_;
  Stream out{.start = w.transient.time(), .rate = rate, .delays = {}, .rows = Samples(inputs_.size()), .taken = std::vector<std::size_t>(inputs_.size(), 0)};
  // A record of few samples is never far from the solver's own steps. In a long one the device often rests, and the
  // local error alone says how long a step may be.
  // At the rates of fast edges the device rests between them for thousands of samples.
  out.longest_step = very_long ? 4096 / rate : bus_ ? 128 / rate : 8 / rate;
  // What is not periodic shows the sum of all local errors in its time constants: it is held to less than any figure sees.
  // A shot is over before they could add up; each edge of an inverter dies away before the next, and those that rise
  // undo what those that fall have added.
  const bool edges = bus_ || (mains_ && mains_->carrier > 0);
  w.transient.set_tolerances(tone_ || edges ? kTolerances : kFineTolerances);
  for (std::size_t k = 0; k < inputs_.size(); ++k)
    out.delays.push_back(input_data().u_delay * fixed_error(seed_, (fast_ ? 1100 : 1000) + k, 0) - w.taps[k].delay);
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
      duration, s.longest_step,
      [&](const Step& step) {
        for (std::size_t k = 0; k < inputs; ++k) {
          for (;; ++s.taken[k]) {
            const double at = s.start + (double(s.taken[k]) + 0.5) / s.rate + s.delays[k];
            if (at > step.to) break;
            const auto& converter = w.taps[k].converter;
            const double off = converter && converter->jitter > 0 ? converter->jitter * normal_deviate(noise_) : 0;
            s.rows[k].push_back(step.at(w.tap_unknowns[k], at + off));
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

bench::ChannelRecord SimulatedBench::digitise(std::size_t k, const std::vector<double>& volts, double rate, double first) {
  auto& w = *wired_;
  const double highest = inputs_[k].bandwidth_limit ? input_data().bandwidth : input_data().full_bandwidth;
  if (w.grid.empty()) {
    // Around the state that the record ended in; the densities change little over a period of a small signal.
    const SmallSignal around(w.network, w.transient.state());
    auto sources = w.network.noise(w.transient.state());
    const auto beside = impurities();
    for (const auto& one : beside) sources.push_back(as_noise(one));
    constexpr int kPieces = 28;
    for (int j = 0; j <= kPieces; ++j) w.grid.push_back(std::pow(10, 8.3 * j / kPieces));
    for (const int unknown : w.tap_unknowns) {
      std::vector<double> row;
      for (const double f : w.grid) row.push_back(noise_density(around, sources, f, unknown));
      w.density.push_back(std::move(row));
      w.spurs.push_back(spurs_at(around, beside, unknown));
    }
  }
  const auto& row = w.density[k];
  Disturbance disturbance{.offset = w.taps[k].offset_sigma, .noise = w.taps[k].noise};
  if (*std::max_element(row.begin(), row.end()) > 0.05 * input_data().noise_density) {
    auto noise = coloured_noise(
        [&](double f) {
          const double place =
              std::clamp(std::log10(std::max(f, 1.0)) / 8.3 * double(row.size() - 1), 0.0, double(row.size() - 1));
          const auto low = std::min(std::size_t(place), row.size() - 2);
          return row[low] + (row[low + 1] - row[low]) * (place - double(low));
        },
        rate, highest, volts.size(), noise_);
    disturbance.series = std::move(noise.series);
    disturbance.noise = std::hypot(disturbance.noise, noise.folded);
  }
  if (!w.spurs[k].empty()) {
    disturbance.series.resize(volts.size(), 0.0);
    add_spurs(w.spurs[k], first, rate, disturbance.series);
  }
  if (const auto& converter = w.taps[k].converter) {
    auto own = *converter;
    own.noise = std::hypot(own.noise, disturbance.noise);
    return read_codes(inputs_[k].pin, own, *w.transitions[k], volts, disturbance.series, noise_);
  }
  return digitiser().convert(inputs_[k].pin, k, ranges_[k], inputs_[k].bandwidth_limit, volts, disturbance, noise_);
}

Result<void> SimulatedBench::look_for_ranges(double rate, std::stop_token stop) {
  bool look = std::any_of(inputs_.begin(), inputs_.end(), [](const auto& input) { return input.looks_for_range(); });
  for (int attempt = 0; look && attempt < 6; ++attempt) {
    look = false;
    const double period = tone_ ? 1 / tone_->frequency : 4096 / rate;
    const int count = std::clamp(int(std::ceil(1.05 * rate * period)), 64, 4096);
    const double look_rate = std::min(rate, count / (1.05 * period));
    auto volts = solve_inputs(look_rate, count, stop);
    if (!volts) return tl::unexpected(volts.error());
    for (std::size_t k = 0; k < inputs_.size(); ++k) {
      if (!inputs_[k].looks_for_range()) continue;
      const auto next = digitiser().next_range(digitise(k, (*volts)[k], look_rate, 0));
      if (next.range == ranges_[k]) continue;
      look = look || next.again;
      ranges_[k] = next.range;
      elapsed_ += input_data().range_time;
    }
  }
  return {};
}

Result<void> SimulatedBench::hand_over(bench::Capture& capture, const Samples& rows, double first, const bench::StretchSink& sink,
                                       std::stop_token stop) {
  std::vector<bench::ChannelRecord> channels;
  for (std::size_t k = 0; k < inputs_.size(); ++k) channels.push_back(digitise(k, rows[k], capture.sample_rate, first));
  keep_pace(stop);
  if (!sink) {
    capture.channels = std::move(channels);
    return {};
  }
  bench::Capture stretch{.sample_rate = capture.sample_rate, .channels = std::move(channels), .trigger_at = capture.trigger_at, .began = capture.began};
  if (auto ok = sink(stretch); !ok) return ok;
  for (auto& channel : stretch.channels) channel.counts.clear();
  capture.channels = std::move(stretch.channels);
  return {};
}

namespace {

constexpr int kVeryLong = 1 << 20;   ///< samples of a record in which the solver takes steps as long as it can
constexpr int kHandedOver = 1 << 16; ///< samples at a time...
constexpr double kShown = 0.1;       ///< ...but no more than come in so many seconds

int stretch_of(double rate, int left) { return std::min(left, int(std::clamp(kShown * rate, 256.0, double(kHandedOver)))); }

}  // namespace

Result<bench::Capture> SimulatedBench::capture(double sample_rate, int samples, std::stop_token stop,
                                               const bench::StretchSink& sink) {
  if (inputs_.empty() || samples < 1) return fail(Fault::bench, "Nothing is asked to be read.");
  if (auto ok = wire(); !ok) return tl::unexpected(ok.error());
  const double rate = nearest_rate(sample_rate);
  if (auto ok = look_for_ranges(rate, stop); !ok) return tl::unexpected(ok.error());
  auto stream = begin_stream(rate, samples > kVeryLong);
  bench::Capture capture{.sample_rate = rate, .trigger_at = {}, .began = first_sample(stream)};
  for (int left = samples; left > 0;) {
    const int now = sink ? stretch_of(rate, left) : left;
    const auto rows = continue_stream(stream, now, stop);
    if (!rows) return tl::unexpected(rows.error());
    if (auto ok = hand_over(capture, *rows, capture.began + double(samples - left) / rate, sink, stop); !ok) return tl::unexpected(ok.error());
    left -= now;
  }
  return capture;
}

Result<bench::Capture> SimulatedBench::capture_on(const bench::TriggerSetup& trigger, double sample_rate, int samples,
                                                  std::stop_token stop, const bench::StretchSink& sink) {
  if (inputs_.empty() || samples < 2) return fail(Fault::bench, "Nothing is asked to be read.");
  if (trigger.input < 0 || trigger.input >= int(inputs_.size()))
    return fail(Fault::bench, "There is no input {} to trigger on.", trigger.input + 1);
  if (!(trigger.pre_trigger >= 0 && trigger.pre_trigger <= 1) || !(trigger.hold_off >= 0) || !(trigger.time_out > 0))
    return fail(Fault::bench, "The trigger's pre-trigger share, hold-off or time-out makes no sense.");
  if (trigger.event != bench::TriggerSetup::Event::edge && !(trigger.width > 0))
    return fail(Fault::bench, "A pulse that is waited for is narrower or wider than some time above zero.");
  for (const auto& input : inputs_)
    if (input.looks_for_range())
      return fail(Fault::bench,
                  "{}: a record that waits for an edge needs a fixed range; looking for one would miss the edge.",
                  input.pin);
  if (auto ok = wire(); !ok) return tl::unexpected(ok.error());
  const double rate = nearest_rate(sample_rate);
  const auto source = std::size_t(trigger.input);
  const auto before = std::size_t(std::lround(trigger.pre_trigger * (samples - 1)));
  TriggerFinder finder(trigger, trigger.hysteresis > 0 ? trigger.hysteresis : 0.02 * ranges_[source], rate, double(before));
  auto stream = begin_stream(rate, samples > kVeryLong);
  // What may be before the trigger is held; a pulse is known for one only at its end.
  Samples kept(inputs_.size());
  std::size_t dropped = 0;
  std::optional<double> place;
  const auto drop = [&](std::size_t count) {
    for (auto& row : kept) row.erase(row.begin(), row.begin() + std::ptrdiff_t(count));
    dropped += count;
  };
  while (!place) {
    const auto read = dropped + kept[0].size();
    // What comes after its time counts no more.
    if (double(read) / rate > trigger.time_out + double(before) / rate && kept[0].size() >= std::size_t(samples)) break;
    const auto chunk = continue_stream(stream, std::min(samples, 4096), stop);
    if (!chunk) return tl::unexpected(chunk.error());
    for (std::size_t k = 0; k < kept.size(); ++k) kept[k].insert(kept[k].end(), (*chunk)[k].begin(), (*chunk)[k].end());
    const bool late = double(read) / rate > trigger.time_out + double(before) / rate;
    for (const double v : (*chunk)[source])
      if (!late && !place) place = finder.look(v);
    if (place) break;
    if (trigger.waiting) {
      const auto [low, high] = std::minmax_element((*chunk)[source].begin(), (*chunk)[source].end());
      trigger.waiting(*low, *high);
      keep_pace(stop);
    }
    if (const std::size_t needed = std::size_t(samples) + 2; kept[0].size() > needed + 8192) drop(kept[0].size() - needed);
  }
  // A pulse that took long to fall for good may have ended before what is still held.
  const auto first = place ? std::max(dropped, std::size_t(std::ceil(*place)) - before) : dropped + kept[0].size() - std::size_t(samples);
  drop(first - dropped);
  bench::Capture capture{.sample_rate = rate, .trigger_at = {}, .began = first_sample(stream) + double(first) / rate};
  if (place) capture.trigger_at = (*place - double(first)) / rate;
  for (int left = samples; left > 0;) {
    const int now = sink ? stretch_of(rate, left) : left;
    if (kept[0].size() < std::size_t(now)) {
      const auto more = continue_stream(stream, now - int(kept[0].size()), stop);
      if (!more) return tl::unexpected(more.error());
      for (std::size_t k = 0; k < kept.size(); ++k) kept[k].insert(kept[k].end(), (*more)[k].begin(), (*more)[k].end());
    }
    Samples rows(kept.size());
    for (std::size_t k = 0; k < kept.size(); ++k) rows[k].assign(kept[k].begin(), kept[k].begin() + now);
    drop(std::size_t(now));
    if (auto ok = hand_over(capture, rows, capture.began + double(samples - left) / rate, sink, stop); !ok) return tl::unexpected(ok.error());
    left -= now;
  }
  return capture;
}

}  // namespace heron::sim
