#include "study/waveforms.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/quantity.h"
#include "study/quantities.h"

namespace heron::study {
namespace {

constexpr double kEven = 1e-3;  ///< steps that differ by less than this share are even

struct Times {
  TimeBase base;
  std::string deduced;
  std::vector<double> gaps;
};

/// The times of a table, wherever they lie.
class TimeColumn {
 public:
  explicit TimeColumn(const Channel& channel) : channel_(channel) {}

  std::size_t size() const { return channel_.size(); }
  /// Hands each time with its place to `use(k, time)`; nothing of them is held.
  Result<void> each(auto use) const {
    const auto some = [&](std::size_t first, std::span<const double> times) {
      for (std::size_t k = 0; k < times.size(); ++k) use(first + k, times[k]);
    };
    if (channel_.stored) return for_each_stretch(*channel_.stored, some);
    some(0, channel_.values());
    return {};
  }
  std::vector<double> all() const { return channel_.values(); }

 private:
  const Channel& channel_;
};

/// What one look at the times tells.
struct Steps {
  double first = 0, last = 0;
  double smallest = std::numeric_limits<double>::infinity();  ///< step that is none of 0 s, either way
  std::optional<std::size_t> bad;                             ///< the first time that does not rise
  bool repeats = false;                                       ///< it is the same as the one before it
  double mean(std::size_t n) const { return (last - first) / double(n - 1); }
};

/// How far the times lie from even steps, and the steps from their mean; s.
struct Unevenness {
  double places = 0, steps = 0;
};

Result<Steps> steps_of(const TimeColumn& t) {
  Steps out;
  double before = 0;
  auto ok = t.each([&](std::size_t k, double time) {
    if (k == 0) out.first = time;
    if (k > 0) {
      if (const double d = std::abs(time - before); d > 0) out.smallest = std::min(out.smallest, d);
      if (!(time > before) && !out.bad) {
        out.bad = k;
        out.repeats = time == before;
      }
    }
    before = out.last = time;
  });
  if (!ok) return tl::unexpected(ok.error());
  return out;
}

Result<Unevenness> unevenness_of(const TimeColumn& t, double first, double mean) {
  Unevenness out;
  double before = 0;
  auto ok = t.each([&](std::size_t k, double time) {
    out.places = std::max(out.places, std::abs(time - first - mean * double(k)));
    if (k > 0) out.steps = std::max(out.steps, std::abs(time - before - mean));
    before = time;
  });
  if (!ok) return tl::unexpected(ok.error());
  return out;
}

/// Even but for holes: the beginnings of those that whole multiples of the usual step explain.
std::vector<double> holes_of(const std::vector<double>& t) {
  std::vector<double> steps;
  steps.reserve(t.size() - 1);
  for (std::size_t k = 1; k < t.size(); ++k) steps.push_back(t[k] - t[k - 1]);
  auto sorted = steps;
  std::nth_element(sorted.begin(), sorted.begin() + std::ptrdiff_t(sorted.size() / 2), sorted.end());
  const double usual = sorted[sorted.size() / 2];
  std::vector<double> gaps;
  for (std::size_t k = 0; k < steps.size(); ++k) {
    const double times = steps[k] / usual;
    if (std::abs(times - std::round(times)) >= 0.05) return {};
    if (times > 1.5) gaps.push_back(t[k]);
  }
  return gaps;
}

Result<Times> times_of(const Channel& channel, const Record& record) {
  const TimeColumn t(channel);
  const auto steps = steps_of(t);
  if (!steps) return tl::unexpected(steps.error());
  const auto n = t.size();
  if (n < 2) return Times{TimeBase(steps->first, 1), {}, {}};
  const double mean = steps->mean(n);
  const auto uneven = unevenness_of(t, steps->first, mean);
  if (!uneven) return tl::unexpected(uneven.error());
  if (steps->bad) {
    // Times that repeat or go back are sound only if rounding alone explains it: all of them lie within their last digit
    // of even steps.
    if (!(mean > 0) || !std::isfinite(steps->smallest) || uneven->places > steps->smallest)
      return fail(Fault::input, "{}: the time {} the one before it; times must rise.", record.where(*steps->bad),
                  steps->repeats ? "is the same as" : "lies before");
    return Times{TimeBase(steps->first, mean), fmt::format("The times repeat by rounding; even steps of {} are taken.",
                                                           format_quantity(mean, "s", 6).plain()), {}};
  }
  // Rounding to the last digit of large times makes steps uneven though the samples are not: the places tell.
  if (uneven->places < kEven * mean || uneven->steps < kEven * mean) return Times{TimeBase(steps->first, mean), {}, {}};
  auto all = t.all();
  auto gaps = holes_of(all);
  return Times{TimeBase(std::make_shared<const std::vector<double>>(std::move(all))), {}, std::move(gaps)};
}

/// What the inputs' errors do to a quantity computed from them, over some of the record's samples.
TraceErrors computed_errors(const bench::Computed& computed, const std::vector<TracePtr>& from,
                            const std::vector<TraceErrors>& errors,
                            const std::vector<std::pair<std::string, double>>& parts) {
  TraceErrors out;
  constexpr std::size_t kLooked = 2048;
  const auto n = from.front()->size(), count = std::min(n, kLooked);
  std::vector<std::string> names;
  std::vector<std::vector<double>> rows(from.size());
  for (std::size_t k = 0; k < from.size(); ++k) {
    names.push_back(from[k]->name);
    for (std::size_t j = 0; j < count; ++j) {
      double v = 0;
      if (!from[k]->read(j * n / count, {&v, 1})) return out;
      rows[k].push_back(v);
    }
    if (errors[k].bandwidth > 0 && (out.bandwidth == 0 || errors[k].bandwidth < out.bandwidth)) {
      out.bandwidth = errors[k].bandwidth;
      out.slowest = errors[k].slowest;
    }
    out.u_delay = std::max(out.u_delay, errors[k].u_delay);
    out.low_corner = std::max(out.low_corner, errors[k].low_corner);
  }
  const auto made = [&](const std::vector<std::vector<double>>& with) -> std::vector<double> {
    auto row = bench::compute_channels({computed}, names, with, parts);
    return row ? std::move(row->front()) : std::vector<double>(count, 0.0);
  };
  const auto base = made(rows);
  double squares = 0;
  for (const double v : base) squares += v * v;
  for (std::size_t k = 0; k < rows.size(); ++k) {
    auto moved = rows;
    for (auto& v : moved[k]) v = v * (1 + errors[k].u_gain);
    const auto by_gain = made(moved);
    moved = rows;
    for (auto& v : moved[k]) v += errors[k].u_offset;
    const auto by_offset = made(moved);
    double gain = 0, offset = 0;
    for (std::size_t j = 0; j < count; ++j) {
      gain += std::pow(by_gain[j] - base[j], 2);
      offset += by_offset[j] - base[j];
    }
    if (squares > 0) out.u_gain = std::hypot(out.u_gain, std::sqrt(gain / squares));
    out.u_offset = std::hypot(out.u_offset, std::abs(offset) / double(std::max<std::size_t>(1, count)));
  }
  return out;
}

TraceErrors errors_of(const Channel& channel, const bench::Sensing& sensing, const nlohmann::json& about) {
  TraceErrors out;
  const double per = std::abs(sensing.per_volt);
  out.u_gain = std::hypot(channel.u_gain, sensing.u_factor);
  out.u_offset = std::hypot(channel.u_offset, sensing.u_zero) * per;
  out.u_delay = channel.u_delay;
  if (channel.counted()) {
    out.quantum = std::abs(channel.scale) * per;
    const double a = (channel.lowest_count * channel.scale - sensing.zero) * sensing.per_volt,
                 b = (channel.highest_count * channel.scale - sensing.zero) * sensing.per_volt;
    out.lowest = std::min(a, b);
    out.highest = std::max(a, b);
  }
  if (channel.range) out.range = *channel.range * per;
  out.bandwidth = about.value("bandwidth", sensing.bandwidth);
  out.slowest = about.value("slowest", std::string());
  out.corner = sensing.bandwidth;
  out.u_corner = sensing.u_bandwidth;
  out.low_corner = sensing.low_corner;
  return out;
}

/// What a converter's codes stand for, where the point says so and it makes sense.
std::optional<Coding> coding_of(const nlohmann::json& setting, const std::string& role) {
  constexpr int kMostBits = 24;
  const auto codes = setting.find("codes");
  if (codes == setting.end() || !codes->is_object() || !codes->contains(role)) return std::nullopt;
  const auto& own = codes->at(role);
  if (!own.is_object() || !own.contains("bits") || !own.contains("full_scale")) return std::nullopt;
  const auto &bits = own.at("bits"), &full_scale = own.at("full_scale");
  if (!bits.is_number_integer() || !full_scale.is_number()) return std::nullopt;
  const Coding out{bits.get<int>(), full_scale.get<double>()};
  if (out.bits < 2 || out.bits > kMostBits || !(out.full_scale > 0) || !std::isfinite(out.full_scale)) return std::nullopt;
  return out;
}

}  // namespace

const TracePtr* Waveforms::find(std::string_view name) const {
  const auto k = place(name);
  return k < traces.size() ? &traces[k] : nullptr;
}

std::size_t Waveforms::place(std::string_view name) const {
  return std::size_t(std::find_if(traces.begin(), traces.end(), [&](const auto& t) { return t->name == name; }) -
                     traces.begin());
}

std::size_t Waveforms::watched(const Watch& watch) const {
  return watch.quantity.empty() ? (traces.size() == 1 ? 0 : traces.size()) : place(watch.quantity);
}

std::size_t Waveforms::samples() const {
  std::size_t out = 0;
  for (const auto& trace : traces) out += trace->size();
  return out;
}

std::size_t Waveforms::bytes() const {
  std::size_t out = 0;
  for (const auto& trace : traces) out += trace->bytes();
  return out;
}

Result<WaveformsPtr> waveforms_of(const Point& point, const TimesSaid& said, std::string_view without_times,
                                  std::size_t which) {
  if (point.records.size() <= which) return fail(Fault::input, "Point {} has no record.", point.index + 1);
  const auto& record = point.records[which];
  auto out = std::make_shared<Waveforms>();
  out->index = point.index;
  out->measured = record.sample_rate > 0;
  const auto& setting = point.setting.json();
  const auto sensed_by = point.setting.sensed();
  if (!sensed_by) return tl::unexpected(sensed_by.error());
  // A table tells it by the name of the column.
  const auto drives = setting.find("stimulus");
  out->stimulus = drives != setting.end() && drives->is_string() ? drives->get<std::string>() : out->measured ? "" : "stimulus";
  TimeBase base;
  if (out->measured) {
    out->triggered = (*sensed_by)->trigger_at.has_value();
    out->fastest = setting.value("fastest", 0.0);
    if (const auto waits = setting.find("waits_for"); waits != setting.end() && waits->is_object())
      out->waits_for = Edge{.quantity = waits->value("quantity", std::string()),
                            .level = waits->value("level", 0.0),
                            .patience = waits->value("patience", 0.0),
                            .pulse = waits->contains("pulse") ? std::optional(waits->at("pulse").get<double>()) : std::nullopt};
    base = TimeBase(-(*sensed_by)->trigger_at.value_or(0), 1 / record.sample_rate);
  } else if (const auto* time = record.find("time")) {
    auto times = times_of(*time, record);
    if (!times) return tl::unexpected(times.error());
    base = times->base;
    out->deduced = std::move(times->deduced);
    out->gaps = std::move(times->gaps);
  } else if (said.step) {
    base = TimeBase(said.start.value_or(0), *said.step);
  } else {
    return fail(Fault::input, "There is no column called time: choose one for it, or {}", without_times);
  }
  const auto& chains = setting.find("chains");
  for (const auto& channel : record.channels) {
    if (!out->measured && channel.role == "time") continue;
    const auto& sensing = (*sensed_by)->of(channel.role);
    // What a channel is late by is taken off its times.
    const TimeBase own = base.even() ? TimeBase(base.start() - sensing.delay, base.step()) : base;
    const auto about = chains != setting.end() && chains->contains(channel.role) ? chains->at(channel.role)
                                                                                 : nlohmann::json::object();
    out->traces.push_back(
        trace_of(channel, (*sensed_by)->channels.contains(channel.role) ? sensing.unit : channel.unit, own, sensing.zero, sensing.per_volt));
    out->errors.push_back(errors_of(channel, sensing, about));
    const auto foreseen = setting.find("expected");
    out->expected_swing.push_back(foreseen != setting.end() ? foreseen->value(channel.role, 0.0) : 0.0);
    out->codes.push_back(coding_of(setting, channel.role));
    if (said.bandwidth) out->errors.back().bandwidth = *said.bandwidth;
    if (out->traces.back()->size() != out->traces.front()->size())
      return fail(Fault::input, "Point {}: its channels are not of one length.", point.index + 1);
  }
  if (out->traces.empty()) return fail(Fault::input, "Point {} has no quantity over time.", point.index + 1);
  const auto& parts = (*sensed_by)->parts;
  const auto sensed = out->traces;
  const auto known = out->errors;
  for (const auto& one : (*sensed_by)->computed) {
    auto trace = computed_trace(one, sensed, parts);
    if (!trace) return tl::unexpected(trace.error());
    out->errors.push_back(computed_errors(one, sensed, known, parts));
    out->traces.push_back(std::move(*trace));
    out->expected_swing.push_back(0);
    out->codes.emplace_back();
  }
  return WaveformsPtr(std::move(out));
}

}  // namespace heron::study
