#include "study/response/reduce.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/conversions.h"
#include "base/quantity.h"
#include "signal/curve.h"
#include "study/response/compensate.h"

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
    if (u_peak > 0) out.unsettled = std::abs(first->peak - second->peak) / u_peak;
    // A drifting mean matters by what it leaks into the tone: of a ramp that rises by d in each half, 2d/(pi periods).
    const double periods = double(volts.size()) / rate * whole.frequency;
    const double leaked = 2 * std::abs(first->dc - second->dc) / (std::numbers::pi * std::max(1.0, periods));
    if (u_whole > 0) out.unsettled = std::max(out.unsettled, leaked / (kAllowance * u_whole));
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

ChainUncertainty chain_uncertainty(const RoleSamples& samples, const Record& record, double frequency) {
  const auto& sensing = samples.sensing;
  // A corner fc known to u turns |1/(1 + jf/fc)| by (f/fc)^2/(1 + (f/fc)^2) u and the angle by (f/fc)/(1 + (f/fc)^2) u.
  double corner_gain = 0, corner_turn = 0;
  for (const double x : {sensing.bandwidth > 0 ? frequency / sensing.bandwidth : 0.0,
                         sensing.low_corner > 0 ? sensing.low_corner / frequency : 0.0}) {
    corner_gain = std::hypot(corner_gain, x * x / (1 + x * x) * sensing.u_bandwidth);
    corner_turn = std::hypot(corner_turn, x / (1 + x * x) * sensing.u_bandwidth);
  }
  const auto& input = samples.channel ? *samples.channel : record.channels.front();
  const double own = samples.channel ? std::hypot(input.u_gain, sensing.u_factor) : samples.u_scale;
  return {
      .scale = std::hypot(own, corner_gain), .common = sensing.u_factor, .delay = input.u_delay, .turn = corner_turn};
}

Result<CurvePoint> reduce(const Point& point) {
  CurvePoint out{.index = point.index};
  if (!point.setting.is_object() || !point.setting.contains("frequency") || !point.setting.at("frequency").is_number())
    return fail(Fault::input, "Point {} does not say its frequency.", point.index + 1);
  out.frequency = point.setting.at("frequency").get<double>();
  out.level_pp = point.setting.value("level_pp", 0.0);
  std::complex<double> sum = 0;
  double squares_gain = 0, squares_phase = 0, u_scale = 0, u_delay = 0, u_turn = 0, u_common = 0;
  int records = 0;
  for (const auto& record : point.records) {
    const struct {
      std::string_view role;
      ChannelEvidence* evidence;
      int way;
    } sides[] = {{"stimulus", &out.stimulus, -1}, {"response", &out.response, 1}};
    std::complex<double> ratio = 1;
    double u_scale_squared = 0, u_delay_squared = 0, u_turn_squared = 0, u_common_squared = 0;
    for (const auto& side : sides) {
      const auto samples = role_samples(point, record, side.role);
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
      ratio = side.way > 0 ? ratio * value : ratio / value;
      squares_gain += std::pow(std::max(fit->u_peak, nearby) / fit->peak, 2);
      squares_phase += std::pow(std::max(fit->u_phase, nearby / fit->peak), 2);
      const auto chain = chain_uncertainty(*samples, record, out.frequency);
      u_scale_squared += chain.scale * chain.scale;
      u_common_squared += chain.common * chain.common;
      u_delay_squared += chain.delay * chain.delay;
      u_turn_squared += chain.turn * chain.turn;
      auto seen = evidence(*samples, record.sample_rate, *fit, nearby);
      seen.peak = std::abs(value);
      seen.lost_db = -20 * std::log10(std::abs(lost));
      if (point.setting.contains("expected") && point.setting["expected"].contains(samples->quantity))
        seen.expected = point.setting["expected"][samples->quantity].get<double>();
      worsen(*side.evidence, seen, records == 0);
      out.periods = double(samples->values.size()) / record.sample_rate * out.frequency;
    }
    sum += ratio;
    u_scale = std::sqrt(u_scale_squared);
    u_common = std::sqrt(u_common_squared);
    u_delay = std::sqrt(u_delay_squared);
    u_turn = std::sqrt(u_turn_squared);
    ++records;
  }
  if (records == 0) return fail(Fault::input, "Point {} has no record.", point.index + 1);
  out.gain_db = 20 * std::log10(std::abs(sum) / records);
  out.phase_deg = std::arg(sum) * kDegrees;
  out.u_gain_db = kDbPerNeper * std::hypot(std::sqrt(squares_gain) / records, u_scale);
  out.u_common_db = kDbPerNeper * u_common;
  out.u_chain_db = kDbPerNeper * u_scale;
  out.u_phase_deg = kDegrees * std::hypot(std::sqrt(squares_phase) / records,
                                          std::hypot(2 * std::numbers::pi * out.frequency * u_delay, u_turn));
  return out;
}

Result<Curve> assemble(std::vector<CurvePoint> points, bool has_phase) {
  std::stable_sort(points.begin(), points.end(),
                   [](const CurvePoint& a, const CurvePoint& b) { return a.frequency < b.frequency; });
  for (std::size_t i = 1; i < points.size(); ++i)
    if (points[i].frequency == points[i - 1].frequency)
      return fail(Fault::input, "The frequency {} comes twice.", format_setting(points[i].frequency, "Hz"));
  Curve curve{.points = std::move(points), .has_phase = has_phase};
  const auto unwrapped = signal::unwrap_degrees(curve.phases());
  for (std::size_t i = 0; i < unwrapped.size(); ++i) curve.points[i].phase_deg = unwrapped[i];
  return curve;
}

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
  for (const auto* c : {&gain, &phase, &real, &imag, &coherence})
    if (!c->empty() && c->size() != frequency.size()) return fail(Fault::input, "The columns differ in length.");
  std::vector<CurvePoint> points;
  for (std::size_t i = 0; i < frequency.size(); ++i) {
    if (!(frequency[i] > 0))
      return fail(Fault::input, "Row {}: the frequency {} is not above zero.", i + 1, frequency[i]);
    CurvePoint p{.index = int(i), .frequency = frequency[i]};
    if (complex_form) {
      const std::complex<double> h(real[i], imag[i]);
      if (h == 0.0) return fail(Fault::input, "Row {}: real and imaginary part are both zero.", i + 1);
      p.gain_db = 20 * std::log10(std::abs(h));
      p.phase_deg = std::arg(h) * kDegrees;
    } else {
      p.gain_db = gain[i];
      p.phase_deg = phase.empty() ? 0 : phase[i];
    }
    if (!coherence.empty()) {
      if (!(coherence[i] >= 0 && coherence[i] <= 1))
        return fail(Fault::input, "Row {}: a coherence lies from 0 to 1; {} does not.", i + 1, coherence[i]);
      p.coherence = coherence[i];
    }
    points.push_back(p);
  }
  return assemble(std::move(points), complex_form || !phase.empty());
}

namespace {

std::string purpose_of(const Point& point) {
  return point.setting.is_object() ? point.setting.value("purpose", std::string()) : std::string();
}

/// Points that ask whether the level matters, against the curve they check.
std::vector<LevelCheck> level_checks(const std::vector<CurvePoint>& points, const std::vector<CurvePoint>& again) {
  std::vector<LevelCheck> out;
  for (const auto& other : again)
    for (const auto& p : points) {
      if (p.frequency != other.frequency) continue;
      // What both readings share, the chains' scale, is no reason to doubt their difference.
      const auto own = [](const CurvePoint& c) {
        return std::sqrt(std::max(0.0, std::pow(c.u_gain_db.value_or(0), 2) - std::pow(c.u_chain_db, 2)));
      };
      out.push_back(
          {p.frequency, p.level_pp, other.level_pp, other.gain_db - p.gain_db, std::hypot(own(p), own(other))});
    }
  return out;
}

Result<Curve> reduce_one(const std::vector<Point>& points, const Settings& settings) {
  if (points.empty()) return Curve{};
  const auto& first = points.front();
  if (points.size() == 1 && first.records.size() == 1 && first.records.front().find("frequency"))
    return reduce_table(first.records.front());
  const bool noise = first.setting.is_object() && first.setting.value("method", std::string()) == "noise";
  if (noise || settings.noise) return reduce_noise(points, settings);
  if (!first.records.empty() && first.records.front().find("time"))
    return fail(Fault::input,
                "The data are records over time; say --set method=noise for a stimulus that holds all frequencies.");
  std::vector<CurvePoint> reduced, again;
  for (const auto& point : points) {
    auto one = reduce(point);
    if (!one) return tl::unexpected(one.error());
    (point.setting.value("check", std::string()) == "level" ? again : reduced).push_back(std::move(*one));
  }
  auto curve = assemble(std::move(reduced));
  if (curve) {
    curve->measured = true;
    curve->level_checks = level_checks(curve->points, again);
  }
  return curve;
}

}  // namespace

Result<Curve> reduce_take(const std::vector<Point>& points, const Settings& settings) {
  std::map<std::string, std::vector<Point>> by_purpose;
  const bool standards =
      std::any_of(points.begin(), points.end(), [](const Point& p) { return !purpose_of(p).empty(); });
  if (standards)
    for (const auto& point : points) by_purpose[purpose_of(point)].push_back(point);
  const auto& own = standards ? by_purpose[""] : points;
  auto curve = reduce_one(own, settings);
  if (!curve) return curve;
  for (const auto& point : own)
    if (point.setting.is_object() && point.setting.value("quantity", std::string()) == "impedance")
      curve->quantity = Quantity::impedance;
  if (settings.quantity) curve->quantity = *settings.quantity;
  if (standards) {
    Standards held{.load_resistance = settings.load_resistance};
    for (const auto& [what, into] : {std::pair{"open", &held.open}, {"short", &held.shorted}, {"load", &held.load}}) {
      if (!by_purpose.contains(what)) continue;
      auto one = reduce_one(by_purpose[what], settings);
      if (!one) return fail(one.error().fault, "The {} take: {}", what, one.error().message);
      *into = std::move(*one);
    }
    if (auto ok = compensate(*curve, held); !ok) return tl::unexpected(ok.error());
  }
  for (auto& p : curve->points) p.trusted = !p.coherence || *p.coherence >= settings.coherence_limit;
  if (settings.normalise) normalise(*curve, *settings.normalise);
  return curve;
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
