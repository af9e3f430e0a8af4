#include "study/response/reduce.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/conversions.h"
#include "base/quantity.h"
#include "base/words.h"
#include "signal/curve.h"

namespace heron::study::response {
namespace {

/// A run of three or more equal samples at either end of the converter.
bool clipped(const Channel& channel) {
  int run = 0, last = 0;
  for (const int count : channel.counts) {
    const bool at_end = count <= channel.lowest_count || count >= channel.highest_count;
    run = at_end ? (run > 0 && count == last ? run + 1 : 1) : 0;
    last = count;
    if (run >= 3) return true;
  }
  return false;
}

/// Uncertainty of the whole record's tone from the noise beside it. From the record's second half, where a transient
/// that spreads over all lines has died away and cannot pass for noise.
double noise_nearby(std::span<const double> values, double rate, double frequency) {
  const auto late = values.subspan(values.size() / 2);
  const auto fit = signal::fit_tone(late, rate, frequency);
  return fit ? signal::u_peak_nearby(late, rate, *fit) / std::numbers::sqrt2 : 0;
}

/// @param quantity  the samples in the quantity's unit, for its size; `raw` its converter's, where there is one
ChannelEvidence evidence(const RoleSamples& samples, double rate, const signal::Tone& whole, double u_nearby) {
  ChannelEvidence out;
  const auto& volts = samples.values;
  note_range_use(samples, out);
  const double u_whole = std::max(whole.u_peak, u_nearby);
  out.over_floor = u_whole > 0 ? whole.peak / u_whole : 0;
  out.peak = whole.peak;
  out.dc = whole.dc;
  out.unit = samples.unit;
  out.u_zero = samples.sensing.u_zero * std::abs(samples.sensing.per_volt);
  out.zeroed = samples.sensing.zeroed;
  const auto half = volts.size() / 2;
  const std::span<const double> all(volts);
  const auto first = signal::fit_tone(all.first(half), rate, whole.frequency);
  const auto second = signal::fit_tone(all.subspan(half), rate, whole.frequency);
  if (first && second) {
    // Each half has twice the variance. The neighbourhood is known from few lines only, hence the allowance.
    constexpr double kAllowance = 1.4;
    const double u_peak = std::max(std::hypot(first->u_peak, second->u_peak), kAllowance * u_nearby * 2);
    // Less than an input's gain is known to is of no account, however quiet the record.
    constexpr double kOfNoAccount = 3e-4;
    const double moved = std::abs(first->peak - second->peak);
    if (u_peak > 0 && moved > kOfNoAccount * whole.peak) out.unsettled = moved / u_peak;
    // A drifting mean matters by what it leaks into the tone: of a ramp that rises by d in each half, 2d/(pi periods).
    const double periods = double(volts.size()) / rate * whole.frequency;
    const double leaked = 2 * std::abs(first->dc - second->dc) / (std::numbers::pi * std::max(1.0, periods));
    if (u_whole > 0 && leaked > kOfNoAccount * whole.peak)
      out.unsettled = std::max(out.unsettled, leaked / (kAllowance * u_whole));
  }
  return out;
}

/// The worse of two records' evidence.
void worsen(ChannelEvidence& all, const ChannelEvidence& one, bool first) {
  if (first) {
    all = one;
    return;
  }
  all.clipped = all.clipped || one.clipped;
  all.dc = 0.5 * (all.dc + one.dc);
  if (one.range_share) all.range_share = std::max(all.range_share.value_or(0), *one.range_share);
  all.unsettled = std::max(all.unsettled, one.unsettled);
  all.over_floor = std::min(all.over_floor, one.over_floor);
}

}  // namespace

std::vector<double> Curve::frequencies() const {
  std::vector<double> out;
  for (const auto& p : points) out.push_back(p.frequency);
  return out;
}
std::vector<double> Curve::gains() const {
  std::vector<double> out;
  for (const auto& p : points) out.push_back(p.gain_db);
  return out;
}
std::vector<double> Curve::phases() const {
  std::vector<double> out;
  for (const auto& p : points) out.push_back(p.phase_deg);
  return out;
}

std::complex<double> Curve::value(std::size_t i) const {
  return std::polar(std::pow(10, points[i].gain_db / 20), points[i].phase_deg / kDegrees);
}

void note_range_use(const RoleSamples& samples, ChannelEvidence& into) {
  const auto* channel = samples.channel;
  if (!channel) return;
  into.clipped = into.clipped || (channel->counted() && clipped(*channel));
  if (!channel->range) return;
  double highest = 0;
  for (const double v : channel->values()) highest = std::max(highest, std::abs(v));
  into.range_share = std::max(into.range_share.value_or(0), highest / *channel->range);
}

namespace {

void add(std::vector<SharedError>& into, int source, double first, double second) {
  if (first == 0 && second == 0) return;
  for (auto& e : into)
    if (e.source == source) {
      e.first += first;
      e.second += second;
      return;
    }
  into.push_back({source, first, second});
}

std::string gain_of(const std::string& take, const Channel& channel) {
  return fmt::format("{}gain of {} on {}", take, channel.role, channel.range.value_or(0));
}

}  // namespace

void add_chain_errors(const RoleSamples& samples, const Record& record, Side side, double f, const std::string& take,
                      SourceNumbers& numbers, std::vector<SharedError>& into) {
  const auto& sensing = samples.sensing;
  const double way = side == Side::response ? 1 : -1;
  const auto& input = samples.channel ? *samples.channel : record.channels.front();
  if (samples.channel)
    add(into, numbers(gain_of(take, input)), way * kDbPerNeper * input.u_gain, 0);
  const auto delay_of = [&](const Channel& channel) { return numbers(fmt::format("{}delay of {}", take, channel.role)); };
  for (const auto& share : samples.shares) {
    const auto put = [&](int source, std::complex<double> by) {
      add(into, source, way * kDbPerNeper * by.real(), way * kDegrees * by.imag());
    };
    put(numbers(gain_of(take, *share.channel)), share.u_gain * share.effect);
    // A delay turns its input; of the quantity that is as much as the input is worth in it.
    put(delay_of(*share.channel), std::complex(0.0, -2 * std::numbers::pi * f * share.channel->u_delay) * share.effect);
  }
  if (samples.channel && sensing.u_factor > 0)
    add(into, numbers("factor of " + samples.quantity), way * kDbPerNeper * sensing.u_factor, 0);
  // A corner fc known to u turns |1/(1 + jf/fc)| by (f/fc)^2/(1 + (f/fc)^2) u and the angle by (f/fc)/(1 + (f/fc)^2) u.
  int corner = 0;
  for (const double x :
       {sensing.bandwidth > 0 ? f / sensing.bandwidth : 0.0, sensing.low_corner > 0 ? sensing.low_corner / f : 0.0}) {
    ++corner;
    const double u = x > 0 ? sensing.u_bandwidth : 0;
    if (u > 0)
      add(into, numbers(fmt::format("corner {} of {}", corner, samples.quantity)),
          way * kDbPerNeper * x * x / (1 + x * x) * u, (corner == 1 ? way : -way) * kDegrees * x / (1 + x * x) * u);
  }
  if (samples.channel && input.u_delay > 0) add(into, delay_of(input), 0, -way * 360 * f * input.u_delay);
}

const ChannelEvidence& CurvePoint::of(Side side) const {
  static const ChannelEvidence none{.over_floor = 1e9};
  if (!evidence) return none;
  return side == Side::stimulus ? evidence->stimulus : evidence->response;
}

double CurvePoint::noise_gain_db() const {
  const double u = u_gain_db.value_or(0), common = shared_of(shared, false);
  return std::sqrt(std::max(0.0, u * u - common * common));
}

double CurvePoint::noise_phase_deg() const {
  const double u = u_phase_deg.value_or(0), common = shared_of(shared, true);
  return std::sqrt(std::max(0.0, u * u - common * common));
}

Result<CurvePoint> reduce(const Point& point) {
  SourceNumbers numbers;
  return reduce(point, numbers);
}

Result<CurvePoint> reduce(const Point& point, SourceNumbers& numbers) {
  CurvePoint out{.index = point.index};
  const auto& setting = point.setting.json();
  if (!point.setting.readable() || !setting.contains("frequency") || !setting.at("frequency").is_number())
    return fail(Fault::input, "Point {} does not say its frequency.", point.index + 1);
  out.frequency = setting.at("frequency").get<double>();
  out.level_pp = setting.value("level_pp", 0.0);
  const auto& take = point.setting.purpose();
  CurvePoint::Evidence seen_by;
  if (const auto loading = setting.find("loading"); loading != setting.end() && loading->is_object())
    seen_by.loading = {loading->value("gain_db", 0.0), loading->value("phase_deg", 0.0)};
  std::complex<double> sum = 0;
  double squares_gain = 0, squares_phase = 0;
  int records = 0;
  for (const auto& record : point.records) {
    std::complex<double> ratio = 1;
    out.shared.clear();
    for (const Side side : {Side::stimulus, Side::response}) {
      const auto samples = role_samples(point, record, side == Side::stimulus ? "stimulus" : "response", out.frequency);
      if (!samples) return tl::unexpected(samples.error());
      const auto fit = signal::fit_tone(samples->values, record.sample_rate, out.frequency);
      if (!fit) return tl::unexpected(fit.error());
      if (!(fit->peak > 0))
        return fail(Fault::input, "Point {} at {} shows no tone; is the lead connected?", point.index + 1,
                    format_setting(out.frequency, "Hz"));
      const double nearby = noise_nearby(samples->values, record.sample_rate, out.frequency);
      // What the sensor's corners and delay did is taken off, as far as they are known.
      const auto lost = bench::response_of(samples->sensing, out.frequency);
      const auto value = std::polar(fit->peak, fit->phase) / lost;
      ratio = side == Side::response ? ratio * value : ratio / value;
      squares_gain += std::pow(std::max(fit->u_peak, nearby) / fit->peak, 2);
      squares_phase += std::pow(std::max(fit->u_phase, nearby / fit->peak), 2);
      add_chain_errors(*samples, record, side, out.frequency, take, numbers, out.shared);
      auto seen = evidence(*samples, record.sample_rate, *fit, nearby);
      seen.peak = std::abs(value);
      seen.lost_db = -20 * std::log10(std::abs(lost));
      if (setting.contains("expected") && setting["expected"].contains(samples->quantity))
        seen.expected = setting["expected"][samples->quantity].get<double>();
      worsen(side == Side::stimulus ? seen_by.stimulus : seen_by.response, seen, records == 0);
      out.periods = double(samples->values.size()) / record.sample_rate * out.frequency;
    }
    sum += ratio;
    ++records;
  }
  if (records == 0) return fail(Fault::input, "Point {} has no record.", point.index + 1);
  out.gain_db = 20 * std::log10(std::abs(sum) / records);
  out.phase_deg = std::arg(sum) * kDegrees;
  out.u_gain_db = std::hypot(kDbPerNeper * std::sqrt(squares_gain) / records, shared_of(out.shared, false));
  out.u_phase_deg = std::hypot(kDegrees * std::sqrt(squares_phase) / records, shared_of(out.shared, true));
  out.evidence = std::make_shared<const CurvePoint::Evidence>(std::move(seen_by));
  return out;
}

Result<Curve> assemble(std::vector<CurvePoint> points, bool has_phase, const Record* table) {
  const auto rises = [](const CurvePoint& a, const CurvePoint& b) { return a.frequency < b.frequency; };
  if (!std::is_sorted(points.begin(), points.end(), rises)) std::stable_sort(points.begin(), points.end(), rises);
  for (std::size_t i = 1; i < points.size(); ++i)
    if (points[i].frequency == points[i - 1].frequency) {
      const auto twice = format_setting(points[i].frequency, "Hz");
      if (!table) return fail(Fault::input, "The frequency {} comes twice.", twice);
      const auto first = std::size_t(points[i - 1].index), second = std::size_t(points[i].index);
      return fail(Fault::input, "{} and {}: the frequency {} comes twice.", table->where(first),
                  lower(table->where(second)), twice);
    }
  Curve curve{.points = std::move(points), .has_phase = has_phase};
  const auto unwrapped = signal::unwrap_degrees(curve.phases());
  for (std::size_t i = 0; i < unwrapped.size(); ++i) curve.points[i].phase_deg = unwrapped[i];
  return curve;
}

namespace {

/// The columns of a table that say how uncertain a quantity is, and which of it its points share.
struct UncertaintyColumns {
  std::vector<double> whole;
  std::vector<std::pair<int, std::vector<double>>> shared;
};

UncertaintyColumns uncertainty_columns(const Record& table, std::string_view quantity) {
  UncertaintyColumns out;
  if (const auto* c = table.find("u_" + std::string(quantity))) out.whole = c->values();
  for (int k = 1; k <= kSharedColumns; ++k)
    if (const auto* c = table.find(shared_role(quantity, k))) out.shared.emplace_back(k, c->values());
  return out;
}

}  // namespace

Result<Curve> reduce_table(const Record& table) {
  const auto column = [&](std::string_view role) {
    const auto* c = table.find(role);
    return c ? c->values() : std::vector<double>();
  };
  const auto frequency = column("frequency"), gain = column("gain"), phase = column("phase"), real = column("real"),
             imag = column("imag"), coherence = column("coherence");
  if (frequency.empty()) return fail(Fault::input, "The data have no frequency.");
  const bool complex_form = gain.empty();
  if (complex_form && (real.empty() || imag.empty()))
    return fail(Fault::input, "The data have neither gain nor real and imaginary part.");
  for (const auto& c : table.channels)
    if (c.size() != frequency.size()) return fail(Fault::input, "The columns differ in length.");
  const auto u_first = uncertainty_columns(table, complex_form ? "real" : "gain"),
             u_second = uncertainty_columns(table, complex_form ? "imag" : "phase");
  for (const auto* c : {&u_first.whole, &u_second.whole})
    for (std::size_t i = 0; i < c->size(); ++i)
      if (!((*c)[i] >= 0))
        return fail(Fault::input, "{}: an uncertainty is not below zero; {} is.", table.where(i), (*c)[i]);
  std::vector<CurvePoint> points;
  points.reserve(frequency.size());
  for (std::size_t i = 0; i < frequency.size(); ++i) {
    if (!(frequency[i] > 0))
      return fail(Fault::input, "{}: the frequency {} is not above zero.", table.where(i), frequency[i]);
    CurvePoint p{.index = int(i), .frequency = frequency[i]};
    if (complex_form) {
      const std::complex<double> h(real[i], imag[i]);
      if (h == 0.0) return fail(Fault::input, "{}: real and imaginary part are both zero.", table.where(i));
      p.gain_db = 20 * std::log10(std::abs(h));
      p.phase_deg = std::arg(h) * kDegrees;
      if (!u_first.whole.empty() || !u_second.whole.empty()) {
        const auto& re = u_first.whole.empty() ? u_second.whole : u_first.whole;
        const auto& im = u_second.whole.empty() ? u_first.whole : u_second.whole;
        const double size = std::norm(h);
        p.u_gain_db = kDbPerNeper * std::hypot(h.real() * re[i], h.imag() * im[i]) / size;
        p.u_phase_deg = kDegrees * std::hypot(h.imag() * re[i], h.real() * im[i]) / size;
      }
    } else {
      p.gain_db = gain[i];
      p.phase_deg = phase.empty() ? 0 : phase[i];
      // Where only one is told the other is as large: noise has no direction.
      constexpr double kDegreesPerDb = kDegrees / kDbPerNeper;
      if (!u_first.whole.empty()) p.u_gain_db = u_first.whole[i];
      if (!u_second.whole.empty()) p.u_phase_deg = u_second.whole[i];
      if (p.u_gain_db && !p.u_phase_deg) p.u_phase_deg = *p.u_gain_db * kDegreesPerDb;
      if (p.u_phase_deg && !p.u_gain_db) p.u_gain_db = *p.u_phase_deg / kDegreesPerDb;
      for (const auto& [source, of] : u_first.shared) add(p.shared, source, of[i], 0);
      for (const auto& [source, of] : u_second.shared) add(p.shared, source, 0, of[i]);
    }
    if (!coherence.empty()) {
      if (!(coherence[i] >= 0 && coherence[i] <= 1))
        return fail(Fault::input, "{}: a coherence lies from 0 to 1; {} does not.", table.where(i), coherence[i]);
      p.coherence = coherence[i];
    }
    points.push_back(std::move(p));
  }
  return assemble(std::move(points), complex_form || !phase.empty(), &table);
}

void normalise(Curve& curve, double frequency) {
  std::vector<double> lg;
  for (const auto& p : curve.points) lg.push_back(std::log10(p.frequency));
  const auto level = signal::interpolate(lg, curve.gains(), std::log10(frequency));
  if (!level) return;
  curve.removed_db = *level;
  for (auto& p : curve.points) p.gain_db -= *level;
}

}  // namespace heron::study::response
