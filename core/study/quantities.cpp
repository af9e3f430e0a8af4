#include "study/quantities.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/quantity.h"

namespace heron::study {
namespace {

std::vector<double> in_quantity(const Channel& channel, const bench::Sensing& sensing) {
  auto values = channel.values();
  for (auto& v : values) v = (v - sensing.zero) * sensing.per_volt;
  return values;
}

}  // namespace

void describe_hookup(nlohmann::json& out, const bench::Hookup& hookup,
                     const std::vector<std::pair<std::string, double>>& known) {
  auto& sensing = out["sensing"] = nlohmann::json::object();
  for (const auto& chain : hookup.chains) sensing[chain.name] = bench::to_json(bench::sensing_of(chain));
  if (hookup.computed.empty()) return;
  out["computed"] = bench::to_json(hookup).at("computed");
  auto& parts = out["parts"] = nlohmann::json::object();
  for (const auto& [name, value] : known) parts[name] = value;
}

void describe_codes(nlohmann::json& out, const bench::Capture& capture, std::span<const std::string> names) {
  for (std::size_t k = 0; k < capture.channels.size(); ++k)
    if (const auto& channel = capture.channels[k]; channel.bits > 0) out["codes"][names[k]] = {{"bits", channel.bits}, {"full_scale", channel.range}};
}

namespace {

/// Root mean square of what alternates.
double alternating(const std::vector<double>& values) {
  double sum = 0, squares = 0;
  for (const double v : values) {
    sum += v;
    squares += v * v;
  }
  const double n = double(std::max<std::size_t>(1, values.size()));
  return std::sqrt(std::max(0.0, squares / n - sum * sum / n / n));
}

/// The part at a frequency, relative to the sample rate; up to a factor that all rows of a record have in common.
std::complex<double> of_tone(const std::vector<double>& values, double frequency) {
  double mean = 0;
  for (const double v : values) mean += v / double(values.size());
  const auto step = std::polar(1.0, -2 * std::numbers::pi * frequency);
  std::complex<double> turn = 1, sum = 0;
  for (const double v : values) {
    sum += (v - mean) * turn;
    turn *= step;
  }
  return sum;
}

}  // namespace

Result<RoleSamples> role_samples(const Point& point, const Record& record, std::string_view role, double frequency) {
  const auto sensed = point.setting.sensed();
  if (!sensed) return tl::unexpected(sensed.error());
  const auto& by = **sensed;
  RoleSamples out{.quantity = by.quantity(role)};
  if (const auto* channel = record.find(out.quantity)) {
    out.channel = channel;
    out.sensing = by.of(out.quantity);
    out.unit = out.sensing.unit;
    out.values = in_quantity(*channel, out.sensing);
    return out;
  }
  const auto& computed = by.computed;
  const auto wanted =
      std::find_if(computed.begin(), computed.end(), [&](const auto& c) { return c.name == out.quantity; });
  if (wanted == computed.end())
    return fail(Fault::input, "Point {} lacks its stimulus or its response.", point.index + 1);
  std::vector<std::string> names;
  std::vector<std::vector<double>> samples;
  bool first = true;
  for (const auto& channel : record.channels) {
    const auto& sensing = by.of(channel.role);
    names.push_back(channel.role);
    samples.push_back(in_quantity(channel, sensing));
    // The first channel's corners and delay stand for all: a difference of unlike sensors cannot be put right.
    if (first) out.sensing = sensing;
    first = false;
  }
  const auto& parts = by.parts;
  auto rows = bench::compute_channels(computed, names, samples, parts);
  if (!rows) return tl::unexpected(rows.error());
  out.unit = wanted->unit;
  const auto place = std::size_t(wanted - computed.begin());
  // A small difference of large quantities is as uncertain as they are: each input's gain is moved a little.
  constexpr double kStep = 1e-3;
  const auto& base = (*rows)[place];
  const double size = alternating(base);
  const auto tone = frequency > 0 ? of_tone(base, frequency / record.sample_rate) : 0.0;
  for (std::size_t k = 0; k < samples.size() && size > 0; ++k) {
    const auto& channel = record.channels[k];
    const double u = std::hypot(channel.u_gain, by.of(channel.role).u_factor);
    if (!(u > 0) && !(channel.u_delay > 0)) continue;
    auto moved = samples;
    for (auto& v : moved[k]) v *= 1 + kStep;
    const auto again = bench::compute_channels(computed, names, moved, parts);
    if (!again) continue;
    auto change = (*again)[place];
    for (std::size_t i = 0; i < change.size(); ++i) change[i] -= base[i];
    std::complex<double> effect;
    if (tone != 0.0) {
      effect = of_tone(change, frequency / record.sample_rate) / tone;
    } else {
      const double all = alternating(change) / size, along = alternating((*again)[place]) / size - 1;
      effect = {along, std::sqrt(std::max(0.0, all * all - along * along))};
    }
    out.shares.push_back({&channel, u, effect / kStep});
  }
  out.values = std::move((*rows)[place]);
  out.sensing.unit = out.unit;
  return out;
}

const std::vector<double>* Quantities::find(std::string_view name) const {
  const auto it = std::find(names.begin(), names.end(), name);
  return it == names.end() ? nullptr : &rows[std::size_t(it - names.begin())];
}

Result<Quantities> quantities_of(const Point& point, const Record& record, const Moved& moved) {
  const auto sensed = point.setting.sensed();
  if (!sensed) return tl::unexpected(sensed.error());
  Quantities out;
  for (const auto& channel : record.channels) {
    const auto& sensing = (*sensed)->of(channel.role);
    out.names.push_back(channel.role);
    out.rows.push_back(in_quantity(channel, sensing));
    if (out.rows.back().size() != out.rows.front().size())
      return fail(Fault::input, "Point {}: its channels are not of one length.", point.index + 1);
    const double plus = moved.plus * sensing.per_volt;
    if (channel.role == moved.name)
      for (auto& v : out.rows.back()) v = v * moved.factor + plus;
  }
  auto parts = (*sensed)->parts;
  for (auto& [name, value] : parts)
    if (name == moved.name) value *= moved.factor;
  auto rows = bench::compute_channels((*sensed)->computed, out.names, out.rows, parts);
  if (!rows) return tl::unexpected(rows.error());
  for (std::size_t k = 0; k < rows->size(); ++k) {
    out.names.push_back((*sensed)->computed[k].name);
    out.rows.push_back(std::move((*rows)[k]));
  }
  return out;
}

std::vector<double> in_quantity(const bench::ChannelRecord& channel, const bench::Sensing& sensing) {
  auto out = channel.volts();
  for (auto& v : out) v = (v - sensing.zero) * sensing.per_volt;
  return out;
}

}  // namespace heron::study
