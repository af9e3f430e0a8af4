#include "study/waveform/shape.h"

#include <algorithm>
#include <cmath>

#include "study/places.h"
#include "study/waveform/profile.h"

namespace heron::study::waveform {
namespace {

/// Another trace, scaled, over another time.
class Scaled final : public Trace {
 public:
  Scaled(TracePtr of, double factor, TimeBase over) : Trace(of->name, "%", std::move(over)), of_(std::move(of)), factor_(factor) {}

  std::size_t size() const override { return of_->size(); }
  Result<void> read(std::size_t first, std::span<double> out) const override {
    if (auto ok = of_->read(first, out); !ok) return ok;
    for (auto& v : out) v *= factor_;
    return {};
  }
  std::size_t bytes() const override { return sizeof *this; }

 private:
  TracePtr of_;
  double factor_;
};

TimeBase earlier(const Trace& trace, double by) {
  if (trace.time.even()) return {trace.time.start() - by, trace.time.step()};
  auto times = std::make_shared<std::vector<double>>();
  for (std::size_t k = 0; k < trace.size(); ++k) times->push_back(trace.time.at(k) - by);
  return TimeBase(std::move(times));
}

}  // namespace

Result<std::optional<TracePtr>> scaled_to_peak(const TracePtr& trace, const TraceErrors& errors) {
  const std::optional<TracePtr> none;
  constexpr std::size_t kFew = 8;
  if (trace->size() < kFew) return none;
  const Stretch all{0, trace->size()};
  const auto profile = profile_of(*trace, errors, all);
  if (!profile) return tl::unexpected(profile.error());
  const auto top = extreme_of(*trace, all, profile->noise, signal::towards(std::abs(profile->high) >= std::abs(profile->low)));
  if (!top) return tl::unexpected(top.error());
  // A peak that noise alone would make is none.
  constexpr double kOverNoise = 6;
  if (!(std::abs(top->value) > kOverNoise * profile->noise) || top->value == 0) return none;
  const auto half = first_beyond(*trace, all, 0, top->value / 2, top->value > 0, true);
  if (!half) return tl::unexpected(half.error());
  if (!*half) return none;
  return std::optional<TracePtr>(std::make_shared<Scaled>(trace, 100 / top->value, earlier(*trace, trace->time.at_place(**half))));
}

Result<std::optional<double>> shape_difference(const Trace& a, const Trace& b) {
  const std::optional<double> none;
  if (a.size() < 2 || b.size() < 2) return none;
  const double from = std::max(a.time.at(0), b.time.at(0)), to = std::min(a.time.at(a.size() - 1), b.time.at(b.size() - 1));
  const auto first = std::size_t(std::clamp(std::ceil(a.time.place_of(from, a.size())), 0.0, double(a.size())));
  const auto last = std::size_t(std::clamp(std::floor(a.time.place_of(to, a.size())) + 1, 0.0, double(a.size())));
  if (!(to > from) || last < first + 2) return none;
  constexpr std::size_t kParts = 200;
  const auto part = std::max<std::size_t>(1, (last - first) / kParts);
  double largest = 0;
  std::vector<double> x(part), y(part);
  for (auto at = first; at + part <= last; at += part) {
    if (auto ok = a.read(at, x); !ok) return tl::unexpected(ok.error());
    if (auto ok = read_at(b, a.time, at, y); !ok) return tl::unexpected(ok.error());
    double sum = 0;
    for (std::size_t k = 0; k < part; ++k) sum += x[k] - y[k];
    largest = std::max(largest, std::abs(sum) / double(part));
  }
  return std::optional(largest);
}

}  // namespace heron::study::waveform
