#include "study/response/reduce.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/quantity.h"
#include "signal/curve.h"

namespace heron::study::response {
namespace {

constexpr double kDegrees = 180 / std::numbers::pi;
constexpr double kDbPerNeper = 20 / std::numbers::ln10;

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

ChannelEvidence evidence(const Channel& channel, const std::vector<double>& volts, double rate,
                         const signal::Tone& whole) {
  ChannelEvidence out;
  out.clipped = channel.counted() && clipped(channel);
  if (channel.range) {
    double highest = 0;
    for (const double v : volts) highest = std::max(highest, std::abs(v));
    out.range_share = highest / *channel.range;
  }
  out.over_floor = whole.u_peak > 0 ? whole.peak / whole.u_peak : 0;
  const auto half = volts.size() / 2;
  const std::span<const double> samples(volts);
  const auto first = signal::fit_tone(samples.first(half), rate, whole.frequency);
  const auto second = signal::fit_tone(samples.subspan(half), rate, whole.frequency);
  if (first && second) {
    const double u_peak = std::hypot(first->u_peak, second->u_peak), u_dc = std::hypot(first->u_dc, second->u_dc);
    if (u_peak > 0) out.unsettled = std::abs(first->peak - second->peak) / u_peak;
    if (u_dc > 0) out.unsettled = std::max(out.unsettled, std::abs(first->dc - second->dc) / u_dc);
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

Result<signal::Tone> fit_channel(const Channel& channel, double sample_rate, double frequency) {
  return signal::fit_tone(channel.values(), sample_rate, frequency);
}

Result<CurvePoint> reduce(const Point& point) {
  CurvePoint out{.index = point.index};
  if (!point.setting.is_object() || !point.setting.contains("frequency") || !point.setting.at("frequency").is_number())
    return fail(Fault::input, "Point {} does not say its frequency.", point.index + 1);
  out.frequency = point.setting.at("frequency").get<double>();
  std::complex<double> sum = 0;
  double squares_gain = 0, squares_phase = 0, u_scale = 0, u_delay = 0;
  int records = 0;
  for (const auto& record : point.records) {
    const auto* x = record.find("stimulus");
    const auto* y = record.find("response");
    if (!x || !y) return fail(Fault::input, "Point {} lacks its stimulus or its response.", point.index + 1);
    const auto x_volts = x->values(), y_volts = y->values();
    const auto x_fit = signal::fit_tone(x_volts, record.sample_rate, out.frequency);
    if (!x_fit) return tl::unexpected(x_fit.error());
    const auto y_fit = signal::fit_tone(y_volts, record.sample_rate, out.frequency);
    if (!y_fit) return tl::unexpected(y_fit.error());
    if (!(x_fit->peak > 0) || !(y_fit->peak > 0))
      return fail(Fault::input, "Point {} at {} shows no tone; is the lead connected?", point.index + 1,
                  format_setting(out.frequency, "Hz"));
    sum += std::polar(y_fit->peak / x_fit->peak, y_fit->phase - x_fit->phase);
    squares_gain += std::pow(x_fit->u_peak / x_fit->peak, 2) + std::pow(y_fit->u_peak / y_fit->peak, 2);
    squares_phase += std::pow(x_fit->u_phase, 2) + std::pow(y_fit->u_phase, 2);
    u_scale = std::hypot(x->u_gain, y->u_gain);
    u_delay = std::hypot(x->u_delay, y->u_delay);
    out.periods = double(x->size()) / record.sample_rate * out.frequency;
    worsen(out.stimulus, evidence(*x, x_volts, record.sample_rate, *x_fit), records == 0);
    worsen(out.response, evidence(*y, y_volts, record.sample_rate, *y_fit), records == 0);
    ++records;
  }
  if (records == 0) return fail(Fault::input, "Point {} has no record.", point.index + 1);
  out.gain_db = 20 * std::log10(std::abs(sum) / records);
  out.phase_deg = std::arg(sum) * kDegrees;
  out.u_gain_db = kDbPerNeper * std::hypot(std::sqrt(squares_gain) / records, u_scale);
  out.u_phase_deg =
      kDegrees * std::hypot(std::sqrt(squares_phase) / records, 2 * std::numbers::pi * out.frequency * u_delay);
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
             imag = column("imag");
  if (frequency.empty()) return fail(Fault::input, "The data have no frequency.");
  const bool complex_form = gain.empty();
  if (complex_form && (real.empty() || imag.empty()))
    return fail(Fault::input, "The data have neither gain nor real and imaginary part.");
  for (const auto* c : {&gain, &phase, &real, &imag})
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
    points.push_back(p);
  }
  return assemble(std::move(points), complex_form || !phase.empty());
}

Result<Curve> reduce_take(const std::vector<Point>& points) {
  if (points.size() == 1 && points.front().records.size() == 1 && points.front().records.front().find("frequency"))
    return reduce_table(points.front().records.front());
  std::vector<CurvePoint> reduced;
  for (const auto& point : points) {
    auto one = reduce(point);
    if (!one) return tl::unexpected(one.error());
    reduced.push_back(std::move(*one));
  }
  auto curve = assemble(std::move(reduced));
  if (curve) curve->measured = true;
  return curve;
}

}  // namespace heron::study::response
