#pragma once
#include <cstdint>
#include <memory>
#include <mutex>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "base/result.h"
#include "signal/block_sums.h"
#include "study/raw.h"

/// Quantities against time, wherever their samples lie: what all kinds that look at records stand on.
namespace heron::study {

/// Where the samples of a record stand in time: at even steps, or each at its own.
class TimeBase {
 public:
  TimeBase() = default;
  /// @param step  s, above zero
  TimeBase(double start, double step) : start_(start), step_(step) {}
  /// @param times  s, strictly rising, at least two
  explicit TimeBase(std::shared_ptr<const std::vector<double>> times)
      : start_(times->front()),
        step_((times->back() - times->front()) / double(times->size() - 1)),
        times_(std::move(times)) {}

  bool even() const { return !times_; }
  double start() const { return start_; }
  /// Between samples; of uneven ones the mean.
  double step() const { return step_; }
  double at(std::size_t sample) const { return times_ ? (*times_)[sample] : start_ + step_ * double(sample); }
  /// Between samples linearly; beyond the ends with the mean step.
  double at_place(double place) const;
  /// The place of a time among so many samples: 2.5 is half way from sample 2 to 3. Beyond the ends below 0 or above the
  /// last.
  double place_of(double time, std::size_t samples) const;

 private:
  double start_ = 0, step_ = 1;
  std::shared_ptr<const std::vector<double>> times_;
};

/// The lowest and highest of a stretch.
struct TraceRange {
  double low = 0, high = 0;
};

/// One quantity over time. Never altered once made; any thread may read.
class Trace {
 public:
  virtual ~Trace() = default;
  Trace(std::string called, std::string in, TimeBase over)
      : name(std::move(called)), unit(std::move(in)), time(std::move(over)) {}
  Trace(const Trace&) = delete;
  Trace& operator=(const Trace&) = delete;

  const std::string name, unit;
  const TimeBase time;

  virtual std::size_t size() const = 0;
  /// Values from `first` on, as many as fit `out`. Fault::input where there are not so many or they are damaged.
  virtual Result<void> read(std::size_t first, std::span<double> out) const = 0;
  /// The lowest and highest of each of `columns` stretches that share [first, last) out; fewer where there are fewer
  /// samples than columns. Long stretches begin and end where blocks of extremes do, at most a quarter of a stretch beside.
  /// The first call reads all samples once; from then on the cost follows the columns.
  virtual Result<std::vector<TraceRange>> envelope(std::size_t first, std::size_t last, std::size_t columns) const;
  /// What every kBlock samples come to, the last block of what is left. The first call reads all samples once.
  Result<std::span<const signal::BlockSums>> blocks() const;
  static constexpr std::size_t kBlock = 256;
  /// What it holds in memory.
  virtual std::size_t bytes() const = 0;

  double seconds() const { return size() < 2 ? 0 : time.at(size() - 1) - time.at(0); }

 private:
  mutable std::mutex mutex_;
  mutable std::vector<signal::BlockSums> blocks_;  ///< once they were asked for
};
using TracePtr = std::shared_ptr<const Trace>;

/// How well the samples of a trace are known, apart from their noise: what all of them share.
struct TraceErrors {
  double u_gain = 0;             ///< relative
  double u_offset = 0;           ///< in the unit
  double u_delay = 0;            ///< s, against other traces of the record
  double quantum = 0;            ///< one count, in the unit; 0: not known
  std::optional<double> rounding = {};    ///< what is left of rounding in every sample alike, in the unit; unset: as the noise of the trace tells
  std::optional<double> lowest, highest;  ///< ends of the converter, in the unit
  std::optional<double> range;   ///< full range, in the unit
  double bandwidth = 0;          ///< Hz, of sensor and input together; 0: not known
  std::string slowest = {};      ///< what sets it: "the clamp"
  double corner = 0;             ///< Hz, -3 dB of the sensor alone, one pole; 0: far above
  double u_corner = 0;           ///< relative standard uncertainty of both its corners
  double low_corner = 0;         ///< Hz, below which the sensor gives nothing; 0: down to DC
};

/// What rounding to counts does to a value in the same way every time, as the amplitude of a wave of one count's length:
/// q/pi exp(-2 pi^2 (noise/q)^2) (Widrow and Kollar, Quantization Noise). Gone once there is half a count of noise.
/// @param quantum  one count, above zero
/// @param noise    standard deviation of the samples, rounding included
double left_of_rounding(double quantum, double noise);

/// Hands one stretch after another of [first, last) to `use(first, values)`; memory stays flat.
template <class Use>
Result<void> for_each_stretch(const Trace& trace, std::size_t first, std::size_t last, Use use) {
  std::vector<double> values;
  for (std::size_t at = first; at < last; at += kStretch) {
    values.resize(std::min(kStretch, last - at));
    if (auto ok = trace.read(at, values); !ok) return ok;
    use(at, std::span<const double>(values));
  }
  return {};
}

/// The same with less reading: of whole blocks that `takes(k, blocks)` wants only the sums are handed to `whole(first, block)`;
/// all other samples come through `use(first, values)`. In the order of time.
template <class Takes, class Whole, class Use>
Result<void> for_each_block(const Trace& trace, std::size_t first, std::size_t last, Takes takes, Whole whole, Use use) {
  const auto blocks = trace.blocks();
  if (!blocks) return tl::unexpected(blocks.error());
  constexpr auto kBlock = Trace::kBlock;
  std::size_t unread = first;
  for (std::size_t k = (first + kBlock - 1) / kBlock; (k + 1) * kBlock <= last; ++k) {
    if (!takes(k, *blocks)) continue;
    if (auto ok = for_each_stretch(trace, unread, k * kBlock, use); !ok) return ok;
    whole(k * kBlock, (*blocks)[k]);
    unread = (k + 1) * kBlock;
  }
  return for_each_stretch(trace, unread, last, use);
}

/// Numbers in memory.
TracePtr trace_of(std::string name, std::string unit, TimeBase time, std::vector<double> numbers);

/// A channel in its quantity: (volts - zero) * per_volt. A recording stays where it lies.
TracePtr trace_of(const Channel& channel, std::string unit, TimeBase time, double zero, double per_volt);

/// A formula over other traces of one record, worked out where it is read.
/// @param names  of the traces, as the formula has them
/// @param parts  values that it may use besides
/// @return which formula cannot be read
Result<TracePtr> computed_trace(const bench::Computed& computed, std::vector<TracePtr> traces,
                                std::vector<std::pair<std::string, double>> parts);

/// A trace where another time base has its samples, from `first` on: what is sensed by unlike chains is not sampled at
/// the same times. Between samples linearly; beyond the ends the first or the last value.
Result<void> read_at(const Trace& trace, const TimeBase& times, std::size_t first, std::span<double> out);

/// Interpolated linearly; nothing outside the record.
Result<std::optional<double>> value_at(const Trace& trace, double time);

}  // namespace heron::study
