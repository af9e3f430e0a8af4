#include "study/power/inrush.h"

#include <algorithm>
#include <cassert>
#include <cmath>

#include "base/row.h"
#include "signal/extremes.h"
#include "signal/local.h"

namespace heron::study::power {
namespace {

constexpr double kBegins = 0.05;            ///< of the largest peak
constexpr double kLeastShown = 1e-5;        ///< of the largest peak, that is no current at all
constexpr std::size_t kIdle = 8;            ///< samples before it begins, that tell what is there then
constexpr std::size_t kLocal = 16;          ///< samples on either side of a peak that it is read from
constexpr std::size_t kForNoise = 65536;      ///< samples that the noise is read from
constexpr std::size_t kBlock = 1024;          ///< windows that are known by their range

}  // namespace

Inrush::Inrush(std::vector<double> values, double start, double step, double half, double end)
    : values_(std::move(values)), start_(start), step_(step), half_(half) {
  assert(values_.size() >= 8 && step > 0);
  squares_.resize(values_.size());
  for (std::size_t k = 1; k < values_.size(); ++k) {
    // Between samples the current goes straight: its square's integral is exact.
    const double a = values_[k - 1], b = values_[k];
    squares_[k] = squares_[k - 1] + (a * a + a * b + b * b) / 3;
  }
  noise_ = signal::noise_of(std::span<const double>(values_).last(std::min(values_.size(), kForNoise)));
  const double last = double(values_.size() - 1), from = std::max(0.0, last - end / step);
  steady_ = std::sqrt(std::max(0.0, squares_.back() - squares_to(from)) / (last - from));
  tail_ = std::max<std::size_t>(1, std::size_t(std::lround(last - from)));
  const double peak = row_of(values_).abs().maxCoeff();
  while (begins_ + 1 < values_.size() && std::abs(values_[begins_]) <= kBegins * peak) ++begins_;
  // Back down the slope that leads there, as far as it stands out of what is there before.
  const auto quiet = std::span<const double>(values_).first(std::min(begins_ / 2, kForNoise));
  const double before = signal::noise_of(quiet);
  const double rests_at = quiet.empty() ? 0 : row_of(quiet).mean();
  idle_ = begins_;
  while (idle_ > 0 && std::abs(values_[idle_ - 1] - rests_at) > std::max(6 * before, kLeastShown * peak)) --idle_;
  slide();
}

double Inrush::squares_to(std::size_t k, double rest) const {
  // At the last sample there is no rest.
  const double a = values_[k], slope = rest > 0 ? values_[k + 1] - a : 0;
  return squares_[k] + rest * (a * a + a * slope * rest + slope * slope * rest * rest / 3);
}

double Inrush::squares_to(double place) const {
  place = std::clamp(place, 0.0, double(values_.size() - 1));
  const auto k = std::min(std::size_t(place), values_.size() - 2);
  return squares_to(k, place - double(k));
}

double Inrush::mean_square(std::size_t k) const {
  const auto begin = std::size_t(std::ptrdiff_t(k) + begin_.sample), end = std::size_t(std::ptrdiff_t(k) + end_.sample);
  return std::max(0.0, squares_to(end, end_.rest) - squares_to(begin, begin_.rest)) * step_ / half_;
}

/// Windows from a centre to the next are the same piece of samples, one further on: where they begin and end is told once.
void Inrush::slide() {
  const double reach = half_ / step_ / 2;
  if (!(2 * std::ceil(reach) < double(values_.size()))) return;
  begin_ = {-std::ptrdiff_t(std::ceil(reach)), std::ceil(reach) - reach};
  end_ = {std::ptrdiff_t(std::floor(reach)), reach - std::floor(reach)};
  first_ = std::size_t(-begin_.sample);
  windows_ = values_.size() - 2 * first_;
  // The last by itself: where it ends there may be no next sample.
  const auto up_to = [&](std::size_t centre, const Place& off, Eigen::Index count) -> Eigen::ArrayXd {
    const auto from = Eigen::Index(centre) + off.sample;
    const auto a = row_of(values_).segment(from, count);
    const auto slope = row_of(values_).segment(from + 1, count) - a;
    return row_of(squares_).segment(from, count) + off.rest * (a * a + off.rest * (a * slope + off.rest / 3 * slope * slope));
  };
  for (std::size_t from = 0; from < windows_; from += kBlock) {
    const auto count = Eigen::Index(std::min(kBlock, windows_ - from)), before_last = Eigen::Index(std::min(kBlock, windows_ - 1 - from));
    Eigen::ArrayXd squares(count);
    squares.head(before_last) = (up_to(first_ + from, end_, before_last) - up_to(first_ + from, begin_, before_last)).max(0) * (step_ / half_);
    if (before_last < count) squares[before_last] = mean_square(first_ + from + std::size_t(before_last));
    ranges_.emplace_back(squares.minCoeff(), squares.maxCoeff());
  }
}

std::optional<double> Inrush::rms_about(std::size_t sample) const {
  if (sample < first_ || sample >= first_ + windows_) return std::nullopt;
  return std::sqrt(mean_square(sample));
}

std::optional<std::size_t> Inrush::highest_rms() const {
  if (ranges_.empty()) return std::nullopt;
  const auto top = std::max_element(ranges_.begin(), ranges_.end(), [](const auto& a, const auto& b) { return a.second < b.second; });
  auto k = first_ + kBlock * std::size_t(top - ranges_.begin());
  // Told in another order a square may differ in its last digit.
  const auto end = std::min(k + kBlock, first_ + windows_);
  for (auto j = k; j < end; ++j)
    if (mean_square(j) > mean_square(k)) k = j;
  return k;
}

std::optional<std::size_t> Inrush::settled(double band) const {
  const double low = std::max(0.0, 1 - band) * steady_, high = (1 + band) * steady_, least = low * low, most = high * high;
  std::optional<std::size_t> out;
  for (auto block = ranges_.size(); block-- > 0;) {
    const auto from = std::max(first_ + block * kBlock, begins_), to = std::min(first_ + (block + 1) * kBlock, first_ + windows_);
    if (from >= to) break;
    if (ranges_[block].first >= least && ranges_[block].second <= most) {
      out = from;
      continue;
    }
    for (auto k = to; k-- > from; out = k)
      if (const double square = mean_square(k); !(square >= least && square <= most)) return out;
  }
  return out;
}

std::optional<double> Inrush::worst_over(double seconds) const {
  const double reach = seconds / step_;
  if (!(reach > 0) || reach > double(values_.size() - 1)) return std::nullopt;
  const double last = double(values_.size() - 1);
  double worst = squares_to(last) - squares_to(last - reach);
  for (auto k = std::size_t(reach), from = std::size_t(0); k + 1 < values_.size(); ++k, ++from) worst = std::max(worst, squares_to(k, reach - std::floor(reach)) - squares_[from]);
  return std::sqrt(worst / reach);
}

void add_inrush(const Inrush& in, const Settings& settings, const TraceErrors& errors, const std::string& end, const std::string& of, Reading& into) {
  const auto put = [&](std::string key, std::string label, std::string unit, double value, double u, std::vector<double> at = {}) {
    into.figures.push_back({.key = key + end, .label = std::move(label) + of, .value = value, .unit = std::move(unit), .u = u > 0 ? std::optional(u) : std::nullopt, .at = std::move(at)});
  };
  const auto& v = in.values();
  const auto time = [&](double place) { return in.start() + place * in.step(); };
  for (const bool positive : {true, false}) {
    const auto local = signal::extreme_about(v, positive ? signal::place_of_highest(v) : signal::place_of_lowest(v), kLocal, in.noise(), signal::towards(positive));
    put(positive ? "inrush.peak.positive" : "inrush.peak.negative", positive ? "Highest current" : "Lowest current", "A", local.value,
        std::hypot(std::hypot(local.u_value, errors.u_gain * local.value), errors.u_offset), {time(local.place)});
  }
  // Of noise two thirds are left between samples: the mean of (a a + a b + b b)/3.
  const double seconds = in.step() * double(v.size() - 1), i2t = in.i2t(), own = 2 * in.noise() * in.noise() / 3 * seconds;
  const double charge = row_of(v).sum() * in.step();
  put("inrush.i2t", "Square of the current over time", "A2s", i2t - own,
      std::hypot(std::hypot(2 * errors.u_gain * i2t, 2 * std::abs(charge) * errors.u_offset), 2 * in.noise() * std::sqrt(i2t * in.step())));
  const auto u_rms = [&](double rms, double mean, double samples) {
    return rms > 0 ? std::hypot(std::hypot(errors.u_gain * rms, mean / rms * errors.u_offset), in.noise() / std::sqrt(std::max(1.0, samples))) : 0;
  };
  const auto tail = in.steady_samples();
  put("steady.rms", "Steady current, rms", "A", in.steady(), u_rms(in.steady(), row_of(v).tail(Eigen::Index(tail)).mean(), double(tail)));
  if (const auto top = in.highest_rms()) {
    const double highest = *in.rms_about(*top);
    put("inrush.rms.max", "Largest rms of half a cycle", "A", highest, u_rms(highest, highest, in.half() / in.step()), {time(double(*top))});
  } else
    into.absent.push_back({"inrush.rms.max" + end, "the record is shorter than the window", "Largest rms of half a cycle" + of});
  const auto settled = in.settled(settings.settle_band);
  // At the record's end nothing is left that could show that it stays.
  const double last = double(v.size() - 1) - in.half() / in.step();
  if (!settled || double(*settled) > last) {
    into.absent.push_back({"inrush.settled_after" + end, "it does not settle within the record", "Settled after" + of});
  } else {
    // Of a window and of the steady value that it is held against. Where the rms only just stays within the band, a little more
    // of noise moves it by a whole swing: seen as far out as noise goes.
    const auto of_noise = [&](double samples) { return in.noise() / std::sqrt(std::max(1.0, samples)) / std::max(in.steady(), 1e-300); };
    const double value = (double(*settled) - double(in.begins())) * in.step(), noise = std::hypot(of_noise(in.half() / in.step()), of_noise(double(tail)));
    double spread = in.step();
    for (const double times : {1.0, 2.0, 3.0, -1.0, -2.0, -3.0})
      if (const auto other = settings.settle_band + times * noise > 0 ? in.settled(settings.settle_band + times * noise) : std::nullopt)
        spread = std::max(spread, std::abs(double(*other) - double(*settled)) * in.step() / std::abs(times));
    put("inrush.settled_after", "Settled after", "s", std::max(0.0, value), spread, {time(double(in.begins())), time(double(*settled))});
  }
  if (in.idle() >= kIdle) {
    const auto before = row_of(v).head(Eigen::Index(in.idle()));
    const double rms = std::sqrt(before.square().mean());
    put("idle.rms", "Current before, rms", "A", rms, std::hypot(u_rms(rms, before.mean(), double(in.idle())), rms > 0 ? 0 : errors.u_offset));
  } else {
    into.absent.push_back({"idle.rms" + end, "the record begins with the current on", "Current before, rms" + of});
  }
}

std::vector<FuseLoad> fuse_load(const Inrush& inrush, const Settings& settings) {
  std::vector<FuseLoad> out;
  for (const auto& [time, bears] : settings.fuse) out.push_back({time, bears, inrush.worst_over(time)});
  return out;
}

}  // namespace heron::study::power
