#include "sim/converter.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/random.h"
#include "sim/device.h"

namespace heron::sim {

double ConverterData::step() const { return 2 * full_scale / std::pow(2.0, bits); }

std::optional<ConverterData> converter_at(const Circuit& circuit, const std::string& pin) {
  const auto node = circuit.pins.find(pin);
  if (node == circuit.pins.end()) return std::nullopt;
  for (const auto& part : circuit.parts) {
    if (!part.kind->converts || part.nodes[1] != node->second) continue;
    const auto value = [&](const char* key) { return part.values.at(key).value; };
    ConverterData out{.bits = int(value("bits")),
                      .full_scale = value("full_scale"),
                      .noise = value("noise"),
                      .jitter = value("jitter"),
                      .spur = value("spur"),
                      .bow = value("bow"),
                      .lean = value("lean"),
                      .uneven = value("uneven"),
                      .wide_code = int(value("wide_code")),
                      .wide_by = value("wide_by")};
    out.identity = 1469598103934665603ull;
    for (const char letter : part.name) out.identity = (out.identity ^ static_cast<unsigned char>(letter)) * 1099511628211ull;
    return out;
  }
  return std::nullopt;
}

Transitions::Transitions(const ConverterData& data) : half_(1 << (data.bits - 1)), step_(data.step()) {
  std::mt19937_64 random(data.identity);
  const double s = 3 * std::sqrt(3.0) / 2;
  for (int code = -half_ + 1; code < half_; ++code) {
    const double x = double(code) / half_;
    double at = code - 0.5 + data.lean * (1 - x * x) + data.bow * s * (x * x * x - x);
    if (data.uneven > 0) at += data.uneven * normal_deviate(random);
    if (data.wide_by > 0 && code == data.wide_code) at -= data.wide_by / 2;
    if (data.wide_by > 0 && code == data.wide_code + 1) at += data.wide_by / 2;
    // A transition that lies below the one before it is a code that never comes.
    at_.push_back(std::max(at * step_, at_.empty() ? at * step_ : at_.back()));
  }
}

int Transitions::code(double volts) const {
  return int(std::upper_bound(at_.begin(), at_.end(), volts) - at_.begin()) - half_;
}

bench::ChannelRecord read_codes(const std::string& pin, const ConverterData& data, const Transitions& transitions, const std::vector<double>& volts,
                                const std::vector<double>& noise, std::mt19937_64& random) {
  const int half = 1 << (data.bits - 1);
  bench::ChannelRecord record{.pin = pin, .volts_per_count = data.step(), .range = data.full_scale, .lowest_count = -half, .highest_count = half - 1, .bits = data.bits};
  record.counts.reserve(volts.size());
  for (std::size_t k = 0; k < volts.size(); ++k) {
    // A quarter of the clock, as a sine: 1, 0, -1, 0.
    const double clock = k % 2 == 1 ? 0 : data.spur * std::numbers::sqrt2 * (k % 4 == 0 ? 1 : -1);
    const double at = volts[k] + clock + (noise.empty() ? 0 : noise[k]) + (data.noise > 0 ? data.noise * normal_deviate(random) : 0);
    record.counts.push_back(std::int16_t(transitions.code(at)));
  }
  return record;
}

}  // namespace heron::sim
