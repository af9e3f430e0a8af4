#include "study/power/inrush.h"

#include <algorithm>
#include <cassert>
#include <cmath>

#include "signal/local.h"

namespace heron::study::power {
namespace {

constexpr double kBegins = 0.05;            ///< of the largest peak
constexpr double kLeastShown = 1e-5;        ///< of the largest peak, that is no current at all
constexpr std::size_t kIdle = 8;            ///< samples before it begins, that tell what is there then
constexpr std::size_t kLocal = 16;          ///< samples on either side of a peak that it is read from
constexpr std::size_t kForNoise = 65536;      ///< samples that the noise is read from

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
  double peak = 0;
  for (const double v : values_) peak = std::max(peak, std::abs(v));
  while (begins_ + 1 < values_.size() && std::abs(values_[begins_]) <= kBegins * peak) ++begins_;
  // Back down the slope that leads there, as far as it stands out of what is there before.
  const auto quiet = std::span<const double>(values_).first(std::min(begins_ / 2, kForNoise));
  const double before = signal::noise_of(quiet);
  double rests_at = 0;
  for (const double v : quiet) rests_at += v / double(quiet.size());
  idle_ = begins_;
  while (idle_ > 0 && std::abs(values_[idle_ - 1] - rests_at) > std::max(6 * before, kLeastShown * peak)) --idle_;
}

double Inrush::squares_to(double place) const {
  const double last = double(values_.size() - 1);
  place = std::clamp(place, 0.0, last);
  const auto k = std::min(std::size_t(place), values_.size() - 2);
  const double rest = place - double(k), a = values_[k], slope = values_[k + 1] - a;
  return squares_[k] + rest * (a * a + a * slope * rest + slope * slope * rest * rest / 3);
}

std::optional<double> Inrush::rms_about(std::size_t sample) const {
  const double reach = half_ / step_ / 2, from = double(sample) - reach, to = double(sample) + reach;
  if (from < 0 || to > double(values_.size() - 1)) return std::nullopt;
  return std::sqrt(std::max(0.0, squares_to(to) - squares_to(from)) / (to - from));
}

std::optional<std::size_t> Inrush::settled(double band) const {
  std::optional<std::size_t> out;
  for (std::size_t k = values_.size(); k-- > begins_;) {
    const auto rms = rms_about(k);
    if (!rms) {
      if (out) break;
      continue;
    }
    if (std::abs(*rms - steady_) > band * steady_) break;
    out = k;
  }
  return out;
}

std::optional<double> Inrush::worst_over(double seconds) const {
  const double reach = seconds / step_;
  if (!(reach > 0) || reach > double(values_.size() - 1)) return std::nullopt;
  double worst = 0;
  for (std::size_t k = 0; double(k) + reach <= double(values_.size() - 1); ++k) worst = std::max(worst, squares_to(double(k) + reach) - squares_[k]);
  return std::sqrt(worst / reach);
}

void add_inrush(const Inrush& in, const Settings& settings, const TraceErrors& errors, const std::string& end, const std::string& of, Reading& into) {
  const auto put = [&](std::string key, std::string label, std::string unit, double value, double u, std::vector<double> at = {}) {
    into.figures.push_back({.key = key + end, .label = std::move(label) + of, .value = value, .unit = std::move(unit), .u = u > 0 ? std::optional(u) : std::nullopt, .at = std::move(at)});
  };
  const auto& v = in.values();
  const auto time = [&](double place) { return in.start() + place * in.step(); };
  for (const bool positive : {true, false}) {
    const auto it = positive ? std::max_element(v.begin(), v.end()) : std::min_element(v.begin(), v.end());
    const auto k = std::size_t(it - v.begin()), first = k > kLocal ? k - kLocal : 0, last = std::min(v.size(), k + kLocal + 1);
    const auto local = signal::extreme_near(std::span<const double>(v).subspan(first, last - first), k - first, in.noise(), signal::towards(positive));
    put(positive ? "inrush.peak.positive" : "inrush.peak.negative", positive ? "Highest current" : "Lowest current", "A", local.value,
        std::hypot(std::hypot(local.u_value, errors.u_gain * local.value), errors.u_offset), {time(double(first) + local.place)});
  }
  // Of noise two thirds are left between samples: the mean of (a a + a b + b b)/3.
  const double seconds = in.step() * double(v.size() - 1), i2t = in.i2t(), own = 2 * in.noise() * in.noise() / 3 * seconds;
  double charge = 0;
  for (const double x : v) charge += x * in.step();
  put("inrush.i2t", "Square of the current over time", "A2s", i2t - own,
      std::hypot(std::hypot(2 * errors.u_gain * i2t, 2 * std::abs(charge) * errors.u_offset), 2 * in.noise() * std::sqrt(i2t * in.step())));
  const auto u_rms = [&](double rms, double mean, double samples) {
    return rms > 0 ? std::hypot(std::hypot(errors.u_gain * rms, mean / rms * errors.u_offset), in.noise() / std::sqrt(std::max(1.0, samples))) : 0;
  };
  const auto tail = in.steady_samples();
  double mean = 0;
  for (std::size_t k = v.size() - tail; k < v.size(); ++k) mean += v[k] / double(tail);
  put("steady.rms", "Steady current, rms", "A", in.steady(), u_rms(in.steady(), mean, double(tail)));
  double highest = 0;
  std::size_t at = 0;
  for (std::size_t k = 0; k < v.size(); ++k)
    if (const auto rms = in.rms_about(k); rms && *rms > highest) {
      highest = *rms;
      at = k;
    }
  if (highest > 0)
    put("inrush.rms.max", "Largest rms of half a cycle", "A", highest, u_rms(highest, highest, in.half() / in.step()), {time(double(at))});
  else
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
    double squares = 0, sum = 0;
    const auto count = double(in.idle());
    for (std::size_t k = 0; k < in.idle(); ++k) {
      squares += v[k] * v[k] / count;
      sum += v[k] / count;
    }
    const double rms = std::sqrt(squares);
    put("idle.rms", "Current before, rms", "A", rms, std::hypot(u_rms(rms, sum, count), rms > 0 ? 0 : errors.u_offset));
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
