#include "study/trace.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "bench/hookup.h"

namespace heron::study {
namespace {

/// How many samples a formula works on at a time.
constexpr std::size_t kPiece = kStretch;

class NumberTrace final : public Trace {
 public:
  NumberTrace(std::string called, std::string in, TimeBase over, std::vector<double> numbers)
      : Trace(std::move(called), std::move(in), std::move(over)), numbers_(std::move(numbers)) {}

  std::size_t size() const override { return numbers_.size(); }
  Result<void> read(std::size_t first, std::span<double> out) const override {
    if (first + out.size() > numbers_.size()) return fail(Fault::input, "{}: the record ends there.", name);
    std::copy_n(numbers_.begin() + std::ptrdiff_t(first), out.size(), out.begin());
    return {};
  }
  std::size_t bytes() const override { return sizeof *this + numbers_.size() * sizeof(double); }

 private:
  std::vector<double> numbers_;
};

/// Numbers where they lie.
class StoredTrace final : public Trace {
 public:
  StoredTrace(const Channel& channel, std::string in, TimeBase over, double zero, double per_volt)
      : Trace(channel.role, std::move(in), std::move(over)), stored_(channel.stored), zero_(zero), per_volt_(per_volt) {}

  std::size_t size() const override { return stored_->size(); }
  Result<void> read(std::size_t first, std::span<double> out) const override {
    if (first + out.size() > size()) return fail(Fault::input, "{}: the record ends there.", name);
    if (auto ok = stored_->read(first, out); !ok) return ok;
    for (auto& v : out) v = (v - zero_) * per_volt_;
    return {};
  }
  std::size_t bytes() const override { return sizeof *this; }

 private:
  std::shared_ptr<const StoredNumbers> stored_;
  double zero_, per_volt_;
};

class CountTrace final : public Trace {
 public:
  CountTrace(const Channel& channel, std::string in, TimeBase over, double zero, double per_volt)
      : Trace(channel.role, std::move(in), std::move(over)),
        counts_(channel.counts),
        recording_(channel.recording),
        scale_(channel.scale * per_volt),
        offset_(-zero * per_volt) {}

  std::size_t size() const override { return recording_ ? recording_->size() : counts_.size(); }
  Result<void> read(std::size_t first, std::span<double> out) const override {
    if (first + out.size() > size()) return fail(Fault::input, "{}: the record ends there.", name);
    if (!recording_) {
      for (std::size_t k = 0; k < out.size(); ++k) out[k] = counts_[first + k] * scale_ + offset_;
      return {};
    }
    std::vector<std::int16_t> counts(out.size());
    if (auto ok = recording_->read(first, counts); !ok) return ok;
    for (std::size_t k = 0; k < out.size(); ++k) out[k] = counts[k] * scale_ + offset_;
    return {};
  }
  Result<std::vector<TraceRange>> envelope(std::size_t first, std::size_t last, std::size_t columns) const override {
    if (!recording_) return Trace::envelope(first, last, columns);
    const auto extremes = recording_->envelope(first, last, columns);
    if (!extremes) return tl::unexpected(extremes.error());
    std::vector<TraceRange> out;
    for (const auto& e : *extremes) {
      const double a = e.lowest * scale_ + offset_, b = e.highest * scale_ + offset_;
      out.push_back({std::min(a, b), std::max(a, b)});
    }
    return out;
  }
  std::size_t bytes() const override { return sizeof *this + counts_.size() * sizeof(std::int16_t); }

 private:
  std::vector<std::int16_t> counts_;
  std::shared_ptr<const Samples> recording_;
  double scale_, offset_;
};

class ComputedTrace final : public Trace {
 public:
  ComputedTrace(const bench::Computed& computed, std::vector<TracePtr> traces,
                std::vector<std::pair<std::string, double>> parts)
      : Trace(computed.name, computed.unit, traces.front()->time),
        computed_(computed),
        traces_(std::move(traces)),
        parts_(std::move(parts)) {
    for (const auto& trace : traces_) names_.push_back(trace->name);
  }

  std::size_t size() const override { return traces_.front()->size(); }
  Result<void> read(std::size_t first, std::span<double> out) const override {
    for (std::size_t at = 0; at < out.size(); at += kPiece) {
      const auto count = std::min(kPiece, out.size() - at);
      std::vector<std::vector<double>> rows(traces_.size(), std::vector<double>(count));
      for (std::size_t k = 0; k < traces_.size(); ++k)
        if (auto ok = traces_[k]->read(first + at, rows[k]); !ok) return ok;
      const auto made = bench::compute_channels({computed_}, names_, rows, parts_);
      if (!made) return tl::unexpected(made.error());
      std::copy(made->front().begin(), made->front().end(), out.begin() + std::ptrdiff_t(at));
    }
    return {};
  }
  std::size_t bytes() const override { return sizeof *this; }

 private:
  bench::Computed computed_;
  std::vector<TracePtr> traces_;
  std::vector<std::pair<std::string, double>> parts_;
  std::vector<std::string> names_;
};

}  // namespace

double TimeBase::at_place(double place) const {
  if (!times_) return start_ + step_ * place;
  const auto last = times_->size() - 1;
  if (place <= 0) return start_ + step_ * place;
  if (place >= double(last)) return times_->back() + step_ * (place - double(last));
  const auto k = std::size_t(place);
  return (*times_)[k] + (place - double(k)) * ((*times_)[k + 1] - (*times_)[k]);
}

double TimeBase::place_of(double time, std::size_t samples) const {
  if (!times_) return (time - start_) / step_;
  const auto& t = *times_;
  if (time <= t.front()) return (time - t.front()) / step_;
  if (time >= t.back()) return double(samples - 1) + (time - t.back()) / step_;
  const auto above = std::upper_bound(t.begin(), t.end(), time) - t.begin();
  return double(above - 1) + (time - t[std::size_t(above - 1)]) / (t[std::size_t(above)] - t[std::size_t(above - 1)]);
}

namespace {

/// Stretches of so many blocks are read from blocks.
constexpr std::size_t kBlocksEach = 4;
static_assert(kStretch % Trace::kBlock == 0);

}  // namespace

Result<std::span<const signal::BlockSums>> Trace::blocks() const {
  const std::lock_guard lock(mutex_);
  if (blocks_.empty()) {
    std::vector<signal::BlockSums> made;
    made.reserve((size() + kBlock - 1) / kBlock);
    double last = 0;
    auto ok = for_each_stretch(*this, 0, size(), [&](std::size_t, std::span<const double> values) {
      for (std::size_t at = 0; at < values.size(); at += kBlock) {
        const auto block = values.subspan(at, std::min(kBlock, values.size() - at));
        if (!made.empty()) made.back().products += last * block.front();
        made.push_back(signal::block_sums(block));
        last = block.back();
      }
    });
    if (!ok) return tl::unexpected(ok.error());
    blocks_ = std::move(made);
  }
  return std::span<const signal::BlockSums>(blocks_);
}

Result<std::vector<TraceRange>> Trace::envelope(std::size_t first, std::size_t last, std::size_t columns) const {
  std::vector<TraceRange> out;
  if (last <= first || columns == 0) return out;
  const auto count = last - first, stretches = std::min(columns, count);
  out.resize(stretches, {INFINITY, -INFINITY});
  if (count / stretches >= kBlocksEach * kBlock) {
    const auto ready = blocks();
    if (!ready) return tl::unexpected(ready.error());
    for (std::size_t c = 0; c < stretches; ++c) {
      const auto from = (first + c * count / stretches) / kBlock, to = (first + (c + 1) * count / stretches + kBlock - 1) / kBlock;
      for (auto k = from; k < std::min(to, ready->size()); ++k) {
        out[c].low = std::min(out[c].low, (*ready)[k].low);
        out[c].high = std::max(out[c].high, (*ready)[k].high);
      }
    }
    return out;
  }
  std::size_t column = 0;
  auto ok = for_each_stretch(*this, first, last, [&](std::size_t at, std::span<const double> values) {
    for (std::size_t k = 0; k < values.size(); ++k) {
      while (column + 1 < stretches && at + k - first >= (column + 1) * count / stretches) ++column;
      out[column].low = std::min(out[column].low, values[k]);
      out[column].high = std::max(out[column].high, values[k]);
    }
  });
  if (!ok) return tl::unexpected(ok.error());
  return out;
}

TracePtr trace_of(std::string name, std::string unit, TimeBase time, std::vector<double> numbers) {
  return std::make_shared<const NumberTrace>(std::move(name), std::move(unit), time, std::move(numbers));
}

TracePtr trace_of(const Channel& channel, std::string unit, TimeBase time, double zero, double per_volt) {
  if (channel.counted()) return std::make_shared<const CountTrace>(channel, std::move(unit), time, zero, per_volt);
  if (channel.stored) return std::make_shared<const StoredTrace>(channel, std::move(unit), std::move(time), zero, per_volt);
  auto numbers = channel.numbers;
  for (auto& v : numbers) v = (v - zero) * per_volt;
  return trace_of(channel.role, std::move(unit), time, std::move(numbers));
}

Result<TracePtr> computed_trace(const bench::Computed& computed, std::vector<TracePtr> traces,
                                std::vector<std::pair<std::string, double>> parts) {
  if (traces.empty()) return fail(Fault::input, "{} is computed, but nothing is read.", computed.name);
  auto out = std::make_shared<const ComputedTrace>(computed, std::move(traces), std::move(parts));
  // Whether the formula can be read shows at the first sample.
  if (double first = 0; out->size() > 0)
    if (auto ok = out->read(0, {&first, 1}); !ok) return tl::unexpected(ok.error());
  return out;
}

double left_of_rounding(double quantum, double noise) {
  using std::numbers::pi;
  const double own = std::max(0.0, noise * noise / (quantum * quantum) - 1.0 / 12);
  return quantum / pi * std::exp(-2 * pi * pi * own);
}

Result<std::optional<double>> value_at(const Trace& trace, double time) {
  const auto n = trace.size();
  const double place = n == 0 ? -1 : trace.time.place_of(time, n);
  // A place that is the last sample's but for rounding is the last sample's.
  constexpr double kRounding = 1e-6;
  if (n == 0 || place < -kRounding || place > double(n - 1) + kRounding) return std::optional<double>();
  const double inside = std::clamp(place, 0.0, double(n - 1));
  const auto k = std::min(std::size_t(inside), n < 2 ? 0 : n - 2);
  double pair[2] = {0, 0};
  if (auto ok = trace.read(k, {pair, std::min<std::size_t>(2, n)}); !ok) return tl::unexpected(ok.error());
  return std::optional(n < 2 ? pair[0] : pair[0] + (inside - double(k)) * (pair[1] - pair[0]));
}

Result<void> read_at(const Trace& trace, const TimeBase& times, std::size_t first, std::span<double> out) {
  const auto n = trace.size();
  const auto place = [&](std::size_t k) {
    return std::clamp(trace.time.place_of(times.at(first + k), n), 0.0, double(n - 1));
  };
  const auto from = std::size_t(place(0)), to = std::min(n, std::size_t(place(out.size() - 1)) + 2);
  std::vector<double> values(to - from);
  if (auto ok = trace.read(from, values); !ok) return ok;
  for (std::size_t k = 0; k < out.size(); ++k) {
    const double at = place(k) - double(from);
    const auto before = std::min(std::size_t(at), values.size() - 1), after = std::min(before + 1, values.size() - 1);
    out[k] = values[before] + (at - double(before)) * (values[after] - values[before]);
  }
  return {};
}

}  // namespace heron::study
